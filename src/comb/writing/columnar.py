"""A table as a Parquet or Arrow file: given to pyarrow by Arrow's protocol, and written by it."""

from typing import Any

from comb.errors import ParameterError
from comb.kernels.arrow import structures
from comb.tables.arrow_export import exported
from comb.tables.table import BareTable


class _Given:
    """A table that gives its data by Arrow's protocol."""

    def __init__(self, table: BareTable) -> None:
        self._table = table

    def __arrow_c_stream__(self, requested_schema: Any = None) -> Any:
        field, array = exported(self._table.columns, self._table.row_count)
        return structures().stream_capsule(field, [array])


def columnar_bytes(table: BareTable, kind: str) -> bytes:
    """Return the content of a file.

    Parameters
    ----------
    table : BareTable
    kind : str
        ``.parquet`` or ``.arrow``.

    Raises
    ------
    ParameterError
        If pyarrow is not installed.
    """
    try:
        import pyarrow  # type: ignore[import-untyped]
        from pyarrow import ipc, parquet
    except ImportError:
        raise ParameterError(
            f"a {kind} file is written by pyarrow, which is not installed",
            remedy="pip install 'comb-tables[parquet]'",
        ) from None
    given = pyarrow.table(_Given(table))
    sink = pyarrow.BufferOutputStream()
    if kind == ".parquet":
        parquet.write_table(given, sink)
    else:
        with ipc.new_file(sink, given.schema) as writer:
            writer.write_table(given)
    return bytes(sink.getvalue())
