"""Columns in which some cells are replaced by others."""

from typing import Any

import numpy as np

from comb.execution.storage import MEMORY, Storage
from comb.kernels.dispatch import kernels
from comb.kernels.grouping import Codes
from comb.kernels.string_buffer import joined
from comb.tables.collect import changed_in_blocks, slice_of
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text


def patched(column: Column, filling: Column, positions: Codes, storage: Storage = MEMORY) -> Column:
    """Put cells in the place of others.

    Parameters
    ----------
    column : Column
    filling : Column
        Of the same type: a cell for each position. Where it is missing, the cell stays as it is.
    positions : int64 array
        Ascending.
    storage : Storage
        Keeps what comes of it.

    Returns
    -------
    Column
        Cells that are replaced keep no text of before. Cost: a copy of the column; on disk, of some rows at a time.

    >>> column = Column._of_strings(["a", None, "c", None])
    >>> patched(column, Column._of_strings(["b", None]), np.array([1, 3])).to_list()
    ['a', 'b', 'c', None]
    """
    if filling.missing_count:
        present = np.flatnonzero(filling.present)
        filling, positions = filling._take(present), positions[present]
    if not len(positions):
        return column

    def change(block: Column, rows: slice) -> Column:
        first, last = np.searchsorted(positions, [rows.start, rows.stop]).tolist()
        if first == last:
            return block
        return _patched(block, slice_of(filling, slice(first, last)), positions[first:last] - rows.start)

    return changed_in_blocks(column, storage, change)


def _patched(column: Column, filling: Column, positions: Codes) -> Column:
    values: Any
    if isinstance(column.values, Text):
        values = _patched_texts(column.text, filling.text, positions)
    else:
        values = column.array.copy()
        values[positions] = filling.array
    state = column.state
    if state is not None:
        state = state.copy()
        state[positions] = Reason.PRESENT
    kept = column.kept
    if len(kept):
        stays = np.isin(kept.positions, positions, invert=True)
        kept = Kept.of(kept.positions[stays], kept.items.take(np.flatnonzero(stays)))
    return column._replace(values=values, state=state, kept=kept)


def _patched_texts(texts: Text, filling: Text, positions: Codes) -> Text:
    """Put texts into some places of others, by their codes where they have some."""
    if texts.codes is None:
        order = np.arange(len(texts))
        order[positions] = np.arange(len(texts), len(texts) + len(positions))
        return Text(*kernels.take(joined([texts.packed(), filling.plain()]), order))
    items, codes = texts.coded()
    new, new_codes = filling.coded()
    places = {text: at for at, text in enumerate(items)}
    known = list(items)
    for text in new:
        if text not in places:
            places[text] = len(known)
            known.append(text)
    put = codes.copy()
    put[positions] = np.array([places[text] for text in new], np.int64)[new_codes]
    return Text.from_items(known, put)
