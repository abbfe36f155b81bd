"""Number the groups of rows that are equal in some columns, within a bound of memory.

In memory `comb.kernels.grouping.group` does that at once, with some arrays as long as the table. Here the keys are
numbers that a storage keeps, and so is what comes of them; in memory are some rows and a table of what is different,
if that is not much:

1. Values that lie close together, as the numbers of texts do, have a place in a table each.
2. Others are looked for block by block until there are too many different ones; few have places in the order of values.
3. Many are put in order on the disk (`comb.tables.ordered_rows`): equal values follow each other there, each with its
   first row in front. Those rows are marked; how many marks there are up to a row is the number of what appears there.

Groups are numbered in order of appearance whichever way is taken, as they are in memory. Several keys are put together
one after the other: the numbers of both are put into one, and those are numbered anew.
"""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import Storage, blocks_of
from comb.kernels.grouping import MOST_COUNTED, Codes, combinations, group, group_sizes, group_sizes_in_blocks
from comb.tables.ordered_rows import ordered_rows

# A table in memory has at most this many places, or this many for each row of a block.
MOST_PLACES = 1 << 20
PLACES_A_ROW = 4

# Numbers of several keys are put together up to this; it is the largest product that is surely no larger than 64 bits.
MOST_TOGETHER = 2**62


def number_rows(keys: Sequence[NDArray[Any]], count: int, storage: Storage) -> tuple[Codes, Codes]:
    """Number the groups that several keys form together.

    Parameters
    ----------
    keys : sequence of arrays
        Of numbers, dates or booleans; one for each row and key.
    count : int
        How many rows there are.
    storage : Storage
        Keeps what comes of it.

    Returns
    -------
    numbers, first : int64 arrays
        The group of each row, groups numbered in order of appearance, and the first row of each. Cost: two passes over
        each key; a sort on disk of a key with very many different values that lie far apart.

    >>> from comb.execution.storage import MEMORY
    >>> numbers, first = number_rows([np.array([5, 5, 2, 5])], 4, MEMORY)
    >>> numbers.tolist(), first.tolist()
    ([0, 0, 1, 0], [0, 2])
    """
    if not storage.on_disk or count <= storage.block_rows or not keys:
        return group(keys, count)
    numbers, first = number_values(keys[0], storage)
    for key in keys[1:]:
        own, own_first = number_values(key, storage)
        width = np.int64(max(1, len(own_first)))
        assert len(first) * int(width) < MOST_TOGETHER
        both = own
        for block in blocks_of(count, storage.block_rows):
            both[block] += numbers[block] * width
        numbers, first = number_values(both, storage)
    return numbers, first


def count_rows(keys: Sequence[NDArray[Any]], count: int, storage: Storage) -> tuple[Codes, Codes]:
    """Return the first row of each group, in order of appearance, and how many rows it has.

    Parameters
    ----------
    keys, count, storage
        As for `number_rows`; one key or more.
    """
    if not storage.on_disk or count <= storage.block_rows:
        return group_sizes(keys, count)
    if 0 < combinations(keys) <= MOST_COUNTED:
        return group_sizes_in_blocks(keys, count)
    numbers, first = number_rows(keys, count, storage)
    return first, np.bincount(numbers, minlength=len(first)).astype(np.int64, copy=False)


def number_values(values: NDArray[Any], storage: Storage) -> tuple[Codes, Codes]:
    """Number equal values equal, in order of appearance.

    Parameters
    ----------
    values : array
        Of numbers, dates or booleans.
    storage : Storage

    Returns
    -------
    numbers, first : int64 arrays
        As `number_rows` gives them.
    """
    plain = values.view(np.int64) if values.dtype.kind in "mM" else values
    most = max(MOST_PLACES, PLACES_A_ROW * storage.block_rows)
    if plain.dtype.kind in "iu":
        low = min((int(plain[block].min()) for block in blocks_of(len(plain), storage.block_rows)), default=0)
        high = max((int(plain[block].max()) for block in blocks_of(len(plain), storage.block_rows)), default=0)
        if high - low < most:
            return _by_table(lambda rows: plain[rows].astype(np.int64) - low, high - low + 1, len(plain), storage)
    known = _few_different(plain, most, storage)
    if known is not None:
        return _by_table(lambda rows: np.searchsorted(known, plain[rows]), len(known), len(plain), storage)
    return _by_order(plain, storage)


def _few_different(values: NDArray[Any], most: int, storage: Storage) -> NDArray[Any] | None:
    """Return the different values, ascending; None if there are more than `most`."""
    known, waiting = values[:0], [values[:0]]
    for block in blocks_of(len(values), storage.block_rows):
        waiting.append(np.unique(values[block]))
        # Put together as seldom as their growth allows.
        if sum(map(len, waiting)) > max(len(known), storage.block_rows) or block.stop == len(values):
            known, waiting = np.unique(np.concatenate([known, *waiting])), [values[:0]]
            if len(known) > most:
                return None
    return known


def _by_table(place_of: Callable[[slice], Codes], places: int, count: int, storage: Storage) -> tuple[Codes, Codes]:
    """Number values by a table of all that there can be."""
    number_at = np.full(places, -1, np.int64)
    firsts: list[Codes] = []
    numbers, so_far = storage.empty(count, np.int64), 0
    for block in blocks_of(count, storage.block_rows):
        here = place_of(block)
        found = number_at[here]
        new = np.flatnonzero(found < 0)
        if len(new):
            different, at = np.unique(here[new], return_index=True)
            order = np.argsort(at, kind="stable")
            number_at[different[order]] = np.arange(so_far, so_far + len(order))
            firsts.append(new[at[order]] + block.start)
            so_far += len(order)
            found = number_at[here]
        numbers[block] = found
    return numbers, _kept(firsts, storage)


def _by_order(values: NDArray[Any], storage: Storage) -> tuple[Codes, Codes]:
    """Number values by putting them in order."""
    count = len(values)
    order = ordered_rows([values], storage)
    first_of, is_first = storage.empty(count, np.int64), storage.empty(count, np.bool_)
    for block in blocks_of(count, storage.block_rows):
        is_first[block] = False
    last_value, last_row = None, -1
    for block in blocks_of(count, storage.block_rows):
        rows = order[block]
        here = values[rows]
        begins = np.ones(len(here), np.bool_)
        np.not_equal(here[1:], here[:-1], out=begins[1:])
        begins[0] = last_value is None or here[0] != last_value
        heads = np.where(begins, np.arange(len(here)), -1)
        np.maximum.accumulate(heads, out=heads)
        leading = np.where(heads < 0, last_row, rows[np.maximum(heads, 0)])
        first_of[rows] = leading
        is_first[rows[begins]] = True
        last_value, last_row = here[-1], int(leading[-1])
    number_at, firsts, so_far = storage.empty(count, np.int64), [], 0
    for block in blocks_of(count, storage.block_rows):
        marks = is_first[block]
        number_at[block] = np.cumsum(marks) + (so_far - 1)
        firsts.append(_kept([np.flatnonzero(marks) + block.start], storage))
        so_far += int(np.count_nonzero(marks))
    numbers = first_of
    for block in blocks_of(count, storage.block_rows):
        numbers[block] = number_at[first_of[block]]
    return numbers, _kept(firsts, storage)


def _kept(parts: Sequence[Codes], storage: Storage) -> Codes:
    """Put arrays one after the other, kept by a storage."""
    made, at = storage.empty(sum(map(len, parts)), np.int64), 0
    for part in parts:
        made[at : at + len(part)] = part
        at += len(part)
    return made
