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
    if len(grids) == 1:
        return Stacked(first, np.zeros(0, np.int64))
    for grid, name in zip(grids[1:], names[1:], strict=True):
        _check_columns(grid, first, names[0], name)
    whole = replace(
        first,
        pieces={title: [piece for grid in grids for piece in grid.pieces[title]] for title in first.pieces},
        lines=np.concatenate([grid.lines for grid in grids]),
        notes=[f"{name}: {note}" for grid, name in zip(grids, names, strict=True) for note in grid.notes],
    )
    return Stacked(whole, np.repeat(np.arange(len(grids)), list(map(len, grids))))


def _check_columns(grid: Grid, first: Grid, first_name: str, name: str) -> None:
    """Raise a ContentError unless the columns of a grid are those of the first, in any order."""
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
