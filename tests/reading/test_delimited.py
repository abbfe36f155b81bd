"""Delimited text, read and written: every layout, encoding and packing; the laws that tie them."""

import bz2
import csv
import gzip
import io
import json
import lzma
import zipfile
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from comb.demo.files import demo_bytes
from comb.execution.memory import check_memory
from comb.kernels.reference.splitting import split_records
from comb.kernels.types import SPACES
from comb.reading.io.encoding import decode
from support.examples import drawn
from support.running import load_text, run_comb
from support.strategies import tables

ROOT = Path(__file__).parents[2]
IN_FOLDER = settings(suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])


def shown(table: comb.Table) -> dict[str, list[str | None]]:
    return {name: column.texts() for name, column in table.columns.items()}


@pytest.mark.parametrize(
    ("text", "columns", "notes"),
    [
        ("place     kg   n\nMill      31.5   1\n Ridge     2.0  12\n", {"place": ["Mill", "Ridge"], "kg": ["31.5", "2.0"], "n": ["1", "12"]}, []),
        ("a:b\n1:x\n2:y\n", {"a": ["1", "2"], "b": ["x", "y"]}, []),
        ("at\n10:30\n11:45\n", {"at": ["10:30:00", "11:45:00"]}, []),
        ("name\nMill Brook\nOld Orchard\n", {"name": ["Mill Brook", "Old Orchard"]}, []),
        ('a,b\n"x \\"y\\"",1\n"p, q",2\n', {"a": ['x "y"', "p, q"], "b": ["1", "2"]}, []),
        ("place;kg;t (°C)\n-;[kg];\nMill;31,5;20\nOak;2,5;21\n", {"place": ["Mill", "Oak"], "kg": ["31.5", "2.5"], "t (°C)": ["20", "21"]}, ["the line below the header gives units, read as descriptions of the columns"]),
        ("place,2025,,2026,\n,brood,honey,brood,honey\nMill,1,2,3,4\n", {"place": ["Mill"], "2025 brood": ["1"], "2025 honey": ["2"], "2026 brood": ["3"], "2026 honey": ["4"]}, []),
        ("kg\n1,5\n2,25\n", {"kg": ["1.5", "2.25"]}, []),
        ("place,2024,2025\nMill,1,2\nOak,3,4\n", {"place": ["Mill", "Oak"], "2024": ["1", "3"], "2025": ["2", "4"]}, []),
        ("year,n\n2024,1\n2025,2\n", {"year": ["2024", "2025"], "n": ["1", "2"]}, []),
        ("place   kg\n------  ----\nMill    1.5\nOak     2.5\n", {"place": ["Mill", "Oak"], "kg": ["1.5", "2.5"]}, ["1 line of dashes left out: line 2"]),
        ("====== ==\nplace  n\n====== ==\nMill    1\nOak     2\n====== ==\nall     3\n====== ==\n", {"place": ["Mill", "Oak", "all"], "n": ["1", "2", "3"]}, ["3 lines of dashes left out: lines 3, 6, 8", "1 line of titles above the rows"]),
        ("Total,6,8.5\nhive,n,kg\nh1,1,1.5\nh2,2,3\nh3,3,4\n", {"hive": ["h1", "h2", "h3"], "n": ["1", "2", "3"], "kg": ["1.5", "3", "4"]}, ["1 line of titles above the rows"]),
        ("h0,6,8.5\nh9,7,9\nh1,1,1.5\nh2,2,3\nh3,3,4\n", {"_col.1": ["h0", "h9", "h1", "h2", "h3"], "_col.2": ["6", "7", "1", "2", "3"], "_col.3": ["8.5", "9", "1.5", "3", "4"]}, []),
        ("# made by hand, in May\na,b\n1,2\n", {"a": ["1"], "b": ["2"]}, ["1 line of titles above the rows"]),
        ("#a,b\n1,2\n", {"#a": ["1"], "b": ["2"]}, []),
        ("a,b,c\n1,2,3\n4,5,6\n\nSource: the keepers\nas of May\n", {"a": ["1", "4"], "b": ["2", "5"], "c": ["3", "6"]}, ["2 lines below the table treated as notes: lines 5, 6", "1 blank line left out: line 4"]),
        ("a,b\n1,2\na,b\n3,4\n", {"a": ["1", "3"], "b": ["2", "4"]}, ["1 row repeating the header, left out: line 3"]),
        ("a;b;\n1;2;\n3;4;\n", {"a": ["1", "3"], "b": ["2", "4"]}, ["lines end with a delimiter; the empty last column is left out"]),
        ("a;b\n1;2;\n3;4;\n", {"a": ["1", "3"], "b": ["2", "4"]}, ["lines end with a delimiter; the empty last column is left out"]),
        ("a;b;\n1;2\n3;4\n", {"a": ["1", "3"], "b": ["2", "4"]}, ["lines end with a delimiter; the empty last column is left out"]),
        ("a,b\nx\x00y,1\nz,2\n", {"a": ["x\x00y", "z"], "b": ["1", "2"]}, []),
        ("a,b\n1,2\r3,4\r\n5,6", {"a": ["1", "3", "5"], "b": ["2", "4", "6"]}, []),
        ('a,b\n"x,1\n' + "y,2\n" * 3 + '"z",3\n', {"a": ['"x', "y", "y", "y", "z"], "b": ["1", "2", "2", "2", "3"]}, ["1 row with a quote that never closes, read as an ordinary character: line 2"]),
        ('a,b\n5" nail,1\n"3" pipe",2\n', {"a": ['5" nail', '3" pipe'], "b": ["1", "2"]}, ["2 rows with a quote inside a field, read as an ordinary character: lines 2, 3"]),
    ],
)  # fmt: skip
def test_layouts(tmp_path: Path, text: str, columns: dict[str, list[str]], notes: list[str]) -> None:
    table = load_text(tmp_path, text)
    assert shown(table) == columns
    assert list(table.notes) == notes


def test_units_become_descriptions(tmp_path: Path) -> None:
    table = load_text(tmp_path, "place;weight;t (°C)\n;[kg];\nMill;31,5;20\nOak;2,5;21\n")
    assert [column.description for column in table.columns.values()] == ["", "kg", "°C"]
    assert table.place(1) == "table.csv, line 3"


@pytest.mark.parametrize("quoting", [csv.QUOTE_MINIMAL, csv.QUOTE_ALL], ids=["where needed", "all"])
@pytest.mark.parametrize("line_end", ["\n", "\r\n"])
@pytest.mark.parametrize("delimiter", [",", ";", "\t", "|"])
@pytest.mark.parametrize("quote", ['"', "'"])
def test_the_quote_is_found_out(quote: str, delimiter: str, line_end: str, quoting: Any) -> None:
    other = '5" nail' if quote == "'" else "bee's"
    rows = [
        [f"{at}", f"a{at}{delimiter} b", other if at == 3 else f"c{at}", f"left{delimiter} right {at}"]
        for at in range(9)
    ]
    # One that only the last column needs is a case of its own.
    for kept in ([0, 1, 2, 3], [0, 2, 3]):
        out = io.StringIO()
        writer = csv.writer(out, delimiter=delimiter, quotechar=quote, quoting=quoting, lineterminator=line_end)
        writer.writerows(
            [[["n", "first", "second", "last"][at] for at in kept], *([row[at] for at in kept] for row in rows)]
        )
        table = comb.load(out.getvalue().encode(), types={"n": "string"})
        assert [list(row) for row in zip(*(column.to_list() for column in table.columns.values()), strict=True)] == [
            [row[at] for at in kept] for row in rows
        ]


@pytest.mark.parametrize(
    ("quote", "delimiter", "text", "fields"),
    [
        ('"', SPACES, 'a  "b c"  d \n', ["a", "b c", "d"]),
        ('"', SPACES, '  "b"\n', ["b"]),
        ("'", ",", "'it''s',x\n", ["it's", "x"]),
        (None, ",", '"a,b"\n', ['"a', 'b"']),
        ('"', "||", 'a||"b||c"\n', ["a", "b||c"]),
    ],
)
def test_quotes_and_delimiters_of_the_kernel(quote: str | None, delimiter: str, text: str, fields: list[str]) -> None:
    assert split_records(text, delimiter, quote).fields == [fields]


@given(st.integers(1, 300), st.integers(0, 300))
def test_a_quote_that_never_closes_costs_at_most_its_own_line(before: int, after: int) -> None:
    good = 'x,"y ""z""\nw",1\n'
    text = good * before + '"open,2,3\n' + good * after
    found = split_records(text, ",", '"')
    assert len(found.fields) == before + 1 + after
    assert found.fields[:before] + found.fields[before + 1 :] == [["x", 'y "z"\nw', "1"]] * (before + after)
    assert found.unclosed == [2 * before + 1]


def test_many_opening_quotes_are_no_quadratic_work() -> None:
    # Each of these took minutes before lines without hope were left alone.
    for text in ('"x' + ' "y' * 60_000 + '\n"z"\n', '"x,1\n' * 60_000, 'a"b,' * 60_000):
        assert split_records(text, " ", '"').fields


@pytest.mark.parametrize(
    ("text", "encoding", "found"),
    [
        ("Königin;Fütterung\n", "utf-8", "utf-8"),
        ("Königin;Fütterung\n", "utf-8-sig", "utf-8-sig"),
        ("Königin;Fütterung\n", "utf-16", "utf-16"),
        ("Königin;Fütterung\n", "utf-16-le", "utf-16-le"),
        ("Königin;Fütterung\n", "utf-16-be", "utf-16-be"),
        ("Königin;Fütterung\n", "utf-32", "utf-32"),
        ("Königin;Fütterung\n", "cp1252", "windows-1252"),
        ("Příliš žluťoučký kůň\n", "cp1250", "windows-1250"),
        ("Привет, пчёлы\n", "cp1251", "windows-1251"),
        ("Königin größe Fütterung\n", "cp850", "cp850"),
        ("naïve café, 5 °C, 3 €\n", "cp1252", "windows-1252"),
        ("plain\n", "ascii", "utf-8"),
    ],
)
def test_encodings_by_the_ladder(text: str, encoding: str, found: str) -> None:
    decoded = decode(text.encode(encoding), "x")
    assert (decoded.encoding, decoded.text) == (found, text)


def test_candidates_are_shown_with_sample_words(tmp_path: Path) -> None:
    (tmp_path / "x.csv").write_bytes("ort,n\nGröße,1\n".encode("cp1252"))
    decision = comb.inspect(tmp_path / "x.csv").decisions[0]
    assert decision.value == "windows-1252" and "reads Größe" in decision.why
    assert "windows-1250: Größe" in decision.runner_up


def test_bad_bytes_are_kept_aside_with_their_lines(tmp_path: Path) -> None:
    good = "name,n\nKönig,1\nÄrger,2\nÖl,3\n".encode()
    table = load_text(tmp_path, good + b"caf\xff,4\nna\xff\xfeve,5\n" + "é,6\nü,7\nß,8\n".encode())
    assert table["name"].to_list()[3:5] == ["caf\N{REPLACEMENT CHARACTER}", "na\N{REPLACEMENT CHARACTER}ve"]
    assert table.origin.bad_bytes == ((5, "ff"), (6, "ff fe"))
    assert table.notes == ("3 bytes not in utf-8, shown as \N{REPLACEMENT CHARACTER} (originals kept): lines 5, 6",)


@given(st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=40))
def test_valid_utf_8_is_read_as_it_is(text: str) -> None:
    data = ("a" + text + "\n").encode()
    try:
        assert decode(data, "x").text == "a" + text + "\n"
    except comb.ContentError as error:
        assert "control characters" in str(error)


TEXT = demo_bytes("inspections.csv")
PACKED = {
    "x.csv.gz": gzip.compress(TEXT[:5000]) + gzip.compress(TEXT[5000:]),
    "x.csv.bz2": bz2.compress(TEXT),
    "x.csv.xz": lzma.compress(TEXT),
}


def zipped(members: dict[str, bytes]) -> bytes:
    whole = io.BytesIO()
    with zipfile.ZipFile(whole, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return whole.getvalue()


@pytest.mark.parametrize("name", [*PACKED, "x.zip", "x.csv.zst"])
def test_packed_files_are_read_whole_or_refused(tmp_path: Path, name: str, inspections: comb.Table) -> None:
    if name.endswith("zst"):
        zstandard = pytest.importorskip("zstandard")
        data = zstandard.ZstdCompressor().compress(TEXT)
    else:
        data = PACKED.get(name) or zipped({"in/inspections.csv": TEXT, "__MACOSX/x": b"y", "in/": b""})
    place = tmp_path / name
    place.write_bytes(data)
    assert comb.load(place).equals(inspections)
    with pytest.raises(comb.ContentError, match=r"most_bytes=\.\.\., or --most-bytes"):
        comb.load(place, most_bytes=len(TEXT) - 1)
    place.write_bytes(data[:-900])
    with pytest.raises(comb.ContentError, match="is damaged"):
        comb.load(place)


def test_an_archive_with_several_tables(tmp_path: Path) -> None:
    place = tmp_path / "two.zip"
    place.write_bytes(zipped({"spring.csv": b"a,b\n1,2\n", "sub/autumn.csv": b"a,b\n3,4\n5,6\n"}))
    with pytest.raises(comb.ContentError, match=r"2 files in this archive: spring\.csv, sub/autumn\.csv"):
        comb.load(place)
    with pytest.raises(comb.ContentError, match=r"did you mean 'spring\.csv'"):
        comb.load(place, table="sprng.csv")
    assert comb.load(place, table="autumn")["a"].to_list() == [3, 5]
    assert {name: len(table) for name, table in comb.load_all(place).items()} == {"spring.csv": 1, "sub/autumn.csv": 2}
    assert [table.rows for table in comb.inspect(place).tables] == [1, 2]
    assert "2  sub/autumn.csv  2 rows and 2 columns" in run_comb("inspect", "two.zip", cwd=tmp_path).out


@given(st.integers(5, 2400), st.booleans())
@settings(max_examples=drawn(12), suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_file_split_in_two_and_stacked_is_the_same_table(
    tmp_path: Path, inspections: comb.Table, cut: int, by_pattern: bool
) -> None:
    lines = TEXT.decode().split("\n")
    first_of = [int(inspections.place(row).rpartition(" ")[2]) - 1 for row in range(1, 2401)]
    at = first_of[cut - 1]
    (tmp_path / "p1.csv").write_text("\n".join(lines[:at]) + "\n", encoding="utf-8", newline="")
    (tmp_path / "p2.csv").write_text("\n".join(lines[:4] + lines[at:]), encoding="utf-8", newline="")
    parts = str(tmp_path / "p?.csv") if by_pattern else [tmp_path / "p1.csv", tmp_path / "p2.csv"]
    stacked = comb.load(parts)
    assert stacked.equals(inspections)
    assert stacked._source_index.tolist() == [0] * (cut - 1) + [1] * (2401 - cut)
    assert stacked.place(cut) == "p2.csv, line 5"


def test_files_of_another_shape_are_not_stacked(tmp_path: Path) -> None:
    for name, text in [("a.csv", "x,y\n1,2\n"), ("b.csv", "y,x\n3\n"), ("c.csv", "x,z\n5,6\n")]:
        (tmp_path / name).write_text(text)
    both = comb.load([tmp_path / "a.csv", tmp_path / "b.csv"])
    assert shown(both) == {"x": ["1", None], "y": ["2", "3"]} and both["x"].reasons() == [None, "absent"]
    assert both.notes == ("b.csv: 1 row with too few cells, the missing ones are marked absent: line 2",)
    with pytest.raises(
        comb.ContentError, match=r"c\.csv: expected the columns of a\.csv, got others: without y and with z"
    ):
        comb.load(tmp_path / "*.csv")
    with pytest.raises(comb.SourceMissing, match="no file matches"):
        comb.load(tmp_path / "*.txt")
    [again] = both.plan().run().tables.values()
    assert again.equals(both)


SPECIAL = st.sampled_from(
    ["", " x", "x ", '"', "a,b", "a;b", "\n", "\r\n", "\t", "NA", "=1+1", "1", "007", "é", "😀", "null"]
)


@given(
    tables(),
    st.lists(SPECIAL, min_size=8, max_size=8),
    st.sampled_from(["csv", "tsv", "txt.gz", "csv.xz", "csv.bz2"]),
    st.sampled_from([",", ";", "\t", "|"]),
    st.sampled_from(["\r\n", "\n", "\r"]),
    st.sampled_from(["utf-8", "utf-8-sig", "utf-16"]),
    st.sampled_from([("", ".", "yyyy-MM-dd"), ("<none>", ",", "d.M.yyyy")]),
)
@IN_FOLDER
def test_what_is_saved_with_its_description_loads_back_equal(
    tmp_path: Path, table: comb.Table, more: list[str], suffix: str, delimiter: str, line_end: str,
    encoding: str, forms: tuple[str, str, str],
) -> None:  # fmt: skip
    texts = comb.table(columns={"special": [text or None for text in more[: len(table)]]})["special"]
    table = table._derive({**table.columns, 'special, "odd"': texts._replace(description="free text")})
    # Reasons of every kind: a division by zero, a word for missing, a text that does not fit.
    table = table.calculate({"undefined": "cast(number_col as number) / 0"})
    table = table.convert({"string_col": "integer"}).convert({'special, "odd"': "string"}, missing=["NA"])
    place = tmp_path / f"saved.{suffix}"
    missing, decimal_mark, date_pattern = forms
    table.save(
        place, describe=True, overwrite=True, delimiter=delimiter, line_end=line_end, encoding=encoding,
        missing=missing, decimal_mark=decimal_mark, date_pattern=date_pattern,
    )  # fmt: skip
    again = comb.load(place)
    assert again.equals(table)
    for name in table.names:
        assert again[name].kept == table[name].kept and again[name].description == table[name].description


@given(st.lists(st.lists(SPECIAL, min_size=2, max_size=2), min_size=1, max_size=6))
@IN_FOLDER
def test_the_csv_module_reads_what_is_saved(tmp_path: Path, rows: list[list[str]]) -> None:
    table = comb.table(rows=[[cell or None for cell in row] for row in rows], names=["a", "b"])
    table.save(tmp_path / "x.csv", overwrite=True)
    with (tmp_path / "x.csv").open(encoding="utf-8", newline="") as stream:
        read = list(csv.reader(stream))
    assert read[0] == ["a", "b"]
    assert read[1:] == [[cell if cell.strip() else "" for cell in row] for row in rows]


def test_forms_of_writing(tmp_path: Path) -> None:
    table = comb.table(
        columns={
            "s": ["=A1", "x", None],
            "kg": [Decimal("1.50"), None, Decimal("-2.00")],
            "day": [date(2026, 2, 1)] * 3,
        }
    )
    table.save(tmp_path / "x.tsv", decimal_mark=",", date_pattern="d.M.yyyy", missing="NA", disarm=True, line_end="\n")
    assert (tmp_path / "x.tsv").read_text().splitlines() == [
        "s\tkg\tday", "'=A1\t1,50\t1.2.2026", "x\tNA\t1.2.2026", "NA\t-2,00\t1.2.2026",
    ]  # fmt: skip
    table.save(tmp_path / "once.csv.gz")
    table.save(tmp_path / "twice.csv.gz")
    assert (tmp_path / "once.csv.gz").read_bytes() == (tmp_path / "twice.csv.gz").read_bytes()


@pytest.mark.parametrize(
    ("options", "message"),
    [
        ({"encoding": "cp1252"}, "'Öl 😀' in row 2 of s cannot be written in cp1252"),
        ({"encoding": "cp9999"}, "there is no encoding"),
        ({"missing": "Mill"}, "'Mill' is a value in row 1 of s"),
        ({"delimiter": ";;"}, "one character"),
        ({"line_end": "x"}, "expected a line end"),
        ({"decimal_mark": "'"}, "expected a decimal mark"),
        ({"date_pattern": "dd"}, "expected a date pattern"),
    ],
)
def test_what_cannot_be_written_says_where(tmp_path: Path, options: dict[str, str], message: str) -> None:
    with pytest.raises(comb.ParameterError) as caught:
        comb.table(columns={"s": ["Mill", "Öl 😀"]}).save(tmp_path / "x.csv", describe=True, **options)  # type: ignore[arg-type]
    assert message in str(caught.value) and not list(tmp_path.iterdir())


def describe(folder: Path, name: str, columns: list[dict[str, object]], **more: object) -> None:
    record = {"@context": "http://www.w3.org/ns/csvw", "url": "x.csv", "tableSchema": {"columns": columns}, **more}
    (folder / name).write_text(json.dumps(record))


COLUMNS: list[dict[str, object]] = [
    {"name": "id", "datatype": "string", "dc:description": "the code"},
    {"titles": ["day", "Tag"], "datatype": {"base": "date", "format": "dd/MM/yyyy"}},
    {"titles": {"en": "kg"}, "datatype": {"base": "decimal", "format": {"decimalChar": ",", "pattern": "0.0"}}},
    {"titles": "at", "datatype": "dateTime"},
]
DESCRIBED = "id;day;kg;at\n12;05/04/2026;1,5;noon\n13;NA;x;\n"


@pytest.mark.parametrize("name", ["x.csv-metadata.json", "csv-metadata.json", "other.json"])
def test_a_description_replaces_guessing(tmp_path: Path, name: str) -> None:
    describe(tmp_path, name, COLUMNS, dialect={"delimiter": ";"})
    (tmp_path / "x.csv").write_text(DESCRIBED)
    given = {"schema": tmp_path / name} if name == "other.json" else {}
    table = comb.load(tmp_path / "x.csv", **given)  # type: ignore[arg-type]
    assert [str(kind) for kind in table.types.values()] == ["string", "date", "decimal", "datetime"]
    assert shown(table) == {"id": ["12", "13"], "day": ["2026-04-05", None], "kg": ["1.5", None], "at": [None, None]}
    assert table["day"].kept.texts == {1: "NA"} and table["id"].description == "the code"
    assert table.origin.violations == (
        (2, "day", "'NA' is no date"),
        (2, "kg", "'x' is no decimal"),
        (1, "at", "'noon' is no datetime"),
    )
    assert comb.load(tmp_path / "x.csv", schema="").types["id"].word == "integer"
    message = {one.what: one.value for one in comb.inspect(tmp_path / "x.csv", **given).decisions}
    assert message["described in"] == name


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("{", "this is not JSON"),
        ("[]", "got a list"),
        ('{"url": "x.csv"}', "expected tableSchema"),
        ('{"url": "y.csv", "tableSchema": {"columns": []}}', "not a description of x.csv"),
        (
            '{"url": "x.csv", "tableSchema": {"columns": [{"titles": "b"}]}}',
            "the columns are a; its description says b",
        ),
    ],
)
def test_descriptions_that_do_not_fit(tmp_path: Path, text: str, message: str) -> None:
    (tmp_path / "x.csv").write_text("a\n1\n")
    (tmp_path / "schema.json").write_text(text)
    with pytest.raises(comb.ContentError) as caught:
        comb.load(tmp_path / "x.csv", schema=tmp_path / "schema.json")
    assert message in str(caught.value)


def test_a_cells_file_that_is_gone_or_of_another_table_is_told(tmp_path: Path) -> None:
    table = comb.table(columns={"n": [1, None, 3]}).calculate({"q": "n / 0"})
    table.save(tmp_path / "x.csv", describe=True)
    cells = tmp_path / "x-cells.csv"
    cells.write_text(cells.read_text() + "99,99,n,undefined,\r\n1,1,n,undefined,\r\n")
    message = "x-cells.csv has changed since it was saved, and is not applied: why cells are missing is not known"
    assert comb.load(tmp_path / "x.csv").notes == (message,)
    description = tmp_path / "x.csv-metadata.json"
    description.write_text(description.read_text().replace("comb:checksums", "no:checksums"))
    assert comb.load(tmp_path / "x.csv").notes == ("2 lines of x-cells.csv name no missing cell of the table",)
    cells.unlink()
    assert comb.load(tmp_path / "x.csv").notes == ("x-cells.csv was not found: why cells are missing is not known",)


def test_large_and_odd_shapes(tmp_path: Path) -> None:
    wide = load_text(tmp_path, ",".join(f"c{at}" for at in range(2000)) + "\n" + ",".join(map(str, range(2000))) + "\n")
    assert wide.shape == (1, 2000) and wide.cell(1, "c1999") == 1999 and len(repr(wide)) < 2000
    cell = "x" * 5_000_000 + "\n" + 'y "z" ' * 100_000
    long = load_text(tmp_path, 'a,b\n"' + cell.replace('"', '""') + '",1\n')
    assert long["a"].to_list() == [cell]
    with pytest.raises(comb.ContentError, match="at most 20,000 columns, got 30,001"):
        load_text(tmp_path, "a," * 30_000)
    same = load_text(tmp_path, ",".join(["c"] * 3000) + "\n")
    assert same.names[-1] == "c (3000)"


def test_too_little_memory_is_told_before_it_is_used() -> None:
    check_memory(10**6, 16, "small.csv")
    with pytest.raises(comb.NotEnoughMemory, match=r"huge\.csv: loading 1000000\.0 GB needs about") as caught:
        check_memory(10**15, 16, "huge.csv")
    assert isinstance(caught.value, MemoryError) and "--rows" in str(caught.value)


def test_progress_is_told(demo: Path) -> None:
    message: list[str] = []
    comb.load(demo / "inspections.csv", progress=message.append)
    assert message == [f"reading {demo / 'inspections.csv'}", "finding the types of 2,400 rows"]
    assert np.array_equal(comb.load(demo / "inspections.csv", rows=3)._source_index, [0, 0, 0])


@pytest.mark.parametrize(
    ("text", "names", "rows"),
    [
        ("note\nswarm seen\nfed twice\nqueen gone, fed honey\nsmoked\n", ("note",), 4),
        ("note\nswarm | late\nfed twice\nqueen gone\nsmoked\n", ("note",), 4),
        ("note\nseen; fed\nqueen gone\nsmoked\ncalm\nwild; late\nfed\n", ("note",), 6),
        ("keeper\nReed, Ada\nMoss, Tom\nReed, Ann\n", ("keeper",), 3),
        ("keeper, place\nReed, Mill\nMoss, Fox\n", ("keeper", "place"), 2),
        ("Honey yields\nplace, kg\nMill, 3\nFox, 4\n", ("place", "kg"), 2),
        ("Places\nAll of them\nplace,kg\n", ("place", "kg"), 0),
    ],
)
def test_a_mark_inside_some_texts_parts_no_column(text: str, names: tuple[str, ...], rows: int) -> None:
    table = comb.load(text.encode())
    assert (table.names, len(table)) == (names, rows)


MIXED = ["1", "x", "2", "-"]


@pytest.mark.parametrize(
    ("lines", "names"),
    [
        # A semicolon in each line but the first; in each line, with numbers beside; with a line that has one field more.
        (["hive,n,seen", *(f"{at},{one},Hum/5 (low; steady)" for at, one in enumerate(MIXED * 4))], ("hive", "n", "seen")),
        ([f"{at},{one},Hum/5 (low; steady)" for at, one in enumerate(MIXED * 4)], ("_col.1", "_col.2", "_col.3")),
        (["hive,n,seen", *(f"{at},{one},Hum (low; steady){',' * (at == 9)}" for at, one in enumerate(MIXED * 8))], ("hive", "n", "seen")),
        # And what stays: decimal commas in each field, a comma in a title.
        (["a;b", *(f"{at},5;{at},25" for at in range(9))], ("a", "b")),
        ([f"x;{at},5;{at},25;1,5" for at in range(9)], ("_col.1", "_col.2", "_col.3", "_col.4")),
        (["Honey, 2025", "a;b;c", *(f"{at},5;{at},25;x" for at in range(9))], ("a", "b", "c")),
        # Spaces between fields, some of which are in quotes for the spaces in them.
        ([f'10.0.0.{at} - [0{at}/Nov/2026:10:00:00 +0000] "GET /hives?a=1;b={at}" 200 "Hum (low; x)"' for at in range(1, 9)], tuple(f"_col.{at}" for at in range(1, 8))),
        # The same mark twice, and between two others, in each line.
        ([f"{at}::Hive: Mill ({at}00)::calm|fed" for at in range(1, 9)], ("_col.1", "_col.2", "_col.3")),
        (["id||name||kg", *(f"{at}||Mill||{at}.5" for at in range(8))], ("id", "name", "kg")),
        (["id~|~name~|~kg", *(f"{at}~|~Mill~|~{at}.5" for at in range(8))], ("id", "name", "kg")),
        (["id|a|b|c", *(f"{at}|x||{at}" for at in range(30))], ("id", "a", "b", "c")),
        (["name", *(f"std::vector{at}" for at in range(30))], ("name",)),
        # A line of a system's log is no name.
        ([f"Nov {at:2} 10:00:00 mill scale[{at}]: weighed" for at in range(1, 9)], ("_col.1",)),
    ],
)  # fmt: skip
def test_a_delimiter_inside_the_fields_of_another_parts_nothing(lines: list[str], names: tuple[str, ...]) -> None:
    table = comb.load("\n".join([*lines, ""]).encode())
    above = 2 if lines[0].startswith("Honey") else not names[0].startswith("_")
    assert (table.names[: len(names)], len(table)) == (names, len(lines) - above)
