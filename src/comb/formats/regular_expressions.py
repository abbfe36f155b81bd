r"""Patterns that people write, run by an engine whose time grows with the text and with nothing else.

Python's own engine tries every way in which a pattern can fit, which may take longer than anybody waits: ``(a+)+b`` on
thirty letters a takes minutes, and no look at the pattern tells all such cases. A plan or a description of a table may
come from anybody. So patterns are run by RE2, which follows all ways at once. What such an engine cannot do is refused
when the pattern is read: looking ahead or behind, and repeating what a group found.

``\d``, ``\w`` and ``\s`` mean digits, letters and spaces of all scripts, as in Python, and are written out for the
engine, which by itself means those of ASCII. The border of a word, ``\b``, stays one between ASCII letters.

Texts are handed over as UTF-8, since the engine counts bytes; positions are never shown.
"""

from collections.abc import Callable
from functools import lru_cache
from typing import Any

from comb.formats.lazy_pattern import lazy_pattern

LONGEST_PATTERN = 1_000

# What the engine may use for a pattern; beyond that it takes a slower way, or says that a pattern is too large.
_MOST_MEMORY = 1 << 26

# Groups in what is put in place of a pattern, and a way to write them that is not ours.
_GROUP_OF_NEW = lazy_pattern(r"(\$[0-9$])")
_OTHER_GROUPS = lazy_pattern(r"\\[0-9]")

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
            self._engine: Any = re2.compile(_for_all_scripts(text), options)
        except re2.error as error:
            what = error.args[0]
            what = what.decode(errors="replace") if isinstance(what, bytes) else str(what)
            hint = next((hint for start, hint in _HINTS.items() if what.startswith(start)), "")
            raise ValueError(f"this is no pattern: {what}{f' ({hint})' if hint else ''}") from None

    @property
    def groups(self) -> int:
        """How many groups it has."""
        return int(self._engine.groups)

    def found_in(self, text: str) -> bool:
        """Return whether it is found anywhere in a text."""
        return self._engine.search(_bytes(text)) is not None

    def matches(self, text: str) -> bool:
        """Return whether it fits a text from beginning to end."""
        return self._engine.fullmatch(_bytes(text)) is not None

    def parts(self, text: str) -> list[str] | None:
        """Return what its groups found the first time it fits; None where it is not found."""
        match = self._engine.search(_bytes(text))
        return None if match is None else [(part or b"").decode(errors="surrogatepass") for part in match.groups()]

    def first(self, text: str, group: int = 0) -> str | None:
        """Return what it finds first in a text, or what a group of it does; None where there is nothing."""
        match = self._engine.search(_bytes(text))
        part = None if match is None else match.group(group)
        return None if part is None else part.decode(errors="surrogatepass")

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

        def written(match: Any) -> bytes:
            return b"".join((match.group(part) or b"") if isinstance(part, int) else part for part in parts)

        def replaced(text: str) -> str:
            data = _bytes(text)
            matches = [self._engine.fullmatch(data)] if whole else self._engine.finditer(data)
            made, end = [], 0
            for match in matches:
                if match is not None:
                    made += [data[end : match.start()], written(match)]
                    end = match.end()
            return text if not made else b"".join([*made, data[end:]]).decode(errors="surrogatepass")

        return replaced

    def split(self, text: str) -> list[str]:
        """Return what is between the places where it fits."""
        data = _bytes(text)
        edges = [0, *(edge for match in self._engine.finditer(data) for edge in match.span()), len(data)]
        pairs = zip(edges[::2], edges[1::2], strict=True)
        return [data[start:end].decode(errors="surrogatepass") for start, end in pairs]


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


def _bytes(text: str) -> bytes:
    return text.encode(errors="surrogatepass")


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
