"""How a source would be read: each decision with its evidence and the option that overrides it."""

from pathlib import PurePath
from typing import Any

import msgspec

from comb.errors import washed_lines
from comb.execution.resources import DEFAULT
from comb.reading.column_rules import ColumnRules
from comb.reading.combine import around_note, only_texts, table_of, text_origin
from comb.reading.dataset_folder import DatasetFolder, dataset_folder
from comb.reading.delimited.first_lines import HOW_MANY_LINES
from comb.reading.delimited.layout import name_of
from comb.reading.documents.model import InnerTable
from comb.reading.io.beside import CHECKSUMS
from comb.reading.io.source_file import Source, expand, is_stream
from comb.reading.load import bounded, members_of
from comb.reading.opened import OpenDocument, OpenText, open_source
from comb.tables.evidence import Evidence
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable


class Decision(msgspec.Struct, frozen=True):
    """One thing that was decided about a source.

    Attributes
    ----------
    what, value, why : str
    runner_up : str
        What else it could have been; empty if nothing.
    option : str
        The name of the parameter of `load` that overrides it.
    """

    what: str
    value: str
    why: str
    runner_up: str
    option: str


class ColumnReading(msgspec.Struct, frozen=True):
    """One column of a table inside a source, its type and the evidence for it."""

    name: str
    type: str
    missing: int
    evidence: Evidence | None


class TableReading(msgspec.Struct, frozen=True):
    """A table inside a source.

    Attributes
    ----------
    name, place : str
    rows : int
    columns : tuple of ColumnReading
    notes : tuple of str
    titles, footers : tuple of str
        What is above the table, and below it.
    provisional : bool
        Whether only the beginning was looked at, so that there are more rows and types may change.
    """

    name: str
    place: str
    rows: int
    columns: tuple[ColumnReading, ...]
    notes: tuple[str, ...]
    titles: tuple[str, ...]
    footers: tuple[str, ...] = ()
    provisional: bool = False


class Inspection(msgspec.Struct, frozen=True):
    """What a source holds and how it would be read.

    Attributes
    ----------
    name, path : str
    size : int
        Bytes.
    decisions : tuple of Decision
    tables : tuple of TableReading
    """

    name: str
    path: str
    size: int
    decisions: tuple[Decision, ...]
    tables: tuple[TableReading, ...]

    def __repr__(self) -> str:
        lines = [f"{self.name}, {self.size:,} bytes"]
        lines += [f"  {one.what}: {one.value} ({one.why})" for one in self.decisions]
        for table in self.tables:
            rows = f"{table.rows:,} rows looked at, types provisional" if table.provisional else f"{table.rows:,} rows"
            lines.append(f"{table.name}: {rows} and {len(table.columns)} columns, {table.place}")
            lines += [f"  {column.name}: {column.evidence or column.type}" for column in table.columns]
        return washed_lines("\n".join(lines))

    def as_record(self) -> dict[str, Any]:
        """Return the inspection as plain values, for JSON."""
        decisions = [{name: getattr(one, name) for name in one.__struct_fields__} for one in self.decisions]
        tables = [
            {
                "name": table.name,
                "place": table.place,
                "rows": table.rows,
                "provisional": table.provisional,
                "titles": list(table.titles),
                "footers": list(table.footers),
                "notes": list(table.notes),
                "columns": [
                    {
                        "name": column.name,
                        "type": column.type,
                        "missing": column.missing,
                        "evidence": str(column.evidence),
                    }
                    for column in table.columns
                ],
            }
            for table in self.tables
        ]
        return {
            "name": self.name,
            "path": self.path,
            "size": self.size,
            "decisions": decisions,
            "tables": tables,
        }


def inspect_source(source: Source, options: ReadOptions) -> Inspection:
    """Find out how a source would be read, with the evidence for every decision.

    Of a zip archive with several files, every one is a table of the inspection. Of a large
    file only the beginning is looked at, and what is found there is provisional.
    """
    with bounded(source):
        return _inspect(source, options)


def _inspect(source: Source, options: ReadOptions) -> Inspection:
    files = expand(source)
    folder = dataset_folder(files[0]) if len(files) == 1 else None
    if folder is not None:
        return _folder_inspection(folder, options)
    members = members_of(files[0]) if len(files) == 1 and options.table is None and not is_stream(files[0]) else []
    if len(members) > 1:
        inside = only_texts([open_source(files[0], options.replace(table=member), DEFAULT) for member in members])
        tables = [_text_reading(member, source, one) for member, one in zip(members, inside, strict=True)]
        return _text_inspection(source, inside[:1], tuple(tables))
    opened = [open_source(one, options, DEFAULT, first_look=True) for one in files]
    if isinstance(opened[0], OpenDocument):
        return _document_inspection(opened[0])
    texts = only_texts(opened)
    reading = _table_reading(PurePath(texts[0].name).stem, table_of(source, opened), texts[0])
    return _text_inspection(source, texts, (reading,))


def _folder_inspection(folder: DatasetFolder, options: ReadOptions) -> Inspection:
    """Show what a dataset folder contains, and whether it is as it was saved."""
    chosen = [folder.choose(options.table)] if options.table else list(folder.tables.values())
    inside = [inspect_source(file, options.replace(table=None)) for file in chosen]
    why = f"held against {CHECKSUMS}"
    decisions = (Decision("kind", "dataset folder", f"{CHECKSUMS} is in it", "", ""),
                 Decision("checksums", folder.sentence, why, "", ""))  # fmt: skip
    tables = tuple(table for one in inside for table in one.tables)
    return Inspection(folder.path.name, str(folder.path), sum(one.size for one in inside), decisions, tables)


def _text_inspection(source: Source, texts: list[OpenText], tables: tuple[TableReading, ...]) -> Inspection:
    origin = text_origin(source, texts, texts[0].raw_table)
    return Inspection(origin.name, origin.path, origin.size, _decisions(texts[0]), tables)


def _text_reading(name: str, source: Source, text: OpenText) -> TableReading:
    return _table_reading(name, table_of(source, [text]), text)


def _table_reading(name: str, table: BareTable, text: OpenText) -> TableReading:
    columns = tuple(
        ColumnReading(title, str(column.type), column.missing_count, column.evidence)
        for title, column in table.columns.items()
    )
    place = f"{table.origin.name}, from line {text.layout.skip + 1}"
    titles, footers = tuple(text.raw_table.titles), tuple(text.raw_table.footers)
    # Here the titles are shown themselves.
    notes = tuple(note for note in table.notes if note not in around_note(titles, []))
    return TableReading(name, place, table.row_count, columns, notes, titles, footers, text.provisional)


def _document_inspection(opened: OpenDocument) -> Inspection:
    """Show what a document contains, and the columns of each table inside."""
    document = opened.document
    asked = opened.table or not document.tables
    inner = document.choose(opened.table, opened.name)[0] if asked else list(document.tables)
    facts = [Decision(what, value, "", "", "") for what, value in document.facts.items()]
    if document.around:
        facts.append(Decision("left out", document.around, "it stands before the JSON and is no part of it", "", ""))
    decoded = document.decoded
    if decoded is not None:
        facts.append(Decision("encoding", decoded.encoding, decoded.why, decoded.runner_up, "encoding"))
    decisions = (Decision("kind", document.kind, document.why, "", ""), *facts)
    tables = tuple(_inner_reading(one, opened.rules, provisional=opened.provisional) for one in inner)
    return Inspection(opened.name, opened.path, opened.stamp.size, decisions, tables)


def _inner_reading(inner: InnerTable, rules: ColumnRules, *, provisional: bool) -> TableReading:
    data = inner.make(rules)
    columns = tuple(
        ColumnReading(title, str(column.type), column.missing_count, column.evidence)
        for title, column in data.columns.items()
    )
    notes = (inner.about, *data.notes) if inner.about else tuple(data.notes)
    place = ", ".join([inner.place, *data.details])
    around = tuple(data.titles), tuple(data.footers)
    return TableReading(inner.name, place, len(data.lines), columns, notes, *around, provisional)


def _decisions(text: OpenText) -> tuple[Decision, ...]:
    layout, decoded = text.layout, text.decoded
    quote = {'"': "double", "'": "single", None: "none"}.get(layout.quote, repr(layout.quote))
    header = HOW_MANY_LINES[layout.header] if layout.header else "none"
    above = f"{layout.skip} line{'' if layout.skip == 1 else 's'}"
    before = []
    if text.compression:
        before = [Decision("compressed as", text.compression, "its first bytes say so", "", "table")]
    if text.rules.schema is not None:
        why = "a description by CSV on the Web: it settles names, types and layout"
        before.append(Decision("described in", PurePath(text.rules.schema.name).name, why, "", "schema"))
    return (
        *before,
        Decision("encoding", decoded.encoding, decoded.why, decoded.runner_up, "encoding"),
        Decision("delimiter", name_of(layout.delimiter), layout.why["delimiter"], layout.runner_up, "delimiter"),
        Decision("quote", quote, layout.why["quote"], "", "quote"),
        Decision("above the header", above, layout.why["skip"] if layout.skip else "nothing", "", "skip"),
        Decision("header", header, layout.why["header"], "", "header"),
    )
