"""What a whole plan costs: its run against the load, and the record of all changed cells against the run.

    python benchmarks/plan.py [ROWS]

A file of ROWS visits (2,500,000) with ten columns, and a plan of ten steps that change about one cell in twenty. Printed
are the ratios: the run over the load of the same file, and over the run without the record of changed cells; and the
seconds that the trace of one cell from the saved folder takes.
"""

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

import comb
from comb.writing import dataset

ROUNDS = 3

PLAN = """\
source: visits.csv
reading: {missing: []}
steps:
  - {step: trim, columns: place, why: the export pads names}
  - {step: recode, column: queen, values: {lay: laying, Laying: laying}, why: three spellings}
  - {step: replace_values, columns: mites, above: 900, why: 999 means not counted}
  - {step: fill, columns: kg, from_row: above, by: hive, order_by: day, why: weighed once a week}
  - {step: fill, columns: frames, from_group: median, by: place, why: not counted}
  - {step: replace_text, columns: note, old: "box ", new: "B", why: short}
  - {step: round, columns: temperature, digits: 1, where: temperature > 30, why: the sensor is not finer}
  - {step: calculate, columns: {net: kg - tare}}
  - {step: remove_duplicates, why: exported twice}
  - {step: filter, where: day >= date '2025-01-15'}
rules:
  - {check: net > 0}
  - {unique: [hive, day, note]}
save: tidy
"""


def write_visits(path: Path, rows: int) -> None:
    """Write a file of visits of which about one cell in twenty needs a repair."""
    chance = np.random.default_rng(7)
    per_hive = 500
    places = [f"place {at:03}" for at in range(200)]
    with path.open("w", encoding="utf-8") as file:
        file.write("hive,place,day,queen,mites,kg,tare,frames,temperature,note\n")
        for start in range(0, rows, 100_000):
            count = min(100_000, rows - start)
            odd = chance.random((count, 8)) < 0.0625
            at = np.arange(start, start + count)
            days = (np.datetime64("2025-01-01") + at % per_hive).astype(str).tolist()
            numbers = chance.random((count, 4)).tolist()
            lines = []
            for row, flags, (one, two, three, four), day in zip(at.tolist(), odd.tolist(), numbers, days, strict=True):
                hive = row // per_hive
                place = places[hive % 200]
                lines.append(
                    f"h{hive:05},{f' {place}' if flags[0] else place},{day},{'lay' if flags[1] else 'laying'},"
                    f"{999 if flags[2] else int(one * 40)},{'' if flags[3] else f'{20 + two * 20:.1f}'},"
                    f"{10 + three * 3:.1f},{'' if flags[4] else 4 + int(four * 8)},"
                    f"{30 + one * 8 if flags[5] else 10 + one * 20:.2f},{f'box {row % 97}' if flags[6] else ''}\n"
                )
            file.writelines(lines)


def timed(work: Callable[[], Any]) -> tuple[Any, float]:
    """Return what some work gives, and the least seconds of three rounds."""
    least, made = float("inf"), None
    for _ in range(ROUNDS):
        begin = time.perf_counter()
        made = work()
        least = min(least, time.perf_counter() - begin)
    return made, least


def main(rows: int) -> None:
    """Measure the run of the plan."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_visits(folder / "visits.csv", rows)
        (folder / "plan.yaml").write_text(PLAN)
        _, load = timed(lambda: comb.load(folder / "visits.csv"))
        plan = comb.Plan.load(folder / "plan.yaml")
        outcome, whole = timed(lambda: plan.run(overwrite=True))
        sizes = {path.name: path.stat().st_size for path in (folder / "tidy").iterdir()}
        listed = dataset.changed_cells
        # The same run without the list of changed cells.
        dataset.changed_cells = lambda taken, form: iter(())  # type: ignore[assignment]
        _, without = timed(lambda: plan.run(overwrite=True))
        dataset.changed_cells = listed
        plan.run(overwrite=True)
        _, traced = timed(lambda: comb.trace(folder / "tidy", rows // 2, "kg"))
        changed = sum(sum(entry.cells_changed.values()) for entry in outcome.ledger["visits"])
        print(f"{rows:,} rows, {changed:,} cells changed")
        print(f"load                  {load:6.2f} s")
        print(f"run                   {whole:6.2f} s  {whole / load:.1f} x the load (at most 3)")
        print(
            f"  without the record  {without:6.2f} s  the record costs {100 * (whole / without - 1):.0f} % (at most 25)"
        )
        print(f"trace of a cell       {traced:6.2f} s  from the folder (at most 1)")
        print("large files:", ", ".join(f"{name} {size / 1e6:.1f} MB" for name, size in sizes.items() if size > 1e6))


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 2_500_000)
