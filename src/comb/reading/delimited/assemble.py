"""Put the chunks of a text together and give the columns their types. Pure.

A `ColumnAssembler` adds one `ChunkResult` after the other. Each column grows in a builder of `comb.chunks`; columns
that are read together grow in one. It is also the allocator of what the readers write: asked for a slice of the
result, it passes the question on to the builder of that column. Before the first chunk was added it does not know
how much memory to take, and answers None.

When all chunks are there they become a `RawTable`: names, the chunks of each column, the line of every row, and
notes on what was not as it should be. Lines are counted from 0 at the beginning of each chunk and from 1 in what is
said.

Rows that are too short have absent cells. What a row has beyond its columns goes into one further column. A last
column without a name and without a cell was made by delimiters at the line ends, and is left out with a note.

`type_columns` then decides the type of each column, several columns at a time, and lets its chunks go.
"""

import io
from collections.abc import Callable, Sequence

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from comb.chunks.column_builder import ColumnBuilder, GrowableArray
from comb.chunks.column_chunk import ColumnChunk, TextChunk
from comb.chunks.column_source import ColumnSource
from comb.chunks.number_block_builder import NumberBlockBuilder, NumberColumns
from comb.errors import ContentError, unknown_name
from comb.execution.ordered import in_order
from comb.execution.storage import MEMORY, Storage
from comb.inference.decide import declared_source, headed_source, infer_source
from comb.inference.shared_marks import is_open, shared_decimal_mark
from comb.kernels.blocks import BatchOutput, CodeOutput, OutputSlice
from comb.kernels.types import SPACES, TallySlot
from comb.parsing.cell_parser import CellParser
from comb.parsing.headings import day_pattern_of
from comb.reading.column_rules import ColumnRules
from comb.reading.delimited.chunk_reader import ChunkReader, ChunkResult
from comb.reading.delimited.header import Anomalies, Header
from comb.tables.column import Column
from comb.tables.names import choose, unique_names
from comb.tables.origin import SourceAccount
from comb.tables.stored import stored_column
from comb.tables.text import Text
from comb.tables.types import STRING

# This many line numbers are named in a note; the rest is counted.
MOST_LINES_LISTED = 5

# Columns of fewer rows are not worth handing to several threads.
FEW_ROWS = 20_000


class RawTable(msgspec.Struct):
    """The columns of a delimited text, all of one length, before they have their types.

    Attributes
    ----------
    names : list of str
    columns : dict of str to list of ColumnChunk
        The columns that were read, by name.
    lines : int array
        The line each row began on, from 1.
    titles, footers : list of str
        The lines above the header and below the last row.
    descriptions : dict of str to str
        The unit of each column, where a header or a line of units names one, and its label.
    notes : list of str
        What was irregular.
    account : SourceAccount
        What became of the lines.
    """

    names: list[str]
    columns: dict[str, list[ColumnChunk]]
    lines: NDArray[np.integer]
    titles: list[str]
    footers: list[str]
    descriptions: dict[str, str]
    notes: list[str]
    account: SourceAccount

    def __len__(self) -> int:
        return len(self.lines)


def assemble(reader: ChunkReader, assembler: "ColumnAssembler") -> RawTable:
    """Make a raw table of all chunks of a text.

    Parameters
    ----------
    reader : ChunkReader
    assembler : ColumnAssembler
        To which all chunks were added.

    Returns
    -------
    RawTable
        Short rows have absent cells; the extra cells of long rows are in one
        further column; what is not a row of the table is noted.
    """
    header = reader.header
    names = unique_names(header.names)
    chunks = {at: assembler.chunks(at) for at in reader.columns}
    kept, trailing = header.width, False
    # A schema says how many columns there are.
    if reader.guessing:
        kept, trailing = _width_kept(assembler, chunks, header)
    lines = assembler.all_lines()
    # In a frame, as consoles and marked-up text have it, lines begin with the delimiter too.
    framed = trailing and kept > 1 and header.layout.delimiter == FRAME and not header.names[0]
    framed = framed and _is_blank([chunks.get(0, [])])
    raw_table = RawTable(
        names[framed:kept],
        {names[at]: chunks[at] for at in reader.columns if framed <= at < kept},
        lines,
        [],
        [],
        {},
        [],
        _account(header, assembler, lines),
    )
    raw_table.titles, raw_table.footers = header.titles, assembler.footers
    labels = header.labels or [""] * len(names)
    parts = zip(labels, header.units, strict=False)
    descriptions = ["; ".join(filter(None, part)) for part in parts]
    raw_table.descriptions = dict(zip(names, descriptions, strict=False))
    if header.label_lines:
        below = "line below the header has" if header.label_lines == 1 else "lines below the header have"
        raw_table.notes.append(f"the {below} a label for each column, read as its description (header=0: as rows)")
    if header.layout.units:
        raw_table.notes.append("the line below the header gives units, read as descriptions of the columns")
    if header.layout.doubt:
        raw_table.notes.append(header.layout.doubt)
    if header.layout.nameless_first:
        raw_table.notes.append(f"the header names all columns but the first, which is {names[0]}")
    _note_irregular(raw_table, assembler, trailing=trailing, framed=framed, above=header.table_above)
    # An empty field behind the last delimiter is no surplus.
    if not trailing:
        _add_surplus(raw_table, assembler, chunks, header)
    short = [row for row, width in assembler.short.items() if width < kept]
    _note(
        raw_table, raw_table.lines[short].tolist(), "{} with too few cells, the missing ones are marked absent", "row"
    )
    _note_lines(
        raw_table, assembler.anomalies.stray, "{} with a quote inside a field, read as an ordinary character", "row"
    )
    unclosed = "{} with a quote that never closes, read as an ordinary character"
    _note_lines(raw_table, assembler.anomalies.unclosed, unclosed, "row")
    if reader.rules.options.columns is not None:
        wanted = choose(reader.rules.options.columns, dict.fromkeys(raw_table.names, STRING))
        raw_table.columns = {name: raw_table.columns[name] for name in wanted}
    return raw_table


# The delimiter of tables in a frame.
FRAME = "|"

# What a line can be, beside a row.
_LINE_KINDS = (
    "above the header", "of the header", "of units", "blank", "of dashes", "of delimiters only", "repeating the header",
    "repeating a title", "of notes below", "going on with the row above",
)  # fmt: skip


_ROW = len(_LINE_KINDS) + 1


def _account(header: Header, assembler: "ColumnAssembler", lines: NDArray[np.integer]) -> SourceAccount:
    """Say what became of every line that was read.

    Each line gets a mark for what begins on it. A line on which nothing begins goes on with the row or note above it,
    as quoted line ends make it; anywhere else it is not accounted for.
    """
    found = assembler.anomalies
    begin = max(header.lines, header.above + header.layout.header)
    last = int(lines[-1]) if len(lines) else 0
    total = max(assembler.passed, begin, last)
    kinds = dict(enumerate((found.blank, found.ruled, found.empty, found.repeated, found.pages, found.footers), 4))
    # Marks are places in `_LINE_KINDS`, from 1; lines above the rows are few, and marked one by one.
    head = np.full(begin, 2, np.uint8)
    head[: header.above] = 1
    for mark, places in kinds.items():
        head[[place for place in places if place < begin]] = mark
    # Below them only what is no row is listed, so that no array of all lines is needed in the usual case.
    counts = np.bincount(head, minlength=len(_LINE_KINDS) + 1)
    for mark, places in kinds.items():
        counts[mark] += sum(place >= begin for place in places)
    others = int(counts[4:].sum() - np.count_nonzero(head > 3))
    bare = total - begin - len(lines) - others
    if bare > 0:
        # With nothing but rows below the header, whatever begins nothing goes on with a row.
        only_rows = not others and len(lines) > 0 and int(lines[0]) == begin + 1
        counts[10] = bare if only_rows else _going_on(lines, kinds, head, total)
    left_out = dict(zip(_LINE_KINDS, counts[1:].tolist(), strict=True))
    left_out["of the header"] -= header.unit_lines + header.label_lines
    left_out["of units"] += header.unit_lines
    left_out["of labels"] = header.label_lines
    return SourceAccount("line", total, len(lines), {what: count for what, count in left_out.items() if count})


def _going_on(lines: NDArray[np.integer], kinds: dict[int, list[int]], head: NDArray[np.uint8], total: int) -> int:
    """Count the lines that begin nothing and are below a row, or below a note or header among the rows."""
    marks = np.zeros(total, np.uint8)
    marks[: len(head)] = head
    marks[lines - 1] = _ROW
    for mark, places in kinds.items():
        marks[[place for place in places if place < total]] = mark
    # Lines of one gap all go on with what is above the first of them.
    bare = np.flatnonzero(marks == 0)
    first = np.diff(bare, prepend=-2) != 1
    above = marks[np.maximum(bare[first] - 1, 0)][np.cumsum(first) - 1]
    return int(np.count_nonzero(np.isin(above, (_ROW, 7, 8, 9))))


class ColumnAssembler:
    """The parts of a text, added up."""

    def __init__(
        self,
        header: Header,
        groups: Sequence[NumberColumns],
        expected: Callable[[ChunkResult], int],
        storage: Storage = MEMORY,
    ) -> None:
        self._storage = storage
        self.anomalies = header.anomalies
        self.columns: dict[int, ColumnBuilder] = {}
        self.groups: list[NumberBlockBuilder] = []
        self._of_groups = groups
        self._expected = expected
        self.lines: GrowableArray | None = None
        self.short: dict[int, int] = {}
        self.surplus: dict[int, list[str]] = {}
        self.footers: list[str] = []
        self.rows = 0
        self.passed = header.lines

    def add(self, result: ChunkResult) -> None:
        """Add the next part."""
        # The first chunk says how many rows to expect, and which columns went apart from the groups.
        if not self.columns and not self.groups:
            rows, storage = self._expected(result), self._storage
            self.columns = {at: ColumnBuilder(rows, storage) for at in result.chunks}
            self.groups = [
                NumberBlockBuilder(group, rows, storage)
                for group, _ in zip(self._of_groups, result.number_blocks, strict=False)
            ]
        for at, chunk in result.chunks.items():
            self.columns[at].add(chunk)
        for block, number_block in zip(self.groups, result.number_blocks, strict=True):
            block.add(number_block)
        if self.lines is None:
            self.lines = GrowableArray(np.int32, self._expected(result), self._storage)
        # Chunks count lines and rows from 0 of their own; what came before is added to each.
        self.lines.add((result.lines + (self.passed + 1)).astype(np.int32))
        for name in Anomalies.__struct_fields__:
            getattr(self.anomalies, name).extend(line + self.passed for line in getattr(result.anomalies, name))
        self.short.update((row + self.rows, width) for row, width in result.short.items())
        self.surplus.update((row + self.rows, cells) for row, cells in result.surplus.items())
        self.footers += result.footers
        self.rows += len(result.lines)
        self.passed += result.line_ends

    def numbers(self, group: int, first: int, rows: int) -> BatchOutput | None:
        """Return where rows of the columns of a group belong; None before the first chunk was added."""
        return self.groups[group].outputs(first, rows) if self.groups else None

    def column(self, column: int, first: int, rows: int, parser: CellParser | None) -> OutputSlice | CodeOutput | None:
        """Return where rows of a column belong; None before the first chunk was added."""
        builder = self.columns.get(column)
        return None if builder is None else builder.output(first, rows, parser)

    def chunks(self, column: int) -> list[ColumnChunk]:
        """Return the chunks of a column."""
        for block in self.groups:
            if column in block:
                return block.chunks(column)
        return self.columns[column].chunks() if column in self.columns else []

    def all_lines(self) -> NDArray[np.integer]:
        """Return the line of each row, from 1."""
        return np.zeros(0, np.int32) if self.lines is None else self.lines.array()


def _width_kept(assembler: ColumnAssembler, chunks: dict[int, list[ColumnChunk]], header: Header) -> tuple[int, bool]:
    """Return how many columns are kept, and whether the last was made by delimiters at line ends only."""

    def blank(first: int) -> bool:
        here = _is_blank([chunks[at] for at in range(first, header.read_width)])
        return here and not any(cell.strip() for cells in assembler.surplus.values() for cell in cells)

    longest = max(map(len, assembler.surplus.values()), default=0) + header.read_width
    # Where every row is short, the longest of them tells.
    if assembler.rows and len(assembler.short) == assembler.rows:
        longest = max(assembler.short.values())
    # The header ends with the delimiter too; or only the rows do.
    if header.width > 1 and not header.names[-1] and blank(header.width - 1):
        return header.width - 1, True
    if longest == header.width + 1 and blank(header.width):
        return header.width, True
    return header.width, False


def _is_blank(columns: Sequence[list[ColumnChunk]]) -> bool:
    """Return whether no cell of some columns holds anything."""
    filled = (ColumnSource(column).tally() for column in columns if column)
    return all(int(tally[TallySlot.OTHER] + tally[TallySlot.KNOWN] + tally[TallySlot.GIVEN]) == 0 for tally in filled)


def _note_irregular(
    raw_table: RawTable, assembler: ColumnAssembler, *, trailing: bool, framed: bool, above: tuple[int, int] | None
) -> None:
    """Note what was taken for no row of the table."""
    found = assembler.anomalies
    _note_lines(raw_table, found.footers, "{} below the table treated as notes", "line")
    _note_lines(raw_table, found.repeated, "{} repeating the header, left out", "row")
    _note_lines(raw_table, found.pages, "{} repeating a title, left out", "row")
    _note_lines(raw_table, found.empty, "{} of delimiters only left out", "line")
    _note_lines(raw_table, found.ruled, "{} of dashes left out", "line")
    if framed:
        raw_table.notes.append("lines begin and end with a delimiter; the empty first and last columns are left out")
    elif trailing:
        raw_table.notes.append("lines end with a delimiter; the empty last column is left out")
    _note_lines(raw_table, found.blank, "{} left out", "blank line")
    each = "load_all(table='*') reads each, inspect with --plan lists them"
    if above is not None:
        raw_table.notes.append(
            f"lines {above[0]} to {above[1]} above the header look like a table of their own; {each}"
        )
    _note_lines(raw_table, found.headers, f"{{}} that may be of another table, below a gap; {each}", "header")


def _add_surplus(
    raw_table: RawTable, assembler: ColumnAssembler, chunks: dict[int, list[ColumnChunk]], header: Header
) -> None:
    """Move what rows have too much into a further column."""
    surplus = {row: list(cells) for row, cells in assembler.surplus.items()}
    if header.read_width > header.width:
        # Fields that most rows have and the header does not name were read as columns, and are surplus as well.
        beyond = [_strings(chunks[at]) for at in range(header.width, header.read_width)]
        for row in range(assembler.rows):
            width = assembler.short.get(row, header.read_width)
            if width > header.width:
                cells = [column[row] for column in beyond[: width - header.width]]
                surplus[row] = cells + surplus.get(row, [])
    if not surplus:
        return
    absent = np.ones(assembler.rows, np.bool_)
    absent[list(surplus)] = False
    texts = [_rejoined(surplus.get(row, []), header.layout.delimiter) for row in range(assembler.rows)]
    name = unique_names([*raw_table.names, ""])[-1]
    raw_table.names.append(name)
    words = chunks[header.width - 1][0].words
    raw_table.columns[name] = [TextChunk(Text.from_strings(texts), words, absent)]
    message = f"{{}} with too many cells, the extra cells are in {name}"
    _note(raw_table, raw_table.lines[sorted(surplus)].tolist(), message, "row")


def _strings(chunks: list[ColumnChunk]) -> list[str]:
    texts = (chunk.parse(None).values for chunk in chunks)
    return [text for result in texts if isinstance(result, Text) for text in result.to_list()]


def _rejoined(cells: list[str], delimiter: str) -> str:
    """Write surplus cells as one text from which they can be told apart again."""
    if len(cells) < 2:
        return "".join(cells)
    import csv

    line = io.StringIO()
    csv.writer(line, delimiter=" " if delimiter == SPACES else delimiter[0], lineterminator="").writerow(cells)
    return line.getvalue()


def _note_lines(raw_table: RawTable, lines: list[int], what: str, noun: str) -> None:
    """Note an irregularity with its lines, which are counted from 0 here."""
    _note(raw_table, [line + 1 for line in lines], what, noun)


def _note(raw_table: RawTable, lines: list[int], what: str, noun: str) -> None:
    """Note an irregularity with the lines it is in; ``{}`` takes their number."""
    if lines:
        message = ", ".join(f"{line:,}" for line in lines[:MOST_LINES_LISTED])
        more = f" and {len(lines) - MOST_LINES_LISTED:,} more" if len(lines) > MOST_LINES_LISTED else ""
        plural = "" if len(lines) == 1 else "s"
        count = f"{len(lines):,} {noun}{plural}"
        raw_table.notes.append(f"{what.format(count)}: line{plural} {message}{more}")


def type_columns(
    raw_table: RawTable, rules: ColumnRules, threads: int = 1, storage: Storage = MEMORY
) -> dict[str, Column]:
    """Give the columns of a raw table their types; the chunks are let go one column after the other.

    Parameters
    ----------
    raw_table : RawTable
    rules : ColumnRules
    threads : int
        This many columns are worked on at once.
    storage : Storage
        Where the columns are kept.

    Raises
    ------
    ContentError
        If a declared type names a column that is not there.
    """
    declared = rules.declared(raw_table.names)
    known = set(raw_table.names)
    for name in declared:
        if name not in known:
            what, remedy = unknown_name("column", name, raw_table.names)
            raise ContentError(f"a type is declared, but {what}", remedy=remedy)

    undecided: dict[str, ColumnSource] = {}

    def described(name: str, column: Column) -> Column:
        description = raw_table.descriptions.get(name)
        column = column._replace(description=description) if description else column
        return stored_column(column, storage)

    def typed(name: str) -> Column:
        # Taken out, so that chunks are let go as soon as their column is there.
        chunks, request = raw_table.columns.pop(name), declared.get(name)
        source = ColumnSource(chunks or [TextChunk(Text.from_strings([]), rules.words(name, request))])
        if request is None:
            column = headed_source(name, source, infer_source(source))
        else:
            # Days without a pattern are written as the heading says, where it does.
            pattern = day_pattern_of(name) if request.word == "date" and not request.pattern else ""
            column = declared_source(source, replace(request, pattern=pattern or request.pattern))
        # Where 1,234 could be either, the other columns decide what the comma is.
        if request is None and is_open(column):
            undecided[name] = source
        return described(name, column)

    names = list(raw_table.columns)
    threads = 1 if len(raw_table) < FEW_ROWS else threads
    columns = dict(zip(names, in_order(typed, names, threads), strict=True))
    mark = shared_decimal_mark(columns.values()) if undecided else ""
    if mark:
        again = in_order(lambda name: described(name, infer_source(undecided[name], mark)), undecided, threads)
        columns.update(zip(undecided, again, strict=True))
    return columns
