"""What is asked of all texts at once says the same as what is asked of each of them."""

import os
import subprocess
import sys
from collections import Counter
from itertools import combinations
from pathlib import Path

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.kernels.notation import shape_of
from comb.profiling.shapes import MARKS, _are_few, _marks_in, _packed_with, _parts
from comb.profiling.text_forms import by_digits, may_be_one, most_of_a_shape, shape
from comb.profiling.texts import folded
from comb.steps.cell_steps import tidied, uncovered
from comb.tables.column import Column
from comb.tables.text import Text

WORDS = st.text(
    st.sampled_from("aAbZ09 -_.,;:'\u2019\u2013\u00fc\u00dc\u00df\u0308\u0660\uff21\u00a0\0\n/|&+"), max_size=8
)
TEXTS = st.lists(WORDS, min_size=1, max_size=8, unique=True)


def counted(texts: list[str], draw: st.DataObject) -> np.ndarray:
    return np.array([draw.draw(st.integers(0, 3)) for _ in texts], np.int64)


@given(TEXTS, st.data())
def test_the_commonest_shape(texts: list[str], draw: st.DataObject) -> None:
    counts = counted(texts, draw)
    shapes: Counter[str] = Counter()
    for text, count in zip(texts, counts.tolist(), strict=True):
        shapes[shape(tidied(text))] += count
    assert most_of_a_shape(Text.from_items(texts), counts) == max(shapes.values())


@given(TEXTS, st.data())
def test_no_two_forms_of_a_word_are_missed(texts: list[str], draw: st.DataObject) -> None:
    counts = counted(texts, draw)
    used = [text for text, count in zip(texts, counts.tolist(), strict=True) if count]
    keys = [folded(tidied(uncovered(text))) for text in used]
    if len(set(keys)) < len(keys):
        assert may_be_one(Text.from_items(texts), counts)
    if not may_be_one(Text.from_items(texts), counts):
        assert all(one.lower() != other.lower() for one, other in combinations(used, 2))


@given(st.lists(st.from_regex(r"[-+(]?[0-9]{1,3}([.,][0-9]{1,3})?( ?(kg|m|%|st|k))?[)]?", fullmatch=True), min_size=1))
def test_which_digits_a_number_has_says_nothing_of_its_unit(texts: list[str]) -> None:
    forms, numbers = by_digits(Text.from_items(texts))
    for text, number in zip(texts, numbers.tolist(), strict=True):
        one, other = shape_of(text), shape_of(forms[number])
        assert (one and one.unit) == (other and other.unit), text


@given(st.lists(st.text(st.sampled_from("abc;,/ &|"), min_size=1, max_size=7), min_size=1, max_size=12), st.data())
def test_several_values_in_a_cell_are_found_as_cell_by_cell(some: list[str], draw: st.DataObject) -> None:
    texts = Counter({text: draw.draw(st.integers(1, 3)) for text in some})
    marks = list(_marks_in(texts))
    for mark in MARKS:
        split = {text: parts for text in texts if len(parts := _parts(text, mark)) > 1}
        alone = {text for text, count in texts.items() if text not in split and count > 1}
        found = _packed_with(mark, texts)
        assert found in (set(split), {text for text, parts in split.items() if set(parts) <= alone})
        assert found != set(split) or not split or _are_few(split.values()) or set().union(*split.values()) <= alone
        if mark not in marks and any(mark in text for text in texts):
            # With its spaces it is in the same places.
            assert any(_packed_with(one, texts) == found for one in marks if one.strip() == mark)


@given(st.lists(st.text("abcü", max_size=2).filter(bool), min_size=1, max_size=30), st.integers(0, 8))
def test_the_commonest_values(texts: list[str], most: int) -> None:
    distinct = Column._of_strings(texts).distinct()
    slow = sorted(Counter(texts).items(), key=lambda pair: (-pair[1], pair[0]))
    assert distinct.commonest(most) == slow[:most] and distinct.commonest(len(slow)) == slow


def test_a_profile_is_the_same_in_every_process(tmp_path: Path) -> None:
    crops = ["Rye", "Oats", "Wheat", "Barley", "Spelt"]
    cells = [", ".join(pair) for pair in combinations(crops, 2)] + [
        ", ".join(three) for three in combinations(crops, 3)
    ]
    comb.table(columns={"crops": cells * 3, "n": list(range(60))}).save(tmp_path / "t.csv")
    command = [sys.executable, "-m", "comb", "profile", "t.csv", "--json"]
    first, second = (
        subprocess.run(
            command, cwd=tmp_path, env={**os.environ, "PYTHONHASHSEED": seed}, capture_output=True, check=True
        )
        for seed in ("1", "7")
    )
    assert b"text.packed" in first.stdout and first.stdout == second.stdout
