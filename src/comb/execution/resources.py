"""What the machine has to offer: how many threads are used, how much memory is left.

Results never depend on it, only time and memory do.
"""

import os
from dataclasses import dataclass, field
from pathlib import Path

from comb.errors import NotEnoughMemory

# More threads than this are held up by what they share.
MOST_THREADS = 8

# Large enough that the work outweighs the handing out, small enough for the caches.
CHUNK_BYTES = 3_000_000


# Loading takes at its peak this many times the file's size: with compiled kernels, with the
# plain-Python ones, and where the whole text has to be held and decoded beside the result.
MEMORY_FACTOR = 2
MEMORY_FACTOR_REFERENCE = 16
MEMORY_FACTOR_DECODED = 5

# Smaller files are never worth the question.
LARGE = 50_000_000


@dataclass(frozen=True, slots=True)
class Resources:
    """How work is divided.

    Attributes
    ----------
    threads : int
    chunk_bytes : int
        How much text is worked on at once by each.
    """

    threads: int = field(default_factory=lambda: min(os.cpu_count() or 1, MOST_THREADS))
    chunk_bytes: int = CHUNK_BYTES


DEFAULT = Resources()


def check_memory(size: int, factor: int, where: str) -> None:
    """Raise NotEnoughMemory before the machine begins to swap."""
    free = free_memory()
    if size < LARGE or free is None or size * factor <= free:
        return
    raise NotEnoughMemory(
        f"loading {size / 1e9:.1f} GB needs about {size * factor / 1e9:.1f} GB of memory, {free / 1e9:.1f} GB are free",
        where=where,
        remedy="read less of it: rows=..., or --rows",
    )


def free_memory() -> int | None:
    """Return how many bytes can be used without swapping; None where the system does not say."""
    try:
        with Path("/proc/meminfo").open(encoding="ascii") as stream:
            for line in stream:
                if line.startswith("MemAvailable:"):
                    return int(line.split()[1]) * 1024
    except (OSError, ValueError):
        pass
    return None
