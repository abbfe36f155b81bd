"""Findings about columns that decide other columns: where a rule of the table is broken, and which gaps it could fill.

One column decides another if rows with one value of the first have one value of the second: a branch and its town.
Nothing is concluded from names. For each pair it is counted how often two rows with the same value of the first
agree in the second, against how often any two rows do; rows are exceptions where their group has a clear majority
and they are not of it. Values that are spelled wrongly count as what was meant, so that one mistake is not told
twice.

Most pairs of columns have nothing to do with each other. Whole groups of the deciding column are taken first, about
`LOOKED_AT` rows; only what holds there is counted over all rows.
"""

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import ExpressionError, agree, counted
from comb.expressions.nodes import Name
from comb.expressions.parser import parse
from comb.kernels.grouping import Codes, compact, group_sizes, number_groups
from comb.parsing.vocabulary import is_missing_word
from comb.profiling.characters import as_meant, runs_as_formula
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.profiling.spelling import variants_of
from comb.profiling.texts import folded
from comb.steps.base import Step
from comb.steps.cell_steps import tidied
from comb.steps.fill_steps import Fill
from comb.tables.column import Mask
from comb.tables.stored import stored_array

LOOKED_AT = 20_000
MOST_COLUMNS = 60

# Two rows with the same deciding value agree this much more often than any two rows, from 0 (not more) to 1 (always).
LEAST_AGREEMENT = 0.75

# At most this share of the rows is an exception, and a group has a majority from this share of its rows on.
MOST_EXCEPTIONS = 0.1
LEAST_MAJORITY = 0.6

# A deciding column has this many values, and this many rows for each of them on average.
LEAST_VALUES = 3
LEAST_PER_VALUE = 2.5
LEAST_ROWS = 20

# Where groups have fewer rows than this on average, and most have an exception, their second value is no slip.
LARGE_GROUP = 15

# With this many rows for each value on average, a part of them tells as much as whole groups.
MANY_ROWS = 500

# Gaps can be filled where the rule has hardly any exceptions.
MOST_BROKEN = 0.02
DECIDING = frozenset({"string", "integer", "category", "date"})


class Decides(msgspec.Struct, frozen=True):
    """One column decides another.

    Attributes
    ----------
    first, second : str
        The deciding column, and the decided one.
    values : int
        How many values the first has.
    exceptions : int64 array
        Positions of the rows that are not like the others of their group.
    fillable : int64 array
        Positions of the rows in which the second is missing, and all others of the group agree.
    holds : float
        The share of rows that are no exceptions.
    """

    first: str
    second: str
    values: int
    exceptions: Codes
    fillable: Codes
    holds: float


def lookups(table: ColumnCache) -> Findings:
    """Columns that others decide: exceptions, and gaps that could be filled."""
    for rule in rules_of(table):
        column = table[rule.second]
        if len(rule.exceptions):
            count = len(rule.exceptions)
            taken = table._take(rule.exceptions[:MOST_EXAMPLES])
            pairs = zip(taken[rule.first].texts(), taken[rule.second].texts(), strict=True)
            examples = tuple(f"{one}: {other}" for one, other in pairs)
            text = f"{rule.first} decides {rule.second} in {rule.holds:.1%} of the rows; in {counted(count, 'row')}"
            text += f" {agree(count, 'it is', 'they are')} not as in the others with the same {rule.first}"
            yield Finding(
                "relation.lookup", (rule.second, rule.first), count, _rows(table, rule.exceptions), examples, text
            )
        if len(rule.fillable):
            count = len(rule.fillable)
            text = f"{rule.first} decides {rule.second}: {counted(count, 'gap')} of {column.missing_count:,} could be"
            text += f" filled from other rows with the same {rule.first}"
            rows = _rows(table, rule.fillable)
            yield Finding("relation.lookup", (rule.second, rule.first), count, rows, (), text, _filled(rule))


def _rows(table: ColumnCache, positions: Codes) -> Codes:
    return np.sort(table.row_numbers[positions])


def _filled(rule: Decides) -> Step:
    first, second = (quoted_name(name) for name in (rule.first, rule.second))
    over = f"over (partition by {first})"
    formula = f"case when min({second}) {over} = max({second}) {over} then min({second}) {over} end"
    return Fill(columns=[rule.second], formula=formula)


def quoted_name(name: str) -> str:
    """Return a column name as an expression takes it.

    >>> quoted_name("keeper"), quoted_name("net weight")
    ('keeper', '"net weight"')
    """
    try:
        bare = parse(name)
    except ExpressionError:
        bare = None
    return name if isinstance(bare, Name) and bare.name == name else '"' + name.replace('"', '""') + '"'


def rules_of(table: ColumnCache) -> list[Decides]:
    """Return for each column the one that decides it best, where there is one and it has exceptions or gaps."""
    rows = table.row_count
    if rows < LEAST_ROWS:
        return []
    names = [name for name in table.names if table.different(name) > 1 and table[name].type.plain.word != "json"]
    if len(names) > MOST_COLUMNS:
        table.limit(f"which columns decide others, beyond the first {MOST_COLUMNS} of {len(names):,}")
        names = names[:MOST_COLUMNS]
    codes: dict[str, Codes] = {}

    def meant(name: str) -> Codes:
        if name not in codes:
            codes[name] = stored_array(np.where(table.told(name), -1, meant_codes(table, name)), table._storage)
        return codes[name]

    best: dict[str, Decides] = {}
    for first in names:
        present = table.present_count(first)
        if table[first].type.plain.word not in DECIDING or not table.different(first) >= LEAST_VALUES:
            continue
        if present < LEAST_PER_VALUE * table.different(first):
            continue
        if table.different(first) * MANY_ROWS < rows:
            # Few values, and so large groups: rows from all over the table will do.
            some = np.arange(0, rows, max(1, rows // LOOKED_AT))
        else:
            some = _whole_groups(meant(first))
        ahead = _some_codes(table, first, some, codes)
        for second in names:
            if second == first:
                continue
            behind = _some_codes(table, second, some, codes)
            chance = _agreement_by_chance(behind)
            if chance > MOST_ALIKE or not _agree(ahead, behind, chance):
                continue
            rule = _rule(first, second, meant(first), meant(second), table[second].missing)
            if rule is not None and (second not in best or _decides_better(rule, best[second])):
                best[second] = rule
    return _without_mirrors([best[name] for name in names if name in best])


# A column in which nearly all rows agree anyway is decided by nothing.
MOST_ALIKE = 0.97


def _decides_better(one: Decides, other: Decides) -> bool:
    return (-one.holds, one.values) < (-other.holds, other.values)


def _some_codes(table: ColumnCache, name: str, rows: Codes, known: dict[str, Codes]) -> Codes:
    """Return the codes of a column in some rows, without numbering all others."""
    if name in known:
        return known[name][rows]
    column = table[name]
    if column.type.word == "string":
        codes = column.text.numbers()[rows].astype(np.int64)
    else:
        codes = column._take(rows)._codes()
    left_out = column.missing[rows] | table.told(name)[rows]
    return np.where(left_out, -1, codes)


def _without_mirrors(rules: list[Decides]) -> list[Decides]:
    """Leave out rules without exceptions or gaps, and of two columns that decide each other the second exceptions."""
    found: list[Decides] = []
    for rule in sorted(rules, key=lambda one: len(one.exceptions)):
        mirror = next((one for one in found if one.first == rule.second and one.second == rule.first), None)
        if mirror is not None and len(rule.exceptions):
            rule = Decides(rule.first, rule.second, rule.values, rule.exceptions[:0], rule.fillable, rule.holds)
        if any(
            len(rule.exceptions) and np.array_equal(rule.exceptions, one.exceptions) and rule.first == one.second
            for one in found
        ):
            continue
        if len(rule.exceptions) or len(rule.fillable):
            found.append(rule)
    order = {id(rule): at for at, rule in enumerate(rules)}
    return sorted(found, key=lambda one: order.get(id(one), 0))


def meant_codes(table: ColumnCache, name: str) -> Codes:
    """Number the values of a column as they were meant: needless spaces, case and misspelling aside; -1 is missing."""
    if name not in table.meant:
        table.meant[name] = stored_array(_meant_codes(table, name), table._storage)
    return table.meant[name]


def _meant_codes(table: ColumnCache, name: str) -> Codes:
    column = table[name]
    if column.type.word != "string" or column.text.item_count > LOOKED_AT * 5:
        codes = table.numbered(name)
        return np.where(column.missing, -1, codes) if column.missing_count else codes
    items, codes = column.text.coded()
    variants = variants_of(table, name)
    numbers: dict[str, int] = {}
    meant = [_meant(text, variants) for text in items]
    number = np.array([numbers.setdefault(text, len(numbers)) if text else -1 for text in meant], np.int64)
    placed = number[codes]
    placed[column.missing] = -1
    _, low = compact(placed[placed >= 0])
    placed[placed >= 0] = low
    return placed


def _meant(text: str, variants: dict[str, str]) -> str:
    """Return what a value stands for; nothing for what is no value of anything: formulas, words for missing."""
    if text.isalnum() and text.isascii() and not variants and not is_missing_word(text):
        return text.casefold()
    plain = tidied(text if _is_plain(text) else as_meant(text))
    if runs_as_formula(plain) or is_missing_word(plain):
        return ""
    return folded(variants.get(plain, plain)) or plain


def _is_plain(text: str) -> bool:
    """Return whether a text is as it was meant: what hides, was decoded wrongly or marks up is not in it."""
    return text.isascii() and text.isprintable() and not (_MARKING & set(text))


_MARKING = frozenset("&<'")


def _agreement_by_chance(codes: Codes) -> float:
    """Return how often two rows agree in a column: the share of pairs."""
    present = codes[codes >= 0]
    if len(present) < 2:
        return 1.0
    counts = np.bincount(present).astype(np.float64)
    return float((counts * (counts - 1)).sum() / (len(present) * (len(present) - 1.0)))


def _whole_groups(codes: Codes) -> NDArray[np.int64]:
    """Return the rows of about as many whole groups as make `LOOKED_AT` rows."""
    every = max(1, len(codes) // LOOKED_AT)
    return np.flatnonzero((codes >= 0) & (codes % every == 0))


def _agree(first: Codes, second: Codes, by_chance: float) -> bool:
    """Return whether rows with the same first value agree in the second far more often than any two rows."""
    both = (second >= 0) & (first >= 0)
    if both.sum() < LEAST_ROWS:
        return False
    one, other = compact(first[both])[1], compact(second[both])[1]
    pairs = group_sizes([one, other], len(one))[1].astype(np.float64)
    sizes = np.bincount(one).astype(np.float64)
    within = float((sizes * (sizes - 1)).sum())
    if within < LEAST_ROWS:
        return False
    share = float((pairs * (pairs - 1)).sum()) / within
    return share - by_chance >= LEAST_AGREEMENT * (1 - by_chance)


def _rule(first: str, second: str, one: Codes, other: Codes, holes: Mask) -> Decides | None:
    both = np.flatnonzero((one >= 0) & (other >= 0))
    if not _agree(one, other, _agreement_by_chance(other)):
        return None
    values = int(one.max()) + 1
    width = int(other.max()) + 1
    inverse, starts, counts = number_groups([one[both], other[both]], len(both))
    group, second_of = one[both[starts]], other[both[starts]]
    most = np.zeros(values, np.int64)
    np.maximum.at(most, group, counts)
    sizes = np.bincount(one[both], minlength=values)
    clear = (sizes >= 3) & (most >= LEAST_MAJORITY * sizes)
    # A second value that has rows of its own and is met with no other is a thing of its own: two born on one day.
    met = np.bincount(second_of, minlength=width)
    own = (met[second_of] == 1) & (counts > 1)
    minor = clear[group] & (counts < most[group]) & ~own
    exceptions = both[minor[inverse]]
    unclear = int(sizes[(sizes > 1) & ~clear & (most < sizes)].sum())
    if len(exceptions) + unclear > MOST_EXCEPTIONS * len(both):
        return None
    # Where most groups have an exception, they have two values.
    broken = np.bincount(group[counts < most[group]], minlength=values) > 0
    several = sizes > 1
    small = several.sum() * LARGE_GROUP > len(both)
    if small and len(exceptions) > 3 and (broken & several).sum() > 0.5 * several.sum():
        return None
    single = (most == sizes) & (sizes >= 2)
    gaps = np.flatnonzero((one >= 0) & holes)
    few = len(exceptions) + unclear <= MOST_BROKEN * len(both)
    fillable = gaps[single[one[gaps]]] if few else gaps[:0]
    return Decides(first, second, values, exceptions, fillable, 1 - len(exceptions) / len(both))
