"""What fills a missing cell: the nearest row, the group, a proportion, a line, the most similar row.

Each method is given the positions of the cells to fill, ascending. It returns for each of them what would fill it,
missing where there is nothing to take; where the value comes from; and what has to be said: groups that are ambiguous
and were left, the line that was fitted. None crosses the borders of a group. A row without a value to order it by
neither gives nor takes.
"""

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.errors import ParameterError, TypeMismatch, agree, counted
from comb.execution.storage import Storage, blocks_of, positions_in
from comb.expressions.aggregates import Groups
from comb.expressions.arithmetic import as_floats
from comb.expressions.check import Given
from comb.expressions.evaluate import evaluate_groups
from comb.expressions.untyped import with_types
from comb.kernels.grouping import Codes, missing_last
from comb.steps.base import Detail, in_quotes
from comb.steps.row_steps import plain_key
from comb.tables.column import Column, Mask
from comb.tables.numbered_values import count_rows
from comb.tables.ordered_rows import ordered_rows
from comb.tables.reasons import Reason
from comb.tables.stored import stored_keys, taken_array
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import NUMBER

# Groups, and values of a group, that are named.
MOST_NAMED = 5

# Comparisons of an incomplete row with a complete one, and how many are made at once.
MOST_COMPARISONS = 2_000_000_000
COMPARED_AT_ONCE = 2_000_000

# Numbers of a line are shown with this many digits.
DIGITS_SHOWN = 6


class Filling(NamedTuple):
    """What would fill a column.

    Attributes
    ----------
    column : Column
        A cell for each of those to fill.
    detail : Detail or None
    notes : tuple of str
    """

    column: Column
    detail: Detail | None = None
    notes: tuple[str, ...] = ()


class _Ordered:
    """The rows of a table in groups, ordered within each."""

    def __init__(self, groups: Groups, keys: Sequence[Column]) -> None:
        self._codes, self._storage = groups.codes, groups.storage
        # None where the rows are in order already.
        self._order = _order([*_codes_of(groups), *(_ascending(key) for key in keys)], groups.storage)
        self._places: Codes | None = None
        if self._order is not None:
            self._places = groups.storage.empty(len(self._order), np.int64)
            for block in blocks_of(len(self._order)):
                self._places[self._order[block]] = np.arange(block.start, block.stop)
        self._placed: Mask | None = None
        for key in keys:
            if key.state is not None:
                self._placed = key.present if self._placed is None else self._placed & key.present

    def neighbours(self, giving: Column, holes: Codes, *, above: bool) -> Codes:
        """Return for each hole the nearest row before or after it that has a value; -1 for none.

        Cost: one pass, and a binary search for each hole.
        """
        gives = giving.present if self._placed is None else giving.present & self._placed
        if self._order is not None:
            gives = taken_array(gives, self._order, self._storage)
        places = positions_in(gives, self._storage)
        if not len(places):
            return np.full(len(holes), -1, np.int64)
        at = np.searchsorted(places, holes if self._places is None else self._places[holes]) - above
        nearest = places[np.clip(at, 0, len(places) - 1)]
        rows = nearest if self._order is None else self._order[nearest]
        there = (at >= 0) & (at < len(places)) & (self._codes[rows] == self._codes[holes])
        if self._placed is not None:
            there &= self._placed[holes]
        return np.where(there, rows, -1)


def _codes_of(groups: Groups) -> list[Codes]:
    """Return what keeps the rows of groups together; nothing where all are one."""
    return [groups.codes] if len(groups) > 1 else []


def _ascending(key: Column) -> NDArray[Any]:
    """Return values that put rows in the order of a key, missing cells last."""
    plain = plain_key(key, descending=False)
    return missing_last(key._sort_ranks(), descending=False) if plain is None else plain


def _order(keys: Sequence[NDArray[Any]], storage: Storage) -> Codes | None:
    """Return the order of rows by keys; None for rows that are in it already."""
    for block in blocks_of(len(keys[0]) if keys else 0):
        # With the row before it, so that borders of blocks are compared too.
        rows = slice(max(block.start - 1, 0), block.stop)
        equal = np.ones(rows.stop - rows.start - 1, np.bool_)
        for key in keys:
            some = key[rows]
            if (equal & (some[1:] < some[:-1])).any():
                return ordered_rows(keys, storage)
            equal &= some[1:] == some[:-1]
    return None


def _taken(table: BareTable, name: str, rows: Codes) -> Column:
    """Return the cells of a column at some rows; absent where the row is -1."""
    taken = table[name]._take(np.maximum(rows, 0))._emptied(rows < 0, Reason.ABSENT)
    return taken._replace(source=None)


def _numbers(table: BareTable, rows: Codes) -> Codes:
    """Return the row numbers of rows by position; of none, 0."""
    if not table.row_count:
        return np.zeros(len(rows), np.int64)
    return np.where(rows < 0, 0, table.row_numbers[np.maximum(rows, 0)])


def nearest_present(
    table: BareTable, name: str, groups: Groups, keys: Sequence[Column], holes: Codes, *, above: bool
) -> Filling:
    """Take the nearest value before or after, in the order of the keys or as the rows stand."""
    rows = _Ordered(groups, keys).neighbours(table[name], holes, above=above)
    return Filling(_taken(table, name, rows), Detail("from row {}", (_numbers(table, rows),)))


def of_group(table: BareTable, name: str, groups: Groups, keys: Sequence[str], statistic: str, holes: Codes) -> Filling:
    """Take the mean, the median or the commonest value of the group."""
    if statistic == "commonest":
        return _commonest(table, name, groups, keys, holes)
    if not (table[name].type.numeric or table[name].type.word == "duration" or table[name]._untyped):
        raise TypeMismatch(
            f"expected a column of numbers for the {statistic}, {name!r} is {table[name].type}",
            remedy="from_group: commonest takes the commonest value",
        )
    function = "avg" if statistic == "mean" else "median"
    found = evaluate_groups(f"{function}({in_quotes(name)})", table, groups, Given(keys=frozenset()))
    return Filling(found._take(groups.codes[holes]))


def _values_of(table: BareTable, name: str, groups: Groups) -> tuple[Codes, Codes, Codes]:
    """Return the distinct values of each group: the group, the first row, and how many rows have it."""
    storage = table._storage
    present = positions_in(table[name].present, storage)
    if not len(present):
        return (np.zeros(0, np.int64),) * 3
    keys = [taken_array(codes, present, storage) for codes in (groups.codes, stored_keys(table[name], storage))]
    first, counts = count_rows(keys, len(present), storage)
    return groups.codes[present[first]], present[first], counts


def _commonest(table: BareTable, name: str, groups: Groups, keys: Sequence[str], holes: Codes) -> Filling:
    of, first, counts = _values_of(table, name, groups)
    best = np.zeros(len(groups), np.int64)
    np.maximum.at(best, of, counts)
    leading = counts == best[of]
    ties = np.bincount(of[leading], minlength=len(groups))
    source = np.full(len(groups), -1, np.int64)
    source[of[leading]] = first[leading]
    source[ties > 1] = -1
    asked = groups.codes[holes]
    unclear = (ties > 1) & _holding(groups, asked)
    said = _named(table, name, groups, keys, unclear, of[leading], first[leading], "equally common values")
    return Filling(_taken(table, name, source[asked]), None, said)


def only_value(table: BareTable, name: str, groups: Groups, keys: Sequence[str], holes: Codes) -> Filling:
    """Take the value of the group, where all of its rows that have one have the same."""
    of, first, _ = _values_of(table, name, groups)
    different = np.bincount(of, minlength=len(groups))
    asked, keyless = groups.codes[holes], np.zeros(len(holes), np.bool_)
    for key in keys:
        keyless |= table[key].states[holes] != Reason.PRESENT
    source = np.full(len(groups), -1, np.int64)
    source[of] = first
    source[different > 1] = -1
    rows = np.where(keyless, -1, source[asked])
    unclear = (different > 1) & _holding(groups, asked[~keyless])
    said = _named(table, name, groups, keys, unclear, of, first, "several values")
    return Filling(_taken(table, name, rows), Detail("from row {}", (_numbers(table, rows),)), said)


def _holding(groups: Groups, codes: Codes) -> Mask:
    """Return which groups some rows are in."""
    return np.bincount(codes, minlength=len(groups)) > 0


def _named(
    table: BareTable, name: str, groups: Groups, keys: Sequence[str], unclear: Mask, of: Codes, first: Codes, what: str
) -> tuple[str, ...]:
    """Name the groups that are ambiguous, with their values."""
    some = np.flatnonzero(unclear)
    if not len(some):
        return ()
    shown = []
    for one in some[:MOST_NAMED].tolist():
        place = np.array([groups.first[one]])
        key = " ".join(table[column]._take(place).texts()[0] or "(missing)" for column in keys)
        values = [text or "" for text in table[name]._take(first[of == one][:MOST_NAMED]).texts()]
        shown.append(f"{key}: {', '.join(values)}" if key else ", ".join(values))
    more = f"; and {len(some) - MOST_NAMED:,} more" if len(some) > MOST_NAMED else ""
    groups_of = f"{counted(len(some), 'group')} of {', '.join(keys)}" if keys else "the column"
    return (f"{groups_of} {agree(len(some), 'has', 'have')} {what} of {name} and {agree(len(some), 'is', 'are')} left "
            f"({'; '.join(shown)}{more})",)  # fmt: skip


def proportionate(table: BareTable, name: str, groups: Groups, measure: str, holes: Codes) -> Filling:
    """Go from the value before to the one after in proportion to a number or date."""
    table = _with_numbers(table, [name, measure])
    column, scale = table[name], table[measure]
    _need_numbers(name, column)
    ordered = _Ordered(groups, [scale])
    before, after = (ordered.neighbours(column, holes, above=above) for above in (True, False))
    inside = (before >= 0) & (after >= 0)
    low, high = np.maximum(before, 0), np.maximum(after, 0)
    at, begin, end = (_as_scale(measure, scale._take(rows)) for rows in (holes, low, high))
    lower, upper = (as_floats(column._take(rows)) for rows in (low, high))
    with np.errstate(all="ignore"):
        width = end - begin
        share = np.where(width > 0, (at - begin) / width, 0.0)
        found = lower + share * (upper - lower)
    # Two values at one point lead nowhere, unless they are the same.
    inside &= ((width > 0) | (upper == lower)) & np.isfinite(found)
    state = np.where(inside, np.uint8(0), np.uint8(Reason.ABSENT))
    detail = Detail("between rows {} and {}", (_numbers(table, before), _numbers(table, after)))
    return Filling(Column(NUMBER, np.where(inside, found, 0.0), state), detail)


def _with_numbers(table: BareTable, names: Sequence[str]) -> BareTable:
    """Return a table in which columns without a value are of numbers."""
    return with_types(table, {name: NUMBER for name in names if table[name]._untyped})


def _need_numbers(name: str, column: Column) -> None:
    if not column.type.numeric:
        raise TypeMismatch(f"expected a column of numbers, {name!r} is {column.type}")


def _as_scale(name: str, column: Column) -> NDArray[np.float64]:
    """Return numbers, dates or times as floats; of missing cells 0."""
    if column.type.numeric:
        found = as_floats(column)
    elif column.type.word in ("date", "datetime", "time", "duration"):
        found = column.array.view(np.int64).astype(np.float64)
    else:
        raise TypeMismatch(f"expected numbers or dates, {name!r} is {column.type}")
    return np.where(column.present, found, 0.0)


def on_line(table: BareTable, name: str, groups: Groups, named: Sequence[str], holes: Codes) -> Filling:
    """Fit a straight line (least squares) in each group, and take its values.

    The coefficients, the rows used and the share of the variance that is explained (r squared) are noted. Columns that
    do not tell the coefficients apart, and groups with fewer rows than that needs, are left.
    """
    if name in named:
        raise ParameterError(f"{name} cannot be filled by a line on itself")
    table = _with_numbers(table, [name, *named])
    for one in (name, *named):
        _need_numbers(one, table[one])
    present = table[name].present
    target = np.where(present, as_floats(table[name]), 0.0)
    known = np.all([table[one].present for one in named], axis=0)
    sides = np.column_stack([np.ones(table.row_count), *(np.where(known, as_floats(table[one]), 0.0) for one in named)])
    found, inside, notes, unfit = np.zeros(table.row_count), np.zeros(table.row_count, np.bool_), [], 0
    order = np.argsort(groups.codes, kind="stable")
    parts = np.split(order, np.cumsum(groups.sizes)[:-1]) if len(groups) > 1 else [order]
    for rows in parts:
        usable, filled = known[rows], present[rows]
        asked, used = rows[usable & ~filled], rows[usable & filled]
        if not len(asked):
            continue
        solution = None if len(used) <= sides.shape[1] else np.linalg.lstsq(sides[used], target[used], rcond=None)
        if solution is None or solution[2] < sides.shape[1]:
            unfit += 1
            continue
        line = solution[0]
        found[asked], inside[asked] = sides[asked] @ line, True
        notes.append(_line_of(name, named, line, sides[used] @ line, target[used]))
    said = notes[:MOST_NAMED] + ([f"and {len(notes) - MOST_NAMED:,} more lines"] if len(notes) > MOST_NAMED else [])
    said += [f"{counted(unfit, 'group')} {agree(unfit, 'gives', 'give')} no line (too few rows, or columns that "
             f"do not vary apart)"] if unfit else []  # fmt: skip
    state = np.where(inside[holes], np.uint8(0), np.uint8(Reason.ABSENT))
    return Filling(Column(NUMBER, found[holes], state), Detail("on the fitted line"), tuple(said))


def _line_of(name: str, named: Sequence[str], line: Any, fitted: Any, given: Any) -> str:
    """Write a line as a formula, with the rows it comes from and r squared."""
    terms = [f"{value:.{DIGITS_SHOWN}g} * {one}" for value, one in zip(line[1:], named, strict=True)]
    spread = float(((given - given.mean()) ** 2).sum())
    left = float(((given - fitted) ** 2).sum())
    share = f", r squared {1 - left / spread:.4f}" if spread > 0 else ""
    formula = " + ".join([f"{line[0]:.{DIGITS_SHOWN}g}", *terms]).replace("+ -", "- ")
    return f"{name} = {formula}, from {counted(len(given), 'row')}{share}"


def most_similar(table: BareTable, name: str, groups: Groups, named: Sequence[str], holes: Codes) -> Filling:
    """Take the value of the complete row that is most similar in some columns; of several the first.

    The distance of two rows is the sum over the columns: for numbers and dates the difference over the range of the
    column, for all others 0 if equal and 1 if not (Gower 1971, "A general coefficient of similarity").

    Cost: complete rows times incomplete ones, within each group.
    """
    if name in named:
        raise ParameterError(f"{name} cannot be filled by its own similarity")
    known = np.all([table[one].present for one in named], axis=0)
    scaled, codes = [], []
    for one in named:
        column = table[one]
        if isinstance(column.values, Text) or column.type.choices or column.type.word == "boolean":
            codes.append(column._codes())
            continue
        values = _as_scale(one, column)
        held = values[column.present]
        width = float(np.ptp(held)) if len(held) else 0.0
        scaled.append(values / width if width > 0 else values * 0)
    order = np.argsort(groups.codes, kind="stable")
    parts = np.split(order, np.cumsum(groups.sizes)[:-1]) if len(groups) > 1 else [order]
    present, wanted = table[name].present, np.zeros(table.row_count, np.bool_)
    wanted[holes] = True
    pairs = [(rows[known[rows] & wanted[rows]], rows[known[rows] & present[rows]]) for rows in parts]
    work = sum(len(asked) * len(given) for asked, given in pairs) * len(named)
    if work > MOST_COMPARISONS:
        raise ParameterError(
            f"there would be {work:,} comparisons of rows, more than {MOST_COMPARISONS:,}",
            remedy="name columns whose values form groups: by: region",
        )
    found = np.full(table.row_count, -1, np.int64)
    for asked, given in pairs:
        if not len(given):
            continue
        step = max(1, COMPARED_AT_ONCE // len(given))
        for start in range(0, len(asked), step):
            some = asked[start : start + step]
            far = np.zeros((len(some), len(given)))
            for values in scaled:
                far += np.abs(values[some][:, None] - values[given][None, :])
            for numbers in codes:
                far += numbers[some][:, None] != numbers[given][None, :]
            found[some] = given[far.argmin(axis=1)]
    given_by = found[holes]
    return Filling(_taken(table, name, given_by), Detail("from row {}, the most similar", (_numbers(table, given_by),)))
