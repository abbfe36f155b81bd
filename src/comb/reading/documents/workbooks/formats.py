"""What number formats show: dates, times, percentages, amounts of money."""

import re
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from comb.formats.lazy_pattern import lazy_pattern
from comb.inference.typed_cells import SourceKind

# Formats that have a number but no text in the file, after ECMA-376 part 1, 18.8.30.
BUILT_IN = {
    9: "0%", 10: "0.00%", 5: "$#,##0", 6: "$#,##0", 7: "$#,##0.00", 8: "$#,##0.00", 14: "yyyy-mm-dd",
    15: "d-mmm-yy", 16: "d-mmm", 17: "mmm-yy", 18: "h:mm AM/PM", 19: "h:mm:ss AM/PM", 20: "h:mm", 21: "h:mm:ss",
    22: "yyyy-mm-dd h:mm", 45: "mm:ss", 46: "[h]:mm:ss", 47: "mm:ss.0", 49: "@",
    **dict.fromkeys((27, 28, 29, 30, 31, 36, 50, 51, 52, 53, 54, 57, 58), "yyyy-mm-dd"),
    **dict.fromkeys((32, 33, 34, 35, 55, 56), "h:mm:ss"),
}  # fmt: skip
_LITERAL = lazy_pattern(r'"[^"]*"|\\.|_.|\*.')
_ELAPSED = lazy_pattern(r"\[(h+|m+|s+)\]", re.IGNORECASE)
_MONEY = lazy_pattern(r"\[\$([^\]-]*)[^\]]*\]|([$€£¥₹₽₩]|\b(?:EUR|USD|GBP|CHF|JPY)\b)")
_BRACKETED = lazy_pattern(r"\[[^\]]*\]")


@lru_cache(maxsize=1024)
def shown_kind(code: str) -> int:
    """Return the kind of cell that a format makes of a number; 0 for a plain number.

    >>> [SourceKind(shown_kind(code)).name for code in ("d.m.yyyy", "yyyy-mm-dd hh:mm", "h:mm", "[h]:mm")]
    ['DATE', 'DATETIME', 'TIME', 'DURATION']
    >>> shown_kind('0.0 "d"')
    0
    """
    positive = code.partition(";")[0]
    bare = _LITERAL.sub("", positive)
    if _ELAPSED.search(bare):
        return SourceKind.DURATION
    bare = _BRACKETED.sub("", bare).lower().replace("general", "")
    clock = "h" in bare or "s" in bare
    if "y" in bare or "d" in bare or ("m" in bare and not clock and "0" not in bare and "#" not in bare):
        return SourceKind.DATETIME if clock else SourceKind.DATE
    return SourceKind.TIME if clock else 0


_DIGITS = lazy_pattern(r"(?:0|[- /.]|\\.|\"[^\"]*\")+")


@lru_cache(maxsize=1024)
def shown_digits(code: str) -> str:
    """Return the mask of a format that shows a number as a code, with a zero for each digit; else nothing.

    >>> [shown_digits(code) for code in ("00000", "000 00", "0", "0.00", "000.0")]
    ['00000', '000 00', '', '', '']
    """
    if not _DIGITS.fullmatch(code) or "." in code:
        return ""
    mask = "".join(part[1:2] if part[0] == "\\" else part.strip('"') for part in re.findall(r'\\.|"[^"]*"|.', code))
    return mask if code.count("0") == mask.count("0") > 1 else ""


# Beyond this a float does not have all its digits; a code of as many is a text anyway.
LARGEST_CODE = 1e15


def could_be_codes(numbers: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Return which numbers are whole, not negative, and exact."""
    whole: NDArray[np.bool_] = (numbers >= 0) & (numbers < LARGEST_CODE) & (np.floor(numbers) == numbers)
    return whole


def digits_in(mask: str, number: int) -> str:
    """Write a whole number into a mask of zeros; digits too many are written before it.

    >>> digits_in("00000-0000", 10671234), digits_in("000", 12345)
    ('01067-1234', '12345')
    """
    left = list(str(number))
    shown = [(left.pop() if left else "0") if mark == "0" else mark for mark in reversed(mask)]
    return "".join([*left, *reversed(shown)])


@lru_cache(maxsize=1024)
def shown_unit(code: str) -> str:
    """Return what a format says of a number: a percent sign or a currency; else nothing.

    >>> shown_unit("0.00%"), shown_unit('#,##0.00\\\\ [$€-407]'), shown_unit("0.0")
    ('%', '€', '')
    """
    quoted = "".join(re.findall(r'"([^"]*)"', code))
    bare = _LITERAL.sub("", code)
    if "%" in bare:
        return "%"
    match = _MONEY.search(bare) or _MONEY.search(quoted)
    return (match[1] or match[2] or "") if match else ""
