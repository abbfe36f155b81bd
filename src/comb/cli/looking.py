"""Commands that show what is in a source: counts, pictures, comparisons of groups."""

import shlex
from pathlib import Path
from typing import Any, Literal

import msgspec

from comb.cli.sources import again, check_files, loading, names_of, one_or_several, parted, records_of
from comb.cli.terminal import Terminal
from comb.errors import ParameterError, washed_lines
from comb.execution.memory import COUNT
from comb.interface.looking_methods import picture_request
from comb.interface.make_report import make_report
from comb.interface.picture import Picture, picture_format
from comb.interface.report import check_report_name, said_of
from comb.interface.table import Table
from comb.tables.layout import LayoutRequest, lay_out
from comb.views.comparisons import comparison_lines
from comb.writing.atomic import check_file_free


class CountRequest(msgspec.Struct, frozen=True):
    """What `comb count` is asked for."""

    by: str | None = None
    across: str | None = None
    where: str | None = None
    of_counts: bool = False
    sort: Literal["count", "value"] = "count"
    first: int = 20
    as_json: bool = False


def count_command(
    source: tuple[str, ...], options: dict[str, Any], wanted: CountRequest, *, screen: Terminal | None = None
) -> None:
    """Count rows of a source."""
    screen = screen or Terminal()
    check_files(source, "--by")
    if wanted.first < 0:
        raise ParameterError(f"expected a number of rows, got {wanted.first}")
    by = names_of(wanted.by or "")
    with loading(screen, source, options, COUNT) as work:
        table = work.load()
        counts = table.count(by, where=wanted.where, across=wanted.across, of_counts=wanted.of_counts, sort=wanted.sort)
    if wanted.as_json:
        screen.json(records_of(counts))
        return
    rows = min(wanted.first, len(counts))
    bars = [one / max(1, len(table)) for one in counts["count"].to_list()] if "share" in counts else []
    asked = LayoutRequest(
        counts.columns, counts.row_numbers, counts.sentence(), screen.width, rows, 0, False, "--first N",
        shares=("share",) if bars else (), bars=tuple(bars),
    )  # fmt: skip
    screen.lines(lay_out(asked))
    if by and not wanted.across and len(counts):
        value = counts[by[0]].texts()[0] if by[0] in counts else None
        if value is not None and counts[by[0]].type.word == "string":
            name = by[0] if by[0].isidentifier() else f'"{by[0]}"'
            quoted = value.replace("'", "''")
            condition = f"{name} = '{quoted}'"
            plain = not set(condition) & set('"$`\\!')
            shown = f'"{condition}"' if plain else shlex.quote(condition)
            screen.next_step(f"comb show {again(source, options)} --where {shown}")


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


class ReportRequest(msgspec.Struct, frozen=True):
    """What `comb report` is asked for."""

    out: str
    as_of: str | None = None
    overwrite: bool = False
    as_json: bool = False


def report_command(
    source: tuple[str, ...], options: dict[str, Any], wanted: ReportRequest, *, screen: Terminal | None = None
) -> None:
    """Write a report of files, a plan or a dataset folder."""
    screen = screen or Terminal()
    check_report_name(Path(wanted.out).name)
    check_file_free(Path(wanted.out), overwrite=wanted.overwrite)
    with screen.working(f"reading {shlex.join(source)}") as progress:
        given, limits = parted(options)
        made = make_report(
            one_or_several(source), as_of=wanted.as_of, progress=progress, memory=limits.memory,
            temporary=limits.temporary, workers=limits.workers, **given,
        )  # fmt: skip
        made.save(wanted.out, overwrite=wanted.overwrite)
    if wanted.as_json:
        screen.json({"answer": made.parts.answer(), "matters": [list(one) for one in made.parts.matters()]})
        return
    for line in said_of(made):
        screen.say(line)
    screen.say(f"saved: {wanted.out}")
    if Path(wanted.out).suffix.lower() != ".md":
        screen.next_step("open it in a browser; it needs nothing else")
