"""Summaries and findings: on the demo data exactly what is planted there, and by cases."""

import json
import pickle
import statistics
from hashlib import sha256
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.demo.documents import harvest_xlsx
from comb.demo.files import DEMO_FILES, SHIPPED, demo_bytes
from comb.profiling.profile import in_order_of_repair
from comb.profiling.summaries import summaries_of
from comb.tables.types import NUMBER
from support.inferring import infer


def test_the_shipped_demo_is_what_the_script_makes() -> None:
    assert harvest_xlsx() == demo_bytes("harvest.xlsx"), "run python -m comb.demo.make src/comb/demo/data"
    # These do not ship: they are made anew, and have to stay the same.
    assert {name: sha256(demo_bytes(name)).hexdigest()[:16] for name in DEMO_FILES if name not in SHIPPED} == {
        "inspections.csv": "09ef3ee7827dcebe", "inspections-truth.json": "43a750c4ce650b26",
        "answers.csv": "08b6ab7cceca59dc",
        "inspections-2026.csv": "8c4d77754c4e655a", "inspections-2026-truth.json": "35220d23132c89f7",
        "harvest-truth.json": "b4d8b3289f760860", "scales.jsonl": "cc057ad85284f0cf",
        "scales-truth.json": "dbda75765bcd2d58", "apiaries.csv": "19b824d2464ea7b8",
        "apiaries-truth.json": "9e5b082ff8af85c5",
    }  # fmt: skip


def test_every_planted_defect_is_found_and_nothing_else(inspections: comb.Table) -> None:
    planted = json.loads(demo_bytes("inspections-truth.json"))
    truth = {(one["code"], one["column"]): one["rows"] for one in planted}
    found = {
        (one.code, "" if one.code in ("duplicate.rows", "duplicate.near") else one.columns[0]): one.rows.tolist()
        for one in inspections.profile(as_of="2025-11-03").findings
    }
    assert {key: rows for key, rows in found.items() if truth.get(key) != rows} == {} and set(found) == set(truth)


def test_remedies_mend_what_they_are_for(inspections: comb.Table) -> None:
    table = inspections
    for finding in in_order_of_repair(inspections.profile().findings):
        if finding.remedy is not None:
            table = table.take_step(finding.remedy)
    left = {(finding.code, *finding.columns[:1]) for finding in table.profile().findings}
    # What is left has no remedy, or is only told: codes, and words that were read as missing.
    assert left == {
        ("type.unreadable", "inspected_on"), ("type.unreadable", "brood_frames"), ("type.leading_zeros", "colony"),
        ("missing.marker", "mites"), ("missing.blank", "brood_frames"), ("duplicate.key", "visit"),
        ("duplicate.near", "visit"), ("relation.computed", "net_kg"), ("text.formula", "notes"),
        ("value.impossible", "honey_frames"), ("value.outlier", "gross_kg"),
        ("missing.blank", "notes"), ("type.mixed_dates", "inspected_on"),
    }  # fmt: skip


@given(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=20))
def test_summaries_of_numbers_are_those_of_the_standard_library(values: list[float]) -> None:
    details = summaries_of(comb.table(columns={"x": values}))[0].details
    near = lambda value: pytest.approx(value, rel=1e-9, abs=1e-6)  # noqa: E731
    assert [details[f"quartile_{n}"] for n in (1, 3)] == near(statistics.quantiles(values, method="inclusive")[::2])
    assert details["median"] == near(statistics.median(values))
    assert (details["mean"], details["sd"]) == (
        near(statistics.fmean(values)),
        near(statistics.stdev(values)),
    )
    assert (float(details["min"]), float(details["max"])) == (min(values), max(values))
    assert details["zeros"] == values.count(0)


@pytest.mark.parametrize(
    ("cells", "details"),
    [
        (["b", "a", "b", None], {"commonest": [("b", 2), ("a", 1)], "shortest": 1, "longest": 1}),
        ([True, False, True], {"true": 2, "false": 1}),
        ([None, None], {}),
    ],
)
def test_summaries_by_type(cells: list[object], details: dict[str, object]) -> None:
    summary = summaries_of(comb.table(columns={"x": cells}))[0]
    assert summary.details == details and summary.missing_count == cells.count(None)


def codes_of(*texts: str) -> list[str]:
    table = comb.table(columns={"x": ["?"] * len(texts)})._derive({"x": infer(*texts)})
    return [finding.code for finding in table.profile().findings if finding.code != "duplicate.rows"]


NUMBERS_0_TO_29 = [str(number) for number in range(30)]


@pytest.mark.parametrize(
    ("texts", "codes"),
    [
        ([*NUMBERS_0_TO_29, "999", "999", "999"], ["missing.stand_in"]),
        ([*NUMBERS_0_TO_29, "999", "999"], ["missing.stand_in"]),
        ([*NUMBERS_0_TO_29, "-1", "-1", "-1"], ["missing.stand_in"]),
        ([*NUMBERS_0_TO_29, "-5", "-1", "-1", "-1"], []),
        ([str(n) for n in range(960, 999)] + ["999"] * 3, []),
        (["Mill", "Ridge"] * 9 + ["mill"], ["text.case"]),
        (["Mill", "Ridge"] * 9 + [" Mill"], ["text.spaces"]),
        (["Mill", "Ridge"] * 9 + ["N/A"], ["missing.marker"]),
        (["Mill", "Ridge"] * 9 + ["-1"] * 3, ["missing.marker"]),
        (["Mill", "Ridge 5"] * 2 + ["-99"] * 30, ["missing.marker"]),
        (["Mill"] * 9 + ["-1"] * 30, ["missing.marker"]),
        (["Mill", "Ridge"] * 9 + ["9999"] * 3, ["missing.marker"]),
        (["A5", "B7"] * 9 + ["99"] * 3, []),
        (["Mill", "Ridge"] * 9 + ["-1", "12"] * 3, []),
        (["Mill"] * 9 + ["99"] * 3, []),
        (["Mill", "Ridge"] * 9 + ["1984"] * 3, []),
        (["Y", "no", "yes", "n/a"] * 9, ["missing.marker", "type.booleans"]),
        (["Yes", "N"] * 9, ["type.booleans"]),
        (["true", "false", "1", "0"] * 9, ["type.booleans"]),
        (["T", "N"] * 9, []),
        (["M", "F", "m"] * 9, ["text.case"]),
        (["HR", "hr", "IT", "Sales"] * 20, ["text.case"]),
        (["HR"] * 50 + ["IT"] * 50 + ["hr"], ["text.case"]),
        (["IT", "I.T.", "HR"] * 20, ["text.case"]),
        (["USA", "U.S.A.", "UK"] * 20, ["text.case"]),
        (["mg", "Mg", "kg", "MG"] * 20, []),
        (["AA", "Aa", "aa"] * 20, []),
        (["A", "B", "a"] * 9, []),
        (["Mill Lane", "mill lane", "Oak Hill", "Weir"], ["text.case"]),
        (["xY4b", "xy4b", "Oak Hill", "Weir"], []),
        (["queen seen", "rain", "two frames given", "Nothing to be done here", "nothing to be done here"], []),
        (["M", "male", "F", "Female", "f"] * 9, ["text.spelling"]),
        (["N", "North", "S", "South", "Nook"] * 9, []),
        (["shipped", "Shipped", "open"] * 12, ["text.case"]),
        (["Brca1", "BRCA1", "open"] * 12, []),
        (["Strongly agree"] * 40 + ["Stongly agree"] * 9 + ["Disagree"] * 9, ["text.spelling"]),
        ([f"u{n}@example.org" for n in range(40)] + ["u40example.org", "u41@example"], ["text.pattern"]),
        ([f"https://example.org/{n}" for n in range(40)] + ["ask Ann"], ["text.pattern"]),
        ([f"u{n}@example.org" for n in range(40)] + [f"Ann {n}" for n in range(20)], []),
        (["0.12", "0.31", "0.52", "<0.1"] * 9, ["type.censored"]),
        (["0.12 kg", "0.31 kg", "0.52 kg", "<0.1 kg"] * 9, ["type.censored"]),
        (["0.12", "5*", "0.52", "<0.1"] * 9, ["type.censored", "text.footnotes"]),
        (["<20k", "20k", "a"] * 9, []),
        (["Y", "N", "T"] * 9, []),
        (["yes", "N", "maybe"] * 9, []),
        ([f"2025-{month:02}-25" for month in range(8, 15)] * 2, ["type.unreadable"]),
        ([f"20{number}-{number}-{number}" for number in range(11, 99, 5)], []),
        (["1.1", "11", "a"] * 9, ["type.unreadable"]),
        (["1.1", "b", "a"] * 9, []),
        (["Mill"] * 9, ["column.constant"]),
        (["", ""], ["column.empty"]),
        ([f"k{n}" for n in range(99)] + ["k5"], ["duplicate.key"]),
        ([f"k{n}" for n in range(90)] + ["k5"] * 10, []),
        (["one\ntwo", "three"] * 9, []),
    ],
)  # fmt: skip
def test_findings_by_case(texts: list[str], codes: list[str]) -> None:
    # A second column tells the rows apart, so that repeated values are no repeated rows.
    table = comb.table(columns={"n": [f"row {at} of this" for at in range(len(texts))], "x": ["?"] * len(texts)})
    table = table._derive({**table.columns, "x": infer(*texts)})
    assert [finding.code for finding in table.profile().findings] == codes


def test_findings_can_be_asked_for_by_code(inspections: comb.Table) -> None:
    profile = inspections.profile()
    assert {finding.code for finding in profile.of("missing")} == {
        "missing.marker",
        "missing.stand_in",
        "missing.blank",
    }
    sentinel = profile.of("missing.stand_in")[0]
    assert sentinel.columns == ("mites",) and sentinel.count == len(sentinel.rows) == 67
    assert sentinel.as_record()["remedy"] == {
        "step": "convert",
        "columns": {"mites": "integer"},
        "missing": ["999"],
    }
    blank = profile.of("missing.blank")[0].as_record()
    assert sentinel.as_record()["by_hand"] is None and blank["remedy"] is None and "fill" in blank["by_hand"]
    assert "missing.stand_in" in repr(profile)


def test_a_table_without_rows_has_a_profile() -> None:
    profile = comb.table(columns={"a": [], "b": []}).profile()
    assert [summary.count for summary in profile.columns] == [0, 0] and not profile.findings
    assert NUMBER.in_full == "number"


def test_parts_of_other_files_below_the_first_are_told() -> None:
    first = b"hive,day,kg,place\n" + b"".join(b"H%d,2026-05-%02d,2%d.5,Mill\n" % (at, at, at) for at in range(1, 9))
    below = first.replace(b"hive,day,kg,place", b"place;day;hive;kg").replace(b",", b";")
    (one,) = comb.load(first + below).profile().of("layout.other_delimiter")
    assert one.rows.tolist() == [*range(9, 18)] and "parted by a semicolon and not by a comma they have 4" in one.text
    # Where the others are numbers, such a row is unreadable, its text kept.
    numbers = b"n,day,kg,place\n" + b"".join(
        b"%d,2026-05-%02d,2%d.5,Mill\n" % (at, at % 28 + 1, at) for at in range(40)
    )
    few = comb.load(numbers + b"41;2026-06-01;30.5;Fox\n42;2026-06-02;31,5;Fox\n")
    assert few.types["n"].word == "integer"
    assert few.profile().of("layout.other_delimiter")[0].rows.tolist() == [41, 42]
    (one,) = comb.load(first + b"hive,day,kg,place,note\n" + b"H9,2026-06-01,20.5,Fox,late\n").profile().of("layout")
    assert one.code == "layout.repeated_header" and one.text.endswith("there _col.5 is called note")
    assert not comb.load(first + b"H9,2026-06-01\nH10;x,2026-06-02\n").profile().of("layout")


COUNTS = {"visit_time": [945, 1745, 2359, 30, 1010, 1159, 815, 1200], "day": [*range(45000, 45008)], "made_at": [*range(1714550400, 1714550408)], "logged_on": [*range(1714550400123, 1714550400131)], "epoch": [*range(1714550400123456, 1714550400123464)]}  # fmt: skip


def test_numbers_that_are_days_and_times_get_a_remedy_that_reads_them() -> None:
    table = comb.table(columns=COUNTS)
    found = {finding.columns[0]: finding for finding in table.profile().findings if finding.code.startswith("type.")}
    assert {name: one.code for name, one in found.items()} == {
        "visit_time": "type.clock_numbers", "day": "type.serial_dates", "made_at": "type.serial_dates",
        "logged_on": "type.serial_dates", "epoch": "type.serial_dates",
    }  # fmt: skip
    for name, first in (("visit_time", "09:45:00"), ("day", "2023-03-15"), ("made_at", "2024-05-01T08:00:00"), ("logged_on", "2024-05-01T08:00:00.123"), ("epoch", "2024-05-01T08:00:00.123456")):  # fmt: skip
        assert table.take_step(found[name].remedy)[name].texts()[0] == first
    assert not comb.table(columns={"weight_g": [45000, 45001, 1200]}).profile().of("type")
    for odd in ("inf", "-inf", "nan"):
        assert not comb.table(columns={"day": [45000.25, 45001.5, float(odd), 45003.5]}).profile().of("type.serial")


@pytest.mark.parametrize(
    ("name", "cells", "code", "message"),
    [
        ("d", ["5/6/2026", "1/2/2026"], "type.ambiguous_dates", "could be swapped"),
        ("d", ["05/06/26", "01/02/26"], "type.ambiguous_dates", "dd/MM/yy or MM/dd/yy"),
        ("n", ["1.234", "5.678"], "type.ambiguous_numbers", "could be a thousands separator"),
        ("n", ["1,234", "5,678"], "type.ambiguous_numbers", "could be a thousands separator"),
        ("n", ["4.01234E+12", "4012345678901"], "type.rounded", "1 number that a spreadsheet program rounded"),
        ("n", ["12 kg", "3200 g", "5 kg"], "type.units", "kg 2 times, g 1 time"),
        ("n", ["12.50 CR", "3.20 DR", "5.00 CR"], "type.units", "these may be credit and debit: one of them is negative"),
        ("queen_state", [1, 2, 1] * 5, "type.labels", "say what they stand for"),
    ],
)  # fmt: skip
def test_what_a_type_leaves_open_is_a_finding(name: str, cells: list[object], code: str, message: str) -> None:
    column = infer(*map(str, cells))
    table = comb.table(columns={name: cells})._derive({name: column})
    (finding,) = [one for one in table.profile().findings if one.code.startswith("type.")]
    assert finding.code == code and message in finding.text and finding.count == len(finding.rows)
    if finding.remedy is not None:
        assert not table.take_step(finding.remedy)[name].missing_count


def test_what_is_found_is_shown_with_its_text_and_how_often(tmp_path: Path) -> None:
    rows = [f"05/06/2026;{at}.5" for at in range(90)] + ["01/02/2026;<0.1"] * 3 + ["07/02/2026;free"] * 2
    (tmp_path / "t.csv").write_text("day;fare\n" + "\n".join(rows))
    found = {one.code: one for one in comb.load(tmp_path / "t.csv").profile().findings}
    assert found["type.censored"].examples == ("'<0.1' (3)",)
    assert found["type.ambiguous_dates"].examples == ("05/06/2026", "01/02/2026", "07/02/2026")
    shown = str(comb.load(tmp_path / "t.csv").profile())
    assert "namely '<0.1' (3); rows 91, 92, 93" in shown and "namely 'free' (2); rows 94, 95" in shown


def test_long_examples_are_shown_by_both_ends() -> None:
    texts = [f"{at} {'x y ' * 900}end  " for at in range(9)]
    table = comb.table(columns={"note": [*texts, "short"]})
    [finding] = table.profile().of("text.spaces")
    shown = str(table.profile())
    assert "…" in shown and shown.count("x y") < 400 and "end" in shown
    assert [len(one) <= 160 for one in finding.short_examples()] == [True] * 5 and len(finding.examples[0]) > 3_000


def test_words_and_zeros_that_stand_out_are_proposed_as_missing() -> None:
    counts = infer(*(["12", "7", "9", "closed"] * 4), *map(str, range(150)))
    table = comb.table(columns={"n": [0] * len(counts)})._derive({"n": counts})
    (finding,) = table.profile().of("type.unreadable")
    # Whether it does, the values cannot show: "closed" may, "many" does not.
    assert "'closed' may mean missing" in finding.text and finding.remedy is None
    weights = comb.table(columns={"kg": [31.5, 0.0, 28.25, 0.0, 30.0, 35.5, 0.0, 29.0], "n": [0, 1, 2, 0, 3, 0, 4, 5]})
    (zeros,) = weights.profile().of("missing.zeros")
    assert zeros.columns == ("kg",) and zeros.rows.tolist() == [2, 4, 7] and "between 28.25 and 35.5" in zeros.text
    assert weights.take_step(zeros.remedy)["kg"].missing_count == 3


def test_a_column_that_is_mostly_days_is_converted_and_keeps_the_rest(tmp_path: Path) -> None:
    texts = ["3/1/2026", "17/1/2026", "18/1/2026", "31/2/2026", "", "19/1/2026"]
    (tmp_path / "t.csv").write_text("\n".join(["n;day", *(f"a{at};{text}" for at, text in enumerate(texts))]))
    table = comb.load(tmp_path / "t.csv")
    (finding,) = table.profile().of("type.unreadable")
    assert finding.as_record()["remedy"] == {"step": "convert", "columns": {"day": "date d/M/yyyy"}}
    made = table.take_step(finding.remedy)["day"]
    assert str(made.to_list()[1]) == "2026-01-17" and made.kept.texts == {3: "31/2/2026"}
    # A word for missing is no value.
    (tmp_path / "kg.csv").write_text("n,kg\na,12\nb,7\nc,n/a\nd,many\n")
    marked = comb.load(tmp_path / "kg.csv")
    [of_kg] = marked.profile().of("type.unreadable")
    assert "2 of 3 values of kg are of type integer, but not this one" in of_kg.text
    assert marked.take_step(of_kg.remedy)["kg"].to_list() == [12, 7, None, None]
    # Without a day beyond the 12th either reading is as good: none is proposed.
    (tmp_path / "days.csv").write_text("n,day\na,3/1/2026\nb,4/1/2026\nc,5/2/2026\nd,soon\n")
    doubtful = comb.load(tmp_path / "days.csv").profile().of("type")
    assert doubtful and all(one.remedy is None for one in doubtful)


MOMENTS = [f"{day:02}.01.2026 10:30" for day in range(1, 29)]
ISO_DAYS = [f"2026-01-{day:02}" for day in range(1, 29)]


@pytest.mark.parametrize(
    ("texts", "says", "asked", "values"),
    [
        ([*MOMENTS, "03.02.2026"], "a day without a time; as no cell says 00:00", "datetime dd.MM.yyyy", ["2026-02-03 00:00:00"]),
        ([*MOMENTS, "2026-02-03", "2026-02-04"], "days without a time; as no", "datetime yyyy-MM-dd", ["2026-02-03 00:00:00", "2026-02-04 00:00:00"]),
        ([*MOMENTS, "31.01.2026 00:00", "2026-02-03"], "the time may be unknown", None, []),
        ([*MOMENTS, "03/02/2026"], "day and month could be swapped", None, []),
        ([*MOMENTS, "02/13/2026"], "without a time; as no", "datetime MM/dd/yyyy", ["2026-02-13 00:00:00"]),
        ([*MOMENTS, "03.02.2026 25:00"], "the text is kept", None, []),
        ([*(f"{text}Z" for text in MOMENTS), "03.02.2026"], "it is a day without a time", None, []),
        ([*ISO_DAYS, "2026-01-31 08:30"], "makes the others midnights", "datetime yyyy-MM-dd HH:mm", ["2026-01-31 08:30:00"]),
    ],
)  # fmt: skip
def test_days_among_moments_and_moments_among_days(
    texts: list[str], says: str, asked: str | None, values: list[str]
) -> None:
    table = comb.table(columns={"n": list(range(len(texts)))})._derive({"at": infer(*texts)})
    (finding,) = table.profile().of("type.unreadable")
    assert says in finding.text and (finding.remedy is None) == (asked is None)
    if finding.remedy is not None:
        assert finding.remedy.columns == {"at": asked}
        made = table.take_step(finding.remedy)
        assert [str(value) for value in made["at"].to_list()[-len(values) :]] == values
        assert not made.profile().of("type.unreadable") and made["at"].to_list()[0].day == 1


def test_of_two_forms_as_common_the_one_like_the_others_stays() -> None:
    for others, kept in ((["Oak Hill", "Weir"], "Mill Lane"), (["oak hill", "weir"], "mill lane")):
        table = comb.table(columns={"a": ["mill lane", "Mill Lane", *others], "n": [4, 7, 1, 5]})
        (finding,) = table.profile().of("text.case")
        assert "from another value only by case" in finding.text
        assert table.take_step(finding.remedy)["a"].to_list()[:2] == [kept, kept]


def test_cells_that_were_calculated_have_no_text_to_show() -> None:
    texts = [*map(str, range(1, 12)), "x"] * 3
    table = comb.table(columns={"n": texts}).convert({"n": "integer"}).calculate({"m": "n * 2"})
    found = {one.columns: one for one in table.profile().findings if one.code == "type.unreadable"}
    assert "the text is kept; 'x' may mean missing" in found["n",].text
    assert found["m",].rows.tolist() == found["n",].rows.tolist() and "the cells were calculated" in found["m",].text


def test_profiles_and_findings_are_equal_where_they_say_the_same() -> None:
    table = comb.table(columns={"place": ["Mill ", "Mill", "Fox"] * 5, "kg": [1, 2, 999] * 5})
    one, other = table.profile(), pickle.loads(pickle.dumps(table.profile()))
    assert one == other and set(one.findings) == set(other.findings)
    shorter = table.filter("kg < 999").profile()
    assert shorter != one and shorter.findings[0] != one.findings[0]
    [spaces], [fewer] = one.of("text.spaces"), table.pick_rows(first=12).profile().of("text.spaces")
    assert spaces != fewer and spaces != spaces.text
