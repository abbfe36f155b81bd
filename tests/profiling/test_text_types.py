"""Numbers, dates, times and answers that a source with types keeps as texts: found, and turned into what a delimited file gives."""

import csv
import json
import sqlite3
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

import pytest

import comb
from comb.profiling.profile import in_order_of_repair
from support.workbooks import book

COLUMNS = {
    "german": [f"{day:02}.01.2026" for day in range(1, 31)],
    "american": [f"1/{day}/2026" for day in range(1, 31)],
    "swapped": [f"{day % 9 + 1}/{day % 7 + 1}/2026" for day in range(30)],
    "moment": [f"2.1.2026 {hour % 24:02}:30" if hour != 7 else "2.1.2026 24:00" for hour in range(30)],
    "clock": [f"{hour % 24}:30" for hour in range(30)],
    "month": ["Jan 2026", "Feb 2026"] * 15,
    "nearly": ["31.2.2026", *(f"3.{month}.2026" for month in range(1, 13)), *(f"14.{month}.2026" for month in range(1, 13)), *["-"] * 5],
    "share": [f"{number} %" for number in range(30)],
    "grouped": [f"1.{number:03},5" for number in range(30)],
    "weight": [*(f"{number}.5" for number in range(28)), "heavy", ""],
    "code": [f"0{number:02}" for number in range(30)],
    "queen": ["yes", "No"] * 14 + ["NO", "n/a"],
    "switch": ["on", "off"] * 15,
    "note": [f"seen at {number}" for number in range(30)],
}  # fmt: skip

FOUND = {
    "type.text_dates": {"german", "american", "moment", "clock", "month"},
    "type.text_numbers": {"share", "grouped"},
    "type.text_booleans": {"queen"},
    "type.unreadable": {"nearly", "weight"},
    "type.ambiguous_dates": {"swapped"},
    "type.leading_zeros": {"code"},
}


def records() -> list[dict[str, str]]:
    return [dict(zip(COLUMNS, row, strict=True)) for row in zip(*COLUMNS.values(), strict=True)]


def from_json(folder: Path) -> comb.Table:
    (folder / "t.json").write_text(json.dumps(records()))
    return comb.load(folder / "t.json")


def from_lines(folder: Path) -> comb.Table:
    (folder / "t.jsonl").write_text("".join(json.dumps(record) + "\n" for record in records()))
    return comb.load(folder / "t.jsonl")


def from_database(folder: Path) -> comb.Table:
    with sqlite3.connect(folder / "t.sqlite") as database:
        database.execute(f"create table t ({', '.join(f'{name} text' for name in COLUMNS)})")
        database.executemany(
            f"insert into t values ({', '.join('?' * len(COLUMNS))})", [tuple(record.values()) for record in records()]
        )
    database.close()
    return comb.load(folder / "t.sqlite")


def from_workbook(folder: Path) -> comb.Table:
    def texts(_: object, sheet: Any) -> None:
        for at, (name, cells) in enumerate(COLUMNS.items()):
            for row, text in enumerate([name, *cells]):
                sheet.write_string(row, at, text)

    return comb.load(book(folder / "t.xlsx", {"S": {}}, texts))


def from_python(_: Path) -> comb.Table:
    return comb.table(columns=COLUMNS)


def from_split(_: Path) -> comb.Table:
    joined = comb.table(columns={"all": ["|".join(row) for row in zip(*COLUMNS.values(), strict=True)]})
    return joined.split("all", new_columns=list(COLUMNS), mark="|")


def test_codes_of_which_some_have_zeros_in_front_become_texts() -> None:
    records = [{"code": 11_000 + number} for number in range(25)]
    table = comb.load(json.dumps([*records, {"code": "01067"}, {"code": "01069"}, {"code": "none yet"}]).encode())
    codes, rest = table.profile().of("type.unreadable")
    assert "2 cells of code" in codes.text and "they begin with a zero, as codes do" in codes.text
    assert rest.remedy is None and rest.rows.tolist() == [28]
    assert table.take_step(codes.remedy)["code"].to_list()[-4:] == ["11024", "01067", "01069", "none yet"]


def test_rows_of_nulls_and_of_names_have_a_remedy() -> None:
    rows = [{"site": f"place {number}", "kg": number} for number in range(20)]
    names, nulls = {"site": "site", "kg": "kg"}, {"site": None, "kg": None}
    table = comb.load(json.dumps([*rows[:10], nulls, *rows[10:15], names, *rows[15:], nulls]).encode())
    [empty], [again] = table.profile().of("layout.empty_rows"), table.profile().of("layout.repeated_header")
    assert empty.rows.tolist() == [11, 23] and again.rows.tolist() == [17]
    assert table.take_step(again.remedy).take_step(empty.remedy)["site"].to_list() == [one["site"] for one in rows]


@pytest.mark.parametrize(
    "made", [from_json, from_lines, from_database, from_workbook, from_python, from_split], ids=lambda one: one.__name__
)
def test_what_is_stored_as_text_becomes_what_a_delimited_file_gives(
    made: Callable[[Path], comb.Table], tmp_path: Path
) -> None:
    table = made(tmp_path)
    assert {str(column.type) for column in table.columns.values()} == {"string"}
    found: dict[str, set[str]] = {}
    for finding in table.profile().findings:
        if finding.code.startswith("type."):
            found.setdefault(finding.code, set()).update(finding.columns)
    assert found == FOUND
    with (tmp_path / "t.csv").open("w", newline="") as file:
        csv.writer(file).writerows([COLUMNS, *zip(*COLUMNS.values(), strict=True)])
    expected = comb.load(tmp_path / "t.csv")
    for finding in in_order_of_repair(table.profile().findings):
        if finding.remedy is not None and finding.code in (*FOUND, "missing.marker"):
            table = table.take_step(finding.remedy)
    for name in COLUMNS:
        assert table[name].type == expected[name].type and table[name].to_list() == expected[name].to_list(), name
        assert table[name].kept.texts == expected[name].kept.texts, name


@pytest.mark.parametrize(
    ("values", "text", "kept"),
    [
        (["x", ""] * 10, "box is x in 10 rows and empty in 10, like a box to tick", [True, False]),
        (["", "Box"] * 10, "box is Box in 10 rows and empty in 10, like a box to tick", [False, True]),
        (["Mill", ""] * 10, "every value of box is Mill; 10 cells are missing", None),
        (["x"] * 20, "every value of box is x", None),
    ],
)
def test_a_mark_beside_empty_cells_is_not_thrown_away(
    values: list[str], text: str, kept: list[bool] | None, tmp_path: Path
) -> None:
    (tmp_path / "t.csv").write_text("row,box\n" + "".join(f"a{at},{value}\n" for at, value in enumerate(values)))
    table = comb.load(tmp_path / "t.csv")
    [finding] = table.profile().of("column.constant")
    assert finding.text == text and finding.remedy is not None
    done = table.take_step(finding.remedy)
    assert done["box"].to_list() == kept * 10 if kept else done.names == ("row",)


@pytest.mark.parametrize("counts", [30, 14])
@pytest.mark.parametrize("day", ["2021-03-18", "18/03/2021", "18.3.2021"])
def test_day_counts_among_dates_in_a_column_of_texts(tmp_path: Path, counts: int, day: str) -> None:
    texts = [*["44273", "44280"] * (counts // 2), *[day] * 22]
    comb.table(columns={"n": [at * at for at in range(len(texts))], "seen": texts}).save(tmp_path / "t.csv")
    table = comb.load(tmp_path / "t.csv")
    [finding] = table.profile().of("type.serial_dates")
    assert finding.count == counts and not table.profile().of("type.unreadable")
    assert finding.remedy is not None
    made = table.take_step(finding.remedy)["seen_day"]
    assert made.to_list() == [*[date(2021, 3, 18), date(2021, 3, 25)] * (counts // 2), *[date(2021, 3, 18)] * 22]


def test_numbers_far_from_the_dates_are_no_day_counts() -> None:
    table = comb.table(columns={"seen": [*["12000", "24100"] * 15, *["2021-03-18"] * 12]})
    assert not table.profile().of("type.serial_dates")
