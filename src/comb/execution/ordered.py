"""Work on items in parallel and give the results in order."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from typing import TYPE_CHECKING, TypeVar

from comb.execution.executor import executor_of

if TYPE_CHECKING:
    from concurrent.futures import Future

Item = TypeVar("Item")
Result = TypeVar("Result")


def in_order(
    work: Callable[[Item], Result], items: Iterable[Item], threads: int, stop: Callable[[], None] = lambda: None
) -> Iterator[Result]:
    """Work on items, several at a time; not many more are begun than were asked for.

    Parameters
    ----------
    work : callable
    items : iterable
    threads : int
    stop : callable
        Called when it ends before all is done, by an error or Ctrl-C: what is being worked on may then end early.

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
    except BaseException:
        stop()
        raise
    finally:
        executor.shutdown(cancel_futures=True)
