"""Functions of texts: columns in, column out, each distinct text looked at once.

A text that a function leaves empty is missing, ``blank``: there is no empty text. What does not exist, as the part that
a pattern does not find, is ``undefined``, so that it is counted.
"""

import re
from collections.abc import Callable, Sequence

import numpy as np

from comb.expressions import arithmetic
from comb.expressions.arithmetic import first_missing, undefined_where
from comb.formats.lazy_pattern import lazy_pattern
from comb.formats.regular_expressions import pattern
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.tables.column import Column, State
from comb.tables.reasons import Reason
from comb.tables.text import ASCII, Text
from comb.tables.types import INTEGER, STRING


def in_case(change: Callable[[str], str], of_bytes: Callable[[bytes], bytes]) -> Callable[[Sequence[Column]], Column]:
    """Change the case of texts: of ASCII all at once, and it leaves no text empty."""

    def apply(columns: Sequence[Column]) -> Column:
        text = columns[0].text
        if not text.item_count or int(text.buffer.max(initial=0)) > ASCII:
            return columns[0]._map_text(change)
        buffer = np.frombuffer(bytearray(of_bytes(text.buffer.tobytes())), np.uint8)
        made = Text(buffer, text.offsets)
        return columns[0]._replace(values=made if text.codes is None else made.numbered_anew(text.codes))

    return apply


def trimmed(columns: Sequence[Column]) -> Column:
    """Take off outer spaces."""
    odd = columns[0].text.outer_spaces(KNOWN_WORDS)
    return columns[0]._map_some(odd, str.strip) if odd.any() else columns[0]


def lengths(columns: Sequence[Column]) -> Column:
    """Count the characters of each text."""
    items = np.fromiter(map(len, columns[0].text.items()), np.int64)
    codes = columns[0].text.codes
    return Column(INTEGER, items if codes is None else items[codes], columns[0].state)


def rowwise(function: Callable[..., str]) -> Callable[[Sequence[Column]], Column]:
    """Apply a function of texts and whole numbers row by row; where all but the first are constants, text by text."""

    def apply(columns: Sequence[Column]) -> Column:
        first, *others = columns
        if all(len(column) == 1 and column.present[0] for column in others):
            constants = [column.to_list()[0] for column in others]
            return without_empty(first.text.map(lambda text: function(text, *constants)), first.states)
        state = first_missing(*columns)
        height = len(state)
        lists = [arithmetic.stretched_list(column.to_list(), height) for column in columns]
        rows = zip(*lists, state.tolist(), strict=True)
        return without_empty(
            Text.from_strings(["" if missing else function(*cells) for *cells, missing in rows]), state
        )

    return apply


def without_empty(text: Text, state: State) -> Column:
    """Return a column of texts, of which those that are empty are missing."""
    made = Column(STRING, text, state)
    sizes = np.diff(text.offsets)
    empty = (sizes if text.codes is None else sizes[text.codes]) == 0
    empty &= made.present
    return made._emptied(empty, Reason.BLANK) if empty.any() else made


def replaced(columns: Sequence[Column]) -> Column:
    """Replace texts; by a blank, which is what ``''`` is, they are taken out."""
    by = columns[2]
    taken_out = by.states == Reason.BLANK
    state = np.where(taken_out, np.uint8(Reason.PRESENT), by.states)
    # What stands at a blank cell means nothing, so it is made empty here.
    cells = ["" if blank else cell for cell, blank in zip(by.text.to_list(), taken_out.tolist(), strict=True)]
    if len(columns[1]) == len(by) == 1 and columns[1].present[0] and not state[0]:
        quick = columns[0].text.replaced(columns[1].text.to_list()[0], cells[0])
        if quick is not None:
            return without_empty(quick[0], columns[0].states)
    return rowwise(str.replace)([*columns[:2], by._replace(values=Text.from_items(cells), state=state)])


def positions(columns: Sequence[Column]) -> Column:
    """Find where each text is in another, from 1; 0 where it is not."""
    state = first_missing(*columns)
    lists = [arithmetic.stretched_list(column.text.to_list(), len(state)) for column in columns]
    places = [whole.find(part) + 1 for part, whole in zip(*lists, strict=True)]
    return Column(INTEGER, np.array(places, np.int64), state)


def substrings(columns: Sequence[Column]) -> Column:
    """Take a part of each text: all of them at once, where it is the same part of plain texts.

    A negative length is no part: it comes of a sign that was looked for and is not there.
    """
    made = _parts(columns)
    return made if len(columns) == 2 else _without_negative(made, columns)


def _without_negative(made: Column, columns: Sequence[Column]) -> Column:
    """Leave out what came of a negative length, the last of the arguments."""
    negative = columns[-1].present & (columns[-1].array < 0)
    if not negative.any():
        return made
    return made._emptied(
        np.broadcast_to(negative, len(made)) & (first_missing(*columns) == Reason.PRESENT), Reason.UNDEFINED
    )


def _parts(columns: Sequence[Column]) -> Column:
    if all(len(column) == 1 and column.present[0] for column in columns[1:]):
        start, *length = (int(column.array[0]) for column in columns[1:])
        stop = None if not length else max(start - 1 + length[0], 0)
        quick = columns[0].text.characters(max(start - 1, 0), stop)
        if quick is not None:
            return without_empty(quick, columns[0].states)
    return rowwise(_substring)(columns)


def _substring(text: str, start: int, length: int | None = None) -> str:
    """Positions count from 1, as in SQL; one before the text takes from its length."""
    end = len(text) if length is None else start - 1 + length
    return text[max(start - 1, 0) : max(end, 0)]


def left(columns: Sequence[Column]) -> Column:
    """Take the first characters of each text."""
    return substrings([columns[0], Column(INTEGER, np.ones(1, np.int64)), columns[1]])


def right(columns: Sequence[Column]) -> Column:
    """Take the last characters of each text; all of a shorter one."""
    return _without_negative(rowwise(lambda text, count: text[-count:] if count > 0 else "")(columns), columns)


# Letters and digits with their accents, and apostrophes between them.
_WORD = lazy_pattern("[^\\W_](?:[^\\W_]|[\u0300-\u036f]|['\u2019](?=[^\\W_]))*")


def capitalized(text: str) -> str:
    """Write each word with a capital and small letters, a single letter with an apostrophe as a word of its own.

    >>> capitalized("MARY O'NEIL-smith, hive's 2ND")
    "Mary O'Neil-Smith, Hive's 2nd"
    """

    def written(found: "re.Match[str]") -> str:
        word = found[0]
        first = 3 if word[1:2] in ("'", "\u2019") else 1
        return word[:first].title() + word[first:].lower()

    return _WORD.sub(written, text)


def found_parts(columns: Sequence[Column]) -> Column:
    """Return what a pattern, or a group of it, finds first in each text; ``undefined`` where it finds nothing."""
    engine = pattern(columns[0].text.to_list()[0])
    group = int(columns[2].array[0]) if len(columns) > 2 else 0
    text = columns[1].text
    stored = [engine.first(item, group) for item in text.items()]
    none = np.array([one is None for one in stored], np.bool_)
    values = Text.from_items([one or "" for one in stored])
    if text.codes is not None:
        none, values = none[text.codes], values.numbered_anew(text.codes)
    return without_empty(values, undefined_where(none, columns[1].states))
