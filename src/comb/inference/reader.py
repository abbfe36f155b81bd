"""Read texts as one type: what fits becomes a value, what does not keeps its text."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from comb.inference.calendar import MONTHS, WEEKDAYS
from comb.inference.forms import CLOCK_NUMBER, DURATION_UNITS, EPOCHS, Form
from comb.inference.moments import read_duration
from comb.inference.patterns import DateForm
from comb.inference.words import BOOLEAN_PAIRS
from comb.kernels import chosen, parsing
from comb.kernels.blocks import CellForm, MomentForm, NumberForm
from comb.kernels.moments import parse_moments
from comb.kernels.notation import Marks, plain_numbers
from comb.kernels.packed import Packed
from comb.kernels.parsing import Parsed
from comb.tables.types import STORAGE, Type

TRUE_WORDS = frozenset(yes for yes, _ in BOOLEAN_PAIRS)
FALSE_WORDS = frozenset(no for _, no in BOOLEAN_PAIRS)


@dataclass(frozen=True, slots=True)
class Reading:
    """How the texts of one column are read.

    Attributes
    ----------
    type : Type
    decimal_mark, group_mark : str
        The marks in numbers; an empty group mark means none.
    unit : str
        A unit or currency that may stand with the number and is taken off; per cent are divided by 100.
    dates : tuple of DateForm
        The numeric forms of dates that are accepted.
    moments : tuple of Form
        Other forms of dates, and those of datetimes, times and durations.
    noted : bool
        Whether signs may stand behind numbers, or parentheses around negative ones; of booleans
        whether 1 and 0 stand for them.
    counted : str
        What numbers count: one of `EPOCHS`, of `DURATION_UNITS`, or `CLOCK_NUMBER`; of booleans the words
        for true and false, with a bar between.
    """

    type: Type
    decimal_mark: str = "."
    group_mark: str = ""
    unit: str = ""
    dates: tuple[DateForm, ...] = field(default=())
    moments: tuple[Form, ...] = field(default=())
    noted: bool = False
    counted: str = ""

    @property
    def orders(self) -> tuple[tuple[str, str], ...]:
        """The order of parts and the mark of each form of date."""
        return tuple((form.order, form.mark) for form in self.dates)

    @property
    def form(self) -> CellForm | None:
        """How the compiled kernels read it; None if they do not."""
        if self.moments:
            return moment_form(self.moments)
        if self.type.numeric and not self.group_mark and not self.unit and not self.noted:
            return NumberForm(self.type.word, self.type.scale, self.decimal_mark)
        return self.orders or None

    def parse_text(self, texts: Packed) -> Parsed:
        """Read texts end to end, as `parse` does."""
        if self.type.numeric and (self.noted or self.group_mark or self.unit):
            plain = chosen.plain_numbers(texts, Marks(self.decimal_mark, self.group_mark), self.unit)
            return Reading(self.type).parse_text(plain.texts)
        form = self.form
        read = None if form is None else chosen.read(texts, form)
        return self.parse(texts.strings()) if read is None else read

    def parse(self, texts: Sequence[str]) -> Parsed:
        """Read texts; returns values and status. Outer spaces do not count."""
        stripped = [text.strip() for text in texts]
        if self.type.numeric:
            return self._parse_numbers(stripped)
        if self.type.word == "boolean":
            if self.counted:
                yes, _, no = map(parsing.fold, self.counted.partition("|"))
                return parsing.parse_words(stripped, frozenset({yes}), frozenset({no}))
            digits = ({"1"}, {"0"}) if self.noted else (set(), set())
            return parsing.parse_words(stripped, TRUE_WORDS | digits[0], FALSE_WORDS | digits[1])
        if self.counted:
            return self._parse_counts(stripped)
        if self.moments:
            return self._parse_moments(stripped)
        if self.type.word == "duration":
            return self._parse_durations(stripped)
        return self._parse_dates(stripped)

    def _parse_moments(self, texts: list[str]) -> Parsed:
        values, status = parse_moments(texts, self.moments[0].program, MONTHS, WEEKDAYS)
        for form in self.moments[1:]:
            left = np.flatnonzero(status == parsing.MISFIT)
            read, fits = parse_moments([texts[at] for at in left.tolist()], form.program, MONTHS, WEEKDAYS)
            values[left], status[left] = read, fits
        return values.view(STORAGE[self.type.word]), status

    def _parse_durations(self, texts: list[str]) -> Parsed:
        found = [read_duration(text) if text else None for text in texts]
        values = np.array([value or 0 for value in found], np.int64)
        status = [
            parsing.FITS if value is not None else parsing.MISFIT if text else parsing.BLANK
            for text, value in zip(texts, found, strict=True)
        ]
        return values.view(STORAGE["duration"]), np.array(status, np.uint8)

    def _parse_counts(self, texts: list[str]) -> Parsed:
        """Read numbers that count something as what they count from."""
        if self.counted == CLOCK_NUMBER:
            numbers, status = parsing.parse_integers(texts)
            hours, minutes = np.divmod(numbers, 100)
            wrong = (status == parsing.FITS) & ((numbers < 0) | (hours > 23) | (minutes > 59))
            status[wrong] = parsing.MISFIT
            micro = np.where(status == parsing.FITS, (hours * 60 + minutes) * 60_000_000, 0)
            return micro.view(STORAGE["time"]), status
        plain = plain_numbers(texts, Marks(self.decimal_mark, self.group_mark), self.unit).texts.strings()
        return counts_read(plain, self.counted, self.type.word)

    def _parse_numbers(self, texts: list[str]) -> Parsed:
        if self.noted or self.group_mark or self.unit:
            plain = plain_numbers(texts, Marks(self.decimal_mark, self.group_mark), self.unit).texts.strings()
        else:
            plain = _with_points(texts, self.decimal_mark)
        if self.type.word == "integer" or (self.type.word == "decimal" and not self.type.scale):
            return parsing.parse_integers(plain)
        if self.type.word == "number":
            return parsing.parse_numbers(plain)
        padded = [_pad(text, self.type.scale) for text in plain]
        return parsing.parse_decimals(padded, self.type.scale)

    def _parse_dates(self, texts: list[str]) -> Parsed:
        values = np.zeros(len(texts), STORAGE["date"])
        status = np.full(len(texts), parsing.MISFIT, np.uint8)
        status[[not text for text in texts]] = parsing.BLANK
        for form in self.dates:
            read, fits = parsing.parse_dates(texts, form.order, form.mark)
            hits = fits == parsing.FITS
            values[hits], status[hits] = read[hits], parsing.FITS
        return values, status


@lru_cache(maxsize=256)
def moment_form(forms: tuple[Form, ...]) -> MomentForm:
    """Return what the kernels are told of some forms."""
    programs = tuple((form.program.kind, np.array(form.program.ops, np.int32)) for form in forms)
    return MomentForm(programs, forms[0].type.word, MONTHS, WEEKDAYS)


# The day from which each kind of day count is counted, and the first count it can hold.
_DAY_COUNTS = {
    "days_since_1900": (np.datetime64("1899-12-30"), 61),
    "days_since_1904": (np.datetime64("1904-01-01"), 0),
}


def counts_read(texts: Sequence[str], counted: str, word: str) -> Parsed:
    """Read plain numbers that count days, seconds and so on.

    >>> counts_read(["45000", "1e99"], "days_since_1900", "date")[0].astype(str).tolist()
    ['2023-03-15', '1970-01-01']
    """
    numbers, status = parsing.parse_numbers(texts)
    numbers = np.where(status == parsing.FITS, numbers, 0.0)
    if counted in _DAY_COUNTS:
        start, least = _DAY_COUNTS[counted]
        within = (numbers >= least) & (numbers < 2_958_466) & (numbers == np.floor(numbers))
        days = np.where(within, numbers, 0).astype(np.int64)
        values = np.where(within, start + days.view("timedelta64[D]"), np.datetime64(0, "D"))
    else:
        factor = {"seconds_since_1970": 1_000_000, "milliseconds_since_1970": 1_000}.get(counted)
        with np.errstate(over="ignore"):
            micro = np.round(numbers * (factor or DURATION_UNITS[counted]))
        most = 253_402_300_800_000_000 if counted in EPOCHS else 2**62
        within = np.abs(micro) < most
        if counted in EPOCHS:
            within &= micro >= -62_135_596_800_000_000
        values = np.where(within, micro, 0).astype(np.int64).view(STORAGE[word])
    status[~within & (status == parsing.FITS)] = parsing.MISFIT
    return values, status


def _with_points(texts: Sequence[str], decimal_mark: str) -> list[str]:
    """Write numbers with a point, so that the kernels can read them."""
    if decimal_mark == ".":
        return list(texts)
    return [parsing.plain_number(text, decimal_mark, None) if text else text for text in texts]


def _pad(text: str, scale: int) -> str:
    """Give a plain number the zeros its scale asks for; a longer one is left as it is."""
    if "e" in text or "E" in text or not parsing.is_number(text):
        return text
    whole, _, rest = text.partition(".")
    sign = whole if whole in ("+", "-", "") else ""
    return f"{sign + '0' if whole == sign else whole}.{rest.ljust(scale, '0')}"
