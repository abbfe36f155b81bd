"""Dates, times, durations and categories go through every format, step and calculation unharmed."""

from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.expressions.evaluate import evaluate
from support.running import run_comb
from support.strategies import DATES, DATETIMES, SPANS

MILLISECONDS = st.integers(0, 86_399_999)
LATER = st.datetimes(datetime(1901, 1, 1), datetime(9999, 12, 31)).map(lambda moment: moment.replace(microsecond=moment.microsecond // 1000 * 1000))  # fmt: skip


def moments(rows: int) -> comb.Table:
    """Make a table of everything that has a day or an hour."""
    start = datetime(2025, 5, 1, 6, 30)
    return comb.table(
        columns={
            "day": [(start + timedelta(days=at)).date() for at in range(rows)],
            "at": [start + timedelta(hours=at, milliseconds=at) for at in range(rows)],
            "utc": [(start + timedelta(minutes=at)).replace(tzinfo=UTC) for at in range(rows)],
            "clock": [time(at % 24, 5, 7) for at in range(rows)],
            "took": [timedelta(hours=at * 7, seconds=at) for at in range(rows)],
            "gap": [None if at % 3 else timedelta(days=at) for at in range(rows)],
        }
    )


@pytest.mark.parametrize("suffix", ["csv", "tsv", "xlsx", "ods", "json", "jsonl"])
def test_every_format_keeps_them(tmp_path: Path, suffix: str) -> None:
    table = moments(30)
    described = suffix in ("csv", "tsv")
    table.save(tmp_path / f"x.{suffix}", **({"describe": True} if described else {}))
    back = comb.load(tmp_path / f"x.{suffix}", **({"table": "x"} if suffix in ("xlsx", "ods") else {}))
    for name in table.names:
        mine, theirs = table[name].to_list(), back[name].to_list()
        if suffix in ("xlsx", "ods"):
            # A workbook knows neither time zones nor, for spans of less than a day, that they are no times of day.
            mine = [value.replace(tzinfo=None) if isinstance(value, datetime) else value for value in mine]
        if suffix.startswith("json") and name in ("clock", "took", "gap"):
            mine = table[name].texts()
        assert mine == theirs, name
    if described:
        assert back.equals(table) and back.types == table.types


@given(st.lists(st.tuples(DATES, DATES, st.integers(-4000, 4000)), min_size=1, max_size=6))
def test_days_are_counted_as_python_counts_them(cells: list[tuple[date, date, int]]) -> None:
    table = comb.table(columns=dict(zip("abn", (list(part) for part in zip(*cells, strict=True)), strict=True)))
    assert evaluate("a - b", table).to_list() == [one - other for one, other, _ in cells]
    assert evaluate("a < b", table).to_list() == [one < other for one, other, _ in cells]
    moved: list[Any] = []
    for one, _, days in cells:
        try:
            moved.append(one + timedelta(days=days))
        except OverflowError:
            moved.append(None)
    assert evaluate("a + n", table).to_list() == moved
    for part, of in (("year", lambda d: d.year), ("month", lambda d: d.month), ("week", lambda d: d.isocalendar()[1]), ("weekday", date.isoweekday), ("day_of_year", lambda d: d.timetuple().tm_yday)):  # fmt: skip
        assert evaluate(f"extract({part} from a)", table).to_list() == [of(one) for one, _, _ in cells], part


@given(st.lists(st.tuples(DATETIMES, SPANS), min_size=1, max_size=6))
def test_moments_and_spans_are_added_as_python_adds_them(cells: list[tuple[datetime, timedelta]]) -> None:
    table = comb.table(columns={"at": [one for one, _ in cells], "span": [span for _, span in cells]})
    for sign, formula in ((1, "at + span"), (-1, "at - span")):
        expected: list[Any] = []
        for one, span in cells:
            try:
                expected.append(one + sign * span)
            except OverflowError:
                expected.append(None)
        assert evaluate(formula, table).to_list() == expected
    assert evaluate("span * 3 - span", table).to_list() == [span * 2 for _, span in cells]
    assert evaluate("cast(at as date)", table).to_list() == [one.date() for one, _ in cells]
    assert evaluate("cast(at as time)", table).to_list() == [one.time() for one, _ in cells]
    assert evaluate("start_of('hour', at)", table).to_list() == [
        one.replace(minute=0, second=0, microsecond=0) for one, _ in cells
    ]
    assert evaluate("extract(minute from at)", table).to_list() == [one.minute for one, _ in cells]
    assert evaluate("max(span) - min(span)", table).to_list() == [
        max(s for _, s in cells) - min(s for _, s in cells)
    ] * len(cells)


@given(DATES, st.integers(-30, 30))
def test_months_end_where_the_calendar_says(day: date, months: int) -> None:
    table = comb.table(columns={"d": [day]})
    at = day.year * 12 + day.month - 1 + months
    year, month = divmod(at, 12)
    if 1 <= year <= 9999:
        after = (
            date(year + (month == 11), (month + 1) % 12 + 1, 1) - timedelta(days=1)
            if (year, month) != (9999, 11)
            else date.max
        )
        expected = date(year, month + 1, min(day.day, after.day))
        assert evaluate(f"add_months(d, {months})", table).to_list() == [expected]
    end = evaluate("end_of('month', d)", table).to_list()[0]
    assert (end.year, end.month) == (day.year, day.month) and (end == date.max or (end + timedelta(days=1)).day == 1)
    assert evaluate(
        "date_from(extract(year from d), extract(month from d), extract(day from d)) = d", table
    ).to_list() == [True]


def test_to_numpy_and_typed_in_by_hand() -> None:
    table = moments(4)
    assert table["gap"].to_numpy().dtype == "timedelta64[us]" and np.isnat(table["gap"].to_numpy()[1])
    assert table["at"].to_numpy()[0] == np.datetime64("2025-05-01T06:30")
    assert [kind.in_full for kind in table.types.values()][:3] == [
        "date",
        "local datetime",
        "datetime in universal time",
    ]
    with pytest.raises(comb.ParameterError, match="some have an offset and some have none"):
        comb.table(columns={"at": [datetime(2025, 1, 1), datetime(2025, 1, 1, tzinfo=UTC)]})
    assert comb.table(columns={"at": [datetime(2025, 1, 1)], "kg": [Decimal("1.50")]}).record(1)["kg"] == Decimal(
        "1.50"
    )


@pytest.mark.parametrize(
    ("options", "message"),
    [
        ({"took": [timedelta(microseconds=1500)]}, "parts of a millisecond"), ({"took": [timedelta(hours=-1)]}, "does not show"),
        ({"at": [datetime(1850, 1, 1)]}, "before March 1900"),
    ],
)  # fmt: skip
def test_what_a_workbook_would_change_is_refused(tmp_path: Path, options: dict[str, list[Any]], message: str) -> None:
    with pytest.raises(comb.ParameterError, match=message):
        comb.table(columns=options).save(tmp_path / "x.xlsx")


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["--by", "queen"], ["laying 1840 76.7 %", "next: comb show inspections.csv --where \"queen = 'laying'\""]),
        (["--by", "keeper", "--across", "fed", "--sort", "value"], ["Alder", "total"]),
        (["--by", "visit", "--of-counts"], ["1 2336", "2 32"]), (["--where", "mites > 30"], ["count"]),
        (["--by", "colony", "--first", "2"], ["not shown: rows 3 to 74 (--first N)"]), (["--by", "queen", "--json"], ['"count": 1840']),
    ],
)  # fmt: skip
def test_counting_at_the_command_line(demo: Path, arguments: list[str], message: list[str]) -> None:
    ran = run_comb("count", "inspections.csv", *arguments, cwd=demo)
    assert ran.code == 0, ran.err
    for text in message:
        assert text in " ".join((ran.out + ran.err).split()), ran.out
    for wrong, hint in ((["--by", "quen"], "did you mean 'queen'"), (["--where", "mites >"], "expected"), (["--by", "queen", "--across", "visit"], "a cross table takes 200")):  # fmt: skip
        failed = run_comb("count", "inspections.csv", *wrong, cwd=demo)
        assert failed.code == 2 and hint in failed.err and "Traceback" not in failed.err


@given(st.lists(st.tuples(LATER, MILLISECONDS), min_size=1, max_size=5))
def test_texts_of_moments_are_read_back_by_inference(cells: list[tuple[datetime, int]]) -> None:
    table = comb.table(
        columns={
            "at": [moment for moment, _ in cells],
            "clock": [(datetime.min + timedelta(milliseconds=part)).time() for _, part in cells],
        }
    )
    texts = table.convert({"at": "string", "clock": "string"})
    assert texts.convert({"at": "datetime", "clock": "time"}).equals(table)
