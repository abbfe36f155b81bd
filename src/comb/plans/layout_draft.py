"""A draft plan that makes one tidy table of a sheet made for people: how it is read, and how it is reshaped.

What is read: of several tables with most columns in common all, one below the other, after a column that names each;
else each as a table of the plan. A delimited text is read as a sheet where that finds more than one table in it, or
totals. Merged cells are filled where there are some among the rows.

What is done, in this order, each only where the values show it: rows that only head others become a column; marks of
footnotes are separated; columns whose names are values (months, years, days, numbers that count on; a wider heading
above others) become rows; a month and a day below one year named in a title become a date; blocks of the same labels
with a value each become a row each. Nothing is guessed beyond that: what the draft does not do is for a person to add.
"""

import contextlib
import os
import re
from collections.abc import Sequence
from itertools import takewhile
from pathlib import Path
from typing import NamedTuple

from comb.casting.cast import convert_column
from comb.errors import CombError, ContentError, ParameterError, counted, listing
from comb.execution.resources import DEFAULT
from comb.parsing.calendar_names import MONTH_NAMES
from comb.parsing.patterns import parse_request
from comb.plans.model import Save, TablePlan, name_of, write_plan
from comb.profiling.column_cache import ColumnCache
from comb.profiling.layout import heading_groups, kind_of
from comb.profiling.sheets import footnote_marks, heading_rows
from comb.reading.column_rules import ColumnRules
from comb.reading.documents.model import InnerTable
from comb.reading.load import files_inside, load_table, members_of
from comb.reading.opened import OpenDocument, open_source
from comb.steps.accounting import take_step
from comb.steps.base import Step, in_quotes
from comb.steps.cell_steps import Convert
from comb.steps.column_steps import Calculate, Rename
from comb.steps.shape_steps import Split, ToLong
from comb.steps.wide_steps import ToWide
from comb.tables.names import unique_names
from comb.tables.read_options import ReadOptions
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.types import STRING

HEAD = """\
# A draft: how this source is read, and how it becomes one tidy table. Names are proposals. Try it:
# comb run PLAN --dry-run
"""

ALL = "*"

# The columns of labels and values without a header.
_CARD = ("_col.1", "_col.2")

# The column that names each of several tables.
NAMES_EACH = "table"

_MONTHS = frozenset(word for names in MONTH_NAMES for word in names.split())
_A_YEAR = re.compile(r"(?<![0-9])(?:19|20)[0-9]{2}(?![0-9])")

# Types of columns that are made of headings; what has an order of its own keeps it.
_TYPES = {
    "year": "integer", "month": "category", "quarter": "category", "number": "integer", "week": "category",
    "weekday": "category",
}  # fmt: skip

# What numbers that count on from 1 are called, by how many there may be.
_COUNTED = ((12, "month number"), (31, "day"), (53, "week"))
_MOST_HOURS = 24


class LayoutDraft(NamedTuple):
    """A draft plan of a source's layout.

    Attributes
    ----------
    text : str
        YAML.
    tables, steps : int
        How many it has.
    said : list of str
        What was found, in words.
    """

    text: str
    tables: int
    steps: int
    said: list[str]


class _Found(NamedTuple):
    """A table to be planned: its name, how it is read, what stands above its columns."""

    name: str
    options: ReadOptions
    table: BareTable
    headings: dict[str, str]


def draft_layout(source: str | Path, options: ReadOptions, folder: Path) -> LayoutDraft:
    """Draft a plan that makes a source tidy.

    Parameters
    ----------
    source : str or Path
        A workbook, a page, JSON, an archive, a folder of files, a delimited text.
    options : ReadOptions
        What is known of how it is read; a table that is named is the only one.
    folder : Path
        Where the plan will stand; its source is named relative to it.

    Returns
    -------
    LayoutDraft
        Cost: the source is read a few times, each step is taken once.
    """
    found = _read(source, options)
    planned: dict[str, TablePlan] = {}
    said: list[str] = []
    where = os.path.relpath(source, folder)
    for one in found:
        steps = _steps(one)
        names = unique_names([*planned, one.name])
        planned[names[-1]] = TablePlan(source=where, reading=one.options, steps=steps)
        said.append(f"{names[-1]}: {counted(one.table.row_count, 'row')} read")
        said += [f"  {note}" for note in one.table.notes]
        said += [f"  {step.name}: {step.describe()}" for step in steps]
    stem = name_of(Path(where).name)
    if len(found) == 1:
        planned = {stem: next(iter(planned.values()))}
    text = HEAD + "".join(f"# {line}\n" for line in said) + write_plan(planned, save=[Save(to=f"{stem}-result")])
    return LayoutDraft(text, len(planned), sum(len(one.steps) for one in planned.values()), said)


def _read(source: str | Path, options: ReadOptions) -> list[_Found]:
    """Read a source as one table where that is possible, else as several."""
    stem = name_of(Path(source).name)
    if options.table is None and (Path(source).is_dir() or len(_members(source)) > 1):
        return _all_or_each(source, options, list(files_inside(source, options.replace(table=ALL))), stem)
    asked = options if options.table is not None else options.replace(table=ALL)
    opened = open_source(source, options, DEFAULT)
    if isinstance(opened, OpenDocument):
        return _of_document(source, options, opened, stem)
    plain = _Found(stem, options, load_table(source, options), {})
    try:
        sheet = open_source(source, asked, DEFAULT)
        found = _of_document(source, options, sheet, stem) if isinstance(sheet, OpenDocument) else [plain]
    except (CombError, OSError):
        return [plain]
    # Totals, and tables parted by titles, are what a plain reading takes for rows.
    several = isinstance(sheet, OpenDocument) and sum(one.clear for one in sheet.document.tables) > 1
    if several or any(one.table.origin.set_aside for one in found):
        return [one._replace(options=one.options.replace(table=one.options.table or ALL)) for one in found]
    return [plain]


def _members(source: str | Path) -> list[str]:
    return members_of(source) if Path(source).is_file() else []


def _of_document(source: str | Path, options: ReadOptions, opened: OpenDocument, stem: str) -> list[_Found]:
    inner = [one for one in opened.document.tables if one.clear] or list(opened.document.tables)
    if not inner:
        raise ContentError("it contains no table", where=opened.name)
    headings = inner[0].make(ColumnRules(options)).headings
    if options.table is not None:
        return [_filled(_Found(stem, options, load_table(source, options), headings), source)]
    if len(inner) == 1:
        # The only one is read without its name, which may be another next month.
        text = opened.document.kind.startswith("delimited")
        alone = options if opened.document.tables[0] is inner[0] and not text else options.replace(table=inner[0].name)
        alone = options.replace(table=ALL) if text else alone
        return [_filled(_Found(stem, alone, load_table(source, alone), headings), source)]
    found = _all_or_grouped(source, options, opened, inner, stem)
    return [_filled(one._replace(headings=headings if len(found) == 1 else {}), source) for one in found]


def _all_or_grouped(
    source: str | Path, options: ReadOptions, opened: OpenDocument, inner: Sequence[InnerTable], stem: str
) -> list[_Found]:
    """Read all tables as one; else those of each sheet, or of the same columns, as one."""
    whole = _together(source, options, ALL, stem) or _cards(source, options, stem)
    if whole:
        return whole
    columns = {one.name: tuple(one.make(ColumnRules(options)).columns) for one in inner}
    left, found = list(inner), list[_Found]()
    while left:
        first = left[0]
        alike = [one for one in left if columns[one.name] == columns[first.name]]
        beside = [one for one in left if one.group and one.group == first.group]
        for members in (*(some for some in (alike, beside) if len(some) > 1), [first]):
            name = first.name if len(members) == 1 else _pattern_for(opened, members)
            made = _together(source, options, name, members[0].group or first.name) if name else []
            if made:
                found += [one._replace(name=first.name) if len(members) == 1 else one for one in made]
                left = [one for one in left if one not in members]
                break
        else:
            left.pop(0)
    return found


def _together(source: str | Path, options: ReadOptions, table: str, name: str) -> list[_Found]:
    """Read the tables that a pattern means as one; nothing where they have too little in common."""
    asked = options.replace(table=table)
    try:
        return [_Found(name, asked, load_table(source, asked), {})]
    except ContentError:
        return []


def _pattern_for(opened: OpenDocument, members: Sequence[InnerTable]) -> str:
    """Return a pattern that means some tables and no other; nothing if there is none."""
    names = {one.name for one in members}
    pairs = takewhile(lambda some: len(set(some)) == 1, zip(*names, strict=False))
    begins = "".join(some[0] for some in pairs)
    for pattern in (*(f"{one.group}*" for one in members[:1] if one.group), f"{begins}*"):
        with contextlib.suppress(ContentError):
            if {one.name for one in opened.document.choose(pattern, "")[0]} == names:
                return pattern
    return ""


def _cards(source: str | Path, options: ReadOptions, stem: str) -> list[_Found]:
    """Read blocks of labels with a value each, the same labels in each block: below each other, without a header."""
    asked = options.replace(table=ALL, header=0)
    table = load_table(source, asked)
    if NAMES_EACH not in table or len(table.names) != len((NAMES_EACH, *_CARD)):
        return []
    blocks: dict[str, list[str]] = {}
    for block, label in zip(table[NAMES_EACH].texts(), table[_CARD[0]].texts(), strict=True):
        blocks.setdefault(str(block), []).append(label or "")
    labels = list(blocks.values())
    alike = len(labels) > 1 and all(one == labels[0] for one in labels) and len(set(labels[0])) == len(labels[0])
    return [_Found(stem, asked, table, {})] if alike else []


def _from_cards(table: BareTable) -> list[Step]:
    """Return the steps that make a row of each block of labels and values, and give the values their types."""
    if table.names != (NAMES_EACH, *_CARD):
        return []
    wide = ToWide(heading_column=_CARD[0], value_column=[_CARD[1]])
    made = take_step(wide, table).table
    types = {}
    for name in made.names[1:]:
        column = made[name]
        for word in ("integer", "decimal", "number", "date"):
            fits = convert_column(column, parse_request(word)).missing_count == column.missing_count
            if column.type == STRING and fits and column.missing_count < len(column):
                types[name] = word
                break
    return [wide, *([Convert(columns=types)] if types else [])]


def _all_or_each(source: str | Path, options: ReadOptions, names: Sequence[str], stem: str) -> list[_Found]:
    everything = options.replace(table=ALL)
    try:
        return [_Found(stem, everything, load_table(source, everything), {})]
    except ContentError:
        # They have little in common.
        each = [(name, options.replace(table=name)) for name in names]
        return [_Found(name, one, load_table(source, one), {}) for name, one in each]


def _filled(found: _Found, source: str | Path) -> _Found:
    """Fill merged cells among the rows, where there are some."""
    if not found.table.origin.kind.startswith("workbook"):
        return found
    filled = found.options.replace(fill_merged=True)
    table = load_table(source, filled)
    return found if table.equals(found.table) else found._replace(options=filled, table=table)


def _steps(found: _Found) -> list[Step]:
    """Return the steps that make a table tidy."""
    table, steps = found.table, []

    def take(step: Step) -> None:
        nonlocal table
        table = take_step(step, table).table
        steps.append(step)

    for finder in (heading_rows, footnote_marks):
        for finding in finder(ColumnCache.at(table)):
            if finding.remedy is not None:
                take(finding.remedy)
    long = _to_long(table, found.headings)
    if long is not None:
        take(long)
        if long.pattern is None and long.heading_column == _TWO:
            years = _parts_of(found.headings, [name for name in found.table.names if name in found.headings])
            names = (
                unique_names([*table.names, "year", "month"])[-2:] if _of_kind(years[0], "year") else ["over", "under"]
            )
            take(Split(column=_TWO, mark=" ", new_columns=names))
    for cards in _from_cards(table):
        take(cards)
    each = _named_each(table)
    if each is not None:
        take(each)
        if each.names[NAMES_EACH] == "year":
            take(Convert(columns={"year": "integer"}))
    day = _as_date(table, found)
    if day is not None:
        take(day)
    return steps


# The column of headings that are values in both of their lines.
_TWO = "heading"


def _to_long(table: BareTable, headings: dict[str, str]) -> ToLong | None:
    """Return the step that makes rows of columns whose names are values, alone or below a wider heading."""
    under = [name for name in table.names if name in headings]
    taken = [name for name in table.names if name not in under]
    if len(set(headings.values())) > 1 and len(under) > 1 and _quotable(under):
        above, below = _parts_of(headings, under)
        if len(set(below)) < len(below) and len(set(above)) * len(set(below)) == len(under):
            over, beneath = _kind_of_all(above), _kind_of_all(below)
            if beneath and over:
                return ToLong(columns=_as_range(table, under), heading_column=_TWO, value_column=_free("value", taken))
            part = _free(beneath or over or "group", [*taken, *(above if beneath else below)])
            pattern = f"{{value}} {{{part}}}" if beneath else f"{{{part}}} {{value}}"
            types = {part: _TYPES[beneath or over]} if (beneath or over) in _TYPES else {}
            return ToLong(columns=_as_range(table, under), pattern=pattern, types=types)
    for what, names in heading_groups(table.names):
        if len(names) == len(table.names) or not _quotable(names) or not _one_type(table, names):
            continue
        others = [name for name in table.names if name not in names]
        kind = _TYPES.get(what) if all(kind_of(name) == (what, "") for name in names) else None
        if what == "day" and all(re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", name) for name in names):
            kind = "date"
        title = _free(_name_of_counted(names) if what == "number" else "date" if kind == "date" else what, others)
        whole = what != "number" or not _only_beyond(table, names)
        return ToLong(
            columns=_as_range(table, names), heading_column=title, value_column=_free("value", [*others, title]),
            types={title: kind} if kind else {}, keep_missing=whole,
            keep_absent=not any((table[name].states == Reason.ABSENT).any() for name in names),
        )  # fmt: skip
    return None


def _parts_of(headings: dict[str, str], names: Sequence[str]) -> tuple[list[str], list[str]]:
    """Return the upper and the lower heading of some columns."""
    return [headings[name] for name in names], [name.removeprefix(headings[name]).strip() for name in names]


def _kind_of_all(texts: Sequence[str]) -> str:
    """Return what kind of value all of some headings are; nothing if they are not."""
    kinds = {kind_of(text) for text in texts}
    kind = next(iter(kinds)) if len(kinds) == 1 else None
    return kind[0] if kind is not None and not kind[1] else ""


def _of_kind(texts: Sequence[str], kind: str) -> bool:
    return _kind_of_all(texts) == kind


def _as_range(table: BareTable, names: Sequence[str]) -> list[str]:
    """Return the selector of columns: a range, where they stand side by side."""
    begin = table.names.index(names[0])
    side_by_side = list(table.names[begin : begin + len(names)]) == list(names)
    return [f"{names[0]}:{names[-1]}"] if side_by_side and len(names) > 2 else list(names)


def _quotable(names: Sequence[str]) -> bool:
    """Return whether names are no selectors of something else."""
    return not any(sign in name for name in names for sign in "*?[]:#")


def _one_type(table: BareTable, names: Sequence[str]) -> bool:
    kinds = {table[name].type.plain.word for name in names if table[name].missing_count < table.row_count}
    return kinds <= {"integer", "decimal", "number"} or len(kinds) == 1


def _name_of_counted(names: Sequence[str]) -> str:
    """Return what numbers that count on are.

    >>> _name_of_counted([str(day) for day in range(1, 32)])
    'day'
    """
    numbers = [int(name) for name in names]
    if numbers[0] == 0 and numbers[-1] < _MOST_HOURS:
        return "hour"
    return next((name for most, name in _COUNTED if numbers[-1] == most), "number")


def _only_beyond(table: BareTable, names: Sequence[str]) -> bool:
    """Return whether the only missing cells are of days that a month does not have."""
    late = {name for name in names if int(name) > 28}
    return bool(late) and any(table[name].missing_count for name in late) and not any(
        table[name].missing_count for name in names if name not in late
    )  # fmt: skip


def _free(name: str, taken: Sequence[str]) -> str:
    return unique_names([*taken, name])[-1]


def _named_each(table: BareTable) -> Rename | None:
    """Return the step that calls the column of tables by what their names are."""
    if NAMES_EACH not in table:
        return None
    names = [text for text in table[NAMES_EACH].distinct().values.texts() if text]
    kind = _kind_of_all(names)
    wanted = kind in ("month", "year", "quarter", "day", "week") and kind not in table
    return Rename(names={NAMES_EACH: kind}) if wanted else None


def _as_date(table: BareTable, found: _Found) -> Calculate | None:
    """Return the step that makes dates of a month and a day below one year that the titles name."""
    if "day" not in table or "date" in table or not table["day"].type.numeric:
        return None
    months = [
        name for name, column in table.columns.items()
        if column.type.word in ("string", "category") and _are_months(column.distinct().values.texts())
    ]  # fmt: skip
    origin = found.table.origin
    years = set(_A_YEAR.findall(" ".join([*origin.titles, str(origin.options.table or "")])))
    if len(months) != 1 or len(years) != 1:
        return None
    formula = f"cast(cast(day as string) || ' ' || {in_quotes(months[0])} || ' {years.pop()}' as date)"
    step = Calculate(columns={"date": formula})
    try:
        made = take_step(step, table).table["date"]
    except CombError:
        return None
    return step if not made.missing_count else None


def _are_months(texts: Sequence[str | None]) -> bool:
    return bool(texts) and all(text is not None and text.casefold().rstrip(".") in _MONTHS for text in texts)


def check_one(sources: Sequence[str]) -> str:
    """Return the only source; of several, one is drafted at a time.

    Raises
    ------
    ParameterError
        If there are several.
    """
    if len(sources) != 1:
        raise ParameterError(
            f"a draft is made of one source, got {len(sources)}: {listing(sources)}",
            remedy="put them into a folder, and name that",
        )
    return sources[0]
