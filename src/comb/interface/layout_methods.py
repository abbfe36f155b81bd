"""A method for each step that takes apart what a table for people puts together: heading rows, marks, indicators."""

from typing import Literal, Self

from comb.interface.step_table import Names, StepTable, listed


class LayoutMethods(StepTable):
    """Steps from a layout for people to a tidy one, and back."""

    def take_heading_rows(
        self,
        column: str,
        new_columns: Names,
        *,
        where: str | None = None,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Make a column of rows that only head those below them: "Upper river" above its quays.

        Parameters
        ----------
        column : str
            The column in which the headings stand.
        new_columns : str or sequence of str
            The name of the column that they become. Of headings in two levels, one right below the other, both names,
            the upper one first: a single heading is then one of the lower level.
        where : str, optional
            Which rows are headings; by default those with a value in this column and in no other.
        at_most : int or str, optional
            The most heading rows there may be: a number, or a share like ``2%``.
        why : str, optional
            The reason, in free text.

        Returns
        -------
        Table
            Without the heading rows, which are set aside.

        >>> import comb
        >>> landed = comb.table(columns={"quay": ["Upper river", "Ash", "Coast", "Fern"], "t": [None, 3, None, 9]})
        >>> landed.take_heading_rows("quay", "reach")["reach"].to_list()
        ['Upper river', 'Coast']
        """
        return self._step(
            "take_heading_rows", why, at_most, column=column, new_columns=listed(new_columns), where=where
        )

    def separate_marks(
        self,
        columns: Names,
        *,
        new_columns: Names = (),
        marks: Names = (),
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Separate marks of footnotes from the values they stand behind: ``12*``, ``34 1)``.

        Parameters
        ----------
        columns : str or sequence of str
            Selectors. A column of text whose values are all numbers without their marks becomes one of numbers; in a
            column of numbers the cells that were unreadable for their mark are read.
        new_columns : str or sequence of str
            The names of the columns for the marks; by default the name of each with `` mark`` behind it.
        marks : str or sequence of str
            Further marks, besides asterisks, daggers, raised digits and a digit or letter with a bracket.
        at_most : int or str, optional
            The most cells that may change in a column: a number, or a share of the rows like ``2%``.
        why : str, optional
            The reason, in free text.

        >>> import comb
        >>> fields = comb.table(columns={"t": ["7.2", "6.8*", "5.9 1)"]}).separate_marks("t")
        >>> fields["t"].to_list(), fields["t mark"].to_list()
        ([Decimal('7.2'), Decimal('6.8'), Decimal('5.9')], [None, '*', '1)'])
        """
        return self._step(
            "separate_marks",
            why,
            at_most,
            columns=listed(columns),
            new_columns=listed(new_columns),
            marks=listed(marks),
        )

    def from_indicators(
        self,
        columns: Names,
        new_columns: Names,
        *,
        yes: Names = (),
        several: Literal["refuse", "list", "rows"] = "refuse",
        mark: str = "; ",
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Make one column of several that say yes or no: of `bus`, `tram`, `bike` the column `travels by`.

        Parameters
        ----------
        columns : str or sequence of str
            Selectors of the columns; their names become the values, in this order.
        new_columns : str
            The name of the column that they become.
        yes : str or sequence of str
            The texts that mean yes; needed where the columns are not of true and false, of 1 and 0, or of one text
            beside empty cells.
        several : {"refuse", "list", "rows"}
            What becomes of a row in which more than one says yes: it is refused, the names are listed in one text, or
            the row is there once for each.
        mark : str
            What stands between the names of a list.
        at_most : int or str, optional
            The most rows that may be removed, and cells changed in a column.
        why : str, optional
            The reason, in free text.

        Raises
        ------
        ParameterError
            If a row says yes more than once and nothing is said about that, with the rows.

        >>> import comb
        >>> asked = comb.table(columns={"who": ["a", "b"], "bus": [True, False], "bike": [False, True]})
        >>> asked.from_indicators(["bus", "bike"], "travels by")["travels by"].to_list()
        ['bus', 'bike']
        """
        return self._step(
            "from_indicators", why, at_most, columns=listed(columns), new_columns=listed(new_columns),
            yes=listed(yes), several=several, mark=mark,
        )  # fmt: skip

    def take_apart(
        self,
        column: str,
        *,
        keys: Names = (),
        lists: Literal["keep", "count", "rows", "columns"] = "keep",
        mark: str = "",
        equals: str = "=",
        keep_original: bool = False,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Take texts of JSON, or of pairs, apart: a column for each key, lists into rows or columns.

        Parameters
        ----------
        column : str
            Its cells are texts of JSON, or dictionaries and lists as Python writes them. What is nothing of the kind
            stays in the column, and so do the values of cells that are one value.
        keys : str or sequence of str
            Which keys become columns, those of inner objects with a point between (`site.lat`); they are there even
            where no cell has them. By default all.
        lists : {"keep", "count", "rows", "columns"}
            What becomes of lists: they stay texts of JSON, their lengths, a row for each item, or a column for each
            place, where all lists of a key are of one length.
        mark : str
            What stands between pairs of keys and values, as in `colour=blue; kg=3`: the cells hold those instead of
            JSON. Their values get types as those of a file do.
        equals : str
            What stands between a key and its value.
        keep_original : bool
            Keep the column as it is.
        at_most : int or str, optional
            The most cells that may change in a column.
        why : str, optional
            The reason, in free text.

        Raises
        ------
        TypeMismatch
            If no cell is an object or a list, or none is made of pairs.

        >>> import comb
        >>> boxes = comb.table(columns={"hive": ["a1", "b2"], "box": ['{"kg": 4.5, "lid": true}', '{"kg": 6}']})
        >>> boxes.take_apart("box").names
        ('hive', 'box.kg', 'box.lid')
        """
        return self._step(
            "take_apart", why, at_most, column=column, keys=listed(keys), lists=lists, mark=mark, equals=equals,
            keep_original=keep_original,
        )  # fmt: skip

    def to_indicators(
        self,
        column: str,
        *,
        mark: str | None = None,
        keep_original: bool = False,
        most_columns: int = 200,
        at_most: int | str | None = None,
        why: str | None = None,
    ) -> Self:
        """Make a column of true or false for each value of a column. It undoes `from_indicators`.

        Parameters
        ----------
        column : str
        mark : str, optional
            What stands between several values in one text.
        keep_original : bool
            Keep the column.
        most_columns : int
            More new columns than this are refused.
        at_most : int or str, optional
            The most cells that may change in a column.
        why : str, optional
            The reason, in free text.

        >>> import comb
        >>> asked = comb.table(columns={"who": ["a", "b"], "travels by": ["bus; tram", "bike"]})
        >>> asked.to_indicators("travels by", mark=";")["tram"].to_list()
        [True, False]
        """
        return self._step(
            "to_indicators", why, at_most, column=column, mark=mark, keep_original=keep_original,
            most_columns=most_columns,
        )  # fmt: skip
