"""The date and number patterns of Unicode TR35 that Comb understands."""

import msgspec

from comb.errors import ParameterError
from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing.moment_programs import CLOCK_NUMBER, DURATION_UNITS, EPOCHS, LAST_CENTURY_FROM, moment_program
from comb.tables.types import type_word

_DATE_PARTS = {"d": "d", "dd": "d", "M": "m", "MM": "m", "yyyy": "y"}
_DATE_PATTERN = lazy_pattern(r"(d{1,2}|M{1,2}|yyyy)([-./])(d{1,2}|M{1,2})\2(d{1,2}|yyyy)")
_NUMBER_PATTERN = lazy_pattern(r"(?P<whole>[#0,]*0)(?:\.(?P<digits>0*)(?P<more>#*))?(?P<per_cent>%)?")
ISO_DATE = "yyyy-MM-dd"


class DateForm(msgspec.Struct, frozen=True):
    """One way to write dates: the order of its parts, the mark between them, the pattern."""

    order: str
    mark: str
    pattern: str


class NumberPattern(msgspec.Struct, frozen=True):
    """What a number pattern says: digits after the point, whether groups are marked, whether percent."""

    scale: int
    grouped: bool
    per_cent: bool


class Request(msgspec.Struct, frozen=True):
    """A type as asked for: its word and, after a space, a pattern.

    Two-digit years from `pivot` on are of the last century. The marks in numbers may be given too.
    """

    word: str
    pattern: str
    last_century_from: int = LAST_CENTURY_FROM
    decimal_mark: str = ""
    group_mark: str = ""

    def __str__(self) -> str:
        return f"{self.word} {self.pattern}".rstrip()


def parse_request(text: "str | Request") -> Request:
    """Take a type asked for apart into word and pattern.

    >>> request = parse_request("date d.M.yyyy")
    >>> request.word, request.pattern
    ('date', 'd.M.yyyy')
    """
    if isinstance(text, Request):
        return text
    word, _, pattern = text.strip().partition(" ")
    if "(" in word:
        # As other languages write it; the error says what it is here.
        type_word(text.strip())
    request = Request(type_word(word), pattern.strip())
    if request.pattern:
        check_pattern(request)
    return request


def check_pattern(request: Request) -> None:
    """Raise a ParameterError unless the pattern belongs to its type."""
    if request.word in MOMENTS:
        if not is_count(request) and request.pattern != CLOCK_NUMBER:
            moment_program(request.word, request.pattern)
    elif request.word == "decimal":
        decimal_scale(request.pattern)
    elif request.word in ("integer", "number"):
        number_pattern(request.pattern)
    elif request.word == "boolean" and all(request.pattern.partition("|")):
        return
    else:
        raise ParameterError(
            f"the type {request.word} takes no pattern, got {request.pattern!r}",
            remedy="patterns go with date (d.M.yyyy), datetime, time and duration, and with numbers (0.00)",
        )


# The types whose patterns are of dates and times.
MOMENTS = ("date", "datetime", "time", "duration")


def is_count(request: Request) -> bool:
    """Return whether a pattern says what numbers count, and not how something is written.

    >>> is_count(Request("datetime", "seconds_since_1970")), is_count(Request("date", "d.M.yyyy"))
    (True, False)
    """
    if request.word == "duration" and request.pattern in DURATION_UNITS:
        return True
    if request.pattern in EPOCHS and request.word not in EPOCHS[request.pattern]:
        raise ParameterError(
            f"{request.pattern} gives a {' or a '.join(EPOCHS[request.pattern])}, not a {request.word}"
        )
    return request.pattern in EPOCHS


def date_form(pattern: str) -> DateForm:
    """Read a date pattern.

    >>> date_form("dd/MM/yyyy").order
    'dmy'
    """
    match = _DATE_PATTERN.fullmatch(pattern)
    order = "".join(_DATE_PARTS[part] for part in match.group(1, 3, 4)) if match else ""
    if order not in ("dmy", "mdy", "ymd") or not match:
        raise ParameterError(
            f"expected a date pattern like d.M.yyyy, MM/dd/yyyy or yyyy-MM-dd, got {pattern!r}",
            remedy="d is the day, M the month (m would be minutes), yyyy the year",
        )
    return DateForm(order, match[2], pattern)


def is_numeric_date(pattern: str) -> bool:
    """Return whether a pattern is one of the numeric forms of dates with four-digit years.

    >>> is_numeric_date("d.M.yyyy"), is_numeric_date("d.M.yy")
    (True, False)
    """
    match = _DATE_PATTERN.fullmatch(pattern)
    return match is not None and sorted(_DATE_PARTS[part] for part in match.group(1, 3, 4)) == ["d", "m", "y"]


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
    match = _NUMBER_PATTERN.fullmatch(pattern)
    if not match or not match["digits"] or match["more"]:
        raise ParameterError(f"expected a decimal pattern like 0.00 or #,##0.00, got {pattern!r}")
    return len(match["digits"]) + 2 * bool(match["per_cent"])


def number_pattern(pattern: str) -> NumberPattern:
    """Read a number pattern.

    >>> number_pattern("#,##0.0#"), number_pattern("0%")
    (NumberPattern(scale=2, grouped=True, per_cent=False), NumberPattern(scale=2, grouped=False, per_cent=True))
    """
    match = _NUMBER_PATTERN.fullmatch(pattern)
    if not match:
        raise ParameterError(f"expected a number pattern like 0.00, #,##0 or 0%, got {pattern!r}")
    per_cent = bool(match["per_cent"])
    scale = len(match["digits"] or "") + len(match["more"] or "")
    return NumberPattern(scale + 2 * per_cent, "," in match["whole"], per_cent)
