"""Texts end to end in one array of UTF-8 bytes: the form in which kernels take and give texts."""

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray


class StringBuffer(NamedTuple):
    """Texts end to end.

    Attributes
    ----------
    buffer : uint8 array
        The UTF-8 bytes of all texts.
    offsets : int64 array
        Where each text begins, and the end: one more than there are texts.
    """

    buffer: NDArray[np.uint8]
    offsets: NDArray[np.int64]

    @property
    def size(self) -> int:
        """How many texts there are."""
        return len(self.offsets) - 1

    def strings(self) -> list[str]:
        """Return the texts as Python strings.

        >>> pack(["a", "bc"]).strings()
        ['a', 'bc']
        """
        first = int(self.offsets[0])
        # Of a part of longer texts only its own bytes are copied.
        data = self.buffer[first : int(self.offsets[-1])].tobytes()
        offsets = (self.offsets - first if first else self.offsets).tolist()
        return [data[start:end].decode() for start, end in pairwise(offsets)]

    def take(self, positions: NDArray[np.integer]) -> "StringBuffer":
        """Return the texts at the given positions, in that order."""
        starts = self.offsets[positions]
        lengths = self.offsets[positions + 1] - starts
        offsets = np.zeros(len(positions) + 1, dtype=np.int64)
        np.cumsum(lengths, out=offsets[1:])
        where = np.arange(offsets[-1], dtype=np.int64) + np.repeat(starts - offsets[:-1], lengths)
        return StringBuffer(self.buffer[where], offsets)


def pack(texts: Sequence[str]) -> StringBuffer:
    """Put texts end to end."""
    whole = "".join(texts)
    offsets = np.zeros(len(texts) + 1, dtype=np.int64)
    if whole.isascii():
        # A byte for each character.
        np.cumsum(np.fromiter(map(len, texts), np.int64, len(texts)), out=offsets[1:])
        return StringBuffer(np.frombuffer(bytearray(whole.encode()), dtype=np.uint8), offsets)
    pieces = [text.encode() for text in texts]
    np.cumsum([len(piece) for piece in pieces], out=offsets[1:])
    return StringBuffer(np.frombuffer(bytearray(b"".join(pieces)), dtype=np.uint8), offsets)


def joined(parts: Sequence[StringBuffer]) -> StringBuffer:
    """Put the texts of several parts end to end.

    >>> joined([pack(["a"]), pack([]), pack(["bc", "d"])]).strings()
    ['a', 'bc', 'd']
    """
    starts = np.cumsum([0, *(int(part.offsets[-1]) for part in parts)])
    ends = [part.offsets[1:] + start for part, start in zip(parts, starts, strict=False)]
    buffers = [part.buffer[: part.offsets[-1]] for part in parts]
    return StringBuffer(np.concatenate(buffers), np.concatenate([np.zeros(1, np.int64), *ends]))
