"""Calculate with columns: nothing wraps, and what has no result is ``undefined``.

A column of one cell stands for a constant and is stretched to the other's length.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.tables.column import Column, Mask, State
from comb.tables.reasons import Reason
from comb.tables.types import INTEGER, NUMBER, Type, decimal

Numbers = NDArray[Any]

# Below this the product of two int64 is certain to fit, whatever the estimate rounds.
_SAFE_PRODUCT = float(2**62)


def first_missing(*columns: Column) -> State:
    """Return the state of a calculation: the reason of the first missing operand."""
    if all(column.state is None for column in columns):
        return np.zeros(np.broadcast_shapes(*((len(column),) for column in columns)), np.uint8)
    state = columns[0].states
    for column in columns[1:]:
        state = np.where(state == Reason.PRESENT, column.states, state)
    return state


def stretched_list(cells: list[Any], height: int) -> list[Any]:
    """Repeat the one cell of a constant for every row."""
    return cells * height if len(cells) == 1 else cells


def undefined_where(bad: Mask, state: State) -> State:
    """Mark present cells without a result."""
    return np.where(bad & (state == Reason.PRESENT), np.uint8(Reason.UNDEFINED), state)


def as_floats(column: Column) -> NDArray[np.float64]:
    """Return numeric values as float64, decimals divided by their power of ten."""
    values: NDArray[np.float64] = column.array.astype(np.float64, copy=False)
    return values / 10**column.type.scale if column.type.scale else values


def rescaled(values: Numbers, by: int) -> tuple[Numbers, Mask]:
    """Multiply int64 digits by a power of ten; the mask tells where they overflow."""
    if not by:
        return values, np.zeros(values.shape, np.bool_)
    return multiply_integers(values, np.array([10**by], np.int64))


def _add_integers(a: Numbers, b: Numbers) -> tuple[Numbers, Mask]:
    result = a + b
    return result, ((a ^ result) & (b ^ result)) < 0


def _subtract_integers(a: Numbers, b: Numbers) -> tuple[Numbers, Mask]:
    result = a - b
    return result, ((a ^ b) & (a ^ result)) < 0


def multiply_integers(a: Numbers, b: Numbers) -> tuple[Numbers, Mask]:
    """Multiply int64 arrays; the mask tells where the product does not fit."""
    result = a * b
    doubtful = np.abs(a.astype(np.float64) * b.astype(np.float64)) >= _SAFE_PRODUCT
    if doubtful.any():
        left, right = np.broadcast_arrays(a, b)
        pairs = zip(left[doubtful].tolist(), right[doubtful].tolist(), strict=True)
        doubtful[doubtful] = [not -(2**63) <= x * y < 2**63 for x, y in pairs]
    return result, doubtful


def _divide_whole(a: Numbers, b: Numbers) -> tuple[Numbers, Mask]:
    """Divide and cut off towards zero, as SQL does."""
    bad = (b == 0) | ((a == np.iinfo(np.int64).min) & (b == -1))
    divisor = np.where(bad, 1, b)
    return (a - np.fmod(a, divisor)) // divisor, bad


def _remainder(a: Numbers, b: Numbers) -> tuple[Numbers, Mask]:
    """The remainder has the sign of the dividend, as in SQL."""
    bad = b == 0
    return np.fmod(a, np.where(bad, 1, b)), np.broadcast_to(bad, np.broadcast_shapes(a.shape, b.shape))


_INTEGERS: dict[str, Callable[[Numbers, Numbers], tuple[Numbers, Mask]]] = {
    "+": _add_integers,
    "-": _subtract_integers,
    "*": multiply_integers,
    "div": _divide_whole,
    "%": _remainder,
}

FLOATS: dict[str, Callable[[Numbers, Numbers], Numbers]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": np.divide,
    "%": np.fmod,
    "div": lambda a, b: np.trunc(np.divide(a, b)),
}


def result_type(operator: str, left: Type, right: Type) -> Type:
    """Return the type of a calculation: scales follow static rules.

    Sums have the larger scale, products the sum of scales; the quotient, and whatever
    is mixed with ``number``, is ``number``; ``div`` gives integers.
    """
    if operator == "/" or "number" in (left.word, right.word):
        return NUMBER
    if operator == "div":
        return INTEGER
    scale = left.scale + right.scale if operator == "*" else max(left.scale, right.scale)
    return decimal(scale) if "decimal" in (left.word, right.word) else INTEGER


def calculate(operator: str, left: Column, right: Column) -> Column:
    """Calculate ``left operator right``, row by row.

    Returns
    -------
    Column
        Missing where an operand is, with the reason of the first; ``undefined`` where
        the result does not exist or is out of range.
    """
    kind = result_type(operator, left.type, right.type)
    whole = left.state is None and right.state is None
    if kind == NUMBER and whole:
        try:
            # The processor tells if anything at all went wrong.
            with np.errstate(over="raise", divide="raise", invalid="raise", under="ignore"):
                return Column(kind, FLOATS[operator](as_floats(left), as_floats(right)))
        except FloatingPointError:
            pass
    state = first_missing(left, right)
    if kind == NUMBER:
        with np.errstate(all="ignore"):
            values = FLOATS[operator](as_floats(left), as_floats(right))
        bad = ~np.isfinite(values)
    else:
        a, b, doubtful = _common_digits(operator, left, right)
        values, bad = _INTEGERS[operator](a, b)
        if doubtful.any():
            values, bad = _settled(operator, left, right, values, bad, np.broadcast_to(doubtful, values.shape))
    values = np.where(bad, 0, values)
    return Column(kind, values, undefined_where(bad, np.broadcast_to(state, values.shape)))


def _common_digits(operator: str, left: Column, right: Column) -> tuple[Numbers, Numbers, Mask]:
    """Bring digits to one scale; products need none. The mask tells where that overflows."""
    if operator == "*":
        return left.array, right.array, np.zeros(1, np.bool_)
    scale = max(left.type.scale, right.type.scale)
    a, over_a = rescaled(left.array, scale - left.type.scale)
    b, over_b = rescaled(right.array, scale - right.type.scale)
    return a, b, over_a | over_b


def _settled(
    operator: str, left: Column, right: Column, values: Numbers, bad: Mask, doubtful: Mask
) -> tuple[Numbers, Mask]:
    """Calculate the few rows whose digits overflow on the way with whole numbers of any length.

    The result may fit although an operand, brought to the other's scale, does not.
    """
    values, bad = values.copy(), np.broadcast_to(bad, values.shape).copy()
    scale = max(left.type.scale, right.type.scale)
    sides = [
        [
            int(digits) * 10 ** (scale - side.type.scale)
            for digits in np.broadcast_to(side.array, values.shape)[doubtful]
        ]
        for side in (left, right)
    ]
    exact = [_EXACT[operator](x, y) if y or operator in "+-" else None for x, y in zip(*sides, strict=True)]
    fits = [value is not None and -(2**63) <= value < 2**63 for value in exact]
    values[doubtful] = [value if fit else 0 for value, fit in zip(exact, fits, strict=True)]
    bad[doubtful] = [not fit for fit in fits]
    return values, bad


def _quotient(x: int, y: int) -> int:
    return abs(x) // abs(y) * (1 if (x < 0) == (y < 0) else -1)


_EXACT: dict[str, Callable[[int, int], int]] = {
    "+": lambda x, y: x + y,
    "-": lambda x, y: x - y,
    "div": _quotient,
    "%": lambda x, y: x - y * _quotient(x, y),
}


def negative(column: Column) -> Column:
    """Return the values with their sign turned."""
    zero = Column(column.type, np.zeros(1, column.array.dtype))
    return calculate("-", zero, column)


MOST_PLACES = 300


def round_half_away(column: Column, places: int) -> Column:
    """Round to this many digits after the point, halves away from zero."""
    if column.type.word == "number":
        # A float has no digits further down, and none further up.
        places = max(-MOST_PLACES, min(places, MOST_PLACES))
        factor = 10.0**places
        with np.errstate(all="ignore"):
            scaled = np.abs(column.array) * factor
            # Halves are meant as written: 2.675 is 2.68, although its float lies below.
            values = np.copysign(np.floor(scaled + 0.5 + scaled * 1e-15) / factor, column.array)
        values = np.where(np.isfinite(values), values, column.array)
        return column._replace(values=values)
    drop = column.type.scale - places
    if drop <= 0:
        return column
    divisor = 10 ** min(drop, 18)
    digits = column.array
    whole, rest = np.divmod(np.abs(digits), divisor)
    values = np.sign(digits) * (whole + (rest * 2 >= divisor))
    if places < 0:
        values = values * 10**-places
    kind = decimal(places) if places > 0 else INTEGER
    return column._replace(type=kind, values=values)


def to_whole(column: Column, direction: Callable[[Numbers], Numbers]) -> Column:
    """Apply floor or ceiling; decimals give integers."""
    if column.type.word == "number":
        return column._replace(values=direction(column.array))
    if not column.type.scale:
        return column
    factor = 10**column.type.scale
    values = -(-column.array // factor) if direction is np.ceil else column.array // factor
    return column._replace(type=INTEGER, values=values)
