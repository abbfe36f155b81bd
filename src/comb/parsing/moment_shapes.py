"""See how dates, datetimes, times and durations are written."""

import re
from collections.abc import Sequence
from functools import lru_cache

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.scalars import fold
from comb.parsing.calendar_names import FULL_NAMES, MONTH_NUMBERS, WEEKDAY_BITS
from comb.parsing.moment_programs import END_OF_DAY

# No way to write a moment takes more characters.
LONGEST = 60

_CLOCK = lazy_pattern(
    r"(?P<hour>[0-9]{1,2})(?P<mark>[:h.])(?P<minute>[0-9]{2})"
    r"(?:(?P=mark)(?P<second>[0-9]{2})(?P<fraction>[.,][0-9]{1,9})?)?"
    r"(?P<half>\s*[AaPp]\.?[Mm]\b\.?)?(?P<word>\s*(?:Uhr|h|hrs)\b)?"
    r"(?P<offset>\s*(?:[Zz]\b|UTC|GMT|[+-][0-9]{2}:?(?:[0-9]{2})?))?\Z",
    needs=":h.",
)

_COMPACT_CLOCK = lazy_pattern(
    r"T(?P<hour>[0-9]{2})(?P<minute>[0-9]{2})(?P<second>[0-9]{2})?(?P<offset>Z|[+-][0-9]{4})?\Z",
    needs="T",
)
_HALF_CLOCK = lazy_pattern(r"(?P<hour>[0-9]{1,2})(?P<gap>\s*)(?P<half>[AaPp]\.?[Mm]\b\.?)\Z", needs="mM")
_DAY_AHEAD = lazy_pattern(r"E(\.?,? )", needs="E")
_END_OF_DAY = lazy_pattern(END_OF_DAY)
_TIME_ON = lazy_pattern(r"[Hh]|24")
_SEPARATOR = lazy_pattern(r"(?P<t>[Tt])|(?P<word>,?\s+(?:at|um|à|a las|-)\s+)|(?P<plain>,?\s+|:)\Z")


def _mark_of(date: str) -> str:
    """Return what is in a date beside digits: N for the name of a month, a letter, or nothing.

    >>> _mark_of("3. N 2026"), _mark_of("2026-Q1"), _mark_of("2026-11-03")
    ('N', 'Q', '')
    """
    return next((mark for mark in "NQW年년" if mark in date), "")


# Sorted by what is in a date beside digits: only those of its sort are tried on a text.
_DATE_SHAPES: dict[str, list[tuple[re.Pattern[str], tuple[str, ...]]]] = {}
for _shape, _patterns in (
    (r"[0-9]{4}(?P<m>[-./ ])[0-9]{1,2}(?P=m)[0-9]{1,2}", ("yyyy{m}M{m}d",)),
    (r"[0-9]{1,2}(?P<m>[-./ ]|\. )[0-9]{1,2}(?P=m)[0-9]{4}", ("d{m}M{m}yyyy", "M{m}d{m}yyyy")),
    (r"[0-9]{1,2}(?P<m>[-./ ]|\. )[0-9]{1,2}(?P=m)[0-9]{2}", ("d{m}M{m}yy", "M{m}d{m}yy")),
    (r"[0-9]{2}(?P<m>-)[0-9]{1,2}(?P=m)[0-9]{2}", ("yy{m}M{m}d",)),
    (r"[0-9]{8}", ("yyyyMMdd",)),
    (r"[0-9]{1,2}(?P<m>\.? ?|-|/)N(?P<p>\.?)(?P<n>,? ?|-|/)[0-9]{4}", ("d{m}N{n}yyyy",)),
    (r"[0-9]{1,2}(?P<m>\.? ?|-|/)N(?P<p>\.?)(?P<n>,? ?|-|/)[0-9]{2}", ("d{m}N{n}yy",)),
    (r"[0-9]{1,2} de N de [0-9]{4}", ("d 'de' N 'de' yyyy",)),
    (r"[0-9]{4}\. N [0-9]{1,2}\.", ("yyyy. N d.",)),
    (r"[0-9]{1,2}(?:st|nd|rd|th) N(?P<p>\.?)(?P<n>,? )[0-9]{4}", ("d'th' N{n}yyyy",)),
    (r"[0-9]{1,2}(?:st|nd|rd|th) of N(?P<n>,? )[0-9]{4}", ("d'th' 'of' N{n}yyyy",)),
    (r"N(?P<p>\.?) [0-9]{1,2}(?:st|nd|rd|th)(?P<n>,? )[0-9]{4}", ("N d'th'{n}yyyy",)),
    (r"[0-9]{4}年[0-9]{1,2}月[0-9]{1,2}日", ("yyyy'年'M'月'd'日'",)),
    (r"[0-9]{4}년 [0-9]{1,2}월 [0-9]{1,2}일", ("yyyy'년' M'월' d'일'",)),
    (r"N(?P<p>\.?)(?P<m> |-)[0-9]{1,2}(?P<n>,? |-)[0-9]{4}", ("N{m}d{n}yyyy",)),
    (r"[0-9]{4}(?P<m> |-|/)N(?P<p>\.?)(?P=m)[0-9]{1,2}", ("yyyy{m}N{m}d",)),
    (r"N(?P<p>\.?)(?P<m> |-|/)[0-9]{4}", ("N{m}yyyy",)),
    (r"N(?P<p>\.?)(?P<m> |-|/)[0-9]{2}", ("N{m}yy",)),
    (r"N(?P<p>\.?)(?P<m> ?|-)'[0-9]{2}", ("N{m}''yy",)),
    (r"N de [0-9]{4}", ("N 'de' yyyy",)),
    (r"[0-9]{4}(?P<m> |-|/)N(?P<p>\.?)", ("yyyy{m}N",)),
    (r"[0-9]{4}(?P<m>[-/.])[0-9]{2}", ("yyyy{m}MM",)),
    (r"[0-9]{1,2}(?P<m>[-/])[0-9]{4}", ("M{m}yyyy",)),
    (r"[0-9]{4}(?P<m>[-/ ]?)Q[1-4]", ("yyyy{m}'Q'Q",)),
    (r"Q[1-4](?P<m>[-/ ])[0-9]{4}", ("'Q'Q{m}yyyy",)),
    (r"[0-9]{4}-W[0-9]{2}", ("YYYY-'W'ww",)),
    (r"[0-9]{4}W[0-9]{2}", ("YYYY'W'ww",)),
    (r"[0-9]{4}-W[0-9]{2}-[1-7]", ("YYYY-'W'ww-e",)),
):
    _DATE_SHAPES.setdefault(_mark_of(_shape), []).append((lazy_pattern(_shape), _patterns))

# As the C library writes a moment: Fri Jun 30 17:12:41 2023, a day below ten behind two spaces.
_YEAR_LAST = lazy_pattern(r"N {1,2}[0-9]{1,2} (?P<clock>[0-9:]+) [0-9]{4}", needs="N")

# Texts that were looked at for a guess are looked at again when all have been read.
MOST_REMEMBERED = 4000
_WORD = lazy_pattern(r"[^\W\d_]+")
_LETTERS = lazy_pattern(r"[A-Za-z]+")


@lru_cache(maxsize=MOST_REMEMBERED)
def patterns_of(text: str) -> tuple[tuple[str, str], ...]:
    """Return the patterns a text could be written in, each with its type.

    >>> patterns_of("3.11.2026 17:45")
    (('datetime', 'd.M.yyyy HH:mm'), ('datetime', 'M.d.yyyy HH:mm'))
    >>> patterns_of("2026-11-03 24:00")
    (('datetime', 'yyyy-MM-dd 24:00'),)
    >>> patterns_of("3. März 2026"), patterns_of("hive 3")
    ((('date', 'd. MMMM yyyy'),), ())
    """
    if not 3 < len(text) <= LONGEST or not any(map(str.isdigit, text)):
        return ()
    named = _named(text)
    if named is None:
        return ()
    return tuple(_whole(named, text))


def _named(text: str) -> str | None:
    """Put N for the name of a month and E for that of a weekday; None if there are other words."""
    names: list[str] = []

    def marked(match: re.Match[str]) -> str:
        word = match[0]
        folded = fold(word)
        if folded in MONTH_NUMBERS or word in MONTH_NUMBERS:
            names.append(folded)
            return "N"
        if folded in WEEKDAY_BITS or word in WEEKDAY_BITS:
            names.append(folded)
            return "E"
        return word

    found = _WORD.sub(marked, text)
    if len(names) > 2 or found.count("N") > 1:
        return None
    return found


def _whole(named: str, text: str) -> list[tuple[str, str]]:
    ahead, rest = "", named
    match = _DAY_AHEAD.match(named)
    if match:
        length = "EEEE" if _first_word(text) > 3 else "EEE"
        # A point behind an abbreviation is read with it.
        ahead, rest = length + match[1].lstrip("."), named[match.end() :]
    full = any(fold(word) in FULL_NAMES for word in _WORD.findall(text))
    dates = _dates(rest, full)
    if dates:
        return [("date", ahead + date) for date in dates]
    match = _YEAR_LAST.fullmatch(rest)
    if match:
        clock, tail = _clock_of(match["clock"])
        month = "MMMM" if full else "MMM"
        return [("datetime", f"{ahead}{month} d {clock} yyyy")] if tail == match["clock"] else []
    clock, tail = _clock_of(rest)
    if not clock:
        return []
    before = rest[: len(rest) - len(tail)]
    if not before and not ahead:
        return [("time", clock)] if "X" not in clock else []
    joint = _SEPARATOR.search(before) if not tail.startswith("T") else None
    if joint is None and not tail.startswith("T"):
        return []
    between = before[joint.start() :] if joint else ""
    day = before[: joint.start()] if joint else before
    return [("datetime", f"{ahead}{date}{_between(between)}{clock}") for date in _dates(day, full) if "d" in date]


def _first_word(text: str) -> int:
    match = _WORD.match(text)
    return len(match[0]) if match else 0


def _between(text: str) -> str:
    """Write what stands between date and time: words in quotes."""
    spaced = re.sub(r"\s+", " ", text)
    return re.sub(r"[^\W\d_]+(?: [^\W\d_]+)*", lambda match: f"'{match[0]}'", spaced)


def _dates(text: str, full: bool) -> list[str]:
    found = []
    for shape, patterns in _DATE_SHAPES.get(_mark_of(text), ()):
        match = shape.fullmatch(text)
        if match:
            marks = match.groupdict()
            # A point behind the name is read with it.
            marks.pop("p", None)
            found += [pattern.format(**marks) for pattern in patterns]
    return [_sized(pattern.replace("N", "MMMM" if full else "MMM"), text) for pattern in found]


def _sized(pattern: str, text: str) -> str:
    """Write parts that have a zero ahead with two letters."""
    if re.search(r"(?<![0-9])0[0-9](?![0-9])", text):
        pattern = re.sub(r"(?<![dM])([dM])(?![dM])", r"\1\1", pattern)
    return pattern


def _clock_of(text: str) -> tuple[str, str]:
    """Return the pattern of the time with which a text ends, and the text of it."""
    match = _CLOCK.search(text)
    if match and match["mark"] == "." and not (match["word"] or match["half"]):
        match = None
    if match:
        half = match["half"] is not None
        letter = "h" if half else "H"
        mark = f"'{match['mark']}'" if match["mark"] == "h" else match["mark"]
        clock = f"{letter * len(match['hour'])}{mark}mm"
        if match["second"]:
            clock += f"{mark}ss" + (_fraction(match["fraction"]) if match["fraction"] else "")
        clock = _end_of_day(match) or clock
        if half:
            clock += (" " if match["half"][0].isspace() else "") + "a"
        if match["word"]:
            clock += (" " if match["word"][0].isspace() else "") + f"'{match['word'].strip()}'"
        if match["offset"]:
            clock += (" " if match["offset"][0].isspace() else "") + _offset(match["offset"].strip())
        return clock, match[0]
    match = _COMPACT_CLOCK.search(text)
    if match:
        clock = _end_of_day(match) or "HHmm" + ("ss" if match["second"] else "")
        return f"'T'{clock}" + (_offset(match["offset"]) if match["offset"] else ""), match[0]
    match = _HALF_CLOCK.search(text)
    if match:
        return "h" + (" " if match["gap"] else "") + "a", match[0]
    return "", ""


def _end_of_day(match: re.Match[str]) -> str:
    """Return a time of 24:00 behind a day as it is written; nothing for all others."""
    parts = match.groupdict()
    last = next(name for name in ("fraction", "second", "minute") if parts.get(name))
    written = match.string[match.start("hour") : match.end(last)]
    return written if match.start() and _END_OF_DAY.fullmatch(written) else ""


def _fraction(text: str) -> str:
    return text[0] + ("SSS" if len(text) <= 4 else "SSSSSS")


def _offset(text: str) -> str:
    return "XXX" if ":" in text or not any(map(str.isdigit, text)) else "XX" if len(text) > 3 else "X"


@lru_cache(maxsize=4096)
def general(pattern: str) -> str:
    """Return the pattern that reads all that one reads and its near relatives too.

    One digit or two, the fraction of a second left out or not, and short and full names are read
    equal, so that patterns which differ by these only are one.

    >>> general("dd.MM.yyyy HH:mm:ss") == general("d.M.yyyy H:mm:ss.SSS")
    True
    """
    pattern = re.sub(r"(?<![dM'])(d|M|H|h)\1(?!\1|[a-zA-Z])(?<![yYS]MM)", r"\1", pattern)
    pattern = re.sub(r"[.,]S+", "", pattern)
    pattern = pattern.replace("MMMM", "MMM").replace("EEEE", "EEE")
    return re.sub(r"X+", "X", pattern)


def up_to_time(pattern: str) -> str:
    """Return the general form of the day in a pattern, up to its time.

    >>> up_to_time("dd.MM.yyyy HH:mm"), up_to_time("d.M.yyyy 24:00"), up_to_time("yyyy-MM-dd'T'HH:mm")
    ('d.M.yyyy', 'd.M.yyyy', 'yyyy-M-d')
    """
    return _TIME_ON.split(general(pattern))[0].rstrip(" ,'T")


def fullest(patterns: Sequence[str]) -> str:
    """Return of patterns with one `general` form the one that shows most: fractions, both digits."""
    return max(patterns, key=lambda pattern: ("S" in pattern, len(pattern)))
