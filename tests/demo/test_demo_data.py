"""The demo data against the truth that was planted in it, file by file."""

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pytest

import comb
from comb.demo.documents import harvest
from support.workbooks import book, grid


def truth_of(folder: Path, name: str) -> dict[str, Any]:
    message: dict[str, Any] = json.loads((folder / f"{name}-truth.json").read_text())
    return message


def test_the_seasons_side_by_side_become_one_long_table(demo: Path) -> None:
    truth = truth_of(demo, "harvest")
    harvest = comb.load(demo / "harvest.xlsx", table="Harvest*").rename({"table": "season"})
    months = ["April", "May", "June", "July", "August", "September"]
    assert harvest.names == ("season", "colony", *months, "hidden")
    tall = harvest.to_long(months, heading_column="month", value_column="kg", keep_missing=True)
    cells = [tall[name].to_list() for name in ("season", "colony", "month", "kg")]
    found = {row[:3]: row[3] for row in zip(*cells, strict=True)}
    for season, colony, month, weight in truth["weights"]:
        assert found.pop((season, colony, month)) == weight
    assert set(found.values()) == {None} and len(found) == len(truth["weights"])
    reasons = set(zip(harvest["season"].to_list(), harvest["July"].reasons(), strict=True))
    assert reasons == {("Spring 2025", "absent"), ("Summer 2025", None)}
    assert "Spring 2025 has no July, August, September: absent" in harvest.notes
    assert harvest.place(11) == "harvest.xlsx, Harvest!H5"


def test_the_workbook_is_what_its_truth_tells(demo: Path) -> None:
    truth = truth_of(demo, "harvest")
    inspected = comb.inspect(demo / "harvest.xlsx")
    for planted, found in zip(truth["tables"], inspected.tables, strict=True):
        message = " ".join([found.place, *found.notes])
        assert planted["range"] in message
        assert ("hidden sheet" in message) == planted.get("hidden", False)
        if "season" in planted:
            assert f"row {planted['total_row']} is a total" in message
            assert f"column {planted['total_column']} (total) is a total" in message
            assert f"hidden row read: {', '.join(map(str, planted['hidden_rows']))}" in message
    around = inspected.tables[0]
    assert truth["title"] in around.titles and truth["note"] in around.footers


def test_the_readings_are_what_their_truth_tells(demo: Path) -> None:
    truth = truth_of(demo, "scales")
    tables = comb.load_all(demo / "scales.jsonl")
    readings, visits = tables["scales"], tables["visits"]
    assert any(f"line {truth['broken'][0]}" in note for note in readings.notes)
    lines = readings.origin.lines

    def lines_where(reasons: list[str | None], reason: str) -> list[int]:
        return [int(line) for line, one in zip(lines, reasons, strict=True) if one == reason]

    there = set(lines.tolist())
    assert there == set(range(1, 241)) - set(truth["broken"])
    assert lines_where(readings["weight_kg"].reasons(), "unreadable") == truth["overload"]
    assert set(readings["weight_kg"].kept.texts.values()) == {"overload"}
    assert lines_where(readings["air.celsius"].reasons(), "absent") == truth["without_air"]
    assert lines_where(readings["hour"].reasons(), "marker") == truth["hour_is_null"]
    parents = [int(lines[at - 1]) for at in visits["parent_row"].to_list()]
    assert parents == [line for line in truth["visits"] if line in there]


def test_the_apiaries_spelled_otherwise_are_told_with_the_nearest(demo: Path) -> None:
    spelled: Mapping[str, str] = truth_of(demo, "apiaries")["spelled_otherwise"]
    visits = comb.load(demo / "inspections.csv").trim("apiary", inner=True)
    names = {name for name in visits["apiary"].to_list() if name is not None}
    apiaries = comb.load(demo / "apiaries.csv")
    assert names - set(apiaries["apiary"].to_list()) >= set(spelled)
    notes = " ".join(visits.join(apiaries, "apiary").ledger[-1].notes)
    assert all(f"'{mine}'" in notes and f"'{theirs}'" in notes for mine, theirs in spelled.items())
    joined = visits.recode("apiary", dict(spelled)).join(apiaries, "apiary")
    regions = dict(zip(joined["apiary"].to_list(), joined["region"].to_list(), strict=True))
    assert all(regions[theirs] for theirs in spelled.values())


def test_the_total_that_was_typed_over_is_told_with_both_numbers(demo: Path) -> None:
    wrong = truth_of(demo, "harvest")["wrong_total"]
    summer = comb.load_all(demo / "harvest.xlsx")["Harvest!H3:L15"]
    (finding,) = summer.profile().of("value.total")
    assert finding.examples == (f"{wrong['given']} in {wrong['place']}, parts {wrong['parts']}",)
    assert summer["Summer 2025 August"].to_list() == [row[1] for _, row in harvest("Summer 2025")]
    assert f"its parts add up to {wrong['parts']}" in repr(summer)


def test_the_apiaries_have_thousands_and_an_order(demo: Path) -> None:
    truth = truth_of(demo, "apiaries")
    apiaries = comb.load(demo / "apiaries.csv")
    assert dict(zip(apiaries["apiary"].to_list(), apiaries["forage_m2"].to_list(), strict=True)) == truth["forage_m2"]
    ordered = apiaries.convert({"shelter": "category"}, choices=truth["shelter_in_order"])
    for at, word in enumerate(truth["shelter_in_order"]):
        above = {*ordered.filter(f"shelter > '{word}'")["shelter"].texts()}
        assert above == {*truth["shelter_in_order"][at + 1 :]}


def test_the_padded_titles_are_titles(demo: Path) -> None:
    first, second = comb.load(demo / "inspections.csv").origin.titles
    assert first == "Seven Valleys Beekeepers' Co-operative" and second.startswith("Colony inspections")


QUARTERS = "place Q1_2024 . Q1_2025 .\n. Jan Feb Jan Feb"


@pytest.mark.parametrize(
    ("left", "right", "names", "labels"),
    [
        # Alike under their headings; with other months; with a column more beside the headings.
        ("id Early .\n. Jan Feb\nx 1 2\ny 3 4", "id Late .\n. Jan Feb\nx 5 6\nz 7 8", ["id", "Jan", "Feb"], ["Early", "Late"]),
        ("id Early .\n. Jan Feb\nx 1 2\ny 3 4", "id Late .\n. Feb Mar\nx 5 6\nz 7 8", ["id", "Jan", "Feb", "Mar"], ["Early", "Late"]),
        ("id Early .\n. Jan Feb\nx 1 2\ny 3 4", "id Late . size\n. Jan Mar .\nx 5 6 9\nz 7 8 9", ["id", "Jan", "Feb", "Mar", "size"], ["Early", "Late"]),
        # The same columns need no headings: the tables keep their own names.
        ("id Jan\nx 1\ny 3", "id Jan\nx 5\nz 7", ["id", "Jan"], ["One", "Two"]),
    ],
)  # fmt: skip
def test_blocks_under_one_heading_each_are_stacked(
    tmp_path: Path, left: str, right: str, names: list[str], labels: list[str]
) -> None:
    place = book(tmp_path / "b.xlsx", {"One": grid(left), "Two": grid(right)})
    table = comb.load(place, table="*")
    assert table.names == ("table", *names)
    assert table["table"].to_list() == [labels[0]] * 2 + [labels[1]] * 2
    for at, name in enumerate(names):
        for rows, text in ((slice(0, 2), left), (slice(2, 4), right)):
            head = [line.split() for line in text.splitlines()]
            own = [low if low != "." else high for high, low in zip(head[0], head[-3], strict=True)]
            cells = [row[own.index(name)] if name in own else None for row in head[-2:]]
            got = table[name].to_list()[rows]
            assert [None if one is None else str(one) for one in got] == cells, (at, name)


@pytest.mark.parametrize(
    ("left", "right"),
    [
        ("id Jan\nx 1\ny 3", "id Feb\nx 5\nz 7"),
        ("id Early .\n. Jan Feb\nx 1 2\ny 3 4", "id Late .\n. Jan\nx 5\nz 7"),
        (f"{QUARTERS}\nx 1 2 3 4\ny 5 6 7 8", "place Q1_2026 .\n. Jan Feb\nx 5 6\nz 7 8"),
        ("id Early .\n. Jan Feb\nx 1 2\ny 3 4", "hive Late .\n. Jan Mar\nx 5 6\nz 7 8"),
    ],
)
def test_blocks_of_another_shape_are_refused_by_name(tmp_path: Path, left: str, right: str) -> None:
    place = book(tmp_path / "b.xlsx", {"One": grid(left), "Two": grid(right)})
    with pytest.raises(comb.ContentError, match=r"(?s)expected the columns of One.*load them one by one"):
        comb.load(place, table="*")
