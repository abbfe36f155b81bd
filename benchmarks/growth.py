"""How time grows: each input once of a size n and once of 4n; what is linear takes four times as long.

    python benchmarks/growth.py [NAME ...]

Each of these once took a time that grew with the square of the size, or hung. The inputs are made before the clock
starts; of three runs the best counts. What takes more than six times as long for four times the size is marked.
"""

import gzip
import io
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import comb
from comb.formats.regular_expressions import pattern

# For four times the size; more than this is not a straight line, whatever the caches do.
MOST_GROWTH = 6
RUNS = 3
Job = Callable[[], object]


def members(size: int) -> Job:
    line = gzip.compress(b"1,2\n" * 10, mtime=0)
    data = gzip.compress(b"a,b\n", mtime=0) + line * size
    return lambda: comb.load(data)


def spaced_rows(size: int) -> Job:
    import xlsxwriter

    stream = io.BytesIO()
    book = xlsxwriter.Workbook(stream, {"in_memory": True})
    sheet = book.add_worksheet("data")
    sheet.write_row(0, 0, ["hive", "mites"])
    for row in range(size):
        sheet.write_row(2 + 2 * row, 0, [f"h{row}", row % 7])
    book.close()
    return lambda: comb.load(stream.getvalue())


def _wide(size: int) -> comb.Table:
    return comb.table(columns={f"c{at}": [1, 2] for at in range(size)})


def select(size: int) -> Job:
    table = _wide(size)
    return lambda: table.select([f"c{at}" for at in range(0, size, 2)])


def rename(size: int) -> Job:
    table = _wide(size)
    return lambda: table.rename({f"c{at}": f"d{at}" for at in range(size)})


def filter_wide(size: int) -> Job:
    table = _wide(size)
    return lambda: table.filter("c1 > 1")


def convert_wide(size: int) -> Job:
    table = _wide(size)
    return lambda: table.convert({f"c{at}": "string" for at in range(size)})


def split_cell(size: int) -> Job:
    table = comb.table(columns={"a": ["x;" * size], "b": ["y"]})
    return lambda: table.split("a", mark=";")


def lines_by_groups(size: int) -> Job:
    rows = range(8 * size)
    heavy = [None if at % 8 == 5 else float(at % 13) for at in rows]
    table = comb.table(columns={"hive": [at // 8 for at in rows], "day": [at % 8 for at in rows], "kg": heavy})
    return lambda: table.fill("kg", on_line=["day"], by="hive")


def deep_plan(size: int) -> Job:
    place = Path(tempfile.mkdtemp()) / "plan.yaml"
    place.write_text("source: " + "[" * size)

    def load() -> None:
        try:
            comb.Plan.load(place)
        except comb.PlanError:
            return
        raise AssertionError("it is no plan")

    return load


def like(size: int) -> Job:
    table = comb.table(columns={"a": ["a" * size + "c"]})
    return lambda: table.filter("a like '%a%a%a%a%b' or a like '%a_%a_%b'")


def regular_expression(size: int) -> Job:
    text = "a" * size + "!"
    return lambda: pattern("(a+)+b").found_in(text)


def described(size: int) -> Job:
    folder = Path(tempfile.mkdtemp())
    comb.table(columns={"a": list(range(size)), "b": [None, *["x"] * (size - 1)]}).save(folder / "t.csv", describe=True)
    return lambda: comb.load(folder / "t.csv")


def described_columns(size: int) -> Job:
    folder = Path(tempfile.mkdtemp())
    _wide(size).save(folder / "t.csv", describe=True)
    return lambda: comb.load(folder / "t.csv")


def json_keys(size: int) -> Job:
    data = ("[" + ",".join(f'{{"a": {at}, "k{at % 1000}": 1}}' for at in range(size)) + "]").encode()
    return lambda: comb.load(data)


def quotes(size: int) -> Job:
    data = b"a,b\n" + b'1,"x\n' * size
    return lambda: comb.load(data)


CASES: list[tuple[str, Callable[[int], Job], int]] = [
    ("gzip of many members", members, 50_000), ("workbook with empty rows between", spaced_rows, 4_000),
    ("select of columns", select, 5_000), ("rename columns", rename, 5_000), ("filter of columns", filter_wide, 5_000),
    ("convert columns", convert_wide, 2_500), ("split one cell into rows", split_cell, 500_000),
    ("fill by a line in each group", lines_by_groups, 2_000), ("plan of brackets", deep_plan, 10_000), ("like", like, 100_000), ("regular expression", regular_expression, 1_000_000),
    ("load with its description", described, 50_000), ("load described columns", described_columns, 2_000), ("JSON with many keys", json_keys, 2_000),
    ("quotes that never close", quotes, 20_000),
]  # fmt: skip


def seconds(job: Job) -> float:
    best = float("inf")
    for _ in range(RUNS):
        start = time.perf_counter()
        job()
        best = min(best, time.perf_counter() - start)
    return best


def main() -> int:
    asked = sys.argv[1:]
    bad = 0
    print(f"{'input':<36}{'n':>12}{'seconds':>10}{'at 4n':>10}{'times':>8}")
    for name, make, size in CASES:
        if asked and name not in asked:
            continue
        once, more = seconds(make(size)), seconds(make(4 * size))
        # Below a few milliseconds the clock and the caches decide.
        grown = more / once if more > 0.02 else 1.0
        bad += grown > MOST_GROWTH
        mark = "  NOT IN A STRAIGHT LINE" if grown > MOST_GROWTH else ""
        print(f"{name:<36}{size:>12,}{once:>10.3f}{more:>10.3f}{more / once:>8.1f}{mark}", flush=True)
    return int(bad > 0)


if __name__ == "__main__":
    sys.exit(main())
