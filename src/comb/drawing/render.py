"""Draw with Matplotlib: the one module that knows it.

Matplotlib is imported when something is drawn. Its global state is not used: a figure of its own, a canvas that needs
no display, and settings that hold for the time of drawing only, above Matplotlib's own defaults, so that no file of
settings on the machine changes a picture. Texts are texts: no mark in data starts a formula. The same drawing gives
the same bytes: no date is written, and the marks inside SVG are numbered from a fixed beginning.
"""

import contextlib
import io
import math
import os
import sys
import textwrap
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from comb.drawing.marks import FAINT, Axis, Drawing, Mark, Panel
from comb.drawing.style import (
    COLOURS,
    DASHES,
    DOTS,
    FAINT_COLOUR,
    HATCHES,
    MARKS,
    NOTHING,
    QUIET,
    SCALE,
    SETTINGS,
    SIZE,
)
from comb.errors import CombError, ParameterError, counted, listing, washed
from comb.statistics.figures import plain_figure
from comb.tables.layout import cut_middle

FORMATS = ("png", "svg", "pdf")

# What Matplotlib would write about the moment and itself.
_NO_STAMP: dict[str, dict[str, Any]] = {
    "png": {"Software": None}, "svg": {"Date": None, "Creator": None}, "pdf": {"CreationDate": None, "Producer": None},
}  # fmt: skip

# More points than this are drawn as an image inside SVG and PDF.
MOST_VECTORS = 3_000

# Labels are cut at this many characters in a line, and at this many lines; from MOST_WRAPPED labels on, at one.
LONGEST_LABEL = 34
MOST_LABEL_LINES = 2
MOST_WRAPPED = 14

# The years 1 and 9999, in days from 1970: there are no other dates.
FIRST_DAY, LAST_DAY = -719_162.0, 2_932_896.0


def matplotlib() -> Any:
    """Import Matplotlib, whatever the environment says of a display.

    Raises
    ------
    CombError
        If it cannot be imported, with what it says.
    """
    if "matplotlib" in sys.modules:
        return sys.modules["matplotlib"]
    # A back end that does not exist breaks the import, and none is needed here.
    named = os.environ.pop("MPLBACKEND", None)
    try:
        with _without_deprecations():
            import matplotlib as found
    except ImportError as error:
        raise CombError(
            f"pictures are drawn by Matplotlib, which cannot be imported: {error}",
            remedy="install it: pip install matplotlib",
        ) from None
    finally:
        if named is not None:
            os.environ["MPLBACKEND"] = named
    if named:
        with contextlib.suppress(ValueError):
            found.rcParams["backend"] = named
    return found


def render(drawing: Drawing, kind: str = "png") -> tuple[bytes, list[str]]:
    """Draw a picture.

    Parameters
    ----------
    drawing : Drawing
    kind : {"png", "svg", "pdf"}

    Returns
    -------
    bytes, list of str
        The file, the same for the same drawing; and what could not be drawn, in words. Cost: a tenth of a second and
        more, and the import of Matplotlib the first time.

    Raises
    ------
    ParameterError
        For another kind of file.
    """
    if kind not in FORMATS:
        raise ParameterError(f"a picture cannot be written as {kind!r}", remedy=f"it can as {listing(FORMATS)}")
    with warnings.catch_warnings(record=True) as warned, drawn_figure(drawing) as figure:
        # What the font lacks is only warned of.
        warnings.simplefilter("always", UserWarning)
        out = io.BytesIO()
        figure.savefig(out, format=kind, dpi=DOTS, metadata=_NO_STAMP[kind])
    strange = {str(one.message).split(" missing from")[0] for one in warned if "missing from" in str(one.message)}
    notes = (
        [f"{counted(len(strange), 'character')} of the labels cannot be drawn: the font lacks them"] if strange else []
    )
    return out.getvalue(), notes


@contextmanager
def _without_deprecations() -> Iterator[None]:
    """Keep to itself what Matplotlib uses of other packages that is going to change."""
    with warnings.catch_warnings():
        for kind in (DeprecationWarning, PendingDeprecationWarning):
            warnings.simplefilter("ignore", kind)
        yield


@contextmanager
def drawn_figure(drawing: Drawing) -> Iterator[Any]:
    """Give a figure with everything in it, while Matplotlib's settings are ours."""
    mpl = matplotlib()
    with _without_deprecations():
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure

    settings = {name: value for name, value in mpl.rcParamsDefault.items() if name not in _NOT_SET}
    with mpl.rc_context({**settings, **SETTINGS}), _without_deprecations():
        figure = Figure(figsize=SIZE, dpi=DOTS, layout="constrained")
        FigureCanvasAgg(figure)
        _fill(figure, drawing)
        yield figure


# Settings that start something, or that only warn when they are set.
_NOT_SET = frozenset({"backend", "backend_fallback", "interactive", "toolbar", "timezone", "webagg.port"})


def _fill(figure: Any, drawing: Drawing) -> None:
    """Put everything into a figure."""
    from matplotlib.ticker import FuncFormatter, NullFormatter

    title = textwrap.fill(washed(drawing.title), 92)
    caption = textwrap.fill(washed(drawing.caption), 168)
    lines, below = title.count("\n") + 1, caption.count("\n") + 1
    top, bottom = 0.02 + 0.036 * lines, 0.022 + 0.021 * below
    figure.get_layout_engine().set(rect=(0.008, bottom, 0.984, 1 - top - bottom), w_pad=0.08, h_pad=0.06)
    figure.text(0.012, 0.985, title, ha="left", va="top", fontsize=16, fontweight="bold")
    figure.text(0.012, 0.012, caption, ha="left", va="bottom", fontsize=9.5, color=QUIET)
    count = max(1, len(drawing.panels))
    # As square as may be, with the fewest places left empty.
    square = math.ceil(math.sqrt(count))
    across = min((square, square + 1), key=lambda one: -count % one) if count > 2 else count
    down = math.ceil(count / across)
    grid = figure.subplots(down, across, sharex=True, sharey=True, squeeze=False)
    axes = list(grid.flat)
    for extra in axes[count:]:
        extra.set_visible(False)
    shown: Any = None
    for at, (panel, one) in enumerate(zip(drawing.panels, axes, strict=False)):
        shown = _draw_panel(one, panel, drawing) or shown
        if panel.title:
            one.set_title(_label(panel.title, 40))
        if panel.note:
            _say_in_corner(one, panel)
        last_of_column = at + across >= count
        first_of_row = at % across == 0
        _dress(one, drawing, across, down, below=last_of_column, beside=first_of_row)
    if shown is not None:
        bar = figure.colorbar(shown, ax=axes[:count], shrink=0.6, pad=0.01, aspect=28)
        bar.set_label(drawing.scale)
        if not drawing.scale.startswith("%"):
            bar.ax.yaxis.set_major_formatter(FuncFormatter(lambda value, _: plain_figure(value)))
            bar.ax.yaxis.set_minor_formatter(NullFormatter())
        bar.outline.set_visible(False)
    _legend(figure, drawing)


def _draw_panel(axes: Any, panel: Panel, drawing: Drawing) -> Any:
    shown = None
    lines = sum(one.kind == "line" for one in panel.marks)
    for mark in panel.marks:
        found = _DRAW[mark.kind](axes, mark, drawing, lines)
        shown = found if mark.kind == "grid" else shown
    return shown


def _colour(style: int) -> Any:
    return FAINT_COLOUR if style == FAINT else COLOURS[style % len(COLOURS)]


def _bars(axes: Any, mark: Mark, drawing: Drawing, _lines: int) -> None:
    if len(mark.x) == len(mark.y) + 1:
        axes.bar(
            mark.x[:-1],
            mark.y,
            np.diff(mark.x),
            align="edge",
            color=_colour(mark.style),
            edgecolor="white",
            linewidth=0.6,
        )
        return
    number, of = mark.slot
    thick = 0.8 / of
    place = mark.x - 0.4 + thick * (number + 0.5)
    look = {
        "color": _colour(mark.style), "edgecolor": "white", "linewidth": 0.6, "label": _label(mark.label),
        "hatch": HATCHES[mark.style % len(HATCHES)] if of > 1 else "",
    }  # fmt: skip
    heights = np.nan_to_num(mark.y)
    if drawing.sideways:
        axes.barh(place, heights, thick, **look)
    else:
        axes.bar(place, heights, thick, **look)
    _error_bars(axes, mark, place, sideways=drawing.sideways)


def _error_bars(axes: Any, mark: Mark, place: Any, *, sideways: bool) -> None:
    if mark.low is None or mark.high is None:
        return
    there = np.isfinite(mark.low) & np.isfinite(mark.high)
    ends = np.array([mark.y - mark.low, mark.high - mark.y])[:, there]
    given = {"yerr": ends, "fmt": "none", "ecolor": "#333333", "elinewidth": 1.2, "capsize": 3}
    if sideways:
        given["xerr"] = given.pop("yerr")
        axes.errorbar(mark.y[there], place[there], **given)
    else:
        axes.errorbar(place[there], mark.y[there], **given)


def _steps(axes: Any, mark: Mark, _drawing: Drawing, _lines: int) -> None:
    colour = _colour(mark.style)
    axes.stairs(mark.y, mark.x, fill=True, color=colour, alpha=0.12)
    axes.stairs(
        mark.y,
        mark.x,
        color=colour,
        linewidth=1.8,
        linestyle=DASHES[mark.style % len(DASHES)],
        label=_label(mark.label),
    )


def _line(axes: Any, mark: Mark, _drawing: Drawing, lines: int) -> None:
    faint = mark.style == FAINT
    few = len(mark.x) <= 40 and not faint
    axes.plot(
        mark.x, mark.y, color=_colour(mark.style), linewidth=1.0 if faint else 2.0,
        alpha=max(0.06, min(0.7, 12 / max(1, lines))) if faint else 1.0,
        linestyle="-" if faint else DASHES[mark.style % len(DASHES)], label=_label(mark.label) if not faint else "",
        marker=MARKS[mark.style % len(MARKS)] if few else None, markersize=4.5, zorder=2 if faint else 3,
        rasterized=len(mark.x) * lines > 20 * MOST_VECTORS,
    )  # fmt: skip
    if mark.low is not None and mark.high is not None:
        axes.fill_between(mark.x, mark.low, mark.high, color=_colour(mark.style), alpha=0.15, linewidth=0)


def _curve(axes: Any, mark: Mark, _drawing: Drawing, _lines: int) -> None:
    axes.plot(mark.x, mark.y, color="white", linewidth=4.5, zorder=4)
    axes.plot(
        mark.x, mark.y, color=_colour(mark.style), linewidth=2.4, zorder=5, linestyle=DASHES[mark.style % len(DASHES)]
    )


def _points(axes: Any, mark: Mark, drawing: Drawing, _lines: int) -> None:
    count = len(mark.x)
    faint = mark.style == FAINT
    across, up = (mark.y, mark.x) if drawing.sideways else (mark.x, mark.y)
    axes.plot(
        across, up, linestyle="none", marker=MARKS[mark.style % len(MARKS)] if not faint else "o",
        markersize=4.0 if faint else max(2.5, 6.0 - count / 4_000), color=_colour(mark.style), markeredgewidth=0,
        alpha=0.6 if faint else max(0.08, min(0.85, 60 / max(1.0, count**0.6))), label=_label(mark.label),
        rasterized=count > MOST_VECTORS, zorder=3,
    )  # fmt: skip


def _boxes(axes: Any, mark: Mark, _drawing: Drawing, _lines: int) -> None:
    assert mark.low is not None and mark.high is not None and mark.ends is not None
    axes.hlines(mark.x, mark.ends[0], mark.ends[1], color="#555555", linewidth=1.2, zorder=2)
    axes.barh(
        mark.x, mark.high - mark.low, 0.56, mark.low, color="#BBD7EA", edgecolor=COLOURS[0], linewidth=1.2, zorder=2.5
    )
    axes.vlines(mark.y, mark.x - 0.28, mark.x + 0.28, color=COLOURS[0], linewidth=2.6, zorder=4)


def _grid(axes: Any, mark: Mark, drawing: Drawing, _lines: int) -> Any:
    from matplotlib.colors import LinearSegmentedColormap, LogNorm, Normalize

    assert mark.grid is not None
    share = drawing.scale.startswith("%")
    scale: Any = LinearSegmentedColormap.from_list("few to many", SCALE[1:] if share else SCALE)
    if share:
        # What has nothing missing stands apart from what has little.
        scale = scale.with_extremes(under=NOTHING)
        colours, norm = mark.grid, Normalize(1e-9, 100)
    else:
        colours, norm = np.ma.masked_equal(mark.grid, 0), LogNorm(1, max(2.0, float(mark.grid.max())))
    axes.grid(visible=False)
    return axes.pcolormesh(mark.x, mark.y, colours, cmap=scale, norm=norm, rasterized=True, zorder=1)


_DRAW: dict[str, Any] = {
    "bars": _bars, "steps": _steps, "line": _line, "points": _points, "boxes": _boxes, "grid": _grid, "curve": _curve,
}  # fmt: skip


def _label(text: str, width: int = LONGEST_LABEL) -> str:
    """Wrap a label; of a very long one the beginning and the end."""
    text = washed(text)
    parts = textwrap.wrap(text, width, break_long_words=True)
    if len(parts) > MOST_LABEL_LINES:
        half = width * MOST_LABEL_LINES // 2 - 2
        parts = textwrap.wrap(f"{text[:half]}…{text[-half:]}", width, break_long_words=True)[:MOST_LABEL_LINES]
    # What begins with an underscore would be no label.
    return "\n".join(parts).replace("_", "\u200b_", 1) if text.startswith("_") else "\n".join(parts)


def _say_in_corner(axes: Any, panel: Panel) -> None:
    box = {"facecolor": "white", "alpha": 0.8, "edgecolor": "none", "pad": 3}
    text = "\n".join(_label(one, 60) for one in panel.note.split("\n"))
    axes.text(0.985, 0.975, text, transform=axes.transAxes, ha="right", va="top", fontsize=11, bbox=box, zorder=9)


def _dress(axes: Any, drawing: Drawing, across: int, down: int, *, below: bool, beside: bool) -> None:
    """Give a panel its axes."""
    lying, upright = (drawing.y, drawing.x) if drawing.sideways else (drawing.x, drawing.y)
    _scale(axes, "x", lying, max(3, round(9 / across)), across)
    _scale(axes, "y", upright, max(3, round(8 / down)), down)
    if drawing.sideways:
        axes.yaxis.grid(visible=False)
        if upright.kind == "groups":
            axes.set_ylim(max(1, len(upright.labels)) - 0.5, -0.5)
    elif lying.kind == "groups":
        axes.xaxis.grid(visible=False)
        axes.set_xlim(-0.6, max(1, len(lying.labels)) - 0.4)
    axes.tick_params(labelbottom=below, labelleft=beside)
    if below:
        axes.set_xlabel(_label(lying.label, 70))
    if beside:
        axes.set_ylabel(_label(upright.label, 44))


def _scale(axes: Any, which: str, axis: Axis, most: int, panels: int) -> None:
    """Set the scale, the limits and the ticks of an axis so that no two labels meet."""
    from matplotlib import dates, ticker

    mine = axes.xaxis if which == "x" else axes.yaxis
    limit = axes.set_xlim if which == "x" else axes.set_ylim
    if axis.log:
        (axes.set_xscale if which == "x" else axes.set_yscale)("log")
        mine.set_major_locator(ticker.LogLocator(numticks=most))
        mine.set_minor_formatter(ticker.NullFormatter())
        mine.set_major_formatter(ticker.FuncFormatter(lambda value, _: plain_figure(value)))
    elif axis.kind == "groups":
        # Labels of two lines need the room of two.
        wide = which == "y" and len(axis.labels) * panels > MOST_WRAPPED
        wrapped = [cut_middle(washed(one), LONGEST_LABEL + 10) if wide else _label(one) for one in axis.labels]
        size = 11.0 if len(wrapped) * panels <= 24 else max(6.5, 11.0 * 24 / (len(wrapped) * panels))
        every = max(1, math.ceil(len(wrapped) * panels / 44)) if which == "y" else _every(wrapped, panels)
        mine.set_major_locator(ticker.FixedLocator(list(range(0, len(wrapped), every))))
        mine.set_major_formatter(ticker.FixedFormatter(wrapped[::every]))
        mine.set_tick_params(labelsize=size, length=0)
    elif axis.kind == "date":
        mine.axis_date()
        low, high = (axes.get_xlim if which == "x" else axes.get_ylim)()
        limit(max(low, FIRST_DAY), min(high, LAST_DAY))
        locator = dates.AutoDateLocator(  # type: ignore[no-untyped-call]
            minticks=2, maxticks=max(3, most), interval_multiples=True
        )
        mine.set_major_locator(locator)
        mine.set_major_formatter(_date_words(dates, locator))
    elif axis.kind == "months":
        starts = (0, 31, 60, 91, 121, 152, 182, 213, 244, 274, 305, 335)
        names = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
        every = 1 if most >= 8 else 3
        mine.set_major_locator(ticker.FixedLocator(starts[::every]))
        mine.set_major_formatter(ticker.FixedFormatter(names[::every]))
    else:
        mine.set_major_locator(ticker.MaxNLocator(most, integer=axis.kind == "whole", steps=[1, 2, 2.5, 5, 10]))
        mine.set_major_formatter(ticker.FuncFormatter(lambda value, _: plain_figure(value, 7)))
    if axis.limits and axis.limits[0] < axis.limits[1]:
        limit(*axis.limits)
    elif axis.zero and axis.log:
        # A bar of one row is seen, too.
        low, high = (axes.get_xlim if which == "x" else axes.get_ylim)()
        limit(min(low, 0.8), high)
    elif axis.zero:
        low, high = (axes.get_xlim if which == "x" else axes.get_ylim)()
        low = min(0.0, low) if low < 0 and _reaches_below(axes, which) else 0.0
        limit(low, high if high > low else low + 1)


def _date_words(dates: Any, locator: Any) -> Any:
    """Return what writes dates short, with the year where it changes."""
    return dates.ConciseDateFormatter(
        locator, formats=["%Y", "%b", "%d", "%H:%M", "%H:%M", "%S.%f"],
        zero_formats=["", "%Y", "%d %b", "%d %b", "%H:%M", "%H:%M"], show_offset=True,
    )  # fmt: skip


def _reaches_below(axes: Any, which: str) -> bool:
    """Return whether something is below zero, or no bar is there to begin."""
    box = axes.dataLim
    return bool((box.x0 if which == "x" else box.y0) < 0)


def _every(labels: list[str], panels: int) -> int:
    """Return which of the labels side by side have room: each, every second ..."""
    widest = max((len(line) for one in labels for line in one.split("\n")), default=1)
    room = 120 / panels / max(1, len(labels))
    return max(1, math.ceil((widest + 2) / room))


def _legend(figure: Any, drawing: Drawing) -> None:
    """Say what the colours stand for, in a line below the title or beside the panels."""
    if not drawing.legend:
        return
    found: dict[str, Any] = {}
    for axes in figure.axes:
        handles, labels = axes.get_legend_handles_labels()
        for handle, label in zip(handles, labels, strict=True):
            found.setdefault(label, handle)
    if not found:
        return
    order = {_label(mark.label): at for panel in drawing.panels for at, mark in enumerate(panel.marks) if mark.label}
    labels = sorted(found, key=lambda label: order.get(label, 0)) if len(drawing.panels) == 1 else list(found)
    made = figure.legend(
        [found[label] for label in labels], labels, loc="outside right upper", title=_label(drawing.legend, 24),
        alignment="left", handlelength=3.2,
    )  # fmt: skip
    for handle in made.legend_handles:
        handle.set_alpha(1)
        if hasattr(handle, "set_markersize"):
            handle.set_markersize(7)
