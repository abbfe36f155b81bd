"""Findings about where cells are missing: exactly where another column has some value, or below a label."""

import numpy as np
from blake3 import blake3
from numpy.typing import NDArray

from comb.errors import agree, counted, listing
from comb.kernels.grouping import Codes
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings
from comb.steps.fill_steps import Fill
from comb.tables.column import Mask

# This many cells have to be missing, and as many present, before a rule is read from them.
LEAST_CELLS = 5

# A column with more values than this is no condition for another, nor is one whose values are there once.
MOST_VALUES = 30

# Labels that are written in the first row of a group only leave at least this many cells for each one empty.
LEAST_BELOW = 1.0

# That equal values never meet within one group is no chance where this many would be expected to.
LEAST_EXPECTED = 8.0


def together(table: ColumnCache) -> Findings:
    """Columns that are missing exactly where another is, or exactly where another has certain values."""
    gaps: dict[bytes, list[str]] = {}
    for name, column in table.columns.items():
        missing = table.row_count - table.present_count(name)
        if LEAST_CELLS <= missing <= table.row_count - LEAST_CELLS:
            # A checksum of 256 bits stands for where cells are missing.
            gaps.setdefault(blake3(np.packbits(column.missing).tobytes()).digest(), []).append(name)
    if not gaps:
        return
    few = _few_valued(table)
    for names in gaps.values():
        where = table[names[0]].missing
        condition = _condition(table, names, where, few)
        if condition is None and len(names) < 2:
            continue
        rows = table.rows_where(where)
        count = len(rows)
        cells = f"{listing(names)} {agree(len(names), 'is', 'are')} missing"
        rows_said = f"in the same {counted(count, 'row')}" if len(names) > 1 else f"in {counted(count, 'row')}"
        text = f"{cells} {rows_said}"
        columns = tuple(names)
        if condition is not None:
            other, values = condition
            text += f", exactly where {other} is {listing(values)}: there may be nothing to fill in"
            columns = (*names, other)
        else:
            text += " and in no others: they are filled in together or not at all"
        yield Finding("missing.together", columns, count, rows, (), text)


def _few_valued(table: ColumnCache) -> dict[str, tuple[Codes, int]]:
    """Return the codes of the columns with few values, each repeated, and none missing."""
    found = {}
    for name, column in table.columns.items():
        if column.missing_count or column.type.plain.word in ("json", "number"):
            continue
        different = table.different(name)
        if 2 <= different <= MOST_VALUES and different * LEAST_CELLS <= table.row_count:
            codes = column._codes()
            found[name] = (codes, int(codes.max()) + 1)
    return found


def _condition(
    table: ColumnCache, names: list[str], where: Mask, few: dict[str, tuple[Codes, int]]
) -> tuple[str, list[str]] | None:
    """Return the column, and its values, where and only where cells are missing."""
    best: tuple[str, list[str]] | None = None
    for other, (codes, size) in few.items():
        if other in names:
            continue
        missing, whole = np.bincount(codes[where], minlength=size), np.bincount(codes, minlength=size)
        if ((missing != 0) & (missing != whole)).any():
            continue
        here = np.flatnonzero(missing)
        first = [int(np.argmax(codes == code)) for code in here.tolist()]
        values = sorted(text or "" for text in table[other]._take(np.array(first)).texts())
        if best is None or len(values) < len(best[1]):
            best = (other, values)
    return best


def same_as_above(table: ColumnCache) -> Findings:
    """Labels that are written in the first row of each group only, blank below."""
    proven: dict[str, Codes] = {}
    # From right to left, as groups are parted into smaller ones.
    for name in reversed(table.names):
        column = table[name]
        if column.missing_count < LEAST_CELLS or column.states[0]:
            continue
        # Totals among the rows belong to no group.
        rows = np.flatnonzero(~table.told(name))
        here = column if len(rows) == table.row_count else column._take(rows)
        missing, present = here.missing_count, len(rows) - here.missing_count
        if present < 2 or missing < LEAST_CELLS or missing < LEAST_BELOW * present or here.states[0]:
            continue
        starts = np.flatnonzero(here.present)
        codes = here._take(starts)._codes()
        if not (codes[1:] != codes[:-1]).all():
            continue
        finer = next((one for one, known in proven.items() if np.isin(starts, known).all()), None)
        proof = _restarts(table, name, starts, rows)
        proof = proof or (f"each of them begins a group of {finer}" if finer is not None else "")
        if not proof:
            continue
        proven[name] = starts
        where = np.zeros(table.row_count, np.bool_)
        where[rows[here.missing]] = True
        text = f"{counted(missing, 'cell')} of {name} {agree(missing, 'is', 'are')} blank below the first row of its"
        text += f" group, {counted(len(starts), 'group')}: {proof}"
        remedy = Fill(columns=[name], from_row="above")
        yield Finding("missing.same_as_above", (name,), missing, table.rows_where(where), (), text, remedy)


def _restarts(table: ColumnCache, name: str, starts: Codes, rows: Codes) -> str:
    """Return what shows that the rows below a label belong to it; empty if nothing does."""
    lengths = np.diff(np.append(starts, len(rows)))
    blocks = np.repeat(np.arange(len(starts)), lengths)
    pairs_within = float((lengths * (lengths - 1.0)).sum())
    for other, column in table.columns.items():
        if other == name or column.type.plain.word == "json":
            continue
        here = column if len(rows) == table.row_count else column._take(rows)
        if here.missing_count:
            continue
        codes = here._codes()
        counts = np.bincount(codes).astype(np.float64)
        equal = float((counts * (counts - 1)).sum()) / max(1.0, len(rows) * (len(rows) - 1.0))
        if pairs_within / 2 * equal >= LEAST_EXPECTED and never_meets(blocks, codes):
            return f"{other} begins anew with each of them"
    if len(starts) >= LEAST_CELLS and (lengths == lengths[0]).all():
        return f"each has {lengths[0]} rows"
    return ""


def never_meets(blocks: NDArray[np.int64], codes: Codes) -> bool:
    """Return whether no value occurs twice within a block."""
    pairs = np.sort(blocks * (int(codes.max()) + 1) + codes)
    return not bool((pairs[1:] == pairs[:-1]).any())
