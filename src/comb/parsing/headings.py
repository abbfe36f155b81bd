"""What a heading says: how the values below are written, ``date (yymmdd)``; or that it is a value itself, ``May``."""

import re
from collections.abc import Iterator, Sequence
from itertools import pairwise

from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing.calendar_names import MONTH_NAMES, WEEKDAY_NAMES

# A heading that says how its days are written, in English or German letters; and what these are in patterns.
_FORM = lazy_pattern(r"(?i)[\[(]((?:yyyy|yy|jjjj|jj|mm|dd|tt|[-./ ])+)[\])]", needs="[(")
_LETTERS = str.maketrans("ymdjt", "yMdyd")


_MONTHS = frozenset(word for names in MONTH_NAMES for word in names.split())

# Columns whose names are values are at least this many.
LEAST_HEADINGS = 3

# Numbers that count on are, from this many on: the days of a month, the hours of a day.
LEAST_COUNTED = 7
_YEAR = lazy_pattern(r"(?:18|19|20|21)[0-9]{2}(?:[-/][0-9]{2,4})?")
_QUARTER = lazy_pattern(
    r"(?:(?-i:Q)[1-4]|[1-4]\. ?quartal|(?-i:H)[12])(?:[ _/-]?(?:(?:19|20)?[0-9]{2}))?"
    r"|(?:(?:19|20)[0-9]{2})[ _-]?q[1-4]",
    re.IGNORECASE,
)
_DAY = lazy_pattern(
    r"[0-9]{4}-[0-9]{2}-[0-9]{2}|[0-9]{1,2}[./][0-9]{1,2}[./](?:[0-9]{2,4})?",
    re.IGNORECASE,
)
_WEEK = lazy_pattern(r"(?:week|wk|kw)[ _]?[0-9]{1,2}", re.IGNORECASE)
_WEEKDAYS = frozenset(word for names in WEEKDAY_NAMES for word in names.split())


def day_pattern_of(name: str) -> str:
    """Return the pattern of days that a heading gives; empty if it gives none.

    >>> day_pattern_of("date (yymmdd)"), day_pattern_of("born (dd/mm/yyyy)"), day_pattern_of("rain (mm)")
    ('yyMMdd', 'dd/MM/yyyy', '')
    """
    form = _FORM.search(name)
    pattern = form[1].casefold().translate(_LETTERS) if form else ""
    return pattern if pattern.count("M") == pattern.count("d") == 2 and "yy" in pattern else ""


def heading_groups(names: Sequence[str]) -> Iterator[tuple[str, list[str]]]:
    """Return groups of names that are values of one kind, alone or behind a shared beginning; numbers that count on."""
    groups: dict[tuple[str, str], list[str]] = {}
    for name in names:
        kind = heading_kind(name)
        if kind is not None:
            groups.setdefault(kind, []).append(name)
    months = groups.get(("month", ""), [])
    if ("weekday", "") in groups and all(name.casefold().rstrip(".") in _WEEKDAYS for name in months):
        # What is short for a month in one language is for a day in another.
        both = {*groups["weekday", ""], *groups.pop(("month", ""), [])}
        groups["weekday", ""] = [name for name in names if name in both]
    for (what, _), found in groups.items():
        if len(found) >= (LEAST_COUNTED if what == "number" else LEAST_HEADINGS) and (
            what != "number" or all(int(after) - int(before) == 1 for before, after in pairwise(found))
        ):
            yield what, found


def heading_kind(name: str) -> tuple[str, str] | None:
    """Return what kind of value a heading is, and what else is in it.

    >>> heading_kind("March"), heading_kind("weight_2024"), heading_kind("17"), heading_kind("weight")
    (('month', ''), ('year', 'weight'), ('number', ''), None)
    """
    text = name.strip()
    if text.isdecimal() and len(text) <= 2:
        return "number", ""
    word = text.casefold().rstrip(".")
    if word in _WEEKDAYS and word not in _MONTHS:
        return "weekday", ""
    if re.fullmatch(r"(?:19|20)[0-9]{2}-(?:0[1-9]|1[0-2])", text):
        return "month", ""
    for what, form in (("quarter", _QUARTER), ("day", _DAY), ("week", _WEEK), ("year", _YEAR)):
        if form.fullmatch(text):
            return what, ""
        parts = re.fullmatch(rf"(?P<before>[^\W\d_][\w .]*?)[ _-]+(?:{form.pattern})", text, re.IGNORECASE)
        if parts is not None and what not in ("day", "week"):
            return what, parts["before"]
    words = re.split(r"[\s_.-]+", text.casefold())
    months = [word for word in words if word in _MONTHS]
    rest = [word for word in words if word not in _MONTHS]
    if len(months) == 1:
        # The year of each month may differ; what else is in the heading does not.
        return "month", "" if len(rest) == 1 and rest[0].isdigit() else " ".join(rest)
    return None
