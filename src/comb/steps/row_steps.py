"""Steps on rows: filter, sort, remove_duplicates."""

import re
import unicodedata
from collections.abc import Callable, Sequence
from typing import Any, ClassVar, Literal

import numpy as np

from comb.errors import ParameterError, agree, counted, listing
from comb.execution.columnwise import for_each
from comb.expressions.aggregates import Groups
from comb.expressions.check import Given
from comb.expressions.evaluate import bounds_of, evaluate_condition, strangers_of
from comb.expressions.windows import Window
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes, candidates, group, missing_last
from comb.steps.base import Change, Rows, SetAside, Step, chosen, places_where, undefined_notes
from comb.steps.column_steps import day_of, value_of
from comb.tables.chance import chance_of
from comb.tables.column import Column, Mask
from comb.tables.names import check_known
from comb.tables.ordered_rows import ordered_rows
from comb.tables.stored import stored_array
from comb.tables.table import BareTable, check_seed
from comb.tables.text import Text
from comb.tables.types import STRING

_DIRECTION = lazy_pattern(r"\s+(asc|desc)\Z", re.IGNORECASE)
_OTHER_DIRECTION = lazy_pattern(
    r"(?P<sign>[-+])?(?P<name>.*?)(?:[\s:,]+(?P<word>asc|ascending|desc|descending))?", re.IGNORECASE
)


class Filter(Step, frozen=True, tag="filter"):
    """Keep the rows for which a condition is true.

    Parameters
    ----------
    where : str
        A condition. Rows for which it is unknown, because a cell is missing, are left
        out and counted apart; so are those exactly on a bound.
    by : list of str
        Selectors of columns: aggregates in the condition are taken within the groups these form.
    as_of : str, optional
        The day that ``current_date`` means.
    parameters : dict of str to str
        What ``:name`` means in the condition.
    """

    accounting: ClassVar[Rows] = Rows.LEFT_OUT

    where: str
    by: list[str] = []
    as_of: str | None = None
    parameters: dict[str, str] = {}

    def apply(self, table: BareTable) -> Change:
        """Keep what is true."""
        names = chosen(table, self.by) if self.by else []
        groups = Groups.by(table, names)
        given = Given(day_of(self.as_of), {name: value_of(text) for name, text in self.parameters.items()})
        result = evaluate_condition(self.where, table, given, groups)
        true = result.array if result.state is None else result.array & result.present
        positions = places_where(true, table)
        unknown = result.missing_count
        are = agree(unknown, "is", "are")
        notes = [f"{unknown:,} of the rows left out {are} unknown (a cell is missing)"] if unknown else []
        notes += undefined_notes(self.where, table, given)
        notes += strangers_of(self.where, table, given)
        bounds = bounds_of(self.where, table, given)
        notes += [f"{counted(count, 'row')} exactly on the bound of {message}" for message, count in bounds.items()]
        losses = {"rows left out as unknown": unknown} if unknown else {}
        return Change.of_rows(table, positions, notes=tuple(notes), losses=losses)

    def describe(self) -> str:
        """Name the condition."""
        return f"rows where {self.where}"


class Sort(Step, frozen=True, tag="sort"):
    """Put rows in order; equal rows keep the order they had.

    Parameters
    ----------
    by : list of str
        Columns, the leading one first, each with ``desc`` behind it for descending
        order. Missing cells come last in both directions.
    text : {"exact", "natural", "ignore_accents"}
        How texts are ordered: exactly, by code point; naturally, ``colony 9`` before ``colony 10``; or with case
        and accents ignored.
    """

    by: list[str]
    text: Literal["exact", "natural", "ignore_accents"] = "exact"

    def apply(self, table: BareTable) -> Change:
        """Order the rows."""
        keys = [stored_array(_sort_key(table, key, self.text), table._storage) for key in self.by]
        if not keys:
            raise ParameterError("expected at least one column to sort by, got none")
        return Change.of_rows(table, ordered_rows(keys, table._storage))

    def describe(self) -> str:
        """Name the keys."""
        return f"sorted by {', '.join(self.by)}"


def _sort_key(table: BareTable, key: str, order: str = "exact") -> np.ndarray:
    """Return ascending values for a key with its direction, missing last."""
    direction = None if key in table else _DIRECTION.search(key)
    name = key[: direction.start()] if direction else key
    if name not in table:
        _check_direction(key, table.names)
    column = table[check_known(name, table.names)]
    descending = bool(direction and direction[1].lower() == "desc")
    if order != "exact" and column.type == STRING:
        ranks = _text_ranks(column, _ORDERS[order])
    else:
        plain = plain_key(column, descending=descending)
        if plain is not None:
            return plain
        ranks = column._sort_ranks()
    return missing_last(ranks, descending=descending)


def _check_direction(key: str, names: Sequence[str]) -> None:
    """Raise a ParameterError for a sort key that gives a direction in another way than SQL."""
    match = _OTHER_DIRECTION.fullmatch(key.strip())
    if match and match["name"] in names and (match["sign"] or match["word"]):
        down = match["sign"] == "-" or (match["word"] or "").lower().startswith("desc")
        raise ParameterError(
            f"expected a column, with asc or desc behind it; got {key!r}",
            remedy=f"write: {match['name']} {'desc' if down else 'asc'}",
        )


def plain_key(column: Column, *, descending: bool) -> np.ndarray | None:
    """Return values that sort as they are; None where only ranks do."""
    if column.type.choices or isinstance(column.values, Text):
        return None
    values = column.array
    if values.dtype.kind == "f":
        key: np.ndarray = -values if descending else values
        return (
            np.where(column.missing, np.inf, key)
            if column.state is not None and np.isfinite(values).all()
            else (None if column.state is not None else key)
        )
    whole = values.astype(np.int64) if values.dtype == np.bool_ else values.view(np.int64)
    low, high = np.iinfo(np.int64).min + 2, np.iinfo(np.int64).max - 2
    if len(whole) and (int(whole.min()) < low or int(whole.max()) > high):
        return None
    key = -whole if descending else whole
    return key if column.state is None else np.where(column.missing, np.iinfo(np.int64).max, key)


def _text_ranks(column: Column, key: Callable[[str], Any]) -> Codes:
    words, codes = column.text.coded()
    keys = [key(word) for word in words]
    places = {value: place for place, value in enumerate(sorted(set(keys)))}
    rank = np.array([places[value] for value in keys], np.int64)
    return np.where(column.missing, -1, rank[codes] if len(rank) else -1)


def natural_key(text: str) -> tuple[Any, ...]:
    """Return what texts are ordered by where numbers in them count as numbers.

    >>> sorted(["colony 10", "colony 9"], key=natural_key)
    ['colony 9', 'colony 10']
    """
    parts = re.split(r"([0-9]+)", text)
    # By length and then digit by digit: as numbers they would be too long to be read.
    numbers = {part: part.lstrip("0") for part in parts if part.isdigit()}
    return tuple(
        (0, len(numbers[part]), numbers[part]) if part in numbers else (1, 0, part.casefold()) for part in parts if part
    )


def without_accents(text: str) -> str:
    """Return a text without case and accents.

    >>> sorted(["Zoe", "Émile", "anna"], key=without_accents)
    ['anna', 'Émile', 'Zoe']
    """
    apart = unicodedata.normalize("NFD", text.casefold())
    return "".join(one for one in apart if not unicodedata.combining(one))


_ORDERS: dict[str, Callable[[str], Any]] = {"natural": natural_key, "ignore_accents": without_accents}


class PickRows(Step, frozen=True, tag="pick_rows"):
    """Keep some rows by where they stand, by size, or by chance.

    Parameters
    ----------
    first, last, every : int, optional
        This many from the top, from the end; or every n-th, beginning with the first.
    largest, smallest : str, optional
        The column by which the `count` largest or smallest rows are kept.
    count : int
        For these; rows as large as the last one kept are kept too where `ties` says so.
    ties : bool
    random : int, optional
        This many by chance, in table order; the same `seed` gives the same rows.
    seed : int
    numbers : list of int
        Rows by their row numbers.
    by : list of str
        Selectors of columns: all of this within each group they form.
    """

    accounting: ClassVar[Rows] = Rows.LEFT_OUT

    first: int | None = None
    last: int | None = None
    every: int | None = None
    largest: str | None = None
    smallest: str | None = None
    count: int = 10
    ties: bool = True
    random: int | None = None
    seed: int = 0
    numbers: list[int] = []
    by: list[str] = []

    def apply(self, table: BareTable) -> Change:
        """Keep the rows."""
        asked = [
            name
            for name in ("first", "last", "every", "largest", "smallest", "random")
            if getattr(self, name) is not None
        ]
        asked += ["numbers"] if self.numbers else []
        if len(asked) != 1:
            message = listing(asked) if asked else "none"
            raise ParameterError(
                f"expected one of first, last, every, largest, smallest, random and numbers, got {message}"
            )
        size = {"every": self.every, "first": self.first, "last": self.last, "random": self.random}.get(
            asked[0], self.count
        )
        if size is not None and size < (asked[0] == "every"):
            raise ParameterError(f"expected {asked[0]} to be a number of rows, got {size}")
        check_seed(self.seed)
        if self.numbers:
            positions = np.flatnonzero(np.isin(table.row_numbers, self.numbers))
            lost = sorted(set(self.numbers) - set(table.row_numbers.tolist()))
            notes = (f"there are no rows with the numbers {listing([str(one) for one in lost])}",) if lost else ()
            return Change.of_rows(table, positions, notes=notes)
        names = chosen(table, self.by) if self.by else []
        groups = Groups.by(table, names)
        # More than there are is as good as all.
        kept = self._kept(table, groups, asked[0], min(int(size or 0), table.row_count + 1))
        positions = np.flatnonzero(kept)
        return Change.of_rows(table, positions)

    def _kept(self, table: BareTable, groups: Groups, asked: str, size: int) -> Mask:
        rows = table.row_count
        none = np.zeros(rows, np.bool_)
        if asked in ("largest", "smallest"):
            name = check_known(str(getattr(self, asked)), table.names)
            ranks = table[name]._sort_ranks()
            key = np.where(ranks < 0, rows, -ranks if asked == "largest" else ranks)
            window = Window(groups, [key], ranks < 0)
            place = window.rank("rank" if self.ties else "row_number").array
            return np.asarray((place <= size) & (ranks >= 0))
        keys = []
        if asked == "random":
            keys = [chance_of(table.row_numbers, self.seed)]
        window = Window(groups, keys, none)
        place = window.rank("row_number").array
        if asked == "every":
            return np.asarray((place - 1) % size == 0)
        if asked == "last":
            total = np.bincount(groups.codes, minlength=len(groups))[groups.codes]
            return np.asarray(place > total - size)
        return np.asarray(place <= size)

    def describe(self) -> str:
        """Name what is kept."""
        message = {
            "first": f"the first {_rows(self.first)}", "last": f"the last {_rows(self.last)}",
            "every": f"one row in {self.every}, from the first",
            "largest": f"the {_rows(self.count)} with the largest {self.largest}",
            "smallest": f"the {_rows(self.count)} with the smallest {self.smallest}",
            "random": f"{_rows(self.random)} by chance (seed {self.seed})",
        }  # fmt: skip
        what = next(
            (text for name, text in message.items() if getattr(self, name) is not None),
            f"{counted(len(self.numbers), 'row')} by number",
        )
        return f"{what} of each {', '.join(self.by)}" if self.by else what


def _rows(count: int | None) -> str:
    return counted(count or 0, "row")


class RemoveDuplicates(Step, frozen=True, tag="remove_duplicates"):
    """Keep one of the rows that are equal.

    Rows equal in every column are merged into the first of them. Rows equal only in
    the columns of `by` may differ elsewhere, so all but one are set aside. Rows without
    a value in any column of `by` have no key that could be the same: all of them stay.

    Parameters
    ----------
    by : list of str
        Selectors of the columns to look at; none means all.
    which : {"first", "last", "fullest"}
        Which row stays: ``fullest`` is the one with the fewest missing cells.
    """

    accounting: ClassVar[Rows] = Rows.MERGED

    by: list[str] = []
    which: Literal["first", "last", "fullest"] = "first"

    def apply(self, table: BareTable) -> Change:
        """Keep one row of each group."""
        names = chosen(table, self.by)
        # Rows that are equal to no other stay; most of them are known by a fingerprint.
        rows = candidates(table._key_blocks(names), table.row_count, table._storage.empty)
        keyless = np.all([table[name].missing for name in names], axis=0) if self.by else np.zeros(0, np.bool_)
        rows = rows[~keyless[rows]] if keyless.any() else rows

        def codes_of(name: str) -> Codes:
            return table[name]._take(rows)._codes()

        numbers, _ = group(for_each(codes_of, names, len(rows), table._storage), len(rows))
        staying = _representatives(numbers, self._preference(table)[rows])
        kept = np.ones(table.row_count, np.bool_)
        kept[rows[~staying]] = False
        positions, gone = np.flatnonzero(kept), np.flatnonzero(~staying)
        # Where rows are equal in all columns anyway, they are grouped already.
        identical = numbers
        if set(names) != set(table.columns):
            identical, _ = group(for_each(codes_of, table.names, len(rows), table._storage), len(rows))
        kept_of = np.zeros(numbers.max(initial=-1) + 1, np.int64)
        kept_of[numbers[staying]] = np.flatnonzero(staying)
        differing = gone[identical[gone] != identical[kept_of[numbers[gone]]]]
        aside = None
        if len(differing):
            twins = table.row_numbers[rows[kept_of[numbers[differing]]]].tolist()
            message = tuple(f"same {', '.join(names)} as row {twin}, but differs elsewhere" for twin in twins)
            aside = SetAside(rows[differing], message)
        without = int(keyless.sum())
        notes = (f"{counted(without, 'row')} without {' and '.join(names)} kept",) if without > 1 else ()
        moved = np.cumsum(kept) - 1
        merged_into = np.where(kept, moved, -1)
        merged_into[rows[gone]] = moved[rows[kept_of[numbers[gone]]]]
        return Change.of_rows(table, positions, set_aside=aside, notes=notes, merged_into=merged_into)

    def _preference(self, table: BareTable) -> Codes:
        """Return for each row how willingly it is given up: the lowest stays."""
        places = np.arange(table.row_count)
        if self.which == "last":
            return -places
        if self.which == "first":
            return places
        gaps = np.zeros(table.row_count, np.int64)
        for column in table.columns.values():
            gaps += column.missing
        return gaps * table.row_count + places

    def describe(self) -> str:
        """Name what is compared."""
        return f"one row for each {', '.join(self.by)}" if self.by else "exact copies removed, one of each kept"


def _representatives(numbers: Codes, preference: Codes) -> np.ndarray:
    """Return for each row whether it stays: the one of its group with the lowest preference."""
    order = np.lexsort((preference, numbers))
    ordered = numbers[order]
    leads = np.ones(len(order), np.bool_)
    leads[1:] = ordered[1:] != ordered[:-1]
    staying = np.zeros(len(order), np.bool_)
    staying[order[leads]] = True
    return staying
