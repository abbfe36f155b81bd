"""Patterns that are compiled when they are used: where characters are named that each match has, each match has one."""

import re
from types import ModuleType
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing import headings, moment_shapes
from comb.reading.delimited import cell_kinds, chunk_reader, first_lines, header, layout
from comb.reading.io import source_file

MODULES = (headings, moment_shapes, cell_kinds, chunk_reader, first_lines, header, layout, source_file)


def given_of(module: ModuleType) -> list[tuple[str, int, frozenset[str]]]:
    """Return the patterns of a module that name characters: text, flags, characters."""
    found = [one for one in vars(module).values() if getattr(type(one), "__name__", "") == "_LazyPattern"]
    return [(*one._given, one._needs) for one in found if one._needs]


PATTERNS = [one for module in MODULES for one in given_of(module)]


def test_there_are_such_patterns() -> None:
    assert len(PATTERNS) >= 10


@pytest.mark.parametrize(("text", "flags", "needs"), PATTERNS, ids=[text[:20] for text, _, _ in PATTERNS])
@given(data=st.data())
def test_each_match_has_one_of_the_characters(text: str, flags: int, needs: frozenset[str], data: Any) -> None:
    matched = data.draw(st.from_regex(re.compile(text, flags)))
    found = re.compile(text, flags).search(matched)
    assert found is not None and not needs.isdisjoint(found[0])


@given(st.lists(st.text("8:15 h", max_size=6), max_size=8), st.sampled_from(["match", "fullmatch", "search"]))
def test_what_is_found_is_the_same(texts: list[str], method: str) -> None:
    lazy, real = lazy_pattern("[0-9]+:[0-9]+", needs=":"), re.compile("[0-9]+:[0-9]+")
    for text in texts:
        ours, other = getattr(lazy, method)(text), getattr(real, method)(text)
        assert (ours and ours[0]) == (other and other[0])


def kind_by_patterns(cell: str) -> str:
    """Return the kind of a cell as all patterns together say it, however its text begins."""
    text = cell.strip()
    if text.isdigit() and text.isascii():
        return "number"
    if not text or cell_kinds.is_missing_word(text):
        return ""
    if not any(map(str.isdigit, text)):
        return "word"
    clock, number, amount = cell_kinds._TIME_OF_DAY, cell_kinds._NUMBER, cell_kinds.AMOUNT
    if cell_kinds.date_groups(text) or clock.fullmatch(text) or cell_kinds._is_moment(text):
        return "date"
    return "number" if number.fullmatch(text) or amount.fullmatch(text) else "word"


@given(st.text("0123456789.,:-/ +eEURMaynk€$%N", max_size=16))
def test_kinds_of_cells_are_as_all_patterns_say(cell: str) -> None:
    assert cell_kinds.kind_of(cell) == kind_by_patterns(cell)
