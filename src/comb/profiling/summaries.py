"""What a column holds, in a few numbers."""

import heapq
from collections.abc import Callable
from typing import Any

import msgspec
import numpy as np

from comb.execution.executor import executor_of
from comb.execution.storage import Storage, blocks_of
from comb.kernels import dispatch
from comb.kernels.grouping import Codes, distinct_count
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.profiling.column_cache import ColumnCache
from comb.statistics.distribution import SMALL, small_shape
from comb.statistics.figures import mean_and_deviation
from comb.tables.column import Column
from comb.tables.reasons import MEANING
from comb.tables.repeated_texts import repeated_texts, shortest_and_longest
from comb.tables.stored import text_counts
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.value_texts import digits, number_text, value_texts

MOST_COMMON = 5
MOST_TIES = 10_000

# Smaller tables are not worth handing to several threads.
FEW_ROWS = 50_000

# Where the commonest text is in less than one cell of this many, texts hardly repeat, and no shape is drawn.
MOST_SHAPED = 50


class Summary(msgspec.Struct, frozen=True):
    """The summary of one column.

    Attributes
    ----------
    name, type : str
    count : int
        Cells.
    missing : dict of str to int
        Missing cells by reason.
    distinct : int
        Distinct values among the present cells.
    details : dict
        By type. Numbers: ``min quartile_1 median quartile_3 max mean sd variation
        zeros``; text: ``commonest shortest longest``; dates, times, durations: ``first last``;
        booleans: ``true false``; categories as the type they are based on.
    shape : tuple of int
        How the values are spread: of numbers, dates and times the counts in twelve equally wide parts from the least to
        the greatest; of texts and booleans those of the commonest values; empty where texts hardly repeat.
    """

    name: str
    type: str
    count: int
    missing: dict[str, int]
    distinct: int
    details: dict[str, Any] = msgspec.field(default_factory=dict)
    shape: tuple[int, ...] = ()

    @property
    def missing_count(self) -> int:
        """How many cells are missing."""
        return sum(self.missing.values())


def summarise(cache: ColumnCache, name: str) -> Summary:
    """Summarise a column.

    Parameters
    ----------
    cache : ColumnCache
    name : str

    Returns
    -------
    Summary
        Cost: a sort of the present values.
    """
    column, counts = cache[name], cache.state_counts(name)
    missing = {
        reason.word: int(counts[reason]) for reason in sorted(MEANING, key=lambda one: one.word) if counts[reason]
    }
    if len(column) == column.missing_count:
        return Summary(name, str(column.type), len(column), missing, 0)
    if isinstance(column.values, Text):
        summary = _of_plain_texts if column.values.codes is None else _of_texts
        return summary(name, column, missing, cache._storage)
    ordered = cache.ordered(name)
    floats = ordered if column.type.storage == "bool" else cache.in_order(name)
    details: dict[str, Any] = {}
    if column.type.numeric:
        details = _of_numbers(column, ordered, floats, cache._storage)
    elif column.type.storage != "bool":
        first, last = value_texts(column.type, ordered[[0, -1]])
        details = {"first": first, "last": last}
    else:
        true = int(np.count_nonzero(ordered))
        details = {"true": true, "false": len(ordered) - true}
    shape = tuple(details.values()) if "true" in details else small_shape(floats)
    return Summary(name, str(column.type), len(column), missing, distinct_count(ordered), details, shape)


def summaries_of(table: BareTable, threads: int = 1, check: Callable[[], None] = lambda: None) -> list[Summary]:
    """Summarise all columns of a table, this many at once; before each, `check` may raise an error that ends it."""
    check()
    cache = ColumnCache.without_codes(table)

    def summary(name: str) -> Summary:
        check()
        return summarise(cache, name)

    if threads == 1 or table.row_count < FEW_ROWS:
        return [summary(name) for name in table.names]
    with executor_of(threads) as executor:
        return list(executor.map(summary, table.names))


def _largest(counts: Codes, most: int) -> list[int]:
    """Return the largest counts that are not 0, the largest first.

    >>> _largest(np.array([1, 0, 7, 2]), 2)
    [7, 2]
    """
    top: Codes = np.zeros(0, np.int64)
    for block in blocks_of(len(counts)):
        top = np.concatenate([top, counts[block]])
        if len(top) > most:
            top = np.partition(top, -most)[-most:]
    return [one for one in sorted(top.tolist(), reverse=True) if one]


def _of_texts(name: str, column: Column, missing: dict[str, int], storage: Storage) -> Summary:
    """Summarise texts; those that are stored are decoded only where they are shown."""
    text = column.text
    counts = text_counts(column, storage)
    _, lengths = text.traits(KNOWN_WORDS)
    used = counts > 0
    shortest = int(np.min(lengths, where=used, initial=lengths.max()))
    longest = int(np.max(lengths, where=used, initial=0))
    details = {"commonest": _commonest(text, counts), "shortest": shortest, "longest": longest}
    many = int(counts.max()) * MOST_SHAPED < int(counts.sum())
    shape = () if many else tuple(_largest(counts, SMALL))
    return Summary(name, str(column.type), len(column), missing, int(np.count_nonzero(used)), details, shape)


def _of_plain_texts(name: str, column: Column, missing: dict[str, int], storage: Storage) -> Summary:
    """Summarise texts without codes: those that no other cell holds are not numbered."""
    found = repeated_texts(column, storage)
    once = [1] * min(found.alone, SMALL)
    highest = (_largest(found.counts, MOST_COMMON) + once)[:MOST_COMMON]
    least = highest[-1] if len(highest) == MOST_COMMON else 1
    tied = [found.rows[found.counts == least]] + ([found.first_alone(MOST_TIES)] if least == 1 else [])
    at = np.concatenate([found.rows[found.counts > least], np.sort(np.concatenate(tied))[:MOST_TIES]])
    pairs = zip(column.text.take(at).to_list(), found.counts_at(at).tolist(), strict=True)
    commonest = heapq.nsmallest(MOST_COMMON, pairs, key=lambda pair: (-pair[1], pair[0]))
    shortest, longest = shortest_and_longest(column)
    details = {"commonest": commonest, "shortest": shortest, "longest": longest}
    hardly = int(found.counts.max(initial=1)) * MOST_SHAPED < found.alone + int(found.counts.sum())
    shape = () if hardly else tuple((_largest(found.counts, SMALL) + once)[:SMALL])
    return Summary(name, str(column.type), len(column), missing, found.alone + len(found.rows), details, shape)


def _commonest(text: Text, counts: Codes) -> list[tuple[str, int]]:
    """Return the commonest texts, ties in order of code point.

    Of very many that are equally common, only those that appear first are compared.
    """
    highest = _largest(counts, MOST_COMMON)
    least = highest[-1] if len(highest) == MOST_COMMON else 1
    places, tied = [np.flatnonzero(counts > least)], 0
    for block in blocks_of(len(counts)):
        some = np.flatnonzero(counts[block] == least)[: MOST_TIES - tied]
        places.append(some + block.start)
        tied += len(some)
        if tied == MOST_TIES:
            break
    at = np.concatenate(places)
    pairs = zip(dispatch.kernels.take(text.packed(), at).strings(), counts[at].tolist(), strict=True)
    return heapq.nsmallest(MOST_COMMON, pairs, key=lambda pair: (-pair[1], pair[0]))


def _of_numbers(column: Column, ordered: np.ndarray, floats: np.ndarray, storage: Storage) -> dict[str, Any]:
    """Summarise the present numbers of a column, which come in ascending order, as they are stored and as floats.

    Quartiles interpolate linearly between the two nearest values (definition 7 in
    Hyndman and Fan, The American Statistician 50, 1996). The standard deviation
    divides by n - 1; the variation coefficient is that over the mean.
    """
    quartiles = [_quantile(floats, share) for share in (0.25, 0.5, 0.75)]
    mean, sd = mean_and_deviation(floats, storage)
    return {
        "min": _exact(column, ordered[0]),
        "quartile_1": quartiles[0],
        "median": quartiles[1],
        "quartile_3": quartiles[2],
        "max": _exact(column, ordered[-1]),
        "mean": mean,
        "sd": sd,
        "variation": sd / abs(mean) if sd is not None and mean else None,
        "zeros": int(np.searchsorted(floats, 0, "right") - np.searchsorted(floats, 0)),
    }


def _quantile(ordered: np.ndarray, share: float) -> float:
    """Interpolate from the nearer of the two neighbours, so that the result never leaves their range."""
    place = share * (len(ordered) - 1)
    at = int(place)
    rest = place - at
    low, high = float(ordered[at]), float(ordered[min(at + 1, len(ordered) - 1)])
    return low + (high - low) * rest if rest < 0.5 else high - (high - low) * (1 - rest)


def _exact(column: Column, value: np.generic) -> str:
    """Write an extreme as the column writes its values."""
    plain: Any = value.item()
    kind = column.type.plain
    return number_text(plain) if kind.word == "number" else digits(plain, kind.scale)
