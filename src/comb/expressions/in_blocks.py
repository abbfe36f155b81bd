"""Which expressions are calculated row by row, and how that is done some rows at a time.

What a formula gives for a row depends on the cells of that row alone, unless it has an aggregate or a window in it,
compares by the order of choices, or casts texts, whose form is found out from all of them. Everything else may be
calculated block by block, and gives the same. It is done so for tables that are kept on disk: no more than a block of
any value in between is in memory then.
"""

from collections.abc import Callable, Iterator, Mapping

from comb.execution.ordered import in_order
from comb.execution.storage import blocks_of
from comb.expressions.nodes import AggregateCall, Cast, ChoiceRank, Literal, Name, Node, children
from comb.tables.collect import ColumnCollector, slice_of
from comb.tables.column import Column
from comb.tables.table import BareTable


def is_row_by_row(node: Node) -> bool:
    """Return whether a value depends on the cells of its row alone."""
    if isinstance(node, AggregateCall | ChoiceRank):
        return False
    if isinstance(node, Cast) and not isinstance(node.operand, Literal):
        return False
    return all(map(is_row_by_row, children(node)))


def names_in(node: Node) -> Iterator[str]:
    """Return the columns that an expression is about."""
    if isinstance(node, Name):
        yield node.name
    for child in children(node):
        yield from names_in(child)


def row_parts(node: Node, table: BareTable) -> Iterator[tuple[Mapping[str, Column], int]]:
    """Return the columns of an expression and the number of rows, some rows at a time where that is of use."""
    if not table._storage.on_disk or not is_row_by_row(node):
        yield table.columns, table.row_count
        return
    names = dict.fromkeys(names_in(node))
    for rows in blocks_of(table.row_count, table._storage.block_rows):
        yield {name: slice_of(table[name], rows) for name in names}, rows.stop - rows.start


def in_blocks(node: Node, table: BareTable, calculate: Callable[[Mapping[str, Column], int], Column]) -> Column | None:
    """Calculate an expression some rows at a time; None where that is not possible or of no use.

    Parameters
    ----------
    node : Node
        Checked.
    table : BareTable
    calculate : callable
        Gives the values of some rows, of their columns and their number. May be called by several threads at once.
    """
    small = table.row_count <= table._storage.block_rows
    if not table._storage.on_disk or small or isinstance(node, Name | Literal) or not is_row_by_row(node):
        return None
    made = ColumnCollector(table.row_count, table._storage)
    parts = in_order(lambda part: calculate(*part), row_parts(node, table), table._storage.blocks_at_once)
    return made.column() if all(map(made.add, parts)) else None
