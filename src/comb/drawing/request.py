"""What a picture is asked to show: the same in Python, in a plan and at the command line. Plain values."""

from typing import Literal, get_args

import msgspec

from comb.errors import ParameterError, listing, unknown_name

Kind = Literal["histogram", "bars", "lines", "scatter", "boxes", "missing"]
Aggregated = Literal["", "count", "sum", "mean", "median", "min", "max"]
Trend = Literal["", "line", "local", "median"]

# What each kind understands, besides `by`, `panels`, `where` and `title`, and which columns it needs.
_NEEDS: dict[str, tuple[str, ...]] = {
    "histogram": ("x",), "bars": ("x",), "lines": ("x", "y"), "scatter": ("x", "y"), "boxes": ("y",), "missing": (),
}  # fmt: skip
_TAKES: dict[str, tuple[str, ...]] = {
    "histogram": ("x", "bins", "bin_width", "log", "x_limits", "y_limits"),
    "bars": ("x", "y", "value", "order", "log", "y_limits", "error_bars"),
    "lines": (
        "x", "y", "value", "emphasise", "each_year", "trend", "window", "log", "x_limits", "y_limits", "error_bars",
    ),
    "scatter": ("x", "y", "trend", "window", "log", "x_limits", "y_limits"),
    "boxes": ("x", "y", "log", "y_limits"),
    "missing": (),
}  # fmt: skip
_ALWAYS = ("kind", "by", "panels", "where", "title", "file")


class PictureRequest(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A picture.

    Attributes
    ----------
    kind : {"histogram", "bars", "lines", "scatter", "boxes", "missing"}
    x, y : str
        The columns on the axes. Boxes take their groups from `x`, or from `by`.
    by : str
        A column of groups, told apart by colours and marks.
    panels : str
        A column of groups that get a small picture each.
    where : str
        A condition; only rows for which it is true are drawn.
    value : {"count", "sum", "mean", "median", "min", "max"}
        Of bars and lines: what is drawn of the values at one place. Bars count rows unless `y` is given, and then
        draw the mean; lines draw the mean.
    bins : int, optional
        Of a histogram: about how many bars.
    bin_width : float, optional
        Of a histogram: how wide each bar is.
    order : {"size", "value"}
        Of bars: the largest first, or in order of `x`.
    emphasise : str
        Of lines: the group that is drawn strongly, the others faintly.
    each_year : bool
        Of lines over dates: a line for each year over its months.
    trend : {"line", "local", "median"}
        A straight line with r and n, a local regression, or a moving median.
    window : int
        The points of a moving median.
    error_bars : bool
        Of means: their 95 % intervals.
    log : list of {"x", "y"}
    x_limits, y_limits : list of str
        Where an axis begins and ends; dates as 2026-05-01.
    title : str
        Instead of the sentence that Comb makes.
    file : str
        In a plan: the name of the file in the dataset folder, ``.svg``, ``.png`` or ``.pdf``.
    """

    kind: Kind
    x: str = ""
    y: str = ""
    by: str = ""
    panels: str = ""
    where: str = ""
    value: Aggregated = ""
    bins: int | None = None
    bin_width: float | None = None
    order: Literal["", "size", "value"] = ""
    emphasise: str = ""
    each_year: bool = False
    trend: Trend = ""
    window: int = 7
    error_bars: bool = False
    log: list[Literal["x", "y"]] = []
    x_limits: list[str] = []
    y_limits: list[str] = []
    title: str = ""
    file: str = ""

    def check(self) -> None:
        """Raise a ParameterError for what does not go together.

        Raises
        ------
        ParameterError
            Naming the parameter, and what the kind of picture takes.
        """
        for name in _NEEDS[self.kind]:
            if not getattr(self, name):
                raise ParameterError(
                    f"a picture of kind {self.kind} needs a column for {name}",
                    remedy=f"for instance {_EXAMPLE[self.kind]}",
                )
        given = [one.name for one in msgspec.structs.fields(type(self)) if getattr(self, one.name) != one.default]
        given = [name for name in given if name != "log" or self.log]
        given = [name for name in given if name not in ("x_limits", "y_limits") or getattr(self, name)]
        for name in given:
            if name not in (*_ALWAYS, *_TAKES[self.kind]):
                takes = listing([*_TAKES[self.kind], "by", "panels", "where", "title"], 20)
                raise ParameterError(f"{self.kind} takes no {name}", remedy=f"{self.kind} takes {takes}")
        for name in ("x_limits", "y_limits"):
            if len(getattr(self, name)) not in (0, 2):
                raise ParameterError(f"expected two {name}, from and to, got {len(getattr(self, name))}")
        if self.error_bars and self.value not in ("", "mean"):
            raise ParameterError(f"error bars are those of means, not of value={self.value!r}")
        if self.error_bars and self.kind == "bars" and not self.y:
            raise ParameterError("error bars are those of means: name the column for y")
        if self.bins is not None and self.bin_width is not None:
            raise ParameterError("expected bins or bin_width, got both")


_EXAMPLE = {
    "histogram": "kind='histogram', x='mites'", "bars": "kind='bars', x='apiary'",
    "lines": "kind='lines', x='inspected_on', y='weight'", "scatter": "kind='scatter', x='frames', y='weight'",
    "boxes": "kind='boxes', y='weight', by='queen'",
}  # fmt: skip


def check_kind(kind: str) -> None:
    """Raise a ParameterError unless it names a kind of picture.

    >>> check_kind("boxs")
    Traceback (most recent call last):
      ...
    comb.errors.ParameterError: there is no kind 'boxs'
      did you mean 'boxes'? kinds: histogram, bars, lines, scatter, boxes, missing
    """
    if kind not in get_args(Kind):
        what, remedy = unknown_name("kind", kind, get_args(Kind))
        raise ParameterError(what, remedy=remedy)
