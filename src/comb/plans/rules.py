"""Rules: what rows, groups, keys and sums of a table have to be, and what happens where they are not.

There are five kinds, told apart by the fields that are given:

- ``check``: a condition. Of columns, it is held against every row; of aggregates only (``count(*) = 12``), against
  each group of `by`, or against the table where `by` names none.
- ``formula`` with ``equals``: a figure that the table has to give, within a bound; `source` says where it was
  published.
- ``unique``: columns whose values no two rows share. Rows without any of them are not checked.
- ``by`` with ``found_in``: keys that another table of the plan has. A missing key is not checked.

Where a rule is broken, it is reported; or the rows are set aside, or named in a column, which are steps like any other,
with their entries in the ledger; or the run stops, before anything is written.
"""

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.errors import ParameterError, PlanError, agree, counted, unknown_name
from comb.expressions.aggregates import Groups
from comb.expressions.check import Given
from comb.expressions.evaluate import evaluate_condition, evaluate_groups
from comb.expressions.nodes import AggregateCall, Name, Node, children
from comb.expressions.parser import parse
from comb.kernels.grouping import Codes, group
from comb.plans.model import Rule
from comb.steps.base import Change, SetAside, Step, chosen
from comb.steps.joins import Join
from comb.tables.cell_source import NO_PLACE
from comb.tables.column import Column
from comb.tables.names import check_known
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import STRING

# The column that names the rules a row breaks.
MARK = "broken_rules"

NO_ROWS = np.zeros(0, np.int64)


class RuleResult(msgspec.Struct, frozen=True):
    """How a table stands to a rule.

    Attributes
    ----------
    rule : Rule
    met, broken, not_checked : int
        Of what `unit` says; not checked are those for which the condition is unknown.
    rows : int64 array
        Row numbers of those that break it.
    positions : int64 array
        Where they are in the table, from 0.
    unknown : int64 array
        Row numbers of those not checked.
    unit : str
        ``row``, ``group``, ``figure`` or ``table``.
    found : str
        What the table gives, where a rule compares it with a figure.
    """

    rule: Rule
    met: int
    broken: int
    not_checked: int
    rows: Codes
    positions: Codes = msgspec.field(default_factory=lambda: NO_ROWS)
    unknown: Codes = msgspec.field(default_factory=lambda: NO_ROWS)
    unit: str = "row"
    found: str = ""

    def of_row(self, row_number: int) -> str:
        """Say how one row stands to the rule: met, broken, not checked; empty for a rule of the whole table."""
        if self.unit in ("figure", "table"):
            return ""
        if row_number in self.rows:
            return "broken"
        return "not checked" if row_number in self.unknown else "met"


def check_rule(rule: Rule, table: BareTable, others: Mapping[str, BareTable], as_of: date | None = None) -> RuleResult:
    """Hold a table against a rule.

    Parameters
    ----------
    rule : Rule
    table : BareTable
    others : mapping of str to BareTable
        The tables that a rule may look keys up in.
    as_of : date, optional
        The day that ``current_date`` means.

    Raises
    ------
    CombError
        If the rule names what is not there, or its fields do not go together.
    """
    kind = kind_of(rule)
    if kind == "unique":
        return _unique(rule, table)
    if kind == "found_in":
        return _found_in(rule, table, others)
    if kind == "formula":
        return _figure(rule, table, Given(as_of))
    return _condition(rule, table, Given(as_of))


_KINDS = ("check", "formula", "unique", "found_in")
_GOES_WITH = {"equals": "formula", "within": "formula"}


def kind_of(rule: Rule) -> str:
    """Return which kind a rule is of.

    Raises
    ------
    ParameterError
        If its fields do not go together.
    """
    given = [name for name in _KINDS if getattr(rule, name)]
    if len(given) != 1:
        raise ParameterError(
            f"expected one of {', '.join(_KINDS)} in a rule, got {', '.join(given) or 'none'}",
            remedy="check: kg > 0; formula: sum(kg) with equals: 26.8; unique: colony; by: place with found_in: places",
        )
    kind = given[0]
    for name, owner in _GOES_WITH.items():
        if getattr(rule, name) is not None and kind != owner:
            raise ParameterError(f"{name} goes with {owner}, not with {kind}")
    if kind == "formula" and rule.equals is None:
        raise ParameterError("expected equals: the figure that the formula has to give")
    if kind == "found_in" and not rule.by:
        raise ParameterError("expected by: the keys to look up", remedy="by: apiary, or by: apiary = name")
    if kind == "unique" and rule.by:
        raise ParameterError("by does not go with unique: name the columns there")
    if kind == "formula" and rule.otherwise in ("set aside", "mark"):
        raise ParameterError(f"a figure has no rows to {rule.otherwise}", remedy="otherwise: report, or stop")
    return kind


def _condition(rule: Rule, table: BareTable, given: Given) -> RuleResult:
    text = str(rule.check)
    names = chosen(table, rule.by) if rule.by else []
    groups = Groups.by(table, names)
    if _of_groups(parse(text), names):
        if names and not table.row_count:
            return _of_whole(rule, table, evaluate_condition(text, table, given), "group")
        given = Given(given.as_of, given.parameters, frozenset(names))
        results = evaluate_groups(text, table, groups, given)
        if results.type.word != "boolean":
            evaluate_condition(text, table, Given(given.as_of))
        rows = results._take(groups.codes)
        made = _of_whole(rule, table, results, "group" if names else "table")
        if not names:
            return made
        broken = np.flatnonzero(rows.present & ~rows.array)
        unknown = table.row_numbers[rows.missing]
        return replace(made, rows=table.row_numbers[broken], positions=broken, unknown=unknown)
    result = evaluate_condition(text, table, given, groups)
    made = _of_whole(rule, table, result, "row")
    broken = np.flatnonzero(result.present & ~result.array)
    unknown = table.row_numbers[result.missing]
    return replace(made, rows=table.row_numbers[broken], positions=broken, unknown=unknown)


def _of_whole(rule: Rule, table: BareTable, result: Column, unit: str) -> RuleResult:
    broken = int(np.count_nonzero(result.present & ~result.array))
    unknown = result.missing_count
    if rule.otherwise in ("set aside", "mark") and unit == "table":
        raise ParameterError(
            f"a rule about the whole table has no rows to {rule.otherwise}", remedy="otherwise: report, or stop"
        )
    return RuleResult(rule, len(result) - broken - unknown, broken, unknown, NO_ROWS, unit=unit)


def _of_groups(node: Node, keys: Sequence[str]) -> bool:
    """Return whether a condition has one value for each group: aggregates, and no column beside them but the keys."""
    found = False

    def plain(part: Node) -> bool:
        nonlocal found
        if isinstance(part, AggregateCall):
            found = found or part.over is None
            return part.over is None
        if isinstance(part, Name):
            return part.name in keys
        return all(plain(child) for child in children(part))

    return plain(node) and found


def _figure(rule: Rule, table: BareTable, given: Given) -> RuleResult:
    names = chosen(table, rule.by) if rule.by else []
    if names:
        raise ParameterError("a figure is one of the whole table", remedy="count(*) filter (where state = 'Ohm')")
    column = evaluate_groups(
        str(rule.formula), table, Groups.whole(table.row_count), Given(given.as_of, keys=frozenset())
    )
    if not column.type.numeric:
        raise ParameterError(f"expected a formula that gives a number, {rule.formula} is {column.type}")
    found = column.texts()[0]
    if found is None:
        return RuleResult(rule, 0, 0, 1, NO_ROWS, unit="figure", found=f"({column.reasons()[0]})")
    off = abs(float(found) - float(rule.equals or 0))
    # A figure with digits after the point was rounded when it was written; the bound is meant as written too.
    met = off <= float(rule.within or 0) * (1 + 1e-12) + abs(float(rule.equals or 0)) * 1e-15
    return RuleResult(rule, int(met), int(not met), 0, NO_ROWS, unit="figure", found=found)


def _unique(rule: Rule, table: BareTable) -> RuleResult:
    names = chosen(table, rule.unique)
    lacking = np.any([table[name].missing for name in names], axis=0)
    rows = np.flatnonzero(~lacking)
    _, first = group([table[name]._take(rows)._codes() for name in names], len(rows))
    again = np.ones(len(rows), np.bool_)
    if len(rows):
        again[first] = False
    broken = rows[again]
    return RuleResult(
        rule, len(rows) - len(broken), len(broken), int(lacking.sum()), table.row_numbers[broken], broken,
        table.row_numbers[lacking],
    )  # fmt: skip


def _found_in(rule: Rule, table: BareTable, others: Mapping[str, BareTable]) -> RuleResult:
    other = str(rule.found_in)
    if other not in others:
        what, remedy = unknown_name("table", other, list(others))
        raise ParameterError(what, remedy=remedy)
    change = Join(table=other, by=rule.by, add_columns=False, rows="unmatched").apply_with(table, others[other])
    lost = np.arange(table.row_count) if change.sources is None else change.sources
    mine = [one if one in table else one.partition("=")[0].strip() for one in rule.by]
    lacking = np.any([table[check_known(name, table.names)].missing for name in mine], axis=0)
    broken = lost[~lacking[lost]]
    unknown = np.flatnonzero(lacking)
    met = table.row_count - len(broken) - len(unknown)
    numbers = table.row_numbers
    return RuleResult(rule, met, len(broken), len(unknown), numbers[broken], broken, numbers[unknown])


def stopped(result: RuleResult, table: BareTable) -> PlanError:
    """Return the error of a rule that stops the run."""
    rule = result.rule
    if result.unit == "figure":
        bound = f" within {rule.within}" if rule.within else ""
        return PlanError(
            f"{rule.formula} is {result.found}, expected {rule.equals}{bound}", remedy=rule.why or rule.source
        )
    where = ", ".join(table.place(number) for number in result.rows[:3].tolist())
    breaks = agree(result.broken, "breaks", "break")
    what = f"{counted(result.broken, result.unit)} {breaks} the rule {rule.says!r}"
    return PlanError(f"{what}: {where}" if where else what, remedy=rule.why)


class BrokenAside(Step, frozen=True, tag="set_aside"):
    """Set aside the rows that break a rule; made by a run, not written in plans.

    Parameters
    ----------
    rows : list of int
        Positions.
    says : str
        The rule.
    """

    rows: list[int]
    says: str

    def apply(self, table: BareTable) -> Change:
        """Set them aside."""
        gone: Codes = np.array(self.rows, np.int64)
        positions = np.setdiff1d(np.arange(table.row_count), gone, assume_unique=True)
        reasons = (f"breaks the rule {self.says}",) * len(gone)
        return Change.of_rows(table, positions, set_aside=SetAside(gone, reasons))

    def describe(self) -> str:
        """Name the rule."""
        return f"rows that break the rule {self.says} set aside"


class BrokenMarked(Step, frozen=True, tag="mark_rows"):
    """Name the rules that rows break in a column; made by a run, not written in plans.

    Parameters
    ----------
    rows : list of list of int
        For each rule the positions of the rows that break it.
    says : list of str
        The rules.
    """

    rows: list[list[int]]
    says: list[str]

    def apply(self, table: BareTable) -> Change:
        """Add the column."""
        if MARK in table:
            raise ParameterError(f"there would be two columns named {MARK!r}", remedy=f"rename the column {MARK}")
        named: dict[int, list[str]] = {}
        for rows, rule in zip(self.rows, self.says, strict=True):
            for row in rows:
                named.setdefault(row, []).append(rule)
        texts = ["; ".join(named.get(row, ())) for row in range(table.row_count)]
        state = np.array([not text for text in texts], np.uint8) * np.uint8(Reason.ABSENT)
        return Change(table._extended(MARK, Column(STRING, Text.from_strings(texts), state, source=NO_PLACE)))

    def describe(self) -> str:
        """Name the rules."""
        return f"rows that break a rule named in {MARK}: {'; '.join(self.says)}"


def required_columns(rules: Sequence[Rule]) -> frozenset[str]:
    """Return the columns that rules say have a value in every row: ``kg is not null``, and keys that are unique."""
    found: set[str] = set()
    for rule in rules:
        if not rule.check:
            continue
        record: Any = parse(rule.check)
        if type(record).__name__ == "IsNull" and record.negated and isinstance(record.operand, Name):
            found.add(record.operand.name)
    return frozenset(found)


def rule_record(result: RuleResult) -> dict[str, Any]:
    """Return a result as plain values, for JSON."""
    given = {name: value for name, value in msgspec.to_builtins(result.rule).items() if value}
    return {
        "rule": result.rule.says, "of": result.unit, "met": result.met, "broken": result.broken,
        "not_checked": result.not_checked, "rows": result.rows.tolist(),
        **({"found": result.found} if result.found else {}), **given,
    }  # fmt: skip
