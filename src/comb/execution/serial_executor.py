"""An executor of the standard library's kind that has no thread of its own."""

from collections.abc import Callable
from concurrent.futures import Executor, Future
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
