"""A column as inference sees it: what its texts could be, some of them, all of them, or all of them parsed.

Behind it are chunks: some hold texts, some hold values that were parsed by a guess, with the texts of only those cells
that the guess did not fit. Nobody above this module has to know which. What is asked for decides what it costs:

`tally` adds up counts that the chunks have already. `sample` looks at the beginning. `parse` costs nothing where the
chunks were parsed by this parser, converts values where they tell the new ones exactly, and otherwise reads the texts
once more. `texts` and `texts_at` fetch the texts of parsed chunks from the source again, chunk by chunk, and keep none
of them.
"""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.chunks.column_chunk import ColumnChunk, ParsedCells, ParsedChunk, TextChunk, parse_column
from comb.kernels.grouping import Codes
from comb.kernels.types import FITS, MISFIT, Tally
from comb.parsing.cell_parser import CellParser
from comb.tables.column import Mask

# Cells looked at before the whole chunk is.
FIRST_CELLS = 2_000


class ColumnSource:
    """The cells of one column, not yet of a type.

    Parameters
    ----------
    chunks : sequence of ColumnChunk
        At least one.
    """

    __slots__ = ("_chunks", "_tally")

    def __init__(self, chunks: Sequence[ColumnChunk]) -> None:
        self._chunks = chunks
        self._tally: Tally | None = None

    def tally(self) -> Tally:
        """Return the counts of what the texts could be; see `comb.kernels.types.TallySlot`."""
        if self._tally is None:
            total = self._chunks[0].tally.copy()
            for chunk in self._chunks[1:]:
                total += chunk.tally
            self._tally = total
        return self._tally

    def sample(self, most: int) -> list[str]:
        """Return the first texts that are neither blank nor words for missing."""
        found: list[str] = []
        for chunk in self._chunks:
            for part in _as_texts(chunk):
                found += usable_texts(part, np.zeros(0, np.bool_), most - len(found))
                if len(found) == most:
                    return found
        return found

    def texts(self) -> list[TextChunk]:
        """Return the whole column as texts."""
        return [part for chunk in self._chunks for part in _as_texts(chunk)]

    def parse(self, parser: CellParser | None) -> tuple[ParsedCells, Mask | None]:
        """Return all cells parsed one way, None for texts as they are; and which of them the source did not have."""
        return parse_column(self._chunks, parser)

    def guessed(self) -> CellParser | None:
        """Return the parser by which all of the column was parsed already, None if there is not one."""
        first = self._chunks[0]
        if not isinstance(first, ParsedChunk):
            return None
        same = all(isinstance(chunk, ParsedChunk) and chunk.parser == first.parser for chunk in self._chunks)
        return first.parser if same else None

    def present(self, parser: CellParser) -> list[NDArray[Any]]:
        """Return the values of the cells that fit a parser of other than text, chunk by chunk."""
        parsed = [chunk.parse(parser) for chunk in self._chunks]
        return [cells.values[cells.status == FITS] for cells in parsed if isinstance(cells.values, np.ndarray)]

    def misfits(self, parser: CellParser, most: int | None = None) -> list[TextChunk]:
        """Return the texts that do not fit a parser, at most this many of each chunk."""
        found = []
        for chunk in self._chunks:
            cells = chunk.parse(parser)
            wrong = np.flatnonzero(cells.status[cells.kept_at] == MISFIT)[:most]
            found.append(TextChunk(cells.kept.take(wrong), chunk.words))
        return found

    def texts_at(self, positions: Codes) -> list[str]:
        """Return the texts of some cells, fetched once more where they were not kept."""
        found: list[str] = []
        start = 0
        for chunk in self._chunks:
            inside = positions[(positions >= start) & (positions < start + len(chunk))] - start
            if len(inside):
                texts = [text for part in _as_texts(chunk) for text in part.text.to_list()]
                found += [texts[at] for at in inside.tolist()]
            start += len(chunk)
        return found


def _as_texts(chunk: ColumnChunk) -> Sequence[TextChunk]:
    return [chunk] if isinstance(chunk, TextChunk) else list(chunk.reread_texts())


def usable_texts(chunk: TextChunk, passed: Mask, most: int) -> list[str]:
    """Return the first texts of a chunk that say something of its type.

    Parameters
    ----------
    chunk : TextChunk
    passed : bool array
        Stored texts that are known already; empty for none.
    most : int
    """
    stored = chunk.kinds == 0
    if len(passed):
        stored &= ~passed
    codes = chunk.text.codes
    cells = np.flatnonzero(stored[:FIRST_CELLS] if codes is None else stored[codes[:FIRST_CELLS]])
    if len(cells) < most and len(chunk) > FIRST_CELLS:
        cells = np.flatnonzero(stored if codes is None else stored[codes])
    places = cells[:most] if codes is None else codes[cells[:most]]
    return [text.strip() for text in chunk.stored(places)]
