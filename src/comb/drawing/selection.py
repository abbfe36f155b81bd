"""Which rows and groups a picture shows, and what is said of those it does not."""

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.drawing.marks import Axis
from comb.drawing.request import PictureRequest
from comb.errors import ParameterError, agree, counted
from comb.expressions.evaluate import evaluate_condition
from comb.kernels.grouping import Codes, group
from comb.parsing.calendar_names import calendar_places
from comb.statistics.distribution import LARGE
from comb.statistics.figures import has_positions, plain_figure, positions_of
from comb.statistics.group_comparison import group_labels
from comb.tables.column import Column
from comb.tables.names import check_known
from comb.tables.origin import MADE
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.types import NUMBER

Floats = NDArray[np.float64]

# More colours cannot be distinguished.
MOST_COLOURS = 8
MOST_PANELS = 12

# Months and days of the week, in some spellings.
MOST_NAMES = 60

# More bars, one above the other, cannot be read.
MOST_BARS = 40


class Selection(msgspec.Struct):
    """The rows of a picture, and what is said of the others.

    Attributes
    ----------
    table : BareTable
    rows : int
        Of the table, before any were left out.
    told : list of str
    """

    table: BareTable
    rows: int
    told: list[str] = msgspec.field(default_factory=list)

    @classmethod
    def of(cls, table: BareTable, request: PictureRequest) -> "Selection":
        """Choose the rows of a picture: those for which its condition is true."""
        for name in (request.x, request.y, request.by, request.panels):
            if name:
                check_known(name, table.names)
        made = cls(table, table.row_count)
        if request.where:
            result = evaluate_condition(request.where, table)
            true = result.array & result.present if result.missing_count else result.array
            made.keep(true, f"not {request.where}")
        return made

    def keep(self, where: NDArray[np.bool_], why: str) -> None:
        """Leave rows out, and say why."""
        left = int(np.count_nonzero(~where))
        if left:
            self.table = self.table._take(np.flatnonzero(where))
            self.told.append(f"{left:,} left out: {why}")

    def restrict(self, name: str, axis: str, request: PictureRequest) -> None:
        """Leave out the rows in which a column of numbers has no place on an axis.

        Raises
        ------
        ParameterError
            If it holds neither numbers nor dates nor times.
        """
        column = self.table[name]
        if column._untyped:
            # A month without a value in it: its axis is empty.
            column = column._without_values(NUMBER)
            self.table = self.table._extended(name, column)
        if not has_positions(column):
            raise ParameterError(
                f"expected numbers, dates or times for {axis}, {name} is {column.type}",
                remedy=f"convert {name} first, or draw kind='bars' of it",
            )
        if column.missing_count:
            self.keep(column.present, f"{name} is missing ({_reasons(column)})")
        values = self.positions(name)
        if not np.isfinite(values).all():
            self.keep(np.isfinite(values), f"{name} is infinite")
            values = self.positions(name)
        if axis in request.log and not (values > 0).all():
            self.keep(values > 0, f"{name} is 0 or less, and the axis is logarithmic")
            values = self.positions(name)
        limits = limits_of(request, axis, self.table[name])
        if limits:
            self.keep((values >= limits[0]) & (values <= limits[1]), f"{name} is outside the limits")
            values = self.positions(name)
        if len(values) and not float(np.abs(values).max()) < LARGE:
            raise ParameterError(
                f"{name} has values up to {float(np.abs(values).max()):.3g}, and no axis holds them",
                remedy=f"{axis}_limits leave the far ones out, and the caption says so",
            )

    def positions(self, name: str) -> Floats:
        """Return the values of a column as positions: dates as days, times as hours."""
        column = self.table[name]
        return positions_of(column) * (24 if column.type.plain.word in ("time", "duration") else 1)

    def caption(self, noun: str = "row") -> str:
        """Say how many rows are drawn, which are not, and where they come from."""
        count = self.table.row_count
        of = f" of {self.rows:,} rows" if count < self.rows else f" {noun}s" if count != 1 else f" {noun}"
        name = self.table.origin.name
        source = name.removeprefix(MADE) if name.startswith(MADE) else f"source: {name}"
        return "; ".join([f"n = {count:,}{of}", *self.told, source])


def _reasons(column: Column) -> str:
    counts = np.bincount(column.states, minlength=len(Reason))
    return ", ".join(f"{int(counts[reason]):,} {reason.word}" for reason in Reason if reason and counts[reason])


def limits_of(request: PictureRequest, axis: str, column: Column) -> tuple[float, float] | None:
    """Return the limits of an axis as positions.

    Raises
    ------
    ParameterError
        If they are no values of the column's type, or the first is not below the second.
    """
    given: list[str] = getattr(request, f"{axis}_limits")
    if not given:
        return None
    dates = column.type.plain.word in ("date", "datetime")
    try:
        low, high = (
            (float(np.datetime64(one.strip(), "us").astype(np.int64)) / 86_400e6 if dates else float(one))
            for one in given
        )
    except ValueError:
        expected = "dates as 2026-05-01" if dates else "numbers"
        raise ParameterError(f"expected {axis}_limits to be {expected}, got {', '.join(given)}") from None
    if not low < high:
        raise ParameterError(f"expected {axis}_limits from the lower to the higher, got {', '.join(given)}")
    return low, high


def axis_of(name: str, column: Column, request: PictureRequest, axis: str, *, zero: bool = False) -> Axis:
    """Return the axis for the values of a column."""
    word = column.type.plain.word
    log = axis in request.log
    limits = limits_of(request, axis, column)
    label = described(name, column)
    if word in ("date", "datetime"):
        if log:
            raise ParameterError(f"an axis of dates is not logarithmic: {name}")
        return Axis(label, "date", limits=limits)
    if word in ("time", "duration"):
        return Axis(f"{label} (hours)", "hours", log, limits, zero=zero)
    return Axis(label, "whole" if word == "integer" else "number", log, limits, zero=zero and not log)


def described(name: str, column: Column) -> str:
    """Return what an axis is called: the name, and the unit that a description ends with."""
    text = column.description
    unit = text[text.rfind("(") + 1 : -1] if text.endswith(")") and "(" in text else ""
    return f"{name} ({unit})" if unit and len(unit) <= 12 and f"({unit})" not in name else name


class GroupsShown(msgspec.Struct, frozen=True):
    """The groups of a picture.

    Attributes
    ----------
    codes : int64 array
        The group of each row.
    labels : list of str
        In the order in which they are shown.
    sizes : int64 array
    others : bool
        Whether the last one stands for several.
    in_order : bool
        Whether they are in an order of their own: that of a category, of numbers, dates, months.
    """

    codes: Codes
    labels: list[str]
    sizes: Codes
    others: bool = False
    in_order: bool = True


def groups_shown(selection: Selection, name: str, most: int = MOST_COLOURS, *, by_size: bool = True) -> GroupsShown:
    """Number the groups of a column; of too many the largest, and the others as one, with a note.

    Categories, numbers, dates, months and days of the week are in their order, other texts by size.

    Parameters
    ----------
    selection : Selection
    name : str
        None if empty: one group of all rows.
    most : int
    by_size : bool
        Whether texts are ordered by size; else by value.
    """
    rows = selection.table.row_count
    if not name:
        return GroupsShown(np.zeros(rows, np.int64), [""], np.array([rows], np.int64))
    column = selection.table[name]
    codes, first = group([column._codes()], rows)
    sizes = np.bincount(codes, minlength=len(first))
    heads = column._take(first)
    ranks = heads._sort_ranks()
    named = column.type.textual and not column.type.choices and len(first) <= MOST_NAMES
    calendar = calendar_places([text for text in heads.texts() if text]) if named else None
    if calendar is not None:
        ranks[ranks >= 0] = calendar
    ranks = np.where(ranks < 0, np.iinfo(np.int64).max, ranks)
    ordered = bool(column.type.choices) or not column.type.textual or calendar is not None
    by_rank = np.argsort(ranks, kind="stable")
    by_count = np.lexsort((ranks, -sizes))
    order = by_rank if ordered or not by_size else by_count
    others = len(order) > most
    if others:
        shown = np.zeros(len(first), np.bool_)
        shown[by_count[: most - 1]] = True
        order = np.concatenate([order[shown[order]], order[~shown[order]]])
    places = np.empty(len(first), np.int64)
    places[order] = np.arange(len(order))
    labels = group_labels(heads._take(order))
    if others:
        rest = len(order) - (most - 1)
        places = np.minimum(places, most - 1)
        labels = [*labels[: most - 1], f"others ({rest:,})"]
        small = int(np.sort(sizes)[::-1][most - 1 :].sum())
        selection.told.append(
            f"of {len(order):,} values of {name} the {most - 1} largest are shown, "
            f"{rest:,} with {counted(small, 'row')} {agree(rest, 'is', 'are')} 'others'"
        )
    shown_codes = places[codes] if rows else codes
    return GroupsShown(shown_codes, labels, np.bincount(shown_codes, minlength=len(labels)), others, ordered)


def middle_words(values: Floats, axis: Axis) -> str:
    """Return a value as a title says it: a date as a date."""
    return value_words(float(np.median(values)), axis)


def value_words(value: float, axis: Axis) -> str:
    """Return a position as a title says it.

    >>> value_words(20000.0, Axis(kind="date")), value_words(3.25, Axis()), value_words(7.5, Axis(kind="hours"))
    ('2024-10-04', '3.25', '07:30')
    """
    if axis.kind == "date":
        return str(np.datetime64(int(np.floor(value)), "D"))
    if axis.kind == "hours" and 0 <= value < 24:
        return f"{int(value):02}:{round(value % 1 * 60) % 60:02}"
    return plain_figure(value)
