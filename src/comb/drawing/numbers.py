"""The numbers behind a picture: aggregates of groups, and the table that can be saved beside it."""

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.drawing.marks import Axis, Floats, Mark
from comb.drawing.request import PictureRequest
from comb.drawing.selection import MOST_PANELS, GroupsShown, Selection, groups_shown
from comb.errors import ParameterError
from comb.statistics.grouped import aggregated
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import DATE, DATETIME, INTEGER, NUMBER, STRING


def mean_ends(values: Floats, codes: NDArray[np.int64], count: int) -> tuple[Floats, Floats]:
    """Return the ends of the 95 % intervals of means (by Student's t); NaN where one value has none."""
    from scipy.stats import t

    mean = aggregated(values, codes, count, "mean")
    sizes = np.bincount(codes, minlength=count).astype(np.float64)
    rest = np.bincount(codes, (values - mean[codes]) ** 2, minlength=count)
    several = sizes > 1
    error = np.sqrt(rest / np.maximum(sizes - 1, 1) / np.maximum(sizes, 1))
    reach = np.where(several, t.ppf(0.975, np.maximum(sizes - 1, 1)) * error, np.nan)
    return mean - reach, mean + reach


class Numbers:
    """The numbers behind a picture, gathered panel by panel and group by group."""

    def __init__(self) -> None:
        self.texts: dict[str, list[str]] = {}
        self.figures: dict[str, list[Floats]] = {}

    def add(
        self,
        request: PictureRequest,
        panel: str,
        label: str,
        figures: dict[str, Floats],
        texts: dict[str, list[str]] | None = None,
    ) -> None:
        """Add the numbers of a mark, as long as one another."""
        count = len(next(iter(figures.values())))
        keys = {**({request.panels: panel} if request.panels else {}), **({request.by: label} if request.by else {})}
        for name, text in keys.items():
            self.texts.setdefault(name, []).extend([text] * count)
        for name, listed in (texts or {}).items():
            self.texts.setdefault(name, []).extend(listed)
        for name, values in figures.items():
            title = name if name not in self.texts else f"{name} (2)"
            self.figures.setdefault(title, []).append(values)

    def add_grid(self, request: PictureRequest, panel: str, mark: Mark) -> None:
        """Add the cells of a grid that are not empty."""
        assert mark.grid is not None
        up, across = np.nonzero(mark.grid)
        middles = [(one[:-1] + one[1:]) / 2 for one in (mark.x, mark.y)]
        found = {request.x: middles[0][across], request.y: middles[1][up], "rows": mark.grid[up, across]}
        self.add(request, panel, "", found)

    def table(self, request: PictureRequest, axes: dict[str, Axis]) -> BareTable:
        """Return the numbers as a table; dates as dates, whole numbers as such."""
        columns = {name: Column(STRING, Text.from_strings(texts)) for name, texts in self.texts.items()}
        for name, parts in self.figures.items():
            columns[name] = _column(np.concatenate(parts), axes.get(name, Axis()))
        return BareTable(columns)


def _column(values: Floats, axis: Axis) -> Column:
    """Return positions as the column they came from."""
    state = np.where(np.isfinite(values), np.uint8(0), np.uint8(Reason.UNDEFINED))
    values = np.where(state == 0, values, 0.0)
    if axis.kind == "date":
        if bool((values == np.floor(values)).all()):
            return Column(DATE, values.astype(np.int64).astype("datetime64[D]"), state)
        return Column(DATETIME, np.round(values * 86_400e6).astype(np.int64).astype("datetime64[us]"), state)
    if len(values) and bool((values == np.floor(values)).all()) and float(np.abs(values).max()) < 2**53:
        return Column(INTEGER, values.astype(np.int64), state)
    return Column(NUMBER, values, state)


def panel_title(request: PictureRequest, label: str) -> str:
    """Return what stands above a small picture: the column and its value."""
    return f"{request.panels}: {label}" if request.panels else ""


def panels_of(selection: Selection, request: PictureRequest) -> GroupsShown:
    """Return the groups that get a small picture each."""
    return groups_shown(selection, request.panels, MOST_PANELS)


def limits_of_numbers(request: PictureRequest) -> tuple[float, float] | None:
    """Return the limits of an upright axis of numbers that is no column's."""
    if not request.y_limits:
        return None
    try:
        low, high = (float(one) for one in request.y_limits)
    except ValueError:
        raise ParameterError(f"expected y_limits to be numbers, got {', '.join(request.y_limits)}") from None
    return low, high


def changed(request: PictureRequest, **changes: Any) -> PictureRequest:
    """Return a request that differs in some fields."""
    return msgspec.structs.replace(request, **changes)


def capital(text: str) -> str:
    """Begin a sentence with a capital, unless it begins with the name of a column."""
    return text[:1].upper() + text[1:] if text.split(" ")[0] in _WORDS else text


_WORDS = ("rows", "count", "sum", "mean", "median", "min", "max")
