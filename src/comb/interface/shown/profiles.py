"""Profiles, of a table and of one column, that show themselves."""

from comb.interface.shown.shown import WIDTH, Shown
from comb.profiling.column_details import ColumnDetails
from comb.profiling.profile import Profile
from comb.tables.layout import Line
from comb.views.columns import details_lines
from comb.views.profiles import profile_view


class ShownProfile(Shown, Profile, frozen=True):
    """A profile that shows itself; see `comb.profiling.profile.Profile`."""

    def _lines(self) -> list[Line]:
        return profile_view(self, WIDTH)


class ShownDetails(Shown, ColumnDetails, frozen=True):
    """Everything about a column, that shows itself; see `comb.profiling.column_details.ColumnDetails`."""

    def _lines(self) -> list[Line]:
        return details_lines(self, width=WIDTH)
