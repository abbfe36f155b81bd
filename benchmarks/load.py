"""Time and memory of loading, looking at, profiling and saving, as ratios in one run.

    python benchmarks/load.py [MEGABYTES] [FOLDER]

Makes files of 12 mixed columns (numbers, dates, codes, names, notes with quotes and line ends,
5 % blanks), by default of 250 MB, and one of 10 million rows, in a temporary folder or in the one
given, where they are kept. The yardsticks of reading are a walk over the same file with ``csv.reader`` that does
nothing, and a scan of its bytes with NumPy, which finds commas and line ends in blocks of 1 MB; that of writing is
``csv.writer`` on the same values, ready as Python rows. Each measurement is made in a process of its own, so that memory
can be told. What is compared is measured in turn, since a shared machine is slower for a while; a ratio is the median
of those of five such pairs.
"""

import csv
import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from random import Random
from statistics import median

NAMES = ["id", "day", "code", "place", "keeper", "count", "weight", "price", "share", "flag", "ratio", "notes"]
BYTES_PER_ROW = 101
FEWEST_ROWS, MOST_ROWS = 100_000, 10_000_000
DIRTY = {"count": "many", "weight": "about 5", "price": "ask"}


def mixed_rows(chance: Random, rows: int, dirty: bool = False) -> Iterator[list[object]]:
    for row in range(rows):
        cells: list[object] = [
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
        if dirty:
            cells = [
                DIRTY[name] if name in DIRTY and chance.random() < 0.3 else cell
                for name, cell in zip(NAMES, cells, strict=True)
            ]
        yield ["" if chance.random() < 0.05 else cell for cell in cells]


def write_file(path: Path, header: list[str], rows: object, **form: object) -> Path:
    if not path.exists():
        with path.open("w", newline="", encoding="utf-8") as stream:
            writer = csv.writer(stream, **form)
            writer.writerow(header)
            writer.writerows(rows)
    return path


def make_files(folder: Path, megabytes: float) -> dict[str, Path]:
    """Make the files that are not there yet."""
    rows = int(megabytes * 1e6 / BYTES_PER_ROW)
    notes = max(1000, int(megabytes * 4000))
    wide = [f"c{at}" for at in range(2000)]
    chance = Random(2)
    wide_rows = ([chance.randrange(10**5) for _ in wide] for _ in range(max(20, int(megabytes * 80))))
    size = f"{megabytes:g}"
    return {
        "mixed": write_file(folder / f"mixed-{size}.csv", NAMES, mixed_rows(Random(1), rows)),
        "dirty": write_file(folder / f"dirty-{size}.csv", NAMES, mixed_rows(Random(1), rows, dirty=True)),
        "notes": write_file(
            folder / f"notes-{size}.csv",
            ["id", "note"],
            ((at, f"note {at}, seen by nobody else") for at in range(notes)),
        ),
        "wide": write_file(folder / f"wide-{size}.csv", wide, wide_rows),
        "quoted": write_file(
            folder / f"quoted-all-{size}.csv", NAMES, mixed_rows(Random(1), int(rows * 0.82)), quoting=csv.QUOTE_ALL
        ),
        **{
            f"{count} rows": write_file(folder / f"rows-{count}.csv", NAMES, mixed_rows(Random(1), count))
            for count in (FEWEST_ROWS, int(MOST_ROWS * min(1, megabytes / 250)))
        },
    }


# What runs in a process of its own: prints seconds, rows and the peak of memory in bytes.
_CHILD = """
import csv, json, resource, subprocess, sys, time
kind, path, threads = sys.argv[1], sys.argv[2], int(sys.argv[3])
if kind not in ("walk", "scan"):
    import comb
    from comb.interface.table import Table
    from comb.execution.resources import Resources
    from comb.reading.load import load_table
    from comb.tables.read_options import ReadOptions
    import comb.interface.loading
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
start, rows = time.perf_counter(), 0
if kind == "walk":
    with open(path, newline="", encoding="utf-8") as stream:
        rows = sum(1 for _ in csv.reader(stream))
elif kind == "scan":
    import numpy as np
    with open(path, "rb", buffering=0) as stream:
        while block := stream.read(1 << 20):
            seen = np.frombuffer(block, np.uint8)
            rows += len(np.flatnonzero((seen == 44) | (seen == 10)))
else:
    table = Table._adopt(load_table(path, ReadOptions(), resources=Resources(threads)))
    rows = len(table)
seconds = time.perf_counter() - start
peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
more = {}
if kind == "all":
    start = time.perf_counter(); table.profile(); more["profile"] = time.perf_counter() - start
    start = time.perf_counter(); table.save(sys.argv[4], overwrite=True); more["save"] = time.perf_counter() - start
    values = list(zip(*(column.to_list() for column in table.columns.values())))
    start = time.perf_counter()
    with open(sys.argv[4], "w", newline="", encoding="utf-8") as stream:
        csv.writer(stream).writerows(values)
    more["writer"] = time.perf_counter() - start
print(json.dumps({"seconds": seconds, "rows": rows, "memory": (peak - before) * 1024, "peak": peak * 1024, **more}))
"""


def measured(path: Path, *kinds: str, pairs: int = 5) -> list[list[dict[str, float]]]:
    """Measure several kinds of work in turn; for each kind, what each turn took."""
    scratch = str(path.with_suffix(".saved.csv"))
    found: list[list[dict[str, float]]] = [[] for _ in kinds]
    for _ in range(pairs):
        for kind, seen in zip(kinds, found, strict=True):
            what, _, threads = kind.partition(" ")
            command = [sys.executable, "-c", _CHILD, what, str(path), threads or "2", scratch]
            seen.append(json.loads(subprocess.run(command, check=True, capture_output=True).stdout))
    Path(scratch).unlink(missing_ok=True)
    return found


def ratio(one: list[dict[str, float]], other: list[dict[str, float]], what: str = "seconds") -> float:
    """Return the median of how many times as much the first took, over the pairs."""
    return median(a[what] / b[what] for a, b in zip(one, other, strict=True))


def per_row(runs: list[dict[str, float]]) -> float:
    """Return the median of the seconds for each row."""
    return median(one["seconds"] / one["rows"] for one in runs)


def command_seconds(*words: str) -> float:
    """Return how long a command of Comb's takes, the start of Python included."""
    code = (
        "import subprocess, sys, time; start = time.perf_counter();"
        "subprocess.run(sys.argv[1:], check=True, capture_output=True); print(time.perf_counter() - start)"
    )
    command = [sys.executable, "-c", code, sys.executable, "-c", "from comb.cli.main import main; main()", *words]
    # As installed: modules are kept as bytecode.
    usual = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    return min(float(subprocess.run(command, check=True, capture_output=True, env=usual).stdout) for _ in range(5))


def main() -> None:
    megabytes = float(sys.argv[1]) if len(sys.argv) > 1 else 250
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(sys.argv[2] if len(sys.argv) > 2 else scratch)
        folder.mkdir(parents=True, exist_ok=True)
        files = make_files(folder, megabytes)
        mixed, size = files["mixed"], files["mixed"].stat().st_size
        walk, scan, two, one, everything = measured(mixed, "walk", "scan", "load", "load 1", "all")
        few, many = (measured(path, "load")[0] for name, path in files.items() if name.endswith(" rows"))
        loads = two[0]["rows"]
        rows: list[tuple[str, str]] = [
            ("walk with csv.reader, MB/s", f"{size / median(one['seconds'] for one in walk) / 1e6:.0f}"),
            ("typed load, against the walk", f"{ratio(walk, two):.1f} x as fast"),
            ("typed load, against the scan", f"{ratio(two, scan):.2f} x its time"),
        ]
        for name in ("dirty", "notes", "wide", "quoted"):
            faster = ratio(*measured(files[name], "walk", "load"))
            rows.append((f"the same, {name}, against the walk", f"{faster:.1f} x as fast"))
        rows += [
            ("two threads against one", f"{ratio(one, two):.2f} x as fast"),
            ("memory for the load, over the file's size", f"{median(each['memory'] for each in two) / size:.2f}"),
            ("peak of the whole process, over the file's size", f"{median(each['peak'] for each in two) / size:.2f}"),
            (f"cost per row, {loads:,} rows against {few[0]['rows']:,}", f"{per_row(two) / per_row(few):.2f}"),
            (f"cost per row, {many[0]['rows']:,} rows against {loads:,}", f"{per_row(many) / per_row(two):.2f}"),
            ("comb inspect", f"{command_seconds('inspect', str(mixed)):.2f} s"),
            ("comb show", f"{command_seconds('show', str(mixed)):.2f} s"),
            (
                "save, against csv.writer",
                f"{median(each['writer'] / each['save'] for each in everything):.1f} x as fast",
            ),
            (
                "profile, against the load",
                f"{median(each['profile'] / each['seconds'] for each in everything):.1f} x its time",
            ),
        ]
    print(f"{loads:,} rows, {len(NAMES)} columns, {size / 1e6:.0f} MB\n")
    for name, figure in rows:
        print(f"{name:<52}{figure:>18}")


if __name__ == "__main__":
    main()
