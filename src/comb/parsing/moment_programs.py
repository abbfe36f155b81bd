"""Patterns of dates, datetimes, times and durations become programs for the kernels.

The letters are those of Unicode Technical Standard 35, part 4, as CSV on the Web uses them.
"""

import re
from functools import lru_cache

import msgspec

from comb.errors import ParameterError
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.types import Op, Program
from comb.tables.types import DATE, DATETIME, DURATION, TIME, UTC_DATETIME, Type

# Two-digit years from here on are of the last century.
LAST_CENTURY_FROM = 50

# Counts of a unit since some beginning, and the types that they give; what the standard has no letters for. The
# fraction of a day is the time of day.
EPOCHS = {
    "seconds_since_1970": ("datetime",),
    "milliseconds_since_1970": ("datetime",),
    "microseconds_since_1970": ("datetime",),
    "days_since_1900": ("date", "datetime"),
    "days_since_1904": ("date", "datetime"),
}

DURATION_UNITS = {
    "days": 86_400_000_000, "hours": 3_600_000_000, "minutes": 60_000_000, "seconds": 1_000_000, "milliseconds": 1_000,
    "microseconds": 1,
}  # fmt: skip

# An hour and minutes without a mark between, as whole numbers hold them: 945 is a quarter to ten.
CLOCK_NUMBER = "Hmm"
# As ISO 8601 writes the end of a day, which is the midnight that follows.
END_OF_DAY = r"24[:.h]?00(?:[:.h]?00(?:[.,]0+)?)?"

_PARTS = lazy_pattern(
    rf"'(?P<quoted>(?:[^']|'')*)'|(?P<end>{END_OF_DAY})|(?P<fraction>[.,]S+)|(?P<letters>(?P<one>[A-Za-z])(?P=one)*)"
    r"|(?P<other>.)"
)

_LETTERS: dict[str, tuple[int, int]] = {
    "yyyy": (Op.YEAR, 0), "y": (Op.YEAR, 0), "uuuu": (Op.YEAR, 0), "YYYY": (Op.YEAR, 0),
    "yy": (Op.SHORT_YEAR, LAST_CENTURY_FROM),
    "M": (Op.MONTH, 1), "MM": (Op.MONTH, 1), "L": (Op.MONTH, 1), "LL": (Op.MONTH, 1),
    "MMM": (Op.MONTH_NAME, 0), "MMMM": (Op.MONTH_NAME, 0), "LLL": (Op.MONTH_NAME, 0), "LLLL": (Op.MONTH_NAME, 0),
    "d": (Op.DAY, 1), "dd": (Op.DAY, 1),
    "E": (Op.WEEKDAY_NAME, 0), "EE": (Op.WEEKDAY_NAME, 0), "EEE": (Op.WEEKDAY_NAME, 0), "EEEE": (Op.WEEKDAY_NAME, 0),
    "e": (Op.WEEKDAY, 0), "H": (Op.HOUR, 1), "HH": (Op.HOUR, 1), "h": (Op.HALF_HOUR, 1), "hh": (Op.HALF_HOUR, 1),
    "m": (Op.MINUTE, 0), "mm": (Op.MINUTE, 0), "s": (Op.SECOND, 0), "ss": (Op.SECOND, 0), "a": (Op.HALF, 0),
    "Q": (Op.QUARTER, 0), "w": (Op.WEEK, 0), "ww": (Op.WEEK, 0), "T": (Op.LITERAL, ord("T")),
    **{letter * times: (Op.OFFSET, 0) for letter in "XxZ" for times in range(1, 6)},
}  # fmt: skip

_DIGITS = frozenset({
    Op.YEAR, Op.SHORT_YEAR, Op.MONTH, Op.DAY, Op.HOUR, Op.HALF_HOUR, Op.MINUTE, Op.SECOND, Op.HOURS, Op.WEEKDAY,
    Op.WEEK,
})  # fmt: skip
_MAY_BE_SHORT = frozenset({Op.MONTH, Op.DAY, Op.HOUR, Op.HALF_HOUR})
_OF_DATE = frozenset({Op.YEAR, Op.SHORT_YEAR, Op.MONTH, Op.MONTH_NAME, Op.DAY, Op.QUARTER, Op.WEEK})
_OF_TIME = frozenset({Op.HOUR, Op.HALF_HOUR, Op.MINUTE, Op.SECOND, Op.FRACTION, Op.HALF, Op.OFFSET, Op.END_OF_DAY})


class MomentProgram(msgspec.Struct, frozen=True):
    """A pattern and how it is read.

    Attributes
    ----------
    pattern : str
    program : Program
    type : Type
    """

    pattern: str
    program: Program
    type: Type


@lru_cache(maxsize=1024)
def moment_program(word: str, pattern: str, last_century_from: int = LAST_CENTURY_FROM) -> MomentProgram:
    """Take a pattern apart.

    Parameters
    ----------
    word : {"date", "datetime", "time", "duration"}
    pattern : str
    last_century_from : int
        Two-digit years from here on are of the last century.

    Raises
    ------
    ParameterError
        If it is no pattern of that type.

    >>> moment_program("date", "d. MMMM yyyy").type.word
    'date'
    >>> moment_program("datetime", "d.M.yyyy 24:00").program.ops[-1] == (Op.END_OF_DAY, 0)
    True
    """
    ops: list[tuple[int, int]] = []
    for match in _PARTS.finditer(pattern):
        text = match["quoted"]
        if match["fraction"]:
            ops.append((Op.FRACTION, 0))
        elif text == "th" and ops and ops[-1][0] == Op.DAY:
            # Behind a day it stands for all four: 1st, 2nd, 3rd, 4th.
            ops.append((Op.ORDINAL, 0))
        elif match["letters"]:
            ops += _of_letters(match["letters"], word, pattern, last_century_from)
        elif match["other"] == " ":
            ops.append((Op.SPACES, 0))
        elif match["end"]:
            ops += [*((Op.LITERAL, byte) for byte in match["end"].encode()), (Op.END_OF_DAY, 0)]
        else:
            literal = match["other"] if text is None else text.replace("''", "'") or "'"
            ops += [(Op.LITERAL, byte) for byte in literal.encode()]
    if word == "duration":
        ops = [(Op.SIGN, 0), *((Op.HOURS, 0) if op == Op.HOUR else (op, argument) for op, argument in ops)]
    ops = [_exact(pair, following) for pair, following in zip(ops, [*ops[1:], (Op.LITERAL, 0)], strict=True)]
    names = {op for op, _ in ops}
    _check(word, pattern, names)
    kinds = {"date": DATE, "time": TIME, "duration": DURATION, "datetime": DATETIME}
    kind = UTC_DATETIME if word == "datetime" and Op.OFFSET in names else kinds[word]
    return MomentProgram(pattern, Program(word, tuple(ops)), kind)


def _of_letters(letters: str, word: str, pattern: str, last_century_from: int) -> list[tuple[int, int]]:
    found = _LETTERS.get(letters)
    if found is None:
        raise ParameterError(
            f"the letters {letters!r} mean nothing in the {word} pattern {pattern!r}",
            remedy="d is the day, M the month, MMMM its name, yyyy the year, H the hour, m the minute, s the second, "
            "a stands for a.m. and p.m., XXX for the offset; words are in quotes: d 'de' MMMM",
        )
    return [(Op.SHORT_YEAR, last_century_from)] if found[0] == Op.SHORT_YEAR else [found]


def _exact(pair: tuple[int, int], following: tuple[int, int]) -> tuple[int, int]:
    """Where digits follow digits, each part has to have all of its own."""
    op, argument = pair
    return (op, 2) if op in _MAY_BE_SHORT and following[0] in _DIGITS else (op, argument)


def _check(word: str, pattern: str, names: set[int]) -> None:
    """Raise an error unless a pattern says all that its type needs, and no more."""
    day = Op.DAY in names and names & {Op.MONTH, Op.MONTH_NAME}
    # A month, a quarter, a week or a year stand for their first day.
    whole = names & {Op.YEAR, Op.SHORT_YEAR} and (day or Op.DAY not in names)
    hour = names & {Op.HOUR, Op.HALF_HOUR, Op.HOURS} or (word == "datetime" and names & {Op.END_OF_DAY})
    half = Op.HALF_HOUR in names and Op.HALF not in names
    met = {
        "date": whole and not names & _OF_TIME,
        # A day alone is the midnight at which it begins.
        "datetime": whole and day and (hour or not names & _OF_TIME) and not half,
        "time": hour and not names & _OF_DATE and Op.OFFSET not in names,
        "duration": hour and not names & (_OF_DATE | {Op.OFFSET, Op.HALF, Op.HALF_HOUR}),
    }[word]
    if not met:
        examples = {
            "date": "d.M.yyyy, MM/dd/yyyy, yyyy-MM-dd or d MMMM yyyy",
            "datetime": "yyyy-MM-ddTHH:mm:ss or d.M.yyyy HH:mm", "time": "HH:mm or h:mm a", "duration": "H:mm:ss",
        }  # fmt: skip
        raise ParameterError(
            f"expected a {word} pattern like {examples[word]}, got {pattern!r}",
            remedy="d is the day, M the month (m would be minutes), yyyy the year, H the hour, s the second",
        )


def swapped(pattern: str) -> str:
    """Return the pattern with day and month in each other's place; the same if they are not both digits.

    >>> swapped("dd/MM/yy HH:mm")
    'MM/dd/yy HH:mm'
    """
    if pattern.lstrip("E., ").startswith("yyyy"):
        return pattern
    match = re.search(r"(?<![dM])(d{1,2})([^dMyH]+)(M{1,2})(?!M)|(?<!M)(M{1,2})([^dMyH]+)(d{1,2})(?!d)", pattern)
    if match is None or "MMM" in pattern:
        return pattern
    first, mark, second = match.group(1, 2, 3) if match[1] else match.group(4, 5, 6)
    return pattern[: match.start()] + second + mark + first + pattern[match.end() :]


# What is read where a type is asked for without a pattern.
STANDARD_PATTERNS = {
    "datetime": (
        "yyyy-MM-dd'T'HH:mm:ss.SSS", "yyyy-MM-dd HH:mm:ss.SSS", "yyyy-MM-dd'T'HH:mm", "yyyy-MM-dd HH:mm",
        "yyyy-MM-dd'T'HH:mm:ss.SSSXXX", "yyyy-MM-dd HH:mm:ss.SSSXXX", "yyyy-MM-dd'T'HH:mmXXX", "yyyy-MM-dd HH:mmXXX",
    ),
    "time": ("HH:mm:ss.SSS", "HH:mm", "h:mm:ss a", "h:mm a"),
}  # fmt: skip
