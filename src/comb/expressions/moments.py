"""Calculate with dates, datetimes, times and durations; what leaves the years 1 to 9999 is ``undefined``."""

from collections.abc import Sequence
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from comb.expressions.arithmetic import as_floats, first_missing, undefined_where
from comb.tables.column import Column, Mask
from comb.tables.types import DATE, DATETIME, DURATION, INTEGER, NUMBER, TIME, Type

MOMENTS = frozenset({"date", "datetime", "time", "duration"})

DAY, MONTH = np.timedelta64(1, "D"), np.timedelta64(1, "M")
FIRST, LAST = np.datetime64("0001-01-01", "us"), np.datetime64("9999-12-31T23:59:59.999999", "us")

# Durations beyond this cannot be added up without overflowing.
LONGEST = 2**62


def moment_type(operator: str, left: Type, right: Type) -> Type | None:
    """Return the type of a calculation with moments; None if there is not one.

    Two of a kind give the duration between them; a day and a whole number of days give a day, a day and a time of day
    the datetime; a moment and a duration give a moment; durations are added, subtracted, multiplied and divided.

    >>> str(moment_type("-", DATE, DATE)), str(moment_type("+", DATE, INTEGER)), moment_type("*", DATE, DATE)
    ('duration', 'date', None)
    """
    a, b = left.word, right.word
    if operator == "-" and a == b and left == right and a in MOMENTS:
        return DURATION
    if operator == "-" and {a, b} == {"date", "datetime"} and not (left.utc or right.utc):
        return DURATION
    if operator in "+-" and a == "date" and b == "integer":
        return DATE
    if operator == "+" and a == "integer" and b == "date":
        return DATE
    if operator == "+" and {a, b} == {"date", "time"}:
        return DATETIME
    if operator in "+-" and b == "duration" and a in MOMENTS:
        return DATETIME if a == "date" else left
    if operator == "+" and a == "duration" and b in MOMENTS:
        return moment_type("+", right, left)
    if operator == "*" and {a, b} & {"duration"} and (left.numeric or right.numeric):
        return DURATION
    if operator == "/" and a == "duration":
        return NUMBER if b == "duration" else DURATION if right.numeric else None
    return None


def calculate(operator: str, left: Column, right: Column) -> Column:
    """Calculate ``left operator right`` with moments, row by row."""
    kind = moment_type(operator, left.type, right.type)
    assert kind is not None, "the checker let it pass"
    state = first_missing(left, right)
    # The moment that is changed comes first, and what changes it second.
    moved = left.type.word == "duration" and right.type.word != "duration" and not right.type.numeric
    if moved or left.type.numeric:
        left, right = right, left
    if kind == NUMBER:
        with np.errstate(all="ignore"):
            ratio = _micro(left) / _micro(right)
        bad = ~np.isfinite(ratio)
        return Column(NUMBER, np.where(bad, 0, ratio), undefined_where(bad, np.broadcast_to(state, ratio.shape)))
    if kind == DURATION and operator in "*/":
        return _scaled(operator, left, right, state)
    if kind == DATE:
        return _shifted_days(operator, left, right, state)
    a, b = _micro(left), _micro(right)
    values = a + b if operator == "+" else a - b
    bad = (np.abs(a) > LONGEST) | (np.abs(b) > LONGEST) | (np.abs(values) > LONGEST)
    if kind.word == "datetime":
        bad |= (values < _number(FIRST)) | (values > _number(LAST))
    elif kind == TIME:
        bad |= (values < 0) | (values >= _number(DAY.astype("m8[us]")))
    return _made(kind, values, bad, state)


def _micro(column: Column) -> NDArray[np.int64]:
    """Return microseconds: since 1970 for what has a day."""
    values = column.array
    unit = "datetime64[us]" if values.dtype.kind == "M" else "timedelta64[us]"
    return values.astype(unit).view(np.int64)


def _number(value: Any) -> int:
    return int(value.astype(np.int64))


def _made(kind: Type, values: NDArray[np.int64], bad: Mask, state: Any) -> Column:
    stored = np.where(bad, 0, values).view(kind.storage)
    return Column(kind, stored, undefined_where(bad, np.broadcast_to(state, stored.shape)))


def _scaled(operator: str, left: Column, right: Column, state: Any) -> Column:
    factor = as_floats(right)
    with np.errstate(all="ignore"):
        values = _micro(left) * factor if operator == "*" else _micro(left) / factor
    bad = ~(np.abs(values) < LONGEST)
    exact = np.round(np.where(bad, 0, values)).astype(np.int64)
    if operator == "*" and right.type == INTEGER:
        exact = np.where(bad, 0, _micro(left) * np.where(bad, 0, right.array))
    return _made(DURATION, exact, bad, state)


def _shifted_days(operator: str, left: Column, right: Column, state: Any) -> Column:
    days, shift = left.array.view(np.int64), right.array
    # No day is further from another than this.
    far = np.abs(shift) > 4_000_000
    moved = days + np.where(far, 0, shift) * (1 if operator == "+" else -1)
    first, last = _number(FIRST.astype("M8[D]")), _number(LAST.astype("M8[D]"))
    bad = far | (moved < first) | (moved > last)
    stored = np.where(bad, 0, moved).view("datetime64[D]")
    return Column(DATE, stored, undefined_where(bad, np.broadcast_to(state, stored.shape)))


def negative(column: Column) -> Column:
    """Turn the sign of a duration."""
    return column._replace(values=-column.array)


# -- parts -----------------------------------------------------------------------------------

DATE_PARTS = ("year", "quarter", "month", "week", "day", "weekday", "day_of_year")
CLOCK_PARTS = ("hour", "minute", "second")


def parts_of(kind: Type) -> tuple[str, ...]:
    """Return the parts that a type has."""
    return _PARTS.get(kind.word, ())


_PARTS = {
    "date": DATE_PARTS, "datetime": DATE_PARTS + CLOCK_PARTS, "time": CLOCK_PARTS, "duration": ("days", *CLOCK_PARTS),
}  # fmt: skip


def extract(part: str, column: Column) -> Column:
    """Return a part of each moment; weeks and weekdays as ISO 8601 counts them, Monday is 1."""
    values = column.array
    if part in CLOCK_PARTS or part == "days":
        micro = _micro(column)
        whole, rest = np.divmod(np.abs(micro), 86_400_000_000)
        sign = np.where(micro < 0, -1, 1) if column.type == DURATION else 1
        if values.dtype.kind == "M":
            rest = np.mod(micro, 86_400_000_000)
        if part == "second":
            return Column(NUMBER, sign * (rest % 60_000_000) / 1e6, column.state)
        found = {"days": whole, "hour": rest // 3_600_000_000, "minute": rest // 60_000_000 % 60}[part]
        return Column(INTEGER, sign * found, column.state)
    days = values.astype("datetime64[D]")
    months, years = days.astype("datetime64[M]"), days.astype("datetime64[Y]")
    month = months.astype(np.int64) % 12 + 1
    weekday = (days.astype(np.int64) + 3) % 7 + 1
    found = {
        "year": lambda: years.astype(np.int64) + 1970,
        "quarter": lambda: (month + 2) // 3,
        "month": lambda: month,
        "day": lambda: (days - months.astype("datetime64[D]")).astype(np.int64) + 1,
        "day_of_year": lambda: (days - years.astype("datetime64[D]")).astype(np.int64) + 1,
        "weekday": lambda: weekday,
        # The week of a day is that of its Thursday.
        "week": lambda: _week(days + _span(4 - weekday, "D")),
    }[part]()  # type: ignore[no-untyped-call]
    return Column(INTEGER, found, column.state)


def _week(thursdays: NDArray[Any]) -> NDArray[np.int64]:
    new_years = thursdays.astype("datetime64[Y]").astype("datetime64[D]")
    return cast(NDArray[np.int64], (thursdays - new_years).astype(np.int64) // 7 + 1)


def _span(counts: Any, unit: str) -> NDArray[np.timedelta64]:
    """Return whole numbers as days or months, so that NumPy adds nothing without a unit to a date."""
    return cast(NDArray[np.timedelta64], np.asarray(counts, np.int64).view(f"timedelta64[{unit}]"))


PERIODS = ("year", "quarter", "month", "week", "day", "hour", "minute", "second")


def start_of(part: str, column: Column) -> Column:
    """Return when the year, the month and so on begins in which each moment lies."""
    values = column.array
    if part == "week":
        days = values.astype("datetime64[D]")
        begun = days - _span((days.astype(np.int64) + 3) % 7, "D")
    elif part == "quarter":
        months = values.astype("datetime64[M]")
        begun = months - _span(months.astype(np.int64) % 3, "M")
    else:
        unit = {"year": "Y", "month": "M", "day": "D", "hour": "h", "minute": "m", "second": "s"}[part]
        begun = values.astype(f"datetime64[{unit}]")
    return column._replace(values=begun.astype(column.type.storage))


def end_of(part: str, column: Column) -> Column:
    """Return the last day of the year, the month and so on in which each day lies."""
    days = start_of(part, column._replace(type=DATE, values=column.array.astype("datetime64[D]"))).array
    if part == "week":
        ends = days + 6 * DAY
    elif part == "day":
        ends = days
    else:
        months = days.astype("datetime64[M]") + {"year": 12, "quarter": 3, "month": 1}[part] * MONTH
        ends = months.astype("datetime64[D]") - DAY
    return Column(DATE, ends, column.state)


def add_months(column: Column, months: Column) -> Column:
    """Move by months; a day that the month does not have becomes its last one."""
    days = column.array.astype("datetime64[D]")
    begun = days.astype("datetime64[M]")
    far = np.abs(months.array) > 120_000
    target = begun + _span(np.where(far, 0, months.array), "M")
    length = (target + MONTH).astype("datetime64[D]") - target.astype("datetime64[D]")
    inside = np.minimum(days - begun.astype("datetime64[D]"), length - DAY)
    moved = target.astype("datetime64[D]") + inside
    bad = far | (moved < FIRST) | (moved > LAST)
    values: Any = np.where(bad, np.datetime64(0, "D"), moved)
    if column.type.word == "datetime":
        values = values.astype("datetime64[us]") + (column.array - days)
    state = first_missing(column, months)
    return Column(column.type, values, undefined_where(bad, np.broadcast_to(state, values.shape)))


def whole_months(start: Column, end: Column) -> Column:
    """Count complete months: the most that `add_months` can add to the earlier one; from a later to it less than 0."""
    state = first_missing(start, end)
    one, other = np.broadcast_arrays(start.array.astype("datetime64[us]"), end.array.astype("datetime64[us]"))
    back = other < one
    early = Column(DATETIME, np.where(back, other, one), None)
    late = np.where(back, one, other)
    count = late.astype("datetime64[M]").view(np.int64) - early.array.astype("datetime64[M]").view(np.int64)
    count = count - (add_months(early, Column(INTEGER, count)).array > late)
    return Column(INTEGER, np.where(back, -count, count), np.broadcast_to(state, count.shape))


def whole_years(start: Column, end: Column) -> Column:
    """Count complete years between moments: twelve complete months each."""
    months = whole_months(start, end)
    return months._replace(values=np.sign(months.array) * (np.abs(months.array) // 12))


def date_from(columns: Sequence[Column]) -> Column:
    """Make a day of its year, month and day; ``undefined`` where there is no such day."""
    year, month, day = np.broadcast_arrays(*(column.array for column in columns))
    bad = (year < 1) | (year > 9999) | (month < 1) | (month > 12) | (day < 1) | (day > 31)
    first = ((np.where(bad, 1970, year) - 1970) * 12 + np.where(bad, 1, month) - 1).astype("datetime64[M]")
    length = ((first + MONTH).astype("datetime64[D]") - first.astype("datetime64[D]")).astype(np.int64)
    bad = bad | (day > length)
    values = first.astype("datetime64[D]") + _span(np.where(bad, 0, day - 1), "D")
    return Column(DATE, values, undefined_where(bad, np.broadcast_to(first_missing(*columns), values.shape)))


def time_from(column: Column) -> Column:
    """Make a time of a whole number: 1745 is a quarter to six in the afternoon."""
    hours, minutes = np.divmod(column.array, 100)
    bad = (column.array < 0) | (hours > 23) | (minutes > 59)
    micro = np.where(bad, 0, (hours * 60 + minutes) * 60_000_000)
    return _made(TIME, micro, bad, column.states)
