"""Commands that look at a source more closely: pictures, comparisons of groups."""

import shlex
from pathlib import Path
from typing import Any

import msgspec

from comb.cli.sources import again, check_files, loading, records_of
from comb.cli.terminal import Terminal
from comb.errors import washed_lines
from comb.execution.memory import COUNT
from comb.interface.looking_methods import picture_request
from comb.interface.picture import Picture, picture_format
from comb.interface.table import Table
from comb.views.comparisons import comparison_lines
from comb.writing.atomic import check_file_free


class DrawRequest(msgspec.Struct, frozen=True):
    """What `comb draw` is asked for besides the picture."""

    out: str
    numbers: str | None = None
    overwrite: bool = False
    as_json: bool = False


def draw_command(
    source: tuple[str, ...],
    options: dict[str, Any],
    asked: dict[str, Any],
    wanted: DrawRequest,
    *,
    screen: Terminal | None = None,
) -> None:
    """Draw a picture of a source and save it."""
    screen = screen or Terminal()
    check_files(source, "--x, --y and --by")
    # Whatever does not need the data is found out before it is read.
    listed = {name: list(value) if isinstance(value, tuple) else value for name, value in asked.items()}
    request = picture_request(listed)
    request.check()
    picture_format(wanted.out)
    for place in filter(None, (wanted.out, wanted.numbers)):
        check_file_free(Path(place), overwrite=wanted.overwrite)
    with loading(screen, source, options) as work:
        table = work.load()
        work.progress("drawing")
        picture = Picture(table, request)
        picture.save(wanted.out, numbers=wanted.numbers, overwrite=wanted.overwrite)
    if wanted.as_json:
        numbers = [
            {name: cell for name, cell in row.items() if name != "row"}
            for row in records_of(Table._adopt(picture.data))
        ]
        screen.json({"title": picture.title, "caption": picture.caption, "notes": picture.notes, "numbers": numbers})
        return
    lines = [picture.title, picture.caption, *picture.notes]
    screen.say(washed_lines("\n".join(lines)))
    saved = " and ".join(filter(None, (wanted.out, wanted.numbers)))
    screen.say(f"saved: {saved}")
    if wanted.numbers:
        screen.next_step(f"comb show {shlex.quote(wanted.numbers)}")
    else:
        screen.next_step(f"--numbers {shlex.quote(Path(wanted.out).stem)}.csv also saves what is drawn, as a table")


class CompareRequest(msgspec.Struct, frozen=True):
    """What `comb compare` is asked for."""

    value: str
    by: str
    paired_by: str | None = None
    where: str | None = None
    as_json: bool = False


def compare_command(
    source: tuple[str, ...], options: dict[str, Any], wanted: CompareRequest, *, screen: Terminal | None = None
) -> None:
    """Compare the groups of a source."""
    screen = screen or Terminal()
    check_files(source, "--value and --by")
    with loading(screen, source, options, COUNT) as work:
        table = work.load()
        work.progress("comparing")
        chosen = table.filter(wanted.where) if wanted.where else table
        found = chosen.compare_groups(wanted.value, wanted.by, paired_by=wanted.paired_by)
    if wanted.as_json:
        screen.json(found.as_record())
        return
    screen.lines(comparison_lines(found, chosen.sentence() if wanted.where else "", screen.width))
    kind = {"correlation": "scatter", "counts": "bars"}.get(found.kind, "boxes")
    names = (
        f"--x {shlex.quote(wanted.by)} --y {shlex.quote(wanted.value)}" if kind != "bars"
        else f"--x {shlex.quote(wanted.by)} --by {shlex.quote(wanted.value)}"
    )  # fmt: skip
    screen.next_step(f"comb draw {again(source, options)} --kind {kind} {names} --out picture.png")
