"""Cells that hold two numbers with the same text around them: ``$46K-$92K (Est.)``, ``3 bd, 1.5 ba``, ``120/80 mmHg``.

All texts of the column have to be the same but for the two numbers. What stands between them shows that these are two:
a word, as in ``30 to 45 kg``; or a dash where no second number is smaller and some of the ranges overlap, as those of
classes (``18-24``, ``25-34``) never do, nor the parts of codes. With a unit behind, the marks count that say so without
one. A ``K`` or ``M`` behind a number is a multiplier beside a sign of money; else it may be anything, and so the whole.

Left alone is what has a zero in front, as codes have, a letter right before a number (``i5``, ``Q3``), and measures in
two units, for which there is a finding of their own.
"""

import re
from collections.abc import Collection, Mapping, Sequence
from fractions import Fraction
from itertools import pairwise
from math import isclose

import msgspec

from comb.errors import CombError, counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.scalars import fold
from comb.parsing.calendar_names import MONTH_NUMBERS
from comb.profiling.built_texts import number_in, taken_apart
from comb.profiling.column_cache import ColumnCache
from comb.profiling.compound_units import is_compound
from comb.profiling.finding import Finding, Findings, quoted
from comb.profiling.multipliers import MULTIPLIERS
from comb.profiling.number_pairs import LEAST_DIFFERENT, LEAST_FRACTIONS, are_marked_pairs
from comb.profiling.unit_conversion import scaled
from comb.steps.column_steps import Calculate
from comb.tables.column import Column
from comb.tables.names import unique_names
from comb.tables.table import BareTable

_NUMBER = r"[0-9]{1,3}(?:,[0-9]{3})+(?:\.[0-9]+)?|[0-9]+(?:\.[0-9]+)?"
_TWO = lazy_pattern(
    rf"(?P<before>[^0-9]*?)(?P<one>-?(?:{_NUMBER}))(?P<between>[^0-9]+?)(?P<two>-?(?:{_NUMBER}))(?P<behind>[^0-9]*)"
)
_ZERO_AHEAD = lazy_pattern(r"-?0[0-9]")
_WORD = lazy_pattern(r"[^\W\d_]+")
_MONEY = lazy_pattern(r"[$€£¥]")
_MULTIPLIER = lazy_pattern(rf"\s?({'|'.join(map(re.escape, sorted(MULTIPLIERS, key=len, reverse=True)))})(?![^\W\d_])")
_DASHES = frozenset({"-", "–", "—"})

# Marks for which pairs of numbers with nothing else around them have a finding; marks of errors; and of numbers that
# are two where they have decimals.
_TOLD = frozenset({"x", "×", "of", "out of"})
_ERRORS = frozenset({"±", "+/-", "+-"})
_APART = frozenset({"", ",", ";", "|", "/"})
_OPEN = {"(": ")", "[": "]", "{": "}"}

# Products of numbers with decimals differ by less.
_CLOSE = 1e-12

# More digits are of a code.
LONGEST_NUMBER = 15

# More than this around the numbers is a sentence.
LONGEST_TEMPLATE = 60


class _Two(msgspec.Struct, frozen=True):
    """A text taken apart: two numbers, and what stands before, between and behind them."""

    one: str
    two: str
    around: tuple[str, str, str]

    def values(self) -> tuple[Fraction, Fraction]:
        """Return the numbers, without what multiplies them."""
        return Fraction(self.one.replace(",", "")), Fraction(self.two.replace(",", ""))


def number_templates(table: ColumnCache) -> Findings:
    """Texts that are the same but for two numbers."""
    for name, column in table.columns.items():
        found = taken_apart(table, name, _taken_apart)
        if found is None or table.told(name).any():
            continue
        cells, pairs = found
        if not _are_two(pairs):
            continue
        before, between, behind = next(iter(pairs.values())).around
        count = sum(cells[text] for text in pairs)
        text = f"{counted(count, 'cell')} of {name} hold two numbers, with {between.strip() or 'a space'} between them"
        text += f", as in {before}…{between}…{behind}" if before.strip() or behind.strip() else ""
        text += ": as one text they cannot be compared or drawn"
        text += "; percentages are divided by 100" if "%" in between + behind else ""
        rows = table.rows_where(column.text.flags(pairs.__contains__) & column.present)
        remedy = _parted(name, pairs, table.names) if len(pairs) == len(cells) else None
        yield Finding(
            "text.number_pairs", (name,), count, rows, quoted({one: cells[one] for one in pairs}), text, remedy
        )


def has_moment(words: str) -> bool:
    """Return whether a month or a half of the day is among some words, so that a number beside it is of a moment.

    >>> has_moment(" AM - "), has_moment("from March"), has_moment(" jars full")
    (True, True, False)
    """
    return any((word := fold(one)) in MONTH_NUMBERS or word in ("am", "pm") for one in _WORD.findall(words))


def _taken_apart(text: str) -> _Two | None:
    match = _TWO.fullmatch(" ".join(text.split()))
    if match is None or _ZERO_AHEAD.match(match["one"]) or _ZERO_AHEAD.match(match["two"]):
        return None
    around = match["before"], match["between"], match["behind"]
    if max(len(match["one"]), len(match["two"])) > LONGEST_NUMBER or sum(map(len, around)) > LONGEST_TEMPLATE:
        return None
    if around[0][-1:].isalpha() or around[1][-1:].isalpha():
        return None
    return _Two(match["one"], match["two"], around)


def _are_two(pairs: Mapping[str, _Two]) -> bool:
    """Return whether texts have the same around their numbers, and that shows that these are two."""
    found = list(pairs.values())
    if len({pair.around for pair in found}) > 1 or len(found) < LEAST_DIFFERENT or any(map(is_compound, pairs)):
        return False
    before, between, behind = found[0].around
    plain = not (before.strip("([ ") or behind.strip(")] "))
    # A letter between two digits is of a code, or of a power of ten; a month is of a day, a half of one of a time.
    glued = between.strip("+-").isalpha()
    dated = any(has_moment(part) for part in (before, between, behind))
    if glued or dated or _factors(found[0]) is None or not _commas_are_known(found) or "=" in between:
        return False
    mark = _MULTIPLIER.sub("", between, count=1).strip(" %$€£¥")
    values = [pair.values() for pair in found]
    fractions = sum("." in pair.one + pair.two for pair in found) >= LEAST_FRACTIONS * len(found)
    if plain and (fractions or mark in _TOLD) and mark in _DASHES | _TOLD:
        # There is a finding for these.
        return False
    if mark in _DASHES:
        # Beside money or before a unit no code stands.
        return _are_ranges(values, codes=not (behind.strip(")] ") or any(map(_MONEY.search, found[0].around))))
    if any(map(str.isalpha, mark)) or mark in _ERRORS or (mark in _OPEN and behind.strip("% ").startswith(_OPEN[mark])):
        # A colon behind a word makes it a key, for which there is a finding too.
        return ":" not in between
    return not plain and (are_marked_pairs(mark, values) or (fractions and mark in _APART))


def _are_ranges(pairs: Collection[tuple[Fraction, Fraction]], *, codes: bool) -> bool:
    """Return whether no second number is smaller than the first, and some ranges overlap.

    The parts of codes have as many digits each, so that all second ones may be larger than all first ones.
    """
    ones, twos = zip(*pairs, strict=True)
    if any(one > two for one, two in pairs) or (codes and max(ones) <= min(twos)):
        return False
    return any(end > begin for (_, end), (begin, _) in pairwise(sorted(set(pairs))))


def _factors(pair: _Two) -> tuple[Fraction, Fraction] | None:
    """Return what the numbers are multiplied by; None where a letter behind one may mean anything."""
    found = [_MULTIPLIER.match(part) for part in pair.around[1:]]
    if any(found) and not any(map(_MONEY.search, pair.around)):
        return None
    one, two = (
        Fraction(1, 100) if part.lstrip().startswith("%") else Fraction(1 if match is None else MULTIPLIERS[match[1]])
        for part, match in zip(pair.around[1:], found, strict=True)
    )
    return one, two


def _commas_are_known(pairs: Collection[_Two]) -> bool:
    """Return whether commas are between thousands: a decimal point or money shows it, or two commas in a number."""
    numbers = [number for pair in pairs for number in (pair.one, pair.two)]
    if not any("," in number for number in numbers):
        return True
    money = any("$" in part or "£" in part for part in next(iter(pairs)).around)
    return money or any("." in number or number.count(",") > 1 for number in numbers)


def _parted(name: str, pairs: Mapping[str, _Two], names: Sequence[str]) -> Calculate | None:
    """Return the step that calculates two columns, if it gives the right numbers for every text."""
    *_, first, second = unique_names([*names, f"{name}_first", f"{name}_second"])
    pair = next(iter(pairs.values()))
    before, between, behind = map(_spaced, pair.around)
    commas = any("," in one.one + one.two for one in pairs.values())
    number = r"-?[0-9,.]+" if commas else r"-?[0-9.]+"
    times = _factors(pair) or (Fraction(1), Fraction(1))
    columns: dict[str, str] = {}
    for new, one, two, many in ((first, f"({number})", number, times[0]), (second, number, f"({number})", times[1])):
        pattern = rf"^\s*{before}{one}{between}{two}{behind}\s*$"
        columns[new] = scaled(number_in(name, pattern, group="," if commas else ""), many)
    step = Calculate(columns=columns)
    return step if _gives(step, name, pairs, times) else None


def _spaced(text: str) -> str:
    """Write a text as a pattern in which a space stands for any number of them."""
    if text.isspace():
        # Else one number could be taken for two.
        return r"\s+"
    inside = r"\s+".join(map(re.escape, text.split()))
    return (r"\s*" if text[:1] == " " else "") + inside + (r"\s*" if text[-1:] == " " else "")


def _gives(step: Calculate, name: str, pairs: Mapping[str, _Two], times: tuple[Fraction, Fraction]) -> bool:
    try:
        made = step.apply(BareTable({name: Column._of_strings(list(pairs))})).table
    except CombError:
        return False
    found = zip(*(made[one].to_list() for one in step.columns), strict=True)
    for both, pair in zip(found, pairs.values(), strict=True):
        wanted = [float(number * many) for number, many in zip(pair.values(), times, strict=True)]
        if any(made is None or not isclose(made, one, rel_tol=_CLOSE) for made, one in zip(both, wanted, strict=True)):
            return False
    return True
