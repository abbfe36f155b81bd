"""Dates, times and numbers in other notations: the compiled readers against the reference, and cases."""

from datetime import date, datetime, timedelta
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.chunks.column_chunk import TextChunk
from comb.chunks.column_source import ColumnSource
from comb.inference.decide import infer_column
from comb.inference.detect import detected_candidates
from comb.kernels import dispatch
from comb.kernels.notation import MARKS, Marks
from comb.kernels.reference import notation
from comb.kernels.reference.kernels import ReferenceKernels
from comb.kernels.reference.moments import parse_moments
from comb.kernels.string_buffer import pack
from comb.parsing.calendar_names import MONTH_NUMBERS, WEEKDAY_BITS, months, weekdays
from comb.parsing.cell_parser import CellParser, moment_form
from comb.parsing.durations import read_duration
from comb.parsing.moment_programs import moment_program, swapped
from comb.parsing.moment_shapes import general, patterns_of
from comb.parsing.vocabulary import words_for
from comb.tables.text import Text
from comb.tables.value_texts import duration_text

PATTERNS = {
    "date": ["d.M.yyyy", "dd/MM/yy", "yyyyMMdd", "d. MMMM yyyy", "EEE, d MMM yyyy", "yyyy-'Q'Q", "YYYY-'W'ww-e", "MM/yyyy", "MMM yyyy"],
    "datetime": ["yyyy-MM-dd'T'HH:mm:ss.SSSXXX", "dd.MM.yyyy HH:mm", "M/d/yyyy h:mm:ss a", "yyyyMMdd'T'HHmmssX"],
    "time": ["HH:mm:ss.SSS", "h:mm a", "H'h'mm", "HHmm"],
    "duration": ["H:mm:ss.SSS", "H:mm"],
}  # fmt: skip
FORMS = [moment_program(word, pattern) for word, patterns in PATTERNS.items() for pattern in patterns]

# Parts of which texts are made that nearly are moments.
PARTS = st.sampled_from([
    *"0123456789", "00", "29", "31", "12", "24", "59", "60", "1970", "2024", "2025", "0000", "9999", *".-/:,T Zz'()", " ", "\u00a0",
    *MONTH_NUMBERS, "MAR", "März", "DÉC", *WEEKDAY_BITS, "am", "P.M.", "+02:00", "-0530", "UTC", "Q", "W", "h", "Sept.",
])  # fmt: skip
MOMENTS = st.datetimes(datetime(1, 1, 1), datetime(9999, 12, 31))


def written(moment: datetime, pattern: str) -> str:
    """Write a moment by a pattern, in English."""
    week = moment.isocalendar()
    values = {
        "yyyy": f"{moment.year:04}", "YYYY": f"{week.year:04}", "yy": f"{moment.year % 100:02}", "MMMM": f"{moment:%B}",
        "MMM": f"{moment:%b}", "MM": f"{moment.month:02}", "M": str(moment.month), "dd": f"{moment.day:02}",
        "d": str(moment.day), "EEE": f"{moment:%a}", "HH": f"{moment.hour:02}", "H": str(moment.hour),
        "h": str(moment.hour % 12 or 12), "mm": f"{moment.minute:02}", "ss": f"{moment.second:02}",
        "SSS": f"{moment.microsecond:06}", "a": "PM" if moment.hour > 11 else "am", "XXX": "Z", "X": "Z",
        "Q": str((moment.month + 2) // 3), "ww": f"{week.week:02}", "e": str(week.weekday),
    }  # fmt: skip
    out, rest = "", pattern
    while rest:
        if rest[0] == "'":
            word, _, rest = rest[1:].partition("'")
            out += word
            continue
        key = next((key for key in sorted(values, key=len, reverse=True) if rest.startswith(key)), rest[0])
        out += values.get(key, key)
        rest = rest[len(key) :]
    return out


def both(texts: list[str], reading: CellParser) -> None:
    """Read texts by the compiled readers and by the reference."""
    quick = dispatch.kernels.read(pack(texts), moment_form(reading.moments))
    slow = reading.parse(pack(texts), ReferenceKernels())
    if quick is not None:
        assert quick[1].tolist() == slow[1].tolist(), texts
        fits = slow[1] == 0
        assert np.array_equal(quick[0][fits], slow[0][fits]), texts


@given(st.lists(st.lists(PARTS, max_size=9).map("".join), max_size=8), st.sampled_from(FORMS))
def test_whatever_a_text_is_both_readers_agree(texts: list[str], form: Any) -> None:
    both(texts, CellParser(form.type, moments=(form,)))


@given(MOMENTS, st.sampled_from(FORMS), st.integers(0, 12), st.sampled_from(["", "0", ":", "x", " "]))
def test_written_by_a_pattern_and_read_back(moment: datetime, form: Any, at: int, slip: str) -> None:
    text = written(moment, form.pattern)
    reading = CellParser(form.type, moments=(form,))
    both([text, text[:at] + slip + text[at:], text[:at] + text[at + 1 :], text.upper(), f" {text} "], reading)
    values, status = reading.parse(pack([text]))
    assert status[0] == 0
    if form.pattern in ("d.M.yyyy", "yyyyMMdd", "d. MMMM yyyy", "EEE, d MMM yyyy", "YYYY-'W'ww-e"):
        assert values[0].item() == moment.date()
    if form.type.utc and "SSS" in form.pattern:
        assert values[0].item() == moment


@pytest.mark.parametrize(
    ("word", "pattern", "text", "value"),
    [
        ("date", "d.M.yy", "1.2.49", date(2049, 2, 1)), ("date", "d.M.yy", "1.2.50", date(1950, 2, 1)),
        ("date", "EEEE, d. MMMM yyyy", "Samstag, 1. März 2025", date(2025, 3, 1)),
        ("date", "EEEE, d. MMMM yyyy", "Sonntag, 1. März 2025", None),  # that day was no Sunday
        ("date", "YYYY-'W'ww", "2020-W53", date(2020, 12, 28)), ("date", "YYYY-'W'ww", "2021-W53", None),
        ("date", "d.M.yyyy", "29.2.2023", None), ("date", "d.M.yyyy", "29.2.2024", date(2024, 2, 29)),
        ("datetime", "yyyy-MM-dd HH:mm:ss", "2016-12-31 23:59:60", None),  # a leap second
        ("datetime", "yyyy-MM-dd HH:mm:ssXXX", "0001-01-01 00:00:00+01:00", None),  # before the first year
        ("time", "h:mm a", "12:05 am", timedelta(minutes=5)), ("time", "h:mm a", "12:05 pm", timedelta(hours=12, minutes=5)),
        ("time", "h:mm a", "13:05 pm", None), ("time", "HH:mm", "24:00", None),
        ("datetime", "yyyy-MM-dd 24:00", "2026-01-01 24:00", datetime(2026, 1, 2)),  # the end of a day
        ("datetime", "d.M.yyyy 24:00:00 'Uhr'", "31.12.2025 24:00:00 Uhr", datetime(2026, 1, 1)),
        ("datetime", "yyyyMMdd'T'2400XXX", "20240228T2400+01:00", datetime(2024, 2, 28, 23)),
        ("datetime", "yyyy-MM-dd 24:00", "9999-12-31 24:00", None), ("datetime", "yyyy-MM-dd HH:mm", "2026-01-01 24:00", None),
        ("datetime", "d.M.yyyy", "1.2.2026", datetime(2026, 2, 1)),
        ("time", "HH:mm:ss.SSS", "01:02:03.0000001", None),  # finer than a microsecond
        ("duration", "H:mm", "-100:30", -timedelta(hours=100, minutes=30)),
    ],
)  # fmt: skip
def test_what_a_pattern_reads(word: str, pattern: str, text: str, value: object) -> None:
    form = moment_program(word, pattern)
    values, status = CellParser(form.type, moments=(form,)).parse(pack([text]))
    assert (values[0].item() if status[0] == 0 else None) == value


NEARLY = st.lists(st.sampled_from([*"0123456789.,'() +-%", "−", "–", "’", "\u00a0", "\u202f", "€", "kg", "x", "0", "12", "123", "000"]), max_size=9).map("".join)  # fmt: skip


@given(st.lists(NEARLY, max_size=10), st.sampled_from(MARKS), st.sampled_from(["", "kg", "€", "%"]))
def test_numbers_of_any_notation_become_plain_alike(texts: list[str], marks: Marks, unit: str) -> None:
    slow = notation.plain_numbers(texts, marks, unit)
    quick = dispatch.kernels.plain_numbers(pack(texts), marks, unit)
    assert quick.texts.strings() == slow.texts.strings(), texts
    assert quick.flags.tolist() == slow.flags.tolist() and quick.decimals.tolist() == slow.decimals.tolist(), texts


@given(st.integers(-(10**15), 10**15))
def test_durations_come_back(micro: int) -> None:
    assert read_duration(duration_text(micro)) == micro


@given(MOMENTS, st.sampled_from(FORMS))
def test_the_pattern_of_a_text_is_among_those_it_could_have(moment: datetime, form: Any) -> None:
    if form.program.kind != "duration" and form.pattern != "HHmm" and moment.year > 1000:
        seen = {general(pattern) for _, pattern in patterns_of(written(moment, form.pattern))}
        assert general(form.pattern) in seen or general(swapped(form.pattern)) in seen


@given(st.lists(st.sampled_from(["1.2.2025 10:30", "13.2.2025 10:30", "2025-02-01", "x", "", "1,234.5 €", "3 €"]), min_size=1, max_size=30), st.data())  # fmt: skip
def test_a_second_look_finds_the_same_however_a_column_is_cut(cells: list[str], data: st.DataObject) -> None:
    cuts = sorted(data.draw(st.lists(st.integers(0, len(cells)), max_size=3)))
    parts = [cells[start:stop] for start, stop in zip([0, *cuts], [*cuts, len(cells)], strict=True)]
    whole = detected_candidates(ColumnSource([TextChunk(Text.from_items(cells), words_for(None))]))
    found = detected_candidates(ColumnSource([TextChunk(Text.from_strings(part), words_for(None)) for part in parts]))
    assert [(one, one.why, one.parser) for one in found] == [(one, one.why, one.parser) for one in whole]


def chosen_evidence(cells: list[str]) -> str:
    return str(infer_column(Text.from_items(cells)).evidence)


def test_long_columns_of_moments_are_read_as_they_are_guessed(tmp_path: Any) -> None:
    start = datetime(2025, 1, 1)
    rows = [
        f"{start + timedelta(minutes=7 * at)},{(start + timedelta(minutes=at)):%d/%m/%Y %H:%M},{at}.5 kg"
        for at in range(30_000)
    ]
    (tmp_path / "x.csv").write_text("\n".join(["at,message,kg", *rows, "soon,13/13/2025 10:00,?", ""]))
    table = comb.load(tmp_path / "x.csv")
    assert [str(kind) for kind in table.types.values()] == ["datetime", "datetime", "decimal"]
    assert table["at"].to_list()[-2] == start + timedelta(minutes=7 * 29_999)
    assert table["at"].kept.texts == {30_000: "soon"} and table["message"].kept.texts == {30_000: "13/13/2025 10:00"}
    assert "can be read one way only" in str(table["message"].evidence)
    assert months().values.max() == 12 and weekdays().values.max() < 128
    leap = [f"{start + timedelta(days=at):%Y-%m-%d %H:%M:%S}" for at in range(20)]
    message = chosen_evidence([*leap, "2016-12-31 23:59:60"])
    assert "leap seconds are not kept" in message and "'2016-12-31 23:59:60'" in message
    assert parse_moments([""], FORMS[0].program, months(), weekdays())[1].tolist() == [1]
