"""The description of a saved table by the open standard CSV on the Web (W3C, 2015). Pure."""

import json
from collections.abc import Collection, Mapping
from typing import Any
from urllib.parse import quote

from blake3 import blake3

from comb.formats.formulas import disarmed
from comb.reading.schema.csvw import CELLS_NOTE, CODES_NOTE, DISARMED_NOTE, SUMS_NOTE, UNTYPED_NOTE
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.types import Type
from comb.writing.delimited import STANDARD, TextForm, rows_bytes

# Of a column, in the name of the file that lists its values.
LONGEST_TITLE = 60

_CONTEXT = "http://www.w3.org/ns/csvw"

_BASES = {
    "string": "string",
    "integer": "integer",
    "decimal": "decimal",
    "number": "number",
    "boolean": "boolean",
    "date": "date",
    "datetime": "dateTime",
    "time": "time",
    "duration": "dayTimeDuration",
    "json": "json",
}


def metadata_bytes(
    table: BareTable, name: str, file: str, form: TextForm = STANDARD, *, checksums: Mapping[str, str], size: int,
    required: Collection[str] = (),
) -> bytes:  # fmt: skip
    """Describe a saved table.

    Parameters
    ----------
    table : BareTable
    name : str
        The table's name; its cells file is ``<name>-cells.csv``.
    file : str
        The name of the file the table is saved in.
    form : TextForm
        How it is written there.
    checksums : mapping of str to str
        Of the table's file and those that belong to it, so that a description is never applied to another.
    size : int
        Bytes in the table's file.
    required : collection of str
        Columns of which a rule says that no cell is missing: that none is now is no promise.

    Returns
    -------
    bytes
        JSON: where it came from, how the file is written, and for each column its
        name, title, type and description.
    """
    origin = table.origin
    untyped = [title for title, column in table.columns.items() if column._untyped]
    codes = {
        title: codes_name(name, title) for title, column in table.columns.items() if column.type.word == "category"
    }
    schema: dict[str, Any] = {
        "columns": [_column(title, column, form, required=title in required) for title, column in table.columns.items()]
    }
    if codes:
        schema["foreignKeys"] = [
            {"columnReference": quote(title, safe=""), "reference": {"resource": url, "columnReference": "value"}}
            for title, url in codes.items()
        ]
    described: dict[str, Any] = {
        "url": file,
        "dc:title": name,
        "dc:source": origin.name,
        **({"dc:identifier": f"blake3:{origin.checksum}"} if origin.checksum else {}),
        "notes": [
            {CELLS_NOTE: f"{name}-cells.csv", "about": "why cells are missing, and the texts kept"},
            *([{DISARMED_NOTE: True, "about": "an apostrophe before texts that would be run"}] if form.disarm else []),
            *(
                [{UNTYPED_NOTE: untyped, "about": "columns without a value, of which no type is known"}]
                if untyped
                else []
            ),
            {SUMS_NOTE: dict(checksums), "comb:bytes": size, "about": "BLAKE3 of the files that belong together"},
        ],
        "dialect": {
            "encoding": form.encoding,
            "delimiter": form.delimiter,
            "lineTerminators": [form.line_end],
            "quoteChar": '"',
            "doubleQuote": True,
            "header": True,
        },
        "tableSchema": schema,
    }
    record: dict[str, Any] = {"@context": [_CONTEXT, {"language": "en"}]}
    if codes:
        record["tables"] = [described, *map(_code_list, codes.values())]
    else:
        record |= described
    return (json.dumps(record, indent=2, ensure_ascii=False) + "\n").encode()


def codes_name(name: str, title: str) -> str:
    """Return the name of the file that lists the values of a category.

    >>> codes_name("visits", "queen state")
    'visits-queen%20state-codes.csv'
    """
    written = quote(title, safe="")
    if len(written) > LONGEST_TITLE:
        # Names of files are short; two long titles still get two files.
        written = f"{written[:LONGEST_TITLE]}~{blake3(title.encode()).hexdigest()[:8]}"
    return f"{name}-{written}-codes.csv"


def codes_files(table: BareTable, name: str, form: TextForm = STANDARD) -> dict[str, bytes]:
    """Return the lists of the values of all categories of a table, by file name."""
    written = disarmed if form.disarm else str
    return {
        codes_name(name, title): rows_bytes(
            [["value", "label"], *([written(text) for text in choice] for choice in column.type.choices)]
        )
        for title, column in table.columns.items()
        if column.type.word == "category"
    }


def _code_list(url: str) -> dict[str, Any]:
    columns = [{"name": "value", "datatype": "string", "required": True}, {"name": "label", "datatype": "string"}]
    about = "the values in their order, and what they stand for"
    schema = {"columns": columns, "primaryKey": "value"}
    return {"url": url, "notes": [{CODES_NOTE: url, "about": about}], "tableSchema": schema}


def _column(title: str, column: Column, form: TextForm, *, required: bool) -> dict[str, Any]:
    record: dict[str, Any] = {
        "name": quote(title, safe=""),
        "titles": [title, disarmed(title)] if form.disarm and disarmed(title) != title else title,
        "datatype": _datatype(column.type, form),
        "required": required and not column.missing_count,
    }
    if form.missing:
        record["null"] = form.missing
    if column.description:
        record["dc:description"] = column.description
    return record


def _datatype(kind: Type, form: TextForm) -> str | dict[str, Any]:
    kind = kind.plain
    base = "dateTimeStamp" if kind.utc else _BASES[kind.word]
    if kind.word == "date":
        return {"base": base, "format": form.date_pattern}
    pattern = f"0.{'0' * kind.scale}" if kind.scale else "0"
    if kind.numeric and form.decimal_mark != ".":
        marks: dict[str, str] = {"decimalChar": form.decimal_mark}
        return {"base": base, "format": {**marks, "pattern": pattern} if kind.word == "decimal" else marks}
    return {"base": base, "format": pattern} if kind.word == "decimal" else base
