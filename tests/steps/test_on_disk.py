"""On disk, every step does what it does in memory: rows, cells, ledger, record, what is set aside."""

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.errors import CombError
from comb.interface.pages import _ABOUT, EXAMPLES, SOURCES, example_step
from comb.interface.table import Table
from comb.steps.accounting import Taken, take_step
from comb.steps.catalogue import make_step
from comb.tables.text import Text
from support.on_disk import kept_on_disk, storage_in
from support.strategies import CONDITIONS, numeric_tables, tables


def said(taken: Taken) -> dict[str, Any]:
    """Return all that a step tells."""
    record = taken.record
    return {
        "entry": taken.entry,
        "notes": taken.table.notes,
        "reasons": taken.reasons,
        "changes": list(record.changes()),
        "sources": None if record.sources is None else record.sources.tolist(),
        "groups": None if record.groups is None else record.groups.tolist(),
        "gone": {what: rows.tolist() for what, rows in record.gone.items()},
        "details": {
            name: [one.detail.at(at) for at in range(len(one.positions))]
            for name, one in record.cells.items() if one.detail is not None
        },
    }  # fmt: skip


def cells_of(table: comb.Table) -> dict[str, Any]:
    """Return all that the cells of a table hold."""
    return {
        name: (column.to_list(), column.reasons(), dict(column.kept.texts)) for name, column in table.columns.items()
    }


def check_same(step: Any, table: comb.Table, others: dict[str, Any], folder: Path, rows: int = 2) -> None:
    """Take a step in memory, with texts that have codes, and on disk, and compare; what is given stays as it is."""
    coded = table._derive({name: column._with_codes() for name, column in table.columns.items()})
    before = cells_of(coded)
    storage = storage_in(folder, rows)
    there = {name: kept_on_disk(one, storage) for name, one in others.items()}
    try:
        here = take_step(step, Table._adopt(table), others)
    except CombError as error:
        with pytest.raises(type(error)) as caught:
            take_step(step, kept_on_disk(table, storage), there)
        assert str(caught.value) == str(error)
        return
    by_codes = take_step(step, coded, others)
    assert by_codes.table.equals(here.table) and said(by_codes) == said(here)
    assert cells_of(coded) == before == cells_of(table)
    kept = take_step(step, kept_on_disk(table, storage), there)
    assert kept.table.equals(here.table) and kept.aside.equals(here.aside)
    assert said(kept) == said(here)
    for name, column in kept.table.columns.items():
        assert column.kept == here.table[name].kept and column.to_list() == here.table[name].to_list()
        assert column.evidence == here.table[name].evidence and column.description == here.table[name].description
        parts = [column.values.buffer, column.values.offsets] if isinstance(column.values, Text) else [column.values]
        assert all(storage.holds(part) for part in (*parts, kept.table.row_numbers))


@pytest.mark.parametrize("name", EXAMPLES)
@pytest.mark.parametrize("rows", [1, 3])
def test_every_step(name: str, rows: int, tmp_path: Path) -> None:
    for source, text in SOURCES.items():
        (tmp_path / f"{source}.csv").write_bytes(text)
    sources = {source: comb.load(tmp_path / f"{source}.csv") for source in SOURCES}
    check_same(example_step(name), sources[_ABOUT.get(name, "visits")], sources, tmp_path, rows)


@given(numeric_tables(), CONDITIONS, st.integers(1, 4), st.sampled_from(["filter", "set_aside", "mark_rows"]))
def test_conditions(
    tmp_path_factory: pytest.TempPathFactory, table: comb.Table, condition: str, rows: int, kind: str
) -> None:
    more = {"new_columns": ["odd"]} if kind == "mark_rows" else {}
    check_same(make_step(kind, {"where": condition, **more}), table, {}, tmp_path_factory.getbasetemp(), rows)


FORMULAS = [
    "a + b", "a * 1.5 - c", "a / b", "coalesce(a, b, 0)", "s || '-' || t", "upper(s)", "nullif(s, t)", "1 / 0", "'x'",
    "case when a > b then s when b > c then 'none' else null end", "cast(s as integer)", "sum(a)", "a - avg(a)", "s",
    "lag(a) over (order by b)", "extract(year from date '2026-05-01')", "char_length(s) * a", "reason(a)", "b is null",
    "round(a / 3.0, 1)", "substring(t from 2)", "a % b", "least_columns(a, b)", "power(a, 0.5)", "2 + 3",
    "greatest(s, t, 'k')", "least(a, b) + sign(c)", "initcap(s || ' ' || t)", "left(s, 2) || right(t, 2)", "whole_years(date '1990-02-28', date '2026-05-01')",
    "substring_regex('[A-Z](.)' in s group 1)", "width_bucket(a, -2, 8, 5)", "coalesce(substring_regex('x+' in t), s)",
]  # fmt: skip


AGGREGATES = [
    "a / sum(a)", "a - avg(a) filter (where b > 0)", "case when a = max(a) then s else min(t) end", "count(*)",
    "sum(a * b) - a", "count(distinct s) + count(distinct c)", "stddev_samp(c)", "median(a + c)", "corr(a, c)",
    "weighted_avg(a, b)", "first(s order by a)", "last(t)", "first(a)", "any_value(s)", "percentile_disc(a, 0.3)",
    "var_pop(b) + count(a) over (order by b)", "sum(distinct a)", "max(s) || min(t)", "avg(c) filter (where a is null)",
    "mode(s)", "mode(b) filter (where a > 0)", "count(*) filter (where s = mode(t))",
]  # fmt: skip


@given(
    numeric_tables(),
    st.sampled_from(FORMULAS + AGGREGATES),
    st.integers(1, 4),
    st.sampled_from([(), ("s",), ("b", "s"), ("c",)]),
)
def test_formulas(
    tmp_path_factory: pytest.TempPathFactory, table: comb.Table, formula: str, rows: int, by: tuple[str, ...]
) -> None:
    step = make_step("calculate", {"columns": {"made": formula}, "by": list(by)})
    check_same(step, table, {}, tmp_path_factory.getbasetemp(), rows)


@given(numeric_tables(), st.sampled_from(AGGREGATES), st.integers(1, 4), st.sampled_from([[], ["s"], ["b", "c"]]))
def test_aggregates(
    tmp_path_factory: pytest.TempPathFactory, table: comb.Table, formula: str, rows: int, by: list[str]
) -> None:
    step = make_step("aggregate", {"columns": {"made": formula}, "by": by, "sort_groups": rows > 2})
    check_same(step, table, {}, tmp_path_factory.getbasetemp(), rows)


STEPS = yaml.safe_load("""
- {step: trim, columns: string_col}
- {step: sort, by: [boolean_col, string_col desc, number_col]}
- {step: remove_duplicates, by: [boolean_col]}
- {step: recode, column: string_col, values: {Mill: Mills, n/a: null}}
- {step: replace_text, columns: string_col, old: i, new: ""}
- {step: fill, columns: string_col, from_row: above}
- {step: fill, columns: integer_col, from_group: commonest, by: boolean_col}
- {step: fill, columns: [integer_col, string_col, date_col], from_row: below, by: boolean_col, order_by: number_col}
- {step: fill, columns: [string_col, integer_col], from_group: only_value, by: [boolean_col, date_col]}
- {step: fill, columns: [integer_col, decimal_col], from_group: mean, by: string_col}
- {step: fill, columns: number_col, from_group: median}
- {step: fill, columns: number_col, in_proportion_to: date_col, by: boolean_col}
- {step: fill, columns: integer_col, on_line: [number_col], by: boolean_col}
- {step: fill, columns: [string_col, number_col], similar_in: [boolean_col, integer_col]}
- {step: fill, columns: integer_col, formula: number_col * 2, where: boolean_col is true}
- {step: fill, columns: [string_col, integer_col, boolean_col], value: "1", reasons: [blank]}
- {step: replace_values, columns: integer_col, below: "0", above: "5", value: "7"}
- {step: replace_values, columns: number_col, below: "0", above: "5", at_bound: true}
- {step: count, by: [integer_col, string_col]}
- {step: count, by: [number_col, date_col]}
- {step: convert, columns: {integer_col: string, date_col: datetime}}
- {step: convert, columns: {string_col: integer}, on_misfit: set aside}
- {step: remove_missing}
- {step: round, columns: [number_col, decimal_col], digits: 1}
- {step: pad_text, columns: string_col, width: 4}
- {step: aggregate, by: boolean_col, columns: {n: count(*), most: max(decimal_col), all: "listagg(string_col, ',')"}}
- {step: pick_rows, every: 2}
- {step: split, column: string_col, mark: i, new_columns: [one, two]}
""")


@given(tables(), st.sampled_from(STEPS), st.integers(1, 4))
def test_steps_on_all_types(
    tmp_path_factory: pytest.TempPathFactory, table: comb.Table, asked: dict[str, Any], rows: int
) -> None:
    given = dict(asked)
    try:
        step = make_step(given.pop("step"), given)
    except CombError:
        pytest.fail(f"{asked} is no step")
    check_same(step, table, {}, tmp_path_factory.getbasetemp(), rows)


@given(st.lists(st.text("abß", max_size=3), min_size=1, max_size=12), st.integers(1, 5), st.booleans())
def test_texts_taken_and_compared_block_by_block(
    tmp_path_factory: pytest.TempPathFactory, words: list[str], rows: int, coded: bool
) -> None:
    text = Text.from_items(words)
    table = comb.table(columns={"w": [word or None for word in words]})
    storage = storage_in(tmp_path_factory.getbasetemp(), rows)
    kept = kept_on_disk(table, storage)
    places = np.array([at // 2 for at in range(2 * len(words))][::-1])
    assert kept._take(places)["w"].to_list() == [words[at] or None for at in places.tolist()]
    other = text.with_codes() if coded else text
    assert other.same_texts(text).all()
    assert all(text.holds(word) and other.holds(word) for word in words) and not text.holds("abc?")
