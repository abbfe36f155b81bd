"""The texts of cells that did not fit their type, kept beside the column."""

from collections.abc import Mapping

import numpy as np

from comb.kernels.coding import Codes


class Kept:
    """Texts by position: few, so stored sparsely.

    Parameters
    ----------
    texts : mapping of int to str
        Position of the cell, and the text that stood there.
    """

    __slots__ = ("texts",)

    def __init__(self, texts: Mapping[int, str] | None = None) -> None:
        self.texts: Mapping[int, str] = dict(sorted((texts or {}).items()))

    def __len__(self) -> int:
        return len(self.texts)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Kept) and self.texts == other.texts

    def __hash__(self) -> int:
        return hash(tuple(self.texts.items()))

    def take(self, positions: Codes) -> "Kept":
        """Follow the cells to their new positions.

        >>> Kept({1: "n/a"}).take(np.array([2, 1, 1])).texts
        {1: 'n/a', 2: 'n/a'}
        """
        if not self.texts:
            return self
        holders = np.fromiter(self.texts, np.int64, len(self.texts))
        hits = np.flatnonzero(np.isin(positions, holders))
        return Kept({int(hit): self.texts[int(positions[hit])] for hit in hits})
