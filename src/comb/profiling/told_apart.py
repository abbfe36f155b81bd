"""Whether the other columns of a table say different things of two values that look like one."""

import numpy as np

from comb.profiling.column_cache import ColumnCache
from comb.steps.cell_steps import tidied
from comb.tables.column import Column

# Another column tells values apart where each of the common ones has one value of it in this share of its rows.
TELLS = 0.95


def are_told_apart(table: ColumnCache, column: Column, rare: str, common: str) -> bool:
    """Return whether a column that the values decide says different things of two of them."""
    here = np.flatnonzero(column.text.flags(lambda text: tidied(text) == rare) & column.present)
    there = np.flatnonzero(column.text.flags(lambda text: tidied(text) == common) & column.present)
    # A single row that says otherwise may be wrong itself.
    if len(here) < 2:
        return False
    for other in table.columns.values():
        if other is column or other.type.plain.word in ("json", "boolean", "number") or other.missing_count:
            continue
        one, two = other._take(here).distinct(), other._take(there).distinct()
        (mine, _), (theirs, count) = one.commonest(1)[0], two.commonest(1)[0]
        if len(one) == 1 and mine != theirs and count >= TELLS * len(there) and len(other.distinct()) > 2:
            return True
    return False
