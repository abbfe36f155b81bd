"""A block: the records of a run of text, and its columns as texts or as values.

There are two kinds. `ListBlock` is the reference: lists of strings, split by
`comb.kernels.structure`; it gives texts only. `PlaceBlock` keeps the places of the cells in the bytes
it was made from, and reads values from them without making a string.
"""

from collections.abc import Sequence
from functools import lru_cache
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from comb.kernels import tally as counting
from comb.kernels.coding import encode
from comb.kernels.moments import Names
from comb.kernels.packed import Packed, joined, pack
from comb.kernels.parsing import BLANK, FITS, MARKED, MISFIT
from comb.kernels.structure import LINE_END_BYTES, Records, split_records
from comb.kernels.tally import IS_BLANK, Kinds, Tally, Words

# Above this share of distinct texts, codes cost more than they save.
MOST_DISTINCT_SHARE = 0.4

# With a larger share of cells that the quick way does not read, a column is better taken as text.
MOST_UNUSUAL_SHARE = 0.25

# What the compiled readers say of a cell beside `FITS`, `BLANK` and `MISFIT`.
UNUSUAL, UNDECIDED = 4, 5

EVERYTHING = 2**62

# Runs differ a little in how many rows they have.
SCRATCH_MARGIN = 1.1

# Bytes of text: a piece of a file, or part of one.
Data = bytes | memoryview

Rows = NDArray[np.int64]
Status = NDArray[np.uint8]


class Dialect(NamedTuple):
    """How records and fields are parted; see `comb.kernels.structure`."""

    delimiter: str
    quote: str | None
    escape: str


class Values(NamedTuple):
    """Cells read as one type.

    Attributes
    ----------
    values : array
    status : uint8 array
        `FITS`, `BLANK`, `MISFIT` or `MARKED`.
    tally : int64 array
        What the cells could be.
    kept_at, kept
        The cells that are `MISFIT` or `MARKED`, and their texts.
    """

    values: NDArray[Any]
    status: Status
    tally: Tally
    kept_at: Rows
    kept: Packed


class NumberForm(NamedTuple):
    """How numbers are written: kind of number, digits after the mark, the mark."""

    kind: str
    scale: int
    mark: str


DateOrders = tuple[tuple[str, str], ...]


class MomentForm(NamedTuple):
    """How dates, datetimes, times or durations are written: the first program that fits reads them.

    Attributes
    ----------
    programs : tuple of (str, int32 array)
        See `comb.kernels.moments.Program`.
    word : str
        The type.
    months, weekdays : Names
    """

    programs: tuple[tuple[str, NDArray[np.int32]], ...]
    word: str
    months: Names
    weekdays: Names


CellForm = NumberForm | DateOrders | MomentForm

# Where the values and the status of cells go.
Room = tuple[NDArray[Any], Status]


class TextRoom(NamedTuple):
    """Where codes of texts go, None for a new array; and distinct texts that were seen before, None for none."""

    codes: NDArray[np.int32] | None
    known: Packed | None


class Rooms(NamedTuple):
    """Where those of several columns of numbers go: arrays for each, numbers as their bits, and the first row there."""

    arrays: list[Room]
    start: int


class Several(NamedTuple):
    """Several columns read as numbers.

    Attributes
    ----------
    values, status : list of arrays
        For each column; numbers as the bits of floats.
    tally : int64 array
        A row for each column.
    kept : dict of int to (int64 array, Packed)
        By place among the columns: the cells that are `MISFIT` or `MARKED`, and their texts.
    left : list of int
        The places of columns that are better taken as text.
    rooms : Rooms or None
        Where the values were put.
    """

    values: list[NDArray[np.int64]]
    status: list[Status]
    tally: NDArray[np.int64]
    kept: dict[int, tuple[Rows, Packed]]
    left: list[int]
    rooms: Rooms | None


# How each type of moment is stored.
MOMENTS = {
    "date": "datetime64[D]", "datetime": "datetime64[us]", "time": "timedelta64[us]", "duration": "timedelta64[us]"
}  # fmt: skip


class Block(Protocol):
    """The records of a run of text.

    Attributes
    ----------
    lines : int array
        The line on which each row begins, from 0 at the beginning of the run.
    line_ends : int
        Lines that were passed.
    after : int
        The byte at which the next record begins.
    blank, stray, unclosed : list of int
        The lines that are blank, with a quote inside a field, and with one that never closes.
    short : dict of int to int
        Rows with fewer fields than asked for, and how many they have.
    surplus : dict of int to list of str
        Rows with more, and the fields beyond.
    """

    lines: NDArray[np.integer]
    line_ends: int
    after: int
    blank: list[int]
    stray: list[int]
    unclosed: list[int]
    short: dict[int, int]
    surplus: dict[int, list[str]]

    def __len__(self) -> int:
        """Return how many rows there are."""

    def row(self, at: int) -> list[str]:
        """Return the fields of one row."""

    def begin_with(self, text: str) -> list[int]:
        """Return the rows whose first field is a text."""

    def without(self, rows: Sequence[int]) -> "Block":
        """Return the block without some rows."""

    def records(self) -> Records:
        """Return all fields as strings."""

    def text(self, column: int, room: TextRoom | None = None) -> tuple[Packed, NDArray[Any] | None]:
        """Return a column as texts, with codes where they repeat; texts that are known keep their codes."""

    def values(self, column: int, form: CellForm, words: Words, room: Room | None = None) -> Values | None:
        """Return a column as numbers or dates; None where texts are the better way."""

    def tally(self, column: int, words: Words) -> Tally:
        """Count what the cells of a column could be."""


class ListBlock:
    """The reference; see `Block`."""

    def __init__(self, data: bytes, dialect: Dialect, width: int, *, single: bool, most: int) -> None:
        found = split_records(data.decode(), dialect.delimiter, dialect.quote, escape=dialect.escape)
        kept = [at for at, row in enumerate(found.fields) if single or row != [""]][:most]
        self._width = width
        self._rows = [found.fields[at] for at in kept]
        self.lines: NDArray[np.integer] = np.array([found.lines[at] - 1 for at in kept], np.int64)
        stop = len(found.fields) if len(kept) < most else kept[-1] + 1 if kept else 0
        whole = stop == len(found.fields)
        ends = [match.end() for match in LINE_END_BYTES.finditer(data)]
        self.line_ends = len(ends) if whole else found.lines[stop] - 1
        self.after = len(data) if whole else ends[self.line_ends - 1] if self.line_ends else 0
        self.blank = [] if single else [found.lines[at] - 1 for at in range(stop) if found.fields[at] == [""]]
        self.stray = [line - 1 for line in found.stray if line <= self.line_ends or whole]
        self.unclosed = [line - 1 for line in found.unclosed if line <= self.line_ends or whole]
        self._set_irregular()

    def _set_irregular(self) -> None:
        width = self._width
        self.short = {at: len(row) for at, row in enumerate(self._rows) if len(row) < width}
        self.surplus = {at: row[width:] for at, row in enumerate(self._rows) if len(row) > width}

    def __len__(self) -> int:
        return len(self._rows)

    def row(self, at: int) -> list[str]:
        """Return the fields of one row."""
        return self._rows[at]

    def begin_with(self, text: str) -> list[int]:
        """Return the rows whose first field is a text."""
        return [at for at, row in enumerate(self._rows) if row[0] == text]

    def without(self, rows: Sequence[int]) -> "ListBlock":
        """Return the block without some rows."""
        gone = set(rows)
        kept = [at for at in range(len(self)) if at not in gone]
        self._rows = [self._rows[at] for at in kept]
        self.lines = self.lines[kept]
        self._set_irregular()
        return self

    def records(self) -> Records:
        """Return all fields as strings."""
        lines = (self.lines + 1).tolist()
        return Records(self._rows, lines, [line + 1 for line in self.stray], [line + 1 for line in self.unclosed])

    def text(self, column: int, room: TextRoom | None = None) -> tuple[Packed, NDArray[Any] | None]:
        """Return a column as texts, with codes where they repeat."""
        texts = [row[column] if column < len(row) else "" for row in self._rows]
        words, codes = encode(texts)
        return (pack(texts), None) if len(words) > MOST_DISTINCT_SHARE * len(texts) else (pack(words), codes)

    def values(self, column: int, form: CellForm, words: Words, room: Room | None = None) -> Values | None:
        """Leave it at texts, which the reference reads when the type is known."""
        return None

    def tally(self, column: int, words: Words) -> Tally:
        """Count what the cells of a column could be."""
        return counting.tally([row[column] if column < len(row) else "" for row in self._rows], None, words)[0]


class Cells(NamedTuple):
    """Cells by their places; those beyond the end of `data` stand in `side`."""

    data: Any
    side: NDArray[np.uint8]
    begins: NDArray[np.integer]
    ends: NDArray[np.integer]

    def take(self, rows: Rows) -> "Cells":
        """Return some of the cells."""
        return self._replace(begins=self.begins[rows], ends=self.ends[rows])


class Scratch:
    """Memory for what is needed of one run only, used again for the next: to ask the system each time takes longer."""

    __slots__ = ("_arrays",)

    def __init__(self) -> None:
        self._arrays: dict[str, NDArray[Any]] = {}

    def array(self, name: str, size: int, dtype: Any) -> NDArray[Any]:
        """Return an array of a size, with whatever is in it."""
        array = self._arrays.get(name)
        if array is None or len(array) < size:
            array = self._arrays[name] = np.empty(int(size * SCRATCH_MARGIN), dtype)
        return array[:size]


NO_TEXTS = pack([])
NOTHING_ASIDE = np.zeros(0, np.uint8)


def cells_of(texts: Packed) -> Cells:
    """Return texts end to end as cells."""
    return Cells(texts.buffer, NOTHING_ASIDE, texts.offsets[:-1], texts.offsets[1:])


class PlaceBlock:
    """Places in bytes; see `Block`.

    Parameters
    ----------
    cells : module
        The compiled readers.
    data : bytes or memoryview
    found : object
        What the compiled `split` found.
    """

    def __init__(self, cells: Any, data: Data, found: Any) -> None:
        self._cells = cells
        self._data = data
        self._side = found.side
        self._begins, self._ends = found.begins, found.ends
        self.lines = found.lines
        self.line_ends, self.after = found.line_ends, found.after
        self.blank, self.stray, self.unclosed = found.blank, found.stray, found.unclosed
        self.short = dict(found.short)
        self.surplus: dict[int, list[str]] = {}
        for row, begin, end in found.surplus:
            self.surplus.setdefault(row, []).append(self._string(begin, end))

    def _string(self, begin: int, end: int) -> str:
        size = len(self._data)
        if begin >= size:
            return str(self._side[begin - size : end - size].tobytes(), "utf-8")
        return str(self._data[begin:end], "utf-8")

    def __len__(self) -> int:
        return len(self.lines)

    def row(self, at: int) -> list[str]:
        """Return the fields of one row."""
        width = self.short.get(at, len(self._begins))
        places = zip(self._begins[:width, at].tolist(), self._ends[:width, at].tolist(), strict=True)
        return [self._string(begin, end) for begin, end in places] + self.surplus.get(at, [])

    def records(self) -> Records:
        """Return all fields as strings."""
        rows = zip(self._begins.T.tolist(), self._ends.T.tolist(), strict=True)
        text = str(self._data, "utf-8")
        if text.isascii() and not len(self._side):
            fields = [[text[begin:end] for begin, end in zip(*places, strict=True)] for places in rows]
        else:
            fields = [[self._string(begin, end) for begin, end in zip(*places, strict=True)] for places in rows]
        for row, width in self.short.items():
            del fields[row][width:]
        for row, cells in self.surplus.items():
            fields[row] += cells
        lines = (self.lines + 1).tolist()
        return Records(fields, lines, [line + 1 for line in self.stray], [line + 1 for line in self.unclosed])

    def begin_with(self, text: str) -> list[int]:
        """Return the rows whose first field is a text."""
        wanted = len(text.encode())
        sized = np.flatnonzero(self._ends[0] - self._begins[0] == wanted)
        first = self._data[:1] if not wanted else text.encode()[:1]
        array = np.frombuffer(self._data, np.uint8)
        begins = self._begins[0][sized]
        if wanted:
            inside = begins < len(array)
            sized = sized[~inside | (array[np.minimum(begins, len(array) - 1)] == first[0])]
        return [at for at in sized.tolist() if self._string(int(self._begins[0, at]), int(self._ends[0, at])) == text]

    def without(self, rows: Sequence[int]) -> "PlaceBlock":
        """Return the block without some rows."""
        kept = np.ones(len(self), np.bool_)
        kept[list(rows)] = False
        places = np.cumsum(kept) - 1
        self._begins, self._ends = (np.compress(kept, part, axis=1) for part in (self._begins, self._ends))
        self.lines = self.lines[kept]
        self.short = {int(places[at]): width for at, width in self.short.items() if kept[at]}
        self.surplus = {int(places[at]): cells for at, cells in self.surplus.items() if kept[at]}
        return self

    def _column(self, column: int) -> Cells:
        if self._begins.strides[0] < self._begins.strides[1]:
            self._begins, self._ends = self._cells.turned(self._begins), self._cells.turned(self._ends)
        return Cells(self._data, self._side, self._begins[column], self._ends[column])

    def text(self, column: int, room: TextRoom | None = None) -> tuple[Packed, NDArray[Any] | None]:
        """Return a column as texts, with codes where they repeat; texts that are known keep their codes."""
        cells = self._column(column)
        places, known = (None, None) if room is None else room
        first, codes = self._cells.encode(*cells, MOST_DISTINCT_SHARE, -1, places, known)
        if first is None:
            return Packed(*self._cells.gather(*cells)), None
        if known is not None and not len(first):
            return known, codes
        found = Packed(*self._cells.gather(*cells.take(first)))
        return found if known is None else joined([known, found]), codes

    def values(self, column: int, form: CellForm, words: Words, room: Room | None = None) -> Values | None:
        """Return a column as numbers or dates; None where texts are the better way."""
        cells = self._column(column)
        values, status, tally = read_cells(self._cells, cells, form, words, room)
        kept = self._settled(cells, values, status, tally, form, words)
        return None if kept is None else Values(values, status, tally, *kept)

    def _settled(
        self, cells: Cells, values: NDArray[Any], status: Status, tally: Tally, form: CellForm, words: Words
    ) -> tuple[Rows, Packed] | None:
        """Look a second time at cells that are not written as usual; returns the cells whose texts are kept."""
        unusual = np.flatnonzero(status >= MARKED)
        if not len(unusual):
            return unusual, NO_TEXTS
        if len(unusual) > MOST_UNUSUAL_SHARE * len(self):
            return None
        texts = cells.take(unusual)
        further, kinds = count_cells(self._cells, texts, None, words)
        tally += further
        states = decided(status[unusual], kinds)
        self._settle(values, states, unusual, texts, form)
        status[unusual] = states
        kept = np.flatnonzero(states >= MARKED)
        return unusual[kept], Packed(*self._cells.gather(*texts.take(kept)))

    def tally(self, column: int, words: Words) -> Tally:
        """Count what the cells of a column could be."""
        return count_cells(self._cells, self._column(column), None, words)[0]

    def several(
        self, columns: NDArray[np.int64], forms: Sequence[NumberForm], words: Words, rooms: Rooms | None
    ) -> Several:
        """Return several columns of numbers.

        Parameters
        ----------
        columns : int64 array
        forms : sequence of NumberForm
        words : Words
        rooms : Rooms or None
            Where values and status go; None for new arrays.
        """
        marked = [(form.kind, form.scale, ord(form.mark)) for form in forms]
        given = _packed_words(words)[0]
        arrays, start = (None, 0) if rooms is None else rooms
        values, status, tally, unusual = self._cells.read_number_columns(
            self._data, self._side, self._begins, self._ends, columns, marked, given, arrays, start
        )
        found = Several(values, status, tally, {}, [], rooms)
        for at in np.flatnonzero(unusual).tolist():
            column = int(columns[at])
            cells = Cells(self._data, self._side, self._begins[column], self._ends[column])
            typed = values[at].view(np.float64) if forms[at].kind == "number" else values[at]
            kept = self._settled(cells, typed, status[at], tally[at], forms[at], words)
            if kept is None:
                found.left.append(at)
            elif len(kept[0]):
                found.kept[at] = kept
        return found

    def _settle(self, values: NDArray[Any], states: Status, unusual: Rows, texts: Cells, form: Any) -> None:
        at = np.flatnonzero(states == UNDECIDED)
        if len(at):
            settle(values, states, unusual[at], at, Packed(*self._cells.gather(*texts.take(at))), form.mark)


@lru_cache(maxsize=64)
def _packed_words(words: Words) -> tuple[Packed, ...]:
    return tuple(pack(part) for part in words)


def read_cells(
    kernel: Any, cells: Cells, form: CellForm, words: Words, room: Room | None = None
) -> tuple[Any, Status, Tally]:
    """Read cells by the compiled readers; words given for missing are left out."""
    given = _packed_words(words)[0]
    if isinstance(form, MomentForm):
        values, status, tally = kernel.read_moments(
            *cells, form.programs, (*form.months.texts, form.months.values),
            (*form.weekdays.texts, form.weekdays.values), given,
        )  # fmt: skip
        return values.view(MOMENTS[form.word]), status, tally
    if isinstance(form, NumberForm):
        values, status, tally = kernel.read_numbers(*cells, form.kind, form.scale, ord(form.mark), given)
        return values, status, tally
    as_bits = None if room is None else (room[0].view(np.int64), room[1])
    values, status, tally = kernel.read_dates(*cells, form, given, as_bits)
    return values.view("datetime64[D]"), status, tally


def count_cells(kernel: Any, cells: Cells, counts: NDArray[np.int64] | None, words: Words) -> tuple[Tally, Kinds]:
    """Count what cells could be, by the compiled counter."""
    weights = np.zeros(0, np.int64) if counts is None else counts
    tally, kinds = kernel.tally(*cells, weights, _packed_words(words))
    return tally, kinds


def decided(status: Status, kinds: Kinds) -> Status:
    """Return the status of cells that were looked at a second time; undecided ones stay so."""
    result = np.where(status == UNUSUAL, np.uint8(FITS), status)
    result[(kinds & IS_BLANK) != 0] = BLANK
    result[(kinds & (counting.IS_GIVEN | counting.IS_KNOWN)) != 0] = MARKED
    return result


def settle(values: NDArray[Any], states: Status, cells: Rows, at: Rows, texts: Packed, mark: str) -> None:
    """Let Python's own `float` read the numbers that the compiled reader left to it."""
    for cell, place, text in zip(cells.tolist(), at.tolist(), texts.strings(), strict=True):
        value = float(text.strip().replace(mark, ".", 1))
        overflows = abs(value) == float("inf")
        states[place] = MISFIT if overflows else FITS
        values[cell] = 0.0 if overflows else value
