"""What comes before the rows: titles, header, units. Pure: text in, header out."""

from collections import Counter
from collections.abc import Sequence

import msgspec

from comb.errors import ContentError
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels import dispatch
from comb.kernels.types import LINE_END_BYTES, Dialect
from comb.reading.delimited.cell_kinds import kind_of
from comb.reading.delimited.first_lines import is_ruling, table_above, unit_of
from comb.reading.delimited.layout import DECLARATION, SAMPLE_RECORDS, Layout, as_line, unmarked

# No table made by people or programs for people is wider; a text without line ends is.
MOST_COLUMNS = 20_000

# How many fields rows have is seen in a sample of them, smaller where they are wide.
LEAST_SAMPLE = 20
SAMPLE_CELLS = 100_000

# Programs that print tables rule them below the header.
MOST_RULINGS = 3
# With one group of columns alone nothing says where it ends.
LEAST_GROUPS = 2

# Not how values are written: "date (yymmdd)" has no unit.
_FORM_IN_NAME = lazy_pattern(r"(?i)(?=.{4})(?:yyyy|yy|mm|dd|hh|ss|jjjj|jj|tt|[-./: ])+")
_UNIT_IN_NAME = lazy_pattern(r"[\[(]([^\[\]()]{1,15})[\])]\s*\Z", needs="[(")


class Anomalies(msgspec.Struct):
    """The lines on which something is irregular, by what it is; from 0."""

    blank: list[int] = msgspec.field(default_factory=list)
    repeated: list[int] = msgspec.field(default_factory=list)
    pages: list[int] = msgspec.field(default_factory=list)
    empty: list[int] = msgspec.field(default_factory=list)
    ruled: list[int] = msgspec.field(default_factory=list)
    footers: list[int] = msgspec.field(default_factory=list)
    stray: list[int] = msgspec.field(default_factory=list)
    unclosed: list[int] = msgspec.field(default_factory=list)
    headers: list[int] = msgspec.field(default_factory=list)


class Header(msgspec.Struct):
    """What stands above the rows of a table.

    Attributes
    ----------
    layout : Layout
    titles, units : list of str
    names : list of str
        One for each column, before they are made unique.
    rows : list of list of str
        The lines of the header, as fields.
    width : int
        How many columns the table has.
    read_width : int
        How many fields most rows have, if that is more.
    single : bool
        Whether a blank line is a row.
    offset, lines : int
        Where the rows begin, in bytes and lines.
    anomalies : Anomalies
    above : int
        How many lines above the header are no part of it.
    unit_lines, label_lines : int
        How many lines of units there are, and of labels for the columns.
    labels : list of str
        Of each column; an empty list without them.
    ruling : str
        The first field of a line of dashes below the header; empty if there is none.
    table_above : tuple of (int, int), optional
        The first and last of the lines above that look like a table of their own.
    """

    layout: Layout
    titles: list[str]
    units: list[str]
    names: list[str]
    rows: list[list[str]]
    width: int
    read_width: int
    single: bool
    offset: int
    lines: int
    anomalies: Anomalies
    above: int = 0
    unit_lines: int = 0
    label_lines: int = 0
    labels: list[str] = []
    ruling: str = ""
    table_above: tuple[int, int] | None = None

    @property
    def dialect(self) -> Dialect:
        """How records and fields are parted."""
        return Dialect(self.layout.delimiter, self.layout.quote, self.layout.escape)


def parse_header(text: str, data: bytes, layout: Layout) -> Header:
    """Read what stands above the rows.

    Parameters
    ----------
    text : str
        The beginning of the text.
    data : bytes
        The same in UTF-8.
    layout : Layout
    """
    heads = layout.header + layout.labels + layout.units
    dialect = Dialect(layout.delimiter, layout.quote, layout.escape)
    found = dispatch.kernels.records(text, dialect, layout.skip + heads + LEAST_SAMPLE)
    if max(map(len, found.fields), default=1) * SAMPLE_RECORDS <= SAMPLE_CELLS:
        found = dispatch.kernels.records(text, dialect, layout.skip + heads + SAMPLE_RECORDS)
    start = sum(line <= layout.skip for line in found.lines)
    if found.lines and start == len(found.lines) and layout.skip:
        count = text.count("\n") + (not text.endswith("\n"))
        raise ContentError(f"there is nothing below the {layout.skip:,} lines that are to be skipped, it has {count:,}")
    delimiter = layout.delimiter
    titles = [as_line(fields, delimiter) for fields in found.fields[:start]]
    if titles and layout.skip and found.lines[0] == 1 and DECLARATION.match(text):
        titles = titles[1:]
    lines_above, fields, lines = found.lines[:start], found.fields[start:], found.lines[start:]
    single = all(len(row) == 1 for row in fields[: heads + 1])
    kept = [at for at, row in enumerate(fields) if single or row != [""]]
    rulings = heads
    while rulings < min(len(kept), heads + MOST_RULINGS) and is_ruling(fields[kept[rulings]]):
        rulings += 1
    ends = kept[rulings - 1] + 1 if rulings and rulings <= len(kept) else 0 if not rulings else len(fields)
    more = ends < len(lines)
    passed = lines[ends] - 1 if more else len(LINE_END_BYTES.findall(data))
    head = [["", *fields[at]] if layout.nameless_first else fields[at] for at in kept[: layout.header]]
    head = [unmarked(row, delimiter) for row in head] if layout.marked else head
    body = [fields[at] for at in kept[rulings:]]
    width = len(head[-1]) if head else _commonest_width(body)
    _check_width(width)
    names = _joined(head, width, body)
    above = range(layout.skip, passed)
    anomalies = Anomalies(
        empty=[lines_above[at] - 1 for at, row in enumerate(found.fields[:start]) if len(row) > 1 and not any(row)],
        blank=[] if single else [lines[at] - 1 for at in range(ends) if fields[at] == [""]],
        ruled=[lines[at] - 1 for at in kept[heads:rulings]],
        stray=[line - 1 for line in found.stray if line - 1 in above],
        unclosed=[line - 1 for line in found.unclosed if line - 1 in above],
    )
    above_units = layout.header + layout.labels
    has_units = bool(layout.units) and len(kept) > above_units
    units = _units(fields[kept[above_units]] if has_units else [], names)
    label_rows = [fields[at] for at in kept[layout.header : above_units]]
    titles = [title for title in titles if title.strip()]
    read_width = max(width, _commonest_width(body)) if body else width
    _check_width(read_width)
    offset = _offset_of(data, passed) if more else len(data)
    return Header(
        layout,
        titles,
        units,
        names,
        head,
        width,
        read_width,
        single,
        offset,
        passed,
        anomalies,
        layout.skip,
        int(has_units),
        len(label_rows),
        _labels(label_rows, width),
        fields[kept[rulings - 1]][0] if rulings > heads else "",
        table_above(found.fields[:start], lines_above),
    )


def _check_width(width: int) -> None:
    if width > MOST_COLUMNS:
        raise ContentError(
            f"expected at most {MOST_COLUMNS:,} columns, got {width:,}",
            remedy="is this the right delimiter? Line ends may be missing; give another with delimiter=...",
        )


def _offset_of(data: bytes, lines: int) -> int:
    """Return where a line begins, in bytes."""
    offset = 0
    for _, match in zip(range(lines), LINE_END_BYTES.finditer(data), strict=False):
        offset = match.end()
    return offset


def _joined(head: list[list[str]], width: int, body: list[list[str]]) -> list[str]:
    """Make one name for each column of the lines of header.

    An upper heading spreads over the gaps to its right, as merged cells leave them, up to the next one or one above it.
    """
    if not head:
        return [""] * width
    parts: list[list[str]] = []
    begun: set[int] = set()
    for row in head[:-1]:
        spread, last = [], ""
        for at, cell in enumerate([*row, *[""] * (width - len(row))][:width]):
            last = cell.strip() or ("" if at in begun else last)
            spread.append(last)
        begun |= {at for at, cell in enumerate(row) if cell.strip()}
        beyond = _beyond_last(row, [name.strip() for name in head[-1]][:width], body)
        parts.append([*spread[: len(spread) - beyond], *[""] * beyond])
    columns = zip(*parts, head[-1], strict=True)
    return [" ".join(" ".join(column).split()) for column in columns]


def _beyond_last(upper: list[str], names: list[str], body: list[list[str]]) -> int:
    """Return how many columns at the end are beside the last upper heading and not below it.

    As a remark behind months of two years: the last group has all names of the one before, in order, and what follows
    has other values than numbers.
    """
    starts = [at for at, cell in enumerate(upper[: len(names)]) if cell.strip()]
    if len(starts) < LEAST_GROUPS:
        return 0
    before, last = names[starts[-2] : starts[-1]], names[starts[-1] :]
    more = len(last) - len(before)
    if more <= 0 or last[: len(before)] != before or set(last[len(before) :]) & set(before):
        return 0
    kinds = [{kind_of(row[at]) for row in body if at < len(row)} for at in range(len(names))]
    return more if all("number" not in one for one in kinds[-more:]) and "number" in kinds[-more - 1] else 0


def _units(row: list[str], names: list[str]) -> list[str]:
    """Return the unit of each column: from the line of units, else from brackets in its name."""
    given = [unit_of(cell) for cell in row] + [""] * len(names)
    return [given[at] or unit_in_name(name) for at, name in enumerate(names)]


def _labels(rows: list[list[str]], width: int) -> list[str]:
    """Return the label of each column, of one or several lines."""
    if not rows:
        return []
    padded = [[*row, *[""] * width][:width] for row in rows]
    return [
        "; ".join(text for cell in cells if (text := " ".join(cell.split()))) for cells in zip(*padded, strict=True)
    ]


def unit_in_name(name: str) -> str:
    """Return the unit that a name has in brackets; empty without one, or for the form of a date.

    >>> unit_in_name("net (kg)"), unit_in_name("born (dd.mm.yyyy)"), unit_in_name("net")
    ('kg', '', '')
    """
    found = _UNIT_IN_NAME.search(name)
    return found[1] if found and not _FORM_IN_NAME.fullmatch(found[1]) else ""


def _commonest_width(rows: Sequence[Sequence[str]]) -> int:
    widths = Counter(map(len, rows))
    return max(widths, key=lambda width: (widths[width], width), default=1)
