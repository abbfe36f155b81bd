"""Findings about values that cannot be, or hardly can: far outside, against the nature of the thing, not yet happened.

Far outside is judged on the scale on which the middle half of the values is most nearly symmetric: as they are, or
by their logarithms, so that incomes and the sizes of towns are not taken for mistakes. A value is far outside if it
lies beyond the quartiles by several times the distance between them, and apart from the values that do not.
"""

import math
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.errors import agree, counted
from comb.parsing.vocabulary import STAND_IN_DAYS, STAND_INS
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.profiling.headings import (
    COUNT_WORDS,
    KEY_WORDS,
    MONEY_WORDS,
    NEVER_NEGATIVE_WORDS,
    PLANNED_WORDS,
    SHARE_WORDS,
    SIGNED_WORDS,
    words_of,
)
from comb.tables.column import Column, Mask

# Fewer values, or fewer different ones, have no scale.
LEAST_VALUES = 20
LEAST_DIFFERENT = 8

# Beyond the quartiles by this many times their distance, and by this much apart from the nearest value that is not: of
# ten thousand normal values none is, nor of ten thousand whose logarithms are.
FENCE = 3.5
LEAST_APART = 1.0

# Where the largest tenth begins further from the median than the largest quarter by more than this factor (it is 1.9
# for normal values, 2.3 for sizes of towns), the fence is this many times as far away as the tenth.
HEAVY = 2.15
HEAVY_FENCE = 5.5

# The logarithms of values near zero lie far below the others; the lower fence is further away by this factor.
BELOW = 1.4

# Where a value has to lie outside on both scales, it does so less far on that of the logarithms.
FENCE_OF_BOTH = 2.0

# More are a second group of values.
MOST_OUTLIERS = 0.05

# Two scales are equally good if the median lies as near the middle of the middle half, but for this share of its width
# and for what chance makes of it, which shrinks with the root of the number of values.
AS_SYMMETRIC = 0.1

# A rule of nature is one the column keeps: this share of its values.
LEAST_WITHIN = 0.95
LEAST_WHOLE = 0.97

# If more days than this lie in the future, the column holds plans.
MOST_FUTURE = 0.25


def outliers(table: ColumnCache) -> Findings:
    """Numbers and days far outside the rest."""
    for name, column in table.columns.items():
        kind = column.type.plain.word
        if kind not in ("integer", "number", "decimal", "date", "datetime") or column.type.choices:
            continue
        if table.present_count(name) < LEAST_VALUES or table.different(name) < LEAST_DIFFERENT:
            continue
        if words_of(name) & KEY_WORDS and table.different(name) >= LEAST_WITHIN * table.present_count(name):
            # Keys have no size.
            continue
        found = far_outside(table, name)
        where = found.where & ~table.told(name) if found is not None else None
        if found is None or where is None or not where.any():
            continue
        count = int(where.sum())
        usual = column._take(np.array([found.least, found.most])).texts()
        examples = tuple(text or "" for text in column._take(np.flatnonzero(where)[:MOST_EXAMPLES]).texts())
        text = f"{counted(count, 'value')} of {name} {agree(count, 'is', 'are')} far outside the others, which lie"
        text += f" between {usual[0]} and {usual[1]}" + (f" (judged by {found.scale})" if found.scale else "")
        yield Finding("value.outlier", (name,), count, table.rows_where(where), examples, text)


class Outside(NamedTuple):
    """The values of a column that are far outside.

    Attributes
    ----------
    where : mask
    least, most : int
        Positions of the least and the largest of the others.
    scale : str
        How they were judged, where not as they are.
    """

    where: Mask
    least: int
    most: int
    scale: str


def far_outside(table: ColumnCache, name: str) -> Outside | None:
    """Find the values of a column that lie far outside, on the scale that fits the others."""
    column = table[name]
    ordered = _ordered(table, name)
    if len(ordered) < LEAST_VALUES:
        return None
    zeros = int(np.searchsorted(ordered, 0.0, "right")) if ordered[0] == 0 else 0
    if zeros:
        # Where there is often nothing, rain or fees, the rest is judged on its own.
        ordered = ordered[zeros:]
        if len(ordered) < LEAST_VALUES:
            return None
    ends = (ordered[0], ordered[-1])
    scale = ""
    if ordered[0] > 0 and column.type.numeric:
        quartiles = _at(ordered, 0.25), _at(ordered, 0.5), _at(ordered, 0.75)
        plain, by_logarithm = lean(quartiles, PLAIN), lean(quartiles, LOGARITHMS)
        alike = AS_SYMMETRIC + 1 / math.sqrt(len(ordered))
        if plain >= by_logarithm + alike:
            scale, ends = "their logarithms", _inside(ordered, LOGARITHMS, below=BELOW)
        elif by_logarithm >= plain + alike:
            ends = _inside(ordered, PLAIN)
        else:
            # Where both scales fit equally well, a value has to lie outside on both.
            one, other = _inside(ordered, PLAIN), _inside(ordered, LOGARITHMS, FENCE_OF_BOTH, BELOW)
            ends = (min(one[0], other[0]), max(one[1], other[1]))
    else:
        ends = _inside(ordered, PLAIN)
    least, most = ends
    outside = int(((ordered < least) | (ordered > most)).sum())
    if not 0 < outside <= MOST_OUTLIERS * len(ordered) + 1:
        return None
    values = table.floats(name)
    where = column.present & ((values < least) | (values > most)) & ~_stand_in_values(column, values)
    where &= (values != 0) | (not zeros)
    return Outside(where, int(np.argmax(values == least)), int(np.argmax(values == most)), scale)


def _not_told(table: ColumnCache, name: str) -> NDArray[np.float64]:
    """Return the values of a column in ascending order, as floats, without those that are reported to be wrong."""
    column = table[name]
    if table.told(name).any():
        ordered = np.sort(table.floats(name)[column.present & ~table.told(name)])
    else:
        ordered = table.in_order(name)
    ordered = ordered[: int(np.searchsorted(ordered, np.inf, "left"))]
    return ordered[int(np.searchsorted(ordered, -np.inf, "right")) :]


def _ordered(table: ColumnCache, name: str) -> NDArray[np.float64]:
    """Return the values that are judged: without those that people type for missing."""
    column = table[name]
    ordered = _not_told(table, name)
    known = np.unique(_stand_ins_of(column))
    if not column.type.numeric:
        return ordered[~_stand_in_values(column, ordered)] if len(ordered) else ordered
    starts, ends = (np.searchsorted(ordered, known, side) for side in ("left", "right"))
    if (starts == ends).all():
        return ordered
    keep = np.ones(len(ordered), np.bool_)
    for start, end in zip(starts.tolist(), ends.tolist(), strict=True):
        keep[start:end] = False
    return ordered[keep]


class Scale(NamedTuple):
    """A scale that values are judged on: what they are on it, and back."""

    on: Callable[[float], float]
    back: Callable[[float], float]


LARGEST_POWER = 700.0
PLAIN = Scale(float, float)
LOGARITHMS = Scale(math.log, lambda value: math.exp(min(value, LARGEST_POWER)))


def _inside(
    ordered: NDArray[np.float64], scale: Scale, fence: float = FENCE, below: float = 1.0
) -> tuple[float, float]:
    """Return the least and the largest of ascending values that are not far outside on a scale."""
    low, high, width = _fences(ordered, scale, fence, below)
    begin = int(np.searchsorted(ordered, scale.back(low), "left"))
    end = int(np.searchsorted(ordered, scale.back(high), "right"))
    if not width or begin >= end:
        return float(ordered[0]), float(ordered[-1])
    if begin and scale.on(ordered[begin]) - scale.on(ordered[begin - 1]) < LEAST_APART * width:
        begin = 0
    if end < len(ordered) and scale.on(ordered[end]) - scale.on(ordered[end - 1]) < LEAST_APART * width:
        end = len(ordered)
    return float(ordered[begin]), float(ordered[end - 1])


def _at(ordered: NDArray[np.float64], share: float) -> float:
    return float(ordered[min(len(ordered) - 1, int(share * len(ordered)))])


def _fences(ordered: NDArray[np.float64], scale: Scale, fence: float, below: float) -> tuple[float, float, float]:
    """Return from where on values are far outside, below and above, and the distance between the quartiles."""
    first, median, third, ninth = (scale.on(_at(ordered, share)) for share in (0.25, 0.5, 0.75, 0.9))
    width = third - first
    if not width:
        # More than half of the values are equal: the others say how wide the column is.
        rest = ordered[ordered != _at(ordered, 0.25)]
        width = scale.on(_at(rest, 0.9)) - scale.on(_at(rest, 0.1)) if len(rest) >= LEAST_VALUES else 0.0
    low, high = first - below * fence * width, third + fence * width
    if ninth - median > HEAVY * (third - median) > 0:
        high = max(high, median + HEAVY_FENCE * (ninth - median))
    return low, high, width


def lean(quartiles: tuple[float, float, float], scale: Scale) -> float:
    """Return how far the middle half is from symmetric, 0 to 1 (Bowley, Elements of Statistics, 4th edition, 1920)."""
    first, median, third = map(scale.on, quartiles)
    return abs(first + third - 2 * median) / (third - first) if third > first else 0.0


def _stand_in_values(column: Column, values: NDArray[np.float64]) -> Mask:
    """Return which values are those that people type for missing: another finding."""
    return np.isin(values if column.type.numeric else np.floor(values), _stand_ins_of(column))


def _stand_ins_of(column: Column) -> NDArray[np.float64]:
    if column.type.numeric:
        return np.array(STAND_INS, np.float64)
    return np.array(STAND_IN_DAYS, "datetime64[D]").astype(np.int64).astype(np.float64)


class Bound(NamedTuple):
    """What the values below a heading cannot leave."""

    words: frozenset[str]
    low: float
    high: float
    says: str
    whole: bool = False


# What a heading says of its values, if nearly all of them agree.
BOUNDS = (
    Bound(frozenset({"lat", "latitude"}), -90, 90, "a latitude is between -90 and 90"),
    Bound(frozenset({"lon", "lng", "long", "longitude"}), -180, 180, "a longitude is between -180 and 180"),
    Bound(frozenset({"ph"}), 0, 14, "a pH is between 0 and 14"),
    Bound(frozenset({"month", "monat", "mois", "mes"}), 1, 12, "a month is between 1 and 12", whole=True),
    Bound(frozenset({"weekday"}), 0, 7, "a weekday is between 0 and 7", whole=True),
    Bound(frozenset({"hour", "stunde", "heure", "hora"}), 0, 24, "an hour is between 0 and 24"),
    Bound(frozenset({"minute"}), 0, 60, "a minute is between 0 and 60"),
    Bound(frozenset({"age", "alter", "edad"}), 0, 130, "an age is between 0 and 130"),
)


class Rule(NamedTuple):
    """A rule of nature that a column keeps but for a few values."""

    where: Mask
    says: str


def impossible(table: ColumnCache) -> Findings:
    """Values against the nature of the thing: negative counts, parts of months, shares over 100 %."""
    for name, column in table.columns.items():
        if not column.type.numeric or column.type.choices or table.present_count(name) < LEAST_VALUES:
            continue
        for rule in _rules(table, name, column):
            count = int(rule.where.sum())
            examples = tuple(text or "" for text in column._take(np.flatnonzero(rule.where)[:MOST_EXAMPLES]).texts())
            text = f"{counted(count, 'value')} of {name} cannot be: {rule.says}"
            yield Finding("value.impossible", (name,), count, table.rows_where(rule.where), examples, text)
            break


def _rules(table: ColumnCache, name: str, column: Column) -> Iterator[Rule]:
    words = words_of(name)
    ordered = _not_told(table, name)
    total = len(ordered)
    if total < LEAST_VALUES:
        return
    few = (1 - LEAST_WITHIN) * total + 1
    for bound in BOUNDS:
        if words & bound.words:
            yield from _outside(table, name, ordered, bound.low, bound.high, few, bound.says)
    if words & SHARE_WORDS or "%" in name:
        for whole in (1.0, 100.0):
            within = int(np.searchsorted(ordered, whole, "right") - np.searchsorted(ordered, 0.0, "left"))
            if within == total:
                break
            if total - within <= few:
                says = f"all others are between 0 and {whole:g}, as shares are"
                yield from _outside(table, name, ordered, 0.0, whole, few, says)
                break
    if words & SIGNED_WORDS:
        return
    if words & COUNT_WORDS and "per" not in words and column.type.plain.word != "integer":
        values = table.floats(name)
        broken = column.present & (values != np.floor(values)) & ~table.told(name)
        if 0 < broken.sum() <= (1 - LEAST_WHOLE) * total + 1:
            yield Rule(broken, "all others are whole numbers, and what is counted has no parts")
    negative = int(np.searchsorted(ordered, 0.0, "left"))
    if words & NEVER_NEGATIVE_WORDS:
        says = "no other is below zero, and by its name the column measures or counts"
        yield from _outside(table, name, ordered, 0.0, np.inf, few, says)
    apart = 0 < negative <= (1 - LEAST_WHOLE) * total and ordered[negative] > 0
    if apart and column.type.plain.word == "integer" and not words & MONEY_WORDS:
        yield from _outside(table, name, ordered, 0.0, np.inf, few, "all others are whole numbers above zero")


def _outside(
    table: ColumnCache, name: str, ordered: NDArray[np.float64], low: float, high: float, few: float, says: str
) -> Iterator[Rule]:
    """Return the values of a column beyond two bounds, if there are any and few."""
    count = int(np.searchsorted(ordered, low, "left") + len(ordered) - np.searchsorted(ordered, high, "right"))
    if 0 < count <= few:
        column, values = table[name], table.floats(name)
        with np.errstate(invalid="ignore"):
            where = column.present & ((values < low) | (values > high)) & ~table.told(name)
        yield Rule(where, says)


def future(table: ColumnCache) -> Findings:
    """Days that have not happened on the day that counts as today."""
    if table.as_of is None:
        return
    last = np.datetime64(table.as_of, "D") + np.timedelta64(1, "D")
    for name, column in table.columns.items():
        if column.type.plain.word not in ("date", "datetime") or words_of(name) & PLANNED_WORDS:
            continue
        where = column.present & (column.array >= last.astype(column.array.dtype))
        where &= ~_stand_in_values(column, table.floats(name))
        count = int(where.sum())
        if not 0 < count <= MOST_FUTURE * table.present_count(name):
            continue
        examples = tuple(text or "" for text in column._take(np.flatnonzero(where)[:MOST_EXAMPLES]).texts())
        text = f"{counted(count, 'value')} of {name} {agree(count, 'is', 'are')} after {table.as_of}: not yet happened"
        yield Finding("value.future", (name,), count, table.rows_where(where), examples, text)
