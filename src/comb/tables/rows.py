"""The rows of a table, one after the other, for code that works row by row.

A row is a tuple that knows the names of its cells, so that `row["net kg"]`, `row.apiary`, `row[0]` and
`apiary, colony = row` all work. Each table has a class of its own for its rows, made once, which is why a row costs
little more than its cells do.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, ClassVar

from comb.errors import ColumnError, unknown_name
from comb.execution.storage import blocks_of
from comb.tables.collect import slice_of
from comb.tables.column import Column

# Rows that are made into Python values at once: no more of them are in memory.
ROWS_AT_ONCE = 10_000


class Row(tuple[Any, ...]):
    """The cells of one row: a tuple in the order of the columns, whose cells have names.

    >>> row = row_class(["apiary", "net kg"])(["Mill", 31.5])
    >>> row.apiary, row["net kg"], row[1], dict(row)
    ('Mill', 31.5, 31.5, {'apiary': 'Mill', 'net kg': 31.5})
    """

    __slots__ = ()

    _names: ClassVar[tuple[str, ...]] = ()
    _places: ClassVar[Mapping[str, int]] = {}

    def __getitem__(self, key: Any) -> Any:
        if isinstance(key, str):
            if key not in self._places:
                what, remedy = unknown_name("column", key, self._names)
                raise ColumnError(what, remedy=remedy)
            key = self._places[key]
        return tuple.__getitem__(self, key)

    def __getattr__(self, name: str) -> Any:
        if name in self._places:
            return tuple.__getitem__(self, self._places[name])
        what, remedy = unknown_name("column", name, self._names)
        raise AttributeError(f"{what}; {remedy}")

    def keys(self) -> tuple[str, ...]:
        """Return the names of the columns, so that `dict(row)` is what one expects."""
        return self._names

    def __repr__(self) -> str:
        return f"Row({', '.join(f'{name}={value!r}' for name, value in zip(self._names, self, strict=True))})"

    def __reduce__(self) -> tuple[Any, ...]:
        return _row_of, (self._names, tuple(self))


def row_class(names: Sequence[str]) -> type[Row]:
    """Return the class for the rows of a table with some columns."""
    body = {"__slots__": (), "_names": tuple(names), "_places": {name: at for at, name in enumerate(names)}}
    return type("Row", (Row,), body)


def _row_of(names: tuple[str, ...], cells: tuple[Any, ...]) -> Row:
    return row_class(names)(cells)


def rows_of(columns: Mapping[str, Column], row_count: int) -> Iterator[Row]:
    """Make the rows of some columns, a few at a time.

    Parameters
    ----------
    columns : mapping of str to Column
    row_count : int

    Yields
    ------
    Row
        With Python values, None where missing.
    """
    make = row_class(list(columns))
    for part in blocks_of(row_count, ROWS_AT_ONCE):
        cells = [slice_of(column, part).to_list() for column in columns.values()]
        yield from map(make, zip(*cells, strict=True) if cells else ((),) * (part.stop - part.start))
