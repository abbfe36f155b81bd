"""Findings about what is there twice: rows and keys."""

import math

import numpy as np

from comb.errors import agree, counted
from comb.execution.storage import blocks_of
from comb.kernels.grouping import Codes, candidates, group
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.profiling.headings import KEY_WORDS, words_of
from comb.profiling.keys import compound_keys, equal_share, near_copies
from comb.steps.row_steps import RemoveDuplicates

# A column is meant as a key when at least this share of its values is unique.
LEAST_UNIQUE = 0.98

# Fewer rows than this say nothing about what is meant to be unique.
LEAST_ROWS = 20

# Copies of rows are copies if there are this many times more of them than chance would make.
LEAST_OVER_CHANCE = 20.0

# Where at most this share of the rows are copies, the others tell how often cells are equal: in a key, never. This
# many of them tell something.
MOST_COPIES = 1 / 3
LEAST_SINGLE = 5

KEY_TYPES = frozenset({"string", "integer"})


def repeated(table: ColumnCache) -> Findings:
    """Rows equal in every column, and columns that all but a few rows identify."""
    equal, numbers, copies = _copies(table)
    if copies.any() and _more_than_chance(table, copies):
        yield from _duplicate_rows(table, equal, numbers, copies)
    yield from _duplicate_keys(table, copies)


def alike(table: ColumnCache) -> Findings:
    """Keys of several columns that are there twice, and rows that are another but for one field."""
    _, _, copies = _copies(table)
    if copies.any() and not _more_than_chance(table, copies):
        return
    broken = list(_duplicate_keys(table, copies))
    single = [name for name in table.names if _identifies(table, name)]
    compound = list(compound_keys(table, np.flatnonzero(~copies & ~table.settled_rows()), single))
    yield from compound
    yield from near_copies(table, copies, [*broken, *compound])


def _identifies(table: ColumnCache, name: str) -> bool:
    """Return whether a column identifies rows alone, or nearly."""
    return table.different(name) >= LEAST_UNIQUE * table.present_count(name) > 0


def _duplicate_rows(table: ColumnCache, equal: Codes, numbers: Codes, copies: np.ndarray) -> Findings:
    """Rows equal in every column."""
    count = int(copies.sum())
    if not count:
        return
    first = dict(zip(numbers[~copies[equal]].tolist(), equal[~copies[equal]].tolist(), strict=True))
    group_of = dict(zip(equal.tolist(), numbers.tolist(), strict=True))
    examples = tuple(
        f"row {table.row_numbers[at]} is row {table.row_numbers[first[group_of[at]]]} again"
        for at in np.flatnonzero(copies)[:MOST_EXAMPLES].tolist()
    )
    text = f"{counted(count, 'row')} {agree(count, 'is an exact copy', 'are exact copies')} of earlier rows"
    remedy = RemoveDuplicates()
    yield Finding("duplicate.rows", table.names, count, table.rows_where(copies), examples, text, remedy)


def _more_than_chance(table: ColumnCache, copies: np.ndarray) -> bool:
    """Return whether there are more equal rows than values drawn at random would make."""
    if table.copies_by_chance is None:
        count = int(copies.sum())
        few = (
            count <= MOST_COPIES * table.row_count and table.row_count - count >= LEAST_SINGLE and len(table.names) > 1
        )
        left_out = [copies, None] if few else [None]
        table.copies_by_chance = not any(_expects_fewer(table, without, count) for without in left_out)
    return not table.copies_by_chance


def _expects_fewer(table: ColumnCache, without: np.ndarray | None, count: int) -> bool:
    """Return whether chance makes far fewer pairs of rows equal than there are copies.

    The birthday problem, columns independent of each other. Those that tell most come first: often one is enough.
    """
    expected = table.row_count * (table.row_count - 1) / 2
    for name in sorted(table.names, key=table.different, reverse=True):
        expected *= _equal_share(table, name, without)
        if expected * LEAST_OVER_CHANCE < count:
            return True
    return False


def _equal_share(table: ColumnCache, name: str, without: np.ndarray | None) -> float:
    """Return the share of pairs of rows that are equal in a column; missing cells are equal to each other."""
    column = table[name]
    if column.type.textual:
        counts, missing = column._text_counts(), column.missing_count
        if without is not None:
            gone = column._take(np.flatnonzero(without))
            counts = counts - gone._text_counts()
            missing -= gone.missing_count
        return equal_share(int(np.dot(counts, counts)), int(counts.sum()), missing)
    if without is None:
        return equal_share(_squares(table.ordered(name)), table.present_count(name), column.missing_count)
    values = column.array[column.present & ~without]
    values.sort()
    return equal_share(_squares(values), len(values), int(np.count_nonzero(column.missing & ~without)))


def _squares(ordered: np.ndarray) -> int:
    """Return the sum of the squares of how often each value is there; values are in ascending order."""
    total, begin = 0, 0
    for block in blocks_of(len(ordered) - 1):
        values = ordered[block.start : block.stop + 1]
        ends = np.flatnonzero(values[1:] != values[:-1]) + (block.start + 1)
        lengths = np.diff(ends, prepend=begin)
        total += int(np.dot(lengths, lengths))
        begin = int(ends[-1]) if len(ends) else begin
    return total + (len(ordered) - begin) ** 2


def _copies(table: ColumnCache) -> tuple[Codes, Codes, np.ndarray]:
    """Find the rows that are a second or later copy of a row.

    Returns
    -------
    equal, numbers, copies
        The positions of rows that may be equal, the group of each, and for every row of the
        table whether it is a copy.
    """
    if table.found_copies is not None:
        return table.found_copies
    copies = np.zeros(table.row_count, np.bool_)
    equal = candidates(table._key_blocks(table.names), table.row_count, table._storage.empty)
    if not table.names:
        equal = equal[:0]
    taken = [column._take(equal) for column in table.columns.values()]
    numbers, first = group([column._codes() for column in taken], len(equal))
    copies[equal] = True
    copies[equal[first]] = False
    table.found_copies = (equal, numbers, copies)
    return table.found_copies


def _duplicate_keys(table: ColumnCache, copies: np.ndarray) -> Findings:
    """Columns that identify all but a few rows, copies of whole rows aside."""
    positions = np.flatnonzero(~copies)
    if len(positions) < LEAST_ROWS:
        return
    for name, column in table.columns.items():
        if column.type.word not in KEY_TYPES or column.missing_count > (1 - LEAST_UNIQUE) * len(column):
            continue
        if table.different(name) < LEAST_UNIQUE * (table.present_count(name) - (table.row_count - len(positions))):
            # Also of the rows that are no copies, too many share their values.
            continue
        single = column._take(positions)
        here = positions[single.present]
        codes = single._codes()[single.present]
        sizes = np.bincount(codes)
        if not len(here) or not LEAST_UNIQUE * len(here) <= np.count_nonzero(sizes) < len(here):
            continue
        if _meant_as_key(table, name, int(sizes[sizes > 1].sum() - np.count_nonzero(sizes > 1))):
            yield _repeated_key(table, name, here[sizes[codes] > 1])


def _meant_as_key(table: ColumnCache, name: str, twice: int) -> bool:
    """Return whether a column was meant to identify rows, and its values are not different by chance.

    Values drawn at random from as many as the column could have would be equal in some pairs of rows, as birthdays are.
    """
    said = words_of(name)
    others = [
        other for other in table.names if other != name and table.different(other) == table.row_count
        and table[other].type.word in KEY_TYPES and not table[other].missing_count
    ]  # fmt: skip
    first = next((other for other in table.names if table[other].type.word in KEY_TYPES), name)
    if said & KEY_WORDS:
        return True
    expected = _pairs_by_chance(table, name)
    # What stands first and is no key by chance makes as many equal as are; what is one, more or fewer.
    return expected >= LEAST_OVER_RANDOM * twice or (first == name and not others and expected * FEWER <= twice)


# Of a key this many times fewer values are there twice than chance would make.
LEAST_OVER_RANDOM = 5.0

# Or, in the first column of a table without another key, this many times more than chance would make.
FEWER = 3.0


def _pairs_by_chance(table: ColumnCache, name: str) -> float:
    """Return how many pairs of rows would be equal if values were drawn at random."""
    column, rows = table[name], table.present_count(name)
    if column.type.word == "integer":
        # Between the quartiles, where half of the values are, they lie closest.
        ordered = table.ordered(name)
        low, high = int(ordered[rows // 4]), int(ordered[(3 * rows) // 4])
        return (rows / 2) * (rows / 2) / 2 / max(1, high - low) * 2
    texts = column._take(column._first_present(SOME_TEXTS)).text.to_list()
    lengths = np.bincount([len(text) for text in texts])
    usual = int(lengths.argmax())
    signs = [len({text[at] for text in texts if len(text) == usual}) for at in range(usual)]
    return rows * rows / 2 / math.prod(map(float, signs)) if signs else 0.0


SOME_TEXTS = 2_000


def _repeated_key(table: ColumnCache, name: str, positions: Codes) -> Finding:
    where = np.zeros(table.row_count, np.bool_)
    where[positions] = True
    taken = table._take(positions)
    counts = taken[name].distinct().commonest(MOST_EXAMPLES)
    groups, _ = group([taken[name]._codes()], taken.row_count)
    differing = _differing(taken, groups)
    shared = counted(int(groups.max()) + 1, "value")
    text = (
        f"{name} identifies all rows but {len(positions):,}, which share {shared}; "
        f"they differ in {', '.join(differing)}"
    )
    # Where rows differ only by what is missing in one of them, the fullest says all that the others say.
    fullest = not _contradict(taken, groups, differing)
    text += ", only by what is missing in one of them" if fullest else ": which one is right they do not say"
    return Finding(
        "duplicate.key",
        (name,),
        len(positions),
        table.rows_where(where),
        tuple(f"{text} ({count})" for text, count in counts),
        text,
        RemoveDuplicates(by=[name], which="fullest") if fullest else None,
    )


def _contradict(table: ColumnCache, groups: Codes, differing: list[str]) -> bool:
    """Return whether rows of one group differ in more than what is missing, or none has all that the others have."""
    gaps = np.zeros(table.row_count, np.int64)
    for name in differing:
        column = table[name]
        gaps += column.missing
        present = np.flatnonzero(column.present)
        pairs, _ = group([groups[present], column._take(present)._codes()], len(present))
        if pairs.max(initial=-1) > len(np.unique(groups[present])) - 1:
            return True
    fewest = np.full(int(groups.max(initial=-1)) + 1, table.row_count * len(differing) + 1)
    np.minimum.at(fewest, groups, gaps)
    for name in differing:
        column = table[name]
        held = np.zeros(len(fewest), np.bool_)
        held[groups[column.present]] = True
        fullest = gaps == fewest[groups]
        if (fullest & column.missing & held[groups]).any():
            return True
    return False


def _differing(table: ColumnCache, groups: Codes) -> list[str]:
    """Return the columns in which rows of one group differ."""
    result = []
    for name, column in table.columns.items():
        pairs, _ = group([groups, column._codes()], table.row_count)
        if pairs.max(initial=-1) > groups.max(initial=-1):
            result.append(name)
    return result
