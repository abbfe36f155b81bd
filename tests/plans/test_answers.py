"""Questions go out, answers come back: through a real workbook and through delimited text."""

from pathlib import Path
from typing import Any

import pytest

import comb

PLAN = """\
source: inspections.csv
reading: {types: {colony: string}}
answers: SHEET
steps:
  - {step: convert, columns: {gross_kg: decimal 0.0}, unit: kg, decimal_mark: ","}
  - {step: filter, where: visit > 0}
save: out
"""


def filled(
    folder: Path, suffix: str, answers: dict[tuple[str, str], tuple[str, str]]
) -> tuple[Path, list[dict[str, Any]]]:
    """Write the questions, answer some of them, and save the sheet; returns it, and the lines that were answered."""
    table = comb.load(folder / "inspections.csv")
    questions = table.questions()
    questions.save(folder / f"asked{suffix}")
    sheet = comb.load(folder / f"asked{suffix}", types="string", missing=[])
    columns = {name: sheet[name].texts() for name in sheet.names}
    done, left = [], dict(answers)
    for at in range(sheet.row_count):
        key = (columns["code"][at] or "", columns["value"][at] or "")
        found = left.pop(key, None)
        if found is not None:
            columns["answer"][at], columns["remark"][at] = found
            done.append({name: columns[name][at] for name in columns})
    assert not left, left
    path = folder / f"answered{suffix}"
    comb.table(columns=columns).convert({"*": "string"}).save(path)
    return path, done


@pytest.mark.parametrize("suffix", [".xlsx", ".csv"])
def test_answers_correct_leave_out_and_settle(demo: Path, suffix: str) -> None:
    answers = {
        ("type.unreadable", "31.9.2025"): ("30.9.2025", "says the diary"),
        ("missing.stand_in", "999"): ("as proposed", ""),
        ("type.unreadable", "29.2.2025"): ("Leave out", "nobody was there"),
        ("value.impossible", "-2"): ("2", ""),
        ("value.impossible", "-1"): ("is right", "a loan"),
        ("text.spelling", "layng"): ("as proposed", ""),
    }
    path, done = filled(demo, suffix, answers)
    (demo / "answers.yaml").write_text(PLAN.replace("SHEET", path.name))
    outcome = comb.Plan.load(demo / "answers.yaml").run()
    table = outcome.tables["inspections"]
    by_key = {(one["code"], one["value"]): int(one["row"]) for one in done}
    assert str(table.cell(by_key["type.unreadable", "31.9.2025"], "inspected_on")) == "2025-09-30"
    assert table.cell(by_key["value.impossible", "-2"], "honey_frames") == 2
    assert table.cell(by_key["value.impossible", "-1"], "honey_frames") == -1
    assert table.cell(by_key["text.spelling", "layng"], "queen") == "laying"
    assert table.cell(by_key["missing.stand_in", "999"], "mites") is None
    gone = by_key["type.unreadable", "29.2.2025"]
    assert gone not in table.row_numbers
    said = outcome.answers["inspections"].says
    assert "4 corrected, 1 left out, 1 right" in said and "do not fit" not in said
    [trace] = comb.trace(demo / "out", by_key["type.unreadable", "31.9.2025"], "inspected_on")
    assert "(unreadable) '31.9.2025' became 2025-09-30" in repr(trace) and "says the diary" in repr(trace)
    [lost] = comb.trace(demo / "out", gone, "mites")
    assert "nobody was there" in lost.fate
    assert outcome.adds_up and [entry.step for entry in outcome.ledger["inspections"]][1] == "answers"


def test_answers_that_do_not_fit_are_reported_and_not_done(demo: Path) -> None:
    path, done = filled(
        demo, ".csv", {("value.impossible", "-2"): ("2", ""), ("type.unreadable", "31.9.2025"): ("soon", "")}
    )
    text = (demo / "inspections.csv").read_text()
    row = next(one for one in done if one["value"] == "-2")
    line = int(row["place"].rpartition(" ")[2])
    lines = text.split("\n")
    lines[line - 1] = lines[line - 1].replace(";-2;", ";3;")
    (demo / "inspections.csv").write_text("\n".join(lines))
    (demo / "answers.yaml").write_text(PLAN.replace("SHEET", path.name))
    outcome = comb.Plan.load(demo / "answers.yaml").run()
    said = "\n".join([outcome.answers["inspections"].says, *outcome.messages])
    assert "0 corrected" in said and "2 do not fit" in said
    assert f"honey_frames of row {row['row']} does not hold '-2' any more: not done" in said and "'soon'" in said
    assert outcome.tables["inspections"].cell(int(row["row"]), "honey_frames") == 3


def test_what_is_right_is_settled_in_the_next_profile(demo: Path) -> None:
    table = comb.load(demo / "inspections.csv")
    [finding] = [one for one in table.profile().findings if one.code == "value.impossible"]
    sheet = table.questions()
    columns = {name: sheet[name].texts() for name in sheet.names}
    columns["answer"] = ["is right" if code == "value.impossible" else None for code in columns["code"]]
    comb.table(columns=columns).convert({"*": "string"}).save(demo / "answered.xlsx")
    (demo / "answers.yaml").write_text(PLAN.replace("SHEET", "answered.xlsx"))
    after = table.profile(accepted=comb.Plan.load(demo / "answers.yaml"))
    assert "value.impossible" not in {one.code for one in after.findings}
    assert [one.code for one, _ in after.accepted] == ["value.impossible"] and finding.count == 4


def test_a_sheet_of_something_else_is_refused(demo: Path) -> None:
    (demo / "answers.yaml").write_text(PLAN.replace("SHEET", "apiaries.csv"))
    with pytest.raises(comb.PlanError, match="not a sheet of questions"):
        comb.Plan.load(demo / "answers.yaml").run()
