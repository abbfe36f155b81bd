"""Steps that repair values: correct, replace_text, round, pad_text, replace_values."""

import math
from collections.abc import Callable
from typing import Any, Literal

import numpy as np

from comb.casting.fit import fit_into
from comb.errors import ParameterError, TypeMismatch, agree, counted
from comb.execution.storage import positions_in
from comb.expressions.arithmetic import as_floats, undefined_where
from comb.expressions.check import NOTHING_GIVEN
from comb.expressions.evaluate import evaluate, formula_type
from comb.expressions.untyped import untyped_columns
from comb.formats.regular_expressions import pattern, problem_with
from comb.kernels.string_buffer import pack
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.steps.base import Change, Step, chosen, in_quotes, read_by, rows_where
from comb.steps.cell_steps import only_in, retyped
from comb.tables.collect import changed_in_blocks
from comb.tables.column import Column, Mask
from comb.tables.kept import Kept
from comb.tables.names import check_known
from comb.tables.patched import patched
from comb.tables.reasons import Reason
from comb.tables.stored import taken_column
from comb.tables.table import BareTable
from comb.tables.text import Text, put_together
from comb.tables.types import STRING, Type

# Values beyond the quartiles by this many interquartile ranges are at least "far outside" (Tukey 1977).
LEAST_RANGES = 1.0

# A float has no more digits.
MOST_DIGITS = 18

# Padded codes are not longer than this.
WIDEST = 1_000


class Correct(Step, frozen=True, tag="correct"):
    """Correct one cell, if it holds what it is said to hold.

    Parameters
    ----------
    column : str
    old, new : str
        The value there is, and the right one; an empty text stands for a missing cell. If the cell holds another
        value, the step stops: the correction was made for another file.
    row : int, optional
        The row number.
    key : dict of str to str
        Or columns and values that only this row has.
    source : str, optional
        Where the right value comes from: ``log book, page 12``.
    """

    column: str
    old: str
    new: str
    row: int | None = None
    key: dict[str, str] = {}
    source: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Correct the cell."""
        column = table[check_known(self.column, table.names)]
        at = self._position(table)
        cell = column._take(np.array([at]))
        if not holds(cell, self.old, self.column):
            found = shown_value(cell)
            place = table.place(int(table.row_numbers[at]), self.column)
            raise ParameterError(
                f"expected {self.old!r} in {self.column}, got {found} ({place})",
                remedy="this correction was made for another value: look at the row, and at the plan",
            )
        if not self.new:
            hole = np.zeros(len(column), np.bool_)
            hole[at] = True
            made = column._emptied(hole, Reason.CLEARED)
        else:
            new = retyped(cell._replace(kept=Kept(), state=None), [self.new], self.column)
            made = patched(column, new, np.array([at]), table._storage)
        return Change(table._derive({**table.columns, self.column: made}))

    def _position(self, table: BareTable) -> int:
        """Return where the row stands, from 0."""
        if (self.row is None) == (not self.key):
            raise ParameterError("expected a row number or a key, and not both", remedy="row: 5, or key: {colony: 007}")
        if self.row is not None:
            return table._position(self.row)
        return row_with(table, self.key)

    def describe(self) -> str:
        """Name the cell."""
        where = f"row {self.row}" if self.row is not None else " ".join(f"{k} {v}" for k, v in self.key.items())
        source = f", from {self.source}" if self.source else ""
        return f"{self.column} of {where}: {self.old or '(missing)'} corrected to {self.new or '(missing)'}{source}"


def row_with(table: BareTable, key: dict[str, str]) -> int:
    """Return the position of the one row that has some values.

    Raises
    ------
    ParameterError
        If there is no such row, or more than one.
    """
    hits = np.ones(table.row_count, np.bool_)
    for name, value in key.items():
        column = table[check_known(name, table.names)]
        wanted = _canonical(column, value, name)
        hits &= column.present & np.array([text == wanted for text in column.texts()], np.bool_)
    places = np.flatnonzero(hits)
    if len(places) != 1:
        said = ", ".join(f"{name} {value}" for name, value in key.items())
        raise ParameterError(
            f"expected one row with {said}, got {counted(len(places), 'row')}",
            remedy="add a column that tells them apart" if len(places) else "look for it: comb show FILE --where ...",
        )
    return int(places[0])


def _canonical(column: Column, text: str, name: str) -> str:
    """Write a value as the column writes its own."""
    if column.type == STRING or not text:
        return text
    return retyped(column._replace(state=None, kept=Kept()), [text], name).texts()[0] or ""


def holds(cell: Column, text: str, name: str) -> bool:
    """Return whether a column of one cell holds a value, given as text; an empty one stands for missing."""
    if cell.missing[0]:
        return text == cell.kept.texts.get(0, "") or not text
    if cell.texts()[0] == text:
        return True
    try:
        return bool(text) and _canonical(cell, text, name) == cell.texts()[0]
    except TypeMismatch:
        return False


def shown_value(cell: Column) -> str:
    """Say what a column of one cell holds."""
    if not cell.missing[0]:
        return repr(cell.texts()[0])
    kept = cell.kept.texts.get(0)
    return f"a missing cell ({Reason(int(cell.states[0])).word}{f', {kept!r}' if kept else ''})"


class ReplaceText(Step, frozen=True, tag="replace_text"):
    r"""Replace a part of texts by another.

    Parameters
    ----------
    columns : list of str
        Selectors of columns of type string.
    new : str
        What comes in its place; of a pattern, ``$1`` is what its first group found, ``$$`` a dollar.
    old : str, optional
        The text to look for, as it is.
    pattern : str, optional
        Or a regular expression. It runs in a time that grows with the text and nothing else.
    whole : bool
        Only where it is the whole text of a cell.
    where : str, optional
        Only in rows for which this condition is true.
    """

    columns: list[str]
    new: str
    old: str | None = None
    pattern: str | None = None
    whole: bool = False
    where: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Replace the parts."""
        change = self._changer()
        rows = None if self.where is None else rows_where(table, self.where)
        columns, notes = dict(table.columns), []
        for name in chosen(table, self.columns):
            column = columns[name]
            if column.type != STRING:
                raise TypeMismatch(
                    f"expected a column of type string, {name!r} is {column.type}",
                    remedy=f"recode, or convert it first: convert {name} to string",
                )

            def replaced(part: Column, at: slice) -> Column:
                return self._changed(part, change, None if rows is None else rows[at])

            made = changed_in_blocks(column, table._storage, replaced)
            made = made if made is column or not made._same_cells(column).all() else column
            columns[name] = made
            if made is column and column.present.any():
                notes.append(f"not found in {name}")
            emptied = int(np.count_nonzero(made.missing & column.present))
            notes += [f"{counted(emptied, 'cell')} of {name} became empty"] if emptied else []
        return Change(table._derive(columns), notes=tuple(notes))

    def _changed(self, column: Column, change: Callable[[str], str], rows: Mask | None) -> Column:
        """Change only the texts that contain what is looked for, in the rows that are meant."""
        if self.old and not self.whole and rows is None and (quick := column.text.replaced(self.old, self.new)):
            values, emptied = quick
            made = column._replace(values=values)
            emptied &= column.present
            made = made._emptied(emptied, Reason.BLANK) if emptied.any() else made
            return column if made._same_cells(column).all() else made
        items = column.text.containing(self.old) if self.old else np.ones(column.text.item_count, np.bool_)
        if rows is not None and column.text.codes is None:
            items &= rows
        made = column._map_some(items, change) if items.any() else column
        if made._same_cells(column).all():
            return column
        return made if rows is None or column.text.codes is None else only_in(rows, column, made)

    def _changer(self) -> Callable[[str], str]:
        if (self.old is None) == (self.pattern is None):
            raise ParameterError("expected either old or pattern", remedy="old: ' St.', or pattern: '^St[.]? (.*)$'")
        if self.old is not None:
            old = self.old
            if not old:
                raise ParameterError("expected a text to look for, got an empty one")
            if self.whole:
                return lambda text: self.new if text == old else text
            return lambda text: text.replace(old, self.new)
        problem = problem_with(str(self.pattern))
        if problem:
            raise ParameterError(f"{self.pattern!r}: {problem}")
        try:
            return pattern(str(self.pattern)).replacer(self.new, whole=self.whole)
        except ValueError as error:
            raise ParameterError(str(error)) from None

    def describe(self) -> str:
        """Name what is replaced."""
        what = repr(self.old) if self.old is not None else f"the pattern {self.pattern!r}"
        return f"{what} replaced by {self.new!r} in {', '.join(self.columns)}"


class Round(Step, frozen=True, tag="round"):
    """Round numbers.

    Parameters
    ----------
    columns : list of str
        Selectors of columns of numbers; they keep their types.
    digits : int
        After the point; negative ones before it: -2 gives hundreds.
    rounding : {"nearest", "nearest_even", "down", "up"}
        Halves away from zero; halves to the even digit; towards the smaller number; towards the larger one.
    where : str, optional
    """

    columns: list[str]
    digits: int = 0
    rounding: Literal["nearest", "nearest_even", "down", "up"] = "nearest"
    where: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Round the numbers."""
        if abs(self.digits) > MOST_DIGITS:
            raise ParameterError(f"expected digits from -{MOST_DIGITS} to {MOST_DIGITS}, got {self.digits}")
        rows = rows_where(table, self.where)
        columns = dict(table.columns)
        for name in chosen(table, self.columns):
            column = columns[name]
            if column._untyped:
                continue
            if not column.type.numeric or column.type.choices:
                raise TypeMismatch(f"expected a column of numbers, {name!r} is {column.type}")

            def rounded(part: Column, at: slice) -> Column:
                values = _rounded(part, self.digits, self.rounding)
                return part._replace(values=np.where(rows[at], values, part.array))

            made = changed_in_blocks(column, table._storage, rounded)
            if not made._same_cells(column).all():
                columns[name] = made
        return Change(table._derive(columns))

    def describe(self) -> str:
        """Name columns and digits."""
        return f"{', '.join(self.columns)} rounded to {counted(self.digits, 'digit')} after the point"


def _rounded(column: Column, digits: int, rounding: str) -> Any:
    """Round stored values, which stay of their type."""
    if column.type.word == "number":
        return _rounded_floats(column.array, digits, rounding)
    drop = column.type.scale - digits
    if drop <= 0:
        return column.array
    divisor = 10 ** min(drop, MOST_DIGITS)
    low, rest = np.divmod(column.array, divisor)
    if rounding == "down":
        up = np.zeros(len(low), np.bool_)
    elif rounding == "up":
        up = rest > 0
    elif rounding == "nearest_even":
        up = (rest * 2 > divisor) | ((rest * 2 == divisor) & (low % 2 == 1))
    else:
        up = np.where(column.array < 0, rest * 2 > divisor, rest * 2 >= divisor)
    return (low + up) * divisor


def _rounded_floats(values: Any, digits: int, rounding: str) -> Any:
    factor = 10.0**digits
    with np.errstate(all="ignore"):
        # The float of 2.675 lies below it: a half is what is written as one.
        scaled = values * factor
        near = np.rint(scaled * 1e6) / 1e6
        scaled = np.where(np.isclose(scaled, near, rtol=1e-15, atol=0), near, scaled)
        if rounding == "nearest":
            made = np.copysign(np.floor(np.abs(scaled) + 0.5), scaled)
        else:
            made = {"nearest_even": np.rint, "down": np.floor, "up": np.ceil}[rounding](scaled)
        # Divided by a power of ten that is exact, a result is the nearest float.
        made = made / factor if digits >= 0 else made * 10.0**-digits
    return np.where(np.isfinite(made), made, values)


class PadText(Step, frozen=True, tag="pad_text"):
    """Bring codes to one length by characters before or behind them: 7 becomes 007.

    Parameters
    ----------
    columns : list of str
        Selectors; integers become texts.
    width : int
        Characters. Texts that are longer stay as they are, and are counted.
    character : str
    side : {"left", "right"}
        Where the characters are put.
    where : str, optional
        Only in rows for which this condition is true.
    """

    columns: list[str]
    width: int
    character: str = "0"
    side: Literal["left", "right"] = "left"
    where: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Pad the texts."""
        if len(self.character) != 1:
            raise ParameterError(f"expected one character, got {self.character!r}")
        if not 1 <= self.width <= WIDEST:
            raise ParameterError(f"expected a width from 1 to {WIDEST:,}, got {self.width}")
        rows = None if self.where is None else rows_where(table, self.where)
        columns, notes = dict(table.columns), []
        for name in chosen(table, self.columns):
            column = columns[name]
            if column.type == Type("integer"):
                column = Column._of_strings(column.texts(), state=column.state)._replace(
                    description=column.description, source=column.source, kept=column.kept
                )
            if column.type != STRING:
                raise TypeMismatch(
                    f"expected a column of type string or integer, {name!r} is {column.type}",
                    remedy=f"convert it first: convert {name} to string",
                )
            longer = column.text.traits(KNOWN_WORDS)[1] > self.width
            codes = column.text.codes
            long = int(np.count_nonzero((longer if codes is None else longer[codes]) & column.present))
            if long:
                notes.append(f"{counted(long, 'text')} of {name} {agree(long, 'is', 'are')} longer than {self.width}")
            # A text is padded; a cell without one stays empty.
            padded = column._replace(values=self._padded(column.text))
            columns[name] = only_in(rows, column, padded)
        return Change(table._derive(columns), notes=tuple(notes))

    def _padded(self, text: Text) -> Text:
        lengths = text.traits(KNOWN_WORDS)[1]
        # What has nothing in it stays so.
        short = np.where(lengths > 0, np.maximum(self.width - lengths, 0), 0)
        pads = (pack([self.character * width for width in range(self.width + 1)]), short)
        items = (text.packed(), np.arange(text.item_count))
        made = put_together([items, pads] if self.side == "right" else [pads, items])
        return made if text.codes is None else made.numbered_anew(text.codes)

    def describe(self) -> str:
        """Name columns and width."""
        return f"{', '.join(self.columns)} padded to {self.width} characters with {self.character!r}"


class ReplaceValues(Step, frozen=True, tag="replace_values"):
    """Replace values that cannot be, or lie far outside: by missing, by a bound, by a value or formula.

    Parameters
    ----------
    columns : list of str
        Selectors.
    where : str, optional
        Which values: those of rows for which this condition is true.
    below, above : str, optional
        Those below or above a bound.
    outside : float, optional
        Those beyond the quartiles by this many times the distance between them.
    by : list of str
        The quartiles are those of each group.
    value, formula : str, optional
        What comes in their place; by default nothing: they are missing, ``cleared``.
    at_bound : bool
        The bound comes in their place.
    """

    columns: list[str]
    where: str | None = None
    below: str | None = None
    above: str | None = None
    outside: float | None = None
    by: list[str] = []
    value: str | None = None
    formula: str | None = None
    at_bound: bool = False

    def apply(self, table: BareTable) -> Change:
        """Replace the values."""
        self._check()
        if self.formula is not None:
            formula_type(self.formula, table.types, NOTHING_GIVEN, untyped_columns(table))
        rows = rows_where(table, self.where)
        columns, notes = dict(table.columns), []
        for name in chosen(table, self.columns):
            column = table[name]
            if self.below is None and self.above is None and self.outside is None:
                hits = rows & column.present
                columns[name] = self._replaced(table, name, hits, None)
                continue
            if column._untyped:
                continue
            if not column.type.numeric and (self.outside is not None or column.type.word not in _BOUNDED):
                raise TypeMismatch(f"expected a column of numbers, {name!r} is {column.type}")
            low, high = self._bounds(table, name)
            under, over = _compared(table, name, low, high)
            hits = (under | over) & rows
            if self.outside is not None:
                notes.append(_bounds_note(name, low, high))
            columns[name] = self._replaced(table, name, hits, (low, high, under))
        made_from = read_by(self.formula, chosen(table, self.columns))
        return Change(table._derive(columns), notes=tuple(notes), made_from=made_from)

    def _check(self) -> None:
        asked = [name for name in ("where", "below", "above", "outside") if getattr(self, name) is not None]
        if not asked:
            raise ParameterError("expected which values: where, below, above or outside", remedy="above: 100")
        if self.outside is not None and (self.below is not None or self.above is not None):
            raise ParameterError("expected outside, or below and above, and not both")
        if self.outside is not None and not (math.isfinite(self.outside) and self.outside >= LEAST_RANGES):
            raise ParameterError(f"expected outside to be {LEAST_RANGES:g} or more, got {self.outside:g}")
        if self.by and self.outside is None:
            raise ParameterError("by goes with outside: the quartiles are those of each group")
        if sum((self.value is not None, self.formula is not None, self.at_bound)) > 1:
            raise ParameterError("expected at most one of value, formula and at_bound")
        if self.at_bound and asked == ["where"]:
            raise ParameterError("at_bound needs a bound: below or above")

    def _bounds(self, table: BareTable, name: str) -> tuple[Column | None, Column | None]:
        """Return the bounds for each row."""
        if self.outside is None:
            given = (None if text is None else _constant(table[name], text, name) for text in (self.below, self.above))
            low, high = given
            return low, high
        over = f"over (partition by {', '.join(map(in_quotes, chosen(table, self.by)))})" if self.by else ""
        quoted = in_quotes(name)
        quarter = f"percentile_cont({quoted}, 0.25) {over}"
        three = f"percentile_cont({quoted}, 0.75) {over}"
        times = repr(float(self.outside))
        low = evaluate(f"{quarter} - {times} * ({three} - {quarter})", table)
        high = evaluate(f"{three} + {times} * ({three} - {quarter})", table)
        return low, high

    def _replaced(
        self, table: BareTable, name: str, hits: Mask, bounds: tuple[Column | None, Column | None, Mask] | None
    ) -> Column:
        column = table[name]
        if not hits.any():
            return column
        if self.at_bound and bounds is not None:
            low, high, under = bounds
            one = low if high is None else high
            assert one is not None
            new = one if low is None or high is None else _chosen_of(low, high, under)
        elif self.formula is not None:
            new = evaluate(self.formula, table)
        elif self.value is not None:
            new = _constant(column, self.value, name)
        else:
            return column._emptied(hits, Reason.CLEARED)
        rows = positions_in(hits, table._storage)
        fitted = fit_into(taken_column(new, rows, table._storage), column, name)
        made = patched(fitted.column, fitted.result, rows, table._storage)
        if not fitted.result.missing_count:
            return made
        # Where a formula has no result, the value is gone, not kept.
        without = np.zeros(len(column), np.bool_)
        without[rows[fitted.result.missing]] = True
        return made._emptied(without, Reason.UNDEFINED)

    def describe(self) -> str:
        """Name columns, which values, and what comes in their place."""
        which = [f"where {self.where}"] if self.where else []
        which += [f"below {self.below}"] if self.below is not None else []
        which += [f"above {self.above}"] if self.above is not None else []
        if self.outside is not None:
            which.append(f"beyond the quartiles by {self.outside:g} times their distance")
        new = "the bound" if self.at_bound else self.formula or (repr(self.value) if self.value else "missing")
        within = f" within each {', '.join(self.by)}" if self.by else ""
        return f"{', '.join(self.columns)} {' and '.join(which)}{within} replaced by {new}"


_BOUNDED = ("date", "datetime", "time", "duration")


def _constant(column: Column, text: str, name: str) -> Column:
    """Return a column of one value, as long as another and of its type or of a wider one."""
    one = column._take(np.zeros(min(1, len(column)), np.int64))._replace(state=None, kept=Kept())
    if not len(column):
        return one
    return retyped(one, [text], name)._take(np.zeros(len(column), np.int64))


def _compared(table: BareTable, name: str, low: Column | None, high: Column | None) -> tuple[Mask, Mask]:
    """Return which values lie below one bound, and above the other."""
    column = table[name]
    none = np.zeros(len(column), np.bool_)

    def plain(one: Column) -> Any:
        return as_floats(one) if one.type.numeric else one.array

    with np.errstate(invalid="ignore"):
        under = none if low is None else column.present & low.present & (plain(column) < plain(low))
        over = none if high is None else column.present & high.present & (plain(column) > plain(high))
    return under, over


def _chosen_of(low: Column, high: Column, under: Mask) -> Column:
    values = np.where(under, low.array, high.array)
    return high._replace(
        values=values, state=undefined_where(np.where(under, low.missing, high.missing), np.zeros(len(low), np.uint8))
    )


def _bounds_note(name: str, low: Column | None, high: Column | None) -> str:
    """Say between which bounds values stay."""
    assert low is not None and high is not None
    lows, highs = low.array[low.present], high.array[high.present]
    if not len(lows):
        return f"{name} has no values"
    if len(np.unique(lows)) == 1:
        return f"values of {name} between {lows[0]:g} and {highs[0]:g} stay"
    return f"values of {name} stay between bounds of their groups, from {lows.min():g} to {highs.max():g} in all"
