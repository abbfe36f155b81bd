"""Workbooks of Office Open XML (ECMA-376): ``.xlsx`` and ``.xlsm``."""

import html
import posixpath
import re

import numpy as np

from comb.errors import ContentError, ParameterError
from comb.formats.lazy_pattern import lazy_pattern
from comb.inference.typed_cells import SourceKind
from comb.kernels import dispatch
from comb.kernels.types import SHARED, SheetCells
from comb.reading.documents.workbooks.formats import (
    BUILT_IN,
    could_be_codes,
    digits_in,
    shown_digits,
    shown_kind,
    shown_unit,
)
from comb.reading.documents.workbooks.package import Package
from comb.reading.documents.workbooks.sheet import (
    CellRecords,
    Formula,
    Sheet,
    check_extent,
    dated,
    read_range,
    sheet_of,
    unstored_formulas,
)
from comb.reading.io.decompress import damaged

WORKBOOK_PART = "xl/workbook.xml"

# The texts of this many formulas are looked at; more cost more than they tell.
MOST_FORMULAS = 50_000
_SUM = lazy_pattern(r"\s*(?:SUM|SUBTOTAL|AGGREGATE)\(.*\)\s*|[^()!]*\+[^()!]*", re.IGNORECASE | re.DOTALL)
_ESCAPED = lazy_pattern(r"_x([0-9A-Fa-f]{4})_")


def _local(name: str) -> str:
    return name.rpartition(":")[2]


class _Quiet:
    """A handler that hears nothing."""

    def start(self, name: str, attributes: dict[str, str]) -> None:
        pass

    def end(self, name: str) -> None:
        pass

    def text(self, data: str) -> None:
        pass


class _Relations(_Quiet):
    def __init__(self, folder: str) -> None:
        self.targets: dict[str, str] = {}
        self.kinds: dict[str, str] = {}
        self._folder = folder

    def start(self, name: str, attributes: dict[str, str]) -> None:
        if _local(name) == "Relationship":
            target = attributes.get("Target", "")
            path = posixpath.normpath(target if target.startswith("/") else f"{self._folder}/{target}").lstrip("/")
            self.targets[attributes.get("Id", "")] = path
            self.kinds[attributes.get("Type", "").rpartition("/")[2]] = path


class _Contents(_Quiet):
    """The list of sheets."""

    def __init__(self) -> None:
        self.sheets: list[tuple[str, str, bool]] = []
        self.from_1904 = False

    def start(self, name: str, attributes: dict[str, str]) -> None:
        local = _local(name)
        if local == "sheet":
            relation = next((value for key, value in attributes.items() if _local(key) == "id" and ":" in key), "")
            self.sheets.append((attributes.get("name", ""), relation, attributes.get("state", "visible") != "visible"))
        elif local == "workbookPr":
            self.from_1904 = attributes.get("date1904", "0") in ("1", "true")


class _Styles(_Quiet):
    """The number format of each cell style."""

    def __init__(self) -> None:
        self.codes: dict[int, str] = dict(BUILT_IN)
        self.formats: list[str] = []
        self._inside = False

    def start(self, name: str, attributes: dict[str, str]) -> None:
        local = _local(name)
        if local == "numFmt":
            self.codes[int(attributes.get("numFmtId", 0))] = attributes.get("formatCode", "")
        elif local == "cellXfs":
            self._inside = True
        elif local == "xf" and self._inside:
            self.formats.append(self.codes.get(int(attributes.get("numFmtId", 0)), ""))

    def end(self, name: str) -> None:
        if _local(name) == "cellXfs":
            self._inside = False


class _Strings(_Quiet):
    """The texts that cells share; how they are pronounced is left out."""

    def __init__(self) -> None:
        self.strings: list[str] = []
        self._parts: list[str] = []
        self._inside = self._aside = False

    def start(self, name: str, attributes: dict[str, str]) -> None:
        local = _local(name)
        if local == "si":
            self._parts = []
        elif local == "t":
            self._inside = not self._aside
        elif local == "rPh":
            self._aside = True

    def end(self, name: str) -> None:
        local = _local(name)
        if local == "si":
            self.strings.append(unescaped("".join(self._parts)))
        elif local == "t":
            self._inside = False
        elif local == "rPh":
            self._aside = False

    def text(self, data: str) -> None:
        if self._inside:
            self._parts.append(data)


def unescaped(text: str) -> str:
    """Read characters that XML cannot hold, written as ``_x000D_``.

    >>> unescaped("one_x000A_two")
    'one\\ntwo'
    """
    return _ESCAPED.sub(lambda match: chr(int(match[1], 16)), text) if "_x" in text else text


class _SheetHandler(_Quiet):
    """The cells of a sheet. One call for each tag: the hot loop of reading a workbook."""

    def __init__(self, strings: list[str], where: str) -> None:
        self.cells = CellRecords()
        self.strings = strings
        self.merged: list[str] = []
        self.hidden_rows: set[int] = set()
        self.hidden_columns: set[int] = set()
        self.references: dict[tuple[int, int], str] = {}
        self.where = where
        self._shared: dict[str, str] = {}
        self._columns: dict[str, int] = {}
        self._row = self._column = -1
        self._kind = ""
        self._style = 0
        self._value: str | None = None
        self._formula: str | None = None
        self._formula_of = ""
        self._parts: list[str] = []
        self._taking = False
        self._aside = False

    def start(self, name: str, attributes: dict[str, str]) -> None:
        if ":" in name:
            name = _local(name)
        if name == "c":
            address = attributes.get("r")
            if address is None:
                self._column += 1
            else:
                letters = address.rstrip("0123456789")
                column = self._columns.get(letters)
                if column is None:
                    column = self._columns[letters] = self.read_column(letters)
                self._column = column
            self._kind = attributes.get("t", "n")
            self._style = int(attributes.get("s", 0))
            self._value = self._formula = None
        elif name in ("v", "t", "f"):
            self._parts = []
            self._taking = not self._aside
            if name == "f":
                self._formula_of = attributes.get("si", "")
        elif name == "row":
            self._row = int(attributes["r"]) - 1 if "r" in attributes else self._row + 1
            self._column = -1
            check_extent(self._row, 0, self.where)
            if attributes.get("hidden") in ("1", "true"):
                self.hidden_rows.add(self._row)
        elif name == "mergeCell":
            self.merged.append(attributes.get("ref", ""))
        elif name == "col" and attributes.get("hidden") in ("1", "true"):
            first, last = int(attributes.get("min", 1)), int(attributes.get("max", 1))
            self.hidden_columns.update(range(first - 1, min(last, 16_384)))
        elif name == "rPh":
            self._aside = True

    def note_formula(self, row: int, column: int, about: bytes, text: bytes) -> int:
        """Note a formula, and return what kind it is."""
        formula = html.unescape(text.decode())
        shared = _SHARED.search(about)
        if shared:
            formula = self._shared.setdefault(shared[1].decode(), formula)
        if len(self.references) < MOST_FORMULAS:
            self.references[row, column] = formula
        return Formula.SUM if _SUM.fullmatch(formula) else Formula.OTHER

    def read_column(self, letters: str) -> int:
        """Return the column that letters name."""
        column = 0
        for letter in letters:
            column = column * 26 + ord(letter) - 64
        check_extent(0, column - 1, self.where)
        return column - 1

    def text(self, data: str) -> None:
        if self._taking:
            self._parts.append(data)

    def end(self, name: str) -> None:
        if ":" in name:
            name = _local(name)
        if name == "v":
            self._value = "".join(self._parts)
            self._taking = False
        elif name == "t":
            self._value = (self._value or "") + "".join(self._parts)
            self._taking = False
        elif name == "f":
            self._formula = "".join(self._parts)
            self._taking = False
            if self._formula_of:
                self._formula = self._shared.setdefault(self._formula_of, self._formula)
        elif name == "c":
            self._finish()
        elif name == "rPh":
            self._aside = False

    def _finish(self) -> None:
        formula = 0
        if self._formula is not None:
            formula = Formula.SUM if _SUM.fullmatch(self._formula) else Formula.OTHER
            if len(self.references) < MOST_FORMULAS:
                self.references[self._row, self._column] = self._formula
        value, kind = self._value, self._kind
        if value is None:
            return
        add = self.cells.add
        if kind == "n":
            try:
                add(self._row, self._column, SourceKind.NUMBER, float(value), -1, self._style, formula)
            except ValueError:
                self._add_text(SourceKind.ERROR, value, formula)
        elif kind == "s":
            place = int(value) if value.isdigit() else -1
            if not 0 <= place < len(self.strings):
                raise ContentError(f"row {self._row + 1} refers to a text that is not there", where=self.where)
            add(self._row, self._column, SourceKind.TEXT, 0.0, place, self._style, formula)
        elif kind == "b":
            add(self._row, self._column, SourceKind.BOOLEAN, float(value.strip() == "1"), -1, self._style, formula)
        elif kind == "d":
            self._add_text(SourceKind.TEXT, value, formula)
        else:
            self._add_text(SourceKind.ERROR if kind == "e" else SourceKind.TEXT, unescaped(value), formula)

    def _add_text(self, kind: int, text: str, formula: int) -> None:
        self.add_text(kind, text, formula, (self._row, self._column), self._style)

    def add_text(self, kind: int, text: str, formula: int, place: tuple[int, int], style: int) -> None:
        """Add a cell with a text of its own."""
        self.strings.append(text)
        self.cells.add(*place, kind, 0.0, len(self.strings) - 1, style, formula)


_BEGIN, _END = re.compile(rb"<sheetData\s*>"), b"</sheetData>"
_SHARED = lazy_pattern(rb'si="([0-9]+)"')
_NAMED = lazy_pattern("&(?:amp|lt|gt|quot|apos);")


def take_regular_cells(data: bytes, found: _SheetHandler) -> bytes | None:
    """Take the cells out of a sheet that is written as nearly all programs write it.

    Everything else is left to the parser of XML, which hears what this returns: the sheet
    without its cells. None where a single cell is written in any other way, or the kernels
    are not compiled; then the parser has to hear the whole sheet.
    """
    begin, end = _BEGIN.search(data), data.rfind(_END)
    head = data[:200].lower().replace(b'encoding="utf-8"', b"")
    if begin is None or end < begin.end() or b"<!" in data or b"encoding=" in head:
        return None
    valid, controls, _ = dispatch.kernels.check_text(data)
    taken = dispatch.kernels.take_sheet_cells(data, begin.end(), end) if valid and not controls else None
    if taken is None or not _add_taken(taken, found):
        return None
    return data[: begin.start()] + data[end + len(_END) :]


def _add_taken(taken: SheetCells, found: _SheetHandler) -> bool:
    """Add the cells that were found; False where one of them refers to a text that is not there."""
    shared = taken.kinds == SHARED
    kinds = _KIND_OF[taken.kinds]
    places = np.where(shared, taken.numbers, -1).astype(np.int64)
    if shared.any() and not (taken.numbers[shared].min() >= 0 and taken.numbers[shared].max() < len(found.strings)):
        return False
    formulas = [formula.decode() for *_, formula in taken.formulas]
    if any("&" in text and "&" in _NAMED.sub("", text) for text in (*taken.texts, *formulas)):
        return False
    places[taken.text_at] = taken.codes + len(found.strings)
    found.strings.extend(unescaped(html.unescape(text)) for text in taken.texts)
    marks = np.zeros(len(taken.rows), np.uint8)
    for at, about, formula in taken.formulas:
        marks[at] = found.note_formula(int(taken.rows[at]), int(taken.columns[at]), about, formula)
    held = taken.held
    found.cells.extend(
        taken.rows[held], taken.columns[held], kinds[held], np.where(shared, 0.0, taken.numbers)[held], places[held],
        marks[held], taken.styles[held],
    )  # fmt: skip
    found.hidden_rows.update(taken.hidden)
    return True


# The kind of a cell by what the sheet says of its value, in the order of `comb.kernels.types.SHEET_KINDS`.
_KIND_OF = np.array(
    [SourceKind.NUMBER, SourceKind.TEXT, SourceKind.BOOLEAN, SourceKind.ERROR, SourceKind.TEXT], np.uint8
)


def office_sheets(package: Package) -> list[Sheet]:
    """Read all sheets of a workbook, hidden ones too."""
    main = _Relations("")
    package.parse("_rels/.rels", main)
    part = main.kinds.get("officeDocument", WORKBOOK_PART)
    folder, _, file = part.rpartition("/")
    contents, relations, styles, shared = _Contents(), _Relations(folder), _Styles(), _Strings()
    package.parse(part, contents)
    package.parse(f"{folder}/_rels/{file}.rels", relations)
    package.parse(relations.kinds.get("styles", "xl/styles.xml"), styles)
    package.parse(relations.kinds.get("sharedStrings", "xl/sharedStrings.xml"), shared)
    if not contents.sheets:
        raise ContentError("there is no sheet in it", where=package.name)
    sheets = []
    for name, relation, hidden in contents.sheets:
        path = relations.targets.get(relation, "")
        if "/chartsheets/" in path or "/dialogsheets/" in path:
            continue
        sheets.append(_sheet(package, path, name, shared.strings, styles.formats, contents.from_1904, hidden))
    return sheets


def _sheet(
    package: Package, path: str, name: str, strings: list[str], formats: list[str], from_1904: bool, hidden: bool
) -> Sheet:
    if path not in package.names:
        raise ContentError(f"the sheet {name!r} is missing from the file", where=package.name)
    found = _SheetHandler(list(strings), f"{package.name}, {name}")
    data = package.read(path)
    around = take_regular_cells(data, found)
    if around is None:
        found = _SheetHandler(list(strings), f"{package.name}, {name}")
    package.parse_bytes(path, data if around is None else around, found)
    sheet = sheet_of(name, found.cells, found.strings, hidden=hidden)
    codes = [*formats, ""]
    sheet.styles = np.minimum(sheet.styles, len(codes) - 1)
    try:
        sheet.merged = [read_range(text) for text in found.merged if text]
    except ParameterError as error:
        raise damaged(package.name, "workbook", error.what) from None
    sheet.hidden_rows, sheet.hidden_columns = found.hidden_rows, found.hidden_columns
    sheet.references = found.references
    sheet.unstored = unstored_formulas(sheet, _SUM)
    units = tuple(dict.fromkeys(["", *(shown_unit(code) for code in codes)]))
    kinds = np.array([shown_kind(code) for code in codes], np.uint8)
    places = np.array([units.index(shown_unit(code)) for code in codes], np.uint8)
    dated(sheet.kinds, sheet.numbers, kinds[sheet.styles], from_1904=from_1904)
    sheet.formats, sheet.format_names = places[sheet.styles], units
    masks = [shown_digits(code) for code in codes]
    whole = (sheet.kinds == SourceKind.NUMBER) & could_be_codes(sheet.numbers)
    for at in np.flatnonzero(whole & np.array([bool(mask) for mask in masks])[sheet.styles]).tolist():
        sheet.written[at] = digits_in(masks[sheet.styles[at]], int(sheet.numbers[at]))
    return sheet
