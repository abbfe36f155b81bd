"""A table of two levels becomes two tables of one level each: separate_tables."""

from collections.abc import Sequence
from typing import ClassVar, Literal

import numpy as np

from comb.errors import ColumnError, ParameterError, agree, counted
from comb.expressions.aggregates import Groups
from comb.kernels.grouping import Codes, group
from comb.steps.base import Change, Rows, Step, chosen, numbered_anew
from comb.tables.cell_source import placed
from comb.tables.table import BareTable

# Keys with more than one value that are listed.
MOST_LISTED = 5


class SeparateTables(Step, frozen=True, tag="separate_tables"):
    """Take the columns that a key decides out of a table, or make a table of them with a row for each key.

    Orders that repeat the address of their customer are two tables: the orders, and the customers. Both come from one
    table by this step, and `join` by the key puts them together again.

    Parameters
    ----------
    by : list of str
        The key columns.
    columns : list of str
        Selectors of the columns that the key decides. If a key has two values in one of them, the step stops and names
        them: then the key does not decide.
    part : {"keys", "rest"}
        The table with a row for each key; or this table without the columns.
    """

    accounting: ClassVar[Rows] = Rows.MERGED

    by: list[str]
    columns: list[str]
    part: Literal["keys", "rest"] = "keys"

    def apply(self, table: BareTable) -> Change:
        """Check that the key decides, and return one of the two tables."""
        keys, names = chosen(table, self.by), chosen(table, self.columns)
        if set(keys) & set(names):
            raise ColumnError("a key cannot be among the columns that it decides", remedy="name each column once")
        groups = Groups.by(table, keys)
        groups = groups if table.row_count else Groups(groups.codes, np.zeros(0, np.int64))
        self._check(table, keys, names, groups)
        if self.part == "rest":
            return Change(table._derive({name: one for name, one in table.columns.items() if name not in names}))
        columns = {}
        for name in (*keys, *names):
            column = table[name]
            source = placed(column.source, name).in_rows(table.origin, table.row_numbers)
            # A missing cell does not contradict: of the rows of a key, the first with a value stands for it.
            columns[name] = column._replace(source=source)._take(_first_present(column.present, groups))
        made = numbered_anew(table, columns, len(groups))
        lacking = int(np.count_nonzero(np.any([table[name].missing for name in keys], axis=0)))
        notes = (f"{counted(lacking, 'row')} without a key {agree(lacking, 'is', 'are')} a row of their own",)
        return Change(made, groups.first, merged_into=groups.codes, notes=notes if lacking else ())

    def _check(self, table: BareTable, keys: Sequence[str], names: Sequence[str], groups: Groups) -> None:
        """Raise a ParameterError if a key has two values in one column."""
        problems = []
        for name in names:
            present = np.flatnonzero(table[name].present)
            _, first = group([groups.codes[present], table[name]._codes()[present]], len(present))
            if not len(present):
                continue
            different = np.bincount(groups.codes[present][first], minlength=len(groups))
            for one in np.flatnonzero(different > 1)[:MOST_LISTED].tolist():
                rows = present[first][groups.codes[present][first] == one]
                key = " ".join(table[key]._take(groups.first[one : one + 1]).texts()[0] or "(missing)" for key in keys)
                values = table[name]._take(rows[:MOST_LISTED]).texts()
                numbers = table.row_numbers[rows[:2]].tolist()
                problems.append(f"{key}: {name} {' and '.join(map(repr, values))} (rows {numbers[0]} and {numbers[1]})")
        if problems:
            more = f"; and {len(problems) - MOST_LISTED} more" if len(problems) > MOST_LISTED else ""
            raise ParameterError(
                f"{', '.join(keys)} does not decide {', '.join(names)}: {'; '.join(problems[:MOST_LISTED])}{more}",
                remedy="repair these rows first (correct, recode), or leave the column out",
            )

    def describe(self) -> str:
        """Name the key and the columns."""
        if self.part == "rest":
            return f"without {', '.join(self.columns)}, which {', '.join(self.by)} decides"
        return f"{', '.join(self.columns)} for each {', '.join(self.by)}"


def _first_present(present: np.ndarray, groups: Groups) -> Codes:
    """Return for each group the first row that has a value, or else its first row."""
    rows = np.flatnonzero(present)
    found = groups.first.copy()
    found[groups.codes[rows][::-1]] = rows[::-1]
    return found
