"""Tables as JSON (RFC 8259) and JSON Lines. Pure: table in, bytes out.

Records have the same keys, so that all of them are written by one form with a place for each value. Where keys of
missing cells are left out, each record is put together by itself.
"""

from collections.abc import Iterator, Mapping
from json.encoder import encode_basestring
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
    form = _form(shape)
    names = list(_names_in(shape))
    for start in range(0, table.row_count, ROWS_AT_ONCE):
        cells = {name: _cells(column._part(start, start + ROWS_AT_ONCE)) for name, column in table.columns.items()}
        count = min(ROWS_AT_ONCE, table.row_count - start)
        if leave_missing_out or not names:
            records: Iterator[str] = (_record(shape, cells, at) for at in range(count))
        else:
            records = map(form.__mod__, zip(*(_with_null(cells[name]) for name in names), strict=True))
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


def _names_in(shape: Mapping[str, Any]) -> Iterator[str]:
    """Return the columns in the order in which a record has them."""
    for inner in shape.values():
        if isinstance(inner, dict):
            yield from _names_in(inner)
        else:
            yield inner


def _form(shape: Mapping[str, Any]) -> str:
    """Return what all records are written by, with ``%s`` in the place of each value.

    >>> _form({"kg": "kg", "at": {"x": "at.x"}})
    '{"kg": %s, "at": {"x": %s}}'
    """
    parts = (
        f"{encode_basestring(key).replace('%', '%%')}: {_form(inner) if isinstance(inner, dict) else '%s'}"
        for key, inner in shape.items()
    )
    return "{" + ", ".join(parts) + "}"


def _with_null(cells: list[str | None]) -> list[str]:
    return [cell or "null" for cell in cells]


def _record(shape: Mapping[str, Any], cells: Mapping[str, list[str | None]], at: int) -> str:
    """Write a record without the keys of missing cells."""
    parts = []
    for key, inner in shape.items():
        if isinstance(inner, dict):
            text: str | None = _record(inner, cells, at)
            text = None if text == "{}" else text
        else:
            text = cells[inner][at]
        if text:
            parts.append(f"{encode_basestring(key)}: {text}")
    return "{" + ", ".join(parts) + "}"


def _cells(column: Column) -> list[str | None]:
    """Return the cells of a column as JSON; None where missing."""
    cells: list[str | None]
    if isinstance(column.values, Text):
        nested = column.type.word == "json"
        items = column.values.items() if nested else list(map(encode_basestring, column.values.items()))
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
