"""Parquet and Arrow files: one table with types, read by pyarrow and taken over by Arrow's protocol.

The formats are large, and pyarrow is the implementation that their makers keep; it is asked for when such a file comes
up, and is installed by the extra ``parquet``. Types, texts and missing cells come as they are in the file; where Comb
wrote it, reasons, categories and descriptions too.
"""

from collections.abc import Callable
from pathlib import PurePath
from typing import Any

from comb.errors import ContentError
from comb.formats.sniff import ARROW_START, PARQUET_START
from comb.kernels.arrow import structures
from comb.reading.column_rules import ColumnRules
from comb.reading.documents.model import Document, InnerTable, TableData
from comb.reading.documents.typed_columns import typed_table
from comb.tables.arrow_import import imported


def read_columnar(data: bytes, name: str) -> Document:
    """Open a Parquet or Arrow file.

    Raises
    ------
    ContentError
        If it is damaged, or pyarrow is not installed.
    """
    kind = "Parquet file" if data.startswith(PARQUET_START) else "Arrow file"
    read = _reader(data, name, kind)
    title = PurePath(name).stem

    def make(rules: ColumnRules) -> TableData:
        structs, stream = structures(), read().__arrow_c_stream__()
        try:
            field, batches = structs.read_stream(stream)
        except ValueError as error:
            raise _damaged(kind, name, error) from None
        columns, count, notes = imported(field, batches, structs.view)
        return typed_table(columns, count, rules, title, f"the {kind} says so", notes)

    table = InnerTable(title, "the whole file", make)
    return Document(kind, "its first bytes say so", (table,), lambda wanted: None)


def _reader(data: bytes, name: str, kind: str) -> Callable[[], Any]:
    """Return what reads the file with pyarrow."""
    try:
        import pyarrow  # type: ignore[import-untyped]
        from pyarrow import ipc, parquet
    except ImportError:
        raise ContentError(
            f"it is a {kind}, which is read by pyarrow, and that is not installed",
            where=name,
            remedy="pip install 'comb-tables[parquet]'",
        ) from None

    def read() -> Any:
        source = pyarrow.BufferReader(data)
        try:
            if kind == "Parquet file":
                return parquet.ParquetFile(source).read()
            opened = ipc.open_file(source) if data.startswith(ARROW_START) else ipc.open_stream(source)
            return opened.read_all()
        except (OSError, pyarrow.ArrowException) as error:
            raise _damaged(kind, name, error) from None

    return read


def _damaged(kind: str, name: str, error: BaseException) -> ContentError:
    return ContentError(f"the {kind} cannot be read: {str(error).splitlines()[0]}", where=name)
