"""Rows picked by chance, each by a number of its own: whoever else is there, and in which order, does not matter."""

import numpy as np
from numpy.typing import NDArray

from comb.kernels.grouping import Codes

_STEP = np.uint64(0x9E3779B97F4A7C15)
_MIX = ((np.uint64(30), np.uint64(0xBF58476D1CE4E5B9)), (np.uint64(27), np.uint64(0x94D049BB133111EB)))


def chance_of(row_numbers: Codes, seed: int) -> NDArray[np.int64]:
    """Return for each row number a number that nobody can foresee, the same for the same seed.

    The rows with the smallest n are n rows picked by chance. The numbers are those of the generator of Steele, Lea and
    Flood (Fast splittable pseudorandom number generators, OOPSLA 2014) at the place that the row number says.

    >>> chance_of(np.array([1, 2, 1]), 7).tolist() == chance_of(np.array([1, 2, 1]), 7).tolist()
    True
    """
    with np.errstate(over="ignore"):
        start = _mixed(np.array([seed & (2**64 - 1)], np.uint64) + _STEP)
        mixed = _mixed(start + row_numbers.astype(np.uint64) * _STEP)
    return (mixed >> np.uint64(1)).astype(np.int64)


def _mixed(bits: NDArray[np.uint64]) -> NDArray[np.uint64]:
    for shift, factor in _MIX:
        bits = (bits ^ (bits >> shift)) * factor
    return bits ^ (bits >> np.uint64(31))
