"""Work on the columns of a table, several at a time: what a column becomes depends on no other.

Most of a step is work on whole arrays, which lets go of the interpreter's lock, so that as many threads as the machine
has are of use. Small tables are worked on in the thread that asks, where handing out would cost more than it saves,
and so are those on disk, of which one column at a time is in memory, or of several a block.
"""

from collections.abc import Callable, Sequence
from typing import TypeVar

from comb.execution.ordered import in_order
from comb.execution.storage import Storage

Item = TypeVar("Item")
Result = TypeVar("Result")

# With fewer cells than this in a column, threads are not worth while.
FEW_CELLS = 50_000


def for_each(
    work: Callable[[Item], Result], items: Sequence[Item], rows: int, storage: Storage, *, by_blocks: bool = False
) -> list[Result]:
    """Work on items and return the results in their order; the first error in that order is raised.

    Parameters
    ----------
    work : callable
        Takes an item, mostly the name of a column; may be called by several threads at once.
    items : sequence
    rows : int
        How many cells there are to each item.
    storage : Storage
        Says how many threads may work at once.
    by_blocks : bool
        Whether no more than a block of rows of each item is in memory.

    >>> from comb.execution.storage import MEMORY
    >>> for_each(len, ["mites", "kg"], 2, MEMORY)
    [5, 2]
    """
    threads = max(storage.threads, storage.blocks_at_once) if by_blocks else storage.threads
    if threads == 1 or rows < FEW_CELLS or len(items) == 1:
        return [work(item) for item in items]
    return list(in_order(work, items, min(threads, len(items))))
