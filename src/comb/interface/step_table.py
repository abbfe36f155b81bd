"""A table that takes steps and remembers them, so that exploration can be written down as a plan."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from pathlib import PurePath
from time import perf_counter
from typing import TYPE_CHECKING, Any, Self

import msgspec

from comb.errors import ParameterError
from comb.interface.log import log
from comb.tables.origin import MADE, Origin
from comb.tables.table import BareTable
from comb.tables.value_texts import Value, plain_text

if TYPE_CHECKING:
    from comb.plans.model import TablePlan
    from comb.steps.base import Step
    from comb.steps.ledger import Entry
    from comb.steps.record import StepRecord


Names = str | Sequence[str]


class StepTable(BareTable):
    """What the methods for steps share; see `comb.interface.table.Table`."""

    _steps: "tuple[Step, ...]" = ()
    _entries: "tuple[Entry, ...]" = ()
    _records: "tuple[StepRecord, ...]" = ()
    _others: "Mapping[str, StepTable]" = {}
    _begun: Origin | None = None

    def _follow(self, earlier: BareTable) -> None:
        if isinstance(earlier, StepTable):
            self._begun = earlier._begun or earlier.origin
            self._steps, self._entries, self._others = earlier._steps, earlier._entries, earlier._others
            self._records = earlier._records

    @classmethod
    def _adopt(cls, bare: BareTable, steps: "tuple[Step, ...]" = (), entries: "tuple[Entry, ...]" = ()) -> Self:
        """Make a bare table public, with the steps that led to it."""
        made = cls(
            bare.columns,
            row_numbers=bare.row_numbers,
            origin=bare.origin,
            notes=bare.notes,
            view_of=bare.view_of,
            storage=bare._storage,
        )
        made._steps, made._entries = steps, entries
        return made

    def _made(self, bare: BareTable, says: str) -> Self:
        """Make a table of figures about this one public; it says what it is, and what it was made from."""
        name = self.origin.name
        origin = Origin(name if name.startswith(MADE) else f"{MADE}{name}", checksum=self.origin.checksum)
        return self._adopt(bare._derive(origin=origin, notes=(says,)))

    def take_step(self, step: "Step") -> Self:
        """Take a step made elsewhere: a finding's remedy, a step of a plan."""
        from comb.reading.source_texts import source_texts
        from comb.steps.accounting import take_step
        from comb.steps.base import Step

        if not isinstance(step, Step):
            some = "some findings have no remedy; the methods of a table take steps too"
            raise ParameterError(f"expected a step, got {step!r}", remedy=some)
        begun = perf_counter()
        taken = take_step(step, self, self._others, source_texts)
        log.debug("%s in %.3f s: %s", step.name, perf_counter() - begun, taken.entry.says)
        made = self._adopt(taken.table, (*self._steps, step), (*self._entries, taken.entry))
        made._others, made._begun = self._others, self._begun or self.origin
        made._records = (*self._records, taken.record)
        return made

    def _beside(self, other: BareTable) -> tuple[Self, str]:
        """Return this table beside another, and the name by which its steps know it."""
        if not isinstance(other, StepTable):
            raise ParameterError(
                f"expected a table, got {type(other).__name__}", remedy="load it first: comb.load(...)"
            )
        name = _name_beside(other.origin)
        title = _unique(name, [one for one, there in self._others.items() if there is not other])
        made = self._adopt(self, self._steps, self._entries)
        made._others, made._begun = {**self._others, title: other}, self._begun
        made._records = self._records
        return made, title

    def _step(self, name: str, why: str | None, at_most: int | str | None = None, /, **parameters: Any) -> Self:
        from comb.steps.catalogue import make_step

        bound = None if at_most is None else str(at_most)
        given = {key: value for key, value in {**parameters, "at_most": bound}.items() if value is not None}
        return self.take_step(make_step(name, given if why is None else {**given, "why": why}))

    def _add_plans(self, plans: "dict[str, TablePlan]", wanted: str, named: dict[int, str]) -> str:
        """Add the plans of the tables that this one was put together with, and its own behind them.

        Parameters
        ----------
        plans : dict of str to TablePlan
            Those there are, by name; none is replaced.
        wanted : str
            What this table would be called.
        named : dict of int to str
            The names of the tables that have a plan already, by identity: one that was used twice has one plan.

        Returns
        -------
        str
            What it is called.
        """
        from comb.interface.plan import table_plan

        origin = self._begun or self.origin
        if not origin.source:
            raise ParameterError(
                "a plan needs a source, this table was not loaded from a file", remedy="load it from a file"
            )
        if self.view_of is not None:
            raise ParameterError(
                f"these are {self.row_count:,} of {self.view_of:,} rows, for a look",
                remedy="call plan() on the whole table",
            )
        titles = {}
        for title, other in self._others.items():
            if id(other) not in named:
                named[id(other)] = other._add_plans(plans, title, named)
            titles[title] = named[id(other)]
        # Steps know a table by the name it had here; in the plan another may have that name.
        steps = [
            step if titles.get(step.other_table, step.other_table) == step.other_table
            else msgspec.structs.replace(step, table=titles[step.other_table])
            for step in self._steps
        ]  # fmt: skip
        name = _unique(wanted, plans)
        plans[name] = table_plan(origin, steps)
        return name


def _name_beside(origin: Origin) -> str:
    """Return what a table is called beside another: like the part of its source that it was read from."""
    stem = PurePath(origin.name).stem or "other"
    inner = origin.options.table or ""
    # A pointer ends with the key, a range of a sheet begins with the sheet.
    part = inner.rpartition("/")[2].partition("!")[0].strip()
    return stem if part in ("", "*") or part.isdigit() else part


def _unique(name: str, taken: Collection[str]) -> str:
    """Return a name that is not taken, by a number behind it.

    >>> _unique("may", ["may", "may_2"])
    'may_3'
    """
    title, number = name, 2
    while title in taken:
        title, number = f"{name}_{number}", number + 1
    return title


_PYTHON_TYPES = {
    str: "string", int: "integer", float: "number", bool: "boolean", Decimal: "decimal", date: "date",
    datetime: "datetime", time: "time", timedelta: "duration", dict: "json",
}  # fmt: skip


def type_word_of(kind: type) -> str:
    """Return the word for a type that is given as Python's own.

    >>> type_word_of(str), type_word_of(int)
    ('string', 'integer')

    Raises
    ------
    ParameterError
        If there is no such table.
    """
    if kind in _PYTHON_TYPES:
        return _PYTHON_TYPES[kind]
    words = ", ".join(_PYTHON_TYPES.values())
    raise ParameterError(f"expected the word for a type, got {kind.__name__}", remedy=f"types: {words}")


def listed(names: Names) -> list[str]:
    """Return one name, or several, as a list.

    Raises
    ------
    ParameterError
        If it is something else.
    """
    several: Any = [names] if isinstance(names, str) else names
    if isinstance(several, Iterable) and not isinstance(several, Mapping | bytes):
        found = list(several)
        if all(isinstance(name, str) for name in found):
            return found
    raise ParameterError(f"expected a name or a list of names, got {names!r}", remedy="for instance ['apiary', 'kg']")


def by_name(pairs: Mapping[str, str] | Names, example: str, *, equation: bool = False) -> dict[str, str]:
    """Return what is given by column name as a dict; a formula may be given as ``name = formula``.

    Raises
    ------
    ParameterError
        If it is something else, with the example.
    """
    if isinstance(pairs, Mapping):
        return dict(pairs)
    if equation and isinstance(pairs, str):
        name, equals, formula = pairs.partition("=")
        if equals and formula.strip() and not formula.startswith("=") and name.strip(' "').replace("_", "a").isalnum():
            return {name.strip(' "'): formula.strip()}
    raise ParameterError(f"expected what to make of each column by its name, got {pairs!r}", remedy=example)


def as_texts(values: Mapping[str, Value]) -> dict[str, str]:
    """Return parameters as the texts a plan writes."""
    return {name: plain_text(value) for name, value in values.items()}
