"""The texts of cells that did not fit their type, kept beside the column."""

from collections.abc import Mapping

import numpy as np

from comb.kernels.grouping import Codes
from comb.tables.text import Text


class Kept:
    """Texts by position: few, so stored sparsely.

    Parameters
    ----------
    texts : mapping of int to str
        Position of the cell, and the text that stood there.
    """

    __slots__ = ("_texts", "items", "positions")

    def __init__(self, texts: Mapping[int, str] | None = None) -> None:
        ordered = dict(sorted((texts or {}).items()))
        self.positions = np.fromiter(ordered, np.int64, len(ordered))
        self.items = Text.from_strings(list(ordered.values()))
        self._texts: Mapping[int, str] | None = ordered

    @classmethod
    def of(cls, positions: Codes, items: Text) -> "Kept":
        """Keep texts whose positions are ascending."""
        kept = cls.__new__(cls)
        kept.positions, kept.items, kept._texts = positions, items, None
        return kept

    @property
    def texts(self) -> Mapping[int, str]:
        """The texts by position."""
        if self._texts is None:
            self._texts = dict(zip(self.positions.tolist(), self.items.to_list(), strict=True))
        return self._texts

    def __len__(self) -> int:
        return len(self.positions)

    def __reduce__(self) -> tuple[object, ...]:
        return Kept.of, (self.positions, self.items)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Kept) and self.texts == other.texts

    def __hash__(self) -> int:
        return hash(tuple(self.texts.items()))

    def take(self, positions: Codes) -> "Kept":
        """Follow the cells to their new positions.

        >>> dict(Kept({1: "n/a"}).take(np.array([2, 1, 1])).texts)
        {1: 'n/a', 2: 'n/a'}
        """
        if not len(self) or not len(positions):
            return Kept()
        held = np.zeros(1 + max(int(positions.max()), int(self.positions[-1])), np.bool_)
        held[self.positions] = True
        hits = np.flatnonzero(held[positions])
        return Kept.of(hits, self.items.take(np.searchsorted(self.positions, positions[hits])))
