"""The command that shows how a source is read, what is in a folder, and drafts a plan for a sheet."""

import shlex
from pathlib import Path
from typing import Any

from comb.cli.sources import again, free_name, one_or_several
from comb.cli.terminal import Terminal
from comb.errors import ParameterError, counted
from comb.interface.loading import read_options
from comb.reading.dataset_folder import dataset_folder
from comb.reading.folder import inspect_folder
from comb.reading.inspect import Inspection, inspect_source
from comb.tables.layout import Span
from comb.views.inspections import column_view, folder_view, inspection_view


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
        together = [f"comb show {shlex.join(str(folder / one) for one in group)}" for group in found.same_columns[:1]]
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
        draft = [f"comb inspect {again(source, options)} --plan {free_name('plan.yaml')}"] if sheet else []
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
    from comb.plans.layout_draft import check_one, draft_layout
    from comb.writing.atomic import check_file_free, write_file

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
