"""Workers: processes, on this machine or on others, that do tasks beside the process that asks.

A task is a plain value and a function of a module, so that anything with the protocol of `concurrent.futures.Executor`
can do it: processes that are started here (a number), the workers of `distributed` (the address of its scheduler, or a
client), or an executor that the caller has. Nothing else of an engine is used but `submit`.

Tasks are independent of each other and change nothing, so each may be done again. Three kinds of failure differ:

- An error that Comb raises on purpose in a task is the error of the work, and comes up as it is.
- A worker that dies (it was killed, or had too little memory) takes its task with it. Processes started here are
  started again, and what they had not finished is given out once more, the oldest task alone until it is done. An
  engine does so by itself. A task that a worker died of `MOST_DEATHS` times is named.
- Whatever else comes up means that the workers cannot be reached: their scheduler has ended, or the executor was shut
  down. That is one message too.

No more tasks are given out than the workers can begin, and some more, so that results do not pile up here.
"""

import contextlib
import logging
import threading
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import BrokenExecutor, CancelledError, Executor, Future
from typing import Any, Generic, TypeVar

import msgspec

from comb.errors import CombError, ParameterError, WorkersFailed

Task = TypeVar("Task")
Result = TypeVar("Result")

# So often a task may take its worker with it before it is given up.
MOST_DEATHS = 3

# For each worker this many tasks are given out: one that it does, and one that waits for it.
TASKS_A_WORKER = 2

# An executor that does not say how many workers it has gets this many tasks at once.
UNKNOWN_WORKERS = 8

# So long the scheduler of an engine is waited for, in seconds.
MOST_WAITING = 10

# So often it is looked whether the workers can still be reached, in seconds.
LOOK_EVERY = 1.0

# The name of the error by which `distributed` says that workers died of a task.
_KILLED = "KilledWorker"

# Under these names an engine tells what goes on.
_ENGINE_LOGGERS = (
    "distributed", "distributed.client", "distributed.core", "distributed.comm", "distributed.utils", "tornado",
    "tornado.application", "asyncio",
)  # fmt: skip


class Workers(msgspec.Struct):
    """What does tasks.

    Attributes
    ----------
    executor : Executor
    count : int
        How many tasks are done at the same time.
    name : str
        What to call them in messages.
    started_again : callable, optional
        Returns a new executor in place of one that broke; None where the caller's own broke.
    reachable : callable
        Says whether they can be reached still.
    asked : int
        How many tasks were given out so far.
    """

    executor: Executor
    count: int
    name: str
    started_again: Callable[[], Executor] | None = None
    reachable: Callable[[], bool] = lambda: True
    asked: int = 0

    def submit(self, work: Callable[[Task], Result], task: Task) -> Future[Result]:
        """Give out a task; what fails at once fails when its result is asked for."""
        self.asked += 1
        try:
            return self.executor.submit(work, task)
        except Exception as error:
            future: Future[Result] = Future()
            future.set_exception(error)
            return future

    def start_again(self) -> bool:
        """Replace workers that broke; returns whether that was possible."""
        if self.started_again is None:
            return False
        self.executor.shutdown(cancel_futures=True)
        self.executor = self.started_again()
        return True


class TaskQueue(Generic[Task, Result]):
    """Tasks that are given out in order, and their results, in order too.

    Parameters
    ----------
    workers : Workers
    work : callable
        Does a task; a function of a module.
    tasks : iterator
    where : callable
        Says of a task what it is about: for messages.
    """

    def __init__(
        self,
        workers: Workers,
        work: Callable[[Task], Result],
        tasks: Iterator[Task],
        where: Callable[[Task], str],
    ) -> None:
        self._workers = workers
        self._work = work
        self._tasks = tasks
        self._where = where
        self._ahead: deque[tuple[Task, Future[Result]]] = deque()

    def head(self) -> Task | None:
        """Return the next task; None when all are done."""
        self._fill()
        return self._ahead[0][0] if self._ahead else None

    def next(self) -> Result:
        """Return the result of the next task."""
        result = self._result(*self._ahead.popleft())
        self._fill()
        return result

    def drop(self) -> None:
        """Leave out the next task, whose result is not needed any more."""
        self._ahead.popleft()[1].cancel()

    def now(self, task: Task) -> Result:
        """Do a task before all others that were not begun yet."""
        return self._result(task, self._workers.submit(self._work, task))

    def close(self) -> None:
        """Take back what was not begun."""
        for _, future in self._ahead:
            future.cancel()
        self._ahead.clear()

    def _fill(self) -> None:
        while len(self._ahead) < TASKS_A_WORKER * self._workers.count:
            task = next(self._tasks, None)
            if task is None:
                return
            self._ahead.append((task, self._workers.submit(self._work, task)))

    def _result(self, task: Task, future: Future[Result]) -> Result:
        deaths = 0
        while True:
            try:
                result = self._waited_for(future)
                break
            except CombError:
                raise
            except BrokenExecutor:
                deaths += 1
                if deaths >= MOST_DEATHS or not self._workers.start_again():
                    raise self._died(task) from None
                # Alone, so that it shows whether it is this one that workers die of.
                future = self._workers.submit(self._work, task)
            except (Exception, CancelledError) as error:
                if type(error).__name__ == _KILLED:
                    raise self._died(task) from None
                raise self._gone(task, error) from None
        if deaths:
            self._ahead = deque((one, self._kept(one, future)) for one, future in self._ahead)
        return result

    def _waited_for(self, future: Future[Result]) -> Result:
        """Return a result when it is there; an engine that lost its scheduler never gives one."""
        while True:
            try:
                return future.result(timeout=LOOK_EVERY)
            except TimeoutError:
                if future.done():
                    raise
                if not self._workers.reachable():
                    raise ConnectionError("the connection was lost") from None

    def _kept(self, task: Task, future: Future[Result]) -> Future[Result]:
        """Return a task's future if it was done, a new one if it went with its worker."""
        done = future.done() and not future.cancelled() and future.exception() is None
        return future if done else self._workers.submit(self._work, task)

    def _died(self, task: Task) -> CombError:
        return WorkersFailed(
            f"a worker died of this piece, {MOST_DEATHS} times"
            if self._workers.started_again
            else "the workers died of this piece",
            where=self._where(task),
            remedy="it may take more memory than a worker has; read the file without workers to see what is in it",
        )

    def _gone(self, task: Task, error: BaseException) -> CombError:
        said = "the connection was lost" if isinstance(error, CancelledError) else str(error) or type(error).__name__
        return WorkersFailed(
            f"{self._workers.name} cannot be reached any more, or cannot do the work: {said}",
            where=self._where(task),
            remedy="nothing was written; see that they run, and have Comb, then run it again",
        )


@contextlib.contextmanager
def open_workers(asked: Any) -> Iterator[Workers | None]:
    """Find the workers that are asked for, and let them go in the end if they were started here.

    Parameters
    ----------
    asked : None, int, str or Executor
        How many processes on this machine; the address of a scheduler of `distributed`; its client; or any executor.

    Raises
    ------
    ParameterError
        If it is something else, or what it takes is not installed.
    WorkersFailed
        If there is nobody at the address.
    """
    if asked is None:
        yield None
    elif isinstance(asked, Executor):
        count = int(getattr(asked, "_max_workers", 0)) or UNKNOWN_WORKERS
        yield Workers(asked, count, "the workers of the executor")
    elif callable(getattr(asked, "get_executor", None)):
        yield _of_client(asked, "the workers")
    elif (processes := _number(asked)) is not None:
        if processes < 1:
            raise ParameterError(f"expected one worker or more, got {asked}", remedy="by default threads do the work")
        with _own_processes(processes) as workers:
            yield workers
    elif isinstance(asked, str) and "://" in asked:
        with _client(asked) as client:
            yield _of_client(client, f"the workers of {asked}")
    else:
        raise ParameterError(
            f"expected workers to be a number of processes, an address or an executor, got {asked!r}",
            remedy="for instance 4, or tcp://host:8786",
        )


def _number(asked: Any) -> int | None:
    if isinstance(asked, int) and not isinstance(asked, bool):
        return asked
    return int(asked) if isinstance(asked, str) and asked.strip().lstrip("-").isdigit() else None


@contextlib.contextmanager
def _own_processes(count: int) -> Iterator[Workers]:
    # Loaded when it is needed: most work is done by threads.
    import multiprocessing
    from concurrent.futures import ProcessPoolExecutor

    def start() -> Executor:
        # Not by a copy of this process: its threads would not be in the copy, but the locks that they hold would.
        executor = ProcessPoolExecutor(count, mp_context=multiprocessing.get_context("spawn"))
        with _interrupts_ignored():
            # A process begins with the first task for which there is no other, and ignores what is ignored then.
            for _ in range(count):
                executor.submit(int)
        return executor

    workers = Workers(start(), count, "the worker processes", start)
    try:
        yield workers
    finally:
        # Waited for: what a pool does in the background must not meet the end of the process.
        workers.executor.shutdown(cancel_futures=True)


@contextlib.contextmanager
def _interrupts_ignored() -> Iterator[None]:
    """Have Ctrl-C end the process that asks, which then lets its workers go, and not the workers beside it."""
    import signal

    if threading.current_thread() is not threading.main_thread():
        yield
        return
    before = signal.signal(signal.SIGINT, signal.SIG_IGN)
    try:
        yield
    finally:
        # None stands for a handler that Python did not set.
        signal.signal(signal.SIGINT, before or signal.SIG_DFL)


def _of_client(client: Any, name: str) -> Workers:
    """Return the workers of a client of `distributed`; it gives out a task again if its worker dies."""
    threads = sum(client.nthreads().values())
    if not threads:
        raise WorkersFailed("the scheduler has no workers", where=name, remedy="start some: dask worker ADDRESS")
    return Workers(client.get_executor(pure=False), threads, name, reachable=lambda: client.status != "closed")


@contextlib.contextmanager
def _client(address: str) -> Iterator[Any]:
    try:
        from distributed import Client  # type: ignore[import-not-found, unused-ignore]
    except ImportError:
        raise ParameterError(
            "workers at an address need the package distributed", remedy="pip install 'comb-tables[cluster]'"
        ) from None
    with _quiet():
        try:
            client: Any = Client(address, timeout=MOST_WAITING, set_as_default=False)  # type: ignore[no-untyped-call, unused-ignore]
        except (OSError, TimeoutError, ValueError) as error:
            said = str(error).splitlines()[0] if str(error) else type(error).__name__
            raise WorkersFailed(
                f"nobody answers: {said}", where=address, remedy="is the scheduler running there?"
            ) from None
        with contextlib.closing(client):
            yield client


@contextlib.contextmanager
def _quiet() -> Iterator[None]:
    """Have an engine say nothing itself: what goes wrong comes up as an error, once."""
    loggers = [logging.getLogger(name) for name in _ENGINE_LOGGERS]
    levels = [one.level for one in loggers]
    for one in loggers:
        one.setLevel(logging.CRITICAL + 1)
    try:
        yield
    finally:
        for one, level in zip(loggers, levels, strict=True):
            one.setLevel(level)
