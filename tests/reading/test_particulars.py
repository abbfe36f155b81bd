"""What stands above a table in pairs of a label and a value is said of the table: on a sheet, and padded in a text."""

import csv
from datetime import date
from pathlib import Path

import pytest
import xlsxwriter

import comb

PRINTED = date(2026, 5, 31)
TITLE = ["Inspection record"]
VISITS = [
    ["Date", "Hive", "kg", "Loss", "Remarks"],
    [date(2026, 5, 3), "A", 31.5, 0.02, "ok"],
    [date(2026, 5, 3), "B", 28, 0.1, None],
    [date(2026, 5, 17), "B", 29, None, "see A"],
    [date(2026, 5, 19), "A", 33, 0.3, None],
]

# What is above the table, row by row, and how many lines of titles a sheet makes of it.
ABOVE: dict[str, tuple[list[list[object]], int]] = {
    "a title and a label right above": ([TITLE, ["Printed", PRINTED]], 2),
    "a title and a label": ([TITLE, ["Printed", PRINTED], []], 2),
    "labels": ([["Apiary", "Mill Lane"], ["Keeper", "Ann"], ["Printed", PRINTED], []], 3),
    "two labels": ([["Apiary", "Mill Lane"], ["Printed", PRINTED], []], 2),
    "labels side by side": ([TITLE, ["Apiary", "Mill Lane", None, "Printed", PRINTED], []], 3),
    "a title of the table below": ([TITLE, ["Apiary", "Mill Lane"], ["Printed", PRINTED], [], ["Visits in May"]], 4),
    "a title further off": ([TITLE, [], ["Apiary", "Mill Lane"], ["Printed", PRINTED], []], 3),
    "one label": ([["Printed", PRINTED], []], 1),
    "labels right above": ([TITLE, ["Apiary", "Mill Lane"], ["Printed", PRINTED]], 3),
    "words right above": ([["Apiary", "Mill Lane"], ["Keeper", "Ann"]], 2),
}


def on_a_sheet(path: Path, rows: list[list[object]], *, merged: bool = False) -> None:
    """Write rows to a sheet; a title may be merged over the table."""
    with xlsxwriter.Workbook(path) as book:
        sheet, day = book.add_worksheet("May"), book.add_format({"num_format": "dd/mm/yyyy"})
        for at, row in enumerate(rows):
            if merged and row == TITLE:
                sheet.merge_range(at, 0, at, len(VISITS[0]) - 1, row[0])
                continue
            for place, cell in enumerate(row):
                if isinstance(cell, date):
                    sheet.write_datetime(at, place, cell, day)
                elif cell is not None:
                    sheet.write(at, place, cell)


def as_text(path: Path, rows: list[list[object]]) -> None:
    """Write rows as spreadsheet programs export them: each as wide as the table."""
    with path.open("w", newline="") as file:
        for row in rows:
            cells = ["" if one is None else f"{one:%d/%m/%Y}" if isinstance(one, date) else one for one in row]
            csv.writer(file).writerow(cells + [""] * (len(VISITS[0]) - len(cells)))


@pytest.mark.parametrize(("above", "lines"), ABOVE.values(), ids=ABOVE)
def test_labels_with_values_above_a_table_are_said_of_it(tmp_path: Path, above: list[list[object]], lines: int) -> None:
    rows = [*above, *VISITS]
    on_a_sheet(tmp_path / "plain.xlsx", rows)
    on_a_sheet(tmp_path / "merged.xlsx", rows, merged=True)
    as_text(tmp_path / "text.csv", rows)
    for name in ("plain.xlsx", "merged.xlsx", "text.csv"):
        table = comb.load(tmp_path / name)
        assert (table.names, table.row_count) == (tuple(VISITS[0]), 4), name
        assert table["kg"].to_list() == pytest.approx([31.5, 28, 29, 33]) and str(table.types["Date"]) == "date"
        said = " ".join(table.origin.titles)
        assert all(str(cell) in said for row in above for cell in row if isinstance(cell, str)), (name, said)
        assert "2026" in said or not any(PRINTED in row for row in above)
        if name != "text.csv":
            assert len(table.origin.titles) == lines and len(comb.load_all(tmp_path / name)) == 1


@pytest.mark.parametrize("title", [[], [["Summary"]]], ids=["alone", "with a title"])
def test_a_small_table_above_another_stays_one(tmp_path: Path, title: list[list[object]]) -> None:
    on_a_sheet(tmp_path / "two.xlsx", [*title, ["Month", "kg"], ["May", 30], ["June", 31], ["July", 35], [], *VISITS])
    assert [table.names for table in comb.load_all(tmp_path / "two.xlsx").values()] == [
        ("Month", "kg"),
        tuple(VISITS[0]),
    ]


def test_an_upper_line_of_a_header_is_no_label(tmp_path: Path) -> None:
    rows: list[list[object]] = [["Hive", "Weights"], ["No", "kg", "lb", "g"], *([n, 2.5, 5.5, 2500] for n in range(4))]
    on_a_sheet(tmp_path / "upper.xlsx", rows)
    assert comb.load(tmp_path / "upper.xlsx").names == ("Hive No", "Weights kg", "Weights lb", "Weights g")
