"""A block: the records of a chunk of text, and its columns as texts or as values.

There are two kinds. `comb.kernels.reference.row_block.RowBlock` keeps rows as lists of strings and gives texts
only. `comb.kernels.compiled.offset_block.OffsetBlock` keeps the offsets of the cells in the bytes it was made from,
and reads values from them without making a string.

A block is asked for one column after the other, and lives only as long as its chunk is worked on. So that nothing
has to be copied afterwards, the caller may say where the result goes: an `OutputSlice` (values and status of one
column), a `CodeOutput` (codes of texts, with the distinct texts that earlier chunks have seen) or a `BatchOutput`
(several columns of numbers). These are slices of the arrays in which the whole column grows; see `comb.chunks`. An
output that is too short is not given at all, and the block makes arrays of its own.

A column of numbers is read on the quick way first. Cells that it does not read (words for missing, numbers with
more digits than fit, anything else) are `NON_CANONICAL` and looked at a second time; where there are too many of
them, the column is better taken as text, and the block says so by returning None.
"""

from collections.abc import Sequence
from typing import Any, Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.kernels.string_buffer import StringBuffer
from comb.kernels.types import CellForm, NumberForm, Records, Rows, Tally, Words

# Above this share of distinct texts, codes cost more than they save.
MOST_DISTINCT_SHARE = 0.4
Status = NDArray[np.uint8]


# Chunks differ a little in how many rows they have.
SCRATCH_MARGIN = 1.1


class Values(msgspec.Struct, frozen=True):
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
    kept: StringBuffer


# Where the values and the status of cells go.
OutputSlice = tuple[NDArray[Any], Status]


class CodeOutput(msgspec.Struct, frozen=True):
    """Where codes of texts go, None for a new array; and distinct texts that were seen before, None for none."""

    codes: NDArray[np.int32] | None
    known: StringBuffer | None


class BatchOutput(msgspec.Struct, frozen=True):
    """Where those of several columns of numbers go: arrays for each, numbers as their bits, and the first row there."""

    arrays: list[OutputSlice]
    start: int


class NumberBatch(msgspec.Struct, frozen=True):
    """Several columns read as numbers.

    Attributes
    ----------
    values, status : list of arrays
        For each column; numbers as the bits of floats.
    tally : int64 array
        A row for each column.
    kept : dict of int to (int64 array, StringBuffer)
        By place among the columns: the cells that are `MISFIT` or `MARKED`, and their texts.
    left : list of int
        The places of columns that are better taken as text.
    output : BatchOutput or None
        Where the values were put.
    """

    values: list[NDArray[np.int64]]
    status: list[Status]
    tally: NDArray[np.int64]
    kept: dict[int, tuple[Rows, StringBuffer]]
    left: list[int]
    output: BatchOutput | None


class Block(Protocol):
    """The records of a chunk of text.

    Attributes
    ----------
    lines : int array
        The line on which each row begins, from 0 at the beginning of the chunk.
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
    reads_numbers : bool
        Whether cells are read as numbers and dates without making texts of them.
    """

    lines: NDArray[np.integer]
    line_ends: int
    after: int
    blank: list[int]
    stray: list[int]
    unclosed: list[int]
    short: dict[int, int]
    surplus: dict[int, list[str]]
    reads_numbers: bool

    def __len__(self) -> int:
        """Return how many rows there are."""

    def row(self, at: int) -> list[str]:
        """Return the fields of one row."""

    def begin_with(self, text: str) -> list[int]:
        """Return the rows whose first field is a text."""

    def empty_rows(self, quote: str | None) -> list[int]:
        """Return the rows of delimiters only: every field is empty, and the first is not enclosed in quotes."""

    def without(self, rows: Sequence[int]) -> "Block":
        """Return the block without some rows."""

    def records(self) -> Records:
        """Return all fields as strings."""

    def text(self, column: int, output: CodeOutput | None = None) -> tuple[StringBuffer, NDArray[Any] | None]:
        """Return a column as texts, with codes where they repeat; texts that are known keep their codes."""

    def values(self, column: int, form: CellForm, words: Words, output: OutputSlice | None = None) -> Values | None:
        """Return a column as numbers or dates; None where texts are the better way."""

    def number_columns(
        self, columns: NDArray[np.int64], forms: Sequence[NumberForm], words: Words, output: BatchOutput | None
    ) -> NumberBatch:
        """Return several columns of numbers; only of blocks that read numbers.

        Parameters
        ----------
        columns : int64 array
        forms : sequence of NumberForm
            One for each column.
        words : Words
        output : BatchOutput or None
            Where values and status go; None for new arrays.
        """

    def tally(self, column: int, words: Words) -> Tally:
        """Count what the cells of a column could be."""


class Scratch:
    """Memory for what is needed of one chunk, used again for the next: to ask the system each time takes longer."""

    __slots__ = ("_arrays",)

    def __init__(self) -> None:
        self._arrays: dict[str, NDArray[Any]] = {}

    def array(self, name: str, size: int, dtype: Any) -> NDArray[Any]:
        """Return an array of a size, with whatever is in it."""
        array = self._arrays.get(name)
        if array is None or len(array) < size:
            array = self._arrays[name] = np.empty(int(size * SCRATCH_MARGIN), dtype)
        return array[:size]
