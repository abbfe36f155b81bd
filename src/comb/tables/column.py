"""A column: values of one type, and the reason for every empty cell."""

from collections.abc import Callable, Iterator, Sequence
from datetime import date, time, timedelta
from decimal import Decimal
from typing import Any, SupportsIndex, cast, overload

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from comb.errors import ParameterError, PositionError, TypeMismatch, washed
from comb.execution.storage import blocks_of
from comb.kernels import dispatch
from comb.kernels.grouping import Codes, group, group_sizes, ranks
from comb.tables.cell_source import NO_PLACE, CellSource
from comb.tables.evidence import Evidence
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import STRING, Type
from comb.tables.value_texts import python_values, value_texts

State = NDArray[np.uint8]
Mask = NDArray[np.bool_]

_NOTHING = Kept()

# Python values that are made at once for code that goes through a column.
CELLS_AT_ONCE = 10_000

# Of columns with no more different texts, how often each is there is counted once.
MOST_COUNTED = 65_536

_POSITIONS = "positions are counted from 0, or from the end with -1"

# What a whole column is not equal to, though one of its cells may be.
_VALUES = (str, bytes, int, float, Decimal, date, time, timedelta, np.generic)

# Of longer columns it is found anew which cells are missing: that is quick, and many such columns are a burden.
MOST_REMEMBERED = 4_000_000


class Column:
    """Values of one type and, where anything is missing, one byte of state per cell.

    Columns are never changed in place and may be shared by tables and threads.

    Parameters
    ----------
    type : Type
    values : array or Text
        As the type stores them; what stands at a missing cell means nothing.
    state : uint8 array, optional
        `Reason` per cell; None where every cell is present.
    kept : Kept, optional
        Texts of cells that are missing as ``marker`` or ``unreadable``.
    evidence : Evidence, optional
    description : str
        What the column holds, its unit.
    source : CellSource, optional
        Where the cells came from, if not from the source of the table under the column's name.
    """

    __slots__ = ("_counted", "_missing", "description", "evidence", "kept", "source", "state", "type", "values")

    def __init__(
        self,
        type: Type,
        values: NDArray[Any] | Text,
        state: State | None = None,
        *,
        kept: Kept = _NOTHING,
        evidence: Evidence | None = None,
        description: str = "",
        source: CellSource | None = None,
    ) -> None:
        self.source = source
        self.type = type
        self.values = values
        self.state = state if state is not None and state.any() else None
        self.kept = kept
        self.evidence = evidence
        self.description = description
        self._missing: Mask | None = None
        self._counted: Codes | None = None
        for array in (values, self.state):
            if isinstance(array, np.ndarray):
                array.flags.writeable = False

    def __reduce__(self) -> tuple[Any, ...]:
        parts = (self.type, self.values, self.state, self.kept, self.evidence, self.description, self.source)
        return _rebuild, parts

    @property
    def _untyped(self) -> bool:
        """Whether the source has no value in the column, and nobody said what it is: text for want of a type."""
        told = self.evidence
        if told is None or told.declared or self.type.word != "string" or told.chosen.fits or told.chosen.misfits:
            return False
        return not len(self) or bool(self.missing.all())

    def __len__(self) -> int:
        return len(self.values)

    def __iter__(self) -> Iterator[Any]:
        """Go through the Python values, a few of which are made at a time; None where missing."""
        for start in range(0, len(self), CELLS_AT_ONCE):
            yield from self._part(start, start + CELLS_AT_ONCE).to_list()

    @overload
    def __getitem__(self, position: SupportsIndex) -> Any: ...

    @overload
    def __getitem__(self, position: slice) -> "Column": ...

    def __getitem__(self, position: SupportsIndex | slice) -> Any:
        """Return the Python value at a position, counted from 0 as in a list; of a slice, a column."""
        if isinstance(position, slice):
            return self._take(np.arange(len(self))[position])
        if isinstance(position, bool | np.bool_) or not hasattr(position, "__index__"):
            where = "rows that meet a condition are found by table.filter('mites > 3')"
            raise ParameterError(f"expected the position of a cell, from 0, got {position!r}", remedy=where)
        at = position.__index__()
        if not -len(self) <= at < len(self):
            raise PositionError(f"there is no position {at} in a column of {len(self):,} cells", remedy=_POSITIONS)
        return self._take(np.array([at % len(self)])).to_list()[0]

    def __eq__(self, other: object) -> bool:
        """Return whether types, values and reasons are the same in two columns."""
        if isinstance(other, Column):
            same = self.type == other.type and len(self) == len(other)
            return same and bool(self._same_cells(other).all())
        if isinstance(other, _VALUES):
            raise TypeMismatch(
                f"a column is not compared with {other!r} as a whole",
                remedy="table.filter('mites = 3') finds rows; to_numpy() gives an array that compares cell by cell",
            )
        return NotImplemented

    def __hash__(self) -> int:
        return hash((self.type, len(self)))

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> NDArray[Any]:
        """Return what `to_numpy` does, as another NumPy type if one is asked for.

        Raises
        ------
        ParameterError
            If missing cells have no place in it, or the values are asked for without a copy.
        """
        if copy is False:
            raise ParameterError("a column cannot give its values without a copy", remedy="np.asarray(column)")
        wanted = None if dtype is None else np.dtype(dtype)
        gaps = wanted is not None and wanted.kind == "f" and self.type.plain.word in ("integer", "boolean")
        if gaps and self.missing_count:
            found = self.array.astype(wanted)
            found[self.missing] = np.nan
            return found
        return self.to_numpy() if wanted is None else self.to_numpy().astype(wanted)

    def __repr__(self) -> str:
        shown = ", ".join("None" if text is None else text for text in self._take(np.arange(min(5, len(self)))).texts())
        more = f", ... {len(self):,} cells" if len(self) > 5 else ""
        return washed(f"<Column of type {self.type}: {shown}{more}>")

    @property
    def text(self) -> Text:
        """The text cells of a string column.

        Raises
        ------
        TypeMismatch
            If the column is of another type.
        """
        if not isinstance(self.values, Text):
            raise TypeMismatch(f"expected a column of type string, this one is {self.type}")
        return self.values

    @property
    def array(self) -> NDArray[Any]:
        """The stored values of a column that is not text."""
        if isinstance(self.values, Text):
            raise TypeMismatch(f"expected numbers, dates or booleans, this column is {self.type}")
        return self.values

    @property
    def missing(self) -> Mask:
        """Whether each cell is missing."""
        if self._missing is not None:
            return self._missing
        missing = np.zeros(len(self), np.bool_) if self.state is None else self.state != Reason.PRESENT
        missing.flags.writeable = False
        if len(self) <= MOST_REMEMBERED:
            self._missing = missing
        return missing

    @property
    def present(self) -> Mask:
        """Whether each cell holds a value."""
        return ~self.missing

    @property
    def missing_count(self) -> int:
        """How many cells are missing."""
        return 0 if self.state is None else int(np.count_nonzero(self.state))

    @property
    def states(self) -> State:
        """The state of every cell, also where none is missing."""
        return np.zeros(len(self), np.uint8) if self.state is None else self.state

    def reasons(self) -> list[str | None]:
        """Return for each cell why it is missing; None where it is present."""
        words = [None, *(reason.word for reason in Reason if reason)]
        return [words[code] for code in self.states.tolist()]

    def to_list(self) -> list[Any]:
        """Return Python values: str, int, Decimal, float, bool or date; None where missing.

        Cost: one pass, one object per cell.
        """
        if isinstance(self.values, Text):
            values: list[Any] = self.values.to_list()
        else:
            values = python_values(self.type, self._sound_values())
        return self._with_none(values)

    def texts(self) -> list[str | None]:
        """Return the canonical text of each cell; None where missing."""
        texts = isinstance(self.values, Text)
        values = self.text.to_list() if texts else value_texts(self.type, self._sound_values())
        return self._with_none(values)

    def _sound_values(self) -> NDArray[Any]:
        """Return the stored values, days and times with nothing under missing cells: any number may be left there."""
        if self.state is None or self.array.dtype.kind not in "mM" or not self.state.any():
            return self.array
        return np.where(self.missing, np.zeros(1, self.array.dtype), self.array)

    def _with_none(self, values: list[Any]) -> list[Any]:
        for position in np.flatnonzero(self.missing).tolist():
            values[position] = None
        return values

    def _written(self, position: int) -> str | None:
        """Return the text of one cell: its value, or what stood there if that was kept."""
        return self.kept.texts.get(position, self._take(np.array([position])).texts()[0])

    def to_numpy(self, *, missing: Any = None) -> NDArray[Any]:
        """Return the values as a NumPy array.

        Numbers have NaN where missing, dates and what has hours NaT, text is objects with None.
        Decimals become float64; times are counted from midnight.

        Parameters
        ----------
        missing : scalar, optional
            What stands at missing cells; needed for integers and booleans with any.

        Raises
        ------
        ParameterError
            If integers or booleans have missing cells and `missing` is not given.
        """
        if isinstance(self.values, Text):
            return np.array([missing if cell is None else cell for cell in self.to_list()], dtype=object)
        kind = self.type.plain
        values = self.values / 10**kind.scale if kind.word == "decimal" else self.values.copy()
        if not self.missing_count:
            return cast(NDArray[Any], values)
        if missing is None:
            if kind.word in ("integer", "boolean"):
                raise ParameterError(
                    f"{self.missing_count:,} of {len(self):,} cells are missing, and NumPy has no missing {self.type}",
                    remedy="give a value for them: to_numpy(missing=0)",
                )
            empty = {"M": np.datetime64("NaT", "us"), "m": np.timedelta64("NaT", "us")}
            missing = empty.get(values.dtype.kind, np.nan)
        values[self.missing] = missing
        return cast(NDArray[Any], values)

    def _take(self, positions: Codes) -> "Column":
        """Return the cells at the given positions, in that order."""
        values = self.values.take(positions)
        state = None if self.state is None else self.state[positions]
        source = None if self.source is None else self.source.take(positions)
        return self._replace(values=values, state=state, kept=self.kept.take(positions), source=source)

    def _without_values(self, kind: Type) -> "Column":
        """Return a column without a value as one of another type: its cells are missing for the same reasons."""
        values: Any = Text.from_items([""], np.zeros(len(self), np.int64)) if kind.textual else None
        return self._replace(type=kind, values=np.zeros(len(self), kind.storage) if values is None else values)

    def _part(self, start: int, stop: int) -> "Column":
        """Return the cells from one position up to another."""
        return self._take(np.arange(start, min(stop, len(self))))

    def _replace(self, **changes: Any) -> "Column":
        """Return a column that differs in the given parts."""
        parts = {name: getattr(self, name) for name in self.__slots__ if not name.startswith("_")}
        parts.update(changes)
        return Column(parts.pop("type"), parts.pop("values"), parts.pop("state"), **parts)

    def _unnumbered(self) -> "Column":
        """Return the column for rows that are numbered differently: row numbers in its evidence mean nothing there."""
        if self.evidence is None or self.evidence.minority is None:
            return self
        return self._replace(evidence=replace(self.evidence, minority=None))

    def _emptied(self, where: Mask, reason: Reason) -> "Column":
        """Return a column with the given cells missing for the given reason."""
        state = self.states.copy()
        state[where] = reason
        kept = Kept({at: text for at, text in self.kept.texts.items() if not where[at]})
        return self._replace(state=state, kept=kept)

    def _absent(self, count: int) -> "Column":
        """Return a column of the same type with this many cells, all absent."""
        values: Any = (
            Text.from_items([""], np.zeros(count, np.int32))
            if self.type.textual
            else np.zeros(count, self.type.storage)
        )
        state = np.full(count, Reason.ABSENT, np.uint8)
        return self._replace(values=values, state=state, kept=_NOTHING, source=NO_PLACE)

    def _codes(self) -> Codes:
        """Number equal cells equal, from 0; missing cells share the highest number.

        This is what grouping and comparing look at: reasons do not matter.
        """
        base = self.values.numbers() if isinstance(self.values, Text) else group([self.values], len(self))[0]
        if self.state is None:
            return base
        return np.where(self.missing, base.max(initial=-1) + 1, base)

    def _keys(self, start: int = 0, stop: int | None = None) -> NDArray[np.uint64]:
        """Return numbers that are equal where cells are equal; missing cells share one that others may have.

        Parameters
        ----------
        start, stop : int
            From which position to which. Texts without codes have a fingerprint, which is the same for different ones
            by a rare chance.
        """
        part = slice(start, stop)
        if isinstance(self.values, Text):
            base = self.values.keys(part)
        elif self.type.storage == "bool":
            base = self.values[part].astype(np.uint64)
        else:
            # Negative zero equals zero.
            values = self.values[part]
            base = (values + 0.0 if self.type.storage == "float64" else values.copy()).view(np.uint64)
        if self.state is not None:
            base[self.state[part] != Reason.PRESENT] = np.uint64(2**63 + 1)
        return base

    def _sort_ranks(self) -> Codes:
        """Rank cells in ascending order: text by code point, categories as declared; missing cells are -1."""
        if self.type.choices:
            places = {level.value: place for place, level in enumerate(self.type.choices)}
            found = self._replace(type=self.type.plain).distinct()
            rank_of = np.array([places.get(text or "", len(places)) for text in found.values.texts()], np.int64)
            return np.where(self.missing, -1, _looked_up(self, found.values, rank_of))
        if isinstance(self.values, Text):
            words, codes = self.values.coded()
            order = sorted(range(len(words)), key=words.__getitem__)
            rank = np.empty(len(words), np.int64)
            rank[order] = np.arange(len(words))
            placed = rank[codes]
        else:
            placed = ranks(self.values)
        return np.where(self.missing, -1, placed)

    def distinct(self) -> "DistinctValues":
        """Count the distinct values of the present cells."""
        if isinstance(self.values, Text) and self.values.codes is not None:
            counts = self._text_counts()
            used = np.flatnonzero(counts)
            # The stored texts, without a search for cells that hold them.
            texts = Text(self.values.buffer, self.values.offsets, used.astype(self.values.codes.dtype))
            return DistinctValues(self._replace(values=texts, state=None, kept=_NOTHING, source=NO_PLACE), counts[used])
        present = np.flatnonzero(self.present)
        values = (self.values.numbers() if isinstance(self.values, Text) else self.values)[present]
        first, counts = group_sizes([values], len(values))
        order = np.argsort(values[first], kind="stable")
        return DistinctValues(self._take(present[first[order]]), counts[order])

    def _with_codes(self) -> "Column":
        """Return the same column, with codes if it is of texts."""
        if not isinstance(self.values, Text) or self.values.codes is not None:
            return self
        return self._replace(values=self.values.with_codes())

    def _text_counts(self) -> Codes:
        """Return for each stored text of a column of texts with codes how many present cells hold it."""
        text = self.text
        if text.codes is None:
            return self.present.astype(np.int64)
        if self._counted is not None:
            return self._counted
        counts = dispatch.kernels.count_codes(text.codes, text.item_count)
        if self.state is not None:
            for block in blocks_of(len(self)):
                missing = np.flatnonzero(self.state[block])
                np.subtract.at(counts, text.codes[block][missing], 1)
        if text.item_count <= MOST_COUNTED:
            counts.flags.writeable = False
            self._counted = counts
        return counts

    def _first_present(self, count: int) -> Codes:
        """Return the positions of the first cells that are present, this many at most.

        >>> Column._of_strings(["a", None, "b", "c"])._first_present(2).tolist()
        [0, 2]
        """
        if self.state is None:
            return np.arange(min(count, len(self)))
        seen, found = 2 * count, np.zeros(0, np.int64)
        while len(found) < count and seen < 8 * max(len(self), 2 * count):
            found = np.flatnonzero(self.state[:seen] == Reason.PRESENT)[:count]
            seen *= 8
        return found

    def _same_cells(self, other: "Column") -> Mask:
        """Return where two columns of one type hold the same value or are both missing equal."""
        if self is other:
            return np.ones(len(self), np.bool_)
        same_state = self.states == other.states
        if isinstance(self.values, Text):
            same = self.values.same_texts(other.text)
        else:
            same = np.equal(self.array, other.array)
        return cast(Mask, same_state & (same | self.missing))

    @classmethod
    def _of_strings(cls, texts: Sequence[str | None], *, state: State | None = None, description: str = "") -> "Column":
        """Make a string column; None and spaces alone are missing as ``blank``."""
        if state is None:
            blank = [text is None or not text or text.isspace() for text in texts]
            state = np.where(blank, np.uint8(Reason.BLANK), np.uint8(0))
        values = Text.from_strings([text or "" for text in texts])
        return cls(STRING, values, state, description=description)

    def _map_text(self, change: Callable[[str], str]) -> "Column":
        """Apply a function to the present texts; what becomes empty is missing as ``blank``."""
        values = self.text.map(change)
        emptied = values.flags(lambda text: not text.strip()) & self.present
        changed = self._replace(values=values)
        return changed._emptied(emptied, Reason.BLANK) if emptied.any() else changed

    def _map_some(self, items: Mask, change: Callable[[str], str]) -> "Column":
        """Apply a function to some of the stored texts; what becomes empty is missing as ``blank``."""
        values, blank = self.text.map_some(items, change)
        changed = self._replace(values=values)
        emptied = blank & self.present
        return changed._emptied(emptied, Reason.BLANK) if emptied.any() else changed


def _rebuild(*parts: Any) -> Column:
    column, values, state, kept, evidence, description, source = parts
    return Column(column, values, state, kept=kept, evidence=evidence, description=description, source=source)


def _looked_up(column: Column, distinct: Column, wanted: Codes) -> Codes:
    """Return for each cell what belongs to its value; missing cells get anything."""
    if isinstance(column.values, Text):
        texts = dict(zip(distinct.text.to_list(), wanted.tolist(), strict=True))
        items = np.array([texts.get(item, 0) for item in column.values.items()], np.int64)
        return items if column.values.codes is None else items[column.values.codes]
    order = np.argsort(distinct.array)
    at = np.searchsorted(distinct.array[order], column.array).clip(0, max(0, len(order) - 1))
    return wanted[order][at] if len(order) else np.zeros(len(column), np.int64)


class DistinctValues:
    """The distinct values of a column with their counts.

    Attributes
    ----------
    values : Column
        Each distinct value once.
    counts : int64 array
        How many cells hold it.
    """

    __slots__ = ("counts", "values")

    def __init__(self, values: Column, counts: Codes) -> None:
        self.values = values
        self.counts = counts

    def __len__(self) -> int:
        return len(self.counts)

    def __repr__(self) -> str:
        shown = ", ".join(f"{text} {count:,}" for text, count in self.commonest(5))
        return washed(f"<DistinctValues: {len(self):,}; {shown}{' ...' if len(self) > 5 else ''}>")

    def commonest(self, most: int) -> list[tuple[str, int]]:
        """Return texts and counts, the commonest first, ties in order of value."""
        values, counts = self.values, self.counts
        if 0 < most < len(counts):
            # What is as common as the last one may be among the first by its text.
            last = len(counts) - most
            places = np.flatnonzero(counts >= np.partition(counts, last)[last])
            values, counts = values._take(places), counts[places]
        texts = cast(list[str], values.texts())
        order = np.array(sorted(range(len(texts)), key=texts.__getitem__), np.int64)
        order = order[np.argsort(-counts[order], kind="stable")][:most]
        return [(texts[at], count) for at, count in zip(order.tolist(), counts[order].tolist(), strict=True)]
