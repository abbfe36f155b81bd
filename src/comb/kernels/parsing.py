"""Read numbers, dates and pairs of words from texts.

Every function takes texts whose outer spaces are gone and returns an array of values
and an array of status, one byte each: `FITS`, `BLANK` or `MISFIT`. Numbers are read
exactly as Python's `int` and `float` read the same digits; only ASCII digits count,
and none of Python's own extras (underscores, ``nan``, ``inf``) are numbers.
"""

import re
from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

# The status of a cell; `MARKED` is a word for missing, set by callers who know the words. They
# are the first of the reasons why cells are missing.
FITS, BLANK, MARKED, MISFIT = 0, 1, 2, 3

INT64_MIN, INT64_MAX = -(2**63), 2**63 - 1

# A decimal is an int64 of its digits: 18 always fit.
MOST_DECIMAL_DIGITS = 18

# Where each order of year, month and day stands in the three groups of digits.
DATE_ORDERS = {"ymd": (0, 1, 2), "dmy": (2, 1, 0), "mdy": (2, 0, 1)}

_INTEGER = re.compile(r"[+-]?[0-9]+")
_NUMBER = re.compile(r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")
_DECIMAL = re.compile(r"([+-]?)([0-9]+)\.([0-9]+)")
_DATE = re.compile(r"([0-9]{1,4})([-./])([0-9]{1,2})\2([0-9]{1,4})")

Status = NDArray[np.uint8]
Parsed = tuple[NDArray[Any], Status]

_EPOCH = date(1970, 1, 1).toordinal()


def _parse(texts: Sequence[str], read: Callable[[str], Any], dtype: str, filler: Any) -> Parsed:
    """Apply a reader that returns None where a text does not fit."""
    values = np.full(len(texts), filler, dtype=dtype)
    status = np.full(len(texts), FITS, dtype=np.uint8)
    for index, text in enumerate(texts):
        value = read(text) if text else None
        if value is None:
            status[index] = MISFIT if text else BLANK
        else:
            values[index] = value
    return values, status


def plain_number(text: str, decimal_mark: str, group_mark: str | None) -> str:
    """Rewrite a number with the given marks as one with a decimal point.

    A text in which the marks do not stand as they should is returned with a space
    in front, so that no reader takes it for a number.

    >>> plain_number("1.234,5", ",", ".")
    '1234.5'
    """
    if group_mark and group_mark in text:
        whole, mark, rest = text.partition(decimal_mark)
        groups = whole.lstrip("+-").split(group_mark)
        even = all(len(group) == 3 for group in groups[1:]) and 1 <= len(groups[0]) <= 3
        if not even or group_mark in rest:
            return f" {text}"
        text = whole.replace(group_mark, "") + mark + rest
    if decimal_mark == ".":
        return text
    return f" {text}" if "." in text else text.replace(decimal_mark, ".", 1)


def parse_integers(texts: Sequence[str]) -> Parsed:
    """Read whole numbers of the int64 range.

    >>> parse_integers(["12", "", "1.5"])[1].tolist()
    [0, 1, 3]
    """

    def read(text: str) -> int | None:
        # 19 digits and a sign are the most int64 can hold; more never reach int().
        if len(text) > 20 or not _INTEGER.fullmatch(text):
            return None
        value = int(text)
        return value if INT64_MIN <= value <= INT64_MAX else None

    return _parse(texts, read, "int64", 0)


def parse_decimals(texts: Sequence[str], scale: int) -> Parsed:
    """Read numbers with exactly `scale` digits after the point, as int64 of all digits.

    >>> parse_decimals(["19.90", "-0.05", "3.5"], 2)[0].tolist()
    [1990, -5, 0]
    """

    def read(text: str) -> int | None:
        match = _DECIMAL.fullmatch(text)
        if not match or len(match[3]) != scale or len(match[2].lstrip("0")) + scale > MOST_DECIMAL_DIGITS:
            return None
        return int(match[1] + match[2] + match[3])

    return _parse(texts, read, "int64", 0)


def digits_after_point(text: str) -> int | None:
    """Return how many digits stand after the point; None if the text is no such number."""
    match = _DECIMAL.fullmatch(text)
    if match and len(match[2].lstrip("0")) + len(match[3]) <= MOST_DECIMAL_DIGITS:
        return len(match[3])
    return None


def is_number(text: str) -> bool:
    """Return whether `parse_numbers` reads a text.

    >>> is_number("1e-5"), is_number("1e400"), is_number("nan")
    (True, False, False)
    """
    return bool(_NUMBER.fullmatch(text)) and abs(float(text)) != float("inf")


def parse_numbers(texts: Sequence[str]) -> Parsed:
    """Read numbers as `float` would; what overflows does not fit.

    >>> parse_numbers(["1e-5", "2.", "nan", "1e400"])[1].tolist()
    [0, 0, 3, 3]
    """

    def read(text: str) -> float | None:
        return float(text) if is_number(text) else None

    return _parse(texts, read, "float64", np.nan)


def date_groups(text: str) -> tuple[str, str, str, str] | None:
    """Return the mark and the three groups of digits of a numeric date.

    >>> date_groups("3.11.2026")
    ('.', '3', '11', '2026')
    """
    match = _DATE.fullmatch(text)
    return (match[2], match[1], match[3], match[4]) if match else None


def read_day(groups: tuple[str, str, str], order: tuple[int, int, int]) -> int | None:
    """Return the day three groups of digits name, counted from 1970-01-01; None if there is no such day."""
    year, month, day = (groups[at] for at in order)
    if len(year) != 4 or len(month) > 2 or len(day) > 2:
        return None
    try:
        return date(int(year), int(month), int(day)).toordinal() - _EPOCH
    except ValueError:
        return None


def parse_dates(texts: Sequence[str], order: str, mark: str) -> Parsed:
    """Read numeric dates of one order and mark, with four-digit years 1 to 9999.

    Parameters
    ----------
    texts : sequence of str
    order : {"ymd", "dmy", "mdy"}
    mark : str
        The character between the groups.

    Returns
    -------
    values, status
        Days as ``datetime64[D]``.
    """
    places = DATE_ORDERS[order]

    def read(text: str) -> int | None:
        found = date_groups(text)
        return None if found is None or found[0] != mark else read_day(found[1:], places)

    days, status = _parse(texts, read, "int64", 0)
    return days.astype("datetime64[D]"), status


_TO_LOWER = str.maketrans({letter: letter.lower() for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ"})


def fold(text: str) -> str:
    """Lower the ASCII letters of a text; all others stay.

    >>> fold("SÍ")
    'sÍ'
    """
    return text.translate(_TO_LOWER)


def parse_words(texts: Sequence[str], true_words: frozenset[str], false_words: frozenset[str]) -> Parsed:
    """Read words as true or false, whatever the case of their ASCII letters."""

    def read(text: str) -> bool | None:
        folded = fold(text)
        if folded in true_words:
            return True
        return False if folded in false_words else None

    return _parse(texts, read, "bool", False)
