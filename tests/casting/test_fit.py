"""A result that goes into a column that is there is brought to its type by one rule, and what is lost is said."""

from datetime import date, datetime
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb

CENTS = st.decimals(-10_000, 10_000, places=2)


@pytest.mark.parametrize(
    ("cells", "kind", "formula", "word", "values", "note"),
    [
        ([1, 2, None], "integer", "avg(x)", "number", [1, 2, 1.5], "x is a number now: 1 result is not whole"),
        ([1, 3, None], "integer", "avg(x)", "integer", [1, 3, 2], ""),
        ([1, None, None], "integer", "1.25", "decimal", ["1.00", "1.25", "1.25"], "x is a decimal now: 2 results are not whole"),
        (["1.50", "2.25", None], "decimal", "avg(x) / 3", "decimal", ["1.50", "2.25", "0.63"], "x: 1 result rounded to 2 digits"),
        (["1.50", None], "decimal", "round(2.675 * 1.0, 2)", "decimal", ["1.50", "2.68"], ""),
        (["1.50", None], "decimal", "7", "decimal", ["1.50", "7.00"], ""),
        (["1.50", None], "decimal", "1e30", "decimal", ["1.50", None], "1 cell of x stays empty"),
        ([1.5, None], "number", "2", "number", [1.5, 2.0], ""),
        ([date(2026, 5, 1), None], "date", "cast('2026-05-02T00:00' as datetime)", "date", [date(2026, 5, 1), date(2026, 5, 2)], ""),
        ([date(2026, 5, 1), None], "date", "cast('2026-05-02T06:00' as datetime)", "datetime", [datetime(2026, 5, 1), datetime(2026, 5, 2, 6)], "has a time of day"),
        ([datetime(2026, 5, 1, 6), None], "datetime", "cast('2026-05-02' as date)", "datetime", [datetime(2026, 5, 1, 6), datetime(2026, 5, 2)], ""),
    ],
)  # fmt: skip
def test_one_rule(
    cells: list[Any], kind: str, formula: str, word: str, values: list[Any], note: str, tmp_path: Path
) -> None:
    table = comb.table(columns={"x": cells}).convert({"x": kind})
    filled = table.fill("x", formula=formula)
    shown = [str(value) if isinstance(value, Decimal) else value for value in filled["x"].to_list()]
    assert (str(filled["x"].type), shown) == (word, values)
    assert note in " ".join(filled.ledger[-1].notes) and note in filled.sentence()
    # What was filled can be saved, and comes back.
    filled.save(tmp_path / "x.csv", describe=True)
    assert comb.load(tmp_path / "x.csv").equals(filled.select("x"))


@pytest.mark.parametrize(
    ("cells", "kind", "formula", "message"),
    [
        (["a", None], "string", "1 + 1", "'x' is string, the result is integer"),
        ([True, None], "boolean", "3", "'x' is boolean, the result is integer"),
        ([date(2026, 5, 1), None], "date", "'soon'", "'x' is date, the result is string"),
        (["low", None], "category", "'high'", "'high' is not a choice of the category 'x'"),
    ],
)
def test_what_does_not_fit_is_refused(cells: list[Any], kind: str, formula: str, message: str) -> None:
    with pytest.raises(comb.TypeMismatch, match=message):
        comb.table(columns={"x": cells}).convert({"x": kind}).fill("x", formula=formula)


@given(st.lists(CENTS, min_size=1, max_size=8), st.integers(1, 9))
def test_calculating_into_a_decimal_rounds_halves_away_from_zero(cents: list[Decimal], divisor: int) -> None:
    table = comb.table(columns={"x": cents}).convert({"x": "decimal 0.00"})
    made = table.calculate({"x": f"x * 0.{divisor}"})
    exact = [value * Decimal(f"0.{divisor}") for value in cents]
    assert made["x"].to_list() == [value.quantize(Decimal("0.01"), ROUND_HALF_UP) for value in exact]
    rounded = sum(value != value.quantize(Decimal("0.01")) for value in exact)
    assert (f"{rounded:,} result" in made.sentence()) == bool(rounded)


def test_losses_are_said_at_once() -> None:
    table = comb.table(columns={"n": ["1", "x", "x", "3"], "d": [0, 1, 0, 2], "q": ["a", "b", None, "a"]})
    said = table.convert({"n": "integer"}).sentence()
    assert "2 cells of n became unreadable: 'x' (2)" in said
    assert "2 results of r do not exist" in table.calculate({"r": "1 / d"}).sentence()
    assert "1 of the rows left out is unknown (a cell is missing)" in table.filter("q <> 'a'").sentence()
    assert "no row has 'bb' in q (nearest: 'b')" in table.filter("q in ('a', 'bb')").sentence()
    assert "not found in q: 'z'" in table.recode("q", {"z": "y"}).sentence()
