"""From a sheet made for people to its tidy table: the draft plan alone does it, from a workbook and from its export."""

import json
import math
import zipfile
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from support.examples import drawn
from support.layouts import LAYOUTS, Layout, ferries, fields, wards
from support.running import run_comb

CASES = [(make, ".xlsx") for make in LAYOUTS] + [(make, ".csv") for make in LAYOUTS if make().as_text]


def plain(value: Any) -> Any:
    return float(value) if isinstance(value, int | float | Decimal) and not isinstance(value, bool) else value


def records(table: comb.Table) -> list[dict[str, Any]]:
    cells = {name: list(map(plain, column.to_list())) for name, column in table.columns.items()}
    return [{name: cells[name][at] for name in cells} for at in range(table.row_count)]


def in_order(rows: list[dict[str, Any]]) -> list[str]:
    return sorted(
        json.dumps({name: plain(value) for name, value in row.items()}, sort_keys=True, default=str) for row in rows
    )


def tables_of(plan: Path) -> dict[str, comb.Table]:
    outcome = comb.Plan.load(plan).run(dry_run=True)
    assert outcome.adds_up
    return outcome.tables


@pytest.mark.parametrize(("make", "suffix"), CASES, ids=[f"{make.__name__}{suffix}" for make, suffix in CASES])
def test_the_draft_alone_gives_the_tidy_table(make: Callable[[], Layout], suffix: str, tmp_path: Path) -> None:
    layout = make()
    place = layout.write(tmp_path / f"{make.__name__}{suffix}")
    said = run_comb("inspect", place.name, "--plan", "plan.yaml", cwd=tmp_path)
    assert said.code == 0 and "next: comb run plan.yaml --dry-run" in said.err + said.out
    text = (tmp_path / "plan.yaml").read_text(encoding="utf-8")
    assert text.count("- step:") <= 3
    for part in layout.said:
        assert part in text and part in said.out
    [table] = tables_of(tmp_path / "plan.yaml").values()
    expected = layout.tidy
    if make.__name__ == "boats" and suffix == ".csv":
        expected = [{**one, "table": one["table"].replace("Cards!", "boats!")} for one in expected]
    assert in_order(records(table)) == in_order(expected)
    # Every value leads back to its cell.
    column = table.names[-1]
    row = int(table.row_numbers[0])
    assert place.stem in table.place(row, column) or place.name in table.place(row, column)


def test_a_wrong_total_is_said_and_set_aside(tmp_path: Path) -> None:
    table = comb.load(ferries().write(tmp_path / "f.xlsx"), table="*")
    assert [one.place for one in table.origin.wrong_totals] == ["Passengers!B15"]
    assert [one.cells[:2] for one in table.origin.set_aside] == [("Total", "381"), ("Total", "421"), ("Total", "441")]
    first = comb.load(tmp_path / "f.xlsx")
    assert first.row_count == 3 and "the first of 3 tables" in first.sentence() and "table='*'" in first.sentence()


def test_archives_and_folders_are_read_like_sheets(tmp_path: Path) -> None:
    folder = tmp_path / "shifts"
    folder.mkdir()
    for at, month in enumerate(("2024-01", "2024-02", "2024-03")):
        extra = ",extra" if at == 1 else ""
        lines = [
            f"nurse,day,kg{extra}",
            *(f"N{n},{10 + n},{n}.{'5' * (at + 1)}{',1' if at == 1 else ''}" for n in range(3)),
        ]
        (folder / f"{month}.csv").write_text("\n".join(lines) + "\n")
    with zipfile.ZipFile(tmp_path / "shifts.zip", "w") as packed:
        for place in sorted(folder.iterdir()):
            packed.write(place, f"year/{place.name}")
    whole = comb.load(folder, table="*")
    assert whole.names == ("table", "nurse", "day", "kg", "extra") and whole["extra"].reasons()[0] == "absent"
    # Decimals with more and fewer places are one column of decimals.
    assert str(whole["kg"].type) == "decimal" and whole["kg"].to_list()[:1] == [Decimal("0.500")]
    assert whole.place(4) == "shifts, 2024-02.csv, line 2" and "2024-01 has no extra: absent" in whole.sentence()
    packed_table = comb.load(tmp_path / "shifts.zip", table="*")
    assert records(packed_table) == records(whole) and "year/2024-02.csv, line 2" in packed_table.place(4)
    assert comb.load(folder, table="2024-0[12]").row_count == 6 and comb.load(folder, table="2024-03").row_count == 3
    for source in (folder, tmp_path / "shifts.zip"):
        drafted = comb.draft_plan(source)
        [table] = drafted.run(dry_run=True).tables.values()
        assert table.names[0] == "month" and table.row_count == 9
        assert str(comb.load(source, table="*").plan().run(dry_run=True).tables.popitem()[1].names) == str(whole.names)
    for wanted, message in (("2023*", "holds no file '2023\\*'"), ("2024-04", "did you mean")):
        with pytest.raises(comb.CombError, match=message):
            comb.load(folder, table=wanted)
    with pytest.raises(comb.CombError, match="or all by a pattern"):
        comb.load(folder)


def test_sheets_of_several_shapes_are_several_tables_of_the_plan(tmp_path: Path) -> None:
    ward, crop = wards(), fields()
    Layout([], {**ward.sheets, **crop.sheets}, ward.merged).write(tmp_path / "two.xlsx")
    plan = comb.draft_plan(tmp_path / "two.xlsx")
    assert {name: len(table) for name, table in plan.run(dry_run=True).tables.items()} == {"Wards": 9, "Yields": 6}
    plan.save(tmp_path / "two.yaml")
    assert "table: Wards*" in (tmp_path / "two.yaml").read_text()


def test_a_block_with_another_type_is_named(tmp_path: Path) -> None:
    sheets = {month: [["hive", "kg"], ["a", cell], ["b", 3.5]] for month, cell in (("May", 2.5), ("June", 4.5))}
    sheets["July"] = [["hive", "kg"], ["a", "light"], ["b", "heavy"]]
    table = comb.load(Layout([], sheets).write(tmp_path / "kg.xlsx"), table="*")
    assert table["kg"].to_list() == ["2.5", "3.5", "4.5", "3.5", "light", "heavy"]
    assert "kg is number in most tables and string in July: read as text" in table.sentence()


def test_a_tidy_source_gets_a_plan_without_steps(tmp_path: Path) -> None:
    (tmp_path / "tidy.csv").write_text("hive,day,mites\na,2026-05-01,3\nb,2026-05-01,4\n")
    assert "step:" not in repr(comb.draft_plan(tmp_path / "tidy.csv"))
    (tmp_path / "keys.json").write_text(json.dumps({"stations": [
        {"name": "Mole", "rain": {"2024-01": 30, "2024-02": 22, "2024-03": 41}}, {"name": "Fort", "rain": {"2024-01": 28, "2024-03": 9}},
    ]}))  # fmt: skip
    [table] = comb.draft_plan(tmp_path / "keys.json").run(dry_run=True).tables.values()
    assert table.names == ("name", "month", "rain") and table["rain"].to_list() == [30, 22, 41, 28, 9]
    assert math.isclose(sum(table["rain"].to_list()), 130)


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["f.xlsx", "f.xlsx"], "a draft is made of one source, got 2"),
        (["f.xlsx", "--json"], "--json shows how a source is read, --plan writes a plan"),
        (["f.xlsx", "--column", "quay"], "--column shows how a source is read"),
        (["none.xlsx"], "there is no such file"),
        (["-"], "standard input is read once"),
    ],
)
def test_slips_are_said_and_nothing_is_written(arguments: list[str], message: str, tmp_path: Path) -> None:
    ferries().write(tmp_path / "f.xlsx")
    said = run_comb("inspect", *arguments, "--plan", "p.yaml", cwd=tmp_path)
    assert said.code == 2 and message in said.err and not (tmp_path / "p.yaml").exists()


def test_a_plan_that_is_there_stays(tmp_path: Path) -> None:
    ferries().write(tmp_path / "f.xlsx")
    (tmp_path / "p.yaml").write_text("mine")
    said = run_comb("inspect", "f.xlsx", "--plan", "p.yaml", cwd=tmp_path)
    assert said.code == 2 and (tmp_path / "p.yaml").read_text() == "mine"


CELLS = st.sampled_from(
    ["", "", "Total", "May", "June", "2024", "2025", "1", "2", "3.5", "kg", "hive", "a1", "7*", "Keeper:", "Mean", " x"]
)


@given(st.lists(st.lists(CELLS, min_size=1, max_size=5), min_size=1, max_size=10))
@settings(max_examples=drawn(60), suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
def test_whatever_a_sheet_holds_a_draft_runs_or_says_why_not(tmp_path: Path, rows: list[list[str]]) -> None:
    place = Layout([], {"Any": [list(row) for row in rows]}).write(tmp_path / "any.csv")
    try:
        plan = comb.draft_plan(place)
    except comb.CombError as error:
        assert str(error)
        return
    outcome = plan.run(dry_run=True)
    assert outcome.adds_up
    # Whatever was read twice is the same.
    for name, table in comb.draft_plan(place).run(dry_run=True).tables.items():
        assert table.equals(outcome.tables[name])


def test_a_text_read_as_a_sheet_keeps_lines_and_notations(tmp_path: Path) -> None:
    place = tmp_path / "export.csv"
    place.write_text(
        'Wasser 2022;;\n\nJanuar;;\nHaus;m³;Notiz\nA;1,5;"zwei\nZeilen"\nB;2,25;x\nSumme;3,75;\n\nFebruar;;\nHaus;m³;Notiz\nA;1,0;y\n',
        encoding="utf-8",
    )
    table = comb.load(place, table="*")
    assert table.names == ("table", "Haus", "m³", "Notiz") and str(table["m³"].type) == "number"
    # The types are found in all blocks together, with the marks that they share.
    assert table["m³"].to_list() == [1.5, 2.25, 1.0]
    # A cell of two lines moves those below it on.
    assert [table.place(row) for row in (1, 2, 3)] == [f"export.csv, line {line}" for line in (5, 7, 12)]
    assert table.trace(1, "m³")[0].source_text == "1,5"
    assert [(one.place, one.cells[0]) for one in table.origin.set_aside] == [("line 8", "Summe")]
    again = table.plan().run(dry_run=True).tables["export"]
    assert again.equals(table)
    one = comb.load(place, table="Februar")
    assert one.row_count == 1 and one["Notiz"].to_list() == ["y"]
    with pytest.raises(comb.CombError, match="contains no table 'März'"):
        comb.load(place, table="März")
    whole = comb.load(place, table="export")
    assert "table" not in whole and whole.row_count > 3
