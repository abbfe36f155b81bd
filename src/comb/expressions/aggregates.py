"""Aggregates: one value for each group of rows; cells that are missing do not count."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import blocks_of
from comb.expressions.arithmetic import as_floats
from comb.kernels import dispatch
from comb.kernels.grouping import Codes, group
from comb.tables.column import Column, Mask
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import DURATION, INTEGER, NUMBER, STRING, Type

# Sums below this are exact as floats, whatever their order.
EXACT_FLOAT = float(2**53)

# Groups of this many rows on average are sorted one by one.
ROWS_OF_LONG_GROUPS = 256


class Groups:
    """Which group each row is in.

    Attributes
    ----------
    codes : int64 array
        The group of each row, from 0.
    first : int64 array
        The first row of each group.
    """

    __slots__ = ("_sizes", "_sums", "codes", "first")

    def __init__(self, codes: Codes, first: Codes) -> None:
        self.codes, self.first = codes, first
        self._sizes: Codes | None = None
        self._sums: dict[int, tuple[Any, NDArray[np.float64]]] = {}

    def sums(self, codes: Codes, floats: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return the sum of floats for each group, exactly rounded; of whole columns it is kept."""
        if codes is not self.codes:
            return self._summed(codes, floats)
        if id(floats) not in self._sums:
            # The array is held so that its identity stays its own.
            self._sums[id(floats)] = (floats, self._summed(codes, floats))
        return self._sums[id(floats)][1]

    def _summed(self, codes: Codes, floats: NDArray[np.float64]) -> NDArray[np.float64]:
        return dispatch.kernels.exact_sums(floats, None if len(self) == 1 else codes, len(self))

    @property
    def sizes(self) -> Codes:
        """How many rows each group has; counted once."""
        if self._sizes is None:
            self._sizes = np.bincount(self.codes, minlength=len(self)).astype(np.int64, copy=False)
        return self._sizes

    def __len__(self) -> int:
        return len(self.first)

    @classmethod
    def whole(cls, rows: int) -> "Groups":
        """Return the one group of all rows."""
        return cls(np.zeros(rows, np.int64), np.zeros(1, np.int64))

    @classmethod
    def of(cls, keys: Sequence[Column], rows: int) -> "Groups":
        """Group rows by columns; missing cells are equal."""
        return cls(*group([key._codes() for key in keys], rows)) if keys else cls.whole(rows)


def _made(kind: Type, values: NDArray[Any] | Text, counts: Codes) -> Column:
    """Make a column of one value for each group; a group without any is missing."""
    empty = counts == 0
    state = np.where(empty, np.uint8(Reason.BLANK), np.uint8(0)) if empty.any() else None
    return Column(kind, values, state)


def count(groups: Groups, used: Mask | None) -> Codes:
    """Count the rows of each group, or those that are used."""
    if used is None:
        return groups.sizes
    codes = groups.codes[used]
    return np.bincount(codes, minlength=len(groups)).astype(np.int64, copy=False)


def _sum(column: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
    values = column.array
    kind = column.type
    if kind == NUMBER:
        with np.errstate(all="ignore"):
            sums = groups.sums(codes, values)
        bad = ~np.isfinite(sums)
        made = _made(NUMBER, np.where(bad, 0, sums), counts)
        return made._emptied(bad & made.present, Reason.UNDEFINED) if bad.any() else made
    whole = values.view(np.int64)
    largest = max(-int(whole.min(initial=0)), int(whole.max(initial=0))) * max(1, int(counts.max(initial=0)))
    if largest < EXACT_FLOAT:
        exact = np.zeros(len(groups), np.int64)
        for block in blocks_of(len(whole)):
            exact += np.bincount(codes[block], whole[block], len(groups)).astype(np.int64)
        return _made(kind, exact.view(kind.storage), counts)
    # The upper and the lower half of the bits are added up apart, so that neither sum leaves its range.
    upper, lower = np.zeros(len(groups), np.int64), np.zeros(len(groups), np.int64)
    for block in blocks_of(len(whole)):
        np.add.at(upper, codes[block], whole[block] >> 32)
        np.add.at(lower, codes[block], whole[block] & 0xFFFFFFFF)
    totals = [high * 2**32 + low for high, low in zip(upper.tolist(), lower.tolist(), strict=True)]
    bad = np.array([not -(2**63) <= value < 2**63 for value in totals], np.bool_)
    exact = np.array([0 if wrong else value for value, wrong in zip(totals, bad.tolist(), strict=True)], np.int64)
    made = _made(kind, exact.view(kind.storage), counts)
    return made._emptied(bad, Reason.UNDEFINED) if bad.any() else made


def _mean(column: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
    floats = column.array.view(np.int64).astype(np.float64) if column.type == DURATION else as_floats(column)
    # Divided before it is summed up, no mean overflows.
    with np.errstate(all="ignore"):
        sums = groups.sums(codes, floats) / counts
    means = np.where(counts == 0, 0, sums)
    if column.type == DURATION:
        return _made(DURATION, np.round(means).astype(np.int64).view("timedelta64[us]"), counts)
    return _made(NUMBER, means, counts)


def _extreme_by_rank(column: Column, codes: Codes, groups: Groups, counts: Codes, *, largest: bool) -> Column:
    """Return the first or last value of each group in the order of values: of texts and of true and false."""
    ranks = column._sort_ranks()
    return _firsts(column, codes, groups, counts, np.lexsort((-ranks if largest else ranks, codes)))


def _firsts(column: Column, codes: Codes, groups: Groups, counts: Codes, order: Codes) -> Column:
    """Return for each group the first of its cells in an order that keeps groups together."""
    positions = np.zeros(len(groups), np.int64)
    ordered = codes[order]
    leads = np.ones(len(order), np.bool_)
    leads[1:] = ordered[1:] != ordered[:-1]
    positions[ordered[leads]] = order[leads]
    if not len(column):
        empty: Any = (
            Text.from_items([""] * len(groups)) if column.type.textual else np.zeros(len(groups), column.type.storage)
        )
        return _made(column.type, empty, counts)
    taken = column._take(positions)
    return taken._emptied(counts == 0, Reason.BLANK) if (counts == 0).any() else taken


def extreme_numbers(column: Column, codes: Codes, groups: Groups, counts: Codes, *, largest: bool) -> Column:
    """Return the least or largest number of each group without a sort."""
    values = column.array
    plain = values.view(np.int64) if values.dtype.kind in "mM" else values
    limits = (np.iinfo(np.int64).min, np.iinfo(np.int64).max) if plain.dtype == np.int64 else (-np.inf, np.inf)
    out = np.full(len(groups), limits[0] if largest else limits[1], plain.dtype)
    (np.maximum if largest else np.minimum).at(out, codes, plain)
    out = np.where(counts == 0, 0, out)
    return _made(column.type, out.view(values.dtype), counts)


def _extreme(*, largest: bool) -> Callable[[Column, Codes, Groups, Codes], Column]:
    def apply(column: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
        ranked = isinstance(column.values, Text) or column.type.word == "boolean" or bool(column.type.choices)
        return (_extreme_by_rank if ranked else extreme_numbers)(column, codes, groups, counts, largest=largest)

    return apply


def _variance(*, sample: bool, root: bool) -> Callable[[Column, Codes, Groups, Codes], Column]:
    """Return the variance or its root; two passes, so that large means do not swallow small differences."""

    def apply(column: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
        floats = as_floats(column)
        divisor = counts - sample
        with np.errstate(all="ignore"):
            means = groups.sums(codes, floats) / counts
            squares = groups.sums(codes, (floats - means[codes]) ** 2) / divisor
            values = np.sqrt(squares) if root else squares
        bad = (divisor <= 0) | ~np.isfinite(values)
        made = _made(NUMBER, np.where(bad, 0, values), counts)
        return made._emptied(bad & (counts > 0), Reason.UNDEFINED) if bad.any() else made

    return apply


def percentile(column: Column, share: float, codes: Codes, groups: Groups, counts: Codes, *, between: bool) -> Column:
    """Return the value below which a share of each group lies.

    Between two values it interpolates linearly, as SQL's ``percentile_cont`` does (definition 7 in
    Hyndman and Fan, The American Statistician 50, 1996); or it takes the first that reaches the share.
    """
    floats = column.array.view(np.int64).astype(np.float64) if column.type == DURATION else as_floats(column)
    starts = np.cumsum([0, *counts[:-1]])
    ordered = _ordered_within(floats, codes, starts)
    safe = np.maximum(counts, 1)
    if between:
        at = (safe - 1) * share
        low = np.floor(at).astype(np.int64)
        high = np.minimum(low + 1, safe - 1)
        part = at - low
    else:
        low = high = np.maximum(np.ceil(share * safe).astype(np.int64) - 1, 0)
        part = np.zeros(len(groups))
    if not len(ordered):
        return _made(NUMBER, np.zeros(len(groups)), counts)
    last = len(ordered) - 1
    lower, upper = (ordered[np.minimum(starts + place, last)] for place in (low, high))
    values = np.where(counts == 0, 0, lower + (upper - lower) * part)
    if column.type == DURATION:
        return _made(DURATION, np.round(values).astype(np.int64).view("timedelta64[us]"), counts)
    return _made(NUMBER, values, counts)


def _ordered_within(floats: NDArray[np.float64], codes: Codes, starts: Codes) -> NDArray[np.float64]:
    """Return values group by group, in order within each; a few long groups are sorted one by one."""
    if len(starts) > len(floats) // ROWS_OF_LONG_GROUPS:
        return floats[np.lexsort((floats, codes))]
    # Codes of sixteen bits are put in order by counting.
    small = codes.astype(np.uint16) if len(starts) <= 1 << 16 else codes
    ordered = floats[np.argsort(small, kind="stable")]
    for group_of in np.split(ordered, starts[1:]):
        group_of.sort()
    return ordered


def _median(column: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
    return percentile(column, 0.5, codes, groups, counts, between=True)


def _distinct(column: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
    if not len(codes):
        return Column(INTEGER, np.zeros(len(groups), np.int64))
    _, first = group([codes, column._codes()], len(codes))
    return Column(INTEGER, np.bincount(codes[first], minlength=len(groups)).astype(np.int64))


def correlation(left: Column, right: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
    """Return Pearson's correlation coefficient of each group."""
    x, y = as_floats(left), as_floats(right)
    with np.errstate(all="ignore"):
        mean_x, mean_y = (groups.sums(codes, part) / counts for part in (x, y))
        dx, dy = x - mean_x[codes], y - mean_y[codes]
        shared = groups.sums(codes, dx * dy)
        spread = np.sqrt(groups.sums(codes, dx * dx) * groups.sums(codes, dy * dy))
        values = shared / spread
    bad = ~np.isfinite(values)
    made = _made(NUMBER, np.where(bad, 0, np.clip(values, -1, 1)), counts)
    return made._emptied(bad & (counts > 0), Reason.UNDEFINED) if bad.any() else made


def weighted_mean(values: Column, weights: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
    """Return the mean of each group, every value counted by its weight."""
    x, w = as_floats(values), as_floats(weights)
    with np.errstate(all="ignore"):
        means = groups.sums(codes, x * w) / groups.sums(codes, w)
    bad = ~np.isfinite(means)
    made = _made(NUMBER, np.where(bad, 0, means), counts)
    return made._emptied(bad & (counts > 0), Reason.UNDEFINED) if bad.any() else made


def joined_texts(column: Column, between: str, codes: Codes, groups: Groups, counts: Codes, order: Codes) -> Column:
    """Return the texts of each group one after the other."""
    parts: list[list[str]] = [[] for _ in range(len(groups))]
    texts = column.text.to_list()
    for at in order.tolist():
        parts[codes[at]].append(texts[at])
    return _made(STRING, Text.from_strings([between.join(part) for part in parts]), counts)


Apply = Callable[[Column, Codes, Groups, Codes], Column]

# What takes one column and looks at its present cells.
SIMPLE: dict[str, Apply] = {
    "sum": _sum,
    "avg": _mean,
    "min": _extreme(largest=False),
    "max": _extreme(largest=True),
    "median": _median,
    "stddev_samp": _variance(sample=True, root=True),
    "stddev_pop": _variance(sample=False, root=True),
    "var_samp": _variance(sample=True, root=False),
    "var_pop": _variance(sample=False, root=False),
}


def aggregate(
    function: str,
    columns: Sequence[Column],
    groups: Groups,
    *,
    used: Mask | None = None,
    distinct: bool = False,
    order: Codes | None = None,
    share: float = 0.5,
    between: str = "",
) -> Column:
    """Aggregate columns for each group.

    Parameters
    ----------
    function : str
    columns : sequence of Column
        As long as the table; none for ``count(*)``.
    groups : Groups
    used : bool array, optional
        The rows that count at all.
    distinct : bool
        Whether equal values count once.
    order : int64 array, optional
        The order of the rows, for what depends on it.
    share : float
        For percentiles.
    between : str
        What parts texts that are joined.

    Returns
    -------
    Column
        One cell for each group; missing, ``blank``, where no cell counts.
    """
    if not columns:
        return Column(INTEGER, count(groups, used))
    present = used
    for column in columns:
        if column.state is not None:
            present = column.present if present is None else present & column.present
    codes = groups.codes
    rank: Codes | None = None
    if order is not None:
        rank = np.empty(len(order), np.int64)
        rank[order] = np.arange(len(order))
    if present is not None and not present.all():
        rows = np.flatnonzero(present)
        columns, codes = [column._take(rows) for column in columns], codes[rows]
        rank = None if rank is None else rank[rows]
    if distinct and function != "count" and len(codes):
        _, first = group([codes, *(column._codes() for column in columns)], len(codes))
        kept = np.sort(first)
        columns, codes = [column._take(kept) for column in columns], codes[kept]
        rank = None if rank is None else rank[kept]
    whole = codes is groups.codes
    counts = groups.sizes if whole else np.bincount(codes, minlength=len(groups)).astype(np.int64, copy=False)
    if function == "count":
        return _distinct(columns[0], codes, groups, counts) if distinct else Column(INTEGER, counts)
    if function in SIMPLE:
        return SIMPLE[function](columns[0], codes, groups, counts)
    if function in ("percentile_cont", "percentile_disc"):
        return percentile(columns[0], share, codes, groups, counts, between=function == "percentile_cont")
    if function == "corr":
        return correlation(columns[0], columns[1], codes, groups, counts)
    if function == "weighted_avg":
        return weighted_mean(columns[0], columns[1], codes, groups, counts)
    placed = np.arange(len(codes)) if rank is None else rank
    if function == "listagg":
        return joined_texts(columns[0], between, codes, groups, counts, np.argsort(placed, kind="stable"))
    # first, last, any_value
    order_here = np.lexsort((-placed if function == "last" else placed, codes))
    return _firsts(columns[0], codes, groups, counts, order_here)
