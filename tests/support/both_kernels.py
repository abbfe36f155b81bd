"""Everything that loading finds out, by either kernels."""

import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np

from comb.errors import CombError
from comb.execution.resources import Resources
from comb.kernels import dispatch
from comb.kernels.reference.kernels import ReferenceKernels
from comb.reading.load import load_table
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable


@contextmanager
def reference() -> Iterator[None]:
    before, dispatch.kernels = dispatch.kernels, ReferenceKernels()
    try:
        yield
    finally:
        dispatch.kernels = before


def bits(values: np.ndarray) -> list[bytes]:
    return [struct.pack("d", value) if isinstance(value, float) else str(value).encode() for value in values.tolist()]


def facts(table: BareTable) -> dict[str, object]:
    """Everything that loading found out."""
    columns = {
        name: (
            str(column.type.in_full),
            [text if isinstance(text, str) else bits(np.array([text])) if isinstance(text, float) else text for text in column.to_list()],
            column.reasons(),
            dict(column.kept.texts),
            repr(column.evidence),
            column.evidence and column.evidence.missing,
            column.description,
        )
        for name, column in table.columns.items()
    }  # fmt: skip
    origin = table.origin
    around = (origin.options, origin.kind, origin.titles, origin.footers, origin.set_aside, origin.bad_bytes)
    return {**columns, "notes": table.notes, "lines": table.origin.lines.tolist(), "around": around, "sum": table.origin.checksum}  # fmt: skip


def outcome(path: Path, options: ReadOptions, resources: Resources) -> object:
    try:
        return facts(load_table(path, options, resources=resources))
    except CombError as error:
        return str(error)
