"""Profile a table: summaries of all columns and the list of findings."""

from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass
from functools import partial
from itertools import chain

from comb.errors import washed_lines
from comb.execution.executor import executor_of
from comb.profiling import duplicates, missing, other_types, texts, types, unreadable
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings
from comb.profiling.summaries import Summary, summarise
from comb.tables.table import BareTable

Finder = Callable[[ColumnCache], Findings]

# Everything that is looked for, in the order in which it is said and repaired.
FINDERS: tuple[Finder, ...] = (
    unreadable.unreadable,
    missing.markers,
    missing.stand_ins,
    missing.zeros,
    texts.spaces,
    texts.spelling_by_case,
    types.leading_zeros,
    types.doubts,
    other_types.mostly,
    other_types.days_by_heading,
    types.mixed_dates,
    types.mixed_units,
    other_types.numbers_that_count,
    other_types.labels,
    duplicates.repeated,
    types.wrong_totals,
    types.constant_columns,
    missing.blanks,
)

LONGEST: Finder = duplicates.repeated

# Smaller tables are not worth handing to several threads.
FEW_ROWS = 50_000


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
        return washed_lines("\n".join(lines))


def profile(table: BareTable, threads: int = 1) -> Profile:
    """Profile a table.

    Parameters
    ----------
    table : BareTable
    threads : int
        What is found does not depend on it.

    Returns
    -------
    Profile
        Cost: a few passes over every column, and one grouping of whole rows.
    """
    cache = ColumnCache.at(table)
    with executor_of(1 if table.row_count < FEW_ROWS else threads) as executor:
        # What takes longest comes first, and what others need.
        waiting: dict[Finder, Future[list[Finding]]] = {LONGEST: executor.submit(_listed, LONGEST, cache)}
        summaries = list(executor.map(partial(summarise, cache), table.names))
        waiting.update((finder, executor.submit(_listed, finder, cache)) for finder in FINDERS if finder not in waiting)
        found = [waiting[finder].result() for finder in FINDERS]
    return Profile(table.sentence(), tuple(summaries), tuple(chain.from_iterable(found)))


def _listed(finder: Finder, cache: ColumnCache) -> list[Finding]:
    return list(finder(cache))
