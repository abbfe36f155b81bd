"""Drawing, comparing and reporting beside loading, in one process.

    python benchmarks/pictures.py [ROWS]

A file of mixed columns is made and loaded; then each kind of picture is drawn of it and saved as PNG, two groups are
compared, a column is summarised and the report is made. Printed are the least seconds of three rounds of each, and the ratio
to the load of the same file in the same run. Ten million points are drawn apart: that takes an array, no file.
"""

import random
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

import comb
from comb.interface.table import Table
from comb.tables.column import Column
from comb.tables.types import NUMBER

ROUNDS = 3
POINTS = 10_000_000


def least(work: Callable[[], Any]) -> tuple[Any, float]:
    """Return what some work gives, and the least seconds of three rounds."""
    seconds, made = float("inf"), None
    for _ in range(ROUNDS):
        begin = time.perf_counter()
        made = work()
        seconds = min(seconds, time.perf_counter() - begin)
    return made, seconds


def write(place: Path, rows: int) -> None:
    """Write a file of visits."""
    chance = random.Random(1)
    with place.open("w") as file:
        file.write("visit,day,site,queen,mites,kg,note\n")
        for at in range(rows):
            day = f"2025-{at % 12 + 1:02}-{at % 28 + 1:02}"
            site, queen = f"site {chance.randrange(40)}", chance.choice(("laying", "virgin", "none"))
            mites = "" if at % 50 == 0 else chance.randrange(40)
            file.write(f"{at},{day},{site},{queen},{mites},{chance.gauss(30, 5):.1f},note {chance.randrange(5000)}\n")


def main(rows: int) -> None:
    """Measure everything beside the load."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder, "visits.csv")
        write(place, rows)
        comb.table(columns={"a": [1, 2]}).draw("histogram", x="a").to_bytes()
        table, load = least(lambda: comb.load(place))
        print(f"{rows:,} rows, {place.stat().st_size / 1e6:.0f} MB; load {load:.2f} s")
        print(f"{'work':<34}{'seconds':>9}{'of the load':>13}")
        pictures: dict[str, dict[str, Any]] = {
            "histogram": {"x": "kg"}, "histogram by group": {"x": "kg", "by": "queen"}, "bars": {"x": "site", "y": "kg"},
            "lines by group": {"x": "day", "y": "kg", "by": "queen"}, "scatter": {"x": "mites", "y": "kg"},
            "boxes": {"y": "kg", "by": "site"}, "missing": {},
        }  # fmt: skip
        works: dict[str, Callable[[], Any]] = {
            name: lambda name=name, given=given: table.draw(name.split(" ")[0], **given).to_bytes("png")
            for name, given in pictures.items()
        }
        works["summary of all columns"] = table.summary
        works["summary of one column"] = lambda: table.summary("kg")
        works["compare two columns"] = lambda: table.compare_groups("kg", "queen")
        works["profile"] = table.profile
        works["report"] = lambda: table.report().html
        for name, work in works.items():
            _, seconds = least(work)
            print(f"{name:<34}{seconds:>9.2f}{seconds / load:>12.2f}x")
    numbers = np.random.default_rng(1)
    many = Table({"x": Column(NUMBER, numbers.normal(size=POINTS)), "y": Column(NUMBER, numbers.normal(size=POINTS))})
    for name, given in (("scatter", {"x": "x", "y": "y"}), ("histogram", {"x": "x"})):
        _, seconds = least(lambda name=name, given=given: many.draw(name, **given).to_bytes("png"))
        print(f"{f'{name} of {POINTS:,} points':<34}{seconds:>9.2f}{'at most 2 s':>14}")


if __name__ == "__main__":
    print(f"Comb {comb.__version__}")
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000)
