"""Findings about texts that did not fit the type of their column.

Numbers with a unit get a remedy where that is proven by their values: the unit is the one the column's name ends in
and the values lie where its other values lie, or several of them are of the same size as the others. ``2150 cm``
among metres is neither, so that it only is pointed out.
"""

from collections.abc import Collection

import msgspec
import numpy as np

from comb.errors import agree, counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, kept_texts, quoted
from comb.profiling.headings import words_of
from comb.profiling.other_types import day_counts_in
from comb.profiling.unit_conversion import NUMBER_MARKS, are_in_unit
from comb.profiling.units_apart import are_sides
from comb.profiling.unreadable_moments import commonest_form, reading, wrong_weekdays
from comb.steps.cell_steps import Convert
from comb.tables.column import Column, Mask
from comb.tables.reasons import Reason
from comb.tables.table import BareTable

_WITH_UNIT = lazy_pattern(
    r"[+-]?[0-9][0-9.,' ]*?\s*(?P<behind>[^\W\d_]{1,4}|%|°C?|[$€£¥])"
    r"|[+-]?(?P<before>[$€£¥]|[A-Z]{3})\s*[+-]?[0-9][0-9.,' ]*"
)
_ZERO_FIRST = lazy_pattern("0[0-9]+")

# Moments written in more forms than these are no forms but chance.
MOST_PARTS = 4

# A few words that come again and again in a column of numbers or dates say why it did not become one.
MOST_WORDS = 3
LEAST_REPEATED_WORDS = 3


class KeptText(msgspec.Struct, frozen=True):
    """A text that was not read as a value.

    Attributes
    ----------
    text : str
    reason : str
        Why its cells are missing: ``unreadable`` or ``marker``.
    rows : tuple of int
        The row numbers of its cells.
    """

    text: str
    reason: str
    rows: tuple[int, ...]

    @property
    def count(self) -> int:
        """How many cells hold it."""
        return len(self.rows)


def all_kept_texts(table: BareTable, name: str) -> list[KeptText]:
    """Return every text of a column that was not read as a value, the commonest first.

    Cost: a pass over the kept texts.
    """
    column = table[name]
    rows: dict[tuple[str, str], list[int]] = {}
    for at, text in column.kept.texts.items():
        word = Reason(int(column.states[at])).word
        rows.setdefault((text, word), []).append(int(table.row_numbers[at]))
    found = [KeptText(text, word, tuple(sorted(numbers))) for (text, word), numbers in rows.items()]
    return sorted(found, key=lambda one: (-one.count, one.text, one.reason))


class _Part(msgspec.Struct):
    """Cells of a column that did not fit, of one kind: numbers with a unit, or anything else."""

    texts: dict[str, int] = msgspec.field(default_factory=dict)
    unit: str = ""
    says: str = ""
    remedy: Convert | None = None


def unreadable(table: ColumnCache) -> Findings:
    """Texts that did not fit the type of their column."""
    for name, column in table.columns.items():
        if not int(table.state_counts(name)[Reason.UNREADABLE]):
            continue
        # Day counts among dates are reported as such.
        where = (column.states == Reason.UNREADABLE) & ~day_counts_in(column) & ~table.told(name)
        if not where.any():
            continue
        rest = _Part(kept_texts(column, where))
        parts = _numbers(name, column, where, rest) if column.type.numeric else _moments(name, column, rest)
        if not parts:
            yield _finding(table, name, where, rest)
            continue
        for part in [*parts, rest]:
            others = {text for one in parts if one is not part for text in one.texts}
            here = where & _holding(column, where, part.texts if part is not rest else None, others)
            if here.any():
                yield _finding(table, name, here, part)


def weekdays(table: ColumnCache) -> Findings:
    """Days in columns of texts that name another weekday than theirs, so that they are not read."""
    for name, column in table.columns.items():
        if column.type.word != "string" or table.told(name).any() or table.different(name) > MOST_DAYS:
            continue
        first = [text for text in column._take(column._first_present(LOOKED_AT)).texts() if text]
        if not wrong_weekdays(first[:FEW]):
            continue
        odd = wrong_weekdays(text for text in column.distinct().values.texts() if text)
        where = column.text.flags(odd.__contains__) & column.present
        count, all_of_them = int(np.count_nonzero(where)), table.present_count(name)
        if 2 * count > all_of_them:
            text = (
                f"{counted(count, 'cell')} of {name} {agree(count, 'names', 'name')} a weekday that is not that of the"
            )
            text += " day; as text it cannot be compared or drawn"
            shown = dict(column._take(np.flatnonzero(where)).distinct().commonest(MOST_EXAMPLES))
            yield Finding("type.unreadable", (name,), count, table.rows_where(where), quoted(shown), text)


# This many texts show whether there are weekdays, and of columns with more different days none is looked at.
LOOKED_AT = 200
FEW = 20
MOST_DAYS = 20_000


def _holding(column: Column, where: Mask, texts: Collection[str] | None, others: Collection[str]) -> Mask:
    """Return where one of some texts is kept; None means all but others, also cells without a text."""
    here = np.zeros(len(column), np.bool_)
    for at in np.flatnonzero(where).tolist():
        text = column.kept.texts.get(at)
        here[at] = text not in others if texts is None else text in texts
    return here


def _finding(table: ColumnCache, name: str, where: Mask, part: _Part) -> Finding:
    column, count = table[name], int(where.sum())
    text = f"{counted(count, 'cell')} of {name} {agree(count, 'is', 'are')} not of type {column.type}; "
    text += "the text is kept" if part.texts else "there is no text, the cells were calculated"
    if part.unit:
        text += f"; {agree(count, 'it is a number', 'they are numbers')} with the unit {part.unit}"
        if are_sides([part.unit, _unit_of(column)]):
            text += f", the others have {_unit_of(column)}: these may be credit and debit, of which one is negative"
            text += "; loaded as string, the column can be parted into number and unit"
        else:
            text += "" if part.remedy else ", which need not be that of the others"
    if part.says:
        text += f"; {part.says}"
    if words := _words_alone(part.texts):
        text += f"; {', '.join(map(repr, words))} may mean missing"
    code = "type.units" if part.unit else "type.unreadable"
    return Finding(code, (name,), count, table.rows_where(where), quoted(part.texts), text, part.remedy)


def _unit_of(column: Column) -> str:
    """Return the unit that the numbers of a column were read with; empty for others."""
    return "" if column.evidence is None else getattr(column.evidence.chosen.parser, "unit", "") or ""


def _words_alone(texts: dict[str, int]) -> list[str]:
    """Return the texts if they are a few repeated words without any digit."""
    if not 0 < len(texts) <= MOST_WORDS or min(texts.values()) < LEAST_REPEATED_WORDS:
        return []
    return list(texts) if not any(map(str.isdigit, "".join(texts))) else []


def _moments(name: str, column: Column, rest: _Part) -> list[_Part]:
    """Take the days and moments of each form out of the rest."""
    if column.type.word not in ("date", "datetime"):
        return []
    parts: list[_Part] = []
    if odd := wrong_weekdays(rest.texts):
        here = {text: rest.texts.pop(text) for text in list(rest.texts) if text in odd}
        says = agree(
            sum(here.values()), "its weekday is not that of its day", "their weekdays are not those of their days"
        )
        parts.append(_Part(here, says=says))
    while (found := commonest_form(rest.texts)) is not None and len(parts) < MOST_PARTS:
        form, texts = found
        here = {text: rest.texts.pop(text) for text in list(rest.texts) if text in texts}
        says, remedy = reading(name, column, form, texts, sum(here.values()))
        parts.append(_Part(here, says=says, remedy=remedy))
    return parts


def _numbers(name: str, column: Column, where: Mask, rest: _Part) -> list[_Part]:
    """Take codes with zeros in front and numbers with a unit out of the rest."""
    codes = {text: count for text, count in rest.texts.items() if _ZERO_FIRST.fullmatch(text.strip())}
    if not codes or column.type.plain.word != "integer":
        return _with_units(name, column, where, rest)
    rest.texts = {text: count for text, count in rest.texts.items() if text not in codes}
    begin = agree(sum(codes.values()), "it begins with a zero, as codes do", "they begin with a zero, as codes do")
    as_text = Convert(columns={name: "string"})
    return [
        _Part(codes, says=f"{begin}: as text all are kept", remedy=as_text),
        *_with_units(name, column, where, rest),
    ]


def _with_units(name: str, column: Column, where: Mask, rest: _Part) -> list[_Part]:
    """Take the numbers with each unit out of the rest; those with a remedy are a part of their own."""
    by_unit: dict[str, _Part] = {}
    for text, count in rest.texts.items():
        match = _WITH_UNIT.fullmatch(text.strip())
        if match:
            unit = match["behind"] or match["before"]
            by_unit.setdefault(unit, _Part(unit=unit)).texts[text] = count
    for part in by_unit.values():
        part.remedy = _unit_remedy(name, column, where, part)
        rest.texts = {text: count for text, count in rest.texts.items() if text not in part.texts}
    return list(by_unit.values())


def _unit_remedy(name: str, column: Column, where: Mask, part: _Part) -> Convert | None:
    """Return the step that reads numbers with a unit, if their values show that it is the unit of the column."""
    others = _sizes(column._take(np.flatnonzero(column.present)))
    cells = column._take(np.array([at for at, text in column.kept.texts.items() if where[at] and text in part.texts]))
    for decimal_mark, group_mark in NUMBER_MARKS:
        step = Convert(
            columns={name: str(column.type)}, unit=part.unit, decimal_mark=decimal_mark, group_mark=group_mark
        )
        made = step.apply(BareTable({name: cells})).table[name]
        if not made.missing_count:
            named = part.unit.casefold() in words_of(name)
            return step if are_in_unit(_sizes(made), others, named=named, unit=part.unit) else None
    return None


def _sizes(column: Column) -> np.ndarray:
    return np.array([float(text) for text in column.texts() if text is not None])
