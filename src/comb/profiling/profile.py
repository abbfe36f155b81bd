"""Profile a table: summaries of all columns and the list of findings."""

from collections.abc import Callable, Iterable
from concurrent.futures import Future
from dataclasses import dataclass
from datetime import date
from functools import partial
from itertools import chain

from comb.errors import washed_lines
from comb.execution.executor import executor_of
from comb.profiling import (
    characters,
    computed,
    duplicates,
    layout,
    lookups,
    missing,
    missing_patterns,
    orders,
    other_types,
    series,
    shapes,
    spelling,
    texts,
    types,
    unreadable,
    values,
    whole_columns,
)
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings
from comb.profiling.summaries import Summary, summarise
from comb.tables.table import BareTable

Finder = Callable[[ColumnCache], Findings]

# Everything that is looked for, in the order in which it is said and repaired.
FINDERS: tuple[Finder, ...] = (
    layout.empty_rows,
    layout.repeated_headers,
    layout.totals,
    unreadable.unreadable,
    other_types.day_counts_among_dates,
    missing.markers,
    missing.stand_ins,
    missing.zeros,
    missing_patterns.same_as_above,
    characters.encoding,
    characters.invisible,
    characters.markup,
    characters.formulas,
    texts.spaces,
    texts.spelling_by_case,
    spelling.misspelled,
    shapes.odd_codes,
    shapes.packed,
    types.leading_zeros,
    types.doubts,
    other_types.mostly,
    other_types.days_by_heading,
    types.mixed_dates,
    types.mixed_units,
    other_types.numbers_that_count,
    other_types.years,
    other_types.labels,
    values.impossible,
    values.outliers,
    values.future,
    computed.computed,
    lookups.lookups,
    orders.reversed_pairs,
    duplicates.repeated,
    duplicates.alike,
    types.wrong_totals,
    series.series,
    layout.levels,
    layout.values_as_names,
    whole_columns.constant_columns,
    whole_columns.row_numbers,
    whole_columns.copies,
    whole_columns.indicators,
    missing_patterns.together,
    missing.blanks,
)

# What is told of cells first is not told again of rows: a total is not wrong because one of its parts is 999. Each
# stage knows what those before it found, by the codes that say which cells are wrong.
FIRST = frozenset({layout.repeated_headers, layout.totals})
LATE: tuple[frozenset[Finder], ...] = (
    frozenset({orders.reversed_pairs}),
    frozenset({values.outliers}),
    frozenset({computed.computed, lookups.lookups, series.series}),
    frozenset({duplicates.alike}),
)
STAGES = (FIRST, frozenset(FINDERS) - FIRST - frozenset(chain.from_iterable(LATE)), *LATE)
TELLING = frozenset({
    "missing.stand_in", "missing.zeros", "value.impossible", "value.outlier", "value.future", "relation.order",
    "text.length",
})  # fmt: skip
WHOLE_ROWS = frozenset({"layout.repeated_header", "layout.totals"})

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


def profile(table: BareTable, threads: int = 1, as_of: date | None = None) -> Profile:
    """Profile a table.

    Parameters
    ----------
    table : BareTable
    threads : int
        What is found does not depend on it.
    as_of : date, optional
        The day that counts as today; without it nothing is said of days to come.

    Returns
    -------
    Profile
        Cost: a few passes over every column, and one grouping of whole rows.
    """
    cache = ColumnCache.at(table, as_of)
    with executor_of(1 if table.row_count < FEW_ROWS else threads) as executor:
        # What takes longest comes first, and what others need.
        found: dict[Finder, list[Finding]] = {}
        longest: Future[list[Finding]] = executor.submit(_listed, LONGEST, cache)
        summaries = list(executor.map(partial(summarise, cache), table.names))
        for stage in STAGES:
            mine = [one for one in FINDERS if one in stage and one != LONGEST]
            waiting = [executor.submit(_listed, finder, cache) for finder in mine]
            for finder, future in zip(mine, waiting, strict=True):
                found[finder] = future.result()
                _tell(cache, found[finder])
        found[LONGEST] = longest.result()
    return Profile(table.sentence(), tuple(summaries), _once(chain.from_iterable(found[one] for one in FINDERS)))


def _tell(cache: ColumnCache, findings: list[Finding]) -> None:
    """Note which cells are told to be wrong."""
    for finding in findings:
        names = cache.names if finding.code in WHOLE_ROWS else finding.columns if finding.code in TELLING else ()
        for name in names:
            cache.tell(name, finding.rows)


def _once(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Leave out what another finding says better.

    Blank cells that repeat the label above them, and keys that are there twice because a row is a near copy of another.
    """
    listed = list(findings)
    above = {one.columns[0] for one in listed if one.code == "missing.same_as_above"}
    near = {row for one in listed if one.code == "duplicate.near" for row in one.rows.tolist()}

    def said(one: Finding) -> bool:
        if one.code in ("missing.blank", "missing.together"):
            return one.columns[0] in above
        return one.code == "duplicate.key" and 2 * len(near.intersection(one.rows.tolist())) >= len(one.rows)

    return tuple(one for one in listed if not said(one))


def _listed(finder: Finder, cache: ColumnCache) -> list[Finding]:
    return list(finder(cache))
