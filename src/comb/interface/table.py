"""The public table: the bare one of `comb.tables` with a method for each step.

This is where the layers meet: `comb.tables` knows nothing of steps, the steps know bare
tables, and this class, above both, adds thin methods. Each makes its step, takes it,
and remembers it, so that exploration can be written down as a plan.
"""

from collections.abc import Mapping, Sequence
from datetime import date
from pathlib import Path, PurePath
from types import MappingProxyType
from typing import Any, Literal, Self

from comb.errors import ParameterError
from comb.execution.resources import DEFAULT
from comb.expressions.evaluate import working_of
from comb.interface.plan import Plan, table_plan
from comb.plans.model import TablePlan, write_plan
from comb.plans.parse import read_plan
from comb.profiling.profile import Profile, profile
from comb.steps.accounting import take_step
from comb.steps.base import Step
from comb.steps.catalogue import make_step
from comb.steps.ledger import Entry
from comb.tables.origin import Origin
from comb.tables.table import BareTable
from comb.tables.value_texts import Value, plain_text
from comb.writing.atomic import write_files
from comb.writing.files import files_of

Names = str | Sequence[str]


class Working(list[tuple[str, str]]):
    """The calculation of one row: each part of a formula, and what it comes to."""

    def __repr__(self) -> str:
        width = max((len(part) for part, _ in self), default=0)
        return "\n".join(f"{part.ljust(width)}  {result}" for part, result in self)


class Table(BareTable):
    """A table with typed columns, immutable; every step returns a new one.

    Made by `load`, `table` or a step, not by hand.
    """

    _steps: tuple[Step, ...] = ()
    _entries: tuple[Entry, ...] = ()
    _others: "Mapping[str, Table]" = MappingProxyType({})
    _begun: Origin | None = None

    def _follow(self, earlier: BareTable) -> None:
        if isinstance(earlier, Table):
            self._begun = earlier._begun or earlier.origin
            self._steps, self._entries, self._others = earlier._steps, earlier._entries, earlier._others

    @classmethod
    def adopt(cls, bare: BareTable, steps: tuple[Step, ...] = (), entries: tuple[Entry, ...] = ()) -> Self:
        """Make a bare table public, with the steps that led to it."""
        made = cls(
            bare.columns,
            row_numbers=bare.row_numbers,
            origin=bare.origin,
            notes=bare.notes,
            view_of=bare.view_of,
        )
        made._steps, made._entries = steps, entries
        return made

    def take_step(self, step: Step) -> Self:
        """Take a step made elsewhere: a finding's remedy, a step of a plan."""
        taken = take_step(step, self, self._others)
        made = self.adopt(taken.table, (*self._steps, step), (*self._entries, taken.entry))
        made._others, made._begun = self._others, self._begun or self.origin
        return made

    def _beside(self, other: BareTable) -> tuple[Self, str]:
        """Return this table beside another, and the name by which its steps know it."""
        if not isinstance(other, Table):
            raise ParameterError(
                f"expected a table, got {type(other).__name__}", remedy="load it first: comb.load(...)"
            )
        name = PurePath(other.origin.name).stem or "other"
        title, number = name, 2
        while title in self._others and self._others[title] is not other:
            title, number = f"{name}_{number}", number + 1
        made = self.adopt(self, self._steps, self._entries)
        made._others, made._begun = MappingProxyType({**self._others, title: other}), self._begun
        return made, title

    def _step(self, name: str, why: str | None, **parameters: Any) -> Self:
        given = {key: value for key, value in parameters.items() if value is not None}
        return self.take_step(make_step(name, given if why is None else {**given, "why": why}))

    def filter(
        self,
        where: str,
        *,
        by: Names = (),
        as_of: str | date | None = None,
        parameters: Mapping[str, Value] = MappingProxyType({}),
        why: str | None = None,
    ) -> Self:
        """Keep the rows for which a condition is true.

        Parameters
        ----------
        where : str
            A condition, for instance ``mites > 3 and queen = 'laying'``. Rows for which
            it is unknown are left out, and counted; so are those exactly on a bound.
        by : str or sequence of str
            Aggregates in it are taken within the groups of these columns: ``kg = max(kg)``.
        as_of : str or date, optional
            The day that ``current_date`` means.
        parameters : mapping, optional
            What ``:name`` means.
        why : str, optional
            The reason, for the ledger.

        Raises
        ------
        ExpressionError
            With a marker under the part that does not fit.

        >>> import comb
        >>> comb.table(columns={"mites": [2, 5, None]}).filter("mites > 3").row_count
        1
        """
        return self._step(
            "filter", why, where=where, by=_listed(by), as_of=None if as_of is None else str(as_of),
            parameters=_as_texts(parameters),
        )  # fmt: skip

    def pick_rows(
        self,
        *,
        first: int | None = None,
        last: int | None = None,
        every: int | None = None,
        largest: str | None = None,
        smallest: str | None = None,
        count: int = 10,
        ties: bool = True,
        random: int | None = None,
        seed: int = 0,
        numbers: Sequence[int] = (),
        by: Names = (),
        why: str | None = None,
    ) -> Self:
        """Keep some rows by where they stand, by size, or by chance; within groups where `by` names columns.

        Parameters
        ----------
        first, last, every : int, optional
            This many from the top, from the end; or every n-th.
        largest, smallest : str, optional
            The column by which the `count` largest or smallest are kept, with ties unless `ties` is false.
        random, seed : int, optional
            This many by chance.
        numbers : sequence of int
            Rows by their row numbers.

        >>> import comb
        >>> comb.table(columns={"kg": [3, 9, 5, 9]}).pick_rows(largest="kg", count=1)["kg"].to_list()
        [9, 9]
        """
        return self._step(
            "pick_rows", why, first=first, last=last, every=every, largest=largest, smallest=smallest, count=count,
            ties=ties, random=random, seed=seed, numbers=list(numbers), by=_listed(by),
        )  # fmt: skip

    def set_aside(self, where: str, *, reason: str | None = None, why: str | None = None) -> Self:
        """Keep the rows for which a condition is true out of the result, with the reason."""
        return self._step("set_aside", why, where=where, reason=reason)

    def select(
        self,
        columns: Names = (),
        *,
        leave_out: Names = (),
        of_type: str | None = None,
        others: Literal["drop", "after"] = "drop",
        why: str | None = None,
    ) -> Self:
        """Choose columns, in the order named.

        Parameters
        ----------
        columns, leave_out : str or sequence of str
            Names, globs (``*_kg``), ranges (``jan:dec``) or positions (``#1``).
        of_type : str, optional
            Keep only columns of this type.
        others : {"drop", "after"}
            What becomes of the columns not named.
        """
        return self._step(
            "select",
            why,
            columns=_listed(columns),
            leave_out=_listed(leave_out),
            of_type=of_type,
            others=others,
        )

    def rename(
        self,
        names: Mapping[str, str] = MappingProxyType({}),
        *,
        style: Literal["lower", "upper", "title", "safe"] | None = None,
        why: str | None = None,
    ) -> Self:
        """Give columns other names: the old name, and the new one; or all others by a rule.

        >>> import comb
        >>> comb.table(columns={"Größe (kg)": [1]}).rename(style="safe").names
        ('grosse_kg',)
        """
        return self._step("rename", why, names=dict(names), style=style)

    def sort(
        self, by: Names, *, text: Literal["exact", "natural", "ignore_accents"] = "exact", why: str | None = None
    ) -> Self:
        """Put rows in order by columns, each with ``desc`` behind it for descending.

        Missing cells come last in both directions; equal rows keep their order. Texts are ordered exactly,
        by code point; naturally (``colony 9`` before ``colony 10``); or with case and accents ignored.

        >>> import comb
        >>> comb.table(columns={"n": [2, None, 3]}).sort("n desc")["n"].to_list()
        [3, 2, None]
        """
        return self._step("sort", why, by=_listed(by), text=text)

    def calculate(
        self,
        columns: Mapping[str, str],
        *,
        by: Names = (),
        only_new: bool = False,
        as_of: str | date | None = None,
        parameters: Mapping[str, Value] = MappingProxyType({}),
        why: str | None = None,
    ) -> Self:
        """Calculate columns from formulas; later ones see earlier ones.

        Parameters
        ----------
        columns : mapping of str to str
            Name and formula.
        by : str or sequence of str
            Aggregates in formulas are taken within the groups of these columns.
        only_new : bool
            Keep only these columns, and those of `by`.
        as_of : str or date, optional
            The day that ``current_date`` means.
        parameters : mapping, optional
            What ``:name`` means.

        >>> import comb
        >>> comb.table(columns={"a": [1, 3]}).calculate({"share": "a / sum(a)"})["share"].to_list()
        [0.25, 0.75]
        """
        return self._step(
            "calculate", why, columns=dict(columns), by=_listed(by), only_new=only_new,
            as_of=None if as_of is None else str(as_of), parameters=_as_texts(parameters),
        )  # fmt: skip

    def show_working(self, formula: str, row_number: int) -> Working:
        """Show the calculation of a formula for one row with its numbers, so that it can be checked by hand.

        >>> import comb
        >>> comb.table(columns={"mites": [6], "bees": [300]}).show_working("mites * 100 / bees", 1)
        mites                           6
        mites * 100 = 6 * 100           600
        bees                            300
        mites * 100 / bees = 600 / 300  2
        """
        return Working(working_of(formula, self, self._position(row_number)))

    def aggregate(
        self,
        columns: Mapping[str, str],
        *,
        by: Names = (),
        sort_groups: bool = False,
        totals: bool = False,
        subtotals: bool = False,
        as_of: str | date | None = None,
        why: str | None = None,
    ) -> Self:
        """Make one row of each group, with results calculated from its rows.

        Parameters
        ----------
        columns : mapping of str to str
            Name of each result, and its formula: ``avg(kg)``, ``count(*) filter (where fed)``.
        by : str or sequence of str
            The columns that form the groups.
        sort_groups : bool
            Put the groups in order; otherwise they come as they appear.
        totals, subtotals : bool
            Add a row for all groups together, and for the leading keys.

        >>> import comb
        >>> visits = comb.table(columns={"hive": ["a", "b", "a"], "kg": [3, 5, 4]})
        >>> visits.aggregate({"mean": "avg(kg)"}, by="hive")["mean"].to_list()
        [3.5, 5.0]
        """
        return self._step(
            "aggregate", why, columns=dict(columns), by=_listed(by), sort_groups=sort_groups, totals=totals,
            subtotals=subtotals, as_of=None if as_of is None else str(as_of),
        )  # fmt: skip

    def count(
        self,
        by: Names = (),
        *,
        where: str | None = None,
        across: str | None = None,
        shares: bool = True,
        of_counts: bool = False,
        sort: Literal["count", "value"] = "count",
        why: str | None = None,
    ) -> Self:
        """Count rows by the values of columns, the commonest first.

        Parameters
        ----------
        by : str or sequence of str
        where : str, optional
            Count only rows for which a condition is true.
        across : str, optional
            A column whose values become columns: a table with totals.
        shares : bool
            Add the share of all rows.
        of_counts : bool
            Show how many groups have 1, 2, 3 ... rows.
        sort : {"count", "value"}

        >>> import comb
        >>> comb.table(columns={"queen": ["laying", "none", "laying"]}).count("queen")["count"].to_list()
        [2, 1]
        """
        return self._step(
            "count", why, by=_listed(by), where=where, across=across, shares=shares, of_counts=of_counts, sort=sort
        )

    def join(
        self,
        other: BareTable,
        by: Names,
        *,
        columns: Names = (),
        rows: Literal["all", "matched", "unmatched", "both"] = "all",
        add_columns: bool = True,
        ignore: Names = (),
        latest: str | None = None,
        allow_multiple: bool = False,
        why: str | None = None,
    ) -> Self:
        """Look up columns of another table by one or several keys.

        Parameters
        ----------
        other : Table
        by : str or sequence of str
            The key columns; ``mine = theirs`` where they have different names.
        columns : str or sequence of str
            What to take over; by default all but the keys.
        rows : {"all", "matched", "unmatched", "both"}
            Which rows stay; ``both`` adds those of the other table that have no match here.
        add_columns : bool
            False takes no columns: it only chooses rows with a match, or those without.
        ignore : {"case", "spaces"} or both
            What makes no difference between keys.
        latest : str, optional
            Dates, ``mine = theirs``: of several rows with the key, the latest not after the date of this row.
        allow_multiple : bool
            Whether a row may match several, and so become several.

        Raises
        ------
        ParameterError
            If rows would be multiplied and that was not allowed.

        >>> import comb
        >>> hives = comb.table(columns={"hive": ["a", "b"]})
        >>> places = comb.table(columns={"hive": ["a"], "place": ["Mill"]})
        >>> hives.join(places, "hive")["place"].to_list()
        ['Mill', None]
        """
        made, name = self._beside(other)
        return made._step(
            "join", why, table=name, by=_listed(by), columns=_listed(columns), rows=rows, add_columns=add_columns,
            ignore=_listed(ignore), latest=latest, allow_multiple=allow_multiple,
        )  # fmt: skip

    def stack_tables(self, *others: BareTable, source_column: str | None = None, why: str | None = None) -> Self:
        """Put the rows of other tables below, column by column with the same name.

        >>> import comb
        >>> may, june = comb.table(columns={"kg": [1]}), comb.table(columns={"kg": [2.5]})
        >>> may.stack_tables(june)["kg"].to_list()
        [1.0, 2.5]
        """
        result = self
        for other in others:
            made, name = result._beside(other)
            result = made._step("stack_tables", why, table=name, source_column=source_column)
        return result

    def transpose(self, headings_in: str, *, heading_column: str = "column", why: str | None = None) -> Self:
        """Turn rows into columns and columns into rows; one column names the new ones."""
        return self._step("transpose", why, headings_in=headings_in, heading_column=heading_column)

    def split(
        self,
        column: str,
        new_columns: Names = (),
        *,
        mark: str | None = None,
        pattern: str | None = None,
        widths: Sequence[int] = (),
        keep_original: bool = False,
        why: str | None = None,
    ) -> Self:
        """Split texts into several columns, or, without names for them, into several rows.

        Parameters
        ----------
        column : str
        new_columns : str or sequence of str
            Names of the new columns.
        mark, pattern, widths
            What stands between the parts; a regular expression with a group for each; or their characters.
        keep_original : bool
            Keep the column that is split.

        >>> import comb
        >>> comb.table(columns={"code": ["WR-01"]}).split("code", ["apiary", "hive"], mark="-").record(1)["hive"]
        '01'
        """
        return self._step(
            "split",
            why,
            column=column,
            new_columns=_listed(new_columns),
            mark=mark,
            pattern=pattern,
            widths=list(widths),
            keep_original=keep_original,
        )

    def convert(
        self,
        columns: Mapping[str, str],
        *,
        missing: Sequence[Value] = (),
        decimal_mark: str | None = None,
        group_mark: str | None = None,
        unit: str | None = None,
        choices: Sequence[Value] = (),
        labels: Mapping[Any, str] | BareTable | None = None,
        rounding: Literal["nearest", "nearest_even", "down", "up"] | None = None,
        last_century_from: int | None = None,
        on_misfit: Literal["keep", "set aside", "stop"] = "keep",
        why: str | None = None,
    ) -> Self:
        """Give columns another type, or read again what could not be read.

        Parameters
        ----------
        columns : mapping of str to str
            Selector, and type with a pattern where needed: ``date d.M.yyyy``.
        missing : sequence
            Words and numbers that mean missing.
        decimal_mark, group_mark : str, optional
            Marks in numbers; by default the texts decide.
        unit : str, optional
            A unit behind the numbers, to be taken off.
        choices : sequence, optional
            For categories: the values that may occur, in order.
        labels : mapping or table, optional
            For categories: what values stand for; of a table the first column has the values and the
            second what they stand for.
        rounding : str, optional
            How numbers with more digits than the type has, and datetimes that become dates, are
            rounded; by default they do not fit.
        last_century_from : int, optional
            Two-digit years from here on are of the last century; by default 50.
        on_misfit : {"keep", "set aside", "stop"}
            What happens to rows with a text that does not fit.

        >>> import comb
        >>> weights = comb.table(columns={"kg": ["1,5 kg", "2,0 kg"]})
        >>> weights.convert({"kg": "number"}, unit="kg")["kg"].to_list()
        [1.5, 2.0]
        >>> moods = comb.table(columns={"mood": [2, 1, 2]})
        >>> str(moods.convert({"mood": "category"}, labels={1: "calm", 2: "nervous"})["mood"].type)
        'category'
        """
        words = [plain_text(word) for word in missing]
        if isinstance(labels, BareTable):
            labels = _code_book(labels)
        return self._step(
            "convert", why, columns=dict(columns), missing=words, decimal_mark=decimal_mark,
            group_mark=group_mark, unit=unit, choices=[plain_text(value) for value in choices],
            labels={plain_text(value): label for value, label in (labels or {}).items()}, rounding=rounding,
            last_century_from=last_century_from, on_misfit=on_misfit,
        )  # fmt: skip

    def trim(self, columns: Names = (), *, inner: bool = False, why: str | None = None) -> Self:
        """Take outer spaces off texts; with `inner`, make runs of spaces inside one."""
        return self._step("trim", why, columns=_listed(columns), inner=inner)

    def recode(
        self,
        column: str,
        values: Mapping[Any, Value],
        *,
        ignore: Names = (),
        others: Literal["keep", "clear"] = "keep",
        why: str | None = None,
    ) -> Self:
        """Replace values by others, one for one; None empties the cell.

        Parameters
        ----------
        column : str
        values : mapping
            The value there is, and what it becomes.
        ignore : {"case", "spaces"} or both
            What makes no difference between values.
        others : {"keep", "clear"}
            What becomes of values not named.

        >>> import comb
        >>> comb.table(columns={"q": ["Lay", "none"]}).recode("q", {"Lay": "laying"})["q"].to_list()
        ['laying', 'none']
        """
        texts = {plain_text(old): None if new is None else plain_text(new) for old, new in values.items()}
        return self._step("recode", why, column=column, values=texts, ignore=_listed(ignore), others=others)

    def fill(
        self,
        columns: Names,
        *,
        value: Value = None,
        formula: str | None = None,
        from_row: Literal["above", "below"] | None = None,
        reasons: Names = (),
        why: str | None = None,
    ) -> Self:
        """Give missing cells a value: a constant, a formula's, or that of a row near by.

        Parameters
        ----------
        columns : str or sequence of str
            Selectors.
        value, formula, from_row
            One of them.
        reasons : str or sequence of str
            Fill only cells missing for these reasons.
        """
        text = None if value is None else plain_text(value)
        return self._step(
            "fill", why, columns=_listed(columns), value=text, formula=formula, from_row=from_row,
            reasons=_listed(reasons),
        )  # fmt: skip

    def remove_duplicates(
        self,
        by: Names = (),
        *,
        which: Literal["first", "last", "fullest"] = "first",
        why: str | None = None,
    ) -> Self:
        """Keep one of the rows that are equal: in every column, or in those of `by`.

        Rows equal in every column are merged; rows that differ elsewhere are set aside.
        """
        return self._step("remove_duplicates", why, by=_listed(by), which=which)

    def to_long(
        self,
        columns: Names,
        *,
        heading_column: str,
        value_column: str,
        keep_missing: bool = True,
        why: str | None = None,
    ) -> Self:
        """Turn columns side by side into rows one below the other.

        Parameters
        ----------
        columns : str or sequence of str
            Selectors of the columns whose names are values.
        heading_column, value_column : str
            Names of the new columns, for the old names and for the cells.
        keep_missing : bool
            Whether missing cells become rows too.

        >>> import comb
        >>> wide = comb.table(columns={"jan": [1], "feb": [2]})
        >>> wide.to_long("jan:feb", heading_column="month", value_column="kg")["month"].to_list()
        ['jan', 'feb']
        """
        return self._step(
            "to_long", why, columns=_listed(columns), heading_column=heading_column,
            value_column=value_column, keep_missing=keep_missing,
        )  # fmt: skip

    @property
    def ledger(self) -> tuple[Entry, ...]:
        """What each step so far did to rows, columns and cells."""
        return self._entries

    def profile(self) -> Profile:
        """Summarise all columns and list what was noticed, each finding with its remedy.

        Cost: a few passes over every column.
        """
        return profile(self, DEFAULT.threads)

    def plan(self) -> Plan:
        """Return what was done so far as a plan, to be saved and run again.

        Raises
        ------
        ParameterError
            If the table was typed in by hand, or shows only some rows of another.
        """
        tables = self._plans(Path((self._begun or self.origin).name).stem)
        return Plan(read_plan(write_plan(tables), f"plan of {(self._begun or self.origin).name}"))

    def _plans(self, name: str) -> dict[str, TablePlan]:
        """Return the plans of the tables that this one was put together with, and its own, the last."""
        origin = self._begun or self.origin
        if not origin.path:
            what = "this table was read from a list of files" if origin.sources else "this table was typed in by hand"
            raise ParameterError(
                f"a plan needs one source, {what}", remedy="load it from a file, or by a pattern: '*.csv'"
            )
        if self.view_of is not None:
            raise ParameterError(
                f"these are {self.row_count:,} of {self.view_of:,} rows, for a look",
                remedy="call plan() on the whole table",
            )
        found: dict[str, TablePlan] = {}
        for title, other in self._others.items():
            found |= other._plans(title)
        return {**found, name: table_plan(origin, list(self._steps))}

    def save(
        self,
        path: str | Path,
        *,
        overwrite: bool = False,
        describe: bool = False,
        delimiter: str | None = None,
        line_end: str | None = None,
        encoding: str | None = None,
        missing: str | None = None,
        decimal_mark: str | None = None,
        date_pattern: str | None = None,
        disarm: bool | None = None,
        nested: bool | None = None,
        leave_missing_out: bool | None = None,
    ) -> None:
        """Save the table as delimited text, a workbook or JSON, at once or not at all.

        Parameters
        ----------
        path : str or Path
            The suffix says what is written: delimited text (``.csv``, ``.tsv``, ``.txt``), an array
            of records (``.json``), a record in each line (``.jsonl``), each compressed where
            ``.gz``, ``.bz2``, ``.xz`` or ``.zst`` follows; a workbook (``.xlsx``, ``.ods``).
        overwrite : bool
            Whether a file of this name may be replaced.
        describe : bool
            Beside delimited text, also write its description by CSV on the Web and the reasons
            of its missing cells, so that it loads back equal. In a workbook, add a sheet
            with the dictionary and one with the ledger.
        delimiter : str, optional
            By default a comma for ``.csv``, else a tab.
        line_end, encoding : str, optional
            By default CRLF, as RFC 4180 has it, and UTF-8.
        missing : str, optional
            What is in missing cells of delimited text; by default nothing.
        decimal_mark, date_pattern : str, optional
            How numbers and dates are written in delimited text.
        disarm : bool, optional
            Put an apostrophe before texts that a spreadsheet program would run.
        nested : bool, optional
            In JSON, make objects inside objects of dotted names.
        leave_missing_out : bool, optional
            In JSON, leave out the keys of missing cells; by default they are null.

        Raises
        ------
        WriteError
            If a file exists, or the system refuses.
        ParameterError
            If a cell cannot be written as it is, naming row and column, or an option means nothing
            for this kind of file.
        """
        place = Path(path)
        given = {
            "delimiter": delimiter, "line_end": line_end, "encoding": encoding, "missing": missing,
            "decimal_mark": decimal_mark, "date_pattern": date_pattern, "disarm": disarm, "nested": nested,
            "leave_missing_out": leave_missing_out,
        }  # fmt: skip
        options = {name: value for name, value in given.items() if value is not None}
        files = files_of(self, place.name, options, describe=describe, taken=self._entries, threads=DEFAULT.threads)
        write_files(place.parent, files, overwrite=overwrite)


def _listed(names: Names) -> list[str]:
    return [names] if isinstance(names, str) else list(names)


def _code_book(table: BareTable) -> dict[Any, str]:
    """Return the labels that a table of two columns gives to values."""
    if len(table.names) < 2:
        raise ParameterError(f"expected a table with values and what they stand for, got one with {table.names}")
    values, labels = (table[name].texts() for name in table.names[:2])
    return {value: label or "" for value, label in zip(values, labels, strict=True) if value is not None}


def _as_texts(values: Mapping[str, Value]) -> dict[str, str]:
    return {name: plain_text(value) for name, value in values.items()}
