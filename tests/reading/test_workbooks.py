"""Workbooks: the tables found in them, their types and places, what stands around, what they refuse, what they write."""

import contextlib
import datetime
import io
import zipfile
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
import xlsxwriter
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from comb.demo.documents import COLONIES, NOT_WEIGHED, SEASONS, harvest
from comb.demo.files import demo_bytes
from comb.reading.documents.workbooks.binary import binary_sheets
from comb.reading.documents.workbooks.office import office_sheets
from comb.reading.documents.workbooks.package import Package
from comb.reading.load import load_table
from comb.tables.read_options import ReadOptions
from support.both_kernels import facts, reference
from support.examples import drawn
from support.running import run_comb
from support.workbooks import Cells, book, grid


def test_the_harvest_is_two_seasons_two_lists_and_nothing_is_lost(tmp_path: Path) -> None:
    place = tmp_path / "harvest.xlsx"
    place.write_bytes(demo_bytes("harvest.xlsx"))
    tables = comb.load_all(place)
    assert list(tables) == ["Harvest!B3:F15", "Harvest!H3:L15", "Keepers", "Lists"]
    for table, (season, months) in zip(tables.values(), SEASONS.items(), strict=False):
        assert table.names == ("colony", *(f"{season} {month}" for month in months), "hidden")
        assert table["colony"].to_list() == list(COLONIES)
        for at, month in enumerate(months):
            column = table[f"{season} {month}"]
            assert column.to_list() == [weights[at] for _, weights in harvest(season)]
            assert set(column.kept.texts.values()) == ({"n/w"} if month in dict(map(reversed, NOT_WEIGHED)) else set())
        assert table["hidden"].to_list() == [row == 4 for row in range(10)]
        aside = table.origin.set_aside
        assert [one.reason for one in aside] == [
            "its formulas add up the rows above",
            "its formulas add up the columns before",
        ]
        assert float(aside[0].cells[-1]) == pytest.approx(
            sum(weight or 0 for _, row in harvest(season) for weight in row)
        )
    assert tables["Keepers"]["member since"].to_list()[0] == datetime.date(2011, 4, 9)
    assert tables["Keepers"]["share"].description == "%"
    first = next(iter(tables.values()))
    assert (first.place(3), first.place(3, "Spring 2025 May")) == (
        "harvest.xlsx, Harvest!B7",
        "harvest.xlsx, Harvest!D7",
    )
    kept = comb.load(place, totals=True)
    assert len(kept) == 11 and kept["total"].to_list()[-1] == pytest.approx(float(aside[0].cells[-1]), abs=500)
    shown = run_comb("inspect", "harvest.xlsx", cwd=tmp_path).out
    for message in (
        "Harvest!H3:L15, header in rows 3, 4",
        "on a hidden sheet",
        "not weighed, the scale",
        "1 hidden row read: 9",
    ):
        assert message in shown
    assert "first of 4 tables" in " ".join(run_comb("show", "harvest.xlsx", cwd=tmp_path).out.split())


@pytest.mark.parametrize(
    ("cells", "expected"),
    [
        # Side by side, one above the other, beside an empty column, with a row that goes on below a gap.
        ({**grid("a b\n1 2\n3 4"), **grid("a b\n5 6\n7 8", left="D")}, [("A1:B3", ["a", "b"], 2), ("D1:E3", ["a", "b"], 2)]),
        ({**grid("a b\n1 2\n3 4"), **grid("c d\n5 6\n7 8", top=6)}, [("A1:B3", ["a", "b"], 2), ("A6:B8", ["c", "d"], 2)]),
        ({**grid("name b\nx 2\ny 4"), **grid("c d\n5 6\n7 8", left="D")}, [("A1:E3", ["name", "b", "c", "d"], 2)]),
        ({**grid("name b\nx 2\ny 4"), **grid("z 6\nw 8", top=5)}, [("A1:B6", ["name", "b"], 4)]),
        # Titles, notes, units, a header of two lines, years as headings, no header at all.
        ({"A1": "Honey of the year", **grid("name kg_in\nx 2\ny 4", top=3)}, [("A3:B5", ["name", "kg in"], 2)]),
        ({**grid("name in out\n. [kg] [kg]\nx 2 3\ny 4 5"), "A6": "weighed by hand"}, [("A1:C4", ["name", "in", "out"], 2)]),
        (grid("name spring . autumn .\n. in out in out\nx 1 2 3 4\ny 5 6 7 8"), [("A1:E4", ["name", "spring in", "spring out", "autumn in", "autumn out"], 2)]),
        (grid("place 2024 2025\nx 31.5 32\ny 40 41"), [("A1:C3", ["place", "2024", "2025"], 2)]),
        (grid("1 2\n3 4\n5 7"), [("A1:B3", ["_col.1", "_col.2"], 3)]),
        # Totals by word and by arithmetic, in rows and columns; a far cell does no harm.
        (grid("name a b\nx 1 2\ny 3 5\nTotal 4 7"), [("A1:C4", ["name", "a", "b"], 2)]),
        (grid("name a b\nx 1 2\ny 3 5\nz 4 6\n. 8 13"), [("A1:C5", ["name", "a", "b"], 3)]),
        (grid("name a b c all\nx 1 2 4 7\ny 3 5 9 17\nz 4 6 1 11"), [("A1:E4", ["name", "a", "b", "c"], 3)]),
        ({**grid("a b\n1 2\n3 4"), "XFD1048576": "far"}, [("A1:B3", ["a", "b"], 2)]),
    ],
)  # fmt: skip
def test_tables_are_found_where_they_stand(
    tmp_path: Path, cells: Cells, expected: list[tuple[str, list[str], int]]
) -> None:
    place = book(tmp_path / "found.xlsx", {"S": cells})
    found = comb.inspect(place).tables
    loaded = comb.load_all(place)
    seen = [
        (table.place.partition(",")[0].removeprefix("S!"), list(loaded[table.name].names), table.rows)
        for table in found
    ]
    assert seen == expected


def test_cells_keep_their_types_and_say_what_does_not_fit(tmp_path: Path) -> None:
    moment = datetime.datetime(2025, 5, 1, 6, 30)

    def finish(made: Any, sheet: Any) -> None:
        money = made.add_format({"num_format": "#,##0.00 [$€-407]"})
        clock, stamp = (made.add_format({"num_format": code}) for code in ("hh:mm", "yyyy-mm-dd hh:mm"))
        for row in range(1, 4):
            sheet.write_datetime(row, 5, moment, stamp)
            sheet.write_number(row, 6, 0.25, clock)
            sheet.write_number(row, 7, 19.9, money)
            sheet.write_formula(row, 8, "=1/0", None, "#DIV/0!" if row == 2 else 5)
        sheet.merge_range(1, 9, 3, 9, "north")

    cells = {
        **grid("code count day flag mixed moment clock price ratio bench", left="A"),
        **{f"A{row}": f"00{row}" for row in (2, 3, 4)}, "B2": 1, "B3": 2, "B4": "12",
        **{f"C{row}": datetime.date(2025, 1, row) for row in (2, 3, 4)}, "D2": True, "D3": False, "D4": True,
        "E2": "x", "E3": 7, "E4": "y",
    }  # fmt: skip
    place = book(tmp_path / "types.xlsx", {"S": cells}, finish)
    table = comb.load(place)
    assert {name: kind.word for name, kind in table.types.items()} == {
        "code": "string", "count": "integer", "day": "date", "flag": "boolean", "mixed": "string", "moment": "datetime",
        "clock": "time", "price": "number", "ratio": "integer", "bench": "string",
    }  # fmt: skip
    assert table["code"].to_list() == ["002", "003", "004"] and table["mixed"].to_list() == ["x", "7", "y"]
    assert table["count"].reasons() == [None, None, "unreadable"] and table["count"].kept.texts == {2: "12"}
    assert "1 text that looks like a number, kept as text" in str(table["count"].evidence)
    assert table["moment"].to_list() == [moment] * 3 and table["clock"].to_list() == [datetime.time(6)] * 3
    assert table["price"].description == "€"
    assert (table["ratio"].reasons()[1], table["ratio"].kept.texts) == ("marker", {1: "#DIV/0!"})
    assert table["bench"].to_list() == ["north", None, None]
    notes = " ".join(table.notes)
    assert all(
        message in notes for message in ("3 cells calculated", "1 cell with an error", "1 merged cell among the rows")
    )
    assert comb.load(place, fill_merged=True)["bench"].to_list() == ["north"] * 3
    declared = comb.load(
        place, types={"count": "integer", "code": "integer"}, missing=["x"], columns=["code", "count", "mixed"]
    )
    assert (declared["count"].to_list(), declared["code"].to_list()) == ([1, 2, 12], [2, 3, 4])
    assert declared["mixed"].reasons() == ["marker", None, None]
    later = book(tmp_path / "1904.xlsx", {"S": grid("day\n.\n.")}, lambda made, sheet: sheet.write_datetime(1, 0, moment, made.add_format({"num_format": "d.m.yyyy"})), date_1904=True)  # fmt: skip
    assert comb.load(later, types="string")["day"].to_list() == ["2025-05-01T06:30:00"]


def test_one_of_several_is_chosen_by_name_number_range_or_pattern(tmp_path: Path) -> None:
    months = {month: grid(f"colony kg\n0101x {at}\n0102x {at + 1}") for at, month in enumerate(("May", "June"), 1)}
    summary = grid("month kg\nMay 3\nJune 6")
    place = book(tmp_path / "year.xlsx", {**months, "Sums": {**summary, **grid("all kg\nfirst 3\nlast 5", left="E")}})
    assert comb.load(place, table="June")["kg"].to_list() == comb.load(place, table="2")["kg"].to_list() == [2, 3]
    assert comb.load(place, table="May!A1:B2")["kg"].to_list() == [1]
    stacked = comb.load(place, table="[MJ]*")
    assert stacked.names == ("table", "colony", "kg") and stacked["kg"].to_list() == [1, 2, 2, 3]
    assert (stacked["table"].to_list()[2], stacked.place(4)) == ("June", "year.xlsx, June!A3")
    mixed = {"May": grid("colony kg\nx .\ny .\nz 1"), "June": grid("colony kg\nx heavy\ny 2.5\nz 3"), "July": grid("colony kg\nx .\ny .")}  # fmt: skip
    both = comb.load(book(tmp_path / "mixed.xlsx", mixed), table="*")
    assert both["kg"].to_list() == [None, None, 1, None, 2.5, 3, None, None] and both["kg"].kept.texts == {3: "heavy"}
    for wanted, message in (
        ("9", "no table has the number 9"),
        ("Jne", "did you mean 'June'"),
        ("Sums", "2 tables on Sums"),
        ("May!Z1:Z9", "there is nothing in"),
    ):
        with pytest.raises(comb.ContentError, match=message):
            comb.load(place, table=wanted)
    assert comb.load(place).place(1) == "year.xlsx, May!A2"


@given(
    st.lists(st.tuples(st.integers(1, 40), st.integers(0, 30), st.floats(allow_nan=False, allow_infinity=False) | st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), min_size=1, max_size=8) | st.booleans()), min_size=1, max_size=60),
    st.booleans(),
)  # fmt: skip
@settings(max_examples=drawn(60), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_compiled_and_parsed_sheets_are_the_same(
    tmp_path: Path, cells: list[tuple[int, int, Any]], small: bool
) -> None:
    place = tmp_path / "any.xlsx"
    made = xlsxwriter.Workbook(
        str(place), {"constant_memory": small, "strings_to_formulas": False, "strings_to_urls": False}
    )
    sheet = made.add_worksheet()
    for row, column, value in sorted(cells, key=lambda one: one[:2]):
        sheet.write(row, column, value)
    sheet.write(41, 0, "last")
    made.close()
    options = ReadOptions(table="Sheet1!A1:AE42")
    with reference():
        expected = facts(load_table(place, options))
    assert facts(load_table(place, options)) == expected


SMALL = st.tuples(st.integers(2, 4), st.integers(2, 5), st.integers(0, 10**6))


@given(st.lists(st.lists(SMALL, min_size=1, max_size=3), min_size=1, max_size=3), st.integers(1, 3), st.integers(1, 3))
@settings(max_examples=drawn(60), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_tables_with_room_between_are_found_whatever_their_size(
    tmp_path: Path, bands: list[list[tuple[int, int, int]]], rows_between: int, columns_between: int
) -> None:
    cells: list[tuple[int, int, Any]] = []
    expected: dict[tuple[int, int], list[list[Any]]] = {}
    top = 0
    for band in bands:
        left = 0
        for width, height, seed in band:
            # Names that never recur, so that nothing can be taken for a total or for the same table.
            names = [f"t{len(expected)}c{column}" for column in range(width)]
            body = [
                [f"k{row}{seed}"] + [seed % 89 + (row + 1) ** 3 * (column + 2) + 0.5 for column in range(1, width)]
                for row in range(height)
            ]
            expected[top, left] = [names, *body]
            for row, line in enumerate([names, *body]):
                cells += [(top + row, left + column, value) for column, value in enumerate(line)]
            left += width + columns_between
        top += max(height for _, height, _ in band) + 1 + rows_between
    place = tmp_path / "placed.xlsx"
    made = xlsxwriter.Workbook(str(place))
    sheet = made.add_worksheet("S")
    for row, column, value in cells:
        sheet.write(row, column, value)
    made.close()
    tables = comb.load_all(place, totals=True)
    seen = {
        (int(table.origin.lines[0]) - 2, table.names[0]): [list(table.names), *(list(row) for row in zip(*(column.to_list() for column in table.columns.values()), strict=True))]
        for table in tables.values()
    }  # fmt: skip
    assert seen == {(at[0], lines[0][0]): lines for at, lines in expected.items()}


def rewritten(data: bytes, change: Callable[[str, bytes], bytes | None]) -> bytes:
    """Change the parts of a workbook; None leaves one out."""
    stream = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(stream, "w") as new:
        for name in old.namelist():
            part = change(name, old.read(name))
            if part is not None:
                new.writestr(name, part)
    return stream.getvalue()


def in_sheet(old: bytes, new: bytes) -> Callable[[str, bytes], bytes]:
    return lambda name, part: part.replace(old, new) if name.endswith("sheet1.xml") else part


def test_sheets_written_unusually_read_the_same(tmp_path: Path) -> None:
    place = book(tmp_path / "usual.xlsx", {"S": grid("a b\nx 2\ny 4.5")})
    usual, data = comb.load(place), place.read_bytes()
    for change in (
        in_sheet(b"<v>2</v>", b"<v><!-- two -->2</v>"),
        in_sheet(b'<c r="A2"', b'<c\nr="A2"'),
        in_sheet(b'<row r="2"', b'<row ht="9" r="2"'),
        in_sheet(b' r="B2"', b""),
        in_sheet(b"<v>4.5</v>", b"<f>B2*2.25</f><v>4.5</v>"),
        in_sheet(b"<v>4.5</v>", b"<v>0.45e1</v>"),
    ):
        place.write_bytes(rewritten(data, change))
        with reference():
            assert comb.load(place).equals(usual)
        assert comb.load(place).equals(usual)


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (lambda name, part: None if name.endswith("sheet1.xml") else part, "the sheet 'S' is missing"),
        (in_sheet(b"<sheetData>", b"<!DOCTYPE x><sheetData>"), "damaged|declares entities"),
        (in_sheet(b"</sheetData>", b""), "damaged"),
        (in_sheet(b'r="A2"', b'r="ZZZ2"'), "no sheet is so large"),
        (in_sheet(b"<v>0</v>", b"<v>99</v>"), "refers to a text that is not there"),
    ],
)
def test_damage_is_told(tmp_path: Path, change: Callable[[str, bytes], bytes | None], message: str) -> None:
    place = book(tmp_path / "damaged.xlsx", {"S": grid("a b\nx 2\ny 4")})
    place.write_bytes(rewritten(place.read_bytes(), change))
    with pytest.raises(comb.ContentError, match=message):
        comb.load(place)


def test_what_a_file_really_is_counts_not_its_name(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_bytes(demo_bytes("harvest.xlsx"))
    assert "workbook" in comb.load(tmp_path / "a.csv").origin.kind
    page = "<html><table><tr><th>colony</th><th colspan=2>kg</th></tr><tr><td>0101</td><td>1,5</td><td>2</td></tr><tr><td>0102<td>3,5<td>4</table>"
    (tmp_path / "b.xls").write_text(page)
    table = comb.load(tmp_path / "b.xls")
    assert table.names == ("colony", "kg", "kg (2)") and table["kg"].to_list() == [Decimal("1.5"), Decimal("3.5")]
    (tmp_path / "c.xls").write_text("a;b\n1;2\n")
    assert comb.load(tmp_path / "c.xls").names == ("a", "b")
    (tmp_path / "d.xlsx").write_bytes(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + "EncryptedPackage".encode("utf-16-le"))
    with pytest.raises(comb.ContentError, match="protected by a password"):
        comb.load(tmp_path / "d.xlsx")
    bomb = rewritten(demo_bytes("harvest.xlsx"), in_sheet(b"<sheetData>", b"<sheetData>" + b" " * 5_000_000))
    (tmp_path / "e.xlsx").write_bytes(bomb)
    with pytest.raises(comb.ContentError, match=r"decompresses to more than 1,000,000 bytes"):
        comb.load(tmp_path / "e.xlsx", most_bytes=1_000_000)


@pytest.mark.parametrize("suffix", [".xlsx", ".ods"])
def test_what_is_saved_as_a_workbook_comes_back(tmp_path: Path, inspections: comb.Table, suffix: str) -> None:
    place = tmp_path / f"saved{suffix}"
    kept = inspections.filter("mites > 3", why="enough")
    kept.save(place, describe=True)
    back = comb.load(place, table="saved", types={"gross_kg": "decimal", "net_kg": "decimal", "tare_kg": "decimal 0.0"})
    for name in kept.names:
        assert back[name].to_list() == kept[name].to_list() or name == "notes", name
    assert [one.name for one in comb.inspect(place).tables] == ["saved", "dictionary", "ledger"]
    assert comb.load(place, table="ledger")["rows_out"].to_list() == [2400, len(kept)]
    texts = ["=1+1", "http://x.example", " two  spaces", "tab\there", "line\nend", "<&>\"'", "ünï"]
    table = comb.table(
        columns={"t": texts, "d": [datetime.date(9999, 12, 31)] + [None] * 6, "b": [True, None] * 3 + [False]}
    )
    table.save(place, overwrite=True)
    back = comb.load(place)
    assert all(back[name].to_list() == table[name].to_list() for name in table.names)
    first = place.read_bytes()
    table.save(place, overwrite=True)
    assert place.read_bytes() == first


@pytest.mark.parametrize(
    ("cells", "message"),
    [
        ([2**60], "more digits than a workbook keeps"),
        (["x" * 40_000], "32,767 characters"),
        ([datetime.date(1850, 1, 1)], "before March 1900"),
        (list(range(1_048_576)), "1,048,576 rows, a sheet holds 1,048,575"),
    ],
)
def test_what_does_not_fit_is_an_error_with_the_way_out(tmp_path: Path, cells: list[Any], message: str) -> None:
    with pytest.raises(comb.ParameterError, match=message):
        comb.table(columns={"c": cells}).save(tmp_path / "big.xlsx")
    assert not list(tmp_path.iterdir())


def test_a_plan_saves_a_workbook_of_all_its_tables(demo: Path) -> None:
    plan = (demo / "plan.yaml").read_text(encoding="utf-8")
    (demo / "plan.yaml").write_text(plan.replace("save: tidy", "save: tidy.xlsx"), encoding="utf-8")
    assert run_comb("run", "plan.yaml", cwd=demo).code == 0
    tables = comb.load_all(demo / "tidy.xlsx")
    assert list(tables) == ["inspections", "frames", "dictionary", "ledger"] and len(tables["inspections"]) > 2000


def test_a_table_that_only_sums_up_another_is_recognised(tmp_path: Path) -> None:
    sheets = {
        "Sums": grid("place kg\nMill 7\nQuarry 12"),
        "Data": grid("place month kg\nMill May 3\nMill June 4\nQuarry May 5\nQuarry June 7"),
    }
    place = book(tmp_path / "sums.xlsx", sheets)
    assert comb.inspect(place).tables[0].notes == ("sums up Data!A1:C5",)
    assert comb.load(place)["month"].to_list()[:2] == ["May", "June"]
    assert comb.load(place, table="Sums")["kg"].to_list() == [7, 12]


def test_the_decoder_of_old_workbooks_gives_the_same_cells() -> None:
    # It tells the formats apart by itself, so a new workbook stands in for an old one.
    old = {sheet.name: sheet for sheet in binary_sheets(demo_bytes("harvest.xlsx"), "x")}
    new = {sheet.name: sheet for sheet in office_sheets(Package(demo_bytes("harvest.xlsx"), "x"))}
    assert {name: sheet.hidden for name, sheet in old.items()} == {name: sheet.hidden for name, sheet in new.items()}
    for name, sheet in old.items():
        assert sheet.merged == new[name].merged
        cells = [
            {
                (row, column): (kind, number, one.strings[text] if text >= 0 else "")
                for row, column, kind, number, text in zip(*(part.tolist() for part in (one.rows, one.columns, one.kinds, one.numbers, one.texts)), strict=True)
            }
            for one in (sheet, new[name])
        ]  # fmt: skip
        assert cells[0] == cells[1]


ODS = """<?xml version="1.0" encoding="UTF-8"?>
<office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x" xmlns:style="s" xmlns:calcext="c">
<office:automatic-styles><style:style style:name="off"><style:table-properties table:display="false"/></style:style></office:automatic-styles>
<office:body><office:spreadsheet>
<table:table table:name="Hives">
<table:table-column/><table:table-column table:visibility="collapse"/>
<table:table-row>{heads}</table:table-row>
<table:table-row table:number-rows-repeated="2">{row}</table:table-row>
<table:table-row table:visibility="collapse">{row}</table:table-row>
<table:table-row table:number-rows-repeated="1048000"><table:table-cell table:number-columns-repeated="1024"/></table:table-row>
</table:table>
<table:table table:name="Secret" table:style-name="off"><table:table-row><table:table-cell office:value-type="string"><text:p>x</text:p></table:table-cell></table:table-row></table:table>
</office:spreadsheet></office:body></office:document-content>"""


def test_what_opendocument_has_of_its_own(tmp_path: Path) -> None:
    kinds = {
        "count": 'office:value-type="float" office:value="3"',
        "share": 'office:value-type="percentage" office:value="0.125"',
        "price": 'office:value-type="currency" office:currency="EUR" office:value="19.9"',
        "day": 'office:value-type="date" office:date-value="2025-05-01"',
        "moment": 'office:value-type="date" office:date-value="2025-05-01T06:30:00"',
        "clock": 'office:value-type="time" office:time-value="PT06H30M00S"',
        "long": 'office:value-type="time" office:time-value="PT30H00M00.5S"',
        "days": 'office:value-type="time" office:time-value="-P1DT6H"',
        "fed": 'office:value-type="boolean" office:boolean-value="true"',
        "sum": 'office:value-type="float" office:value="7" table:formula="of:=[.A2]+4"',
        "bad": 'office:value-type="string" calcext:value-type="error"',
        "note": 'office:value-type="string"',
    }
    texts = {
        "bad": "<text:p>#N/A</text:p>",
        "note": '<office:annotation><text:p>aside</text:p></office:annotation><text:p>two<text:s text:c="2"/>spaces</text:p><text:p>lines</text:p>',
    }
    heads = "".join(f"<table:table-cell><text:p>{name}</text:p></table:table-cell>" for name in kinds)
    row = "".join(
        f"<table:table-cell {about}>{texts.get(name, '')}</table:table-cell>" for name, about in kinds.items()
    )
    place = tmp_path / "hives.ods"
    with zipfile.ZipFile(place, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", ODS.format(heads=heads, row=row))
    table = comb.load(place)
    first = {name: table[name].to_list()[0] for name in table.names}
    assert first == {
        "count": 3, "share": 0.125, "price": 19.9, "day": datetime.date(2025, 5, 1),
        "moment": datetime.datetime(2025, 5, 1, 6, 30), "clock": datetime.time(6, 30),
        "long": datetime.timedelta(hours=30, seconds=0.5),
        "days": -datetime.timedelta(days=1, hours=6), "fed": True, "sum": 7, "bad": None, "note": "two  spaces\nlines",
        "hidden": False,
    }  # fmt: skip
    assert (table["share"].description, table["price"].description) == ("%", "EUR")
    assert table["hidden"].to_list() == [False, False, True] and table["bad"].kept.texts[0] == "#N/A"
    assert "1 hidden column read: share" in table.notes and "on a hidden sheet" in comb.inspect(place).tables[1].notes
    with zipfile.ZipFile(place, "a") as archive:
        archive.writestr("META-INF/manifest.xml", "<encryption-data/>")
    with pytest.raises(comb.ContentError, match="protected by a password"):
        comb.load(place)


CODES = [
    # The number format, the numbers, and what is read.
    ("00000", [1067, 10115, None, 99423], ["01067", "10115", None, "99423"]),
    ("00000\\-0000", [10671234, 801150001], ["01067-1234", "80115-0001"]),
    ("000", [7, 12345], ["007", "12345"]),
    # Digits that no zero was put before are numbers, and so is what a format shows otherwise.
    ("0000", [2025, 2026], [2025, 2026]),
    ("00.0", [7, 8], [7, 8]),
    ("000", [7.5, 8], [7.5, 8.0]),
    ("000", [-7, 8], [-7, 8]),
    ("000", [7, 1e300], [7.0, 1e300]),
]


@pytest.mark.parametrize(("code", "numbers", "expected"), CODES)
@pytest.mark.parametrize("fast", [True, False])
def test_formats_that_mean_codes_keep_text(
    tmp_path: Path, code: str, numbers: list[Any], expected: list[Any], fast: bool
) -> None:
    def finish(made: Any, sheet: Any) -> None:
        shown = made.add_format({"num_format": code})
        for row, number in enumerate(numbers, 1):
            if number is not None:
                sheet.write(row, 1, number, shown)

    rows = {f"A{row}": f"hive {row}" for row in range(2, len(numbers) + 2)}
    place = book(tmp_path / "codes.xlsx", {"Places": {"A1": "hive", "B1": "postcode", **rows}}, finish)
    with contextlib.nullcontext() if fast else reference():
        table = comb.load(place)
    assert table["postcode"].to_list() == expected
    assert table.place(1, "postcode") == "codes.xlsx, Places!B2"
    codes = table["postcode"].type.word == "string"
    assert ("digits as the workbook shows them" in (table["postcode"].description or "")) == codes
    # A type that is asked for counts more.
    whole = comb.load(place, types={"postcode": "string"})["postcode"].to_list()
    assert whole == expected or not codes


def test_codes_of_an_opendocument_keep_text(tmp_path: Path) -> None:
    def cell(value: str, text: str) -> str:
        return f'<table:table-cell office:value-type="float" office:value="{value}"><text:p>{text}</text:p></table:table-cell>'

    heads = "".join(f"<table:table-cell><text:p>{name}</text:p></table:table-cell>" for name in ("postcode", "n"))
    row = cell("1067", "01067") + cell("7", "7")
    place = tmp_path / "codes.ods"
    with zipfile.ZipFile(place, "w") as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        archive.writestr("content.xml", ODS.format(heads=heads, row=row))
    table = comb.load(place)
    assert table["postcode"].to_list()[0] == "01067" and table["n"].to_list()[0] == 7


def test_numbers_stored_as_texts_are_a_finding_with_a_remedy(tmp_path: Path) -> None:
    def texts(_: Any, sheet: Any) -> None:
        sheet.write_column(0, 0, ["hive", "a", "b", "c"])
        for row, text in enumerate(["kg", "31.5", "28.25", "30"]):
            sheet.write_string(row, 1, text)

    table = comb.load(book(tmp_path / "t.xlsx", {"S": {}}, texts))
    assert table["kg"].to_list() == ["31.5", "28.25", "30"]
    [finding] = table.profile().of("type.text_numbers")
    assert finding.columns == ("kg",) and finding.count == 3 and "kept as text" in finding.text
    assert table.take_step(finding.remedy)["kg"].to_list() == [31.5, 28.25, 30]


def rows_of(*rows: str) -> dict[str, Any]:
    """Return cells from lines of fields; a formula begins with =."""
    cells = grid("\n".join(row for row in rows))
    return {place: value.replace("_", " ") if isinstance(value, str) else value for place, value in cells.items()}


FILMS = ("title tons days", "Total_Recall 10 1", "Other 20 2", "Total_Eclipse 30 3", "Some 12 4", "Totally 5 1")
DAYS = ("day tons days", "a 10 1", "b 20 2", "c 30 3")

# The rows of a sheet, how many of them are rows of the table, and what is said of totals.
TOTALS = {
    "films": (FILMS, 5, ""),
    "a company": ((*DAYS, "Total_SE 7 9"), 4, ""),
    "a company alone": ((*DAYS, "Total 700 9"), 4, ""),
    "a film that adds up": (("title tons days", "a 10 1", "b 20 2", "Total_Eclipse 30 3"), 3, ""),
    "a total": ((*DAYS, "Total 60 6"), 3, "its numbers add up"),
    "a total of a year": ((*DAYS, "Summe_2026 60 6"), 3, "its numbers add up"),
    "a total of words": ((*DAYS, "Total_north 60 6"), 3, "its numbers add up"),
    "a wrong total of words": ((*DAYS, "Total_north 61 6"), 3, "the total 61 of tons in B5 is wrong: its parts add up to 60"),
    "a group whose total is wrong": (("day tons days", "a 10 1", "b 20 2", "c 5 3", "Total_north 36 6", "d 6 6", "e 7 7", "f 8 8", "Total_south 21 21"), 6, "the total 36 of tons in B5 is wrong: its parts add up to 35"),
    "a company near to a sum": ((*DAYS, "Total_SE 61 7"), 4, ""),
    "a wrong total": ((*DAYS, "Total 61 6"), 3, "the total 61 of tons in B5 is wrong: its parts add up to 60"),
    "two wrong totals": ((*DAYS, "Total 61 7"), 3, "the total 61 of tons in B5 is wrong: its parts add up to 60"),
    "a mean beside": ((*DAYS, "Total 60 2"), 3, "its numbers add up"),
    "formulas": ((*DAYS, "Total =SUM(B2:B4) =SUM(C2:C4)"), 3, "its formulas add up the rows above"),
    "formulas without a label": ((*DAYS, "x =SUM(B2:B4) =SUM(C2:C4)"), 3, "its formulas add up the rows above"),
    "groups": (("day tons days", "a 10 1", "b 20 2", "Subtotal 30 3", "c 5 5", "d 6 6", "Subtotal 11 11", "Total 41 14"), 4, "rows 4, 7, 8 are totals"),
    "groups, one wrong": (("day tons days", "a 10 1", "b 20 2", "Subtotal 30 3", "c 5 5", "d 6 6", "Subtotal 11 10", "Total 41 14"), 4, "the total 10 of days in C7 is wrong: its parts add up to 11"),
    "above": (("day tons days", "Total 60 6", "a 10 1", "b 20 2", "c 30 3"), 3, "row 2 is a total"),
    "a label only": ((*DAYS, "Total . ."), 4, ""),
}  # fmt: skip


@pytest.mark.parametrize("suffix", ["xlsx", "ods"])
@pytest.mark.parametrize(("rows", "kept", "said"), TOTALS.values(), ids=TOTALS)
def test_totals_are_set_aside_only_where_they_add_up(
    tmp_path: Path, rows: tuple[str, ...], kept: int, said: str, suffix: str
) -> None:
    if suffix == "ods" and "=SUM" in "".join(rows):
        pytest.skip("Comb writes no formulas")
    cells = rows_of(*rows)
    if suffix == "xlsx":
        place = book(tmp_path / "t.xlsx", {"S": cells})
    else:
        table = [line.replace("_", " ").split(" ") if "_" not in line else [part.replace("_", " ") for part in line.split(" ")] for line in rows]  # fmt: skip
        columns = {name: [row[at] if at == 0 else None if row[at] == "." else float(row[at]) for row in table[1:]] for at, name in enumerate(table[0])}  # fmt: skip
        comb.table(columns=columns).save(tmp_path / "t.ods")
        place = tmp_path / "t.ods"
    loaded = comb.load(place)
    notes = "; ".join(loaded.notes)
    assert len(loaded) == kept and len(loaded) + len(loaded.origin.set_aside) == len(rows) - 1
    assert said in notes and (said or "total" not in notes)
    wrong = loaded.profile().of("value.total")
    assert bool(wrong) == ("is wrong" in notes)
    whole = comb.load(place, totals=True)
    assert len(whole) == len(rows) - 1


def test_a_sum_without_a_stored_value_is_a_total_too(tmp_path: Path) -> None:
    place = book(tmp_path / "t.xlsx", {"S": rows_of(*DAYS, "Total =SUM(B2:B4) =SUM(C2:C4)", "e 1 1")})
    with zipfile.ZipFile(place) as package:
        parts = {name: package.read(name) for name in package.namelist()}
    sheet = "xl/worksheets/sheet1.xml"
    parts[sheet] = parts[sheet].replace(b"</f><v>0</v>", b"</f>")
    with zipfile.ZipFile(tmp_path / "u.xlsx", "w") as package:
        for name, data in parts.items():
            package.writestr(name, data)
    loaded = comb.load(tmp_path / "u.xlsx")
    assert loaded["day"].to_list() == ["a", "b", "c", "e"] and "its formulas add up" in loaded.notes[0]
    parts[sheet] = parts[sheet].replace(b"SUM(B2:B4)", b"ROUND(B3,1)").replace(b"SUM(C2:C4)", b"ROUND(C3,1)")
    with zipfile.ZipFile(tmp_path / "v.xlsx", "w") as package:
        for name, data in parts.items():
            package.writestr(name, data)
    assert "2 cells have formulas whose values the workbook does not hold" in "; ".join(comb.load(tmp_path / "v.xlsx").notes)  # fmt: skip


def test_what_is_set_aside_on_reading_is_in_the_file_of_a_dataset(tmp_path: Path) -> None:
    book(tmp_path / "t.xlsx", {"S": rows_of(*DAYS, "Total 61 6")})
    (tmp_path / "plan.yaml").write_text("source: t.xlsx\nsteps: [{step: set_aside, where: days = 2}]\nsave: out\n")
    comb.Plan.load(tmp_path / "plan.yaml").run()
    aside = comb.load(tmp_path / "out" / "set-aside.csv")
    assert aside["place"].to_list() == ["S!A5:C5", "t.xlsx, S!A3"] and aside["kind"].to_list() == ["load", "set_aside"]
    assert aside["cell 2"].texts()[0] == "61" and aside["tons"].texts()[1] == "20"


@pytest.mark.parametrize("form", ["d.m.yyyy", "mmm yyyy"])
def test_days_name_columns_of_a_workbook(tmp_path: Path, form: str) -> None:
    days = [datetime.date(2025, month, 1) for month in (1, 2, 3)]

    def finish(made: Any, sheet: Any) -> None:
        for at, day in enumerate(days, 1):
            sheet.write_datetime(0, at, datetime.datetime.combine(day, datetime.time()), made.add_format({"num_format": form}))  # fmt: skip

    for cells in (rows_of("hive x x x", "a 1 2 3", "b 4 5 6.5"), rows_of("hive x x x", "a on off on", "b off on on")):
        table = comb.load(book(tmp_path / "d.xlsx", {"S": cells}, finish))
        assert table.names == ("hive", *map(str, days)) and len(table) == 2


LISTS = {
    "below a title": ([["Keepers of 2024"], [], ["name"], ["Reed"], ["Moss"], ["Lund"]], ["Reed", "Moss", "Lund"]),
    "above a note": ([["name"], ["Reed"], ["Moss"], [], ["as of May"]], ["Reed", "Moss"]),
    "with a gap": ([["name"], ["Reed"], ["Moss"], [], ["Lund"], ["Oak"]], ["Reed", "Moss", "Lund", "Oak"]),
    "alone": ([["name"], ["Reed"]], ["Reed"]),
}


@pytest.mark.parametrize(("rows", "expected"), LISTS.values(), ids=LISTS)
def test_a_list_of_texts_is_no_note_of_its_title(tmp_path: Path, rows: list[list[str]], expected: list[str]) -> None:
    cells = {f"A{at}": row[0] for at, row in enumerate(rows, 1) if row}
    table = comb.load(book(tmp_path / "t.xlsx", {"S": cells}))
    assert table.names == ("name",) and table["name"].to_list() == expected
    around = len(cells) - 1 - len(expected)
    assert len(table.origin.titles) + len(table.origin.footers) == around


@pytest.mark.parametrize("first", ["Total", ""])
def test_totals_above_the_names_are_a_title(tmp_path: Path, first: str) -> None:
    rows = [[first or None, 36, 40.5], ["hive", "n", "kg"], *([f"h{at}", at, at + 0.5] for at in range(1, 9))]
    cells = {f"{'ABC'[at]}{row}": cell for row, line in enumerate(rows, 1) for at, cell in enumerate(line) if cell}
    table = comb.load(book(tmp_path / "t.xlsx", {"S": cells}))
    assert table.names == ("hive", "n", "kg") and table["kg"].to_list() == [at + 0.5 for at in range(1, 9)]
    assert table.origin.titles == (f"{first} 36 40.5".strip(),) and table.place(1) == "t.xlsx, S!A3"
