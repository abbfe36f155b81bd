"""`lag` and `lead` over a gap: said where they are used, where the order goes by equal steps."""

import pytest

import comb

MONTHS = [f"2023-{month:02}-01" for month in range(1, 13)]
WEEKS = ["2024-01-01", "2024-01-08", "2024-01-15", "2024-01-22", "2024-01-29", "2024-02-05", "2024-02-12", "2024-02-19"]
VISITS = ["2024-01-03", "2024-01-19", "2024-02-02", "2024-03-30", "2024-04-02", "2024-07-19", "2024-08-01"]
LAG = "kg - lag(kg) over (partition by box order by at)"


@pytest.mark.parametrize(
    ("days", "formula", "said"),
    [
        (MONTHS[:4] + MONTHS[5:], LAG, "lag reaches over a gap in at in 2 rows"),
        (WEEKS[:3] + WEEKS[4:], LAG.replace("lag", "lead"), "lead reaches over a gap in at in 2 rows"),
        (MONTHS, LAG, ""),
        (VISITS, LAG, ""),
        (MONTHS[:4] + MONTHS[5:], "kg - first_value(kg) over (partition by box order by at)", ""),
        (MONTHS[:4] + MONTHS[5:], "sum(kg) over (partition by box order by at)", ""),
    ],
)
def test_a_gap_that_a_window_reaches_over_is_said(days: list[str], formula: str, said: str) -> None:
    rows = [(box, day, at) for box in "AB" for at, day in enumerate(days)]
    table = comb.table(rows=rows, names=["box", "at", "kg"]).convert({"at": "date"})
    notes = " ".join(table.calculate({"change": formula}).ledger[-1].notes)
    assert ("over a gap" in notes) == bool(said) and said in notes


def test_groups_of_the_step_and_whole_numbers_count_too() -> None:
    years = [2010, 2011, 2012, 2014, 2015, 2016, 2017, 2018]
    table = comb.table(rows=[(box, year, year % 7) for box in "AB" for year in years], names=["box", "year", "kg"])
    made = table.calculate({"change": "lag(kg) over (order by year)"}, by="box")
    assert "lag reaches over a gap in year in 2 rows" in " ".join(repr(made).split())
    whole = table.filter("box = 'A'").calculate({"change": "lag(kg) over (order by year)"})
    assert "lag reaches over a gap in year in 1 row" in whole.ledger[-1].notes[0]
    empty = table.filter("kg > 99").calculate({"change": "lag(kg) over (order by year)"})
    assert not empty.ledger[-1].notes
