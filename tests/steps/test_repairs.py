"""Every method of repair: what it makes of some tables, what it says, what it refuses; in Python and from a plan."""

from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb

VISITS = """hive,day,state,region,kg,frames,mites,note
a,2025-05-01,Ohm,North,10.0,4,3,box  7
a,2025-05-03,Ohm,,,5,,box 12
b,2025-05-02,Volt,South,20.0,8,900,
b,2025-05-04,Volt,East,30.0,12,4,box 3
a,2025-05-05,Ohm,North,14.0,,5,roof
b,2025-05-06,Volt,,,16,,box 44
"""
REGIONS = "key,zone,region\nOhm,1,North\nVolt,2,South\n"

# Step, parameters, the column to look at, what it holds then, and what is said.
CASES: list[tuple[str, dict[str, Any], str, list[Any], str]] = [
    ("fill", {"columns": "mites", "value": 0}, "mites", [3, 0, 900, 4, 5, 0], ""),
    ("fill", {"columns": "mites", "value": 0, "where": "hive = 'a'"}, "mites", [3, 0, 900, 4, 5, None], ""),
    ("fill", {"columns": "kg", "from_row": "above"}, "kg", ["10.0", "10.0", "20.0", "30.0", "14.0", "14.0"], ""),
    ("fill", {"columns": "kg", "from_row": "above", "by": "hive"}, "kg", [10, 10, 20, 30, 14, 30], ""),
    ("fill", {"columns": "kg", "from_row": "below", "by": "hive"}, "kg", [10, 14, 20, 30, 14, None], "1 cell of kg stays"),
    ("fill", {"columns": "mites", "from_row": "above", "order_by": "day"}, "mites", [3, 900, 900, 4, 5, 5], ""),
    ("fill", {"columns": "kg", "from_group": "mean", "by": "hive"}, "kg", [10, 12, 20, 30, 14, 25], ""),
    ("fill", {"columns": "mites", "from_group": "median"}, "mites", [3, 4.5, 900, 4, 5, 4.5], "mites is a number now"),
    ("fill", {"columns": "region", "from_group": "only_value", "by": "state"}, "region",
     ["North", "North", "South", "East", "North", None], "1 group of state has several values of region and is left (Volt: South, East)"),
    ("fill", {"columns": "region", "from_group": "commonest", "by": "state"}, "region",
     ["North", "North", "South", "East", "North", None], "equally common values of region and is left (Volt: South, East)"),
    ("fill", {"columns": "kg", "in_proportion_to": "day", "by": "hive"}, "kg", [10, 12, 20, 30, 14, None], "1 cell of kg stays empty"),
    ("fill", {"columns": "frames", "in_proportion_to": "kg"}, "frames", [4, 5, 8, 12, "5.6", 16], "frames is now"),
    ("fill", {"columns": "kg", "on_line": "frames"}, "kg", [10, "12.5", 20, 30, 14, 40], "kg = 1.3332e-15"),
    ("fill", {"columns": "kg", "similar_in": ["frames", "state"]}, "kg", [10, 10, 20, 30, 14, 30], ""),
    ("correct", {"column": "mites", "row": 3, "old": 900, "new": 9, "source": "log book"}, "mites", [3, None, 9, 4, 5, None], "900 corrected to 9, from log book"),
    ("correct", {"column": "kg", "key": {"hive": "a", "day": "2025-05-05"}, "old": "14", "new": None}, "kg",
     [10, None, 20, 30, None, None], "corrected to (missing)"),
    ("replace_text", {"columns": "note", "old": "box ", "new": "B"}, "note", ["B 7", "B12", None, "B3", "roof", "B44"], ""),
    ("replace_text", {"columns": "note", "pattern": "^box +([0-9]+)$", "new": "$1$$"}, "note", ["7$", "12$", None, "3$", "roof", "44$"], ""),
    ("replace_text", {"columns": "note", "old": "roof", "new": "", "whole": True}, "note",
     ["box  7", "box 12", None, "box 3", None, "box 44"], "1 cell of note became empty"),
    ("replace_text", {"columns": "note", "old": "box", "new": "", "where": "hive = 'b'"}, "note",
     ["box  7", "box 12", None, " 3", "roof", " 44"], ""),
    ("round", {"columns": "mites", "digits": -1}, "mites", [0, None, 900, 0, 10, None], "rounded"),
    ("round", {"columns": "mites", "digits": -1, "rounding": "up", "where": "hive = 'a'"}, "mites", [10, None, 900, 4, 10, None], ""),
    ("pad_text", {"columns": "frames", "width": 3}, "frames", ["004", "005", "008", "012", None, "016"], "frames is now string"),
    ("pad_text", {"columns": "state", "width": 3, "character": ".", "side": "right"}, "state",
     ["Ohm", "Ohm", "Volt", "Volt", "Ohm", "Volt"], "3 texts of state are longer than 3"),
    ("replace_values", {"columns": "mites", "above": 100}, "mites", [3, None, None, 4, 5, None], "above 100 replaced by missing"),
    ("replace_values", {"columns": "mites", "above": 100, "below": 4, "at_bound": True}, "mites", [4, None, 100, 4, 5, None], ""),
    ("replace_values", {"columns": "mites", "outside": 1, "formula": "frames"}, "mites", [3, None, 8, 4, 5, None], "values of mites between"),
    ("replace_values", {"columns": "kg", "where": "frames is null", "value": 15}, "kg", [10, None, 20, 30, 15, None], ""),
    ("combine", {"columns": ["hive", "frames"], "new_columns": "code", "mark": "-"}, "code",
     ["a-4", "a-5", "b-8", "b-12", "a", "b-16"], "1 row has a missing cell among them"),
    ("remove_missing", {"columns": ["kg", "mites"]}, "frames", [4, 8, 12, None], "2 rows set aside"),
    ("remove_missing", {"more_than": 2}, "frames", [4, 8, 12, None], "2 rows set aside"),
    ("mark_rows", {"where": "mites > 4", "new_columns": "odd"}, "odd", [False, None, True, False, True, None], "2 rows, 2 unknown"),
    ("mark_rows", {"where": {"many": "mites > 4", "light": "kg < 15"}, "new_columns": "odd"}, "odd",
     ["light", None, "many", None, "many; light", None], "many: 2 rows, 2 unknown"),
]  # fmt: skip


@pytest.fixture
def visits(tmp_path: Path) -> comb.Table:
    (tmp_path / "visits.csv").write_text(VISITS)
    (tmp_path / "regions.csv").write_text(REGIONS)
    return comb.load(tmp_path / "visits.csv")


def plain(values: list[Any]) -> list[Any]:
    return [Decimal(str(one)) if isinstance(one, int | float) and not isinstance(one, bool) else one for one in values]


@pytest.mark.parametrize(("step", "parameters", "column", "expected", "said"), CASES)
def test_a_repair_does_what_it_says_and_a_plan_does_the_same(
    visits: comb.Table, step: str, parameters: dict[str, Any], column: str, expected: list[Any], said: str
) -> None:
    given_values = parameters.copy()
    made = getattr(visits, step)(**given_values)
    found = made[column].to_list()
    kinds = [
        Decimal if isinstance(one, Decimal | float | int) and not isinstance(one, bool) else type(one) for one in found
    ]
    wanted = [None if one is None else Decimal(str(one)) if kind is Decimal else one
              for one, kind in zip(expected, kinds, strict=True)]  # fmt: skip
    close = [
        one == two or (isinstance(two, Decimal) and abs(Decimal(str(one)) - two) < Decimal("1e-9"))
        for one, two in zip(found, wanted, strict=True)
    ]
    assert all(close), found
    if not said.startswith("kg = 1.3"):
        assert said in made.sentence(), made.sentence()
    assert all(entry.adds_up for entry in made.ledger)
    again = made.plan().run().tables["visits"]
    assert made.equals(again)


def test_a_fill_from_another_table_and_a_code_book(visits: comb.Table, tmp_path: Path) -> None:
    regions = comb.load(tmp_path / "regions.csv")
    filled = visits.fill("region", table=regions, by="state = key", at_most=2)
    assert filled["region"].to_list() == ["North", "North", "South", "East", "North", "South"]
    assert filled.plan().run().tables["visits"].equals(filled)
    recoded = visits.recode("state", table=regions, new_column="zone")
    assert recoded["state"].to_list() == ["1", "1", "2", "2", "1", "2"]
    twice = comb.table(columns={"old": ["Ohm", "Ohm"], "new": ["x", "y"]})
    with pytest.raises(comb.ParameterError, match="says both 'x' and 'y' for 'Ohm'"):
        visits.recode("state", table=twice)
    strange = visits.recode("state", table=comb.table(columns={"old": ["Ohm"], "new": ["x"]}))
    assert "not in" in strange.sentence() and "'Volt'" in strange.sentence()


def test_results_that_do_not_exist_are_counted_where_they_arise() -> None:
    table = comb.table(columns={"g": ["a", "a", "b"], "kg": [3, 4, 5], "m": [0, 2, 0]})
    said = "kg / m has no result in 2 rows"
    for made in (table.filter("kg / m > 1"), table.aggregate({"r": "avg(kg / m)"}, by="g"), table.set_aside("ln(m) > 1 or kg / m > 9"),
                 table.calculate({"r": "coalesce(kg / m, 0)"}), table.calculate({"r": "case when kg / m > 1 then 1 end"})):  # fmt: skip
        assert said in made.ledger[-1].notes, made.ledger[-1].notes
    plain = table.calculate({"r": "kg / m"}).ledger[-1].notes
    assert plain == ["2 results of r do not exist"]


def test_the_line_of_a_fill_is_on_record(visits: comb.Table) -> None:
    line = comb.table(columns={"x": [1, 2, 3, 4], "y": [3.0, 5.0, 7.5, None]}).fill("y", on_line="x")
    assert line.ledger[-1].notes == ["y = 0.666667 + 2.25 * x, from 3 rows, r squared 0.9959"]
    assert abs(line["y"].to_list()[-1] - 29 / 3) < 1e-12
    flat = comb.table(columns={"x": [1, 1, 1, 1], "y": [3.0, 5.0, 7.5, None]}).fill("y", on_line="x")
    assert flat["y"].missing_count == 1 and "1 group gives no line" in flat.sentence()


REFUSED = [
    ("fill", {"columns": "kg"}, "expected one of value, formula"),
    ("fill", {"columns": "kg", "value": 1, "by": "hive"}, "by does not apply to value"),
    ("fill", {"columns": "region", "from_group": "mean"}, "expected a column of numbers for the mean"),
    ("fill", {"columns": "region", "from_group": "only_value"}, "needs the columns that form the groups"),
    ("fill", {"columns": "mites", "value": 1, "at_most": 1}, r"would change 2 cells of mites \(33.3 % of 6\)"),
    ("fill", {"columns": "mites", "value": 1, "at_most": "20%"}, "more than at_most: 20%"),
    ("filter", {"where": "mites > 4", "at_most": "50 %"}, "would remove 4 rows"),
    ("correct", {"column": "mites", "row": 3, "old": 90, "new": 9}, r"expected '90' in mites, got '900' \(visits.csv, line 4\)"),
    ("correct", {"column": "mites", "row": 2, "old": 90, "new": 9}, r"got a missing cell \(blank\)"),
    ("correct", {"column": "mites", "old": 900, "new": 9}, "expected a row number or a key"),
    ("correct", {"column": "mites", "key": {"hive": "a"}, "old": 900, "new": 9}, "expected one row with hive a, got 3 rows"),
    ("correct", {"column": "mites", "row": 3, "old": 900, "new": "few"}, "'few' is no integer"),
    ("replace_text", {"columns": "note", "new": "x"}, "expected either old or pattern"),
    ("replace_text", {"columns": "note", "pattern": "(box)", "new": "$2"}, "there is no group 2"),
    ("replace_text", {"columns": "note", "pattern": "(box)", "new": "\\1"}, "groups are written"),
    ("replace_text", {"columns": "kg", "old": "1", "new": "2"}, "expected a column of type string"),
    ("round", {"columns": "note"}, "expected a column of numbers"),
    ("pad_text", {"columns": "kg", "width": 3}, "expected a column of type string or integer"),
    ("replace_values", {"columns": "kg"}, "expected which values"),
    ("replace_values", {"columns": "kg", "outside": 3, "above": 2}, "and not both"),
    ("combine", {"columns": "kg", "new_columns": "x"}, "at least two columns"),
    ("combine", {"columns": ["kg", "mites"], "new_columns": "hive"}, "two columns named 'hive'"),
    ("remove_missing", {"share": "0%"}, ""),
    ("mark_rows", {"where": "kg > 1", "new_columns": "kg"}, "two columns named 'kg'"),
]  # fmt: skip


@pytest.mark.parametrize(("step", "parameters", "message"), REFUSED)
def test_what_a_repair_cannot_do_is_said(
    visits: comb.Table, step: str, parameters: dict[str, Any], message: str
) -> None:
    if not message:
        assert getattr(visits, step)(**parameters).names == ("hive", "day", "state")
        return
    with pytest.raises(comb.CombError, match=message):
        getattr(visits, step)(**parameters)


@pytest.mark.parametrize(("step", "parameters", "column", "expected", "said"), CASES)
def test_a_repair_of_no_rows_is_one_of_no_rows(
    visits: comb.Table, step: str, parameters: dict[str, Any], column: str, expected: list[Any], said: str
) -> None:
    if step == "correct":
        return
    made = getattr(visits.filter("kg > 1000"), step)(**parameters)
    assert made.row_count == 0 and column in made


@given(
    st.lists(st.integers(-(10**6), 10**6), min_size=1), st.integers(-3, 3),
    st.sampled_from(["nearest", "nearest_even", "down", "up"]),
)  # fmt: skip
def test_rounding_is_that_of_exact_decimals(numbers: list[int], digits: int, rounding: str) -> None:
    import decimal as exact

    modes = {
        "nearest": exact.ROUND_HALF_UP,
        "nearest_even": exact.ROUND_HALF_EVEN,
        "down": exact.ROUND_FLOOR,
        "up": exact.ROUND_CEILING,
    }
    values = [Decimal(one).scaleb(-3) for one in numbers]
    wanted = [value.quantize(Decimal(1).scaleb(-digits), modes[rounding]) for value in values]
    as_decimals = comb.table(columns={"x": values}).round("x", digits=digits, rounding=rounding)["x"].to_list()
    as_floats = comb.table(columns={"x": [float(value) for value in values]}).round(
        "x", digits=digits, rounding=rounding
    )
    assert as_decimals == wanted
    assert as_floats["x"].to_list() == [float(value) for value in wanted]


@given(
    st.lists(
        st.tuples(st.integers(0, 2), st.one_of(st.none(), st.integers(0, 4)), st.one_of(st.none(), st.integers(0, 9)))
    )
)
def test_a_fill_in_an_order_is_that_of_a_walk(rows: list[tuple[int, int | None, int | None]]) -> None:
    if not rows:
        return
    names = ("g", "at", "x")
    table = comb.table(columns={name: [row[place] for row in rows] for place, name in enumerate(names)}
                       ).convert({"at": "integer", "x": "integer"})  # fmt: skip
    for direction in ("above", "below"):
        made = table.fill("x", from_row=direction, by="g", order_by="at")["x"].to_list()
        order = sorted((at for at, row in enumerate(rows) if row[1] is not None), key=lambda at: (rows[at][1], at))
        last: dict[int, int] = {}
        wanted = [row[2] for row in rows]
        for at in order if direction == "above" else reversed(order):
            group, value = rows[at][0], rows[at][2]
            if value is None:
                wanted[at] = last.get(group)
            else:
                last[group] = value
        assert made == wanted


def test_the_most_similar_row_is_that_of_a_slow_search() -> None:
    random = np.random.default_rng(5)
    kinds, sizes = random.choice(["x", "y"], 60).tolist(), random.integers(0, 50, 60).tolist()
    values: list[int | None] = [None if at % 4 == 0 else at for at in range(60)]
    made = (
        comb.table(columns={"kind": kinds, "size": sizes, "v": values})
        .fill("v", similar_in=["kind", "size"])["v"]
        .to_list()
    )
    width = max(sizes) - min(sizes)
    for at in range(0, 60, 4):
        given_rows = [one for one in range(60) if values[one] is not None]
        best = min(given_rows, key=lambda one: (abs(sizes[one] - sizes[at]) / width + (kinds[one] != kinds[at]), one))
        assert made[at] == values[best]
