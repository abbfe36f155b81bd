"""A method for each step that chooses, orders, groups or puts together rows."""

from collections.abc import Mapping, Sequence
from datetime import date
from types import MappingProxyType
from typing import Literal, Self

from comb.interface.step_table import Names, StepTable, as_texts, by_name, listed
from comb.tables.table import BareTable
from comb.tables.value_texts import Value


class RowMethods(StepTable):
    """Steps that work on rows."""

    def filter(
        self,
        where: str,
        *,
        by: Names = (),
        as_of: str | date | None = None,
        parameters: Mapping[str, Value] = MappingProxyType({}),
        at_most: int | str | None = None,
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
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).

        Raises
        ------
        ExpressionError
            With a marker under the part that does not fit.

        >>> import comb
        >>> comb.table(columns={"mites": [2, 5, None]}).filter("mites > 3").row_count
        1
        """
        return self._step(
            "filter", why, at_most, where=where, by=listed(by), as_of=None if as_of is None else str(as_of),
            parameters=as_texts(parameters),
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
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Keep some rows by where they stand, by size, or by chance; within groups where `by` names columns.

        Parameters
        ----------
        first, last, every : int, optional
            This many from the top, from the end; or every n-th.
        largest, smallest : str, optional
            The column by which the `count` largest or smallest are kept, with ties unless `ties` is false.
        count : int
            How many of the largest or smallest.
        ties : bool
            Keep also those that equal the last one.
        random, seed : int, optional
            This many by chance; another seed picks others.
        numbers : sequence of int
            Rows by their row numbers.
        by : str or sequence of str
            Columns; each group of rows with the same values is picked from on its own.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"kg": [3, 9, 5, 9]}).pick_rows(largest="kg", count=1)["kg"].to_list()
        [9, 9]
        """
        return self._step(
            "pick_rows", why, at_most, first=first, last=last, every=every, largest=largest, smallest=smallest,
            count=count, ties=ties, random=random, seed=seed, numbers=list(numbers), by=listed(by),
        )  # fmt: skip

    def set_aside(
        self, where: str, *, reason: str | None = None, at_most: int | str | None = None, why: str | None = None
    ) -> Self:
        """Keep the rows for which a condition is true out of the result, with the reason.

        Parameters
        ----------
        where : str
            The condition.
        reason : str, optional
            What is said of these rows; by default the condition.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.
        """
        return self._step("set_aside", why, at_most, where=where, reason=reason)

    def remove_missing(
        self,
        columns: Names = (),
        *,
        more_than: int = 0,
        share: str | float | None = None,
        reasons: Names = (),
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Set aside rows with missing cells, or drop columns of which too much is missing.

        Parameters
        ----------
        columns : str or sequence of str
            The columns to look at; none means all.
        more_than : int
            Rows with more missing cells than this among them are set aside.
        share : str or float, optional
            Instead of rows: columns of which more than this share is missing are dropped.
        reasons : str or sequence of str
            Count only cells missing for these reasons.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"kg": [31, None, 33]}).remove_missing("kg").row_count
        2
        """
        return self._step(
            "remove_missing", why, at_most, columns=listed(columns), more_than=more_than,
            share=None if share is None else str(share), reasons=listed(reasons),
        )  # fmt: skip

    def mark_rows(
        self,
        where: str | Mapping[str, str],
        *,
        new_columns: Names,
        as_of: str | date | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Say in a new column which conditions a row meets, instead of taking it away.

        Parameters
        ----------
        where : str or mapping of str to str
            One condition: the column is true or false. Or several by name: it contains the names of those that are
            true.
        new_columns : str
            The name of the column.
        as_of : str or date, optional
            The day that ``current_date`` stands for.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> weights = comb.table(columns={"kg": [31, 400], "queen": [None, None]})
        >>> weights.mark_rows({"heavy": "kg > 80", "queenless": "queen is null"}, new_columns="odd")["odd"].to_list()
        ['queenless', 'heavy; queenless']
        """
        return self._step(
            "mark_rows", why, at_most, where=where if isinstance(where, str) else dict(where),
            new_columns=listed(new_columns), as_of=None if as_of is None else str(as_of),
        )  # fmt: skip

    def sort(
        self,
        by: Names,
        *,
        text: Literal["exact", "natural", "ignore_accents"] = "exact",
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Put rows in order by columns, each with ``desc`` behind it for descending.

        Missing cells come last in both directions; equal rows keep their order. Texts are ordered exactly,
        by code point; naturally (``colony 9`` before ``colony 10``); or with case and accents ignored.

        Parameters
        ----------
        by : str or sequence of str
            The columns, the first one first.
        text : {"exact", "natural", "ignore_accents"}
            How texts are compared.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"n": [2, None, 3]}).sort("n desc")["n"].to_list()
        [3, 2, None]
        """
        return self._step("sort", why, at_most, by=listed(by), text=text)

    def aggregate(
        self,
        columns: Mapping[str, str] | str,
        *,
        by: Names = (),
        sort_groups: bool = False,
        totals: bool = False,
        subtotals: bool = False,
        as_of: str | date | None = None,
        at_most: int | str | None = None,
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
        as_of : str or date, optional
            The day that ``current_date`` stands for.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> visits = comb.table(columns={"hive": ["a", "b", "a"], "kg": [3, 5, 4]})
        >>> visits.aggregate({"mean": "avg(kg)"}, by="hive")["mean"].to_list()
        [3.5, 5.0]
        """
        given = by_name(columns, "aggregate({'mean_kg': 'avg(kg)'})", equation=True)
        return self._step(
            "aggregate", why, at_most, columns=given, by=listed(by), sort_groups=sort_groups, totals=totals,
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
        at_most: int | str | None = None,
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
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> comb.table(columns={"queen": ["laying", "none", "laying"]}).count("queen")["count"].to_list()
        [2, 1]
        """
        return self._step(
            "count",
            why,
            at_most,
            by=listed(by),
            where=where,
            across=across,
            shares=shares,
            of_counts=of_counts,
            sort=sort,
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
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Look up columns of another table by one or several keys.

        Parameters
        ----------
        other : Table
        by : str or sequence of str
            The key columns; ``mine = theirs`` where they have different names. ``row number`` on one side is the row's
            own number: ``parent_row = row number``.
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
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

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
            "join", why, at_most, table=name, by=listed(by), columns=listed(columns), rows=rows,
            add_columns=add_columns, ignore=listed(ignore), latest=latest, allow_multiple=allow_multiple,
        )  # fmt: skip

    def stack_tables(
        self,
        *others: BareTable,
        source_column: str | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Put the rows of other tables below, column by column with the same name.

        Parameters
        ----------
        others : tables
        source_column : str, optional
            A new column with the name of the table that each row is from.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> may, june = comb.table(columns={"kg": [1]}), comb.table(columns={"kg": [2.5]})
        >>> may.stack_tables(june)["kg"].to_list()
        [1.0, 2.5]
        """
        result = self
        for other in others:
            made, name = result._beside(other)
            result = made._step("stack_tables", why, at_most, table=name, source_column=source_column)
        return result

    def remove_duplicates(
        self,
        by: Names = (),
        *,
        which: Literal["first", "last", "fullest"] = "first",
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Keep one of the rows that are equal: in every column, or in those of `by`.

        Rows equal in every column are merged; rows that differ elsewhere are set aside.

        Parameters
        ----------
        by : str or sequence of str
            The columns to compare; none means all.
        which : {"first", "last", "fullest"}
            Which of them stays; ``fullest`` is the one with the fewest missing cells.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.
        """
        return self._step("remove_duplicates", why, at_most, by=listed(by), which=which)

    def to_long(
        self,
        columns: Names,
        *,
        heading_column: str = "",
        value_column: str = "",
        pattern: str | None = None,
        types: Mapping[str, str] = MappingProxyType({}),
        keep_missing: bool = True,
        keep_absent: bool = True,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Turn columns side by side into rows one below the other.

        Parameters
        ----------
        columns : str or sequence of str
            Selectors of the columns whose names are values.
        heading_column, value_column : str
            Names of the new columns, for the old names and for the cells.
        pattern : str, optional
            Instead of these, how the names are built: ``{value}_{year}`` makes of ``kg_2024 kg_2025 mites_2024
            mites_2025`` the columns ``year``, ``kg`` and ``mites``.
        types : mapping of str to str
            Types of the columns made of names: ``{"year": "integer"}``; ``category`` keeps them in the order of the
            columns.
        keep_missing : bool
            Whether missing cells become rows too.
        keep_absent : bool
            Whether cells become rows that are absent, since the table they would be from has no such column.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> wide = comb.table(columns={"jan": [1], "feb": [2]})
        >>> wide.to_long("jan:feb", heading_column="month", value_column="kg")["month"].to_list()
        ['jan', 'feb']
        """
        return self._step("to_long", why, at_most, columns=listed(columns), heading_column=heading_column,
            value_column=value_column, pattern=pattern, types=dict(types), keep_missing=keep_missing,
            keep_absent=keep_absent,
        )  # fmt: skip

    def to_wide(
        self,
        *,
        heading_column: str,
        value_column: Names,
        by: Names = (),
        begins: str | None = None,
        aggregate: Literal["sum", "avg", "min", "max", "count", "median", "first", "last"] | None = None,
        most_columns: int = 200,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Turn rows into columns: a new column for each value of one column. It undoes `to_long`.

        Parameters
        ----------
        heading_column : str
            The column whose values become names of columns, in their order.
        value_column : str or sequence of str
            The column whose cells go below them; of several, the names are ``value_heading``.
        by : str or sequence of str
            The columns that identify a row; none means all the others.
        begins : str, optional
            The heading at which a row begins, instead: what follows, up to the next one, is in the same row.
        aggregate : str, optional
            What becomes of several values for one place; by default they are refused, and listed.
        most_columns : int
            More new columns than this are refused.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        Raises
        ------
        ParameterError
            If two rows have a value for one place and no aggregate is named, with the rows.

        >>> import comb
        >>> counts = comb.table(columns={"hive": ["a", "a", "b"], "month": ["may", "june", "may"], "mites": [3, 5, 4]})
        >>> counts.to_wide(heading_column="month", value_column="mites")["june"].reasons()
        [None, 'absent']

        Records whose fields stand below each other:

        >>> cards = comb.table(columns={"field": ["hive", "kg", "hive"], "value": ["a", "31.5", "b"]})
        >>> cards.to_wide(heading_column="field", value_column="value", begins="hive")["kg"].to_list()
        ['31.5', None]
        """
        return self._step(
            "to_wide", why, at_most, heading_column=heading_column, value_column=listed(value_column), by=listed(by),
            begins=begins, aggregate=aggregate, most_columns=most_columns,
        )  # fmt: skip

    def separate_tables(
        self,
        by: Names,
        columns: Names,
        *,
        part: Literal["keys", "rest"] = "keys",
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Make a table of the columns that a key decides, with a row for each key; or this table without them.

        Both parts together are the whole: ``join`` by the key puts them together again.

        Parameters
        ----------
        by : str or sequence of str
            The key columns.
        columns : str or sequence of str
            The columns that it decides.
        part : {"keys", "rest"}
            Which of the two tables is returned.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        Raises
        ------
        ParameterError
            If a key has two values in one of the columns, with the rows.

        >>> import comb
        >>> visits = comb.table(columns={"place": ["Mill", "Fox", "Mill"], "keeper": ["A", "B", "A"], "kg": [3, 4, 5]})
        >>> visits.separate_tables("place", "keeper")["keeper"].to_list()
        ['A', 'B']
        >>> visits.separate_tables("place", "keeper", part="rest").names
        ('place', 'kg')
        """
        return self._step("separate_tables", why, at_most, by=listed(by), columns=listed(columns), part=part)

    def add_combinations(
        self,
        by: Names = (),
        *,
        period: str | None = None,
        every: str = "day",
        own_range: bool = False,
        values: Mapping[str, Value] = MappingProxyType({}),
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Add rows for combinations of keys, and of keys and periods, that are not there.

        Parameters
        ----------
        by : str or sequence of str
            The key columns.
        period : str, optional
            A column of dates or datetimes that goes from the first to the last in steps of `every`.
        every : str
            ``day``, ``week``, ``month``, ``quarter``, ``year``; for datetimes a number of seconds, minutes, hours, days
            or weeks, as ``15 minutes``. Months and years begin as the first date does.
        own_range : bool
            Each key from its own first date to its own last; else all from the first to the last of the table.
        values : mapping of str to value
            What the new rows hold in other columns; by default they are ``absent`` there.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.

        >>> import comb
        >>> seen = comb.table(columns={"hive": ["a", "a", "b"], "week": [1, 2, 1], "mites": [3, 4, 5]})
        >>> seen.add_combinations(["hive", "week"]).last_rows(1)["mites"].reasons()
        ['absent']
        """
        return self._step(
            "add_combinations", why, at_most, by=listed(by), period=period, every=every, own_range=own_range,
            values=as_texts(values),
        )  # fmt: skip

    def transpose(
        self,
        headings_in: str,
        *,
        heading_column: str = "column",
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Turn rows into columns and columns into rows; one column names the new ones.

        Parameters
        ----------
        headings_in : str
            The column whose values name the new columns.
        heading_column : str
            The name of the column that holds the old names.
        at_most : int or str, optional
            Stop if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
        why : str, optional
            The reason, for the ledger.
        """
        return self._step("transpose", why, at_most, headings_in=headings_in, heading_column=heading_column)
