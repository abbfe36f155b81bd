"""Findings about empty cells: blanks, words and numbers that mean missing."""

from itertools import chain
from typing import Any

import numpy as np

from comb.errors import agree, counted, listing
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.scalars import fold
from comb.kernels.types import IS_KNOWN
from comb.parsing.vocabulary import (
    ANSWERS,
    KNOWN_WORDS,
    MARKS_AND_OPPOSITES,
    SHORT_WORDS,
    STAND_IN_DAYS,
    STAND_INS,
    SYMBOLS,
    is_missing_word,
)
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, as_asked, kept_texts, noticed, quoted
from comb.profiling.headings import OFTEN_NOTHING, SIGNED_WORDS, words_of
from comb.steps.cell_steps import Convert
from comb.tables.column import Column
from comb.tables.reasons import Reason

# Scales from minus one up to this are answers, not counts.
SMALL_SCALE = 2

# Up to this, -1 before 0 may be one of the values: a floor below the ground.
LONG_SCALE = 10

# A number means missing only if it comes this often, in a table of this many rows or more; in shorter ones less often.
LEAST_STAND_INS = 3
FEW_ROWS = 1_000

# And if it lies this many times the width of the other values away from them.
LEAST_GAP = 1.0


def blanks(table: ColumnCache) -> Findings:
    """Cells with nothing in them, by column."""
    for name, column in table.columns.items():
        for reason, says in _EMPTY.items():
            count = int(table.state_counts(name)[reason])
            # A column with nothing in it is reported as such.
            if count and (table.present_count(name) or table.row_count == 1):
                where = (column.states == reason) & ~table.told(name)
                count = int(where.sum())
                if not count:
                    continue
                text = f"{counted(count, 'cell')} of {name} ({count / table.row_count:.1%}) "
                text += f"{agree(count, 'is', 'are')} {says}"
                yield Finding("missing.blank", (name,), count, table.rows_where(where), (), text)


# Why a cell is empty although nothing in the source says so.
_EMPTY = {Reason.BLANK: "blank", Reason.ABSENT: "absent: the record has no such cell, or there was no match"}


def markers(table: ColumnCache) -> Findings:
    """Words that mean missing: applied in typed columns, proposed in text."""
    for name, column in table.columns.items():
        yield from _nulls(table, name, column)
        if column.type.word == "string":
            yield from _words_in_texts(table, name, column)
            yield from _number_among_words(table, name, column)
            continue
        where = (column.states == Reason.MARKER) & ~_without_text(column)
        words = kept_texts(column, where)
        if words:
            count = int(where.sum())
            text = f"{counted(count, 'cell')} of {name} {agree(count, 'contains', 'contain')} a word for missing"
            text += ", read as missing"
            yield Finding("missing.marker", (name,), count, table.rows_where(where), quoted(words), text)


def _without_text(column: Column) -> np.ndarray:
    """Return where a cell is missing by a marker that was no text: a null of JSON."""
    where: np.ndarray = column.states == Reason.MARKER
    where[[at for at in column.kept.texts if where[at]]] = False
    return where


def _nulls(table: ColumnCache, name: str, column: Column) -> Findings:
    """Cells for which the source says in its own way that there is no value."""
    if not int(table.state_counts(name)[Reason.MARKER]):
        return
    where = _without_text(column)
    count = int(where.sum())
    if count:
        text = f"{counted(count, 'cell')} of {name} {agree(count, 'is', 'are')} null in the source"
        yield Finding("missing.marker", (name,), count, table.rows_where(where), (), text)


def _words_in_texts(table: ColumnCache, name: str, column: Column) -> Findings:
    """Words that mean missing in a column of texts: those that could be answers have no remedy."""
    where = noticed(column, IS_KNOWN)
    if not where.any():
        return
    taken = column._take(np.flatnonzero(where))
    words = dict(taken.distinct().commonest(len(taken)))
    others = _other_texts(column, words)
    answers = {word for word in words if fold(word.strip()) in ANSWERS}
    answers |= {word for word in words if MARKS_AND_OPPOSITES.get(word.strip()) in others}
    codes = {word for word in words if fold(word.strip()) in SHORT_WORDS and _is_code_among(word.strip(), others)}
    codes |= {word for word in words if word.strip() == "Na" and others & SYMBOLS}
    # "None" is an answer to what one is allergic to: of words that are, nothing can be said.
    for group in (set(words) - answers - codes,):
        here = where & column.text.flags(group.__contains__, (column.text.traits(KNOWN_WORDS)[0] & IS_KNOWN) != 0)
        count = int(here.sum())
        if not count:
            continue
        shown = {word: counts for word, counts in words.items() if word in group}
        text = f"{counted(count, 'cell')} of {name} {agree(count, 'looks like a word', 'look like words')} for missing"
        text += "; in a text column this is yours to decide"
        remedy = Convert(columns={name: "string"}, missing=list(shown))
        yield Finding("missing.marker", (name,), count, table.rows_where(here), quoted(shown), text, remedy)


def _number_among_words(table: ColumnCache, name: str, column: Column) -> Findings:
    """A number that people type for "not known" in a column that else has words only."""
    numbers = numbers_for_missing(table, name)
    if not numbers:
        return
    count = sum(numbers.values())
    text = f"{counted(count, 'cell')} of {name} {agree(count, 'is', 'are')} {listing(list(numbers))}, as is typed for"
    text += " missing, and no other is a number; in a text column this is yours to decide"
    rows = table.rows_where(column.text.flags(numbers.__contains__) & column.present)
    remedy = Convert(columns={name: "string"}, missing=list(numbers))
    yield Finding("missing.marker", (name,), count, rows, quoted(numbers), text, remedy)


_PLAIN_NUMBER = lazy_pattern(r"\s*[-+]?[0-9]+(?:[.,][0-9]+)?\s*")
_FOR_MISSING = lazy_pattern(r"\s*(?:-(?:[189]|9{2,6})(?:[.,]0)?|9{2,9})\s*")


def numbers_for_missing(table: ColumnCache, name: str) -> dict[str, int]:
    """Return what is typed for "not known" among words, with how often it is there.

    Parameters
    ----------
    table : ColumnCache
    name : str

    Returns
    -------
    dict of str to int
        Empty where a number is there that means something, or where words have digits and the number no sign: it may
        be one of them.
    """
    column = table[name]
    if column.type.word != "string" or not column.present.any() or table.different(name) > MOST_DIFFERENT:
        return {}
    cells = dict(column.distinct().commonest(MOST_DIFFERENT))
    numbers = {text: count for text, count in cells.items() if _PLAIN_NUMBER.fullmatch(text)}
    if not numbers or not all(map(_FOR_MISSING.fullmatch, numbers)):
        return {}
    others = [text for text in cells if text not in numbers and not is_missing_word(text)]
    signed = all(text.strip().startswith("-") for text in numbers)
    if len(others) < (1 if signed else LEAST_WORDS) or sum(numbers.values()) < _least_count(table.row_count):
        return {}
    return numbers if signed or not any(any(map(str.isdigit, text)) for text in others) else {}


# One other text alone is the opposite of a number without a sign, and columns with more texts are left out.
LEAST_WORDS = 2
MOST_DIFFERENT = 20_000

# This many other texts of a column show whether they are codes.
MOST_OTHERS = 1_000


def _other_texts(column: Column, words: dict[str, int]) -> set[str]:
    """Return some of the texts of a column that are no words for missing."""
    found: set[str] = set()
    coded = column.text.codes is not None
    some = column.text if coded else column.text.take(np.arange(min(len(column), MOST_OTHERS)))
    for text in chain.from_iterable(some.items_in_parts()):
        if text.strip() and text not in words:
            found.add(text.strip())
        if len(found) >= MOST_OTHERS:
            break
    return found


def _is_code_among(word: str, others: set[str]) -> bool:
    """Return whether a word is written like nearly all other texts: as letters of one case, as many or one fewer."""
    case = (word.isupper(), word.istitle() and not word.isupper())
    equal = sum(
        len(text) in (len(word), len(word) - (1 if case[1] else 0))
        and text.isalpha()
        and (text.isupper() == case[0] or (case[1] and text.istitle()))
        for text in others
    )
    return len(others) > 1 and equal >= LEAST_CODES * len(others)


# Other texts are codes of one length if at least this share of them is.
LEAST_CODES = 0.9


def stand_ins(table: ColumnCache) -> Findings:
    """Numbers and days far from all others that people type for "not known"."""
    for name, column in table.columns.items():
        if column.type.choices or not table.present_count(name):
            continue
        if column.type.numeric:
            values = _numbers_for(column)
        elif column.type.plain.word in ("date", "datetime"):
            values = np.array(STAND_IN_DAYS, "datetime64[D]").astype(table.ordered(name).dtype)
        else:
            continue
        ordered = table.ordered(name)
        starts, ends = (np.searchsorted(ordered, values, side) for side in ("left", "right"))
        if not (ends > starts).any():
            continue
        others = _ends_without(ordered, values)
        if others is None:
            continue
        least = _least_count(table.row_count)
        dated = isinstance(values[0], np.datetime64)
        often = SPIKE * _most_of_one(ordered, values) if dated else 0
        for value, count in zip(values, (ends - starts).tolist(), strict=True):
            whole, signed = _whole(column, ordered), bool(words_of(name) & SIGNED_WORDS)
            # A day that comes so much more often than all others needs not lie as far from them.
            outside = dated and not others[0] <= value <= others[1]
            spike = outside and count >= max(LEAST_STAND_INS, often)
            if count >= least and (spike or _stands_apart(value, *others, all_whole=whole, signed=signed)):
                yield _stand_in(table, name, column, column.present & (column.array == value), others)


def _numbers_for(column: Column) -> np.ndarray:
    """Return the numbers that stand for missing as a column stores its values, ascending."""
    if column.type.plain.word == "number":
        return np.array(STAND_INS)
    scale = 10**column.type.plain.scale
    held = [round(number * scale) for number in STAND_INS if abs(number * scale - round(number * scale)) < NO_DIGIT]
    return np.array(sorted(held), np.int64)


# What is less than this is no digit of a number with two digits after the point.
NO_DIGIT = 1e-6


def _whole(column: Column, ordered: np.ndarray) -> bool:
    """Return whether values are days, whole numbers, or shown with as many digits as the column has."""
    return column.type.plain.word != "number" or bool((ordered == np.round(ordered)).all())


def _least_count(rows: int) -> int:
    """Return how often a value has to be there: in a short table once is enough, for it lies far from all others."""
    return min(LEAST_STAND_INS, max(1, rows // FEW_ROWS))


def _ends_without(ordered: np.ndarray, passed: np.ndarray) -> tuple[Any, Any] | None:
    """Return the least and the largest of ascending values that are not among some; None if there are no others."""
    first, last = 0, len(ordered) - 1
    while first <= last and (ordered[first] == passed).any():
        first = int(np.searchsorted(ordered, ordered[first], "right"))
    while first <= last and (ordered[last] == passed).any():
        last = int(np.searchsorted(ordered, ordered[last], "left")) - 1
    return (ordered[first], ordered[last]) if first <= last else None


def _most_of_one(ordered: np.ndarray, passed: np.ndarray) -> int:
    """Return how often the commonest of ascending values is there that is not among some."""
    starts = np.flatnonzero(np.append(True, ordered[1:] != ordered[:-1]))
    counts = np.diff(np.append(starts, len(ordered)))
    return int(counts[~np.isin(ordered[starts], passed)].max(initial=0))


def _stands_apart(value: Any, low: Any, high: Any, *, all_whole: bool, signed: bool) -> bool:
    if isinstance(value, np.datetime64):
        width = (high - low).astype("timedelta64[D]").astype(int)
        days = ((value - high) if value > high else (low - value)).astype("timedelta64[D]").astype(int)
        return bool(days > LEAST_GAP * max(int(width), DAYS_OF_A_YEAR) and days > 0)
    if value < 0:
        # Where negative values occur, or on a scale of -1, 0, 1, nothing stands apart but what is far away.
        if low < 0:
            return bool(value < low - LEAST_GAP * max(float(high) - float(low), 1.0))
        if value >= -1:
            # Next to zero it goes on with the others: of a short scale, or of what is counted below zero as well.
            return bool(high > SMALL_SCALE) if low > 0 else bool(high >= LONG_SCALE) and not signed
        return all_whole or bool(value < -LEAST_GAP * float(high))
    return bool(value > high + LEAST_GAP * max(float(high) - float(low), 1.0))


# A day that is there this many times as often as any other, and before or behind all of them, means missing.
SPIKE = 3

# A day that means missing lies at least this many days away from the others.
DAYS_OF_A_YEAR = 365


def _stand_in(table: ColumnCache, name: str, column: Column, where: np.ndarray, ends: tuple[Any, Any]) -> Finding:
    count = int(where.sum())
    values = column.array
    places = [int(np.argmax(column.present & (values == value))) for value in ends]
    shown, least, most = (column._take(np.array([at])).texts()[0] or "0" for at in (int(np.argmax(where)), *places))
    return Finding(
        "missing.stand_in",
        (name,),
        count,
        table.rows_where(where),
        (f"{shown} ({count:,})",),
        f"{counted(count, 'cell')} of {name} {agree(count, 'contains', 'contain')} {shown}; "
        f"all other values are between {least} and {most}",
        Convert(columns={name: as_asked(column)}, missing=[shown]),
    )


# Zeros are a heap apart if the least of the others is at least this share of their median, and they are different
# values: where there are few, as in columns of 0 and 1, zero is one of the answers. Of money there often is nothing.
ZERO_GAP = 0.2
LEAST_DIFFERENT = 4

# And they lie this many times further from zero than they usually lie from each other: of 0, 1, 2 none is apart.
STEPS_APART = 4.0

# As many of the values tell how far they usually lie from each other.
MANY = 10_000


def zeros(table: ColumnCache) -> Findings:
    """A heap of zeros that stands apart from all other values."""
    for name, column in table.columns.items():
        if not column.type.numeric or column.type.choices:
            continue
        ordered = table.ordered(name)
        count = int(np.searchsorted(ordered, 0, "right") - np.searchsorted(ordered, 0, "left"))
        others = ordered[count:]
        # Below zero nothing stands, or the zeros are not the least.
        if count < LEAST_STAND_INS or len(others) < count or ordered[0] < 0:
            continue
        low, median = float(others[0]), float(others[len(others) // 2])
        every = max(1, len(others) // MANY)
        steps = np.diff(np.unique(others[: max(LEAST_DIFFERENT, len(others) // 2) : every]))
        if len(steps) and low < STEPS_APART * float(np.median(steps)):
            continue
        if low < ZERO_GAP * median or np.count_nonzero(others[1:] > others[:-1]) < LEAST_DIFFERENT - 1:
            continue
        if words_of(name) & OFTEN_NOTHING:
            continue
        present = column.present
        none = present & (column.array == 0)
        shown = column._take(np.array([int(np.argmax(none))])).texts()[0] or "0"
        least, most = (
            column._take(np.array([int(np.argmax(present & (column.array == value)))])).texts()[0]
            for value in (others[0], others[-1])
        )
        cells = f"{counted(count, 'cell')} of {name} {agree(count, 'contains', 'contain')} {shown}"
        text = f"{cells}; all other values are between {least} and {most}"
        remedy = Convert(columns={name: as_asked(column)}, missing=[shown])
        yield Finding("missing.zeros", (name,), count, table.rows_where(none), (f"{shown} ({count:,})",), text, remedy)
