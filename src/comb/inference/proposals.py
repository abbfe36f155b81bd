"""What else a column could be, which Comb proposes but does not decide: categories, ticks, codes of one shape."""

import re

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from comb.errors import counted
from comb.tables.column import Column
from comb.tables.evidence import PROPOSED, Candidate, Evidence
from comb.tables.text import Text
from comb.tables.types import BOOLEAN, category

# A category is proposed for this many values at most, each of them so often on the average.
MOST_VALUES = 30
LEAST_OFTEN = 10

# This many different texts at most, with those that mean missing, and this many texts show whether there are more.
MOST_DIFFERENT = MOST_VALUES + 5
FIRST_TEXTS = 200

# Marks that tick a cell.
_TICKS = frozenset(["x", "✓", "✔", "✗", "*"])

# Codes are short, and one shape shows only in several of them.
LONGEST_CODE = 24
LEAST_CODES = 5
LEAST_SHARE = 0.9
LOOKED_AT_ONCE = 50_000

# What is said of codes, before their shape.
CODES = "codes of one shape: "

# What a character of a code stands for in its shape.
_SHAPES = np.arange(256, dtype=np.uint8)
_SHAPES[48:58] = ord("9")
_SHAPES[65:91] = ord("A")
_SHAPES[97:123] = ord("a")


def with_proposals(column: Column) -> Column:
    """Add to the evidence of a column of texts what else it could be.

    Cost: nothing that grows with the rows, where texts have codes; else one pass over the bytes.
    """
    evidence, values = column.evidence, column.values
    if evidence is None or evidence.declared or column.type.word != "string" or not isinstance(values, Text):
        return column
    present = len(column) - column.missing_count
    message = _proposed(column, values, present)
    shape = code_shape(values) if not evidence.why and not message else ""
    if shape:
        message, evidence = None, replace(evidence, why=(f"{CODES}{shape}",))
    if message is not None:
        evidence = _with(evidence, message)
    return column if evidence is column.evidence else column._replace(evidence=evidence)


def _with(evidence: Evidence, proposed: Candidate) -> Evidence:
    tried = evidence.tried or (evidence.chosen,)
    return replace(evidence, runner_up=evidence.runner_up or proposed, tried=(*tried, proposed))


def _proposed(column: Column, text: Text, present: int) -> Candidate | None:
    """Return the type that few and repeated texts suggest."""
    if text.codes is None and len(set(text.take(np.arange(min(len(text), FIRST_TEXTS))).items())) <= MOST_DIFFERENT:
        # Short runs of a source differ too much for codes, where the whole column does not.
        text = text.with_codes()
    if text.codes is None or not present or text.item_count > MOST_DIFFERENT:
        return None
    counts = column._replace(values=text)._text_counts()
    words = {text.items()[at].strip() for at in np.flatnonzero(counts).tolist()}
    if len(words) == 1 and column.missing_count and next(iter(words)).casefold() in _TICKS:
        [tick] = words
        return Candidate(BOOLEAN, present, 0, doubt=f"{PROPOSED}{tick!r} against nothing can mean yes and no")
    if 2 <= len(words) <= MOST_VALUES and present >= LEAST_OFTEN * len(words):
        message = f"{PROPOSED}{counted(len(words), 'value')}, {present // len(words):,} times each on average"
        return Candidate(category(column.type, []), present, 0, doubt=message)
    return None


def code_shape(text: Text) -> str:
    """Return the shape that nearly all stored texts share, if they are codes: digits as 9, letters as A and a.

    >>> code_shape(Text.from_strings(["AB-12", "CD-07", "XY-33", "QQ-90", "RS-41", "TU-56"]))
    'AA-99'
    """
    if text.item_count < LEAST_CODES or not len(text.buffer):
        return ""
    size = int(np.diff(text.offsets[: LEAST_CODES * 4 + 1]).max())
    if not 2 <= size <= LONGEST_CODE or _too_many_differ(text.offsets, size):
        return ""
    sizes = np.diff(text.offsets)
    equal = np.flatnonzero(sizes == size)
    if len(equal) < max(LEAST_CODES, LEAST_SHARE * np.count_nonzero(sizes)):
        return ""
    starts = text.offsets[equal]
    shape = _SHAPES[text.buffer[starts[0] : starts[0] + size]]
    message = bytes(shape).decode("ascii", "replace")
    if not re.fullmatch(r"(?=.*9)[9Aa._/:#-]+", message):
        return ""
    for place, byte in enumerate(shape.tolist()):
        if np.count_nonzero(_SHAPES[text.buffer[starts + place]] == byte) < LEAST_SHARE * len(starts):
            return ""
    return message


def _too_many_differ(offsets: NDArray[np.int64], size: int) -> bool:
    """Return whether this many texts are of another size that the others cannot be nearly all."""
    differing, most = 0, (1 - LEAST_SHARE) * (len(offsets) - 1)
    for start in range(0, len(offsets) - 1, LOOKED_AT_ONCE):
        sizes = np.diff(offsets[start : start + LOOKED_AT_ONCE + 1])
        differing += int(np.count_nonzero((sizes != size) & (sizes > 0)))
        if differing > most:
            return True
    return False
