"""A month in which a column has no value, or no row: formulas and steps mean what they mean in other months."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import comb
from comb.expressions.check import Given
from comb.expressions.evaluate import formula_type
from comb.tables.column import Column

FULL = "hive,kg,day,at,ok,note\n1,2.5,2025-05-01,08:30,yes,a\n2,3.5,2025-05-02,09:30,no,b\n"
BARE = "hive,kg,day,at,ok,note\n3,,,,,\n4,,,,,\n"

FORMULAS = [
    "kg * 2", "kg + hive", "-kg", "round(kg, 1)", "kg / hive", "day + 7", "day - day", "extract(month from day)",
    "at - at", "day + at", "case when ok then 1 else 2 end", "case when kg > 3 then note else 'x' end",
    "coalesce(kg, 0)", "coalesce(note, 'none')", "kg > 3", "kg between 1 and 3", "kg in (2.5, 3)", "day > '2025-05-01'",
    "note = 'a'", "note like 'a%'", "not ok", "ok and kg > 1", "kg is null", "kg is distinct from 2.5", "upper(note)",
    "sum(kg)", "avg(kg) over (partition by hive)", "lag(kg) over (order by hive)", "max(day)", "count(kg)", "cast(kg as integer)",
    "mean_columns(kg, hive)", "note || hive_text",
]  # fmt: skip


def months(tmp_path: Path) -> tuple[comb.Table, comb.Table, comb.Table]:
    """Return a month, one without values, and one without rows; all with a column of texts that has values."""
    tables = []
    for name, text in (("may", FULL), ("june", BARE), ("july", FULL[: FULL.index("\n") + 1])):
        (tmp_path / f"{name}.csv").write_text(text)
        tables.append(comb.load(tmp_path / f"{name}.csv").calculate({"hive_text": "cast(hive as string)"}))
    return tables[0], tables[1], tables[2]


@pytest.mark.parametrize("formula", FORMULAS)
def test_a_formula_gives_what_it_gives_of_missing_cells_that_have_a_type(tmp_path: Path, formula: str) -> None:
    may, june, july = months(tmp_path)
    typed = {
        name: column if column.present.any() else Column(may.types[name].plain, np.zeros(2, may.types[name].storage), column.state)
        if not may.types[name].textual else column._replace(evidence=None)
        for name, column in june.columns.items()
    }  # fmt: skip
    expected = june._derive(typed).calculate({"x": formula})["x"]
    made = june.calculate({"x": formula})["x"]
    assert made.reasons() == expected.reasons() and made.to_list() == expected.to_list()
    assert july.calculate({"x": formula}).row_count == 0
    assert may.calculate({"x": formula}).row_count == 2
    both = may.calculate({"one": "day + at", "other": "at + day"})
    assert both["one"].texts() == both["other"].texts() == ["2025-05-01T08:30:00", "2025-05-02T09:30:00"]


STEPS: list[Callable[[comb.Table, comb.Table], comb.Table]] = [
    lambda table, may: table.filter("kg > 3 or kg is null"),
    lambda table, may: table.round("kg", digits=1),
    lambda table, may: table.fill("kg", from_group="median", by="hive"),
    lambda table, may: table.fill("kg", from_group="mean"),
    lambda table, may: table.fill("kg", in_proportion_to="day"),
    lambda table, may: table.fill("kg", on_line=["hive"]),
    lambda table, may: table.fill("kg", formula="hive * 2.5"),
    lambda table, may: table.fill("kg", value="0").calculate({"lb": "kg * 2"}),
    lambda table, may: table.replace_values("kg", above=100),
    lambda table, may: table.join(may.rename({"hive": "id"}), by=["kg"]),
    lambda table, may: may.join(table, by=["day"]),
    lambda table, may: table.join(may, by=["note"], latest="day"),
    lambda table, may: may.stack_tables(table).calculate({"lb": "kg * 2"}),
    lambda table, may: table.aggregate({"most": "max(kg)", "all": "sum(kg)"}, by="note").calculate({"lb": "most * 2"}),
    lambda table, may: table.calculate({"last": "lag(kg) over (order by hive)"}).filter("last > 2 or last is null"),
    lambda table, may: (
        table.trim("kg" if table["kg"]._untyped else "note")
        .rename({"kg": "weight"})
        .sort("weight")
        .calculate({"lb": "weight * 2"})
    ),
]


@pytest.mark.parametrize("at", range(len(STEPS)))
def test_steps_on_a_month_without_values_and_on_one_without_rows(tmp_path: Path, at: int) -> None:
    may, *others = months(tmp_path)
    for table in (may, *others):
        made = STEPS[at](table, may)
        assert all(entry.adds_up for entry in made.ledger) and made.row_count >= 0


def test_a_plan_runs_on_a_month_without_a_value_from_every_kind_of_file(tmp_path: Path) -> None:
    _, june, july = months(tmp_path)
    plan = """\
source: may.csv
steps:
  - {step: fill, columns: kg, value: "0.5", where: hive = 3}
  - {step: calculate, columns: {lb: kg * 2.2, month: extract(month from day)}}
  - {step: filter, where: kg < 100 or kg is null}
rules:
  - {check: kg >= 0}
save: tidy
"""
    (tmp_path / "plan.yaml").write_text(plan)
    for month, kept in ((june, [0.5, None]), (july, [])):
        for suffix in (".csv", ".xlsx", ".jsonl"):
            if suffix == ".jsonl" and not kept:
                continue  # Without a record there are no names.
            file = month.save(tmp_path / f"next{suffix}", overwrite=True) or tmp_path / f"next{suffix}"
            outcome = comb.Plan.load(tmp_path / "plan.yaml").run(sources={"may": str(file)}, overwrite=True)
            made = outcome.tables["may"]
            assert [value and float(value) for value in made["kg"].to_list()] == kept
            said = " ".join(str(one) for one in outcome.comparisons["may"].lines())
            assert ("kg has no value, before decimal" in said) == bool(kept)
            if kept:
                assert any(
                    "kg had no value, and is decimal" in note for entry in outcome.ledger["may"] for note in entry.notes
                )


def test_a_column_without_a_value_stays_one_when_it_is_saved_and_loaded_again(tmp_path: Path) -> None:
    _, june, july = months(tmp_path)
    by_hand = comb.table(columns={"hive": [3, 4], "kg": [None, None]})
    for month in (june.select(["hive", "kg"]), july.select(["hive", "kg"]), by_hand):
        for suffix, describe in ((".csv", True), (".csv", False), (".sqlite", True), (".parquet", False)):
            month.save(tmp_path / f"saved{suffix}", describe=describe, overwrite=True)
            again = comb.load(tmp_path / f"saved{suffix}")
            assert again.calculate({"lb": "kg * 2"})["lb"].to_list() == [None] * month.row_count
            assert not describe or again == month
        if month is not by_hand:
            assert next(iter(month.calculate({"lb": "kg * 2"}).plan().run(dry_run=True).tables.values()))[
                "lb"
            ].missing.all()


def test_what_somebody_declared_or_took_out_stays_what_it_is(tmp_path: Path) -> None:
    may, june, _ = months(tmp_path)
    texts: list[Any] = [june.convert({"kg": "string"}), comb.load(tmp_path / "june.csv", types={"kg": "string"})]
    texts.append(may.convert({"kg": "string"}).filter("hive > 5"))
    for table in texts:
        with pytest.raises(comb.ExpressionError, match="expected a number to calculate with"):
            table.calculate({"lb": "kg * 2"})
    with pytest.raises(comb.ExpressionError, match="expected a number to calculate with"):
        june.calculate({"x": "kg * hive_text"})


NULLS = [
    "null",
    "-null",
    "(null + null)",
    "case when n > 1 then null end",
    "max(null)",
    "cast(null as integer)",
]


@pytest.mark.parametrize("null", NULLS)
def test_null_goes_with_every_type_or_is_refused_and_has_the_type_that_is_checked(null: str) -> None:
    texts = {"clock": "06:30", "day": "2026-01-01", "at": "2026-01-01T00:00", "took": "PT1H", "word": "x"}
    table = comb.table(
        columns={
            "n": [1, 2],
            "kg": [1.5, 2.0],
            "fed": [True, False],
            **{name: [text, text] for name, text in texts.items()},
        }
    )
    table = table.convert({"clock": "time", "day": "date", "at": "datetime", "took": "duration"})
    taken = 0
    for name in table.names:
        sums = [
            f"{side} {sign} {other}"
            for sign in ("+", "-", "*", "/", "%", "||", "and")
            for side, other in ((name, null), (null, name))
        ]
        others = [f"{name} in ({null}, {name})", f"{name} between {null} and {name}", f"nullif({name}, {null})"]
        around = [
            form.format(one)
            for one in sums
            for form in ("sum(n) over (order by {})", "case when n > 1 then {} end", "({}) is null")
        ]
        for formula in [*sums, *others, *around]:
            try:
                made = table.calculate({"made": formula})["made"]
            except comb.CombError:
                continue
            assert made.type == formula_type(formula, table.types, Given(), set()), formula
            taken += formula not in sums or made.missing_count == 2
    assert taken > 50
