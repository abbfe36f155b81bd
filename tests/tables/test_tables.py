"""Tables, columns, names, and the printed form."""

import copy
import pickle
from datetime import date, datetime, time, timedelta
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.tables.column import Column
from comb.tables.layout import cut_middle, text_width, washed
from comb.tables.names import choose, unique_names
from comb.tables.text import Text
from comb.tables.types import STRING, Type
from support.strategies import tables


@given(tables())
def test_values_come_back_as_typed_in(table: comb.Table) -> None:
    for name, kind in table.types.items():
        for cell, reason in zip(table[name].to_list(), table[name].reasons(), strict=True):
            assert (cell is None) == (reason is not None)
            if cell is not None:
                wanted = {
                    "string": str,
                    "integer": int,
                    "decimal": Decimal,
                    "number": float,
                    "boolean": bool,
                    "date": date,
                    "datetime": datetime,
                    "time": time,
                    "duration": timedelta,
                }
                assert type(cell) is wanted[kind.word]


@given(tables())
def test_copies_and_pickles_are_equal(table: comb.Table) -> None:
    assert pickle.loads(pickle.dumps(table)).equals(table)
    assert copy.copy(table).equals(table)


@given(tables(min_rows=1), st.data())
def test_taking_rows_takes_values_reasons_and_numbers(table: comb.Table, data: st.DataObject) -> None:
    positions = np.array(data.draw(st.lists(st.integers(0, len(table) - 1), max_size=6)), np.int64)
    taken = table._take(positions)
    for name in table.names:
        assert taken[name].to_list() == [table[name].to_list()[at] for at in positions]
    assert taken.row_numbers.tolist() == (positions + 1).tolist()


@given(st.lists(st.sampled_from(["a", "", "bb", "a b", "é"])), st.data())
def test_text_is_the_same_coded_or_not(texts: list[str], data: st.DataObject) -> None:
    words = sorted(set(texts))
    coded = Text.from_items(words, np.array([words.index(text) for text in texts], np.int64))
    plain = Text.from_items(texts)
    positions = np.array(data.draw(st.lists(st.integers(0, len(texts) - 1), max_size=9)) if texts else [], np.int64)
    for text in (coded, plain):
        assert text.to_list() == texts
        assert text.take(positions).to_list() == [texts[at] for at in positions]
        assert text.map(str.upper).to_list() == [each.upper() for each in texts]
        assert text.flags(str.isalpha).tolist() == [each.isalpha() for each in texts]
    assert coded.same_texts(plain).all()


def test_arrays_cannot_be_changed_in_place() -> None:
    table = comb.table(columns={"n": [1, None], "s": ["x", "y"]})
    for array in (table.row_numbers, table["n"].array, table["n"].state, table["s"].text.buffer):
        with pytest.raises(ValueError, match="read-only"):
            array[0] = 1


def test_steps_share_the_columns_they_did_not_touch() -> None:
    table = comb.table(columns={"a": [2, 1], "b": [" x", "y"]})
    assert table.calculate({"c": "a + 1"})["a"] is table["a"]
    assert table.trim("b")["a"] is table["a"]
    assert table.trim()["b"] is not table["b"] and table.trim().trim()["a"] is table["a"]


@pytest.mark.parametrize(
    ("values", "missing", "expected"),
    [
        ([1.5, None], None, [1.5, np.nan]),
        ([Decimal("1.50"), None], None, [1.5, np.nan]),
        ([1, None], 0, [1, 0]),
        (["x", None], None, ["x", None]),
        ([date(2026, 1, 2), None], None, [np.datetime64("2026-01-02"), np.datetime64("NaT", "D")]),
    ],
)
def test_to_numpy(values: list[object], missing: object, expected: list[object]) -> None:
    array = comb.table(columns={"x": values})["x"].to_numpy(missing=missing)
    np.testing.assert_array_equal(array, np.array(expected, array.dtype))


def test_looks_and_records(inspections: comb.Table) -> None:
    assert inspections.shape == (2400, 14) and len(inspections) == 2400
    assert inspections.rows_between(3, 4)["visit"].to_list() == [50003, 50004]
    assert inspections.last_rows(2).row_numbers.tolist() == [2399, 2400]
    assert inspections.random_rows(5, seed=1).equals(inspections.random_rows(5, seed=1))
    record = inspections.record(2)
    assert record["keeper"] == "unknown" and record["notes"] is None and record.shown["notes"] == "(blank)"
    assert inspections.cell(2, "gross_kg") == Decimal("26.4")
    assert inspections.place(2) == "inspections.csv, line 6"
    later = inspections.sort("visit desc").filter("mites > 3")
    assert later.cell(2, "visit") == 50002 and later.place(2) == "inspections.csv, line 6"


@pytest.mark.parametrize(
    ("ask", "message"),
    [
        (lambda t: t["Visit"], "did you mean 'visit'"),
        (lambda t: t.record(9999), "numbers from 1 to 2,400"),
        (lambda t: t.rows_between(5, 2), "got 5 and 2"),
        (lambda t: t["mites"].to_numpy(), "to_numpy(missing=0)"),
        (lambda t: t["mites"].text, "this one is integer"),
        (lambda t: t.first_rows(2).plan(), "2 of 2,400 rows"),
        (lambda t: comb.table(columns={"a": [1], "b": [1, 2]}), "a: 1, b: 2"),
        (lambda t: comb.table(columns={"a": [1, "x"]}), "got int, str"),
        (lambda t: comb.table(rows=[[1, 2], [3]], names=["a", "b"]), "row 2 has 1 cells"),
        (lambda t: comb.table(columns={"a": [2**63]}), "beyond the range"),
    ],
)
def test_misuse_says_what_to_do(inspections: comb.Table, ask: object, message: str) -> None:
    with pytest.raises(comb.CombError) as caught:
        ask(inspections)  # type: ignore[operator]
    assert message in str(caught.value)


@pytest.mark.parametrize(
    ("names", "unique"),
    [
        (["a", "", "a", "a"], ["a", "_col.2", "a (2)", "a (3)"]),
        (["a", "a (2)", "a"], ["a", "a (2)", "a (3)"]),
        (["", ""], ["_col.1", "_col.2"]),
        (["_col.2", ""], ["_col.2", "_col.2 (2)"]),
    ],
)
def test_names_become_unique(names: list[str], unique: list[str]) -> None:
    assert unique_names(names) == unique


TYPES = {
    "apiary": STRING,
    "jan": Type("integer"),
    "feb": Type("integer"),
    "mar_kg": Type("decimal", 1),
    "a:b": STRING,
}


@pytest.mark.parametrize(
    ("selectors", "options", "chosen"),
    [
        (["jan:mar_kg"], {}, ["jan", "feb", "mar_kg"]),
        (["*_kg", "apiary"], {}, ["mar_kg", "apiary"]),
        (["#1:#2"], {}, ["apiary", "jan"]),
        (["#5", "a:b"], {}, ["a:b"]),
        ([], {"leave_out": ["?a*"]}, ["apiary", "feb", "a:b"]),
        ([], {"of_type": "integer"}, ["jan", "feb"]),
    ],
)
def test_selectors(selectors: list[str], options: dict[str, object], chosen: list[str]) -> None:
    assert choose(selectors, TYPES, **options) == chosen  # type: ignore[arg-type]


def test_all_unknown_selectors_are_told_at_once() -> None:
    with pytest.raises(comb.ColumnError, match="'jam'") as caught:
        choose(["jam", "Feb", "apiary"], TYPES)
    assert "'Feb'" in str(caught.value) and isinstance(caught.value, KeyError)


def test_the_printed_form_is_read_not_scrolled(inspections: comb.Table) -> None:
    lines = repr(inspections.filter("mites > 300").sort("apiary")).splitlines()
    assert lines[:3] == [
        "67 of 2,400 rows and 14 columns of inspections.csv; 2 lines of titles above the rows; rows where",
        "mites > 300 (2,333 rows left out): 14 of the rows left out are unknown (a cell is missing); sorted",
        "by apiary; showing rows 1 to 10 and 8 of 14 columns",
    ]
    assert len(lines) == 17
    assert lines[-1].startswith("not shown: rows 11 to 67 (rows_between(11, 20)); columns mites, gross_kg")


def test_numbers_stand_on_the_point_and_missing_shows_its_reason() -> None:
    table = comb.table(columns={"n": [1.5, None, 22.0, 3.25], "s": ["a\tb", "\x1b[31m", "x" * 40, None]})
    assert repr(table).splitlines()[2:] == [
        "row        n  s",
        "  1     1.5   a␉b",
        "  2  (blank)  ␛[31m",
        "  3    22     xxxxxxxxxxxxxxxx…xxxxxxxxxxxxxxx",
        "  4     3.25  (blank)",
    ]


def test_values_that_differ_by_a_space_look_different() -> None:
    table = comb.table(columns={"s": ["Mill", "Mill ", " Mill", "Old Mill", "\u00a0Mill"]})
    assert repr(table).splitlines()[3:] == ["  1  Mill", "  2  Mill·", "  3  ·Mill", "  4  Old Mill", "  5  ·Mill"]
    assert "Mill·" in repr(table.count("s"))


@given(st.text(max_size=40), st.integers(4, 20))
def test_cut_text_fits_and_is_safe(text: str, width: int) -> None:
    safe = washed(text)
    assert safe.isprintable() or not safe
    assert text_width(cut_middle(safe, width)) <= width


def test_a_column_prints_a_few_cells() -> None:
    assert repr(Column._of_strings(list("abcdefg"))) == "<Column of type string: a, b, c, d, e, ... 7 cells>"
