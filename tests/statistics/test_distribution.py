"""How values are spread, and lines through points: laws, and the fast way against the plain one."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from comb.statistics.distribution import SMALL, bars_for, small_shape
from comb.statistics.figures import plain_figure
from comb.statistics.trends import local_regression, moving_median, straight_line

FLOATS = st.lists(st.floats(allow_nan=False, allow_infinity=False), min_size=1, max_size=40)
WHOLE = st.lists(st.integers(-(2**60), 2**60), min_size=1, max_size=40)


@given(FLOATS, st.sampled_from([None, 3, 20]))
def test_every_value_is_in_a_bar(values: list[float], bins: int | None) -> None:
    numbers = np.array(values)
    bars = bars_for(numbers, bins=bins)
    assert bars.counts(numbers).sum() == len(numbers) and (np.diff(bars.edges / 4) > 0).all() and len(bars.edges) <= 130
    assert sum(small_shape(np.sort(numbers))) == len(numbers) and len(small_shape(np.sort(numbers))) in (1, SMALL)


@given(WHOLE)
def test_bars_of_whole_numbers_hold_as_many_each(values: list[int]) -> None:
    numbers = np.array(values, np.float64)
    bars = bars_for(numbers, whole=True)
    assert bars.counts(numbers).sum() == len(numbers)
    assert np.allclose(np.diff(bars.edges), np.diff(bars.edges)[0])
    if np.abs(numbers).max() < 1e15:
        assert np.diff(bars.edges)[0] >= 1


@given(st.lists(st.integers(-700_000, 2_900_000), min_size=1, max_size=30))
def test_bars_of_dates_begin_where_calendars_do(days: list[int]) -> None:
    numbers = np.array(days, np.float64)
    bars = bars_for(numbers, dates=True)
    assert bars.counts(numbers).sum() == len(numbers)
    edges = bars.edges.astype(np.int64).astype("datetime64[D]")
    if bars.step in ("month", "quarter", "year"):
        assert (edges == edges.astype("datetime64[M]")).all()
    if bars.step == "week":
        assert ((bars.edges.astype(np.int64) + 3) % 7 == 0).all()


def test_a_local_regression_is_that_of_its_definition() -> None:
    random = np.random.default_rng(5)
    x = np.sort(random.uniform(0, 10, 80))
    y = np.sin(x) + random.normal(0, 0.1, 80)
    places, curve = local_regression(x, y, share=0.3)
    near = int(np.ceil(0.3 * 80))
    for place, found in zip(places, curve, strict=True):
        distance = np.abs(x - place)
        chosen = np.argsort(distance, kind="stable")[:near]
        weight = (1 - (distance[chosen] / distance[chosen].max()) ** 3) ** 3
        _, level = np.polyfit(x[chosen] - place, y[chosen], 1, w=np.sqrt(weight + 1e-12))
        assert found == pytest.approx(level, abs=1e-6)


def test_lines_and_medians() -> None:
    x = np.arange(9.0)
    line = straight_line(x, 3 - x)
    assert line is not None and (line.slope, line.intercept, line.r) == pytest.approx((-1, 3, -1))
    assert straight_line(np.ones(5), x[:5]) is None and straight_line(x[:2], x[:2]) is None
    at, middle = moving_median(x[::-1], x[::-1] ** 2, 3)
    assert at.tolist() == list(range(1, 8)) and middle.tolist() == [one**2 for one in range(1, 8)]
    assert len(moving_median(x, x, 10)[0]) == 0 and len(local_regression(np.ones(4), x[:4])[0]) == 0
    many = np.linspace(0, 1, 30_000)
    places, curve = local_regression(many, 5 * many)
    assert np.allclose(curve, 5 * places, atol=1e-3)


@given(st.floats(min_value=-1e15, max_value=1e15, allow_nan=False))
def test_plain_figures_have_no_exponent_and_are_near(value: float) -> None:
    text = plain_figure(value)
    if abs(value) >= 1e-7 or not value:
        assert "e" not in text and float(text) == pytest.approx(value, rel=1e-3, abs=1e-12)
