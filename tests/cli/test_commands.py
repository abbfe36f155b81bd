"""The commands on every kind of source, with every option; in this process, so that there can be many cases."""

import json
import shlex
from pathlib import Path
from typing import Any

import pytest

import comb
from comb.cli.main import cli
from comb.errors import CombError
from support.running import run_comb
from support.workbooks import book, grid


@pytest.fixture
def folder(demo: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """Work in a folder with the demo and a few files of other kinds."""
    monkeypatch.chdir(demo)
    monkeypatch.setenv("COLUMNS", "120")
    (demo / "points.txt").write_text("left over\n\nhive;kg\n0101;1,5\n0102;n/a\n0103;2,25\n")
    (demo / "spaces.txt").write_text("hive   kg\n0101    1\n0102   20\n")
    (demo / "latin.csv").write_bytes("hive,told\n1,größer\n2,schön\n".encode("cp1252"))
    (demo / "nested.json").write_text(json.dumps({"season": 2025, "hives": [{"id": 1, "at": {"m": 210}, "tags": ["a", "b"]}, {"id": 2, "at": {"m": 465}, "tags": []}]}))  # fmt: skip
    book(demo / "months.xlsx", {"May": grid("hive kg\na 1\nb 2\nTotal 3"), "June": grid("hive kg\na 4\nb 5\nTotal 9")})
    return demo


def said(capsys: pytest.CaptureFixture[str], *arguments: str) -> str:
    cli(list(arguments), standalone_mode=False)
    captured = capsys.readouterr()
    return " ".join((captured.out + captured.err).split())


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        # What is found out, and what is given instead.
        (["show", "points.txt"], ["3 rows and 2 columns of points.txt", "0101 1.5", "(marker)"]),
        (["show", "points.txt", "--header", "0", "--skip", "3"], ["_col.1", "0101"]),
        (["show", "points.txt", "--type", "hive=integer"], ["1 1.5"]),
        (["show", "points.txt", "--missing", "1,5"], ["0101 (marker)", "0102 (marker)", "0103 2.25"]),
        (["show", "points.txt", "--missing", "kg=1,5", "--no-known-words"], ["0101 (marker)", "0102 n/a", "0103 2,25", "--missing kg=1,5 --no-known-words"]),
        (["show", "points.txt", "--missing", "zz", "--missing", "kg=-7"], ["words for missing that occur nowhere: 'zz'", "occur nowhere in kg: '-7'"]),
        (["show", "points.txt", "--rows", "1"], ["1 row and 2 columns"]),
        (["show", "points.txt", "--delimiter", ";", "--quote", "", "--encoding", "utf-8"], ["3 rows and 2 columns"]),
        (["show", "spaces.txt"], ["2 rows and 2 columns", "0102 20"]),
        (["show", "latin.csv"], ["größer", "schön"]),
        (["show", "latin.csv", "--encoding", "windows-1252"], ["größer"]),
        (["inspect", "latin.csv"], ["windows-1252", "--encoding"]),
        (["inspect", "points.txt"], ["text above the table: left over", "semicolon", "2 lines"]),
        (["inspect", "points.txt", "--column", "kg"], ["kg is number, 1 cell missing", "decimal comma"]),
        # Workbooks and JSON.
        (["inspect", "months.xlsx"], ["2 tables", "May!A1:B4", "row 4 is a total", "one of them: --table 1"]),
        (["show", "months.xlsx", "--table", "June"], ["2 rows and 2 columns", "a 4", "next: comb show months.xlsx --table June --record 1"]),
        (["show", "apiaries.csv", "--delimiter", "tab"], ["next: comb show apiaries.csv --delimiter tab --record 1"]),
        (["inspect", "points.txt", "--delimiter", ";", "--missing", "-"], ["next: comb profile points.txt --delimiter ';' --missing -"]),
        (["show", "months.xlsx", "--table", "2", "--totals"], ["3 rows and 2 columns", "Total 9"]),
        (["show", "months.xlsx", "--table", "June!A1:B2"], ["1 row and 2 columns"]),
        (["show", "months.xlsx", "--table", "*", "--sort", "kg desc"], ["4 rows and 3 columns", "2 tables below each other", "June b 5"]),
        (["count", "months.xlsx", "--table", "*", "--by", "hive"], ["hive count share", "a 2 50.0 %"]),
        (["inspect", "nested.json"], ["object with tables inside", "text above the table: season: 2025", "at.m integer", "tags json"]),
        (["show", "nested.json", "--table", "/hives"], ["at.m", '["a", "b"]']),
        (["show", "nested.json", "--table", "/hives", "--lists", "count"], ["2", "0"]),
        (["show", "nested.json", "--table", "/hives", "--lists", "rows", "--columns", "id,tags"], ["1 a", "1 b"]),
        (["profile", "months.xlsx", "--table", "May"], ["2 rows and 2 columns", "column type missing distinct shape"]),
        (["show", "scales.jsonl", "--where", "weight_kg > 38.5", "--columns", "reading,colony,weight_kg"], ["rows where weight_kg > 38.5"]),
        (["show", "harvest.xlsx", "--table", "Harvest*", "--first", "2"], ["Spring 2025", "(absent)", "20 rows and 9 columns"]),
        # Rows.
        (["show", "inspections.csv", "--first", "1"], ["showing rows 1 to 1", "50001"]),
        (["show", "inspections.csv", "--record", "2400"], ["row 2400, inspections.csv, line 2503", "fed false"]),
        (["show", "inspections.csv", "--where", "mites = max(mites)", "--last", "1"], ["rows where mites = max(mites)"]),
        (["show", "inspections.csv", "--columns", "visit,*_kg", "--first", "1"], ["visit gross_kg tare_kg net_kg"]),
        (["show", "inspections.csv", "--where", "mites > 9999"], ["0 of 2,400 rows"]),
        # Counts.
        (["count", "inspections.csv"], ["1 row and 1 column", "1 2400"]),
        (["count", "inspections.csv", "--by", "keeper", "--sort", "value", "--first", "2"], ["Alder 604"]),
        (["count", "inspections.csv", "--by", "keeper", "--where", "fed"], ["rows counted by keeper where fed", "1 Rowan 200 27.2 %"]),
        (["count", "inspections.csv", "--by", "fed", "--across", "keeper"], ["total"]),
        (["count", "inspections.csv", "--by", "visit", "--of-counts"], ["rows groups", "1 1 2336 2 2 32"]),
    ],
    ids=lambda one: " ".join(one) if isinstance(one, list) and one[0] in ("show", "inspect", "count", "profile") else "",
)  # fmt: skip
def test_what_a_command_says(
    folder: Path, capsys: pytest.CaptureFixture[str], arguments: list[str], message: list[str]
) -> None:
    text = said(capsys, *arguments)
    for part in message:
        assert part in text, text[:600]


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["show", "months.xlsx", "--table", "Juli"], "it contains no table 'Juli'"),
        (["show", "months.xlsx", "--table", "9"], "no table has the number 9"),
        (["show", "months.xlsx", "--delimiter", ";"], "delimiter does not apply to a workbook"),
        (["show", "nested.json", "--table", "/hive"], "it contains no table '/hive'"),
        (["show", "nested.json", "--lists", "all"], "expected lists to be one of keep, count, rows"),
        (["show", "points.txt", "--encoding", "utf-9"], "utf-9"),
        (["show", "points.txt", "--header", "7"], "0 to 5 lines"),
        (["show", "points.txt", "--schema", "nowhere.json"], "nowhere.json"),
        (["show", "points.txt", "--most-bytes", "-1"], "most_bytes"),
        (["show", "points.txt", "--record", "99"], "99"),
        (["show", "points.txt", "--sort", "kgs"], "did you mean 'kg'"),
        (["count", "points.txt", "--by", "hives"], "did you mean 'hive'"),
        (["count", "points.txt", "--across", "hive", "--by", "kgs"], "did you mean 'kg'"),
        (["count", "points.txt", "--where", "kg >"], "expected a column, a value or '('"),
        (["inspect", "points.txt", "--column", "Kg"], "did you mean 'kg'"),
        (["profile", "points.txt", "--draft", "points.txt"], "not changed"),
        (["run", "inspections-truth.json"], "inspections-truth.json"),
    ],
    ids=" ".join,
)  # fmt: skip
def test_what_a_command_refuses(folder: Path, arguments: list[str], message: str) -> None:
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    with pytest.raises(CombError) as caught:
        cli(arguments, standalone_mode=False)
    assert message in str(caught.value) and caught.value.exit_code == 2
    assert {path.name: path.read_bytes() for path in folder.iterdir()} == before


@pytest.mark.parametrize("source", ["inspections.csv", "harvest.xlsx", "scales.jsonl", "apiaries.csv", "points.txt"])
def test_json_says_what_python_says(folder: Path, capsys: pytest.CaptureFixture[str], source: str) -> None:
    table = comb.load(source)

    def parsed(*arguments: str) -> Any:
        cli([arguments[0], source, *arguments[1:], "--json"], standalone_mode=False)
        return json.loads(capsys.readouterr().out)

    inspected = parsed("inspect")
    assert [one["name"] for one in inspected["tables"][0]["columns"]] == list(table.names)
    assert inspected["tables"][0]["rows"] == len(table)
    rows = parsed("show", "--first", "3")
    assert [list(row) for row in rows] == [list(rows[0])] * min(3, len(table))
    for name in table.names:
        for row, value, text in zip(rows, table[name].to_list(), table[name].texts(), strict=False):
            assert row[name] in (value, text), name
    profile = parsed("profile")
    findings = table.profile().findings
    assert [one["code"] for one in profile["findings"]] == [one.code for one in findings]
    assert [one["rows"] for one in profile["findings"]] == [one.rows.tolist() for one in findings]
    first = table.names[0]
    counted = parsed("count", "--by", f'"{first}"' if " " in first else first, "--first", "100000")
    assert sum(one["count"] for one in counted) == len(table)


def test_every_text_that_was_not_read_is_listed_on_request(demo: Path) -> None:
    shown = run_comb("profile", "inspections.csv", "--column", "brood_frames", cwd=demo)
    assert "2 texts not read as a value" in shown.out and "2118, 2301" in shown.out and shown.code == 0
    found = json.loads(run_comb("profile", "inspections.csv", "--column", "gross_kg", "--json", cwd=demo).out)
    assert len(found["kept_texts"]) == 42 and sum(len(one["rows"]) for one in found["kept_texts"]) == 47
    assert [one["code"] for one in found["findings"]] == ["type.units", "value.outlier", "relation.computed"]
    whole = run_comb("profile", "inspections.csv", cwd=demo)
    assert "--column inspected_on" in whole.err
    assert run_comb("profile", "inspections.csv", "--column", "brood", cwd=demo).code == 2
    record = run_comb("show", "inspections.csv", "--record", "24", cwd=demo).out
    assert "(unreadable) '32,4kg'" in record


def test_nulls_and_cells_that_are_not_there_are_findings(tmp_path: Path) -> None:
    (tmp_path / "n.json").write_text('[{"a": 1, "b": "x"}, {"a": null, "b": null}, {"b": "y"}]')
    found = comb.load(tmp_path / "n.json").profile().findings
    assert [(one.code, one.columns, one.rows.tolist()) for one in found] == [
        ("missing.marker", ("a",), [2]), ("missing.marker", ("b",), [2]), ("layout.empty_rows", (), [2]), ("missing.blank", ("a",), [3]),
    ]  # fmt: skip


def test_a_dry_run_says_what_the_run_would_be_refused_for(demo: Path) -> None:
    (demo / "my notes").mkdir()
    own = demo / "my notes" / "own.txt"
    own.write_text("mine")
    tables = list(comb.Plan.load(demo / "plan.yaml").content.tables)
    sources = [f"--source={tables[0]}=inspections.csv"]
    plan = ["run", "plan.yaml", *sources, "--to", "my notes", "--without", "3", "--dry-run"]
    shown = run_comb(*plan, cwd=demo)
    assert "would be refused: this folder exists already" in shown.err and "next:" not in shown.err
    shown = run_comb(*plan, "--overwrite", "--json", cwd=demo)
    assert "files Comb did not write: own.txt" in json.loads(shown.out)["refusals"][0]
    own.unlink()
    shown = run_comb(*plan, "--overwrite", cwd=demo)
    command = next(line for line in shown.err.splitlines() if line.startswith("next: comb "))
    assert run_comb(*shlex.split(command)[2:], cwd=demo).code == 0
    steps = [json.loads(line) for line in (own.parent / "ledger.jsonl").read_text().splitlines()]
    assert [one.get("active", True) for one in steps[:5]].count(False) == 1


def test_a_run_ends_with_what_got_lost(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("n,m,k\n" + "".join(f"{at},{at % 3},{'' if at % 4 == 0 else at}\n" for at in range(20)) + "x,1,1\n")  # fmt: skip
    (tmp_path / "p.yaml").write_text(
        "source: t.csv\nreading: {types: {n: string}}\nsave: out\nsteps:\n- {step: convert, columns: {n: integer}}\n"
        "- {step: calculate, columns: {q: n / m}}\n- {step: filter, where: k > 2}\n"
        "- {step: filter, active: false, where: k > 100}\n"
    )
    for arguments in (["--dry-run"], []):
        ran = run_comb("run", "p.yaml", *arguments, cwd=tmp_path)
        said = "unreadable cells: 2, results that do not exist: 7, rows left out as unknown: 5"
        assert f"lost on the way: {said}" in ran.out + ran.err
    assert "step by step and in total: 3 steps, 1 listed but not active" in ran.out + ran.err
    record = json.loads((tmp_path / "out" / "ledger.jsonl").read_text().splitlines()[4])
    assert record["active"] is False and record["rows_in"] == record["rows_out"]
