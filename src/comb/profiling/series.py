"""Findings about series: combinations of keys and periods that are not there, and a last period that is not over.

A column holds periods if its values go on by equal steps: days, weeks, months, years, a number of seconds, minutes or
hours that divides a day, or whole numbers that are years or numbers of periods. If each key has each period at most
once, the table is a series for each key; what is not there is reported with the periods and keys. Visits on days that
somebody chose have no step, and so no gaps.
"""

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from comb.errors import CombError, agree, counted, listing
from comb.kernels.grouping import Codes, compact, group
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings
from comb.profiling.headings import YEAR_WORDS, words_of
from comb.profiling.lookups import meant_codes
from comb.steps.base import in_quotes
from comb.steps.screening_steps import SetAsideRows
from comb.steps.wide_steps import AddCombinations
from comb.tables.column import Column
from comb.tables.table import BareTable

NOWHERE = np.zeros(0, np.int64)

# Fewer periods make no series.
LEAST_PERIODS = 6
LEAST_ROWS = 12

# At least this share of the periods from first to last is there, and of the combinations with keys.
LEAST_THERE = 0.75
MOST_TWICE = 0.02

# A last period is partial if at most this share of the keys has it, while nearly all have the one before.
PARTIAL = 0.8
NEARLY_ALL = 0.95
LEAST_OF_A_KEY = 0.2
MOST_KEYS = 100_000
MOST_SHOWN = 4

PERIOD_WORDS = YEAR_WORDS | frozenset(
    ["week", "month", "quarter", "period", "day", "hour", "round", "wave", "woche", "monat", "quartal", "tag"]
)


# In units of NumPy.
STEPS = {"day": ("D", 1), "week": ("D", 7), "month": ("M", 1), "quarter": ("M", 3), "year": ("Y", 1)}


class Periods(NamedTuple):
    """A column whose values go on by equal steps.

    Attributes
    ----------
    name, step : str
        The column, and what it goes on by: day, week, month, quarter, year; or ``15 minutes``.
    places : int64 array
        The number of the period of each row from the first, -1 where missing.
    total : int
        Periods from first to last.
    first : datetime64 or int
    seconds : int
        Of a step that is shorter than a day, else 0.
    """

    name: str
    step: str
    places: Codes
    total: int
    first: np.datetime64 | int
    seconds: int = 0

    def says(self, place: int) -> str:
        """Return how a period is written."""
        if self.seconds:
            when = str(self.first + np.timedelta64(place * self.seconds, "s")).replace("T", " ")
            return when.removesuffix(":00") if self.seconds % 60 == 0 else when
        if isinstance(self.first, np.datetime64):
            unit, size = STEPS[self.step]
            begin = self.first.astype(f"datetime64[{unit}]").astype(np.int64)
            return str(np.int64(begin + place * size).astype(f"datetime64[{unit}]"))
        return str(self.first + place)


def series(table: ColumnCache) -> Findings:
    """Gaps in series, and last periods that are not over."""
    if table.row_count < LEAST_ROWS:
        return
    for name, column in table.columns.items():
        periods = _periods_of(table, name, column)
        if periods is None:
            continue
        keys = _keys_for(table, periods)
        if keys is None:
            continue
        yield from _gaps(table, periods, keys)
        return


def _periods_of(table: ColumnCache, name: str, column: Column) -> Periods | None:
    """Return the periods of a column; None if its values do not go on by equal steps."""
    kind = column.type.plain.word
    if kind not in ("date", "datetime", "integer") or column.missing_count or column.type.choices:
        return None
    if table.different(name) < LEAST_PERIODS:
        return None
    ordered = table.ordered(name)
    if kind == "integer":
        if not words_of(name) & PERIOD_WORDS:
            return None
        return _stepped(name, "year", column.array.astype(np.int64), int(ordered[0]), int(ordered[-1]))
    days = column.array.astype("datetime64[D]")
    if kind == "datetime" and (days.astype(column.array.dtype) != column.array).any():
        return _within_days(name, column, ordered)
    used = np.unique(ordered.astype("datetime64[D]"))
    steps = np.diff(used.astype(np.int64))
    month = days.astype("datetime64[M]")
    in_month = np.unique((days - month.astype("datetime64[D]")).astype(np.int64))
    month_ends = bool(
        (
            ((days + np.timedelta64(1, "D")).astype("datetime64[M]").astype("datetime64[D]"))
            == days + np.timedelta64(1, "D")
        ).all()
    )
    if len(in_month) == 1 or month_ends:
        months = month.view(np.int64) if month.dtype == np.dtype("datetime64[M]") else month.astype(np.int64)
        apart = np.diff(np.unique(months))
        size = int(np.bincount(apart).argmax()) if len(apart) else 1
        if size in (1, 3, 12) and not np.any(np.remainder(apart, size)):
            word = {1: "month", 3: "quarter", 12: "year"}[size]
            return _stepped(
                name, word, (months - months.min()) // size, 0, int((months.max() - months.min()) // size), used[0]
            )
        return None
    if not np.any(np.remainder(steps, 7)):
        numbers = (days - used[0]).astype(np.int64) // 7
        return _stepped(name, "week", numbers, 0, int(numbers.max()), used[0])
    numbers = (days - used[0]).astype(np.int64)
    return _stepped(name, "day", numbers, 0, int(numbers.max()), used[0])


def _within_days(name: str, column: Column, ordered: np.ndarray) -> Periods | None:
    """Return the periods of moments that nearly always are the same number of seconds apart, which divides a day."""
    used = np.unique(ordered.astype("datetime64[s]"))
    if (column.array.astype("datetime64[s]").astype(column.array.dtype) != column.array).any():
        return None
    # The first show already where moments have no step.
    _, counts = np.unique(np.diff(used[:FIRST_SEEN]), return_counts=True)
    if len(counts) and counts.max() < LEAST_THERE * counts.sum() / 2:
        return None
    steps, counts = np.unique(np.diff(used).astype(np.int64), return_counts=True)
    step = int(steps[counts.argmax()])
    if _A_DAY % step or step == _A_DAY or counts.max() < LEAST_THERE * counts.sum() or np.remainder(steps, step).any():
        return None
    places = (column.array.astype("datetime64[s]") - used[0]).astype(np.int64) // step
    found = _stepped(name, _in_words(step), places, 0, int(places.max()), used[0])
    return None if found is None else found._replace(seconds=step)


_A_DAY = 86_400
FIRST_SEEN = 2_000


def _in_words(seconds: int) -> str:
    """Write a number of seconds.

    >>> _in_words(900), _in_words(3600), _in_words(1)
    ('15 minutes', '1 hour', '1 second')
    """
    for word, size in (("hour", 3600), ("minute", 60)):
        if not seconds % size:
            return counted(seconds // size, word)
    return counted(seconds, "second")


def _stepped(
    name: str, step: str, places: Codes, first: int, last: int, begin: np.datetime64 | None = None
) -> Periods | None:
    count = last - first + 1
    if count > MOST_KEYS:
        return None
    places = places - first
    there = len(np.unique(places))
    if there < LEAST_THERE * count:
        return None
    return Periods(name, step, places, count, first if begin is None else begin)


def _keys_for(table: ColumnCache, periods: Periods) -> tuple[tuple[str, ...], Codes] | None:
    """Return the columns by which, together with the period, rows differ; none if the period tells rows apart alone."""
    rows = table.row_count
    if _twice([periods.places], rows) <= MOST_TWICE * rows:
        return (), np.zeros(rows, np.int64)
    names = [
        name for name, column in table.columns.items()
        if name != periods.name and column.type.plain.word in ("string", "integer", "category")
        and not column.missing_count and 2 <= table.different(name) <= rows / LEAST_PERIODS * 2
    ]  # fmt: skip
    keyed = {name: meant_codes(table, name) for name in names}
    single = [name for name in names if _twice([periods.places, keyed[name]], rows) <= MOST_TWICE * rows]
    if single:
        best = min(single, key=lambda name: (_absent(periods, keyed[name]), table.different(name)))
        return (best,), compact(keyed[best])[1]
    for at, one in enumerate(names[:8]):
        for other in names[at + 1 : 8]:
            codes, first = group([keyed[one], keyed[other]], rows)
            if len(first) <= rows / 2 and _twice([periods.places, codes], rows) <= MOST_TWICE * rows:
                return (one, other), codes
    return None


def _absent(periods: Periods, codes: Codes) -> float:
    """Return which share of the combinations is not there."""
    keys = len(np.unique(codes))
    return 1 - len(group([periods.places, codes], len(codes))[1]) / (keys * periods.total)


def _twice(codes: list[Codes], rows: int) -> int:
    return rows - len(group(codes, rows)[1])


def _gaps(table: ColumnCache, periods: Periods, keys: tuple[tuple[str, ...], Codes]) -> Findings:
    names, codes = keys
    count = int(codes.max()) + 1
    if count * periods.total > 50 * table.row_count + 1_000:
        return
    there = np.zeros((count, periods.total), np.bool_)
    there[codes, periods.places] = True
    # A key that is hardly ever there is no series: a value written wrongly.
    usual = there.mean(axis=1) >= LEAST_OF_A_KEY
    if not usual.any():
        return
    partial = _last_is_partial(table, periods, there)
    if partial:
        last = periods.places == periods.total - 1
        yield Finding(
            "series.partial",
            (periods.name,),
            1,
            _rows_of(table, last),
            (),
            partial,
            _without_last(table, periods, last),
        )
        there = there[:, :-1]
    weekdays = _only_weekdays(periods)
    there = there | ~usual[:, None]
    expected = there if weekdays is None else there[:, weekdays[: there.shape[1]]]
    absent = int((~expected).sum())
    # As many rows with a wrong key or day may be those that seem not to be there.
    told = np.any([table.told(name) for name in (periods.name, *names)], axis=0)
    if absent <= int((told | ~usual[codes]).sum()) or expected.mean() < LEAST_THERE:
        return
    where = np.argwhere(~(there if weekdays is None else (there | ~weekdays[None, : there.shape[1]])))
    shown = list(_shown(table, periods, names, codes, where))
    alone = f"time of {periods.name}, every {periods.step}," if periods.seconds else periods.step
    what = f"combination of {listing([*names, periods.name])}" if names else alone
    text = f"{counted(absent, what)} {agree(absent, 'is', 'are')} not there: {', '.join(shown)}"
    text += " and so on" if absent > len(shown) else ""
    if names:
        text = text.replace(f"{what}s", f"combinations of {listing([*names, periods.name])}", 1)
    elif periods.seconds:
        text = text.replace(f"{what}s", what.replace("time", "times", 1), 1)
    remedy = None if partial or weekdays is not None or not usual.all() else _remedy(table, periods, names, absent)
    yield Finding("series.incomplete", (periods.name, *names), absent, NOWHERE, tuple(shown), text, remedy)


def _remedy(table: ColumnCache, periods: Periods, names: tuple[str, ...], absent: int) -> AddCombinations | None:
    """Return the step that adds the rows, if it adds as many as are not there."""
    if table[periods.name].type.word != ("datetime" if periods.seconds else "date"):
        return None
    step = AddCombinations(by=list(names), period=periods.name, every=periods.step)
    try:
        plain = BareTable({name: table[name] for name in (periods.name, *names)})
        added = step.apply(plain).table.row_count - plain.row_count
    except CombError:
        return None
    return step if added == absent else None


def _without_last(table: ColumnCache, periods: Periods, last: np.ndarray) -> SetAsideRows | None:
    """Return the step that sets the rows of the last period aside, if a bound says which these are."""
    column = table[periods.name]
    if column.type.word not in ("date", "integer"):
        return None
    values = column.array[last]
    rest = column.array[~last & column.present]
    bound = values.min()
    if len(rest) and rest.max() >= bound:
        return None
    written = f"date '{bound}'" if column.type.word == "date" else str(int(bound))
    where = f"{in_quotes(periods.name)} >= {written}"
    return SetAsideRows(where=where, reason=f"the last {periods.step} is not over")


def _shown(table: ColumnCache, periods: Periods, names: tuple[str, ...], codes: Codes, where: Codes) -> Iterator[str]:
    for key, place in where[:MOST_SHOWN].tolist():
        at = int(np.argmax(codes == key))
        said = [table[name]._take(np.array([at])).texts()[0] or "" for name in names]
        yield " ".join([*said, periods.says(place)])


def _only_weekdays(periods: Periods) -> np.ndarray | None:
    """Return which days are working days, where no day of a series is on a weekend."""
    if periods.step != "day" or not isinstance(periods.first, np.datetime64):
        return None
    numbers = (periods.first.astype("datetime64[D]").astype(np.int64) + 3 + np.arange(periods.total)) % 7
    working: np.ndarray = numbers < 5
    return working if working[periods.places].all() else None


def _rows_of(table: ColumnCache, where: np.ndarray) -> Codes:
    return table.rows_where(where)


def _last_is_partial(table: ColumnCache, periods: Periods, there: np.ndarray) -> str:
    """Return why the last period is not over; empty if it is."""
    last = periods.says(periods.total - 1)
    share = there.mean(axis=0)
    if len(there) >= 5 and share[-1] < PARTIAL and np.median(share[:-1]) >= NEARLY_ALL and share[-2] >= NEARLY_ALL:
        here = f"{there[:, -1].sum()} of {len(there)} keys"
        return f"the last {periods.step} of {periods.name}, {last}, has {here}: it is not over"
    whole = periods.step != "day" and not periods.seconds
    if table.as_of is not None and isinstance(periods.first, np.datetime64) and whole:
        begin = np.datetime64(last).astype("datetime64[D]")
        unit = {"week": 7, "month": "M", "quarter": "M", "year": "Y"}[periods.step]
        if unit == 7:
            end = begin + np.timedelta64(7, "D")
        elif unit == "M":
            end = (begin.astype("datetime64[M]") + np.timedelta64(3 if periods.step == "quarter" else 1, "M")).astype(
                "datetime64[D]"
            )
        else:
            end = (begin.astype("datetime64[Y]") + np.timedelta64(1, "Y")).astype("datetime64[D]")
        today = np.datetime64(table.as_of, "D")
        if begin <= today < end - np.timedelta64(1, "D"):
            return f"the last {periods.step} of {periods.name}, {last}, is not over on {table.as_of}"
    return ""
