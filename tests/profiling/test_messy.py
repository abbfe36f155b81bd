"""A tidy table is made messy in known ways; loaded, and with the remedies that the profile proposes, it is tidy again."""

import csv
import io
from collections.abc import Callable
from datetime import date, timedelta
from decimal import Decimal
from pathlib import Path
from random import Random
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from support.examples import drawn

HIVES = ["0101", "0102", "0207", "0310"]
PLACES = ["Mill Brook", "Quarry Edge", "Fox Hollow"]

ROW = st.fixed_dictionaries(
    {
        "hive": st.sampled_from(HIVES),
        "place": st.sampled_from(PLACES),
        "seen_on": st.dates(date(2025, 1, 1), date(2025, 12, 31)),
        "frames": st.none() | st.integers(0, 12),
        "kg": st.none() | st.integers(100, 60_000).map(lambda cents: Decimal(cents).scaleb(-2)),
        "fed": st.booleans(),
    }
)


@st.composite
def tidy(draw: st.DrawFn) -> list[dict[str, Any]]:
    """Draw rows, with some that settle the types whatever the others are."""
    rows = draw(st.lists(ROW, min_size=5, max_size=25))
    settled = [
        {
            "hive": "0101",
            "place": "Mill Brook",
            "seen_on": date(2025, 3, 28),
            "frames": 3,
            "kg": Decimal("31.25"),
            "fed": fed,
        }
        for fed in (True, False, True)
    ]
    return [{"visit": 50_000 + at, **row} for at, row in enumerate([*settled, *rows])]


def usual(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return value.isoformat() if isinstance(value, date) else str(value)


def text_of(rows: list[dict[str, Any]], cell: Callable[[str, Any], str], delimiter: str = ",", end: str = "\n") -> str:
    out = io.StringIO()
    writer = csv.writer(out, delimiter=delimiter, lineterminator=end)
    writer.writerow(rows[0])
    writer.writerows([cell(name, row[name]) for name in rows[0]] for row in rows)
    return out.getvalue()


def same(table: comb.Table, rows: list[dict[str, Any]]) -> None:
    assert table.names == tuple(rows[0])
    for name in rows[0]:
        assert table[name].to_list() == [row[name] for row in rows], name


FOLDER = settings(
    max_examples=drawn(40), suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)


@FOLDER
@given(tidy(), st.sampled_from([",", ";", "\t", "|"]), st.sampled_from(["\n", "\r\n", "\r"]), st.sampled_from(["utf-8", "utf-8-sig", "utf-16"]))  # fmt: skip
def test_the_form_of_a_file_changes_nothing(
    tmp_path: Path, rows: list[dict[str, Any]], delimiter: str, end: str, encoding: str
) -> None:
    text = text_of(rows, lambda _, value: usual(value), delimiter, end)
    (tmp_path / "t.csv").write_bytes(text.encode(encoding))
    same(comb.load(tmp_path / "t.csv"), rows)


@FOLDER
@given(tidy(), st.integers(0, 2**32))
def test_other_notations_are_read(tmp_path: Path, rows: list[dict[str, Any]], seed: int) -> None:
    chance = Random(seed)

    def cell(name: str, value: Any) -> str:
        if name == "seen_on":
            return f"{value.day}.{value.month}.{value.year}"
        if name == "kg" and value is not None:
            return str(value).replace(".", ",")
        if name == "fed":
            return chance.choice(["ja", "JA", "Ja"] if value else ["nein", "Nein", "NEIN"])
        return usual(value)

    (tmp_path / "t.csv").write_text(text_of(rows, cell, ";"))
    same(comb.load(tmp_path / "t.csv"), rows)


@FOLDER
@given(tidy(), st.integers(0, 2**32))
def test_words_for_missing_and_spaces_are_mended_by_their_remedies(
    tmp_path: Path, rows: list[dict[str, Any]], seed: int
) -> None:
    chance = Random(seed)
    spoiled = [0]

    def cell(name: str, value: Any) -> str:
        if name in ("frames", "kg") and value is None:
            return chance.choice(["", "n/a", "-", "NULL"])
        if name == "place" and chance.random() < 0.3:
            spoiled[0] += 1
            return chance.choice([f" {value}", f"{value}  ", value.replace(" ", "  ")])
        return usual(value)

    (tmp_path / "t.csv").write_text(text_of(rows, cell))
    table = comb.load(tmp_path / "t.csv")
    found = table.profile().of("text.spaces")
    assert sum(one.count for one in found if one.columns == ("place",)) == spoiled[0]
    for finding in found:
        table = table.take_step(finding.remedy)
    same(table, rows)
    assert not table.profile().of("text.spaces") and all(entry.adds_up for entry in table.ledger)


@FOLDER
@given(tidy(), st.lists(st.integers(0, 100), min_size=1, max_size=4))
def test_rows_that_stand_twice_are_found_and_removed(
    tmp_path: Path, rows: list[dict[str, Any]], places: list[int]
) -> None:
    doubled = [*rows, *(rows[place % len(rows)] for place in places)]
    (tmp_path / "t.csv").write_text(text_of(doubled, lambda _, value: usual(value)))
    table = comb.load(tmp_path / "t.csv")
    [finding] = table.profile().of("duplicate.rows")
    assert finding.rows.tolist() == list(range(len(rows) + 1, len(doubled) + 1))
    same(table.take_step(finding.remedy), rows)


@FOLDER
@given(tidy(), st.integers(0, 2**32), st.sampled_from(["999", "-9"]))
def test_numbers_for_not_known_are_found(tmp_path: Path, rows: list[dict[str, Any]], seed: int, sentinel: str) -> None:
    holes = [row["visit"] for row in rows if row["frames"] is None]

    def cell(name: str, value: Any) -> str:
        return sentinel if name == "frames" and value is None else usual(value)

    (tmp_path / "t.csv").write_text(text_of(rows, cell))
    table = comb.load(tmp_path / "t.csv")
    found = table.profile().of("missing.stand_in")
    assert bool(found) == bool(holes)
    if found:
        mended = table.take_step(found[0].remedy)
        same(mended, rows)
        assert mended["frames"].reasons().count("marker") == len(holes) == found[0].count


@FOLDER
@given(tidy(), st.data())
def test_what_does_not_fit_is_kept_with_its_line(
    tmp_path: Path, rows: list[dict[str, Any]], data: st.DataObject
) -> None:
    rows = rows * 4
    wrong = data.draw(st.sets(st.integers(0, len(rows) - 1), min_size=1, max_size=max(1, len(rows) // 20)))
    odd = {at: data.draw(st.sampled_from(["about 3", "four", "2-3", "?!"])) for at in sorted(wrong)}
    numbers = iter(range(len(rows)))

    def cell(name: str, value: Any) -> str:
        at = next(numbers) if name == "visit" else cell.at  # type: ignore[attr-defined]
        cell.at = at  # type: ignore[attr-defined]
        return odd.get(at, usual(value or 0)) if name == "frames" else usual(value)

    (tmp_path / "t.csv").write_text(text_of(rows, cell))
    table = comb.load(tmp_path / "t.csv")
    assert str(table.types["frames"]) == "integer" and table["frames"].kept.texts == odd
    expected = [None if at in odd else row["frames"] or 0 for at, row in enumerate(rows)]
    assert table["frames"].to_list() == expected
    [finding] = [one for one in table.profile().of("type.unreadable") if one.columns == ("frames",)]
    assert finding.rows.tolist() == [at + 1 for at in odd]
    lines = (tmp_path / "t.csv").read_text().splitlines()
    for number in finding.rows.tolist():
        line = int(table.place(number).rpartition(" ")[2].replace(",", ""))
        assert lines[line - 1].split(",")[4] == odd[number - 1]
    back = table.convert({"frames": "string"})["frames"].to_list()
    assert [back[at] for at in odd] == list(odd.values())


@pytest.mark.parametrize("suffix", [".csv", ".tsv", ".xlsx", ".ods", ".json", ".jsonl", ".csv.gz"])
def test_a_tidy_table_goes_through_every_format(tmp_path: Path, suffix: str) -> None:
    rows = [
        {
            "visit": 1,
            "hive": "0101",
            "seen_on": date(2025, 5, 1),
            "frames": 3,
            "kg": 31.25,
            "fed": True,
            "message": "a;b",
        },
        {"visit": 2, "hive": "0102", "seen_on": None, "frames": None, "kg": 30.5, "fed": False, "message": 'say "hi"'},
        {
            "visit": 3,
            "hive": "0103",
            "seen_on": date(2025, 5, 31),
            "frames": 0,
            "kg": None,
            "fed": True,
            "message": "é 😀",
        },
    ]
    table = comb.table(columns={name: [row[name] for row in rows] for name in rows[0]})
    table.save(tmp_path / f"t{suffix}")
    back = comb.load(tmp_path / f"t{suffix}", types={"hive": "string"})
    same(back, rows)
    assert {name: str(kind) for name, kind in back.types.items()} == {
        name: str(kind) for name, kind in table.types.items()
    }


@pytest.mark.parametrize("wrong", [1, 12, 30])
def test_a_weekday_that_is_not_that_of_the_day_is_told(tmp_path: Path, wrong: int) -> None:
    days = [date(2024, 3, 1) + timedelta(at) for at in range(40)]
    texts = [
        f"{(day + timedelta(at < wrong)).strftime('%A')}, {day.day} {day.strftime('%B')} 2024"
        for at, day in enumerate(days)
    ]
    comb.table(columns={"seen": texts, "n": [f"r{at}" for at in range(40)]}).save(tmp_path / "t.csv")
    for table in (comb.load(tmp_path / "t.csv"), comb.table(columns={"seen": [*texts, None]})):
        [finding] = table.profile().of("type.unreadable")
        assert finding.count == wrong and "weekday" in finding.text and finding.columns == ("seen",)
        assert set(finding.rows.tolist()) == set(range(1, wrong + 1))
