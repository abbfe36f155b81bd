"""What CSV on the Web has no room for: why cells are empty, and the texts kept. Pure."""

import numpy as np

from comb.formats.formulas import disarmed
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.writing.delimited import STANDARD, TextForm, rows_bytes

HEADER = ["record", "source_row", "column", "reason", "text"]


def cells_bytes(table: BareTable, form: TextForm = STANDARD) -> bytes:
    """List every missing cell but the plain blanks.

    Blank cells are left out, since an empty field says as much, unless the form puts a word in them.

    Returns
    -------
    bytes
        Comma-separated: the record in the saved table, the row number in the source,
        the column, the reason, and the text that was kept.
    """
    rows = [HEADER]
    least = Reason.PRESENT if form.missing else Reason.BLANK
    written = disarmed if form.disarm else str
    for name, column in table.columns.items():
        for at in np.flatnonzero(column.states > least).tolist():
            reason = Reason(int(column.states[at])).word
            kept = column.kept.texts.get(at, "")
            rows.append([str(at + 1), str(table.row_numbers[at]), written(name), reason, written(kept)])
    return rows_bytes(rows)
