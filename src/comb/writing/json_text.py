"""Tables as JSON (RFC 8259) and JSON Lines. Pure: table in, bytes out."""

import json
from collections.abc import Iterator
from typing import Any

from comb.errors import ParameterError
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.value_texts import value_texts
from comb.writing.delimited import check_digits

ROWS_AT_ONCE = 20_000
SUFFIXES = (".json", ".jsonl", ".ndjson")


def json_parts(
    table: BareTable, *, lines: bool, nested: bool = False, leave_missing_out: bool = False
) -> Iterator[bytes]:
    """Write a table as an array of records, or a record in each line.

    Parameters
    ----------
    table : BareTable
    lines : bool
        Whether each record is in a line of its own, without an array around them.
    nested : bool
        Whether dotted names become objects inside objects.
    leave_missing_out : bool
        Whether keys of missing cells are left out; else they are null.

    Yields
    ------
    bytes
        Dates in ISO form, decimals digit for digit.

    Raises
    ------
    ParameterError
        If a name is both a value and an object around others.
    """
    check_digits(table)
    shape = _shape(table.names) if nested else {name: name for name in table.names}
    if not lines:
        yield b"["
    between = "" if lines else "\n  "
    for start in range(0, table.row_count, ROWS_AT_ONCE):
        cells = {name: _cells(column._part(start, start + ROWS_AT_ONCE)) for name, column in table.columns.items()}
        count = min(ROWS_AT_ONCE, table.row_count - start)
        records = (_record(shape, cells, at, leave_missing_out=leave_missing_out) for at in range(count))
        if lines:
            yield "".join(f"{record}\n" for record in records).encode()
        else:
            yield ("," if start else "").encode() + ",".join(f"{between}{record}" for record in records).encode()
    if not lines:
        yield b"\n]\n"


def _shape(names: tuple[str, ...]) -> dict[str, Any]:
    """Return what each key of a record holds: the name of a column, or keys of its own."""
    shape: dict[str, Any] = {}
    for name in names:
        at = shape
        *above, last = name.split(".")
        for key in above:
            at = at.setdefault(key, {})
            if isinstance(at, str):
                raise _both(at)
        if last in at:
            raise _both(name)
        at[last] = name
    return shape


def _both(name: str) -> ParameterError:
    return ParameterError(
        f"{name!r} is a column, and other columns would stand inside it",
        remedy="rename one of them, or leave out nested",
    )


def _record(shape: dict[str, Any], cells: dict[str, list[str | None]], at: int, *, leave_missing_out: bool) -> str:
    parts = []
    for key, inner in shape.items():
        if isinstance(inner, dict):
            text: str | None = _record(inner, cells, at, leave_missing_out=leave_missing_out)
            text = None if text == "{}" else text
        else:
            text = cells[inner][at]
        if text is None and leave_missing_out:
            continue
        parts.append(f"{json.dumps(key, ensure_ascii=False)}: {text or 'null'}")
    return "{" + ", ".join(parts) + "}"


def _cells(column: Column) -> list[str | None]:
    """Return the cells of a column as JSON; None where missing."""
    cells: list[str | None]
    if isinstance(column.values, Text):
        nested = column.type.word == "json"
        items = [text if nested else json.dumps(text, ensure_ascii=False) for text in column.values.items()]
        codes = column.values.codes
        cells = list(items) if codes is None else [items[code] for code in codes.tolist()]
    else:
        cells = [_plain(column.type.plain.word, text) for text in value_texts(column.type, column.values)]
    for at in column.missing.nonzero()[0].tolist():
        cells[at] = None
    return cells


def _plain(word: str, text: str) -> str:
    if word in ("date", "datetime", "time", "duration"):
        return f'"{text}"'
    # With a point, so that it is no whole number when it is read again.
    return text if word != "number" or "." in text or "e" in text.lower() else f"{text}.0"
