"""Measure how tables come from Python and go back to it: rows, lists, arrays, Arrow; and starting on a small file.

    python benchmarks/exchange.py

Every figure is a ratio to a yardstick in the same run: plain Python or NumPy doing the least that could be done.
"""

import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

import comb
from comb.demo.files import demo_bytes

ROWS = 1_000_000
TIMES = 5


def seconds(work: Callable[[], Any]) -> float:
    """Return the median of some runs."""
    found = []
    for _ in range(TIMES):
        begun = time.perf_counter()
        work()
        found.append(time.perf_counter() - begun)
    return statistics.median(found)


def show(what: str, own: float, yardstick: float, against: str) -> None:
    """Print a line of the table."""
    print(f"| {what} | {against} | {own / yardstick:.2f} x |")


def exchange() -> None:
    """Measure a table of a million rows in both directions."""
    integers, floats = list(range(ROWS)), [at / 7 for at in range(ROWS)]
    texts = [f"hive {at % 500}" for at in range(ROWS)]
    table = comb.table({"a": integers, "b": floats, "t": texts})
    columns = (integers, floats, texts)
    show("`rows()`, 3 columns", seconds(lambda: sum(1 for _ in table.rows())),
         seconds(lambda: sum(1 for _ in zip(*columns, strict=True))), "`zip` of the lists of values")  # fmt: skip
    cell = seconds(lambda: sum(1 for _ in table.rows())) / (3 * ROWS)
    print(f"| the same | | {cell * 1e6:.2f} µs a cell |")
    show(
        "a table of a list of integers",
        seconds(lambda: comb.table({"a": integers})),
        seconds(lambda: np.array(integers)),
        "`np.array(list)`",
    )
    show(
        "of a list of floats",
        seconds(lambda: comb.table({"a": floats})),
        seconds(lambda: np.array(floats)),
        "`np.array(list)`",
    )
    array = np.arange(ROWS)
    show("of an array", seconds(lambda: comb.table({"a": array})), seconds(array.copy), "a copy of it")
    given = pa.table(table)
    held = [array, np.array(floats), table["t"].text.numbers()]
    copied = seconds(lambda: [one.copy() for one in held])
    show("given to Arrow, 3 columns", seconds(lambda: pa.table(table)), copied, "a copy of their values")
    show("taken from Arrow", seconds(lambda: comb.table(given)), copied, "a copy of their values")


def starting() -> None:
    """Measure what a small file takes, the start of Python included."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "visits.csv"
        path.write_bytes(demo_bytes("inspections.csv"))
        usual = seconds(lambda: subprocess.run([sys.executable, "-c", "pass"], check=True))
        commands = {
            "`import numpy`": [sys.executable, "-c", "import numpy"],
            "`comb.load` of 200 KB": [sys.executable, "-c", f"import comb; comb.load({str(path)!r})"],
            "`comb show`": [sys.executable, "-m", "comb", "show", str(path)],
            "`comb inspect`": [sys.executable, "-m", "comb", "inspect", str(path)],
            "`comb profile`": [sys.executable, "-m", "comb", "profile", str(path)],
            "`comb --help`": [sys.executable, "-m", "comb", "--help"],
        }
        for what, command in commands.items():
            taken = seconds(
                lambda command=command: subprocess.run(
                    command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
                )
            )
            show(what, taken, usual, "`python -c pass`")


if __name__ == "__main__":
    print("| Work | against | Measured |\n|---|---|---|")
    exchange()
    starting()
