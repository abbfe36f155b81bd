"""All slips of a plan at once, before a row is touched: its steps and rules are taken on tables without rows.

A table without rows has all columns and types, and a step on it costs nothing: what it names and does not find, and
what does not fit by its type, is found as it would be with all rows. What depends on values is not: a cell to be
corrected, the headings that a step makes of values. After such a step the columns are unknown, and the rest of the
table is not checked. After a step that failed, columns that it would have made are not missed.
"""

from collections.abc import Mapping
from datetime import date
from typing import Any

import msgspec
import numpy as np

from comb.errors import ColumnError, CombError
from comb.plans.model import PlanText, TablePlan
from comb.plans.rules import check_rule
from comb.plans.slips import together
from comb.steps.accounting import take_step
from comb.steps.base import Step
from comb.steps.repair_steps import Correct
from comb.tables.column import Column
from comb.tables.names import check_known
from comb.tables.table import BareTable


def check_names(plan: PlanText, loaded: Mapping[str, BareTable], as_of: date | None = None) -> None:
    """Raise a PlanError with all slips in the steps and rules of a plan.

    Parameters
    ----------
    plan : PlanText
    loaded : mapping of str to BareTable
        The sources.
    as_of : date, optional

    Raises
    ------
    CombError
        A single slip as it is; several in one message, each with file, line and remedy.
    """
    empty: dict[str, BareTable] = {}
    found: list[CombError] = []
    for name, planned in plan.tables.items():
        begun = empty.get(planned.from_table) if planned.from_table else without_rows(loaded[name])
        if begun is not None:
            _check_table(plan, name, planned, begun, empty, found, as_of)
    if found:
        raise together(found)


def without_rows(table: BareTable) -> BareTable:
    """Return a table with the columns of another and no rows."""
    return table._take(np.zeros(0, np.int64))


def _check_table(
    plan: PlanText, name: str, planned: TablePlan, table: BareTable, empty: dict[str, BareTable],
    found: list[CombError], as_of: date | None,
) -> None:  # fmt: skip
    unsure: set[str] = set()
    for number, step in enumerate(planned.steps, 1):
        if not step.active:
            continue
        if step.depends_on_values:
            return
        if step.other_table and step.other_table not in empty:
            return
        try:
            if isinstance(step, Correct):
                _check_correct(step, table)
                continue
            # No bound is exceeded without rows.
            table = take_step(msgspec.structs.replace(step, at_most=None), table, empty, _no_texts).table
        except CombError as error:
            if not _follows(error, unsure):
                error.where = place_of_step(plan, name, planned, number, error.where)
                found.append(error)
            unsure |= _names_in(step)
    for number, rule in enumerate(planned.rules, 1):
        if rule.found_in and rule.found_in not in empty:
            continue
        try:
            check_rule(rule, table, empty, as_of)
        except CombError as error:
            if not _follows(error, unsure):
                error.where = place_of_rule(plan, name, planned, number, error.where)
                found.append(error)
    for column in planned.describe:
        try:
            check_known(column, table.names)
        except ColumnError as error:
            if not _follows(error, unsure):
                error.where = f"{plan.name}, describe" if plan.name else f"{name}, describe"
                found.append(error)
    if not unsure:
        empty[name] = table


def _no_texts(table: BareTable, name: str) -> Column:
    """Return the texts of a column without rows, for steps that read them in another way."""
    return Column._of_strings([])


def _check_correct(step: Correct, table: BareTable) -> None:
    for name in (step.column, *step.key):
        check_known(name, table.names)


def _follows(error: CombError, unsure: set[str]) -> bool:
    """Return whether an error only misses what a step before would have made."""
    return any(f"'{name}'" in error.what for name in unsure)


def _names_in(step: Step) -> set[str]:
    """Return every text in a step that may be the name of a column it makes."""
    found: set[str] = set()

    def collect(value: Any) -> None:
        if isinstance(value, str):
            found.add(value)
        elif isinstance(value, dict):
            for key, inner in value.items():
                collect(key)
                collect(inner)
        elif isinstance(value, list):
            for inner in value:
                collect(inner)

    collect(msgspec.to_builtins(step))
    return found


def place_of_step(plan: PlanText, name: str, planned: TablePlan, number: int, inner: str | None) -> str:
    """Say where a step is in a plan: file, line, number and kind; or table, number and kind."""
    line = planned.lines[number - 1] if planned.lines else None
    where = f"{plan.name}, line {line}, step {number}" if line else f"{name}, step {number}"
    return f"{where} ({planned.steps[number - 1].name})" + (f", {inner}" if inner else "")


def place_of_rule(plan: PlanText, name: str, planned: TablePlan, number: int, inner: str | None) -> str:
    """Say where a rule is in a plan."""
    line = planned.rule_lines[number - 1] if planned.rule_lines else None
    where = f"{plan.name}, line {line}, rule {number}" if line else f"{name}, rule {number}"
    return where + (f", {inner}" if inner else "")
