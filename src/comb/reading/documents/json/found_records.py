"""The quick road for records in JSON: found by the compiled kernel, without an object for each.

JSON Lines are cut behind line ends into pieces, a list of records behind commas between two, and the pieces are
searched by several threads. Each gives its tables, that of the records and those of the lists of records inside them,
and the columns of each as places in its bytes. A column of the whole is put together by name: pieces that do not have
it have only absent cells of it. A row of a table below another knows the row it is in, counted in its piece; what came
before is added. Texts are taken from the bytes end to end, and numbered anew where pieces have the same ones, so that
no Python string is made of a text that nobody looks at. What is found may be kept on disk, the bytes too.

What it gives is what the reference in `comb.reading.documents.json.document` gives.
"""

import json
from collections.abc import Iterable, Iterator
from functools import partial
from typing import Any, NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.execution.ordered import in_order
from comb.execution.storage import MEMORY, Storage
from comb.inference.typed_cells import PackedStrings, SourceKind, TypedCells, blank_texts
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.kernels.string_buffer import StringBuffer, joined, pack
from comb.kernels.types import JSON_KINDS, NOTHING_ASIDE, Data, JsonCells, JsonRecords, OffsetCells
from comb.reading.documents.json.flatten import MOST_COLUMNS, names_above
from comb.reading.documents.json.parse import (
    MOST_DIGITS,
    Digits,
    JsonParser,
    halves_in,
    read_float,
    read_integer,
    sound,
    written,
)
from comb.tables.stored import stored_array

_KIND = {name: JSON_KINDS.index(name) for name in JSON_KINDS}

_CELL_KINDS = np.array(
    [
        SourceKind.ABSENT, SourceKind.NULL, SourceKind.BOOLEAN, SourceKind.BOOLEAN, SourceKind.NUMBER,
        SourceKind.NUMBER, SourceKind.TEXT, SourceKind.TEXT, SourceKind.NESTED, SourceKind.ERROR,
    ],
    np.uint8,
)  # fmt: skip

# A whole number of more digits may be beyond the range of integers.
SURE_DIGITS = 18

# So much is searched at once by each thread.
PIECE_BYTES = 8_000_000

# A line end is looked for in this much, and in twice as much each time it has none.
LIKELY_LINE = 1 << 16


class _Part(NamedTuple):
    """What a piece has of a table: its bytes, its rows, and the places of its columns by name."""

    data: Data
    rows: int
    places: dict[str, tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.uint8]]]


class FoundTable(msgspec.Struct):
    """The records of a whole text, or those in the lists under one key, found piece by piece.

    Attributes
    ----------
    above : FoundTable, optional
        The table whose records have these inside.
    rows : int
    below : dict of str to FoundTable
        The tables of the records inside these, by dotted key.
    """

    above: "FoundTable | None" = None
    rows: int = 0
    below: "dict[str, FoundTable]" = msgspec.field(default_factory=dict)
    _names: dict[str, bool] = msgspec.field(default_factory=dict)
    _parents: list[NDArray[np.integer[Any]]] = msgspec.field(default_factory=list)
    _parts: list[_Part] = msgspec.field(default_factory=list)

    @property
    def names(self) -> list[str]:
        """The columns, in the order in which they first appear.

        Where lists of records are in other records, an empty list is one without records and no column; nor is what
        is null where other records have an object.
        """
        nothing = self._nothing | self.below.keys()
        return [name for name, filled in self._names.items() if filled or name not in nothing]

    @property
    def _nothing(self) -> set[str]:
        """The names of objects that are null or an empty list wherever they have no parts."""
        above = {one for name in self._names for one in names_above(name)}
        return {one for one in above if self._names.get(one) is False}

    def parents(self, rows: int | None = None) -> Codes:
        """Return the row that each record, or each of the first ones, is in."""
        if not self._parents:
            return np.zeros(0, np.int64)
        return np.concatenate(self._parents)[:rows].astype(np.int64)

    def roots(self, rows: int | None = None) -> Codes:
        """Return the record of the whole text that each record, or each of the first ones, is in."""
        if self.above is None:
            return np.arange(self.rows if rows is None else min(rows, self.rows))
        parents = self.parents(rows)
        return self.above.roots()[parents] if self.above.above is not None else parents

    def walk(self) -> "Iterator[FoundTable]":
        """Give this table and all those below it."""
        yield self
        for one in self.below.values():
            yield from one.walk()

    def add(self, data: Data, cells: JsonCells, before: int, storage: Storage) -> bool:
        """Add the records of the next piece; returns whether each of their columns has a name of its own.

        Parameters
        ----------
        data : bytes or memoryview
            The piece.
        cells : JsonCells
        before : int
            The rows that the table above had before this piece.
        storage : Storage
        """
        names = [raw.decode() for raw in cells.names]
        # By name from here on: another piece may have the same keys in another order.
        for name, filled in zip(names, cells.filled, strict=True):
            self._names[name] = self._names.get(name, False) or filled
        columns = [tuple(stored_array(part, storage) for part in column) for column in cells.columns]
        places: Any = dict(zip(names, columns, strict=True))
        # Counted in the piece; the rows that the table above had before it come first.
        if self.above is not None:
            self._parents.append(stored_array(cells.parents.astype(np.int64) + before, storage))
        self._parts.append(_Part(data, cells.rows, places))
        self.rows += cells.rows
        return len(places) == len(names) and len(self._names) <= MOST_COLUMNS

    def count_of(self, name: str, kind: str) -> int:
        """Return how many cells of a column are of one kind."""
        return sum(
            int(np.count_nonzero(part.places[name][2] == _KIND[kind])) for part in self._parts if name in part.places
        )

    def cells(self, name: str, rows: int | None = None) -> TypedCells:
        """Return the cells of a column, of all records or of the first ones, and let go of their places."""
        parts, left = [], self.rows if rows is None else rows
        above = {one for one in names_above(name) if self._names.get(one) is False}
        for part in self._parts:
            count = min(left, part.rows)
            left -= count
            # Let go as soon as they are read: they take as much memory as the text.
            places = part.places.pop(name, None)
            cells = _absent(count) if places is None else cells_of(part.data, places, count)
            for one in above & part.places.keys():
                null = part.places[one][2][:count] == _KIND["null"]
                cells.kinds[null & (cells.kinds == SourceKind.ABSENT)] = SourceKind.NULL
            parts.append(cells)
        return _joined(parts) if parts else _absent(0)


class FoundRecords(msgspec.Struct):
    """The records of JSON Lines or of a list, and those inside them.

    Attributes
    ----------
    table : FoundTable
    lines : int array
        The line of each record, from 1; its place, from 0, where they are in a list.
    bad : list of (int, int, int)
        Lines that are no record: number, and where each begins and ends.
    halves : int
        How many characters are halves of one.
    """

    table: FoundTable
    lines: NDArray[np.integer[Any]]
    bad: list[tuple[int, int, int]]
    halves: int

    def add(self, found: JsonRecords, storage: Storage) -> bool:
        """Add what was found in the next piece; returns whether it has nothing that the reference has to read."""
        tables: list[FoundTable] = []
        before: list[int] = []
        seen: set[tuple[int, bytes]] = set()
        for cells in found.tables:
            table, rows = self.table, 0
            if cells.above >= 0:
                above, rows = tables[cells.above], before[cells.above]
                table = above.below.setdefault(cells.key.decode(), FoundTable(above))
            tables.append(table)
            before.append(table.rows)
            # The same key, dotted or as an object, is one table for the reference.
            seen.add((cells.above, cells.key))
            if not table.add(found.data, cells, rows, storage):
                return False
        return len(seen) == len(tables)


class _Piece(NamedTuple):
    """A piece that was searched: where it begins, its records, its line ends, its halves of characters."""

    start: int
    found: JsonRecords | None
    line_ends: int
    halves: int


def find_records(
    data: Data, bounds: Iterable[tuple[int, int]], *, lines: bool, threads: int = 1, storage: Storage = MEMORY
) -> FoundRecords | None:
    """Find records in JSON; None where a parser of JSON has to read them.

    Parameters
    ----------
    data : bytes or memoryview
    bounds : iterable of (int, int)
        Where the pieces of it begin and end.
    lines : bool
        There is a record in each line; else a comma is between two.
    threads : int
    storage : Storage
        Where the places of the cells are kept.
    """
    view = memoryview(data)

    def search(piece: tuple[int, int]) -> _Piece:
        part = view[slice(*piece)]
        # The reference says where text is not UTF-8.
        sound = dispatch.kernels.check_text(part)[0]
        found = dispatch.kernels.take_json_records(part, lines=lines) if sound else None
        ends, escapes = (dispatch.kernels.count_byte(part, one, len(part)) for one in b"\n\\")
        return _Piece(piece[0], found, ends, halves_in(bytes(part)) if escapes else 0)

    whole = FoundRecords(FoundTable(), np.zeros(0, np.int32), [], 0)
    numbers, before = [], 0
    for start, found, line_ends, halves in in_order(search, bounds, threads):
        if found is None or not whole.add(found, storage):
            return None
        numbers.append(found.lines.astype(np.int64) + before)
        whole.bad += [(number + before, first + start, last + start) for number, first, last in found.bad]
        whole.halves += halves
        before += line_ends if lines else len(found.lines)
    if any(table.rows and not table.names for table in whole.table.walk()):
        return None
    if numbers:
        whole.lines = stored_array(np.concatenate(numbers), storage)
    return whole


def whole_lines_of(data: Data) -> Iterator[tuple[int, int]]:
    """Cut a text behind line ends."""
    view, start = memoryview(data), 0
    while start < len(view):
        stop, size = start + PIECE_BYTES, LIKELY_LINE
        while stop < len(view):
            end = bytes(view[stop : stop + size]).find(b"\n") + 1
            if end:
                stop += end
                break
            stop, size = stop + size, 2 * size
        yield start, min(stop, len(view))
        start = stop


def _absent(count: int) -> TypedCells:
    kinds = np.full(count, SourceKind.ABSENT, np.uint8)
    return TypedCells(kinds, np.zeros(count, np.int64), np.full(count, -1, np.int32), [])


def _joined(parts: list[TypedCells]) -> TypedCells:
    """Put the cells of several pieces below each other; texts that several have are one."""
    if len(parts) == 1:
        return parts[0]
    # All texts of all pieces are numbered once; each piece's numbers are looked up in that.
    packed = [one.strings.packed for one in parts if isinstance(one.strings, PackedStrings)]
    texts = joined(packed) if packed else pack([])
    first, codes = dispatch.kernels.encode(texts)
    places, begin = [], 0
    for one in parts:
        moved = codes[one.texts + begin] if len(one.strings) else one.texts
        places.append(np.where(one.texts >= 0, moved, -1).astype(np.int32))
        begin += len(one.strings)
    return TypedCells(
        np.concatenate([one.kinds for one in parts]),
        # Whole numbers are floats where a piece has others.
        np.concatenate([one.numbers for one in parts]),
        np.concatenate(places),
        PackedStrings(dispatch.kernels.take(texts, first)),
    )


def cells_of(
    data: Data, column: tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.uint8]], rows: int
) -> TypedCells:
    """Return the cells of a column of a piece: of its first rows."""
    begins, ends, kinds = column
    begins, ends, kinds = begins[:rows], ends[:rows], kinds[:rows]
    found = TypedCells(_CELL_KINDS[kinds], np.zeros(len(kinds), np.int64), np.full(len(kinds), -1, np.int32), [])
    digits: list[str] = []
    places = OffsetCells(data, NOTHING_ASIDE, begins, ends)
    _read_numbers(found, kinds, places, digits)
    # Numbers may have become floats by now; true is one in either.
    found.numbers[kinds == _KIND["true"]] = 1
    parts, count = [pack(digits)], len(digits)
    for names, read in (
        (("string", "escaped"), partial(_read_strings, kinds=kinds)),
        (("nested",), _read_nested),
        (("not finite",), _read_plain),
    ):
        wanted = np.zeros(len(JSON_KINDS), np.bool_)
        wanted[[_KIND[name] for name in names]] = True
        at = _positions(wanted[kinds])
        if len(at):
            # Each distinct text is looked at once, however often it stands.
            first, codes = dispatch.kernels.encode_cells(places, at)
            texts = read(places, at[first])
            found.texts[at] = codes + count
            blank = blank_texts(texts)
            if names[0] == "string" and blank.any():
                found.kinds[at[blank[codes]]] = SourceKind.EMPTY
                found.texts[at[blank[codes]]] = -1
            parts.append(texts)
            count += texts.size
    found.strings = PackedStrings(joined(parts))
    return found


def _positions(wanted: NDArray[np.bool_]) -> NDArray[Any]:
    return np.flatnonzero(wanted).astype(np.int32)


def _read_numbers(found: TypedCells, kinds: NDArray[np.uint8], places: OffsetCells, strings: list[str]) -> None:
    integers, floats = kinds == _KIND["integer"], kinds == _KIND["float"]
    at = _positions(integers | floats)
    if not len(at):
        return
    whole = not floats.any()
    values, fits = dispatch.kernels.read_number_cells(places, at, "integer" if whole else "number")
    if not whole:
        # A whole number has no negative zero.
        values[integers[at] & (values == 0)] = 0.0
    found.numbers = np.zeros(len(kinds), values.dtype)
    found.numbers[at] = values
    doubtful = ~fits if whole else _long(places, at, integers[at]) | ~fits
    for cell in at[doubtful].tolist():
        text = places.text(cell)
        value = read_integer(text) if integers[cell] else read_float(text)
        if isinstance(value, Digits):
            found.kinds[cell], found.numbers[cell], found.texts[cell] = SourceKind.TEXT, 0, len(strings)
            strings.append(str(value))
        else:
            found.numbers[cell] = value


def _long(places: OffsetCells, cells: NDArray[Any], integers: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return which numbers may have more digits than a float or an integer keeps, as far as their lengths tell."""
    data, begins = np.frombuffer(places.data, np.uint8), places.begins[cells]
    minus = data[begins] == ord("-")
    begins = begins + minus
    digits = places.ends[cells] - begins
    # A number that is not whole has a point or an exponent, and a zero before it does not count.
    long: NDArray[np.bool_] = digits - 1 - (data[begins] == ord("0")) > MOST_DIGITS
    return np.where(integers, digits > SURE_DIGITS, long)


def _read_strings(places: OffsetCells, cells: NDArray[Any], kinds: NDArray[np.uint8]) -> StringBuffer:
    """Take strings from the bytes, end to end; those with escapes are read by the parser of JSON."""
    edges = np.empty(2 * len(cells), np.int64)
    edges[::2], edges[1::2] = places.begins[cells], places.ends[cells]
    spans = StringBuffer(np.frombuffer(places.data, np.uint8), edges)
    order = np.arange(0, 2 * len(cells), 2)
    plain = dispatch.kernels.take(spans, order)
    odd = np.flatnonzero(kinds[cells] == _KIND["escaped"])
    if not len(odd):
        return plain
    read = [sound(json.loads(f'"{places.text(cell)}"', strict=False)) for cell in cells[odd].tolist()]
    chosen = np.arange(len(cells))
    chosen[odd] = len(cells) + np.arange(len(odd))
    return dispatch.kernels.take(joined([plain, pack(read)]), chosen)


def _read_nested(places: OffsetCells, cells: NDArray[Any]) -> StringBuffer:
    parser = JsonParser()
    return pack([written(parser.read(places.text(cell))) for cell in cells.tolist()])


def _read_plain(places: OffsetCells, cells: NDArray[Any]) -> StringBuffer:
    return pack([places.text(cell) for cell in cells.tolist()])
