"""The one interface of kernels.

There are two implementations of it: `comb.kernels.reference.kernels.ReferenceKernels`, plain Python, slow and obviously
right, and `comb.kernels.compiled.kernels.CompiledKernels`. Both give the same results bit for bit; tests hold the one
against the other. `comb.kernels.dispatch` decides which is in use.

What a method takes and gives are the plain values of `comb.kernels.types`. Texts come and go as a `StringBuffer`.
The methods may be called by several threads at once, and nothing of what they are given is changed, but for `renumber`.
"""

from collections.abc import Sequence
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from comb.kernels.blocks import Block, Scratch
from comb.kernels.notation import Marks, PlainNumbers
from comb.kernels.string_buffer import StringBuffer
from comb.kernels.types import (
    EVERYTHING,
    CellForm,
    Data,
    DateLayout,
    Dialect,
    Field,
    JsonList,
    JsonRecords,
    Kinds,
    Numbered,
    OffsetCells,
    Parsed,
    Records,
    SheetCells,
    Tally,
    Words,
)


class Kernels(Protocol):
    """What every implementation does.

    Attributes
    ----------
    compiled : bool
        Whether they run without the interpreter's lock, so that threads are of use.
    """

    compiled: bool

    def splits_in_chunks(self, dialect: Dialect) -> bool:
        """Return whether text of a dialect is split chunk by chunk; else it has to be whole."""

    def split(
        self,
        data: Data,
        dialect: Dialect,
        width: int,
        *,
        single: bool,
        last: bool = True,
        most: int = EVERYTHING,
        scratch: Scratch | None = None,
    ) -> Block:
        """Find the records of a chunk of text.

        Parameters
        ----------
        data : bytes or memoryview
            UTF-8; begins with a record.
        dialect : Dialect
        width : int
            How many columns are wanted; fields beyond are surplus.
        single : bool
            Whether blank lines are rows.
        last : bool
            Whether the text ends here; else a last record that is not whole is left.
            Only dialects that split in chunks take chunks that are not the last.
        most : int
            Stop after this many rows.
        scratch : Scratch, optional
            Memory to use; the block is valid until it is used again.
        """

    def records(self, text: str, dialect: Dialect, most: int) -> Records:
        """Split the beginning of a text into fields, at most `most` records."""

    def check_text(self, data: Data) -> tuple[bool, int, int]:
        """Check bytes for being UTF-8.

        Returns
        -------
        valid, controls, characters
            Whether they are, how many are control characters that text does not have, and
            how many characters there are.
        """

    def as_utf8(self, data: Data, table: bytes) -> bytes | int:
        """Write the bytes of a single-byte encoding as UTF-8, or say where the first one is that it does not define.

        The table has four bytes for each: how many its character has, 0 for none, and these. ASCII is the same.
        """

    def count_byte(self, data: Data, wanted: int, stop: int) -> int:
        """Count a byte before an offset."""

    def tally(self, texts: StringBuffer, counts: NDArray[np.int64] | None, words: Words) -> tuple[Tally, Kinds]:
        """Count what texts could be; see `comb.kernels.reference.counting.tally`."""

    def encode(self, texts: StringBuffer) -> tuple[NDArray[np.int64], NDArray[Any]]:
        """Number texts in order of appearance.

        Returns
        -------
        first, codes
            The position of the first of each distinct text, and the number of each text.
        """

    def encode_known(self, texts: StringBuffer, known: int) -> NDArray[Any]:
        """Number the first texts in order of appearance; the others get the number of an equal one, or -1."""

    def count_codes(self, codes: NDArray[Any], size: int) -> NDArray[np.int64]:
        """Count how often each code occurs."""

    def number_values(
        self,
        values: NDArray[np.int64],
        bounds: tuple[int, int] | None = None,
        out: NDArray[np.int64] | None = None,
        *,
        each: bool = True,
    ) -> Numbered:
        """Number equal values equal, in order of appearance.

        Parameters
        ----------
        values : int64 array
        bounds : pair of int, optional
            All are from the first on and up to the second.
        out : int64 array, optional
            Becomes the numbers; may be the values themselves.
        each : bool
            Whether the number of each value is wanted; else that array is empty.
        """

    def exact_sums(
        self, values: NDArray[np.float64], codes: NDArray[np.int64] | None, groups: int
    ) -> NDArray[np.float64]:
        """Return the sum of each group, rounded once from what it exactly is: no order of the values changes a bit.

        Parameters
        ----------
        values : float64 array
            An infinity, or not-a-number, makes a sum that is not finite.
        codes : int64 array, optional
            The group of each value; None where all are in one.
        groups : int
        """

    def fingerprints(self, texts: StringBuffer) -> NDArray[np.uint64]:
        """Return for each text a number of 64 bits that is the same for equal texts.

        Of different texts it is the same by a rare chance: what follows from it has to be proven on the texts.
        """

    def same(self, left: StringBuffer, right: StringBuffer) -> NDArray[np.bool_]:
        """Return for each pair of texts whether they are the same; there are as many on both sides."""

    def look_up(self, table: NDArray[np.uint8], codes: NDArray[Any]) -> NDArray[np.uint8]:
        """Return for each code its entry in a table of small numbers."""

    def renumber(self, codes: NDArray[Any], numbers: NDArray[Any]) -> None:
        """Replace each code by another, in place."""

    def traits(self, texts: StringBuffer, known: Sequence[str]) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
        """Return what is to be noticed about texts; see `comb.kernels.reference.traits.traits`."""

    def take(self, texts: StringBuffer, positions: NDArray[Any]) -> StringBuffer:
        """Return the texts at the given positions, in that order."""

    def read(self, texts: StringBuffer, form: CellForm) -> Parsed:
        """Read texts as numbers, dates or moments: values and status."""

    def read_words(self, texts: StringBuffer, true_words: frozenset[str], false_words: frozenset[str]) -> Parsed:
        """Read words as true or false, whatever the case of their ASCII letters."""

    def plain_numbers(self, texts: StringBuffer, marks: Marks, unit: str) -> PlainNumbers:
        """Write numbers of one notation as plain ones; see `comb.kernels.reference.notation.plain_numbers`."""

    def take_json_records(self, data: Data, *, lines: bool) -> JsonRecords | None:
        """Find the cells of records in JSON, in UTF-8; None where an object for each record has to be made.

        There is one in each line, or a comma between two.
        """

    def find_json_lists(self, data: Data, least: int, most: int) -> list[JsonList] | None:
        """Find the lists of records in a JSON document; None where its brackets do not close, or it is too large.

        Lists of fewer bytes than the least are passed over. They are cut behind a record whenever there are most bytes.
        """

    def encode_cells(self, cells: OffsetCells, positions: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
        """Number some cells, in ascending order, as `encode` does."""

    def read_number_cells(
        self, cells: OffsetCells, positions: NDArray[Any], kind: str
    ) -> tuple[NDArray[Any], NDArray[np.bool_]]:
        """Read some cells, in ascending order, as numbers; says which fit."""

    def take_sheet_cells(self, data: bytes, begin: int, end: int) -> SheetCells | None:
        """Find the cells in the XML of a sheet, in UTF-8; None where it has to be parsed as XML.

        Parameters
        ----------
        data : bytes
        begin, end : int
            Where its rows begin and end.
        """

    def write_integers(self, values: NDArray[Any], scale: int, mark: str) -> StringBuffer:
        """Write whole numbers, or decimals of a scale."""

    def write_numbers(self, values: NDArray[Any], mark: str) -> StringBuffer:
        """Write finite floats; others are left empty."""

    def write_dates(self, days: NDArray[Any], layout: DateLayout) -> StringBuffer:
        """Write days; those outside the years 1 to 9999 are left empty."""

    def write_between(self, before: str, values: NDArray[Any], behind: str) -> StringBuffer:
        """Write whole numbers, each between the same two texts."""

    def join(
        self, fields: Sequence[Field], rows: int, delimiter: str, line_end: str, missing: str
    ) -> bytes | bytearray:
        """Join cells to delimited text; see `comb.kernels.reference.formatting.join`."""
