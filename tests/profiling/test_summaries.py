"""Summaries of texts: the same with codes and without, in memory and on disk, and what plain Python counts."""

from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.profiling import summaries
from comb.profiling.column_cache import ColumnCache
from comb.profiling.summaries import MOST_COMMON, MOST_SHAPED, summaries_of, summarise
from comb.statistics.distribution import SMALL
from comb.tables import repeated_texts
from comb.tables.column import Column
from comb.tables.text import Text
from comb.tables.types import STRING
from support.on_disk import kept_on_disk, storage_in

TEXTS = st.lists(st.none() | st.sampled_from(["a", "bb", "Höhe", "日本"]) | st.text("abü", max_size=4), max_size=40)


def without_codes(texts: list[str | None]) -> Column:
    cells = [text or "" for text in texts]
    return Column(STRING, Text.from_items(cells), Column._of_strings(texts).states)


@given(TEXTS, st.integers(1, 5), st.sampled_from([5, 7, 10_000]))
def test_texts_without_codes(
    tmp_path_factory: pytest.TempPathFactory, texts: list[str | None], rows: int, most_ties: int
) -> None:
    plain = comb.table(columns={"w": texts})._derive({"w": without_codes(texts)})
    coded = plain._derive({"w": plain["w"]._with_codes()})
    kept = kept_on_disk(plain, storage_in(tmp_path_factory.getbasetemp(), rows))
    assert plain["w"].text.codes is None and coded["w"].text.codes is not None
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(summaries, "MOST_TIES", most_ties)
        patch.setattr(repeated_texts, "AT_ONCE", rows)
        found = summaries_of(plain)
        assert found == summaries_of(coded) == summaries_of(kept) == [summarise(ColumnCache.at(plain), "w")]
    counts = Counter(text for text in texts if text and text.strip())
    if not counts:
        return
    summary, highest = found[0], sorted(counts.values(), reverse=True)
    assert summary.distinct == len(counts) and summary.missing_count == len(texts) - sum(counts.values())
    assert [count for _, count in summary.details["commonest"]] == highest[:MOST_COMMON]
    assert all(counts[text] == count for text, count in summary.details["commonest"])
    assert [summary.details[one] for one in ("shortest", "longest")] == [min(map(len, counts)), max(map(len, counts))]
    assert summary.shape == (() if highest[0] * MOST_SHAPED < sum(highest) else tuple(highest[:SMALL]))
    if most_ties > len(texts):
        assert summary.details["commonest"] == sorted(counts.items(), key=lambda one: (-one[1], one[0]))[:MOST_COMMON]
