"""Sources that hold tables inside, workbooks and JSON: which tables there are, and choosing among them.

A `Document` lists its `InnerTable`s without reading them: name, place, and what there is to say of each (hidden,
sums up another table). Nothing is read before it is chosen, by name, number, sheet, range, pointer or pattern. A
table is then made by its `make`, which is given the `ColumnRules`, and comes back as `TableData`: columns with
their types, the line of every row, how a place is named, notes, and what was set aside.

Cells of documents come with a kind each (number, text, date, error), so their types are decided by
`comb.inference.typed_cells` and not from texts; a declared type is applied to what the cell shows.

Several tables become one by `stacked`, below each other, after a column that names each. They need the same
columns, or differ only in what is under one wide heading each, as seasons next to each other do: then the heading
names the table, its months name the columns, and the months of the other season are absent.
"""

from collections.abc import Callable, Mapping, Sequence
from fnmatch import fnmatchcase
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import ContentError, agree, counted, listing, nearest, unknown_name
from comb.inference.decide import declared_column, infer_column
from comb.inference.typed_cells import SourceKind, TypedCells, typed_column
from comb.kernels.types import MOST_DECIMAL_DIGITS
from comb.parsing.headings import LEAST_HEADINGS, heading_kind
from comb.parsing.patterns import Request
from comb.reading.column_rules import ColumnRules
from comb.reading.io.encoding import Decoded
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.names import choose
from comb.tables.origin import SourceAccount, SourceLine, WrongTotal
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import INTEGER, NUMBER, STRING, Type, decimal

# The pattern for all tables.
EVERY_TABLE = "*"


class TableData(msgspec.Struct):
    """A table inside a document, read.

    Attributes
    ----------
    columns : dict of str to Column
    lines : integer array
        The line, row or item each row stood in, from 1.
    place : str
        How a place is said, with braces for the number: ``line {}``, ``Spring!B{}``.
    cell_places : dict of str to str
        The same for a cell, by column.
    notes, titles, footers : list of str
    labels : dict of str to str
        Labels above it, and the value beside each.
    details : list of str
        What else is said of it when it is inspected.
    headings : dict of str to tuple of str
        What wider headings say above a column, line by line; the name of the column begins with it.
    wrong_totals : list of WrongTotal
    set_aside : list of SourceLine
        Totals, and lines that are not records.
    account : SourceAccount, optional
        What became of its rows or records.
    """

    columns: dict[str, Column]
    lines: NDArray[np.integer[Any]]
    place: str = "line {}"
    cell_places: dict[str, str] = msgspec.field(default_factory=dict)
    notes: list[str] = msgspec.field(default_factory=list)
    titles: list[str] = msgspec.field(default_factory=list)
    labels: dict[str, str] = msgspec.field(default_factory=dict)
    footers: list[str] = msgspec.field(default_factory=list)
    details: list[str] = msgspec.field(default_factory=list)
    headings: dict[str, tuple[str, ...]] = msgspec.field(default_factory=dict)
    set_aside: list[SourceLine] = msgspec.field(default_factory=list)
    wrong_totals: list[WrongTotal] = msgspec.field(default_factory=list)
    account: SourceAccount | None = None


class InnerTable(msgspec.Struct, frozen=True):
    """A table inside a document.

    Attributes
    ----------
    name, place : str
    make : callable
        Reads it by what is said of its columns.
    about : str
        What there is to say of it before it is read: hidden, sums up another.
    group : str
        The sheet it stands on.
    names : tuple of str
        Its columns, where they are known before it is read.
    plain : bool
        Whether all its cells are texts, whose types are found by looking at them.
    """

    name: str
    place: str
    make: Callable[[ColumnRules], TableData]
    about: str = ""
    group: str = ""
    names: tuple[str, ...] = ()
    plain: bool = False

    @property
    def clear(self) -> bool:
        """Whether it is a table in its own right."""
        return not self.about


class Document(msgspec.Struct, frozen=True):
    """A source with tables inside.

    Attributes
    ----------
    kind, why : str
        What it is, and what says so.
    tables : tuple of InnerTable
    find : callable
        Finds a table that is named differently: by a range, by a pointer; None if the text is no such name.
    facts : dict of str to str
        What else was decided, with the reason: ``{"dates count from": "1904 (the workbook says so)"}``.
    decoded : Decoded, optional
        How it was decoded, where it was a text and not all of it plain UTF-8.
    around : str
        What stands before it and is no part of it: a call or a name of a script, comments.
    """

    kind: str
    why: str
    tables: tuple[InnerTable, ...]
    find: Callable[[str], InnerTable | None]
    facts: Mapping[str, str] = msgspec.field(default_factory=dict)
    decoded: Decoded | None = None
    around: str = ""

    def choose(self, wanted: str | None, where: str) -> tuple[list[InnerTable], str]:
        """Return the tables that are meant, and a note about others.

        Parameters
        ----------
        wanted : str, optional
            A name, a sheet, a number from 1, a range or pointer, or a pattern for several.
        where : str
            What to call the document in messages.

        Raises
        ------
        ContentError
            If there is no such table, naming those there are.
        """
        if not self.tables:
            raise ContentError("it contains no table", where=where)
        if wanted is None:
            clear = [one for one in self.tables if one.clear] or list(self.tables)
            others = [one.name for one in self.tables if one is not clear[0]]
            which = "the first" if clear[0] is self.tables[0] else f"{clear[0].name}, one"
            message = f"{which} of {len(self.tables)} tables in {where}; others: {listing(others)}" if others else ""
            if len(clear) > 1 and clear[0].names and all(one.names == clear[0].names for one in clear):
                message += f"; table='{EVERY_TABLE}' reads the {len(clear)} as one, they have the same columns"
            return clear[:1], message
        named = [one for one in self.tables if one.name == wanted]
        if named:
            return named[:1], ""
        if wanted.isdigit():
            if not 1 <= int(wanted) <= len(self.tables):
                message = f"no table has the number {wanted}: there are {counted(len(self.tables), 'table')}"
                raise ContentError(message, where=where, remedy=self._there())
            return [self.tables[int(wanted) - 1]], ""
        grouped = [one for one in self.tables if one.group == wanted]
        if len(grouped) > 1 and len([one for one in grouped if one.clear]) != 1:
            raise ContentError(
                f"there are {len(grouped)} tables on {wanted}", where=where,
                remedy="name one of them: " + listing([f"table={one.name!r}" for one in grouped]),
            )  # fmt: skip
        if grouped:
            return [next((one for one in grouped if one.clear), grouped[0])], ""
        found = self.find(wanted)
        if found is not None:
            return [found], ""
        matching = [one for one in self.tables if fnmatchcase(one.name, wanted) or fnmatchcase(one.group, wanted)]
        if matching and set("*?[") & set(wanted):
            return [one for one in matching if one.clear] or matching, ""
        near = nearest(wanted, [name for one in self.tables for name in (one.name, one.group) if name])
        hint = f"did you mean {near!r}? " if near else ""
        raise ContentError(f"it contains no table {wanted!r}", where=where, remedy=hint + self._there())

    def _there(self) -> str:
        return f"tables: {listing([one.name for one in self.tables])}"


def make_column(name: str, cells: TypedCells, rules: ColumnRules, *, dates_in_text: bool = False) -> Column:
    """Make a column of typed cells as it was asked for: words for missing, a declared type."""
    for word in rules.options.words_of(name) or ():
        _mark(cells, word.strip())
    known = rules.options.knows_words(name)
    request = rules.declared([name]).get(name)
    if request is None:
        return typed_column(cells, dates_in_text=dates_in_text, known=known)
    return _declared(typed_column(cells, known=known), cells, request)


def _mark(cells: TypedCells, word: str) -> None:
    """Make markers of the texts that are a word for missing, and of the numbers it is written as."""
    places = [at for at, text in enumerate(cells.strings) if text.strip() == word]
    meant = (cells.kinds == SourceKind.TEXT) & np.isin(cells.texts, places)
    try:
        numbers = (cells.kinds == SourceKind.NUMBER) & (cells.numbers == float(word))
    except ValueError:
        numbers = np.zeros(len(meant), np.bool_)
    if numbers.any():
        cells.texts = np.where(numbers, len(cells.strings), cells.texts)
        cells.strings = [*cells.strings, word]
    cells.kinds = np.where(meant | numbers, np.uint8(SourceKind.ERROR), cells.kinds)


def _declared(column: Column, cells: TypedCells, request: Request) -> Column:
    if column.type.word == request.word and not request.pattern and not (column.states == Reason.UNREADABLE).any():
        # The source has this type already.
        return column
    texts = cells.written(np.arange(len(cells.kinds)))
    declared = declared_column(Text.from_strings(texts), request)
    states = declared.states.copy()
    held = column.states
    for reason in (Reason.ABSENT, Reason.MARKER):
        states[held == reason] = reason
    return Column(declared.type, declared.values, states, kept=declared.kept, evidence=declared.evidence)


def chosen_columns(columns: dict[str, Column], rules: ColumnRules) -> dict[str, Column]:
    """Return the columns that were asked for, after checking the names of declared types.

    Of those that a schema knows, the ones that the source lacks are there and empty.
    """
    if rules.known and rules.options.columns is None:
        rows = max(map(len, columns.values()), default=0)
        return {name: columns[name] if name in columns else _lacking(rules, name, rows) for name in rules.known}
    for name in rules.options.types if isinstance(rules.options.types, dict) else ():
        if name not in columns:
            what, remedy = unknown_name("column", name, list(columns))
            raise ContentError(f"a type is declared, but {what}", remedy=remedy)
    if rules.options.columns is None:
        return columns
    return {
        name: columns[name] for name in choose(rules.options.columns, {name: one.type for name, one in columns.items()})
    }


def _lacking(rules: ColumnRules, name: str, rows: int) -> Column:
    """Return a column that the source does not have."""
    request = rules.declared([name]).get(name) or Request("string", "")
    empty = declared_column(Text.from_items([""], np.zeros(rows, np.int32)), request)
    return empty._replace(state=np.full(rows, Reason.ABSENT, np.uint8))


def not_known(names: Sequence[str], rules: ColumnRules) -> list[str]:
    """Say which columns of a source its schema does not know."""
    left = [name for name in names if rules.known and rules.options.columns is None and name not in rules.known]
    return [f"not in the schema, and left out: {listing(left)}"] if left else []


def stacked(
    made: Sequence[TableData], names: Sequence[str], where: str, *, union: bool = True
) -> tuple[dict[str, Column], list[str]]:
    """Put tables of one shape below each other, after a column that names each.

    Tables that differ only in what stands under one wide heading each, as seasons side by side
    do, are named by that heading; a column that some of them lack is absent there. So it is, if
    `union` is true, in tables that have most of their columns in common.

    Returns
    -------
    columns, notes
    """
    found = next((one.columns for one in made if one.columns), {})
    # A list without a record says nothing of its columns: it has those of the others.
    none = {name: column._part(0, 0) for name, column in found.items()}
    parts, notes = [one.columns or (none if not len(one.lines) else {}) for one in made], []
    first = list(parts[0])
    other = next((at for at, part in enumerate(parts) if list(part) != first), None)
    if other is not None:
        under = _under_headings(made)
        if under is None and union and all(_shares_columns(parts, at) for at in range(len(parts))):
            under = list(names), parts
        if under is None:
            raise ContentError(
                f"expected the columns of {names[0]}, {listing(first)}; "
                f"{names[other]} has {listing(list(parts[other]))}",
                where=where,
                remedy="tables that are read as one share most of their columns; load them one by one, or "
                "name those of one shape by a pattern: table='2025*'",
            )
        names, parts = under
        notes = _lacking_note(names, parts)
    counts = [len(one.lines) for one in made]
    columns = {
        name: _below([part.get(name) or _absent(rows) for part, rows in zip(parts, counts, strict=True)])
        for name in _in_order(parts)
    }
    notes += [
        said for name, column in columns.items() if column.type == STRING and (said := _mixed_note(name, parts, names))
    ]
    title = "table"
    while title in columns:
        title += "_"
    each = np.repeat(np.arange(len(names)), counts)
    message = f"{len(made)} tables below each other; column {title} names each"
    # The values of labels that are above every table belong to each of its rows.
    shared = [name for name in made[0].labels if name not in columns and all(name in one.labels for one in made)]
    beside = {name: infer_column(Text.from_items([one.labels[name] for one in made], each)) for name in shared}
    if shared:
        notes.append(f"{listing(shared)} {agree(len(shared), 'is a label', 'are labels')} above each of them")
    return {title: Column(STRING, Text.from_items(list(names), each)), **beside, **columns}, [message, *notes]


def _mixed_note(name: str, parts: Sequence[Mapping[str, Column]], names: Sequence[str]) -> str:
    """Say which tables have another type than most in a column that is text for that; nothing where all are text."""
    kinds: dict[str, list[str]] = {}
    for part, table in zip(parts, names, strict=True):
        column = part.get(name)
        if column is not None and column.missing_count < len(column):
            kinds.setdefault(str(column.type), []).append(table)
    if len(kinds) < 2:
        return ""
    usual = max(kinds, key=lambda kind: len(kinds[kind]))
    others = [f"{kind} in {listing(tables)}" for kind, tables in kinds.items() if kind != usual]
    return f"{name} is {usual} in most tables and {', '.join(others)}: read as text"


def _shares_columns(parts: Sequence[Mapping[str, Any]], at: int) -> bool:
    """Return whether the others have more than half of the columns of a part, or all but those named by values.

    >>> _shares_columns([{"week": 0, "in": 0, "out": 0}, {"week": 0, "in": 0}], 0)
    True
    >>> _shares_columns([{"nurse": 0, "May": 0, "June": 0, "July": 0}, {"nurse": 0, "August": 0}], 0)
    True
    """
    others = {name for place, part in enumerate(parts) if place != at for name in part}
    own = [name for name in parts[at] if name not in others]
    kinds = {heading_kind(name) for name in own}
    values = len(own) >= LEAST_HEADINGS and len(kinds) == 1 and None not in kinds
    return 2 * len(own) < len(parts[at]) or (values and len(own) < len(parts[at]))


def _under_headings(made: Sequence[TableData]) -> tuple[list[str], list[dict[str, Column]]] | None:
    """Return the one heading of each table, and its columns named without it; None where that is not so."""
    headings = [{" ".join(lines) for lines in one.headings.values()} for one in made]
    names = [heading for one in headings for heading in one]
    if any(len(one) != 1 for one in headings) or len(set(names)) < len(names):
        return None
    parts = []
    for one, heading in zip(made, names, strict=True):
        named = [(name.removeprefix(heading).strip() if name in one.headings else name) for name in one.columns]
        if len(set(named)) < len(named):
            return None
        parts.append(dict(zip(named, one.columns.values(), strict=True)))
    shared = [set(one.columns) - set(one.headings) for one in made]
    return (names, parts) if set.intersection(*shared) else None


def _in_order(parts: Sequence[Mapping[str, Column]]) -> list[str]:
    """Return the names of all parts; one that only a later part has stands after the name it follows there.

    >>> _in_order([{"a": 0, "b": 0, "z": 0}, {"a": 0, "c": 0, "z": 0}])
    ['a', 'b', 'c', 'z']
    """
    found = list(parts[0])
    for part in parts[1:]:
        names = list(part)
        for at in reversed(range(len(names))):
            if names[at] not in found:
                after = [found.index(later) for later in names[at + 1 :] if later in found]
                found.insert(min(after, default=len(found)), names[at])
    return found


def _lacking_note(names: Sequence[str], parts: Sequence[Mapping[str, Column]]) -> list[str]:
    everything = _in_order(parts)
    lacking = {
        name: [title for title in everything if title not in part] for name, part in zip(names, parts, strict=True)
    }
    return [f"{name} has no {listing(titles)}: absent" for name, titles in lacking.items() if titles]


def _absent(rows: int) -> Column:
    return Column(STRING, Text.from_items([""], np.zeros(rows, np.int32)), np.full(rows, Reason.ABSENT, np.uint8))


def _shared_type(parts: Sequence[Column], kinds: set[Type]) -> Type:
    """Return the type that holds the values of all parts: of decimals the one with the most places, else text."""
    if len(kinds) == 1:
        return next(iter(kinds))
    if not kinds or not all(kind.numeric for kind in kinds):
        return STRING
    if NUMBER in kinds:
        # A decimal has more digits than a number may hold: it is not made one without a word.
        return NUMBER if kinds == {INTEGER, NUMBER} else STRING
    scale = max(kind.scale for kind in kinds)
    used = [part for part in parts if part.type in kinds]
    largest = max(int(np.abs(part.array).max(initial=0)) * 10 ** (scale - part.type.scale) for part in used)
    return decimal(scale) if largest < 10**MOST_DECIMAL_DIGITS else STRING


def _at_scale(part: Column, kind: Type) -> NDArray[Any]:
    """Return the values of a column of numbers as those of a type of more decimal places."""
    return part.array * 10 ** (kind.scale - part.type.scale) if kind.scale > part.type.scale else part.array


def _below(parts: list[Column]) -> Column:
    """Join columns; whole numbers and others become numbers, other types that differ become text."""
    # A part in which everything is missing has no type of its own.
    kinds = {part.type for part in parts if part.missing_count < len(part)}
    kind = _shared_type(parts, kinds)
    states = np.concatenate([part.states for part in parts])
    starts = np.cumsum([0, *map(len, parts)]).tolist()
    kept = {
        start + at: text for part, start in zip(parts, starts, strict=False) for at, text in part.kept.texts.items()
    }
    if kind == STRING or kind.textual:
        texts = [text or "" for part in parts for text in part.texts()]
        for at in [at for at in kept if states[at] == Reason.UNREADABLE]:
            texts[at], states[at] = kept.pop(at), Reason.PRESENT
        return Column(kind, Text.from_strings(texts), states, kept=Kept(kept))
    dtype = np.dtype(kind.storage)
    values = [
        _at_scale(part, kind).astype(dtype) if part.type in kinds else np.zeros(len(part), dtype) for part in parts
    ]
    return Column(kind, np.concatenate(values), states, kept=Kept(kept))
