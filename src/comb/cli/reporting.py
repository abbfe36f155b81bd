"""The command that writes a report."""

import shlex
from pathlib import Path
from typing import Any

import msgspec

from comb.cli.sources import one_or_several, parted
from comb.cli.terminal import Terminal
from comb.interface.make_report import make_report
from comb.interface.report import check_report_name, said_of
from comb.writing.atomic import check_file_free


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
