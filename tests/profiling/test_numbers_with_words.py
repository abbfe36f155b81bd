"""Numbers with the same words behind each."""

from pathlib import Path

import pytest

import comb
from support.drafts import drafted, in_formats

NUMBERS = [1, 2, 5, 3, 8, 12, 40, 7]
# How a number is written where it is one, and where it is not.
FORMS = {
    "a plural": ("{} stop", "{} stops"),
    "several words": ("{} day ago", "{} days ago"),
    "a stroke": ("${}/yr", "${}/yr"),
    "thousands of money": ("${},250 per hive", "${},250 per hive"),
    "a number in the words": ("{} per 1,000", "{} per 1,000"),
    "signs of patterns": ("{} jars (a+b)*", "{} jars (a+b)*"),
    "dashes": ("{}-star", "{}-star"),
    "about": ("approx. {} kg", "approx. {} kg"),
    "at most": ("up to {}", "up to {}"),
}
LEFT = {
    "a unit that is read": [f"{at} kg" for at in range(9)],
    "multipliers": [f"{at}.5 million" for at in range(9)],
    "codes": [f"{at}A" for at in range(12, 30)],
    "names": [f"Room {at}" for at in range(12, 30)],
    "pairs": [f"{at} of 10" for at in range(1, 10)],
    "two units": ["3 kg", "300 g"] * 9,
    "words that differ": ["3 jars", "4 combs", "5 hives"] * 4,
    "zeros in front": [f"0{at} jars full" for at in range(9)],
    "more digits than a number has": [f"{'9' * 400}{at} jars full" for at in range(9)],
    "days of one month": [f"from {at} March" for at in range(1, 20)],
    "few": ["3 jars full", "4 jars full"] * 9,
    "sentences": [f"{at} jars were given to the school and to the mill by the keeper" for at in range(9)],
    "no texts": [],
}


@pytest.mark.parametrize(("one", "more"), FORMS.values(), ids=FORMS)
@pytest.mark.parametrize("word", ["non-stop", None])
def test_the_remedy_takes_the_number(tmp_path: Path, one: str, more: str, word: str | None) -> None:
    texts = [(one if number == 1 else more).format(number) for number in NUMBERS]
    wanted = [float(f"{number}250" if ",250" in one else number) for number in NUMBERS]
    for table in in_formats(tmp_path, {"no": list("abcdefghij"), "v": [*texts, word, None]}):
        [finding] = table.profile().of("type.with_words")
        assert finding.count == len(texts) and ("1 other is not a number: 'non-stop'" in finding.text) == (
            word is not None
        )
        assert drafted(table, tmp_path)["v_number"].to_list() == [*wanted, None, None]
        assert {one.code for one in table.profile().findings} <= {"type.with_words", "missing.blank", "missing.marker"}
    june = comb.table(columns={"v": [f" {texts[2]} ", "5", f"{texts[2]} or so", "", None]}).take_step(finding.remedy)
    assert june["v_number"].to_list() == [wanted[2], None, None, None, None]


@pytest.mark.parametrize("texts", LEFT.values(), ids=LEFT)
def test_what_is_something_else_or_has_a_finding_is_left(texts: list[str]) -> None:
    assert not comb.table(columns={"v": texts}).profile().of("type.with_words")


@pytest.mark.parametrize("more", ["3 combs", "1,250 jars full"])
def test_what_else_has_a_digit_is_for_a_person(more: str) -> None:
    texts = [f"{number} jars full" for number in range(2, 30)]
    [finding] = comb.table(columns={"v": [*texts, more]}).profile().of("type.with_words")
    assert finding.remedy is None and finding.by_hand
