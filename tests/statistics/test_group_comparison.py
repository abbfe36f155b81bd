"""Comparisons of groups: the figures against SciPy and printed tables, and the words for people."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from scipy import stats

import comb
from support.running import run_comb
from support.strategies import tables

RANDOM = np.random.default_rng(7)
A, B, C = RANDOM.normal(30, 3, 40), RANDOM.normal(32, 6, 25), RANDOM.exponential(30, 30)


def table_of(**groups: np.ndarray) -> comb.Table:
    names = [name for name, values in groups.items() for _ in values]
    return comb.table(columns={"site": names, "kg": [float(one) for values in groups.values() for one in values]})


def test_two_groups_are_compared_by_welch() -> None:
    found = table_of(a=A, b=B).compare_groups("kg", "site")
    expected = stats.ttest_ind(B, A, equal_var=False)
    low, high = expected.confidence_interval(0.95)
    assert found.difference == pytest.approx((B.mean() - A.mean(), low, high))
    (test,) = found.tests
    assert (test.name, test.letter) == ("Welch's t-test", "t")
    assert (test.statistic, test.p, test.degrees[0]) == pytest.approx(
        (expected.statistic, expected.pvalue, expected.df)
    )
    assert found.groups["n"].to_list() == [40, 25]
    assert found.groups["sd"].to_list() == pytest.approx([A.std(ddof=1), B.std(ddof=1)])
    for name, share in (("quartile_1", 0.25), ("median", 0.5), ("quartile_3", 0.75)):
        assert found.groups[name].to_list() == pytest.approx([np.quantile(A, share), np.quantile(B, share)])
    assert "higher in b" in found.answer and "95 % interval of the difference" in found.answer


def test_a_published_example() -> None:
    # Student's own figures: additional hours of sleep with two drugs, for the same ten people (Biometrika 6, 1908).
    one = [0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0]
    two = [1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4]
    sleep = comb.table(columns={"drug": ["1"] * 10 + ["2"] * 10, "hours": one + two, "who": [*range(10), *range(10)]})
    apart = sleep.compare_groups("hours", "drug")
    assert apart.tests[0].p == pytest.approx(0.0794, abs=1e-4) and apart.tests[0].statistic == pytest.approx(
        1.8608, abs=1e-4
    )
    assert any("both groups have 10 values" in note and "paired_by" in note for note in apart.notes)
    pairs = sleep.compare_groups("hours", "drug", paired_by="who")
    assert pairs.kind == "pairs" and pairs.tests[0].p == pytest.approx(0.00283, abs=1e-5)
    assert pairs.difference == pytest.approx((1.58, 0.7001, 2.4599), abs=1e-4)
    assert "10 pairs by who" in pairs.answer and any("few pairs (10)" in note for note in pairs.notes)


def test_several_groups_skew_and_spread() -> None:
    found = table_of(a=A, b=B, c=C).compare_groups("kg", "site")
    expected, ranks = stats.f_oneway(A, B, C), stats.kruskal(A, B, C)
    assert [one.p for one in found.tests] == pytest.approx([expected.pvalue, ranks.pvalue])
    assert found.tests[0].degrees == (2, 92) and found.difference is None
    said = " ".join(found.notes)
    assert (
        "skewed in c" in said and "spread differently" in said and "3 tests, of which some come out by chance" in said
    )
    two = table_of(a=A, c=C).compare_groups("kg", "site")
    assert two.tests[1].p == pytest.approx(stats.mannwhitneyu(C, A).pvalue)


def test_two_columns_of_numbers_are_correlated() -> None:
    x, noise = np.arange(50.0), RANDOM.normal(0, 8, 50)
    table = comb.table(columns={"x": x.tolist(), "y": (2 * x + noise).tolist()})
    found = table.compare_groups("y", "x")
    expected = stats.pearsonr(x, 2 * x + noise)
    assert found.kind == "correlation"
    assert found.groups["r"].to_list() == pytest.approx(
        [expected.statistic, stats.spearmanr(x, 2 * x + noise).statistic]
    )
    ends = expected.confidence_interval(0.95)
    assert (found.groups["from"].to_list()[0], found.groups["to"].to_list()[0]) == pytest.approx(tuple(ends))
    assert found.answer.startswith("y rises with x") and "not say that one is the cause" in found.notes[-1]
    bent = comb.table(columns={"x": x.tolist(), "y": np.exp(x / 3).tolist()}).compare_groups("y", "x")
    assert any("the two differ" in note for note in bent.notes)


def test_two_columns_of_groups_are_a_cross_table() -> None:
    counts = {("Elm", "yes"): 30, ("Elm", "no"): 10, ("Fox", "yes"): 15, ("Fox", "no"): 25}
    rows = [pair for pair, count in counts.items() for _ in range(count)]
    found = comb.table(rows=[list(one) for one in rows], names=["site", "fed"]).compare_groups("fed", "site")
    expected = stats.chi2_contingency([[30, 10], [15, 25]], correction=False)
    groups = found.groups
    assert found.kind == "counts" and groups["yes"].to_list() == [30, 15] and groups["no"].to_list() == [10, 25]
    assert groups["yes share"].to_list() == [0.75, 0.375] and groups["site"].to_list() == ["Elm", "Fox"]
    assert found.tests[0].statistic == pytest.approx(expected.statistic) and found.tests[0].p == pytest.approx(
        expected.pvalue
    )
    few = comb.table(rows=[["a", "x"], ["b", "y"], ["a", "y"]], names=["p", "q"]).compare_groups("p", "q")
    assert any("fewer than 5 rows are expected" in note for note in few.notes)


@pytest.mark.parametrize(
    ("columns", "given", "said"),
    [
        ({"g": ["a", "a"], "v": [1, 2]}, ("v", "g"), "that takes two groups with two values each (a: 2)"),
        ({"g": ["a", "b"], "v": [1, 2]}, ("v", "g"), "(a: 1, b: 1)"),
        ({"g": ["a", "a", "b", "b"], "v": [1, 1, 2, 2]}, ("v", "g"), "within each group all values are equal"),
        ({"g": [None] * 3, "v": [1, 2, 3]}, ("g", "v"), "no test"),
        ({"x": list(range(20)), "v": [5] * 20}, ("v", "x"), "values that differ"),
        ({"g": ["a"] * 4, "h": ["x", "y"] * 2}, ("g", "h"), "two values of each"),
    ],
)
def test_where_no_test_is_possible_that_is_said(columns: dict, given: tuple[str, str], said: str) -> None:
    found = comb.table(columns=columns).compare_groups(*given)
    assert said in found.answer and not found.tests


def test_rows_left_out_and_misuse_are_said() -> None:
    table = comb.table(columns={"g": ["a", "a", "b", "b", None], "v": [1, 2, 3, None, 9], "n": list(range(5))})
    found = table.compare_groups("v", "g")
    assert "1 row of 5 left out: g is missing" in found.notes and "1 row of 5 left out: v is missing" in found.notes
    assert found.groups["missing"].to_list() == [0, 1]
    days = comb.table(
        columns={"g": ["a", "a", "b", "b"], "d": ["2025-01-01", "2025-01-03", "2025-02-01", "2025-02-08"]}
    )
    assert any("days from 1970-01-01" in note for note in days.convert({"d": "date"}).compare_groups("d", "g").notes)
    for names, what in (
        (("v", "v"), "expected two columns"),
        (("v", "gg"), "gg"),
        (("g", "w"), "w"),
    ):
        with pytest.raises(comb.CombError, match=what):
            table.compare_groups(*names)
    twice = comb.table(columns={"g": ["a", "a", "b"], "v": [1, 2, 3], "k": [1, 1, 1]})
    with pytest.raises(comb.ParameterError, match="several rows in a group"):
        twice.compare_groups("v", "g", paired_by="k")
    wide = comb.table(columns={"g": [f"g{at}" for at in range(300)], "v": list(range(300))})
    with pytest.raises(comb.ParameterError, match="at most 200 groups"):
        wide.compare_groups("v", "g")
    with pytest.raises(comb.ParameterError, match="the other way: v by"):
        comb.table(columns={"g": ["a", "b"] * 9, "v": list(range(18))}).compare_groups("g", "v")


@given(tables())
def test_any_two_columns_are_compared_or_it_is_said_why_not(table: comb.Table) -> None:
    for value in table.names[:4]:
        for by in table.names[:4]:
            try:
                found = table.compare_groups(value, by)
            except comb.CombError:
                continue
            assert all(0 <= one.p <= 1 or "no result" in one.says for one in found.tests) and found.answer
            assert repr(found).startswith(f"{value} by {by}")


def test_the_command_compares_in_words(demo: Path) -> None:
    found = run_comb("compare", "inspections.csv", "--value", "net_kg", "--by", "fed", cwd=demo)
    assert found.code == 0 and "Welch's t-test" in found.out and "such samples" in found.out
    assert "next: comb draw inspections.csv --kind boxes --x fed --y net_kg --out picture.png" in found.err
    crossed = run_comb(
        "compare", "inspections.csv", "--value", "queen", "--by", "fed", "--where", "mites < 100", cwd=demo
    )
    assert "rows where mites < 100" in " ".join(crossed.out.split()) and "Cramér's V" in crossed.out
    as_json = run_comb("compare", "inspections.csv", "--value", "net_kg", "--by", "mites", "--json", cwd=demo)
    assert '"kind": "correlation"' in as_json.out
    assert run_comb("compare", "inspections.csv", "--value", "net", "--by", "fed", cwd=demo).code == 2
