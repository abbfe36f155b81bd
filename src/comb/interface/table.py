"""The public table: the bare one of `comb.tables` with a method for each step.

This is where the layers meet: `comb.tables` knows nothing of steps, the steps know bare
tables, and this class, above both, adds thin methods. Each makes its step, takes it,
and remembers it, so that exploration can be written down as a plan.
"""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Literal, Self

from comb.errors import ParameterError
from comb.interface.plan import Plan, table_plan
from comb.plans.plan import write_plan
from comb.plans.planfile import read_plan
from comb.profiling.profile import Profile, profile
from comb.reading.load import USUAL
from comb.steps.accounting import Entry, take_step
from comb.steps.base import Step
from comb.steps.catalogue import make_step
from comb.tables.bare import BareTable
from comb.tables.formats import Value, plain_text
from comb.writing.atomic import write_files
from comb.writing.files import files_of

Names = str | Sequence[str]


class Table(BareTable):
    """A table with typed columns, immutable; every step returns a new one.

    Made by `load`, `table` or a step, not by hand.
    """

    _steps: tuple[Step, ...] = ()
    _entries: tuple[Entry, ...] = ()

    def _follow(self, earlier: BareTable) -> None:
        if isinstance(earlier, Table):
            self._steps, self._entries = earlier._steps, earlier._entries

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
        taken = take_step(step, self)
        return self.adopt(taken.table, (*self._steps, step), (*self._entries, taken.entry))

    def _step(self, name: str, why: str | None, **parameters: Any) -> Self:
        given = {key: value for key, value in parameters.items() if value is not None}
        return self.take_step(make_step(name, given if why is None else {**given, "why": why}))

    def filter(self, where: str, *, why: str | None = None) -> Self:
        """Keep the rows for which a condition is true.

        Parameters
        ----------
        where : str
            A condition, for instance ``mites > 3 and queen = 'laying'``. Rows for which
            it is unknown are left out, and counted.
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
        return self._step("filter", why, where=where)

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

    def rename(self, names: Mapping[str, str], *, why: str | None = None) -> Self:
        """Give columns other names: the old name, and the new one."""
        return self._step("rename", why, names=dict(names))

    def sort(self, by: Names, *, why: str | None = None) -> Self:
        """Put rows in order by columns, each with ``desc`` behind it for descending.

        Missing cells come last in both directions; equal rows keep their order.

        >>> import comb
        >>> comb.table(columns={"n": [2, None, 3]}).sort("n desc")["n"].to_list()
        [3, 2, None]
        """
        return self._step("sort", why, by=_listed(by))

    def calculate(self, columns: Mapping[str, str], *, why: str | None = None) -> Self:
        """Calculate columns from formulas; later ones see earlier ones.

        >>> import comb
        >>> comb.table(columns={"a": [1, 2]}).calculate({"b": "a * 10"})["b"].to_list()
        [10, 20]
        """
        return self._step("calculate", why, columns=dict(columns))

    def convert(
        self,
        columns: Mapping[str, str],
        *,
        missing: Sequence[Value] = (),
        decimal_mark: str | None = None,
        group_mark: str | None = None,
        unit: str | None = None,
        values: Sequence[Value] = (),
        labels: Mapping[Any, str] | BareTable | None = None,
        rounding: Literal["nearest", "nearest_even", "down", "up"] | None = None,
        pivot: int | None = None,
        on_misfit: Literal["keep", "set aside", "stop"] = "keep",
        why: str | None = None,
    ) -> Self:
        """Give columns another type, or read again what could not be read.

        Parameters
        ----------
        columns : mapping of str to str
            Selector, and type with a pattern where needed: ``date d.M.yyyy``.
        missing : sequence
            Words and numbers that stand for missing.
        decimal_mark, group_mark : str, optional
            Marks in numbers; by default the texts decide.
        unit : str, optional
            A unit behind the numbers, to be taken off.
        values : sequence, optional
            For categories: the values that may occur, in order.
        labels : mapping or table, optional
            For categories: what values stand for; of a table the first column has the values and the
            second what they stand for.
        rounding : str, optional
            How numbers with more digits than the type has, and datetimes that become dates, are
            rounded; by default they do not fit.
        pivot : int, optional
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
            group_mark=group_mark, unit=unit, values=[plain_text(value) for value in values],
            labels={plain_text(value): label for value, label in (labels or {}).items()}, rounding=rounding,
            pivot=pivot, on_misfit=on_misfit,
        )  # fmt: skip

    def trim(self, columns: Names = (), *, inner: bool = False, why: str | None = None) -> Self:
        """Take outer spaces off texts; with `inner`, make runs of spaces inside one."""
        return self._step("trim", why, columns=_listed(columns), inner=inner)

    def recode(
        self,
        column: str,
        values: Mapping[Any, Value],
        *,
        ignore_case: bool = False,
        others: Literal["keep", "clear"] = "keep",
        why: str | None = None,
    ) -> Self:
        """Replace values by others, one for one; None empties the cell.

        >>> import comb
        >>> comb.table(columns={"q": ["Lay", "none"]}).recode("q", {"Lay": "laying"})["q"].to_list()
        ['laying', 'none']
        """
        texts = {plain_text(old): None if new is None else plain_text(new) for old, new in values.items()}
        return self._step("recode", why, column=column, values=texts, ignore_case=ignore_case, others=others)

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
        keep: Literal["first", "last", "fullest"] = "first",
        why: str | None = None,
    ) -> Self:
        """Keep one of the rows that are alike: in every column, or in those of `by`.

        Rows alike in every column are merged; rows that differ elsewhere are set aside.
        """
        return self._step("remove_duplicates", why, by=_listed(by), keep=keep)

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
        return profile(self)

    def plan(self) -> Plan:
        """Return what was done so far as a plan, to be saved and run again.

        Raises
        ------
        ParameterError
            If the table was typed in by hand, or shows only some rows of another.
        """
        if not self.origin.path:
            what = (
                "this table was read from a list of files" if self.origin.sources else "this table was typed in by hand"
            )
            raise ParameterError(
                f"a plan needs one source, {what}", remedy="load it from a file, or by a pattern: '*.csv'"
            )
        if self.view_of is not None:
            raise ParameterError(
                f"these are {self.row_count:,} of {self.view_of:,} rows, for a look",
                remedy="call plan() on the whole table",
            )
        name = Path(self.origin.name).stem
        text = write_plan({name: table_plan(self.origin, list(self._steps))})
        return Plan(read_plan(text, f"plan of {self.origin.name}"))

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
            What stands in missing cells of delimited text; by default nothing.
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
        files = files_of(self, place.name, options, describe=describe, taken=self._entries, threads=USUAL.threads)
        write_files(place.parent, files, overwrite=overwrite)


def _listed(names: Names) -> list[str]:
    return [names] if isinstance(names, str) else list(names)


def _code_book(table: BareTable) -> dict[Any, str]:
    """Return the labels that a table of two columns gives to values."""
    if len(table.names) < 2:
        raise ParameterError(f"expected a table with values and what they stand for, came one with {table.names}")
    values, labels = (table[name].texts() for name in table.names[:2])
    return {value: label or "" for value, label in zip(values, labels, strict=True) if value is not None}
