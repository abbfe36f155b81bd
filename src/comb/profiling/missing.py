"""Findings about empty cells: blanks, words and numbers that mean missing."""

import numpy as np

from comb.errors import agree, counted
from comb.kernels.types import IS_KNOWN
from comb.parsing.vocabulary import STAND_INS
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, as_asked, kept_texts, noticed, quoted
from comb.steps.cell_steps import Convert
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.value_texts import digits, number_text

# A number means missing only if it comes this often.
LEAST_STAND_INS = 3

# And if it lies this many times the width of the other values away from them.
LEAST_GAP = 1.0


def blanks(table: ColumnCache) -> Findings:
    """Cells with nothing in them, by column."""
    for name, column in table.columns.items():
        count = int(table.state_counts(name)[Reason.BLANK])
        if count:
            where = column.states == Reason.BLANK
            share = count / table.row_count
            yield Finding(
                "missing.blank",
                (name,),
                count,
                table.rows_where(where),
                (),
                f"{counted(count, 'cell')} of {name} ({share:.1%}) {agree(count, 'is', 'are')} blank",
            )


def markers(table: ColumnCache) -> Findings:
    """Words that mean missing: applied in typed columns, proposed in text."""
    for name, column in table.columns.items():
        if column.type.word == "string":
            where = noticed(column, IS_KNOWN)
            words = _words_in(column, where) if where.any() else {}
            says = agree(int(where.sum()), "looks like a word", "look like words")
            said = f"{says} for missing; in a text column this is yours to decide"
        else:
            where = column.states == Reason.MARKER
            words = kept_texts(column, where)
            said = agree(int(where.sum()), "contains", "contain") + " a word for missing, read as missing"
        count = int(where.sum())
        # A null of the source is no word.
        if count and words:
            remedy = Convert(columns={name: as_asked(column)}, missing=list(words))
            text = f"{counted(count, 'cell')} of {name} {said}"
            yield Finding("missing.marker", (name,), count, table.rows_where(where), quoted(words), text, remedy)


def _words_in(column: Column, where: np.ndarray) -> dict[str, int]:
    taken = column.take(np.flatnonzero(where))
    return dict(taken.distinct().commonest(taken.text.__len__()))


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
        return low >= 0
    return sentinel > high + LEAST_GAP * max(high - low, 1.0)


def _stand_in(table: ColumnCache, name: str, column: Column, where: np.ndarray, sentinel: int) -> Finding:
    shown = number_text(sentinel) if column.type.word == "number" else digits(int(sentinel), column.type.scale)
    count = int(where.sum())
    others = column.take(np.flatnonzero(column.present & ~where)).texts()
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


# Zeros are a heap apart if the others begin this many times their own width above it.
ZERO_GAP = 0.5


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
        if low < ZERO_GAP * (high - low):
            continue
        present = column.present
        none = present & (column.array == 0)
        shown = column.take(np.array([int(np.argmax(none))])).texts()[0] or "0"
        least, most = (
            column.take(np.array([int(np.argmax(present & (column.array == value)))])).texts()[0]
            for value in (others[0], others[-1])
        )
        cells = f"{counted(count, 'cell')} of {name} {agree(count, 'contains', 'contain')} {shown}"
        text = f"{cells}; all other values are between {least} and {most}"
        remedy = Convert(columns={name: as_asked(column)}, missing=[shown])
        yield Finding("missing.zeros", (name,), count, table.rows_where(none), (f"{shown} ({count:,})",), text, remedy)
