"""The date and number patterns of Unicode TR35 that Comb understands."""

import re
from typing import NamedTuple

from comb.errors import ParameterError
from comb.tables.types import type_word

_DATE_PARTS = {"d": "d", "dd": "d", "M": "m", "MM": "m", "yyyy": "y"}
_DATE_PATTERN = re.compile(r"(d{1,2}|M{1,2}|yyyy)([-./])(d{1,2}|M{1,2})\2(d{1,2}|yyyy)")
_DECIMAL_PATTERN = re.compile(r"[#0,]*0(?:\.(0+))?")

ISO_DATE = "yyyy-MM-dd"


class DateForm(NamedTuple):
    """One way to write dates: the order of its parts, the mark between them, the pattern."""

    order: str
    mark: str
    pattern: str


class Request(NamedTuple):
    """A type as asked for: its word and, after a space, a pattern."""

    word: str
    pattern: str


def parse_request(text: str) -> Request:
    """Take a type asked for apart into word and pattern.

    >>> parse_request("date d.M.yyyy")
    Request(word='date', pattern='d.M.yyyy')
    """
    word, _, pattern = text.strip().partition(" ")
    request = Request(type_word(word), pattern.strip())
    if request.pattern:
        check_pattern(request)
    return request


def check_pattern(request: Request) -> None:
    """Raise a ParameterError unless the pattern belongs to its type."""
    if request.word == "date":
        date_form(request.pattern)
    elif request.word == "decimal":
        decimal_scale(request.pattern)
    else:
        raise ParameterError(
            f"the type {request.word} takes no pattern, came {request.pattern!r}",
            remedy="patterns go with date (d.M.yyyy) and decimal (0.00)",
        )


def date_form(pattern: str) -> DateForm:
    """Read a date pattern.

    >>> date_form("dd/MM/yyyy").order
    'dmy'
    """
    match = _DATE_PATTERN.fullmatch(pattern)
    order = "".join(_DATE_PARTS[part] for part in match.group(1, 3, 4)) if match else ""
    if order not in ("dmy", "mdy", "ymd") or not match:
        raise ParameterError(
            f"expected a date pattern like d.M.yyyy, MM/dd/yyyy or yyyy-MM-dd, came {pattern!r}",
            remedy="d is the day, M the month (m would be minutes), yyyy the year",
        )
    return DateForm(order, match[2], pattern)


def write_date_pattern(order: str, mark: str, *, padded: bool) -> str:
    """Write the pattern of a date form.

    >>> write_date_pattern("dmy", ".", padded=False)
    'd.M.yyyy'
    """
    parts = {"y": "yyyy", "m": "MM" if padded else "M", "d": "dd" if padded else "d"}
    return mark.join(parts[letter] for letter in order)


def decimal_scale(pattern: str) -> int:
    """Return how many digits after the point a number pattern asks for.

    >>> decimal_scale("#,##0.00")
    2
    """
    match = _DECIMAL_PATTERN.fullmatch(pattern)
    if not match or not match[1]:
        raise ParameterError(f"expected a decimal pattern like 0.00 or #,##0.00, came {pattern!r}")
    return len(match[1])
