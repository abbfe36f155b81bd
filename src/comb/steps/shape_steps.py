"""Steps on the shape of a table: to_long, transpose, split, combine."""

import re
from collections.abc import Sequence
from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from comb.casting.cast import convert_column
from comb.errors import ColumnError, ParameterError, TypeMismatch, agree, counted, listing
from comb.expressions.arithmetic import result_type
from comb.expressions.evaluate import widened
from comb.formats.regular_expressions import pattern, problem_with
from comb.kernels import dispatch
from comb.kernels.string_buffer import pack
from comb.kernels.types import Dialect
from comb.parsing.patterns import parse_request
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.steps.base import Change, Rows, Step, as_literal, chosen, in_quotes, numbered_anew
from comb.tables.categories import as_category
from comb.tables.cell_source import NO_PLACE, placed, side_by_side
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.names import unique_names
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Pieces, Text, put_together
from comb.tables.types import STRING, Type
from comb.tables.value_texts import packed_texts

# The part of a pattern that stands for the names of columns of cells.
VALUE = "value"

# Rows that are put side by side at once.
ROWS_AT_ONCE = 8_192

# More columns than this cannot be looked at as a table.
MOST_TURNED = 2_000

# With more columns than this, the formula that leaves out each missing cell with its mark is longer than it helps.
MOST_OPTIONAL = 3


class ToLong(Step, frozen=True, tag="to_long"):
    """Turn columns side by side into rows one below the other.

    Parameters
    ----------
    columns : list of str
        Selectors of the columns whose names are values.
    heading_column : str
        Name of the new column for the old names.
    value_column : str
        Name of the new column for the cells.
    pattern : str, optional
        Instead of these two, how the names are built: ``{value}_{year}`` makes of ``kg_2024 kg_2025 mites_2024
        mites_2025`` the columns ``year``, ``kg`` and ``mites``. Each part in braces is a new column; what ``{value}``
        stands for are the names of the columns of cells.
    types : dict of str to str
        Types of the columns made of names: ``{year: integer}``, ``{month: date yyyy-MM}``; ``category`` keeps them in
        the order of the columns.
    keep_missing : bool
        Whether missing cells become rows too; otherwise they are left out and counted.
    keep_absent : bool
        Whether cells become rows that are absent, since the table they would be from has no such column.
    """

    accounting: ClassVar[Rows] = Rows.SPREAD

    columns: list[str]
    heading_column: str = ""
    value_column: str = ""
    pattern: str | None = None
    types: dict[str, str] = {}
    keep_missing: bool = True
    keep_absent: bool = True

    def apply(self, table: BareTable) -> Change:
        """Stack the columns; the rows of one case stay together."""
        names = chosen(table, self.columns)
        fixed = [name for name in table.names if name not in names]
        parts, values, cells = self._parts(names)
        self._check_names(fixed, [*parts, *values])
        combinations = list(dict.fromkeys(part for part, _ in cells))
        count, height = len(combinations), table.row_count
        sources = np.repeat(np.arange(height), count)
        columns = {name: table[name]._take(sources) for name in fixed}
        for at, part in enumerate(parts):
            texts = [one[at] for one in combinations]
            columns[part] = _tiled(self._headings(part, texts), height)
        made = {value: self._value(table, value, combinations, cells) for value in values}
        long = table._derive(columns | made, row_numbers=table.row_numbers[sources])
        lacking = sum((part, value) not in cells for part in combinations for value in values)
        notes = (f"{counted(lacking, 'column')} of the pattern {agree(lacking, 'is', 'are')} not there: absent",)
        if self.keep_missing and self.keep_absent:
            return Change(long, sources, notes=notes if lacking else (), moved=fixed)
        there = [column.states != Reason.ABSENT if self.keep_missing else column.present for column in made.values()]
        kept = np.flatnonzero(np.any(there, axis=0))
        return Change(long._take(kept), sources[kept], notes=notes if lacking else (), moved=fixed)

    def _parts(self, names: list[str]) -> tuple[list[str], list[str], dict[tuple[tuple[str, ...], str], str]]:
        """Take the names apart: the new columns of parts, those of cells, and the column of each combination."""
        if self.pattern is None:
            if not (self.heading_column and self.value_column):
                raise ParameterError(
                    "expected heading_column and value_column, or a pattern", remedy="pattern: '{value}_{year}'"
                )
            return [self.heading_column], [self.value_column], {((name,), self.value_column): name for name in names}
        if self.heading_column or self.value_column:
            raise ParameterError("expected a pattern, or heading_column and value_column, and not both")
        titles = re.findall(r"\{(.*?)\}", self.pattern)
        if titles.count(VALUE) != 1 or len(titles) < 2 or len(set(titles)) < len(titles) or not all(titles):
            raise ParameterError(
                f"expected a pattern with {{{VALUE}}} and other parts, got {self.pattern!r}",
                remedy="for instance '{value}_{year}'",
            )
        fit = self._fitting(names)
        cells: dict[tuple[tuple[str, ...], str], str] = {}
        strange = [name for name in names if not fit.fullmatch(name)]
        if strange:
            raise ParameterError(
                f"{listing([repr(name) for name in strange])} {agree(len(strange), 'is', 'are')} not built like "
                f"{self.pattern!r}",
                remedy="name the columns that are",
            )
        for name in names:
            found = fit.fullmatch(name)
            assert found is not None
            of = dict(zip(titles, found.groups(), strict=True))
            value = of.pop(VALUE)
            cells[tuple(of.values()), value] = name
        parts = [title for title in titles if title != VALUE]
        return parts, list(dict.fromkeys(value for _, value in cells)), cells

    def _fitting(self, names: list[str]) -> re.Pattern[str]:
        """Return the expression for the pattern; where it fits in two ways, that which needs fewest parts."""
        pieces = re.split(r"\{(.*?)\}", str(self.pattern))
        ways = [
            re.compile("".join(part if at % 2 else re.escape(piece) for at, piece in enumerate(pieces)))
            for part in ("(.+)", "(.+?)")
        ]
        value = pieces[1::2].index(VALUE)

        def lacking(fit: re.Pattern[str]) -> tuple[int, int]:
            found = [match.groups() for name in names if (match := fit.fullmatch(name))]
            values = {one[value] for one in found}
            parts = {(*one[:value], *one[value + 1 :]) for one in found}
            return len(values) * len(parts) - len(found), len(values) + len(parts)

        return min(ways, key=lacking)

    def _headings(self, name: str, texts: list[str]) -> Column:
        """Return the parts of names as a column of the type asked for."""
        column = Column(STRING, Text.from_strings(texts))
        asked = self.types.get(name)
        if asked is None:
            return column._replace(source=NO_PLACE)
        if asked == "category":
            return as_category(column, list(dict.fromkeys(texts)), {})._replace(source=NO_PLACE)
        made = convert_column(column, parse_request(asked))
        if made.missing_count:
            wrong = [text for text, lacking in zip(texts, made.missing.tolist(), strict=True) if lacking]
            raise TypeMismatch(
                f"{listing([repr(text) for text in wrong])} {agree(len(wrong), 'does', 'do')} not fit {asked}",
                remedy=f"leave {name} out of types: then it stays text",
            )
        return made._replace(source=NO_PLACE, kept=Kept())

    def _value(
        self, table: BareTable, value: str, combinations: list[tuple[str, ...]],
        cells: dict[tuple[tuple[str, ...], str], str],
    ) -> Column:  # fmt: skip
        """Return the cells of one new column, those of one row one after the other."""
        there = [cells[part, value] for part in combinations if (part, value) in cells]
        like = table[next((name for name in there if _tells_type(table[name])), there[0])]
        kind = _shared_type(table, there)
        found, places = [], []
        for part in combinations:
            name = cells.get((part, value))
            if name is None:
                found.append(widened(like, kind)._absent(table.row_count))
                places.append(NO_PLACE)
            else:
                found.append(_as_type(table[name], like, kind))
                places.append(placed(table[name].source, name))
        return _stacked(found, kind)._replace(source=side_by_side(places, table.origin, table.row_numbers))

    def _check_names(self, fixed: list[str], new: list[str]) -> None:
        for name in new:
            if name in fixed or new.count(name) > 1:
                raise ColumnError(
                    f"there would be two columns named {name!r}", remedy="choose another name for the new column"
                )
        unknown = [name for name in self.types if name not in new]
        if unknown:
            raise ParameterError(f"no column {unknown[0]!r} is made of names", remedy=f"made are: {listing(new)}")

    def describe(self) -> str:
        """Name what is stacked."""
        made = f"by {self.pattern}" if self.pattern else f"{self.heading_column} and {self.value_column}"
        return f"{', '.join(self.columns)} stacked: {made}"


def _shared_type(table: BareTable, names: list[str]) -> Type:
    """Return the type that holds the cells of all columns."""
    # A column without a value has no type of its own.
    names = [name for name in names if _tells_type(table[name])] or names[:1]
    kind = table[names[0]].type
    for name in names[1:]:
        other = table[name].type
        if kind.numeric and other.numeric:
            kind = result_type("+", kind, other)
        elif kind != other:
            raise TypeMismatch(
                f"{names[0]!r} is {kind} and {name!r} is {other}; one column holds one type",
                remedy="convert them to one type first, for instance to string",
            )
    return kind


def _tells_type(column: Column) -> bool:
    """Return whether a column has a value, or a text that could not be read as one."""
    return column.missing_count < len(column) or len(column.kept) > 0


def _as_type(column: Column, like: Column, kind: Type) -> Column:
    """Return a column as one of a wider type; one without a value becomes like another, for the same reasons."""
    same = column.type == like.type or _tells_type(column)
    return widened(column if same else like._absent(len(column))._replace(state=column.states), kind)


def _stacked(columns: list[Column], kind: Type) -> Column:
    """Interleave columns: the cells of one row follow each other."""
    count = len(columns)
    complete = all(column.state is None for column in columns)
    state = None if complete else _interleaved([column.states for column in columns])
    kept = {at * count + k: text for k, column in enumerate(columns) for at, text in column.kept.texts.items()}
    if kind.textual:
        rows = zip(*(column.text.to_list() for column in columns), strict=True)
        values: Any = Text.from_strings([text for row in rows for text in row])
    else:
        values = _interleaved([column.array for column in columns])
    return Column(kind, values, state, kept=Kept(kept))


def _interleaved(arrays: list[NDArray[Any]]) -> NDArray[Any]:
    """Put the values of one row of several arrays beside each other, as many rows at once as stay in the cache."""
    made = np.empty((len(arrays[0]), len(arrays)), np.result_type(*arrays))
    for begin in range(0, len(made), ROWS_AT_ONCE):
        np.stack(
            [array[begin : begin + ROWS_AT_ONCE] for array in arrays], axis=1, out=made[begin : begin + ROWS_AT_ONCE]
        )
    return made.ravel()


def _tiled(column: Column, times: int) -> Column:
    """Return the cells of a short column again and again."""
    state = None if column.state is None else np.tile(column.state, times)
    if isinstance(column.values, Text):
        coded = column.text.with_codes()
        codes = np.arange(coded.item_count) if coded.codes is None else coded.codes
        values: Any = Text(coded.buffer, coded.offsets, np.tile(codes.astype(np.int32), times))
    else:
        values = np.tile(column.values, times)
    return column._replace(values=values, state=state)


class Transpose(Step, frozen=True, tag="transpose"):
    """Turn rows into columns and columns into rows.

    Parameters
    ----------
    headings_in : str
        The column whose values name the new columns.
    heading_column : str
        Name of the new column for the old names.
    """

    accounting: ClassVar[Rows] = Rows.MERGED

    headings_in: str
    heading_column: str = "column"

    @property
    def depends_on_values(self) -> bool:
        """Of each row a column is made."""
        return True

    def apply(self, table: BareTable) -> Change:
        """Turn the table."""
        key = table[self.headings_in]
        if table.row_count > MOST_TURNED:
            raise ParameterError(
                f"{table.row_count:,} rows would become columns, at most {MOST_TURNED:,} can",
                remedy="filter or aggregate the table first",
            )
        titles = unique_names([text or "" for text in key.texts()])
        if self.heading_column in titles:
            raise ColumnError(
                f"there would be two columns named {self.heading_column!r}", remedy="choose another heading_column"
            )
        names = [name for name in table.names if name != self.headings_in]
        if not names:
            raise ParameterError(f"there is no column but {self.headings_in}, so nothing to turn")
        kind = _shared_type(table, names)
        like = next((table[name] for name in names if _tells_type(table[name])), table[names[0]])
        stacked = _stacked([_as_type(table[name], like, kind) for name in names], kind)
        count = len(names)
        columns = {self.heading_column: Column(STRING, Text.from_items(names, np.arange(count)))}
        for at, title in enumerate(titles):
            columns[title] = stacked._take(np.arange(at * count, (at + 1) * count))
        rows = table.row_count
        sources = np.where(np.arange(count) < rows, np.arange(count), -1)
        return Change(numbered_anew(table, columns, count), sources)

    def describe(self) -> str:
        """Name what names the columns."""
        return f"rows turned into columns named by {self.headings_in}"


def _trimmed(text: Text) -> Text:
    """Return stored texts without outer spaces."""
    odd = text.outer_spaces(KNOWN_WORDS)
    return text.map_some(odd, str.strip)[0] if odd.any() else text


def quoted_parts(text: str, mark: str, quote: str) -> list[str]:
    """Return the parts of a text between marks, those in quotes without these.

    >>> quoted_parts('1,"Reed, Ann",2.5', ",", '"')
    ['1', 'Reed, Ann', '2.5']
    """
    found = dispatch.kernels.records(text, Dialect(mark, quote, ""), 2)
    # A line end inside is a part of the text, in quotes or not.
    fields = found.fields[0] if len(found.fields) == 1 else text.split(mark)
    return [part.strip() for part in fields]


class Split(Step, frozen=True, tag="split"):
    """Split texts into several columns, or into several rows.

    Parameters
    ----------
    column : str
    new_columns : list of str
        Names of the new columns, one for each part; none makes a row of each part.
    mark : str, optional
        What stands between the parts.
    pattern : str, optional
        A regular expression: its groups are the parts; or, for rows, what stands between.
    widths : list of int
        The characters of each part.
    side : {"left", "right"}
        From which side a mark is looked for, where there are more parts than columns: the rest stays in the last
        column, or in the first.
    keep_original : bool
        Keep the column that is split.
    quote : str, optional
        What encloses parts that have the mark in them, doubled inside: ``"``.
    """

    accounting: ClassVar[Rows] = Rows.SPREAD

    column: str
    new_columns: list[str] = []
    mark: str | None = None
    pattern: str | None = None
    widths: list[int] = []
    side: Literal["left", "right"] = "left"
    keep_original: bool = False
    quote: str | None = None

    def apply(self, table: BareTable) -> Change:
        """Split the texts."""
        column = table[self.column]
        if column.type != STRING:
            raise TypeMismatch(f"expected a column of type string, {self.column!r} is {column.type}")
        given = [name for name in ("mark", "pattern", "widths") if getattr(self, name)]
        if len(given) != 1:
            raise ParameterError(f"expected one of mark, pattern and widths, got {listing(given) if given else 'none'}")
        if self.pattern is not None and problem_with(self.pattern):
            raise ParameterError(f"{self.pattern!r}: {problem_with(self.pattern)}")
        if self.quote is not None and (len(self.quote) != 1 or len(self.mark or "") != 1 or self.side == "right"):
            raise ParameterError(
                f"expected a quote of one character beside a mark of one, from the left, got {self.quote!r}",
                remedy="split('line', ['id', 'name'], mark=',', quote='\"')",
            )
        text = column.text
        codes = np.arange(text.item_count) if text.codes is None else text.codes
        if not self.new_columns:
            return self._into_rows(table, column, [self._parts(item) for item in text.items()], codes)
        return self._into_columns(table, column, *self._cut(text), codes)

    def _cut(self, text: Text) -> tuple[list[Text], NDArray[np.int64]]:
        """Return what each new column gets of every stored text, and how many parts there are in each."""
        width = len(self.new_columns)
        if self.mark and not self.quote:
            quick = text.cut(self.mark, width, from_end=self.side == "right")
            if quick is not None:
                pieces, counts = quick
                return [_trimmed(piece) for piece in pieces], counts
        parts = [self._parts(item) for item in text.items()]
        counts = np.array([len(one) for one in parts], np.int64)
        if self.mark and self.quote:
            parts = [
                [*one[: width - 1], self.mark.join(one[width - 1 :])] if len(one) > width else one for one in parts
            ]
        elif self.mark:
            cut = str.rsplit if self.side == "right" else str.split
            parts = [[part.strip() for part in cut(item, self.mark, width - 1)] for item in text.items()]
        return [Text.from_items([one[at] if at < len(one) else "" for one in parts]) for at in range(width)], counts

    def _parts(self, text: str) -> list[str]:
        if self.mark and self.quote:
            return quoted_parts(text, self.mark, self.quote)
        if self.mark:
            return [part.strip() for part in text.split(self.mark)]
        if self.widths:
            ends = np.cumsum(self.widths).tolist()
            parts = [text[start:end].strip() for start, end in zip([0, *ends], [*ends, None], strict=False)]
            # Behind the last width there is a part only if there is text.
            return parts if parts[-1] or len(self.new_columns) > len(self.widths) else parts[:-1]
        test = pattern(str(self.pattern))
        return (test.parts(text) or []) if self.new_columns else test.split(text)

    def _into_columns(
        self, table: BareTable, column: Column, parts: list[Text], counts: NDArray[np.int64], codes: Any
    ) -> Change:
        width = len(self.new_columns)
        for name in self.new_columns:
            if (name in table and name != self.column) or self.new_columns.count(name) > 1:
                raise ColumnError(f"there would be two columns named {name!r}", remedy="choose another name")
        fits = (counts == width)[codes]
        made: dict[str, Column] = {}
        for at, (name, part) in enumerate(zip(self.new_columns, parts, strict=True)):
            coded = part.coded_if_repeated()
            values, lacking = coded.take(codes), (at >= counts)[codes]
            # Only what a pattern finds may be nothing but spaces.
            empty = part.flags(lambda text: not text.strip()) if self.pattern else np.diff(part.offsets) == 0
            blank = empty[codes]
            state = np.where(
                column.missing, column.states, np.where(lacking, Reason.ABSENT, np.where(blank, Reason.BLANK, 0))
            )
            made[name] = Column(STRING, values, state.astype(np.uint8))
        columns: dict[str, Column] = {}
        for name, one in table.columns.items():
            if name != self.column or self.keep_original:
                columns[name] = one
            if name == self.column:
                columns.update(made)
        odd = int(np.count_nonzero(~fits & column.present))
        notes = (
            (
                f"{counted(odd, 'row')} {agree(odd, 'does', 'do')} not have {width} parts: what is lacking is absent, "
                f"what is more stays in the {'first' if self.side == 'right' else 'last'}",
            )
            if odd
            else ()
        )
        return Change(table._derive(columns), notes=notes, made_from={name: [self.column] for name in self.new_columns})

    def _into_rows(self, table: BareTable, column: Column, parts: list[list[str]], codes: Any) -> Change:
        sizes = np.array([max(1, len(one)) for one in parts], np.int64)[codes] if len(parts) else np.zeros(0, np.int64)
        sizes = np.where(column.missing, 1, sizes)
        sources = np.repeat(np.arange(table.row_count), sizes)
        missing = column.missing.tolist()
        texts = [
            part
            for at, code in enumerate(np.asarray(codes).tolist())
            for part in ([None] if missing[at] else parts[code] or [None])
        ]
        made = Column._of_strings(texts)
        state = np.where(column.missing[sources], column.states[sources], made.states)
        columns = {name: one._take(sources) for name, one in table.columns.items()}
        columns[self.column] = made._replace(state=state)
        return Change(table._derive(columns, row_numbers=table.row_numbers[sources]), sources)

    def describe(self) -> str:
        """Name the column and its parts."""
        return f"{self.column} split into {', '.join(self.new_columns) or 'rows'}"


class Combine(Step, frozen=True, tag="combine"):
    """Write several columns as one text.

    Parameters
    ----------
    columns : list of str
        Selectors, in the order in which they are written.
    new_columns : list of str
        One name: of the text.
    mark : str
        What is put between.
    skip_missing : bool
        Leave out missing cells and their mark; else they are written as nothing, so that `split` can take the text
        apart again. A text of missing cells only is missing.
    keep_original : bool
        Keep the columns.
    """

    columns: list[str]
    new_columns: list[str]
    mark: str = " "
    skip_missing: bool = True
    keep_original: bool = False

    def apply(self, table: BareTable) -> Change:
        """Write the texts."""
        names = chosen(table, self.columns)
        if len(names) < 2:
            raise ParameterError(f"expected at least two columns to combine, got {len(names)}")
        if len(self.new_columns) != 1:
            raise ParameterError(f"expected one name in new_columns, got {len(self.new_columns)}")
        title = self.new_columns[0]
        if title in table and (self.keep_original or title not in names):
            raise ColumnError(f"there would be two columns named {title!r}", remedy="choose another name")
        marks, before = pack(["", self.mark]), np.zeros(table.row_count, np.bool_)
        pieces: list[Pieces] = []
        for at, name in enumerate(names):
            column = table[name]
            with_mark = before & column.present if self.skip_missing else np.full(table.row_count, at > 0)
            texts = (
                column.values if isinstance(column.values, Text) else Text(*packed_texts(column.type, column.values))
            )
            pieces += [(marks, with_mark), texts.pieces(column.missing)]
            before |= column.present
        empty = np.all([table[name].missing for name in names], axis=0)
        state = np.where(empty, table[names[0]].states, np.uint8(0))
        made = Column(STRING, put_together(pieces).coded_if_repeated(), state, source=NO_PLACE)
        columns: dict[str, Column] = {}
        for name, column in table.columns.items():
            if name == names[0] and not self.keep_original:
                columns[title] = made
            elif self.keep_original or name not in names:
                columns[name] = column
        columns.setdefault(title, made)
        gaps = int(np.count_nonzero(np.any([table[name].missing for name in names], axis=0) & ~empty))
        notes: tuple[str, ...] = (
            (f"{counted(gaps, 'row')} {agree(gaps, 'has', 'have')} a missing cell among them",) if gaps else ()
        )
        marked = sum(
            int(np.count_nonzero(table[name].text.flags(lambda text: self.mark in text)))
            for name in names
            if self.mark.strip() and table[name].type == STRING
        )
        notes += (
            (f"{counted(marked, 'text')} {agree(marked, 'contains', 'contain')} the mark itself",) if marked else ()
        )
        formula = self._formula([table[name] for name in names], names, bool(gaps), bool(empty.any()))
        if not formula:
            return Change(table._derive(columns), notes=notes, made_from={title: names})
        return Change(table._derive(columns), notes=notes, formulas={title: formula})

    def _formula(self, columns: Sequence[Column], names: Sequence[str], gaps: bool, empty: bool) -> str:
        """Write the formula that gives the same texts; empty where it would be too long to help.

        In the language there is no empty text: what has a missing part is missing, unless the formula says otherwise.
        """
        mark = f" || {as_literal(self.mark)} || " if self.mark else " || "
        parts = [
            in_quotes(name) if column.type.textual else f"cast({in_quotes(name)} as string)"
            for name, column in zip(names, columns, strict=True)
        ]
        if not gaps:
            return mark.join(parts)
        if self.skip_missing or not self.mark:
            if len(parts) > MOST_OPTIONAL:
                return ""
            formula = parts[0]
            for part in parts[1:]:
                formula = f"coalesce({formula}{mark}{part}, {formula}, {part})"
            return formula
        literal = as_literal(self.mark)
        others = " || ".join(
            f"coalesce({literal} || {part}, {literal})" if column.missing.any() else f"{literal} || {part}"
            for part, column in zip(parts[1:], columns[1:], strict=True)
        )
        first = parts[0]
        formula = f"coalesce({first} || {others}, {others})" if columns[0].missing.any() else f"{first} || {others}"
        any_there = " or ".join(f"{in_quotes(name)} is not null" for name in names)
        return f"case when {any_there} then {formula} end" if empty else formula

    def describe(self) -> str:
        """Name the columns."""
        return f"{', '.join(self.columns)} combined as {', '.join(self.new_columns)}"
