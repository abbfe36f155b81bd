"""What becomes of each type when it is converted to another: the one table of conversions."""

from typing import NamedTuple

from comb.errors import ParameterError
from comb.tables.types import STORAGE


class Pair(NamedTuple):
    """One conversion.

    Attributes
    ----------
    how : {"same", "exact", "fits", "refused"}
        ``exact``: every value has a counterpart. ``fits``: what has none becomes missing,
        ``unreadable``, its text kept. ``refused``: nothing is converted, and an error says why.
    note : str
        What happens, or the way out.
    """

    how: str
    note: str = ""


_NUMBERS = ("integer", "decimal", "number")
_COUNT = "say what the numbers count: {0} with a pattern, for instance {1}"

_COUNTS = {
    "date": "date days_since_1900 or date yyyyMMdd", "datetime": "datetime seconds_since_1970", "time": "time Hmm",
    "duration": "duration minutes",
}  # fmt: skip


def _pairs() -> dict[tuple[str, str], Pair]:
    table: dict[tuple[str, str], Pair] = {}
    words = list(STORAGE)
    for source in words:
        for target in words:
            table[source, target] = Pair("same") if source == target else Pair("refused", "they have nothing in common")
    for word in words:
        if word != "string":
            table["string", word] = Pair("fits", "read as when a file is loaded")
            table[word, "string"] = Pair("exact", "the canonical text")
        if word not in ("json", "string"):
            table["json", word] = Pair("fits", "the text of the value is read")
            table[word, "json"] = Pair("exact", "a number, true or false, or a text in quotes")
        if word != "category":
            table[word, "category"] = Pair("exact", "the values that occur, in ascending order")
            table["category", word] = Pair("fits", "as the type on which the category is based")
    table["category", "string"] = Pair("exact", "the values; label(x) gives what they stand for")
    table["string", "string"] = Pair("same")
    table["string", "json"] = Pair("fits", "what is a document of JSON")
    table["integer", "decimal"] = table["integer", "number"] = Pair("fits", "not beyond 18 digits or 2**53")
    table["decimal", "integer"] = table["number", "integer"] = Pair("fits", "whole values; others with a rounding rule")
    table["decimal", "number"] = Pair("fits", "the nearest float")
    table["number", "decimal"] = Pair("fits", "as many digits as the values have; fewer with a rounding rule")
    for number in _NUMBERS:
        table[number, "boolean"] = Pair("fits", "1 is true and 0 is false")
        table["boolean", number] = Pair("exact", "1 for true and 0 for false")
        for moment, example in _COUNTS.items():
            table[number, moment] = Pair("fits", _COUNT.format(moment, example))
            table[moment, number] = Pair(
                "refused", f"subtract two of them, or take a part: extract(... from x) ({moment})"
            )
    table["duration", "number"] = table["duration", "integer"] = table["duration", "decimal"] = Pair(
        "refused", "divide it: x / duration 'PT1H' is a number of hours"
    )
    table["date", "datetime"] = Pair("exact", "the midnight at which the day begins")
    table["datetime", "date"] = Pair("fits", "midnights; others with rounding down, or cast(x as date)")
    table["datetime", "time"] = Pair("refused", "the day would be lost: calculate cast(x as time)")
    table["time", "duration"] = Pair("exact", "the time since midnight")
    table["duration", "time"] = Pair("fits", "from nothing to less than a day")
    return table


PAIRS = _pairs()


def check_pair(source: str, target: str, pattern: str) -> Pair:
    """Return what becomes of a conversion.

    Raises
    ------
    ParameterError
        If it is refused, with the way out; also where numbers are to become dates and nothing
        says what they count.

    >>> check_pair("date", "datetime", "").note
    'the midnight at which the day begins'
    """
    pair = PAIRS[source, target]
    if pair.how == "refused":
        raise ParameterError(f"a column of type {source} cannot become {target}", remedy=pair.note)
    if source in _NUMBERS and target in _COUNTS and not pattern:
        raise ParameterError(f"a column of type {source} cannot become {target} without a pattern", remedy=pair.note)
    return pair
