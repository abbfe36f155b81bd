"""Loading delimited text: what is found out, what is kept, what is refused."""

import threading
from datetime import datetime
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from comb.demo.files import demo_bytes
from support.examples import drawn
from support.running import load_text
from support.strategies import tables


def test_the_demo_file_is_read_as_a_person_would(inspections: comb.Table) -> None:
    words = "integer date string string string string integer integer integer decimal decimal decimal boolean string"
    assert [str(kind) for kind in inspections.types.values()] == words.split()
    assert inspections.origin.options.skip == 3 and inspections.origin.options.delimiter == ";"
    assert inspections["inspected_on"].reasons().count("unreadable") == 6
    # Every row begins on the line the file itself shows, notes with line ends counted.
    lines = demo_bytes("inspections.csv").decode().split("\n")
    for number, visit in zip(range(1, 2401, 97), inspections["visit"].to_list()[::97], strict=True):
        line = int(inspections.place(number).rpartition(" ")[2])
        assert lines[line - 1].startswith(f"{visit};")


@pytest.mark.parametrize(
    ("data", "delimiter", "encoding", "names", "cells"),
    [
        ("a,b\n1,x\n2,y\n", ",", "utf-8", ("a", "b"), [[1, 2], ["x", "y"]]),
        ("a;b\n1,5;x\n2,5;y\n", ";", "utf-8", ("a", "b"), [["1.5", "2.5"], ["x", "y"]]),
        ("a\tb\n1\tx, y; z\n", "\t", "utf-8", ("a", "b"), [[1], ["x, y; z"]]),
        ("a|b\r\n1|x\r\n2|y\r\n", "|", "utf-8", ("a", "b"), [[1, 2], ["x", "y"]]),
        ("a,b\r1,x\r2,y", ",", "utf-8", ("a", "b"), [[1, 2], ["x", "y"]]),
        ("\ufeffä,b\n1,é\n", ",", "utf-8-sig", ("ä", "b"), [[1], ["é"]]),
        ("ä,b\n1,é\n".encode("cp1252"), ",", "windows-1252", ("ä", "b"), [[1], ["é"]]),
        ("a,a,\n1,2,3\n", ",", "utf-8", ("a", "a (2)", "_col.3"), [[1], [2], [3]]),
        ("1,2.5\n3,4.5\n", ",", "utf-8", ("_col.1", "_col.2"), [[1, 3], ["2.5", "4.5"]]),
        ("name\nMill\nRidge\n", ",", "utf-8", ("name",), [["Mill", "Ridge"]]),
        ("a,b\n'x, y','z'\n'u','v'\n", ",", "utf-8", ("a", "b"), [["x, y", "u"], ["z", "v"]]),
        ('a,b\n"x ""y""\n",1\n', ",", "utf-8", ("a", "b"), [['x "y"\n'], [1]]),
        ("at,n\n10:30,1\n11:45,2\n", ",", "utf-8", ("at", "n"), [["10:30:00", "11:45:00"], [1, 2]]),
        ("Title\n\nof the table\na,b,c\n1,2,3\n4,5,6\n", ",", "utf-8", ("a", "b", "c"), [[1, 4], [2, 5], [3, 6]]),
        ("a,b,c\n", ",", "utf-8", ("a", "b", "c"), [[], [], []]),
        ("x\n", ",", "utf-8", ("x",), [[]]),
        # The header has no name for the first column; a title of several words is no header.
        ("w;n\nA1;3,5;8\nA2;4,5;9\n", ";", "utf-8", ("_col.1", "w", "n"), [["A1", "A2"], ["3.5", "4.5"], [8, 9]]),
        ("a,b,c\n1,x,2026-01-02,u\n2,y,2026-01-03,v\n", ",", "utf-8", ("_col.1", "a", "b", "c"),
         [[1, 2], ["x", "y"], ["2026-01-02", "2026-01-03"], ["u", "v"]]),
        ("a,b\n1,x,u\n1,y,v\n", ",", "utf-8", ("a", "b", "_col.3"), [[1, 1], ["x", "y"], ["u", "v"]]),
        ("Bees, all\na,b,c\n1,x,3\n", ",", "utf-8", ("a", "b", "c"), [[1], ["x"], [3]]),
        ("Bees, all\n\n1,x,3\n2,y,4\n", ",", "utf-8", ("_col.1", "_col.2", "_col.3"), [[1, 2], ["x", "y"], [3, 4]]),
    ],
)  # fmt: skip
def test_layouts(
    tmp_path: Path,
    data: str | bytes,
    delimiter: str,
    encoding: str,
    names: tuple[str, ...],
    cells: list[list[object]],
) -> None:
    table = load_text(tmp_path, data)
    assert (table.origin.options.delimiter, table.origin.options.encoding) == (delimiter, encoding)
    assert table.names == names
    shown = [[value if isinstance(value, int) else str(value) for value in table[name].to_list()] for name in names]
    assert shown == cells


def test_ragged_rows_lose_nothing_and_are_told(tmp_path: Path) -> None:
    table = load_text(tmp_path, 'a,b,c\n1,2,3\n4,5\n\n6,7,8,9,"x,y"\n10\n')
    assert table.names == ("a", "b", "c", "_col.4")
    assert table["c"].reasons() == [None, "absent", None, "absent"]
    assert table["b"].reasons() == [None, None, None, "absent"]
    assert table["_col.4"].to_list() == [None, None, '9,"x,y"', None]
    assert table["_col.4"].reasons() == ["absent", "absent", None, "absent"]
    assert table.notes == (
        "1 blank line left out: line 4",
        "1 row with too many cells, the extra cells are in _col.4: line 5",
        "2 rows with too few cells, the missing ones are marked absent: lines 3, 6",
    )
    assert [table.place(number) for number in (3, 4)] == ["table.csv, line 5", "table.csv, line 6"]


@pytest.mark.parametrize(
    ("options", "check"),
    [
        ({"types": {"b": "string"}}, lambda t: t["b"].to_list() == ["1", "-", "3"]),
        ({"types": "string"}, lambda t: {str(kind) for kind in t.types.values()} == {"string"}),
        ({"types": {"day": "date M/d/yyyy"}}, lambda t: str(t["day"].to_list()[0]) == "2026-02-01"),
        (
            {"missing": ["x"]},
            lambda t: t["a"].reasons() == ["marker", None, None] and t["b"].to_list() == [1, None, 3],
        ),
        (
            {"missing": ["x"], "known_words": False},
            lambda t: t["a"].reasons() == ["marker", None, None] and t["b"].to_list() == ["1", "-", "3"],
        ),
        ({"missing": []}, lambda t: t["b"].type.word == "string"),
        ({"columns": ["b", "a"]}, lambda t: t.names == ("b", "a")),
        ({"rows": 2}, lambda t: len(t) == 2),
        ({"header": 0}, lambda t: t.names[0] == "_col.1" and len(t) == 4),
        ({"skip": 1, "header": False}, lambda t: len(t) == 3 and t.place(1) == "table.csv, line 2"),
        ({"delimiter": ";"}, lambda t: t.names == ("a,b,day",)),
        ({"quote": ""}, lambda t: t["a"].to_list() == ["x", '"y"', "z"]),
        ({}, lambda t: t["a"].to_list() == ["x", "y", "z"] and t["b"].reasons() == [None, "marker", None]),
    ],
)
def test_what_is_given_is_not_guessed(tmp_path: Path, options: dict[str, object], check: object) -> None:
    assert check(load_text(tmp_path, 'a,b,day\nx,1,2/1/2026\n"y",-,3/1/2026\nz,3,4/1/2026\n', **options))  # type: ignore[operator]


@given(tables(kinds=("string", "integer", "decimal", "number", "boolean", "date")))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
def test_saved_and_loaded_with_its_types_a_table_is_equal(tmp_path: Path, table: comb.Table) -> None:
    place = tmp_path / "saved.csv"
    table.save(place, overwrite=True)
    types = {name: str(kind) for name, kind in table.types.items()}
    again = comb.load(place, types=types, delimiter=",", quote='"', header=1, skip=0, missing=[])
    assert again.names == table.names and len(again) == len(table)
    for name in table.names:
        kind = table[name].type
        expected = table[name] if kind.scale == again[name].type.scale else None
        if expected is not None:
            assert again[name].to_list() == expected.to_list(), name


# A line of a log, and its fields.
LOGS = {
    "a comma before milliseconds": ("2024-06-01 12:00:0{},003 INFO started, at last", 1),
    "another delimiter": ("2024-06-01 12:00:0{},003|INFO|started, at last", 3),
    "fields behind commas": ("2024-06-01 12:00:0{},003,INFO", 3),
    "a number with three digits": ("2024-06-01 12:00:0{},003", 2),
    "no milliseconds": ("2024-06-01 12:00:0{},INFO started", 2),
}


@pytest.mark.parametrize(("line", "width"), LOGS.values(), ids=LOGS)
def test_a_comma_inside_of_times_parts_nothing(tmp_path: Path, line: str, width: int) -> None:
    (tmp_path / "app.log").write_text("".join(line.format(at) + "\n" for at in range(9)))
    table = comb.load(tmp_path / "app.log")
    assert (len(table.names), table.row_count) == (width, 9)
    if width == 3 and "|" in line:
        assert table["_col.1"].to_list()[0] == datetime(2024, 6, 1, 12, 0, 0, 3000)
    if width == 1:
        assert table["_col.1"].to_list() == [line.format(at) for at in range(9)]


@given(st.lists(st.sampled_from(["1", "x", "", "2,5", '"q"', "n/a", " y ", "a\nb"]), min_size=1, max_size=12))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_the_delimiter_does_not_matter(tmp_path: Path, cells: list[str]) -> None:
    loaded = []
    for delimiter in ",;\t|":
        quoted = ['"' + cell.replace('"', '""') + '"' for cell in cells]
        text = "".join(f"{at}{delimiter}{cell}\n" for at, cell in enumerate(quoted))
        loaded.append(
            load_text(tmp_path, f"n{delimiter}cell\n{text}", delimiter=delimiter, quote='"', header=1, skip=0)
        )
    assert all(table.equals(loaded[0]) for table in loaded)


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-32", "cp1252", "latin-1"])
def test_the_encoding_does_not_matter(tmp_path: Path, encoding: str) -> None:
    text = "name;kg;day\nKönig;1,5;13.2.2026\nÄrger;;1.3.2026\nÖdön;2,5;n/a\n"
    assert load_text(tmp_path, text.encode(encoding)).equals(load_text(tmp_path, text))


@given(st.binary(max_size=300))
@settings(max_examples=drawn(150), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_bytes_give_a_table_or_an_error_that_names_the_file(tmp_path: Path, data: bytes) -> None:
    try:
        table = load_text(tmp_path, data)
    except comb.ReadError as error:
        assert "table.csv" in str(error)
    else:
        assert len(table.names) > 0 and repr(table)


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"", "the file is empty"),
        (b"\n \n", "only blank lines"),
        (b"\xef\xbb\xbf", "only blank lines"),
        (b"\xff\xfe", "only blank lines"),
        (b"PK\x03\x04rest", "file is damaged"),
        (b"%PDF-1.7\n", "a PDF document"),
        (b'{"a": 1, "b": ', "this is not JSON"),
        (b"{\n  1\n}\n", "this is JSON"),
        (b"<!DOCTYPE html>\n<table>", "it contains no table"),
        (b"<?xml version='1.0'?><a/>", "this is XML"),
        (b"CREATE TABLE `v` (`a` int);\nINSERT INTO `v` VALUES (1),(2);\n", "this is SQL"),
        (
            b"-- a dump\n/*!40101 SET NAMES utf8 */;\nDROP TABLE IF EXISTS v;\n\ncreate table v (\n a int\n);\n",
            "this is SQL",
        ),
        (b"begin;\ninsert into v (a, b) values (1, 'x');\n", "this is SQL"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1rest", "not a workbook that can be read"),
        (b"a,b\n" + bytes(range(32)) * 9, "of it are control characters, the first is 00"),
        (b"\xff\xfea", "are not utf-16-le"),
    ],
)
def test_what_is_no_text_is_refused_with_the_place(tmp_path: Path, data: bytes, message: str) -> None:
    with pytest.raises(comb.ContentError) as caught:
        load_text(tmp_path, data)
    assert message in str(caught.value) and isinstance(caught.value, ValueError)


@pytest.mark.parametrize(
    ("options", "message"),
    [
        ({"encoding": "utf8x"}, "no text encoding is called"),
        ({"encoding": "hex"}, "no text encoding is called"),
        ({"delimiter": "\n"}, "a line end cannot be the delimiter"),
        ({"encoding": "ascii"}, "line 2: the bytes C3 are not ascii"),
        ({"delimiter": ""}, "at least one character"),
        ({"quote": "ab"}, "one quote character"),
        ({"header": 6}, "0 to 5 lines"),
        ({"rows": -1}, "0 or more"),
        ({"types": {"A": "date"}}, "did you mean 'a'"),
        ({"types": {"a": "datum"}}, "there is no type"),
        ({"columns": ["z"]}, "there is no column 'z'"),
        ({"header": "one"}, "header: expected a whole number, got 'one'"),
        ({"types": 5}, "types: expected a mapping of names to values or a text, got 5"),
    ],
)
def test_options_that_do_not_fit(tmp_path: Path, options: dict[str, object], message: str) -> None:
    with pytest.raises(comb.CombError) as caught:
        load_text(tmp_path, "a,b\né,1\n", **options)
    assert message in str(caught.value)


def test_paths_that_lead_nowhere(demo: Path) -> None:
    with pytest.raises(FileNotFoundError, match=r"did you mean 'inspections.csv'"):
        comb.load(demo / "inspection.csv")
    with pytest.raises(comb.SourceUnreadable, match=r"harvest.xlsx, .* and 6 more"):
        comb.load(demo)
    with pytest.raises(comb.ReadError, match="there is no folder"):
        comb.load(demo / "nowhere" / "x.csv")


def test_inspection_tells_decisions_and_evidence(demo: Path) -> None:
    inspection = comb.inspect(demo / "inspections.csv")
    message = {one.what: (one.value, one.option) for one in inspection.decisions}
    assert message["delimiter"] == ("semicolon", "delimiter") and message["above the header"] == ("3 lines", "skip")
    assert inspection.decisions[1].runner_up.startswith("comma")
    table = inspection.tables[0]
    assert (table.rows, len(table.columns), len(table.titles)) == (2400, 14, 2)
    assert "day and month cannot be confused" in str(table.columns[1].evidence) and "d.M.yyyy" in repr(inspection)
    assert inspection.as_record()["tables"][0]["columns"][1]["type"] == "date"


def test_a_file_that_changes_while_it_is_read_is_refused(tmp_path: Path) -> None:
    place = tmp_path / "growing.csv"
    place.write_bytes(b"a,b\n" + b"1,2\n" * 5_000_000)
    stop = threading.Event()

    def grow() -> None:
        with place.open("ab") as stream:
            while not stop.is_set():
                stream.write(b"3,4\n" * 100)
                stream.flush()

    writer = threading.Thread(target=grow)
    writer.start()
    try:
        # The writer may pause for once while the file is read, but not twenty times.
        with pytest.raises(comb.SourceUnreadable, match="it changed while it was read, from"):
            for _ in range(20):
                comb.load(place)
    finally:
        stop.set()
        writer.join()


def test_reading_only_some_rows_and_columns_keeps_numbers_and_places(inspections: comb.Table, demo: Path) -> None:
    part = comb.load(demo / "inspections.csv", rows=40, columns=["visit", "*_kg"])
    assert part.names == ("visit", "gross_kg", "tare_kg", "net_kg") and len(part) == 40
    assert part["visit"].to_list() == inspections["visit"].to_list()[:40]
    assert [part.place(row) for row in (1, 40)] == [inspections.place(row) for row in (1, 40)]
    assert "rows 1 to 10" in repr(part) and "40 rows" in part._repr_html_() and "rows 11 to 40" in part._repr_html_()
