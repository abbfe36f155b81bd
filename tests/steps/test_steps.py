"""The steps: by cases, and by laws that hold for any table."""

from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.errors import CombError
from comb.steps.accounting import take_step
from comb.steps.base import Change, Rows, Step
from comb.steps.catalogue import STEPS, fields_of, make_step
from comb.tables.table import BareTable
from support.strategies import CONDITIONS, numeric_tables, tables

ANY_STEP = st.one_of(
    CONDITIONS.map(lambda where: ("filter", {"where": where})),
    CONDITIONS.map(lambda where: ("set_aside", {"where": where})),
    st.sampled_from([
        ("select", {"columns": ["a:s"]}),
        ("select", {"columns": ["t"], "others": "after"}),
        ("rename", {"names": {"a": "A"}}),
        ("sort", {"by": ["s", "a desc"]}),
        ("calculate", {"columns": {"a": "b + 1", "new": "s || t"}}),
        ("convert", {"columns": {"s": "integer"}, "on_misfit": "set aside"}),
        ("convert", {"columns": {"*": "string"}, "missing": ["Mill", "3"]}),
        ("trim", {"inner": True}),
        ("recode", {"column": "s", "values": {"Mill": "Ridge", "mill ": None}}),
        ("fill", {"columns": ["s"], "value": "?"}),
        ("fill", {"columns": ["a", "s"], "from_row": "above"}),
        ("fill", {"columns": ["a"], "formula": "b"}),
        ("remove_duplicates", {"by": ["s"], "which": "fullest"}),
        ("remove_duplicates", {}),
        ("to_long", {"columns": ["a", "b"], "heading_column": "k", "value_column": "v", "keep_missing": False}),
        ("to_long", {"columns": ["s", "t"], "heading_column": "k", "value_column": "v"}),
    ]),
)  # fmt: skip


@given(numeric_tables(), ANY_STEP)
def test_the_ledger_of_any_step_adds_up_and_nothing_is_lost(
    table: comb.Table, asked: tuple[str, dict[str, object]]
) -> None:
    step = make_step(*asked)
    taken = take_step(step, table)
    entry = taken.entry
    assert entry.adds_up
    assert (entry.rows_in, entry.rows_out, entry.set_aside) == (
        len(table),
        len(taken.table),
        len(taken.aside),
    )
    assert len(taken.reasons) == len(taken.aside)
    for name, count in entry.cells_changed.items():
        assert 0 < count <= len(taken.table) and name in taken.table
    assert set(taken.table.row_numbers) <= set(table.row_numbers)
    if step.accounting is Rows.SAME and not entry.set_aside and not entry.moved:
        assert taken.table.row_numbers.tolist() == table.row_numbers.tolist()


@given(numeric_tables(), CONDITIONS)
def test_a_condition_its_opposite_and_the_unknown_are_all_rows(table: comb.Table, condition: str) -> None:
    true = table.filter(condition).row_numbers
    false = table.filter(f"not ({condition})").row_numbers
    entry = table.filter(condition).ledger[0]
    unknown = len(table) - len(true) - len(false)
    assert not set(true) & set(false)
    assert any(note.startswith(f"{unknown:,} of") for note in entry.notes) == (unknown > 0)
    aside = table.set_aside(condition)
    assert sorted([*true, *aside.row_numbers]) == table.row_numbers.tolist()


@given(
    tables(),
    st.sampled_from(["string_col", "integer_col", "number_col", "decimal_col", "date_col", "boolean_col"]),
)
def test_sorting_is_stable_and_puts_missing_last_in_both_directions(table: comb.Table, name: str) -> None:
    for direction, reverse in (("", False), (" desc", True)):
        cells = list(zip(table[name].to_list(), table.row_numbers.tolist(), strict=True))
        present = sorted((cell for cell in cells if cell[0] is not None), key=lambda cell: cell[0], reverse=reverse)
        expected = present + [cell for cell in cells if cell[0] is None]
        result = table.sort(name + direction)
        assert list(zip(result[name].to_list(), result.row_numbers.tolist(), strict=True)) == expected


@given(tables())
def test_doing_it_twice_changes_nothing_more(table: comb.Table) -> None:
    for step in ("trim", "remove_duplicates"):
        once = table.take_step(make_step(step, {}))
        again = once.take_step(make_step(step, {}))
        assert again.equals(once) and again.ledger[-1].counts() == "nothing changed"


@given(tables(min_rows=1))
def test_stacked_twice_and_reduced_gives_back_each_row_once(table: comb.Table) -> None:
    doubled = table._take(np.repeat(np.arange(len(table)), 2))
    assert doubled.remove_duplicates().equals(table.remove_duplicates())


@given(numeric_tables())
def test_long_form_holds_every_cell_once(table: comb.Table) -> None:
    long = table.to_long(["a", "b", "c"], heading_column="k", value_column="v")
    rows = list(zip(long.row_numbers.tolist(), long["k"].to_list(), long["v"].to_list(), strict=True))
    assert rows == [(row, name, table[name].to_list()[row - 1]) for row in table.row_numbers for name in "abc"]
    short = table.to_long(["a", "b", "c"], heading_column="k", value_column="v", keep_missing=False)
    assert short["v"].to_list() == [value for _, _, value in rows if value is not None]


VISITS = comb.table(
    columns={
        "visit": [1, 2, 2, 3, 3],
        "apiary": [" Mill", "Ridge", "Ridge", None, "Old  Mill"],
        "mites": [3, None, None, 999, 5],
        "kg": [Decimal("1.5"), Decimal("2.0"), Decimal("2.0"), None, Decimal("0.5")],
    }
)


@pytest.mark.parametrize(
    ("step", "parameters", "column", "values", "counts"),
    [
        ("trim", {}, "apiary", ["Mill", "Ridge", "Ridge", None, "Old  Mill"], "1 cell changed"),
        ("trim", {"inner": "true"}, "apiary", ["Mill", "Ridge", "Ridge", None, "Old Mill"], "2 cells changed"),
        ("recode", {"column": "mites", "values": {"999": None}}, "mites", [3, None, None, None, 5], "1 cell changed"),
        ("recode", {"column": "apiary", "values": {"ridge": "R"}, "ignore": "case"}, "apiary", [" Mill", "R", "R", None, "Old  Mill"], "2 cells changed"),
        ("recode", {"column": "apiary", "values": {"Ridge": "R"}, "others": "clear"}, "apiary", [None, "R", "R", None, None], "4 cells changed"),
        ("convert", {"columns": {"mites": "integer"}, "missing": "999"}, "mites", [3, None, None, None, 5], "1 cell changed"),
        ("fill", {"columns": "mites", "value": "0"}, "mites", [3, 0, 0, 999, 5], "2 cells changed"),
        ("fill", {"columns": "mites", "from_row": "below"}, "mites", [3, 999, 999, 999, 5], "2 cells changed"),
        ("fill", {"columns": "kg", "formula": "visit"}, "kg", [Decimal("1.5"), Decimal("2.0"), Decimal("2.0"), Decimal("3.0"), Decimal("0.5")], "1 cell changed"),
        ("fill", {"columns": "apiary", "value": "?", "reasons": "cleared"}, "apiary", [" Mill", "Ridge", "Ridge", None, "Old  Mill"], "nothing changed"),
        ("remove_duplicates", {}, "visit", [1, 2, 3, 3], "1 row merged"),
        ("remove_duplicates", {"by": "visit"}, "mites", [3, None, 999], "1 row set aside, 1 row merged"),
        ("remove_duplicates", {"by": "visit", "which": "last"}, "mites", [3, None, 5], "1 row set aside, 1 row merged"),
        ("remove_duplicates", {"by": "visit", "which": "fullest"}, "mites", [3, None, 5], "1 row set aside, 1 row merged"),
        ("filter", {"where": "mites > 3"}, "mites", [999, 5], "3 rows left out"),
        ("sort", {"by": "visit desc"}, "visit", [3, 3, 2, 2, 1], "5 rows moved"),
        ("calculate", {"columns": {"kg": "kg * 2", "x": "kg + 1"}}, "x", [Decimal("4.0"), Decimal("5.0"), Decimal("5.0"), None, Decimal("2.0")], "4 cells changed, new: x"),
        ("rename", {"names": {"kg": "weight"}}, "weight", VISITS["kg"].to_list(), "kg is now called weight"),
        ("select", {"leave_out": "*s"}, "visit", [1, 2, 2, 3, 3], "dropped: mites"),
        ("select", {"columns": "kg", "others": "after"}, "kg", VISITS["kg"].to_list(), "nothing changed"),
    ],
)  # fmt: skip
def test_steps(step: str, parameters: dict[str, object], column: str, values: list[object], counts: str) -> None:
    result = VISITS.take_step(make_step(step, parameters))
    assert result[column].to_list() == values
    assert result.ledger[-1].counts() == counts


def test_why_a_row_or_cell_is_gone_is_written_down() -> None:
    taken = take_step(make_step("remove_duplicates", {"by": ["visit"]}), VISITS)
    assert taken.aside.row_numbers.tolist() == [5]
    assert taken.reasons == ("same visit as row 4, but differs elsewhere",)
    cleared = VISITS.recode("mites", {999: None})
    assert cleared["mites"].reasons() == [None, "blank", "blank", "cleared", None]
    marked = VISITS.convert({"mites": "integer"}, missing=[999])
    assert marked["mites"].reasons()[3] == "marker" and marked["mites"].kept.texts == {3: "999"}
    assert [example.before for example in marked.ledger[0].examples] == ["999"]
    assert [example.after for example in marked.ledger[0].examples] == ["(marker) '999'"]


@pytest.mark.parametrize(
    ("step", "parameters", "message"),
    [
        ("filtr", {}, "did you mean 'filter'"),
        ("filter", {"were": "x"}, "did you mean 'where'"),
        ("filter", {}, "needs 'where'"),
        ("recode", {"column": "kg", "values": {"a": "b"}, "others": "drop"}, "expected keep or clear, got 'drop'"),
        ("trim", {"inner": "maybe"}, "inner"),
        ("fill", {"columns": "kg"}, "expected one of value, formula, from_row"),
        ("fill", {"columns": "kg", "value": "x"}, "'x' is no decimal"),
        ("fill", {"columns": "apiary", "formula": "kg"}, "is string, the result is decimal"),
        ("fill", {"columns": "kg", "value": "1", "reasons": "empty"}, "allowed: blank, marker"),
        ("rename", {"names": {"kg": "visit"}}, "would stand 2 times"),
        ("rename", {"names": {"Kg": "x"}}, "did you mean 'kg'"),
        ("select", {"columns": ["x", "y"]}, "'y'"),
        ("select", {"leave_out": "*"}, "no column would be left"),
        ("select", {"of_type": "text"}, "there is no type 'text'"),
        ("convert", {"columns": {"kg": "numeric(10, 0)"}}, "here it is 'integer'"),
        ("calculate", {"columns": {"x": "cast(kg as float)"}}, "here it is 'number'; allowed: "),
        ("sort", {"by": "mites down"}, "'mites down'"),
        ("trim", {"columns": "kg"}, "'kg' is decimal"),
        ("to_long", {"columns": ["kg", "apiary"], "heading_column": "k", "value_column": "v"}, "one column holds one type"),
        ("to_long", {"columns": ["kg"], "heading_column": "visit", "value_column": "v"}, "there would be two"),
        ("convert", {"columns": {"apiary": "integer"}, "on_misfit": "stop"}, "4 rows do not fit"),
        ("convert", {"columns": {"apiary": "number"}, "decimal_mark": ",", "group_mark": ","}, "both ','"),
        ("convert", {"columns": {"apiary": "number"}, "decimal_mark": "::"}, "one character"),
    ],
)  # fmt: skip
def test_slips_are_answered_before_a_row_is_touched(step: str, parameters: dict[str, object], message: str) -> None:
    with pytest.raises(CombError) as caught:
        VISITS.take_step(make_step(step, parameters))
    assert message in str(caught.value).replace("Invalid", "invalid")


def test_a_step_that_loses_rows_is_caught() -> None:
    class Broken(Step, frozen=True, tag="broken"):
        def apply(self, table: BareTable) -> Change:
            return Change(table._take(np.array([0])), np.array([0]))

        def describe(self) -> str:
            return "lose rows"

    with pytest.raises(CombError, match="do not add up: 5 in, 1 out, 0 set aside, 4 not accounted for"):
        take_step(Broken(), VISITS)


def test_every_step_has_a_method_that_takes_its_parameters() -> None:
    for name, kind in STEPS.items():
        method = getattr(comb.Table, name)
        given_names = set(method.__annotations__) - {"return"}
        # The second table of a step is given itself, not by name.
        if "table" in fields_of(kind):
            second = ("others",) if name == "stack_tables" else ("other",)
            given_names = {"table" if one in second else one for one in given_names}
        # One type for several columns is written out in the step.
        given_names -= {"to"} if name == "convert" else set()
        # A plan lists steps that are not taken; who calls a method wants it taken.
        assert set(fields_of(kind)) - {"active"} == given_names, name
        assert kind.__doc__ and method.__doc__
