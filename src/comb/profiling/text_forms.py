"""What texts are built like, asked of all texts of a column at once.

A profile asks of each text what its shape is, or what is left of it without case and signs. Of a hundred thousand
different texts that takes a second for each question, and of most columns the answer is that nothing is to be seen: no
shape is usual, no two texts are one. So the questions are asked of the bytes of all texts first. Bytes beyond ASCII
need to be read as characters: texts that have such are rewritten one by one beforehand, the others as a whole.
"""

import re
import string
import unicodedata
from collections.abc import Callable, Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.kernels.string_buffer import StringBuffer
from comb.kernels.types import INNER_SPACES, OUTER_SPACES
from comb.parsing.letters import as_typed
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.steps.cell_steps import tidied
from comb.tables.text import ASCII, Text

_LETTER_OR_DIGIT = lazy_pattern(r"[^\W_]")
_SIGNS = lazy_pattern(r"[\W_]+")

_ASCII_SHAPE = str.maketrans(
    string.digits + string.ascii_uppercase + string.ascii_lowercase, "9" * 10 + "A" * 26 + "a" * 26
)


def _table(change: dict[int, int]) -> NDArray[np.uint8]:
    """Return what becomes of each byte."""
    made = np.arange(256, dtype=np.uint8)
    made[list(change)] = list(change.values())
    return made


_SHAPE_BYTES = _table(_ASCII_SHAPE)
_SMALL_BYTES = _table({ord(sign): ord(sign.lower()) for sign in string.ascii_uppercase})
_DIGITS_AS_ZERO = _table({ord(sign): ord("0") for sign in string.digits})
_SAYS_SOMETHING = np.array([code > ASCII or chr(code).isalnum() for code in range(256)])


def shape(text: str) -> str:
    """Return the shape of a text: capitals as A, small letters as a, digits as 9.

    >>> shape("WR-0102b")
    'AA-9999a'
    """
    return text.translate(_ASCII_SHAPE) if text.isascii() else _LETTER_OR_DIGIT.sub(_kind, text)


def shapes_of(texts: Sequence[str]) -> list[str]:
    """Return the shapes of many texts, of ASCII all at once.

    >>> shapes_of(["A-1", "bc"])
    ['A-9', 'aa']
    """
    together = "\0".join(texts)
    if together.isascii() and together.count("\0") == len(texts) - 1:
        return together.translate(_ASCII_SHAPE).split("\0")
    return list(map(shape, texts))


def _kind(found: re.Match[str]) -> str:
    sign = found[0]
    return "9" if sign.isdigit() else "A" if sign.isupper() else "a"


def bare(text: str) -> str:
    """Return what is left of a text without case, accents and all that is no letter or digit.

    >>> bare("Old Mill."), bare("OLD-MILL"), bare("M\u00fchle")
    ('oldmill', 'oldmill', 'muhle')
    """
    return _SIGNS.sub("", as_typed(unicodedata.normalize("NFD", text)).casefold())


def _rewritten(text: Text, change: Callable[[str], str]) -> StringBuffer:
    """Return the stored texts, those with characters beyond ASCII changed one by one."""
    stored = text.packed()
    if int(stored.buffer.max(initial=0)) <= ASCII:
        return stored
    beyond = np.concatenate([[0], np.cumsum(stored.buffer > ASCII)])[stored.offsets]
    odd = beyond[1:] > beyond[:-1]
    return Text(*stored).map_some(odd, change)[0].packed()


def most_of_a_shape(text: Text, counts: Codes) -> int:
    """Return how many cells have the commonest shape, needless spaces aside.

    Parameters
    ----------
    text : Text
    counts : int64 array
        How many cells hold each of the stored texts.

    >>> most_of_a_shape(Text.from_items(["A-1", "B-2", "C 33"]), np.array([2, 1, 4]))
    4
    """
    spaced = (text.traits(KNOWN_WORDS)[0] & (OUTER_SPACES | INNER_SPACES)) != 0
    stored = Text(*text.packed())
    changed = _rewritten(stored.map_some(spaced, tidied)[0] if spaced.any() else stored, shape)
    _, numbers = dispatch.kernels.encode(StringBuffer(_SHAPE_BYTES[changed.buffer], changed.offsets))
    return int(np.bincount(numbers, counts, 1).max())


def may_be_one(text: Text, counts: Codes) -> bool:
    """Return whether two different texts are one without case and signs; only among those that cells hold.

    >>> may_be_one(Text.from_items(["Mill", "MILL."]), np.array([1, 1])), may_be_one(
    ...     Text.from_items(["Mill", "Fox"]), np.array([1, 1])
    ... )
    (True, False)
    """
    used = np.flatnonzero(counts)
    changed = _rewritten(Text(*dispatch.kernels.take(text.packed(), used)), bare)
    keep = _SAYS_SOMETHING[changed.buffer]
    offsets = np.concatenate([[0], np.cumsum(keep)])[changed.offsets]
    first, _ = dispatch.kernels.encode(StringBuffer(_SMALL_BYTES[changed.buffer[keep]], offsets))
    return len(first) < len(used)


def containing_any(text: Text, words: Iterable[str]) -> NDArray[np.bool_]:
    """Return which of the stored texts have one of some words in them, in capitals or small letters of ASCII.

    >>> containing_any(Text.from_items(["Total", "Mill", "SUBTOTAL 2"]), ["total"]).tolist()
    [True, False, True]
    """
    small = Text(_SMALL_BYTES[text.buffer], text.offsets)
    found = np.zeros(text.item_count, np.bool_)
    for word in words:
        found |= small.containing(word)
    return found


def by_digits(text: Text) -> tuple[list[str], NDArray[np.integer]]:
    """Return the different texts with a zero for each digit, and for each of the stored texts which of them it is.

    >>> by_digits(Text.from_items(["3 kg", "4 kg", "12 g"]))[0]
    ['0 kg', '00 g']
    """
    stored = text.packed()
    zeros = StringBuffer(_DIGITS_AS_ZERO[stored.buffer], stored.offsets)
    first, numbers = dispatch.kernels.encode(zeros)
    return dispatch.kernels.take(zeros, first).strings(), numbers
