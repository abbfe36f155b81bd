"""Find the tables on a sheet: where each stands, what is its header, and what only stands around it."""

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from comb.inference.typed_cells import SourceKind
from comb.kernels.grouping import Codes
from comb.reading.delimited.layout import all_words, are_units, guess_header
from comb.reading.documents.workbooks.grid import SheetGrid
from comb.reading.documents.workbooks.sheet import Range
from comb.reading.documents.workbooks.totals import (
    WrongTotal,
    has_total_word,
    totals_among_columns,
    totals_among_rows,
)

# The header is looked for above this many rows, and has this many lines at most.
ROWS_LOOKED_AT = 60
MOST_HEADER_LINES = 5

# A text alone in its row is a note below a table at least so wide.
LEAST_NOTED_WIDTH = 3
MOST_NOTES = 20

# Fewer rows with empty ones between them are blocks of their own.
LEAST_SPACED_ROWS = 3

# A single text is a title.
LEAST_NAMES = 2

# How many rows above a gap tell whether what is below goes on with them.
ROWS_COMPARED = 20


@dataclass(slots=True)
class Area:
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
    headings : list of str
        What stands above the own name of each column, where a header has several lines; a name begins with it.
    titles, notes : list of str
        Texts above and below.
    totals : dict of int to str
        Rows that are totals, and why they are taken for that.
    total_columns : dict of int to str
        Columns that do.
    wrong_totals : list of WrongTotal
        Those that do not add up.
    blank_rows, blank_columns : list of int
    sums_up : str
        The area that this one only sums up; empty for a table in its own right.
    """

    range: Range
    header: list[int]
    units: list[int]
    body: Codes
    columns: list[int]
    names: list[str]
    headings: list[str]
    titles: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    totals: dict[int, str] = field(default_factory=dict)
    total_columns: dict[int, str] = field(default_factory=dict)
    wrong_totals: list[WrongTotal] = field(default_factory=list)
    blank_rows: list[int] = field(default_factory=list)
    blank_columns: list[int] = field(default_factory=list)
    sums_up: str = ""


def find_areas(grid: SheetGrid) -> list[Area]:
    """Find the tables of a sheet, from top to bottom and from left to right.

    Blocks are parted by empty rows and columns. What belongs together is joined again: rows
    that go on below a gap as above it, and columns under one header beside an empty one.
    Blocks of nothing but text, one in a row, are titles or notes of the table they stand next to.
    """
    blocks = _joined(grid, _spaced(list(_cut(grid, _whole(grid)))))
    tables = [block for block in blocks if not _only_text(grid, block)]
    if not tables:
        tables = blocks[:1]
    areas = [read_area(grid, block) for block in tables]
    known = set(tables)
    for block in blocks:
        if block not in known:
            _attach(grid, block, tables, areas)
    return [area for area in areas if len(area.body) or area.header]


def _whole(grid: SheetGrid) -> Range:
    return Range(0, 0, len(grid.rows) - 1, len(grid.columns) - 1)


def _cut(grid: SheetGrid, area: Range) -> Iterator[Range]:
    """Cut along empty rows, then along empty columns, until nothing is left to cut."""
    if area.bottom < area.top or area.right < area.left:
        return
    part = grid.filled[area.top : area.bottom + 1, area.left : area.right + 1]
    bands = _runs(np.asarray(part.any(axis=1)))
    if len(bands) == 1 and bands[0] == (0, len(part) - 1):
        strips = _runs(np.asarray(part.any(axis=0)))
        if len(strips) == 1 and strips[0] == (0, part.shape[1] - 1):
            yield area
            return
        for first, last in strips:
            yield from _cut(grid, area._replace(left=area.left + first, right=area.left + last))
        return
    for first, last in bands:
        yield from _cut(grid, area._replace(top=area.top + first, bottom=area.top + last))


def _runs(filled: np.ndarray) -> list[tuple[int, int]]:
    """Return the first and last place of each run of true values."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], filled, [False]]).astype(np.int8)))
    return [(int(first), int(last) - 1) for first, last in edges.reshape(-1, 2)]


def _spaced(blocks: list[Range]) -> list[Range]:
    """Join single rows with an empty one between each two, as wide as the first at most: one table, widely spaced."""
    found: list[Range] = []
    run: list[Range] = []

    def end() -> None:
        nonlocal run
        joined = len(run) >= LEAST_SPACED_ROWS
        found.extend([run[0]._replace(bottom=run[-1].bottom)] if joined else run)
        run = []

    for block in sorted(blocks):
        single = block.top == block.bottom
        if not (run and single and block.top == run[-1].bottom + 2 and _inside(block, run[0])):
            end()
        if single and (run or block.right > block.left):
            run.append(block)
        else:
            found.append(block)
    end()
    return sorted(found)


def _inside(block: Range, other: Range) -> bool:
    return other.left <= block.left and block.right <= other.right


def _joined(grid: SheetGrid, blocks: list[Range]) -> list[Range]:
    """Join blocks that are one table.

    Each block is tried against those that begin one empty line further on; what it is joined with is tried again, as
    are those before it. A block is looked up by where it begins, so that the time grows with the blocks.
    """
    text_only = {block: _only_text(grid, block) for block in blocks}
    tops: dict[int, set[Range]] = {}
    lefts: dict[int, set[Range]] = {}

    def put(block: Range) -> None:
        tops.setdefault(block.top, set()).add(block)
        lefts.setdefault(block.left, set()).add(block)

    def take(block: Range) -> None:
        tops[block.top].discard(block)
        lefts[block.left].discard(block)

    for block in blocks:
        put(block)
    waiting = sorted(blocks, reverse=True)
    there = set(blocks)
    while waiting:
        first = waiting.pop()
        if first not in there:
            continue
        for second in sorted(tops.get(first.bottom + 2, set()) | lefts.get(first.right + 2, set())):
            below = _go_on_below(grid, first, second, text_only) or _is_header_of(grid, first, second)
            if not below and not _go_on_beside(grid, first, second):
                continue
            bounds = zip(first, second, strict=True)
            top, left, bottom, right = (pick(pair) for pick, pair in zip((min, min, max, max), bounds, strict=True))
            whole = Range(top, left, bottom, right)
            for part in (first, second):
                take(part)
                there.discard(part)
            put(whole)
            there.add(whole)
            # A header with its rows is not a title or note, nor is anything that was joined before.
            text_only[whole] = False
            before = [one for one in lefts.get(whole.left, set()) if one.bottom + 2 == whole.top]
            waiting += [*sorted(before, reverse=True), whole]
            break
    return sorted(there)


def _only_text(grid: SheetGrid, block: Range) -> bool:
    """Return whether a block has no more than one text in each row."""
    part = grid.at[block.top : block.bottom + 1, block.left : block.right + 1]
    alone = ((part >= 0).sum(axis=1) <= 1).all()
    held = part[part >= 0]
    return bool(alone and (grid.sheet.kinds[held] == SourceKind.TEXT).all())


def _go_on_below(grid: SheetGrid, above: Range, below: Range, text_only: dict[Range, bool]) -> bool:
    """Return whether the rows of a block go on below a gap, without a header of their own."""
    if below.top != above.bottom + 2 or below.left < above.left or below.right > above.right:
        return False
    if above.bottom - above.top < 1 or text_only[below] or text_only[above]:
        return False
    rows = np.arange(max(above.top + 1, above.bottom - ROWS_COMPARED), above.bottom + 1)
    same = other = 0
    for column in range(below.left, below.right + 1):
        kind = int(grid.kinds([below.top], column)[0])
        kinds = grid.kinds(rows, column)
        kinds = kinds[kinds != SourceKind.EMPTY]
        if kind == SourceKind.EMPTY or not len(kinds):
            continue
        usual = int(np.bincount(kinds).argmax())
        same += kind == usual
        other += kind != usual
    values = any(int(grid.kinds([below.top], at)[0]) != SourceKind.TEXT for at in range(below.left, below.right + 1))
    total = has_total_word(grid, below.top, below.left, below.right)
    return same > 0 and not other and (values or total)


def _is_header_of(grid: SheetGrid, above: Range, below: Range) -> bool:
    """Return whether a row of names stands alone above an empty row, and its rows, with values, below that."""
    if above.top != above.bottom or below.top != above.bottom + 2 or below[1::2] != above[1::2]:
        return False
    names = grid.texts(above.top, above.left, above.right)
    if len(names) < LEAST_NAMES or not all(names) or not all_words(names) or len(set(names)) < len(names):
        return False
    kinds = [int(grid.kinds([below.top], at)[0]) for at in range(below.left, below.right + 1)]
    return any(kind not in (SourceKind.TEXT, SourceKind.EMPTY) for kind in kinds)


def _go_on_beside(grid: SheetGrid, left: Range, right: Range) -> bool:
    """Return whether two blocks beside each other are columns of one table, with an empty one between.

    They begin and end together, no name occurs in both, and the right one has no column of
    texts of its own that would say what its rows are.
    """
    if right.left != left.right + 2 or (right.top, right.bottom) != (left.top, left.bottom):
        return False
    if grid.columns[right.left] - grid.columns[left.right] != 2 or left.bottom == left.top:
        return False
    names, further = grid.texts(left.top, *left[1::2]), grid.texts(right.top, *right[1::2])
    if not all_words(names) or not all_words(further) or set(names) & set(further) or not all(further):
        return False
    kinds = grid.kinds(np.arange(right.top + 1, right.bottom + 1), right.left)
    return not (kinds == SourceKind.TEXT).any()


def _attach(grid: SheetGrid, block: Range, tables: list[Range], areas: list[Area]) -> None:
    """Give a block of text to the table below it as title, else to the one above as note."""
    texts = [text for row in range(block.top, block.bottom + 1) for text in grid.texts(row, *block[1::2]) if text]
    below = [at for at, table in enumerate(tables) if table.top > block.bottom and table.spans(block)]
    above = [at for at, table in enumerate(tables) if table.bottom < block.top]
    gap_below = min((tables[at].top - block.bottom for at in below), default=None)
    gap_above = min((block.top - tables[at].bottom for at in above), default=None)
    if gap_below is not None and (gap_above is None or gap_below <= gap_above):
        nearest = min(below, key=lambda at: (tables[at].top - block.bottom, tables[at].left))
        areas[nearest].titles.extend(texts)
    elif gap_above is not None:
        nearest = max(above, key=lambda at: (tables[at].bottom, tables[at].spans(block), -tables[at].left))
        areas[nearest].notes.extend(texts)
    elif areas:
        areas[0].notes.extend(texts)


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
    filled = grid.at[block.top : block.bottom + 1, block.left : block.right + 1] >= 0
    while header is None and len(rows) > 2 and len(columns) > 1 and _is_title(grid, rows[0], block):
        titles += [text for text in grid.texts(rows[0], block.left, block.right) if text]
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
    body = np.array(rows[lines + len(units) :], np.int64)
    blank_columns = [at for at in columns if not filled[:, at - block.left].any()]
    parts = [part for at, part in zip(columns, parts, strict=True) if at not in blank_columns]
    names, headings = [_joined_words(part) for part in parts], [_joined_words(part[:-1]) for part in parts]
    columns = [at for at in columns if at not in blank_columns]
    last = rows[-1] if rows else block.bottom
    area = Area(
        Range(rows[0] if rows else block.top, block.left, last, block.right), head, units, body, columns, names,
        headings, titles, list(reversed(notes)),
    )  # fmt: skip
    area.blank_rows, area.blank_columns = [row for row in blank_rows if row < last], blank_columns
    area.totals, area.wrong_totals = totals_among_rows(grid, body, columns)
    kept = body[~np.isin(body, list(area.totals))]
    area.total_columns, wrong = totals_among_columns(grid, kept, columns, names)
    area.wrong_totals += wrong
    return area


def _is_title(grid: SheetGrid, row: int, block: Range) -> bool:
    """A title is a text alone in its row; over some of the columns only, it is a merged heading."""
    here = [column for column in range(block.left, block.right + 1) if grid.at[row, column] >= 0]
    if len(here) != 1 or int(grid.kinds([row], here[0])[0]) != SourceKind.TEXT:
        return False
    wide = [area for area in grid.merged if (area.top, area.left) == (row, here[0]) and area.right > area.left]
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
    if upper:
        return upper + 1
    if any(numbers[0]) and not _are_years(records[0], numbers[0]) and not _are_days(grid, looked_at, columns):
        return 0
    lines, *_ = guess_header(records, len(columns))
    below = [any(column) for column in zip(*numbers[1:], strict=True)] if len(numbers) > 1 else []
    if lines == 0 and all_words(records[0]) and any(below):
        return 1
    return lines


def _are_years(texts: list[str], numbers: list[bool]) -> bool:
    """Return whether the numbers of a row are years, which are headings too."""
    years = [text for text, number in zip(texts, numbers, strict=True) if number]
    return all(len(text) == 4 and text[:2] in ("19", "20") for text in years)


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
    for line, row in enumerate(head):
        spread = _spread(grid, row, columns, upper=line + 1 < len(head))
        for at, text in enumerate(spread):
            if text and (not parts[at] or parts[at][-1] != text):
                parts[at].append(text)
    return parts


def _joined_words(parts: list[str]) -> str:
    return " ".join(" ".join(parts).split())


def _spread(grid: SheetGrid, row: int, columns: list[int], *, upper: bool) -> list[str]:
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
            last = "" if column in tall else texts[at] or last
            texts[at] = texts[at] or last
    return texts
