"""The compiled block: the offsets of cells in the bytes they were read from.

The splitter finds where each field begins and ends. Fields with doubled quotes or escapes are written anew, without
them, into a side buffer; their offsets lie beyond the end of the data. So a cell is two numbers, whatever was in
it, and is read from the bytes without a Python object. Offsets come column by column, or in wide tables row by row,
as they are found; they are turned when a single column is asked for.

Reading is done in two passes. The quick reader handles what is written as most cells are and gives all others a
status beyond the known ones: `NON_CANONICAL` (a value that was read, but is not written as usual, so that it has to
be counted with care) and `UNDECIDED` (a number with more digits than can be decided without arithmetic of any
length, which Python's own `float` reads). The second pass looks at these only: it counts what they could be, tells
words for missing and blanks, and decides. If more than a quarter of a column is like that, the column is better
taken as text.
"""

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.kernels.blocks import MOST_DISTINCT_SHARE, BatchOutput, CodeOutput, NumberBatch, OutputSlice, Status, Values
from comb.kernels.compiled import _cells, _moments, _split
from comb.kernels.scalars import is_lost
from comb.kernels.string_buffer import StringBuffer, joined, pack
from comb.kernels.types import (
    BLANK,
    FITS,
    IS_BLANK,
    IS_GIVEN,
    IS_KNOWN,
    MARKED,
    MISFIT,
    MOMENTS,
    CellForm,
    Data,
    Kinds,
    MomentForm,
    NumberForm,
    OffsetCells,
    Records,
    Rows,
    Tally,
    Words,
)

# With a larger share of cells that the quick way does not read, a column is better taken as text.
MOST_NON_CANONICAL_SHARE = 0.25

# What the compiled readers say of a cell beside `FITS`, `BLANK` and `MISFIT`.
NON_CANONICAL, UNDECIDED = 4, 5


NO_TEXTS = pack([])


class OffsetBlock:
    """Offsets in bytes; see `comb.kernels.blocks.Block`.

    Parameters
    ----------
    data : bytes or memoryview
    found : Found
        What the compiled `split` found.
    """

    reads_numbers = True

    def __init__(self, data: Data, found: "_split.Found") -> None:
        self._data = data
        self._side = found.side
        self._begins, self._ends = found.begins, found.ends
        self.lines: NDArray[np.integer] = found.lines
        self.line_ends, self.after = found.line_ends, found.after
        self.blank, self.stray, self.unclosed = found.blank, found.stray, found.unclosed
        self.short = dict(found.short)
        self.surplus: dict[int, list[str]] = {}
        # Fields beyond the width have no column of offsets; they come one by one, and are rare.
        for row, begin, end in found.surplus:
            self.surplus.setdefault(row, []).append(self._string(begin, end))

    def _string(self, begin: int, end: int) -> str:
        size = len(self._data)
        # Beyond the data is the side buffer, where fields with escapes were written anew.
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
        data = bytes(self._data) + self._side.tobytes() if len(self._side) else self._data
        # No further than the last field: often only the first records of a long text are asked for.
        data = data[: int(self._ends.max(initial=0))]
        text = str(data, "utf-8")
        begins: NDArray[np.integer] = self._begins.T.ravel()
        ends: NDArray[np.integer] = self._ends.T.ravel()
        # Slices of one text are much quicker than texts made one by one; where characters take more than a byte,
        # places in bytes become places in the text.
        if len(text) < len(data):
            places = np.zeros(len(data) + 1, np.int64)
            np.cumsum((np.frombuffer(data, np.uint8) & 0xC0) != 0x80, out=places[1:])
            begins, ends = places[begins], places[ends]
        cells = [text[begin:end] for begin, end in zip(begins.tolist(), ends.tolist(), strict=True)]
        width = len(self._begins)
        fields = [cells[at : at + width] for at in range(0, len(cells), width)]
        for row, width in self.short.items():
            del fields[row][width:]
        for row, cells in self.surplus.items():
            fields[row] += cells
        lines = (self.lines + 1).tolist()
        return Records(fields, lines, [line + 1 for line in self.stray], [line + 1 for line in self.unclosed])

    def begin_with(self, text: str) -> list[int]:
        """Return the rows whose first field is a text."""
        # By length, then by first byte: hardly a row is left for which a string is made.
        wanted = len(text.encode())
        sized = np.flatnonzero(self._ends[0] - self._begins[0] == wanted)
        first = self._data[:1] if not wanted else text.encode()[:1]
        array = np.frombuffer(self._data, np.uint8)
        begins = self._begins[0][sized]
        if wanted:
            inside = begins < len(array)
            sized = sized[~inside | (array[np.minimum(begins, len(array) - 1)] == first[0])]
        return [at for at in sized.tolist() if self._string(int(self._begins[0, at]), int(self._ends[0, at])) == text]

    def empty_rows(self, quote: str | None) -> list[int]:
        """Return the rows of delimiters only: every field is empty, and the first is not enclosed in quotes."""
        rows = np.flatnonzero(self._begins[0] == self._ends[0])
        for begins, ends in zip(self._begins[1:], self._ends[1:], strict=True):
            if not len(rows):
                break
            rows = rows[begins[rows] == ends[rows]]
        empty = [at for at in rows.tolist() if not any(self.surplus.get(at, ()))]
        return [at for at in empty if not quote or not self._is_quoted(int(self._begins[0, at]), quote)]

    def _is_quoted(self, begin: int, quote: str) -> bool:
        mark = quote.encode()
        return bytes(self._data[max(0, begin - len(mark)) : begin]) == mark

    def without(self, rows: Sequence[int]) -> "OffsetBlock":
        """Return the block without some rows."""
        kept = np.ones(len(self), np.bool_)
        kept[list(rows)] = False
        # What is kept by row has to follow the rows.
        places = np.cumsum(kept) - 1
        self._begins, self._ends = (np.compress(kept, part, axis=1) for part in (self._begins, self._ends))
        self.lines = self.lines[kept]
        self.short = {int(places[at]): width for at, width in self.short.items() if kept[at]}
        self.surplus = {int(places[at]): cells for at, cells in self.surplus.items() if kept[at]}
        return self

    def _column(self, column: int) -> OffsetCells:
        # Row by row, as wide tables are found: turned once for all columns.
        if self._begins.strides[0] < self._begins.strides[1]:
            self._begins, self._ends = _cells.turned(self._begins), _cells.turned(self._ends)
        return OffsetCells(self._data, self._side, self._begins[column], self._ends[column])

    def text(self, column: int, output: CodeOutput | None = None) -> tuple[StringBuffer, NDArray[Any] | None]:
        """Return a column as texts, with codes where they repeat; texts that are known keep their codes."""
        cells = self._column(column)
        places, known = (None, None) if output is None else (output.codes, output.known)
        first, codes = _cells.encode(*cells, MOST_DISTINCT_SHARE, -1, places, known)
        # They hardly repeat: codes would be as many as texts.
        if first is None:
            return StringBuffer(*_cells.gather(*cells)), None
        # No text was new, and the buffer of the known ones is the answer itself: who compares sees that at once.
        if known is not None and not len(first):
            return known, codes
        found = StringBuffer(*_cells.gather(*cells.take(first)))
        return found if known is None else joined([known, found]), codes

    def values(self, column: int, form: CellForm, words: Words, output: OutputSlice | None = None) -> Values | None:
        """Return a column as numbers or dates; None where texts are the better way."""
        cells = self._column(column)
        values, status, tally = read_cells(cells, form, words, output)
        kept = self._settled(cells, values, status, tally, form, words)
        return None if kept is None else Values(values, status, tally, *kept)

    def _settled(
        self, cells: OffsetCells, values: NDArray[Any], status: Status, tally: Tally, form: CellForm, words: Words
    ) -> tuple[Rows, StringBuffer] | None:
        """Look a second time at cells that are not written as usual; returns the cells whose texts are kept."""
        unusual = np.flatnonzero(status >= MARKED)
        if not len(unusual):
            return unusual, NO_TEXTS
        if len(unusual) > MOST_NON_CANONICAL_SHARE * len(self):
            return None
        # Counted with care, and decided: from here on there are a few cells only.
        texts = cells.take(unusual)
        further, kinds = count_cells(texts, None, words)
        tally += further
        states = decided(status[unusual], kinds)
        self._resolve_floats(values, states, unusual, texts, form)
        status[unusual] = states
        kept = np.flatnonzero(states >= MARKED)
        return unusual[kept], StringBuffer(*_cells.gather(*texts.take(kept)))

    def tally(self, column: int, words: Words) -> Tally:
        """Count what the cells of a column could be."""
        return count_cells(self._column(column), None, words)[0]

    def number_columns(
        self, columns: NDArray[np.int64], forms: Sequence[NumberForm], words: Words, output: BatchOutput | None
    ) -> NumberBatch:
        """Return several columns of numbers.

        Parameters
        ----------
        columns : int64 array
        forms : sequence of NumberForm
        words : Words
        output : BatchOutput or None
            Where values and status go; None for new arrays.
        """
        marked = [(form.kind, form.scale, ord(form.mark)) for form in forms]
        given = _packed_words(words)[0]
        arrays, start = (None, 0) if output is None else (output.arrays, output.start)
        values, status, tally, unusual = _cells.read_number_columns(
            self._data, self._side, self._begins, self._ends, columns, marked, given, arrays, start
        )
        found = NumberBatch(values, status, tally, {}, [], output)
        # Columns in which every cell was read the quick way need no more.
        for at in np.flatnonzero(unusual).tolist():
            column = int(columns[at])
            cells = OffsetCells(self._data, self._side, self._begins[column], self._ends[column])
            typed = values[at].view(np.float64) if forms[at].kind == "number" else values[at]
            kept = self._settled(cells, typed, status[at], tally[at], forms[at], words)
            if kept is None:
                found.left.append(at)
            elif len(kept[0]):
                found.kept[at] = kept
        return found

    def _resolve_floats(
        self, values: NDArray[Any], states: Status, unusual: Rows, texts: OffsetCells, form: Any
    ) -> None:
        at = np.flatnonzero(states == UNDECIDED)
        if len(at):
            resolve_floats(values, states, unusual[at], at, StringBuffer(*_cells.gather(*texts.take(at))), form.mark)


@lru_cache(maxsize=64)
def _packed_words(words: Words) -> tuple[StringBuffer, ...]:
    return tuple(pack(part) for part in (words.given, words.known, words.counted))


def read_cells(
    cells: OffsetCells, form: CellForm, words: Words, output: OutputSlice | None = None
) -> tuple[Any, Status, Tally]:
    """Read cells by the compiled readers; words given for missing are left out."""
    given = _packed_words(words)[0]
    if isinstance(form, MomentForm):
        values, status, tally = _moments.read_moments(
            *cells, form.programs, (*form.months.texts, form.months.values),
            (*form.weekdays.texts, form.weekdays.values), given,
        )  # fmt: skip
        return values.view(MOMENTS[form.word]), status, tally
    if isinstance(form, NumberForm):
        values, status, tally = _cells.read_numbers(*cells, form.kind, form.scale, ord(form.mark), given)
        return values, status, tally
    as_bits = None if output is None else (output[0].view(np.int64), output[1])
    values, status, tally = _cells.read_dates(*cells, form, given, as_bits)
    return values.view("datetime64[D]"), status, tally


def count_cells(cells: OffsetCells, counts: NDArray[np.int64] | None, words: Words) -> tuple[Tally, Kinds]:
    """Count what cells could be, by the compiled counter."""
    weights = np.zeros(0, np.int64) if counts is None else counts
    tally, kinds = _cells.tally(*cells, weights, _packed_words(words))
    return tally, kinds


def decided(status: Status, kinds: Kinds) -> Status:
    """Return the status of cells that were looked at a second time; undecided ones stay so."""
    result = np.where(status == NON_CANONICAL, np.uint8(FITS), status)
    result[(kinds & IS_BLANK) != 0] = BLANK
    result[(kinds & (IS_GIVEN | IS_KNOWN)) != 0] = MARKED
    return result


def resolve_floats(values: NDArray[Any], states: Status, cells: Rows, at: Rows, texts: StringBuffer, mark: str) -> None:
    """Let Python's own `float` read the numbers that the compiled reader left to it."""
    for cell, place, text in zip(cells.tolist(), at.tolist(), texts.strings(), strict=True):
        value = float(text.strip().replace(mark, ".", 1))
        lost = is_lost(text, value)
        # More digits than a float keeps: the text is the value.
        states[place] = MISFIT if lost else FITS
        values[cell] = 0.0 if lost else value
