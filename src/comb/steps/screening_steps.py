"""Steps that hold rows against conditions: set_aside, remove_missing, mark_rows."""

import numpy as np

from comb.errors import ColumnError, ParameterError, agree, counted
from comb.expressions.check import Given
from comb.expressions.evaluate import evaluate_condition
from comb.steps.base import Change, SetAside, Step, chosen, missing_for, places_where, share_of, undefined_notes
from comb.steps.column_steps import day_of
from comb.tables.cell_source import NO_PLACE
from comb.tables.column import Column, Mask
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import BOOLEAN, STRING


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
        positions, aside = places_where(~gone, table), places_where(gone, table)
        reasons = (self.reason or self.where,) * len(aside)
        unknown = result.missing_count
        notes = (f"{counted(unknown, 'row')} for which it is unknown {agree(unknown, 'stays', 'stay')}",)
        said = (*(notes if unknown and len(aside) else ()), *undefined_notes(self.where, table))
        return Change.of_rows(table, positions, set_aside=SetAside(aside, reasons), notes=said)

    def describe(self) -> str:
        """Name the condition."""
        return f"rows where {self.where} set aside"


class RemoveMissing(Step, frozen=True, tag="remove_missing"):
    """Set aside rows with missing cells, or drop columns of which too much is missing.

    Parameters
    ----------
    columns : list of str
        Selectors of the columns to look at; none means all.
    more_than : int
        Rows with more missing cells than this among them are set aside.
    share : str, optional
        Instead of rows: the columns of which more than this share is missing are dropped: ``50%``.
    reasons : list of str
        Count only cells missing for these reasons; none means for any.
    """

    columns: list[str] = []
    more_than: int = 0
    share: str | None = None
    reasons: list[str] = []

    def apply(self, table: BareTable) -> Change:
        """Set the rows aside, or drop the columns."""
        names = chosen(table, self.columns)
        gaps = {name: missing_for(table[name], self.reasons) for name in names}
        if self.share is not None:
            return self._without_columns(table, gaps)
        if self.more_than < 0:
            raise ParameterError(f"expected more_than to be 0 or more, got {self.more_than}")
        count = np.zeros(table.row_count, np.int64)
        for missing in gaps.values():
            count += missing
        gone = count > self.more_than
        aside = np.flatnonzero(gone)
        reasons = _lacking(gaps, aside)
        return Change.of_rows(table, places_where(~gone, table), set_aside=SetAside(aside, reasons))

    def _without_columns(self, table: BareTable, gaps: dict[str, Mask]) -> Change:
        if self.more_than:
            raise ParameterError("expected more_than, for rows, or share, for columns, and not both")
        most = share_of(str(self.share), "share")
        rows = table.row_count
        shares = {name: int(missing.sum()) / rows for name, missing in gaps.items()} if rows else {}
        dropped = {name: share for name, share in shares.items() if share > most}
        if len(dropped) == len(table.names):
            raise ParameterError("no column would be left", remedy="name the columns to look at, or a larger share")
        notes = tuple(f"{100 * share:.1f} % of {name} is missing" for name, share in dropped.items())
        return Change(table._derive({n: c for n, c in table.columns.items() if n not in dropped}), notes=notes)

    def describe(self) -> str:
        """Name columns and bounds."""
        where = f" in {', '.join(self.columns)}" if self.columns else ""
        if self.share is not None:
            among = f" among {', '.join(self.columns)}" if self.columns else ""
            return f"columns with more than {self.share} missing dropped{among}"
        gaps = "a missing cell" if not self.more_than else f"more than {counted(self.more_than, 'missing cell')}"
        return f"rows with {gaps}{where} set aside"


def _lacking(gaps: dict[str, Mask], rows: np.ndarray) -> tuple[str, ...]:
    """Say for rows which of their cells are missing; combinations of columns are few."""
    names = list(gaps)
    if not len(rows):
        return ()
    grid = np.column_stack([gaps[name][rows] for name in names])
    kinds, which = np.unique(grid, axis=0, return_inverse=True)
    said = [f"missing: {', '.join(name for name, gap in zip(names, kind, strict=True) if gap)}" for kind in kinds]
    return tuple(said[at] for at in which.ravel().tolist())


class MarkRows(Step, frozen=True, tag="mark_rows"):
    """Say in a new column which conditions a row meets, instead of taking it away.

    Parameters
    ----------
    where : str or dict of str to str
        A condition: the column is true or false, and missing where it is unknown. Or conditions by name: the column
        contains the names of those that are true, with ``; `` between, and is missing (absent) where none is.
    new_columns : list of str
        One name: of the column.
    as_of : str, optional
        The day that ``current_date`` means.
    """

    where: str | dict[str, str]
    new_columns: list[str]
    as_of: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Add the column."""
        if len(self.new_columns) != 1:
            raise ParameterError(f"expected one name in new_columns, got {len(self.new_columns)}")
        name = self.new_columns[0]
        if name in table:
            raise ColumnError(f"there would be two columns named {name!r}", remedy="choose another name")
        given = Given(day_of(self.as_of))
        conditions = {name: self.where} if isinstance(self.where, str) else self.where
        if not conditions:
            raise ParameterError("expected at least one condition, got none")
        results = {title: evaluate_condition(text, table, given) for title, text in conditions.items()}
        notes = [f"{title}: {self._counts(result)}" for title, result in results.items()]
        if isinstance(self.where, str):
            column = results[name]._replace(type=BOOLEAN, source=NO_PLACE)
        else:
            column = _names_of(results, table.row_count)
        return Change(table._extended(name, column), notes=tuple(notes), formulas={name: self._formula()})

    def _formula(self) -> str:
        return self.where if isinstance(self.where, str) else "; ".join(f"{k}: {v}" for k, v in self.where.items())

    @staticmethod
    def _counts(result: Column) -> str:
        true = int(np.count_nonzero(result.array & result.present))
        unknown = result.missing_count
        return f"{counted(true, 'row')}" + (f", {unknown:,} unknown" if unknown else "")

    def describe(self) -> str:
        """Name the column and the conditions."""
        return f"{', '.join(self.new_columns)} says where {self._formula()}"


def _names_of(results: dict[str, Column], rows: int) -> Column:
    """Return for each row the names of the conditions that are true."""
    code, known = np.zeros(rows, np.int64), [""]
    for title, result in results.items():
        true = result.array & result.present
        pairs, at = np.unique(code * 2 + true, return_inverse=True)
        said = [known[pair // 2] for pair in pairs.tolist()]
        known = [f"{old}; {title}" if old and pair % 2 else title if pair % 2 else old
                 for old, pair in zip(said, pairs.tolist(), strict=True)]  # fmt: skip
        code = at.ravel()
    words, numbers = np.unique(np.array(known, object).astype(str), return_inverse=True)
    texts = Text.from_items(words.tolist(), numbers.ravel()[code])
    state = np.array([not one for one in known], np.bool_)[code] if rows else np.zeros(0, np.bool_)
    states = np.where(state, np.uint8(Reason.ABSENT), np.uint8(0))
    return Column(STRING, texts, states, source=NO_PLACE)
