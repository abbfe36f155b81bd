"""Groups of rows are numbered in parts as they are numbered at once."""

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.execution.disk import DiskStorage
from comb.kernels.grouping import group, group_sizes
from comb.tables import numbered_values
from comb.tables.numbered_values import count_rows, number_rows
from comb.tables.stored import stored_keys
from support.on_disk import kept_on_disk, storage_in
from support.strategies import tables

KEYS = [
    st.integers(-2, 2).map(np.int64),
    st.sampled_from([-(2**62), 0, 2**62, 5]).map(np.int64),
    st.sampled_from([0.0, -0.0, -1.5, 2.25, 1e300]).map(np.float64),
    st.booleans().map(np.bool_),
    st.sampled_from(["2026-05-01", "1850-01-01"]).map(np.datetime64),
]
TABLES = st.lists(st.sampled_from(KEYS), min_size=1, max_size=3).flatmap(
    lambda kinds: st.lists(st.tuples(*kinds), min_size=1, max_size=40)
)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("numbered")


@given(TABLES, st.integers(1, 6), st.sampled_from([1, 3, 1000]))
def test_parts_give_the_groups_of_the_whole(
    folder: Path, rows: list[tuple[Any, ...]], block_rows: int, most_places: int
) -> None:
    keys = [np.array(values) for values in zip(*rows, strict=True)]
    with (
        pytest.MonkeyPatch.context() as patch,
        DiskStorage(folder, 10**8, smallest=0, block_rows=block_rows) as storage,
    ):
        # With few places values are put in order on disk.
        patch.setattr(numbered_values, "MOST_PLACES", most_places)
        patch.setattr(numbered_values, "PLACES_A_ROW", 0)
        numbers, first = number_rows(keys, len(rows), storage)
        expected = group([key.view(np.int64) if key.dtype.kind == "M" else key for key in keys], len(rows))
        # One key that is in order already is numbered as it ascends, in memory and on disk: both are by appearance.
        assert (numbers.tolist(), first.tolist()) == tuple(part.tolist() for part in expected)
        patch.setattr(numbered_values, "MOST_COUNTED", 0)
        counted = group_sizes([numbers], len(rows))
        assert [part.tolist() for part in count_rows(keys, len(rows), storage)] == [part.tolist() for part in counted]


@given(tables(), st.integers(1, 4))
def test_cells_have_equal_codes_where_they_are_equal(
    tmp_path_factory: pytest.TempPathFactory, table: comb.Table, rows: int
) -> None:
    storage = storage_in(tmp_path_factory.getbasetemp(), rows)
    kept = kept_on_disk(table, storage)
    for name, column in table.columns.items():
        found = group([stored_keys(kept[name], storage)], table.row_count)
        assert found[0].tolist() == group([column._codes()], table.row_count)[0].tolist()
