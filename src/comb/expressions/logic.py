"""Compare columns and combine conditions, in three values: true, false, unknown."""

import re
from collections.abc import Callable, Collection
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.expressions.arithmetic import as_floats, first_missing, rescaled
from comb.formats import regular_expressions
from comb.formats.regular_expressions import Pattern
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import BOOLEAN

# A pattern with more characters than this describes nothing.
MOST_LIKE = 10_000

_COMPARE: dict[str, Callable[[Any, Any], NDArray[np.bool_]]] = {
    "=": np.equal,
    "<>": np.not_equal,
    "<": np.less,
    "<=": np.less_equal,
    ">": np.greater,
    ">=": np.greater_equal,
}


def compare(operator: str, left: Column, right: Column) -> Column:
    """Compare two columns of comparable types; unknown where either is missing."""
    if operator in ("=", "<>") and len(right) == 1 and right.state is None and isinstance(left.values, Text):
        values = among(left.values, frozenset(right.text.to_list()))
        return Column(BOOLEAN, ~values if operator == "<>" else values, left.state)
    a, b = _comparable(left, right)
    values = _COMPARE[operator](a, b)
    if left.state is None and right.state is None:
        return Column(BOOLEAN, values)
    return Column(BOOLEAN, values, np.broadcast_to(first_missing(left, right), values.shape))


def among(text: Text, words: Collection[str]) -> NDArray[np.bool_]:
    """Return which texts are one of some words."""
    if text.codes is None:
        return text.flags(words.__contains__)
    items = text.items()
    hits = [at for at, item in enumerate(items) if item in words]
    if len(hits) == 1:
        return np.asarray(np.equal(text.codes, hits[0]))
    wanted = np.zeros(len(items), np.bool_)
    wanted[hits] = True
    return np.asarray(wanted[text.codes])


def _comparable(left: Column, right: Column) -> tuple[NDArray[Any], NDArray[Any]]:
    """Return arrays whose order is that of the values."""
    if isinstance(left.values, Text):
        return _text_ranks(left.values, right.text)
    if not left.type.numeric:
        return left.array, right.array
    if "number" not in (left.type.word, right.type.word):
        scale = max(left.type.scale, right.type.scale)
        a, over_a = rescaled(left.array, scale - left.type.scale)
        b, over_b = rescaled(right.array, scale - right.type.scale)
        if not (over_a.any() or over_b.any()):
            return a, b
        # Whole numbers of any length compare exactly; this is slow, and rare.
        return _any_length(left, scale), _any_length(right, scale)
    return as_floats(left), as_floats(right)


def _any_length(column: Column, scale: int) -> NDArray[Any]:
    factor = 10 ** (scale - column.type.scale)
    return np.array([digits * factor for digits in column.array.tolist()], dtype=object)


def _text_ranks(left: Text, right: Text) -> tuple[NDArray[Any], NDArray[Any]]:
    """Rank the texts of two columns together, by code point."""
    (mine, my_codes), (theirs, their_codes) = left.coded(), right.coded()
    rank = {word: place for place, word in enumerate(sorted({*mine, *theirs}))}
    ranked = (np.array([rank[word] for word in words], np.int64) for words in (mine, theirs))
    a, b = ranked
    return a[my_codes], b[their_codes]


def _both(left: Column, right: Column, decisive: bool) -> Column:
    """Combine conditions: a present `decisive` operand settles the result."""
    if left.state is None and right.state is None:
        joined = np.logical_or if decisive else np.logical_and
        return Column(BOOLEAN, joined(left.array, right.array))
    settled = (left.present & (left.array == decisive)) | (right.present & (right.array == decisive))
    state = np.where(settled, np.uint8(Reason.PRESENT), first_missing(left, right))
    return Column(BOOLEAN, np.where(settled, decisive, not decisive), state)


def conjunction(left: Column, right: Column) -> Column:
    """``left and right``: false if either is false, else unknown if either is."""
    return _both(left, right, decisive=False)


def disjunction(left: Column, right: Column) -> Column:
    """``left or right``: true if either is true, else unknown if either is."""
    return _both(left, right, decisive=True)


def negation(column: Column) -> Column:
    """``not x``: unknown stays unknown."""
    return column._replace(values=~column.array)


def is_null(column: Column) -> Column:
    """Whether each cell is missing; never unknown."""
    return Column(BOOLEAN, column.missing)


def in_list(column: Column, options: list[Column]) -> Column:
    """``x in (...)``: true if equal to any, unknown if a comparison is."""
    if isinstance(column.values, Text) and all(len(one) == 1 and one.state is None for one in options):
        words = frozenset(word for option in options for word in option.text.to_list())
        return Column(BOOLEAN, among(column.values, words), column.state)
    nothing = Column(BOOLEAN, np.zeros(len(column), np.bool_), column.state)
    return reduce(disjunction, (compare("=", column, option) for option in options), nothing)


def between(column: Column, low: Column, high: Column) -> Column:
    """``low <= x and x <= high``."""
    return conjunction(compare(">=", column, low), compare("<=", column, high))


def like(column: Column, pattern: str) -> Column:
    """Match whole texts: ``%`` is any text, ``_`` any one character. The time grows with the texts alone."""
    part = pattern[1:-1]
    if len(pattern) > 2 and pattern[0] == pattern[-1] == "%" and not set(part) & {"%", "_"}:
        items, codes = column.text.containing(part), column.text.codes
        return Column(BOOLEAN, items if codes is None else items[codes], column.state)
    return Column(BOOLEAN, column.text.flags(_like_test(pattern)), column.state)


def _like_test(wanted: str) -> Callable[[str], bool]:
    if "_" in wanted:
        parts = (".*" if run[0] == "%" else re.escape(run) if run != "_" else "." for run in _runs(wanted))
        return Pattern(f"(?s){''.join(parts)}", longest=MOST_LIKE).matches
    first, *between = wanted.split("%")
    if not between:
        return lambda text: text == wanted
    last = between.pop()

    def fits(text: str) -> bool:
        if len(text) < len(first) + len(last) or not text.startswith(first) or not text.endswith(last):
            return False
        # The first place of each part leaves the most room for those behind it.
        at, end = len(first), len(text) - len(last)
        for part in between:
            at = text.find(part, at, end)
            if at < 0:
                return False
            at += len(part)
        return True

    return fits


def like_regex(column: Column, pattern: str) -> Column:
    """Whether a pattern is found anywhere in each text."""
    return Column(BOOLEAN, column.text.flags(regular_expressions.pattern(pattern).found_in), column.state)


def distinct(left: Column, right: Column) -> Column:
    """Whether two cells differ, missing ones being equal; never unknown."""
    compared = compare("<>", left, right)
    one, other = np.broadcast_arrays(left.missing, right.missing)
    values = np.where(one | other, one != other, compared.array)
    return Column(BOOLEAN, values)


def _runs(pattern: str) -> list[str]:
    return re.findall(r"%+|_|[^%_]+", pattern)


def choose(conditions: list[Column], values: list[Column], otherwise: Column) -> Column:
    """``case``: the value of the first condition that is true."""
    result = otherwise
    for condition, value in zip(reversed(conditions), reversed(values), strict=True):
        result = overlay(condition.present & condition.array, value, result)
    return result


def overlay(where: NDArray[np.bool_], upper: Column, lower: Column) -> Column:
    """Take cells of `upper` where asked, of `lower` elsewhere; both of one type."""
    state = np.where(where, upper.states, lower.states)
    if isinstance(upper.values, Text):
        shape = np.broadcast_shapes(where.shape, upper.states.shape, lower.states.shape)
        (mine, my_codes), (theirs, their_codes) = upper.text.coded(), lower.text.coded()
        codes = np.where(where, my_codes, their_codes + len(mine))
        texts = [*mine, *theirs]
        values: Any = Text.from_strings([texts[code] for code in np.broadcast_to(codes, shape).tolist()])
    else:
        values = np.where(where, upper.array, lower.array)
    return Column(upper.type, values, np.broadcast_to(state, (len(values),)))
