"""Steps on columns: select, rename, calculate."""

from typing import Literal

from comb.errors import ColumnError, ParameterError
from comb.expressions.evaluate import evaluate
from comb.steps.base import Change, Step
from comb.tables.bare import BareTable
from comb.tables.names import check_known, choose


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
            raise ParameterError("no column would be left", remedy=f"there is: {', '.join(table.names)}")
        return Change(table.derive({name: table[name] for name in names}))

    def describe(self) -> str:
        """Name what is kept and dropped."""
        parts = [f"columns {', '.join(self.columns)}"] if self.columns else []
        parts += [f"without {', '.join(self.leave_out)}"] if self.leave_out else []
        parts += [f"of type {self.of_type}"] if self.of_type else []
        return ", ".join(parts) or "all columns"


class Rename(Step, frozen=True, tag="rename"):
    """Give columns other names.

    Parameters
    ----------
    names : dict of str to str
        The name there is, and the name there shall be.
    """

    names: dict[str, str]

    def apply(self, table: BareTable) -> Change:
        """Rename, if every new name will be there once."""
        for name in self.names:
            check_known(name, table.names)
        new = [self.names.get(name, name) for name in table.names]
        twice = sorted({name for name in new if new.count(name) > 1})
        if twice:
            raise ColumnError(
                f"the name {twice[0]!r} would stand {new.count(twice[0])} times",
                remedy="rename or leave out the other column first",
            )
        renamed = {new: old for old, new in self.names.items()}
        columns = dict(zip(new, table.columns.values(), strict=True))
        return Change(table.derive(columns), renamed=renamed)

    def describe(self) -> str:
        """Name old and new."""
        return ", ".join(f"{old} renamed to {new}" for old, new in self.names.items())


class Calculate(Step, frozen=True, tag="calculate"):
    """Calculate columns from formulas; later ones see earlier ones.

    Parameters
    ----------
    columns : dict of str to str
        Name of the column, new or there already, and its formula.
    """

    columns: dict[str, str]

    def apply(self, table: BareTable) -> Change:
        """Evaluate the formulas one after the other."""
        for name, formula in self.columns.items():
            made = evaluate(formula, table)
            before = table.columns.get(name)
            if before is not None:
                made = made.replace(description=before.description)
            table = table.derive({**table.columns, name: made})
        return Change(table)

    def describe(self) -> str:
        """Name columns and formulas."""
        return ", ".join(f"{name} = {formula}" for name, formula in self.columns.items())
