"""A description of a table by CSV on the Web (W3C, 2015) replaces guessing. Pure: JSON in, schema out."""

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import unquote

from comb.errors import ContentError, ParameterError
from comb.inference.patterns import parse_request
from comb.tables.types import STORAGE

# The datatypes of the standard that Comb's types stand for.
_TYPES = {
    "string": "string", "normalizedString": "string", "token": "string", "anyURI": "string", "any": "string",
    "integer": "integer", "long": "integer", "int": "integer", "short": "integer", "byte": "integer",
    "nonNegativeInteger": "integer", "positiveInteger": "integer", "nonPositiveInteger": "integer",
    "negativeInteger": "integer", "unsignedLong": "integer", "unsignedInt": "integer",
    "decimal": "decimal", "number": "number", "double": "number", "float": "number",
    "boolean": "boolean", "date": "date",
}  # fmt: skip

# What the cells file is called in the notes of the metadata that `comb` writes.
CELLS_NOTE = "comb:cells"


@dataclass(frozen=True, slots=True)
class SchemaColumn:
    """What a schema says of one column.

    Attributes
    ----------
    title : str
        Its name in the header.
    request : str
        Type and pattern, as `load` takes them.
    description : str
    """

    title: str
    request: str
    description: str = ""


@dataclass(frozen=True, slots=True)
class Schema:
    """What is known of a table beforehand.

    Attributes
    ----------
    name : str
        The file it stands in.
    columns : tuple of SchemaColumn
    options : dict
        Parameters of `load` that the dialect settles.
    missing : tuple of str
        Words for missing.
    cells : str
        The file with reasons and kept texts, if there is one.
    notes : tuple of str
        What could not be honoured.
    """

    name: str
    columns: tuple[SchemaColumn, ...]
    options: dict[str, Any] = field(default_factory=dict)
    missing: tuple[str, ...] = ()
    cells: str = ""
    notes: tuple[str, ...] = ()

    @property
    def types(self) -> dict[str, str]:
        """The types by column, as `load` takes them."""
        return {column.title: column.request for column in self.columns}


def metadata_names(file_name: str) -> tuple[str, str]:
    """Return where the standard looks for the metadata of a file, beside it."""
    return f"{file_name}-metadata.json", "csv-metadata.json"


def read_schema(text: str, name: str, url: str) -> Schema | None:
    """Read the metadata of one table.

    Parameters
    ----------
    text : str
        JSON.
    name : str
        What to call it in messages.
    url : str
        The file of the table; None is returned where the metadata is of other files.

    Raises
    ------
    ContentError
        If it is no JSON, or no metadata of a table.
    """
    try:
        record = json.loads(text)
    except ValueError as error:
        raise ContentError(f"this is no JSON: {error}", where=name) from None
    described = _table_of(record, url, name)
    if described is None:
        return None
    schema = described.get("tableSchema")
    columns = schema.get("columns") if isinstance(schema, dict) else None
    if not isinstance(columns, list) or not all(isinstance(column, dict) for column in columns):
        raise ContentError("expected tableSchema with a list of columns", where=name)
    notes: list[str] = []
    known = tuple(_column(column, at, notes) for at, column in enumerate(columns, 1) if not column.get("virtual"))
    options = _dialect(described.get("dialect") or record.get("dialect") or {})
    return Schema(name, known, options, _null_words(columns, schema), _cells_file(described), tuple(notes))


def _table_of(record: Any, url: str, name: str) -> dict[str, Any] | None:
    """Return the description of the file, in a single one or in a group of tables."""
    if not isinstance(record, dict):
        raise ContentError(f"expected an object with a tableSchema, came a {type(record).__name__}", where=name)
    tables = record.get("tables", [record])
    for table in tables if isinstance(tables, list) else []:
        if isinstance(table, dict) and str(table.get("url", "")).rpartition("/")[2] == url:
            return {**record, **table}
    return None


def _column(record: Mapping[str, Any], at: int, notes: list[str]) -> SchemaColumn:
    titles = record.get("titles", record.get("name", f"_col.{at}"))
    if isinstance(titles, dict):
        titles = next(iter(titles.values()), "")
    title = titles[0] if isinstance(titles, list) and titles else titles
    text = str(title) if "titles" in record else unquote(str(title))
    description = record.get("dc:description", "")
    return SchemaColumn(text, _request(record.get("datatype", "string"), text, notes), str(description))


def _request(datatype: Any, title: str, notes: list[str]) -> str:
    """Return a datatype as `load` takes it; one that Comb has not becomes string, with a note."""
    base, pattern = datatype, ""
    if isinstance(datatype, dict):
        base, pattern = datatype.get("base", "string"), datatype.get("format", "")
        if isinstance(pattern, dict):
            pattern = pattern.get("pattern", "")
    word = _TYPES.get(str(base), "")
    if not word:
        notes.append(f"the datatype {base} of {title!r} is not among {', '.join(STORAGE)}: read as string")
        return "string"
    if word not in ("date", "decimal") or not pattern or pattern == "0":
        return word
    try:
        parse_request(f"{word} {pattern}")
    except ParameterError:
        notes.append(f"the format {pattern!r} of {title!r} is not understood: read as plain {word}")
        return word
    return f"{word} {pattern}"


def _dialect(dialect: Mapping[str, Any]) -> dict[str, Any]:
    """Return what a dialect settles; the defaults are those of the standard."""
    header = dialect.get("headerRowCount", 1 if dialect.get("header", True) else 0)
    quote = dialect.get("quoteChar", '"') or ""
    if quote and dialect.get("doubleQuote", True) is False:
        quote = "\\" + quote
    return {
        "delimiter": dialect.get("delimiter", ","),
        "quote": quote,
        "encoding": dialect.get("encoding", "utf-8"),
        "skip": dialect.get("skipRows", 0),
        "header": header,
    }


def _null_words(columns: list[dict[str, Any]], schema: Any) -> tuple[str, ...]:
    words: dict[str, None] = {}
    for record in [schema, *columns]:
        null = record.get("null", [])
        words.update(dict.fromkeys([null] if isinstance(null, str) else null))
    return tuple(word for word in words if word)


def _cells_file(record: Mapping[str, Any]) -> str:
    notes = record.get("notes", [])
    named = [note[CELLS_NOTE] for note in notes if isinstance(note, dict) and CELLS_NOTE in note]
    return str(named[0]) if named else ""
