"""Columns that are kept where a storage keeps them: moved there, and taken from there, some cells at a time.

In memory all of it is what NumPy does at once. On disk the work goes by blocks of rows, so that no second copy of a
column is ever in memory.
"""

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import Storage, blocks_of
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.tables.column import Column
from comb.tables.numbered_texts import number_texts
from comb.tables.numbered_values import number_values
from comb.tables.reasons import Reason
from comb.tables.text import Text


def stored_array(array: NDArray[Any], storage: Storage) -> NDArray[Any]:
    """Return an array as the storage keeps it; one that is there already is not copied."""
    if storage.holds(array):
        return array
    kept = storage.empty(len(array), array.dtype)
    for block in blocks_of(len(array)):
        kept[block] = array[block]
    return kept


def numbers_from_one(count: int, storage: Storage) -> Codes:
    """Return the numbers from 1 up to a count."""
    numbers = storage.empty(count, np.int64)
    for block in blocks_of(count):
        numbers[block] = np.arange(block.start + 1, block.stop + 1)
    return numbers


def stored_column(column: Column, storage: Storage) -> Column:
    """Return a column whose arrays are kept by a storage."""
    if not storage.on_disk:
        return column
    state = None if column.state is None else stored_array(column.state, storage)
    if isinstance(column.values, Text):
        text = column.values
        parts = (text.buffer, text.offsets) if text.codes is None else (text.buffer, text.offsets, text.codes)
        if all(map(storage.holds, parts)) and state is column.state:
            return column
        return column._replace(values=Text(*(stored_array(part, storage) for part in parts)), state=state)
    values = stored_array(column.values, storage)
    return column if values is column.values and state is column.state else column._replace(values=values, state=state)


def stored_columns(columns: Mapping[str, Column], storage: Storage) -> dict[str, Column]:
    """Return columns whose arrays are kept by a storage, by name."""
    return {name: stored_column(column, storage) for name, column in columns.items()}


def taken_array(array: NDArray[Any], positions: Codes, storage: Storage) -> NDArray[Any]:
    """Return the values at some positions, in that order."""
    taken = storage.empty(len(positions), array.dtype)
    for block in blocks_of(len(positions), storage.block_rows):
        taken[block] = array[positions[block]]
    return taken


def taken_text(text: Text, positions: Codes, storage: Storage) -> Text:
    """Return the texts at some positions, in that order."""
    if text.codes is None and len(positions) > len(text):
        text = text.with_codes()
    if text.codes is not None:
        return Text(text.buffer, text.offsets, taken_array(text.codes, positions, storage))
    offsets = storage.empty(len(positions) + 1, np.int64)
    offsets[:1] = 0
    size = 0
    for block in blocks_of(len(positions), storage.block_rows):
        chosen = positions[block]
        lengths = text.offsets[chosen + 1] - text.offsets[chosen]
        ends = offsets[block.start + 1 : block.stop + 1]
        np.cumsum(lengths, out=ends)
        ends += size
        size = int(ends[-1])
    buffer = storage.empty(size, np.uint8)
    for block in blocks_of(len(positions), storage.block_rows):
        part = dispatch.kernels.take(text.packed(), positions[block])
        start = int(offsets[block.start])
        buffer[start : start + int(part.offsets[-1])] = part.buffer[: part.offsets[-1]]
    return Text(buffer, offsets)


def coded_column(column: Column, storage: Storage) -> Column:
    """Return a column whose texts have codes, kept by a storage."""
    if not storage.on_disk or not isinstance(column.values, Text) or column.values.codes is not None:
        return stored_column(column._with_codes(), storage)
    text = column.values
    first, codes = number_texts(text.packed(), storage)
    items = taken_text(text, first, storage)
    return column._replace(values=Text(items.buffer, items.offsets, stored_array(codes, storage)))


def stored_keys(column: Column, storage: Storage) -> NDArray[Any]:
    """Return what is equal where cells of a column are, kept by a storage: their values, or numbers of them."""
    if column.state is None and not isinstance(column.values, Text):
        return column.values
    if not storage.on_disk or len(column) <= storage.block_rows:
        return column._codes()
    numbers: NDArray[Any]
    if isinstance(column.values, Text):
        coded = column if column.values.codes is not None else coded_column(column, storage)
        numbers = coded.text.numbers()
        missing = coded.text.item_count
    else:
        numbers, first = number_values(column.values, storage)
        missing = len(first)
    state = column.state
    if state is None:
        return numbers
    codes = storage.empty(len(column), numbers.dtype)
    for block in blocks_of(len(column), storage.block_rows):
        codes[block] = np.where(state[block] != Reason.PRESENT, missing, numbers[block])
    return codes


def text_counts(column: Column, storage: Storage) -> Codes:
    """Return for each stored text of a column with codes how many present cells hold it, kept by a storage."""
    if not storage.on_disk or column.text.codes is None:
        return column._text_counts()
    counts: Codes = storage.empty(column.text.item_count, np.int64)
    for block in blocks_of(len(counts), storage.block_rows):
        counts[block] = 0
    for block in blocks_of(len(column), storage.block_rows):
        codes = column.text.codes[block]
        np.add.at(counts, codes if column.state is None else codes[column.state[block] == Reason.PRESENT], 1)
    return counts


def taken_column(column: Column, positions: Codes, storage: Storage) -> Column:
    """Return the cells of a column at some positions, in that order, kept by a storage."""
    if not storage.on_disk or len(positions) <= storage.block_rows:
        return column._take(positions)
    values: Any = (
        taken_text(column.values, positions, storage)
        if isinstance(column.values, Text)
        else taken_array(column.values, positions, storage)
    )
    state = None if column.state is None else taken_array(column.state, positions, storage)
    source = None if column.source is None else column.source.take(positions)
    return column._replace(values=values, state=state, kept=column.kept.take(positions), source=source)
