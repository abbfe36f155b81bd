"""What is asked for in Python shows itself as at the terminal, and in a notebook.

The results of the layers below are plain; `Shown` adds nothing but how they look. Each knows its lines of spans
(`comb.views`): `repr` prints them, a notebook gets the same as HTML in which every text is inert. The modules beside
this one are apart so that showing a file does not load what shows a run.
"""

from html import escape
from typing import Any, Self

from comb.errors import washed, washed_lines
from comb.tables.layout import Line, plain

# Characters in a line, where nobody says.
WIDTH = 120

# How the styles of spans look in a notebook.
_LOOK = {"dim": "opacity:.65", "head": "font-weight:bold", "said": "font-weight:bold"}


def html_of(lines: list[Line]) -> str:
    """Return lines as HTML; what is in them is text, whatever it looks like.

    >>> from comb.tables.layout import Span
    >>> html_of([[Span("<b>", "head"), Span(" 3")]])  # doctest: +ELLIPSIS
    '<pre style="..."><span style="font-weight:bold">&lt;b&gt;</span> 3</pre>'
    """
    shown = []
    for line in lines:
        parts = []
        for span in line:
            text = escape(washed(span.text))
            look = _LOOK.get(span.style)
            parts.append(f'<span style="{look}">{text}</span>' if look and text else text)
        shown.append("".join(parts).rstrip())
    return f'<pre style="line-height:1.25;white-space:pre;overflow-x:auto">{chr(10).join(shown)}</pre>'


class Shown:
    """What shows itself by lines."""

    __slots__ = ()

    def _lines(self) -> list[Line]:
        raise NotImplementedError

    def __repr__(self) -> str:
        return washed_lines(plain(self._lines()))

    def _repr_html_(self) -> str:
        return html_of(self._lines())

    @classmethod
    def _of(cls, found: Any) -> Self:
        """Return a result as one that shows itself."""
        return cls(**{name: getattr(found, name) for name in found.__struct_fields__})
