"""Cells that hold two numbers: ``50.0436, -1.0358``, ``2.5 x 3.0``, ``(47.1; 8.5)``.

As one text they can neither be compared nor drawn. Whole numbers with a mark between them are more often one thing,
``4711/12`` or ``3/4``. So fractions are asked for, unless a cross says that they are sides (``30 x 45``), a word that
one is out of the other (``7 of 10``), or a stroke stands between what no day and month can be: nearly all larger than
these and the first the larger one, as pressures of blood are (``120/80``), or the second always the same and the first
no larger, as points are (``45/50``). What two sides have scored begins at 0, and each has more at times (``3-1``,
``0:2``); ranges and days do not. All texts have to be built in one way. What the two numbers are, a place or the
sides of something, the values do not say: the new columns are called first and second.
"""

import re
from collections.abc import Collection, Mapping, Sequence
from fractions import Fraction

import msgspec

from comb.errors import CombError, counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.profiling.built_texts import number_in, taken_apart
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, quoted
from comb.profiling.unit_conversion import are_open
from comb.steps.column_steps import Calculate
from comb.tables.column import Column
from comb.tables.names import unique_names
from comb.tables.table import BareTable

# Fewer different pairs may be labels, and at least this share of them has a fraction.
LEAST_DIFFERENT = 8
LEAST_FRACTIONS = 0.5

_CROSSES = ("x", "×")

# Between the results of two sides; at least this share of the different ones is won by each.
_RESULTS = ("-", "–", ":")
LEAST_WON = 0.2

# No day or month is larger, and no year smaller.
MOST_OF_DATES = 31
LEAST_YEAR = 1000
NEARLY_ALL = 0.95

_GROUP = lazy_pattern(r"[0-9]{3}(?:[.,][0-9]+)?")
_NUMBER = r"[+-]?[0-9]+(?:[.,][0-9]+)?"
_PAIR = lazy_pattern(
    rf"(?P<open>[(\[]?)\s*(?P<one>{_NUMBER})(?P<mark>\s*[,;/|x×:]\s*|[–-]|\s+[–-]\s+|\s+(?:out\s+)?of\s+|\s+)(?P<two>{_NUMBER})\s*(?P<close>[)\]]?)"
)


class _Numbers(msgspec.Struct, frozen=True):
    """A text taken apart: two numbers, what stands between them, and brackets round them."""

    one: str
    two: str
    mark: str
    brackets: str

    @property
    def is_fraction(self) -> bool:
        """Whether one of the numbers has decimals."""
        return not (self.one.lstrip("+-").isdigit() and self.two.lstrip("+-").isdigit())

    def values(self) -> list[float]:
        """Return the numbers."""
        return [float(number.replace(",", ".")) for number in (self.one, self.two)]


def number_pairs(table: ColumnCache) -> Findings:
    """Texts that are two numbers with a mark between them."""
    for name, column in table.columns.items():
        found = taken_apart(table, name, _taken_apart)
        if found is None or not _are_pairs(found[1].values()):
            continue
        cells, pairs = found
        count = sum(cells[text] for text in pairs)
        mark = next(iter(pairs.values())).mark
        text = (
            f"{counted(count, 'cell')} of {name} hold two numbers, with {mark or 'a space'} between them: as one text"
        )
        text += " they cannot be compared or drawn"
        rows = table.rows_where(column.text.flags(pairs.__contains__) & column.present)
        remedy = _parted(name, pairs, table.names) if len(pairs) == len(cells) else None
        shown = quoted({one: cells[one] for one in pairs})
        yield Finding("text.number_pairs", (name,), count, rows, shown, text, remedy)


def _taken_apart(text: str) -> _Numbers | None:
    match = _PAIR.fullmatch(text.strip())
    if match is None or bool(match["open"]) != bool(match["close"]):
        return None
    one, two, mark = match["one"], match["two"], " ".join(match["mark"].split())
    # A comma is a decimal mark or the mark between the two; with nothing around it, it could be either.
    if mark == "," and ("," in one + two or (match["mark"] == "," and "." not in one + two)):
        return None
    return _Numbers(one, two, mark, match["open"] + match["close"])


def _are_pairs(pairs: Collection[_Numbers]) -> bool:
    """Return whether texts are different enough, built in one way, and mostly with fractions."""
    uniform = len({(pair.mark, pair.brackets) for pair in pairs}) == 1
    if all(not pair.mark and _GROUP.fullmatch(pair.two) for pair in pairs):
        # One number, with a space between its thousands.
        return False
    if not uniform or len(pairs) < LEAST_DIFFERENT:
        return False
    if sum(pair.is_fraction for pair in pairs) >= LEAST_FRACTIONS * len(pairs):
        return True
    mark = next(iter(pairs)).mark
    if mark in _RESULTS:
        return _are_results(pairs)
    return are_marked_pairs(mark, [pair.values() for pair in pairs])


def are_marked_pairs(mark: str, pairs: Collection[Sequence[float | Fraction]]) -> bool:
    """Return whether the mark between two numbers, or with a stroke their values, show that these are two.

    >>> are_marked_pairs("x", [(30, 45)]), are_marked_pairs("/", [(120, 80)]), are_marked_pairs("/", [(3, 4)])
    (True, True, False)
    """
    if mark in _CROSSES or mark.endswith("of"):
        return True
    high = sum(MOST_OF_DATES < two < one < LEAST_YEAR for one, two in pairs)
    return mark == "/" and (high >= NEARLY_ALL * len(pairs) or _are_out_of_one(pairs))


def _are_results(pairs: Collection[_Numbers]) -> bool:
    """Return whether whole numbers are what two sides have scored: from 0 on, and either side has more at times.

    No day and no month is 0; the first of a range is never the larger one; minutes and codes have leading zeros.
    """
    texts = [number for pair in pairs for number in (pair.one, pair.two)]
    if not all(text.isdigit() and str(int(text)) == text for text in texts) or "0" not in texts:
        return False
    signs = [one - two for one, two in (pair.values() for pair in pairs)]
    return min(sum(sign > 0 for sign in signs), sum(sign < 0 for sign in signs)) >= LEAST_WON * len(pairs)


def _are_out_of_one(pairs: Collection[Sequence[float | Fraction]]) -> bool:
    """Return whether all second numbers are the same one, no first is larger, and it is no day, month or year."""
    [most, *others] = {two for _, two in pairs}
    return not others and MOST_OF_DATES < most < LEAST_YEAR and all(0 <= one <= most for one, _ in pairs)


def _parted(name: str, pairs: Mapping[str, _Numbers], names: Sequence[str]) -> Calculate | None:
    """Return the step that calculates two columns, if it gives the right numbers for every text."""
    *_, first, second = unique_names([*names, f"{name}_first", f"{name}_second"])
    one = next(iter(pairs.values()))
    if are_open([number for pair in pairs.values() for number in (pair.one, pair.two)]):
        return None
    commas = one.mark != "," and any("," in pair.one + pair.two for pair in pairs.values())
    number = "([+-]?[0-9,]+)" if commas else "([+-]?[0-9.]+)"
    mark = re.escape(one.mark)
    begin, end = (
        (rf"{re.escape(one.brackets[0])}\s*", rf"\s*{re.escape(one.brackets[1])}") if one.brackets else ("", "")
    )
    # What there is beside each number has no other mark in it, and no space where words are between them, or nothing.
    apart = {"": r"\s", "of": "of", "out of": r"out\s+of"}.get(one.mark)
    other, between = (f"[^{mark}]*", mark) if apart is None else (r"\s*\S+\s*", apart)
    step = Calculate(columns={
        first: number_in(name, rf"^\s*{begin}{number}\s*{between}{other}$", comma=commas),
        second: number_in(name, rf"^{other}{between}\s*{number}{end}\s*$", comma=commas),
    })  # fmt: skip
    return step if _gives(step, name, (first, second), pairs) else None


def _gives(step: Calculate, name: str, new: tuple[str, str], pairs: Mapping[str, _Numbers]) -> bool:
    try:
        made = step.apply(BareTable({name: Column._of_strings(list(pairs))})).table
    except CombError:
        return False
    found = zip(*(made[one].to_list() for one in new), strict=True)
    return all(list(both) == pair.values() for both, pair in zip(found, pairs.values(), strict=True))
