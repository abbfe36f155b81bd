"""What a whole plan costs: its run against the load, and the record of all changed cells against the run.

    python benchmarks/plan.py [ROWS]

A file of ROWS visits (2,500,000) with ten columns, and a plan of ten steps that change about one cell in twenty. Printed
are the ratios: the run over the load of the same file, the part of the run that goes into the record, and the seconds
that the trace of one cell from the saved folder takes.
"""

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

import comb
from comb.plans import outputs, run
from comb.writing import dataset

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


def main(rows: int) -> None:
    """Measure the run of the plan."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        write_visits(folder / "visits.csv", rows)
        (folder / "plan.yaml").write_text(PLAN)
        begin = time.perf_counter()
        comb.load(folder / "visits.csv")
        load = time.perf_counter() - begin
        spent: dict[str, float] = {}

        def timed(module: object, function: str) -> None:
            inner = getattr(module, function)

            def wrapped(*args: object, **options: object) -> object:
                start = time.perf_counter()
                made = inner(*args, **options)
                spent[function] = spent.get(function, 0.0) + time.perf_counter() - start
                return made

            setattr(module, function, wrapped)

        for module, function in (
            (run, "write_outputs"), (run, "take_step"), (run, "check_rule"), (run, "load_table"),
            (dataset, "compressed_if_large"), (dataset, "csv_bytes"), (dataset, "aside_rows"),
            (dataset, "dictionary_bytes"), (outputs, "_rule_line"),
        ):  # fmt: skip
            timed(module, function)
        begin = time.perf_counter()
        outcome = comb.Plan.load(folder / "plan.yaml").run()
        whole = time.perf_counter() - begin
        changed = sum(sum(entry.cells_changed.values()) for entry in outcome.ledger["visits"])
        record = spent["compressed_if_large"]
        print(f"{rows:,} rows, {changed:,} cells changed")
        print(f"load                {load:6.2f} s")
        print(f"run                 {whole:6.2f} s  {whole / load:.2f} x the load (at most 3)")
        print(
            f"  of it the record  {record:6.2f} s  {100 * record / (whole - record):.0f} % of the rest (at most 25 %)"
        )
        for function, seconds in sorted(spent.items(), key=lambda item: -item[1]):
            print(f"    {function:20} {seconds:6.2f} s")
        for entry in outcome.ledger["visits"]:
            print(f"    {entry.step:20} {entry.counts()}")
        sizes = {path.name: path.stat().st_size for path in (folder / "tidy").iterdir()}
        print("  ", ", ".join(f"{file} {size / 1e6:.1f} MB" for file, size in sizes.items() if size > 1e6))


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 2_500_000)
