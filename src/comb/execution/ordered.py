"""Work on items in parallel and give the results in order."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future
from typing import TypeVar

from comb.execution.executor import executor_of

Item = TypeVar("Item")
Result = TypeVar("Result")


def in_order(work: Callable[[Item], Result], items: Iterable[Item], threads: int) -> Iterator[Result]:
    """Work on items, several at a time; not many more are begun than were asked for.

    >>> list(in_order(str, range(5), 2))
    ['0', '1', '2', '3', '4']
    """
    if threads == 1:
        yield from map(work, items)
        return
    executor = executor_of(threads)
    begun: deque[Future[Result]] = deque()
    try:
        for item in items:
            begun.append(executor.submit(work, item))
            if len(begun) > threads:
                yield begun.popleft().result()
        while begun:
            yield begun.popleft().result()
    finally:
        executor.shutdown(cancel_futures=True)
