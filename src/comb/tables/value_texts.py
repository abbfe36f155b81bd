"""The canonical text of a value, and the Python value behind a stored one.

Canonical texts follow the lexical forms of XML Schema, as CSV on the Web uses them:
a decimal point, ISO dates, ``true`` and ``false``. What is written so reads back equal.
"""

from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.errors import ParameterError
from comb.kernels import dispatch
from comb.kernels.grouping import compact
from comb.kernels.scalars import date_text, digits, number_text
from comb.kernels.string_buffer import StringBuffer, pack
from comb.kernels.types import ISO_LAYOUT
from comb.tables.types import Type

__all__ = ["digits", "duration_text", "number_text", "packed_texts", "plain_text", "python_values", "value_texts"]
Value = str | int | float | bool | Decimal | date | datetime | time | timedelta | None
MICROSECOND = timedelta(microseconds=1)


def _boolean_text(value: bool) -> str:
    return "true" if value else "false"


def value_texts(kind: Type, values: NDArray[Any]) -> list[str]:
    """Return the canonical text of each stored value.

    Parameters
    ----------
    kind : Type
        Any type whose values are not texts.
    values : array
        As stored: int64 digits for decimals, days for dates, microseconds for what has hours.
    """
    kind = kind.plain
    if kind.word == "datetime":
        return _datetime_texts(values.astype(np.int64), "Z" if kind.utc else "")
    if kind.word in ("time", "duration") and len(values) > WORTH_NUMBERING:
        # There are few different ones, mostly: each is written once.
        counts, places = compact(values.astype(np.int64))
        written = list(map(_WRITERS[kind.word], counts.tolist()))
        return [written[place] for place in places.tolist()]
    plain = values.astype(np.int64).tolist() if kind.word in _COUNTED else values.tolist()
    if kind.word == "decimal":
        return [digits(value, kind.scale) for value in plain]
    return list(map(_WRITERS[kind.word], plain))


def packed_texts(kind: Type, values: NDArray[Any]) -> StringBuffer:
    """Return the texts of `value_texts` end to end, by the kernels where they write them.

    >>> from comb.tables.types import NUMBER
    >>> packed_texts(NUMBER, np.array([0.5, 1e20])).strings()
    ['0.5', '1e+20']
    """
    kind = kind.plain
    if kind.word == "date":
        return dispatch.kernels.write_dates(values.view(np.int64), ISO_LAYOUT)
    if kind.word == "number" and np.isfinite(values).all():
        return dispatch.kernels.write_numbers(values, ".")
    if kind.word in ("integer", "decimal"):
        return dispatch.kernels.write_integers(values, kind.scale, ".")
    return pack(value_texts(kind, values))


def _datetime_texts(micro: NDArray[np.int64], zone: str) -> list[str]:
    """Write microseconds from 1970-01-01 as dates with times; whole seconds, which most are, all at once."""
    texts: list[str] = np.datetime_as_string((micro // 1_000_000).view("datetime64[s]")).tolist()
    for at in np.flatnonzero(micro % 1_000_000).tolist():
        texts[at] = datetime_text(int(micro[at]))
    return [f"{text}{zone}" for text in texts] if zone else texts


def datetime_text(micro: int) -> str:
    """Write microseconds from 1970-01-01 as a date with time.

    >>> datetime_text(1_500_000)
    '1970-01-01T00:00:01.5'
    """
    days, rest = divmod(micro, _A_DAY)
    return f"{date_text(days)}T{time_text(rest)}"


def time_text(micro: int) -> str:
    """Write microseconds from midnight as a time.

    >>> time_text(63_900_000_000)
    '17:45:00'
    """
    seconds, fraction = divmod(micro, 1_000_000)
    return f"{seconds // 3600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}{_fraction(fraction)}"


def duration_text(micro: int) -> str:
    """Write microseconds as a duration of days, hours, minutes and seconds (ISO 8601).

    >>> duration_text(95_400_000_000), duration_text(-500_000), duration_text(0)
    ('P1DT2H30M', '-PT0.5S', 'PT0S')
    """
    days, rest = divmod(abs(micro), _A_DAY)
    seconds, fraction = divmod(rest, 1_000_000)
    parts = [(seconds // 3600, "H"), (seconds // 60 % 60, "M")]
    clock = "".join(f"{count}{letter}" for count, letter in parts if count)
    if seconds % 60 or fraction:
        clock += f"{seconds % 60}{_fraction(fraction)}S"
    body = (f"{days}D" if days else "") + (f"T{clock}" if clock else "")
    return f"{'-' if micro < 0 else ''}P{body or 'T0S'}"


def _fraction(micro: int) -> str:
    return f".{micro:06}".rstrip("0") if micro else ""


# Fewer values are written one by one.
WORTH_NUMBERING = 1_000

_A_DAY = 86_400_000_000

# What is stored as a count of days or microseconds.
_COUNTED = frozenset({"date", "datetime", "time", "duration"})

_WRITERS: dict[str, Callable[[Any], str]] = {
    "integer": str,
    "number": number_text,
    "boolean": _boolean_text,
    "date": date_text,
    "datetime": datetime_text,
    "time": time_text,
    "duration": duration_text,
}


def python_values(kind: Type, values: NDArray[Any]) -> list[Any]:
    """Return stored values as Python objects: Decimal for decimals, date for dates, and so on.

    Datetimes in universal time know that they are.
    """
    kind = kind.plain
    if kind.word == "decimal":
        return [Decimal(value).scaleb(-kind.scale) for value in values.tolist()]
    if kind.word == "time":
        return [(datetime.min + value).time() for value in values.tolist()]
    if kind.utc:
        return [value.replace(tzinfo=UTC) for value in values.tolist()]
    return list(values.tolist())


def stored_value(value: Any, kind: Type) -> Any:
    """Return a Python value as a column of a type stores it.

    >>> stored_value(Decimal("19.9"), Type("decimal", 2)), stored_value(time(0, 1), Type("time"))
    (1990, np.timedelta64(60000000,'us'))
    """
    kind = kind.plain
    if kind.word == "decimal":
        return int(Decimal(value).scaleb(kind.scale))
    if kind.word == "time":
        return np.timedelta64(datetime.combine(date.min, value.replace(tzinfo=None)) - datetime.min, "us")
    if kind.word == "datetime":
        if value.tzinfo is not None:
            value = value.astimezone(UTC).replace(tzinfo=None)
        return np.datetime64(value, "us")
    if kind.word == "duration":
        return np.timedelta64(value, "us")
    return np.datetime64(value, "D") if kind.word == "date" else value


def plain_text(value: Value) -> str:
    """Return the canonical text of one Python value, for a step's parameter.

    >>> plain_text(Decimal("19.90")), plain_text(True), plain_text(date(2026, 5, 1))
    ('19.90', 'true', '2026-05-01')
    """
    if isinstance(value, bool):
        return _boolean_text(value)
    if isinstance(value, float):
        return number_text(value)
    if hasattr(value, "__iter__") and not isinstance(value, str):
        raise ParameterError(f"expected one value, got {value!r}", remedy="each value is named by itself")
    if isinstance(value, Decimal):
        return format(value, "f")
    if isinstance(value, timedelta):
        return duration_text(value // MICROSECOND)
    if isinstance(value, datetime) and value.tzinfo is not None:
        return f"{value.astimezone(UTC).replace(tzinfo=None).isoformat()}Z"
    return value.isoformat() if isinstance(value, date | time) else str(value)
