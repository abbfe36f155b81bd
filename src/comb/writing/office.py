"""Tables as a workbook of Office Open XML. The XML is written by a library. Pure: tables in, bytes out."""

import datetime
import io
import tempfile
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from comb.errors import CombError, ParameterError, WriteError
from comb.tables.column import Column
from comb.tables.types import Type
from comb.writing.sheets import SheetText, width_of

# So that the same tables give the same bytes.
CREATED = datetime.datetime(2000, 1, 1)

DATE_FORMAT = "yyyy-mm-dd"

# Number formats by type; microseconds have no place in them.
FORMATS = {
    "integer": "0", "decimal": "0", "date": DATE_FORMAT, "datetime": "yyyy-mm-dd hh:mm:ss.000", "time": "hh:mm:ss",
    "duration": "[h]:mm:ss",
}  # fmt: skip
ROWS_AT_ONCE = 10_000


def office_bytes(sheets: Sequence[SheetText]) -> bytes:
    """Write sheets as ``.xlsx``.

    Values keep their types; the header stays in sight and can be filtered; missing cells
    are empty; a text is never taken for a formula or a link.

    Raises
    ------
    ParameterError
        If the library refuses a cell, naming it.
    """
    # The library puts sheets together in the system's folder for temporary files.
    try:
        return _put_together(sheets)
    except CombError:
        raise
    except OSError as error:
        what = f"cannot be put together in {tempfile.gettempdir()}: {error.strerror or error}"
        raise WriteError(
            what, where="a workbook", remedy="make room there, or name another folder by TMPDIR=..."
        ) from None


def _put_together(sheets: Sequence[SheetText]) -> bytes:
    import xlsxwriter
    from xlsxwriter.exceptions import XlsxWriterException

    stream = io.BytesIO()
    options = {
        "constant_memory": True,
        "strings_to_formulas": False,
        "strings_to_urls": False,
        "strings_to_numbers": False,
    }
    book = xlsxwriter.Workbook(stream, options)
    book.set_properties({"created": CREATED})
    bold = book.add_format({"bold": True})
    formats: dict[str, Any] = {}
    for one in sheets:
        sheet = book.add_worksheet(one.name)
        columns = one.table.columns
        for at, (name, column) in enumerate(columns.items()):
            code = _format_code(column.type)
            if code and code not in formats:
                formats[code] = book.add_format({"num_format": code})
            sheet.set_column(at, at, width_of(name, column), formats.get(code))
        for at, name in enumerate(columns):
            _checked(sheet.write_string(0, at, name, bold), name, 0)
        _write_rows(sheet, columns, one.table.row_count, formats)
        sheet.freeze_panes(1, 0)
        if columns:
            sheet.autofilter(0, 0, one.table.row_count, len(columns) - 1)
    try:
        book.close()
    except XlsxWriterException as error:
        raise OSError(str(error)) from None
    return stream.getvalue()


def _format_code(kind: Type) -> str:
    kind = kind.plain
    if kind.word == "decimal" and kind.scale:
        return "0." + "0" * kind.scale
    return FORMATS.get(kind.word, "")


def _write_rows(sheet: Any, columns: Mapping[str, Column], rows: int, formats: dict[str, Any]) -> None:
    """Write the cells row by row, as the library needs them to keep its memory small."""
    writers: dict[str, Callable[..., int]] = {
        "string": sheet.write_string, "json": sheet.write_string, "boolean": sheet.write_boolean,
        **dict.fromkeys(("date", "datetime", "time", "duration"), sheet.write_datetime),
    }  # fmt: skip
    calls = [
        (at, writers.get(column.type.plain.word, sheet.write_number), formats.get(_format_code(column.type)))
        for at, column in enumerate(columns.values())
    ]
    names = list(columns)
    for start in range(0, rows, ROWS_AT_ONCE):
        stop = min(rows, start + ROWS_AT_ONCE)
        parts = [_plain_values(column._part(start, stop)) for column in columns.values()]
        for row, cells in enumerate(zip(*parts, strict=True), start + 1):
            for (at, write, form), value in zip(calls, cells, strict=True):
                if value is not None and write(row, at, value, form):
                    _checked(-1, names[at], row)


def _plain_values(column: Column) -> list[Any]:
    """Return the values of a column; a sheet knows no time zones."""
    values = column.to_list()
    return [None if value is None else value.replace(tzinfo=None) for value in values] if column.type.utc else values


def _checked(code: int, name: str, row: int) -> None:
    if code:
        raise ParameterError(f"the cell in row {row} of {name!r} does not fit in a workbook", remedy="save it as .csv")
