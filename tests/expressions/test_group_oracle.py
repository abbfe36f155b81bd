"""Aggregates and windows against a slow evaluator in plain Python that goes group by group, row by row."""

import math
import statistics
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import comb
from support.examples import drawn

Row = dict[str, Any]

CELLS = st.fixed_dictionaries(
    {
        "g": st.none() | st.sampled_from(["Mill", "Ridge", "mill"]),
        "v": st.none() | st.integers(-50, 50),
        "w": st.none() | st.sampled_from([0.5, 1.5, -2.25, 4.0]),
        "m": st.none() | st.sampled_from([Decimal("0.10"), Decimal("2.25"), Decimal("-1.00")]),
        "d": st.none() | st.dates(date(2025, 5, 1), date(2025, 5, 6)),
        "s": st.none() | st.sampled_from(["x", "yy", "Z"]),
        "b": st.none() | st.booleans(),
    }
)
KINDS = {"g": "string", "v": "integer", "w": "number", "m": "decimal", "d": "date", "s": "string", "b": "boolean"}
TABLES = st.lists(CELLS, min_size=1, max_size=14).map(lambda rows: [{"n": at, **row} for at, row in enumerate(rows)])


def table_of(rows: list[Row]) -> comb.Table:
    """Make a table; a row that has every value is put ahead and taken off again, so that each column has its type."""
    whole = {"n": -1, "g": "Mill", "v": 1, "w": 0.5, "m": Decimal("1.25"), "d": date(2025, 5, 1), "s": "x", "b": True}
    table = comb.table(columns={name: [whole[name], *(row[name] for row in rows)] for name in whole})
    assert {name: str(table.types[name]) for name in KINDS} == KINDS
    return table.filter("n >= 0")


def there(rows: list[Row], name: str) -> list[Any]:
    return [row[name] for row in rows if row[name] is not None]


def least(rows: list[Row], name: str, order: str, *, last: bool = False) -> Any:
    """Return the first or last present value by an order: missing keys come last, equal ones as they stand."""
    known = [row for row in rows if row[name] is not None]
    ranked = sorted(known, key=lambda row: (row[order] is None, row[order] or date.min))
    return None if not ranked else ranked[-1 if last else 0][name]


def reaching(values: list[Any], share: float) -> Any:
    ranked = sorted(values)
    return ranked[max(0, math.ceil(share * len(ranked)) - 1)] if ranked else None


def between(values: list[Any], share: float) -> Any:
    if not values:
        return None
    ranked = sorted(values)
    place = share * (len(ranked) - 1)
    low = math.floor(place)
    return ranked[low] + (ranked[min(low + 1, len(ranked) - 1)] - ranked[low]) * (place - low)


def correlation(rows: list[Row]) -> float | None:
    pairs = [(row["v"], row["w"]) for row in rows if row["v"] is not None and row["w"] is not None]
    if len(pairs) < 2 or any(len({pair[at] for pair in pairs}) < 2 for at in (0, 1)):
        return None
    return statistics.correlation([one for one, _ in pairs], [other for _, other in pairs])


def weighted(rows: list[Row]) -> float | None:
    pairs = [(row["w"], row["n"]) for row in rows if row["w"] is not None]
    total = sum(weight for _, weight in pairs)
    return sum(value * weight for value, weight in pairs) / total if total else None


def if_any(work: Callable[[list[Any]], Any], least_many: int = 1) -> Callable[[list[Any]], Any]:
    return lambda values: work(values) if len(values) >= least_many else None


def commonest(values: list[Any]) -> Any:
    best = statistics.multimode(values)
    return best[0] if len(best) == 1 else None


AGGREGATES: dict[str, Callable[[list[Row]], Any]] = {
    "count(*)": len,
    "count(v)": lambda rows: len(there(rows, "v")),
    "count(distinct s)": lambda rows: len(set(there(rows, "s"))),
    "count(distinct d)": lambda rows: len(set(there(rows, "d"))),
    "count(*) filter (where b)": lambda rows: sum(row["b"] is True for row in rows),
    "count(*) filter (where v > 0 and b is not null)": lambda rows: sum(
        row["b"] is not None for row in rows if row["v"] is not None and row["v"] > 0
    ),
    "sum(v)": lambda rows: if_any(sum)(there(rows, "v")),
    "sum(m)": lambda rows: if_any(sum)(there(rows, "m")),
    "sum(distinct v)": lambda rows: if_any(lambda values: sum(set(values)))(there(rows, "v")),
    "sum(v) filter (where s = 'x')": lambda rows: if_any(sum)(there([row for row in rows if row["s"] == "x"], "v")),
    "avg(v)": lambda rows: if_any(statistics.fmean)(there(rows, "v")),
    "avg(m)": lambda rows: if_any(lambda values: float(sum(map(Fraction, values)) / len(values)))(there(rows, "m")),
    "median(w)": lambda rows: if_any(statistics.median)(there(rows, "w")),
    "min(d)": lambda rows: if_any(min)(there(rows, "d")),
    "max(s)": lambda rows: if_any(max)(there(rows, "s")),
    "max(m)": lambda rows: if_any(max)(there(rows, "m")),
    "stddev_samp(v)": lambda rows: if_any(statistics.stdev, 2)(there(rows, "v")),
    "stddev_pop(w)": lambda rows: if_any(statistics.pstdev)(there(rows, "w")),
    "var_samp(w)": lambda rows: if_any(statistics.variance, 2)(there(rows, "w")),
    "var_pop(v)": lambda rows: if_any(statistics.pvariance)(there(rows, "v")),
    "corr(v, w)": correlation,
    "weighted_avg(w, n)": weighted,
    "percentile_cont(0.3) within group (order by v)": lambda rows: between(there(rows, "v"), 0.3),
    "percentile_disc(0.3) within group (order by v)": lambda rows: reaching(there(rows, "v"), 0.3),
    "percentile_disc(1) within group (order by w)": lambda rows: reaching(there(rows, "w"), 1),
    "first(v order by d)": lambda rows: least(rows, "v", "d"),
    "last(v order by d)": lambda rows: least(rows, "v", "d", last=True),
    "mode(s)": lambda rows: commonest(there(rows, "s")),
    "mode() within group (order by d)": lambda rows: commonest(there(rows, "d")),
    "mode(n) filter (where b)": lambda rows: commonest(there([row for row in rows if row["b"] is True], "n")),
    "listagg(s, '+')": lambda rows: "+".join(there(rows, "s")) or None,
    "max(v) - min(v) + count(*)": lambda rows: if_any(lambda values: max(values) - min(values) + len(rows))(
        there(rows, "v")
    ),
    "sum(v * 2)": lambda rows: if_any(lambda values: sum(value * 2 for value in values))(there(rows, "v")),
    "coalesce(sum(v), 0)": lambda rows: sum(there(rows, "v")),
}


def alike(mine: Any, theirs: Any) -> bool:
    if mine is None or theirs is None or not isinstance(theirs, float | Fraction):
        return bool(mine == theirs)
    return math.isclose(mine, theirs, rel_tol=1e-9, abs_tol=1e-9)


def groups_of(rows: list[Row], name: str) -> dict[Any, list[Row]]:
    found: dict[Any, list[Row]] = {}
    for row in rows:
        found.setdefault(row[name], []).append(row)
    return found


@settings(max_examples=drawn(200))
@given(TABLES, st.sampled_from(list(AGGREGATES)), st.sampled_from(["g", "b", "d", None]))
def test_aggregates_are_those_of_plain_python(rows: list[Row], formula: str, by: str | None) -> None:
    made = table_of(rows).aggregate({"r": formula}, by=[by] if by else [])
    groups = groups_of(rows, by) if by else {None: rows}
    keys = made[by].to_list() if by else [None]
    assert keys == list(groups)
    for key, mine in zip(keys, made["r"].to_list(), strict=True):
        assert alike(mine, AGGREGATES[formula](groups[key])), (formula, key)


@given(TABLES, st.lists(st.sampled_from(list(AGGREGATES)), min_size=2, max_size=5, unique=True))
def test_several_results_at_once_are_those_one_by_one(rows: list[Row], formulas: list[str]) -> None:
    table = table_of(rows)
    together = table.aggregate({f"r{at}": formula for at, formula in enumerate(formulas)}, by=["g", "s"])
    for at, formula in enumerate(formulas):
        assert together[f"r{at}"].to_list() == table.aggregate({"r": formula}, by=["g", "s"])["r"].to_list()
    assert sum(table.count(["g", "s"])["count"].to_list()) == len(rows)


def peers(rows: list[Row], row: Row, key: Callable[[Row], Any]) -> tuple[int, int, int]:
    """Return how many rows come before one, how many are its equals, and how many there are."""
    before = sum(key(other) < key(row) for other in rows)
    return before, sum(key(other) == key(row) for other in rows), len(rows)


def by_value(row: Row) -> Any:
    return row["v"]


def at_place(rows: list[Row], row: Row, steps: int, name: str) -> Any:
    place = [other["n"] for other in rows].index(row["n"]) + steps
    return rows[place][name] if 0 <= place < len(rows) else None


def distinct_before(rows: list[Row], row: Row) -> int:
    return len({other["v"] for other in rows if other["v"] < row["v"]})


# Ranks are asked for rows that have a value of v; all other windows go by the number of the row.
RANKED: dict[str, Callable[[list[Row], Row], Any]] = {
    "rank()": lambda rows, row: peers(rows, row, by_value)[0] + 1,
    "dense_rank()": lambda rows, row: distinct_before(rows, row) + 1,
    "average_rank()": lambda rows, row: (lambda before, same, _: before + (same + 1) / 2)(*peers(rows, row, by_value)),
    "percent_rank()": lambda rows, row: (lambda before, _, many: before / (many - 1) if many > 1 else 0.0)(
        *peers(rows, row, by_value)
    ),
    "cume_dist()": lambda rows, row: (lambda before, same, many: (before + same) / many)(*peers(rows, row, by_value)),
}
WINDOWED: dict[str, Callable[[list[Row], Row], Any]] = {
    "row_number() over (partition by g order by n)": lambda rows, row: [one["n"] for one in rows].index(row["n"]) + 1,
    "row_number() over (partition by g order by n desc)": lambda rows, row: (
        len(rows) - [one["n"] for one in rows].index(row["n"])
    ),
    "lag(s) over (partition by g order by n)": lambda rows, row: at_place(rows, row, -1, "s"),
    "lead(v, 2) over (partition by g order by n)": lambda rows, row: at_place(rows, row, 2, "v"),
    "lag(d) over (partition by g order by n desc)": lambda rows, row: at_place(rows, row, 1, "d"),
    "first_value(m) over (partition by g order by n)": lambda rows, row: rows[0]["m"],
    "sum(v) over (partition by g order by n)": lambda rows, row: if_any(sum)(
        there([one for one in rows if one["n"] <= row["n"]], "v")
    ),
    "count(s) over (partition by g order by n desc)": lambda rows, row: len(
        there([one for one in rows if one["n"] >= row["n"]], "s")
    ),
    "max(d) over (partition by g)": lambda rows, row: if_any(max)(there(rows, "d")),
    "avg(w) over (partition by g)": lambda rows, row: if_any(statistics.fmean)(there(rows, "w")),
    "count(*) over (partition by g)": lambda rows, row: len(rows),
    "v - min(v) over (partition by g)": lambda rows, row: (
        None if row["v"] is None else row["v"] - min(there(rows, "v"))
    ),
    "sum(v) over (partition by g order by n rows between 2 preceding and 1 following)": lambda rows, row: if_any(sum)(
        there(rows_near(rows, row, -2, 1), "v")
    ),
    "avg(w) over (partition by g order by n rows 3 preceding)": lambda rows, row: if_any(statistics.fmean)(
        there(rows_near(rows, row, -3, 0), "w")
    ),
    "min(d) over (partition by g order by n rows between 1 following and 3 following)": lambda rows, row: if_any(min)(
        there(rows_near(rows, row, 1, 3), "d")
    ),
    "max(s) over (partition by g order by n range between 2 preceding and current row)": lambda rows, row: if_any(max)(
        there([one for one in rows if row["n"] - 2 <= one["n"] <= row["n"]], "s")
    ),
    "count(v) over (partition by g order by n desc range between 3 preceding and 1 following)": lambda rows, row: len(
        there([one for one in rows if row["n"] - 1 <= one["n"] <= row["n"] + 3], "v")
    ),
    "last(v) over (partition by g order by n)": lambda rows, row: last_of(there(rows_near(rows, row, -99, 0), "v")),
    "last_value(v) over (partition by g order by n)": lambda rows, row: row["v"],
    "first(s) over (partition by g order by n rows between unbounded preceding and 1 preceding)": lambda rows, row: (
        last_of(there(rows_near(rows, row, -99, -1), "s")[:1])
    ),
    "ntile(3) over (partition by g order by n)": lambda rows, row: part_of(
        len(rows), [one["n"] for one in rows].index(row["n"]), 3
    ),
}


def rows_near(rows: list[Row], row: Row, low: int, high: int) -> list[Row]:
    at = [one["n"] for one in rows].index(row["n"])
    return rows[max(0, at + low) : max(0, at + high + 1)]


def last_of(values: list[Any]) -> Any:
    return values[-1] if values else None


def part_of(size: int, at: int, parts: int) -> int:
    return (
        next(part for part in range(parts) if at < sum(size // parts + (one < size % parts) for one in range(part + 1)))
        + 1
    )


@settings(max_examples=drawn(150))
@given(TABLES, st.sampled_from(list(WINDOWED)))
def test_windows_are_those_of_plain_python(rows: list[Row], formula: str) -> None:
    groups = groups_of(rows, "g")
    made = table_of(rows).calculate({"r": formula})
    assert made.row_numbers.tolist() == [row["n"] + 2 for row in rows]
    for row, mine in zip(rows, made["r"].to_list(), strict=True):
        assert alike(mine, WINDOWED[formula](groups[row["g"]], row)), (formula, row)


@settings(max_examples=drawn(100))
@given(TABLES, st.sampled_from(list(RANKED)))
def test_ranks_are_those_of_plain_python(rows: list[Row], function: str) -> None:
    made = table_of(rows).filter("v is not null")
    kept = [row for row in rows if row["v"] is not None]
    groups = groups_of(kept, "g")
    ranks = made.calculate({"r": f"{function} over (partition by g order by v)"})["r"].to_list()
    for row, mine in zip(kept, ranks, strict=True):
        assert alike(mine, RANKED[function](groups[row["g"]], row)), (function, row)


@given(TABLES)
def test_within_groups_is_a_window_over_them(rows: list[Row]) -> None:
    table = table_of(rows)
    within = table.calculate({"r": "v - avg(v)", "t": "sum(v)"}, by="g")
    over = table.calculate({"r": "v - avg(v) over (partition by g)", "t": "sum(v) over (partition by g)"})
    assert [within[name].to_list() for name in "rt"] == [over[name].to_list() for name in "rt"]
    kept = table.filter("v = max(v)", by="g").row_numbers.tolist()
    highest = {name: max(there(group, "v"), default=None) for name, group in groups_of(rows, "g").items()}
    assert kept == [row["n"] + 2 for row in rows if row["v"] is not None and row["v"] == highest[row["g"]]]


@given(TABLES, st.sampled_from(["g", "s", "b", "d"]), st.sampled_from(["count", "value"]))
def test_counts_are_those_of_plain_python(rows: list[Row], name: str, order: Any) -> None:
    table = table_of(rows)
    groups = groups_of(rows, name)
    made = table.count(name, sort=order)
    found = dict(zip(made[name].to_list(), made["count"].to_list(), strict=True))
    assert found == {key: len(group) for key, group in groups.items()}
    assert made["share"].to_list() == [pytest.approx(count / len(rows), abs=1e-4) for count in found.values()]
    counts = list(found.values())
    assert order == "value" or counts == sorted(counts, reverse=True)
    sizes = table.count(name, of_counts=True)
    assert dict(zip(sizes["rows"].to_list(), sizes["groups"].to_list(), strict=True)) == {
        size: counts.count(size) for size in sorted(set(counts))
    }
    crossed = table.count(name, across="s")
    assert crossed["total"].to_list()[-1] == len(rows)
    assert sum(crossed["total"].to_list()[:-1]) == len(rows)


WIDE = st.sampled_from([2**31 - 1, 2**32, 2**53 + 1, 2**62, 2**63 - 1, -(2**63) + 9]) | st.integers(-(2**62), 2**62)


@given(st.lists(st.tuples(st.integers(0, 2), WIDE), min_size=1, max_size=12))
def test_sums_of_large_numbers_are_exact_or_undefined(rows: list[tuple[int, int]]) -> None:
    table = comb.table(columns={"g": [row[0] for row in rows], "v": [row[1] for row in rows]})
    for found in table.aggregate({"total": "sum(v)"}, by="g").rows():
        total = sum(value for group, value in rows if group == found.g)
        assert found.total == (total if -(2**63) <= total < 2**63 else None)
