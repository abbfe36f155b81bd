"""Values in ascending order, counted or sorted, in memory and in files: always what a sort gives."""

import tempfile
from pathlib import Path
from random import Random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from comb.execution.storage import MEMORY
from comb.statistics import ordering
from comb.statistics.ordering import in_ascending_order
from support.on_disk import storage_in

# The least that is not there stands for a time that is none.
ENDS = (-(2**63) + 1, 2**63 - 1)
numbers = st.lists(st.integers(-30, 30), max_size=90) | st.lists(
    st.sampled_from(ENDS) | st.integers(*ENDS), max_size=30
)


@given(
    numbers,
    st.sampled_from(["int64", "float64", "bool", "M8[us]", "m8[s]", "int32"]),
    st.randoms(use_true_random=False),
    st.sampled_from([0, 10, ordering.MOST_COUNTED]),
)
def test_values_come_in_order(given: list[int], kind: str, chance: Random, most: int) -> None:
    whole = np.array(given, np.int64)
    values = whole.view(kind) if kind[0] in "Mm" else (whole % 3 == 0 if kind == "bool" else whole).astype(kind)
    mask = np.array([chance.random() < 0.7 for _ in given], np.bool_)
    with pytest.MonkeyPatch.context() as patch, tempfile.TemporaryDirectory() as folder:
        patch.setattr(ordering, "MOST_COUNTED", most)
        with storage_in(Path(folder), block_rows=7) as on_disk:
            for storage in (MEMORY, on_disk):
                for present in (None, mask):
                    found = in_ascending_order(values, present, storage)
                    wanted = np.sort(values if present is None else values[present])
                    assert found.dtype == values.dtype
                    assert found.tolist() == wanted.tolist()
