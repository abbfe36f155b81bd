"""Tables given to other libraries and taken from them by Arrow's protocol, checked by the reference implementation."""

import gc
import weakref
from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.tables.arrow_format import packed_metadata, read_metadata
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from support.strategies import tables

pa = pytest.importorskip("pyarrow")


@given(tables(), st.data())
def test_what_is_given_is_valid_and_comes_back_equal(table: BareTable, data: st.DataObject) -> None:
    given_away = pa.table(table)
    given_away.validate(full=True)
    assert given_away.num_rows == table.row_count and tuple(given_away.column_names) == table.names
    assert comb.table(given_away) == table
    for name, column in table.columns.items():
        assert given_away.column(name).null_count == column.missing_count
        if column.type.word in ("string", "integer", "number", "boolean", "date"):
            assert given_away.column(name).to_pylist() == column.to_list()
    # In pieces it is the same, as are rows taken from its middle.
    cut = data.draw(st.integers(0, table.row_count))
    assert comb.table(pa.concat_tables([given_away.slice(0, cut), given_away.slice(cut)])) == table
    assert [list(row) for row in comb.table(given_away.slice(cut)).rows()] == [list(row) for row in table.rows()][cut:]


def test_all_reasons_and_kept_texts_come_back(tmp_path: Any) -> None:
    path = tmp_path / "visits.csv"
    path.write_text("hive,mites\n" + "".join(f"{at},{at}\n" for at in range(30)) + "a,n/a\nb,many\nc,\nd\ne,few\n")
    table = comb.load(path, types={"mites": "integer"})
    table = table.calculate({"share": "10 / (mites - 3)"})
    back = comb.table(pa.table(table))
    assert (
        back == table
        and back["mites"].kept == table["mites"].kept
        and back["share"].reasons() == table["share"].reasons()
    )
    assert {reason for reason in back["mites"].reasons() if reason} == {"marker", "unreadable", "blank", "absent"}
    # Where rows were moved on the way, reasons are not guessed, and that is said.
    turned = comb.table(pa.table(table).take(list(reversed(range(35)))))
    assert set(turned["mites"].reasons()) == {None, "blank"} and not turned["mites"].kept.texts
    assert "mites is not as it was written" in turned.sentence() and "2 unreadable" in turned.sentence()
    # Fewer rows, with the same cells missing among the first.
    for count in range(35):
        fewer = comb.table(pa.table(table).slice(0, count))
        assert set(fewer["mites"].reasons()) <= {None, "blank"} and "cannot be read" not in fewer.sentence()


STRANGE: dict[str, tuple[Callable[[], Any], str, list[Any]]] = {
    "small": (lambda: pa.array([1, None], pa.int8()), "integer", [1, None]),
    "huge": (lambda: pa.array([2**64 - 1, None], pa.uint64()), "string", [str(2**64 - 1), None]),
    "half": (lambda: pa.array(np.array([1.5, np.nan], "f2")), "number", [1.5, None]),
    "endless": (lambda: pa.array([float("inf"), None]), "number", [None, None]),
    "wide decimal": (lambda: pa.array([Decimal("-1.25"), None], pa.decimal256(40, 2)), "decimal", [Decimal("-1.25"), None]),
    "long decimal": (lambda: pa.array([Decimal("1" * 30), None], pa.decimal128(38, 2)), "string", ["1" * 30 + ".00", None]),
    "date64": (lambda: pa.array([-86_400_000, None], pa.date64()), "date", [date(1969, 12, 31), None]),
    "seconds": (lambda: pa.array([-1, None], pa.timestamp("s")), "datetime", [datetime(1969, 12, 31, 23, 59, 59), None]),
    "far": (lambda: pa.array([10**14, 60], pa.timestamp("s")), "datetime", [None, datetime(1970, 1, 1, 0, 1)]),
    "year 0": (lambda: pa.array([-(10**11), None], pa.timestamp("s")), "datetime", [None, None]),
    "zone": (lambda: pa.array([60_000, None], pa.timestamp("ms", tz="Europe/Paris")), "datetime", [datetime(1970, 1, 1, 0, 1, tzinfo=UTC), None]),
    "nanoseconds": (lambda: pa.array([1_999, None], pa.timestamp("ns")), "datetime", [datetime(1970, 1, 1, microsecond=1), None]),
    "time": (lambda: pa.array([61, None], pa.time32("s")), "time", [time(0, 1, 1), None]),
    "duration": (lambda: pa.array([5, None], pa.duration("ms")), "duration", [timedelta(milliseconds=5), None]),
    "nothing": (lambda: pa.nulls(2), "string", [None, None]),
    "bytes": (lambda: pa.array([b"\x01\xff", None]), "string", ["01ff", None]),
    "fixed": (lambda: pa.array([b"ab", None], pa.binary(2)), "string", ["6162", None]),
    "views": (lambda: pa.array(["short", "longer than a view holds"], pa.string_view()), "string", ["short", "longer than a view holds"]),
    "blank": (lambda: pa.array(["", "\u2003 "]), "string", [None, None]),
    "list": (lambda: pa.array([[1, None], None]), "json", ["[1, null]", None]),
    "fixed list": (lambda: pa.array([[1, 2], None], pa.list_(pa.int8(), 2)), "json", ["[1, 2]", None]),
    "map": (lambda: pa.array([[("k", 1)], None], pa.map_(pa.string(), pa.int32())), "json", ['[{"key": "k", "value": 1}]', None]),
    "runs": (lambda: pa.RunEndEncodedArray.from_arrays(pa.array([1, 2], pa.int16()), pa.array(["a", None])), "string", ["a", None]),
    "list of runs": (lambda: pa.ListArray.from_arrays([0, 2, 2], pa.RunEndEncodedArray.from_arrays([2], pa.array([5])), mask=pa.array([False, True])), "json", ["[5, 5]", None]),
    "list view": (lambda: pa.array([[1, None], None], pa.list_view(pa.int8())), "json", ["[1, null]", None]),
    "large list view": (lambda: pa.LargeListViewArray.from_arrays([1, 0], [2, 1], [7, 8, 9], mask=pa.array([False, True])), "json", ["[8, 9]", None]),
    "union": (lambda: pa.UnionArray.from_sparse(pa.array([1, 0], pa.int8()), [pa.array([None, None], pa.int8()), pa.array(["x", "y"])]), "json", ['"x"', None]),
    "dense union": (lambda: pa.UnionArray.from_dense(pa.array([4, 7], pa.int8()), pa.array([1, 0], pa.int32()), [pa.array([9, 1.5]), pa.nulls(1)], type_codes=[4, 7]), "json", ["1.5", None]),
    "dictionary of numbers": (lambda: pa.array([30, None]).dictionary_encode(), "integer", [30, None]),
}  # fmt: skip


@pytest.mark.parametrize("what", STRANGE)
def test_formats_of_others(what: str) -> None:
    make, word, cells = STRANGE[what]
    column = pa.chunked_array([make(), make().slice(1), make().slice(0, 0)])
    table = comb.table(pa.table({"a": column}))
    assert (table.types["a"].word, table["a"].to_list()) == (word, [*cells, cells[1]])


def test_what_cannot_be_held_is_said() -> None:
    table = comb.table(pa.table({name: STRANGE[name][0]() for name in ("nanoseconds", "zone", "bytes", "far")}))
    said = "; ".join(table.notes)
    assert "1 cell of nanoseconds had parts of a microsecond, left out" in said
    assert "zone is in universal time; it was shown in Europe/Paris" in said and "bytes holds bytes" in said
    assert table["far"].reasons() == ["unreadable", None] and "3170843" in table["far"].kept.texts[0]


def test_structures_become_columns() -> None:
    rows = [{"keeper": {"name": "Alder", "at": {"x": 1}}}, {"keeper": None}, {"keeper": {"name": None, "at": None}}]
    keeper = pa.struct([("name", pa.string()), ("at", pa.struct([("x", pa.int64())]))])
    table = comb.table(pa.Table.from_pylist(rows, schema=pa.schema([("keeper", keeper)])))
    assert table.names == ("keeper.name", "keeper.at.x")
    assert table["keeper.name"].reasons() == [None, "absent", "blank"] and table["keeper.at.x"].to_list() == [
        1,
        None,
        None,
    ]


ASKED = {
    "integer": [pa.int8(), pa.uint16(), pa.int32(), pa.uint64(), pa.float64(), pa.float32(), pa.string()],
    "string": [pa.string(), pa.large_string(), pa.dictionary(pa.int8(), pa.string()), pa.dictionary(pa.int64(), pa.large_string()), pa.int8()],
    "datetime": [pa.timestamp("s"), pa.timestamp("ms"), pa.timestamp("ns"), pa.timestamp("s", tz="UTC"), pa.date32()],
    "date": [pa.date64(), pa.timestamp("s")],
    "number": [pa.float32(), pa.int64()],
}  # fmt: skip


def asked_for(table: BareTable, schema: pa.Schema) -> pa.Table:
    given_away = pa.RecordBatchReader._import_from_c_capsule(table.__arrow_c_stream__(schema.__arrow_c_schema__()))
    found = given_away.read_all()
    found.validate(full=True)
    return found


@given(tables(), st.data())
def test_a_type_that_is_asked_for_is_given_where_nothing_is_lost(table: BareTable, data: st.DataObject) -> None:
    usual = pa.table(table)
    kinds = [data.draw(st.sampled_from([*ASKED.get(table.types[name].word, []), usual.schema.field(name).type])) for name in table.names]  # fmt: skip
    found = asked_for(table, pa.schema([*zip(table.names, kinds, strict=True), ("no column", pa.int8())]))
    assert found.column_names == usual.column_names
    # Integers that were asked for as floats are floats from then on.
    assert comb.table(found) == table or pa.float64() in kinds
    for name, kind in zip(table.names, kinds, strict=True):
        plain = usual.column(name)
        if found.schema.field(name).type != plain.type:
            assert found.schema.field(name).type == kind and found.column(name).to_pylist() == plain.to_pylist()


def test_types_that_are_asked_for() -> None:
    day = datetime(2025, 5, 1, 12)
    table = comb.table({"n": [1, 255, None], "t": ["a", "b", "a"], "c": ["u", None, "v"], "d": [day, None, day]})
    table = table.convert({"c": "category"})
    asked = [("n", pa.uint8()), ("t", pa.dictionary(pa.int8(), pa.string())), ("c", pa.string()), ("d", pa.timestamp("s"))]  # fmt: skip
    assert asked_for(table, pa.schema(asked)).schema.types == [kind for _, kind in asked]
    assert pa.table(table, schema=pa.schema(asked)).column("n").to_pylist() == [1, 255, None]
    assert (
        asked_for(table, pa.schema([("n", pa.int8()), ("d", pa.timestamp("s", tz="UTC"))])).schema
        == pa.table(table).schema
    )
    with pytest.raises(ValueError, match="no schema"):
        table.__arrow_c_stream__(table.__arrow_c_stream__())


def test_categories_json_descriptions_and_labels() -> None:
    table = comb.table({"grade": ["low", "high", None], "code": [2, 1, 2], "more": [{"a": 1}, None, {}]})
    table = table.convert({"grade": "category", "code": "category"})
    given_away = pa.table(table)
    assert given_away.schema.field("grade").type.ordered and comb.table(given_away) == table
    assert comb.table(pa.table({"q": pa.array(["b", "a"]).dictionary_encode().cast(pa.dictionary(pa.int8(), pa.string(), ordered=True))}))["q"].type.choices[0].value == "b"  # fmt: skip
    described = Column._of_strings(["x"], description="net weight in kg")
    assert comb.table(pa.table(comb.table({"kg": described})))["kg"].description == "net weight in kg"


def test_empty_tables_and_streams() -> None:
    assert comb.table(pa.table(comb.table({"a": [], "b": []}))).names == ("a", "b")
    assert comb.table(pa.table({})).row_count == 0
    reader = pa.RecordBatchReader.from_batches(pa.schema([("a", pa.int32())]), [])
    assert comb.load(reader).types["a"].word == "integer"
    assert pa.schema(comb.table({"a": [1.5]})).field("a").type == pa.float64()
    assert comb.load(pa.table({"a": [1, 2], "b": [3, 4]}), columns=["b"], rows=1)["b"].to_list() == [3]


WRONG: list[tuple[Callable[[], Any], str]] = [
    (lambda: pa.table({"u": pa.array([None], pa.month_day_nano_interval())}), "a type that no column holds"),
    (lambda: pa.table({"l": pa.array([[None]], pa.list_(pa.month_day_nano_interval()))}), "type that no column holds"),
]


@pytest.mark.parametrize(("make", "said"), WRONG)
def test_what_no_column_holds_is_an_error(make: Callable[[], Any], said: str) -> None:
    with pytest.raises(comb.ReadError, match=said):
        comb.table(make())


def test_capsules_are_read_once_and_checked() -> None:
    table = comb.table({"a": [1]})
    capsule = table.__arrow_c_stream__()

    class Held:
        def __arrow_c_stream__(self, requested_schema: Any = None) -> Any:
            return capsule

    assert comb.table(Held()) == table
    with pytest.raises(comb.ReadError, match="read before"):
        comb.table(Held())
    capsule = table.__arrow_c_schema__()
    with pytest.raises(comb.ReadError, match="no stream"):
        comb.table(Held())
    with pytest.raises(comb.ParameterError, match="delimiter does not apply"):
        comb.load(table, delimiter=";")


def test_memory_is_shared_and_let_go() -> None:
    values = np.arange(100_000)
    table = comb.table({"a": values, "t": [f"text {at}" for at in range(100_000)]})
    given_away = pa.table(table)
    assert given_away.column("a").chunk(0).buffers()[1].address == table["a"].array.ctypes.data
    assert given_away.column("t").chunk(0).buffers()[2].address == table["t"].text.buffer.ctypes.data
    back = comb.table(given_away)
    assert back["a"].array.ctypes.data == table["a"].array.ctypes.data
    held = weakref.ref(table["t"].text.offsets)
    del table, given_away
    gc.collect()
    assert int(back["a"].array.sum()) == int(values.sum()) and back["t"][99_999] == "text 99999"
    del back
    gc.collect()
    assert held() is None
    kept = Column(
        comb.table({"a": [1]}).types["a"],
        np.zeros(1, np.int64),
        np.array([Reason.MARKER], np.uint8),
        kept=Kept({0: "-"}),
    )
    assert comb.table(pa.table(comb.table({"a": kept})))["a"].kept.texts == {0: "-"}


@given(st.dictionaries(st.binary(max_size=5), st.binary(max_size=5), max_size=4))
def test_metadata_is_written_and_read(pairs: dict[bytes, bytes]) -> None:
    assert read_metadata(packed_metadata(pairs)) == pairs
