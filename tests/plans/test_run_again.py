"""A law over generated plans: the plan beside a result gives the result again, and both tell the same of every cell."""

import shutil
from pathlib import Path
from typing import Any

import pytest
import yaml
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from support.examples import drawn

CELLS = {
    "site": ["Mill", "Elm ", "Oak", ""], "kg": ["1.5", "2.5", "x", "", "3.0"], "day": ["2025-05-10", "2025-05-11", "2025-06-01"],
    "ok": ["yes", "no", ""], "note": ["a", "b", "n/a", '"q, z"', "l1"],
}  # fmt: skip
LINES = st.lists(st.tuples(*map(st.sampled_from, CELLS.values())), max_size=9)
STEPS: list[dict[str, Any]] = [
    {"step": "trim", "columns": "site"},
    {"step": "fill", "columns": "site", "value": "unknown"},
    {"step": "fill", "columns": "kg", "from_group": "median", "by": "site"},
    {"step": "filter", "where": "kg > 1 or kg is null"},
    {"step": "set_aside", "where": "note = 'b'", "why": "not ours"},
    {"step": "calculate", "columns": {"twice": "kg * 2"}},
    {"step": "calculate", "columns": {"kg": "kg + 1"}},
    {"step": "sort", "by": "id desc"},
    {"step": "remove_duplicates", "by": ["day"]},
    {"step": "recode", "column": "note", "values": {"a": "A", "b": "B"}},
    {"step": "replace_text", "columns": "note", "old": "l", "new": "L"},
    {"step": "round", "columns": "kg", "digits": 0},
    {"step": "mark_rows", "where": "kg > 2", "new_columns": "odd"},
    {"step": "split", "column": "note", "mark": ", ", "new_columns": ["n1", "n2"], "keep_original": True},
    {"step": "combine", "columns": ["day", "note"], "new_columns": "dn", "mark": "/", "keep_original": True},
    {"step": "rename", "names": {"ok": "fed"}},
]
PLANS = st.fixed_dictionaries(
    {
        "steps": st.lists(st.sampled_from(STEPS), min_size=1, max_size=5, unique_by=str),
        "form": st.sampled_from(["short", "tables", "two tables"]),
        "save": st.sampled_from(["tidy", ["tidy"], [{"to": "tidy"}]]),
        "flow": st.sampled_from([True, False, None]),
        "delimiter": st.sampled_from([",", None]),
        "rules": st.booleans(),
        "other": st.booleans(),
    }
)


def written(place: Path, lines: list[tuple[str, ...]], start: int, mark: str = ",") -> None:
    rows = [["id", *CELLS], *([str(start + at), *cells] for at, cells in enumerate(lines))]
    place.write_text("".join(mark.join(row) + "\n" for row in rows))


def told(place: Path, row: int, column: str) -> list[str] | str:
    try:
        return [line for one in comb.trace(place, row, column, table="may") for line in one.lines()]
    except comb.CombError as error:
        return str(error)


@given(LINES, LINES, PLANS)
@settings(max_examples=drawn(12), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_the_plan_of_a_result_gives_it_again(
    tmp_path: Path, may: list[tuple[str, ...]], june: list[tuple[str, ...]], drawn: dict[str, Any]
) -> None:
    folder = tmp_path / "work"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    written(folder / "may.csv", may, 1)
    # Written otherwise than the plan says, so that its reading has to be found out.
    written(folder / "june.csv", june, 100, ";" if drawn["delimiter"] and june else ",")
    reading = {"types": {"id": "integer", "kg": "number"}} | ({"delimiter": ","} if drawn["delimiter"] else {})
    table = {"source": "may.csv", "reading": reading, "steps": drawn["steps"]}
    table |= {"rules": [{"check": "id > 3"}, {"unique": "id"}]} if drawn["rules"] else {}
    tables = {"may": table} | ({"other": {"from_table": "may", "steps": [{"step": "count", "by": "id"}]}} if drawn["form"] == "two tables" else {})  # fmt: skip
    plan = {**table, "save": drawn["save"]} if drawn["form"] == "short" else {"tables": tables, "save": drawn["save"]}
    (folder / "plan.yaml").write_text(yaml.safe_dump(plan, sort_keys=False, default_flow_style=drawn["flow"]))
    other: dict[str, Any] = {"sources": {"may": str(folder / "june.csv")}, "save_to": str(folder / "out")}
    outcome = comb.Plan.load(folder / "plan.yaml").run(**other if drawn["other"] else {})
    made = folder / ("out" if drawn["other"] else "tidy")
    again = comb.Plan.load(made / "plan.yaml").run(dry_run=True)
    assert again.tables == outcome.tables and list(again.tables) == list(outcome.tables) and not again.messages
    before = {file.name: file.read_bytes() for file in made.iterdir()}
    comb.Plan.load(made / "plan.yaml").run(overwrite=True)
    # The report of another file than before says what is different about it.
    new = {"plan.yaml", "checksums.txt"} | ({"report.html"} if drawn["other"] else set())
    assert {name for name in before if (made / name).read_bytes() != before[name]} <= new
    for row in range(1, min(4, 1 + len(june if drawn["other"] else may))):
        for column in outcome.tables["may"].names:
            assert told(made, row, column) == told(made / "plan.yaml", row, column)


def test_what_could_not_be_read_stays_where_its_column_is_calculated_anew(tmp_path: Path) -> None:
    (tmp_path / "k.csv").write_text("id,kg\n1,2\n2,x\n3,\n")
    table = comb.load(tmp_path / "k.csv", types={"kg": "number"}).calculate({"kg": "kg + 1", "half": "kg / 2"})
    assert table["kg"].kept.texts == {1: "x"} and table["kg"].reasons() == [None, "unreadable", "blank"]
    [traced] = table.trace(2, "kg")
    assert traced.value == "(unreadable) 'x'" and traced.place == "k.csv, line 3" and traced.source_text == "x"
    assert traced.events[0].detail == "kg = kg + 1"
    cleared = comb.load(tmp_path / "k.csv", types={"kg": "number"}).calculate({"kg": "coalesce(kg, 0)"})
    assert cleared["kg"].to_list() == [2, 0, 0] and not cleared["kg"].kept.texts


@pytest.mark.parametrize(
    "save", ["save: tidy", "save:\n- tidy", "save:\n  - {to: tidy}\nquestions: [why]", "save: [tidy] # there"]
)
def test_another_place_for_the_output_is_written_in_any_form(tmp_path: Path, save: str) -> None:
    (tmp_path / "may.csv").write_text("id\n1\n")
    (tmp_path / "plan.yaml").write_text(f"source: may.csv # the export\n{save}\n")
    comb.Plan.load(tmp_path / "plan.yaml").run(save_to=str(tmp_path / "out"))
    text = (tmp_path / "out" / "plan.yaml").read_text()
    again = comb.Plan.load(tmp_path / "out" / "plan.yaml").run(dry_run=True)
    assert "save: ." in text and "# the export" in text and again.tables["may"].row_count == 1
