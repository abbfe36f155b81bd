"""The canonical text of a value, and the Python value behind a stored one.

Canonical texts follow the lexical forms of XML Schema, as CSV on the Web uses them:
a decimal point, ISO dates, ``true`` and ``false``. What is written so reads back equal.
"""

from collections.abc import Callable
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.tables.types import Type

Value = str | int | float | bool | Decimal | date | None

_EPOCH = date(1970, 1, 1)


def digits(value: int, scale: int) -> str:
    """Write a scaled integer digit for digit.

    >>> digits(-5, 2)
    '-0.05'
    """
    if not scale:
        return str(value)
    sign, body = ("-" if value < 0 else ""), str(abs(value)).rjust(scale + 1, "0")
    return f"{sign}{body[:-scale]}.{body[-scale:]}"


def number_text(value: float) -> str:
    """Write a number in the shortest form that reads back equal.

    >>> number_text(3.0), number_text(1e-7)
    ('3', '1e-07')
    """
    text = repr(value)
    return text[:-2] if text.endswith(".0") else text


def _boolean_text(value: bool) -> str:
    return "true" if value else "false"


def _date_text(days: int) -> str:
    return (_EPOCH + timedelta(days=days)).isoformat()


def value_texts(kind: Type, values: NDArray[Any]) -> list[str]:
    """Return the canonical text of each stored value.

    Parameters
    ----------
    kind : Type
        Any type but ``string``.
    values : array
        As stored: int64 digits for decimals, days for dates.
    """
    plain = values.astype(np.int64).tolist() if kind.word == "date" else values.tolist()
    if kind.word == "decimal":
        return [digits(value, kind.scale) for value in plain]
    return list(map(_WRITERS[kind.word], plain))


_WRITERS: dict[str, Callable[[Any], str]] = {
    "integer": str,
    "number": number_text,
    "boolean": _boolean_text,
    "date": _date_text,
}


def python_values(kind: Type, values: NDArray[Any]) -> list[Any]:
    """Return stored values as Python objects: Decimal for decimals, date for dates."""
    if kind.word == "decimal":
        return [Decimal(value).scaleb(-kind.scale) for value in values.tolist()]
    return list(values.tolist())


def plain_text(value: Value) -> str:
    """Return the canonical text of one Python value, for a step's parameter.

    >>> plain_text(Decimal("19.90")), plain_text(True), plain_text(date(2026, 5, 1))
    ('19.90', 'true', '2026-05-01')
    """
    if isinstance(value, bool):
        return _boolean_text(value)
    if isinstance(value, float):
        return number_text(value)
    if isinstance(value, Decimal):
        return format(value, "f")
    return value.isoformat() if isinstance(value, date) else str(value)
