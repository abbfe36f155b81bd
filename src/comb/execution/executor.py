"""Executors by the protocol of the standard library: what does the work of several threads, or of none.

Whoever divides work asks for an executor here and gives it plain functions; nobody else makes pools. That is all that
has to change for work to be done elsewhere: anything that is a `concurrent.futures.Executor` will do.

With one thread, work is done where it is asked for, at once: Ctrl-C reaches it, and errors come up where they arise.
"""

from collections.abc import Callable
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from typing import Any, TypeVar

Result = TypeVar("Result")


class SerialExecutor(Executor):
    """Does its work when it is submitted, in the thread that submits it.

    >>> with SerialExecutor() as executor:
    ...     executor.submit(pow, 2, 5).result()
    32
    """

    def submit(self, fn: Callable[..., Result], /, *args: Any, **kwargs: Any) -> Future[Result]:
        """Do some work, and return its result as a future that is done."""
        future: Future[Result] = Future()
        future.set_running_or_notify_cancel()
        try:
            future.set_result(fn(*args, **kwargs))
        except Exception as error:
            future.set_exception(error)
        return future


def executor_of(threads: int) -> Executor:
    """Return an executor of a number of threads; of one, the thread that asks does the work.

    >>> with executor_of(2) as executor:
    ...     list(executor.map(str, range(3)))
    ['0', '1', '2']
    """
    return ThreadPoolExecutor(threads) if threads > 1 else SerialExecutor()


def helper() -> Executor:
    """Return an executor for one task after the other, beside the thread that asks."""
    return ThreadPoolExecutor(1)
