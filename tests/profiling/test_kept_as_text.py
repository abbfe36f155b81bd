"""Stand-ins, outliers and impossible values in columns that some words keep from being numbers or days."""

from pathlib import Path

import pytest

import comb
from comb.plans.draft import draft_plan

AGES = [str(20 + at % 40) for at in range(100)]
PRICES = [f"${20 + at % 40}.50" for at in range(100)]
DAYS = [f"2024-0{1 + at % 9}-1{at % 9}" for at in range(100)]

# The values of a column beside words, the code of what is found, and which of the values are concerned.
HIDDEN = {
    "a number for missing": ("age", [*AGES, *["999"] * 4], "missing.stand_in", ["999"] * 4),
    "with a unit": ("price", [*PRICES, *["$999.00"] * 4], "missing.stand_in", ["$999.00"] * 4),
    "a day for missing": ("day", [*DAYS, *["1900-01-01"] * 4], "missing.stand_in", ["1900-01-01"] * 4),
    "zeros": ("weight", [*AGES, *["0"] * 9], "missing.zeros", ["0"] * 9),
    "impossible": ("age", [*AGES, "210"], "value.impossible", ["210"]),
    "far outside": ("weight", [*AGES, "21000"], "value.outlier", ["21000"]),
    "in days to come": ("day", [*DAYS, "2031-05-01"], "value.future", ["2031-05-01"]),
}
WORDS = ["soon", "later", "by the keeper", "?? see log"] * 5


@pytest.mark.parametrize("ending", [".csv", ".xlsx", ".json"])
@pytest.mark.parametrize(("name", "values", "code", "expected"), HIDDEN.values(), ids=HIDDEN)
def test_they_are_found_beside_words(
    tmp_path: Path, name: str, values: list[str], code: str, expected: list[str], ending: str
) -> None:
    texts = [*WORDS, *values]
    comb.table(columns={"n": [at * at for at in range(len(texts))], name: texts}).save(tmp_path / f"t{ending}")
    table = comb.load(tmp_path / f"t{ending}")
    assert table[name].type.word == "string"
    found = [one for one in table.profile(as_of="2026-05-01").of(code) if one.columns == (name,)]
    [finding] = found
    column = table[name].to_list()
    assert [column[row - 1] for row in finding.rows.tolist()] == expected and finding.count == len(expected)
    assert f"once {name} is read as " in finding.text
    if finding.remedy is None:
        assert finding.by_hand
        return
    # Whether the column is converted before or not, and in the plan that is drafted.
    once = table.take_step(finding.remedy)[name]
    first = next(one.remedy for one in table.profile().of("type.unreadable") if one.columns == (name,))
    assert first is not None
    twice = table.take_step(first).take_step(finding.remedy)[name]
    gone = [at for at, reason in enumerate(once.reasons()) if reason == "marker"]
    assert [texts[at] for at in gone] == expected and once.to_list() == twice.to_list()
    assert once.reasons() == twice.reasons() and once.present.sum() == len(values) - len(expected)
    plan = tmp_path / "plan.yaml"
    plan.write_text(draft_plan(table, table.profile(), tmp_path).text.replace("  active: false\n", ""))
    [made] = comb.Plan.load(plan).run(dry_run=True).tables.values()
    assert made[name].present.sum() == len(values) - len(expected)


@pytest.mark.parametrize(
    "texts",
    [
        pytest.param([*AGES, *WORDS * 4, "999", "999", "999", "999"], id="many words"),
        pytest.param([*AGES, *WORDS], id="nothing unusual"),
        pytest.param(["12a", "14b", "9c"] * 30 + ["999"] * 4, id="codes"),
        pytest.param(WORDS, id="words alone"),
        pytest.param([], id="no rows"),
    ],
)
def test_of_other_texts_nothing_is_said(texts: list[str]) -> None:
    table = comb.table(columns={"age": texts}).convert({"age": "string"})
    assert not [one for one in table.profile().findings if "once age is" in one.text]


def test_a_column_with_a_unit_and_words_is_said_once() -> None:
    found = comb.table(columns={"price": [*PRICES, "free"]}).profile().of("type.unreadable")
    assert [getattr(one.remedy, "unit", None) for one in found] == ["$"]
