"""The function that makes a table of what is in Python already: values, rows, arrays, the result of a query."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, cast

import numpy as np

from comb.errors import ContentError, ParameterError
from comb.execution.resources import DEFAULT
from comb.interface.table import Table
from comb.interface.table_like import HasArrow
from comb.tables.from_python import column_of, columns_of_rows, infinite_notes, is_cells, mixed_note
from comb.tables.names import unique_names
from comb.tables.origin import BY_HAND, Origin
from comb.tables.table import BareTable

# Rows that a cursor is asked for at once.
ROWS_AT_ONCE = 10_000

# What the result of a query is called. Nobody typed it: values of several kinds in a column become text there.
QUERY = Origin("the result of a query")
ARROW = Origin("Arrow data")

_EXAMPLES = "for instance table({'kg': [1.5, None]}), or table(rows=[['Mill', 3]], names=['apiary', 'mites'])"


def table(
    data: Any = None,
    *,
    columns: Mapping[str, Iterable[Any]] | None = None,
    rows: Iterable[Any] | None = None,
    names: Sequence[str] | None = None,
) -> Table:
    """Make a table of what is in Python already.

    Parameters
    ----------
    data : object, optional
        Values by column, or rows, whichever it is: a mapping of lists or arrays; a list or generator of dicts,
        dataclasses, named tuples or, with `names`, lists; a NumPy array that is structured or has two dimensions; a
        cursor of a database (DB-API 2) after a query; anything that gives Arrow data (``__arrow_c_stream__``).
    columns : mapping of str to iterable
        Values by column: lists, generators, NumPy arrays, also masked, or columns of other tables; or
    rows, names
        Rows, and the column names where the rows do not say them.

    Returns
    -------
    Table
        Types follow from the values; None is missing, ``blank``, a key that a dict does not have ``absent``.

    Raises
    ------
    ColumnError
        If columns or rows differ in length.
    ParameterError
        If a column mixes kinds of values.

    >>> table({"colony": ["0101", "0102"], "mites": [3, None]}).types["mites"].word
    'integer'
    >>> table([{"colony": "0101", "mites": 3}, {"colony": "0102"}])["mites"].reasons()
    [None, 'absent']
    """
    if [data is None, columns is None, rows is None].count(False) != 1:
        raise ParameterError("expected either columns or rows with names", remedy=_EXAMPLES)
    if data is not None:
        if isinstance(data, BareTable):
            return data if isinstance(data, Table) else Table._adopt(data)
        if isinstance(data, Mapping):
            columns = data
        else:
            rows = data
    if isinstance(rows, np.ndarray):
        return _of_columns(_columns_of_array(rows, names))
    if rows is not None and hasattr(rows, "__arrow_c_stream__"):
        return _of_arrow(cast(HasArrow, rows))
    if rows is not None and callable(getattr(rows, "fetchmany", None)):
        return _of_columns(_columns_of_cursor(rows, names), origin=QUERY)
    if rows is not None:
        if not is_cells(rows):
            raise ParameterError(f"expected rows, got {type(rows).__name__}", remedy=_EXAMPLES)
        return _of_columns(columns_of_rows(rows, names))
    if not isinstance(columns, Mapping) or not all(is_cells(cells) for cells in columns.values()):
        raise ParameterError(f"expected lists of values by column, got {columns!r}", remedy=_EXAMPLES)
    if names is not None:
        raise ParameterError("names are for rows: columns have theirs as keys", remedy=_EXAMPLES)
    return _of_columns(columns)


def _of_columns(columns: Mapping[str, Any], *, origin: Origin = BY_HAND) -> Table:
    mixed_as_text = origin is QUERY
    for name in columns:
        if not isinstance(name, str):
            raise ParameterError(f"expected names of columns as keys, got {name!r}", remedy="make them texts")
    made = {name: column_of(name, cells, mixed_as_text=mixed_as_text) for name, cells in columns.items()}
    mixed = [mixed_note(name, columns[name], column) for name, column in made.items()] if mixed_as_text else []
    notes = (*filter(None, mixed), *infinite_notes(made))
    return Table(made, origin=origin, notes=notes, storage=DEFAULT.storage)


def _of_arrow(source: HasArrow) -> Table:
    """Take a table from another library by Arrow's protocol."""
    from comb.kernels.arrow import structures
    from comb.tables.arrow_import import imported

    structs = structures()
    try:
        field, batches = structs.read_stream(source.__arrow_c_stream__())
    except ValueError as error:
        raise ContentError(f"the Arrow data cannot be read: {error}") from None
    columns, count, notes = imported(field, batches, structs.view)
    numbers = np.arange(1, count + 1)
    bare = BareTable(columns, row_numbers=numbers, origin=ARROW, notes=tuple(notes), storage=DEFAULT.storage)
    return Table._adopt(bare)


def _columns_of_array(array: np.ndarray[Any, Any], names: Sequence[str] | None) -> dict[str, Any]:
    """Return the columns of a structured array, or of one with two dimensions."""
    if array.dtype.names is not None:
        if names is not None and len(names) != len(array.dtype.names):
            raise ParameterError(f"expected {len(array.dtype.names)} names, got {len(names)}")
        return {name: array[field] for name, field in zip(names or array.dtype.names, array.dtype.names, strict=True)}
    if array.ndim != 2:
        raise ParameterError(
            f"expected an array of rows and columns, got one of {array.ndim} dimensions",
            remedy="for one column: table({'kg': array})",
        )
    width = array.shape[1]
    if names is not None and len(names) != width:
        raise ParameterError(f"expected {width} names, got {len(names)}")
    titles = unique_names(names if names is not None else [""] * width)
    return {title: array[:, at] for at, title in enumerate(titles)}


def _columns_of_cursor(cursor: Any, names: Sequence[str] | None) -> dict[str, list[Any]]:
    """Fetch what a query found."""
    if getattr(cursor, "description", None) is None:
        raise ParameterError("the cursor has no result", remedy="execute a query with it that gives rows first")
    titles = unique_names(names if names is not None else [str(one[0]) for one in cursor.description])
    cells: dict[str, list[Any]] = {title: [] for title in titles}
    for rows in _fetched(cursor):
        for title, column in zip(titles, zip(*rows, strict=True), strict=True):
            cells[title].extend(column)
    return cells


def _fetched(cursor: Any) -> Iterator[Sequence[Sequence[Any]]]:
    while rows := cursor.fetchmany(ROWS_AT_ONCE):
        yield rows
