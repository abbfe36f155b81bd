"""A schema meets the table it describes: found beside it, its dialect taken, its names and demands applied.

Most files have none: what reads one, and applies it, is loaded when there is one.
"""

from pathlib import PurePath
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace

from comb.errors import ContentError, ParameterError, listing
from comb.execution.memory import LARGE
from comb.reading.column_rules import ColumnRules
from comb.reading.delimited.assemble import RawTable
from comb.reading.io.beside import (
    CHECKSUMS,
    LINES_PER_BYTE,
    MOST_DESCRIBED,
    MOST_LISTED,
    Beside,
    changed,
    checksum_of_file,
    differs_from_list,
    listed_sums,
    metadata_names,
    read_beside,
    size_of,
)
from comb.reading.io.source_file import OpenSource, read_whole
from comb.tables.read_options import ReadOptions

if TYPE_CHECKING:
    from comb.reading.schema.csvw import Schema, SchemaColumn
    from comb.reading.schema.validate import Violation


def settled_by_schema(source: OpenSource, options: ReadOptions, *, dialect: bool, whole: bool) -> ColumnRules:
    """Return the options with what a schema settles that was not given.

    Parameters
    ----------
    source : OpenSource
    options : ReadOptions
    dialect : bool
        Whether the source may be delimited text, to which the dialect of a schema applies.
    whole : bool
        Whether all of it will be read, so that its checksum is worth the time.
    """
    schema, notes = find_schema(source, options, whole=whole)
    if schema is None or not dialect:
        return ColumnRules(options, schema, notes)
    settled = {name: value for name, value in schema.options.items() if getattr(options, name) is None}
    taken = options.replace(**settled)
    try:
        taken.check()
    except ParameterError as error:
        from comb.reading.schema.shape import WITHOUT_IT

        raise ContentError(f"its dialect cannot be used: {error.what}", where=schema.name, remedy=WITHOUT_IT) from None
    return ColumnRules(taken, schema, notes)


def find_schema(source: OpenSource, options: ReadOptions, *, whole: bool) -> "tuple[Schema | None, tuple[str, ...]]":
    """Return the schema given, or the one the standard finds beside the file; and what is to be said of it.

    One that is named is taken as it is. One that is found beside the file is left out, with a note, where the file
    is not the one it was written for.
    """
    if options.schema:
        from comb.reading.schema.csvw import read_schema

        text = read_whole(options.schema).decode("utf-8-sig", errors="replace")
        schema = read_schema(text, options.schema, source.name)
        if schema is None:
            raise ContentError(f"this is not a description of {source.name}", where=options.schema)
        if schema.cells and _is_other(source, schema, whole=whole):
            # Reasons are listed by the number of the record.
            note = f"{source.name} has changed since it was described: reasons of missing cells are not restored"
            return replace(schema, cells=""), (note,)
        return schema, ()
    if options.schema is not None:
        return None, ()
    notes = []
    sums = listed_sums(source.path)
    for name in metadata_names(source.name):
        beside = read_beside(source.path, name, MOST_DESCRIBED)
        if beside.data is None:
            missing = f"{name} is listed in {CHECKSUMS}, but is not there: types are guessed" if name in sums else ""
            notes += [note for note in (beside.why or missing,) if note]
            continue
        from comb.reading.schema.csvw import read_schema

        schema = read_schema(beside.text, str(PurePath(source.path).parent / name), source.name)
        if schema is None:
            continue
        if _is_other(source, schema, whole=whole):
            notes.append(f"{name} was written for other content than {source.name} has now: {_NOT_APPLIED}")
        elif differs_from_list(beside, name, sums):
            notes.append(f"{name} has changed since {CHECKSUMS} was written: {_NOT_APPLIED}")
        else:
            return schema, tuple(notes)
    return None, tuple(notes)


_NOT_APPLIED = "not applied, types are guessed; name it to apply it all the same: schema=..., --schema FILE"


def _is_other(source: OpenSource, schema: "Schema", *, whole: bool) -> bool:
    """Return whether a file is not the one that was described; by its size alone where only a part is read."""
    checksum = schema.checksums.get(source.name, "")
    if not checksum or not source.path or source.path == "-":
        return False
    if schema.size and source.size != schema.size:
        return True
    return (whole or (source.size or 0) <= LARGE) and checksum_of_file(source.path) != checksum


def other_titles(names: list[str], schema: "Schema | None") -> list[str]:
    """Return the titles of columns, each of which may be found under any of its titles."""
    if schema is None:
        return names
    others = {name: column.title for column in schema.columns for name in column.names}
    return [
        schema.columns[at].title
        if at < len(schema.columns) and _may_be(name, schema.columns[at])
        else others.get(name, name)
        for at, name in enumerate(names)
    ]


def _may_be(name: str, column: "SchemaColumn") -> bool:
    """Return whether a name is a title as a header is read: spaces around it are gone, and names are made unique."""
    plain = [" ".join(title.split()) for title in (column.title, *column.names)]
    return any(name == title or name.startswith(f"{title} (") for title in plain if title)


def follow_schema(raw_table: RawTable, schema: "Schema | None", name: str) -> None:
    """Name columns as the schema does; a header that says something else is an error."""
    if schema is None:
        return
    titles = [column.title for column in schema.columns]
    if len(raw_table.names) < len(titles) or any(
        found != title and not found.startswith("_col.") for found, title in zip(raw_table.names, titles, strict=False)
    ):
        raise ContentError(
            f"the columns are {listing(raw_table.names)}; its description says {listing(titles)}",
            where=name,
            remedy=f"repair {schema.name}, or read the file without it: schema='', or --schema ''",
        )
    renamed = dict(zip(raw_table.names, [*titles, *raw_table.names[len(titles) :]], strict=True))
    raw_table.names = list(renamed.values())
    raw_table.columns = {renamed[name]: chunks for name, chunks in raw_table.columns.items()}
    raw_table.descriptions = {renamed[name]: text for name, text in raw_table.descriptions.items()}
    raw_table.descriptions.update({column.title: column.description for column in schema.columns if column.description})
    raw_table.notes.extend(schema.notes)


def meet_demands(columns: dict[str, Any], schema: "Schema | None", path: str) -> "tuple[list[Violation], list[str]]":
    """Apply a schema to columns and check what it demands; returns violations and notes."""
    if schema is None:
        return [], []
    from comb.reading.schema.csvw import read_codes
    from comb.reading.schema.validate import validate

    codes: dict[str, tuple[tuple[str, str], ...]] = {}
    lost = []
    for one in schema.columns:
        if one.codes and one.codes not in codes:
            beside, why = _companion(path, one.codes, schema, MOST_LISTED)
            if why:
                lost.append(f"{why}: what the values of {one.title} mean is not known")
            else:
                codes[one.codes] = read_codes(beside.text, disarmed=schema.disarmed)
    violations, notes = validate(columns, schema, codes)
    return violations, [*notes, *lost]


def restore_cells(columns: dict[str, Any], rules: ColumnRules, path: str, *, whole: bool) -> list[str]:
    """Give back the reasons and texts that a saved table keeps in a file of its own; returns notes.

    Of a table that was not read whole, what is said of rows further down is passed over.
    """
    schema = rules.schema
    if schema is None or not schema.cells:
        return []
    from comb.reading.schema.cells_file import apply_cells

    rows = max((len(column) for column in columns.values()), default=0)
    # A missing cell takes a byte of the table, unless that is compressed.
    cells = max(rows * len(columns), size_of(path))
    beside, why = _companion(path, schema.cells, schema, MOST_LISTED + LINES_PER_BYTE * cells)
    if why:
        return [f"{why}: why cells are missing is not known"]
    return apply_cells(columns, beside.text, schema.cells, disarmed=schema.disarmed, whole=whole)


def _companion(path: str, name: str, schema: "Schema", most: int) -> tuple[Beside, str]:
    """Read a file that a schema names; and why it is of no use, if it is not."""
    beside = read_beside(path, name, most)
    if beside.data is None:
        return beside, beside.why or f"{name} was not found"
    if changed(beside, schema.checksums.get(name, "")):
        return beside, f"{name} has changed since it was saved, and is not applied"
    return beside, ""
