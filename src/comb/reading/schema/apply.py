"""A schema meets the table it describes: found beside it, its dialect taken, its names and demands applied."""

from pathlib import PurePath
from typing import Any

from comb.errors import ContentError, listing
from comb.reading.column_rules import ColumnRules
from comb.reading.delimited.assemble import RawTable
from comb.reading.io.source_file import OpenSource, read_beside, read_whole
from comb.reading.schema.cells_file import apply_cells
from comb.reading.schema.csvw import Schema, metadata_names, read_codes, read_schema
from comb.reading.schema.validate import Violation, validate
from comb.tables.read_options import ReadOptions


def settled_by_schema(source: OpenSource, options: ReadOptions, *, dialect: bool) -> ColumnRules:
    """Return the options with what a schema settles that was not given.

    Parameters
    ----------
    source : OpenSource
    options : ReadOptions
    dialect : bool
        Whether the source may be delimited text, to which the dialect of a schema applies.
    """
    schema = find_schema(source, options)
    if schema is None or not dialect:
        return ColumnRules(options, schema)
    settled = {name: value for name, value in schema.options.items() if getattr(options, name) is None}
    return ColumnRules(options.replace(**settled), schema)


def find_schema(source: OpenSource, options: ReadOptions) -> Schema | None:
    """Return the schema given, or the one the standard finds beside the file."""
    if options.schema:
        text = read_whole(options.schema).decode("utf-8-sig", errors="replace")
        schema = read_schema(text, options.schema, source.name)
        if schema is None:
            raise ContentError(f"this is not a description of {source.name}", where=options.schema)
        return schema
    if options.schema is not None:
        return None
    for name in metadata_names(source.name):
        text_beside = read_beside(source.path, name)
        if text_beside is not None:
            schema = read_schema(text_beside, str(PurePath(source.path).parent / name), source.name)
            if schema is not None:
                return schema
    return None


def other_titles(names: list[str], schema: Schema | None) -> list[str]:
    """Return the titles of columns, each of which may be found under any of its titles."""
    if schema is None:
        return names
    others = {name: column.title for column in schema.columns for name in column.names}
    return [others.get(name, name) for name in names]


def follow_schema(raw_table: RawTable, schema: Schema | None, name: str) -> None:
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
    raw_table.units = {renamed[name]: unit for name, unit in raw_table.units.items()}
    raw_table.units.update({column.title: column.description for column in schema.columns if column.description})
    raw_table.notes.extend(schema.notes)


def meet_demands(columns: dict[str, Any], schema: Schema | None, path: str) -> tuple[list[Violation], list[str]]:
    """Apply a schema to columns and check what it demands; returns violations and notes."""
    if schema is None:
        return [], []
    codes: dict[str, tuple[tuple[str, str], ...]] = {}
    lost = []
    for one in schema.columns:
        if one.codes and one.codes not in codes:
            text = read_beside(path, one.codes)
            if text is None:
                lost.append(f"{one.codes} was not found: what the values of {one.title} stand for is not known")
            else:
                codes[one.codes] = read_codes(text)
    violations, notes = validate(columns, schema, codes)
    return violations, [*notes, *lost]


def restore_cells(columns: dict[str, Any], rules: ColumnRules, path: str) -> list[str]:
    """Give back the reasons and texts that a saved table keeps in a file of its own; returns notes."""
    schema = rules.schema
    if schema is None or not schema.cells or rules.options.rows is not None:
        return []
    text = read_beside(path, schema.cells)
    if text is None:
        return [f"{schema.cells} was not found: why cells are missing is not known"]
    return apply_cells(columns, text, schema.cells)
