"""Where cells are missing, by row: how many rows have how many gaps, and what leaving them out would cost."""

import msgspec
import numpy as np

from comb.errors import agree, counted
from comb.execution.storage import blocks_of
from comb.tables.table import BareTable

# Columns named, and numbers of gaps.
MOST_NAMED = 3


class Gaps(msgspec.Struct, frozen=True):
    """The rows of a table by their missing cells.

    Attributes
    ----------
    rows : int
    by_count : dict of int to int
        How many rows have how many missing cells.
    without : tuple of (str, int)
        For each column with missing cells, how many rows would be whole without it; the most first.
    """

    rows: int
    by_count: dict[int, int]
    without: tuple[tuple[str, int], ...]

    @property
    def whole(self) -> int:
        """Rows with nothing missing."""
        return self.by_count.get(0, 0)

    def lines(self) -> list[str]:
        """Say it in a sentence or two; nothing where no cell is missing."""
        if not self.without:
            return []
        some = [(gaps, count) for gaps, count in self.by_count.items() if gaps]
        parts = [f"{count:,} with {counted(gaps, 'gap')}" for gaps, count in some[:MOST_NAMED]]
        rest = sum(count for _, count in some[MOST_NAMED:])
        parts += [f"{rest:,} with more"] if rest else []
        are = agree(self.whole, "is", "are")
        text = f"{self.whole:,} of {counted(self.rows, 'row')} {are} without a gap, {', '.join(parts)}"
        gains = [f"without {name} {count:,}" for name, count in self.without[:MOST_NAMED] if count > self.whole]
        return [text + (f"; {', '.join(gains)} would have none" if gains else "")]


def gaps_of(table: BareTable) -> Gaps:
    """Count the missing cells of each row.

    Cost: a pass over the columns with missing cells.
    """
    states = {name: column.state for name, column in table.columns.items() if column.state is not None}
    found = np.zeros(len(states) + 1, np.int64)
    alone = dict.fromkeys(states, 0)
    for rows in blocks_of(table.row_count, table._storage.block_rows):
        holes = {name: state[rows] != 0 for name, state in states.items()}
        counts = np.zeros(rows.stop - rows.start, np.int64)
        for missing in holes.values():
            counts += missing
        found += np.bincount(counts, minlength=len(found))
        one = counts == 1
        for name, missing in holes.items():
            alone[name] += int(np.count_nonzero(missing & one))
    by_count = {gaps: int(count) for gaps, count in enumerate(found.tolist()) if count}
    whole = by_count.get(0, 0)
    without = [(name, whole + count) for name, count in alone.items()]
    return Gaps(table.row_count, by_count, tuple(sorted(without, key=lambda pair: -pair[1])))
