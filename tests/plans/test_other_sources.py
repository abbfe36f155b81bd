"""Next month's file is written otherwise than the plan says: it is read as it is, that is said, and the plan runs again."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import comb
from support.running import run_comb

NAMES = ["visit", "apiary", "kg", "day", "fed"]
ROWS = [
    [str(at), ("Mill", "Elm ", "Oak")[at % 3], f"{at % 7}.5", f"2025-05-{1 + at % 28:02}", ("yes", "no")[at % 2]]
    for at in range(1, 60)
]
LATER = [[str(int(row[0]) + 100), *row[1:]] for row in ROWS]

Write = Callable[[Path], Path]


def text(
    rows: list[list[str]], names: list[str] = NAMES, mark: str = ",", encoding: str = "utf-8", above: str = ""
) -> Write:
    def write(folder: Path) -> Path:
        place = folder / "next.csv"
        lines = [mark.join(row).replace(".5", ",5" if mark == ";" else ".5") for row in [names, *rows]]
        place.write_text(above + "\n".join(lines) + "\n", encoding=encoding)
        return place

    return write


def workbook(*sheets: str) -> Write:
    def write(folder: Path) -> Path:
        import xlsxwriter

        place = folder / "next.xlsx"
        with xlsxwriter.Workbook(place) as book:
            for name in sheets:
                sheet = book.add_worksheet(name)
                for at, row in enumerate([["a note", "b"], ["x", "y"]] if name == "Notes" else [NAMES, *LATER]):
                    for column, cell in enumerate(row):
                        sheet.write(at, column, float(cell) if at and column in (0, 2) and name != "Notes" else cell)
        return place

    return write


# How the next file is written; what is said of it; how many rows come out, or why none.
CASES: list[tuple[Write, str, int | str]] = [
    (text(LATER), "", 59),
    (text(LATER, mark=";"), "is read with delimiter ';', not with ',' as the plan says: so it has 5 of the 5 columns", 59),
    (text(LATER, above="Export of June\n\n"), "is read with skip 2, not with 0", 59),
    (text(LATER, encoding="utf-16"), "is read with encoding 'utf-16', not with 'utf-8'", 59),
    (text(LATER, mark="\t", encoding="utf-16"), "delimiter '\\t' and encoding 'utf-16', not with ',' and 'utf-8'", 59),
    (text(LATER, names=["fed", *NAMES[1:4], "visit"]), "", 59),
    (text([row[:4] for row in LATER], NAMES[:4]), "types are declared for columns that are not there: fed", 59),
    (text([]), "", 0),
    (text(LATER, [name.upper() for name in NAMES]), "", "rename: {VISIT: visit, APIARY: apiary, KG: kg, DAY: day, FED: fed}"),
    (text([[*row, "a;b"] for row in LATER], [*NAMES, "other"]), "", 59),
    (text([["1", "2"]], ["x", "y"]), "", "there is no column 'apiary'"),
    (workbook("June"), "", 59),
]  # fmt: skip


@pytest.mark.parametrize("short", [False, True])
@pytest.mark.parametrize("at", range(len(CASES)))
def test_the_next_file_is_read_as_it_is(tmp_path: Path, at: int, short: bool) -> None:
    write, said, came = CASES[at]
    (tmp_path / "may.csv").write_text("\n".join(map(",".join, [NAMES, *ROWS])) + "\n")
    if short:
        reading = "{delimiter: ',', encoding: utf-8, skip: 0, types: {visit: integer, fed: boolean}}"
        plan = f"tables: {{may: {{source: may.csv, reading: {reading}, steps: [{{step: trim, columns: apiary}}]}}}}\nsave: [tidy]\n"
        (tmp_path / "plan.yaml").write_text(plan)
    else:
        assert run_comb("profile", "may.csv", "--draft", "plan.yaml", cwd=tmp_path).code in (0, 1)
    plan = comb.Plan.load(tmp_path / "plan.yaml")
    next_file = str(write(tmp_path))
    if isinstance(came, str):
        with pytest.raises(comb.CombError) as error:
            plan.run(sources={"may": next_file}, save_to=str(tmp_path / "june"))
        assert came in str(error.value) and not (tmp_path / "june").exists()
        return
    outcome = plan.run(sources={"may": next_file}, save_to=str(tmp_path / "june"))
    notes = "\n".join(outcome.messages)
    assert (said in notes) if said else "as the plan says" not in notes, notes
    table = outcome.tables["may"]
    assert table.row_count == came and "Elm" in [*table["apiary"].to_list(), "Elm"]
    # The plan beside the result gives it again, from the file as it is.
    again = comb.Plan.load(tmp_path / "june" / "plan.yaml").run(dry_run=True)
    assert not again.messages and again.tables["may"] == table
    if came:
        [traced] = comb.trace(tmp_path / "june", 1, "apiary")
        assert "next." in traced.place and traced.value == "Elm" and [one.step for one in traced.events] == ["trim"]


SHEETS: list[tuple[Write, str, int | str]] = [
    (workbook("June"), "is read with table 'June', not with 'May' as the plan says", 59),
    (workbook("Notes", "June"), "is read with table 'June', not with 'May'", 59),
    (workbook("May", "June"), "", 59),
    (text(LATER), "is read with no table, not with 'May'", 59),
    # Which of two is meant cannot be known.
    (workbook("June", "July"), "", "it contains no table 'May'"),
]


@pytest.mark.parametrize("at", range(len(SHEETS)))
def test_a_sheet_with_another_name_is_taken_where_one_alone_has_the_columns(tmp_path: Path, at: int) -> None:
    write, said, came = SHEETS[at]
    workbook("May", "Notes")(tmp_path).rename(tmp_path / "may.xlsx")
    assert run_comb("profile", "may.xlsx", "--table", "May", "--draft", "plan.yaml", cwd=tmp_path).code in (0, 1)
    plan = comb.Plan.load(tmp_path / "plan.yaml")
    next_file = str(write(tmp_path))
    options: dict[str, Any] = {"sources": {"may": next_file}, "save_to": str(tmp_path / "june")}
    if isinstance(came, str):
        with pytest.raises(comb.CombError, match=came):
            plan.run(**options)
        return
    outcome = plan.run(**options)
    assert said in "\n".join(outcome.messages) and outcome.tables["may"].row_count == came
    again = comb.Plan.load(tmp_path / "june" / "plan.yaml").run(dry_run=True)
    assert not again.messages and again.tables["may"] == outcome.tables["may"]


@pytest.mark.parametrize("june", ["[]", '{"results": [], "total": 0}', ""])
@pytest.mark.parametrize("reading", ["", "reading: {lists: keep}\n", "reading: {types: {kg: number}}\n"])
def test_a_month_of_json_without_a_record_has_the_columns_of_before(tmp_path: Path, june: str, reading: str) -> None:
    may = '[{"id": 1, "kg": 2.5, "day": "2025-05-01"}, {"id": 2, "kg": null, "day": null}]'
    (tmp_path / "may.json").write_text(may)
    name = "june.json" if june else "june.jsonl"
    (tmp_path / name).write_text(june)
    (tmp_path / "plan.yaml").write_text(
        f"source: may.json\n{reading}steps:\n  - {{step: calculate, columns: {{g: kg * 1000}}}}\n"
        "  - {step: filter, where: day > date '2025-01-01'}\nrules:\n  - {check: g > 0}\nsave: tidy\n"
    )
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run(sources={"may": str(tmp_path / name)})
    made = outcome.tables["may"]
    assert made.row_count == 0 and made.names == ("id", "kg", "day", "g")
    assert any("no record, and so no names: its columns are those of before" in one for one in outcome.messages)
    assert {one.kind for one in outcome.comparisons["may"].differences} == {"rows", *([] if june else ["reading"])}
    again = comb.Plan.load(tmp_path / "tidy" / "plan.yaml").run(dry_run=True)
    assert again.tables["may"].names == made.names and str(again.tables["may"].types["kg"]) == "number"
