"""Commands about plans and what became of them: run, differences, trace."""

import shlex
from pathlib import Path
from typing import Any

import msgspec

from comb.cli.sources import again, names_of
from comb.cli.terminal import Terminal
from comb.errors import ParameterError, PlanError, counted
from comb.interface.comparing import differences
from comb.interface.plan import Plan
from comb.interface.tracing import trace
from comb.plans.outcome import Outcome
from comb.plans.rules import rule_record
from comb.profiling.differences import Comparison
from comb.steps.ledger import lost
from comb.steps.trace import trace_record
from comb.views.runs import comparison_view, difference_lines, dry_run_view, run_view, trace_view


class RunRequest(msgspec.Struct, frozen=True):
    """What `comb run` is asked for."""

    memory: str | None = None
    temporary: str | None = None
    workers: str | None = None
    dry_run: bool = False
    overwrite: bool = False
    write_outside: bool = False
    sources: tuple[str, ...] = ()
    as_of: str | None = None
    without: tuple[int, ...] = ()
    until: int | None = None
    to: str | None = None
    as_json: bool = False

    def given(self) -> dict[str, Any]:
        """Return what is worth repeating for the same run without ``--dry-run``, by option."""
        kept = msgspec.structs.asdict(self)
        kept["source"] = kept.pop("sources")
        return {name: value for name, value in kept.items() if name not in ("dry_run", "as_json")}


def _sources_of(given: tuple[str, ...], plan: Plan) -> dict[str, str]:
    """Read other files for tables: ``visits=june.csv``; of a plan of one source, the file alone."""
    found: dict[str, str] = {}
    tables = plan.content.tables
    for text in given:
        name, equals, path = text.partition("=")
        own = [one for one, planned in tables.items() if not planned.from_table]
        if not equals and len(own) == 1:
            name, path = own[0], text
        if not path:
            raise ParameterError(
                f"expected --source TABLE=FILE, got {text!r}", remedy=f"tables of the plan: {', '.join(tables)}"
            )
        found[name] = path
    return found


def run_command(path: str, wanted: RunRequest, *, screen: Terminal | None = None) -> int:
    """Run a plan; returns how often a rule is broken, and how many differences a new source has."""
    screen = screen or Terminal()
    plan = Plan.load(path)
    dry_run = wanted.dry_run
    try:
        with screen.working(f"running {path}") as progress:
            outcome = plan.run(
                dry_run=dry_run, overwrite=wanted.overwrite, write_outside=wanted.write_outside, as_of=wanted.as_of,
                sources=_sources_of(wanted.sources, plan), without=wanted.without, until=wanted.until,
                save_to=wanted.to, memory=wanted.memory, temporary=wanted.temporary, workers=wanted.workers,
                progress=progress,
            )  # fmt: skip
    except PlanError as error:
        # What is different about the source comes first: it is the likely cause.
        screen.lines([*difference_lines(error.differences, screen.width), *([[]] if error.differences else [])])
        raise
    if wanted.as_json:
        screen.json({**_run_record(outcome), **(_affected(outcome) if dry_run else {})})
        return outcome.found
    view = dry_run_view if dry_run else run_view
    screen.lines(view(outcome, screen.width))
    for answers in outcome.answers.values():
        screen.say(answers.says)
    if dry_run:
        for message in outcome.messages:
            screen.say(f"note: {message}")
        for line in loss_lines(outcome):
            screen.say(line)
        for one in outcome.pictures:
            screen.say(f"picture {one.file}: {one.title}")
        for refusal in outcome.refusals:
            screen.say(f"note: without --dry-run this would be refused: {refusal}")
        screen.say("dry run: nothing was written")
        if not outcome.refusals:
            screen.next_step(f"comb run {again((path,), wanted.given())}")
        return outcome.found
    for message in outcome.messages:
        screen.say(f"note: {message}")
    for line in loss_lines(outcome):
        screen.say(line)
    screen.say(ledger_line(outcome))
    for one in outcome.pictures:
        screen.say(f"picture {one.file}: {one.title}")
        for note in one.notes:
            screen.say(f"note: {note}")
    for saved in outcome.saved:
        screen.say(f"saved: {saved}")
    first = next(iter(outcome.tables))
    if outcome.saved:
        folder = Path(outcome.saved[0])
        result = folder if folder.is_file() else folder / f"{first}.csv"
        screen.next_step(f"comb show {shlex.quote(str(result))}")
    else:
        screen.say("the plan has no 'save:', so nothing was written")
    return outcome.found


def differences_command(
    old: str,
    new: str,
    options: dict[str, Any],
    *,
    key: str | None = None,
    as_json: bool = False,
    screen: Terminal | None = None,
) -> int:
    """Say what is different between two sources; returns how many differences there are."""
    screen = screen or Terminal()
    with screen.working(f"reading {old} and {new}"):
        found = differences(old, new, key=names_of(key or ""), **options)
    several = {"": found} if isinstance(found, Comparison) else dict(found)
    if as_json:
        records = {name: one.as_record() for name, one in several.items()}
        screen.json(next(iter(records.values())) if isinstance(found, Comparison) else records)
    else:
        for at, one in enumerate(several.values()):
            screen.lines([*([[]] if at else []), *comparison_view(one, screen.width)])
        keyed = any(one.key for one in several.values())
        if not keyed:
            screen.next_step(f"comb differences {again((old, new), options)} --key COLUMN compares rows and cells")
    return sum(one.count for one in several.values())


def trace_command(
    place: str,
    row: int,
    column: str,
    *,
    table: str | None = None,
    as_json: bool = False,
    screen: Terminal | None = None,
) -> None:
    """Tell the history of one cell."""
    screen = screen or Terminal()
    with screen.working(f"reading {place}"):
        found = trace(place, row, column, table=table)
    if as_json:
        screen.json([trace_record(one) for one in found])
        return
    screen.lines(trace_view(found, screen.width))


def loss_lines(outcome: Outcome) -> list[str]:
    """Say for each table what got lost on the way; the steps say more of it."""
    found = {name: lost(entries) for name, entries in outcome.ledger.items()}
    several = len(found) > 1
    return [f"lost on the way{f' in {name}' if several else ''}: {what}" for name, what in found.items() if what]


def ledger_line(outcome: Outcome) -> str:
    """Say whether all rows are accounted for."""
    entries = [entry for one in outcome.ledger.values() for entry in one]
    steps = [entry for entry in entries if entry.step != "load"]
    taken = sum(entry.active for entry in steps)
    if outcome.adds_up:
        listed = f", {len(steps) - taken} listed but not active" if taken < len(steps) else ""
        return f"the ledger adds up, step by step and in total: {counted(taken, 'step')}{listed}"
    return "THE LEDGER DOES NOT ADD UP"


def _affected(outcome: Outcome) -> dict[str, Any]:
    """Return, for JSON, the cells that steps would change, the rows that would not come out, what is in the way."""
    cells = [
        {"table": name, "step": number, "row": row, "column": column, "before": before, "after": after}
        for name, taken in outcome.taken.items()
        for number, one in enumerate(taken, 1)
        for row, column, before, after in one.record.changes()
    ]
    rows = [
        {"table": name, "step": number, "row": row, "what": what}
        for name, taken in outcome.taken.items()
        for number, one in enumerate(taken, 1)
        for what, positions in one.record.gone.items()
        for row in one.record.before.row_numbers[positions].tolist()
    ]
    return {"cells": cells, "rows": rows, "refusals": outcome.refusals}


def _run_record(outcome: Outcome) -> dict[str, Any]:
    return {
        "adds_up": outcome.adds_up,
        "saved": outcome.saved,
        "messages": outcome.messages,
        "answers": {name: one.says for name, one in outcome.answers.items()},
        "differences": {name: one.as_record() for name, one in outcome.comparisons.items()},
        "ledger": {name: msgspec.to_builtins(entries) for name, entries in outcome.ledger.items()},
        "rules": {name: [rule_record(result) for result in results] for name, results in outcome.rules.items()},
    }
