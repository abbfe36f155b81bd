"""Steps on rows: filter, sort, remove_duplicates."""

import re
from typing import ClassVar, Literal

import numpy as np

from comb.errors import ParameterError
from comb.expressions.evaluate import evaluate_condition
from comb.kernels.coding import Codes, group, order_rows
from comb.steps.base import Change, Rows, SetAside, Step, chosen
from comb.tables.bare import BareTable
from comb.tables.names import check_known

_DIRECTION = re.compile(r"\s+(asc|desc)\Z", re.IGNORECASE)


class Filter(Step, frozen=True, tag="filter"):
    """Keep the rows for which a condition is true.

    Parameters
    ----------
    where : str
        A condition. Rows for which it is unknown, because a cell is missing, are left
        out and counted apart.
    """

    rows: ClassVar[Rows] = Rows.LEFT_OUT

    where: str

    def apply(self, table: BareTable) -> Change:
        """Keep what is true."""
        result = evaluate_condition(self.where, table)
        positions = np.flatnonzero(result.array & result.present)
        unknown = result.missing_count
        notes = (f"{unknown:,} of the rows left out were unknown: a cell is missing",) if unknown else ()
        return Change(table.take(positions), positions, notes=notes)

    def describe(self) -> str:
        """Name the condition."""
        return f"rows where {self.where}"


class SetAsideRows(Step, frozen=True, tag="set_aside"):
    """Keep rows for which a condition is true out of the result, with the reason.

    Parameters
    ----------
    where : str
        A condition. Rows for which it is unknown stay.
    reason : str, optional
        What to write beside the rows; by default the condition.
    """

    where: str
    reason: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Set aside what is true."""
        result = evaluate_condition(self.where, table)
        gone = result.array & result.present
        positions, aside = np.flatnonzero(~gone), np.flatnonzero(gone)
        reasons = (self.reason or self.where,) * len(aside)
        return Change(table.take(positions), positions, SetAside(aside, reasons))

    def describe(self) -> str:
        """Name the condition."""
        return f"rows where {self.where} set aside"


class Sort(Step, frozen=True, tag="sort"):
    """Put rows in order; equal rows keep the order they had.

    Parameters
    ----------
    by : list of str
        Columns, the leading one first, each with ``desc`` behind it for descending
        order. Missing cells come last in both directions.
    """

    by: list[str]

    def apply(self, table: BareTable) -> Change:
        """Order the rows."""
        keys = [_sort_key(table, key) for key in self.by]
        if not keys:
            raise ParameterError("expected at least one column to sort by, came none")
        order = order_rows(keys)
        return Change(table.take(order), order)

    def describe(self) -> str:
        """Name the keys."""
        return f"sorted by {', '.join(self.by)}"


def _sort_key(table: BareTable, key: str) -> Codes:
    """Return ascending ranks for a key with its direction, missing last."""
    direction = None if key in table else _DIRECTION.search(key)
    name = key[: direction.start()] if direction else key
    ranks = table[check_known(name, table.names)].sort_ranks()
    placed = -ranks if direction and direction[1].lower() == "desc" else ranks
    return np.where(ranks < 0, len(ranks), placed)


class RemoveDuplicates(Step, frozen=True, tag="remove_duplicates"):
    """Keep one of the rows that are alike.

    Rows alike in every column are merged into the first of them. Rows alike only in
    the columns of `by` may differ elsewhere, so all but one are set aside.

    Parameters
    ----------
    by : list of str
        Selectors of the columns to look at; none means all.
    keep : {"first", "last", "fullest"}
        Which row stays: ``fullest`` is the one with the fewest missing cells.
    """

    rows: ClassVar[Rows] = Rows.MERGED

    by: list[str] = []
    keep: Literal["first", "last", "fullest"] = "first"

    def apply(self, table: BareTable) -> Change:
        """Keep one row of each group."""
        names = chosen(table, self.by)
        numbers, _ = group([table[name].codes() for name in names], table.row_count)
        staying = _representatives(numbers, self._preference(table))
        positions = np.flatnonzero(staying)
        gone = np.flatnonzero(~staying)
        identical, _ = group([column.codes() for column in table.columns.values()], table.row_count)
        kept_of = np.zeros(numbers.max(initial=-1) + 1, np.int64)
        kept_of[numbers[positions]] = positions
        differing = gone[identical[gone] != identical[kept_of[numbers[gone]]]]
        aside = None
        if len(differing):
            twins = table.row_numbers[kept_of[numbers[differing]]].tolist()
            told = tuple(f"same {', '.join(names)} as row {twin}, but differs elsewhere" for twin in twins)
            aside = SetAside(differing, told)
        return Change(table.take(positions), positions, aside)

    def _preference(self, table: BareTable) -> Codes:
        """Return for each row how willingly it is given up: the lowest stays."""
        places = np.arange(table.row_count)
        if self.keep == "last":
            return -places
        if self.keep == "first":
            return places
        gaps = np.zeros(table.row_count, np.int64)
        for column in table.columns.values():
            gaps += column.missing
        return gaps * table.row_count + places

    def describe(self) -> str:
        """Name what is compared."""
        return f"one row for each {', '.join(self.by)}" if self.by else "one of each row that stands twice"


def _representatives(numbers: Codes, preference: Codes) -> np.ndarray:
    """Return for each row whether it stays: the one of its group with the lowest preference."""
    order = np.lexsort((preference, numbers))
    ordered = numbers[order]
    leads = np.ones(len(order), np.bool_)
    leads[1:] = ordered[1:] != ordered[:-1]
    staying = np.zeros(len(order), np.bool_)
    staying[order[leads]] = True
    return staying
