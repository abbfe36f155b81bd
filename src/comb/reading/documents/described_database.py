"""What a database that Comb wrote says of its columns and missing cells, and whether that is still so."""

import json
import sqlite3
from collections.abc import Mapping
from typing import Any

import numpy as np

from comb.errors import ParameterError
from comb.tables.categories import as_category
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.reasons import REASON_WORDS
from comb.tables.types import UTC_DATETIME, decimal

# The tables that describe the others.
COLUMNS_TABLE, MISSING_TABLE = "comb_columns", "comb_missing_cells"

# A decimal of more digits is not what was written.
_MOST_DIGITS = 18


def described(
    database: sqlite3.Connection, title: str, columns: Mapping[str, Column]
) -> tuple[dict[str, Column], list[str]]:
    """Give the columns of a table what its description says, where it fits.

    Returns
    -------
    columns, notes
    """
    made, notes = dict(columns), list[str]()
    try:
        facts = database.execute(f"select * from {COLUMNS_TABLE} where table_name = ?", (title,)).fetchall()
        cells = database.execute(f"select * from {MISSING_TABLE} where table_name = ?", (title,)).fetchall()
    except sqlite3.Error:
        return made, notes
    for name, column in columns.items():
        gaps = {int(row) - 1: (reason, text) for _, row, other, reason, text in cells if other == name}
        if column.missing_count and gaps:
            found = _with_reasons(column, gaps)
            if found is None:
                notes.append(f"{name} is not as it was written: why its cells are missing is lost")
            made[name] = found or column
    for _, name, word, digits, description, choices in facts:
        if name in made:
            column = made[name]._replace(description=description or "")
            made[name] = _as_described(column, str(word), digits, choices)
    return made, notes


def _with_reasons(column: Column, gaps: Mapping[int, tuple[Any, Any]]) -> Column | None:
    """Return a column with its reasons, if exactly the cells are missing that were; else None."""
    places = np.flatnonzero(column.missing).tolist()
    if sorted(gaps) != places or not all(reason in REASON_WORDS for reason, _ in gaps.values()):
        return None
    states = column.states.copy()
    states[places] = [REASON_WORDS[gaps[at][0]] for at in places]
    return column._replace(state=states, kept=Kept({at: text for at, (_, text) in gaps.items() if text is not None}))


def _as_described(column: Column, word: str, digits: Any, choices: Any) -> Column:
    if word.endswith(" in universal time") and column.type.word == "datetime":
        column = column._replace(type=UTC_DATETIME)
    if isinstance(digits, int) and column.type.word == "decimal" and column.type.scale < digits <= _MOST_DIGITS:
        column = column._replace(type=decimal(digits), values=column.array * 10 ** (digits - column.type.scale))
    if choices is None:
        return column
    try:
        pairs = json.loads(choices)
        return as_category(column, [value for value, _ in pairs], {value: label for value, label in pairs if label})
    except (ValueError, TypeError, ParameterError):
        return column
