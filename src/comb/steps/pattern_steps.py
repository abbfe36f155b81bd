"""Take a pattern that comes back out of a series: by month of the year, or by day of the week, within groups.

A value is taken for the sum of a level (of its group in its year, or in its week), of the pattern (of its month, or
its weekday) and of a rest. Both are fitted in turn until they do not move: by means, which is least squares, or by
medians, which is Tukey's median polish (Exploratory Data Analysis, 1977). So a year of which half is missing gets the
level of the months that it has, compared with the same months of other years, and does not bend the pattern. On the
logarithmic scale the same is done with factors. The pattern is centred: it adds up to nothing over the months,
factors multiply to one.

Where years have no month in common, level and pattern cannot be told apart; then the pattern of that group is taken
around one level, and that is said. So is it where a group has a single year: its pattern is its own course.
"""

from typing import ClassVar, Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import ParameterError, TypeMismatch, agree, counted
from comb.expressions.aggregates import Groups
from comb.expressions.arithmetic import as_floats
from comb.kernels.grouping import Codes, group
from comb.statistics.grouped import aggregated
from comb.steps.base import Change, Rows, Step, chosen
from comb.tables.cell_source import NO_PLACE
from comb.tables.column import Column
from comb.tables.names import check_known
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.types import NUMBER

Floats = NDArray[np.float64]

# Rounds of fitting, and the share of the spread below which nothing moves any more.
MOST_ROUNDS = 200
STILL = 1e-10

# Parts of a cycle: months of a year, days of a week.
PARTS = {"month": 12, "weekday": 7}


class RemovePattern(Step, frozen=True, tag="remove_pattern"):
    """Take the pattern of the year or the week out of a column.

    Parameters
    ----------
    column : str
        Of numbers.
    period : str
        The column of dates or moments.
    pattern : {"month", "weekday"}
        What comes back: the months of each year, or the days of each week.
    by : list of str
        Selectors of columns: each group has a pattern of its own.
    statistic : {"mean", "median"}
    scale : {"plain", "log"}
        Whether the pattern is added, or multiplies.
    new_columns : list of str
        Names for the pattern and for what remains without it; by default the column's name with ``_pattern`` and
        ``_remainder``.
    """

    accounting: ClassVar[Rows] = Rows.SAME

    column: str
    period: str
    pattern: Literal["month", "weekday"] = "month"
    by: list[str] = []
    statistic: Literal["mean", "median"] = "mean"
    scale: Literal["plain", "log"] = "plain"
    new_columns: list[str] = []

    def apply(self, table: BareTable) -> Change:
        """Fit the pattern, and add it and the remainder as columns."""
        names = self._names(table)
        column, dates = table[self.column], table[self.period]
        keys = [table[name] for name in chosen(table, self.by)] if self.by else []
        log = self.scale == "log"
        values = as_floats(column._replace(type=column.type.plain))
        low = column.present & (values <= 0) if log else np.zeros(len(values), np.bool_)
        usable = column.present & dates.present & ~low & np.isfinite(values)
        state = np.where(dates.missing & column.present, dates.states, column.states)
        state = np.where((state == 0) & ~usable, np.uint8(Reason.UNDEFINED), state).astype(np.uint8)
        groups = Groups.of(keys, table.row_count).codes[usable]
        cycles, parts = _calendar(dates.array[usable], self.pattern)
        used = np.log(values[usable]) if log else values[usable]
        fit = _fitted(used, groups, cycles, parts, PARTS[self.pattern], median=self.statistic == "median")
        pattern, remainder = np.zeros(len(values)), np.zeros(len(values))
        effect = fit.effects
        pattern[usable] = np.exp(effect) if log else effect
        remainder[usable] = values[usable] / np.exp(effect) if log else used - effect
        made = table
        for name, array in zip(names, (pattern, remainder), strict=True):
            made = made._extended(name, Column(NUMBER, array, state, source=NO_PLACE))
        formulas = dict(zip(names, self._formulas(), strict=True))
        return Change(made, notes=tuple(self._notes(fit, low, dates)), formulas=formulas)

    def _names(self, table: BareTable) -> list[str]:
        for name in (self.column, self.period):
            check_known(name, table.names)
        if not table[self.column].type.numeric or table[self.column].type.choices:
            raise TypeMismatch(f"expected a column of numbers, {self.column!r} is {table[self.column].type}")
        if table[self.period].type.word not in ("date", "datetime"):
            raise TypeMismatch(
                f"expected a column of dates as the period, {self.period!r} is {table[self.period].type}",
                remedy=f"convert it first: convert {self.period} to date",
            )
        names = self.new_columns or [f"{self.column}_pattern", f"{self.column}_remainder"]
        if len(names) != 2 or len(set(names)) != 2:
            raise ParameterError(
                f"expected two new columns, for the pattern and for the remainder, got {len(set(names))}",
                remedy=f"new_columns: [{self.column}_pattern, {self.column}_remainder]",
            )
        taken = next((name for name in names if name in table), None)
        if taken is not None:
            raise ParameterError(f"there is a column {taken!r} already", remedy="new_columns: names for the two")
        return names

    def _formulas(self) -> tuple[str, str]:
        around = f"the {self.statistic} of each {self.pattern}" + (f" within {', '.join(self.by)}" if self.by else "")
        sign = "/" if self.scale == "log" else "-"
        return f"pattern of {self.column}: {around}", f"{self.column} {sign} its pattern"

    def _notes(self, fit: "_Fit", low: NDArray[np.bool_], dates: Column) -> list[str]:
        cycle = "year" if self.pattern == "month" else "week"
        notes = [f"{counted(fit.groups, 'group')}, {counted(fit.cycles, cycle)}"] if self.by else []
        undated, below = dates.missing_count, int(np.count_nonzero(low))
        notes += (
            [f"{counted(undated, 'row')} without a date {agree(undated, 'has', 'have')} no pattern"] if undated else []
        )
        notes += [f"{counted(below, 'value')} of 0 or less {agree(below, 'has', 'have')} no logarithm"] if below else []
        if fit.single:
            whose = f"in {counted(fit.single, 'group')}" if self.by else "here"
            notes.append(f"{whose} there is a single {cycle}: the pattern is its own course")
        if fit.apart:
            whose = f"in {counted(fit.apart, 'group')}" if self.by else "here"
            notes.append(f"{whose} {cycle}s have no {self.pattern} in common: the pattern is taken around one level")
        if fit.lacking:
            notes.append(
                f"{counted(fit.lacking, self.pattern)} of {fit.groups * PARTS[self.pattern]:,} without a value: "
                "the others are centred without them"
            )
        return notes

    def describe(self) -> str:
        """Name the column and the pattern."""
        what = f"pattern of each {self.pattern} taken out of {self.column}"
        what += f" within {', '.join(self.by)}" if self.by else ""
        return (
            what
            + (f", by {self.statistic}" if self.statistic != "mean" else "")
            + (", as a factor" if self.scale == "log" else "")
        )


def _calendar(dates: NDArray[np.generic], pattern: str) -> tuple[Codes, Codes]:
    """Return for each date the year and the month from 0, or the week and the day of it from Monday."""
    days = dates.astype("datetime64[D]")
    if pattern == "month":
        months = days.astype("datetime64[M]").astype(np.int64)
        return months // 12, months % 12
    # 1970-01-01 was a Thursday.
    numbers = days.astype(np.int64) + 3
    return numbers // 7, numbers % 7


class _Fit(msgspec.Struct, frozen=True):
    """The pattern at each row, and what is to be said of how it came about."""

    effects: Floats
    groups: int
    cycles: int
    single: int
    apart: int
    lacking: int


def _fitted(values: Floats, groups: Codes, cycles: Codes, parts: Codes, count: int, *, median: bool) -> _Fit:
    """Fit levels and patterns in turn.

    Cost: a few passes for each round; with medians a sort for each.
    """
    if not len(values):
        return _Fit(values, 0, 0, 0, 0, 0)
    groups, heads = group([groups], len(values))
    number = len(heads)
    levels, first = group([groups, cycles], len(values))
    places = groups * count + parts
    single = np.bincount(groups[first], minlength=number) == 1
    apart = _apart(groups, levels, places, number, len(first), number * count) & ~single
    # Where levels cannot be told from the pattern, the group has one level.
    merged = np.where(apart[groups], len(first) + groups, levels)
    levels, _ = group([merged], len(values))
    how = "median" if median else "mean"
    there = np.bincount(places, minlength=number * count) > 0
    effects = np.zeros(number * count)
    spread = float(np.ptp(values)) or 1.0
    for _ in range(MOST_ROUNDS):
        level = aggregated(values - effects[places], levels, int(levels.max()) + 1, how)
        new = aggregated(values - level[levels], places, number * count, how)
        new = _centred(new, there, number, count)
        moved = float(np.abs(new - effects).max())
        effects = new
        if moved <= STILL * spread:
            break
    lacking = int(number * count - there.sum())
    return _Fit(effects[places], number, len(np.unique(cycles)), int(single.sum()), int(apart.sum()), lacking)


def _centred(effects: Floats, there: NDArray[np.bool_], groups: int, count: int) -> Floats:
    """Return patterns that add up to nothing over the parts that there are."""
    by_group = np.where(there, effects, 0.0).reshape(groups, count)
    means = by_group.sum(axis=1) / np.maximum(there.reshape(groups, count).sum(axis=1), 1)
    return np.where(there, effects - np.repeat(means, count), 0.0)


def _apart(
    groups: Codes, levels: Codes, places: Codes, number: int, level_count: int, place_count: int
) -> NDArray[np.bool_]:
    """Return for which groups the cycles fall into sets that have no part in common."""
    _, once = np.unique(levels * np.int64(place_count) + places, return_index=True)
    groups, levels, places = groups[once], levels[once], places[once]
    label = np.arange(level_count + place_count)
    for _ in range(level_count + place_count):
        low = np.minimum(label[levels], label[level_count + places])
        new = label.copy()
        np.minimum.at(new, levels, low)
        np.minimum.at(new, level_count + places, low)
        if bool((new == label).all()):
            break
        label = new
    pairs = np.unique(np.stack([groups, label[levels]]), axis=1)
    return np.bincount(pairs[0], minlength=number) > 1
