"""What a profile finds out once: counts, order, sentinels, copies; by one thread or several."""

from collections import Counter
from itertools import pairwise
from random import Random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.execution.storage import BLOCK_ROWS
from comb.inference.proposals import LEAST_SHARE, code_shape
from comb.kernels.grouping import candidates
from comb.parsing.vocabulary import STAND_INS
from comb.profiling import missing
from comb.profiling.ascending import _are_numbered, _breaks
from comb.profiling.column_cache import ColumnCache
from comb.profiling.duplicates import _equal_share
from comb.profiling.missing import LEAST_STAND_INS
from comb.profiling.profile import FEW_ROWS, profile
from comb.reading.delimited import layout
from comb.tables.text import Text
from support.strategies import tables


@given(tables())
def test_what_is_found_once_is_what_the_columns_hold(table: comb.Table) -> None:
    cache = ColumnCache.at(table)
    for name, column in table.columns.items():
        counts = cache.state_counts(name)
        reasons = Counter(column.reasons())
        assert counts.sum() == len(column) and counts[0] == reasons.pop(None, 0)
        assert sorted(counts[1:][counts[1:] > 0].tolist()) == sorted(reasons.values())
        present = [cell for cell in column.to_list() if cell is not None]
        if column.type.word == "string":
            distinct = cache[name].distinct()
            found = dict(zip(distinct.values.to_list(), distinct.counts.tolist(), strict=True))
            assert found == Counter(present)
            # In order of appearance, as a look at every cell finds them.
            assert list(dict.fromkeys(present)) == sorted(found, key=present.index)
        elif column.type.word in ("integer", "number", "boolean"):
            assert cache.ordered(name).tolist() == sorted(present)
        # What one column alone says is what it says among others.
        assert (cache[name]._codes() >= 0).all()


@given(st.lists(st.sampled_from([0, 1, 2, 5, 40, -3, *STAND_INS]), min_size=1, max_size=40))
def test_numbers_for_missing_are_those_that_stand_apart(values: list[float]) -> None:
    cache = ColumnCache.at(comb.table(columns={"x": [*map(float, values), None]}))
    found = {float(finding.examples[0].split()[0]): finding for finding in missing.stand_ins(cache)}
    others = [value for value in values if value not in STAND_INS]
    for value, finding in found.items():
        assert value in STAND_INS and not min(others) <= value <= max(others)
        assert finding.rows.tolist() == [at for at, one in enumerate(values, 1) if one == value]
    if others and min(others) >= 0 and 999 in values:
        assert 999 in found and (-999 in found) == (-999 in values)


@given(st.lists(st.sampled_from([0, 0, 27, 28, 29, 30, -1]), max_size=30))
def test_a_heap_of_zeros_is_one_that_stands_apart(values: list[int]) -> None:
    found = list(missing.zeros(ColumnCache.at(comb.table(columns={"x": [*values, 26]}))))
    others = [value for value in [*values, 26] if value]
    zeros = values.count(0)
    enough = zeros >= LEAST_STAND_INS and len(others) >= zeros and len(set(others)) >= missing.LEAST_DIFFERENT
    assert bool(found) == (enough and min(others) > 0)
    assert all(finding.count == zeros and finding.rows.tolist() == [at + 1 for at, value in enumerate(values) if not value] for finding in found)  # fmt: skip


def test_several_threads_find_the_same() -> None:
    chance = Random(5)
    count = FEW_ROWS + 10
    table = comb.table(
        columns={
            "apiary": [
                chance.choice(["Mill", "Mill", "Mill", "mill ", "Quarry", "Linden  row", None]) for _ in range(count)
            ],
            "code": [f"{chance.randrange(90_000_000):08}" for _ in range(count)],
            "mites": [chance.choice([0, 3, 8, 999]) for _ in range(count)],
            "weight": [chance.choice([None, 20.5, 31.25]) for _ in range(count)],
            "one": ["same"] * count,
        }
    )
    table = table.stack_tables(table._take(np.arange(20)))
    alone, together = profile(table), profile(table, threads=3)
    assert together.columns == alone.columns and together.sentence == alone.sentence
    assert [one.as_record() for one in together.findings] == [one.as_record() for one in alone.findings]
    assert {"missing.stand_in", "text.spaces", "text.case", "type.leading_zeros", "column.constant", "duplicate.rows"} <= {
        finding.code for finding in alone.findings
    }  # fmt: skip


@given(st.lists(st.tuples(st.integers(0, 3), st.integers(0, 2)), max_size=40), st.lists(st.integers(0, 40), max_size=5))
def test_rows_that_are_alike_are_found_in_any_blocks(rows: list[tuple[int, int]], borders: list[int]) -> None:
    keys = [np.array([row[at] for row in rows], np.uint64) for at in range(2)]
    places = sorted({0, len(rows), *(border for border in borders if border < len(rows))})
    blocks = [[key[start:stop] for key in keys] for start, stop in pairwise(places)]
    assert candidates(blocks, len(rows)).tolist() == candidates([keys], len(rows)).tolist()


@given(tables())
def test_keys_of_parts_are_parts_of_the_keys(table: comb.Table) -> None:
    for column in table.columns.values():
        coded = column._with_codes()
        whole = coded._keys()
        assert np.concatenate([coded._keys(0, 3), coded._keys(3)]).tolist() == whole.tolist()
        cells = [None if cell is None else repr(cell) for cell in column.to_list()]
        # Equal cells have equal keys.
        assert len({(cell, key) for cell, key in zip(cells, whole.tolist(), strict=True)}) == len(set(cells))


@given(st.lists(st.sampled_from(["AB-1", "CD-2", "EF-3", "", "A", "much longer", "gh-4"]), max_size=60))
def test_a_shape_is_one_that_nearly_all_codes_have(texts: list[str]) -> None:
    shape = code_shape(Text.from_items(texts))
    filled = [text for text in texts if text]
    if shape:
        assert sum(len(text) == len(shape) for text in filled) >= LEAST_SHARE * len(filled)
    if len(filled) >= 20 and all(text in ("AB-1", "CD-2", "EF-3") for text in texts):
        assert shape == "AA-9"


@pytest.mark.parametrize("delimiter", [":", "  ", layout.SPACES])
@given(st.lists(st.text(st.sampled_from("ab:1 \n"), max_size=12), max_size=90))
def test_a_delimiter_without_hope_would_have_been_too_weak(delimiter: str, parts: list[str]) -> None:
    sample = "\n".join(parts)
    if layout._hopeless(sample, delimiter, '"', ""):
        assert layout._too_weak(layout._try(sample, delimiter, '"', ""), sample)


@given(tables(), st.data())
def test_shares_of_equal_pairs_are_those_of_a_count(table: comb.Table, data: st.DataObject) -> None:
    cache = ColumnCache.at(table)
    without = np.array(data.draw(st.lists(st.booleans(), min_size=len(table), max_size=len(table))), np.bool_)
    for name, column in table.columns.items():
        for left_out in (None, without):
            rows = range(len(table)) if left_out is None else np.flatnonzero(~left_out).tolist()
            counts = Counter(column._codes()[list(rows)].tolist())
            pairs = sum(count * (count - 1) for count in counts.values())
            assert _equal_share(cache, name, left_out) == pairs / max(1, len(rows) * (len(rows) - 1))


@pytest.mark.parametrize("way", [1, -1])
@pytest.mark.parametrize("rows", [900, 2 * BLOCK_ROWS + 3])
def test_values_out_of_order_are_found_on_both_sides_of_a_block(way: int, rows: int) -> None:
    values = np.arange(rows) * 2
    odd = sorted({11, min(BLOCK_ROWS, rows - 9), min(2 * BLOCK_ROWS - 1, rows - 5)})
    values[odd] = [values[at] - 30 if at != 11 else values[at] + 30 for at in odd]
    assert _breaks(way * values, way).tolist() == odd
    assert not len(_breaks(way * values, -way)) and _are_numbered(way * values)
    assert not _are_numbered(values**2 % 1_000_003)
