"""Numbers with the same words around each: ``5 days ago``, ``$90,060/yr``, ``1 stop`` beside ``3 stops``.

A unit that all numbers of a column share is read when it is loaded, and units that differ have a finding of their own.
What is left are words that no unit looks like, and a plural beside its singular, which are one. The formula describes
the whole text, so that what is written differently next month has none, and is counted. Texts without a digit may be
among them, and are named. With a letter right behind the digits they are codes, with a dash or a stroke and another
number they are pairs.
"""

import re
from collections import Counter
from collections.abc import Collection, Mapping
from fractions import Fraction

import msgspec
import numpy as np

from comb.errors import agree, counted, listing
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.notation import shape_of
from comb.kernels.types import IS_KNOWN
from comb.parsing.vocabulary import is_missing_word
from comb.profiling.built_texts import LEAST_READ, LOOKED_AT, number_in
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, noticed, quoted
from comb.profiling.multipliers import MULTIPLIERS
from comb.profiling.number_templates import LONGEST_NUMBER, has_moment
from comb.profiling.one_unit import MOSTLY
from comb.profiling.unit_conversion import MOST_TRIED, gives
from comb.steps.column_steps import Calculate
from comb.tables.names import unique_names

_NUMBER = r"[0-9]{1,3}(?:,[0-9]{3})+(?:\.[0-9]+)?|[0-9]+(?:\.[0-9]+)?"
# Words before a number that say how exact it is, or which way it counts: others make it a name.
_QUALIFIERS = (
    "approximately", "approx.", "approx", "about", "around", "circa", "ca.", "ca", "up to", "at most", "at least",
    "from", "max.", "max", "min.", "min", "over", "under", "bis zu", "etwa", "rund", "mindestens", "ab", "vor",
    "environ", "il y a", "hace", "desde", "hasta",
)  # fmt: skip
_WITH_WORDS = lazy_pattern(
    rf"(?:(?P<before>(?i:{'|'.join(map(re.escape, _QUALIFIERS))}))\s)?(?P<money>[$€£¥]?)\s?(?P<number>{_NUMBER})"
    r"(?P<behind>[ /-]?\s?[^\W\d_].*)?"
)
_ZERO_AHEAD = lazy_pattern(r"0[0-9]")

# Fewer different numbers are labels; longer words are sentences.
LEAST_DIFFERENT = 3
LONGEST_WORDS = 40


class _Counted(msgspec.Struct, frozen=True):
    """A text taken apart: a word that qualifies a number, a sign of money, the number, and the words behind it."""

    before: str
    money: str
    number: str
    behind: str

    @property
    def singular(self) -> tuple[str, str, str]:
        """What is around the number, of a plural the singular."""
        first, space, rest = self.behind[1:].lstrip().partition(" ")
        stem = first[:-1] if len(first) > len("is") and first.endswith("s") else first
        return self.before, self.money, f"{self.behind[:1]}{stem}{space}{rest}"


def numbers_with_words(table: ColumnCache) -> Findings:
    """Texts that are a number with the same words behind it."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not column.present.any() or table.different(name) > MOST_TRIED:
            continue
        if table.told(name).any():
            continue
        first = [text for text in column._take(column._first_present(LOOKED_AT)).texts() if text]
        first = [text for text in first if not is_missing_word(text)]
        if sum(_taken_apart(text) is not None for text in first) < MOSTLY * len(first):
            continue
        present = column.present & ~noticed(column, IS_KNOWN)
        cells = dict(column._take(np.flatnonzero(present)).distinct().commonest(MOST_TRIED))
        read = _alike({text: parts for text in cells if (parts := _taken_apart(text)) is not None}, cells)
        others = [text for text in cells if text not in read]
        worded = not any(any(map(str.isdigit, text)) for text in others)
        count, rest = sum(cells[text] for text in read), sum(cells[text] for text in others)
        if count < (MOSTLY if worded else LEAST_READ) * (count + rest) or not _are_counted(read):
            continue
        one = next(iter(read.values()))
        words = [
            f"{said!r} {where}" for said, where in ((one.before, "before"), (one.behind.strip(" /-"), "behind")) if said
        ]
        text = f"{counted(count, 'cell')} of {name} are numbers with words around them, {listing(words)}: as texts they"
        text += " cannot be compared or added"
        if others:
            shown = quoted({one: cells[one] for one in others})
            text += f"; {counted(rest, 'other')} {agree(rest, 'is', 'are')} not a number: {', '.join(shown)}"
        rows = table.rows_where(column.text.flags(read.__contains__) & column.present)
        remedy = _numbers(name, read, others, table.names) if worded else None
        yield Finding("type.with_words", (name,), count, rows, quoted({one: cells[one] for one in read}), text, remedy)


def _taken_apart(text: str) -> _Counted | None:
    match = _WITH_WORDS.fullmatch(" ".join(text.split()))
    if match is None or _ZERO_AHEAD.match(match["number"]) or len(match["number"]) > LONGEST_NUMBER:
        return None
    before, behind = match["before"] or "", match["behind"] or ""
    if len(behind) > LONGEST_WORDS:
        return None
    # With a letter right behind it, it is a code; alone, a number.
    if not (before or behind) or (not before and behind[0].isalpha()):
        return None
    if any(map(str.isdigit, behind)) and "per" not in behind.split():
        return None
    return _Counted(before, match["money"], match["number"], behind)


def _alike(read: Mapping[str, _Counted], cells: Mapping[str, int]) -> dict[str, _Counted]:
    """Return those that have the commonest words."""
    counts: Counter[tuple[str, str, str]] = Counter()
    for text, parts in read.items():
        counts[parts.singular] += cells[text]
    usual = max(counts, key=lambda words: counts[words], default=None)
    return {text: parts for text, parts in read.items() if parts.singular == usual}


def is_plural_of(units: Collection[str]) -> bool:
    """Return whether two units are the singular and the plural of one.

    >>> is_plural_of({"stop", "stops"}), is_plural_of({"m", "ms"}), is_plural_of({"kg"})
    (True, False, False)
    """
    one, *others = sorted(units)
    return others == [f"{one}s"] and len(one) > len("ms")


def _are_counted(read: Mapping[str, _Counted]) -> bool:
    """Return whether different numbers have words behind them that no other finding tells."""
    parts = list(read.values())
    if len({one.number for one in parts}) < LEAST_DIFFERENT:
        return False
    # Right behind the number: `ago` alone is a month of another language.
    if parts[0].behind.strip() in MULTIPLIERS or has_moment(parts[0].behind.strip(" /-").partition(" ")[0]):
        return False
    if parts[0].before:
        return True
    units = {None if shape is None else shape.unit for shape in map(shape_of, read)}
    # One unit is read, or has a finding that says which texts have none.
    return None in units or is_plural_of({str(unit) for unit in units})


def _numbers(name: str, read: Mapping[str, _Counted], others: list[str], names: tuple[str, ...]) -> Calculate | None:
    """Return the step that calculates a column of the numbers, if it gives the right one for every text."""
    numbers = [one.number for one in read.values()]
    commas = any("," in number for number in numbers)
    if commas and not (
        {one.money for one in read.values()} & {"$", "£"} or any("." in one or one.count(",") > 1 for one in numbers)
    ):
        return None
    first = next(iter(read.values()))
    forms = sorted({one.behind.strip() for one in read.values()}, key=len)
    words = "|".join(r"\s+".join(map(re.escape, form.split())) for form in forms)
    words = rf"\s*(?:{words})" if words else ""
    before = r"\s+".join(map(re.escape, first.before.split())) + r"\s+" if first.before else ""
    new = unique_names([*names, f"{name}_number"])[-1]
    digits, money = "0-9,." if commas else "0-9.", rf"{re.escape(first.money)}\s?" if first.money else ""
    pattern = rf"^\s*{before}{money}([{digits}]+){words}\s*$"
    step = Calculate(columns={new: number_in(name, pattern, group="," if commas else "")})
    wanted = {text: Fraction(one.number.replace(",", "")) for text, one in read.items()}
    return step if gives(step, name, wanted, others) else None
