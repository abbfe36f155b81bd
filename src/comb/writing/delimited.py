"""A table as delimited text, after RFC 4180. Pure: table in, bytes out."""

import codecs
import sys
from collections.abc import Iterator
from itertools import pairwise

import msgspec
import numpy as np

from comb.errors import ParameterError
from comb.execution.ordered import in_order
from comb.formats.encodings import codec_name
from comb.formats.formulas import disarmed
from comb.kernels import dispatch
from comb.kernels.string_buffer import StringBuffer, pack
from comb.kernels.types import MOST_DECIMAL_DIGITS, DateLayout, Field
from comb.parsing.patterns import ISO_DATE, date_form
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.value_texts import value_texts

LINE_ENDS = ("\r\n", "\n", "\r")


# Enough that the work outweighs the handing out.
ROWS_AT_ONCE = 20_000

# Few enough that what is written meanwhile stays in the processor's cache; and the fewer, the more columns there are.
CELLS_AT_ONCE = 50_000
LEAST_AT_ONCE, MOST_AT_ONCE = 500, 4_000

BOOLEAN_TEXTS = pack(["false", "true"])


class TextForm(msgspec.Struct, frozen=True, kw_only=True):
    """How a table is written as text.

    Attributes
    ----------
    delimiter, line_end, encoding : str
    missing : str
        What is in missing cells.
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
            raise ParameterError(f"expected one character as delimiter, got {self.delimiter!r}")
        if self.line_end not in LINE_ENDS:
            raise ParameterError(f"expected a line end of {LINE_ENDS}, got {self.line_end!r}")
        if self.decimal_mark not in (".", ","):
            raise ParameterError(f"expected a decimal mark of . or ,, got {self.decimal_mark!r}")
        if not codec_name(self.encoding):
            raise ParameterError(f"there is no encoding {self.encoding!r}", remedy="common: utf-8, utf-8-sig")
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
    return b"".join(csv_parts(table, form))


def csv_parts(table: BareTable, form: TextForm = STANDARD, threads: int = 1) -> Iterator[bytes]:
    """Write a table as delimited text, some rows at a time.

    Parameters
    ----------
    table : BareTable
    form : TextForm
    threads : int
        This many parts are worked on at once.

    Yields
    ------
    bytes
        The header, then the rows in order. Raises before the first if a text cannot be
        written; see `csv_bytes`.
    """
    form.check()
    check_digits(table)
    for name, column in table.columns.items():
        if column.type.textual:
            _check_texts(table, name, column, form)
    columns = [_disarmed(column) if form.disarm else column for column in table.columns.values()]
    header = rows_text([titles_of(table, form)], form)
    # A byte order mark belongs at the beginning only.
    later = "utf-8" if form.encoding.lower().replace("_", "-") == "utf-8-sig" else form.encoding
    yield header.encode(form.encoding)

    # A row without a value is delimiters only, which readers leave out: two quotes show that it is a row.
    valueless = np.zeros(table.row_count, np.bool_)
    if len(columns) > 1 and not form.missing and all(column.missing_count for column in columns):
        valueless = np.all([column.missing for column in columns], axis=0)

    few = rows_at_once(len(columns))

    def rows(start: int, stop: int) -> bytes | bytearray:
        if valueless[start]:
            return f'""{form.delimiter * (len(columns) - 1)}{form.line_end}'.encode()
        fields = [_field(column, start, stop, form) for column in columns]
        return dispatch.kernels.join(fields, stop - start, form.delimiter, form.line_end, form.missing)

    def part(start: int) -> bytes:
        stop = min(start + ROWS_AT_ONCE, table.row_count)
        alone = np.flatnonzero(valueless[start:stop]) + start
        edges = sorted({*range(start, stop, few), stop, *alone.tolist(), *(alone + 1).tolist()})
        data = b"".join(rows(first, last) for first, last in pairwise(edges))
        return data if later == "utf-8" else data.decode().encode(_without_mark(later))

    yield from in_order(part, range(0, table.row_count, ROWS_AT_ONCE), threads)


def rows_at_once(columns: int) -> int:
    """Return how many rows are quickest written at once, by the number of columns."""
    return min(max(CELLS_AT_ONCE // max(columns, 1), LEAST_AT_ONCE), MOST_AT_ONCE)


def _without_mark(encoding: str) -> str:
    """Return the encoding that writes no byte order mark of its own."""
    order = "le" if sys.byteorder == "little" else "be"
    name = codecs.lookup(encoding).name
    return f"{name}-{order}" if name in ("utf-16", "utf-32") else encoding


def rows_text(rows: list[list[str]], form: TextForm = STANDARD) -> str:
    """Write rows of texts as delimited text."""
    fields = [Field(pack(cells), None, None) for cells in zip(*rows, strict=True)]
    return dispatch.kernels.join(fields, len(rows), form.delimiter, form.line_end, form.missing).decode()


def rows_bytes(rows: list[list[str]], form: TextForm = STANDARD) -> bytes:
    """Write rows of texts as delimited text in the encoding of a form."""
    return rows_text(rows, form).encode(form.encoding)


def titles_of(table: BareTable, form: TextForm) -> list[str]:
    """Return the titles of a table as they are written."""
    return [disarmed(name) for name in table.names] if form.disarm else list(table.names)


def _disarmed(column: Column) -> Column:
    """Disarm the texts of a column; JSON has none that would be run."""
    if not column.type.textual or column.type.word == "json":
        return column
    return column._replace(values=column.text.map(disarmed))


def _field(column: Column, start: int, stop: int, form: TextForm) -> Field:
    """Return some cells of a column as they are written."""
    state = None if column.state is None else column.state[start:stop]
    if isinstance(column.values, Text):
        text = column.values
        if text.codes is None:
            return Field(StringBuffer(text.buffer, text.offsets[start : stop + 1]), None, state)
        return Field(text.packed(), text.codes[start:stop].astype(np.int32, copy=False), state)
    values, kind = column.values[start:stop], column.type.plain
    if kind.word == "boolean":
        return Field(BOOLEAN_TEXTS, values.astype(np.int32), state)
    if kind.word == "date":
        texts = dispatch.kernels.write_dates(values.view(np.int64), _date_layout(form.date_pattern))
    elif kind.word == "number":
        texts = dispatch.kernels.write_numbers(values, form.decimal_mark)
    elif kind.word in ("datetime", "time", "duration"):
        texts = pack(value_texts(kind, values))
    else:
        texts = dispatch.kernels.write_integers(values, kind.scale, form.decimal_mark)
    return Field(texts, None, state)


def _date_layout(pattern: str) -> DateLayout:
    form = date_form(pattern)
    return DateLayout(form.order, form.mark, "MM" in pattern, "dd" in pattern)


def check_digits(table: BareTable) -> None:
    """Raise a ParameterError for the first decimal with more digits than are read again as one.

    A calculation may come to one digit more than a text is read as.
    """
    for name, column in table.columns.items():
        if column.type.plain.word == "decimal":
            long = np.flatnonzero((np.abs(column.array) >= 10**MOST_DECIMAL_DIGITS) & column.present)
            if len(long):
                row = int(table.row_numbers[long[0]])
                raise ParameterError(
                    f"row {row} of {name!r} has more than {MOST_DECIMAL_DIGITS} digits ({len(long):,} such cells)",
                    remedy=f"convert {name} to string or number, or round it, before it is saved",
                )


def _check_texts(table: BareTable, name: str, column: Column, form: TextForm) -> None:
    """Raise a ParameterError for the first text that would not come back."""

    if not form.missing and codecs.lookup(form.encoding).name.startswith("utf"):
        return  # every text can be written, and none is taken for missing

    def fails(text: str) -> bool:
        try:
            text.encode(form.encoding)
        except UnicodeEncodeError:
            return True
        return bool(form.missing) and text == form.missing

    wrong = np.flatnonzero(column.text.flags(fails) & column.present)
    if len(wrong):
        text = column._take(wrong[:1]).to_list()[0]
        row = int(table.row_numbers[wrong[0]])
        if text == form.missing:
            remedy = "choose a word for missing that is no value"
            raise ParameterError(f"{text!r} is a value in row {row} of {name}", remedy=remedy)
        raise ParameterError(
            f"{text!r} in row {row} of {name} cannot be written in {form.encoding}",
            remedy="utf-8 takes every character",
        )
