"""Ordinal numbers become numbers."""

from pathlib import Path

import pytest

import comb
from comb.plans.draft import draft_plan

ORDINALS = {
    "english": (["1st", "2nd", "3rd", "11th", "22nd", "112th"], [1, 2, 3, 11, 22, 112], "101st"),
    "capitals": (["1ST", "2ND", "10TH"], [1, 2, 10], "3RD"),
    "french": (["1er", "2e", "10e"], [1, 2, 10], "1re"),
    "spanish": (["1º", "2ª", "10º"], [1, 2, 10], "3ª"),
    "spaces outside": ([" 1st", "2nd ", "10th"], [1, 2, 10], "3rd"),
}
OTHERS = {
    "wrong endings": ["1th", "2nd", "3rd"],
    "two of them": ["1st", "2nd"],
    "codes": ["2e", "3e", "10e"],
    "degrees": ["1°", "2°", "10°"],
    "units": ["1 st", "2 st", "10 st"],
    "mixed languages": ["1st", "2e", "10e"],
    "letters": ["1a", "2b", "3c"],
    "no texts": [],
}


@pytest.mark.parametrize(("texts", "numbers", "other"), ORDINALS.values(), ids=ORDINALS)
def test_the_remedy_gives_the_numbers(tmp_path: Path, texts: list[str], numbers: list[int], other: str) -> None:
    table = comb.table(columns={"place": [*texts, None] * 4, "n": [at * at for at in range(4 * len(texts) + 4)]})
    [finding] = table.profile().of("type.ordinals")
    assert finding.count == 4 * len(texts) and "comes before" in finding.text
    for ending in (".csv", ".xlsx", ".json"):
        table.save(tmp_path / f"t{ending}")
        loaded = comb.load(tmp_path / f"t{ending}")
        (tmp_path / "plan.yaml").write_text(draft_plan(loaded, loaded.profile(), tmp_path).text)
        [done] = comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True).tables.values()
        assert done["place_number"].type.word == "integer"
        assert done["place_number"].to_list() == [*numbers, None] * 4
    june = comb.table(columns={"place": [other, "last", "5"]}).take_step(finding.remedy)
    assert june["place_number"].to_list()[1:] == [None, None] and june["place_number"].to_list()[0] is not None
    assert "2 results of place_number do not exist" in june.sentence().replace("\n", " ")


@pytest.mark.parametrize("texts", OTHERS.values(), ids=OTHERS)
def test_what_is_something_else_is_left(texts: list[str]) -> None:
    assert not comb.table(columns={"place": texts * 4}).profile().of("type.ordinals")


def test_other_texts_among_them_leave_no_step() -> None:
    [finding] = comb.table(columns={"place": [*["1st", "2nd", "3rd"] * 9, "retired"]}).profile().of("type.ordinals")
    assert finding.remedy is None and finding.count == 27 and finding.by_hand
