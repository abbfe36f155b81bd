"""Profile a table: summaries of all columns and the list of findings."""

from collections.abc import Callable, Iterable, Sequence
from datetime import date
from functools import partial
from itertools import chain
from typing import TYPE_CHECKING, NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.errors import ParameterError, counted, unknown_name, washed_lines
from comb.execution.executor import executor_of
from comb.execution.progress import Progress
from comb.profiling import (
    ascending,
    characters,
    compound_units,
    computed,
    degrees,
    delimited_lines,
    duplicates,
    enclosed,
    fixed_width,
    kept_as_text,
    layout,
    log_lines,
    lookups,
    missing,
    missing_patterns,
    moment_pairs,
    multipliers,
    nested,
    number_pairs,
    number_templates,
    numbers_with_words,
    orders,
    ordinals,
    other_parts,
    other_types,
    pairs,
    series,
    shapes,
    sheets,
    spelling,
    stacked_fields,
    text_types,
    texts,
    types,
    unit_columns,
    unreadable,
    values,
    whole_columns,
)
from comb.profiling.codes import CODES, completed
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, Severity
from comb.profiling.gaps import Gaps, gaps_of
from comb.profiling.summaries import Summary, summarise
from comb.steps.cell_steps import Convert
from comb.tables.table import BareTable

if TYPE_CHECKING:
    from concurrent.futures import Future

Finder = Callable[[ColumnCache], Findings]

# Everything that is looked for.
FINDERS: tuple[Finder, ...] = (
    layout.empty_rows,
    layout.repeated_headers,
    other_parts.other_headers,
    other_parts.other_delimiters,
    layout.totals,
    fixed_width.columns_by_position,
    delimited_lines.delimited_lines,
    unreadable.unreadable,
    unreadable.weekdays,
    other_types.day_counts_among_dates,
    missing.markers,
    missing.stand_ins,
    missing.zeros,
    missing_patterns.same_as_above,
    characters.encoding,
    characters.invisible,
    characters.mixed_scripts,
    characters.apostrophes,
    characters.markup,
    characters.formulas,
    texts.spaces,
    texts.cut_off,
    texts.yes_and_no,
    texts.spelling_by_case,
    spelling.misspelled,
    sheets.footnote_marks,
    shapes.odd_addresses,
    shapes.odd_codes,
    nested.nested_values,
    log_lines.log_lines,
    pairs.key_value_pairs,
    shapes.packed,
    types.leading_zeros,
    types.doubts,
    other_types.mostly,
    text_types.text_types,
    other_types.days_by_heading,
    other_types.clocks_by_heading,
    types.mixed_dates,
    multipliers.multipliers,
    degrees.degrees,
    enclosed.enclosed,
    moment_pairs.moment_pairs,
    compound_units.compound_units,
    number_pairs.number_pairs,
    number_templates.number_templates,
    numbers_with_words.numbers_with_words,
    ordinals.ordinals,
    types.mixed_units,
    unit_columns.other_units,
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
    ascending.out_of_order,
    sheets.heading_rows,
    layout.levels,
    layout.values_as_names,
    stacked_fields.stacked_fields,
    whole_columns.constant_columns,
    whole_columns.row_numbers,
    whole_columns.copies,
    whole_columns.indicators,
    whole_columns.odd_names,
    missing_patterns.together,
    missing.blanks,
)

# What is reported of cells first is not reported again of rows: a total is not wrong because one of its parts is 999.
# Each stage knows what those before it found, by the codes that say which cells are wrong.
FIRST = frozenset({
    layout.repeated_headers, other_parts.other_headers, other_parts.other_delimiters, layout.totals,
    fixed_width.columns_by_position, delimited_lines.delimited_lines, sheets.heading_rows, sheets.footnote_marks,
    types.mixed_units,
})  # fmt: skip
LATE: tuple[frozenset[Finder], ...] = (
    frozenset({orders.reversed_pairs, values.impossible, ascending.out_of_order}),
    frozenset({values.outliers}),
    frozenset({computed.computed, lookups.lookups, series.series}),
)
STAGES = (FIRST, frozenset(FINDERS) - FIRST - frozenset(chain.from_iterable(LATE)), *LATE)
TELLING = frozenset({
    "missing.stand_in", "missing.zeros", "value.impossible", "value.outlier", "value.future", "relation.order",
    "series.order", "layout.fixed_width", "layout.delimited_lines",
    "type.censored", "text.footnotes", "text.length", "text.packed", "text.encoding", "text.markup", "text.formula",
})  # fmt: skip
WHOLE_ROWS = frozenset(
    {"layout.repeated_header", "layout.other_header", "layout.other_delimiter", "layout.totals", "layout.heading_rows"}
)

LONGEST: Finder = duplicates.repeated

# And what takes nearly as long goes on beside the later stages; it knows what was reported before them.
BESIDE: Finder = duplicates.alike

# Smaller tables are not worth handing to several threads.
FEW_ROWS = 50_000


class Profile(msgspec.Struct, frozen=True):
    """What a table holds and what was noticed about it.

    Attributes
    ----------
    sentence : str
        What was profiled.
    columns : tuple of Summary
    findings : tuple of Finding
        What matters most comes first.
    gaps : Gaps
        Where cells are missing, by row.
    accepted : tuple of (Finding, str)
        What was found and is settled, with the reason.
    limits : tuple of str
        What was not looked at, because there is too much of it.
    """

    sentence: str
    columns: tuple[Summary, ...]
    findings: tuple[Finding, ...]
    gaps: Gaps
    accepted: tuple[tuple[Finding, str], ...] = ()
    limits: tuple[str, ...] = ()

    def of(self, code: str) -> list[Finding]:
        """Return the findings with a code, or with any code that begins so: ``missing``."""
        return [finding for finding in self.findings if f"{finding.code}.".startswith(f"{code}.")]

    def only(self, names: Sequence[str]) -> "Profile":
        """Return the profile with the findings of some codes or columns.

        Raises
        ------
        ParameterError
            For what is neither a code, the beginning of one, nor a column, with the nearest name.
        """
        columns = dict.fromkeys(summary.name for summary in self.columns)
        parts = dict.fromkeys(code.split(".")[0] for code in CODES)
        for name in names:
            if name not in columns and name not in CODES and name not in parts:
                code = "." in name and name.split(".")[0] in parts
                known = [*CODES] if code else [*columns, *parts]
                what, remedy = unknown_name("code" if code else "column", name, known)
                raise ParameterError(what, remedy=remedy)

        def wanted(one: Finding) -> bool:
            mine = () if one.code in OF_ROWS else one.columns
            return any(name in mine or f"{one.code}.".startswith(f"{name}.") for name in names)

        return replace(
            self,
            findings=tuple(filter(wanted, self.findings)),
            accepted=tuple(pair for pair in self.accepted if wanted(pair[0])),
        )

    def what_matters(self) -> list[tuple[Severity, str]]:
        """Return what matters most, in ten lines or fewer: several findings of one kind are reported as one."""
        lines = [(group[0].severity, group_line(group)) for group in grouped(self.findings)]
        more = len(lines) - MOST_LINES
        return (
            lines if more <= 0 else [*lines[: MOST_LINES - 1], (lines[MOST_LINES - 1][0], f"and {more + 1} more kinds")]
        )

    def __repr__(self) -> str:
        lines = [self.sentence, *self.gaps.lines(), f"{counted(len(self.findings), 'finding')}:"]
        lines += [f"  {finding.code:<20} {finding.text}" for finding in self.findings]
        lines += [f"  settled: {finding.code} {', '.join(finding.columns)}: {why}" for finding, why in self.accepted]
        lines += [f"  not looked at: {limit}" for limit in self.limits]
        return washed_lines("\n".join(lines))


# Findings about whole rows are of no column in particular.
OF_ROWS = frozenset({"duplicate.rows", "duplicate.near"})

# What matters most is said in this many lines.
MOST_LINES = 10

# This many findings of one kind are reported as one.
LEAST_GROUPED = 3


def grouped(findings: Iterable[Finding]) -> list[list[Finding]]:
    """Put findings of one kind together where there are many, in the order of the first of each."""
    kinds: dict[str, list[Finding]] = {}
    for finding in findings:
        kinds.setdefault(finding.code, []).append(finding)
    groups = []
    for group in kinds.values():
        groups += [group] if len(group) >= LEAST_GROUPED else [[one] for one in group]
    return sorted(groups, key=lambda group: -group[0].severity)


def group_line(group: Sequence[Finding]) -> str:
    """Say several findings of one kind in a line; a single one says itself."""
    if len(group) == 1:
        return group[0].text
    kind = CODES[group[0].code]
    said = [f"{one.columns[0]} {one.count:,}" if one.columns else f"{one.count:,}" for one in group]
    more = f" and {len(said) - MOST_NAMED} more" if len(said) > MOST_NAMED else ""
    return f"{kind.together.format(len(group))}: {', '.join(said[:MOST_NAMED])}{more}"


# Of columns that are reported as one, this many are named.
MOST_NAMED = 6


class Settled(NamedTuple):
    """A finding that was declared settled.

    Attributes
    ----------
    code : str
    columns : tuple of str
        None means in any column.
    why : str
    rows : tuple of int
        The rows that are right, by number; none means all.
    """

    code: str
    columns: tuple[str, ...]
    why: str
    rows: tuple[int, ...] = ()

    def covers(self, finding: Finding) -> bool:
        """Return whether a finding is the one that is settled."""
        if finding.code != self.code or not set(self.columns) <= set(finding.columns):
            return False
        return not self.rows or set(finding.rows.tolist()) <= set(self.rows)


def profile(
    table: BareTable,
    threads: int = 1,
    as_of: date | None = None,
    accepted: Sequence[Settled] = (),
    progress: Callable[[str], object] | None = None,
) -> Profile:
    """Profile a table.

    Parameters
    ----------
    table : BareTable
    threads : int
        What is found does not depend on it.
    as_of : date, optional
        The day that counts as today; without it nothing is said of days to come.
    accepted : sequence of Settled
        What is settled: it is listed as such.
    progress : callable, optional
        Told what is looked for. A KeyboardInterrupt ends the search: what was found so far is returned, and what was
        not looked for is among the limits.

    Returns
    -------
    Profile
        Cost: a few passes over every column, one grouping of whole rows, and searches for relations that look at a part
        of the rows first.
    """
    cache = ColumnCache.at(table, as_of)
    found: dict[Finder, list[Finding]] = {}
    summaries: list[Summary] = []
    hidden: Sequence[Finding] = ()
    try:
        with executor_of(1 if table.row_count < FEW_ROWS else threads) as executor:
            # What takes longest comes first, and what others need.
            longest: Future[list[Finding]] = executor.submit(_listed, LONGEST, cache)
            summaries = list(executor.map(partial(summarise, cache), table.names))
            late: Future[list[Finding]] | None = None
            for number, stage in enumerate(STAGES):
                mine = [one for one in FINDERS if one in stage and one not in (LONGEST, BESIDE)]
                waiting = [executor.submit(_listed, finder, cache) for finder in mine]
                for finder, future in zip(mine, waiting, strict=True):
                    if progress:
                        progress(Progress(f"looking for {_words(finder)}", len(found), len(FINDERS), "search"))
                    found[finder] = future.result()
                # What a stage found is reported when all of it is done: else what is found would depend on the threads.
                for finder in mine:
                    _tell(cache, found[finder])
                if number == len(STAGES) - len(LATE) - 1:
                    cache.settle()
                    late = executor.submit(_listed, BESIDE, cache)
            found[LONGEST] = longest.result()
            if late is not None:
                found[BESIDE] = late.result()
            hidden = kept_as_text.kept_as_text(cache, _once(chain.from_iterable(found.values())), as_of)
    except KeyboardInterrupt:
        left = [_words(finder) for finder in FINDERS if finder not in found] or ["values that are kept as text"]
        cache.limit(f"stopped before: {', '.join(left)}")
        summaries = summaries or [summarise(cache, name) for name in table.names]
    listed = _ranked(_once(chain(chain.from_iterable(found.get(one, []) for one in FINDERS), hidden)))
    reasons = {id(one): next((rule.why for rule in accepted if rule.covers(one)), None) for one in listed}
    return Profile(
        table.sentence(),
        tuple(summaries),
        tuple(one for one in listed if reasons[id(one)] is None),
        gaps_of(table),
        tuple((one, why) for one in listed if (why := reasons[id(one)]) is not None),
        tuple(sorted(cache.limits)),
    )


def _words(finder: Finder) -> str:
    return finder.__name__.replace("_", " ")


def _ranked(findings: Iterable[Finding]) -> list[Finding]:
    """Put first what matters most; what matters as much stays in the order of repair."""
    return sorted(map(completed, findings), key=lambda one: -one.severity)


def in_order_of_repair(findings: Iterable[Finding]) -> list[Finding]:
    """Put findings in the order in which their remedies are best taken."""
    order = {code: at for at, code in enumerate(CODES)}

    def turn(one: Finding) -> tuple[int, int]:
        # Words for missing are taken out of texts while these are texts.
        textual = isinstance(one.remedy, Convert) and set(one.remedy.columns.values()) == {"string"}
        first = one.code == "missing.marker" and textual
        return order["type.unreadable" if first else one.code], -first

    return sorted(findings, key=turn)


def _tell(cache: ColumnCache, findings: list[Finding]) -> None:
    """Note which cells are reported to be wrong."""
    for finding in findings:
        # Numbers that a step reads are not reported again as texts among numbers.
        telling = finding.code in TELLING or (finding.code == "type.units" and finding.remedy is not None)
        names = cache.names if finding.code in WHOLE_ROWS else finding.columns if telling else ()
        for name in names:
            cache.tell(name, finding.rows, surely=finding.code != "value.outlier")


def _once(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Leave out what another finding says better.

    Blank cells that repeat the label above them, keys that are there twice because a row is a near copy of another,
    the words among numbers as texts of another build, and copies of rows that are fields of records.
    """
    listed = list(findings)
    above = {one.columns[0] for one in listed if one.code == "missing.same_as_above"}
    near = {row for one in listed if one.code == "duplicate.near" for row in one.rows.tolist()}

    stacked = any(one.code == "layout.stacked_fields" for one in listed)
    units = {one.columns[0] for one in listed if one.code == "type.unreadable" and _reads_unit(one)}
    bounds = {one.columns[0]: set(one.rows.tolist()) for one in listed if one.code == "type.censored"}
    unread = {one.columns[0]: set(one.rows.tolist()) for one in listed if one.code == "type.unreadable" and one.remedy}

    def said(one: Finding) -> bool:
        if stacked and one.code in ("duplicate.rows", "duplicate.near", "duplicate.key"):
            return True
        if one.code == "type.unreadable" and bounds.get(one.columns[0], set()).issuperset(one.rows.tolist()):
            return True
        if one.code == "type.unreadable" and one.remedy and one.columns[0] in units:
            return not _reads_unit(one)
        if one.code == "text.pattern":
            return unread.get(one.columns[0], set()).issuperset(one.rows.tolist())
        if one.code in ("missing.blank", "missing.together"):
            return one.columns[0] in above
        return one.code == "duplicate.key" and 2 * len(near.intersection(one.rows.tolist())) >= len(one.rows)

    return tuple(one for one in listed if not said(one))


def _reads_unit(finding: Finding) -> bool:
    return isinstance(finding.remedy, Convert) and bool(finding.remedy.unit)


def _listed(finder: Finder, cache: ColumnCache) -> list[Finding]:
    # The largest numbers overflow where they are multiplied or rounded; what is infinite then agrees with nothing.
    with np.errstate(all="ignore"):
        return list(finder(cache))
