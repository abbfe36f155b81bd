"""The compiled kernels as one object; see `comb.kernels.protocol`.

What they do not read themselves (numbers with unusual marks, dialects with delimiters of several characters), they
leave to the reference; and all of what a module is for that could not be built. Such modules are loaded when they are
used.
"""

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING, Any, cast

import numpy as np
from numpy.typing import NDArray

from comb.kernels.blocks import Block, Scratch
from comb.kernels.compiled import APART, _cells, _codes, _split
from comb.kernels.compiled.offset_block import (
    NON_CANONICAL,
    UNDECIDED,
    OffsetBlock,
    count_cells,
    decided,
    read_cells,
    resolve_floats,
)
from comb.kernels.notation import PER_CENT, Marks, PlainNumbers
from comb.kernels.string_buffer import StringBuffer, pack
from comb.kernels.types import (
    EVERYTHING,
    FITS,
    NOTHING_ASIDE,
    SHEET_KINDS,
    CellForm,
    Data,
    DateLayout,
    Dialect,
    Field,
    JsonCells,
    JsonList,
    JsonRecords,
    Kinds,
    Numbered,
    NumberForm,
    OffsetCells,
    Parsed,
    Records,
    SheetCells,
    Tally,
    Words,
    cells_of,
)

if TYPE_CHECKING:
    from comb.kernels.reference.kernels import ReferenceKernels

# The lines in this many bytes tell how many fields records are likely to have.
FIRST_BYTES = 50_000

# A quick look at the beginning takes no more records than this.
MOST_RECORDS = 1000

# Bits of the long numbers in which sums are kept, of all groups that are summed up together; and of one at least.
LONG_NUMBERS = 2**30
LEAST_BITS = 160

# The bits of a float, and those that two words hold beside a sign.
FLOAT_BITS = 53
SHORT_BITS = 126

# Each value has a place of its own where this many places for each row are enough. Else a hash table is begun with a
# number of bits, to which more are added each time that it is half full.
PLACES_A_ROW = 4
FIRST_BITS = 14
BITS_MORE = 3

# Of arrays of which a smaller share than one in this is used, the rest is given back.
MOST_ROOM = 8

INT32_MAX = 2**31 - 1


class _Reference:
    """The reference, which is loaded when it is asked for something: a plain file never does."""

    def __getattr__(self, name: str) -> Any:
        from comb.kernels.reference.kernels import ReferenceKernels

        return getattr(ReferenceKernels(), name)


_REFERENCE = cast("ReferenceKernels", _Reference())


class CompiledKernels:
    """Cython; see `comb.kernels.protocol.Kernels`.

    Parameters
    ----------
    lacking : collection of str
        Modules that are not there, of those that others do without.
    """

    compiled = True

    def __init__(self, lacking: Collection[str] = ()) -> None:
        for module in lacking:
            for method in APART[module]:
                setattr(self, method, getattr(_REFERENCE, method))

    def splits_in_chunks(self, dialect: Dialect) -> bool:
        """Return whether delimiter and quote are single ASCII characters."""
        quote_fits = dialect.quote is None or (len(dialect.quote) == 1 and dialect.quote.isascii())
        return len(dialect.delimiter) == 1 and dialect.delimiter.isascii() and quote_fits

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
        """Find the records of a chunk of text."""
        if not self.splits_in_chunks(dialect):
            return _REFERENCE.split(data, dialect, width, single=single, most=most)
        quote = -1 if dialect.quote is None else ord(dialect.quote)
        escape = ord(dialect.escape) if dialect.escape else -1
        found = _split.split(data, last, ord(dialect.delimiter), quote, escape, width, single, most, scratch)
        return OffsetBlock(data, found)

    def records(self, text: str, dialect: Dialect, most: int) -> Records:
        """Split the beginning of a text into fields."""
        try:
            data = text.encode() if self.splits_in_chunks(dialect) else b""
        except UnicodeEncodeError:
            data = b""
        if not data or not 0 < most <= MOST_RECORDS:
            # By itself: all of the reference takes as long to load as a small file.
            from comb.kernels.reference.splitting import split_records

            return split_records(text, dialect.delimiter, dialect.quote, escape=dialect.escape, most=most)
        delimiter = dialect.delimiter.encode()
        width = 1 + max(line.count(delimiter) for line in data[:FIRST_BYTES].splitlines())
        return self.split(data, dialect, width, single=True, most=most).records()

    def check_text(self, data: Data) -> tuple[bool, int, int]:
        """Check bytes for being UTF-8; count control characters and characters."""
        return _split.check_text(data)

    def as_utf8(self, data: Data, table: bytes) -> bytes | int:
        """Write the bytes of a single-byte encoding as UTF-8, or say where the first one is that it does not define."""
        found: bytes | int = _split.as_utf8(data, table)
        return found

    def count_byte(self, data: Data, wanted: int, stop: int) -> int:
        """Count a byte before an offset."""
        return int(_split.count_byte(data, wanted, stop))

    def tally(self, texts: StringBuffer, counts: NDArray[np.int64] | None, words: Words) -> tuple[Tally, Kinds]:
        """Count what texts could be."""
        return count_cells(cells_of(texts), counts, words)

    def encode(self, texts: StringBuffer) -> tuple[NDArray[np.int64], NDArray[Any]]:
        """Number texts in order of appearance."""
        return _numbered(cells_of(texts))

    def encode_known(self, texts: StringBuffer, known: int) -> NDArray[Any]:
        """Number the first texts in order of appearance; the others get the number of an equal one, or -1."""
        return _numbered(cells_of(texts), known)[1]

    def count_codes(self, codes: NDArray[Any], size: int) -> NDArray[np.int64]:
        """Count how often each code occurs."""
        return _codes.count(codes, size) if codes.dtype == np.int32 else _REFERENCE.count_codes(codes, size)

    def number_values(
        self,
        values: NDArray[np.int64],
        bounds: tuple[int, int] | None = None,
        out: NDArray[np.int64] | None = None,
        *,
        each: bool = True,
    ) -> Numbered:
        """Number equal values equal, in order of appearance."""
        values = np.ascontiguousarray(values)
        rows = len(values)
        numbers = np.empty(rows if each else 0, np.int64) if out is None else out
        # Only as much of these is touched as there are numbers.
        first, sizes = np.empty(rows, np.int64), np.zeros(rows, np.int64)
        low, high = bounds or ((int(values.min()), int(values.max())) if rows else (0, 0))
        done = known = bits = 0
        none = np.zeros(0, np.int64)
        if high - low < PLACES_A_ROW * rows:
            places = np.zeros(high - low + 1, np.int32)
            done, known = _codes.number_values(values, low, places, none, numbers, first, sizes, 0, 0)
        different = none
        while done < rows:
            # The table is half full at most. What it held is put into a larger one in the same order.
            bits = min(max(bits + BITS_MORE, FIRST_BITS), (2 * rows - 1).bit_length())
            places, room = np.zeros(1 << bits, np.int32), np.empty(1 << bits - 1, np.int64)
            spare = np.zeros(known, np.int64)
            _codes.number_values(different[:known], 0, places, room, none, np.empty_like(spare), spare, 0, 0)
            different = room
            done, known = _codes.number_values(values, 0, places, room, numbers, first, sizes, done, known)
        if known < rows // MOST_ROOM:
            # What is mostly empty is not kept.
            first, sizes = first[:known].copy(), sizes[:known].copy()
        return Numbered(numbers, first[:known], sizes[:known])

    def exact_sums(
        self, values: NDArray[np.float64], codes: NDArray[np.int64] | None, groups: int
    ) -> NDArray[np.float64]:
        """Return the exactly rounded sum of each group."""
        from comb.kernels.compiled import _sums

        values = np.ascontiguousarray(values, np.float64)
        least, most, finite = _sums.span(values)
        places = np.zeros(0, np.int64) if codes is None else np.ascontiguousarray(codes, np.int64)
        if finite and most - least + FLOAT_BITS + len(values).bit_length() < SHORT_BITS:
            return _sums.short_sums(values, places, groups, least)
        if len(places) and (int(places.min()) < 0 or int(places.max()) >= groups):
            raise IndexError("expected codes below the number of groups")
        # Few enough groups at once that their long numbers stay small.
        at_once = max(1, LONG_NUMBERS // (most - least + LEAST_BITS))
        parts = [
            _sums.sums(values, places, start, min(start + at_once, groups), least, most)
            for start in range(0, groups, at_once)
        ]
        return parts[0] if len(parts) == 1 else np.concatenate(parts) if parts else np.zeros(0)

    def fingerprints(self, texts: StringBuffer) -> NDArray[np.uint64]:
        """Return for each text a number of 64 bits that is the same for equal texts."""
        return _codes.fingerprints(*texts)

    def same(self, left: StringBuffer, right: StringBuffer) -> NDArray[np.bool_]:
        """Return for each pair of texts whether they are the same."""
        return _codes.same(*left, *right).view(np.bool_)

    def look_up(self, table: NDArray[np.uint8], codes: NDArray[Any]) -> NDArray[np.uint8]:
        """Return for each code its entry in a table of small numbers."""
        return _codes.look_up(table, codes) if codes.dtype == np.int32 else _REFERENCE.look_up(table, codes)

    def renumber(self, codes: NDArray[Any], numbers: NDArray[Any]) -> None:
        """Replace each code by another, in place."""
        if codes.dtype == np.int32:
            _codes.renumber(codes, numbers.astype(np.int32, copy=False))
        else:
            _REFERENCE.renumber(codes, numbers)

    def traits(self, texts: StringBuffer, known: Sequence[str]) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
        """Return what is to be noticed about texts."""
        return _cells.traits(*cells_of(texts), pack(known))

    def take(self, texts: StringBuffer, positions: NDArray[Any]) -> StringBuffer:
        """Return the texts at the given positions, in that order."""
        return StringBuffer(*_cells.gather(*cells_of(texts).take(positions)))

    def read(self, texts: StringBuffer, form: CellForm) -> Parsed:
        """Read texts as numbers, dates or moments."""
        values, status, _ = read_cells(cells_of(texts), form, Words())
        unusual = np.flatnonzero(status >= NON_CANONICAL)
        states = decided(status[unusual], np.zeros(len(unusual), np.uint8))
        left = np.flatnonzero(states == UNDECIDED)
        if len(left) and isinstance(form, NumberForm):
            resolve_floats(values, states, unusual[left], left, texts.take(unusual[left]), form.mark)
        status[unusual] = states
        return values, status

    def read_words(self, texts: StringBuffer, true_words: frozenset[str], false_words: frozenset[str]) -> Parsed:
        """Read words as true or false: few of them are distinct, so that the reference is fast enough."""
        return _REFERENCE.read_words(texts, true_words, false_words)

    def plain_numbers(self, texts: StringBuffer, marks: Marks, unit: str) -> PlainNumbers:
        """Write numbers of one notation as plain ones."""
        from comb.kernels.compiled import _notation

        if not (marks.decimal.isascii() and marks.group.isascii()):
            return _REFERENCE.plain_numbers(texts, marks, unit)
        group = ord(marks.group) if marks.group else 0
        found = _notation.plain_numbers(*texts, ord(marks.decimal), group, unit.encode(), unit == PER_CENT)
        return PlainNumbers(StringBuffer(*found[:2]), *found[2:])

    def take_json_records(self, data: Data, *, lines: bool) -> JsonRecords | None:
        """Find the cells of records in JSON; None where one is written in a way left to the parser of JSON."""
        from comb.kernels.compiled import _json

        if len(data) >= INT32_MAX:
            return None
        if lines:
            found = _json.take_lines(data)
            return None if found is None else JsonRecords(data, [JsonCells(*one) for one in found[0]], *found[1:])
        tables = _json.take_list(data)
        if tables is None:
            return None
        cells = [JsonCells(*one) for one in tables]
        return JsonRecords(data, cells, np.arange(cells[0].rows, dtype=np.int32), [])

    def find_json_lists(self, data: Data, least: int, most: int) -> list[JsonList] | None:
        """Find the lists of records in a JSON document."""
        from comb.kernels.compiled import _json

        found = _json.find_lists(data, least, most)
        return None if found is None else [JsonList(*one) for one in found]

    def encode_cells(self, cells: OffsetCells, positions: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
        """Number some cells, in ascending order, as `encode` does."""
        return _numbered(cells.take_ascending(positions))

    def read_number_cells(
        self, cells: OffsetCells, positions: NDArray[Any], kind: str
    ) -> tuple[NDArray[Any], NDArray[np.bool_]]:
        """Read some cells as numbers; says which fit."""
        values, status, _ = read_cells(cells.take_ascending(positions), NumberForm(kind, 0, "."), Words())
        return values, (status == FITS) | (status == NON_CANONICAL)

    def take_sheet_cells(self, data: bytes, begin: int, end: int) -> SheetCells | None:
        """Find the cells in the XML of a sheet; None where one is written unusually."""
        from comb.kernels.compiled import _sheet

        found = _sheet.take_cells(data, begin, end) if len(data) < INT32_MAX else None
        if found is None:
            return None
        rows, columns, kinds, styles, values, formulas, abouts, hidden = found
        held = values[:, 0] >= 0
        own = np.flatnonzero(held & (kinds > SHEET_KINDS.index("boolean")))
        numeric = np.flatnonzero(held & (kinds <= SHEET_KINDS.index("boolean")))
        places = np.ascontiguousarray(values.T)
        cells = OffsetCells(data, NOTHING_ASIDE, places[0], places[1])
        read, status, _ = read_cells(cells.take(numeric), NumberForm("number", 0, "."), Words())
        for at in np.flatnonzero((status != FITS) & (status != NON_CANONICAL)).tolist():
            try:
                read[at] = float(cells.text(numeric[at]))
            except ValueError:
                return None
        numbers = np.zeros(len(rows))
        numbers[numeric] = read
        first, codes = _numbered(cells.take(own))
        texts = [cells.text(at) for at in own[first].tolist()]
        noted = [
            (at, data[slice(*abouts[at].tolist())], data[slice(*formulas[at].tolist())])
            for at in np.flatnonzero(abouts[:, 0] >= 0).tolist()
        ]
        return SheetCells(rows, columns, kinds, styles, held, numbers, own, codes, texts, noted, hidden)

    def write_integers(self, values: NDArray[Any], scale: int, mark: str) -> StringBuffer:
        """Write whole numbers, or decimals of a scale."""
        from comb.kernels.compiled import _write

        return StringBuffer(*_write.write_integers(values, scale, ord(mark)))

    def write_numbers(self, values: NDArray[Any], mark: str) -> StringBuffer:
        """Write finite floats; others are left empty."""
        from comb.kernels.compiled import _write

        return StringBuffer(*_write.write_numbers(values, ord(mark)))

    def write_dates(self, days: NDArray[Any], layout: DateLayout) -> StringBuffer:
        """Write days; those outside the years 1 to 9999 are left empty."""
        from comb.kernels.compiled import _write

        parts = layout.order, ord(layout.mark), layout.padded_month, layout.padded_day
        return StringBuffer(*_write.write_dates(days, *parts))

    def write_between(self, before: str, values: NDArray[Any], behind: str) -> StringBuffer:
        """Write whole numbers, each between the same two texts."""
        from comb.kernels.compiled import _write

        return StringBuffer(*_write.write_between(before.encode(), values, behind.encode()))

    def join(
        self, fields: Sequence[Field], rows: int, delimiter: str, line_end: str, missing: str
    ) -> bytes | bytearray:
        """Join cells to delimited text."""
        from comb.kernels.compiled import _write

        if not delimiter.isascii():
            return _REFERENCE.join(fields, rows, delimiter, line_end, missing)
        columns = [(*field.texts, field.codes, field.missing) for field in fields]
        return _write.join(columns, rows, delimiter.encode(), line_end.encode(), missing.encode())


def _numbered(cells: OffsetCells, known: int = -1) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Number cells in order of appearance, however many are distinct."""
    first, codes = _cells.encode(*cells, 1.0, known)
    return cast(NDArray[np.int64], first), cast(NDArray[np.int32], codes)
