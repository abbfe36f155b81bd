"""Summaries and findings: on the demo data exactly what is planted there, and by cases."""

import json
import statistics

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.demo.files import demo_bytes
from comb.demo.make import files
from comb.profiling.summaries import summarise
from comb.tables.types import NUMBER
from test_inference import infer

CODES = {
    "missing.blank", "missing.marker", "missing.sentinel", "duplicate.rows", "duplicate.key", "text.spaces",
    "text.case", "type.unreadable", "type.leading_zeros", "column.constant",
}  # fmt: skip


def test_the_shipped_demo_is_what_the_script_makes() -> None:
    for name, data in files():
        assert data == demo_bytes(name), f"{name}: run python -m comb.demo.make"


def test_every_planted_defect_is_found_and_nothing_else(inspections: comb.Table) -> None:
    planted = json.loads(demo_bytes("inspections-truth.json"))
    assert {defect["code"] for defect in planted} >= CODES
    truth = {(one["code"], one["column"]): one["rows"] for one in planted if one["code"] in CODES}
    found = {
        (one.code, "" if one.code == "duplicate.rows" else one.columns[0]): one.rows.tolist()
        for one in inspections.profile().findings
    }
    assert found == truth


def test_remedies_mend_what_they_are_for(inspections: comb.Table) -> None:
    table = inspections
    for finding in inspections.profile().findings:
        if finding.remedy is not None:
            table = table.take_step(finding.remedy)
    left = {(finding.code, *finding.columns[:1]) for finding in table.profile().findings}
    # What is left has no remedy, or is only told: codes, and words that were read as missing.
    assert left == {
        ("type.unreadable", "inspected_on"), ("type.unreadable", "brood_frames"), ("type.leading_zeros", "colony"),
        ("missing.marker", "mites"), ("missing.blank", "keeper"), ("missing.blank", "brood_frames"),
        ("missing.blank", "notes"),
    }  # fmt: skip


@given(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=20))
def test_summaries_of_numbers_are_those_of_the_standard_library(values: list[float]) -> None:
    details = summarise("x", comb.table(columns={"x": values})["x"]).details
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
    summary = summarise("x", comb.table(columns={"x": cells})["x"])
    assert summary.details == details and summary.missing_count == cells.count(None)


def codes_of(*texts: str) -> list[str]:
    table = comb.table(columns={"x": ["?"] * len(texts)}).derive({"x": infer(*texts)})
    return [finding.code for finding in table.profile().findings if finding.code != "duplicate.rows"]


NUMBERS_0_TO_29 = [str(number) for number in range(30)]


@pytest.mark.parametrize(
    ("texts", "codes"),
    [
        ([*NUMBERS_0_TO_29, "999", "999", "999"], ["missing.sentinel"]),
        ([*NUMBERS_0_TO_29, "999", "999"], []),
        ([*NUMBERS_0_TO_29, "-1", "-1", "-1"], ["missing.sentinel"]),
        ([*NUMBERS_0_TO_29, "-5", "-1", "-1", "-1"], []),
        ([str(n) for n in range(960, 999)] + ["999"] * 3, []),
        (["Mill", "Ridge"] * 9 + ["mill"], ["text.case"]),
        (["Mill", "Ridge"] * 9 + [" Mill"], ["text.spaces"]),
        (["Mill", "Ridge"] * 9 + ["N/A"], ["missing.marker"]),
        (["1.1", "11", "a"] * 9, []),
        (["Mill"] * 9, ["column.constant"]),
        (["", ""], ["column.empty", "missing.blank"]),
        ([f"k{n}" for n in range(99)] + ["k5"], ["duplicate.key"]),
        ([f"k{n}" for n in range(90)] + ["k5"] * 10, []),
        (["one\ntwo", "three"] * 9, []),
    ],
)  # fmt: skip
def test_findings_by_case(texts: list[str], codes: list[str]) -> None:
    # A second column tells the rows apart, so that repeated values are no repeated rows.
    table = comb.table(columns={"n": [f"row {at} of this" for at in range(len(texts))], "x": ["?"] * len(texts)})
    table = table.derive({**table.columns, "x": infer(*texts)})
    assert [finding.code for finding in table.profile().findings] == codes


def test_findings_can_be_asked_for_by_code(inspections: comb.Table) -> None:
    profile = inspections.profile()
    assert {finding.code for finding in profile.of("missing")} == {
        "missing.marker",
        "missing.sentinel",
        "missing.blank",
    }
    sentinel = profile.of("missing.sentinel")[0]
    assert sentinel.columns == ("mites",) and sentinel.count == len(sentinel.rows) == 67
    assert sentinel.as_record()["remedy"] == {
        "step": "convert",
        "columns": {"mites": "integer"},
        "missing": ["999"],
    }
    assert "missing.sentinel" in repr(profile)


def test_a_table_without_rows_has_a_profile() -> None:
    profile = comb.table(columns={"a": [], "b": []}).profile()
    assert [summary.count for summary in profile.columns] == [0, 0] and not profile.findings
    assert NUMBER.in_full == "number"
