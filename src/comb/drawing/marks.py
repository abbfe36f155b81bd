"""What a picture is made of, before anybody draws it: panels with marks, axes, a sentence, a caption, the numbers.

Nothing here knows Matplotlib. The kinds of pictures are functions from a table to a `Drawing` (`kinds`), and one
module draws it (`render`).
"""

from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.tables.table import BareTable

Floats = NDArray[np.float64]

# The style of what is drawn faintly, behind the rest.
FAINT = -1


class Mark(msgspec.Struct, frozen=True):
    """One thing in a panel.

    Attributes
    ----------
    kind : {"bars", "steps", "line", "points", "boxes", "grid", "curve"}
        Bars and steps stand on x (of a histogram their edges), with heights y.
    x, y : float64 arrays
    label : str
        For the legend; empty for none.
    style : int
        The number of the colour and mark; `FAINT` for what stands behind.
    low, high : float64 arrays
        The ends of error bars, or of the lower and upper quartile of boxes.
    ends : pair of float64 arrays, optional
        Of boxes: the ends of the whiskers.
    grid : 2-d float64 array, optional
        Of a grid: what each cell is coloured by; x and y are its edges.
    slot : (int, int)
        Of bars and boxes side by side: which one, from 0, of how many.
    """

    kind: Literal["bars", "steps", "line", "points", "boxes", "grid", "curve"]
    x: Floats
    y: Floats
    label: str = ""
    style: int = 0
    low: Floats | None = None
    high: Floats | None = None
    ends: tuple[Floats, Floats] | None = None
    grid: Floats | None = None
    slot: tuple[int, int] = (0, 1)


class Panel(msgspec.Struct, frozen=True):
    """One of the small pictures, or the only one."""

    marks: list[Mark]
    title: str = ""
    note: str = ""


class Axis(msgspec.Struct, frozen=True):
    """An axis.

    Attributes
    ----------
    label : str
    kind : {"number", "whole", "date", "hours", "groups", "months"}
    log : bool
    limits : pair of float, optional
    labels : tuple of str
        Of an axis of groups, at 0, 1, 2 ...
    zero : bool
        Whether it begins at zero, because heights are compared.
    """

    label: str = ""
    kind: Literal["number", "whole", "date", "hours", "groups", "months"] = "number"
    log: bool = False
    limits: tuple[float, float] | None = None
    labels: tuple[str, ...] = ()
    zero: bool = False


class Drawing(msgspec.Struct, frozen=True):
    """A picture, ready to be drawn.

    Attributes
    ----------
    panels : list of Panel
    x, y : Axis
        Where `sideways` is true, x is the axis upwards: long labels of groups stand beside their bars.
    title : str
        A sentence.
    caption : str
        n, what was left out, the source.
    data : BareTable
        The numbers behind it.
    sideways : bool
    legend : str
        What the colours stand for: the column.
    scale : str
        What the colours of a grid stand for.
    """

    panels: list[Panel]
    x: Axis
    y: Axis
    title: str
    caption: str
    data: BareTable
    sideways: bool = False
    legend: str = ""
    scale: str = ""
