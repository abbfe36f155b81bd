"""Count the distinct texts of a column that has no codes, without numbering those that no other cell holds.

Such a column has very many distinct texts: notes, identifiers. To number all of them takes a table of all, or parts on
disk. Here each text gets a fingerprint of 64 bits first. What has one of its own is surely a text of its own; only the
others, mostly few, are numbered and counted. So the counts are exact, whatever the fingerprints are.
"""

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import Storage, blocks_of
from comb.kernels import dispatch
from comb.kernels.grouping import Codes, candidates
from comb.kernels.string_buffer import StringBuffer
from comb.tables.column import Column
from comb.tables.numbered_texts import number_texts
from comb.tables.reasons import Reason
from comb.tables.stored import taken_text

# How many fingerprints are made at once, and how many texts measured.
AT_ONCE = 65_536

ASCII = 0x80


class RepeatedTexts(NamedTuple):
    """The distinct texts of the present cells of a column.

    Attributes
    ----------
    rows : int64 array
        Of each text that may be in several cells, the first position; ascending.
    counts : int64 array
        How many cells hold each of these.
    alone : int
        How many texts are in one cell each, besides.
    elsewhere : bool array
        Which cells are missing, or hold one of the texts that are counted.
    """

    rows: Codes
    counts: Codes
    alone: int
    elsewhere: NDArray[np.bool_]

    def counts_at(self, positions: Codes) -> Codes:
        """Return how many cells hold the text at some positions: of those in several, the first of them."""
        if not len(self.rows):
            return np.ones(len(positions), np.int64)
        at = np.minimum(np.searchsorted(self.rows, positions), len(self.rows) - 1)
        return np.where(self.rows[at] == positions, self.counts[at], 1)

    def first_alone(self, most: int) -> Codes:
        """Return the positions of the first texts that are in one cell, this many at most."""
        found: list[Codes] = []
        left = most
        for block in blocks_of(len(self.elsewhere)):
            some = np.flatnonzero(~self.elsewhere[block])[:left]
            found.append(some + block.start)
            left -= len(some)
            if not left:
                break
        return np.concatenate(found) if found else np.zeros(0, np.int64)


def repeated_texts(column: Column, storage: Storage) -> RepeatedTexts:
    """Count the distinct texts of the present cells.

    Parameters
    ----------
    column : Column
        Of texts, without codes.
    storage : Storage
        Keeps what is as long as the column.

    Returns
    -------
    RepeatedTexts
        Cost: a pass over the bytes, a sort of the fingerprints, and the numbering of what repeats.

    >>> from comb.execution.storage import MEMORY
    >>> from comb.tables.text import Text
    >>> from comb.tables.types import STRING
    >>> found = repeated_texts(Column(STRING, Text.from_items(["a", "b", "a", "c"])), MEMORY)
    >>> found.rows.tolist(), found.counts.tolist(), found.alone, found.first_alone(5).tolist()
    ([0], [2], 2, [1, 3])
    """
    count = len(column)
    elsewhere: NDArray[np.bool_] = storage.empty(count, np.bool_)
    for block in blocks_of(count, storage.block_rows):
        elsewhere[block] = False if column.state is None else column.state[block] != Reason.PRESENT
    missing = int(np.count_nonzero(elsewhere))
    likely = candidates(_prints(column), count, storage.empty)
    likely = likely[~elsewhere[likely]] if missing else likely
    elsewhere[likely] = True
    first, numbers = number_texts(taken_text(column.text, likely, storage).packed(), storage)
    counts = np.bincount(numbers, minlength=len(first)).astype(np.int64, copy=False)
    return RepeatedTexts(likely[first], counts, count - missing - len(likely), elsewhere)


def _prints(column: Column) -> Iterator[list[NDArray[np.uint64]]]:
    for block in blocks_of(len(column), AT_ONCE):
        yield [column._keys(block.start, block.stop)]


def shortest_and_longest(column: Column) -> tuple[int, int]:
    """Return how many characters the shortest and the longest present text has; of a column without codes.

    >>> from comb.tables.text import Text
    >>> from comb.tables.types import STRING
    >>> shortest_and_longest(Column(STRING, Text.from_items(["abc", "ü"])))
    (1, 3)
    """
    shortest, longest = np.iinfo(np.int64).max, 0
    text = column.text
    for block in blocks_of(len(column), AT_ONCE):
        offsets = text.offsets[block.start : block.stop + 1]
        within = text.buffer[int(offsets[0]) : int(offsets[-1])]
        if within.max(initial=0) < ASCII:
            lengths = np.diff(offsets)
        else:
            lengths = dispatch.kernels.traits(StringBuffer(within, offsets - offsets[0]), ())[1]
        if column.state is not None:
            lengths = lengths[column.state[block] == Reason.PRESENT]
        shortest = min(shortest, int(lengths.min(initial=shortest)))
        longest = max(longest, int(lengths.max(initial=0)))
    return shortest, longest
