"""What looks like a number, a day or a time and need not be one; and what the other columns of a file decide."""

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from support.examples import drawn
from support.inferring import infer

NOT_CERTAIN = {
    "telephone, groups of three": (["555 123 456", "556 222 111"], "telephone numbers"),
    "telephone, points": (["555.123.456", "556.222.111"], "telephone numbers"),
    "telephone, plus": (["+4917012345678", "+4917012345679"], "telephone numbers"),
    "releases": (["1.9", "1.10", "1.11", "2.0"], "releases"),
    "chapters": (["1.1", "1.2", "1.10"], "releases"),
    "zeros first": (["004.678", "012.345"], "starting with 0"),
    "one zero first": (["0.5", "00.7"], "starting with 0"),
    "exponents": (["19E7", "20E1", "7E5"], "as codes like 19E7 have"),
    "scores": (["22:29", "57:29", "3:10"], "no time at all"),
    "seasons": (["2000/01", "2001/02", "2010/11"], "seasons"),
    "months or days": (["Jan-25", "Feb-25", "Mar-25"], "days without a year"),
    "months or days, a year apart": (["Jan 24", "Jan 25", "May 27"], "days without a year"),
    "sections": (["3.8.10", "3.9.12", "3.10.11"], "sections or releases"),
    "point or group": (["483", "1.300", "1.032"], "thousands separator"),
    "comma or group": (["483", "1,300", "1,032"], "thousands separator"),
    "addresses": (["10.0.0.1", "10.0.0.2"], ""),
}


@pytest.mark.parametrize(("texts", "why"), NOT_CERTAIN.values(), ids=NOT_CERTAIN)
def test_a_reading_that_is_as_good_as_another_is_not_taken(texts: list[str], why: str) -> None:
    column = infer(*texts)
    assert str(column.type) == "string" and column.to_list() == texts
    assert why in " ".join(column.evidence.why)


CERTAIN = {
    "groups of different length": (["1 300", "483", "12 001"], "integer", "1300"),
    "groups twice": (["1.300", "1.234.567"], "integer", "1300"),
    "typographic spaces": (["555\N{NO-BREAK SPACE}123", "556\N{NO-BREAK SPACE}222"], "integer", "555123"),
    "currency": (["555 123 EUR", "556 222 EUR"], "integer", "555123"),
    "signs": (["+3", "-2", "0"], "integer", "3"),
    "exponents of a program": (["1e5", "2.5e6", "1e+16"], "number", "100000"),
    "numbers typed": (["1.5", "1.50", "2.75", "13"], "number", "1.5"),
    "months": (["2000/01", "2000/02", "2000/11"], "date", "2000-01-01"),
    "months of years beyond days": (["Nov-98", "May-97"], "date", "1998-11-01"),
    "month after month": (["Nov 24", "Dec 24", "Jan 25", "Feb 25"], "date", "2024-11-01"),
    "months with an apostrophe": (["Jan '25", "Mai '25"], "date", "2025-01-01"),
    "days with points": (["3.8.10", "28.9.12"], "date", "2010-08-03"),
    "days with zeros": (["03.08.10", "05.09.12"], "date", "2010-08-03"),
    "times": (["22:29", "07:15"], "time", "22:29:00"),
    "how long": (["57:29:10", "1:00:00"], "duration", "P2DT9H29M10S"),
    "three digits, one below one": (["0.483", "1.300"], "decimal", "0.483"),
}


@pytest.mark.parametrize(("texts", "kind", "first"), CERTAIN.values(), ids=CERTAIN)
def test_a_reading_without_a_rival_is_taken(texts: list[str], kind: str, first: str) -> None:
    column = infer(*texts)
    assert (str(column.type), column.texts()[0]) == (kind, first)


# A second column of the same file, and what it makes of 483, 1.300 and 1.032.
SHARED = {
    "thousands": (["1.234.567", "2", "3"], ["483", "1300", "1032"]),
    "decimal comma": (["1,5", "22,75", "3,0"], ["483", "1300", "1032"]),
    "both marks": (["1.234,5", "2,0", "3,5"], ["483", "1300", "1032"]),
    "decimal point": (["1.5", "22.75", "3.0"], ["483", "1.3", "1.032"]),
    "nothing": (["1", "22", "3"], ["483", "1.300", "1.032"]),
    "as open as the first": (["4.567", "2", "3"], ["483", "1.300", "1.032"]),
    "the other as open": (["4,567", "2", "3"], ["483", "1.300", "1.032"]),
    "words": (["a", "b.c", "d"], ["483", "1.300", "1.032"]),
}


@pytest.mark.parametrize(("others", "read"), SHARED.values(), ids=SHARED)
def test_the_file_decides_what_a_column_leaves_open(tmp_path: Path, others: list[str], read: list[str]) -> None:
    rows = "".join(f"{cell};{other}\n" for cell, other in zip(["483", "1.300", "1.032"], others, strict=True))
    (tmp_path / "t.csv").write_text(f"n;other\n{rows}")
    table = comb.load(tmp_path / "t.csv")
    assert table["n"].texts() == read
    found = [one.columns for one in table.profile().of("type.ambiguous_numbers")]
    assert (("n",) in found) == (str(table.types["n"]) == "string")


def test_columns_that_prove_different_marks_prove_nothing(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("n;a;b\n483;1,5;1.5\n1.300;2,25;2.25\n")
    assert comb.load(tmp_path / "t.csv")["n"].texts() == ["483", "1.300"]


@settings(max_examples=drawn(40), suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.lists(st.integers(0, 999_999), min_size=3, max_size=20), st.sampled_from([".,", ",."]))
def test_numbers_of_one_hand_are_read_as_they_were_written(tmp_path: Path, values: list[int], marks: str) -> None:
    group, decimal = marks
    cells = [f"{value:,}".replace(",", group) for value in values]
    rows = "".join(f"{cell};{at}{decimal}{at % 10}5\n" for at, cell in enumerate(cells))
    (tmp_path / "t.csv").write_text(f"n;kg\n{rows}")
    table = comb.load(tmp_path / "t.csv")
    assert table["n"].to_list() == values and str(table.types["kg"]) == "decimal"


def test_dates_in_a_second_form_are_read_too() -> None:
    days = [f"2024-05-{day:02}" for day in range(1, 25)]
    column = infer(*days, "5 May 2024", "6 May 2024")
    assert column.missing_count == 0 and column.texts()[-1] == "2024-05-06"
    column = infer(*(f"{day}.5.2024" for day in range(1, 25)), "5 May 2024", "nonsense")
    assert column.texts()[-2:] == ["2024-05-05", None]


def test_a_column_that_is_mostly_something_is_a_finding_at_any_share() -> None:
    for wrong in (3, 10, 24):
        texts = [*map(str, range(50 - wrong)), *[f"about {at}" for at in range(wrong)]]
        table = comb.table(columns={"x": texts})._derive({"x": infer(*texts)})
        (finding,) = table.profile().of("type.unreadable")
        assert finding.count == wrong and finding.rows.tolist() == list(range(51 - wrong, 51))
    texts = [*map(str, range(20)), *[f"about {at}" for at in range(30)]]
    assert not comb.table(columns={"x": texts})._derive({"x": infer(*texts)}).profile().of("type.unreadable")


def test_a_heading_that_says_how_days_are_written_is_no_unit(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text(
        "date (yymmdd),born (dd/mm/yyyy),length (mm)\n181120,1/2/2020,5\n181121,3/4/2021,6\n"
    )
    table = comb.load(tmp_path / "t.csv")
    assert [column.description for column in table.columns.values()] == ["", "", "mm"]
    assert table["date (yymmdd)"].texts() == ["2018-11-20", "2018-11-21"]
    assert table["born (dd/mm/yyyy)"].texts() == ["2020-02-01", "2021-04-03"]
    evidence = table["born (dd/mm/yyyy)"].evidence
    assert evidence is not None and evidence.why == ("every value is a day as the heading says: dd/MM/yyyy",)
    # Pinned as dates they come again; a value that is no such day proves the heading wrong.
    again = comb.load(tmp_path / "t.csv", types={"date (yymmdd)": "date"})
    assert again["date (yymmdd)"].to_list() == table["date (yymmdd)"].to_list()
    wrong = comb.load(b"date (yymmdd),n\n181120,1\n181199,2\n")
    assert wrong["date (yymmdd)"].type.word == "integer"


def test_a_heading_that_reading_does_not_look_at_is_a_finding() -> None:
    table = comb.table(columns={"date (yymmdd)": [181120, 181121], "born (dd/mm/yyyy)": ["?", "?"]})
    table = table._derive({**table.columns, "born (dd/mm/yyyy)": infer("1/2/2020", "3/4/2021")})
    found = {one.columns[0]: one for one in table.profile().of("type.serial_dates")}
    assert table.take_step(found["date (yymmdd)"].remedy)["date (yymmdd)"].texts() == ["2018-11-20", "2018-11-21"]
    (open_days,) = table.profile().of("type.ambiguous_dates")
    assert table.take_step(open_days.remedy)["born (dd/mm/yyyy)"].texts() == ["2020-02-01", "2021-04-03"]


def test_convert_reads_the_texts_of_the_source_again(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("n,kg\n483,1.5\n1.300,2.5\nn/a,3.5\n1.032,4.5\n")
    table = comb.load(tmp_path / "t.csv")
    assert table["n"].texts() == ["483", "1.3", None, "1.032"]
    again = table.filter("kg > 2").convert({"n": "integer"}, group_mark=".")
    assert again["n"].to_list() == [1300, None, 1032] and again["n"].reasons()[1] == "marker"
    assert again.plan().run(dry_run=True).tables["t"]["n"].to_list() == [1300, None, 1032]
    renamed = table.rename({"n": "count"}).convert({"count": "integer"}, group_mark=".")
    assert renamed["count"].to_list() == [483, 1300, None, 1032]
    # What a step has changed since is not undone; what is not there any more is not guessed.
    with pytest.raises(comb.ParameterError, match="cannot be read again"):
        table.calculate({"kg": "kg * 2"}).recode("n", {"483": "484"}).convert({"n": "integer"}, group_mark=".")
    (tmp_path / "t.csv").write_text("n,kg\n1,1\n")
    with pytest.raises(comb.ParameterError, match="cannot be read again"):
        table.convert({"n": "integer"}, group_mark=".")


def test_texts_of_documents_that_leave_it_open_are_a_finding_too(tmp_path: Path) -> None:
    (tmp_path / "n.json").write_text('[{"a": "1.300", "b": "1,5"}, {"a": "483", "b": "2,5"}]')
    table = comb.load(tmp_path / "n.json")
    table.save(tmp_path / "n.xlsx")
    for loaded in (table, comb.load(tmp_path / "n.xlsx")):
        found = {one.columns[0]: one for one in loaded.profile().findings}
        assert found["a"].code == "type.ambiguous_numbers" and found["a"].remedy is None
        assert loaded.take_step(found["b"].remedy)["b"].texts() == ["1.5", "2.5"]
