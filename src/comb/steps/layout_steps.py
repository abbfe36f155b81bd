"""Steps that take apart what a sheet for people puts together: take_heading_rows, separate_marks."""

import re
from collections.abc import Sequence

import numpy as np

from comb.casting.cast import convert_column
from comb.errors import ColumnError, ParameterError, TypeMismatch, agree, counted, listing
from comb.expressions.evaluate import evaluate_condition
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes
from comb.kernels.notation import shape_of
from comb.parsing.patterns import parse_request
from comb.steps.base import Change, SetAside, Step, chosen, undefined_notes
from comb.tables.cell_source import NO_PLACE, placed, without
from comb.tables.column import Column, Mask
from comb.tables.kept import Kept
from comb.tables.names import check_known
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import STRING

# What stands behind a value to point at a note: asterisks, daggers, raised digits, a number or letter with a bracket.
USUAL_MARKS = r"[*†‡§]+|[¹²³⁰-⁹]+|\(?[0-9a-z]{1,2}\)"

# What stands before a number that is a bound, or about right.
_BOUND = lazy_pattern(
    r"\s*(?P<mark><=|>=|[<>≤≥~≈])\s*(?P<value>[+-]?[0-9](?:[0-9.,' ]*[0-9.])?"
    r"(?:\s?(?:[^\W\d_]|[%°µ‰])[^\s\d<>]{0,11})?)\s*"
)

# Headings that are listed.
MOST_LISTED = 3


class TakeHeadingRows(Step, frozen=True, tag="take_heading_rows"):
    """Make a column of rows that only head those below them: "Upper river" above its quays.

    Parameters
    ----------
    column : str
        The column in which the headings stand.
    new_columns : list of str
        The name of the column that they become. Of headings in two levels, one right below the other, both names, the
        upper one first: a single heading is then one of the lower level.
    where : str, optional
        Which rows are headings; by default those with a value in this column and in no other.
    """

    column: str
    new_columns: list[str]
    where: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Set the heading rows aside, and put their text beside the rows below them."""
        name = check_known(self.column, table.names)
        if not self.new_columns:
            raise ParameterError("expected a name in new_columns, got none", remedy="for instance new_columns: region")
        for title in self.new_columns:
            if title in table or self.new_columns.count(title) > 1:
                raise ColumnError(f"there would be two columns named {title!r}", remedy="choose another name")
        heads = self._headings(table, name)
        at = np.flatnonzero(heads)
        body = np.flatnonzero(~heads)
        level, below = self._levels(at), _rows_below(at, table.row_count)
        notes = self._notes(table[name], at, below, level)
        columns: dict[str, Column] = {}
        for number, title in enumerate(self.new_columns):
            source = _last_of_level(at, level, number, table.row_count)[body]
            columns[title] = _from_rows(table, name, source)
        rest = table._take(body)
        reasons = tuple(
            f"heading of {counted(count, 'row')}" if count else "heading without rows" for count in below.tolist()
        )
        unknown = undefined_notes(self.where, table) if self.where else []
        made = rest._derive({**columns, **rest.columns})
        return Change(made, body, SetAside(at, reasons), notes=(*notes, *unknown))

    def _headings(self, table: BareTable, name: str) -> Mask:
        if self.where is not None:
            result = evaluate_condition(self.where, table)
            return np.asarray(result.array & result.present & table[name].present)
        heads = table[name].present.copy()
        for other, column in table.columns.items():
            if other != name:
                heads &= column.missing & (column.states != Reason.UNREADABLE)
        return heads if len(table.names) > 1 else np.zeros(table.row_count, np.bool_)

    def _levels(self, at: Codes) -> Codes:
        """Return for each heading which of the new columns it belongs to; -1 for one too many in a run."""
        last = len(self.new_columns) - 1
        level = np.full(len(at), last, np.int64)
        for place in range(len(at) - 2, -1, -1):
            if last and at[place] + 1 == at[place + 1]:
                level[place] = max(level[place + 1] - 1, -1)
        return level

    def _notes(self, column: Column, at: Codes, below: Codes, level: Codes) -> list[str]:
        if not len(at):
            return [f"no row is a heading: {', '.join(self.new_columns)} absent everywhere"]
        notes = []
        lowest = level == len(self.new_columns) - 1
        empty = at[(below == 0) & lowest]
        if len(empty):
            names = [repr(text) for text in column._take(empty[:MOST_LISTED]).texts()]
            notes.append(f"{counted(len(empty), 'heading')} without rows: {listing(names)}")
        if at[0] > 0:
            notes.append(f"{counted(int(at[0]), 'row')} above the first heading: {', '.join(self.new_columns)} absent")
        return notes

    def describe(self) -> str:
        """Name the columns."""
        where = f" where {self.where}" if self.where else ""
        return f"heading rows of {self.column}{where} made {', '.join(self.new_columns)}"


def _rows_below(at: Codes, rows: int) -> Codes:
    """Return how many rows follow each heading before the next."""
    return np.diff(np.append(at, rows)) - 1


def _last_of_level(at: Codes, level: Codes, wanted: int, rows: int) -> Codes:
    """Return for each row the last heading of a level above it, -1 for none; a higher one begins anew."""
    mark = np.full(rows, -1, np.int64)
    mark[at[level == wanted]] = at[level == wanted]
    higher = np.full(rows, -1, np.int64)
    higher[at[(level >= 0) & (level < wanted)]] = at[(level >= 0) & (level < wanted)]
    if not rows:
        return mark
    last, anew = np.maximum.accumulate(mark), np.maximum.accumulate(higher)
    return np.where(last > anew, last, -1)


def _from_rows(table: BareTable, name: str, rows: Codes) -> Column:
    """Return the cells of a column at some rows, which know their rows; absent where the row is -1."""
    column = table[name]
    lacking = rows < 0
    if not len(column):
        return column._absent(len(rows))
    source = placed(column.source, name).in_rows(table.origin, table.row_numbers)
    taken = column._replace(source=source)._take(np.maximum(rows, 0))
    if lacking.any():
        taken = taken._replace(source=without(taken.source, lacking) if taken.source else None)
        taken = taken._emptied(lacking, Reason.ABSENT)
    return taken


class SeparateMarks(Step, frozen=True, tag="separate_marks"):
    """Separate marks of footnotes from the values they stand behind, `12*`, `34 1)`, and signs before them: `<0.1`.

    Parameters
    ----------
    columns : list of str
        Selectors of the columns. A column of text whose values are all numbers without their marks becomes one of
        numbers; in a column of numbers the cells that were unreadable for their mark are read.
    new_columns : list of str
        The names of the columns for the marks, as many as columns; by default the name of each with `` mark`` behind
        it.
    marks : list of str
        Further marks, besides asterisks, daggers, raised digits and a digit or letter with a bracket: ``p``, ``e``.
        Before a number ``<``, ``>``, ``<=``, ``>=``, ``≤``, ``≥``, ``~`` and ``≈`` are marks.
    """

    columns: list[str]
    new_columns: list[str] = []
    marks: list[str] = []

    @property
    def depends_on_values(self) -> bool:
        """What is a number without its marks becomes one."""
        return True

    def apply(self, table: BareTable) -> Change:
        """Take the marks off."""
        names = chosen(table, self.columns)
        titles = self.new_columns or [f"{name} mark" for name in names]
        if len(titles) != len(names):
            raise ParameterError(f"expected {len(names)} names in new_columns, got {len(titles)}")
        for title in titles:
            if title in table or titles.count(title) > 1:
                raise ColumnError(
                    f"there would be two columns named {title!r}", remedy="choose other names in new_columns"
                )
        words = "|".join([USUAL_MARKS, *(re.escape(mark) for mark in self.marks if mark)])
        fit = re.compile(rf"\s*(?P<value>.*?\S)\s*(?P<mark>{words})\s*", re.DOTALL)
        columns: dict[str, Column] = {}
        notes = []
        of = dict(zip(names, titles, strict=True))
        for name, column in table.columns.items():
            columns[name] = column
            if name in of:
                columns[name], columns[of[name]], said = _without_marks(name, column, fit)
                notes += said
        made_from = {title: [name] for name, title in of.items()}
        return Change(table._derive(columns), notes=tuple(notes), made_from=made_from)

    def describe(self) -> str:
        """Name the columns."""
        return f"marks in {', '.join(self.columns)} separated from the values"


def _without_marks(name: str, column: Column, fit: re.Pattern[str]) -> tuple[Column, Column, list[str]]:
    """Return a column without its marks, the marks, and what there is to say."""
    if column.type.textual:
        return _from_texts(name, column, fit)
    if not column.type.numeric or column.type.base is not None:
        raise TypeMismatch(
            f"expected a column of text or of numbers, {name!r} is {column.type}", remedy="leave it out of columns"
        )
    # Only what could not be read has a mark.
    split = {at: found for at, text in column.kept.texts.items() if (found := _parted(text, fit))}
    texts = [split[at][0] if at in split else text for at, text in column.kept.texts.items()]
    again = column._replace(kept=Kept(dict(zip(column.kept.texts, texts, strict=True))))
    made = convert_column(again, parse_request(column.type.word))
    read = {at for at in split if made.present[at]}
    # A text that is not a number without its mark either remains as it was.
    left = {at: column.kept.texts.get(at, text) for at, text in made.kept.texts.items()}
    made = made._replace(kept=Kept(left), source=column.source, description=column.description)
    marks = {at: found[1] for at, found in split.items() if at in read}
    return made, _marks(len(column), marks), _told(name, marks, made)


def _parted(text: str, fit: re.Pattern[str]) -> tuple[str, str] | None:
    """Return a value without its mark, and the mark; None without a mark."""
    found = _BOUND.fullmatch(text) or fit.fullmatch(text)
    return (found["value"], found["mark"]) if found else None


def _from_texts(name: str, column: Column, fit: re.Pattern[str]) -> tuple[Column, Column, list[str]]:
    texts = column.texts()
    split = {at: found for at, text in enumerate(texts) if text is not None and (found := _parted(text, fit))}
    plain = [split[at][0] if at in split else text or "" for at, text in enumerate(texts)]
    bare = column._replace(values=Text.from_strings(plain))
    marks = {at: mark for at, (_, mark) in split.items()}
    for word in ("integer", "decimal", "number"):
        made = convert_column(bare, parse_request(word))
        # A word for missing is missing in a column of numbers, as it is where numbers are loaded.
        unread = np.count_nonzero((made.states == Reason.UNREADABLE) & column.present)
        if not unread and made.present.any():
            numbers = made._replace(source=column.source, description=column.description)
            notes = _told(name, marks, numbers)
            units = sorted({shape.unit for text in plain if (shape := shape_of(text.strip())) and shape.unit})
            if units:
                shares = ", and are shares of 1 now" if "%" in units else ""
                notes.append(f"the numbers of {name} had the unit {listing(units)}{shares}")
            if words := made.missing_count - column.missing_count:
                notes.append(f"{counted(words, 'word')} for missing in {name} {agree(words, 'is', 'are')} missing now")
            return numbers, _marks(len(column), marks), notes
    return bare, _marks(len(column), marks), _told(name, marks, bare)


def _marks(rows: int, marks: dict[int, str]) -> Column:
    """Return the marks as a column; a cell without one is absent."""
    state = np.full(rows, Reason.ABSENT, np.uint8)
    state[list(marks)] = Reason.PRESENT
    return Column(STRING, Text.from_strings([marks.get(at, "") for at in range(rows)]), state, source=NO_PLACE)


def _told(name: str, marks: dict[int, str], made: Column) -> list[str]:
    """Say which marks there were, and what could not be read without them."""
    kinds: dict[str, int] = {}
    for mark in marks.values():
        kinds[mark] = kinds.get(mark, 0) + 1
    said = [f"{mark!r} in {counted(count, 'cell')}" for mark, count in sorted(kinds.items(), key=lambda one: -one[1])]
    notes = [f"{name}: {listing(said) if said else 'no mark found'}"]
    left = int(np.count_nonzero(made.states == Reason.UNREADABLE))
    if left:
        notes.append(f"{counted(left, 'cell')} of {name} {agree(left, 'stays', 'stay')} unreadable")
    return notes


def bounded_texts(texts: Sequence[str]) -> list[str]:
    """Return the texts that are a number behind a sign of a bound.

    >>> bounded_texts(["<0.1", "> 12", "0.1", "<b>"])
    ['<0.1', '> 12']
    """
    return [text for text in texts if _BOUND.fullmatch(text)]


def marked_texts(texts: Sequence[str]) -> list[str]:
    """Return the texts that end with a mark of a footnote behind a number.

    >>> marked_texts(["12*", "34 1)", "12", "M*A*S*H", "7 (b)"])
    ['12*', '34 1)', '7 (b)']
    """
    fit = re.compile(rf"\s*[+-]?[0-9][0-9.,' ]*\s*(?:{USUAL_MARKS})\s*")
    return [text for text in texts if fit.fullmatch(text)]
