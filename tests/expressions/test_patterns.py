"""Patterns: what they find, against Python's own engine where that comes to an end; and that all of them do."""

import re
from types import SimpleNamespace

import pytest
import re2
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.formats.regular_expressions import _finders, _public_finders, pattern, problem_with

TEXTS = st.text(alphabet="ab%_;Äö7 \n", max_size=12)


@given(TEXTS, TEXTS)
def test_like_is_what_the_standard_says(text: str, wanted: str) -> None:
    slow = re.compile(
        "".join(".*" if one == "%" else "." if one == "_" else re.escape(one) for one in wanted), re.DOTALL
    )
    table = comb.table(columns={"x": [text, "z"]})
    quoted = wanted.replace("'", "''")
    found = table.calculate({"y": f"x like '{quoted}'"})["y"].to_list()
    expected = [slow.fullmatch(one) is not None for one in table["x"].to_list() if one is not None]
    assert [one for one in found if one is not None] == expected


PIECES = [
    "a",
    "b",
    r"\d",
    r"\w",
    r"\s",
    r"\W",
    "[a-f]",
    r"[\d;]",
    "[^a]",
    "[]a]",
    "[^]]",
    ".",
    "(a|b)",
    "(Ä)?",
    "7*",
    "b+",
    "^",
    "$",
    "ö{2}",
]


@given(st.lists(st.sampled_from(PIECES), min_size=1, max_size=5).map("".join), TEXTS)
def test_patterns_find_what_the_careful_engine_finds(text: str, searched: str) -> None:
    own, slow = pattern(text), re.compile(text)
    # A line end at the end is before "$" there, and after it here.
    if searched.endswith("\n") and "$" in text:
        return
    assert own.found_in(searched) == (slow.search(searched) is not None)
    assert own.matches(searched) == (slow.fullmatch(searched) is not None)
    match = slow.search(searched)
    assert own.parts(searched) == (None if match is None else [part or "" for part in match.groups()])


BETWEEN = [";", "[;7]+", r"\s*;\s*", "a|b", "7*", r"(ö|a)*", r"\b"]


@given(st.sampled_from(BETWEEN) | st.lists(st.sampled_from(PIECES), min_size=1, max_size=3).map("".join), TEXTS)
def test_all_places_are_those_of_the_careful_engine(text: str, searched: str) -> None:
    """Also places between two characters: each of them once, and none within a letter of two bytes."""
    if ("$" in text and "\n" in searched) or (r"\b" in text and not searched.isascii()):
        return
    found = [match.span() for match in re.finditer(text, searched)]
    edges = [0, *(edge for span in found for edge in span), len(searched)]
    assert pattern(text).split(searched) == [searched[a:b] for a, b in zip(edges[::2], edges[1::2], strict=True)]
    assert pattern(text).replacer("<$0>")(searched) == re.sub(text, r"<\g<0>>", searched)


@given(st.lists(st.sampled_from(PIECES), min_size=1, max_size=4).map("".join), TEXTS.map(str.encode), st.integers(0, 4))
def test_places_are_those_of_the_public_interface(text: str, searched: bytes, at: int) -> None:
    engine = re2.compile(text)
    at = min(at, len(searched))
    for quick, slow in zip(_finders(engine), _public_finders(engine), strict=True):
        assert list(quick(searched, at)) == slow(searched, at)


def test_a_wrapper_with_other_insides_is_asked_by_its_public_interface() -> None:
    other = SimpleNamespace(groups=0, search=re2.compile("b").search, fullmatch=re2.compile("b").fullmatch)
    assert [find(b"ab", 0) for find in _finders(other)] == [[(1, 2)], [(-1, -1)]]


@pytest.mark.parametrize(
    "text", ["(a+)+b", "(a|a)*b", "(a|aa)+$b", "(.*)*x", "a*a*a*a*a*a*a*b", "([a-z]+)*=", r"(\w+\s?)*\."]
)
def test_no_pattern_hangs(text: str) -> None:
    assert problem_with(text) == "" and not pattern(text).found_in("a" * 5_000 + "!")


def test_like_does_not_hang() -> None:
    table = comb.table(columns={"x": ["a" * 20_000 + "c"]})
    for wanted in ("%a%a%a%a%a%a%a%a%b", "%a_%a_%a_%a_%a_%b", "_%" * 40 + "b"):
        assert table.calculate({"y": f"x like '{wanted}'"})["y"].to_list() == [False]


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("(", "this is no pattern: missing )"), (r"(a)\1", "repeating what a group found"), ("(?<=a)b", "looking ahead or behind"),
        ("a{5000}", "invalid repetition size"), ("x" * 2_000, "at most 1,000 characters"), (r"[\Wa]", "inside brackets is not supported"),
        ("((a{100}){100}){100}", "invalid repetition size"), ("[", "missing ]"),
    ],
)  # fmt: skip
def test_what_is_no_pattern_is_said_before_any_work(text: str, message: str) -> None:
    table = comb.table(columns={"x": ["a"]})
    for call in (lambda: table.filter(f"x like_regex '{text}'"), lambda: table.split("x", pattern=text)):
        with pytest.raises(comb.CombError) as caught:
            call()
        assert message in str(caught.value)
