"""Numbers as people write them: marks between groups, currencies, units, per cent, signs behind."""

import re
import unicodedata
from collections.abc import Iterable
from typing import NamedTuple

# The codes of ISO 4217 that are met most, and names that are no code.
CURRENCIES = frozenset({
    "EUR", "USD", "GBP", "CHF", "JPY", "CNY", "SEK", "NOK", "DKK", "PLN", "CZK", "HUF", "RON",
    "BGN", "TRY", "RUB", "UAH", "INR", "BRL", "MXN", "ARS", "CLP", "COP", "CAD", "AUD", "NZD",
    "ZAR", "US$", "C$", "A$", "R$", "kr", "Kč", "zł", "Ft", "Rs", "Fr.", "SFr.",
})  # fmt: skip

# What is between groups of three digits is a mark; all these spaces are one, and so are the apostrophes.
_SPACES = "\N{NO-BREAK SPACE}\N{NARROW NO-BREAK SPACE}\N{THIN SPACE}"
_SAME = {**dict.fromkeys(_SPACES, " "), "\N{RIGHT SINGLE QUOTATION MARK}": "'"}
_SAME_MARKS = str.maketrans(_SAME)

_MINUS = r"\-\N{MINUS SIGN}\N{EN DASH}"

# Signs that are units: of money, of shares, of angles and temperatures.
_SIGNS = "$¢£¤¥€\u20a0-\u20cf%‰°′″"

_SHAPE = re.compile(
    rf"(?P<open>\()?(?P<sign>[+{_MINUS}])?\s*(?P<before>[^\W\d_]{{1,3}}[$.]?|[{_SIGNS}])?\s*"
    rf"(?P<inner>[+{_MINUS}])?(?P<body>[.,]?[0-9][0-9.,' ]*[0-9]|[0-9])(?P<point>[.,](?=\s|\Z))?\s*"
    rf"(?P<after>[^\W\d_][^\s\d()+{_MINUS},]{{0,11}}|[{_SIGNS}][^\s\d()+{_MINUS},]{{0,5}})?"
    rf"\s*(?P<behind>[+{_MINUS}])?(?P<close>\))?"
)
_ORDINALS = frozenset({"st", "nd", "rd", "th", "e", "er", "º", "ª", "o", "a"})
PER_CENT = "%"

# Texts beyond this are no numbers.
LONGEST = 60


class Shape(NamedTuple):
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
    """Take a number apart; None if it is none.

    >>> shape_of("31,5 kg")
    Shape(negative=False, body='31,5', unit='kg', odd=False)
    >>> shape_of("WR-0102")
    """
    if not 0 < len(text) <= LONGEST:
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
    if before and not (before in CURRENCIES or unicodedata.category(before[0]) == "Sc"):
        return None
    if after in _ORDINALS or (len(after) == 1 and after.isalpha() and _is_code(match, after)):
        return None
    negative = bool(match["open"] or (signs and signs[0] != "+"))
    return Shape(negative, match["body"], before or after, odd=bool(match["open"] or match["behind"]))


def _is_code(match: re.Match[str], letter: str) -> bool:
    """Return whether a letter right behind a number is more likely a part of a code, or means thousands."""
    return match.start("after") == max(match.end("body"), match.end("point")) and letter not in _LETTERS_OF_UNITS


_LETTERS_OF_UNITS = frozenset("mgtlhsd")


class Marks(NamedTuple):
    """The mark before the decimals and the one between groups, which may be none."""

    decimal: str
    group: str

    def told(self, *, decimals: bool = True) -> str:
        """Say which marks these are."""
        names = {".": "a point", ",": "a comma", "'": "an apostrophe", " ": "a space", "_": "a low line"}
        parts = [f"the mark between groups is {names[self.group]}"] if self.group else []
        parts += [f"the mark before the decimals is {names[self.decimal]}"] if decimals else []
        return " and ".join(parts)


MARKS = tuple(Marks(decimal, group) for decimal, groups in ((".", "', "), (",", "'. ")) for group in ["", *groups])

_GROUPED = {
    group: re.compile(rf"[0-9]{{1,3}}(?:{re.escape(group)}[0-9]{{3}})+") for group in "', ."
}  # fmt: skip


def plain_body(body: str, marks: Marks) -> str | None:
    """Write digits and marks as a plain number with a point; None if the marks stand where they should not.

    >>> plain_body("1.234,5", Marks(",", ".")), plain_body("12.34", Marks(",", "."))
    ('1234.5', None)
    """
    whole, mark, rest = body.partition(marks.decimal)
    if mark and not rest.isdigit():
        return None
    if marks.group and marks.group in whole:
        if not _GROUPED[marks.group].fullmatch(whole) or whole.startswith("0"):
            return None
        whole = whole.replace(marks.group, "")
    if whole and not whole.isdigit():
        return None
    return f"{whole}.{rest}" if mark else whole


def fits_of(bodies: Iterable[str]) -> dict[Marks, list[bool]]:
    """Return for each choice of marks which of the bodies it reads."""
    bodies = list(bodies)
    return {marks: [plain_body(body, marks) is not None for body in bodies] for marks in MARKS}


def written_plain(text: str, marks: Marks, unit: str) -> str | None:
    """Write a number of any notation as a plain one.

    Parameters
    ----------
    text : str
        Without outer spaces.
    marks : Marks
    unit : str
        The unit that may stand with it.

    Returns
    -------
    str or None
        With a point, ready for the kernels; per cent are divided by 100. None if it is no number
        with these marks and this unit.

    >>> written_plain("(1.234,5 kg)", Marks(",", "."), "kg"), written_plain("5 %", Marks(".", ""), "%")
    ('-1234.5', '0.05')
    """
    if marks.group not in "', .":
        # What stands between groups may be anything that is asked for.
        text, marks = text.replace(marks.group, "'"), Marks(marks.decimal, "'")
    shape = shape_of(text)
    if shape is None or shape.unit not in ("", unit):
        return None
    plain = plain_body(shape.body, marks)
    if plain is None:
        return None
    if unit == PER_CENT:
        plain = _hundredth(plain)
    return f"-{plain}" if shape.negative else plain


def _hundredth(plain: str) -> str:
    """Divide a number by 100 by moving its point."""
    whole, _, rest = plain.partition(".")
    whole = whole.rjust(3, "0")
    return f"{whole[:-2]}.{whole[-2:]}{rest}"
