"""Whether texts of a first line have the form of those below: addresses, paths, tags, codes of one build. Pure.

A word above texts may be their name or the first of them. Where all texts of a column have a form that names seldom
have, a first one of that form is one of them.
"""

import string
from collections.abc import Iterable, Sequence

from comb.formats.lazy_pattern import lazy_pattern
from comb.reading.delimited.cell_kinds import kind_of

# A text is an address whatever is below it; what else it shares with others, this many of them show.
LEAST_TEXTS = 3
LEAST_ALIKE = 0.9

_FORMS = (
    # Mail, the web, a path, an identifier as machines give them, a word behind a sign, a tag, a version.
    lazy_pattern(r'[^\s@<>,;"]+@[^\s@<>,;".]+(?:\.[^\s@<>,;".]+)+', needs="@"),
    lazy_pattern(r"(?i)(?:[a-z][a-z0-9+.]*://|www\.)\S+", needs=":."),
    lazy_pattern(r"(?:[A-Za-z]:[\\/]|\.{0,2}/|\\\\)\S.*", needs="/\\"),
    lazy_pattern(r"[0-9A-Fa-f]{8}(?:-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}", needs="-"),
    lazy_pattern(r"[#@][^\W\d]\S*", needs="#@"),
    lazy_pattern(r"<[^<>]+>", needs="<"),
    lazy_pattern(r"[vV][0-9]+(?:\.[0-9]+)+", needs="vV"),
    # The day of a month and a time without the year, as logs of systems begin.
    lazy_pattern(
        r"(?:<[0-9]{1,3}>)?(?:[A-Z][a-z]{2},? )?[A-Z][a-z]{2} [ 0-9]?[0-9],? [0-2][0-9]:[0-5][0-9].*", needs=":"
    ),
)
_KEY = lazy_pattern(r"[^\W\d][\w.\-]*[=:](?=.)", needs="=:")
_SUFFIX = lazy_pattern(r"[^\s.]\.([A-Za-z][A-Za-z0-9]{0,4})\Z", needs=".")
_NUMBERED = lazy_pattern(r"([^\W\d].*?)([0-9]{1,4})")
_BUILD = str.maketrans(string.digits + string.ascii_uppercase + string.ascii_lowercase, "9" * 10 + "A" * 26 + "a" * 26)


def columns_of_one_form(first: Sequence[str], rows: Sequence[Sequence[str]]) -> int:
    """Return in how many columns the first line has a text of the form of those below, less those where it has not.

    >>> columns_of_one_form(["Reed", "reed@mill.org"], [["Lund", "lund@fox.org"]] * 3)
    1
    >>> columns_of_one_form(["keeper", "mail"], [["Lund", "lund@fox.org"]] * 3)
    -1
    """
    if _are_numbered(first):
        return 0
    found = 0
    for cell, *below in zip(first, *rows, strict=False):
        texts = [text for one in below if (text := one.strip())]
        name = cell.strip()
        if not texts or not name or kind_of(name) != "word":
            continue
        formed = [form for form in _FORMS if _nearly_all(map(form.fullmatch, texts), len(texts))]
        if formed:
            found += 1 if any(form.fullmatch(name) for form in formed) else -1
        elif len(texts) >= LEAST_TEXTS:
            found += _is_alike(name, texts)
    return found


def _are_numbered(first: Sequence[str]) -> bool:
    """Return whether the texts are one word with a number that goes on, as names of columns are: w1, w2, w3."""
    parts = [found.groups() for text in first if (found := _NUMBERED.fullmatch(text.strip()))]
    numbers = [int(number) for _, number in parts]
    one = len(parts) == len(first) > 1 and len({word for word, _ in parts}) == 1
    return one and numbers == list(range(numbers[0], numbers[0] + len(numbers)))


def _nearly_all(found: Iterable[object], count: int) -> bool:
    return sum(map(bool, found)) >= LEAST_ALIKE * count


def _is_alike(name: str, texts: Sequence[str]) -> bool:
    """Return whether a text has the key, the suffix or the build of all others, or a number ahead as all have."""
    if name[0].isdigit() and _nearly_all((text[0].isdigit() for text in texts), len(texts)):
        return True
    key = _KEY.match(name)
    if key and _nearly_all((text.startswith(key[0]) for text in texts), len(texts)):
        return True
    suffix = _SUFFIX.search(name)
    if suffix:
        others = [found[1] for text in texts if (found := _SUFFIX.search(text))]
        if len(others) == len(texts) and suffix[1] in others:
            return True
    build = name.translate(_BUILD)
    return not name.isalpha() and " " not in name and all(text.translate(_BUILD) == build for text in texts)
