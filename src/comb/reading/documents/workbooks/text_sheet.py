"""Delimited text that was exported from a sheet made for people, read as that sheet."""

import numpy as np

from comb.formats.lazy_pattern import lazy_pattern
from comb.inference.typed_cells import SourceKind
from comb.kernels import dispatch
from comb.kernels.types import EVERYTHING, Dialect
from comb.reading.delimited.layout import Layout
from comb.reading.documents.workbooks.sheet import CellRecords, Sheet, check_extent, sheet_of

_NUMBER = lazy_pattern(r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")
_WITH_COMMA = lazy_pattern(r"[+-]?[0-9]+,[0-9]+")


def text_sheet(text: str, layout: Layout, name: str) -> Sheet:
    """Read delimited text as a sheet; a cell keeps its text, and counts as a number where it can be one.

    Parameters
    ----------
    text : str
    layout : Layout
        Its delimiter and quotes.
    name : str
        What to call the sheet.

    Returns
    -------
    Sheet
        With the line that each row begins on.
    """
    dialect = Dialect(layout.delimiter, layout.quote, layout.escape)
    found = dispatch.kernels.records(text, dialect, EVERYTHING)
    cells = CellRecords()
    strings: list[str] = []
    for row, fields in enumerate(found.fields):
        check_extent(row, max(len(fields) - 1, 0), name)
        for column, field in enumerate(fields):
            if field.strip():
                number = number_of(field.strip())
                kind = SourceKind.TEXT if number is None else SourceKind.NUMBER
                cells.add(row, column, kind, number or 0.0, len(strings))
                strings.append(field)
    sheet = sheet_of(name, cells, strings)
    sheet.lines = np.array(found.lines, np.int64)
    return sheet


def number_of(text: str) -> float | None:
    """Return the number that a text is, with a point or a comma; None for other texts.

    >>> number_of("7.5"), number_of("7,5"), number_of("7*")
    (7.5, 7.5, None)
    """
    if _NUMBER.fullmatch(text):
        return float(text)
    return float(text.replace(",", ".")) if _WITH_COMMA.fullmatch(text) else None
