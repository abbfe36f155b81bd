"""What each command does: ask the library, show what comes back."""

import shlex
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from comb.cli.sources import Loading, again, check_files, loading, names_of, one_or_several, parted, records_of
from comb.cli.terminal import Terminal
from comb.errors import ParameterError, PlanError, agree, counted, listing
from comb.execution.memory import COUNT, PROFILE
from comb.execution.working import working
from comb.interface.comparing import differences
from comb.interface.loading import load_all, load_beginning, load_within, read_options
from comb.interface.plan import Plan
from comb.interface.profiles import profile_together
from comb.interface.table import Table
from comb.interface.tracing import trace
from comb.kernels import dispatch
from comb.plans.draft import draft_plan
from comb.plans.layout_draft import check_one, draft_layout
from comb.plans.outcome import Outcome
from comb.plans.rules import rule_record
from comb.profiling.codes import code_of
from comb.profiling.differences import Comparison
from comb.profiling.profile import Profile
from comb.profiling.questions import question_table
from comb.profiling.summaries import Summary
from comb.reading.dataset_folder import dataset_folder
from comb.reading.folder import inspect_folder
from comb.reading.inspect import Inspection, inspect_source
from comb.reading.io.source_file import size_of
from comb.steps.ledger import lost
from comb.steps.trace import trace_record
from comb.tables.layout import DEFAULT_ROWS, LayoutRequest, Line, Span, lay_out
from comb.views.columns import details_lines
from comb.views.gaps import gaps_lines
from comb.views.inspections import column_view, folder_view, inspection_view
from comb.views.profiles import explanation_view, finding_lines, profile_view, together_view
from comb.views.runs import comparison_view, difference_lines, dry_run_view, run_view, trace_view
from comb.writing.atomic import check_file_free, write_file
from comb.writing.files import file_kind

MORE_ROWS = "--between {first} {last}"


@dataclass(frozen=True, slots=True)
class ShowRequest:
    """What `comb show` is asked for."""

    first: int | None = None
    last: int | None = None
    between: tuple[int, int] | None = None
    every: int | None = None
    random: int | None = None
    seed: int = 0
    largest: str | None = None
    duplicates: str | None = None
    record: int | None = None
    columns: str | None = None
    where: str | None = None
    sort: str | None = None
    type_line: bool = False
    as_json: bool = False


def inspect_command(
    source: tuple[str, ...],
    options: dict[str, Any],
    *,
    column: str | None = None,
    plan: str | None = None,
    as_json: bool = False,
    screen: Terminal | None = None,
) -> None:
    """Show how a source is read, or write that as a draft plan."""
    screen = screen or Terminal()
    if plan is not None:
        _draft_layout(screen, source, options, plan, column=column, as_json=as_json)
        return
    with screen.working(f"reading {shlex.join(source)}") as progress:
        folder = _plain_folder(source) if not options.get("table") else None
        if folder:
            found = inspect_folder(folder, progress)
        else:
            inspection = inspect_source(one_or_several(source), read_options(**options))
    if folder:
        if as_json:
            screen.json(found.as_record())
            return
        screen.lines(folder_view(found, screen.width))
        first = next((one.name for one in found.entries if one.tables), None)
        together = [f"comb show {shlex.join(str(folder / one) for one in group)}" for group in found.alike[:1]]
        screen.next_step(*([f"comb inspect {shlex.quote(str(folder / first))}"] if first else []), *together)
        return
    if as_json:
        screen.json(inspection.as_record())
    elif column:
        screen.lines(column_view(inspection, column))
        screen.next_step(f"comb show {again(source, options)} --columns {shlex.quote(column)}")
    else:
        screen.lines(inspection_view(inspection, screen.width))
        # Of several tables one has to be named, at least in archives and dataset folders.
        named = f" --table {shlex.quote(inspection.tables[0].name)}" if len(inspection.tables) > 1 else ""
        once_more = f"{again(source, options)}{named}"
        sheet = len(source) == 1 and _made_for_people(inspection)
        draft = [f"comb inspect {again(source, options)} --plan plan.yaml"] if sheet else []
        screen.next_step(f"comb show {once_more}", f"comb profile {once_more}", *draft)


def _plain_folder(source: tuple[str, ...]) -> Path | None:
    """Return the folder that is to be looked over; None for files, and for a dataset folder."""
    folder = Path(source[0]).expanduser()
    return folder if len(source) == 1 and folder.is_dir() and dataset_folder(folder) is None else None


def _made_for_people(inspection: Inspection) -> bool:
    """Return whether a source may be a sheet that a plan has to make tidy: several tables, or the header once more."""
    repeated = any("repeating the header" in note for one in inspection.tables for note in one.notes)
    return repeated or len(inspection.tables) > 1 or inspection.decisions[0].value.startswith("workbook")


def _draft_layout(
    screen: Terminal, source: tuple[str, ...], options: dict[str, Any], plan: str, *, column: str | None, as_json: bool
) -> None:
    """Write a draft plan that reads and reshapes a source."""
    given = next((name for name, value in (("--column", column), ("--json", as_json)) if value), None)
    if given is not None:
        raise ParameterError(f"{given} shows how a source is read, --plan writes a plan", remedy="leave one out")
    place = Path(plan)
    check_file_free(place, overwrite=False, replaceable=False)
    with screen.working(f"reading {shlex.join(source)}"):
        made = draft_layout(check_one(source), read_options(**options), place.parent)
    write_file(place, made.text.encode())
    screen.lines([[Span(line) if line.startswith(" ") else Span(line, "head")] for line in made.said])
    tables = f"{counted(made.tables, 'table')} with " if made.tables > 1 else ""
    screen.say(f"\n{tables}{counted(made.steps, 'step')} written to {plan}")
    screen.next_step(f"comb run {shlex.quote(plan)} --dry-run")


def show_command(
    source: tuple[str, ...], options: dict[str, Any], wanted: ShowRequest, *, screen: Terminal | None = None
) -> None:
    """Show rows of a source."""
    screen = screen or Terminal()
    check_files(source, "--columns")
    with loading(screen, source, options, COUNT) as work:
        table, more = _loaded(work, source, options, wanted)
        if wanted.where:
            table = table.filter(wanted.where)
        if wanted.sort:
            table = table.sort(names_of(wanted.sort))
        said, table = _picked(table, wanted)
        if wanted.columns:
            table = table.select(names_of(wanted.columns))
    if wanted.record is not None:
        _show_record(screen, table, wanted)
        return
    start, rows = _asked_rows(table, wanted)
    if wanted.as_json:
        screen.json(records_of(table._take(np.arange(start, start + rows))))
        return
    said, more_rows = said or table.sentence(), MORE_ROWS
    if more:
        more_rows = f"of those looked at; {MORE_ROWS}"
        said = f"the first {said}; there are more rows, so the types are provisional"
    asked = LayoutRequest(
        table.columns, table.row_numbers, said, screen.width, rows, start, wanted.type_line, more_rows
    )
    screen.lines(lay_out(asked))
    if rows:
        screen.next_step(f"comb show {again(source, options)} --record {table.row_numbers[start]}")


def _loaded(work: Loading, source: tuple[str, ...], options: dict[str, Any], wanted: ShowRequest) -> tuple[Table, bool]:
    """Load a source, or only its beginning where that shows what is wanted; says whether there is more."""
    picked = (wanted.every, wanted.random, wanted.largest, wanted.duplicates, wanted.last, wanted.record)
    if wanted.where or wanted.sort or any(one is not None for one in picked):
        return work.load(), False
    table, more = load_beginning(one_or_several(source), **parted(options)[0])
    furthest = max(wanted.first or 0, wanted.between[1] if wanted.between else 0)
    # What a limit on rows left out is not asked for.
    more = more and options.get("rows") is None
    return (work.load(), False) if more and furthest > len(table) else (table, more)


def _picked(table: Table, wanted: ShowRequest) -> tuple[str, Table]:
    """Return the rows that are picked from the whole table, and what is said of them; empty if none are."""
    asked = [name for name in ("every", "random", "largest", "duplicates") if getattr(wanted, name) is not None]
    if len(asked) > 1:
        raise ParameterError(
            f"expected one of {', '.join(f'--{name}' for name in asked)}", remedy="leave the others out"
        )
    if wanted.duplicates is not None:
        return duplicate_rows(table, names_of(wanted.duplicates))
    if wanted.largest is not None:
        key = wanted.largest.removesuffix(" desc")
        return "", table.sort([f"{key} desc"])
    if wanted.every is None and wanted.random is None:
        return "", table
    count = wanted.every if wanted.every is not None else wanted.random or 0
    if count < 1:
        raise ParameterError(f"expected a number of 1 or more behind --{asked[0]}, got {count}")
    if wanted.every is not None:
        ordinal = f"every {count:,}{_ending(count)} row" if count > 1 else "every row"
        return f"{ordinal} of {table.sentence()}", table._take(np.arange(0, len(table), count))
    found = table.random_rows(count, seed=wanted.seed)
    return f"{counted(len(found), 'row')} chosen at random (seed {wanted.seed}) of {table.sentence()}", found


def _ending(number: int) -> str:
    """Return how an ordinal number ends.

    >>> [_ending(number) for number in (1, 2, 3, 4, 11, 12, 21, 112)]
    ['st', 'nd', 'rd', 'th', 'th', 'th', 'st', 'th']
    """
    teens = 10 < number % 100 < 14
    return "th" if teens else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")


def duplicate_rows(table: Table, keys: list[str]) -> tuple[str, Table]:
    """Return the rows that share their values in some columns, below each other, and a sentence about them.

    Behind the keys come the columns in which such rows differ, then the others.
    """
    keys = list(table.select(keys).names)
    quoted = ", ".join('"' + name.replace('"', '""') + '"' for name in keys)
    shared = table.filter(f"count(*) over (partition by {quoted}) > 1").sort(keys)
    codes = [shared[name]._with_codes()._codes() for name in keys]
    same_key = np.ones(max(0, len(shared) - 1), np.bool_)
    for code in codes:
        same_key &= code[1:] == code[:-1]
    groups = len(shared) - int(same_key.sum())
    others = [name for name in table.names if name not in keys]
    differing = []
    for name in others:
        column = shared[name]._with_codes()
        numbers = column._codes()
        if (numbers[1:] != numbers[:-1])[same_key].any():
            differing.append(name)
    if not len(shared):
        said = f"no two of {counted(len(table), 'row')} share their values in {', '.join(keys)}"
        return said, shared
    said = f"{counted(len(shared), 'row')} of {len(table):,} share {counted(groups, 'value')} of {', '.join(keys)}; "
    said += f"they differ in {listing(differing)}" if differing else "they are equal in all other columns"
    return said, shared.select([*keys, *differing, *(name for name in others if name not in differing)])


def _asked_rows(table: Table, wanted: ShowRequest) -> tuple[int, int]:
    """Return the position of the first row to show, from 0, and how many."""
    asked = [name for name in ("first", "last", "between") if getattr(wanted, name) is not None]
    if len(asked) > 1:
        raise ParameterError(f"expected one of --first, --last and --between, got --{' and --'.join(asked)}")
    if wanted.between is not None:
        first, last = wanted.between
        if first < 1 or last < first:
            raise ParameterError(f"expected positions from 1, the first before the last; got {first} and {last}")
        start = min(first - 1, len(table))
        return start, min(last, len(table)) - start
    count = next((number for number in (wanted.last, wanted.first) if number is not None), DEFAULT_ROWS)
    if count < 0:
        raise ParameterError(f"expected a number of rows, got {count}")
    count = min(count, len(table))
    return (len(table) - count if wanted.last is not None else 0), count


def _show_record(screen: Terminal, table: Table, wanted: ShowRequest) -> None:
    assert wanted.record is not None
    record = table.record(wanted.record)
    if wanted.as_json:
        screen.json({"row": wanted.record, "place": record.place, **record})
        return
    width = max(map(len, record.shown), default=0)
    lines: list[Line] = [[Span(f"row {wanted.record}, {record.place}", "said")], []]
    lines += [[Span(name.rjust(width), "dim"), Span(f"  {text}")] for name, text in record.shown.items()]
    screen.lines(lines)


@dataclass(frozen=True, slots=True)
class ProfileRequest:
    """What `comb profile` is asked for."""

    column: str | None = None
    gaps: bool = False
    only: tuple[str, ...] = ()
    together: bool = False
    accepted: str | None = None
    as_of: str | None = None
    draft: str | None = None
    questions: str | None = None
    as_json: bool = False


def profile_command(
    source: tuple[str, ...], options: dict[str, Any], wanted: ProfileRequest, *, screen: Terminal | None = None
) -> int:
    """Profile a source, one column of it, or several together; returns the number of findings."""
    screen = screen or Terminal()
    if wanted.together:
        return _profile_together(screen, source, options, wanted)
    for written in filter(None, (wanted.draft, wanted.questions)):
        check_file_free(Path(written), overwrite=False, replaceable=False)
    if wanted.questions:
        file_kind(Path(wanted.questions).name)
    if wanted.gaps:
        with loading(screen, source, options, PROFILE) as work:
            lines = gaps_lines(work.load(), screen.width)
        screen.lines(lines)
        screen.next_step(f"comb draw {again(source, options)} --kind missing --out missing.png")
        return 0
    plan = Plan.load(wanted.accepted) if wanted.accepted else None
    with loading(screen, source, options, PROFILE) as work:
        table = work.load()
        work.progress(f"profiling {len(table):,} rows")
        profile = table.profile(as_of=wanted.as_of, accepted=plan, progress=work.progress)
    if wanted.only:
        profile = profile.only(wanted.only)
    if wanted.column is not None:
        return _profile_column(screen, table, profile, wanted.column, as_json=wanted.as_json)
    if wanted.as_json:
        screen.json(_profile_record(profile))
    else:
        screen.lines(profile_view(profile, screen.width, chosen=bool(wanted.only)))
    next_time = f"comb profile {again(source, options)}"
    if wanted.draft:
        place = Path(wanted.draft)
        made = draft_plan(table, profile, place.parent)
        write_file(place, made.text.encode())
        listed = f", {made.inactive} more are listed with 'active: false'" if made.inactive else ""
        screen.say(
            f"\n{counted(made.active, 'step')} {agree(made.active, 'is', 'are')} written to {wanted.draft}{listed}"
        )
        screen.next_step(f"edit {wanted.draft}, then comb run {shlex.quote(wanted.draft)} --dry-run")
    elif wanted.questions:
        sheet = Table._adopt(question_table(table, profile.findings))
        if not sheet.row_count:
            screen.say("\nnothing in it is doubtful for a person to settle: no sheet was written")
            return len(profile.findings)
        sheet.save(wanted.questions)
        screen.say(f"\n{counted(sheet.row_count, 'question')} written to {wanted.questions}: fill in the column answer")
        screen.next_step(f"a plan takes them back: answers: {wanted.questions}, below its source")
    elif not wanted.as_json:
        unread = next((one.columns[0] for one in profile.findings if one.code == "type.unreadable"), None)
        more = [f"{next_time} --column {shlex.quote(unread)}"] if unread else []
        first = profile.findings[0].code if profile.findings else None
        explain = f"comb profile --explain {first}"
        screen.next_step(f"{next_time} --draft plan.yaml", *more, *([explain] if first else []))
    return len(profile.findings)


def _profile_record(profile: Profile) -> dict[str, Any]:
    """Return a profile as plain values, for JSON."""
    return {
        "columns": [{name: getattr(one, name) for name in one.__slots__} for one in profile.columns],
        "findings": [finding.as_record() for finding in profile.findings],
        "rows_by_missing_cells": {str(gaps): count for gaps, count in profile.gaps.by_count.items()},
        "accepted": [{**finding.as_record(), "why": why} for finding, why in profile.accepted],
        "not_looked_at": list(profile.limits),
    }


def _profile_together(
    screen: Terminal, source: tuple[str, ...], options: dict[str, Any], wanted: ProfileRequest
) -> int:
    """Profile several tables together: each file is a table, and so is each one inside a single file."""
    for option, given in (("--column", wanted.column), ("--only", wanted.only), ("--draft", wanted.draft)):
        if given:
            raise ParameterError(f"{option} is for one table", remedy="leave out --together, and name one file")
    reading, limits = parted(options)
    with (
        screen.working(f"reading {shlex.join(source)}") as progress,
        working(sum(map(size_of, source)), PROFILE, limits, progress, compiled=dispatch.kernels.compiled) as resources,
    ):
        tables: dict[str, Table] = {}
        for path in source:
            found = load_all(path) if len(source) == 1 else {Path(path).stem: load_within(path, resources, **reading)}
            for name, table in found.items():
                tables[name if name not in tables else path] = table
        progress(f"profiling {len(tables)} tables")
        together = profile_together(tables, as_of=wanted.as_of)
    if wanted.as_json:
        screen.json(
            {
                "links": [{name: getattr(link, name) for name in link.__slots__} for link in together.links],
                "tables": {name: _profile_record(profile) for name, profile in together.profiles.items()},
            }
        )
    else:
        screen.lines(together_view(together, screen.width))
        screen.next_step(f"comb profile {shlex.quote(source[0])}")
    return sum(len(profile.findings) for profile in together.profiles.values())


def explain_command(code: str, *, screen: Terminal | None = None) -> None:
    """Say what a kind of finding looks at, from where on, and what it proposes."""
    screen = screen or Terminal()
    screen.lines(explanation_view(code_of(code), screen.width))


def _profile_column(screen: Terminal, table: Table, profile: Profile, name: str, *, as_json: bool) -> int:
    """Show everything about one column, its findings, and every text that was not read as a value."""
    details = table.summary(name)
    findings = [finding for finding in profile.findings if name in finding.columns and finding.columns != table.names]
    if as_json:
        record, apart = details.as_record(), (*Summary.__slots__, "kept_texts")
        screen.json(
            {
                "column": {field: record[field] for field in Summary.__slots__},
                "details": {field: one for field, one in record.items() if field not in apart},
                "values": records_of(Table._adopt(details.values)),
                "findings": [finding.as_record() for finding in findings],
                "kept_texts": record["kept_texts"],
            }
        )
    else:
        lines = details_lines(details, profile.sentence, screen.width)
        for finding in findings:
            lines += [[], *finding_lines(finding, screen.width)]
        screen.lines(lines)
    return len(findings)


@dataclass(frozen=True, slots=True)
class RunRequest:
    """What `comb run` is asked for."""

    memory: str | None = None
    temporary: str | None = None
    dry_run: bool = False
    overwrite: bool = False
    write_outside: bool = False
    sources: tuple[str, ...] = ()
    as_of: str | None = None
    without: tuple[int, ...] = ()
    until: int | None = None
    to: str | None = None
    as_json: bool = False


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
                save_to=wanted.to, memory=wanted.memory, temporary=wanted.temporary, progress=progress,
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
        screen.say("dry run: nothing was written")
        screen.next_step(f"comb run {shlex.quote(path)}")
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
            screen.next_step(f"comb differences {shlex.join([old, new])} --key COLUMN compares rows and cells")
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
    for at, one in enumerate(found):
        screen.lines([*([[]] if at else []), *trace_view(one, screen.width)])


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
    """Return all cells that steps would change, and all rows that would not come out, for JSON."""
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
    return {"cells": cells, "rows": rows}


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
