"""The reference kernels against Python's own reading of the same texts."""

import csv
import io
from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from comb.kernels.grouping import group, order_rows, ranks
from comb.kernels.numbering import number_strings as encode
from comb.kernels.reference import scalars
from comb.kernels.reference.splitting import split_records

FIELD = st.text(st.sampled_from('ab ;,"\n\r\té1'), max_size=6)


@given(
    st.lists(st.lists(FIELD, min_size=2, max_size=4), max_size=6),
    st.sampled_from([",", ";", "\t"]),
    st.sampled_from(["\n", "\r\n", "\r"]),
)
def test_well_formed_text_splits_as_the_csv_module_does(rows: list[list[str]], delimiter: str, line_end: str) -> None:
    text = io.StringIO()
    csv.writer(text, delimiter=delimiter, lineterminator=line_end, quoting=csv.QUOTE_ALL).writerows(rows)
    found = split_records(text.getvalue(), delimiter, '"')
    assert found.fields == rows
    assert not found.stray and not found.unclosed


@given(st.text(st.sampled_from('ab;"\n\r'), max_size=30))
def test_no_character_is_lost_or_read_twice(text: str) -> None:
    found = split_records(text, ";", '"')
    kept = "".join(field for fields in found.fields for field in fields)
    for character in "ab":
        assert kept.count(character) == text.count(character)
    assert found.lines == sorted(set(found.lines)), "records begin on lines of their own"


@given(st.text(st.sampled_from("ab;\n\r"), max_size=30))
def test_lines_count_every_kind_of_line_end(text: str) -> None:
    lines = list(io.StringIO(text, newline=""))
    assert split_records(text, ";", '"').lines == list(range(1, len(lines) + 1))


@pytest.mark.parametrize(
    ("text", "fields", "lines", "stray", "unclosed"),
    [
        ("a;b\n1;2", [["a", "b"], ["1", "2"]], [1, 2], [], []),
        ('a;"b\nc"\n1;2\n', [["a", "b\nc"], ["1", "2"]], [1, 3], [], []),
        ('"12" pipe";x\n', [['12" pipe', "x"]], [1], [1], []),
        ('5" nail;x\n', [['5" nail', "x"]], [1], [1], []),
        ('"open;x\ny;z\n', [['"open', "x"], ["y", "z"]], [1, 2], [], [1]),
        ('"a""b";""\n', [['a"b', ""]], [1], [], []),
        ("\n\n", [[""], [""]], [1, 2], [], []),
        ("", [], [], [], []),
    ],
)  # fmt: skip
def test_records(text: str, fields: list[list[str]], lines: list[int], stray: list[int], unclosed: list[int]) -> None:
    found = split_records(text, ";", '"')
    assert (found.fields, found.lines, found.stray, found.unclosed) == (fields, lines, stray, unclosed)


@given(st.lists(st.text(st.sampled_from("0123456789+-.eE,_ na"), max_size=24)))
def test_numbers_read_as_python_reads_the_same_digits(texts: list[str]) -> None:
    integers, fits = scalars.parse_integers(texts)
    numbers, number_fits = scalars.parse_numbers(texts)
    for at, text in enumerate(texts):
        if fits[at] == scalars.FITS:
            assert integers[at] == int(text)
        if number_fits[at] == scalars.FITS:
            assert numbers[at] == float(text)
        assert (fits[at] == scalars.BLANK) == (text == "") == (number_fits[at] == scalars.BLANK)
        assert fits[at] or not number_fits[at], "every integer is a number"


@given(st.integers(-(10**17), 10**17), st.integers(1, 8))
def test_decimals_come_back_digit_for_digit(value: int, scale: int) -> None:
    text = f"{'-' if value < 0 else ''}{str(abs(value)).rjust(scale + 1, '0')[:-scale]}.{str(abs(value)).rjust(scale + 1, '0')[-scale:]}"
    read, status = scalars.parse_decimals([text], scale)
    assert (read[0], status[0]) == (value, 0) or len(str(abs(value))) > scalars.MOST_DECIMAL_DIGITS


@given(st.dates(), st.sampled_from(list(scalars.DATE_ORDERS)), st.sampled_from("-./"))
def test_dates_read_in_every_order(day: date, order: str, mark: str) -> None:
    parts = {"y": f"{day.year:04}", "m": str(day.month), "d": str(day.day)}
    values, status = scalars.parse_dates([mark.join(parts[letter] for letter in order)], order, mark)
    assert status[0] == scalars.FITS and values[0] == np.datetime64(day)


@pytest.mark.parametrize("text", ["31.9.2025", "29.2.2025", "0.1.2025", "1.13.2025", "1.1.25", "1-1.2025", "1.1.0000"])
def test_impossible_days_do_not_fit(text: str) -> None:
    assert scalars.parse_dates([text], "dmy", ".")[1].tolist() == [scalars.MISFIT]


@pytest.mark.parametrize(
    ("text", "decimal", "group", "plain"),
    [
        ("1.234,5", ",", ".", "1234.5"), ("1 234", ".", " ", "1234"), ("12.34,5", ",", ".", " 12.34,5"),
        ("1,5", ",", None, "1.5"), ("1.5", ",", None, " 1.5"), ("1'234.50", ".", "'", "1234.50"), ("1,234,567", ".", ",", "1234567"),
    ],
)  # fmt: skip
def test_marks_in_numbers(text: str, decimal: str, group: str | None, plain: str) -> None:
    assert scalars.plain_number(text, decimal, group) == plain


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 3))))
def test_groups_are_those_of_a_dictionary(rows: list[tuple[int, int]]) -> None:
    index: dict[tuple[int, int], int] = {}
    expected = [index.setdefault(row, len(index)) for row in rows]
    keys = [np.array([row[at] for row in rows], np.int64) for at in (0, 1)]
    numbers, first = group(keys, len(rows))
    assert numbers.tolist() == expected
    assert first.tolist() == [expected.index(number) for number in range(len(index))]
    assert order_rows(keys).tolist() == sorted(range(len(rows)), key=lambda at: rows[at])


@given(st.lists(st.text(max_size=3)))
def test_codes_lead_back_to_the_texts(texts: list[str]) -> None:
    words, codes = encode(texts)
    assert [words[code] for code in codes] == texts and len(set(words)) == len(words)
    assert ranks(codes).tolist() == codes.tolist()
