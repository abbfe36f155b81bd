"""What a step did, cell by cell and row by row: enough to trace any value back, and to write all changes down.

A record holds what changed and nothing else: for each column the cells that are different, before and after, and
where the new ones came from; which row of the table before each row comes from; which rows were merged into which, set
aside or left out. Columns that were not touched are not held. Columns that were calculated as a whole have their
formula. So the records of all steps together are about as large as what the steps changed.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.execution.storage import Storage, positions_in
from comb.kernels.grouping import Codes
from comb.steps.base import Change, Detail, Rows, Step
from comb.tables.collect import slice_of
from comb.tables.column import Column
from comb.tables.stored import stored_array, stored_column
from comb.tables.table import BareTable


class CellChanges(msgspec.Struct, frozen=True):
    """The cells of one column that a step changed.

    Attributes
    ----------
    positions : int64 array
        Where they are in the table after the step, ascending.
    before, after : Column
        These cells only.
    detail : Detail, optional
        Where each new cell came from.
    """

    positions: Codes
    before: Column
    after: Column
    detail: Detail | None = None

    def part(self, some: slice) -> "CellChanges":
        """Return some of these cells."""
        if some.start == 0 and some.stop >= len(self.positions):
            return self
        detail = None if self.detail is None else self.detail.take(np.arange(some.start, some.stop))
        return CellChanges(self.positions[some], slice_of(self.before, some), slice_of(self.after, some), detail)

    def at(self, position: int) -> int:
        """Return which of these cells is at a position of the table, -1 if none."""
        found = int(np.searchsorted(self.positions, position))
        return found if found < len(self.positions) and self.positions[found] == position else -1


class StepRecord(msgspec.Struct, frozen=True):
    """What a step did to rows and cells.

    Attributes
    ----------
    before, after : BareTable
        Row numbers and origin of the tables before and after the step, without columns.
    columns : tuple of str
        The columns after the step.
    sources : int64 array or None
        For each row after the step the position of the row before it, -1 for none; None where rows are the same.
    merged_into : int64 array, callable or None
        For each row before the step the position of the row it became a part of, -1 for none.
    gone : dict of str to int64 array
        Positions of rows that did not come out, by what became of them: left out, set aside, merged.
    reasons : tuple of str
        Of those set aside.
    cells : dict of str to CellChanges
    formulas : dict of str to str
    renamed : dict of str to str
        New name to old.
    made_from : dict of str to sequence of str
        New columns without a formula, and the columns that their cells were made of.
    """

    before: BareTable
    after: BareTable
    columns: tuple[str, ...]
    sources: Codes | None = None
    merged_into: "Codes | Callable[[], Codes] | None" = None
    gone: Mapping[str, Codes] = msgspec.field(default_factory=dict)
    reasons: tuple[str, ...] = ()
    cells: Mapping[str, CellChanges] = msgspec.field(default_factory=dict)
    formulas: Mapping[str, str] = msgspec.field(default_factory=dict)
    renamed: Mapping[str, str] = msgspec.field(default_factory=dict)
    made_from: Mapping[str, Sequence[str]] = msgspec.field(default_factory=dict)

    def changes(self) -> Iterator[tuple[int, str, str | None, str | None]]:
        """Return every changed cell: row number, column, and the texts before and after, None where missing."""
        for name, one in self.cells.items():
            rows = self.after.row_numbers[one.positions].tolist()
            before = [one.before.kept.texts.get(at, text) for at, text in enumerate(one.before.texts())]
            after = [one.after.kept.texts.get(at, text) for at, text in enumerate(one.after.texts())]
            for row, old, new in zip(rows, before, after, strict=True):
                yield row, name, old, new

    def stored(self, storage: Storage) -> "StepRecord":
        """Return the same record with its arrays where a storage keeps them."""
        cells = {
            name: replace(
                one,
                positions=stored_array(one.positions, storage),
                before=stored_column(one.before, storage),
                after=stored_column(one.after, storage),
            )
            for name, one in self.cells.items()
        }
        groups = self.merged_into
        return replace(
            self,
            after=self.after if self.after is self.before else self.after._stored(),
            sources=None if self.sources is None else stored_array(self.sources, storage),
            merged_into=stored_array(groups, storage) if isinstance(groups, np.ndarray) else groups,
            gone={what: stored_array(rows, storage) for what, rows in self.gone.items()},
            cells=cells,
        )

    @property
    def groups(self) -> Codes | None:
        """For each row before the step the row that it became a part of, -1 for none; None where none did."""
        return self.merged_into() if callable(self.merged_into) else self.merged_into

    def rows_of(self, position: int) -> Codes:
        """Return the positions of the rows before the step that a row after it comes from."""
        groups = self.groups
        if groups is not None:
            return np.flatnonzero(groups == position)
        source = position if self.sources is None else int(self.sources[position])
        return np.array([source] if source >= 0 else [], np.int64)


def rows_only(table: BareTable) -> BareTable:
    """Return the rows of a table without its columns: their numbers, and the origin that knows where they stood."""
    return BareTable({}, row_numbers=table.row_numbers, origin=table.origin, storage=table._storage)


def record_of(step: Step, before: BareTable, change: Change, cells: Mapping[str, CellChanges]) -> StepRecord:
    """Return the record of a step.

    Parameters
    ----------
    step : Step
    before : BareTable
    change : Change
    cells : mapping of str to CellChanges
    """
    held = rows_only(before)
    same = change.table.row_numbers is before.row_numbers and change.table.origin is before.origin
    after = held if same else rows_only(change.table)
    gone: dict[str, Codes] = {}
    if change.sources is not None:
        used = change.rows_used(before.row_count)
        if change.set_aside is not None and len(change.set_aside.positions):
            gone["set aside"] = change.set_aside.positions
            used[change.set_aside.positions] = True
        lost = positions_in(~used, before._storage)
        if len(lost) and step.accounting is Rows.MERGED:
            groups = None if callable(change.merged_into) else change.merged_into
            away = groups[lost] < 0 if groups is not None and change.left_out else np.zeros(0, np.bool_)
            gone["merged"] = lost[~away] if away.any() else lost
            gone["left out"] = lost[away] if away.any() else lost[:0]
        elif len(lost):
            gone["left out"] = lost
    reasons = change.set_aside.reasons if change.set_aside is not None else ()
    return StepRecord(
        held, after, change.table.names, change.sources, change.merged_into,
        {name: rows for name, rows in gone.items() if len(rows)}, reasons, cells, change.formulas,
        change.renamed or {}, change.made_from,
    )  # fmt: skip


def kept_formulas(names: Sequence[str], records: Sequence[StepRecord]) -> dict[str, str]:
    """Return the formulas of calculated columns that are still there, by the names they have now."""
    formulas: dict[str, str] = {}
    for record in records:
        formulas = {
            next((new for new, old in record.renamed.items() if old == title), title): formula
            for title, formula in formulas.items()
        }
        formulas |= record.formulas
    return {title: formula for title, formula in formulas.items() if title in names}
