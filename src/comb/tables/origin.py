"""Where a table came from and how it was read."""

from collections import Counter
from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import counted, washed
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.tables.read_options import ReadOptions
from comb.tables.text import Text

# What tables are called whose rows come from no source.
MADE = "made from "

# The kind of a source that is a delimited text.
DELIMITED = "delimited text"


class SourceLine(msgspec.Struct, frozen=True):
    """A line, row or column of a source that is not part of its table.

    Attributes
    ----------
    place : str
        Where it is: ``line 7``, ``Spring!B12:H12``.
    reason : str
        Why it was set aside.
    cells : tuple of str
        What it contains.
    """

    place: str
    reason: str
    cells: tuple[str, ...]


class WrongTotal(msgspec.Struct, frozen=True):
    """A total in a source that its parts do not add up to.

    Attributes
    ----------
    place : str
        Where it is: ``Spring!B12``.
    column : str
    given, parts : str
        The number that is there, and the sum of its parts.
    """

    place: str
    column: str
    given: str
    parts: str


class SourceAccount(msgspec.Struct, frozen=True):
    """What became of the lines of a source: every one is a row, or was taken off for a reason.

    Attributes
    ----------
    unit : str
        What is counted: ``line``, ``row``, ``record``.
    read, rows : int
        How many there were, and the rows that came of them.
    left_out, set_aside : dict of str to int
        What was taken off, by what it was; what is set aside is kept with its cells.
    added : int
        Rows that were made of more than one in a line.
    """

    unit: str
    read: int
    rows: int
    left_out: dict[str, int] = msgspec.field(default_factory=dict)
    set_aside: dict[str, int] = msgspec.field(default_factory=dict)
    added: int = 0

    @property
    def says(self) -> str:
        """The account in a line."""
        parts = [f"{counted(self.rows, 'row')}"]
        parts += [f"{count:,} {what}" for what, count in (*self.left_out.items(), *self.set_aside.items()) if count]
        return f"{counted(self.read, self.unit)} read: {', '.join(parts)}"


def in_total(accounts: Sequence[SourceAccount | None]) -> SourceAccount | None:
    """Add up the accounts of sources that are read as one; None if one of them has none."""
    known = [one for one in accounts if one is not None]
    if not known or len(known) < len(accounts):
        return None
    left_out, aside = Counter[str](), Counter[str]()
    for one in known:
        left_out.update(one.left_out)
        aside.update(one.set_aside)
    return SourceAccount(
        known[0].unit, sum(one.read for one in known), sum(one.rows for one in known), dict(left_out), dict(aside),
        sum(one.added for one in known),
    )  # fmt: skip


class Origin(msgspec.Struct, frozen=True, eq=False):
    """The source of a table. All of it is said by the reader; nothing is looked up here.

    Attributes
    ----------
    name : str
        What to call the source in messages: the file's name.
    path : str
        Where it was found; empty for a table typed in by hand, and for a list of files.
    size : int
        Bytes.
    modified : str
        When the source was last changed, as ISO 8601 in UTC.
    checksum : str
        BLAKE3 of the bytes, in hexadecimal.
    options : ReadOptions
        How it was read; by these it is read again in the same way.
    kind : str
        What it was: delimited text, a workbook, JSON; empty for a table typed in by hand.
    lines : integer array
        The line each record began on; empty where there are no lines.
    sources : tuple of str
        The names of the files, where several were read as one table.
    source_index : int64 array
        The file of each record, from 0; empty where there is one.
    places : tuple of str
        How a place is said, with braces for the number; one for each source.
    cell_places : tuple of dict of str to str
        The same for single cells, by the name the column had in the source; one for each source, or none.
    violations : tuple of (int, str, str)
        Row number, column and what is wrong, for all cells that are not as a schema demands.
    titles, footers : tuple of str
        What was above and below the table.
    set_aside : tuple of SourceLine
        What of the table is not among its rows: totals, lines that are not records.
    bad_bytes : tuple of (int, str)
        Bytes that are not text: the line, and the bytes in hexadecimal.
    paths : tuple of str
        Where the files of a list were found.
    wrong_totals : tuple of WrongTotal
    account : SourceAccount, optional
        What became of its lines.
    required : tuple of str
        Columns of which its schema demands that no cell is missing.
    """

    name: str
    path: str = ""
    size: int = 0
    modified: str = ""
    checksum: str = ""
    options: ReadOptions = msgspec.field(default_factory=ReadOptions)
    kind: str = ""
    lines: NDArray[np.integer[Any]] = msgspec.field(default_factory=lambda: np.zeros(0, np.int64))
    sources: tuple[str, ...] = ()
    source_index: Codes = msgspec.field(default_factory=lambda: np.zeros(0, np.int64))
    places: tuple[str, ...] = ("line {}",)
    cell_places: tuple[dict[str, str], ...] = ()
    violations: tuple[tuple[int, str, str], ...] = ()
    titles: tuple[str, ...] = ()
    footers: tuple[str, ...] = ()
    set_aside: tuple[SourceLine, ...] = ()
    bad_bytes: tuple[tuple[int, str], ...] = ()
    paths: tuple[str, ...] = ()
    wrong_totals: tuple[WrongTotal, ...] = ()
    account: SourceAccount | None = None
    required: tuple[str, ...] = ()

    def __repr__(self) -> str:
        """Say what it is in a line.

        >>> Origin("visits.csv", size=1200, kind=DELIMITED)
        <Origin: visits.csv, delimited text, 1,200 bytes>
        """
        parts = [self.name, self.kind, counted(self.size, "byte") if self.size else "", f"of {self.modified}"]
        said = ", ".join(part for part in parts if part not in ("", "of "))
        return washed(f"<Origin: {said}{f'; {self.account.says}' if self.account else ''}>")

    @property
    def source(self) -> str | list[str]:
        """The path, or those of a list of files: by this the table is loaded again."""
        return list(self.paths) or self.path

    def place(self, row_number: int, column: str | None = None) -> str:
        """Say where a record stood, or one of its cells.

        >>> Origin("visits.csv", lines=np.array([2, 5])).place(2)
        'visits.csv, line 5'
        >>> Origin("visits.xlsx", lines=np.array([2, 5]), cell_places=({"mites": "May!D{}"},)).place(2, "mites")
        'visits.xlsx, May!D5'
        """
        if 1 <= row_number <= len(self.lines):
            at = row_number - 1
            source = int(self.source_index[at]) if self.sources else 0
            name = self.sources[source] if self.sources else self.name
            return f"{name}, {self._form(source, column).replace('{}', str(self.lines[at]))}"
        if not row_number:
            return f"nowhere in {self.name}: the row was added by a step"
        return f"{self.name}, row {row_number}"

    def places_of(self, row_numbers: Codes, column: str | None = None) -> list[str]:
        """Say where several records stood, or their cells of a column; as `place` does for one.

        >>> Origin("visits.csv", lines=np.array([2, 5])).places_of(np.array([2, 1, 9]))
        ['visits.csv, line 5', 'visits.csv, line 2', 'visits.csv, row 9']
        """
        return self.place_texts(row_numbers, column).to_list()

    def place_texts(self, row_numbers: Codes, column: str | None = None) -> Text:
        """Return the places of several records, or of their cells of a column; quick where all are of one form."""
        count = len(self.lines)
        if not count or len(self.sources) > 1 or row_numbers.max(initial=0) > count or row_numbers.min(initial=1) < 1:
            return Text.from_items([self.place(number, column) for number in row_numbers.tolist()])
        before, braces, behind = self._form(0, column).partition("{}")
        before = f"{self.sources[0] if self.sources else self.name}, {before}"
        if not braces:
            return Text.from_items([before], np.zeros(len(row_numbers), np.int64))
        lines = self.lines[row_numbers - 1].astype(np.int64, copy=False)
        return Text(*dispatch.kernels.write_between(before, lines, behind))

    def _form(self, source: int, column: str | None) -> str:
        """Return how a place in a source is said, with braces for the number."""
        form = self.places[min(source, len(self.places) - 1)]
        if column is not None and self.cell_places:
            return self.cell_places[min(source, len(self.cell_places) - 1)].get(column, form)
        return form


def origin_below(parts: Sequence[tuple[Origin, Codes]], name: str) -> Origin:
    """Return the origin of rows of several tables below each other, which are numbered from 1.

    Parameters
    ----------
    parts : sequence of (Origin, int64 array)
        Of each table its origin, and the row numbers of its rows.
    name : str
    """
    names: list[str] = []
    lines, index, places, cell_places = [], [], [], []
    for origin, rows in parts:
        known = (rows >= 1) & (rows <= len(origin.lines))
        at = np.where(known, rows - 1, 0)
        held = len(origin.lines) > 0
        lines.append(np.where(known, origin.lines[at], rows) if held else rows)
        index.append(
            (origin.source_index[at] if origin.sources and held else np.zeros(len(rows), np.int64)) + len(names)
        )
        here = origin.sources or (origin.name,)
        forms = origin.places if held else ("row {}",)
        names += here
        places += [forms[min(number, len(forms) - 1)] for number in range(len(here))]
        cells = origin.cell_places or ({},)
        cell_places += [cells[min(number, len(cells) - 1)] for number in range(len(here))]
    return Origin(
        name,
        checksum=parts[0][0].checksum,
        lines=np.concatenate(lines),
        sources=tuple(names),
        source_index=np.concatenate(index),
        places=tuple(places),
        cell_places=tuple(cell_places),
    )


BY_HAND = Origin("table typed in by hand")
