"""Read durations: ISO 8601, or numbers with words."""

import re

from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing.moment_shapes import _LETTERS

# -- durations -------------------------------------------------------------------------------

_ISO_DURATION = lazy_pattern(
    r"(?P<sign>[+-])?P(?!\Z)(?:(?P<weeks>[0-9]{1,5})W|(?:(?P<days>[0-9]{1,6})D)?"
    r"(?:T(?!\Z)(?:(?P<hours>[0-9]{1,8})H)?(?:(?P<minutes>[0-9]{1,9})M)?"
    r"(?:(?P<seconds>[0-9]{1,11})(?:[.,](?P<fraction>[0-9]{1,6}))?S)?)?)"
)

_WORDED_DURATION = lazy_pattern(
    r"(?P<sign>-)?(?:(?P<days>[0-9]{1,6}) ?(?:d|days?|Tage?|jours?|días?)\b,? ?)?"
    r"(?:(?P<hours>[0-9]{1,8}) ?(?:h|hrs?|hours?|Std\.?|Stunden?|heures?|horas?)(?![a-z]),? ?)?"
    r"(?:(?P<minutes>[0-9]{1,9}) ?(?:m|min\.?|mins|minutes?|Minuten?|minutos?)(?![a-z]),? ?)?"
    r"(?:(?P<seconds>[0-9]{1,11})(?:[.,](?P<fraction>[0-9]{1,6}))? ?(?:s|secs?|seconds?|Sek\.?|Sekunden?|segundos?))?",
    re.IGNORECASE,
)

# What the first character may be.
_BEGINNINGS = frozenset("+-P0123456789")


def read_duration(text: str) -> int | None:
    """Read a duration as ISO 8601 writes it, or in words; microseconds, None if it is not one.

    Years and months have no fixed length and do not fit.

    >>> read_duration("PT1H30M"), read_duration("1 h 30 min"), read_duration("P1M")
    (5400000000, 5400000000, None)
    """
    if text[:1] not in _BEGINNINGS or not any(map(str.isalpha, text)):
        return None
    match = _ISO_DURATION.fullmatch(text) or _WORDED_DURATION.fullmatch(text)
    if match is None or not any(map(str.isdigit, text)):
        return None
    parts = {name: int(value or 0) for name, value in match.groupdict().items() if name not in ("sign", "fraction")}
    days = parts["days"] + 7 * parts.get("weeks", 0)
    seconds = ((days * 24 + parts["hours"]) * 60 + parts["minutes"]) * 60 + parts["seconds"]
    micro = seconds * 1_000_000 + int((match["fraction"] or "").ljust(6, "0"))
    return -micro if match["sign"] == "-" else micro


def is_worded(text: str) -> bool:
    """Return whether a duration is written in words, with more than one unit."""
    return read_duration(text) is not None and (text.lstrip("+-").startswith("P") or len(_LETTERS.findall(text)) > 1)
