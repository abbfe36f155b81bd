"""Two numbers in a cell become two columns."""

import re
from pathlib import Path

import pytest

import comb
from comb.plans.draft import draft_plan

ONE = [50.0436, -3.5, 51.25, 49.5, 50.125, 52.0625, 48.75, 50.875]
TWO = [-1.0358, 2.0, 0.125, -2.5, 3.75, 1.25, -0.0625, 4.5]
# How a pair is written.
FORMS = {
    "a comma and a space": "{}, {}", "a comma": "{},{}", "a semicolon": "{};{}", "a stroke": "{} / {}", "a cross": "{} x {}",
    "a space": "{} {}", "brackets": "({}, {})", "square brackets": "[{};{}]", "spaces outside": " {}, {} ",
}  # fmt: skip
OTHERS = {
    "parts of a house": ["120/1", "118/3", "130/2", "110/12", "125/7", "140/5", "121/6", "119/4"],
    "seasons": [f"{year}/{year % 100 + 1}" for year in range(1990, 1999)],
    "days and months": [f"{at}/{at % 9 + 1}" for at in range(11, 30)],
    "ranges": [f"{at * 5}-{at * 5 + 4}" for at in range(12)],
    "times": [f"{at}:{at * 7 % 60:02d}" for at in range(24)],
    "results without a nought": ["3-1", "1-3", "2-1", "1-2", "4-1", "1-4", "3-2", "2-3"],
    "days of one month": [f"{at}/12" for at in range(1, 12)],
    "more than there is": [f"{at * 7}/50" for at in range(12)],
    "years": [f"{at}/2024" for at in range(1, 12)],
    "decimal commas": ["1,25", "2,5", "3,75", "4,125", "5,5", "6,25", "7,0", "8,5"],
    "few": ["1.5, 2.5", "2.5, 3.5"] * 4,
    "marks that differ": ["1.5, 2", "2.5; 3", "3.5 / 4", "4.5, 5", "5.5, 6", "6.5, 7", "7.5, 8", "8.5, 9"],
    "three numbers": [f"{at}.5, 2, 3" for at in range(9)],
    "spaces between thousands": [f"{at} {at * 37 % 900 + 100}.50" for at in range(1, 20)],
    "open brackets": [f"({at}.5, 2" for at in range(9)],
    "no texts": [],
}


@pytest.mark.parametrize("form", FORMS.values(), ids=FORMS)
def test_the_remedy_parts_them(tmp_path: Path, form: str) -> None:
    texts = [form.format(one, two) for one, two in zip(ONE, TWO, strict=True)]
    table = comb.table(columns={"site": list("abcdefgh"), "place": texts})
    [finding] = table.profile().of("text.number_pairs")
    assert finding.count == 8 and finding.remedy is not None
    for ending in (".xlsx", ".json"):
        table.save(tmp_path / f"t{ending}")
        loaded = comb.load(tmp_path / f"t{ending}")
        (tmp_path / "plan.yaml").write_text(draft_plan(loaded, loaded.profile(), tmp_path).text)
        [done] = comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True).tables.values()
        assert done["place_first"].to_list() == ONE and done["place_second"].to_list() == TWO
    june = comb.table(columns={"place": [texts[0], "by the mill"]}).take_step(finding.remedy)
    assert june["place_first"].to_list() == [ONE[0], None] and june["place_second"].to_list() == [TWO[0], None]
    assert june["place_first"].reasons()[1] == june["place_second"].reasons()[1] == "undefined"
    assert "1 result of place_first does not exist" in june.sentence().replace("\n", " ")


def test_decimal_commas_with_another_mark_between() -> None:
    texts = [f"{one};{two}".replace(".", ",") for one, two in zip(ONE, TWO, strict=True)]
    [finding] = comb.table(columns={"place": texts}).profile().of("text.number_pairs")
    made = comb.table(columns={"place": texts}).take_step(finding.remedy)
    assert made["place_first"].to_list() == ONE and made["place_second"].to_list() == TWO


WHOLE = {
    "pressures": ["120/80", "118/75", "130/85", "110/70", "99/62", "140/90", "121/79", "119/78"],
    "points": [f"{at * 7 % 60 + 35}/100" for at in range(8)],
    "results": ["3-1", "0-2", "1-1", "4-0", "2-3", "0-0", "1-0", "0-4"],
    "results with colons": ["3:1", "0:2", "1:1", "4:0", "2:3", "0:0", "1:0", "10:4"],
    "points of different sums": [f"{at} of {10 + at}" for at in range(8)],
    "points in words": [f"{at}  out of 20" for at in range(8)],
    "sides": ["30 x 45", "20 x 30", "30 x 40", "10 x 15", "60 x 45", "24 x 30", "13 x 18", "50 x 70"],
}


@pytest.mark.parametrize("texts", WHOLE.values(), ids=WHOLE)
def test_whole_numbers_where_their_values_or_a_cross_show_it(texts: list[str]) -> None:
    table = comb.table(columns={"size": [*texts, None] * 3})
    [finding] = table.profile().of("text.number_pairs")
    made = table.take_step(finding.remedy)
    pairs = [tuple(map(int, re.findall("[0-9]+", text))) for text in texts]
    assert made["size_first"].to_list()[:8] == [one for one, _ in pairs]
    assert made["size_second"].to_list()[:8] == [two for _, two in pairs] and made["size_second"].missing_count == 3


@pytest.mark.parametrize("texts", OTHERS.values(), ids=OTHERS)
def test_what_is_something_else_is_left(texts: list[str]) -> None:
    assert not comb.table(columns={"place": texts, "n": list(range(len(texts)))}).profile().of("text.number_pairs")


@pytest.mark.parametrize("mark", [",", "."])
def test_marks_that_could_be_between_thousands_are_not_guessed_at(mark: str) -> None:
    texts = [f"{at}{mark}{at * 37 % 900 + 100}; {at + 1}{mark}{at * 41 % 900 + 100}" for at in range(1, 20)]
    [finding] = comb.table(columns={"place": texts}).profile().of("text.number_pairs")
    assert finding.remedy is None and finding.by_hand


def test_other_texts_among_them_leave_no_step() -> None:
    texts = [f"{one}, {two}" for one, two in zip(ONE, TWO, strict=True)] * 2
    [finding] = comb.table(columns={"place": [*texts, "unknown site"]}).profile().of("text.number_pairs")
    assert finding.remedy is None and finding.count == 16 and finding.by_hand
