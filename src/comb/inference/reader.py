"""Read texts as one type: what fits becomes a value, what does not keeps its text."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.inference.patterns import DateForm
from comb.inference.words import BOOLEAN_PAIRS
from comb.kernels import parsing
from comb.kernels.coding import Codes
from comb.kernels.parsing import Parsed
from comb.tables.column import Column, Mask
from comb.tables.evidence import Evidence
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import STORAGE, Type

TRUE_WORDS = frozenset(yes for yes, _ in BOOLEAN_PAIRS)
FALSE_WORDS = frozenset(no for _, no in BOOLEAN_PAIRS)

_STATE_OF_STATUS = np.array([Reason.PRESENT, Reason.BLANK, Reason.UNREADABLE], dtype=np.uint8)


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
    if not text or "e" in text or "E" in text:
        return text
    whole, _, rest = text.partition(".")
    return f"{whole or '0'}.{rest.ljust(scale, '0')}"


@dataclass(frozen=True, slots=True)
class RawColumn:
    """A column as its source wrote it.

    Attributes
    ----------
    text : Text
    absent : bool array or None
        Rows in which the source had no such cell.
    """

    text: Text
    absent: Mask | None = None


def build_column(raw: RawColumn, reading: Reading | None, markers: NDArray[np.bool_], evidence: Evidence) -> Column:
    """Make a typed column of texts.

    Parameters
    ----------
    raw : RawColumn
    reading : Reading or None
        How to read the texts; None leaves them as strings.
    markers : bool array
        For each distinct text of ``raw.text.coded()`` whether it stands for missing.
    evidence : Evidence
    """
    words, codes = raw.text.coded()
    values, status = _read_distinct(words, reading, markers)
    by_word = _STATE_OF_STATUS[status]
    by_word[markers] = Reason.MARKER
    state = by_word[codes]
    keeping = np.isin(state, (Reason.MARKER, Reason.UNREADABLE))
    if raw.absent is not None:
        state[raw.absent] = Reason.ABSENT
        keeping &= ~raw.absent
    kept = Kept({int(at): words[codes[at]] for at in np.flatnonzero(keeping)})
    if reading is None:
        return Column(evidence.chosen.type, raw.text, state, kept=kept, evidence=evidence)
    return Column(reading.type, values[codes], state, kept=kept, evidence=evidence, description=reading.unit)


def _read_distinct(
    words: Sequence[str], reading: Reading | None, markers: NDArray[np.bool_]
) -> tuple[NDArray[Any], NDArray[np.uint8]]:
    if reading is None:
        blank = [not word.strip() for word in words]
        return np.zeros(0), np.where(blank, parsing.BLANK, parsing.FITS).astype(np.uint8)
    wanted = ["" if marker else word for word, marker in zip(words, markers.tolist(), strict=True)]
    return reading.parse(wanted)


def count_cells(raw: RawColumn) -> Codes:
    """Return how many cells hold each distinct text of ``raw.text.coded()``."""
    words, codes = raw.text.coded()
    present = codes if raw.absent is None else codes[~raw.absent]
    return np.bincount(present, minlength=len(words)).astype(np.int64)
