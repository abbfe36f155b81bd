"""What is different between two tables: their columns, how they were read, what is in them, and with a key each cell.

The two are last month's file and this month's, or two versions of one table. Without a key only what holds for whole
columns is compared: names, types, the forms of numbers and dates, the share of missing cells by reason, values that
were not there before, numbers far from where they were. A difference in a share is said if chance does not make it:
the two shares lie further apart than `LEAST_DEVIATIONS` standard deviations of their difference, and `LEAST_POINTS`.

A column that is gone and one that is new may be one that was renamed. That is proposed if the names are similar and the
values say the same: texts that were known before, numbers in the range of before. A name alone proves nothing.

With a key, rows are matched by it: rows that came, that are gone, and cells that changed.
"""

from collections.abc import Iterator, Sequence
from math import log, sqrt
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import ParameterError, agree, counted, listing, washed, washed_lines
from comb.expressions.arithmetic import as_floats
from comb.kernels.grouping import Codes
from comb.parsing.cell_parser import CellParser
from comb.profiling.values import LOGARITHMS, PLAIN, lean
from comb.steps.accounting import cells_as_shown, shown_cell
from comb.steps.joins import Join
from comb.tables.column import Column
from comb.tables.names import check_known
from comb.tables.reasons import Reason
from comb.tables.table import BareTable

# A share differs if chance would not do it, and by at least this much.
LEAST_DEVIATIONS = 3.3
LEAST_POINTS = 0.02

# Texts of more different values than this, or of which most occur once, are no labels.
MOST_LABELS = 200
LEAST_REPEATS = 4

# A middle value is far from before if it moved by this many times the distance of the quartiles.
FAR = 1.0

# And how many times it is what it was, if it is this many times more or less.
LEAST_TIMES = 1.5

# Values beyond the range of before are said if chance brings that many in fewer cases than this; and a single one if it
# is negative where none was, or this many times as far from the median as the end of the range was.
CHANCE = 1e-3
TIMES_AS_FAR = 2.0
MOST_FACTORS = 100

# Names are similar from here on, of 1; and values, if this share of them was known.
LIKE_NAMES = 0.5
LIKE_VALUES = 0.6

# A key has this many rows, and this share of different values.
LEAST_KEYS = 2
LEAST_DIFFERENT = 0.95

# Values that do not occur any more are said if this share of the rows had them, else they were slips; and if chance
# leaves them out in fewer cases than this.
LEAST_LOST = 0.05
LOST_BY_CHANCE = 0.01

# Of dates, this share lies before the last of them but for slips.
ALL_BUT_SLIPS = 0.99

# In this order differences are said.
KINDS = ("columns", "types", "rows", "keys", "missing", "values", "numbers", "reading")

# Missing cells are compared reason by reason; how a file writes that there is nothing is a matter of its kind.
SAME_WAYS = [[reason] for reason in Reason if reason]
NOTHING = [Reason.BLANK, Reason.ABSENT, Reason.MARKER]
OTHER_WAYS = [NOTHING, *([reason] for reason in Reason if reason and reason not in NOTHING)]

# Differences of one kind, and cells, that are listed.
MOST_LISTED = 5
MOST_CELLS = 20


class Difference(msgspec.Struct, frozen=True):
    """One thing that is different.

    Attributes
    ----------
    kind : str
        ``columns``, ``types``, ``reading``, ``missing``, ``values``, ``numbers``, ``rows`` or ``keys``.
    columns : tuple of str
    text : str
        What it is, in a sentence.
    proposal : dict of str to str
        New name to old, where a column seems to be renamed.
    """

    kind: str
    columns: tuple[str, ...]
    text: str
    proposal: dict[str, str] = msgspec.field(default_factory=dict)


class ChangedCell(msgspec.Struct, frozen=True):
    """A cell that is different in two versions of a table.

    Attributes
    ----------
    key : str
    column, before, after : str
    row : int
        Row number in the new table.
    """

    key: str
    column: str
    before: str
    after: str
    row: int


class Comparison(msgspec.Struct, frozen=True):
    """What is different between two tables.

    Attributes
    ----------
    old, new : str
        What they are called.
    rows_before, rows_now : int
    differences : tuple of Difference
    key : tuple of str
        Columns by which rows were matched; none if they were not.
    added, gone : int64 array
        Row numbers, of the new and of the old table.
    changed : tuple of ChangedCell
        All of them.
    """

    old: str
    new: str
    rows_before: int
    rows_now: int
    differences: tuple[Difference, ...]
    key: tuple[str, ...] = ()
    added: Codes = msgspec.field(default_factory=lambda: np.zeros(0, np.int64))
    gone: Codes = msgspec.field(default_factory=lambda: np.zeros(0, np.int64))
    changed: tuple[ChangedCell, ...] = ()

    @property
    def same(self) -> bool:
        """Whether nothing is different."""
        return not (self.differences or len(self.added) or len(self.gone) or self.changed)

    @property
    def count(self) -> int:
        """How many differences there are: of columns, rows and cells."""
        return len(self.differences) + len(self.added) + len(self.gone) + len(self.changed)

    def lines(self, most: int = MOST_CELLS) -> list[str]:
        """Return the differences as text, the first line a sentence.

        Parameters
        ----------
        most : int
            Changed cells that are listed.
        """
        said = f"{self.new} against {self.old}: {counted(self.rows_now, 'row')}, before {self.rows_before:,}"
        if self.same:
            return [f"{said}; nothing is different"]
        found = [f"{said}; {counted(len(self.differences), 'difference')} in columns and how they are filled"]
        for one in self.differences:
            found.append(f"  {one.kind:8} {one.text}")
            found += [f"           if it was renamed: rename: {{{_yaml(one.proposal)}}}"] if one.proposal else []
        if self.key:
            by = ", ".join(self.key)
            rows = len({cell.row for cell in self.changed})
            found.append(
                f"  matched by {by}: {counted(len(self.added), 'row')} new, {len(self.gone):,} gone, "
                f"{counted(len(self.changed), 'cell')} changed in {counted(rows, 'row')}"
            )
            found += [f"    new: rows {_numbers(self.added)}"] if len(self.added) else []
            found += [f"    gone: rows {_numbers(self.gone)}"] if len(self.gone) else []
            found += [f"    {one.key}  {one.column}: {one.before} became {one.after}" for one in self.changed[:most]]
            more = len(self.changed) - most
            found += [f"    and {counted(more, 'cell')} more (--json lists all)"] if more > 0 else []
        return found

    def __repr__(self) -> str:
        return washed_lines("\n".join(self.lines()))

    def as_record(self) -> dict[str, Any]:
        """Return all of it as plain values, for JSON."""
        return {
            "old": self.old, "new": self.new, "rows_before": self.rows_before, "rows_now": self.rows_now,
            "differences": [
                {"kind": one.kind, "columns": list(one.columns), "text": one.text}
                | ({"rename": one.proposal} if one.proposal else {})
                for one in self.differences
            ],
            "key": list(self.key), "rows_added": self.added.tolist(), "rows_gone": self.gone.tolist(),
            "cells_changed": [{name: getattr(one, name) for name in one.__struct_fields__} for one in self.changed],
        }  # fmt: skip


def _yaml(proposal: dict[str, str]) -> str:
    return ", ".join(f"{new}: {old}" for new, old in proposal.items())


def _numbers(rows: Codes) -> str:
    shown = ", ".join(map(str, rows[:MOST_LISTED].tolist()))
    return f"{shown} and {len(rows) - MOST_LISTED:,} more" if len(rows) > MOST_LISTED else shown


def compare(old: BareTable, new: BareTable, key: Sequence[str] = ()) -> Comparison:
    """Say what is different between two tables.

    Parameters
    ----------
    old, new : BareTable
    key : sequence of str
        Columns that tell the rows of both apart: then rows and cells are compared too.

    Returns
    -------
    Comparison
        Cost: some passes over every column of both; with a key a join.

    Raises
    ------
    ParameterError
        If a key is not in both, or does not tell rows apart.
    """
    keys = [check_known(check_known(name, old.names), new.names) for name in key]
    found = [*_columns(old, new), *_reading(old, new)]
    shared = [name for name in new.names if name in old]
    renamed = {now: was for one in found for now, was in one.proposal.items()}
    kinds = (old.origin.kind, new.origin.kind)
    ways = SAME_WAYS if kinds[0] == kinds[1] or not all(kinds) else OTHER_WAYS
    for name in new.names:
        if name in old or name in renamed:
            found += _of_column(name, old[renamed.get(name, name)], new[name], ways)
    found += _rows(old, new)
    found += _delivered(old, new, shared)
    found.sort(key=lambda one: KINDS.index(one.kind))
    names = (old.origin.name, new.origin.name)
    if names[0] == names[1]:
        names = (old.origin.path or names[0], new.origin.path or names[1])
    if not keys:
        return Comparison(*names, old.row_count, new.row_count, tuple(found))
    added, gone, changed = _by_key(old, new, keys, shared)
    return Comparison(*names, old.row_count, new.row_count, tuple(found), tuple(keys), added, gone, changed)


def _columns(old: BareTable, new: BareTable) -> Iterator[Difference]:
    gone = [name for name in old.names if name not in new]
    more = [name for name in new.names if name not in old]
    renamed = dict(_renamed(old, new, gone, more))
    for name in gone:
        successor = next((now for now, (was, _) in renamed.items() if was == name), None)
        if successor is not None:
            why = renamed[successor][1]
            text = f"{name} is gone and {successor} is new: {why}"
            yield Difference("columns", (name, successor), text, {successor: name})
        else:
            yield Difference("columns", (name,), f"{name} is gone")
    for name in more:
        if name not in renamed:
            yield Difference("columns", (name,), f"{name} is new ({new[name].type})")
    shared = [name for name in old.names if name in new]
    order = [name for name in new.names if name in old]
    if shared != order:
        moved = [one for one, other in zip(shared, order, strict=True) if one != other]
        yield Difference("columns", tuple(moved), f"the columns are in another order, from {moved[0]} on")


def _renamed(
    old: BareTable, new: BareTable, gone: Sequence[str], more: Sequence[str]
) -> Iterator[tuple[str, tuple[str, str]]]:
    """Find columns that seem to be renamed: new name, old name and why."""
    pairs = []
    for was in gone:
        for now in more:
            if _plain(was) == _plain(now):
                if _alike(old[was], new[now]):
                    pairs.append((2.0, now, was, "the names differ only in case, spaces or signs"))
                continue
            values = _like_values(old[was], new[now])
            if values is None:
                continue
            names = _like_names(was, now)
            if names >= LIKE_NAMES:
                pairs.append((names, now, was, f"the names are similar, and {values}"))
            elif _neighbours(old, was) == _neighbours(new, now) and _unit(old[was]) == _unit(new[now]):
                pairs.append((0.0, now, was, f"it is in the same place, and {values}"))
    taken: set[str] = set()
    for _, now, was, why in sorted(pairs, key=lambda pair: -pair[0]):
        if now not in taken and was not in taken:
            taken |= {now, was}
            yield now, (was, why)


def _neighbours(table: BareTable, name: str) -> tuple[str | None, str | None]:
    """Return the names of the columns before and after one, none at the ends."""
    around = [None, *table.names, None]
    at = table.names.index(name) + 1
    return around[at - 1], around[at + 1]


def _unit(column: Column) -> str:
    return _forms(column).get("unit", "")


def _plain(name: str) -> str:
    """Return the letters and digits of a name, in words without case."""
    return " ".join("".join(c if c.isalnum() else " " for c in name.casefold()).split())


def _like_names(one: str, other: str) -> float:
    """Return how similar two names are, from 0 to 1: by letters, or by a word that both have."""
    from rapidfuzz import fuzz

    plain = [_plain(one), _plain(other)]
    return max(fuzz.ratio(*plain), fuzz.token_set_ratio(*plain)) / 100


def _alike(old: Column, new: Column) -> bool:
    """Return whether two columns are of one type, as far as they have one."""
    same = old.type.plain.word == new.type.plain.word or (old.type.numeric and new.type.numeric)
    return same or not (old.present.any() and new.present.any())


def _like_values(old: Column, new: Column) -> str | None:
    """Say what speaks for two columns holding the same; None if nothing does."""
    if not (old.present.any() and new.present.any()):
        return None
    if old.type.textual and new.type.textual:
        before = set(old.distinct().values.texts())
        now = new.distinct()
        texts = now.values.texts()
        known = sum(count for text, count in zip(texts, now.counts.tolist(), strict=True) if text in before)
        share = known / int(now.counts.sum())
        return f"{100 * share:.0f} % of the values were there before" if share >= LIKE_VALUES else None
    if old.type.plain.word != new.type.plain.word and not (old.type.numeric and new.type.numeric):
        return None
    if not old.type.numeric:
        return f"both hold the type {new.type.plain}"
    (low, _, high), (low_now, _, high_now) = _quartiles(old), _quartiles(new)
    if high_now < low or low_now > high:
        return None
    return f"half of its numbers lie between {low_now:g} and {high_now:g}, before between {low:g} and {high:g}"


def _quartiles(column: Column) -> tuple[float, float, float]:
    values = _as_numbers(column)
    low, middle, high = np.percentile(values, [25, 50, 75]).tolist()
    return low, middle, high


def _as_numbers(column: Column) -> Any:
    if column.type.numeric:
        return as_floats(column)[column.present]
    return column.array[column.present].view(np.int64).astype(np.float64)


def _reading(old: BareTable, new: BareTable) -> Iterator[Difference]:
    before, now = old.origin.options, new.origin.options
    if not (old.origin.kind and new.origin.kind):
        return
    if old.origin.kind != new.origin.kind:
        yield Difference("reading", (), f"it is {new.origin.kind}, before it was {old.origin.kind}")
        return
    for name in ("delimiter", "encoding", "quote"):
        was, is_now = getattr(before, name), getattr(now, name)
        if was != is_now:
            yield Difference("reading", (), f"{name} {is_now!r}, before {was!r}")


def _forms(column: Column) -> dict[str, str]:
    """Return how the numbers or dates of a column were written."""
    parser = None if column.evidence is None else column.evidence.chosen.parser
    if not isinstance(parser, CellParser):
        return {}
    if column.type.word == "integer":
        return {"unit": parser.unit}
    if column.type.word in ("number", "decimal"):
        found = {"decimal mark": parser.decimal_mark, "thousands separator": parser.group_mark}
        return {**found, "unit": parser.unit}
    forms = [*(form.pattern for form in parser.dates), *(program.pattern for program in parser.moments)]
    return {"date form": ", ".join(forms)} if forms else {}


def _of_column(name: str, old: Column, new: Column, ways: Sequence[Sequence[Reason]]) -> Iterator[Difference]:
    if old._untyped or new._untyped:
        # Without a row nothing is known of any column; the number of rows is a difference of its own.
        if old._untyped != new._untyped and len(old) and len(new):
            text = f"{name} has no value, before {old.type.in_full}"
            text = text if new._untyped else f"{name} is {new.type.in_full}, before it had no value"
            yield Difference("missing", (name,), text)
        return
    # A declared decimal without a value has no digits to count.
    digits_only = old.type.plain.word == new.type.plain.word and not (old.present.any() and new.present.any())
    if old.type.plain != new.type.plain and not digits_only:
        text = f"{name} is {new.type.in_full}, before {old.type.in_full}"
        fits = int(np.count_nonzero(new.states == Reason.UNREADABLE))
        text += f"; {counted(fits, 'cell')} of it cannot be read" if fits else ""
        yield Difference("types", (name,), text)
    before, now = (_forms(one) if one.present.any() else {} for one in (old, new))
    for what in (one for one in now if one in before and before[one] != now[one]):
        yield Difference(
            "reading", (name,), f"{name}: {what} {now[what] or 'none'!r}, before {before[what] or 'none'!r}"
        )
    yield from _missing(name, old, new, ways)
    if old.type.plain.word == new.type.plain.word or (old.type.numeric and new.type.numeric):
        if new.type.textual or new.type.word == "boolean":
            yield from _labels(name, old, new)
        elif old.present.any() and new.present.any():
            yield from _numbers_of(name, old, new)


def _missing(name: str, old: Column, new: Column, ways: Sequence[Sequence[Reason]]) -> Iterator[Difference]:
    if not (len(old) and len(new)):
        return
    for reasons in ways:
        was, now = (
            sum(int(np.count_nonzero(column.states == reason)) for reason in reasons) / len(column)
            for column in (old, new)
        )
        pooled = (was * len(old) + now * len(new)) / (len(old) + len(new))
        spread = sqrt(pooled * (1 - pooled) * (1 / len(old) + 1 / len(new)))
        if abs(now - was) >= LEAST_POINTS and abs(now - was) > LEAST_DEVIATIONS * spread:
            words = " or ".join(reason.word for reason in reasons)
            yield Difference(
                "missing", (name,), f"{100 * now:.1f} % of {name} is missing ({words}), before {100 * was:.1f} %"
            )


def _labels(name: str, old: Column, new: Column) -> Iterator[Difference]:
    """Find values that were not there before, in columns of labels."""
    before = old.distinct()
    if not len(before) or len(before) > MOST_LABELS or int(before.counts.sum()) < LEAST_REPEATS * len(before):
        return
    known = set(before.values.texts())
    found = new.distinct()
    now = dict(zip(found.values.texts(), found.counts.tolist(), strict=True))
    strange = {text: count for text, count in now.items() if text not in known}
    if strange:
        ordered = sorted(strange.items(), key=lambda pair: -pair[1])
        listed = listing([f"{text!r} ({count:,})" for text, count in ordered], MOST_LISTED)
        are = agree(len(strange), "is", "are")
        text = f"{counted(len(strange), 'value')} of {name} {are} new: {listed}"
        yield Difference("values", (name,), washed(text))
    counts = dict(zip(before.values.texts(), before.counts.tolist(), strict=True))
    lost = [text for text in counts if text not in now]
    share = sum(counts[text] for text in lost) / len(old)
    if share >= LEAST_LOST and (1 - share) ** int(found.counts.sum()) < LOST_BY_CHANCE:
        shown = listing([repr(text) for text in lost], MOST_LISTED)
        text = f"{counted(len(lost), 'value')} of {name} {agree(len(lost), 'does', 'do')} not occur any more: {shown}"
        yield Difference("values", (name,), washed(text))


def _numbers_of(name: str, old: Column, new: Column) -> Iterator[Difference]:
    """Find numbers far from where they were before; dates move on, and are said only if they go back."""
    before, now = _as_numbers(old), _as_numbers(new)
    if old.type.word in ("date", "datetime"):
        ordered = np.sort(before)
        edge = ordered[int(ALL_BUT_SLIPS * (len(ordered) - 1))]
        overlap = int(np.count_nonzero(now <= edge))
        if overlap and overlap < len(now) / 2:
            last = shown_cell(old, int(np.flatnonzero(old.present)[int(np.flatnonzero(before == edge)[0])]))
            are = agree(overlap, "is", "are")
            text = f"{counted(overlap, 'value')} of {name} {are} not after what was there before (up to {last})"
            yield Difference("numbers", (name,), text)
        return
    if _is_key(old) and old.type.word == "integer":
        return
    (low, middle, high), (_, middle_now, _) = _quartiles(old), _quartiles(new)
    if high > low and abs(middle_now - middle) > FAR * (high - low):
        times = middle_now / middle if middle > 0 and middle_now > 0 else 1.0
        factor = f", {times:.3g} times as much" if times >= LEAST_TIMES or times <= 1 / LEAST_TIMES else ""
        yield Difference("numbers", (name,), f"the median of {name} is {middle_now:g}, before {middle:g}{factor}")
    yield from _beyond(name, before, now, (low, middle, high))


def _beyond(
    name: str, before: NDArray[np.float64], now: NDArray[np.float64], quartiles: tuple[float, float, float]
) -> Iterator[Difference]:
    """Find numbers outside the range of before.

    Of two samples of one kind the larger maximum is in the new one as often as its share of all values says: it is no
    news. That the ``k`` largest of all are new happens with ``C(n - k, before) / C(n, before)``.
    """
    least, median, most = float(before.min()), quartiles[1], float(before.max())
    if least == most:
        return
    by_logarithms = least > 0 and lean(quartiles, LOGARITHMS) < lean(quartiles, PLAIN)
    total = len(before) + len(now)
    # Of more values the ends lie further out: with the logarithm of their number where tails are exponential.
    more = max(1.0, log(len(now)) / log(len(before)))
    for count, bound, edge, word in (
        (int(np.count_nonzero(now > most)), most, float(now.max()), "above"),
        (int(np.count_nonzero(now < least)), least, float(now.min()), "below"),
    ):
        if not count:
            continue
        chance = np.prod([(len(now) - at) / (total - at) for at in range(min(count, MOST_FACTORS))])
        far = abs(edge - median) > TIMES_AS_FAR * more * abs(bound - median)
        if by_logarithms and edge > 0:
            far = far and abs(log(edge / median)) > TIMES_AS_FAR * abs(log(bound / median))
        if far or edge < 0 <= least or chance < CHANCE:
            lie = agree(count, "lies", "lie")
            text = f"{counted(count, 'value')} of {name} {lie} {word} all of before ({bound:g}), as far as {edge:g}"
            yield Difference("numbers", (name,), text)


def _rows(old: BareTable, new: BareTable) -> Iterator[Difference]:
    if new.row_count and not old.row_count:
        yield Difference("rows", (), f"{counted(new.row_count, 'row')}, before there was none")
    elif old.row_count and not new.row_count:
        yield Difference("rows", (), f"no row, before {old.row_count:,}")
    elif old.row_count and (new.row_count > 2 * old.row_count or 2 * new.row_count < old.row_count):
        times = new.row_count / old.row_count
        yield Difference(
            "rows", (), f"{counted(new.row_count, 'row')}, {times:.2g} times the {old.row_count:,} of before"
        )


def _delivered(old: BareTable, new: BareTable, shared: Sequence[str]) -> Iterator[Difference]:
    """Find keys that were delivered before: columns whose values are all different in both tables."""
    for name in shared:
        one, other = old[name], new[name]
        if (
            one.type != other.type
            or one.type.word not in ("string", "integer")
            or not _is_key(one)
            or not _is_key(other)
        ):
            continue
        change = Join(table="before", by=[name], add_columns=False, rows="matched").apply_with(new, old)
        again = change.table.row_count
        if 0 < again < new.row_count:
            was = agree(again, "was", "were")
            numbers = _numbers(change.table.row_numbers)
            yield Difference("keys", (name,), f"{counted(again, 'key')} of {name} {was} there before (rows {numbers})")


def _is_key(column: Column) -> bool:
    """Return whether a column tells nearly all rows apart: some may have been exported twice."""
    if len(column) < LEAST_KEYS or column.missing_count:
        return False
    return len(column.distinct()) >= LEAST_DIFFERENT * len(column)


def _by_key(
    old: BareTable, new: BareTable, keys: Sequence[str], shared: Sequence[str]
) -> tuple[Codes, Codes, tuple[ChangedCell, ...]]:
    pairs = [(name, name) for name in keys]
    mine, theirs, missing, height = Join(table="old", by=list(keys))._codes(new, old, pairs)
    gone_keys = np.any([old[name].missing for name in keys], axis=0)
    for table, codes, lacking in ((new, mine, missing), (old, theirs, gone_keys)):
        counts = np.bincount(codes[~lacking], minlength=height)
        twice = np.flatnonzero(~lacking & (counts[codes] > 1))
        if len(twice):
            raise ParameterError(
                f"{', '.join(keys)} does not tell the rows of {table.origin.name} apart: "
                f"{counted(len(twice), 'row')} share a key, for instance {_key_of(table, keys, int(twice[0]))}",
                remedy="name more columns, or remove the duplicates first",
            )
    place = np.full(height, -1, np.int64)
    place[theirs[~gone_keys]] = np.flatnonzero(~gone_keys)
    found = np.where(missing, -1, place[mine])
    here = np.flatnonzero(found >= 0)
    there = found[here]
    gone = np.ones(old.row_count, np.bool_)
    gone[there] = False
    changed: list[ChangedCell] = []
    for name in (one for one in shared if one not in keys):
        before, after = old[name]._take(there), new[name]._take(here)
        different = ~_same(before, after)
        places = np.flatnonzero(different)
        rows = here[places]
        shown = [cells_as_shown(new[key], rows) for key in keys]
        cells = cells_as_shown(before, places), cells_as_shown(after, places), new.row_numbers[rows].tolist()
        for *key, was, now, number in zip(*shown, *cells, strict=True):
            changed.append(ChangedCell(" ".join(key), name, was, now, number))
    changed.sort(key=lambda one: one.row)
    return new.row_numbers[found < 0], old.row_numbers[gone], tuple(changed)


def _same(before: Column, after: Column) -> Any:
    """Return where two columns hold the same; of two types, where they are written the same."""
    if before.type.plain == after.type.plain:
        return before._replace(type=before.type.plain)._same_cells(after._replace(type=after.type.plain))
    if before.type.numeric and after.type.numeric:
        same = as_floats(before) == as_floats(after)
        return (before.missing & after.missing) | (before.present & after.present & same)
    texts = zip(before.texts(), after.texts(), strict=True)
    return np.array([one == other for one, other in texts], np.bool_)


def _key_of(table: BareTable, keys: Sequence[str], position: int) -> str:
    return " ".join(shown_cell(table[name], position) for name in keys)
