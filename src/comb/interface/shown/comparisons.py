"""Comparisons of groups, that show themselves."""

from comb.interface.shown.shown import WIDTH, Shown
from comb.statistics.group_comparison import GroupComparison
from comb.tables.layout import Line
from comb.views.comparisons import comparison_lines


class ShownComparison(Shown, GroupComparison, frozen=True):
    """A comparison of groups that shows itself; see `comb.statistics.group_comparison.GroupComparison`."""

    def _lines(self) -> list[Line]:
        return comparison_lines(self, "", WIDTH)
