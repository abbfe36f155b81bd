"""Write values as texts, and join the cells of rows to delimited text: the reference."""

from collections.abc import Sequence
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.kernels.scalars import date_text, digits, number_text
from comb.kernels.string_buffer import StringBuffer, pack
from comb.kernels.types import DateLayout, Field

_EPOCH = date(1970, 1, 1)


def write_integers(values: NDArray[Any], scale: int, mark: str) -> StringBuffer:
    """Write whole numbers, or decimals of a scale."""
    return pack([digits(value, scale).replace(".", mark) for value in values.tolist()])


def write_numbers(values: NDArray[Any], mark: str) -> StringBuffer:
    """Write finite floats; others are left empty."""
    finite = np.isfinite(values).tolist()
    pairs = zip(values.tolist(), finite, strict=True)
    return pack([number_text(value).replace(".", mark) if usable else "" for value, usable in pairs])


def write_dates(days: NDArray[Any], layout: DateLayout) -> StringBuffer:
    """Write days; those outside the years 1 to 9999 are left empty."""
    least, most = (date(1, 1, 1) - _EPOCH).days, (date(9999, 12, 31) - _EPOCH).days
    return pack([date_text(day, layout) if least <= day <= most else "" for day in days.tolist()])


def write_between(before: str, values: NDArray[Any], behind: str) -> StringBuffer:
    """Write whole numbers, each between the same two texts.

    >>> write_between("line ", np.array([2, -15]), ".").strings()
    ['line 2.', 'line -15.']
    """
    return pack([f"{before}{value}{behind}" for value in values.tolist()])


def join(fields: Sequence[Field], rows: int, delimiter: str, line_end: str, missing: str) -> bytes:
    """Join the cells of rows to delimited text, quoted where RFC 4180 wants it.

    >>> join([Field(pack(["a", "b,"]), None, None), Field(pack(["1", "2"]), None, None)], 2, ",", "|", "")
    b'a,1|"b,",2|'
    """
    columns = []
    for field in fields:
        items = [_quoted(text, delimiter) for text in field.texts.strings()]
        cells = items if field.codes is None else [items[code] for code in field.codes.tolist()]
        if field.missing is not None:
            marker = '""' if len(fields) == 1 and not missing else _quoted(missing, delimiter)
            cells = [marker if empty else cell for cell, empty in zip(cells, field.missing.tolist(), strict=False)]
        columns.append(cells)
    lines = (delimiter.join(column[row] for column in columns) for row in range(rows))
    return "".join(line + line_end for line in lines).encode()


def _quoted(text: str, delimiter: str) -> str:
    """Put a field into quotes if something in it would end it."""
    if any(mark in text for mark in (delimiter, '"', "\n", "\r")):
        return '"' + text.replace('"', '""') + '"'
    return text
