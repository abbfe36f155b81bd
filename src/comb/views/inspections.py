"""How a source is read, and why."""

import shlex

from comb.errors import ColumnError, counted, listing, unknown_name, washed
from comb.reading.folder import FolderInspection, folder_sentence, same_columns_sentences
from comb.reading.inspect import ColumnReading, Inspection, TableReading
from comb.tables.evidence import PROPOSED, Candidate
from comb.tables.layout import Line, Span
from comb.tables.types import STRING
from comb.views.lines import columns_of, heads, text_line, wrapped

# What is decided for each file of delimited text, and says nothing of several inside an archive.
_LAYOUT = frozenset({"encoding", "delimiter", "quote", "above the header", "header"})


def inspection_view(inspection: Inspection, width: int) -> list[Line]:
    """Show how a source is read, and the types of its columns."""
    table = inspection.tables[0]
    size = f"{inspection.size:,} bytes"
    if len(inspection.tables) > 1:
        return _several_tables(inspection, size, width)
    said = f"{inspection.name}: {size}, {counted(table.rows, 'row')} and {counted(len(table.columns), 'column')}"
    if table.provisional:
        said = (
            f"{inspection.name}: {size}, {len(table.columns)} columns; the first {table.rows:,} rows were looked at, "
            "so the types are provisional"
        )
    lines = [text_line(said, "said"), []]
    rows = [heads("decided", "", "because", "change it with")]
    for one in inspection.decisions:
        why = one.why + (f"; next best {one.runner_up}" if one.runner_up else "")
        rows.append(
            [Span(one.what), Span(one.value, "head"), Span(why), Span(f"--{one.option}" if one.option else "", "dim")]
        )
    lines += columns_of(rows, width=width)
    message = _around(table)
    message += [text_line(note) for note in table.notes]
    lines += [[], *message] if message else []
    return [*lines, [], *_types_view(table, width)]


def _several_tables(inspection: Inspection, size: str, width: int) -> list[Line]:
    said = f"{inspection.name}: {size}, {counted(len(inspection.tables), 'table')}"
    if inspection.tables[0].provisional:
        said += "; only the beginning was looked at, so rows, columns and types are provisional"
    lines = [*wrapped(said, width), []]
    for number, table in enumerate(inspection.tables, 1):
        first = "the first " if table.provisional else ""
        extent = f"  {first}{counted(table.rows, 'row')} and {counted(len(table.columns), 'column')}"
        lines.append([Span(f"{number}  ", "dim"), Span(washed(table.name), "head"), Span(extent)])
        lines.append(text_line(f"   {washed(table.place)}", "dim"))
        lines.append(text_line("   " + ", ".join(washed(column.name) for column in table.columns)))
        lines += [[Span("   "), *line] for line in _around(table)]
        lines += [line for note in table.notes for line in wrapped(f"   {washed(note)}", width)]
        lines.append([])
    # A document has an encoding, of which more is to be said if it was guessed, and no layout.
    files = any(one.what == "delimiter" for one in inspection.decisions)
    facts = [one for one in inspection.decisions if not (files and one.what in _LAYOUT)]
    rows = [[Span(one.what, "dim"), Span(washed(one.value)), Span(washed(one.why), "dim")] for one in facts]
    lines += [*columns_of(rows, width=width), []] if rows else []
    last = shlex.quote(inspection.tables[-1].name)
    return [*lines, text_line(f"one of them: --table 1, or by its name: --table {last}", "dim")]


def _types_view(table: TableReading, width: int) -> list[Line]:
    rows = [heads("column", "type", "missing", "evidence")]
    for column in table.columns:
        missing = Span(f"{column.missing:,}" if column.missing else "-", "dim" if not column.missing else "plain")
        rows.append([Span(column.name, "head"), Span(column.type), missing, Span(_short_evidence(column))])
    return columns_of(rows, right=[2], width=width)


def _short_evidence(column: ColumnReading) -> str:
    evidence = column.evidence
    if evidence is None:
        return ""
    chosen = evidence.chosen
    parts = [chosen.pattern] if chosen.pattern else []
    if chosen.misfits:
        parts.append(f"{chosen.misfits:,} of {chosen.fits + chosen.misfits:,} do not fit: ")
        parts[-1] += ", ".join(map(repr, evidence.examples[:3]))
    elif chosen.type.word != "string":
        parts.append(f"all {chosen.fits:,} fit")
    proposed = [f"could be a {one.type}" for one in evidence.tried if one.doubt.startswith(PROPOSED)]
    return "; ".join([*parts, *evidence.why[:1], *proposed])


def column_view(inspection: Inspection, name: str) -> list[Line]:
    """Show everything that speaks for and against the type of one column."""
    columns = {column.name: column for column in inspection.tables[0].columns}
    if name not in columns:
        what, remedy = unknown_name("column", name, list(columns))
        raise ColumnError(what, remedy=remedy)
    column = columns[name]
    evidence = column.evidence
    message = f"{name} is {evidence.chosen.type.in_full if evidence else column.type}"
    lines = [text_line(f"{message}, {counted(column.missing, 'cell')} missing", "said")]
    if evidence is None:
        return lines
    rows = [heads("could be", "written", "fit", "do not", "")]
    tried = list(evidence.tried) or [one for one in (evidence.chosen, evidence.runner_up) if one]
    if evidence.chosen not in tried:
        tried.insert(0, evidence.chosen)
    if not any(one.type == STRING for one in tried):
        # Whatever it is, it could stay text.
        tried.append(Candidate(STRING, evidence.chosen.fits + evidence.chosen.misfits, 0))
    for one in tried:
        chosen = one == evidence.chosen
        verdict = "declared" if chosen and evidence.declared else "chosen" if chosen else one.doubt
        if one == evidence.runner_up:
            verdict = f"next best{': ' if verdict else ''}{verdict}"
        style = "head" if chosen else "plain"
        counts = [Span(f"{one.fits:,}", style), Span(f"{one.misfits:,}", style)]
        rows.append([Span(one.type.in_full, style), Span(one.pattern, style), *counts, Span(verdict, style)])
    details = [[Span("because", "dim"), Span(why)] for why in evidence.why]
    details += [[Span("does not fit", "dim"), Span(washed(repr(text)))] for text in evidence.examples]
    return [*lines, [], *columns_of(rows, right=[2, 3]), *([[], *columns_of(details)] if details else [])]


def _around(table: TableReading) -> list[Line]:
    """Show what is above and below a table."""
    above = [text_line(f"text above the table: {washed(title)}", "dim") for title in table.titles]
    return above + [text_line(f"text below the table: {washed(footer)}", "dim") for footer in table.footers]


# Columns that several files share are listed up to this many.
MOST_SHARED = 12


def folder_view(found: FolderInspection, width: int) -> list[Line]:
    """Show what is in a folder."""
    rows = [heads("source", "bytes", "rows", "columns", "kind")]
    for one in found.entries:
        label = Span(washed(one.name), "head")
        if not one.tables:
            rows.append([label, Span(f"{one.size:,}"), Span("-", "dim"), Span("-", "dim"), Span(washed(one.problem))])
            continue
        for at, (name, count, names) in enumerate(one.tables):
            several = len(one.tables) > 1
            more = " or more" if one.provisional else ""
            first = [label, Span(f"{one.size:,}")] if not at else [Span(""), Span("")]
            kind = (one.kind if not at else "") + (f"{', ' if not at else ''}table {name}" if several else "")
            rows.append([*first, Span(f"{count:,}{more}"), Span(str(len(names))), Span(washed(kind))])
    lines = [text_line(folder_sentence(found), "said"), [], *columns_of(rows, right=[1, 2, 3], width=width)]
    told = same_columns_sentences(found)
    shared = list(found.shared.items())
    told += [f"column {name} is in {listing(list(files))}" for name, files in shared[:MOST_SHARED]]
    told += [f"and {len(shared) - MOST_SHARED} more columns are in several"] if len(shared) > MOST_SHARED else []
    return [*lines, *([[]] if told else []), *(line for text in told for line in wrapped(washed(text), width))]
