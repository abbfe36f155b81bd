"""JSON as a document whose records are found without an object for each.

JSON Lines are such a document as a whole. Of any other document, the long lists of records are cut out by their
brackets, and an empty record is left in the place of each: what remains is short, and is parsed and searched for tables
as the reference does with all of it. A list that was cut out has to be one of these tables. Its records are then found
where they stand; whatever is wrong inside it is seen there.

Wherever this road ends, there is no document of it, and `json_document` reads the text.
"""

import codecs
import json
from collections.abc import Callable, Iterator, Sequence
from functools import cache, partial
from typing import Any

import msgspec
import numpy as np

from comb.execution.executor import executor_of
from comb.execution.storage import MEMORY, Storage
from comb.inference.typed_cells import SourceKind, TypedCells
from comb.kernels import dispatch
from comb.kernels.types import Data, JsonList
from comb.reading.column_rules import ColumnRules
from comb.reading.documents.json import found_records
from comb.reading.documents.json.document import (
    JsonTables,
    begins_as_lines,
    inner_tables,
    json_document,
    repeated_note,
    title_of,
    titles_of,
)
from comb.reading.documents.json.find import escaped
from comb.reading.documents.json.found_records import FoundRecords, FoundTable, find_records, whole_lines_of
from comb.reading.documents.json.notes import (
    EACH_LINE,
    PARENT,
    WHY_LINES,
    account_of,
    bad_line,
    bad_note,
    by_dotted_name,
    child_name,
    parent_title,
    table_notes,
)
from comb.reading.documents.json.parse import JsonParser, halves_in, halves_said
from comb.reading.documents.model import Document, InnerTable, TableData, chosen_columns, make_column, not_known
from comb.tables.column import Column
from comb.tables.origin import SourceLine
from comb.tables.stored import stored_column

# Shorter lists are parsed with what is around them.
LEAST_LIST = 50_000

# In the place of a list of records that is cut out.
_SOME_RECORDS = b"[{}]"
_QUOTED = b'"%b"'


def found_document(
    data: Data, name: str, threads: int = 1, storage: Storage = MEMORY, check: Callable[[], None] = lambda: None
) -> Document | None:
    """Read JSON without an object for each record; None where the reference has to.

    Parameters
    ----------
    data : bytes or memoryview
    name : str
    threads : int
    storage : Storage
        Where columns, and the places of their cells, are kept.
    check : callable
        Called before all of it is parsed after all, because lists of plain values are to be taken apart; raises where
        there is not enough memory for that.
    """
    data = data[len(codecs.BOM_UTF8) :] if bytes(data[:3]) == codecs.BOM_UTF8 else data

    @cache
    def parsed() -> Sequence[InnerTable]:
        check()
        return json_document(bytes(data).decode(), name).tables

    reading = _Reading(data, name, threads, storage, parsed, check)
    if begins_as_lines(data, name):
        return _lines(reading)
    return _lists(reading)


class _Reading(msgspec.Struct, frozen=True):
    """What is read, and how; `parsed` gives its tables as the reference reads them, if there is memory for that."""

    data: Data
    name: str
    threads: int
    storage: Storage
    parsed: Callable[[], Sequence[InnerTable]]
    check: Callable[[], None]

    def records(self, bounds: Callable[[], Iterator[tuple[int, int]]], *, lines: bool) -> FoundRecords | None:
        return find_records(self.data, bounds(), lines=lines, threads=self.threads, storage=self.storage)


def _lines(reading: _Reading) -> Document | None:
    seek = partial(reading.records, partial(whole_lines_of, reading.data), lines=True)
    found = seek()
    if found is None or not len(found.lines):
        return None
    parser = JsonParser()
    bad = [
        one
        for number, begin, end in found.bad
        if (one := bad_line(parser, number, bytes(reading.data[begin:end]).decode()))
    ]
    # What is not there comes last, where the sentence over a table shows it.
    said = _Said(place="line {}", notes=[*halves_said(found.halves), *bad_note(bad)], aside=bad)
    found_list = _FoundList(reading, seek, "", 0, said, found)
    tables = tuple(found_list.tables(title_of("", reading.name), EACH_LINE))
    return Document("JSON Lines", WHY_LINES, tables, partial(by_dotted_name, tables), {"shape": EACH_LINE})


def _lists(reading: _Reading) -> Document | None:
    data = reading.data
    cut = dispatch.kernels.find_json_lists(data, LEAST_LIST, found_records.PIECE_BYTES)
    if not cut:
        return None
    around = _without(data, cut)
    parser = JsonParser()
    try:
        value = parser.read(around.decode())
        lists = {"".join(f"/{escaped(json.loads(_QUOTED % key))}" for key in one.keys): one for one in cut}
    except ValueError:
        return None
    json_tables = JsonTables.in_value(value)
    # One inside a table has to be read with that; of two under one key the last counts.
    if len(lists) < len(cut) or not set(lists) <= {one.pointer for one in json_tables.tables}:
        return None
    seek = {pointer: partial(reading.records, partial(_pieces_of, one), lines=False) for pointer, one in lists.items()}
    found = {pointer: one() for pointer, one in seek.items()}
    halves = halves_in(around)
    for records in found.values():
        if records is None:
            return None
        halves += records.halves
    notes = [*repeated_note(parser), *halves_said(halves)]
    tables: list[InnerTable] = []
    for table in json_tables.tables:
        records = found.get(table.pointer)
        if records is None:
            tables += inner_tables(table, reading.name, value, notes)
            continue
        said = _Said(f"{table.pointer}/{{}}", notes, titles=titles_of(value, table.pointer))
        found_list = _FoundList(reading, seek[table.pointer], table.pointer, len(tables), said, records)
        tables += found_list.tables(title_of(table.pointer, reading.name), table.shape)

    def find(wanted: str) -> InnerTable | None:
        if wanted and not wanted.startswith("/"):
            return by_dotted_name(tables, wanted)
        reading.check()
        return json_document(bytes(data).decode(), reading.name).find(wanted)

    return json_tables.document(tables, find)


def _without(data: Data, lists: Sequence[JsonList]) -> bytes:
    """Return a document without what is in some lists."""
    parts, begin = [], 0
    for one in lists:
        parts += [bytes(data[begin : one.begin]), _SOME_RECORDS]
        begin = one.end
    return b"".join([*parts, bytes(data[begin:])])


def _pieces_of(found: JsonList) -> Iterator[tuple[int, int]]:
    """Give the pieces of a list: its records, without the commas between two pieces."""
    cuts = found.cuts.tolist()
    return zip([found.begin + 1, *cuts], [*(cut - 1 for cut in cuts), found.end - 1], strict=True)


class _Said(msgspec.Struct, frozen=True):
    """What is said of a list of records: the place of each, and about the table."""

    place: str
    notes: list[str]
    aside: list[SourceLine] = msgspec.field(default_factory=list)
    titles: list[str] = msgspec.field(default_factory=list)


class _FoundList(msgspec.Struct):
    """Records, and those inside them, as tables.

    The places of the cells of a table are let go when it is read. Where it is read once more, all are found again.
    """

    reading: _Reading
    seek: Callable[[], FoundRecords | None]
    pointer: str
    first: int
    said: _Said
    found: FoundRecords
    _unread: dict[int, FoundTable] = msgspec.field(default_factory=dict)
    _tables: list[InnerTable] = msgspec.field(default_factory=list)

    def tables(self, title: str, shape: str) -> list[InnerTable]:
        """Return the table of the records, and behind it those below."""
        self._add(self.found.table, title, shape, "", self.pointer)
        return self._tables

    def _add(self, table: FoundTable, title: str, shape: str, about: str, pointer: str) -> None:
        names = table.names
        cells = {one: (table.count_of(one, "not finite"), table.count_of(one, "nested")) for one in names}
        notes = table_notes(cells, {key: one.rows for key, one in table.below.items()}, pointer)
        lists = any(nested for _, nested in cells.values())
        number = len(self._tables)
        make = partial(self._make, number, names, notes, lists)
        self._unread[number] = table
        self._tables.append(InnerTable(title, shape, make, about))
        for key, below in table.below.items():
            own = child_name(pointer, key)
            place = f"records in {key} of each record of {title}"
            self._add(below, own, place, f"its column {PARENT} is the row number in {title}", own)

    def _taken(self, number: int) -> FoundTable:
        if number not in self._unread:
            again: Any = self.seek()
            self._unread = dict(enumerate(again.table.walk()))
        return self._unread.pop(number)

    def _make(self, number: int, names: list[str], notes: list[str], lists: bool, rules: ColumnRules) -> TableData:
        if lists and rules.options.lists != "keep":
            return self.reading.parsed()[self.first + number].make(rules)
        table, storage, rows = self._taken(number), self.reading.storage, rules.options.rows
        columns: dict[str, Column] = {}
        if table.above is not None:
            parents = table.parents(rows) + 1
            kinds = np.full(len(parents), SourceKind.NUMBER, np.uint8)
            cells = TypedCells(kinds, parents, np.full(len(parents), -1, np.int32), [])
            own = parent_title(names)
            columns[own] = stored_column(make_column(own, cells, rules), storage)

        def column(name: str) -> Column:
            return stored_column(make_column(name, table.cells(name, rows), rules, dates_in_text=True), storage)

        # On disk one column at a time is in memory.
        with executor_of(1 if storage.on_disk else self.reading.threads) as executor:
            read = rules.chosen(names)
            for name, made in zip(read, executor.map(column, read), strict=True):
                columns[name or "_col.1"] = made
        whole = table.above is None
        lines = self.found.lines[:rows] if whole else self.found.lines[table.roots(rows)]
        data = TableData(chosen_columns(columns, rules), lines, self.said.place)
        data.notes = [*not_known(names, rules), *notes, *(self.said.notes if whole else ())]
        aside = self.said.aside if whole else []
        data.titles, data.set_aside = (self.said.titles if whole else []), list(aside)
        data.account = account_of(table.rows, np.arange(len(lines)), aside)
        return data
