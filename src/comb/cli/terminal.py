"""Print lines of spans and JSON; results to standard output, talk to standard error."""

import json
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from threading import Timer
from typing import Any

from rich.console import Console
from rich.text import Text

from comb.tables.layout import DEFAULT_WIDTH, GAP, Line, Span, cut_end, text_width

# Seconds of silence before a command says what it is doing.
PATIENCE = 1.0

# What the style words of a layout look like.
STYLES = {"plain": "", "dim": "dim", "head": "bold", "said": "bold"}


class Terminal:
    """Where a command prints.

    Parameters
    ----------
    hints : bool
        Whether commands end with the next sensible ones.

    Rich decides on colour: none where NO_COLOR is set or the output is no terminal.
    """

    def __init__(self, *, hints: bool = True) -> None:
        self._hints = hints
        self._out = Console(highlight=False, markup=False, emoji=False, soft_wrap=True)
        self._talk = Console(stderr=True, highlight=False, markup=False, emoji=False, soft_wrap=True)

    @property
    def width(self) -> int:
        """Characters in a line; a file gets a width of its own."""
        return self._out.width if self._out.is_terminal else DEFAULT_WIDTH

    def lines(self, lines: Sequence[Line]) -> None:
        """Print a result."""
        for line in lines:
            text = Text(no_wrap=True)
            for span in line:
                text.append(span.text, STYLES[span.style])
            text.rstrip()
            self._out.print(text)

    def json(self, value: Any) -> None:
        """Print a result as JSON."""
        sys.stdout.write(json.dumps(value, indent=2, ensure_ascii=False, default=str) + "\n")

    def say(self, text: str, style: str = "plain") -> None:
        """Print talk: what was done, what to do next."""
        self._talk.print(Text(text, STYLES[style]))

    @contextmanager
    def working(self, text: str) -> Iterator[Callable[[str], None]]:
        """Show what is being done while it lasts longer than a second, on a terminal.

        Yields a function that changes what is said.
        """
        status = self._talk.status(Text(text))
        timer = Timer(PATIENCE, status.start)
        timer.daemon = True
        if self._talk.is_terminal:
            timer.start()
        try:
            yield lambda progress: status.update(Text(progress))
        finally:
            timer.cancel()
            status.stop()

    def next_step(self, *commands: str) -> None:
        """End with the next sensible commands."""
        if not self._hints:
            return
        self.say("")
        for command in commands:
            self.say(f"next: {command}", "dim")


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
