"""Delimited text becomes a table. Pure: text and layout in, table out."""

import csv
import io
import re
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from comb.errors import ContentError, unknown_name
from comb.inference.infer import declared_pieces, infer_pieces
from comb.inference.patterns import parse_request
from comb.inference.pieces import TextPiece
from comb.inference.words import words_for
from comb.kernels.structure import SPACES, Records, split_records
from comb.reading.dialect import Layout, kind_of, unit_of
from comb.tables.column import Column
from comb.tables.names import choose, unique_names
from comb.tables.text import Text
from comb.tables.types import STRING

# Notes below a table are few, and a table of one or two columns has none that can be told.
MOST_FOOTERS = 20
LEAST_FOOTED_WIDTH = 3

# No table made by people or programs for people is wider; a text without line ends is.
MOST_COLUMNS = 20_000

# Programs that print tables rule them below the header.
MOST_RULINGS = 3

# So many line numbers are named in a note; the rest is counted.
MOST_LINES_TOLD = 5

_RULING = re.compile(r"\s*[-=+]{3,}\s*")
_UNIT_IN_NAME = re.compile(r"[\[(]([^\[\]()]{1,15})[\])]\s*\Z")


@dataclass(slots=True)
class Grid:
    """The cells of a delimited text, all of one width.

    Attributes
    ----------
    names : list of str
    rows : list of list of str
    lines : list of int
        The line each row began on.
    titles, footers : list of str
        The lines above the header and below the last row.
    units : list of str
        The unit of each column, where a header or a line of units names one.
    absent : dict of int to list of int
        For each column the rows in which the source had no such cell.
    notes : list of str
        What was irregular.
    """

    names: list[str]
    rows: list[list[str]]
    lines: list[int]
    titles: list[str] = field(default_factory=list)
    footers: list[str] = field(default_factory=list)
    units: list[str] = field(default_factory=list)
    absent: dict[int, list[int]] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)


def read_grid(text: str, layout: Layout, *, most: int | None = None, guessing: bool = True) -> Grid:
    """Split a text into named columns of equal length; nothing is dropped.

    Parameters
    ----------
    text : str
    layout : Layout
    most : int, optional
        Read only so many rows.
    guessing : bool
        Whether notes below the table, repeated headers and trailing delimiters are
        looked for; not where a schema says what the table is.

    Returns
    -------
    Grid
        Short rows are filled with absent cells; what a long row has too many stands
        in one further column; what is no row of the table is noted.
    """
    heads = layout.header + layout.units
    limit = None if most is None else most + layout.skip + heads + 1
    found = split_records(text, layout.delimiter, layout.quote, escape=layout.escape, most=limit)
    titles, body = _parted(found, layout)
    single = all(len(row) == 1 for row in body.fields[: heads + 1])
    blank = [] if single else [line for row, line in _pairs(body) if row == [""]]
    kept = [(row, line) for row, line in _pairs(body) if single or row != [""]]
    head = [["", *row] if layout.nameless_first else row for row, _ in kept[: layout.header]]
    rows = [row for row, _ in kept[heads:][:most]]
    width = len(head[-1]) if head else _commonest_width(rows)
    if width > MOST_COLUMNS:
        raise ContentError(
            f"expected at most {MOST_COLUMNS:,} columns, came {width:,}",
            remedy="is this the right delimiter? Line ends may be missing; give another with delimiter=...",
        )
    titled = _joined(head, width)
    grid = Grid(unique_names(titled), rows, [line for _, line in kept[heads:][:most]], titles)
    grid.units = _units(kept[layout.header][0] if layout.units else [], titled)
    if guessing:
        _take_footers(grid, width, blank, layout.delimiter)
        _take_repeated_headers(grid, head)
        _take_rulings(grid)
        _take_trailing_delimiters(grid, titled)
    if layout.nameless_first:
        grid.notes.append(f"the header names all columns but the first, which is {grid.names[0]}")
    _note(grid, blank, "{} left out", "blank line")
    _square(grid, len(grid.names), layout.delimiter)
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


def _joined(head: list[list[str]], width: int) -> list[str]:
    """Make one name for each column of one or two lines of header.

    An upper heading spreads over the gaps to its right, as merged cells leave them.
    """
    if not head:
        return [""] * width
    parts = []
    for row in head[:-1]:
        spread, last = [], ""
        for cell in [*row, *[""] * (width - len(row))][:width]:
            last = cell.strip() or last
            spread.append(last)
        parts.append(spread)
    columns = zip(*parts, head[-1], strict=True)
    return [" ".join(" ".join(column).split()) for column in columns]


def _units(row: list[str], names: list[str]) -> list[str]:
    """Return the unit of each column: from the line of units, else from brackets in its name."""
    given = [unit_of(cell) for cell in row] + [""] * len(names)
    in_names = [_UNIT_IN_NAME.search(name) for name in names]
    return [given[at] or (match[1] if match else "") for at, match in enumerate(in_names)]


def _take_footers(grid: Grid, width: int, blank: list[int], delimiter: str) -> None:
    """Take notes below the table out of its rows: words in one field, at the very end."""
    count = 0
    for row in reversed(grid.rows[-MOST_FOOTERS:]):
        filled = [cell for cell in row if cell.strip()]
        below_gap = any(grid.lines[-1 - count] - 1 == line for line in blank)
        # A single word in the last row may be a cut-off row; a sentence, or one after a gap, is not.
        told = below_gap or " " in row[0].strip()
        word = len(filled) == 1 and row[0].strip() and kind_of(row[0]) == "word" and told
        if not word or width < LEAST_FOOTED_WIDTH or (len(row) == width and not below_gap):
            break
        count += 1
    if count:
        grid.footers = [delimiter.join(row).rstrip(delimiter) for row in grid.rows[-count:]]
        _note(grid, grid.lines[-count:], "{} below the table taken for notes", "line")
        del grid.rows[-count:], grid.lines[-count:]


def _take_repeated_headers(grid: Grid, head: list[list[str]]) -> None:
    """Leave out rows that are the header again, word for word."""
    again = [at for at, row in enumerate(grid.rows) if row in head and len(row) > 1]
    if again:
        _note(grid, [grid.lines[at] for at in again], "{} that repeats the header left out", "row")
        gone = set(again)
        grid.rows = [row for at, row in enumerate(grid.rows) if at not in gone]
        grid.lines = [line for at, line in enumerate(grid.lines) if at not in gone]


def _take_rulings(grid: Grid) -> None:
    """Leave out lines that only rule the page: dashes or equal signs in every cell."""
    ruled = [at for at, row in enumerate(grid.rows[:MOST_RULINGS]) if all(_RULING.fullmatch(cell) for cell in row)]
    if ruled:
        _note(grid, [grid.lines[at] for at in ruled], "{} of dashes left out", "line")
        for at in reversed(ruled):
            del grid.rows[at], grid.lines[at]


def _take_trailing_delimiters(grid: Grid, titled: list[str]) -> None:
    """Leave out an empty last column that only delimiters at the ends of lines make."""
    width = len(grid.names)
    longest = max(map(len, grid.rows), default=0)
    if width > 1 and not titled[-1] and not any(cell.strip() for row in grid.rows for cell in row[width - 1 :]):
        kept = width - 1
    elif longest == width + 1 and not any(row[width].strip() for row in grid.rows if len(row) > width):
        kept = width
    else:
        return
    grid.names, grid.units = grid.names[:kept], grid.units[:kept]
    grid.rows = [row[:kept] for row in grid.rows]
    grid.notes.append("lines end with a delimiter; the empty last column is left out")


def _commonest_width(rows: Sequence[Sequence[str]]) -> int:
    widths = Counter(map(len, rows))
    return max(widths, key=lambda width: (widths[width], width), default=1)


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
        grid.units.append("")
        grid.absent[width] = [at for at in range(len(grid.rows)) if at not in further]
        told = f"{{}} with too many cells, the rest stands in {grid.names[-1]}"
        _note(grid, [grid.lines[at] for at in long], told, "row")
    _note(grid, [grid.lines[at] for at in short], "{} with too few cells, the others are absent", "row")


def _rejoined(cells: list[str], delimiter: str) -> str:
    """Write surplus cells as one text from which they can be told apart again."""
    if len(cells) < 2:
        return "".join(cells)
    line = io.StringIO()
    csv.writer(line, delimiter=" " if delimiter == SPACES else delimiter[0], lineterminator="").writerow(cells)
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
    places = {name: at for at, name in enumerate(grid.names)}
    for name in declared:
        if name not in places:
            what, remedy = unknown_name("column", name, grid.names)
            raise ContentError(f"a type is declared, but {what}", remedy=remedy)
    cells = list(zip(*grid.rows, strict=True)) or [()] * len(grid.names)
    result = {}
    for name in wanted:
        at = places[name]
        column = _typed(grid, cells[at], at, declared.get(name), missing)
        result[name] = column.replace(description=grid.units[at]) if grid.units[at] else column
    return result


def _typed(grid: Grid, cells: Sequence[str], at: int, declared: str | None, missing: Collection[str] | None) -> Column:
    absent = None
    if at in grid.absent:
        absent = np.zeros(len(cells), np.bool_)
        absent[grid.absent[at]] = True
    request = None if declared is None else parse_request(declared)
    known = missing is None and (request is None or request.word != "string")
    piece = TextPiece(Text.from_strings(cells), words_for(missing, known=known), absent)
    return infer_pieces([piece]) if request is None else declared_pieces([piece], request)
