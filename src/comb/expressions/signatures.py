"""What aggregates, window functions and functions of several columns take and give."""

from collections.abc import Sequence
from typing import NamedTuple

from comb.tables.types import DURATION, INTEGER, NUMBER, STRING, Type


class Signature(NamedTuple):
    """An aggregate or a window function.

    Attributes
    ----------
    takes : tuple of str
        What each argument has to be: ``any``, ``numeric``, ``summed`` (a number or a duration), ``string``,
        ``integer``, ``share`` (a number from 0 to 1 written here), ``text`` (a text written here).
    gives : str
        The type of the result: a word, ``same``, ``sum``, or ``mean``.
    says : str
        What it is for, in a line.
    needs : int
        How many arguments have to be given.
    window : bool
        Whether it makes sense with ``over`` only.
    """

    takes: tuple[str, ...]
    gives: str
    says: str
    needs: int
    window: bool = False

    def result(self, types: Sequence[Type]) -> Type:
        """Return the type of the result."""
        if self.gives == "same" or (self.gives == "sum" and types[0] in (INTEGER, DURATION)):
            return types[0]
        if self.gives == "sum":
            return types[0]
        if self.gives == "mean":
            return DURATION if types[0] == DURATION else NUMBER
        return {"integer": INTEGER, "number": NUMBER, "string": STRING}[self.gives]


AGGREGATES: dict[str, Signature] = {
    "count": Signature(("any",), "integer", "how many rows, or how many cells that are not missing", 0),
    "sum": Signature(("summed",), "sum", "the sum", 1),
    "avg": Signature(("summed",), "mean", "the mean", 1),
    "min": Signature(("any",), "same", "the least", 1),
    "max": Signature(("any",), "same", "the largest", 1),
    "median": Signature(("summed",), "mean", "the value in the middle", 1),
    "stddev_samp": Signature(("numeric",), "number", "the standard deviation of a sample", 1),
    "stddev_pop": Signature(("numeric",), "number", "the standard deviation of all there are", 1),
    "var_samp": Signature(("numeric",), "number", "the variance of a sample", 1),
    "var_pop": Signature(("numeric",), "number", "the variance of all there are", 1),
    "corr": Signature(("numeric", "numeric"), "number", "Pearson's correlation of two columns", 2),
    "weighted_avg": Signature(("numeric", "numeric"), "number", "the mean, each value counted by its weight", 2),
    "percentile_cont": Signature(("summed", "share"), "mean", "the value below which a share lies, interpolated", 2),
    "percentile_disc": Signature(("summed", "share"), "mean", "the first value that reaches a share", 2),
    "first": Signature(("any",), "same", "the first present value, by an order: first(x order by day)", 1),
    "last": Signature(("any",), "same", "the last present value, by an order: last(x order by day)", 1),
    "mode": Signature(("any",), "same", "the commonest value; undefined where several are equally common", 1),
    "any_value": Signature(("any",), "same", "one of the values", 1),
    "listagg": Signature(("string", "text"), "string", "the texts one after the other", 1),
    "row_number": Signature((), "integer", "1, 2, 3 ... in the order of the window", 0, True),
    "rank": Signature((), "integer", "the rank; ties share the best, and leave gaps", 0, True),
    "dense_rank": Signature((), "integer", "the rank; ties share one, without gaps", 0, True),
    "average_rank": Signature((), "number", "the rank; ties share the mean of theirs", 0, True),
    "percent_rank": Signature((), "number", "the share of rows before, from 0 to 1", 0, True),
    "cume_dist": Signature((), "number", "the share of rows up to this one and its ties", 0, True),
    "ntile": Signature(("integer",), "integer", "which of n parts of equal size the row is in, from 1", 1, True),
    "lag": Signature(("any", "integer"), "same", "the value this many rows before", 1, True),
    "lead": Signature(("any", "integer"), "same", "the value this many rows after", 1, True),
    "first_value": Signature(("any",), "same", "the first value of the frame", 1, True),
    "last_value": Signature(("any",), "same", "the last value of the frame: without one, up to this row", 1, True),
}

# What may be taken of the rows up to each, or of a frame of them.
FRAMED = ("count", "sum", "avg", "min", "max", "first", "last", "first_value", "last_value")

# What needs an order, and no frame.
RANKED = ("row_number", "rank", "dense_rank", "average_rank", "percent_rank", "cume_dist", "ntile", "lag", "lead")

# Functions of a selection of columns, and what they are for.
COLUMN_FUNCTIONS = {
    "sum_columns": "the sum of several columns; missing cells do not count",
    "mean_columns": "the mean of several columns; missing cells do not count",
    "min_columns": "the least of several columns",
    "max_columns": "the largest of several columns",
    "missing_columns": "how many of several columns are missing",
}
