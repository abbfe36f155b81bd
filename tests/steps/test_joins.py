"""Looking up by one or several keys, against plain loops; and what is told of keys without a match."""

from datetime import date
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import comb
from comb.kernels import dispatch
from comb.kernels.string_buffer import pack
from comb.steps.joins import _NearestTexts
from comb.tables.text import Text
from support.examples import drawn

KEY = st.tuples(
    st.none() | st.sampled_from(["Mill", "mill ", "MILL", "Ridge", ""]),
    st.none() | st.integers(0, 2),
)


def rows(table: comb.Table) -> list[tuple[Any, ...]]:
    return list(zip(*(table[name].to_list() for name in table.names), strict=True))


def keyed(keys: list[tuple[Any, Any]], value: str) -> comb.Table:
    """Make a table of two keys and a number; a last row gives each column its type."""
    keys = [*keys, ("Fen", 7)]
    columns = {"k": [one for one, _ in keys], "i": [other for _, other in keys], value: list(range(len(keys)))}
    return comb.table(columns=columns)


def usual(text: Any, ignore: list[str]) -> Any:
    if not isinstance(text, str):
        return text
    text = text.casefold() if "case" in ignore else text
    return " ".join(text.split()) if "spaces" in ignore else text


@settings(max_examples=drawn(150))
@given(
    st.lists(KEY, max_size=8),
    st.lists(KEY, max_size=8),
    st.sampled_from([[], ["case"], ["spaces"], ["case", "spaces"]]),
    st.sampled_from(["all", "matched", "unmatched"]),
    st.sampled_from([["k"], ["i"], ["k", "i"], ["i", "k"]]),
)
def test_joins_by_several_keys_are_those_of_plain_loops(
    left: list[Any], right: list[Any], ignore: list[str], keep: Any, by: list[str]
) -> None:
    mine, theirs = keyed(left, "a"), keyed(right, "b")
    made = mine.join(theirs, by, columns="b", ignore=ignore, rows=keep, allow_multiple=True)
    places = [("k", "i").index(name) for name in by]
    expected: list[tuple[Any, ...]] = []
    for row in rows(mine):
        key = [usual(row[at], ignore) for at in places]
        hits = [
            other[2] for other in rows(theirs) if None not in key and [usual(other[at], ignore) for at in places] == key
        ]
        if keep == "unmatched":
            expected += [] if hits else [row]
        else:
            expected += [(*row, hit) for hit in hits] or ([] if keep == "matched" else [(*row, None)])
    assert rows(made) == expected
    assert made.ledger[-1].adds_up
    matched = sum(any(row[:3] == one[:3] for one in expected) for row in rows(mine))
    if keep == "matched":
        assert made.ledger[-1].notes[0].startswith(f"{matched:,} of {len(mine):,} rows found a match")


@given(st.lists(st.text(max_size=3), max_size=12), st.lists(st.text(max_size=3), max_size=12))
def test_texts_are_numbered_by_those_that_are_known(known: list[str], others: list[str]) -> None:
    codes = dispatch.kernels.encode_known(pack([*known, *others]), len(known)).tolist()
    distinct = list(dict.fromkeys(known))
    assert codes == [distinct.index(text) if text in distinct else -1 for text in [*known, *others]]


@given(st.lists(st.text("abAB 1é", min_size=1, max_size=6), min_size=1, max_size=300, unique=True), st.data())
def test_a_slip_finds_its_text_among_many(known: list[str], data: st.DataObject) -> None:
    name = data.draw(st.sampled_from(known))
    candidates = _NearestTexts(Text.from_strings(known)).candidates(name)
    assert name in candidates or sum(one.casefold() == name.casefold() for one in candidates) > 0 or len(name) < 2
    assert len(candidates) == min(len(known), 100) or len(known) <= 100
    assert set(candidates) <= set(known)


def test_the_nearest_of_very_many_keys_is_told() -> None:
    hives = comb.table(columns={"hive": [f"hive-{at:06}" for at in range(150_000)], "kg": list(range(150_000))})
    asked = comb.table(columns={"hive": ["hive-012345", "hvie-012346", "HIVE-077777", "what is this", "hive-0149999"]})
    made = asked.join(hives, "hive")
    assert made["kg"].to_list() == [12345, None, None, None, None]
    message = made.ledger[-1].notes[-1]
    for slip, near in (("hvie-012346", "hive-012346"), ("HIVE-077777", "hive-077777")):
        assert f"{slip!r} 1 times (nearest: {near!r})" in message
    assert "'what is this' 1 times" in message and "'what is this' 1 times (nearest" not in message


def test_several_keys_are_told_whole() -> None:
    weighed = comb.table(columns={"hive": ["a", "a", "b", "b"], "month": [5, 6, 5, 9], "kg": [1, 2, 3, 4]})
    asked = comb.table(columns={"hive": ["a", "b", "b", None], "month": [5, 6, 6, 5]})
    made = asked.join(weighed, ["hive", "month"])
    assert made["kg"].to_list() == [1, None, None, None]
    notes = made.ledger[-1].notes
    assert "1 of 4 rows found a match" in notes[0] and "1 row has an empty key" in notes[1]
    assert "'b / 6' 2 times (nearest: 'b / " in notes[2]


def test_matches_are_those_of_the_value_whatever_the_numeric_type() -> None:
    whole = comb.table(columns={"k": [1, 2, 3], "a": ["x", "y", "z"]})
    parts = comb.table(columns={"k": [1.0, 2.5, 3.0]})
    assert parts.join(whole, "k")["a"].to_list() == ["x", None, "z"]
    days = comb.table(columns={"k": ["2025-05-01", "2025-05-02"], "n": [1, 2]}).convert({"k": "date"})
    assert days.join(days, "k", columns="n")["n [table typed in by hand]"].to_list() == [1, 2]
    with pytest.raises(comb.TypeMismatch, match="keys have to be of one type"):
        parts.join(days, "k")


@pytest.mark.parametrize(
    ("options", "message"),
    [
        ({"by": []}, "at least one key"),
        ({"by": "nope"}, "there is no column 'nope'"),
        ({"by": "k", "ignore": ["dots"]}, "expected ignore to be case or spaces, got 'dots'"),
        ({"by": "k", "add_columns": False}, "expected rows to be matched or unmatched"),
        ({"by": "k", "columns": "zzz"}, "there is no column 'zzz'"),
        ({"by": "k", "latest": "day"}, "there is no column 'day'"),
    ],
)
def test_slips_in_a_join_are_answered(options: dict[str, Any], message: str) -> None:
    mine, theirs = keyed([("Mill", 1)], "a"), keyed([("Mill", 2)], "b")
    with pytest.raises(comb.CombError) as caught:
        mine.join(theirs, **options)
    assert message in str(caught.value)


def test_a_table_without_rows_or_values_goes_below_any_other(tmp_path: Path) -> None:
    (tmp_path / "may.csv").write_text("hive,kg\n")
    (tmp_path / "june.csv").write_text("hive,kg\n1,31.5\n2,30.5\n")
    (tmp_path / "july.csv").write_text("hive,kg\n3,\n")
    may, june, july = (comb.load(tmp_path / f"{name}.csv") for name in ("may", "june", "july"))
    for one, other in ((may, june), (june, may), (june, july), (july, june)):
        both = one.stack_tables(other)
        assert both.types == june.types and both["kg"].missing_count == int(july in (one, other))
    assert june.stack_tables(july)["kg"].reasons() == [None, None, "blank"]


def test_categories_below_each_other_keep_an_order_that_both_have() -> None:
    def of(*choices: str) -> comb.Table:
        return comb.table(columns={"load": list(choices)}).convert({"load": "category"}, choices=list(choices))

    whole = of("low", "mid", "high")
    for other in (of("low", "high"), of("mid"), of("low", "mid", "high", "top")):
        for both in (whole.stack_tables(other), other.stack_tables(whole)):
            assert len(both.types["load"].choices) == max(3, len(other))
            assert both.filter("load > 'low'")["load"].texts().count("low") == 0
    both = whole.stack_tables(of("high", "mid", "low"))
    assert str(both.types["load"]) == "string" and "in another order" in " ".join(repr(both).split())


@settings(max_examples=drawn(80))
@given(
    st.lists(st.integers(0, 6) | st.none(), max_size=8),
    st.integers(1, 6),
    st.sampled_from(["all", "matched", "unmatched", "both"]),
    st.booleans(),
)
def test_row_numbers_are_keys_on_either_side(
    parents: list[int | None], count: int, rows_kept: Any, turned: bool
) -> None:
    """As with a column that holds them, whatever was filtered and sorted before."""
    children = comb.table(columns={"parent_row": [*parents, 1], "c": list(range(len(parents) + 1))})
    whole = comb.table(columns={"a": [f"v{at}" for at in range(count)], "n": list(range(1, count + 1))})
    some = whole.filter("n <> 2").sort("n desc")
    if turned:
        found = some.join(children, "row number = parent_row", rows=rows_kept, allow_multiple=True)
        expected = some.join(children, "n = parent_row", rows=rows_kept, allow_multiple=True)
    else:
        found = children.join(some, "parent_row = row number", rows=rows_kept)
        expected = children.join(
            some, "parent_row = n", rows=rows_kept, columns="a" if rows_kept != "unmatched" else ()
        )
        found = found.select(leave_out="n") if "n" in found else found
    # Where a row of the other side has no match, its own number is no cell of this table.
    names = [name for name in expected.names if not (turned and rows_kept == "both" and name == "n")]
    assert [list(found[name].to_list()) for name in names] == [list(expected[name].to_list()) for name in names]
    assert "row number" not in found and found.row_numbers.tolist() == expected.row_numbers.tolist()
    assert found.ledger[-1].adds_up


@pytest.mark.parametrize(
    ("mine", "theirs", "remedy"),
    [
        (
            ["1,007", "1,012", "x"],
            [1007, 1012],
            r"first: convert columns: \{k: integer\}, group_mark: ','; 2 of 3 rows",
        ),
        (["007", "012"], [7, 12], r"first, in table.*: pad_text columns: \[k\], width: 3; 2 of 2 rows"),
        ([7, 12], ["007", "012"], r"first: pad_text columns: \[k\], width: 3; 2 of 2 rows"),
        ([7, 12], ["7", "12", "x"], r"first: convert columns: \{k: string\}; 2 of 2 rows"),
        (["p", "q"], [7, 12], "no conversion makes a row match: 'p', 'q' here, '12', '7' in table"),
        ([True, False], [7, 12], "no conversion makes a row match"),
        ([7, 12], [date(2025, 5, 1)], "nothing makes integer of date, or the other way round"),
    ],
)
def test_keys_of_two_types_name_what_makes_them_match(mine: list[Any], theirs: list[Any], remedy: str) -> None:
    rows, keys = comb.table(columns={"k": mine}), comb.table(columns={"k": theirs, "v": theirs})
    with pytest.raises(comb.TypeMismatch, match=remedy):
        rows.join(keys, "k")
    for one, other in ((rows.pick_rows(first=0), keys), (rows, keys.pick_rows(first=0))):
        with pytest.raises(
            comb.TypeMismatch, match=r"one of them has no value to try it on|nothing makes integer of date"
        ):
            one.join(other, "k")


def test_a_column_of_that_name_is_the_key_and_both_sides_may_be_numbers() -> None:
    mine = comb.table(columns={"row number": [7, 8], "a": ["x", "y"]})
    theirs = comb.table(columns={"n": [8, 1], "b": ["p", "q"]})
    assert mine.join(theirs, "row number = n")["b"].to_list() == [None, "p"]
    beside = comb.table(columns={"a": ["x", "y", "z"]}).join(theirs.select("b"), "row number", columns="*")
    assert beside.names == ("a", "b") and beside["b"].to_list() == ["p", "q", None]
    with pytest.raises(comb.TypeMismatch, match="no conversion makes a row match: 'p', 'q' here"):
        theirs.join(mine.select("a"), "b = row number")
    with pytest.raises(comb.CombError, match="did you mean 'row number'"):
        mine.join(theirs, "a = rownumber")


def test_tables_of_one_source_and_of_one_name_have_a_plan_together(tmp_path: Path) -> None:
    (tmp_path / "x").mkdir()
    (tmp_path / "y").mkdir()
    (tmp_path / "farms.json").write_text(
        '{"farms": [{"name": "Alder", "barns": [{"b": 1, "cows": [{"c": "Ida"}, {"c": "Ute"}]}]}, {"name": "Rowan", "barns": [{"b": 2}]}]}'
    )
    for folder, kg in (("x", 1), ("y", 2)):
        (tmp_path / folder / "may.csv").write_text(f"hive,kg\na,{kg}\n")
    farms, barns, cows = comb.load_all(tmp_path / "farms.json").values()
    places = barns.join(farms, "parent_row = row number")
    joined = cows.join(places, "parent_row = row number").join(farms, "c = name", columns="name")
    assert joined["name"].to_list()[:2] == ["Alder", "Alder"] and "barns looked up" in joined.sentence()
    first, second = comb.load(tmp_path / "x" / "may.csv"), comb.load(tmp_path / "y" / "may.csv")
    # Each knows another table by the name "may".
    pair = first.stack_tables(second.join(comb.load(tmp_path / "x" / "may.csv"), "hive", columns="kg"))
    twice = first.stack_tables(second).stack_tables(second)
    for table, count in ((joined, 3), (pair, 3), (twice, 2)):
        plan = table.plan()
        again = list(plan.run(dry_run=True).tables.values())
        assert len(again) == count and again[-1].equals(table), str(plan)
