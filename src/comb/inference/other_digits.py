"""Numbers and dates in the digits of other scripts: Arabic, Devanagari, full-width and all others that Unicode knows.

Columns in which some values have such digits, as of a keyboard set to another language, are read as if these were
written with 0 to 9. What does not fit keeps its text as it was written. A column that is text all the same stays so.
"""

import re
import unicodedata
from collections.abc import Iterable

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.chunks.column_chunk import TextChunk
from comb.chunks.column_source import ColumnSource
from comb.formats.lazy_pattern import lazy_pattern
from comb.tables.column import Column
from comb.tables.kept import Kept

# The first values, this number of them, and all that did not fit show whether some are written so.
LOOKED_AT = 200

WHY = "digits of another script are read as 0 to 9"

# Marks that belong to these digits, and what they are.
_MARKS = {"٫": ".", "٬": ",", "．": ".", "，": ",", "－": "-", "−": "-", "／": "/", "：": ":", "％": "%", "　": " "}
_OTHER = lazy_pattern(r"[^\x00-\x7f]")


class PlainDigits(msgspec.Struct, frozen=True):
    """A column with its digits as 0 to 9.

    Attributes
    ----------
    source : ColumnSource
    written : ColumnSource
        As it was.
    """

    source: ColumnSource
    written: ColumnSource

    def as_written(self, column: Column) -> Column:
        """Give the cells that did not fit their own text back, and say how the column was read."""
        places = sorted(column.kept.texts)
        kept = column.kept
        if places:
            texts = self.written.texts_at(np.array(places))
            kept = Kept(dict(zip(places, texts, strict=True)))
        evidence = column.evidence
        if evidence is not None:
            evidence = replace(evidence, why=(*evidence.why, WHY))
        return column._replace(kept=kept, evidence=evidence)


def with_plain_digits(source: ColumnSource, misfits: Iterable[str] = ()) -> PlainDigits | None:
    """Return a column with its digits as 0 to 9; None if none of those looked at are of another script.

    Parameters
    ----------
    source : ColumnSource
    misfits : iterable of str
        Texts that did not fit the type.
    """
    if not any(map(_has_others, source.sample(LOOKED_AT))) and not any(map(_has_others, misfits)):
        return None
    chunks = [TextChunk(chunk.text.map(plain_digits), chunk.words) for chunk in source.texts()]
    return PlainDigits(ColumnSource(chunks), source)


def _has_others(text: str) -> bool:
    return not text.isascii() and any(sign.isdecimal() and not sign.isascii() for sign in text)


def plain_digits(text: str) -> str:
    """Return a text with the digits of all scripts as 0 to 9.

    >>> plain_digits("٣٤٥"), plain_digits("７．５"), plain_digits("hive 7")
    ('345', '7.5', 'hive 7')
    """
    return _OTHER.sub(_plain, text) if not text.isascii() else text


def _plain(found: re.Match[str]) -> str:
    sign = found[0]
    return str(unicodedata.decimal(sign)) if sign.isdecimal() else _MARKS.get(sign, sign)
