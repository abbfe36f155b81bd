"""Every type to every other: what happens stands in one table."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given

import comb
from comb.tables.types import STORAGE
from strategies import tables

SAMPLES: dict[str, list[object]] = {
    "string": ["12", "1.50", "yes", "2026-05-01", "Mill", "007"],
    "integer": [12, -3, 0],
    "decimal": [Decimal("1.50"), Decimal("-2.00")],
    "number": [1.5, -2.0, 1e300],
    "boolean": [True, False],
    "date": [date(2026, 5, 1), date(1, 1, 1)],
}

# From, to, what comes out; "!" stands before a text that did not fit and was kept.
PAIRS = {
    ("string", "integer"): ["12", "!1.50", "!yes", "!2026-05-01", "!Mill", "7"],
    ("string", "decimal"): ["12.00", "1.50", "!yes", "!2026-05-01", "!Mill", "7.00"],
    ("string", "number"): ["12", "1.5", "!yes", "!2026-05-01", "!Mill", "7"],
    ("string", "boolean"): ["!12", "!1.50", "true", "!2026-05-01", "!Mill", "!007"],
    ("string", "date"): ["!12", "!1.50", "!yes", "2026-05-01", "!Mill", "!007"],
    ("string", "string"): ["12", "1.50", "yes", "2026-05-01", "Mill", "007"],
    ("integer", "string"): ["12", "-3", "0"],
    ("integer", "integer"): ["12", "-3", "0"],
    ("integer", "decimal"): ["12", "-3", "0"],
    ("integer", "number"): ["12", "-3", "0"],
    ("integer", "boolean"): ["!12", "!-3", "!0"],
    ("integer", "date"): ["!12", "!-3", "!0"],
    ("decimal", "string"): ["1.50", "-2.00"],
    ("decimal", "integer"): ["!1.50", "!-2.00"],
    ("decimal", "decimal"): ["1.50", "-2.00"],
    ("decimal", "number"): ["1.5", "-2"],
    ("decimal", "boolean"): ["!1.50", "!-2.00"],
    ("decimal", "date"): ["!1.50", "!-2.00"],
    ("number", "string"): ["1.5", "-2", "1e+300"],
    ("number", "integer"): ["!1.5", "-2", "!1e+300"],
    ("number", "decimal"): ["1.5", "-2.0", "!1e+300"],
    ("number", "number"): ["1.5", "-2", "1e+300"],
    ("number", "boolean"): ["!1.5", "!-2", "!1e+300"],
    ("number", "date"): ["!1.5", "!-2", "!1e+300"],
    ("boolean", "string"): ["true", "false"],
    ("boolean", "integer"): ["!true", "!false"],
    ("boolean", "decimal"): ["!true", "!false"],
    ("boolean", "number"): ["!true", "!false"],
    ("boolean", "boolean"): ["true", "false"],
    ("boolean", "date"): ["!true", "!false"],
    ("date", "string"): ["2026-05-01", "0001-01-01"],
    ("date", "integer"): ["!2026-05-01", "!0001-01-01"],
    ("date", "decimal"): ["!2026-05-01", "!0001-01-01"],
    ("date", "number"): ["!2026-05-01", "!0001-01-01"],
    ("date", "boolean"): ["!2026-05-01", "!0001-01-01"],
    ("date", "date"): ["2026-05-01", "0001-01-01"],
}


def test_the_table_has_every_pair() -> None:
    assert set(PAIRS) == {(source, target) for source in STORAGE for target in STORAGE}


@pytest.mark.parametrize(("source", "target"), PAIRS)
def test_conversion(source: str, target: str) -> None:
    cells = [*SAMPLES[source], None]
    column = comb.table(columns={"x": cells}).convert({"x": target})["x"]
    assert column.type.word == target
    told = [f"!{column.kept.texts[at]}" if at in column.kept.texts else text for at, text in enumerate(column.texts())]
    assert told == [*PAIRS[source, target], None]
    assert column.reasons()[-1] == "blank", "a cell that was missing keeps its reason"


@given(tables())
def test_to_text_and_back_nothing_is_lost(table: comb.Table) -> None:
    types = {name: kind for name, kind in table.types.items() if kind.word not in ("string", "decimal")}
    there = table.convert(dict.fromkeys(types, "string"))
    back = there.convert({name: str(kind) for name, kind in types.items()})
    for name in types:
        assert back[name].same_cells(table[name]).all()


@given(tables(kinds=("string", "integer", "date")))
def test_no_text_disappears_however_often_a_column_is_converted(table: comb.Table) -> None:
    before = table["string_col"].texts()
    for target in ("integer", "date", "boolean", "number", "string"):
        table = table.convert({"string_col": target})
    after = table["string_col"]
    for at, text in enumerate(before):
        written = after.texts()[at] if after.present[at] else after.kept.texts.get(at)
        if text is not None and not text.strip().replace(".", "").replace(",", "").replace("-", "").isdigit():
            assert written is None or written.strip().casefold() in (text.strip().casefold(), "true", "false")


def test_two_forms_in_one_column_need_two_conversions() -> None:
    days = comb.table(columns={"day": ["5/13/2026", "13.5.2026", "soon"]})
    once = days.convert({"day": "date M/d/yyyy"})
    assert once["day"].kept.texts == {1: "13.5.2026", 2: "soon"}
    twice = once.convert({"day": "date d.M.yyyy"})
    assert twice["day"].to_list() == [date(2026, 5, 13), date(2026, 5, 13), None]
    assert twice["day"].kept.texts == {2: "soon"}
    aside = days.convert({"day": "date M/d/yyyy"}, on_misfit="set aside")
    assert aside.row_numbers.tolist() == [1] and aside.ledger[0].set_aside == 2
