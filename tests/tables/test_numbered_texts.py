"""Texts are numbered in parts as the kernel numbers them at once; rows that may be equal are found in parts as well."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from comb.execution.disk import DiskStorage
from comb.execution.storage import MEMORY
from comb.kernels import dispatch
from comb.kernels.grouping import SORTED_AT_ONCE, candidates
from comb.kernels.string_buffer import StringBuffer, pack
from comb.tables.numbered_texts import MOST_PARTS, number_texts
from comb.tables.text import ITEMS_AT_ONCE, LEAST_SAMPLED, Text

# With letters of one to four bytes, and texts that differ where nothing is looked at.
WORDS = st.one_of(st.text("aé𝄞", max_size=12), st.integers(0, 30).map(lambda at: "x" * at + "y" + "x" * (30 - at)))


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("numbered")


@given(st.lists(WORDS, max_size=60), st.integers(1, 20), st.integers(0, 3))
def test_parts_number_as_the_whole_does(folder: Path, texts: list[str], rows: int, left_out: int) -> None:
    whole = pack(texts)
    # Also of texts that do not begin where their bytes do.
    whole = StringBuffer(whole.buffer, whole.offsets[min(left_out, len(texts)) :])
    expected = list(dict.fromkeys(texts[left_out:]))
    with DiskStorage(folder, 10**8, smallest=0, block_rows=rows) as storage:
        first, numbers = number_texts(whole, storage)
        assert [texts[left_out:][at] for at in first.tolist()] == expected
        assert [expected[number] for number in numbers.tolist()] == texts[left_out:]
    assert [part.tolist() for part in number_texts(whole, MEMORY)] == [first.tolist(), numbers.tolist()]


def test_there_are_no_more_parts_than_a_byte_can_name(folder: Path) -> None:
    texts = pack([f"hive {at % 700}" for at in range(3 * MOST_PARTS)])
    with DiskStorage(folder, 10**8, smallest=0, block_rows=1) as storage:
        first, numbers = number_texts(texts, storage)
        assert first.tolist() == list(range(700))
        assert numbers.tolist() == [at % 700 for at in range(3 * MOST_PARTS)]


def test_rows_that_may_be_equal_are_found_in_parts() -> None:
    rows = 2 * SORTED_AT_ONCE + 5
    keys = np.arange(rows, dtype=np.uint64)
    keys[[7, rows - 1]] = 3
    keys[rows // 2] = keys[11]
    assert candidates([[keys]], rows).tolist() == [3, 7, 11, rows // 2, rows - 1]


def test_many_texts_are_decoded_in_parts_and_not_kept() -> None:
    many = ITEMS_AT_ONCE + 10
    texts = Text(*pack([str(at) for at in range(many)]))
    wanted = {"0", str(ITEMS_AT_ONCE - 1), str(ITEMS_AT_ONCE), str(many - 1)}
    expected = [0, ITEMS_AT_ONCE - 1, ITEMS_AT_ONCE, many - 1]
    assert np.flatnonzero(texts.flags(wanted.__contains__)).tolist() == expected
    assert [len(part) for part in texts.items_in_parts()] == [ITEMS_AT_ONCE, 10]
    among = np.zeros(many, np.bool_)
    among[expected[1:]] = True
    assert np.flatnonzero(texts.flags(wanted.__contains__, among)).tolist() == expected[1:]
    assert dispatch.kernels.encode(texts.packed())[1][-1] == many - 1


@pytest.mark.parametrize(("each", "coded"), [(1, False), (2, False), (3, True), (400, True)])
@pytest.mark.parametrize("mixed", [False, True])
def test_many_texts_get_codes_where_they_repeat(each: int, coded: bool, mixed: bool) -> None:
    numbers = np.arange(LEAST_SAMPLED + 50) // each
    if mixed:
        numbers = np.random.default_rng(7).permutation(numbers)
    strings = [f"box {number}" for number in numbers.tolist()]
    text = Text(*pack(strings)).coded_if_repeated()
    assert (text.codes is not None) == coded and text.to_list() == strings
