"""Arrow data in the types that its receiver asked for, where no value is lost by it. Pure.

The receiver may hand a schema to the one that gives. A column is given in the type that stands under its name there if
each of its cells is the same in it: smaller integers that all of them fit into, texts with their own place each or
numbered in a dictionary, moments in another unit, more digits for decimals. Any other type, and what is asked for a
column that is not there, is left to the receiver, which sees from the schema it gets what came.

Source: the Arrow PyCapsule interface, which calls that best effort.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.tables.arrow_format import Field
from comb.tables.column import Column

# Arrays, and the format they are in; None where values would be lost.
Given = tuple[bytes, NDArray[np.generic]] | None

INTEGERS: dict[bytes, type[np.integer[Any]]] = {
    b"c": np.int8, b"C": np.uint8, b"s": np.int16, b"S": np.uint16,
    b"i": np.int32, b"I": np.uint32, b"l": np.int64, b"L": np.uint64,
}  # fmt: skip
_MOST_OFFSET = 2**31 - 1
_EXACT_FLOAT = 2**53

# How many microseconds the units of moments are, but for nanoseconds.
_UNITS = {b"s": 1_000_000, b"m": 1_000, b"u": 1}
_NANOSECONDS = 1_000


def requested_fields(schema: Field | None) -> dict[str, Field]:
    """Return what is asked for, by the names of columns; nothing where the schema is that of a single column."""
    if schema is None or schema[0] != b"+s":
        return {}
    return {child[1].decode("utf-8", "replace"): child for child in schema[4]}


def wants_dictionary(field: Field | None, *, usual: bool) -> bool:
    """Return whether texts are to be numbered in a dictionary."""
    if field is None or (field[5] is None and field[0] not in (b"u", b"U")):
        return usual
    return field[5] is not None


def index_of(field: Field | None, count: int, usual: np.dtype[Any]) -> np.dtype[Any]:
    """Return the type of the numbers of this many texts in a dictionary."""
    asked = INTEGERS.get(field[0]) if field is not None and field[5] is not None else None
    return np.dtype(asked) if asked is not None and count <= np.iinfo(asked).max else usual


def offsets_of(field: Field | None, offsets: NDArray[np.int64]) -> tuple[bytes, NDArray[np.generic]]:
    """Return where texts end, in 32 bits if that is asked for and enough."""
    asked = field[5] if field is not None and field[5] is not None else field
    if asked is not None and asked[0] == b"u" and int(offsets[-1]) <= _MOST_OFFSET:
        return b"u", offsets.astype(np.int32)
    return b"U", offsets


def as_requested(form: bytes, column: Column, field: Field | None) -> Given:
    """Return the values of a column in the type asked for; None where its own is to be given.

    Parameters
    ----------
    form : bytes
        Its own format.
    column : Column
        Not of texts.
    field : Field, optional
    """
    if field is None or field[5] is not None or field[0] == form:
        return None
    word, asked = column.type.plain.word, field[0]
    if word in _WAYS:
        return _WAYS[word](column, asked)
    return None


def _integers(column: Column, asked: bytes) -> Given:
    values = _there(column)
    if asked == b"g" and (np.abs(values) <= _EXACT_FLOAT).all():
        return asked, values.astype(np.float64)
    if asked not in INTEGERS:
        return None
    bounds = np.iinfo(INTEGERS[asked])
    fits = len(values) == 0 or (int(values.min()) >= bounds.min and int(values.max()) <= bounds.max)
    return (asked, values.astype(INTEGERS[asked])) if fits else None


def _moments(column: Column, asked: bytes) -> Given:
    """Count moments in another unit, where none has a part of it."""
    unit = asked[2:3]
    # A zone is a way to show moments of universal time; without one they are no such moments.
    if asked[:2] != b"ts" or bool(asked[4:]) != column.type.utc or unit not in (*_UNITS, b"n"):
        return None
    values = _there(column).astype(np.int64)
    if unit == b"n":
        limit = np.iinfo(np.int64).max // _NANOSECONDS
        return (asked, values * _NANOSECONDS) if (np.abs(values) <= limit).all() else None
    return (asked, values // _UNITS[unit]) if not (values % _UNITS[unit]).any() else None


def _days(column: Column, asked: bytes) -> Given:
    return (asked, _there(column).astype(np.int64) * 86_400_000) if asked == b"tdm" else None


_WAYS: dict[str, Callable[[Column, bytes], Given]] = {"integer": _integers, "datetime": _moments, "date": _days}


def _there(column: Column) -> NDArray[np.generic]:
    """Return the values, with zero at missing cells: what is stored there means nothing."""
    values = column.array
    return np.where(column.present, values, np.zeros(1, values.dtype)) if column.missing_count else values
