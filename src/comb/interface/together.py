"""Several tables profiled together."""

from collections.abc import Mapping
from datetime import date

from comb.errors import ParameterError
from comb.interface.table import Table
from comb.profiling.related import Together, related


def profile_together(tables: Mapping[str, Table], *, as_of: str | date | None = None) -> Together:
    """Profile several tables, and find what refers to what among them.

    Parameters
    ----------
    tables : mapping of str to Table
        By the names they are reported by.
    as_of : str or date, optional
        The day that counts as today.

    Returns
    -------
    Together
        With a profile of each table. Keys without a partner are findings of the table that refers to them.

    Raises
    ------
    ParameterError
        For fewer than two tables.

    >>> import comb
    >>> boxes = comb.table(columns={"box": ["A1", "B2", "C3"], "place": ["Mill", "Mill", "Fox"]})
    >>> visits = comb.table(columns={"visit": [1, 2, 3, 4], "box": ["A1", "A1", "C3", "D4"]})
    >>> print(*comb.profile_together({"visits": visits, "boxes": boxes}).links)
    visits.box refers to boxes.box: 3 rows have a partner, 1 have none; 1 row of boxes is never referred to
    """
    if len(tables) < 2:
        raise ParameterError(f"expected two tables or more, got {len(tables)}", remedy="one table: table.profile()")
    return related(tables, {name: table.profile(as_of=as_of) for name, table in tables.items()})
