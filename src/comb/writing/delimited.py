"""A table as delimited text, after RFC 4180. Pure: table in, bytes out."""

import codecs
import csv
import io
from dataclasses import dataclass

import numpy as np

from comb.errors import ParameterError
from comb.inference.patterns import ISO_DATE, date_form
from comb.tables.bare import BareTable
from comb.tables.column import Column
from comb.tables.types import STRING

LINE_ENDS = ("\r\n", "\n", "\r")

# A text that begins so is run as a formula by spreadsheet programs.
FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True, slots=True, kw_only=True)
class TextForm:
    """How a table is written as text.

    Attributes
    ----------
    delimiter, line_end, encoding : str
    missing : str
        What stands in missing cells.
    decimal_mark : str
        Point or comma.
    date_pattern : str
        A pattern of Unicode TR35.
    disarm : bool
        Put an apostrophe before texts that a spreadsheet program would run.
    """

    delimiter: str = ","
    line_end: str = "\r\n"
    encoding: str = "utf-8"
    missing: str = ""
    decimal_mark: str = "."
    date_pattern: str = ISO_DATE
    disarm: bool = False

    def check(self) -> None:
        """Raise a ParameterError for a value outside what is allowed."""
        if len(self.delimiter) != 1 or self.delimiter in '"\r\n':
            raise ParameterError(f"expected one character as delimiter, came {self.delimiter!r}")
        if self.line_end not in LINE_ENDS:
            raise ParameterError(f"expected a line end of {LINE_ENDS}, came {self.line_end!r}")
        if self.decimal_mark not in (".", ","):
            raise ParameterError(f"expected a decimal mark of . or ,, came {self.decimal_mark!r}")
        try:
            codecs.lookup(self.encoding)
        except LookupError:
            raise ParameterError(f"there is no encoding {self.encoding!r}", remedy="common: utf-8, utf-8-sig") from None
        date_form(self.date_pattern)


STANDARD = TextForm()


def csv_bytes(table: BareTable, form: TextForm = STANDARD) -> bytes:
    """Write a table as delimited text.

    A field is quoted where RFC 4180 wants it.

    Parameters
    ----------
    table : BareTable
    form : TextForm

    Returns
    -------
    bytes

    Raises
    ------
    ParameterError
        If a text does not fit the encoding or is the word for missing, naming row and
        column.
    """
    form.check()
    cells = [_written(table, name, column, form) for name, column in table.columns.items()]
    return rows_bytes([list(table.names), *map(list, zip(*cells, strict=True))], form)


def rows_bytes(rows: list[list[str]], form: TextForm = STANDARD) -> bytes:
    """Write rows of texts as delimited text."""
    text = io.StringIO()
    csv.writer(text, delimiter=form.delimiter, lineterminator=form.line_end).writerows(rows)
    return text.getvalue().encode(form.encoding)


def _written(table: BareTable, name: str, column: Column, form: TextForm) -> list[str]:
    """Return the cells of a column as they are written."""
    texts = column.texts()
    if column.type == STRING:
        _check_texts(table, name, column, form)
        if form.disarm:
            texts = [f"'{text}" if text and text.startswith(FORMULA_STARTS) else text for text in texts]
    elif column.type.numeric and form.decimal_mark != ".":
        texts = [text and text.replace(".", form.decimal_mark) for text in texts]
    elif column.type.word == "date" and form.date_pattern != ISO_DATE:
        texts = [text and _dated(text, form.date_pattern) for text in texts]
    return [form.missing if text is None else text for text in texts]


def _dated(text: str, pattern: str) -> str:
    """Rewrite an ISO date in a pattern."""
    order, mark, _ = date_form(pattern)
    year, month, day = text.split("-")
    padded = {
        "y": year,
        "m": month if "MM" in pattern else str(int(month)),
        "d": day if "dd" in pattern else str(int(day)),
    }
    return mark.join(padded[letter] for letter in order)


def _check_texts(table: BareTable, name: str, column: Column, form: TextForm) -> None:
    """Raise a ParameterError for the first text that would not come back."""

    def fails(text: str) -> bool:
        try:
            text.encode(form.encoding)
        except UnicodeEncodeError:
            return True
        return bool(form.missing) and text == form.missing

    wrong = np.flatnonzero(column.text.flags(fails) & column.present)
    if len(wrong):
        text = column.take(wrong[:1]).to_list()[0]
        row = int(table.row_numbers[wrong[0]])
        if text == form.missing:
            remedy = "choose a word for missing that is no value"
            raise ParameterError(f"{text!r} is a value in row {row} of {name}", remedy=remedy)
        raise ParameterError(
            f"{text!r} in row {row} of {name} cannot be written in {form.encoding}",
            remedy="utf-8 takes every character",
        )
