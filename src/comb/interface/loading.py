"""The functions that make public tables: load, inspect, table."""

import math
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from typing import IO, Any, Literal

import msgspec
import numpy as np

from comb.errors import ColumnError, ParameterError, agree, counted, unknown_name
from comb.execution.resources import Resources
from comb.interface.shown import ShownInspection
from comb.interface.step_table import type_word_of
from comb.interface.table import Table
from comb.kernels.types import INT64_MAX, INT64_MIN, MOST_DECIMAL_DIGITS
from comb.reading.inspect import Inspection, inspect_source
from comb.reading.io.source_file import HeldSource, Source
from comb.reading.load import load_beginning as load_table_beginning
from comb.reading.load import load_table, load_tables
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.names import unique_names
from comb.tables.read_options import ReadOptions, listed_words
from comb.tables.reasons import Reason
from comb.tables.types import BOOLEAN, DATE, DATETIME, DURATION, INTEGER, NUMBER, TIME, UTC_DATETIME, Type, decimal
from comb.tables.value_texts import stored_value

# A word for missing, or several; by column, or in all of them.
MissingWord = str | int | float
MissingWords = MissingWord | Collection[MissingWord] | Mapping[str, MissingWord | Collection[MissingWord]]


# What names a source, or is one: bytes, an open file of bytes or of text.
GivenSource = str | Path | bytes | IO[Any] | Sequence[str | Path | bytes | IO[Any]]


def _one(source: Any) -> str | Path | HeldSource:
    """Return one source as it is read: its path, or its bytes."""
    return HeldSource.of(source) or source


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
        named in a plan.
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
        Lines of header: 0, 1 or 2.
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
        Called with a one-line progress message.
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
    options = read_options(
        table=table, delimiter=delimiter, quote=quote, encoding=encoding, header=header, skip=skip,
        missing=missing, known_words=known_words, types=types, columns=columns, rows=rows, schema=schema,
        most_bytes=most_bytes, totals=totals, fill_merged=fill_merged, lists=lists,
    )  # fmt: skip
    return Table._adopt(load_table(_named(source), options, progress))


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
        text, _, place = str(error).partition(" - at `$.")
        name = place.split("`")[0].split("[")[0]
        raise ParameterError(f"{name}: {text[0].lower()}{text[1:]}") from None


def _plain(name: str, value: Any) -> Any:
    """Return the value of an option as plain values: no sets, no paths, a header of True is one line."""
    if name == "header":
        return int(value)
    if name == "schema":
        return str(value)
    if name == "missing":
        return listed_words(value)
    if name == "types" and isinstance(value, type):
        return type_word_of(value)
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


def inspect(source: GivenSource, **options: Any) -> Inspection:
    """Show how a source would be read: every decision with its evidence.

    Parameters
    ----------
    source : str or Path
    **options
        As for `load`; what is given is not guessed.
    """
    return ShownInspection._of(inspect_source(_named(source), read_options(**options)))


def table(
    *,
    columns: Mapping[str, Sequence[Any]] | None = None,
    rows: Sequence[Sequence[Any]] | None = None,
    names: Sequence[str] | None = None,
) -> Table:
    """Make a table typed in by hand.

    Parameters
    ----------
    columns : mapping of str to sequence
        Values by column; or
    rows, names
        Values by row, and the column names.

    Returns
    -------
    Table
        Types follow from the Python values; None is missing, ``blank``.

    Raises
    ------
    ColumnError
        If columns or rows differ in length.
    ParameterError
        If a column mixes kinds of values.

    >>> table(columns={"colony": ["0101", "0102"], "mites": [3, None]}).types["mites"].word
    'integer'
    """
    if (columns is None) == (rows is None):
        raise ParameterError("expected either columns or rows with names")
    if columns is None:
        columns = _by_column(rows or [], names)
    if not isinstance(columns, Mapping) or not all(_is_cells(cells) for cells in columns.values()):
        example = "for instance table(columns={'kg': [1.5, None]})"
        raise ParameterError(f"expected lists of values by column, got {columns!r}", remedy=example)
    made = {name: _column(name, list(cells)) for name, cells in columns.items()}
    infinite = {name: len(column.kept.texts) for name, column in made.items() if column.kept.texts}
    notes = tuple(
        f"{counted(count, 'cell')} of {name} {agree(count, 'is', 'are')} infinite: missing, the text is kept"
        for name, count in infinite.items()
    )
    return Table(made, notes=notes)


def _is_cells(cells: object) -> bool:
    return isinstance(cells, Iterable) and not isinstance(cells, str | bytes)


def _by_column(rows: Sequence[Sequence[Any]], names: Sequence[str] | None) -> dict[str, list[Any]]:
    width = len(names) if names is not None else len(rows[0]) if rows else 0
    for at, row in enumerate(rows, 1):
        if len(row) != width:
            raise ColumnError(f"row {at} has {len(row)} cells, expected {width}")
    titles = unique_names(names if names is not None else [""] * width)
    return {title: [row[at] for row in rows] for at, title in enumerate(titles)}


def _column(name: str, cells: list[Any]) -> Column:
    kinds = {type(cell) for cell in cells if cell is not None}
    if not kinds or kinds == {str}:
        try:
            return Column._of_strings(cells)
        except UnicodeEncodeError as error:
            what = f"{error.object!r} in {name!r} has half of a character (a surrogate alone), which no text can hold"
            raise ParameterError(what, remedy="decode it with errors='replace'") from None
    # Columns hold finite numbers; what is not finite is missing, and the text of an infinite one is kept.
    odd = {
        at: str(cell) for at, cell in enumerate(cells) if isinstance(cell, float | Decimal) and not math.isfinite(cell)
    }
    finite = [None if at in odd else cell for at, cell in enumerate(cells)]
    kind = _kind(name, kinds, finite)
    missing = np.array([cell is None for cell in cells], np.bool_)
    state = np.where(missing, np.uint8(Reason.BLANK), np.uint8(0))
    values = np.zeros(len(cells), kind.storage)
    kept: dict[int, str] = {}
    for at, cell in enumerate(finite):
        if cell is not None:
            values[at] = _stored(name, cell, kind)
        elif at in odd:
            undefined = "nan" in odd[at].lower()
            state[at] = Reason.UNDEFINED if undefined else Reason.UNREADABLE
            kept |= {} if undefined else {at: odd[at].lower().replace("infinity", "inf")}
    return Column(kind, values, state, kept=Kept(kept))


def _stored(name: str, cell: Any, kind: Type) -> Any:
    stored = stored_value(cell, kind)
    if kind.word == "decimal" and not abs(stored) < 10**MOST_DECIMAL_DIGITS:
        what = f"{cell} in {name!r} has more digits than a decimal column holds, {kind.scale} of them behind the point"
        raise ParameterError(what, remedy="give the column as text, or as float")
    return stored


_KINDS: dict[type, Type] = {bool: BOOLEAN, date: DATE, time: TIME, timedelta: DURATION}


def _kind(name: str, kinds: set[type], cells: list[Any]) -> Type:
    """Return the type that holds all Python values of a column."""
    if len(kinds) == 1 and next(iter(kinds)) in _KINDS:
        return _KINDS[next(iter(kinds))]
    if kinds == {datetime}:
        aware = {cell.tzinfo is not None for cell in cells if cell is not None}
        if len(aware) > 1:
            raise ParameterError(
                f"expected datetimes of one kind in {name!r}, some have an offset and some have none",
                remedy="give all of them an offset, or none",
            )
        return UTC_DATETIME if True in aware else DATETIME
    if kinds == {int}:
        too_large = [cell for cell in cells if cell is not None and not INT64_MIN <= cell <= INT64_MAX]
        if too_large:
            raise ParameterError(
                f"{too_large[0]} in {name!r} is beyond the range of integers", remedy="give it as text"
            )
        return INTEGER
    if kinds <= {int, Decimal} and Decimal in kinds:
        places = [-int(cell.as_tuple().exponent) for cell in cells if isinstance(cell, Decimal)] or [0]
        return decimal(max(0, *places))
    if kinds <= {int, float}:
        return NUMBER
    message = ", ".join(sorted(kind.__name__ for kind in kinds))
    raise ParameterError(f"expected values of one kind in {name!r}, got {message}", remedy="give them all as text")
