"""Findings about keys of two or three columns, and rows that are another but for one field.

What chance makes equal is no finding. For each column the share of pairs of rows that are equal in it is counted;
were the columns independent of each other, the product of these shares would be that of pairs equal in all of them
(the birthday problem). A key is meant where hardly any rows are equal although very many would be by chance. A row
is a near copy of another where rows are equal although none would be by chance; columns that decide each other
count as one for that.
"""

import math
from collections.abc import Iterator, Sequence
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from comb.errors import agree, counted, listing
from comb.kernels.grouping import Codes, candidates, group
from comb.profiling.column_cache import ColumnCache
from comb.profiling.computed import computed_columns
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.profiling.text_forms import may_be_one
from comb.profiling.texts import folded
from comb.steps.cell_steps import tidied
from comb.tables.reasons import Reason
from comb.tables.table import KEYS_AT_ONCE

# At most this share of the rows breaks a key; and chance would make this many times more equal pairs.
MOST_BROKEN = 0.02
LEAST_OVER = 20.0
LEAST_EXPECTED = 40.0

# Keys are looked for among this many columns at most, of tables with this many rows at least.
MOST_KEY_COLUMNS = 10
LEAST_ROWS = 30
LOOKED_AT = 20_000
KEY_TYPES = frozenset({"string", "integer", "date", "category", "boolean"})

# At most this share of the rows is a near copy of another, and they are equal in this many columns.
MOST_NEAR = 0.06
LEAST_EQUAL = 2
MOST_COLUMNS = 60

# Of a column with more different texts, spaces and case are not compared.
MOST_FOLDED = 50_000
NOWHERE = np.zeros(0, np.int64)

# Chance makes fewer near copies than this share of those found.
LEAST_SURPRISE = 20.0

# Columns have to do with each other if this many times more pairs of rows are equal in both than chance would make, and
# if there are this many such pairs.
MUCH_MORE = 3.0
LEAST_TOGETHER = 3


def equal_pairs(codes: Codes) -> float:
    """Return the share of pairs of cells that are equal; none is in a column that identifies rows."""
    counts = np.bincount(codes)
    return equal_share(int(np.dot(counts, counts)), len(codes))


def equal_share(squares: int, present: int, missing: int = 0) -> float:
    """Return the share of pairs of cells that are equal; missing cells are equal to each other.

    Parameters
    ----------
    squares : int
        The sum of the squares of how many cells hold each value.
    present, missing : int
        How many cells there are.
    """
    cells = present + missing
    return (squares - present + missing * (missing - 1)) / max(1, cells * (cells - 1))


def compound_keys(table: ColumnCache, positions: Codes, single: Sequence[str]) -> Findings:
    """Two or three columns that together identify all but a few rows.

    Parameters
    ----------
    table : ColumnCache
    positions : int64 array
        The rows that are no copies of others.
    single : sequence of str
        The columns that identify rows alone, or nearly: no part of a longer key.
    """
    if len(positions) < LEAST_ROWS:
        return
    some = positions if len(positions) <= LOOKED_AT else positions[:: len(positions) // LOOKED_AT + 1]
    taken: dict[str, Codes] = {}
    for name, column in table.columns.items():
        if column.type.plain.word not in KEY_TYPES or column.missing_count or name in single:
            continue
        if 1 < table.different(name) < 0.9 * len(positions):
            taken[name] = column._take(some)._codes()
    shares = {name: equal_pairs(one) for name, one in taken.items()}
    names = sorted(taken, key=shares.__getitem__)[:MOST_KEY_COLUMNS]
    names = [name for name in table.names if name in names]
    found: list[tuple[str, ...]] = []
    for size in (2, 3):
        for chosen in combinations(names, size):
            if any(set(one) <= set(chosen) for one in found):
                continue
            if not _meant(chosen, taken, shares, len(some)):
                continue
            rows = _broken(chosen, {name: table.numbered(name) for name in chosen}, positions)
            if rows is None:
                continue
            found.append(chosen)
            if len(rows):
                yield _broken_key(table, chosen, rows)
        if found:
            return


def _meant(chosen: Sequence[str], codes: dict[str, Codes], shares: dict[str, float], rows: int) -> bool:
    """Return whether far fewer rows are equal in some columns than chance would make equal."""
    expected = rows * (rows - 1) / 2 * math.prod(shares[name] for name in chosen)
    if expected < LEAST_EXPECTED:
        return False
    numbers, _ = group([codes[name] for name in chosen], rows)
    sizes = np.bincount(numbers)
    pairs = float((sizes * (sizes - 1.0)).sum()) / 2
    return pairs * LEAST_OVER < expected and int(sizes[sizes > 1].sum()) <= MOST_BROKEN * rows + 2


def _broken(chosen: Sequence[str], codes: dict[str, Codes], positions: Codes) -> Codes | None:
    """Return the rows that share their key with others; None if there are too many for a key."""
    numbers, _ = group([codes[name][positions] for name in chosen], len(positions))
    sizes = np.bincount(numbers)
    rows = positions[sizes[numbers] > 1]
    return rows if len(rows) <= MOST_BROKEN * len(positions) + 2 else None


def _broken_key(table: ColumnCache, chosen: tuple[str, ...], rows: Codes) -> Finding:
    where = np.zeros(table.row_count, np.bool_)
    where[rows] = True
    taken = table._take(rows[:MOST_EXAMPLES])
    texts = [taken[name].texts() for name in chosen]
    examples = tuple(dict.fromkeys(", ".join(text or "" for text in cells) for cells in zip(*texts, strict=True)))
    text = (
        f"{listing(list(chosen))} together identify all rows but {len(rows):,}: which of them is right they do not say"
    )
    return Finding("duplicate.key", chosen, len(rows), table.rows_where(where), examples, text)


def near_copies(table: ColumnCache, copies: np.ndarray, broken: Sequence[Finding]) -> Findings:
    """Rows that are another but for spaces and case, or for one field.

    Parameters
    ----------
    table : ColumnCache
    copies : mask
        The rows that are exact copies of earlier ones.
    broken : sequence of Finding
        Keys that are there twice: rows that share one are said there already.
    """
    rows = table.row_count
    keys = [one.columns for one in broken]
    said = np.isin(table.row_numbers, np.concatenate([NOWHERE, *(one.rows for one in broken)]))
    names = [name for name in table.names if table.present_count(name) and table.different(name) > 1][:MOST_COLUMNS]
    if rows < LEAST_ROWS or len(names) < LEAST_EQUAL + 1:
        return
    folds = {name: fold for name in names if (fold := _fold_of(table, name)) is not None}
    likely = _equal_in_a_half(table, names, folds)
    likely = likely[~copies[likely]]
    if len(likely) < 2:
        return
    if len(likely) > MOST_COMPARED:
        table.limit(f"near copies among {len(likely):,} rows that are equal in half of their columns")
        return
    taken = [_folded_codes(table, name, folds, likely) for name in names]
    near = _second(taken, len(likely))
    fields = {"in spaces or case only": int(near.sum())}
    for at, name in enumerate(names):
        rest = [one for place, one in enumerate(taken) if place != at]
        again = _second(rest, len(likely)) & ~near
        count = int(again.sum())
        # Rows that share a broken key are said there.
        if not count or count > MOST_NEAR * rows or any(name not in key for key in keys):
            continue
        # What columns have to do with each other the other rows tell.
        others = ~copies & ~said
        others[likely[again | near]] = False
        left = np.flatnonzero(others)
        apart = [_folded_codes(table, one, folds, left) for one in names]
        decided = {place for place, one in enumerate(names) if one in computed_columns(table)}
        clusters = [[one for one in cluster if one not in decided] for cluster in _clusters(apart)]
        if _surprising(apart, at, clusters, count, len(left)):
            fields[f"in {name}"] = count
            near |= again
    if not near.any() or near.sum() > MOST_NEAR * rows:
        return
    where = np.zeros(table.row_count, np.bool_)
    where[likely[near]] = True
    differ = ", ".join(f"{count:,} {what}" for what, count in fields.items() if count)
    count = int(near.sum())
    text = f"{counted(count, 'row')} {agree(count, 'is', 'are')} nearly equal to earlier rows; they differ {differ}"
    yield Finding("duplicate.near", table.names, count, table.rows_where(where), (), text)


def _fold_of(table: ColumnCache, name: str) -> Codes | None:
    """Return a number for each stored text, one for those that differ by spaces and case only; None if none do."""
    column = table[name]
    if column.type.word != "string" or column.text.item_count > MOST_FOLDED:
        return None
    if not may_be_one(column.text, np.ones(column.text.item_count, np.int64)):
        return None
    items = column.text.items()
    numbers: dict[str, int] = {}
    fold = [numbers.setdefault(folded(tidied(text)), len(numbers)) for text in items]
    return np.array(fold, np.int64) if len(numbers) < len(items) else None


def _folded_codes(table: ColumnCache, name: str, folds: dict[str, Codes], rows: Codes) -> Codes:
    """Number the cells of a column in some rows, texts that differ by spaces and case only alike."""
    if name not in folds:
        return table[name]._take(rows)._codes()
    column = table[name]._take(rows)
    return np.where(column.missing, len(folds[name]), folds[name][column.text.numbers()])


def _second(codes: Sequence[Codes], rows: int) -> np.ndarray:
    """Return which rows are equal to an earlier one in some columns."""
    numbers, first = group(codes, rows)
    again = np.ones(rows, np.bool_)
    again[first] = False
    return again & (np.bincount(numbers)[numbers] <= max(2, int(MOST_NEAR * rows)))


def _equal_in_a_half(table: ColumnCache, names: Sequence[str], folds: dict[str, Codes]) -> Codes:
    """Return the rows that are equal to another in one of two halves of the columns.

    Rows that differ in one column are equal in the half without it. Columns that tell much are dealt out in turn.
    """
    order = sorted(names, key=table.different, reverse=True)
    found = np.zeros(table.row_count, np.bool_)
    for half in (order[::2], order[1::2]):
        found[candidates(_blocks(table, half, folds), table.row_count, table._storage.empty)] = True
    return np.flatnonzero(found)


def _blocks(table: ColumnCache, names: Sequence[str], folds: dict[str, Codes]) -> Iterator[list[NDArray[np.uint64]]]:
    for start in range(0, table.row_count, KEYS_AT_ONCE):
        stop = start + KEYS_AT_ONCE
        keys = []
        for name in names:
            column = table[name]
            if name in folds:
                part = folds[name][column.text.numbers()[start:stop]].astype(np.uint64)
                if column.state is not None:
                    part[column.state[start:stop] != Reason.PRESENT] = len(folds[name])
                keys.append(part)
            else:
                keys.append(column._keys(start, stop))
        yield keys


# More rows than this are not compared with each other in every column but one.
MOST_COMPARED = 1_000_000


def _clusters(codes: Sequence[Codes]) -> list[list[int]]:
    """Put columns together of which one decides the other, and all of which equal values say little."""
    rows = len(codes[0])
    some = np.arange(rows) if rows <= LOOKED_AT else np.arange(0, rows, rows // LOOKED_AT + 1)
    taken = [one[some] for one in codes]
    shares = [equal_pairs(one) for one in taken]
    of = list(range(len(codes)))

    def joined(one: int, other: int) -> None:
        old, new = of[other], of[one]
        for at, cluster in enumerate(of):
            if cluster == old:
                of[at] = new

    pairs = len(some) * (len(some) - 1.0) / 2
    for a, b in combinations(range(len(codes)), 2):
        both, _ = group([taken[a], taken[b]], len(some))
        share = equal_pairs(both)
        if share * pairs >= LEAST_TOGETHER and share >= MUCH_MORE * shares[a] * shares[b]:
            joined(a, b)
    return [[at for at in range(len(codes)) if of[at] == cluster] for cluster in dict.fromkeys(of)]


def _share_of(codes: Sequence[Codes], columns: Sequence[int]) -> float:
    if not columns:
        return 1.0
    numbers, _ = group([codes[at] for at in columns], len(codes[0]))
    return equal_pairs(numbers)


def _surprising(
    codes: Sequence[Codes], left_out: int, clusters: Sequence[Sequence[int]], count: int, rows: int
) -> bool:
    """Return whether rows are equal in all columns but one far more often than chance makes them."""
    pairs = rows * (rows - 1) / 2
    groups = [[at for at in cluster if at != left_out] for cluster in clusters]
    groups = [one for one in groups if one]
    shares = [_share_of(codes, one) for one in groups]
    if pairs * math.prod(shares) * LEAST_SURPRISE >= count:
        return False
    # Each cluster against all others: how often it would be equal by chance where the others are.
    informative = [at for at, share in enumerate(shares) if share < 1 / (2 * LEAST_SURPRISE)]
    for at in informative:
        rest = [column for place, one in enumerate(groups) if place != at for column in one]
        if rest and pairs * _share_of(codes, rest) * shares[at] * LEAST_SURPRISE >= count:
            return False
    if len(informative) > 1:
        return True
    # All have to do with each other: then each column against the others.
    columns = [at for one in groups for at in one]
    single = {at: equal_pairs(codes[at]) for at in columns}
    telling = [at for at in columns if single[at] < 1 / (2 * LEAST_SURPRISE)]
    return len(telling) > 1 and all(
        pairs * _share_of(codes, [one for one in columns if one != at]) * single[at] * LEAST_SURPRISE < count
        for at in telling
    )
