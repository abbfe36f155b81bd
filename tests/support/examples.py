"""How many examples laws draw: all, or the share that is asked for where the same tests run again in other settings."""

import os

SHARE = float(os.environ.get("COMB_TEST_SHARE", "1"))
LEAST = 5


def drawn(count: int) -> int:
    """Return how many of the examples of a law are drawn."""
    return max(LEAST, round(count * SHARE))
