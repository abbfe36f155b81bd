"""What is said of the tables in JSON, whichever way they are read: names, notes, and what became of each record."""

import json
from collections.abc import Collection, Mapping, Sequence

import numpy as np

from comb.errors import counted, listing
from comb.kernels.grouping import Codes
from comb.reading.documents.json.parse import JsonParser, json_message
from comb.reading.documents.model import InnerTable
from comb.tables.origin import SourceAccount, SourceLine

# A column of a table of items that says which row of the parent each belongs to.
PARENT = "parent_row"
MOST_LISTED = 5

# What is said of JSON Lines.
EACH_LINE = "a record in each line"
WHY_LINES = "each line is JSON of its own"

# What is said of other documents, and of some of their tables.
WHY_DOCUMENT = "it begins and ends as JSON does"
OBJECT_WITH_TABLES = "object with tables inside"


def bad_line(parser: JsonParser, number: int, line: str) -> SourceLine | None:
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


def bad_note(bad: list[SourceLine]) -> list[str]:
    """Say which lines were set aside, if any were."""
    places = listing([f"{one.place} ({one.reason})" for one in bad], MOST_LISTED)
    return [f"{counted(len(bad), 'line')} set aside: {places}"] if bad else []


def child_name(parent: str, key: str) -> str:
    """Return the name of a table of items inside the records of another.

    >>> child_name("/farms", "barns"), child_name("", "barns"), child_name("barns", "cows")
    ('/farms/*/barns', 'barns', 'barns/*/cows')
    """
    return f"{parent}/*/{key.replace('.', '/')}" if parent else key


def by_dotted_name(tables: Sequence[InnerTable], wanted: str) -> InnerTable | None:
    """Return the table whose name ends with keys that are given with dots between, if it is the only one."""
    asked = _dotted(wanted)
    found = [one for one in tables if _dotted(one.name) == asked or _dotted(one.name).endswith(f".{asked}")]
    return found[0] if asked and len(found) == 1 else None


def _dotted(name: str) -> str:
    return name.strip("/").replace("/*/", ".").replace("/", ".")


def account_of(records: int, rows: Codes, aside: Sequence[SourceLine]) -> SourceAccount:
    """Say what became of every record; rows are given by the record each was made of."""
    # Rows that were made of one record follow each other.
    used = int(np.count_nonzero(rows[1:] != rows[:-1])) + bool(len(rows))
    beyond = {"beyond those asked for": records - used} if records > used else {}
    bad = {"that cannot be read": len(aside)} if aside else {}
    return SourceAccount("record", records + len(aside), len(rows), beyond, bad, len(rows) - used)


def parent_title(names: Collection[str]) -> str:
    """Return the name of the column that says which row of the parent an item belongs to.

    >>> parent_title(["weight", "parent_row"])
    'parent_row_'
    """
    title = PARENT
    while title in names:
        title += "_"
    return title


def table_notes(cells: Mapping[str, tuple[int, int]], below: Mapping[str, int], pointer: str) -> list[str]:
    """Say what is unusual in a table.

    Parameters
    ----------
    cells : mapping of str to (int, int)
        How many cells of each column are not finite, and how many are lists.
    below : mapping of str to int
        How many records are in lists inside its own, by dotted key.
    pointer : str
        Its own name, as far as others begin with it.
    """
    notes = []
    for name, (not_finite, nested) in cells.items():
        if not_finite:
            notes.append(f"{counted(not_finite, 'cell')} of {name} with NaN or Infinity, missing as marker")
        if nested:
            apart = "lists='count', 'rows' or 'columns' (--lists) takes them apart"
            notes.append(f"{counted(nested, 'list')} in {name} kept as text; {apart}")
    for name, count in below.items():
        own = child_name(pointer, name)
        notes.append(f"{counted(count, 'record')} in {name} are a table of their own: load_all, or table={own!r}")
    return notes
