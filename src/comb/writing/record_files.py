"""The record of a run as files: changed cells, rows that did not come out, where each result row comes from. Pure.

Every file is a table in CSV; `csv-metadata.json` describes them by CSV on the Web. Row numbers are those of the source,
places those that `Table.place` says. Where rows follow each other, they are listed as runs from one to another, so
that a whole file costs a line. Files that grow large are compressed (gzip), and made piece by piece: each piece is a
member of its own, as RFC 1952 allows, and the comment in its head says of which rows it tells ("rows 17 to 90"). A
reader that looks for one row unpacks the members that may tell of it and passes over the others.
"""

import gzip
import re
import struct
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial
from itertools import chain
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.errors import listing
from comb.execution.ordered import in_order
from comb.execution.storage import Storage, blocks_of
from comb.formats.formulas import disarmed
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.steps.accounting import Taken
from comb.steps.base import Detail
from comb.steps.record import CellChanges, StepRecord
from comb.tables.cell_source import placed, places_of
from comb.tables.column import Column
from comb.tables.ordered_rows import ordered_rows
from comb.tables.origin import Origin
from comb.tables.reasons import Reason
from comb.tables.stored import stored_array
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER, STRING
from comb.writing.delimited import ROWS_AT_ONCE, STANDARD, TextForm, csv_parts, rows_bytes

# Beyond this many bytes a file is compressed, quickly rather than well: a sixth of a run would go into the rest.
LARGE = 4_000_000
LEVEL = 1

# The head of a member: deflate, with a comment, without a date so that two runs give the same bytes; and the comment.
_HEAD = b"\x1f\x8b\x08\x10\x00\x00\x00\x00\x04\xff"
_MEMBER = lazy_pattern(re.escape(_HEAD) + rb"rows (?:all|([0-9]+) to ([0-9]+))\x00")

# A run goes no further than to the next row whose number is a multiple of this. The lines of its first and last row
# are known, so that any row is found in a large file by reading no more than a run.
LONGEST_RUN = 10_000

CHANGED, LEFT_OUT, ROWS, RULE_ROWS = "changed-cells.csv", "left-out.csv", "row-sources.csv", "rule-rows.csv"
ASIDE = "set-aside.csv"


class Part(NamedTuple):
    """Some lines of a file of the record, and the least and the largest row number that they tell of, if of rows."""

    data: bytes
    rows: tuple[int, int] | None = None


class Described(NamedTuple):
    """A file of the record: what it lists, and its columns with their types and what they hold."""

    about: str
    columns: dict[str, tuple[str, str]]


RECORD_FILES: dict[str, Described] = {
    CHANGED: Described(
        "every cell that a step changed; a column that was calculated as a whole has one line with its formula",
        {
            "table": ("string", "the table of the plan"),
            "step": ("integer", "the number of the step, as in ledger.jsonl"),
            "row": ("integer", "the row number; empty for a whole column"),
            "place": ("string", "where the cell stood in the source; empty if a step made it"),
            "column": ("string", "its column after the step"),
            "before": ("string", "the value before the step; of a cell that was not read, its text"),
            "before_missing": ("string", "why it was missing before"),
            "after": ("string", "the value after the step, or the formula of the column"),
            "after_missing": ("string", "why it is missing after"),
            "taken_from": ("string", "the row or table that the new value comes from"),
            "why": ("string", "the reason that the plan gives for the step"),
        },
    ),
    LEFT_OUT: Described(
        "rows that a filter left out: counted, not copied",
        {
            "table": ("string", "the table of the plan"),
            "step": ("integer", "the number of the step"),
            "row": ("integer", "the first row of a run"),
            "last_row": ("integer", "the last one"),
            "place": ("string", "where the first stood"),
            "last_place": ("string", "where the last stood"),
            "reason": ("string", "what the step was set to do"),
        },
    ),
    ROWS: Described(
        "the rows of the source that each row of the result comes from, as runs: of as many records as rows, one from "
        "each; of one record, from all of them together",
        {
            "table": ("string", "the table of the plan"),
            "record": ("integer", "the first row of the saved table, from 1"),
            "last_record": ("integer", "the last one"),
            "row": ("integer", "the first row of the source; empty for rows of another source"),
            "last_row": ("integer", "the last one"),
            "place": ("string", "where the first stood"),
            "last_place": ("string", "where the last stood"),
        },
    ),
    ASIDE: Described(
        "rows that were set aside, with their cells as they were then, and copies that were merged into another row",
        {
            "table": ("string", "the table of the plan"),
            "step": ("integer", "the number of the step; 0 for what was taken off when the source was read"),
            "kind": ("string", "the kind of step"),
            "source_row": ("integer", "the row number"),
            "place": ("string", "where the row stood"),
            "reason": ("string", "why it is not in the result"),
            "merged_into": ("integer", "the row that stands for it"),
        },
    ),
    "rules.csv": Described(
        "what each rule came to",
        {
            "table": ("string", "the table of the plan"),
            "rule": ("string", "what was checked"),
            "otherwise": ("string", "what happens where it is broken"),
            "met": ("integer", "rows, groups or values that meet it"),
            "broken": ("integer", "those that break it"),
            "not_checked": ("integer", "those for which it is unknown"),
            "found": ("string", "what the table gives, where a rule compares it with a figure"),
            "why": ("string", "the reason, and where a figure was published"),
        },
    ),
    RULE_ROWS: Described(
        "the rows that break a rule, or for which it is unknown, as runs",
        {
            "table": ("string", "the table of the plan"),
            "rule": ("string", "what was checked"),
            "result": ("string", "broken or not checked"),
            "row": ("integer", "the first row of a run"),
            "last_row": ("integer", "the last one"),
            "place": ("string", "where the first stood"),
            "last_place": ("string", "where the last stood"),
        },
    ),
}


def changed_cells(taken: Mapping[str, Sequence[Taken]], form: TextForm) -> Iterator[Part]:
    """List every cell that a step changed.

    Parameters
    ----------
    taken : mapping of str to sequence of Taken
    form : TextForm

    Yields
    ------
    Part
        Some lines; the header first.
    """
    yield _header(CHANGED)
    for table, steps in taken.items():
        for number, one in enumerate(steps, 1):
            for name, changes in one.record.cells.items():
                some = partial(_change_table, table, number, one, name, changes)
                yield from line_parts(len(changes.positions), some, "row", "row", form)
            yield from _formulas(table, number, one)


def _formulas(table: str, number: int, one: Taken) -> Iterator[Part]:
    """List the columns that a step made as a whole, by formula or by conversion."""
    made = {name: formula for name, formula in one.record.formulas.items() if name in one.entry.columns_added
            or one.entry.step == "aggregate"}  # fmt: skip
    made |= {name: f"{before} to {after}" for name, (before, after) in one.entry.types_changed.items()}
    rows = [[table, str(number), "", "", name, "", "", text, "", "", one.entry.why] for name, text in made.items()]
    if rows:
        yield Part(rows_bytes(rows))


def record_lines(rows: list[list[str]], form: TextForm) -> bytes:
    """Write lines of a file of the record; what a spreadsheet program would run is disarmed, if that is asked for."""
    return rows_bytes([[disarmed(cell) for cell in row] for row in rows] if form.disarm else rows)


def _header(name: str) -> Part:
    return Part(rows_bytes([list(RECORD_FILES[name].columns)]))


def line_parts(
    count: int, lines: Callable[[slice], BareTable], first: str, last: str, form: TextForm = STANDARD, threads: int = 1
) -> Iterator[Part]:
    """Write lines some at a time, without a header.

    Parameters
    ----------
    count : int
        How many lines there are.
    lines : callable
        Makes some of them.
    first, last : str
        The columns of the first and the last row that a line tells of.
    form : TextForm
    threads : int
        How many parts are made at once.
    """

    def part(some: slice) -> Part:
        made = lines(some)
        _, data = csv_parts(made, form)
        return Part(data, (int(made[first].array.min()), int(made[last].array.max())))

    yield from in_order(part, blocks_of(count, ROWS_AT_ONCE), threads)


def _change_table(table: str, number: int, one: Taken, name: str, changes: CellChanges, some: slice) -> BareTable:
    """Return some of the changed cells of one column as a table."""
    changes = changes.part(some)
    count = len(changes.positions)
    rows = one.record.after.row_numbers[changes.positions]
    source = placed(changes.after.source, name)
    if name in one.record.renamed:
        source = placed(changes.before.source, one.record.renamed[name])
    places = places_of(source, one.record.after.origin, rows)
    detail = changes.detail
    # What became missing came from nowhere.
    taken_from = text_column(_details(detail, count))
    taken_from = taken_from._replace(state=taken_from.states | changes.after.missing * np.uint8(Reason.BLANK))
    return BareTable({
        "table": same_cells(table, count),
        "step": Column(INTEGER, np.full(count, number, np.int64)),
        "row": Column(INTEGER, rows),
        "place": text_column(places),
        "column": same_cells(name, count),
        "before": with_kept_texts(changes.before),
        "before_missing": _reasons(changes.before),
        "after": with_kept_texts(changes.after),
        "after_missing": _reasons(changes.after),
        "taken_from": taken_from,
        "why": same_cells(one.entry.why, count),
    })  # fmt: skip


def _details(detail: Detail | None, count: int) -> Text:
    """Say for each cell where its value came from."""
    if detail is None or (not detail.numbers and detail.texts is None):
        return Text.from_items(["" if detail is None else detail.form.format()], np.zeros(count, np.int64))
    if detail.texts is not None:
        return Text.from_items([str(text) for text in detail.texts.tolist()])
    before, _, behind = detail.form.partition("{}")
    if len(detail.numbers) == 1 and not set(before + behind) & set("{}"):
        return Text(*dispatch.kernels.write_between(before, detail.numbers[0].astype(np.int64, copy=False), behind))
    rows = zip(*(array.tolist() for array in detail.numbers), strict=True)
    return Text.from_items([detail.form.format(*row) for row in rows])


def same_cells(text: str | int, count: int) -> Column:
    """Return a column with the same text or number in every cell."""
    if isinstance(text, int):
        return Column(INTEGER, np.full(count, text, np.int64))
    state = None if text else np.full(count, Reason.BLANK, np.uint8)
    return Column(STRING, Text.from_items([text], np.zeros(count, np.int64)), state)


def text_column(text: Text) -> Column:
    """Return a column of texts, the empty ones missing."""
    empty = (np.diff(text.offsets) == 0) * np.uint8(Reason.BLANK)
    return Column(STRING, text, empty if text.codes is None else empty[text.codes])


def _reasons(column: Column) -> Column:
    """Return a column of the reasons why cells are missing."""
    words = ["", *(reason.word for reason in Reason if reason)]
    return Column(STRING, Text.from_items(words, column.states.astype(np.int64)), (~column.missing).astype(np.uint8))


def with_kept_texts(column: Column) -> Column:
    """Return a column in which a text that was kept stands for its cell."""
    if not len(column.kept):
        return column._replace(source=None)
    texts = [column.kept.texts.get(at, text or "") for at, text in enumerate(column.texts())]
    return text_column(Text.from_items(texts))


def left_out_rows(taken: Mapping[str, Sequence[Taken]]) -> Iterator[Part]:
    """List the rows that filters left out, as runs."""
    yield _header(LEFT_OUT)
    for table, steps in taken.items():
        for number, one in enumerate(steps, 1):
            gone = one.record.gone.get("left out")
            if gone is None:
                continue
            runs = _RowRuns(one.record.before.row_numbers[gone], one.record.before.origin)
            head: dict[str, str | int] = {"table": table, "step": number}
            yield from line_parts(len(runs), partial(runs.lines, head, {"reason": one.entry.says}), "row", "last_row")


def rule_rows(
    found: Mapping[str, Sequence[tuple[str, str, Codes]]], tables: Mapping[str, BareTable], form: TextForm
) -> Iterator[Part]:
    """List the rows that break a rule, or for which it is unknown, as runs.

    Parameters
    ----------
    found : mapping of str to sequence of (str, str, int64 array)
        Of each table a rule, the word for what it came to, and the row numbers.
    tables : mapping of str to BareTable
    form : TextForm
    """
    yield _header(RULE_ROWS)
    for name, lines in found.items():
        for rule, word, numbers in lines:
            if len(numbers):
                runs = _RowRuns(numbers, tables[name].origin)
                head = {"table": name, "rule": rule, "result": word}
                yield from line_parts(len(runs), partial(runs.lines, head, {}), "row", "last_row", form)


class _RowRuns:
    """Row numbers as runs: from which to which, and where these stood."""

    def __init__(self, numbers: Codes, origin: Origin) -> None:
        starts = np.flatnonzero((np.diff(numbers, prepend=numbers[0] - 2) != 1) | (numbers % LONGEST_RUN == 0))
        ends = np.append(starts[1:], len(numbers)) - 1
        self._first, self._last = numbers[starts], numbers[ends]
        self._origin = origin

    def __len__(self) -> int:
        return len(self._first)

    def lines(self, head: Mapping[str, str | int], tail: Mapping[str, str], some: slice) -> BareTable:
        """Return some of the runs as a table, with columns before and behind that are the same in every line."""
        first, last = self._first[some], self._last[some]
        count = len(first)
        return BareTable({
            **{key: same_cells(one, count) for key, one in head.items()},
            "row": Column(INTEGER, first), "last_row": Column(INTEGER, last),
            "place": text_column(self._origin.place_texts(first)),
            "last_place": text_column(self._origin.place_texts(last)),
            **{key: same_cells(one, count) for key, one in tail.items()},
        })  # fmt: skip


class _Edges(NamedTuple):
    """Which record comes from which row: pairs of positions."""

    records: Codes
    rows: Codes


def _back(edges: _Edges, record: StepRecord, step: str, storage: Storage) -> tuple[_Edges, _Edges]:
    """Follow rows through one step to the rows before it; returns too those that came from none."""
    groups = record.groups if step != "remove_duplicates" else None
    if groups is not None:
        # The rows of a group follow each other, in order; those of no group come first.
        order = ordered_rows([groups], storage)
        within = np.bincount(groups[groups >= 0], minlength=int(edges.rows.max(initial=-1)) + 1)
        begins = np.cumsum(within) - within + np.count_nonzero(groups < 0)
        sizes = within[edges.rows]
        ends = np.cumsum(sizes)
        count = int(ends[-1]) if len(ends) else 0
        back = _Edges(storage.empty(count, np.int64), storage.empty(count, np.int64))
        for block in blocks_of(count, storage.block_rows):
            places = np.arange(block.start, block.stop)
            which = np.searchsorted(ends, places, "right")
            back.records[block] = edges.records[which]
            back.rows[block] = order[begins[edges.rows[which]] + places - (ends[which] - sizes[which])]
        alone = sizes == 0
        return back, _Edges(edges.records[alone], edges.rows[alone])
    if record.sources is None:
        return edges, _Edges(edges.records[:0], edges.rows[:0])
    sources = record.sources[edges.rows]
    known = sources >= 0
    return _Edges(edges.records[known], sources[known]), _Edges(edges.records[~known], edges.rows[~known])


def row_sources(taken: Mapping[str, Sequence[Taken]], tables: Mapping[str, BareTable]) -> Iterator[Part]:
    """Say which rows of the source each row of the result comes from."""
    yield _header(ROWS)
    for name, table in tables.items():
        way = _Way(table, taken[name])
        if way.is_plain:
            yield from way.parts(name)
            continue
        places = np.arange(table.row_count)
        edges, begun = _Edges(places, places), table
        for one in reversed(taken[name]):
            edges, added = _back(edges, one.record, one.entry.step, table._storage)
            if len(added.records):
                yield from _runs(name, added, one.record.after, known=False)
            begun = one.record.before
        yield from _runs(name, edges, begun, known=True)


def _is_grouped(one: Taken) -> bool:
    """Return whether rows after a step are made of several before it."""
    return one.record.merged_into is not None and one.entry.step != "remove_duplicates"


class _Way:
    """The way back from the rows of a table through steps that join no rows and add none: each comes from one row.

    It is followed some rows at a time.
    """

    def __init__(self, table: BareTable, taken: Sequence[Taken]) -> None:
        self._count = table.row_count
        self._storage = table._storage
        self._begun = taken[0].record.before if taken else table
        self._sources = [one.record.sources for one in reversed(taken) if one.record.sources is not None]
        grouped = any(_is_grouped(one) for one in taken)
        self.is_plain = not grouped and all(int(one.min(initial=0)) >= 0 for one in self._sources)

    def _numbers(self, positions: Codes) -> Codes:
        """Return the row numbers in the source of rows of the table."""
        for sources in self._sources:
            positions = sources[positions]
        return self._begun.row_numbers[positions]

    def parts(self, name: str) -> Iterator[Part]:
        """Write which rows come from which as runs."""
        found: list[Codes] = []
        last = -1
        for rows in blocks_of(self._count, self._storage.block_rows):
            numbers = self._numbers(np.arange(rows.start, rows.stop))
            begins = np.flatnonzero((np.diff(numbers, prepend=last) != 1) | (numbers % LONGEST_RUN == 0))
            # The first row begins a run, whatever its number is.
            if not rows.start and (not len(begins) or begins[0]):
                begins = np.append(np.zeros(1, np.int64), begins)
            last = int(numbers[-1])
            found.append(stored_array(begins + rows.start, self._storage))
        starts = np.concatenate(found) if len(found) > 1 else found[0] if found else np.zeros(0, np.int64)
        starts = stored_array(starts, self._storage)

        def lines(some: slice) -> BareTable:
            begins = starts[some]
            ends = np.append(starts[some.start + 1 : some.stop + 1], self._count)[: len(begins)] - 1
            return _run_lines(
                name, begins + 1, ends + 1, self._numbers(begins), self._numbers(ends), self._begun.origin
            )

        yield from line_parts(len(starts), lines, "row", "last_row", threads=_threads(self._storage))


def _run_lines(
    name: str, records: Codes, last_records: Codes, first: Codes, last: Codes, origin: Origin, *, known: bool = True
) -> BareTable:
    """Return runs of records and rows as a table."""
    count = len(records)
    unknown = None if known else np.full(count, Reason.ABSENT, np.uint8)
    return BareTable({
        "table": same_cells(name, count),
        "record": Column(INTEGER, records), "last_record": Column(INTEGER, last_records),
        "row": Column(INTEGER, first, unknown), "last_row": Column(INTEGER, last, unknown),
        "place": text_column(origin.place_texts(first)), "last_place": text_column(origin.place_texts(last)),
    })  # fmt: skip


def _runs(name: str, edges: _Edges, rows: BareTable, *, known: bool) -> Iterator[Part]:
    """Write pairs of records and rows as runs."""
    if not len(edges.records):
        return
    order = None if _in_order(edges) else ordered_rows([edges.records, edges.rows], rows._storage)

    def pairs(places: Codes) -> tuple[Codes, Codes]:
        at = places if order is None else order[places]
        return edges.records[at] + 1, rows.row_numbers[edges.rows[at]]

    count, found = len(edges.records), []
    for block in blocks_of(count, rows._storage.block_rows):
        # With the two pairs above, which the first of a block may go on from.
        ahead = min(2, block.start)
        records, numbers = pairs(np.arange(block.start - ahead, block.stop))
        begins = _begin_runs(records, numbers)[ahead:]
        begins[: 1 if not block.start else 0] = True
        found.append(np.flatnonzero(begins) + block.start)
    starts = stored_array(np.concatenate(found), rows._storage)

    def lines(some: slice) -> BareTable:
        ends = np.append(starts[some][1:], starts[some.stop] if some.stop < len(starts) else count) - 1
        first, last = pairs(starts[some]), pairs(ends)
        return _run_lines(name, first[0], last[0], first[1], last[1], rows.origin, known=known)

    yield from line_parts(len(starts), lines, "row", "last_row", threads=_threads(rows._storage))


def _threads(storage: Storage) -> int:
    """Return how many blocks of rows are worked on at once."""
    return max(storage.threads, storage.blocks_at_once)


def _in_order(edges: _Edges) -> bool:
    """Return whether pairs are in order of their records, those of one record in order of its rows."""
    for block in blocks_of(len(edges.records) - 1):
        records, rows = (part[block.start : block.stop + 1] for part in edges)
        up = np.diff(records)
        if ((up < 0) | ((up == 0) & (np.diff(rows) < 0))).any():
            return False
    return True


def _begin_runs(records: Codes, numbers: Codes) -> NDArray[np.bool_]:
    """Return where runs begin: with the next record and the next row they go on, or with the next row of one record.

    But never with both in turn. The first pair goes on from nothing.
    """
    up, further = np.diff(records), np.diff(numbers)
    one, many = (up == 1) & (further == 1), (up == 0) & (further == 1)
    begins: NDArray[np.bool_] = numbers % LONGEST_RUN == 0
    begins[:1] = True
    begins[1:] |= ~(one | many)
    begins[2:] |= (one[1:] & many[:-1]) | (many[1:] & one[:-1])
    return begins


def compressed_if_large(name: str, parts: Iterable[Part], threads: int = 1) -> tuple[str, Iterable[bytes]]:
    """Put the parts of a file together; a large one is compressed as they come, each a member of its own.

    Parameters
    ----------
    name : str
    parts : iterable of Part
    threads : int
        How many parts are compressed at once, while the next ones are made.

    Returns
    -------
    tuple of str, iterable of bytes
        The name of the file, which ends in ``.gz`` if it is compressed, and its content in parts.
    """
    held: list[Part] = []
    size = 0
    coming = iter(parts)
    for part in coming:
        size += len(part.data)
        held.append(part)
        if size > LARGE:
            return f"{name}.gz", in_order(_member, chain(held, coming), threads)
    return name, (part.data for part in held)


def _member(part: Part) -> bytes:
    """Compress a part as a member of a gzip file that says of which rows it tells."""
    comment = "rows all" if part.rows is None else f"rows {part.rows[0]} to {part.rows[1]}"
    packer = zlib.compressobj(LEVEL, zlib.DEFLATED, -zlib.MAX_WBITS)
    body = packer.compress(part.data) + packer.flush()
    end = struct.pack("<II", zlib.crc32(part.data), len(part.data) & 0xFFFFFFFF)
    return b"".join([_HEAD, comment.encode(), b"\0", body, end])


def parts_about(content: bytes, row: int) -> Iterator[bytes]:
    """Unpack the members of a compressed file of the record that may tell of a row.

    >>> lines = [Part(b"a,1\\n", (1, 1)), Part(b"a,7\\n", (7, 7)), Part(b"b\\n")]
    >>> list(parts_about(b"".join(map(_member, lines)), 7))
    [b'a,7\\n', b'b\\n']
    """
    members = list(_MEMBER.finditer(content))
    if not members or members[0].start():
        yield gzip.decompress(content)  # of another maker
        return
    ends = [member.start() for member in members[1:]] + [len(content)]
    for member, end in zip(members, ends, strict=True):
        if member[1] is None or int(member[1]) <= row <= int(member[2]):
            yield gzip.decompress(content[member.start() : end])


def record_metadata(names: Sequence[str], extra: Mapping[str, Sequence[str]]) -> dict[str, Any]:
    """Describe the files of a record by CSV on the Web.

    Parameters
    ----------
    names : sequence of str
        Of the files that were written.
    extra : mapping of str to sequence of str
        Columns of a file besides those it always has.
    """
    tables = []
    for name in names:
        described = RECORD_FILES.get(name.removesuffix(".gz"))
        if described is None:
            raise AssertionError(f"no description of {name}; known: {listing(list(RECORD_FILES))}")
        columns = [
            {"name": column, "titles": column, "datatype": kind, "dc:description": about}
            for column, (kind, about) in described.columns.items()
        ]
        columns += [{"titles": title, "datatype": "string"} for title in extra.get(name.removesuffix(".gz"), ())]
        tables.append({"url": name, "dc:description": described.about, "tableSchema": {"columns": columns}})
    return {"@context": ["http://www.w3.org/ns/csvw", {"language": "en"}], "tables": tables}
