"""The functions of the language: one table, read by the checker, the evaluator and the docs."""

import math
from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from comb.expressions import arithmetic, logic, moments
from comb.expressions.arithmetic import first_missing, undefined_where
from comb.kernels.types import OUTER_SPACES
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.tables.categories import labels_of
from comb.tables.column import Column, State
from comb.tables.reasons import Reason
from comb.tables.text import ASCII, Text
from comb.tables.types import DATE, INTEGER, NUMBER, STRING, TIME, Type, decimal

# What a parameter takes: a type word, "numeric", "dated" (date or datetime), "moment" (those and time and
# duration), or "same": like the first argument.
TEXT, NUMERIC, WHOLE, DATED, MOMENT, ANY, SAME = "string", "numeric", "integer", "dated", "moment", "any", "same"


class Function(msgspec.Struct, frozen=True):
    """One function.

    Attributes
    ----------
    takes : tuple of str
        What each parameter takes; the last repeats where `repeats` is set.
    result : callable
        The type of the result, from the types of the arguments and, for whole-number
        arguments written as literals, their values.
    apply : callable
        Columns in, column out. Columns of one cell are constants.
    says : str
        What it is for, in a line.
    needs : int
        How many of the parameters must be given.
    repeats : bool
        Whether the last parameter may be given any number of times.
    """

    takes: tuple[str, ...]
    result: Callable[[Sequence[Type], Sequence[int | None]], Type]
    apply: Callable[[Sequence[Column]], Column]
    says: str
    needs: int
    repeats: bool = False


def _gives(kind: Type) -> Callable[[Sequence[Type], Sequence[int | None]], Type]:
    return lambda types, literals: kind


def _like_first(types: Sequence[Type], literals: Sequence[int | None]) -> Type:
    return types[0]


def _whole(types: Sequence[Type], literals: Sequence[int | None]) -> Type:
    return NUMBER if types[0].word == "number" else INTEGER


def _extracted(types: Sequence[Type], literals: Sequence[int | None]) -> Type:
    # Seconds have a fraction, which the checker tells by the part asked for.
    return INTEGER


def _rounded(types: Sequence[Type], literals: Sequence[int | None]) -> Type:
    places = (literals[1] if len(literals) > 1 else 0) or 0
    if types[0].word == "number" or types[0].scale <= places:
        return types[0]
    return decimal(places) if places > 0 else INTEGER


def _in_case(change: Callable[[str], str], of_bytes: Callable[[bytes], bytes]) -> Callable[[Sequence[Column]], Column]:
    """Change the case of texts: of ASCII all at once, and it leaves no text empty."""

    def apply(columns: Sequence[Column]) -> Column:
        text = columns[0].text
        if not text.item_count or int(text.buffer.max(initial=0)) > ASCII:
            return columns[0]._map_text(change)
        buffer = np.frombuffer(bytearray(of_bytes(text.buffer.tobytes())), np.uint8)
        made = Text(buffer, text.offsets)
        return columns[0]._replace(values=made if text.codes is None else made.numbered_anew(text.codes))

    return apply


def _trim(columns: Sequence[Column]) -> Column:
    odd = (columns[0].text.traits(KNOWN_WORDS)[0] & OUTER_SPACES) != 0
    return columns[0]._map_some(odd, str.strip) if odd.any() else columns[0]


def _absolute(columns: Sequence[Column]) -> Column:
    column = columns[0]
    values = np.abs(column.array)
    return column._replace(values=values, state=undefined_where(values < 0, column.states))


def _float_map(function: Callable[[float], float]) -> Callable[[Sequence[Column]], Column]:
    """Apply a function of the standard library; what it has no result for is undefined."""

    def value(argument: float) -> float:
        try:
            return function(argument)
        except (ValueError, OverflowError):
            return math.nan

    def apply(columns: Sequence[Column]) -> Column:
        floats = arithmetic.as_floats(columns[0])
        values = np.fromiter(map(value, floats.tolist()), np.float64, len(floats))
        bad = ~np.isfinite(values)
        return Column(NUMBER, np.where(bad, 0, values), undefined_where(bad, columns[0].states))

    return apply


def _power(columns: Sequence[Column]) -> Column:
    with np.errstate(all="ignore"):
        values = np.power(arithmetic.as_floats(columns[0]), arithmetic.as_floats(columns[1]))
    bad = ~np.isfinite(values)
    return Column(NUMBER, np.where(bad, 0, values), undefined_where(bad, first_missing(*columns[:2])))


def _length(columns: Sequence[Column]) -> Column:
    items = np.fromiter(map(len, columns[0].text.items()), np.int64)
    codes = columns[0].text.codes
    return Column(INTEGER, items if codes is None else items[codes], columns[0].state)


def _rowwise(function: Callable[..., str]) -> Callable[[Sequence[Column]], Column]:
    """Apply a function of texts and whole numbers row by row; where all but the first are constants, text by text."""

    def apply(columns: Sequence[Column]) -> Column:
        first, *others = columns
        if all(len(column) == 1 and column.present[0] for column in others):
            constants = [column.to_list()[0] for column in others]
            return _without_empty(first.text.map(lambda text: function(text, *constants)), first.states)
        state = first_missing(*columns)
        height = len(state)
        lists = [arithmetic.stretched_list(column.to_list(), height) for column in columns]
        rows = zip(*lists, state.tolist(), strict=True)
        return _without_empty(
            Text.from_strings(["" if missing else function(*cells) for *cells, missing in rows]), state
        )

    return apply


def _without_empty(text: Text, state: State) -> Column:
    """Return a column of texts, of which those that are empty are missing."""
    made = Column(STRING, text, state)
    sizes = np.diff(text.offsets)
    empty = (sizes if text.codes is None else sizes[text.codes]) == 0
    empty &= made.present
    return made._emptied(empty, Reason.BLANK) if empty.any() else made


def _replace(columns: Sequence[Column]) -> Column:
    """Replace texts; by a blank, which is what ``''`` is, they are taken out."""
    by = columns[2]
    taken_out = by.states == Reason.BLANK
    state = np.where(taken_out, np.uint8(Reason.PRESENT), by.states)
    # What stands at a blank cell means nothing, so it is made empty here.
    cells = ["" if blank else cell for cell, blank in zip(by.text.to_list(), taken_out.tolist(), strict=True)]
    if len(columns[1]) == len(by) == 1 and columns[1].present[0] and not state[0]:
        quick = columns[0].text.replaced(columns[1].text.to_list()[0], cells[0])
        if quick is not None:
            return _without_empty(quick[0], columns[0].states)
    return _rowwise(str.replace)([*columns[:2], by._replace(values=Text.from_items(cells), state=state)])


def _position(columns: Sequence[Column]) -> Column:
    state = first_missing(*columns)
    lists = [arithmetic.stretched_list(column.text.to_list(), len(state)) for column in columns]
    places = [whole.find(part) + 1 for part, whole in zip(*lists, strict=True)]
    return Column(INTEGER, np.array(places, np.int64), state)


def _substrings(columns: Sequence[Column]) -> Column:
    """Take a part of each text: all of them at once, where it is the same part of plain texts.

    A negative length is no part: it comes of a sign that was looked for and is not there.
    """
    made = _parts(columns)
    if len(columns) == 2 or not (columns[2].present & (columns[2].array < 0)).any():
        return made
    negative = np.broadcast_to(columns[2].present & (columns[2].array < 0), len(made))
    return made._emptied(negative & (first_missing(*columns) == Reason.PRESENT), Reason.UNDEFINED)


def _parts(columns: Sequence[Column]) -> Column:
    if all(len(column) == 1 and column.present[0] for column in columns[1:]):
        start, *length = (int(column.array[0]) for column in columns[1:])
        stop = None if not length else max(start - 1 + length[0], 0)
        quick = columns[0].text.characters(max(start - 1, 0), stop)
        if quick is not None:
            return _without_empty(quick, columns[0].states)
    return _rowwise(_substring)(columns)


def _substring(text: str, start: int, length: int | None = None) -> str:
    """Positions count from 1, as in SQL; one before the text takes from its length."""
    end = len(text) if length is None else start - 1 + length
    return text[max(start - 1, 0) : max(end, 0)]


def _coalesce(columns: Sequence[Column]) -> Column:
    if len(columns) == 1:
        return columns[0]
    return logic.first_of([column.present for column in columns[:-1]], columns[:-1], columns[-1])


def _nullif(columns: Sequence[Column]) -> Column:
    equal = logic.compare("=", columns[0], columns[1])
    hits = equal.present & equal.array
    first = columns[0] if len(columns[0]) == len(hits) else columns[0]._take(np.zeros(len(hits), np.int64))
    return first._emptied(hits, Reason.UNDEFINED)


def _reason(columns: Sequence[Column]) -> Column:
    words = [reason.word if reason else "" for reason in Reason]
    values = Text.from_items(words, columns[0].states.astype(np.int64))
    return Column(STRING, values, np.where(columns[0].present, np.uint8(Reason.BLANK), np.uint8(0)))


def _part(function: Callable[[str, Column], Column]) -> Callable[[Sequence[Column]], Column]:
    """Apply a function of a part of time, which is the same for all rows, and a moment."""
    return lambda columns: function(columns[0].to_list()[0], columns[1])


def _second_type(types: Sequence[Type], literals: Sequence[int | None]) -> Type:
    return types[1]


def _round(columns: Sequence[Column]) -> Column:
    places = int(columns[1].array[0]) if len(columns) > 1 else 0
    return arithmetic.round_half_away(columns[0], places)


FUNCTIONS: dict[str, Function] = {
    "abs": Function((NUMERIC,), _like_first, _absolute, "the value without its sign", 1),
    "ceiling": Function(
        (NUMERIC,), _whole, lambda c: arithmetic.to_whole(c[0], np.ceil), "the next whole number up", 1
    ),
    "char_length": Function((TEXT,), _gives(INTEGER), _length, "how many characters a text has", 1),
    "coalesce": Function((ANY, SAME), _like_first, _coalesce, "the first that is not missing", 2, True),
    "exp": Function((NUMERIC,), _gives(NUMBER), _float_map(math.exp), "e to the power of x", 1),
    "add_months": Function(
        (DATED, WHOLE), _like_first, lambda c: moments.add_months(*c), "the same day this many months later", 2
    ),
    "date_from": Function((WHOLE, WHOLE, WHOLE), _gives(DATE), moments.date_from, "a date of year, month and day", 3),
    "end_of": Function(
        (TEXT, DATED), _gives(DATE), _part(moments.end_of), "the last day of the 'month', 'year' and so on", 2
    ),
    "extract": Function((TEXT, MOMENT), _extracted, _part(moments.extract), "a part: extract(month from day)", 2),
    "label": Function((ANY,), _gives(STRING), lambda c: labels_of(c[0]), "what the value of a category stands for", 1),
    "start_of": Function(
        (TEXT, DATED), _second_type, _part(moments.start_of), "when the 'month', 'year' and so on begins", 2
    ),
    "time_from": Function(
        (WHOLE,), _gives(TIME), lambda c: moments.time_from(c[0]), "a time of a number: 1745 is 17:45", 1
    ),
    "floor": Function(
        (NUMERIC,), _whole, lambda c: arithmetic.to_whole(c[0], np.floor), "the next whole number down", 1
    ),
    "ln": Function((NUMERIC,), _gives(NUMBER), _float_map(math.log), "the natural logarithm", 1),
    "lower": Function((TEXT,), _gives(STRING), _in_case(str.lower, bytes.lower), "the text in small letters", 1),
    "nullif": Function((ANY, SAME), _like_first, _nullif, "missing where both are equal, else the first", 2),
    "log10": Function((NUMERIC,), _gives(NUMBER), _float_map(math.log10), "the logarithm to the base of 10", 1),
    "mod": Function(
        (NUMERIC, NUMERIC),
        lambda types, literals: arithmetic.result_type("%", *types),
        lambda c: arithmetic.calculate("%", *c),
        "what a division leaves, with the sign of the first",
        2,
    ),
    "position": Function((TEXT, TEXT), _gives(INTEGER), _position, "where a text is in another; 0 if nowhere", 2),
    "power": Function((NUMERIC, NUMERIC), _gives(NUMBER), _power, "x to the power of y", 2),
    "reason": Function((ANY,), _gives(STRING), _reason, "why a cell is missing", 1),
    "replace": Function(
        (TEXT, TEXT, TEXT),
        _gives(STRING),
        _replace,
        "every occurrence replaced by another text, or by '' taken out",
        3,
    ),
    "round": Function((NUMERIC, WHOLE), _rounded, _round, "rounded, halves away from zero", 1),
    "sqrt": Function((NUMERIC,), _gives(NUMBER), _float_map(math.sqrt), "the square root", 1),
    "substring": Function(
        (TEXT, WHOLE, WHOLE),
        _gives(STRING),
        _substrings,
        "characters from a position on; undefined for a negative length",
        2,
    ),
    "trim": Function((TEXT,), _gives(STRING), _trim, "the text without outer spaces", 1),
    "upper": Function((TEXT,), _gives(STRING), _in_case(str.upper, bytes.upper), "the text in capitals", 1),
}

# Functions whose first argument is a part of time, and the parts there are.
TIME_PARTS: dict[str, Callable[[Type], tuple[str, ...]]] = {
    "extract": moments.parts_of,
    "start_of": lambda kind: moments.PERIODS if kind.word == "datetime" else moments.PERIODS[:5],
    "end_of": lambda kind: moments.PERIODS[:5],
}

# Constants that `round` and the like need before any row is looked at.
LITERAL_PARAMETERS = {"round": 1}
