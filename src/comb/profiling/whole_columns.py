"""Findings about whole columns: empty, constant, counting the rows, equal to another, several that are one variable."""

import re
from collections.abc import Sequence
from itertools import takewhile

import numpy as np

from comb.errors import agree, counted, listing
from comb.parsing.letters import in_one_script
from comb.profiling.characters import visible
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.profiling.headings import ROW_WORDS, words_of
from comb.profiling.lookups import quoted_name
from comb.profiling.texts import YES_WORDS
from comb.steps.base import Step
from comb.steps.cell_steps import tidied, uncovered
from comb.steps.column_steps import Calculate, Rename, Select
from comb.steps.indicator_steps import FromIndicators
from comb.tables.column import Column
from comb.tables.names import NAMELESS, unique_names
from comb.tables.types import TEXTUAL

# This many values tell that a column has more than one.
MOST_LOOKED_AT = 1_000

# This many rows are compared of all columns at once.
FIRST_COMPARED = 100

# Fewer rows than this say nothing of what columns have in common.
LEAST_ROWS = 8

# Columns of yes and no are one variable where nearly every row has exactly one yes, and there are this many columns.
LEAST_INDICATORS = 3
ONE_EACH = 0.98

# And each of them has this many yes.
LEAST_YES = 2
NOWHERE = np.zeros(0, np.int64)


def odd_names(table: ColumnCache) -> Findings:
    """Names with what one does not see: spaces at their ends, invisible characters, letters of another script."""
    names = list(table.columns)
    tidy = {name: in_one_script(tidied(uncovered(name))) for name in names}
    changes = {name: new for name, new in tidy.items() if new and new != name}
    if not changes:
        return
    examples = tuple(map(visible, list(changes)[:MOST_EXAMPLES]))
    have = agree(len(changes), "name of a column has", "names of columns have")
    text = f"{len(changes):,} {have} needless spaces, or characters that cannot be seen or look like others: who types"
    text += f" {agree(len(changes), 'it', 'them')} does not find the column"
    unique = not set(changes.values()) & set(names) and len(set(changes.values())) == len(changes)
    remedy = Rename(names=dict(changes)) if unique else None
    yield Finding("column.name", tuple(changes), len(changes), NOWHERE, examples, text, remedy)


def constant_columns(table: ColumnCache) -> Findings:
    """Columns with one value, or with none at all."""
    for name, column in table.columns.items():
        present = table.present_count(name)
        remedy = Select(leave_out=[name])
        if table.row_count > 1 and not present:
            yield Finding("column.empty", (name,), 0, NOWHERE, (), f"there is nothing in {name}", remedy)
        elif present > 1 and _one_value(column):
            value, gaps = column.distinct().commonest(1)[0][0], column.missing_count
            text = f"every value of {name} is {value}"
            ticked: Step = remedy
            if gaps and column.type.word == "string" and _is_mark(value, name) and not column.kept.texts:
                text = f"{name} is {value} in {counted(present, 'row')} and empty in {gaps:,}, like a box to tick"
                ticked = Calculate(columns={name: f"{quoted_name(name)} is not null"})
            elif gaps:
                text += f"; {counted(gaps, 'cell')} {agree(gaps, 'is', 'are')} missing"
            yield Finding("column.constant", (name,), present, NOWHERE, (value,), text, ticked)


def _is_mark(value: str, name: str) -> bool:
    """Return whether a text ticks a box: a cross, a word for yes, or the name of what is chosen."""
    word = value.strip().casefold()
    return word in YES_WORDS or (len(word) == 1 and not word.isalnum()) or word in ("x", "1") or word == name.casefold()


def _one_value(column: Column) -> bool:
    if len(column) > MOST_LOOKED_AT and not _one_value(column._take(column._first_present(MOST_LOOKED_AT))):
        return False
    keys = column._keys()[column.present]
    return bool((keys == keys[0]).all())


def row_numbers(table: ColumnCache) -> Findings:
    """Columns that only count the rows."""
    if table.row_count < LEAST_ROWS:
        return
    for name, column in table.columns.items():
        if column.type.plain.word != "integer" or column.missing_count:
            continue
        first = int(column.array[0])
        if first not in (0, 1) or not (np.diff(column.array) == 1).all():
            continue
        words = words_of(name)
        # A number that is the only thing by which rows differ is their key, unless it is called a row number.
        called = first == 0 or name.startswith(NAMELESS) or words <= ROW_WORDS
        if not called and not _has_other_key(table, name):
            continue
        text = f"{name} counts the rows from {first} to {first + table.row_count - 1}; each row has its number anyway"
        yield Finding("column.row_number", (name,), table.row_count, NOWHERE, (), text, Select(leave_out=[name]))


def _has_other_key(table: ColumnCache, name: str) -> bool:
    return any(
        other != name
        and column.type.plain.word in ("string", "integer")
        and not column.missing_count
        and table.different(other) == table.row_count
        for other, column in table.columns.items()
    )


def copies(table: ColumnCache) -> Findings:
    """Columns that are equal to another, cell by cell."""
    if table.row_count < LEAST_ROWS:
        return
    earlier: dict[tuple[object, ...], list[str]] = {}
    for name, column in table.columns.items():
        if not table.present_count(name) or table.different(name) < 2:
            continue
        key = (table.different(name), table.present_count(name), *_beginning(column))
        same = next((one for one in earlier.get(key, []) if _equal(table[one], column)), None)
        if same is None:
            earlier.setdefault(key, []).append(name)
            continue
        count = table.present_count(name)
        text = f"{name} is equal to {same} in {counted(table.row_count, 'row')}"
        yield Finding("column.copy", (name, same), count, NOWHERE, (), text, Select(leave_out=[name]))


def _beginning(column: Column) -> tuple[object, ...]:
    """Return what tells most columns apart: the type, the first values, and where some are missing among them."""
    first = column._take(np.arange(min(len(column), FIRST_COMPARED)))
    plain = first._take(np.flatnonzero(first.present))
    values = plain.texts() if column.type.plain.word in TEXTUAL else plain.array.tolist()
    return (column.type.plain, first.missing.tobytes(), *values)


def _equal(one: Column, other: Column) -> bool:
    if one.type.plain != other.type.plain or not np.array_equal(one.missing, other.missing):
        return False
    first = one._first_present(MOST_LOOKED_AT)
    return bool(_same(one._take(first), other._take(first))) and _same(one, other)


def _same(one: Column, other: Column) -> bool:
    return bool(
        (one._replace(type=one.type.plain)._same_cells(other._replace(type=other.type.plain)) | one.missing).all()
    )


def indicators(table: ColumnCache) -> Findings:
    """Columns of yes and no, side by side, of which each row has exactly one yes: one variable."""
    names = list(table.names)
    at = 0
    while at < len(names) and table.row_count >= LEAST_ROWS:
        run: list[np.ndarray] = []
        while at + len(run) < len(names) and (flags := _flags(table, names[at + len(run)])) is not None:
            run.append(flags)
        found = _one_variable(run)
        if found is None:
            at += max(1, len(run))
            continue
        begin, end = found
        chosen = tuple(names[at + begin : at + end])
        total = np.sum(run[begin:end], axis=0)
        wrong = total != 1
        text = f"{listing(list(chosen))} are one variable: nearly every row has exactly one yes among them"
        if wrong.any():
            text = text.replace("nearly every", f"all but {counted(int(wrong.sum()), 'row')}, every")
        else:
            text = text.replace("nearly every", "every")
        # The names of the columns are the values; what they have in common may name them.
        new = unique_names([*table.names, _shared_beginning(chosen) or "kind"])[-1]
        remedy = None if wrong.any() else FromIndicators(columns=list(chosen), new_columns=[new])
        remedy = remedy if not any(sign in name for name in chosen for sign in "*?[]:#") else None
        yield Finding("column.indicators", chosen, table.row_count, table.rows_where(wrong), (), text, remedy)
        at += end


def _shared_beginning(names: Sequence[str]) -> str:
    """Return the words that all names begin with.

    >>> _shared_beginning(["travels_bus", "travels_tram"])
    'travels'
    """
    words = [re.findall(r"[^\W_]+", name) for name in names]
    shared = takewhile(lambda some: len(set(some)) == 1, zip(*words, strict=False))
    return " ".join(some[0] for some in shared)


def _flags(table: ColumnCache, name: str) -> np.ndarray | None:
    """Return where a column of yes and no says yes; None if it is another, or says it hardly ever."""
    column = table[name]
    if column.type.plain.word not in ("boolean", "integer") or not table.present_count(name):
        return None
    ordered = table.ordered(name)
    if column.type.plain.word == "integer" and not (ordered[0] == 0 and ordered[-1] == 1):
        return None
    flags: np.ndarray = column.present & (column.array == 1)
    return flags.astype(np.int64) if flags.sum() >= LEAST_YES else None


def _one_variable(run: list[np.ndarray]) -> tuple[int, int] | None:
    """Return the longest part of a run of columns of which each row has one yes."""
    for length in range(len(run), LEAST_INDICATORS - 1, -1):
        for begin in range(len(run) - length + 1):
            total = np.sum(run[begin : begin + length], axis=0)
            if (total == 1).mean() >= ONE_EACH:
                return begin, begin + length
    return None
