"""Tables in pages of HTML, which many programs export under the name of a workbook."""

from html.parser import HTMLParser

from comb.inference.typed_cells import SourceKind
from comb.reading.documents.workbooks.sheet import CellRecords, Range, Sheet, sheet_of

# A cell that says it spans more than this is not believed.
MOST_SPANNED = 1000


class _Page(HTMLParser):
    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.tables: list[tuple[CellRecords, list[str], list[Range]]] = []
        self._open: list[tuple[CellRecords, list[str], list[Range]]] = []
        self._row = self._column = -1
        self._taken: dict[tuple[int, int], bool] = {}
        self._span = (1, 1)
        self._parts: list[str] | None = None

    def handle_starttag(self, tag: str, attributes: list[tuple[str, str | None]]) -> None:
        if tag == "table":
            self._end_cell()
            self._open.append((CellRecords(), [], []))
            self._row, self._taken = -1, {}
        elif tag == "tr" and self._open:
            self._end_cell()
            self._row, self._column = self._row + 1, -1
        elif tag in ("td", "th") and self._open:
            self._end_cell()
            self._row = max(self._row, 0)
            given = dict(attributes)
            self._span = (_span(given.get("rowspan")), _span(given.get("colspan")))
            self._column += 1
            while (self._row, self._column) in self._taken:
                self._column += 1
            self._parts = []
        elif tag == "br" and self._parts is not None:
            self._parts.append("\n")

    def handle_endtag(self, tag: str) -> None:
        if tag in ("td", "th", "tr"):
            self._end_cell()
        elif tag == "table" and self._open:
            self._end_cell()
            self.tables.append(self._open.pop())
            self._row = -1

    def handle_data(self, data: str) -> None:
        if self._parts is not None:
            self._parts.append(data)

    def close(self) -> None:
        super().close()
        self._end_cell()
        self.tables.extend(reversed(self._open))

    def _end_cell(self) -> None:
        if self._parts is None or not self._open:
            return
        lines = "".join(self._parts).split("\n")
        text = "\n".join(" ".join(line.split()) for line in lines).strip()
        self._parts = None
        high, wide = self._span
        cells, strings, merged = self._open[-1]
        for row in range(self._row, self._row + high):
            for column in range(self._column, self._column + wide):
                self._taken[row, column] = True
        if high > 1 or wide > 1:
            merged.append(Range(self._row, self._column, self._row + high - 1, self._column + wide - 1))
        if text:
            strings.append(text)
            cells.add(self._row, self._column, SourceKind.TEXT, 0.0, len(strings) - 1)
        self._column += wide - 1


def _span(text: str | None) -> int:
    return min(int(text), MOST_SPANNED) if text and text.isdigit() and int(text) else 1


def page_sheets(text: str) -> list[Sheet]:
    """Read each table of a page as a sheet; all its cells are text."""
    page = _Page()
    page.feed(text)
    page.close()
    sheets = []
    for number, (cells, strings, merged) in enumerate(page.tables, 1):
        sheet = sheet_of(f"table {number}", cells, strings)
        sheet.merged = merged
        if len(sheet):
            sheets.append(sheet)
    return sheets
