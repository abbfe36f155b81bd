"""The functions that make public tables of sources: load, inspect."""

from collections.abc import Callable, Collection, Mapping, Sequence
from functools import cache
from numbers import Integral
from pathlib import Path
from time import perf_counter
from typing import IO, TYPE_CHECKING, Any, Literal

import msgspec

from comb.errors import ParameterError, unknown_name
from comb.execution.resources import Resources
from comb.interface.log import log
from comb.interface.step_table import type_word_of
from comb.interface.table import Table
from comb.interface.table_like import HasTable, is_table_like
from comb.kernels import dispatch
from comb.reading.io.source_file import HeldSource, Source, check_reachable, path_of
from comb.reading.load import load_beginning as load_table_beginning
from comb.reading.load import load_table, load_tables
from comb.tables.read_options import ReadOptions, listed_words

if TYPE_CHECKING:
    from comb.reading.folder import FolderInspection
    from comb.reading.inspect import Inspection


# A word for missing, or several; by column, or in all of them.
MissingWord = str | int | float
MissingWords = MissingWord | Collection[MissingWord] | Mapping[str, MissingWord | Collection[MissingWord]]


# What names a source, or is one: bytes, an open file of bytes or of text.
GivenSource = str | Path | bytes | IO[Any] | Sequence[str | Path | bytes | IO[Any]] | HasTable


def _one(source: Any) -> str | Path | HeldSource:
    """Return one source as it is read: its path, or its bytes; an address of a file on this machine is its path."""
    return HeldSource.of(source) or path_of(source)


def _named(source: Any) -> Source:
    """Return a source, or several, as they are read."""
    if isinstance(source, Sequence) and not isinstance(source, str | bytes | bytearray | memoryview):
        return [_one(one) for one in source]
    return _one(source)


def load(
    source: GivenSource,
    *,
    table: str | None = None,
    delimiter: str | None = None,
    quote: str | None = None,
    encoding: str | None = None,
    header: bool | int | None = None,
    skip: int | None = None,
    missing: MissingWords | None = None,
    known_words: bool = True,
    types: Mapping[str, str] | str | None = None,
    columns: Sequence[str] | None = None,
    rows: int | None = None,
    schema: str | Path | None = None,
    progress: Callable[[str], None] | None = None,
    most_bytes: int | None = None,
    totals: bool = False,
    fill_merged: bool = False,
    lists: Literal["keep", "count", "rows", "columns"] = "keep",
) -> Table:
    """Load a table from delimited text, a workbook or JSON, or from several files of one shape.

    Whatever is not given is found out from the file; `inspect` shows how and why.

    Parameters
    ----------
    source : str, Path, bytes, open file, or sequence of them
        A file, also a compressed one; ``-`` is standard input. A pattern (``2026-*.csv``)
        or a list names several files, which are read as one table. Bytes and open files cannot be
        named in a plan. Also a cursor of a database after a query, and what gives Arrow data, as `table` takes them.
    table : str, optional
        Which table: the name or number of one inside a workbook or JSON document, a sheet, a range
        (``Spring!B3:H34``), a JSON Pointer, a file of a zip archive. A pattern (``*``) reads
        several tables of one shape below each other.
    delimiter, quote : str, optional
        The delimiter ``spaces`` is a run of spaces. An empty quote means that quotes are
        ordinary characters; a backslash before the quote, that quotes inside fields have
        a backslash before them.
    encoding : str, optional
        By default found out.
    header : bool or int, optional
        Lines of header: 0 to 5.
    skip : int, optional
        Lines above the header.
    missing : str, number, collection of them, or mapping, optional
        Words for missing: in all columns, or by column (``{"age": 999, "*": "-"}``, where ``*`` is all). They count
        besides the known words; a word that occurs nowhere is reported. ``[]`` means none at all.
    known_words : bool
        Whether the known words for missing count (``NA``, ``n/a``, ``-`` ...), in columns that are not text.
    types : mapping of str to str, or str, optional
        Types by column, or one for all; a pattern may follow: ``date d.M.yyyy``.
    columns : sequence of str, optional
        Selectors of the columns to read.
    rows : int, optional
        Read at most N rows, from the top.
    schema : str or Path, optional
        A description by CSV on the Web, which replaces guessing. By default the one
        beside the file, ``FILE-metadata.json``; an empty text means none.
    progress : callable, optional
        Called with a one-line message about how far it is. Where the size of the work is known, the message is a
        `Progress`, a text that also has `done`, `of` and `unit`.
    most_bytes : int, optional
        The most bytes a compressed source may decompress to.
    totals : bool
        Keep rows and columns of a workbook that are totals; by default they are set aside.
    fill_merged : bool
        Copy a merged cell's value to every cell it covers.
    lists : {"keep", "count", "rows", "columns"}
        What becomes of lists of plain values in JSON: kept as text, counted, a row for each item, or, where all lists
        of a key are of one length, a column for each place.

    Returns
    -------
    Table
        With row numbers, types inferred from all values, and a reason for every
        missing cell.

    Raises
    ------
    ReadError
        If the source is not there, is not text, or is empty.
    """
    if is_table_like(source):
        given = {
            "table": table, "delimiter": delimiter, "quote": quote, "encoding": encoding, "header": header,
            "skip": skip, "missing": missing, "types": types, "schema": schema, "most_bytes": most_bytes,
        }  # fmt: skip
        return _of_table_like(source, given, columns, rows)
    options = read_options(
        table=table, delimiter=delimiter, quote=quote, encoding=encoding, header=header, skip=skip,
        missing=missing, known_words=known_words, types=types, columns=columns, rows=rows, schema=schema,
        most_bytes=most_bytes, totals=totals, fill_merged=fill_merged, lists=lists,
    )  # fmt: skip
    begun = perf_counter()
    _warn_of_missing_kernels()
    made = Table._adopt(load_table(_named(source), options, progress))
    if log.is_heard():
        _log_load(made, perf_counter() - begun)
    return made


@cache
def _warn_of_missing_kernels() -> None:
    """Say once that the compiled kernels are not there, unless that was asked for."""
    if dispatch.PROBLEMS:
        log.warning("slow: %s", dispatch.description())


def _log_load(table: Table, seconds: float) -> None:
    """Log what was decided about a source, and how long it took."""
    log.debug("%s loaded in %.3f s: %s", table.origin.name, seconds, table.sentence())
    log.debug("%s read with %s", table.origin.name, table.origin.options)
    for name, column in table.columns.items():
        log.debug("%s: %s", name, column.evidence or column.type.in_full)


def _of_table_like(source: Any, given: Mapping[str, Any], columns: Sequence[str] | None, rows: int | None) -> Table:
    """Return a cursor's or another library's table, which is read as it is."""
    for name, value in given.items():
        if value is not None:
            raise ParameterError(
                f"{name} does not apply to what has columns with types already, and {type(source).__name__} has",
                remedy="load it without, then convert() what should be of another type",
            )
    from comb.interface.construction import table

    found = table(source)
    found = found if columns is None else found.select(list(columns))
    return found if rows is None else found.first_rows(rows)


def read_options(**given: Any) -> ReadOptions:
    """Return the options of `load` as the record that plans and origins keep.

    Raises
    ------
    ParameterError
        If there is no such option, or its value is of the wrong type.
    """
    allowed = ReadOptions.__struct_fields__
    for name in given:
        if name not in allowed:
            what, remedy = unknown_name("option of load", name, allowed)
            raise ParameterError(what, remedy=remedy)
    plain = {name: _plain(name, value) for name, value in given.items() if value is not None}
    try:
        return msgspec.convert(plain, ReadOptions)
    except msgspec.ValidationError as error:
        from comb.formats.field_errors import problem_of

        name, what, near = problem_of(error, ReadOptions, plain)
        raise ParameterError(f"{name}: {what}", remedy=near) from None


def _plain(name: str, value: Any) -> Any:
    """Return the value of an option as plain values: no sets, no paths, a header of True is one line."""
    if name == "schema":
        return str(value)
    if name == "missing":
        return listed_words(value)
    if name == "types" and isinstance(value, type):
        return type_word_of(value)
    if isinstance(value, Integral) and (name == "header" or not isinstance(value, bool)):
        return int(value)
    if isinstance(value, Mapping):
        return {key: type_word_of(one) if isinstance(one, type) else one for key, one in value.items()}
    return list(value) if isinstance(value, Collection) and not isinstance(value, str) else value


def load_beginning(source: GivenSource, **options: Any) -> tuple[Table, bool]:
    """Load what stands at the beginning of a file, for a quick look.

    Parameters
    ----------
    source : str, Path or sequence of them
    **options
        As for `load`.

    Returns
    -------
    table, more
        Small files are loaded whole; of larger ones there are more rows, and the types are
        provisional.
    """
    table, more = load_table_beginning(_named(source), read_options(**options))
    return Table._adopt(table), more


def load_within(source: GivenSource, resources: Resources, **options: Any) -> Table:
    """Load a table with what there is to work with: on disk, where it does not fit into memory.

    Parameters
    ----------
    source : str, Path, bytes, open file, or sequence of them
    resources : Resources
        See `comb.execution.working.working`.
    **options
        As for `load`.
    """
    return Table._adopt(load_table(_named(source), read_options(**options), resources=resources))


def load_all(source: str | Path | bytes | IO[Any], **options: Any) -> dict[str, Table]:
    """Load every table inside a source by name: of a workbook, a JSON document, a zip archive.

    Parameters
    ----------
    source : str or Path
    **options
        As for `load`, but for `table`.

    Returns
    -------
    dict of str to Table
        One table where the source is a plain file.
    """
    return {name: Table._adopt(table) for name, table in load_tables(_one(source), read_options(**options)).items()}


def inspect(
    source: GivenSource, *, progress: Callable[[str], None] = lambda text: None, **options: Any
) -> "Inspection | FolderInspection":
    """Show how a source would be read: every decision with its evidence. Of a folder, what is in it.

    Parameters
    ----------
    source : str or Path
    progress : callable
        Called with what is being looked at in a folder.
    **options
        As for `load`; what is given is not guessed.

    Returns
    -------
    Inspection or FolderInspection
        Of a folder that is no dataset: each source with its kind, rows and columns, and what they share.
    """
    from comb.interface.shown.sources import ShownFolder, ShownInspection
    from comb.reading.dataset_folder import dataset_folder
    from comb.reading.folder import inspect_folder
    from comb.reading.inspect import inspect_source

    source = path_of(source)
    if isinstance(source, str | Path) and not options:
        check_reachable(source)
        folder = Path(source).expanduser()
        if folder.is_dir() and dataset_folder(folder) is None:
            return ShownFolder._of(inspect_folder(folder, progress))
    return ShownInspection._of(inspect_source(_named(source), read_options(**options)))
