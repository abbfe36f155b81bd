"""What a file holds, by the suffix of its name. Pure: tables in, bytes out."""

from collections.abc import Mapping, Sequence
from typing import Any

from comb.errors import ParameterError
from comb.steps.ledger import Entry
from comb.tables.table import BareTable
from comb.writing.atomic import Content
from comb.writing.cells_file import cells_bytes
from comb.writing.compress import DELIMITERS, PACKINGS, pack
from comb.writing.csvw import codes_files, metadata_bytes
from comb.writing.delimited import TextForm, csv_parts
from comb.writing.json_text import SUFFIXES as JSON_SUFFIXES
from comb.writing.json_text import json_parts
from comb.writing.office import office_bytes
from comb.writing.opendocument import opendocument_bytes
from comb.writing.sheets import sheets_of

WORKBOOKS = {".xlsx": office_bytes, ".ods": opendocument_bytes}

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
    kind = next((suffix for suffix in (*DELIMITERS, *JSON_SUFFIXES, *WORKBOOKS) if stem.endswith(suffix)), "")
    if not kind or (packing and kind in WORKBOOKS):
        kinds = ", ".join((*DELIMITERS, *JSON_SUFFIXES))
        raise ParameterError(
            f"expected a file that ends in one of {kinds}, with or without {', '.join(PACKINGS)}, "
            f"or in {', '.join(WORKBOOKS)}; got {name!r}",
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
    if kind in WORKBOOKS:
        return {name: WORKBOOKS[kind](sheets_of({stem: table}, {stem: taken} if describe else None))}
    if kind in JSON_SUFFIXES:
        if describe:
            raise ParameterError(
                "JSON has no description of its columns", remedy="save it as .csv or .xlsx to describe it"
            )
        parts = json_parts(table, lines=kind != ".json", **options)
        return {name: pack(b"".join(parts), packing) if packing else parts}
    form = TextForm(**{"delimiter": DELIMITERS[kind], **options})
    parts = csv_parts(table, form, threads)
    files: dict[str, Content] = {name: pack(b"".join(parts), packing) if packing else parts}
    if describe:
        files[f"{stem}-cells.csv"] = cells_bytes(table, blanks=bool(form.missing))
        files[f"{name}-metadata.json"] = metadata_bytes(table, stem, name, form)
        files |= codes_files(table, stem)
    return files


def workbook_of(kind: str, tables: Mapping[str, BareTable], taken: Mapping[str, Sequence[Entry]]) -> bytes:
    """Return a workbook with a sheet for each table, one with the dictionary and one with the ledger."""
    return WORKBOOKS[kind](sheets_of(tables, taken))
