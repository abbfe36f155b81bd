"""Aggregates: one value for each group of rows; cells that are missing do not count."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import MEMORY, Storage, blocks_of, positions_in
from comb.expressions.arithmetic import as_floats
from comb.kernels import dispatch
from comb.kernels.grouping import Codes, first_rows, number_groups
from comb.tables.collect import slice_of
from comb.tables.column import Column, Mask
from comb.tables.numbered_values import count_rows, number_rows
from comb.tables.ordered_rows import ordered_rows
from comb.tables.reasons import Reason
from comb.tables.stored import stored_keys, taken_array, taken_column
from comb.tables.table import BareTable
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
    storage : Storage
        Keeps what is as long as the table while aggregates are taken.
    """

    __slots__ = ("_sizes", "_sums", "codes", "first", "storage")

    def __init__(self, codes: Codes, first: Codes, storage: Storage = MEMORY, sizes: Codes | None = None) -> None:
        self.codes, self.first, self.storage = codes, first, storage
        self._sizes = sizes
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

    def part(self, rows: slice) -> "Groups":
        """Return the same groups, of some rows that follow each other; all rows are these groups themselves."""
        if rows.stop - rows.start == len(self.codes):
            return self
        return Groups(self.codes[rows], self.first)

    @classmethod
    def whole(cls, rows: int, storage: Storage = MEMORY) -> "Groups":
        """Return the one group of all rows."""
        # Zeros that nobody writes to take no memory.
        return cls(np.zeros(rows, np.int64), np.zeros(1, np.int64), storage)

    @classmethod
    def of(cls, keys: Sequence[Column], rows: int, storage: Storage = MEMORY) -> "Groups":
        """Group rows by columns; missing cells are equal."""
        if not keys:
            return cls.whole(rows, storage)
        codes = [stored_keys(key, storage) for key in keys]
        if storage.on_disk:
            return cls(*number_rows(codes, rows, storage), storage)
        found = number_groups(codes, rows)
        return cls(found.numbers, found.first, storage, found.sizes)

    @classmethod
    def by(cls, table: BareTable, names: Sequence[str]) -> "Groups":
        """Group the rows of a table by columns of it, kept where the table is kept."""
        return cls.of([table[name] for name in names], table.row_count, table._storage)


def _made(kind: Type, values: NDArray[Any] | Text, counts: Codes) -> Column:
    """Make a column of one value for each group; a group without any is missing."""
    empty = counts == 0
    state = np.where(empty, np.uint8(Reason.BLANK), np.uint8(0)) if empty.any() else None
    return Column(kind, values, state)


def count(groups: Groups, used: Mask | None) -> Codes:
    """Count the rows of each group, or those that are used."""
    if used is None:
        return groups.sizes
    counts = np.zeros(len(groups), np.int64)
    for block in blocks_of(len(used)):
        counts += np.bincount(groups.codes[block][used[block]], minlength=len(groups))
    return counts


def _by_rows(count: int, storage: Storage, of_rows: Callable[[slice], NDArray[Any]]) -> NDArray[np.float64]:
    """Calculate floats for all rows: at once in memory, some rows at a time on disk."""
    if not storage.on_disk:
        return of_rows(slice(0, count))
    made: NDArray[np.float64] = storage.empty(count, np.float64)
    for block in blocks_of(count, storage.block_rows):
        made[block] = of_rows(block)
    return made


def _floats(column: Column, storage: Storage) -> NDArray[np.float64]:
    """Return the numbers of a column, or the microseconds of a duration, as floats."""
    if column.type == DURATION:
        return _by_rows(len(column), storage, lambda rows: column.array[rows].view(np.int64).astype(np.float64))
    if column.array.dtype == np.float64:
        return as_floats(column)
    return _by_rows(len(column), storage, lambda rows: as_floats(slice_of(column, rows)))


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
    with np.errstate(all="ignore"):
        sums = groups.sums(codes, _floats(column, groups.storage)) / counts
    means = np.where(counts == 0, 0, sums)
    if column.type == DURATION:
        return _made(DURATION, np.round(means).astype(np.int64).view("timedelta64[us]"), counts)
    return _made(NUMBER, means, counts)


def _extreme_by_rank(column: Column, codes: Codes, groups: Groups, counts: Codes, *, largest: bool) -> Column:
    """Return the first or last value of each group in the order of values: of texts and of true and false."""
    ranks = column._sort_ranks()
    order = ordered_rows([codes, -ranks if largest else ranks], groups.storage)
    return _firsts(column, codes, groups, counts, order)


def _firsts(column: Column, codes: Codes, groups: Groups, counts: Codes, order: Codes) -> Column:
    """Return for each group the first of its cells in an order that keeps groups together."""
    positions = np.full(len(groups), -1, np.int64)
    for block in blocks_of(len(order)):
        rows = order[block]
        of = codes[rows]
        leads = np.ones(len(of), np.bool_)
        leads[1:] = of[1:] != of[:-1]
        leads &= positions[of] < 0
        positions[of[leads]] = rows[leads]
    return _at(column, positions, groups, counts)


def _edges(column: Column, codes: Codes, groups: Groups, counts: Codes, *, last: bool) -> Column:
    """Return for each group its first or last cell as the rows stand."""
    if not last:
        found = first_rows(codes, int(np.count_nonzero(counts)))
        return _at(column, np.append(found, np.full(len(groups) - len(found), -1)), groups, counts)
    positions = np.full(len(groups), -1, np.int64)
    for block in blocks_of(len(codes)):
        # Of several rows with one code the last one is what stays.
        positions[codes[block]] = np.arange(block.start, block.stop)
    return _at(column, positions, groups, counts)


def _at(column: Column, positions: Codes, groups: Groups, counts: Codes) -> Column:
    """Return the cells at some positions, one for each group; -1 where a group has none."""
    if not len(column):
        empty: Any = (
            Text.from_items([""] * len(groups)) if column.type.textual else np.zeros(len(groups), column.type.storage)
        )
        return _made(column.type, empty, counts)
    taken = column._take(np.maximum(positions, 0))
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
        floats = _floats(column, groups.storage)
        divisor = counts - sample
        with np.errstate(all="ignore"):
            means = groups.sums(codes, floats) / counts
            off = _by_rows(len(codes), groups.storage, lambda rows: (floats[rows] - means[codes[rows]]) ** 2)
            squares = groups.sums(codes, off) / divisor
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
    floats = _floats(column, groups.storage)
    starts = np.cumsum([0, *counts[:-1]])
    ordered = _ordered_within(floats, codes, starts, groups.storage)
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
        kind = column.type if column.type == DURATION else NUMBER
        return _made(kind, np.zeros(len(groups), kind.storage), counts)
    last = len(ordered) - 1
    lower, upper = (ordered[np.minimum(starts + place, last)] for place in (low, high))
    values = np.where(counts == 0, 0, lower + (upper - lower) * part)
    if column.type == DURATION:
        return _made(DURATION, np.round(values).astype(np.int64).view("timedelta64[us]"), counts)
    return _made(NUMBER, values, counts)


def _ordered_within(floats: NDArray[np.float64], codes: Codes, starts: Codes, storage: Storage) -> NDArray[np.float64]:
    """Return values group by group, in order within each; a few long groups are sorted one by one."""
    if storage.on_disk and len(floats):
        ordered: NDArray[np.float64] = taken_array(floats, ordered_rows([codes, floats], storage), storage)
        return ordered
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
    _, first = number_rows([codes, stored_keys(column, groups.storage)], len(codes), groups.storage)
    return Column(INTEGER, np.bincount(codes[first], minlength=len(groups)).astype(np.int64))


def _mode(column: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
    """Return the commonest value of each group; ``undefined`` where several are equally common: none is preferred."""
    positions, ties = np.full(len(groups), -1, np.int64), np.zeros(len(groups), np.int64)
    if len(codes):
        first, sizes = count_rows([codes, stored_keys(column, groups.storage)], len(codes), groups.storage)
        of = codes[first]
        best = np.zeros(len(groups), np.int64)
        np.maximum.at(best, of, sizes)
        leading = sizes == best[of]
        positions[of[leading]] = first[leading]
        ties = np.bincount(of[leading], minlength=len(groups))
    made = _at(column, positions, groups, counts)
    return made._emptied(ties > 1, Reason.UNDEFINED) if (ties > 1).any() else made


def correlation(left: Column, right: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
    """Return Pearson's correlation coefficient of each group."""
    x, y = (_floats(column, groups.storage) for column in (left, right))
    with np.errstate(all="ignore"):
        mean_x, mean_y = (groups.sums(codes, part) / counts for part in (x, y))
        dx = _by_rows(len(codes), groups.storage, lambda rows: x[rows] - mean_x[codes[rows]])
        dy = _by_rows(len(codes), groups.storage, lambda rows: y[rows] - mean_y[codes[rows]])

        def products(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
            return groups.sums(codes, _by_rows(len(codes), groups.storage, lambda rows: one[rows] * other[rows]))

        shared = products(dx, dy)
        spread = np.sqrt(products(dx, dx) * products(dy, dy))
        values = shared / spread
    bad = ~np.isfinite(values)
    made = _made(NUMBER, np.where(bad, 0, np.clip(values, -1, 1)), counts)
    return made._emptied(bad & (counts > 0), Reason.UNDEFINED) if bad.any() else made


def weighted_mean(values: Column, weights: Column, codes: Codes, groups: Groups, counts: Codes) -> Column:
    """Return the mean of each group, every value counted by its weight."""
    x, w = (_floats(column, groups.storage) for column in (values, weights))
    with np.errstate(all="ignore"):
        weighted = _by_rows(len(codes), groups.storage, lambda rows: x[rows] * w[rows])
        means = groups.sums(codes, weighted) / groups.sums(codes, w)
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
    "mode": _mode,
    "stddev_samp": _variance(sample=True, root=True),
    "stddev_pop": _variance(sample=False, root=True),
    "var_samp": _variance(sample=True, root=False),
    "var_pop": _variance(sample=False, root=False),
}


def _present(columns: Sequence[Column], used: Mask | None, storage: Storage) -> Mask | None:
    """Return the rows that count: in which no column is missing; None where nothing is left out."""
    states = [column.state for column in columns if column.state is not None]
    if not states:
        return used
    made: Mask = storage.empty(len(states[0]), np.bool_)
    for block in blocks_of(len(made), storage.block_rows):
        made[block] = True if used is None else used[block]
        for state in states:
            made[block] &= state[block] == Reason.PRESENT
    return made


def _taken(
    columns: Sequence[Column], codes: Codes, rank: Codes | None, rows: Codes, storage: Storage
) -> tuple[list[Column], Codes, Codes | None]:
    """Return the cells, groups and ranks of some rows."""
    return (
        [taken_column(column, rows, storage) for column in columns],
        taken_array(codes, rows, storage),
        None if rank is None else rank[rows],
    )


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
    storage, codes = groups.storage, groups.codes
    present = _present(columns, used, storage)
    rank: Codes | None = None
    if order is not None:
        rank = np.empty(len(order), np.int64)
        rank[order] = np.arange(len(order))
    if present is not None and not present.all():
        rows = positions_in(present, storage)
        columns, codes, rank = _taken(columns, codes, rank, rows, storage)
    if distinct and function != "count" and len(codes):
        _, first = number_rows([codes, *(stored_keys(column, storage) for column in columns)], len(codes), storage)
        columns, codes, rank = _taken(columns, codes, rank, np.sort(first), storage)
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
    if function == "listagg":
        placed = np.arange(len(codes)) if rank is None else rank
        return joined_texts(columns[0], between, codes, groups, counts, np.argsort(placed, kind="stable"))
    # first, last, any_value
    if rank is None:
        return _edges(columns[0], codes, groups, counts, last=function == "last")
    order_here = ordered_rows([codes, -rank if function == "last" else rank], storage)
    return _firsts(columns[0], codes, groups, counts, order_here)
