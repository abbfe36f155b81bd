"""The finding of a table whose columns begin at the same characters of every line, and are parted by nothing else.

Such a text has one column when it is read by delimiters. Its columns show as characters that are a space in all lines:
each run of them ends where the next column begins, whether its values are set to the left or to the right.
"""

import numpy as np

from comb.errors import counted, listing
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, everywhere
from comb.steps.shape_steps import Split
from comb.tables.names import unique_names

# In fewer lines, and with fewer columns, spaces agree by chance.
LEAST_ROWS = 3
LEAST_LONG = 5
LEAST_COLUMNS = 2
CERTAIN_COLUMNS = 3

# Lines are padded with runs of spaces in this share of the rows, and this share of a column's cells is filled.
LEAST_PADDED = 0.7
LEAST_FILLED = 0.5

# This many lines are looked at, and no further than this.
MOST_LINES = 2_000
LONGEST_LINE = 400


def columns_by_position(table: ColumnCache) -> Findings:
    """A single column of texts that are columns of fixed width."""
    if len(table.names) != 1 or table.row_count < LEAST_ROWS:
        return
    [name] = table.names
    column = table[name]
    if column.type.word != "string" or column.missing_count:
        return
    lines = [text or "" for text in column._take(np.arange(min(MOST_LINES, table.row_count))).texts()]
    widths = _widths(lines)
    if len(widths) < (LEAST_COLUMNS if len(lines) >= LEAST_LONG else CERTAIN_COLUMNS):
        return
    words = name.split()
    titles = words if len(words) == len(widths) else [f"part {at + 1}" for at in range(len(widths))]
    remedy = Split(column=name, widths=widths, new_columns=list(unique_names(titles)))
    text = f"{name} looks like {counted(len(widths), 'column')} of fixed width, "
    text += f"of {listing(list(map(str, widths)))} characters"
    yield Finding("layout.fixed_width", (name,), table.row_count, everywhere(table, column), (lines[0],), text, remedy)


def _widths(lines: list[str]) -> list[int]:
    """Return how many characters each column takes; none if lines are not set in columns.

    >>> _widths(["001  Jar      10", "002  Big lid   5", "003  Frame    12"])
    [5, 9, 2]
    """
    if sum("  " in line.strip() for line in lines) < LEAST_PADDED * len(lines) or max(map(len, lines)) > LONGEST_LINE:
        return []
    longest = max(map(len, lines))
    filled = np.array([[sign != " " for sign in line.ljust(longest)] for line in lines])
    used = np.logical_or.reduce(filled, axis=0)
    starts = np.flatnonzero(used & ~np.append(False, used[:-1]))
    ends = [*starts[1:].tolist(), longest]
    cells = [filled[:, start:end].any(axis=1).mean() for start, end in zip(starts.tolist(), ends, strict=True)]
    if not len(starts) or min(cells) < LEAST_FILLED:
        return []
    begins = [0, *starts[1:].tolist()]
    return [end - begin for begin, end in zip(begins, ends, strict=True)]
