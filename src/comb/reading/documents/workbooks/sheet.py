"""The cells of one sheet, as a workbook holds them, whatever its format."""

import datetime
import re
from array import array
from typing import Any, NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import ContentError, ParameterError
from comb.formats.a1 import column_letters
from comb.formats.lazy_pattern import lazy_pattern
from comb.inference.typed_cells import SourceKind

_ADDRESS = lazy_pattern(r"\$?([A-Za-z]{1,3})\$?([0-9]{1,7})")

# The day from which each kind of workbook counts; 1900 is taken for a leap year by tradition.
EPOCH_1900 = datetime.date(1899, 12, 30)
MOST_SHEET_COLUMNS = 16_384
EPOCH_1904 = datetime.date(1904, 1, 1)
FIRST_SOUND_DAY = 61
LAST_DAY = 2_958_465  # 9999-12-31 by the epoch of 1900
MICROSECONDS_A_DAY = 86_400_000_000


class Formula:
    """What is noted of a formula, beside its value."""

    NONE, OTHER, SUM = range(3)


class Range(NamedTuple):
    """A rectangle of cells, from 0, both ends included."""

    top: int
    left: int
    bottom: int
    right: int

    def __str__(self) -> str:
        """Write it in A1 notation.

        >>> str(Range(2, 1, 33, 7))
        'B3:H34'
        """
        return f"{column_letters(self.left)}{self.top + 1}:{column_letters(self.right)}{self.bottom + 1}"

    def meets(self, other: "Range") -> bool:
        """Return whether two ranges have a cell in common."""
        return self.top <= other.bottom and other.top <= self.bottom and self.spans(other)

    def spans(self, other: "Range") -> bool:
        """Return whether two ranges have a column in common."""
        return self.left <= other.right and other.left <= self.right


def read_address(text: str) -> tuple[int, int]:
    """Read the address of a cell as row and column, from 0.

    >>> read_address("AB3")
    (2, 27)
    """
    match = _ADDRESS.fullmatch(text)
    if match is None:
        raise ParameterError(f"expected the address of a cell, got {text!r}", remedy="for instance B3")
    column = 0
    for letter in match[1].upper():
        column = column * 26 + ord(letter) - 64
    return int(match[2]) - 1, column - 1


def read_range(text: str) -> Range:
    """Read a range in A1 notation.

    >>> read_range("B3:H34")
    Range(top=2, left=1, bottom=33, right=7)
    """
    first, _, last = text.partition(":")
    top, left = read_address(first)
    bottom, right = read_address(last or first)
    return Range(min(top, bottom), min(left, right), max(top, bottom), max(left, right))


class CellRecords:
    """Cells that are gathered one after the other."""

    def __init__(self) -> None:
        self.rows, self.columns, self.texts = array("i"), array("i"), array("i")
        self.kinds, self.formulas, self.styles = array("B"), array("B"), array("H")
        self.numbers = array("d")

    def add(
        self, row: int, column: int, kind: int, number: float = 0.0, text: int = -1, style: int = 0, formula: int = 0
    ) -> None:
        """Add a cell; `text` is the place of its text in the sheet's list."""
        self.rows.append(row)
        self.columns.append(column)
        self.kinds.append(kind)
        self.numbers.append(number)
        self.texts.append(text)
        self.styles.append(style)
        self.formulas.append(formula)

    def extend(
        self,
        rows: NDArray[Any],
        columns: NDArray[Any],
        kinds: NDArray[Any],
        numbers: NDArray[Any],
        texts: NDArray[Any],
        formulas: NDArray[Any],
        styles: NDArray[Any],
    ) -> None:
        """Add many cells."""
        for part, values in zip(
            (self.rows, self.columns, self.kinds, self.numbers, self.texts, self.formulas, self.styles),
            (rows, columns, kinds, numbers, texts, formulas, styles),
            strict=True,
        ):
            part.frombytes(values.astype(part.typecode).tobytes())  # type: ignore[attr-defined]


class Sheet(msgspec.Struct):
    """One sheet.

    Attributes
    ----------
    name : str
    hidden : bool
    rows, columns : int32 array
        Where each cell that holds something stands, from 0, in any order.
    kinds : uint8 array
        `SourceKind`.
    numbers : float64 array
        Numbers; days from 1970 for dates, microseconds for times; 1 for true.
    texts : int32 array
        The place in `strings` of the text of a text or error.
    strings : list of str
    formulas : uint8 array
        `Formula`.
    styles : uint16 array
        The style of each cell, as the workbook numbers them.
    formats : uint8 array
        The place in `format_names` of what the number format says.
    format_names : tuple of str
        Percent, or a currency.
    merged : list of Range
    hidden_rows, hidden_columns : set of int
    references : dict of (int, int) to str
        Formulas by row and column.
    unstored : dict of (int, int) to int
        Formulas whose value the workbook does not hold, as programs write them: what is noted of each.
    written : dict of int to str
        How a number format of digits shows a number, as postcodes are: 01067; by cell.
    lines : int64 array, optional
        The line that each row begins on, from 1, where the sheet was a text.
    """

    name: str
    hidden: bool
    rows: NDArray[np.int32]
    columns: NDArray[np.int32]
    kinds: NDArray[np.uint8]
    numbers: NDArray[np.float64]
    texts: NDArray[np.int32]
    strings: list[str]
    formulas: NDArray[np.uint8]
    styles: NDArray[np.uint16]
    formats: NDArray[np.uint8]
    format_names: tuple[str, ...] = ("",)
    merged: list[Range] = msgspec.field(default_factory=list)
    hidden_rows: set[int] = msgspec.field(default_factory=set)
    hidden_columns: set[int] = msgspec.field(default_factory=set)
    references: dict[tuple[int, int], str] = msgspec.field(default_factory=dict)
    unstored: dict[tuple[int, int], int] = msgspec.field(default_factory=dict)
    written: dict[int, str] = msgspec.field(default_factory=dict)
    lines: NDArray[np.int64] | None = None

    def __len__(self) -> int:
        return len(self.rows)


def sheet_of(name: str, cells: CellRecords, strings: list[str], *, hidden: bool = False) -> Sheet:
    """Make a sheet of gathered cells; texts of nothing but spaces are no cells."""
    rows, columns = np.array(cells.rows, np.int32), np.array(cells.columns, np.int32)
    kinds, formulas, styles = (np.array(part) for part in (cells.kinds, cells.formulas, cells.styles))
    numbers, texts = np.array(cells.numbers), np.array(cells.texts, np.int32)
    empty = np.array([not text.strip() for text in strings] or [False], np.bool_)
    kept = ~((kinds == SourceKind.TEXT) & empty[np.maximum(texts, 0)])
    return Sheet(
        name, hidden, rows[kept], columns[kept], kinds[kept], numbers[kept], texts[kept], strings, formulas[kept],
        styles[kept], np.zeros(int(kept.sum()), np.uint8),
    )  # fmt: skip


def unstored_formulas(sheet: Sheet, is_sum: re.Pattern[str]) -> dict[tuple[int, int], int]:
    """Return the formulas of a sheet that have no value, by row and column."""
    if not sheet.references:
        return {}
    held = set((sheet.rows.astype(np.int64) * MOST_SHEET_COLUMNS + sheet.columns).tolist())
    return {
        place: Formula.SUM if is_sum.fullmatch(formula) else Formula.OTHER
        for place, formula in sheet.references.items()
        if place[0] * MOST_SHEET_COLUMNS + place[1] not in held
    }


def check_extent(row: int, column: int, where: str) -> None:
    """Raise a ContentError for a cell outside any sheet there is."""
    if not 0 <= row < 1_048_576 or not 0 <= column < MOST_SHEET_COLUMNS:
        raise ContentError(f"there is a cell at row {row + 1}, column {column + 1}: no sheet is so large", where=where)


def dated(
    kinds: NDArray[np.uint8], numbers: NDArray[np.float64], wanted: NDArray[np.uint8], *, from_1904: bool
) -> None:
    """Turn day counts into dates, date-times and times, in place.

    Parameters
    ----------
    kinds, numbers : array
    wanted : uint8 array
        What the number format of each cell shows: `SourceKind.DATE`, ``DATETIME``, ``TIME``
        or ``DURATION``; 0 where it shows a number.
    from_1904 : bool
        Whether days are counted from 1904 instead of 1900.
    """
    at = np.flatnonzero((kinds == SourceKind.NUMBER) & (wanted != 0))
    if not len(at):
        return
    days = numbers[at]
    asked = wanted[at]
    epoch = EPOCH_1904 if from_1904 else EPOCH_1900
    # Before March 1900 the day that never was is not counted yet.
    early = (days < FIRST_SOUND_DAY - 1) & (not from_1904)
    offset = (epoch - datetime.date(1970, 1, 1)).days
    shifted = days + offset + early
    spans = (asked == SourceKind.DURATION) | ((asked == SourceKind.TIME) & (days >= 0) & (days < 1))
    sound = (days >= 0) & (days <= LAST_DAY)
    # A day count has no more than milliseconds in it: the rest is the rounding of floats.
    micro = np.round(np.where(spans, days, np.where(sound, shifted, 0.0)) * (MICROSECONDS_A_DAY / 1000)) * 1000
    whole = (micro % MICROSECONDS_A_DAY == 0) & ~spans & (asked == SourceKind.DATE)
    whole |= (micro % MICROSECONDS_A_DAY == 0) & (asked == SourceKind.DATETIME)
    kind = np.where(spans, asked, np.where(whole, SourceKind.DATE, SourceKind.DATETIME)).astype(np.uint8)
    usable = spans | sound
    at, kind, micro, whole = at[usable], kind[usable], micro[usable], whole[usable]
    kinds[at] = kind
    numbers[at] = np.where(whole, micro / MICROSECONDS_A_DAY, micro)
