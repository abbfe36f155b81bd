"""One row of a source, and one of a saved table, found without reading either.

A run leaves an index in its dataset folder. `row-sources.csv` and `left-out.csv` list rows as runs of at most ten
thousand, with the lines of the first and the last: from the one to the other the file is split, and if there are as
many records as rows, the one that is looked for is known by its number. `run.json` says how the source was read, and on
which byte of a saved table each part of its rows begins. So a cell costs a checksum of its source, which says that it
is still the same, and a look at some thousand lines.

What is not plain has no such index and is found by reading: sources in another encoding, workbooks, JSON.
"""

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from comb.errors import CombError
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels import dispatch
from comb.kernels.types import Dialect
from comb.reading.delimited.record_at import record_between
from comb.reading.io.source_file import HeldSource
from comb.reading.load import load_table
from comb.reading.schema.cells_file import apply_cells
from comb.reading.schema.csvw import read_schema
from comb.reading.source_texts import names_in, plain_text
from comb.steps.accounting import shown_cell
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable
from comb.writing.delimited import STANDARD, rows_text

# A place in a text: its file, and the line.
LINE = lazy_pattern(r"(.*, line )([0-9]+)")

# What the cells file says of a missing cell.
_LISTED = ("column", "reason", "text")

# How tables in a dataset folder are written.
_SAVED = Dialect(STANDARD.delimiter, '"', "")


class SourceRow(NamedTuple):
    """A row of a source: where it stands, and its fields as they are written, by column."""

    place: str
    texts: Mapping[str, str]

    def text(self, column: str) -> str | None:
        """Return the text of a cell, empty for blanks; None where it may have been disarmed."""
        return plain_text(self.texts[column])


def run_record(folder: Path) -> dict[str, Any]:
    """Return what `run.json` says; nothing of one that is not there or was changed."""
    try:
        record = json.loads((folder / "run.json").read_bytes())
    except (OSError, ValueError):
        return {}
    return record if isinstance(record, dict) else {}


def source_row(
    path: Path, options: ReadOptions, read: Mapping[str, Any], run: Mapping[str, str], number: int
) -> SourceRow | None:
    """Find a row in a delimited text, which is known to be as it was read.

    Parameters
    ----------
    path : Path
    options : ReadOptions
        What the plan says of how it is read.
    read : mapping
        What `run.json` says of it: encoding, delimiter, quote.
    run : mapping of str to str
        The line of a file of the record that tells of the row.
    number : int
        Of the row.

    Returns
    -------
    SourceRow or None
        None where it takes more to find it.
    """
    if not {"encoding", "delimiter", "quote"} <= read.keys():
        return None
    first, last = (LINE.fullmatch(run.get(place) or run["place"]) for place in ("place", "last_place"))
    begin = int(run.get("row") or run["source_row"])
    end = int(run.get("last_row") or begin)
    if first is None or last is None or first[1] != last[1]:
        return None
    known = options.replace(**{key: read[key] for key in ("encoding", "delimiter", "quote")})
    lines = int(first[2]), int(last[2])
    try:
        names = names_in(path, known)
        found = record_between(path, known, lines, end - begin + 1, number - begin, len(names))
    except (CombError, OSError):
        return None
    return None if found is None else SourceRow(f"{first[1]}{found.line}", dict(zip(names, found.fields, strict=True)))


class SavedRow:
    """A row of a table in a dataset folder.

    Parameters
    ----------
    folder : Path
    name : str
        Of the table.
    index : mapping
        What `run.json` says of it.
    number : int
        Of its record, from 1.
    """

    def __init__(self, folder: Path, name: str, index: Mapping[str, Any], number: int) -> None:
        self._folder, self._name, self._number = folder, name, number
        self.table = self._read(index)

    def __contains__(self, column: str) -> bool:
        return self.table is not None and column in self.table

    def shown(self, column: str) -> str | None:
        """Return a cell as people read it; None where that is not known without reading the table."""
        if self.table is None or column not in self.table:
            return None
        return shown_cell(self.table[column], 0)

    def _read(self, index: Mapping[str, Any]) -> BareTable | None:
        """Read the row, as the table is described; None where the file is not as the index says."""
        file = self._folder / f"{self._name}.csv"
        try:
            begins, size, rows = index["parts_begin"], index["bytes"], index["rows_per_part"]
            part, before = divmod(self._number - 1, rows)
            if file.stat().st_size != size:
                return None
            with file.open("rb") as stream:
                header = stream.read(begins[0])
                stream.seek(begins[part])
                data = stream.read((begins[part + 1] if part + 1 < len(begins) else size) - begins[part])
            width = len(dispatch.kernels.split(header, _SAVED, 1, single=True, most=1).row(0))
            data = data[_end_of(data, before, width) :]
            data = data[: _end_of(data, 1, width)]
            described = f"{file}-metadata.json"
            table = load_table(HeldSource(file.name, header + data), ReadOptions(schema=described))
            return self._with_reasons(table, Path(described)) if table.row_count == 1 else None
        except (CombError, OSError, LookupError, TypeError, ZeroDivisionError):
            return None

    def _with_reasons(self, table: BareTable, described: Path) -> BareTable:
        """Say why cells of the row are missing, and what was kept of them: the cells file lists what is not blank."""
        file = self._folder / f"{self._name}-cells.csv"
        if not file.is_file() or not any(column.missing_count for column in table.columns.values()):
            return table
        types = {"record": "integer", **dict.fromkeys(_LISTED, "string")}
        lines = load_table(file, ReadOptions(columns=list(types), types=types, missing=[], known_words=False))
        record = lines["record"]
        here = lines._take(np.flatnonzero(record.present & (record.array == self._number)))
        # Of this table, it is the first record.
        cells = [
            ["1", *(text or "" for text in texts)]
            for texts in zip(*(here[one].texts() for one in _LISTED), strict=True)
        ]
        schema = read_schema(described.read_text(encoding="utf-8"), described.name, f"{self._name}.csv")
        columns, disarmed = dict(table.columns), schema is not None and schema.disarmed
        apply_cells(columns, rows_text([["record", *_LISTED], *cells]), file.name, disarmed=disarmed)
        return table._derive(columns)


def _end_of(data: bytes, records: int, width: int) -> int:
    """Return the byte behind the first records of a text that Comb wrote."""
    if not records:
        return 0
    block = dispatch.kernels.split(data, _SAVED, width, single=True, most=records)
    if len(block) != records:
        raise LookupError(f"there are {len(block)} records, not {records}")
    return int(block.after)
