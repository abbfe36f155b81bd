"""What a step is, and what it hands back.

A step takes a bare table and returns a `Change`: the new table, which of the old rows
each new row comes from, and what was set aside. It counts nothing: all counts come
from comparing the tables before and after, in `comb.steps.accounting`.
"""

from collections.abc import Callable, Collection, Mapping, Sequence
from enum import Enum
from typing import Any, ClassVar

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import ParameterError, counted
from comb.execution.storage import blocks_of
from comb.expressions.check import NOTHING_GIVEN, Given
from comb.expressions.evaluate import evaluate_condition, undefined_of
from comb.expressions.nodes import column_names
from comb.expressions.parser import parse
from comb.kernels.grouping import Codes
from comb.tables.cell_source import placed
from comb.tables.column import Column, Mask
from comb.tables.names import choose
from comb.tables.origin import MADE, Origin, origin_below
from comb.tables.reasons import MEANING, REASON_WORDS
from comb.tables.struct_pickling import reduced
from comb.tables.table import BareTable


class Rows(Enum):
    """How a kind of step accounts for the rows that do not come out."""

    SAME = "no row comes or goes"
    LEFT_OUT = "rows are left out: counted, not copied"
    MERGED = "rows equal to another are merged into it"
    SPREAD = "one row becomes several; empty ones are left out"


class SetAside(msgspec.Struct, frozen=True):
    """Rows kept out of the result, with the reason.

    Attributes
    ----------
    positions : int64 array
        Where they stood in the table before the step, from 0.
    reasons : tuple of str
        Why, for each of them.
    """

    positions: Codes
    reasons: tuple[str, ...]


class Detail(msgspec.Struct, frozen=True):
    """Where new cells of a column came from, cell by cell.

    Attributes
    ----------
    form : str
        What to say, with braces for each of the numbers: ``from row {}``.
    numbers : tuple of int64 array
        For each row of the table what goes into the braces: row numbers.
    texts : object array, optional
        Instead of the form, a text for each row of the table.
    positions : int64 array, optional
        The rows that the numbers are of, ascending; by default all.
    """

    form: str
    numbers: tuple[Codes, ...] = ()
    texts: NDArray[np.object_] | None = None
    positions: Codes | None = None

    def take(self, positions: Codes) -> "Detail":
        """Return the same for the cells at some positions."""
        if self.positions is not None and len(self.positions):
            at = np.minimum(np.searchsorted(self.positions, positions), len(self.positions) - 1)
            there = self.positions[at] == positions
            return Detail(self.form, tuple(np.where(there, one[at], 0) for one in self.numbers))
        texts = None if self.texts is None else self.texts[positions]
        return Detail(self.form, tuple(one[positions] for one in self.numbers), texts)

    def at(self, position: int) -> str:
        """Say where the cell at a position came from.

        >>> Detail("from row {}", (np.array([3, 3]),)).at(1)
        'from row 3'
        """
        if self.texts is not None:
            return str(self.texts[position])
        return self.form.format(*(f"{int(one[position])}" for one in self.numbers))


class Change(msgspec.Struct, frozen=True):
    """What a step did.

    Attributes
    ----------
    table : BareTable
    sources : int64 array or None
        For each new row the position of the old row it comes from, -1 where it comes from none; None
        where the rows are the same.
    set_aside : SetAside or None
    renamed : dict
        New column name to old, where columns were renamed.
    notes : tuple of str
        What a comparison of the tables cannot show.
    rows_only : bool
        Whether the rows are as they were: made by `of_rows`.
    losses : dict of str to int
        What got lost without being wrong, in rows: for a summary.
    left_out : int
        Rows that a step left out before it merged the others.
    details : dict of str to Detail
        For columns whose new cells came from other rows: from which.
    merged_into : int64 array, callable or None
        For each old row the position of the new row it is a part of, -1 for none: of groups, and of copies. Or what
        finds that out where it is seldom asked for, and each old row is a part of one.
    formulas : dict of str to str
        The formulas of columns that were calculated as a whole.
    made_from : dict of str to list of str
        For new columns without a formula the columns that their cells were made of.
    moved : collection of str
        Columns whose cells are those of the rows they come from, and need not be compared with them.
    """

    table: BareTable
    sources: Codes | None = None
    set_aside: SetAside | None = None
    renamed: dict[str, str] | None = None
    notes: tuple[str, ...] = ()
    rows_only: bool = False
    losses: dict[str, int] | None = None
    left_out: int = 0
    details: Mapping[str, Detail] = msgspec.field(default_factory=dict)
    merged_into: Codes | Callable[[], Codes] | None = None
    formulas: Mapping[str, str] = msgspec.field(default_factory=dict)
    made_from: Mapping[str, Sequence[str]] = msgspec.field(default_factory=dict)
    moved: Collection[str] = ()

    def rows_used(self, count: int) -> Mask:
        """Return which of the old rows, `count` in number, came out."""
        used = np.zeros(count, np.bool_)
        if self.sources is None:
            used[:] = True
        elif len(self.sources):
            used[self.sources if self.sources.min() >= 0 else self.sources[self.sources >= 0]] = True
        return used

    @classmethod
    def of_rows(
        cls,
        table: BareTable,
        positions: Codes,
        *,
        set_aside: SetAside | None = None,
        notes: tuple[str, ...] = (),
        losses: dict[str, int] | None = None,
        merged_into: Codes | None = None,
    ) -> "Change":
        """Return the change that leaves nothing but some rows of a table, as they are."""
        if len(positions) == table.row_count and in_place(positions):
            # All rows stay where they are: nothing has to be copied.
            return cls(table, None, set_aside, notes=notes, rows_only=True, losses=losses)
        return cls(
            table._take(positions), positions, set_aside, notes=notes, rows_only=True, losses=losses,
            merged_into=merged_into,
        )  # fmt: skip


def in_place(positions: Codes) -> bool:
    """Return whether positions are those of all rows as they stand."""
    return all(bool((positions[rows] == np.arange(rows.start, rows.stop)).all()) for rows in blocks_of(len(positions)))


def places_where(mask: Mask, table: BareTable) -> Codes:
    """Return the positions of the rows of a table in a mask, kept where the table is."""
    if not table._storage.on_disk:
        return np.flatnonzero(mask)
    positions = table._storage.empty(int(np.count_nonzero(mask)), np.int64)
    start = 0
    for rows in blocks_of(len(mask), table._storage.block_rows):
        found = np.flatnonzero(mask[rows])
        positions[start : start + len(found)] = found + rows.start
        start += len(found)
    return positions


class Step(
    msgspec.Struct,
    frozen=True,
    kw_only=True,
    forbid_unknown_fields=True,
    omit_defaults=True,
    tag_field="step",
):
    """One named change with its parameters.

    Parameters
    ----------
    active : bool
        Whether the step is taken; a step that is not active is listed only.
    why : str, optional
        The reason for this step, in free text.
    at_most : str, optional
        The most rows it may remove, and the most cells it may change in one column: a number, or a share of the rows
        like ``2%``. Where there are more, the run stops before anything is written.
    """

    accounting: ClassVar[Rows] = Rows.SAME

    # Whether `describe` names the columns that come and go; else the sentence over a table does.
    names_columns: ClassVar[bool] = True

    active: bool = True
    why: str | None = None
    at_most: str | None = None

    def __reduce__(self) -> tuple[Any, ...]:
        return reduced(self)

    @property
    def other_table(self) -> str:
        """The name of the second table that this step needs; empty if none."""
        return ""

    @property
    def depends_on_values(self) -> bool:
        """Whether only the values tell which columns there are after the step, and of which types."""
        return False

    @property
    def name(self) -> str:
        """The word for this kind of step."""
        return str(self.__struct_config__.tag)

    def apply(self, table: BareTable) -> Change:
        """Do the step.

        Raises
        ------
        CombError
            If a parameter does not fit the table; before any row is touched.
        """
        raise NotImplementedError

    def apply_with(self, table: BareTable, other: BareTable) -> Change:
        """Do the step with the second table that it needs."""
        raise NotImplementedError

    def rereads(self, table: BareTable) -> list[str]:
        """Return the columns that this step reads in another way than they were read: it needs their texts."""
        return []

    def describe(self) -> str:
        """Say in a few words what this step is set to do."""
        raise NotImplementedError


def numbered_anew(table: BareTable, columns: dict[str, Column], rows: int) -> BareTable:
    """Return a table whose rows are no longer those of the source, as groups are: they are numbered from 1."""
    name = table.origin.name
    origin = Origin(name if name.startswith(MADE) else f"{MADE}{name}", checksum=table.origin.checksum)
    columns = {name: column._unnumbered() for name, column in columns.items()}
    return table._derive(columns, row_numbers=np.arange(1, rows + 1), origin=origin)


def below_each_other(table: BareTable, columns: dict[str, Column], parts: Sequence[tuple[Origin, Codes]]) -> BareTable:
    """Return a table of rows of several tables, which are numbered from 1 and know where they stood.

    Parameters
    ----------
    table : BareTable
    columns : dict of str to Column
    parts : sequence of (Origin, int64 array)
        Of each table its origin, and the row numbers of its rows.
    """
    name = table.origin.name
    origin = origin_below(parts, name if name.startswith(MADE) else f"{MADE}{name}")
    columns = {name: column._unnumbered() for name, column in columns.items()}
    return table._derive(columns, row_numbers=np.arange(1, len(origin.lines) + 1), origin=origin)


def in_rows(table: BareTable) -> dict[str, Column]:
    """Return the columns of a table, each with the rows of its cells named, so that they know them in any other."""
    return {
        name: column._replace(source=placed(column.source, name).in_rows(table.origin, table.row_numbers))
        for name, column in table.columns.items()
    }


def chosen(table: BareTable, selectors: Sequence[str]) -> list[str]:
    """Return the names that selectors stand for in a table."""
    named = all(isinstance(one, str) and one in table for one in selectors)
    return list(dict.fromkeys(selectors)) if named and selectors else choose(selectors, table.types)


def folding(ignore: Sequence[str]) -> Callable[[str], str]:
    """Return what makes texts equal that differ only by what is to be ignored.

    Parameters
    ----------
    ignore : sequence of {"case", "spaces"}

    Raises
    ------
    ParameterError
        For another word.

    >>> folding(["case", "spaces"])(" Mill  Brook")
    'mill brook'
    """
    for word in ignore:
        if word not in ("case", "spaces"):
            raise ParameterError(f"expected ignore to be case or spaces, got {word!r}")

    def folded(text: str) -> str:
        text = " ".join(text.split()) if "spaces" in ignore else text
        return text.casefold() if "case" in ignore else text

    return folded


def rows_where(table: BareTable, where: str | None) -> Mask:
    """Return the rows for which a condition is true; all rows without a condition."""
    if where is None:
        return np.ones(table.row_count, np.bool_)
    result = evaluate_condition(where, table)
    return result.array & result.present


def read_by(formula: str | None, columns: Sequence[str]) -> dict[str, list[str]]:
    """Return, of columns that get something by a formula, which columns it reads; nothing without a formula."""
    names = [] if formula is None else column_names(parse(formula))
    return dict.fromkeys(columns, names) if names else {}


def missing_for(column: Column, reasons: Sequence[str]) -> Mask:
    """Return which cells are missing, for any reason or for one of those named.

    Raises
    ------
    ParameterError
        If there is no such reason.
    """
    if not reasons:
        return column.missing
    unknown = [one for one in reasons if one not in REASON_WORDS]
    if unknown:
        words = [reason.word for reason in MEANING]
        raise ParameterError(f"there is no reason {unknown[0]!r}", remedy=f"allowed: {', '.join(words)}")
    return np.isin(column.states, [REASON_WORDS[one] for one in reasons])


def undefined_notes(formula: str, table: BareTable, given: Given = NOTHING_GIVEN) -> list[str]:
    """Say how many results in a formula do not exist, where what comes of it does not show it."""
    found = undefined_of(formula, table, given)
    return [f"{part} has no result in {counted(count, 'row')}" for part, count in found.items()]


def in_quotes(name: str) -> str:
    """Write the name of a column as an expression has it.

    >>> in_quotes("net kg")
    '"net kg"'
    """
    return '"' + name.replace('"', '""') + '"'


def as_literal(text: str) -> str:
    """Write a text as an expression has it.

    >>> as_literal("bee's")
    "'bee''s'"
    """
    return "'" + text.replace("'", "''") + "'"


def share_of(text: str, parameter: str) -> float:
    """Read a share: ``2%`` or ``0.02``.

    >>> share_of("2 %", "share")
    0.02
    """
    percent = text.strip().endswith("%")
    try:
        share = float(text.strip().rstrip("%")) / (100 if percent else 1)
    except ValueError:
        share = -1.0
    if not 0 <= share <= 1:
        raise ParameterError(f"expected {parameter} to be a share like 50%, got {text!r}")
    return share
