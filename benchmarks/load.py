"""Time of loading a delimited file, as a ratio to walking it with the csv module.

    python benchmarks/load.py [ROWS]

Makes a file of 12 mixed columns in a temporary folder, walks it with ``csv.reader``
doing nothing, loads it, and prints a table. The walk is the yardstick: it runs in the
same process on the same file.
"""

import csv
import sys
import tempfile
import time
import tracemalloc
from pathlib import Path
from random import Random

import comb

ROWS = 100_000
NAMES = [
    "id",
    "day",
    "code",
    "place",
    "keeper",
    "count",
    "weight",
    "price",
    "share",
    "flag",
    "ratio",
    "notes",
]


def write_file(path: Path, rows: int) -> None:
    chance = Random(1)
    with path.open("w", newline="", encoding="utf-8") as stream:
        writer = csv.writer(stream)
        writer.writerow(NAMES)
        for row in range(rows):
            cells = [
                row,
                f"2025-{row % 12 + 1:02}-{row % 28 + 1:02}",
                f"{row % 977:04}",
                f"place {chance.randrange(500)}",
                f"keeper {chance.randrange(9)}",
                chance.randrange(1000),
                round(chance.random() * 50, 1),
                f"{chance.random() * 900:.2f}",
                chance.random(),
                chance.choice(["yes", "no"]),
                f"{chance.random():.3e}",
                chance.choice(["", f'said "hello" to {row}', f"two\nlines, {row}", "plain"]),
            ]
            writer.writerow(["" if chance.random() < 0.05 else cell for cell in cells])


def walk(path: Path) -> int:
    with path.open(newline="", encoding="utf-8") as stream:
        return sum(1 for _ in csv.reader(stream))


def seconds(work: object, *arguments: object) -> float:
    start = time.perf_counter()
    work(*arguments)  # type: ignore[operator]
    return time.perf_counter() - start


def main() -> None:
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else ROWS
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "mixed.csv")
        write_file(path, rows)
        size = path.stat().st_size
        yardstick = min(seconds(walk, path) for _ in range(3))
        loading = min(seconds(comb.load, path) for _ in range(2))
        table = comb.load(path)
        profiling = seconds(table.profile)
        saving = seconds(table.save, Path(folder, "saved.csv"))
        tracemalloc.start()
        comb.load(path)
        peak = tracemalloc.get_traced_memory()[1]
    print(f"{rows:,} rows, {len(NAMES)} columns, {size / 1e6:.1f} MB\n")
    print(f"{'work':<32}{'seconds':>9}{'MB/s':>8}{'times the walk':>16}")
    for name, time_taken in [
        ("walk with csv.reader", yardstick),
        ("comb.load, all columns typed", loading),
        ("profile of the loaded table", profiling),
        ("save as CSV", saving),
    ]:
        print(f"{name:<32}{time_taken:>9.2f}{size / 1e6 / time_taken:>8.1f}{time_taken / yardstick:>16.1f}")
    print(f"\npeak memory of the load: {peak / size:.1f} times the file")


if __name__ == "__main__":
    main()
