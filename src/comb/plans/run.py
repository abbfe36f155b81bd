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
from datetime import date
from pathlib import Path
from types import MappingProxyType

import msgspec
import numpy as np

from comb.errors import CombError, ParameterError, PlanError
from comb.execution.progress import Progress
from comb.execution.resources import DEFAULT, Resources
from comb.kernels.grouping import Codes
from comb.plans.model import PlanText, TablePlan
from comb.plans.name_check import check_names, place_of_rule, place_of_step
from comb.plans.outcome import Outcome
from comb.plans.outputs import refusals, reserve_outputs, write_outputs
from comb.plans.parse import read_plan
from comb.plans.pictures import draw_pictures
from comb.plans.rules import BrokenAside, BrokenMarked, check_rule, stopped
from comb.plans.sources import (
    answers_of,
    compared_with_before,
    load_planned,
    renaming_hint,
    saved_elsewhere,
    with_sources,
)
from comb.plans.yaml_source import DATA_IS_NO_PLAN
from comb.reading.io.source_file import read_whole
from comb.reading.source_texts import source_texts
from comb.steps.accounting import Taken, take_step
from comb.tables.names import check_known
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable
from comb.writing.atomic import Output


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
        raise PlanError(
            "expected a plan in UTF-8 text, these bytes are not", where=str(path), remedy=DATA_IS_NO_PLAN
        ) from None
    return read_plan(text, str(path), str(Path(path).parent))


class Run(msgspec.Struct, frozen=True):
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
    save_to: str | None = None,
    progress: Callable[[str], None] = lambda text: None,
    resources: Resources = DEFAULT,
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
    save_to : str, optional
        Where the result goes, and not where the plan says.
    progress : callable
        Called with a one-line progress message.
    resources : Resources
        How the work is divided, and where tables are kept.

    Returns
    -------
    Outcome

    Raises
    ------
    CombError
        If a source, a step or an output fails; nothing was written then.
    """
    made_on, plan = plan, with_sources(plan, sources)
    outcome = Outcome(plan=plan)
    if save_to is not None:
        plan, write_outside = saved_elsewhere(plan, save_to), True
    _check_numbers(plan, without, until)
    with Output() as output:
        if not dry_run:
            reserve_outputs(plan, output, overwrite=overwrite, write_outside=write_outside)
            outcome.messages.extend(output.messages)
        else:
            outcome.refusals.extend(refusals(plan, overwrite=overwrite, write_outside=write_outside))
        loaded: dict[str, BareTable] = {}
        read_as: dict[str, ReadOptions] = {}
        for name in [name for name, table in plan.tables.items() if not table.from_table]:
            loaded[name], read_as[name] = load_planned(plan, name, outcome.messages, progress, resources, made_on)
        plan = msgspec.structs.replace(plan, read_as={name: read_as[name] for name in plan.replaced})
        outcome.sources.update({name: table.origin for name, table in loaded.items()})
        for name in sources:
            compared = compared_with_before(made_on, name, loaded[name], outcome.messages, progress, resources)
            if compared is not None:
                outcome.comparisons[name] = compared
        try:
            check_names(plan, loaded, as_of)
        except CombError as error:
            if not outcome.comparisons:
                raise
            failed = PlanError(error.what, where=error.where, remedy=renaming_hint(outcome.comparisons) or error.remedy)
            failed.differences = tuple(line for one in outcome.comparisons.values() for line in one.lines())
            raise failed from None
        if dry_run:
            outcome.loaded.update(loaded)
        run = Run(progress, as_of, without, until)
        for name, table in plan.tables.items():
            if table.from_table:
                outcome.begun_from[name] = table.from_table
            begun = outcome.tables[table.from_table] if table.from_table else loaded.pop(name)
            _run_table(plan, name, table, begun, outcome, run)
        if any(table.pictures for table in plan.tables.values()):
            progress("drawing pictures")
            outcome.pictures.extend(draw_pictures(plan, outcome.tables))
        if not dry_run and plan.save:
            progress(f"saving {', '.join(save.to for save in plan.save)}")
            day = "" if as_of is None else as_of.isoformat()
            outcome.saved.extend(write_outputs(plan, output, outcome, day))
    return outcome


def _check_numbers(plan: PlanText, without: Collection[int], until: int | None) -> None:
    most = max((len(table.steps) + bool(table.answers) for table in plan.tables.values()), default=0)
    for number in (*without, *(() if until is None else (until,))):
        if not 1 <= number <= most:
            raise ParameterError(f"there is no step {number}: the plan has {most}", remedy="steps are numbered from 1")


def _run_table(plan: PlanText, name: str, planned: TablePlan, table: BareTable, outcome: Outcome, run: Run) -> None:
    taken: list[Taken] = []
    answers = answers_of(plan, name, table)
    if answers is not None:
        outcome.messages.extend(answers.misfits)
        outcome.answers[name] = answers
        taken.append(take_step(answers.step, table))
        table = taken[-1].table
    for number, step in enumerate(planned.steps, 1):
        message = f"{name}, step {number} of {len(planned.steps)}: {step.name}"
        run.progress(Progress(message, number - 1, len(planned.steps), "step"))
        # The ledger counts the answers as a step, the first one.
        if run.leaves_out(number + bool(planned.answers)):
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
