"""Remedies: each touches only the cells its finding names, makes the finding go away, and is not offered where it harms."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import comb
from comb.plans.draft import draft_plan
from comb.plans.parse import read_plan
from comb.plans.run import run_plan
from comb.steps.base import Step
from support.examples import drawn
from support.inferring import infer

ROWS = 60


def column_of(texts: list[str]) -> comb.Table:
    """Return a table with the texts as they are read, beside a column that tells rows apart."""
    whole = (texts * ROWS)[: max(ROWS, len(texts))]
    table = comb.table(columns={"n": [f"row {at} of this" for at in range(len(whole))], "x": ["?"] * len(whole)})
    return table._derive({**table.columns, "x": infer(*whole)})


def many(*counted: tuple[str, int]) -> list[str]:
    return [text for text, count in counted for _ in range(count)]


METRES = [f"{20 + at / 10:.1f}" for at in range(57)]

# What must not be offered a remedy: another unit, symbols, grades, answers, scales, codes of a country.
HARMLESS = {
    "another unit": [*METRES, "2150 cm", "2210 cm", "2330 cm"],
    "another unit, once": [*METRES, "70 ft"],
    "a currency nobody named": [*METRES, "21 EUR", "22 EUR", "23 EUR"],
    "grades": many(("A", 20), ("A+", 20), ("A-", 20)),
    "symbols": many(("mg", 30), ("Mg", 3), ("MG", 27)),
    "genotypes": many(("AABB", 20), ("AaBb", 20), ("aabb", 20)),
    "releases": many(("rel 1.10", 30), ("rel 1.1.0", 1), ("rel 11.0", 29)),
    "doubts": many(("laying", 50), ("laying?", 10)),
    "two forms that are both common": many(("Mill", 31), ("mill", 30)),
    "zeros and ones": many(("0", 20), ("1", 40)),
    "doses": many(("0", 20), ("5", 20), ("10", 20)),
    "a scale": many(("-1", 20), ("0", 20), ("1", 20)),
    "answers": many(("None", 20), ("nuts", 20), ("milk", 20)),
    "states": many(("ND", 20), ("AL", 20), ("TX", 20)),
    "tests": many(("-", 20), ("+", 20), ("++", 20)),
    "not detected": many(("nd", 20), ("low level", 20), ("high level", 20)),
    "many": [*map(str, range(57)), "many", "many", "many"],
    "codes": [f"{at:04}" for at in range(60)],
}


@pytest.mark.parametrize("texts", HARMLESS.values(), ids=HARMLESS)
def test_no_remedy_harms(texts: list[str]) -> None:
    offered = [one for one in column_of(texts).profile().findings if one.remedy is not None]
    assert not offered, offered


# What is offered, and what becomes of the cells.
OFFERED = {
    "kg": ([*METRES, "21.5 kg", "22 kg", "23.25 kg"], "type.units", ["21.50", "22.00", "23.25"]),
    "decimal comma": ([*METRES, "21,5 kg", "22,0 kg", "23,2 kg"], "type.units", ["21.5", "22.0", "23.2"]),
    "thousands": ([*map(str, range(1000, 2710, 30)), "1,250 g", "1,900 g", "2,410 g"], "type.units", ["1250", "1900", "2410"]),
    "spelling": (many(("Mill Brook", 57), ("MILL BROOK", 2), ("Mill-Brook.", 1)), "text.case", ["Mill Brook"] * 3),
    "four letters": (many(("Mill", 50), ("mill", 10)), "text.case", ["Mill"] * 10),
    "yes and no": (many(("Y", 25), ("No", 3), ("N", 15), ("yes", 2), ("YES", 10)), "type.booleans", ["N"] * 3 + ["Y"] * 12),
    "sexes": (many(("M", 30), ("m", 3), ("F", 20)), "text.case", ["M"] * 3),
    "letters": (many(("male", 30), ("M", 3), ("female", 20), ("f", 2)), "text.spelling", ["male"] * 3 + ["female"] * 2),
    "bounds": (many(("12", 30), ("7", 20), ("< 5", 3)), "type.censored", ["5"] * 3),
    "few bounds with a unit": (many(("12 g", 30), ("7 g", 20), ("<5 g", 3)), "type.censored", ["5"] * 3),
    "spaces": (many(("Mill", 57), (" Mill", 2), ("Mill  ", 1)), "text.spaces", ["Mill"] * 3),
    "words": (many(("Mill", 30), ("Fox Hollow", 27), ("n/a", 3)), "missing.marker", [None] * 3),
    "numbers": ([*map(str, range(57)), "999", "999", "999"], "missing.stand_in", [None] * 3),
}  # fmt: skip


@pytest.mark.parametrize(("texts", "code", "after"), OFFERED.values(), ids=OFFERED)
def test_a_remedy_touches_what_its_finding_names_and_makes_it_go_away(
    texts: list[str], code: str, after: list[str | None]
) -> None:
    table = column_of(texts)
    (finding,) = table.profile().of(code)
    assert isinstance(finding.remedy, Step)
    repaired = table.take_step(finding.remedy)
    assert not repaired.profile().of(code)
    there = np.isin(table.row_numbers, finding.rows)
    assert [text for text, here in zip(repaired["x"].texts(), there.tolist(), strict=True) if here] == after
    others = np.flatnonzero(~there)
    assert repaired["x"]._take(others).to_list() == table["x"]._take(others).to_list()


def test_a_unit_that_the_name_gives_is_proven_by_fewer_values() -> None:
    texts = [*METRES, "21.5 m", "2330 m"]
    table = column_of(texts[:-1]).rename({"x": "length_m"})
    (finding,) = table.profile().of("type.units")
    assert finding.remedy is not None and "with the unit m" in finding.text
    (finding,) = column_of(texts[-1:] + METRES).rename({"x": "length_m"}).profile().of("type.units")
    assert finding.remedy is None and "need not be that of the others" in finding.text


def test_rows_are_copies_where_chance_would_make_none() -> None:
    readings = {"box": ["a", "b"] * 30, "full": ["yes", "yes", "no"] * 20}
    assert not comb.table(columns=readings).profile().of("duplicate")
    visits = {"visit": [*range(57), 3, 4, 5], "box": ["a", "b"] * 30}
    visits["box"][57:] = visits["box"][3:6]
    (finding,) = comb.table(columns=visits).profile().of("duplicate.rows")
    assert finding.remedy is not None and finding.rows.tolist() == [58, 59, 60]


def test_a_key_that_is_there_twice_is_repaired_only_where_nothing_contradicts() -> None:
    visits = {"visit": [*map(str, range(157)), "3", "4", ""], "kg": [float(at) for at in range(160)]}
    (finding,) = comb.table(columns=visits).profile().of("duplicate.key")
    assert finding.remedy is None and "which one is right they do not say" in finding.text
    visits["kg"] = [*visits["kg"][:157], None, None, 9.0]
    table = comb.table(columns=visits)
    (finding,) = table.profile().of("duplicate.key")
    assert finding.remedy is not None and "only by what is missing" in finding.text
    repaired = table.take_step(finding.remedy)
    assert repaired.row_count == 158 and repaired.last_rows(1)["kg"].to_list() == [9.0]


def test_rows_without_a_key_are_no_copies_of_each_other() -> None:
    table = comb.table(columns={"visit": ["1", "", "1", None], "kg": [1, 2, 3, 4]})
    once = table.remove_duplicates(by=["visit"])
    assert once["kg"].to_list() == [1, 2, 4] and "2 rows without visit kept" in " ".join(repr(once).split())


WORDS = st.sampled_from(["Mill", "mill ", "MILL", "Fox  Hollow", "n/a", "None", "", "0101", "12 kg", "7", "999", "-"])


@settings(max_examples=drawn(60), suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow], deadline=None)  # fmt: skip
@given(st.lists(st.tuples(WORDS, st.integers(0, 3) | st.just(999), st.sampled_from(["1.5", "2.5", "3 kg", "x", "-"])), min_size=1, max_size=40))  # fmt: skip
def test_a_draft_does_no_harm_and_runs_with_every_step(tmp_path: Path, rows: list[tuple[str, int, str]]) -> None:
    (tmp_path / "t.csv").write_text("a,b,c\n" + "".join(f"{a},{b},{c}\n" for a, b, c in rows))
    table = comb.load(tmp_path / "t.csv")
    profile = table.profile()
    drafted = draft_plan(table, profile, tmp_path)
    text = drafted.text
    assert all(finding.remedy is not None or finding.by_hand for finding in profile.findings)
    undecided = [finding for finding in profile.findings if finding.by_hand]
    assert drafted.undecided == len(undecided) == text.count("\n# - ")
    assert all(f"# - {finding.code}: " in text for finding in undecided)
    safe = run_plan(read_plan(text, "draft", str(tmp_path)), dry_run=True)
    after, (entries,) = safe.tables["t"], safe.ledger.values()
    # A step may add columns, at the end.
    assert after.names[:3] == table.names and safe.adds_up
    assert all(entry.active or entry.rows_in == entry.rows_out for entry in entries)
    merged = sum(entry.merged for entry in entries)
    assert after.row_count == table.row_count - merged
    if not merged:
        assert all(after[name].missing_count <= table[name].missing_count for name in table.names)
    everything = run_plan(read_plan(text.replace("active: false", "active: true"), "draft", str(tmp_path)), dry_run=True)  # fmt: skip
    assert everything.adds_up and all(entry.counts() != "nothing changed" for entry in entries)


GROUPS = {
    "quay": ["Upper river", "Ash", "Elm", "Coast", "Fern"],
    "boats": [None, 3, 4, None, 9],
    "t": [None, 1, 2, None, 3],
}


@pytest.mark.parametrize(
    ("columns", "offered"),
    [
        (GROUPS, ["quay group"]),
        # In two levels, the upper right above the lower one.
        ({"a": ["N", "x", "1", "2", "y", "3", "S", "z", "4", "5"], **{name: [None, None, 1, 2, None, 3, None, None, 4, 5] for name in "bc"}}, ["a group", "a subgroup"]),
        # Texts below that are set in, or come again.
        ({"a": ["N", " x", " y", "S", " z"], "b": [None, 1, 2, None, 3]}, ["a group"]),
        ({"a": ["N", "x", "y", "S", "x"], "b": [None, 1, 2, None, 3]}, ["a group"]),
        # Rows of which nothing is known: as good a reading.
        ({"a": ["N", "x", "y", "S", "z"], "b": [None, 1, 2, None, 3]}, None),
        ({**GROUPS, "t": [None, 1, None, None, 3]}, None),
        ({"a": ["x", "N", "y", "S", "z"], "b": [1, None, 2, None, 3], "c": [1, None, 2, None, 3]}, None),
        ({"a": ["N", "x", "y", "z", "S"], "b": [None, 1, 2, 3, None], "c": [None, 1, 2, 3, None]}, None),
        ({"a": ["N", "E", "S", "x"], "b": [None, None, None, 3], "c": [None, None, None, 3]}, None),
    ],
)  # fmt: skip
def test_heading_rows_are_told_from_rows_of_which_nothing_is_known(
    columns: dict[str, list[object]], offered: list[str] | None
) -> None:
    table = comb.table(columns=columns)  # type: ignore[arg-type]
    found = table.profile().of("layout.heading_rows")
    assert [one.remedy.new_columns for one in found] == ([offered] if offered else [])  # type: ignore[union-attr]
    for one in found:
        assert one.remedy is not None
        after = table.take_step(one.remedy)
        assert not after.profile().of("layout.heading_rows") and after.row_count == table.row_count - one.count


@pytest.mark.parametrize(
    ("texts", "count"),
    [
        (["7.2", "6.8*", "5.9 1)", "4"], 2), (["7", "8†"], 1), (["A*", "B", "7*"], 0), (["7", "8"], 0),
        (["7a", "8"], 0), (["12 kg", "13*"], 0), (["7.2", "6.8J", "0.5U", "4", "5.1"], 2), (["12", "14.5A", "3B", "5C"], 0),
        (["1.5s", "2.5", "3.5"], 0), (["1.5K", "2.5M", "3.5", "4", "5.5"], 0), (["7.2J", "6.8J", "0.5J", "4"], 0), (["6.8J", "0.5K", "high", "1.5", "2"], 0),
    ],
)  # fmt: skip
def test_marks_of_footnotes_are_found_among_numbers_only(texts: list[str], count: int) -> None:
    table = comb.table(columns={"x": texts})
    found = table.profile().of("text.footnotes")
    assert [one.count for one in found] == ([count] if count else [])
    for one in found:
        assert one.remedy is not None
        after = table.take_step(one.remedy)
        assert after["x"].type.numeric and not after["x"].missing_count and not after.profile().of("text.footnotes")


def test_one_variable_in_several_columns_becomes_one() -> None:
    kinds = ["bus", "tram", "bike"]
    rows = [kinds[at % 3] for at in range(30)]
    table = comb.table(
        columns={"n": list(range(30)), **{f"by_{kind}": [int(one == kind) for one in rows] for kind in kinds}}
    )
    [found] = table.profile().of("column.indicators")
    assert found.remedy is not None
    made = table.take_step(found.remedy)
    assert made.names == ("n", "by") and made["by"].to_list() == [f"by_{one}" for one in rows]
    nearly = comb.table(
        columns={**{name: column.to_list() for name, column in table.columns.items()}, "by_bus": [1] * 30}
    )
    assert not nearly.profile().of("column.indicators")


def test_what_belongs_to_another_level_is_taken_out_and_put_back() -> None:
    keepers = [(f"K{at}", f"Keeper {at}", f"Street {at}", f"+{at}00") for at in range(12)]
    rows = [(*keepers[at % 12], at) for at in range(48)]
    names = ("keeper", "name", "address", "phone", "order")
    table = comb.table(columns={name: [row[at] for row in rows] for at, name in enumerate(names)})
    [found] = table.profile().of("layout.levels")
    assert found.remedy is not None
    rest = table.take_step(found.remedy)
    assert not rest.profile().of("layout.levels") and rest.row_count == 48
    keys = table.separate_tables(found.remedy.by, found.remedy.columns)  # type: ignore[attr-defined]
    back = rest.join(keys, by="keeper")
    assert keys.row_count == 12 and {name: back[name].to_list() for name in names} == {
        n: table[n].to_list() for n in names
    }


@pytest.mark.parametrize("dated", [True, False])
def test_a_period_that_is_not_over_is_set_aside(dated: bool) -> None:
    rows = [(2001 + year, shop) for year in range(17) for shop in range(12)][: 16 * 12 + 4]
    table = comb.table(columns={
        "year": [f"{year}-01-01" if dated else year for year, _ in rows], "shop": [f"Shop {shop}" for _, shop in rows],
        "sales": [100 + 7 * year % 89 + shop for year, shop in rows],
    })  # fmt: skip
    table = table.convert({"year": "date"}) if dated else table
    [found] = table.profile().of("series.partial")
    assert found.remedy is not None
    made = table.take_step(found.remedy)
    assert made.row_count == 16 * 12 and made.ledger[-1].set_aside == 4 and not made.profile().of("series.partial")
    assert "the last year is not over" in repr(made.trace(193, "sales"))
