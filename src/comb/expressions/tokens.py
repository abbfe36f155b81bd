"""Cut an expression into words, and point at a place in it."""

import re
from typing import NamedTuple

from comb.errors import ExpressionError
from comb.expressions.slips import OTHER_MARKS
from comb.formats.lazy_pattern import lazy_pattern

# An expression is one thought; beyond this it is a program or an attack.
LONGEST_EXPRESSION = 20_000

_TOKEN = lazy_pattern(
    r"""(?P<space>\s+)
    |(?P<number>(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?(?:%(?![\w('".]))?)
    |(?P<text>'(?:[^']|'')*')
    |(?P<quoted>"(?:[^"]|"")+")
    |(?P<word>[^\W\d]\w*)
    |(?P<parameter>:[^\W\d]\w*)
    |(?P<mark><=|>=|<>|!=|==|\|\||[=<>+\-*/%(),:#.?])
    """,
    re.VERBOSE,
)

KEYWORDS = frozenset(
    [
        "and",
        "or",
        "not",
        "in",
        "between",
        "like",
        "like_regex",
        "is",
        "null",
        "true",
        "false",
        "case",
        "when",
        "then",
        "else",
        "end",
        "cast",
        "as",
        "div",
        "date",
        "from",
    ]
)


class Token(NamedTuple):
    """A word of an expression: its kind, text and place."""

    kind: str
    text: str
    start: int
    end: int


def pointed(text: str, start: int, end: int) -> str:
    """Show the line of an expression with a marker under a part of it.

    >>> print(pointed("mites > abc", 8, 11))
        mites > abc
                ^^^
    """
    begin = text.rfind("\n", 0, start) + 1
    stop = text.find("\n", start)
    line = text[begin : stop if stop >= 0 else len(text)]
    width = max(1, min(end, begin + len(line)) - start)
    return f"    {line}\n    {' ' * (start - begin)}{'^' * width}"


def fail(text: str, start: int, end: int, what: str, remedy: str | None = None) -> ExpressionError:
    """Return the error for a part of an expression."""
    return ExpressionError(f"{what}\n{pointed(text, start, end)}", remedy=remedy)


def tokens_of(text: str) -> list[Token]:
    """Cut an expression into tokens, ending with one of kind ``end``.

    Raises
    ------
    ExpressionError
        At a character that belongs nowhere, or a quote that is not closed.
    """
    if len(text) > LONGEST_EXPRESSION:
        raise ExpressionError(f"expected an expression of at most {LONGEST_EXPRESSION:,} characters, got {len(text):,}")
    found, position = [], 0
    while position < len(text):
        match = _TOKEN.match(text, position)
        if match is None:
            raise _lost(text, position)
        kind = str(match.lastgroup)
        if kind == "word" and match.group().lower() in KEYWORDS:
            kind = "keyword"
        if kind != "space":
            found.append(Token(kind, match.group(), position, match.end()))
        position = match.end()
    return [*found, Token("end", "", len(text), len(text))]


def _lost(text: str, position: int) -> ExpressionError:
    character = text[position]
    if character in "'\"":
        what = "text" if character == "'" else "name"
        return fail(text, position, position + 1, f"the quote that opens this {what} is never closed")
    if character in "\N{LEFT SINGLE QUOTATION MARK}\N{RIGHT SINGLE QUOTATION MARK}\N{LEFT DOUBLE QUOTATION MARK}":
        return fail(text, position, position + 1, f"{character!r} is a typographic quote", "write text as 'text'")
    what = f"{character!r} means nothing here"
    return fail(text, position, position + 1, what, OTHER_MARKS.get(character))
