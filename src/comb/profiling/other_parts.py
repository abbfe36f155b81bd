"""Parts of another file below those of the first: a header in another order, rows by another delimiter.

Exports that were put below each other have their headers among the rows. Where such a header has the names in another
order, the rows below it were read under the names of the first one, and no value is where it seems to be. Which names
are meant is certain, but no step moves cells of some rows to other columns: the parts have to be read by themselves.
The same holds of rows that another program parted by another delimiter: they are too short, and their cells hold
several.
"""

import numpy as np

from comb.errors import agree, counted, listing
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.kernels.string_buffer import pack
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.text import Text

# A row names columns if this many of its cells, and this share of all, are names, each of another column.
LEAST_CELLS = 3
LEAST_SHARE = 0.8

# More such rows than this are values that look like names.
MOST_ROWS = 100


def other_headers(table: ColumnCache) -> Findings:
    """Rows that name the columns in another order than the header does."""
    names = table.names
    if len(names) < LEAST_CELLS:
        return
    named = np.zeros(table.row_count, np.int32)
    wanted = pack(sorted({name.strip() for name in names}))
    for column in table.columns.values():
        named[_with_names(column, wanted.offsets, dispatch.kernels.fingerprints(wanted))] += 1
    least = max(LEAST_CELLS, LEAST_SHARE * len(names))
    found: dict[int, list[str]] = {}
    for at in np.flatnonzero(named >= least)[:MOST_ROWS].tolist():
        cells = [(_texts_at(column, np.array([at]))[0] or "").strip() for column in table.columns.values()]
        here = [cell for cell in cells if cell in names]
        moved = any(cell in names and cell != name for cell, name in zip(cells, names, strict=True))
        if moved and len(here) >= least and len(set(here)) == len(here):
            found[at] = here
    if not found or len(found) == MOST_ROWS:
        return
    rows = np.array(sorted(found), np.int64)
    numbers = table.row_numbers[rows]
    first = found[int(rows[0])]
    below = int((rows[1] if len(rows) > 1 else table.row_count) - rows[0] - 1)
    says = f"row {numbers[0]:,} names the columns in another order: {listing(first, MOST_NAMED)}; the "
    says += f"{counted(below, 'row')} below it {agree(below, 'was', 'were')} read under the names of the header"
    if len(rows) > 1:
        says += f"; so {agree(len(rows) - 1, 'does', 'do')} {counted(len(rows) - 1, 'other row')}"
    where = np.zeros(table.row_count, np.bool_)
    where[rows] = True
    examples = tuple(", ".join(found[at]) for at in rows[:MOST_EXAMPLES].tolist())
    yield Finding("layout.other_header", (), len(rows), table.rows_where(where), examples, says)


def other_delimiters(table: ColumnCache) -> Findings:
    """Rows that are too short, and as long as the others if another delimiter parts them."""
    own, width = table.origin.options.delimiter, len(table.names)
    if own not in OTHERS or width < LEAST_CELLS:
        return
    short = np.flatnonzero(table.columns[table.names[-1]].states == Reason.ABSENT)
    looked = short[:MOST_SHORT]
    cells = [_texts_at(column, looked) for column in table.columns.values()]
    lines = [own.join(text for text in row if text is not None) for row in zip(*cells, strict=True)]
    for other in OTHERS:
        fits = np.array([line.count(other) == width - 1 for line in lines], np.bool_)
        count = int(fits.sum())
        if other == own or count < LEAST_SHORT:
            continue
        rows = looked[fits]
        says = (
            f"{counted(count, 'row')} {agree(count, 'has', 'have')} too few cells; parted by {_SPOKEN[other]} and not"
        )
        says += f" by {_SPOKEN[own]} {agree(count, 'it has', 'they have')} {width}, as the others"
        where = np.zeros(table.row_count, np.bool_)
        where[rows] = True
        examples = tuple(repr(line) for line, one in zip(lines, fits, strict=True) if one)[:MOST_EXAMPLES]
        yield Finding("layout.other_delimiter", (), count, table.rows_where(where), examples, says)


# What parts cells, and how it is said.
_SPOKEN = {",": "a comma", ";": "a semicolon", "\t": "a tab", "|": "a bar"}
OTHERS = tuple(_SPOKEN)

# A single row may be chance. No more than these are looked at.
LEAST_SHORT = 2
MOST_SHORT = 10_000

# Names that are listed.
MOST_NAMED = 8


def _with_names(column: Column, offsets: Codes, prints: np.ndarray) -> Codes:
    """Return the positions of the cells whose text, read or kept, has the fingerprint of a name."""
    if column.type.word != "string":
        kept = column.kept.texts
        if not kept:
            return np.zeros(0, np.int64)
        texts = pack([text.strip() for text in kept.values()])
        return np.array(list(kept), np.int64)[np.isin(dispatch.kernels.fingerprints(texts), prints)]
    text = column.text
    # Most texts are as long as no name.
    alike = np.flatnonzero(np.isin(np.diff(text.offsets), np.diff(offsets)))
    some = Text(text.buffer, text.offsets).take(alike).packed()
    items = alike[np.isin(dispatch.kernels.fingerprints(some), prints)]
    if not len(items):
        return items
    return np.flatnonzero(np.isin(text.numbers(), items) & column.present)


def _texts_at(column: Column, rows: Codes) -> list[str | None]:
    """Return the texts of the cells in some rows, read or kept; None where they are missing."""
    taken = column._take(rows)
    return [taken.kept.texts.get(at, text) for at, text in enumerate(taken.texts())]
