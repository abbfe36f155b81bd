"""The command that profiles a source, one of its columns, or several sources together."""

import shlex
from pathlib import Path
from typing import Any

import msgspec

from comb.cli.sources import again, free_name, loading, parted, records_of
from comb.cli.terminal import Terminal
from comb.errors import ParameterError, agree, counted
from comb.execution.memory import PROFILE
from comb.execution.working import working
from comb.interface.loading import load_all, load_within
from comb.interface.table import Table
from comb.kernels import dispatch
from comb.profiling.codes import code_of
from comb.profiling.profile import Profile
from comb.profiling.summaries import Summary
from comb.reading.io.source_file import size_of
from comb.views.columns import details_lines
from comb.views.profiles import explanation_view, finding_lines, profile_view, together_view
from comb.writing.atomic import check_file_free, write_file


class ProfileRequest(msgspec.Struct, frozen=True):
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
        from comb.writing.files import file_kind

        file_kind(Path(wanted.questions).name)
    if wanted.gaps:
        from comb.views.gaps import gaps_lines

        with loading(screen, source, options, PROFILE) as work:
            lines = gaps_lines(work.load(), screen.width)
        screen.lines(lines)
        screen.next_step(f"comb draw {again(source, options)} --kind missing --out missing.png")
        return 0
    plan = None
    if wanted.accepted:
        from comb.interface.plan import Plan

        plan = Plan.load(wanted.accepted)
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
        from comb.plans.draft import draft_plan

        place = Path(wanted.draft)
        made = draft_plan(table, profile, place.parent)
        write_file(place, made.text.encode())
        listed = f", {made.inactive} more are listed with 'active: false'" if made.inactive else ""
        screen.say(
            f"\n{counted(made.active, 'step')} {agree(made.active, 'is', 'are')} written to {wanted.draft}{listed}"
        )
        if made.undecided:
            finds = agree(made.undecided, "finding has", "findings have")
            screen.say(f"{made.undecided:,} {finds} no step: listed at its end, with what can be done by hand")
        screen.next_step(f"edit {wanted.draft}, then comb run {shlex.quote(wanted.draft)} --dry-run")
    elif wanted.questions:
        from comb.profiling.questions import question_table

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
        screen.next_step(f"{next_time} --draft {free_name('plan.yaml')}", *more, *([explain] if first else []))
    return len(profile.findings)


def _profile_record(profile: Profile) -> dict[str, Any]:
    """Return a profile as plain values, for JSON."""
    return {
        "columns": [{name: getattr(one, name) for name in one.__struct_fields__} for one in profile.columns],
        "findings": [finding.as_record() for finding in profile.findings],
        "rows_by_missing_cells": {str(gaps): count for gaps, count in profile.gaps.by_count.items()},
        "accepted": [{**finding.as_record(), "why": why} for finding, why in profile.accepted],
        "not_looked_at": list(profile.limits),
    }


def _profile_together(
    screen: Terminal, source: tuple[str, ...], options: dict[str, Any], wanted: ProfileRequest
) -> int:
    """Profile several tables together: each file is a table, and so is each one inside a single file."""
    from comb.interface.profiles import profile_together

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
                "links": [{name: getattr(link, name) for name in link.__struct_fields__} for link in together.links],
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
        record, apart = details.as_record(), (*Summary.__struct_fields__, "kept_texts")
        screen.json(
            {
                "column": {field: record[field] for field in Summary.__struct_fields__},
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
