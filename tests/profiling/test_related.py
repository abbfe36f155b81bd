"""Tables profiled together: which column refers to which key, and what has no partner."""

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.steps.accounting import take_step
from support.running import run_comb

BOXES = comb.table(columns={"box": ["A1", "B2", "C3", "D4"], "place": ["Mill", "Fox", "Fox", "Elm"]})


def test_orphans_are_named_with_the_nearest_key(demo: Path) -> None:
    tables = {name: comb.load(demo / f"{name}.csv") for name in ("inspections", "apiaries")}
    found = comb.profile_together(tables)
    (link,) = found.links
    assert (link.table, link.column, link.related, link.key) == ("inspections", "apiary", "apiaries", "apiary")
    (orphans,) = found.findings
    assert orphans.code == "relation.orphan" and orphans.count == len(orphans.rows) == link.orphans
    assert any("'Heather Down' (" in one and "nearest 'Heather Downs'" in one for one in orphans.examples)
    joined = tables["inspections"].join(tables["apiaries"], "apiary", add_columns=True)
    assert joined["region"].missing_count == link.orphans
    assert orphans in found.profiles["inspections"].findings and not found.profiles["apiaries"].of("relation.orphan")


@given(st.lists(st.sampled_from(["A1", "B2", "C3", "D4", "E5", None]), min_size=6, max_size=30))
def test_every_row_has_a_partner_or_is_counted(boxes: list[str | None]) -> None:
    boxes = [*boxes, "A1", "B2", "C3", *["D4"] * len(boxes)]
    visits = comb.table(columns={"n": list(range(len(boxes))), "box": boxes})
    (link,) = comb.profile_together({"visits": visits, "boxes": BOXES}).links
    assert (link.matched, link.missing) == (sum(one in ("A1", "B2", "C3", "D4") for one in boxes), boxes.count(None))
    assert link.orphans == boxes.count("E5") and link.unused == 0


def test_three_tables_and_a_number_that_means_nothing() -> None:
    visits = comb.table(
        columns={
            "visit": list(range(100, 140)),
            "box": ["A1", "B2", "C3", "A1"] * 10,
            "keeper_no": [7, 8, 9, 7] * 10,
            "mites": [1, 2, 3, 4] * 10,
        }
    )
    keepers = comb.table(columns={"keeper_no": [7, 8, 9], "name": ["Alder", "Rowan", "Hazel"]})
    numbers = comb.table(columns={"size": list(range(1, 40))})
    found = comb.profile_together({"visits": visits, "boxes": BOXES, "keepers": keepers, "numbers": numbers})
    assert {(one.column, one.related) for one in found.links} == {("box", "boxes"), ("keeper_no", "keepers")}
    assert "1 row of boxes is never referred to" in repr(found)
    with pytest.raises(comb.CombError, match="two tables"):
        comb.profile_together({"visits": visits})


MIDNIGHTS = ["2025-05-03 00:00", "2025-05-04 00:00", "2025-05-17 00:00"]
KEYS = [
    # What refers, the keys, how many of 18 rows match once the remedy is taken, on which side it is.
    (["007", "012", "103"], ["7", "12", "103"], 18, "keys"),
    (["07", "012", "103"], ["7", "12", "103"], 18, "rows"),
    (["1", "2", "x3"], ["1", "2", "3"], 12, "keys"),
    (MIDNIGHTS, ["2025-05-03", "2025-05-04", "2025-05-18"], 12, "keys"),
    (["A1 ", "b2", "C-3"], ["A1", "B2", "C3"], 18, "rows"),
    (["Ho\u0308he", "\u0410u", "Tal"], ["H\u00f6he", "Au", "Tal"], 18, "rows"),
    (["mill", "Mill", "Fox"], ["Mill", "MILL", "Fox"], 12, ""),
    (["7.0", "12.0", "103.0"], ["7", "12", "103"], 18, ""),
    (["F\u00e4hre", "Tal", "Au"], ["Fahre", "Tal", "Au"], 12, ""),
]


@pytest.mark.parametrize(("rows", "keys", "matched", "side"), KEYS)
def test_a_remedy_makes_as_many_rows_match_as_it_says(
    tmp_path: Path, rows: list[str], keys: list[str], matched: int, side: str
) -> None:
    texts = {"rows": rows * 6, "keys": keys}
    for name, column in texts.items():
        lines = [f'"{one}",{at}.5' for at, one in enumerate(column)]
        (tmp_path / f"{name}.csv").write_text("\n".join(["key,kg", *lines]) + "\n", encoding="utf-8")
    tables = {name: comb.load(tmp_path / f"{name}.csv", types={"kg": "number"}) for name in texts}
    found = comb.profile_together(tables)
    assert len(found.links) == 1
    remedies = {
        name: [one for one in profile.of("relation.orphan") if one.remedy] for name, profile in found.profiles.items()
    }
    assert [name for name, several in remedies.items() if several] == ([side] if side else [])
    for name, several in remedies.items():
        for finding in several:
            same_type = tables["rows"].types["key"] == tables["keys"].types["key"]
            assert same_type or f"remedy on {name} {matched} of 18 rows would match" in finding.text
            if not same_type:
                with pytest.raises(comb.TypeMismatch, match=f"{matched} of 18 rows find a match then"):
                    tables["rows"].join(tables["keys"], "key")
            changed = take_step(finding.remedy, tables[name]).table
            tables[name] = tables[name]._derive(dict(changed.columns))
    joined = tables["rows"].join(tables["keys"], "key", columns=["kg"])
    assert len(joined) - joined[joined.names[-1]].missing_count == matched


def test_at_the_command_line(demo: Path) -> None:
    ran = run_comb("profile", "inspections.csv", "apiaries.csv", "--together", cwd=demo)
    assert ran.code == 0 and "inspections.apiary refers to apiaries.apiary" in ran.out and "relation.orphan" in ran.out
    record = json.loads(run_comb("profile", "inspections.csv", "apiaries.csv", "--together", "--json", cwd=demo).out)
    assert record["links"][0]["orphans"] > 900 and set(record["tables"]) == {"inspections", "apiaries"}
    inside = run_comb("profile", "harvest.xlsx", "--together", cwd=demo)
    # Two keys that refer to each other do so once.
    assert "4 tables" in inside.out and inside.out.count("refers to") == 1
    refused = run_comb("profile", "inspections.csv", "apiaries.csv", "--together", "--column", "mites", cwd=demo)
    assert refused.code == 2 and "--column is for one table" in refused.err
