"""Texts that are the same but for two numbers."""

from pathlib import Path

import pytest

import comb
from support.drafts import drafted, in_formats

ONE = [46, 30, 52, 41, 38, 60, 35, 57]
TWO = [92, 45, 77, 66, 90, 81, 59, 70]
# How a pair is written, and what the numbers are times.
FORMS = {
    "money in thousands": ("${}K-${}K (Est.)", 1_000, 1_000),
    "money with thousands": ("${},000 - ${},500", 1_000, 1_000),
    "words": ("{} to {} kg", 1, 1),
    "words around": ("Frame {}, slot {}", 1, 1),
    "a unit behind": ("{} x {} cm", 1, 1),
    "a share": ("{} ({}%)", 1, 0.01),
    "an error": ("{}.5 ± {}.25", 1, 1),
    "a point on a map": ("POINT ({}.5 -{}.25)", 1, -1),
    "ranges": ("{}-{}", 1, 1),
    "pages": ("pp. {}–{}", 1, 1),
    "out of": ("place {} of {}", 1, 1),
    "signs of patterns": ("(a) {} to {} [b]? *", 1, 1),
}
OTHERS = {
    "classes": [f"{at * 5}-{at * 5 + 4} years" for at in range(12)],
    "parts of codes": [f"{at + 10}-{at * 37 % 900 + 100}" for at in range(30)],
    "more digits than a number has": [f"{'9' * 400}{at} to {'9' * 401} m" for at in range(9)],
    "powers of ten": [f"{at}.5E+{at + 3}" for at in range(10, 30)],
    "codes with a letter": [f"{at}B{at + 1}" for at in range(10, 30)],
    "hours": [f"from {at} AM until {at + 1} PM daily" for at in range(1, 9)],
    "days of one month": [f"by {at} March {at + 1990}" for at in range(1, 20)],
    "lots": [f"Lot {at}-{at * 37 % 90}" for at in range(30)],
    "models": [f"Hum i{at} {at * 1.5}GHz" for at in range(10)],
    "zeros in front": [f"{at} to 0{at}" for at in range(10)],
    "measures in two units": [f"5 ft {at} in" for at in range(10)],
    "multipliers without money": [f"{at}K to {at + 5}K" for at in range(10)],
    "texts that differ": [f"{at} of {at + 1} {'jars' if at % 2 else 'combs'}" for at in range(20)],
    "commas that could be two things": [f"{at},{at * 37 % 900 + 100} to {at},999 m" for at in range(1, 20)],
    "keys": [f"a {at} b: {at * 37 % 90}" for at in range(20)],
    "three numbers": [f"({at + 500}) {at * 37 % 900 + 100}-{at + 1000}" for at in range(20)],
    "few": ["3 to 5 kg", "4 to 9 kg"] * 9,
    "sentences": [f"we gave {at} jars of the best honey that there was to the school, and {at} to the mill" for at in range(9)],
}  # fmt: skip


@pytest.mark.parametrize(("form", "times_one", "times_two"), FORMS.values(), ids=FORMS)
def test_the_remedy_parts_them(tmp_path: Path, form: str, times_one: float, times_two: float) -> None:
    texts = [*(form.format(one, two) for one, two in zip(ONE, TWO, strict=True)), None]
    one, two = (0.5, 0.25) if ".5" in form else (0, 0.5) if ",500" in form else (0, 0)
    for table in in_formats(tmp_path, {"no": list("abcdefghi"), "v": texts}):
        [finding] = table.profile().of("text.number_pairs")
        assert finding.count == len(ONE) and finding.remedy is not None
        done = drafted(table, tmp_path)
        assert done["v_first"].to_list() == [*((number + one) * times_one for number in ONE), None]
        assert done["v_second"].to_list() == pytest.approx([*((number + two) * times_two for number in TWO), None])
    june = comb.table(columns={"v": [f" {texts[0]} ", "46", "by the mill", "", None]}).take_step(finding.remedy)
    for new in ("v_first", "v_second"):
        assert june[new].reasons()[:3] == [None, "undefined", "undefined"] and june[new].missing[1:].all()


def test_ranges_of_money_need_not_reach_into_each_other() -> None:
    texts = [f"${30 + at}K-${61 + at * 7 % 30}K" for at in range(20)]
    assert len(comb.table(columns={"v": texts}).profile().of("text.number_pairs")) == 1


@pytest.mark.parametrize("texts", OTHERS.values(), ids=OTHERS)
def test_what_is_one_thing_or_has_a_finding_is_left(texts: list[str]) -> None:
    assert not comb.table(columns={"v": texts}).profile().of("text.number_pairs")


def test_one_text_more_is_for_a_person() -> None:
    texts = [f"{one} to {two} kg" for one in ONE for two in TWO]
    [finding] = comb.table(columns={"v": [*texts, "much"]}).profile().of("text.number_pairs")
    assert finding.remedy is None and finding.by_hand and finding.count == len(texts)
