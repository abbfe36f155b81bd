"""Findings about types and whole columns."""

import numpy as np

from comb.errors import agree, counted
from comb.inference.decide import infer_column
from comb.kernels.notation import shape_of
from comb.kernels.types import DIGITS_ONLY, ZERO_AHEAD
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import (
    MOST_EXAMPLES,
    Finding,
    Findings,
    as_asked,
    noticed,
    quoted,
    words_of,
)
from comb.steps.base import Step
from comb.steps.cell_steps import Convert
from comb.steps.column_steps import Calculate, Select
from comb.tables.column import Column
from comb.tables.evidence import TEXT_NUMBERS
from comb.tables.types import INTEGER

# Codes look like numbers when at least this share of a text column is digits only.
LEAST_DIGITS = 0.9


def leading_zeros(table: ColumnCache) -> Findings:
    """Codes that look like numbers and would lose their zeros as such."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not column.present.any():
            continue
        number_like, zeros = noticed(column, DIGITS_ONLY), noticed(column, ZERO_AHEAD)
        if zeros.any() and number_like.sum() >= LEAST_DIGITS * column.present.sum():
            words = dict(column.take(zeros.nonzero()[0]).distinct().commonest(MOST_EXAMPLES))
            count = int(zeros.sum())
            begin = agree(count, "begins", "begin")
            text = f"{counted(count, 'cell')} of {name} {begin} with a zero, as codes do; kept as text"
            yield Finding("type.leading_zeros", (name,), count, table.rows_where(zeros), quoted(words), text)


def constant_columns(table: ColumnCache) -> Findings:
    """Columns with one value, or with none at all."""
    for name, column in table.columns.items():
        present = len(column) - column.missing_count
        remedy = Select(leave_out=[name])
        nowhere = np.zeros(0, np.int64)
        if table.row_count > 1 and not present:
            yield Finding("column.empty", (name,), 0, nowhere, (), f"there is nothing in {name}", remedy)
        elif present > 1 and _one_value(column):
            value = column.distinct().commonest(1)[0][0]
            text = f"every value of {name} is {value}"
            yield Finding("column.constant", (name,), present, nowhere, (value,), text, remedy)


def _one_value(column: Column) -> bool:
    if len(column) > MOST_LOOKED_AT and not _one_value(column.take(np.flatnonzero(column.present)[:MOST_LOOKED_AT])):
        return False
    keys = column.keys()[column.present]
    return bool((keys == keys[0]).all())


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

# A code has no more values than this, and each of them several times.
MOST_LABELS = 12
LEAST_REPEATED = 5


def _everywhere(table: ColumnCache, column: Column) -> np.ndarray:
    return table.rows_where(column.present)


def numbers_that_count(table: ColumnCache) -> Findings:
    """Whole numbers that are days, moments or times of day, by their range and the name of the column."""
    for name, column in table.columns.items():
        words = words_of(name)
        if column.type != INTEGER or not words & (_CLOCK_WORDS | _DAY_WORDS) or not column.present.any():
            continue
        values = column.array[column.present]
        least, most = int(values.min()), int(values.max())
        asked = ""
        if words & _CLOCK_WORDS and least >= 0 and 100 <= most < 2400 and (values % 100 < 60).all():
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
            yield Finding(code, (name,), len(values), _everywhere(table, column), examples, text, remedy)


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
                "type.labels", (name,), int(counts.sum()), _everywhere(table, column), tuple(shown), text, remedy
            )


def doubts(table: ColumnCache) -> Findings:
    """What the evidence leaves open: swapped days and months, marks that could mean two things."""
    for name, column in table.columns.items():
        evidence = column.evidence
        if evidence is None or evidence.declared or not column.present.any():
            continue
        message = " ".join([*evidence.why, *(one.doubt for one in evidence.tried)])
        examples = tuple(text for text in column.take(np.arange(min(MOST_EXAMPLES, len(column)))).texts() if text)
        for code, sign in _SIGNS.items():
            if sign in message:
                rows = _everywhere(table, column)
                what = next(part for part in [*evidence.why, *(one.doubt for one in evidence.tried)] if sign in part)
                remedy = _remedy(name, code, column)
                text = f"{name} is {column.type}: {what}"
                yield Finding(code, (name,), len(rows), rows, examples, text, remedy)
                break


def mixed_dates(table: ColumnCache) -> Findings:
    """Dates in several forms, each read for what it is: somebody may have put two sources together."""
    for name, column in table.columns.items():
        evidence = column.evidence
        if evidence is None or evidence.minority is None:
            continue
        rows = table.rows_where(np.isin(table.row_numbers, evidence.minority) & column.present)
        if not len(rows):
            continue
        forms = sorted(evidence.forms.items(), key=lambda form: -form[1])
        message = ", ".join(f"{pattern} {count:,} times" for pattern, count in forms)
        text = f"{name} is written in several forms: {message}; each was read in its own format"
        yield Finding("type.mixed_dates", (name,), len(rows), rows, (), text)


# What evidence says, and what it means.
_SIGNS = {
    "type.ambiguous_dates": "day and month could be swapped",
    "type.rounded": "that a spreadsheet program rounded",
    "type.ambiguous_numbers": "could be a thousands separator",
    "type.text_numbers": TEXT_NUMBERS,
}


def _remedy(name: str, code: str, column: Column) -> Step | None:
    """Return a step where one reading is as good as certain; where two are, the choice is not Comb's."""
    if code == "type.text_numbers":
        return Convert(columns={name: as_asked(infer_column(column.text))})
    if code == "type.ambiguous_numbers" and column.type.word == "decimal":
        quoted = '"' + name.replace('"', '""') + '"'
        return Calculate(columns={name: f"cast({quoted} * 1000 as integer)"}, why="each point is a thousands separator")
    return None


def mixed_units(table: ColumnCache) -> Findings:
    """Numbers with units that differ from cell to cell."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not column.present.any():
            continue
        sample = [text for text in column.take(np.flatnonzero(column.present)[:MOST_LOOKED_AT]).texts() if text]
        shapes = [shape_of(text.strip()) for text in sample]
        units: dict[str, int] = {}
        for shape in shapes:
            if shape is not None:
                units[shape.unit] = units.get(shape.unit, 0) + 1
        if len(units) < 2 or sum(units.values()) < LEAST_DIGITS * len(sample):
            continue
        message = ", ".join(
            f"{unit or 'none'} {count:,} times" for unit, count in sorted(units.items(), key=lambda one: -one[1])
        )
        text = f"{name} holds numbers with different units: {message}; bring them to one unit before they are compared"
        rows = _everywhere(table, column)
        yield Finding("type.units", (name,), len(rows), rows, tuple(sample[:MOST_EXAMPLES]), text)


# This many values tell which units there are.
MOST_LOOKED_AT = 1_000
