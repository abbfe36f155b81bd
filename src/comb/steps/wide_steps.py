"""Steps from long form to wide: to_wide, add_combinations."""

import calendar
import math
from collections.abc import Sequence
from datetime import date
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from comb.errors import ColumnError, ParameterError, TypeMismatch, agree, counted, listing, nearest, unknown_name
from comb.expressions.aggregates import Groups, aggregate
from comb.expressions.signatures import AGGREGATES
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes, compact, first_rows, group, missing_last, order_rows
from comb.steps.base import Change, Rows, Step, chosen, numbered_anew
from comb.steps.cell_steps import retyped
from comb.tables.cell_source import NO_PLACE, CellSource, placed, put_below, without
from comb.tables.column import Column
from comb.tables.concat import below
from comb.tables.kept import Kept
from comb.tables.names import check_known, unique_names
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text

# More new columns than this are a mistake, not a table to be read; `most_columns` allows more.
MOST_NEW_COLUMNS = 200

# Places at which two values meet that are listed.
MOST_LISTED = 3

# More combinations than these, and than this many times the rows, are a mistake in the keys.
MOST_COMBINATIONS = 10_000_000
MOST_GROWTH = 20

# What a missing heading is called.
MISSING_HEADING = "(missing)"

# Aggregates of one column that may put two values together.
_AGGREGATES = ("sum", "avg", "min", "max", "count", "median", "first", "last")


class ToWide(Step, frozen=True, tag="to_wide"):
    """Turn rows into columns: a new column for each value of one column. It undoes `to_long`.

    Parameters
    ----------
    heading_column : str
        The column whose values become names of columns, in their order.
    value_column : list of str
        The column whose cells go below them; of several, the names are ``value_heading``: ``weight_2025``.
    by : list of str
        Selectors of the columns that identify a row; none means all the others.
    begins : str, optional
        The heading at which a row begins, instead of columns that identify it: what follows, up to the next one, is in
        the same row. So records are put together whose fields stand below each other.
    aggregate : {"sum", "avg", "min", "max", "count", "median", "first", "last"}, optional
        What becomes of several values for one place; by default they are refused, and listed.
    most_columns : int
        More new columns than this are refused.
    """

    accounting: ClassVar[Rows] = Rows.MERGED

    heading_column: str
    value_column: list[str]
    by: list[str] = []
    begins: str | None = None
    aggregate: Literal["sum", "avg", "min", "max", "count", "median", "first", "last"] | None = None
    most_columns: int = MOST_NEW_COLUMNS

    @property
    def depends_on_values(self) -> bool:
        """Of each heading a column is made."""
        return True

    def apply(self, table: BareTable) -> Change:
        """Put the values side by side."""
        heading_name = check_known(self.heading_column, table.names)
        values = chosen(table, self.value_column)
        rest = [name for name in table.names if name != heading_name and name not in values]
        if self.begins is not None and self.by:
            raise ParameterError("by and begins both say what is in one row", remedy="give one of them")
        keys = chosen(table, self.by) if self.by else [] if self.begins is not None else rest
        if heading_name in values or {heading_name, *values} & set(keys):
            raise ColumnError(
                "a column is named twice among heading_column, value_column and by", remedy="name each column once"
            )
        blocks = self.aggregate is None and self.begins is None
        size = _block_size(table, heading_name, keys, self.most_columns) if blocks else 0
        if size:
            return self._from_blocks(table, heading_name, keys, values, size)
        groups = Groups.by(table, keys)
        groups = groups if table.row_count else Groups(groups.codes, np.zeros(0, np.int64))
        heads, head_of, titles = _headings(table[heading_name])
        if self.begins is not None and table.row_count:
            # Fields are in the order of a record, not in that of an alphabet.
            order = np.argsort(heads)
            heads, titles = heads[order], [titles[at] for at in order.tolist()]
            head_of = np.argsort(order)[head_of]
            groups = _begun(head_of, titles, self.begins, heading_name)
        self._check_width(heading_name, len(heads) * len(values))
        pairs, first = group([groups.codes, head_of], table.row_count)
        first = first if table.row_count else np.zeros(0, np.int64)
        if self.aggregate is None:
            self._check_single(table, keys, heading_name, pairs, first)
        columns = {name: _in_rows(table, name)._take(groups.first) for name in keys}
        names = unique_names([*keys, *self._names(titles, values)])[len(keys) :]
        places = _places(groups, head_of, first, len(heads))
        waiting = iter(names)
        for name in values:
            cells = self._cells(table, name, pairs, first)
            for head in range(len(heads)):
                columns[next(waiting)] = _spread(cells, places[head])
        made = numbered_anew(table, columns, len(groups))
        return Change(
            made, groups.first, merged_into=groups.codes, notes=tuple(self._notes(table, keys, titles, names))
        )

    def _from_blocks(
        self, table: BareTable, heading: str, keys: Sequence[str], values: Sequence[str], size: int
    ) -> Change:
        """Put the values side by side where each group follows the other with all headings: no row is looked for."""
        heads, _, titles = _headings(table[heading]._take(np.arange(size)))
        self._check_width(heading, size * len(values))
        begins = np.arange(0, table.row_count, size)
        columns = {name: _in_rows(table, name)._take(begins) for name in keys}
        names = unique_names([*keys, *self._names(titles, values)])[len(keys) :]
        waiting = iter(names)
        for name in values:
            cells = _in_rows(table, name)
            rows = None if cells.source is None else cells.source.rows
            one = rows is not None and bool((rows.reshape(-1, size) == rows[::size, None]).all())
            shared = rows[::size].copy() if one and rows is not None else None
            for at in heads.tolist():
                columns[next(waiting)] = _every(cells, at, size, shared)
        made = numbered_anew(table, columns, len(begins))
        notes = tuple(self._notes(table, keys, titles, names))
        return Change(made, begins, merged_into=lambda: np.repeat(np.arange(len(begins)), size), notes=notes)

    def _check_width(self, heading: str, width: int) -> None:
        if width > self.most_columns:
            raise ParameterError(
                f"there would be {width:,} new columns, more than {self.most_columns}",
                remedy=f"is {heading} the right column? most_columns allows more",
            )

    def _names(self, titles: Sequence[str], values: Sequence[str]) -> list[str]:
        """Return the names of the new columns: without line breaks and outer spaces, which would get lost in a file."""
        safe = [" ".join(title.split()) or "(blank)" for title in titles]
        if len(values) == 1:
            return safe
        return [f"{value}_{title}" for value in values for title in safe]

    def _notes(self, table: BareTable, keys: Sequence[str], titles: Sequence[str], names: Sequence[str]) -> list[str]:
        dropped = [
            name for name in table.names
            if name not in keys and name != self.heading_column and name not in chosen(table, self.value_column)
        ]  # fmt: skip
        notes = [f"{', '.join(dropped)} {agree(len(dropped), 'is', 'are')} not in the result"] if dropped else []
        if MISSING_HEADING in titles:
            notes.append(f"rows without {self.heading_column} are in the column {MISSING_HEADING}")
        plain = self._names(titles, [""])
        cleaned = [f"{title!r} is called {safe!r}" for title, safe in zip(titles, plain, strict=True) if title != safe]
        notes += [f"names without breaks and outer spaces: {listing(cleaned)}"] if cleaned else []
        renamed = [name for name in names if name.endswith(")") and name not in titles and name not in plain]
        notes += [f"names that were there already: {', '.join(renamed)}"] if renamed else []
        return notes

    def _cells(self, table: BareTable, name: str, pairs: Codes, first: Codes) -> Column:
        """Return one cell for each pair of a group and a heading."""
        if self.aggregate is None:
            return _in_rows(table, name)._take(first)
        column = table[name]
        if "any" not in AGGREGATES[self.aggregate].takes and not (
            column.type.numeric or column.type.word == "duration"
        ):
            raise ParameterError(
                f"{self.aggregate} is of numbers, {name} is {column.type}", remedy="first, last, min, max"
            )
        made = aggregate(self.aggregate, [column], Groups(pairs, first), used=None, distinct=False)
        return made._replace(source=None)

    def _check_single(self, table: BareTable, keys: Sequence[str], heading: str, pairs: Codes, first: Codes) -> None:
        """Raise a ParameterError if two rows have a value for one place."""
        again = np.ones(table.row_count, np.bool_)
        again[first] = False
        rows = np.flatnonzero(again)
        if not len(rows):
            return
        shown = []
        for row in rows[:MOST_LISTED].tolist():
            other = int(first[pairs[row]])
            place = np.array([row])
            of = ", ".join(f"{name} {table[name]._take(place).texts()[0]}" for name in (*keys, heading))
            shown.append(f"rows {table.row_numbers[other]} and {table.row_numbers[row]} ({of})")
        more = f" and {len(rows) - MOST_LISTED:,} more" if len(rows) > MOST_LISTED else ""
        raise ParameterError(
            f"{counted(len(rows), 'row')} {agree(len(rows), 'has', 'have')} a place that another row has: "
            f"{'; '.join(shown)}{more}",
            remedy="name the columns that tell them apart in by, or how to put them together: aggregate: sum",
        )

    def describe(self) -> str:
        """Name headings and values."""
        within = f" for each {', '.join(self.by)}" if self.by else ""
        within = f", a row from each {self.begins!r} on" if self.begins is not None else within
        how = f" ({self.aggregate})" if self.aggregate else ""
        return f"{', '.join(self.value_column)}{how} side by side for each {self.heading_column}{within}"


def _begun(head_of: Codes, titles: Sequence[str], begins: str, heading: str) -> Groups:
    """Return the groups of rows that begin at one of the headings; what is above the first one is a group, too."""
    found = [at for at, title in enumerate(titles) if " ".join(title.split()) == " ".join(begins.split())]
    if not found:
        raise ParameterError(
            f"no cell of {heading} is {begins!r}, with which a row should begin",
            remedy=f"did you mean {near!r}?" if (near := nearest(begins, titles)) else f"there are: {listing(titles)}",
        )
    starts = head_of == found[0]
    first = np.flatnonzero(starts)
    codes = np.cumsum(starts) - int(starts[0])
    return Groups(codes, first if starts[0] else np.append(0, first))


def _block_size(table: BareTable, heading: str, keys: Sequence[str], most: int) -> int:
    """Return how many headings there are if each group follows the other with all of them, in one order; else 0.

    So they stand after `to_long`.
    """
    compared = [_comparable(table[name]) for name in (heading, *keys)]
    parts, rows = compared[0], table.row_count
    if not rows or None in compared or not parts:
        return 0
    again = np.flatnonzero(np.all([part[1 : most + 2] == part[0] for part in parts], axis=0))
    size = int(again[0]) + 1 if len(again) else 0
    if size < 2 or rows % size:
        return 0
    if any((part.reshape(-1, size) != part[:size]).any() for part in parts):
        return 0
    for parts in compared[1:]:
        if any((part.reshape(-1, size) != part[::size, None]).any() for part in parts or ()):
            return 0
    begins = np.arange(0, rows, size)
    alone = len(_headings(table[heading]._take(np.arange(size)))[0]) == size
    return (
        size
        if alone and len(Groups.of([table[name]._take(begins) for name in keys], len(begins))) == len(begins)
        else 0
    )


def _comparable(column: Column) -> list[NDArray[Any]] | None:
    """Return arrays that are equal where the cells of a column are; None where that would take a search."""
    values = column.text.codes if isinstance(column.values, Text) else column.array
    if values is None:
        return None
    return [values] if column.state is None else [values, column.state]


def _every(cells: Column, begin: int, size: int, shared: Codes | None) -> Column:
    """Return every cell of a column at a fixed distance; the row numbers of all of them are not stored again."""
    places = slice(begin, None, size)
    text = cells.values if isinstance(cells.values, Text) else None
    if len(cells.kept) or (text is not None and text.codes is None):
        values, kept = (
            cells._take(np.arange(begin, len(cells), size)).values,
            cells.kept.take(np.arange(begin, len(cells), size)),
        )
    elif text is not None and text.codes is not None:
        values, kept = Text(text.buffer, text.offsets, text.codes[places].copy()), cells.kept
    else:
        values, kept = cells.array[places].copy(), cells.kept
    state = None if cells.state is None else cells.state[places].copy()
    source = cells.source
    if source is not None:
        which = None if source.which is None else source.which[places]
        numbers = shared if shared is not None or source.rows is None else source.rows[places].copy()
        if which is not None and (which == which[0]).all():
            source = CellSource((source.parts[int(which[0])],), None, numbers)
        else:
            source = CellSource(source.parts, None if which is None else which.copy(), numbers)
    return cells._replace(values=values, state=state, kept=kept, source=source)


def _places(groups: Groups, head_of: Codes, first: Codes, heads: int) -> list[Codes]:
    """Return for each heading where the cell of each group is among the pairs, -1 for none."""
    small = np.int32 if len(first) < 2**31 else np.int64
    places = np.full((heads, len(groups)), -1, small)
    places[head_of[first], groups.codes[first]] = np.arange(len(first), dtype=small)
    return list(places)


def _headings(column: Column) -> tuple[Codes, Codes, list[str]]:
    """Return the distinct values of a column in their order: their first rows, the place of each row, their names."""
    used, inverse = compact(column._codes())
    first = first_rows(inverse, len(used)) if len(used) else np.zeros(0, np.int64)
    ranks = missing_last(column._take(first)._sort_ranks(), descending=False)
    order = order_rows([ranks]) if len(first) else first
    place = np.empty(len(order), np.int64)
    place[order] = np.arange(len(order))
    titles = [text if text is not None else MISSING_HEADING for text in column._take(first[order]).texts()]
    return first[order], place[inverse] if len(order) else inverse, titles


def _in_rows(table: BareTable, name: str) -> Column:
    """Return a column whose cells know their rows in the source, whatever table they come to."""
    column = table[name]
    return column._replace(source=placed(column.source, name).in_rows(table.origin, table.row_numbers))


def _spread(cells: Column, place: Codes) -> Column:
    """Return the cells at some places; absent where the place is -1."""
    lacking = place < 0
    if not len(cells):
        return cells._absent(len(place))
    taken = cells._take(np.maximum(place, 0))
    if taken.source is not None and lacking.any():
        taken = taken._replace(source=without(taken.source, lacking))
    return taken._emptied(lacking, Reason.ABSENT) if lacking.any() else taken


class AddCombinations(Step, frozen=True, tag="add_combinations"):
    """Add rows for combinations of keys, and of keys and periods, that are not there.

    Parameters
    ----------
    by : list of str
        Selectors of the key columns. Without a period, every value of each is combined with every value of the others;
        with a period, the combinations of keys that there are get a row for each period.
    period : str, optional
        A column of dates or datetimes that goes from the first to the last in steps of `every`.
    every : str
        The step: ``day``, ``week``, ``month``, ``quarter``, ``year``; for datetimes a number of seconds, minutes,
        hours, days or weeks (``15 minutes``); it begins at the first date.
    own_range : bool
        Each key from its own first date to its own last; else all from the first to the last of the table.
    values : dict of str to str
        What the new rows hold in other columns; by default nothing: they are ``absent``.
    """

    by: list[str] = []
    period: str | None = None
    every: str = "day"
    own_range: bool = False
    values: dict[str, str] = {}

    def apply(self, table: BareTable) -> Change:
        """Add the rows below the others."""
        names = chosen(table, self.by) if self.by else []
        if self.period is None:
            if len(names) < 2:
                raise ParameterError("expected two keys to combine, or a period", remedy="by: [hive, month]")
            keys = self._products(table, names)
        else:
            name = check_known(self.period, table.names)
            seconds, kind = _seconds_of(self.every), table[name].type.word
            if kind not in ("date", "datetime"):
                raise TypeMismatch(
                    f"expected a column of dates as the period, {name!r} is {table[name].type}",
                    remedy=f"convert it first: convert {name} to date",
                )
            if seconds % A_DAY if kind == "date" else not seconds:
                what = "times of day" if kind == "date" else "months"
                raise TypeMismatch(
                    f"every {self.every}: {name!r} is {kind}, whose steps are no {what}",
                    remedy=f"convert it first: convert {name} to {'datetime' if kind == 'date' else 'date'}",
                )
            keys = self._periods(table, names, name)
            names = [*names, name]
        for name in self.values:
            check_known(name, table.names)
        count = len(next(iter(keys.values()))) if keys else 0
        notes = [f"{counted(count, 'combination')} {agree(count, 'was', 'were')} not there"]
        lacking = int(np.count_nonzero(np.any([table[name].missing for name in names], axis=0)))
        notes += (
            [f"{counted(lacking, 'row')} without a key {agree(lacking, 'is', 'are')} not combined"] if lacking else []
        )
        columns = {}
        for name, column in table.columns.items():
            source = placed(column.source, name).in_rows(table.origin, table.row_numbers)
            if name in keys:
                below_it = keys[name]._replace(source=None)
            elif name in self.values and count:
                one = column._replace(state=None, kept=Kept())
                below_it = retyped(one, [self.values[name]], name)._take(np.zeros(count, np.int64))
            else:
                below_it = column._absent(count)
            sources = put_below([source, NO_PLACE], [table.row_count, count])
            columns[name] = below([column, below_it._replace(type=column.type)])._replace(source=sources)
        numbers = np.append(table.row_numbers, np.zeros(count, np.int64))
        rows = np.append(np.arange(table.row_count), np.full(count, -1, np.int64))
        return Change(table._derive(columns, row_numbers=numbers), rows, notes=tuple(notes))

    def _products(self, table: BareTable, names: Sequence[str]) -> dict[str, Column]:
        """Return the combinations of the values of several columns that no row has."""
        values = [table[name].distinct().values for name in names]
        sizes = [len(one) for one in values]
        total = math.prod(sizes)
        _check_size(table, total)
        grid = np.indices(sizes).reshape(len(sizes), -1) if total else np.zeros((len(sizes), 0), np.int64)
        wanted = {name: one._take(at) for name, one, at in zip(names, values, grid, strict=True)}
        return _not_there(table, names, wanted)

    def _periods(self, table: BareTable, names: Sequence[str], period: str) -> dict[str, Column]:
        """Return the periods that each combination of keys does not have."""
        days = table[period]
        known = np.flatnonzero(np.all([table[name].present for name in (*names, period)], axis=0))
        if not len(known):
            return {name: table[name]._take(known) for name in (*names, period)}
        few = table._take(known)
        groups = Groups.of([few[name] for name in names], len(known))
        dates = few[period].array
        first, last = np.full(len(groups), dates.min()), np.full(len(groups), dates.max())
        if self.own_range:
            order = np.lexsort((dates, groups.codes))
            edges = np.searchsorted(groups.codes[order], np.arange(len(groups) + 1))
            first, last = dates[order][edges[:-1]], dates[order][edges[1:] - 1]
        spans = {
            pair: _steps_between(*pair, self.every, dates.dtype)
            for pair in set(zip(first.tolist(), last.tolist(), strict=True))
        }
        pairs = list(zip(first.tolist(), last.tolist(), strict=True))
        sizes = np.array([len(spans[pair]) for pair in pairs], np.int64)
        _check_size(table, int(sizes.sum()))
        wanted = {name: few[name]._take(np.repeat(groups.first, sizes)) for name in names}
        wanted[period] = days._replace(
            values=np.concatenate([spans[pair] for pair in pairs]), state=None, kept=Kept(), source=None
        )
        return _not_there(few, (*names, period), wanted)

    def describe(self) -> str:
        """Name keys and period."""
        per = f" for every {self.every} of {self.period}" if self.period else ""
        own = ", each in its own range" if self.own_range else ""
        return f"combinations of {', '.join(self.by) or self.period} added{per if self.by else ''}{own}"


A_DAY = 86_400
_SECONDS = {"second": 1, "minute": 60, "hour": 3_600, "day": A_DAY, "week": 7 * A_DAY}
_MONTHS = ("month", "quarter", "year")
_STEP = lazy_pattern(r"(?:([1-9][0-9]{0,5}) )?([a-z]+?)s?")


def _seconds_of(every: str) -> int:
    """Return how many seconds a step takes; 0 for months, quarters and years, which differ.

    >>> _seconds_of("15 minutes"), _seconds_of("day"), _seconds_of("month")
    (900, 86400, 0)
    """
    found = _STEP.fullmatch(every.strip())
    if every in _MONTHS:
        return 0
    if found is None or found[2] not in _SECONDS:
        known = [*_SECONDS, *_MONTHS]
        what, remedy = unknown_name("interval", found[2] if found else every, known)
        raise ParameterError(what, remedy=f"{remedy}; also a number of them: 15 minutes" if remedy else "15 minutes")
    return int(found[1] or 1) * _SECONDS[found[2]]


def _steps_between(first: date, last: date, every: str, dtype: Any = "datetime64[D]") -> NDArray[Any]:
    """Return the days or moments from one to another in steps; months keep the day, or take the last of a shorter one.

    >>> _steps_between(date(2025, 1, 31), date(2025, 3, 31), "month").tolist()
    [datetime.date(2025, 1, 31), datetime.date(2025, 2, 28), datetime.date(2025, 3, 31)]
    """
    if seconds := _seconds_of(every):
        begin, end = np.array([first, last], dtype).astype("datetime64[us]").astype(np.int64).tolist()
        return np.arange(begin, end + 1, seconds * 1_000_000).astype("datetime64[us]").astype(dtype)
    months = {"month": 1, "quarter": 3, "year": 12}[every]
    found: list[date] = []
    at = 0
    while True:
        month = first.year * 12 + first.month - 1 + at
        year, month = divmod(month, 12)
        day = date(year, month + 1, min(first.day, calendar.monthrange(year, month + 1)[1]))
        if day > last:
            return np.array(found, "datetime64[D]")
        found.append(day)
        at += months


def _check_size(table: BareTable, rows: int) -> None:
    """Raise a ParameterError for more combinations than somebody can mean."""
    if rows > max(MOST_COMBINATIONS, MOST_GROWTH * table.row_count):
        raise ParameterError(
            f"there would be {rows:,} combinations for {table.row_count:,} rows", remedy="are these the right keys?"
        )


def _not_there(table: BareTable, names: Sequence[str], wanted: dict[str, Column]) -> dict[str, Column]:
    """Return those combinations that no row has, in their order."""
    rows = table.row_count
    both = [below([table[name]._replace(source=None), wanted[name]._replace(source=None)])._codes() for name in names]
    numbers, _ = group(both, len(both[0]))
    new = np.flatnonzero(~np.isin(numbers[rows:], numbers[:rows]))
    return {name: wanted[name]._take(new) for name in names}
