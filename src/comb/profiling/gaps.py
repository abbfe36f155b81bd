"""Where cells are missing, by row: how many rows have how many gaps, and what leaving them out would cost."""

from dataclasses import dataclass

import numpy as np

from comb.errors import agree, counted
from comb.tables.table import BareTable

# Columns named, and numbers of gaps.
MOST_NAMED = 3


@dataclass(frozen=True, slots=True)
class Gaps:
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
    counts = np.zeros(table.row_count, np.int64)
    holes = {name: column.missing for name, column in table.columns.items() if column.missing_count}
    for missing in holes.values():
        counts += missing
    by_count = {gaps: int(count) for gaps, count in enumerate(np.bincount(counts).tolist()) if count}
    one = counts == 1
    whole = by_count.get(0, 0)
    without = [(name, whole + int((missing & one).sum())) for name, missing in holes.items()]
    return Gaps(table.row_count, by_count, tuple(sorted(without, key=lambda pair: -pair[1])))
