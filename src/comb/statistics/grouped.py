"""A figure for each group of values."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def aggregated(values: Floats, codes: NDArray[np.int64], count: int, how: str) -> Floats:
    """Aggregate values by group.

    Parameters
    ----------
    values : float64 array
        None missing.
    codes : int64 array
        The group of each, from 0.
    count : int
        How many groups there are.
    how : {"count", "sum", "mean", "median", "min", "max"}

    Returns
    -------
    float64 array
        One for each group, NaN where it has no values. Cost: one pass; of median, min and max a sort.

    Examples
    --------
    >>> aggregated(np.array([1.0, 4, 2]), np.array([0, 0, 2]), 3, "median").tolist()
    [2.5, nan, 2.0]
    """
    sizes = np.bincount(codes, minlength=count).astype(np.float64)
    if how == "count":
        return sizes
    empty = sizes == 0
    if how in ("sum", "mean"):
        sums = np.bincount(codes, values, minlength=count)
        return np.where(empty, np.nan, sums if how == "sum" else sums / np.maximum(sizes, 1))
    order = np.lexsort((values, codes))
    ordered = values[order]
    ends = np.cumsum(sizes).astype(np.int64)
    starts = ends - sizes.astype(np.int64)
    last = max(0, len(ordered) - 1)

    def at(place: NDArray[np.int64]) -> Floats:
        picked = ordered[np.clip(place, 0, last)] if len(ordered) else np.zeros(count)
        return np.where(empty, np.nan, picked)

    if how == "min":
        return at(starts)
    if how == "max":
        return at(ends - 1)
    middle = (starts + ends - 1) // 2
    return (at(middle) + at((starts + ends) // 2)) / 2
