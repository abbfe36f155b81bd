"""Days, times and numbers with the same text around each of them."""

from collections.abc import Callable
from datetime import UTC, date, datetime, time
from pathlib import Path

import pytest

import comb
from support.drafts import drafted, in_formats

DAYS = range(3, 12)
MOMENTS: dict[str, tuple[str, Callable[[int], object]]] = {
    "a bracket": ("[{:02}/Nov/2026:10:11:32", lambda day: datetime(2026, 11, day, 10, 11, 32)),
    "words": ("since {} March 2020", lambda day: date(2020, 3, day)),
    "a month that is always the same": ("June {}, 2020 (Mill)", lambda day: date(2020, 6, day)),
    "parentheses": ("(2024-05-{:02})", lambda day: date(2024, 5, day)),
    "an apostrophe": ("o'clock: 2024-05-{:02}", lambda day: date(2024, 5, day)),
    "a half of the day": ("<{}:15 PM>", lambda day: time(day + 12, 15) if day < 12 else time(12, 15)),
    "a zone": ("at 2024-05-{:02}T10:00:00Z.", lambda day: datetime(2024, 5, day, 10, tzinfo=UTC)),
}
NUMBERS = {"angles": ("<{}>", 0), "braces": ("{{{}}}", 0), "backticks": ("`{}.5`", 0.5), "years": ("(19{:02})", 1900)}
BY_HAND = {"parentheses": "({}.25)", "whole": "({})", "a comma": "<{},125>"}
LEFT = {
    "codes": "INV-202405{:02}", "months of numbers": "R-2024-{:02}", "sections": "Room {}.15", "verses": "Gen {}:31",
    "a zone in words": "2024-05-{:02} 10:00 EST", "lists of JSON": "[{}]", "zeros in front": "(0{})", "units": "{} kg", "weekdays": "Mon, {} May 2024",
    "money": "($ {})",
}  # fmt: skip


@pytest.mark.parametrize(("form", "wanted"), MOMENTS.values(), ids=MOMENTS)
def test_moments_are_read_with_the_text_in_the_pattern(
    tmp_path: Path, form: str, wanted: Callable[[int], object]
) -> None:
    texts = [form.format(day) for day in DAYS]
    for table in in_formats(tmp_path, {"no": [f"r{day}" for day in DAYS] + ["x"], "seen": [*texts, None]}):
        [finding] = table.profile().of("type.enclosed")
        assert finding.count == len(texts)
        assert drafted(table, tmp_path)["seen"].to_list() == [*map(wanted, DAYS), None]
    # Next month's file has others, and none at all.
    made = comb.table(columns={"seen": [texts[0], "someday"]}).take_step(finding.remedy)
    assert made["seen"].reasons()[1] == "unreadable" and "someday" in made.sentence()
    assert comb.table(columns={"seen": [None, None]}).take_step(finding.remedy)["seen"].missing.all()


@pytest.mark.parametrize(("form", "more"), NUMBERS.values(), ids=NUMBERS)
def test_numbers_are_taken_out(tmp_path: Path, form: str, more: float) -> None:
    texts = [form.format(day) for day in DAYS]
    for table in in_formats(tmp_path, {"no": [f"r{day}" for day in DAYS] + ["x"], "v": [*texts, None]}):
        done = drafted(table, tmp_path)
        assert done["v_number"].to_list() == [*(day + more for day in DAYS), None]
        assert done["v"].to_list() == [*texts, None]
    made = comb.table(columns={"v": [texts[0], "5"]}).take_step(table.profile().of("type.enclosed")[0].remedy)
    assert made["v_number"].reasons() == [None, "undefined"]


@pytest.mark.parametrize("form", BY_HAND.values(), ids=BY_HAND)
def test_where_another_reading_is_as_good_there_is_no_step(tmp_path: Path, form: str) -> None:
    for table in in_formats(tmp_path, {"v": [form.format(day) for day in DAYS]}):
        [finding] = table.profile().of("type.enclosed")
        assert finding.remedy is None and finding.by_hand and table.types["v"].word == "string"


@pytest.mark.parametrize("form", LEFT.values(), ids=LEFT)
def test_what_is_something_else_is_left(form: str) -> None:
    assert (
        not comb.load(("v,w\n" + "".join(f'"{form.format(day)}",x\n' for day in DAYS)).encode())
        .profile()
        .of("type.enclosed")
    )


@pytest.mark.parametrize(
    ("texts", "values"),
    [
        # In accounts some are less than zero, or all have thousands, or are money.
        (["(5)", "7", "(8.5)"], [-5, 7, -8.5]),
        (["(1,250.50)", "(2,000.00)", "(300.25)"], [-1250.5, -2000, -300.25]),
        (["($5.20)", "($7.10)"], [-5.2, -7.1]),
        (["(5)", "(7)", "(8)"], ["(5)", "(7)", "(8)"]),
        (["(0.05)", "(1.25)", "-"], ["(0.05)", "(1.25)", "-"]),
    ],
)
def test_numbers_of_which_each_is_in_parentheses_are_not_guessed_to_be_negative(
    texts: list[str], values: list[object]
) -> None:
    text = "v;w\n" + "".join(f"{one};x\n" for one in texts)
    assert [one if isinstance(one, str) else float(one) for one in comb.load(text.encode())["v"].to_list()] == values
    asked = comb.load(text.encode(), types={"v": "number"})["v"].to_list()
    assert next(one for one in asked if one is not None) < 0
