"""Bars: how many rows, or a figure, for each group."""

from collections.abc import Sequence

import numpy as np

from comb.drawing.marks import Axis, Drawing, Floats, Mark, Panel
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
from comb.drawing.selection import MOST_BARS, Selection, described, groups_shown
from comb.errors import ParameterError
from comb.statistics.figures import plain_figure
from comb.statistics.grouped import aggregated


def bars(selection: Selection, request: PictureRequest) -> Drawing:
    """Draw how many rows there are for each value of a column, or a figure of another column."""
    aggregate = request.value or ("mean" if request.y else "count")
    if aggregate != "count" and not request.y:
        raise ParameterError(f"{aggregate} needs a column for y", remedy="or value='count': how many rows")
    if request.y and aggregate != "count":
        # Limits are of what is aggregated, not of single values.
        selection.restrict(request.y, "y", changed(request, y_limits=[], log=[]))
    panels = panels_of(selection, request)
    groups = groups_shown(selection, request.by)
    ordered = request.order == "value"
    places = groups_shown(selection, request.x, MOST_BARS, by_size=not ordered)
    column = selection.table[request.x]
    sort_by_size = request.order == "size" or (not request.order and not places.in_order)
    values = selection.positions(request.y) if request.y and aggregate != "count" else np.zeros(len(places.codes))
    count = len(places.labels)
    shape = (len(panels.labels), len(groups.labels), count)
    codes = (panels.codes * shape[1] + groups.codes) * count + places.codes
    figures = aggregated(values, codes, shape[0] * shape[1] * count, aggregate).reshape(shape)
    whole = aggregated(values, places.codes, count, aggregate)
    ends = None
    if request.error_bars:
        ends = [one.reshape(shape) for one in mean_ends(values, codes, shape[0] * shape[1] * count)]
    order = np.arange(count)
    if sort_by_size:
        order = np.argsort(np.where(np.isnan(whole), np.inf, -whole), kind="stable")
        if places.others:
            order = np.concatenate([order[order != count - 1], [count - 1]])
    labels = [places.labels[at] for at in order.tolist()]
    numbers, drawn = Numbers(), []
    for at, title in enumerate(panels.labels):
        marks = []
        for number, label in enumerate(groups.labels):
            heights = figures[at, number][order]
            low = high = None
            if ends is not None:
                low, high = (one[at, number][order] for one in ends)
            marks.append(
                Mark("bars", np.arange(count, dtype=np.float64), heights, label, number, low, high,
                     slot=(number, len(groups.labels)))
            )  # fmt: skip
            found = {aggregate: heights, **({"low": low, "high": high} if low is not None and high is not None else {})}
            numbers.add(request, title, label, found, {request.x: labels})
        drawn.append(Panel(marks, panel_title(request, title)))
    what = "rows" if aggregate == "count" else f"{aggregate} of {described(request.y, selection.table[request.y])}"
    dates = aggregate != "count" and selection.table[request.y].type.plain.word in ("date", "datetime")
    if dates:
        raise ParameterError(f"bars stand for amounts, {request.y} is {selection.table[request.y].type}")
    y = Axis(
        what,
        "whole" if aggregate == "count" else "number",
        "y" in request.log,
        limits_of_numbers(request),
        zero=aggregate == "count" or "y" not in request.log,
    )
    x = Axis(described(request.x, column), "groups", labels=tuple(labels))
    sideways = column.type.textual or bool(column.type.choices) or max(map(len, labels), default=0) > 6
    told = "; bars end at the mean, thin lines are 95 % intervals of it" if request.error_bars else ""
    return Drawing(
        drawn, x, y, _bars_sentence(what, request, labels, whole[order]), selection.caption() + told,
        numbers.table(request, {}), sideways=sideways, legend=request.by,
    )  # fmt: skip


def _bars_sentence(what: str, request: PictureRequest, labels: Sequence[str], heights: Floats) -> str:
    name = " and ".join(filter(None, (request.x, request.by)))
    if request.by:
        return f"{capital(what)} by {name}"
    there = np.flatnonzero(~np.isnan(heights))
    if len(there) < 2:
        return f"{capital(what)} by {name}"
    most, least = there[np.argmax(heights[there])], there[np.argmin(heights[there])]
    if heights[most] == heights[least]:
        return f"{capital(what)} by {name}: {plain_figure(float(heights[most]))} each"
    ends = " to ".join(f"{plain_figure(float(heights[at]))} ({labels[at]})" for at in (least, most))
    return f"{capital(what)} by {name}: from {ends}"
