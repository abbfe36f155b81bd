"""A plan that is written to another folder: only its paths change, and they lead to the same files."""

from pathlib import Path

import pytest

from comb.plans.model import moved
from comb.plans.parse import read_plan

SUM = "ab12"
CASES = [
    ("source: a.csv # raw\nsave: out\n", "checksum: ab12\nsource: ../data/a.csv # raw\nsave: ../data/out\n"),
    ("{source: a.csv, save: [out, {to: b.csv, tables: [a]}]}", "{checksum: ab12, source: ../data/a.csv, save: [../data/out, {to: ../data/b.csv, tables: [a]}]}"),
    ("# why\nsource:\n  - a.csv\n  - 'b, c.csv'\nsteps:\n  - step: trim # all\n", "# why\nchecksum: ab12\nsource:\n  - ../data/a.csv\n  - '../data/b, c.csv'\nsteps:\n  - step: trim # all\n"),
    ("source: a.csv\nreading:\n  schema: s.json\nchecksum: old\n", "source: ../data/a.csv\nreading:\n  schema: ../data/s.json\nchecksum: ab12\n"),
    ("tables:\n  v: {source: a.csv}\n  w:\n    from_table: v\n", "tables:\n  v: {checksum: ab12, source: ../data/a.csv}\n  w:\n    from_table: v\n"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), CASES)
def test_only_paths_are_written_anew(tmp_path: Path, text: str, expected: str) -> None:
    plan = read_plan(text, "plan.yaml", str(tmp_path / "data"))
    first = next(iter(plan.tables))
    there = moved(plan, str(tmp_path / "out"), {first: SUM})
    assert there == expected
    again = read_plan(there, "plan.yaml", str(tmp_path / "out"))
    assert again.tables[first].checksum == SUM
    # There and back again is where it was.
    back = read_plan(moved(again, str(tmp_path / "data")), "plan.yaml", str(tmp_path / "data"))
    assert [table.source for table in back.tables.values()] == [table.source for table in plan.tables.values()]
    assert back.save == plan.save
    assert moved(plan, str(tmp_path / "data")) == text
