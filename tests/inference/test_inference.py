"""Which type columns get, with which evidence, and conversions that lose nothing."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.casting.cast import convert_column
from comb.parsing.patterns import date_form, parse_request
from comb.tables.column import Column
from comb.tables.value_texts import value_texts
from support.inferring import infer
from support.strategies import tables


@pytest.mark.parametrize(
    ("texts", "word", "values", "evidence"),
    [
        (["1", "-2", "+3"], "integer", [1, -2, 3], "3 of 3 fit"),
        (["1.50", "2.25"], "decimal", ["1.50", "2.25"], "2 of 2 fit"),
        (["1,5", "22,0"], "decimal", ["1.5", "22.0"], "decimal comma"),
        (["1,5", "22,25"], "number", [1.5, 22.25], "decimal comma"),
        (["1.5", "2"], "number", [1.5, 2.0], "2 of 2 fit"),
        (["1e-5", "2"], "number", [1e-5, 2.0], ""),
        (["1,234", "5,678"], "string", ["1,234", "5,678"], "could be a thousands separator or a decimal comma"),
        (["0,234", "5,678"], "decimal", ["0.234", "5.678"], ""),
        (["007", "12"], "string", ["007", "12"], "starting with 0"),
        (["0", "10"], "integer", [0, 10], ""),
        (["9223372036854775808", "1"], "string", ["9223372036854775808", "1"], "beyond the range"),
        (["-9223372036854775808"], "string", ["-9223372036854775808"], "more than 18 digits"),
        (["-999999999999999999"], "integer", [-999_999_999_999_999_999], ""),
        (["yes", "no", "Yes"], "boolean", [True, False, True], "yes and no both occur"),
        (["ja", "nein"], "boolean", [True, False], ""),
        (["yes", "yes"], "string", ["yes", "yes"], ""),
        (["1", "0"], "integer", [1, 0], ""),
        (["2026-05-01", "2026-12-31"], "date", ["2026-05-01", "2026-12-31"], "yyyy-MM-dd"),
        (["1.5.2026", "31.12.2026"], "date", ["2026-05-01", "2026-12-31"], "d.M.yyyy"),
        (["01.05.2026", "31.12.2026"], "date", ["2026-05-01", "2026-12-31"], "dd.MM.yyyy"),
        (["1.5.2026", "2.5.2026"], "date", ["2026-05-01", "2026-05-02"], "day first"),
        (["13/5/2026", "1/6/2026"], "date", ["2026-05-13", "2026-06-01"], "1 value with a day above 12"),
        (["5/13/2026", "6/1/2026"], "date", ["2026-05-13", "2026-06-01"], "M/d/yyyy"),
        (["1/5/2026", "6/1/2026"], "string", ["1/5/2026", "6/1/2026"], "day and month could be swapped"),
        (["13/5/2026", "5/13/2026"], "string", ["13/5/2026", "5/13/2026"], "1 value with the day first, 1 with the month"),
        (["1.5.2026", "2026-06-01"], "date", ["2026-05-01", "2026-06-01"], "several forms"),
        (["2026-01-01 23:00", "2026-01-01 24:00"], "datetime", ["2026-01-01 23:00:00", "2026-01-02 00:00:00"], "24:00 is the end of the day"),
        (["5.1.2026 24:00", "6.1.2026 23:30"], "datetime", ["2026-01-06 00:00:00", "2026-01-06 23:30:00"], "day first"),
        (["1/5/2026 24:00", "1/13/2026 23:30"], "datetime", ["2026-01-06 00:00:00", "2026-01-13 23:30:00"], "M/d/yyyy 24:00 1 time"),
        (["1/5/2026 24:00", "1/6/2026 23:30"], "string", ["1/5/2026 24:00", "1/6/2026 23:30"], "day and month could be swapped"),
        (["2026-01-01T24:00:00.001", "2026-01-01T24:00:01"], "string", ["2026-01-01T24:00:00.001", "2026-01-01T24:00:01"], ""),
        # One day that could be swapped says nothing of moments that cannot.
        ([*(f"{day}.1.2026 10:30" for day in range(11, 31)), "3/2/2026"], "datetime", [*(f"2026-01-{day} 10:30:00" for day in range(11, 31)), None], "one way only"),
        (["1.1.0001", "31.12.9999"], "date", ["0001-01-01", "9999-12-31"], ""),
        (["nan", "inf"], "string", ["nan", "inf"], ""),
        (["1_000", "٣"], "string", ["1_000", "٣"], ""),
        (["", "  "], "string", [None, None], "nothing in it"),
        ([], "string", [], ""),
    ],
)  # fmt: skip
def test_types_with_evidence(texts: list[str], word: str, values: list[object], evidence: str) -> None:
    column = infer(*texts)
    shown = [value if isinstance(value, int | float | bool | None) else str(value) for value in column.to_list()]
    assert (str(column.type), shown) == (word, values)
    assert evidence in str(column.evidence)


def test_what_does_not_fit_is_missing_and_keeps_its_text() -> None:
    column = infer(*["5"] * 30, "many", " ", "n/a", "6 ")
    assert column.type.word == "integer"
    assert column.reasons()[-4:] == ["unreadable", "blank", "marker", None] and column.to_list()[-1] == 6
    assert column.kept.texts == {30: "many", 32: "n/a"}
    assert "does not fit: 'many'" in str(column.evidence)


def test_too_many_misfits_leave_text_with_the_runner_up() -> None:
    column = infer("1", "2", "3", "x", "n/a")
    assert column.type.word == "string" and column.missing_count == 0
    assert "next best: integer: 3 of 4 fit" in str(column.evidence)


@pytest.mark.parametrize(
    ("missing", "reasons"),
    [(None, [None, "marker"]), (["1"], ["marker", None]), ([], [None, None])],
)
def test_words_for_missing_can_be_given(missing: list[str] | None, reasons: list[str]) -> None:
    column = infer("1", "-", missing=missing)
    assert column.reasons() == reasons


@given(tables(kinds=("integer", "number", "decimal", "boolean", "date")))
def test_what_is_written_is_read_equal(table: comb.Table) -> None:
    for column in table.columns.values():
        texts = [text or "" for text in column.texts()]
        again = convert_column(Column._of_strings(texts), parse_request(str(column.type)))
        assert again.texts() == column.texts() or column.type.word == "decimal"
        assert [None if value is None else float(value) for value in again.to_numpy(missing=0).astype(float)] == [
            float(value) for value in column.to_numpy(missing=0).astype(float)
        ]


@given(st.lists(st.text(st.sampled_from("0123456789,.- kgx/"), max_size=8), max_size=12))
def test_no_text_is_lost_whatever_the_type(texts: list[str]) -> None:
    column = infer(*texts)
    for at, text in enumerate(texts):
        held = column._written(at)
        if (text.strip() and column.type.word == "string") or column.reasons()[at] in (
            "unreadable",
            "marker",
        ):
            assert held == text
        elif text.strip():
            assert held is not None and column.present[at]


@pytest.mark.parametrize(
    ("cells", "request_text", "values", "reasons"),
    [
        (["1", "x", None], "integer", ["1", None, None], [None, "unreadable", "blank"]),
        (["1", "n/a"], "integer", ["1", None], [None, "marker"]),
        ([3, 4], "string", ["3", "4"], [None, None]),
        ([3, 4], "number", ["3", "4"], [None, None]),
        ([3, 4], "decimal 0.00", ["3.00", "4.00"], [None, None]),
        ([1.5, 2.25], "decimal", ["1.50", "2.25"], [None, None]),
        ([1.5, 2.0], "integer", [None, "2"], ["unreadable", None]),
        ([True, False], "string", ["true", "false"], [None, None]),
        (["3.4.2026", "2026-04-03"], "date d.M.yyyy", ["2026-04-03", None], [None, "unreadable"]),
        (["4/3/2026"], "date MM/dd/yyyy", ["2026-04-03"], [None]),
    ],
)
def test_conversions(cells: list[object], request_text: str, values: list[str], reasons: list[str]) -> None:
    table = comb.table(columns={"x": cells}).convert({"x": request_text})
    assert (table["x"].texts(), table["x"].reasons()) == (values, reasons)
    for at, reason in enumerate(reasons):
        if reason == "unreadable":
            assert table["x"].kept.texts[at] == str(comb.table(columns={"x": cells})["x"].texts()[at])


@pytest.mark.parametrize("months", [["March"], ["May", "June"], ["Mai"]])
def test_days_without_a_year_are_no_amounts_of_their_month(months: list[str]) -> None:
    texts = [f"{day} {month}" for month in months for day in range(1, 20)]
    table = comb.load("\n".join(["seen", *texts, "later", ""]).encode())
    assert table["seen"].to_list() == [*texts, "later"] and not table.profile().of("type.units")
    assert not table.profile().of("type.unreadable")


def test_a_unit_is_taken_off_and_what_fitted_stays() -> None:
    column = infer(*["31,5"] * 40, "32,5 kg", "33kg", "heavy")
    table = comb.table(columns={"kg": ["x"] * 43})._derive({"kg": column})
    mended = table.convert({"kg": "decimal"}, unit="kg", decimal_mark=",")
    assert mended["kg"].texts()[-4:] == ["31.5", "32.5", "33.0", None]
    assert mended["kg"].kept.texts == {42: "heavy"} and mended["kg"].description == "kg"
    assert mended.ledger[0].cells_changed == {"kg": 2}


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("dat", "did you mean 'date'"),
        ("date dd-mm-yyyy", "m would be minutes"),
        ("boolean 0", "takes no pattern"),
        ("integer abc", "expected a number pattern"),
        ("datetime M.yyyy", "expected a datetime pattern"),
        ("time 24:00", "expected a time pattern"),
        ("time yyyy HH:mm", "expected a time pattern"),
        ("date d.M.yyyy HH:mm", "expected a date pattern"),
        ("date j.M.yyyy", "the letters 'j' mean nothing"),
        ("time seconds_since_1970", "gives a datetime, not a time"),
        ("decimal 0", "expected a decimal pattern"),
    ],
)
def test_types_asked_for_wrongly(text: str, message: str) -> None:
    with pytest.raises(comb.ParameterError) as caught:
        parse_request(text)
    assert message in str(caught.value)


def test_patterns() -> None:
    assert date_form("MM/dd/yyyy").order == "mdy"
    assert value_texts(infer("1.5").type, infer("1.5").array) == ["1.5"]
