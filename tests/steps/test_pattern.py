"""A pattern of the year or the week taken out of a series."""

from datetime import date, timedelta
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb


def monthly(values: list[float | None], year: int = 2020, **more: list) -> comb.Table:
    days = [f"{year + at // 12}-{at % 12 + 1:02}-01" for at in range(len(values))]
    return comb.table(columns={"day": days, "kg": values, **more}).convert({"day": "date", "kg": "number"})


def test_a_balanced_pattern_is_the_mean_of_each_month() -> None:
    random = np.random.default_rng(2)
    values = random.normal(20, 5, 48)
    found = monthly(values.tolist()).remove_pattern("kg", "day")
    effects = values.reshape(4, 12).mean(axis=0) - values.mean()
    assert found["kg_pattern"].to_list() == pytest.approx(np.tile(effects, 4).tolist())
    assert found["kg_remainder"].to_list() == pytest.approx((values - np.tile(effects, 4)).tolist())


def test_a_hundred_series_with_gaps_give_back_their_patterns() -> None:
    random = np.random.default_rng(4)
    rows, truth = [], {}
    for series in range(100):
        pattern = random.normal(0, 4, 12)
        truth[series] = pattern - pattern.mean()
        levels = random.normal(50, 20, 5)
        rows += [
            [series, date(2020 + at // 12, at % 12 + 1, 15), float(levels[at // 12] + pattern[at % 12])]
            for at in range(60)
            if random.random() > 0.3
        ]
    table = comb.table(rows=rows, names=["series", "day", "kg"])
    found = table.remove_pattern("kg", "day", by="series")
    assert "100 groups, 5 years" in found.sentence()
    centre: dict[int, float] = {}
    for series, day, effect in zip(*(found[name].to_list() for name in ("series", "day", "kg_pattern")), strict=True):
        # A month that a series never has is not among those around which it is centred.
        there = sorted({other[1].month - 1 for other in rows if other[0] == series}) if series not in centre else []
        centre.setdefault(series, float(truth[series][there].mean()) if there else 0.0)
        assert effect == pytest.approx(truth[series][day.month - 1] - centre[series], abs=1e-6)
    rest = np.array(found["kg_remainder"].to_list())
    # Without the pattern each year of a series is a level.
    year = [(series, day.year) for series, day in zip(found["series"].to_list(), found["day"].to_list(), strict=True)]
    for one in set(year):
        assert np.ptp(rest[[at for at, other in enumerate(year) if other == one]]) == pytest.approx(0, abs=1e-6)


@given(
    st.lists(st.one_of(st.none(), st.floats(0.5, 1e6)), min_size=1, max_size=40), st.sampled_from(["mean", "median"]),
    st.sampled_from(["plain", "log"]), st.sampled_from(["month", "weekday"]),
)  # fmt: skip
def test_pattern_and_remainder_make_the_value(
    values: list[float | None], statistic: str, scale: str, pattern: str
) -> None:
    start = date(2024, 1, 1)
    days = [start + timedelta(days=11 * at) for at in range(len(values))]
    table = comb.table(columns={"day": days, "kg": values}).convert({"kg": "number"})
    found = table.remove_pattern("kg", "day", pattern=pattern, statistic=statistic, scale=scale)  # type: ignore[arg-type]
    for value, part, rest in zip(
        *(found[name].to_list() for name in ("kg", "kg_pattern", "kg_remainder")), strict=True
    ):
        assert (value is None) == (part is None) == (rest is None)
        if value is not None:
            assert (part * rest if scale == "log" else part + rest) == pytest.approx(value, rel=1e-9, abs=1e-6)


def test_weekdays_medians_factors_and_what_is_said() -> None:
    days = [date(2025, 1, 6) + timedelta(days=at) for at in range(28)]
    values = [10 + (5 if day.weekday() == 5 else 0) + week for week in range(4) for day in days[:7]]
    values[3] = 900
    table = comb.table(columns={"day": days, "kg": values})
    steady = table.remove_pattern("kg", "day", pattern="weekday", statistic="median")
    assert [steady["kg_pattern"].to_list()[at] - steady["kg_pattern"].to_list()[0] for at in (4, 5)] == pytest.approx(
        [0, 5]
    )
    factors = monthly([2.0, 4.0] * 12).remove_pattern("kg", "day", scale="log", new_columns=["p", "r"])
    assert factors["r"].to_list() == pytest.approx([8**0.5] * 24) and factors["p"].to_list()[:2] == pytest.approx(
        [0.5**0.5, 2**0.5]
    )
    single = monthly([1.0, 2.0, 3.0]).remove_pattern("kg", "day")
    assert "there is a single year: the pattern is its own course" in single.sentence()
    assert "9 months of 12 without a value" in single.sentence()
    halves = monthly([1.0] * 6 + [None] * 6 + [None] * 6 + [2.0] * 6).remove_pattern("kg", "day")
    assert "years have no month in common: the pattern is taken around one level" in halves.sentence()
    zero = monthly([0.0, 1.0, None]).remove_pattern("kg", "day", scale="log")
    assert zero["kg_pattern"].reasons() == ["undefined", None, "blank"] and "1 value of 0 or less" in zero.sentence()


def test_misuse_and_a_plan(tmp_path: Path) -> None:
    table = monthly([1.0, 2.0], name=["a", "b"])
    for asked, what in (
        ({"column": "name", "period": "day"}, "expected a column of numbers"),
        ({"column": "kg", "period": "name"}, "convert name to date"),
        ({"column": "kg", "period": "days"}, "day"),
        ({"column": "kg", "period": "day", "new_columns": ["p"]}, "expected two new columns"),
        ({"column": "kg", "period": "day", "new_columns": ["p", "kg"]}, "there is a column 'kg' already"),
    ):
        with pytest.raises(comb.CombError, match=what):
            table.remove_pattern(**asked)
    table.save(tmp_path / "kg.csv")
    loaded = comb.load(tmp_path / "kg.csv").remove_pattern("kg", "day", by="name", why="the season")
    assert loaded.plan().run(dry_run=True).tables["kg"].equals(loaded)
    empty = table.filter("kg > 9").remove_pattern("kg", "day")
    assert empty.row_count == 0 and "kg_remainder" in empty.names
