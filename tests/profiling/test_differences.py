"""What is different between two files, two versions of a table, and the file that a plan was made on and the next."""

import json
from collections.abc import Callable
from pathlib import Path
from random import Random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb


def said(old: dict[str, Any], new: dict[str, Any]) -> list[tuple[str, str]]:
    comparison = comb.differences(comb.table(columns=old), comb.table(columns=new))
    return [(one.kind, one.text) for one in comparison.differences]


def test_the_next_season_is_told_apart_as_planted_and_no_more(demo: Path) -> None:
    truth = json.loads((demo / "inspections-2026-truth.json").read_text())
    found = comb.differences(demo / "inspections.csv", demo / "inspections-2026.csv")
    kinds = {(one.kind, column) for one in found.differences for column in one.columns}
    for one in truth:
        assert (one["kind"], one["column"]) in kinds, one
    # What besides is due to the defects of the old file, and to time going on.
    assert kinds - {(one["kind"], one["column"]) for one in truth} == {
        ("columns", "beekeeper"), ("missing", "beekeeper"), ("numbers", "inspected_on"),
    }  # fmt: skip
    text = repr(found)
    for part in ("rename: {beekeeper: keeper}", "'superseded' (41)", "16.6 % of gross_kg is missing (blank), before 0.0 %",
                 "8 keys of visit were there before (rows 1, 2, 3", "date form 'yyyy-MM-dd', before 'd.M.yyyy"):  # fmt: skip
        assert part in text, part
    assert comb.differences(demo / "inspections.csv", demo / "inspections.csv").same


@pytest.mark.parametrize("suffix", [".xlsx", ".jsonl", ".tsv"])
def test_other_formats_are_compared_too(demo: Path, suffix: str) -> None:
    season = comb.load(demo / "inspections-2026.csv")
    season.save(demo / f"season{suffix}")
    found = {
        one.kind: one.text
        for one in comb.differences(demo / "inspections-2026.csv", demo / f"season{suffix}").differences
    }
    assert set(found) <= {"reading", "types", "missing"}
    keyed = comb.differences(season, season.correct("mites", row=9, old=season.cell(9, "mites"), new=77), key="visit")
    assert [(one.column, one.after, one.row) for one in keyed.changed] == [("mites", "77", 9)] and not len(keyed.added)


KEYS = list(range(40))
CASES: list[tuple[dict[str, Any], dict[str, Any], list[str]]] = [
    ({"a": [1, 2]}, {"a": [1, 2]}, []),
    ({"a": [1, 2], "b": [1, 2]}, {"b": [1, 2], "a": [1, 2]}, ["another order"]),
    ({"a": [1, 2]}, {"a": ["x", "y"]}, ["a is string, before integer"]),
    ({"net_weight": [30, 31, 32] * 9}, {"weight_net": [31, 32, 31] * 9}, ["weight_net is new: the names are similar, and half"]),
    ({"net_weight": [30, 31, 32] * 9}, {"weight_net": [900, 950, 990] * 9}, ["net_weight is gone", "weight_net is new (integer)"]),
    ({"a": [1] * 27, "kg": [30, 31, 32] * 9, "b": [2] * 27}, {"a": [1] * 27, "weight": [31, 32, 31] * 9, "b": [2] * 27},
     ["weight is new: it is in the same place, and half of its numbers lie between 31 and 32"]),
    ({"kg": [30, 31, 32] * 9, "b": [2] * 27}, {"b": [2] * 27, "weight": [31, 32, 31] * 9}, ["kg is gone", "weight is new (integer)"]),
    ({"a": [1, 2, 3]}, {"a": []}, ["no row, before 3"]),
    ({"keeper": ["Alder", "Rowan"] * 9}, {"beekeeper": ["Elm", "Oak"] * 9}, ["keeper is gone", "beekeeper is new (string)"]),
    ({"q": ["a", "b"] * 20}, {"q": ["a", "b", "c", "b"] * 10}, ["1 value of q is new: 'c' (10)"]),
    ({"q": ["a", "b"] * 20}, {"q": ["a", "a"] * 20}, ["1 value of q does not occur any more: 'b'"]),
    ({"kg": [30.5, 31.5, 32.5, 33.5] * 10}, {"kg": [3050.0, 3150.0, 3250.0, 3350.0] * 10},
     ["the median of kg is 3200, before 32, 100 times as much", "above all of before (33.5)"]),
    ({"kg": [30, 31, 32, 33] * 10}, {"kg": [30, 31, 32, 33] * 9 + [99, 30, 31, 32]}, ["1 value of kg lies above all of before (33), as far as 99"]),
    ({"kg": [30, 31, 32, 33] * 10}, {"kg": [30, 31, 32, 33] * 9 + [34, 34, 33, 32]}, []),
    ({"kg": [30, 31, 32, 33] * 10}, {"kg": [30, 31, 32, 34] * 10}, ["10 values of kg lie above all of before (33), as far as 34"]),
    ({"kg": [1, 5, 6, 90] * 10}, {"kg": [1, 5, 6, 90] * 9 + [5, 5, 5, -1]}, ["1 value of kg lies below all of before (1), as far as -1"]),
    ({"kg": [1, 10, 100, 1000] * 10}, {"kg": [1, 10, 100, 1000] * 9 + [5, 5, 5, 9000]}, []),
    ({"q": list("aaaaaaaaab") * 4}, {"q": ["a"] * 20}, []),
    ({"q": list("aaaaaaaaab") * 4}, {"q": ["a"] * 80}, ["1 value of q does not occur any more: 'b'"]),
    ({"kg": [30, None] * 50}, {"kg": [30, 31] * 50}, ["0.0 % of kg is missing (blank), before 50.0 %"]),
    ({"kg": [30, None] * 50}, {"kg": [30, 30, None] * 33}, []),
    ({"kg": [30] * 5}, {"kg": [30] * 50}, ["50 rows, 10 times the 5 of before"]),
    ({"id": KEYS}, {"id": [one + 30 for one in KEYS]}, ["10 keys of id were there before (rows 1, 2, 3, 4, 5 and 5 more)"]),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new", "expected"), CASES)
def test_each_kind_of_difference(old: dict[str, Any], new: dict[str, Any], expected: list[str]) -> None:
    found = said(old, new)
    assert len(found) == len(expected), found
    for part in expected:
        assert any(part in text for _, text in found), (part, found)


@pytest.mark.parametrize(
    ("name", "text", "expected"),
    [
        ("weight.csv", "day,weight\n" + "2025-05-01,30 g\n2025-05-02,31 g\n" * 9, ["kg is gone", "weight is new"]),
        ("new.csv", "day,kg\n" + "2025-05-01,30 g\n2025-05-02,31 g\n" * 9, ["unit 'g', before 'kg'"]),
        ("weight.csv", "day,weight\n" + "2025-05-01,30 kg\n2025-05-02,31 kg\n" * 9, ["in the same place"]),
        ("none.csv", "day,kg\n", ["no row, before 18"]),
        ("blank.csv", "day,kg\n" + "2025-05-01,30 kg\n2025-05-02,\n" * 18, ["missing (blank), before 0.0 %"]),
        ("null.json", '[' + '{"day": "2025-05-01", "kg": 30}, {"day": "2025-05-02", "kg": null},' * 18 + '{"day": null}]',
         ["missing (blank or absent or marker)", "it is JSON", "37 rows"]),
    ],
)  # fmt: skip
def test_how_a_file_says_it_is_told_apart_from_what_it_says(
    tmp_path: Path, name: str, text: str, expected: list[str]
) -> None:
    (tmp_path / "may.csv").write_text("day,kg\n" + "2025-05-01,30 kg\n2025-05-02,31 kg\n" * 9)
    (tmp_path / name).write_text(text)
    found = comb.differences(tmp_path / "may.csv", tmp_path / name).differences
    assert len(found) == len(expected), found
    for part in expected:
        assert any(part in one.text for one in found), (part, found)


def test_what_chance_brings_is_no_news() -> None:
    """Two months of one kind differ in their ends; that was said of each second pair once."""
    alarms, chance = 0, Random(1)
    draws: list[Callable[[], float]] = [
        lambda: round(chance.gauss(30, 6), 1),
        lambda: int(chance.expovariate(1 / 8)),
        lambda: round(chance.lognormvariate(3, 1), 2),
        lambda: round(chance.uniform(2, 9), 2),
    ]
    for _ in range(60):
        sizes = [chance.choice([40, 120, 400]) for _ in range(2)]
        for draw in draws:
            old, new = ({"kg": [draw() for _ in range(size)]} for size in sizes)
            alarms += any("all of before" in text for _, text in said(old, new))
            high = max(old["kg"]) - min(old["kg"])
            new["kg"][7] = max(*old["kg"], 40) * 100 + high
            assert any("all of before" in text for _, text in said(old, new)), (old, new)
    assert alarms <= 8, alarms


def test_tables_without_rows_or_columns_in_common() -> None:
    empty = comb.table(columns={"a": [1, 2], "b": ["x", None]}).filter("a > 9")
    full = comb.table(columns={"a": [1, 2], "c": ["x", None]})
    assert {one.text for one in comb.differences(empty, full).differences} == {
        "b is gone",
        "c is new (string)",
        "2 rows, before there was none",
    }
    assert comb.differences(empty, empty, key="a").same
    assert "nothing is different" in repr(comb.differences(full, full))


def test_keys_that_do_not_tell_rows_apart_are_refused() -> None:
    one, other = comb.table(columns={"k": [1, 1], "v": [1, 2]}), comb.table(columns={"k": [1, 2], "v": [1, 2]})
    with pytest.raises(comb.ParameterError, match="2 rows share a key, for instance 1"):
        comb.differences(one, other, key="k")
    with pytest.raises(comb.ColumnError):
        comb.differences(one, other, key="moon")


ROWS = st.dictionaries(
    st.integers(0, 12), st.tuples(st.one_of(st.none(), st.integers(0, 3)), st.sampled_from("ab")), max_size=10
)


@given(ROWS, ROWS)
def test_rows_and_cells_are_those_of_two_dicts(
    old: dict[int, tuple[Any, str]], new: dict[int, tuple[Any, str]]
) -> None:
    def made(rows: dict[int, tuple[Any, str]]) -> comb.Table:
        table = comb.table(
            columns={"k": list(rows), "n": [one for one, _ in rows.values()], "s": [s for _, s in rows.values()]}
        )
        return table.convert({"k": "integer", "n": "integer", "s": "string"})

    before, after = list(old), list(new)
    found = comb.differences(made(old), made(new), key="k")
    assert [after[row - 1] for row in found.added.tolist()] == [key for key in new if key not in old]
    assert [before[row - 1] for row in found.gone.tolist()] == [key for key in old if key not in new]
    changed = {(int(one.key), one.column) for one in found.changed}
    assert changed == {
        (key, name) for key in new if key in old for at, name in enumerate("ns") if old[key][at] != new[key][at]
    }


def test_a_plan_runs_on_the_next_file_and_says_what_is_different(demo: Path) -> None:
    text = (demo / "plan.yaml").read_text()
    with pytest.raises(comb.PlanError) as caught:
        comb.Plan.load(demo / "plan.yaml").run(sources={"inspections": demo / "inspections-2026.csv"}, dry_run=True)
    assert "rename: {beekeeper: keeper}" in str(caught.value.remedy)
    assert any("keeper is gone and beekeeper is new" in line for line in caught.value.differences)
    (demo / "plan.yaml").write_text(
        text.replace("    source: inspections.csv\n", "    source: inspections.csv\n    rename: {beekeeper: keeper}\n")
    )
    plan = comb.Plan.load(demo / "plan.yaml")
    outcome = plan.run(
        sources={"inspections": demo / "inspections-2026.csv"}, save_to=demo / "tidy-2026", as_of="2026-11-02"
    )
    assert outcome.saved == [str(demo / "tidy-2026")] and not (demo / "tidy").exists()
    assert "beekeeper is read as keeper" in "; ".join(outcome.messages)
    kinds = {(one.kind, one.columns[:1]) for one in outcome.comparisons["inspections"].differences}
    assert ("values", ("queen",)) in kinds and ("columns", ("keeper", "beekeeper")) not in kinds
    assert outcome.found >= len(outcome.comparisons["inspections"].differences)
    again = comb.Plan.load(demo / "tidy-2026" / "plan.yaml").run(dry_run=True)
    assert again.tables["inspections"].equals(outcome.tables["inspections"])
    assert plan.run(dry_run=True).comparisons == {}
    both = comb.differences(plan.run(dry_run=True), outcome, table="frames")
    assert both.rows_now == outcome.tables["frames"].row_count


def test_what_if_without_some_steps(demo: Path) -> None:
    plan = comb.Plan.load(demo / "plan.yaml")
    whole, some = plan.run(dry_run=True), plan.run(dry_run=True, without=[7, 8], until=9)
    assert [number for number, entry in enumerate(some.ledger["inspections"]) if not entry.active] == [
        7,
        8,
        10,
        11,
        12,
        13,
    ]
    assert some.tables["inspections"].row_count > whole.tables["inspections"].row_count and some.adds_up
    with pytest.raises(comb.ParameterError, match="no step 99"):
        plan.run(dry_run=True, until=99)
    with pytest.raises(comb.ParameterError, match="moon"):
        plan.run(dry_run=True, sources={"moon": "x.csv"})
    gone = demo / "inspections.csv"
    gone.rename(demo / "elsewhere.csv")
    outcome = plan.run(dry_run=True, sources={"inspections": demo / "elsewhere.csv"})
    assert any("nothing to compare with" in one for one in outcome.messages)


def test_several_files_of_one_kind(tmp_path: Path) -> None:
    (tmp_path / "v-01.csv").write_text("hive,kg\na,31\nb,32\n")
    (tmp_path / "v-02.csv").write_text("hive,kg\na,33\n")
    (tmp_path / "v-03.csv").write_text("kg,hive,fed\n34,c,yes\n")
    (tmp_path / "plan.yaml").write_text(
        'source: "v-*.csv"\nfile_column: file\nreading: {types: {kg: integer, fed: string}}\n'
    )
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run()
    table = outcome.tables["v"]
    assert table.names == ("file", "hive", "kg", "fed")
    assert table["file"].to_list() == ["v-01.csv", "v-01.csv", "v-02.csv", "v-03.csv"]
    assert table["fed"].reasons() == ["absent", "absent", "absent", None]
    assert any("v-03.csv against v-01.csv: fed is new" in one for one in outcome.messages)
    assert table.place(4, "kg") == "v-03.csv, line 2"
    (tmp_path / "v-03.csv").unlink()
    (tmp_path / "plan.yaml").write_text('source: "v-*.csv"\nfile_column: file\n')
    same = comb.Plan.load(tmp_path / "plan.yaml").run()
    assert same.tables["v"]["file"].to_list() == ["v-01.csv", "v-01.csv", "v-02.csv"] and not same.messages
