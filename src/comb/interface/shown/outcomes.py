"""The outcome of a plan, that shows itself."""

from comb.interface.report import Report
from comb.interface.shown.shown import WIDTH, Shown
from comb.plans.outcome import Outcome
from comb.plans.reporting import outcome_parts
from comb.tables.layout import Line
from comb.views.runs import run_view


class ShownOutcome(Shown, Outcome, frozen=True):
    """The outcome of a plan, that shows itself; see `comb.plans.run.Outcome`."""

    def _lines(self) -> list[Line]:
        return run_view(self, WIDTH)

    def report(self) -> Report:
        """Return the report on what the plan did: rows, columns, findings, rules, changes, pictures.

        Returns
        -------
        Report
            To be saved as a page or as Markdown. Cost: a profile of each result.
        """
        return Report(outcome_parts(self.plan, self))
