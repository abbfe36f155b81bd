"""What CSV on the Web has no room for: why cells are empty, and the texts kept. Pure."""

from itertools import islice

import numpy as np

from comb.kernels.grouping import Codes
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER, STRING
from comb.writing.delimited import STANDARD, TextForm, csv_parts, rows_bytes

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
    parts = [rows_bytes([HEADER])]
    least = Reason.PRESENT if form.missing else Reason.BLANK
    plain = TextForm(disarm=form.disarm)
    for name, column in table.columns.items():
        places = np.flatnonzero(column.states > least)
        if len(places):
            parts += islice(csv_parts(_lines_of(table, name, places), plain), 1, None)
    return b"".join(parts)


def _lines_of(table: BareTable, name: str, places: Codes) -> BareTable:
    """Return the lines for the missing cells of one column as a table."""
    column = table[name]
    words = ["", *(reason.word for reason in Reason if reason)]
    kept = [column.kept.texts.get(at, "") for at in places.tolist()] if len(column.kept) else [""] * len(places)
    lines = (
        Column(INTEGER, places + 1),
        Column(INTEGER, table.row_numbers[places]),
        Column(STRING, Text.from_items([name], np.zeros(len(places), np.int64))),
        Column(STRING, Text.from_items(words, column.states[places].astype(np.int64))),
        Column(STRING, Text.from_items(kept), np.array([not text for text in kept], np.uint8)),
    )
    return BareTable(dict(zip(HEADER, lines, strict=True)))
