"""Words for missing mean the same in every format, in Python and in a plan, however they are given."""

from pathlib import Path
from typing import Any

import pytest

import comb
from comb.plans.parse import read_plan
from comb.reading.load import load_table

ROWS = [("99", "1.5", "x"), ("999", "-", "y"), ("12", "2.5", "99"), *[(str(n), f"{n}.5", "z") for n in range(20, 40)]]
KNOWN = {"kg": [2]}
# What is given, and the rows that are missing by column besides those of known words.
CASES: list[tuple[Any, dict[str, list[int]]]] = [
    ("99", {"age": [1], "name": [3]}),
    (99, {"age": [1], "name": [3]}),
    (99.0, {"age": [1], "name": [3]}),
    ([999], {"age": [2]}),
    (("999", 99), {"age": [1, 2], "name": [3]}),
    ({"age": ["999"]}, {"age": [2]}),
    ({"age": 999, "*": "x"}, {"age": [2], "name": [1]}),
    ({"name": "x"}, {"name": [1]}),
]


@pytest.fixture
def sources(tmp_path: Path) -> list[Path]:
    """Return the same table in three formats; the dash stands in all of them."""
    (tmp_path / "t.csv").write_text("age,kg,name\n" + "".join(",".join(row) + "\n" for row in ROWS))
    kg = [None if row[1] == "-" else row[1] for row in ROWS]
    records = [
        f'{{"age": {a}, "kg": {k or chr(34) + "-" + chr(34)}, "name": "{n}"}}'
        for (a, _, n), k in zip(ROWS, kg, strict=True)
    ]
    (tmp_path / "t.json").write_text("[" + ", ".join(records) + "]")
    lines = "".join(f"<tr><td>{'</td><td>'.join(row)}</td></tr>" for row in ROWS)
    (tmp_path / "t.html").write_text(
        f"<html><table><tr><th>age</th><th>kg</th><th>name</th></tr>{lines}</table></html>"
    )
    return [tmp_path / name for name in ("t.csv", "t.json", "t.html")]


def missing_rows(table: comb.Table) -> dict[str, list[int]]:
    return {
        name: [at for at, gone in enumerate(table[name].missing, 1) if gone]
        for name in table.names
        if table[name].missing_count
    }


@pytest.mark.parametrize(("given", "expected"), CASES)
def test_words_are_added_to_the_known_ones(sources: list[Path], given: Any, expected: dict[str, list[int]]) -> None:
    for source in sources:
        table = comb.load(source, missing=given)
        assert missing_rows(table) == {**KNOWN, **expected}, source
        assert not any("words for missing" in note for note in table.notes)
        [again] = table.plan().run().tables.values()
        assert again.equals(table)
        alone = comb.load(source, missing=given, known_words=False)
        assert {name: rows for name, rows in missing_rows(alone).items() if name != "kg"} == expected
        assert "-" in (alone["kg"].to_list() if alone["kg"].type.word == "string" else alone["kg"].kept.texts.values())


@pytest.mark.parametrize("text", ["99", "[999, 99]", "{age: 999}", "{age: [999], '*': x}"])
def test_a_plan_writes_them_as_python_does(sources: list[Path], text: str) -> None:
    import yaml

    plan = read_plan(f"source: t.csv\nreading:\n  missing: {text}\n", "plan")
    table = load_table(sources[0], plan.tables["t"].reading)
    assert comb.load(sources[0], missing=yaml.safe_load(text)).equals(table)


@pytest.mark.parametrize("given", ["zz", {"age": "x"}, ["99", "zz"]])
def test_words_that_occur_nowhere_are_told(sources: list[Path], given: Any) -> None:
    for source in sources:
        assert any("words for missing that occur nowhere" in note for note in comb.load(source, missing=given).notes)


@pytest.mark.parametrize(
    ("given", "error"),
    [({"agee": 9}, "no column 'agee'"), (True, "expected a word for missing"), ([None], "expected a word for missing")],
)
def test_slips(sources: list[Path], given: Any, error: str) -> None:
    for source in sources:
        with pytest.raises(comb.CombError, match=error):
            comb.load(source, missing=given)


@pytest.mark.parametrize("given", ["99", 99, ["99"], (99,)])
def test_a_step_takes_one_word_too(given: Any) -> None:
    table = comb.table(columns={"n": ["1", "99", "9"]}).convert({"n": "integer"}, missing=given)
    assert table["n"].to_list() == [1, None, 9]
