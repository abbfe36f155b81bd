"""JSON and JSON Lines: the tables found, their names and types, what is missing, exact numbers, damage, writing."""

import contextlib
import datetime
import gzip
import json
import math
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from comb.demo.documents import READINGS, scales
from comb.demo.files import demo_bytes
from comb.execution.resources import Resources
from comb.kernels import dispatch
from comb.reading.documents.json import found_document as found_lists
from comb.reading.documents.json import found_records
from comb.reading.load import load_table
from comb.tables.read_options import ReadOptions
from support.both_kernels import facts, reference
from support.examples import drawn
from support.on_disk import storage_in
from support.running import run_comb

compiled_only = pytest.mark.skipif(not dispatch.kernels.compiled, reason="nothing is compiled here")


def loaded(place: Path, text: str, **options: Any) -> comb.Table:
    place.write_text(text, encoding="utf-8")
    return comb.load(place, **options)


def test_the_scales_are_two_tables_and_the_broken_line_is_set_aside(demo: Path) -> None:
    assert demo_bytes("scales.jsonl") == scales()[0]
    sound = [json.loads(line) for at, line in enumerate(scales()[0].splitlines()) if at != 117]
    tables = comb.load_all(demo / "scales.jsonl")
    readings, visits = tables["scales"], tables["visits"]
    assert len(readings) == READINGS - 1 and readings.names == (
        "reading", "colony", "day", "hour", "weight_kg", "air.celsius", "air.humidity", "alarms",
    )  # fmt: skip
    assert readings["day"].to_list() == [datetime.date.fromisoformat(one["day"]) for one in sound]
    assert readings["air.celsius"].to_list() == [one.get("air", {}).get("celsius") for one in sound]
    assert set(readings["air.humidity"].reasons()) == {None, "absent"} and set(readings["hour"].reasons()) == {
        None,
        "marker",
    }
    assert set(readings["weight_kg"].kept.texts.values()) == {"overload"}
    assert visits["parent_row"].to_list() == [at for at, one in enumerate(sound, 1) for _ in one["visits"]]
    assert (readings.place(118), readings.origin.set_aside[0].place) == (
        "scales.jsonl, line 119",
        "line 118",
    )
    counts = comb.load(demo / "scales.jsonl", lists="count")["alarms"].to_list()
    assert counts == [len(one["alarms"]) for one in sound]
    long = comb.load(demo / "scales.jsonl", lists="rows")
    assert long["reading"].to_list() == [one["reading"] for one in sound for _ in one["alarms"] or [None]]
    shown = run_comb("inspect", "scales.jsonl", cwd=demo).out
    assert "1 line set aside: line 118" in shown and "records in visits of each record of scales" in shown


@pytest.mark.parametrize(
    ("value", "tables"),
    [
        ([{"a": 1}, {"a": 2}], {"t": ["a"]}),
        ({"meta": {"page": 1}, "items": [{"x": 1}]}, {"/items": ["x"]}),
        ({"a": {"b": [{"x": 1}]}, "c/d": [{"y": 1}]}, {"/a/b": ["x"], "/c~1d": ["y"]}),
        ({"x": [1, 2], "y": ["a", "b"]}, {"t": ["x", "y"]}),
        ({"x": {"0": 1, "1": 2}, "y": {"0": "a", "1": None}}, {"t": ["x", "y"]}),
        ({"x": {"0": 1, "1": {"z": 2}}}, {"t": ["x", "x.z"]}),
        ({"n": 1, "t": {"x": {"0": 1, "1": 2}, "y": {"0": "a", "1": None}}}, {"/t": ["x", "y"]}),
        ({"x": {"2021": 1, "2022": 2}, "y": {"2021": 1, "2022": 2}}, {"t": ["key", "2021", "2022"]}),
        ({"0101": {"mites": 3}, "0102": {"mites": 4}}, {"t": ["key", "mites"]}),
        ([["a", "b"], [1, 2], [3, 4, 5]], {"t": ["a", "b", "_col.3"]}),
        ([["a", "a"], [1, 2]], {"t": ["a", "a (2)"]}),
        ([["b", "a"], [1], [2]], {"t": ["b", "a"]}),
        ([["a", None, "b"], [1, 2, 3]], {"t": ["a", "_col.2", "b"]}),
        ([["a", None], ["c", 1]], {"t": ["_col.1", "_col.2"]}),
        ([["a", "at"], [1, {"x": 2}]], {"t": ["a", "at.x"]}),
        ([[1, 2], [3, 4]], {"t": ["_col.1", "_col.2"]}),
        ([1, 2], {"t": ["value"]}),
        ({"columns": ["a", "b"], "data": [[1, "x"], [2, "y"]]}, {"/data": ["a", "b"]}),
        ({"out": {"fields": [{"name": "a", "type": "int"}, {"name": "b"}], "rows": [[1, 2], [3, 4], [5, 6]]}}, {"/out/rows": ["a", "b"], "/out/fields": ["name", "type"]}),
        # A month without a row still has its columns, where one list is called like names, and one like rows.
        ({"columns": ["a", "b"], "data": []}, {"/data": ["a", "b"]}),
        ({"columns": ["a", "b"], "data": [], "errors": [], "hints": ["x"]}, {"/data": ["a", "b"], "/hints": ["value"]}),
        ({"labels": ["a", "b"], "data": []}, {"/labels": ["value"]}),
        # As many names as rows; of another number; the names stand in the rows themselves; two lists of names.
        ({"labels": ["a", "b"], "data": [[1, 2], [3, 4]]}, {"/labels": ["value"], "/data": ["_col.1", "_col.2"]}),
        ({"columns": ["a"], "data": [[1, 2], [3, 4]]}, {"/columns": ["value"], "/data": ["_col.1", "_col.2"]}),
        ({"columns": ["a", "b"], "data": [["a", "b"], [1, 2], [3, 4]]}, {"/columns": ["value"], "/data": ["a", "b"]}),
        ({"x": ["a", "b"], "y": ["c", "d"], "z": [[1, 2]]}, {"/x": ["value"], "/y": ["value"], "/z": ["_col.1", "_col.2"]}),
        ({"a": 1, "b": "x"}, {"t": ["a", "b"]}),
        ({"id": 1, "at": {"x": 2, "y": {"z": None}}}, {"t": ["id", "at.x", "at.y.z"]}),
        ({"a": {"x": 1}, "b": {"y": 2}}, {"/a": ["x"], "/b": ["y"]}),
        ([{"a": {"b": {"c": 1}}, "d": []}, {"a": 5}], {"t": ["a.b.c", "d", "a"]}),
        (
            [{"id": 1, "parts": [{"n": 1, "deep": [{"z": 1}]}]}],
            {"t": ["id"], "parts": ["parent_row", "n"], "parts/*/deep": ["parent_row", "z"]},
        ),
    ],
)  # fmt: skip
def test_tables_are_found_in_every_shape(tmp_path: Path, value: Any, tables: dict[str, list[str]]) -> None:
    place = tmp_path / "t.json"
    place.write_text(json.dumps(value))
    assert {name: list(table.names) for name, table in comb.load_all(place).items()} == tables
    assert all(list(comb.load(place, table=name).names) == names for name, names in tables.items() if name[0] == "/")
    assert [table.name for table in comb.inspect(place).tables] == list(tables)


@pytest.mark.parametrize("kernels", ["compiled", "reference"])
def test_a_file_called_lines_may_have_one(tmp_path: Path, kernels: str) -> None:
    record = {"id": 7, "at": {"site": "Mill"}, "tags": ["a", "b"], "visits": [{"kg": 1}, {"kg": 2}]}
    for name in ("one.jsonl", "one.ndjson", "one.jsonl.gz"):
        for text in (json.dumps(record), json.dumps(record) + "\n", "\ufeff" + json.dumps(record) + "\n\n"):
            data = text.encode()
            (tmp_path / name).write_bytes(gzip.compress(data) if name.endswith(".gz") else data)
            with reference() if kernels == "reference" else contextlib.nullcontext():
                table = comb.load(tmp_path / name)
                assert table.names == ("id", "at.site", "tags") and table.place(1) == f"{name}, line 1"
                assert comb.load(tmp_path / name, table="visits")["kg"].to_list() == [1, 2]
    # As a document the list inside is what is meant.
    assert loaded(tmp_path / "one.json", json.dumps(record), table="/visits").names == ("kg",)


def test_an_object_that_is_null_has_null_parts(tmp_path: Path) -> None:
    records = [
        {"id": 1, "at": {"site": {"name": "Mill"}, "lat": 50.1}},
        {"id": 2, "at": {"site": None, "lat": None}},
        {"id": 3, "at": None},
        {"id": 4, "at": []},
        {"id": 5, "other": None},
    ]
    for suffix, text in ((".json", json.dumps(records)), (".jsonl", "\n".join(map(json.dumps, records)))):
        table = loaded(tmp_path / f"sites{suffix}", text)
        assert table.names == ("id", "at.site.name", "at.lat", "other")
        assert table["at.site.name"].reasons() == [None, "marker", "marker", "absent", "absent"]
        assert table["at.lat"].reasons() == [None, "marker", "marker", "absent", "absent"]


FARMS = {"farms": [
    {"name": "A", "pos": [50.1, 7.2], "n": [1], "barns": [{"id": 1, "cows": [{"tag": "c1"}, {"tag": "c2"}]}, {"id": 2, "cows": []}]},
    {"name": "B", "pos": None, "n": [1, 2], "barns": [{"id": 3, "cows": [{"tag": "c9"}]}]},
]}  # fmt: skip


def test_lists_inside_lists_are_tables_with_the_rows_of_their_parents(tmp_path: Path) -> None:
    place = tmp_path / "farms.json"
    place.write_text(json.dumps(FARMS))
    tables = comb.load_all(place)
    assert list(tables) == ["/farms", "/farms/*/barns", "/farms/*/barns/*/cows"]
    cows, barns, farms = (tables[name] for name in reversed(tables))
    assert cows["parent_row"].to_list() == [1, 1, 3] and barns["parent_row"].to_list() == [1, 1, 2]
    # From a cow to its farm by two joins.
    whole = cows.join(barns.calculate({"at": "row_number() over (order by id)"}), by="parent_row = at", columns="id")
    assert whole["id"].to_list() == [1, 1, 3]
    for wanted in ("cows", "barns.cows", "farms.barns.cows", "/farms/*/barns/*/cows"):
        assert comb.load(place, table=wanted).row_count == 3, wanted
    assert "table='/farms/*/barns/*/cows'" in barns.sentence()
    with pytest.raises(comb.ContentError, match="contains no table 'ows'"):
        comb.load(place, table="ows")
    lines = tmp_path / "farms.jsonl"
    lines.write_text("".join(json.dumps(one) + "\n" for one in FARMS["farms"]))
    assert list(comb.load_all(lines)) == ["farms", "barns", "barns/*/cows"]
    assert comb.load(lines, table="cows").row_count == 3
    assert farms.plan().run(dry_run=True).tables["farms"].equals(farms)


def test_lists_of_one_length_are_columns(tmp_path: Path) -> None:
    for name, text in (
        ("f.json", json.dumps(FARMS["farms"])), ("f.jsonl", "".join(json.dumps(one) + "\n" for one in FARMS["farms"])),
    ):  # fmt: skip
        (tmp_path / name).write_text(text)
        table = comb.load(tmp_path / name, lists="columns")
        assert table.names == ("name", "pos.1", "pos.2", "n")
        assert table["pos.1"].to_list() == [50.1, None] and table["pos.2"].reasons() == [None, "marker"]
        assert table["n"].to_list() == ["[1]", "[1, 2]"] and "2 lists in n kept as text" in table.sentence()
        assert table.plan().run(dry_run=True).tables["f"].equals(table)


def test_a_limit_of_rows_reads_no_further_in_one_list(tmp_path: Path) -> None:
    place = tmp_path / "long.json"
    record = json.dumps({"n": 1, "text": 'a "],[{' + "x" * 200, "list": [1, {"a": []}], "in": {"b": 2}})
    for between in (",", ",\n", "  ,\n  "):
        place.write_text(" [ " + between.join([record] * 20_000) + between + "{broken")
        few = comb.load(place, rows=5)
        assert few.row_count == 5 and few["text"].to_list()[4].startswith('a "],[{x') and few["in.b"].to_list()[0] == 2
        assert few.origin.checksum == "" and few.place(2) == "long.json, /1"
        shown = run_comb("show", "long.json", cwd=tmp_path).out
        assert "there are more rows, so the types are provisional" in " ".join(shown.split())
        inspected = run_comb("inspect", "long.json", cwd=tmp_path).out
        assert "types are provisional" in " ".join(inspected.split()) and "the first 6," in inspected
    # Lists whose elements are no records, and what is an object, are read whole: another table may stand further down.
    long = "x" * 200
    rows = [[1, long]] * 10_000
    for text in (rows, ["a", *[{"n": long}] * 10_000], {"a": [{"n": long}] * 10_000, "b": [{"m": 1}] * 11_000}):
        place.write_text(json.dumps(text))
        assert "provisional" not in run_comb("inspect", "long.json", cwd=tmp_path).out


def test_a_limit_of_rows_reads_no_further(tmp_path: Path) -> None:
    place = tmp_path / "long.jsonl"
    record = json.dumps({"n": 1, "text": "x" * 200, "list": [1, 2]})
    place.write_text("\n".join([record] * 20_000) + "\n{broken")
    few = comb.load(place, rows=5)
    assert few.row_count == 5 and few["text"].to_list()[4] == "x" * 200
    # What is below was not looked at: it is not said to be broken, and there is no checksum of the whole.
    assert "set aside" not in few.sentence() and few.origin.checksum == ""
    assert "line 20001" in comb.load(place).sentence()
    assert comb.load(place, rows=30_000).row_count == 20_000
    shown = run_comb("show", "long.jsonl", cwd=tmp_path)
    assert shown.code == 0 and "there are more rows, so the types are provisional" in shown.out
    inspected = run_comb("inspect", "long.jsonl", cwd=tmp_path).out
    assert "rows were looked at, so the types are provisional" in inspected
    # Lines that are no records do not count.
    place.write_text("\n".join(["{", record, "[1]", *[record] * 9_000, "{"]))
    assert comb.load(place, rows=3).row_count == 3


def test_a_pointer_chooses_and_says_where_each_record_stands(tmp_path: Path) -> None:
    text = json.dumps({"total": 2, "a": {"b": [{"x": 1}, {"x": 2}]}, "c": [{"y": 1}]})
    table = loaded(tmp_path / "p.json", text, table="/a/b")
    assert (table["x"].to_list(), table.place(2)) == ([1, 2], "p.json, /a/b/1")
    assert comb.inspect(tmp_path / "p.json").tables[0].titles == ("total: 2",)
    with pytest.raises(comb.ContentError, match="it contains no table '/a/z'"):
        comb.load(tmp_path / "p.json", table="/a/z")


def test_numbers_stay_exact_and_what_is_none_is_missing_with_its_text(tmp_path: Path) -> None:
    rows = ['{"big": 12345678901234567890123, "long": 0.12345678901234567890, "n": NaN, "e": 1e400, "t": ""}']
    rows += [f'{{"big": {at}, "long": {at}.5, "n": {at}, "e": 2, "t": null}}' for at in range(1, 4)]
    table = loaded(tmp_path / "n.json", "[" + ",".join(rows) + "]")
    assert {name: dict(table[name].kept.texts) for name in table.names} == {
        "big": {0: "12345678901234567890123"}, "long": {0: "0.12345678901234567890"}, "n": {0: "NaN"}, "e": {0: "1e400"},
        "t": {},
    }  # fmt: skip
    assert [table[name].reasons()[0] for name in table.names] == [
        "unreadable",
        "unreadable",
        "marker",
        "unreadable",
        "blank",
    ]
    assert table["t"].reasons()[1] == "marker" and table["big"].type.word == "integer"
    assert any("NaN or Infinity" in note for note in table.notes)
    largest = loaded(tmp_path / "i.json", f'[{{"i": {2**63 - 1}}}, {{"i": {-(2**63)}}}]')
    assert largest["i"].to_list() == [2**63 - 1, -(2**63)]
    twice = loaded(tmp_path / "d.json", '[{"a": 1, "a": 2}]')
    assert twice["a"].to_list() == [2] and "1 key stood more than once" in twice.notes[0]


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ('[{"a": 1},\n {"a": 2},\n {"a": ', r"line 3, column 8\n  2 records before that can be read: rows=2"),
        ('[{"a": 1} {"a": 2}]', r"expected a comma or the end of the array, at line 1, column 11"),
        ('{"a": {"b": 1}', r"this is not JSON: .* at line 1, column 15"),
        ("[" * 100_000, "nested too deeply"),
        ('{"a": {}}', "it contains no table"),
    ],
)
def test_damage_is_told_with_its_place(tmp_path: Path, text: str, message: str) -> None:
    with pytest.raises(comb.ContentError, match=message):
        loaded(tmp_path / "b.json", text)
    if "rows=2" in message:
        assert loaded(tmp_path / "b.json", text, rows=2)["a"].to_list() == [1, 2]


# Documents one after the other, and their rows.
IN_A_ROW = {
    "objects over several lines": ('{\n "a": 1\n}\n{\n "a": 2\n}\n', [1, 2]),
    "on one line": ('{"a": 1}{"a": 2} {"a": 3}', [1, 2, 3]),
    "commas": ('{"a": 1},\n{"a": 2},\n', [1, 2]),
    "lists": ('[{"a": 1},\n{"a": 2}]\n[]\n[{"a": 3}]', [1, 2, 3]),
    "pages of a service": ('{"page": 1,\n"rows": [{"a": 1}]}\n{"page": 2,\n"rows": [{"a": 2}, {"a": 3}]}', [1, 2, 3]),
}


@pytest.mark.parametrize(("text", "rows"), IN_A_ROW.values(), ids=IN_A_ROW)
def test_documents_one_after_the_other_are_one_list(tmp_path: Path, text: str, rows: list[int]) -> None:
    inner = {"table": "rows"} if "rows" in text else {}
    table = loaded(tmp_path / "r.json", text, **inner)
    assert table["a"].to_list() == rows and table.trace(2, "a")[0].value == str(rows[1])
    assert " documents one after the other are read as one list" in comb.load(tmp_path / "r.json").sentence()
    halves = text[: text.rindex("{")] + '{"a": '
    with pytest.raises(comb.ContentError, match=r"this is not JSON: .*, at line \d+, column \d+"):
        loaded(tmp_path / "r.json", halves, **inner)
    with pytest.raises(comb.ContentError, match="extra data, at line"):
        loaded(tmp_path / "r.json", text.rstrip(",\n") + " [5] {}", **inner)


RECODED: dict[str, tuple[Callable[[str], bytes], str | None, tuple[tuple[int, str], ...]]] = {
    "utf-16": (lambda text: text.encode("utf-16"), "utf-16", ()),
    "utf-8 with a mark": (lambda text: text.encode("utf-8-sig"), None, ()),
    "windows-1252": (lambda text: text.encode("windows-1252"), "windows-1252", ()),
    "bad bytes": (lambda text: text.encode().replace(b"Fen", b"F\xffn"), None, ((3, "ff"), (6, "ff"))),
}


@pytest.mark.parametrize("name", RECODED)
@pytest.mark.parametrize("lines", [True, False])
def test_how_it_was_decoded_is_said_and_read_so_again(tmp_path: Path, name: str, lines: bool) -> None:
    encode, encoding, bad = RECODED[name]
    records = [
        {"place": place, "kg": at, "of": [{"hive": at}]}
        for at, place in enumerate([*["Mühl", "Mühl", "Fen"] * 2, "Mühl", "Mühl"])
    ]
    text = "\n".join(json.dumps(one, ensure_ascii=False) for one in records)
    place = tmp_path / "visits.json"
    place.write_bytes(encode(text if lines else "[" + text.replace("\n", ",\n") + "]"))
    table = comb.load(place)
    assert table["place"].to_list()[:3] == ["Mühl", "Mühl", "F�n" if bad else "Fen"] and table["kg"].to_list() == list(
        range(8)
    )
    assert (table.origin.options.encoding, table.origin.bad_bytes) == (encoding, bad)
    assert ("2 bytes not in utf-8, shown as � (originals kept): lines 3, 6" in table.notes) == bool(bad)
    assert table.plan().run(dry_run=True).tables["visits"].equals(table)
    said = [one.value for one in comb.inspect(place).decisions if one.what == "encoding"]
    assert said == ([encoding or "utf-8"] if encoding or bad else [])


def test_other_options_mean_what_they_mean_elsewhere(tmp_path: Path) -> None:
    text = '{"code": 7, "day": "2025-05-01", "w": "none"}\n{"code": 8, "day": "soon", "w": "x"}\n'
    table = loaded(tmp_path / "o.jsonl", text, types={"code": "string"}, missing=["none"], columns=["w", "code"])
    assert table.names == ("w", "code") and table["code"].to_list() == ["7", "8"]
    assert table["w"].reasons() == ["marker", None]
    assert comb.load(tmp_path / "o.jsonl", rows=1)["day"].type.word == "date"
    assert comb.load(tmp_path / "o.jsonl")["day"].type.word == "string"
    with pytest.raises(comb.ContentError, match="did you mean 'code'"):
        comb.load(tmp_path / "o.jsonl", types={"cod": "string"})
    with pytest.raises(comb.ParameterError, match="expected lists to be one of keep, count, rows"):
        comb.load(tmp_path / "o.jsonl", lists="all")  # type: ignore[arg-type]
    for useless in ({"skip": 1}, {"header": 0}, {"quote": "'"}):
        with pytest.raises(comb.ParameterError, match="does not apply to JSON"):
            comb.load(tmp_path / "o.jsonl", **useless)  # type: ignore[arg-type]
    (tmp_path / "h.xlsx").write_bytes(demo_bytes("harvest.xlsx"))
    with pytest.raises(comb.ParameterError, match="delimiter does not apply to a workbook"):
        comb.load(tmp_path / "h.xlsx", delimiter=";")
    (tmp_path / "b.jsonl").write_text(text.replace("code", "other"))
    with pytest.raises(comb.ContentError, match="expected the columns of"):
        comb.load(tmp_path / "?.jsonl")


PLAIN = st.none() | st.booleans() | st.integers(-(2**53), 2**53) | st.floats(allow_nan=False, allow_infinity=False) | st.text(st.characters(codec="utf-8"), max_size=5)  # fmt: skip


@given(
    st.lists(st.dictionaries(st.sampled_from(["a", "b", "c d", "é"]), PLAIN, max_size=4), min_size=2, max_size=12),
    st.booleans(),
)
@settings(max_examples=drawn(80), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_every_value_is_there_as_value_or_as_text(
    tmp_path: Path, records: Sequence[dict[str, Any]], lines: bool
) -> None:
    records = [{"n": 1, **record} for record in records]
    place = tmp_path / "any.json"
    place.write_text("\n".join(map(json.dumps, records)) if lines else json.dumps(records))
    table = comb.load(place)
    for name in table.names:
        column = table[name]
        for at, (record, cell, reason) in enumerate(zip(records, column.to_list(), column.reasons(), strict=True)):
            value = record.get(name)
            if name not in record:
                assert reason == "absent"
            elif value is None or (isinstance(value, str) and not value.strip()):
                assert reason in ("marker", "blank")
            elif reason is None:
                alike = cell == value or str(cell) == value or cell in (str(value), json.dumps(value))
                assert alike or math.isclose(float(cell), value) or cell.isoformat() == value
            else:
                kept = column.kept.texts[at]
                assert kept == value or json.loads(kept.lower()) == value or math.isclose(float(kept), value)


LONG = (
    st.integers(10**17, 10**19)
    | st.floats(0, 1e-3)
    | st.floats(0, 1)
    | st.sampled_from([0.12345678901234567, 5e-324, -0.0])
)
DEEP = st.recursive(PLAIN | LONG, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from("xyz"), inner, max_size=3), max_leaves=5)  # fmt: skip
ITEMS = st.dictionaries(st.sampled_from(["a", "b", "c d", "é", 'q"', "value", "parent_row"]), DEEP, max_size=3)
BELOW = st.lists(ITEMS | DEEP | st.dictionaries(st.sampled_from("ab"), st.lists(ITEMS, max_size=3), max_size=2), max_size=4)  # fmt: skip
USUAL = st.fixed_dictionaries(
    {"a": PLAIN | LONG},
    optional={
        "at": st.dictionaries(st.sampled_from("xyz"), PLAIN | LONG | st.dictionaries(st.just("u"), PLAIN), max_size=2)
        | st.none()
        | st.just([]),
        "b": st.lists(st.dictionaries(st.sampled_from(["p", "q", "value"]), PLAIN, max_size=2), max_size=3),
        "some": st.lists(PLAIN, max_size=2),
        "deep": st.lists(st.fixed_dictionaries({"p": PLAIN, "q": st.lists(ITEMS, max_size=2)}), max_size=2),
    },
)
RECORDS = USUAL | USUAL | st.dictionaries(st.sampled_from(["a", "b", "c d", "é", "x", "a.b"]), DEEP | BELOW, max_size=5)
LINES = RECORDS.map(json.dumps)
ODD = st.sampled_from(["", "  ", "{", '{"a": 1,}', "[1]", "7", '{"a": NaN, "b": -Infinity}', '{"a": 01}', '{"b": "\\ud800"}', '{"a": "\\u00e9\\n"}', '{"a": 123456789012345678901}', '{"a": 0.12345678901234567890}', '{"a": 1e999}', '{"a": "2025-05-01"}', '{"a": 1} 2', "\u00a0", '{"a":{"x":1},"a":2}', ' {"x" : [1,{}] } \r', '{"a": tru}', '{"a": 1e5, "b": -0}', '{"new": 1, "b": {"newer": [{"p": 1}]},}', '{"b": [{"p": 1, "q": [{"r": 2}]}, {"s": 3}, 4, null, []], "x": }', '{"b": [{}]}', '{"b": [ ]}', '{"b": [ {"p" : [{"r": 2}, 7]} , {} ] , "x":[{"p":1}] }', '{"b": [{"p": 1]}'])  # fmt: skip


@given(st.lists(LINES | ODD, min_size=1, max_size=15), st.integers(1, 60))
@settings(max_examples=drawn(80), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_the_quick_road_gives_what_the_reference_gives(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, lines: list[str], size: int
) -> None:
    place = tmp_path / "any.jsonl"
    place.write_text("\n".join(['{"a": 1}', '{"b": "x"}', *lines, '{"a": 2}']), encoding="utf-8", newline="")

    def read() -> object:
        try:
            return {name: facts(table) for name, table in comb.load_all(place).items()}
        except comb.CombError as error:
            return str(error)

    with reference():
        expected = read()
    assert read() == expected
    # In pieces of any size, and kept on disk: the same.
    with monkeypatch.context() as patch:
        patch.setattr(found_records, "PIECE_BYTES", size)
        patch.setattr(found_records, "LIKELY_LINE", 3)
        assert read() == expected
        if isinstance(expected, dict) and len(expected) == 1:
            on_disk = load_table(place, ReadOptions(), resources=Resources(2, storage=storage_in(tmp_path)))
            assert facts(on_disk) == expected[next(iter(expected))]


DOCUMENTS = st.lists(RECORDS | st.just({}), min_size=1, max_size=8) | st.dictionaries(
    st.sampled_from(["data", "b/c", "meta", "é", 'q"', "x"]),
    st.lists(RECORDS, max_size=5) | DEEP | st.dictionaries(st.sampled_from("kl"), st.lists(RECORDS, max_size=3) | DEEP, max_size=3),
    max_size=3,
)  # fmt: skip
DAMAGE = st.sampled_from([None, None, None, "}", "]", ",", '"', " ", "{", '{"a": 1, "a": 2}', "\x01", "[{}]", ":", "1"])


@given(DOCUMENTS, st.sampled_from([None, 1]), DAMAGE, st.floats(0, 1), st.integers(1, 60), st.sampled_from(["keep", "keep", "count", "rows", "columns"]))  # fmt: skip
@settings(max_examples=drawn(120), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_lists_of_records_are_found_as_the_reference_finds_them(
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    value: Any,
    indent: int | None,
    damage: str | None,
    share: float,
    size: int,
    lists: Any,
) -> None:
    text = json.dumps(value, indent=indent, ensure_ascii=False)
    at = int(len(text) * share)
    place = tmp_path / "any.json"
    place.write_text(text if damage is None else text[:at] + damage + text[at:], encoding="utf-8", newline="")

    def read() -> object:
        try:
            return {name: facts(table) for name, table in comb.load_all(place, lists=lists).items()}
        except comb.CombError as error:
            return str(error)

    with reference():
        expected = read()
    with monkeypatch.context() as patch:
        patch.setattr(found_records, "PIECE_BYTES", size)
        patch.setattr(found_lists, "LEAST_LIST", 1)
        assert read() == expected


@compiled_only
def test_lines_that_do_not_fit_into_memory(tmp_path: Path) -> None:
    place = tmp_path / "readings.jsonl"
    block = "".join(
        json.dumps({"n": at, "hive": f"hive {at % 50}", "kg": at % 90 / 4, "note": f"calm {at}" if at % 3 else None})
        + "\n"
        for at in range(20_000)
    )
    place.write_text(block * 45 + '{"n": "many", "late": 1}\n')
    packed = tmp_path / "readings.jsonl.gz"
    packed.write_bytes(gzip.compress(place.read_bytes(), 1))
    alone = run_comb("count", place.name, "--by", "hive", cwd=tmp_path)
    assert alone.code == 0 and "hive 26  18000" in alone.out and "working on disk" not in alone.err
    # The same as one document: a list beside something else, with records inside its last one.
    whole = tmp_path / "readings.json"
    whole.write_text(
        '{"by": "scale", "list": [' + (block * 45).replace("\n", ",\n") + '{"late": 1, "parts": [{"p": 1}]}]}'
    )
    for name in (place.name, packed.name, whole.name):
        small = run_comb("count", name, "--by", "hive", "--memory", "100MB", cwd=tmp_path)
        same = small.out.replace(".gz", "").replace(".json ", ".jsonl ") == alone.out
        assert (same or name == whole.name) and "working on disk" in small.err, small.err
        assert "hive 26  18000" in small.out
    parts = run_comb("show", whole.name, "--table", "parts", "--memory", "100MB", cwd=tmp_path)
    assert parts.code == 0 and "900001" in parts.out, parts.err
    profiled = [comb.profile(place, memory=memory) for memory in (None, "150MB")]
    assert [str(one) for one in profiled[0].findings] == [str(one) for one in profiled[1].findings]
    with pytest.raises(comb.NotEnoughMemory):
        comb.profile(place, memory="100MB", lists="count", encoding="utf-8")


@pytest.mark.parametrize("suffix", [".json", ".jsonl", ".ndjson.gz"])
def test_what_is_saved_as_json_comes_back(tmp_path: Path, inspections: comb.Table, suffix: str) -> None:
    place = tmp_path / f"saved{suffix}"
    inspections.save(place)
    back = comb.load(place, types={"gross_kg": "decimal", "net_kg": "decimal", "tare_kg": "decimal"})
    for name in inspections.names:
        assert back[name].to_list() == inspections[name].to_list() or name == "inspected_on", name
    table = comb.table(columns={"a.x": [1, None], "a.y": [2.0, 0.5], "b": ['\u2028"\\', None]})
    table.save(tmp_path / "n.json", nested=True, leave_missing_out=True)
    assert json.loads((tmp_path / "n.json").read_text(encoding="utf-8")) == [
        {"a": {"x": 1, "y": 2.0}, "b": "\u2028\"\\"}, {"a": {"y": 0.5}},
    ]  # fmt: skip
    assert comb.load(tmp_path / "n.json").types == table.types
    with pytest.raises(comb.ParameterError, match=r"delimiter does not apply to \.json"):
        table.save(tmp_path / "x.json", delimiter=";")
    with pytest.raises(comb.ParameterError, match="other columns would stand inside it"):
        comb.table(columns={"a": [1], "a.b": [2]}).save(tmp_path / "x.json", nested=True)


@pytest.mark.parametrize(
    ("text", "tables", "first"),
    [
        ('{"a": [1, 2, 3], "b": [{"x": 1}]}', {"/a": 3, "/b": 1}, "/b"),
        ('{"a": [1, 2], "b": [1, 2, 3]}', {"/a": 2, "/b": 3}, "/a"),
        ('{"id": 1, "tags": ["x", "y"]}', {"/tags": 2}, "/tags"),
        ('{"a": [[1], 2], "b": {"c": [null]}}', {"/a": 2, "/b/c": 1}, "/a"),
        ('{"arcs": [[[0, 1]]], "box": [1, 2]}', {"/arcs": 1, "/box": 2}, "/arcs"),
    ],
)
def test_no_list_of_a_document_is_passed_over(tmp_path: Path, text: str, tables: dict[str, int], first: str) -> None:
    path = tmp_path / "lists.json"
    path.write_text(text)
    assert {one.name: one.rows for one in comb.inspect(path).tables} == tables
    assert {name: table.row_count for name, table in comb.load_all(path).items()} == tables
    table = comb.load(path)
    assert table.origin.options.table == first and table.row_count == tables[first]
    assert all(name in "; ".join(table.notes) for name in tables if name != first)


NOTHING: dict[str, tuple[str, int, tuple[str, ...]]] = {
    "a list": ("[]", 0, ()),
    "a list alone": ('{"apiaries": []}', 0, ()),
    "beside particulars": ('{"meta": {"page": 1}, "results": [], "total": 0}', 0, ()),
    "further down": ('{"data": {"items": []}, "ok": true}', 0, ()),
    "names and no row": ('[["id", "kg"]]', 0, ("id", "kg")),
    "names and no row below a key": ('{"rows": [["id", "kg"]]}', 0, ("id", "kg")),
    "columns without a value": ('{"id": [], "kg": []}', 0, ("id", "kg")),
    "names beside": ('{"columns": ["id", "kg"], "rows": []}', 0, ("id", "kg")),
    "a record with an empty list": ('{"id": 1, "tags": []}', 1, ("id", "tags")),
    "one with an object too": ('{"id": 1, "site": {"name": "Mill"}, "tags": []}', 1, ("id", "site.name", "tags")),
    "a row": ('[["Mill", "2.5"]]', 1, ("_col.1", "_col.2")),
    "lines": ("", 0, ()),
}


@pytest.mark.parametrize(("text", "rows", "names"), NOTHING.values(), ids=NOTHING)
def test_a_list_without_a_record_is_a_table_without_rows(
    tmp_path: Path, text: str, rows: int, names: tuple[str, ...]
) -> None:
    path = tmp_path / ("june.json" if text else "june.jsonl")
    path.write_text(text)
    table = comb.load(path)
    assert (table.row_count, table.names) == (rows, names)
    assert ("there is no record" in table.sentence()) == (not rows and not names)
    assert [one.equals(table) for one in comb.load_all(path).values()] == [True]
    assert run_comb("inspect", path.name, cwd=tmp_path).code == 0
    if not names:
        # What its columns would be, only who asks for them can say.
        asked = comb.load(path, types={"id": "integer", "day": "date d.M.yyyy"})
        assert asked.row_count == 0 and [str(kind) for kind in asked.types.values()] == ["integer", "date"]


@pytest.mark.parametrize("text", ["{}", '{"a": {}}'])
def test_an_inspection_of_nothing_is_an_error(tmp_path: Path, text: str) -> None:
    (tmp_path / "nothing.json").write_text(text)
    assert comb.load_all(tmp_path / "nothing.json") == {}
    for call in (comb.inspect, comb.load):
        with pytest.raises(comb.ContentError, match="it contains no table"):
            call(tmp_path / "nothing.json")


def test_records_of_too_many_keys_are_refused_not_cut(tmp_path: Path) -> None:
    (tmp_path / "w.json").write_text(json.dumps([{f"k{at}": at} for at in range(5_001)]))
    with pytest.raises(comb.ContentError, match="more than 5,000 different keys"):
        comb.load(tmp_path / "w.json")
    (tmp_path / "w.json").write_text(json.dumps([{f"k{at}": at for at in range(5_000)}]))
    assert len(comb.load(tmp_path / "w.json").names) == 5_000


def test_of_several_files_one_may_have_no_record(tmp_path: Path) -> None:
    may, june = tmp_path / "may.json", tmp_path / "june.json"
    may.write_text('[{"hive": "A1", "kg": 3.5}, {"hive": "B2", "kg": 4}]', encoding="utf-8")
    june.write_text('{"results": [], "pages": 0}', encoding="utf-8")
    for files in ([may, june], [june, may]):
        table = comb.load(files)
        assert table["kg"].to_list() == [3.5, 4.0] and set(table["table"].to_list()) == {"may.json, may"}
        assert table.place(2, "kg") == "may.json, /1"
        assert "june.json, /results: there is no record" in table.sentence()


@pytest.mark.parametrize(
    ("before", "behind"),
    [
        ("loaded(", ");"), ("var hives =\n", ";\n"), ("window.hives[\"all\"] = ", ";"), ("export default ", ""),
        ("// weighed by hand\n/* in\nMay */ ", "\n"), ("const Größe = ", ";"), ("\ufeff  hives.load( ", " ) ; \n"),
    ],
)  # fmt: skip
@pytest.mark.parametrize("packed", [False, True])
def test_what_a_script_puts_around_a_document_is_left_out_and_said(
    tmp_path: Path, before: str, behind: str, packed: bool
) -> None:
    place = tmp_path / f"hives.js{'.gz' * packed}"
    records = '[{"hive": "0101", "kg": 31.5},\n {"hive": "0102", "kg": 30}]'
    data = f"{before}{records}{behind}".encode()
    place.write_bytes(gzip.compress(data) if packed else data)
    table = comb.load(place)
    assert table["kg"].to_list() == [31.5, 30] and table.place(2, "hive").endswith("/1")
    said = before.strip("\ufeff \n")[:40]
    assert f"{said!r} before the JSON is left out" in table.sentence().replace("\n", " ")
    assert said.partition("\n")[0] in repr(comb.inspect(place))


def test_a_sequence_of_texts_is_one_list(tmp_path: Path) -> None:
    (tmp_path / "t.json-seq").write_text('\x1e{"id": 1}\n\x1e{"id": 2,\n "kg": 3.5}\n')
    assert comb.load(tmp_path / "t.json-seq")["id"].to_list() == [1, 2]


def test_comments_without_a_document_take_no_time() -> None:
    assert comb.load(("/**/" * 400 + "a,b\n1,2\n").encode()).names[-1] == "b"
    assert comb.load(("// x\n" * 300 + "a,b\n1,2\n").encode()).row_count


@pytest.mark.parametrize("text", ["count(n),b\n1,2\n", "f(x) = [1]\n2\n", "// a,b\n1,2\n", "name(first);b\n[1];2\n"])
def test_text_that_only_begins_like_a_script_is_delimited(text: str) -> None:
    assert "JSON" not in repr(comb.inspect(text.encode()))
