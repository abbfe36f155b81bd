"""Sums of floats: exactly rounded, whatever the order and the cut."""

import math
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.kernels.dispatch import kernels
from comb.kernels.reference.kernels import ReferenceKernels

FLOATS = st.one_of(
    st.floats(allow_nan=False, allow_infinity=False),
    st.floats(-100, 100).map(lambda value: round(value, 1)),
    st.sampled_from([1e308, -1e308, 5e-324, -5e-324, 0.0, -0.0, 1.0, 2.0**53, 1e16, -1e16, 0.1]),
)
VALUES = st.lists(st.tuples(FLOATS, st.integers(0, 3)), max_size=40)


def summed(pairs: list[tuple[float, int]]) -> list[float]:
    values, codes = np.array([value for value, _ in pairs]), np.array([code for _, code in pairs], np.int64)
    return kernels.exact_sums(values, codes, 4).tolist()


@given(VALUES)
def test_the_reference_and_the_definition(pairs: list[tuple[float, int]]) -> None:
    found = summed(pairs)
    values, codes = np.array([value for value, _ in pairs]), np.array([code for _, code in pairs], np.int64)
    assert found == ReferenceKernels().exact_sums(values, codes, 4).tolist()
    for group, total in enumerate(found):
        exact = sum((Fraction(value) for value, code in pairs if code == group), Fraction())
        if math.isfinite(total):
            # The nearest float: no neighbour is closer to the exact sum.
            beside = [
                Fraction(math.nextafter(total, way))
                for way in (-math.inf, math.inf)
                if math.isfinite(math.nextafter(total, way))
            ]
            assert all(abs(Fraction(total) - exact) <= abs(one - exact) for one in beside)
        else:
            assert abs(exact) > Fraction(1.7976931348623157e308)


@given(VALUES, st.randoms())
def test_order_does_not_matter(pairs: list[tuple[float, int]], chance: object) -> None:
    mixed = list(pairs)
    chance.shuffle(mixed)  # type: ignore[attr-defined]
    assert summed(mixed) == summed(pairs)
    if pairs:
        alone = kernels.exact_sums(np.array([value for value, _ in pairs]), None, 1).tolist()
        assert alone == ReferenceKernels().exact_sums(np.array([value for value, _ in mixed]), None, 1).tolist()


def test_what_is_not_finite_and_what_is_not_there() -> None:
    values = np.array([math.inf, 1.0, -math.inf, math.nan, math.inf, -math.inf, 2.0])
    found = kernels.exact_sums(values, np.array([0, 0, 1, 2, 3, 3, 4]), 6).tolist()
    assert found[:2] == [math.inf, -math.inf] and found[4:] == [2.0, 0.0] and all(map(math.isnan, found[2:4]))
    assert kernels.exact_sums(np.zeros(0), None, 1).tolist() == [0.0] and not len(
        kernels.exact_sums(np.zeros(0), None, 0)
    )
    assert kernels.exact_sums(np.array([1e308, 1e308, -1e308]), None, 1).tolist() == [1e308]
    with pytest.raises(IndexError):
        kernels.exact_sums(np.ones(2), np.array([0, 5]), 2)


@pytest.mark.parametrize("formula", ["sum(x)", "avg(x)", "stddev_samp(x)", "var_samp(x)", "corr(x, y)"])
def test_aggregates_do_not_depend_on_the_order_of_rows(formula: str) -> None:
    chance = np.random.default_rng(5)
    table = comb.table(columns={
        "x": (chance.random(5_000) * 10.0 ** chance.integers(-9, 9, 5_000)).tolist(), "y": chance.random(5_000).tolist(),
        "g": [f"group {at % 7}" for at in range(5_000)], "at": chance.permutation(5_000).tolist(),
    })  # fmt: skip
    for by in ([], ["g"]):
        here, there = (one.aggregate({"made": formula}, by=by) for one in (table, table.sort("at")))
        if by:
            here, there = here.sort("g"), there.sort("g")
        assert here["made"].to_list() == there["made"].to_list()
    assert table.summary().equals(table.sort("at").summary())
