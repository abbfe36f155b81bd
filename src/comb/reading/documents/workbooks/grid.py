"""A sheet as a grid without its far gaps: where cells stand, and what kind each is."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from comb.errors import ContentError
from comb.inference.typed_cells import SourceKind, TypedCells
from comb.kernels.grouping import Codes
from comb.reading.documents.workbooks.sheet import Range, Sheet

# More places than this are not laid out, however few of them hold something.
MOST_PLACES = 100_000_000


class SheetGrid:
    """The cells of a sheet by place; a gap of several empty rows or columns counts as one.

    Parameters
    ----------
    sheet : Sheet
    name : str
        What to call the workbook in messages.

    Attributes
    ----------
    rows, columns : int64 array
        The row and column of the sheet for each of the grid.
    at : int32 array of rows by columns
        The position of each cell in the sheet, -1 where nothing stands.
    filled : bool array of rows by columns
        Whether a place is filled, or a merged cell covers it.
    merged : list of Range
        In places of the grid.
    """

    def __init__(self, sheet: Sheet, name: str) -> None:
        self.sheet = sheet
        self.rows, row_places = _places(sheet.rows)
        self.columns, column_places = _places(sheet.columns)
        if len(self.rows) * len(self.columns) > MOST_PLACES:
            extent = f"{len(self.rows):,} rows and {len(self.columns):,} columns"
            raise ContentError(
                f"the cells of {sheet.name} are scattered over {extent}",
                where=name,
                remedy=f"name a range: table='{sheet.name}!A1:H100'",
            )
        self.at = np.full((len(self.rows), len(self.columns)), -1, np.int32)
        self.at[row_places, column_places] = np.arange(len(sheet))
        self.filled = self.at >= 0
        self.merged: list[Range] = []
        for area in sheet.merged:
            top, bottom = np.searchsorted(self.rows, [area.top, area.bottom + 1]).tolist()
            left, right = np.searchsorted(self.columns, [area.left, area.right + 1]).tolist()
            if top < bottom and left < right and self.at[top, left] >= 0:
                self.merged.append(Range(top, left, bottom - 1, right - 1))
                self.filled[top:bottom, left:right] = True

    def kinds(self, rows: Sequence[int] | Codes, column: int) -> NDArray[np.uint8]:
        """Return the kinds of cells of some rows in a column."""
        at = self.at[rows, column]
        return np.where(at >= 0, self.sheet.kinds[at], np.uint8(SourceKind.EMPTY))

    def numbers(self, rows: Sequence[int] | Codes, column: int) -> NDArray[np.float64]:
        """Return the numbers of some rows in a column; NaN where there is not one."""
        at = self.at[rows, column]
        return np.where((at >= 0) & (self.sheet.kinds[at] == SourceKind.NUMBER), self.sheet.numbers[at], np.nan)

    def formulas(self, rows: Sequence[int] | Codes, column: int) -> NDArray[np.uint8]:
        """Return what is noted of the formulas of some rows in a column."""
        at = self.at[rows, column]
        return np.where(at >= 0, self.sheet.formulas[at], np.uint8(0))

    def cells(self, rows: Codes, column: int) -> TypedCells:
        """Return the cells of some rows in a column."""
        sheet, at = self.sheet, self.at[rows, column]
        here = at >= 0
        return TypedCells(
            np.where(here, sheet.kinds[at], np.uint8(SourceKind.EMPTY)),
            np.where(here, sheet.numbers[at], 0.0),
            np.where(here, sheet.texts[at], -1),
            sheet.strings,
        )

    def text(self, row: int, column: int) -> str:
        """Return a cell as text; empty where nothing stands."""
        return self.cells(np.array([row]), column).written(np.array([0]))[0] if self.at[row, column] >= 0 else ""

    def texts(self, row: int, left: int, right: int) -> list[str]:
        """Return the cells of a row as texts, both ends included."""
        return [self.text(row, column) for column in range(left, right + 1)]

    def texts_of(self, rows: Codes, column: int) -> list[str]:
        """Return the cells of some rows in a column as texts."""
        return self.cells(rows, column).written(np.arange(len(rows)))

    def range(self, area: Range) -> Range:
        """Return a range of the grid as one of the sheet."""
        rows, columns = self.rows, self.columns
        return Range(int(rows[area.top]), int(columns[area.left]), int(rows[area.bottom]), int(columns[area.right]))

    def inside(self, area: Range) -> Range | None:
        """Return the part of the grid that a range of the sheet takes; None if it is empty."""
        top, bottom = np.searchsorted(self.rows, [area.top, area.bottom + 1]).tolist()
        left, right = np.searchsorted(self.columns, [area.left, area.right + 1]).tolist()
        if top >= bottom or left >= right or not self.filled[top:bottom, left:right].any():
            return None
        return Range(top, left, bottom - 1, right - 1)


def _places(lines: NDArray[np.int32]) -> tuple[Codes, Codes]:
    """Return the line of each place of the grid, and the place of each cell; gaps shrink to one."""
    used, inverse = np.unique(lines, return_inverse=True)
    if not len(used):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    steps = np.minimum(np.diff(used, prepend=used[0]), 2)
    places = np.cumsum(steps)
    line_of = np.zeros(int(places[-1]) + 1, np.int64)
    # An empty place stands for the first line of its gap.
    line_of[places] = used
    gaps = np.setdiff1d(np.arange(len(line_of)), places)
    line_of[gaps] = line_of[gaps - 1] + 1
    return line_of, places[inverse]
