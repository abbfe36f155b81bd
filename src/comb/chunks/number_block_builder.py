"""Columns of numbers that are read together, one chunk after the other.

A table may have thousands of them, and what is done once for each column of each chunk would take most of the time.
So the columns that are guessed to be numbers, with the same words for missing, form a `NumberColumns`: the kernels
read all of them in one call, some rows of all at a time, and write values and status into the slices they are
given.

Values of all kinds are 64 bits wide, integers and decimals as they are, numbers as the bits of floats; that is what
makes one block of them possible.

A column whose cells turn out to be something else is taken as text in that chunk. From there on it goes its own
way: what was read of it so far becomes a chunk of a `ColumnBuilder`, and all that follows is added there. The
others are not disturbed.

Cells that do not fit, and cells that are absent, are rare and kept sparsely by column, each with the row at which
its chunk begins.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.chunks.column_builder import GROWTH, HEADROOM, ColumnBuilder, absent_of
from comb.chunks.column_chunk import NO_TEXT, ColumnChunk, Guess, ParsedCells, ParsedChunk, TextChunk
from comb.execution.storage import MEMORY, Storage
from comb.kernels.blocks import BatchOutput, Block, NumberBatch, OutputSlice
from comb.kernels.types import SIZE, NumberForm, TallySlot, Words
from comb.tables.column import Mask
from comb.tables.text import Text, joined_texts

# Fetches cells of a column of a chunk as text, should its guess turn out wrong.
Again = Callable[[int], Iterable[TextChunk]]


class NumberColumns(msgspec.Struct, frozen=True):
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


class NumberBlock(msgspec.Struct):
    """The columns of a group in one chunk.

    Attributes
    ----------
    rows : int
    read : NumberBatch
        What was read, by place in the group.
    texts : dict of int to TextChunk
        The columns that are better taken as text.
    absent : mapping of int to bool array
        Which cells the source did not have.
    reread_texts : callable
        Fetches the cells of a column as text.
    """

    rows: int
    read: NumberBatch
    texts: dict[int, TextChunk]
    absent: Mapping[int, Mask]
    reread_texts: Again


def number_block(
    block: Block,
    columns_read: NumberColumns,
    outputs: BatchOutput | None,
    absent: Mapping[int, Mask],
    reread_texts: Again,
) -> NumberBlock:
    """Take the columns of a group out of a block.

    Parameters
    ----------
    block : Block
    columns_read : NumberColumns
    outputs : BatchOutput, optional
        Where values and status go; see `NumberBlockBuilder.outputs`.
    absent : mapping of int to bool array
        By column.
    reread_texts : callable
        Fetches the cells of a column as text.
    """
    read = block.number_columns(columns_read.columns, columns_read.forms, columns_read.words, outputs)
    columns = columns_read.columns.tolist()
    lacking = {at: absent[column] for at, column in enumerate(columns) if column in absent} if absent else {}
    # Absent cells were read as empty fields, and counted as blank.
    for at, mask in lacking.items():
        read.tally[at, TallySlot.BLANK] -= int(mask.sum())
    # Where too many cells did not fit, the texts are the better way, for this chunk.
    texts = {}
    for at in read.left:
        packed, codes = block.text(columns[at])
        texts[at] = TextChunk(Text(*packed, codes), columns_read.words, lacking.get(at))
    return NumberBlock(len(block), read, texts, lacking, reread_texts)


class _Further(msgspec.Struct):
    """What some columns have besides values: cells that do not fit, and cells that are absent, by row."""

    kept_at: list[NDArray[np.int64]] = msgspec.field(default_factory=list)
    kept: list[Text] = msgspec.field(default_factory=list)
    absent: list[tuple[int, Mask]] = msgspec.field(default_factory=list)


class NumberBlockBuilder:
    """The columns of a group, as far as they were read.

    Parameters
    ----------
    columns_read : NumberColumns
    expected : int
        How many rows are likely to come.
    storage : Storage
        Where they are kept.
    """

    def __init__(self, columns_read: NumberColumns, expected: int, storage: Storage = MEMORY) -> None:
        self._storage = storage
        self._columns = columns_read
        # Arrays go by place among these columns, everything outside by column of the table.
        self._at = {column: at for at, column in enumerate(columns_read.columns.tolist())}
        self._expected = expected
        self._rows = 0
        self._arrays: list[OutputSlice] = []
        self._arrays = self._grown(int(expected * HEADROOM))
        self._tally = np.zeros((len(columns_read.columns), SIZE), np.int64)
        self._further: dict[int, _Further] = {}
        self._reread_texts: list[Again] = []
        self._apart: dict[int, ColumnBuilder] = {}

    def __contains__(self, column: int) -> bool:
        return column in self._at

    def outputs(self, start: int, count: int) -> BatchOutput | None:
        """Return where the values of rows that come next may be put at once; None if there is too little room.

        May be asked by several threads, each for rows of its own that come after all that were added; what is put
        there counts when it is added.
        """
        # Another thread may let them grow meanwhile: who was given the old ones is copied when its chunk is added.
        arrays = self._arrays
        return BatchOutput(arrays, start) if start + count <= len(arrays[0][1]) else None

    def add(self, block: NumberBlock) -> None:
        """Add the next chunk."""
        start, stop = self._rows, self._rows + block.rows
        if stop > len(self._arrays[0][1]):
            self._arrays = self._grown(max(stop, int(len(self._arrays[0][1]) * GROWTH)))
        outputs = block.read.output
        # Written in place only if the place is still this one.
        if outputs is None or outputs.arrays is not self._arrays or outputs.start != start:
            for (values, status), read, states in zip(self._arrays, block.read.values, block.read.status, strict=True):
                values[start:stop], status[start:stop] = read, states
        for at in block.texts:
            if at not in self._apart:
                self._apart[at] = ColumnBuilder(self._expected, self._storage)
                # All its rows so far, as one chunk; its column of the arrays goes on being filled, and nobody reads it.
                if start:
                    self._apart[at].add(self._chunk(at))
        # Also those that went apart before: their numbers of this chunk are a chunk for their own builder.
        for at, gathered in self._apart.items():
            gathered.add(block.texts[at] if at in block.texts else self._chunk_of(at, block))
        self._tally += block.read.tally
        self._reread_texts.append(block.reread_texts)
        for at, (rows, kept) in block.read.kept.items():
            further = self._further.setdefault(at, _Further())
            further.kept_at.append(rows + start)
            further.kept.append(Text(*kept))
        for at, mask in block.absent.items():
            self._further.setdefault(at, _Further()).absent.append((start, mask))
        self._rows = stop

    def chunks(self, column: int) -> list[ColumnChunk]:
        """Return the chunks of a column."""
        at = self._at[column]
        return self._apart[at].chunks() if at in self._apart else [self._chunk(at)]

    def _grown(self, size: int) -> list[OutputSlice]:
        """Return arrays for values and status of each column, with what was added so far in them."""
        empty = self._storage.empty
        grown = [(empty(size, np.int64), empty(size, np.uint8)) for _ in self._at]
        for (values, status), before in zip(grown, self._arrays, strict=False):
            values[: self._rows], status[: self._rows] = before[0][: self._rows], before[1][: self._rows]
        return grown

    def _chunk(self, at: int) -> ParsedChunk:
        """Return a column as far as it was added."""
        values, status = self._arrays[at][0][: self._rows], self._arrays[at][1][: self._rows]
        further, reread_texts, column = (
            self._further.get(at, _Further()),
            list(self._reread_texts),
            int(self._columns.columns[at]),
        )
        kept_at = np.concatenate(further.kept_at) if further.kept_at else np.zeros(0, np.int64)
        kept = joined_texts(further.kept) if further.kept else NO_TEXT
        return ParsedChunk(
            self._columns.guesses[at].parser,
            ParsedCells(self._typed(at, values), status, kept_at, kept),
            self._tally[at].copy(),
            self._columns.words,
            absent_of(further.absent, self._rows),
            lambda: (chunk for fetch in reread_texts for chunk in fetch(column)),
        )

    def _chunk_of(self, at: int, block: NumberBlock) -> ParsedChunk:
        """Return a column of one chunk."""
        kept_at, kept = block.read.kept.get(at, (np.zeros(0, np.int64), None))
        column = int(self._columns.columns[at])
        cells = ParsedCells(
            self._typed(at, block.read.values[at]),
            block.read.status[at],
            kept_at,
            NO_TEXT if kept is None else Text(*kept),
        )
        return ParsedChunk(
            self._columns.guesses[at].parser,
            cells,
            block.read.tally[at],
            self._columns.words,
            block.absent.get(at),
            lambda: block.reread_texts(column),
        )

    def _typed(self, at: int, values: NDArray[np.int64]) -> NDArray[np.int64] | NDArray[np.float64]:
        # All are kept as 64 bits without a type; see the head of the module.
        return values.view(np.float64) if self._columns.forms[at].kind == "number" else values
