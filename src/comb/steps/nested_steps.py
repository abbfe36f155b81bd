"""The step that takes texts of JSON, and pairs of keys and values, apart: take_apart."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, ClassVar, Literal, NamedTuple

import numpy as np

from comb.errors import ColumnError, ParameterError, TypeMismatch, agree, counted, listing
from comb.inference.decide import infer_column
from comb.inference.typed_cells import SourceKind, TypedCells, typed_column
from comb.kernels.grouping import Codes
from comb.parsing.pairs import PairTexts
from comb.reading.documents.json.flatten import DEEPEST, Growth, list_lengths
from comb.reading.documents.json.nested_text import NestedTexts, found_objects
from comb.steps.base import Change, Rows, Step
from comb.tables.cell_source import NO_PLACE
from comb.tables.column import Column
from comb.tables.evidence import nothing_in
from comb.tables.names import check_known
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import JSON, STRING

# More new columns than this are refused: objects that are used as lookup tables have a key for each value.
MOST_NEW_COLUMNS = 500

# Keys and lengths that are named.
MOST_NAMED = 5

Cells = dict[str, Any]


class TakeApart(Step, frozen=True, tag="take_apart"):
    """Take texts of JSON, or of pairs, apart: a column for each key, lists into rows or columns.

    Parameters
    ----------
    column : str
        Its cells are texts of JSON, or dictionaries and lists as Python writes them. What is nothing of the kind stays
        in the column, and so do the values of cells that are one value.
    keys : list of str
        Which keys become columns, those of inner objects with a point between (`site.lat`); they are there even where
        no cell has them. By default all.
    lists : {"keep", "count", "rows", "columns"}
        What becomes of lists: they stay texts of JSON, their lengths, a row for each item, or a column for each place,
        where all lists of a key are of one length.
    mark : str
        What stands between pairs of keys and values, as in `colour=blue; kg=3`: the cells hold those instead of JSON.
        Their values get types as those of a file do.
    equals : str
        What stands between a key and its value.
    keep_original : bool
        Keep the column as it is.
    """

    accounting: ClassVar[Rows] = Rows.SPREAD
    names_columns: ClassVar[bool] = False

    column: str
    keys: list[str] = []
    lists: Literal["keep", "count", "rows", "columns"] = "keep"
    mark: str = ""
    equals: str = "="
    keep_original: bool = False

    @property
    def depends_on_values(self) -> bool:
        """The keys in the cells become columns."""
        return True

    def apply(self, table: BareTable) -> Change:
        """Take the cells apart; each different text once."""
        if self.mark and (self.lists != "keep" or not self.equals):
            raise ParameterError("expected equals beside a mark, and no lists: pairs have none")
        name = check_known(self.column, table.names)
        column = table[name]
        if column.type not in (STRING, JSON):
            raise TypeMismatch(f"expected a column of texts or JSON, {name!r} is {column.type}")
        text = column.text
        codes = np.arange(text.item_count) if text.codes is None else np.asarray(text.codes, np.int64)
        # A column that was filtered stores texts that no row has any more.
        items, used = text.items(), np.unique(codes[column.present])
        texts = [items[code] for code in used.tolist()]
        if self.mark:
            pairs = PairTexts(texts, self.mark, self.equals)
            if texts and len(pairs.unread) == len(texts):
                raise TypeMismatch(
                    f"no cell of {name} is made of pairs like key{self.equals}value, with {self.mark!r} between them; "
                    f"for instance {texts[0]!r}",
                    remedy="say what stands between pairs and within them: mark, equals",
                )
            return self._change(table, name, codes, used, _of_pairs(name, pairs), pairs)
        objects = found_objects(texts) if texts and self.lists == "keep" else None
        if objects is not None:
            cells = {f"{name}.{title}": objects.cells(title) for title in objects.names}
            grown = _Grown(cells, np.ones(len(texts), np.int64), ())
            return self._change(table, name, codes, used, grown, NestedTexts(()))
        nested = NestedTexts(texts)
        if texts and not nested.nested:
            raise TypeMismatch(
                f"no cell of {name} is an object or a list of JSON, for instance {nested.texts[0]!r}",
                remedy="split takes texts apart by a mark, a pattern or widths",
            )
        records = [self._cells_of(value, name) for value in nested.values]
        return self._change(table, name, codes, used, self._grown(name, records), nested)

    def _cells_of(self, value: Any, name: str) -> Cells:
        cells: Cells = {}
        _take_apart(value, name, cells, 0)
        return cells

    def _grown(self, name: str, records: Sequence[Cells]) -> "_Grown":
        """Return the cells that the different texts make."""
        widths = list_lengths(records) if self.lists == "columns" else {}
        # What stays in the column comes first.
        grown = {name: Growth()}
        uneven: set[str] = set()
        filled: set[str] = set()
        sizes, count = np.ones(len(records), np.int64), 0
        for at, record in enumerate(records):
            rows = self._rows_of(record, widths)
            sizes[at] = len(rows)
            for row in rows:
                for title, value in row.items():
                    if title not in grown:
                        grown[title] = Growth()
                    grown[title].pad(count)
                    grown[title].add(value)
                    if value is not None and value != []:
                        filled.add(title)
                    if self.lists == "columns" and isinstance(value, list):
                        uneven.add(title)
                count += 1
        for growth in grown.values():
            growth.pad(count)
        if not any(name in record for record in records):
            del grown[name]
        _fold_nulls(grown, filled)
        return _Grown({title: one.cells() for title, one in grown.items()}, sizes, tuple(sorted(uneven)))

    def _rows_of(self, record: Cells, widths: Mapping[str, int]) -> list[Cells]:
        """Return the rows that one text makes."""
        if self.lists == "keep":
            return [record]
        lists = {title: value for title, value in record.items() if isinstance(value, list)}
        if self.lists == "count":
            return [{**record, **{title: len(value) for title, value in lists.items()}}]
        if self.lists == "columns":
            return [_in_places(record, widths)]
        most = max(map(len, lists.values()), default=0)
        if not most:
            return [{title: value for title, value in record.items() if title not in lists}]
        rows = []
        for at in range(most):
            row: Cells = {}
            for title, value in record.items():
                if title not in lists:
                    row[title] = value
                elif at < len(value):
                    _take_apart(value[at], title, row, 0)
            rows.append(row)
        return rows

    def _change(
        self, table: BareTable, name: str, codes: Codes, used: Codes, grown: "_Grown", nested: NestedTexts | PairTexts
    ) -> Change:
        column, sizes = table[name], grown.sizes
        cells = {title: one for title, one in grown.columns.items() if title != name or not self.keep_original}
        asked = [f"{name}.{key}" for key in self.keys]
        passed = [title for title in cells if asked and title not in (name, *asked)]
        wanted = list(dict.fromkeys([*(title for title in cells if title == name), *(asked or cells)]))
        self._check(table, name, wanted)
        nothing = Growth()
        nothing.pad(int(sizes.sum()))
        made = {}
        for title in wanted:
            cell = cells[title] if title in cells else nothing.cells()
            made[title] = cell if isinstance(cell, Column) else typed_column(cell, dates_in_text=True)
        # Of each row of the table: the text it has, and the first of the rows which that makes.
        which = np.searchsorted(used, codes)
        which[column.missing] = 0
        first = np.concatenate([[0], np.cumsum(sizes)])
        each = np.where(column.missing, 1, sizes[which] if len(sizes) else 1)
        sources = np.repeat(np.arange(table.row_count), each)
        within = np.arange(len(sources)) - np.repeat(np.cumsum(each) - each, each)
        places = np.where(column.missing[sources], 0, first[which[sources]] + within)
        spread = len(sources) != table.row_count
        # Where there is nothing to take apart, the column stays.
        new = {title: _placed(one, places, column, sources) for title, one in made.items()} or {name: column}
        columns: dict[str, Column] = {}
        for title in table.names:
            if title != name or self.keep_original:
                columns[title] = table[title]._take(sources) if spread else table[title]
            if title == name:
                columns |= new
        rows = table.row_numbers[sources] if spread else table.row_numbers
        return Change(
            table._derive(columns, row_numbers=rows),
            sources if spread else None,
            notes=tuple(self._notes(column, codes, used, nested, passed, grown.uneven)),
            made_from={title: [name] for title in new},
        )

    def _check(self, table: BareTable, name: str, made: Iterable[str]) -> None:
        """Raise a ColumnError where a name is taken, or there are too many of them."""
        new = [title for title in made if title != name]
        if len(new) > MOST_NEW_COLUMNS:
            raise ColumnError(
                f"{name} has {counted(len(new), 'key')}, more than {MOST_NEW_COLUMNS} new columns",
                remedy=f"name those that are wanted: keys: [{new[0][len(name) + 1 :]}]",
            )
        for title in new:
            if title in table:
                raise ColumnError(f"there would be two columns named {title!r}", remedy=f"rename {title} before")

    def _notes(
        self, column: Column, codes: Codes, used: Codes, nested: NestedTexts | PairTexts, passed: Sequence[str],
        uneven: Sequence[str],
    ) -> list[str]:  # fmt: skip
        name, notes = self.column, []
        counts = np.bincount(np.searchsorted(used, codes[column.present]), minlength=len(used))
        if len(nested.unread):
            cells = int(counts[nested.unread].sum())
            stay = f"{agree(cells, 'it stays', 'they stay')} in {name}"
            notes.append(
                f"{counted(cells, 'cell')} of {name} {agree(cells, 'is', 'are')} {nested.said}: {stay}, "
                f"for instance {nested.texts[nested.unread[0]]!r}"
            )
        if len(nested.by_python):
            cells = int(counts[nested.by_python].sum())
            notes.append(f"{counted(cells, 'cell')} {agree(cells, 'is', 'are')} written as Python writes values")
        if nested.repeated:
            keys = counted(nested.repeated, "key")
            where = "a cell" if self.mark else "an object"
            notes.append(f"{keys} {agree(nested.repeated, 'stands', 'stand')} twice in {where}: the last counts")
        if passed:
            keys = listing([title[len(name) + 1 :] for title in passed], MOST_NAMED)
            notes.append(f"keys that were not asked for are left out: {keys}")
        if uneven:
            notes.append(f"lists of different lengths stay as they are: {listing(uneven, MOST_NAMED)}")
        return notes

    def describe(self) -> str:
        """Name the column."""
        return f"{self.column} taken apart" + (f", lists as {self.lists}" if self.lists != "keep" else "")


class _Grown(NamedTuple):
    """What the different texts make.

    Attributes
    ----------
    columns : dict of str to TypedCells or Column
        Their cells; those of pairs have their types.
    sizes : int64 array
        How many rows each text makes.
    uneven : tuple of str
        Names with lists of different lengths, where each place was to be a column.
    """

    columns: Mapping[str, TypedCells | Column]
    sizes: Codes
    uneven: tuple[str, ...]


def _of_pairs(name: str, pairs: PairTexts) -> _Grown:
    """Return the cells that texts of pairs make; what is no pair stays."""
    stay: list[str | None] = [None] * len(pairs.texts)
    for at in pairs.unread.tolist():
        stay[at] = pairs.texts[at]
    columns = {name: Column._of_strings(stay)} if len(pairs.unread) else {}
    for key, values in pairs.columns.items():
        column = infer_column(Text.from_items([value or "" for value in values]))
        absent = np.array([value is None for value in values])
        columns[f"{name}.{key}"] = column._replace(
            state=np.where(absent, Reason.ABSENT, column.states).astype(np.uint8)
        )
    return _Grown(columns, np.ones(len(pairs.texts), np.int64), ())


def _fold_nulls(grown: dict[str, Growth], filled: set[str]) -> None:
    """Leave out columns of null and empty lists that are objects in other cells: where they are null, the parts are."""
    for title in list(grown):
        parts = [one for one in grown if one.startswith(f"{title}.")]
        kinds = np.frombuffer(bytes(grown[title].kinds), np.uint8)
        if not parts or title in filled:
            continue
        for one in parts:
            for at in np.flatnonzero(kinds == SourceKind.NULL).tolist():
                if grown[one].kinds[at] == SourceKind.ABSENT:
                    grown[one].kinds[at] = SourceKind.NULL
        del grown[title]


def _take_apart(value: Any, name: str, cells: Cells, level: int) -> None:
    """Add the values of an object to cells, by dotted name; any other value by its own."""
    if isinstance(value, dict) and level < DEEPEST and (value or not level):
        for key, inner in value.items():
            _take_apart(inner, f"{name}.{key}", cells, level + 1)
    else:
        cells[name] = value


def _in_places(record: Cells, widths: Mapping[str, int]) -> Cells:
    row: Cells = {}
    for title, value in record.items():
        if title not in widths:
            row[title] = value
        else:
            for at, item in enumerate(value or [None] * widths[title], 1):
                _take_apart(item, f"{title}.{at}", row, 0)
    return row


def _placed(made: Column, places: Codes, column: Column, sources: Codes) -> Column:
    """Return a column of the cells at some places; where the column it is made of is missing, for the same reason."""
    taken = made._take(places) if len(made) else Column._of_strings([None] * len(sources))
    state = np.where(column.missing[sources], column.states[sources], taken.states).astype(np.uint8)
    # Where there is no value, there is no type: such a column goes with every formula.
    evidence = None if (state == Reason.PRESENT).any() else nothing_in(len(state))
    return taken._replace(state=state, source=NO_PLACE, evidence=evidence)
