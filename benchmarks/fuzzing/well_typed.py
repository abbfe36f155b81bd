"""Formulas whose parts fit together, so that most are evaluated: their values are held against each other.

What a formula says of a column is the same whichever way it is asked: as a column of the type that the check gives it, in
a condition, for one group of all rows, and with the rows in another order.
"""

import datetime
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any

import numpy as np

import comb
from comb.expressions.check import Given
from comb.expressions.evaluate import formula_type

# Columns by the kind of their values; `none` has no value at all.
COLUMNS = {
    "number": ["whole", "kg", "price", "none"], "text": ["word", "place", "none"], "truth": ["fed"],
    "moment": ["day", "at"], "span": ["since"], "clock": ["hour"],
}  # fmt: skip
LITERALS = {
    "number": ["0", "1", "2.5", "-3", "1e3", "null"], "text": ["'a'", "''", "'Mill'", "null"],
    "truth": ["true", "false", "null"], "moment": ["date '2026-05-01'", "timestamp '2026-05-01 10:00'"],
    "span": ["interval '2' day", "duration '3 hours'"], "clock": ["time '10:00'"],
}  # fmt: skip

# What depends on the order of the rows.
ORDERED = ("over", "first", "last", "any_value", "listagg")


def some_rows(chance: Random) -> comb.Table:
    """Return a table with all of these columns, some of its cells missing."""
    rows = chance.choice([0, 1, 2, 5, 9])

    def cells(one: Callable[[], Any]) -> list[Any]:
        return [None if chance.random() < 0.2 else one() for _ in range(rows)]

    return comb.table(
        columns={
            "whole": cells(lambda: chance.choice([0, 1, -1, 5, 10**15])),
            "kg": cells(lambda: chance.choice([0.5, -0.0, 1e300, 2.25, -3.5])),
            "price": cells(lambda: Decimal(chance.choice(["1.25", "-0.50", "99999999.99"]))),
            "word": cells(lambda: chance.choice(["a", "B", "ä ö", "12", " x "])),
            "place": cells(lambda: chance.choice(["a", "Mill", "zz"])),
            "fed": cells(lambda: chance.random() < 0.5),
            "day": cells(lambda: datetime.date(chance.choice([1850, 2026]), chance.choice([1, 12]), 28)),
            "at": cells(lambda: datetime.datetime(2026, 5, chance.choice([1, 31]), chance.choice([0, 23]))),
            "since": cells(lambda: datetime.timedelta(hours=chance.choice([-3, 0, 50]))),
            "hour": cells(lambda: datetime.time(chance.choice([0, 13]), 30)),
            "none": [None] * rows,
        }
    )


class Writer:
    """Writes formulas of a wanted kind."""

    def __init__(self, chance: Random) -> None:
        self.chance = chance

    def write(self, kind: str, depth: int, *, grouped: bool = True) -> str:
        """Return a formula; `grouped` allows aggregates, which do not go inside each other."""
        chance = self.chance
        if depth <= 0 or chance.random() < 0.2:
            return chance.choice(COLUMNS[kind] if chance.random() < 0.8 else LITERALS[kind])
        if grouped and chance.random() < 0.35:
            return self.aggregate(kind, depth - 1)
        number, text, truth, moment, span, any_ = (
            self.write(one, depth - 1, grouped=grouped)
            for one in ("number", "text", "truth", "moment", "span", chance.choice(list(COLUMNS)))
        )
        ways = {
            "number": [
                f"({number} {chance.choice('+-*/%')} {self.write('number', depth - 1, grouped=grouped)})",
                f"round({number}, {chance.choice([0, 2, -1])})", f"char_length({text})", f"sqrt({number})",
                f"extract({chance.choice(['year', 'day', 'hour'])} from {moment})", f"coalesce({number}, 1)",
                f"case when {truth} then {number} else {number} end", f"cast({number} as {chance.choice(['decimal(2)', 'integer'])})",
                f"power({number}, 2)", f"nullif({number}, 0)", f"position({text} in {text})", f"cast({text} as number)",
            ],
            "text": [
                f"({text} || {text})", f"upper({text})", f"trim({text})", f"substring({text} from 2 for 3)",
                f"cast({any_} as string)", f"coalesce({text}, 'a')", f"case when {truth} then {text} end",
                f"reason({chance.choice(COLUMNS['number'])})",
            ],
            "truth": [
                f"({number} {chance.choice(['<', '>=', '='])} {number})", f"({text} {chance.choice(['=', '<>'])} {text})",
                f"({truth} {chance.choice(['and', 'or'])} {truth})", f"not {truth}", f"({any_} is null)",
                f"{text} like '{chance.choice(['a%', '%_'])}'", f"{number} in (1, 5)", f"{number} between 0 and {number}",
                f"({moment} < {moment})", f"{truth} is true", f"{any_} is distinct from {any_}",
            ],
            "moment": [f"({moment} + {span})", f"cast({moment} as {chance.choice(['date', 'datetime'])})"],
            "span": [f"({moment} - {moment})", f"({span} * {number})", f"({span} + {span})"],
            "clock": ["cast(at as time)"],
        }  # fmt: skip
        return chance.choice(ways[kind])

    def aggregate(self, kind: str, depth: int) -> str:
        """Return an aggregate, mostly of a group, otherwise of a window."""
        chance = self.chance
        of = self.write(kind, depth, grouped=False)
        names = {
            "number": ["sum", "avg", "median", "stddev_samp", "var_pop", "min", "max", "first", "last", "count"],
            "span": ["sum", "avg", "max", "median"],
        }.get(kind, ["min", "max"])  # fmt: skip
        made = f"{chance.choice(names)}({chance.choice(['', '', 'distinct ']) if kind == 'number' else ''}{of})"
        if kind == "number" and chance.random() < 0.2:
            made = chance.choice(
                [f"percentile_cont({of}, 0.3)", "count(*)", "corr(kg, whole)", "weighted_avg(kg, price)"]
            )
        if kind == "text" and chance.random() < 0.2:
            made = "listagg(place, ',')"
        if chance.random() < 0.15:
            made += f" filter (where {self.write('truth', 1, grouped=False)})"
        if chance.random() < 0.6:
            return made
        by = chance.choice(["number", "moment", "text"])
        if kind == "number" and chance.random() < 0.4:
            made = chance.choice(
                ["row_number()", "rank()", "cume_dist()", "ntile(3)", "lag(kg)", "lead(whole, 2)", "first_value(kg)"]
            )
        part = chance.choice(["", f"partition by {self.write('text', 1, grouped=False)} "])
        order = f"order by {self.write(by, 1, grouped=False)}{chance.choice(['', ' desc'])}"
        reach = "interval '1' day" if by == "moment" else "1"
        frame = chance.choice(
            ["", "", "rows between 1 preceding and current row", "rows between 2 following and 3 following",
             f"range between {reach} preceding and current row"]
        )  # fmt: skip
        return f"{made} over ({part}{chance.choice(['', f'{order} {frame}'])})"


def well_typed(chance: Random, folder: Path) -> str:
    """One formula, asked for in several ways."""
    table, writer = some_rows(chance), Writer(chance)
    text = writer.write(chance.choice(list(COLUMNS)), chance.choice([1, 2, 3]))
    by = chance.choice([[], ["word"], ["fed", "place"]])
    (folder / "formula.txt").write_text(f"{text}\nby {by}\n{list(table.rows())}")
    for refused in (lambda: table.aggregate({"x": text}, by=by), lambda: table.mark_rows(where=text, new_columns="x")):
        try:
            refused()
        except comb.CombError as error:
            assert str(error)
    try:
        made = table.calculate({"x": text}, by=by)["x"]
    except comb.CombError as error:
        assert str(error)
        return "refused"
    values = made.to_list()
    if table.row_count and "null" not in text and "none" not in text:
        without = {name for name, column in table.columns.items() if not column.present.any()}
        assert formula_type(text, table.types, Given(), without) == made.type
    if made.type.word == "boolean" and not by:
        kept = table.filter(text).row_numbers.tolist()
        assert kept == [at for at, value in enumerate(values, 1) if value is True]
    if not any(word in text for word in ORDERED):
        order = np.array(chance.sample(range(table.row_count), table.row_count), np.int64)
        turned = table._take(order).calculate({"x": text}, by=by)["x"].to_list()
        assert repr(turned) == repr([values[at] for at in order])
    return "evaluated"


KINDS = [well_typed]
