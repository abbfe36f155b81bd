"""How work is divided, and where what it makes is kept. Results never depend on it, only time and memory do."""

import os
from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from comb.execution.memory import LOAD
from comb.execution.storage import MemoryStorage, Storage

if TYPE_CHECKING:
    from comb.execution.cluster import Workers

# Large enough that the work outweighs the handing out, small enough for the caches.
CHUNK_BYTES = 3_000_000

# Enough that giving a task out and sending its columns back is worth it.
TASK_BYTES = 16_000_000


# More threads than this are held up by what they share.
MOST_THREADS = 8
THREADS = min(os.cpu_count() or 1, MOST_THREADS)


class Resources(msgspec.Struct, frozen=True):
    """How work is divided.

    Attributes
    ----------
    threads : int
    chunk_bytes : int
        How much text is worked on at once by each.
    storage : Storage
        Where the columns are kept.
    times_memory : float
        What is done needs this many times the size of its source in memory; that is asked for before any work.
    memory : int or None
        How many bytes it may take; None means what is free.
    progress : callable
        Called now and then with how far a large source was read.
    workers : Workers, optional
        Processes that read large sources.
    task_bytes : int
        How much text is a task for a worker.
    """

    threads: int = THREADS
    chunk_bytes: int = CHUNK_BYTES
    storage: Storage = msgspec.field(default_factory=lambda: MemoryStorage(THREADS))
    times_memory: float = LOAD
    memory: int | None = None
    progress: Callable[[str], None] = lambda text: None
    workers: "Workers | None" = None
    task_bytes: int = TASK_BYTES


DEFAULT = Resources()
