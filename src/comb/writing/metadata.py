"""The description of a saved table by the open standard CSV on the Web (W3C, 2015). Pure."""

import json
from typing import Any
from urllib.parse import quote

from comb.tables.bare import BareTable
from comb.tables.column import Column
from comb.tables.types import Type

_CONTEXT = "http://www.w3.org/ns/csvw"

_BASES = {
    "string": "string",
    "integer": "integer",
    "decimal": "decimal",
    "number": "number",
    "boolean": "boolean",
    "date": "date",
}


def metadata_bytes(table: BareTable, name: str) -> bytes:
    """Describe a table saved as ``<name>.csv``.

    Parameters
    ----------
    table : BareTable
    name : str
        The table's name, which is the file's without ``.csv``.

    Returns
    -------
    bytes
        JSON: where it came from, how the file is written, and for each column its
        name, title, type and description.
    """
    origin = table.origin
    record: dict[str, Any] = {
        "@context": [_CONTEXT, {"language": "en"}],
        "url": f"{name}.csv",
        "dc:title": name,
        "dc:source": origin.name,
        "dc:identifier": f"sha256:{origin.checksum}",
        "notes": [f"missing cells and their reasons: {name}-cells.csv"],
        "dialect": {
            "encoding": "utf-8",
            "delimiter": ",",
            "quoteChar": '"',
            "doubleQuote": True,
            "header": True,
        },
        "tableSchema": {"columns": [_column(title, column) for title, column in table.columns.items()]},
    }
    return (json.dumps(record, indent=2, ensure_ascii=False) + "\n").encode()


def _column(title: str, column: Column) -> dict[str, Any]:
    record: dict[str, Any] = {
        "name": quote(title, safe=""),
        "titles": title,
        "datatype": _datatype(column.type),
        "required": not column.missing_count,
    }
    if column.description:
        record["dc:description"] = column.description
    return record


def _datatype(kind: Type) -> str | dict[str, str]:
    base = _BASES[kind.word]
    if kind.word == "decimal":
        return {"base": base, "format": "0." + "0" * kind.scale if kind.scale else "0"}
    return {"base": base, "format": "yyyy-MM-dd"} if kind.word == "date" else base
