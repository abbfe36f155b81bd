"""Plans: read with every slip told, written, run; the dataset folder."""

import csv
import hashlib
import json
import os
from pathlib import Path

import pytest

import comb
from comb.demo.files import DEMO_FILES
from comb.plans.parse import read_plan
from comb.writing.atomic import write_folder
from comb.writing.record_files import RECORD_FILES


def run(folder: Path, text: str, **options: bool) -> comb.Outcome:
    place = folder / "my-plan.yaml"
    place.write_text(text, encoding="utf-8")
    return comb.Plan.load(place).run(**options)


def contents(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in sorted(folder.iterdir())}


def test_the_demo_plan_makes_a_whole_dataset_and_the_same_bytes_twice(demo: Path) -> None:
    outcome = comb.Plan.load(demo / "plan.yaml").run()
    first = contents(demo / "tidy")
    assert sorted(first) == sorted(
        [
            "checksums.txt",
            "dictionary.md",
            "ledger.jsonl",
            "plan.yaml",
            "run.json",
            "csv-metadata.json",
            "report.html",
            "mites.svg",
            "weights.svg",
            *RECORD_FILES,
        ]
        + [f"{name}{end}" for name in ("frames", "inspections") for end in (".csv", ".csv-metadata.json", "-cells.csv")]
    )
    comb.Plan.load(demo / "plan.yaml").run(overwrite=True)
    assert contents(demo / "tidy") == first
    assert {path.name for path in demo.iterdir()} == {*DEMO_FILES, "tidy"}
    assert outcome.adds_up and outcome.broken == 0 and outcome.saved == [str(demo / "tidy")]
    for line in first["checksums.txt"].decode().splitlines():
        checksum, name = line.split("  ")
        assert hashlib.sha256(first[name]).hexdigest() == checksum


def test_the_dataset_accounts_for_every_row_and_cell_of_the_source(demo: Path) -> None:
    outcome = comb.Plan.load(demo / "plan.yaml").run()
    ledger = [
        json.loads(line)
        for line in (demo / "tidy" / "ledger.jsonl").read_text().splitlines()
        if "rule" not in json.loads(line)
    ]
    for one in ledger:
        gone = one["left_out"] + one["set_aside"] + one["merged"] + sum(one.get("taken_off", {}).values())
        assert one["rows_in"] + one["added"] == one["rows_out"] + gone
    mine = [one for one in ledger if one["table"] == "inspections"]
    aside = list(csv.DictReader((demo / "tidy" / "set-aside.csv").read_text().splitlines()))
    merged = sum(one["merged"] for one in mine)
    assert merged == sum(bool(row["merged_into"]) for row in aside)
    kept = set(outcome.tables["inspections"].row_numbers.tolist())
    gone = {int(row["source_row"]) for row in aside}
    assert len(kept) + len(gone) == 2400 and not kept & gone
    assert {row["reason"] for row in aside if row["kind"] == "set_aside"} == {
        "no day that can be read",
        "a weight without its decimal comma",
    }
    cells = list(csv.DictReader((demo / "tidy" / "inspections-cells.csv").read_text().splitlines()))
    table = outcome.tables["inspections"]
    for cell in cells[::7]:
        at = int(cell["record"]) - 1
        assert table[cell["column"]].reasons()[at] == cell["reason"]
        assert table.row_numbers[at] == int(cell["source_row"])
    assert {cell["text"] for cell in cells if cell["column"] == "mites"} == {"999", "-"}


def test_the_metadata_says_what_the_table_is(demo: Path) -> None:
    outcome = comb.Plan.load(demo / "plan.yaml").run()
    record = json.loads((demo / "tidy" / "inspections.csv-metadata.json").read_text())
    assert record["@context"][0] == "http://www.w3.org/ns/csvw" and record["url"] == "inspections.csv"
    described = {column["titles"]: column for column in record["tableSchema"]["columns"]}
    table = outcome.tables["inspections"]
    assert tuple(described) == table.names
    assert described["net_kg"]["datatype"] == {"base": "decimal", "format": "0.0"}
    assert described["inspected_on"]["datatype"] == {"base": "date", "format": "yyyy-MM-dd"}
    assert described["gross_kg"]["dc:description"] == "kg"
    again = comb.load(demo / "tidy" / "inspections.csv")
    assert {name: str(kind) for name, kind in again.types.items()} == {
        name: str(kind) for name, kind in table.types.items()
    }
    assert all(again[name].to_list() == table[name].to_list() for name in table.names)
    dictionary = (demo / "tidy" / "dictionary.md").read_text()
    assert "| gross_kg | decimal with 1 digit after the point | 20.5 to 51.4" in dictionary


def test_a_dry_run_does_everything_but_write(demo: Path) -> None:
    before = sorted(demo.iterdir())
    dry = comb.Plan.load(demo / "plan.yaml").run(dry_run=True)
    assert sorted(demo.iterdir()) == before and not dry.saved
    assert dry.ledger == comb.Plan.load(demo / "plan.yaml").run().ledger


def test_exploration_becomes_a_plan_that_gives_the_same_table(demo: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(demo)
    table = comb.load("inspections.csv", types={"colony": "string"}, missing=["n/a", "-"], rows=500)
    table = table.trim("apiary", inner=True, why="padded").convert({"mites": "integer"}, missing=[999])
    table = table.recode("queen", {"Laying": "laying"}).filter("mites < 10").sort(["apiary", "visit desc"])
    table.plan().save("again.yaml")
    outcome = comb.Plan.load("again.yaml").run()
    assert outcome.tables["inspections"].equals(table)
    assert outcome.ledger["inspections"] == list(table.ledger)
    (demo / "sub").mkdir()
    table.plan().save("sub/again.yaml")
    assert comb.Plan.load("sub/again.yaml").run().tables["inspections"].equals(table)
    comb.Plan.load("plan.yaml").save("sub/demo.yaml")
    assert comb.Plan.load("sub/demo.yaml").run(write_outside=True).saved == ["sub/../tidy"]


SHORT = "source: inspections.csv\n"


@pytest.mark.parametrize(
    ("text", "line", "message"),
    [
        (SHORT + "stps: []\n", 2, "did you mean 'steps'"),
        (SHORT + "steps:\n  - step: filtr\n    where: x\n", 3, "did you mean 'filter'"),
        (SHORT + "steps:\n  - step: filter\n    were: x\n", 4, "did you mean 'where'"),
        (SHORT + "steps:\n  - step: filter\n", 3, "the step filter needs 'where'"),
        (SHORT + "steps:\n  - where: x\n", 3, "expected 'step:'"),
        (SHORT + "steps:\n  - trim\n", 3, "got 'trim'"),
        (SHORT + "steps: trim\n", 2, "each part after a dash"),
        (SHORT + "steps:\n  - step: trim\n    inner: perhaps\n", 4, "inner"),
        (SHORT + "steps:\n  - step: trim\n    columns: [[a]]\n", 4, "columns"),
        (SHORT + "steps:\n  - step: select\n    columns: *_kg\n", 4, "must be quoted: '*_kg'"),
        (SHORT + "steps: []\nsteps: []\n", 3, "'steps' is there twice"),
        (SHORT + "steps: !!python/object:x []\n", 2, "no tags"),
        (SHORT + "reading: {skipp: 3}\n", 2, "did you mean 'skip'"),
        (SHORT + "reading: {skip: three}\n", 2, "skip"),
        (SHORT + "rules:\n  - check: a > 1\n    otherwise: drop\n", 4, "otherwise"),
        (SHORT + "reading: {skip: x}\nsteps:\n  - step: fil\nsave: {tu: a}\n", 2, "3 slips in this plan"),
        (SHORT + "steps:\n  - {step: fill, columns: a, from_row: abov}\n", 3, "expected above or below, got 'abov'"),
        (SHORT + "steps:\n  - {step: rename, names: {a: [b]}}\n", 3, "expected a text for 'a', got ['b']"),
        (
            SHORT + "pictures:\n  - {kind: bars, x: a, log: [z], file: a.svg}\n",
            3,
            "expected a list with x or y, got ['z']",
        ),
        (SHORT + "questions: {a: b}\n", 2, "got fields a"),
        ("steps: [\n", 2, "this is not YAML"),
        ("tables:\n  a: {source: x.csv, from_table: b}\n", 2, "either source or from_table"),
        ("tables:\n  a: {from_table: b}\n", 2, "there is no table 'b'"),
        ("tables:\n  a: {from_table: b}\n  b: {source: x.csv}\n", 2, "write b before the table that needs it"),
        ("tables: {a: {source: x.csv}}\nsave: [{to: out, tables: [b]}]\n", 2, "there is no table 'b'"),
        ("- a\n", 1, "a plan with source and steps"),
        (SHORT + "? [a]\n: b\n", 1, "a word before the colon"),
    ],
)
def test_slips_in_plans_are_told_with_file_and_line(text: str, line: int, message: str) -> None:
    with pytest.raises(comb.PlanError) as caught:
        read_plan(text, "my-plan.yaml")
    assert f"my-plan.yaml, line {line}" in str(caught.value)
    assert message in str(caught.value)


def test_scalars_stay_what_they_are() -> None:
    text = SHORT + "steps:\n  - step: recode\n    column: no\n    values: {007: 12:30, yes: ~, 'null': 1e3}\n"
    step = read_plan(text, "p").tables["inspections"].steps[0]
    assert (step.column, step.values) == ("no", {"007": "12:30", "yes": None, "null": "1e3"})  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("steps", "message"),
    [
        ("  - step: filter\n    where: Mites > 3\n", "line 3, step 1 (filter): there is no column 'Mites'"),
        (
            "  - step: trim\n  - step: sort\n    by: mite\n",
            "line 4, step 2 (sort): there is no column 'mite'",
        ),
        ("  - step: convert\n    columns: {apiary: date}\n    on_misfit: stop\n", "2,400 rows do not fit"),
    ],
)
def test_a_plan_that_fails_writes_nothing(demo: Path, steps: str, message: str) -> None:
    with pytest.raises(comb.CombError) as caught:
        run(demo, SHORT + "steps:\n" + steps + "save: out\n")
    assert message in str(caught.value) and not (demo / "out").exists()


@pytest.mark.parametrize(
    ("otherwise", "rows", "aside"),
    [("report", 2400, 0), ("set aside", 2333, 67)],
)
def test_rules(demo: Path, otherwise: str, rows: int, aside: int) -> None:
    rules = f"rules:\n  - check: mites < 300\n    otherwise: {otherwise}\n"
    outcome = run(demo, SHORT + rules)
    result = outcome.rules["inspections"][0]
    assert (result.met, result.broken, result.not_checked) == (2319, 67, 14)
    assert len(outcome.tables["inspections"]) == rows
    assert sum(entry.set_aside for entry in outcome.ledger["inspections"]) == aside and outcome.adds_up
    with pytest.raises(comb.PlanError, match=r"67 rows break the rule 'mites < 300': inspections\.csv, line"):
        run(demo, SHORT + "rules:\n  - check: mites < 300\n    otherwise: stop\n")


def test_what_exists_is_left_alone(demo: Path) -> None:
    plan = SHORT + "save: [out, {to: one.csv}]\n"
    run(demo, plan)
    before = contents(demo / "out")
    with pytest.raises(comb.WriteError, match="not changed"):
        run(demo, plan)
    (demo / "out" / "mine.txt").write_text("precious")
    with pytest.raises(comb.WriteError, match=r"contains files Comb did not write: mine\.txt"):
        run(demo, plan, overwrite=True)
    assert contents(demo / "out") == {**before, "mine.txt": b"precious"}
    with pytest.raises(comb.WriteError, match="not changed"):
        comb.load(demo / "one.csv").save(demo / "one.csv")
    with pytest.raises(comb.WriteError, match="there is no folder"):
        comb.load(demo / "one.csv").save(demo / "no" / "one.csv")


def test_a_write_that_breaks_off_leaves_the_old_and_no_debris(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    write_folder(tmp_path / "set", {"a.txt": b"old"})
    (tmp_path / "set" / "checksums.txt").write_text("0  a.txt\n")
    calls = 0

    def full(descriptor: int) -> None:
        nonlocal calls
        calls += 1
        if calls == 2:
            raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(comb.WriteError, match="No space left"):
        write_folder(tmp_path / "set", {"a.txt": b"new", "b.txt": b"new"}, overwrite=True)
    assert [path.name for path in tmp_path.iterdir()] == ["set"]
    assert (tmp_path / "set" / "a.txt").read_bytes() == b"old"


@pytest.mark.parametrize(
    ("name", "message"),
    [
        ("folder.csv", "there is a folder of this name"),
        ("no/x.csv", "there is no folder"),
        ("old.csv", "not changed"),
    ],
)
def test_files_are_written_where_there_is_room_only(tmp_path: Path, name: str, message: str) -> None:
    (tmp_path / "folder.csv").mkdir()
    (tmp_path / "old.csv").write_text("precious")
    before = sorted(path.name for path in tmp_path.rglob("*"))
    with pytest.raises(comb.WriteError) as caught:
        comb.table(columns={"a": [1]}).save(tmp_path / name)
    assert message in str(caught.value) and isinstance(caught.value, OSError)
    assert sorted(path.name for path in tmp_path.rglob("*")) == before
    assert (tmp_path / "old.csv").read_text() == "precious"


def test_a_description_is_written_with_its_table_or_neither_is(tmp_path: Path) -> None:
    (tmp_path / "x.csv-metadata.json").write_text("mine")
    with pytest.raises(comb.WriteError, match=r"x\.csv-metadata\.json"):
        comb.table(columns={"a": [1]}).save(tmp_path / "x.csv", describe=True)
    assert [path.name for path in tmp_path.iterdir()] == ["x.csv-metadata.json"]


def test_tables_built_on_tables_see_them_after_their_steps(demo: Path) -> None:
    text = (
        "tables:\n"
        "  all: {source: inspections.csv, steps: [{step: filter, where: mites > 300}]}\n"
        "  few: {from_table: all, steps: [{step: select, columns: [visit, mites]}]}\n"
        "  fewer: {from_table: few, steps: [{step: filter, where: visit < 50100}]}\n"
        "save: [{to: few.csv, tables: few}, {to: both, tables: [all, fewer]}]\n"
    )
    outcome = run(demo, text)
    assert [len(outcome.tables[name]) for name in ("all", "few", "fewer")] == [
        67,
        67,
        outcome.tables["fewer"].row_count,
    ]
    assert outcome.tables["fewer"].names == ("visit", "mites") and 0 < len(outcome.tables["fewer"]) < 67
    assert len(comb.load(demo / "few.csv")) == 67
    assert {path.name for path in (demo / "both").glob("*.csv")} == {
        "all.csv", "all-cells.csv", "fewer.csv", "fewer-cells.csv", *RECORD_FILES,
    }  # fmt: skip
    assert (
        outcome.tables["fewer"].place(int(outcome.tables["fewer"].row_numbers[0])).startswith("inspections.csv, line")
    )


@pytest.mark.parametrize(
    ("names", "message"),
    [
        (["../../victim"], "cannot be called"),
        (["/tmp/victim"], "cannot be called"),
        (["a\\\\b"], "cannot be called"),
        ([".hidden"], "cannot be called"),
        (["x" * 300], "cannot be called"),
        (["set-aside"], "and so would the file set-aside.csv of every dataset"),
        (["t", "t-cells"], "would have the file t-cells.csv"),
        (["Visits", "visits"], "would have the file visits.csv"),
    ],
)
def test_names_of_tables_write_only_into_their_folder(tmp_path: Path, names: list[str], message: str) -> None:
    (tmp_path / "t.csv").write_text("a,b\n1,2\n")
    tables = "".join(f'  "{name}": {{source: t.csv}}\n' for name in names)
    (tmp_path / "plan.yaml").write_text(f"tables:\n{tables}save: out\n")
    before = sorted(tmp_path.rglob("*"))
    with pytest.raises(comb.PlanError, match=message):
        comb.Plan.load(tmp_path / "plan.yaml").run()
    assert sorted(tmp_path.rglob("*")) == before
