"""Findings about types and whole columns."""

from collections.abc import Sequence
from itertools import islice
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.errors import agree, counted
from comb.execution.storage import blocks_of
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes
from comb.kernels.notation import SHORTENED, Shape, shape_of
from comb.kernels.types import DIGITS_ONLY, ZERO_AHEAD
from comb.parsing.headings import day_pattern_of
from comb.profiling import ordinals
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import (
    MOST_EXAMPLES,
    Finding,
    Findings,
    everywhere,
    noticed,
    quoted,
)
from comb.profiling.multipliers import WORDS
from comb.profiling.number_templates import has_moment
from comb.profiling.numbers_with_words import is_plural_of
from comb.profiling.one_unit import MOSTLY, words_among
from comb.profiling.other_types import are_days
from comb.profiling.text_forms import by_digits
from comb.profiling.unit_conversion import in_one_unit, in_unit_of_others
from comb.profiling.units_apart import are_sides, number_and_unit
from comb.steps.base import Step
from comb.steps.cell_steps import Convert
from comb.tables.column import Column
from comb.tables.evidence import (
    AMBIGUOUS_CLOCK,
    AMBIGUOUS_COMMA,
    AMBIGUOUS_DAY,
    AMBIGUOUS_MONTH,
    AMBIGUOUS_POINT,
    AMBIGUOUS_YEAR,
    CODES_WITH_ZEROS,
    LEAST_DOUBTED,
    MANY_DIGITS,
    RELEASES,
)

# Codes look like numbers when at least this share of a text column is digits only.
LEAST_DIGITS = 0.9


_ZERO_FIRST = lazy_pattern(r"\s*0[0-9]")


def leading_zeros(table: ColumnCache) -> Findings:
    """Codes that look like numbers and would lose their zeros as such."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not column.present.any():
            continue
        number_like, zeros = noticed(column, DIGITS_ONLY), noticed(column, ZERO_AHEAD)
        if column.evidence is not None and any(CODES_WITH_ZEROS in why for why in column.evidence.why):
            # With a point in them they are more than digits: 004.678.
            zeros = column.text.flags(lambda text: _ZERO_FIRST.match(text) is not None) & column.present
            number_like = column.present
        if zeros.any() and number_like.sum() >= LEAST_DIGITS * column.present.sum():
            words = dict(column._take(zeros.nonzero()[0]).distinct().commonest(MOST_EXAMPLES))
            count = int(zeros.sum())
            begin = agree(count, "begins", "begin")
            text = f"{counted(count, 'cell')} of {name} {begin} with a zero, as codes do; kept as text"
            yield Finding("type.leading_zeros", (name,), count, table.rows_where(zeros), quoted(words), text)


def wrong_totals(table: ColumnCache) -> Findings:
    """Totals in the source that their parts do not add up to."""
    found = table.origin.wrong_totals
    for name in dict.fromkeys(one.column for one in found):
        here = [one for one in found if one.column == name]
        examples = tuple(f"{one.given} in {one.place}, parts {one.parts}" for one in here[:MOST_EXAMPLES])
        are = agree(len(here), "is not the sum of its parts", "are not the sums of their parts")
        text = f"{counted(len(here), 'total')} of {name} in the source {are}"
        yield Finding("value.total", (name,), len(here), np.zeros(0, np.int64), examples, f"{text}: {examples[0]}")


def doubts(table: ColumnCache) -> Findings:
    """What the evidence leaves open: swapped days and months, marks that could mean two things."""
    for name, column in table.columns.items():
        evidence = table.read_as_text(name) if column.type.word == "string" else column.evidence
        if evidence is None or evidence.declared or not column.present.any() or evidence.chosen.type != column.type:
            continue
        # Another type that few of the cells fit is no doubt about them all.
        tried = [one for one in evidence.tried if one.fits >= LEAST_DOUBTED * evidence.chosen.fits]
        message = " ".join([*evidence.why, *(one.doubt for one in tried)])
        first = column._take(np.arange(min(MOST_LOOKED_AT, len(column)))).texts()
        examples = tuple(islice(dict.fromkeys(text for text in first if text), MOST_EXAMPLES))
        for code, sign in _SIGNS:
            if sign in message:
                rows = _rounded(table, column) if code == "type.rounded" else everywhere(table, column)
                what = next(part for part in [*evidence.why, *(one.doubt for one in tried)] if sign in part)
                remedy = _remedy(name, code, column)
                text = f"{name} is {column.type}: {what}"
                yield Finding(code, (name,), len(rows), rows, examples, text, remedy)
                break


# Spreadsheet programs show this many digits of long numbers, and numbers this long are shown so.
MOST_SHOWN_DIGITS = 6
LEAST_LONG = 1e10


def _rounded(table: ColumnCache, column: Column) -> Codes:
    """Return the rows whose number a spreadsheet program rounded; all, where they cannot be told."""
    if column.type.word == "string":
        where = column.text.flags(lambda text: SHORTENED.fullmatch(text.strip()) is not None) & column.present
    elif column.type.plain.word in ("integer", "number"):
        where = column.present
        for block in blocks_of(len(column)):
            values = np.abs(column.array[block].astype(np.float64))
            with np.errstate(divide="ignore", invalid="ignore"):
                unit = 10.0 ** np.maximum(0, np.floor(np.log10(values)) + 1 - MOST_SHOWN_DIGITS)
                where[block] &= (values >= LEAST_LONG) & (np.round(values / unit) * unit == values)
    else:
        where = column.present
    return table.rows_where(where) if where.any() else everywhere(table, column)


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
        message = ", ".join(f"{pattern} {counted(count, 'time')}" for pattern, count in forms)
        text = f"{name} is written in several forms: {message}; each was read in its own format"
        text += "; 24:00 is the midnight that follows" if any("24" in pattern for pattern, _ in forms) else ""
        yield Finding("type.mixed_dates", (name,), len(rows), rows, (), text)


# What evidence says, and what it means.
_SIGNS = (
    ("type.ambiguous_dates", "day and month could be swapped"),
    ("type.ambiguous_dates", AMBIGUOUS_DAY),
    ("type.ambiguous_dates", AMBIGUOUS_MONTH),
    ("type.ambiguous_dates", AMBIGUOUS_YEAR),
    ("type.ambiguous_dates", AMBIGUOUS_CLOCK),
    ("type.rounded", MANY_DIGITS),
    ("type.rounded", "that a spreadsheet program rounded"),
    ("type.ambiguous_numbers", AMBIGUOUS_COMMA),
    ("type.ambiguous_numbers", AMBIGUOUS_POINT),
    ("type.ambiguous_numbers", RELEASES),
)


def _remedy(name: str, code: str, column: Column) -> Step | None:
    """Return a step where one reading is as good as certain; where two are, the choice is not Comb's."""
    pattern = day_pattern_of(name) if code == "type.ambiguous_dates" else ""
    return Convert(columns={name: f"date {pattern}"}) if pattern and are_days(name, column, pattern) else None


def mixed_units(table: ColumnCache) -> Findings:
    """Numbers with units that differ from cell to cell, however few have another than the others."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not column.present.any():
            continue
        sample = [text for text in column._take(column._first_present(MOST_LOOKED_AT)).texts() if text]
        shaped = sum(shape_of(text.strip()) is not None for text in sample)
        if shaped < MOSTLY * len(sample):
            continue
        counts = column._text_counts()
        by_unit: dict[str, int] = {}
        if column.text.item_count > MOST_TEXTS:
            continue
        # Which digits a number has says nothing of its unit.
        forms, form_of = by_digits(column.text)
        shapes = [shape_of(form.strip()) for form in forms]
        of_form = np.bincount(form_of, counts, len(forms)).astype(np.int64)
        for at in np.flatnonzero(of_form).tolist():
            if (shape := shapes[at]) is not None:
                by_unit[shape.unit] = by_unit.get(shape.unit, 0) + int(of_form[at])
        if any(map(has_moment, by_unit)):
            # Days without a year are no amounts of their month.
            continue
        if len(by_unit) == 1 and "" not in by_unit:
            yield from words_among(table, name, next(iter(by_unit)), _units(column, counts, shapes, form_of))
        others_tell = set(by_unit) - {""} <= set(WORDS) or set(by_unit) <= ordinals.CAPITALS or is_plural_of(by_unit)
        if len(by_unit) < 2 or shaped < LEAST_DIGITS * len(sample) or others_tell:
            continue
        usual, *_ = sorted(by_unit, key=lambda unit: -by_unit[unit])
        message = ", ".join(
            f"{unit or 'none'} {counted(count, 'time')}"
            for unit, count in sorted(by_unit.items(), key=lambda one: -one[1])
        )
        others = {text for text, unit in _units(column, counts, shapes, form_of).items() if unit != usual}
        odd = column.text.flags(others.__contains__) & column.present
        count = int(odd.sum())
        words = dict(column._take(np.flatnonzero(odd)).distinct().commonest(MOST_EXAMPLES))
        text = f"{name} holds numbers with different units: {message}; "
        if are_sides(by_unit):
            text += "these may be credit and debit: one of them is negative before they are added up"
        else:
            text += "bring them to one unit before they are compared"
        whole = sum(by_unit.values()) == table.present_count(name)
        remedy: Step | None = in_one_unit(name, column, by_unit, table.names) if whole else None
        if whole and remedy is None:
            remedy, says = in_unit_of_others(name, column, by_unit, table.names)
            if remedy is None:
                remedy = number_and_unit(name, column, table.names)
                says = "the step decides nothing: number and unit become two columns"
            text += f"; {says}" if remedy is not None else ""
        yield Finding("type.units", (name,), count, table.rows_where(odd), quoted(words), text, remedy)


def _units(
    column: Column, counts: Codes, shapes: Sequence[Shape | None], form_of: NDArray[np.integer[Any]]
) -> dict[str, str]:
    """Return the unit of each text that is a number."""
    found = zip(column.text.items(), counts.tolist(), form_of.tolist(), strict=True)
    return {text: shape.unit for text, count, form in found if count and (shape := shapes[form]) is not None}


# Columns with more different texts do not hold numbers with units that differ here and there.
MOST_TEXTS = 500_000

# This many values tell which units there are.
MOST_LOOKED_AT = 1_000
