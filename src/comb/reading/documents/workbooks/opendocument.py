"""Spreadsheets of OpenDocument 1.2 and later: ``.ods``."""

import datetime
import re
from typing import Any

from comb.errors import ContentError
from comb.formats.lazy_pattern import lazy_pattern
from comb.inference.typed_cells import MICROSECONDS_A_DAY, SourceKind
from comb.reading.documents.workbooks.package import Package
from comb.reading.documents.workbooks.sheet import (
    CellRecords,
    Formula,
    Range,
    Sheet,
    check_extent,
    sheet_of,
    unstored_formulas,
)

MIMETYPE = "application/vnd.oasis.opendocument.spreadsheet"

# A row or cell that repeats is repeated so often at most; what is meant by more is emptiness.
MOST_REPEATED = 100_000
_ERROR_TEXT = lazy_pattern(r"#(?:N/A|NAME\?|REF!|VALUE!|DIV/0!|NUM!|NULL!)|Err:[0-9]{3}")
_SUM = lazy_pattern(r"of:=(?:SUM|SUBTOTAL|AGGREGATE)\(.*\)", re.IGNORECASE | re.DOTALL)

_DURATION = lazy_pattern(
    r"(-?)P(?=T?[0-9])(?:([0-9]+)D)?(?:T(?:([0-9]+)H)?(?:([0-9]+)M)?(?:([0-9]+)(?:[.,]([0-9]+))?S)?)?"
)


class _Content:
    """Hears the content of a document and keeps its cells. Names come with prefixes, which the standard fixes."""

    def __init__(self, where: str) -> None:
        self.sheets: list[Sheet] = []
        self._where = where
        self._hidden_styles: set[str] = set()
        self._style = ""
        self._depth_aside = 0
        self._begin("", hidden=False)

    def _begin(self, name: str, *, hidden: bool) -> None:
        self._name, self._hidden = name, hidden
        self._cells = CellRecords()
        self._strings: list[str] = []
        self._merged: list[Range] = []
        self._hidden_rows: set[int] = set()
        self._hidden_columns: set[int] = set()
        self._references: dict[tuple[int, int], str] = {}
        self._written: dict[tuple[int, int], str] = {}
        self._units: list[str] = [""]
        self._row = self._column = self._listed_column = 0
        self._row_cells: list[tuple[int, int, dict[str, str], str]] = []
        self._row_times = 1
        self._row_hidden = False
        self._cell: dict[str, str] | None = None
        self._parts: list[str] = []
        self._paragraph = False

    def start(self, name: str, attributes: dict[str, str]) -> None:
        if self._depth_aside or name == "office:annotation":
            self._depth_aside += 1
        elif name in ("table:table-cell", "table:covered-table-cell"):
            self._cell, self._parts = attributes, []
        elif name == "text:p":
            self._parts.append("\n" if self._parts else "")
            self._paragraph = True
        elif name == "text:s":
            self._parts.append(" " * min(int(attributes.get("text:c", 1)), 1000))
        elif name == "text:tab":
            self._parts.append("\t")
        elif name == "text:line-break":
            self._parts.append("\n")
        elif name == "table:table-row":
            self._row_times = int(attributes.get("table:number-rows-repeated", 1))
            self._row_hidden = attributes.get("table:visibility", "visible") != "visible"
            self._row_cells, self._column = [], 0
        elif name == "table:table-column":
            times = int(attributes.get("table:number-columns-repeated", 1))
            if attributes.get("table:visibility", "visible") != "visible":
                self._hidden_columns.update(range(self._listed_column, min(self._listed_column + times, 16_384)))
            self._listed_column += times
        elif name == "table:table":
            hidden = attributes.get("table:style-name", "") in self._hidden_styles
            self._begin(attributes.get("table:name", ""), hidden=hidden)
        elif name == "style:style":
            self._style = attributes.get("style:name", "")
        elif name == "style:table-properties" and attributes.get("table:display") == "false":
            self._hidden_styles.add(self._style)

    def text(self, data: str) -> None:
        if self._paragraph and not self._depth_aside:
            self._parts.append(data)

    def end(self, name: str) -> None:
        if self._depth_aside:
            self._depth_aside -= 1
        elif name == "text:p":
            self._paragraph = False
        elif name in ("table:table-cell", "table:covered-table-cell"):
            self._end_cell(covered=name != "table:table-cell")
        elif name == "table:table-row":
            self._end_row()
        elif name == "table:table":
            sheet = sheet_of(self._name, self._cells, self._strings, hidden=self._hidden)
            sheet.merged, sheet.references = self._merged, self._references
            sheet.unstored = unstored_formulas(sheet, _SUM)
            sheet.hidden_rows, sheet.hidden_columns = self._hidden_rows, self._hidden_columns
            sheet.formats = sheet.styles.astype("uint8")
            sheet.format_names = tuple(self._units)
            if self._written:
                places = zip(sheet.rows.tolist(), sheet.columns.tolist(), strict=True)
                sheet.written = {at: self._written[place] for at, place in enumerate(places) if place in self._written}
            self.sheets.append(sheet)

    def _end_cell(self, *, covered: bool) -> None:
        cell, text = self._cell or {}, "".join(self._parts)
        times = int(cell.get("table:number-columns-repeated", 1))
        wide, high = int(cell.get("table:number-columns-spanned", 1)), int(cell.get("table:number-rows-spanned", 1))
        if (wide > 1 or high > 1) and not covered:
            self._merged.append(Range(self._row, self._column, self._row + high - 1, self._column + wide - 1))
        if not covered and (text or "office:value-type" in cell or "calcext:value-type" in cell):
            check_extent(self._row, self._column + min(times, MOST_REPEATED) - 1, self._where)
            self._row_cells.append((self._column, min(times, MOST_REPEATED), cell, text))
        self._column += times
        self._cell = None

    def _end_row(self) -> None:
        if self._row_cells:
            times = min(self._row_times, MOST_REPEATED)
            check_extent(self._row + times - 1, 0, self._where)
            for row in range(self._row, self._row + times):
                for column, repeated, cell, text in self._row_cells:
                    for at in range(column, column + repeated):
                        self._add(row, at, cell, text)
        if self._row_hidden:
            self._hidden_rows.update(range(self._row, self._row + min(self._row_times, MOST_REPEATED)))
        self._row += self._row_times

    def _add(self, row: int, column: int, cell: dict[str, str], text: str) -> None:
        formula = 0
        if "table:formula" in cell:
            formula = Formula.SUM if _SUM.fullmatch(cell["table:formula"]) else Formula.OTHER
            self._references[row, column] = cell["table:formula"]
        kind, number, written = _read_value(cell, text)
        place = -1
        if written is not None:
            place = len(self._strings)
            self._strings.append(written)
        elif kind == SourceKind.NUMBER and text.isdecimal() and text != str(int(text)) and int(text) == number:
            self._written[row, column] = text
        unit = "%" if cell.get("office:value-type") == "percentage" else cell.get("office:currency", "")
        if unit not in self._units:
            self._units.append(unit)
        self._cells.add(row, column, kind, number, place, self._units.index(unit), formula)


def _read_value(cell: dict[str, str], text: str) -> tuple[int, float, str | None]:
    """Return the kind, the number and the text of a cell."""
    kind = cell.get("office:value-type", "string")
    if cell.get("calcext:value-type") == "error" or _ERROR_TEXT.fullmatch(text):
        return SourceKind.ERROR, 0.0, text
    try:
        if kind in ("float", "percentage", "currency"):
            return SourceKind.NUMBER, float(cell["office:value"]), None
        if kind == "boolean":
            return SourceKind.BOOLEAN, float(cell["office:boolean-value"] == "true"), None
        if kind == "date":
            return _read_date(cell["office:date-value"])
        if kind == "time":
            return _read_time(cell["office:time-value"])
    except (KeyError, ValueError):
        pass
    return SourceKind.TEXT, 0.0, cell.get("office:string-value", text)


def _read_date(text: str) -> tuple[int, float, None]:
    moment = datetime.datetime.fromisoformat(text.removesuffix("Z"))
    since = moment.replace(tzinfo=None) - datetime.datetime(1970, 1, 1)
    micro = since // datetime.timedelta(microseconds=1)
    if "T" in text and micro % MICROSECONDS_A_DAY:
        return SourceKind.DATETIME, float(micro), None
    return SourceKind.DATE, float(micro // MICROSECONDS_A_DAY), None


def _read_time(text: str) -> tuple[int, float, None]:
    match = _DURATION.fullmatch(text)
    if match is None:
        raise ValueError(text)
    days, hours, minutes, seconds = (int(match[at] or 0) for at in (2, 3, 4, 5))
    fraction = int((match[6] or "0").ljust(6, "0")[:6])
    micro = (((days * 24 + hours) * 60 + minutes) * 60 + seconds) * 1_000_000 + fraction
    kind = SourceKind.TIME if micro < MICROSECONDS_A_DAY and not match[1] else SourceKind.DURATION
    return kind, float(-micro if match[1] else micro), None


def opendocument_sheets(package: Package) -> list[Sheet]:
    """Read all sheets of a spreadsheet, hidden ones too."""
    if b"encryption-data" in package.read("META-INF/manifest.xml"):
        raise ContentError(
            "it is protected by a password", where=package.name, remedy="open it and save it without the password"
        )
    content: Any = _Content(package.name)
    package.parse("content.xml", content)
    if not content.sheets:
        raise ContentError("there is no sheet in it", where=package.name)
    found: list[Sheet] = content.sheets
    return found
