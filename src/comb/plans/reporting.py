"""Gather what a report says: of a table, or of everything that a plan did."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import PurePath
from types import MappingProxyType

import numpy as np

from comb.errors import CombError, agree, counted
from comb.execution.resources import DEFAULT
from comb.plans.model import PlanText
from comb.plans.outcome import Outcome
from comb.plans.step_text import step_line
from comb.profiling.finding import Finding
from comb.profiling.gaps import gaps_of
from comb.profiling.missing_blocks import missing_blocks, missing_together
from comb.profiling.profile import Profile, Settled, profile
from comb.profiling.summaries import Summary, summaries_of
from comb.report.parts import (
    AsidePart,
    ExampleCell,
    FindingPart,
    PicturePart,
    ReportParts,
    RulePart,
    TablePart,
)
from comb.steps.accounting import take_step
from comb.steps.base import Step
from comb.steps.ledger import Entry
from comb.steps.record import StepRecord, kept_formulas
from comb.tables.bars import share_words
from comb.tables.origin import MADE, Origin
from comb.tables.table import BareTable
from comb.version import __version__

# Of larger tables a run does not look for findings: that takes longer than the run.
MOST_PROFILED = 200_000

# Examples of a remedy, row numbers of a finding, rows set aside.
MOST_EXAMPLES = 3
MOST_ROWS = 6
MOST_ASIDE = 40

_NO_ROWS = np.zeros(0, np.int64)

# Blocks of rows in the picture of missing cells.
BLOCKS = 60


def table_part(
    name: str,
    table: BareTable,
    flow: Sequence[Entry] = (),
    found: Profile | None = None,
    rules: Sequence[RulePart] = (),
    aside: tuple[Sequence[AsidePart], int] = ((), 0),
    reading: Sequence[tuple[str, str, str]] = (),
    formulas: Mapping[str, str] = MappingProxyType({}),
    effects: bool = False,
    summaries: Sequence[Summary] = (),
) -> TablePart:
    """Gather what a report says of one table.

    Parameters
    ----------
    name : str
    table : BareTable
    flow : sequence of Entry
        The ledger.
    found : Profile, optional
        None where nothing was looked for.
    rules : sequence of RulePart
    aside : (sequence of AsidePart, int)
        Rows that were set aside, of many the first, and how many there are.
    reading : sequence of (str, str, str)
    formulas : mapping of str to str
    effects : bool
        Whether each remedy is taken to see what it changes.
    summaries : sequence of Summary
        Of the columns, where they were made before.

    Returns
    -------
    TablePart
        Cost: the summaries; where `effects`, every remedy once.
    """
    known = summaries or (found.columns if found is not None else summaries_of(table, DEFAULT.threads))
    pairs = [
        f"{one} and {other} are missing together in {counted(both, 'row')}, "
        f"{share_words(share)} of those in which either is"
        for one, other, both, share in missing_together(table)
    ]
    findings = None if found is None else tuple(_finding_part(table, one, effects=effects) for one in found.findings)
    accepted = () if found is None else tuple((one.text, why) for one, why in found.accepted)
    return TablePart(
        name, _sentence(name, table), table.row_count, tuple(known),
        descriptions={title: one.description for title, one in table.columns.items() if one.description},
        formulas=dict(formulas), reading=tuple(reading) or tuple(_reading(table.origin)), flow=tuple(flow),
        missing=missing_blocks(table, BLOCKS), gaps=(*gaps_of(table).lines(), *pairs), findings=findings,
        accepted=accepted, rules=tuple(rules), aside=tuple(aside[0]), aside_count=aside[1],
        origin=tuple(_source(table.origin)),
    )  # fmt: skip


def _sentence(name: str, table: BareTable) -> str:
    source = table.origin.name.removeprefix(MADE)
    size = f"{counted(table.row_count, 'row')} and {counted(len(table.names), 'column')}"
    return f"{name}: {size}, from {source}" if table.origin.size else f"{name}: {size}"


def _finding_part(table: BareTable, finding: Finding, *, effects: bool) -> FindingPart:
    rows = ""
    if len(finding.rows):
        some = ", ".join(map(str, finding.rows[:MOST_ROWS].tolist()))
        rows = f"{agree(len(finding.rows), 'row', 'rows')} {some}{' ...' if len(finding.rows) > MOST_ROWS else ''}"
    effect, examples = _effect(table, finding.remedy) if effects and finding.remedy is not None else ("", ())
    remedy = step_line(finding.remedy) if finding.remedy is not None else ""
    return FindingPart(
        finding.code, finding.severity.words, finding.text, int(finding.severity), rows, remedy, effect, examples,
        finding.by_hand,
    )  # fmt: skip


def _effect(table: BareTable, step: Step) -> tuple[str, tuple[ExampleCell, ...]]:
    """Say what a step would do to a table, with some cells before and after."""
    try:
        taken = take_step(step, table)
    except CombError as error:
        return f"cannot be taken by itself: {error.what}", ()
    cells = taken.entry.examples[:MOST_EXAMPLES]
    return taken.entry.counts(), tuple(ExampleCell(one.row, one.column, one.before, one.after) for one in cells)


def _reading(origin: Origin) -> Iterator[tuple[str, str, str]]:
    """Say how a source was read, as far as the table knows."""
    if origin.kind:
        yield "kind", origin.kind, ""
    for option in origin.options.given():
        yield option, _said(getattr(origin.options, option)), "given"
    for title in origin.titles:
        yield "text above the table", title, ""
    for footer in origin.footers:
        yield "text below the table", footer, ""
    if origin.set_aside:
        yield "lines set aside", f"{len(origin.set_aside):,}", origin.set_aside[0].reason
    if origin.bad_bytes:
        yield "undecodable bytes", f"{len(origin.bad_bytes):,}", f"the first in line {origin.bad_bytes[0][0]:,}"


def _said(value: object) -> str:
    """Write an option as it is read."""
    if isinstance(value, dict):
        return ", ".join(f"{name}: {_said(one)}" for name, one in value.items())
    return ", ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)


def _source(origin: Origin) -> Iterator[tuple[str, str]]:
    if origin.size:
        yield "source", f"{origin.name.removeprefix(MADE)}, {origin.size:,} bytes"
    if origin.checksum:
        yield "BLAKE3", origin.checksum


def aside_parts(records: Sequence[StepRecord], origin: Origin | None) -> tuple[list[AsidePart], int]:
    """Return the rows that were set aside, when the source was read and by steps; of many the first."""
    parts = [AsidePart("", line.place, line.reason) for line in (origin.set_aside if origin else ())]
    count = len(parts)
    for one in records:
        positions = one.gone.get("set aside", _NO_ROWS)
        count += len(positions)
        for at in range(min(len(positions), max(0, MOST_ASIDE - len(parts)))):
            number = int(one.before.row_numbers[positions[at]])
            parts.append(AsidePart(str(number), one.before.origin.place(number), one.reasons[at]))
    return parts[:MOST_ASIDE], count


def outcome_parts(
    plan: PlanText,
    outcome: Outcome,
    names: Sequence[str] = (),
    as_of: str = "",
    summaries: Mapping[str, Sequence[Summary]] = MappingProxyType({}),
) -> ReportParts:
    """Gather everything that a plan did.

    Parameters
    ----------
    plan : PlanText
    outcome : Outcome
    names : sequence of str
        Of the tables; none means all.
    as_of : str
        The day of the run, if it was given.
    summaries : mapping of str to sequence of Summary
        Of tables whose columns were summarised before.

    Returns
    -------
    ReportParts
        Cost: a profile of each table of at most `MOST_PROFILED` rows.
    """
    ledger = outcome.ledger
    parts = []
    for name in names or list(outcome.tables):
        table, planned = outcome.tables[name], plan.tables[name]
        settled = [Settled(one.code, tuple(one.columns), one.why) for one in planned.accepted]
        found = profile(table, DEFAULT.threads, None, settled) if table.row_count <= MOST_PROFILED else None
        rules = [
            RulePart(one.rule.says, one.rule.otherwise, one.met, one.broken, one.not_checked, one.found,
                     "; ".join(filter(None, (one.rule.why, one.rule.source))))
            for one in outcome.rules[name]
        ]  # fmt: skip
        formulas = kept_formulas(table.names, [one.record for one in outcome.history(name)])
        aside = aside_parts([one.record for one in outcome.taken[name]], outcome.sources.get(name))
        parts.append(
            table_part(
                name, table, ledger[name], found, rules, aside, formulas=formulas, effects=True,
                summaries=summaries.get(name, ()),
            )
        )  # fmt: skip
    answered = [(f"sheet of answers for {name}", one.says) for name, one in outcome.answers.items()]
    pictures = [
        PicturePart(one.title, one.caption, one.file.rpartition(".")[2].lower(), one.content)
        for one in outcome.pictures
        if not names or one.table in names
    ]
    made = [("plan", PurePath(plan.name).name or "made in Python"), *made_by(as_of)]
    for name, origin in outcome.sources.items():
        made += [(f"{what} of {name}", value) for what, value in _source(origin)]
    title = ", ".join(part.name for part in parts[:3]) + (" ..." if len(parts) > 3 else "")
    notes = (*outcome.messages, *(line for one in outcome.comparisons.values() for line in one.lines()))
    return ReportParts(
        f"Report: {title}", tuple(parts), (*((one, "") for one in plan.questions), *answered),
        tuple(one for one in pictures if one.kind != "pdf"), tuple(notes), tuple(made),
    )  # fmt: skip


def made_by(as_of: str = "") -> list[tuple[str, str]]:
    """Return what made a report: versions, and the day if it was given."""
    day = [("day of the run", as_of)] if as_of else []
    return [*day, ("made by", f"Comb {__version__}")]
