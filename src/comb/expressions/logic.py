"""Compare columns and combine conditions, in three values: true, false, unknown."""

import re
from collections.abc import Callable, Collection, Sequence
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.expressions.arithmetic import as_floats, first_missing, rescaled
from comb.formats import regular_expressions
from comb.formats.regular_expressions import Pattern
from comb.kernels import dispatch
from comb.kernels.blocks import MOST_DISTINCT_SHARE
from comb.kernels.string_buffer import joined
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
    if operator in ("=", "<>") and len(left) == 1 < len(right) and left.state is None:
        left, right = right, left
    if operator in ("=", "<>") and len(right) == 1 and right.state is None and isinstance(left.values, Text):
        values = among(left.values, frozenset(right.text.to_list()))
        return Column(BOOLEAN, ~values if operator == "<>" else values, left.state)
    if operator in ("=", "<>") and len(left) == len(right) and isinstance(left.values, Text):
        same = left.values.same_texts(right.text)
        values = ~same if operator == "<>" else same
    else:
        values = _COMPARE[operator](*_comparable(left, right))
    if left.state is None and right.state is None:
        return Column(BOOLEAN, values)
    return Column(BOOLEAN, values, np.broadcast_to(first_missing(left, right), values.shape))


def among(text: Text, words: Collection[str]) -> NDArray[np.bool_]:
    """Return which texts are one of some words."""
    if text.codes is None:
        # Only texts as long as one of the words can be one.
        lengths = np.diff(text.offsets)
        alike = np.isin(lengths, [len(word.encode(errors="surrogatepass")) for word in words])
        return text.flags(words.__contains__, alike)
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
    # What does not begin as the pattern does need not be looked at; often that is all it asks.
    first = re.split("[%_]", pattern)[0]
    begins, codes = column.text.beginning_with(first), column.text.codes
    if pattern == f"{first}%":
        return Column(BOOLEAN, begins if codes is None else begins[codes], column.state)
    return Column(BOOLEAN, column.text.flags(_like_test(pattern), begins), column.state)


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
    return first_of([condition.present & condition.array for condition in conditions], values, otherwise)


def first_of(wheres: Sequence[NDArray[np.bool_]], columns: Sequence[Column], otherwise: Column) -> Column:
    """Take each cell of the first column that is asked for there, else of the last; all of one type.

    Parameters
    ----------
    wheres : sequence of bool array
        For each of the columns the rows where it is asked for; arrays and columns of one cell are meant for every row.
    columns : sequence of Column
    otherwise : Column

    >>> few, many = Column._of_strings(["few"]), Column._of_strings(["many"])
    >>> first_of([np.array([True, False])], [few], many).to_list()
    ['few', 'many']
    """
    layers = [*zip(wheres, columns, strict=True)][::-1]
    state = otherwise.states
    for where, column in layers:
        state = np.where(where, column.states, state)
    if isinstance(otherwise.values, Text):
        values: Any = _first_texts(layers, otherwise.text, state.shape)
    else:
        values = otherwise.array
        for where, column in layers:
            values = np.where(where, column.array, values)
    return Column(columns[0].type, values, np.broadcast_to(state, (len(values),)))


def _first_texts(layers: Sequence[tuple[NDArray[np.bool_], Column]], lowest: Text, shape: tuple[int, ...]) -> Text:
    """Take texts by the numbers they have among those of all columns."""
    texts, start = [lowest], lowest.item_count
    places = lowest.places()
    for where, column in layers:
        places = np.where(where, column.text.places() + start, places)
        texts.append(column.text)
        start += column.text.item_count
    stored, places = joined([text.packed() for text in texts]), np.broadcast_to(places, shape)
    if stored.size > MOST_DISTINCT_SHARE * len(places):
        return Text(*dispatch.kernels.take(stored, places)).coded_if_repeated()
    first, numbers = dispatch.kernels.encode(stored)
    return Text(*dispatch.kernels.take(stored, first), numbers[places].astype(np.int32))
