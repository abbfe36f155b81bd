"""Lines through points: straight, locally fitted, moving medians."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.errors import ParameterError

Floats = NDArray[np.float64]

# A curve is drawn through this many points; more cannot be distinguished.
POINTS = 121

# More points than this are put together by their place on the axis before a curve is fitted.
MOST_FITTED = 2_000

# Each point of a local fit looks at this share of all points.
SHARE = 0.4


class Line(NamedTuple):
    """A straight line by least squares.

    Attributes
    ----------
    slope, intercept : float
    r : float
        Pearson's correlation.
    n : int
    """

    slope: float
    intercept: float
    r: float
    n: int


def straight_line(x: Floats, y: Floats) -> Line | None:
    """Fit a straight line; None where fewer than three points or one place on an axis give none.

    >>> straight_line(np.array([0.0, 1, 2]), np.array([1.0, 3, 5]))
    Line(slope=2.0, intercept=1.0, r=1.0, n=3)
    """
    if len(x) < 3:
        return None
    mean_x, mean_y = float(x.mean()), float(y.mean())
    dx, dy = x - mean_x, y - mean_y
    xx, yy, xy = float(dx @ dx), float(dy @ dy), float(dx @ dy)
    if not (xx > 0 and yy > 0 and np.isfinite(xx) and np.isfinite(yy)):
        return None
    slope = xy / xx
    return Line(slope, mean_y - slope * mean_x, float(np.clip(xy / np.sqrt(xx * yy), -1, 1)), len(x))


def local_regression(x: Floats, y: Floats, share: float = SHARE) -> tuple[Floats, Floats]:
    """Fit a smooth curve: at each place a straight line through the nearest points, the nearer the heavier.

    Weights are tricube, as in Cleveland (Journal of the American Statistical Association 74, 1979), without his
    further rounds against outliers.

    Parameters
    ----------
    x, y : float64 arrays
        Points, none missing.
    share : float
        The share of points that each place looks at.

    Returns
    -------
    x, y : float64 arrays
        The curve. Cost: a sort, and `POINTS` times at most `MOST_FITTED`.

    Examples
    --------
    >>> at, curve = local_regression(np.arange(50.0), 2 * np.arange(50.0))
    >>> bool(np.allclose(curve, 2 * at))
    True
    """
    x, y, weight = _thinned(x, y)
    if len(x) < 3 or x[0] == x[-1]:
        return x[:0], y[:0]
    near = max(3, int(np.ceil(share * len(x))))
    places = np.linspace(x[0], x[-1], POINTS)
    begin = np.clip(np.searchsorted(x, places) - near // 2, 0, len(x) - near)
    for _ in range(near):
        # Moved until no point outside is nearer than one inside.
        far = (begin + near < len(x)) & (places - x[begin] > x[np.minimum(begin + near, len(x) - 1)] - places)
        back = (begin > 0) & (x[begin + near - 1] - places > places - x[np.maximum(begin - 1, 0)])
        moved = far.astype(np.int64) - (back & ~far)
        if not moved.any():
            break
        begin = begin + moved
    part = begin[:, None] + np.arange(near)
    dx, dy = x[part] - places[:, None], y[part]
    reach = np.abs(dx).max(axis=1, keepdims=True)
    pull = weight[part] * (1 - np.clip(np.abs(dx) / np.where(reach > 0, reach, 1), 0, 1) ** 3) ** 3 + 1e-12
    total = pull.sum(axis=1)
    mean_x, mean_y = (pull * dx).sum(axis=1) / total, (pull * dy).sum(axis=1) / total
    rest = dx - mean_x[:, None]
    spread = (pull * rest**2).sum(axis=1)
    lean = (pull * rest * dy).sum(axis=1) / np.where(spread > 0, spread, 1)
    return places, mean_y - np.where(spread > 0, lean, 0) * mean_x


def _thinned(x: Floats, y: Floats) -> tuple[Floats, Floats, Floats]:
    """Return points in order; of very many the means of neighbours, with how many each stands for."""
    order = np.argsort(x, kind="stable")
    x, y = x[order], y[order]
    if len(x) <= MOST_FITTED:
        return x, y, np.ones(len(x))
    starts = np.unique(np.linspace(0, len(x), MOST_FITTED + 1).astype(np.int64)[:-1])
    sizes = np.diff([*starts.tolist(), len(x)]).astype(np.float64)
    return np.add.reduceat(x, starts) / sizes, np.add.reduceat(y, starts) / sizes, sizes


def moving_median(x: Floats, y: Floats, window: int) -> tuple[Floats, Floats]:
    """Return the median of `window` neighbouring points, at the middle one; the ends have no median.

    >>> at, middle = moving_median(np.arange(5.0), np.array([1.0, 9, 2, 3, 4]), 3)
    >>> at.tolist(), middle.tolist()
    ([1.0, 2.0, 3.0], [2.0, 3.0, 3.0])

    Raises
    ------
    ParameterError
        Unless the window is a whole number of 2 or more.
    """
    if window < 2:
        raise ParameterError(f"expected a window of 2 points or more, got {window}")
    order = np.argsort(x, kind="stable")
    x, y = x[order], y[order]
    if len(x) < window:
        return x[:0], y[:0]
    starts = np.unique(np.linspace(0, len(x) - window, min(len(x) - window + 1, 4 * POINTS)).astype(np.int64))
    windows = np.lib.stride_tricks.sliding_window_view(y, window)
    return x[starts + (window - 1) // 2], np.array([np.median(windows[start]) for start in starts])
