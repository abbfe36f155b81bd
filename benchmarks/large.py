"""Work on disk against work in memory: python benchmarks/large.py [MEGABYTES] [--memory SIZE] [--folder DIR] [--only NAME]

A file of 12 mixed columns, by default 1,000 MB, is worked on by the command line in processes of its own: in memory, and
with so little that everything is kept in temporary files (``--memory``, by default a quarter of the file). Both are run
in turn; what they print or save has to be the same to the byte.

With ``--workers`` the file is counted by one and by two worker processes instead, against the threads of one process.

The table has for each kind of work the seconds of both, the speed on disk against that in memory in per cent, and the
largest memory of each process, as the system counts it.
"""

import argparse
import contextlib
import csv
import hashlib
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from random import Random

sys.path.insert(0, str(Path(__file__).parent))

from load import BYTES_PER_ROW, NAMES, mixed_rows, write_file

# Rows that are made one by one; a larger file repeats them with numbers and notes of their own.
BLOCK = 200_000

PLANS = {
    "run: rows": """
  - {step: trim, columns: [notes, keeper]}
  - {step: filter, where: weight > 1 or weight is null}
  - {step: calculate, columns: {total: count * price, size: "case when weight > 50 then 'heavy' else 'light' end"}}
  - {step: recode, column: keeper, values: {keeper 1: Anna, keeper 2: Bert}}
""",
    "run: fill, convert, groups": """
  - {step: fill, columns: [place, day], from_row: above}
  - {step: convert, columns: {code: string}}
  - {step: calculate, columns: {share_of_place: weight / sum(weight)}, by: place}
""",
    "run: aggregate": "  - {step: aggregate, by: place, columns: {n: count(*), kg: sum(weight), mean: avg(share)}}\n",
    "run: duplicates": "  - {step: remove_duplicates}\n",
    "run: sort": "  - {step: sort, by: [keeper, weight desc, id]}\n",
}
COMMANDS = {
    "count": ("count", "mixed.csv", "--by", "keeper"),
    "show --sort": ("show", "mixed.csv", "--sort", "weight desc", "--first", "5"),
    "profile": ("profile", "mixed.csv"),
}


def make_file(path: Path, megabytes: float) -> None:
    """Write the file, unless it is there."""
    if path.exists():
        return
    rows = int(megabytes * 1e6 / BYTES_PER_ROW)
    block = write_file(path.with_name("block.csv"), NAMES, mixed_rows(Random(1), min(rows, BLOCK)))
    with block.open(newline="", encoding="utf-8") as source:
        _, *records = csv.reader(source)
    block.unlink()
    with path.open("w", newline="", encoding="utf-8") as stream:
        writer = csv.writer(stream, lineterminator="\n")
        writer.writerow(NAMES)
        for start in range(0, rows, BLOCK):
            for record in records[: rows - start]:
                own = str(int(record[0]) + start) if record[0] else ""
                writer.writerow([own, *record[1:-1], f"{record[-1]} {own}" if record[-1] else ""])


def highest(process: int) -> float:
    """Return the most memory a process had so far, in MB; what the system says at its end counts its parent too."""
    with contextlib.suppress(OSError, IndexError):
        status = Path(f"/proc/{process}/status").read_text(encoding="ascii")
        return int(status.split("VmHWM:")[1].split()[0]) / 1000
    return 0.0


def run(folder: Path, arguments: tuple[str, ...], memory: str) -> tuple[float, float, str]:
    """Run a command; returns seconds, the largest memory in MB, and a checksum of what came of it."""
    start = time.perf_counter()
    words = [sys.executable, "-m", "comb", *arguments, "--memory", memory]
    most = 0.0
    with (folder / "printed").open("w+b") as printed:
        process = subprocess.Popen(words, cwd=folder, stdout=printed, stderr=subprocess.DEVNULL)
        while process.poll() is None:
            most = max(most, highest(process.pid))
            time.sleep(0.01)
        seconds = time.perf_counter() - start
        if process.returncode not in (0, 1):
            raise SystemExit(f"{' '.join(words)} failed")
        printed.seek(0)
        made = hashlib.sha256(printed.read())
    for path in sorted((folder / "tidy").glob("*")):
        made.update(path.read_bytes())
    return seconds, most, made.hexdigest()


def by_workers(folder: Path) -> None:
    """Print how long a count takes by threads, by one worker and by two."""
    took = {}
    for name, more in {"threads": (), "one worker": ("--workers", "1"), "two workers": ("--workers", "2")}.items():
        seconds, memory, made = run(folder, ("count", "mixed.csv", "--by", "keeper", *more), "1000TB")
        took[name] = seconds, made
        if made != took["threads"][1]:
            raise SystemExit(f"{name}: what came of it differs")
        print(f"{name:28}{seconds:>9.1f} s {memory:>6,.0f} MB", flush=True)
    print(f"two workers against one: {took['one worker'][0] / took['two workers'][0]:.2f} x")


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("megabytes", nargs="?", type=float, default=1000)
    parser.add_argument("--memory", default="")
    parser.add_argument("--folder", type=Path)
    parser.add_argument("--only", default="", help="work whose name begins so")
    parser.add_argument("--workers", action="store_true", help="count by workers")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory(dir=asked.folder) as place:
        folder = asked.folder or Path(place)
        make_file(folder / "mixed.csv", asked.megabytes)
        if asked.workers:
            by_workers(folder)
            return
        size = (folder / "mixed.csv").stat().st_size
        small = asked.memory or f"{max(150, size / 4e6):.0f}MB"
        print(f"{size / 1e6:,.0f} MB, on disk with --memory {small}\n")
        print(f"{'':28}{'in memory':>20}{'on disk':>20}{'speed':>8}")
        work = {**PLANS, **dict.fromkeys(COMMANDS, "")}
        for name, text in ((name, text) for name, text in work.items() if name.startswith(asked.only)):
            if text:
                plan = f"source: mixed.csv\nsteps:\n{text.strip(chr(10))}\nsave: tidy\n"
                (folder / "plan.yaml").write_text(plan, encoding="utf-8")
            arguments = ("run", "plan.yaml", "--overwrite") if text else COMMANDS[name]
            here, there = (run(folder, arguments, memory) for memory in ("1000TB", small))
            if here[2] != there[2]:
                raise SystemExit(f"{name}: what came of it differs")
            both = "".join(f"{seconds:>9.1f} s {memory:>6,.0f} MB" for seconds, memory, _ in (here, there))
            print(f"{name:28}{both}{here[0] / there[0]:>7.0%}", flush=True)


if __name__ == "__main__":
    main()
