"""Scales of which some numbers have words."""

from pathlib import Path

import pytest

import comb

SCALES = {
    "a dash": (["1 - Poor", "2", "3", "4", "5 - Excellent"], [1, 2, 3, 4, 5]),
    "a sign of equality": (["1 = Poor", "2", "3", "4 = Good"], [1, 2, 3, 4]),
    "from nought": (["0 (never)", "1", "2", "10 always", *"3456789"], [0, 1, 2, 10, 3, 4, 5, 6, 7, 8, 9]),
    "words before": (["Poor (1)", "2", "3", "4", "Good (5)"], [1, 2, 3, 4, 5]),
    "quotes": (["1 - Don't like it", "2", "3"], [1, 2, 3]),
}
OTHERS = {
    "houses": ["12 a", "12", "11", "10"],
    "streets": ["12 Oak", "3", "40"],
    "two labels of a number": ["1 - Poor", "1 - Bad", "2", "3", "4"],
    "a gap": ["1 - Poor", "2", "9"],
    "no answer": ["1", "2", "3", "4", "5 - Don’t know"],
    "a word for missing": ["1", "2", "3", "4", "5 (n/a)"],
    "numbers written otherwise": ["3 - Poor", "(2)", "1", "-1", "0"],
    "thousands": ["1 - Poor", "2", "3", "1,000"],
    "units": ["1 - Poor", "$2", "$3", "$4"],
    "words alone": ["Poor", "2", "3", "4"],
    "all with words": ["1 - Poor", "2 - Fair", "3 - Good"],
}


@pytest.mark.parametrize("ending", [".csv", ".xlsx"])
@pytest.mark.parametrize(("texts", "numbers"), SCALES.values(), ids=SCALES)
def test_they_are_read(tmp_path: Path, texts: list[str], numbers: list[int], ending: str) -> None:
    comb.table(columns={"answer": texts * 9, "n": list(range(9 * len(texts)))}).save(tmp_path / f"t{ending}")
    table = comb.load(tmp_path / f"t{ending}")
    [finding] = table.profile().of("type.unreadable")
    assert finding.remedy is not None and finding.count == 9 * sum(not text.isdigit() for text in texts)
    made = table.take_step(finding.remedy)
    assert made["answer_number"].to_list() == numbers * 9 and made["answer"].to_list() == table["answer"].to_list()
    # Another label next month is not guessed at.
    june = comb.table(columns={"answer": [texts[0], "7 - Fine", "2"]}).take_step(finding.remedy)["answer_number"]
    assert june.to_list() == [numbers[0], None, 2] and june.reasons()[1] == "unreadable"


@pytest.mark.parametrize("texts", OTHERS.values(), ids=OTHERS)
def test_other_texts_are_no_scale(texts: list[str]) -> None:
    found = comb.table(columns={"answer": texts * 9}).profile().findings
    assert not [one for one in found if "same scale" in one.text]
