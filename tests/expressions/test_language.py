"""Aggregates, windows and the steps built on them: against SQL, against plain Python, and by cases."""

import math
import sqlite3
import statistics
from collections import defaultdict
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.expressions.evaluate import evaluate
from comb.expressions.functions import FUNCTIONS
from comb.expressions.signatures import AGGREGATES, COLUMN_FUNCTIONS
from support.strategies import numeric_tables

AGGREGATED = [
    "count(*)", "count(a)", "count(distinct a)", "sum(a)", "avg(a)", "min(a)", "max(a)", "min(s)", "max(s)", "sum(a) + count(*)",
    "count(*) filter (where a > 0)", "sum(b) filter (where s = 'Mill')", "sum(distinct b)", "max(a) - min(a)", "sum(a * b)",
    "coalesce(sum(c), 0)", "case when count(*) > 2 then max(a) else 0 end",
]  # fmt: skip
WINDOWED = [
    "row_number() over (partition by s order by a, n)", "rank() over (order by b)", "dense_rank() over (partition by t order by b desc)",
    "lag(a) over (order by n)", "lead(a, 2) over (partition by s order by n)", "sum(a) over (partition by s)",
    "sum(a) over (partition by s order by n)", "count(*) over (partition by s order by b)", "avg(b) over (order by n)",
    "max(a) over (partition by t order by n)", "min(b) over (order by n desc)", "first_value(a) over (partition by s order by n)",
    "a - avg(a) over (partition by s)", "cume_dist() over (order by n)", "percent_rank() over (partition by s order by n)",
]  # fmt: skip


def in_sql(table: comb.Table, query: str) -> list[Any]:
    connection = sqlite3.connect(":memory:")
    connection.execute("create table t (n integer, a integer, b integer, c integer, s text, t text)")
    rows = list(zip(*(table[name].to_list() for name in table.names), strict=True))
    connection.executemany("insert into t values (?, ?, ?, ?, ?, ?, ?)".replace("?, ", "", 1), rows)
    found = connection.execute(query).fetchall()
    connection.close()
    return found


def numbered(table: comb.Table) -> comb.Table:
    """Put the number of each row in front, and leave out rows whose key of an order is missing."""
    made = comb.table(columns={"n": list(range(len(table))), **{name: table[name].to_list() for name in table.names}})
    for name in "abc":
        made = made if made[name].type.word == "integer" else made.convert({name: "integer"})
    return made


def alike(mine: Any, theirs: Any) -> bool:
    if mine is None or theirs is None:
        return mine is theirs
    return math.isclose(mine, theirs, rel_tol=1e-9, abs_tol=1e-9) if isinstance(mine, float) else mine == theirs


@given(numeric_tables(), st.sampled_from(AGGREGATED), st.booleans())
def test_aggregates_agree_with_sql(table: comb.Table, formula: str, grouped: bool) -> None:
    table = numbered(table)
    by = ["t"] if grouped else []
    made = table.aggregate({"r": formula}, by=by)
    expected = in_sql(table, f"select {'t, ' if grouped else ''}{formula} from t {'group by t' if grouped else ''}")
    mine = dict(zip(made["t"].to_list() if grouped else [None], made["r"].to_list(), strict=True))
    theirs = {row[0] if grouped else None: row[-1] for row in expected}
    assert mine.keys() == theirs.keys() and all(alike(mine[key], theirs[key]) for key in mine), (mine, theirs)


@given(numeric_tables(), st.sampled_from(WINDOWED))
def test_windows_agree_with_sql(table: comb.Table, formula: str) -> None:
    table = numbered(table)
    # Missing keys come last with Comb in both directions and are not ranked; those cells are compared where there is a key.
    order = formula.replace("order by b desc", "order by b is null, b desc").replace(
        "order by b)", "order by b is null, b)"
    )
    order = order.replace("order by a, n", "order by a is null, a, n")
    expected = [row[0] for row in in_sql(table, f"select {order} from t order by n")]
    keyed = table["b"].present if "order by b" in formula else table["n"].present
    mine = evaluate(formula, table).to_list()
    for got, wanted, there in zip(mine, expected, keyed.tolist(), strict=True):
        assert not there or alike(got, wanted), (formula, mine, expected)


NUMBERS = st.lists(st.tuples(st.sampled_from("xy"), st.none() | st.floats(-1e6, 1e6)), min_size=1, max_size=25)


@given(NUMBERS)
def test_statistics_are_those_of_the_standard_library(cells: list[tuple[str, float | None]]) -> None:
    table = comb.table(columns={"g": [group for group, _ in cells], "v": [*(value for _, value in cells)]})
    if table["v"].type.word != "number":
        return
    formulas = {
        "mean": "avg(v)", "mid": "median(v)", "sd": "stddev_samp(v)", "var": "var_pop(v)", "p": "percentile_cont(0.25) within group (order by v)",
        "low": "min(v)", "many": "count(distinct v)", "all": "sum(v)", "w": "weighted_avg(v, 2)",
    }  # fmt: skip
    made = table.aggregate(formulas, by="g")
    values = defaultdict(list)
    for name, value in cells:
        values[name] += [] if value is None else [value]
    for row in range(len(made)):
        record = made.record(row + 1)
        mine = values[record["g"]]
        near = lambda value: pytest.approx(value, rel=1e-7, abs=1e-4)  # noqa: E731
        assert record["many"] == len(set(mine))
        if not mine:
            assert record["mean"] is record["mid"] is record["low"] is record["all"] is None
            continue
        assert record["mean"] == near(statistics.fmean(mine)) == record["w"] and record["mid"] == near(
            statistics.median(mine)
        )
        assert record["var"] == near(statistics.pvariance(mine)) and record["low"] == min(mine)
        assert record["sd"] == (near(statistics.stdev(mine)) if len(mine) > 1 else None)
        if len(mine) > 1:
            assert record["p"] == near(statistics.quantiles(mine, n=4, method="inclusive")[0])


VISITS = comb.table(
    columns={
        "hive": ["a", "b", "a", None, "b", "a"],
        "day": [date(2026, 5, day) for day in (3, 1, 1, 2, 4, 2)],
        "kg": [Decimal("3.50"), Decimal("1.00"), None, Decimal("2.25"), Decimal("1.00"), Decimal("0.25")],
        "n": [2**62, 2**62, 1, 2, 3, 2**62],
        "jan": [1, None, 3, None, 5, 6],
        "feb": [1, 2, None, None, 5, 6],
    }
)


@pytest.mark.parametrize(
    ("formula", "values"),
    [
        ("sum(kg)", [Decimal("3.75"), Decimal("2.00"), Decimal("2.25")]),
        ("sum(n)", [None, 2**62 + 3, 2]),  # nothing wraps
        ("first(kg order by day)", [Decimal("0.25"), Decimal("1.00"), Decimal("2.25")]),
        ("last(kg order by day)", [Decimal("3.50"), Decimal("1.00"), Decimal("2.25")]),
        ("max(day) - min(day)", ["P2D", "P3D", "PT0S"]),
        ("avg(day - date '2026-05-01')", ["P1D", "P1DT12H", "P1D"]),
        ("count(*) filter (where kg > 1)", [1, 0, 1]),
        ("percentile_disc(0.5) within group (order by kg)", [0.25, 1.0, 2.25]),
        ("percentile_cont(0.9) within group (order by kg desc)", [0.575, 1.0, 2.25]),
        ("listagg(hive, '+')", ["a+a+a", "b+b", None]),
        ("round(avg(kg), 1)", [1.9, 1.0, 2.3]),
        ("corr(jan, feb)", [1.0, None, None]),
    ],
)  # fmt: skip
def test_aggregates_by_group(formula: str, values: list[object]) -> None:
    column = VISITS.aggregate({"r": formula}, by="hive")["r"]
    shown = column.texts() if column.type.word == "duration" else column.to_list()
    assert [pytest.approx(value) if isinstance(value, float) else value for value in values] == shown


@pytest.mark.parametrize(
    "formula",
    [
        "median(day - date '2026-05-01')", "percentile_cont(kg, 0.3)", "avg(day - date '2026-05-01') * 2", "listagg(hive, '+')",
        "sum(kg) over (order by day range between interval '1' day preceding and current row)", "max(day)", "corr(n, kg)",
        "count(n) over (order by kg range between 1 preceding and 1 following)", "first(hive order by day)", "count(*)",
        "ntile(3) over (order by n)", "lag(kg) over (order by day)", "avg(kg) over (order by n rows between 1 preceding "
        "and 1 following)", "last_value(hive) over (partition by day order by n)", "max(kg) over (order by kg)",
    ],
)  # fmt: skip
def test_a_formula_has_its_type_without_rows_and_without_values(formula: str) -> None:
    wanted = VISITS.calculate({"r": formula})["r"].type
    nothing = VISITS.replace_values(["kg", "n", "day", "hive"], where="true")
    for table in (VISITS.filter("n < 0"), nothing):
        made = table.calculate({"r": formula})["r"]
        assert (made.type, len(made)) == (wanted, table.row_count)


@pytest.mark.parametrize(
    ("formula", "values"),
    [
        ("sum_columns(jan:feb)", [2, 2, 3, None, 10, 12]), ("mean_columns(jan:feb)", [1.0, 2.0, 3.0, None, 5.0, 6.0]),
        ("missing_columns(jan, feb, kg)", [0, 1, 2, 2, 0, 0]), ("max_columns(jan, feb)", [1, 2, 3, None, 5, 6]),
        ("average_rank() over (order by kg)", [5.0, 2.5, None, 4.0, 2.5, 1.0]),
        ("rank() over (order by kg desc)", [1, 3, None, 2, 3, 5]),
        ("jan is distinct from feb", [False, True, True, False, False, False]),
        ("hive like_regex '^[ab]$'", [True, True, True, None, True, True]),
        ("position('a' in hive)", [1, 0, 1, None, 0, 1]), ("mod(jan, 4)", [1, None, 3, None, 1, 2]),
        ("kg / sum(kg)", [pytest.approx(0.4375), 0.125, None, 0.28125, 0.125, 0.03125]),
        ("day > current_date", [True, False, False, False, True, False]), ("jan > :least", [False, None, True, None, True, True]),
        ("log10(100)", [2.0] * 6),
    ],
)  # fmt: skip
def test_formulas_on_rows(formula: str, values: list[object]) -> None:
    made = VISITS.calculate({"r": formula}, as_of=date(2026, 5, 2), parameters={"least": 2})
    assert made["r"].to_list() == values


@pytest.mark.parametrize(
    ("formula", "message"),
    [
        ("sum(hive)", "expected a number or a duration, this is string"), ("abs(hive)", "--type hive=number"), ("sum(sum(kg))", "sum inside another aggregate"),
        ("rank()", "write: rank() over (order by ...)"), ("summ(kg)", "did you mean 'sum'"), ("avg()", "avg takes 1 argument, got 0"),
        ("current_date", "current_date is not set"), (":leas", "there is no parameter 'leas'"),
        ("percentile_cont(2) within group (order by kg)", "expected a constant from 0 to 1"),
        ("hive like_regex '(?=a)b'", "looking ahead or behind is not supported"), ("hive like_regex '('", "this is no pattern"),
        ("sum_columns(hive, jan)", "expected numbers, 'hive' is string"), ("sum_columns(nope)", "there is no column 'nope'"),
        ("count(*) filter (when kg > 1)", "expected 'where'"), ("sum(kg) over order by day", "expected '('"),
    ],
)  # fmt: skip
def test_slips_are_answered(formula: str, message: str) -> None:
    with pytest.raises(comb.CombError) as caught:
        VISITS.calculate({"r": formula})
    assert message in f"{caught.value} {caught.value.remedy}"
    with pytest.raises(comb.ExpressionError, match="jan has a value for each row"):
        VISITS.aggregate({"r": "jan + 1"}, by="hive")
    with pytest.raises(comb.ExpressionError, match="2 of the formulas have a problem"):
        VISITS.calculate({"x": "nope + 1", "y": "kgg * 2", "z": "kg + 1"})


def rows(table: comb.Table) -> list[tuple[Any, ...]]:
    return list(zip(*(table[name].to_list() for name in table.names), strict=True))


def test_groups_with_totals_and_subtotals() -> None:
    made = VISITS.aggregate({"n": "count(*)"}, by=["hive", "jan"], sort_groups=True, totals=True, subtotals=True)
    assert rows(made)[:3] == [("a", 1, 1), ("a", 3, 1), ("a", 6, 1)]
    assert rows(made)[-4:] == [("a", None, 3), ("b", None, 2), (None, None, 1), (None, None, 6)]
    assert made["hive"].reasons()[-2:] == ["blank", "absent"] and made.ledger[-1].adds_up
    with pytest.raises(comb.ParameterError, match="got neither"):
        VISITS.aggregate({})
    empty = VISITS.filter("n < 0")
    assert rows(empty.aggregate({"n": "count(*)", "k": "sum(kg)"})) == [(0, None)]
    assert not len(empty.aggregate({"n": "count(*)"}, by="hive")) and not len(empty.count("hive"))


def test_counting() -> None:
    assert rows(VISITS.count("hive")) == [("a", 3, 0.5), ("b", 2, 0.3333), (None, 1, 0.1667)]
    assert rows(VISITS.count("hive", where="kg = 1", shares=False)) == [("b", 2)]
    assert rows(VISITS.count("hive", of_counts=True)) == [(1, 1), (2, 1), (3, 1)]
    crossed = VISITS.count("hive", across="jan")
    assert crossed.names == ("hive", "1", "3", "5", "6", "(missing)", "total")
    assert rows(crossed)[-1] == ("total", 1, 1, 1, 1, 2, 6) and rows(crossed)[0] == ("a", 1, 1, 0, 1, 0, 3)
    assert VISITS.count()["count"].to_list() == [6]


KEYS = st.lists(st.none() | st.sampled_from(["a", "b", "c", "A "]), max_size=7)


@given(KEYS, KEYS, st.sampled_from(["all", "matched", "unmatched", "both"]))
def test_joins_are_those_of_plain_loops(left: list[Any], right: list[Any], keep: Any) -> None:
    mine = comb.table(columns={"k": [*left, "b"], "i": [*range(len(left) + 1)]})
    theirs = comb.table(columns={"k": [*right, "a"], "j": [*range(len(right) + 1)]})
    made = mine.join(theirs, "k", rows=keep, allow_multiple=True)
    expected: list[tuple[Any, ...]] = []
    seen = set()
    for key, i in rows(mine):
        hits = [j for other, j in rows(theirs) if key is not None and other == key]
        seen.update(hits)
        if keep == "unmatched":
            expected += [] if hits else [(key, i)]
        else:
            expected += [(key, i, j) for j in hits] or ([] if keep == "matched" else [(key, i, None)])
    if keep == "both":
        expected += [(key, None, j) for key, j in rows(theirs) if j not in seen]
    assert rows(made) == expected and made.ledger[-1].adds_up
    again = mine.join(theirs, "k", add_columns=False, rows="matched")
    assert rows(again) == [row for row in rows(mine) if row[0] is not None and row[0] in theirs["k"].to_list()]


def test_a_join_says_what_did_not_match_and_refuses_to_multiply() -> None:
    places = comb.table(columns={"name": ["Mill", "Ridge", "Ridge"], "m": [210, 340, 350], "kg": [1, 2, 3]})
    hives = comb.table(columns={"at": ["mill ", "Rigde", None, "Mill"], "kg": [7, 8, 9, 1]})
    made = hives.join(places, "at = name", ignore=["case", "spaces"])
    assert made["m"].to_list() == [210, None, None, 210] and made["m"].reasons()[1] == "absent"
    assert "kg [table typed in by hand]" in made.names
    notes = made.ledger[-1].notes
    assert "2 of 4 rows found a match in the 3" in notes[0] and "1 row has an empty key" in notes[1]
    assert "'Rigde' 1 times (nearest: 'Ridge')" in notes[2]
    with pytest.raises(comb.ParameterError, match=r"1 row matches several rows .* there would be 1 row more"):
        comb.table(columns={"at": ["Ridge"]}).join(places, "at = name")
    with pytest.raises(comb.TypeMismatch, match="keys have to be of one type"):
        hives.join(places, "at = m")
    with pytest.raises(comb.ColumnError, match="did you mean 'name'"):
        hives.join(places, "at = nam")


def test_the_latest_row_before_a_date() -> None:
    prices = comb.table(
        columns={
            "kind": ["x", "x", "y"],
            "since": [date(2026, 1, 1), date(2026, 3, 1), date(2026, 2, 1)],
            "p": [1, 2, 3],
        }
    )
    sold = comb.table(
        columns={
            "kind": ["x", "x", "y", "x", "z"],
            "day": [date(2026, 2, 5), date(2026, 3, 1), date(2026, 1, 5), date(2025, 1, 1), date(2026, 5, 5)],
        }
    )
    made = sold.join(prices, "kind", columns="p", latest="day = since")
    assert made["p"].to_list() == [1, 2, None, None, None]


@pytest.mark.parametrize("count", [2, 3, 5])
def test_each_of_several_tables_is_named_in_the_source_column(tmp_path: Path, count: int) -> None:
    for at in range(count):
        (tmp_path / f"part{at}.csv").write_text(f"kg\n{at}\n")
    first, *more = [comb.load(tmp_path / f"part{at}.csv") for at in range(count)]
    made = first.stack_tables(*more, source_column="from")
    assert rows(made) == [(at, f"part{at}") for at in range(count)]
    made.plan().save(tmp_path / "plan.yaml")
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run()
    assert rows(outcome.tables["part0"]) == rows(made)
    with pytest.raises(comb.ColumnError, match="two columns named 'kg'"):
        first.stack_tables(*more, source_column="kg")


def test_appending_says_what_differs() -> None:
    may = comb.table(columns={"hive": ["a"], "kg": [1], "may": [1]})
    june = comb.table(columns={"kg": [2.5], "hive": ["b"], "fed": [True]})
    made = may.stack_tables(june, source_column="from")
    assert rows(made) == [
        ("a", 1.0, 1, None, "table typed in by hand"),
        ("b", 2.5, None, True, "table typed in by hand"),
    ]
    assert made["may"].reasons() == [None, "absent"] and made.ledger[-1].added == 1
    assert any("kg is integer here and number there" in note for note in made.ledger[-1].notes)
    with pytest.raises(comb.TypeMismatch, match="'hive' is string here and integer there"):
        may.stack_tables(comb.table(columns={"hive": [1]}))


def test_rows_by_place_size_and_chance() -> None:
    numbers = lambda table: table.row_numbers.tolist()  # noqa: E731
    assert numbers(VISITS.pick_rows(first=1, by="hive")) == [1, 2, 4]
    assert numbers(VISITS.pick_rows(last=2)) == [5, 6] and numbers(VISITS.pick_rows(every=4)) == [1, 5]
    assert numbers(VISITS.pick_rows(largest="n", count=1)) == [1, 2, 6]
    assert numbers(VISITS.pick_rows(smallest="kg", count=2, ties=False)) == [2, 6]
    assert numbers(VISITS.pick_rows(smallest="kg", count=2)) == [2, 5, 6]
    assert numbers(VISITS.pick_rows(random=3, seed=4)) == numbers(VISITS.pick_rows(random=3, seed=4))
    assert len(VISITS.pick_rows(random=3)) == 3 and numbers(VISITS.pick_rows(numbers=[2, 9])) == [2]
    with pytest.raises(comb.ParameterError, match="expected one of first"):
        VISITS.pick_rows(first=1, last=1)


def test_texts_in_order() -> None:
    table = comb.table(columns={"s": ["colony 10", "Émile", "colony 9", None, "emil", "Zoe"]})
    assert table.sort("s", text="natural")["s"].to_list()[:2] == ["colony 9", "colony 10"]
    assert table.sort("s", text="ignore_accents")["s"].to_list() == [
        "colony 10",
        "colony 9",
        "emil",
        "Émile",
        "Zoe",
        None,
    ]
    assert table.sort("s desc", text="natural")["s"].to_list()[-1] is None


@given(st.lists(st.tuples(st.none() | st.sampled_from([1.5, -2.0, 3.0]), st.none() | st.sampled_from("xyz"), st.none() | st.dates(date(2025, 1, 1), date(2025, 1, 3))), max_size=12), st.lists(st.sampled_from(["v", "v desc", "s", "s desc", "d", "d desc"]), min_size=1, max_size=3, unique_by=lambda key: key[0]))  # fmt: skip
def test_sorting_is_stable_with_missing_last(cells: list[Any], keys: list[str]) -> None:
    table = comb.table(
        columns={"v": [one[0] for one in cells], "s": [one[1] for one in cells], "d": [one[2] for one in cells]}
    )
    order = list(range(len(cells)))
    for key in reversed(keys):
        column, descending = "vsd".index(key[0]), key.endswith("desc")
        present = [at for at in order if cells[at][column] is not None]
        # Equal rows keep their order in both directions.
        present.sort(key=lambda at: cells[at][column], reverse=descending)
        order = present + [at for at in order if cells[at][column] is None]
    assert table.sort(keys).row_numbers.tolist() == [at + 1 for at in order]


def test_split_transpose_rename_and_explain() -> None:
    codes = comb.table(columns={"code": ["WR-01-x", "BK-2", None], "n": [1, 2, 3]})
    made = codes.split("code", ["apiary", "hive"], mark="-")
    assert rows(made) == [("WR", "01-x", 1), ("BK", "2", 2), (None, None, 3)]
    assert rows(codes.split("code", mark="-")) == [("WR", 1), ("01", 1), ("x", 1), ("BK", 2), ("2", 2), (None, 3)]
    assert rows(codes.split("code", ["a", "b"], pattern=r"([A-Z]+)-(\d+)"))[0] == ("WR", "01", 1)
    assert rows(codes.split("code", ["a", "b", "c"], widths=[2, 1]))[1] == ("BK", "-", "2", 2)
    turned = comb.table(columns={"k": ["x", "y"], "jan": [1, 2], "feb": [3, 4]}).transpose("k")
    assert rows(turned) == [("jan", 1, 2), ("feb", 3, 4)] and turned.names == ("column", "x", "y")
    assert comb.table(columns={"A b": [1], "A-b": [2]}).rename(style="safe").names == ("a_b", "a_b (2)")
    assert "kg * 2 = 3.50 * 2" in repr(VISITS.show_working("kg * 2 + max(jan)", 1))


def test_filters_tell_of_unknown_rows_and_of_those_on_a_bound() -> None:
    entry = VISITS.filter("kg > 1 and n > 0").ledger[-1]
    assert entry.notes == [
        "1 of the rows left out is unknown (a cell is missing)",
        "2 rows exactly on the bound of kg > 1",
    ]
    assert VISITS.filter("kg = max(kg)", by="hive").row_numbers.tolist() == [1, 2, 4, 5]


def test_what_was_done_with_two_tables_is_a_plan(tmp_path: Any) -> None:
    (tmp_path / "visits.csv").write_text("hive,kg\na,1\nb,2\n")
    (tmp_path / "places.csv").write_text("hive,place\na,Mill\n")
    visits, places = comb.load(tmp_path / "visits.csv"), comb.load(tmp_path / "places.csv").trim()
    made = visits.join(places, "hive").aggregate({"kg": "sum(kg)"}, by="place")
    made.plan().save(tmp_path / "plan.yaml")
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run()
    assert rows(outcome.tables["visits"]) == rows(made) == [("Mill", 1), (None, 2)] and outcome.adds_up
    text = (tmp_path / "plan.yaml").read_text().replace("table: places", "table: palces")
    (tmp_path / "plan.yaml").write_text(text)
    with pytest.raises(comb.PlanError, match="there is no table 'palces'"):
        comb.Plan.load(tmp_path / "plan.yaml")


def test_every_function_is_documented_with_an_example_that_holds() -> None:
    from pathlib import Path

    text = (Path(__file__).parents[2] / "docs" / "language.md").read_text()
    documented = set()
    for line in text.splitlines():
        parts = [part.strip() for part in line.strip().strip("|").split(" | ")]
        if len(parts) == 4 and parts[2].startswith("`") and not parts[0].startswith("---"):
            documented.add(parts[0].strip("`").partition("(")[0])
            formula, expected = parts[2].strip("`"), parts[3].strip("`")
            column = VISITS.calculate({"r": formula}, as_of="2026-05-02")["r"]._take(__import__("numpy").array([0]))
            assert (column.texts()[0] or f"({column.reasons()[0]})") == expected, line
    assert documented >= {*FUNCTIONS, *AGGREGATES, *COLUMN_FUNCTIONS}


ARGUMENTS = {
    "string": "hive",
    "numeric": "kg",
    "integer": "n",
    "dated": "day",
    "moment": "day",
    "any": "n",
    "same": "n",
}


@pytest.mark.parametrize(
    "name", sorted(set(FUNCTIONS) - {"extract", "start_of", "end_of", "substring_regex", "coalesce", "reason"})
)
def test_a_null_goes_with_every_place_of_a_function(name: str) -> None:
    takes = FUNCTIONS[name].takes
    for at in range(len(takes)):
        if name == "round" and at:
            continue
        for nothing in ("null", "case when n > 0 then null end"):
            given = ["1" if name == "round" and place else ARGUMENTS[one] for place, one in enumerate(takes)]
            given[at] = nothing
            made = VISITS.calculate({"r": f"{name}({', '.join(given)})"})["r"]
            # Where nothing is compared with, the first stays as it is.
            assert (name == "nullif" and at) or made.missing.all(), given


@pytest.mark.parametrize("formula", ["extract(hour from null)", "start_of('month', null)", "end_of('year', null)",
                                     "substring_regex('a' in null)", "left(hive, nullif(n, n))"])  # fmt: skip
def test_a_null_goes_with_functions_of_a_form_of_their_own(formula: str) -> None:
    assert VISITS.calculate({"r": formula})["r"].missing.all()


def test_intervals_beyond_the_range_of_numbers_have_no_number() -> None:
    made = VISITS.calculate({"r": "width_bucket(kg, -1e308, 1e308, 4)"})["r"]
    assert set(made.reasons()) <= {"undefined", "blank"}


def test_moments_of_a_time_zone_are_not_counted_from_others() -> None:
    table = comb.table(columns={"a": ["2026-05-01T06:30Z"], "b": ["2026-05-03 06:30"], "d": ["2026-07-01"]})
    table = table.convert({"a": "datetime", "b": "datetime", "d": "date"})
    assert table.calculate({"n": "whole_months(b, d)"})["n"].to_list() == [1]
    for formula in ("whole_months(a, b)", "whole_years(b, a)", "whole_months(d, a)"):
        with pytest.raises(comb.ExpressionError, match="expected"):
            table.calculate({"n": formula})


YEARS = comb.table({"keeper": ["Alder", "Hazel"], "2021": [4, 6], "5": [1, 2]})


@pytest.mark.parametrize(
    ("condition", "name"),
    [("2021 > 5", "2021"), ("5 < 7", "5"), ("'keeper' = 'Alder'", "keeper"), ("not 1 in (2, 5)", "5"),
     ("7 between 1 and 2021", "2021"), ("-2021 < 0", "2021")],
)  # fmt: skip
def test_values_called_like_a_column_are_no_condition_by_themselves(condition: str, name: str) -> None:
    with pytest.raises(comb.ExpressionError, match="the result is the same for all rows") as caught:
        YEARS.filter(condition)
    assert caught.value.remedy == f'the column is written "{name}"'
    with pytest.raises(comb.ExpressionError, match="the result is the same for all rows"):
        YEARS.calculate({"made": "2021 + 1"})
    # With a column, or an aggregate, they are values; and one alone is a constant.
    assert len(YEARS.filter('"2021" > 5')) == 1 and len(YEARS.filter("'keeper' <> keeper and 1 = 1")) == 2
    assert YEARS.calculate({"made": "2021"})["made"].to_list() == [2021, 2021] and len(YEARS.filter("1 = 1")) == 2
    assert YEARS.filter("count(*) < 5").row_count == 2
