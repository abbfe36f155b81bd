"""Work on items side by side and give the results in order."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

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
    pool = ThreadPoolExecutor(threads)
    begun: deque[Future[Result]] = deque()
    try:
        for item in items:
            begun.append(pool.submit(work, item))
            if len(begun) > threads:
                yield begun.popleft().result()
        while begun:
            yield begun.popleft().result()
    finally:
        pool.shutdown(cancel_futures=True)
