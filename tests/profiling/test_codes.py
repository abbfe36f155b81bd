"""The table of all kinds of findings: nothing is found that it does not say, and the page on findings is made from it."""

import re
from pathlib import Path

import pytest

import comb
from comb.profiling.codes import CODES, as_markdown, code_of, explained
from comb.profiling.finding import Severity
from comb.steps.catalogue import STEPS

ROOT = Path(__file__).parents[2]
SOURCES = "\n".join(
    path.read_text(encoding="utf-8") for path in (ROOT / "src/comb/profiling").glob("*.py") if path.name != "codes.py"
)


def test_every_code_that_the_finders_use_is_explained_and_the_other_way_round() -> None:
    used = set(re.findall(r'"((?:missing|column|duplicate|text|type|value|relation|layout|series)\.[a-z_]+)"', SOURCES))
    assert used == set(CODES)


def test_the_page_on_findings_is_made_from_the_table() -> None:
    assert (ROOT / "docs" / "findings.md").read_text(encoding="utf-8") == as_markdown(), (
        "renew it: python -c 'from comb.profiling.codes import as_markdown; print(as_markdown(), end=str())' > docs/findings.md"
    )


@pytest.mark.parametrize("code", CODES)
def test_an_explanation_is_whole(code: str) -> None:
    one = code_of(code)
    assert (
        one.code == code and isinstance(one.severity, Severity) and one.together.count("{}") == 1
    ) or code.startswith("duplicate")
    assert len(explained(one)) >= 4 and all(part.endswith(".") and ".." not in part for part in explained(one))


# Parameters, and values of cells.
OTHER_WORDS = {"as_of", "by", "check", "decimal_mark", "group_mark", "invisible", "x", "yes"}


@pytest.mark.parametrize("code", CODES)
def test_every_finding_says_what_to_do_with_steps_that_there_are(code: str) -> None:
    one = code_of(code)
    assert one.remedy or one.by_hand
    named = set(re.findall(r"`([a-z_]+)`", f"{one.remedy} {one.by_hand}"))
    assert named <= set(STEPS) | OTHER_WORDS


def test_what_a_person_can_do_is_said_where_there_is_no_remedy() -> None:
    table = comb.table(columns={"kg": [20.5, 21.0, 22.5, 23.0, 24.5, None, 21.5, 22.0, 23.5, 20.0] * 3 + [999.5]})
    profile = table.profile()
    said = {one.code: one.by_hand for one in profile.findings}
    assert said["missing.blank"].startswith("fill from other rows") and "`" not in said["missing.blank"]
    assert all(bool(said[one.code]) == (one.remedy is None) for one in profile.findings)
    assert f"by hand: {said['value.outlier']}" in " ".join(str(profile).split())


def test_an_unknown_code_is_refused_with_the_nearest() -> None:
    with pytest.raises(comb.CombError) as caught:
        code_of("text.spell")
    assert "there is no code 'text.spell'" in str(caught.value) and "text.spelling" in str(caught.value)
