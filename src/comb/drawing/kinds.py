"""The kinds of pictures: from a table to a drawing, with the numbers behind it. Pure."""

from collections.abc import Callable

from msgspec.structs import replace

from comb.drawing.bars import bars
from comb.drawing.lines import lines
from comb.drawing.marks import Drawing
from comb.drawing.missing import missing_cells
from comb.drawing.request import PictureRequest
from comb.drawing.scatter import scatter
from comb.drawing.selection import Selection
from comb.drawing.spread import boxes, histogram
from comb.tables.table import BareTable

_KINDS: dict[str, Callable[[Selection, PictureRequest], Drawing]] = {
    "histogram": histogram, "bars": bars, "lines": lines, "scatter": scatter, "boxes": boxes, "missing": missing_cells,
}  # fmt: skip


def drawing_of(table: BareTable, request: PictureRequest) -> Drawing:
    """Return what a picture shows.

    Parameters
    ----------
    table : BareTable
    request : PictureRequest

    Returns
    -------
    Drawing
        Cost: a few passes over the columns that are drawn.

    Raises
    ------
    ParameterError, ColumnError, ExpressionError
        For what cannot be drawn so, with the nearest that can.
    """
    request.check()
    selection = Selection.of(table, request)
    drawing = _KINDS[request.kind](selection, request)
    if not selection.table.row_count and request.kind != "missing":
        drawing = replace(drawing, title=f"There is nothing to draw: {'; '.join(selection.told) or 'no rows'}")
    return replace(drawing, title=request.title) if request.title else drawing
