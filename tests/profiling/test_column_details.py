"""Everything about one column, all columns as a table, and where cells are missing."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given

import comb
from comb.profiling.missing_blocks import missing_blocks, missing_together
from support.running import run_comb
from support.strategies import tables


def test_numbers_dates_and_texts() -> None:
    days = ["2025-01-01", "2025-01-02", "2025-01-03", "2025-01-09", None, "2025-01-10"]
    table = comb.table(
        columns={"kg": [3, 1, 1, None, 9, 2], "day": days, "name": [" b", "a", "b", "b ", "longer", "a"]}
    ).convert({"day": "date"})
    kg = table.summary("kg")
    values = np.array([3, 1, 1, 9, 2], float)
    assert kg.figures == pytest.approx(
        {
            "mean": 3.2, "sd": values.std(ddof=1), "variance": values.var(ddof=1), "variation": values.std(ddof=1) / 3.2,
            "median": 2, "mode": 1, "mode_count": 2, "range": 8, "zeros": 0,
            "skewness": ((values - 3.2) ** 3).mean() / values.std() ** 3,
        }
    )  # fmt: skip
    assert [(one.text, one.count, one.rows) for one in kg.lowest[:2]] == [("1", 2, (2, 3)), ("2", 1, (6,))]
    assert kg.highest[0].text == "9" and sum(count for _, _, count in kg.bars) == 5
    assert kg.values["value"].to_list() == [1, 2, 3, 9] and kg.values["share"].to_list()[0] == 0.4
    day = table.summary("day")
    assert day.steps[0] == ("1 day", 3) and day.gaps == (("2025-01-03", "2025-01-09", 6),)
    name = table.summary("name")
    assert name.lengths == ((1, 3), (2, 2), (6, 1)) and "·b" in repr(name) and "a dot stands for a space" in repr(name)
    with pytest.raises(comb.ColumnError, match="kg"):
        table.summary("kgs")


def test_all_columns_are_a_table_that_takes_steps(demo: Path, inspections: comb.Table) -> None:
    found = inspections.summary()
    assert (
        found.row_count == 14 and found.filter("missing > 0").sort(by="missing desc")["column"].to_list()[0] == "notes"
    )
    row = found.record(found["column"].to_list().index("net_kg") + 1)
    assert (row["min"], row["max"], row["type"]) == (2.0, 36.5, "decimal") and row["commonest"] is None
    found.save(demo / "summary.csv")
    assert comb.load(demo / "summary.csv")["distinct"].to_list() == found["distinct"].to_list()
    assert found["min"].reasons()[found["column"].to_list().index("notes")] == "absent"


@given(tables())
def test_any_column_has_details_that_add_up(table: comb.Table) -> None:
    for name in table.names:
        details = table.summary(name)
        present = len(table) - table[name].missing_count
        assert sum(details.values["count"].to_list()) == present
        assert not details.bars or sum(count for _, _, count in details.bars) == present
        assert not details.lengths or sum(count for _, count in details.lengths) == present
        assert sum(details.summary.shape) <= present and repr(details) and json.dumps(details.as_record(), default=str)
    assert table.summary().row_count == len(table.names)
    blocks = missing_blocks(table)
    assert blocks.counts.sum() == sum(column.missing_count for column in table.columns.values())
    assert (blocks.last - blocks.first + 1).sum() == len(table)


def test_what_is_missing_together() -> None:
    table = comb.table(columns={"a": [None, None, 1, 2], "b": [None, None, None, 2], "c": [1, 2, 3, None]})
    assert missing_together(table) == [("b", "a", 2, pytest.approx(2 / 3))]


def test_the_command_shows_a_column_and_where_cells_are_missing(demo: Path) -> None:
    shown = run_comb("profile", "inspections.csv", "--column", "inspected_on", cwd=demo).out
    for said in ("from one day to the next", "nothing between", "6 unreadable", "'29.2.2025'", "2025-03-24"):
        assert said in shown
    record = json.loads(run_comb("profile", "inspections.csv", "--column", "mites", "--json", cwd=demo).out)
    assert record["details"]["highest"][0]["value"] == "999" and record["values"][0]["count"] == 221
    gaps = run_comb("profile", "inspections.csv", "--gaps", cwd=demo).out
    assert "1,938 of 33,600 cells are missing" in " ".join(gaps.split()) and "notes" in gaps and "73.9 %" in gaps
    whole = run_comb("profile", "apiaries.csv", "--gaps", cwd=demo).out
    assert "no cell is missing" in whole
