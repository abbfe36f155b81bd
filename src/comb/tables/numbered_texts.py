"""Number the distinct texts of a column in order of appearance, within a bound of memory.

The kernel does that with a table of all distinct texts, some fifty bytes for each beside the texts: too much where a
column does not fit into memory. Here equal texts are brought together first, as a sort on disk would:

1. Each text gets a part by some of its bytes. Equal texts get the same part; how even the parts are decides how much
   memory is needed, and nothing else.
2. The texts are copied to the storage part by part, in the order of their rows, with the rows that they come from.
3. Each part is numbered on its own, by the kernel. The rows where a text appears first are marked.
4. How many marks there are up to a row is the number of the text that appears first there: so all parts are numbered
   together, in order of appearance, as the kernel would have numbered them at once.

Everything that grows with the rows is kept by the storage. In memory are some rows, and the table of one part.
"""

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import Storage, blocks_of
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.kernels.string_buffer import StringBuffer

# A part has about this many blocks of rows; there are no more parts than this.
BLOCKS_IN_PART = 2
MOST_PARTS = 250

# How many bytes of a text are looked at: from its beginning to its end, and at its end, where counters are.
SPREAD_BYTES = 4
LAST_BYTES = 4

_FACTOR = np.uint64(0x9E3779B97F4A7C15)


def number_texts(texts: StringBuffer, storage: Storage) -> tuple[Codes, NDArray[np.int32]]:
    """Number texts in order of appearance.

    Parameters
    ----------
    texts : StringBuffer
    storage : Storage
        Keeps what comes of it. In memory all is done at once.

    Returns
    -------
    first, numbers : int64 array, int32 array
        Where each distinct text appears first, ascending; and the number of each text.
        Cost: one pass in memory; on disk four, and a copy of the texts while it lasts.
    """
    count = texts.size
    parts = min(MOST_PARTS, -(-count // (BLOCKS_IN_PART * storage.block_rows)))
    if not storage.on_disk or parts < 2:
        first, numbers = dispatch.kernels.encode(texts)
        return first, numbers.astype(np.int32, copy=False)
    part_of = storage.empty(count, np.uint8)
    rows_in, bytes_in = np.zeros(parts, np.int64), np.zeros(parts, np.int64)
    for block in blocks_of(count, storage.block_rows):
        offsets = texts.offsets[block.start : block.stop + 1]
        some = _parts_of(StringBuffer(texts.buffer, offsets), parts)
        part_of[block] = some
        rows_in += np.bincount(some, minlength=parts)
        bytes_in += np.bincount(some, np.diff(offsets), minlength=parts).astype(np.int64)
    rows, lengths, buffer = _by_part(texts, part_of, rows_in, bytes_in, storage)
    return _numbered(rows, lengths, buffer, rows_in, bytes_in, storage)


def _parts_of(texts: StringBuffer, parts: int) -> NDArray[np.uint8]:
    """Return for each text a part that depends on its bytes alone."""
    lengths = np.diff(texts.offsets)
    filled = np.flatnonzero(lengths)
    some = slice(None) if len(filled) == len(lengths) else filled
    begins, sizes = texts.offsets[:-1][some], lengths[some]
    mixed = sizes.astype(np.uint64)
    for at in range(SPREAD_BYTES + LAST_BYTES):
        spread = at < SPREAD_BYTES
        inside = (sizes * at) // SPREAD_BYTES if spread else np.maximum(sizes - (1 + at - SPREAD_BYTES), 0)
        inside += begins
        mixed += texts.buffer[inside]
        mixed *= _FACTOR
    mixed ^= mixed >> np.uint64(32)
    mixed *= _FACTOR
    mixed >>= np.uint64(40)
    found = np.zeros(len(lengths), np.uint8)
    found[some] = mixed % np.uint64(parts)
    return found


def _by_part(
    texts: StringBuffer, part_of: NDArray[np.uint8], rows_in: Codes, bytes_in: Codes, storage: Storage
) -> tuple[Codes, Codes, NDArray[np.uint8]]:
    """Copy texts to the storage part by part; returns the row of each, its length, and the bytes."""
    count = len(part_of)
    rows, lengths = storage.empty(count, np.int64), storage.empty(count, np.int64)
    buffer = storage.empty(int(bytes_in.sum()), np.uint8)
    row_at, byte_at = np.cumsum(rows_in) - rows_in, np.cumsum(bytes_in) - bytes_in
    for block in blocks_of(count, storage.block_rows):
        order = np.argsort(part_of[block], kind="stable") + block.start
        ordered = dispatch.kernels.take(texts, order)
        sizes = np.diff(ordered.offsets)
        ends = np.cumsum(np.bincount(part_of[block], minlength=len(rows_in)))
        for part, (start, stop) in enumerate(zip(np.append(0, ends[:-1]).tolist(), ends.tolist(), strict=True)):
            if start == stop:
                continue
            first, last = int(ordered.offsets[start]), int(ordered.offsets[stop])
            here = slice(int(row_at[part]), int(row_at[part]) + stop - start)
            rows[here], lengths[here] = order[start:stop], sizes[start:stop]
            buffer[int(byte_at[part]) : int(byte_at[part]) + last - first] = ordered.buffer[first:last]
            row_at[part] += stop - start
            byte_at[part] += last - first
    return rows, lengths, buffer


def _numbered(
    rows: Codes, lengths: Codes, buffer: NDArray[np.uint8], rows_in: Codes, bytes_in: Codes, storage: Storage
) -> tuple[Codes, NDArray[np.int32]]:
    """Number each part, then all of them together."""
    count = len(rows)
    within = storage.empty(count, np.int32)
    is_first = storage.empty(count, np.bool_)
    for block in blocks_of(count, storage.block_rows):
        is_first[block] = False
    firsts: list[Codes] = []
    row_ends, byte_ends = np.cumsum(rows_in).tolist(), np.cumsum(bytes_in).tolist()
    areas = [slice(end - size, end) for end, size in zip(row_ends, rows_in.tolist(), strict=True)]
    for area, end, size in zip(areas, byte_ends, bytes_in.tolist(), strict=True):
        offsets = np.zeros(area.stop - area.start + 1, np.int64)
        np.cumsum(lengths[area], out=offsets[1:])
        first, within[area] = dispatch.kernels.encode(StringBuffer(buffer[end - size : end], offsets))
        placed = storage.empty(len(first), np.int64)
        placed[:] = rows[area][first]
        is_first[placed] = True
        firsts.append(placed)
    # The number of a text is how many appear first above its first row.
    number_at, so_far = storage.empty(count, np.int32), 0
    appearing = storage.empty(sum(map(len, firsts)), np.int64)
    for block in blocks_of(count, storage.block_rows):
        marks = is_first[block]
        number_at[block] = np.cumsum(marks) + (so_far - 1)
        found = np.flatnonzero(marks) + block.start
        appearing[so_far : so_far + len(found)] = found
        so_far += len(found)
    numbers = storage.empty(count, np.int32)
    for area, placed in zip(areas, firsts, strict=True):
        numbers[rows[area]] = number_at[placed][within[area]]
    return appearing, numbers
