"""How values are spread: bars of a histogram with edges that people would choose, and a small drawing in block
characters.

The width of bars follows Freedman and Diaconis (Zeitschrift für Wahrscheinlichkeitstheorie 57, 1981), twice the
distance between the quartiles over the cube root of n, rounded to 1, 2, 2.5 or 5 times a power of ten; whole numbers
get whole widths, dates get days, weeks, months, quarters or years that begin where calendars have them begin. With
far outliers that rule would give thousands of bars: there are never more than `MOST_BARS`, so that what stands apart
is seen to.
"""

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import ParameterError

Floats = NDArray[np.float64]

MOST_BARS = 60
LEAST_BARS = 8

# Over so short a range, each whole number has a bar of its own.
FEW_WHOLE = 30

# More than anybody can tell apart on a page.
MOST_ASKED = 1_000

# A range beyond this overflows when it is divided into parts.
LARGE = 1e300
SMALLER = 2.0**60

# A shorter range counts as a single value.
TINY = 1e-290

# How many blocks a small drawing has.
SMALL = 12


class Bars(msgspec.Struct, frozen=True):
    """The bars of a histogram.

    Attributes
    ----------
    edges : float64 array
        Ascending, one more than there are bars. A value on an edge belongs to the bar on its right; on the last, to the
        last bar.
    step : str
        How wide they are, in words.
    """

    edges: Floats
    step: str

    def counts(self, values: Floats) -> NDArray[np.int64]:
        """Count values by bar. Cost: one pass where the bars are equally wide, else a search for each value."""
        # By a quarter, so that the width of the whole range of floats is one.
        widths = np.diff(self.edges / 4)
        if np.allclose(widths, widths[0], rtol=1e-9):
            first, last = float(self.edges[0]), float(self.edges[-1])
            if max(-first, last) < LARGE:
                counts, _ = np.histogram(values, len(widths), (first, last))
            else:
                counts, _ = np.histogram(values / 4, self.edges / 4)
        else:
            counts, _ = np.histogram(values, self.edges)
        return counts.astype(np.int64)


def nice_step(least: float) -> float:
    """Return the smallest of 1, 2, 2.5, 5 times a power of ten that is no smaller than this.

    >>> nice_step(0.3), nice_step(7), nice_step(21), nice_step(2)
    (0.5, 10.0, 25.0, 2.0)
    """
    power = 10.0 ** math.floor(math.log10(least))
    return next(power * part for part in (1, 2, 2.5, 5, 10) if power * part >= least * (1 - 1e-9))


def bars_for(
    values: Floats, *, whole: bool = False, dates: bool = False, bins: int | None = None, width: float | None = None
) -> Bars:
    """Choose the bars of a histogram.

    Parameters
    ----------
    values : float64 array
        In any order, none missing.
    whole : bool
        Whether they are whole numbers.
    dates : bool
        Whether they are days counted from 1970.
    bins : int, optional
        About how many bars there should be: edges stay round.
    width : float, optional
        How wide each bar is.

    Returns
    -------
    Bars
        Cost: one pass, and a partial sort for the quartiles.

    Raises
    ------
    ParameterError
        For a width or number that gives no bars, or too many.

    Examples
    --------
    >>> bars_for(np.array([0.0, 1, 1, 2, 3]), whole=True).edges.tolist()
    [-0.5, 0.5, 1.5, 2.5, 3.5]
    """
    if bins is not None and not 1 <= bins <= MOST_ASKED:
        raise ParameterError(f"expected 1 to {MOST_ASKED:,} bars, got {bins}")
    if width is not None and not (width > 0 and math.isfinite(width)):
        raise ParameterError(f"expected a width of bars above 0, got {width:g}")
    first, last = (float(values.min()), float(values.max())) if len(values) else (0.0, 1.0)
    span = last - first
    if not max(span, abs(first), abs(last)) < LARGE:
        # Near the end of floats sums and widths overflow: the same is done with smaller numbers.
        smaller = bars_for(values / SMALLER, bins=bins)
        most = np.finfo(np.float64).max / SMALLER
        edges = np.clip(smaller.edges, -most, most) * SMALLER
        edges[0], edges[-1] = min(float(edges[0]), first), max(float(edges[-1]), last)
        return Bars(edges, "")
    if width is not None:
        if span / width > MOST_ASKED:
            raise ParameterError(
                f"bars of width {width:g} would be {span / width:,.0f}, from {first:g} to {last:g}",
                remedy=f"at most {MOST_ASKED:,}: a width of {nice_step(span / MOST_BARS):g}, or limits",
            )
        return _even(first, last, width, whole=whole)
    wanted = bins or _wanted(values, span)
    if dates:
        return _of_calendar(first, last, wanted)
    if span <= max(abs(first) * 1e-12, TINY):
        return _even(first, last, 1.0 if whole else nice_step(max(abs(first), 1.0) / 10), whole=whole)
    step = nice_step(span / wanted)
    if whole and span <= FEW_WHOLE and bins is None:
        step = 1.0
    elif whole:
        step = max(1.0, step if step == int(step) else nice_step(step + 0.5))
    return _even(first, last, step, whole=whole)


def _wanted(values: Floats, span: float) -> int:
    """Return about how many bars show the spread of some values."""
    quarter, three = np.quantile(values, (0.25, 0.75)) if len(values) else (0.0, 0.0)
    width = 2 * (three - quarter) / max(1, len(values)) ** (1 / 3)
    if not width > 0:
        # Where half of the values are one: Sturges (Journal of the American Statistical Association 21, 1926).
        return int(max(LEAST_BARS, math.log2(max(2, len(values))) + 1))
    return MOST_BARS if width < span / MOST_BARS else int(max(LEAST_BARS, span / width))


def _even(first: float, last: float, step: float, *, whole: bool) -> Bars:
    finest = 4 * float(np.spacing(max(abs(first), abs(last))))
    if step / 2 < finest:
        # Numbers so large have no halves, and at last no neighbours one apart.
        step = nice_step(2 * finest)
    middle = whole and step == 1
    # A value that is a multiple but for rounding begins a bar; nothing is left outside for that.
    begin = first - 0.5 if middle else min(first, math.floor(first / step + 1e-9) * step)
    count = max(1, math.ceil((last - begin) / step - 1e-9))
    if whole and not middle and abs(begin + count * step - last) < step * 1e-9:
        # The last bar has as many whole numbers as the others.
        count += 1
    edges = begin + step * np.arange(count + 1, dtype=np.float64)
    edges[-1] = max(float(edges[-1]), last)
    return Bars(edges, f"{step:g}")


# Days in a step of the calendar, roughly; and how NumPy calls it.
_CALENDAR = (
    (1.0, "D", 1, "day"), (7.0, "W", 1, "week"), (30.44, "M", 1, "month"), (91.3, "M", 3, "quarter"),
    (365.25, "Y", 1, "year"), (3652.5, "Y", 10, "ten years"), (36525.0, "Y", 100, "hundred years"),
)  # fmt: skip


def _of_calendar(first: float, last: float, wanted: int) -> Bars:
    """Return bars that begin where days, weeks, months or years do."""
    wanted = max(wanted, LEAST_BARS)
    fitting = (one for one in _CALENDAR if (last - first) / one[0] <= max(wanted, LEAST_BARS * 2))
    _, unit, many, word = next(fitting, _CALENDAR[-1])
    if unit == "W":
        # Weeks begin on Monday; 1970 began on a Thursday.
        begin = math.floor((first - 4) / 7) * 7 + 4
        return Bars(begin + 7.0 * np.arange(math.floor((last - begin) / 7) + 2, dtype=np.float64), word)
    days = np.array([math.floor(first), math.floor(last)]).astype("datetime64[D]")
    low, high = (int(one) for one in days.astype(f"datetime64[{unit}]").astype(np.int64))
    begin = low // many * many
    edges = np.arange(begin, high + many + 1, many)
    edges = edges[: int(np.searchsorted(edges, high, side="right")) + 1]
    return Bars(edges.astype(f"datetime64[{unit}]").astype("datetime64[D]").astype(np.float64), word)


def small_shape(ordered: Floats) -> tuple[int, ...]:
    """Count values in `SMALL` equally wide parts from the least to the greatest; of one value only, in one.

    >>> small_shape(np.array([0.0, 1, 1, 11]))
    (1, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1)
    """
    if not len(ordered):
        return ()
    first, last = float(ordered[0]), float(ordered[-1])
    if first == last:
        return (len(ordered),)
    if not last - first < LARGE:
        ordered, first, last = ordered / 4, first / 4, last / 4
    edges = np.linspace(first, last, SMALL + 1)
    found = np.searchsorted(ordered, edges[1:-1], side="left")
    return tuple(np.diff([0, *found.tolist(), len(ordered)]).tolist())
