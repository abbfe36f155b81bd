"""Cut a sheet into blocks of cells, and join again what is one table.

Blocks are parted by empty rows and columns. What belongs together is joined again: rows that go on below a gap as above
it, a row of names with its rows below an empty one, columns under one header beside an empty one. Then each block is
cut where its header stands again below a title: there the next table begins, be a row left empty before it or not.
Where the header stands again without a title, as at the top of a printed page, the table goes on.
"""

from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from comb.inference.typed_cells import SourceKind
from comb.reading.delimited.cell_kinds import all_words
from comb.reading.documents.workbooks.grid import SheetGrid
from comb.reading.documents.workbooks.sheet import Range
from comb.reading.documents.workbooks.totals import has_total_word

# Fewer rows with empty ones between them are blocks of their own.
LEAST_SPACED_ROWS = 3

# A single text is a title.
LEAST_NAMES = 2

# How many rows above a gap tell whether what is below goes on with them.
ROWS_COMPARED = 20

# The header of a block is among its first rows, below its titles.
MOST_TITLE_ROWS = 8


def find_blocks(grid: SheetGrid) -> list[Range]:
    """Return the blocks of a sheet, in places of the grid, from top to bottom and from left to right."""
    whole = Range(0, 0, len(grid.rows) - 1, len(grid.columns) - 1)
    joined = _joined(grid, _spaced(list(_cut(grid, whole))))
    return sorted(part for block in joined for part in _at_headers(grid, block))


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
    text_only = {block: only_text(grid, block) for block in blocks}
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
        # Of many blocks that begin there, few are below it or beside it.
        under = [one for one in tops.get(first.bottom + 2, ()) if _inside(one, first)]
        ends = first.top, first.bottom
        side = [one for one in lefts.get(first.right + 2, ()) if (one.top, one.bottom) == ends]
        for second in sorted({*under, *side}):
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


def only_text(grid: SheetGrid, block: Range) -> bool:
    """Return whether a block has no more than one text in each row."""
    part = grid.at[block.top : block.bottom + 1, block.left : block.right + 1]
    alone = ((part >= 0).sum(axis=1) <= 1).all()
    held = part[part >= 0]
    return bool(alone and (grid.sheet.kinds[held] == SourceKind.TEXT).all())


def is_lone_text(grid: SheetGrid, row: int, block: Range) -> bool:
    """Return whether the only cell of a block in a row is a text."""
    here = np.flatnonzero(grid.at[row, block.left : block.right + 1] >= 0) + block.left
    return len(here) == 1 and int(grid.kinds([row], int(here[0]))[0]) == SourceKind.TEXT


def label_pairs(grid: SheetGrid, row: int, block: Range) -> list[tuple[str, str]]:
    """Return the labels of a row with the value behind each, if it holds nothing else: "Employee:", "Ann"."""
    texts = [text.strip() for text in grid.texts(row, *block[1::2]) if text.strip()]
    pairs = list(zip(texts[::2], texts[1::2], strict=False))
    if not pairs or len(texts) % 2 or not all(name.endswith(":") and not value.endswith(":") for name, value in pairs):
        return []
    return [(name.rstrip(": "), value) for name, value in pairs]


def is_title_row(grid: SheetGrid, row: int, block: Range) -> bool:
    """Return whether a row may stand above a table: a text alone, or labels with their values."""
    return is_lone_text(grid, row, block) or bool(label_pairs(grid, row, block))


def _at_headers(grid: SheetGrid, block: Range) -> list[Range]:
    """Cut a block where its header stands again below a title."""
    header = _first_names(grid, block)
    if header is None:
        return [block]
    cuts = [title for row in rows_like(grid, header, block) if (title := _title_above(grid, row, block)) is not None]
    edges = [block.top, *cuts, block.bottom + 1]
    filled = np.asarray(grid.filled[:, block.left : block.right + 1].any(axis=1))
    parts = []
    for top, below in pairwise(edges):
        bottom = below - 1
        while bottom > top and not filled[bottom]:
            bottom -= 1
        parts.append(block._replace(top=top, bottom=bottom))
    return parts


def _first_names(grid: SheetGrid, block: Range) -> int | None:
    """Return the first row of a block with several texts, if these may be names; None without one."""
    for row in range(block.top, min(block.top + MOST_TITLE_ROWS, block.bottom)):
        texts = [text for text in grid.texts(row, *block[1::2]) if text]
        if len(texts) >= LEAST_NAMES and not label_pairs(grid, row, block):
            return row if all_words(texts) and len(set(texts)) > 1 else None
    return None


def rows_like(grid: SheetGrid, header: int, block: Range) -> list[int]:
    """Return the rows of a block below its header that hold the same texts."""
    columns = np.flatnonzero(grid.at[header, block.left : block.right + 1] >= 0) + block.left
    if len(columns) < LEAST_NAMES:
        return []
    first = int(columns[0])
    wanted = grid.text(header, first)
    strings = [at for at, text in enumerate(grid.sheet.strings) if text == wanted]
    at = grid.at[header + 1 : block.bottom + 1, first]
    same = (at >= 0) & np.isin(grid.sheet.texts[at], strings)
    texts = grid.texts(header, *block[1::2])
    return [row for row in (np.flatnonzero(same) + header + 1).tolist() if grid.texts(row, *block[1::2]) == texts]


def _title_above(grid: SheetGrid, row: int, block: Range) -> int | None:
    """Return the first row of the titles right above a row, or above the empty rows before it; None without one."""
    above = row - 1
    while above > block.top and not (grid.at[above, block.left : block.right + 1] >= 0).any():
        above -= 1
    first = None
    while above > block.top and is_title_row(grid, above, block):
        first, above = above, above - 1
    return first


def _go_on_below(grid: SheetGrid, above: Range, below: Range, text_only: dict[Range, bool]) -> bool:
    """Return whether the rows of a block go on below a gap, without a header of their own."""
    if below.top != above.bottom + 2 or below.left < above.left or below.right > above.right:
        return False
    if above.bottom - above.top < 1 or text_only[below] or text_only[above]:
        return False
    rows = np.arange(max(above.top + 1, above.bottom - ROWS_COMPARED), above.bottom + 1)
    # A text alone is a heading among the rows, or the title of another table: the row below it tells.
    first = below.top + (below.bottom > below.top and is_lone_text(grid, below.top, below))
    same = other = 0
    for column in range(below.left, below.right + 1):
        kind = int(grid.kinds([first], column)[0])
        kinds = grid.kinds(rows, column)
        kinds = kinds[kinds != SourceKind.EMPTY]
        if kind == SourceKind.EMPTY or not len(kinds):
            continue
        usual = int(np.bincount(kinds).argmax())
        same += kind == usual
        other += kind != usual
    places = range(below.left, below.right + 1)
    values = any(int(grid.kinds([first], at)[0]) not in (SourceKind.TEXT, SourceKind.EMPTY) for at in places)
    total = has_total_word(grid, first, below.left, below.right)
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
