"""Methods that show what is in a table: pictures, summaries, comparisons of groups."""

from collections.abc import Sequence
from datetime import date
from typing import TYPE_CHECKING, Any, Literal, Self, overload

import msgspec

from comb.errors import ParameterError
from comb.interface.step_table import Names, StepTable, listed

if TYPE_CHECKING:
    from comb.drawing.request import Aggregated, Kind, PictureRequest, Trend
    from comb.interface.picture import Picture
    from comb.profiling.column_details import ColumnDetails
    from comb.statistics.group_comparison import GroupComparison


class LookingMethods(StepTable):
    """What one looks at; nothing here changes a table."""

    def draw(
        self,
        kind: "Kind",
        *,
        x: str = "",
        y: str = "",
        by: str = "",
        panels: str = "",
        where: str = "",
        value: "Aggregated" = "",
        bins: int | None = None,
        bin_width: float | None = None,
        order: Literal["", "size", "value"] = "",
        emphasise: str | int = "",
        each_year: bool = False,
        trend: "Trend" = "",
        window: int = 7,
        error_bars: bool = False,
        log: Names = (),
        x_limits: Sequence[float | str | date] = (),
        y_limits: Sequence[float | str | date] = (),
        title: str = "",
    ) -> "Picture":
        """Draw a picture: it shows itself in a notebook, and can be saved.

        Parameters
        ----------
        kind : {"histogram", "bars", "lines", "scatter", "boxes", "missing"}
            How values are spread; rows or a figure for each group; a figure over a number or date; two columns against
            each other; quartiles of groups; where cells are missing.
        x, y : str
            The columns on the axes.
        by, panels : str
            A column of groups: told apart by colours and marks, or with a small picture each.
        where : str
            A condition; only rows for which it is true are drawn.
        value : {"count", "sum", "mean", "median", "min", "max"}
            Of bars and lines: what is drawn of the values at one place.
        bins, bin_width
            Of a histogram: about how many bars, or how wide each is.
        order : {"size", "value"}
            Of bars: the largest first, or in order of `x`.
        emphasise : str
            Of lines: the group that is drawn strongly, the others faintly.
        each_year : bool
            Of lines over dates: a line for each year over its months.
        trend : {"line", "local", "median"}
            A straight line with r and n, a local regression, or the median of some neighbours.
        window : int
            How many neighbours the median is of.
        error_bars : bool
            Of means: their 95 % intervals.
        log : "x", "y" or both
        x_limits, y_limits : two values
            Where an axis begins and ends; what lies outside is left out, and told.
        title : str
            Instead of the sentence that Comb makes.

        Returns
        -------
        Picture
            Cost: some passes over the columns; Matplotlib is imported when the picture is shown or saved.

        Raises
        ------
        ParameterError
            For what cannot be drawn so.

        >>> import comb
        >>> visits = comb.table(columns={"mites": [0, 1, 1, 2, 2, 2, 3, 9]})
        >>> picture = visits.draw("histogram", x="mites")
        >>> picture.title
        'Half of the 8 values of mites lie between 1 and 2.25'
        >>> picture.data["rows"].to_list()
        [1, 2, 3, 1, 0, 0, 0, 0, 0, 1]
        """
        from comb.interface.picture import Picture

        given: dict[str, Any] = {
            "kind": kind, "x": x, "y": y, "by": by, "panels": panels, "where": where, "value": value, "bins": bins,
            "bin_width": bin_width, "order": order, "emphasise": str(emphasise), "each_year": each_year, "trend": trend,
            "window": window, "error_bars": error_bars, "log": listed(log), "x_limits": [str(one) for one in x_limits],
            "y_limits": [str(one) for one in y_limits], "title": title,
        }  # fmt: skip
        return Picture(self, picture_request(given))

    @overload
    def summary(self, column: None = None) -> Self: ...

    @overload
    def summary(self, column: str) -> "ColumnDetails": ...

    def summary(self, column: str | None = None) -> "Self | ColumnDetails":
        """Summarise all columns as a table, or tell everything about one.

        Parameters
        ----------
        column : str, optional

        Returns
        -------
        Table or ColumnDetails
            Of all columns: a table with a row for each, to be sorted, filtered and saved; figures that a type does not
            have are absent. Of one: figures, extremes with their rows, how values are spread, lengths, steps and gaps
            of dates, all values with counts and shares (`values`, a table), every text that was not read. Cost: a sort
            of each column.

        Raises
        ------
        ColumnError
            If there is no such column, with the nearest name.

        >>> import comb
        >>> hives = comb.table(columns={"site": ["Elm", "Fox", "Elm"], "kg": [31, None, 40]})
        >>> hives.summary().select(["column", "missing", "distinct", "mean"]).record(2)["mean"]
        35.5
        >>> kg = hives.summary("kg")
        >>> kg.highest[0].text, kg.highest[0].rows, kg.figures["range"]
        ('40', (3,), 9.0)
        """
        from msgspec.structs import replace

        from comb.interface.shown.profiles import ShownDetails
        from comb.profiling.column_details import column_details, summary_table
        from comb.profiling.summaries import summaries_of

        if column is None:
            return self._made(summary_table(summaries_of(self)), "a row for each column")
        found = column_details(self, column)
        return ShownDetails._of(replace(found, values=self._made(found.values, f"values of {column}")))

    def compare_groups(self, value: str, by: str, *, paired_by: str | None = None) -> "GroupComparison":
        """Compare the values of a column between groups; or two columns of numbers, or of groups.

        Parameters
        ----------
        value : str
            The column that is compared.
        by : str
            The column of groups; or, with many different numbers, the one it may go together with.
        paired_by : str, optional
            A column that says which rows of two groups belong together: the same hive before and after.

        Returns
        -------
        GroupComparison
            Its `groups` are a table; `difference` and `tests` are figures, and printed they are sentences. What the
            tests suppose and the data may not have is among its `notes`. Cost: a sort of each group; SciPy is imported.

        Raises
        ------
        ParameterError
            If the columns cannot be compared.

        >>> import comb
        >>> hives = comb.table(columns={"site": ["Elm"] * 4 + ["Fox"] * 4, "kg": [20, 22, 21, 23, 30, 29, 31, 30]})
        >>> hives.compare_groups("kg", "site").answer.partition("; ")[0]
        'the mean of kg is 8.5 higher in Fox (30) than in Elm (21.5)'
        """
        from msgspec.structs import replace

        from comb.interface.shown.comparisons import ShownComparison
        from comb.statistics.group_comparison import compare_groups

        found = compare_groups(self, value, by, paired_by)
        return ShownComparison._of(replace(found, groups=self._made(found.groups, f"{value} by {by}")))


def picture_request(given: dict[str, Any]) -> "PictureRequest":
    """Make the request of a picture from its parameters, typed by the field they fill.

    Raises
    ------
    ParameterError
        For an unknown kind or a value that does not fit.
    """
    from comb.drawing.request import PictureRequest, check_kind

    check_kind(str(given.get("kind")))
    try:
        return msgspec.convert(
            {name: one for name, one in given.items() if one is not None}, PictureRequest, strict=False
        )
    except msgspec.ValidationError as error:
        from comb.formats.field_errors import problem_of

        field, what, remedy = problem_of(error, PictureRequest, given)
        raise ParameterError(f"{field}: {what}", remedy=remedy) from None
