"""Workbooks of the older binary format: ``.xls``. The values are decoded by a library; formulas it does not tell."""

import datetime
import io
from typing import Any

from comb.errors import ContentError
from comb.inference.typed_cells import MICROSECONDS_A_DAY, SourceKind
from comb.reading.documents.workbooks.sheet import CellRecords, Range, Sheet, sheet_of

_ENCRYPTED = "EncryptedPackage".encode("utf-16-le")


def binary_sheets(data: bytes, name: str) -> list[Sheet]:
    """Read all sheets of a workbook, hidden ones too."""
    import python_calamine as calamine

    if _ENCRYPTED in data:
        raise ContentError(
            "it is protected by a password", where=name, remedy="open it and save it without the password"
        )
    try:
        book = calamine.CalamineWorkbook.from_filelike(io.BytesIO(data))
        return [_sheet(book, about) for about in book.sheets_metadata]
    except calamine.PasswordError:
        raise ContentError(
            "it is protected by a password", where=name, remedy="open it and save it without the password"
        ) from None
    except (calamine.CalamineError, OSError, ValueError) as error:
        raise ContentError(
            f"this is not a workbook that can be read, or it is damaged: {error}", where=name,
            remedy="open it in a spreadsheet program and save it as .xlsx",
        ) from None  # fmt: skip


def _sheet(book: Any, about: Any) -> Sheet:
    import python_calamine as calamine

    cells, strings = CellRecords(), list[str]()
    sheet = book.get_sheet_by_name(about.name)
    for row, values in enumerate(sheet.to_python(skip_empty_area=False)):
        for column, value in enumerate(values):
            if value == "" or value is None:
                continue
            kind, number = _read_value(value)
            if kind == SourceKind.TEXT:
                strings.append(str(value))
            cells.add(row, column, kind, number, len(strings) - 1 if kind == SourceKind.TEXT else -1)
    made = sheet_of(about.name, cells, strings, hidden=about.visible != calamine.SheetVisibleEnum.Visible)
    made.merged = [Range(*first, *last) for first, last in sheet.merged_cell_ranges or []]
    return made


def _read_value(value: Any) -> tuple[int, float]:
    if isinstance(value, bool):
        return SourceKind.BOOLEAN, float(value)
    if isinstance(value, int | float):
        return SourceKind.NUMBER, float(value)
    if isinstance(value, datetime.datetime):
        micro = (value - datetime.datetime(1970, 1, 1)) // datetime.timedelta(microseconds=1)
        whole = micro % MICROSECONDS_A_DAY == 0
        return (SourceKind.DATE, micro / MICROSECONDS_A_DAY) if whole else (SourceKind.DATETIME, float(micro))
    if isinstance(value, datetime.date):
        return SourceKind.DATE, float((value - datetime.date(1970, 1, 1)).days)
    if isinstance(value, datetime.time):
        return SourceKind.TIME, ((value.hour * 60 + value.minute) * 60 + value.second) * 1e6 + value.microsecond
    if isinstance(value, datetime.timedelta):
        return SourceKind.DURATION, float(value // datetime.timedelta(microseconds=1))
    return SourceKind.TEXT, 0.0
