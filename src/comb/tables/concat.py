"""Columns below each other."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from comb.tables.cell_source import NO_PLACE, put_below
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.text import joined_texts


def below(parts: Sequence[Column]) -> Column:
    """Put columns of one type below each other.

    >>> below([Column._of_strings(["a"]), Column._of_strings([None, "b"])]).to_list()
    ['a', None, 'b']
    """
    if len(parts) == 1:
        return parts[0]
    starts = np.cumsum([0, *map(len, parts)]).tolist()
    kept = {
        start + at: text for part, start in zip(parts, starts, strict=False) for at, text in part.kept.texts.items()
    }
    state = np.concatenate([part.states for part in parts]) if any(part.state is not None for part in parts) else None
    if parts[0].type.textual:
        values: Any = joined_texts([part.text for part in parts])
    else:
        values = np.concatenate([part.array for part in parts])
    source = None
    if all(part.source is not None for part in parts):
        source = put_below([part.source or NO_PLACE for part in parts], [len(part) for part in parts])
    return parts[0]._replace(values=values, state=state, kept=Kept(kept), source=source)
