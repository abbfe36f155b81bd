"""What is asked for in Python shows itself as at the terminal, and in a notebook.

The results of the layers below are plain; the classes here add nothing but how they look. Each knows its lines of spans
(`comb.views`): `repr` prints them, a notebook gets the same as HTML in which every text is inert.
"""

from html import escape
from typing import Any, Self

from comb.errors import washed, washed_lines
from comb.interface.report import Report
from comb.plans.outcome import Outcome
from comb.plans.reporting import outcome_parts
from comb.profiling.column_details import ColumnDetails
from comb.profiling.profile import Profile
from comb.reading.folder import FolderInspection
from comb.reading.inspect import Inspection
from comb.statistics.group_comparison import GroupComparison
from comb.steps.ledger import Entry
from comb.steps.trace import Trace, history_lines
from comb.tables.layout import Line, plain
from comb.views.columns import details_lines
from comb.views.comparisons import comparison_lines
from comb.views.inspections import folder_view, inspection_view
from comb.views.profiles import profile_view
from comb.views.runs import ledger_view, run_view

# Characters in a line, where nobody says.
WIDTH = 120

# How the styles of spans look in a notebook.
_LOOK = {"dim": "opacity:.65", "head": "font-weight:bold", "said": "font-weight:bold"}


def html_of(lines: list[Line]) -> str:
    """Return lines as HTML; what is in them is text, whatever it looks like.

    >>> from comb.tables.layout import Span
    >>> html_of([[Span("<b>", "head"), Span(" 3")]])  # doctest: +ELLIPSIS
    '<pre style="..."><span style="font-weight:bold">&lt;b&gt;</span> 3</pre>'
    """
    shown = []
    for line in lines:
        parts = []
        for span in line:
            text = escape(washed(span.text))
            look = _LOOK.get(span.style)
            parts.append(f'<span style="{look}">{text}</span>' if look and text else text)
        shown.append("".join(parts).rstrip())
    return f'<pre style="line-height:1.25;white-space:pre;overflow-x:auto">{chr(10).join(shown)}</pre>'


class _Shown:
    """What shows itself by lines."""

    __slots__ = ()

    def _lines(self) -> list[Line]:
        raise NotImplementedError

    def __repr__(self) -> str:
        return washed_lines(plain(self._lines()))

    def _repr_html_(self) -> str:
        return html_of(self._lines())

    @classmethod
    def _of(cls, found: Any) -> Self:
        """Return a result as one that shows itself."""
        return cls(**{name: getattr(found, name) for name in found.__struct_fields__})


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


class ShownProfile(_Shown, Profile, frozen=True):
    """A profile that shows itself; see `comb.profiling.profile.Profile`."""

    def _lines(self) -> list[Line]:
        return profile_view(self, WIDTH)


class ShownInspection(_Shown, Inspection, frozen=True):
    """An inspection that shows itself; see `comb.reading.inspect.Inspection`."""

    def _lines(self) -> list[Line]:
        return inspection_view(self, WIDTH)


class ShownFolder(_Shown, FolderInspection, frozen=True):
    """What is in a folder, that shows itself; see `comb.reading.folder.FolderInspection`."""

    def _lines(self) -> list[Line]:
        return folder_view(self, WIDTH)


class ShownDetails(_Shown, ColumnDetails, frozen=True):
    """Everything about a column, that shows itself; see `comb.profiling.column_details.ColumnDetails`."""

    def _lines(self) -> list[Line]:
        return details_lines(self, width=WIDTH)


class ShownComparison(_Shown, GroupComparison, frozen=True):
    """A comparison of groups that shows itself; see `comb.statistics.group_comparison.GroupComparison`."""

    def _lines(self) -> list[Line]:
        return comparison_lines(self, "", WIDTH)


class ShownOutcome(_Shown, Outcome, frozen=True):
    """The outcome of a plan, that shows itself; see `comb.plans.run.Outcome`."""

    def _lines(self) -> list[Line]:
        return run_view(self, WIDTH)

    def report(self) -> Report:
        """Return the report on what the plan did: rows, columns, findings, rules, changes, pictures.

        Returns
        -------
        Report
            To be saved as a page or as Markdown. Cost: a profile of each result.
        """
        return Report(outcome_parts(self.plan, self))
