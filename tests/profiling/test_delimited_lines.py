"""Lines of delimited text in one column become columns."""

from pathlib import Path

import pytest

import comb
from support.drafts import FORMATS

LINES = [f'{at},"Reed, Ann",{at}.5' for at in range(1, 9)]


@pytest.mark.parametrize("suffix", [*FORMATS, "quoted"])
def test_they_are_split_at_the_mark_and_then_typed(tmp_path: Path, suffix: str) -> None:
    if suffix == "quoted":
        place = tmp_path / "t.csv"
        doubled = [line.replace('"', '""') for line in ["id,name,kg", *LINES]]
        place.write_text("".join(f'"{line}"\n' for line in doubled))
    else:
        place = tmp_path / f"t{suffix}"
        comb.table(columns={"id,name,kg": LINES}).save(place)
    table = comb.load(place)
    profile = table.profile()
    [finding] = profile.of("layout.delimited_lines")
    assert finding.count == len(LINES) and not profile.of("text.number_pairs")
    done = table.take_step(finding.remedy)
    for other in done.profile().of("type.text_numbers"):
        done = done.take_step(other.remedy)
    assert done.names == ("id", "name", "kg") and done["id"].to_list() == list(range(1, 9))
    assert done["name"].to_list() == ["Reed, Ann"] * 8 and sum(done["kg"].to_list()) == sum(range(1, 9)) + 4
    # Next month's file has a line that is cut off, one with more, and an empty one.
    june = comb.table(columns={"id,name,kg": ["1,Moss", LINES[0] + ",x,y", None]}).take_step(finding.remedy)
    assert june["kg"].to_list() == [None, "1.5,x,y", None] and "2 rows do not have 3 parts" in june.sentence()


def test_a_header_of_its_own_names_the_parts() -> None:
    text = "id,name,kg\n" + "".join(f'"{at},Reed,{at}.5"\n' for at in range(1, 9))
    table = comb.load(text.encode())
    [finding] = table.profile().of("layout.delimited_lines")
    assert "nothing is in 2 other columns" in finding.text
    done = table.take_step(finding.remedy)
    assert done.names == ("id", "name (2)", "kg (2)", "name", "kg") and done["kg (2)"].to_list()[0] == "1.5"


def test_lines_without_names_have_numbered_parts(tmp_path: Path) -> None:
    comb.table(columns={"line": LINES}).save(tmp_path / "t.xlsx")
    [finding] = comb.load(tmp_path / "t.xlsx").profile().of("layout.delimited_lines")
    assert finding.remedy.new_columns == ["part 1", "part 2", "part 3"]


@pytest.mark.parametrize(
    ("name", "texts"),
    [
        ("keeper", ["Reed, Ann", "Moss, Tom", "Lund, Bo"] * 3),
        ("note", ["swarm, fed, calm", "fed, calm, late", "one, two, three"] * 3),
        ("note", ["calm", "fed", "late"] * 3),
        ("place, year", ["Mill", "Fox", "Oak"] * 3),
        ("a,b,c", ["1,2", "1,2,3", "4"] * 3),
        ("n", ["1,5", "2,5"] * 5),
        ("n", []),
    ],
)
def test_texts_with_commas_are_left(name: str, texts: list[str]) -> None:
    assert not comb.table(columns={name: texts}).profile().of("layout.delimited_lines")


@pytest.mark.parametrize("wrong", [{"quote": '""'}, {"quote": '"', "side": "right"}, {"quote": '"', "mark": "||"}])
def test_a_quote_that_cannot_be_is_said(wrong: dict[str, str]) -> None:
    with pytest.raises(comb.CombError, match="a quote of one character"):
        comb.table(columns={"x": ["1,2"]}).split("x", ["a", "b"], **{"mark": ",", **wrong})
