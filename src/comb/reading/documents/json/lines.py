"""The quick road for JSON Lines: records found by the compiled kernel, without an object for each.

The text is cut behind line ends into pieces, which are searched by several threads. Each gives its columns as places in
its bytes. A column of the whole is put together by name: pieces that do not have it have only absent cells of it.
Texts are taken from the bytes end to end, and numbered anew where pieces have the same ones, so that no Python string
is made of a text that nobody looks at. What is found may be kept on disk, the bytes too.

What it gives is what the reference in `comb.reading.documents.json.document` gives.
"""

import json
from collections.abc import Iterator
from functools import partial
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.execution.ordered import in_order
from comb.execution.storage import MEMORY, Storage
from comb.inference.typed_cells import PackedStrings, SourceKind, TypedCells, blank_texts
from comb.kernels import dispatch
from comb.kernels.string_buffer import StringBuffer, joined, pack
from comb.kernels.types import JSON_KINDS, NOTHING_ASIDE, Data, JsonLines, OffsetCells
from comb.reading.documents.json.parse import Digits, JsonParser, halves_in, read_float, read_integer, sound, written
from comb.tables.stored import stored_array

_KIND = {name: JSON_KINDS.index(name) for name in JSON_KINDS}

_CELL_KINDS = np.array(
    [
        SourceKind.ABSENT, SourceKind.NULL, SourceKind.BOOLEAN, SourceKind.BOOLEAN, SourceKind.NUMBER,
        SourceKind.NUMBER, SourceKind.TEXT, SourceKind.TEXT, SourceKind.NESTED, SourceKind.ERROR,
    ],
    np.uint8,
)  # fmt: skip

# Numbers in more bytes than this may have more digits than a float or an integer keeps.
MOST_BYTES = 17

# The places of a column that was read.
NOTHING = (np.zeros(0, np.int32), np.zeros(0, np.int32), np.zeros(0, np.uint8))

# So much is searched at once by each thread.
PIECE_BYTES = 8_000_000

# A line end is looked for in this much, and in twice as much each time it has none.
LIKELY_LINE = 1 << 16


class FoundLines:
    """The records of JSON Lines, found piece by piece.

    Attributes
    ----------
    data : bytes or memoryview
    names : list of str
        Of the columns, in the order in which they first appear.
    lines : int array
        The line of each record, from 1.
    bad : list of (int, int, int)
        Lines that are no record: number, and where each begins and ends.
    halves : int
        How many characters are halves of one.
    """

    def __init__(self, data: Data) -> None:
        self.data = data
        self.names: list[str] = []
        self.lines: NDArray[np.integer[Any]] = np.zeros(0, np.int32)
        self.bad: list[tuple[int, int, int]] = []
        self.halves = 0
        self._pieces: list[tuple[JsonLines, dict[str, int]]] = []

    def _add(self, piece: JsonLines, storage: Storage) -> bool:
        """Add the columns of the next piece; returns whether each of them has a name of its own."""
        names = [raw.decode() for raw in piece.names]
        columns = [
            (stored_array(begins, storage), stored_array(ends, storage), stored_array(kinds, storage))
            for begins, ends, kinds in piece.columns
        ]
        self._pieces.append((piece._replace(columns=columns), {name: at for at, name in enumerate(names)}))
        # In the order in which they come, each once.
        self.names = list(dict.fromkeys([*self.names, *names]))
        return len(set(names)) == len(names)

    def count_of(self, name: str, kind: str) -> int:
        """Return how many cells of a column are of one kind."""
        return sum(
            int(np.count_nonzero(piece.columns[places[name]][2] == _KIND[kind]))
            for piece, places in self._pieces
            if name in places
        )

    def cells(self, name: str, rows: int | None = None) -> TypedCells:
        """Return the cells of a column, of all records or of the first ones, and let go of their places."""
        parts, left = [], len(self.lines) if rows is None else rows
        for piece, places in self._pieces:
            count = min(left, len(piece.lines))
            left -= count
            at = places.get(name, -1)
            parts.append(_absent(count) if at < 0 else cells_of(piece, at, count))
            if at >= 0:
                piece.columns[at] = NOTHING
        return _joined(parts)


class _Piece(NamedTuple):
    """A piece that was searched: where it begins, its columns, its line ends, its halves of characters."""

    start: int
    found: JsonLines | None
    line_ends: int
    halves: int


def find_lines(data: Data, threads: int = 1, storage: Storage = MEMORY) -> FoundLines | None:
    """Find the records of JSON Lines; None where a parser of JSON has to read them.

    Parameters
    ----------
    data : bytes or memoryview
    threads : int
    storage : Storage
        Where the places of the cells are kept.
    """
    whole, view = FoundLines(data), memoryview(data)

    def search(bounds: tuple[int, int]) -> _Piece:
        part = view[slice(*bounds)]
        found = dispatch.kernels.take_json_lines(part) if dispatch.kernels.check_text(part)[0] else None
        ends, escapes = (dispatch.kernels.count_byte(part, one, len(part)) for one in b"\n\\")
        return _Piece(bounds[0], found, ends, halves_in(bytes(part)) if escapes else 0)

    lines, before = [], 0
    for start, found, line_ends, halves in in_order(search, _pieces_of(view), threads):
        if found is None or not whole._add(found, storage):
            return None
        lines.append(found.lines.astype(np.int64) + before)
        whole.bad += [(number + before, first + start, last + start) for number, first, last in found.bad]
        whole.halves += halves
        before += line_ends
    if lines:
        whole.lines = stored_array(np.concatenate(lines), storage)
    return whole


def _pieces_of(data: memoryview) -> Iterator[tuple[int, int]]:
    """Cut a text behind line ends."""
    start = 0
    while start < len(data):
        stop, size = start + PIECE_BYTES, LIKELY_LINE
        while stop < len(data):
            end = bytes(data[stop : stop + size]).find(b"\n") + 1
            if end:
                stop += end
                break
            stop, size = stop + size, 2 * size
        yield start, min(stop, len(data))
        start = stop


def _absent(count: int) -> TypedCells:
    kinds = np.full(count, SourceKind.ABSENT, np.uint8)
    return TypedCells(kinds, np.zeros(count, np.int64), np.full(count, -1, np.int32), [])


def _joined(parts: list[TypedCells]) -> TypedCells:
    """Put the cells of several pieces below each other; texts that several have are one."""
    if len(parts) == 1:
        return parts[0]
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


def cells_of(lines: JsonLines, column: int, rows: int | None = None) -> TypedCells:
    """Return the cells of a column of a piece, of all records or of the first ones."""
    begins, ends, kinds = lines.columns[column]
    begins, ends, kinds = begins[:rows], ends[:rows], kinds[:rows]
    found = TypedCells(_CELL_KINDS[kinds], np.zeros(len(kinds), np.int64), np.full(len(kinds), -1, np.int32), [])
    digits: list[str] = []
    places = OffsetCells(lines.data, NOTHING_ASIDE, begins, ends)
    _read_numbers(found, kinds, places, digits)
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
    long = (places.ends[at] - places.begins[at] > MOST_BYTES) | ~fits
    for cell in at[long].tolist():
        text = places.text(cell)
        value = read_integer(text) if integers[cell] else read_float(text)
        if isinstance(value, Digits):
            found.kinds[cell], found.numbers[cell], found.texts[cell] = SourceKind.TEXT, 0, len(strings)
            strings.append(str(value))
        else:
            found.numbers[cell] = value


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
