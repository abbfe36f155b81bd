"""Sources that bring their types: SQLite databases, Parquet and Arrow files; and saving to them and to open files."""

import gzip
import io
import logging
import sqlite3
from collections.abc import Callable
from pathlib import Path, PurePath
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings

import comb
from comb.tables.table import BareTable
from support.examples import drawn
from support.running import run_comb
from support.strategies import tables

pa = pytest.importorskip("pyarrow")

ROWS = [
    (1, "2025-05-01", "2025-05-01T10:00", 1, 1.25, "laying", 1, "P1D"),
    (2, None, None, 0, 3, "", "x", None),
    (5, "2025-05-03", "2025-05-03T00:00:00", None, None, "  ", b"\x01", "PT2H"),
]


@pytest.fixture
def database(tmp_path: Path) -> Path:
    path = tmp_path / "bees.sqlite"
    connection = sqlite3.connect(path)
    connection.execute(
        "create table visits(id integer primary key, day date, at datetime, fed boolean, kg decimal(6, 2), note text, mix, "
        "span interval)"
    )
    connection.executemany("insert into visits values (?, ?, ?, ?, ?, ?, ?, ?)", ROWS)
    connection.execute("create table apiaries(name text, keeper text)")
    connection.execute("create view heavy as select * from visits where kg > 2")
    connection.commit()
    connection.close()
    return path


def test_a_database_is_read_with_its_tables_types_and_places(database: Path) -> None:
    table = comb.load(database)
    assert {name: kind.word for name, kind in table.types.items()} == {
        "id": "integer", "day": "date", "at": "datetime", "fed": "boolean", "kg": "decimal", "note": "string",
        "mix": "string", "span": "duration",
    }  # fmt: skip
    assert table["mix"].to_list() == ["1", "x", "01"] and table["note"].reasons() == [None, "blank", "blank"]
    assert "the first of 3 tables in bees.sqlite; others: apiaries, heavy" in table.sentence()
    assert "mix holds values of several kinds (bytes, int, str): read as text" in table.sentence()
    assert table.place(3, "day") == "bees.sqlite, visits, day in row 3"
    assert "as the text '2025-05-03'" in repr(table.trace(3, "day"))
    assert list(comb.load_all(database)) == ["visits", "apiaries", "heavy"]
    assert (
        comb.load(database, table="heavy")["id"].to_list() == [2]
        and comb.load(database, table="apiaries").row_count == 0
    )
    assert table.sort("kg desc").plan().run().tables["bees"]["id"].to_list() == [2, 1, 5]
    assert "SQLite database" in repr(comb.inspect(database)) and "a view" in repr(comb.inspect(database))
    with pytest.raises(comb.ReadError, match="tables: visits, apiaries, heavy"):
        comb.load(database, table="hives")


def test_options_apply_to_what_has_types(database: Path) -> None:
    table = comb.load(
        database, types={"note": "integer", "id": "string"}, missing={"kg": ["1.25"]}, columns=["id", "kg", "note"]
    )
    assert table["id"].to_list() == ["1", "2", "5"] and table["kg"].reasons() == ["marker", None, "blank"]
    assert table["note"].kept.texts == {0: "laying"} and table["kg"].kept.texts == {0: "1.25"}
    assert comb.load(database, rows=2).row_count == 2
    for name, value in {"delimiter": ";", "header": 1, "encoding": "utf-8", "skip": 1}.items():
        with pytest.raises(comb.ParameterError, match=f"{name} does not apply"):
            comb.load(database, **{name: value})
    with pytest.raises(comb.ReadError, match="no column 'hive'"):
        comb.load(database, types={"hive": "integer"})


def test_a_declared_type_that_not_every_value_fits_is_not_followed(tmp_path: Path) -> None:
    path = tmp_path / "x.db"
    connection = sqlite3.connect(path)
    connection.execute("create table t(day date, fed boolean, kg decimal, code text)")
    connection.executemany(
        "insert into t values (?, ?, ?, ?)", [("2025-05-01", 1, "n/a", "01"), ("soon", 2, "3", "02")]
    )
    connection.commit()
    connection.close()
    table = comb.load(path)
    assert table.record(2)["day"] == "soon" and table["fed"].to_list() == [1, 2]
    assert table["kg"].type.word == "string" and table["code"].to_list() == ["01", "02"]


@pytest.mark.parametrize("query", ["select x from c", "select count(*) as x from c"])
def test_a_view_that_never_ends_is_an_error(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, query: str) -> None:
    monkeypatch.setattr("comb.reading.documents.database.MOST_INSTRUCTIONS", 20_000_000)
    connection = sqlite3.connect(tmp_path / "x.db")
    connection.execute("create table t(a)")
    connection.execute(f"create view v as with recursive c(x) as (select 1 union all select x + 1 from c) {query}")
    connection.commit()
    connection.close()
    assert comb.load(tmp_path / "x.db").names == ("a",)
    for ask in (comb.load, comb.inspect):
        with pytest.raises(comb.ReadError, match=r"than (1,000,000 cells|is done for one)"):
            ask(tmp_path / "x.db", table="v")


def test_changes_beside_a_database_are_not_overlooked(tmp_path: Path) -> None:
    path = tmp_path / "x.db"
    connection = sqlite3.connect(path)
    connection.execute("pragma journal_mode = wal")
    connection.execute("create table t(a)")
    connection.execute("insert into t values (1)")
    connection.commit()
    with pytest.raises(comb.ReadError, match=r"still in x\.db-wal"):
        comb.load(path)
    connection.close()
    assert comb.load(path)["a"].to_list() == [1]


DAMAGED: list[tuple[bytes, str]] = [
    (b"SQLite format 3\0" + bytes(500), "database cannot be read"),
    (b"PAR1" + bytes(50), "Parquet file cannot be read"),
    (b"ARROW1\0\0" + bytes(50), "Arrow file cannot be read"),
    (b"\xff\xff\xff\xff" + bytes(50), "Arrow file cannot be read|no table"),
]


@pytest.mark.parametrize(("data", "said"), DAMAGED)
def test_damaged_files_are_errors_with_a_sentence(tmp_path: Path, data: bytes, said: str) -> None:
    path = tmp_path / "x.parquet"
    path.write_bytes(data)
    with pytest.raises(comb.ReadError, match=said) as caught:
        comb.load(path)
    assert str(caught.value).count("x.parquet") == 1
    assert run_comb("show", str(path), cwd=tmp_path).code == 2


KINDS = ("visits.parquet", "visits.arrow", "visits.sqlite", "visits.db")


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=drawn(40))
@given(table=tables())
def test_round_trips_are_equal(tmp_path: Path, table: BareTable) -> None:
    for name in KINDS:
        table.save(tmp_path / name, overwrite=True, describe=True)
        assert comb.load(tmp_path / name) == table, name


def _visits(folder: Path) -> comb.Table:
    path = folder / "visits.csv"
    path.write_text("hive,grade,mites\n" + "".join(f"{at},{'low' if at % 2 else 'high'},{at}\n" for at in range(30)) + "30,low,many\n31,high,-\n32,low,\n")  # fmt: skip
    return comb.load(path, types={"mites": "integer"}).convert({"grade": "category"}, choices=["low", "high"])


@pytest.mark.parametrize("name", KINDS)
def test_reasons_kept_texts_and_categories_come_back_also_by_a_plan(tmp_path: Path, name: str) -> None:
    table = _visits(tmp_path)
    table.save(tmp_path / name, describe=True)
    back = comb.load(tmp_path / name)
    assert back == table and back["mites"].kept.texts == {30: "many", 31: "-"}
    plan = table.plan()
    (tmp_path / "plan.yaml").write_text(f"{plan}\nsave: [more-{name}]\n".replace(str(tmp_path) + "/", ""))
    assert run_comb("run", "plan.yaml", cwd=tmp_path).code == 0
    assert comb.load(tmp_path / f"more-{name}", table="visits" if "db" in name or "sql" in name else None) == table


def test_what_a_file_does_not_hold_is_said(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    table = _visits(tmp_path)
    with caplog.at_level(logging.WARNING, "comb"):
        for name in ("a.sqlite", "a.csv", "a.json", "a.xlsx"):
            table.save(tmp_path / name)
            assert caplog.messages[-1].startswith(
                f"{name}: 2 texts that could not be read as a value are not in it: mites 2"
            )
        count = len(caplog.messages)
        table.save(tmp_path / "b.sqlite", describe=True)
        table.save(tmp_path / "b.csv", describe=True)
        table.save(tmp_path / "b.parquet")
        table.filter("mites > 3").save(tmp_path / "c.csv")
        assert len(caplog.messages) == count
        # A workbook has no place for them, whatever is beside the table; JSON has none for names without rows.
        table.save(tmp_path / "b.xlsx", describe=True)
        table.filter("mites > 99").save(tmp_path / "d.jsonl")
    assert "mites 2; a dataset folder keeps them" in caplog.messages[-2]
    assert caplog.messages[-1].startswith("d.jsonl: the names of its 3 columns are not in it")


def test_a_database_that_was_changed_since_is_told(tmp_path: Path) -> None:
    path = tmp_path / "x.sqlite"
    _visits(tmp_path).save(path, describe=True)
    connection = sqlite3.connect(path)
    connection.execute("delete from x where hive = 3")
    connection.commit()
    connection.close()
    table = comb.load(path)
    assert table.row_count == 32 and "mites is not as it was written" in table.sentence()
    assert comb.load(path, table="comb_columns").row_count == 3 and not table["mites"].kept.texts


WRONG: list[tuple[Callable[[comb.Table, Path], Any], str]] = [
    (lambda table, folder: comb.table({"a": [1], "A": [2]}).save(folder / "x.sqlite"), "cannot hold this table"),
    (lambda table, folder: comb.table({}).save(folder / "x.sqlite"), "a column at least"),
    (lambda table, folder: table.save(folder / "sqlite_x.db"), "cannot be called 'sqlite_x'"),
    (lambda table, folder: comb.table({"a": [comb_decimal()]}).save(folder / "x.db"), "the first in row 1"),
    (lambda table, folder: table.save(folder / "x.parquet.gz"), "expected a file that ends in"),
    (lambda table, folder: table.save(folder / "x.parquet", delimiter=";"), "delimiter does not apply to .parquet"),
    (lambda table, folder: table.save(io.StringIO(), kind=".xlsx"), "takes text"),
    (lambda table, folder: table.save(io.BytesIO(), describe=True), "no place beside it"),
    (lambda table, folder: table.save(5), "the path of a file, or an open one"),
    (lambda table, folder: table.save(folder / "x.csv", kind=".json"), "says another"),
]


def comb_decimal() -> Any:
    from decimal import Decimal

    return Decimal("1234567890123456.5")


@pytest.mark.parametrize(("save", "said"), WRONG)
def test_what_cannot_be_saved_says_why_and_leaves_nothing(
    tmp_path: Path, save: Callable[[comb.Table, Path], Any], said: str
) -> None:
    with pytest.raises(comb.ParameterError, match=said):
        save(comb.table({"a": [1]}), tmp_path)
    assert not list(tmp_path.iterdir())


def test_open_files_and_standard_output(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    table = comb.table({"a": [1, 2], "é": ["x", None]})
    held, text = io.BytesIO(), io.StringIO()
    table.save(held)
    table.save(text, kind=".jsonl")
    assert held.getvalue() == "a,é\r\n1,x\r\n2,\r\n".encode() and text.getvalue().startswith('{"a": 1, "é": "x"}')
    for name in ("x.json", "x.csv.gz", "x.sqlite", "x.xlsx"):
        with (tmp_path / name).open("wb") as file:
            table.save(file)
        assert comb.load(tmp_path / name, table=None if "sql" not in name else "table")["a"].to_list() == [1, 2]
    with (tmp_path / "y.csv").open("w", newline="") as written:
        table.save(written, missing="NA")
    assert (tmp_path / "y.csv").read_bytes() == "a,é\r\n1,x\r\n2,NA\r\n".encode()
    table.save("-")
    assert capsys.readouterr().out.startswith("a,é")


def test_inside_archives_and_at_the_command_line(database: Path) -> None:
    packed = database.with_suffix(".sqlite.gz")
    packed.write_bytes(gzip.compress(database.read_bytes()))
    assert comb.load(packed).types == comb.load(database).types == comb.load(database.read_bytes()).types
    for command in (["inspect"], ["show", "--table", "heavy"], ["count", "--by", "fed"], ["profile"]):
        result = run_comb(command[0], database.name, *command[1:], cwd=database.parent)
        assert result.code in (0, 1) and "Traceback" not in result.err, result.err


def test_paths_of_all_kinds_name_a_source_and_a_target(tmp_path: Path) -> None:
    place = tmp_path / "visits 1.csv"
    place.write_text("a\n1\n")

    class Named:
        def __init__(self, name: str) -> None:
            self.name = name

        def __fspath__(self) -> str:
            return str(tmp_path / self.name)

    for source in (place, str(place), PurePath(place), Named("visits 1.csv"), place.as_uri(), [Named("visits 1.csv")]):
        assert comb.load(source).row_count == 1 and comb.inspect(source).tables[0].rows == 1
    comb.load(place).save(Named("out.csv"))
    comb.load(place).plan().save(Named("plan.yaml"))
    assert comb.Plan.load(Named("plan.yaml")).run().tables and (tmp_path / "out.csv").exists()
    assert run_comb("inspect", place.as_uri(), cwd=tmp_path).code == 0
    assert "an address of the web" in run_comb("show", "https://example.org/x.csv", cwd=tmp_path).err
