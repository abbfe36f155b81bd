"""Where a window reaches over a gap: `lag` gives the row before, which need not be the period before."""

from collections.abc import Iterator, Sequence

import numpy as np

from comb.errors import counted
from comb.expressions.nodes import AggregateCall, Name, Node, children
from comb.expressions.parser import parse
from comb.kernels.grouping import group
from comb.tables.table import BareTable

REACHING = frozenset({"lag", "lead"})
PERIODS = frozenset({"date", "datetime", "integer"})

# Steps are those of a series if this share of them is equal, months and years of different length among them.
LEAST_REGULAR = 0.75
LEAST_STEPS = 5
_OF_ONE_LENGTH = ((28, 31), (90, 92), (365, 366))
_MICROSECONDS = 86_400_000_000


def gap_notes(formula: str, table: BareTable, by: Sequence[str]) -> tuple[str, ...]:
    """Say in how many rows `lag` and `lead` reach over a gap in the order they go by.

    Parameters
    ----------
    formula : str
    table : BareTable
    by : sequence of str
        Columns that form groups, besides those of the window.

    Returns
    -------
    tuple of str
        Nothing where the order is not regular: visits on days that somebody chose have no gaps. Cost: a sort for each
        window.
    """
    notes: dict[str, None] = {}
    for call in _reaching(parse(formula)):
        over = call.over
        if over is None or len(over.order) != 1 or not isinstance(over.order[0].node, Name):
            continue
        name = over.order[0].node.name
        parts = [*by, *(one.name for one in over.partition if isinstance(one, Name))]
        if len(parts) < len(by) + len(over.partition) or any(one not in table.columns for one in (name, *parts)):
            continue
        count = _gaps(table, name, parts)
        if count:
            rows = counted(count, "row")
            notes[f"{call.function} reaches over a gap in {name} in {rows}: its neighbour is not the next period"] = (
                None
            )
    return tuple(notes)


def _reaching(node: Node) -> Iterator[AggregateCall]:
    if isinstance(node, AggregateCall) and node.function in REACHING:
        yield node
    for child in children(node):
        yield from _reaching(child)


def _gaps(table: BareTable, name: str, parts: Sequence[str]) -> int:
    """Return how many rows follow a gap, if the others follow each other by equal steps."""
    column = table[name]
    if column.type.plain.word not in PERIODS:
        return 0
    present = np.flatnonzero(column.present)
    values = column.array[present].astype(np.int64)
    if column.type.plain.word == "datetime":
        values = values // _MICROSECONDS
    codes = group([table[one]._codes()[present] for one in parts], len(present))[0]
    order = np.lexsort((values, codes))
    steps = np.diff(values[order])[codes[order][1:] == codes[order][:-1]]
    steps = steps[steps > 0]
    if len(steps) < LEAST_STEPS:
        return 0
    used, counts = np.unique(steps, return_counts=True)
    usual = int(used[counts.argmax()])
    low, high = next((ends for ends in _OF_ONE_LENGTH if ends[0] <= usual <= ends[1]), (usual, usual))
    if column.type.plain.word == "integer":
        low = high = usual
    regular = (steps >= low) & (steps <= high)
    return int((steps > high).sum()) if regular.mean() >= LEAST_REGULAR else 0
