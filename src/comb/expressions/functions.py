"""The functions of the language: one table, read by the checker, the evaluator and the docs."""

import math
from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from comb.expressions import arithmetic, logic, moments, text_functions
from comb.expressions.arithmetic import first_missing, undefined_where
from comb.tables.categories import labels_of
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import DATE, DATETIME, INTEGER, NUMBER, STRING, TIME, Type, decimal

# What a parameter takes: a type word, "numeric", "dated" (date or datetime), "moment" (those and time and
# duration), or "same": like the first argument.
TEXT, NUMERIC, WHOLE, DATED, MOMENT, ANY, SAME = "string", "numeric", "integer", "dated", "moment", "any", "same"


# The type that a null is of, where a parameter takes these.
NULL_TYPES = {TEXT: STRING, NUMERIC: INTEGER, WHOLE: INTEGER, DATED: DATE, MOMENT: DATETIME}


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


def _furthest(operator: str) -> Callable[[Sequence[Column]], Column]:
    """Choose the largest or the least of several; missing where one of them is."""

    def apply(columns: Sequence[Column]) -> Column:
        made = columns[0]
        for column in columns[1:]:
            made = logic.first_of([logic.compare(operator, column, made).array], [column], made)
        return made._replace(state=np.broadcast_to(first_missing(*columns), len(made)))

    return apply


# Beyond this a float does not tell one whole number from the next.
MOST_BUCKETS = 2**53


def _width_bucket(columns: Sequence[Column]) -> Column:
    """Number intervals of equal width from 1, what lies below is in 0 and what lies above in the next (ISO/IEC 9075-2).

    Where a value is as near to an edge as rounding reaches, the edge itself decides.
    """
    value, low, high = (arithmetic.as_floats(column) for column in columns[:3])
    count = columns[3].array
    with np.errstate(all="ignore"):
        side = np.sign(high - low)
        place = np.clip(np.floor((value - low) / (high - low) * count), -1, count)
        place += side * (value - low - (place + 1) * (high - low) / count) >= 0
        place -= side * (value - low - place * (high - low) / count) < 0
        bad = (count < 1) | (count > MOST_BUCKETS) | (side == 0) | ~np.isfinite(high - low) | ~np.isfinite(place)
    found = np.clip(np.where(bad, 0, place), -1, np.maximum(count, 1)).astype(np.int64) + 1
    return Column(INTEGER, found, undefined_where(bad, np.broadcast_to(first_missing(*columns), found.shape)))


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
    "char_length": Function((TEXT,), _gives(INTEGER), text_functions.lengths, "how many characters a text has", 1),
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
    "greatest": Function((ANY, SAME), _like_first, _furthest(">"), "the largest; missing if one is", 2, True),
    "least": Function((ANY, SAME), _like_first, _furthest("<"), "the least; missing if one is", 2, True),
    "initcap": Function(
        (TEXT,),
        _gives(STRING),
        lambda c: c[0]._map_text(text_functions.capitalized),
        "the text with a capital at the beginning of each word",
        1,
    ),
    "left": Function((TEXT, WHOLE), _gives(STRING), text_functions.left, "the first characters", 2),
    "right": Function((TEXT, WHOLE), _gives(STRING), text_functions.right, "the last characters", 2),
    "substring_regex": Function(
        (TEXT, TEXT, WHOLE),
        _gives(STRING),
        text_functions.found_parts,
        "what a pattern finds first, or one of its groups; undefined where it finds nothing",
        2,
    ),
    "sign": Function(
        (NUMERIC,),
        _gives(INTEGER),
        lambda c: Column(INTEGER, np.sign(c[0].array).astype(np.int64), c[0].state),
        "-1, 0 or 1",
        1,
    ),
    "whole_months": Function(
        (DATED, DATED),
        _gives(INTEGER),
        lambda c: moments.whole_months(*c),
        "complete months between two days",
        2,
    ),
    "whole_years": Function(
        (DATED, DATED), _gives(INTEGER), lambda c: moments.whole_years(*c), "complete years: whole_years(born, day)", 2
    ),
    "width_bucket": Function(
        (NUMERIC, NUMERIC, NUMERIC, WHOLE),
        _gives(INTEGER),
        _width_bucket,
        "which of n intervals of equal width a number is in: width_bucket(kg, 0, 50, 5)",
        4,
    ),
    "floor": Function(
        (NUMERIC,), _whole, lambda c: arithmetic.to_whole(c[0], np.floor), "the next whole number down", 1
    ),
    "ln": Function((NUMERIC,), _gives(NUMBER), _float_map(math.log), "the natural logarithm", 1),
    "lower": Function(
        (TEXT,), _gives(STRING), text_functions.in_case(str.lower, bytes.lower), "the text in small letters", 1
    ),
    "nullif": Function((ANY, SAME), _like_first, _nullif, "missing where both are equal, else the first", 2),
    "log10": Function((NUMERIC,), _gives(NUMBER), _float_map(math.log10), "the logarithm to the base of 10", 1),
    "mod": Function(
        (NUMERIC, NUMERIC),
        lambda types, literals: arithmetic.result_type("%", *types),
        lambda c: arithmetic.calculate("%", *c),
        "what a division leaves, with the sign of the first",
        2,
    ),
    "position": Function(
        (TEXT, TEXT), _gives(INTEGER), text_functions.positions, "where a text is in another; 0 if nowhere", 2
    ),
    "power": Function((NUMERIC, NUMERIC), _gives(NUMBER), _power, "x to the power of y", 2),
    "reason": Function((ANY,), _gives(STRING), _reason, "why a cell is missing", 1),
    "replace": Function(
        (TEXT, TEXT, TEXT),
        _gives(STRING),
        text_functions.replaced,
        "every occurrence replaced by another text, or by '' taken out",
        3,
    ),
    "round": Function((NUMERIC, WHOLE), _rounded, _round, "rounded, halves away from zero", 1),
    "sqrt": Function((NUMERIC,), _gives(NUMBER), _float_map(math.sqrt), "the square root", 1),
    "substring": Function(
        (TEXT, WHOLE, WHOLE),
        _gives(STRING),
        text_functions.substrings,
        "characters from a position on; undefined for a negative length",
        2,
    ),
    "trim": Function((TEXT,), _gives(STRING), text_functions.trimmed, "the text without outer spaces", 1),
    "upper": Function(
        (TEXT,), _gives(STRING), text_functions.in_case(str.upper, bytes.upper), "the text in capitals", 1
    ),
}

for _name, _function, _says in (
    ("sin", math.sin, "the sine of an angle in radians"),
    ("cos", math.cos, "the cosine of an angle in radians"),
    ("tan", math.tan, "the tangent of an angle in radians"),
    ("asin", math.asin, "the angle in radians that has this sine"),
    ("acos", math.acos, "the angle in radians that has this cosine"),
    ("atan", math.atan, "the angle in radians that has this tangent"),
    ("radians", math.radians, "an angle in degrees as one in radians"),
    ("degrees", math.degrees, "an angle in radians as one in degrees"),
):
    FUNCTIONS[_name] = Function((NUMERIC,), _gives(NUMBER), _float_map(_function), _says, 1)

# What may have no result where all it is given is there; `nullif` has none on purpose.
UNDEFINED_FOR_SOME = frozenset({
    "acos", "add_months", "asin", "date_from", "exp", "left", "ln", "log10", "mod", "power", "right", "sqrt",
    "substring", "substring_regex", "time_from", "width_bucket",
})  # fmt: skip

# Functions whose first argument is a part of time, and the parts there are.
TIME_PARTS: dict[str, Callable[[Type], tuple[str, ...]]] = {
    "extract": moments.parts_of,
    "start_of": lambda kind: moments.PERIODS if kind.word == "datetime" else moments.PERIODS[:5],
    "end_of": lambda kind: moments.PERIODS[:5],
}

# Constants that `round` and the like need before any row is looked at.
LITERAL_PARAMETERS = {"round": 1}
