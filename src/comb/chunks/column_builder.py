"""The chunks of one column, joined as they come: chunks of one kind grow in one place.

Joining them at the end would take the memory of the column twice. So a builder has one array for each part of a
column (values, status, codes, bytes) that is large enough for all rows that are expected; memory that is not
written is not taken. A chunk that was written into the right place of that array already is added by moving the
end; any other is copied there.

Where later rows belong is handed out beforehand, as an `OutputSlice` (values and status) or a `CodeOutput` (codes).
Several threads may ask at once, each for rows of its own beyond those that were added. A slice is a promise about
memory only: what is written there counts when the chunk is added, and a slice that is never added does no harm.
There is no slice where the array is too short, where the column is read in another way than the chunk, or where it
changed its kind.

A column that changes its kind, because a later chunk does not fit the guess, closes what has grown and begins anew;
the column then is several chunks, which are joined when its type is known.

Texts with codes: as long as there are few distinct ones, each chunk is given the texts known so far and codes its
own by them, so that its codes need no change. Beyond `MOST_KNOWN` that costs more than it saves; then each chunk
numbers its texts on its own, and all are brought together at the end.
"""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.chunks.column_chunk import NO_TEXT, ColumnChunk, ParsedCells, ParsedChunk, TextChunk
from comb.execution.storage import MEMORY, Storage
from comb.kernels import dispatch
from comb.kernels.blocks import CodeOutput, OutputSlice
from comb.kernels.grouping import Codes
from comb.kernels.string_buffer import StringBuffer, joined
from comb.parsing.cell_parser import CellParser
from comb.tables.column import Mask
from comb.tables.text import Text, joined_texts, recoded

# Room is made for this many times the cells expected, and where that was too few, for this many times more.
HEADROOM = 1.05
GROWTH = 1.5

# To know more distinct texts than this costs a chunk more than it saves.
MOST_KNOWN = 4000


class GrowableArray:
    """An array that grows at its end.

    Parameters
    ----------
    dtype : dtype
    expected : int
        This many values are likely; room that is not used takes no memory.
    storage : Storage
        Where it is kept.
    """

    __slots__ = ("_array", "_length", "_storage")

    def __init__(self, dtype: Any, expected: int, storage: Storage = MEMORY) -> None:
        self._storage = storage
        self._array: NDArray[Any] = storage.empty(max(16, int(expected * HEADROOM)), dtype)
        self._length = 0

    def __len__(self) -> int:
        return self._length

    def output(self, start: int, count: int) -> NDArray[Any] | None:
        """Return the part of the array where values belong that are still to come; None if it is too short."""
        array = self._array
        return array[start : start + count] if start + count <= len(array) else None

    def add(self, values: NDArray[Any]) -> None:
        """Add values at the end; those that are there already are not copied."""
        stop = self._length + len(values)
        # They were written where `output` said. The first value tells: a slice is only ever handed out as a whole.
        if values.base is not None and np.may_share_memory(values[:1], self._array[self._length : self._length + 1]):
            self._length = stop
            return
        if stop > len(self._array):
            # Slices of the old array that threads still write to are copied when their chunks are added.
            larger = self._storage.empty(max(stop, int(len(self._array) * GROWTH)), self._array.dtype)
            larger[: self._length] = self._array[: self._length]
            self._array = larger
        self._array[self._length : stop] = values
        self._length = stop

    def array(self) -> NDArray[Any]:
        """Return what has grown."""
        return self._array[: self._length]


def absent_of(masks: Sequence[tuple[int, Mask]], rows: int) -> Mask | None:
    """Put masks of absent cells together, each with the row at which it begins; None if there is not one."""
    if not masks:
        return None
    absent = np.zeros(rows, np.bool_)
    for start, mask in masks:
        absent[start : start + len(mask)] = mask
    return absent


class _ChunkBuilder:
    """Pieces of one kind, joined; `first` is the row of the column with which they begin."""

    def __init__(self, first: int) -> None:
        self.first = first
        self.rows = 0
        self.tally: Any = None
        self._absent: list[tuple[int, Mask]] = []

    def count(self, chunk: ColumnChunk) -> None:
        if self.tally is None:
            # The first one's own would be changed by those that follow.
            self.tally = chunk.tally.copy()
        else:
            self.tally += chunk.tally
        self.extend(chunk)

    def extend(self, chunk: ColumnChunk) -> None:
        if chunk.absent is not None:
            self._absent.append((self.rows, chunk.absent))
        self.rows += len(chunk)

    def output(self, start: int, count: int, parser: CellParser | None) -> OutputSlice | CodeOutput | None:
        """Return where the values of later rows belong; None where that is not known."""
        return None

    def absent(self) -> Mask | None:
        return absent_of(self._absent, self.rows)


class _ParsedBuilder(_ChunkBuilder):
    """Pieces that were read by one guess."""

    def __init__(self, chunk: ParsedChunk, expected: int, first: int, storage: Storage) -> None:
        super().__init__(first)
        self._parser = chunk.parser
        self._words = chunk.words
        self._values = GrowableArray(chunk.cells.values.dtype, expected, storage)  # type: ignore[union-attr]
        self._status = GrowableArray(np.uint8, expected, storage)
        self._kept_at: list[Codes] = []
        self._kept: list[Text] = []
        self._reread_texts: list[Callable[[], Iterable[TextChunk]]] = []

    def takes(self, chunk: ColumnChunk) -> bool:
        return isinstance(chunk, ParsedChunk) and (chunk.parser is self._parser or chunk.parser == self._parser)

    def output(self, start: int, count: int, parser: CellParser | None) -> OutputSlice | CodeOutput | None:
        """Return where values and status belong."""
        # Equal is not enough here: the guess of a text is one object, and to compare for each chunk takes longer.
        if parser is not self._parser:
            return None
        values, status = (part.output(start - self.first, count) for part in (self._values, self._status))
        return None if values is None or status is None else (values, status)

    def add(self, chunk: Any) -> None:
        # Those that do not fit are few: lists of them, joined once, need no room beforehand.
        if len(chunk.cells.kept_at):
            self._kept_at.append(chunk.cells.kept_at + self.rows)
            self._kept.append(chunk.cells.kept)
        self._values.add(chunk.cells.values)
        self._status.add(chunk.cells.status)
        self._reread_texts.append(chunk.reread_texts)
        self.count(chunk)

    def chunk(self) -> ColumnChunk:
        kept_at = np.concatenate(self._kept_at) if self._kept_at else np.zeros(0, np.int64)
        kept = joined_texts(self._kept) if self._kept else NO_TEXT
        cells = ParsedCells(self._values.array(), self._status.array(), kept_at, kept)
        # The builder goes; what the chunk needs of it is bound here.
        reread_texts = self._reread_texts
        return ParsedChunk(
            self._parser,
            cells,
            self.tally,
            self._words,
            self.absent(),
            lambda: (chunk for fetch in reread_texts for chunk in fetch()),
        )


class _DictionaryBuilder(_ChunkBuilder):
    """Texts with codes.

    As long as there are few distinct ones, later chunks are given them, and their codes need no change. Of many,
    each chunk has its own, and they are brought together at the end.
    """

    def __init__(self, chunk: TextChunk, expected: int, first: int, storage: Storage) -> None:
        super().__init__(first)
        self._words = chunk.words
        self._codes = GrowableArray(np.int32, expected, storage)
        self._known: StringBuffer | None = chunk.text.packed()
        # From which row on codes name which texts.
        self._items: list[tuple[int, Text]] = []

    def takes(self, chunk: ColumnChunk) -> bool:
        return isinstance(chunk, TextChunk) and chunk.text.codes is not None

    def output(self, start: int, count: int, parser: CellParser | None) -> OutputSlice | CodeOutput | None:
        """Return where codes belong, and the texts that have codes already."""
        if parser is not None:
            return None
        return CodeOutput(self._codes.output(start - self.first, count), self._known)

    def add(self, chunk: Any) -> None:
        start, items = self.rows, chunk.text.packed()
        # In place at once, also if they have to be renumbered: then only the rows from `start` on.
        self._codes.add(chunk.text.codes)
        self.extend(chunk)
        if self._known is None:
            self._items.append((start, Text(*items)))
            return
        # A chunk that was read before the last texts were known numbered some of them on its own.
        if not _begins_with(items, self._known):
            number_blocks = joined([self._known, items])
            first, numbers = dispatch.kernels.encode(number_blocks)
            dispatch.kernels.renumber(self._codes.array()[start:], numbers[self._known.size :])
            items = dispatch.kernels.take(number_blocks, first)
        self._known = items
        if items.size > MOST_KNOWN:
            # From here on each chunk has its own, and all so far are the first.
            self._items.append((0, Text(*items)))
            self._known = None

    def chunk(self) -> ColumnChunk:
        if self._known is not None:
            return TextChunk(Text(*self._known, self._codes.array()), self._words, self.absent())
        starts, items = zip(*self._items, strict=True)
        text, _ = recoded(list(items), self._codes.array(), [*starts, self.rows])
        return TextChunk(text, self._words, self.absent())


def _begins_with(texts: StringBuffer, others: StringBuffer) -> bool:
    """Return whether a sequence of texts begins with another."""
    if texts.size < others.size or not np.array_equal(texts.offsets[: others.size + 1], others.offsets):
        return False
    size = int(others.offsets[-1])
    # Mostly it is the very buffer that was handed out.
    return texts.buffer is others.buffer or np.array_equal(texts.buffer[:size], others.buffer[:size])


class _TextBuilder(_ChunkBuilder):
    """Texts without codes."""

    def __init__(self, chunk: TextChunk, expected: int, first: int, storage: Storage) -> None:
        super().__init__(first)
        self._words = chunk.words
        # The first chunk tells how long texts are; where later ones are longer, the array grows.
        share = len(chunk.text.buffer) / max(1, len(chunk))
        self._buffer = GrowableArray(np.uint8, int(expected * share), storage)
        self._offsets = GrowableArray(np.int64, expected, storage)
        # One offset more than there are texts.
        self._offsets.add(np.zeros(1, np.int64))
        self._kinds = GrowableArray(np.uint8, expected, storage)

    def takes(self, chunk: ColumnChunk) -> bool:
        return isinstance(chunk, TextChunk) and chunk.text.codes is None

    def add(self, chunk: Any) -> None:
        self._offsets.add(chunk.text.offsets[1:] + len(self._buffer))
        self._buffer.add(chunk.text.buffer)
        self._kinds.add(chunk.kinds)
        self.count(chunk)

    def chunk(self) -> ColumnChunk:
        text = Text(self._buffer.array(), self._offsets.array())
        return TextChunk.counted(text, self._words, self.absent(), self.tally, self._kinds.array())


class ColumnBuilder:
    """The chunks of one column.

    Parameters
    ----------
    expected : int
        How many cells are likely to come.
    storage : Storage
        Where they are kept.
    """

    def __init__(self, expected: int, storage: Storage = MEMORY) -> None:
        self._expected = expected
        self._storage = storage
        self._rows = 0
        self._closed: list[ColumnChunk] = []
        self._open: _ParsedBuilder | _DictionaryBuilder | _TextBuilder | None = None

    def add(self, chunk: ColumnChunk) -> None:
        """Add the next chunk."""
        if self._open is None or not self._open.takes(chunk):
            # The kind changes: what is open is closed, and stays as it is.
            self.chunks()
            if isinstance(chunk, ParsedChunk):
                self._open = _ParsedBuilder(chunk, self._expected, self._rows, self._storage)
            else:
                self._open = (_TextBuilder if chunk.text.codes is None else _DictionaryBuilder)(
                    chunk, self._expected, self._rows, self._storage
                )
        self._open.add(chunk)
        self._rows += len(chunk)

    def output(self, start: int, count: int, parser: CellParser | None) -> OutputSlice | CodeOutput | None:
        """Return where the next chunks may put their values, so that nothing has to be copied.

        May be asked by several threads, each for rows of its own that come after all that was added; what is put there
        counts when it is added.

        Parameters
        ----------
        start, count : int
            The rows.
        parser : CellParser or None
            How they are read; None for text.

        Returns
        -------
        OutputSlice, CodeOutput or None
            For values and status, or for codes; None where there is no such place.
        """
        opened = self._open
        return None if opened is None else opened.output(start, count, parser)

    def chunks(self) -> list[ColumnChunk]:
        """Return the chunks, as few as can be."""
        if self._open is not None:
            self._closed.append(self._open.chunk())
            self._open = None
        return self._closed
