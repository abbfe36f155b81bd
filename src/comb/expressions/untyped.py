"""Columns without a value go with everything in a formula, as null does.

A column in which a source has no value is text for want of anything better, as in a month in which nobody weighed.
``kg * 2`` and ``kg > 3`` mean what they mean in other months, so such columns take a type in which the formula has a
meaning: as texts where it has one, else the first that fits. All of their cells stay missing, for their own reasons.
A column whose values were taken out by a step, or which somebody declared to be text, keeps its type.
"""

from collections.abc import Callable, Collection, Iterator, Mapping
from itertools import product
from typing import TypeVar

from comb.errors import ExpressionError
from comb.expressions.nodes import Columns, Node, children, column_names
from comb.tables.column import Column
from comb.tables.evidence import nothing_in
from comb.tables.table import BareTable
from comb.tables.types import BOOLEAN, DATE, DATETIME, DURATION, INTEGER, NUMBER, STRING, TIME, Type

Checked = TypeVar("Checked")

_TYPES = (INTEGER, NUMBER, DATE, DATETIME, TIME, DURATION, BOOLEAN)

# Of more columns only types that are the same for all are tried.
MOST_APART = 3


def untyped_columns(table: BareTable) -> list[str]:
    """Return the columns in which the source has no value, of which nobody said what they are."""
    return [name for name, column in table.columns.items() if column._untyped]


def checked_with(
    check: Callable[[Mapping[str, Type]], Checked],
    node: Node,
    types: Mapping[str, Type],
    untyped: Callable[[], Collection[str]],
) -> tuple[Checked, dict[str, Type]]:
    """Check an expression; columns without a value take a type that it has a meaning with.

    Parameters
    ----------
    check : callable
        Checks it with the types of all columns.
    node : Node
        The expression.
    types : mapping of str to Type
    untyped : callable
        Gives the columns without a value; asked only where the expression does not fit.

    Returns
    -------
    checked, types
        What `check` returns, and the types that columns took.

    Raises
    ------
    ExpressionError
        As it is without such columns, if none of their types help.
    """
    try:
        return check(types), {}
    except ExpressionError:
        names = column_names(node)
        among = [name for name in untyped() if name in names or _takes_many(node)]
        for kinds in _typings(len(among)):
            own = dict(zip(among, kinds, strict=True))
            try:
                return check({**types, **own}), own
            except ExpressionError:
                continue
        raise


def with_types(table: BareTable, types: Mapping[str, Type]) -> BareTable:
    """Return a table in which columns without a value have other types."""
    if not types:
        return table
    return table._derive({**table.columns, **{name: table[name]._without_values(kind) for name, kind in types.items()}})


def told_untyped(made: Column, node: Node, table: BareTable) -> Column:
    """Return what a formula gave; text without a value that comes of columns without a value has no type either."""
    if made.type != STRING or made.present.any() or not any(table[name]._untyped for name in column_names(node)):
        return made
    return made._replace(evidence=nothing_in(len(made)))


def _takes_many(node: Node) -> bool:
    return isinstance(node, Columns) or any(map(_takes_many, children(node)))


def _typings(count: int) -> Iterator[tuple[Type, ...]]:
    if count:
        yield from ((kind,) * count for kind in _TYPES)
    if 1 < count <= MOST_APART:
        yield from product((STRING, *_TYPES), repeat=count)
