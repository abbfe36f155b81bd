"""Slips in Python are answered with what was expected, never with an error from inside."""

import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import comb
from comb.expressions.slips import OTHER_FUNCTIONS
from comb.steps.catalogue import STEPS

TABLE: Any = comb.table(columns={"n": [1, 2, 3], "day": ["2026-05-01", "2026-05-02", "2026-05-03"]})
COMB: Any = comb
SLIPS: list[tuple[Callable[[], object], str]] = [
    (lambda: TABLE.aggregate(["n"]), "what to make of each column"),
    (lambda: TABLE.aggregate("avg(n)"), "aggregate({'mean_kg': 'avg(kg)'})"),
    (lambda: TABLE.calculate(["y"]), "calculate({'net': 'gross - tare'})"),
    (lambda: TABLE.calculate("n == 3"), "what to make of each column"),
    (lambda: TABLE.convert("day"), "convert({'day': 'date'})"),
    (lambda: TABLE.rename(3), "rename({'old': 'new'})"),
    (lambda: TABLE.recode("n", 3), "the new value of each old one, got 3"),
    (lambda: TABLE.recode("n", {1: [2, 3]}), "expected one value, got [2, 3]"),
    (lambda: TABLE.correct("n", row=1, old=1, new=(2,)), "expected one value, got (2,)"),
    (lambda: TABLE.fill("n", value=[3]), "expected one value, got [3]"),
    (lambda: TABLE.sort(3), "a name or a list of names, got 3"),
    (lambda: TABLE.sort("n descending"), "write: n desc"),
    (lambda: TABLE.sort("-n"), "write: n desc"),
    (lambda: TABLE.sort("n:asc"), "write: n asc"),
    (lambda: COMB.table(columns={"n": [1, None]}).fill("n", value="mean"), "formula=avg(n)"),
    (lambda: COMB.load(b"x\n1\n", types={"x": list}), "expected the word for a type, got list"),
    (lambda: COMB.load("https://example.org/x.csv"), "download the file"),
    (lambda: COMB.load("~/there-is-no-such-file.csv"), "there is no such file"),
    (lambda: TABLE.select([1]), "a name or a list of names, got [1]"),
    (lambda: TABLE.trim(b"n"), "a name or a list of names"),
    (lambda: TABLE.remove_duplicates({"n": 1}), "a name or a list of names"),
    (lambda: TABLE.take_step(None), "expected a step, got None"),
    (lambda: TABLE.join(3, "n"), "expected a table, got int"),
    (lambda: TABLE[5], "the name of a column, got 5"),
    (lambda: TABLE[0:2], "rows_between(1, 10)"),
    (lambda: TABLE["n":"day"], "select('a:b')"),
    (lambda: TABLE.place("n"), "a whole number, got 'n'"),
    (lambda: TABLE.record(1.5), "a whole number, got 1.5"),
    (lambda: TABLE.first_rows("3"), "a whole number, got '3'"),
    (lambda: TABLE.rows_between("a", 2), "a whole number, got 'a'"),
    (lambda: TABLE.save(3), "the path of a file, or an open one, got 3"),
    (lambda: COMB.load(3), "the path of a file, got 3"),
    (lambda: COMB.load([3]), "the path of a file, got 3"),
    (lambda: COMB.load("x,y\n1,2\n"), "given as bytes: text.encode()"),
    (lambda: COMB.load("x" * 5000), "got a text of 5,000 characters"),
    (lambda: COMB.load("x" * 300), "cannot be read: File name too long"),
    (lambda: COMB.load(["x" * 300]), "cannot be read: File name too long"),
    (lambda: COMB.inspect("x" * 300), "cannot be read: File name too long"),
    (lambda: COMB.differences("x" * 300, "y"), "cannot be read: File name too long"),
    (lambda: TABLE.select(columns=list(range(10_000))), "characters left out"),
    (lambda: TABLE["n" * 10_000], "characters left out"),
    (lambda: COMB.load(b""), "the file is empty"),
    (lambda: COMB.load(b"a\n1\n").plan(), "not loaded from a file"),
    (lambda: COMB.load_all(None), "the path of a file, got None"),
    (lambda: COMB.inspect(3), "the path of a file, got 3"),
    (lambda: COMB.Plan.load(3), "the path of a file, got 3"),
    (lambda: COMB.table(columns=[1]), "lists of values by column"),
    (lambda: COMB.table(columns={"a": 1}), "lists of values by column"),
    (lambda: COMB.table(columns={"a": "text"}), "lists of values by column"),
]


@pytest.mark.parametrize(("slip", "answer"), SLIPS)
def test_a_slip_is_answered(slip: Callable[[], object], answer: str) -> None:
    with pytest.raises(comb.CombError) as caught:
        slip()
    assert answer in str(caught.value)


# Conditions as people write them by habit, and what has to be in the answer.
CONDITIONS = {
    "mean(n) > 3": "write: avg(x)", "std(n) > 1": "write: stddev_samp(x)", "percentile(n) > 1": "percentile_cont(0.9) within group",
    "len(name) > 3": "write: char_length(x)", "contains(name, 'a')": "write: x like '%text%'",
    "year(day) = 2026": "write: extract(year from x)", "month(day) = 5": "write: extract(month from x)",
    "if(n > 1, 1, 0)": "case when condition", "isnull(name)": "write: x is null", "today() > day": "write: current_date",
    "substr(name, 1, 2) = 'a'": "write: substring(x from 1 for 2)", "pow(n, 2) > 3": "write: power(x, 2)",
    "name is 'ada'": "a value is compared with =", "name in 'ada'": "values in brackets: in ('ada')",
    "n between 10": "between 10 and", "day > 2026": "extract(year from", "day = '2026'": "extract(year from",
    "day > 2026-05-01": "a day is written in quotes", "day > '1.5.2026'": "like '2026-05-01'",
    "n > 1,000": "without a thousands separator: 1000", "wind speed > 1": 'in double quotes: "wind speed"',
    "a.b > 1": 'in double quotes: "a.b"', "name.startswith('a')": "write: x like 'text%'", "n ** 2 > 3": "power(x, 2)",
    "n > 1 && n < 3": "did you mean 'and'?", "!(n = 1)": "did you mean 'not'?", "name ~ 'a'": "x like_regex 'pattern'",
    "name = None": "found by: x is null", "name = null": "write: is null", 'name = "ada"': "in single quotes: 'ada'",
    "substring(name from '[a-z]') = 'a'": "substring_regex('pattern' in x)", "n::integer > 1": "cast(x as integer)",
    "name ilike 'A%'": "lower(x) like", "substring_regex(name, 'a') = 'a'": "substring_regex('[0-9]+' in note)",
    "substring_regex('(a)' in name group 2) = 'a'": "the pattern has 1 group, in brackets",
    "age(day) > 3": "whole_years(born, current_date)", "split_part(name, 'a', 1) = 'd'": "the step split",
    "name = ada": "in single quotes: 'ada'", "n > '3'": "without quotes", "flag = 1": "a condition by itself", "N > 1": "did you mean 'n'?",
}  # fmt: skip
PEOPLE: Any = comb.table(
    columns={"n": [1, 2], "name": ["ada", "Bea"], "day": ["2026-05-01", "2026-05-02"], "flag": [True, False], "wind speed": [1, 2], "a.b": [1, 2]},
).convert({"day": "date"})  # fmt: skip


@pytest.mark.parametrize(("condition", "answer"), CONDITIONS.items())
def test_a_condition_of_another_language_is_answered_with_how_it_is_written(condition: str, answer: str) -> None:
    with pytest.raises(comb.CombError) as caught:
        PEOPLE.filter(condition)
    assert answer in str(caught.value)


ALL: Any = comb.table(
    columns={"x": [1.5, 2.5], "y": [1, 2], "condition": [True, False], "a": ["2026-05-01", "2026-05-02"],
             "b": ["2026-05-01", "2026-05-02"], "born": ["1990-05-01", "1990-05-02"], "day": ["2026-05-01", "2026-05-02"]},
).convert(dict.fromkeys(("a", "b", "born", "day"), "date"))  # fmt: skip


@pytest.mark.parametrize("written", sorted(set(OTHER_FUNCTIONS.values())))
def test_what_is_to_be_written_instead_works(written: str) -> None:
    kinds = [ALL, ALL.convert({"x": "string"}), ALL.convert({"x": "string", "a": "string", "b": "string"})]
    kinds += [ALL.calculate({"x": of}) for of in ("day", "condition", "day + time '06:30'")]
    for formula in written.split("; "):
        if formula.startswith("the step "):
            assert formula.split()[2].partition("(")[0] in STEPS
            continue
        failures = []
        for table in kinds:
            try:
                table.calculate({"made": formula}, as_of="2026-05-02")
            except comb.ExpressionError as error:
                failures.append(error)
        assert len(failures) < len(kinds), failures[0]


def test_conditions_that_find_nothing_say_why() -> None:
    assert "nearest: 'Bea'" in repr(PEOPLE.filter("name = 'bea'"))
    assert "% stands for any text" in repr(PEOPLE.filter("name like 'a*'"))


def test_what_can_only_mean_one_thing_is_taken() -> None:
    assert TABLE.calculate("twice = n * 2").calculate('"n" = n + 1')["n"].to_list() == [2, 3, 4]
    assert TABLE.aggregate("top = max(n)")["top"].to_list() == [3]
    made = TABLE.convert("day", "date")
    assert str(made["day"].type) == "date" and made.equals(TABLE.convert({"day": "date"}))
    assert TABLE.convert(["n", "day"], "string").types["n"].word == "string"
    assert COMB.load(b"x,y\n1,2\n", types={"x": str, "y": float}).types["x"].word == "string"
    assert TABLE.convert({"n": float}).types["n"].word == TABLE.convert("n", float).types["n"].word == "number"
    assert [step.columns for step in made._steps] == [{"day": "date"}]


def test_bytes_and_open_files_are_sources_too(tmp_path: Path) -> None:
    text = "name;kg\nMill;1,5\nFox;2,5\n"
    (tmp_path / "t.csv").write_text(text)
    whole = comb.load(tmp_path / "t.csv")
    whole.save(tmp_path / "t.xlsx")
    whole.save(tmp_path / "t.csv.gz")
    with (tmp_path / "t.csv").open("rb") as raw, (tmp_path / "t.csv").open() as opened, (tmp_path / "t.xlsx").open("rb") as book:  # fmt: skip
        for source in (text.encode(), bytearray(text.encode()), io.StringIO(text), io.BytesIO(text.encode()), raw, opened, book, (tmp_path / "t.csv.gz").read_bytes()):  # fmt: skip
            loaded = COMB.load(source)
            assert loaded["name"].to_list() == ["Mill", "Fox"] and list(map(float, loaded["kg"].to_list())) == [
                1.5,
                2.5,
            ]
    assert COMB.load([text.encode(), tmp_path / "t.csv"])["kg"].texts() == ["1.5", "2.5"] * 2
    with (tmp_path / "t.csv").open("rb") as raw:
        assert comb.load(raw).place(2) == "t.csv, line 3"
    assert [*COMB.load_all((tmp_path / "t.xlsx").read_bytes())] and COMB.inspect(text.encode()).tables[0].rows == 2
