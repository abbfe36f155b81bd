"""What kernels take and give: plain values, without a method that does work.

Every cell that is read gets a *status*: `FITS`, `BLANK`, `MARKED` (a word for missing) or `MISFIT`. The numbers are
those of the reasons why a cell is missing (`comb.tables.reasons`), so that a status becomes a state without a
translation; the reason ``absent`` is added by the reader of rows, since a kernel sees cells and not rows.

What the texts of a column could be is counted in a *tally*, a vector with a slot for each thing counted
(`TallySlot`). Tallies of parts of a column add up to that of the whole, so that chunks are counted independently of
each other and the type of a column is decided from all of its cells without looking at them again.

How cells are written is a `CellForm`: numbers of one notation, numeric dates of some orders, or a program for
moments.
"""

from typing import Any, NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.string_buffer import StringBuffer, pack

# The status of a cell; `MARKED` is a word for missing, set by callers who know the words. They
# are the first of the reasons why cells are missing.
FITS, BLANK, MARKED, MISFIT = 0, 1, 2, 3
INT64_MIN, INT64_MAX = -(2**63), 2**63 - 1

# A decimal is an int64 of its digits: 18 always fit.
MOST_DECIMAL_DIGITS = 18
Status = NDArray[np.uint8]
Parsed = tuple[NDArray[Any], Status]
Tally = NDArray[np.int64]
Kinds = NDArray[np.uint8]
DATE_MARKS = "-./"

# What is counted of dates with one mark has as many places; see `DatePart`.
DATE_PARTS = 9

# The shortest number written with more digits than this may not come back from a float.
MOST_NUMBER_DIGITS = 17
MOST_INT64_DIGITS = 19

# A plus sign before this many digits and more begins a telephone number.
LEAST_PLUS_DIGITS = 8

# More words than this are looked up one by one; a boolean has two.
MOST_WORDS = 64


class Numbered(NamedTuple):
    """Values that are numbered in order of appearance.

    Attributes
    ----------
    numbers : int64 array
        The number of each value.
    first : int64 array
        Where each number is first; ascending.
    sizes : int64 array
        How often each occurs.
    """

    numbers: NDArray[np.int64]
    first: NDArray[np.int64]
    sizes: NDArray[np.int64]


class TallySlot:
    """What each place of a tally counts; from `POINT_SCALE` on, each name begins a group of places."""

    BLANK = 0
    GIVEN = 1  # a word given for missing
    KNOWN = 2  # a known word for missing
    OTHER = 3  # everything else
    INTEGER = 4
    WHOLE = 5  # digits and perhaps a sign, of any length
    LEADING_ZERO = 6  # digits before the mark that begin with a zero and go on
    LONG = 7  # whole, beyond int64
    MANY_DIGITS = 8  # a number with more digits than a float keeps
    NEGATIVE_ZERO = 9
    POINT = 10  # a number with a decimal point or none
    POINT_MARKED = 11  # of these, with a point or an exponent
    COMMA = 12  # the same with a decimal comma
    COMMA_MARKED = 13
    COMMA_DECIDED = 14  # of these, where the comma cannot be thousands separators
    POINT_DECIDED = 15  # of numbers with a point, where it cannot be a thousands separator
    PLUS = 16  # whole, of many digits behind a plus sign
    BARE_EXPONENT = 17  # an exponent without a sign, behind a whole number: 19E7
    POINT_SCALE = 18  # by digits after the point; the first place: none, or not to be told
    COMMA_SCALE = POINT_SCALE + MOST_DECIMAL_DIGITS + 1
    DATE = COMMA_SCALE + MOST_DECIMAL_DIGITS + 1  # by mark, then as in `DatePart`
    WORD = DATE + DATE_PARTS * len(DATE_MARKS)  # by the words that were given to be counted


class DatePart:
    """What is counted of dates with one mark."""

    YEAR_FIRST = 0  # four digits in front
    YEAR_FIRST_UNPADDED = 1
    YMD = 2  # such a day exists
    YEAR_LAST = 3
    YEAR_LAST_UNPADDED = 4
    FIRST_ABOVE_12 = 5
    SECOND_ABOVE_12 = 6
    DMY = 7
    MDY = 8


SIZE = TallySlot.WORD + MOST_WORDS

# What `kinds` says of one text, as bits.
IS_BLANK, IS_GIVEN, IS_KNOWN = 1, 2, 4


class Words(msgspec.Struct, frozen=True):
    """The words that matter when texts are counted.

    Attributes
    ----------
    given : tuple of str
        Words given for missing: they count wherever they stand, letter for letter.
    known : tuple of str
        Known words for missing, in lower case.
    counted : tuple of str
        Words to be counted one by one, in lower case; at most `MOST_WORDS`.
    """

    given: tuple[str, ...] = ()
    known: tuple[str, ...] = ()
    counted: tuple[str, ...] = ()


LINE_END_BYTES = lazy_pattern(rb"\r\n|\n|\r")

# The delimiter that is a run of spaces, however long; spaces at the ends of a line mean nothing.
SPACES = "spaces"

# A quoted field longer than this is taken for a quote that was never closed.
LONGEST_QUOTED = 256_000_000


class Records(msgspec.Struct):
    """The records of a text, as the kernel found them.

    Attributes
    ----------
    fields : list of list of str
        The fields of each record, quotes removed.
    lines : list of int
        The line each record began on, from 1.
    stray, unclosed : list of int
        Lines with a quote inside a field, and with one that never closes.
    """

    fields: list[list[str]] = msgspec.field(default_factory=list)
    lines: list[int] = msgspec.field(default_factory=list)
    stray: list[int] = msgspec.field(default_factory=list)
    unclosed: list[int] = msgspec.field(default_factory=list)


MICROSECONDS_A_DAY = 86_400_000_000

# Hours of a duration have no more digits than this: about eleven thousand years.
MOST_HOUR_DIGITS = 8
MOST_FRACTION_DIGITS = 9


class Op:
    """What the next part of a text has to be."""

    LITERAL = 0  # the byte given
    SPACES = 1  # one space or more
    YEAR = 2  # four digits
    SHORT_YEAR = 3  # two digits; those from the number given on are of the last century
    MONTH = 4  # this many digits; 1 means one or two
    DAY = 5
    HOUR = 6
    HALF_HOUR = 7  # an hour of 1 to 12
    MINUTE = 8
    SECOND = 9
    FRACTION = 10  # of a second; it may be left out with its mark
    OFFSET = 11  # from universal time, or Z
    MONTH_NAME = 12
    WEEKDAY_NAME = 13
    HALF = 14  # a.m. or p.m.
    QUARTER = 15
    WEEK = 16
    WEEKDAY = 17  # 1 is Monday
    HOURS = 18  # of a duration
    SIGN = 19  # of a duration; it may be left out
    ORDINAL = 20  # st, nd, rd or th
    END_OF_DAY = 21  # nothing; what was read as 24:00 is the midnight that follows


class Names(msgspec.Struct, frozen=True):
    """Names and what each stands for, in the order in which they are tried.

    Attributes
    ----------
    texts : StringBuffer
        With small ASCII letters; of those with one beginning the longer comes first.
    values : int32 array
        The month; or, as bits, the days of the week.
    """

    texts: StringBuffer
    values: NDArray[np.int32]


class Program(msgspec.Struct, frozen=True):
    """How one pattern is read.

    Attributes
    ----------
    kind : {"date", "datetime", "time", "duration"}
    ops : tuple of (int, int)
        Operations with their argument.
    """

    kind: str
    ops: tuple[tuple[int, int], ...]


def names_of(table: dict[str, int]) -> Names:
    """Put names in the order in which they are tried.

    >>> names_of({"may": 5, "march": 3, "mar": 3}).texts.strings()
    ['march', 'mar', 'may']
    """
    ordered = sorted(table, key=lambda name: (name.encode()[0], -len(name.encode()), name))
    return Names(pack(ordered), np.array([table[name] for name in ordered], np.int32))


class Field(msgspec.Struct, frozen=True):
    """A column ready to be joined: its texts, codes where they repeat, and where cells are missing."""

    texts: StringBuffer
    codes: NDArray[np.int32] | None
    missing: NDArray[np.uint8] | None


class DateLayout(msgspec.Struct, frozen=True):
    """How a date is written: its order (letters y, m, d), the mark between, whether parts have two digits."""

    order: str
    mark: str
    padded_month: bool
    padded_day: bool


ISO_LAYOUT = DateLayout("ymd", "-", padded_month=True, padded_day=True)

# Beside `IS_KNOWN`, as bits.
OUTER_SPACES, INNER_SPACES, DIGITS_ONLY, ZERO_AHEAD = 8, 16, 32, 64
EVERYTHING = 2**62

# Bytes of text: a piece of a file, or part of one.
Data = bytes | memoryview
Rows = NDArray[np.int64]


class Dialect(msgspec.Struct, frozen=True):
    """How records and fields are parted; see `comb.kernels.reference.splitting`."""

    delimiter: str
    quote: str | None
    escape: str


class NumberForm(msgspec.Struct, frozen=True):
    """How numbers are written: kind of number, digits after the mark, the mark."""

    kind: str
    scale: int
    mark: str


DateOrders = tuple[tuple[str, str], ...]


class MomentForm(msgspec.Struct, frozen=True):
    """How dates, datetimes, times or durations are written: the first program that fits reads them.

    Attributes
    ----------
    programs : tuple of (str, int32 array)
        See `Program`.
    word : str
        The type.
    months, weekdays : Names
    """

    programs: tuple[tuple[str, NDArray[np.int32]], ...]
    word: str
    months: Names
    weekdays: Names


CellForm = NumberForm | DateOrders | MomentForm

# How each type of moment is stored.
MOMENTS = {
    "date": "datetime64[D]", "datetime": "datetime64[us]", "time": "timedelta64[us]", "duration": "timedelta64[us]"
}  # fmt: skip


NOTHING_ASIDE = np.zeros(0, np.uint8)


class OffsetCells(NamedTuple):
    """Cells by where they begin and end in bytes.

    Attributes
    ----------
    data : bytes or uint8 array
    side : uint8 array
        Cells whose text differs from the bytes of the source, for instance by doubled quotes; offsets beyond the
        end of `data` point here.
    begins, ends : int array
    """

    data: Any
    side: NDArray[np.uint8]
    begins: NDArray[np.integer]
    ends: NDArray[np.integer]

    def text(self, cell: int) -> str:
        """Return one cell of those in `data`."""
        return str(self.data[self.begins[cell] : self.ends[cell]], "utf-8")

    def take(self, cells: NDArray[np.integer]) -> "OffsetCells":
        """Return some of the cells."""
        return self._replace(begins=self.begins[cells], ends=self.ends[cells])

    def take_ascending(self, cells: NDArray[np.integer]) -> "OffsetCells":
        """Return some of the cells, given in ascending order; all of them without a copy."""
        return self if len(cells) == len(self.begins) else self.take(cells)


def cells_of(texts: StringBuffer) -> OffsetCells:
    """Return texts end to end as cells."""
    return OffsetCells(texts.buffer, NOTHING_ASIDE, texts.offsets[:-1], texts.offsets[1:])


# What a cell in JSON holds.
JSON_KINDS = ("absent", "null", "false", "true", "integer", "float", "string", "escaped", "nested", "not finite")


class JsonCells(msgspec.Struct, frozen=True):
    """The cells of records in JSON: those of a whole text, or those in the lists under one key.

    Attributes
    ----------
    key : bytes
        The key, dotted; empty for those of the whole text.
    above : int
        The place of the table whose records have these inside, in the list of tables; -1 for the first one.
    parents : int32 array
        The row each one is in, from 0; empty for those of the whole text.
    rows : int
    names : list of bytes
        Of the columns, dotted.
    columns : list of (begins, ends, kinds)
        The kinds are places in `JSON_KINDS`; strings are without their quotes.
    filled : list of bool
        Whether a column has anything but nulls and empty lists.
    """

    key: bytes
    above: int
    parents: NDArray[np.int32]
    rows: int
    names: list[bytes]
    columns: list[tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.uint8]]]
    filled: list[bool]


class JsonRecords(msgspec.Struct, frozen=True):
    """Records in JSON, and those in lists inside them.

    Attributes
    ----------
    data : bytes or memoryview
    tables : list of JsonCells
        That of all records first; each behind the one above it.
    lines : int32 array
        The line of each record, from 1; the number of each where they are in a list.
    bad : list of (int, int, int)
        Lines that are no record: number, and where each begins and ends.
    """

    data: Data
    tables: list[JsonCells]
    lines: NDArray[np.int32]
    bad: list[tuple[int, int, int]]


class JsonList(msgspec.Struct, frozen=True):
    """A list of records in a JSON document.

    Attributes
    ----------
    keys : tuple of bytes
        The keys that lead to it, as they are written.
    begin, end : int
        Where its brackets are: that of the first, and behind the last.
    cuts : int64 array
        Where its pieces begin, but for the first.
    """

    keys: tuple[bytes, ...]
    begin: int
    end: int
    cuts: NDArray[np.int64]


class SheetCells(msgspec.Struct, frozen=True):
    """The cells in the XML of a sheet.

    Attributes
    ----------
    rows, columns : int32 array
    kinds : uint8 array
        What the sheet says of the value: the place in `SHEET_KINDS`.
    styles : uint16 array
    held : bool array
        Whether a cell has a value.
    numbers : float64 array
        Of numbers, shared texts and booleans.
    text_at, codes : int64 array
        The cells with a text of their own, and which of `texts` each has.
    texts : list of str
    formulas : list of (int, bytes, bytes)
        The cells with a formula, its attributes, and the formula.
    hidden : list of int
        Rows that are hidden.
    """

    rows: NDArray[np.int32]
    columns: NDArray[np.int32]
    kinds: NDArray[np.uint8]
    styles: NDArray[np.uint16]
    held: NDArray[np.bool_]
    numbers: NDArray[np.float64]
    text_at: NDArray[np.int64]
    codes: NDArray[np.integer]
    texts: list[str]
    formulas: list[tuple[int, bytes, bytes]]
    hidden: list[int]


SHEET_KINDS = ("number", "shared", "boolean", "error", "text")
SHARED = SHEET_KINDS.index("shared")
