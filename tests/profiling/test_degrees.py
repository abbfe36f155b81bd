"""Degrees, minutes and seconds as text become degrees."""

from pathlib import Path

import pytest

import comb
from comb.plans.draft import draft_plan

NORTH = 47 + 26 / 60 + 52 / 3600
# Two texts of a column, and the degrees that they are.
PLACES = {
    "seconds": (["47°26'52\"N", "7°05'09\"S"], [NORTH, -(7 + 5 / 60 + 9 / 3600)]),
    "signs of their own": (["47°26′52″N", "48°00′00.5″N"], [NORTH, 48 + 0.5 / 3600]),
    "two apostrophes": (["47°26'52''E", "120°59'59''W"], [NORTH, -(120 + 59 / 60 + 59 / 3600)]),
    "minutes only": (["47° 26.5' N", "12° 7.25' S"], [47 + 26.5 / 60, -(12 + 7.25 / 60)]),
    "without a side": (["47°26'52\"", "8°30'00\""], [NORTH, 8.5]),
    "with and without seconds": (["47°26'52\"N", "8°30'N"], [NORTH, 8.5]),
    "signs that differ": (["47°26′52″N", "8°30'00\"N"], [NORTH, 8.5]),
    "spaces": ([" 47° 26' 52\" W", "8° 30' 0\" W "], [-NORTH, -8.5]),
}
# What has no formula that is right for all.
OPEN = {
    "east or west": ["47°26'52\"O", "8°30'00\"O"],
    "both coordinates": ["47°26'52\"N", "8°30'00\"E"],
}


def column_of(texts: list[str]) -> comb.Table:
    return comb.table(columns={"site": [f"s{at}" for at in range(8)], "place": texts * 4})


@pytest.mark.parametrize(("texts", "numbers"), PLACES.values(), ids=PLACES)
def test_the_remedy_calculates_degrees(tmp_path: Path, texts: list[str], numbers: list[float]) -> None:
    table = column_of(texts)
    [finding] = table.profile().of("type.degrees")
    assert finding.count == 8
    assert table.take_step(finding.remedy)["place_degrees"].to_list() == pytest.approx(numbers * 4, rel=1e-14)
    table.save(tmp_path / "t.xlsx")
    loaded = comb.load(tmp_path / "t.xlsx")
    (tmp_path / "plan.yaml").write_text(draft_plan(loaded, loaded.profile(), tmp_path).text)
    [done] = comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True).tables.values()
    assert done["place_degrees"].to_list() == pytest.approx(numbers * 4, rel=1e-14)
    # Next month's place is on the other side of the earth.
    other = comb.table(columns={"place": [texts[0].strip().rstrip("NSEW").strip() + "S"]}).take_step(finding.remedy)
    assert other["place_degrees"].to_list() == pytest.approx([-abs(numbers[0])], rel=1e-14)


def test_words_for_missing_among_them_and_odd_texts_next_month() -> None:
    [finding] = column_of(["47°26'52\"", "n/a"]).profile().of("type.degrees")
    assert finding.remedy is not None and finding.count == 4
    june = comb.table(columns={"place": ["47°26'52\"", "by the mill"]}).take_step(finding.remedy)
    assert june["place_degrees"].reasons() == [None, "undefined"]
    assert "1 result of place_degrees does not exist" in june.sentence().replace("\n", " ")


@pytest.mark.parametrize("texts", OPEN.values(), ids=OPEN)
def test_what_is_open_is_told_without_a_step(texts: list[str]) -> None:
    [finding] = column_of(texts).profile().of("type.degrees")
    assert finding.remedy is None and "O" in finding.by_hand


@pytest.mark.parametrize(
    "texts", [["21°C", "7 °C"], ["5'11\"", "6'2\""], ["190°26'52\"N", "200°0'0\"N"], ["47°", "12°"]]
)
def test_what_is_something_else_is_left(texts: list[str]) -> None:
    assert not column_of(texts).profile().of("type.degrees")
