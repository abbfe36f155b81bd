"""Cells that come with a kind each: what column they make, and that none is lost."""

import datetime
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from comb.formats.a1 import column_letters
from comb.inference.typed_cells import SourceKind, TypedCells, typed_column
from comb.reading.documents.workbooks.formats import shown_kind, shown_unit
from comb.reading.documents.workbooks.sheet import Range, dated, read_address, read_range
from comb.tables.table import BareTable
from comb.writing.sheets import sheets_of

DAY = 20_209  # 2025-05-01
MICRO = DAY * 86_400_000_000


def typed(*cells: Any) -> TypedCells:
    """Make cells of plain values: numbers, texts, True, None, kinds with a number."""
    kinds, numbers, texts, strings = [], [], [], []
    for cell in cells:
        kind, number, text = SourceKind.EMPTY, 0.0, -1
        if isinstance(cell, tuple):
            kind, number = cell
        elif isinstance(cell, SourceKind):
            kind = cell
        elif isinstance(cell, bool):
            kind, number = SourceKind.BOOLEAN, float(cell)
        elif isinstance(cell, str):
            kind, text = (SourceKind.ERROR if cell.startswith("#") else SourceKind.TEXT), len(strings)
            strings.append(cell)
        elif cell is not None:
            kind, number = SourceKind.NUMBER, float(cell)
        kinds.append(kind)
        numbers.append(number)
        texts.append(text)
    return TypedCells(np.array(kinds, np.uint8), np.array(numbers), np.array(texts), strings)


@pytest.mark.parametrize(
    ("cells", "kind", "values", "kept"),
    [
        ((1, 2, None), "integer", [1, 2, None], {}),
        ((1, 2.5), "number", [1, 2.5], {}),
        ((1, 2, "x"), "integer", [1, 2, None], {2: "x"}),
        ((1, "x", "y"), "string", ["1", "x", "y"], {}),
        ((1, "x"), "string", ["1", "x"], {}),
        ((0.5, "x", "y", "x"), "string", ["0.5", "x", "y", "x"], {}),
        ((1, 2, "n/a", " "), "integer", [1, 2, None, None], {2: "n/a"}),
        ((1, "#N/A"), "integer", [1, None], {1: "#N/A"}),
        (((SourceKind.DATE, DAY), 4, "n/a"), "string", ["2025-05-01", "4", "n/a"], {}),
        ((True, 4, None), "string", ["true", "4", None], {}),
        ((True, False, 1), "boolean", [True, False, None], {2: "1"}),
        (((SourceKind.DATE, DAY), (SourceKind.DATE, DAY + 1), "soon"), "date", [datetime.date(2025, 5, 1), datetime.date(2025, 5, 2), None], {2: "soon"}),
        (((SourceKind.DATETIME, MICRO + 1_500_000), (SourceKind.DATETIME, MICRO)), "datetime", [datetime.datetime(2025, 5, 1, 0, 0, 1, 500_000), datetime.datetime(2025, 5, 1)], {}),
        (((SourceKind.TIME, 23_400_000_000), (SourceKind.DURATION, -90_000_000)), "duration", [datetime.timedelta(hours=6.5), datetime.timedelta(seconds=-90)], {}),
        ((SourceKind.ABSENT, None, SourceKind.NULL), "string", [None, None, None], {}),
        ((float("inf"), 1, 2), "number", [None, 1, 2], {0: "inf"}),
        ((2.0**60, 1), "number", [2.0**60, 1], {}),
        ((), "string", [], {}),
    ],
)  # fmt: skip
def test_the_commonest_kind_wins_and_nothing_is_lost(
    cells: tuple[Any, ...], kind: str, values: list[Any], kept: dict[int, str]
) -> None:
    column = typed_column(typed(*cells))
    assert (str(column.type), column.to_list(), dict(column.kept.texts)) == (kind, values, kept)


@given(st.lists(st.none() | st.booleans() | st.integers(-99, 99) | st.floats(-9, 9) | st.sampled_from(["", "x", "n/a", "12", "2025-05-01", "#REF!", SourceKind.ABSENT, (SourceKind.DATE, DAY)]), max_size=12))  # fmt: skip
def test_every_cell_is_a_value_or_missing_for_a_reason(cells: list[Any]) -> None:
    column = typed_column(typed(*cells), dates_in_text=True)
    for at, (cell, value, reason) in enumerate(zip(cells, column.to_list(), column.reasons(), strict=True)):
        assert (value is None) == (reason is not None)
        if cell is SourceKind.ABSENT:
            assert reason == "absent"
        elif cell is None or cell == "":
            assert reason == "blank"
        elif reason:
            message = column.kept.texts[at]
            written = {"True": "true", "False": "false", str((SourceKind.DATE, DAY)): "2025-05-01"}.get(
                str(cell), str(cell)
            )
            assert message == written or float(message) == float(cell)
    evidence = column.evidence
    assert evidence is not None
    assert evidence.chosen.fits == len(cells) - column.missing_count


@pytest.mark.parametrize(
    ("code", "kind", "unit"),
    [
        ("General", 0, ""), ("0.00", 0, ""), ("0.0%", 0, "%"), ("#,##0.00 [$€-407]", 0, "€"), ('"£"#,##0', 0, "£"),
        ("d.m.yyyy", SourceKind.DATE, ""), ("mmm yy", SourceKind.DATE, ""), ("mm", SourceKind.DATE, ""),
        ("yyyy-mm-dd hh:mm", SourceKind.DATETIME, ""), ("h:mm AM/PM", SourceKind.TIME, ""), ("mm:ss", SourceKind.TIME, ""),
        ("[h]:mm:ss", SourceKind.DURATION, ""), ('0.0" days"', 0, ""), ("[Red]0;[Blue]-0", 0, ""), ("@", 0, ""),
        ('0 "EUR"', 0, "EUR"), ("\\d0", 0, ""),
    ],
)  # fmt: skip
def test_number_formats_say_what_a_number_is(code: str, kind: int, unit: str) -> None:
    assert (shown_kind(code), shown_unit(code)) == (kind, unit)


@pytest.mark.parametrize(
    ("days", "from_1904", "date"),
    [(1, False, "1900-01-01"), (59, False, "1900-02-28"), (61, False, "1900-03-01"), (45_778, False, "2025-05-01"), (0, True, "1904-01-01"), (44_316, True, "2025-05-01"), (2_958_465, False, "9999-12-31")],
)  # fmt: skip
def test_days_are_counted_as_spreadsheets_do(days: float, from_1904: bool, date: str) -> None:
    kinds, numbers = np.array([SourceKind.NUMBER], np.uint8), np.array([float(days)])
    dated(kinds, numbers, np.array([SourceKind.DATE], np.uint8), from_1904=from_1904)
    assert kinds[0] == SourceKind.DATE
    assert str(np.datetime64(int(numbers[0]), "D")) == date


@given(st.integers(0, 1_048_575), st.integers(0, 16_383))
def test_addresses_read_back(row: int, column: int) -> None:
    assert read_address(f"{column_letters(column)}{row + 1}") == (row, column)
    assert read_range(str(Range(row, column, row, column))) == Range(row, column, row, column)


def test_sheets_get_names_that_programs_take() -> None:
    empty = BareTable({})
    names = ["a/b", "a:b", "x" * 40, "X" * 40, "'quoted'", "[]", ""]
    found = [sheet.name for sheet in sheets_of(dict.fromkeys(names, empty))]
    assert found == ["a_b", "a_b_2", "x" * 31, "X" * 27 + "_2", "quoted", "__", "table"]
