"""What a file holds, by the suffix of its name, and which files belong to it."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from blake3 import blake3

from comb.errors import ParameterError, WriteError, agree, counted, listing
from comb.reading.io.beside import BLAKE, MOST_DESCRIBED, checksum_of, is_plain_name, metadata_names, read_beside
from comb.reading.schema.csvw import companions_in, describes
from comb.steps.ledger import Entry
from comb.tables.table import BareTable
from comb.writing.atomic import Content
from comb.writing.cells_file import cells_bytes
from comb.writing.columnar import columnar_bytes
from comb.writing.compress import DELIMITERS, PACKINGS, pack
from comb.writing.csvw import codes_files, metadata_bytes
from comb.writing.database import database_bytes
from comb.writing.delimited import STANDARD, TextForm, csv_parts
from comb.writing.json_text import SUFFIXES as JSON_SUFFIXES
from comb.writing.json_text import json_parts
from comb.writing.office import office_bytes
from comb.writing.opendocument import opendocument_bytes
from comb.writing.sheets import sheets_of

WORKBOOKS = {".xlsx": office_bytes, ".ods": opendocument_bytes}
# What is text, and may be written to an open file of text.
TEXTS = (*DELIMITERS, *JSON_SUFFIXES)
DATABASES = (".sqlite", ".sqlite3", ".db")
COLUMNAR = (".parquet", ".arrow")

# What holds several tables in one file.
CONTAINERS = (*WORKBOOKS, *DATABASES)

# What is not compressed again.
_UNPACKED = (*CONTAINERS, *COLUMNAR)

# Options of each kind of file; one that is given for another kind is refused.
TEXT_OPTIONS = frozenset({"delimiter", "line_end", "encoding", "missing", "decimal_mark", "date_pattern", "disarm"})
JSON_OPTIONS = frozenset({"nested", "leave_missing_out"})


def file_kind(name: str) -> tuple[str, str]:
    """Take the kind of file and the packing from a name.

    >>> file_kind("visits.csv.gz"), file_kind("visits.xlsx")
    (('.csv', '.gz'), ('.xlsx', ''))

    Raises
    ------
    ParameterError
        If a table is not saved as such a file; it names those it is.
    """
    packing = next((suffix for suffix in PACKINGS if name.lower().endswith(suffix)), "")
    stem = name.lower().removesuffix(packing)
    kind = next((suffix for suffix in (*DELIMITERS, *JSON_SUFFIXES, *_UNPACKED) if stem.endswith(suffix)), "")
    if not kind or (packing and kind in _UNPACKED):
        kinds = ", ".join((*DELIMITERS, *JSON_SUFFIXES))
        raise ParameterError(
            f"expected a file that ends in one of {kinds}, with or without {', '.join(PACKINGS)}, "
            f"or in {', '.join(_UNPACKED)}; got {name!r}",
            remedy="a dataset folder is saved by a plan: table.plan() and save: FOLDER",
        )
    return kind, packing


def files_of(
    table: BareTable, name: str, options: Mapping[str, Any], *, describe: bool, taken: Sequence[Entry], threads: int = 1
) -> dict[str, Content]:
    """Return the content of a table's file, and of those that describe it, by name.

    Parameters
    ----------
    table : BareTable
    name : str
        Of the file; its suffix says what it is.
    options : mapping
        What was asked for besides; see `comb.interface.table.Table.save`.
    describe : bool
    taken : sequence of Entry
        The steps that led to the table.
    threads : int
    """
    kind, packing = file_kind(name)
    known = TEXT_OPTIONS if kind in DELIMITERS else JSON_OPTIONS if kind in JSON_SUFFIXES else frozenset()
    for option in options:
        if option not in known:
            remedy = f"it takes {', '.join(sorted(known))}" if known else "leave it out"
            raise ParameterError(f"{option} does not apply to {kind}", remedy=remedy)
    stem = name[: -len(kind + packing)]
    if kind in CONTAINERS:
        return {name: container_of(kind, {stem: table}, {stem: taken} if describe else None)}
    if kind in COLUMNAR:
        return {name: columnar_bytes(table, kind)}
    if kind in JSON_SUFFIXES:
        if describe:
            raise ParameterError(
                "JSON has no description of its columns", remedy="save it as .csv or .xlsx to describe it"
            )
        parts = json_parts(table, lines=kind != ".json", **options)
        return {name: pack(b"".join(parts), packing) if packing else parts}
    form = TextForm(**{"delimiter": DELIMITERS[kind], **options})
    parts = csv_parts(table, form, threads)
    data: Content = pack(b"".join(parts), packing) if packing else parts
    return described_files(table, stem, name, data, form) if describe else {name: data}


def not_held(table: BareTable, kind: str, *, describe: bool) -> list[str]:
    """Say what of a table a file does not hold; nothing if it comes back whole, or as far as people expect.

    Parameters
    ----------
    table : BareTable
    kind : str
        As `file_kind` tells it.
    describe : bool
        Whether the file is described.
    """
    if kind in COLUMNAR or (describe and kind not in WORKBOOKS):
        return []
    if kind in JSON_SUFFIXES and not table.row_count and table.names:
        return [
            f"the names of its {counted(len(table.names), 'column')} are not in it: JSON has them in its records only"
        ]
    kept = {name: len(column.kept) for name, column in table.columns.items() if len(column.kept)}
    if not kept:
        return []
    count = sum(kept.values())
    where = listing([f"{name} {number:,}" for name, number in kept.items()])
    said = f"{counted(count, 'text')} that could not be read as a value {agree(count, 'is', 'are')} not in it: {where}"
    if kind in (*DELIMITERS, *DATABASES):
        return [f"{said}; --describe (describe=True) keeps them"]
    return [f"{said}; a dataset folder keeps them, or a .csv or .sqlite file with --describe (describe=True)"]


def described_files(
    table: BareTable, name: str, file: str, data: Content, form: TextForm = STANDARD, required: Collection[str] = ()
) -> dict[str, Content]:
    """Return a table's file with those that describe it; the description comes last, with the checksums of the others.

    Parameters
    ----------
    table : BareTable
    name : str
        Of the table.
    file : str
        The name of its file.
    data : bytes, or parts of them
        What is in it.
    form : TextForm
        How it is written.
    required : collection of str
        Columns of which a rule says that no cell is missing.
    """
    summed = _Summed(data)
    others = {f"{name}-cells.csv": cells_bytes(table, form), **codes_files(table, name, form)}

    def description() -> Iterator[bytes]:
        sums = {file: summed.checksum, **{other: checksum_of(held) for other, held in others.items()}}
        yield metadata_bytes(table, name, file, form, checksums=sums, size=summed.size, required=required)

    return {file: summed, **others, f"{file}-metadata.json": description()}


class _Summed:
    """Content whose checksum is known once it has been written."""

    def __init__(self, data: Content) -> None:
        self._data = data
        self._sum = blake3()
        self.size = 0

    def __iter__(self) -> Iterator[bytes]:
        for part in [self._data] if isinstance(self._data, bytes) else self._data:
            self._sum.update(part)
            self.size += len(part)
            yield part

    @property
    def checksum(self) -> str:
        return BLAKE + self._sum.hexdigest()


def outdated(folder: Path, name: str, written: Collection[str], *, overwrite: bool) -> list[str]:
    """Return the files that describe what a file held before, and that are not written anew with it.

    Parameters
    ----------
    folder : Path
    name : str
        Of the file that is written.
    written : collection of str
        The names of all files that are.
    overwrite : bool
        Whether files may be replaced.

    Raises
    ------
    WriteError
        If there is a description that Comb did not write: it would be wrong from now on.
    """
    found = []
    for description in metadata_names(name):
        beside = read_beside(str(folder / name), description, MOST_DESCRIBED)
        if beside.data is None and not beside.why:
            continue
        others = companions_in(beside.text, name)
        if description in written or (others is not None and overwrite):
            found += [description, *(others or [])]
        elif description == f"{name}-metadata.json" or describes(beside.text, name):
            more = "" if others is None else ", or add --overwrite (overwrite=True) to replace it"
            raise WriteError(
                f"there is a description of this file, {description}, which would be wrong then; not changed",
                where=str(folder / name), remedy=f"choose another name, or move the description away first{more}",
            )  # fmt: skip
    return [one for one in found if one not in written and is_plain_name(one) and (folder / one).is_file()]


def container_of(kind: str, tables: Mapping[str, BareTable], taken: Mapping[str, Sequence[Entry]] | None) -> bytes:
    """Return a workbook or database with several tables; with their ledgers it also describes them."""
    if kind in DATABASES:
        return database_bytes(tables, describe=taken is not None)
    return WORKBOOKS[kind](sheets_of(tables, taken))
