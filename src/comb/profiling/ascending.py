"""Findings about columns that go up from row to row, or down, but for single values: counters, and logs by time.

A value breaks the order if the column goes on without it: the one below is not less than the one above. Where it goes
on lower for good, as a new counter does or another series below, nothing is out of order.
"""

import numpy as np

from comb.errors import agree, counted
from comb.execution.storage import blocks_of
from comb.kernels.grouping import Codes
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.profiling.headings import CODE_WORDS, words_of
from comb.tables.stored import taken_array

# Shorter columns go up by chance.
LEAST_ROWS = 50

# Nearly all values are beyond the one above them, and no more than this share breaks the order.
LEAST_RISING = 0.9
MOST_BREAKS = 0.02

# The first of them show that most columns go neither up nor down, with some slack for what is among these.
FIRST_SEEN = 2_000
SLACK = 0.1

# Whole numbers with more than this share of equal steps, half at least, are numbers of records: rows may come in any
# order of them.
NUMBERED = 0.5


def out_of_order(table: ColumnCache) -> Findings:
    """Single values that are less than those around them, or more, in columns that go up or down otherwise."""
    for name, column in table.columns.items():
        kind = column.type.plain.word
        if kind not in ("integer", "decimal", "number", "date", "datetime") or column.type.choices:
            continue
        if kind == "integer" and words_of(name) & CODE_WORDS:
            continue
        left_out = column.missing | table.told(name)
        first = np.flatnonzero(~left_out[: 2 * FIRST_SEEN])
        if len(first) < min(FIRST_SEEN, len(column)):
            first = np.flatnonzero(~left_out)
        if len(first) < LEAST_ROWS or not _may_rise(column.array[first[:FIRST_SEEN]]):
            continue
        there = np.flatnonzero(~left_out) if left_out.any() else None
        values = column.array if there is None else taken_array(column.array, there, table._storage)
        values = values.view(np.int64) if values.dtype.kind == "M" else values
        if kind == "integer" and _are_numbered(values):
            continue
        for way, word in ((1, "up"), (-1, "down")):
            breaks = _breaks(values, way)
            if len(breaks):
                yield _finding(table, name, breaks if there is None else there[breaks], word)
                break


def _may_rise(first: np.ndarray) -> bool:
    """Return whether the first values go up, or down, mostly: most columns do neither, and are looked at no further."""
    share = np.count_nonzero(first[1:] > first[:-1]) / (len(first) - 1)
    return not 1 - LEAST_RISING + SLACK < share < LEAST_RISING - SLACK


def _are_numbered(values: np.ndarray) -> bool:
    """Return whether whole numbers go on by one and the same step for the most part, as the numbers of records do."""
    blocks = [slice(block.start, block.stop + 1) for block in blocks_of(len(values) - 1)]
    common = set()
    for block in blocks:
        steps, counts = np.unique(np.diff(values[block]), return_counts=True)
        # What more than half of all are, more than half of a block are.
        common |= set(steps[counts > NUMBERED * counts.sum()].tolist())
    return any(
        sum(np.count_nonzero(np.diff(values[block]) == step) for block in blocks) > NUMBERED * len(values)
        for step in common
    )


def _breaks(values: np.ndarray, way: int = 1) -> Codes:
    """Return the values that break an order that goes up, or down for -1; none where it goes on from them, or of many.

    >>> _breaks(np.array([*range(40), 7, *range(41, 80)])).tolist()
    [40]
    """
    none = np.zeros(0, np.int64)
    rising, falls, most = 0, [], MOST_BREAKS * len(values)
    for block in blocks_of(len(values) - 1):
        above, below = values[block], values[block.start + 1 : block.stop + 1]
        more, less = (below > above, below < above) if way > 0 else (below < above, below > above)
        rising += int(np.count_nonzero(more))
        falls += (np.flatnonzero(less) + block.start).tolist()
        if len(falls) > most:
            return none
    if not falls or rising < LEAST_RISING * (len(values) - 1):
        return none

    def goes_on(one: int, other: int) -> bool:
        return bool(values[other] >= values[one] if way > 0 else values[other] <= values[one])

    found: set[int] = set()
    for at in falls:
        low = at + 2 >= len(values) or goes_on(at, at + 2)
        high = at == 0 or goes_on(at - 1, at + 1)
        if not low and not high:
            return none
        found |= ({at + 1} if low else set()) | ({at} if high else set())
    return np.array(sorted(found), np.int64)


def _finding(table: ColumnCache, name: str, rows: Codes, word: str) -> Finding:
    count = len(rows)
    shown = tuple(
        f"row {number}: {text}"
        for number, text in zip(
            table.row_numbers[rows[:MOST_EXAMPLES]].tolist(),
            table[name]._take(rows[:MOST_EXAMPLES]).texts(),
            strict=True,
        )
    )
    text = f"{name} goes {word} from row to row, but {counted(count, 'value')} {agree(count, 'is', 'are')} out of order"
    return Finding("series.order", (name,), count, np.sort(table.row_numbers[rows]), shown, text)
