"""Measures in two units: ``5 ft 11 in``, ``5'11"``, ``4 lb 3 oz``, ``2 years 3 months``.

As texts they can neither be compared nor added. The formula gives all in the smaller unit, in which the numbers stay
whole; it is offered where every text is of this kind and it gives the right number for each. Feet and inches by marks
alone could be minutes and seconds: they are feet where no second number is more than eleven, among several.
"""

import re
from collections.abc import Collection, Mapping, Sequence
from fractions import Fraction

import msgspec

from comb.errors import counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.profiling.built_texts import LEAST_READ, number_in, taken_apart
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, quoted
from comb.profiling.unit_conversion import gives
from comb.steps.column_steps import Calculate
from comb.tables.names import unique_names

# With fewer different numbers behind marks, minutes and seconds are as likely as feet and inches.
LEAST_DIFFERENT = 5


class _Pair(msgspec.Struct, frozen=True):
    """Two units: how each is written, how many of the smaller one make a larger one, and its name."""

    larger: tuple[str, ...]
    smaller: tuple[str, ...]
    times: int
    name: str


_FEET = _Pair(("'", "′", "’"), ('"', "″", "”", "''", "’’", "′′", ""), 12, "inches")
_PAIRS = (
    _FEET,
    _Pair(("feet", "foot", "ft.", "ft"), ("inches", "inch", "in.", "in", '"'), 12, "inches"),
    _Pair(("pounds", "pound", "lbs.", "lbs", "lb.", "lb"), ("ounces", "ounce", "ozs", "oz.", "oz"), 16, "ounces"),
    _Pair(("stones", "stone", "st.", "st"), ("pounds", "pound", "lbs", "lb"), 14, "pounds"),
    _Pair(("kg",), ("g",), 1000, "grams"),
    _Pair(("km",), ("m",), 1000, "metres"),
    _Pair(("m",), ("cm",), 100, "centimetres"),
    _Pair(("years", "year", "yrs", "yr", "y"), ("months", "month", "mos", "mo", "m"), 12, "months"),
    _Pair(("weeks", "week", "wks", "wk", "w"), ("days", "day", "d"), 7, "days"),
)
_MEASURE = lazy_pattern(
    r"(?P<one>[0-9]{1,4})\s*(?P<larger>[^\s\d,]{1,6})"
    r"(?:\s*(?P<between>,|and|&)?\s*(?P<two>[0-9]{1,4}(?:\.[0-9]{1,3})?)\s*(?P<smaller>[^\s\d,]{0,6}))?",
)


class _Measure(msgspec.Struct, frozen=True):
    """A text taken apart."""

    one: str
    larger: str
    two: str
    smaller: str
    between: str

    def is_of(self, pair: _Pair) -> bool:
        """Return whether a text has two units that go together; the smaller one may be left out with its number."""
        if self.larger not in pair.larger:
            return False
        return not self.two or (self.smaller in pair.smaller and Fraction(self.two) < pair.times)

    def in_smaller(self, times: int) -> Fraction:
        """Return the whole in the smaller unit."""
        return Fraction(self.one) * times + Fraction(self.two or "0")


def is_compound(text: str) -> bool:
    """Return whether a text is a measure in two units that go together.

    >>> is_compound("5 ft 11 in"), is_compound("3 bd 2 ba")
    (True, False)
    """
    measure = _taken_apart(text)
    return measure is not None and bool(measure.two) and any(map(measure.is_of, _PAIRS))


def compound_units(table: ColumnCache) -> Findings:
    """Texts that are measures in two units."""
    for name, column in table.columns.items():
        built = taken_apart(table, name, _taken_apart)
        if built is None:
            continue
        cells, apart = built
        found = max(((_of_pair(apart, pair), pair) for pair in _PAIRS), key=lambda one: len(one[0]))
        measures, pair = found
        count = sum(cells[text] for text in measures)
        if count < LEAST_READ * sum(cells.values()) or not _are_measures(measures.values(), pair):
            continue
        remedy = _in_one_unit(name, measures, pair, table.names) if len(measures) == len(cells) else None
        text = (
            f"{counted(count, 'cell')} of {name} are measures in two units, as text: they cannot be compared or added"
        )
        rows = table.rows_where(column.text.flags(measures.__contains__) & column.present)
        shown = quoted({one: cells[one] for one in measures})
        yield Finding("type.compound_units", (name,), count, rows, shown, text, remedy)


def _taken_apart(text: str) -> _Measure | None:
    match = _MEASURE.fullmatch(text.strip())
    if match is None:
        return None
    return _Measure(*(match[part] or "" for part in ("one", "larger", "two", "smaller", "between")))


def _of_pair(apart: Mapping[str, _Measure], pair: _Pair) -> dict[str, _Measure]:
    return {text: measure for text, measure in apart.items() if measure.is_of(pair)}


def _are_measures(measures: Collection[_Measure], pair: _Pair) -> bool:
    """Return whether both units are there: one alone is a unit as others are."""
    second = {one.two for one in measures if one.two}
    both = sum(bool(one.two) for one in measures)
    return len(second) >= (LEAST_DIFFERENT if pair is _FEET else 1) and 2 * both > len(measures)


def _in_one_unit(name: str, measures: Mapping[str, _Measure], pair: _Pair, names: Sequence[str]) -> Calculate | None:
    """Return the step that calculates a column in the smaller unit, if it gives the right number for every text."""
    new = unique_names([*names, f"{name}_{pair.name}"])[-1]
    wanted = {text: one.in_smaller(pair.times) for text, one in measures.items()}
    larger = _alternatives({one.larger for one in measures.values()})
    between = _alternatives({one.between for one in measures.values()} | {""})
    smaller = _alternatives({one.smaller for one in measures.values() if one.two} | {""})
    # The second number may be left out, though none is this month.
    apart = rf"{larger}\s*" + (rf"{between}\s*" if between else "")
    whole = number_in(name, rf"^\s*([0-9]+)\s*{apart}[0-9.]*\s*{smaller}\s*$")
    rest = number_in(name, rf"[0-9]\s*{apart}([0-9.]*)", blank="0")
    step = Calculate(columns={new: f"{whole} * {pair.times} + {rest}"})
    return step if gives(step, name, wanted) else None


def _alternatives(units: Collection[str]) -> str:
    """Write units in a pattern, the longer first, since one may begin with another; an empty one may be left out."""
    written = "|".join(re.escape(unit) for unit in sorted(units, key=lambda unit: (-len(unit), unit)) if unit)
    if not written:
        return ""
    single = len(written) == 1 or ("|" not in written and "" not in units)
    return (written if single else f"(?:{written})") + ("?" if "" in units else "")
