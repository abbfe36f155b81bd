"""The types a column of texts could have, each tried on all of its distinct texts."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from comb.errors import counted
from comb.inference.patterns import DateForm, write_date_pattern
from comb.inference.reader import FALSE_WORDS, TRUE_WORDS, Reading, plain_numbers
from comb.inference.words import BOOLEAN_PAIRS
from comb.kernels.coding import Codes
from comb.kernels.parsing import FITS, date_groups, digits_after_point
from comb.tables.column import Mask
from comb.tables.evidence import Candidate
from comb.tables.types import BOOLEAN, DATE, INTEGER, NUMBER, decimal

# Below this share of dates that settle the order of day and month, it stays open.
LEAST_AGREEING = 0.9

# A type that none of so many texts fits cannot be that of nine cells in ten.
FIRST_LOOK = 200


@dataclass(frozen=True, slots=True)
class Trial:
    """A type tried on distinct texts.

    Attributes
    ----------
    reading : Reading
    fits : bool array
        Which texts it reads.
    weight : int
        How many cells those texts fill.
    pattern : str
        How the values are written.
    why : tuple of str
        What speaks for it.
    doubt : str
        Why it must not be chosen without being asked for; empty if nothing.
    """

    reading: Reading
    fits: Mask
    weight: int
    pattern: str = ""
    why: tuple[str, ...] = ()
    doubt: str = ""

    def candidate(self, total: int) -> Candidate:
        """Return the trial as evidence, out of so many cells."""
        return Candidate(self.reading.type, self.weight, total - self.weight, self.pattern)


def all_trials(texts: Sequence[str], counts: Codes) -> list[Trial]:
    """Try every type on texts without outer spaces.

    Parameters
    ----------
    texts : sequence of str
        Distinct, neither blank nor words for missing.
    counts : int64 array
        Cells that hold each text.

    Returns
    -------
    list of Trial
        The most cells first; of equal ones the narrower type first.
    """
    trials = _boolean(texts, counts)
    look = _first_look(counts)
    few, few_counts = [texts[at] for at in look], counts[look]
    for attempt in (_point_numbers, _comma_numbers, _dates):
        if any(trial.weight for trial in attempt(few, few_counts)):
            trials += attempt(texts, counts)
    return sorted((trial for trial in trials if trial.weight), key=lambda trial: -trial.weight)


def _first_look(counts: Codes) -> list[int]:
    """Return the commonest texts and some evenly spaced: a type that fits none is not tried."""
    half = FIRST_LOOK // 2
    common = np.argsort(-counts, kind="stable")[:half].tolist()
    spaced = np.linspace(0, len(counts) - 1, half).astype(np.int64).tolist() if len(counts) else []
    return sorted({*common, *spaced})


def _boolean(texts: Sequence[str], counts: Codes) -> list[Trial]:
    """Yes and no in words: both must occur, and both of one pair."""
    folded = {text.casefold() for text in texts}
    pair = next((pair for pair in BOOLEAN_PAIRS if folded >= set(pair)), None)
    if pair is None:
        return []
    fits = np.array([text.casefold() in pair for text in texts], np.bool_)
    assert pair[0] in TRUE_WORDS and pair[1] in FALSE_WORDS
    why = (f"{pair[0]} and {pair[1]} both occur",)
    return [Trial(Reading(BOOLEAN), fits, _weight(fits, counts), why=why)]


def _point_numbers(texts: Sequence[str], counts: Codes) -> list[Trial]:
    return _numbers(texts, counts, ".")


def _comma_numbers(texts: Sequence[str], counts: Codes) -> list[Trial]:
    return _numbers(texts, counts, ",")


def _numbers(texts: Sequence[str], counts: Codes, mark: str) -> list[Trial]:
    """Numbers with one decimal mark: integer, then decimal or number."""
    plain = plain_numbers(texts, mark, "")
    number = Reading(NUMBER, decimal_mark=mark)
    if mark == "," and not any("," in text for text in texts):
        return []
    fits = number.parse(texts)[1] == FITS
    if not fits.any():
        return []
    if mark == ".":
        whole = Reading(INTEGER).parse(texts)[1] == FITS
        trials = [Trial(Reading(INTEGER), whole, _weight(whole, counts))]
    else:
        trials = []
    read = [text for text, fit in zip(plain, fits.tolist(), strict=True) if fit]
    written = [text for text, fit in zip(texts, fits.tolist(), strict=True) if fit]
    if not any(mark in text or (mark == "." and "e" in text.lower()) for text in written):
        return trials
    scales = {digits_after_point(text) for text in read}
    scale = scales.pop() if len(scales) == 1 else None
    reading = replace(number, type=decimal(scale)) if scale else number
    why = ("the mark before the decimals is a comma",) if mark == "," else ()
    trial = Trial(reading, fits, _weight(fits, counts), pattern="", why=why, doubt=_mark_doubt(texts, fits, mark))
    return [*trials, trial]


def _mark_doubt(texts: Sequence[str], fits: Mask, mark: str) -> str:
    """Return why a comma could just as well part thousands."""
    if mark == ".":
        return ""
    marked = [text for text, fit in zip(texts, fits.tolist(), strict=True) if fit and mark in text]
    if all(_could_be_group(text.lstrip("+-"), mark) for text in marked):
        return f"the comma in {marked[0]!r} could part thousands or decimals"
    return ""


def _could_be_group(text: str, mark: str) -> bool:
    whole, _, rest = text.partition(mark)
    return len(rest) == 3 and 1 <= len(whole) <= 3 and not whole.startswith("0")


def _dates(texts: Sequence[str], counts: Codes) -> list[Trial]:
    """Numeric dates; forms that cannot be confused may stand in one column together."""
    groups = [date_groups(text) for text in texts]
    forms: list[DateForm] = []
    why: list[str] = []
    doubts: list[str] = []
    for mark in "-./":
        mine = [group[1:] if group and group[0] == mark else None for group in groups]
        if any(group and len(group[0]) == 4 for group in mine):
            padded = all(len(group[1]) == len(group[2]) == 2 for group in mine if group and len(group[0]) == 4)
            forms.append(DateForm("ymd", mark, write_date_pattern("ymd", mark, padded=padded)))
        if any(group and len(group[2]) == 4 for group in mine):
            form, reason, doubt = _day_month(mark, mine, counts)
            forms.append(form)
            why.append(reason)
            doubts.append(doubt)
    if not forms:
        return []
    return [_date_trial(texts, counts, forms, why, doubts)]


def _date_trial(texts: Sequence[str], counts: Codes, forms: list[DateForm], why: list[str], doubts: list[str]) -> Trial:
    weights = {}
    for form in forms:
        hits = Reading(DATE, dates=(form,)).parse(texts)[1] == FITS
        weights[form] = _weight(hits, counts)
    used = tuple(sorted((form for form in forms if weights[form]), key=lambda form: -weights[form]))
    reading = Reading(DATE, dates=used)
    fits = reading.parse(texts)[1] == FITS
    if len(used) > 1:
        told = ", ".join(f"{form.pattern} {weights[form]:,} times" for form in used)
        why = [f"several forms that cannot be confused: {told}", *why]
    pattern = used[0].pattern if used else ""
    return Trial(
        reading,
        fits,
        _weight(fits, counts),
        pattern,
        tuple(filter(None, why)),
        next(filter(None, doubts), ""),
    )


def _day_month(mark: str, groups: list[tuple[str, str, str] | None], counts: Codes) -> tuple[DateForm, str, str]:
    """Decide the order of day and month by the values that can only be read one way."""
    first = second = 0
    padded = True
    for group, count in zip(groups, counts.tolist(), strict=True):
        if group and len(group[2]) == 4:
            first += count * (int(group[0]) > 12)
            second += count * (int(group[1]) > 12)
            padded = padded and len(group[0]) == len(group[1]) == 2
    # With points the day comes first everywhere; other marks need values that decide.
    order = "dmy" if mark == "." or first >= second else "mdy"
    deciding = first if order == "dmy" else second
    form = DateForm(order, mark, write_date_pattern(order, mark, padded=padded))
    if deciding >= LEAST_AGREEING * (first + second) and deciding:
        return form, f"day and month cannot be confused: {counted(deciding, 'value')} with a day above 12", ""
    if mark == "." and not second:
        return form, "with points between, the day comes first", ""
    return (
        form,
        "",
        "day and month could be swapped: "
        + (
            f"{counted(first, 'value')} with the day first, {second:,} with the month"
            if first
            else "no value has a day above 12"
        ),
    )


def _weight(fits: Mask, counts: Codes) -> int:
    return int(counts[fits].sum())
