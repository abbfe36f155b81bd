"""Where the cells of a column came from, where that is not the table's own source under the column's own name.

Most columns need none: the cell is in the record of its row. A column that was renamed has another name there. One
that was looked up is in other rows of another source. Tables below each other, and columns that became rows, bring
cells of several columns together. What was calculated has no place at all. So a `CellSource` is a list of parts, each a
column of a source, and for each cell which of the parts it is from and in which row.
"""

from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.kernels.grouping import Codes
from comb.tables.origin import Origin
from comb.tables.text import Text

# Up to this number of columns their numbers have two bytes.
MOST_SMALL = 2**15


class Part(msgspec.Struct, frozen=True):
    """A column of a source.

    Attributes
    ----------
    name : str
        Its name there; empty where cells have no place.
    origin : Origin or None
        The source; None for that of the table.
    """

    name: str
    origin: Origin | None = None


class CellSource(msgspec.Struct, frozen=True, eq=False):
    """Where cells came from.

    Attributes
    ----------
    parts : tuple of Part
    which : int array or None
        The part of each cell; None where there is one.
    rows : int64 array or None
        The row number of each cell in the source of its part, 0 for none; None where all are those of the table.
    """

    parts: tuple[Part, ...]
    which: NDArray[Any] | None = None
    rows: Codes | None = None

    def __eq__(self, other: object) -> bool:
        return isinstance(other, CellSource) and self.parts == other.parts

    def __hash__(self) -> int:
        return hash(self.parts)

    def take(self, positions: Codes) -> "CellSource":
        """Return the source of the cells at some positions."""
        if self.which is None and self.rows is None:
            return self
        which, rows = (None if one is None else one[positions] for one in (self.which, self.rows))
        return CellSource(self.parts, which, rows)

    def at(self, position: int, row_number: int) -> tuple[Part, int]:
        """Return the part of one cell, and its row there."""
        part = self.parts[0 if self.which is None else int(self.which[position])]
        return part, row_number if self.rows is None else int(self.rows[position])

    def in_rows(self, origin: Origin, row_numbers: Codes) -> "CellSource":
        """Return the same with every part and row named, so that it holds in another table too."""
        parts = tuple(Part(part.name, part.origin or origin) for part in self.parts)
        return CellSource(parts, self.which, row_numbers if self.rows is None else self.rows)


def places_of(source: CellSource, origin: Origin, row_numbers: Codes) -> Text:
    """Say where cells stood; an empty text where they have no place.

    Parameters
    ----------
    source : CellSource
        Of these cells.
    origin : Origin
        Of their table.
    row_numbers : int64 array
        Of their rows.
    """
    if source.which is None:
        part, rows = source.parts[0], row_numbers if source.rows is None else source.rows
        if not part.name:
            return Text.from_items([""], np.zeros(len(row_numbers), np.int64))
        places = (part.origin or origin).place_texts(rows, part.name)
        if source.rows is None:
            return places
        return Text.from_items([at if row else "" for at, row in zip(places.to_list(), rows, strict=True)])
    found = [""] * len(row_numbers)
    for number in np.unique(source.which).tolist():
        here = np.flatnonzero(source.which == number)
        rows = row_numbers if source.rows is None else source.rows
        one = CellSource((source.parts[number],), rows=rows[here])
        for at, place in zip(here.tolist(), places_of(one, origin, row_numbers[here]).to_list(), strict=True):
            found[at] = place
    return Text.from_items(found)


# What is calculated has no place.
NO_PLACE = CellSource((Part(""),))


def placed(source: CellSource | None, name: str) -> CellSource:
    """Return the source of a column; by default the table's own, under the column's own name."""
    return source or CellSource((Part(name),))


def without(source: CellSource, lacking: NDArray[np.bool_]) -> CellSource:
    """Return a source in which some cells, those that found no match, are in no row."""
    rows = np.zeros(len(lacking), np.int64) if source.rows is None else source.rows
    return CellSource(source.parts, source.which, np.where(lacking, 0, rows))


def put_below(sources: Sequence[CellSource], lengths: Sequence[int]) -> CellSource:
    """Return the source of columns below each other; each has to name its rows, or to have no place."""
    parts: list[Part] = []
    which, rows = [], []
    for source, length in zip(sources, lengths, strict=True):
        numbers = np.array([_number(part, parts) for part in source.parts], np.int64)
        which.append(np.full(length, numbers[0]) if source.which is None else numbers[source.which])
        rows.append(np.zeros(length, np.int64) if source.rows is None else source.rows)
    return CellSource(tuple(parts), np.concatenate(which), np.concatenate(rows))


def side_by_side(sources: Sequence[CellSource], origin: Origin, row_numbers: Codes) -> CellSource:
    """Return the source of columns that became one, the cells of each row below each other."""
    count, height = len(sources), len(row_numbers)
    if all(source.which is None and source.rows is None for source in sources):
        parts = tuple(source.parts[0] for source in sources)
        # Few columns need few bytes to be told apart.
        return CellSource(parts, np.tile(np.arange(count, dtype=np.int16 if count < MOST_SMALL else np.int64), height))
    ordered = np.arange(count * height).reshape(count, height).T.ravel()
    rows = [source.in_rows(origin, row_numbers) for source in sources]
    return put_below(rows, [height] * count).take(ordered)


def _number(part: Part, parts: list[Part]) -> int:
    """Return the number of a part, new or known."""
    for number, known in enumerate(parts):
        if known.name == part.name and known.origin is part.origin:
            return number
    parts.append(part)
    return len(parts) - 1
