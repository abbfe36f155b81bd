"""Heading rows, marks of footnotes, indicators: what becomes of each cell, what is said, and the way back."""

from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from support.running import load_text

LANDED = comb.table(columns={
    "quay": ["Old", "Upper river", "Ash", "Elm", "Coast", "Fern", "Closed"], "boats": [1, None, 12, 9, None, 31, None],
})  # fmt: skip


def test_heading_rows_become_a_column_and_are_set_aside() -> None:
    made = LANDED.take_heading_rows("quay", "reach")
    assert made.names == ("reach", "quay", "boats") and made["quay"].to_list() == ["Old", "Ash", "Elm", "Fern"]
    assert made["reach"].to_list() == [None, "Upper river", "Upper river", "Coast"]
    assert made["reach"].reasons()[0] == "absent" and made.row_numbers.tolist() == [1, 3, 4, 6]
    entry = made.ledger[-1]
    assert (entry.set_aside, entry.adds_up) == (3, True)
    assert "1 heading without rows: 'Closed'" in made.sentence() and "1 row above the first heading" in made.sentence()
    # The value stood in the row of the heading.
    assert made.place(3, "reach") == LANDED.place(2, "quay") and "Upper river" in repr(made.trace(3, "reach"))
    assert LANDED.take_heading_rows("quay", "reach", where="quay = 'Coast'")["reach"].to_list()[-2:] == [
        "Coast",
        "Coast",
    ]
    with pytest.raises(comb.CombError, match="more than"):
        LANDED.take_heading_rows("quay", "reach", at_most=2)


def test_headings_in_two_levels() -> None:
    rows = ["North", "Ayr", "Cup", "Elgin", "Jug", "South", "Hove", "Bowl"]
    stock = comb.table(columns={"article": rows, "pieces": [None, None, 5, None, 6, None, None, 7]})
    made = stock.take_heading_rows("article", ["region", "town"])
    assert [made[name].to_list() for name in made.names] == [
        ["North", "North", "South"], ["Ayr", "Elgin", "Hove"], ["Cup", "Jug", "Bowl"], [5, 6, 7],
    ]  # fmt: skip
    # A higher heading without one below it ends the lower level.
    gap = comb.table(
        columns={"article": ["North", "Ayr", "Cup", "South", "Hove", "Jug"], "n": [None, None, 1, None, None, 2]}
    )
    assert gap.take_heading_rows("article", ["region", "town"])["town"].to_list() == ["Ayr", "Hove"]
    assert gap.filter("n > 9").take_heading_rows("article", "region").shape == (0, 3)


@given(st.lists(st.lists(st.integers(0, 9), max_size=4), max_size=6))
def test_every_row_gets_the_heading_above_it(groups: list[list[int]]) -> None:
    names = [f"g{at}" for at in range(len(groups))]
    rows = [
        row for name, some in zip(names, groups, strict=True) for row in [(name, None), *((f"r{n}", n) for n in some)]
    ]
    table = comb.table(columns={"what": [one for one, _ in rows], "n": [n for _, n in rows]}).convert({"n": "integer"})
    made = table.take_heading_rows("what", "group")
    assert made["group"].to_list() == [name for name, some in zip(names, groups, strict=True) for _ in some]
    assert made["n"].to_list() == [n for some in groups for n in some]
    assert made.ledger[-1].set_aside == len(groups) and made.ledger[-1].adds_up


@pytest.mark.parametrize(
    ("texts", "values", "marks"),
    [
        (["7.2", "6.8*", "5.9 1)"], [Decimal("7.2"), Decimal("6.8"), Decimal("5.9")], [None, "*", "1)"]),
        (["12", "13**", "14†"], [12, 13, 14], [None, "**", "†"]),
        (["1", "2³", "3 (b)"], [1, 2, 3], [None, "³", "(b)"]),
        (["Oats*", "Rye", "A"], ["Oats", "Rye", "A"], ["*", None, None]),
        (["x", "y", "z"], ["x", "y", "z"], [None, None, None]),
        (["1e3*", "2", ""], [1000.0, 2.0, None], ["*", None, None]),
        (["*", "2*", "3"], ["*", "2", "3"], [None, "*", None]),
    ],
)
def test_marks_are_separated_and_kept(texts: list[str], values: list[Any], marks: list[str | None]) -> None:
    made = comb.table(columns={"t": texts}).separate_marks("t")
    assert made["t"].to_list() == values and made["t mark"].to_list() == marks
    assert all(reason == "absent" for reason, mark in zip(made["t mark"].reasons(), marks, strict=True) if mark is None)


def test_marks_in_a_column_of_numbers_make_unreadable_cells_readable(tmp_path: Any) -> None:
    lines = [f"{at},{at}.5" for at in range(40)] + ["40,16.2*", "41,17 e", "42,soon"]
    table = load_text(tmp_path, "\n".join(["n,t", *lines]) + "\n", types={"t": "number"})
    assert table["t"].missing_count == 3
    made = table.separate_marks("t")
    assert made["t"].to_list()[40:] == [16.2, None, None] and made["t"].kept.texts == {41: "17 e", 42: "soon"}
    assert "2 cells of t stay unreadable" in made.sentence() and made.ledger[-1].cells_changed == {"t": 1}
    again = table.separate_marks("t", marks="e", new_columns="note")
    assert again["t"].to_list()[41] == 17.0 and again["note"].to_list()[40:42] == ["*", "e"]
    assert "(unreadable) '16.2*' became 16.2" in repr(again.trace(41, "t"))
    with pytest.raises(comb.CombError, match="two columns named 'n'"):
        table.separate_marks("t", new_columns="n")
    with pytest.raises(comb.CombError, match="expected a column of text or of numbers"):
        comb.table(columns={"day": ["2026-01-01"]}).convert({"day": "date"}).separate_marks("day")


ASKED = comb.table(
    columns={"who": ["a", "b", "c", "d"], "bus": [True, False, False, None], "tram": [True, False, True, False]}
)


def test_several_columns_of_yes_and_no_become_one() -> None:
    with pytest.raises(comb.CombError, match="1 row says yes more than once: rows 1"):
        ASKED.from_indicators(["bus", "tram"], "by")
    listed = ASKED.from_indicators(["bus", "tram"], "by", several="list")
    assert listed["by"].to_list() == ["bus; tram", None, "tram", None]
    # No yes is none of them; where one cell is missing, nothing is known.
    assert listed["by"].reasons() == [None, "absent", None, "blank"] and "2 rows without yes" in listed.sentence()
    rows = ASKED.from_indicators(["bus", "tram"], "by", several="rows")
    assert rows["by"].to_list() == ["bus", "tram", None, "tram", None] and rows.row_numbers.tolist() == [1, 1, 2, 3, 4]
    assert [choice.value for choice in rows["by"].type.choices] == ["bus", "tram"] and rows.ledger[-1].adds_up
    back = listed.to_indicators("by", mark=";")
    assert back["bus"].to_list() == [True, False, False, None] and back["tram"].to_list() == [True, False, True, None]


@pytest.mark.parametrize(
    ("columns", "parameters", "found"),
    [
        ({"x": [1, 0], "y": [0, 1]}, {}, ["x", "y"]),
        ({"x": ["yes", "no"], "y": ["no", "yes"]}, {}, ["x", "y"]),
        ({"x": ["x", None], "y": [None, "x"]}, {}, ["x", "y"]),
        ({"x": ["often", "never"], "y": ["never", "often"]}, {"yes": "often"}, ["x", "y"]),
        ({"x": [True, False], "y": [False, False]}, {}, ["x", None]),
    ],
)
def test_what_says_yes(columns: dict[str, list[Any]], parameters: dict[str, Any], found: list[str | None]) -> None:
    table = comb.table(columns=columns)
    assert table.from_indicators("x:y", "of", **parameters)["of"].to_list() == found
    assert table.filter("x is null and x is not null").from_indicators("x:y", "of", **parameters).row_count == 0


@pytest.mark.parametrize(
    ("call", "message"),
    [
        (lambda t: t.from_indicators(["who", "bus"], "by"), "which of them means yes"),
        (lambda t: t.from_indicators(["bus", "tram"], "who", several="list"), "two columns named 'who'"),
        (lambda t: t.from_indicators(["bus", "tram"], ["a", "b"]), "expected one name"),
        (lambda t: t.to_indicators("who", most_columns=3), "4 new columns, more than 3"),
        (lambda t: t.to_indicators("who", mark=""), "at least one character"),
        (lambda t: t.take_heading_rows("moon", "x"), "no column 'moon'"),
        (lambda t: t.take_heading_rows("who", "bus"), "two columns named 'bus'"),
        (lambda t: t.take_heading_rows("who", []), "expected a name"),
        (lambda t: t.separate_marks("who", new_columns=["a", "b"]), "expected 1 names"),
    ],
)
def test_slips_are_said(call: Any, message: str) -> None:
    with pytest.raises(comb.CombError, match=message):
        call(ASKED)


@given(st.lists(st.sampled_from(["bus", "tram", "bike", None]), min_size=1, max_size=20))
def test_indicators_and_categories_undo_each_other(values: list[str | None]) -> None:
    table = comb.table(columns={"n": list(range(len(values))), "by": values}).convert(
        {"by": "category"}, choices=["tram", "bus", "bike"]
    )
    wide = table.to_indicators("by")
    names = [name for name in wide.names if name != "n"]
    if not names:
        assert all(value is None for value in values)
        return
    back = wide.from_indicators(names, "by")
    assert back["by"].to_list() == values and [c.value for c in back["by"].type.choices] == names


def test_columns_without_a_value_have_no_type_of_their_own(tmp_path: Any) -> None:
    table = load_text(tmp_path, "hive,may,june\na,3,\nb,4,\n")
    assert str(table["june"].type) == "string"
    long = table.to_long("may:june", heading_column="month", value_column="mites")
    assert long["mites"].to_list() == [3, None, 4, None] and str(long["mites"].type) == "integer"
    assert long["mites"].reasons()[1] == "blank"
    wide = comb.table(columns={"h": ["a", "b"], "x": [1, 2]}).stack_tables(comb.table(columns={"h": ["c"], "y": [3]}))
    assert wide.to_long(["x", "y"], heading_column="of", value_column="n", keep_absent=False)["n"].to_list() == [
        1,
        2,
        3,
    ]


@pytest.mark.parametrize(
    ("names", "pattern", "columns"),
    [
        (
            ["2021 visits", "2021 home visits", "2022 visits", "2022 home visits"],
            "{year} {value}",
            ("year", "visits", "home visits"),
        ),
        (
            ["home visits 2021", "visits 2021", "home visits 2022", "visits 2022"],
            "{value} {year}",
            ("year", "home visits", "visits"),
        ),
        (["a_b_1", "c_1", "a_b_2", "c_2"], "{value}_{n}", ("n", "a_b", "c")),
    ],
)
def test_a_pattern_that_fits_in_two_ways_is_read_with_the_fewest_parts(
    names: list[str], pattern: str, columns: tuple[str, ...]
) -> None:
    table = comb.table(columns={"id": [1], **{name: [at] for at, name in enumerate(names)}})
    assert table.to_long(names, pattern=pattern).names == ("id", *columns)


def test_words_for_missing_among_bounds_are_missing_and_told() -> None:
    lead = comb.table(columns={"lead": ["<0.1", "0.5", None, "n/a", ">= 7"]}).separate_marks("lead")
    assert lead["lead"].texts() == ["0.1", "0.5", None, None, "7.0"] and lead["lead"].type.numeric
    assert lead["lead mark"].to_list() == ["<", None, None, None, ">="]
    assert (
        lead["lead"].reasons()[2:4] == ["blank", "marker"]
        and "1 word for missing in lead is missing now" in lead.sentence()
    )
    # What is neither keeps the column as text.
    assert (
        comb.table(columns={"lead": ["<0.1", "0.5", "see note"]}).separate_marks("lead")["lead"].type.word == "string"
    )


@pytest.mark.parametrize(
    ("texts", "values", "said"),
    [
        (["1.7 mg/L", "<0.05 mg/L"], [1.7, 0.05], "the numbers of x had the unit mg/L"),
        (["12%", "> 90 %"], [0.12, 0.9], "the numbers of x had the unit %, and are shares of 1 now"),
        (["1.7", "<0.05"], [1.7, 0.05], ""),
        (["1.7", "<5%"], ["1.7", "5%"], ""),
        (["1.7 mg/L", "<5 g"], ["1.7 mg/L", "5 g"], ""),
    ],
)
def test_signs_of_bounds_before_numbers_with_a_unit(texts: list[str], values: list[object], said: str) -> None:
    made = comb.table(columns={"x": texts}).convert({"x": "string"}).separate_marks("x")
    numbers = [one if isinstance(one, str) else float(one) for one in made["x"].to_list()]
    assert numbers == values and made["x mark"].to_list()[0] is None
    assert made["x mark"].to_list()[1] in ("<", ">") and (said in made.sentence().replace("\n", " "))
    assert ("had the unit" in made.sentence().replace("\n", " ")) == bool(said)
