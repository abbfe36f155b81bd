"""Figures and columns as people read them, and columns as positions on a line."""

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import MEMORY, Storage, blocks_of
from comb.kernels import dispatch
from comb.tables.column import Column

# From here on, digits alone are longer than anybody counts.
LARGEST_PLAIN = 1e16
SMALLEST_PLAIN = 1e-7

_MICROSECONDS_A_DAY = 86_400_000_000.0


def plain_figure(value: float, digits: int = 4) -> str:
    """Write a number in plain digits, rounded to at most N significant digits; whole parts are never cut.

    >>> plain_figure(22019512.4), plain_figure(6.31234), plain_figure(-0.000123456), plain_figure(3.0)
    ('22019512', '6.312', '-0.0001235', '3')
    >>> plain_figure(2e300), plain_figure(0.1 + 0.2)
    ('2e300', '0.3')
    """
    if not math.isfinite(value):
        return "none"
    size = abs(value)
    if size and not SMALLEST_PLAIN <= size < LARGEST_PLAIN:
        mantissa, _, power = f"{value:.{digits - 1}e}".partition("e")
        return f"{_short(mantissa)}e{int(power)}"
    places = max(0, digits - 1 - math.floor(math.log10(size))) if size else 0
    return _short(f"{value:.{places}f}")


def _short(text: str) -> str:
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text == "-0" else text


def mean_and_deviation(values: NDArray[np.float64], storage: Storage = MEMORY) -> tuple[float, float | None]:
    """Return the mean and the standard deviation, which divides by n - 1, of finite values.

    Both come from exactly rounded sums: no order of the values changes a bit. The deviation is that from the mean, in a
    second pass, so that a large mean does not swallow it; None for a single value, and where squares overflow.

    >>> mean_and_deviation(np.array([1.0, 2.0, 4.0]))
    (2.3333333333333335, 1.5275252316519468)
    """
    count = len(values)

    def sum_of(floats: NDArray[np.float64]) -> float:
        return float(dispatch.kernels.exact_sums(floats, None, 1)[0])

    with np.errstate(over="ignore", invalid="ignore"):
        total = sum_of(values)
        # Divided before they are summed up, no mean overflows.
        mean = total / count if math.isfinite(total) else sum_of(values / count)
        if count < 2:
            return mean, None
        squares = storage.empty(count, np.float64)
        for rows in blocks_of(count, storage.block_rows):
            squares[rows] = (values[rows] - mean) ** 2
        deviation = math.sqrt(sum_of(squares) / (count - 1))
    return mean, deviation if math.isfinite(deviation) else None


def has_positions(column: Column) -> bool:
    """Return whether the values of a column lie on a line: numbers, dates, times, durations."""
    return not column.type.textual and column.type.storage != "bool"


def positions_of(column: Column) -> NDArray[np.float64]:
    """Return the values of a column as floats, NaN where missing.

    Dates are counted in days and moments in days with fractions, from 1970; times of day and durations in days.

    Parameters
    ----------
    column : Column
        Of numbers, dates, times or durations.

    Returns
    -------
    float64 array
        Cost: one pass.
    """
    values = stored_positions(column, column.array)
    return np.where(column.missing, np.nan, values) if column.missing_count else values


def stored_positions(column: Column, stored: NDArray[Any]) -> NDArray[np.float64]:
    """Return some values as they are stored in a column as floats; see `positions_of`."""
    kind, values = column.type.plain, stored
    if kind.word == "decimal":
        values = stored / 10.0**kind.scale
    elif stored.dtype.kind in "mM":
        values = stored.view(np.int64) / (1.0 if kind.word == "date" else _MICROSECONDS_A_DAY)
    return values.astype(np.float64, copy=False)
