"""Sources that were looked at, that show themselves."""

from comb.interface.shown.shown import WIDTH, Shown
from comb.reading.folder import FolderInspection
from comb.reading.inspect import Inspection
from comb.tables.layout import Line
from comb.views.inspections import folder_view, inspection_view


class ShownInspection(Shown, Inspection, frozen=True):
    """An inspection that shows itself; see `comb.reading.inspect.Inspection`."""

    def _lines(self) -> list[Line]:
        return inspection_view(self, WIDTH)


class ShownFolder(Shown, FolderInspection, frozen=True):
    """What is in a folder, that shows itself; see `comb.reading.folder.FolderInspection`."""

    def _lines(self) -> list[Line]:
        return folder_view(self, WIDTH)
