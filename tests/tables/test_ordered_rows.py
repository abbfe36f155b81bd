"""Rows are put in order in parts as one sort puts them."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from comb.execution.disk import DiskStorage
from comb.tables.ordered_rows import MOST_BOUNDS, ordered_rows

# Few values, so that most rows are equal to a bound, or many; with infinity, which stands for missing cells.
KEYS = st.one_of(st.integers(-2, 2), st.integers(-(2**62), 2**62))
ROWS = st.lists(st.tuples(KEYS, st.sampled_from([0.0, -0.0, -1.5, 2.25, float("inf")])), min_size=1, max_size=60)


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("ordered")


@given(ROWS, st.integers(1, 5))
def test_parts_give_the_order_of_the_whole(folder: Path, rows: list[tuple[int, float]], block_rows: int) -> None:
    keys = [np.array([row[0] for row in rows], np.int64), np.array([row[1] for row in rows])]
    with DiskStorage(folder, 10**8, smallest=0, block_rows=block_rows) as storage:
        for some in (keys, keys[::-1], keys[:1]):
            expected = sorted(range(len(rows)), key=lambda at: [key[at] for key in some])
            assert ordered_rows(some, storage).tolist() == expected


def test_there_are_no_more_parts_than_a_byte_can_name(folder: Path) -> None:
    chance = np.random.default_rng(5)
    keys = [chance.integers(0, 3, 9 * MOST_BOUNDS), chance.permutation(9 * MOST_BOUNDS)]
    with DiskStorage(folder, 10**8, smallest=0, block_rows=1) as storage:
        assert ordered_rows(keys, storage).tolist() == np.lexsort(keys[::-1]).tolist()
