"""Find the tables on a sheet: where each stands, what is its header, and what only stands around it."""

from bisect import bisect_left
from itertools import islice, pairwise
from operator import and_

import msgspec
import numpy as np

from comb.inference.typed_cells import SourceKind
from comb.kernels.grouping import Codes
from comb.reading.delimited.cell_kinds import all_words
from comb.reading.delimited.first_lines import (
    are_units,
    guess_header,
    is_above_names,
    label_lines,
    words_below,
)
from comb.reading.documents.workbooks.blocks import (
    ROWS_COMPARED,
    find_blocks,
    is_lone_text,
    label_pairs,
    only_text,
    rows_like,
)
from comb.reading.documents.workbooks.grid import SheetGrid
from comb.reading.documents.workbooks.sheet import Range
from comb.reading.documents.workbooks.totals import (
    WrongTotal,
    means_among_rows,
    totals_among_columns,
    totals_among_rows,
)
from comb.tables.read_options import MOST_HEADER_LINES

# The header is looked for above this many rows.
ROWS_LOOKED_AT = 60

# A text alone in its row is a note below a table at least so wide.
LEAST_NOTED_WIDTH = 3
MOST_NOTES = 20

# At most this many labels with values are above a table.
MOST_LABELS = 20

# A label and its value.
PAIR = 2

# This number of cells that count on are headings.
LEAST_COUNTED = 3


class Area(msgspec.Struct):
    """A table on a sheet, in places of the grid.

    Attributes
    ----------
    range : Range
        From the first line of the header to the last row.
    header, units : list of int
        The rows with names, and the row with units.
    body : int64 array
        The rows of the table.
    columns : list of int
    names : list of str
        Of the columns, before they are made unique.
    headings : list of tuple of str
        What stands above the own name of each column, where a header has several lines; a name begins with it.
    titles, notes : list of str
        Texts above and below, from top to bottom.
    above : list of str
        Those of the titles that an empty row parts from the table.
    labels : dict of str to str
        Labels above it, and the value beside each; they are among the titles, too.
    totals : dict of int to str
        Rows that are totals, and why they are taken for that.
    total_columns : dict of int to str
        Columns that do.
    wrong_totals : list of WrongTotal
        Those that do not add up.
    blank_rows, blank_columns : list of int
    repeated : list of int
        Rows in which the header stands again.
    column_labels : list of int
        Rows below the header that say in words what each column is.
    sums_up : str
        The area that this one only sums up; empty for a table in its own right.
    """

    range: Range
    header: list[int]
    units: list[int]
    body: Codes
    columns: list[int]
    names: list[str]
    headings: list[tuple[str, ...]]
    titles: list[str] = msgspec.field(default_factory=list)
    notes: list[str] = msgspec.field(default_factory=list)
    above: list[str] = msgspec.field(default_factory=list)
    labels: dict[str, str] = msgspec.field(default_factory=dict)
    totals: dict[int, str] = msgspec.field(default_factory=dict)
    total_columns: dict[int, str] = msgspec.field(default_factory=dict)
    wrong_totals: list[WrongTotal] = msgspec.field(default_factory=list)
    blank_rows: list[int] = msgspec.field(default_factory=list)
    blank_columns: list[int] = msgspec.field(default_factory=list)
    repeated: list[int] = msgspec.field(default_factory=list)
    column_labels: list[int] = msgspec.field(default_factory=list)
    sums_up: str = ""


# Sums of numbers near the largest there are go beyond it, and equal nothing.
@np.errstate(over="ignore", invalid="ignore")
def find_areas(grid: SheetGrid) -> list[Area]:
    """Find the tables of a sheet, from top to bottom and from left to right.

    Blocks of nothing but text, one in a row, are titles or notes of the table they stand next to; labels with their
    values above a table are notes of it.
    """
    blocks = find_blocks(grid)
    tables = [block for block in blocks if not only_text(grid, block)]
    labels = {block for block in tables if _are_labels(grid, block, tables)}
    tables = [block for block in tables if block not in labels]
    if not tables:
        tables = _list_of_texts(blocks)
    areas = [read_area(grid, block) for block in tables]
    known = set(tables)
    for block in blocks:
        in_list = len(tables) == 1 and tables[0].top <= block.top and block.bottom <= tables[0].bottom
        if block not in known and not (in_list and tables[0].left <= block.left and block.right <= tables[0].right):
            _attach(grid, block, tables, areas)
    for area in areas:
        area.titles = area.above + area.titles
    return [area for area in areas if len(area.body) or area.header]


def _list_of_texts(blocks: list[Range]) -> list[Range]:
    """Return the block of a sheet with one text in each row that is a list, with those that go on below a gap.

    A text alone above it is its title, and one below a note.
    """
    if not blocks:
        return []
    begin = next((at for at, block in enumerate(blocks) if block.bottom - block.top >= LEAST_LISTED - 1), 0)
    found = blocks[begin]
    for block in blocks[begin + 1 :]:
        if block.left != found.left or block.right != found.right or block.bottom == block.top:
            break
        found = Range(found.top, found.left, block.bottom, found.right)
    return [found]


# A list has a name and two texts at least.
LEAST_LISTED = 3


def _are_labels(grid: SheetGrid, block: Range, tables: list[Range]) -> bool:
    """Return whether a block is of labels with a value beside each, above a wider table: "Station", "Harbour mole".

    Values of one kind that is not text make it a table, as do names above them.
    """
    rows, parts = _below_titles(grid, block)
    paired = all(label_pairs(grid, row, block) for row in rows.tolist())
    if not paired and (len(rows) > MOST_LABELS or any(right - left + 1 != PAIR for left, right in parts)):
        return False
    # Tables are in order, from top to bottom.
    begin = bisect_left(tables, Range(block.bottom + 1, 0, 0, 0))
    below = next((table for table in islice(tables, begin, None) if table.spans(block)), None)
    if below is None or paired:
        return below is not None
    at_top = not any(table.bottom < block.top and table.right - table.left >= PAIR for table in tables)
    return at_top and below.right - below.left >= PAIR and all(_are_named(grid, rows, *part) for part in parts)


def _are_named(grid: SheetGrid, rows: Codes, left: int, right: int) -> bool:
    """Return whether what is in two columns are labels with values, and not a column of values below a name."""
    kinds, values = (grid.kinds(rows, at)[grid.at[rows, left] >= 0] for at in (left, right))
    labels = [text for text in grid.texts_of(rows, left) if text]
    alike = len(rows) > PAIR and len(set(values[1:].tolist())) == 1 and values[-1] != SourceKind.TEXT
    return bool((kinds == SourceKind.TEXT).all()) and len(set(labels)) == len(labels) and not alike


def _below_titles(grid: SheetGrid, block: Range) -> tuple[Codes, list[tuple[int, int]]]:
    """Return the rows of a block below the titles that it begins with, and the columns filled there, as runs."""
    top = block.top
    while top < block.bottom and is_lone_text(grid, top, block) and _is_title(grid, top, block):
        top += 1
    filled = (grid.at[top : block.bottom + 1, block.left : block.right + 1] >= 0).any(axis=0)
    edges = np.flatnonzero(np.diff(filled.astype(np.int8), prepend=0, append=0)) + block.left
    return np.arange(top, block.bottom + 1), list(zip(edges[::2].tolist(), (edges[1::2] - 1).tolist(), strict=True))


def _attach(grid: SheetGrid, block: Range, tables: list[Range], areas: list[Area]) -> None:
    """Give a block of text to the table below it as title, else to the one above as note."""
    lines = [[text for text in grid.texts(row, *block[1::2]) if text] for row in range(block.top, block.bottom + 1)]
    labels = _labels_of(lines)
    texts = [line[0] for line in lines if len(line) == 1] + _as_titles(labels)
    below = [at for at, table in enumerate(tables) if table.top > block.bottom and table.spans(block)]
    above = [at for at, table in enumerate(tables) if table.bottom < block.top]
    gap_below = min((tables[at].top - block.bottom for at in below), default=None)
    gap_above = min((block.top - tables[at].bottom for at in above), default=None)
    if gap_below is not None and (gap_above is None or gap_below <= gap_above):
        nearest = min(below, key=lambda at: (tables[at].top - block.bottom, tables[at].left))
        areas[nearest].above.extend(texts)
        areas[nearest].labels |= labels
    elif gap_above is not None:
        nearest = max(above, key=lambda at: (tables[at].bottom, tables[at].spans(block), -tables[at].left))
        areas[nearest].notes.extend(texts)
    elif areas:
        areas[0].notes.extend(texts)


def _labels_of(lines: list[list[str]]) -> dict[str, str]:
    """Return labels and their values, of rows that alternate between them."""
    return {
        name.rstrip(": "): value.strip() for line in lines for name, value in zip(line[::2], line[1::2], strict=False)
    }


def _as_titles(labels: dict[str, str]) -> list[str]:
    return [f"{name}: {value}" for name, value in labels.items()]


@np.errstate(over="ignore", invalid="ignore")
def read_area(grid: SheetGrid, block: Range, header: int | None = None) -> Area:
    """Read a block as a table: titles, header, units, rows, totals, notes.

    Parameters
    ----------
    grid : SheetGrid
    block : Range
        In places of the grid.
    header : int, optional
        Lines of header; by default found out.
    """
    rows = list(range(block.top, block.bottom + 1))
    columns = list(range(block.left, block.right + 1))
    titles: list[str] = []
    labels: dict[str, str] = {}
    filled = grid.at[block.top : block.bottom + 1, block.left : block.right + 1] >= 0
    particulars: dict[int, tuple[str, str]] = {}
    while header is None and len(rows) > 2 and len(columns) > 1:
        particulars = particulars or _particulars(grid, rows, block)
        if _is_numbers_above(grid, rows, columns):
            titles.append(" ".join(text for text in grid.texts(rows[0], block.left, block.right) if text))
            rows = rows[1:]
            break
        pairs = dict([particulars[rows[0]]] if rows[0] in particulars else label_pairs(grid, rows[0], block))
        if not pairs and not _is_title(grid, rows[0], block):
            break
        labels |= pairs
        titles += _as_titles(pairs) or [text for text in grid.texts(rows[0], block.left, block.right) if text]
        rows = rows[1:]
    blank_rows = [row for row in rows if not filled[row - block.top].any()]
    blank = set(blank_rows)
    rows = [row for row in rows if row not in blank]
    while titles and rows and len(rows) > 1 and rows[0] - 1 in blank_rows:
        blank_rows.remove(rows[0] - 1)
    notes: list[str] = []
    lines = _header_lines(grid, rows, columns) if header is None else min(header, len(rows))
    while len(rows) > lines + 1 and len(notes) < MOST_NOTES and _is_note(grid, rows[-1], columns):
        notes += [text for text in grid.texts(rows[-1], block.left, block.right) if text]
        rows = rows[:-1]
    head = rows[:lines]
    parts = _names(grid, head, columns)
    after = rows[lines : lines + 1]
    below = [grid.texts(row, block.left, block.right) for row in after]
    more = [grid.texts(row, block.left, block.right) for row in rows[lines + 1 : lines + 1 + ROWS_COMPARED]]
    units = after if lines and below and more and are_units(below[0], more) else []
    count = 0
    if lines == 1 and not units:
        count = label_lines([*below, *more], block.right - block.left + 1)
        if count and are_units(more[count - 1], more[count:]):
            units = rows[lines + count : lines + count + 1]
    column_labels = rows[lines : lines + count]
    repeated = sorted({row for line in head for row in rows_like(grid, line, block)} - {*head, *units, *column_labels})
    body = np.setdiff1d(np.array(rows[lines + count + len(units) :], np.int64), repeated)
    blank_columns = [at for at in columns if not filled[:, at - block.left].any()]
    parts = [part for at, part in zip(columns, parts, strict=True) if at not in blank_columns]
    names, headings = [_joined_words(part) for part in parts], [tuple(map(_clean, part[:-1])) for part in parts]
    columns = [at for at in columns if at not in blank_columns]
    last = rows[-1] if rows else block.bottom
    area = Area(
        Range(rows[0] if rows else block.top, block.left, last, block.right), head, units, body, columns, names,
        headings, titles, list(reversed(notes)),
    )  # fmt: skip
    area.repeated, area.labels, area.column_labels = repeated, labels, column_labels
    area.blank_rows, area.blank_columns = [row for row in blank_rows if row < last], blank_columns
    means = means_among_rows(grid, body, columns)
    area.totals, area.wrong_totals = totals_among_rows(grid, body[~np.isin(body, list(means))], columns)
    area.totals |= means
    kept = body[~np.isin(body, list(area.totals))]
    area.total_columns, wrong = totals_among_columns(grid, kept, columns, names)
    area.wrong_totals += wrong
    return area


def _particulars(grid: SheetGrid, rows: list[int], block: Range) -> dict[int, tuple[str, str]]:
    """Return the labels with values right above a header: rows of two cells, at the left, above a row of three texts.

    One row alone could be the upper line of the header, unless its value is a number or a day.
    """
    found: dict[int, tuple[str, str]] = {}
    plain = True
    for row in rows[:MOST_LABELS]:
        here = (np.flatnonzero(grid.at[row, block.left : block.right + 1] >= 0) + block.left).tolist()
        kinds = [int(grid.kinds([row], at)[0]) for at in here]
        if here != [block.left, block.left + 1] or kinds[0] != SourceKind.TEXT:
            headed = len(here) > PAIR and set(kinds) == {SourceKind.TEXT}
            told = found and (len(found) > 1 or not plain)
            return found if headed and told else {}
        plain = plain and kinds[1] == SourceKind.TEXT
        found[row] = grid.text(row, here[0]).strip().rstrip(": "), grid.text(row, here[1]).strip()
    return {}


def _is_numbers_above(grid: SheetGrid, rows: list[int], columns: list[int]) -> bool:
    """Return whether the first row holds totals and the names are below it."""
    if _header_lines(grid, rows, columns):
        return False
    records = [grid.texts(row, columns[0], columns[-1]) for row in rows[:ROWS_LOOKED_AT]]
    return is_above_names([[cell or "" for cell in record] for record in records], len(columns))


def _is_title(grid: SheetGrid, row: int, block: Range) -> bool:
    """A title is a text alone in its row, or labels with values; over some of the columns only, a merged heading."""
    if label_pairs(grid, row, block):
        return True
    if not is_lone_text(grid, row, block):
        return False
    here = int(np.argmax(grid.at[row, block.left : block.right + 1] >= 0)) + block.left
    wide = [area for area in grid.merged if (area.top, area.left) == (row, here) and area.right > area.left]
    return not wide or wide[0].right - wide[0].left == block.right - block.left


def _is_note(grid: SheetGrid, row: int, columns: list[int]) -> bool:
    """A note is a sentence alone in a row of a table with several columns."""
    if len(columns) < LEAST_NOTED_WIDTH:
        return False
    here = [column for column in columns if grid.at[row, column] >= 0]
    if len(here) != 1 or int(grid.kinds([row], here[0])[0]) != SourceKind.TEXT:
        return False
    text = grid.text(row, here[0]).strip()
    return " " in text or text.startswith(("*", "¹", "²", "³"))


def _header_lines(grid: SheetGrid, rows: list[int], columns: list[int]) -> int:
    """Return how many lines of header a block begins with."""
    looked_at = rows[:ROWS_LOOKED_AT]
    records = [grid.texts(row, columns[0], columns[-1]) for row in looked_at]
    upper = 0
    while upper < min(MOST_HEADER_LINES - 1, len(records) - 2) and _is_upper(grid, looked_at[upper], records, upper):
        upper += 1
    numbers = [
        [grid.at[row, column] >= 0 and int(grid.kinds([row], column)[0]) != SourceKind.TEXT for column in columns]
        for row in looked_at
    ]
    if upper and not words_below(records[upper], records[upper + 1 :]).recur():
        return upper + 1
    if _are_counted(records[0], numbers[0]) and not (len(numbers) > 1 and _are_counted(records[1], numbers[1])):
        return 1
    below = [any(column) for column in zip(*numbers[1:], strict=True)] if len(numbers) > 1 else []
    if (
        any(numbers[0])
        and not any(map(and_, numbers[0], below))
        and words_below(records[0], records[1:]).speaks_for_names()
    ):
        # Numbers of questions above their answers.
        return 1
    if any(numbers[0]) and not _are_years(records[0], numbers[0]) and not _are_days(grid, looked_at, columns):
        return 0
    lines, *_ = guess_header(records, len(columns))
    named = all_words(records[0]) and not words_below(records[0], records[1:]).recur()
    if lines == 0 and any(below) and (named or _head_numbers(records[0], below)):
        return 1
    return lines


def _head_numbers(texts: list[str], below: list[bool]) -> bool:
    """Return whether a row of different texts is above columns that mostly have numbers."""
    return all(texts) and len(set(texts)) == len(texts) and 2 * sum(below) > len(below)


def _are_years(texts: list[str], numbers: list[bool]) -> bool:
    """Return whether the numbers of a row are years, which are headings too."""
    years = [text for text, number in zip(texts, numbers, strict=True) if number]
    return all(len(text) == 4 and text[:2] in ("19", "20") for text in years)


def _are_counted(texts: list[str], numbers: list[bool]) -> bool:
    """Return whether the numbers of a row count on behind a text, as the days of a month or the hours of a day do."""
    if numbers[0] or sum(numbers) < LEAST_COUNTED:
        return False
    counted_on = [text for text, number in zip(texts, numbers, strict=True) if number]
    if not all(text.isdecimal() for text in counted_on):
        return False
    return all(int(after) - int(before) == 1 for before, after in pairwise(counted_on))


def _are_days(grid: SheetGrid, rows: list[int], columns: list[int]) -> bool:
    """Return whether every value of the first row is a text or a day, and no day is below: then days name columns."""
    days = 0
    for column in columns:
        first, *below = grid.kinds(rows, column).tolist()
        if first in (SourceKind.DATE, SourceKind.DATETIME):
            days += 1
            if first in below:
                return False
        elif first not in (SourceKind.TEXT, SourceKind.EMPTY):
            return False
    return days > 0 and len(rows) > 1


def _is_upper(grid: SheetGrid, row: int, records: list[list[str]], at: int) -> bool:
    """Return whether a row is an upper line of a header: words with gaps or merged cells, words below."""
    texts, below = records[at], records[at + 1]
    merged = any(area.top <= row <= area.bottom and area.right > area.left for area in grid.merged)
    if not (merged or not all(text.strip() for text in texts)):
        return False
    words = [text for text in texts if not (len(text) == 4 and text.isdigit())]
    if not all_words(words) or not all_words(below) or not any(texts) or len([text for text in below if text]) < 2:
        return False
    under = [below[place] for place, text in enumerate(texts) if not text.strip()]
    return merged or all(under)


def _names(grid: SheetGrid, head: list[int], columns: list[int]) -> list[list[str]]:
    """Return the parts of the name of each column, a line of the header each; merged headings spread over columns."""
    parts: list[list[str]] = [[] for _ in columns]
    begun: set[int] = set()
    for line, row in enumerate(head):
        spread = _spread(grid, row, columns, begun, upper=line + 1 < len(head))
        begun |= {column for column in columns if grid.text(row, column).strip()}
        for at, text in enumerate(spread):
            if text and (not parts[at] or parts[at][-1] != text):
                parts[at].append(text)
    return parts


def _joined_words(parts: list[str]) -> str:
    return _clean(" ".join(parts))


def _clean(text: str) -> str:
    return " ".join(text.split())


def _spread(grid: SheetGrid, row: int, columns: list[int], begun: set[int], *, upper: bool) -> list[str]:
    """Return the texts of a line; headings go on to the right, up to the next one or one in a line above."""
    texts = [grid.text(row, column).strip() for column in columns]
    wide = [area for area in grid.merged if area.top <= row <= area.bottom and area.right > area.left]
    for area in wide:
        for at, column in enumerate(columns):
            if area.left <= column <= area.right:
                texts[at] = grid.text(area.top, area.left).strip()
    if upper and not wide:
        last = ""
        tall = {area.left for area in grid.merged if area.top <= row < area.bottom}
        for at, column in enumerate(columns):
            last = "" if column in tall else texts[at] or ("" if column in begun else last)
            texts[at] = texts[at] or last
    return texts
