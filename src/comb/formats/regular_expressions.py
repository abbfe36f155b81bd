r"""Patterns that people write, run by an engine whose time grows with the text and with nothing else.

Python's own engine tries every way in which a pattern can fit, which may take longer than anybody waits: ``(a+)+b`` on
thirty letters a takes minutes, and no look at the pattern tells all such cases. A plan or a description of a table may
come from anybody. So patterns are run by RE2, which follows all ways at once. What such an engine cannot do is refused
when the pattern is read: looking ahead or behind, and repeating what a group found.

``\d``, ``\w`` and ``\s`` mean digits, letters and spaces of all scripts, as in Python, and are written out for the
engine, which by itself means those of ASCII. The border of a word, ``\b``, stays one between ASCII letters.

Texts are handed over as UTF-8, since the engine counts bytes; positions are never shown. Of a match only the places are
asked for: its wrapper makes an object of each, which takes three times as long as to find it.
"""

from collections.abc import Callable, Iterator, Sequence
from functools import lru_cache
from typing import Any

from comb.formats.lazy_pattern import lazy_pattern

LONGEST_PATTERN = 1_000

# What the engine may use for a pattern; beyond that it takes a slower way, or says that a pattern is too large.
_MOST_MEMORY = 1 << 26

# Groups in what is put in place of a pattern, and a way to write them that is not ours.
_GROUP_OF_NEW = lazy_pattern(r"(\$[0-9$])")
_OTHER_GROUPS = lazy_pattern(r"\\[0-9]")

# Where a match and its groups begin and end in the bytes of a text; what is not there has no place.
_Spans = Sequence[tuple[int, int]]
_Finder = Callable[[bytes, int], _Spans]
_NOWHERE = (-1, -1)

_ALL_SCRIPTS = {"d": r"\p{Nd}", "w": r"\p{L}\p{M}\p{N}_", "s": r"\s\x{b}\x{85}\p{Z}"}
_HINTS = {
    "invalid perl operator": "looking ahead or behind is not supported",
    "invalid escape sequence": "repeating what a group found (\\1) and other escapes are not supported",
}


class Pattern:
    """A regular expression.

    Parameters
    ----------
    text : str
    longest : int
        The most characters it may have.

    Raises
    ------
    ValueError
        If it cannot be read, saying why.
    """

    def __init__(self, text: str, *, longest: int = LONGEST_PATTERN) -> None:
        import re2

        if len(text) > longest:
            raise ValueError(f"expected a pattern of at most {longest:,} characters, got {len(text):,}")
        options = re2.Options()
        options.log_errors, options.max_mem = False, _MOST_MEMORY
        try:
            engine: Any = re2.compile(_for_all_scripts(text), options)
        except re2.error as error:
            what = error.args[0]
            what = what.decode(errors="replace") if isinstance(what, bytes) else str(what)
            hint = next((hint for start, hint in _HINTS.items() if what.startswith(start)), "")
            raise ValueError(f"this is no pattern: {what}{f' ({hint})' if hint else ''}") from None
        self._groups = int(engine.groups)
        self._anywhere, self._whole = _finders(engine)

    @property
    def groups(self) -> int:
        """How many groups it has."""
        return self._groups

    def found_in(self, text: str) -> bool:
        """Return whether it is found anywhere in a text."""
        return self._anywhere(_bytes(text), 0)[0] != _NOWHERE

    def matches(self, text: str) -> bool:
        """Return whether it fits a text from beginning to end."""
        return self._whole(_bytes(text), 0)[0] != _NOWHERE

    def parts(self, text: str) -> list[str] | None:
        """Return what its groups found the first time it fits; None where it is not found."""
        data = _bytes(text)
        whole, *groups = self._anywhere(data, 0)
        return None if whole == _NOWHERE else ["" if one == _NOWHERE else _text(data, *one) for one in groups]

    def first(self, text: str, group: int = 0) -> str | None:
        """Return what it finds first in a text, or what a group of it does; None where there is nothing."""
        data = _bytes(text)
        span = self._anywhere(data, 0)[group]
        return None if span == _NOWHERE else _text(data, *span)

    def _every(self, data: bytes) -> Iterator[_Spans]:
        """Find it again and again, each time behind the last."""
        at = 0
        while at <= len(data):
            spans = self._anywhere(data, at)
            if spans[0] == _NOWHERE:
                return
            yield spans
            start, at = spans[0]
            # Where it fits between two characters, the next one is gone to: it would be found there again.
            at += start == at
            while start == spans[0][1] and at < len(data) and data[at] & 0xC0 == 0x80:
                at += 1

    def replacer(self, new: str, *, whole: bool = False) -> Callable[[str], str]:
        """Return a function that replaces every place where it fits.

        Parameters
        ----------
        new : str
            ``$1`` is what the first group found, ``$0`` the whole, ``$$`` a dollar.
        whole : bool
            Only where it fits a text from beginning to end.

        Raises
        ------
        ValueError
            If there is no such group.
        """
        parts: list[bytes | int] = [
            int(part[1]) if len(part) == 2 and part[0] == "$" and part[1].isdigit() else _bytes(part.replace("$$", "$"))
            for part in _GROUP_OF_NEW.split(new)
        ]
        beyond = [part for part in parts if isinstance(part, int) and part > self.groups]
        if beyond:
            raise ValueError(f"there is no group {beyond[0]}: the pattern has {self.groups}")
        if _OTHER_GROUPS.search(new):
            raise ValueError(f"groups are written $1, not {_OTHER_GROUPS.findall(new)[0]}")

        def replaced(text: str) -> str:
            data = _bytes(text)
            found = [one for one in [self._whole(data, 0)] if one[0] != _NOWHERE] if whole else self._every(data)
            made: list[bytes] = []
            end = 0
            for spans in found:
                made.append(data[end : spans[0][0]])
                made += [part if isinstance(part, bytes) else data[slice(*spans[part])] for part in parts]
                end = spans[0][1]
            return text if not made else b"".join([*made, data[end:]]).decode(errors="surrogatepass")

        return replaced

    def split(self, text: str) -> list[str]:
        """Return what is between the places where it fits."""
        data = _bytes(text)
        edges = [0, *(edge for spans in self._every(data) for edge in spans[0]), len(data)]
        return [_text(data, start, end) for start, end in zip(edges[::2], edges[1::2], strict=True)]


@lru_cache(maxsize=64)
def pattern(text: str) -> Pattern:
    r"""Return a pattern, made once.

    >>> pattern(r"^\w+ (\d+)$").parts("Größe 12")
    ['12']
    """
    return Pattern(text)


def problem_with(text: str) -> str:
    r"""Return what is wrong with a pattern; empty if nothing.

    >>> problem_with("(a+)+b")
    ''
    >>> problem_with(r"(a)\1")
    'this is no pattern: invalid escape sequence: \\1 (repeating what a group found (\\1) and other escapes are not supported)'
    """  # noqa: E501 - an output
    try:
        pattern(text)
    except ValueError as error:
        return str(error)
    return ""


def _finders(engine: Any) -> tuple[_Finder, _Finder]:
    """Return what finds a pattern anywhere in bytes, from a place on, and what holds it against all of them.

    Both return where it begins and ends, then each of its groups; -1 twice for what is not there. The wrapper's own
    call is used where it is as expected, which tests hold against the public one; else its objects.
    """
    try:
        call, anchors = engine._regexp.Match, type(engine._regexp).Anchor
        anywhere, whole = anchors.UNANCHORED, anchors.ANCHOR_BOTH
        if call(anywhere, b"", 0, 0)[0] not in (_NOWHERE, (0, 0)):
            raise TypeError("a match is something else than places")
    except (AttributeError, TypeError):
        return _public_finders(engine)
    return lambda data, at: call(anywhere, data, at, len(data)), lambda data, at: call(whole, data, at, len(data))


def _public_finders(engine: Any) -> tuple[_Finder, _Finder]:
    """Do the same by what the wrapper promises."""
    none = [_NOWHERE] * (engine.groups + 1)

    def spans(match: Any) -> _Spans:
        return none if match is None else [match.span(group) for group in range(engine.groups + 1)]

    return lambda data, at: spans(engine.search(data, at)), lambda data, at: spans(engine.fullmatch(data, at))


def _bytes(text: str) -> bytes:
    return text.encode(errors="surrogatepass")


def _text(data: bytes, start: int, end: int) -> str:
    return data[start:end].decode(errors="surrogatepass")


def _for_all_scripts(text: str) -> str:
    r"""Write out the classes that mean more than ASCII.

    >>> _for_all_scripts(r"[\d.]+\W")
    '[\\p{Nd}.]+[^\\p{L}\\p{M}\\p{N}_]'
    """
    made: list[str] = []
    at, inside = 0, False
    while at < len(text):
        char, after = text[at], text[at + 1 : at + 2]
        if char == "\\" and after:
            classes = _ALL_SCRIPTS.get(after.lower())
            if classes is None:
                made.append(char + after)
            elif inside and after.isupper():
                raise ValueError(f"this is no pattern: \\{after} inside brackets is not supported: write it beside")
            elif inside:
                made.append(classes)
            else:
                made.append(f"[^{classes}]" if after.isupper() else f"[{classes}]")
            at += 2
            continue
        if char == "[" and not inside:
            inside = True
            # A bracket that closes is a character of its own at the beginning.
            first = text[at + 1 :]
            lead = 1 + first.startswith("^")
            lead += first[lead - 1 : lead] == "]"
            made.append(text[at : at + lead])
            at += lead
            continue
        if char == "[" and inside and after == ":":
            end = text.find(":]", at)
            end = len(text) if end < 0 else end + 2
            made.append(text[at:end])
            at = end
            continue
        inside = inside and char != "]"
        made.append(char)
        at += 1
    return "".join(made)
