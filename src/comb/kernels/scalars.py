"""What one number, one date, one word is: the specification that every kernel follows, for a single text."""

from datetime import date, timedelta

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.types import ISO_LAYOUT, MOST_DECIMAL_DIGITS, DateLayout

# Where each order of year, month and day is in the three groups of digits.
DATE_ORDERS = {"ymd": (0, 1, 2), "dmy": (2, 1, 0), "mdy": (2, 0, 1)}
_NUMBER = lazy_pattern(r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")
_DECIMAL = lazy_pattern(r"([+-]?)([0-9]+)\.([0-9]+)")
_DATE = lazy_pattern(r"([0-9]{1,4})([-./])([0-9]{1,2})\2([0-9]{1,4})")
_EPOCH = date(1970, 1, 1)


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


def digits_after_point(text: str) -> int | None:
    """Return how many digits stand after the point; None if the text is no such number."""
    match = _DECIMAL.fullmatch(text)
    if match and len(match[2].lstrip("0")) + len(match[3]) <= MOST_DECIMAL_DIGITS:
        return len(match[3])
    return None


def is_number(text: str) -> bool:
    """Return whether `parse_numbers` reads a text.

    >>> is_number("1e-5"), is_number("1e400"), is_number("1e-400"), is_number("nan")
    (True, False, False, False)
    """
    return bool(_NUMBER.fullmatch(text)) and not is_lost(text, float(text))


def is_lost(text: str, value: float) -> bool:
    """Return whether a number is too large or too small for the float that was made of it: infinite, or zero."""
    if value == 0:
        return any(digit in "123456789" for digit in text.lower().partition("e")[0])
    return abs(value) == float("inf")


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
        return date(int(year), int(month), int(day)).toordinal() - _EPOCH.toordinal()
    except ValueError:
        return None


_TO_LOWER = str.maketrans({letter: letter.lower() for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ"})


def fold(text: str) -> str:
    """Lower the ASCII letters of a text; all others stay.

    >>> fold("SÍ")
    'sÍ'
    """
    return text.translate(_TO_LOWER)


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
