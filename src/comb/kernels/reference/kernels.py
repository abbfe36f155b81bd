"""The reference kernels as one object; see `comb.kernels.protocol`."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from comb.kernels.blocks import Block, Scratch
from comb.kernels.notation import Marks, PlainNumbers
from comb.kernels.numbering import number_strings
from comb.kernels.reference import counting, formatting, notation, scalars, summing
from comb.kernels.reference import traits as noticing
from comb.kernels.reference.fingerprints import fingerprint
from comb.kernels.reference.moments import parse_moments
from comb.kernels.reference.row_block import RowBlock
from comb.kernels.reference.splitting import split_records
from comb.kernels.string_buffer import StringBuffer
from comb.kernels.types import (
    EVERYTHING,
    MISFIT,
    MOMENTS,
    CellForm,
    Data,
    DateLayout,
    Dialect,
    Field,
    JsonList,
    JsonRecords,
    Kinds,
    MomentForm,
    Numbered,
    NumberForm,
    OffsetCells,
    Parsed,
    Program,
    Records,
    SheetCells,
    Tally,
    Words,
)

# Control characters that text does not have: all but tab, line ends, form feed, end-of-file.
CONTROLS = tuple(code for code in range(32) if not 9 <= code <= 13 and code != 26)


class ReferenceKernels:
    """Plain Python; see `comb.kernels.protocol.Kernels`.

    >>> from comb.kernels.string_buffer import pack
    >>> kernels = ReferenceKernels()
    >>> first, codes = kernels.encode(pack(["b", "a", "b"]))
    >>> first.tolist(), codes.tolist()
    ([0, 1], [0, 1, 0])
    >>> kernels.encode_known(pack(["b", "a", "b", "c", "a"]), 3).tolist()
    [0, 1, 0, -1, 1]
    >>> kernels.check_text("é\\x00".encode())
    (True, 1, 2)
    """

    compiled = False

    def splits_in_chunks(self, dialect: Dialect) -> bool:
        """Return False: records are found in the whole text."""
        return False

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
        """Find the records of a text."""
        return RowBlock(bytes(data), dialect, width, single=single, most=most)

    def records(self, text: str, dialect: Dialect, most: int) -> Records:
        """Split the beginning of a text into fields."""
        return split_records(text, dialect.delimiter, dialect.quote, escape=dialect.escape, most=most)

    def check_text(self, data: Data) -> tuple[bool, int, int]:
        """Check bytes for being UTF-8; count control characters and characters."""
        try:
            text = str(data, "utf-8")
        except UnicodeDecodeError:
            return False, 0, 0
        return True, sum(text.count(chr(code)) for code in CONTROLS), len(text)

    def as_utf8(self, data: Data, table: bytes) -> bytes | int:
        """Write the bytes of a single-byte encoding as UTF-8, or say where the first one is that it does not define."""
        characters = [table[at + 1 : at + 1 + table[at]] for at in range(0, len(table), 4)]
        missing = [at for at, byte in enumerate(bytes(data)) if not characters[byte]]
        return missing[0] if missing else b"".join(characters[byte] for byte in bytes(data))

    def count_byte(self, data: Data, wanted: int, stop: int) -> int:
        """Count a byte before an offset."""
        return bytes(data).count(wanted, 0, stop)

    def tally(self, texts: StringBuffer, counts: NDArray[np.int64] | None, words: Words) -> tuple[Tally, Kinds]:
        """Count what texts could be."""
        return counting.tally(texts.strings(), counts, words)

    def encode(self, texts: StringBuffer) -> tuple[NDArray[np.int64], NDArray[Any]]:
        """Number texts in order of appearance."""
        _, codes = number_strings(texts.strings())
        return np.unique(codes, return_index=True)[1].astype(np.int64), codes

    def encode_known(self, texts: StringBuffer, known: int) -> NDArray[Any]:
        """Number the first texts in order of appearance; the others get the number of an equal one, or -1."""
        strings = texts.strings()
        words, codes = number_strings(strings[:known])
        places = {word: place for place, word in enumerate(words)}
        return np.append(codes, np.array([places.get(text, -1) for text in strings[known:]], np.int64))

    def count_codes(self, codes: NDArray[Any], size: int) -> NDArray[np.int64]:
        """Count how often each code occurs."""
        return np.bincount(codes, minlength=size).astype(np.int64, copy=False)

    def number_values(
        self,
        values: NDArray[np.int64],
        bounds: tuple[int, int] | None = None,
        out: NDArray[np.int64] | None = None,
        *,
        each: bool = True,
    ) -> Numbered:
        """Number equal values equal, in order of appearance."""
        index: dict[int, int] = {}
        numbers = np.array([index.setdefault(value, len(index)) for value in values.tolist()], np.int64)
        first = np.unique(numbers, return_index=True)[1]
        if out is not None:
            out[:] = numbers
            numbers = out
        return Numbered(numbers if each else numbers[:0], first.astype(np.int64, copy=False), np.bincount(numbers))

    def exact_sums(
        self, values: NDArray[np.float64], codes: NDArray[np.int64] | None, groups: int
    ) -> NDArray[np.float64]:
        """Return the exactly rounded sum of each group."""
        places = [0] * len(values) if codes is None else codes.tolist()
        return np.array(summing.exact_sums(values.tolist(), places, groups), np.float64)

    def fingerprints(self, texts: StringBuffer) -> NDArray[np.uint64]:
        """Return for each text a number of 64 bits that is the same for equal texts."""
        data, places = texts.buffer.tobytes(), texts.offsets.tolist()
        prints = [fingerprint(data[begin:end]) for begin, end in pairwise(places)]
        return np.array(prints, np.uint64)

    def same(self, left: StringBuffer, right: StringBuffer) -> NDArray[np.bool_]:
        """Return for each pair of texts whether they are the same."""
        pairs = zip(left.strings(), right.strings(), strict=True)
        return np.fromiter((one == other for one, other in pairs), np.bool_, left.size)

    def look_up(self, table: NDArray[np.uint8], codes: NDArray[Any]) -> NDArray[np.uint8]:
        """Return for each code its entry in a table of small numbers."""
        return cast(NDArray[np.uint8], table[codes])

    def renumber(self, codes: NDArray[Any], numbers: NDArray[Any]) -> None:
        """Replace each code by another, in place."""
        codes[:] = numbers[codes]

    def traits(self, texts: StringBuffer, known: Sequence[str]) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
        """Return what is to be noticed about texts."""
        return noticing.traits(texts.strings(), known)

    def take(self, texts: StringBuffer, positions: NDArray[Any]) -> StringBuffer:
        """Return the texts at the given positions, in that order."""
        return texts.take(positions)

    def read(self, texts: StringBuffer, form: CellForm) -> Parsed:
        """Read texts as numbers, dates or moments."""
        stripped = [text.strip() for text in texts.strings()]
        if isinstance(form, MomentForm):
            return _read_moments(stripped, form)
        if isinstance(form, NumberForm):
            return scalars.parse_number_form(stripped, form)
        return scalars.parse_date_orders(stripped, form)

    def read_words(self, texts: StringBuffer, true_words: frozenset[str], false_words: frozenset[str]) -> Parsed:
        """Read words as true or false."""
        return scalars.parse_words([text.strip() for text in texts.strings()], true_words, false_words)

    def plain_numbers(self, texts: StringBuffer, marks: Marks, unit: str) -> PlainNumbers:
        """Write numbers of one notation as plain ones."""
        return notation.plain_numbers(texts.strings(), marks, unit)

    def take_json_records(self, data: Data, *, lines: bool) -> JsonRecords | None:
        """Return None: an object is made of each record."""
        return None

    def find_json_lists(self, data: Data, least: int, most: int) -> list[JsonList] | None:
        """Return None: all of a document is parsed at once."""
        return None

    def encode_cells(self, cells: OffsetCells, positions: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
        """Number some cells, in ascending order, as `encode` does."""
        _, codes = number_strings([cells.text(cell) for cell in positions.tolist()])
        return np.unique(codes, return_index=True)[1].astype(np.int64), codes.astype(np.int32)

    def read_number_cells(
        self, cells: OffsetCells, positions: NDArray[Any], kind: str
    ) -> tuple[NDArray[Any], NDArray[np.bool_]]:
        """Read some cells as numbers; says which fit."""
        texts = [cells.text(cell).strip() for cell in positions.tolist()]
        values, status = scalars.parse_number_form(texts, NumberForm(kind, 0, "."))
        return values, status == 0

    def take_sheet_cells(self, data: bytes, begin: int, end: int) -> SheetCells | None:
        """Return None: the sheet is parsed as XML."""
        return None

    def write_integers(self, values: NDArray[Any], scale: int, mark: str) -> StringBuffer:
        """Write whole numbers, or decimals of a scale."""
        return formatting.write_integers(values, scale, mark)

    def write_numbers(self, values: NDArray[Any], mark: str) -> StringBuffer:
        """Write finite floats; others are left empty."""
        return formatting.write_numbers(values, mark)

    def write_dates(self, days: NDArray[Any], layout: DateLayout) -> StringBuffer:
        """Write days; those outside the years 1 to 9999 are left empty."""
        return formatting.write_dates(days, layout)

    def write_between(self, before: str, values: NDArray[Any], behind: str) -> StringBuffer:
        """Write whole numbers, each between the same two texts."""
        return formatting.write_between(before, values, behind)

    def join(self, fields: Sequence[Field], rows: int, delimiter: str, line_end: str, missing: str) -> bytes:
        """Join cells to delimited text."""
        return formatting.join(fields, rows, delimiter, line_end, missing)


def _read_moments(texts: Sequence[str], form: MomentForm) -> Parsed:
    """Read moments by the first program that fits."""
    values, status = np.zeros(len(texts), np.int64), np.full(len(texts), MISFIT, np.uint8)
    for kind, ops in form.programs:
        program = Program(kind, tuple((int(op), int(argument)) for op, argument in ops.tolist()))
        left = np.flatnonzero(status == MISFIT)
        read, fits = parse_moments([texts[at] for at in left.tolist()], program, form.months, form.weekdays)
        values[left], status[left] = read, fits
    return values.view(MOMENTS[form.word]), status
