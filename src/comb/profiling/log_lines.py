r"""Lines of a log, each read as one text: a moment, perhaps a level, and what happened.

``2024-06-01 12:00:01,003 INFO [queue] started`` can be neither counted by hour nor by level. The formulas take the
moment, in ISO form with or without fractions of a second, and the level out of each line; the message is all that
stands behind the moment, so that nothing is lost. They are offered where every line begins with a moment: one that
does not, as below a failure, belongs to the line before it, and that is for a person to say.
"""

from collections.abc import Sequence
from datetime import datetime

import numpy as np

from comb.errors import CombError, agree, counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes
from comb.profiling.built_texts import LEAST_READ, LOOKED_AT, part_in
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings
from comb.steps.column_steps import Calculate
from comb.tables.column import Column
from comb.tables.names import unique_names
from comb.tables.table import BareTable

# Fewer lines are no log, and of more than this a profile does not look at each.
LEAST_LINES = 5
MOST_LINES = 2_000_000

# This many lines show that the formulas are right.
MOST_PROVEN = 2_000

_MOMENT = r"[0-9]{4}-[0-9]{2}-[0-9]{2}[ T][0-9]{2}:[0-9]{2}:[0-9]{2}(?:[.,][0-9]{1,9})?"
_ZONE = r"(?:Z|\s?[+-][0-9]{2}:?[0-9]{2})"
_LINE = lazy_pattern(rf"\s*\[?(?P<moment>{_MOMENT})(?P<zone>{_ZONE})?\]?\s+(?P<message>\S(?:.*\S)?)\s*", needs=":")
_LEVELS = "TRACE|DEBUG|INFO|NOTICE|WARN|WARNING|ERROR|CRITICAL|FATAL"
_LEVEL = lazy_pattern(rf"(?:^|[^A-Za-z0-9])({_LEVELS})(?:[^A-Za-z0-9]|$)")


def log_lines(table: ColumnCache) -> Findings:
    """Texts that are lines of a log."""
    # The new columns of one are not those of another.
    taken = list(table.names)
    for name, column in table.columns.items():
        if column.type.word != "string" or table.present_count(name) < LEAST_LINES:
            continue
        first = [text for text in column._take(np.arange(min(LOOKED_AT, len(column)))).texts() if text]
        if sum(_LINE.fullmatch(text) is not None for text in first) < LEAST_READ * len(first):
            continue
        if len(set(first)) < LEAST_LINES or column.text.item_count > MOST_LINES:
            continue
        places = np.flatnonzero(column.present)
        lines = column.text.flags(lambda text: _LINE.fullmatch(text) is not None) & column.present
        count = int(np.count_nonzero(lines))
        others = len(places) - count
        if count < LEAST_READ * len(places):
            continue
        text = f"{counted(count, 'cell')} of {name} are lines of a log: a moment, and what happened"
        if others:
            text += f"; {counted(others, 'other')} {agree(others, 'begins', 'begin')} with none and may go on with the "
            text += "line above"
        remedy = None if others else _parted(name, column, places, taken)
        text += "; they are not all written in one way" if remedy is None and not others else ""
        taken += [] if remedy is None else remedy.columns
        yield Finding("text.log_lines", (name,), count, table.rows_where(lines), (first[0],), text, remedy)


def _parted(name: str, column: Column, places: Codes, names: Sequence[str]) -> Calculate | None:
    """Return the step that calculates a column of moments, of levels where there are some, and of messages."""
    every = (len(places) - 1) // MOST_PROVEN + 1
    texts = [text or "" for text in column._take(places[::every]).texts()]
    levels = [_LEVEL.search(text) for text in texts]
    *_, time, level, message = unique_names([*names, "time", "level", "message"])
    # Moments with an offset are of the whole world, others of a place: no column has both.
    found = _LINE.fullmatch(texts[0])
    moment = _MOMENT + _ZONE if found is not None and found["zone"] else _MOMENT
    begin = rf"^\s*\[?({moment})\]?\s"
    columns = {time: f"cast(replace({part_in(name, begin)}, ',', '.') as datetime)"}
    if all(levels):
        columns[level] = part_in(name, f"(?:^|[^A-Za-z0-9])({_LEVELS})(?:[^A-Za-z0-9]|$)")
    # To look for the spaces at the end in the pattern takes twice as long as to find the message.
    said = part_in(name, rf"^\s*\[?{moment}\]?\s+(\S.*)$")
    columns[message] = f"trim({said})" if any(text != text.rstrip() for text in texts) else said
    made = Calculate(columns=columns)
    return made if _gives(made, name, texts) else None


def _gives(step: Calculate, name: str, texts: Sequence[str]) -> bool:
    """Return whether a step gives for each line its moment and its message."""
    try:
        made = step.apply(BareTable({name: Column._of_strings(list(texts))})).table
    except CombError:
        return False
    time, *_, message = step.columns
    moments = made[time].to_list()
    for text, moment, said in zip(texts, moments, made[message].texts(), strict=True):
        found = _LINE.fullmatch(text)
        if found is None or said != found["message"]:
            return False
        written = found["moment"].replace(",", ".") + (found["zone"] or "").strip()
        try:
            if moment != datetime.fromisoformat(written):
                return False
        except ValueError:
            # There is no such day.
            return False
    return True
