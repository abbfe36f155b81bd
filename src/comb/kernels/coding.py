"""Number what repeats: texts to codes, values to groups, keys to ranks."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

Codes = NDArray[np.int64]

# Control characters that text does not have: all but tab, line ends, form feed, end-of-file.
CONTROLS = tuple(code for code in range(32) if not 9 <= code <= 13 and code != 26)


def encode(texts: Sequence[str]) -> tuple[list[str], Codes]:
    """Return the distinct texts in order of appearance, and the code of each text.

    >>> words, codes = encode(["b", "a", "b"])
    >>> words, codes.tolist()
    (['b', 'a'], [0, 1, 0])
    """
    index: dict[str, int] = {}
    codes = np.fromiter((index.setdefault(text, len(index)) for text in texts), np.int64, len(texts))
    return list(index), codes


def compact(codes: Codes) -> tuple[Codes, Codes]:
    """Renumber codes by value without gaps.

    Returns
    -------
    used, renumbered
        The codes that occur, ascending, and for each cell its place among them.
    """
    used, renumbered = np.unique(codes, return_inverse=True)
    return used, renumbered.astype(np.int64)


def group(keys: Sequence[Codes], row_count: int) -> tuple[Codes, Codes]:
    """Number the groups that several key columns form together.

    Parameters
    ----------
    keys : sequence of int64 arrays
        One code per row and key.
    row_count : int

    Returns
    -------
    numbers, first
        The group of each row, groups numbered in order of appearance, and the
        position of the first row of each group.

    >>> numbers, first = group([np.array([5, 5, 2, 5])], 4)
    >>> numbers.tolist(), first.tolist()
    ([0, 0, 1, 0], [0, 2])
    """
    combined = np.zeros(row_count, dtype=np.int64)
    for key in keys:
        _, low = compact(key)
        # Both parts are compact, so the product stays below row_count squared.
        combined = compact(combined * (int(low.max(initial=0)) + 1) + low)[1]
    _, first, numbers = np.unique(combined, return_index=True, return_inverse=True)
    order = np.argsort(first, kind="stable")
    rank = np.empty_like(order)
    rank[order] = np.arange(len(order))
    return rank[numbers].astype(np.int64), first[order].astype(np.int64)


def order_rows(keys: Sequence[Codes]) -> Codes:
    """Return the stable order of rows by several ranks, the first key leading."""
    return np.lexsort(tuple(reversed(keys))).astype(np.int64)


def ranks(values: NDArray[Any]) -> Codes:
    """Replace values by their rank among the distinct ones, from 0."""
    return compact(values)[1]


def candidates(keys: Sequence[NDArray[np.uint64]], row_count: int) -> Codes:
    """Return the rows that may be alike in all keys; those left out are alike to no other row.

    Parameters
    ----------
    keys : sequence of uint64 arrays
        One value per row and key.
    row_count : int

    Returns
    -------
    int64 array
        Ascending. Rows are told apart by a fingerprint of 64 bits, so that a few of them may
        be different after all. Cost: a sort.

    >>> candidates([np.array([1, 2, 1], np.uint64)], 3).tolist()
    [0, 2]
    """
    prints = np.zeros(row_count, np.uint64)
    for key in keys:
        # The finishing steps of a multiplicative hash: every bit comes to depend on all others.
        prints = (prints ^ key) * np.uint64(0x9E3779B97F4A7C15)
        prints ^= prints >> np.uint64(29)
        prints *= np.uint64(0xBF58476D1CE4E5B9)
        prints ^= prints >> np.uint64(32)
    ordered = np.sort(prints)
    repeated = ordered[1:][ordered[1:] == ordered[:-1]]
    return np.flatnonzero(np.isin(prints, repeated)) if len(repeated) else np.zeros(0, np.int64)


def distinct_count(values: NDArray[Any]) -> int:
    """Count distinct values that are in ascending order already."""
    return int(np.count_nonzero(values[1:] != values[:-1])) + 1 if len(values) else 0
