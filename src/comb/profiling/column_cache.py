"""A table as it is profiled: what several findings need is found once.

Findings and summaries ask for the same things: the present values of a column in order, how many cells are missing
for which reason, which texts are distinct, the codes of all texts. Each is found when the first of them asks, and
kept as long as the profile is made. Several threads may ask at once; at worst something is found twice, never half.
"""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.kernels.grouping import Codes
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.table import BareTable


class ColumnCache(BareTable):
    """A table whose texts have codes, with what was found out about its columns so far.

    May be asked by several threads at once: at worst something is found twice.
    """

    def __init__(self, columns: Mapping[str, Column], **given: Any) -> None:
        super().__init__(columns, **given)
        self._ordered: dict[str, NDArray[Any]] = {}
        self._counts: dict[str, Codes] = {}
        self._ascending: bool | None = None

    @classmethod
    def at(cls, table: BareTable) -> "ColumnCache":
        """Look at a table; equal texts are numbered once, for all that follows."""
        columns = {name: column._with_codes() for name, column in table.columns.items()}
        return cls(columns, row_numbers=table.row_numbers, origin=table.origin, notes=table.notes)

    def ordered(self, name: str) -> NDArray[Any]:
        """Return the present values of a column that is not text, in ascending order."""
        if name not in self._ordered:
            column = self[name]
            values = column.array[column.present] if column.missing_count else column.array
            self._ordered[name] = np.sort(values)
        return self._ordered[name]

    def state_counts(self, name: str) -> Codes:
        """Return how many cells of a column are present, and how many are missing for each reason."""
        if name not in self._counts:
            state = self[name].state
            missing = np.zeros(0, np.uint8) if state is None else state[np.flatnonzero(state)]
            counts = np.bincount(missing, minlength=len(Reason)).astype(np.int64)
            counts[Reason.PRESENT] = self.row_count - len(missing)
            self._counts[name] = counts
        return self._counts[name]

    def rows_where(self, where: NDArray[np.bool_]) -> Codes:
        """Return the row numbers, ascending, of the rows in a mask."""
        if self._ascending is None:
            # Steps seldom change the order of rows.
            self._ascending = bool((self.row_numbers[1:] > self.row_numbers[:-1]).all())
        rows = self.row_numbers[np.flatnonzero(where)]
        return rows if self._ascending else np.sort(rows)
