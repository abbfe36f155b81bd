"""The pieces of one column, joined as they come: what is alike grows in one place.

Joining them at the end would take the memory of the column twice.
"""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.inference.pieces import NO_TEXT, Piece, ReadCells, ReadPiece, TextPiece
from comb.inference.reader import Reading
from comb.kernels import chosen
from comb.kernels.blocks import Room, TextRoom
from comb.kernels.coding import Codes
from comb.kernels.packed import Packed, joined
from comb.tables.column import Mask
from comb.tables.text import Text, joined_texts, recoded

# Room is made for so many times the cells expected, and where that was too few, for so many times more.
HEADROOM = 1.05
GROWTH = 1.5

# To be told more distinct texts than this costs a run more than it saves.
MOST_KNOWN = 4000


class Growing:
    """An array that grows at its end.

    Parameters
    ----------
    dtype : dtype
    expected : int
        So many values are likely; room that is not used takes no memory.
    """

    __slots__ = ("_array", "_length")

    def __init__(self, dtype: Any, expected: int) -> None:
        self._array: NDArray[Any] = np.empty(max(16, int(expected * HEADROOM)), dtype)
        self._length = 0

    def __len__(self) -> int:
        return self._length

    def room(self, start: int, count: int) -> NDArray[Any] | None:
        """Return the part of the array where values belong that are still to come; None if it is too short."""
        array = self._array
        return array[start : start + count] if start + count <= len(array) else None

    def add(self, values: NDArray[Any]) -> None:
        """Add values at the end; those that stand there already are not copied."""
        stop = self._length + len(values)
        if values.base is not None and np.may_share_memory(values[:1], self._array[self._length : self._length + 1]):
            self._length = stop
            return
        if stop > len(self._array):
            larger = np.empty(max(stop, int(len(self._array) * GROWTH)), self._array.dtype)
            larger[: self._length] = self._array[: self._length]
            self._array = larger
        self._array[self._length : stop] = values
        self._length = stop

    def array(self) -> NDArray[Any]:
        """Return what has grown."""
        return self._array[: self._length]


def absent_of(masks: Sequence[tuple[int, Mask]], rows: int) -> Mask | None:
    """Put masks of absent cells together, each with the row at which it begins; None where there is none."""
    if not masks:
        return None
    absent = np.zeros(rows, np.bool_)
    for start, mask in masks:
        absent[start : start + len(mask)] = mask
    return absent


class _Alike:
    """Pieces of one kind, joined; `first` is the row of the column with which they begin."""

    def __init__(self, first: int) -> None:
        self.first = first
        self.rows = 0
        self.tally: Any = None
        self._absent: list[tuple[int, Mask]] = []

    def count(self, piece: Piece) -> None:
        if self.tally is None:
            self.tally = piece.tally.copy()
        else:
            self.tally += piece.tally
        self.extend(piece)

    def extend(self, piece: Piece) -> None:
        if piece.absent is not None:
            self._absent.append((self.rows, piece.absent))
        self.rows += len(piece)

    def room(self, start: int, count: int, reading: Reading | None) -> Room | TextRoom | None:
        """Return where the values of later rows belong; None where that is not known."""
        return None

    def absent(self) -> Mask | None:
        return absent_of(self._absent, self.rows)


class _Read(_Alike):
    """Pieces that were read by one guess."""

    def __init__(self, piece: ReadPiece, expected: int, first: int) -> None:
        super().__init__(first)
        self._reading = piece.reading
        self._words = piece.words
        self._values = Growing(piece.cells.values.dtype, expected)  # type: ignore[union-attr]
        self._status = Growing(np.uint8, expected)
        self._kept_at: list[Codes] = []
        self._kept: list[Text] = []
        self._again: list[Callable[[], Iterable[TextPiece]]] = []

    def takes(self, piece: Piece) -> bool:
        return isinstance(piece, ReadPiece) and (piece.reading is self._reading or piece.reading == self._reading)

    def room(self, start: int, count: int, reading: Reading | None) -> Room | TextRoom | None:
        """Return where values and status belong."""
        if reading is not self._reading:
            return None
        values, status = (part.room(start - self.first, count) for part in (self._values, self._status))
        return None if values is None or status is None else (values, status)

    def add(self, piece: Any) -> None:
        if len(piece.cells.kept_at):
            self._kept_at.append(piece.cells.kept_at + self.rows)
            self._kept.append(piece.cells.kept)
        self._values.add(piece.cells.values)
        self._status.add(piece.cells.status)
        self._again.append(piece.again)
        self.count(piece)

    def piece(self) -> Piece:
        kept_at = np.concatenate(self._kept_at) if self._kept_at else np.zeros(0, np.int64)
        kept = joined_texts(self._kept) if self._kept else NO_TEXT
        cells = ReadCells(self._values.array(), self._status.array(), kept_at, kept)
        again = self._again
        return ReadPiece(
            self._reading,
            cells,
            self.tally,
            self._words,
            self.absent(),
            lambda: (piece for fetch in again for piece in fetch()),
        )


class _Coded(_Alike):
    """Texts with codes.

    As long as there are few distinct ones, later pieces are told them, and their codes need no change. Of many,
    each piece has its own, and they are brought together at the end.
    """

    def __init__(self, piece: TextPiece, expected: int, first: int) -> None:
        super().__init__(first)
        self._words = piece.words
        self._codes = Growing(np.int32, expected)
        self._known: Packed | None = piece.text.packed()
        # From which row on codes name which texts.
        self._items: list[tuple[int, Text]] = []

    def takes(self, piece: Piece) -> bool:
        return isinstance(piece, TextPiece) and piece.text.codes is not None

    def room(self, start: int, count: int, reading: Reading | None) -> Room | TextRoom | None:
        """Return where codes belong, and the texts that have codes already."""
        if reading is not None:
            return None
        return TextRoom(self._codes.room(start - self.first, count), self._known)

    def add(self, piece: Any) -> None:
        start, items = self.rows, piece.text.packed()
        self._codes.add(piece.text.codes)
        self.extend(piece)
        if self._known is None:
            self._items.append((start, Text(*items)))
            return
        if not _begins_with(items, self._known):
            together = joined([self._known, items])
            first, numbers = chosen.encode(together)
            chosen.renumber(self._codes.array()[start:], numbers[self._known.size :])
            items = chosen.take(together, first)
        self._known = items
        if items.size > MOST_KNOWN:
            self._items.append((0, Text(*items)))
            self._known = None

    def piece(self) -> Piece:
        if self._known is not None:
            return TextPiece(Text(*self._known, self._codes.array()), self._words, self.absent())
        starts, items = zip(*self._items, strict=True)
        text, _ = recoded(list(items), self._codes.array(), [*starts, self.rows])
        return TextPiece(text, self._words, self.absent())


def _begins_with(texts: Packed, others: Packed) -> bool:
    """Return whether a sequence of texts begins with another."""
    if texts.size < others.size or not np.array_equal(texts.offsets[: others.size + 1], others.offsets):
        return False
    size = int(others.offsets[-1])
    return texts.buffer is others.buffer or np.array_equal(texts.buffer[:size], others.buffer[:size])


class _Plain(_Alike):
    """Texts without codes."""

    def __init__(self, piece: TextPiece, expected: int, first: int) -> None:
        super().__init__(first)
        self._words = piece.words
        share = len(piece.text.buffer) / max(1, len(piece))
        self._buffer = Growing(np.uint8, int(expected * share))
        self._offsets = Growing(np.int64, expected)
        self._offsets.add(np.zeros(1, np.int64))
        self._kinds = Growing(np.uint8, expected)

    def takes(self, piece: Piece) -> bool:
        return isinstance(piece, TextPiece) and piece.text.codes is None

    def add(self, piece: Any) -> None:
        self._offsets.add(piece.text.offsets[1:] + len(self._buffer))
        self._buffer.add(piece.text.buffer)
        self._kinds.add(piece.kinds)
        self.count(piece)

    def piece(self) -> Piece:
        text = Text(self._buffer.array(), self._offsets.array())
        return TextPiece.counted(text, self._words, self.absent(), self.tally, self._kinds.array())


class Gathered:
    """The pieces of one column.

    Parameters
    ----------
    expected : int
        How many cells are likely to come.
    """

    def __init__(self, expected: int) -> None:
        self._expected = expected
        self._rows = 0
        self._closed: list[Piece] = []
        self._open: _Read | _Coded | _Plain | None = None

    def add(self, piece: Piece) -> None:
        """Add the next piece."""
        if self._open is None or not self._open.takes(piece):
            self.pieces()
            if isinstance(piece, ReadPiece):
                self._open = _Read(piece, self._expected, self._rows)
            else:
                self._open = (_Plain if piece.text.codes is None else _Coded)(piece, self._expected, self._rows)
        self._open.add(piece)
        self._rows += len(piece)

    def room(self, start: int, count: int, reading: Reading | None) -> Room | TextRoom | None:
        """Return where the next pieces may put their values, so that nothing has to be copied.

        May be asked by several threads, each for rows of its own that come after all that was added; what is put there
        counts when it is added.

        Parameters
        ----------
        start, count : int
            The rows.
        reading : Reading or None
            How they are read; None for text.

        Returns
        -------
        Room, TextRoom or None
            For values and status, or for codes; None where there is no such place.
        """
        opened = self._open
        return None if opened is None else opened.room(start, count, reading)

    def pieces(self) -> list[Piece]:
        """Return the pieces, as few as can be."""
        if self._open is not None:
            self._closed.append(self._open.piece())
            self._open = None
        return self._closed
