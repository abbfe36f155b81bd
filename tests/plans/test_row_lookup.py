"""A cell of a dataset folder is found by the index that the run left: the same history as a run tells, and no reading."""

from pathlib import Path
from random import Random

import pytest

import comb
from comb.plans import folder_tracing
from comb.plans.folder_tracing import FolderTable
from comb.plans.model import PlanText
from comb.plans.outcome import Outcome
from comb.plans.run import open_plan, run_plan
from comb.plans.tracing import trace_outcome
from comb.steps.trace import Trace
from comb.writing import dataset, delimited, record_files

PLAN = """\
source: visits.csv
reading: {types: {kg: decimal 0.0}}
steps:
  - {step: trim, columns: hive}
  - {step: fill, columns: mites, value: 0, why: blank means none}
  - {step: replace_values, columns: kg, where: kg > 90, why: the scale stuck}
  - {step: fill, columns: kg, where: mites > 41, formula: mites / 2 + 10, why: as in other years}
  - {step: replace_values, columns: mites, above: 49, formula: mites - 1, why: miscounted}
  - {step: rename, names: {kg: weight, day: visited}}
  - {step: calculate, columns: {per_kg: "round(mites / weight, 2)", length: char_length(note), mites: mites + 1}}
  - {step: remove_duplicates, by: [hive, visited, note], why: sent twice}
  - {step: set_aside, where: hive = 'c' and mites > 40, reason: not ours}
  - {step: filter, where: mites <> 14}
  - {step: calculate, columns: {late: per_kg * 2 + weight}}
  - {step: round, columns: weight, digits: 0, where: weight > 80}
  - {step: sort, by: [hive, visited]}
rules:
  - {check: weight < 70}
save: {to: tidy, disarm: true}
"""


def visits(rows: int, end: str = "\n") -> list[str]:
    """Return lines of visits: notes over several lines, decimal commas, words for missing, what cannot be read."""
    draw = Random(5)
    lines = ["hive;day;kg;mites;note"]
    for number in range(rows):
        kg = draw.choice(["", "n/a", "x?", *(f"{draw.randint(100, 999) / 10}".replace(".", ",") for _ in range(9))])
        mites = draw.choice(["", *map(str, (13, 41, 5, 7, 50))])
        note = draw.choice(["plain", f'"two{end}lines, {number}"', '"said ""no"""', "", "=1+1", "- 'tis"])
        lines.append(f"{draw.choice('abc')} ;{draw.randint(1, 28)}.5.2025;{kg};{mites};{note}")
    return lines


@pytest.fixture
def small_parts(monkeypatch: pytest.MonkeyPatch) -> None:
    """Make runs and parts so short that a small file has many."""
    monkeypatch.setattr(record_files, "LONGEST_RUN", 7)
    for module in (delimited, dataset, record_files):
        monkeypatch.setattr(module, "ROWS_AT_ONCE", 5)


def traced(folder: Path, plan: PlanText, run: Outcome, row: int, column: str) -> list[Trace]:
    """Trace by the record alone, and as a run does."""
    told = FolderTable(folder / "tidy", plan, None, column).trace(row, column)
    assert told is not None
    assert repr(told) == repr(trace_outcome(run, row, column, "visits")), (row, column)
    return told


COLUMNS = ["hive", "visited", "weight", "mites", "note", "per_kg", "length", "late", "kg"]


@pytest.mark.parametrize("end", ["\n", "\r\n"])
@pytest.mark.usefixtures("small_parts")
def test_any_cell_is_found_without_reading(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, end: str) -> None:
    text = end.join(visits(120, end)) + end
    (tmp_path / "visits.csv").write_bytes(b"\xef\xbb\xbf" + text.encode())
    (tmp_path / "plan.yaml").write_text(PLAN)
    comb.Plan.load(tmp_path / "plan.yaml").run()
    plan = open_plan(tmp_path / "tidy" / "plan.yaml")
    run = run_plan(plan, dry_run=True)

    def reading(*_: object) -> None:
        raise AssertionError("the source is read")

    monkeypatch.setattr(folder_tracing, "_read_source", reading)
    fates, made, told = set(), 0, []
    for row in range(1, 121):
        [one] = traced(tmp_path, plan, run, row, COLUMNS[row % len(COLUMNS)])
        fates.add(one.fate.partition("by step ")[2][:1])
        made += len(one.inputs)
        told += one.lines()
    assert fates == {"", "8", "9", "1"} and made > 20
    for said in (
        "(cleared)",
        "(unreadable) 'x?'",
        "as the text 'n/a'",
        "nlines, ",
        "made of per_kg",
        "char_length(note) = ",
    ):
        assert any(said in line for line in told), said


@pytest.mark.parametrize(
    ("change", "options"),
    [
        (lambda lines: "\n\n".join(lines).encode(), ""),
        (lambda lines: "\n".join(lines).replace("plain", "heavy, naïve").encode("cp1252"), ""),
        (lambda lines: "\n".join(lines).replace("plain", 'pla"in').encode(), ""),
        (lambda lines: "\r".join(lines).encode(), ""),
        (lambda lines: "\n".join(["taken in spring", "", *lines]).encode(), ""),
        (lambda lines: "\n".join(lines).replace(";", "||").encode(), ", delimiter: '||'"),
    ],
    ids=["blank lines", "another encoding", "stray quotes", "carriage returns", "a title", "a long delimiter"],
)
@pytest.mark.usefixtures("small_parts")
def test_what_is_not_plain_is_found_by_reading(tmp_path: Path, change: object, options: str) -> None:
    assert callable(change)
    (tmp_path / "visits.csv").write_bytes(change(visits(60)))
    plain = PLAN.replace("decimal 0.0}", f"decimal 0.0}}{options}")
    (tmp_path / "plan.yaml").write_text(plain)
    comb.Plan.load(tmp_path / "plan.yaml").run()
    run = run_plan(open_plan(tmp_path / "tidy" / "plan.yaml"), dry_run=True)
    for row in range(1, 61, 2):
        column = COLUMNS[row % len(COLUMNS)]
        told = comb.trace(tmp_path / "tidy", row, column)
        assert repr([*told]) == repr(trace_outcome(run, row, column)), (row, column)


@pytest.mark.usefixtures("small_parts")
def test_a_source_that_has_changed_tells_nothing(tmp_path: Path) -> None:
    lines = visits(30)
    (tmp_path / "visits.csv").write_text("\n".join(lines))
    (tmp_path / "plan.yaml").write_text(PLAN)
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run()
    row = int(outcome.tables["visits"].row_numbers[0])
    [before] = comb.trace(tmp_path / "tidy", row, "late")
    for lost in ("the source has changed since", "the source is not there any more"):
        (tmp_path / "visits.csv").write_text("\n".join([lines[0], *lines[2:]])) if "changed" in lost else (
            tmp_path / "visits.csv"
        ).unlink()
        [after] = comb.trace(tmp_path / "tidy", row, "late")
        assert after.value == before.value and lost in after.place and after.source_text is None
        assert [one.column for one in after.inputs] == ["per_kg", "weight"] and after.rules == before.rules
        with pytest.raises(comb.ParameterError, match="no row number 99"):
            comb.trace(tmp_path / "tidy", 99, "late")


@pytest.mark.usefixtures("small_parts")
def test_a_saved_table_that_was_changed_is_not_believed(tmp_path: Path) -> None:
    (tmp_path / "visits.csv").write_text("\n".join(visits(30)))
    (tmp_path / "plan.yaml").write_text(PLAN)
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run()
    row = int(outcome.tables["visits"].row_numbers[-1])
    before = repr(comb.trace(tmp_path / "tidy", row, "late"))
    saved = tmp_path / "tidy" / "visits.csv"
    saved.write_bytes(saved.read_bytes().replace(b"2025-05-", b"2024-5-"))
    assert repr(comb.trace(tmp_path / "tidy", row, "late")) == before
    for broken in (b"{", b"[]", b'{"tables": {"visits": {"rows": 1}}}'):
        (tmp_path / "tidy" / "run.json").write_bytes(broken)
        assert repr(comb.trace(tmp_path / "tidy", row, "late")) == before


@pytest.mark.usefixtures("small_parts")
def test_sources_that_are_folders_or_several_files_are_as_they_were(tmp_path: Path) -> None:
    lines = visits(30)
    (tmp_path / "visits.csv").write_text("\n".join(lines))
    (tmp_path / "more.csv").write_text("hive;mites;day\na;3;1.5.2025\nb;;2.5.2025\n")
    (tmp_path / "plan.yaml").write_text(PLAN)
    comb.Plan.load(tmp_path / "plan.yaml").run()
    steps = "steps:\n  - {step: fill, columns: mites, value: 1}\n"
    for name, source in (("of_folder", "tidy"), ("several", "[visits.csv, more.csv]"), ("pattern", '"*.csv"')):
        (tmp_path / f"{name}.yaml").write_text(f"name: {name}\nsource: {source}\n{steps}save: {name}_result\n")
        comb.Plan.load(tmp_path / f"{name}.yaml").run()
        run = run_plan(open_plan(tmp_path / f"{name}_result" / "plan.yaml"), dry_run=True)
        for row in (1, 5, 20):
            told = comb.trace(tmp_path / f"{name}_result", row, "mites")
            assert repr([*told]) == repr(trace_outcome(run, row, "mites")) and "since" not in repr(told), (name, row)
