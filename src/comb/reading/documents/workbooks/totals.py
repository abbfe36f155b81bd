"""Rows and columns that are totals: known by a word, by their formulas, or by arithmetic."""

import numpy as np

from comb.inference.typed_cells import SourceKind
from comb.kernels.grouping import Codes
from comb.kernels.scalars import fold
from comb.reading.documents.workbooks.grid import SheetGrid
from comb.reading.documents.workbooks.sheet import Formula

TOTAL_WORDS = frozenset({
    "total", "totals", "sum", "sums", "subtotal", "sub-total", "grand", "overall", "altogether", "summe", "gesamt",
    "gesamtsumme", "zwischensumme", "insgesamt", "total:", "somme", "ensemble", "suma", "totale", "totales", "totaux",
})  # fmt: skip

# Sums of floats differ by rounding; sums that were rounded to be looked at, by a little more.
CLOSE = 1e-9

# Arithmetic alone convinces with this many numbers added up.
LEAST_ADDED = 3
LEAST_SHARE = 0.9
MOSTLY = 0.5


def is_total_word(text: str) -> bool:
    """Return whether a label says that its row or column sums up others.

    >>> is_total_word("Total:"), is_total_word("Summe 2026"), is_total_word("Totnes")
    (True, True, False)
    """
    words = fold(text.strip()).rstrip(":").split()
    return bool(words) and (words[0].rstrip(":") in TOTAL_WORDS or words[-1] in TOTAL_WORDS)


def _worded(grid: SheetGrid, body: Codes, columns: list[int]) -> np.ndarray:
    """Return for each row whether its first text is a word for totals."""
    at = grid.at[body][:, columns]
    first = at[np.arange(len(body)), np.argmax(at >= 0, axis=1)]
    labels = np.where((first >= 0) & (grid.sheet.kinds[first] == SourceKind.TEXT), grid.sheet.texts[first], -1)
    known, codes = np.unique(labels, return_inverse=True)
    return np.array([at >= 0 and is_total_word(grid.sheet.strings[at]) for at in known.tolist()], np.bool_)[codes]


def has_total_word(grid: SheetGrid, row: int, left: int, right: int) -> bool:
    """Return whether the first text of a row is a word for totals."""
    for column in range(left, right + 1):
        if grid.at[row, column] >= 0:
            return int(grid.kinds([row], column)[0]) == SourceKind.TEXT and is_total_word(grid.text(row, column))
    return False


def totals_among_rows(grid: SheetGrid, body: Codes, columns: list[int]) -> dict[int, str]:
    """Return the rows that sum up others, and why they are taken for that."""
    if len(body) < 2:
        return {}
    numbers = np.array([grid.numbers(body, column) for column in columns])
    given = ~np.isnan(numbers)
    sums = np.array([grid.formulas(body, column) == Formula.SUM for column in columns])
    found: dict[int, str] = {}
    worded = _worded(grid, body, columns)
    # A column of sums across has them in every row; a totals row has them where others have none.
    usual = sums.mean(axis=1) > MOSTLY
    rare = (sums & given & ~usual[:, None]).any(axis=0)
    added = rare & (2 * (sums & given).sum(axis=0) >= given.sum(axis=0))
    for at in np.flatnonzero(given.any(axis=0) & (worded | added)).tolist():
        found[int(body[at])] = "its label says so" if worded[at] else "its formulas add up the rows above"
    last = len(body) - 1
    if int(body[last]) not in found and _adds_up(
        numbers, [at for at in range(last) if int(body[at]) not in found], last
    ):
        found[int(body[last])] = "its numbers are the sums of the others"
    return found


def _adds_up(numbers: np.ndarray, others: list[int], last: int) -> bool:
    """Return whether every number of the last row is the sum of those above it."""
    used = ~np.isnan(numbers[:, last])
    if len(others) < LEAST_ADDED or not used.any():
        return False
    above = np.nan_to_num(numbers[np.ix_(used, others)])
    sums, wanted = above.sum(axis=1), numbers[used, last]
    added = (above != 0).sum(axis=1)
    return bool(
        (_close(sums, wanted)).all() and (added >= 2).all() and (wanted != 0).any() and (added >= LEAST_ADDED).any()
    )


def _close(sums: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    near: np.ndarray = np.abs(sums - wanted) <= CLOSE * np.maximum(1.0, np.abs(wanted)) + CLOSE
    return near


def totals_among_columns(grid: SheetGrid, body: Codes, columns: list[int], names: list[str]) -> dict[int, str]:
    """Return the columns that sum up others across, and why they are taken for that."""
    numeric = [at for at, column in enumerate(columns) if _is_numeric(grid, body, column)]
    found: dict[int, str] = {}
    for place, at in enumerate(numeric):
        before = [other for other in numeric[:place] if columns[other] not in found]
        # Sums stand behind what they sum up, back to the column of sums before.
        since = max((numeric.index(other) for other in numeric[:place] if columns[other] in found), default=-1)
        group = [other for other in numeric[since + 1 : place] if columns[other] not in found]
        formulas = grid.formulas(body, columns[at])
        references = grid.sheet.references
        rows, column = grid.rows[body[:LEAST_ADDED]], int(grid.columns[columns[at]])
        called = any("SUM" in references.get((int(row), column), "").upper() for row in rows)
        if len(group) > 1 and called and (formulas == Formula.SUM).mean() >= LEAST_SHARE:
            found[columns[at]] = "its formulas add up the columns before"
            continue
        word = is_total_word(names[at])
        for added in (group, before):
            if len(added) < (2 if word else LEAST_ADDED) or not len(body):
                continue
            values = np.array([np.nan_to_num(grid.numbers(body, columns[other])) for other in added])
            wanted = np.nan_to_num(grid.numbers(body, columns[at]))
            fits = _close(values.sum(axis=0), wanted)
            if fits.mean() >= LEAST_SHARE and (wanted != 0).any() and (word or len(body) >= LEAST_ADDED):
                found[columns[at]] = "its numbers are the sums of the columns before" + (
                    ", and its name says so" if word else ""
                )
                break
    return found


def _is_numeric(grid: SheetGrid, body: Codes, column: int) -> bool:
    kinds = grid.kinds(body, column)
    held = kinds[kinds != SourceKind.EMPTY]
    return bool(len(held)) and bool((held == SourceKind.NUMBER).mean() > 0.5)
