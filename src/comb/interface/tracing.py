"""Trace a cell of a dataset folder or a plan: `comb.trace`."""

from pathlib import Path

from comb.interface.shown.histories import Traces
from comb.plans.tracing import trace_place
from comb.reading.io.source_file import check_path, path_of
from comb.tables.table import check_whole


def trace(place: str | Path, row: int, column: str, *, table: str | None = None) -> Traces:
    """Tell the history of a cell of a dataset folder, or of what a plan makes.

    Parameters
    ----------
    place : str or Path
        A folder that `comb run` has made, or a plan.
    row : int
        The row number in the source.
    column : str
    table : str, optional
        The table of the plan, where it has several.

    Returns
    -------
    list of Trace
        One for each cell that the row became in this column. Cost: of a folder, the record and one column of the
        source are read; of a plan, and where rows were numbered anew, the plan is run once more without writing.

    Raises
    ------
    CombError
        If there is no such folder, table, row or column.
    """
    place = path_of(place)
    check_path(place)
    check_whole(row)
    return Traces(trace_place(Path(place), row, column, table))
