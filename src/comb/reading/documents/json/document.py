"""JSON as a document: what shape it has, the tables inside, each as columns."""

import codecs
import json
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

import numpy as np

from comb.errors import ContentError, counted, listing
from comb.execution.executor import executor_of
from comb.execution.storage import MEMORY, Storage
from comb.inference.typed_cells import SourceKind, TypedCells
from comb.kernels.grouping import Codes
from comb.kernels.types import Data
from comb.reading.column_rules import ColumnRules
from comb.reading.documents.json.find import MOST_TABLES, PLAIN_VALUES, JsonTable, as_table, beside, find_tables, follow
from comb.reading.documents.json.flatten import Flat, flatten
from comb.reading.documents.json.lines import find_lines
from comb.reading.documents.json.parse import (
    JsonParser,
    halves_note,
    halves_said,
    items_up_to_a_break,
    json_message,
    whole_lines,
    written,
)
from comb.reading.documents.model import Document, InnerTable, TableData, chosen_columns, make_column, not_known
from comb.tables.column import Column
from comb.tables.origin import SourceAccount, SourceLine
from comb.tables.stored import stored_column

# A column of a table of items that says which row of the parent each belongs to.
PARENT = "parent_row"
MOST_LISTED = 5
SAMPLE_LINES = 20

# Lists of records inside records are followed so far.
MOST_LEVELS = 8
LOOKED_AT = 100_000
_EACH_LINE = "a record in each line"
_WHY_LINES = "each line is JSON of its own"


def json_document(text: str, name: str) -> Document:
    """Read a JSON document or JSON Lines.

    Parameters
    ----------
    text : str
    name : str
        What to call it in messages.

    Raises
    ------
    ContentError
        If it breaks off or is not JSON; it names the place.
    """
    text = text.removeprefix("\ufeff")
    parser = JsonParser()
    if _is_lines(text):
        return _lines_document(text, parser, name)
    try:
        value = parser.read(text)
    except json.JSONDecodeError as error:
        return _broken(text, error, name)
    except ValueError as error:
        raise ContentError(str(error), where=name) from None
    notes = [*_repeated(parser), *halves_note(text.encode(errors="surrogatepass"))]
    json_tables = []
    for json_table in find_tables(value):
        json_tables.append(json_table)
        if len(json_tables) == MOST_TABLES:
            break
    # A plain object beside tables says something about them.
    json_tables = [json_table for json_table in json_tables if json_table.shape != "one record"] or json_tables
    tables = [inner for json_table in json_tables for inner in _inner_tables(json_table, name, value, notes)]
    shape = (
        json_tables[0].shape if len(json_tables) == 1 and not json_tables[0].pointer else "object with tables inside"
    )
    if isinstance(value, list) and not json_tables:
        shape = PLAIN_VALUES
        tables = _inner_tables(JsonTable("", shape, value, [str(at) for at in range(len(value))]), name, value, notes)

    def find(wanted: str) -> InnerTable | None:
        if wanted and not wanted.startswith("/"):
            return _by_dotted_name(tables, wanted)
        inner, there = follow(value, wanted)
        json_table = as_table(inner, wanted) if there else None
        return None if json_table is None else _inner_tables(json_table, name, value, notes)[0]

    return Document("JSON", "it begins and ends as JSON does", tuple(tables), find, {"shape": shape})


def _repeated(parser: JsonParser) -> list[str]:
    message = f"{counted(parser.repeated, 'key')} stood more than once in an object; the last counts"
    return [message] if parser.repeated else []


def _is_lines(text: str) -> bool:
    """Return whether each line is a value of its own."""
    lines = [line for _, (_, line) in zip(range(SAMPLE_LINES), whole_lines(text), strict=False)]
    if len(lines) < 2:
        return False
    sound = 0
    for line in lines:
        try:
            value = json.loads(line)
        except (ValueError, RecursionError):
            continue
        sound += isinstance(value, dict | list)
    return 2 * sound > len(lines)


def begins_as_lines(start: bytes) -> bool:
    """Return whether a text that begins so is likely to be JSON Lines with an object in each."""
    beginning = start[:LOOKED_AT].decode(errors="replace").removeprefix("\ufeff")
    return beginning.lstrip().startswith("{") and _is_lines(beginning[: beginning.rfind("\n") + 1])


def json_lines_document(data: Data, name: str, threads: int = 1, storage: Storage = MEMORY) -> Document | None:
    """Read JSON Lines without an object for each record; None where the reference has to.

    Parameters
    ----------
    data : bytes or memoryview
    name : str
    threads : int
    storage : Storage
        Where columns, and the places of their cells, are kept.
    """
    if not begins_as_lines(bytes(data[:LOOKED_AT])):
        return None
    data = data[len(codecs.BOM_UTF8) :] if bytes(data[:3]) == codecs.BOM_UTF8 else data
    found = find_lines(data, threads, storage)
    if found is None or not len(found.lines):
        return None
    parser = JsonParser()
    bad = [
        one for place in found.bad if (one := _bad_line(parser, place[0], bytes(data[place[1] : place[2]]).decode()))
    ]
    title = name.rpartition("/")[2].partition(".")[0]

    names = found.names
    lists = [found.count_of(one, "nested") for one in names]
    not_finite = [found.count_of(one, "not finite") for one in names]
    halves = halves_said(found.halves)
    lines = found.lines
    unread = [found]
    del found

    def make(rules: ColumnRules) -> TableData:
        if any(lists) and rules.options.lists != "keep":
            return _lines_document(bytes(data).decode(), JsonParser(), name).tables[0].make(rules)
        # The places of a column are let go when it is read; to read it again they are found again.
        taken: Any = unread.pop() if unread else find_lines(data, threads, storage)

        def column(title: str) -> Column:
            cells = taken.cells(title, rules.options.rows)
            return stored_column(make_column(title, cells, rules, dates_in_text=True), storage)

        # On disk one column at a time is in memory.
        with executor_of(1 if storage.on_disk else threads) as executor:
            read = rules.chosen(names)
            columns = {one or "_col.1": made for one, made in zip(read, executor.map(column, read), strict=True)}
        made = TableData(chosen_columns(columns, rules), lines[: rules.options.rows], "line {}")
        # What is not there comes last, where the sentence over a table shows it.
        cell_notes = [note for one in zip(names, not_finite, lists, strict=True) for note in _cell_notes(*one)]
        made.notes = [*cell_notes, *not_known(names, rules), *halves, *_bad_note(bad)]
        made.set_aside = bad
        made.account = _account(len(lines), np.arange(len(made.lines)), bad)
        return made

    tables = (InnerTable(title, _EACH_LINE, make),)
    return Document("JSON Lines", _WHY_LINES, tables, lambda _: None, {"shape": _EACH_LINE})


def _bad_line(parser: JsonParser, number: int, line: str) -> SourceLine | None:
    """Say what is wrong with a line that is no record; None if there is nothing in it."""
    if not line.strip():
        return None
    try:
        parser.read(line)
    except json.JSONDecodeError as error:
        return SourceLine(f"line {number}", f"{json_message(error)}, at column {error.colno}", (line,))
    except ValueError as error:
        return SourceLine(f"line {number}", str(error), (line,))
    return SourceLine(f"line {number}", "this is not a record", (line,))


def _bad_note(bad: list[SourceLine]) -> list[str]:
    places = listing([f"{one.place} ({one.reason})" for one in bad], MOST_LISTED)
    return [f"{counted(len(bad), 'line')} set aside: {places}"] if bad else []


def _lines_document(text: str, parser: JsonParser, name: str) -> Document:
    records: list[Any] = []
    lines: list[str] = []
    bad: list[SourceLine] = []
    for number, line in whole_lines(text):
        try:
            records.append(parser.read(line))
            lines.append(str(number))
        except ValueError:
            bad += [one for one in [_bad_line(parser, number, line)] if one]
    # What is not there comes last, where the sentence over a table shows it.
    notes = [*_repeated(parser), *halves_note(text.encode(errors="surrogatepass")), *_bad_note(bad)]
    json_table = JsonTable("", _EACH_LINE, records, lines)
    if records and all(isinstance(record, list) for record in records):
        rows = as_table(records, "")
        if rows is not None:
            json_table = JsonTable("", "a row in each line", rows.records, lines[len(lines) - len(rows.records) :])
    tables = _inner_tables(json_table, name, None, notes, place="line {}", aside=bad)
    shape = {"shape": json_table.shape}
    return Document("JSON Lines", _WHY_LINES, tuple(tables), partial(_by_dotted_name, tables), shape)


def _broken(text: str, error: json.JSONDecodeError, name: str) -> Document:
    """Offer what stands before the place where an array breaks."""
    items, broken = items_up_to_a_break(text, JsonParser()) if text.lstrip().startswith("[") else ([], None)
    if broken is None or not items:
        raise ContentError(
            f"{json_message(error)}, at line {error.lineno}, column {error.colno}", where=name,
            remedy="get it again, or repair that place",
        ) from None  # fmt: skip

    def make(make_sound: Callable[[ColumnRules], TableData], rules: ColumnRules) -> TableData:
        if rules.options.rows is None or rules.options.rows > len(items):
            sound = (
                f"{counted(len(items), 'record')} before that can be read: rows={len(items)}, or --rows {len(items)}"
            )
            raise ContentError(broken.what, where=name, remedy=sound)
        made = make_sound(rules)
        made.notes.append(f"it breaks after {counted(len(items), 'record')}: {broken.what}")
        return made

    json_table = JsonTable("", "array of records", items, [str(at) for at in range(len(items))])
    tables = [
        InnerTable(one.name, one.place, partial(make, one.make), one.about, one.group)
        for one in _inner_tables(json_table, name, None, [])
    ]
    return Document("JSON, broken", broken.what, tuple(tables), lambda _: None, {"shape": json_table.shape})


def _inner_tables(
    json_table: JsonTable,
    name: str,
    root: Any,
    notes: list[str],
    *,
    place: str | None = None,
    aside: Sequence[SourceLine] = (),
) -> list[InnerTable]:
    """Return a table and the tables of items inside its records."""
    title = json_table.pointer or name.rpartition("/")[2].partition(".")[0]
    place = place or f"{json_table.pointer}/{{}}"
    context = beside(root, json_table.pointer) if json_table.pointer else {}
    titles = [f"{key}: {one if isinstance(one, str) else written(one)}" for key, one in context.items()]
    known: dict[str, Flat] = {}

    def flat(lists: str) -> Flat:
        if lists not in known:
            known[lists] = flatten(json_table.records, lists)
        return known[lists]

    def make(rules: ColumnRules) -> TableData:
        found = flat(rules.options.lists)
        made = _made(found, json_table.keys, place, rules, by_key=bool(json_table.key_name))
        made.notes += [*_notes(found, json_table.pointer), *notes]
        made.titles = titles
        made.set_aside = list(aside)
        made.account = _account(len(json_table.records), found.positions()[: len(made.lines)], aside)
        return made

    about = "a list beside others" if json_table.pointer and json_table.shape == PLAIN_VALUES else ""
    tables = [InnerTable(title, json_table.shape, make, about)]
    # What the items are does not depend on what becomes of lists of plain values.
    for child, items in flat("keep").children.items():
        tables += _children(_child_name(json_table.pointer, child), title, child, items, json_table.keys, place)
    return tables


def _child_name(parent: str, key: str) -> str:
    """Return the name of a table of items inside the records of another.

    >>> _child_name("/farms", "barns"), _child_name("", "barns"), _child_name("barns", "cows")
    ('/farms/*/barns', 'barns', 'barns/*/cows')
    """
    return f"{parent}/*/{key.replace('.', '/')}" if parent else key


def _children(
    name: str, parent: str, key: str, items: list[tuple[int, Any]], keys: list[str], place: str, depth: int = 1
) -> list[InnerTable]:
    """Return the table of the items inside the records of another, and those inside its own."""
    records = [item for _, item in items]
    parents = np.array([number for number, _ in items], np.int64)
    own_keys = [keys[number] for number in parents.tolist()]

    def make(rules: ColumnRules) -> TableData:
        found = flatten(records, rules.options.lists)
        made = _made(found, own_keys, place, rules, parents=parents[found.positions()] + 1)
        made.notes += _notes(found, name)
        made.account = _account(len(records), found.positions()[: len(made.lines)], ())
        return made

    about = f"its column {PARENT} is the row number in {parent}"
    tables = [InnerTable(name, f"records in {key} of each record of {parent}", make, about)]
    if depth < MOST_LEVELS:
        for child, inner in flatten(records, "keep").children.items():
            tables += _children(_child_name(name, child), name, child, inner, own_keys, place, depth + 1)
    return tables


def _by_dotted_name(tables: Sequence[InnerTable], wanted: str) -> InnerTable | None:
    """Return the table whose name ends with keys that are given with dots between, if it is the only one."""
    asked = _dotted(wanted)
    found = [one for one in tables if _dotted(one.name) == asked or _dotted(one.name).endswith(f".{asked}")]
    return found[0] if asked and len(found) == 1 else None


def _dotted(name: str) -> str:
    return name.strip("/").replace("/*/", ".").replace("/", ".")


def _made(
    flat: Flat, keys: list[str], place: str, rules: ColumnRules, *, by_key: bool = False, parents: Codes | None = None
) -> TableData:
    rows = flat.positions() if rules.options.rows is None else flat.positions()[: rules.options.rows]
    if not by_key and all(key.isdigit() for key in keys):
        lines = np.array([int(keys[at]) for at in rows.tolist()], np.int64)
    else:
        lines, place = rows + 1, "record {}"
    columns = {}
    if parents is not None:
        title = PARENT
        while title in flat.columns:
            title += "_"
        number = parents[: len(rows)]
        plain = TypedCells(np.full(len(rows), SourceKind.NUMBER, np.uint8), number, np.full(len(rows), -1), [])
        columns[title] = make_column(title, plain, rules)
    for name in rules.chosen(list(flat.columns)):
        cells = flat.columns[name].cells()
        cells.kinds, cells.numbers, cells.texts = (
            part[: len(rows)] for part in (cells.kinds, cells.numbers, cells.texts)
        )
        columns[name or "_col.1"] = make_column(name, cells, rules, dates_in_text=True)
    return TableData(chosen_columns(columns, rules), lines, place, notes=not_known(list(flat.columns), rules))


def _account(records: int, rows: Codes, aside: Sequence[SourceLine]) -> SourceAccount:
    """Say what became of every record; rows are given by the record each was made of."""
    # Rows that were made of one record follow each other.
    used = int(np.count_nonzero(rows[1:] != rows[:-1])) + bool(len(rows))
    beyond = {"beyond those asked for": records - used} if records > used else {}
    bad = {"that cannot be read": len(aside)} if aside else {}
    return SourceAccount("record", records + len(aside), len(rows), beyond, bad, len(rows) - used)


def _notes(flat: Flat, pointer: str) -> list[str]:
    notes = []
    for name, column in flat.columns.items():
        notes += _cell_notes(name, column.kinds.count(SourceKind.ERROR), column.kinds.count(SourceKind.NESTED))
    for name, items in flat.children.items():
        own = _child_name(pointer, name)
        notes.append(f"{counted(len(items), 'record')} in {name} are a table of their own: load_all, or table={own!r}")
    return notes


def _cell_notes(name: str, not_finite: int, nested: int) -> list[str]:
    cell_notes = []
    if not_finite:
        cell_notes.append(f"{counted(not_finite, 'cell')} of {name} with NaN or Infinity, missing as marker")
    if nested:
        apart = "lists='count', 'rows' or 'columns' (--lists) takes them apart"
        cell_notes.append(f"{counted(nested, 'list')} in {name} kept as text; {apart}")
    return cell_notes
