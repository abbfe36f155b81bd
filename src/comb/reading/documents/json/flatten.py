"""Records of nested values become columns with dotted names."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np

from comb.errors import ContentError
from comb.inference.typed_cells import SourceKind, TypedCells
from comb.kernels.grouping import Codes
from comb.reading.documents.json.parse import Digits, NotFinite, sound, written

# Objects inside objects are taken apart so far; what is deeper stays one value.
DEEPEST = 20

# No table made by people or programs for people is wider; objects used as lookup tables are.
MOST_COLUMNS = 5_000

# Lists of more items are no columns.
MOST_PLACES = 100
Record = dict[str, Any]


class Growth(msgspec.Struct):
    """The cells of a column that grows row by row."""

    kinds: bytearray = msgspec.field(default_factory=bytearray)
    numbers: list[Any] = msgspec.field(default_factory=list)
    texts: list[int] = msgspec.field(default_factory=list)
    strings: list[str] = msgspec.field(default_factory=list)
    places: dict[str, int] = msgspec.field(default_factory=dict)

    def pad(self, rows: int) -> None:
        """Fill up with cells that are not there."""
        lacking = rows - len(self.kinds)
        if lacking > 0:
            self.kinds.extend(bytes([SourceKind.ABSENT]) * lacking)
            self.numbers.extend([0] * lacking)
            self.texts.extend([-1] * lacking)

    def add(self, value: Any) -> None:
        """Add the next cell."""
        kind, text = SourceKind.NULL, None
        number: int | float = 0
        if isinstance(value, bool):
            kind, number = SourceKind.BOOLEAN, int(value)
        elif isinstance(value, int | float):
            kind, number = SourceKind.NUMBER, value
        elif isinstance(value, NotFinite):
            kind, text = SourceKind.ERROR, str(value)
        elif isinstance(value, str):
            blank = not isinstance(value, Digits) and not value.strip()
            kind, text = (SourceKind.EMPTY, None) if blank else (SourceKind.TEXT, str(value))
        elif value is not None:
            kind, text = SourceKind.NESTED, written(value)
        self.kinds.append(kind)
        self.numbers.append(number)
        self.texts.append(-1 if text is None else self._place(text))

    def _place(self, text: str) -> int:
        place = self.places.setdefault(text, len(self.strings))
        if place == len(self.strings):
            self.strings.append(sound(text))
        return place

    def cells(self) -> TypedCells:
        """Return the column; whole numbers stay exact."""
        whole = all(isinstance(number, int) for number in self.numbers)
        numbers = np.array(self.numbers, np.int64 if whole else np.float64)
        return TypedCells(
            np.frombuffer(self.kinds, np.uint8).copy(), numbers, np.array(self.texts, np.int64), self.strings
        )


class Flat(msgspec.Struct):
    """Records as columns.

    Attributes
    ----------
    columns : dict of str to Growth
    rows : list of int
        The record of each row, from 0.
    children : dict of str to list of (int, value)
        Lists of records inside the records, by dotted name: the record each item is in, and the item.
    filled : set of str
        Names under which something stood that is neither null nor an empty list.
    """

    columns: dict[str, Growth] = msgspec.field(default_factory=dict)
    rows: list[int] = msgspec.field(default_factory=list)
    children: dict[str, list[tuple[int, Any]]] = msgspec.field(default_factory=dict)
    filled: set[str] = msgspec.field(default_factory=set)

    def positions(self) -> Codes:
        """Return the record of each row."""
        return np.array(self.rows, np.int64)

    def name_columns(self, names: Sequence[str]) -> None:
        """Have a column for each name, in their order, also where no record has a value for it; the others follow."""
        for name in names:
            apart = name in self.children or any(one.startswith(f"{name}.") for one in self.columns)
            if name not in self.columns and not apart:
                self.columns[name] = Growth()
                self.columns[name].pad(len(self.rows))
        order = dict.fromkeys([*(name for name in names if name in self.columns), *self.columns])
        self.columns = {name: self.columns[name] for name in order}


def flatten(records: Sequence[Any], lists: str) -> Flat:
    """Take records apart into columns.

    Parameters
    ----------
    records : sequence of dict
        What is no object is one column, ``value``.
    lists : {"keep", "count", "rows", "columns"}
        What becomes of lists of plain values: one value as it stands, their length, a row
        for each item, the other cells repeated, or, where all lists of a key are of one length, a
        column for each place: ``pos.1``, ``pos.2``.

    Returns
    -------
    Flat
        Lists of records are no columns but tables of their own; where nothing else is left, ``value`` says ``{}``.
        Where an object is null, or an empty list, that is an object in other records, its parts are null or absent.
    """
    flat = Flat()

    def apart(number: int, record: Any) -> Record:
        cells: Record = {}
        _take_apart(record if isinstance(record, dict) else {"value": record}, "", cells, flat, number, 0)
        return cells

    taken: Iterable[Record] = (apart(number, record) for number, record in enumerate(records))
    widths: dict[str, int] = {}
    if lists == "columns":
        # All have to be seen before it is known which lists are of one length.
        taken = list(taken)
        widths = list_lengths(taken)
    for number, cells in enumerate(taken):
        for row in _rows(cells, lists, widths):
            for name, value in row.items():
                name = sound(name)
                column = flat.columns.get(name)
                if column is None:
                    if len(flat.columns) >= MOST_COLUMNS:
                        raise ContentError(
                            f"its records have more than {MOST_COLUMNS:,} different keys, which would be columns",
                            remedy='are the keys values? Write them as a list of records: [{"key": ..., "value": ...}]',
                        )
                    column = flat.columns[name] = Growth()
                column.pad(len(flat.rows))
                column.add(value)
            flat.rows.append(number)
    for name, column in list(flat.columns.items()):
        column.pad(len(flat.rows))
        # Where lists of records are in other records, an empty list is one without records.
        if name in flat.children and name not in flat.filled:
            del flat.columns[name]
    above_some = {above for name in flat.columns for above in names_above(name)}
    for above in sorted(above_some.intersection(flat.columns) - flat.filled):
        nothing = np.frombuffer(flat.columns.pop(above).kinds, np.uint8) == SourceKind.NULL
        for name, column in flat.columns.items():
            if name.startswith(f"{above}."):
                kinds = np.frombuffer(column.kinds, np.uint8)
                kinds[nothing & (kinds == SourceKind.ABSENT)] = SourceKind.NULL
    if flat.rows and not flat.columns:
        # Nothing is in them but lists of records, or nothing at all.
        empty = flat.columns["value"] = Growth()
        for _ in flat.rows:
            empty.add("{}")
    return flat


def names_above(name: str) -> list[str]:
    """Return the names of the objects that a column is a part of.

    >>> names_above("site.at.lat")
    ['site', 'site.at']
    """
    return [name[:at] for at, sign in enumerate(name) if sign == "."]


def _take_apart(record: Record, prefix: str, cells: Record, flat: Flat, number: int, level: int) -> None:
    for key, value in record.items():
        name = f"{prefix}{key}"
        if isinstance(value, dict) and value and level < DEEPEST:
            _take_apart(value, f"{name}.", cells, flat, number, level + 1)
        elif isinstance(value, list) and any(isinstance(item, dict) for item in value):
            flat.children.setdefault(name, []).extend((number, item) for item in value)
        else:
            cells[name] = value
            if value is not None and value != []:
                flat.filled.add(name)


def list_lengths(taken: Iterable[Record]) -> dict[str, int]:
    """Return the length of the lists of each key that has lists of one length only."""
    lengths: dict[str, set[int]] = {}
    for cells in taken:
        for name, value in cells.items():
            if value is not None:
                # What is no list has no length.
                lengths.setdefault(name, set()).add(len(value) if isinstance(value, list) else -1)
    fixed = {name: some.pop() for name, some in lengths.items() if len(some) == 1}
    return {name: width for name, width in fixed.items() if 0 < width <= MOST_PLACES}


def _rows(cells: Record, lists: str, widths: Mapping[str, int]) -> list[Record]:
    """Return the rows that a record makes."""
    if lists == "columns":
        row: Record = {}
        for name, value in cells.items():
            if name in widths:
                items = [None] * widths[name] if value is None else value
                row |= {f"{name}.{at}": item for at, item in enumerate(items, 1)}
            else:
                row[name] = value
        return [row]
    if lists == "keep":
        return [cells]
    long = {name: value for name, value in cells.items() if isinstance(value, list)}
    if lists == "count":
        return [{**cells, **{name: len(value) for name, value in long.items()}}]
    if not any(long.values()):
        return [{**cells, **dict.fromkeys(long)}]
    most = max(map(len, long.values()))
    return [
        {**cells, **{name: value[at] if at < len(value) else None for name, value in long.items()}}
        for at in range(most)
    ]
