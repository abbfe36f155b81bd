"""Measures in two units, as text, become numbers in the smaller one."""

from pathlib import Path

import pytest

import comb
from comb.plans.draft import draft_plan

# Texts of a column, the name of the unit, and the numbers that they are.
MEASURES = {
    "marks": (["5'11\"", "6'0\"", "4'7\"", "5'2\"", "5'3\"", "5'10\""], "inches", [71, 72, 55, 62, 63, 70]),
    "typographic marks": (["5′11″", "6′0″", "4′7″", "5′2″", "5′3″"], "inches", [71, 72, 55, 62, 63]),
    "without the second mark": (["5'11", "6'0", "4'7", "5'2", "5'3"], "inches", [71, 72, 55, 62, 63]),
    "feet and inches": (["5 ft 11 in", "6 ft 0.5 in", "7 ft"], "inches", [71, 72.5, 84]),
    "pounds": (["4 lb 3 oz", "1 lb, 15 oz", "2lbs 1oz"], "ounces", [67, 31, 33]),
    "kilogrammes": (["4 kg 300 g", "1 kg 5 g"], "grams", [4300, 1005]),
    "metres": (["1 m 75 cm", "2m 05cm"], "centimetres", [175, 205]),
    "years": (["1 year 1 month", "2 years and 3 months", "2 years"], "months", [13, 27, 24]),
    "weeks": (["32w 4d", " 8w 0d "], "days", [228, 56]),
    "stones": (["11 st 4 lb", "9 st 13 lb"], "pounds", [158, 139]),
    "with words for missing": (["4 lb 3 oz", "n/a"], "ounces", [67, None]),
}
OTHERS = {
    "minutes and seconds": ["5'59\"", "6'14\"", "4'41\"", "5'20\"", "5'33\""],
    "few marks": ["5'1\"", "6'2\""],
    "one unit": ["3 lb", "4 lb"],
    "too many of the smaller": ["4 lb 30 oz", "3 lb 20 oz"],
    "words": ["4 lb of 3 kinds", "2 lb of 1 kind"],
    "angles": ["47°26'", "12°10'"],
    "no texts": [],
}


def column_of(texts: list[str]) -> comb.Table:
    return comb.table(columns={"size": texts * 12, "n": [at * at for at in range(len(texts) * 12)]})


@pytest.mark.parametrize(("texts", "unit", "numbers"), MEASURES.values(), ids=MEASURES)
def test_the_remedy_calculates_the_numbers(
    tmp_path: Path, texts: list[str], unit: str, numbers: list[float | None]
) -> None:
    table = column_of(texts)
    [finding] = table.profile().of("type.compound_units")
    assert finding.count == 12 * sum(number is not None for number in numbers) and finding.remedy is not None
    assert table.take_step(finding.remedy)[f"size_{unit}"].to_list() == numbers * 12
    for ending in (".csv", ".xlsx"):
        table.save(tmp_path / f"t{ending}")
        loaded = comb.load(tmp_path / f"t{ending}")
        (tmp_path / "plan.yaml").write_text(draft_plan(loaded, loaded.profile(), tmp_path).text)
        [done] = comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True).tables.values()
        assert done[f"size_{unit}"].to_list() == numbers * 12
    # What is built otherwise next month has no number, and is said to have none.
    june = comb.table(columns={"size": [texts[0], "tall"]}).take_step(finding.remedy)
    assert june[f"size_{unit}"].to_list() == [numbers[0], None] and june[f"size_{unit}"].reasons()[1] == "undefined"
    assert f"1 result of size_{unit} does not exist" in june.sentence().replace("\n", " ")


@pytest.mark.parametrize("texts", OTHERS.values(), ids=OTHERS)
def test_what_is_something_else_is_left(texts: list[str]) -> None:
    assert not column_of(texts).profile().of("type.compound_units")


def test_whole_feet_next_month() -> None:
    [finding] = column_of(["5 ft 11 in", "6 ft 1 in"]).profile().of("type.compound_units")
    june = comb.table(columns={"size": ["6 ft", "5 ft 2 in", "70 in", "7"]}).take_step(finding.remedy)["size_inches"]
    assert june.to_list() == [72, 62, None, None] and june.reasons()[2:] == ["undefined"] * 2


def test_other_texts_among_them_leave_no_step() -> None:
    [finding] = (
        comb.table(columns={"size": [*["4 lb 3 oz", "2 lb 1 oz"] * 12, "heavy"]}).profile().of("type.compound_units")
    )
    assert finding.remedy is None and finding.count == 24 and finding.by_hand
