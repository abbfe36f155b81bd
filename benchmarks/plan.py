"""What a whole plan costs: its run against the load, and the record of all changed cells against the run.

    python benchmarks/plan.py [MEGABYTES] [FOLDER]

The file is that of the load benchmark: 12 mixed columns of which 5 % of the cells are blank, by default 250 MB or
2.5 million rows, in a temporary folder or in the one given, where it is kept. The plan has ten steps that change about
one cell in twenty. Printed are the run over the load of the same file; the run over the same run without the list of
changed cells; and the seconds that the trace of one cell from the saved folder takes. Each is the least of three rounds.
"""

import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from random import Random
from typing import Any

import comb
from comb.writing import dataset
from load import BYTES_PER_ROW, NAMES, mixed_rows, write_file

ROUNDS = 3

PLAN = """\
source: SOURCE
steps:
  - {step: fill, columns: [place, code, ratio, day], from_row: above, why: written once for a run of rows}
  - {step: fill, columns: keeper, from_group: commonest, by: place}
  - {step: fill, columns: count, from_group: median, by: keeper}
  - {step: fill, columns: weight, from_group: mean, by: place}
  - {step: fill, columns: price, value: "0.00", why: blank means nothing was paid}
  - {step: replace_text, columns: notes, old: said, new: says, where: weight < 5}
  - {step: round, columns: share, digits: 2, where: share < 0.05}
  - {step: calculate, columns: {total: count * price}}
  - {step: remove_duplicates, why: exported twice}
  - {step: filter, where: id >= 1000 or id is null}
rules:
  - {check: total >= 0}
  - {unique: id}
save: tidy
"""


def timed(work: Callable[[], Any]) -> tuple[Any, float]:
    """Return what some work gives, and the least seconds of three rounds."""
    least, made = float("inf"), None
    for _ in range(ROUNDS):
        begin = time.perf_counter()
        made = work()
        least = min(least, time.perf_counter() - begin)
    return made, least


def nothing(*_: object) -> Iterator[Any]:
    """List no cells."""
    return iter(())


def main(megabytes: float, folder: Path) -> None:
    """Measure the run of the plan."""
    rows = int(megabytes * 1e6 / BYTES_PER_ROW)
    source = write_file(folder / f"mixed-{megabytes:g}.csv", NAMES, mixed_rows(Random(1), rows))
    (folder / "plan.yaml").write_text(PLAN.replace("SOURCE", source.name))
    _, load = timed(lambda: comb.load(source))
    plan = comb.Plan.load(folder / "plan.yaml")
    outcome, whole = timed(lambda: plan.run(overwrite=True))
    sizes = {path.name: path.stat().st_size for path in (folder / "tidy").iterdir()}
    listed, dataset.changed_cells = dataset.changed_cells, nothing
    _, without = timed(lambda: plan.run(overwrite=True))
    dataset.changed_cells = listed
    plan.run(overwrite=True)
    _, traced = timed(lambda: comb.trace(folder / "tidy", rows // 2, "weight"))
    [entries] = outcome.ledger.values()
    changed = sum(sum(entry.cells_changed.values()) for entry in entries)
    cells = 100 * changed / (rows * len(NAMES))
    print(f"{rows:,} rows, {len(NAMES)} columns, {changed:,} cells changed ({cells:.1f} %)")
    print(f"load                  {load:6.2f} s")
    print(f"run                   {whole:6.2f} s  {whole / load:.1f} x the load (at most 3)")
    print(f"  without the record  {without:6.2f} s  the record costs {100 * (whole / without - 1):.0f} % (at most 25)")
    print(f"trace of a cell       {traced:6.2f} s  from the folder (at most 1)")
    print("large files:", ", ".join(f"{name} {size / 1e6:.1f} MB" for name, size in sizes.items() if size > 1e6))


if __name__ == "__main__":
    size = float(sys.argv[1]) if len(sys.argv) > 1 else 250.0
    if len(sys.argv) > 2:
        main(size, Path(sys.argv[2]))
    else:
        with tempfile.TemporaryDirectory() as name:
            main(size, Path(name))
