"""Findings about columns that go together as a start and an end, where the start is after the end."""

from itertools import combinations

import numpy as np

from comb.errors import agree, counted
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.profiling.headings import words_of
from comb.tables.column import Mask

MOMENTS = frozenset({"date", "datetime", "time"})
NUMBERS = frozenset({"integer", "decimal", "number"})
LEAST_ROWS = 20
MOST_COLUMNS = 40

# The start is not after the end in this share of the rows, and is after it far more often if rows are paired by chance.
LEAST_IN_ORDER = 0.85
LEAST_OVER_CHANCE = 4.0

# What begins and what ends, in headings of numbers; the rest of both headings is the same.
ENDS = (
    ("min", "max"), ("minimum", "maximum"), ("low", "high"), ("lower", "upper"), ("from", "to"), ("start", "end"),
    ("begin", "end"), ("first", "last"), ("open", "close"), ("least", "most"), ("von", "bis"), ("lowest", "highest"),
    ("smallest", "largest"), ("departure", "arrival"), ("opens", "closes"),
    ("opened", "closed"), ("start", "stop"), ("started", "ended"), ("begins", "ends"), ("in", "out"),
)  # fmt: skip


def reversed_pairs(table: ColumnCache) -> Findings:
    """Rows in which a start is after its end."""
    if table.row_count < LEAST_ROWS:
        return
    for kinds in (MOMENTS, NUMBERS):
        names = [name for name, one in table.columns.items() if one.type.plain.word in kinds and not one.type.choices]
        for first, second in combinations(names[:MOST_COLUMNS], 2):
            if kinds is NUMBERS:
                ends = _ends_of(first, second)
                if ends is None:
                    continue
                first, second = ends
            elif table[first].type.plain.word != table[second].type.plain.word:
                continue
            called = _ends_of(first, second)
            yield from _reversed(table, *(called or (first, second)), either=called is None)


def _ends_of(one: str, other: str) -> tuple[str, str] | None:
    """Return two headings as start and end, if all else in them is the same."""
    mine, theirs = words_of(one), words_of(other)
    for start, end in ENDS:
        if start in mine and end in theirs and mine - {start} == theirs - {end}:
            return one, other
        if end in mine and start in theirs and mine - {end} == theirs - {start}:
            return other, one
    return None


def _reversed(table: ColumnCache, first: str, second: str, *, either: bool) -> Findings:
    one, other = table.floats(first), table.floats(second)
    both = np.isfinite(one) & np.isfinite(other) & ~table.told(first) & ~table.told(second)
    count = int(both.sum())
    if count < LEAST_ROWS:
        return
    with np.errstate(invalid="ignore"):
        after, before = both & (one > other), both & (one < other)
    if either and after.sum() > before.sum():
        first, second, one, other, after = second, first, other, one, before
    wrong = int(after.sum())
    if not 0 < wrong <= (1 - LEAST_IN_ORDER) * count:
        return
    if either and wrong * LEAST_OVER_CHANCE > _by_chance(one[both], other[both]):
        return
    yield _finding(table, first, second, after)


def _by_chance(one: np.ndarray, other: np.ndarray) -> float:
    """Return how many starts would be after their ends if rows were paired by chance."""
    return float((len(other) - np.searchsorted(np.sort(one), other, "right")).mean() * len(one) / max(1, len(other)))


def _finding(table: ColumnCache, first: str, second: str, where: Mask) -> Finding:
    shown = np.flatnonzero(where)[:MOST_EXAMPLES]
    pairs = zip(table[first]._take(shown).texts(), table[second]._take(shown).texts(), strict=True)
    examples = tuple(f"{start} to {end}" for start, end in pairs)
    count = int(where.sum())
    wrong = agree(count, "one of the two is", "one of each two is")
    text = f"in {counted(count, 'row')} {first} is after {second}: {wrong} wrong, or both"
    if table[first].type.plain.word in NUMBERS:
        text = text.replace("is after", "is larger than")
    return Finding("relation.order", (first, second), count, table.rows_where(where), examples, text)
