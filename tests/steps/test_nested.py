"""Texts of JSON taken apart: the same columns as a JSON document of the same records gives."""

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb

PLAIN = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(10**6), 10**6),
    st.sampled_from(["late", "O'Neil", 'say "no"', "a\\b", "é", "2026-01-02"]),
)
RECORDS = st.lists(
    st.dictionaries(st.sampled_from(["kg", "lid", "day"]), PLAIN | st.lists(st.integers(0, 3), max_size=2) | st.dictionaries(st.sampled_from(["x", "y"]), PLAIN), min_size=1),
    min_size=1, max_size=8,
)  # fmt: skip


@given(RECORDS, st.booleans())
def test_it_gives_what_a_document_of_the_records_gives(records: list[dict[str, Any]], by_python: bool) -> None:
    texts = [repr(one) if by_python else json.dumps(one, ensure_ascii=False) for one in records]
    apart = comb.table(columns={"box": texts}).take_apart("box")
    whole = comb.load(json.dumps([{"box": one} for one in records]).encode())
    assert set(apart.names) == set(whole.names)
    for name in whole.names:
        assert apart.types[name] == whole.types[name] and apart[name].to_list() == whole[name].to_list()
        assert [str(one) for one in apart[name].reasons()] == [str(one) for one in whole[name].reasons()]


@given(st.lists(st.lists(st.integers(0, 9), max_size=4), min_size=1, max_size=6))
def test_lists_become_rows_counts_and_texts(lists: list[list[int]]) -> None:
    table = comb.table(columns={"n": list(range(len(lists))), "kg": [json.dumps(one) for one in lists]})
    rows = table.take_apart("kg", lists="rows")
    pairs = [(at, one) for at, some in enumerate(lists) for one in some or [None]]
    if any(lists):
        assert list(zip(rows["n"].to_list(), rows["kg"].to_list(), strict=True)) == pairs
    assert table.take_apart("kg", lists="count")["kg"].to_list() == [len(one) for one in lists]
    assert [json.loads(one) for one in table.take_apart("kg")["kg"].texts() if one is not None] == lists
    if len({len(one) for one in lists}) == 1 and lists[0]:
        made = table.take_apart("kg", lists="columns")
        assert [list(row)[1:] for row in zip(*(made[name].to_list() for name in made.names), strict=True)] == lists


GENRES = ["[{'id': 16, 'name': \"O'Neil\"}, {'id': 35, 'name': nan,}]", "[]", "see above", None, '[{"id": 7}]']


def test_what_is_no_json_stays_and_is_told() -> None:
    table = comb.table(columns={"m": ["a", "b", "c", "d", "e"], "genres": GENRES})
    made = table.take_apart("genres", lists="rows")
    assert made.names == ("m", "genres", "genres.id", "genres.name")
    assert made["m"].to_list() == ["a", "a", "b", "c", "d", "e"]
    assert made["genres.id"].to_list() == [16, 35, None, None, None, 7]
    assert made["genres"].to_list() == [None, None, None, "see above", None, None]
    assert "1 cell of genres is no JSON: it stays in genres, for instance 'see above'" in made.sentence()
    assert "1 cell is written as Python writes values" in made.sentence()
    kept = table.take_apart("genres", lists="rows", keep_original=True)
    assert kept["genres"].to_list()[:3] == [GENRES[0], GENRES[0], "[]"]
    assert "made of genres" in str(kept.trace(5, "genres.id"))


def test_keys_are_columns_also_where_no_cell_has_them() -> None:
    table = comb.table(columns={"box": ['{"kg": 4.5, "at": {"x": 1}, "why": "late"}', '{"kg": 6}']})
    made = table.take_apart("box", keys=["at.x", "kg", "lid"])
    assert made.names == ("box.at.x", "box.kg", "box.lid")
    assert made["box.at.x"].to_list() == [1, None] and made["box.lid"].to_list() == [None, None]
    assert "keys that were not asked for are left out: why" in made.sentence()
    assert table.filter("box is null").take_apart("box", keys="kg").names == ("box.kg",)
    assert table.filter("box is null").take_apart("box") == table.filter("box is null")
    empty = comb.table(columns={"box": ["{}", "{}"]})
    assert empty.take_apart("box") == empty


@pytest.mark.parametrize(
    ("columns", "lists", "says"),
    [
        ({"a": ["x", "[sic"]}, "keep", "no cell of a is an object or a list of JSON, for instance 'x'"),
        ({"a": ["1", "true"]}, "keep", "no cell of a is an object or a list"),
        ({"a": [1, 2]}, "keep", "expected a column of texts or JSON, 'a' is integer"),
        ({"a": ['{"k": 1}'], "a.k": [1]}, "keep", "there would be two columns named 'a.k'"),
        ({"a": [json.dumps({f"k{at}": at for at in range(600)})]}, "keep", "600 keys, more than 500 new columns"),
        ({"a": ["[1, 2]", "[1]"]}, "columns", ""),
    ],
)
def test_what_cannot_be_taken_apart_says_why(columns: dict[str, Any], lists: Any, says: str) -> None:
    table = comb.table(columns=columns)
    if not says:
        assert "lists of different lengths stay as they are: a" in table.take_apart("a", lists=lists).sentence()
        return
    with pytest.raises(comb.CombError) as caught:
        table.take_apart("a", lists=lists)
    assert says in str(caught.value)


@pytest.mark.parametrize(
    "text",
    [
        "{'a': f(1)}",
        "{'a': '\\q'}",
        "{'a': 1or 2}",
        "{1: {2}}",
        "['a' 'b']",
        "[1,,2]",
        "{'a'}",
        "[" * 3000 + "]" * 3000,
    ],
)
def test_other_python_is_no_value(text: str) -> None:
    made = comb.table(columns={"a": [text, "{'k': 1, 2: (3, -1e3,)}"]}).take_apart("a")
    assert made["a"].to_list() == [text, None] and made["a.2"].to_list() == [None, "[3, -1000.0]"]


def test_a_plan_takes_them_apart_in_pieces_and_on_a_month_without_rows(tmp_path: Path) -> None:
    rows = "".join(f'{at};{{"kg": {at}.5, "day": "2026-01-0{at % 9 + 1}"}}\n' for at in range(400))
    (tmp_path / "may.csv").write_text("n;box\n" + rows)
    (tmp_path / "june.csv").write_text("n;box\n")
    (tmp_path / "plan.yaml").write_text(
        "tables:\n  may:\n    source: may.csv\n    steps:\n"
        "    - {step: take_apart, column: box, keys: [kg, day]}\n"
        '    - {step: calculate, columns: {twice: "\\"box.kg\\" * 2"}}\n'
    )
    plan = comb.Plan.load(tmp_path / "plan.yaml")
    whole = plan.run().tables["may"]
    assert whole["box.kg"].to_list()[:2] == [0.5, 1.5] and str(whole["box.day"].to_list()[0]) == "2026-01-01"
    assert whole["twice"].to_list()[399] == 799
    assert plan.run(memory="100MB").tables["may"].sentence() == whole.sentence()
    assert plan.run(sources={"may": tmp_path / "june.csv"}).tables["may"].row_count == 0


def test_the_finding_goes_with_its_remedy(tmp_path: Path) -> None:
    columns = {
        "hive": list("abcdefgh"),
        "box": ['{"kg": 4.5, "at": {"x": 1}}', '{"kg": 6, "lid": true, "at": {}}'] * 4,
        "at": [f"[{at}.5, 4]" for at in range(8)],
        "tags": ["[]", "['late', 'wet']"] * 4,
        "note": ["[sic]", "{?}"] * 4,
        "mixed": ['{"a": 1}', "[2]"] * 3 + ["n/a", "none"],
    }
    table = comb.table(columns=columns)
    found = {one.columns[0]: one for one in table.profile().of("text.json")}
    assert set(found) == {"box", "at", "tags"}
    assert (
        found["tags"].remedy is None
        and "lists: rows" in found["tags"].by_hand
        and "as JSON and Python write them" in found["tags"].text
    )
    assert "with the keys kg, at.x, lid, at, as JSON writes them" in found["box"].text
    for name in ("box", "at"):
        table = table.take_step(found[name].remedy)
    assert table.types["box.kg"].word == "number" and {"box.at.x", "at.1", "at.2"} <= set(table.names)
    assert [one.columns for one in table.profile().of("text.json")] == [("tags",)]
    (tmp_path / "t.json").write_text(json.dumps([{"at": [at, 2]} for at in range(5)]))
    (one,) = comb.load(tmp_path / "t.json").profile().of("text.json")
    assert comb.load(tmp_path / "t.json").take_step(one.remedy).names == ("at.1", "at.2")
