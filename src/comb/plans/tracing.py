"""Trace a cell of a plan, or of a dataset folder that a plan made.

Of a plan, the run is done once more without writing, and the history is read off the records of its steps: this knows
everything, and costs a run. Of a folder, what the run wrote down is enough for most cells; only where it is not is the
plan in the folder run once more. Rows are those of the source.
"""

from collections.abc import Iterator, Mapping
from pathlib import Path

from msgspec.structs import replace

from comb.errors import ParameterError, SourceMissing, listing, unknown_name
from comb.plans.folder_tracing import FolderTable
from comb.plans.model import PlanText
from comb.plans.outcome import Outcome
from comb.plans.rules import RuleResult
from comb.plans.run import open_plan, run_plan
from comb.reading.source_texts import cell_text
from comb.steps.trace import History, RuleCheck, Trace
from comb.tables.table import BareTable
from comb.writing.dataset import PLAN


def trace_place(path: Path, row: int, column: str, table: str | None = None) -> list[Trace]:
    """Return the history of a cell, from a plan file or a dataset folder.

    Parameters
    ----------
    path : Path
    row : int
        Row number in the source.
    column : str
    table : str, optional
        Of the plan; needed where it has several.

    Raises
    ------
    CombError
        If there is no such plan, table, row or column.
    """
    if not path.is_dir():
        return trace_plan(open_plan(path), row, column, table)
    if not (path / "ledger.jsonl").is_file() or not (path / PLAN).is_file():
        raise SourceMissing(
            f"{path} is not a dataset folder: ledger.jsonl and {PLAN} are not in it",
            remedy="name a folder that comb run has made, or a plan",
        )
    plan = open_plan(path / PLAN)
    told = FolderTable(path, plan, table, column)
    return told.trace(row, column) or trace_plan(plan, row, column, told.name)


def trace_plan(plan: PlanText, row: int, column: str, table: str | None = None) -> list[Trace]:
    """Return the history of a cell by running a plan without writing."""
    return trace_outcome(run_plan(plan, dry_run=True), row, column, table)


def trace_outcome(outcome: Outcome, row: int, column: str, table: str | None = None) -> list[Trace]:
    """Return the history of a cell of a run that was not written."""
    name = _table_of(table, outcome.tables, column)
    history = History.of(outcome.history(name), outcome.tables[name], outcome.loaded_for(name))
    found = history.trace_source(row, column)
    return [replace(one.with_texts(lambda cell: cell_text(*cell)), rules=_rules(outcome, name, one)) for one in found]


def _table_of(wanted: str | None, tables: Mapping[str, BareTable], column: str) -> str:
    """Return the table that is meant: the one named, the only one, or the only one with the column."""
    if wanted is not None:
        if wanted not in tables:
            what, remedy = unknown_name("table", wanted, list(tables))
            raise ParameterError(what, remedy=remedy)
        return wanted
    some = [name for name, one in tables.items() if column in one] or list(tables)
    if len(some) > 1:
        raise ParameterError(
            f"{column} is in {len(some)} tables: {listing(some)}", remedy=f"name one: --table {some[0]}"
        )
    return some[0]


def _rules(outcome: Outcome, name: str, trace: Trace) -> tuple[RuleCheck, ...]:
    # A row that did not come out was not held against the rules.
    return () if trace.fate else tuple(_checks(outcome.rules[name], trace.row))


def _checks(results: list[RuleResult], row: int) -> Iterator[RuleCheck]:
    for result in results:
        word = result.of_row(row)
        if word:
            yield RuleCheck(result.rule.says, word)
