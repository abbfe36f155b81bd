"""Steps on cells: trim, recode, convert."""

import re
from collections.abc import Callable, Mapping
from typing import Any, ClassVar, Literal

import numpy as np
from msgspec.structs import replace

from comb.casting.cast import convert_column
from comb.errors import ParameterError, TypeMismatch, counted, listing
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes, compact, first_rows
from comb.kernels.types import INNER_SPACES, MOST_NUMBER_DIGITS
from comb.parsing.cell_parser import CellParser
from comb.parsing.letters import composed
from comb.parsing.patterns import Request, parse_request
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.steps.base import Change, Rows, SetAside, Step, chosen, folding, rows_where
from comb.tables.categories import as_category
from comb.tables.collect import changed_in_blocks, row_blocks
from comb.tables.column import Column, Mask
from comb.tables.concat import below
from comb.tables.evidence import MANY_DIGITS
from comb.tables.names import check_known
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import ASCII, Text
from comb.tables.types import NUMBER, STRING

# Line ends inside a text are content, not spacing.
_SPACES = lazy_pattern(r"[^\S\r\n]{2,}")
MOST_MISFITS_SHOWN = 5


class Trim(Step, frozen=True, tag="trim"):
    """Take outer spaces off texts.

    Parameters
    ----------
    columns : list of str
        Selectors; none means every column of type string.
    inner : bool
        Also make runs of spaces inside one space.
    invisible : bool
        Also take away zero-width and control characters, make no-break spaces plain ones, and write each letter with
        its accent as one character.
    where : str, optional
        Only in rows for which this condition is true.
    """

    columns: list[str] = []
    inner: bool = False
    invisible: bool = False
    where: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Trim the texts."""
        all_texts = [name for name, kind in table.types.items() if kind == STRING]
        names = chosen(table, self.columns) if self.columns else all_texts
        spaced: Callable[[str], str] = tidied if self.inner else str.strip

        def change(text: str) -> str:
            return spaced(uncovered(text) if self.invisible else text)

        columns = dict(table.columns)
        rows = None if self.where is None else rows_where(table, self.where)
        for name in names:
            if columns[name].type != STRING:
                raise TypeMismatch(
                    f"expected a column of type string, {name!r} is {columns[name].type}",
                    remedy="outer spaces never reach the values of other types",
                )

            def trimmed(part: Column, at: slice) -> Column:
                odd = self._may_change(part.text)
                made = part._map_some(odd, change) if odd.any() else part
                return only_in(None if rows is None else rows[at], part, made)

            some = row_blocks(columns[name], table._storage)
            if any(
                part.text.flags(lambda text: change(text) != text, self._may_change(part.text)).any()
                for part, _ in some
            ):
                columns[name] = changed_in_blocks(columns[name], table._storage, trimmed)
        return Change(table._derive(columns))

    def _may_change(self, text: Text) -> Mask:
        """Return which of the stored texts may be changed: those with needless spaces, or with odd characters."""
        found: Mask = text.outer_spaces(KNOWN_WORDS)
        if self.inner:
            found |= (text.traits(KNOWN_WORDS)[0] & INNER_SPACES) != 0
        if self.invisible and text.item_count:
            odd = (text.buffer < ord(" ")) | (text.buffer >= ASCII)
            places = np.flatnonzero(odd)
            items = np.searchsorted(text.offsets, places, "right") - 1
            found[items[(items >= 0) & (items < text.item_count)]] = True
        return found

    def describe(self) -> str:
        """Name the columns."""
        what = "spaces trimmed and invisible characters removed" if self.invisible else "spaces trimmed"
        where = f" where {self.where}" if self.where else ""
        return f"{what} in {', '.join(self.columns) or 'all text columns'}{where}"


# What cannot be seen: no-break and other odd spaces; soft hyphens, zero-width and control characters. Line ends and
# tabs are content.
_ODD_SPACES = "\u00a0\u2000-\u200a\u202f\u205f"
_NO_WIDTH = (
    "\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f\u00ad\u200b\u200e\u200f\u2028-\u202e\u2060-\u206f\ufeff"
)
HIDDEN = lazy_pattern(f"[{_ODD_SPACES}{_NO_WIDTH}\u200c\u200d]")
_ODD_SPACE, _UNSEEN = re.compile(f"[{_ODD_SPACES}]"), re.compile(f"[{_NO_WIDTH}]")

# Joiners say something between the letters of some scripts, and between the signs of one emoji.
_JOINERS = lazy_pattern("(?<![^\u0000-\u024f])[\u200c\u200d]|[\u200c\u200d](?![^\u0000-\u024f])")


def uncovered(text: str) -> str:
    """Return a text without characters that cannot be seen, no-break spaces as plain ones, each letter one character.

    >>> uncovered("Mill\\u00a0la\\u200bne")
    'Mill lane'
    """
    text = composed(text)
    if not HIDDEN.search(text):
        return text
    return _JOINERS.sub("", _UNSEEN.sub("", _ODD_SPACE.sub(" ", text)))


def tidied(text: str) -> str:
    """Return a text without outer and repeated spaces.

    >>> tidied(" Mill   lane ")
    'Mill lane'
    """
    if "  " not in text and text.isprintable():
        # The space is the only white space that is printed.
        return text.strip()
    return _SPACES.sub(" ", text).strip()


# Among more stored texts than this, those to be replaced are looked for one by one.
MANY_TEXTS = 20_000


class Recode(Step, frozen=True, tag="recode"):
    """Replace values by others, one for one: given here, or in a code book.

    Parameters
    ----------
    column : str
        The column.
    values : dict of str to str or None
        The value there is, and what it becomes; None empties the cell.
    table : str, optional
        A code book: another table of the plan with a row for each value.
    old_column, new_column : str, optional
        Its columns of the values there are, and of what they become; by default the first two.
    ignore : list of {"case", "spaces"}
        What makes no difference between values.
    others : {"keep", "clear"}
        What becomes of values not named.
    where : str, optional
        Only in rows for which this condition is true.
    """

    column: str
    values: dict[str, str | None] = {}
    table: str | None = None
    old_column: str | None = None
    new_column: str | None = None
    ignore: list[str] = []
    others: Literal["keep", "clear"] = "keep"
    where: str | None = None

    @property
    def other_table(self) -> str:
        """The code book."""
        return self.table or ""

    def apply(self, table: BareTable) -> Change:
        """Replace the values."""
        if self.table is not None or not self.values:
            raise ParameterError(
                f"no other table is called {self.table!r}" if self.table else "expected values or table, got neither",
                remedy="values: {lay: laying}, or table: the name of a code book in the plan",
            )
        return self._replaced(table, self.values)

    def apply_with(self, table: BareTable, other: BareTable) -> Change:
        """Replace the values by a code book."""
        if self.values:
            raise ParameterError("expected values or table, and not both")
        if len(other.names) < 2 and not (self.old_column and self.new_column):
            raise ParameterError(f"expected a code book of two columns, {self.table} has {len(other.names)}")
        old = other[check_known(self.old_column or other.names[0], other.names)].texts()
        new = other[check_known(self.new_column or other.names[1], other.names)].texts()
        values: dict[str, str | None] = {}
        for before, after in zip(old, new, strict=True):
            if before is None:
                continue
            if values.get(before, after) != after:
                raise ParameterError(
                    f"the code book {self.table} says both {values[before]!r} and {after!r} for {before!r}",
                    remedy="repair it: each value has to have one row",
                )
            values[before] = after
        return self._replaced(table, values)

    def _replaced(self, table: BareTable, values: Mapping[str, str | None]) -> Change:
        column = table[self.column]
        fold = folding(self.ignore)
        wanted = {fold(old): new for old, new in values.items()}
        rows = None if self.where is None else rows_where(table, self.where)
        # Each value there is, and whether it was to be replaced.
        there: dict[str, bool] = {}

        def recoded(part: Column, at: slice) -> Column:
            made = self._recoded(part, wanted, fold, there)
            return only_in(None if rows is None else rows[at], part, made)

        made = changed_in_blocks(column, table._storage, recoded)
        found = {fold(text) for text in there}
        unused = [old for old in values if fold(old) not in found]
        notes: tuple[str, ...] = (
            (f"not found in {self.column}: {listing([repr(old) for old in unused])}",) if unused else ()
        )
        if self.table is not None and self.others == "keep":
            strange = [repr(text) for text, yes in there.items() if not yes]
            notes += (f"not in {self.table}: {listing(sorted(strange))}",) if strange else ()
        return Change(table._derive({**table.columns, self.column: made}), notes=notes)

    def _recoded(
        self, column: Column, wanted: Mapping[str, str | None], fold: Callable[[str], str], there: dict[str, bool]
    ) -> Column:
        """Replace the values of a column; each distinct one is looked at once, and noted."""
        plain = column.type == STRING and self.others == "keep" and not self.ignore and self.table is None
        if plain and column.text.item_count > MANY_TEXTS and all(new and new.strip() for new in wanted.values()):
            return self._recoded_in_place(column, {old: new or "" for old, new in wanted.items()}, there)
        used, inverse = compact(column._codes())
        kinds = column._take(first_rows(inverse, len(used)))
        before = kinds.texts()
        hit = np.array([text is not None and fold(text) in wanted for text in before], np.bool_)
        after = [wanted[fold(text)] if yes and text else text for text, yes in zip(before, hit.tolist(), strict=True)]
        there.update((text, yes) for text, yes in zip(before, hit.tolist(), strict=True) if text is not None)
        new = retyped(kinds, after, self.column)
        made = column._replace(type=new.type, values=new._take(inverse).values)
        hits, gone = hit[inverse], np.array([text is None for text in after], np.bool_)[inverse]
        emptied = column.present & gone
        if self.others == "clear":
            emptied |= column.present & ~hits
        return made._emptied(emptied, Reason.CLEARED) if emptied.any() else made

    def _recoded_in_place(self, column: Column, wanted: Mapping[str, str], there: dict[str, bool]) -> Column:
        """Replace a few values among very many texts: only those are looked at."""
        counts, meant = column._text_counts(), np.zeros(column.text.item_count, np.bool_)
        for old in wanted:
            places = column.text.places_of(old)
            meant[places] = True
            if counts[places].any():
                there[old] = True
        return column._map_some(meant, wanted.__getitem__) if meant.any() else column

    def describe(self) -> str:
        """Name the column."""
        if self.table is not None:
            return f"{self.column} recoded by the code book {self.table}"
        where = f" where {self.where}" if self.where else ""
        return f"{counted(len(self.values), 'value')} of {self.column} recoded{where}"


def only_in(rows: Mask | None, before: Column, after: Column) -> Column:
    """Return a changed column in some rows, and the one before in all others.

    Parameters
    ----------
    rows : bool array or None
        None means all.
    before, after : Column
        Of one type.
    """
    if rows is None:
        return after
    two = below([before._replace(source=None), after._replace(source=None)])
    made = two._take(np.where(rows, len(before), 0) + np.arange(len(before)))
    return made._replace(source=before.source, description=before.description, evidence=before.evidence)


def retyped(column: Column, texts: list[str | None], name: str) -> Column:
    """Make a column like the given one from canonical texts; all of them must fit.

    Raises
    ------
    TypeMismatch
        At the first that does not.
    """
    if column.type == STRING:
        values: Any = Text.from_strings([text or "" for text in texts])
        return column._replace(values=values)
    if column.type.choices:
        undeclared = {text for text in texts if text} - {level.value for level in column.type.choices}
        if undeclared:
            raise TypeMismatch(
                f"{min(undeclared)!r} is no value of the category {name!r}",
                remedy="convert it with all values named, or to the type it is based on",
            )
        plain = retyped(column._replace(type=column.type.plain), texts, name)
        return plain._replace(type=column.type)
    made = convert_column(Column._of_strings(texts), _request_for(column))
    wrong = [text for text, fits in zip(texts, made.present.tolist(), strict=True) if text and not fits]
    if wrong:
        raise TypeMismatch(
            f"{wrong[0]!r} is no {column.type}, and {name!r} is a column of type {column.type}",
            remedy=f"for {wrong[0].lower()} give a formula: formula={_AGGREGATES[wrong[0].lower()]}({name})"
            if wrong[0].lower() in _AGGREGATES
            else f"convert it to string first: convert {name} to string",
        )
    return column._replace(values=made.values)


# What is written instead of a value and means one that is calculated.
_AGGREGATES = {"mean": "avg", "average": "avg", "avg": "avg", "median": "median", "min": "min", "max": "max"}


def _request_for(column: Column) -> Request:
    scale = column.type.scale
    return Request(column.type.word, "0." + "0" * scale if scale else "")


class Convert(Step, frozen=True, tag="convert"):
    """Give columns another type, or read again what could not be read.

    Parameters
    ----------
    columns : dict of str to str
        Selector, and the type wanted, with a pattern behind it where one is needed:
        ``date d.M.yyyy``, ``decimal 0.00``.
    missing : list of str
        Words and numbers that mean missing in these columns.
    decimal_mark, group_mark : str, optional
        The marks in numbers; by default the texts decide.
    unit : str, optional
        A unit behind the numbers, to be taken off.
    choices : list of str
        For categories: the values that may occur, in order.
    labels : dict of str to str
        For categories: what values stand for.
    rounding : str, optional
        How numbers with more digits than the type has, and datetimes that become dates, are
        rounded: ``nearest``, ``nearest_even``, ``down`` or ``up``. By default they do not fit.
    last_century_from : int, optional
        Two-digit years from here on are of the last century.
    on_misfit : {"keep", "set aside", "stop"}
        What happens to rows with a text that does not fit: kept, the cell missing and
        its text beside it; set aside; or nothing is done and all are listed.
    """

    accounting: ClassVar[Rows] = Rows.SAME

    columns: dict[str, str]
    missing: list[str] = []
    decimal_mark: str | None = None
    group_mark: str | None = None
    unit: str | None = None
    choices: list[str] = []
    labels: dict[str, str] = {}
    rounding: str | None = None
    last_century_from: int | None = None
    on_misfit: Literal["keep", "set aside", "stop"] = "keep"

    def apply(self, table: BareTable) -> Change:
        """Convert the columns."""
        columns = dict(table.columns)
        wanted = {name: asked for selector, asked in self.columns.items() for name in chosen(table, [selector])}
        for name, asked in wanted.items():
            columns[name] = self._converted(columns[name], parse_request(asked))
        changed = table._derive(columns)
        notes = tuple(note for name in wanted for note in _rounded(name, table[name], columns[name]))
        misfits = {} if self.on_misfit == "keep" else _misfits(columns, wanted)
        if not misfits:
            return Change(changed, notes=notes)
        if self.on_misfit == "stop":
            raise self._stopped(table, misfits)
        return _set_aside(changed, misfits)

    def _converted(self, column: Column, request: Request) -> Column:
        if self.last_century_from is not None:
            if not 0 <= self.last_century_from <= 100:
                raise ParameterError(f"expected last_century_from to be 0 to 100, got {self.last_century_from}")
            request = replace(request, last_century_from=self.last_century_from)
        if not (self.choices or self.labels):
            return convert_column(column, request, missing=self.missing, marks=self._marks(), rounding=self.rounding)
        if request.word != "category":
            raise ParameterError(f"choices and labels go with category, not with {request.word}")
        plain = column._replace(type=column.type.plain)
        if self.missing:
            same = f"decimal 0.{'0' * plain.type.scale}" if plain.type.scale else plain.type.word
            plain = convert_column(plain, parse_request(same), missing=self.missing)
        return as_category(plain, self.choices or None, self.labels)

    def rereads(self, table: BareTable) -> list[str]:
        """Return the columns of numbers whose texts were read by other marks than those given."""
        if not (self.decimal_mark or self.group_mark):
            return []
        names = [name for selector in self.columns for name in chosen(table, [selector])]
        return [name for name in names if table[name].type.numeric and self._differs(table[name])]

    def _differs(self, column: Column) -> bool:
        parser = None if column.evidence is None else column.evidence.chosen.parser
        if not isinstance(parser, CellParser):
            return False
        if self.group_mark and self.group_mark != parser.group_mark:
            return column.type.word != "integer" or bool(parser.group_mark)
        marked = column.type.word != "integer" or bool(parser.group_mark)
        return bool(self.decimal_mark and self.decimal_mark != parser.decimal_mark and marked)

    def _marks(self) -> CellParser | None:
        if not (self.decimal_mark or self.group_mark or self.unit):
            return None
        for mark in (self.decimal_mark, self.group_mark):
            if mark is not None and len(mark) != 1:
                raise ParameterError(f"expected one character as a mark in numbers, got {mark!r}")
        if self.decimal_mark and self.decimal_mark == self.group_mark:
            raise ParameterError(f"the decimal mark and the group mark are both {self.decimal_mark!r}")
        return CellParser(NUMBER, self.decimal_mark or "", self.group_mark or "", self.unit or "")

    def _stopped(self, table: BareTable, misfits: dict[int, list[str]]) -> TypeMismatch:
        first = [
            f"{table.place(int(table.row_numbers[at]))}: {'; '.join(message)}"
            for at, message in list(misfits.items())[:MOST_MISFITS_SHOWN]
        ]
        return TypeMismatch(
            f"{len(misfits):,} rows do not fit:\n    " + "\n    ".join(first),
            remedy="repair them, or convert with on_misfit 'keep' or 'set aside'",
        )

    def describe(self) -> str:
        """Name columns and types."""
        message = ", ".join(f"{name} to {wanted}" for name, wanted in self.columns.items())
        return f"{message} ({', '.join(self.missing)} as missing)" if self.missing else message


def _rounded(name: str, before: Column, after: Column) -> list[str]:
    """Say how many texts had more digits than the numbers that they became."""
    if after.type != NUMBER or not before.type.textual:
        return []
    long = np.flatnonzero(np.diff(before.text.packed().offsets) > MOST_NUMBER_DIGITS)
    items = before.text.items() if len(long) else []
    lost = np.zeros(before.text.item_count, np.bool_)
    for at in long.tolist():
        mantissa = items[at].lower().partition("e")[0].lstrip("-+0., ")
        lost[at] = sum(map(str.isdigit, mantissa)) > MOST_NUMBER_DIGITS
    codes = before.text.codes
    count = int(np.count_nonzero((lost if codes is None else lost[codes]) & after.present)) if len(long) else 0
    return [f"{counted(count, 'value')} of {name} {MANY_DIGITS}: the rest is rounded"] if count else []


def _misfits(columns: dict[str, Column], wanted: dict[str, str]) -> dict[int, list[str]]:
    """Say for each row what in it does not fit."""
    misfits: dict[int, list[str]] = {}
    for name, asked in wanted.items():
        for position in np.flatnonzero(columns[name].states == Reason.UNREADABLE).tolist():
            text = columns[name].kept.texts.get(position, "")
            misfits.setdefault(position, []).append(f"{name} {text!r} is no {asked}")
    return misfits


def _set_aside(table: BareTable, misfits: dict[int, list[str]]) -> Change:
    gone: Codes = np.array(sorted(misfits), np.int64)
    positions = np.setdiff1d(np.arange(table.row_count), gone)
    reasons = tuple("; ".join(misfits[at]) for at in gone.tolist())
    return Change(table._take(positions), positions, SetAside(gone, reasons))
