"""Recognise what has columns with types already: cursors of databases, tables of other libraries."""

from typing import Any, Protocol


class HasArrow(Protocol):
    """What gives its data by Arrow's protocol: the tables of many libraries."""

    def __arrow_c_stream__(self, requested_schema: Any = None) -> Any:
        """Return a capsule with a stream of record batches."""


class HasRows(Protocol):
    """A cursor of a database, after a query (DB-API 2)."""

    description: Any

    def fetchmany(self, size: int = ...) -> Any:
        """Return the next rows."""


HasTable = HasArrow | HasRows


def is_table_like(source: object) -> bool:
    """Return whether something has columns with types already: a cursor of a database, Arrow data."""
    return hasattr(source, "__arrow_c_stream__") or callable(getattr(source, "fetchmany", None))
