"""What goes on the sheets of a workbook, whatever its format, and what does not fit on one."""

from collections.abc import Iterable, Mapping, Sequence

import msgspec
import numpy as np

from comb.errors import ParameterError
from comb.formats.lazy_pattern import lazy_pattern
from comb.profiling.summaries import summaries_of
from comb.report.dictionary import missing_words, values_words
from comb.steps.ledger import Entry, first_number
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER, STRING

MOST_ROWS = 1_048_576
MOST_COLUMNS = 16_384
MOST_CHARACTERS = 32_767
MOST_SHEET_NAME = 31

# Spreadsheet programs hold every number as a float.
EXACT_WHOLE = 2**53
EXACT_DIGITS = 15

# A sheet counts its days from 1900.
FIRST_DAY = np.datetime64("1900-03-01", "D")

# No count of days of a sheet is longer.
LONGEST_SPAN = np.timedelta64(2_958_465, "D")

LEAST_WIDTH, MOST_WIDTH = 8, 60
ROWS_MEASURED = 1_000

DICTIONARY, LEDGER = "dictionary", "ledger"

_NOT_IN_NAMES = lazy_pattern(r"[\[\]:*?/\\]")


class SheetText(msgspec.Struct, frozen=True):
    """A table that goes on a sheet."""

    name: str
    table: BareTable


def sheets_of(tables: Mapping[str, BareTable], taken: Mapping[str, Sequence[Entry]] | None = None) -> list[SheetText]:
    """Return the sheets of a workbook: the tables, and, if asked for, how they are described and came about.

    Parameters
    ----------
    tables : mapping of str to BareTable
    taken : mapping of str to sequence of Entry, optional
        The ledger of each table; with it come a sheet for the dictionary and one for the ledger.

    Raises
    ------
    ParameterError
        If a table does not fit on a sheet: it says what does not, and the way out.
    """
    whole = dict(tables)
    if taken is not None:
        whole[DICTIONARY] = _dictionary(tables)
        whole[LEDGER] = _ledger(taken)
    names = _sheet_names(list(whole))
    for name, table in whole.items():
        check_fits(table, name)
    return [SheetText(names[name], table) for name, table in whole.items()]


def _sheet_names(names: list[str]) -> dict[str, str]:
    """Make names that every spreadsheet program takes, all different."""
    made: dict[str, str] = {}
    used: set[str] = set()
    for name in names:
        plain = _NOT_IN_NAMES.sub("_", name).strip("' ")[:MOST_SHEET_NAME] or "table"
        number = 2
        chosen = plain
        while chosen.casefold() in used:
            chosen = f"{plain[: MOST_SHEET_NAME - 4]}_{number}"
            number += 1
        used.add(chosen.casefold())
        made[name] = chosen
    return made


def _strings(columns: Mapping[str, Iterable[str]]) -> BareTable:
    return BareTable({name: Column(STRING, Text.from_strings(list(cells))) for name, cells in columns.items()})


def _dictionary(tables: Mapping[str, BareTable]) -> BareTable:
    rows = [
        (name, title, column.type.in_full, values_words(summary), missing_words(summary), column.description)
        for name, table in tables.items()
        for (title, column), summary in zip(table.columns.items(), summaries_of(table), strict=True)
    ]
    heads = ("table", "column", "type", "values", "missing", "description")
    return _strings(dict(zip(heads, zip(*rows, strict=True) if rows else [()] * len(heads), strict=True)))


def _ledger(taken: Mapping[str, Sequence[Entry]]) -> BareTable:
    lines = [
        {"table": name, "number": number, **msgspec.to_builtins(entry)}
        for name, entries in taken.items()
        for number, entry in enumerate(entries, first_number(entries))
    ]
    heads = list(dict.fromkeys(["table", "number", *(key for line in lines for key in line)]))
    columns: dict[str, Column] = {}
    for head in heads:
        cells = [line.get(head) for line in lines]
        if cells and all(isinstance(cell, int) and not isinstance(cell, bool) for cell in cells):
            columns[head] = Column(INTEGER, np.array(cells, np.int64))
        else:
            texts = [cell if isinstance(cell, str) else "" if cell is None else str(cell) for cell in cells]
            columns[head] = Column._of_strings([text[:MOST_CHARACTERS] or None for text in texts])
    return BareTable(columns)


def check_fits(table: BareTable, name: str) -> None:
    """Raise a ParameterError for a table that a sheet would not hold as it is."""
    if table.row_count >= MOST_ROWS:
        raise ParameterError(
            f"{name} has {table.row_count:,} rows, a sheet holds {MOST_ROWS - 1:,} below its header",
            remedy="save it as .csv, or filter it first",
        )
    if len(table.names) > MOST_COLUMNS:
        raise ParameterError(
            f"{name} has {len(table.names):,} columns, a sheet holds {MOST_COLUMNS:,}", remedy="save it as .csv"
        )
    for title, column in table.columns.items():
        wrong, why, remedy = _not_fitting(column)
        if len(wrong):
            row = int(table.row_numbers[wrong[0]])
            raise ParameterError(f"row {row} of {title!r} {why} ({len(wrong):,} such cells)", remedy=remedy)


def _not_fitting(column: Column) -> tuple[np.ndarray, str, str]:
    """Return the cells of a column that a sheet would change, why, and what to do."""
    present, as_text = column.present, "convert the column to string first, or save as .csv"
    if column.type.textual:
        long = column.text.flags(lambda text: len(text) > MOST_CHARACTERS)
        message = f"has more than the {MOST_CHARACTERS:,} characters a cell of a workbook holds"
        return np.flatnonzero(long & present), message, "save it as .csv"
    if column.type.storage == "int64":
        most = EXACT_WHOLE if column.type.plain.word == "integer" else 10**EXACT_DIGITS
        large = (column.array >= most) | (column.array <= -most)
        return np.flatnonzero(large & present), "has more digits than a workbook keeps", as_text
    if column.type.plain.word == "duration":
        odd = ((column.array < np.timedelta64(0, "us")) | (column.array > LONGEST_SPAN)) & present
        if odd.any():
            return np.flatnonzero(odd), "is a duration that a workbook does not show", as_text
    if column.type.word == "datetime" or column.type.plain.word in ("time", "duration"):
        fine = column.array.astype(np.int64) % 1000 != 0
        if (fine & present).any():
            return np.flatnonzero(fine & present), "has parts of a millisecond, which a workbook does not keep", as_text
    if column.type.plain.word in ("date", "datetime"):
        early = column.array < FIRST_DAY
        return (
            np.flatnonzero(early & present),
            "is before March 1900, where programs count the days of workbooks differently",
            as_text,
        )
    return np.zeros(0, np.int64), "", ""


def width_of(name: str, column: Column) -> int:
    """Return how many characters wide a column should be shown."""
    shown = column._take(np.arange(min(len(column), ROWS_MEASURED))).texts()
    longest = max((len(line) for text in shown if text for line in text.split("\n")[:1]), default=0)
    # The button of the filter takes some of the header.
    return max(LEAST_WIDTH, min(MOST_WIDTH, max(longest, len(name) + 2) + 2))
