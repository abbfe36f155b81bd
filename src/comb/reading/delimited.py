"""Delimited text becomes a table. Pure: bytes and layout in, table out."""

import csv
import io
import re
import threading
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from typing import cast

import numpy as np
from numpy.typing import NDArray

from comb.errors import ContentError, unknown_name
from comb.inference.declared import asked_reading
from comb.inference.gathered import Gathered
from comb.inference.infer import decide, decide_pieces, declared_pieces, infer_pieces, total_tally
from comb.inference.patterns import MOMENTS, Request, parse_request
from comb.inference.pieces import Guess, Piece, TextPiece, block_piece
from comb.inference.reader import Reading
from comb.inference.together import Batch, Group, Together, batch_of
from comb.inference.words import words_for
from comb.kernels import chosen
from comb.kernels.blocks import EVERYTHING, Block, Dialect, NumberForm, PlaceBlock, Room, Scratch, TextRoom
from comb.kernels.structure import LINE_END_BYTES, SPACES
from comb.kernels.tally import Count, Words
from comb.reading.dialect import SAMPLE_RECORDS, Layout, kind_of, unit_of
from comb.reading.runs import Run
from comb.tables.column import Column, Mask
from comb.tables.names import choose, unique_names
from comb.tables.text import Text
from comb.tables.types import STRING, TEXTUAL

# Notes below a table are few, and a table of one or two columns has none that can be told.
MOST_FOOTERS = 20
LEAST_FOOTED_WIDTH = 3

# No table made by people or programs for people is wider; a text without line ends is.
MOST_COLUMNS = 20_000

# How many fields rows have is seen in a sample of them, smaller where they are wide.
LEAST_SAMPLE = 20
SAMPLE_CELLS = 100_000

# Programs that print tables rule them below the header.
MOST_RULINGS = 3

# So many line numbers are named in a note; the rest is counted.
MOST_LINES_TOLD = 5

# Columns of fewer rows are not worth handing to several threads.
FEW_ROWS = 20_000

_RULING = re.compile(r"\s*[-=+]{3,}\s*")
_UNIT_IN_NAME = re.compile(r"[\[(]([^\[\]()]{1,15})[\])]\s*\Z")


@dataclass(slots=True)
class Irregular:
    """The lines on which something is irregular, by what it is; from 0."""

    blank: list[int] = field(default_factory=list)
    repeated: list[int] = field(default_factory=list)
    ruled: list[int] = field(default_factory=list)
    footers: list[int] = field(default_factory=list)
    stray: list[int] = field(default_factory=list)
    unclosed: list[int] = field(default_factory=list)


@dataclass(slots=True)
class Head:
    """What stands above the rows of a table.

    Attributes
    ----------
    layout : Layout
    titles, units : list of str
    names : list of str
        One for each column, before they are made unique.
    rows : list of list of str
        The lines of the header, as fields.
    width : int
        How many columns the table has.
    read_width : int
        How many fields most rows have, if that is more.
    single : bool
        Whether a blank line is a row.
    offset, lines : int
        Where the rows begin, in bytes and lines.
    irregular : Irregular
    """

    layout: Layout
    titles: list[str]
    units: list[str]
    names: list[str]
    rows: list[list[str]]
    width: int
    read_width: int
    single: bool
    offset: int
    lines: int
    irregular: Irregular

    @property
    def dialect(self) -> Dialect:
        """How records and fields are parted."""
        return Dialect(self.layout.delimiter, self.layout.quote, self.layout.escape)


def read_head(text: str, data: bytes, layout: Layout) -> Head:
    """Read what stands above the rows.

    Parameters
    ----------
    text : str
        The beginning of the text.
    data : bytes
        The same in UTF-8.
    layout : Layout
    """
    heads = layout.header + layout.units
    dialect = Dialect(layout.delimiter, layout.quote, layout.escape)
    found = chosen.records(text, dialect, layout.skip + heads + LEAST_SAMPLE)
    if max(map(len, found.fields), default=1) * SAMPLE_RECORDS <= SAMPLE_CELLS:
        found = chosen.records(text, dialect, layout.skip + heads + SAMPLE_RECORDS)
    start = sum(line <= layout.skip for line in found.lines)
    titles = [layout.delimiter.join(fields) for fields in found.fields[:start]]
    fields, lines = found.fields[start:], found.lines[start:]
    single = all(len(row) == 1 for row in fields[: heads + 1])
    kept = [at for at, row in enumerate(fields) if single or row != [""]]
    rulings = heads
    while rulings < min(len(kept), heads + MOST_RULINGS) and all(map(_RULING.fullmatch, fields[kept[rulings]])):
        rulings += 1
    ends = kept[rulings - 1] + 1 if rulings and rulings <= len(kept) else 0 if not rulings else len(fields)
    more = ends < len(lines)
    passed = lines[ends] - 1 if more else len(LINE_END_BYTES.findall(data))
    head = [["", *fields[at]] if layout.nameless_first else fields[at] for at in kept[: layout.header]]
    body = [fields[at] for at in kept[rulings:]]
    width = len(head[-1]) if head else _commonest_width(body)
    _check_width(width)
    names = _joined(head, width)
    above = range(layout.skip, passed)
    irregular = Irregular(
        blank=[] if single else [lines[at] - 1 for at in range(ends) if fields[at] == [""]],
        ruled=[lines[at] - 1 for at in kept[heads:rulings]],
        stray=[line - 1 for line in found.stray if line - 1 in above],
        unclosed=[line - 1 for line in found.unclosed if line - 1 in above],
    )
    units = _units(fields[kept[layout.header]] if layout.units and len(kept) > layout.header else [], names)
    titles = [title for title in titles if title.strip()]
    read_width = max(width, _commonest_width(body)) if body else width
    _check_width(read_width)
    offset = _offset_of(data, passed) if more else len(data)
    return Head(layout, titles, units, names, head, width, read_width, single, offset, passed, irregular)


def _check_width(width: int) -> None:
    if width > MOST_COLUMNS:
        raise ContentError(
            f"expected at most {MOST_COLUMNS:,} columns, came {width:,}",
            remedy="is this the right delimiter? Line ends may be missing; give another with delimiter=...",
        )


def _offset_of(data: bytes, lines: int) -> int:
    """Return where a line begins, in bytes."""
    offset = 0
    for _, match in zip(range(lines), LINE_END_BYTES.finditer(data), strict=False):
        offset = match.end()
    return offset


def _joined(head: list[list[str]], width: int) -> list[str]:
    """Make one name for each column of one or two lines of header.

    An upper heading spreads over the gaps to its right, as merged cells leave them.
    """
    if not head:
        return [""] * width
    parts = []
    for row in head[:-1]:
        spread, last = [], ""
        for cell in [*row, *[""] * (width - len(row))][:width]:
            last = cell.strip() or last
            spread.append(last)
        parts.append(spread)
    columns = zip(*parts, head[-1], strict=True)
    return [" ".join(" ".join(column).split()) for column in columns]


def _units(row: list[str], names: list[str]) -> list[str]:
    """Return the unit of each column: from the line of units, else from brackets in its name."""
    given = [unit_of(cell) for cell in row] + [""] * len(names)
    in_names = [_UNIT_IN_NAME.search(name) for name in names]
    return [given[at] or (match[1] if match else "") for at, match in enumerate(in_names)]


def _commonest_width(rows: Sequence[Sequence[str]]) -> int:
    widths = Counter(map(len, rows))
    return max(widths, key=lambda width: (widths[width], width), default=1)


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which columns are wanted, and how.

    Attributes
    ----------
    missing : collection of str, optional
        Words for missing, in all columns; by default the known ones, where a column
        is not text.
    types : mapping of str to str, or str, optional
        Types declared by column, or one for all.
    columns : sequence of str, optional
        Selectors of the columns wanted.
    guessing : bool
        Whether notes below the table, repeated headers and trailing delimiters are
        looked for; not where a schema says what the table is.
    nulls : mapping of str to collection of str
        Words for missing in single columns.
    """

    missing: Collection[str] | None = None
    types: Mapping[str, str | Request] | str | None = None
    columns: Sequence[str] | None = None
    guessing: bool = True
    nulls: Mapping[str, Collection[str]] = field(default_factory=dict)

    def declared(self, names: Sequence[str]) -> dict[str, str | Request]:
        """Return the types declared, by name."""
        return dict.fromkeys(names, self.types) if isinstance(self.types, str) else dict(self.types or {})

    def words(self, name: str, declared: str | Request | None) -> Words:
        """Return the words that matter in a column."""
        if name in self.nulls:
            return words_for(self.nulls[name], known=False)
        string = declared is not None and parse_request(declared).word in TEXTUAL
        return words_for(self.missing, known=self.missing is None and not string)


@dataclass(slots=True)
class Part:
    """The columns of one run.

    Attributes
    ----------
    pieces : dict of int to Piece
        By column.
    batches : list of Batch
        The columns that are read together, by group.
    lines : int array
        The line of each row, from 0 at the beginning of the run.
    line_ends, after : int
        How far the run was read, in lines and bytes.
    irregular : Irregular
    short : dict of int to int
        Rows with too few fields, and how many they have.
    surplus : dict of int to list of str
        Rows with fields beyond those that were read.
    footers : list of str
        Notes below the table.
    """

    pieces: dict[int, Piece]
    batches: list[Batch]
    lines: NDArray[np.integer]
    line_ends: int
    after: int
    irregular: Irregular
    short: dict[int, int]
    surplus: dict[int, list[str]]
    footers: list[str]


class Reader:
    """Reads the runs of one text; may be asked by several threads at once.

    Parameters
    ----------
    head : Head
    wanted : Wanted
    again : callable
        Fetches the bytes between two places once more, as counted by the runs.
    """

    def __init__(self, head: Head, wanted: Wanted, again: Callable[[int, int], bytes]) -> None:
        self.head = head
        self.wanted = wanted
        self._again = again
        self.columns = self._columns()
        names = unique_names(head.names)
        declared = wanted.declared(names)
        self._declared = [declared.get(name) for name in names] + [None] * (head.read_width - head.width)
        titles = [*names, *[""] * (head.read_width - head.width)]
        self._words = [wanted.words(name, one) for name, one in zip(titles, self._declared, strict=True)]
        self._guesses: list[Guess | None] = [None] * head.read_width
        self.groups: list[Group] = []
        # What was read already, where later values may be put at once.
        self.so_far: Total | None = None
        self._local = threading.local()

    def _columns(self) -> list[int]:
        """Return the columns to read: those wanted, and those that tell whether lines end with a delimiter."""
        head, everything = self.head, list(range(self.head.read_width))
        names = unique_names([*head.names, ""])
        if self.wanted.columns is None:
            return everything
        chosen_names = set(choose(self.wanted.columns, dict.fromkeys(names, STRING)))
        return [at for at in everything if at >= head.width - 1 or names[at] in chosen_names]

    def guess(self, run: Run) -> None:
        """Guess from the first run how each column is best read; a wrong guess costs time only."""
        block, *_ = self._block(run, max(LEAST_SAMPLE, min(SAMPLE_RECORDS, SAMPLE_CELLS // self.head.read_width)))
        together: dict[Words, list[tuple[int, Guess, NumberForm]]] = {}
        for at in self.columns:
            declared = self._declared[at]
            if declared is not None and parse_request(declared).word in ("string", "json", "category"):
                continue
            reading = self._likely(block, at)
            form = None if reading is None else reading.form
            if reading is None or form is None:
                continue
            self._guesses[at] = Guess(reading, form)
            if isinstance(form, NumberForm):
                together.setdefault(self._words[at], []).append((at, Guess(reading, form), form))
        for words, found in together.items() if isinstance(block, PlaceBlock) else ():
            columns, guesses, forms = zip(*found, strict=True)
            self.groups.append(Group(np.array(columns, np.int64), guesses, forms, words))

    def _likely(self, block: Block, column: int) -> Reading | None:
        """Return how the cells of a column are likely to be read; None for text."""
        words, declared = self._words[column], self._declared[column]
        found = decide(block.tally(column, words))
        moment = declared is not None and parse_request(declared).word in MOMENTS
        if not moment and (found.reading is not None or not found.open or declared is not None):
            return found.reading
        packed, codes = block.text(column)
        piece = TextPiece(Text(*packed, codes), words)
        if declared is not None and moment:
            return asked_reading(parse_request(declared), [piece], None)
        return decide_pieces([piece])[0]

    def read(self, run: Run, most: int = EVERYTHING) -> Part:
        """Read the columns of a run."""
        block, irregular, footers = self._block(run, most, self._scratch())
        absent = self._absent(block)
        first = run.first_row(block.after, len(block))
        again = partial(self._fetched, run.start, run.start + len(run.data), run.last, most)
        batches: list[Batch] = []
        taken: set[int] = set()
        if isinstance(block, PlaceBlock):
            for at, group in enumerate(self.groups):
                rooms = None if first is None or not self.so_far else self.so_far.groups[at].rooms(first, len(block))
                batches.append(batch_of(block, group, rooms, absent, again))
                taken.update(group.columns.tolist())
        pieces = {
            at: block_piece(
                block,
                at,
                self._guesses[at],
                self._words[at],
                absent.get(at),
                partial(again, at),
                self._room(at, first, len(block)),
            )
            for at in self.columns
            if at not in taken
        }
        return Part(
            pieces, batches, block.lines, block.line_ends, block.after, irregular, block.short, block.surplus, footers
        )

    def _room(self, column: int, first: int | None, rows: int) -> Room | TextRoom | None:
        """Return where some rows of a column belong."""
        gathered = None if first is None or self.so_far is None else self.so_far.columns.get(column)
        guess = self._guesses[column]
        if gathered is None or first is None:
            return None
        return gathered.room(first, rows, None if guess is None else guess.reading)

    def _fetched(self, start: int, stop: int, last: bool, most: int, column: int) -> list[TextPiece]:
        """Return a column of a run as text, read once more."""
        block, *_ = self._block(Run(start, self._again(start, stop), last), most)
        packed, codes = block.text(column)
        return [TextPiece(Text(*packed, codes), self._words[column], self._absent(block).get(column))]

    def _scratch(self) -> Scratch:
        """Return the memory that this thread uses for one run after the other."""
        if not hasattr(self._local, "scratch"):
            self._local.scratch = Scratch()
        return cast(Scratch, self._local.scratch)

    def _block(self, run: Run, most: int, scratch: Scratch | None = None) -> tuple[Block, Irregular, list[str]]:
        head = self.head
        block = chosen.split(
            run.data, head.dialect, head.read_width, single=head.single, last=run.last, most=most, scratch=scratch
        )
        irregular = Irregular(blank=block.blank, stray=block.stray, unclosed=block.unclosed)
        footers: list[str] = []
        if self.wanted.guessing:
            if run.last and block.after == len(run.data) and len(block) < most:
                footers, irregular.footers = _take_footers(block, head)
                block = block.without(range(len(block) - len(footers), len(block))) if footers else block
            rows = [row[head.layout.nameless_first :] for row in head.rows if len(row) > 1]
            again = [at for row in rows for at in block.begin_with(row[0]) if block.row(at) == row]
            if again:
                irregular.repeated = sorted(int(block.lines[at]) for at in again)
                block = block.without(again)
        return block, irregular, footers

    def _absent(self, block: Block) -> dict[int, Mask]:
        """Return for each column that lacks cells, which."""
        absent: dict[int, Mask] = {}
        for row, width in block.short.items():
            for column in range(width, self.head.read_width):
                if column not in absent:
                    absent[column] = np.zeros(len(block), np.bool_)
                absent[column][row] = True
        return absent


def _take_footers(block: Block, head: Head) -> tuple[list[str], list[int]]:
    """Find notes below the table: words in one field, at the very end."""
    count = 0
    blank = set(block.blank)
    for at in range(len(block) - 1, max(-1, len(block) - 1 - MOST_FOOTERS), -1):
        row = block.row(at)
        filled = [cell for cell in row if cell.strip()]
        below_gap = int(block.lines[at]) - 1 in blank
        # A single word in the last row may be a cut-off row; a sentence, or one after a gap, is not.
        told = below_gap or " " in row[0].strip()
        word = len(filled) == 1 and row[0].strip() and kind_of(row[0]) == "word" and told
        if not word or head.width < LEAST_FOOTED_WIDTH or (len(row) == head.width and not below_gap):
            break
        count += 1
    delimiter = head.layout.delimiter
    rows = range(len(block) - count, len(block))
    return [delimiter.join(block.row(at)).rstrip(delimiter) for at in rows], [int(block.lines[at]) for at in rows]


@dataclass(slots=True)
class Grid:
    """The columns of a delimited text, all of one length, before they have their types.

    Attributes
    ----------
    names : list of str
    pieces : dict of str to list of Piece
        The columns that were read, by name.
    lines : int array
        The line each row began on, from 1.
    titles, footers : list of str
        The lines above the header and below the last row.
    units : dict of str to str
        The unit of each column, where a header or a line of units names one.
    notes : list of str
        What was irregular.
    """

    names: list[str]
    pieces: dict[str, list[Piece]]
    lines: NDArray[np.integer]
    titles: list[str]
    footers: list[str]
    units: dict[str, str]
    notes: list[str]

    def __len__(self) -> int:
        return len(self.lines)


def grid_of(reader: Reader, parts: Iterable[Part], expected: Callable[[Part], int]) -> Grid:
    """Put the parts of a text together.

    Parameters
    ----------
    reader : Reader
    parts : iterable of Part
        In order; they are let go one after the other.
    expected : callable
        Says, when the first part is there, how many rows are likely in all.

    Returns
    -------
    Grid
        Short rows have absent cells; what a long row has too many stands in one
        further column; what is no row of the table is noted.
    """
    head = reader.head
    total = Total(head, reader.groups, expected)
    for part in parts:
        total.add(part)
        reader.so_far = total
    names = unique_names(head.names)
    pieces = {at: total.pieces(at) for at in reader.columns}
    kept, trailing = head.width, False
    if reader.wanted.guessing:
        kept, trailing = _width_kept(total, pieces, head)
    grid = Grid(
        names[:kept], {names[at]: pieces[at] for at in reader.columns if at < kept}, total.all_lines(), [], [], {}, []
    )
    grid.titles, grid.footers = head.titles, total.footers
    grid.units = dict(zip(names, head.units, strict=False))
    if head.layout.nameless_first:
        grid.notes.append(f"the header names all columns but the first, which is {names[0]}")
    _note_irregular(grid, total, trailing=trailing)
    if not trailing:
        _add_surplus(grid, total, pieces, head)
    short = [row for row, width in total.short.items() if width < kept]
    _note(grid, grid.lines[short].tolist(), "{} with too few cells, the others are absent", "row")
    _note_lines(grid, total.irregular.stray, "{} with a quote inside a field, read as an ordinary character", "row")
    unclosed = "{} with a quote that never closes, read as an ordinary character"
    _note_lines(grid, total.irregular.unclosed, unclosed, "row")
    if reader.wanted.columns is not None:
        wanted = choose(reader.wanted.columns, dict.fromkeys(grid.names, STRING))
        grid.pieces = {name: grid.pieces[name] for name in wanted}
    return grid


class Total:
    """The parts of a text, added up."""

    def __init__(self, head: Head, groups: Sequence[Group], expected: Callable[[Part], int]) -> None:
        self.irregular = head.irregular
        self.columns: dict[int, Gathered] = {}
        self.groups: list[Together] = []
        self._of_groups = groups
        self._expected = expected
        self.lines: list[NDArray[np.integer]] = []
        self.short: dict[int, int] = {}
        self.surplus: dict[int, list[str]] = {}
        self.footers: list[str] = []
        self.rows = 0
        self._passed = head.lines

    def add(self, part: Part) -> None:
        """Add the next part."""
        if not self.columns and not self.groups:
            rows = self._expected(part)
            self.columns = {at: Gathered(rows) for at in part.pieces}
            self.groups = [Together(group, rows) for group, _ in zip(self._of_groups, part.batches, strict=False)]
        for at, piece in part.pieces.items():
            self.columns[at].add(piece)
        for together, batch in zip(self.groups, part.batches, strict=True):
            together.add(batch)
        self.lines.append((part.lines + (self._passed + 1)).astype(np.int32))
        for name in Irregular.__slots__:
            getattr(self.irregular, name).extend(line + self._passed for line in getattr(part.irregular, name))
        self.short.update((row + self.rows, width) for row, width in part.short.items())
        self.surplus.update((row + self.rows, cells) for row, cells in part.surplus.items())
        self.footers += part.footers
        self.rows += len(part.lines)
        self._passed += part.line_ends

    def pieces(self, column: int) -> list[Piece]:
        """Return the pieces of a column."""
        for together in self.groups:
            if column in together:
                return together.pieces(column)
        return self.columns[column].pieces() if column in self.columns else []

    def all_lines(self) -> NDArray[np.integer]:
        """Return the line of each row, from 1."""
        return np.concatenate(self.lines) if self.lines else np.zeros(0, np.int32)


def _width_kept(total: Total, pieces: dict[int, list[Piece]], head: Head) -> tuple[int, bool]:
    """Return how many columns are kept, and whether the last was made by delimiters at line ends only."""

    def blank(first: int) -> bool:
        columns = [pieces[at] for at in range(first, head.read_width) if pieces[at]]
        filled = (total_tally(column) for column in columns)
        here = all(int(tally[Count.OTHER] + tally[Count.KNOWN] + tally[Count.GIVEN]) == 0 for tally in filled)
        return here and not any(cell.strip() for cells in total.surplus.values() for cell in cells)

    longest = max(map(len, total.surplus.values()), default=0) + head.read_width
    if total.rows and len(total.short) == total.rows:
        longest = max(total.short.values())
    if head.width > 1 and not head.names[-1] and blank(head.width - 1):
        return head.width - 1, True
    if longest == head.width + 1 and blank(head.width):
        return head.width, True
    return head.width, False


def _note_irregular(grid: Grid, total: Total, *, trailing: bool) -> None:
    """Note what was taken for no row of the table."""
    found = total.irregular
    _note_lines(grid, found.footers, "{} below the table taken for notes", "line")
    _note_lines(grid, found.repeated, "{} that repeats the header left out", "row")
    _note_lines(grid, found.ruled, "{} of dashes left out", "line")
    if trailing:
        grid.notes.append("lines end with a delimiter; the empty last column is left out")
    _note_lines(grid, found.blank, "{} left out", "blank line")


def _add_surplus(grid: Grid, total: Total, pieces: dict[int, list[Piece]], head: Head) -> None:
    """Move what rows have too much into a further column."""
    surplus = {row: list(cells) for row, cells in total.surplus.items()}
    if head.read_width > head.width:
        beyond = [_strings(pieces[at]) for at in range(head.width, head.read_width)]
        for row in range(total.rows):
            width = total.short.get(row, head.read_width)
            if width > head.width:
                cells = [column[row] for column in beyond[: width - head.width]]
                surplus[row] = cells + surplus.get(row, [])
    if not surplus:
        return
    absent = np.ones(total.rows, np.bool_)
    absent[list(surplus)] = False
    texts = [_rejoined(surplus.get(row, []), head.layout.delimiter) for row in range(total.rows)]
    name = unique_names([*grid.names, ""])[-1]
    grid.names.append(name)
    words = pieces[head.width - 1][0].words
    grid.pieces[name] = [TextPiece(Text.from_strings(texts), words, absent)]
    told = f"{{}} with too many cells, the rest stands in {name}"
    _note(grid, grid.lines[sorted(surplus)].tolist(), told, "row")


def _strings(pieces: list[Piece]) -> list[str]:
    texts = (piece.read(None).values for piece in pieces)
    return [text for part in texts if isinstance(part, Text) for text in part.to_list()]


def _rejoined(cells: list[str], delimiter: str) -> str:
    """Write surplus cells as one text from which they can be told apart again."""
    if len(cells) < 2:
        return "".join(cells)
    line = io.StringIO()
    csv.writer(line, delimiter=" " if delimiter == SPACES else delimiter[0], lineterminator="").writerow(cells)
    return line.getvalue()


def _note_lines(grid: Grid, lines: list[int], what: str, noun: str) -> None:
    """Note an irregularity with its lines, which are counted from 0 here."""
    _note(grid, [line + 1 for line in lines], what, noun)


def _note(grid: Grid, lines: list[int], what: str, noun: str) -> None:
    """Note an irregularity with the lines it stands in; ``{}`` takes their number."""
    if lines:
        told = ", ".join(f"{line:,}" for line in lines[:MOST_LINES_TOLD])
        more = f" and {len(lines) - MOST_LINES_TOLD:,} more" if len(lines) > MOST_LINES_TOLD else ""
        plural = "" if len(lines) == 1 else "s"
        count = f"{len(lines):,} {noun}{plural}"
        grid.notes.append(f"{what.format(count)}: line{plural} {told}{more}")


def type_columns(grid: Grid, wanted: Wanted, threads: int = 1) -> dict[str, Column]:
    """Give the columns of a grid their types; the pieces are let go one column after the other.

    Parameters
    ----------
    grid : Grid
    wanted : Wanted
    threads : int
        So many columns are worked on at once.

    Raises
    ------
    ContentError
        If a declared type names a column that is not there.
    """
    declared = wanted.declared(grid.names)
    for name in declared:
        if name not in grid.names:
            what, remedy = unknown_name("column", name, grid.names)
            raise ContentError(f"a type is declared, but {what}", remedy=remedy)

    def typed(name: str) -> Column:
        pieces, request = grid.pieces.pop(name), declared.get(name)
        pieces = pieces or [TextPiece(Text.from_strings([]), wanted.words(name, request))]
        column = infer_pieces(pieces) if request is None else declared_pieces(pieces, parse_request(request))
        return column.replace(description=grid.units[name]) if grid.units.get(name) else column

    names = list(grid.pieces)
    if threads == 1 or len(grid) < FEW_ROWS:
        return {name: typed(name) for name in names}
    with ThreadPoolExecutor(threads) as pool:
        return dict(zip(names, pool.map(typed, names), strict=True))
