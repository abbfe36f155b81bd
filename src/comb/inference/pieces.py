"""A column as its source wrote it, in pieces: each a run of cells, as text or read by a guess.

A piece that was read by a guess holds values, and texts only of the cells the guess did not
fit. It can be read another way as long as its values tell the new ones exactly; where
they do not, it fetches its texts again.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.inference.reader import Reading
from comb.kernels import chosen
from comb.kernels.blocks import Block, CellForm, Room, TextRoom
from comb.kernels.coding import Codes
from comb.kernels.parsing import BLANK, MARKED, MOST_DECIMAL_DIGITS
from comb.kernels.tally import IS_BLANK, IS_GIVEN, IS_KNOWN, Count, Kinds, Tally, Words
from comb.tables.column import Mask
from comb.tables.text import Text, joined_texts
from comb.tables.types import Type

# Whole numbers up to here are exact as floats.
EXACT_FLOAT = 2**53

Status = NDArray[np.uint8]

NO_TEXT = Text.from_strings([])


@dataclass(frozen=True, slots=True)
class ReadCells:
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


class TextPiece:
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
    def counted(cls, text: Text, words: Words, absent: Mask | None, tally: Tally, kinds: Kinds) -> "TextPiece":
        """Make a piece of texts whose counts are known already."""
        piece = cls(text, words, absent)
        piece._counted = tally, kinds
        return piece

    @property
    def tally(self) -> Tally:
        """What the texts could be."""
        return self._count()[0]

    @property
    def kinds(self) -> Kinds:
        """What is said of each stored text."""
        return self._count()[1]

    def _count(self) -> tuple[Tally, Kinds]:
        """Count when it is first asked for: codes of runs that are joined are counted together."""
        if self._counted is None:
            text = self.text
            counts = None if text.codes is None else chosen.count_codes(text.codes, text.item_count)
            tally, kinds = chosen.tally(text.packed(), counts, self.words)
            if self.absent is not None:
                tally[Count.BLANK] -= int(self.absent.sum())
            self._counted = tally, kinds
        return self._counted

    def __len__(self) -> int:
        return len(self.text)

    def stored(self, places: Codes) -> list[str]:
        """Return some of the stored texts."""
        return chosen.take(self.text.packed(), places).strings()

    def read(self, reading: Reading | None) -> ReadCells:
        """Read the cells; None leaves them as they are, and known words for missing with them."""
        if reading is None:
            status: Status = np.multiply(self.kinds & IS_BLANK, np.uint8(BLANK), dtype=np.uint8)
            if self.tally[Count.GIVEN]:
                status[(self.kinds & IS_GIVEN) != 0] = MARKED
            values: NDArray[Any] | Text = self.text
        else:
            values, status = reading.parse_text(self.text.packed())
            status[(self.kinds & IS_BLANK) != 0] = BLANK
            status[(self.kinds & (IS_GIVEN | IS_KNOWN)) != 0] = MARKED
        codes, some_kept = self.text.codes, bool((status >= MARKED).any())
        if codes is not None:
            status = chosen.look_up(status, codes)
        if codes is not None and not isinstance(values, Text):
            small = values.dtype.itemsize == 1
            values = chosen.look_up(values.view(np.uint8), codes).view(values.dtype) if small else values[codes]
        kept_at = np.flatnonzero(status >= MARKED) if some_kept else np.zeros(0, np.int64)
        return ReadCells(values, status, kept_at, self.text.take(kept_at) if some_kept else NO_TEXT)


class ReadPiece:
    """Cells read by a guess.

    Parameters
    ----------
    reading : Reading
    cells : ReadCells
    tally : int64 array
    words : Words
    absent : bool array, optional
    again : callable
        Fetches the same cells as text, part by part as they are asked for.
    """

    __slots__ = ("absent", "again", "cells", "reading", "tally", "words")

    def __init__(
        self,
        reading: Reading,
        cells: ReadCells,
        tally: Tally,
        words: Words,
        absent: Mask | None,
        again: Callable[[], Iterable[TextPiece]],
    ) -> None:
        self.reading = reading
        self.cells = cells
        self.tally = tally
        self.words = words
        self.absent = absent
        self.again = again

    def __len__(self) -> int:
        return len(self.cells.status)

    def read(self, reading: Reading | None) -> ReadCells:
        """Read the cells another way."""
        if reading == self.reading:
            return self.cells
        values = None if reading is None else self._converted(reading)
        if values is None or reading is None:
            return read_pieces(list(self.again()), reading)[0]
        misfits = TextPiece(self.cells.kept, self.words).read(reading)
        status = self.cells.status.copy()
        status[self.cells.kept_at] = misfits.status
        values[self.cells.kept_at] = misfits.values
        return ReadCells(values, status, self.cells.kept_at[misfits.kept_at], misfits.kept)

    def _converted(self, reading: Reading) -> NDArray[Any] | None:
        """Return the values as another reading gives them; None if they do not tell."""
        mine, wanted = self.reading, reading
        values: Any = self.cells.values
        if mine.moments or wanted.moments or wanted.counted:
            return None
        if mine.type.word == wanted.type.word == "date":
            # What one order reads, another would read differently.
            return values.copy() if set(mine.orders) <= set(wanted.orders) else None
        if (wanted.group_mark, wanted.unit, wanted.noted) != ("", "", False) or not (
            mine.type.numeric and wanted.type.numeric
        ):
            return None
        if mine.type.word != "integer" and mine.decimal_mark != wanted.decimal_mark:
            return None
        return _converted_numbers(values, mine.type, wanted.type, bool(self.tally[Count.NEGATIVE_ZERO]))


def _converted_numbers(values: Any, mine: Type, wanted: Type, negative_zero: bool) -> NDArray[Any] | None:
    """Convert numbers where nothing is lost by it; None where something could be."""
    if mine == wanted:
        return np.array(values)
    if mine.word == "number" or (mine.word == "decimal" and wanted.word == "integer"):
        return None
    if wanted.word == "number":
        # A quotient of two exact floats is the float nearest to it, as IEEE 754 has it.
        exact = mine.scale == 0 or _largest(values) < EXACT_FLOAT
        return values / float(10**mine.scale) if exact and not negative_zero else None
    steps = wanted.scale - mine.scale
    if steps < 0:
        return None
    return np.asarray(values * 10**steps) if _largest(values) < 10 ** (MOST_DECIMAL_DIGITS - steps) else None


def _largest(values: Any) -> int:
    """Return the largest magnitude; that of the least integer has no place in the array's own type."""
    return max(int(values.max()), -int(values.min())) if len(values) else 0


Piece = TextPiece | ReadPiece


def read_pieces(pieces: Sequence[Piece], reading: Reading | None) -> tuple[ReadCells, Mask | None]:
    """Read the pieces of a column one way and join them; pieces that are done with are let go.

    Returns
    -------
    cells, absent
        The cells of all pieces, and which of them the source did not have.
    """
    absent = None
    if any(piece.absent is not None for piece in pieces):
        masks = [np.zeros(len(piece), np.bool_) if piece.absent is None else piece.absent for piece in pieces]
        absent = np.concatenate(masks)
    read = [piece.read(reading) for piece in pieces]
    if len(read) == 1:
        return read[0], absent
    starts = np.cumsum([0, *(len(cells.status) for cells in read)])
    kept_at = np.concatenate([cells.kept_at + start for cells, start in zip(read, starts, strict=False)])
    kept = joined_texts([cells.kept for cells in read])
    status = np.concatenate([cells.status for cells in read])
    texts = [cells.values for cells in read if isinstance(cells.values, Text)]
    values: Any = joined_texts(texts) if texts else np.concatenate([cells.values for cells in read])
    return ReadCells(values, status, kept_at, kept), absent


class Guess(NamedTuple):
    """How a column is likely to be read, and what the kernels are told of it."""

    reading: Reading
    form: CellForm


def block_piece(
    block: Block,
    column: int,
    guess: Guess | None,
    words: Words,
    absent: Mask | None,
    again: Callable[[], Iterable[TextPiece]],
    room: Room | TextRoom | None = None,
) -> Piece:
    """Take a column out of a block, read by a guess where that is the better way.

    Parameters
    ----------
    block : Block
    column : int
    guess : Guess or None
        How its cells are likely to be read; None for text.
    words : Words
    absent : bool array, optional
    again : callable
        Fetches the same cells as text, should the guess turn out wrong.
    room : Room or TextRoom, optional
        Where values and status, or codes, go; see `comb.inference.gathered.Gathered.room`.
    """
    read = None
    if guess is not None:
        read = block.values(column, guess.form, words, None if isinstance(room, TextRoom) else room)
    if guess is None or read is None:
        packed, codes = block.text(column, room if isinstance(room, TextRoom) else None)
        return TextPiece(Text(*packed, codes), words, absent)
    if absent is not None:
        read.tally[Count.BLANK] -= int(absent.sum())
    kept = Text(*read.kept) if len(read.kept_at) else NO_TEXT
    cells = ReadCells(read.values, read.status, read.kept_at, kept)
    return ReadPiece(guess.reading, cells, read.tally, words, absent, again)
