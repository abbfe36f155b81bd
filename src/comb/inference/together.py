"""Columns of numbers that are read together, one run after the other.

A table may have thousands of them: what is done for each column of each run, instead of once for all
columns of a run, is what would take most of the time. A column whose cells turn out to be something else
goes its own way from there on.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.inference.gathered import GROWTH, HEADROOM, Gathered, absent_of
from comb.inference.pieces import NO_TEXT, Guess, Piece, ReadCells, ReadPiece, TextPiece
from comb.kernels.blocks import NumberForm, PlaceBlock, Room, Rooms, Several
from comb.kernels.tally import SIZE, Count, Words
from comb.tables.column import Mask
from comb.tables.text import Text, joined_texts

# Fetches cells of a column of a run as text, should its guess turn out wrong.
Again = Callable[[int], Iterable[TextPiece]]


class Group(NamedTuple):
    """Columns that are guessed to be numbers, with the same words for missing.

    Attributes
    ----------
    columns : int64 array
    guesses : sequence of Guess
    forms : sequence of NumberForm
    words : Words
    """

    columns: NDArray[np.int64]
    guesses: Sequence[Guess]
    forms: Sequence[NumberForm]
    words: Words


@dataclass(slots=True)
class Batch:
    """The columns of a group in one run.

    Attributes
    ----------
    rows : int
    read : Several
        What was read, by place in the group.
    texts : dict of int to TextPiece
        The columns that are better taken as text.
    absent : mapping of int to bool array
        Which cells the source did not have.
    again : callable
    """

    rows: int
    read: Several
    texts: dict[int, TextPiece]
    absent: Mapping[int, Mask]
    again: Again


def batch_of(block: PlaceBlock, group: Group, rooms: Rooms | None, absent: Mapping[int, Mask], again: Again) -> Batch:
    """Take the columns of a group out of a block.

    Parameters
    ----------
    block : PlaceBlock
    group : Group
    rooms : Rooms, optional
        Where values and status go; see `Together.rooms`.
    absent : mapping of int to bool array
        By column.
    again : callable
    """
    read = block.several(group.columns, group.forms, group.words, rooms)
    columns = group.columns.tolist()
    lacking = {at: absent[column] for at, column in enumerate(columns) if column in absent} if absent else {}
    for at, mask in lacking.items():
        read.tally[at, Count.BLANK] -= int(mask.sum())
    texts = {}
    for at in read.left:
        packed, codes = block.text(columns[at])
        texts[at] = TextPiece(Text(*packed, codes), group.words, lacking.get(at))
    return Batch(len(block), read, texts, lacking, again)


@dataclass(slots=True)
class _Further:
    """What some columns have besides values: cells that do not fit, and cells that are absent, by row."""

    kept_at: list[NDArray[np.int64]] = field(default_factory=list)
    kept: list[Text] = field(default_factory=list)
    absent: list[tuple[int, Mask]] = field(default_factory=list)


class Together:
    """The columns of a group, as far as they were read.

    Parameters
    ----------
    group : Group
    expected : int
        How many rows are likely to come.
    """

    def __init__(self, group: Group, expected: int) -> None:
        self._group = group
        self._at = {column: at for at, column in enumerate(group.columns.tolist())}
        self._expected = expected
        self._rows = 0
        self._arrays: list[Room] = []
        self._arrays = self._grown(int(expected * HEADROOM))
        self._tally = np.zeros((len(group.columns), SIZE), np.int64)
        self._further: dict[int, _Further] = {}
        self._again: list[Again] = []
        self._apart: dict[int, Gathered] = {}

    def __contains__(self, column: int) -> bool:
        return column in self._at

    def rooms(self, start: int, count: int) -> Rooms | None:
        """Return where the values of rows that come next may be put at once; None if there is too little room.

        May be asked by several threads, each for rows of its own that come after all that were added; what is put
        there counts when it is added.
        """
        arrays = self._arrays
        return Rooms(arrays, start) if start + count <= len(arrays[0][1]) else None

    def add(self, batch: Batch) -> None:
        """Add the next run."""
        start, stop = self._rows, self._rows + batch.rows
        if stop > len(self._arrays[0][1]):
            self._arrays = self._grown(max(stop, int(len(self._arrays[0][1]) * GROWTH)))
        rooms = batch.read.rooms
        if rooms is None or rooms.arrays is not self._arrays or rooms.start != start:
            for (values, status), read, states in zip(self._arrays, batch.read.values, batch.read.status, strict=True):
                values[start:stop], status[start:stop] = read, states
        for at in batch.texts:
            if at not in self._apart:
                self._apart[at] = Gathered(self._expected)
                if start:
                    self._apart[at].add(self._piece(at))
        for at, gathered in self._apart.items():
            gathered.add(batch.texts[at] if at in batch.texts else self._piece_of(at, batch))
        self._tally += batch.read.tally
        self._again.append(batch.again)
        for at, (rows, kept) in batch.read.kept.items():
            further = self._further.setdefault(at, _Further())
            further.kept_at.append(rows + start)
            further.kept.append(Text(*kept))
        for at, mask in batch.absent.items():
            self._further.setdefault(at, _Further()).absent.append((start, mask))
        self._rows = stop

    def pieces(self, column: int) -> list[Piece]:
        """Return the pieces of a column."""
        at = self._at[column]
        return self._apart[at].pieces() if at in self._apart else [self._piece(at)]

    def _grown(self, size: int) -> list[Room]:
        """Return arrays for values and status of each column, with what was added so far in them."""
        grown = [(np.empty(size, np.int64), np.empty(size, np.uint8)) for _ in self._at]
        for (values, status), before in zip(grown, self._arrays, strict=False):
            values[: self._rows], status[: self._rows] = before[0][: self._rows], before[1][: self._rows]
        return grown

    def _piece(self, at: int) -> ReadPiece:
        """Return a column as far as it was added."""
        values, status = self._arrays[at][0][: self._rows], self._arrays[at][1][: self._rows]
        further, again, column = self._further.get(at, _Further()), list(self._again), int(self._group.columns[at])
        kept_at = np.concatenate(further.kept_at) if further.kept_at else np.zeros(0, np.int64)
        kept = joined_texts(further.kept) if further.kept else NO_TEXT
        return ReadPiece(
            self._group.guesses[at].reading,
            ReadCells(self._typed(at, values), status, kept_at, kept),
            self._tally[at].copy(),
            self._group.words,
            absent_of(further.absent, self._rows),
            lambda: (piece for fetch in again for piece in fetch(column)),
        )

    def _piece_of(self, at: int, batch: Batch) -> ReadPiece:
        """Return a column of one run."""
        kept_at, kept = batch.read.kept.get(at, (np.zeros(0, np.int64), None))
        column = int(self._group.columns[at])
        cells = ReadCells(
            self._typed(at, batch.read.values[at]),
            batch.read.status[at],
            kept_at,
            NO_TEXT if kept is None else Text(*kept),
        )
        return ReadPiece(
            self._group.guesses[at].reading,
            cells,
            batch.read.tally[at],
            self._group.words,
            batch.absent.get(at),
            lambda: batch.again(column),
        )

    def _typed(self, at: int, values: NDArray[np.int64]) -> NDArray[np.int64] | NDArray[np.float64]:
        return values.view(np.float64) if self._group.forms[at].kind == "number" else values
