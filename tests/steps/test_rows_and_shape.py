"""Rows chosen by place, size and chance; columns split, turned and put together: by cases, by laws, by slips."""

from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import comb
from comb.errors import CombError
from support.examples import drawn

VISITS = comb.table(
    columns={
        "visit": [1, 2, 3, 4, 5, 6, 7],
        "hive": ["a", "b", "a", "c", "b", "a", None],
        "kg": [Decimal("2.5"), None, Decimal("2.5"), Decimal("0.5"), Decimal("9.0"), Decimal("1.0"), Decimal("2.5")],
        "day": [date(2025, 5, day) for day in (3, 1, 2, 2, 9, 5, 4)],
        "message": ["x|y", "z", None, "x||y", " w ", "", "q|r|s|t"],
    }
)


def rows(table: comb.Table) -> list[tuple[Any, ...]]:
    return list(zip(*(table[name].to_list() for name in table.names), strict=True))


@pytest.mark.parametrize(
    ("options", "numbers"),
    [
        ({"first": 3}, [1, 2, 3]), ({"first": 0}, []), ({"first": 99}, [1, 2, 3, 4, 5, 6, 7]),
        ({"last": 2}, [6, 7]), ({"every": 3}, [1, 4, 7]), ({"numbers": [7, 2, 2]}, [2, 7]),
        ({"first": 1, "by": "hive"}, [1, 2, 4, 7]), ({"last": 1, "by": "hive"}, [4, 5, 6, 7]),
        ({"first": 2, "by": ["hive"]}, [1, 2, 3, 4, 5, 7]), ({"every": 2, "by": "hive"}, [1, 2, 4, 6, 7]),
        ({"largest": "kg", "count": 1}, [5]), ({"smallest": "kg", "count": 1}, [4]),
        # The third largest stands three times: with ties all of them, without the first ones only.
        ({"largest": "kg", "count": 2}, [1, 3, 5, 7]), ({"largest": "kg", "count": 2, "ties": False}, [1, 5]),
        ({"largest": "kg", "count": 1, "by": "hive"}, [1, 3, 4, 5, 7]), ({"smallest": "day", "count": 1, "by": "hive"}, [2, 3, 4, 7]),
        ({"largest": "day", "count": 2}, [5, 6]), ({"smallest": "hive", "count": 1}, [1, 3, 6]),
    ],
)  # fmt: skip
def test_rows_are_kept_by_place_and_size(options: dict[str, Any], numbers: list[int]) -> None:
    made = VISITS.pick_rows(**options)
    assert made.row_numbers.tolist() == numbers
    assert made.ledger[-1].adds_up and made.ledger[-1].rows_out == len(numbers)


@given(st.integers(0, 9), st.integers(0, 5), st.booleans())
def test_a_sample_is_the_same_for_the_same_seed(size: int, seed: int, grouped: bool) -> None:
    by = ["hive"] if grouped else []
    one, other = (VISITS.pick_rows(random=size, seed=seed, by=by) for _ in range(2))
    assert one.row_numbers.tolist() == other.row_numbers.tolist() == sorted(set(one.row_numbers.tolist()))
    sizes = [3, 2, 1, 1] if grouped else [7]
    assert len(one) == sum(min(size, most) for most in sizes)
    # The same rows are picked whatever order they have, and also of those that others were taken from.
    turned = VISITS.sort("kg desc").pick_rows(random=size, seed=seed, by=by)
    assert sorted(turned.row_numbers.tolist()) == one.row_numbers.tolist()
    assert one.pick_rows(random=size, seed=seed, by=by).row_numbers.tolist() == one.row_numbers.tolist()


def test_every_row_has_the_same_chance() -> None:
    table = comb.table(columns={"v": list(range(200))})
    picked = np.zeros(200, np.int64)
    for seed in range(400):
        picked[table.pick_rows(random=50, seed=seed).row_numbers - 1] += 1
    # Each is picked 100 times on average, with a standard deviation of 8.7 (binomial, n = 400, p = 1/4).
    assert picked.sum() == 400 * 50 and picked.min() > 60 and picked.max() < 140


@given(st.lists(st.none() | st.integers(0, 5), min_size=1, max_size=15), st.integers(1, 6), st.booleans())
def test_the_largest_are_those_of_a_sorted_list(values: list[int | None], count: int, ties: bool) -> None:
    table = comb.table(columns={"v": [*values, 3]})
    present = sorted([value for value in [*values, 3] if value is not None], reverse=True)
    kept = table.pick_rows(largest="v", count=count, ties=ties)["v"].to_list()
    least = present[min(count, len(present)) - 1]
    wanted = [value for value in present if value >= least] if ties else present[:count]
    assert sorted(kept, reverse=True) == wanted


PARTS = st.lists(st.text("ab1é ", min_size=1, max_size=3).map(str.strip).filter(bool), min_size=1, max_size=4)


@given(st.lists(PARTS, min_size=1, max_size=8), st.sampled_from(["|", "-", ", ", "::"]))
def test_what_is_joined_by_a_mark_is_split_by_it(cells: list[list[str]], mark: str) -> None:
    table = comb.table(columns={"n": list(range(len(cells))), "t": [mark.join(parts) for parts in cells]})
    long = table.split("t", mark=mark)
    assert list(zip(long["n"].to_list(), long["t"].to_list(), strict=True)) == [
        (at, part) for at, parts in enumerate(cells) for part in parts
    ]
    assert long.ledger[-1].adds_up
    named = table.split("t", ["p", "q", "r", "s"], mark=mark)
    wide = list(zip(*(named[name].to_list() for name in "pqrs"), strict=True))
    assert wide == [tuple([*parts, None, None, None][:4]) for parts in cells]


@pytest.mark.parametrize(
    ("options", "expected"),
    [
        ({"new_columns": ["p", "q"], "mark": "|"}, [("x", "y"), ("z", None), (None, None), ("x", "|y"), ("w", None), (None, None), ("q", "r|s|t")]),
        ({"new_columns": ["p"], "widths": [1]}, [("x",), ("z",), (None,), ("x",), (None,), (None,), ("q",)]),
        ({"new_columns": ["p", "q"], "pattern": r"(\w)\|(\w)"}, [("x", "y"), (None, None), (None, None), (None, None), (None, None), (None, None), ("q", "r")]),
    ],
)  # fmt: skip
def test_a_column_is_split_into_named_ones(options: dict[str, Any], expected: list[tuple[Any, ...]]) -> None:
    into = options.pop("new_columns")
    made = VISITS.split("message", into, **options)
    found = list(zip(*(made[name].to_list() for name in into), strict=True))
    assert [tuple(cell if cell is None else cell.strip() or None for cell in row) for row in found] == expected


@given(st.lists(st.lists(st.none() | st.integers(-9, 9), min_size=3, max_size=3), min_size=1, max_size=5))
def test_turned_twice_is_the_same_table(cells: list[list[int | None]]) -> None:
    cells = [[1, 2, 3], *cells]
    names = [f"r{at}" for at in range(len(cells))]
    table = comb.table(columns={"k": names, **{f"c{at}": [row[at] for row in cells] for at in range(3)}})
    turned = table.transpose("k", heading_column="c")
    assert turned.names == ("c", *names) and turned["c"].to_list() == ["c0", "c1", "c2"]
    again = turned.transpose("c", heading_column="k")
    assert rows(again) == rows(table)


@pytest.mark.parametrize("kind", ["date", "string", "boolean", "decimal"])
def test_a_column_without_a_value_is_turned_with_any_other(kind: str) -> None:
    table = comb.table(columns={"k": ["x", "y"], "kg": [1.5, 2], "gone": [None, None]})
    turned = table.convert({"gone": kind}).transpose("k")
    assert turned.types["x"].numeric and turned["x"].to_list() == [1.5, None]
    assert turned["x"].reasons() == [None, "blank"]


@given(
    st.lists(st.tuples(st.sampled_from("ab"), st.none() | st.integers(0, 9)), max_size=6),
    st.lists(st.tuples(st.sampled_from("bc"), st.none() | st.floats(0, 9)), max_size=6),
)
def test_what_is_appended_is_both(upper: list[tuple[str, Any]], lower: list[tuple[str, Any]]) -> None:
    upper, lower = [("a", 1), *upper], [("b", 0.5), *lower]
    one = comb.table(columns={"s": [row[0] for row in upper], "v": [row[1] for row in upper]})
    other = comb.table(columns={"v": [row[1] for row in lower], "s": [row[0] for row in lower]})
    made = one.stack_tables(other)
    assert made.names == ("s", "v") and made.row_numbers.tolist() == list(range(1, len(made) + 1))
    assert rows(made) == [(text, None if value is None else float(value)) for text, value in [*upper, *lower]]
    entry = made.ledger[-1]
    assert entry.adds_up and entry.added == len(lower)


SLIPS: list[tuple[str, dict[str, Any], str]] = [
    ("pick_rows", {}, "expected one of first, last, every, largest, smallest, random and numbers, got none"),
    ("pick_rows", {"first": 1, "every": 2}, "got first"),
    ("pick_rows", {"first": -1}, "expected first to be a number of rows, got -1"),
    ("pick_rows", {"every": 0}, "got 0"),
    ("pick_rows", {"largest": "kgs"}, "did you mean 'kg'"),
    ("pick_rows", {"first": 1, "by": "hives"}, "did you mean 'hive'"),
    ("sort", {"keys": []}, "at least one column to sort by"),
    ("sort", {"keys": "hive", "text": "loud"}, "loud"),
    ("count", {"by": "hive", "sort": "size"}, "expected sort to be count or value, got 'size'"),
    ("count", {"by": "hive", "where": "kg >"}, "expected"),
    ("aggregate", {"columns": {"hive": "count(*)"}, "by": "hive"}, "there would be two"),
    ("aggregate", {"columns": {"n": "kg"}, "by": "hive"}, "kg has a value for each row"),
    ("aggregate", {"columns": {"n": "1 + count(kg) over (order by kg)"}, "by": "hive"}, "kg) has a value for each row"),
    ("aggregate", {"columns": {"n": "sum(hive)"}}, "expected a number or a duration"),
    ("transpose", {"headings_in": "hives"}, "did you mean 'hive'"),
    ("split", {"column": "kg", "mark": "|"}, "string"),
    ("split", {"column": "message"}, "mark"),
    ("split", {"column": "message", "new_columns": ["hive"], "mark": "|"}, "hive"),
    ("split", {"column": "message", "new_columns": ["p"], "pattern": "(?=a)"}, "this is no pattern"),
    ("rename", {"style": "loud"}, "loud"),
    ("calculate", {"columns": {"x": "kg +"}}, "expected"),
    ("calculate", {"columns": {"x": "kg"}, "as_of": "yesterday"}, "expected as_of like '2026-05-01', got 'yesterday'"),
    ("filter", {"where": "kg = max(kgs)"}, "did you mean 'kg'"),
    ("set_aside", {"where": "hive"}, "this is string"),
]


@pytest.mark.parametrize(("step", "options", "message"), SLIPS)
def test_slips_are_answered_and_nothing_is_done(step: str, options: dict[str, Any], message: str) -> None:
    before = rows(VISITS)
    with pytest.raises(CombError) as caught:
        getattr(VISITS, step)(*([options.pop("keys")] if "keys" in options else []), **options)
    assert message in str(caught.value)
    assert rows(VISITS) == before and not VISITS.ledger


DONE: list[tuple[str, tuple[Any, ...], dict[str, Any]]] = [
    ("filter", ("kg > :least",), {"parameters": {"least": 1}}), ("filter", ("kg = max(kg)",), {"by": "hive"}),
    ("filter", ("day < current_date",), {"as_of": "2025-05-03"}), ("pick_rows", (), {"largest": "kg", "count": 2}),
    ("pick_rows", (), {"random": 3, "seed": 7}), ("set_aside", ("hive is null",), {"reason": "nobody knows the hive"}),
    ("select", (["visit", "kg:day"],), {}), ("select", (), {"leave_out": "message"}), ("rename", ({"kg": "weight"},), {}),
    ("rename", (), {"style": "safe"}), ("sort", (["hive", "kg desc"],), {"text": "natural"}),
    ("calculate", ({"x": "kg * 2", "y": "x + 1"},), {}), ("calculate", ({"share": "kg / sum(kg)"},), {"by": "hive", "only_new": True}),
    ("aggregate", ({"n": "count(*)", "kg": "sum(kg)"},), {"by": "hive", "totals": True}),
    ("count", ("hive",), {"where": "kg > 1"}), ("count", ("hive",), {"of_counts": True}), ("count", ("hive",), {"across": "day"}),
    ("split", ("message",), {"mark": "|"}), ("split", ("message", ["p", "q"]), {"mark": "|"}), ("transpose", ("visit",), {}),
    ("convert", ({"visit": "string", "kg": "number"},), {}), ("trim", ("message",), {}), ("recode", ("hive", {"a": "A", "b": None}), {}),
    ("fill", ("kg",), {"value": "0"}), ("fill", ("hive",), {"from_row": "above"}), ("remove_duplicates", (), {"by": "hive", "which": "last"}),
    ("to_long", (["visit"],), {"heading_column": "k", "value_column": "v"}),
]  # fmt: skip


@pytest.mark.parametrize(("step", "arguments", "options"), DONE, ids=[f"{one[0]}-{at}" for at, one in enumerate(DONE)])
def test_every_step_is_the_same_from_a_plan(
    tmp_path: Path, step: str, arguments: tuple[Any, ...], options: dict[str, Any]
) -> None:
    VISITS.save(tmp_path / "visits.csv")
    table = comb.load(tmp_path / "visits.csv")
    if step == "transpose":
        table = table.select(["visit", "hive"])
    made = getattr(table, step)(*arguments, **options, why="for a test")
    assert made.ledger[-1].adds_up
    made.plan().save(tmp_path / "plan.yaml")
    assert "why: for a test" in (tmp_path / "plan.yaml").read_text()
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run()
    again = outcome.tables["visits"]
    assert again.names == made.names and rows(again) == rows(made) and outcome.adds_up
    assert [again[name].reasons() for name in again.names] == [made[name].reasons() for name in made.names]
    assert outcome.ledger["visits"][-1].counts() == made.ledger[-1].counts()


@settings(max_examples=drawn(30))
@given(st.lists(st.sampled_from([one for one in DONE if one[0] in {"filter", "pick_rows", "sort", "trim", "fill", "recode"}]), min_size=2, max_size=4))  # fmt: skip
def test_steps_one_after_the_other_account_for_every_row(
    steps: list[tuple[str, tuple[Any, ...], dict[str, Any]]],
) -> None:
    table = VISITS
    for step, arguments, options in steps:
        table = getattr(table, step)(*arguments, **options)
    assert len(table.ledger) == len(steps)
    count = len(VISITS)
    for entry in table.ledger:
        assert entry.rows_in == count and entry.adds_up
        count = entry.rows_out
    assert count == len(table) and set(table.row_numbers) <= set(VISITS.row_numbers)
