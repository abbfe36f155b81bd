"""Records whose fields stand below each other: `to_wide` from the field with which each begins, and the finding."""

from pathlib import Path

import pytest

import comb

CARDS = "Name: Ada\nHives: 7\nTown: Lund\nName: Bo\nHives: 12\nName: Cy\nHives: 3\nTown: Ulm\nSince: 2019-05-04\n"


def cards(tmp_path: Path, text: str = CARDS) -> comb.Table:
    (tmp_path / "cards.txt").write_text(text)
    return comb.load(tmp_path / "cards.txt")


def test_the_remedy_puts_each_record_into_a_row(tmp_path: Path) -> None:
    table = cards(tmp_path)
    [finding] = table.profile().of("layout.stacked_fields")
    assert finding.count == 9 and "3 records" in finding.text
    # Two records from one town are no copies of rows.
    assert not cards(tmp_path, CARDS * 2).profile().of("duplicate.rows")
    table = cards(tmp_path)
    made = table.trim("_col.2").take_step(finding.remedy)
    assert made.names == ("Name", "Hives", "Town", "Since") and made["Name"].to_list() == ["Ada", "Bo", "Cy"]
    assert made["Town"].reasons() == [None, "absent", None] and made.row_numbers.tolist() == [1, 2, 3]
    assert made.trace(3, "Hives")[0].place == "cards.txt, line 7"
    # As a plan, on another file, and on one without a record.
    step = "steps: [{step: to_wide, heading_column: _col.1, value_column: _col.2, begins: Name}]"
    (tmp_path / "plan.yaml").write_text(f"source: cards.txt\nreading: {{header: 0, delimiter: ':'}}\n{step}\n")
    plan = comb.Plan.load(tmp_path / "plan.yaml")
    assert plan.run(dry_run=True).tables["cards"].row_count == 3
    (tmp_path / "more.txt").write_text("Town: Kiel\nName: Dot\nName: Eli\nTown: Ahus\n")
    more = plan.run(dry_run=True, sources={"cards": str(tmp_path / "more.txt")}).tables["cards"]
    assert more["Name"].to_list() == [None, " Dot", " Eli"] and more["Town"].to_list() == [" Kiel", None, " Ahus"]


def test_what_cannot_be_is_refused(tmp_path: Path) -> None:
    table = cards(tmp_path)
    with pytest.raises(comb.ParameterError, match=r"no cell of _col.1 is 'Nane'.*\n.*did you mean 'Name'"):
        table.to_wide(heading_column="_col.1", value_column="_col.2", begins="Nane")
    with pytest.raises(comb.ParameterError, match="by and begins both say"):
        table.to_wide(heading_column="_col.1", value_column="_col.2", begins="Name", by="_col.1")
    with pytest.raises(comb.ParameterError, match=r"1 row has a place that another row has: rows 4 and 6"):
        table.filter("\"_col.1\" = 'Name' or \"_col.1\" = 'Town'").to_wide(
            heading_column="_col.1", value_column="_col.2", begins="Town"
        )
    none = table.filter("\"_col.1\" = '?'").to_wide(heading_column="_col.1", value_column="_col.2", begins="Name")
    assert none.row_count == 0


# One measure for each month; the same field twice; one kind of words.
OTHERS = {
    "months": "month,kg\n" + "".join(f"{month},{at}x\n" for at in range(4) for month in ("jan", "feb", "mar")),
    "a field twice": "a,b\n" + "Name,Ada\nHives,7\nHives,8\n" * 4,
    "words only": "a,b\n" + "Name,Ada\nTown,Lund\n" * 4,
}


@pytest.mark.parametrize("text", OTHERS.values(), ids=OTHERS)
def test_what_is_no_record_is_left(tmp_path: Path, text: str) -> None:
    (tmp_path / "t.csv").write_text(text)
    assert not comb.load(tmp_path / "t.csv").profile().of("layout.stacked_fields")
