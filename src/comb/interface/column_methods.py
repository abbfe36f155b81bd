"""A method for each step that chooses, calculates or changes columns and their cells."""

from collections.abc import Mapping, Sequence
from datetime import date
from types import MappingProxyType
from typing import Any, Literal, Self

from comb.errors import ParameterError
from comb.interface.step_table import Names, StepTable, as_texts, by_name, listed, type_word_of
from comb.tables.table import BareTable
from comb.tables.value_texts import Value, plain_text


class ColumnMethods(StepTable):
    """Steps that work on columns."""

    def select(
        self,
        columns: Names = (),
        *,
        leave_out: Names = (),
        of_type: str | None = None,
        others: Literal["drop", "after"] = "drop",
        at_most: int | str | None = None,
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
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.
        """
        return self._step(
            "select",
            why,
            at_most,
            columns=listed(columns),
            leave_out=listed(leave_out),
            of_type=of_type,
            others=others,
        )

    def rename(
        self,
        names: Mapping[str, str] = MappingProxyType({}),
        *,
        style: Literal["lower", "upper", "title", "safe"] | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Give columns other names: the old name, and the new one; or all others by a rule.

        Parameters
        ----------
        names : mapping of str to str
            The old name, and the new one.
        style : {"lower", "upper", "title", "safe"}, optional
            The rule for all others; ``safe`` leaves lower-case letters, digits and underscores.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"Größe (kg)": [1]}).rename(style="safe").names
        ('grosse_kg',)
        """
        return self._step("rename", why, at_most, names=by_name(names, "rename({'old': 'new'})"), style=style)

    def calculate(
        self,
        columns: Mapping[str, str] | str,
        *,
        by: Names = (),
        only_new: bool = False,
        as_of: str | date | None = None,
        parameters: Mapping[str, Value] = MappingProxyType({}),
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Calculate columns from formulas; later ones see earlier ones.

        Parameters
        ----------
        columns : mapping of str to str, or str
            Name and formula.
        by : str or sequence of str
            Aggregates in formulas are taken within the groups of these columns.
        only_new : bool
            Keep only these columns, and those of `by`.
        as_of : str or date, optional
            The day that ``current_date`` means.
        parameters : mapping, optional
            What ``:name`` means.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"a": [1, 3]}).calculate({"share": "a / sum(a)"})["share"].to_list()
        [0.25, 0.75]
        """
        given = by_name(columns, "calculate({'net': 'gross - tare'})", equation=True)
        return self._step("calculate", why, at_most, columns=given, by=listed(by), only_new=only_new,
            as_of=None if as_of is None else str(as_of), parameters=as_texts(parameters),
        )  # fmt: skip

    def split(
        self,
        column: str,
        new_columns: Names = (),
        *,
        mark: str | None = None,
        pattern: str | None = None,
        widths: Sequence[int] = (),
        side: Literal["left", "right"] = "left",
        keep_original: bool = False,
        quote: str | None = None,
        at_most: int | str | None = None,
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
        side : {"left", "right"}
            Where there are more parts than columns, the rest stays in the last column, or in the first.
        keep_original : bool
            Keep the column that is split.
        quote : str, optional
            What encloses parts that have the mark in them, as in a line of CSV.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"code": ["WR-01"]}).split("code", ["apiary", "hive"], mark="-").record(1)["hive"]
        '01'
        """
        return self._step(
            "split",
            why,
            at_most,
            column=column,
            new_columns=listed(new_columns),
            mark=mark,
            pattern=pattern,
            widths=list(widths),
            side=side,
            keep_original=keep_original,
            quote=quote,
        )

    def convert(
        self,
        columns: Mapping[str, str] | Names,
        to: str | None = None,
        *,
        missing: Value | Sequence[Value] = (),
        decimal_mark: str | None = None,
        group_mark: str | None = None,
        unit: str | None = None,
        choices: Sequence[Value] = (),
        labels: Mapping[Any, str] | BareTable | None = None,
        rounding: Literal["nearest", "nearest_even", "down", "up"] | None = None,
        last_century_from: int | None = None,
        on_misfit: Literal["keep", "set aside", "stop"] = "keep",
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Give columns another type, or read again what could not be read.

        Parameters
        ----------
        columns : mapping of str to str, or names
            Selector, and type with a pattern where needed: ``date d.M.yyyy``.
        to : str, optional
            The type of all columns that are named.
        missing : value or sequence of them
            Words and numbers that mean missing, besides the known words.
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
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> weights = comb.table(columns={"kg": ["1,5 kg", "2,0 kg"]})
        >>> weights.convert({"kg": "number"}, unit="kg")["kg"].to_list()
        [1.5, 2.0]
        >>> moods = comb.table(columns={"mood": [2, 1, 2]})
        >>> str(moods.convert({"mood": "category"}, labels={1: "calm", 2: "nervous"})["mood"].type)
        'category'
        """
        if to is not None:
            columns = dict.fromkeys(listed(list(columns) if isinstance(columns, Mapping) else columns), to)
        types = by_name(columns, "convert({'day': 'date'})")
        types = {name: type_word_of(kind) if isinstance(kind, type) else kind for name, kind in types.items()}
        several = missing if isinstance(missing, Sequence) and not isinstance(missing, str) else [missing]
        words = [plain_text(word) for word in several]
        if isinstance(labels, BareTable):
            labels = _code_book(labels)
        return self._step("convert", why, at_most, columns=types, missing=words, decimal_mark=decimal_mark,
            group_mark=group_mark, unit=unit, choices=[plain_text(value) for value in choices],
            labels={plain_text(value): label for value, label in (labels or {}).items()}, rounding=rounding,
            last_century_from=last_century_from, on_misfit=on_misfit,
        )  # fmt: skip

    def trim(
        self,
        columns: Names = (),
        *,
        inner: bool = False,
        invisible: bool = False,
        where: str | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Take outer spaces off texts.

        Parameters
        ----------
        columns : str or list of str
            None means every column of type string.
        inner : bool
            Also make runs of spaces inside one.
        invisible : bool
            Also take away zero-width and control characters, and make no-break spaces plain ones.
        where : str, optional
            Only in rows for which this condition is true.
        why : str, optional
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        """
        return self._step("trim", why, at_most, columns=listed(columns), inner=inner, invisible=invisible, where=where)

    def recode(
        self,
        column: str,
        values: Mapping[Any, Value] | None = None,
        *,
        table: BareTable | None = None,
        old_column: str | None = None,
        new_column: str | None = None,
        ignore: Names = (),
        others: Literal["keep", "clear"] = "keep",
        where: str | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Replace values by others, one for one; None empties the cell.

        Parameters
        ----------
        column : str
        values : mapping
            The value there is, and what it becomes.
        table : table, optional
            Or a code book with a row for each value.
        old_column, new_column : str, optional
            The columns of the code book; by default its first two.
        ignore : {"case", "spaces"} or both
            What makes no difference between values.
        others : {"keep", "clear"}
            What becomes of values not named.
        where : str, optional
            Only in rows for which this condition is true.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"q": ["Lay", "none"]}).recode("q", {"Lay": "laying"})["q"].to_list()
        ['laying', 'none']
        """
        if not isinstance(values, Mapping) and table is None:
            raise ParameterError(
                f"expected the new value of each old one, got {values!r}", remedy="recode('queen', {'Lay': 'laying'})"
            )
        given = values or {}
        texts = {plain_text(old): None if new is None else plain_text(new) for old, new in given.items()}
        made, name = (self, None) if table is None else self._beside(table)
        return made._step(
            "recode",
            why,
            at_most,
            column=column,
            values=texts,
            table=name,
            old_column=old_column,
            new_column=new_column,
            ignore=listed(ignore),
            others=others,
            where=where,
        )


def _code_book(table: BareTable) -> dict[Any, str]:
    """Return the labels that a table of two columns gives to values."""
    if len(table.names) < 2:
        raise ParameterError(f"expected a table with values and what they stand for, got one with {table.names}")
    values, labels = (table[name].texts() for name in table.names[:2])
    return {value: label or "" for value, label in zip(values, labels, strict=True) if value is not None}
