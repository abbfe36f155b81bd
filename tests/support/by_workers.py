"""Work given to workers in small pieces, which are sent to and fro as between processes, but done here."""

import pickle
from collections.abc import Callable
from concurrent.futures import Executor, Future
from typing import Any

from comb.execution.cluster import Workers
from comb.execution.resources import Resources
from comb.execution.serial_executor import SerialExecutor


class SendingExecutor(Executor):
    """Does its work at once, on copies."""

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        """Do some work, all of which and its result are pickled."""
        with SerialExecutor() as executor:
            return executor.submit(_done_on_copies, pickle.dumps((fn, args, kwargs)))


def _done_on_copies(sent: bytes) -> Any:
    work, arguments, named = pickle.loads(sent)
    return pickle.loads(pickle.dumps(work(*arguments, **named)))


def by_workers(task_bytes: int, chunk_bytes: int = 60) -> Resources:
    """Return resources with workers, for which even small files are large."""
    workers = Workers(SendingExecutor(), 2, "the workers")
    return Resources(1, chunk_bytes, workers=workers, task_bytes=task_bytes)
