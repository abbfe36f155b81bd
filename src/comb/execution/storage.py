"""Where large arrays are kept: whoever makes columns asks a storage for their memory. Pure.

A table that is larger than memory is an ordinary table whose arrays are in files; see `comb.execution.disk`.
"""

from collections.abc import Iterator
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

# Rows that are worked on at once.
BLOCK_ROWS = 500_000


def blocks_of(count: int, size: int = BLOCK_ROWS) -> Iterator[slice]:
    """Cut a number of rows into blocks.

    >>> list(blocks_of(5, 2))
    [slice(0, 2, None), slice(2, 4, None), slice(4, 5, None)]
    """
    return (slice(start, min(start + size, count)) for start in range(0, count, size))


class Storage(Protocol):
    """Says where large arrays are kept."""

    @property
    def on_disk(self) -> bool:
        """Whether arrays are kept in files."""

    @property
    def block_rows(self) -> int:
        """How many rows are worked on at once where that is up to the one who works."""

    @property
    def threads(self) -> int:
        """How many columns are worked on at once."""

    @property
    def blocks_at_once(self) -> int:
        """How many blocks of rows are worked on at once, of columns that are cut into such."""

    def empty(self, count: int, dtype: Any) -> NDArray[Any]:
        """Return an array whose values are still to be written."""

    def holds(self, array: NDArray[Any]) -> bool:
        """Return whether an array is kept here, or too small to matter."""


class MemoryStorage:
    """Keeps arrays in memory.

    Parameters
    ----------
    threads : int
        How many columns are worked on at once.

    >>> MEMORY.empty(3, np.int64).shape
    (3,)
    """

    on_disk = False
    block_rows = BLOCK_ROWS
    blocks_at_once = 1

    def __init__(self, threads: int = 1) -> None:
        self.threads = threads

    def empty(self, count: int, dtype: Any) -> NDArray[Any]:
        """Return an array whose values are still to be written."""
        return np.empty(count, dtype)

    def holds(self, array: NDArray[Any]) -> bool:
        """Return whether an array is kept here: all are."""
        return True

    def __reduce__(self) -> tuple[Any, ...]:
        return in_memory, ()


MEMORY = MemoryStorage()


def in_memory() -> MemoryStorage:
    """Return what a storage is after pickling: arrays are sent, files are not."""
    return MEMORY


def positions_in(mask: NDArray[np.bool_], storage: Storage) -> NDArray[np.int64]:
    """Return where a mask is true, as an array that a storage keeps.

    >>> positions_in(np.array([False, True, True]), in_memory()).tolist()
    [1, 2]
    """
    if not storage.on_disk:
        return np.flatnonzero(mask)
    found, at = storage.empty(int(np.count_nonzero(mask)), np.int64), 0
    for block in blocks_of(len(mask), storage.block_rows):
        here = np.flatnonzero(mask[block])
        found[at : at + len(here)] = here + block.start
        at += len(here)
    return found
