"""Long and wide form against the same by hand in NumPy, in one process and in turn.

    python benchmarks/reshape.py [ROWS] [COLUMNS]

A table of 1 million rows and 24 columns of integers is made long and wide again. By hand, ready arrays are repeated and
interleaved (`np.repeat`, `np.tile`, `np.stack`), and put back by sorted keys and a scatter (`np.unique`); no names, places
or reasons are kept. Printed are the least of three rounds of each, their ratio, and the most memory that Comb held while
it worked, over the size of the result.
"""

import sys
import time
import tracemalloc
from collections.abc import Callable
from typing import Any

import numpy as np

import comb
from comb.interface.table import Table
from comb.tables.column import Column
from comb.tables.types import INTEGER

ROUNDS = 3


def least(work: Callable[[], Any]) -> tuple[Any, float]:
    """Return what some work gives, and the least seconds of three rounds."""
    seconds, made = float("inf"), None
    for _ in range(ROUNDS):
        begin = time.perf_counter()
        made = work()
        seconds = min(seconds, time.perf_counter() - begin)
    return made, seconds


def peak(work: Callable[[], Any]) -> float:
    """Return the most bytes that were held at once by some work, beyond those before it."""
    tracemalloc.start()
    work()
    most = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return float(most)


def main(rows: int, columns: int) -> None:
    """Measure both directions."""
    random = np.random.default_rng(1)
    ids, wide = np.arange(rows), [random.integers(0, 10**6, rows) for _ in range(columns)]
    names = [f"m{at:02}" for at in range(columns)]
    table = Table({"id": Column(INTEGER, ids), **{n: Column(INTEGER, v) for n, v in zip(names, wide, strict=True)}})

    def to_long() -> tuple[Any, ...]:
        return np.repeat(ids, columns), np.tile(np.arange(columns), rows), np.stack(wide, axis=1).ravel()

    def to_wide() -> Any:
        found, place = np.unique(keys, return_inverse=True)
        made = np.zeros((columns, len(found)), np.int64)
        made[heads, place] = values
        return found, made

    (keys, heads, values), by_hand = least(to_long)
    long, ours = least(lambda: table.to_long(names, heading_column="month", value_column="value"))
    size = 8.0 * rows * columns
    most = peak(lambda: table.to_long(names, heading_column="month", value_column="value"))
    print(f"{rows:,} rows x {columns} columns")
    print(f"to_long  by hand {by_hand:6.2f} s  comb {ours:6.2f} s  {ours / by_hand:.2f} x (at most 1)", end="")
    print(f"  memory {most / size:.1f} columns of the result")
    _, by_hand = least(to_wide)
    back, ours = least(lambda: long.to_wide(heading_column="month", value_column="value"))
    most = peak(lambda: long.to_wide(heading_column="month", value_column="value"))
    print(f"to_wide  by hand {by_hand:6.2f} s  comb {ours:6.2f} s  {ours / by_hand:.2f} x (at most 1)", end="")
    print(f"  memory {most / size:.1f} times the cells")
    assert all(np.array_equal(back[name].array, values) for name, values in zip(names, wide, strict=True))


if __name__ == "__main__":
    given = [int(text) for text in sys.argv[1:3]]
    print(f"Comb {comb.__version__}")
    main(*(given + [1_000_000, 24][len(given) :]))
