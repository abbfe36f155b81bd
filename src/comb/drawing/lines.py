"""Lines over a number or date: by group, one emphasised, a line for each year."""

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from comb.drawing.marks import FAINT, Axis, Drawing, Floats, Mark, Panel
from comb.drawing.numbers import (
    Numbers,
    capital,
    changed,
    limits_of_numbers,
    mean_ends,
    panel_title,
    panels_of,
)
from comb.drawing.request import PictureRequest
from comb.drawing.scatter import trend_marks, trend_words
from comb.drawing.selection import MOST_COLOURS, GroupsShown, Selection, axis_of, groups_shown, value_words
from comb.errors import ParameterError, counted, unknown_name
from comb.statistics.grouped import aggregated
from comb.tables.column import Column
from comb.tables.types import INTEGER

# Of more groups than this the largest are drawn, and the others as one.
MOST_LINES = 600

# A line with more points than this is drawn through the means of parts of the axis.
MOST_ON_A_LINE = 2_000

# A line over dates is broken where the next point is further away than this many median steps.
GAP = 6

# The day of a leap year on which each month begins, from 0.
_MONTH_STARTS = np.array([0, 31, 60, 91, 121, 152, 182, 213, 244, 274, 305, 335], np.float64)

# Whole numbers whose range is at most this many times the number of rows are counted, not sorted.
_DENSE = 4


def lines(selection: Selection, request: PictureRequest) -> Drawing:
    """Draw a figure over a number or date."""
    aggregate = request.value or "mean"
    if aggregate != "count":
        selection.restrict(request.y, "y", request)
    selection.restrict(request.x, "x", request)
    axis = axis_of(request.x, selection.table[request.x], request, "x")
    x = selection.positions(request.x)
    if request.each_year:
        axis, x = _over_the_year(selection, request, axis, x)
        request = changed(request, by="year")
    panels = panels_of(selection, request)
    groups = groups_shown(selection, request.by, MOST_LINES)
    if request.emphasise and request.emphasise not in groups.labels:
        what, remedy = unknown_name("group", request.emphasise, groups.labels)
        raise ParameterError(f"{what} of {request.by}", remedy=remedy)
    y = selection.positions(request.y) if aggregate != "count" else np.zeros(len(x))
    places = _Places.of(x, axis)
    figures = _figures(request, aggregate, y, (panels, groups, places))
    many = len(groups.labels) > MOST_COLOURS
    numbers, drawn, beyond = Numbers(), [], 0
    for at, title in enumerate(panels.labels):
        marks: list[Mark] = []
        for number, label in enumerate(groups.labels):
            line = figures.line(at, number)
            if line is None:
                continue
            strong = request.emphasise == label if request.emphasise else not many
            style = (0 if request.emphasise else number) if strong else FAINT
            line = replace(line, label=label if strong else "", style=style)
            found = {request.x: line.x, aggregate if aggregate == "count" else request.y: line.y}
            found |= {"low": line.low, "high": line.high} if line.low is not None and line.high is not None else {}
            numbers.add(request, title, label, found)
            line, cut = _cut_ends(line, figures.reach)
            beyond += cut
            if request.trend:
                marks.append(replace(line, kind="points", low=None, high=None))
            else:
                marks += _broken(line) if axis.kind in ("date", "months") else [line]
            if request.trend and strong:
                where = (panels.codes == at) & (groups.codes == number)
                marks += [replace(one, style=style) for one in trend_marks(request, x[where], y[where], "")[0]]
        # What is drawn strongly is drawn last, above the rest.
        marks.sort(key=lambda one: one.style != FAINT)
        drawn.append(Panel(marks, panel_title(request, title)))
    upright = Axis("rows", "whole", "y" in request.log, limits_of_numbers(request), zero="y" not in request.log)
    if aggregate != "count":
        upright = axis_of(request.y, selection.table[request.y], request, "y")
    told = _told(request, aggregate, drawn, groups, places, several=figures.several)
    told += [f"{counted(beyond, 'interval')} cut where the axis ends"] if beyond else []
    return Drawing(
        drawn, axis, upright, _title(request, aggregate, drawn, upright, several=figures.several),
        "; ".join([selection.caption(), *told]), numbers.table(request, {request.x: axis}),
        legend=request.by if not many or request.emphasise else "",
    )  # fmt: skip


def _over_the_year(selection: Selection, request: PictureRequest, axis: Axis, x: Floats) -> tuple[Axis, Floats]:
    """Lay every year over one that has a 29th of February; the table gets a column with the years."""
    if axis.kind != "date":
        raise ParameterError(f"each_year needs dates on x, {request.x} is {selection.table[request.x].type}")
    if request.by:
        raise ParameterError("each_year makes a line for each year: it does not go with by")
    days = np.floor(x).astype(np.int64).astype("datetime64[D]")
    months = days.astype("datetime64[M]")
    years = days.astype("datetime64[Y]").astype(np.int64) + 1970
    selection.table = selection.table._extended("year", Column(INTEGER, years))
    place = _MONTH_STARTS[months.astype(np.int64) % 12] + (days - months.astype("datetime64[D]")).astype(np.int64)
    return Axis(axis.label, "months", limits=(0.0, 366.0)), place


class _Places(msgspec.Struct, frozen=True):
    """The places on the axis where something is drawn, ascending, and which one each row is at."""

    places: Floats
    codes: NDArray[np.int64]
    step: str = ""

    @classmethod
    def of(cls, x: Floats, axis: Axis) -> "_Places":
        """Number the places of points; where there are more than can be drawn, parts of the axis."""
        if not len(x):
            return cls(x, np.zeros(0, np.int64))
        whole = np.floor(x)
        same = bool((whole == x).all())
        if same or axis.kind in ("date", "months"):
            made = cls._whole(whole)
            if made is not None and len(made.places) <= MOST_ON_A_LINE and (same or len(np.unique(x)) > MOST_ON_A_LINE):
                return made if same else cls(made.places, made.codes, "day")
        if len(x) <= 200_000:
            places, codes = np.unique(x, return_inverse=True)
            if len(places) <= MOST_ON_A_LINE:
                return cls(places, codes.astype(np.int64))
        edges = np.linspace(float(x.min()), float(x.max()), MOST_ON_A_LINE // 4 + 1)
        codes = np.clip(np.searchsorted(edges, x, side="right") - 1, 0, len(edges) - 2)
        return cls((edges[:-1] + edges[1:]) / 2, codes, "parts of the axis")

    @classmethod
    def _whole(cls, x: Floats) -> "_Places | None":
        """Number whole places that lie close together, without a sort."""
        least, most = float(x.min()), float(x.max())
        if most - least > _DENSE * len(x) + 10_000:
            return None
        codes = (x - least).astype(np.int64)
        there = np.bincount(codes) > 0
        return cls(np.flatnonzero(there).astype(np.float64) + least, (np.cumsum(there) - 1)[codes])


class _Figures(msgspec.Struct, frozen=True):
    """A figure for each panel, group and place (NaN where there are no rows), its interval, and how many rows."""

    places: Floats
    heights: Floats
    sizes: Floats
    ends: tuple[Floats, Floats] | None

    @property
    def several(self) -> bool:
        """Whether several rows are at one place."""
        return bool((self.sizes > 1).any())

    @property
    def reach(self) -> tuple[float, float]:
        """How far intervals are drawn: as far beyond the lines as these reach themselves."""
        there = self.heights[self.sizes > 0]
        low, high = (float(there.min()), float(there.max())) if len(there) else (0.0, 0.0)
        span = high - low or abs(high) or 1.0
        return low - span, high + span

    def line(self, panel: int, group: int) -> Mark | None:
        """Return the line of a group, None where it has no rows."""
        there = self.sizes[panel, group] > 0
        if not there.any():
            return None
        low, high = (None, None) if self.ends is None else (one[panel, group][there] for one in self.ends)
        return Mark("line", self.places[there], self.heights[panel, group][there], low=low, high=high)


def _figures(
    request: PictureRequest, aggregate: str, y: Floats, parts: tuple[GroupsShown, GroupsShown, _Places]
) -> _Figures:
    """Aggregate the values at each place, for all panels and groups at once."""
    panels, groups, places = parts
    shape = (len(panels.labels), len(groups.labels), len(places.places))
    codes = (panels.codes * shape[1] + groups.codes) * shape[2] + places.codes
    total = shape[0] * shape[1] * shape[2]
    sizes = np.bincount(codes, minlength=total).astype(np.float64).reshape(shape)
    heights = aggregated(y, codes, total, aggregate).reshape(shape)
    ends = None
    if request.error_bars:
        low, high = mean_ends(y, codes, total)
        ends = (low.reshape(shape), high.reshape(shape))
    return _Figures(places.places, heights, sizes, ends)


def _told(
    request: PictureRequest, aggregate: str, drawn: list[Panel], groups: GroupsShown, places: _Places, *, several: bool
) -> list[str]:
    """Say how the lines came about."""
    told = [f"each point is the {aggregate} of the rows at its place"] if several and aggregate != "count" else []
    told += [f"points are put together by {places.step}"] if places.step else []
    if request.emphasise:
        told.append(f"{request.emphasise} against {counted(len(groups.labels) - 1, 'other')}")
    elif len(groups.labels) > MOST_COLOURS:
        told.append(f"{len(groups.labels):,} lines, drawn faintly")
    if any(mark.kind == "line" and bool(np.isnan(mark.y).any()) for panel in drawn for mark in panel.marks):
        told.append(f"a line is broken where there is nothing for {GAP} times its usual step")
    told += ["shaded: 95 % intervals of the means"] if request.error_bars else []
    return [*told, *([trend_words(request)] if request.trend else [])]


def _title(request: PictureRequest, aggregate: str, drawn: list[Panel], axis: Axis, *, several: bool) -> str:
    what = "rows" if aggregate == "count" else f"{aggregate} of {request.y}" if several else request.y
    title = f"{capital(what)} over {request.x}"
    title += ", a line for each year" if request.each_year else f", by {request.by}" if request.by else ""
    if request.emphasise:
        return f"{title}: {request.emphasise} and the others"
    heights = [one.y[~np.isnan(one.y)] for panel in drawn for one in panel.marks if one.kind in ("line", "points")]
    heights = [one for one in heights if len(one)]
    if not heights:
        return title
    low, high = min(float(one.min()) for one in heights), max(float(one.max()) for one in heights)
    return f"{title}: {value_words(low, axis)} to {value_words(high, axis)}"


def _cut_ends(mark: Mark, reach: tuple[float, float]) -> tuple[Mark, int]:
    """Cut intervals that would make everything else flat, and say how many."""
    if mark.low is None or mark.high is None:
        return mark, 0
    cut = int(np.count_nonzero((mark.low < reach[0]) | (mark.high > reach[1])))
    return replace(mark, low=np.maximum(mark.low, reach[0]), high=np.minimum(mark.high, reach[1])), cut


def _broken(mark: Mark) -> list[Mark]:
    """Break a line where there is nothing for long; what stands alone between two gaps is a point."""
    steps = np.diff(mark.x)
    if len(steps) < 3:
        return [mark]
    gaps = np.flatnonzero(steps > GAP * max(float(np.median(steps)), 1.0)) + 1
    if not len(gaps):
        return [mark]
    alone = np.diff([0, *gaps.tolist(), len(mark.x)]) == 1
    points = np.array([0, *gaps.tolist()])[alone]

    def parted(values: Floats | None) -> Floats | None:
        return None if values is None else np.insert(values, gaps, np.nan)

    line = replace(mark, x=np.insert(mark.x, gaps, mark.x[gaps - 1]), y=np.insert(mark.y, gaps, np.nan),
                   low=parted(mark.low), high=parted(mark.high))  # fmt: skip
    return [line, *([Mark("points", mark.x[points], mark.y[points], style=mark.style)] if len(points) else [])]
