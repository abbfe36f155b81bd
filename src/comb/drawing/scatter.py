"""Two columns of numbers against each other; of very many points how many are in each cell of a grid."""

import numpy as np
from msgspec.structs import replace

from comb.drawing.marks import Drawing, Floats, Mark, Panel
from comb.drawing.numbers import Numbers, changed, panel_title, panels_of
from comb.drawing.request import PictureRequest
from comb.drawing.selection import Selection, axis_of, groups_shown
from comb.errors import counted
from comb.statistics.trends import local_regression, moving_median, straight_line

# More points than this are counted in a grid, whose cells are coloured by how many there are.
MOST_POINTS = 50_000
GRID = (240, 140)


def scatter(selection: Selection, request: PictureRequest) -> Drawing:
    """Draw two columns against each other."""
    for axis, name in (("x", request.x), ("y", request.y)):
        selection.restrict(name, axis, request)
    rows = selection.table.row_count
    dense = rows > MOST_POINTS
    if dense and request.by and not request.panels:
        selection.told.append(f"more than {MOST_POINTS:,} points: each {request.by} has a picture of its own")
        request = changed(request, by="", panels=request.by)
    panels, groups = panels_of(selection, request), groups_shown(selection, request.by)
    x, y = selection.positions(request.x), selection.positions(request.y)
    across = axis_of(request.x, selection.table[request.x], request, "x")
    up = axis_of(request.y, selection.table[request.y], request, "y")
    fit_x, fit_y = (np.log10(v) if name in request.log else v for name, v in (("x", x), ("y", y)))
    numbers, drawn, said = Numbers(), [], []
    for at, title in enumerate(panels.labels):
        marks, notes = [], []
        for number, label in enumerate(groups.labels):
            where = (panels.codes == at) & (groups.codes == number)
            if not where.any():
                continue
            if dense:
                marks.append(_grid(x[where], y[where], request))
                numbers.add_grid(request, title, marks[-1])
            else:
                marks.append(Mark("points", x[where], y[where], label, number))
                numbers.add(request, title, label, {request.x: x[where], request.y: y[where]})
            if request.trend:
                curve, note = trend_marks(request, fit_x[where], fit_y[where], "")
                back = [
                    replace(one, style=number, x=10**one.x if "x" in request.log else one.x,
                            y=10**one.y if "y" in request.log else one.y)
                    for one in curve
                ]  # fmt: skip
                marks += back
                notes.append(f"{label}: {note}" if label else note)
        drawn.append(Panel(marks, panel_title(request, title), "\n".join(notes)))
        said += notes
    title = f"{request.y} against {request.x}, {counted(rows, 'row')}" + (f", by {request.by}" if request.by else "")
    title += f": {said[0]}" if len(said) == 1 and request.trend == "line" else ""
    told = [trend_words(request)] if request.trend else []
    told += [f"{rows:,} points are counted in cells"] if dense else []
    data = numbers.table(request, {request.x: across, request.y: up})
    return Drawing(
        drawn, across, up, title, "; ".join([selection.caption(), *told]), data, legend=request.by,
        scale="rows in a cell" if dense else "",
    )  # fmt: skip


def _grid(x: Floats, y: Floats, request: PictureRequest) -> Mark:
    """Count points in a grid."""
    u, v = (np.log10(one) if name in request.log else one for name, one in (("x", x), ("y", y)))
    edges, cells = [], []
    for values, count in ((u, GRID[0]), (v, GRID[1])):
        low, high = float(values.min()), float(values.max())
        high = high if high > low else low + 1
        edges.append(np.linspace(low, high, count + 1))
        cells.append(np.minimum(((values - low) * (count / (high - low))).astype(np.int64), count - 1))
    counts = np.bincount(cells[0] * GRID[1] + cells[1], minlength=GRID[0] * GRID[1]).reshape(GRID).T
    ends = [10**one if name in request.log else one for name, one in zip(("x", "y"), edges, strict=True)]
    return Mark("grid", ends[0], ends[1], grid=counts.astype(np.float64))


def trend_marks(request: PictureRequest, x: Floats, y: Floats, label: str) -> tuple[list[Mark], str]:
    """Return the line through some points, and what is said of it."""
    if request.trend == "line":
        found = straight_line(x, y)
        if found is None:
            return [], "no line: too few points"
        ends = np.array([x.min(), x.max()])
        note = f"r = {round(found.r, 2) + 0.0:.2f}, n = {found.n:,}"
        return [Mark("curve", ends, found.intercept + found.slope * ends, label)], note
    if request.trend == "local":
        at, curve = local_regression(x, y)
        return ([Mark("curve", at, curve, label)] if len(at) else []), f"n = {len(x):,}"
    at, curve = moving_median(x, y, request.window)
    return ([Mark("curve", at, curve, label)] if len(at) else []), f"n = {len(x):,}"


def trend_words(request: PictureRequest) -> str:
    """Say what the line through the points is."""
    return {
        "line": "the line is straight, by least squares",
        "local": "the curve is a local regression over 40 % of the points",
        "median": f"the curve is the median of {request.window} neighbouring points",
    }[request.trend]
