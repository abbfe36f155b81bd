"""Which expressions are calculated row by row, and how that is done some rows at a time.

What a formula gives for a row depends on the cells of that row alone, unless it has an aggregate or a window in it,
compares by the order of choices, or casts texts, whose form is found out from all of them. Everything else may be
calculated block by block, and gives the same. It is done so for tables that are kept on disk: no more than a block of
any value in between is in memory then. Aggregates are taken first, a value for each group; with these at hand what
stands round them is calculated row by row too.
"""

from collections.abc import Callable, Iterator, Mapping

from comb.execution.ordered import in_order
from comb.execution.storage import Storage, blocks_of
from comb.expressions.nodes import AggregateCall, Cast, ChoiceRank, Literal, Name, Node, children
from comb.tables.collect import ColumnCollector, slice_of
from comb.tables.column import Column
from comb.tables.table import BareTable


def is_row_by_row(node: Node, *, grouped: bool = False) -> bool:
    """Return whether a value depends on the cells of its row alone.

    Parameters
    ----------
    node : Node
    grouped : bool
        Whether the values of groups are known.
    """
    if isinstance(node, AggregateCall):
        return grouped and node.over is None
    if isinstance(node, ChoiceRank):
        return False
    if isinstance(node, Cast) and not isinstance(node.operand, Literal):
        return False
    return all(is_row_by_row(child, grouped=grouped) for child in children(node))


def names_in(node: Node) -> Iterator[str]:
    """Return the columns that an expression is about, besides those that are aggregated."""
    if isinstance(node, Name):
        yield node.name
    elif not isinstance(node, AggregateCall):
        for child in children(node):
            yield from names_in(child)


def aggregates_in(node: Node) -> Iterator[AggregateCall]:
    """Return the aggregates of an expression that are in no other."""
    if isinstance(node, AggregateCall):
        yield node
        return
    for child in children(node):
        yield from aggregates_in(child)


def row_parts(node: Node, table: BareTable) -> Iterator[tuple[Mapping[str, Column], int]]:
    """Return the columns of an expression and the number of rows, some rows at a time where that is of use."""
    if not table._storage.on_disk or not is_row_by_row(node):
        yield table.columns, table.row_count
        return
    names = dict.fromkeys(names_in(node))
    for rows in blocks_of(table.row_count, table._storage.block_rows):
        yield {name: slice_of(table[name], rows) for name in names}, rows.stop - rows.start


def in_blocks(
    node: Node,
    columns: Mapping[str, Column],
    height: int,
    storage: Storage,
    calculate: Callable[[Mapping[str, Column], slice], Column],
) -> Column | None:
    """Calculate an expression some rows at a time; None where that is not possible or of no use.

    Parameters
    ----------
    node : Node
        Checked.
    columns : mapping of str to Column
        Of the table.
    height : int
        How many rows it has.
    storage : Storage
        Keeps what comes of it.
    calculate : callable
        Gives the values of some rows, of their columns and of where they stand; those of groups are known to it. May be
        called by several threads at once.
    """
    if not storage.on_disk or height <= storage.block_rows or isinstance(node, Name | Literal):
        return None
    if not is_row_by_row(node, grouped=True):
        return None
    names = dict.fromkeys(names_in(node))
    made = ColumnCollector(height, storage)
    blocks = (
        ({name: slice_of(columns[name], rows) for name in names}, rows)
        for rows in blocks_of(height, storage.block_rows)
    )
    parts = in_order(lambda part: calculate(*part), blocks, storage.blocks_at_once)
    return made.column() if all(map(made.add, parts)) else None
