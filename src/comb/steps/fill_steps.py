"""Fill missing cells: with a constant, a formula, other rows, another table, a line, or the most similar row."""

from collections.abc import Callable
from typing import Literal, NamedTuple

import msgspec
import numpy as np

from comb.casting.fit import fit_into
from comb.errors import ParameterError, agree, counted, listing
from comb.execution.columnwise import for_each
from comb.execution.storage import positions_in
from comb.expressions.aggregates import Groups
from comb.expressions.check import NOTHING_GIVEN
from comb.expressions.evaluate import evaluate, formula_type
from comb.expressions.untyped import untyped_columns
from comb.inference.decide import infer_column
from comb.kernels.grouping import Codes
from comb.steps.base import Change, Detail, Step, chosen, missing_for, read_by, rows_where
from comb.steps.cell_steps import retyped
from comb.steps.filling import (
    Filling,
    most_similar,
    nearest_present,
    of_group,
    on_line,
    only_value,
    proportionate,
)
from comb.steps.joins import Join
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.names import check_known
from comb.tables.patched import patched
from comb.tables.stored import taken_column
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER

Method = Callable[["Fill", BareTable, str, Codes], Filling]


class _Way(NamedTuple):
    """One way to fill: its parameter, those that go with it, and the method."""

    takes: tuple[str, ...]
    says: Callable[["Fill"], str]
    method: Method


class Fill(Step, frozen=True, tag="fill"):
    """Give missing cells a value. Every one that is filled is on record, with the reason why it was empty.

    Parameters
    ----------
    columns : list of str
        Selectors.
    value : str, optional
        A constant.
    formula : str, optional
        A formula, evaluated for each row.
    from_row : {"above", "below"}, optional
        Take the nearest value above or below, as rows stand or in the order of `order_by`; within `by`.
    from_group : {"mean", "median", "commonest", "only_value"}, optional
        Take the mean, the median or the commonest value of the column, of all rows or within `by`; or, where the rows
        of a group have exactly one value, that. Groups in which two values are equally common, or that have several,
        are named and left.
    in_proportion_to : str, optional
        Between the value before and after, in proportion to this number or date; within `by`.
    on_line : list of str
        By the straight line (least squares) that these columns of numbers give; within `by`.
    similar_in : list of str
        From the complete row that is most similar in these columns; within `by`.
    table : str, optional
        Another table of the plan, in which the keys of `by` (``mine = theirs``) are looked up.
    take : str, optional
        The column of that table; by default the one with the name of the column that is filled.
    by, order_by : list of str
    where : str, optional
        A condition: only cells of rows for which it is true are filled.
    reasons : list of str
        Fill only cells missing for these reasons; none means for any.
    """

    columns: list[str]
    value: str | None = None
    formula: str | None = None
    from_row: Literal["above", "below"] | None = None
    from_group: Literal["mean", "median", "commonest", "only_value"] | None = None
    in_proportion_to: str | None = None
    on_line: list[str] = []
    similar_in: list[str] = []
    table: str | None = None
    take: str | None = None
    by: list[str] = []
    order_by: list[str] = []
    where: str | None = None
    reasons: list[str] = []

    @property
    def other_table(self) -> str:
        """The table that is looked up in."""
        return self.table or ""

    def apply(self, table: BareTable) -> Change:
        """Fill the cells."""
        return self._filled(table, self._way().method)

    def apply_with(self, table: BareTable, other: BareTable) -> Change:
        """Fill the cells from another table."""
        self._way()

        def looked_up(step: Fill, table: BareTable, name: str, holes: Codes) -> Filling:
            return step._looked_up(table, other, name, holes)

        return self._filled(table, looked_up)

    def _way(self) -> _Way:
        given = [name for name in _WAYS if getattr(self, name) not in (None, [])]
        if len(given) != 1:
            raise ParameterError(f"expected one of {listing(list(_WAYS))}, got {listing(given) if given else 'none'}")
        way = _WAYS[given[0]]
        for name in ("by", "order_by", "take"):
            if getattr(self, name) and name not in way.takes:
                users = [one for one, found in _WAYS.items() if name in found.takes]
                raise ParameterError(f"{name} does not apply to {given[0]}", remedy=f"it goes with {listing(users)}")
        if self.from_group == "only_value" and not self.by:
            raise ParameterError("only_value needs the columns that form the groups", remedy="by: state")
        return way

    def _filled(self, table: BareTable, method: Method) -> Change:
        self._check(table)
        rows = rows_where(table, self.where)

        def filled(name: str) -> tuple[Column, list[str], Detail | None] | None:
            column = table[name]
            holes = positions_in(missing_for(column, self.reasons) & rows, table._storage)
            if not len(holes):
                return None
            made = method(self, table, name, holes)
            fitted = fit_into(made.column, column, name)
            column = patched(fitted.column, fitted.result, holes, table._storage)
            said = [*made.notes, *([fitted.note] if fitted.note else []), *_left_empty(name, fitted.result)]
            detail = None if made.detail is None else msgspec.structs.replace(made.detail, positions=holes)
            return column, said, detail

        names = chosen(table, self.columns)
        columns, notes, details = dict(table.columns), [], {}
        for name, one in zip(names, for_each(filled, names, table.row_count, table._storage), strict=True):
            if one is None:
                continue
            columns[name], said, detail = one
            notes += said
            if detail is not None:
                details[name] = detail
        made_from = read_by(self.formula, names)
        return Change(table._derive(columns), notes=tuple(notes), details=details, made_from=made_from)

    def _check(self, table: BareTable) -> None:
        """Raise an error for a name that is not there, also where there is nothing to fill."""
        if self.formula is not None:
            formula_type(self.formula, table.types, NOTHING_GIVEN, untyped_columns(table))
        measure = [self.in_proportion_to] if self.in_proportion_to is not None else []
        for name in (*self.order_by, *measure):
            check_known(name, table.names)
        for selectors in (self.on_line, self.similar_in, self.by if not self.table else []):
            if selectors:
                chosen(table, selectors)

    def _groups(self, table: BareTable) -> Groups:
        names = chosen(table, self.by) if self.by else []
        return Groups.by(table, names)

    def _constant(self, table: BareTable, name: str, holes: Codes) -> Filling:
        column = table[name]
        if column._untyped:
            column = column._without_values(infer_column(Text.from_items([str(self.value)])).type)
        one = column._take(np.zeros(1, np.int64))
        made = retyped(one, [self.value], name)._replace(state=None, kept=Kept())
        return Filling(made._take(np.zeros(len(holes), np.int64)))

    def _calculated(self, table: BareTable, name: str, holes: Codes) -> Filling:
        return Filling(taken_column(evaluate(str(self.formula), table), holes, table._storage))

    def _from_row(self, table: BareTable, name: str, holes: Codes) -> Filling:
        keys = [table[check_known(one, table.names)] for one in self.order_by]
        return nearest_present(table, name, self._groups(table), keys, holes, above=self.from_row == "above")

    def _from_group(self, table: BareTable, name: str, holes: Codes) -> Filling:
        keys = chosen(table, self.by) if self.by else []
        if self.from_group == "only_value":
            return only_value(table, name, self._groups(table), keys, holes)
        return of_group(table, name, self._groups(table), keys, str(self.from_group), holes)

    def _between(self, table: BareTable, name: str, holes: Codes) -> Filling:
        measure = check_known(str(self.in_proportion_to), table.names)
        return proportionate(table, name, self._groups(table), measure, holes)

    def _on_line(self, table: BareTable, name: str, holes: Codes) -> Filling:
        return on_line(table, name, self._groups(table), chosen(table, self.on_line), holes)

    def _similar(self, table: BareTable, name: str, holes: Codes) -> Filling:
        return most_similar(table, name, self._groups(table), chosen(table, self.similar_in), holes)

    def _without_table(self, table: BareTable, name: str, holes: Codes) -> Filling:
        raise ParameterError(f"no other table is called {self.table!r}", remedy="name a table of the plan")

    def _looked_up(self, table: BareTable, other: BareTable, name: str, holes: Codes) -> Filling:
        if not self.by:
            raise ParameterError("a fill from another table needs keys", remedy="by: apiary, or by: apiary = name")
        wanted = check_known(self.take or name, other.names)
        few = table._take(holes)
        numbers = BareTable({**other.columns, _NUMBER: Column(INTEGER, other.row_numbers)})
        joined = Join(table=str(self.table), by=self.by, columns=[wanted, _NUMBER]).apply_with(few, numbers).table
        found, lines = joined[joined.names[-2]], joined[_NUMBER]
        return Filling(found._replace(source=None), Detail(f"from row {{}} of {self.table}", (lines.array,)))

    def describe(self) -> str:
        """Name columns and what fills them."""
        names = [name for name in _WAYS if getattr(self, name) not in (None, [])]
        source = _WAYS[names[0]].says(self) if names else "with nothing"
        within = f" within each {', '.join(self.by)}" if self.by and not self.table else ""
        return f"{', '.join(self.columns)} filled {source}{within}{f' where {self.where}' if self.where else ''}"


# The row number of a row of another table, beside its columns.
_NUMBER = "row number of the other table"

_WAYS: dict[str, _Way] = {
    "value": _Way((), lambda step: f"with {step.value!r}", Fill._constant),
    "formula": _Way((), lambda step: f"with {step.formula}", Fill._calculated),
    "from_row": _Way(
        ("by", "order_by"),
        lambda step: (
            f"from the row {step.from_row}" + (f" in the order of {', '.join(step.order_by)}" if step.order_by else "")
        ),
        Fill._from_row,
    ),
    "from_group": _Way(("by",), lambda step: f"with the {str(step.from_group).replace('_', ' ')}", Fill._from_group),
    "in_proportion_to": _Way(
        ("by",), lambda step: f"between two neighbours in proportion to {step.in_proportion_to}", Fill._between
    ),
    "on_line": _Way(("by",), lambda step: f"by a straight line on {', '.join(step.on_line)}", Fill._on_line),
    "similar_in": _Way(
        ("by",), lambda step: f"from the row most similar in {', '.join(step.similar_in)}", Fill._similar
    ),
    "table": _Way(("by", "take"), lambda step: f"from {step.table} by {', '.join(step.by)}", Fill._without_table),
}


def _left_empty(name: str, filling: Column) -> list[str]:
    """Say how many cells there was nothing to fill with."""
    count = filling.missing_count
    return [f"{counted(count, 'cell')} of {name} {agree(count, 'stays', 'stay')} empty"] if count else []
