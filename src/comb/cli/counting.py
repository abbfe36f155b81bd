"""The command that counts rows."""

import shlex
from typing import Any, Literal

import msgspec

from comb.cli.sources import again, check_files, loading, names_of, records_of
from comb.cli.terminal import Terminal
from comb.errors import ParameterError
from comb.execution.memory import COUNT
from comb.tables.layout import LayoutRequest, lay_out


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
