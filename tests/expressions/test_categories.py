"""The declared order of a category counts in every comparison, extreme, window and sort; labels stand for values."""

from itertools import product
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb

ORDER = ["low", "mid", "high", "extreme"]
CELLS = st.lists(st.sampled_from([*ORDER, None]), min_size=1, max_size=12)
OPERATORS = {"<": lambda a, b: a < b, "<=": lambda a, b: a <= b, ">": lambda a, b: a > b, ">=": lambda a, b: a >= b, "=": lambda a, b: a == b, "<>": lambda a, b: a != b}  # fmt: skip


def loads(cells: list[Any], **more: list[Any]) -> comb.Table:
    table = comb.table(columns={"load": [*cells, *ORDER], **{name: [*values, *ORDER] for name, values in more.items()}})
    columns = dict.fromkeys(["load", *more], "category")
    return table.convert(columns, choices=ORDER).pick_rows(first=len(cells))


@given(CELLS, st.sampled_from(sorted(OPERATORS)), st.sampled_from(ORDER))
def test_comparisons_follow_the_order(cells: list[Any], operator: str, bound: str) -> None:
    kept = loads(cells).filter(f"load {operator} '{bound}'")["load"].to_list()
    expected = [cell for cell in cells if cell and OPERATORS[operator](ORDER.index(cell), ORDER.index(bound))]
    assert kept == expected
    turned = loads(cells).filter(f"not ('{bound}' {operator} load)")["load"].to_list()
    assert turned == [cell for cell in cells if cell and not OPERATORS[operator](ORDER.index(bound), ORDER.index(cell))]


@given(CELLS, st.data())
def test_two_columns_and_between(cells: list[Any], data: st.DataObject) -> None:
    others = data.draw(st.lists(st.sampled_from(ORDER), min_size=len(cells), max_size=len(cells)))
    table = loads(cells, other=others)
    expected = [a for a, b in zip(cells, others, strict=True) if a and ORDER.index(a) < ORDER.index(b)]
    assert table.filter("load < other")["load"].to_list() == expected
    between = [cell for cell in cells if cell and 1 <= ORDER.index(cell) <= 2]
    assert table.filter("load between 'mid' and 'high'")["load"].to_list() == between


@given(CELLS)
def test_extremes_windows_and_sorts_follow_the_order(cells: list[Any]) -> None:
    table = loads(cells)
    present = sorted((cell for cell in cells if cell), key=ORDER.index)
    found = table.aggregate({"least": "min(load)", "most": "max(load)"})
    assert (found["least"].to_list(), found["most"].to_list()) == (present[:1] or [None], present[-1:] or [None])
    assert table.sort("load")["load"].to_list() == [*present, *[None] * cells.count(None)]
    ranks = table.calculate({"rank": "dense_rank() over (order by load)"})["rank"].to_list()
    distinct = list(dict.fromkeys(present))
    assert ranks == [None if cell is None else distinct.index(cell) + 1 for cell in cells]
    running = table.calculate({"most": "max(load) over (order by load)"})["most"].to_list()
    assert [one for one, cell in zip(running, cells, strict=True) if cell] == [cell for cell in cells if cell]


def moods() -> comb.Table:
    table = comb.table(columns={"mood": [2, 1, 3, None]})
    return table.convert({"mood": "category"}, choices=[3, 1, 2], labels={1: "calm", 2: "nervous", 3: "fierce"})


@pytest.mark.parametrize(
    ("condition", "values"),
    [
        ("mood = 'calm'", [1]), ("mood <> 'calm'", [2, 3]), ("mood in ('calm', 'fierce')", [1, 3]), ("mood > 1", [2, 3]),
        ("mood > 'fierce'", [2, 1]), ("mood between 'fierce' and 'calm'", [1, 3]), ("mood = 2", [2]),
    ],
)  # fmt: skip
def test_labels_are_written_in_conditions(condition: str, values: list[int]) -> None:
    assert moods().filter(condition)["mood"].to_list() == values


def test_labels_are_shown_and_slips_are_answered() -> None:
    assert "nervous" in repr(moods()) and "fierce" in repr(moods().count("mood"))
    for condition, hint in product(["mood = 'clam'", "mood > 'clam'"], ["did you mean 'calm'"]):
        with pytest.raises(comb.ExpressionError, match=hint):
            moods().filter(condition)
