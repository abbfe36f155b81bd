"""A workbook as a document: its sheets, the tables on them, and each as columns."""

import contextlib
from collections import Counter
from collections.abc import Sequence
from pathlib import PurePath
from typing import Any

import msgspec
import numpy as np

from comb.errors import ContentError, ParameterError, counted, listing
from comb.formats.a1 import column_letters
from comb.formats.sniff import BINARY_START, ZIP_START, looks_like_page
from comb.inference.decide import infer_column
from comb.inference.typed_cells import SourceKind, TypedCells
from comb.kernels.grouping import Codes
from comb.kernels.scalars import fold
from comb.reading.column_rules import ColumnRules
from comb.reading.delimited.header import unit_in_name
from comb.reading.delimited.layout import Layout
from comb.reading.documents.model import Document, InnerTable, TableData, chosen_columns, make_column
from comb.reading.documents.workbooks import totals
from comb.reading.documents.workbooks.areas import Area, find_areas, read_area
from comb.reading.documents.workbooks.binary import binary_sheets
from comb.reading.documents.workbooks.formats import could_be_codes
from comb.reading.documents.workbooks.grid import SheetGrid
from comb.reading.documents.workbooks.office import WORKBOOK_PART, office_sheets
from comb.reading.documents.workbooks.opendocument import MIMETYPE, opendocument_sheets
from comb.reading.documents.workbooks.package import Package
from comb.reading.documents.workbooks.page import page_sheets
from comb.reading.documents.workbooks.sheet import Range, Sheet, read_range
from comb.reading.documents.workbooks.text_sheet import text_sheet
from comb.tables.column import Column
from comb.tables.names import unique_names
from comb.tables.origin import SourceAccount, SourceLine, WrongTotal
from comb.tables.text import Text
from comb.tables.types import BOOLEAN
from comb.tables.value_texts import number_text

# Sums of floats are shown with this many digits, so that no rounding shows.
SHOWN_DIGITS = 9
MOST_ROWS_LISTED = 6
MOST_TITLE = 40

# Numbers compared when it is looked at whether a table sums up another.
MOST_COMPARED = 200
LEAST_COMPARED = 2

# A table that sums up others by their names has at least this many rows.
LEAST_NAMED = 2


# Among more tables than this, none is looked at for what it sums up.
MOST_TABLES_COMPARED = 200


class _Place(msgspec.Struct, frozen=True):
    grid: SheetGrid
    area: Area


def read_workbook(data: bytes, name: str, most: int | None = None) -> Document | None:
    """Read a workbook; None if the bytes are not one.

    Parameters
    ----------
    data : bytes
    name : str
        What to call it in messages.
    most : int, optional
        The most bytes it may decompress to.
    """
    if data.startswith(ZIP_START):
        package = Package(data, name, most)
        if "[Content_Types].xml" in package.names and any(part.startswith("xl/") for part in package.names):
            if WORKBOOK_PART not in package.names and "xl/workbook.bin" in package.names:
                raise ContentError("this is a workbook in binary form (.xlsb)", where=name, remedy="save it as .xlsx")
            return _document("workbook, Office Open XML", office_sheets(package), name)
        if package.read("mimetype").decode(errors="replace").startswith(MIMETYPE):
            return _document("workbook, OpenDocument", opendocument_sheets(package), name)
        if "[Content_Types].xml" in package.names or "mimetype" in package.names:
            raise ContentError("this is a document, but no workbook", where=name, remedy="save its tables as .xlsx")
        return None
    if data.startswith(BINARY_START):
        return _document("workbook, older binary form", binary_sheets(data, name), name)
    return None


def read_page(text: str, name: str) -> Document | None:
    """Read the tables of a page; None if the text is not one."""
    if not looks_like_page(text):
        return None
    return _document("page of HTML, whatever its name says", page_sheets(text), name, plain=True)


def read_text_as_sheet(text: str, name: str, layout: Layout) -> Document:
    """Read delimited text as a sheet with tables on it.

    Parameters
    ----------
    text : str
    name : str
        Of the file.
    layout : Layout
    """
    sheet = text_sheet(text, layout, PurePath(name).stem)
    return _document("delimited text, read as a sheet", [sheet], name, plain=True)


def _document(kind: str, sheets: list[Sheet], name: str, *, plain: bool = False) -> Document:
    places: list[tuple[InnerTable, _Place]] = []
    grids = {sheet.name: SheetGrid(sheet, name) for sheet in sheets if len(sheet)}
    found = {title: find_areas(grid) for title, grid in grids.items()}
    _mark_summaries(grids, found)
    for title, grid in grids.items():
        areas = found[title]
        names = _area_names(grid, areas)
        for area, own in zip(areas, names, strict=True):
            about = "on a hidden sheet" if grid.sheet.hidden else ""
            about = f"sums up {area.sums_up}" if area.sums_up else about
            place = f"{title}!{grid.range(area.range)}"
            places.append((_inner(grid, area, own, place, about, plain=plain), _Place(grid, area)))
    if not places:
        raise ContentError("it contains no table: all its sheets are empty", where=name)

    def find(wanted: str) -> InnerTable | None:
        return _by_range(wanted, grids, places, plain=plain)

    empty = [sheet.name for sheet in sheets if not len(sheet)]
    hidden = [sheet.name for sheet in sheets if sheet.hidden]
    facts = {"sheets": listing([sheet.name for sheet in sheets])}
    if empty:
        facts["empty sheets"] = listing(empty)
    if hidden:
        facts["hidden sheets"] = listing(hidden)
    return Document(kind, "its first bytes say so", tuple(inner for inner, _ in places), find, facts)


def _area_names(grid: SheetGrid, areas: list[Area]) -> list[str]:
    """Name each table of a sheet: by the sheet if it is the only one, else by its title or its range."""
    title = grid.sheet.name
    if len([area for area in areas if not area.sums_up]) == 1:
        return [title if not area.sums_up else f"{title}!{grid.range(area.range)}" for area in areas]
    # Where some have a title right above them, or others none, one that stands further off is that of the sheet.
    own = any(len(area.titles) > len(area.above) for area in areas) or not all(area.titles for area in areas)
    named = [area.titles if not own or len(area.titles) > len(area.above) else [] for area in areas]
    plain = [[text for text in titles if text not in _said(area)] for titles, area in zip(named, areas, strict=True)]
    short = [" ".join(titles[-1].split()) if titles else "" for titles in plain]
    # Where there is no title, the value of the first label names it.
    short = [text or next(iter(area.labels.values()), "") for text, area in zip(short, areas, strict=True)]
    counts = Counter(short)
    return [
        text if text and len(text) <= MOST_TITLE and counts[text] == 1 else f"{title}!{grid.range(area.range)}"
        for text, area in zip(short, areas, strict=True)
    ]


def _said(area: Area) -> set[str]:
    """Return the titles that are labels with their values."""
    return {f"{name}: {value}" for name, value in area.labels.items()}


def _inner(grid: SheetGrid, area: Area, name: str, place: str, about: str, *, plain: bool) -> InnerTable:
    return InnerTable(
        name,
        place,
        lambda rules: _made(grid, area, rules, plain=plain),
        about,
        grid.sheet.name,
        tuple(area.names),
        plain,
    )


def _by_range(
    wanted: str, grids: dict[str, SheetGrid], places: list[tuple[InnerTable, _Place]], *, plain: bool
) -> InnerTable | None:
    """Return the table at a range: the one found there, or its cells read as one."""
    title, mark, text = wanted.rpartition("!")
    title = title.strip("'")
    if not mark and len(grids) == 1:
        title = next(iter(grids))
    if title not in grids:
        return None
    with contextlib.suppress(ParameterError):
        asked = read_range(text)
        grid = grids[title]
        for inner, place in places:
            if place.grid is grid and grid.range(place.area.range) == asked:
                return inner
        inside = grid.inside(asked)
        if inside is None:
            raise ContentError(f"there is nothing in {wanted}")
        area = read_area(grid, inside)
        return _inner(grid, area, wanted, f"{title}!{asked}", "", plain=plain)
    return None


@np.errstate(over="ignore", invalid="ignore")
def _mark_summaries(grids: dict[str, SheetGrid], found: dict[str, list[Area]]) -> None:
    """Mark tables that are totals: by formulas that reach outside, or by equal sums."""
    everything = [(grids[title], area) for title, areas in found.items() for area in areas]
    # Every table is held against every other one.
    if not 2 <= len(everything) <= MOST_TABLES_COMPARED:
        return
    sums = [(grid, area, _sums(grid, area)) for grid, area in everything]
    for grid, area in everything:
        values = _numbers(grid, area)
        if not LEAST_COMPARED <= len(values) <= MOST_COMPARED:
            continue
        others = [(other_grid, other, known) for other_grid, other, known in sums if other is not area]
        if _sums_up_by_name(grid, area, others):
            area.sums_up = "the tables that its rows name"
            continue
        larger = [one for one in others if len(one[1].body) > len(area.body)]
        explained = [any(_among(value, known) for *_, known in larger) for value in values.tolist()]
        if all(explained) and larger:
            grid_of, best, _ = max(larger, key=lambda one: sum(_among(value, one[2]) for value in values.tolist()))
            area.sums_up = f"{grid_of.sheet.name}!{grid_of.range(best.range)}"


def _sums_up_by_name(grid: SheetGrid, area: Area, others: Sequence[tuple[SheetGrid, Area, np.ndarray]]) -> bool:
    """Return whether each row of a table is named like another table and holds nothing but sums of that one.

    There are as many rows as other tables, or more, which then add those up.
    """
    body = area.body[~np.isin(area.body, list(area.totals))]
    if len(others) < LEAST_NAMED or len(body) < LEAST_NAMED or not area.columns:
        return False
    sums_of: dict[str, np.ndarray] = {}
    for other_grid, other, known in others:
        for name in {other_grid.sheet.name, *other.titles[-1:]}:
            sums_of[fold(name.strip())] = np.concatenate([sums_of.get(fold(name.strip()), np.zeros(0)), known])
    found = [sums_of.get(fold(label.strip())) for label in grid.texts_of(body, area.columns[0])]
    if any(known is None for known in found):
        return False
    numbers = np.array([grid.numbers(body, column) for column in area.columns[1:] if column not in area.total_columns])
    if not numbers.size or np.isnan(numbers).all(axis=0).any():
        return False
    return all(
        _among(value, known)
        for known, row in zip(found, numbers.T.tolist(), strict=True)
        for value in row
        if known is not None and not np.isnan(value)
    )


def _numbers(grid: SheetGrid, area: Area) -> np.ndarray:
    kept = [column for column in area.columns if column not in area.total_columns]
    body = area.body[~np.isin(area.body, list(area.totals))]
    values = np.concatenate([grid.numbers(body, column) for column in kept]) if kept else np.zeros(0)
    held: np.ndarray = values[~np.isnan(values)]
    return held


def _sums(grid: SheetGrid, area: Area) -> np.ndarray:
    """Return the sums of columns of a table, and, where it has a column of texts, those by its values."""
    body = area.body[~np.isin(area.body, list(area.totals))]
    sums: list[float] = []
    labels = next((column for column in area.columns if (grid.kinds(body, column) == SourceKind.TEXT).all()), None)
    for column in area.columns:
        if column in area.total_columns:
            continue
        numbers = np.nan_to_num(grid.numbers(body, column))
        if not numbers.any():
            continue
        sums.append(float(numbers.sum()))
        if labels is not None:
            _, codes = np.unique(grid.cells(body, labels).texts, return_inverse=True)
            if codes.max(initial=0) + 1 < len(body):
                sums.extend(np.bincount(codes, weights=numbers).tolist())
    return np.sort(np.array(sums))


def _among(value: float, known: np.ndarray) -> bool:
    return bool(len(known) and (np.abs(known - value) <= 1e-9 * max(1.0, abs(value))).any())


def _made(grid: SheetGrid, area: Area, rules: ColumnRules, *, plain: bool) -> TableData:
    """Read a table of a sheet as columns."""
    if rules.options.header is not None and rules.options.header != len(area.header):
        area = read_area(grid, area.range, rules.options.header)
    keep = rules.options.totals
    body = area.body if keep else area.body[~np.isin(area.body, list(area.totals))]
    body = body if rules.options.rows is None else body[: rules.options.rows]
    places = [column for column in area.columns if keep or column not in area.total_columns]
    titles = dict(zip(area.columns, unique_names(area.names), strict=True))
    letters = {titles[column]: column_letters(int(grid.columns[column])) for column in places}
    columns = {
        titles[column]: _column(grid, area, titles[column], column, body, rules, plain=plain) for column in places
    }
    hidden = np.isin(grid.rows[body], list(grid.sheet.hidden_rows))
    if hidden.any():
        name = unique_names([*columns, "hidden"])[-1]
        columns[name] = Column(BOOLEAN, hidden, description="whether the row is hidden in the workbook")
    rows, lines = grid.rows[body], grid.sheet.lines
    made = TableData(
        chosen_columns(columns, rules),
        (rows + 1 if lines is None else lines[rows]).astype(np.int32),
        f"{grid.sheet.name}!{column_letters(int(grid.columns[places[0]])) if places else 'A'}{{}}"
        if lines is None
        else "line {}",
        {name: f"{grid.sheet.name}!{letter}{{}}" for name, letter in letters.items()} if lines is None else {},
        titles=list(area.titles),
        labels=dict(area.labels),
        footers=list(area.notes),
    )
    above = {titles[column]: heading for column, heading in zip(area.columns, area.headings, strict=True) if heading}
    made.headings = {name: heading for name, heading in above.items() if name in made.columns}
    made.notes = _notes(grid, area, rules, body, letters)
    header = [int(grid.rows[row]) + 1 for row in area.header]
    made.details = [f"header in {_listed('row', header)}" if header else "without a header"]
    made.details += (
        [f"units in {_listed('row', [int(grid.rows[row]) + 1 for row in area.units])}"] if area.units else []
    )
    below = [int(grid.rows[row]) + 1 for row in area.column_labels]
    made.details += [f"labels of the columns in {_listed('row', below)}, read as their descriptions"] if below else []
    made.set_aside = [] if keep else _set_aside(grid, area)
    made.wrong_totals = [_shown_total(grid, area, one) for one in area.wrong_totals]
    made.account = _account(grid, area, len(body), keep=keep)
    return made


def _account(grid: SheetGrid, area: Area, rows: int, *, keep: bool) -> SourceAccount:
    """Say what became of every row of the sheet from the first line of the header to the last row."""
    top, left, bottom, right = area.range
    filled = np.count_nonzero((grid.at[top : bottom + 1, left : right + 1] >= 0).any(axis=1)) if bottom >= top else 0
    read = int(grid.rows[bottom] - grid.rows[top]) + 1 if bottom >= top else 0
    totals = 0 if keep else int(np.isin(area.body, list(area.totals)).sum())
    beyond = len(area.body) - totals - rows
    parts = {
        "of the header": len(area.header), "of units": len(area.units), "of labels": len(area.column_labels),
        "empty": read - int(filled), "repeating the header": len(area.repeated),
        "beyond those asked for": beyond,
    }  # fmt: skip
    left_out = {what: count for what, count in parts.items() if count}
    return SourceAccount("row", read, rows, left_out, {"with totals": totals} if totals else {})


def _listed(noun: str, numbers: list[int]) -> str:
    """Name some lines of a sheet.

    >>> _listed("row", [3, 4])
    'rows 3, 4'
    """
    return f"{noun}{'s' if len(numbers) > 1 else ''} {listing([str(number) for number in numbers], MOST_ROWS_LISTED)}"


def _column(
    grid: SheetGrid, area: Area, name: str, place: int, body: Codes, rules: ColumnRules, *, plain: bool
) -> Column:
    cells = grid.cells(body, place)
    if rules.options.fill_merged:
        _fill(grid, cells, place, body)
    written = _written(grid, cells, place, body)
    if plain:
        # What was taken for a number to find the table is read from its text.
        cells.kinds = np.where(cells.kinds == SourceKind.NUMBER, np.uint8(SourceKind.TEXT), cells.kinds)
    if plain and rules.options.types is None:
        text, words = Text.from_strings(cells.written(np.arange(len(body)))), rules.options.words_of(name)
        column = infer_column(text, missing=words, known=rules.options.knows_words(name))
    else:
        column = make_column(name, cells, rules)
    units = [grid.text(row, place) for row in area.units]
    at = grid.at[body, place]
    formats = grid.sheet.formats[at[at >= 0]]
    shown = grid.sheet.format_names[int(np.bincount(formats).argmax())] if len(formats) else ""
    unit = (units[0].strip("[]() ") if units and units[0] else "") or unit_in_name(name)
    labels = [" ".join(grid.text(row, place).split()) for row in area.column_labels]
    message = "; ".join(part for part in (*labels, unit) if part)
    message = message or (shown if column.type.numeric else "")
    message = message or (f"digits as the workbook shows them, like {written}" if written else "")
    return column._replace(description=message) if message else column


def _written(grid: SheetGrid, cells: TypedCells, place: int, body: Codes) -> str:
    """Make texts of whole numbers that the workbook shows as codes, with zeros in front; returns one of them."""
    if not grid.sheet.written:
        return ""
    at = grid.at[body, place]
    found = {row: grid.sheet.written[cell] for row, cell in enumerate(at.tolist()) if cell in grid.sheet.written}
    zeros = [text for text in found.values() if text.startswith("0") and len(text) > 1]
    numbers = cells.kinds == SourceKind.NUMBER
    if not zeros or not could_be_codes(cells.numbers[numbers]).all():
        return ""
    rows = np.flatnonzero(numbers)
    width = len(zeros[0]) if zeros[0].isdecimal() else 0
    cells.texts = cells.texts.copy()
    cells.texts[rows] = np.arange(len(cells.strings), len(cells.strings) + len(rows))
    cells.strings = [
        *cells.strings,
        *(found.get(row, str(int(cells.numbers[row])).zfill(width)) for row in rows.tolist()),
    ]
    cells.kinds = np.where(numbers, np.uint8(SourceKind.TEXT), cells.kinds)
    return zeros[0]


def _fill(grid: SheetGrid, cells: Any, place: int, body: Codes) -> None:
    """Copy a merged cell's value to every cell it covers."""
    for area in grid.merged:
        if not area.left <= place <= area.right:
            continue
        covered = np.flatnonzero((body >= area.top) & (body <= area.bottom))
        source = grid.cells(np.array([area.top]), area.left)
        cells.kinds[covered], cells.numbers[covered] = source.kinds[0], source.numbers[0]
        cells.texts[covered] = source.texts[0]


def _notes(grid: SheetGrid, area: Area, rules: ColumnRules, body: Codes, letters: dict[str, str]) -> list[str]:
    sheet, notes = grid.sheet, []
    if area.blank_rows:
        notes.append(f"{counted(len(area.blank_rows), 'empty row')} inside left out")
    if area.repeated:
        repeated = [int(grid.rows[row]) + 1 for row in area.repeated]
        notes.append(f"{counted(len(repeated), 'row')} repeating the header, left out: {_listed('row', repeated)}")
    if area.blank_columns:
        notes.append(f"{counted(len(area.blank_columns), 'empty column')} inside left out")
    hidden = [int(row) + 1 for row in grid.rows[body] if int(row) in sheet.hidden_rows]
    if hidden:
        notes.append(
            f"{counted(len(hidden), 'hidden row')} read: {listing([str(row) for row in hidden], MOST_ROWS_LISTED)}"
        )
    columns = [name for name, letter in letters.items() if read_range(f"{letter}1").left in sheet.hidden_columns]
    if columns:
        notes.append(f"{counted(len(columns), 'hidden column')} read: {listing(columns, MOST_ROWS_LISTED)}")
    at = grid.at[body]
    at = at[:, [column for column in area.columns if column not in area.total_columns]]
    at = at[at >= 0]
    formulas = int((sheet.formulas[at] != 0).sum())
    if formulas:
        notes.append(f"{counted(formulas, 'cell')} calculated by formulas, read as the values the workbook holds")
    unstored = _unstored(grid, area, body)
    if unstored:
        has = "has a formula whose value" if unstored == 1 else "have formulas whose values"
        notes.append(
            f"{counted(unstored, 'cell')} {has} the workbook does not hold, missing as blank "
            "(a spreadsheet program calculates them when it saves the workbook)"
        )
    errors = int((sheet.kinds[at] == SourceKind.ERROR).sum())
    if errors:
        notes.append(f"{counted(errors, 'cell')} with an error of the spreadsheet program, missing as marker")
    rows = Range(int(body[0]), area.range.left, int(body[-1]), area.range.right) if len(body) else None
    body_merged = [one for one in grid.merged if rows is not None and one.meets(rows)]
    if body_merged and not rules.options.fill_merged:
        notes.append(
            f"{counted(len(body_merged), 'merged cell')} among the rows, only the first place of each has the value "
            "(fill_merged=True, or --fill-merged, fills the others)"
        )
    return [*notes, *_totals_notes(grid, area, rules)]


def _unstored(grid: SheetGrid, area: Area, body: Codes) -> int:
    """Count the formulas without a value among the rows of a table."""
    columns = {int(grid.columns[column]) for column in area.columns if column not in area.total_columns}
    rows = set(grid.rows[body].tolist()) if grid.sheet.unstored else set()
    return sum(row in rows and column in columns for row, column in grid.sheet.unstored)


def _totals_notes(grid: SheetGrid, area: Area, rules: ColumnRules) -> list[str]:
    """Say which rows and columns are totals: last, where the sentence over a table shows it."""
    notes = []
    for column, why in area.total_columns.items():
        name = area.names[area.columns.index(column)] or "without a name"
        done = "read as a column" if rules.options.totals else "set aside"
        notes.append(f"column {column_letters(int(grid.columns[column]))} ({name}) is a total, {done}: {why}")
    done = "read as rows" if rules.options.totals else "set aside"
    rows: dict[str, list[str]] = {}
    for row, why in area.totals.items():
        rows.setdefault(why, []).append(str(grid.rows[row] + 1))
    for why, numbers in rows.items():
        verb = "rows {} are totals" if len(numbers) > 1 else "row {} is a total"
        notes.append(f"{verb.format(listing(numbers, MOST_ROWS_LISTED))}, {done}: {why}")
    for one in area.wrong_totals:
        total = _shown_total(grid, area, one)
        place = total.place.rpartition("!")[2]
        notes.append(
            f"the total {total.given} of {total.column} in {place} is wrong: its parts add up to {total.parts}"
        )
    return notes


def _shown_total(grid: SheetGrid, area: Area, wrong: totals.WrongTotal) -> WrongTotal:
    """Say what a wrong total is, where, and what its parts add up to."""
    name = area.names[area.columns.index(wrong.column)]
    place = f"{grid.sheet.name}!{column_letters(int(grid.columns[wrong.column]))}{grid.rows[wrong.row] + 1}"
    return WrongTotal(place, name, number_text(wrong.given), number_text(round(wrong.parts, SHOWN_DIGITS)))


def _set_aside(grid: SheetGrid, area: Area) -> list[SourceLine]:
    """Return the totals that are not rows of the table, with the place and the reason."""
    left, right = area.range.left, area.range.right
    first, last = (int(area.body[0]), int(area.body[-1])) if len(area.body) else (0, 0)
    rows = [
        SourceLine(_place_of(grid, Range(row, left, row, right)), why, tuple(grid.texts(row, left, right)))
        for row, why in area.totals.items()
    ]
    columns = [
        SourceLine(
            _place_of(grid, Range(first, column, last, column)),
            why,
            tuple(grid.cells(area.body, column).written(np.arange(len(area.body)))),
        )
        for column, why in area.total_columns.items()
    ]
    return [*rows, *columns]


def _place_of(grid: SheetGrid, area: Range) -> str:
    """Say where cells are: by addresses, or by the lines of the text that the sheet is."""
    whole, lines = grid.range(area), grid.sheet.lines
    if lines is None:
        return f"{grid.sheet.name}!{whole}"
    if whole.top == whole.bottom:
        return f"line {lines[whole.top]}"
    return f"column {column_letters(whole.left)}, lines {lines[whole.top]} to {lines[whole.bottom]}"
