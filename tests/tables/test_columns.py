"""Columns and texts by themselves: what they tell of equal, ordered, missing and distinct cells, against plain Python."""

from collections import Counter
from datetime import datetime
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.kernels import dispatch
from comb.kernels.grouping import candidates, compact, group, group_sizes, order_rows
from comb.kernels.numbering import number_strings
from comb.kernels.string_buffer import joined, pack
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.profiling.summaries import _quantile
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.text import Text, joined_texts
from comb.tables.types import DATETIME, DURATION, INTEGER, TIME, UTC_DATETIME
from comb.tables.value_texts import datetime_text, duration_text, time_text, value_texts
from support.strategies import KINDS

CELLS = st.sampled_from(sorted(KINDS)).flatmap(
    lambda kind: st.lists(st.none() | KINDS[kind], min_size=1, max_size=12).map(lambda cells: (kind, cells))
)
STRINGS = st.lists(st.text(max_size=4), max_size=20)


def column_of(cells: list[Any]) -> Column:
    return comb.table(columns={"x": cells})["x"]


def equal(one: Any, other: Any) -> bool:
    return bool(one == other) and (one is None) == (other is None)


@given(CELLS)
def test_cells_are_alike_where_their_numbers_are(drawn: tuple[str, list[Any]]) -> None:
    _, cells = drawn
    column = column_of(cells)
    values = column.to_list()
    for numbers in (column._codes().tolist(), column._keys().tolist()):
        present = [at for at, value in enumerate(values) if value is not None]
        for here in present:
            for there in present:
                assert (numbers[here] == numbers[there]) == equal(values[here], values[there])
        assert len({numbers[at] for at, value in enumerate(values) if value is None}) <= 1
    assert column.missing.tolist() == [value is None for value in values]
    assert column.present.tolist() == [value is not None for value in values]
    assert column.missing_count == values.count(None)
    with pytest.raises(ValueError, match="read-only"):
        column.missing[:1] = True


@given(CELLS)
def test_ranks_put_cells_in_the_order_of_their_values(drawn: tuple[str, list[Any]]) -> None:
    column = column_of(drawn[1])
    values, ranks = column.to_list(), column._sort_ranks().tolist()
    assert [rank == -1 for rank in ranks] == [value is None for value in values]
    present = [at for at, value in enumerate(values) if value is not None]
    assert sorted(present, key=lambda at: ranks[at]) == sorted(present, key=lambda at: values[at])
    assert column._take(np.array(present, np.int64)).to_list() == [values[at] for at in present]


@given(CELLS)
def test_distinct_values_are_counted_in_order_of_appearance(drawn: tuple[str, list[Any]]) -> None:
    column = column_of(drawn[1])
    values = [value for value in column.to_list() if value is not None]
    distinct = column.distinct()
    found = dict(zip(distinct.values.texts(), distinct.counts.tolist(), strict=True))
    texts = [text for text in column.texts() if text is not None]
    # Negative zero equals zero, and is counted with it.
    expected = Counter("0" if text == "-0" else text for text in texts)
    assert Counter({("0" if text == "-0" else text): count for text, count in found.items()}) == expected
    assert sum(found.values()) == len(values)
    commonest = distinct.commonest(2)
    assert [count for _, count in commonest] == sorted(found.values(), reverse=True)[:2]


@given(STRINGS, st.data())
def test_texts_say_the_same_however_they_are_stored(strings: list[str], data: st.DataObject) -> None:
    plain, coded = Text.from_items(strings), Text.from_items(strings).with_codes()
    assert plain.to_list() == coded.to_list() == strings and coded.with_codes() is coded
    assert coded.item_count == len(set(strings)) and len(plain) == len(coded) == len(strings)
    places = np.array(
        data.draw(st.lists(st.integers(0, max(0, len(strings) - 1)), max_size=6)) if strings else [], np.int64
    )
    assert plain.take(places).to_list() == coded.take(places).to_list() == [strings[at] for at in places.tolist()]
    assert plain.same_texts(coded).all() and coded.flags(str.isalpha).tolist() == [one.isalpha() for one in strings]
    assert coded.map(str.upper).to_list() == plain.map(str.upper).to_list() == [one.upper() for one in strings]
    assert joined_texts([plain, coded, plain]).to_list() == strings * 3
    bits, lengths = plain.traits(KNOWN_WORDS)
    assert lengths.tolist() == [len(one) for one in strings]
    assert plain.traits(KNOWN_WORDS)[0] is bits and plain.traits(list(KNOWN_WORDS))[0].tolist() == bits.tolist()


@given(STRINGS, STRINGS)
def test_packed_texts_are_taken_numbered_and_joined(one: list[str], other: list[str]) -> None:
    both = joined([pack(one), pack(other)])
    assert both.strings() == [*one, *other]
    first, codes = dispatch.kernels.encode(both)
    words = dispatch.kernels.take(both, first).strings()
    assert len(set(words)) == len(words) and [words[code] for code in codes.tolist()] == [*one, *other]
    assert words == number_strings([*one, *other])[0]


@given(st.lists(st.text(" \tab\x1c\x85\xa0é\u2009\u200b", max_size=4), max_size=5))
def test_outer_spaces_are_found_at_the_edges_alone(texts: list[str]) -> None:
    edges, noticed = Text.from_items(texts), Text.from_items(texts)
    noticed.traits(KNOWN_WORDS)
    found = edges.outer_spaces(KNOWN_WORDS).tolist()
    assert found == noticed.outer_spaces(KNOWN_WORDS).tolist()
    assert all(odd or text.strip() == text for text, odd in zip(texts, found, strict=True))


@given(st.binary(max_size=300), st.integers(0, 255), st.integers(0, 400))
def test_bytes_are_counted_as_python_counts_them(data: bytes, byte: int, stop: int) -> None:
    stop = min(stop, len(data))
    assert dispatch.kernels.count_byte(data, byte, stop) == data[:stop].count(bytes([byte]))


KEYS = st.lists(st.tuples(st.integers(-3, 3), st.integers(0, 4)), min_size=1, max_size=40)


@given(KEYS)
def test_groups_sizes_orders_and_doubles_are_those_of_python(rows: list[tuple[int, int]]) -> None:
    keys = [np.array([row[at] for row in rows], np.int64) for at in (0, 1)]
    numbers, first = group(keys, len(rows))
    order = list(dict.fromkeys(rows))
    assert [order[number] for number in numbers.tolist()] == rows
    assert first.tolist() == [rows.index(row) for row in order]
    starts, sizes = group_sizes([keys[0] + 3, keys[1]], len(rows))
    assert starts.tolist() == first.tolist() and sizes.tolist() == [rows.count(row) for row in order]
    assert order_rows(keys).tolist() == sorted(range(len(rows)), key=lambda at: rows[at])
    alike = candidates([[key.astype(np.uint64) for key in keys]], len(rows)).tolist()
    assert alike == [at for at, row in enumerate(rows) if rows.count(row) > 1]
    used, renumbered = compact(keys[0])
    assert used.tolist() == sorted(set(keys[0].tolist())) and used[renumbered].tolist() == keys[0].tolist()


@pytest.mark.parametrize("seed", range(3))
def test_many_rows_are_ordered_as_few_are(seed: int) -> None:
    values = np.random.default_rng(seed).integers(-(2**62), 2**62, 20_001).tolist()
    keys = [np.array(values, np.int64), np.array([value % 7 for value in values], np.int64)]
    expected = sorted(range(len(values)), key=lambda at: (values[at] % 7, values[at]))
    assert order_rows(keys[::-1]).tolist() == expected


@given(st.lists(st.floats(-1e9, 1e9), min_size=1, max_size=30), st.sampled_from([0.25, 0.5, 0.75]))
def test_quartiles_are_those_of_numpy(values: list[float], share: float) -> None:
    ordered = np.sort(np.array(values))
    found = _quantile(ordered, share)
    assert found == pytest.approx(float(np.quantile(ordered, share)), rel=1e-12, abs=1e-9)
    assert ordered[0] <= found <= ordered[-1]


@given(st.lists(st.integers(0, 5), min_size=1, max_size=10), st.data())
def test_emptied_cells_lose_their_value_and_keep_their_reason(values: list[int], data: st.DataObject) -> None:
    column = Column(INTEGER, np.array(values, np.int64))
    where = np.array(data.draw(st.lists(st.booleans(), min_size=len(values), max_size=len(values))))
    emptied = column._emptied(where, Reason.CLEARED)
    assert emptied.to_list() == [None if gone else value for value, gone in zip(values, where.tolist(), strict=True)]
    assert emptied.reasons() == ["cleared" if gone else None for gone in where.tolist()]
    assert column.to_list() == values
    same = emptied._same_cells(emptied._replace(description="the same"))
    assert same.all() and emptied._same_cells(column).tolist() == (~where).tolist()


@given(st.lists(st.datetimes(), min_size=1), st.integers(1, 3))
def test_many_moments_are_written_as_one_by_one(moments: list[datetime], times: int) -> None:
    values = np.array(moments * times, "datetime64[us]")
    micro = values.astype(np.int64).tolist()
    assert value_texts(DATETIME, values) == [datetime_text(one) for one in micro]
    assert value_texts(UTC_DATETIME, values) == [f"{datetime_text(one)}Z" for one in micro]
    spans = np.array([one % 86_400_000_000 for one in micro] * 1_200, "timedelta64[us]")
    one_by_one = spans.astype(np.int64).tolist()[: len(micro)]
    assert value_texts(TIME, spans)[: len(micro)] == list(map(time_text, one_by_one))
    assert value_texts(DURATION, spans)[-len(micro) :] == list(map(duration_text, one_by_one))
