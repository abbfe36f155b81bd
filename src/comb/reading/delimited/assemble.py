"""Put the chunks of a text together and give the columns their types. Pure."""

import csv
import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from comb.chunks.column_builder import ColumnBuilder
from comb.chunks.column_chunk import ColumnChunk, TextChunk
from comb.chunks.column_source import ColumnSource
from comb.chunks.number_block_builder import NumberBlockBuilder, NumberColumns
from comb.errors import ContentError, unknown_name
from comb.execution.executor import executor_of
from comb.inference.decide import declared_source, infer_source
from comb.kernels.blocks import BatchOutput, CodeOutput, OutputSlice
from comb.kernels.types import SPACES, TallySlot
from comb.parsing.cell_parser import CellParser
from comb.reading.column_rules import ColumnRules
from comb.reading.delimited.chunk_reader import ChunkReader, ChunkResult
from comb.reading.delimited.header import Anomalies, Header
from comb.tables.column import Column
from comb.tables.names import choose, unique_names
from comb.tables.text import Text
from comb.tables.types import STRING

# So many line numbers are named in a note; the rest is counted.
MOST_LINES_LISTED = 5

# Columns of fewer rows are not worth handing to several threads.
FEW_ROWS = 20_000


@dataclass(slots=True)
class RawTable:
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
    units : dict of str to str
        The unit of each column, where a header or a line of units names one.
    notes : list of str
        What was irregular.
    """

    names: list[str]
    columns: dict[str, list[ColumnChunk]]
    lines: NDArray[np.integer]
    titles: list[str]
    footers: list[str]
    units: dict[str, str]
    notes: list[str]

    def __len__(self) -> int:
        return len(self.lines)


def assemble(reader: ChunkReader, total: "ColumnAssembler") -> RawTable:
    """Make a raw table of all chunks of a text.

    Parameters
    ----------
    reader : ChunkReader
    total : ColumnAssembler
        To which all chunks were added.

    Returns
    -------
    RawTable
        Short rows have absent cells; the extra cells of long rows are in one
        further column; what is not a row of the table is noted.
    """
    head = reader.head
    names = unique_names(head.names)
    pieces = {at: total.pieces(at) for at in reader.columns}
    kept, trailing = head.width, False
    if reader.guessing:
        kept, trailing = _width_kept(total, pieces, head)
    raw_table = RawTable(
        names[:kept], {names[at]: pieces[at] for at in reader.columns if at < kept}, total.all_lines(), [], [], {}, []
    )
    raw_table.titles, raw_table.footers = head.titles, total.footers
    raw_table.units = dict(zip(names, head.units, strict=False))
    if head.layout.nameless_first:
        raw_table.notes.append(f"the header names all columns but the first, which is {names[0]}")
    _note_irregular(raw_table, total, trailing=trailing)
    if not trailing:
        _add_surplus(raw_table, total, pieces, head)
    short = [row for row, width in total.short.items() if width < kept]
    _note(raw_table, raw_table.lines[short].tolist(), "{} with too few cells, the others are absent", "row")
    _note_lines(
        raw_table, total.anomalies.stray, "{} with a quote inside a field, read as an ordinary character", "row"
    )
    unclosed = "{} with a quote that never closes, read as an ordinary character"
    _note_lines(raw_table, total.anomalies.unclosed, unclosed, "row")
    if reader.rules.options.columns is not None:
        wanted = choose(reader.rules.options.columns, dict.fromkeys(raw_table.names, STRING))
        raw_table.columns = {name: raw_table.columns[name] for name in wanted}
    return raw_table


class ColumnAssembler:
    """The parts of a text, added up."""

    def __init__(self, head: Header, groups: Sequence[NumberColumns], expected: Callable[[ChunkResult], int]) -> None:
        self.anomalies = head.anomalies
        self.columns: dict[int, ColumnBuilder] = {}
        self.groups: list[NumberBlockBuilder] = []
        self._of_groups = groups
        self._expected = expected
        self.lines: list[NDArray[np.integer]] = []
        self.short: dict[int, int] = {}
        self.surplus: dict[int, list[str]] = {}
        self.footers: list[str] = []
        self.rows = 0
        self._passed = head.lines

    def add(self, part: ChunkResult) -> None:
        """Add the next part."""
        if not self.columns and not self.groups:
            rows = self._expected(part)
            self.columns = {at: ColumnBuilder(rows) for at in part.pieces}
            self.groups = [
                NumberBlockBuilder(group, rows) for group, _ in zip(self._of_groups, part.batches, strict=False)
            ]
        for at, piece in part.pieces.items():
            self.columns[at].add(piece)
        for together, batch in zip(self.groups, part.batches, strict=True):
            together.add(batch)
        self.lines.append((part.lines + (self._passed + 1)).astype(np.int32))
        for name in Anomalies.__slots__:
            getattr(self.anomalies, name).extend(line + self._passed for line in getattr(part.anomalies, name))
        self.short.update((row + self.rows, width) for row, width in part.short.items())
        self.surplus.update((row + self.rows, cells) for row, cells in part.surplus.items())
        self.footers += part.footers
        self.rows += len(part.lines)
        self._passed += part.line_ends

    def numbers(self, group: int, first: int, rows: int) -> BatchOutput | None:
        """Return where rows of the columns of a group belong; None before the first chunk was added."""
        return self.groups[group].outputs(first, rows) if self.groups else None

    def column(self, column: int, first: int, rows: int, parser: CellParser | None) -> OutputSlice | CodeOutput | None:
        """Return where rows of a column belong; None before the first chunk was added."""
        builder = self.columns.get(column)
        return None if builder is None else builder.output(first, rows, parser)

    def pieces(self, column: int) -> list[ColumnChunk]:
        """Return the pieces of a column."""
        for together in self.groups:
            if column in together:
                return together.chunks(column)
        return self.columns[column].chunks() if column in self.columns else []

    def all_lines(self) -> NDArray[np.integer]:
        """Return the line of each row, from 1."""
        return np.concatenate(self.lines) if self.lines else np.zeros(0, np.int32)


def _width_kept(total: ColumnAssembler, pieces: dict[int, list[ColumnChunk]], head: Header) -> tuple[int, bool]:
    """Return how many columns are kept, and whether the last was made by delimiters at line ends only."""

    def blank(first: int) -> bool:
        columns = [pieces[at] for at in range(first, head.read_width) if pieces[at]]
        filled = (ColumnSource(column).tally() for column in columns)
        here = all(
            int(tally[TallySlot.OTHER] + tally[TallySlot.KNOWN] + tally[TallySlot.GIVEN]) == 0 for tally in filled
        )
        return here and not any(cell.strip() for cells in total.surplus.values() for cell in cells)

    longest = max(map(len, total.surplus.values()), default=0) + head.read_width
    if total.rows and len(total.short) == total.rows:
        longest = max(total.short.values())
    if head.width > 1 and not head.names[-1] and blank(head.width - 1):
        return head.width - 1, True
    if longest == head.width + 1 and blank(head.width):
        return head.width, True
    return head.width, False


def _note_irregular(raw_table: RawTable, total: ColumnAssembler, *, trailing: bool) -> None:
    """Note what was taken for no row of the table."""
    found = total.anomalies
    _note_lines(raw_table, found.footers, "{} below the table taken for notes", "line")
    _note_lines(raw_table, found.repeated, "{} that repeats the header left out", "row")
    _note_lines(raw_table, found.ruled, "{} of dashes left out", "line")
    if trailing:
        raw_table.notes.append("lines end with a delimiter; the empty last column is left out")
    _note_lines(raw_table, found.blank, "{} left out", "blank line")


def _add_surplus(
    raw_table: RawTable, total: ColumnAssembler, pieces: dict[int, list[ColumnChunk]], head: Header
) -> None:
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
    name = unique_names([*raw_table.names, ""])[-1]
    raw_table.names.append(name)
    words = pieces[head.width - 1][0].words
    raw_table.columns[name] = [TextChunk(Text.from_strings(texts), words, absent)]
    message = f"{{}} with too many cells, the rest stands in {name}"
    _note(raw_table, raw_table.lines[sorted(surplus)].tolist(), message, "row")


def _strings(pieces: list[ColumnChunk]) -> list[str]:
    texts = (piece.parse(None).values for piece in pieces)
    return [text for part in texts if isinstance(part, Text) for text in part.to_list()]


def _rejoined(cells: list[str], delimiter: str) -> str:
    """Write surplus cells as one text from which they can be told apart again."""
    if len(cells) < 2:
        return "".join(cells)
    line = io.StringIO()
    csv.writer(line, delimiter=" " if delimiter == SPACES else delimiter[0], lineterminator="").writerow(cells)
    return line.getvalue()


def _note_lines(raw_table: RawTable, lines: list[int], what: str, noun: str) -> None:
    """Note an irregularity with its lines, which are counted from 0 here."""
    _note(raw_table, [line + 1 for line in lines], what, noun)


def _note(raw_table: RawTable, lines: list[int], what: str, noun: str) -> None:
    """Note an irregularity with the lines it stands in; ``{}`` takes their number."""
    if lines:
        message = ", ".join(f"{line:,}" for line in lines[:MOST_LINES_LISTED])
        more = f" and {len(lines) - MOST_LINES_LISTED:,} more" if len(lines) > MOST_LINES_LISTED else ""
        plural = "" if len(lines) == 1 else "s"
        count = f"{len(lines):,} {noun}{plural}"
        raw_table.notes.append(f"{what.format(count)}: line{plural} {message}{more}")


def type_columns(raw_table: RawTable, rules: ColumnRules, threads: int = 1) -> dict[str, Column]:
    """Give the columns of a raw table their types; the pieces are let go one column after the other.

    Parameters
    ----------
    raw_table : RawTable
    rules : ColumnRules
    threads : int
        So many columns are worked on at once.

    Raises
    ------
    ContentError
        If a declared type names a column that is not there.
    """
    declared = rules.declared(raw_table.names)
    for name in declared:
        if name not in raw_table.names:
            what, remedy = unknown_name("column", name, raw_table.names)
            raise ContentError(f"a type is declared, but {what}", remedy=remedy)

    def typed(name: str) -> Column:
        chunks, request = raw_table.columns.pop(name), declared.get(name)
        source = ColumnSource(chunks or [TextChunk(Text.from_strings([]), rules.words(name, request))])
        column = infer_source(source) if request is None else declared_source(source, request)
        return column.replace(description=raw_table.units[name]) if raw_table.units.get(name) else column

    names = list(raw_table.columns)
    with executor_of(1 if len(raw_table) < FEW_ROWS else threads) as executor:
        return dict(zip(names, executor.map(typed, names), strict=True))
