"""A draft plan that makes one tidy table of a sheet made for people: how it is read, and how it is reshaped.

How it is read is found by `layout_reading`. What is done, in this order, each step only where the values show it: a
table whose rows are its variables is turned; rows that only head others become a column, as do rows that sum up those
below that are set in; marks of footnotes are separated; columns whose names are values (months, years, days, numbers
that count on; a wider heading above others) become rows; blocks of the same labels with a value each become a row each;
a month and a day below one year named in a title become a date. Nothing is guessed beyond that: what the draft does not
do is for a person to add.
"""

import contextlib
import os
import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np

from comb.casting.cast import convert_column
from comb.errors import CombError, ParameterError, counted, listing
from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing.calendar_names import MONTH_NAMES
from comb.parsing.headings import heading_groups, heading_kind
from comb.parsing.patterns import parse_request
from comb.plans.layout_reading import CARD, NAMES_EACH, LayoutTable, is_turned, read_layout
from comb.plans.model import Save, TablePlan, name_of, write_plan
from comb.profiling.column_cache import ColumnCache
from comb.profiling.sheets import footnote_marks, heading_rows
from comb.steps.accounting import take_step
from comb.steps.base import Step, in_quotes
from comb.steps.cell_steps import Convert, Trim
from comb.steps.column_steps import Calculate, Rename
from comb.steps.layout_steps import TakeHeadingRows
from comb.steps.shape_steps import Split, ToLong, Transpose
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

_MONTHS = frozenset(word for names in MONTH_NAMES for word in names.split())
_A_YEAR = lazy_pattern(r"(?<![0-9])(?:19|20)[0-9]{2}(?![0-9])")

# Types of columns that are made of headings; what has an order of its own keeps it.
_TYPES = {
    "year": "integer", "month": "category", "quarter": "category", "number": "integer", "week": "category",
    "weekday": "category",
}  # fmt: skip

# What numbers that count on from 1 are called, by how many there may be.
_COUNTED = ((12, "month number"), (31, "day"), (53, "week"))
_MOST_HOURS = 24

# At least this many columns are named by what was measured and a value.
LEAST_PARTED = 3


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
    found = read_layout(source, options)
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


def _steps(found: LayoutTable) -> list[Step]:
    """Return the steps that make a table tidy."""
    table, steps = found.table, []

    def take(step: Step) -> None:
        nonlocal table
        table = take_step(step, table).table
        steps.append(step)

    for step in _turned(table):
        take(step)
    parents = _parents(table)
    if parents is not None:
        take(parents)
    for finder in (heading_rows, footnote_marks):
        for finding in finder(ColumnCache.at(table)):
            if finding.remedy is not None:
                take(finding.remedy)
    for step in _trimmed(table):
        take(step)
    for step in _to_long(table, found.headings):
        take(step)
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


# The column of headings that are values in several of their lines.
_SEVERAL = "heading"


def _turned(table: BareTable) -> list[Step]:
    """Return the steps for a table whose rows are its variables: each row is of one kind, and no column is.

    Where all cells are numbers nothing tells rows from columns, and nothing is done.
    """
    if not is_turned(table):
        return []
    first = table.names[0]
    turned = Transpose(headings_in=first, heading_column=first)
    types = _types_of(take_step(turned, table).table, skip=1)
    return [turned, *([Convert(columns=types)] if types else [])]


def _parents(table: BareTable) -> TakeHeadingRows | None:
    """Return the step for rows that sum up those below them, whose names are set in: the sums are set aside."""
    first, *others = table.names
    if not others or table[first].type != STRING or table[first].missing_count:
        return None
    heads = np.array([not str(text).startswith((" ", "\t")) for text in table[first].texts()], np.bool_)
    at = np.flatnonzero(heads)
    numeric = [table[name] for name in others if table[name].type.numeric]
    sizes = np.diff(np.append(at, table.row_count)) - 1
    if len(at) < 2 or at[0] or not sizes.all() or not numeric or not _quotable([first]):
        return None
    for column in numeric:
        values = np.where(column.present, column.array, 0)
        sums = np.add.reduceat(np.where(heads, 0, values), at)
        if not np.allclose(sums, values[at], rtol=1e-9):
            return None
    title = _free(f"{first} group", table.names)
    return TakeHeadingRows(column=first, new_columns=[title], where=f"{in_quotes(first)} not like ' %'")


def _types_of(table: BareTable, skip: int) -> dict[str, str]:
    """Return the types that columns of text can have without losing a cell."""
    types = {}
    for name in table.names[skip:]:
        column = table[name]
        for word in ("integer", "decimal", "number", "date"):
            fits = convert_column(column, parse_request(word)).missing_count == column.missing_count
            if column.type == STRING and fits and column.missing_count < len(column):
                types[name] = word
                break
    return types


def _trimmed(table: BareTable) -> list[Step]:
    """Return the step that takes off spaces around texts, by which sheets show what belongs to what."""
    names = [
        name for name, column in table.columns.items()
        if column.type == STRING and any(text and text != text.strip() for text in column.distinct().values.texts())
    ]  # fmt: skip
    return [Trim(columns=names)] if names and _quotable(names) else []


def _to_long(table: BareTable, headings: Mapping[str, tuple[str, ...]]) -> list[Step]:
    """Return the steps that make rows of columns whose names are values, alone or below wider headings."""
    return _from_two_lines(table, headings) or _from_parts(table) or _from_names(table)


def _from_two_lines(table: BareTable, headings: Mapping[str, tuple[str, ...]]) -> list[Step]:
    """Return the steps for columns below wider headings, each of which has the same names below it."""
    under = [name for name in table.names if name in headings]
    if len({headings[name] for name in under}) < 2 or not _quotable(under):
        return []
    above = [" ".join(headings[name]) for name in under]
    below = [name.removeprefix(upper).strip() for name, upper in zip(under, above, strict=True)]
    if len(set(below)) == len(below) or len(set(above)) * len(set(below)) != len(under):
        return []
    taken = [name for name in table.names if name not in under]
    over, beneath = _kind_of_all(above), _kind_of_all(below)
    columns = _as_range(table, under)
    if beneath and over:
        # Both lines are values, and the cells have no name.
        names = unique_names([*taken, over, beneath])[-2:]
        steps: list[Step] = [
            ToLong(columns=columns, heading_column=_SEVERAL, value_column=_free("value", taken)),
            Split(column=_SEVERAL, mark=" ", new_columns=names),
        ]
        return [*steps, *([Convert(columns={names[0]: "integer"})] if over == "year" else [])]
    part = _free(beneath or over or "group", [*taken, *(above if beneath else below)])
    pattern = f"{{value}} {{{part}}}" if beneath else f"{{{part}}} {{value}}"
    types = {part: _TYPES[beneath or over]} if (beneath or over) in _TYPES else {}
    long = ToLong(columns=columns, pattern=pattern, types=types)
    upper = list(dict.fromkeys(headings[name] for name in under))
    if any(len(lines) != 2 for lines in upper) or beneath:
        return [long]
    # Of three lines of header the upper two are taken apart, too.
    first = "|".join(re.escape(text) for text in dict.fromkeys(lines[0] for lines in upper))
    names = unique_names([*taken, *below, part, f"{part} (part)"])[-2:]
    return [long, Split(column=part, pattern=f"({first}) (.+)", new_columns=names)]


# What stands between a name and a value.
_BETWEEN = lazy_pattern(r"[ _.\-/]+")


def _from_parts(table: BareTable) -> list[Step]:
    """Return the step for columns named by what was measured and a value: `weight_2024`, `mites_2024`; `Jan kg`."""
    found: dict[tuple[str, str, bool], list[tuple[str, str, str]]] = {}
    for name in table.names:
        whole = heading_kind(name)
        # A heading that is a value as a whole is not taken apart: 2024-04-01.
        for match in _BETWEEN.finditer(name) if whole is None or whole[1] else ():
            sides = name[: match.start()], name[match.end() :]
            for first in (True, False):
                value, what = sides if first else sides[::-1]
                known = heading_kind(value)
                if known is not None and not known[1] and known[0] != "number" and what:
                    found.setdefault((known[0], match[0], first), []).append((name, value, what))
    for (kind, mark, first), parts in sorted(found.items(), key=lambda one: -len(one[1])):
        names = [name for name, _, _ in parts]
        others = [name for name in table.names if name not in names]
        values, measured = ({part[at] for part in parts} for at in (1, 2))
        if len(names) < LEAST_PARTED or len(values) < 2 or not others or not _quotable(names):
            continue
        part = _free(kind, [*others, *measured])
        step = ToLong(
            columns=_as_range(table, names),
            pattern=f"{{{part}}}{mark}{{value}}" if first else f"{{value}}{mark}{{{part}}}",
            types={part: _TYPES[kind]} if kind in _TYPES else {},
            keep_absent=not any((table[name].states == Reason.ABSENT).any() for name in names),
        )
        with contextlib.suppress(CombError):
            take_step(step, table)
            return [step]
    return []


def _from_names(table: BareTable) -> list[Step]:
    """Return the step for columns whose names are values."""
    for what, names in heading_groups(table.names):
        if len(names) == len(table.names) or not _quotable(names) or not _one_type(table, names):
            continue
        others = [name for name in table.names if name not in names]
        kind = _TYPES.get(what) if all(heading_kind(name) == (what, "") for name in names) else None
        if what == "day" and all(re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", name) for name in names):
            kind = "date"
        named = _name_of_counted(names, beside_months=bool(_months_in(table))) if what == "number" else what
        title = _free("date" if kind == "date" else named, others)
        return [ToLong(
            columns=_as_range(table, names), heading_column=title, value_column=_free("value", [*others, title]),
            types={title: kind} if kind else {}, keep_missing=what != "number" or not _only_beyond(table, names),
            keep_absent=not any((table[name].states == Reason.ABSENT).any() for name in names),
        )]  # fmt: skip
    return []


def _kind_of_all(texts: Sequence[str]) -> str:
    """Return what kind of value all of some headings are; nothing if they are not."""
    kinds = {heading_kind(text) for text in texts}
    kind = next(iter(kinds)) if len(kinds) == 1 else None
    return kind[0] if kind is not None and not kind[1] else ""


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


def _name_of_counted(names: Sequence[str], *, beside_months: bool) -> str:
    """Return what numbers that count on are.

    >>> _name_of_counted([str(day) for day in range(1, 32)], beside_months=False)
    'day'
    """
    numbers = [int(name) for name in names]
    if beside_months and numbers[0] == 1 and numbers[-1] <= 31:
        return "day"
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


def _from_cards(table: BareTable) -> list[Step]:
    """Return the steps that make a row of each block of labels and values, and give the values their types."""
    if table.names != (NAMES_EACH, *CARD):
        return []
    wide = ToWide(heading_column=CARD[0], value_column=[CARD[1]])
    types = _types_of(take_step(wide, table).table, skip=1)
    return [wide, *([Convert(columns=types)] if types else [])]


def _named_each(table: BareTable) -> Rename | None:
    """Return the step that calls the column of tables by what their names are."""
    if NAMES_EACH not in table:
        return None
    names = [text for text in table[NAMES_EACH].distinct().values.texts() if text]
    kind = _kind_of_all(names)
    wanted = kind in ("month", "year", "quarter", "day", "week") and kind not in table
    return Rename(names={NAMES_EACH: kind}) if wanted else None


def _as_date(table: BareTable, found: LayoutTable) -> Calculate | None:
    """Return the step that makes dates of a month and a day below one year that the titles name."""
    if "day" not in table or "date" in table or not table["day"].type.numeric:
        return None
    months = _months_in(table)
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


def _months_in(table: BareTable) -> list[str]:
    """Return the columns in which every cell is a month."""
    return [
        name for name, column in table.columns.items()
        if column.type.word in ("string", "category") and _are_months(column.distinct().values.texts())
    ]  # fmt: skip


def _are_months(texts: Sequence[str | None]) -> bool:
    return bool(texts) and all(text is not None and text.casefold().rstrip(".") in _MONTHS for text in texts)


def check_one(sources: Sequence[str]) -> str:
    """Return the only source; of several, one is drafted at a time.

    Raises
    ------
    ParameterError
        If there are several, or it can be read only once.
    """
    if "-" in sources:
        raise ParameterError(
            "a draft names its source and reads it more than once; standard input is read once",
            remedy="save it to a file, and name that",
        )
    if len(sources) != 1:
        raise ParameterError(
            f"a draft is made of one source, got {len(sources)}: {listing(sources)}",
            remedy="put them into a folder, and name that",
        )
    return sources[0]
