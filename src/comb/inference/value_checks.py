"""What only the values show: days written as whole numbers, identifiers, numbers that were rounded."""

from collections.abc import Iterator
from itertools import chain, islice
from typing import Any

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from comb.chunks.column_source import ColumnSource
from comb.errors import counted
from comb.execution.storage import blocks_of
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.types import MOST_DECIMAL_DIGITS, TallySlot
from comb.parsing.cell_parser import CellParser
from comb.parsing.moment_programs import moment_program
from comb.tables.column import Column
from comb.tables.evidence import RELEASES, Candidate, Evidence
from comb.tables.types import DATE, INTEGER, NUMBER, STRING

# Days written as yyyyMMdd that may be meant, and how many different ones have to be among the first values.
FIRST_COMPACT, LAST_COMPACT = 19000101, 21001231
LEAST_COMPACT = 3
FIRST_SEEN = 1000

# Whole numbers with more digits than this count nothing.
LARGEST_COUNT = 10**18

# Spreadsheet programs write numbers from here on with an exponent.
ROUNDED_FROM = 1e9
_ROUNDED = lazy_pattern(r"[1-9](?:[.,][0-9]{1,9})?E\+[0-9]{2}")

# Releases and sections go no further than this behind the point.
LAST_OF_RELEASE = 40
Verdict = tuple[CellParser | None, Evidence]


def recheck(column: Column, source: ColumnSource) -> Verdict | None:
    """Return another reading where the values of a column speak against its type; None if they do not.

    Parameters
    ----------
    column : Column
        As it was read.
    source : ColumnSource
        What it was read from.

    Returns
    -------
    reading, evidence
        A reading of None leaves texts. Where the reading is the same, the evidence says more.
    """
    evidence = column.evidence
    if evidence is None or evidence.declared or not len(column) or not column.type.numeric:
        return None
    # What is missing counts here too, so that the usual column is not copied for nothing.
    least, most = column.array.min(), column.array.max()
    if column.type.word == "number":
        if least > -ROUNDED_FROM and most < ROUNDED_FROM:
            return _of_releases(column, source, evidence)
        return _of_numbers(column, source, evidence)
    if column.type == INTEGER:
        return None if least > -LARGEST_COUNT and most < FIRST_COMPACT else _of_integers(column, evidence)
    return None


def _present(column: Column) -> Iterator[NDArray[Any]]:
    """Give the values of a column, which may be larger than memory, some rows at a time."""
    for rows in blocks_of(len(column)):
        values = column.array[rows]
        values = values if column.state is None else values[column.state[rows] == 0]
        if len(values):
            yield values


def _as_text(evidence: Evidence, why: str) -> Verdict:
    """Return the verdict that a column stays text; what it was nearly taken for is the next best."""
    rejected = replace(evidence.chosen, doubt=why)
    text = Candidate(STRING, rejected.fits + rejected.misfits, 0)
    tried = (text, rejected, *(one for one in evidence.tried if one != evidence.chosen))
    return None, replace(evidence, chosen=text, runner_up=rejected, why=(why,), examples=(), tried=tried)


def _of_integers(column: Column, evidence: Evidence) -> Verdict | None:
    ends = [(int(values.min()), int(values.max())) for values in _present(column)]
    if not ends:
        return None
    least, most = min(low for low, _ in ends), max(high for _, high in ends)
    if most >= LARGEST_COUNT or least <= -LARGEST_COUNT:
        return _as_text(evidence, "numbers of more than 18 digits count nothing: these are identifiers")
    if least >= FIRST_COMPACT and most <= LAST_COMPACT and not evidence.chosen.misfits and _are_days(column):
        form = moment_program("date", "yyyyMMdd")
        chosen = Candidate(DATE, evidence.chosen.fits, 0, form.pattern)
        why = ("every number is a day of the calendar, written as year, month and day",)
        others = tuple(one for one in evidence.tried if one != evidence.chosen)
        tried = (chosen, evidence.chosen, *others)
        return CellParser(DATE, moments=(form,)), replace(
            evidence, chosen=chosen, runner_up=evidence.chosen, why=why, tried=tried
        )
    return None


def _are_days(column: Column) -> bool:
    if not all(map(_in_calendar, _present(column))):
        return False
    first = np.fromiter(islice(chain.from_iterable(_present(column)), FIRST_SEEN), np.int64)
    return len(np.unique(first)) >= LEAST_COMPACT


def _in_calendar(values: NDArray[Any]) -> bool:
    years, months, days = values // 10000, values // 100 % 100, values % 100
    if not ((months >= 1) & (months <= 12) & (days >= 1) & (days <= 31)).all():
        return False
    starts = ((years - 1970) * 12 + months - 1).astype("datetime64[M]")
    lengths = ((starts + np.timedelta64(1, "M")).astype("datetime64[D]") - starts.astype("datetime64[D]")).astype(
        np.int64
    )
    return bool((days <= lengths).all())


def _of_numbers(column: Column, source: ColumnSource, evidence: Evidence) -> Verdict | None:
    """Notice identifiers that a spreadsheet program rounded: 4.00638E+12."""
    large = np.flatnonzero((np.abs(column.array) >= ROUNDED_FROM) & column.present)
    values = column.array[large]
    if not len(large) or not (values == np.floor(values)).all():
        return None
    # Rounded numbers end in zeros.
    suspects = large[values % 1000 == 0][:1000]
    texts = [text.strip() for text in source.texts_at(suspects)] if len(suspects) else []
    rounded = sum(_ROUNDED.fullmatch(text) is not None for text in texts)
    others = column.array[column.present]
    if not rounded or not (others == np.floor(others)).all():
        return None
    example = next(text for text in texts if _ROUNDED.fullmatch(text))
    return _as_text(evidence, f"{counted(rounded, 'number')} that a spreadsheet program rounded, like {example}")


def _last_with_two(values: NDArray[Any]) -> int:
    """Return the largest of the parts behind the point that have two digits."""
    hundredths = np.round(np.abs(values) * 100).astype(np.int64) % 100
    return int(hundredths[hundredths % 10 != 0].max(initial=0))


def _of_releases(column: Column, source: ColumnSource, evidence: Evidence) -> Verdict | None:
    """Notice numbers of releases, chapters and sections: 1.9 is followed by 1.10, which is not 1.1.

    They have one digit or two behind the point, those with two go not far beyond 10, and some end in zero, which who
    writes numbers either always writes or never.
    """
    tally = source.tally()
    scales = tally[TallySlot.POINT_SCALE + 1 : TallySlot.POINT_SCALE + MOST_DECIMAL_DIGITS + 1]
    if evidence.chosen.parser != CellParser(NUMBER) or set(scales.nonzero()[0].tolist()) != {0, 1}:
        return None
    if max(map(_last_with_two, _present(column)), default=0) > LAST_OF_RELEASE:
        return None
    last = 0
    for chunk in source.texts():
        ends = (text.strip().partition(".")[2] for text in chunk.text.items())
        last = max(last, *(int(end) for end in ends if len(end) == 2 and end.isdigit() and end[1] == "0"), 0)
    if not 0 < last <= LAST_OF_RELEASE:
        return None
    return _as_text(evidence, f"some end in zero, like .{last}: {RELEASES}")
