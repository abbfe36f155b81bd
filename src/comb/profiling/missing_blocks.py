"""Where cells are missing: columns by blocks of rows, and which columns are missing together."""

from itertools import combinations

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import blocks_of
from comb.tables.table import BareTable

# What can be told apart on a page.
MOST_BLOCKS = 100
MOST_COLUMNS = 40

# Pairs of columns that are listed.
MOST_PAIRS = 10


class MissingBlocks(msgspec.Struct, frozen=True):
    """Missing cells by column and block of rows.

    Attributes
    ----------
    columns : tuple of str
        In table order; of many the emptiest.
    first, last : int64 arrays
        The positions of the rows of each block, from 1.
    counts : int64 array, columns x blocks
    rows, all_columns : int
        Of the table.
    left : int
        Columns that are not shown.
    """

    columns: tuple[str, ...]
    first: NDArray[np.int64]
    last: NDArray[np.int64]
    counts: NDArray[np.int64]
    rows: int
    all_columns: int
    left: int


def missing_blocks(table: BareTable, most: int = MOST_BLOCKS, columns: int = MOST_COLUMNS) -> MissingBlocks:
    """Count missing cells by column and block of rows.

    Parameters
    ----------
    table : BareTable
    most, columns : int
        The most blocks and columns.

    Returns
    -------
    MissingBlocks
        Cost: a pass over the columns with missing cells.
    """
    counts = {name: column.missing_count for name, column in table.columns.items()}
    chosen = set(sorted(counts, key=lambda name: -counts[name])[:columns])
    names = tuple(name for name in table.names if name in chosen)
    starts = np.unique(np.linspace(0, table.row_count, min(most, table.row_count) + 1).astype(np.int64)[:-1])
    found = np.zeros((len(names), len(starts)), np.int64)
    last = np.append(starts[1:], table.row_count)[: len(starts)]
    for at, name in enumerate(names):
        state = table[name].state
        if state is not None:
            found[at] = [np.count_nonzero(state[begin:end]) for begin, end in zip(starts, last, strict=True)]
    return MissingBlocks(
        names, starts + 1, last, found, table.row_count, len(table.names), len(table.names) - len(names)
    )


def missing_together(table: BareTable) -> list[tuple[str, str, int, float]]:
    """Return the pairs of columns that are most often missing in the same rows.

    Returns
    -------
    list of (str, str, int, float)
        Two columns, in how many rows both are missing, and the share of the rows in which either is. Only pairs with a
        share of half and more, the highest first. Cost: a product for each pair of columns with missing cells.
    """
    columns = {name: column for name, column in table.columns.items() if 0 < column.missing_count < len(column)}
    counts = {name: column.missing_count for name, column in columns.items()}
    names = sorted(columns, key=lambda name: -counts[name])[:MOST_COLUMNS]
    found = dict.fromkeys(combinations(names, 2), 0)
    for rows in blocks_of(table.row_count, table._storage.block_rows):
        holes = {name: columns[name].states[rows] != 0 for name in names}
        for one, other in found:
            found[one, other] += int(np.count_nonzero(holes[one] & holes[other]))
    pairs = []
    for (one, other), both in found.items():
        either = counts[one] + counts[other] - both
        if both > 1 and 2 * both >= either:
            pairs.append((one, other, both, both / either))
    return sorted(pairs, key=lambda pair: (-pair[3], -pair[2]))[:MOST_PAIRS]
