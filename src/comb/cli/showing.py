"""The command that shows rows of a source."""

from typing import Any

import msgspec
import numpy as np

from comb.cli.sources import Loading, again, check_files, loading, names_of, one_or_several, parted, records_of
from comb.cli.terminal import Terminal
from comb.errors import ParameterError, counted, listing
from comb.execution.memory import COUNT
from comb.interface.loading import load_beginning
from comb.interface.table import Table
from comb.tables.layout import DEFAULT_ROWS, LayoutRequest, Line, Span, lay_out
from comb.tables.table import MOST_NOTES

MORE_ROWS = "--between {first} {last}"


class ShowRequest(msgspec.Struct, frozen=True):
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
        rest = [f"comb inspect {again(source, options)}"] if len(table.notes) > MOST_NOTES else []
        screen.next_step(f"comb show {again(source, options)} --record {table.row_numbers[start]}", *rest)


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
