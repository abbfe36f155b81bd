"""Compare groups, or two columns, and say what that means.

Which comparison is made follows from the columns. Numbers (or dates, times) by a column of groups: n, mean, spread
and quartiles of each group; of two groups the difference of means with its 95 % interval and Welch's t-test, which
does not suppose equal variances; of more, a one-way analysis of variance; beside each, where the values are skewed, a
test of ranks that does not suppose a normal distribution (Mann and Whitney, Kruskal and Wallis). Rows that belong in
pairs are compared pair by pair. Two columns of numbers: the correlations of Pearson and of Spearman with 95 %
intervals (by Fisher's transformation; for ranks with the standard error of Bonett and Wright, Psychometrika 65,
2000). Two columns of groups: a cross table with shares and a chi-square test, with Cramér's V for how strongly the
two go together.

SciPy computes the tests; it is imported when one is made. What is said of a probability is said as an expectation: in
how many of 10,000 samples a difference this large or larger would come by chance alone. Nothing here says what is
"significant". Where a test supposes what the data do not have (few rows, skew, very different spreads, several tests,
pairs), that is said beside it.
"""

import math
import warnings
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import ParameterError, agree, counted, listing, washed_lines
from comb.kernels.grouping import Codes, group
from comb.statistics.figures import has_positions, plain_figure, positions_of
from comb.tables.bars import share_words
from comb.tables.column import Column
from comb.tables.layout import LayoutRequest, lay_out, plain
from comb.tables.names import check_known
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER, NUMBER, STRING

Floats = NDArray[np.float64]

# A column of numbers with more different values than this is compared as numbers, not as groups.
MOST_NUMBER_GROUPS = 10
MOST_GROUPS = 200

# Fewer rows than this in a group are few.
FEW = 20

# Beyond these, squares or their sums overflow or vanish.
LARGEST, SMALLEST = 1e140, 1e-140

# Characters in a line, where nobody says.
WIDTH = 120

# A third moment beyond this is skewed.
SKEWED = 1.0

# Standard deviations that differ by more than this factor are very different.
UNEQUAL = 2.0

# A chi-square test supposes that this many rows are expected in each cell.
EXPECTED = 5


class Test(msgspec.Struct, frozen=True):
    """One test.

    Attributes
    ----------
    name : str
    statistic : float
    letter : str
        What the statistic is called.
    degrees : tuple of float
        Of freedom, where it has some.
    p : float
        The probability of a difference this large or larger by chance alone; NaN where the test has no result.
    """

    name: str
    statistic: float
    letter: str
    degrees: tuple[float, ...]
    p: float

    @property
    def says(self) -> str:
        """The test in a sentence."""
        if not math.isfinite(self.p):
            return f"{self.name}: no result for these values"
        degrees = f" ({', '.join(plain_figure(one) for one in self.degrees)} df)" if self.degrees else ""
        figures = f"{self.letter} = {plain_figure(self.statistic)}{degrees}, p {_p_words(self.p)}"
        return f"{self.name}: {figures}: {chance_words(self.p)}"


class GroupComparison(msgspec.Struct, frozen=True):
    """What came of comparing groups, or two columns.

    Attributes
    ----------
    value, by : str
        The columns.
    kind : {"means", "pairs", "correlation", "counts"}
    groups : BareTable
        A row for each group; of counts the cross table; of a correlation one row.
    answer : str
        What is found, in a sentence.
    difference : tuple of float or None
        Of two groups: the difference of the means, and the ends of its 95 % interval.
    tests : tuple of Test
    notes : tuple of str
        What the tests suppose and the data may not have, and which rows were left out.
    """

    value: str
    by: str
    kind: str
    groups: BareTable
    answer: str
    difference: tuple[float, float, float] | None = None
    tests: tuple[Test, ...] = ()
    notes: tuple[str, ...] = msgspec.field(default=())

    def lines(self) -> list[str]:
        """Return what was found, below the table: a line for each thing."""
        tests = [one.says for one in self.tests]
        return [self.answer, *tests, *(f"note: {note}" for note in self.notes)]

    def layout(self, width: int = WIDTH) -> LayoutRequest:
        """Return how the groups are printed: figures rounded to what counts."""
        columns = {name: _rounded(column) for name, column in self.groups.columns.items()}
        sentence = f"{self.value} by {self.by}"
        if self.kind in ("means", "counts"):
            sentence += f": {counted(self.groups.row_count, 'group')}"
        shares = tuple(name for name in columns if self.kind == "counts" and columns[name].type.word == "number")
        return LayoutRequest(columns, self.groups.row_numbers, sentence, width, MOST_GROUPS, shares=shares)

    def __repr__(self) -> str:
        return washed_lines("\n".join([plain(lay_out(self.layout())), "", *self.lines()]))

    def as_record(self) -> dict[str, Any]:
        """Return it as plain values, for JSON."""
        tests = [
            {name: _plain_value(getattr(one, name)) for name in ("name", "letter", "statistic", "degrees", "p")}
            for one in self.tests
        ]
        cells = {name: column.to_list() for name, column in self.groups.columns.items()}
        rows = [{name: cells[name][at] for name in cells} for at in range(self.groups.row_count)]
        return {
            "value": self.value, "by": self.by, "kind": self.kind, "groups": rows, "answer": self.answer,
            "difference": self.difference, "tests": tests, "notes": list(self.notes),
        }  # fmt: skip


def _plain_value(value: Any) -> Any:
    """Return a figure for JSON, which has no NaN."""
    return None if isinstance(value, float) and not math.isfinite(value) else value


def _rounded(column: Column) -> Column:
    """Return the figures of a column as they are printed."""
    if column.type.word != "number":
        return column
    return column._replace(values=np.array([float(f"{one:.5g}") for one in column.array.tolist()]))


def chance_words(p: float) -> str:
    """Say a probability as how often chance alone would do as much.

    >>> chance_words(0.0003)
    'a difference this large or larger would come by chance alone in 3 of 10,000 such samples'
    >>> chance_words(0.42), chance_words(1e-9)  # doctest: +NORMALIZE_WHITESPACE
    ('a difference this large or larger would come by chance alone in 42 of 100 such samples',
     'a difference this large or larger would come by chance alone in fewer than 1 of 10,000 such samples')
    """
    for of in (100, 1_000, 10_000):
        if p * of >= 0.95:
            often = f"{min(round(p * of), of)} of {of:,}"
            break
    else:
        often = "fewer than 1 of 10,000"
    return f"a difference this large or larger would come by chance alone in {often} such samples"


def _p_words(p: float) -> str:
    return "below 0.0001" if p < 0.0001 else f"= {plain_figure(p, 2)}"


@contextmanager
def _quietly() -> Iterator[None]:
    """Compute a test without a word on the screen: what it supposes is among the notes."""
    with warnings.catch_warnings(), np.errstate(all="ignore"):
        warnings.simplefilter("ignore")
        yield


def compare_groups(table: BareTable, value: str, by: str, paired_by: str | None = None) -> GroupComparison:
    """Compare the values of one column between the groups of another; or two columns of numbers, or of groups.

    Parameters
    ----------
    table : BareTable
    value, by : str
        Columns. `by` may also be a column of numbers with many values: then the two are correlated.
    paired_by : str, optional
        A column that says which rows of two groups belong together: the same hive before and after.

    Returns
    -------
    GroupComparison
        Cost: a sort of the values of each group; the import of SciPy.

    Raises
    ------
    ParameterError
        If the columns cannot be compared in any of these ways.
    """
    for name in (value, by, *([paired_by] if paired_by else [])):
        check_known(name, table.names)
    if value == by:
        raise ParameterError(f"expected two columns, got {value} twice")
    with _quietly():
        return _compared(table, value, by, paired_by)


def _compared(table: BareTable, value: str, by: str, paired_by: str | None) -> GroupComparison:
    column, other = table[value], table[by]
    if paired_by is not None:
        return _pairs(table, value, by, paired_by)
    if not has_positions(column) and has_positions(other) and not _is_grouping(other):
        raise ParameterError(
            f"{value} is {column.type} and {by} has too many values for groups",
            remedy=f"the other way: {by} by {value}",
        )
    if has_positions(column) and not column.type.choices:
        return _means(table, value, by) if _is_grouping(other) else _correlation(table, value, by)
    return _counts(table, value, by)


def _is_grouping(column: Column) -> bool:
    """Return whether the values of a column are groups, not numbers."""
    return not has_positions(column) or bool(column.type.choices) or len(column.distinct()) <= MOST_NUMBER_GROUPS


class _Parts(msgspec.Struct, frozen=True):
    """The groups of a column: the group of each row (-1 where missing), and what each is called, in order."""

    codes: Codes
    labels: list[str]


def _parts(column: Column, name: str) -> _Parts:
    numbers, first = group([column._codes()], len(column))
    there = np.flatnonzero(column.present[first]) if len(first) else first
    order = there[np.argsort(column._take(first[there])._sort_ranks(), kind="stable")]
    if len(order) > MOST_GROUPS:
        raise ParameterError(
            f"{name} has {len(order):,} different values, at most {MOST_GROUPS} groups are compared",
            remedy="filter the groups that matter, or put values together",
        )
    places = np.full(len(first), -1, np.int64)
    places[order] = np.arange(len(order))
    return _Parts(places[numbers] if len(first) else numbers, group_labels(column._take(first[order])))


def group_labels(column: Column) -> list[str]:
    """Return what the values of a column are called: of a category its labels."""
    labels = {choice.value: choice.label for choice in column.type.choices if choice.label}
    return ["(missing)" if text is None else labels.get(text, text) for text in column.texts()]


def _figures(table: BareTable, name: str) -> Floats:
    """Return the values of a column, whose squares have to be numbers."""
    values = positions_of(table[name])
    most = float(np.nanmax(np.abs(values), initial=0.0))
    if most and not SMALLEST <= most <= LARGEST:
        raise ParameterError(
            f"{name} has values up to {most:.3g}, whose squares are too large to be numbers",
            remedy=f"calculate it in another unit first: {name} * 1e{-round(math.log10(most))}",
        )
    return values


def _means(table: BareTable, value: str, by: str) -> GroupComparison:
    values, parts = _figures(table, value), _parts(table[by], by)
    present = ~np.isnan(values)
    samples = [values[(parts.codes == at) & present] for at in range(len(parts.labels))]
    missing = [int(np.count_nonzero((parts.codes == at) & ~present)) for at in range(len(parts.labels))]
    groups = _group_table(by, parts.labels, samples, missing)
    notes = _left_out(table, value, by)
    dates = table[value].type.storage.startswith(("datetime", "timedelta"))
    notes += (
        [f"{value} is {table[value].type.word}: its figures are days, of dates days from 1970-01-01"] if dates else []
    )
    useful = [at for at, one in enumerate(samples) if len(one) >= 2]
    if len(useful) < 2:
        few = listing([f"{label}: {len(one)}" for label, one in zip(parts.labels, samples, strict=True)] or ["none"])
        return GroupComparison(
            value, by, "means", groups, notes=tuple(notes),
            answer=f"no test of {value} by {by}: that takes two groups with two values each ({few})",
        )  # fmt: skip
    named = parts.labels if table[by].type.textual else [f"{by} = {label}" for label in parts.labels]
    left = [named[at] for at in range(len(samples)) if at not in useful]
    notes += [f"in no test, with fewer than two values: {listing(left)}"] if left else []
    chosen, labels = [samples[at] for at in useful], [named[at] for at in useful]
    if all(float(np.ptp(one)) == 0 for one in chosen):
        return GroupComparison(
            value, by, "means", groups, f"no test of {value} by {by}: within each group all values are equal",
            notes=tuple(notes),
        )  # fmt: skip
    notes += _suppositions(chosen, labels)
    skewed = any(abs(skewness(one)) > SKEWED for one in chosen)
    if len(chosen) == 2:
        return _two_groups(value, by, groups, chosen, labels, notes, skewed=skewed)
    from scipy import stats

    found = stats.f_oneway(*chosen)
    rows = sum(map(len, chosen))
    tests = [_test("one-way analysis of variance", found, "F", (len(chosen) - 1, rows - len(chosen)))]
    tests += (
        [_test("test of ranks (Kruskal and Wallis)", stats.kruskal(*chosen), "H", (len(chosen) - 1,))] if skewed else []
    )
    means = np.array([float(one.mean()) for one in chosen])
    low, high = int(means.argmin()), int(means.argmax())
    between = float(sum(len(one) * (one.mean() - np.concatenate(chosen).mean()) ** 2 for one in chosen))
    whole = float(((np.concatenate(chosen) - np.concatenate(chosen).mean()) ** 2).sum())
    answer = (
        f"the mean of {value} goes from {plain_figure(means[low])} ({labels[low]}) to {plain_figure(means[high])} "
        f"({labels[high]}); the {len(chosen)} groups of {by} explain {share_words(between / whole)} of its variance"
    )
    pairs = len(chosen) * (len(chosen) - 1) // 2
    notes.append(
        "the test asks whether all means are equal, not which differ; "
        f"testing every pair would be {pairs} tests, of which some come out by chance: 1 of 20 at p = 0.05"
    )
    return GroupComparison(value, by, "means", groups, answer, None, tuple(tests), tuple(notes))


def _two_groups(
    value: str, by: str, groups: BareTable, samples: list[Floats], labels: list[str], notes: list[str], *, skewed: bool
) -> GroupComparison:
    from scipy import stats

    a, b = samples
    welch = stats.ttest_ind(b, a, equal_var=False)
    low, high = (float(one) for one in welch.confidence_interval(0.95))
    tests = [_test("Welch's t-test", welch, "t", (float(welch.df),))]
    if skewed:
        tests.append(_test("test of ranks (Mann and Whitney)", stats.mannwhitneyu(b, a), "U", ()))
    difference = float(b.mean() - a.mean())
    if len(a) == len(b):
        notes.append(
            f"both groups have {len(a):,} values: if each belongs to one of the other group, as before and after, "
            "this is the wrong test; name the column that says which belong together: paired_by"
        )
    answer = _difference_words(value, labels, (float(a.mean()), float(b.mean())), (difference, low, high))
    return GroupComparison(value, by, "means", groups, answer, (difference, low, high), tuple(tests), tuple(notes))


def _difference_words(
    value: str, labels: list[str], means: tuple[float, float], found: tuple[float, float, float]
) -> str:
    difference, low, high = found
    how = "higher" if difference > 0 else "lower"
    ends = (low, high) if difference > 0 else (-high, -low)
    if difference == 0:
        return f"the mean of {value} is the same in {labels[0]} and {labels[1]}: {plain_figure(means[0])}"
    one, other = (f"{label} ({plain_figure(mean)})" for label, mean in zip(labels, means, strict=True))
    return (
        f"the mean of {value} is {plain_figure(abs(difference))} {how} in {other} than in {one}; "
        f"95 % interval of the difference {plain_figure(ends[0])} to {plain_figure(ends[1])}"
    )


def _pairs(table: BareTable, value: str, by: str, key: str) -> GroupComparison:
    """Compare two groups pair by pair."""
    column = table[value]
    if not has_positions(column):
        raise ParameterError(f"expected numbers to compare pair by pair, {value} is {column.type}")
    values, parts = _figures(table, value), _parts(table[by], by)
    if len(parts.labels) != 2:
        raise ParameterError(
            f"pairs are of two groups, {by} has {len(parts.labels)}: {listing(parts.labels)}",
            remedy="filter two of them first",
        )
    keys = table[key]
    usable = ~np.isnan(values) & (parts.codes >= 0) & keys.present
    numbers, first = group([keys._codes()], len(keys))
    cells = np.bincount(numbers[usable] * 2 + parts.codes[usable], minlength=2 * len(first)).reshape(-1, 2)
    double = np.flatnonzero(cells.max(axis=1, initial=0) > 1)
    if len(double):
        named = keys._take(first[double[:1]]).texts()[0]
        raise ParameterError(
            f"{counted(len(double), 'value')} of {key} {agree(len(double), 'has', 'have')} several rows in a group, "
            f"for instance {named!r}",
            remedy="a pair has one row in each: aggregate first, or name a column that tells them apart",
        )
    whole = (cells == 1).all(axis=1)
    table_of = np.full((len(first), 2), np.nan)
    table_of[numbers[usable], parts.codes[usable]] = values[usable]
    a, b = table_of[whole, 0], table_of[whole, 1]
    groups = _group_table(by, parts.labels, [a, b], [0, 0])
    alone = int(np.count_nonzero(cells.sum(axis=1) == 1))
    notes = (
        [f"{counted(alone, 'value')} of {key} without a partner {agree(alone, 'is', 'are')} left out"] if alone else []
    )
    notes += _left_out(table, value, by)
    change = b - a
    if len(change) < 2 or float(np.ptp(change)) == 0:
        return GroupComparison(
            value, by, "pairs", groups, f"no test: {counted(len(change), 'pair')}, and that takes two that differ",
            notes=tuple(notes),
        )  # fmt: skip
    from scipy import stats

    found = stats.ttest_rel(b, a)
    low, high = (float(one) for one in found.confidence_interval(0.95))
    tests = [_test("t-test of pairs", found, "t", (len(change) - 1,))]
    if abs(skewness(change)) > SKEWED:
        tests.append(_test("test of ranks of pairs (Wilcoxon)", stats.wilcoxon(b, a), "W", ()))
    notes += (
        [f"few pairs ({len(change)}): the interval is wide, and one odd pair decides much"] if len(change) < FEW else []
    )
    difference = (float(change.mean()), low, high)
    answer = f"{counted(len(change), 'pair')} by {key}: " + _difference_words(
        value, parts.labels, (float(a.mean()), float(b.mean())), difference
    )
    return GroupComparison(value, by, "pairs", groups, answer, difference, tuple(tests), tuple(notes))


def _correlation(table: BareTable, value: str, by: str) -> GroupComparison:
    x, y = _figures(table, by), _figures(table, value)
    usable = ~np.isnan(x) & ~np.isnan(y)
    x, y = x[usable], y[usable]
    notes = _left_out(table, value, by)
    n = len(x)
    if n < 4 or float(np.ptp(x)) == 0 or float(np.ptp(y)) == 0:
        groups = BareTable({"n": Column(INTEGER, np.array([n]))})
        answer = f"no correlation of {value} and {by}: that takes four rows with both, and values that differ"
        return GroupComparison(value, by, "correlation", groups, answer, notes=tuple(notes))
    from scipy import stats

    pearson, ranks = stats.pearsonr(x, y), stats.spearmanr(x, y)
    r, rho = float(pearson.statistic), float(ranks.statistic)
    ends = tuple(float(one) for one in pearson.confidence_interval(0.95))
    reach = 1.959964 * math.sqrt((1 + rho**2 / 2) / (n - 3))
    middle = math.atanh(max(-1 + 1e-15, min(1 - 1e-15, rho)))
    columns: dict[str, Column] = {
        "correlation": _texts(["Pearson", "Spearman (ranks)"]),
        "n": Column(INTEGER, np.array([n, n])),
    }
    columns["r"] = Column(NUMBER, np.array([r, rho]))
    columns["from"] = Column(NUMBER, np.array([ends[0], math.tanh(middle - reach)]))
    columns["to"] = Column(NUMBER, np.array([ends[1], math.tanh(middle + reach)]))
    tests = (_test("Pearson", pearson, "r", (n - 2,)), _test("Spearman", ranks, "rho", ()))
    how = "rises" if r > 0 else "falls"
    answer = (
        f"{value} {how} with {by}: r = {plain_figure(r, 2)}, 95 % interval {plain_figure(ends[0], 2)} to "
        f"{plain_figure(ends[1], 2)}; a straight line explains {share_words(r * r)} of the variance"
    )
    if abs(r) < 0.1:
        answer = f"{value} and {by} hardly go together: r = {plain_figure(r, 2)}, 95 % interval "
        answer += f"{plain_figure(ends[0], 2)} to {plain_figure(ends[1], 2)}"
    notes += [f"few rows ({n}): the interval is wide"] if n < FEW else []
    if abs(r - rho) > 0.15:
        notes.append("the two differ: the relation is no straight line, or some values are far out; look at a picture")
    notes.append("that two columns go together does not say that one is the cause of the other")
    return GroupComparison(value, by, "correlation", BareTable(columns), answer, None, tests, tuple(notes))


def _counts(table: BareTable, value: str, by: str) -> GroupComparison:
    rows, across = _parts(table[by], by), _parts(table[value], value)
    usable = (rows.codes >= 0) & (across.codes >= 0)
    shape = (len(rows.labels), len(across.labels))
    cells = np.bincount(
        rows.codes[usable] * max(1, shape[1]) + across.codes[usable], minlength=shape[0] * shape[1]
    ).reshape(shape)  # fmt: skip
    columns: dict[str, Column] = {by: _texts(rows.labels), "n": Column(INTEGER, cells.sum(axis=1).astype(np.int64))}
    sums = np.maximum(cells.sum(axis=1), 1)
    for at, label in enumerate(across.labels):
        columns[_free(label, columns)] = Column(INTEGER, cells[:, at].astype(np.int64))
        columns[_free(f"{label} share", columns)] = Column(NUMBER, np.round(cells[:, at] / sums, 4))
    groups, notes = BareTable(columns), _left_out(table, value, by)
    kept = cells[cells.sum(axis=1) > 0][:, cells.sum(axis=0) > 0] if cells.size else cells
    n = int(kept.sum())
    if min(kept.shape, default=0) < 2:
        answer = f"no test of {value} by {by}: that takes two values of each"
        return GroupComparison(value, by, "counts", groups, answer, notes=tuple(notes))
    from scipy import stats

    statistic, p, degrees, expected = stats.chi2_contingency(kept, correction=False)
    strength = math.sqrt(float(statistic) / (n * (min(kept.shape) - 1)))
    few = int(np.count_nonzero(expected < EXPECTED))
    if few:
        notes.append(
            f"in {few:,} of {kept.size:,} cells fewer than {EXPECTED} rows are expected: the test is rough; "
            "put rare values together"
        )
    words = "hardly" if strength < 0.1 else "weakly" if strength < 0.3 else "clearly" if strength < 0.5 else "strongly"
    answer = f"{value} and {by} {words} go together: Cramér's V = {plain_figure(strength, 2)} (0 not at all, 1 wholly)"
    answer += f", n = {n:,}"
    test = Test("chi-square test", float(statistic), "chi²", (float(degrees),), float(p))
    return GroupComparison(value, by, "counts", groups, answer, None, (test,), tuple(notes))


def _test(name: str, found: Any, letter: str, degrees: tuple[float, ...]) -> Test:
    return Test(name, float(found.statistic), letter, degrees, float(found.pvalue))


def _group_table(by: str, labels: Sequence[str], samples: Sequence[Floats], missing: Sequence[int]) -> BareTable:
    """Return a table with a row for each group."""
    columns: dict[str, Column] = {
        by: _texts(labels),
        "n": _whole([len(one) for one in samples]),
        "missing": _whole(missing),
    }
    for name, work in (
        ("mean", np.mean), ("sd", lambda one: one.std(ddof=1) if len(one) > 1 else np.nan),
        ("min", np.min), ("quartile_1", lambda one: np.quantile(one, 0.25)), ("median", np.median),
        ("quartile_3", lambda one: np.quantile(one, 0.75)), ("max", np.max),
    ):  # fmt: skip
        figures = np.array([float(work(one)) if len(one) else np.nan for one in samples])
        columns[_free(name, columns)] = _numbers(figures)
    return BareTable(columns)


def _left_out(table: BareTable, value: str, by: str) -> list[str]:
    """Say which rows are in no group or have no value."""
    notes = []
    for name in (by, value):
        count = table[name].missing_count
        if count:
            notes.append(f"{counted(count, 'row')} of {table.row_count:,} left out: {name} is missing")
    return notes


def _suppositions(samples: Sequence[Floats], labels: Sequence[str]) -> list[str]:
    """Say what tests of means suppose and the values do not have."""
    notes = []
    small = [f"{label} ({len(one)})" for label, one in zip(labels, samples, strict=True) if len(one) < FEW]
    if small:
        notes.append(f"few values in {listing(small)}: intervals are wide, and one odd value decides much")
    skewed = [label for label, one in zip(labels, samples, strict=True) if abs(skewness(one)) > SKEWED]
    if skewed:
        notes.append(
            f"values are skewed in {listing(skewed)}: the mean is drawn to the far ones; read the test of ranks too"
        )
    spreads = [float(one.std(ddof=1)) for one in samples]
    if min(spreads) * UNEQUAL < max(spreads):
        known = "Welch's test allows for that" if len(samples) == 2 else "the analysis supposes equal ones"
        ends = f"{plain_figure(min(spreads), 3)} to {plain_figure(max(spreads), 3)}"
        notes.append(f"the groups are spread differently (sd {ends}): {known}")
    return notes


def skewness(values: Floats) -> float:
    """Return the third standardised moment; 0 where there is no spread.

    >>> round(skewness(np.array([1.0, 1, 1, 9])), 2)
    1.15
    """
    # Divided by the largest first, so that no power of it overflows.
    largest = float(np.abs(values).max()) if len(values) else 0.0
    if not largest > 0:
        return 0.0
    rest = values / largest - float((values / largest).mean())
    spread = float((rest**2).mean())
    return float((rest**3).mean()) / spread**1.5 if spread > 0 else 0.0


def _texts(texts: Sequence[str]) -> Column:
    return Column(STRING, Text.from_strings(list(texts)))


def _whole(values: Sequence[int]) -> Column:
    return Column(INTEGER, np.array(values, np.int64))


def _numbers(values: Floats) -> Column:
    state = np.where(np.isfinite(values), np.uint8(0), np.uint8(Reason.UNDEFINED))
    return Column(NUMBER, np.where(state == 0, values, 0.0), state)


def _free(name: str, taken: dict[str, Column]) -> str:
    title, number = name, 2
    while title in taken:
        title, number = f"{name} ({number})", number + 1
    return title
