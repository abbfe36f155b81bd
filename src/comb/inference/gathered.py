"""The pieces of one column, joined as they come: what is alike grows in one place.

Joining them at the end would take the memory of the column twice.
"""

from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.inference.pieces import NO_TEXT, Piece, ReadCells, ReadPiece, TextPiece
from comb.kernels.coding import Codes
from comb.tables.column import Mask
from comb.tables.text import Text, joined_texts, recoded

# Room is made for so many times the cells expected, and where that was too few, for so many times more.
HEADROOM = 1.05
GROWTH = 1.5


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

    def add(self, values: NDArray[Any]) -> None:
        """Add values at the end."""
        stop = self._length + len(values)
        if stop > len(self._array):
            larger = np.empty(max(stop, int(len(self._array) * GROWTH)), self._array.dtype)
            larger[: self._length] = self._array[: self._length]
            self._array = larger
        self._array[self._length : stop] = values
        self._length = stop

    def array(self) -> NDArray[Any]:
        """Return what has grown."""
        return self._array[: self._length]


class _Alike:
    """Pieces of one kind, joined."""

    def __init__(self) -> None:
        self.rows = 0
        self.tally: Any = None
        self._absent: list[tuple[int, Mask]] = []

    def count(self, piece: Piece) -> None:
        if self.tally is None:
            self.tally = piece.tally.copy()
        else:
            self.tally += piece.tally
        if piece.absent is not None:
            self._absent.append((self.rows, piece.absent))
        self.rows += len(piece)

    def absent(self) -> Mask | None:
        if not self._absent:
            return None
        absent = np.zeros(self.rows, np.bool_)
        for start, mask in self._absent:
            absent[start : start + len(mask)] = mask
        return absent


class _Read(_Alike):
    """Pieces that were read by one guess."""

    def __init__(self, piece: ReadPiece, expected: int) -> None:
        super().__init__()
        self._reading = piece.reading
        self._words = piece.words
        self._values = Growing(piece.cells.values.dtype, expected)  # type: ignore[union-attr]
        self._status = Growing(np.uint8, expected)
        self._kept_at: list[Codes] = []
        self._kept: list[Text] = []
        self._again: list[Callable[[], Iterable[TextPiece]]] = []

    def takes(self, piece: Piece) -> bool:
        return isinstance(piece, ReadPiece) and (piece.reading is self._reading or piece.reading == self._reading)

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
    """Texts with codes."""

    def __init__(self, piece: TextPiece, expected: int) -> None:
        super().__init__()
        self._words = piece.words
        self._codes = Growing(np.int32, expected)
        self._items: list[tuple[int, Text]] = []
        self._kinds: list[NDArray[np.uint8]] = []

    def takes(self, piece: Piece) -> bool:
        return isinstance(piece, TextPiece) and piece.text.codes is not None

    def add(self, piece: Any) -> None:
        self._codes.add(piece.text.codes)
        self._items.append((self.rows, Text(*piece.text.packed())))
        self._kinds.append(piece.kinds)
        self.count(piece)

    def piece(self) -> Piece:
        starts, items = zip(*self._items, strict=True)
        text, first = recoded(list(items), self._codes.array(), [*starts, self.rows])
        kinds = np.concatenate(self._kinds)[first]
        return TextPiece.counted(text, self._words, self.absent(), self.tally, kinds)


class _Plain(_Alike):
    """Texts without codes."""

    def __init__(self, piece: TextPiece, expected: int) -> None:
        super().__init__()
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
        self._closed: list[Piece] = []
        self._open: _Read | _Coded | _Plain | None = None

    def add(self, piece: Piece) -> None:
        """Add the next piece."""
        if self._open is None or not self._open.takes(piece):
            self.pieces()
            if isinstance(piece, ReadPiece):
                self._open = _Read(piece, self._expected)
            else:
                self._open = (_Plain if piece.text.codes is None else _Coded)(piece, self._expected)
        self._open.add(piece)

    def pieces(self) -> list[Piece]:
        """Return the pieces, as few as can be."""
        if self._open is not None:
            self._closed.append(self._open.piece())
            self._open = None
        return self._closed
