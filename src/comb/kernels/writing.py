"""Write values as texts, and join the cells of rows to delimited text.

The reference for what the compiled kernels do. Numbers and dates are written as XML Schema
writes them, unless another mark or order is asked for; what is written reads back equal.
"""

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.kernels.packed import Packed, pack

_EPOCH = date(1970, 1, 1)


class Field(NamedTuple):
    """A column ready to be joined: its texts, codes where they repeat, and where cells are missing."""

    texts: Packed
    codes: NDArray[np.int32] | None
    missing: NDArray[np.uint8] | None


class DateLayout(NamedTuple):
    """How a date is written: its order (letters y, m, d), the mark between, whether parts have two digits."""

    order: str
    mark: str
    padded_month: bool
    padded_day: bool


ISO_LAYOUT = DateLayout("ymd", "-", padded_month=True, padded_day=True)


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


def date_text(days: int, layout: DateLayout = ISO_LAYOUT) -> str:
    """Write a day counted from 1970-01-01.

    >>> date_text(0), date_text(31, DateLayout("dmy", ".", False, False))
    ('1970-01-01', '1.2.1970')
    """
    day = _EPOCH + timedelta(days=days)
    parts = {
        "y": f"{day.year:04}",
        "m": f"{day.month:02}" if layout.padded_month else str(day.month),
        "d": f"{day.day:02}" if layout.padded_day else str(day.day),
    }
    return layout.mark.join(parts[letter] for letter in layout.order)


def write_integers(values: NDArray[Any], scale: int, mark: str) -> Packed:
    """Write whole numbers, or decimals of a scale."""
    return pack([digits(value, scale).replace(".", mark) for value in values.tolist()])


def write_numbers(values: NDArray[Any], mark: str) -> Packed:
    """Write finite floats; others are left empty."""
    finite = np.isfinite(values).tolist()
    pairs = zip(values.tolist(), finite, strict=True)
    return pack([number_text(value).replace(".", mark) if usable else "" for value, usable in pairs])


def write_dates(days: NDArray[Any], layout: DateLayout) -> Packed:
    """Write days; those outside the years 1 to 9999 are left empty."""
    least, most = (date(1, 1, 1) - _EPOCH).days, (date(9999, 12, 31) - _EPOCH).days
    return pack([date_text(day, layout) if least <= day <= most else "" for day in days.tolist()])


def join(fields: Sequence[Field], rows: int, delimiter: str, line_end: str, missing: str) -> bytes:
    """Join the cells of rows to delimited text, quoted where RFC 4180 wants it.

    >>> join([Field(pack(["a", "b,"]), None, None), Field(pack(["1", "2"]), None, None)], 2, ",", "|", "")
    b'a,1|"b,",2|'
    """
    columns = []
    for field in fields:
        items = [_quoted(text, delimiter) for text in field.texts.strings()]
        cells = items if field.codes is None else [items[code] for code in field.codes.tolist()]
        if field.missing is not None:
            marker = '""' if len(fields) == 1 and not missing else _quoted(missing, delimiter)
            cells = [marker if empty else cell for cell, empty in zip(cells, field.missing.tolist(), strict=False)]
        columns.append(cells)
    lines = (delimiter.join(column[row] for column in columns) for row in range(rows))
    return "".join(line + line_end for line in lines).encode()


def _quoted(text: str, delimiter: str) -> str:
    """Put a field into quotes if something in it would end it."""
    if any(mark in text for mark in (delimiter, '"', "\n", "\r")):
        return '"' + text.replace('"', '""') + '"'
    return text
