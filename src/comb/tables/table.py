"""The bare table: columns, row numbers, origin. Steps work on this.

The `Table` that users hold extends it with a method for each step; it lives at the
top, in `comb.interface`, so that this layer need not know the layers above. Tables
made from a table by `derive` are of the same class, which is all that is needed for
steps to hand back what they were given.
"""

import copy
from collections.abc import Iterable, Iterator, Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, Self

import numpy as np
from numpy.typing import NDArray

from comb.errors import ColumnError, ParameterError, TypeMismatch, counted, listing, washed, washed_lines
from comb.execution.columnwise import for_each
from comb.execution.storage import MEMORY, Storage
from comb.kernels.grouping import Codes
from comb.tables.cell_source import placed
from comb.tables.column import Column
from comb.tables.names import check_known
from comb.tables.origin import BY_HAND, MADE, Origin
from comb.tables.record import Record
from comb.tables.stored import stored_array, stored_columns, taken_array, taken_column
from comb.tables.types import Type

# What shows a table, and what goes over its rows, is loaded for those that are shown or gone over.
if TYPE_CHECKING:
    from comb.tables.layout import LayoutRequest
    from comb.tables.rows import Row

# A sentence that tells of more steps than this is no sentence any more.
MOST_NOTES = 4

# What people try instead of the name of a column, and what does it.
_OTHER_WAYS = (
    "rows are taken by rows_between(1, 10) or filter('mites > 3'), several columns by table[['a', 'b']] "
    "or select('a:b')"
)


# What is longer is said by its kind only.
LONGEST_SAID = 60


def _said(wanted: object) -> str:
    """Return what was asked for as an error says it: an array, say, by its kind only."""
    text = repr(wanted)
    short = len(text) < LONGEST_SAID and "\n" not in text and not isinstance(wanted, np.ndarray)
    return text if short else f"values in a {type(wanted).__name__}"


# The keys of this many rows stay in the processor's cache.
KEYS_AT_ONCE = 32_768


def check_whole(*values: object) -> None:
    """Raise a ParameterError unless all are whole numbers: of rows, positions, counts."""
    for value in values:
        if isinstance(value, bool) or not isinstance(value, int | np.integer):
            raise ParameterError(f"expected a whole number, got {value!r}", remedy="rows are numbered from 1")


def check_seed(seed: int) -> None:
    """Raise a ParameterError unless chance can begin with a number."""
    if seed < 0:
        raise ParameterError(f"expected a seed of 0 or more, got {seed}")


def _shown_with_text(column: Column) -> str:
    """Return the one cell of a column as it is shown; a text that was kept stands behind its reason."""
    from comb.tables.layout import shown_cells

    kept = column.kept.texts.get(0)
    return shown_cells(column)[0].text + (f" {washed(kept)!r}" if kept is not None else "")


class BareTable:
    """Named columns of equal length, in row order; never changed in place.

    Parameters
    ----------
    columns : mapping of str to Column
    row_numbers : int64 array, optional
        The record number of each row in its source, from 1; counted anew if not given.
    origin : Origin
        The source and how it was read.
    notes : tuple of str
        What reading and the steps so far have to say.
    view_of : int, optional
        Rows of the whole table, if this shows only some of them.
    storage : Storage
        Where its columns are kept, and those of the tables made of it.

    Raises
    ------
    ColumnError
        If the columns differ in length.
    """

    def __init__(
        self,
        columns: Mapping[str, Column],
        *,
        row_numbers: Codes | None = None,
        origin: Origin = BY_HAND,
        notes: tuple[str, ...] = (),
        view_of: int | None = None,
        storage: Storage = MEMORY,
    ) -> None:
        self._storage = storage
        self._columns = dict(columns)
        lengths = {name: len(column) for name, column in self._columns.items()}
        if len(set(lengths.values())) > 1:
            message = listing([f"{name}: {length:,}" for name, length in lengths.items()])
            raise ColumnError(f"expected columns of one length, got {message} cells")
        self._row_count = next(iter(lengths.values()), 0) if row_numbers is None else len(row_numbers)
        numbers = np.arange(1, self._row_count + 1) if row_numbers is None else row_numbers
        self.row_numbers: Codes = numbers.astype(np.int64, copy=False)
        self.row_numbers.flags.writeable = False
        self._names: tuple[str, ...] | None = None
        self.origin = origin
        self.notes = notes
        self.view_of = view_of

    def _derive(
        self,
        columns: Mapping[str, Column] | None = None,
        *,
        row_numbers: Codes | None = None,
        notes: tuple[str, ...] | None = None,
        view_of: int | None = None,
        origin: Origin | None = None,
    ) -> Self:
        """Return a table of the same class with other columns, rows, notes or origin."""
        made = type(self)(
            self._columns if columns is None else columns,
            row_numbers=self.row_numbers if row_numbers is None else row_numbers,
            origin=self.origin if origin is None else origin,
            notes=self.notes if notes is None else notes,
            view_of=self.view_of if view_of is None else view_of,
            storage=self._storage,
        )
        made._follow(self)
        return made

    def _follow(self, earlier: "BareTable") -> None:
        """Take over what a class above knows besides columns and rows."""

    def _take(self, positions: Codes) -> Self:
        """Return the rows at the given positions, from 0, with their row numbers."""

        def taken(column: Column) -> Column:
            return taken_column(column, positions, self._storage)

        columns = for_each(taken, list(self._columns.values()), len(positions), self._storage, by_blocks=True)
        return self._derive(
            dict(zip(self._columns, columns, strict=True)),
            row_numbers=taken_array(self.row_numbers, positions, self._storage),
        )

    def _stored(self) -> Self:
        """Return the same table with all that it holds where its storage keeps it."""
        numbers = stored_array(self.row_numbers, self._storage)
        return self._derive(stored_columns(self._columns, self._storage), row_numbers=numbers)

    def _key_blocks(self, names: Iterable[str]) -> Iterator[list[NDArray[np.uint64]]]:
        """Return the keys of some columns for some rows after the other; see `Column._keys`."""

        columns = [self._columns[name] for name in names]
        for start in range(0, self._row_count if columns else 0, KEYS_AT_ONCE):
            yield [column._keys(start, start + KEYS_AT_ONCE) for column in columns]

    @property
    def columns(self) -> Mapping[str, Column]:
        """The columns by name, in table order; it cannot be changed."""
        return MappingProxyType(self._columns)

    @property
    def names(self) -> tuple[str, ...]:
        """The column names, in table order."""
        if self._names is None:
            self._names = tuple(self._columns)
        return self._names

    @property
    def types(self) -> dict[str, Type]:
        """The type of each column by name."""
        return {name: column.type for name, column in self._columns.items()}

    def _extended(self, name: str, column: Column) -> Self:
        """Return the table with one column more, or another one in its place."""
        made = copy.copy(self)
        made._columns, made._names = {**self._columns, name: column}, None
        if len(column) != self._row_count:
            raise ColumnError(f"expected a column of {self._row_count:,} cells, got {len(column):,}")
        return made

    @property
    def row_count(self) -> int:
        """How many rows there are."""
        return self._row_count

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        return self._row_count, len(self._columns)

    @property
    def _source_index(self) -> Codes:
        """The file each row came from, from 0, where several were read as one table."""
        if not self.origin.sources:
            return np.zeros(self._row_count, np.int64)
        return self.origin.source_index[self.row_numbers - 1]

    def __len__(self) -> int:
        return self._row_count

    def __getitem__(self, name: str) -> Column:
        """Return a column by its name."""
        if not isinstance(name, str):
            raise ParameterError(f"expected the name of a column, got {_said(name)}", remedy=_OTHER_WAYS)
        return self._columns[name if name in self._columns else check_known(name, self.names)]

    def __iter__(self) -> Iterator[Any]:
        raise TypeMismatch(
            "a table is not gone through by itself: its rows or its columns are",
            remedy="for row in table.rows(): ..., for name, column in table.columns.items(): ...",
        )

    def __eq__(self, other: object) -> bool:
        """Return whether names, types, values, reasons and row numbers are the same, as `equals` does."""
        return self.equals(other) if isinstance(other, BareTable) else NotImplemented

    def __hash__(self) -> int:
        return hash((self.names, self._row_count))

    def _ipython_key_completions_(self) -> list[str]:
        return list(self.names)

    def rows(self) -> "Iterator[Row]":
        """Go through the rows: tuples of Python values, None where missing, whose cells have names.

        Yields
        ------
        Row
            ``row["net kg"]``, ``row.apiary`` and ``row[0]`` are its cells, ``dict(row)`` is all of them by name; a
            column that is called like a method of tuples is had by ``row["count"]``. Cost: 0.1 to 0.6 microseconds a
            cell; no more than some thousand rows are made at a time.
        """
        from comb.tables.rows import rows_of

        return rows_of(self._columns, self._row_count)

    def __contains__(self, name: object) -> bool:
        return name in self._columns

    def __repr__(self) -> str:
        from comb.tables.layout import lay_out, plain

        return washed_lines(plain(lay_out(self._layout_request())))

    def _repr_html_(self) -> str:
        escaped = repr(self).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
        return f"<pre>{escaped}</pre>"

    def _layout_request(self) -> "LayoutRequest":
        """Collect what the layout needs to know."""
        from comb.tables.layout import LayoutRequest

        return LayoutRequest(self._columns, self.row_numbers, self.sentence())

    def sentence(self) -> str:
        """Say what this table is and what the last step did."""
        rows = f"{self._row_count:,} row{'s' if self._row_count != 1 else ''}"
        if self.view_of is not None:
            rows = f"{self._row_count:,} of {self.view_of:,} rows"
        elif len(self.origin.lines) > self._row_count:
            rows = f"{self._row_count:,} of {len(self.origin.lines):,} rows"
        width = len(self._columns)
        name = self.origin.name
        text = f"{rows} and {width} column{'s' if width != 1 else ''} {name if name.startswith(MADE) else f'of {name}'}"
        more = len(self.notes) - MOST_NOTES
        return "; ".join([text, *self.notes[-MOST_NOTES:], *([counted(more, "more note")] if more > 0 else [])])

    def equals(self, other: "BareTable") -> bool:
        """Return whether names, types, values, reasons and row numbers are the same."""
        return (
            self.names == other.names
            and self.types == other.types
            and np.array_equal(self.row_numbers, other.row_numbers)
            and all(bool(self[name]._same_cells(other[name]).all()) for name in self.names)
        )

    def first_rows(self, count: int = 10) -> Self:
        """Return the first rows, for a look."""
        check_whole(count)
        return self._view(0, count)

    def last_rows(self, count: int = 10) -> Self:
        """Return the last rows, for a look."""
        check_whole(count)
        return self._view(self._row_count - count, self._row_count)

    def rows_between(self, first: int, last: int) -> Self:
        """Return rows by position, from 1, both ends included."""
        check_whole(first, last)
        if first < 1 or last < first:
            raise ParameterError(f"expected positions from 1, the first before the last; got {first} and {last}")
        return self._view(first - 1, last)

    def random_rows(self, count: int = 10, *, seed: int) -> Self:
        """Return some rows chosen at random, in table order; the same seed gives the same rows."""
        check_whole(count, seed)
        check_seed(seed)
        count = min(count, self._row_count)
        from comb.tables.chance import chance_of

        order = np.argsort(chance_of(self.row_numbers, seed), kind="stable")
        return self._look(np.sort(order[:count]))

    def _view(self, start: int, stop: int) -> Self:
        return self._look(np.arange(max(start, 0), max(0, min(stop, self._row_count))))

    def _look(self, positions: Codes) -> Self:
        return self._take(positions)._derive(view_of=self._row_count)

    def _position(self, row_number: int) -> int:
        """Return where the row with a number stands, from 0."""
        hits = np.flatnonzero(self.row_numbers == row_number)
        if len(hits) == 1:
            return int(hits[0])
        if len(hits):
            raise ParameterError(
                f"row number {row_number} belongs to {len(hits)} rows of this table",
                remedy=f"name one by its position: rows_between({hits[0] + 1}, {hits[-1] + 1})",
            )
        message = "it has no rows"
        if self._row_count:
            low, high = self.row_numbers.min(), self.row_numbers.max()
            message = f"its {self._row_count:,} rows have numbers from {low:,} to {high:,}"
        raise ParameterError(f"there is no row number {row_number} in this table", remedy=message)

    def record(self, row_number: int) -> Record:
        """Return one row by its row number, printed from top to bottom."""
        check_whole(row_number)
        row = self._take(np.array([self._position(row_number)]))
        values = {name: column.to_list()[0] for name, column in row._columns.items()}
        shown = {name: _shown_with_text(column) for name, column in row._columns.items()}
        return Record(values, shown, self.place(row_number))

    def cell(self, row_number: int, name: str) -> Any:
        """Return the Python value of one cell; None where missing."""
        position = self._position(row_number)
        return self[name]._take(np.array([position])).to_list()[0]

    def place(self, row_number: int, column: str | None = None) -> str:
        """Say where a row stood in its source, or one of its cells: file and line, or sheet and cell.

        Where several rows have one number, as after `to_long`, a cell has several places; all are said.

        Raises
        ------
        ParameterError
            If there is no such row.
        ColumnError
            If there is no such column.
        """
        check_whole(row_number)
        positions = np.flatnonzero(self.row_numbers == row_number).tolist() or [self._position(row_number)]
        if column is None:
            return self.origin.place(row_number)
        return ", ".join(dict.fromkeys(self._cell_place(column, at) for at in positions))

    def _cell_place(self, column: str, position: int) -> str:
        """Say where the cell of a column at a position, from 0, stood."""
        number = int(self.row_numbers[position])
        part, row = placed(self[column].source, column).at(position, number)
        if not part.name:
            stood = self.origin.place(number)
            return f"{stood}, where {column} is not: it was made by a step" if number else stood
        origin = part.origin or self.origin
        return origin.place(row, part.name) if row else f"nowhere in {origin.name}: no row of it matched"
