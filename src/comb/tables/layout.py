"""The printed form of a table: a sentence, the rows, how to see the rest.

One pure layout for `repr`, terminal and notebook: it makes lines of spans, each a
text with a style word; who prints decides what a style looks like. Data never
reaches a terminal unwashed: control characters are shown as pictures.
"""

import textwrap
import unicodedata
from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from comb.errors import washed
from comb.kernels.grouping import Codes
from comb.tables.bars import length_bar, share_words
from comb.tables.column import Column

# A table is read, not scrolled: this many columns of a terminal, this many rows.
DEFAULT_WIDTH = 100
DEFAULT_ROWS = 10

# Bars are drawn where there is room for at least SHORTEST_BAR characters.
SHORTEST_BAR, LONGEST_BAR = 8, 30

# Longer texts are cut in the middle, where names differ least.
WIDEST_CELL = 32

GAP = "  "


class Span(msgspec.Struct, frozen=True):
    """A piece of a line with the word for its style: plain, dim, head or said."""

    text: str
    style: str = "plain"


Line = list[Span]


class LayoutRequest(msgspec.Struct, frozen=True):
    """What to lay out.

    Attributes
    ----------
    columns, row_numbers
        The table.
    sentence : str
        What it is; printed first.
    width : int
        Characters in a line.
    rows : int
        The most rows to show.
    start : int
        The position of the first row to show, from 0.
    types : bool
        Whether a line with types stands under the names.
    more_rows : str
        How to see rows that are not shown, from ``{first}`` to ``{last}``.
    shares : tuple of str
        Columns of numbers that are shares: shown as percentages.
    bars : tuple of float
        For each row the length of a bar behind it, as a share; none are drawn where there is no room.
    """

    columns: Mapping[str, Column]
    row_numbers: Codes
    sentence: str
    width: int = DEFAULT_WIDTH
    rows: int = DEFAULT_ROWS
    start: int = 0
    types: bool = False
    more_rows: str = "rows_between({first}, {last})"
    shares: tuple[str, ...] = ()
    bars: tuple[float, ...] = ()


def text_width(text: str) -> int:
    """Return how many terminal columns a text takes.

    >>> text_width("Ähre"), text_width("蜂")
    (4, 2)
    """
    if text.isascii():
        return len(text)
    return sum(_character_width(character) for character in text)


def _character_width(character: str) -> int:
    if unicodedata.combining(character):
        return 0
    return 2 if unicodedata.east_asian_width(character) in "WF" else 1


# Stands for a space that would not be seen, as editors show it.
SPACE = "·"


def padded(text: str) -> str:
    """Show a text as `washed` does, with dots for the spaces before and behind it.

    >>> padded(" Mill Brook ")
    '·Mill Brook·'
    """
    text = washed(text)
    inner = text.strip(" ")
    if len(inner) == len(text):
        return text
    before = len(text) - len(text.lstrip(" "))
    return SPACE * before + inner + SPACE * (len(text) - before - len(inner))


def cut_middle(text: str, width: int) -> str:
    """Shorten a text to a width by leaving out its middle.

    >>> cut_middle("Apiary by the old mill", 11)
    'Apiar… mill'
    """
    if text_width(text) <= width:
        return text
    tail = (width - 1) // 2
    head = width - 1 - tail
    while text_width(text[:head]) + text_width(text[-tail:]) >= width and head > 1:
        head, tail = head - 1, max(1, tail - 1)
    return f"{text[:head]}…{text[-tail:]}" if tail else text[:head]


def cut_end(text: str, width: int) -> str:
    """Shorten a sentence to a width by leaving out its end.

    >>> cut_end("spaces trimmed in apiary", 15)
    'spaces trimmed…'
    """
    if text_width(text) <= width:
        return text
    while text and text_width(text) > width - 1:
        text = text[: min(len(text) - 1, width - 1)]
    return f"{text.rstrip()}…"


def shown_cells(column: Column) -> list[Span]:
    """Return each cell as a span: its text, of a category its label, or its reason in brackets."""
    texts, reasons = column.texts(), column.reasons()
    labels = {choice.value: choice.label for choice in column.type.choices if choice.label}
    if labels:
        texts = [labels.get(text, text) if text is not None else None for text in texts]
    return [
        Span(padded(text)) if text is not None else Span(f"({reason})", "dim")
        for text, reason in zip(texts, reasons, strict=True)
    ]


def lay_out(request: LayoutRequest) -> list[Line]:
    """Lay a table out as lines of spans.

    Parameters
    ----------
    request : LayoutRequest

    Returns
    -------
    list of Line
        Memory and time grow with the rows shown, not with the table.
    """
    total = len(request.row_numbers)
    shown = np.arange(min(request.start, total), min(request.start + request.rows, total))
    if not request.columns:
        return _sentence(request.sentence, request.width)
    blocks = [_number_block(request.row_numbers[shown], request.types)]
    used = blocks[0].width
    left: list[str] = []
    for name, column in request.columns.items():
        part = column._take(shown)
        block = None if left else _column_block(name, part, request.types, share=name in request.shares)
        if block and (used + len(GAP) + block.width <= request.width or len(blocks) == 1):
            blocks.append(block)
            used += len(GAP) + block.width
        else:
            left.append(name)
    said = request.sentence + _showing(request, len(shown), len(blocks) - 1)
    room = min(LONGEST_BAR, request.width - used - len(GAP))
    if request.bars and room >= SHORTEST_BAR and not left:
        blocks.append(_bar_block([request.bars[at] for at in shown.tolist()], room, request.types))
    lines = [*_sentence(said, request.width), []]
    lines += [_join(row) for row in zip(*(block.lines for block in blocks), strict=True)]
    return lines + _rest(request, len(shown), left)


def _sentence(text: str, width: int) -> list[Line]:
    """Break the sentence between words."""
    return [[Span(line, "said")] for line in textwrap.wrap(washed(text), width, break_long_words=False)]


def _showing(request: LayoutRequest, rows: int, columns: int) -> str:
    """Say which part is shown, if it is not the whole."""
    parts = []
    if rows < len(request.row_numbers):
        parts.append(f"rows {request.start + 1:,} to {request.start + rows:,}" if rows else "no rows")
    if columns < len(request.columns):
        parts.append(f"{columns} of {len(request.columns)} columns")
    return f"; showing {' and '.join(parts)}" if parts else ""


class _PrintedColumn(msgspec.Struct, frozen=True):
    """One column of the printed form: equally wide lines."""

    width: int
    lines: list[Line]


def _number_block(numbers: Codes, types: bool) -> _PrintedColumn:
    texts = [f"{number}" for number in numbers.tolist()]
    width = max(map(len, ["row", *texts]))
    head = ["row", ""] if types else ["row"]
    return _PrintedColumn(width, [[Span(text.rjust(width), "dim")] for text in head + texts])


def _bar_block(shares: Sequence[float], width: int, types: bool) -> _PrintedColumn:
    longest = max(shares, default=0.0)
    bars = [length_bar(one / longest if longest > 0 else 0.0, width) for one in shares]
    return _PrintedColumn(width, [[Span(text)] for text in ["", *([""] if types else []), *bars]])


def _column_block(name: str, column: Column, types: bool, *, share: bool = False) -> _PrintedColumn:
    cells = [Span(cut_middle(span.text, WIDEST_CELL), span.style) for span in shown_cells(column)]
    if share:
        shares = zip(column.to_list(), cells, strict=True)
        cells = [span if one is None else Span(share_words(one)) for one, span in shares]
    if column.type.numeric and not share:
        cells = _align_points(cells)
    head = [Span(cut_middle(washed(name), WIDEST_CELL), "head")]
    head += [Span(str(column.type), "dim")] if types else []
    width = max(text_width(span.text) for span in [*head, *cells])
    right = column.type.numeric
    return _PrintedColumn(width, [_padded(span, width, right=right) for span in [*head, *cells]])


def _align_points(cells: list[Span]) -> list[Span]:
    """Pad numbers on the right so that their points are in one column."""
    tails = [len(cell.text) - cell.text.find(".") if "." in cell.text else 0 for cell in cells]
    longest = max((tail for cell, tail in zip(cells, tails, strict=True) if cell.style == "plain"), default=0)
    return [
        Span(cell.text + " " * (longest - tail if cell.style == "plain" else 0), cell.style)
        for cell, tail in zip(cells, tails, strict=True)
    ]


def _padded(span: Span, width: int, *, right: bool) -> Line:
    space = Span(" " * (width - text_width(span.text)))
    return [space, span] if right else [span, space]


def _join(parts: Sequence[Line]) -> Line:
    line: Line = []
    for part in parts:
        line += [Span(GAP), *part] if line else part
    return line


def _rest(request: LayoutRequest, rows: int, names_left: list[str]) -> list[Line]:
    """Say in one line what is not shown and how to see it."""
    parts = []
    total, start, stop = len(request.row_numbers), request.start, request.start + rows
    spans = [(1, min(start, total)), (stop + 1, total)]
    left = [f"{first:,} to {last:,}" if last > first else f"{first:,}" for first, last in spans if last >= first]
    if left:
        # The next rows, and after the last ones those before.
        first = stop + 1 if stop < total else max(1, start - DEFAULT_ROWS + 1)
        last = min(total, stop + DEFAULT_ROWS) if stop < total else start
        how = request.more_rows.format(first=first, last=last)
        single = total - rows == 1
        parts.append(f"row{'' if single else 's'} {' and '.join(left)} ({how})")
    if names_left:
        shown = cut_middle(", ".join(map(washed, names_left)), max(20, request.width - 20))
        parts.append(f"column{'s' if len(names_left) > 1 else ''} {shown}")
    return [[], [Span(f"not shown: {'; '.join(parts)}", "dim")]] if parts else []


def plain(lines: Sequence[Line]) -> str:
    """Return laid out lines as plain text."""
    return "\n".join("".join(span.text for span in line).rstrip() for line in lines)
