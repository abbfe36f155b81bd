"""Records whose fields stand below each other: names of fields in one column, their values in the other."""

from collections import Counter

import numpy as np

from comb.errors import counted, listing
from comb.kernels.notation import shape_of
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, everywhere
from comb.profiling.missing_patterns import never_meets
from comb.steps.wide_steps import ToWide

# At least this many records, of at most this many fields, each of which is in this share of them on average.
LEAST_RECORDS = 3
MOST_FIELDS = 50
LEAST_FILLED = 0.5

# Of this many values of a field, this share is of one kind.
LOOKED_AT = 100
LEAST_OF_KIND = 0.8


def stacked_fields(table: ColumnCache) -> Findings:
    """Two columns of which the first has the same few names again and again, and the other values of several kinds."""
    if len(table.names) != 2:
        return
    label, value = table.names
    names, values = table[label], table[value]
    if names.type.word != "string" or values.type.word != "string" or names.missing_count or not table.row_count:
        return
    fields = table.different(label)
    if not 2 <= fields <= MOST_FIELDS or table.row_count < LEAST_RECORDS * 2:
        return
    codes = names._codes()
    starts = codes == codes[0]
    records = np.cumsum(starts) - 1
    count = int(records[-1]) + 1
    if count < LEAST_RECORDS or table.row_count < LEAST_FILLED * count * fields or not never_meets(records, codes):
        return
    kinds = {_kind([text for text in values._take(rows[:LOOKED_AT]).texts() if text]) for rows in _rows_of(codes)}
    if not kinds >= {"word", "value"}:
        # Values of one kind are those of one field, for each of its groups.
        return
    [first] = names._take(np.zeros(1, np.int64)).texts()
    shown = names.distinct().commonest(3)
    some = listing([one for one, _ in shown])
    text = f"{label} has the names of {counted(fields, 'field')} again and again ({some}), {value} their values: "
    text += f"{counted(count, 'record')} whose fields stand below each other, each from {first!r} on"
    remedy = ToWide(heading_column=label, value_column=[value], begins=first)
    yield Finding("layout.stacked_fields", (label, value), table.row_count, everywhere(table, names), (), text, remedy)


def _rows_of(codes: np.ndarray) -> list[np.ndarray]:
    order = np.argsort(codes, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(codes[order])) + 1)


def _kind(texts: list[str]) -> str:
    """Return what nearly all texts are, words or values such as numbers and days; empty if they are mixed."""
    kinds = Counter("word" if any(map(str.isalpha, text)) and not shape_of(text.strip()) else "value" for text in texts)
    kind, most = kinds.most_common(1)[0] if kinds else ("", 0)
    return kind if most >= LEAST_OF_KIND * len(texts) else ""
