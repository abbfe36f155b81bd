"""The record of a run: every changed cell, every row that did not come out, and the trace that is read off it."""

import csv
import gzip
import io
import json
from pathlib import Path
from typing import Any

import pytest

import comb
from comb.writing import record_files
from comb.writing.record_files import RECORD_FILES
from support.running import run_comb

VISITS = """hive;day;kg;mites;queen
a;03.05.2025;31,5;3;lay
b;04.05.2025;400;999;laying
a;05.05.2025;;5;laying
a;05.05.2025;;5;laying
c;06.05.2025;33,5;7;lay
b;07.05.2025;x;2;"two
lines"
d;08.05.2025;30,0;1;laying
"""
PLACES = "hive,place\na,Mill\nb,Elm\n"
PLAN = """\
tables:
  places: {source: places.csv}
  visits:
    source: visits.csv
    reading: {types: {kg: decimal 0.0}}
    steps:
      - {step: remove_duplicates, why: exported twice}
      - {step: replace_values, columns: mites, above: 100, why: 999 means not counted}
      - {step: correct, column: kg, row: 2, old: "400", new: "40", source: log book}
      - {step: fill, columns: kg, from_row: above, by: hive, order_by: day, where: hive <> 'd'}
      - {step: rename, names: {kg: weight}}
      - {step: recode, column: queen, values: {lay: laying}, active: false}
      - {step: join, table: places, by: hive}
      - {step: calculate, columns: {per_kg: mites / weight}}
      - {step: set_aside, where: hive = 'c', reason: not ours}
      - {step: filter, where: hive <> 'd'}
    rules:
      - {check: weight < 35, why: an empty hive}
      - {unique: [hive, day]}
      - {by: hive, found_in: places}
      - {formula: sum(weight), equals: 143.0, within: 0.1, source: "yearly report, page 4"}
      - {check: count(*) > 1, by: hive, otherwise: mark}
    describe:
      weight: {text: weight of the hive, unit: kg}
      mites: mites fallen in a day
questions: ["who weighed hive b?"]
save: tidy
"""


@pytest.fixture
def made(tmp_path: Path) -> tuple[Path, comb.Outcome]:
    (tmp_path / "visits.csv").write_text(VISITS)
    (tmp_path / "places.csv").write_text(PLACES)
    (tmp_path / "plan.yaml").write_text(PLAN)
    return tmp_path, comb.Plan.load(tmp_path / "plan.yaml").run(as_of="2025-06-01")


def records(path: Path) -> list[dict[str, str]]:
    data = gzip.decompress(path.with_name(f"{path.name}.gz").read_bytes()) if not path.exists() else path.read_bytes()
    return list(csv.DictReader(io.StringIO(data.decode(), newline="")))


def folder_report(folder: Path) -> list[str]:
    """Return the lines about rows that were set aside in the report on a folder."""
    run_comb("report", str(folder), "--out", "again.html", cwd=folder.parent)
    page = folder.parent / "again.html"
    lines = [line for line in page.read_text().splitlines() if "not ours" in line]
    page.unlink()
    assert lines
    return lines


def test_every_changed_cell_is_listed(made: tuple[Path, comb.Outcome]) -> None:
    folder, outcome = made
    lines = [line for line in records(folder / "tidy" / "changed-cells.csv") if line["table"] == "visits"]
    found = {(one["step"], one["row"], one["column"]): (one["before"] or f"({one['before_missing']})",
             one["after"] or f"({one['after_missing']})", one["taken_from"], one["place"]) for one in lines}  # fmt: skip
    assert found == {
        ("2", "2", "mites"): ("999", "(cleared)", "", "visits.csv, line 3"),
        ("3", "2", "kg"): ("400.0", "40.0", "", "visits.csv, line 3"),
        ("4", "3", "kg"): ("(blank)", "31.5", "from row 1", "visits.csv, line 4"),
        ("4", "6", "kg"): ("x", "40.0", "from row 2", "visits.csv, line 7"),
        ("8", "", "per_kg"): ("()", "mites / weight", "", ""),
    }
    for name, entries in outcome.ledger.items():
        counted = sum(sum(entry.cells_changed.values()) for entry in entries)
        assert counted == sum(1 for line in lines if line["row"] and line["table"] == name)


def test_every_row_is_in_the_result_or_listed(made: tuple[Path, comb.Outcome]) -> None:
    folder, outcome = made
    aside = {one["source_row"]: one for one in records(folder / "tidy" / "set-aside.csv") if one["table"] == "visits"}
    assert aside["4"]["merged_into"] == "3" and aside["5"]["reason"] == "not ours"
    [left] = records(folder / "tidy" / "left-out.csv")
    assert (left["row"], left["last_row"], left["place"], left["step"]) == ("7", "7", "visits.csv, line 9", "10")
    runs = [one for one in records(folder / "tidy" / "row-sources.csv") if one["table"] == "visits"]
    pairs = [(int(one["record"]) + at, int(one["row"]) + at) for one in runs
             for at in range(int(one["last_record"]) - int(one["record"]) + 1)]  # fmt: skip
    assert (
        pairs == list(enumerate(outcome.tables["visits"].row_numbers.tolist(), 1)) == [(1, 1), (2, 2), (3, 3), (4, 6)]
    )
    kept = {str(row) for _, row in pairs}
    assert kept | set(aside) | {"7"} == {str(row) for row in range(1, 8)}


def test_what_rules_came_to_is_listed(made: tuple[Path, comb.Outcome]) -> None:
    folder, outcome = made
    lines = {one["rule"]: one for one in records(folder / "tidy" / "rules.csv")}
    counts = {rule: (one["met"], one["broken"], one["not_checked"], one["found"]) for rule, one in lines.items()}
    assert counts == {
        "weight < 35": ("2", "2", "0", ""),
        "hive, day unique": ("4", "0", "0", ""),
        "hive found in places": ("4", "0", "0", ""),
        "sum(weight) = 143.0 within 0.1": ("1", "0", "0", "143.0"),
        "count(*) > 1 within each hive": ("2", "0", "0", ""),
    }
    assert lines["sum(weight) = 143.0 within 0.1"]["why"] == "yearly report, page 4"
    broken = records(folder / "tidy" / "rule-rows.csv")
    assert [(one["row"], one["last_row"], one["result"]) for one in broken] == [
        ("2", "2", "broken"),
        ("6", "6", "broken"),
    ]
    assert outcome.broken == 2


def test_the_folder_describes_itself(made: tuple[Path, comb.Outcome]) -> None:
    folder, _ = made
    tidy = folder / "tidy"
    described = {
        one["url"]: one["tableSchema"]["columns"]
        for one in json.loads((tidy / "csv-metadata.json").read_text())["tables"]
    }
    for name in RECORD_FILES:
        with (tidy / name).open(newline="") as text:
            assert next(csv.reader(text)) == [column["titles"] for column in described[name]]
        assert comb.load(tidy / name).names == tuple(column["titles"] for column in described[name])
    run = json.loads((tidy / "run.json").read_text())
    assert run["as_of"] == "2025-06-01" and run["comb"] == comb.__version__
    text = (tidy / "dictionary.md").read_text()
    for wanted in ("weight of the hive (kg)", "who weighed hive b?", "per_kg = `mites / weight`"):
        assert wanted in text
    again = comb.load(tidy / "visits.csv")
    assert again["weight"].description == "weight of the hive (kg)"
    columns = json.loads((tidy / "visits.csv-metadata.json").read_text())["tableSchema"]["columns"]
    assert not any(column["required"] for column in columns)


TRACES: list[tuple[int, str, str, list[str]]] = [
    (2, "weight", "40.0", ["400.0 became 40.0", "from log book", "visits.csv, line 3", "as the text '400'"]),
    (6, "weight", "40.0", ["(unreadable) 'x' became 40.0", "from row 2"]),
    (2, "mites", "(cleared)", ["999 became (cleared)", "why: 999 means not counted"]),
    (1, "place", "Mill", ["from places.csv, line 2", "stood in places.csv, line 2"]),
    (1, "per_kg", "0.0952", ["mites / weight = 3 / 31.5"]),
    (3, "day", "2025-05-05", ["as the text '05.05.2025'", "equal rows were merged into this one: 4"]),
    (4, "mites", "", ["merged by step 1 (remove_duplicates) into row 3"]),
    (5, "weight", "", ["set aside by step 9", "not ours"]),
    (7, "kg", "", ["left out by step 10"]),
    (6, "queen", "two↵lines", ["no step changed it"]),
]


@pytest.mark.parametrize(("row", "column", "value", "said"), TRACES)
def test_a_trace_is_the_same_from_a_table_a_plan_and_a_folder(
    made: tuple[Path, comb.Outcome], row: int, column: str, value: str, said: list[str]
) -> None:
    folder, _ = made
    for place in ("plan.yaml", "tidy"):
        [trace] = comb.trace(folder / place, row, column, table="visits")
        assert trace.value.startswith(value) or repr(trace.value).startswith(repr(value)), (place, trace)
        for part in said:
            if place == "plan.yaml" or "merged into this one" not in part:
                assert part in repr(trace), (place, trace)


def test_a_folder_is_traced_without_its_source(made: tuple[Path, comb.Outcome]) -> None:
    folder, _ = made
    (folder / "one.yaml").write_text(
        "source: visits.csv\nreading: {types: {kg: decimal 0.0}}\nsteps:\n  - {step: remove_duplicates}\n"
        "  - {step: correct, column: kg, row: 2, old: '400', new: '40', source: log book}\n"
        "  - {step: rename, names: {kg: weight}}\n  - {step: set_aside, where: hive = 'c', reason: not ours}\n"
        "  - {step: filter, where: hive <> 'd'}\nsave: one\n"
    )
    comb.Plan.load(folder / "one.yaml").run()
    (folder / "visits.csv").unlink()
    for row, column, value, said in [
        (2, "weight", "40.0", "400.0 became 40.0"), (2, "weight", "40.0", "visits.csv, line 3 (the source is not there"),
        (3, "day", "2025-05-05", "merged into this one: 4"), (4, "day", "", "was merged by step 1 (remove_duplicates) into row 3"),
        (5, "weight", "", "by step 4 (set_aside: rows where hive = 'c' set aside): not ours"), (7, "weight", "", "was left out by step 5"),
    ]:  # fmt: skip
        [trace] = comb.trace(folder / "one", row, column)
        assert trace.value == value and said in repr(trace), trace
    with pytest.raises(comb.ParameterError, match="no row number 99"):
        comb.trace(folder / "one", 99, "day")


def test_a_table_tells_its_traces_too(made: tuple[Path, comb.Outcome]) -> None:
    folder, _ = made
    visits = comb.load(folder / "visits.csv", types={"kg": "decimal 0.0"}).remove_duplicates()
    sums = visits.aggregate({"kg": "sum(kg)"}, by="hive")
    assert "of 2 rows: 2, 6 (the first: visits.csv, line 3)" in repr(sums.trace(2, "kg"))
    counts = visits.count("hive")
    assert "of 2 rows: 1, 3" in repr(counts.trace(1, "count"))
    long = visits.to_long(["kg", "mites"], heading_column="what", value_column="value")
    traces = long.trace(2, "value")
    assert [one.source_text for one in traces] == ["400", "999"]
    both = visits.stack_tables(comb.load(folder / "visits.csv", types={"kg": "decimal 0.0"}))
    assert "visits.csv, line 3" in repr(both.trace(8, "kg")) and both.place(8, "kg") == both.trace(8, "kg")[0].place
    with pytest.raises(comb.ColumnError):
        visits.trace(2, "moon")
    with pytest.raises(comb.ParameterError, match="no row number 99"):
        visits.trace(99, "kg")


def test_large_records_are_compressed_and_traced(
    made: tuple[Path, comb.Outcome], monkeypatch: pytest.MonkeyPatch
) -> None:
    folder, _ = made
    small = {path.name: path.read_bytes() for path in (folder / "tidy").iterdir()}
    # A cell that came out, and rows that were merged, set aside and left out.
    cells = [(2, "weight"), (4, "mites"), (5, "queen"), (7, "weight")]
    before = [repr(comb.trace(folder / "tidy", *cell, table="visits")) for cell in cells]
    assert before == [repr(comb.trace(folder / "plan.yaml", *cell, table="visits")) for cell in cells]
    assert [line for text in before for line in text.splitlines() if "as the" in line or "as an" in line] == [
        f"  as the text {text!r}" for text in ("400", "5", "lay", "30,0")
    ]
    report = folder_report(folder / "tidy")
    monkeypatch.setattr(record_files, "LARGE", 10)
    comb.Plan.load(folder / "plan.yaml").run(overwrite=True, as_of="2025-06-01")
    large = {path.name: path.read_bytes() for path in (folder / "tidy").iterdir()}
    for name in ("changed-cells.csv", "left-out.csv", "row-sources.csv", "rule-rows.csv", "set-aside.csv"):
        assert gzip.decompress(large[f"{name}.gz"]) == small[name] and name not in large
    assert [repr(comb.trace(folder / "tidy", *cell, table="visits")) for cell in cells] == before
    assert folder_report(folder / "tidy") == report
    assert comb.load(folder / "tidy" / "changed-cells.csv.gz").row_count == len(
        records(folder / "tidy" / "changed-cells.csv")
    )


SLIPS = """\
source: visits.csv
reading: {types: {kg: decimal 0.0}}
steps:
  - {step: trim, columns: quen}
  - {step: calculate, columns: {x: kg * mitess, y: kg}}
  - {step: filter, where: x > 1 and hiv = 'a'}
  - {step: fill, columns: kg, formula: kgg}
  - {step: correct, column: kgs, row: 1, old: a, new: b}
rules:
  - {check: y > 1}
  - {unique: [hive, dya]}
  - {formula: sum(hive), equals: 3}
describe: {moon: full}
"""


def test_all_slips_are_reported_together_before_a_row_is_touched(made: tuple[Path, comb.Outcome]) -> None:
    folder, _ = made
    (folder / "slips.yaml").write_text(SLIPS)
    with pytest.raises(comb.PlanError) as caught:
        comb.Plan.load(folder / "slips.yaml").run()
    text = str(caught.value)
    assert "7 slips in this plan" in text
    for part in ("line 4, step 1 (trim)", "'quen'", "line 5, step 2 (calculate)", "'mitess'", "'kgg'", "'kgs'",
                 "line 11, rule 2", "'dya'", "line 12, rule 3", "'moon'"):  # fmt: skip
        assert part in text, (part, text)


def test_slips_in_the_form_of_a_plan_are_reported_together(tmp_path: Path) -> None:
    (tmp_path / "bad.yaml").write_text(
        "source: x.csv\nsteps:\n  - {step: trm}\n  - {step: fill, colums: a}\n  - {step: round, columns: a, digits: many}\n"
        "rules:\n  - {chek: a > 1}\naccepted:\n  - {code: text.spacs, why: x}\n"
    )
    with pytest.raises(comb.PlanError) as caught:
        comb.Plan.load(tmp_path / "bad.yaml")
    text = str(caught.value)
    for part in (
        "5 slips",
        "line 3: ",
        "'trm'",
        "line 4: ",
        "'colums'",
        "line 5: ",
        "digits",
        "line 7: ",
        "'chek'",
        "line 9: ",
        "'text.spacs'",
    ):
        assert part in text, (part, text)


BAD_RULES: list[tuple[str, str]] = [
    ("{check: kg > 1, unique: kg}", "expected one of check, formula, unique, found_in"),
    ("{otherwise: stop}", "got none"),
    ("{formula: sum(kg)}", "expected equals"),
    ("{formula: sum(kg), equals: many}", "expected a number"),
    ("{check: kg > 1, within: 3}", "within goes with formula"),
    ("{found_in: places}", "expected by"),
    ("{by: hive, found_in: nowhere}", "nowhere"),
    ("{formula: sum(kg), equals: 3, otherwise: mark}", "no rows to mark"),
    ("{check: count(*) > 3, otherwise: set aside}", "no rows to set aside"),
    ("{check: count(*) > 30, otherwise: stop}", "1 table breaks the rule"),
    ("{formula: sum(kg), equals: 3, otherwise: stop}", "is 495.0, expected 3"),
]


@pytest.mark.parametrize(("rule", "message"), BAD_RULES)
def test_rules_that_make_no_sense_or_stop(made: tuple[Path, comb.Outcome], rule: str, message: str) -> None:
    folder, _ = made
    (folder / "one.yaml").write_text(
        f"source: visits.csv\nreading: {{types: {{kg: decimal 0.0}}}}\nrules:\n  - {rule}\n"
    )
    with pytest.raises(comb.CombError) as caught:
        comb.Plan.load(folder / "one.yaml").run()
    assert message in str(caught.value)


def test_rules_set_aside_and_mark_the_right_rows(made: tuple[Path, comb.Outcome]) -> None:
    folder, _ = made
    (folder / "one.yaml").write_text(
        "source: visits.csv\nreading: {types: {kg: decimal 0.0}}\nrules:\n"
        "  - {check: kg < 100, otherwise: mark}\n  - {unique: [hive, day], otherwise: set aside}\n"
        "  - {check: max(mites) < 9, by: hive, otherwise: mark}\n"
    )
    table = comb.Plan.load(folder / "one.yaml").run().tables["visits"]
    marked: dict[int, Any] = dict(zip(table.row_numbers.tolist(), table["broken_rules"].to_list(), strict=True))
    both = "kg < 100; max(mites) < 9 within each hive"
    assert marked == {1: None, 2: both, 3: None, 5: None, 6: both.partition("; ")[2], 7: None}


def test_the_ledger_tells_of_rules_and_a_dry_run_of_every_cell(made: tuple[Path, comb.Outcome]) -> None:
    folder, _ = made
    lines = [json.loads(line) for line in (folder / "tidy" / "ledger.jsonl").read_text().splitlines()]
    rules = [one for one in lines if "rule" in one]
    assert (rules[0]["rule"], rules[0]["met"], rules[0]["broken"], len(rules)) == ("weight < 35", 2, 2, 5)
    ran = run_comb("run", "plan.yaml", "--dry-run", "--json", "--without", "4", cwd=folder)
    record = json.loads(ran.out)
    assert {"table": "visits", "step": 3, "row": 2, "column": "kg", "before": "400.0", "after": "40.0"} in record[
        "cells"
    ]
    assert not any(one["step"] == 4 for one in record["cells"])
    assert {"table": "visits", "step": 10, "row": 7, "what": "left out"} in record["rows"]
    assert record["rules"]["visits"][3]["found"] == "71.5" and record["rules"]["visits"][3]["broken"] == 1


def test_the_values_that_went_into_an_aggregate_are_shown(made: tuple[Path, comb.Outcome]) -> None:
    folder, _ = made
    (folder / "sums.yaml").write_text(
        "source: visits.csv\nreading: {types: {kg: decimal 0.0}}\nsteps:\n"
        "  - {step: aggregate, columns: {kg: sum(kg), n: count(*)}, by: hive}\n"
    )
    [trace] = comb.trace(folder / "sums.yaml", 3, "kg")
    assert "of 3 rows: 1, 3, 4 (the first: visits.csv, line 2)" in repr(trace)
    assert "kg of these rows = 31.5, (blank), (blank)" in repr(trace) and trace.value == "31.5"


def test_a_folder_whose_rows_were_numbered_anew_is_traced_by_its_plan(made: tuple[Path, comb.Outcome]) -> None:
    folder, _ = made
    (folder / "wide.yaml").write_text(
        "source: visits.csv\nsteps:\n  - {step: remove_duplicates}\n"
        "  - {step: to_wide, heading_column: day, value_column: mites, by: hive}\nsave: wide\n"
    )
    comb.Plan.load(folder / "wide.yaml").run()
    for place in ("wide", "wide.yaml"):
        [trace] = comb.trace(folder / place, 3, "hive")
        assert (trace.row, trace.value) == (1, "a") and "of 2 rows: 1, 3" in repr(trace), trace
        [trace] = comb.trace(folder / place, 2, "2025-05-04")
        assert trace.value == "999" and "visits.csv, line 3" in trace.place


def test_trace_differences_and_questions_at_the_command_line(made: tuple[Path, comb.Outcome]) -> None:
    folder, _ = made
    ran = run_comb("trace", "tidy", "--row", "2", "--column", "weight", "--table", "visits", cwd=folder)
    assert ran.code == 0 and "400.0 became 40.0" in ran.out
    assert (
        json.loads(run_comb("trace", "plan.yaml", "--row", "2", "--column", "weight", "--json", cwd=folder).out)[0][
            "value"
        ]
        == "40.0"
    )
    for arguments, message in [
        (("trace", "tidy", "--row", "2", "--column", "moon", "--table", "visits"), "no column 'moon'"),
        (("trace", "tidy", "--row", "99", "--column", "mites", "--table", "visits"), "no row number 99"),
        (("trace", "tidy", "--row", "2", "--column", "mites", "--table", "moon"), "no table 'moon'"),
        (("trace", "nowhere", "--row", "2", "--column", "mites"), "no such file"),
        (("trace", ".", "--row", "2", "--column", "mites"), "not a dataset folder"),
        (("run", "plan.yaml", "--source", "x.csv"), "expected --source TABLE=FILE"),
        (("run", "plan.yaml", "--until", "77"), "no step 77"),
        (("differences", "visits.csv", "nowhere.csv"), "no such file"),
        (("differences", "visits.csv", "visits.csv", "--key", "hive"), "does not tell the rows"),
        (("profile", "visits.csv", "--questions", "sheet.pdf"), "pdf"),
    ]:
        ran = run_comb(*arguments, cwd=folder)
        assert ran.code == 2 and message in ran.err and "Traceback" not in ran.err, (arguments, ran.err)
    same = run_comb("differences", "visits.csv", "visits.csv", "--check", cwd=folder)
    assert same.code == 0 and "nothing is different" in same.out
    other = run_comb("differences", "tidy", "tidy", "--check", cwd=folder)
    assert other.code == 0 and other.out.count("nothing is different") == 2
    (folder / "old.csv").write_text("hive,kg\na,31\nb,400\n")
    (folder / "new.csv").write_text("hive,kg\nb,41\nc,33\n")
    changed = run_comb("differences", "old.csv", "new.csv", "--key", "hive", "--check", "--json", cwd=folder)
    record = json.loads(changed.out)
    assert changed.code == 1 and (record["rows_added"], record["rows_gone"]) == ([2], [1])
    assert record["cells_changed"] == [{"key": "b", "column": "kg", "before": "400", "after": "41", "row": 1}]
    asked = run_comb("profile", "visits.csv", "--questions", "sheet.csv", cwd=folder)
    assert asked.code == 0 and ("written to sheet.csv" in asked.err or "no sheet was written" in asked.err)


LETTERS = """\
source: SOURCE
reading: {encoding: windows-1252}
steps:
  - {step: split, column: note, mark: ";"}
  - {step: remove_duplicates, why: exported twice}
  - {step: set_aside, where: hive = 'c', reason: odd}
  - {step: filter, where: hive <> 'a' and note <> 'q'}
save: out
"""


@pytest.mark.parametrize("name", ["v.csv", "v.csv.gz", "v.xlsx", "v.jsonl"])
def test_every_cell_is_traced_alike_from_the_folder_and_by_a_run(tmp_path: Path, name: str) -> None:
    """Merged, set aside, left out, and spread over rows of which one is left out."""
    rows = [("a", "x"), ("b", "y;ö"), ("b", "y;ö"), ("c", "=z"), ("d", "p;q"), ("e", None)]
    table = comb.table(columns={"hive": [hive for hive, _ in rows], "note": [note for _, note in rows]})
    table.save(tmp_path / name, **({"encoding": "windows-1252"} if "csv" in name else {}))
    plan = LETTERS if "csv" in name else "".join(line for line in LETTERS.splitlines(True) if "windows" not in line)
    (tmp_path / "plan.yaml").write_text(plan.replace("SOURCE", name))
    comb.Plan.load(tmp_path / "plan.yaml").run()
    for row in range(1, len(rows) + 1):
        for column in ("hive", "note"):
            by_run = repr(comb.trace(tmp_path / "plan.yaml", row, column))
            assert repr(comb.trace(tmp_path / "out", row, column)) == by_run, (row, column)
    assert "equal rows were merged into this one: 3" in repr(comb.trace(tmp_path / "out", 2, "hive"))
    assert "set aside by step 3" in repr(comb.trace(tmp_path / "out", 4, "note"))
    # One of the rows that it was spread over came out.
    assert "left out" not in repr(comb.trace(tmp_path / "out", 5, "hive"))
