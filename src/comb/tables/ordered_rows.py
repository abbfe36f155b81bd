"""Put rows in order by several keys, within a bound of memory.

In memory one sort does it. On disk the rows are dealt out first, so that each part can be sorted on its own:

1. A sample of the rows, evenly spaced, is sorted; some of it, evenly spaced again, are the bounds.
2. Each row gets a part: that of a bound that it equals in all keys, or that between two bounds. What equals a bound is
   in order already, however much of it there is: so one value that most rows have makes no large part to sort.
3. The keys and numbers of the rows are copied to the storage part by part, those of one part in the order they had.
4. Each part between bounds is sorted in memory.

The sample decides how large the parts are, and nothing else. The order is stable: equal rows keep theirs.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import Storage, blocks_of
from comb.kernels.grouping import Codes, order_rows

# A part has about this many blocks of rows; there are no more bounds than this; and how many rows are a sample.
BLOCKS_IN_PART = 4
MOST_BOUNDS = 120
SAMPLE = 50_000


def ordered_rows(keys: Sequence[NDArray[Any]], storage: Storage) -> Codes:
    """Return the stable order of rows by several keys, the first one leading.

    Parameters
    ----------
    keys : sequence of arrays
        Of numbers, one for each row.
    storage : Storage
        Keeps the result.

    Returns
    -------
    int64 array
        The positions of the rows in order. Cost: a sort; on disk three more passes over the keys.

    >>> from comb.execution.storage import MEMORY
    >>> ordered_rows([np.array([2, 1, 2]), np.array([5, 0, 4])], MEMORY).tolist()
    [1, 2, 0]
    """
    count = len(keys[0])
    parts = -(-count // (BLOCKS_IN_PART * storage.block_rows))
    if not storage.on_disk or parts < 2:
        return order_rows(keys)
    bounds = _bounds(keys, min(parts - 1, MOST_BOUNDS))
    part_of, sizes = storage.empty(count, np.uint8), np.zeros(2 * len(bounds) + 1, np.int64)
    for block in blocks_of(count, storage.block_rows):
        part_of[block] = _parts_of([key[block] for key in keys], bounds)
        sizes += np.bincount(part_of[block], minlength=len(sizes))
    rows = storage.empty(count, np.int64)
    placed = [storage.empty(count, key.dtype) for key in keys]
    at = np.cumsum(sizes) - sizes
    for block in blocks_of(count, storage.block_rows):
        order = np.argsort(part_of[block], kind="stable") + block.start
        ends = np.cumsum(np.bincount(part_of[block], minlength=len(sizes)))
        for part, (start, stop) in enumerate(zip(np.append(0, ends[:-1]).tolist(), ends.tolist(), strict=True)):
            here = slice(int(at[part]), int(at[part]) + stop - start)
            rows[here] = order[start:stop]
            for to, key in zip(placed, keys, strict=True):
                to[here] = key[order[start:stop]]
            at[part] = here.stop
    for part, (stop, size) in enumerate(zip(np.cumsum(sizes).tolist(), sizes.tolist(), strict=True)):
        # Parts with an odd number are equal to a bound.
        if size and part % 2 == 0:
            area = slice(stop - size, stop)
            rows[area] = rows[area][order_rows([to[area] for to in placed])]
    return rows


def _bounds(keys: Sequence[NDArray[Any]], wanted: int) -> list[tuple[Any, ...]]:
    """Return different rows, ascending, that part the others about evenly."""
    step = max(1, len(keys[0]) // SAMPLE)
    sample = [key[::step] for key in keys]
    order = order_rows(sample)
    chosen = order[np.linspace(0, len(order), wanted + 2).astype(np.int64)[1:-1]]
    return list(dict.fromkeys(zip(*(one[chosen].tolist() for one in sample), strict=True)))


def _parts_of(keys: Sequence[NDArray[Any]], bounds: Sequence[tuple[Any, ...]]) -> NDArray[np.uint8]:
    """Return for each row how many bounds it is above of, and how many it is not below of, together."""
    parts = np.zeros(len(keys[0]), np.uint8)
    for bound in bounds:
        above, level = np.zeros(len(parts), np.bool_), np.ones(len(parts), np.bool_)
        for key, limit in zip(keys, bound, strict=True):
            above |= level & (key > limit)
            level &= key == limit
        parts += above
        parts += above | level
    return parts
