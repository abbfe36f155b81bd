"""Opened sources become one table, with its origin: one file, several of one shape, tables inside documents."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace

from comb.errors import ContentError, counted, listing, unknown_name
from comb.execution.storage import MEMORY, Storage
from comb.inference.decide import infer_column
from comb.reading.column_rules import ColumnRules
from comb.reading.delimited.assemble import RawTable, type_columns
from comb.reading.delimited.stack import stack
from comb.reading.io.source_file import HeldSource, Source, combined
from comb.reading.opened import OpenDocument, OpenText
from comb.reading.schema.apply import meet_demands, restore_cells
from comb.tables.column import Column
from comb.tables.evidence import MANY_DIGITS
from comb.tables.origin import DELIMITED, Origin, in_total
from comb.tables.read_options import ALL_COLUMNS, ReadOptions
from comb.tables.reasons import Reason
from comb.tables.stored import numbers_from_one
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import STRING

if TYPE_CHECKING:
    from comb.reading.documents.model import InnerTable
    from comb.reading.schema.csvw import Schema


def table_of(
    source: Source, opened: Sequence[OpenText | OpenDocument], threads: int = 1, storage: Storage = MEMORY
) -> BareTable:
    """Make one table of what was opened.

    Parameters
    ----------
    source : str, Path or sequence of them
        As it was named.
    opened : sequence of OpenText or OpenDocument
    threads : int
    storage : Storage
        Where the columns are kept.

    Raises
    ------
    ContentError
        If documents and delimited text are mixed, or the columns differ.
    """
    if not isinstance(opened[0], OpenDocument):
        return text_table(source, only_texts(opened), threads, storage)
    inner, notes = [], []
    for one in opened:
        if not isinstance(one, OpenDocument):
            raise ContentError("this is delimited text, the first was a document", where=one.name)
        found, note = one.document.choose(one.table, one.name)
        inner += [(one, table) for table in found]
        notes += [note] if note else []
    return document_table(source, inner, notes, storage)


def listed_paths(source: Source) -> tuple[str, ...]:
    """Return the paths of a list of files; none for one source."""
    if isinstance(source, str | Path | HeldSource) or any(isinstance(one, HeldSource) for one in source):
        return ()
    return tuple(str(one) for one in source)


def unused_words(columns: Mapping[str, Column], options: ReadOptions) -> list[str]:
    """Say which words for missing occur in no cell they were given for.

    Raises
    ------
    ContentError
        If words are given for a column that is not there.
    """
    given = options.missing if isinstance(options.missing, dict) else {ALL_COLUMNS: options.missing or []}
    notes = []
    for name, words in given.items():
        if name != ALL_COLUMNS and name not in columns:
            if options.columns is not None:
                continue
            what, remedy = unknown_name("column", name, list(columns))
            raise ContentError(f"words for missing are given, but {what}", remedy=remedy)
        meant = columns.values() if name == ALL_COLUMNS else [columns[name]]
        left = dict.fromkeys(word.strip() for word in words)
        for column in meant:
            for text in set(column.kept.items.to_list()) if left else ():
                left.pop((text or "").strip(), None)
        where = "nowhere" if name == ALL_COLUMNS else f"nowhere in {name}"
        if left and options.rows is None:
            quoted = listing([repr(word) for word in left])
            notes.append(f"words for missing that occur {where}: {quoted}")
    return notes


def only_texts(opened: Sequence[OpenText | OpenDocument]) -> list[OpenText]:
    """Return the sources as delimited text; documents among them cannot be read together with it."""
    for one in opened:
        if isinstance(one, OpenDocument):
            raise ContentError(
                f"this is a {one.document.kind}, the first was delimited text", where=one.name,
                remedy="load it on its own",
            )  # fmt: skip
    return [one for one in opened if isinstance(one, OpenText)]


# Of a text before a document this much is shown.
MOST_AROUND = 40


def document_table(
    source: Source, tables: "list[tuple[OpenDocument, InnerTable]]", notes: list[str], storage: Storage = MEMORY
) -> BareTable:
    """Make a table of one or several inside documents."""
    from comb.reading.documents.model import stacked

    first, several = tables[0][0], len(tables) > 1
    rules = first.rules
    # The types of texts are found in all tables together: what is a decimal in one is a decimal in the others.
    together = several and rules.options.types is None and all(inner.plain for _, inner in tables)
    if together:
        rules = replace(rules, options=rules.options.replace(types="string", missing=[]))
    data = [inner.make(rules) for _, inner in tables]
    files = list(dict.fromkeys(one.name for one, _ in tables))
    names = [f"{one.name}, {inner.name}" if len(files) > 1 else inner.name for one, inner in tables]
    columns = data[0].columns
    if several:
        # Of several files that a list names, all have the same columns.
        columns, below = stacked(data, names, first.name, union=len(files) == 1)
        if together:
            columns = {name: _inferred(name, column, first.rules) for name, column in columns.items()}
        notes = [*below, *notes]
    # What there is besides comes last, where the sentence over the table shows it.
    of_each = [
        f"{name}: {note}" if several else note for one, name in zip(data, names, strict=True) for note in one.notes
    ]
    notes = [*of_each, *notes]
    around = {one.name: one.document.around for one, _ in tables if one.document.around}
    for name, text in around.items():
        said = f"{text[:MOST_AROUND]!r} before the JSON is left out, and what closes it"
        notes.append(f"{name}: {said}" if len(files) > 1 else said)
    documents = {one.name: one.document.decoded for one, _ in tables if one.document.decoded is not None}
    for name, decoded in documents.items():
        notes += [f"{name}: {note}" if len(files) > 1 else note for note in decoded.bad_note()]
    notes += unused_words(columns, first.rules.options)
    if not several:
        notes += around_note(data[0].titles, data[0].footers)
    stamps = {one.name: one.stamp for one, _ in tables}
    counts = [len(one.lines) for one in data]
    asked = first.rules.options
    if asked.encoding is None and first.name in documents and documents[first.name].encoding != "utf-8":
        # It was guessed; so it is read again.
        asked = asked.replace(encoding=documents[first.name].encoding)
    origin = Origin(
        f"{len(files)} files" if len(files) > 1 else first.name,
        str(source) if isinstance(source, str | Path) else "",
        sum(stamp.size for stamp in stamps.values()),
        max(stamp.modified for stamp in stamps.values()),
        combined([stamp.checksum for stamp in stamps.values()]),
        # Which table was read is part of how; a pattern names several.
        asked if several or asked.table else asked.replace(table=names[0]),
        first.document.kind,
        np.concatenate([one.lines for one in data]),
        tuple(one.name for one, _ in tables) if several else (),
        np.repeat(np.arange(len(data)), counts) if several else np.zeros(0, np.int64),
        tuple(one.place for one in data),
        tuple(one.cell_places for one in data),
        titles=tuple(data[0].titles),
        footers=tuple(data[0].footers),
        set_aside=tuple(aside for one in data for aside in one.set_aside),
        bad_bytes=tuple((line, data.hex(" ")) for one in documents.values() for line, data in one.bad),
        paths=listed_paths(source),
        account=in_total([one.account for one in data]),
        wrong_totals=tuple(wrong for one in data for wrong in one.wrong_totals),
    )
    notes += first.rules.notes
    if first.rules.schema is not None and not several:
        violations, found = meet_demands(columns, first.rules.schema, first.path)
        origin = replace(origin, violations=tuple(violations), required=_required(first.rules.schema))
        notes += [*first.rules.schema.notes, *found]
    return BareTable(columns, origin=origin, notes=tuple(notes), storage=storage)


def _inferred(name: str, column: Column, rules: ColumnRules) -> Column:
    """Give a column of texts its type; what is absent stays so."""
    if column.type != STRING or not any(column.texts()):
        return column
    absent = column.states == Reason.ABSENT
    texts = Text.from_strings([text or "" for text in column.texts()])
    made = infer_column(texts, missing=rules.options.words_of(name), known=rules.options.knows_words(name))
    made = made._replace(description=column.description, source=column.source)
    return made._emptied(absent, Reason.ABSENT) if absent.any() else made


def files_table(
    source: Source, tables: Mapping[str, BareTable], files: Sequence[str], options: ReadOptions
) -> BareTable:
    """Make a table of those of the files in an archive or folder, as of the sheets of a workbook.

    Parameters
    ----------
    source : str or Path
    tables : mapping of str to BareTable
        By the names of the files, without suffixes.
    files : sequence of str
        Their whole names.
    options : ReadOptions
        How they were read.
    """
    from comb.reading.documents.model import TableData, stacked

    names, several = list(tables), len(tables) > 1
    origins = [table.origin for table in tables.values()]
    data = [TableData(dict(table.columns), table.origin.lines) for table in tables.values()]
    if not several:
        return next(iter(tables.values()))
    columns, notes = stacked(data, names, str(source))
    counts = [table.row_count for table in tables.values()]
    asides = [
        replace(one, place=f"{name}, {one.place}")
        for name, origin in zip(names, origins, strict=True)
        for one in origin.set_aside
    ]
    path = str(source) if isinstance(source, str | Path) else ""
    origin = Origin(
        Path(path).name,
        path,
        sum(origin.size for origin in origins) if Path(path).is_dir() else origins[0].size,
        max(origin.modified for origin in origins),
        combined([origin.checksum for origin in origins]),
        options,
        origins[0].kind,
        np.concatenate([origin.lines for origin in origins]),
        tuple(f"{Path(path).name}, {file}" for file in files),
        np.repeat(np.arange(len(tables)), counts),
        tuple(origin.places[0] for origin in origins),
        tuple(origin.cell_places[0] if origin.cell_places else {} for origin in origins),
        set_aside=tuple(asides),
        account=in_total([origin.account for origin in origins]),
        wrong_totals=tuple(wrong for origin in origins for wrong in origin.wrong_totals),
    )
    # What there is besides comes last, where the sentence over the table shows it.
    of_each = [f"{name}: {note}" for name, table in tables.items() for note in table.notes]
    storage = next(iter(tables.values()))._storage
    return BareTable(columns, origin=origin, notes=(*of_each, *notes), storage=storage)


def text_table(source: Source, texts: list[OpenText], threads: int = 1, storage: Storage = MEMORY) -> BareTable:
    """Make a table of one delimited text, or of several with the same columns."""
    names, first = [one.name for one in texts], texts[0]
    whole = stack([one.raw_table for one in texts], names)
    columns = type_columns(whole.raw_table, first.rules, threads, storage)
    numbers = numbers_from_one(len(whole.raw_table.lines), storage)
    notes = list(whole.raw_table.notes)
    if not any(one.provisional for one in texts):
        notes += unused_words(columns, first.rules.options)
    notes += _rounded(columns)
    # What is below the rows was found, and noted, with its lines.
    notes += around_note(whole.raw_table.titles, []) if len(texts) == 1 else []
    origin = text_origin(source, texts, whole.raw_table)
    if len(texts) > 1:
        origin = replace(origin, sources=tuple(names), source_index=whole.sources)
        if any(one.rules.schema is not None and one.rules.schema.cells for one in texts):
            notes.append(
                "of several files read as one, reasons of missing cells are not restored: load each, then stack"
            )
        return BareTable(columns, row_numbers=numbers, origin=origin, notes=tuple(notes), storage=storage)
    violations, found = meet_demands(columns, first.rules.schema, first.path)
    whole_table = not first.provisional and first.rules.options.rows is None
    notes += [*found, *restore_cells(columns, first.rules, first.path, whole=whole_table)]
    origin = replace(origin, violations=tuple(violations), required=_required(first.rules.schema))
    return BareTable(columns, row_numbers=numbers, origin=origin, notes=tuple(notes), storage=storage)


def _required(schema: "Schema | None") -> tuple[str, ...]:
    """Return the columns of which a schema demands that no cell is missing."""
    return () if schema is None else tuple(one.title for one in schema.columns if one.required)


def _rounded(columns: Mapping[str, Column]) -> list[str]:
    """Say which columns have values that lost digits when they became numbers."""
    notes = []
    for name, column in columns.items():
        why = column.evidence.why if column.evidence is not None else ()
        said = next((one for one in why if one.endswith(MANY_DIGITS)), None)
        if said is not None:
            notes.append(f"{name}: {said}, the rest is rounded; types={{{name!r}: 'string'}} keeps the texts")
    return notes


def around_note(titles: Sequence[str], footers: Sequence[str]) -> list[str]:
    """Say how many texts were above and below a table; the origin has them."""
    parts = [f"{counted(len(titles), 'line')} of titles above"] if titles else []
    parts += [f"{counted(len(footers), 'note')} below"] if footers else []
    return [f"{' and '.join(parts)} the rows"] if parts else []


def text_origin(source: Source, texts: list[OpenText], raw_table: RawTable) -> Origin:
    """Return where a table of delimited text came from, and how it would be read again."""
    first, several = texts[0], len(texts) > 1
    layout = first.layout
    options = first.rules.options.replace(
        encoding=first.decoded.encoding,
        delimiter=layout.delimiter,
        quote=layout.escape + (layout.quote or ""),
        skip=layout.skip,
        header=layout.header,
    )
    return Origin(
        f"{len(texts)} files" if several else first.name,
        str(source) if isinstance(source, str | Path) else "",
        sum(one.stamp.size for one in texts),
        max(one.stamp.modified for one in texts),
        combined([one.stamp.checksum for one in texts]),
        options,
        DELIMITED,
        raw_table.lines,
        titles=tuple(raw_table.titles),
        footers=tuple(raw_table.footers),
        bad_bytes=tuple((line, data.hex(" ")) for line, data in first.decoded.bad),
        account=raw_table.account,
        paths=listed_paths(source),
    )
