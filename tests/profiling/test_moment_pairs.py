"""Two days or times in a cell become two columns, and these what they are."""

from collections.abc import Callable
from datetime import date, datetime, time
from pathlib import Path

import pytest

import comb
from support.drafts import drafted, in_formats

DAYS = range(3, 12)
FORMS: dict[str, tuple[str, Callable[[int], object], Callable[[int], object]]] = {
    "a dash": ("2024-05-{0:02} - 2024-06-{0:02}", lambda day: date(2024, 5, day), lambda day: date(2024, 6, day)),
    "a long dash": ("{0:02}.05.2024–3{1}.05.2024", lambda day: date(2024, 5, day), lambda day: date(2024, 5, 30 + day % 2)),
    "a stroke": ("2024-05-{0:02}/2024-06-{0:02}", lambda day: date(2024, 5, day), lambda day: date(2024, 6, day)),
    "a word": ("May {0}, 2024 to June {0}, 2024", lambda day: date(2024, 5, day), lambda day: date(2024, 6, day)),
    "hours": ("{0:02}:00-1{1}:30", lambda day: time(day), lambda day: time(10 + day % 2, 30)),
    "halves of the day": ("{0}:00 AM - {0}:30 PM", lambda day: time(day), lambda day: time(12 + day, 30)),
    "hours without minutes": ("{0} AM - {0} PM", lambda day: time(day), lambda day: time(12 + day)),
    "moments": ("2024-05-{0:02} 10:00, 2024-05-{0:02} 11:30", lambda day: datetime(2024, 5, day, 10), lambda day: datetime(2024, 5, day, 11, 30)),
    "a remark": ("June {0}, 2020 (Mill {1})", lambda day: date(2020, 6, day), lambda day: f"Mill {day % 2}"),
}  # fmt: skip
LEFT = {
    "days with dashes": "2024-05-{0:02}", "years": "19{0:02}-20{0:02}", "numbers": "{0}-{1}", "one day": "by May {0}, 2024",
    "three": "{0}:10-{0}:20-{0}:30", "decimals": "{0}.5 - 1{0}.5", "days without years": "{0}.5. - {0}.6.",
    "a code": "202405{0:02}-202406{0:02}", "words": "Mill {0} - Fox {0}", "a remark alone": "Mill {0} (north)",
}  # fmt: skip


@pytest.mark.parametrize(("form", "one", "two"), FORMS.values(), ids=FORMS)
def test_they_are_split_and_converted(
    tmp_path: Path, form: str, one: Callable[[int], object], two: Callable[[int], object]
) -> None:
    texts = [form.format(day, day % 2) for day in DAYS]
    for table in in_formats(tmp_path, {"no": [f"r{day}" for day in DAYS] + ["x"], "v": [*texts, None]}):
        [finding] = table.profile().of("text.moment_pairs")
        assert finding.count == len(texts)
        done = drafted(table, tmp_path)
        first, second = finding.remedy.new_columns
        assert done[first].to_list() == [*map(one, DAYS), None] and done[second].to_list() == [*map(two, DAYS), None]
        assert done["v"].to_list() == [*texts, None]
    june = comb.table(columns={"v": [texts[0], "closed", None]}).take_step(finding.remedy)
    assert june[second].missing.tolist() == [False, True, True]
    assert "1 row does not have 2 parts" in june.sentence().replace("\n", " ")


@pytest.mark.parametrize("form", LEFT.values(), ids=LEFT)
def test_what_is_something_else_is_left(form: str) -> None:
    assert (
        not comb.table(columns={"v": [form.format(day, day % 2 + day) for day in DAYS]})
        .profile()
        .of("text.moment_pairs")
    )


def test_which_is_the_day_is_left_open() -> None:
    table = comb.table(columns={"v": [f"{day}/4/2024 - {day}/5/2024" for day in DAYS]})
    [finding] = table.profile().of("text.moment_pairs")
    done = table.take_step(finding.remedy)
    assert {one.code for one in done.profile().findings if one.columns != ("v",)} >= {"type.ambiguous_dates"}
