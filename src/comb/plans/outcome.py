"""What a plan came to. Plain values."""

from typing import Any

import msgspec

from comb.plans.answers import Answers
from comb.plans.model import PlanText
from comb.plans.pictures import DrawnPicture
from comb.plans.rules import RuleResult
from comb.profiling.differences import Comparison
from comb.steps.accounting import Taken, ledger_of
from comb.steps.ledger import Entry, total
from comb.tables.origin import Origin


class Outcome(msgspec.Struct, frozen=True):
    """What a plan came to.

    Attributes
    ----------
    tables : dict of str to table
        After all steps.
    taken : dict of str to list of Taken
        The steps of each table, in order.
    rules : dict of str to list of RuleResult
    saved : list of str
        Paths written.
    sources : dict of str to Origin
        Of each table that was loaded.
    messages : list of str
        What is odd about the sources: one is not what it was, or is a result of this plan.
    refusals : list of str
        Of a dry run: why a run would be refused, since an output cannot be written.
    begun_from : dict of str to str
        For a table that builds on another the name of that.
    comparisons : dict of str to Comparison
        For tables with another source than the plan was made on: what is different about it.
    answers : dict of str to Answers
        What came of the sheets of answers.
    loaded : dict of str to table
        As they were loaded; kept in a dry run only.
    pictures : list of DrawnPicture
    plan : PlanText
        What was run.
    """

    tables: dict[str, Any] = msgspec.field(default_factory=dict)
    taken: dict[str, list[Taken]] = msgspec.field(default_factory=dict)
    rules: dict[str, list[RuleResult]] = msgspec.field(default_factory=dict)
    saved: list[str] = msgspec.field(default_factory=list)
    sources: dict[str, Origin] = msgspec.field(default_factory=dict)
    messages: list[str] = msgspec.field(default_factory=list)
    refusals: list[str] = msgspec.field(default_factory=list)
    begun_from: dict[str, str] = msgspec.field(default_factory=dict)
    comparisons: dict[str, Comparison] = msgspec.field(default_factory=dict)
    answers: dict[str, Answers] = msgspec.field(default_factory=dict)
    loaded: dict[str, Any] = msgspec.field(default_factory=dict)
    pictures: list[DrawnPicture] = msgspec.field(default_factory=list)
    plan: PlanText = msgspec.field(default_factory=lambda: PlanText(tables={}))

    def loaded_for(self, name: str) -> Any:
        """Return the table that was loaded, from which a table was made; None if it was not kept."""
        return self.loaded_for(self.begun_from[name]) if name in self.begun_from else self.loaded.get(name)

    def history(self, name: str) -> list[Taken]:
        """Return all steps that led to a table, those of the table it builds on first."""
        begun = self.begun_from.get(name)
        return [*(self.history(begun) if begun else []), *self.taken[name]]

    @property
    def ledger(self) -> dict[str, list[Entry]]:
        """What became of the lines of each source, and what each step of each table did."""
        return {name: ledger_of(name, steps, self.sources) for name, steps in self.taken.items()}

    @property
    def adds_up(self) -> bool:
        """Whether every step, and every table in total, accounts for all of its rows."""
        return all(
            all(entry.adds_up for entry in entries) and (not entries or total(entries).adds_up)
            for entries in self.ledger.values()
        )

    @property
    def found(self) -> int:
        """How often a rule is broken, and how many differences there are to the files that the plan was made on."""
        return self.broken + sum(one.count for one in self.comparisons.values())

    @property
    def broken(self) -> int:
        """How many rows break a rule."""
        return sum(result.broken for results in self.rules.values() for result in results)
