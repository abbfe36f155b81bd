"""From long form to wide and back: types, reasons, categories and places are kept; what meets in one place is refused."""

from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb

VISITS = comb.table(columns={
    "hive": ["a", "a", "b", "b", "c"], "year": [2025, 2024, 2024, 2025, 2024], "mites": [3, 5, None, 4, 9],
    "kg": ["1.50", "2.50", "3.50", "4.50", "x"],
}).convert({"kg": "decimal 0.00"})  # fmt: skip


def test_values_become_columns_in_their_order() -> None:
    wide = VISITS.select(leave_out="kg").to_wide(heading_column="year", value_column="mites")
    assert wide.names == ("hive", "2024", "2025") and str(wide["2024"].type) == "integer"
    assert wide["2024"].to_list() == [5, None, 9] and wide["2024"].reasons() == [None, "blank", None]
    assert wide["2025"].to_list() == [3, 4, None] and wide["2025"].reasons() == [None, None, "absent"]
    assert wide.ledger[-1].merged == 2 and wide.ledger[-1].adds_up
    several = VISITS.to_wide(heading_column="year", value_column=["mites", "kg"], by="hive")
    assert several.names == ("hive", "mites_2024", "mites_2025", "kg_2024", "kg_2025")
    assert several["kg_2024"].reasons() == [None, None, "unreadable"] and several["kg_2024"].kept.texts[2] == "x"
    assert several.place(1, "mites_2024") == VISITS.place(2, "mites")
    assert "of 2 rows: 1, 2" in repr(several.trace(1, "mites_2024"))


def test_two_values_for_one_place_are_refused_or_put_together() -> None:
    twice = comb.table(columns={"hive": ["a", "a", "b"], "month": ["may", "may", "june"], "mites": [3, 4, 5]})
    with pytest.raises(
        comb.ParameterError, match=r"1 row has a place that another row has: rows 1 and 2 \(hive a, month may\)"
    ):
        twice.to_wide(heading_column="month", value_column="mites")
    for how, wanted in (
        ("sum", 7),
        ("avg", 3.5),
        ("min", 3),
        ("max", 4),
        ("count", 2),
        ("first", 3),
        ("last", 4),
        ("median", 3.5),
    ):
        wide = twice.to_wide(heading_column="month", value_column="mites", aggregate=how)  # type: ignore[arg-type]
        assert wide["may"].to_list() == [wanted, None], how


CASES: list[tuple[dict[str, Any], str]] = [
    ({"heading_column": "moon", "value_column": "mites"}, "no column 'moon'"),
    ({"heading_column": "year", "value_column": "year"}, "named twice"),
    ({"heading_column": "year", "value_column": "mites", "by": ["hive", "year"]}, "named twice"),
    ({"heading_column": "year", "value_column": "mites", "most_columns": 1}, "2 new columns, more than 1"),
    ({"heading_column": "year", "value_column": "kg", "by": "hive", "aggregate": "product"}, "aggregate"),
    ({"heading_column": "year", "value_column": "hive", "by": "kg", "aggregate": "sum"}, "sum is of numbers"),
]


@pytest.mark.parametrize(("parameters", "message"), CASES)
def test_what_makes_no_sense_is_said(parameters: dict[str, Any], message: str) -> None:
    with pytest.raises(comb.CombError, match=message):
        VISITS.to_wide(**parameters)


def test_missing_headings_clashing_names_and_no_rows() -> None:
    odd = comb.table(columns={"hive": ["a", "a"], "what": [None, "hive"], "v": [1, 2]})
    wide = odd.to_wide(heading_column="what", value_column="v")
    assert wide.names == ("hive", "hive (2)", "(missing)") and "rows without what" in wide.sentence()
    none = odd.filter("v > 9").to_wide(heading_column="what", value_column="v")
    assert (none.names, none.row_count) == (("hive",), 0)
    whole = comb.table(columns={"what": ["x", "y"], "v": [1, 2]}).to_wide(heading_column="what", value_column="v")
    assert (whole["x"].to_list(), whole["y"].to_list()) == ([1], [2])
    shelters = comb.table(columns={"h": ["a", "a", "a"], "s": ["full", "open", "half"], "n": [1, 2, 3]}).convert(
        {"s": "category"}, choices=["open", "half", "full"])  # fmt: skip
    assert shelters.to_wide(heading_column="s", value_column="n").names == ("h", "open", "half", "full")


def test_names_that_a_file_would_not_keep_are_made_safe_and_said(tmp_path: Path) -> None:
    odd = comb.table(columns={"h": ["a"] * 4, "w": ["x:y", "l\nm", " s ", "s"], "v": [1, 2, 3, 4]})
    wide = odd.to_wide(heading_column="w", value_column="v")
    assert wide.names == ("h", "s", "l m", "s (2)", "x:y")
    assert "' s ' is called 's'" in wide.sentence() and "'l\\nm' is called 'l m'" in wide.sentence()
    wide.save(tmp_path / "wide.csv")
    assert comb.load(tmp_path / "wide.csv").names == wide.names and wide.select("x:y").names == ("x:y",)


def test_names_built_by_a_pattern_become_several_columns() -> None:
    wide = comb.table(columns={"hive": ["a", "b"], "kg_2024": [30, 31], "mites_2024": [3, None], "kg_2025": [33, 34]})
    long = wide.to_long(["kg_*", "mites_*"], pattern="{value}_{year}", types={"year": "integer"})
    assert long.names == ("hive", "year", "kg", "mites") and str(long["year"].type) == "integer"
    assert long["year"].to_list() == [2024, 2025, 2024, 2025] and long["kg"].to_list() == [30, 33, 31, 34]
    assert (
        long["mites"].reasons() == [None, "absent", "blank", "absent"]
        and "1 column of the pattern is not there" in long.sentence()
    )
    assert long.place(1, "kg").endswith("row 1")
    back = long.to_wide(heading_column="year", value_column=["kg", "mites"])
    assert back.select(["hive", "kg_2024", "mites_2024", "kg_2025"]).columns["kg_2025"].to_list() == [33, 34]
    months = comb.table(columns={"may": [1], "april": [2]}).to_long(
        "may:april", heading_column="m", value_column="v", types={"m": "category"}
    )
    assert [one.value for one in months["m"].type.choices] == ["may", "april"] and months.sort("m")["v"].to_list() == [
        1,
        2,
    ]
    days = comb.table(columns={"2025-05": [1], "2025-06": [2]}).to_long(
        "*", heading_column="m", value_column="v", types={"m": "date yyyy-MM"}
    )
    assert str(days["m"].type) == "date"
    three = comb.table(columns={"kg spring 2024": [1], "kg autumn 2024": [2]}).to_long(
        "kg*", pattern="{value} {season} {year}", types={"year": "integer"}
    )
    assert three.names == ("season", "year", "kg") and three["season"].to_list() == ["spring", "autumn"]


@pytest.mark.parametrize(("parameters", "message"), [
    ({}, "expected heading_column and value_column, or a pattern"),
    ({"pattern": "{value}_{year}", "heading_column": "x"}, "and not both"),
    ({"pattern": "{year}"}, "expected a pattern with {value}"),
    ({"pattern": "{value}-{year}"}, "'kg_2024', 'kg_2025' are not built like"),
    ({"pattern": "{value}_{hive}"}, "two columns named 'hive'"),
    ({"pattern": "{value}_{year}", "types": {"moon": "integer"}}, "no column 'moon' is made of names"),
    ({"pattern": "{value}_{year}", "types": {"year": "date"}}, "'2024', '2025' do not fit date"),
])  # fmt: skip
def test_patterns_that_do_not_fit(parameters: dict[str, Any], message: str) -> None:
    wide = comb.table(columns={"hive": ["a"], "kg_2024": [30], "kg_2025": [33]})
    with pytest.raises(comb.CombError) as caught:
        wide.to_long("kg_*", **parameters)
    assert message in str(caught.value)


CELLS = st.one_of(st.none(), st.integers(0, 99))


@given(st.lists(st.tuples(CELLS, CELLS, CELLS), min_size=1, max_size=8))
def test_long_and_wide_undo_each_other(rows: list[tuple[Any, Any, Any]]) -> None:
    table = comb.table(columns={"id": list(range(len(rows))), **{name: [row[at] for row in rows] for at, name in enumerate(("x", "y", "z"))}}
                       ).convert({"x:z": "integer"})  # fmt: skip
    long = table.to_long("x:z", heading_column="name", value_column="value")
    back = long.to_wide(heading_column="name", value_column="value")
    assert back.names == table.names and back.types == table.types
    for name in table.names:
        assert back[name].to_list() == table[name].to_list() and back[name].reasons() == table[name].reasons()
    again = back.to_long("x:z", heading_column="name", value_column="value")
    assert again["value"].to_list() == long["value"].to_list() and again["name"].to_list() == long["name"].to_list()
    assert [back.place(at, "y") for at in range(1, len(rows) + 1)] == [
        table.place(at, "y") for at in range(1, len(rows) + 1)
    ]


def test_combinations_that_are_not_there_are_added() -> None:
    seen = comb.table(columns={"hive": ["a", "a", "b", None], "week": [1, 2, 1, 2], "mites": [3, 4, 5, 6]})
    whole = seen.add_combinations(["hive", "week"], values={"mites": 0})
    assert whole.row_count == 5 and whole.record(0)["hive"] == "b" and whole.record(0)["week"] == 2
    assert (
        whole["mites"].to_list() == [3, 4, 5, 6, 0]
        and "1 combination was not there, 1 row without a key" in whole.sentence()
    )
    assert whole.ledger[-1].added == 1 and whole.ledger[-1].adds_up and "added by a step" in whole.place(0)
    assert whole.add_combinations(["hive", "week"]).row_count == 5
    absent = seen.add_combinations(["hive", "week"])
    assert absent["mites"].reasons()[-1] == "absent" and absent.place(1, "mites") == seen.place(1, "mites")


def test_gaps_of_a_series_come_with_the_step_that_fills_them() -> None:
    weeks = [date(2025, 1, 6) + timedelta(days=7 * at) for at in range(30)]
    rows = [(gauge, week) for week in weeks for gauge in "ABCD"]
    del rows[50], rows[21]
    levels = [140 + at * 37 % 29 for at in range(len(rows))]
    readings = comb.table(
        columns={"gauge": [one for one, _ in rows], "week": [week for _, week in rows], "level": levels}
    )
    [finding] = readings.profile().findings
    assert (finding.code, finding.count) == ("series.incomplete", 2) and finding.remedy is not None
    whole = readings.take_step(finding.remedy)
    new = whole.filter("level is null")
    assert list(zip(new["gauge"].to_list(), new["week"].texts(), strict=True)) == [
        ("B", "2025-02-10"),
        ("C", "2025-03-31"),
    ]
    assert whole.profile().of("series.incomplete") == []


def test_moments_that_are_not_there_come_with_the_step_that_adds_them() -> None:
    begin = datetime(2025, 1, 31, 22)
    moments = [begin + timedelta(minutes=15 * at) for at in range(40) if at not in (7, 30)]
    readings = comb.table(columns={"at": moments, "kg": [round(30 + at % 7 * 0.3, 1) for at in range(len(moments))]})
    [finding] = readings.profile().of("series.incomplete")
    assert finding.text == "2 times of at, every 15 minutes, are not there: 2025-01-31 23:45, 2025-02-01 05:30"
    whole = readings.take_step(finding.remedy)  # type: ignore[arg-type]
    assert sorted(whole["at"].to_list()) == [begin + timedelta(minutes=15 * at) for at in range(40)]
    assert whole.profile().of("series.incomplete") == [] and len(whole.filter("kg is null")) == 2
    # Moments that somebody chose have no step; nor have some of which every other one is not there.
    for chosen in (moments[::2] + moments[1::7], [begin + timedelta(minutes=at * at) for at in range(40)]):
        some = comb.table(columns={"at": sorted(set(chosen)), "kg": [*range(len(set(chosen)))]})
        assert some.profile().of("series.incomplete") == []
    for parameters, message in [({"every": "15 minuts"}, "did you mean 'minute'"), ({"every": "month"}, "no months"), ({"every": "0 days"}, "no interval")]:  # fmt: skip
        with pytest.raises(comb.CombError, match=message):
            readings.add_combinations(period="at", **parameters)  # type: ignore[arg-type]
    with pytest.raises(comb.CombError, match="no times of day"):
        VISITED.add_combinations("hive", period="day", every="hour")


def test_a_plan_adds_moments_without_keys(tmp_path: Path) -> None:
    (tmp_path / "s.csv").write_text("at,kg\n2025-01-01 00:00,1\n2025-01-01 00:15,2\n2025-01-01 01:00,3\n")
    plan = tmp_path / "plan.yaml"
    plan.write_text("source: s.csv\nsteps: [{step: add_combinations, period: at, every: 15 minutes}]\n")
    assert len(comb.Plan.load(plan).run().tables["s"]) == 5
    plan.write_text(plan.read_text().replace("minutes", "minuts"))
    with pytest.raises(comb.CombError, match="no interval 'minut'") as found:
        comb.Plan.load(plan).run()
    assert "plan.yaml, line 2" in str(found.value.where)


VISITED = comb.table(columns={
    "hive": ["a", "a", "a", "b", "b"], "day": ["2025-01-31", "2025-02-28", "2025-04-30", "2025-02-28", "2025-03-31"],
    "kg": [1, 2, 4, 2, 3],
}).convert({"day": "date"})  # fmt: skip


@pytest.mark.parametrize(("every", "own", "added"), [
    ("month", False, [("a", "2025-03-31"), ("b", "2025-01-31"), ("b", "2025-04-30")]),
    ("month", True, [("a", "2025-03-31"), ("b", "2025-03-28")]),
    ("quarter", False, [("b", "2025-01-31"), ("b", "2025-04-30")]),
    ("year", False, [("b", "2025-01-31")]),
])  # fmt: skip
def test_periods_that_are_not_there_are_added(every: str, own: bool, added: list[tuple[str, str]]) -> None:
    made = VISITED.add_combinations("hive", period="day", every=every, own_range=own)
    new = made.filter("kg is null")
    assert list(zip(new["hive"].to_list(), new["day"].texts(), strict=True)) == added


def test_days_and_weeks_and_no_rows() -> None:
    days = VISITED.filter("hive = 'b'").add_combinations(period="day", every="week")
    assert days["day"].texts()[2:] == ["2025-03-07", "2025-03-14", "2025-03-21", "2025-03-28"]
    assert VISITED.add_combinations("hive", period="day").row_count == 180
    none = VISITED.filter("kg > 99")
    assert (
        none.add_combinations("hive", period="day").row_count == 0
        and none.add_combinations(["hive", "kg"]).row_count == 0
    )
    for parameters, message in [({"by": "hive"}, "two keys to combine"), ({"period": "kg"}, "column of dates"), ({"by": ["hive", "moon"]}, "moon"),
                                ({"by": ["hive", "kg"], "values": {"moon": 1}}, "moon")]:  # fmt: skip
        with pytest.raises(comb.CombError, match=message):
            VISITED.add_combinations(**parameters)  # type: ignore[arg-type]


ORDERS = comb.table(columns={
    "order": [1, 2, 3, 4], "keeper": ["Alder", "Rowan", "Alder", None], "town": ["Mill", "Fox", None, "Elm"], "jars": [3, 5, 2, 1],
})  # fmt: skip


def test_two_levels_come_apart_and_join_to_the_same_table() -> None:
    keepers = ORDERS.separate_tables("keeper", "town")
    assert keepers["keeper"].to_list() == ["Alder", "Rowan", None] and keepers["town"].to_list() == [
        "Mill",
        "Fox",
        "Elm",
    ]
    assert keepers.ledger[-1].merged == 1 and "1 row without a key" in keepers.sentence()
    assert keepers.place(1, "town").endswith("row 1")
    clean = ORDERS.filter("keeper is not null").fill("town", from_group="only_value", by="keeper")
    rest, other = clean.separate_tables("keeper", "town", part="rest"), clean.separate_tables("keeper", "town")
    assert rest.names == ("order", "keeper", "jars")
    assert rest.join(other, "keeper").select(clean.names)["town"].to_list() == clean["town"].to_list()
    wrong = comb.table(columns={"keeper": ["Alder", "Alder", "Alder"], "town": ["Mill", None, "Fox"]})
    with pytest.raises(comb.ParameterError, match=r"Alder: town 'Mill' and 'Fox' \(rows 1 and 3\)"):
        wrong.separate_tables("keeper", "town")
    with pytest.raises(comb.ColumnError, match="among the columns"):
        wrong.separate_tables("keeper", ["town", "keeper"])
    none = ORDERS.filter("jars > 99")
    assert (
        none.separate_tables("keeper", "town").row_count == 0
        and none.separate_tables("keeper", "town", part="rest").row_count == 0
    )


@pytest.mark.parametrize(
    ("side", "expected"),
    [("left", [("a", "b-c"), ("d", "e"), ("f", None)]), ("right", [("a-b", "c"), ("d", "e"), ("f", None)])],
)
def test_a_split_from_the_right_leaves_the_rest_on_the_left(side: str, expected: list[tuple[Any, Any]]) -> None:
    made = comb.table(columns={"code": ["a-b-c", "d-e", "f"]}).split("code", ["one", "two"], mark="-", side=side)  # type: ignore[arg-type]
    assert list(zip(made["one"].to_list(), made["two"].to_list(), strict=True)) == expected
    assert f"what is more stays in the {'first' if side == 'right' else 'last'}" in made.sentence()
