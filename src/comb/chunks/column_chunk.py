"""A chunk of a column: some of its cells, as text or parsed by a guess.

A `TextChunk` has the texts, coded where they repeat. A `ParsedChunk` was parsed by the guess how the whole column
is best read; it has values, a status for each cell, and texts only of those cells that the guess did not fit or
that are words for missing. Both know the same tally of what the texts could be, so that the type of a column is
decided without looking at a cell again.

When the type is decided, every chunk is asked to `parse` its cells by it:

- A `TextChunk` parses its distinct texts and looks the results up by code.
- A `ParsedChunk` that was parsed by the same parser returns what it has.
- One that was parsed by another converts its values if they tell the new ones exactly: an integer is a decimal, a
  decimal of few digits is a number. What the guess did not fit is parsed again from the texts that were kept.
- Where the values do not tell (a float does not show its text, a date in one order is not the same date in another),
  it calls `reread_texts`, which fetches its bytes from the source and splits them once more.

The status of a cell is the number of the reason why it is missing (`comb.tables.reasons`), so that it becomes the
state of the column as it is; only ``absent``, which a parser cannot know, is added.
"""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.kernels import dispatch
from comb.kernels.blocks import Block, CodeOutput, OutputSlice
from comb.kernels.grouping import Codes
from comb.kernels.types import (
    BLANK,
    IS_BLANK,
    IS_GIVEN,
    IS_KNOWN,
    MARKED,
    MOST_DECIMAL_DIGITS,
    CellForm,
    Kinds,
    Tally,
    TallySlot,
    Words,
)
from comb.parsing.cell_parser import CellParser
from comb.tables.column import Mask
from comb.tables.text import Text, joined_texts
from comb.tables.types import Type

# Whole numbers up to here are exact as floats.
EXACT_FLOAT = 2**53
Status = NDArray[np.uint8]
NO_TEXT = Text.from_strings([])


class ParsedCells(msgspec.Struct, frozen=True):
    """Cells read as one type.

    Attributes
    ----------
    values : array or Text
    status : uint8 array
        `FITS`, `BLANK`, `MISFIT` or `MARKED` per cell.
    kept_at : int64 array
        The cells that are `MISFIT` or `MARKED`, ascending.
    kept : Text
        Their texts.
    """

    values: NDArray[Any] | Text
    status: Status
    kept_at: Codes
    kept: Text


class TextChunk:
    """Cells as text.

    Parameters
    ----------
    text : Text
    words : Words
        The words that matter in it.
    absent : bool array, optional
        Cells that the source did not have; their text is empty.
    """

    __slots__ = ("_counted", "absent", "text", "words")

    def __init__(self, text: Text, words: Words, absent: Mask | None = None) -> None:
        self.text = text
        self.words = words
        self.absent = absent
        self._counted: tuple[Tally, Kinds] | None = None

    @classmethod
    def counted(cls, text: Text, words: Words, absent: Mask | None, tally: Tally, kinds: Kinds) -> "TextChunk":
        """Make a chunk of texts whose counts are known already."""
        chunk = cls(text, words, absent)
        chunk._counted = tally, kinds
        return chunk

    @property
    def tally(self) -> Tally:
        """What the texts could be."""
        return self._count()[0]

    @property
    def kinds(self) -> Kinds:
        """What is said of each stored text."""
        return self._count()[1]

    def _count(self) -> tuple[Tally, Kinds]:
        """Count when it is first asked for: codes of chunks that are joined are counted together."""
        if self._counted is None:
            text = self.text
            # A text that is stored once counts as often as it has cells.
            counts = None if text.codes is None else dispatch.kernels.count_codes(text.codes, text.item_count)
            tally, kinds = dispatch.kernels.tally(text.packed(), counts, self.words)
            if self.absent is not None:
                # They have an empty text for want of any, and would be counted as blank.
                tally[TallySlot.BLANK] -= int(self.absent.sum())
            self._counted = tally, kinds
        return self._counted

    def __len__(self) -> int:
        return len(self.text)

    def stored(self, places: Codes) -> list[str]:
        """Return some of the stored texts."""
        return dispatch.kernels.take(self.text.packed(), places).strings()

    def parse(self, parser: CellParser | None) -> ParsedCells:
        """Parse the cells; None leaves them as they are, and known words for missing with them."""
        if parser is None:
            # Text takes known words for missing as they are: "none" may be an answer. Only given ones are taken out.
            status: Status = np.multiply(self.kinds & IS_BLANK, np.uint8(BLANK), dtype=np.uint8)
            if self.tally[TallySlot.GIVEN]:
                status[(self.kinds & IS_GIVEN) != 0] = MARKED
            values: NDArray[Any] | Text = self.text
        else:
            values, status = parser.parse(self.text.packed())
            # What is blank or a word for missing is no misfit, whatever the parser made of it.
            status[(self.kinds & IS_BLANK) != 0] = BLANK
            status[(self.kinds & (IS_GIVEN | IS_KNOWN)) != 0] = MARKED
        # So far all is about distinct texts; from here on about cells.
        codes, some_kept = self.text.codes, bool((status >= MARKED).any())
        if codes is not None:
            status = dispatch.kernels.look_up(status, codes)
        if codes is not None and not isinstance(values, Text):
            # The kernel looks up bytes; for wider values NumPy is as fast.
            small = values.dtype.itemsize == 1
            values = (
                dispatch.kernels.look_up(values.view(np.uint8), codes).view(values.dtype) if small else values[codes]
            )
        kept_at = np.flatnonzero(status >= MARKED) if some_kept else np.zeros(0, np.int64)
        return ParsedCells(values, status, kept_at, self.text.take(kept_at) if some_kept else NO_TEXT)


class ParsedChunk:
    """Cells read by a guess.

    Parameters
    ----------
    parser : CellParser
        The guess.
    cells : ParsedCells
    tally : int64 array
    words : Words
    absent : bool array, optional
    reread_texts : callable
        Fetches the same cells as text, part by part as they are asked for.
    """

    __slots__ = ("absent", "cells", "parser", "reread_texts", "tally", "words")

    def __init__(
        self,
        parser: CellParser,
        cells: ParsedCells,
        tally: Tally,
        words: Words,
        absent: Mask | None,
        reread_texts: Callable[[], Iterable[TextChunk]],
    ) -> None:
        self.parser = parser
        self.cells = cells
        self.tally = tally
        self.words = words
        self.absent = absent
        self.reread_texts = reread_texts

    def __len__(self) -> int:
        return len(self.cells.status)

    def parse(self, parser: CellParser | None) -> ParsedCells:
        """Parse the cells another way."""
        if parser == self.parser:
            return self.cells
        # As text, or where the values do not tell: the source is the only place where the texts still are.
        values = None if parser is None else self._converted(parser)
        if values is None or parser is None:
            return parse_column(list(self.reread_texts()), parser)[0]
        # What the guess did not fit may fit this parser, and was kept as text for that.
        misfits = TextChunk(self.cells.kept, self.words).parse(parser)
        status = self.cells.status.copy()
        status[self.cells.kept_at] = misfits.status
        values[self.cells.kept_at] = misfits.values
        return ParsedCells(values, status, self.cells.kept_at[misfits.kept_at], misfits.kept)

    def _converted(self, parser: CellParser) -> NDArray[Any] | None:
        """Return the values as another reading gives them; None if they do not tell."""
        mine, wanted = self.parser, parser
        values: Any = self.cells.values
        # A moment does not tell its pattern, nor a value how a count was written.
        if mine.moments or wanted.moments or wanted.counted:
            return None
        if mine.type.word == wanted.type.word == "date":
            # What one order reads, another would read differently.
            return values.copy() if set(mine.orders) <= set(wanted.orders) else None
        # With group marks or units, other cells fit; with these, they would have been no numbers for the guess.
        if (wanted.group_mark, wanted.unit, wanted.noted) != ("", "", False) or not (
            mine.type.numeric and wanted.type.numeric
        ):
            return None
        # An integer has no decimal mark: it is the same with either.
        if mine.type.word != "integer" and mine.decimal_mark != wanted.decimal_mark:
            return None
        return _converted_numbers(values, mine.type, wanted.type, bool(self.tally[TallySlot.NEGATIVE_ZERO]))


def _converted_numbers(values: Any, mine: Type, wanted: Type, negative_zero: bool) -> NDArray[Any] | None:
    """Convert numbers where nothing is lost by it; None where something could be."""
    if mine == wanted:
        return np.array(values)
    # A float does not show how many digits its text had; 3.0 was not written as an integer.
    if mine.word == "number" or (mine.word == "decimal" and wanted.word == "integer"):
        return None
    if wanted.word == "number":
        # A quotient of two exact floats is the float nearest to it, as IEEE 754 has it.
        exact = mine.scale == 0 or _largest(values) < EXACT_FLOAT
        # An integer has no negative zero, and the text has: -0.
        return values / float(10**mine.scale) if exact and not negative_zero else None
    steps = wanted.scale - mine.scale
    if steps < 0:
        return None
    return np.asarray(values * 10**steps) if _largest(values) < 10 ** (MOST_DECIMAL_DIGITS - steps) else None


def _largest(values: Any) -> int:
    """Return the largest magnitude; that of the least integer has no place in the array's own type."""
    return max(int(values.max()), -int(values.min())) if len(values) else 0


ColumnChunk = TextChunk | ParsedChunk


def parse_column(chunks: Sequence[ColumnChunk], parser: CellParser | None) -> tuple[ParsedCells, Mask | None]:
    """Read the chunks of a column one way and join them; chunks that are done with are let go.

    Returns
    -------
    cells, absent
        The cells of all chunks, and which of them the source did not have.
    """
    absent = None
    # Most columns have no absent cells, and then no mask.
    if any(chunk.absent is not None for chunk in chunks):
        masks = [np.zeros(len(chunk), np.bool_) if chunk.absent is None else chunk.absent for chunk in chunks]
        absent = np.concatenate(masks)
    read = [chunk.parse(parser) for chunk in chunks]
    if len(read) == 1:
        return read[0], absent
    # Kept cells are numbered from the beginning of their chunk.
    starts = np.cumsum([0, *(len(cells.status) for cells in read)])
    kept_at = np.concatenate([cells.kept_at + start for cells, start in zip(read, starts, strict=False)])
    kept = joined_texts([cells.kept for cells in read])
    status = np.concatenate([cells.status for cells in read])
    texts = [cells.values for cells in read if isinstance(cells.values, Text)]
    values: Any = joined_texts(texts) if texts else np.concatenate([cells.values for cells in read])
    return ParsedCells(values, status, kept_at, kept), absent


class Guess(msgspec.Struct, frozen=True):
    """How a column is likely to be read, and what the kernels need to know for it."""

    parser: CellParser
    form: CellForm


def column_chunk(
    block: Block,
    column: int,
    guess: Guess | None,
    words: Words,
    absent: Mask | None,
    reread_texts: Callable[[], Iterable[TextChunk]],
    output: OutputSlice | CodeOutput | None = None,
) -> ColumnChunk:
    """Take a column out of a block, read by a guess where that is the better way.

    Parameters
    ----------
    block : Block
    column : int
    guess : Guess or None
        How its cells are likely to be read; None for text.
    words : Words
    absent : bool array, optional
    reread_texts : callable
        Fetches the same cells as text, should the guess turn out wrong.
    output : OutputSlice or CodeOutput, optional
        Where values and status, or codes, go; see `comb.chunks.column_builder.ColumnBuilder.output`.
    """
    read = None
    if guess is not None:
        read = block.values(column, guess.form, words, None if isinstance(output, CodeOutput) else output)
    if guess is None or read is None:
        packed, codes = block.text(column, output if isinstance(output, CodeOutput) else None)
        return TextChunk(Text(*packed, codes), words, absent)
    # As in `TextChunk`: an absent cell is no blank one.
    if absent is not None:
        read.tally[TallySlot.BLANK] -= int(absent.sum())
    kept = Text(*read.kept) if len(read.kept_at) else NO_TEXT
    cells = ParsedCells(read.values, read.status, read.kept_at, kept)
    return ParsedChunk(guess.parser, cells, read.tally, words, absent, reread_texts)
