"""Choose between memory and disk before any work: what is too large for memory is worked on in temporary files.

Nothing has to be asked for. What the work takes is estimated from the size of its sources (`comb.execution.memory`),
and held against what is free, or what the caller gives. Results are the same either way.
"""

import contextlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec
from msgspec.structs import replace

from comb.errors import NotEnoughSpace
from comb.execution.disk import DiskStorage, check_folder, temporary_folder, used_bytes
from comb.execution.memory import LARGE, LOAD, RUN, TIMES_REFERENCE, amount, bytes_of, free_memory
from comb.execution.resources import CHUNK_BYTES, TASK_BYTES, THREADS, Resources

if TYPE_CHECKING:
    from comb.execution.cluster import Workers

# The columns of a text take about as much space as the text, and those that steps change are kept once more.
DISK_TO_LOAD = 1.5
DISK_TO_RUN = 4.0

# With a small limit less text is worked on at once: this share of it, for all threads and what they make of it.
SHARE_OF_CHUNKS = 1 / 60
LEAST_CHUNK = 500_000

# The work gets at least this share of what is given, however much the process takes already.
LEAST_SHARE = 0.25


class Notice(str):
    """A message about progress that a person has to see, and not only while the work goes on."""

    __slots__ = ()


class Limits(msgspec.Struct, frozen=True):
    """What the caller gives to work with.

    Attributes
    ----------
    memory : str, int or None
        How much memory may be used: ``"2GB"``, or bytes; by default what is free.
    temporary : str, Path or None
        The folder for temporary files, on a disk; by default the system's.
    workers : int, str, Executor or None
        Processes that read large files; see `comb.execution.cluster.open_workers`. By default threads do.
    """

    memory: str | int | None = None
    temporary: str | Path | None = None
    workers: Any = None


NO_LIMITS = Limits()

# What workers are for.
FOR_WORKERS = f"they read whole files of delimited text in UTF-8 of more than {TASK_BYTES / 1e6:.0f} MB"


@contextlib.contextmanager
def working(
    size: int,
    times: float = LOAD,
    limits: Limits = NO_LIMITS,
    say: Callable[[str], None] = lambda text: None,
    *,
    compiled: bool = True,
) -> Iterator[Resources]:
    """Give the resources for some work: in memory where it fits, else on disk; with workers, if they are asked for.

    Parameters
    ----------
    size : int
        Of the sources, in bytes.
    times : float
        The work needs this many times as much memory.
    limits : Limits
    say : callable
        Called with a sentence if the work is done on disk.
    compiled : bool
        Whether the compiled kernels do it.

    Raises
    ------
    ParameterError
        If what is given cannot be: no folder, no amount.
    NotEnoughSpace
        If there is too little room for temporary files.
    WorkersFailed
        If the workers that are asked for are not there.
    """
    with _keeping(size, times, limits, say, compiled=compiled) as resources, _workers(limits.workers) as workers:
        yield resources if workers is None else replace(resources, workers=workers)
        if workers is not None and not workers.asked:
            say(Notice(f"the workers had nothing to do: {FOR_WORKERS}"))


def _workers(asked: Any) -> "contextlib.AbstractContextManager[Workers | None]":
    if asked is None:
        return contextlib.nullcontext()
    from comb.execution.cluster import open_workers

    return open_workers(asked)


@contextlib.contextmanager
def _keeping(
    size: int, times: float, limits: Limits, say: Callable[[str], None], *, compiled: bool
) -> Iterator[Resources]:
    given = None if limits.memory is None else bytes_of(limits.memory)
    if limits.temporary is not None:
        check_folder(Path(limits.temporary))
    free = free_memory() if given is None else given
    needed = int(size * times * (1 if compiled else TIMES_REFERENCE))
    if free is None or needed <= free or (given is None and size < LARGE):
        yield Resources(times_memory=times, memory=given, progress=say)
        return
    # Loaded when it is needed, as most work fits into memory.
    import shutil

    folder = temporary_folder(limits.temporary)
    room = int(size * (DISK_TO_RUN if times >= RUN else DISK_TO_LOAD))
    there = shutil.disk_usage(folder).free if folder.is_dir() else 0
    if folder.is_dir() and there < room:
        raise NotEnoughSpace(
            f"this takes about {amount(needed)} of memory, {amount(free)} may be used; "
            f"on disk it needs about {amount(room)}, {amount(there)} are free",
            where=str(folder),
            remedy="another folder: --temporary DIR, or temporary=",
        )
    # What is given is for all of the process; what is free is beside what it takes already.
    left = free if given is None else max(given - used_bytes(), int(given * LEAST_SHARE))
    chunk = max(LEAST_CHUNK, min(CHUNK_BYTES, int(left * SHARE_OF_CHUNKS)))
    with DiskStorage(folder, left, threads=THREADS) as storage:
        what = f"this takes about {amount(needed)} of memory, {amount(free)} may be used"
        say(Notice(f"{what}: working on disk; needs about {amount(room)} in {folder}"))
        yield Resources(chunk_bytes=chunk, storage=storage, times_memory=times, memory=free, progress=say)
