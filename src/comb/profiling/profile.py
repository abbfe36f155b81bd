"""Profile a table: summaries of all columns and the list of findings."""

from collections.abc import Callable
from dataclasses import dataclass

from comb.profiling import duplicates, missing, texts, types
from comb.profiling.finding import Finding, Findings
from comb.profiling.summaries import Summary, summarise
from comb.tables.bare import BareTable
from comb.tables.text import Text

# Everything that is looked for, in the order in which it is told and mended.
FINDERS: tuple[Callable[[BareTable], Findings], ...] = (
    types.unreadable,
    missing.markers,
    missing.sentinels,
    missing.zeros,
    texts.spaces,
    texts.spelling_by_case,
    types.leading_zeros,
    types.doubts,
    types.mixed_dates,
    types.mixed_units,
    types.numbers_that_count,
    types.labels,
    duplicates.repeated,
    types.constant_columns,
    missing.blanks,
)


@dataclass(frozen=True, slots=True)
class Profile:
    """What a table holds and what was noticed about it.

    Attributes
    ----------
    sentence : str
        What was profiled.
    columns : tuple of Summary
    findings : tuple of Finding
    """

    sentence: str
    columns: tuple[Summary, ...]
    findings: tuple[Finding, ...]

    def of(self, code: str) -> list[Finding]:
        """Return the findings with a code, or with any code that begins so: ``missing``."""
        return [finding for finding in self.findings if f"{finding.code}.".startswith(f"{code}.")]

    def __repr__(self) -> str:
        lines = [self.sentence, f"{len(self.findings)} findings:"]
        lines += [f"  {finding.code:<20} {finding.text}" for finding in self.findings]
        return "\n".join(lines)


def profile(table: BareTable) -> Profile:
    """Profile a table.

    Parameters
    ----------
    table : BareTable

    Returns
    -------
    Profile
        Cost: a few passes over every column, and one grouping of whole rows.
    """
    sentence, table = table.sentence(), _coded(table)
    summaries = tuple(summarise(name, column) for name, column in table.columns.items())
    findings = tuple(finding for finder in FINDERS for finding in finder(table))
    return Profile(sentence, summaries, findings)


def _coded(table: BareTable) -> BareTable:
    """Number equal texts once, for all that follows."""
    return table.derive(
        {
            name: column.replace(values=column.text.with_codes()) if isinstance(column.values, Text) else column
            for name, column in table.columns.items()
        }
    )
