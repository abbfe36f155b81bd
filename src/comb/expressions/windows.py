"""Window functions: ranks, neighbours and running aggregates within ordered groups of rows."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from comb.expressions.aggregates import Groups, aggregate
from comb.expressions.arithmetic import as_floats
from comb.kernels.grouping import Codes, order_rows
from comb.tables.column import Column, Mask
from comb.tables.numbered_values import number_rows
from comb.tables.reasons import Reason
from comb.tables.stored import stored_keys
from comb.tables.types import DURATION, INTEGER, NUMBER

RANKS = ("row_number", "rank", "dense_rank", "average_rank", "percent_rank", "cume_dist")


class Window:
    """Rows in groups, ordered within each.

    Parameters
    ----------
    groups : Groups
    keys : sequence of int64 array
        Ascending ranks for each key, the leading one first; none leaves the rows as they stand.
    missing : bool array
        Rows of which a key is missing: they come last and have no rank.
    """

    def __init__(self, groups: Groups, keys: Sequence[Codes], missing: Mask) -> None:
        self.groups, self.missing, self.ordered = groups, missing, bool(keys)
        self.order = order_rows([groups.codes, *keys])
        codes = groups.codes[self.order]
        rows = len(codes)
        self.new_group = np.ones(rows, np.bool_)
        self.new_group[1:] = codes[1:] != codes[:-1]
        self.new_peer = self.new_group.copy()
        for key in keys:
            ordered = key[self.order]
            self.new_peer[1:] |= ordered[1:] != ordered[:-1]
        places = np.arange(rows)
        self.start = np.maximum.accumulate(np.where(self.new_group, places, 0))
        self.peer_start = np.maximum.accumulate(np.where(self.new_peer, places, 0))
        ends = np.append(np.flatnonzero(self.new_peer)[1:], rows) - 1
        self.peer_end = ends[np.cumsum(self.new_peer) - 1] if rows else places
        group_ends = np.append(np.flatnonzero(self.new_group)[1:], rows) - 1
        self.end = group_ends[np.cumsum(self.new_group) - 1] if rows else places

    def back(self, values: Any) -> Any:
        """Return values that are in the window's order in the table's."""
        out = np.empty_like(values)
        out[self.order] = values
        return out

    def rank(self, function: str) -> Column:
        """Rank the rows of each group; those without a key are not ranked."""
        places = np.arange(len(self.order))
        present = np.bincount(self.groups.codes, ~self.missing, len(self.groups)).astype(np.int64)
        size = present[self.groups.codes[self.order]]
        if function == "row_number":
            values: Any = places - self.start + 1
        elif function == "rank":
            values = self.peer_start - self.start + 1
        elif function == "dense_rank":
            running = np.cumsum(self.new_peer)
            values = running - running[self.start] + 1
        elif function == "average_rank":
            values = (self.peer_start + self.peer_end) / 2 - self.start + 1
        elif function == "percent_rank":
            values = (self.peer_start - self.start) / np.maximum(size - 1, 1)
        else:
            values = (self.peer_end - self.start + 1) / np.maximum(size, 1)
        kind = NUMBER if function in ("average_rank", "percent_rank", "cume_dist") else INTEGER
        state = None
        if self.ordered and self.missing.any() and function != "row_number":
            state = np.where(self.missing, np.uint8(Reason.UNDEFINED), np.uint8(0))
        return Column(kind, self.back(values), state)

    def neighbour(self, column: Column, step: int) -> Column:
        """Return the cell this many rows before (negative) or after each; ``absent`` beyond the group."""
        places = np.arange(len(self.order)) + step
        inside = (places >= self.start) & (places <= self.end)
        sources = self.order[np.where(inside, places, 0)] if len(places) else places
        taken = column._take(self.back(sources))
        outside = self.back(~inside)
        return taken._emptied(outside, Reason.ABSENT) if outside.any() else taken

    def tile(self, parts: int) -> Column:
        """Part the rows of each group that have a key into this many of equal size; the first are larger by one."""
        places = np.arange(len(self.order)) - self.start
        present = np.bincount(self.groups.codes, ~self.missing, len(self.groups)).astype(np.int64)
        size = present[self.groups.codes[self.order]]
        each, rest = np.divmod(size, parts)
        larger = rest * (each + 1)
        values = np.where(
            places < larger, places // (each + 1), rest + (places - larger) // np.maximum(each, 1)
        )  # fmt: skip
        state = np.where(self.missing, np.uint8(Reason.UNDEFINED), np.uint8(0)) if self.missing.any() else None
        return Column(INTEGER, self.back(values + 1), state)

    def frame(self, low: int | None, high: int | None, *, by_peers: bool = False) -> tuple[Codes, Codes]:
        """Return for each ordered row the first and the last row that count, by their distance in rows.

        Where the last lies before the first, none does.

        Parameters
        ----------
        low, high : int or None
            Rows, negative before; None reaches to the end of the group.
        by_peers : bool
            From the beginning of the group to the last row with the same key: what counts where no frame is given. Of
            rows without an order, all count.
        """
        places = np.arange(len(self.order))
        if by_peers:
            return self.start, self.peer_end if self.ordered else self.end
        first = self.start if low is None else np.maximum(self.start, places + low)
        last = self.end if high is None else np.minimum(self.end, places + high)
        return first, last

    def span(self, key: Column, descending: bool, low: Any, high: Any) -> tuple[Codes, Codes]:
        """Return for each ordered row the first and last row that count: those whose key is near enough.

        Parameters
        ----------
        key : Column
            Of numbers or moments.
        descending : bool
            Whether the order goes down: before is what is larger then.
        low, high : number or None
            How far, in the unit of the stored values.
        """
        values = key.array.view(np.int64) if key.array.dtype.kind in "mM" else key.array
        ordered = -values[self.order] if descending else values[self.order]
        lacking = self.missing[self.order]
        first, last = self.start.copy(), self.end.copy()
        begins = [*np.flatnonzero(self.new_group).tolist(), len(ordered)]
        for begin, end in pairwise(begins):
            held = end - int(lacking[begin:end].sum())
            here = ordered[begin:held]
            if low is not None:
                first[begin:held] = begin + np.searchsorted(here, here + low, "left")
            if high is not None:
                last[begin:held] = begin + np.searchsorted(here, here + high, "right") - 1
            else:
                last[begin:held] = held - 1
            # Rows without a key are a peer group of their own.
            first[held:end] = held
        return first, last

    def edge_value(self, function: str, column: Column, low: Codes, high: Codes, used: Mask | None) -> Column:
        """Return the first or last cell of each frame; of ``first`` and ``last`` the first that is present."""
        found, inside = (low, low <= high) if function.startswith("first") else (high, low <= high)
        if not function.endswith("_value"):
            present = (column.present if used is None else column.present & used)[self.order]
            places, rows = np.arange(len(present)), len(present)
            if not rows:
                return column
            if function == "first":
                after = np.minimum.accumulate(np.where(present, places, rows)[::-1])[::-1]
                found = after[np.minimum(low, rows - 1)]
            else:
                before = np.maximum.accumulate(np.where(present, places, -1))
                found = before[np.clip(high, 0, rows - 1)]
            inside = (low <= high) & (found >= low) & (found <= high)
        taken = column._take(self.back(self.order[np.where(inside, found, 0)] if len(found) else found))
        return taken._emptied(self.back(~inside), Reason.ABSENT) if not inside.all() else taken

    def framed(self, function: str, columns: Sequence[Column], low: Codes, high: Codes, used: Mask | None) -> Column:
        """Aggregate the rows of each frame.

        Sums, least and largest values are put together from blocks of 1, 2, 4 ... rows, so that nothing is subtracted
        and no digit lost: as many passes as the longest frame has binary digits.
        """
        present = np.ones(len(self.order), np.bool_) if used is None else used
        for column in columns:
            present = present & column.present
        shown = present[self.order]
        counts = _folded(shown.astype(np.int64), low, high, np.add, 0)
        if function == "count":
            return Column(INTEGER, self.back(counts))
        column, kind = columns[0], columns[0].type
        empty = np.where(counts == 0, np.uint8(Reason.BLANK), np.uint8(0))
        if function in ("min", "max"):
            ranks = column._sort_ranks()[self.order]
            most = int(ranks.max(initial=0)) + 1
            largest = function == "max"
            fill = -1 if largest else most
            best = _folded(np.where(shown, ranks, fill), low, high, np.maximum if largest else np.minimum, fill)
            position = np.zeros(most + 1, np.int64)
            position[ranks[::-1]] = self.order[::-1]
            taken = column._take(self.back(position[np.clip(best, 0, most)]))
            return taken._emptied(self.back(empty) != 0, Reason.BLANK) if (counts == 0).any() else taken
        exact = kind == DURATION or (function == "sum" and kind != NUMBER)
        source: Any = column.array.view(np.int64) if exact else as_floats(column)
        sums = _folded(np.where(shown, source[self.order], 0), low, high, np.add, 0)
        if function == "avg":
            means = sums / np.maximum(counts, 1)
            if kind == DURATION:
                made: Any = np.round(means).astype(np.int64).view("timedelta64[us]")
                return Column(DURATION, self.back(made), self.back(empty))
            return Column(NUMBER, self.back(means), self.back(empty))
        made = sums.view(kind.storage) if exact else sums
        return Column(kind if exact else NUMBER, self.back(made), self.back(empty))

    def running(self, function: str, columns: Sequence[Column], used: Mask | None) -> Column:
        """Aggregate all rows of the group up to each row, and those with the same key."""
        present = np.ones(len(self.order), np.bool_) if used is None else used
        for column in columns:
            present = present & column.present
        shown = present[self.order]
        counts = self._up_to(np.cumsum(shown))
        if function == "count":
            return Column(INTEGER, self.back(counts))
        column = columns[0]
        empty = np.where(counts == 0, np.uint8(Reason.BLANK), np.uint8(0))
        if function in ("min", "max"):
            return self._running_extreme(column, shown, empty, largest=function == "max")
        kind = column.type
        exact = function == "sum" and kind != NUMBER
        source = column.array.view(np.int64) if exact or kind == DURATION else as_floats(column)
        values = np.where(shown, source[self.order], 0)
        sums = self._up_to(np.cumsum(values))
        if function == "avg":
            means = sums / np.maximum(counts, 1)
            if kind == DURATION:
                made: Any = np.round(means).astype(np.int64).view("timedelta64[us]")
                return Column(DURATION, self.back(made), self.back(empty))
            return Column(NUMBER, self.back(means), self.back(empty))
        return Column(
            kind if exact else NUMBER, self.back(sums.view(kind.storage) if exact else sums), self.back(empty)
        )

    def _up_to(self, running: Any) -> Any:
        """Return running totals that begin anew with each group and are equal for peers."""
        before = np.where(self.start > 0, running[np.maximum(self.start - 1, 0)], 0)
        return running[self.peer_end] - before

    def _running_extreme(self, column: Column, shown: Mask, empty: Any, *, largest: bool) -> Column:
        ranks = column._sort_ranks()[self.order]
        worst = -1 if largest else int(ranks.max(initial=0)) + 1
        ranks = np.where(shown, ranks, worst)
        # Groups are kept apart by lifting each above all before it, or below.
        span = int(ranks.max(initial=0)) + 2
        lift = np.cumsum(self.new_group) * span
        lifted = ranks + lift if largest else ranks - lift
        best = np.maximum.accumulate(lifted) if largest else np.minimum.accumulate(lifted)
        found = (best - lift if largest else best + lift)[self.peer_end]
        position = np.zeros(span + 1, np.int64)
        position[ranks[::-1]] = self.order[::-1]
        taken = column._take(self.back(position[np.clip(found, 0, span)]))
        gone = self.back(empty) != 0
        return taken._emptied(gone, Reason.BLANK) if gone.any() else taken


def partitioned(groups: Groups, keys: Sequence[Column]) -> Groups:
    """Part groups further by columns."""
    if not keys:
        return groups
    storage = groups.storage
    codes = [groups.codes, *(stored_keys(key, storage) for key in keys)]
    return Groups(*number_rows(codes, len(groups.codes), storage), storage)


def over_all(function: str, columns: Sequence[Column], groups: Groups, used: Mask | None, *, distinct: bool) -> Column:
    """Aggregate whole groups, and give every row the value of its group."""
    return aggregate(function, columns, groups, used=used, distinct=distinct)._take(groups.codes)


def _folded(values: Any, low: Codes, high: Codes, fold: Any, nothing: Any) -> Any:
    """Put the values between two places together, for each pair of places; both ends count."""
    length = np.maximum(high - low + 1, 0)
    result = np.full(len(values), nothing, values.dtype)
    place, block, size = low.copy(), values, 1
    most = int(length.max(initial=0))
    while size <= most:
        hits = np.flatnonzero(length & size)
        result[hits] = fold(result[hits], block[place[hits]])
        place[hits] += size
        if 2 * size <= most:
            block = fold(block[: len(block) - size], block[size:])
        size *= 2
    return result
