"""Columns that are text because of some words among numbers that all have one unit: ``$12.50`` and ``free``."""

from collections.abc import Collection

import numpy as np

from comb.errors import agree
from comb.kernels.types import IS_KNOWN
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, noticed, quoted
from comb.profiling.unit_conversion import NUMBER_MARKS
from comb.steps.cell_steps import Convert
from comb.tables.column import Column, Mask
from comb.tables.table import BareTable

# From this share of its values on, a column of texts is mostly of another type.
MOSTLY = 0.5


def words_among(table: ColumnCache, name: str, unit: str, texts: Collection[str]) -> Findings:
    """Tell which cells of a column of texts are something else than numbers with the unit that all its numbers have.

    Parameters
    ----------
    table : ColumnCache
    name : str
    unit : str
    texts : collection of str
        The numbers with the unit.
    """
    column = table[name]
    numbers = column.text.flags(texts.__contains__) & column.present
    rest = column.present & ~numbers & ~noticed(column, IS_KNOWN)
    count, read = int(rest.sum()), int(numbers.sum())
    if not count or read < MOSTLY * (read + count):
        return
    remedies = _readings(name, column, unit, numbers)
    says = f"{read:,} of {read + count:,} values of {name} are numbers with the unit {unit}, but not "
    says += f"{agree(count, 'this one', f'these {count:,}')}: it is kept as text"
    if len(remedies) == 1:
        says += f"; convert {name} with this unit keeps what does not fit beside the column"
    elif remedies:
        says += "; its marks could be thousands separators or decimal marks"
    shown = dict(column._take(np.flatnonzero(rest)).distinct().commonest(MOST_EXAMPLES))
    remedy = remedies[0] if len(remedies) == 1 else None
    yield Finding("type.unreadable", (name,), count, table.rows_where(rest), quoted(shown), says, remedy)


def _readings(name: str, column: Column, unit: str, numbers: Mask) -> list[Convert]:
    """Return the steps that read the numbers and nothing else: one for each way in which their marks can be read."""
    alone = BareTable({name: column._replace(evidence=None)})
    found: list[tuple[Convert, list[object]]] = []
    for decimal_mark, group_mark in NUMBER_MARKS:
        for kind in ("integer", "decimal"):
            step = Convert(columns={name: kind}, unit=unit, decimal_mark=decimal_mark, group_mark=group_mark)
            made = step.apply(alone).table[name]
            if np.array_equal(made.present, numbers):
                values = made._take(np.flatnonzero(numbers)).to_list()
                if all(values != other for _, other in found):
                    found.append((step, values))
                break
    return [step for step, _ in found]
