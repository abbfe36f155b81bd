"""Sums of floats that are exactly rounded: the reference."""

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from fractions import Fraction


def exact_sums(values: Sequence[float], codes: Sequence[int], groups: int) -> list[float]:
    """Return for each group the float nearest to the exact sum of its values; one beyond all floats is infinite.

    >>> exact_sums([1e300, 1.0, -1e300, 0.1], [0, 0, 0, 1], 2)
    [1.0, 0.1]
    """
    from fractions import Fraction

    whole = [Fraction()] * groups
    odd = [0.0] * groups
    for value, code in zip(values, codes, strict=True):
        if math.isfinite(value):
            whole[code] += Fraction(value)
        else:
            odd[code] += value
    return [wrong if wrong else _nearest(exact) for exact, wrong in zip(whole, odd, strict=True)]


def _nearest(exact: "Fraction") -> float:
    try:
        return float(exact)
    except OverflowError:
        return math.inf if exact > 0 else -math.inf
