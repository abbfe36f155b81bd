"""Read what is in quotes as a date, a datetime, a time or a duration."""

from datetime import date, datetime, time, timedelta

from comb.parsing.durations import read_duration
from comb.tables.value_texts import MICROSECOND

MOMENT_EXAMPLES = {
    "date": "'2026-05-01'", "datetime": "'2026-05-01 06:30'", "time": "'06:30'", "duration": "'PT1H30M' or '1 h 30 min'"
}  # fmt: skip


def read_moment(text: str, word: str) -> date | time | timedelta | None:
    """Read a text in ISO form as a type; None if it is no such thing.

    >>> read_moment("2026-05-01 06:30", "datetime"), read_moment("2 h", "duration")
    (datetime.datetime(2026, 5, 1, 6, 30), datetime.timedelta(seconds=7200))
    """
    try:
        if word == "date":
            return date.fromisoformat(text)
        if word == "datetime":
            return datetime.fromisoformat(text)
        if word == "time":
            found = time.fromisoformat(text)
            return found if found.tzinfo is None else None
    except ValueError:
        return None
    micro = read_duration(text)
    return None if micro is None else micro * MICROSECOND
