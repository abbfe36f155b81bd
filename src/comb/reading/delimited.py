"""Delimited text becomes a table. Pure: text and layout in, table out."""

import csv
import io
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from comb.errors import ContentError, unknown_name
from comb.inference.infer import declared_column, infer_column
from comb.inference.patterns import parse_request
from comb.inference.reader import RawColumn
from comb.kernels.coding import Codes
from comb.kernels.structure import Records, split_records
from comb.reading.dialect import Layout
from comb.tables.column import Column
from comb.tables.names import choose, unique_names
from comb.tables.text import Text
from comb.tables.types import STRING

# So many line numbers are named in a note; the rest is counted.
MOST_LINES_TOLD = 5


@dataclass(slots=True)
class Grid:
    """The cells of a delimited text, all of one width.

    Attributes
    ----------
    names : list of str
    rows : list of list of str
    lines : int64 array
        The line each row began on.
    titles : list of str
        The lines above the header.
    absent : dict of int to set of int
        For each column the rows in which the source had no such cell.
    notes : list of str
        What was irregular.
    """

    names: list[str]
    rows: list[list[str]]
    lines: Codes
    titles: list[str] = field(default_factory=list)
    absent: dict[int, list[int]] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)


def read_grid(text: str, layout: Layout, *, most: int | None = None) -> Grid:
    """Split a text into named columns of equal length; nothing is dropped.

    Parameters
    ----------
    text : str
    layout : Layout
    most : int, optional
        Read only so many rows.

    Returns
    -------
    Grid
        Short rows are filled with absent cells; what a long row has too many stands
        in one further column.
    """
    limit = None if most is None else most + layout.skip + layout.header + 1
    found = split_records(text, layout.delimiter, layout.quote, most=limit)
    titles, body = _parted(found, layout)
    wide = body.fields[0] if body.fields else [""]
    single = len(wide) == 1
    blank = [] if single else [line for row, line in _pairs(body) if row == [""]]
    kept = [(row, line) for row, line in _pairs(body) if single or row != [""]]
    head = kept[0][0] if kept and layout.header else []
    rows = kept[layout.header :][:most]
    width = len(head) if head else _commonest_width([row for row, _ in rows])
    names = unique_names([_one_line(name) for name in head] or [""] * width)
    grid = Grid(names, [row for row, _ in rows], np.array([line for _, line in rows], np.int64), titles)
    _note(grid, blank, "{} left out", "blank line")
    _square(grid, width, layout.delimiter)
    _note(grid, body.stray, "{} with a quote inside a field, read as an ordinary character", "row")
    _note(grid, body.unclosed, "{} with a quote that never closes, read as an ordinary character", "row")
    return grid


def _pairs(records: Records) -> "zip[tuple[list[str], int]]":
    return zip(records.fields, records.lines, strict=True)


def _parted(found: Records, layout: Layout) -> tuple[list[str], Records]:
    """Part the title lines from the table."""
    start = sum(line <= layout.skip for line in found.lines)
    titles = [layout.delimiter.join(fields) for fields in found.fields[:start]]
    body = Records(found.fields[start:], found.lines[start:])
    body.stray = [line for line in found.stray if line > layout.skip]
    body.unclosed = [line for line in found.unclosed if line > layout.skip]
    return [title for title in titles if title.strip()], body


def _one_line(name: str) -> str:
    return " ".join(name.split())


def _commonest_width(rows: Sequence[Sequence[str]]) -> int:
    widths = [len(row) for row in rows]
    return max(set(widths), key=lambda width: (widths.count(width), width), default=1)


def _square(grid: Grid, width: int, delimiter: str) -> None:
    """Fill short rows and move what is too much into a further column."""
    short = [at for at, row in enumerate(grid.rows) if len(row) < width]
    long = [at for at, row in enumerate(grid.rows) if len(row) > width]
    for at in short:
        row = grid.rows[at]
        for column in range(len(row), width):
            grid.absent.setdefault(column, []).append(at)
        grid.rows[at] = row + [""] * (width - len(row))
    if long:
        further = set(long)
        surplus = [_rejoined(row[width:], delimiter) for row in grid.rows]
        grid.rows = [[*row[:width], rest] for row, rest in zip(grid.rows, surplus, strict=True)]
        grid.names = unique_names([*grid.names, ""])
        grid.absent[width] = [at for at in range(len(grid.rows)) if at not in further]
        told = f"{{}} with too many cells, the rest stands in {grid.names[-1]}"
        _note(grid, grid.lines[long].tolist(), told, "row")
    _note(grid, grid.lines[short].tolist(), "{} with too few cells, the others are absent", "row")


def _rejoined(cells: list[str], delimiter: str) -> str:
    """Write surplus cells as one text from which they can be told apart again."""
    if len(cells) < 2:
        return "".join(cells)
    line = io.StringIO()
    csv.writer(line, delimiter=delimiter[0], lineterminator="").writerow(cells)
    return line.getvalue()


def _note(grid: Grid, lines: list[int], what: str, noun: str) -> None:
    """Note an irregularity with the lines it stands in; ``{}`` takes their number."""
    if lines:
        told = ", ".join(f"{line:,}" for line in lines[:MOST_LINES_TOLD])
        more = f" and {len(lines) - MOST_LINES_TOLD:,} more" if len(lines) > MOST_LINES_TOLD else ""
        plural = "" if len(lines) == 1 else "s"
        count = f"{len(lines):,} {noun}{plural}"
        grid.notes.append(f"{what.format(count)}: line{plural} {told}{more}")


def type_columns(
    grid: Grid,
    *,
    missing: Collection[str] | None = None,
    types: Mapping[str, str] | str | None = None,
    columns: Sequence[str] | None = None,
) -> dict[str, Column]:
    """Give the columns of a grid their types.

    Parameters
    ----------
    grid : Grid
    missing : collection of str, optional
        Words for missing, in all columns; by default the known ones, where a column
        is not text.
    types : mapping of str to str, or str, optional
        Types declared by column, or one for all.
    columns : sequence of str, optional
        Selectors of the columns wanted.

    Raises
    ------
    ContentError
        If a declared type names a column that is not there.
    """
    wanted = choose(columns, dict.fromkeys(grid.names, STRING)) if columns is not None else grid.names
    declared = dict.fromkeys(grid.names, types) if isinstance(types, str) else dict(types or {})
    for name in declared:
        if name not in grid.names:
            what, remedy = unknown_name("column", name, grid.names)
            raise ContentError(f"a type is declared, but {what}", remedy=remedy)
    cells = list(zip(*grid.rows, strict=True)) or [()] * len(grid.names)
    result = {}
    for name in wanted:
        at = grid.names.index(name)
        result[name] = _typed(_raw(grid, cells[at], at), declared.get(name), missing)
    return result


def _raw(grid: Grid, cells: Sequence[str], at: int) -> RawColumn:
    absent = None
    if at in grid.absent:
        absent = np.zeros(len(cells), np.bool_)
        absent[grid.absent[at]] = True
    return RawColumn(Text.from_strings(cells), absent)


def _typed(raw: RawColumn, declared: str | None, missing: Collection[str] | None) -> Column:
    if declared is None:
        return infer_column(raw, missing=missing)
    request = parse_request(declared)
    return declared_column(raw, request, missing=missing or (), known_words=missing is None)
