"""Read back why cells are missing, from the cells file of a saved table. Pure."""

import csv
import io

import numpy as np

from comb.formats.formulas import armed_again
from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.reasons import REASON_WORDS


def apply_cells(
    columns: dict[str, Column], text: str, name: str, *, disarmed: bool = False, whole: bool = True
) -> list[str]:
    """Give cells the reasons and texts that a cells file names; changes the dict.

    Parameters
    ----------
    columns : dict of str to Column
        The columns as loaded; each cell named must be missing there.
    text : str
        The cells file.
    name : str
        What to call it in notes.
    disarmed : bool
        Whether texts that a spreadsheet program would run have an apostrophe in front.
    whole : bool
        Whether all rows of the table were read; else lines on those below are passed over.

    Returns
    -------
    list of str
        Notes on lines that name no missing cell of the table.
    """
    states = {title: column.states.copy() for title, column in columns.items()}
    kept = {title: dict(column.kept.texts) for title, column in columns.items()}
    strangers = 0
    written = armed_again if disarmed else str
    for row in csv.DictReader(io.StringIO(text, newline="")):
        title, reason = written(row.get("column") or ""), REASON_WORDS.get(row.get("reason") or "")
        record = row.get("record") or ""
        at = int(record) - 1 if record.isdecimal() else -1
        if not whole and title in states and at >= len(states[title]):
            continue
        if title not in states or reason is None or not 0 <= at < len(states[title]) or not states[title][at]:
            strangers += title in states
            continue
        states[title][at] = reason
        kept[title].pop(at, None)
        if row.get("text"):
            kept[title][at] = written(row["text"])
    for title, column in columns.items():
        if not np.array_equal(states[title], column.states) or kept[title] != column.kept.texts:
            columns[title] = column._replace(state=states[title], kept=Kept(kept[title]))
    return [f"{strangers:,} lines of {name} name no missing cell of the table"] if strangers else []
