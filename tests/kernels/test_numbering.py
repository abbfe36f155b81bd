"""Values are numbered in order of appearance, whatever they are and however many."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.kernels.dispatch import kernels
from comb.kernels.grouping import MOST_TOGETHER, compact, group_sizes, number_groups
from comb.kernels.reference.kernels import ReferenceKernels

ENDS = st.sampled_from([0, 1, -1, 2**63 - 1, -(2**63), 2**32, 2**40, 5 * 2**40])
VALUES = st.lists(st.one_of(ENDS, st.integers(-3, 3), st.integers(-(2**63), 2**63 - 1)), max_size=60)


@given(VALUES)
def test_the_reference_and_the_definition(values: list[int]) -> None:
    given = np.array(values, np.int64)
    found = kernels.number_values(given)
    order = list(dict.fromkeys(values))
    assert [order[number] for number in found.numbers.tolist()] == values
    assert found.first.tolist() == [values.index(value) for value in order]
    assert found.sizes.tolist() == [values.count(value) for value in order]
    expected = ReferenceKernels().number_values(given)
    assert [part.tolist() for part in found] == [part.tolist() for part in expected]
    for one in (kernels, ReferenceKernels()):
        counted = one.number_values(given, each=False)
        assert not len(counted.numbers) and counted.sizes.tolist() == found.sizes.tolist()
        over = given.copy()
        assert one.number_values(over, out=over).numbers is over and over.tolist() == found.numbers.tolist()


@pytest.mark.parametrize("factor", [1, 1_000_003, 2**33])
@pytest.mark.parametrize("different", [1, 5_000, 40_000, 200_000])
def test_a_table_grows_with_what_is_different(different: int, factor: int) -> None:
    rows = np.arange(250_000)
    values = (rows * 7 % different) * factor
    found = kernels.number_values(values)
    assert len(found.first) == different and (values[found.first][found.numbers] == values).all()
    assert (found.sizes == np.bincount(rows * 7 % different)[rows[:different] * 7 % different]).all()
    # What is returned is not much longer than what is in it.
    assert found.first.base is None or len(found.first.base) <= 8 * different


@pytest.mark.parametrize("different", [3, 150_000])
def test_values_are_ranked_however_many_are_different(different: int) -> None:
    values = (np.arange(150_000) * 7_919 % different) * 0.5 - 20
    used, places = compact(values)
    assert (np.diff(used) > 0).all() and (used[places] == values).all() and len(used) == different


KINDS: dict[str, tuple[str, Any]] = {
    "int64": ("int64", st.integers(-(2**63), 2**63 - 1)),
    "near": ("int64", st.integers(-2, 2)),
    "codes": ("int32", st.integers(0, 3)),
    "flags": ("bool", st.booleans()),
    "floats": ("float64", st.sampled_from([0.0, -0.0, 1.5, -1.5, 1e300, 5e-324])),
    "days": ("datetime64[D]", st.integers(-800_000, 3_000_000)),
    "fingerprints": ("uint64", st.sampled_from([0, 2**64 - 1, 2**63])),
}


@given(st.data())
def test_groups_of_several_keys_are_those_of_tuples(data: st.DataObject) -> None:
    rows = data.draw(st.integers(0, 20))
    kinds = data.draw(st.lists(st.sampled_from(sorted(KINDS)), max_size=4))
    keys = [
        np.array(
            data.draw(st.lists(KINDS[kind][1], min_size=rows, max_size=rows)),
            np.dtype("int64" if kind == "days" else KINDS[kind][0]),
        ).astype(KINDS[kind][0])
        for kind in kinds
    ]
    before = [key.copy() for key in keys]
    tuples = list(zip(*(key.tolist() for key in keys), strict=True)) if keys else [()] * rows
    order = list(dict.fromkeys(tuples))
    found = number_groups(keys, rows)
    assert [order[number] for number in found.numbers.tolist()] == tuples
    assert found.first.tolist() == [tuples.index(one) for one in order]
    assert found.sizes.tolist() == [tuples.count(one) for one in order]
    assert [part.tolist() for part in group_sizes(keys, rows)] == [found.first.tolist(), found.sizes.tolist()]
    # The keys are as they were.
    assert all((key == old).all() for key, old in zip(keys, before, strict=True))


def test_keys_whose_product_is_too_large_are_numbered_first() -> None:
    wide = np.array([0, MOST_TOGETHER // 2, 0, 5])
    found = number_groups([wide, wide, wide[::-1]], 4)
    assert found.numbers.tolist() == [0, 1, 2, 3]
    assert number_groups([wide, wide], 4).sizes.tolist() == [2, 1, 1]


def test_tables_are_grouped_by_every_type() -> None:
    table = comb.table(
        {
            "day": ["2024-05-01", None, "2024-05-01", ""],
            "no": [-5, 7, -5, None],
            "kg": [0.0, 2.5, -0.0, 2.5],
            "ok": [True, None, True, False],
        }
    ).convert("day", "date")
    for name, sizes in {"day": [2, 2], "no": [2, 1, 1], "kg": [2, 2], "ok": [2, 1, 1]}.items():
        assert table.aggregate({"n": "count(*)"}, by=name)["n"].to_list() == sizes, name
        assert sorted(table.count(name)["count"].to_list()) == sorted(sizes), name
    assert table.aggregate({"n": "count(*)"}, by=["day", "no", "kg", "ok"])["n"].to_list() == [2, 1, 1]
