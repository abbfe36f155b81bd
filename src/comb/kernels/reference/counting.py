"""Count what texts could be: the reference."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.scalars import DATE_ORDERS, date_groups, digits_after_point, fold, is_number, read_day
from comb.kernels.types import (
    DATE_MARKS,
    DATE_PARTS,
    INT64_MAX,
    INT64_MIN,
    IS_BLANK,
    IS_GIVEN,
    IS_KNOWN,
    LEAST_PLUS_DIGITS,
    MOST_INT64_DIGITS,
    MOST_NUMBER_DIGITS,
    SIZE,
    DatePart,
    Kinds,
    Tally,
    TallySlot,
    Words,
)

_WHOLE = lazy_pattern(r"[+-]?[0-9]+")
_LEADING_ZERO = lazy_pattern(r"0[0-9]+(?:[.,][0-9]*)?")
_BARE_EXPONENT = lazy_pattern(r"[+-]?[0-9]+[eE][0-9]+")


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
        The counts, placed by `TallySlot`, and for each text the bits `IS_BLANK`, `IS_GIVEN`,
        `IS_KNOWN`. Cost: one pass.

    >>> from comb.kernels.types import TallySlot, Words
    >>> counted, _ = tally(["12", "", "1.5"], None, Words())
    >>> [int(counted[place]) for place in (TallySlot.BLANK, TallySlot.INTEGER, TallySlot.POINT)]
    [1, 1, 2]
    """
    total = np.zeros(SIZE, np.int64)
    kinds = np.zeros(len(texts), np.uint8)
    weights = [1] * len(texts) if counts is None else counts.tolist()
    for at, (text, weight) in enumerate(zip(texts, weights, strict=True)):
        stripped = text.strip()
        if not stripped:
            kinds[at], places = IS_BLANK, [TallySlot.BLANK]
        elif stripped in words.given:
            kinds[at], places = IS_GIVEN, [TallySlot.GIVEN]
        elif fold(stripped) in words.known:
            kinds[at], places = IS_KNOWN, [TallySlot.KNOWN]
        else:
            places = _places(stripped, words.counted)
        total[places] += weight
    return total, kinds


def _places(text: str, counted: tuple[str, ...]) -> list[int]:
    """Return the places of a tally that a text adds to."""
    places = [TallySlot.OTHER, *_whole_places(text)]
    places += _number_places(text, ".", TallySlot.POINT, TallySlot.POINT_MARKED, TallySlot.POINT_SCALE)
    places += _number_places(text, ",", TallySlot.COMMA, TallySlot.COMMA_MARKED, TallySlot.COMMA_SCALE)
    number = TallySlot.POINT in places or TallySlot.COMMA in places
    if number and sum(map(str.isdigit, text)) > MOST_NUMBER_DIGITS:
        places.append(TallySlot.MANY_DIGITS)
    if number and text.startswith("-") and not text[1:].lower().partition("e")[0].strip("0.,"):
        places.append(TallySlot.NEGATIVE_ZERO)
    if _LEADING_ZERO.fullmatch(text):
        places.append(TallySlot.LEADING_ZERO)
    if _BARE_EXPONENT.fullmatch(text):
        places.append(TallySlot.BARE_EXPONENT)
    places += _date_places(text)
    folded = fold(text)
    if folded in counted:
        places.append(TallySlot.WORD + counted.index(folded))
    return places


def _whole_places(text: str) -> list[int]:
    if not _WHOLE.fullmatch(text):
        return []
    places = [TallySlot.WHOLE]
    if text.startswith("+") and len(text) > LEAST_PLUS_DIGITS:
        places.append(TallySlot.PLUS)
    digits = text.lstrip("+-").lstrip("0")
    sign = "-" if text.startswith("-") else ""
    if len(digits) > MOST_INT64_DIGITS or not INT64_MIN <= int(f"{sign}{digits or 0}") <= INT64_MAX:
        places.append(TallySlot.LONG)
    elif len(text) <= 20:
        places.append(TallySlot.INTEGER)
    return places


def _number_places(text: str, mark: str, number: int, marked: int, scale: int) -> list[int]:
    if mark == "," and "." in text:
        return []
    plain = text.replace(mark, ".", 1) if mark == "," else text
    if not is_number(plain):
        return []
    places = [int(number)]
    if mark in text or (mark == "." and "e" in text.lower()):
        places.append(marked)
        if mark in text and not _could_be_group(text.lstrip("+-"), mark):
            places.append(TallySlot.COMMA_DECIDED if mark == "," else TallySlot.POINT_DECIDED)
    places.append(scale + (digits_after_point(plain) or 0))
    return places


def _could_be_group(text: str, mark: str) -> bool:
    """Return whether a mark could be a thousands separator."""
    whole, _, rest = text.partition(mark)
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
    return [TallySlot.DATE + DATE_PARTS * DATE_MARKS.index(mark) + part for part in parts]
