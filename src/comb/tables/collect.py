"""A column that is made block by block, kept where a storage keeps it.

Each block is a column of its own, with the rows that come next. Values, states and texts are written to their place at
once, so that no more than a block is in memory. Texts with codes keep them: the distinct texts known so far are
numbered, and the codes of each block are brought to these numbers. Where there are very many distinct ones, texts are
kept end to end instead; which it is makes no difference to the cells.
"""

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.execution.ordered import in_order
from comb.execution.storage import Storage, blocks_of
from comb.kernels import dispatch
from comb.kernels.grouping import Codes, compact
from comb.kernels.string_buffer import StringBuffer, joined
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.text import Text, joined_texts

# With more distinct texts than this they are not numbered.
MOST_NUMBERED = 500_000

# A block of texts is brought to the texts it shows where the column has this many times more.
TIMES_MORE = 0.25

_GROWTH = 1.5


def slice_of(column: Column, rows: slice) -> Column:
    """Return some rows of a column that follow each other; nothing is copied but the texts of a column without codes.

    >>> slice_of(Column._of_strings(["a", "b", "c"]), slice(1, 3)).to_list()
    ['b', 'c']
    """
    values: Any = column.values[rows] if isinstance(column.values, np.ndarray) else text_slice(column.values, rows)
    state = None if column.state is None else column.state[rows]
    kept = column.kept
    if len(kept):
        first, last = np.searchsorted(kept.positions, [rows.start, rows.stop]).tolist()
        kept = Kept.of(kept.positions[first:last] - rows.start, text_slice(kept.items, slice(first, last)))
    source = column.source
    if source is not None and not (source.which is None and source.rows is None):
        source = source.take(np.arange(rows.start, rows.stop))
    return column._replace(values=values, state=state, kept=kept, source=source)


def text_slice(text: Text, rows: slice) -> Text:
    """Return some texts that follow each other."""
    if text.codes is None:
        offsets = text.offsets[rows.start : rows.stop + 1]
        begin, end = (int(offsets[0]), int(offsets[-1])) if len(offsets) else (0, 0)
        return Text(text.buffer[begin:end], offsets - begin if len(offsets) else np.zeros(1, np.int64))
    codes = text.codes[rows]
    if text.item_count <= TIMES_MORE * len(codes):
        return Text(text.buffer, text.offsets, codes)
    used, numbers = compact(codes)
    return Text(*dispatch.kernels.take(text.packed(), used), numbers.astype(np.int32))


def row_blocks(column: Column, storage: Storage) -> Iterator[tuple[Column, slice]]:
    """Return a column some rows at a time with where they stand, if it is kept on disk; else all of it at once."""
    if not storage.on_disk or len(column) <= storage.block_rows:
        yield column, slice(0, len(column))
        return
    for rows in blocks_of(len(column), storage.block_rows):
        yield slice_of(column, rows), rows


def changed_in_blocks(column: Column, storage: Storage, change: Callable[[Column, slice], Column]) -> Column:
    """Return a column changed cell by cell: some rows at a time, if it is kept on disk.

    Parameters
    ----------
    column : Column
    storage : Storage
    change : callable
        Changes the cells of some rows, which it is given with where they stand; what becomes of a cell depends on it
        alone. May be called by several threads at once.
    """
    if not storage.on_disk or len(column) <= storage.block_rows:
        return change(column, slice(0, len(column)))
    made = ColumnCollector(len(column), storage)
    parts = in_order(lambda part: change(*part), row_blocks(column, storage), storage.blocks_at_once)
    whole = all(map(made.add, parts))
    return made.column()._replace(source=column.source) if whole else change(column, slice(0, len(column)))


class ColumnCollector:
    """Collects the blocks of a column.

    Parameters
    ----------
    height : int
        How many rows will come.
    storage : Storage
    """

    def __init__(self, height: int, storage: Storage) -> None:
        self._height = height
        self._storage = storage
        self._rows = 0
        self._first: Column | None = None
        self._state: NDArray[np.uint8] | None = None
        self._values: NDArray[Any] | None = None
        self._texts: _TextCollector | None = None
        self._kept_at: list[Codes] = []
        self._kept: list[Text] = []

    def add(self, block: Column) -> bool:
        """Add the next rows; returns whether they are of the same kind as those before."""
        start, stop = self._rows, self._rows + len(block)
        if self._first is None:
            self._first = block
            if isinstance(block.values, Text):
                self._texts = _TextCollector(self._height, self._storage)
            else:
                self._values = self._storage.empty(self._height, block.values.dtype)
        if block.type != self._first.type or block.description != self._first.description:
            return False
        if self._texts is not None:
            self._texts.add(block.text)
        elif self._values is not None:
            self._values[start:stop] = block.array
        if block.state is not None:
            if self._state is None:
                self._state = self._storage.empty(self._height, np.uint8)
                self._state[:start] = 0
            self._state[start:stop] = block.state
        elif self._state is not None:
            self._state[start:stop] = 0
        if len(block.kept):
            self._kept_at.append(block.kept.positions + start)
            self._kept.append(block.kept.items)
        self._rows = stop
        return True

    def column(self) -> Column:
        """Return the whole column."""
        assert self._first is not None
        values: Any = self._values if self._texts is None else self._texts.text()
        kept = Kept.of(np.concatenate(self._kept_at), joined_texts(self._kept)) if self._kept else Kept()
        return self._first._replace(values=values, state=self._state, kept=kept)


class _TextCollector:
    """Texts, with codes as long as few of them are distinct."""

    def __init__(self, height: int, storage: Storage) -> None:
        self._height = height
        self._storage = storage
        self._rows = 0
        self._codes: NDArray[Any] | None = storage.empty(height, np.int32)
        self._known = StringBuffer(np.zeros(0, np.uint8), np.zeros(1, np.int64))
        self._buffer: NDArray[np.uint8] = np.zeros(0, np.uint8)
        self._offsets: NDArray[np.int64] = np.zeros(1, np.int64)

    def add(self, text: Text) -> None:
        start, stop = self._rows, self._rows + len(text)
        if self._codes is not None and (text.codes is None or self._known.size + text.item_count > MOST_NUMBERED):
            self._unnumber()
        if self._codes is None:
            self._append(text.plain())
        else:
            both = joined([self._known, text.packed()])
            first, numbers = dispatch.kernels.encode(both)
            # The texts that were known have the lowest numbers, in the order they had.
            assert text.codes is not None
            self._codes[start:stop] = numbers[self._known.size :][text.codes]
            self._known = dispatch.kernels.take(both, first)
        self._rows = stop

    def _append(self, texts: StringBuffer) -> None:
        begin, size = int(self._offsets[self._rows]), int(texts.offsets[-1] - texts.offsets[0])
        if begin + size > len(self._buffer):
            larger = self._storage.empty(max(begin + size, int(len(self._buffer) * _GROWTH)), np.uint8)
            for block in blocks_of(begin, 1 << 24):
                larger[block] = self._buffer[block]
            self._buffer = larger
        self._buffer[begin : begin + size] = texts.buffer[texts.offsets[0] : texts.offsets[-1]]
        self._offsets[self._rows + 1 : self._rows + 1 + texts.size] = texts.offsets[1:] + (begin - texts.offsets[0])
        self._rows += texts.size

    def _unnumber(self) -> None:
        """Keep the texts so far end to end."""
        codes, rows = self._codes, self._rows
        self._codes = None
        self._offsets = self._storage.empty(self._height + 1, np.int64)
        self._offsets[:1] = 0
        self._rows = 0
        for block in blocks_of(rows):
            assert codes is not None
            self._append(dispatch.kernels.take(self._known, codes[block]))

    def text(self) -> Text:
        if self._codes is not None:
            return Text(*self._known, self._codes)
        return Text(self._buffer[: int(self._offsets[self._rows])], self._offsets)
