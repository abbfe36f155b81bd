"""Window functions: ranks, neighbours and running aggregates within ordered groups of rows."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from comb.expressions.aggregates import Groups, aggregate
from comb.expressions.arithmetic import as_floats
from comb.kernels.grouping import Codes, group, order_rows
from comb.tables.column import Column, Mask
from comb.tables.reasons import Reason
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

    def end_value(self, column: Column, *, last: bool) -> Column:
        """Return the first or last cell of each group, for every row of it."""
        return column._take(self.back(self.order[self.end if last else self.start]))

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
    return Groups(*group([groups.codes, *(key._codes() for key in keys)], len(groups.codes)))


def over_all(function: str, columns: Sequence[Column], groups: Groups, used: Mask | None, *, distinct: bool) -> Column:
    """Aggregate whole groups, and give every row the value of its group."""
    return aggregate(function, columns, groups, used=used, distinct=distinct)._take(groups.codes)
