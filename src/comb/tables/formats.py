"""The canonical text of a value, and the Python value behind a stored one.

Canonical texts follow the lexical forms of XML Schema, as CSV on the Web uses them:
a decimal point, ISO dates, ``true`` and ``false``. What is written so reads back equal.
"""

from collections.abc import Callable
from datetime import date
from decimal import Decimal
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.kernels.writing import date_text, digits, number_text
from comb.tables.types import Type

__all__ = ["digits", "number_text", "plain_text", "python_values", "value_texts"]

Value = str | int | float | bool | Decimal | date | None


def _boolean_text(value: bool) -> str:
    return "true" if value else "false"


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
    "date": date_text,
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
