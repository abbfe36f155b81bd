"""Columns made of Python values and NumPy arrays. Pure.

The type of a column follows from its values: integers, floats, `Decimal`, booleans, dates, texts, lists and dicts
(as JSON). None is missing, ``blank``; NaN and NaT are missing, ``undefined``; what a masked array masks is ``blank``;
a key that one of several dicts does not have is ``absent``. Of an infinite number the text is kept.

Rows may be sequences, dicts, named tuples, dataclasses or rows of NumPy's structured arrays, mixed if need be.
Values of several kinds in one column are an error that names the first two, with their rows; where nobody typed them,
as in a database, they become texts, and the note says so.

Lists of numbers take NumPy's own road: the kinds are looked at once, then the list becomes an array.
"""

import contextlib
import dataclasses
import json
import math
from collections.abc import Iterable, Mapping, Sequence, Set
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.errors import ColumnError, ParameterError, agree, counted
from comb.kernels.types import INT64_MAX, INT64_MIN, MOST_DECIMAL_DIGITS
from comb.tables.column import Column
from comb.tables.evidence import nothing_in
from comb.tables.kept import Kept
from comb.tables.names import unique_names
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import (
    BOOLEAN,
    DATE,
    DATETIME,
    DURATION,
    INTEGER,
    JSON,
    NUMBER,
    STRING,
    TIME,
    UTC_DATETIME,
    Type,
    decimal,
)  # fmt: skip
from comb.tables.value_texts import plain_text, stored_value

# In lists of cells: the row has no such key.
NO_CELL = object()

_SHOWN = 40

_KINDS: dict[type, Type] = {bool: BOOLEAN, date: DATE, time: TIME, timedelta: DURATION}

# NumPy's units that a microsecond is a whole number of, or that are larger.
_DAYS = frozenset({"D", "W", "M", "Y"})
_FINER = frozenset({"ns", "ps", "fs", "as"})


def is_cells(cells: object) -> bool:
    """Return whether something may be the cells of a column."""
    return isinstance(cells, Iterable) and not isinstance(cells, str | bytes | Mapping | Set)


def column_of(name: str, cells: Any, *, mixed_as_text: bool = False) -> Column:
    """Make a column of values: of a list, an iterator, a NumPy array, another column.

    Parameters
    ----------
    name : str
        For messages.
    cells : iterable
        One-dimensional.
    mixed_as_text : bool
        Whether values of several kinds become texts; else they are an error.

    Raises
    ------
    ParameterError
        If the values are of no kind that a column holds, or of several.
    """
    if isinstance(cells, Column):
        return cells
    if isinstance(cells, np.ndarray):
        return _column_of_array(name, cells)
    return _column_of_values(name, cells if isinstance(cells, list) else list(cells), mixed_as_text)


def columns_of_rows(rows: Iterable[Any], names: Sequence[str] | None) -> dict[str, list[Any]]:
    """Turn rows into lists of cells by column.

    Parameters
    ----------
    rows : iterable
        Of sequences, mappings, dataclasses, named tuples.
    names : sequence of str, optional
        Of the columns; by default the keys or fields of the rows, in the order in which they come up.

    Raises
    ------
    ColumnError
        If a row has another number of cells than there are names.
    """
    every: list[Any] = rows if isinstance(rows, list) else list(rows)
    if every and all(_has_names(row) for row in every):
        return _columns_of_records([_record(row) for row in every], names)
    for at, row in enumerate(every, 1):
        if not _is_row(row):
            example = "for instance rows=[['Mill', 3]], names=['apiary', 'mites']"
            raise ParameterError(f"expected rows of cells, row {at} is {_short(row)}", remedy=example)
    width = len(names) if names is not None else len(every[0]) if every else 0
    for at, row in enumerate(every, 1):
        if len(row) != width:
            raise ColumnError(f"row {at} has {len(row)} cells, expected {width}")
    titles = unique_names(names if names is not None else [""] * width)
    return {title: [row[at] for row in every] for at, title in enumerate(titles)}


def _is_row(row: object) -> bool:
    return isinstance(row, Sequence | np.ndarray | np.void) and not isinstance(row, str | bytes)


def _has_names(row: object) -> bool:
    named = hasattr(row, "_fields") or callable(getattr(row, "keys", None))
    return named or (dataclasses.is_dataclass(row) and not isinstance(row, type))


def _record(row: Any) -> Mapping[str, Any]:
    """Return a row whose cells have names as a mapping."""
    if isinstance(row, Mapping):
        return row
    if callable(getattr(row, "keys", None)):
        return {name: row[name] for name in row.keys()}  # noqa: SIM118
    if hasattr(row, "_fields"):
        return dict(zip(row._fields, row, strict=True))
    return {field.name: getattr(row, field.name) for field in dataclasses.fields(row)}


def _columns_of_records(records: list[Mapping[str, Any]], names: Sequence[str] | None) -> dict[str, list[Any]]:
    keys: dict[str, None] = dict.fromkeys(names or ())
    if names is None:
        for record in records:
            if record.keys() != keys.keys():
                keys.update(dict.fromkeys(record))
    for key in keys:
        if not isinstance(key, str):
            raise ParameterError(f"expected names of columns as keys, got {key!r}", remedy="make them texts")
    return {key: [record.get(key, NO_CELL) for record in records] for key in keys}


def mixed_note(name: str, cells: Sequence[Any], column: Column) -> str:
    """Say that a column is text because it holds values of several kinds; nothing where it is not so."""
    kinds = sorted(kind.__name__ for kind in set(map(type, cells)) - {type(None)})
    if column.type != STRING or set(kinds) <= {"str"}:
        return ""
    if set(kinds) <= {"bytes", "bytearray", "memoryview"}:
        return f"{name} holds bytes: written in hexadecimal"
    return f"{name} holds values of several kinds ({', '.join(kinds)}): read as text"


def infinite_notes(columns: Mapping[str, Column]) -> tuple[str, ...]:
    """Say which columns had infinite numbers."""
    infinite = {
        name: len(column.kept.texts)
        for name, column in columns.items()
        if column.kept.texts and column.type == NUMBER and (column.states == Reason.UNREADABLE).any()
    }
    return tuple(
        f"{counted(count, 'cell')} of {name} {agree(count, 'is', 'are')} infinite: missing, the text is kept"
        for name, count in infinite.items()
    )


def _column_of_values(name: str, cells: list[Any], mixed_as_text: bool) -> Column:
    kinds = set(map(type, cells))
    if kinds == {int}:
        with contextlib.suppress(OverflowError):
            return Column(INTEGER, np.array(cells, np.int64))
    if kinds == {float}:
        return column_of_floats(np.array(cells, np.float64))
    if kinds == {float, type(None)}:
        # None becomes NaN, and differs from other NaN by its place.
        return column_of_floats(np.array(cells, np.float64), [at for at, cell in enumerate(cells) if cell is None])
    absent = [at for at, cell in enumerate(cells) if cell is NO_CELL] if object in kinds else []
    if any(issubclass(kind, np.generic) for kind in kinds):
        cells = [cell.item() if isinstance(cell, np.generic) else cell for cell in cells]
    if absent:
        cells = [None if cell is NO_CELL else cell for cell in cells]
    kinds = set(map(type, cells)) - {type(None)}
    found = _typed_column(name, cells, kinds, mixed_as_text)
    if absent:
        states = found.states.copy()
        states[absent] = Reason.ABSENT
        found = found._replace(state=states)
    return found


def _typed_column(name: str, cells: list[Any], kinds: set[type], mixed_as_text: bool) -> Column:
    if not kinds:
        return Column._of_strings(cells)._replace(evidence=nothing_in(len(cells)))
    if all(issubclass(kind, str) for kind in kinds):
        return _column_of_texts(name, cells)
    if all(issubclass(kind, dict | list) for kind in kinds):
        return _column_of_json(name, cells)
    # Columns hold finite numbers; what is not finite is missing, and the text of an infinite one is kept.
    odd: dict[int, str] = {}
    if any(issubclass(kind, float | Decimal) for kind in kinds):
        found = ((at, cell) for at, cell in enumerate(cells) if isinstance(cell, float | Decimal))
        odd = {at: str(cell) for at, cell in found if not math.isfinite(cell)}
    finite = [None if at in odd else cell for at, cell in enumerate(cells)] if odd else cells
    try:
        kind = _type_of(name, kinds, finite)
        missing = np.array([cell is None for cell in cells], np.bool_)
        values = _stored_values(name, finite, kind)
    except ParameterError:
        if not mixed_as_text:
            raise
        return _column_of_texts(name, [None if cell is None else _as_text(cell) for cell in cells])
    state = np.where(missing, np.uint8(Reason.BLANK), np.uint8(0))
    kept: dict[int, str] = {}
    for at, text in odd.items():
        undefined = "nan" in text.lower()
        state[at] = Reason.UNDEFINED if undefined else Reason.UNREADABLE
        kept |= {} if undefined else {at: text.lower().replace("infinity", "inf")}
    return Column(kind, values, state, kept=Kept(kept))


def _stored_values(name: str, cells: list[Any], kind: Type) -> NDArray[Any]:
    """Return cells as a column of a type stores them; what is at None means nothing."""
    some = next((cell for cell in cells if cell is not None), None)
    if some is None:
        return np.zeros(len(cells), kind.storage)
    filled = [some if cell is None else cell for cell in cells]
    if kind in (INTEGER, NUMBER, BOOLEAN, DATE, DATETIME, DURATION):
        return np.array(filled, kind.storage)
    return np.array([_stored(name, cell, kind) for cell in filled], kind.storage)


def _as_text(cell: Any) -> str:
    """Return a value of any kind as text: bytes in hexadecimal."""
    if isinstance(cell, bytes | bytearray | memoryview):
        return bytes(cell).hex()
    return plain_text(cell) if isinstance(cell, str | int | float | Decimal | date | time | timedelta) else str(cell)


def _column_of_texts(name: str, cells: list[Any]) -> Column:
    try:
        return Column._of_strings(cells)
    except UnicodeEncodeError as error:
        what = f"{error.object!r} in {name!r} has half of a character (a surrogate alone), which no text can hold"
        raise ParameterError(what, remedy="decode it with errors='replace'") from None


def _column_of_json(name: str, cells: list[Any]) -> Column:
    try:
        texts = ["" if cell is None else json.dumps(cell, ensure_ascii=False) for cell in cells]
    except (TypeError, ValueError) as error:
        raise ParameterError(f"{name!r} holds lists or dicts that JSON cannot write: {error}") from None
    state = np.where([cell is None for cell in cells], np.uint8(Reason.BLANK), np.uint8(0))
    return Column(JSON, Text.from_strings(texts), state)


def column_of_floats(values: NDArray[np.float64], blank: Sequence[int] | NDArray[np.int64] = ()) -> Column:
    """Make a column of floats: NaN is undefined, an infinite number is kept as text."""
    finite = np.isfinite(values)
    if finite.all():
        return Column(NUMBER, values)
    state = np.where(finite, np.uint8(0), np.uint8(Reason.UNDEFINED))
    endless = np.flatnonzero(np.isinf(values))
    state[endless] = Reason.UNREADABLE
    state[np.asarray(blank, np.int64)] = Reason.BLANK
    kept = {at: "inf" if values[at] > 0 else "-inf" for at in endless.tolist()}
    return Column(NUMBER, np.where(finite, values, 0.0), state, kept=Kept(kept))


def _column_of_array(name: str, cells: NDArray[Any]) -> Column:
    """Make a column of a NumPy array, masked or not."""
    if cells.ndim != 1:
        shape = " x ".join(map(str, cells.shape))
        raise ParameterError(
            f"expected one value for each row of {name!r}, got an array of {shape}",
            remedy="give its columns one by one",
        )
    masked = np.ma.getmaskarray(cells) if isinstance(cells, np.ma.MaskedArray) else None
    values: NDArray[Any] = np.asarray(cells)
    kind = values.dtype.kind
    if kind in "OS" or (kind == "u" and values.max(initial=0) > INT64_MAX) or kind in "UT":
        plain = values.tolist()
        if kind == "S":
            plain = [_decoded(name, at, cell) for at, cell in enumerate(plain, 1)]
        blank = np.flatnonzero(masked).tolist() if masked is not None else []
        for at in blank:
            plain[at] = None
        return _column_of_values(name, plain, mixed_as_text=False)
    column = _numeric_array(name, values)
    if masked is not None and masked.any():
        column = column._emptied(masked, Reason.BLANK)
    return column


def _decoded(name: str, at: int, cell: bytes) -> str:
    try:
        return cell.decode()
    except UnicodeDecodeError:
        raise ParameterError(
            f"the bytes of {name!r} in row {at} are not UTF-8: {cell!r}", remedy="decode them"
        ) from None


def _numeric_array(name: str, values: NDArray[Any]) -> Column:
    kind = values.dtype.kind
    if kind in "iu":
        return Column(INTEGER, values.astype(np.int64))
    if kind == "b":
        return Column(BOOLEAN, values.astype(np.bool_))
    if kind == "f":
        return column_of_floats(values.astype(np.float64))
    if kind in "mM":
        unit = np.datetime_data(values.dtype)[0]
        days = kind == "M" and unit in _DAYS
        wanted = "datetime64[D]" if days else f"{'datetime64' if kind == 'M' else 'timedelta64'}[us]"
        stored = values.astype(wanted)
        empty = np.isnat(stored)
        if unit in _FINER and (stored.astype(values.dtype) != values)[~empty].any():
            count = int(np.count_nonzero((stored.astype(values.dtype) != values) & ~empty))
            raise ParameterError(
                f"{counted(count, 'value')} of {name!r} {agree(count, 'has', 'have')} parts of a microsecond, "
                "which no column holds",
                remedy=f"round them first: array.astype({wanted!r})",
            )
        state = np.where(empty, np.uint8(Reason.UNDEFINED), np.uint8(0))
        kept = np.where(empty, np.zeros(1, stored.dtype), stored)
        return Column(DATE if days else DATETIME if kind == "M" else DURATION, kept, state)
    raise ParameterError(
        f"no column holds values of NumPy's type {values.dtype}, as in {name!r}", remedy="convert them"
    )


def _stored(name: str, cell: Any, kind: Type) -> Any:
    stored = stored_value(cell, kind)
    if kind.word == "decimal" and not abs(stored) < 10**MOST_DECIMAL_DIGITS:
        what = f"{cell} in {name!r} has more digits than a decimal column holds, {kind.scale} of them behind the point"
        raise ParameterError(what, remedy="give the column as text, or as float")
    return stored


def _type_of(name: str, kinds: set[type], cells: list[Any]) -> Type:
    """Return the type that holds all Python values of a column."""
    if len(kinds) == 1 and next(iter(kinds)) in _KINDS:
        return _KINDS[next(iter(kinds))]
    if kinds == {datetime}:
        aware = {cell.tzinfo is not None for cell in cells if cell is not None}
        if len(aware) > 1:
            raise ParameterError(
                f"expected datetimes of one kind in {name!r}, some have an offset and some have none",
                remedy="give all of them an offset, or none",
            )
        return UTC_DATETIME if True in aware else DATETIME
    if kinds == {int}:
        there = [cell for cell in cells if cell is not None]
        if not INT64_MIN <= min(there) <= max(there) <= INT64_MAX:
            too_large = next(cell for cell in there if not INT64_MIN <= cell <= INT64_MAX)
            raise ParameterError(f"{too_large} in {name!r} is beyond the range of integers", remedy="give it as text")
        return INTEGER
    if kinds <= {int, Decimal} and Decimal in kinds:
        places = [-int(cell.as_tuple().exponent) for cell in cells if isinstance(cell, Decimal)] or [0]
        return decimal(max(0, *places))
    if kinds <= {int, float}:
        return NUMBER
    message = ", ".join(sorted(kind.__name__ for kind in kinds))
    firsts = {type(cell): (at, cell) for at, cell in reversed(list(enumerate(cells, 1))) if cell is not None}
    where = ", ".join(f"{_short(cell)} in row {at}" for at, cell in sorted(firsts.values(), key=lambda one: one[0])[:2])
    raise ParameterError(
        f"expected values of one kind in {name!r}, got {message}: {where}", remedy="give them all as text"
    )


def _short(value: object) -> str:
    text = repr(value)
    return text if len(text) <= _SHOWN else f"{text[:_SHOWN]}..."
