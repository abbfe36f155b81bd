"""Findings about columns that go up from row to row, or down, but for single values: counters, and logs by time.

A value breaks the order if the column goes on without it: the one below is not less than the one above. Where it goes
on lower for good, as a new counter does or another series below, nothing is out of order.
"""

import numpy as np

from comb.errors import agree, counted
from comb.kernels.grouping import Codes
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.profiling.headings import CODE_WORDS, words_of

# Shorter columns go up by chance.
LEAST_ROWS = 50

# Nearly all values are beyond the one above them, and no more than this share breaks the order.
LEAST_RISING = 0.9
MOST_BREAKS = 0.02

# The first of them show that most columns go neither up nor down, with some slack for what is among these.
FIRST_SEEN = 2_000
SLACK = 0.1

# Whole numbers with this share of equal steps are numbers of records, and rows may come in any order of them.
NUMBERED = 0.5


def out_of_order(table: ColumnCache) -> Findings:
    """Single values that are less than those around them, or more, in columns that go up or down otherwise."""
    for name, column in table.columns.items():
        kind = column.type.plain.word
        if kind not in ("integer", "decimal", "number", "date", "datetime") or column.type.choices:
            continue
        if kind == "integer" and words_of(name) & CODE_WORDS:
            continue
        there = np.flatnonzero(column.present & ~table.told(name))
        if len(there) < LEAST_ROWS:
            continue
        if not _may_rise(column.array[there[:FIRST_SEEN]]):
            continue
        values = column.array[there]
        values = values.astype(np.int64) if values.dtype.kind == "M" else values
        if kind == "integer" and _are_numbered(values):
            continue
        for way, word in ((1, "up"), (-1, "down")):
            breaks = _breaks(values * way)
            if len(breaks):
                yield _finding(table, name, there[breaks], word)
                break


def _may_rise(first: np.ndarray) -> bool:
    """Return whether the first values go up, or down, mostly: most columns do neither, and are looked at no further."""
    share = np.count_nonzero(first[1:] > first[:-1]) / (len(first) - 1)
    return not 1 - LEAST_RISING + SLACK < share < LEAST_RISING - SLACK


def _are_numbered(values: np.ndarray) -> bool:
    """Return whether whole numbers go on by one and the same step for the most part, as the numbers of records do."""
    _, counts = np.unique(np.diff(values), return_counts=True)
    return bool(counts.max() > NUMBERED * len(values))


def _breaks(values: np.ndarray) -> Codes:
    """Return the values that break an order that goes up; none where it goes on from them, or there are many.

    >>> _breaks(np.array([*range(40), 7, *range(41, 80)])).tolist()
    [40]
    """
    none = np.zeros(0, np.int64)
    rises, falls = values[1:] > values[:-1], np.flatnonzero(values[1:] < values[:-1])
    most = MOST_BREAKS * len(values)
    if not 0 < len(falls) <= most or np.count_nonzero(rises) < LEAST_RISING * len(rises):
        return none
    found: set[int] = set()
    for at in falls.tolist():
        low = at + 2 >= len(values) or values[at + 2] >= values[at]
        high = at == 0 or values[at - 1] <= values[at + 1]
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
