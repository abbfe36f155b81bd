"""What was done to a table and to its cells, that shows itself."""

from comb.errors import washed_lines
from comb.interface.shown.shown import WIDTH, html_of
from comb.steps.ledger import Entry
from comb.steps.trace import Trace, history_lines
from comb.tables.layout import plain
from comb.views.runs import ledger_view


class Working(list[tuple[str, str]]):
    """The calculation of one row: each part of a formula, and what it comes to."""

    def __repr__(self) -> str:
        width = max((len(part) for part, _ in self), default=0)
        return washed_lines("\n".join(f"{part.ljust(width)}  {result}" for part, result in self))


class Traces(list[Trace]):
    """The histories of cells."""

    def __repr__(self) -> str:
        return washed_lines("\n".join("\n".join(lines) for lines in history_lines(self)))


class Ledger(tuple[Entry, ...]):
    """The entries of a table's ledger, that shows itself as a run does."""

    __slots__ = ()

    def __repr__(self) -> str:
        return washed_lines(plain(ledger_view(self, WIDTH)))

    def _repr_html_(self) -> str:
        return html_of(ledger_view(self, WIDTH))
