"""Run a plan: load the sources, take the steps, check the rules, save what was asked for.

Tables are worked on in the order of the plan; one may build on those above it. Each is loaded as its ``reading:``
says, its steps are taken one after the other, and its rules are checked on the result. A rule is a condition every
row has to meet: rows for which it is false are broken, rows for which it is unknown are not checked, and what
happens is the plan's to say: report them, set them aside (which is a step like any other, with its entry in the
ledger), or stop.

Nothing is written before everything has succeeded. Whether the outputs can be written is found out before any work,
since a run may take long. An error in a step says the file and line of the plan, the number of the step and its
name.
"""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from types import MappingProxyType
from typing import Any

import msgspec
import numpy as np

from comb.errors import CombError, ParameterError, PlanError, unknown_name
from comb.kernels.grouping import Codes
from comb.plans.model import PlanText, TablePlan
from comb.plans.name_check import check_names, place_of_rule, place_of_step
from comb.plans.outputs import place_of, reserve_outputs, write_outputs
from comb.plans.parse import read_plan
from comb.plans.rules import BrokenAside, BrokenMarked, RuleResult, check_rule, stopped
from comb.reading.io.beside import CHECKSUMS
from comb.reading.io.source_file import read_whole
from comb.reading.load import load_table
from comb.reading.source_texts import source_texts
from comb.steps.accounting import Taken, ledger_of, take_step
from comb.steps.ledger import Entry, total
from comb.tables.names import check_known
from comb.tables.origin import Origin
from comb.tables.table import BareTable
from comb.writing.atomic import Output
from comb.writing.dataset import PLAN


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a plan came to.

    Attributes
    ----------
    tables : dict of str to table
        After all steps.
    taken : dict of str to list of Taken
        The steps of each table, in order.
    rules : dict of str to list of RuleResult
    saved : list of str
        Paths written.
    sources : dict of str to Origin
        Of each table that was loaded.
    messages : list of str
        What is odd about the sources: one is not what it was, or is a result of this plan.
    begun_from : dict of str to str
        For a table that builds on another the name of that.
    """

    tables: dict[str, Any] = field(default_factory=dict)
    taken: dict[str, list[Taken]] = field(default_factory=dict)
    rules: dict[str, list[RuleResult]] = field(default_factory=dict)
    saved: list[str] = field(default_factory=list)
    sources: dict[str, Origin] = field(default_factory=dict)
    messages: list[str] = field(default_factory=list)
    begun_from: dict[str, str] = field(default_factory=dict)

    def history(self, name: str) -> list[Taken]:
        """Return all steps that led to a table, those of the table it builds on first."""
        begun = self.begun_from.get(name)
        return [*(self.history(begun) if begun else []), *self.taken[name]]

    @property
    def ledger(self) -> dict[str, list[Entry]]:
        """What became of the lines of each source, and what each step of each table did."""
        return {name: ledger_of(name, steps, self.sources) for name, steps in self.taken.items()}

    @property
    def adds_up(self) -> bool:
        """Whether every step, and every table in total, accounts for all of its rows."""
        return all(
            all(entry.adds_up for entry in entries) and (not entries or total(entries).adds_up)
            for entries in self.ledger.values()
        )

    @property
    def broken(self) -> int:
        """How many rows break a rule."""
        return sum(result.broken for results in self.rules.values() for result in results)


def open_plan(path: str | Path) -> PlanText:
    """Read a plan file.

    Raises
    ------
    ReadError, PlanError
        If it is not there, no text, or no plan.
    """
    data = read_whole(path)
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise PlanError("expected a plan in UTF-8 text, these bytes are not", where=str(path)) from None
    return read_plan(text, str(path), str(Path(path).parent))


@dataclass(frozen=True, slots=True)
class Run:
    """What a run is given besides its plan.

    Attributes
    ----------
    progress : callable
    as_of : date or None
    without : collection of int
        Steps that are not taken this time.
    until : int or None
        The last step that is taken.
    """

    progress: Callable[[str], None]
    as_of: date | None = None
    without: Collection[int] = ()
    until: int | None = None

    def leaves_out(self, number: int) -> bool:
        """Return whether a step is not taken this time."""
        return number in self.without or (self.until is not None and number > self.until)


def run_plan(
    plan: PlanText,
    *,
    overwrite: bool = False,
    dry_run: bool = False,
    write_outside: bool = False,
    as_of: date | None = None,
    sources: Mapping[str, str] = MappingProxyType({}),
    without: Collection[int] = (),
    until: int | None = None,
    progress: Callable[[str], None] = lambda text: None,
) -> Outcome:
    """Run a plan.

    Parameters
    ----------
    plan : PlanText
    overwrite : bool
        Whether existing datasets may be replaced.
    dry_run : bool
        Do everything but write.
    write_outside : bool
        Whether the plan may write outside its own folder.
    as_of : date, optional
        The day of the run: what ``current_date`` means in rules, and what the record is dated.
    sources : mapping of str to str
        Other files for tables of the plan, by paths that do not begin at the plan.
    without : collection of int
        Numbers of steps that are not taken this time.
    until : int, optional
        The number of the last step that is taken.
    progress : callable
        Called with a one-line progress message.

    Returns
    -------
    Outcome

    Raises
    ------
    CombError
        If a source, a step or an output fails; nothing was written then.
    """
    outcome = Outcome()
    plan = with_sources(plan, sources)
    _check_numbers(plan, without, until)
    with Output() as output:
        if not dry_run:
            reserve_outputs(plan, output, overwrite=overwrite, write_outside=write_outside)
            outcome.messages.extend(output.messages)
        loaded = {
            name: _load(plan, name, table, outcome, progress)
            for name, table in plan.tables.items()
            if not table.from_table
        }
        check_names(plan, loaded, as_of)
        run = Run(progress, as_of, without, until)
        for name, table in plan.tables.items():
            if table.from_table:
                outcome.begun_from[name] = table.from_table
            begun = outcome.tables[table.from_table] if table.from_table else loaded.pop(name)
            _run_table(plan, name, table, begun, outcome, run)
        if not dry_run and plan.save:
            progress(f"saving {', '.join(save.to for save in plan.save)}")
            day = "" if as_of is None else as_of.isoformat()
            outcome.saved.extend(
                write_outputs(plan, output, outcome.tables, outcome.taken, outcome.sources, outcome.rules, day)
            )
    return outcome


def with_sources(plan: PlanText, sources: Mapping[str, str]) -> PlanText:
    """Return a plan with other files as the sources of some of its tables.

    Raises
    ------
    ParameterError
        If there is no such table, or it has no source of its own.
    """
    tables = dict(plan.tables)
    for name, path in sources.items():
        if name not in tables:
            what, remedy = unknown_name("table", name, list(tables))
            raise ParameterError(what, remedy=remedy)
        if tables[name].from_table:
            raise ParameterError(
                f"{name} is made from the table {tables[name].from_table}, it has no source of its own"
            )
        tables[name] = msgspec.structs.replace(tables[name], source=str(Path(path).resolve()), checksum="")
    return msgspec.structs.replace(plan, tables=tables)


def _check_numbers(plan: PlanText, without: Collection[int], until: int | None) -> None:
    most = max((len(table.steps) for table in plan.tables.values()), default=0)
    for number in (*without, *(() if until is None else (until,))):
        if not 1 <= number <= most:
            raise ParameterError(f"there is no step {number}: the plan has {most}", remedy="steps are numbered from 1")


def _load(
    plan: PlanText, name: str, planned: TablePlan, outcome: Outcome, progress: Callable[[str], None]
) -> BareTable:
    files = [planned.source] if isinstance(planned.source, str) else planned.source
    progress(f"loading {', '.join(files)}")
    options = planned.reading
    if options.schema:
        options = options.replace(schema=str(place_of(plan, options.schema)))
    places = [place_of(plan, one) for one in files]
    table = load_table(places[0] if isinstance(planned.source, str) else places, options)
    outcome.sources[name] = table.origin
    outcome.messages.extend(_own_result(one) for one in places if _is_own_result(plan, one))
    if planned.checksum and planned.checksum != table.origin.checksum:
        outcome.messages.append(f"{table.origin.name} is not the source this plan was saved with: its bytes differ")
    return table


def _run_table(plan: PlanText, name: str, planned: TablePlan, table: BareTable, outcome: Outcome, run: Run) -> None:
    taken: list[Taken] = []
    for number, step in enumerate(planned.steps, 1):
        run.progress(f"{name}, step {number}: {step.name}")
        if run.leaves_out(number):
            step = msgspec.structs.replace(step, active=False)
        try:
            taken.append(take_step(step, table, outcome.tables, source_texts))
        except CombError as error:
            error.where = place_of_step(plan, name, planned, number, error.where)
            # What is odd about the source is the likelier cause.
            error.remedy = "; ".join(outcome.messages) or error.remedy
            raise
        table = taken[-1].table
    results = []
    marked: dict[str, Codes] = {}
    for number, rule in enumerate(planned.rules, 1):
        try:
            result = check_rule(rule, table, outcome.tables, run.as_of)
        except CombError as error:
            error.where = place_of_rule(plan, name, planned, number, error.where)
            raise
        results.append(result)
        if not result.broken:
            continue
        if rule.otherwise == "stop":
            stop = stopped(result, table)
            stop.where = place_of_rule(plan, name, planned, number, None)
            raise stop
        if rule.otherwise == "set aside":
            taken.append(take_step(BrokenAside(rows=result.positions.tolist(), says=rule.says, why=rule.why), table))
            stays = np.ones(table.row_count, np.bool_)
            stays[result.positions] = False
            # Rows that are to be marked have moved up.
            moved = np.cumsum(stays) - 1
            marked = {says: moved[rows[stays[rows]]] for says, rows in marked.items()}
            table = taken[-1].table
        elif rule.otherwise == "mark":
            marked[rule.says] = result.positions
    if marked:
        rows = [positions.tolist() for positions in marked.values()]
        taken.append(take_step(BrokenMarked(rows=rows, says=list(marked)), table))
        table = taken[-1].table
    table = described(table, planned)
    outcome.tables[name], outcome.taken[name], outcome.rules[name] = table, taken, results


def described(table: BareTable, planned: TablePlan) -> BareTable:
    """Return a table whose columns have the descriptions that a plan gives."""
    columns = dict(table.columns)
    for name, text in planned.describe.items():
        columns[check_known(name, table.names)] = table[name]._replace(description=text.says)
    return table._derive(columns) if planned.describe else table


def _is_own_result(plan: PlanText, source: Path) -> bool:
    """A source in a dataset folder that this plan saves, or that it was saved in."""
    folder = source.parent.resolve()
    if not (folder / CHECKSUMS).is_file():
        return False
    # The plan of a dataset folder has its own name there; others in it may go on from its tables.
    of_folder = Path(plan.folder).resolve() if Path(plan.name).name == PLAN else None
    return folder in {of_folder, *(place_of(plan, one.to).resolve() for one in plan.save)}


def _own_result(source: Path) -> str:
    return f"{source.name} is a result of this plan, not its source: it was tidied before"
