"""What the heading of a column says of it: its words, and how its days are written."""

import re

_WORD = re.compile(r"[^\W\d_]+")

# A heading that says how its days are written, in English or German letters; and what these are in patterns.
_FORM = re.compile(r"(?i)[\[(]((?:yyyy|yy|jjjj|jj|mm|dd|tt|[-./ ])+)[\])]")
_LETTERS = str.maketrans("ymdjt", "yMdyd")


def words_of(name: str) -> set[str]:
    """Return the words in the name of a column, in lower case.

    >>> sorted(words_of("grossWeight_kg"))
    ['gross', 'kg', 'weight']
    """
    return set(_WORD.findall(re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name).casefold()))


def day_pattern_of(name: str) -> str:
    """Return the pattern of days that a heading gives; empty if it gives none.

    >>> day_pattern_of("date (yymmdd)"), day_pattern_of("born (dd/mm/yyyy)"), day_pattern_of("rain (mm)")
    ('yyMMdd', 'dd/MM/yyyy', '')
    """
    form = _FORM.search(name)
    pattern = form[1].casefold().translate(_LETTERS) if form else ""
    return pattern if pattern.count("M") == pattern.count("d") == 2 and "yy" in pattern else ""
