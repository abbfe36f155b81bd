"""Steps on columns: select, rename, calculate."""

import contextlib
import re
import unicodedata
from collections import Counter
from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import Any, Literal

import numpy as np

from comb.casting.fit import fit_into
from comb.errors import ColumnError, CombError, ExpressionError, ParameterError
from comb.expressions.aggregates import Groups
from comb.expressions.check import Given
from comb.expressions.evaluate import evaluate, formula_type
from comb.expressions.untyped import untyped_columns
from comb.steps.base import Change, Step, undefined_notes
from comb.steps.series_gaps import gap_notes
from comb.tables.cell_source import NO_PLACE, placed
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.names import check_known, choose, unique_names
from comb.tables.table import BareTable
from comb.tables.types import STRING


class Select(Step, frozen=True, tag="select"):
    """Choose columns, in the order named.

    Parameters
    ----------
    columns : list of str
        Selectors of what to keep; none means all.
    leave_out : list of str
        Selectors of what to drop.
    of_type : str, optional
        Keep only columns of this type.
    others : {"drop", "after"}
        What becomes of the columns not named: dropped, or placed after the others.
    """

    columns: list[str] = []
    leave_out: list[str] = []
    of_type: str | None = None
    others: Literal["drop", "after"] = "drop"

    def apply(self, table: BareTable) -> Change:
        """Choose the columns."""
        names = choose(self.columns, table.types, leave_out=self.leave_out, of_type=self.of_type)
        if self.others == "after":
            dropped = choose(self.leave_out, table.types) if self.leave_out else []
            names += [name for name in table.names if name not in names and name not in dropped]
        if not names:
            raise ParameterError("no column would be left", remedy=f"columns: {', '.join(table.names)}")
        return Change(table._derive({name: table[name] for name in names}))

    def describe(self) -> str:
        """Name what is kept and dropped."""
        parts = [f"columns {', '.join(self.columns)}"] if self.columns else []
        parts += [f"without {', '.join(self.leave_out)}"] if self.leave_out else []
        parts += [f"of type {self.of_type}"] if self.of_type else []
        return ", ".join(parts) or "all columns"


def safe_name(name: str) -> str:
    """Write a name with small ASCII letters, digits and low lines.

    >>> safe_name("Größe (kg)"), safe_name("2025 %")
    ('grosse_kg', '_2025')
    """
    plain = unicodedata.normalize("NFKD", name.replace("ß", "ss")).encode("ascii", "ignore").decode().lower()
    safe = re.sub(r"[^a-z0-9]+", "_", plain).strip("_") or "column"
    return f"_{safe}" if safe[0].isdigit() else safe


class Rename(Step, frozen=True, tag="rename"):
    """Give columns other names.

    Parameters
    ----------
    names : dict of str to str
        The name there is, and the name there shall be.
    style : {"lower", "upper", "title", "safe"}, optional
        How all other columns are named: in small letters, in capitals, with a capital for each word;
        ``safe`` are small letters, digits and low lines only.
    """

    names: dict[str, str] = {}
    style: Literal["lower", "upper", "title", "safe"] | None = None

    def apply(self, table: BareTable) -> Change:
        """Rename, if every new name will be there once."""
        for name in self.names:
            check_known(name, table.columns)
        styled = dict(zip(table.names, self._styled(table.names), strict=True))
        new = [self.names.get(name, styled[name]) for name in table.names]
        counts = Counter(new)
        twice = sorted(name for name, count in counts.items() if count > 1)
        if twice:
            raise ColumnError(
                f"the name {twice[0]!r} would stand {counts[twice[0]]} times",
                remedy="rename or leave out the other column first",
            )
        renamed = {name: old for old, name in zip(table.names, new, strict=True) if name != old}
        columns = {
            name: column if name == old else column._replace(source=placed(column.source, old))
            for name, (old, column) in zip(new, table.columns.items(), strict=True)
        }
        return Change(table._derive(columns), renamed=renamed)

    def _styled(self, names: Sequence[str]) -> list[str]:
        if self.style is None:
            return list(names)
        if self.style == "safe":
            return unique_names([safe_name(name) for name in names])
        change = {"lower": str.lower, "upper": str.upper, "title": str.title}[self.style]
        return [change(name) for name in names]

    def describe(self) -> str:
        """Name old and new."""
        if self.style is not None:
            return f"columns named in the style {self.style}"
        return ", ".join(f"{old} renamed to {new}" for old, new in self.names.items())


class Calculate(Step, frozen=True, tag="calculate"):
    """Calculate columns from formulas; later ones see earlier ones.

    Parameters
    ----------
    columns : dict of str to str
        Name of the column, new or there already, and its formula.
    by : list of str
        Selectors of columns: aggregates in the formulas are taken within the groups these form.
    only_new : bool
        Keep only the columns calculated here, and those of `by`.
    as_of : str, optional
        The day that ``current_date`` means.
    parameters : dict of str to str
        What ``:name`` means in the formulas; numbers are numbers.
    """

    columns: dict[str, str]
    by: list[str] = []
    only_new: bool = False
    as_of: str | None = None
    parameters: dict[str, str] = {}

    def apply(self, table: BareTable) -> Change:
        """Evaluate the formulas one after the other."""
        names = choose(self.by, table.types) if self.by else []
        groups = Groups.by(table, names)
        given = Given(day_of(self.as_of), {name: value_of(text) for name, text in self.parameters.items()})
        self._check(table, given)
        notes: list[str] = []
        for name, formula in self.columns.items():
            made = evaluate(formula, table, given, groups)
            notes += gap_notes(formula, table, names)
            notes += undefined_notes(formula, table, given)
            before = table.columns.get(name)
            if before is not None:
                if before.type.numeric and made.type.numeric and before.type.base is None:
                    fitted = fit_into(made, before, name)
                    made = fitted.result
                    notes += [fitted.note] if fitted.note else []
                made = made._replace(description=before.description, kept=_still_kept(before, made))
            made = made._replace(source=NO_PLACE)
            table = table._extended(name, made)
        if self.only_new:
            table = table._derive({name: table[name] for name in dict.fromkeys([*names, *self.columns])})
        return Change(table, notes=tuple(notes), formulas=dict(self.columns))

    def _check(self, table: BareTable, given: Given) -> None:
        """Find all that is wrong with the formulas before any is calculated."""
        types, problems, untyped = dict(table.types), [], untyped_columns(table)
        for name, formula in self.columns.items():
            try:
                types[name] = formula_type(formula, types, given, untyped)
            except CombError as error:
                problems.append(error)
                types.setdefault(name, STRING)
        if len(problems) == 1:
            raise problems[0]
        if problems:
            message = "\n".join(str(problem) for problem in problems)
            raise ExpressionError(f"{len(problems)} of the formulas have a problem:\n{message}")

    def describe(self) -> str:
        """Name columns and formulas."""
        message = ", ".join(f"{name} = {formula}" for name, formula in self.columns.items())
        return f"{message} within each {', '.join(self.by)}" if self.by else message


def _still_kept(before: Column, made: Column) -> Kept:
    """Return the texts of cells that could not be read and still cannot, where a column is calculated anew."""
    places = before.kept.positions
    if not len(places) or len(made) != len(before):
        return made.kept
    stays = made.missing[places] & (made.states[places] == before.states[places])
    return before.kept if stays.all() else Kept.of(places[stays], before.kept.items.take(np.flatnonzero(stays)))


def day_of(text: str | None) -> date | None:
    """Read the day that is given as today.

    >>> day_of("2026-05-01")
    datetime.date(2026, 5, 1)
    """
    if text is None:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise ParameterError(f"expected as_of like '2026-05-01', got {text!r}") from None


def value_of(text: str) -> Any:
    """Read the value of a parameter: a whole number, a decimal, a day, true or false, or a text.

    >>> value_of("12"), value_of("1.50"), value_of("Mill")
    (12, Decimal('1.50'), 'Mill')
    """
    if text in ("true", "false"):
        return text == "true"
    for read in (int, _finite, date.fromisoformat):
        with contextlib.suppress(ValueError, ArithmeticError):
            # Python takes 1_000 for a number; people mean a code.
            return text if "_" in text else read(text)
    return text


def _finite(text: str) -> Decimal:
    value = Decimal(text)
    if not value.is_finite():
        raise ValueError(text)
    return value
