"""Numbers shortened by words for thousands and millions, and numbers with a unit among words."""

from decimal import Decimal
from pathlib import Path

import pytest

import comb
from comb.plans.draft import draft_plan
from comb.profiling.multipliers import MULTIPLIERS

# The texts of a column, and the numbers that they are.
SHORTENED = {
    "letters": (["1.2M", "350K", "980", "-4.5M"], [1_200_000, 350_000, 980, -4_500_000]),
    "small letters": (["1.5m", "12.5k", "870"], [1_500_000, 12_500, 870]),
    "thousands alone": (["12.5k", "1.25k", "3.5k", "700"], [12_500, 1_250, 3_500, 700]),
    "money before": (["$1.1M", "$900", "$12K"], [1_100_000, 900, 12_000]),
    "money in some": (["$1.1M", "900", "12K", "$700"], [1_100_000, 900, 12_000, 700]),
    "money behind": (["1.5 Mio. €", "250 Tsd. €", "90 €"], [1_500_000, 250_000, 90]),
    "one word and money": (["$3.5M", "$4.25M"], [3_500_000, 4_250_000]),
    "words": (["1.5 million", "20 thousand", "75"], [1_500_000, 20_000, 75]),
    "decimal commas": (["1,5 Mio.", "2,25 Mrd.", "12"], [1_500_000, 2_250_000_000, 12]),
    "commas between thousands": (["1,200", "1.5M", "350.5K"], [1_200, 1_500_000, 350_500]),
    "spaces": ([" 1.5 M", "350 K ", "90"], [1_500_000, 350_000, 90]),
    "words for those of India": (
        ["1.5 Lakh", "2.25 Cr", "17 Lakhs", "3 crore"],
        [150_000, 22_500_000, 1_700_000, 30_000_000],
    ),
    "words that are no numbers": (["$1.5M", "$861,000", "on request", "$2M"], [1_500_000, 861_000, None, 2_000_000]),
    "with words for missing": (["1.5M", "350K", "n/a"], [1_500_000, 350_000, None]),
}
# What may be something else.
NO_NUMBERS = {
    "houses": ["12B", "14", "3K", "25M"],
    "houses of three": ["12", "14B", "3B", "25"],
    "lengths": ["1.5m", "2.5m", "3.5m", "2.25m"],
    "codes": ["K12", "M3", "12K7"],
    "words": ["12 Oak", "13 Elm", "1 Kiln"],
    "runs among words": ["5K", "10K", "Marathon", "Half"],
    "credit": ["1.5 Cr", "2.25 Cr", "3 Cr"],
    "two currencies": ["$1.5M", "€2.5M", "$3K"],
}


def column_of(texts: list[str], more: int = 12) -> comb.Table:
    return comb.table(columns={"x": texts * more, "n": list(range(len(texts) * more))})


@pytest.mark.parametrize(("texts", "numbers"), SHORTENED.values(), ids=SHORTENED)
def test_the_remedy_calculates_the_numbers(tmp_path: Path, texts: list[str], numbers: list[float | None]) -> None:
    table = column_of(texts)
    [finding] = table.profile().of("type.multipliers")
    shortened = [
        text for text in texts if any(word in text for word in MULTIPLIERS) and text not in ("n/a", "on request")
    ]
    assert finding.remedy is not None and finding.count == 12 * len(shortened)
    assert table.take_step(finding.remedy)["x_number"].to_list() == numbers * 12
    # From a file, by the plan that is drafted from it; and on next month's, with a number that is larger yet.
    table.save(tmp_path / "x.csv")
    loaded = comb.load(tmp_path / "x.csv", types={"x": "string"})
    plan = tmp_path / "plan.yaml"
    plan.write_text(draft_plan(loaded, loaded.profile(), tmp_path).text)
    assert comb.Plan.load(plan).run(dry_run=True).tables["x"]["x_number"].to_list() == numbers * 12
    june = texts[0].replace("1", "7")
    comb.table(columns={"x": [june, "(x)"], "n": [1, 2]}).save(tmp_path / "june.csv")
    later = comb.Plan.load(plan).run(dry_run=True, sources={"x": str(tmp_path / "june.csv")}).tables["x"]
    assert later["x_number"].reasons() == [None, "unreadable"] and later["x_number"].to_list()[0] >= numbers[0]


@pytest.mark.parametrize("texts", NO_NUMBERS.values(), ids=NO_NUMBERS)
def test_what_may_be_something_else_is_left(texts: list[str]) -> None:
    assert not column_of(texts).profile().of("type.multipliers")


def test_one_text_more_and_the_choice_is_not_its_own() -> None:
    [finding] = column_of(["1.5M", "350K", "12K", "90", "7.5K", "8K", "9K", "1M", "2M", "3M", "(4M)"]).profile().of("type.multipliers")  # fmt: skip
    assert finding.remedy is None and "recode" in finding.by_hand


# The numbers, the words among them, and what the step makes of a number.
AMONG_WORDS = {
    "money": (["$1,200.50", "$85.00"], "free", [Decimal("1200.50"), Decimal("85.00")]),
    "a unit": (["97 kg", "62 kg"], "light", [97, 62]),
    "decimal commas": (["19,5 kg", "42,5 kg"], "leicht", [Decimal("19.5"), Decimal("42.5")]),
    "per cent": (["45%", "7%"], "most", [Decimal("0.45"), Decimal("0.07")]),
}


@pytest.mark.parametrize(("texts", "word", "numbers"), AMONG_WORDS.values(), ids=AMONG_WORDS)
def test_words_among_numbers_with_a_unit(texts: list[str], word: str, numbers: list[object]) -> None:
    table = column_of([*texts, *texts, word])
    profile = table.profile()
    [finding] = profile.of("type.unreadable")
    assert (
        finding.count == 12
        and finding.rows.tolist() == [5 * at for at in range(1, 13)]
        and not profile.of("text.pattern")
    )
    read = table.take_step(finding.remedy)
    assert read["x"].to_list()[:5] == [*numbers, *numbers, None] and read["x"].kept.texts[4] == word
    assert f"{word!r} (12)" in read.sentence()


def test_marks_that_can_be_read_in_two_ways_have_no_step() -> None:
    [finding] = column_of(["$1,200", "$3,400", "free"]).profile().of("type.unreadable")
    assert finding.remedy is None and "its marks could be thousands separators or decimal marks" in finding.text


def test_yes_and_no_beside_one_and_nought_are_told_once() -> None:
    codes = {finding.code for finding in column_of(["TRUE", "FALSE", "1", "0"]).profile().findings if finding.columns == ("x",)}  # fmt: skip
    assert codes == {"type.booleans"}
