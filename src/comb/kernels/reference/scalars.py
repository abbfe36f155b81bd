"""Read numbers, dates and pairs of words from texts: the reference."""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.scalars import _DECIMAL, DATE_ORDERS, date_groups, fold, is_number, plain_number, read_day
from comb.kernels.types import (
    BLANK,
    FITS,
    INT64_MAX,
    INT64_MIN,
    MISFIT,
    MOST_DECIMAL_DIGITS,
    DateOrders,
    NumberForm,
    Parsed,
)

_INTEGER = lazy_pattern(r"[+-]?[0-9]+")


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


def parse_numbers(texts: Sequence[str]) -> Parsed:
    """Read numbers as `float` would; what overflows, or becomes zero, does not fit.

    >>> parse_numbers(["1e-5", "2.", "nan", "1e400"])[1].tolist()
    [0, 0, 3, 3]
    """

    def read(text: str) -> float | None:
        return float(text) if is_number(text) else None

    return _parse(texts, read, "float64", np.nan)


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


def parse_words(texts: Sequence[str], true_words: frozenset[str], false_words: frozenset[str]) -> Parsed:
    """Read words as true or false, whatever the case of their ASCII letters."""

    def read(text: str) -> bool | None:
        folded = fold(text)
        if folded in true_words:
            return True
        return False if folded in false_words else None

    return _parse(texts, read, "bool", False)


def parse_number_form(texts: Sequence[str], form: NumberForm) -> Parsed:
    """Read numbers of a kind, with a decimal point or comma; decimals may have fewer digits than their scale.

    >>> parse_number_form(["1,5", "2"], NumberForm("decimal", 2, ","))[0].tolist()
    [150, 200]
    """
    plain = [plain_number(text, form.mark, None) if text else text for text in texts] if form.mark != "." else texts
    if form.kind == "integer" or (form.kind == "decimal" and not form.scale):
        return parse_integers(plain)
    if form.kind == "number":
        return parse_numbers(plain)
    return parse_decimals([_padded(text, form.scale) for text in plain], form.scale)


def _padded(text: str, scale: int) -> str:
    """Give a plain number the zeros its scale asks for; a longer one is left as it is."""
    if "e" in text or "E" in text or not is_number(text):
        return text
    whole, _, rest = text.partition(".")
    sign = whole if whole in ("+", "-", "") else ""
    return f"{sign + '0' if whole == sign else whole}.{rest.ljust(scale, '0')}"


def parse_date_orders(texts: Sequence[str], orders: DateOrders) -> Parsed:
    """Read numeric dates of several orders that cannot be confused."""
    values, status = np.zeros(len(texts), "datetime64[D]"), np.full(len(texts), MISFIT, np.uint8)
    status[[not text for text in texts]] = BLANK
    for order, mark in orders:
        read, fits = parse_dates(texts, order, mark)
        hits = fits == FITS
        values[hits], status[hits] = read[hits], FITS
    return values, status
