"""Workbooks made for a test."""

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import xlsxwriter

Cells = Mapping[str, Any]


Finish = Callable[[Any, Any], None]


def book(place: Path, sheets: Mapping[str, Cells], finish: Finish | None = None, **options: Any) -> Path:
    """Write a workbook from cells by address; `finish` may do more to the book and its last sheet."""
    made = xlsxwriter.Workbook(str(place), {"default_date_format": "d.m.yyyy", **options})
    sheet: Any = None
    for name, cells in sheets.items():
        sheet = made.add_worksheet(name)
        for address, value in cells.items():
            sheet.write(address, value)
    if finish:
        finish(made, sheet)
    made.close()
    return place


def grid(text: str, top: int = 1, left: str = "A") -> dict[str, Any]:
    """Turn lines of fields into cells by address; numbers are numbers, a dot is an empty cell."""
    cells: dict[str, Any] = {}
    for row, line in enumerate(text.strip().splitlines(), top):
        for at, field in enumerate(line.split()):
            plain = field.replace("_", " ")
            value = float(field) if field.lstrip("-").replace(".", "", 1).isdigit() else plain
            if field != ".":
                cells[f"{chr(ord(left) + at)}{row}"] = value
    return cells
