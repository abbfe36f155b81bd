"""Patterns of text that are compiled when they are first used.

A hundred of them are defined in modules that every command loads, and a file needs a dozen: to compile the others
takes longer than to read a small file. Where each match has one of some characters, a pattern is not even compiled for
texts without them.
"""

import re
from functools import partial
from typing import Any, AnyStr, cast


class _LazyPattern:
    """Has the methods of a compiled pattern, from the first time that one is asked for."""

    def __init__(self, text: str | bytes, flags: int, needs: str) -> None:
        self._given: tuple[Any, int] = (text, flags)
        self._needs = frozenset(needs)
        if needs:
            # In the place of the methods of the pattern until that is compiled.
            for name in ("match", "fullmatch", "search"):
                self.__dict__[name] = partial(self._where_needed, name)

    def _where_needed(self, name: str, text: str, *span: int) -> "re.Match[str] | None":
        """Look at a text that has one of some characters; there is nothing to be found in others."""
        return None if self._needs.isdisjoint(text) else getattr(self._compiled(), name)(text, *span)

    def _compiled(self) -> Any:
        compiled = re.compile(*self._given)
        # From here on they are found at once, as quickly as those of the pattern itself.
        self.__dict__.update({one: getattr(compiled, one) for one in dir(compiled) if not one.startswith("_")})
        return compiled

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        return getattr(self._compiled(), name)


def lazy_pattern(text: AnyStr, flags: int = 0, *, needs: str = "") -> "re.Pattern[AnyStr]":
    """Return a pattern that is compiled when it is first used.

    Parameters
    ----------
    text : str or bytes
    flags : int
        Those of `re`.
    needs : str
        Characters of which each match has at least one.

    Returns
    -------
    re.Pattern
        What has its methods and attributes; it costs nothing until one is asked for.

    Raises
    ------
    re.error
        At the first use, if the text is no regular expression.

    >>> YEAR = lazy_pattern("(?:19|20)[0-9]{2}")
    >>> YEAR.fullmatch("2025")[0], YEAR.findall("1998 to 2003")
    ('2025', ['1998', '2003'])
    >>> CLOCK = lazy_pattern("[0-9]+:[0-9]+", needs=":")
    >>> CLOCK.search("at 8 o'clock"), CLOCK.search("at 8:15")[0]
    (None, '8:15')
    """
    return cast("re.Pattern[AnyStr]", _LazyPattern(text, flags, needs))
