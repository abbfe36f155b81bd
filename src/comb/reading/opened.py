"""Open a source and find out what it is: delimited text, or a document with tables inside."""

import codecs
import contextlib
import io
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path, PurePath
from typing import TYPE_CHECKING

import msgspec
from msgspec.structs import replace

from comb.errors import ContentError, ParameterError
from comb.execution.disk import DiskStorage
from comb.execution.memory import HELD, JSON_TO_TEXT, LARGE, TIMES_REFERENCE, check_memory
from comb.execution.progress import Progress
from comb.execution.resources import Resources
from comb.formats.lazy_pattern import lazy_pattern
from comb.formats.sniff import (
    BINARY_START,
    SQLITE_START,
    TYPED_STARTS,
    ZIP_START,
    before_json,
    looks_like_json,
    looks_like_page,
)  # fmt: skip
from comb.kernels import dispatch
from comb.kernels.types import EVERYTHING, Data
from comb.reading.column_rules import ColumnRules
from comb.reading.delimited.assemble import RawTable, assemble
from comb.reading.delimited.chunk_reader import ChunkReader
from comb.reading.delimited.header import parse_header
from comb.reading.delimited.layout import Layout, guess_layout
from comb.reading.delimited.pipeline import ChunkPipeline
from comb.reading.io.compression import STREAMS, compression_of
from comb.reading.io.encoding import Decoded, decode, marked_codec, utf8_mark
from comb.reading.io.source_file import LOOK_AT, HeldSource, OpenSource, Stamp, kept_of
from comb.reading.io.text_stream import LOOK_BYTES, FileText, HeldText, NotUtf8Error, SourceText
from comb.reading.schema.apply import follow_schema, other_titles, settled_by_schema
from comb.tables.read_options import ReadOptions

if TYPE_CHECKING:
    from comb.reading.documents.model import Document

# With more lines above the header than this, the beginning of a file may not hold it.
MOST_LINES_LOOKED_AT = 1_000

# What is said of delimited text only.
TEXT_ONLY_BUT_ENCODING = ("delimiter", "quote", "skip")
TEXT_ONLY = (*TEXT_ONLY_BUT_ENCODING, "encoding")

# A larger text is not read as a sheet, cell by cell.
LARGEST_SHEET_TEXT = 20_000_000

# A larger text that is compressed or not UTF-8 is not decoded whole: that takes several copies of it.
LARGEST_DECODED_WHOLE = 1_000_000

# How far a large text was read is said once in this number of bytes.
TELL_EVERY = 50_000_000


class OpenText(msgspec.Struct, frozen=True):
    """A delimited text whose cells were found.

    Attributes
    ----------
    name, path : str
    stamp : Stamp
    compression : str
        How it was compressed; empty if it was not.
    decoded : Decoded
    layout : Layout
    raw_table : RawTable
    rules : ColumnRules
    provisional : bool
        Whether only the beginning was read.
    """

    name: str
    path: str
    stamp: Stamp
    compression: str
    decoded: Decoded
    layout: Layout
    raw_table: RawTable
    rules: ColumnRules
    provisional: bool


class OpenDocument(msgspec.Struct, frozen=True):
    """A document, opened; its tables are read when they are chosen.

    Attributes
    ----------
    name, path : str
    stamp : Stamp
    document : Document
    rules : ColumnRules
    table : str, optional
        Which of its tables is asked for.
    provisional : bool
        Whether only the beginning was read.
    """

    name: str
    path: str
    stamp: Stamp
    document: "Document"
    rules: ColumnRules
    table: str | None
    provisional: bool = False


def open_source(
    source: str | Path | HeldSource, options: ReadOptions, resources: Resources, *, first_look: bool = False
) -> OpenText | OpenDocument:
    """Open a source and read what it takes to make a table of it.

    Parameters
    ----------
    source : str or Path
    options : ReadOptions
    resources : Resources
    first_look : bool
        Read only the beginning of a large text.

    Raises
    ------
    ReadError
        If it cannot be read as a table.
    """
    options.check()
    with OpenSource(source, beside=resources.threads > 1, memory=resources.memory) as opened:
        start = opened.read(LOOK_BYTES)
        whole = not first_look and options.rows is None
        rules = settled_by_schema(opened, options, dialect=_may_be_delimited(start), whole=whole)
        if not start:
            return OpenDocument(opened.name, opened.path, opened.stamp(), _of_nothing(opened), rules, options.table)
        cut = not opened.at_end and rules.options.encoding is None
        lines = None
        if cut:
            from comb.reading.documents.json.beginning import beginning_of

            lines = beginning_of(start, rules.options.rows, first_look=first_look)
        if lines is not None:
            document = _document(lines, partial(bytes, lines), opened.name, rules.options, resources)
            if document is not None:
                stamp = opened.stamp()
                return OpenDocument(opened.name, opened.path, stamp, document, rules, options.table, first_look)
        held = max(HELD, resources.times_memory)
        read_all: Callable[[], Data] = (lambda: start) if opened.at_end else partial(opened.everything, start, held)
        if start.startswith(SQLITE_START):
            _check_settled(opened)
        if not opened.at_end and opened.size is not None and _is_found(start, rules.options):
            # It takes less than other documents, and need not be in memory.
            factor = resources.times_memory * JSON_TO_TEXT
            on_disk = resources.storage.on_disk
            read_all = partial(opened.kept, resources.storage) if on_disk else partial(opened.everything, start, factor)
        document = _document(start, read_all, opened.name, rules.options, resources)
        if document is not None:
            return OpenDocument(opened.name, opened.path, opened.stamp(), document, rules, options.table)
        if options.table and not _is_packed(start) and not _is_its_name(options.table, opened.name):
            if (opened.size or 0) > LARGEST_SHEET_TEXT:
                raise _too_large_for_sheet(options.table, opened.size or 0, opened.name)
            sheet = _text_as_sheet(opened.everything(start, held), opened.name, rules.options)
            return OpenDocument(opened.name, opened.path, opened.stamp(), sheet, rules, options.table)
        mark = None if opened.size is None or options.table else utf8_mark(start, options.encoding)
        if mark is not None and (opened.at_end or (options.skip or 0) < MOST_LINES_LOOKED_AT):
            few = first_look or options.rows is not None
            if not resources.storage.on_disk:
                times = resources.times_memory * (1 if dispatch.kernels.compiled else TIMES_REFERENCE)
                check_memory(len(start) if few else opened.size or 0, times, opened.path, resources.memory)
            with contextlib.suppress(NotUtf8Error):
                text = FileText(opened, start, mark, declared=options.encoding is not None)
                return _read_text(opened, text, rules, resources, first_look=first_look)
        storage = resources.storage
        if isinstance(storage, DiskStorage) and (opened.size or 0) * held > (resources.memory or 0):
            return _open_transcoded(opened, start, rules, resources, storage)
        return _open_decoded(opened, start, rules, resources)


def _of_nothing(opened: OpenSource) -> "Document":
    """Return what an empty file holds: as JSON Lines no record; anything else has a line of names at least."""
    from comb.reading.documents.json.document import is_named_lines, json_document

    if not is_named_lines(opened.name):
        raise ContentError("the file is empty", where=opened.name, remedy="expected a header line and rows below it")
    return json_document("", opened.name)


def _open_transcoded(
    opened: OpenSource, start: bytes, rules: ColumnRules, resources: Resources, storage: DiskStorage
) -> OpenText | OpenDocument:
    """Open a source that is compressed or not UTF-8, and does not fit into memory: by way of a temporary file."""
    from comb.reading.io.transcode import decompressed_file, transcoded

    options = rules.options
    file, compression = decompressed_file(opened, start, storage.file, options.table, options.most_bytes)
    if compression:
        size = file.seek(0, 2)
        file.seek(0)
        beginning = file.read(LOOK_BYTES)

        held = max(HELD, resources.times_memory)

        def content() -> Data:
            file.seek(0)
            if _is_found(beginning, options):
                return kept_of(file.read, size, storage)
            check_memory(size, held, opened.path, resources.memory)
            return file.read()

        document = _document(beginning, content, opened.name, options, resources)
        inner = _inside(options.table, compression, opened.name)
        if document is None and inner:
            if size > LARGEST_SHEET_TEXT:
                file.close()
                raise _too_large_for_sheet(inner, size, opened.name)
            document = _text_as_sheet(bytes(content()), opened.name, options.replace(table=inner))
        if document is not None:
            file.close()
            return OpenDocument(opened.name, opened.path, opened.stamp(), document, rules, inner)
    text = transcoded(file, opened.name, storage.file, options.encoding, threads=resources.threads)
    return _read_text(opened, text, rules, resources, compression=compression, size=text.size)


def _is_found(start: bytes, options: ReadOptions) -> bool:
    """Return whether a text is JSON whose records the kernels find, as far as its beginning shows."""
    text = start[:LOOK_AT].decode(errors="replace")
    return looks_like_json(text) and dispatch.kernels.compiled and options.encoding is None


def _check_settled(opened: OpenSource) -> None:
    """Raise a ContentError if a database has changes in a file beside it that are not in the database yet."""
    beside = Path(f"{opened.path}-wal")
    if opened.path and beside.is_file() and beside.stat().st_size:
        raise ContentError(
            f"changes of this database are still in {beside.name}, and would not be seen",
            where=opened.name,
            remedy="close the program that writes it, or have it run: pragma wal_checkpoint(truncate)",
        )


def _is_its_name(table: str, name: str) -> bool:
    """Return whether the table is meant that a file of one table is: it is called like the file."""
    return table in (name, PurePath(name).stem)


def _inside(table: str | None, compression: str, name: str) -> str | None:
    """Return the table that is meant inside a compressed file; None where its name is that of the file."""
    if table is None:
        return None
    member = PurePath(compression.partition(": ")[2] or PurePath(name).stem)
    own = {name, PurePath(name).stem, str(member), member.name, member.stem, compression.partition(": ")[2]}
    return None if table in own else table


def _too_large_for_sheet(table: str, size: int, name: str) -> ContentError:
    return ContentError(
        f"a table inside is asked for, {table!r}, and as a sheet a text of at most "
        f"{LARGEST_SHEET_TEXT:,} bytes is read; it has {size:,}",
        where=name,
        remedy="leave table out: it is read as one table",
    )


def _text_as_sheet(data: bytes, name: str, options: ReadOptions) -> "Document":
    """Read delimited text as a sheet, on which tables are found as in a workbook."""
    from comb.reading.documents.workbooks.book import read_text_as_sheet

    if len(data) > LARGEST_SHEET_TEXT:
        raise _too_large_for_sheet(options.table or "", len(data), name)
    decoded = decode(data, name, options.encoding)
    document = read_text_as_sheet(decoded.text, name, guess_layout(decoded.text, options))
    return replace(document, decoded=decoded.unless_plain())


def _is_packed(start: bytes) -> bool:
    """Return whether there may be several files in it."""
    return start.startswith((ZIP_START, *STREAMS))


def _may_be_delimited(start: bytes) -> bool:
    """Return whether the dialect of a schema may apply."""
    return not start.startswith((ZIP_START, BINARY_START, *TYPED_STARTS)) and not looks_like_json(_as_text(start))


def _as_text(start: bytes) -> str:
    """Return the beginning of a source as text, in UTF-16 too."""
    marked = marked_codec(start)
    some = start[:LOOK_AT]
    return some.decode(errors="replace") if marked is None else some[len(marked.mark) :].decode(marked.codec, "replace")


def _open_decoded(
    opened: OpenSource, start: bytes, rules: ColumnRules, resources: Resources
) -> OpenText | OpenDocument:
    """Open a source that has to be held whole: it is compressed, or not UTF-8."""
    options = rules.options
    data = opened.everything(start, max(HELD, resources.times_memory))
    content, compression = data, ""
    if compression_of(bytes(data[:LOOK_AT])):
        from comb.reading.io.decompress import decompress

        content, compression = decompress(data, opened.name, member=options.table, most=options.most_bytes)
    if compression:
        document = _document(content[:LOOK_BYTES], lambda: content, opened.name, options, resources)
        inner = _inside(options.table, compression, opened.name)
        if document is None and inner:
            document = _text_as_sheet(content, opened.name, options.replace(table=inner))
        if document is not None:
            return OpenDocument(opened.name, opened.path, opened.stamp(), document, rules, inner)
    # A byte order mark is nothing, too.
    if not content.removeprefix(b"\xef\xbb\xbf").strip() or content in (b"\xff\xfe", b"\xfe\xff"):
        where = f"{opened.name} ({compression})" if compression else opened.name
        remedy = "expected a header line and rows below it"
        raise ContentError("it contains only blank lines", where=where, remedy=remedy)
    if len(content) > LARGEST_DECODED_WHOLE:
        # What is larger is judged and decoded piece by piece, as it is on disk.
        from comb.reading.io.transcode import transcoded

        text = transcoded(io.BytesIO(content), opened.name, io.BytesIO, options.encoding, threads=resources.threads)
        return _read_text(opened, text, rules, resources, compression=compression, size=text.size)
    held = HeldText(decode(content, opened.name, options.encoding), opened.name)
    return _read_text(opened, held, rules, resources, compression=compression)


def _read_text(
    opened: OpenSource,
    text: SourceText,
    rules: ColumnRules,
    resources: Resources,
    *,
    compression: str = "",
    first_look: bool = False,
    size: int | None = None,
) -> OpenText:
    beginning = text.start.decode(errors="replace")
    most = EVERYTHING if rules.options.rows is None else rules.options.rows
    layout = guess_layout(beginning, rules.options, units=rules.schema is None)
    try:
        header = parse_header(beginning, text.start, layout)
        header.names = other_titles(header.names, rules.schema)
        text.read_from(header.offset)
        reader = ChunkReader(header, rules, text.again)
        whole = opened.size or 0 if size is None else size
        tell = _teller(opened.name, whole, resources)
        pipeline = ChunkPipeline(
            text, reader, most, resources, first_look=first_look and not text.complete, tell=tell
        )  # fmt: skip
        to_come = len(text.start) if text.complete else whole
        assembler = pipeline.read(lambda chunk: min(most, int(len(chunk.lines) * to_come / max(1, chunk.after))))
        raw_table = assemble(reader, assembler)
        decoded = text.decoded()
    except ContentError as error:
        error.where = opened.name
        raise
    raw_table.notes += decoded.bad_note()
    follow_schema(raw_table, rules.schema, opened.name)
    raw_table.notes.extend(rules.notes)
    return OpenText(
        opened.name, opened.path, opened.stamp(), compression, decoded, layout, raw_table, rules, not pipeline.whole
    )


def _teller(name: str, size: int, resources: Resources) -> Callable[[int, int], None]:
    """Return what says how far a large text was read, once for each `TELL_EVERY` bytes."""
    told = 0

    def tell(done: int, rows: int) -> None:
        nonlocal told
        if size >= LARGE and done - told >= TELL_EVERY:
            told = done
            message = f"reading {name}: {done / 1e9:.2f} of {size / 1e9:.2f} GB, {rows:,} rows"
            resources.progress(Progress(message, done, size, "byte"))

    return tell


def _document(
    start: bytes, whole: Callable[[], Data], name: str, options: ReadOptions, resources: Resources
) -> "Document | None":
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
    resources : Resources
    """
    if start.startswith((ZIP_START, BINARY_START)):
        from comb.reading.documents.workbooks.book import read_workbook

        book = read_workbook(bytes(whole()), name, options.most_bytes)
        if book is not None:
            _refuse_options(options, TEXT_ONLY, name, "a workbook")
        return book
    if start.startswith(TYPED_STARTS):
        _refuse_options(options, (*TEXT_ONLY, "header"), name, "a file that says its columns")
        if start.startswith(SQLITE_START):
            from comb.reading.documents.database import read_database

            return read_database(bytes(whole()), name)
        from comb.reading.documents.columnar import read_columnar

        return read_columnar(bytes(whole()), name)
    beginning = _as_text(start)
    if beginning.startswith(RECORD_MARK) and looks_like_json(beginning.lstrip(f"{RECORD_MARK} \t\r\n")):
        # A sequence of texts of JSON (RFC 7464): the mark before each is not used inside.
        parted = bytes(whole()).replace(RECORD_MARK.encode(), b" ")
        return _document(parted[:LOOK_BYTES], lambda: parted, name, options, resources)
    around = 0 if options.delimiter is not None or options.encoding is not None else before_json(beginning)
    said = beginning[:around]
    if around and start.startswith((said.encode(), codecs.BOM_UTF8 + said.encode())):
        mark = codecs.BOM_UTF8 if start.startswith(codecs.BOM_UTF8) and not said.startswith("\ufeff") else b""
        bare = without_around(bytes(whole()), len(mark) + len(said.encode()))
        document = _document(bare[:LOOK_BYTES], lambda: bare, name, options, resources)
        return None if document is None else replace(document, around=said.strip())
    if options.delimiter is not None or not (looks_like_page(beginning) or looks_like_json(beginning)):
        return None
    # What reads them is loaded when it is needed: delimited text is the usual case.
    from comb.reading.documents.json.document import json_document
    from comb.reading.documents.json.found_document import found_document
    from comb.reading.documents.workbooks.book import read_page

    content = whole()
    if looks_like_json(beginning):
        _refuse_options(options, (*TEXT_ONLY_BUT_ENCODING, "header"), name, "JSON")
    # Parsed, there are objects of Python for what is in it.
    held = max(HELD, resources.times_memory)
    check = partial(check_memory, len(content), held, name, resources.memory)
    if options.encoding is None:
        quick = found_document(content, name, resources.threads, resources.storage, check)
        if quick is not None:
            return quick
    check()
    decoded = decode(bytes(content), name, options.encoding, delimited=False)
    document = read_page(decoded.text, name) or json_document(decoded.text, name)
    return replace(document, decoded=decoded.unless_plain())


_NO_LINE_END = lazy_pattern(rb"[^\r\n]")


RECORD_MARK = "\x1e"


def without_around(data: bytes, size: int) -> bytes:
    r"""Return a document of JSON with spaces for what stands before and behind it, so that each line stays its own.

    >>> without_around(b"f(\n[1]);", 3)
    b'  \n[1]'
    """
    return _NO_LINE_END.sub(b" ", data[:size]) + data[size:].rstrip(b" \t\r\n;)")


def _refuse_options(options: ReadOptions, names: Sequence[str], name: str, kind: str) -> None:
    """Raise a ParameterError for what was given and does not apply here."""
    for option in names:
        if getattr(options, option) is not None:
            raise ParameterError(f"{option} does not apply to {kind}, and {name} is one")
