"""What the cells of a delimited text look like, as far as that needs no types: number, date, word. Pure."""

from functools import lru_cache

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.scalars import date_groups, fold
from comb.parsing.calendar_names import MONTH_NUMBERS
from comb.parsing.vocabulary import is_missing_word

# Of this many records, but not of more cells than this, it is looked at what they hold.
JUDGED_RECORDS = 300
JUDGED_CELLS = 10_000

# As in 1Nov25.
SHORTEST_MOMENT = 6
LEAST_DIGITS_OF_DAY = 3

YEAR = lazy_pattern(r"(?:19|20)[0-9]{2}")
_TIME_OF_DAY = lazy_pattern(r"[0-9]{1,2}:[0-5][0-9](?::[0-5][0-9](?:[.,][0-9]+)?)?(?:\s*[AaPp][Mm])?", needs=":")
_NUMBER = lazy_pattern(r"[-+\N{MINUS SIGN}]?(?:[0-9][0-9 .,'\u00a0\u202f]*|[.,][0-9]+)(?:[eE][+-]?[0-9]+)?\s?%?")
AMOUNT = lazy_pattern(
    r"[-+]?(?:[$€£¥]|(?:EUR|USD|GBP|CHF) )\s?[-+]?[0-9][0-9 .,']*|"
    r"[-+]?[0-9][0-9 .,']*(?:\s?[$€£¥]| (?:EUR|USD|GBP|CHF))",
    needs="$€£¥RDPF",
)
# A day with a time of day, of which the time is checked on its own; a day with the name of its month.
_WITH_TIME = lazy_pattern(
    r"([0-9./-]{6,10})(?:T|[ ,]\s*)([0-9:.,]+(?:\s?[AaPp][Mm])?)(?:\s?(?:Z|UTC|[+-][0-9]{2}:?[0-9]{2}))?"
)
_NAMED_DAY = lazy_pattern(
    r"[0-9]{1,2}[-./ ]{0,2}([^\W\d_]{3,12})[-./ ]{0,2}[0-9]{2,4}|([^\W\d_]{3,12})\.? [0-9]{1,2},? [0-9]{4}"
)


def judged(width: int) -> int:
    """Return how many records of a width are looked at closely."""
    return min(JUDGED_RECORDS, max(3, JUDGED_CELLS // width))


@lru_cache(maxsize=3 * JUDGED_CELLS)
def kind_of(cell: str) -> str:
    """Sort a cell into kinds that need no types: number, date or time, word, or nothing.

    >>> [kind_of(cell) for cell in ("1,5", "3.11.2026 8:15", "3 Nov 2026", "Mill", "n/a")]
    ['number', 'date', 'date', 'word', '']
    """
    text = cell.strip()
    if text.isdigit() and text.isascii():
        return "number"
    if not text or is_missing_word(text):
        return ""
    if not any(map(str.isdigit, text)):
        return "word"
    if text[0].isalpha():
        # Neither a number without a sign of money nor a day in digits begins with a letter.
        return "date" if _is_moment(text) else "number" if AMOUNT.fullmatch(text) else "word"
    if text.isascii() and text.replace(".", "", 1).isdigit():
        return "number"
    if date_groups(text) or _TIME_OF_DAY.fullmatch(text) or _is_moment(text):
        return "date"
    return "number" if _NUMBER.fullmatch(text) or AMOUNT.fullmatch(text) else "word"


def _is_moment(text: str) -> bool:
    """Return whether a text is a day with a time of day, or with the name of its month."""
    if len(text) < SHORTEST_MOMENT:
        return False
    if ":" in text and (found := _WITH_TIME.fullmatch(text)):
        return bool(date_groups(found[1]) and _TIME_OF_DAY.fullmatch(found[2]))
    if sum(map(str.isdigit, text)) < LEAST_DIGITS_OF_DAY:
        return False
    found = _NAMED_DAY.fullmatch(text)
    return found is not None and fold(found[1] or found[2]) in MONTH_NUMBERS


def all_words(record: list[str]) -> bool:
    """Return whether no cell of a record is a number or a date."""
    return all(kind_of(cell) in ("word", "") for cell in record)
