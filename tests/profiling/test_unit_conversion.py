"""Numbers with several units in one column: brought to one, where that is exact and certain."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.plans.draft import draft_plan

CONVERTED = {
    "prefixes": (["5 kg", "700 g", "0.3 t", "9kg", "-2 kg"], "w_kg", [5, 0.7, 300, 9, -2]),
    "one ends with another": (["3 m", "20 cm", "1 km", "2 m"], "w_m", [3, 0.2, 1000, 2]),
    "minutes and hours": (["90 min", "1.5 h", "2 min"], "w_min", [90, 90, 2]),
    "other signs": (["5 mg", "7 µg", "3 mg"], "w_mg", [5, 0.007, 3]),
    "inches": (["30 cm", "12 in", "1 cm"], "w_cm", [30, 30.48, 1]),
    "decimal commas": (["1,5 kg", "700 g", "2,25 kg"], "w_kg", [1.5, 0.7, 2.25]),
    "spaces at the ends": (["5 kg ", " 700 g", "1 kg"], "w_kg", [5, 0.7, 1]),
    "thousands or decimals": (["1,500 kg", "700 g", "2,250 kg"], "", []),
    "shares": (["45%", "0.5", "38 %", "0.41"], "w_number", [0.45, 0.5, 0.38, 0.41]),
    "shares with commas": (["45%", "0,5", "38 %", "0,41"], "w_number", [0.45, 0.5, 0.38, 0.41]),
}

# What is brought to no unit: the numbers, and the units.
APART = {
    "areas": (["5 m²", "7 cm²", "3 m²"], [5, 7, 3], ["m²", "cm²", "m²"]),
    "another quantity": (["5 kg", "7 m", "8 kg"], [5, 7, 8], ["kg", "m", "kg"]),
    "no unit": (["5 kg", "7000", "8 kg"], [5, 7000, 8], ["kg", None, "kg"]),
    "per cent or shares": (["5%", "0.5", "80%", "30%"], [5, 0.5, 80, 30], ["%", None, "%", "%"]),
    "temperatures": (["3 °C", "-5 °F", " 7.5°C "], [3, -5, 7.5], ["°C", "°F", "°C"]),
    "currencies on both sides": (["$12.50", "5 USD", "€ 7"], [12.5, 5, 7], ["$", "USD", "€"]),
    "thousands": (["1,234.50 CR", "20.00 DR", "5 CR"], [1234.5, 20, 5], ["CR", "DR", "CR"]),
    "decimal commas": (["1.234,50 EUR", "20,00 CHF"], [1234.5, 20], ["EUR", "CHF"]),
    "spaces between thousands": (["1 234,50 EUR", "20,00 CHF"], [1234.5, 20], ["EUR", "CHF"]),
}


@pytest.mark.parametrize(("texts", "numbers", "units"), APART.values(), ids=APART)
def test_else_number_and_unit_become_columns(
    texts: list[str], numbers: list[float], units: list[str | None], tmp_path: Path
) -> None:
    for ending in (".csv", ".xlsx", ".json"):
        comb.table(columns={"id": [f"r{at}" for at in range(4 * len(texts))], "w": texts * 4}).save(
            tmp_path / f"t{ending}"
        )
        table = comb.load(tmp_path / f"t{ending}")
        [finding] = table.profile().of("type.units")
        (tmp_path / "plan.yaml").write_text(draft_plan(table, table.profile(), tmp_path).text)
        [done] = comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True).tables.values()
        assert done["w_number"].to_list() == numbers * 4 and done["w_unit"].to_list() == units * 4
    # Next month's file: what is built otherwise has no number and is counted, and is never read as another one.
    june = comb.table(
        columns={
            "w": [
                texts[0],
                "12.50.1 kg",
                "1,2,3 kg",
                "about 5 kg 3",
                ".5 kg",
                "(5 kg)",
                "12,5,5",
                "1x234 kg",
                "<5 kg",
                "$ > 5",
            ]
        }
    )
    made = june.take_step(finding.remedy)
    assert made["w_number"].to_list() == [numbers[0], *[None] * 9]
    assert "9 results of w_number do not exist" in made.sentence().replace("\n", " ")


@pytest.mark.parametrize(("texts", "new", "values"), CONVERTED.values(), ids=CONVERTED)
def test_one_unit_is_calculated_where_it_is_certain(texts: list[str], new: str, values: list[float]) -> None:
    table = comb.table(columns={"w": texts * 4})
    [finding] = table.profile().of("type.units")
    assert (finding.remedy is not None) == bool(new)
    if finding.remedy is not None:
        done = table.take_step(finding.remedy)
        assert done.names == ("w", new) and done["w"].to_list() == texts * 4
        assert done[new].to_list() == pytest.approx(values * 4, rel=1e-14)


# Numbers without a unit, read as the others: name of the column, texts, the type and the values that come of them.
READ = {
    "of the same size": ("w", ["45 kg", "47", "39 kg"], "integer", [45, 47, 39]),
    "two of them, named": ("w_kg", ["45.5 kg", "47", "39 kg"], "number", [45.5, 47, 39]),
    "without a space": ("w", ["45kg", "47", "39"], "integer", [45, 47, 39]),
    "decimal commas": ("w", ["4,5 kg", "4,7", "3,9"], "number", [4.5, 4.7, 3.9]),
    "per cent": ("w", ["45%", "47", "39"], "number", [0.45, 0.47, 0.39]),
}


@pytest.mark.parametrize(("name", "texts", "kind", "values"), READ.values(), ids=READ)
def test_numbers_without_a_unit_are_read_as_the_others(
    name: str, texts: list[str], kind: str, values: list[float], tmp_path: Path
) -> None:
    times = 1 if "_" in name else 4
    (tmp_path / "t.csv").write_text(
        f"id;{name}\n" + "".join(f"r{at};{text}\n" for at, text in enumerate(texts * times))
    )
    table = comb.load(tmp_path / "t.csv")
    [finding] = [one for one in table.profile().findings if one.columns == (name,)]
    assert finding.code == "type.units" and finding.remedy is not None
    done = table.take_step(finding.remedy)
    assert done[name].type.word == kind and done[name].to_list() == values * times
    assert not done.profile().of("type")


@pytest.mark.parametrize("other", [["450", "470 kg", "2.1", "2.4", "1.9"], ["5 EUR", "7", "6"], ["5 kg", "x", "6"]])
def test_where_sizes_do_not_show_the_unit_nothing_is_decided(other: list[str]) -> None:
    table = comb.table(columns={"w": other * 4})
    findings = table.profile().of("type.units")
    remedies = [one.remedy for one in findings if one.remedy is not None]
    assert all(table.take_step(one).names == ("w", "w_number", "w_unit") for one in remedies)


@given(
    st.lists(
        st.tuples(st.decimals(-10_000, 10_000, places=2), st.sampled_from([("kg", 1000.0), ("g", 1.0), ("mg", 0.001)])),
        min_size=8,
        max_size=30,
    )
)
def test_every_text_gives_the_number_it_says(cells: list[tuple[object, tuple[str, float]]]) -> None:
    table = comb.table(columns={"net weight": [f"{number} {unit}" for number, (unit, _) in cells]})
    for finding in table.profile().of("type.units"):
        assert finding.remedy is not None
        done = table.take_step(finding.remedy)
        grams = {"kg": 1000.0, "g": 1.0, "mg": 0.001}[done.names[1].removeprefix("net weight_")]
        expected = [float(number) * size / grams for number, (_, size) in cells]
        assert done[done.names[1]].to_list() == pytest.approx(expected, rel=1e-13)


def test_the_few_on_the_other_side_of_an_account_are_told(tmp_path: Path) -> None:
    texts = [f"{at}.50 DR" for at in range(60)] + ["7.25 CR"] * 2
    (tmp_path / "t.csv").write_text("balance\n" + "\n".join(texts))
    [finding] = comb.load(tmp_path / "t.csv").profile().of("type.units")
    assert finding.count == 2 and "the others have DR: these may be credit and debit" in finding.text
    table = comb.load(tmp_path / "t.csv", types={"balance": "string"})
    [finding] = table.profile().of("type.units")
    assert table.take_step(finding.remedy)["balance_unit"].to_list() == ["DR"] * 60 + ["CR"] * 2


def test_the_step_is_drafted_and_runs(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text(
        "row;w\n" + "".join(f"r{at};{at + 1} {'g' if at % 3 else 'kg'}\n" for at in range(9))
    )
    table = comb.load(tmp_path / "t.csv")
    drafted = draft_plan(table, table.profile(), tmp_path)
    (tmp_path / "plan.yaml").write_text(drafted.text)
    assert drafted.active == 1
    done = comb.Plan.load(tmp_path / "plan.yaml").run(dry_run=True).tables["t"]
    assert done["w_g"].to_list() == [(at + 1) * (1.0 if at % 3 else 1000.0) for at in range(9)]
