"""Print lines of spans and JSON; results to standard output, talk to standard error.

Whatever is printed comes through here and is washed: names of files and columns, cells, messages. Nothing in them
reaches a terminal that it would obey, such as an escape sequence, or that shows a text in another order than it has.
"""

import json
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from threading import Timer
from typing import TYPE_CHECKING, Any

from comb.errors import washed, washed_lines
from comb.execution.progress import Progress
from comb.execution.working import Notice
from comb.interface.log import log
from comb.tables.layout import DEFAULT_WIDTH, Line

if TYPE_CHECKING:
    from rich.console import Console

# Seconds of silence before a command says what it is doing.
PATIENCE = 1.0

# What the style words of a layout look like.
STYLES = {"plain": "", "dim": "dim", "head": "bold", "said": "bold"}


def _console(stream: Any) -> "Console | None":
    """Return what writes with colours to a terminal; None for anything else, where text is written as it is."""
    if not stream.isatty() and not os.environ.get("FORCE_COLOR"):
        return None
    from rich.console import Console

    return Console(file=stream, highlight=False, markup=False, emoji=False, soft_wrap=True)


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
        # Only of a command: a program that uses the library listens by itself.
        if log.listener is not None:
            log.listener = self._note

    def _note(self, message: str) -> None:
        self.say(f"note: {message}")

    @cached_property
    def _out(self) -> "Console | None":
        return _console(sys.stdout)

    @cached_property
    def _talk(self) -> "Console | None":
        return _console(sys.stderr)

    @property
    def width(self) -> int:
        """Characters in a line; a file gets a width of its own."""
        return self._out.width if self._out is not None and self._out.is_terminal else DEFAULT_WIDTH

    def lines(self, lines: Sequence[Line]) -> None:
        """Print a result."""
        if self._out is None:
            shown = ("".join(washed(span.text) for span in line).rstrip() for line in lines)
            sys.stdout.write("".join(f"{line}\n" for line in shown))
            return
        from rich.text import Text

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
        if self._talk is None:
            sys.stdout.flush()
            sys.stderr.write(f"{washed_lines(text)}\n")
            return
        from rich.text import Text

        self._talk.print(Text(washed_lines(text), STYLES[style]))

    @contextmanager
    def working(self, text: str) -> Iterator[Callable[[str], None]]:
        """Show what is being done while it lasts longer than a second, on a terminal.

        Yields a function that changes what is said.
        """
        if self._talk is None or not self._talk.is_terminal:
            yield lambda progress: self.say(progress) if isinstance(progress, Notice) else None
            return
        from rich.progress import BarColumn, SpinnerColumn, TaskProgressColumn, TextColumn
        from rich.progress import Progress as Bar

        bar = Bar(
            SpinnerColumn(style="dim"),
            TextColumn("{task.description}", markup=False),
            BarColumn(30, style="dim", complete_style="cyan", finished_style="cyan", pulse_style="dim"),
            TaskProgressColumn("{task.percentage:>3.0f} %", style="dim"),
            console=self._talk,
            transient=True,
        )
        task = bar.add_task(washed(text), total=None)
        timer = Timer(PATIENCE, bar.start)
        timer.daemon = True
        timer.start()

        def told(progress: str) -> None:
            if isinstance(progress, Notice):
                self.say(progress)
            elif isinstance(progress, Progress):
                bar.update(task, description=washed(progress), total=progress.of, completed=progress.done)
            else:
                bar.update(task, description=washed(progress), total=None)

        try:
            yield told
        finally:
            timer.cancel()
            bar.stop()

    def next_step(self, *commands: str) -> None:
        """End with the next sensible commands."""
        if not self._hints:
            return
        self.say("")
        for command in commands:
            self.say(f"next: {command}", "dim")


def _escaped(text: str) -> str:
    """Escape in JSON what a terminal would obey or would write backwards: control characters, marks of direction."""
    if text.isascii():
        return text
    return "".join(one if one.isprintable() or one in "\n\r\t" else _escape(one) for one in text)


def _escape(character: str) -> str:
    units = character.encode("utf-16-be", errors="surrogatepass")
    return "".join(f"\\u{units[at]:02x}{units[at + 1]:02x}" for at in range(0, len(units), 2))
