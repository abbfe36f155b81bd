"""Tables that are kept in files although they are small, in blocks of very few rows."""

from pathlib import Path

import comb
from comb.execution.disk import DiskStorage
from comb.interface.table import Table


def storage_in(folder: Path, block_rows: int = 2) -> DiskStorage:
    """Return a storage that keeps every array in a file."""
    return DiskStorage(folder, 100_000_000, smallest=0, block_rows=block_rows, threads=2)


def kept_on_disk(table: comb.Table, storage: DiskStorage) -> Table:
    """Return a table whose columns are kept by a storage."""
    made = Table._adopt(table)
    made._storage = storage
    return made._stored()
