"""What a heading says of how the values below it are written: ``date (yymmdd)``."""

import re

# A heading that says how its days are written, in English or German letters; and what these are in patterns.
_FORM = re.compile(r"(?i)[\[(]((?:yyyy|yy|jjjj|jj|mm|dd|tt|[-./ ])+)[\])]")
_LETTERS = str.maketrans("ymdjt", "yMdyd")


def day_pattern_of(name: str) -> str:
    """Return the pattern of days that a heading gives; empty if it gives none.

    >>> day_pattern_of("date (yymmdd)"), day_pattern_of("born (dd/mm/yyyy)"), day_pattern_of("rain (mm)")
    ('yyMMdd', 'dd/MM/yyyy', '')
    """
    form = _FORM.search(name)
    pattern = form[1].casefold().translate(_LETTERS) if form else ""
    return pattern if pattern.count("M") == pattern.count("d") == 2 and "yy" in pattern else ""
