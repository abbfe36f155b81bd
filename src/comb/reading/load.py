"""Load and inspect sources: the recipe that ties the parts of reading together."""

import contextlib
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path, PurePath
from typing import Any

import numpy as np

from comb.errors import ContentError, ParameterError, counted, listing
from comb.execution.resources import DEFAULT, Resources
from comb.formats.sniff import BINARY_START, looks_like_json, looks_like_page
from comb.kernels import dispatch
from comb.kernels.types import EVERYTHING
from comb.parsing.patterns import Request
from comb.reading.delimited.assemble import RawTable, assemble, type_columns
from comb.reading.delimited.chunk_reader import Reader, Wanted
from comb.reading.delimited.header import parse_header
from comb.reading.delimited.layout import Given, Layout, guess_layout, name_of
from comb.reading.delimited.pipeline import ChunkPipeline
from comb.reading.delimited.stack import stack
from comb.reading.documents.model import Asked, Document, InnerTable, stacked
from comb.reading.inspect import ColumnReading, Decision, Inspection, TableReading
from comb.reading.io.decompress import WORKBOOK_PARTS, ZIP_START, unfold, zip_members
from comb.reading.io.encoding import Decoded, decode, utf8_mark
from comb.reading.io.source_file import (
    MEMORY_FACTOR,
    MEMORY_FACTOR_DECODED,
    MEMORY_FACTOR_REFERENCE,
    OpenSource,
    Stamp,
    check_memory,
    combined,
    expand,
    read_beside,
    read_whole,
)
from comb.reading.io.text_stream import LOOK_BYTES, FileText, HeldText, NotUtf8Error, SourceText
from comb.reading.schema.cells_file import apply_cells
from comb.reading.schema.csvw import Schema, metadata_names, read_codes, read_schema
from comb.reading.schema.validate import Violation, obey
from comb.tables.origin import Origin
from comb.tables.table import BareTable

Source = str | Path | Sequence[str | Path]

MOST_LINES_TOLD = 5

# With more lines above the header than this, the beginning of a file may not hold it.
MOST_LINES_LOOKED_AT = 1_000

# What may become of lists of plain values.
LISTS = ("keep", "count", "rows")

# What is said of delimited text only.
TEXT_ONLY_BUT_ENCODING = ("delimiter", "quote", "skip")
TEXT_ONLY = (*TEXT_ONLY_BUT_ENCODING, "encoding")

# So much of a source shows whether it is a page.
LOOK_AT = 4_000


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadOptions:
    """How to read a source; None leaves a thing to be found out.

    Attributes
    ----------
    table : str, optional
        Which file of a zip archive.
    delimiter, quote, encoding : str, optional
        The delimiter ``spaces`` is a run of spaces. An empty quote means that quotes are
        ordinary characters; a backslash before it, that those inside fields have one.
    header : bool or int, optional
        Lines of header: 0 (False), 1 (True) or 2.
    skip : int, optional
        Lines above the header.
    missing : collection of str, optional
        Words for missing in all columns; an empty one means none at all.
    types : mapping of str to str, or str, optional
        Types by column, or one for all; a pattern may stand behind: ``date d.M.yyyy``.
    columns : sequence of str, optional
        Selectors of the columns to read.
    rows : int, optional
        Read only so many rows from the top.
    schema : str or Path, optional
        A file with CSV on the Web metadata; an empty text means that none is looked for.
    most_bytes : int, optional
        The most bytes a compressed source may unfold to.
    totals, fill_merged : bool
        Whether rows and columns that only sum up others are kept, and whether all the cells
        a merged one covers get its value.
    lists : str
        What becomes of lists of plain values in JSON: ``keep``, ``count`` or ``rows``.
    known : tuple of str
        The columns that a schema knows, of a document.
    """

    table: str | None = None
    delimiter: str | None = None
    quote: str | None = None
    encoding: str | None = None
    header: bool | int | None = None
    skip: int | None = None
    missing: Collection[str] | None = None
    types: Mapping[str, str | Request] | str | None = None
    columns: Sequence[str] | None = None
    rows: int | None = None
    schema: str | Path | None = None
    most_bytes: int | None = None
    totals: bool = False
    fill_merged: bool = False
    lists: str = "keep"
    known: tuple[str, ...] = ()

    def check(self) -> None:
        """Raise a ParameterError for a value outside what is allowed."""
        if self.delimiter is not None and not self.delimiter:
            raise ParameterError("expected a delimiter of at least one character, came an empty text")
        if self.delimiter is not None and set(self.delimiter) & set("\r\n"):
            raise ParameterError(f"a line end cannot be the delimiter, came {self.delimiter!r}")
        if self.quote is not None and len(self.quote.removeprefix("\\")) > 1:
            raise ParameterError(f"expected one quote character or none, came {self.quote!r}")
        if self.header not in (None, 0, 1, 2):
            raise ParameterError(f"expected a header of 0, 1 or 2 lines, came {self.header!r}")
        if self.lists not in LISTS:
            raise ParameterError(f"expected lists to be one of {listing(LISTS)}, came {self.lists!r}")
        for name in ("skip", "rows", "most_bytes"):
            value = getattr(self, name)
            if value is not None and value < 0:
                raise ParameterError(f"expected {name} of 0 or more, came {value}")

    def asked(self) -> Asked:
        """Return what concerns tables inside documents."""
        header = None if self.header is None else int(self.header)
        return Asked(
            header=header, missing=self.missing, types=self.types, columns=self.columns, rows=self.rows,
            totals=self.totals, fill_merged=self.fill_merged, lists=self.lists, known=self.known,
        )  # fmt: skip

    def given(self) -> Given:
        """Return what is known of the layout."""
        header = None if self.header is None else int(self.header)
        return Given(self.delimiter, self.quote, self.skip, header)


@dataclass(frozen=True, slots=True)
class OpenText:
    """Everything known of one file after its cells were found."""

    name: str
    path: str
    stamp: Stamp
    packed: str
    decoded: Decoded
    layout: Layout
    raw_table: RawTable
    schema: Schema | None
    options: ReadOptions
    wanted: Wanted
    provisional: bool


@dataclass(frozen=True, slots=True)
class OpenDocument:
    """A document, opened."""

    name: str
    path: str
    stamp: Stamp
    document: Document
    options: ReadOptions
    schema: Schema | None = None


def _quiet(told: str) -> None:
    """Tell nobody."""


def load_table(
    source: Source, options: ReadOptions, told: Callable[[str], None] = _quiet, resources: Resources = DEFAULT
) -> BareTable:
    """Load the table in a file of delimited text, or in several of one shape.

    Parameters
    ----------
    source : str, Path or sequence of them
        ``-`` is standard input; a pattern (``*.csv``) or a list names several files.
    options : ReadOptions
    told : callable
        Is told what is being done, in a line.
    effort : Resources

    Returns
    -------
    BareTable

    Raises
    ------
    ReadError
        If a source cannot be read as a table.
    """
    reads: list[OpenText | OpenDocument] = []
    for one in expand(source):
        told(f"reading {one}")
        reads.append(_read(one, options, resources))
    told(f"finding the types of {sum(len(read.raw_table) for read in reads if isinstance(read, OpenText)):,} rows")
    return _table(source, reads, resources.threads if dispatch.kernels.compiled else 1)


def load_beginning(source: Source, options: ReadOptions) -> tuple[BareTable, bool]:
    """Load what stands at the beginning of a file.

    Returns
    -------
    table, more
        Small files are loaded whole; of larger ones there are more rows, and the types are
        provisional.
    """
    reads = [_read(one, options, DEFAULT, first_look=True) for one in expand(source)]
    return _table(source, reads), any(isinstance(read, OpenText) and read.provisional for read in reads)


def load_tables(source: str | Path, options: ReadOptions) -> dict[str, BareTable]:
    """Load every table inside a source by name: of a workbook, a JSON document, a zip archive."""
    members = _members(source)
    if len(members) > 1:
        return {name: load_table(source, replace(options, table=name)) for name in members}
    read = _read(source, options, DEFAULT)
    if isinstance(read, OpenText):
        return {members[0] if members else PurePath(source).stem: _table(source, [read])}
    return {inner.name: _document_table(source, [(read, inner)], []) for inner in read.document.tables}


def _members(source: str | Path) -> list[str]:
    """Return the names of the files in a zip archive; none for any other source."""
    with OpenSource(source) as opened:
        start = opened.read(len(ZIP_START))
        names = zip_members(start + opened.rest(1)) if start == ZIP_START else []
        return [] if any(name in WORKBOOK_PARTS for name in names) else names


def inspect_source(source: Source, options: ReadOptions) -> Inspection:
    """Find out how a source would be read, with the evidence for every decision.

    Of a zip archive with several files, every one is a table of the inspection. Of a large
    file only the beginning is looked at, and what is found there is provisional.
    """
    files = expand(source)
    members = _members(files[0]) if len(files) == 1 and options.table is None and str(files[0]) != "-" else []
    if len(members) < 2:
        found = [_read(one, options, DEFAULT, first_look=True) for one in files]
        if isinstance(found[0], OpenDocument):
            return _inspected(source, found[0], options)
        reads = _only_texts(found)
        name = PurePath(reads[0].name).stem
        return _inspection(source, reads, (_table_reading(name, _table(source, found), reads[0]),))
    inside = _only_texts([_read(files[0], replace(options, table=member), DEFAULT) for member in members])
    readings = [
        _table_reading(member, _table(source, [read]), read) for member, read in zip(members, inside, strict=True)
    ]
    return _inspection(source, inside[:1], tuple(readings))


def _inspection(source: Source, reads: list[OpenText], tables: tuple[TableReading, ...]) -> Inspection:
    origin = _origin(source, reads, reads[0].raw_table)
    return Inspection(origin.name, origin.path, origin.size, _decisions(reads[0]), tables)


def _table_reading(name: str, table: BareTable, read: OpenText) -> TableReading:
    columns = tuple(
        ColumnReading(title, str(column.type), column.missing_count, column.evidence)
        for title, column in table.columns.items()
    )
    place = f"{table.origin.name}, from line {read.layout.skip + 1}"
    notes = (*read.raw_table.titles, *read.raw_table.footers)
    return TableReading(name, place, table.row_count, columns, table.notes, notes, read.provisional)


def _only_texts(reads: Sequence[OpenText | OpenDocument]) -> list[OpenText]:
    """Return the sources as delimited text; documents among them cannot be read together with it."""
    for read in reads:
        if isinstance(read, OpenDocument):
            raise ContentError(
                f"this is a {read.document.kind}, the first was delimited text", where=read.name,
                remedy="load it on its own",
            )  # fmt: skip
    return [read for read in reads if isinstance(read, OpenText)]


def _inspected(source: Source, read: OpenDocument, options: ReadOptions) -> Inspection:
    """Show what a document holds, and the columns of each table inside."""
    document, asked = read.document, options.asked()
    inner = document.choose(options.table, read.name)[0] if options.table else list(document.tables)
    tables = []
    for one in inner:
        made = one.make(asked)
        columns = tuple(
            ColumnReading(title, str(column.type), column.missing_count, column.evidence)
            for title, column in made.columns.items()
        )
        notes = (one.about, *made.notes) if one.about else tuple(made.notes)
        place = ", ".join([one.place, *made.told])
        tables.append(TableReading(one.name, place, len(made.lines), columns, notes, tuple(made.titles)))
    facts = [Decision(what, told, "", "", "") for what, told in document.facts.items()]
    decisions = (Decision("kind", document.kind, document.why, "", ""), *facts)
    return Inspection(read.name, read.path, read.stamp.size, decisions, tuple(tables))


def _read(
    source: str | Path, options: ReadOptions, resources: Resources, *, first_look: bool = False
) -> OpenText | OpenDocument:
    options.check()
    with OpenSource(source, beside=resources.threads > 1) as opened:
        schema = _find_schema(opened, options)
        start = opened.read(LOOK_BYTES)
        if schema is not None:
            # The dialect is that of delimited text.
            plain = not start.startswith((ZIP_START, BINARY_START))
            dialect = plain and not looks_like_json(start[:LOOK_AT].decode(errors="replace"))
            options = _settled(options, schema, dialect=dialect)
        if not start:
            raise ContentError(
                "the file is empty", where=opened.name, remedy="expected a header line and rows below it"
            )
        whole = partial(opened.everything, start, MEMORY_FACTOR_DECODED)
        document = _document(
            start, (lambda: start) if opened.at_end else whole, opened.name, options, resources.threads
        )
        if document is not None:
            return OpenDocument(opened.name, opened.path, opened.stamp(), document, options, schema)
        mark = None if opened.size is None or options.table else utf8_mark(start, options.encoding)
        if mark is not None and (opened.at_end or (options.skip or 0) < MOST_LINES_LOOKED_AT):
            few = first_look or options.rows is not None
            factor = MEMORY_FACTOR if dispatch.kernels.compiled else MEMORY_FACTOR_REFERENCE
            check_memory(len(start) if few else opened.size or 0, factor, opened.path)
            with contextlib.suppress(NotUtf8Error):
                text = FileText(opened, start, mark, declared=options.encoding is not None)
                return _read_text(opened, text, options, schema, resources, first_look=first_look)
        content, packed = unfold(
            opened.everything(start, MEMORY_FACTOR_DECODED), opened.name, member=options.table, most=options.most_bytes
        )
        document = (
            _document(content[:LOOK_BYTES], lambda: content, opened.name, options, resources.threads)
            if packed
            else None
        )
        if document is not None:
            return OpenDocument(
                opened.name, opened.path, opened.stamp(), document, replace(options, table=None), schema
            )
        if not content.strip():
            told = f"{opened.name} ({packed})" if packed else opened.name
            remedy = "expected a header line and rows below it"
            raise ContentError("there is nothing but blank lines in it", where=told, remedy=remedy)
        held = HeldText(decode(content, opened.name, options.encoding), opened.name)
        return _read_text(opened, held, options, schema, resources, packed=packed)


def _read_text(
    opened: OpenSource,
    text: SourceText,
    options: ReadOptions,
    schema: Schema | None,
    resources: Resources,
    *,
    packed: str = "",
    first_look: bool = False,
) -> OpenText:
    beginning = text.start.decode(errors="replace")
    layout = guess_layout(beginning, options.given())
    if schema is not None:
        layout = replace(layout, units=False)
    nulls = schema.missing if schema is not None and not options.missing else {}
    wanted = Wanted(options.missing, options.types, options.columns, guessing=schema is None, nulls=nulls)
    try:
        head = parse_header(beginning, text.start, layout)
        if schema is not None:
            # A column may stand under any of its titles.
            others = {name: column.title for column in schema.columns for name in column.names}
            head.names = [others.get(name, name) for name in head.names]
        text.read_from(head.offset)
        reader = Reader(head, wanted, text.again)
        most = EVERYTHING if options.rows is None else options.rows
        parts = ChunkPipeline(text, reader, most, resources, first_look=first_look and not text.complete)
        size = len(text.start) if text.complete else opened.size or 0
        raw_table = assemble(
            reader, parts.read(lambda part: min(most, int(len(part.lines) * size / max(1, part.after))))
        )
        decoded = text.decoded()
    except ContentError as error:
        error.where = opened.name
        raise
    if decoded.bad:
        raw_table.notes.append(_bad_bytes_told(decoded))
    if schema is not None:
        _follow_schema(raw_table, schema, opened.name)
    return OpenText(
        opened.name,
        opened.path,
        opened.stamp(),
        packed,
        decoded,
        layout,
        raw_table,
        schema,
        options,
        wanted,
        not parts.whole,
    )


def _bad_bytes_told(decoded: Decoded) -> str:
    lines = list(dict.fromkeys(f"{line:,}" for line, _ in decoded.bad))
    count = counted(sum(len(data) for _, data in decoded.bad), "byte")
    where = f"line{'s' if len(lines) > 1 else ''} {listing(lines, MOST_LINES_TOLD)}"
    return f"{count} not in {decoded.encoding}, shown as � and kept aside: {where}"


def _find_schema(source: OpenSource, options: ReadOptions) -> Schema | None:
    """Return the schema given, or the one the standard finds beside the file."""
    if options.schema is not None and str(options.schema):
        text = read_whole(options.schema).decode("utf-8-sig", errors="replace")
        schema = read_schema(text, str(options.schema), source.name)
        if schema is None:
            raise ContentError(f"this is no description of {source.name}", where=str(options.schema))
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


def _settled(options: ReadOptions, schema: Schema, *, dialect: bool) -> ReadOptions:
    """Let the schema settle what was not given."""
    given = schema.options if dialect else {}
    settled = {name: value for name, value in given.items() if getattr(options, name) is None}
    declared = dict.fromkeys(schema.types, options.types) if isinstance(options.types, str) else options.types or {}
    types: dict[str, str | Request] = {**schema.types, **declared}
    if not dialect:
        return replace(options, types=types, known=tuple(schema.types))
    missing = () if options.missing is None else options.missing
    return replace(options, **settled, types=types, missing=missing)


def _follow_schema(raw_table: RawTable, schema: Schema, name: str) -> None:
    """Name columns as the schema does; a header that says otherwise is an error."""
    titles = [column.title for column in schema.columns]
    if len(raw_table.names) < len(titles) or any(
        found != title and not found.startswith("_col.") for found, title in zip(raw_table.names, titles, strict=False)
    ):
        raise ContentError(
            f"the columns are {listing(raw_table.names)}; its description says {listing(titles)}",
            where=name,
            remedy=f"mend {schema.name}, or read the file without it: schema='', or --schema ''",
        )
    renamed = dict(zip(raw_table.names, [*titles, *raw_table.names[len(titles) :]], strict=True))
    raw_table.names = list(renamed.values())
    raw_table.pieces = {renamed[name]: pieces for name, pieces in raw_table.pieces.items()}
    raw_table.units = {renamed[name]: unit for name, unit in raw_table.units.items()}
    raw_table.units.update({column.title: column.description for column in schema.columns if column.description})
    raw_table.notes.extend(schema.notes)


def _document(
    start: bytes, whole: Callable[[], bytes], name: str, options: ReadOptions, threads: int
) -> Document | None:
    """Return the document that a source is, whatever its name says; None for delimited text.

    Parameters
    ----------
    start : bytes
        Its beginning.
    whole : callable
        Returns all of it.
    name : str
        What to call it in messages.
    options : ReadOptions
    threads : int
    """
    if start.startswith((ZIP_START, BINARY_START)):
        from comb.reading.documents.workbooks.book import read_workbook

        book = read_workbook(whole(), name, options.most_bytes)
        if book is not None:
            _refuse_options(options, TEXT_ONLY, name, "a workbook")
        return book
    beginning = start[:LOOK_AT].decode(errors="replace")
    if options.delimiter is not None or not (looks_like_page(beginning) or looks_like_json(beginning)):
        return None
    # What reads them is loaded when it is needed: delimited text is the usual case.
    from comb.reading.documents.json.document import json_document, json_lines_document
    from comb.reading.documents.workbooks.book import read_page

    content = whole()
    if looks_like_json(beginning):
        _refuse_options(options, (*TEXT_ONLY_BUT_ENCODING, "header"), name, "JSON")
    quick = json_lines_document(content, name, threads) if options.encoding is None else None
    if quick is not None:
        return quick
    text = decode(content, name, options.encoding, delimited=False).text
    return read_page(text, name) or json_document(text, name)


def _refuse_options(options: ReadOptions, names: Sequence[str], name: str, kind: str) -> None:
    """Raise a ParameterError for what was given and means nothing here."""
    for option in names:
        if getattr(options, option) is not None:
            raise ParameterError(f"{option} means nothing for {kind}, and {name} is that")


def _table(source: Source, reads: Sequence[OpenText | OpenDocument], threads: int = 1) -> BareTable:
    if isinstance(reads[0], OpenDocument):
        chosen_tables, notes = [], []
        for read in reads:
            if not isinstance(read, OpenDocument):
                raise ContentError("this is delimited text, the first was a document", where=read.name)
            inner, note = read.document.choose(read.options.table, read.name)
            chosen_tables += [(read, one) for one in inner]
            notes += [note] if note else []
        return _document_table(source, chosen_tables, notes)
    return _text_table(source, _only_texts(reads), threads)


def _document_table(source: Source, tables: list[tuple[OpenDocument, InnerTable]], notes: list[str]) -> BareTable:
    """Make a table of one or several inside documents."""
    asked = tables[0][0].options.asked()
    made = [inner.make(asked) for _, inner in tables]
    reads = list(dict.fromkeys(read.name for read, _ in tables))
    first, several = tables[0][0], len(tables) > 1
    names = [f"{read.name}, {inner.name}" if len(reads) > 1 else inner.name for read, inner in tables]
    columns = made[0].columns
    if several:
        columns, told = stacked(made, names, first.name)
        notes = [*told, *notes]
    # What there is besides comes last, where the sentence over the table shows it.
    of_each = [
        f"{name}: {note}" if several else note for one, name in zip(made, names, strict=True) for note in one.notes
    ]
    notes = [*of_each, *notes]
    stamps = {read.name: read.stamp for read, _ in tables}
    origin = Origin(
        f"{len(reads)} files" if len(reads) > 1 else first.name,
        str(source) if isinstance(source, str | Path) else "",
        sum(stamp.size for stamp in stamps.values()),
        max(stamp.modified for stamp in stamps.values()),
        combined([stamp.checksum for stamp in stamps.values()]),
        {"kind": first.document.kind, "table": names if several else names[0], **({} if several else made[0].reading)},
        np.concatenate([one.lines for one in made]),
        tuple(read.name for read, _ in tables) if several else (),
        np.repeat(np.arange(len(made)), [len(one.lines) for one in made]) if several else np.zeros(0, np.int64),
        tuple(one.place for one in made),
        {} if several else made[0].cell_places,
    )
    if first.schema is not None and not several:
        violations, told = _obeyed(columns, first.schema, first.path)
        origin = replace(origin, violations=tuple(violations))
        notes += [*first.schema.notes, *told]
    return BareTable(columns, origin=origin, notes=tuple(notes))


def _text_table(source: Source, reads: list[OpenText], threads: int = 1) -> BareTable:
    names = [read.name for read in reads]
    stacked = stack([read.raw_table for read in reads], names)
    raw_table = stacked.raw_table
    columns = type_columns(raw_table, reads[0].wanted, threads)
    notes = list(raw_table.notes)
    origin = _origin(source, reads, raw_table)
    if len(reads) == 1:
        first = reads[0]
        violations, told = _obeyed(columns, first.schema, first.path)
        notes += [*told, *_apply_cells(columns, first)]
        origin = replace(origin, violations=tuple(violations))
    if len(reads) > 1:
        origin = replace(origin, sources=tuple(names), source_index=stacked.sources)
    return BareTable(columns, origin=origin, notes=tuple(notes))


def _obeyed(columns: dict[str, Any], schema: Schema | None, path: str) -> tuple[list[Violation], list[str]]:
    """Apply a schema to columns, and check what it demands."""
    if schema is None:
        return [], []
    codes: dict[str, tuple[tuple[str, str], ...]] = {}
    lost = []
    for one in schema.columns:
        if one.codes and one.codes not in codes:
            text = read_beside(path, one.codes)
            if text is None:
                lost.append(f"{one.codes} is not there: what the values of {one.title} stand for is not known")
            else:
                codes[one.codes] = read_codes(text)
    violations, notes = obey(columns, schema, codes)
    return violations, [*notes, *lost]


def _apply_cells(columns: dict[str, Any], read: OpenText) -> list[str]:
    """Give back the reasons and texts that a saved table keeps in a file of its own."""
    if read.schema is None or not read.schema.cells or read.options.rows is not None:
        return []
    text = read_beside(read.path, read.schema.cells)
    if text is None:
        return [f"{read.schema.cells} is not there: why cells are missing is not known"]
    return apply_cells(columns, text, read.schema.cells)


def _origin(source: Source, reads: list[OpenText], raw_table: RawTable) -> Origin:
    first = reads[0]
    options, layout = first.options, first.layout
    reading = {
        "table": options.table,
        "encoding": first.decoded.encoding,
        "delimiter": layout.delimiter,
        "quote": layout.escape + (layout.quote or ""),
        "skip": layout.skip,
        "header": layout.header,
        "missing": None if options.missing is None else list(options.missing),
        "types": _types_told(options.types),
        "columns": options.columns,
        "rows": options.rows,
        "titles": raw_table.titles,
        "footers": raw_table.footers,
        "bad_bytes": [(line, data.hex(" ")) for line, data in first.decoded.bad],
    }
    several = len(reads) > 1
    return Origin(
        f"{len(reads)} files" if several else first.name,
        "" if several and not isinstance(source, str | Path) else str(source),
        sum(read.stamp.size for read in reads),
        max(read.stamp.modified for read in reads),
        combined([read.stamp.checksum for read in reads]),
        reading,
        raw_table.lines,
    )


def _types_told(types: Mapping[str, str | Request] | str | None) -> Any:
    """Write types that were asked for as text."""
    return {name: str(one) for name, one in types.items()} if isinstance(types, Mapping) else types


def _decisions(read: OpenText) -> tuple[Decision, ...]:
    layout, decoded = read.layout, read.decoded
    quote = {'"': "double", "'": "single", None: "none"}.get(layout.quote, repr(layout.quote))
    header = {0: "none", 1: "one line", 2: "two lines"}[layout.header]
    above = f"{layout.skip} line{'' if layout.skip == 1 else 's'}"
    packed = [Decision("packed as", read.packed, "its first bytes say so", "", "table")] if read.packed else []
    described = []
    if read.schema is not None:
        why = "a description by CSV on the Web: it settles names, types and layout"
        described = [Decision("described in", PurePath(read.schema.name).name, why, "", "schema")]
    return (
        *packed,
        *described,
        Decision("encoding", decoded.encoding, decoded.why, decoded.runner_up, "encoding"),
        Decision("delimiter", name_of(layout.delimiter), layout.why["delimiter"], layout.runner_up, "delimiter"),
        Decision("quote", quote, layout.why["quote"], "", "quote"),
        Decision("above the header", above, layout.why["skip"] if layout.skip else "nothing", "", "skip"),
        Decision("header", header, layout.why["header"], "", "header"),
    )
