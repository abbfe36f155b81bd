"""What the machine has to offer: how many threads are used, how much memory is left.

Results never depend on it, only time and memory do.
"""

import os
from dataclasses import dataclass, field

# More threads than this are held up by what they share.
MOST_THREADS = 8

# Large enough that the work outweighs the handing out, small enough for the caches.
CHUNK_BYTES = 3_000_000


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
