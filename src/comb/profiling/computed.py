"""Findings about columns that are computed from others: which formula they follow, and in which rows they do not.

Formulas are found by trying them. Of at most `SAMPLE` rows, sums, differences, products, ratios and per cents of
one, two and three columns, with and without a constant, and sums of columns side by side are held against every
column of numbers. What is right in most of these rows is checked on all of them. Right means within half a unit of
the last digit that the column shows; if that explains less, the operands may have been rounded too.

Small numbers agree by chance. So a formula only counts if its column takes many values, if it is right far more
often than with the rows of the column shuffled, and if no simpler one is right nearly as often. Formulas over the
same columns are one relation, told once: of the column that stands last, for that is where people compute. An
exception that an earlier relation explains is not reported again.
"""

from collections.abc import Callable, Iterator
from itertools import combinations
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from comb.errors import counted
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.tables.column import Mask
from comb.tables.value_texts import number_text

SAMPLE = 240
LEAST_ROWS = 12

# Most formulas are wrong in nearly all of a few rows, and are tried no further.
FIRST_LOOK = 24
LEAST_OF_FIRST = 0.35

# Columns that are tried in pairs, and in threes; of more, those that stand first.
MOST_IN_PAIRS = 40
MOST_IN_THREES = 14

# A formula is right in this share of the sample, and of all rows; the others are exceptions.
LEAST_RIGHT_SAMPLED = 0.7
LEAST_RIGHT = 0.78

# With its rows shuffled, a column agrees in at most this share of them.
MOST_BY_CHANCE = 0.25

# A longer formula has to leave less than this share of the exceptions of a shorter one.
LEFT_OVER = 0.5

# Two ways to say a relation are equally right within this share of the rows.
AS_RIGHT = 0.03

# A computed column has this many values.
LEAST_DIFFERENT = 8

# Digits behind the point that a number of its own may show.
MOST_DIGITS = 6
FULL_PRECISION = 1e-9
DAYS_OF_A_YEAR = 365.25

Floats = NDArray[np.float64]


class Formula(NamedTuple):
    """A way to compute a column.

    Attributes
    ----------
    says : str
        With ``{0}``, ``{1}``, ``{2}`` for the operands.
    compute : callable
        From arrays to an array.
    cost : int
        How long it is: a shorter one is preferred.
    exact : bool
        Whether only sums and differences are taken, so that operands add their own rounding.
    """

    says: str
    compute: Callable[..., Floats]
    cost: int
    exact: bool = False


PAIRS = (
    Formula("{0} + {1}", lambda a, b: a + b, 2, exact=True),
    Formula("{0} - {1}", lambda a, b: a - b, 2, exact=True),
    Formula("{1} - {0}", lambda a, b: b - a, 2, exact=True),
    Formula("{0} * {1}", lambda a, b: a * b, 2),
    Formula("{0} / {1}", lambda a, b: a / b, 2),
    Formula("{1} / {0}", lambda a, b: b / a, 2),
    Formula("100 * {0} / {1}", lambda a, b: 100 * a / b, 3),
    Formula("100 * {1} / {0}", lambda a, b: 100 * b / a, 3),
    Formula("{0} * {1} / 100", lambda a, b: a * b / 100, 3),
    Formula("{0} * {1} / 1000", lambda a, b: a * b / 1000, 3),
    Formula("1000 * {0} / {1}", lambda a, b: 1000 * a / b, 3),
    Formula("1000 * {1} / {0}", lambda a, b: 1000 * b / a, 3),
    Formula("60 * {0} / {1}", lambda a, b: 60 * a / b, 3),
    Formula("60 * {1} / {0}", lambda a, b: 60 * b / a, 3),
    Formula("{0} / ({1} * {1})", lambda a, b: a / (b * b), 3),
    Formula("{1} / ({0} * {0})", lambda a, b: b / (a * a), 3),
    Formula("10000 * {0} / ({1} * {1})", lambda a, b: 10_000 * a / (b * b), 4),
    Formula("10000 * {1} / ({0} * {0})", lambda a, b: 10_000 * b / (a * a), 4),
    Formula("{0} * (1 + {1})", lambda a, b: a * (1 + b), 3),
    Formula("{1} * (1 + {0})", lambda a, b: b * (1 + a), 3),
    Formula("{0} * (1 - {1})", lambda a, b: a * (1 - b), 3),
    Formula("{1} * (1 - {0})", lambda a, b: b * (1 - a), 3),
    Formula("{0} * (100 + {1}) / 100", lambda a, b: a * (100 + b) / 100, 4),
    Formula("{1} * (100 + {0}) / 100", lambda a, b: b * (100 + a) / 100, 4),
    Formula("{0} * (100 - {1}) / 100", lambda a, b: a * (100 - b) / 100, 4),
    Formula("{1} * (100 - {0}) / 100", lambda a, b: b * (100 - a) / 100, 4),
    Formula("({1} - {0}) / {0}", lambda a, b: (b - a) / a, 4),
    Formula("100 * ({1} - {0}) / {0}", lambda a, b: 100 * (b - a) / a, 4),
    Formula("({0} - {1}) / {1}", lambda a, b: (a - b) / b, 4),
    Formula("100 * ({0} - {1}) / {1}", lambda a, b: 100 * (a - b) / b, 4),
    Formula("{0} / ({0} + {1})", lambda a, b: a / (a + b), 4),
    Formula("100 * {0} / ({0} + {1})", lambda a, b: 100 * a / (a + b), 4),
    Formula("{1} / ({0} + {1})", lambda a, b: b / (a + b), 4),
    Formula("100 * {1} / ({0} + {1})", lambda a, b: 100 * b / (a + b), 4),
    Formula("({0} + {1}) / 2", lambda a, b: (a + b) / 2, 3),
    Formula("100 - {0} - {1}", lambda a, b: 100 - a - b, 3, exact=True),
    Formula("1 - {0} - {1}", lambda a, b: 1 - a - b, 3, exact=True),
)

# Of one column; parts add up to a whole.
SINGLES = (
    Formula("100 - {0}", lambda a: 100 - a, 1, exact=True),
    Formula("1 - {0}", lambda a: 1 - a, 1, exact=True),
)

# Of columns that are days or moments, in days; the difference is whole days, days with both ends, hours, minutes,
# years.
MOMENTS = (
    Formula("the days from {0} to {1}", lambda a, b: np.floor(b) - np.floor(a), 2),
    Formula("the days from {1} to {0}", lambda a, b: np.floor(a) - np.floor(b), 2),
    Formula("the days from {0} to {1}, both counted", lambda a, b: np.floor(b) - np.floor(a) + 1, 3),
    Formula("the hours from {0} to {1}", lambda a, b: (b - a) * 24, 2),
    Formula("the minutes from {0} to {1}", lambda a, b: (b - a) * 1440, 2),
    Formula("the whole years from {0} to {1}", lambda a, b: np.floor((b - a + 0.2) / DAYS_OF_A_YEAR), 3),
    Formula("the whole years from {1} to {0}", lambda a, b: np.floor((a - b + 0.2) / DAYS_OF_A_YEAR), 3),
)


def _threes() -> Iterator[Formula]:
    yield Formula("{0} + {1} + {2}", lambda a, b, c: a + b + c, 3, exact=True)
    yield Formula("{0} * {1} * {2}", lambda a, b, c: a * b * c, 4)
    yield Formula("100 - {0} - {1} - {2}", lambda a, b, c: 100 - a - b - c, 4, exact=True)
    yield Formula("1 - {0} - {1} - {2}", lambda a, b, c: 1 - a - b - c, 4, exact=True)
    for i, j, k in ((0, 1, 2), (0, 2, 1), (1, 2, 0)):
        x, y, z = f"{{{i}}}", f"{{{j}}}", f"{{{k}}}"

        def pick(*given: Floats, order: tuple[int, int, int] = (i, j, k)) -> tuple[Floats, Floats, Floats]:
            return given[order[0]], given[order[1]], given[order[2]]

        def made(
            compute: Callable[[Floats, Floats, Floats], Floats],
            pick: Callable[..., tuple[Floats, Floats, Floats]] = pick,
        ) -> Callable[..., Floats]:
            return lambda a, b, c: compute(*pick(a, b, c))

        yield Formula(f"{x} + {y} - {z}", made(lambda a, b, c: a + b - c), 3, exact=True)
        yield Formula(f"{z} - {x} - {y}", made(lambda a, b, c: c - a - b), 3, exact=True)
        yield Formula(f"({x} + {y}) * {z}", made(lambda a, b, c: (a + b) * c), 4)
        yield Formula(f"({x} - {y}) * {z}", made(lambda a, b, c: (a - b) * c), 4)
        yield Formula(f"({y} - {x}) * {z}", made(lambda a, b, c: (b - a) * c), 4)
        yield Formula(f"{x} * {y} + {z}", made(lambda a, b, c: a * b + c), 4)
        yield Formula(f"{x} * {y} - {z}", made(lambda a, b, c: a * b - c), 4)
        yield Formula(f"{x} * {y} * (1 - {z})", made(lambda a, b, c: a * b * (1 - c)), 5)
        yield Formula(f"{x} * {y} * (100 - {z}) / 100", made(lambda a, b, c: a * b * (100 - c) / 100), 5)
        yield Formula(f"{x} * {y} * (1 + {z})", made(lambda a, b, c: a * b * (1 + c)), 5)
        yield Formula(f"{x} * {y} * (100 + {z}) / 100", made(lambda a, b, c: a * b * (100 + c) / 100), 5)
        yield Formula(f"{x} * {y} / {z}", made(lambda a, b, c: a * b / c), 4)
        yield Formula(f"100 * {x} * {y} / {z}", made(lambda a, b, c: 100 * a * b / c), 5)
        yield Formula(f"({x} + {y}) / {z}", made(lambda a, b, c: (a + b) / c), 4)
        yield Formula(f"({x} - {y}) / {z}", made(lambda a, b, c: (a - b) / c), 4)
        yield Formula(f"({y} - {x}) / {z}", made(lambda a, b, c: (b - a) / c), 4)
        yield Formula(f"100 * ({x} - {y}) / {z}", made(lambda a, b, c: 100 * (a - b) / c), 5)
        yield Formula(f"100 * ({y} - {x}) / {z}", made(lambda a, b, c: 100 * (b - a) / c), 5)


THREES = tuple(_threes())


class Relation(NamedTuple):
    """A column and the formula that it follows in nearly all rows."""

    target: str
    operands: tuple[str, ...]
    formula: Formula
    wide: bool
    right: float


class Numbers(NamedTuple):
    """The columns that can be computed with.

    Attributes
    ----------
    names : list of str
    values : dict of str to float array
        NaN where missing.
    units : dict of str to float
        Half a unit of the last digit that each column shows.
    moments : set of str
        Those that are days or moments.
    """

    names: list[str]
    values: dict[str, Floats]
    units: dict[str, float]
    moments: set[str]


def computed(table: ColumnCache) -> Findings:
    """Columns that follow a formula in nearly all rows, and the rows in which they do not."""
    numbers, found = _found(table)
    explained: list[tuple[set[str], set[int]]] = []
    order = {name: at for at, name in enumerate(table.names)}
    for relation in sorted(found, key=lambda one: order[one.target]):
        told = np.any([table.told(name) for name in relation.operands], axis=0) | table.surely_told(relation.target)
        wrong = _wrong(relation, numbers) & ~told
        rows = np.flatnonzero(wrong)
        mine = {relation.target, *relation.operands}
        at = set(rows.tolist())
        earlier = {row for columns, found in explained if columns & mine for row in found}
        explained.append((mine, at))
        left = np.array(sorted(at - earlier), np.int64)
        if not len(left):
            continue
        yield _finding(table, relation, left, numbers)


def computed_columns(table: ColumnCache) -> frozenset[str]:
    """Return the columns that follow a formula."""
    return frozenset(relation.target for relation in _found(table)[1])


def _found(table: ColumnCache) -> tuple[Numbers, list[Relation]]:
    """Return the columns of numbers and the formulas they follow, found once for all who ask."""
    if table.relations is None:
        numbers = _numbers(table)
        table.relations = numbers, relations(table, numbers)
    return table.relations


def _finding(table: ColumnCache, relation: Relation, rows: NDArray[np.int64], numbers: Numbers) -> Finding:
    says = relation.formula.says.format(*relation.operands)
    shown = rows[:MOST_EXAMPLES]
    given = table[relation.target]._take(shown).texts()
    values = _expected(relation, numbers)[shown]
    digits = max(0, round(-float(np.log10(2 * max(numbers.units[relation.target], 1e-7)))))
    examples = tuple(
        f"row {row}: {text}, computed {number_text(round(float(value), digits))}"
        for row, text, value in zip(table.row_numbers[shown].tolist(), given, values, strict=True)
    )
    count = len(rows)
    text = f"{relation.target} is {says} in {relation.right:.1%} of the rows; in {counted(count, 'row')} it is not"
    return Finding(
        "relation.computed",
        (relation.target, *relation.operands),
        count,
        np.sort(table.row_numbers[rows]),
        examples,
        text,
    )


def _numbers(table: ColumnCache) -> Numbers:
    names: list[str] = []
    values: dict[str, Floats] = {}
    units: dict[str, float] = {}
    moments: set[str] = set()
    beyond = 0
    for name, column in table.columns.items():
        kind = column.type.plain
        timed = kind.word in ("date", "datetime")
        if not (kind.word in ("integer", "decimal", "number") or timed) or column.type.choices:
            continue
        if table.present_count(name) < LEAST_ROWS or table.different(name) < 2:
            continue
        if (len(moments) if timed else len(names) - len(moments)) >= MOST_IN_PAIRS:
            beyond += 1
            continue
        values[name] = table.floats(name)
        if timed:
            moments.add(name)
        units[name] = 0.5 if timed or kind.word == "integer" else _unit_of(values[name], kind.scale, kind.word)
        names.append(name)
    if beyond:
        table.limit(f"how columns are computed, for {beyond:,} columns beyond the first {MOST_IN_PAIRS}")
    return Numbers(names, values, units, moments)


def _unit_of(values: Floats, scale: int, word: str) -> float:
    """Return half a unit of the last digit that values show."""
    if word == "decimal":
        return 0.5 * 10.0**-scale
    some = values[: 2 * SAMPLE]
    some = some[np.isfinite(some)]
    if len(some) < SAMPLE < len(values):
        some = values[np.isfinite(values)]
    some = some[:SAMPLE]
    for digits in range(MOST_DIGITS + 1):
        if np.all(np.abs(np.round(some, digits) - some) <= FULL_PRECISION * np.maximum(1.0, np.abs(some))):
            return 0.5 * 10.0**-digits
    return FULL_PRECISION


def relations(table: ColumnCache, numbers: Numbers) -> list[Relation]:
    """Find the formulas that columns follow, one for each set of columns."""
    if table.row_count < LEAST_ROWS or len(numbers.names) < 2:
        return []
    plain = [name for name in numbers.names if name not in numbers.moments]
    rows = np.unique(np.linspace(0, table.row_count - 1, min(SAMPLE, table.row_count)).astype(np.int64))
    sample = {name: numbers.values[name][rows] for name in numbers.names}
    targets = [name for name in plain if table.different(name) >= LEAST_DIFFERENT]
    if not targets:
        return []
    against = np.array([sample[name] for name in targets])
    units = np.array([numbers.units[name] for name in targets])
    shuffled = against[:, np.roll(np.arange(len(rows)), len(rows) // 3 + 1)]
    found: dict[frozenset[str], Relation] = {}
    place = {name: at for at, name in enumerate(table.names)}
    best: dict[str, float] = {}
    quick = np.unique(np.linspace(0, len(rows) - 1, min(FIRST_LOOK, len(rows))).astype(np.int64))
    first = {name: values[quick] for name, values in sample.items()}
    quickly = against[:, quick]
    for operands, formula in _tries(table, numbers, sample):
        with np.errstate(all="ignore"):
            slack = sum(numbers.units[name] for name in operands) if formula.exact else 0.0
            made = formula.compute(*(first[name] for name in operands))
            limit = units[:, None] * 1.001 + np.abs(made) * FULL_PRECISION + slack
            if (np.abs(quickly - made) <= limit).sum(axis=1).max() < LEAST_OF_FIRST * np.isfinite(made).sum():
                continue
            made = formula.compute(*(sample[name] for name in operands))
        for at, wide in _hits(made, against, shuffled, units, slack, formula):
            target = targets[at]
            if target in operands:
                continue
            relation = Relation(target, operands, formula, wide, 0.0)
            wrong = _wrong(relation, numbers)
            there = np.isfinite(_expected(relation, numbers)) & np.isfinite(numbers.values[target])
            if there.sum() < LEAST_ROWS:
                continue
            right = 1 - wrong.sum() / there.sum()
            # A shorter formula may be right as often.
            needless = len(operands) > 1 and target in best and 1 - right >= LEFT_OVER * (1 - best[target])
            if right < LEAST_RIGHT or needless:
                continue
            relation = relation._replace(right=float(right))
            key = frozenset({target, *operands})
            known = found.get(key)
            if known is None or _better(relation, known, place):
                found[key] = relation
            best[target] = max(best.get(target, 0.0), float(right))
    return _without_longer(list(found.values()))


def _better(one: Relation, other: Relation, place: dict[str, int]) -> bool:
    """Return whether a relation says better than another how the same columns hang together."""
    if abs(one.right - other.right) > AS_RIGHT:
        return one.right > other.right
    return (place[one.target], -one.formula.cost, one.right) > (place[other.target], -other.formula.cost, other.right)


def _without_longer(found: list[Relation]) -> list[Relation]:
    """Leave out relations that a shorter one on the same target makes needless."""
    kept = []
    for one in found:
        shorter = [other for other in found if other.target == one.target and len(other.operands) < len(one.operands)]
        if not any(1 - one.right >= LEFT_OVER * (1 - other.right) for other in shorter):
            kept.append(one)
    return kept


def _hits(
    made: Floats, against: Floats, shuffled: Floats, units: Floats, slack: float, formula: Formula
) -> Iterator[tuple[int, bool]]:
    """Return the columns that a computed one agrees with, and whether operands were rounded too."""
    finite = np.isfinite(made)
    if finite.sum() < LEAST_ROWS:
        return
    near = np.abs(made) * FULL_PRECISION
    with np.errstate(invalid="ignore"):
        away = np.abs(against - made)
        both = finite & np.isfinite(against)
        count = both.sum(axis=1)
        enough = count >= max(LEAST_ROWS, len(made) // 10)
        for wide in (False, True):
            if wide and not slack:
                return
            limit = units[:, None] * (1 + 1e-6) + near + (slack if wide else 0.0)
            right = ((away <= limit) & both).sum(axis=1) / np.maximum(count, 1)
            likely = np.flatnonzero(enough & (right >= LEAST_RIGHT_SAMPLED))
            for at in likely.tolist():
                chance = np.mean(np.abs(shuffled[at] - made)[both[at]] <= limit[at][both[at]])
                if chance <= MOST_BY_CHANCE:
                    yield at, wide
            if len(likely):
                return


def _tries(
    table: ColumnCache, numbers: Numbers, sample: dict[str, Floats]
) -> Iterator[tuple[tuple[str, ...], Formula]]:
    """Return the formulas to try with their operands, short ones first."""
    plain = [name for name in numbers.names if name not in numbers.moments]
    for name in plain:
        yield from ((((name,), formula)) for formula in SINGLES)
        for other in plain:
            if name != other:
                yield from (
                    (((name,), formula))
                    for formula in _with_constant(sample[name], sample[other], numbers.units[other])
                )
    for pair in combinations(plain, 2):
        yield from ((pair, formula) for formula in PAIRS)
    moments = [name for name in numbers.names if name in numbers.moments]
    for pair in combinations(moments, 2):
        yield from ((pair, formula) for formula in MOMENTS)
    if len(plain) > 3:
        yield from _side_by_side(table, plain)
    for three in combinations(plain[:MOST_IN_THREES], 3):
        yield from ((three, formula) for formula in THREES)


def _with_constant(values: Floats, target: Floats, unit: float) -> Iterator[Formula]:
    """Return a constant times a column, and a column plus a constant, as a target suggests them."""
    with np.errstate(all="ignore"):
        ratios, steps = target / values, target - values
    ratios, steps = ratios[np.isfinite(ratios)], steps[np.isfinite(steps)]
    if len(ratios) >= LEAST_ROWS:
        # The larger the value, the better its ratio tells the constant.
        factor = _plain(float(np.median(ratios)), unit / max(1e-12, float(np.nanmax(np.abs(values)))))
        if factor not in (0.0, 1.0):
            yield Formula(f"{number_text(factor)} * {{0}}", lambda a: factor * a, 1)
    if len(steps) >= LEAST_ROWS:
        step = float(np.median(steps))
        if step:
            sign = f"+ {number_text(step)}" if step > 0 else f"- {number_text(-step)}"
            yield Formula(f"{{0}} {sign}", lambda a: a + step, 1)


def _plain(value: float, slack: float) -> float:
    """Return the shortest number close enough to a value."""
    for digits in range(MOST_DIGITS + 1):
        short = round(value, digits)
        if abs(short - value) <= max(slack, FULL_PRECISION * abs(value)):
            return short
    return value


def _side_by_side(table: ColumnCache, plain: list[str]) -> Iterator[tuple[tuple[str, ...], Formula]]:
    """Return sums of more than three columns that stand side by side; gaps count as nothing."""
    names = [name for name in table.names if name in set(plain)]

    def total(*given: Floats) -> Floats:
        made: Floats = np.nansum(np.array(given), axis=0)
        return made

    for begin in range(len(names)):
        for end in range(begin + 4, len(names) + 1):
            chosen = tuple(names[begin:end])
            says = f"the sum of {{0}} to {{{len(chosen) - 1}}}"
            yield chosen, Formula(says, total, 4, exact=True)
            for whole in (100, 1):
                yield chosen, Formula(f"{whole} - {says}", lambda *given, of=whole: of - total(*given), 5, exact=True)


def _expected(relation: Relation, numbers: Numbers) -> Floats:
    with np.errstate(all="ignore"):
        return relation.formula.compute(*(numbers.values[name] for name in relation.operands))


def _wrong(relation: Relation, numbers: Numbers) -> Mask:
    """Return the rows in which a column is not as its formula says."""
    made, given = _expected(relation, numbers), numbers.values[relation.target]
    slack = sum(numbers.units[name] for name in relation.operands) if relation.wide else 0.0
    with np.errstate(invalid="ignore"):
        limit = numbers.units[relation.target] * (1 + 1e-6) + slack + np.abs(made) * FULL_PRECISION
        wrong: Mask = np.abs(made - given) > limit
    return wrong
