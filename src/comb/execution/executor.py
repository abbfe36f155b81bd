"""Executors by the protocol of the standard library: what does the work of several threads, or of none.

Whoever divides work asks for an executor here and gives it plain functions; nobody else makes pools. That is all that
has to change for work to be done elsewhere: anything that is a `concurrent.futures.Executor` will do.

With one thread, work is done where it is asked for, at once: Ctrl-C reaches it, and errors come up where they arise.
Pools are loaded when the first is asked for: they come with `logging`, and a small file takes neither.
"""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from concurrent.futures import Executor


def executor_of(threads: int) -> "Executor":
    """Return an executor of a number of threads; of one, the thread that asks does the work.

    >>> with executor_of(2) as executor:
    ...     list(executor.map(str, range(3)))
    ['0', '1', '2']
    """
    from concurrent.futures import ThreadPoolExecutor

    from comb.execution.serial_executor import SerialExecutor

    return ThreadPoolExecutor(threads) if threads > 1 else SerialExecutor()


def helper() -> "Executor":
    """Return an executor for one task after the other, beside the thread that asks."""
    from concurrent.futures import ThreadPoolExecutor

    return ThreadPoolExecutor(1)
