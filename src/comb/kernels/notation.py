"""Numbers as people write them: marks between groups, currencies, units, percent, signs behind."""

import re
import unicodedata
from functools import lru_cache

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.string_buffer import StringBuffer

# The codes of ISO 4217 that are met most, and names that are no code.
CURRENCIES = frozenset({
    "EUR", "USD", "GBP", "CHF", "JPY", "CNY", "SEK", "NOK", "DKK", "PLN", "CZK", "HUF", "RON",
    "BGN", "TRY", "RUB", "UAH", "INR", "BRL", "MXN", "ARS", "CLP", "COP", "CAD", "AUD", "NZD",
    "ZAR", "US$", "C$", "A$", "R$", "kr", "Kč", "zł", "Ft", "Rs", "Fr.", "SFr.",
})  # fmt: skip

# A number begins with letters only where these are of money.
_FIRST_OF_MONEY = tuple(CURRENCIES)

# What is between groups of three digits is a mark; all these spaces are one, and so are the apostrophes.
_SPACES = "\N{NO-BREAK SPACE}\N{NARROW NO-BREAK SPACE}\N{THIN SPACE}"
_SAME = {**dict.fromkeys(_SPACES, " "), "\N{RIGHT SINGLE QUOTATION MARK}": "'"}
_SAME_MARKS = str.maketrans(_SAME)
_MINUS = r"\-\N{MINUS SIGN}\N{EN DASH}"

# Signs that are units: of money, of shares, of angles and temperatures.
_SIGNS = "$¢£¤¥€\u20a0-\u20cf%‰°′″"

_SHAPE = lazy_pattern(
    rf"(?P<open>\()?(?P<sign>[+{_MINUS}])?\s*(?P<before>[^\W\d_]{{1,3}}[$.]?|[{_SIGNS}])?\s*"
    rf"(?P<inner>[+{_MINUS}])?(?P<body>[.,]?[0-9][0-9.,' ]*[0-9]|[0-9])(?P<point>[.,](?=\s|\Z))?\s*"
    rf"(?P<after>[^\W\d_][^\s\d()+{_MINUS},]{{0,11}}|[{_SIGNS}][^\s\d()+{_MINUS},]{{0,5}})?"
    rf"\s*(?P<behind>[+{_MINUS}])?(?P<close>\))?"
)
_ORDINALS = frozenset({"st", "nd", "rd", "th", "e", "er", "º", "ª", "o", "a"})
PER_CENT = "%"

# How a spreadsheet program shows a long number.
SHORTENED = lazy_pattern(r"[+-]?[0-9][.,]?[0-9]*[eE][+]?[0-9]{1,3}")

# Longer texts are not numbers.
LONGEST = 60


class Shape(msgspec.Struct, frozen=True):
    """A number taken apart.

    Attributes
    ----------
    negative : bool
    body : str
        Digits and the marks between them; spaces and apostrophes of one kind.
    unit : str
        What stands before or behind it.
    odd : bool
        Whether parentheses or a sign behind make it negative.
    """

    negative: bool
    body: str
    unit: str
    odd: bool = False


def shape_of(text: str) -> Shape | None:
    """Take a number apart; None if it is not one.

    >>> shape_of("31,5 kg")
    Shape(negative=False, body='31,5', unit='kg', odd=False)
    >>> shape_of("WR-0102")
    """
    if not 0 < len(text) <= LONGEST:
        return None
    if text[0].isalpha() and not text.startswith(_FIRST_OF_MONEY):
        return None
    match = _SHAPE.fullmatch(text.translate(_SAME_MARKS))
    if match is None or (match["open"] is None) != (match["close"] is None) or match["point"]:
        return None
    signs = [sign for sign in match.group("sign", "inner", "behind") if sign]
    if len(signs) > 1 or (signs and match["open"]):
        return None
    before, after = match["before"] or "", match["after"] or ""
    if before and after:
        return None
    if before and not is_currency(before):
        return None
    if after in _ORDINALS or (len(after) == 1 and after.isalpha() and _is_code(match, after)):
        return None
    negative = bool(match["open"] or (signs and signs[0] != "+"))
    return Shape(negative, match["body"], before or after, odd=bool(match["open"] or match["behind"]))


def is_currency(text: str) -> bool:
    """Return whether a text beside a number is a sign or a code of money.

    >>> is_currency("€"), is_currency("EUR"), is_currency("kg"), is_currency("")
    (True, True, False, False)
    """
    return text in CURRENCIES or (text != "" and unicodedata.category(text[0]) == "Sc")


def _is_code(match: re.Match[str], letter: str) -> bool:
    """Return whether a letter right behind a number is more likely a part of a code, or means thousands."""
    return match.start("after") == max(match.end("body"), match.end("point")) and letter not in _LETTERS_OF_UNITS


_LETTERS_OF_UNITS = frozenset("mgtlhsd")


class Marks(msgspec.Struct, frozen=True):
    """The decimal mark and the group mark, which may be none."""

    decimal: str
    group: str

    def describe(self, *, decimals: bool = True) -> str:
        """Say which marks these are."""
        names = {".": "point", ",": "comma", "'": "apostrophe", " ": "space", "_": "low line"}
        parts = [f"thousands separator {names[self.group]}"] if self.group else []
        parts += [f"decimal {names[self.decimal]}"] if decimals else []
        return " and ".join(parts)


MARKS = tuple(Marks(decimal, group) for decimal, groups in ((".", "', "), (",", "'. ")) for group in ["", *groups])


@lru_cache(maxsize=64)
def _grouped(mark: str) -> re.Pattern[str]:
    threes = rf"[0-9]{{1,3}}(?:{re.escape(mark)}[0-9]{{3}})+"
    # As in India: groups of two, but for the last.
    return re.compile(f"{threes}|[0-9]{{1,2}}(?:,[0-9]{{2}})+,[0-9]{{3}}" if mark == "," else threes)


def plain_body(body: str, marks: Marks) -> str | None:
    """Write digits and marks as a plain number with a point; None if the marks stand where they should not.

    >>> plain_body("1.234,5", Marks(",", ".")), plain_body("12.34", Marks(",", "."))
    ('1234.5', None)
    >>> plain_body("12,34,567", Marks(".", ",")), plain_body("1,23,4,567", Marks(".", ","))
    ('1234567', None)
    """
    whole, mark, rest = body.partition(marks.decimal)
    if mark and not _is_digits(rest):
        return None
    if marks.group and marks.group in whole:
        if not _grouped(marks.group).fullmatch(whole) or whole.startswith("0"):
            return None
        whole = whole.replace(marks.group, "")
    if whole and not _is_digits(whole):
        return None
    return f"{whole}.{rest}" if mark else whole


def _is_digits(text: str) -> bool:
    return text.isascii() and text.isdigit()


class PlainNumbers(msgspec.Struct, frozen=True):
    """Numbers of any notation as plain ones.

    Attributes
    ----------
    texts : StringBuffer
        With a point, ready to be read; what does not fit is a question mark, what is blank is empty.
    flags : uint8 array
        Bits: `PLAIN_FITS`, `WITH_UNIT`, `ODD_SIGN`, `ZERO_FIRST`.
    decimals : int32 array
        Digits after the mark, before percent are divided.
    """

    texts: StringBuffer
    flags: NDArray[np.uint8]
    decimals: NDArray[np.int32]


PLAIN_FITS, WITH_UNIT, ODD_SIGN, ZERO_FIRST = 1, 2, 4, 8
