"""Rows and columns that are totals: known by a word, by their formulas, or by arithmetic."""

from typing import NamedTuple

import numpy as np

from comb.formats.a1 import column_letters
from comb.inference.typed_cells import SourceKind
from comb.kernels.grouping import Codes
from comb.kernels.scalars import fold
from comb.reading.documents.workbooks.grid import SheetGrid
from comb.reading.documents.workbooks.sheet import Formula
from comb.tables.value_texts import number_text

TOTAL_WORDS = frozenset({
    "total", "totals", "sum", "sums", "subtotal", "sub-total", "grand", "overall", "altogether", "summe", "gesamt",
    "gesamtsumme", "zwischensumme", "insgesamt", "total:", "somme", "ensemble", "suma", "totale", "totales", "totaux",
})  # fmt: skip

MEAN_WORDS = frozenset({
    "mean", "means", "average", "averages", "avg", "mittel", "mittelwert", "durchschnitt", "moyenne", "media",
    "promedio", "gemiddelde",
})  # fmt: skip

# Sums of floats differ by rounding; sums that were rounded to be looked at, by a little more.
CLOSE = 1e-9

# Arithmetic alone convinces with this many numbers added up.
LEAST_ADDED = 3
LEAST_SHARE = 0.9

# A mean is of at least this many rows.
LEAST_MEANT = 2

# A total that is off by this share of its parts at most is one, and wrong.
NEARLY = 0.2
MOSTLY = 0.5


# At most this many totals of a lower level are above one of a higher level.
MOST_LEVELS = 200


def is_total_word(text: str) -> bool:
    """Return whether a label says that its row or column sums up others.

    >>> is_total_word("Total:"), is_total_word("Summe 2026"), is_total_word("Totnes")
    (True, True, False)
    """
    words = fold(text.strip()).rstrip(":").split()
    return bool(words) and (words[0].rstrip(":") in TOTAL_WORDS or words[-1] in TOTAL_WORDS)


def _worded(grid: SheetGrid, body: Codes, columns: list[int]) -> tuple[np.ndarray, np.ndarray]:
    """Return for each row whether its first text has a word for totals, and whether it has no other word."""
    at = grid.at[body][:, columns]
    first = at[np.arange(len(body)), np.argmax(at >= 0, axis=1)]
    labels = np.where((first >= 0) & (grid.sheet.kinds[first] == SourceKind.TEXT), grid.sheet.texts[first], -1)
    known, codes = np.unique(labels, return_inverse=True)
    texts = [grid.sheet.strings[at] if at >= 0 else "" for at in known.tolist()]
    return np.array(list(map(is_total_word, texts)), np.bool_)[codes], np.array(list(map(_is_alone, texts)), np.bool_)[
        codes
    ]


def _is_alone(text: str) -> bool:
    """Return whether a label has only words for totals and numbers: "Grand total", "Summe 2026"."""
    words = fold(text.strip()).replace(":", " ").split()
    return bool(words) and all(word in TOTAL_WORDS or word.isdecimal() for word in words)


def has_total_word(grid: SheetGrid, row: int, left: int, right: int) -> bool:
    """Return whether the first text of a row is a word for totals."""
    for column in range(left, right + 1):
        if grid.at[row, column] >= 0:
            return int(grid.kinds([row], column)[0]) == SourceKind.TEXT and is_total_word(grid.text(row, column))
    return False


class WrongTotal(NamedTuple):
    """A total that its parts do not add up to.

    Attributes
    ----------
    row, column : int
        In places of the grid.
    given, parts : float
        The total that is there, and the sum of its parts.
    """

    row: int
    column: int
    given: float
    parts: float


class Totals(NamedTuple):
    """The rows or columns of a table that are totals.

    Attributes
    ----------
    found : dict of int to str
        Their places in the grid, and why they are taken for totals.
    wrong : list of WrongTotal
    """

    found: dict[int, str]
    wrong: list[WrongTotal]


def _is_mean_word(label: str) -> bool:
    """Return whether a label has only words for means, and numbers: "Mean", "Average 2024"."""
    words = fold(label.strip()).replace(":", " ").split()
    return any(word in MEAN_WORDS for word in words) and all(word in MEAN_WORDS or word.isdecimal() for word in words)


def means_among_rows(grid: SheetGrid, body: Codes, columns: list[int]) -> dict[int, str]:
    """Return the rows that are called means and hold those of the rows above them, and what is to be said of that.

    Half of their numbers have to be such means, rounded or not; the cells that are not are named.
    """
    found: dict[int, str] = {}
    if not columns or len(body) <= LEAST_MEANT:
        return found
    cells = grid.at[body, columns[0]]
    labels = np.where((cells >= 0) & (grid.sheet.kinds[cells] == SourceKind.TEXT), grid.sheet.texts[cells], -1)
    called = [text for text in np.unique(labels).tolist() if text >= 0 and _is_mean_word(grid.sheet.strings[text])]
    for at in np.flatnonzero(np.isin(labels, called)).tolist():
        if at < LEAST_MEANT:
            continue
        above = [row for row in body[:at].tolist() if row not in found]
        right, wrong = 0, []
        for column in columns[1:]:
            given = float(grid.numbers([int(body[at])], column)[0])
            values = grid.numbers(above, column)
            values = values[~np.isnan(values)]
            if np.isnan(given) or not len(values):
                continue
            digits = len(number_text(given).partition(".")[2])
            if abs(float(values.mean()) - given) <= 0.5 * 10.0**-digits + CLOSE:
                right += 1
            else:
                wrong.append(f"{column_letters(int(grid.columns[column]))}{int(grid.rows[int(body[at])]) + 1}")
        if right and right >= len(wrong):
            but = f"; {', '.join(wrong)} {'is' if len(wrong) == 1 else 'are'} not" if wrong else ""
            found[int(body[at])] = f"its label says so, and it gives means of the rows above{but}"
    return found


def totals_among_rows(grid: SheetGrid, body: Codes, columns: list[int]) -> Totals:
    """Return the rows that sum up others, and why they are taken for that.

    A formula or arithmetic has to say so: a label alone does not, since films and companies are called Total too. A
    label helps where the arithmetic is nearly right: then the total is wrong, and the notes give both numbers.
    """
    found: dict[int, str] = {}
    wrong: list[WrongTotal] = []
    if len(body) < 2:
        return Totals(found, wrong)
    numbers = np.array([grid.numbers(body, column) for column in columns])
    sums = np.array([_are_sums(grid, body, column) for column in columns])
    worded, alone = _worded(grid, body, columns)
    # A column of sums across has them in every row; a totals row has them where others have none.
    usual = sums.mean(axis=1) > MOSTLY
    given = ~np.isnan(numbers) | sums
    added = (sums & ~usual[:, None]).any(axis=0) & (2 * sums.sum(axis=0) >= given.sum(axis=0))
    parts = _Parts(np.nan_to_num(numbers), worded | added)
    for at in np.flatnonzero(worded | added).tolist():
        row = numbers[:, at]
        used = ~np.isnan(row) & parts.numeric
        option = max(parts.options(at), key=lambda sums: int(_close(sums[used], row[used]).sum()))
        fits = _close(option, row) & used
        near = used & ~fits & (np.abs(row - option) <= NEARLY * np.abs(option))
        if added[at]:
            why = "its formulas add up the rows above"
        elif used.any() and _says_total(fits, near, used, parts.counts(at), alone=bool(alone[at])):
            why = f"its label says so, and its numbers {'nearly ' if near.any() else ''}add up"
        else:
            parts.pass_row(at)
            continue
        found[int(body[at])] = why
        wrong += [
            WrongTotal(int(body[at]), columns[one], float(row[one]), float(option[one]))
            for one in np.flatnonzero(near).tolist()
        ]
        parts.pass_total(at)
    last = len(body) - 1
    if int(body[last]) not in found and _adds_up(
        numbers, [at for at in range(last) if int(body[at]) not in found], last
    ):
        found[int(body[last])] = "its numbers are the sums of the others"
    return Totals(found, wrong)


def _says_total(fits: np.ndarray, near: np.ndarray, used: np.ndarray, added: np.ndarray, *, alone: bool) -> bool:
    """Return whether the numbers of a row that is called a total bear that out; `added` counts their parts."""
    if alone:
        # The label has no other word: one right sum is enough, or nothing that is far off.
        return bool(fits.any() or near[used].all())
    # One sum of several numbers that is right shows what the row is; the others may be wrong by a little.
    return bool((fits | near)[used].all() and (fits & (added >= LEAST_ADDED))[used].any())


def _are_sums(grid: SheetGrid, body: Codes, column: int) -> np.ndarray:
    """Return which cells of a column are formulas of sums, those too whose value the workbook does not hold."""
    here: np.ndarray = grid.formulas(body, column) == Formula.SUM
    place, unstored = int(grid.columns[column]), grid.sheet.unstored
    if unstored:
        here |= np.array([unstored.get((int(row), place)) == Formula.SUM for row in grid.rows[body]], np.bool_)
    return here


class _Parts:
    """What the numbers above a row add up to: all, those since the last total or one before it, or the totals."""

    def __init__(self, values: np.ndarray, likely: np.ndarray) -> None:
        self._values = values
        self._likely = likely
        self._next = 0
        zero = np.zeros(len(values))
        self._all, self._group, self._totals = zero, zero, zero
        # All up to each total but the last: what is below one of them a total of a higher level adds up.
        self._before: list[np.ndarray] = []
        # A single number is no column to add up.
        self.numeric = (values != 0).sum(axis=1) > 1

    def _add(self, stop: int) -> None:
        rows = self._values[:, self._next : stop].sum(axis=1)
        self._all, self._group, self._next = self._all + rows, self._group + rows, stop

    def options(self, at: int) -> list[np.ndarray]:
        """Return what the row at a place could sum up; the first row, all that are below it."""
        self._add(at)
        below = self._values[:, at + 1 :][:, ~self._likely[at + 1 :]].sum(axis=1)
        higher = [self._all - before for before in self._before[-MOST_LEVELS:]]
        return [below] if at == 0 else [self._group, self._all, self._totals, *higher]

    def counts(self, at: int) -> np.ndarray:
        """Return how many numbers of each column are above the row at a place; for the first row, below it."""
        added: np.ndarray = np.count_nonzero(self._values[:, :at] if at else self._values[:, 1:], axis=1)
        return added

    def pass_row(self, at: int) -> None:
        """Go past a row that is not a total."""
        self._add(at + 1)

    def pass_total(self, at: int) -> None:
        """Go past a total: a new group begins."""
        self._before.append(self._all)
        self._totals, self._group, self._next = self._totals + self._group, np.zeros(len(self._group)), at + 1


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


def totals_among_columns(grid: SheetGrid, body: Codes, columns: list[int], names: list[str]) -> Totals:
    """Return the columns that sum up others across, and why they are taken for that."""
    numeric = [at for at, column in enumerate(columns) if _is_numeric(grid, body, column)]
    found: dict[int, str] = {}
    wrong: list[WrongTotal] = []
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
        # A number that says what a row is, as a week, is not added up: its name or its place does not tell.
        parts = [group[at:] for at in range(1, len(group) - 1)] if word else []
        for added in (group, before, *parts):
            if len(added) < (2 if word else LEAST_ADDED) or not len(body):
                continue
            values = np.array([np.nan_to_num(grid.numbers(body, columns[other])) for other in added])
            wanted = np.nan_to_num(grid.numbers(body, columns[at]))
            fits = _close(values.sum(axis=0), wanted)
            if fits.mean() >= LEAST_SHARE and (wanted != 0).any() and (word or len(body) >= LEAST_ADDED):
                found[columns[at]] = "its numbers are the sums of the columns before" + (
                    ", and its name says so" if word else ""
                )
                wrong += [
                    WrongTotal(int(body[row]), columns[at], float(wanted[row]), float(values.sum(axis=0)[row]))
                    for row in np.flatnonzero(~fits).tolist()
                ]
                break
    return Totals(found, wrong)


def _is_numeric(grid: SheetGrid, body: Codes, column: int) -> bool:
    kinds = grid.kinds(body, column)
    held = kinds[kinds != SourceKind.EMPTY]
    return bool(len(held)) and bool((held == SourceKind.NUMBER).mean() > 0.5)
