"""Lines of spans that all views are made of."""

import textwrap
from collections.abc import Sequence

from comb.errors import washed
from comb.tables.layout import DEFAULT_WIDTH, GAP, Line, Span, cut_end, text_width

# Lines are not broken at less than this, however narrow the screen.
LEAST_WRAPPED = 40

# What is said of a finding begins here.
MARGIN = 24


def text_line(text: str, style: str = "plain") -> Line:
    """Return a line of one text."""
    return [Span(text, style)]


def heads(*words: str) -> list[Span]:
    """Return the headings of a table of facts."""
    return [Span(word, "dim") for word in words]


def wrapped(text: str, width: int) -> list[Line]:
    """Break a long line between words; what follows is moved in as far as its beginning."""
    inner = " " * (len(text) - len(text.lstrip()))
    parts = textwrap.wrap(text, max(width, LEAST_WRAPPED), subsequent_indent=inner, break_long_words=False)
    return [text_line(part, "dim") for part in parts]


def beside(code: str, text: str, width: int) -> list[Line]:
    """Show a text behind the code of a finding, broken between words; without a code it is dim."""
    room = max(width, LEAST_WRAPPED + MARGIN) - MARGIN
    parts = textwrap.wrap(washed(text), room, break_long_words=False, break_on_hyphens=False) or [""]
    first: Line = (
        [Span(f"{code:<{MARGIN}}", "head"), Span(parts[0])] if code else text_line(" " * MARGIN + parts[0], "dim")
    )
    return [first, *(text_line(" " * MARGIN + part, "plain" if code else "dim") for part in parts[1:])]


def columns_of(rows: Sequence[Sequence[Span]], *, right: Sequence[int] = (), width: int = DEFAULT_WIDTH) -> list[Line]:
    """Lay out rows of spans in columns; the last column takes the room that is left.

    Parameters
    ----------
    rows : sequence of sequence of Span
    right : sequence of int
        Columns that are aligned on the right.
    width : int
        Characters in a line; what is longer is cut in the last column.
    """
    if not rows:
        return []
    widths = [max(text_width(span.text) for span in column) for column in zip(*rows, strict=True)]
    room = max(20, width - sum(widths[:-1]) - len(GAP) * (len(widths) - 1))
    result = []
    for row in rows:
        line: Line = []
        for at, span in enumerate(row):
            if at:
                line.append(Span(GAP))
            if at == len(row) - 1 and at not in right:
                line.append(Span(cut_end(span.text, room), span.style))
                continue
            pad = Span(" " * (widths[at] - text_width(span.text)))
            line += [pad, span] if at in right else [span, pad]
        result.append(line)
    return result
