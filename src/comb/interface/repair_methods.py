"""A method for each step that repairs cells: fills, corrects, replaces, rounds, pads them."""

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any, Literal, Self

from comb.interface.step_table import Names, StepTable, as_texts, listed
from comb.tables.table import BareTable
from comb.tables.value_texts import Value, plain_text


class RepairMethods(StepTable):
    """Steps that repair cells; every changed cell is on record."""

    def fill(
        self,
        columns: Names,
        *,
        value: Value = None,
        formula: str | None = None,
        from_row: Literal["above", "below"] | None = None,
        from_group: Literal["mean", "median", "commonest", "only_value"] | None = None,
        in_proportion_to: str | None = None,
        on_line: Names = (),
        similar_in: Names = (),
        table: BareTable | None = None,
        take: str | None = None,
        by: Names = (),
        order_by: Names = (),
        where: str | None = None,
        reasons: Names = (),
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Give missing cells a value: a constant, a formula's, or one that other rows or another table give.

        Parameters
        ----------
        columns : str or sequence of str
            Selectors.
        value, formula
            A constant, or a formula for each row.
        from_row : {"above", "below"}
            The nearest value above or below, as rows stand or in the order of `order_by`; within `by`.
        from_group : {"mean", "median", "commonest", "only_value"}
            Of all rows, or within `by`; ``only_value`` where the rows of a group have exactly one value.
        in_proportion_to : str
            Between the value before and after, in proportion to this number or date; within `by`.
        on_line : str or sequence of str
            By the straight line on these columns; the coefficients are in the ledger.
        similar_in : str or sequence of str
            From the complete row that is most similar in these columns.
        table, take
            From a column of another table, whose keys are looked up by `by`: ``apiary = name``.
        by, order_by : str or sequence of str
            The columns that form groups, or the keys of the other table; and the order of rows, ``day desc``.
        where : str, optional
            Fill only in rows for which this is true.
        reasons : str or sequence of str
            Fill only cells missing for these reasons.
        at_most : int or str, optional
            The step stops if it would change more cells of a column than this: a number, or a share like ``2%``.
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> towns = comb.table(columns={"state": ["Ohm", "Ohm", "Volt"], "region": ["North", None, None]})
        >>> towns.fill("region", from_group="only_value", by="state")["region"].to_list()
        ['North', 'North', None]
        """
        made, name = (self, None) if table is None else self._beside(table)
        return made._step(
            "fill", why, at_most, columns=listed(columns), value=None if value is None else plain_text(value),
            formula=formula, from_row=from_row, from_group=from_group, in_proportion_to=in_proportion_to,
            on_line=listed(on_line), similar_in=listed(similar_in), table=name, take=take, by=listed(by),
            order_by=listed(order_by), where=where, reasons=listed(reasons),
        )  # fmt: skip

    def correct(
        self,
        column: str,
        *,
        old: Value,
        new: Value,
        row: int | None = None,
        key: Mapping[str, Value] = MappingProxyType({}),
        source: str | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Correct one cell, if it holds what it is said to hold.

        Parameters
        ----------
        column : str
        old, new : value
            What is there, and what is right; None for a missing cell.
        row : int, optional
            The row number.
        key : mapping, optional
            Or columns and values that only this row has.
        source : str, optional
            Where the right value comes from.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        Raises
        ------
        ParameterError
            If the cell holds something else: the correction was made for another file.

        >>> import comb
        >>> weights = comb.table(columns={"hive": ["a", "b"], "kg": [31, 400]})
        >>> weights.correct("kg", row=2, old=400, new=40, source="log book")["kg"].to_list()
        [31, 40]
        """
        texts = {name: "" if one is None else plain_text(one) for name, one in (("old", old), ("new", new))}
        return self._step("correct", why, at_most, column=column, row=row, key=as_texts(key), source=source, **texts)

    def replace_text(
        self,
        columns: Names,
        *,
        new: str,
        old: str | None = None,
        pattern: str | None = None,
        whole: bool = False,
        where: str | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Replace a part of texts by another.

        Parameters
        ----------
        columns : str or sequence of str
        new : str
            What comes in its place; ``$1`` is what the first group of a pattern found.
        old, pattern : str
            The text to look for as it is, or a regular expression.
        whole : bool
            Only where it is the whole text of a cell.
        where : str, optional
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> hives = comb.table(columns={"hive": ["Mill 7", "Mill 12"]})
        >>> hives.replace_text("hive", pattern="^Mill ([0-9]+)$", new="M-$1")["hive"].to_list()
        ['M-7', 'M-12']
        """
        return self._step(
            "replace_text", why, at_most, columns=listed(columns), new=new, old=old, pattern=pattern, whole=whole,
            where=where,
        )  # fmt: skip

    def round(
        self,
        columns: Names,
        *,
        digits: int = 0,
        rounding: Literal["nearest", "nearest_even", "down", "up"] = "nearest",
        where: str | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Round numbers; the columns keep their types.

        Parameters
        ----------
        columns : str or sequence of str
            Selectors.
        digits : int
            Digits behind the point that stay; negative ones round to tens, hundreds.
        rounding : str
            The rule for halves, as in `convert`.
        where : str, optional
            Round only in rows for which this is true.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"kg": [2.675, -0.5, 14.0]}).round("kg", digits=2)["kg"].to_list()
        [2.68, -0.5, 14.0]
        """
        return self._step("round", why, at_most, columns=listed(columns), digits=digits, rounding=rounding, where=where)

    def pad_text(
        self,
        columns: Names,
        *,
        width: int,
        character: str = "0",
        side: Literal["left", "right"] = "left",
        where: str | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Bring codes to one length by characters before or behind them; integers become texts.

        Parameters
        ----------
        columns : str or sequence of str
            Selectors.
        width : int
            The length, in characters; longer texts stay as they are.
        character : str
            What is added.
        side : {"left", "right"}
            Before the text, or behind it.
        where : str, optional
            Only in rows for which this is true.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"colony": [7, 12]}).pad_text("colony", width=3)["colony"].to_list()
        ['007', '012']
        """
        return self._step(
            "pad_text", why, at_most, columns=listed(columns), width=width, character=character, side=side,
            where=where,
        )  # fmt: skip

    def replace_values(
        self,
        columns: Names,
        *,
        where: str | None = None,
        below: Value = None,
        above: Value = None,
        outside: float | None = None,
        by: Names = (),
        value: Value = None,
        formula: str | None = None,
        at_bound: bool = False,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Replace values that cannot be, or lie far outside: by missing, a bound, a value or a formula.

        Parameters
        ----------
        columns : str or sequence of str
        where : str, optional
            Which values: those of rows for which this is true.
        below, above : value, optional
            Those below or above a bound.
        outside : float, optional
            Those beyond the quartiles by this many times the distance between them; within `by`.
        by : str or sequence of str
            Columns; quartiles are those of the rows with the same values in them.
        value, formula, at_bound
            What comes in their place: a value, a formula's, or the bound; by default nothing.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"kg": [31, -4, 33]}).replace_values("kg", below=0)["kg"].reasons()
        [None, 'cleared', None]
        """
        texts: dict[str, Any] = {
            name: None if one is None else plain_text(one)
            for name, one in (("below", below), ("above", above), ("value", value))
        }
        return self._step(
            "replace_values", why, at_most, columns=listed(columns), where=where, outside=outside, by=listed(by),
            formula=formula, at_bound=at_bound, **texts,
        )  # fmt: skip

    def combine(
        self,
        columns: Names,
        *,
        new_columns: Names,
        mark: str = " ",
        skip_missing: bool = True,
        keep_original: bool = False,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Write several columns as one text, with a mark between.

        Parameters
        ----------
        columns : str or sequence of str
            Selectors.
        new_columns : str
            The name of the column with the text.
        mark : str
            What is between two values.
        skip_missing : bool
            Leave missing cells out; else the text is missing where one of them is.
        keep_original : bool
            Keep the columns too.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> places = comb.table(columns={"place": ["Mill", "Elm"], "no": [7, None]})
        >>> places.combine(["place", "no"], new_columns="hive", mark="-")["hive"].to_list()
        ['Mill-7', 'Elm']
        """
        return self._step(
            "combine", why, at_most, columns=listed(columns), new_columns=listed(new_columns), mark=mark,
            skip_missing=skip_missing, keep_original=keep_original,
        )  # fmt: skip

    def remove_pattern(
        self,
        column: str,
        period: str,
        *,
        pattern: Literal["month", "weekday"] = "month",
        by: Names = (),
        statistic: Literal["mean", "median"] = "mean",
        scale: Literal["plain", "log"] = "plain",
        new_columns: Names = (),
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Take the pattern of the year or the week out of a column: it and the remainder become columns.

        Parameters
        ----------
        column : str
            Of numbers.
        period : str
            The column of dates or moments.
        pattern : {"month", "weekday"}
            What comes back: the months of each year, or the days of each week.
        by : str or sequence of str
            Each group has a pattern of its own.
        statistic : {"mean", "median"}
        scale : {"plain", "log"}
            Whether the pattern is added, or multiplies.
        new_columns : str or sequence of str
            Names for the pattern and the remainder.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        Returns
        -------
        Table
            Levels of years (or weeks) and the pattern are fitted in turn, so that missing periods bend neither. Cost: a
            few passes for each round of the fit.

        >>> import comb
        >>> days = [f"{year}-{month}-01" for year in (2024, 2025) for month in ("01", "07")]
        >>> kg = comb.table(columns={"day": days, "kg": [10, 20, 14, 24]}).convert({"day": "date"})
        >>> kg.remove_pattern("kg", "day")["kg_remainder"].to_list()
        [15.0, 15.0, 19.0, 19.0]
        """
        return self._step(
            "remove_pattern", why, at_most, column=column, period=period, pattern=pattern, by=listed(by),
            statistic=statistic, scale=scale, new_columns=listed(new_columns),
        )  # fmt: skip
