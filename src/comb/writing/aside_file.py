"""`set-aside.csv` of a dataset folder: rows that were set aside, as they were then, and copies that were merged. Pure.

What was set aside when a source was read comes first, then the rows that steps set aside, then the copies: a file
that was pasted twice has as many of these as rows, so that all are written some at a time, as columns.
"""

from collections.abc import Iterator, Mapping, Sequence
from functools import partial

import numpy as np

from comb.kernels.grouping import Codes
from comb.steps.accounting import Taken
from comb.tables.column import Column
from comb.tables.names import unique_names
from comb.tables.origin import Origin
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER
from comb.writing.delimited import TextForm
from comb.writing.record_files import (
    ASIDE,
    RECORD_FILES,
    Part,
    line_parts,
    record_lines,
    same_cells,
    text_column,
    with_kept_texts,
)

OWN = list(RECORD_FILES[ASIDE].columns)


def aside_titles(taken: Mapping[str, Sequence[Taken]], sources: Mapping[str, Origin]) -> list[str]:
    """Return the columns of `set-aside.csv` behind those that it always has: the cells of the rows.

    A column of the table may be called like one of the record.
    """
    names, width = _names(taken), _width(sources)
    names += unique_names([*names, *[f"cell {at}" for at in range(1, width + 1)]])[len(names) :]
    return unique_names([*OWN, *names])[len(OWN) :]


def set_aside_rows(
    taken: Mapping[str, Sequence[Taken]], sources: Mapping[str, Origin], form: TextForm
) -> Iterator[Part]:
    """List the rows that were set aside, with step and reason, and the copies that were merged.

    Parameters
    ----------
    taken : mapping of str to sequence of Taken
    sources : mapping of str to Origin
        Each knows what was set aside when it was read, which is listed as step 0.
    form : TextForm

    Yields
    ------
    Part
        Some lines; the header first.
    """
    titles = aside_titles(taken, sources)
    yield Part(record_lines([[*OWN, *titles]], form))
    names, width = _names(taken), _width(sources)
    loaded = [
        [name, "0", "load", "", line.place, line.reason, "", *[""] * len(names), *line.cells]
        for name, origin in sources.items()
        for line in origin.set_aside
    ]
    if loaded:
        yield Part(record_lines([[*row, *[""] * (len(OWN) + len(titles) - len(row))] for row in loaded], form))
    for name, number, one in _steps(taken):
        lines = partial(_aside, name, number, one, names, width)
        yield from line_parts(one.aside.row_count, lines, "source_row", "source_row", form)
    for name, steps in taken.items():
        for number, one in enumerate(steps, 1):
            gone = one.record.gone.get("merged")
            if one.entry.step == "remove_duplicates" and gone is not None and one.record.groups is not None:
                lines = partial(_merged, name, number, one, gone, one.record.groups, len(titles))
                yield from line_parts(len(gone), lines, "source_row", "source_row", form)


def _steps(taken: Mapping[str, Sequence[Taken]]) -> Iterator[tuple[str, int, Taken]]:
    """Return the steps that set rows aside."""
    for name, steps in taken.items():
        yield from ((name, number, one) for number, one in enumerate(steps, 1) if one.aside.row_count)


def _names(taken: Mapping[str, Sequence[Taken]]) -> list[str]:
    """Return the columns of all rows that steps set aside."""
    return list(dict.fromkeys(title for _, _, one in _steps(taken) for title in one.aside.names))


def _width(sources: Mapping[str, Origin]) -> int:
    """Return how many cells the longest line has that was set aside when a source was read."""
    return max((len(line.cells) for origin in sources.values() for line in origin.set_aside), default=0)


def _head(
    name: str, number: int, one: Taken, rows: Codes, places: Text, reasons: Column, into: Column
) -> dict[str, Column]:
    count = len(rows)
    cells = (
        same_cells(name, count), same_cells(number, count), same_cells(one.entry.step, count), Column(INTEGER, rows),
        text_column(places), reasons, into,
    )  # fmt: skip
    return dict(zip(OWN, cells, strict=True))


def _aside(name: str, number: int, one: Taken, names: Sequence[str], width: int, some: slice) -> BareTable:
    """Return some of the rows that a step set aside as a table."""
    part = one.aside._take(np.arange(some.start, some.stop))
    count = part.row_count
    rows, empty = part.row_numbers, same_cells("", count)
    reasons = text_column(Text.from_strings(one.reasons[some]))
    columns = _head(name, number, one, rows, part.origin.place_texts(rows), reasons, empty)
    cells = [with_kept_texts(part[title]) if title in part else empty for title in names]
    columns |= {f"cell {at} of all": cell for at, cell in enumerate([*cells, *[empty] * width], 1)}
    return BareTable(columns)


def _merged(name: str, number: int, one: Taken, gone: Codes, groups: Codes, width: int, some: slice) -> BareTable:
    """Return some of the rows that were merged into an equal one as a table."""
    record, places = one.record, gone[some]
    rows = record.before.row_numbers[places]
    into = Column(INTEGER, record.after.row_numbers[groups[places]])
    reasons, empty = same_cells("equal to another row", len(rows)), same_cells("", len(rows))
    columns = _head(name, number, one, rows, record.before.origin.place_texts(rows), reasons, into)
    return BareTable(columns | {f"cell {at} of all": empty for at in range(1, width + 1)})
