"""What a profile says beside its findings: what matters most, gaps by row, what is settled, what was not looked at."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from comb.plans.step_text import step_line
from comb.profiling import computed
from comb.profiling.codes import CODES
from comb.profiling.finding import Severity
from comb.profiling.gaps import gaps_of
from comb.profiling.profile import MOST_LINES, Settled, grouped, profile
from support.examples import drawn
from support.running import run_comb
from support.strategies import tables


def test_findings_of_one_kind_are_told_as_one_and_the_worst_comes_first() -> None:
    columns = {f"n{at}": [*map(str, range(40)), "x", ""] for at in range(5)}
    table = comb.table(columns=columns).convert(dict.fromkeys(columns, "integer"))
    found = table.profile()
    severities = [one.severity for one in found.findings]
    assert severities == sorted(severities, reverse=True)
    lines = found.what_matters()
    assert lines[0] == (
        Severity.WRONG_NUMBERS,
        "5 columns have cells that do not fit their type: n0 1, n1 1, n2 1, n3 1, n4 1",
    )
    assert len(lines) <= MOST_LINES and len(grouped(found.findings)) == len(lines) < len(found.findings)


def test_ten_lines_are_enough(inspections: comb.Table) -> None:
    lines = inspections.profile().what_matters()
    assert len(lines) == MOST_LINES and lines[-1][1].startswith("and ")


@given(st.lists(st.lists(st.none() | st.integers(0, 3), min_size=3, max_size=3), max_size=12))
def test_gaps_are_counted_by_row(rows: list[list[int | None]]) -> None:
    table = comb.table(rows=rows, names=["a", "b", "c"])
    gaps = gaps_of(table)
    counts = [row.count(None) for row in rows]
    assert gaps.by_count == {count: counts.count(count) for count in sorted(set(counts))}
    for name, whole in gaps.without:
        at = "abc".index(name)
        assert whole == sum(all(cell is not None for place, cell in enumerate(row) if place != at) for row in rows)
    assert bool(gaps.lines()) == any(counts)


def test_what_is_settled_is_listed_as_such(demo: Path) -> None:
    plan = comb.Plan.load(demo / "plan.yaml")
    table = comb.load(demo / "inspections.csv")
    found = table.profile(accepted=plan)
    assert {(one.code, one.columns[0]) for one, _ in found.accepted} == {
        ("type.leading_zeros", "colony"),
        ("missing.blank", "notes"),
    }
    assert len(found.findings) + 2 == len(table.profile().findings)
    assert "missing.blank           notes: there is a note only where something was seen" in repr(found)
    ran = run_comb("profile", "inspections.csv", "--accepted", "plan.yaml", cwd=demo)
    assert "2 findings settled" in ran.out and "there is a note only" in ran.out
    anywhere = profile(table, accepted=[Settled("missing.blank", (), "known")])
    assert not anywhere.of("missing.blank") and len(anywhere.accepted) == 3


@pytest.mark.parametrize(
    ("accepted", "message"),
    [
        ("[{code: missing.blanks, why: known}]", "missing.blank"),
        ("[{code: missing.blank}]", "why"),
        ("[{code: missing.blank, why: known, column: a}]", "column"),
        ("{code: missing.blank}", "a list"),
    ],
)
def test_what_is_settled_has_to_be_said_rightly(tmp_path: Path, accepted: str, message: str) -> None:
    (tmp_path / "p.yaml").write_text(f"source: a.csv\naccepted: {accepted}\n")
    with pytest.raises(comb.PlanError, match=r"p\.yaml, line 2") as caught:
        comb.Plan.load(tmp_path / "p.yaml")
    assert message in str(caught.value)


def test_only_some_findings(demo: Path) -> None:
    whole = comb.load(demo / "inspections.csv").profile()
    assert {one.code for one in whole.only(["mites"]).findings} == {"missing.stand_in", "missing.marker"}
    assert {one.code.split(".")[0] for one in whole.only(["relation", "text"]).findings} == {"relation", "text"}
    ran = run_comb("profile", "inspections.csv", "--only", "text.encoding", cwd=demo)
    assert "1 finding" in ran.out and "missing" not in ran.out
    wrong = run_comb("profile", "inspections.csv", "--only", "text.encodings", cwd=demo)
    assert wrong.code == 2 and "did you mean 'text.encoding'" in wrong.err


def test_a_finding_is_explained_without_a_file(tmp_path: Path) -> None:
    ran = run_comb("profile", "--explain", "value.outlier", cwd=tmp_path)
    assert ran.code == 0 and "far outside the rest" in ran.out and "quartiles" in ran.out
    assert run_comb("profile", "--explain", "value", cwd=tmp_path).code == 2
    assert run_comb("profile", cwd=tmp_path).code == 2


def test_days_to_come_need_a_today(demo: Path) -> None:
    ran = run_comb("profile", "inspections.csv", "--as-of", "2025-11-03", "--only", "value.future", cwd=demo)
    assert "3 values of inspected_on are after 2025-11-03" in ran.out
    assert "nothing was found" in run_comb("profile", "inspections.csv", "--only", "value.future", cwd=demo).out
    assert run_comb("profile", "inspections.csv", "--as-of", "soon", cwd=demo).code == 2


def test_what_is_not_looked_at_is_said() -> None:
    many = computed.MOST_IN_PAIRS + 5
    rng = np.random.default_rng(3)
    table = comb.table(columns={f"c{at}": rng.integers(0, 90, 60).tolist() for at in range(many)})
    assert table.profile().limits == ("how columns are computed, for 5 columns beyond the first 40",)


def test_what_was_found_so_far_is_shown_when_it_is_stopped(inspections: comb.Table) -> None:
    def stop(message: str) -> None:
        if message == "looking for unreadable":
            raise KeyboardInterrupt

    found = inspections.profile(progress=stop)
    assert len(found.columns) == 14 and not found.of("relation")
    assert found.limits[0].startswith("stopped before: ") and "computed" in found.limits[0]


def test_a_profile_of_nothing() -> None:
    for table in (comb.table(columns={}), comb.table(columns={"a": [], "b": []}), comb.table(columns={"a": [None]})):
        assert {one.code for one in table.profile(as_of="2026-01-01").findings} <= {"missing.blank"}


@settings(max_examples=drawn(80), suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(tables())
def test_any_table_has_a_profile_whose_rows_are_its_own(table: comb.Table) -> None:
    wide = table.stack_tables(*[table] * 6) if table.row_count else table
    for one in (table, wide):
        numbers = set(one.row_numbers.tolist())
        for finding in one.profile(as_of="2026-01-01").findings:
            assert set(finding.rows.tolist()) <= numbers and set(finding.columns) <= set(one.names)
            assert sorted(finding.rows.tolist()) == finding.rows.tolist() and finding.code in CODES


NAMES = ["kg\u200b", "no\u00a0of hives", " day ", "Ho\u0308he", "\u0410lter", "mites"]


def test_names_with_what_one_does_not_see_are_told_and_renamed(tmp_path: Path) -> None:
    (tmp_path / "t.json").write_text(json.dumps([{name: at for at, name in enumerate(NAMES)}]), encoding="utf-8")
    table = comb.load(tmp_path / "t.json")
    (finding,) = table.profile().of("column.name")
    assert finding.columns == tuple(NAMES[:5]) and finding.examples[0] == "'kg\\u200b'"
    assert finding.remedy is not None
    renamed = table.rename(finding.remedy.names)  # type: ignore[attr-defined]
    assert renamed.names == ("kg", "no of hives", "day", "H\u00f6he", "Alter", "mites")
    assert not renamed.profile().of("column.name")
    for typed, written in zip(["kg", "no of hives", "H\u00f6he", "Alter"], [*NAMES[:2], *NAMES[3:5]], strict=True):
        with pytest.raises(comb.ColumnError) as caught:
            table.select(typed)
        assert f"did you mean {written!a}, which looks the same" in str(caught.value)
    assert "kg\\u200b: kg, no\\xa0of hives: no of hives" in step_line(finding.remedy)
    two = comb.table(columns={"kg": [1, 2], "kg ": [3, 4]})
    assert two.profile().of("column.name")[0].remedy is None


def test_lines_that_end_with_a_number_are_not_cut_off() -> None:
    lines = [f"old box of notes on the shelf behind the door, page {at * 37 % 9990 + 10}" for at in range(160)]
    assert not comb.table(columns={"line": lines}).profile().of("text.cut_off")
