"""A draft plan: the types that were seen, and the remedies of the findings, none of which does harm by itself.

Each remedy is tried on the table as the steps before it leave it. One that changes nothing is not written. One that
is certain is a step: spaces, characters that cannot be seen, texts decoded again, exact copies, numbers whose unit is
proven. All others, and whatever empties cells or
drops rows or columns, are written as steps with ``active: false``: listed with counts and examples, taken only if a
person says so. Columns are dropped last, so that a step which is made active breaks none below it. Findings without a
remedy are comments at the end, so that none is forgotten.
"""

import os
import textwrap
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec
import numpy as np

from comb.errors import CombError, washed
from comb.plans.model import Save, TablePlan, name_of, write_plan
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding
from comb.profiling.profile import Profile, in_order_of_repair
from comb.profiling.text_types import text_types
from comb.steps.accounting import Taken, take_step
from comb.steps.base import Step
from comb.steps.shape_steps import Split
from comb.tables.origin import DELIMITED
from comb.tables.table import BareTable

HEAD = """\
# A draft: every step below is the remedy of a finding. Steps with 'active: false' are listed but not
# taken: they empty cells, drop rows or columns, or are a guess. Where one is right, delete that line;
# delete what is wrong. Then try it: comb run PLAN --dry-run
"""

# Characters in a line of comment.
WIDTH = 98

# Findings whose remedy is right without a person's saying so, as long as it empties and drops nothing.
CERTAIN = frozenset({
    "text.spaces", "text.invisible", "text.mixed_scripts", "text.apostrophe", "text.encoding", "text.case",
    "duplicate.rows", "type.units", "type.multipliers", "type.text_numbers", "type.text_dates",
    "type.text_booleans", "type.degrees", "type.enclosed", "type.with_words", "type.compound_units", "type.ordinals",
    "text.log_lines", "text.number_pairs", "text.moment_pairs", "column.name",
})  # fmt: skip


class Draft(NamedTuple):
    """A draft plan.

    Attributes
    ----------
    text : str
        YAML.
    active, inactive : int
        Steps that are taken, and those that are only listed.
    undecided : int
        Findings without a remedy: listed at the end, with what a person can do.
    """

    text: str
    active: int
    inactive: int
    undecided: int = 0


def draft_plan(table: BareTable, profile: Profile, folder: Path) -> Draft:
    """Write the remedies of a profile as a plan.

    Parameters
    ----------
    table : BareTable
        As loaded.
    profile : Profile
    folder : Path
        Where the plan will stand; its source is named relative to it.

    Returns
    -------
    Draft
        Types are pinned, so that next month's file is read in the same way. Cost: each remedy is
        taken once.
    """
    steps = _steps(table, profile)
    origin = table.origin
    types = {name: str(kind) for name, kind in table.types.items()}
    # Of tables that are read below each other, types would be declared for each, under its own names.
    below = bool(origin.sources) and origin.kind != DELIMITED
    reading = origin.options if below else origin.options.replace(types=types)
    name = Path(origin.name).stem if origin.path else name_of(origin.source)
    source = [os.path.relpath(path, folder) for path in origin.paths] or os.path.relpath(origin.path, folder)
    # The profile knows no column with the names of files; where it is wanted, a person names it.
    planned = TablePlan(source=source, reading=reading, file_column="" if origin.sources else None, steps=steps)
    undecided = [finding for finding in in_order_of_repair(profile.findings) if finding.by_hand]
    text = HEAD + write_plan({name: planned}, save=[Save(to=f"{name}-result")]) + _listed(undecided)
    active = sum(step.active for step in steps)
    return Draft(text, active, len(steps) - active, len(undecided))


def _listed(findings: Sequence[Finding]) -> str:
    """Write findings without a remedy as comments."""
    lines = ["", "Without a step, since what is right the values do not say:"] if findings else []
    for finding in findings:
        said = f"{finding.code}: {finding.text}; by hand: {finding.by_hand}"
        lines += textwrap.wrap(washed(said), WIDTH, initial_indent="- ", subsequent_indent="  ")
    return "".join(f"# {line}".rstrip() + "\n" for line in lines)


def _steps(table: BareTable, profile: Profile) -> list[Step]:
    """Return the remedies that change something, each as it may be taken after those before it."""
    steps: list[Step] = []
    everything = table
    for finding in in_order_of_repair(profile.findings):
        if finding.remedy is None:
            continue
        step = msgspec.structs.replace(finding.remedy, why=_why(finding))
        taken = take_step(step, table)
        if taken.entry.counts() == "nothing changed":
            continue
        try:
            everything = take_step(step, everything).table
        except CombError:
            # All columns are constant: one has to stay.
            continue
        if finding.code in CERTAIN and not _loses(table, taken):
            table = taken.table
        else:
            step = msgspec.structs.replace(step, active=False)
        steps.append(step)
    return [*steps, *_typed(table, steps)]


def _typed(table: BareTable, steps: Sequence[Step]) -> list[Step]:
    """Return the steps that convert what texts were split into, where all of it is of another type."""
    made = [name for step in steps if isinstance(step, Split) and step.active for name in step.new_columns]
    if not made:
        return []
    parts = ColumnCache.at(BareTable({name: table[name] for name in made}, storage=table._storage))
    found = [finding for finding in text_types(parts) if finding.remedy is not None]
    return [msgspec.structs.replace(finding.remedy, why=_why(finding)) for finding in found if finding.remedy]


def _loses(before: BareTable, taken: Taken) -> bool:
    """Return whether a step dropped rows, other than copies of rows, or columns, or emptied cells."""
    entry = taken.entry
    if entry.left_out or entry.set_aside or entry.columns_removed:
        return True
    if entry.merged:
        return False
    kept = {name: column for name, column in taken.table.columns.items() if name in before}
    return any(bool(np.any(column.missing & before[name].present)) for name, column in kept.items())


def _why(finding: Finding) -> str:
    """Say what was found, with examples."""
    # A single example is in the text already.
    examples = f": {', '.join(finding.short_examples())}" if len(finding.examples) > 1 else ""
    return f"{finding.code}: {finding.text}{examples}"
