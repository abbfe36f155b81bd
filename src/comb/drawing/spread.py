"""Histograms and boxes: how values are spread."""

import numpy as np

from comb.drawing.marks import FAINT, Axis, Drawing, Floats, Mark, Panel
from comb.drawing.numbers import Numbers, changed, limits_of_numbers, panel_title, panels_of
from comb.drawing.request import PictureRequest
from comb.drawing.selection import MOST_BARS, Selection, axis_of, described, groups_shown, value_words
from comb.errors import ParameterError
from comb.statistics.distribution import Bars, bars_for

# The most points beyond the whiskers of a box that are drawn, and boxes with no more values show all of them.
MOST_BEYOND = 2_000
FEW_IN_A_BOX = 12

# Whiskers reach to the last value within this many times the distance of the quartiles (Tukey, Exploratory Data
# Analysis, 1977).
WHISKER = 1.5


def histogram(selection: Selection, request: PictureRequest) -> Drawing:
    """Draw how the values of a column are spread."""
    name = request.x
    selection.restrict(name, "x", request)
    panels, groups = panels_of(selection, request), groups_shown(selection, request.by)
    values = selection.positions(name)
    axis = axis_of(name, selection.table[name], request, "x")
    log = "x" in request.log
    bars = bars_for(
        np.log10(values) if log else values, whole=axis.kind == "whole" and not log, dates=axis.kind == "date",
        bins=request.bins, width=request.bin_width,
    )  # fmt: skip
    if log:
        edges = 10**bars.edges
        if len(values):
            # Powers of logarithms are a rounding off: nothing is left outside for that.
            edges[0], edges[-1] = min(edges[0], values.min()), max(edges[-1], values.max())
        bars = Bars(edges, "a factor")
    numbers = Numbers()
    drawn = []
    for at, title in enumerate(panels.labels):
        marks = []
        for number, label in enumerate(groups.labels):
            part = values[(panels.codes == at) & (groups.codes == number)]
            counts = bars.counts(part).astype(np.float64)
            if not len(values):
                continue
            marks.append(Mark("steps" if request.by else "bars", bars.edges, counts, label, number))
            places = {"from": bars.edges[:-1], "below": bars.edges[1:]}
            numbers.add(request, title, label, {**places, "rows": counts})
        drawn.append(Panel(marks, panel_title(request, title)))
    title = _spread_sentence(name, values, axis)
    label = f"rows in each {bars.step}" if axis.kind == "date" else "rows"
    y = Axis(label, "whole", "y" in request.log, limits_of_numbers(request), zero=True)
    data = numbers.table(request, {"from": axis, "below": axis})
    return Drawing(drawn, axis, y, title, selection.caption(), data, legend=request.by)


def _spread_sentence(name: str, values: Floats, axis: Axis) -> str:
    if not len(values):
        return f"{name}: no values"
    low, high = (value_words(float(one), axis) for one in np.quantile(values, (0.25, 0.75)))
    if low == high:
        return f"At least half of the {len(values):,} values of {name} are {low}"
    return f"Half of the {len(values):,} values of {name} lie between {low} and {high}"


def boxes(selection: Selection, request: PictureRequest) -> Drawing:
    """Draw the quartiles of a column by group."""
    if request.x and request.by and request.x != request.by:
        raise ParameterError("boxes stand beside one another by one column: x or by", remedy="panels for the other")
    selection.restrict(request.y, "y", request)
    by = request.x or request.by
    panels, groups = panels_of(selection, request), groups_shown(selection, by, MOST_BARS)
    values = selection.positions(request.y)
    axis = axis_of(request.y, selection.table[request.y], request, "y")
    numbers, drawn, beyond = Numbers(), [], 0
    medians: list[tuple[float, str]] = []
    labels = groups.labels
    if not request.panels:
        sizes = zip(groups.labels, groups.sizes.tolist(), strict=True)
        labels = [f"{label}  n = {size:,}" if label else f"n = {size:,}" for label, size in sizes]
    for at, title in enumerate(panels.labels):
        rows: list[list[float]] = []
        marks: list[Mark] = []
        for number, label in enumerate(groups.labels):
            part = np.sort(values[(panels.codes == at) & (groups.codes == number)])
            if not len(part):
                continue
            low, middle, high = (float(one) for one in np.quantile(part, (0.25, 0.5, 0.75)))
            reach = WHISKER * (high - low)
            inside = part[(part >= low - reach) & (part <= high + reach)]
            rows.append([number, middle, low, high, float(inside[0]), float(inside[-1]), len(part)])
            outside = part[(part < low - reach) | (part > high + reach)]
            shown = part if len(part) <= FEW_IN_A_BOX else outside
            if len(shown) > MOST_BEYOND:
                shown = np.unique(shown)[:: max(1, len(np.unique(shown)) // MOST_BEYOND)]
            beyond += len(outside)
            marks.append(Mark("points", np.full(len(shown), float(number)), shown, style=FAINT))
            medians.append((middle, label))
        found = np.array(rows).reshape(-1, 7)
        box = Mark(
            "boxes", found[:, 0], found[:, 1], low=found[:, 2], high=found[:, 3], ends=(found[:, 4], found[:, 5])
        )
        drawn.append(
            Panel([box, *marks], f"{panel_title(request, title)}, n = {int(found[:, 6].sum()):,}" if title else "")
        )
        names = ("median", "quartile_1", "quartile_3", "whisker_low", "whisker_high", "n")
        named = [groups.labels[int(number)] for number in found[:, 0]]
        numbers.add(
            changed(request, by=""),
            title,
            "",
            {name: found[:, 1 + nr] for nr, name in enumerate(names)},
            {by: named} if by else {},
        )
    title = f"{request.y} by {by}" if by else f"{request.y}"
    if len(medians) > 1 and not request.panels:
        ends = [f"{value_words(value, axis)} ({label})" for value, label in (min(medians), max(medians))]
        title += f": medians from {ends[0]} to {ends[1]}"
    elif medians and not by:
        title += f": half of the {len(values):,} values lie between "
        title += " and ".join(value_words(float(one), axis) for one in np.quantile(values, (0.25, 0.75)))
    told = f"boxes from quartile to quartile, whiskers to the last value within {WHISKER} of that distance"
    told += f", {beyond:,} beyond" if beyond else ""
    x = Axis(described(by, selection.table[by]) if by else "", "groups", labels=tuple(labels))
    return Drawing(
        drawn,
        x,
        axis,
        title,
        f"{selection.caption()}; {told}",
        numbers.table(changed(request, by=""), {}),
        sideways=True,
    )
