"""Tables of what is in Python already: lists, dicts, dataclasses, arrays, the result of a query."""

import sqlite3
from collections import namedtuple
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb


@dataclass
class Visit:
    apiary: str
    mites: int | None


Pair = namedtuple("Pair", ["apiary", "mites"])
CELLS = {"apiary": ["Mill", "Elm"], "mites": [3, None]}

SAME: list[Callable[[], comb.Table]] = [
    lambda: comb.table(CELLS),
    lambda: comb.table(columns=CELLS),
    lambda: comb.table([["Mill", 3], ["Elm", None]], names=["apiary", "mites"]),
    lambda: comb.table((["Mill", 3], ["Elm", None]), names=["apiary", "mites"]),
    lambda: comb.table(rows=[{"apiary": "Mill", "mites": 3}, {"apiary": "Elm", "mites": None}]),
    lambda: comb.table({"apiary": name, "mites": mites} for name, mites in zip(*CELLS.values(), strict=True)),
    lambda: comb.table([Visit("Mill", 3), Visit("Elm", None)]),
    lambda: comb.table([Pair("Mill", 3), Pair("Elm", None)]),
    lambda: comb.table({name: iter(cells) for name, cells in CELLS.items()}),
    lambda: comb.table({"apiary": np.array(["Mill", "Elm"]), "mites": np.ma.array([3, 9], mask=[False, True])}),
    lambda: comb.table({"apiary": np.array([b"Mill", b"Elm"]), "mites": np.array([3, None], object)}),
    lambda: comb.table({"apiary": CELLS["apiary"], "mites": [np.int16(3), None]}),
    lambda: comb.table(comb.table(CELLS).columns),
    lambda: comb.table(comb.table(CELLS)),
    lambda: comb.table(comb.table(CELLS).rows()),
    lambda: comb.table(_query("select * from visits")),
    lambda: comb.load(_query("select * from visits")),
]


OPEN: list[sqlite3.Connection] = []


@pytest.fixture(autouse=True)
def _closed_in_the_end() -> Iterator[None]:
    """Close the databases that a test asked."""
    yield
    while OPEN:
        OPEN.pop().close()


def _query(text: str) -> sqlite3.Cursor:
    connection = sqlite3.connect(":memory:")
    OPEN.append(connection)
    connection.execute("create table visits(apiary text, mites integer)")
    connection.executemany("insert into visits values (?, ?)", zip(*CELLS.values(), strict=True))
    return connection.execute(text)


@pytest.mark.parametrize("make", SAME)
def test_all_ways_give_the_same_table(make: Callable[[], comb.Table]) -> None:
    assert make() == comb.table(CELLS)


ARRAYS: list[tuple[Any, str, list[Any], list[str | None]]] = [
    (np.array([1, 2], "u1"), "integer", [1, 2], [None, None]),
    (np.array([1.5, np.nan, np.inf]), "number", [1.5, None, None], [None, "undefined", "unreadable"]),
    (np.array([0.5], "f2"), "number", [0.5], [None]),
    (np.array([True, False]), "boolean", [True, False], [None, None]),
    (np.array(["2025-05-01", "NaT"], "M8[D]"), "date", [date(2025, 5, 1), None], [None, "undefined"]),
    (np.array(["2025-05"], "M8[M]"), "date", [date(2025, 5, 1)], [None]),
    (np.array(["2025-05-01T10:00", "NaT"], "M8[ns]"), "datetime", [datetime(2025, 5, 1, 10), None], [None, "undefined"]),
    (np.array([90], "m8[s]"), "duration", [timedelta(seconds=90)], [None]),
    (np.ma.array([1.5, 2.5], mask=[1, 0]), "number", [None, 2.5], ["blank", None]),
    (np.ma.array(["a", "b"], mask=[1, 0]), "string", [None, "b"], ["blank", None]),
    ([1, 2.5, None], "number", [1.0, 2.5, None], [None, None, "blank"]),
    ([1.5, None, float("nan")], "number", [1.5, None, None], [None, "blank", "undefined"]),
    ([1, Decimal("2.50")], "decimal", [Decimal("1.00"), Decimal("2.50")], [None, None]),
    ([True, None], "boolean", [True, None], [None, "blank"]),
    ([time(1), None], "time", [time(1), None], [None, "blank"]),
    ([[1], {"a": "é"}, None], "json", ["[1]", '{"a": "é"}', None], [None, None, "blank"]),
    ([None, None], "string", [None, None], ["blank", "blank"]),
    (range(2), "integer", [0, 1], [None, None]),
    ([], "string", [], []),
]  # fmt: skip


@pytest.mark.parametrize(("cells", "word", "values", "reasons"), ARRAYS)
def test_types_follow_from_the_values(cells: Any, word: str, values: list[Any], reasons: list[str | None]) -> None:
    column = comb.table({"a": cells})["a"]
    assert (column.type.word, column.to_list(), column.reasons()) == (word, values, reasons)


def test_arrays_of_several_columns() -> None:
    structured = np.array([(1, 2.5), (3, 4.5)], dtype=[("x", "i4"), ("y", "f4")])
    assert comb.table(structured) == comb.table({"x": [1, 3], "y": [2.5, 4.5]})
    assert comb.table(structured, names=["a", "b"]).names == ("a", "b")
    assert comb.table(list(structured), names=["x", "y"]) == comb.table(structured)
    assert comb.table(np.eye(2), names=["p", "q"])["q"].to_list() == [0.0, 1.0]
    assert comb.table(np.zeros((0, 2)), names=["p", "q"]).shape == (0, 2)


def test_a_key_that_a_dict_does_not_have_is_absent() -> None:
    table = comb.table([{"a": 1}, {"b": "x", "a": None}, {}])
    assert table.names == ("a", "b") and table["a"].reasons() == [None, "blank", "absent"]
    assert table["b"].reasons() == ["absent", None, "absent"]


def test_a_query_with_values_of_several_kinds_keeps_them_as_text_and_says_so() -> None:
    table = comb.table(_query("select 1 as a, x'01ff' as b, 1.5 as a union all select 'two', null, null"))
    assert table.names == ("a", "b", "a (2)")
    assert table["a"].to_list() == ["1", "two"] and table["b"].to_list() == ["01ff", None]
    assert "a holds values of several kinds (int, str): read as text" in table.sentence()
    assert "b holds bytes: written in hexadecimal" in table.sentence()
    assert comb.table(_query("select * from visits where mites > 99")).names == ("apiary", "mites")


WRONG: list[tuple[Callable[[], Any], str]] = [
    (lambda: comb.table({"a": [1, "x"]}), "int, str: 1 in row 1, 'x' in row 2"),
    (lambda: comb.table({"a": [date(2025, 1, 1), 3]}), "date, int"),
    (lambda: comb.table({"a": [2**70]}), "beyond the range of integers"),
    (lambda: comb.table({"a": np.array([2**63], "u8")}), "beyond the range of integers"),
    (lambda: comb.table({"a": np.array([1j])}), "complex128"),
    (lambda: comb.table({"a": np.array([b"\xff"])}), "not UTF-8"),
    (lambda: comb.table({"a": np.array([1], "M8[ns]")}), "1 value of 'a' has parts of a microsecond"),
    (lambda: comb.table({"a": np.eye(2)}), "an array of 2 x 2"),
    (lambda: comb.table(np.arange(3)), "one of 1 dimensions"),
    (lambda: comb.table(np.eye(2), names=["a"]), "expected 2 names, got 1"),
    (lambda: comb.table({"a": {1, 2}}), "lists of values by column"),
    (lambda: comb.table({"a": "abc"}), "lists of values by column"),
    (lambda: comb.table({1: [2]}), "names of columns as keys, got 1"),
    (lambda: comb.table([{1: 2}]), "names of columns as keys, got 1"),
    (lambda: comb.table([1, 2]), "row 1 is 1"),
    (lambda: comb.table("abc"), "expected rows, got str"),
    (lambda: comb.table(5), "expected rows, got int"),
    (lambda: comb.table(), "either columns or rows"),
    (lambda: comb.table({"a": [1]}, rows=[[1]]), "either columns or rows"),
    (lambda: comb.table([[1, 2], [3]], names=["a", "b"]), "row 2 has 1 cells, expected 2"),
    (lambda: comb.table({"a": [1], "b": []}), "columns of one length"),
    (lambda: comb.table({"a": [{1, 2}, [3]]}), "one kind"),
    (lambda: comb.table({"a": [[{1}]]}), "JSON cannot write"),
    (lambda: comb.table(_query("create table other(a)")), "no result"),
]


@pytest.mark.parametrize(("make", "said"), WRONG)
def test_what_cannot_be_a_table_says_why(make: Callable[[], Any], said: str) -> None:
    with pytest.raises(comb.CombError, match=said):
        make()


@given(
    st.lists(st.none() | st.integers(-(2**63), 2**63 - 1)),
    st.lists(st.none() | st.floats(allow_nan=False, allow_infinity=False)),
)
def test_numbers_come_back_as_they_were(integers: list[int | None], floats: list[float | None]) -> None:
    assert comb.table({"a": integers})["a"].to_list() == integers
    assert comb.table({"a": floats})["a"].to_list() == floats
