"""The folder a plan leaves behind: every file says the same, and together they say what happened to every row and cell."""

import csv
import hashlib
import json
import shutil
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.plans.outcome import Outcome
from support.strategies import numeric_tables

TABLES = ("inspections", "frames")


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Outcome]:
    """Run the plan of the demo once, for tests that only look."""
    from comb.demo.files import DEMO_FILES, demo_bytes

    folder = tmp_path_factory.mktemp("dataset")
    for name in DEMO_FILES:
        (folder / name).write_bytes(demo_bytes(name))
    return folder / "tidy", comb.Plan.load(folder / "plan.yaml").run()


def records(place: Path) -> list[dict[str, str]]:
    with place.open(newline="", encoding="utf-8") as stream:
        return list(csv.DictReader(stream))


def test_the_checksums_are_those_of_all_files(made: tuple[Path, Outcome]) -> None:
    folder, _ = made
    lines = (folder / "checksums.txt").read_text().splitlines()
    message = {name: checksum for checksum, name in (line.split("  ") for line in lines)}
    there = {path.name for path in folder.iterdir()} - {"checksums.txt"}
    assert set(message) == there
    assert all(hashlib.sha256((folder / name).read_bytes()).hexdigest() == message[name] for name in there)


@pytest.mark.parametrize("name", TABLES)
def test_the_description_names_the_columns_and_their_types(made: tuple[Path, Outcome], name: str) -> None:
    folder, outcome = made
    table = outcome.tables[name]
    message = json.loads((folder / f"{name}.csv-metadata.json").read_text())
    assert message["url"] == f"{name}.csv" and message["@context"][0] == "http://www.w3.org/ns/csvw"
    columns = [one for one in message["tableSchema"]["columns"] if not one.get("virtual")]
    with (folder / f"{name}.csv").open(newline="", encoding="utf-8") as stream:
        head = next(csv.reader(stream))
    assert [one["titles"] if isinstance(one["titles"], str) else one["titles"][0] for one in columns] == head
    assert set(table.names) <= set(head)
    bases = {"integer": "integer", "decimal": "decimal", "date": "date", "boolean": "boolean", "string": "string"}
    for one, title in zip(columns, head, strict=True):
        if title in table:
            base = one["datatype"]["base"] if isinstance(one["datatype"], dict) else one["datatype"]
            assert base == bases[str(table.types[title])], title


@pytest.mark.parametrize("name", TABLES)
def test_the_folder_loads_as_the_table_it_was(made: tuple[Path, Outcome], name: str) -> None:
    folder, outcome = made
    table, back = outcome.tables[name], comb.load(folder / f"{name}.csv")
    for column in table.names:
        assert back[column].to_list() == table[column].to_list(), column
        assert str(back.types[column]) == str(table.types[column])
        assert back[column].reasons() == table[column].reasons(), column
    assert not back.origin.violations


def test_every_missing_cell_has_its_reason_in_the_folder(made: tuple[Path, Outcome]) -> None:
    folder, outcome = made
    table = outcome.tables["inspections"]
    message = {(int(one["record"]), one["column"]): one for one in records(folder / "inspections-cells.csv")}
    for name in table.names:
        column = table[name]
        for at, reason in enumerate(column.reasons(), 1):
            if reason in (None, "blank"):
                # What is blank stands as nothing in the file, which says it all.
                assert (at, name) not in message or message[at, name]["reason"] == "blank"
            else:
                assert message[at, name]["reason"] == reason
                assert message[at, name]["text"] == column.kept.texts.get(at - 1, "")


def test_the_ledger_leads_from_the_source_to_the_result(made: tuple[Path, Outcome]) -> None:
    folder, outcome = made
    lines = [
        json.loads(line)
        for line in (folder / "ledger.jsonl").read_text().splitlines()
        if "rule" not in json.loads(line)
    ]
    assert [one["table"] for one in lines] == [name for name in TABLES for _ in outcome.ledger[name]]
    rows = {"inspections": 2503}
    for one in lines:
        name = one["table"]
        if name in rows:
            assert one["rows_in"] == rows[name], one
        gone = one["left_out"] + one["set_aside"] + one["merged"] + sum(one.get("taken_off", {}).values())
        assert one["rows_in"] + one["added"] == one["rows_out"] + gone
        rows[name] = one["rows_out"]
    assert rows == {name: len(outcome.tables[name]) for name in TABLES}
    aside = records(folder / "set-aside.csv")
    assert len(aside) == sum(one["set_aside"] + one["merged"] for one in lines)
    assert all(one["reason"] and one["place"].startswith("inspections.csv, line ") for one in aside)
    numbers = {int(one["source_row"]) for one in aside if one["table"] == "inspections"}
    assert not numbers & set(outcome.tables["inspections"].row_numbers.tolist())


def test_the_dictionary_tells_of_every_column(made: tuple[Path, Outcome]) -> None:
    folder, outcome = made
    text = (folder / "dictionary.md").read_text()
    for name in TABLES:
        part = text.split(f"## {name}\n")[1].split("\n## ")[0]
        table = outcome.tables[name]
        assert f"{len(table):,} rows and {len(table.names)} columns" in part
        for column in table.names:
            [line] = [line for line in part.splitlines() if line.startswith(f"| {column} |")]
            cells = [cell.strip() for cell in line.strip("|").split("|")]
            assert cells[1] == table.types[column].in_full
            assert (cells[3] == "none") == (table[column].missing_count == 0)


def test_the_plan_in_the_folder_does_it_again(made: tuple[Path, Outcome], tmp_path: Path) -> None:
    folder, outcome = made
    source, copy = tmp_path / "inspections.csv", tmp_path / folder.name
    source.write_bytes((folder.parent / "inspections.csv").read_bytes())
    shutil.copy(folder.parent / "answers.csv", tmp_path / "answers.csv")
    shutil.copytree(folder, copy)
    again = comb.Plan.load(copy / "plan.yaml").run(overwrite=True)
    assert again.messages == []
    for name in TABLES:
        assert again.tables[name].equals(outcome.tables[name])
    assert {path.name: path.read_bytes() for path in copy.iterdir()} == {
        path.name: path.read_bytes() for path in folder.iterdir()
    }
    # Other bytes, and a result taken for the source, are told.
    with source.open("ab") as file:
        file.write(source.read_bytes().splitlines(keepends=True)[1])
    told = comb.Plan.load(copy / "plan.yaml").run(dry_run=True).messages
    assert told and set(told) == {"inspections.csv is not the source this plan was saved with: its bytes differ"}
    name = TABLES[0]
    (copy / "plan.yaml").write_text(f"source: {name}.csv\n", encoding="utf-8")
    (tmp_path / "own.yaml").write_text(f"source: {folder.name}/{name}.csv\nsave: {folder.name}\n", encoding="utf-8")
    for plan in (copy / "plan.yaml", tmp_path / "own.yaml"):
        assert comb.Plan.load(plan).run(dry_run=True).messages == [
            f"{name}.csv is a result of this plan, not its source: it was tidied before"
        ]


FORMULAS = ["a + b * 2", "coalesce(a, b, 0) - c", "abs(a) + round(b * 1.5, 1)", "case when a > b then a else c end", "s || '-' || t", "upper(s) = upper(t)"]  # fmt: skip


@given(numeric_tables(), st.sampled_from(FORMULAS), st.data())
def test_what_is_explained_is_what_is_calculated(table: comb.Table, formula: str, data: st.DataObject) -> None:
    for name in "abc":
        table = table if table[name].type.word == "integer" else table.convert({name: "integer"})
    number = data.draw(st.sampled_from(table.row_numbers.tolist()))
    at = table.row_numbers.tolist().index(number)
    column = table.calculate({"r": formula})["r"]._take(np.array([at]))
    message = repr(table.show_working(formula, number))
    value = column.texts()[0]
    assert formula.split(" ")[0].split("(")[0] in message
    if value is not None and str(column.type) != "string":
        assert value in message, message


@pytest.mark.parametrize(
    ("cells", "options", "found"),
    [
        ([1, 2, 1], {"choices": [1, 2], "labels": {1: "calm", 2: "nervous"}}, ["1", "2", "1"]),
        ([1, 2, 3], {"choices": [1, 2]}, ["1", "2", None]),
        (["b", "a", "c"], {"choices": ["c", "b", "a"]}, ["b", "a", "c"]),
        ([Decimal("1.5"), None], {"choices": ["1.5", "2.0"]}, ["1.5", None]),
    ],
)
def test_categories_keep_their_order_and_what_is_not_among_them(
    cells: list[Any], options: dict[str, Any], found: list[Any]
) -> None:
    table = comb.table(columns={"x": cells}).convert({"x": "category"}, **options)
    assert table["x"].texts() == found and str(table.types["x"]) == "category"
    order = [str(value) for value in options["choices"]]
    assert [level.value for level in table["x"].type.choices] == order
    ranked = [text for text in table.sort("x")["x"].texts() if text is not None]
    assert ranked == sorted(ranked, key=order.index)
    lost = [at for at, text in enumerate(found) if text is None and cells[at] is not None]
    assert [table["x"].reasons()[at] for at in lost] == ["unreadable"] * len(lost)
    back = table.convert({"x": "string"})
    assert back["x"].to_list() == [None if cell is None else str(cell) for cell in cells]
