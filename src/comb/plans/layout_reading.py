"""How a source made for people is read: which of its tables are one, and whether a text is a sheet.

Of several tables with most columns in common all are read as one, one below the other, after a column that names each;
else those of one sheet or of the same columns; what is left alone is a table of its own. A delimited text is read as a
sheet where that finds more than one table in it, totals, or notes that a plain reading takes for rows. Merged cells are
filled where there are some among the rows.
"""

import contextlib
from collections.abc import Sequence
from itertools import takewhile
from pathlib import Path
from typing import NamedTuple

from comb.errors import CombError, ContentError
from comb.execution.resources import DEFAULT
from comb.plans.model import name_of
from comb.reading.column_rules import ColumnRules
from comb.reading.documents.model import EVERY_TABLE, InnerTable
from comb.reading.load import files_inside, load_table, members_of
from comb.reading.opened import OpenDocument, open_source
from comb.tables.column import Column
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable
from comb.tables.types import STRING

# The columns of labels and values without a header.
CARD = ("_col.1", "_col.2")

# A table that is turned has at least this many rows and columns, and at most this many variables.
LEAST_TURNED = 2
MOST_VARIABLES = 500

# The column that names each of several tables.
NAMES_EACH = "table"


class LayoutTable(NamedTuple):
    """A table to be planned.

    Attributes
    ----------
    name : str
    options : ReadOptions
        How it is read.
    table : BareTable
    headings : dict of str to tuple of str
        What is above its columns, line by line.
    """

    name: str
    options: ReadOptions
    table: BareTable
    headings: dict[str, tuple[str, ...]]


def read_layout(source: str | Path, options: ReadOptions) -> list[LayoutTable]:
    """Read a source as one table where that is possible, else as several.

    Parameters
    ----------
    source : str or Path
    options : ReadOptions
        What is known of how it is read; a table that is named is the only one.
    """
    stem = name_of(Path(source).name)
    if options.table is None and (Path(source).is_dir() or len(_members(source)) > 1):
        return _all_or_each(source, options, list(files_inside(source, options.replace(table=EVERY_TABLE))), stem)
    asked = options if options.table is not None else options.replace(table=EVERY_TABLE)
    opened = open_source(source, options, DEFAULT)
    if isinstance(opened, OpenDocument):
        return _of_document(source, options, opened, stem)
    plain = LayoutTable(stem, options, load_table(source, options), {})
    try:
        sheet = open_source(source, asked, DEFAULT)
        found = _of_document(source, options, sheet, stem) if isinstance(sheet, OpenDocument) else [plain]
    except (CombError, OSError):
        return [_filled(plain, source)]
    # Totals, and tables parted by titles, are what a plain reading takes for rows.
    several = isinstance(sheet, OpenDocument) and sum(one.clear for one in sheet.document.tables) > 1
    if several or any(_sees_more(one.table, plain.table) for one in found):
        return [one._replace(options=one.options.replace(table=one.options.table or EVERY_TABLE)) for one in found]
    # What wider headings say above the columns, the sheet knows.
    headings = next((one.headings for one in found if one.table.names == plain.table.names), {})
    return [_filled(plain._replace(headings=headings), source)]


def _sees_more(sheet: BareTable, plain: BareTable) -> bool:
    """Return whether reading as a sheet found what a plain reading took for rows or names."""
    mine, theirs = sheet.origin, plain.origin
    unnamed = [sum(name.startswith("_col.") for name in one.names) for one in (sheet, plain)]
    return bool(mine.set_aside) or unnamed[0] < unnamed[1] or len(mine.footers) > len(theirs.footers)


def _members(source: str | Path) -> list[str]:
    return members_of(source) if Path(source).is_file() else []


def _of_document(source: str | Path, options: ReadOptions, opened: OpenDocument, stem: str) -> list[LayoutTable]:
    inner = [one for one in opened.document.tables if one.clear] or list(opened.document.tables)
    if not inner:
        raise ContentError("it contains no table", where=opened.name)
    headings = inner[0].make(ColumnRules(options)).headings
    if options.table is not None:
        return [_filled(LayoutTable(stem, options, load_table(source, options), headings), source)]
    if len(inner) == 1:
        # The only one is read without its name, which may be another next month.
        text = opened.document.kind.startswith("delimited")
        alone = options if opened.document.tables[0] is inner[0] and not text else options.replace(table=inner[0].name)
        alone = options.replace(table=EVERY_TABLE) if text else alone
        return [_filled(LayoutTable(stem, alone, load_table(source, alone), headings), source)]
    found = _all_or_grouped(source, options, opened, inner, stem)
    return [_filled(one._replace(headings=headings if len(found) == 1 else {}), source) for one in found]


def _all_or_grouped(
    source: str | Path, options: ReadOptions, opened: OpenDocument, inner: Sequence[InnerTable], stem: str
) -> list[LayoutTable]:
    """Read all tables as one; else those of each sheet, or of the same columns, as one."""
    whole = _together(source, options, EVERY_TABLE, stem) or _cards(source, options, stem)
    if whole:
        return whole
    columns = {one.name: tuple(one.make(ColumnRules(options)).columns) for one in inner}
    left, found = list(inner), list[LayoutTable]()
    while left:
        first = left[0]
        alike = [one for one in left if columns[one.name] == columns[first.name]]
        beside = [one for one in left if one.group and one.group == first.group]
        for members in (*(some for some in (alike, beside) if len(some) > 1), [first]):
            name = first.name if len(members) == 1 else _pattern_for(opened, members)
            made = _together(source, options, name, members[0].group or first.name) if name else []
            if made:
                found += [one._replace(name=first.name) if len(members) == 1 else one for one in made]
                left = [one for one in left if one not in members]
                break
        else:
            left.pop(0)
    return found


def _together(source: str | Path, options: ReadOptions, table: str, name: str) -> list[LayoutTable]:
    """Read the tables that a pattern means as one; nothing where they have too little in common."""
    asked = options.replace(table=table)
    try:
        return [LayoutTable(name, asked, load_table(source, asked), {})]
    except ContentError:
        return []


def _pattern_for(opened: OpenDocument, members: Sequence[InnerTable]) -> str:
    """Return a pattern that means some tables and no other; nothing if no pattern does."""
    names = {one.name for one in members}
    pairs = takewhile(lambda some: len(set(some)) == 1, zip(*names, strict=False))
    begins = "".join(some[0] for some in pairs)
    for pattern in (*(f"{one.group}*" for one in members[:1] if one.group), f"{begins}*"):
        with contextlib.suppress(ContentError):
            if {one.name for one in opened.document.choose(pattern, "")[0]} == names:
                return pattern
    return ""


def _cards(source: str | Path, options: ReadOptions, stem: str) -> list[LayoutTable]:
    """Read blocks of labels with a value each, the same labels in each block: below each other, without a header."""
    asked = options.replace(table=EVERY_TABLE, header=0)
    table = load_table(source, asked)
    if NAMES_EACH not in table or len(table.names) != len((NAMES_EACH, *CARD)):
        return []
    blocks: dict[str, list[str]] = {}
    for block, label in zip(table[NAMES_EACH].texts(), table[CARD[0]].texts(), strict=True):
        blocks.setdefault(str(block), []).append(label or "")
    labels = list(blocks.values())
    alike = len(labels) > 1 and all(one == labels[0] for one in labels) and len(set(labels[0])) == len(labels[0])
    return [LayoutTable(stem, asked, table, {})] if alike else []


def _all_or_each(source: str | Path, options: ReadOptions, names: Sequence[str], stem: str) -> list[LayoutTable]:
    everything = options.replace(table=EVERY_TABLE)
    try:
        return [LayoutTable(stem, everything, load_table(source, everything), {})]
    except ContentError:
        # They have little in common.
        each = [(name, options.replace(table=name)) for name in names]
        return [LayoutTable(name, one, load_table(source, one), {}) for name, one in each]


def _filled(found: LayoutTable, source: str | Path) -> LayoutTable:
    """Fill merged cells among the rows, where there are some; a table that is turned is read as text."""
    if is_turned(found.table):
        texts = found.options.replace(types="string")
        return found._replace(options=texts, table=load_table(source, texts))
    if not found.table.origin.kind.startswith("workbook"):
        return found
    filled = found.options.replace(fill_merged=True)
    table = load_table(source, filled)
    return found if table.equals(found.table) else found._replace(options=filled, table=table)


def is_turned(table: BareTable) -> bool:
    """Return whether the rows of a table are its variables: each is of one kind, and no column is.

    Where all cells are numbers nothing tells rows from columns.

    >>> import comb
    >>> is_turned(comb.table(columns={"ship": ["length", "berth"], "Gull": ["7.5", "B1"], "Tern": ["9.2", "B7"]}))
    True
    """
    if len(table.names) <= LEAST_TURNED or not LEAST_TURNED <= table.row_count <= MOST_VARIABLES:
        return False
    first, *others = table.names
    labels = table[first].texts()
    if table[first].type != STRING or None in labels or len(set(labels)) < len(labels):
        return False
    numbers = [[_is_number(text) for text in _written(table[name])] for name in others]
    rows = [set(row) - {None} for row in zip(*numbers, strict=True)]
    columns = [set(column) - {None} for column in numbers]
    return all(len(row) < 2 for row in rows) and all(len(column) == 2 for column in columns)


def _written(column: Column) -> list[str | None]:
    """Return the texts of a column, those too that could not be read as its type."""
    texts = column.texts()
    for at, text in column.kept.texts.items():
        texts[at] = text
    return texts


def _is_number(text: str | None) -> bool | None:
    """Return whether a text is a number; None for no text."""
    if text is None:
        return None
    with contextlib.suppress(ValueError):
        float(text)
        return True
    return False
