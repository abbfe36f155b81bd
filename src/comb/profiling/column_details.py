"""Everything about one column: figures, extremes with their rows, how values are spread, all values with counts."""

from collections.abc import Iterator
from typing import Any

import msgspec
import numpy as np

from comb.errors import counted
from comb.kernels.grouping import Codes
from comb.profiling.column_cache import ColumnCache
from comb.profiling.summaries import Summary, summarise
from comb.profiling.unreadable import KeptText, all_kept_texts
from comb.statistics.distribution import bars_for
from comb.statistics.figures import has_positions, plain_figure, positions_of
from comb.statistics.group_comparison import skewness
from comb.tables.column import Column
from comb.tables.names import check_known
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.types import INTEGER, NUMBER

# Extremes, steps and gaps that are listed, and rows of each.
MOST_LISTED = 5

# Bars of the histogram.
BARS = 20

# A figure that a column of this type does not have.
_ABSENT = int(Reason.ABSENT)


class Extreme(msgspec.Struct, frozen=True):
    """A value at one end, with its rows.

    Attributes
    ----------
    text : str
    count : int
    rows : tuple of int
        The first of their row numbers.
    """

    text: str
    count: int
    rows: tuple[int, ...]


class ColumnDetails(msgspec.Struct, frozen=True):
    """Everything about one column.

    Attributes
    ----------
    summary : Summary
    figures : dict of str to float
        Of numbers: ``mean sd variance variation median mode mode_count range skewness zeros``. Dates and times have
        none.
    lowest, highest : tuple of Extreme
    bars : tuple of (str, str, int)
        Of numbers, dates and times: from where, to where, how many.
    lengths : tuple of (int, int)
        Of texts: how many characters, how many cells.
    steps : tuple of (str, int)
        Of dates: the distance from one day that occurs to the next, and how often, the commonest first.
    gaps : tuple of (str, str, int)
        Of dates: the widest, after which day, before which, how many days apart.
    values : BareTable
        All values with count and share, the commonest first.
    kept : tuple of KeptText
        Every text that was not read as a value.
    """

    summary: Summary
    figures: dict[str, float]
    lowest: tuple[Extreme, ...]
    highest: tuple[Extreme, ...]
    bars: tuple[tuple[str, str, int], ...]
    lengths: tuple[tuple[int, int], ...]
    steps: tuple[tuple[str, int], ...]
    gaps: tuple[tuple[str, str, int], ...]
    values: BareTable
    kept: tuple[KeptText, ...]

    def as_record(self) -> dict[str, Any]:
        """Return it as plain values, for JSON."""
        summary = {name: getattr(self.summary, name) for name in Summary.__struct_fields__}
        ends = {
            name: [{"value": one.text, "count": one.count, "rows": list(one.rows)} for one in listed]
            for name, listed in (("lowest", self.lowest), ("highest", self.highest))
        }
        kept = [{"text": one.text, "reason": one.reason, "rows": list(one.rows)} for one in self.kept]
        return {
            **summary, "figures": self.figures, **ends,
            "bars": [{"from": low, "below": high, "rows": count} for low, high, count in self.bars],
            "lengths": [{"characters": length, "cells": count} for length, count in self.lengths],
            "steps": [{"step": step, "count": count} for step, count in self.steps],
            "gaps": [{"after": after, "before": before, "days": days} for after, before, days in self.gaps],
            "kept_texts": kept,
        }  # fmt: skip


def column_details(table: BareTable, name: str) -> ColumnDetails:
    """Find out everything about one column.

    Parameters
    ----------
    table : BareTable
    name : str

    Returns
    -------
    ColumnDetails
        Cost: two sorts of the column.

    Raises
    ------
    ColumnError
        If there is no such column, with the nearest name.
    """
    check_known(name, table.names)
    cache = ColumnCache.at(table)
    column, summary = table[name], summarise(cache, name)
    lowest, highest = _ends(table, column)
    lined = has_positions(column) and len(column) > column.missing_count
    bars = tuple(_bars(column)) if lined else ()
    dates = column.type.plain.word in ("date", "datetime") and lined
    steps, gaps = _steps(column) if dates else ((), ())
    values = _values(column)
    lengths = _lengths(column) if column.type.textual else ()
    figures = _figures(cache, name, summary, values) if column.type.numeric and lined else {}
    return ColumnDetails(
        summary, figures, lowest, highest, bars, lengths, steps, gaps, values, tuple(all_kept_texts(table, name))
    )


def _figures(cache: ColumnCache, name: str, summary: Summary, values: BareTable) -> dict[str, float]:
    ordered = cache.in_order(name)
    details = summary.details
    found: dict[str, float | None] = {key: details[key] for key in ("mean", "sd", "variation", "median", "zeros")}
    found["variance"] = None if details["sd"] is None else details["sd"] ** 2
    found["mode"], found["mode_count"] = float(positions_of(values["value"])[0]), int(values["count"].array[0])
    with np.errstate(all="ignore"):
        found["range"] = float(ordered[-1] - ordered[0])
        found["skewness"] = skewness(ordered)
    return {key: one for key, one in found.items() if one is not None and np.isfinite(one)}


def _ends(table: BareTable, column: Column) -> tuple[tuple[Extreme, ...], tuple[Extreme, ...]]:
    """Return the values at both ends with the rows they are in; of texts those that come first and last."""
    ranks = column._sort_ranks()
    present = np.flatnonzero(ranks >= 0)
    used = np.unique(ranks[present])

    def listed(some: Codes) -> Iterator[Extreme]:
        for rank in some.tolist():
            where = np.flatnonzero(ranks == rank)
            text = column._take(where[:1]).texts()[0] or ""
            yield Extreme(text, len(where), tuple(table.row_numbers[where[:MOST_LISTED]].tolist()))

    return tuple(listed(used[:MOST_LISTED])), tuple(listed(used[::-1][:MOST_LISTED]))


def _bars(column: Column) -> Iterator[tuple[str, str, int]]:
    kind = column.type.plain
    dates = kind.word in ("date", "datetime")
    values = positions_of(column)
    values = values[~np.isnan(values)]
    bars = bars_for(values, whole=kind.word == "integer", dates=dates, bins=BARS)
    # A bar for each whole number begins with that number.
    by_one = kind.word == "integer" and bars.step == "1"
    edges = [_edge(one + 0.5 * by_one, column, dates=dates) for one in bars.edges.tolist()]
    yield from zip(edges[:-1], edges[1:], bars.counts(values).tolist(), strict=True)


def _edge(value: float, column: Column, *, dates: bool) -> str:
    if dates:
        return str(np.datetime64(int(value), "D"))
    if column.type.plain.word in ("time", "duration"):
        hours = value * 24
        return f"{int(hours):02}:{round(hours % 1 * 60) % 60:02}"
    return plain_figure(value, 6)


def _lengths(column: Column) -> tuple[tuple[int, int], ...]:
    counts: dict[int, int] = {}
    found = column.distinct()
    for text, count in zip(found.values.texts(), found.counts.tolist(), strict=True):
        counts[len(text or "")] = counts.get(len(text or ""), 0) + count
    return tuple(sorted(counts.items()))


def _steps(column: Column) -> tuple[tuple[tuple[str, int], ...], tuple[tuple[str, str, int], ...]]:
    days = np.unique(np.floor(positions_of(column)[column.present]).astype(np.int64))
    apart = np.diff(days)
    steps, counts = np.unique(apart, return_counts=True)
    order = np.lexsort((steps, -counts))[:MOST_LISTED]
    common = tuple((counted(int(steps[at]), "day"), int(counts[at])) for at in order)
    widest = np.lexsort((days[:-1], -apart))[:MOST_LISTED]
    usual = float(np.median(apart)) if len(apart) else 0.0
    gaps = tuple(
        (str(np.datetime64(int(days[at]), "D")), str(np.datetime64(int(days[at + 1]), "D")), int(apart[at]))
        for at in widest.tolist()
        if apart[at] > 2 * usual
    )
    return common, gaps


def _values(column: Column) -> BareTable:
    """Return all values with count and share, the commonest first, equals in order."""
    found = column.distinct()
    order = np.lexsort((found.values._sort_ranks(), -found.counts))
    counts = found.counts[order].astype(np.int64)
    share = counts / max(1, int(counts.sum()))
    return BareTable({
        "value": found.values._take(order)._replace(evidence=None, source=None),
        "count": Column(INTEGER, counts), "share": Column(NUMBER, np.round(share, 6)),
    })  # fmt: skip


def summary_table(summaries: list[Summary]) -> BareTable:
    """Return summaries as a table that can be sorted, filtered and saved: a row for each column.

    Parameters
    ----------
    summaries : list of Summary
    """
    details = [one.details for one in summaries]

    def numbers(name: str) -> Column:
        found = [None if one.get(name) is None else float(one[name]) for one in details]
        state = np.array([0 if one is not None else _ABSENT for one in found], np.uint8)
        return Column(NUMBER, np.array([one or 0.0 for one in found], np.float64), state)

    def whole(name: str) -> Column:
        return whole_of([one.get(name) for one in details])

    def texts(found: list[str | None]) -> Column:
        return Column._of_strings(found, state=np.array([0 if one else _ABSENT for one in found], np.uint8))

    commonest = [one.get("commonest") for one in details]
    missing = np.array([one.missing_count for one in summaries], np.int64)
    total = np.array([max(1, one.count) for one in summaries], np.int64)
    return BareTable({
        "column": texts([one.name for one in summaries]), "type": texts([one.type for one in summaries]),
        "cells": Column(INTEGER, np.array([one.count for one in summaries], np.int64)),
        "missing": Column(INTEGER, missing), "missing_share": Column(NUMBER, np.round(missing / total, 6)),
        "reasons": texts([", ".join(f"{n:,} {reason}" for reason, n in one.missing.items()) for one in summaries]),
        "distinct": Column(INTEGER, np.array([one.distinct for one in summaries], np.int64)),
        **{name: numbers(name) for name in _NUMBERS}, "zeros": whole("zeros"),
        "first": texts([one.get("first") for one in details]), "last": texts([one.get("last") for one in details]),
        "commonest": texts([one[0][0] if one else None for one in commonest]),
        "commonest_count": whole_of([one[0][1] if one else None for one in commonest]),
        "shortest": whole("shortest"), "longest": whole("longest"),
        "true": whole("true"), "false": whole("false"),
    })  # fmt: skip


def whole_of(found: list[int | None]) -> Column:
    """Return whole numbers as a column, those that are not there absent."""
    state = np.array([0 if one is not None else _ABSENT for one in found], np.uint8)
    return Column(INTEGER, np.array([one or 0 for one in found], np.int64), state)


_NUMBERS = ("min", "quartile_1", "median", "quartile_3", "max", "mean", "sd", "variation")
