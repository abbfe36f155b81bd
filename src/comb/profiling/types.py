"""Findings about types and whole columns."""

import re

import numpy as np

from comb.errors import counted
from comb.kernels.traits import DIGITS_ONLY, ZERO_AHEAD
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, kept_texts, noticed, quoted, rows_where
from comb.steps.cells import Convert
from comb.steps.columns import Select
from comb.tables.bare import BareTable
from comb.tables.column import Column
from comb.tables.reasons import Reason

# Codes look like numbers when at least this share of a text column is digits only.
LEAST_DIGITS = 0.9

_WITH_UNIT = re.compile(r"[+-]?[0-9]+(?:[.,][0-9]+)?\s*([^\W\d_]{1,4}|%|°C?)")


def unreadable(table: BareTable) -> Findings:
    """Texts that did not fit the type of their column."""
    for name, column in table.columns.items():
        where = column.states == Reason.UNREADABLE
        count = int(where.sum())
        if count:
            texts = kept_texts(column, where)
            unit = _common_unit(texts) if column.type.numeric else ""
            text = f"{counted(count, 'cell')} of {name} are no {column.type}; their text is kept"
            if unit:
                text += f"; it is a number with the unit {unit}"
            remedy = Convert(columns={name: str(column.type)}, unit=unit, decimal_mark=_mark(texts)) if unit else None
            yield Finding("type.unreadable", (name,), count, rows_where(table, where), quoted(texts), text, remedy)


def _common_unit(texts: dict[str, int]) -> str:
    """Return the unit that most of the texts carry behind a number, if they share one."""
    units: dict[str, int] = {}
    for text, count in texts.items():
        match = _WITH_UNIT.fullmatch(text.strip())
        if match:
            units[match[1]] = units.get(match[1], 0) + count
    return max(units, key=lambda unit: units[unit]) if units else ""


def _mark(texts: dict[str, int]) -> str | None:
    """Return the decimal mark where the texts show a comma."""
    commas = any("," in text for text in texts)
    return "," if commas and not any("." in text for text in texts) else None


def leading_zeros(table: BareTable) -> Findings:
    """Codes that look like numbers and would lose their zeros as such."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not column.present.any():
            continue
        number_like, zeros = noticed(column, DIGITS_ONLY), noticed(column, ZERO_AHEAD)
        if zeros.any() and number_like.sum() >= LEAST_DIGITS * column.present.sum():
            words = dict(column.take(zeros.nonzero()[0]).distinct().commonest(MOST_EXAMPLES))
            count = int(zeros.sum())
            text = f"{counted(count, 'cell')} of {name} begin with a zero: these are codes, kept as text"
            remedy = Convert(columns={name: "string"})
            rows = rows_where(table, zeros)
            yield Finding("type.leading_zeros", (name,), count, rows, quoted(words), text, remedy)


def constant_columns(table: BareTable) -> Findings:
    """Columns with one value, or with none at all."""
    for name, column in table.columns.items():
        present = len(column) - column.missing_count
        remedy = Select(leave_out=[name])
        nowhere = np.zeros(0, np.int64)
        if table.row_count > 1 and not present:
            yield Finding("column.empty", (name,), 0, nowhere, (), f"there is nothing in {name}", remedy)
        elif present > 1 and _one_value(column):
            value = column.distinct().commonest(1)[0][0]
            text = f"{name} says {value} in every row that has a value"
            yield Finding("column.constant", (name,), present, nowhere, (value,), text, remedy)


def _one_value(column: Column) -> bool:
    keys = column.keys()[column.present]
    return bool((keys == keys[0]).all())
