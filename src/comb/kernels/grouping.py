"""Number what repeats: values to groups, keys to ranks."""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.kernels import dispatch
from comb.kernels.types import Numbered

Codes = NDArray[np.int64]


def compact(codes: Codes) -> tuple[Codes, Codes]:
    """Renumber codes by value without gaps.

    Returns
    -------
    used, renumbered
        The codes that occur, ascending, and for each cell its place among them.
    """
    some = codes[:: len(codes) // SAMPLE + 1]
    if len(codes) > FEW_CODES and len(np.unique(some)) > MOSTLY_DIFFERENT * len(some):
        # To put all in order is quicker than to number them, and then to put nearly as many in order.
        used, renumbered = np.unique(codes, return_inverse=True)
        return used, renumbered.astype(np.int64, copy=False)
    found = number_groups([codes], len(codes))
    values = codes[found.first]
    order = np.argsort(values, kind="stable")
    rank = np.empty(len(order), np.int64)
    rank[order] = np.arange(len(order))
    return values[order], rank[found.numbers]


# This many values show whether nearly all are different.
SAMPLE = 4096
MOSTLY_DIFFERENT = 0.9

# A table with this many places for each row, or this many at all, is small.
MOST_SPREAD = 2
FEW_CODES = 100_000


def number_groups(keys: Sequence[NDArray[Any]], row_count: int, *, each: bool = True) -> Numbered:
    """Number the groups that several key columns form together, in order of appearance.

    Parameters
    ----------
    keys : sequence of arrays
        Of numbers, dates or booleans, one for each row and key.
    row_count : int
    each : bool
        Whether the number of each row is wanted, and not only which groups there are.

    Returns
    -------
    Numbered
        Cost: a pass over each key, and one over all of them together.

    >>> found = number_groups([np.array([5, 5, 2, 5]), np.array([0.5, 0.5, 1, 0.5])], 4)
    >>> found.numbers.tolist(), found.first.tolist(), found.sizes.tolist()
    ([0, 0, 1, 0], [0, 2], [3, 1])
    """
    if not keys or not row_count:
        one = np.zeros(1 if row_count else 0, np.int64)
        return Numbered(np.zeros(row_count if each else 0, np.int64), one, one + row_count)
    if len(keys) == 1:
        values = _whole(keys[0]).astype(np.int64, copy=False)
        out = None if not each or np.may_share_memory(values, keys[0]) else values
        return dispatch.kernels.number_values(values, out=out, each=each)
    together, span = _together(keys)
    return dispatch.kernels.number_values(together, (0, span - 1), together if each else None, each=each)


def _together(keys: Sequence[NDArray[Any]]) -> tuple[Codes, int]:
    """Return a whole number for each row that is the same where all keys are, and what all of them are below."""
    together, span = _from_zero(_whole(keys[0]))
    for key in keys[1:]:
        values, width = _from_zero(_whole(key))
        if span * width > MOST_TOGETHER:
            # No two numbers of groups are too large to be put together.
            together, span = _numbers(together)
            values, width = _numbers(values)
        together = np.multiply(together, width, dtype=np.int64)
        together += values
        span *= width
    return together, span


def _whole(key: NDArray[Any]) -> NDArray[Any]:
    """Return values as whole numbers that are equal where the values are."""
    if key.dtype.kind == "f":
        # Negative zero equals zero.
        return (key.astype(np.float64, copy=False) + 0.0).view(np.int64)
    if key.dtype.kind == "b":
        return key.view(np.uint8)
    return key.view(np.int64) if key.dtype.kind in "mM" or key.dtype == np.uint64 else key


def _from_zero(values: NDArray[Any]) -> tuple[NDArray[Any], int]:
    """Return whole numbers from 0 on, and how many of them there can be; those that lie too far apart are numbered."""
    low, high = int(values.min()), int(values.max())
    if high - low >= MOST_TOGETHER:
        return _numbers(values)
    return np.subtract(values, low, dtype=np.int64) if low else values, high - low + 1


def _numbers(values: NDArray[Any]) -> tuple[Codes, int]:
    """Number values; return how many there are too."""
    found = dispatch.kernels.number_values(values.astype(np.int64, copy=False))
    return found.numbers, len(found.first)


# Numbers of several keys are put together up to this; it is the largest product that is surely no larger than 64 bits.
MOST_TOGETHER = 2**62


def group(keys: Sequence[NDArray[Any]], row_count: int) -> tuple[Codes, Codes]:
    """Number the groups that several key columns form together.

    Parameters
    ----------
    keys, row_count
        As for `number_groups`.

    Returns
    -------
    numbers, first
        The group of each row, groups numbered in order of appearance, and the
        position of the first row of each group.

    >>> numbers, first = group([np.array([5, 5, 2, 5])], 4)
    >>> numbers.tolist(), first.tolist()
    ([0, 0, 1, 0], [0, 2])
    """
    found = number_groups(keys, row_count)
    return found.numbers, found.first


def group_sizes(keys: Sequence[NDArray[Any]], row_count: int) -> tuple[Codes, Codes]:
    """Return the first row of each group, in order of appearance, and how many rows it has.

    >>> [part.tolist() for part in group_sizes([np.array([5, 5, 2, 5])], 4)]
    [[0, 2], [3, 1]]
    """
    found = number_groups(keys, row_count, each=False)
    return found.first, found.sizes


def combinations(keys: Sequence[Codes]) -> int:
    """Return how many combinations of codes there can be at most; 0 where that is not known of some key.

    >>> combinations([np.array([0, 2]), np.array([1, 0])]), combinations([np.array([0.5])])
    (6, 0)
    """
    return int(np.prod([_width(key) for key in keys], dtype=np.float64)) if keys else 0


def _width(key: NDArray[Any]) -> int:
    """Return how many codes a key can have; 0 unless all are whole numbers from 0."""
    return int(key.max()) + 1 if len(key) and key.dtype.kind in "iu" and key.min() >= 0 else 0


def group_sizes_in_blocks(keys: Sequence[Codes], row_count: int) -> tuple[Codes, Codes]:
    """Do what `group_sizes` does for keys with few combinations, with no array as long as they are."""
    widths = [_width(key) for key in keys]
    span = int(np.prod(widths))
    counts, first = np.zeros(span, np.int64), np.full(span, -1, np.int64)
    step = max(BLOCK, 2 * span)
    for start in range(0, row_count, step):
        combined = keys[0][start : start + step].astype(np.int64)
        for key, width in zip(keys[1:], widths[1:], strict=True):
            combined *= width
            combined += key[start : start + step]
        found = np.bincount(combined, minlength=span)
        if ((found > 0) & (first < 0)).any():
            rows = np.flatnonzero(first[combined] < 0)[::-1]
            first[combined[rows]] = rows + start
        counts += found
    used = np.flatnonzero(first >= 0)
    order = used[np.argsort(first[used], kind="stable")]
    return first[order], counts[order].astype(np.int64, copy=False)


# This many rows at once stay in the processor's cache; more combinations than this are too many to count in a table.
BLOCK = 65_536
MOST_COUNTED = 1_000_000


def first_rows(codes: Codes, different: int | None = None) -> Codes:
    """Return for each code the first row that has it; -1 where none has.

    The search ends with the last code there can be, or earlier where it is known how many there are.
    """
    first = np.full(int(codes.max(initial=-1)) + 1, -1, np.int64)
    most = len(first) if different is None else different
    start, step = 0, max(FIRST_ROWS, 2 * len(first))
    while start < len(codes):
        part = codes[start : start + step]
        # Written from the last row to the first, what stays is the first. Later parts have little that is new.
        rows = np.flatnonzero(first[part] < 0)[::-1]
        first[part[rows]] = rows + start
        if np.count_nonzero(first >= 0) == most:
            break
        start, step = start + step, 4 * step
    return first


FIRST_ROWS = 65_536


def order_rows(keys: Sequence[Codes]) -> Codes:
    """Return the stable order of rows by several keys, the first one leading.

    >>> order_rows([np.array([2, 1, 2]), np.array([5, 0, 4])]).tolist()
    [1, 2, 0]
    """
    rows = len(keys[0])
    if rows < FEW_ROWS:
        return np.lexsort(tuple(reversed(keys))).astype(np.int64, copy=False)
    order: Codes | None = None
    # From the least to the most significant sixteen bits; each pass keeps the order of the one before.
    for key in reversed(keys):
        for digits in _digits_of(key):
            if order is None:
                order = np.argsort(digits, kind="stable")
            else:
                order = order[np.argsort(digits[order], kind="stable")]
    return np.arange(rows) if order is None else order.astype(np.int64, copy=False)


# Fewer rows are ordered by comparing them.
FEW_ROWS = 20_000


def _digits_of(key: NDArray[Any]) -> list[NDArray[np.uint16]]:
    """Return a key as digits of sixteen bits, the least significant first; those that are all equal are left out."""
    if key.dtype.kind == "f":
        bits = (key + 0.0).view(np.int64)
        # Negative numbers are in order when all their bits are turned round, all others when only their sign is.
        whole = np.where(bits < 0, ~bits, bits ^ np.int64(-(2**63))).view(np.uint64)
    else:
        whole = key.astype(np.int64, copy=False).view(np.uint64) ^ np.uint64(2**63)
    low = whole.min()
    whole = whole - low
    span = int(whole.max())
    digits = []
    while span:
        digits.append(whole.astype(np.uint16))
        whole >>= np.uint64(16)
        span >>= 16
    return digits


def ranks(values: NDArray[Any]) -> Codes:
    """Replace values by their rank among the distinct ones, from 0."""
    return compact(values)[1]


def missing_last(ranks: Codes, *, descending: bool) -> Codes:
    """Turn ranks into a key to order by, in which what has no rank (-1) comes last in both directions.

    >>> missing_last(np.array([5, -1, 2]), descending=True).tolist()
    [-5, 2, -2]
    """
    placed = -ranks if descending else ranks
    return np.where(ranks < 0, max(int(placed.max(initial=0)) + 1, 1), placed)


def candidates(
    blocks: Iterable[Sequence[NDArray[np.uint64]]],
    row_count: int,
    empty: Callable[[int, Any], NDArray[Any]] = np.empty,
) -> Codes:
    """Return the rows that may be equal in all keys; those left out are equal to no other row.

    Parameters
    ----------
    blocks : iterable of sequences of uint64 arrays
        The keys of some rows after the other, one value per row and key.
    row_count : int
    empty : callable
        Makes the array of the fingerprints, from a length and a type: eight bytes for each row.

    Returns
    -------
    int64 array
        Ascending. Rows are known apart by a fingerprint of 64 bits, so that a few of them may
        be different after all. Cost: a sort, of a part of the fingerprints at a time.

    >>> candidates([[np.array([1, 2], np.uint64)], [np.array([1], np.uint64)]], 3).tolist()
    [0, 2]
    """
    prints, start = empty(row_count, np.uint64), 0
    for keys in blocks:
        stop = start + max(map(len, keys), default=0)
        prints[start:stop] = 0
        _print_on(prints[start:stop], keys)
        start = stop
    prints[start:] = 0
    repeated = _repeated(prints)
    if not len(repeated):
        return np.zeros(0, np.int64)
    # A table of the last bits tells most of the others apart; the rest is looked up.
    last = np.uint64((1 << min(MOST_BITS, (PLACES_FOR_EACH * len(repeated)).bit_length())) - 1)
    likely = np.zeros(int(last) + 1, np.bool_)
    likely[repeated & last] = True
    found = []
    for start in range(0, row_count, PRINTS_AT_ONCE):
        some = prints[start : start + PRINTS_AT_ONCE]
        rows = np.flatnonzero(likely[some & last])
        at = np.searchsorted(repeated, some[rows])
        found.append(rows[repeated[np.minimum(at, len(repeated) - 1)] == some[rows]] + start)
    return np.concatenate(found)


def _repeated(prints: NDArray[np.uint64]) -> NDArray[np.uint64]:
    """Return the fingerprints that are there more than once, ascending."""
    bits = max(0, (len(prints) // SORTED_AT_ONCE).bit_length())
    found = []
    for part in range(1 << bits):
        # Fingerprints are spread evenly, so that their first bits part them into about equal parts.
        here = prints if not bits else _beginning_with(prints, part, bits)
        ordered = np.sort(here)
        again = ordered[1:][ordered[1:] == ordered[:-1]]
        found.append(again[np.flatnonzero(np.append(True, again[1:] != again[:-1]))] if len(again) else again)
    return np.concatenate(found)


def _beginning_with(prints: NDArray[np.uint64], part: int, bits: int) -> NDArray[np.uint64]:
    shift = np.uint64(64 - bits)
    blocks = (prints[start : start + PRINTS_AT_ONCE] for start in range(0, len(prints), PRINTS_AT_ONCE))
    return np.concatenate([block[block >> shift == part] for block in blocks])


# How many fingerprints are sorted, or looked at, together.
SORTED_AT_ONCE = 4_000_000
PRINTS_AT_ONCE = 1 << 19

# How many places a table of the last bits of fingerprints has for each of them, and how many bits it has at most.
PLACES_FOR_EACH = 16
MOST_BITS = 26


def _print_on(prints: NDArray[np.uint64], keys: Sequence[NDArray[np.uint64]]) -> None:
    shifted = np.empty(len(prints), np.uint64)
    for key in keys:
        # The finishing steps of a multiplicative hash: every bit comes to depend on all others.
        prints ^= key
        prints *= np.uint64(0x9E3779B97F4A7C15)
        prints ^= np.right_shift(prints, np.uint64(29), out=shifted)
        prints *= np.uint64(0xBF58476D1CE4E5B9)
        prints ^= np.right_shift(prints, np.uint64(32), out=shifted)


def distinct_count(values: NDArray[Any]) -> int:
    """Count distinct values that are in ascending order already.

    They may be a file larger than memory: some of them are compared at a time.

    >>> distinct_count(np.array([1, 1, 2, 5]))
    3
    """
    count = min(len(values), 1)
    for start in range(0, len(values) - 1, COMPARED_AT_ONCE):
        some = values[start : start + COMPARED_AT_ONCE + 1]
        count += int(np.count_nonzero(some[1:] != some[:-1]))
    return count


# How many neighbours are compared together.
COMPARED_AT_ONCE = 1 << 20
