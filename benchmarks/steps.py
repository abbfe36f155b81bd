"""What the steps cost, each against a yardstick in the same run.

    python benchmarks/steps.py [ROWS]

The table has three columns of text with 8, 5,000 and 1,000,000 distinct values, two of numbers and a date.
"""

import gc
import sys
import time
from collections.abc import Callable
from typing import Any

import numpy as np

import comb
from comb.tables.column import Column
from comb.tables.text import Text
from comb.tables.types import DATE, INTEGER, NUMBER, STRING

ROUNDS = 3


def best(work: Callable[[], Any]) -> float:
    """Return the least time of a few rounds."""
    least = float("inf")
    for _ in range(ROUNDS):
        gc.collect()
        begin = time.perf_counter()
        work()
        least = min(least, time.perf_counter() - begin)
    return least


def texts(names: list[str], codes: Any) -> Column:
    """Make a column of coded texts."""
    return Column(STRING, Text.from_items(names, codes.astype(np.int32)))


def main(rows: int) -> None:
    """Measure every step."""
    chance = np.random.default_rng(5)
    few, some, many = (chance.integers(0, size, rows) for size in (8, 5000, 1_000_000))
    a, b = np.round(chance.normal(5, 3, rows), 3), chance.integers(0, 1000, rows)
    days = (np.datetime64("2020-01-01") + chance.integers(0, 2000, rows)).astype("datetime64[D]")
    names = [
        [f"{word}{at:0{len(str(size))}}" for at in range(size)]
        for word, size in (("x", 8), ("hive-", 5000), ("k", 1_000_000))
    ]
    table = comb.table(columns={"a": [1.0]})._derive(
        {
            "a": Column(NUMBER, a), "n": Column(INTEGER, b), "few": texts(names[0], few), "some": texts(names[1], some),
            "many": texts(names[2], many), "day": Column(DATE, days),
        },
        row_numbers=np.arange(1, rows + 1),
    )  # fmt: skip
    report: list[tuple[str, float, float, float]] = []

    def message(what: str, ours: Callable[[], Any], theirs: Callable[[], Any], most: float) -> None:
        mine, yard = best(ours), best(theirs)
        report.append((what, mine, yard, most))
        print(f"{what:<34} {mine:>8.3f} s {yard:>8.3f} s  {mine / yard:>5.2f} x  (at most {most} x)", flush=True)

    arrays = [a, b, few, some, many, days, np.arange(rows)]

    def by_hand() -> Any:
        kept = np.flatnonzero((a > 5) & np.isin(few, [1, 3]))
        return [array[kept] for array in arrays]

    message("filter a > 5 and few in (...)", lambda: table.filter("a > 5 and few in ('x1', 'x3')"), by_hand, 1.5)
    message(
        "calculate with 5 operations", lambda: table.calculate({"r": "(a * 2 + n) / 3 - a * n"}),
        lambda: (a * 2 + b) / 3 - a * b, 1.5,
    )  # fmt: skip
    keys = [a.view(np.int64), some.astype(np.int64), days.view(np.int64)]
    message("sort by number, text, date", lambda: table.sort(["a", "some", "day"]), lambda: np.lexsort(keys[::-1]), 1.0)
    message(
        "sum and mean by text (5,000)", lambda: table.aggregate({"s": "sum(a)", "m": "avg(a)"}, by="some"),
        lambda: (np.bincount(some, a), np.bincount(some)), 4,
    )  # fmt: skip
    message(
        "count by two texts (8 x 5,000)",
        lambda: table.count(["few", "some"]),
        lambda: np.unique(few * 5000 + some, return_counts=True),
        0.8,
    )
    message("count by day", lambda: table.count("day"), lambda: np.unique(days, return_counts=True), 0.5)
    message(
        "sum and mean by number",
        lambda: table.aggregate({"s": "sum(a)", "m": "avg(a)"}, by="n"),
        lambda: np.unique(b, return_inverse=True),
        0.5,
    )
    keyed = chance.permutation(1_000_000)[:100_000]
    other = comb.table(columns={"many": [names[2][at] for at in keyed], "v": list(range(100_000))})
    index, cells = {names[2][at]: place for place, at in enumerate(keyed)}, [names[2][code] for code in many.tolist()]
    message(
        "join to 100,000 text keys", lambda: table.join(other, "many"), lambda: [index.get(cell) for cell in cells], 0.3
    )
    cells.clear()
    columns = [table[name].to_list() for name in ("a", "n", "few", "some", "many", "day")]
    tuples = list(zip(*columns, strict=True))
    del columns
    message("remove duplicate rows, 6 columns", table.remove_duplicates, lambda: set(tuples), 0.3)
    tuples.clear()
    of_texts(table, chance, some, message)


def of_texts(table: comb.Table, chance: np.random.Generator, codes: Any, message: Callable[..., None]) -> None:
    """Measure what is done to texts, most of them different, and coded, against one pass over ready codes."""
    rows = len(table)
    plain = Column(STRING, Text.from_items([f"box {at}; row {at % 977}" for at in chance.permutation(rows).tolist()]))
    days = [f"{day}.{month}.{year}" for year in range(2015, 2026) for month in range(1, 13) for day in range(1, 29)]
    digits = Column(STRING, Text.from_items([f"{value:.4f}" for value in (chance.random(rows) * 1000).tolist()]))
    written = texts(days, chance.integers(0, len(days), rows))
    table = table._derive(
        {"plain": plain, "written": written, "digits": digits, "coded": table["some"], "n": table["n"]}
    )
    typed = table.convert({"written": "date", "digits": "number"})
    work: dict[str, Callable[[], Any]] = {
        "text to date, coded": lambda: table.convert({"written": "date"}),
        "text to number, all different": lambda: table.convert({"digits": "number"}),
        "date to text": lambda: typed.convert({"written": "string"}),
        "number to text, all different": lambda: typed.convert({"digits": "string"}),
        "number to integer, rounded": lambda: typed.convert({"digits": "integer"}, rounding="nearest"),
        "recode, coded": lambda: table.recode("coded", {"hive-0001": "x"}),
        "recode, all different": lambda: table.recode("plain", {"box 1": "x"}),
        "trim, coded": lambda: table.trim("coded"),
        "trim, all different": lambda: table.trim("plain"),
        "replace_text, coded": lambda: table.replace_text("coded", old="hive", new="box"),
        "replace_text, all different": lambda: table.replace_text("plain", old="box", new="hive"),
        "pad_text, all different": lambda: table.pad_text("plain", width=30),
        "combine, all different": lambda: table.combine(["plain", "coded"], mark=" ", new_columns="both"),
        "split, coded": lambda: table.split("coded", mark="-", new_columns=["kind", "number"]),
        "split, all different": lambda: table.split("plain", mark="; ", new_columns=["box", "row"]),
        "fill by a constant": lambda: table.fill("plain", value="none"),
        "case with texts": lambda: table.calculate({"x": "case when n > 5 then 'few' else 'many' end"}),
        "case with columns, all different": lambda: table.calculate({"x": "case when n > 5 then plain else coded end"}),
        "coalesce, all different": lambda: table.calculate({"x": "coalesce(plain, coded)"}),
        "substring, coded": lambda: table.calculate({"x": "substring(coded from 6)"}),
        "substring, all different": lambda: table.calculate({"x": "substring(plain from 1 for 5)"}),
        "like 'x%', all different": lambda: table.calculate({"x": "plain like 'box 1%'"}),
        "texts compared with texts": lambda: table.calculate({"x": "plain = coded"}),
    }
    for what, ours in work.items():
        message(what, ours, lambda: np.unique(codes, return_inverse=True), 1.0)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 3_000_000)
