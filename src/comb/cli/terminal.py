"""Print lines of spans and JSON; results to standard output, talk to standard error.

Whatever is printed comes through here and is washed: names of files and columns, cells, messages. Nothing in them
reaches a terminal that it would obey, such as an escape sequence, or that shows a text in another order than it has.
"""

import json
import logging
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from threading import Timer
from typing import Any

from rich.console import Console
from rich.text import Text

from comb.errors import washed, washed_lines
from comb.execution.working import Notice
from comb.tables.layout import DEFAULT_WIDTH, Line

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
        logging.getLogger("comb").handlers = [_Said(self)]
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
                text.append(washed(span.text), STYLES[span.style])
            text.rstrip()
            self._out.print(text)

    def json(self, value: Any) -> None:
        """Print a result as JSON."""
        text = json.dumps(value, indent=2, ensure_ascii=False, default=str)
        sys.stdout.write(_escaped(text) + "\n")

    def say(self, text: str, style: str = "plain") -> None:
        """Print talk: what was done, what to do next."""
        self._talk.print(Text(washed_lines(text), STYLES[style]))

    @contextmanager
    def working(self, text: str) -> Iterator[Callable[[str], None]]:
        """Show what is being done while it lasts longer than a second, on a terminal.

        Yields a function that changes what is said.
        """
        status = self._talk.status(Text(washed(text)))
        timer = Timer(PATIENCE, status.start)
        timer.daemon = True
        if self._talk.is_terminal:
            timer.start()
        try:
            yield (
                lambda progress: (
                    self.say(progress) if isinstance(progress, Notice) else status.update(Text(washed(progress)))
                )
            )
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


class _Said(logging.Handler):
    """Says what the library has to tell as a note."""

    def __init__(self, screen: Terminal) -> None:
        super().__init__(logging.WARNING)
        self._screen = screen

    def emit(self, record: logging.LogRecord) -> None:
        """Print a message."""
        self._screen.say(f"note: {record.getMessage()}")


def _escaped(text: str) -> str:
    """Escape in JSON what a terminal would obey or would write backwards: control characters, marks of direction."""
    if text.isascii():
        return text
    return "".join(one if one.isprintable() or one in "\n\r\t" else _escape(one) for one in text)


def _escape(character: str) -> str:
    units = character.encode("utf-16-be", errors="surrogatepass")
    return "".join(f"\\u{units[at]:02x}{units[at + 1]:02x}" for at in range(0, len(units), 2))
