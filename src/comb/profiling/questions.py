"""Questions to people who know the subject: the doubtful cells and rows of a table, one in each line of a sheet.

A finding can say that a value is odd; whether it is wrong only those know who were there. So each doubtful cell becomes
a line: where it stood, what it is, which row it belongs to, what is doubtful about it, what the remedy would make of
it, and two empty cells for the answer and a remark. A plan takes the sheet back (``answers:``, `comb.plans.answers`).

Only findings about single cells or rows are asked, and none whose remedy is certain. A finding with more lines than
`MOST_OF_A_FINDING` is asked by its first rows, and says so: nobody answers thousands of questions.
"""

from collections.abc import Iterator, Sequence

import numpy as np

from comb.errors import CombError
from comb.kernels.grouping import Codes
from comb.profiling.finding import Finding
from comb.steps.accounting import Taken, shown_cell, take_step
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER, STRING

MOST_OF_A_FINDING = 200

# Columns of the sheet.
SHEET = (
    "question",
    "code",
    "row",
    "place",
    "column",
    "value",
    "record",
    "doubt",
    "proposal",
    "answer",
    "remark",
    "allowed",
)

# What may be answered besides a value.
PROPOSED, RIGHT, LEAVE_OUT = "as proposed", "is right", "leave out"

# Findings about single cells that only somebody who knows can settle.
_CELLS = frozenset({
    "type.unreadable", "value.outlier", "value.impossible", "value.future", "text.spelling", "text.pattern",
    "text.length", "text.encoding", "relation.computed", "relation.lookup", "relation.order", "missing.stand_in",
    "value.total", "type.rounded",
})  # fmt: skip

# And about whole rows.
_ROWS = frozenset({"duplicate.key", "duplicate.near", "layout.totals"})

# A key of a row has columns with this share of different values.
LEAST_DIFFERENT = 0.9
MOST_KEYS = 2


def question_table(table: BareTable, findings: Sequence[Finding]) -> BareTable:
    """Return the questions that findings raise, as a table to be saved.

    Parameters
    ----------
    table : BareTable
        As loaded.
    findings : sequence of Finding

    Returns
    -------
    BareTable
        A row for each question, in the order of the findings. Cost: each remedy is taken once.
    """
    keys = _keys(table)
    lines = [line for finding in findings for line in _lines(table, finding, keys)]
    rows = [[str(number), *line] for number, line in enumerate(lines, 1)]
    columns: dict[str, Column] = {}
    for at, name in enumerate(SHEET):
        texts = [row[at] for row in rows]
        if name in ("question", "row"):
            columns[name] = Column(INTEGER, np.array([int(text) for text in texts], np.int64))
        else:
            state = np.array([not text for text in texts], np.uint8) * np.uint8(Reason.BLANK)
            columns[name] = Column(STRING, Text.from_strings(texts), state)
    return BareTable(columns, notes=(f"questions about {table.origin.name}",))


def _keys(table: BareTable) -> list[str]:
    """Return the columns by which a person knows a row."""
    rows = table.row_count
    found = [
        name
        for name, column in table.columns.items()
        if column.type.word in ("string", "integer")
        and not column.missing_count
        and rows
        and len(column.distinct()) >= LEAST_DIFFERENT * rows
    ]
    return found[:MOST_KEYS]


def _lines(table: BareTable, finding: Finding, keys: Sequence[str]) -> Iterator[list[str]]:
    """Write a line for each doubtful cell or row of a finding."""
    if finding.code not in _CELLS | _ROWS or not len(finding.rows):
        return
    positions = np.flatnonzero(np.isin(table.row_numbers, finding.rows))
    taken = _tried(table, finding)
    by_row = finding.code in _ROWS
    asked = positions[:MOST_OF_A_FINDING]
    cut = f" (the first {len(asked)} of {len(positions):,} are asked)" if len(asked) < len(positions) else ""
    names = [""] if by_row else [name for name in finding.columns if name in table][-1:]
    for position in asked.tolist():
        row = int(table.row_numbers[position])
        record = ", ".join(f"{name} {shown_cell(table[name], position)}" for name in keys)
        for name in names:
            proposal = _proposal(taken, position, name)
            value = _value(table[name], position) if name else ""
            allowed = [*([PROPOSED] if proposal else []), RIGHT, LEAVE_OUT, *([] if by_row else ["the right value"])]
            yield [
                finding.code, str(row), table.place(row, name or None), name, value, record, finding.text + cut,
                proposal, "", "", " | ".join(allowed),
            ]  # fmt: skip


def _value(column: Column, position: int) -> str:
    """Return a cell as it is written down: of one that was not read its text, of a missing one nothing."""
    kept = column.kept.texts.get(position)
    return kept if kept is not None else column._take(np.array([position])).texts()[0] or ""


def _tried(table: BareTable, finding: Finding) -> Taken | None:
    """Take the remedy of a finding, to see what it makes of each cell."""
    if finding.remedy is None:
        return None
    try:
        return take_step(finding.remedy, table)
    except CombError:
        return None


def _proposal(taken: Taken | None, position: int, name: str) -> str:
    """Say what the remedy makes of a cell or row; empty if nothing."""
    if taken is None:
        return ""
    record = taken.record
    if any(_among(rows, position) for rows in record.gone.values()):
        return LEAVE_OUT
    if name not in record.cells:
        return ""
    after = position if record.sources is None else int(np.flatnonzero(record.sources == position)[0])
    at = record.cells[name].at(after)
    if at < 0:
        return ""
    changes = record.cells[name]
    if changes.after.missing[at]:
        return f"({Reason(int(changes.after.states[at])).word})"
    return changes.after.texts()[at] or ""


def _among(rows: Codes, position: int) -> bool:
    at = int(np.searchsorted(rows, position))
    return at < len(rows) and int(rows[at]) == position
