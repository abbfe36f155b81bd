"""Patterns of text that are compiled when they are first used.

A hundred of them are defined in modules that every command loads, and a file needs a dozen: to compile the others
takes longer than to read a small file.
"""

import re
from typing import Any, AnyStr, cast


class _LazyPattern:
    """Has the methods of a compiled pattern, from the first time that one is asked for."""

    def __init__(self, text: str | bytes, flags: int) -> None:
        self._given: tuple[Any, int] = (text, flags)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        compiled = re.compile(*self._given)
        # From here on they are found at once, as quickly as those of the pattern itself.
        self.__dict__.update({one: getattr(compiled, one) for one in dir(compiled) if not one.startswith("_")})
        return getattr(compiled, name)


def lazy_pattern(text: AnyStr, flags: int = 0) -> "re.Pattern[AnyStr]":
    """Return a pattern that is compiled when it is first used.

    Parameters
    ----------
    text : str or bytes
    flags : int
        Those of `re`.

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
    """
    return cast("re.Pattern[AnyStr]", _LazyPattern(text, flags))
