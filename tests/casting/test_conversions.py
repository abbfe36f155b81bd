"""Every type to every other: what happens stands in one table."""

import re
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.casting.cast import ROUNDINGS, convert_column
from comb.casting.rules import PAIRS
from comb.parsing.patterns import parse_request
from comb.tables.types import STORAGE
from support.strategies import tables

# What a column is converted to where it does not matter what else is in the column.
ASKED = (
    "string", "integer", "number", "decimal 0.0", "decimal 0.0000", "date", "datetime", "time", "duration", "boolean", "json",
)  # fmt: skip
SAMPLES: dict[str, list[object]] = {
    "string": ["12", "1.50", "yes", "2026-05-01", "Mill", "007", "2026-05-01T06:30:00", "06:30", "PT90M", '["a"]'],
    "integer": [12, 1, 0],
    "decimal": [Decimal("1.50"), Decimal("-2.00"), Decimal("1.00")],
    "number": [1.5, -2.0, 1e300, 1.0],
    "boolean": [True, False],
    "date": [date(2026, 5, 1), date(1, 1, 1)],
    "datetime": [datetime(2026, 5, 1), datetime(2026, 5, 1, 6, 30, 0, 5)],
    "time": [time(6, 30), time(23, 59, 59, 999_999)],
    "duration": [timedelta(hours=6.5), timedelta(days=1), timedelta(seconds=-1)],
    "category": ["1", "3", "2"],
    "json": ["[1]", '"calm"', "3", "true", '"2026-05-01"'],
}

# From, to (with a pattern where one is needed): what comes out; "!" stands before a text that did not
# fit and was kept. What is not here is refused.
OUT = """
string integer: 12 !1.50 !yes !2026-05-01 !Mill 7 !2026-05-01T06:30:00 !06:30 !PT90M !["a"]
string decimal: 12.00 1.50 !yes !2026-05-01 !Mill 7.00 !2026-05-01T06:30:00 !06:30 !PT90M !["a"]
string number: 12 1.5 !yes !2026-05-01 !Mill 7 !2026-05-01T06:30:00 !06:30 !PT90M !["a"]
string boolean: !12 !1.50 true !2026-05-01 !Mill !007 !2026-05-01T06:30:00 !06:30 !PT90M !["a"]
string date: !12 !1.50 !yes 2026-05-01 !Mill !007 !2026-05-01T06:30:00 !06:30 !PT90M !["a"]
string datetime: !12 !1.50 !yes !2026-05-01 !Mill !007 2026-05-01T06:30:00 !06:30 !PT90M !["a"]
string time: !12 !1.50 !yes !2026-05-01 !Mill !007 !2026-05-01T06:30:00 06:30:00 !PT90M !["a"]
string duration: !12 !1.50 !yes !2026-05-01 !Mill !007 !2026-05-01T06:30:00 !06:30 PT1H30M !["a"]
string json: 12 1.50 !yes !2026-05-01 !Mill !007 !2026-05-01T06:30:00 !06:30 !PT90M ["a"]
string category: 12 1.50 yes 2026-05-01 Mill 007 2026-05-01T06:30:00 06:30 PT90M ["a"]
integer string: 12 1 0
integer decimal: 12 1 0
integer number: 12 1 0
integer boolean: !12 true false
integer date days_since_1904: 1904-01-13 1904-01-02 1904-01-01
integer datetime seconds_since_1970: 1970-01-01T00:00:12 1970-01-01T00:00:01 1970-01-01T00:00:00
integer time Hmm: 00:12:00 00:01:00 00:00:00
integer duration minutes: PT12M PT1M PT0S
integer json: 12 1 0
integer category: 12 1 0
decimal string: 1.50 -2.00 1.00
decimal integer: !1.50 -2 1
decimal number: 1.5 -2 1
decimal boolean: !1.50 !-2.00 true
decimal date days_since_1904: !1.50 !-2.00 1904-01-02
decimal datetime milliseconds_since_1970: 1970-01-01T00:00:00.0015 1969-12-31T23:59:59.998 1970-01-01T00:00:00.001
decimal duration hours: PT1H30M -PT2H PT1H
decimal json: 1.50 -2.00 1.00
decimal category: 1.50 -2.00 1.00
number string: 1.5 -2 1e+300 1
number integer: !1.5 -2 !1e+300 1
number decimal: 1.5 -2.0 !1e+300 1.0
number boolean: !1.5 !-2 !1e+300 true
number date days_since_1904: !1.5 !-2 !1e+300 1904-01-02
number datetime seconds_since_1970: 1970-01-01T00:00:01.5 1969-12-31T23:59:58 !1e+300 1970-01-01T00:00:01
number duration days: P1DT12H -P2D !1e+300 P1D
number json: 1.5 -2 1e+300 1
number category: 1.5 -2 1e+300 1
boolean string: true false
boolean integer: 1 0
boolean decimal: 1 0
boolean number: 1 0
boolean json: true false
boolean category: true false
date string: 2026-05-01 0001-01-01
date datetime: 2026-05-01T00:00:00 0001-01-01T00:00:00
date json: "2026-05-01" "0001-01-01"
date category: 2026-05-01 0001-01-01
datetime string: 2026-05-01T00:00:00 2026-05-01T06:30:00.000005
datetime date: 2026-05-01 !2026-05-01T06:30:00.000005
datetime json: "2026-05-01T00:00:00" "2026-05-01T06:30:00.000005"
datetime category: 2026-05-01T00:00:00 2026-05-01T06:30:00.000005
time string: 06:30:00 23:59:59.999999
time duration: PT6H30M PT23H59M59.999999S
time json: "06:30:00" "23:59:59.999999"
time category: 06:30:00 23:59:59.999999
duration string: PT6H30M P1D -PT1S
duration time: 06:30:00 !P1D !-PT1S
duration json: "PT6H30M" "P1D" "-PT1S"
duration category: PT6H30M P1D -PT1S
category string: 1 3 2
category integer: 1 3 2
category decimal: 1 3 2
category number: 1 3 2
category boolean: true !3 !2
category duration seconds: PT1S PT3S PT2S
category json: "1" "3" "2"
json string: [1] "calm" 3 true "2026-05-01"
json integer: ![1] !calm 3 !true !2026-05-01
json decimal: ![1] !calm 3 !true !2026-05-01
json number: ![1] !calm 3 !true !2026-05-01
json boolean: ![1] !calm !3 true !2026-05-01
json date: ![1] !calm !3 !true 2026-05-01
json datetime: ![1] !calm !3 !true !2026-05-01
json time: ![1] !calm !3 !true !2026-05-01
json duration: ![1] !calm !3 !true !2026-05-01
json category: [1] "calm" 3 true "2026-05-01"
""".strip().splitlines()

# Refused where a pattern has to say what the numbers count.
NEED_A_PATTERN = {(n, m) for n in ("integer", "decimal", "number") for m in ("date", "datetime", "time", "duration")}


def sample(word: str) -> comb.Table:
    made = comb.table(columns={"x": [*SAMPLES[word], None]})
    return made.convert({"x": word}) if word in ("category", "json") else made


def test_the_table_has_every_pair_and_the_documentation_shows_it() -> None:
    assert set(PAIRS) == {(source, target) for source in STORAGE for target in STORAGE}
    shown = {tuple(line.partition(":")[0].split()[:2]) for line in OUT}
    converted = {pair for pair, what in PAIRS.items() if what.how not in ("refused", "same")}
    # Texts of times and the like reach these in the same way as those that are shown.
    alike = {("category", "date"), ("category", "datetime"), ("category", "time")} | {
        ("number", "time"),
        ("decimal", "time"),
    }
    assert converted - shown == alike and shown <= converted
    marks = {"same": "=", "exact": "exact", "fits": "fits", "refused": "–"}
    documented = (Path(__file__).parents[2] / "docs" / "types.md").read_text()
    for source in STORAGE:
        cells = " | ".join(marks[PAIRS[source, target].how] for target in STORAGE)
        assert f"| **{source}** | {cells} |" in documented


@pytest.mark.parametrize("line", OUT, ids=lambda line: line.partition(":")[0])
def test_conversion(line: str) -> None:
    asked, _, out = line.partition(": ")
    source, target = asked.split(" ", 1)
    column = sample(source).convert({"x": target})["x"]
    assert column.type.word == target.split()[0]
    message = [
        f"!{column.kept.texts[at]}" if at in column.kept.texts else text for at, text in enumerate(column.texts())
    ]
    assert message == [*out.split(" "), None]
    assert column.reasons()[-1] == "blank", "a cell that was missing keeps its reason"


@pytest.mark.parametrize(
    "pair", [pair for pair, what in PAIRS.items() if what.how == "refused" or pair in NEED_A_PATTERN]
)
def test_what_cannot_be_converted_is_refused_with_the_way_out(pair: tuple[str, str]) -> None:
    with pytest.raises(comb.CombError, match=f"of type {pair[0]} cannot become {pair[1]}") as caught:
        sample(pair[0]).convert({"x": pair[1]})
    assert PAIRS[pair].note in str(caught.value)


@given(tables())
def test_to_text_and_back_nothing_is_lost(table: comb.Table) -> None:
    types = {name: kind for name, kind in table.types.items() if kind.word not in ("string", "decimal")}
    there = table.convert(dict.fromkeys(types, "string"))
    forms = {name: "datetime yyyy-MM-dd'T'HH:mm:ss.SXXX" for name, kind in types.items() if kind.utc}
    back = there.convert({name: forms.get(name, str(kind)) for name, kind in types.items()})
    for name in types:
        assert back[name]._same_cells(table[name]).all()


# Numbers come back in their shortest form.
_NUMERIC = re.compile(r"[-+]?[\d.,-]+([eE][-+]?\d+)?")


@given(tables(kinds=("string", "integer", "date")))
def test_no_text_disappears_however_often_a_column_is_converted(table: comb.Table) -> None:
    before = table["string_col"].texts()
    for target in ("integer", "string", "date", "string", "boolean", "string", "number", "string"):
        table = table.convert({"string_col": target})
    after = table["string_col"]
    for at, text in enumerate(before):
        written = after.texts()[at] if after.present[at] else after.kept.texts.get(at)
        if text is not None and not _NUMERIC.fullmatch(text.strip()):
            unit = after.description
            known = (text.strip().removesuffix(unit).strip().casefold(), text.strip().casefold(), "true", "false")
            assert written is None or written.strip().casefold() in known


def test_two_forms_in_one_column_need_two_conversions() -> None:
    days = comb.table(columns={"day": ["5/13/2026", "13.5.2026", "soon"]})
    once = days.convert({"day": "date M/d/yyyy"})
    assert once["day"].kept.texts == {1: "13.5.2026", 2: "soon"}
    twice = once.convert({"day": "date d.M.yyyy"})
    assert twice["day"].to_list() == [date(2026, 5, 13), date(2026, 5, 13), None]
    assert twice["day"].kept.texts == {2: "soon"}
    aside = days.convert({"day": "date M/d/yyyy"}, on_misfit="set aside")
    assert aside.row_numbers.tolist() == [1] and aside.ledger[0].set_aside == 2


@pytest.mark.parametrize(
    ("cells", "asked", "rounding", "out"),
    [
        ([2.5, -2.5, 3.5, 0.4], "integer", "nearest", [3, -3, 4, 0]),
        ([2.5, -2.5, 3.5, 0.4], "integer", "nearest_even", [2, -2, 4, 0]),
        ([2.5, -2.5], "integer", "down", [2, -3]),
        ([2.5, -2.5], "integer", "up", [3, -2]),
        ([2.675, 1e300], "decimal 0.00", "nearest", [Decimal("2.68"), None]),
        ([Decimal("1.005")], "decimal 0.00", "nearest", [Decimal("1.01")]),
        ([datetime(2026, 5, 1, 12)], "date", "down", [date(2026, 5, 1)]),
        ([datetime(2026, 5, 1, 12)], "date", "up", [date(2026, 5, 2)]),
        ([datetime(2026, 5, 1, 12)], "date", "nearest", [date(2026, 5, 2)]),
    ],
)  # fmt: skip
def test_rounding(cells: list[object], asked: str, rounding: str, out: list[object]) -> None:
    assert comb.table(columns={"x": cells}).convert({"x": asked}, rounding=rounding)["x"].to_list() == out


@given(tables(), st.sampled_from(ASKED), st.sampled_from([None, *ROUNDINGS]))
def test_a_column_becomes_what_each_of_its_cells_becomes(table: comb.Table, asked: str, rounding: str | None) -> None:
    request = parse_request(asked)
    for column in table.columns.values():
        word = column.type.word
        counted = column.type.numeric and request.word in ("date", "datetime", "time", "duration")
        if column.type.textual or PAIRS[word, request.word].how == "refused" or counted:
            continue
        whole = convert_column(column, request, rounding=rounding)
        for at in range(len(column)):
            alone = convert_column(column._take(np.array([at])), request, rounding=rounding)
            cell = whole._take(np.array([at]))
            assert (cell.to_list(), cell.reasons(), cell.kept.texts) == (
                alone.to_list(),
                alone.reasons(),
                alone.kept.texts,
            )


@given(st.lists(st.one_of(st.floats(-1e14, 1e14), st.integers(-9, 9).map(lambda at: at / 2)), min_size=1, max_size=9))
def test_numbers_become_whole_as_their_decimal_digits_do(cells: list[float]) -> None:
    numbers = comb.table(columns={"kg": cells})["kg"]
    digits = comb.table(columns={"kg": [round(Decimal(repr(cell)), 3) for cell in cells]})["kg"]
    for rounding, mode in ROUNDINGS.items():
        made = convert_column(numbers, parse_request("integer"), rounding=rounding)
        assert made.to_list() == [int(Decimal(repr(cell)).quantize(Decimal(1), mode)) for cell in cells]
        if digits.type.word == "decimal":
            made = convert_column(digits, parse_request("integer"), rounding=rounding)
            assert made.to_list() == [int(cell.quantize(Decimal(1), mode)) for cell in digits.to_list()]


def test_a_duration_of_a_day_or_more_is_no_time_of_day() -> None:
    table = comb.table(columns={"took": [timedelta(hours=26), timedelta(hours=-1), timedelta(hours=2)]})
    made = table.convert({"took": "time"})["took"]
    assert made.to_list() == [None, None, time(2)]
    assert made.kept.texts == {0: "P1DT2H", 1: "-PT1H"}
