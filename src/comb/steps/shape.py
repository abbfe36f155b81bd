"""Steps on the shape of a table: to_long."""

from typing import Any, ClassVar

import numpy as np

from comb.errors import ColumnError, TypeMismatch
from comb.expressions.arithmetic import result_type
from comb.expressions.evaluate import widened
from comb.steps.base import Change, Rows, Step, chosen
from comb.tables.bare import BareTable
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.text import Text
from comb.tables.types import STRING, Type


class ToLong(Step, frozen=True, tag="to_long"):
    """Turn columns side by side into rows one below the other.

    Parameters
    ----------
    columns : list of str
        Selectors of the columns whose names are values.
    heading_column : str
        Name of the new column for the old names.
    value_column : str
        Name of the new column for the cells.
    keep_missing : bool
        Whether missing cells become rows too; otherwise they are left out and counted.
    """

    rows: ClassVar[Rows] = Rows.SPREAD

    columns: list[str]
    heading_column: str
    value_column: str
    keep_missing: bool = True

    def apply(self, table: BareTable) -> Change:
        """Stack the columns; the rows of one case stay together."""
        names = chosen(table, self.columns)
        fixed = [name for name in table.names if name not in names]
        self._check_names(fixed)
        kind = _shared_type(table, names)
        count, height = len(names), table.row_count
        sources = np.repeat(np.arange(height), count)
        values = _stacked([widened(table[name], kind) for name in names], kind)
        headings = Column(STRING, Text.from_items(names, np.tile(np.arange(count), height)))
        columns = {name: table[name].take(sources) for name in fixed}
        columns |= {self.heading_column: headings, self.value_column: values}
        long = table.derive(columns, row_numbers=table.row_numbers[sources])
        if self.keep_missing:
            return Change(long, sources)
        present = np.flatnonzero(values.present)
        return Change(long.take(present), sources[present])

    def _check_names(self, fixed: list[str]) -> None:
        for name in (self.heading_column, self.value_column):
            if name in fixed or self.heading_column == self.value_column:
                raise ColumnError(
                    f"the name {name!r} would stand twice", remedy="choose another name for the new column"
                )

    def describe(self) -> str:
        """Name what is stacked."""
        return f"{', '.join(self.columns)} stacked: {self.heading_column} and {self.value_column}"


def _shared_type(table: BareTable, names: list[str]) -> Type:
    """Return the type that holds the cells of all columns."""
    kind = table[names[0]].type
    for name in names[1:]:
        other = table[name].type
        if kind.numeric and other.numeric:
            kind = result_type("+", kind, other)
        elif kind != other:
            raise TypeMismatch(
                f"{names[0]!r} is {kind} and {name!r} is {other}; one column holds one type",
                remedy="convert them to one type first, for instance to string",
            )
    return kind


def _stacked(columns: list[Column], kind: Type) -> Column:
    """Interleave columns: the cells of one row follow each other."""
    count = len(columns)
    state = np.stack([column.states for column in columns], axis=1).ravel()
    kept = {at * count + k: text for k, column in enumerate(columns) for at, text in column.kept.texts.items()}
    if kind.textual:
        rows = zip(*(column.text.to_list() for column in columns), strict=True)
        values: Any = Text.from_strings([text for row in rows for text in row])
    else:
        values = np.stack([column.array for column in columns], axis=1).ravel()
    return Column(kind, values, state, kept=Kept(kept))
