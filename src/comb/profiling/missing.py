"""Findings about empty cells: blanks, words and numbers that mean missing."""

import numpy as np

from comb.errors import agree, counted
from comb.kernels.scalars import fold
from comb.kernels.types import IS_KNOWN
from comb.parsing.vocabulary import ANSWERS, MARKS_AND_OPPOSITES, SHORT_WORDS, STAND_INS
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, as_asked, kept_texts, noticed, quoted
from comb.steps.cell_steps import Convert
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.value_texts import digits, number_text

# Scales from minus one up to this are answers, not counts.
SMALL_SCALE = 2

# A number means missing only if it comes this often.
LEAST_STAND_INS = 3

# And if it lies this many times the width of the other values away from them.
LEAST_GAP = 1.0


def blanks(table: ColumnCache) -> Findings:
    """Cells with nothing in them, by column."""
    for name, column in table.columns.items():
        for reason, says in _EMPTY.items():
            count = int(table.state_counts(name)[reason])
            if count:
                where = column.states == reason
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
    for group in (set(words) - answers - codes, answers - codes):
        here = where & column.text.flags(lambda text, group=group: text in group)  # type: ignore[misc]
        count = int(here.sum())
        if not count:
            continue
        shown = {word: counts for word, counts in words.items() if word in group}
        text = f"{counted(count, 'cell')} of {name} {agree(count, 'looks like a word', 'look like words')} for missing"
        remedy = None
        if group is answers or group <= answers:
            text += "; in a column of texts it can be an answer as well"
        else:
            text += "; in a text column this is yours to decide"
            remedy = Convert(columns={name: "string"}, missing=list(shown))
        yield Finding("missing.marker", (name,), count, table.rows_where(here), quoted(shown), text, remedy)


# This many other texts of a column show whether they are codes.
MOST_OTHERS = 1_000


def _other_texts(column: Column, words: dict[str, int]) -> set[str]:
    """Return some of the texts of a column that are no words for missing."""
    found: set[str] = set()
    items = (
        column.text.items()
        if column.text.codes is not None
        else column.text.take(np.arange(min(len(column), MOST_OTHERS))).items()
    )
    for text in items:
        if text.strip() and text not in words:
            found.add(text.strip())
        if len(found) >= MOST_OTHERS:
            break
    return found


def _is_code_among(word: str, others: set[str]) -> bool:
    """Return whether a word is written like nearly all other texts: as letters of one case, as many."""
    equal = sum(len(text) == len(word) and text.isalpha() and text.isupper() == word.isupper() for text in others)
    return len(others) > 1 and equal >= LEAST_CODES * len(others)


# Other texts are codes of one length if at least this share of them is.
LEAST_CODES = 0.9


def stand_ins(table: ColumnCache) -> Findings:
    """Numbers far from all others that people type for "not known"."""
    for name, column in table.columns.items():
        if not column.type.numeric:
            continue
        codes = np.array(STAND_INS) * 10**column.type.scale
        ordered = table.ordered(name)
        starts, ends = (np.searchsorted(ordered, codes, side) for side in ("left", "right"))
        others = _ends_without(ordered, set(codes.tolist()))
        for sentinel, count in zip(codes.tolist(), (ends - starts).tolist(), strict=True):
            if count >= LEAST_STAND_INS and others is not None and _stands_apart(sentinel, *others):
                yield _stand_in(table, name, column, column.present & (column.array == sentinel), sentinel)


def _ends_without(ordered: np.ndarray, passed: set[int]) -> tuple[float, float] | None:
    """Return the least and the largest of ascending values that are not among some; None if there are no others."""
    first, last = 0, len(ordered) - 1
    while first <= last and ordered[first] in passed:
        first = int(np.searchsorted(ordered, ordered[first], "right"))
    while first <= last and ordered[last] in passed:
        last = int(np.searchsorted(ordered, ordered[last], "left")) - 1
    return (float(ordered[first]), float(ordered[last])) if first <= last else None


def _stands_apart(sentinel: int, low: float, high: float) -> bool:
    if sentinel < 0:
        # On a scale of -1, 0, 1 nothing stands apart.
        return low >= 0 and (sentinel < -1 or high > SMALL_SCALE)
    return sentinel > high + LEAST_GAP * max(high - low, 1.0)


def _stand_in(table: ColumnCache, name: str, column: Column, where: np.ndarray, sentinel: int) -> Finding:
    shown = number_text(sentinel) if column.type.word == "number" else digits(int(sentinel), column.type.scale)
    count = int(where.sum())
    others = column._take(np.flatnonzero(column.present & ~where)).texts()
    values = column.array[column.present & ~where]
    low, high = others[int(values.argmin())], others[int(values.argmax())]
    return Finding(
        "missing.stand_in",
        (name,),
        count,
        table.rows_where(where),
        (f"{shown} ({count:,})",),
        f"{counted(count, 'cell')} of {name} {agree(count, 'contains', 'contain')} {shown}; "
        f"all other values are between {low} and {high}",
        Convert(columns={name: as_asked(column)}, missing=[shown]),
    )


# Zeros are a heap apart if the others begin this many times their own width above it, and are different values:
# where there are few, as in columns of 0 and 1, zero is one of the answers.
ZERO_GAP = 0.5
LEAST_DIFFERENT = 5


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
        low, high = float(others[0]), float(others[-1])
        if low < ZERO_GAP * (high - low) or np.count_nonzero(others[1:] > others[:-1]) < LEAST_DIFFERENT - 1:
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
