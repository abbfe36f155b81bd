"""Several files of one shape become one grid. Pure: grids in, grid out."""

from dataclasses import dataclass, replace

import numpy as np

from comb.errors import ContentError, listing
from comb.kernels.coding import Codes
from comb.reading.delimited import Grid


@dataclass(frozen=True, slots=True)
class Stacked:
    """The grids of several sources, one below the other.

    Attributes
    ----------
    grid : Grid
    sources : int64 array
        The source of each row, from 0.
    """

    grid: Grid
    sources: Codes


def stack(grids: list[Grid], names: list[str]) -> Stacked:
    """Stack grids with the same columns; their order may differ.

    Parameters
    ----------
    grids : list of Grid
    names : list of str
        What to call each source.

    Raises
    ------
    ContentError
        If a source has other columns than the first, naming those.
    """
    first = grids[0]
    sources = np.repeat(np.arange(len(grids)), [len(grid.rows) for grid in grids])
    if len(grids) == 1:
        return Stacked(first, sources)
    ordered = [
        first,
        *(_ordered(grid, first, names[0], name) for grid, name in zip(grids[1:], names[1:], strict=True)),
    ]
    absent: dict[int, list[int]] = {}
    start = 0
    for grid in ordered:
        for column, rows in grid.absent.items():
            absent.setdefault(column, []).extend(start + row for row in rows)
        start += len(grid.rows)
    whole = replace(
        first,
        rows=[row for grid in ordered for row in grid.rows],
        lines=[line for grid in ordered for line in grid.lines],
        absent=absent,
        notes=[f"{name}: {note}" for grid, name in zip(grids, names, strict=True) for note in grid.notes],
    )
    return Stacked(whole, sources)


def _ordered(grid: Grid, first: Grid, first_name: str, name: str) -> Grid:
    """Bring the columns of a grid into the order of the first."""
    if grid.names == first.names:
        return grid
    if sorted(grid.names) != sorted(first.names):
        missing = [title for title in first.names if title not in grid.names]
        further = [title for title in grid.names if title not in first.names]
        parts = [f"without {listing(missing)}"] if missing else []
        parts += [f"with {listing(further)}"] if further else []
        raise ContentError(
            f"expected the columns of {first_name}, came others: {' and '.join(parts)}",
            where=name,
            remedy="files that are read as one table need the same columns; load them one by one",
        )
    order = [grid.names.index(title) for title in first.names]
    rows = [[row[at] for at in order] for row in grid.rows]
    absent = {order.index(column): rows_absent for column, rows_absent in grid.absent.items()}
    return replace(grid, names=first.names, rows=rows, absent=absent)
