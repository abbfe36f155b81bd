"""Tables as an SQLite database: one file, made in memory and written at once.

SQLite has integers, floats, texts and bytes. What else a column holds is declared so that it can be read back: dates,
datetimes and durations are texts by ISO 8601, booleans 0 and 1, decimals numbers. A missing cell is null. With a
description the database has two tables more: `comb_columns` says what each column is, and `comb_missing_cells` why each
missing cell is missing, and the text that stood there.
"""

import json
import sqlite3
from collections.abc import Iterator, Mapping
from itertools import chain
from typing import Any

import numpy as np

from comb.errors import ParameterError
from comb.reading.documents.described_database import COLUMNS_TABLE, MISSING_TABLE
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.types import Type

# SQLite holds a decimal as a float, which is exact up to this number of digits.
EXACT_DIGITS = 15

_DECLARED = {
    "integer": "integer", "number": "real", "string": "text", "boolean": "boolean", "date": "date",
    "datetime": "datetime", "time": "time", "duration": "duration", "json": "json",
}  # fmt: skip


def database_bytes(tables: Mapping[str, BareTable], *, describe: bool) -> bytes:
    """Return a database with a table for each table.

    Parameters
    ----------
    tables : mapping of str to BareTable
    describe : bool
        Add the tables that say what columns are and why cells are missing.

    Raises
    ------
    ParameterError
        If a name or a value cannot be in a database.
    """
    database = sqlite3.connect(":memory:")
    try:
        for name, table in tables.items():
            _check(name, table)
            _add(database, name, _declarations(table), table.rows(), list(table.columns.values()))
        if describe:
            facts = [
                _facts(name, title, column) for name, table in tables.items() for title, column in table.columns.items()
            ]
            _insert(database, COLUMNS_TABLE, "table_name text, column_name text, type text, digits integer, "
                    "description text, choices json", facts)  # fmt: skip
            cells = chain.from_iterable(_missing_cells(name, table) for name, table in tables.items())
            _insert(
                database, MISSING_TABLE, "table_name text, row integer, column_name text, reason text, text text", cells
            )
        database.commit()
        return database.serialize()
    except (sqlite3.Error, OverflowError) as error:
        raise ParameterError(
            f"an SQLite database cannot hold this table: {error}",
            remedy="names of columns differ by more than capital letters there, and there are 2,000 at most",
        ) from None
    finally:
        database.close()


def _check(name: str, table: BareTable) -> None:
    if name.lower().startswith("sqlite_") or name in (COLUMNS_TABLE, MISSING_TABLE):
        raise ParameterError(f"a table of an SQLite database cannot be called {name!r}", remedy="choose another name")
    for title, column in table.columns.items():
        if column.type.plain.word == "decimal":
            long = np.flatnonzero(column.present & (np.abs(column.array) >= 10**EXACT_DIGITS))
            if len(long):
                raise ParameterError(
                    f"{title} has decimals of more than {EXACT_DIGITS} digits, the first in row "
                    f"{table.row_numbers[long[0]]}; SQLite rounds them",
                    remedy=f"convert({{{title!r}: 'string'}}) keeps them as text",
                )


def _declarations(table: BareTable) -> str:
    if not table.names:
        raise ParameterError("a table of an SQLite database has a column at least", remedy="this one has none")
    return ", ".join(f"{_quoted(title)} {_declared(column.type.plain)}" for title, column in table.columns.items())


def _declared(kind: Type) -> str:
    return f"decimal(18, {kind.scale})" if kind.word == "decimal" else _DECLARED[kind.word]


def _quoted(title: str) -> str:
    return '"' + title.replace('"', '""') + '"'


def _add(
    database: sqlite3.Connection, name: str, declarations: str, rows: Iterator[Any], columns: list[Column]
) -> None:
    written = [column.type.plain.word for column in columns]
    as_text = [at for at, word in enumerate(written) if word in ("date", "datetime", "time", "duration")]
    as_float = [at for at, word in enumerate(written) if word == "decimal"]
    if as_text or as_float:
        texts = {at: iter(columns[at].texts()) for at in as_text}

        def plain() -> Iterator[list[Any]]:
            for row in rows:
                cells = list(row)
                for at in as_text:
                    cells[at] = next(texts[at])
                for at in as_float:
                    cells[at] = None if cells[at] is None else float(cells[at])
                yield cells

        _insert(database, name, declarations, plain())
        return
    _insert(database, name, declarations, rows)


def _insert(database: sqlite3.Connection, name: str, declarations: str, rows: Any) -> None:
    database.execute(f"create table {_quoted(name)} ({declarations})")
    width = len(database.execute(f"pragma table_info({_quoted(name)})").fetchall())
    database.executemany(f"insert into {_quoted(name)} values ({', '.join('?' * width)})", rows)


def _facts(name: str, title: str, column: Column) -> tuple[Any, ...]:
    kind = column.type
    choices = json.dumps([[one.value, one.label] for one in kind.choices], ensure_ascii=False) if kind.base else None
    digits = kind.plain.scale if kind.plain.word == "decimal" else None
    word = f"category of {kind.plain.word}" if kind.base else kind.word
    return (
        name,
        title,
        f"{word} in universal time" if kind.plain.utc else word,
        digits,
        column.description or None,
        choices,
    )


def _missing_cells(name: str, table: BareTable) -> Iterator[tuple[Any, ...]]:
    for title, column in table.columns.items():
        if not column.missing_count:
            continue
        places = np.flatnonzero(column.missing)
        reasons = column._take(places).reasons()
        for at, reason in zip(places.tolist(), reasons, strict=True):
            yield name, at + 1, title, reason, column.kept.texts.get(at)
