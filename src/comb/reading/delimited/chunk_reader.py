"""Read the columns of one chunk of delimited text. Pure: bytes in, columns out."""

import threading
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any, Protocol, cast

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.chunks.column_chunk import ColumnChunk, Guess, TextChunk, column_chunk
from comb.chunks.column_source import ColumnSource
from comb.chunks.number_block_builder import NumberBlock, NumberColumns, number_block
from comb.formats.lazy_pattern import lazy_pattern
from comb.inference.decide import decide_by_counts, decide_parser
from comb.inference.declared import declared_parser
from comb.kernels import dispatch
from comb.kernels.blocks import BatchOutput, Block, CodeOutput, OutputSlice, Scratch
from comb.kernels.types import EVERYTHING, NumberForm, Words
from comb.parsing.cell_parser import CellParser
from comb.parsing.patterns import MOMENTS
from comb.reading.column_rules import ColumnRules
from comb.reading.delimited.cell_kinds import kind_of
from comb.reading.delimited.chunking import TextChunkRange
from comb.reading.delimited.first_lines import is_ruling, names_columns
from comb.reading.delimited.header import LEAST_SAMPLE, SAMPLE_CELLS, Anomalies, Header
from comb.reading.delimited.layout import SAMPLE_RECORDS, as_line
from comb.tables.column import Mask
from comb.tables.names import choose, unique_names
from comb.tables.text import Text
from comb.tables.types import STRING

# Notes below a table are few, and a table of one or two columns has none that can be told.
MOST_FOOTERS = 20

# Pages are numbered: of a title that comes again, the numbers may be others.
# The last line of a frame.
_FRAME = lazy_pattern(r"\s*\+(?:[-=]+\+)+\s*", needs="+")

# How a note below a table begins, in four languages: an asterisk, a source, a remark.
_NOTE = lazy_pattern(
    r"(?i)\s*(?:[*\u2020\u2021]+\s|(?:sources?|notes?|remarks?|quellen?|anm(?:erkung(?:en)?)?\.?|hinweise?"
    r"|remarques?|notas?|fuentes?)\s*:)",
    needs="*\u2020\u2021:",
)
_DIGITS = lazy_pattern("[0-9]+")
LEAST_FOOTED_WIDTH = 3

# The header of another table is looked for below the first gaps, with some rows below it.
MOST_GAPS = 50
SEEN_BELOW = 4


class ChunkResult(msgspec.Struct):
    """The columns of one chunk.

    Attributes
    ----------
    chunks : dict of int to ColumnChunk
        By column.
    number_blocks : list of NumberBlock
        The columns that are read together, by group.
    lines : int array
        The line of each row, from 0 at the beginning of the chunk.
    line_ends, after : int
        How far the chunk was read, in lines and bytes.
    anomalies : Anomalies
    short : dict of int to int
        Rows with too few fields, and how many they have.
    surplus : dict of int to list of str
        Rows with fields beyond those that were read.
    footers : list of str
        Notes below the table.
    reread : Reread
        Fetches its columns as text once more.
    """

    chunks: dict[int, ColumnChunk]
    number_blocks: list[NumberBlock]
    lines: NDArray[np.integer]
    line_ends: int
    after: int
    anomalies: Anomalies
    short: dict[int, int]
    surplus: dict[int, list[str]]
    footers: list[str]
    reread: "Reread"


class Reread:
    """Fetches a column of a chunk as text once more. It can be sent from one process to another, without its reader.

    Parameters
    ----------
    reader : ChunkReader, optional
        None in a result that came from another process, until it is given one.
    start, stop : int
        The bytes of the chunk.
    last : bool
    most : int
    """

    __slots__ = ("_last", "_most", "_start", "_stop", "reader")

    def __init__(self, reader: "ChunkReader | None", start: int, stop: int, last: bool, most: int) -> None:
        self.reader = reader
        self._start, self._stop, self._last, self._most = start, stop, last, most

    def __reduce__(self) -> tuple[Any, ...]:
        return Reread, (None, self._start, self._stop, self._last, self._most)

    def __call__(self, column: int) -> list[TextChunk]:
        """Return a column of the chunk."""
        assert self.reader is not None
        return self.reader.fetched(self._start, self._stop, self._last, self._most, column)


class OutputAllocator(Protocol):
    """Says where the results of a chunk belong; asked by several threads, each for rows of its own."""

    def numbers(self, group: int, first: int, rows: int) -> BatchOutput | None:
        """Return where rows of the columns of a group of number columns belong; None if that is not known."""

    def column(self, column: int, first: int, rows: int, parser: CellParser | None) -> OutputSlice | CodeOutput | None:
        """Return where rows of a column belong, read by a parser or, with None, as text."""


class ChunkReader:
    """Reads the chunks of one text; may be asked by several threads at once.

    Parameters
    ----------
    header : Header
    rules : ColumnRules
    reread : callable
        Fetches the bytes between two places once more, as counted by the chunks.
    """

    def __init__(self, header: Header, rules: ColumnRules, reread: Callable[[int, int], bytes]) -> None:
        self.header = header
        self.rules = rules
        self.guessing = rules.schema is None
        self._reread = reread
        self.columns = self._columns()
        names = unique_names(header.names)
        declared = rules.declared(names)
        self._declared = [declared.get(name) for name in names] + [None] * (header.read_width - header.width)
        titles = [*names, *[""] * (header.read_width - header.width)]
        self._words = [rules.words(name, one) for name, one in zip(titles, self._declared, strict=True)]
        self._guesses: list[Guess | None] = [None] * header.read_width
        self.groups: list[NumberColumns] = []
        self._local = threading.local()

    def __getstate__(self) -> dict[str, Any]:
        """Return what another process needs to read chunks of the text; the text it opens itself."""
        return {name: one for name, one in self.__dict__.items() if name not in ("_local", "_reread")}

    def __setstate__(self, state: dict[str, Any]) -> None:
        self.__dict__.update(state)
        self._local = threading.local()

    def _columns(self) -> list[int]:
        """Return the columns to read: those wanted, and those that tell whether lines end with a delimiter."""
        header, everything = self.header, list(range(self.header.read_width))
        names = unique_names([*header.names, ""])
        if self.rules.options.columns is None:
            return everything
        chosen_names = set(choose(self.rules.options.columns, dict.fromkeys(names, STRING)))
        return [at for at in everything if at >= header.width - 1 or names[at] in chosen_names]

    def guess(self, text_range: TextChunkRange) -> None:
        """Guess from the first chunk how each column is best read; a wrong guess costs time only."""
        block, *_ = self._block(
            text_range, max(LEAST_SAMPLE, min(SAMPLE_RECORDS, SAMPLE_CELLS // self.header.read_width))
        )
        by_words: dict[Words, list[tuple[int, Guess, NumberForm]]] = {}
        for at in self.columns:
            declared = self._declared[at]
            if declared is not None and declared.word in ("string", "json", "category"):
                continue
            parser = self._likely(block, at)
            form = None if parser is None else parser.form
            if parser is None or form is None:
                continue
            self._guesses[at] = Guess(parser, form)
            if isinstance(form, NumberForm):
                by_words.setdefault(self._words[at], []).append((at, Guess(parser, form), form))
        for words, found in by_words.items() if block.reads_numbers else ():
            columns, guesses, forms = zip(*found, strict=True)
            self.groups.append(NumberColumns(np.array(columns, np.int64), guesses, forms, words))

    def _likely(self, block: Block, column: int) -> CellParser | None:
        """Return how the cells of a column are likely to be read; None for text."""
        words, declared = self._words[column], self._declared[column]
        found = decide_by_counts(block.tally(column, words))
        moment = declared is not None and declared.word in MOMENTS
        if not moment and (found.parser is not None or not found.open or declared is not None):
            return found.parser
        packed, codes = block.text(column)
        chunk = TextChunk(Text(*packed, codes), words)
        if declared is not None and moment:
            return declared_parser(declared, ColumnSource([chunk]), None)
        return decide_parser(ColumnSource([chunk]))[0]

    def read(
        self, text_range: TextChunkRange, most: int = EVERYTHING, allocator: OutputAllocator | None = None
    ) -> ChunkResult:
        """Read the columns of a chunk.

        Parameters
        ----------
        text_range : TextChunkRange
        most : int
            At most this many rows.
        allocator : OutputAllocator, optional
            Says where the results belong, so that they need no copy later; without one they come in arrays of
            their own, as they have to where the chunk is read in another process.
        """
        block, anomalies, footers = self._block(text_range, most, self._scratch())
        absent = self._absent(block)
        first = text_range.first_row(block.after, len(block))
        stop = text_range.start + len(text_range.data)
        reread = Reread(self, text_range.start, stop, text_range.last, most)
        number_blocks: list[NumberBlock] = []
        taken: set[int] = set()
        if block.reads_numbers:
            for at, group in enumerate(self.groups):
                output = None if first is None or allocator is None else allocator.numbers(at, first, len(block))
                number_blocks.append(number_block(block, group, output, absent, reread))
                taken.update(group.columns.tolist())
        chunks = {
            at: column_chunk(
                block,
                at,
                self._guesses[at],
                self._words[at],
                absent.get(at),
                partial(reread, at),
                self._output(allocator, at, first, len(block)),
            )
            for at in self.columns
            if at not in taken
        }
        return ChunkResult(
            chunks,
            number_blocks,
            block.lines,
            block.line_ends,
            block.after,
            anomalies,
            block.short,
            block.surplus,
            footers,
            reread,
        )

    def _output(
        self, allocator: OutputAllocator | None, column: int, first: int | None, rows: int
    ) -> OutputSlice | CodeOutput | None:
        """Return where some rows of a column belong."""
        if first is None or allocator is None:
            return None
        guess = self._guesses[column]
        return allocator.column(column, first, rows, None if guess is None else guess.parser)

    def fetched(self, start: int, stop: int, last: bool, most: int, column: int) -> list[TextChunk]:
        """Return a column of a chunk as text, read once more."""
        block, *_ = self._block(TextChunkRange(start, self._reread(start, stop), last), most)
        packed, codes = block.text(column)
        return [TextChunk(Text(*packed, codes), self._words[column], self._absent(block).get(column))]

    def _scratch(self) -> Scratch:
        """Return the memory that this thread uses for one chunk after the other."""
        if not hasattr(self._local, "scratch"):
            self._local.scratch = Scratch()
        return cast(Scratch, self._local.scratch)

    def _block(
        self, text_range: TextChunkRange, most: int, scratch: Scratch | None = None
    ) -> tuple[Block, Anomalies, list[str]]:
        header = self.header
        block = dispatch.kernels.split(
            text_range.data,
            header.dialect,
            header.read_width,
            single=header.single,
            last=text_range.last,
            most=most,
            scratch=scratch,
        )
        anomalies = Anomalies(blank=block.blank, stray=block.stray, unclosed=block.unclosed)
        footers: list[str] = []
        if self.guessing:
            empty = block.empty_rows(header.layout.quote) if header.read_width > 1 else []
            if empty:
                anomalies.empty = [int(block.lines[at]) for at in empty]
                block = block.without(empty)
            if text_range.last and block.after == len(text_range.data) and len(block) < most:
                footers, anomalies.footers = _take_footers(block, header, {*anomalies.blank, *anomalies.empty})
                block = block.without(range(len(block) - len(footers), len(block))) if footers else block
            if header.ruling:
                # A table that is ruled below its header may be ruled above a total, and below its last row.
                ruled = [at for at in block.begin_with(header.ruling) if is_ruling(block.row(at))]
                anomalies.ruled = [int(block.lines[at]) for at in ruled]
                block = block.without(ruled) if ruled else block
            if header.width > 1:
                anomalies.headers = _other_headers(block, header, [*anomalies.blank, *anomalies.empty])
            rows = [row[header.layout.nameless_first :] for row in header.rows if len(row) > 1]
            reread = [at for row in rows for at in block.begin_with(row[0]) if block.row(at) == row]
            if reread:
                pages = _repeated_titles(block, header, reread)
                anomalies.repeated = sorted(int(block.lines[at]) for at in reread)
                anomalies.pages = [int(block.lines[at]) for at in pages]
                block = block.without([*reread, *pages])
        return block, anomalies, footers

    def _absent(self, block: Block) -> dict[int, Mask]:
        """Return for each column that lacks cells, which."""
        absent: dict[int, Mask] = {}
        for row, width in block.short.items():
            for column in range(width, self.header.read_width):
                if column not in absent:
                    absent[column] = np.zeros(len(block), np.bool_)
                absent[column][row] = True
        return absent


def _other_headers(block: Block, header: Header, gaps: Sequence[int]) -> list[int]:
    """Return the lines below a gap, or below one title there, that look like the header of another table."""
    found = []
    for at in dict.fromkeys(np.searchsorted(block.lines, list(gaps)[:MOST_GAPS]).tolist()):
        below = [block.row(place) for place in range(at, min(at + 1 + SEEN_BELOW, len(block)))]
        lone = bool(below) and sum(map(bool, map(str.strip, below[0]))) == 1
        names, *rows = below[lone:] or [[]]
        if at and names not in header.rows and names_columns(names, rows):
            found.append(int(block.lines[at + lone]))
    return found


def _repeated_titles(block: Block, header: Header, headers: Sequence[int]) -> list[int]:
    """Return the rows above repeated headers that repeat the titles of the page too, whatever numbers they have."""
    titles = {_numberless(title) for title in header.titles}
    delimiter, found = header.layout.delimiter, []
    for at in headers:
        above = at - 1
        while above >= 0 and above >= at - MOST_FOOTERS:
            row = block.row(above)
            if _numberless(as_line(row, delimiter)) not in titles:
                break
            found.append(above)
            above -= 1
    return sorted(found)


def _numberless(text: str) -> str:
    return _DIGITS.sub("0", text.strip())


def _take_footers(block: Block, header: Header, blank: set[int]) -> tuple[list[str], list[int]]:
    """Find notes below the table: words in one field, at the very end."""
    count = 0
    for at in range(len(block) - 1, max(-1, len(block) - 1 - MOST_FOOTERS), -1):
        row = block.row(at)
        filled = [cell for cell in row if cell.strip()]
        below_gap = int(block.lines[at]) - 1 in blank
        # A single word in the last row may be a cut-off row; a sentence, or one after a gap, is not.
        message = below_gap or " " in row[0].strip() or _FRAME.fullmatch(row[0])
        word = len(filled) == 1 and row[0].strip() and kind_of(row[0]) == "word" and message
        # A row as wide as the table is one, unless it says that it is a note.
        apart = below_gap or len(row) != header.width or _NOTE.match(row[0])
        wide = header.width >= LEAST_FOOTED_WIDTH or (len(row) < header.width and _NOTE.match(row[0]))
        if not word or not wide or not apart:
            break
        count += 1
    delimiter = header.layout.delimiter
    rows = range(len(block) - count, len(block))
    return [as_line(block.row(at), delimiter) for at in rows], [int(block.lines[at]) for at in rows]
