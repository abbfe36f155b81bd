"""Values in ascending order.

Whole numbers, whether they count, scale, date or measure time, are ordered as the integers that they are in memory.
Where they lie close together, as counts, days and prices do, nothing is sorted: it is counted how often each occurs,
and each is written down as often.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import MEMORY, Storage, blocks_of

# Whole numbers that span no more than this are counted; the counts stay in the processor's own memory.
MOST_COUNTED = 200_000


def in_ascending_order(
    values: NDArray[Any], present: NDArray[np.bool_] | None = None, storage: Storage = MEMORY
) -> NDArray[Any]:
    """Return values in ascending order.

    Parameters
    ----------
    values : array
        Numbers, booleans, or times as NumPy has them; none that is meant is NaN or NaT.
    present : bool array, optional
        Which of them are meant; by default all.
    storage : Storage
        Where the result is kept.

    Returns
    -------
    array
        Of the same type. Cost: two passes over whole numbers that lie close together, a sort of others; beside the
        result there is a block of values in memory.

    >>> in_ascending_order(np.array([7, 3, 7]), np.array([True, True, False])).tolist()
    [3, 7]
    """
    if present is not None and not storage.on_disk:
        values, present = values[present], None
    whole = values.dtype.kind == "b" or (values.dtype.kind in "imM" and values.dtype.itemsize == 8)
    bits = values.view(np.uint8 if values.dtype.kind == "b" else np.int64) if whole else values
    blocks = list(blocks_of(len(values), storage.block_rows))

    def meant(block: slice) -> NDArray[Any]:
        return bits[block] if present is None else bits[block][present[block]]

    count = len(values) if present is None else int(np.count_nonzero(present))
    ordered = storage.empty(count, values.dtype)
    filled = ordered.view(bits.dtype)
    if whole and count:
        spans = [(int(some.min()), int(some.max())) for some in map(meant, blocks) if len(some)]
        least, most = min(low for low, _ in spans), max(high for _, high in spans)
        if most - least < min(MOST_COUNTED, count):
            times = sum(np.bincount(meant(block) - least, minlength=most - least + 1) for block in blocks)
            _repeat(np.cumsum(times), least, filled, storage)
            return ordered
    at = 0
    for block in blocks:
        some = meant(block)
        filled[at : at + len(some)] = some
        at += len(some)
    filled.sort()
    return ordered


def _repeat(ends: NDArray[np.int64], least: int, filled: NDArray[Any], storage: Storage) -> None:
    """Write each whole number from the least on as often as it occurs; `ends` says behind which place the last is."""
    for block in blocks_of(len(filled), storage.block_rows):
        first = int(np.searchsorted(ends, block.start, "right"))
        last = int(np.searchsorted(ends, block.stop, "left"))
        stops = np.minimum(ends[first : last + 1], block.stop)
        times = np.diff(stops, prepend=block.start)
        filled[block] = np.repeat(np.arange(first, last + 1) + least, times)
