"""Count what texts could be: the figures from which the type of a column is decided.

One vector of counts says of many cells how many of them are blank, stand for missing,
read as whole numbers, as numbers with a point or a comma, or as dates of each order.
Counts of parts of a column add up to those of the whole, so parts can be counted side
by side. Only ASCII digits count, and words compare by ASCII letters without case.
"""

import re
from collections.abc import Sequence
from enum import IntEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.kernels.parsing import (
    DATE_ORDERS,
    INT64_MAX,
    INT64_MIN,
    MOST_DECIMAL_DIGITS,
    date_groups,
    digits_after_point,
    fold,
    is_number,
    read_day,
)

Tally = NDArray[np.int64]
Kinds = NDArray[np.uint8]

DATE_MARKS = "-./"

# The shortest number written with more digits than this may not come back from a float.
MOST_NUMBER_DIGITS = 17

MOST_INT64_DIGITS = 19

# More words than this are looked up one by one; a boolean has two.
MOST_WORDS = 64


class Count(IntEnum):
    """What each place of a tally counts; from `POINT_SCALE` on, each name begins a group of places."""

    BLANK = 0
    GIVEN = 1  # a word given for missing
    KNOWN = 2  # a known word for missing
    OTHER = 3  # everything else
    INTEGER = 4
    WHOLE = 5  # digits and perhaps a sign, of any length
    LEADING_ZERO = 6
    LONG = 7  # whole, beyond int64
    MANY_DIGITS = 8  # a number with more digits than a float keeps
    NEGATIVE_ZERO = 9
    POINT = 10  # a number with a decimal point or none
    POINT_MARKED = 11  # of these, with a point or an exponent
    COMMA = 12  # the same with a decimal comma
    COMMA_MARKED = 13
    COMMA_DECIDED = 14  # of these, where the comma cannot part thousands
    POINT_SCALE = 15  # by digits after the point; the first place: none, or not to be told
    COMMA_SCALE = POINT_SCALE + MOST_DECIMAL_DIGITS + 1
    DATE = COMMA_SCALE + MOST_DECIMAL_DIGITS + 1  # by mark, then as in `DatePart`
    WORD = DATE + 9 * 3  # by the words that were given to be counted


class DatePart(IntEnum):
    """What is counted of dates with one mark."""

    YEAR_FIRST = 0  # four digits in front
    YEAR_FIRST_UNPADDED = 1
    YMD = 2  # such a day exists
    YEAR_LAST = 3
    YEAR_LAST_UNPADDED = 4
    FIRST_ABOVE_12 = 5
    SECOND_ABOVE_12 = 6
    DMY = 7
    MDY = 8


SIZE = int(Count.WORD) + MOST_WORDS

# What `kinds` says of one text, as bits.
IS_BLANK, IS_GIVEN, IS_KNOWN = 1, 2, 4

_WHOLE = re.compile(r"[+-]?[0-9]+")
_LEADING_ZERO = re.compile(r"0[0-9]+")


class Words(NamedTuple):
    """The words that matter when texts are counted.

    Attributes
    ----------
    given : tuple of str
        Words given for missing: they count wherever they stand, letter for letter.
    known : tuple of str
        Known words for missing, in lower case.
    counted : tuple of str
        Words to be counted one by one, in lower case; at most `MOST_WORDS`.
    """

    given: tuple[str, ...] = ()
    known: tuple[str, ...] = ()
    counted: tuple[str, ...] = ()


def tally(texts: Sequence[str], counts: NDArray[np.int64] | None, words: Words) -> tuple[Tally, Kinds]:
    """Count what texts could be.

    Parameters
    ----------
    texts : sequence of str
        Outer spaces do not count.
    counts : int64 array, optional
        Cells that hold each text; one by default.
    words : Words

    Returns
    -------
    tally, kinds
        The counts, placed by `Count`, and for each text the bits `IS_BLANK`, `IS_GIVEN`,
        `IS_KNOWN`. Cost: one pass.

    >>> counted, _ = tally(["12", "", "1.5"], None, Words())
    >>> [int(counted[place]) for place in (Count.BLANK, Count.INTEGER, Count.POINT)]
    [1, 1, 2]
    """
    total = np.zeros(SIZE, np.int64)
    kinds = np.zeros(len(texts), np.uint8)
    weights = [1] * len(texts) if counts is None else counts.tolist()
    for at, (text, weight) in enumerate(zip(texts, weights, strict=True)):
        stripped = text.strip()
        if not stripped:
            kinds[at], places = IS_BLANK, [int(Count.BLANK)]
        elif stripped in words.given:
            kinds[at], places = IS_GIVEN, [int(Count.GIVEN)]
        elif fold(stripped) in words.known:
            kinds[at], places = IS_KNOWN, [int(Count.KNOWN)]
        else:
            places = _places(stripped, words.counted)
        total[places] += weight
    return total, kinds


def _places(text: str, counted: tuple[str, ...]) -> list[int]:
    """Return the places of a tally that a text adds to."""
    places = [int(Count.OTHER), *_whole_places(text)]
    places += _number_places(text, ".", Count.POINT, Count.POINT_MARKED, Count.POINT_SCALE)
    places += _number_places(text, ",", Count.COMMA, Count.COMMA_MARKED, Count.COMMA_SCALE)
    number = Count.POINT in places or Count.COMMA in places
    if number and sum(map(str.isdigit, text)) > MOST_NUMBER_DIGITS:
        places.append(Count.MANY_DIGITS)
    if number and text.startswith("-") and not text[1:].lower().partition("e")[0].strip("0.,"):
        places.append(Count.NEGATIVE_ZERO)
    places += _date_places(text)
    folded = fold(text)
    if folded in counted:
        places.append(Count.WORD + counted.index(folded))
    return places


def _whole_places(text: str) -> list[int]:
    if not _WHOLE.fullmatch(text):
        return []
    places = [int(Count.WHOLE)]
    if _LEADING_ZERO.fullmatch(text):
        places.append(Count.LEADING_ZERO)
    digits = text.lstrip("+-").lstrip("0")
    sign = "-" if text.startswith("-") else ""
    if len(digits) > MOST_INT64_DIGITS or not INT64_MIN <= int(f"{sign}{digits or 0}") <= INT64_MAX:
        places.append(Count.LONG)
    elif len(text) <= 20:
        places.append(Count.INTEGER)
    return places


def _number_places(text: str, mark: str, number: Count, marked: Count, scale: Count) -> list[int]:
    if mark == "," and "." in text:
        return []
    plain = text.replace(mark, ".", 1) if mark == "," else text
    if not is_number(plain):
        return []
    places = [int(number)]
    if mark in text or (mark == "." and "e" in text.lower()):
        places.append(marked)
        if mark == "," and not _could_be_group(text.lstrip("+-")):
            places.append(Count.COMMA_DECIDED)
    places.append(scale + (digits_after_point(plain) or 0))
    return places


def _could_be_group(text: str) -> bool:
    """Return whether a comma could part thousands."""
    whole, _, rest = text.partition(",")
    return len(rest) == 3 and 1 <= len(whole) <= 3 and not whole.startswith("0")


def _date_places(text: str) -> list[int]:
    groups = date_groups(text)
    if groups is None:
        return []
    mark, first, second, third = groups
    parts = []
    if len(first) == 4:
        parts.append(DatePart.YEAR_FIRST)
        if not len(second) == len(third) == 2:
            parts.append(DatePart.YEAR_FIRST_UNPADDED)
    if len(third) == 4:
        parts.append(DatePart.YEAR_LAST)
        if not len(first) == len(second) == 2:
            parts.append(DatePart.YEAR_LAST_UNPADDED)
        parts += [DatePart.FIRST_ABOVE_12] if int(first) > 12 else []
        parts += [DatePart.SECOND_ABOVE_12] if int(second) > 12 else []
    for order, part in (("ymd", DatePart.YMD), ("dmy", DatePart.DMY), ("mdy", DatePart.MDY)):
        if read_day((first, second, third), DATE_ORDERS[order]) is not None:
            parts.append(part)
    return [Count.DATE + len(DatePart) * DATE_MARKS.index(mark) + part for part in parts]
