"""Numbers and dates as other languages and scripts write them: read whole, or left as text, never half read."""

from datetime import date

import pytest

import comb
from comb.parsing.calendar_names import FULL_MONTH_NAMES, MONTH_NAMES, MONTH_NUMBERS
from support.inferring import infer

DATES = {
    "d MMMM yyyy": ("3 maj 2023", "14 oktober 2022", "1 mars 2021"),
    "d. MMMM yyyy": ("3. května 2023", "14. října 2022", "1. března 2021"),
    "d 'de' MMMM 'de' yyyy": ("3 de maio de 2023", "14 de outubro de 2022", "1 de março de 2021"),
    "yyyy. MMMM d.": ("2023. május 3.", "2022. október 14.", "2021. március 1."),
    "yyyy'年'M'月'd'日'": ("2023年5月3日", "2022年10月14日", "2021年3月1日"),
    "yyyy'년' M'월' d'일'": ("2023년 5월 3일", "2022년 10월 14일", "2021년 3월 1일"),
    "d'th' MMMM yyyy": ("3rd May 2023", "14th October 2022", "1st March 2021"),
    "d'th' 'of' MMMM yyyy": ("3rd of May 2023", "14th of October 2022", "1st of March 2021"),
    "MMMM d'th', yyyy": ("May 3rd, 2023", "October 14th, 2022", "March 1st, 2021"),
}
SAME = [
    ("3 maja 2023", "14 października 2022", "1 marca 2021"), ("3 мая 2023", "14 октября 2022", "1 МАРТА 2021"),
    ("3 maggio 2023", "14 ottobre 2022", "1 marzo 2021"), ("3 mei 2023", "14 oktober 2022", "1 maart 2021"),
    ("3 Mayıs 2023", "14 Ekim 2022", "1 Mart 2021"), ("3 травня 2023", "14 жовтня 2022", "1 березня 2021"),
    ("3 mai 2023", "14 octombrie 2022", "1 martie 2021"), ("3 Μαΐου 2023", "14 Οκτωβρίου 2022", "1 Μαρτίου 2021"),
    ("３ May ２０２３", "１４ October ２０２２", "１ March ２０２１"),
]  # fmt: skip
DAYS = [date(2023, 5, 3), date(2022, 10, 14), date(2021, 3, 1)]


CASES = [*DATES.items(), *((texts[0], texts) for texts in SAME)]


@pytest.mark.parametrize(("pattern", "texts"), CASES)
def test_dates_of_other_languages(pattern: str, texts: tuple[str, ...]) -> None:
    column = infer(*texts * 4)
    assert column.to_list() == DAYS * 4
    if pattern in DATES:
        assert column.evidence is not None and column.evidence.chosen.pattern == pattern
    else:
        assert column.type.word == "date"


def test_a_moment_as_the_c_library_writes_it() -> None:
    column = infer(*("Fri Jun 30 17:12:41 2023", "Sat Jul  1 08:00:00 2023") * 6)
    assert column.texts()[:2] == ["2023-06-30T17:12:41", "2023-07-01T08:00:00"]
    # A weekday that the day is not does not fit.
    assert infer(*("Fri Jun 30 17:12:41 2023",) * 15, "Mon Jul  1 08:00:00 2023").missing_count == 1


@pytest.mark.parametrize(
    ("texts", "values"),
    [
        (("١٢", "٣٤٥", "٧"), [12, 345, 7]),
        (("१२", "३४५", "७"), [12, 345, 7]),
        (("１２", "３４５", "７．５"), [12, 345, 7.5]),
        (("٧٫٥", "٨٫٢٥", "٩"), [7.5, 8.25, 9]),
        (("২০২৩-০৫-০৩", "২০২২-১০-১৪", "২০২১-০৩-০১"), DAYS),
    ],
)
def test_digits_of_other_scripts(texts: tuple[str, ...], values: list[object]) -> None:
    column = infer(*texts * 5)
    assert column.to_list() == values * 5
    assert column.evidence is not None and any("another script" in why for why in column.evidence.why)
    odd = infer(*texts * 9, "кот")
    assert odd.kept.texts == {27: "кот"}


def test_what_does_not_fit_keeps_its_text_as_it_was_written() -> None:
    column = infer(*("١٢", "٣٤٥") * 10, "١٢ كغ")
    assert column.type.word == "integer" and column.kept.texts == {20: "١٢ كغ"}
    names = infer(*("غرفة ١", "غرفة ٢") * 10)
    assert names.type.word == "string" and names.texts()[0] == "غرفة ١"


def test_a_column_in_other_digits_comes_again_by_its_declared_type() -> None:
    data = ("n\n" + "١٢\n٣٤٥\n" * 10).encode()
    assert comb.load(data, types={"n": "integer"})["n"].to_list()[:2] == [12, 345]
    assert comb.load(data, types={"n": "string"})["n"].to_list()[:2] == ["١٢", "٣٤٥"]


def test_no_name_means_two_months() -> None:
    seen: dict[str, int] = {}
    for number, names in enumerate(MONTH_NAMES, 1):
        for name in names.split():
            assert seen.setdefault(name, number) == number and MONTH_NUMBERS[name] == number
    assert all(len(names.split()) >= 15 for names in FULL_MONTH_NAMES)


@pytest.mark.parametrize(
    ("texts", "values"),
    [
        (("1,23,456", "12,34,567", "45,678", "1,00,00,000"), [123_456, 1_234_567, 45_678, 10_000_000]),
        (("1,23,456.5", "12,34,567.25", "45,678.75"), [123_456.5, 1_234_567.25, 45_678.75]),
    ],
)
def test_numbers_grouped_as_in_india(texts: tuple[str, ...], values: list[float]) -> None:
    column = infer(*texts * 4)
    assert [float(one) for one in column.to_list()] == values * 4


@pytest.mark.parametrize("text", ["123,45,678", "1,23,45", "1,234,56,789", "1,2,345", "1,23,4567"])
def test_what_is_grouped_in_no_way_is_no_number(text: str) -> None:
    assert infer(*("1,23,456", "12,34,567") * 10, text).kept.texts == {20: text}


def test_the_fraction_of_a_day_count_is_the_time_of_day() -> None:
    table = comb.table(columns={"visited at": [45123.25, 45124.5, 45200.75, 45000.123] * 4})
    (finding,) = table.profile().of("type.serial_dates")
    made = table.take_step(finding.remedy)["visited at"]
    assert made.texts()[:3] == ["2023-07-16T06:00:00", "2023-07-17T12:00:00", "2023-10-01T18:00:00"]
    assert made.texts()[3] == "2023-03-15T02:57:07.2" and not made.missing_count
    with pytest.raises(comb.CombError, match="gives a date or a datetime, not a time"):
        table.convert({"visited at": "time days_since_1900"})
