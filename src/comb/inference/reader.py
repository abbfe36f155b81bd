"""Read texts as one type: what fits becomes a value, what does not keeps its text."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from comb.inference.patterns import DateForm
from comb.inference.words import BOOLEAN_PAIRS
from comb.kernels import chosen, parsing
from comb.kernels.blocks import DateOrders, NumberForm
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
        A unit that may follow the number and is taken off.
    dates : tuple of DateForm
        The forms of dates that are accepted.
    """

    type: Type
    decimal_mark: str = "."
    group_mark: str = ""
    unit: str = ""
    dates: tuple[DateForm, ...] = field(default=())

    @property
    def orders(self) -> tuple[tuple[str, str], ...]:
        """The order of parts and the mark of each form of date."""
        return tuple((form.order, form.mark) for form in self.dates)

    @property
    def form(self) -> NumberForm | DateOrders | None:
        """How the compiled kernels read it; None if they do not."""
        if self.type.numeric and not self.group_mark and not self.unit:
            return NumberForm(self.type.word, self.type.scale, self.decimal_mark)
        return self.orders or None

    def parse_text(self, texts: Packed) -> Parsed:
        """Read texts end to end, as `parse` does."""
        form = self.form
        read = None if form is None else chosen.read(texts, form)
        return self.parse(texts.strings()) if read is None else read

    def parse(self, texts: Sequence[str]) -> Parsed:
        """Read texts; returns values and status. Outer spaces do not count."""
        stripped = [text.strip() for text in texts]
        if self.type.numeric:
            return self._parse_numbers(stripped)
        if self.type.word == "boolean":
            return parsing.parse_words(stripped, TRUE_WORDS, FALSE_WORDS)
        return self._parse_dates(stripped)

    def _parse_numbers(self, texts: list[str]) -> Parsed:
        plain = plain_numbers(texts, self.decimal_mark, self.group_mark, self.unit)
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


def plain_numbers(texts: Sequence[str], decimal_mark: str, group_mark: str, unit: str = "") -> list[str]:
    """Take the unit off and rewrite the marks, so that the kernels can read the numbers."""
    if unit:
        texts = [text.removesuffix(unit).rstrip() if text != unit else text for text in texts]
    if decimal_mark == "." and not group_mark:
        return list(texts)
    return [parsing.plain_number(text, decimal_mark, group_mark or None) if text else text for text in texts]


def _pad(text: str, scale: int) -> str:
    """Give a plain number the zeros its scale asks for; a longer one is left as it is."""
    if "e" in text or "E" in text or not parsing.is_number(text):
        return text
    whole, _, rest = text.partition(".")
    sign = whole if whole in ("+", "-", "") else ""
    return f"{sign + '0' if whole == sign else whole}.{rest.ljust(scale, '0')}"
