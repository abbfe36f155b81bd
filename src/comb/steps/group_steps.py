"""Steps that make one row of many: aggregate, count."""

from collections.abc import Sequence
from typing import ClassVar

import msgspec
import numpy as np

from comb.errors import ColumnError, ParameterError
from comb.execution.storage import positions_in
from comb.expressions.aggregates import Groups
from comb.expressions.check import Given
from comb.expressions.evaluate import evaluate_condition, evaluate_groups
from comb.kernels.grouping import Codes, order_rows
from comb.steps.base import Change, Rows, Step, chosen, numbered_anew, undefined_notes
from comb.steps.column_steps import day_of
from comb.tables.column import Column
from comb.tables.concat import below
from comb.tables.numbered_values import count_rows
from comb.tables.reasons import Reason
from comb.tables.stored import stored_keys, taken_array
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER, NUMBER

# More columns than this are no cross table but a mistake.
MOST_ACROSS = 200

# Shares are known in hundredths of a percent.
SHARE_DIGITS = 4


class Aggregate(Step, frozen=True, tag="aggregate"):
    """Make one row of each group, with results calculated from its rows.

    Parameters
    ----------
    columns : dict of str to str
        Name of each result, and its formula with aggregates: ``avg(kg)``, ``count(*) filter (where fed)``.
    by : list of str
        Selectors of the columns that form the groups; none makes one group of all rows.
    sort_groups : bool
        Put the groups in order; otherwise they come as they appear.
    totals : bool
        Add a row for all groups together; its keys are missing, ``absent``.
    subtotals : bool
        Add such rows for the leading keys as well.
    as_of : str, optional
        What ``current_date`` means.
    """

    accounting: ClassVar[Rows] = Rows.MERGED

    columns: dict[str, str]
    by: list[str] = []
    sort_groups: bool = False
    totals: bool = False
    subtotals: bool = False
    as_of: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Aggregate each group."""
        names = chosen(table, self.by) if self.by else []
        if not names and not self.columns:
            raise ParameterError("expected a result to calculate or a column to group by, got neither")
        for name in self.columns:
            if name in names:
                raise ColumnError(f"there would be two columns named {name!r}", remedy="give the result another name")
        parts, sources, belongs = [], [], []
        levels = [len(names)]
        if self.subtotals:
            levels += range(len(names) - 1, 0, -1)
        if self.totals and names:
            levels.append(0)
        for level in levels:
            made, first, groups = self._level(table, names, level)
            parts.append(made)
            sources.append(first)
            belongs.append(groups)
        columns = {name: below([part[name] for part in parts]) for name in parts[0]}
        source = np.concatenate(sources)
        source[len(sources[0]) :] = -1
        given = Given(as_of=day_of(self.as_of))
        notes = tuple(note for formula in self.columns.values() for note in undefined_notes(formula, table, given))
        return Change(
            numbered_anew(table, columns, len(source)), source, merged_into=belongs[0], formulas=dict(self.columns),
            notes=notes,
        )  # fmt: skip

    def _level(self, table: BareTable, names: Sequence[str], level: int) -> tuple[dict[str, Column], Codes, Codes]:
        """Aggregate by the leading keys only; the others are absent. Says too where each row went."""
        used = list(names[:level])
        groups = Groups.by(table, used)
        if not table.row_count and used:
            groups = Groups(groups.codes, np.zeros(0, np.int64))
        given = Given(keys=frozenset(used), as_of=day_of(self.as_of))
        results = {name: evaluate_groups(formula, table, groups, given) for name, formula in self.columns.items()}
        if not table.row_count:
            keys = {name: table[name]._absent(len(groups)) for name in names}
        else:
            keys = {name: table[name]._take(groups.first) for name in names}
        everywhere = np.ones(len(groups), np.bool_)
        for name in names[level:]:
            keys[name] = keys[name]._emptied(everywhere, Reason.ABSENT)
        made = {**keys, **results}
        first = groups.first if table.row_count else np.zeros(len(groups), np.int64) - 1
        if self.sort_groups and used:
            order = order_rows([_placed(keys[name]) for name in used])
            places = np.empty(len(order), np.int64)
            places[order] = np.arange(len(order))
            went = taken_array(places, groups.codes, table._storage)
            return {name: column._take(order) for name, column in made.items()}, first[order], went
        return made, first, groups.codes

    def describe(self) -> str:
        """Name groups and results."""
        message = ", ".join(f"{name} = {formula}" for name, formula in self.columns.items())
        return f"{message} for each {', '.join(self.by)}" if self.by else f"{message} for all rows"


def _placed(column: Column) -> Codes:
    ranks = column._sort_ranks()
    return np.where(ranks < 0, len(ranks), ranks)


class Members(msgspec.Struct, frozen=True):
    """Finds out to which counted row each row went, when that is asked: counting itself needs no more than sizes.

    Attributes
    ----------
    keys : tuple of Column
        Of the rows that were counted.
    kept : int64 array or None
        Which rows of the table these are; None for all.
    rows : int
        Of the table.
    samples : int64 array
        For each counted row one of the rows in it.
    by_size : bool
        Groups of one size are counted together.
    """

    keys: tuple[Column, ...]
    kept: Codes | None
    rows: int
    samples: Codes
    by_size: bool = False

    def __call__(self) -> Codes:
        """Return for each row of the table the counted row it is in, -1 for none."""
        count = self.rows if self.kept is None else len(self.kept)
        groups = Groups.of(self.keys, count)
        kinds = groups.sizes[groups.codes] if self.by_size else groups.codes
        found = np.full(self.rows, -1, np.int64)
        if count:
            place = np.full(int(kinds.max()) + 1, -1, np.int64)
            place[kinds[self.samples]] = np.arange(len(self.samples))
            found[slice(None) if self.kept is None else self.kept] = place[kinds]
        return found


def _rows_of(kept: Codes | None, rows: Codes) -> Codes:
    """Return the rows of a table that some of the rows kept of it are."""
    return rows if kept is None else kept[rows]


class Count(Step, frozen=True, tag="count"):
    """Count rows by the values of columns, the commonest first.

    Parameters
    ----------
    by : list of str
        Selectors of the columns whose values are counted.
    where : str, optional
        Count only rows for which a condition is true.
    across : str, optional
        A column whose values become columns: a table with totals.
    shares : bool
        Add the share of all rows.
    of_counts : bool
        Show how many groups have 1, 2, 3 ... rows.
    sort : {"count", "value"}
        The order of the rows.
    """

    accounting: ClassVar[Rows] = Rows.MERGED

    by: list[str] = []
    where: str | None = None
    across: str | None = None
    shares: bool = True
    of_counts: bool = False
    sort: str = "count"

    @property
    def depends_on_values(self) -> bool:
        """Of each value of a column that stands across a column is made."""
        return bool(self.across)

    def apply(self, table: BareTable) -> Change:
        """Count the rows."""
        if self.sort not in ("count", "value"):
            raise ParameterError(f"expected sort to be count or value, got {self.sort!r}")
        names = chosen(table, self.by) if self.by else []
        kept: Codes | None = None
        if self.where is not None:
            condition = evaluate_condition(self.where, table)
            kept = positions_in(condition.array & condition.present, table._storage)
        taken = table if kept is None else table._take(kept)
        if self.across is not None:
            groups = Groups.by(taken, names)
            return self._crossed(table, taken, kept, names, groups)
        if names:
            codes = [stored_keys(taken[name], table._storage) for name in names]
            starts, counts = count_rows(codes, taken.row_count, table._storage)
        else:
            starts, counts = np.zeros(1, np.int64), np.array([taken.row_count])
        if self.of_counts:
            return self._of_counts(table, taken, kept, starts, counts, [taken[name] for name in names])
        keys = {name: taken[name]._take(starts) if taken.row_count else taken[name] for name in names}
        order_keys = [_placed(key) for key in keys.values()]
        order = order_rows([-counts, *order_keys] if self.sort == "count" else order_keys or [-counts])
        columns = {name: key._take(order) for name, key in keys.items()}
        columns[_free("count", names)] = Column(INTEGER, counts[order])
        if self.shares and names:
            columns[_free("share", names)] = Column(
                NUMBER, np.round(counts[order] / max(1, taken.row_count), SHARE_DIGITS)
            )
        first = _rows_of(kept, starts[order]) if taken.row_count else np.full(len(order), -1, np.int64)
        members = Members(tuple(taken[name] for name in names), kept, table.row_count, starts[order])
        left_out = table.row_count - taken.row_count
        return Change(numbered_anew(table, columns, len(order)), first, left_out=left_out, merged_into=members)

    def _of_counts(
        self,
        table: BareTable,
        taken: BareTable,
        kept: Codes | None,
        starts: Codes,
        counts: Codes,
        keys: Sequence[Column],
    ) -> Change:
        sizes, inverse, many = np.unique(counts, return_inverse=True, return_counts=True)
        first = np.zeros(len(sizes), np.int64)
        first[inverse[::-1]] = starts[::-1]
        columns = {"rows": Column(INTEGER, sizes), "groups": Column(INTEGER, many.astype(np.int64))}
        sample = first
        first = _rows_of(kept, first) if taken.row_count else np.full(len(first), -1)
        members = Members(tuple(keys), kept, table.row_count, sample, by_size=True)
        left_out = table.row_count - taken.row_count
        return Change(numbered_anew(table, columns, len(sizes)), first, left_out=left_out, merged_into=members)

    def _crossed(
        self, table: BareTable, taken: BareTable, kept: Codes | None, names: Sequence[str], groups: Groups
    ) -> Change:
        other = taken[chosen(taken, [str(self.across)])[0]]
        across = Groups.of([other], taken.row_count)
        if len(across) > MOST_ACROSS:
            raise ParameterError(
                f"{self.across} has {len(across):,} values, a cross table takes {MOST_ACROSS}",
                remedy="count it by itself, or group its values first",
            )
        cells = np.bincount(groups.codes * len(across) + across.codes, minlength=len(groups) * len(across))
        cells = cells.reshape(len(groups), len(across)).astype(np.int64)
        order = order_rows(
            [_placed(taken[name]._take(groups.first)) for name in names] or [np.zeros(len(groups), np.int64)]
        )
        heads = order_rows([_placed(other._take(across.first))])
        texts = other._take(across.first[heads]).texts()
        total = np.ones(len(order) + 1, np.bool_)
        total[:-1] = False
        columns: dict[str, Column] = {}
        sources = np.append(groups.first[order], groups.first[:1])
        for at, name in enumerate(names):
            key = (
                taken[name]._take(sources)._emptied(total, Reason.ABSENT) if taken.row_count else taken[name]._absent(1)
            )
            if key.type.word == "string" and not at:
                words = key.text.to_list()
                words[-1] = "total"
                state = key.states.copy()
                state[-1] = Reason.PRESENT
                key = key._replace(values=Text.from_strings(words), state=state)
            columns[name] = key
        for place, text in zip(heads.tolist(), texts, strict=True):
            values = np.append(cells[order, place], cells[:, place].sum())
            columns[_free("(missing)" if text is None else text, list(columns))] = Column(INTEGER, values)
        columns[_free("total", list(columns))] = Column(INTEGER, np.append(cells[order].sum(axis=1), cells.sum()))
        rows = _rows_of(kept, groups.first[order]) if taken.row_count else np.full(len(order), -1)
        first = np.append(rows, -1)
        members = Members(tuple(taken[name] for name in names), kept, table.row_count, groups.first[order])
        left_out = table.row_count - taken.row_count
        return Change(numbered_anew(table, columns, len(order) + 1), first, left_out=left_out, merged_into=members)

    def describe(self) -> str:
        """Name what is counted."""
        message = f"rows counted by {', '.join(self.by)}" if self.by else "rows counted"
        message += f" across {self.across}" if self.across else ""
        return message + (f" where {self.where}" if self.where else "")


def _free(name: str, taken: Sequence[str]) -> str:
    """Return a name that no column has yet."""
    while name in taken:
        name += "_"
    return name
