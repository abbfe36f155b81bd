"""Lines of a log become moments, levels and messages."""

from datetime import UTC, datetime
from pathlib import Path

import pytest

import comb
from comb.plans.draft import draft_plan

# How a line is written, and the fraction of its second.
FORMS = {
    "a comma before milliseconds": ("2024-06-01 12:00:{:02d},003 INFO [queue] started, at last", 3_000),
    "a point": ("2024-06-01T12:00:{:02d}.25 - root - ERROR - no file a/b.csv", 250_000),
    "brackets": ("[2024-06-01 12:00:{:02d}] [WARN] it took 5 s", 0),
    "an offset": ("2024-06-01T14:00:{:02d}.5+02:00 INFO [main] started", 500_000),
    "a zone in brackets": ("[2024-06-01 12:00:{:02d} +0000] INFO started", 0),
    "the world's time": ("2024-06-01T12:00:{:02d}Z WARN - started", 0),
    "spaces at the ends": (" 2024-06-01 12:00:{:02d} DEBUG it is x ", 0),
}
OTHERS = {
    "moments alone": [f"2024-06-01 12:00:{at:02d}" for at in range(9)],
    "a day in a note": [f"done {at} on 2024-06-01 12:00:01 by hand" for at in range(9)],
    "days": [f"2024-06-{at + 1:02d} brought {at} jars" for at in range(9)],
    "few": ["2024-06-01 12:00:01 INFO x"] * 9,
    "no texts": [],
}


@pytest.mark.parametrize(("form", "micro"), FORMS.values(), ids=FORMS)
def test_the_remedy_takes_them_apart(tmp_path: Path, form: str, micro: int) -> None:
    lines = [form.format(at) for at in range(9)]
    comb.table(columns={"no": [f"r{at}" for at in range(9)], "line": lines}).save(tmp_path / "t.xlsx")
    comb.table(columns={"no": [f"r{at}" for at in range(9)], "line": lines}).save(tmp_path / "t.json")
    (tmp_path / "t.log").write_text("\n".join(lines) + "\n")
    for source in ("t.xlsx", "t.json", "t.log"):
        table = comb.load(tmp_path / source)
        [finding] = table.profile().of("text.log_lines")
        assert finding.count == 9 and finding.remedy is not None
        (tmp_path / "plan.yaml").write_text(draft_plan(table, table.profile(), tmp_path).text)
        [done] = comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True).tables.values()
        zone = UTC if form.startswith("2024-06-01T14") or "+0000" in form or "Z" in form else None
        assert done["time"].to_list() == [datetime(2024, 6, 1, 12, 0, at, micro, zone) for at in range(9)]
        assert {text in lines[0] for text in done["level"].to_list()} == {True} and done.types["level"].word == "string"
        assert [line.strip().endswith(said) for line, said in zip(lines, done["message"].to_list(), strict=True)] == [
            True
        ] * 9
    june = comb.table(columns={finding.columns[0]: [lines[0], "  at line 5", "2024-06-01 INFO x", "12:00:01 x"]})
    made = june.take_step(finding.remedy)
    assert made["time"].reasons()[1:] == made["message"].reasons()[1:] == ["undefined"] * 3
    assert "3 results of time do not exist" in made.sentence().replace("\n", " ")


@pytest.mark.parametrize("texts", OTHERS.values(), ids=OTHERS)
def test_what_is_something_else_is_left(texts: list[str]) -> None:
    assert not comb.table(columns={"line": texts}).profile().of("text.log_lines")


def test_two_columns_of_lines_have_columns_of_their_own(tmp_path: Path) -> None:
    lines = [
        [f"2024-06-0{day} 12:00:0{at} INFO {name}{at}" for at in range(9)] for day, name in ((1, "in"), (2, "out"))
    ]
    table = comb.table(columns={"a": lines[0], "b": [*lines[1][:8], None]})
    table.save(tmp_path / "t.csv")
    table = comb.load(tmp_path / "t.csv")
    (tmp_path / "plan.yaml").write_text(draft_plan(table, table.profile(), tmp_path).text)
    [done] = comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True).tables.values()
    assert done["message"].to_list()[:2] == ["INFO in0", "INFO in1"]
    assert done["message (2)"].to_list()[7:] == ["INFO out7", None]


def test_levels_are_taken_where_each_line_has_one_and_lines_that_go_on_leave_no_step() -> None:
    plain = [f"2024-06-01 12:00:{at:02d} started {at}" for at in range(30)]
    [finding] = comb.table(columns={"line": plain}).profile().of("text.log_lines")
    assert list(finding.remedy.columns) == ["time", "message"]
    [finding] = comb.table(columns={"line": [*plain, "  File 'a.py', line 3"]}).profile().of("text.log_lines")
    assert finding.remedy is None and "1 other begins with none and may go on" in finding.text and finding.by_hand
    for odd in ("2024-02-30 12:00:00 no such day", "2024-06-01 24:00:00 midnight", "2024-06-01 12:61:00 no minute"):
        assert comb.table(columns={"line": [*plain, odd]}).profile().of("text.log_lines")
    zones = [f"2024-06-01 12:00:{at:02d}{'Z' * (at % 2)} started {at}" for at in range(30)]
    [finding] = comb.table(columns={"line": zones}).profile().of("text.log_lines")
    assert finding.remedy is None and finding.text.endswith("not all written in one way")
