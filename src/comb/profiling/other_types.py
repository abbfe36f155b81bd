"""Findings about columns that could be of another type than they have: by their values, and by what their heading says.

A remedy is offered only where every value can be read so; a name alone proves nothing.
"""

import numpy as np

from comb.errors import counted
from comb.kernels.types import FITS, IS_KNOWN
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, everywhere, noticed, quoted
from comb.profiling.headings import day_pattern_of, words_of
from comb.steps.cell_steps import Convert
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.types import INTEGER, STRING

# Words in names of columns that hold days, and of those that hold times of day.
_DAY_WORDS = frozenset(
    ["date", "day", "datum", "tag", "jour", "fecha", "dia", "día", "on", "at", "when", "time", "timestamp", "since"]
)
_CLOCK_WORDS = frozenset(["time", "clock", "uhr", "uhrzeit", "zeit", "hour", "heure", "hora", "at"])
_CODE_WORDS = frozenset(
    ["code", "class", "type", "kind", "category", "status", "state", "grade", "group", "level", "klasse", "typ", "tipo"]
)

# Day counts of spreadsheet programs, from 1954 to 2064; seconds since 1970, from 1980 to 2065.
_DAY_COUNTS = (20_000, 60_000)
_SECONDS = (315_532_800, 3_000_000_000)

# Six of ten numbers pass for a time of day by chance; eight different ones do in one column of sixty.
LEAST_CLOCKS = 8

# A code has no more values than this, and each of them several times.
MOST_LABELS = 12
LEAST_REPEATED = 5


def numbers_that_count(table: ColumnCache) -> Findings:
    """Whole numbers that are days, moments or times of day, by their range and the name of the column."""
    for name, column in table.columns.items():
        words = words_of(name)
        # What is counted per day or hour is a rate.
        named = words & (_CLOCK_WORDS | _DAY_WORDS) and "per" not in words
        if column.type != INTEGER or not named or not column.present.any():
            continue
        values = column.array[column.present]
        least, most = int(values.min()), int(values.max())
        asked = ""
        if words & _CLOCK_WORDS and least >= 0 and 100 <= most < 2400 and _are_clocks(values):
            asked, code, message = "time Hmm", "type.clock_numbers", "times of day without a mark"
        elif words & _DAY_WORDS and _DAY_COUNTS[0] <= least and most <= _DAY_COUNTS[1]:
            asked, code, message = "date days_since_1900", "type.serial_dates", "day counts of a spreadsheet program"
        elif words & _DAY_WORDS and _SECONDS[0] <= least and most <= _SECONDS[1]:
            asked, code, message = "datetime seconds_since_1970", "type.serial_dates", "seconds since 1970"
        elif words & _DAY_WORDS and _SECONDS[0] * 1000 <= least and most <= _SECONDS[1] * 1000:
            asked, code, message = "datetime milliseconds_since_1970", "type.serial_dates", "milliseconds since 1970"
        if asked:
            examples = tuple(dict.fromkeys(map(str, values[:MOST_EXAMPLES].tolist())))
            text = f"by its name and its numbers, {name} holds {message}, from {least} to {most}"
            remedy = Convert(columns={name: asked})
            yield Finding(code, (name,), len(values), everywhere(table, column), examples, text, remedy)


def _are_clocks(values: np.ndarray) -> bool:
    """Return whether numbers are times of day by more than chance: their last two digits are minutes."""
    return bool((values % 100 < 60).all()) and len(np.unique(values)) >= LEAST_CLOCKS


def labels(table: ColumnCache) -> Findings:
    """Whole numbers that are codes for categories: few, repeated, and called so."""
    for name, column in table.columns.items():
        if column.type != INTEGER or not words_of(name) & _CODE_WORDS or not column.present.any():
            continue
        values, counts = np.unique(column.array[column.present], return_counts=True)
        if len(values) <= MOST_LABELS and counts.sum() >= LEAST_REPEATED * len(values):
            shown = [str(value) for value in values.tolist()]
            text = f"by its name, the {counted(len(values), 'number')} of {name} are codes: say what they stand for"
            remedy = Convert(columns={name: "category"}, choices=shown)
            yield Finding(
                "type.labels", (name,), int(counts.sum()), everywhere(table, column), tuple(shown), text, remedy
            )


# From this share of its values on, a column of texts is mostly of another type.
MOSTLY = 0.5


def mostly(table: ColumnCache) -> Findings:
    """Columns that are text although at least half of their values are of another type."""
    for name, column in table.columns.items():
        evidence = column.evidence
        if column.type.word != "string" or evidence is None or evidence.declared or not column.present.any():
            continue
        if evidence.why:
            # It is text for a reason: codes, marks that could mean two things.
            continue
        likely = next(
            (one for one in evidence.tried if one.type.plain != STRING and one.parser and not one.doubt), None
        )
        present = len(column) - column.missing_count
        if likely is None or not MOSTLY * present <= likely.fits < present:
            continue
        texts = column.text
        _, status = likely.parser.parse(texts.packed())
        wrong = status != FITS if texts.codes is None else (status != FITS)[texts.codes]
        wrong &= column.present & ~noticed(column, IS_KNOWN)
        count = int(wrong.sum())
        if not count:
            continue
        words = dict(column._take(np.flatnonzero(wrong)).distinct().commonest(MOST_EXAMPLES))
        says = f"{likely.fits:,} of {present:,} values of {name} are of type {likely.type}, but not these {count:,}"
        text = f"{says}: it is kept as text; convert {name} to {likely.type} keeps what does not fit beside the column"
        yield Finding("type.unreadable", (name,), count, table.rows_where(wrong), quoted(words), text)


def days_by_heading(table: ColumnCache) -> Findings:
    """Columns whose heading says that their digits are days, ``date (yymmdd)``, where all values are such days."""
    for name, column in table.columns.items():
        pattern = day_pattern_of(name)
        if pattern.isalpha() and are_days(name, column, pattern):
            found = column._take(np.flatnonzero(column.present))
            first = found._take(np.arange(min(len(found), MOST_EXAMPLES))).texts()
            examples = tuple(dict.fromkeys(text for text in first if text))
            text = f"every value of {name} is a day as its heading says: {pattern}"
            remedy = Convert(columns={name: f"date {pattern}"})
            yield Finding("type.serial_dates", (name,), len(found), everywhere(table, column), examples, text, remedy)


def are_days(name: str, column: Column, pattern: str) -> bool:
    """Return whether all values of a column are days of one pattern."""
    if column.type.word not in ("string", "integer") or not column.present.any():
        return False
    found = BareTable({name: column._take(np.flatnonzero(column.present))})
    return not Convert(columns={name: f"date {pattern}"}).apply(found).table[name].missing_count
