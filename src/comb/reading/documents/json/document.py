"""JSON as a document: what shape it has, the tables inside, each as columns."""

import json
from collections.abc import Callable, Sequence
from functools import partial
from itertools import islice
from pathlib import PurePath
from typing import Any, Self

import msgspec
import numpy as np

from comb.errors import ContentError, counted
from comb.inference.typed_cells import SourceKind, TypedCells
from comb.kernels.grouping import Codes
from comb.kernels.types import Data
from comb.reading.column_rules import ColumnRules
from comb.reading.documents.json.find import (
    EMPTY_LIST,
    MOST_TABLES,
    PLAIN_VALUES,
    JsonTable,
    as_table,
    beside,
    find_tables,
    follow,
)
from comb.reading.documents.json.flatten import Flat, Growth, flatten
from comb.reading.documents.json.notes import (
    EACH_LINE,
    OBJECT_WITH_TABLES,
    PARENT,
    WHY_DOCUMENT,
    WHY_LINES,
    account_of,
    bad_line,
    bad_note,
    by_dotted_name,
    child_name,
    parent_title,
    table_notes,
)
from comb.reading.documents.json.parse import (
    JsonParser,
    documents_in_a_row,
    halves_note,
    items_up_to_a_break,
    json_message,
    whole_lines,
    written,
)
from comb.reading.documents.model import Document, InnerTable, TableData, chosen_columns, make_column, not_known
from comb.tables.origin import SourceLine

SAMPLE_LINES = 20

# What files with a record in each line are called.
_LINES = (".jsonl", ".ndjson")

# Lists of records inside records are followed so far.
MOST_LEVELS = 8

# So much of a text shows whether there is a record in each line.
LOOKED_AT = 100_000


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
    if _is_lines(text, one_will_do=is_named_lines(name)) or (is_named_lines(name) and not text.strip()):
        return _lines_document(text, parser, name)
    in_a_row: list[str] = []
    try:
        value = parser.read(text)
    except json.JSONDecodeError as error:
        value, count, broken = documents_in_a_row(text, parser := JsonParser())
        if broken is not None:
            remedy = "get it again, or repair that place: the documents before it are whole"
            raise ContentError(broken.what, where=name, remedy=remedy) from None
        if not count:
            return _broken(text, error, name)
        in_a_row = [f"{count:,} documents one after the other are read as one list"]
    except ValueError as error:
        raise ContentError(str(error), where=name) from None
    notes = [*repeated_note(parser), *halves_note(text.encode(errors="surrogatepass")), *in_a_row]
    json_tables = JsonTables.in_value(value)
    tables = [inner for one in json_tables.tables for inner in inner_tables(one, name, value, notes)]

    def find(wanted: str) -> InnerTable | None:
        if wanted and not wanted.startswith("/"):
            return by_dotted_name(tables, wanted)
        inner, there = follow(value, wanted)
        known = {one.pointer: one for one in json_tables.tables if one.names_at}
        json_table = known.get(wanted) or (as_table(inner, wanted) if there else None)
        if there and inner == []:
            json_table = JsonTable(wanted, EMPTY_LIST, [], [])
        return None if json_table is None else inner_tables(json_table, name, value, notes)[0]

    return json_tables.document(tables, find)


class JsonTables(msgspec.Struct, frozen=True):
    """The tables in a JSON document, and the shape of the whole."""

    tables: list[JsonTable]
    shape: str

    @classmethod
    def in_value(cls, value: Any) -> Self:
        """Find the tables in what a document says."""
        tables = list(islice(find_tables(value), MOST_TABLES))
        # A plain object beside tables says something about them.
        tables = [one for one in tables if one.shape != "one record"] or tables
        shape = tables[0].shape if len(tables) == 1 and not tables[0].pointer else OBJECT_WITH_TABLES
        if isinstance(value, list) and not tables:
            shape = PLAIN_VALUES if value else EMPTY_LIST
            tables = [JsonTable("", shape, value, [str(at) for at in range(len(value))])]
        return cls(tables, shape)

    def document(self, tables: Sequence[InnerTable], find: Callable[[str], InnerTable | None]) -> Document:
        """Return the document with what was made of its tables."""
        return Document("JSON", WHY_DOCUMENT, tuple(tables), find, {"shape": self.shape})


def repeated_note(parser: JsonParser) -> list[str]:
    """Say how many keys stood more than once, if any did."""
    message = f"{counted(parser.repeated, 'key')} stood more than once in an object; the last counts"
    return [message] if parser.repeated else []


def is_named_lines(name: str) -> bool:
    """Return whether a file is called like JSON Lines: of one line nothing else tells them from a document.

    >>> is_named_lines("june.jsonl"), is_named_lines("june.ndjson.gz"), is_named_lines("june.json")
    (True, True, False)
    """
    suffixes = [one.lower() for one in PurePath(name).suffixes[-2:]]
    return bool(suffixes) and (suffixes[-1] in _LINES or (len(suffixes) > 1 and suffixes[0] in _LINES))


def _is_lines(text: str, *, one_will_do: bool = False) -> bool:
    """Return whether each line is a value of its own."""
    lines = [line for _, (_, line) in zip(range(SAMPLE_LINES), whole_lines(text), strict=False)]
    if len(lines) < (1 if one_will_do else 2):
        return False
    sound = 0
    for line in lines:
        try:
            value = json.loads(line)
        except (ValueError, RecursionError):
            continue
        sound += isinstance(value, dict | list)
    return 2 * sound > len(lines)


def begins_as_lines(data: Data, name: str) -> bool:
    """Return whether a text is likely to be JSON Lines with an object in each."""
    beginning = bytes(data[:LOOKED_AT]).decode(errors="replace").removeprefix("\ufeff")
    if not beginning.lstrip().startswith("{"):
        return False
    if is_named_lines(name) and "\n" not in beginning.strip():
        return _is_lines(bytes(data).decode(errors="replace").removeprefix("\ufeff"), one_will_do=True)
    return _is_lines(beginning[: beginning.rfind("\n") + 1])


def _lines_document(text: str, parser: JsonParser, name: str) -> Document:
    records: list[Any] = []
    lines: list[str] = []
    bad: list[SourceLine] = []
    for number, line in whole_lines(text):
        try:
            records.append(parser.read(line))
            lines.append(str(number))
        except ValueError:
            bad += [one for one in [bad_line(parser, number, line)] if one]
    # What is not there comes last, where the sentence over a table shows it.
    notes = [*repeated_note(parser), *halves_note(text.encode(errors="surrogatepass")), *bad_note(bad)]
    json_table = JsonTable("", EACH_LINE, records, lines)
    if records and all(isinstance(record, list) for record in records):
        rows = as_table(records, "")
        if rows is not None:
            json_table = JsonTable("", "a row in each line", rows.records, lines[len(lines) - len(rows.records) :])
    tables = inner_tables(json_table, name, None, notes, place="line {}", aside=bad)
    shape = {"shape": json_table.shape}
    return Document("JSON Lines", WHY_LINES, tuple(tables), partial(by_dotted_name, tables), shape)


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
        for one in inner_tables(json_table, name, None, [])
    ]
    return Document("JSON, broken", broken.what, tuple(tables), lambda _: None, {"shape": json_table.shape})


def title_of(pointer: str, name: str) -> str:
    """Return the name of a table: where it is in a document, else that of the document."""
    return pointer or name.rpartition("/")[2].partition(".")[0]


def titles_of(root: Any, pointer: str) -> list[str]:
    """Return what is said beside a table, in the objects around it."""
    context = beside(root, pointer) if pointer else {}
    return [f"{key}: {one if isinstance(one, str) else written(one)}" for key, one in context.items()]


def inner_tables(
    json_table: JsonTable,
    name: str,
    root: Any,
    notes: list[str],
    *,
    place: str | None = None,
    aside: Sequence[SourceLine] = (),
) -> list[InnerTable]:
    """Return a table and the tables of items inside its records."""
    title, titles = title_of(json_table.pointer, name), titles_of(root, json_table.pointer)
    place = place or f"{json_table.pointer}/{{}}"
    known: dict[str, Flat] = {}

    def flat(lists: str) -> Flat:
        if lists not in known:
            known[lists] = flatten(json_table.records, lists)
            known[lists].name_columns(json_table.names)
        return known[lists]

    def make(rules: ColumnRules) -> TableData:
        found = flat(rules.options.lists)
        if json_table.shape in (EMPTY_LIST, EACH_LINE) and not json_table.records:
            found = Flat({column: Growth() for column in _named_types(rules)})
        made = _made(found, json_table.keys, place, rules, by_key=bool(json_table.key_name))
        made.notes += [*_notes(found, json_table.pointer), *notes]
        made.notes += [f"the columns are named by {json_table.names_at}"] if json_table.names_at else []
        if not json_table.records and not json_table.names:
            named = "; its columns are those whose types are given" if found.columns else ", and so no column"
            made.notes.append(f"there is no record{named}")
        made.titles = titles
        made.set_aside = list(aside)
        made.account = account_of(len(json_table.records), found.positions()[: len(made.lines)], aside)
        return made

    about = "a list beside others" if json_table.pointer and json_table.shape == PLAIN_VALUES else ""
    tables = [InnerTable(title, json_table.shape, make, about)]
    # What the items are does not depend on what becomes of lists of plain values.
    for child, items in flat("keep").children.items():
        tables += _children(child_name(json_table.pointer, child), title, child, items, json_table.keys, place)
    return tables


def _named_types(rules: ColumnRules) -> list[str]:
    """Return the columns whose types are declared by their names: without a record, they are all that is known."""
    types = rules.options.types
    return [name for name in types if not set("*?[") & set(name)] if isinstance(types, dict) else []


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
        made.account = account_of(len(records), found.positions()[: len(made.lines)], ())
        return made

    about = f"its column {PARENT} is the row number in {parent}"
    tables = [InnerTable(name, f"records in {key} of each record of {parent}", make, about)]
    if depth < MOST_LEVELS:
        for child, inner in flatten(records, "keep").children.items():
            tables += _children(child_name(name, child), name, child, inner, own_keys, place, depth + 1)
    return tables


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
        title = parent_title(flat.columns)
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


def _notes(flat: Flat, pointer: str) -> list[str]:
    columns = flat.columns.items()
    cells = {name: (one.kinds.count(SourceKind.ERROR), one.kinds.count(SourceKind.NESTED)) for name, one in columns}
    return table_notes(cells, {name: len(items) for name, items in flat.children.items()}, pointer)
