"""Read texts as one type: what fits becomes a value, what does not keeps its text."""

from functools import lru_cache
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.kernels import dispatch
from comb.kernels.notation import Marks
from comb.kernels.scalars import fold
from comb.kernels.string_buffer import StringBuffer
from comb.kernels.types import BLANK, FITS, MISFIT, CellForm, MomentForm, NumberForm, Parsed
from comb.parsing.calendar_names import months, weekdays
from comb.parsing.durations import read_duration
from comb.parsing.moment_programs import CLOCK_NUMBER, DURATION_UNITS, EPOCHS, MomentProgram
from comb.parsing.patterns import DateForm
from comb.parsing.vocabulary import BOOLEAN_PAIRS
from comb.tables.types import STORAGE, Type

if TYPE_CHECKING:
    from comb.kernels.protocol import Kernels

TRUE_WORDS = frozenset(yes for yes, _ in BOOLEAN_PAIRS)
FALSE_WORDS = frozenset(no for _, no in BOOLEAN_PAIRS)


class CellParser(msgspec.Struct, frozen=True):
    """How the texts of one column are read.

    Attributes
    ----------
    type : Type
    decimal_mark, group_mark : str
        The marks in numbers; an empty group mark means none.
    unit : str
        A unit or currency that may stand with the number and is taken off; percentages are divided by 100.
    dates : tuple of DateForm
        The numeric forms of dates that are accepted.
    moments : tuple of MomentProgram
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
    dates: tuple[DateForm, ...] = msgspec.field(default=())
    moments: tuple[MomentProgram, ...] = msgspec.field(default=())
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

    def parse(self, texts: StringBuffer, kernels: "Kernels | None" = None) -> Parsed:
        """Read texts; outer spaces do not count.

        Parameters
        ----------
        texts : StringBuffer
        kernels : Kernels, optional
            By default those in use.

        Returns
        -------
        values, status
            One of each for every text.
        """
        kernels = kernels or dispatch.kernels
        if self.type.numeric and (self.noted or self.group_mark or self.unit):
            plain = kernels.plain_numbers(texts, Marks(self.decimal_mark, self.group_mark), self.unit)
            return CellParser(self.type).parse(plain.texts, kernels)
        form = self.form
        if form is not None:
            return kernels.read(texts, form)
        if self.type.word == "boolean":
            return kernels.read_words(texts, *self._words())
        if self.counted:
            return self._parse_counts(texts, kernels)
        if self.type.word == "duration":
            return self._parse_durations(texts)
        return kernels.read(texts, ())

    def _words(self) -> tuple[frozenset[str], frozenset[str]]:
        """Return the words for true and false."""
        if self.counted:
            yes, _, no = map(fold, self.counted.partition("|"))
            return frozenset({yes}), frozenset({no})
        return (TRUE_WORDS | {"1"}, FALSE_WORDS | {"0"}) if self.noted else (TRUE_WORDS, FALSE_WORDS)

    def _parse_durations(self, texts: StringBuffer) -> Parsed:
        stripped = [text.strip() for text in texts.strings()]
        found = [read_duration(text) if text else None for text in stripped]
        values = np.array([value or 0 for value in found], np.int64)
        status = [
            FITS if value is not None else MISFIT if text else BLANK
            for text, value in zip(stripped, found, strict=True)
        ]
        return values.view(STORAGE["duration"]), np.array(status, np.uint8)

    def _parse_counts(self, texts: StringBuffer, kernels: "Kernels") -> Parsed:
        """Read numbers that count something as what they count from."""
        if self.counted == CLOCK_NUMBER:
            numbers, status = kernels.read(texts, NumberForm("integer", 0, "."))
            hours, minutes = np.divmod(numbers, 100)
            wrong = (status == FITS) & ((numbers < 0) | (hours > 23) | (minutes > 59))
            status[wrong] = MISFIT
            micro = np.where(status == FITS, (hours * 60 + minutes) * 60_000_000, 0)
            return micro.view(STORAGE["time"]), status
        plain = kernels.plain_numbers(texts, Marks(self.decimal_mark, self.group_mark), self.unit).texts
        return counts_read(plain, self.counted, self.type.word)


@lru_cache(maxsize=256)
def moment_form(forms: tuple[MomentProgram, ...]) -> MomentForm:
    """Return what the kernels are known of some forms."""
    programs = tuple((form.program.kind, np.array(form.program.ops, np.int32)) for form in forms)
    return MomentForm(programs, forms[0].type.word, months(), weekdays())


# The day from which each kind of day count is counted, and the first count it can hold.
_DAY_COUNTS = {
    "days_since_1900": (np.datetime64("1899-12-30"), 61),
    "days_since_1904": (np.datetime64("1904-01-01"), 0),
}


def _moments_of_days(numbers: NDArray[Any], status: NDArray[np.uint8], start: np.datetime64, least: int) -> Parsed:
    """Read day counts whose fraction is the time of day; programs keep it to the millisecond."""
    within = (numbers >= least) & (numbers < 2_958_466)
    milliseconds = np.round(np.where(within, numbers, 0.0) * 86_400_000.0).astype(np.int64)
    first = start.astype("datetime64[us]").astype(np.int64)
    values = np.where(within, first + 1_000 * milliseconds, 0).astype(np.int64).view("datetime64[us]")
    status[~within & (status == FITS)] = MISFIT
    return values, status


def counts_read(texts: StringBuffer, counted: str, word: str) -> Parsed:
    """Read plain numbers that count days, seconds and so on.

    >>> from comb.kernels.string_buffer import pack
    >>> counts_read(pack(["45000", "1e99"]), "days_since_1900", "date")[0].astype(str).tolist()
    ['2023-03-15', '1970-01-01']
    """
    numbers, status = dispatch.kernels.read(texts, NumberForm("number", 0, "."))
    numbers = np.where(status == FITS, numbers, 0.0)
    if counted in _DAY_COUNTS:
        start, least = _DAY_COUNTS[counted]
        if word == "datetime":
            return _moments_of_days(numbers, status, start, least)
        within = (numbers >= least) & (numbers < 2_958_466) & (numbers == np.floor(numbers))
        days = np.where(within, numbers, 0).astype(np.int64)
        values = np.where(within, start + days.view("timedelta64[D]"), np.datetime64(0, "D"))
    else:
        # Counts of a unit since 1970 are durations.
        with np.errstate(over="ignore"):
            micro = np.round(numbers * DURATION_UNITS[counted.removesuffix("_since_1970")])
        most = 253_402_300_800_000_000 if counted in EPOCHS else 2**62
        within = np.abs(micro) < most
        if counted in EPOCHS:
            within &= micro >= -62_135_596_800_000_000
        values = np.where(within, micro, 0).astype(np.int64).view(STORAGE[word])
    status[~within & (status == FITS)] = MISFIT
    return values, status
