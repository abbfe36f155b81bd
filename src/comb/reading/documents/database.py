"""SQLite databases: each table and view is a table inside the source.

The file is read as it is, without being opened for writing: its bytes become a database in memory. Values keep the
types they are stored with. SQLite has no dates, booleans or decimals; where a column is declared as one and every value
can be read so, it becomes one, else it stays what it is. A column that holds values of several kinds becomes text, and
the note says so; bytes are written in hexadecimal.
"""

import contextlib
import re
import sqlite3
from collections.abc import Iterator, Sequence
from functools import partial
from typing import Any

import numpy as np

from comb.errors import ContentError
from comb.parsing.patterns import Request
from comb.reading.column_rules import ColumnRules
from comb.reading.documents.described_database import COLUMNS_TABLE, MISSING_TABLE, described
from comb.reading.documents.model import Document, InnerTable, TableData
from comb.reading.documents.typed_columns import read_as, typed_table
from comb.tables.column import Column
from comb.tables.from_python import column_of, infinite_notes, mixed_note
from comb.tables.reasons import Reason
from comb.tables.types import BOOLEAN

ROWS_AT_ONCE = 10_000

# A database that somebody sent may hold a view that never ends: no more than this is done for one, in instructions of
# SQLite's machine, and no more cells are taken of it than the file has bytes, or this many.
MOST_INSTRUCTIONS = 2_000_000_000
INSTRUCTIONS_AT_ONCE = 1_000_000
LEAST_CELLS = 1_000_000

_AS_TABLE = "if that is meant, make a table of it: create table ... as select * from ..."

# Bytes of the header that say how changes are written: 2 is by a file beside it, which bytes in memory do not have.
_JOURNAL = slice(18, 20)

_WHY = "stored with this type in the database"
_DECLARED = "declared so in the database, and every value fits"

# What a column may be declared as, and what it is read as where all values fit. SQLite's own kinds are left out.
_DECLARED_KINDS = (
    (re.compile(r"bool", re.IGNORECASE), "boolean"),
    (re.compile(r"(datetime|timestamp)", re.IGNORECASE), "datetime"),
    (re.compile(r"date", re.IGNORECASE), "date"),
    (re.compile(r"time", re.IGNORECASE), "time"),
    (re.compile(r"(duration|interval)", re.IGNORECASE), "duration"),
    (re.compile(r"(decimal|numeric|money)", re.IGNORECASE), "decimal"),
    (re.compile(r"json", re.IGNORECASE), "json"),
)


def read_database(data: bytes, name: str) -> Document:
    """Find the tables of a database.

    Raises
    ------
    ContentError
        If it is damaged.
    """
    with _opened(data, name) as database:
        found = database.execute(
            "select name, type from sqlite_schema where type in ('table', 'view') and name not like 'sqlite\\_%' "
            "escape '\\' order by type, rowid"
        ).fetchall()
        names = {title: tuple(row[1] for row in _facts_of(database, title)) for title, _ in found}
    inner = {
        title: InnerTable(
            title,
            "in the database",
            partial(_table, data, name, title),
            "a view" if kind == "view" else "",
            names=names[title],
        )
        for title, kind in found
    }
    # What describes the others is a table only for who asks for it.
    tables = tuple(one for title, one in inner.items() if title not in (COLUMNS_TABLE, MISSING_TABLE))
    return Document("SQLite database", "its first bytes say so", tables, inner.get)


def _facts_of(database: sqlite3.Connection, title: str) -> list[tuple[Any, ...]]:
    """Return the columns of a table: number, name, declared type and more; a broken view has none."""
    try:
        return database.execute(f"pragma table_info({_quoted(title)})").fetchall()
    except sqlite3.Error:
        return []


def _quoted(title: str) -> str:
    return '"' + title.replace('"', '""') + '"'


@contextlib.contextmanager
def _opened(data: bytes, name: str) -> Iterator[sqlite3.Connection]:
    database = sqlite3.connect(":memory:")
    try:
        if data[_JOURNAL] == b"\x02\x02":
            data = data[: _JOURNAL.start] + b"\x01\x01" + data[_JOURNAL.stop :]
        database.deserialize(data)
        database.execute("pragma trusted_schema = off")
        database.text_factory = lambda text: text.decode("utf-8", "surrogateescape")
        yield database
    except (sqlite3.Error, OverflowError) as error:
        if str(error) == "interrupted":
            what = "a view of it takes more than is done for one whose source is not trusted"
            raise ContentError(what, where=name, remedy=_AS_TABLE) from None
        raise ContentError(f"the database cannot be read: {error}", where=name) from None
    finally:
        database.close()


class _Bound:
    """What a view may take; asked now and then, so that Ctrl-C is heeded too."""

    def __init__(self, data: bytes, name: str, title: str, *, is_view: bool) -> None:
        self._name = name
        self._title, self._is_view, self._done = title, is_view, 0
        self._most = max(LEAST_CELLS, len(data))

    def instructions(self) -> int:
        """Count some instructions; not 0 stops the query."""
        self._done += INSTRUCTIONS_AT_ONCE
        return int(self._is_view and self._done > MOST_INSTRUCTIONS)

    def cells(self, count: int) -> None:
        """Raise a ContentError if a view has given more cells than there can be in a sound one."""
        if self._is_view and count > self._most:
            raise ContentError(
                f"the view {self._title!r} gives more than {self._most:,} cells",
                where=self._name,
                remedy=_AS_TABLE,
            )


def _table(data: bytes, name: str, title: str, rules: ColumnRules) -> TableData:
    """Read a table or view."""
    with _opened(data, name) as database:
        kinds = dict(database.execute("select name, type from sqlite_schema").fetchall())
        declared = {row[1]: str(row[2]) for row in _facts_of(database, title)}
        bound = partial(_Bound, data, name, title, is_view=kinds.get(title) == "view")
        lenient, database.text_factory = database.text_factory, str
        try:
            names, cells = _cells(database, title, bound())
        except sqlite3.OperationalError as error:
            if "decode" not in str(error):
                raise
            # Few databases have bytes that are not text: their texts are decoded one by one.
            database.text_factory = lenient
            names, cells = _cells(database, title, bound())
    columns: dict[str, Column] = {}
    notes = []
    for column_name, values in zip(names, cells, strict=True):
        texts = [value for value in values if isinstance(value, str)]
        # That all are sound is asked of all at once.
        broken = [] if _is_sound("".join(texts)) else _broken(values)
        for at in broken:
            values[at] = values[at].encode("utf-8", "surrogateescape").decode("utf-8", "replace")
        if broken:
            notes.append(f"{column_name} has bytes that are not UTF-8, shown as � ({len(broken):,} cells)")
        column = column_of(column_name, values, mixed_as_text=True)
        message = mixed_note(column_name, values, column)
        notes += [message] if message else []
        columns[column_name] = column if message else _as_declared(column, declared.get(column_name, ""))
    notes += infinite_notes(columns)
    with _opened(data, name) as database:
        columns, told = described(database, title, columns)
    notes += told
    return typed_table(columns, len(cells[0]) if cells else 0, rules, title, _WHY, notes)


def _cells(database: sqlite3.Connection, title: str, bound: _Bound) -> tuple[list[str], list[list[Any]]]:
    """Return the names of the columns of a table or view, and the cells of each."""
    database.set_progress_handler(bound.instructions, INSTRUCTIONS_AT_ONCE)
    cursor = database.execute(f"select * from {_quoted(title)}")
    names = [column[0] for column in cursor.description]
    cells: list[list[Any]] = [[] for _ in names]
    while rows := cursor.fetchmany(ROWS_AT_ONCE):
        for so_far, more in zip(cells, zip(*rows, strict=True), strict=True):
            so_far.extend(more)
        bound.cells(len(cells) * len(cells[0]))
    return names, cells


def _broken(values: Sequence[Any]) -> list[int]:
    """Return which values are texts with bytes that are not UTF-8."""
    return [at for at, value in enumerate(values) if isinstance(value, str) and not _is_sound(value)]


def _is_sound(text: str) -> bool:
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def _as_declared(column: Column, declared: str) -> Column:
    """Read a column as what it is declared as, if every value can be."""
    word = next((word for pattern, word in _DECLARED_KINDS if pattern.search(declared)), "")
    if not word or column.type.word == word or column.missing_count == len(column):
        return column
    if word == "boolean":
        if column.type.word == "integer" and np.isin(column.array[column.present], (0, 1)).all():
            return column._replace(type=BOOLEAN, values=column.array.astype(np.bool_))
        return column
    if column.type.word not in (("integer", "number", "string") if word == "decimal" else ("string",)):
        return column
    made = read_as(column, Request(word, ""))
    lost = (made.states == Reason.UNREADABLE) | (made.states == Reason.MARKER)
    return column if (lost & column.present).any() else made
