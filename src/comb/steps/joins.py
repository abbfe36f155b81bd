"""Steps with a second table: join, stack_tables."""

from collections.abc import Mapping, Sequence
from typing import ClassVar, Literal

import numpy as np
from msgspec.structs import replace

from comb.errors import ColumnError, ParameterError, TypeMismatch, agree, counted, listing, nearest
from comb.expressions.arithmetic import result_type
from comb.expressions.evaluate import widened
from comb.kernels.dispatch import kernels
from comb.kernels.grouping import MOST_SPREAD, Codes, compact, group
from comb.parsing.letters import looks_like
from comb.steps.base import Change, Rows, Step, below_each_other, folding, in_rows
from comb.steps.join_keys import ROW_NUMBER, check_alike, shared_codes, typed_alike
from comb.tables.cell_source import NO_PLACE, CellSource, Part, placed, put_below, without
from comb.tables.column import Column, Mask
from comb.tables.concat import below
from comb.tables.names import check_known, choose
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER, STRING, Choice

# This many keys without a match are known, with the nearest on the other side.
MOST_LISTED = 5

# This many keys of the other side, those that share most pairs of letters, are compared letter by letter.
MOST_COMPARED = 100
MOST_WRITTEN = 100_000

# A join that makes more rows than this, and this many times those of both tables, is refused: a key is lacking.
MOST_JOINED_ROWS = 50_000_000
MOST_GROWTH = 10
BYTES_A_CELL = 8


class TwoTables(Step, frozen=True):
    """A step that needs a second table.

    Parameters
    ----------
    table : str
        Its name: another table of the plan.
    """

    table: str

    @property
    def other_table(self) -> str:
        """The name of the second table."""
        return self.table

    def apply(self, table: BareTable) -> Change:
        """Say that the second table is missing."""
        raise ParameterError(f"no other table is called {self.table!r}", remedy="name a table of the plan")


class Join(TwoTables, frozen=True, tag="join"):
    """Look up columns of another table by one or several keys.

    Parameters
    ----------
    by : list of str
        The key columns; ``mine = theirs`` where they have different names. ``row number`` on one side is the row's own
        number: ``parent_row = row number``.
    columns : list of str
        Selectors of what to take over; none means all but the keys.
    add_columns : bool
        False takes no columns: it only chooses rows with a match, or those without.
    rows : {"all", "matched", "unmatched", "both"}
        All rows of this table; those with a match; those without; or all of this and those of
        the other table that nothing matched.
    ignore : list of {"case", "spaces"}
        What makes no difference when keys of text are compared.
    latest : str, optional
        Dates, as ``mine = theirs``: of several rows with the key, the latest one not after the date of this row.
    allow_multiple : bool
        Whether a row may match several, and so become several.
    """

    accounting: ClassVar[Rows] = Rows.LEFT_OUT

    by: list[str]
    columns: list[str] = []
    add_columns: bool = True
    rows: Literal["all", "matched", "unmatched", "both"] = "all"
    ignore: list[str] = []
    latest: str | None = None
    allow_multiple: bool = False

    def apply_with(self, table: BareTable, other: BareTable) -> Change:
        """Look the columns up."""
        here, there = (_with_row_numbers(one, side, self.by) for side, one in enumerate((table, other)))
        change = self._looked_up(here, there, [one for one in there.names if one in other])
        if here is table:
            return change
        columns = {name: column for name, column in change.table.columns.items() if name != ROW_NUMBER}
        return replace(change, table=change.table._derive(columns))

    def _looked_up(self, table: BareTable, other: BareTable, there: Sequence[str]) -> Change:
        """Look the columns up; of the other table, those that are there can be taken over."""
        pairs = [_pair(one, table, other) for one in self.by]
        if not pairs:
            raise ParameterError("expected at least one key to look up by, got none")
        folding(self.ignore)
        keys = {theirs for _, theirs in pairs}
        types = {name: other.types[name] for name in there}
        names = choose(self.columns, types) if self.columns else [one for one in there if one not in keys]
        mine, theirs, missing, height = self._codes(table, other, pairs)
        lookup = np.full(height, -1, np.int64)
        # Of several rows with one key, the first.
        lookup[theirs[::-1]] = np.arange(len(theirs) - 1, -1, -1)
        found = np.where(missing, -1, lookup[mine])
        if self.latest is not None:
            found = self._latest(table, other, mine, theirs, missing)
        matched = found >= 0
        notes = [self._matched_message(matched, other)]
        notes += self._unmatched_message(table, other, pairs, matched, missing)
        if not self.add_columns:
            if self.rows not in ("matched", "unmatched"):
                raise ParameterError("without columns to take, expected rows to be matched or unmatched")
            some = np.flatnonzero(matched if self.rows == "matched" else ~matched)
            return Change.of_rows(table, some, notes=tuple(notes))
        if self.rows == "unmatched":
            some = np.flatnonzero(~matched)
            return Change.of_rows(table, some, notes=tuple(notes))
        rows: Codes | None
        rows, sources = self._rows(
            mine, theirs, self._gone(other, pairs), found, matched, notes, len(table.names) + len(other.names)
        )
        if self.rows == "matched":
            kept = np.flatnonzero(sources >= 0)
            rows, sources = kept if rows is None else rows[kept], sources[kept]
        return self._joined(table, other, pairs, names, rows, sources, found, notes)

    def _rows(
        self, mine: Codes, theirs: Codes, gone: Mask, found: Codes, matched: Mask, notes: list[str], columns: int
    ) -> tuple[Codes | None, Codes]:
        """Return the rows of both tables that stand beside each other; -1 where nothing matches.

        None for the rows of this table means all of them, as they are.
        """
        if self.latest is not None:
            return None, found
        times = np.bincount(theirs)
        times[theirs[gone]] = 0
        if int(times.max(initial=0)) <= 1:
            return None, found
        here = np.arange(len(mine))
        several = np.where(matched, times[np.minimum(mine, len(times) - 1)], 1)
        if int(several.max(initial=1)) <= 1:
            return None, found
        rows_more = int(several.sum()) - len(mine)
        doubled = int(np.count_nonzero(several > 1))
        if not self.allow_multiple:
            several_rows = (
                f"{counted(doubled, 'row')} {agree(doubled, 'matches', 'match')} several rows of {self.table}"
            )
            raise ParameterError(
                f"{several_rows}: there would be {counted(rows_more, 'row')} more",
                remedy="remove the duplicates there first, add a key, or allow it: allow_multiple=True",
            )
        if len(mine) + rows_more > max(MOST_JOINED_ROWS, MOST_GROWTH * (len(mine) + len(theirs))):
            size = (len(mine) + rows_more) * columns * BYTES_A_CELL / 1e9
            raise ParameterError(
                f"there would be {len(mine) + rows_more:,} rows, some {size:,.0f} GB: "
                f"{counted(doubled, 'row')} {agree(doubled, 'matches', 'match')} several of {self.table}",
                remedy="add a key that tells the rows apart, or count instead: aggregate one of the tables first",
            )
        notes.append(
            f"{counted(doubled, 'row')} {agree(doubled, 'matches', 'match')} several: {counted(rows_more, 'row')} more"
        )
        order = np.argsort(theirs, kind="stable")
        starts = np.searchsorted(theirs[order], mine)
        rows = np.repeat(here, several)
        within = np.arange(len(rows)) - np.repeat(np.cumsum(several) - several, several)
        places = np.minimum(starts[rows] + within, max(0, len(order) - 1))
        sources = np.where(matched[rows], order[places] if len(order) else -1, -1)
        return rows, sources

    def _joined(
        self, table: BareTable, other: BareTable, pairs: Sequence[tuple[str, str]], names: Sequence[str],
        rows: Codes | None, sources: Codes, found: Codes, notes: list[str],
    ) -> Change:  # fmt: skip
        unmatched = int(np.count_nonzero(found < 0))
        losses = {"rows without a match": unmatched} if unmatched else {}
        columns = (
            dict(table.columns) if rows is None else {name: one._take(rows) for name, one in table.columns.items()}
        )
        lacking = sources < 0
        places = np.where(lacking, 0, sources)
        looked_up = np.where(lacking, 0, other.row_numbers[places] if other.row_count else 0)
        for name in names:
            title = name if name not in columns else f"{name} [{self.table}]"
            if other[name].source is None:
                source = CellSource((Part(name, other.origin),), rows=looked_up)
                columns[title] = _taken(other[name], places, lacking)._replace(source=source)
            else:
                columns[title] = _taken(in_rows(other)[name], places, lacking)
        numbers = table.row_numbers if rows is None else table.row_numbers[rows]
        if self.rows == "both":
            extra = np.setdiff1d(np.arange(other.row_count), sources)
            columns = {
                name: one._replace(source=placed(one.source, name).in_rows(table.origin, numbers))
                for name, one in columns.items()
            }
            columns = self._with_others(table, other, dict(pairs), columns, names, extra)
            upper = np.arange(table.row_count) if rows is None else rows
            rows = np.append(upper, np.full(len(extra), -1, np.int64))
            notes.append(f"{counted(len(extra), 'row')} of {self.table} without a match added below")
            parts = [(table.origin, numbers), (other.origin, other.row_numbers[extra])]
            return Change(below_each_other(table, columns, parts), rows, notes=tuple(notes), losses=losses)
        made = table._derive(columns, row_numbers=numbers)
        return Change(made, rows, notes=tuple(notes), losses=losses)

    def _with_others(
        self, table: BareTable, other: BareTable, pairs: Mapping[str, str], columns: dict[str, Column],
        names: Sequence[str], extra: Codes,
    ) -> dict[str, Column]:  # fmt: skip
        """Put the rows of the other table that nothing matched below."""
        made, theirs = {}, in_rows(other)
        titles = {name if name not in table.columns else f"{name} [{self.table}]": name for name in names}
        for title, column in columns.items():
            source = pairs.get(title) or titles.get(title)
            if source is not None and other[source].type == column.type:
                more = theirs[source]._take(extra)
            else:
                more = column._absent(len(extra))
            made[title] = below([column, more])
        return made

    def _codes(
        self, table: BareTable, other: BareTable, pairs: Sequence[tuple[str, str]]
    ) -> tuple[Codes, Codes, Mask, int]:
        """Number the keys of both tables equal; those with a missing part match nothing."""
        left, right = [], []
        missing = np.zeros(table.row_count, np.bool_)
        gone = np.zeros(other.row_count, np.bool_)
        for here, there in pairs:
            mine, theirs = typed_alike(table[here], other[there])
            check_alike(here, mine, there, theirs, self.table)
            codes = shared_codes(self._plain(mine), self._plain(theirs))
            left.append(codes[0])
            right.append(codes[1])
            missing |= mine.missing
            gone |= theirs.missing
        if len(pairs) == 1:
            mine_codes, their_codes = left[0], right[0]
        else:
            both = [np.concatenate([one, two]) for one, two in zip(left, right, strict=True)]
            numbers, _ = group(both, table.row_count + other.row_count)
            mine_codes, their_codes = numbers[: table.row_count], numbers[table.row_count :]
        size = 2 + int(max(mine_codes.max(initial=0), their_codes.max(initial=0)))
        return mine_codes, np.where(gone, size - 1, their_codes), missing, size

    def _gone(self, other: BareTable, pairs: Sequence[tuple[str, str]]) -> Mask:
        """Return the rows of the other table that lack a key."""
        return np.asarray(np.any([other[there].missing for _, there in pairs], axis=0))

    def _plain(self, column: Column) -> Column:
        """Return keys without what is to make no difference."""
        if column.type != STRING or not self.ignore:
            return column
        return column._replace(values=column.text.map(folding(self.ignore)))

    def _latest(self, table: BareTable, other: BareTable, mine: Codes, theirs: Codes, missing: Mask) -> Codes:
        """Return for each row the row of the other table with its key whose date is the latest not after its own."""
        here, there = _pair(str(self.latest), table, other)
        own, given = typed_alike(table[here], other[there])
        check_alike(here, own, there, given, self.table)
        rows, others = np.flatnonzero(own.present & ~missing), np.flatnonzero(given.present)
        dates = np.concatenate([given.array[others], own.array[rows]])
        codes = np.concatenate([theirs[others], mine[rows]])
        is_mine = np.concatenate([np.zeros(len(others), np.int64), np.ones(len(rows), np.int64)])
        order = np.lexsort((is_mine, dates, codes))
        places = np.where(is_mine[order] == 0, np.arange(len(order)), -1)
        last = np.maximum.accumulate(places) if len(places) else places
        asked = np.flatnonzero(is_mine[order] == 1)
        hits = last[asked]
        fits = (hits >= 0) & (codes[order[np.maximum(hits, 0)]] == codes[order[asked]])
        found = np.full(table.row_count, -1, np.int64)
        if len(others):
            hit = order[np.maximum(hits, 0)]
            found[rows[order[asked] - len(others)]] = np.where(fits, others[np.minimum(hit, len(others) - 1)], -1)
        return found

    def _matched_message(self, matched: Mask, other: BareTable) -> str:
        hits = int(matched.sum())
        return f"{hits:,} of {len(matched):,} rows found a match in the {other.row_count:,} rows of {self.table}"

    def _unmatched_message(
        self, table: BareTable, other: BareTable, pairs: Sequence[tuple[str, str]], matched: Mask, missing: Mask
    ) -> list[str]:
        """Name keys without a match, and the nearest key on the other side."""
        notes = []
        if missing.any():
            empty = int(missing.sum())
            notes.append(f"{counted(empty, 'row')} {agree(empty, 'has', 'have')} an empty key and cannot match")
        lost = np.flatnonzero(~matched & ~missing)
        if not len(lost):
            return notes
        keys = [table[here]._codes()[lost] for here, _ in pairs]
        codes = keys[0] if len(keys) == 1 else group(keys, len(lost))[0]
        numbers = codes if int(codes.max()) < MOST_SPREAD * table.row_count else compact(codes)[1]
        counts = np.bincount(numbers)
        different = int(np.count_nonzero(counts))
        cell_notes = min(MOST_LISTED, len(counts))
        top = np.argpartition(-counts, cell_notes - 1)[:cell_notes]
        top = top[(counts[top] > 0)]
        top = top[np.lexsort((top, -counts[top]))]
        theirs = [other[there] for _, there in pairs]
        # Keys that are not text have to be written as text first.
        among = other.row_count <= MOST_WRITTEN or (len(pairs) == 1 and theirs[0].type == STRING)
        known = _NearestTexts(_message(theirs) if among else Text.from_strings([]))
        message = []
        first = np.array([int(np.argmax(numbers == at)) for at in top.tolist()])
        lost_keys = _message([table[here]._take(lost[first]) for here, _ in pairs])
        for text, count in zip(lost_keys.to_list(), counts[top].tolist(), strict=True):
            near = nearest(text, known.candidates(text))
            same = ", which looks the same" if near and looks_like(near) == looks_like(text) else ""
            message.append(f"{text!r} {count:,} times" + (f" (nearest: {near!r}{same})" if near else ""))
        more = f" and {different - MOST_LISTED:,} more" if different > MOST_LISTED else ""
        return [*notes, f"not found in {self.table}: {', '.join(message)}{more}"]

    def describe(self) -> str:
        """Name the table and the keys."""
        return f"{self.table} looked up by {', '.join(self.by)}"


def _message(keys: Sequence[Column]) -> Text:
    """Return the keys of rows as one text each; rows that lack a part are left out."""
    if len(keys) == 1 and isinstance(keys[0].values, Text):
        return keys[0].text.take(np.flatnonzero(keys[0].present))
    rows = zip(*(key.texts() for key in keys), strict=True)
    return Text.from_strings([" / ".join(map(str, row)) for row in rows if None not in row])


class _NearestTexts:
    """Texts among which the likest are looked for. Cost: a pass over their bytes, and one for each that is sought."""

    def __init__(self, texts: Text) -> None:
        self._texts = texts.packed()
        folded = _FOLDED[texts.buffer].astype(np.uint16)
        self._pairs = folded[:-1] << np.uint16(8) | folded[1:]

    def candidates(self, text: str) -> list[str]:
        """Return the texts that share most pairs of neighbouring bytes with one, whatever their case."""
        offsets = self._texts.offsets
        if len(offsets) - 1 <= MOST_COMPARED:
            return self._texts.strings()
        folded = _FOLDED[np.frombuffer(text.encode(), np.uint8)].astype(np.uint16)
        wanted = np.zeros(1 << 16, np.uint8)
        wanted[folded[:-1] << np.uint16(8) | folded[1:]] = 1
        shared = np.zeros(len(self._pairs) + 2, np.int32)
        np.cumsum(wanted[self._pairs], dtype=np.int32, out=shared[2:])
        scores = shared[offsets[1:]] - shared[np.minimum(offsets[:-1] + 1, offsets[1:])]
        scores = 2 * scores - np.abs(np.diff(offsets) - len(folded))
        best = np.sort(np.argpartition(-scores, MOST_COMPARED)[:MOST_COMPARED])
        return kernels.take(self._texts, best).strings()


# Bytes with capitals as small letters.
_FOLDED = np.arange(256, dtype=np.uint8)
_FOLDED[65:91] += 32


def _with_row_numbers(table: BareTable, side: int, keys: Sequence[str]) -> BareTable:
    """Return a table with its row numbers as a column, if a key asks for them on this side: 0 is mine, 1 theirs."""
    sides = [[part.strip() for part in (key if "=" in key else f"{key}={key}").partition("=")[::2]] for key in keys]
    asked = any(names[side] == ROW_NUMBER for names in sides)
    if not asked or ROW_NUMBER in table:
        return table
    return table._derive({**table.columns, ROW_NUMBER: Column(INTEGER, table.row_numbers)})


def _pair(text: str, table: BareTable, other: BareTable) -> tuple[str, str]:
    """Take a key apart: the column here and the one there."""
    if text in table and text in other:
        return text, text
    here, equals, there = (part.strip() for part in text.partition("="))
    if not equals:
        there = here
    return check_known(here, [*table.names, ROW_NUMBER]), check_known(there, [*other.names, ROW_NUMBER])


def _taken(column: Column, places: Codes, lacking: Mask) -> Column:
    """Return cells of the other table; ``absent`` where there is no match."""
    if not len(column):
        return column._absent(len(places))
    taken = column._take(places)._unnumbered()
    if taken.source is not None and lacking.any():
        taken = taken._replace(source=without(taken.source, lacking))
    return taken._emptied(lacking, Reason.ABSENT) if lacking.any() else taken


class StackTables(TwoTables, frozen=True, tag="stack_tables"):
    """Put the rows of another table below, column by column with the same name.

    Parameters
    ----------
    source_column : str, optional
        A column that says which table each row came from. One that an earlier stacking made goes on.
    """

    accounting: ClassVar[Rows] = Rows.LEFT_OUT

    source_column: str | None = None

    def apply_with(self, table: BareTable, other: BareTable) -> Change:
        """Put the rows below."""
        notes, columns = [], {}
        rows, more = table.row_count, other.row_count
        above, under = in_rows(table), in_rows(other)
        for name in dict.fromkeys([*table.names, *other.names]):
            if name == self.source_column:
                continue
            mine, theirs = above.get(name), under.get(name)
            if mine is None or theirs is None:
                there = f"only in {self.table}" if mine is None else f"not in {self.table}"
                notes.append(f"{name} is {there}: absent in the other rows")
            upper = mine if mine is not None else _nowhere(theirs, rows)
            lower = theirs if theirs is not None else _nowhere(mine, more)
            # The origin of the whole knows where both stood, unless one has a place of its own.
            own = all(name in one and one[name].source is None for one in (table, other))
            source = None if own else put_below([one.source or NO_PLACE for one in (upper, lower)], [rows, more])
            columns[name] = below(_reconciled(name, upper, lower, notes))._replace(source=source)
        if self.source_column is not None:
            columns[self.source_column] = self._named_sources(table, other, notes)
        sources = np.append(np.arange(rows), np.full(more, -1, np.int64))
        parts = [(table.origin, table.row_numbers), (other.origin, other.row_numbers)]
        return Change(below_each_other(table, columns, parts), sources, notes=tuple(notes))

    def _named_sources(self, table: BareTable, other: BareTable, notes: list[str]) -> Column:
        """Return the column of the names of the tables; one of texts that is there goes on."""
        name = str(self.source_column)
        begun = table.columns.get(name)
        if name in other.columns or (begun is not None and begun.type != STRING):
            raise ColumnError(f"there would be two columns named {name!r}", remedy="choose another name")
        lower = Column(STRING, Text.from_items([self.table], np.zeros(other.row_count, np.int64)))
        if begun is not None:
            notes.append(f"{name} was there and goes on with {self.table}")
            return below([begun, lower])
        name_of_file = table.origin.name
        first = name_of_file.rpartition(".")[0] or name_of_file
        return below([Column(STRING, Text.from_items([first], np.zeros(table.row_count, np.int64))), lower])

    def describe(self) -> str:
        """Name the table."""
        return f"{self.table} appended below"


def _nowhere(like: Column | None, rows: int) -> Column:
    """Return a column of the type of another, in which every cell is absent."""
    assert like is not None
    return _taken(like._take(np.zeros(0, np.int64)), np.zeros(rows, np.int64), np.ones(rows, np.bool_))


def _of_type(empty: Column, like: Column) -> Column:
    """Return a column without a value as one of the type of another."""
    return _nowhere(like, len(empty))._replace(state=empty.state, kept=empty.kept)


def _in_order(some: Sequence[Choice], others: Sequence[Choice]) -> bool:
    """Return whether some choices, labels too, are among others, in the same order."""
    remaining = iter(others)
    return all(choice in remaining for choice in some)


def _reconciled(name: str, upper: Column, lower: Column, notes: list[str]) -> list[Column]:
    """Bring two columns to one type; what cannot be is an error."""
    # A column without a value has no type of its own.
    if upper.type != lower.type and (len(upper) == upper.missing_count or len(lower) == lower.missing_count):
        return [_of_type(upper, lower), lower] if len(upper) == upper.missing_count else [upper, _of_type(lower, upper)]
    one, other = upper.type, lower.type
    if one == other:
        return [upper, lower]
    if one.choices and other.choices and one.plain == other.plain:
        longer, shorter = (one, other) if len(one.choices) >= len(other.choices) else (other, one)
        if _in_order(shorter.choices, longer.choices):
            return [column._replace(type=longer) for column in (upper, lower)]
        notes.append(f"{name} has other choices there, or in another order: {one.plain} holds both, without an order")
        return [column._replace(type=one.plain) for column in (upper, lower)]
    if one.plain.numeric and other.plain.numeric:
        kind = result_type("+", one.plain, other.plain)
        notes.append(f"{name} is {one.in_full} here and {other.in_full} there: {kind.in_full} holds both")
        parts = [column._replace(type=column.type.plain) for column in (upper, lower)]
        return [widened(part, kind) for part in parts]
    if one.plain == other.plain:
        return [column._replace(type=one.plain) for column in (upper, lower)]
    raise TypeMismatch(
        f"{name!r} is {one} here and {other} there; one column holds one type",
        remedy=f"convert one of them first; {listing(['string'])} holds everything",
    )
