"""A description of a table by CSV on the Web (W3C, 2015) replaces guessing. Pure: JSON in, schema out."""

import csv
import io
import json
from collections.abc import Mapping
from functools import cached_property
from typing import Any
from urllib.parse import unquote

import msgspec
from msgspec.structs import replace

from comb.errors import ContentError, ParameterError, listing
from comb.formats.formulas import armed_again
from comb.formats.regular_expressions import problem_with
from comb.parsing.patterns import Request, check_pattern
from comb.reading.schema.shape import WITHOUT_IT, check_shape
from comb.tables.types import STORAGE

# The datatypes of the standard that Comb's types stand for.
_TYPES = {
    **dict.fromkeys(("string", "normalizedString", "token", "anyURI", "any", "anyAtomicType", "xml", "html", "language",
                     "Name", "NMTOKEN", "QName", "base64Binary", "hexBinary"), "string"),
    **dict.fromkeys(("integer", "long", "int", "short", "byte", "nonNegativeInteger", "positiveInteger",
                     "nonPositiveInteger", "negativeInteger", "unsignedLong", "unsignedInt", "unsignedShort",
                     "unsignedByte"), "integer"),
    "decimal": "decimal", "number": "number", "double": "number", "float": "number", "boolean": "boolean",
    "date": "date", "dateTime": "datetime", "datetime": "datetime", "dateTimeStamp": "datetime", "time": "time",
    "duration": "duration", "dayTimeDuration": "duration", "json": "json", "gYear": "date", "gYearMonth": "date",
}  # fmt: skip

# The ranges of the narrower ones.
_LEAST = {"nonNegativeInteger": "0", "unsignedLong": "0", "unsignedInt": "0", "unsignedShort": "0", "unsignedByte": "0",
          "positiveInteger": "1", "byte": "-128", "short": "-32768", "int": "-2147483648"}  # fmt: skip

_MOST = {"nonPositiveInteger": "0", "negativeInteger": "-1", "byte": "127", "short": "32767", "int": "2147483647",
         "unsignedByte": "255", "unsignedShort": "65535", "unsignedInt": "4294967295"}  # fmt: skip

# What these mean where no format is given.
_FORMATS = {"gYear": "yyyy", "gYearMonth": "yyyy-MM", "dateTimeStamp": "yyyy-MM-ddTHH:mm:ss.SSSXXX"}

_BOUNDS = {
    "minimum": ">=", "minInclusive": ">=", "minExclusive": ">",
    "maximum": "<=", "maxInclusive": "<=", "maxExclusive": "<",
}  # fmt: skip

# What the cells file is called in the notes of the metadata that `comb` writes, and what marks a list of codes.
CELLS_NOTE = "comb:cells"
CODES_NOTE = "comb:codes"
SUMS_NOTE = "comb:checksums"
DISARMED_NOTE = "comb:disarmed"
UNTYPED_NOTE = "comb:untyped"


class SchemaColumn(msgspec.Struct, frozen=True):
    """What a schema says of one column.

    Attributes
    ----------
    title : str
        Its name in the header.
    request : Request
        Type, pattern and marks.
    description : str
    missing : tuple of str
        Words for missing.
    required : bool
        Whether every cell has to have a value.
    default : str
        What a blank cell means.
    separator : str
        What parts several values in a cell.
    bounds : tuple of (str, str)
        Comparisons that values have to meet, as ``(">=", "0")``.
    lengths : (int, int)
        The fewest and most characters; 0 for no limit.
    shape : str
        A regular expression that texts have to match.
    codes : str
        The file that lists the values there may be, with what they stand for.
    names : tuple of str
        Other titles under which the column may stand.
    """

    title: str
    request: Request
    description: str = ""
    missing: tuple[str, ...] = ()
    required: bool = False
    default: str = ""
    separator: str = ""
    bounds: tuple[tuple[str, str], ...] = ()
    lengths: tuple[int, int] = (0, 0)
    shape: str = ""
    codes: str = ""
    names: tuple[str, ...] = ()


class Schema(msgspec.Struct, frozen=True, dict=True):
    """What is known of a table beforehand.

    Attributes
    ----------
    name : str
        The file it is in.
    columns : tuple of SchemaColumn
    options : dict
        Parameters of `load` that the dialect settles.
    key : tuple of str
        The columns that together identify a row.
    cells : str
        The file with reasons and kept texts, if there is one.
    notes : tuple of str
        What could not be honoured.
    checksums : dict of str to str
        Of the table's file and those that belong to it, as they were saved.
    size : int
        Bytes in the table's file; 0 if that is not known.
    disarmed : bool
        Whether texts that a spreadsheet program would run have an apostrophe in front.
    untyped : tuple of str
        Columns that had no value when the table was saved, so that nobody knows their type.
    """

    name: str
    columns: tuple[SchemaColumn, ...]
    options: dict[str, Any] = msgspec.field(default_factory=dict)
    key: tuple[str, ...] = ()
    cells: str = ""
    notes: tuple[str, ...] = ()
    checksums: dict[str, str] = msgspec.field(default_factory=dict)
    size: int = 0
    disarmed: bool = False
    untyped: tuple[str, ...] = ()

    @cached_property
    def types(self) -> dict[str, Request]:
        """The types by column, as `load` takes them."""
        return {column.title: column.request for column in self.columns}

    @cached_property
    def missing(self) -> dict[str, tuple[str, ...]]:
        """The words for missing, by column."""
        return {column.title: column.missing for column in self.columns}


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
        If it is not JSON, or no metadata of a table.
    """
    try:
        record = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise ContentError(f"this is not JSON: {error}", where=name, remedy=WITHOUT_IT) from None
    described = _table_of(record, url, name)
    if described is None:
        return None
    check_shape(described, name)
    schema = described.get("tableSchema")
    columns = schema.get("columns") if isinstance(schema, dict) else None
    if (
        not isinstance(schema, dict)
        or not isinstance(columns, list)
        or not all(isinstance(column, dict) for column in columns)
    ):
        raise ContentError("expected tableSchema with a list of columns", where=name)
    notes: list[str] = []
    virtual = [str(column.get("name", at)) for at, column in enumerate(columns, 1) if column.get("virtual")]
    if virtual:
        notes.append(f"virtual columns have no cells and are left out: {listing(virtual)}")
    codes = _codes(schema, record)
    null = described.get("null", record.get("null", schema.get("null", "")))
    inherited = {**schema, "null": null}
    real = [column for column in columns if not column.get("virtual")]
    known = tuple(_column({**_shared(inherited), **column}, at, notes, codes) for at, column in enumerate(real, 1))
    by_name = {str(column.get("name", one.title)): one.title for column, one in zip(real, known, strict=True)}
    key = schema.get("primaryKey", [])
    keys = tuple(by_name.get(name, unquote(name)) for name in ([key] if isinstance(key, str) else key))
    options = _dialect(described.get("dialect") or record.get("dialect") or {})
    sums, size = _sums(described)
    disarm = any(note.get(DISARMED_NOTE) is True for note in _notes(described))
    listed = [one for note in _notes(described) for one in _texts(note.get(UNTYPED_NOTE))]
    return Schema(name, known, options, keys, _cells_file(described), tuple(notes), sums, size, disarm, tuple(listed))


def _texts(value: Any) -> list[str]:
    return [one for one in value if isinstance(one, str)] if isinstance(value, list) else []


# What a schema may say for all of its columns.
_INHERITED = ("null", "default", "separator", "required", "datatype", "lang")


def _shared(schema: Mapping[str, Any]) -> dict[str, Any]:
    return {key: schema[key] for key in _INHERITED if key in schema}


def _codes(schema: Mapping[str, Any], record: Mapping[str, Any]) -> dict[str, str]:
    """Return the list of codes that single columns refer to, by the name of the column."""
    tables = record.get("tables", [])
    lists = {
        str(table.get("url"))
        for table in (tables if isinstance(tables, list) else [])
        if isinstance(table, dict) and any(CODES_NOTE in note for note in _notes(table))
    }
    found = {}
    for key in schema.get("foreignKeys", []):
        resource = key.get("reference", {}).get("resource", "") if isinstance(key, dict) else ""
        column = key.get("columnReference") if isinstance(key, dict) else None
        column = column[0] if isinstance(column, list) and len(column) == 1 else column
        if isinstance(column, str) and resource in lists:
            found[column] = str(resource)
    return found


def _table_of(record: Any, url: str, name: str) -> dict[str, Any] | None:
    """Return the description of the file, in a single one or in a group of tables."""
    if not isinstance(record, dict):
        raise ContentError(f"expected an object with a tableSchema, got a {type(record).__name__}", where=name)
    tables = record.get("tables", [record])
    for table in tables if isinstance(tables, list) else []:
        if isinstance(table, dict) and str(table.get("url", "")).rpartition("/")[2] == url:
            return {**record, **table}
    return None


def _column(record: Mapping[str, Any], at: int, notes: list[str], codes: Mapping[str, str]) -> SchemaColumn:
    titles = record.get("titles", record.get("name", f"_col.{at}"))
    if isinstance(titles, dict):
        titles = next(iter(titles.values()), "")
    listed = [str(title) for title in titles] if isinstance(titles, list) and titles else [str(titles)]
    text = listed[0] if "titles" in record else unquote(listed[0])
    datatype = record.get("datatype", "string")
    details = datatype if isinstance(datatype, dict) else {}
    base = str(details.get("base", "string") if details else datatype)
    separator = str(record.get("separator") or "")
    request = _request(base, details.get("format", ""), text, notes)
    bounds = [(operator, str(details[name])) for name, operator in _BOUNDS.items() if name in details]
    bounds += [(">=", _LEAST[base])] if base in _LEAST else []
    bounds += [("<=", _MOST[base])] if base in _MOST else []
    null = record.get("null", "")
    words = tuple(str(word) for word in ([null] if isinstance(null, str) else null) if word)
    exact = int(details.get("length", 0))
    lengths = (int(details.get("minLength", exact)), int(details.get("maxLength", exact)))
    shape = details.get("format", "") if request.word == "string" else ""
    return SchemaColumn(
        text, Request("string", "") if separator else request, str(record.get("dc:description", "")), words,
        bool(record.get("required")), str(record.get("default") or ""), separator, tuple(bounds), lengths,
        _expression(shape, text, notes), codes.get(str(record.get("name", text)), ""), tuple(listed[1:]),
    )  # fmt: skip


def _expression(shape: Any, title: str, notes: list[str]) -> str:
    if not isinstance(shape, str) or not shape:
        return ""
    problem = problem_with(shape)
    if problem:
        notes.append(f"the format {shape!r} of {title!r} is not checked: {problem}")
        return ""
    return shape


def _request(base: str, form: Any, title: str, notes: list[str]) -> Request:
    """Return a datatype as `load` takes it; one that Comb has not becomes string, with a note."""
    word = _TYPES.get(base, "")
    if not word:
        notes.append(f"the datatype {base} of {title!r} is not among {', '.join(STORAGE)}: read as string")
        return Request("string", "")
    decimal_mark = group_mark = ""
    pattern = form
    if isinstance(form, dict):
        pattern = form.get("pattern", "")
        decimal_mark, group_mark = str(form.get("decimalChar", ".")), str(form.get("groupChar", ""))
    pattern = str(pattern or _FORMATS.get(base, ""))
    if word in ("string", "json") or (word in ("decimal", "number", "integer") and pattern == "0"):
        pattern = ""
    request = Request(word, pattern, decimal_mark=decimal_mark, group_mark=group_mark)
    if not pattern:
        return request
    try:
        check_pattern(request)
    except ParameterError:
        notes.append(f"the format {pattern!r} of {title!r} is not understood: read as plain {word}")
        return replace(request, pattern="")
    return request


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


def _cells_file(record: Mapping[str, Any]) -> str:
    named = [note[CELLS_NOTE] for note in _notes(record) if CELLS_NOTE in note]
    return str(named[0]) if named else ""


def _sums(record: Mapping[str, Any]) -> tuple[dict[str, str], int]:
    """Return the checksums of the files that were described, and the size of the first."""
    for note in _notes(record):
        sums, size = note.get(SUMS_NOTE), note.get("comb:bytes", 0)
        if isinstance(sums, dict):
            return {str(name): str(checksum) for name, checksum in sums.items()}, size if isinstance(size, int) else 0
    return {}, 0


def _notes(record: Mapping[str, Any]) -> list[dict[str, Any]]:
    """Return the notes of a description that are objects; the standard leaves open what a note is."""
    notes = record.get("notes", [])
    return [note for note in notes if isinstance(note, dict)] if isinstance(notes, list) else []


def describes(text: str, file: str) -> bool:
    """Return whether a description is of a file."""
    try:
        return _table_of(json.loads(text), file, "") is not None
    except (ValueError, RecursionError):
        return False


def companions_in(text: str, file: str) -> list[str] | None:
    """Return the files that belong to a table by its description; None if Comb did not write that.

    Parameters
    ----------
    text : str
        The description.
    file : str
        Of the table.
    """
    described = _table_of(json.loads(text), file, "") if describes(text, file) else None
    sums = _sums(described or {})[0]
    return [name for name in sums if name != file] if file in sums else None


def read_codes(text: str, *, disarmed: bool = False) -> tuple[tuple[str, str], ...]:
    r"""Read a list of codes: values and what they stand for, below a line of header.

    >>> read_codes("value,label\r\n2,nervous\r\n")
    (('2', 'nervous'),)
    """
    rows = list(csv.reader(io.StringIO(text, newline="")))[1:]
    if disarmed:
        rows = [[armed_again(cell) for cell in row] for row in rows]
    return tuple((row[0], row[1] if len(row) > 1 else "") for row in rows if row)
