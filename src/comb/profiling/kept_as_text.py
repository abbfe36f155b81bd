"""Values that are hidden in columns of texts: the 999 among ages that some words keep from being numbers.

A column that is text although most of its values are numbers or days has a finding that says so, with the step that
converts it. What would be found among its values after that step is found now: whoever reads a profile once, and takes
its steps at once, would else never hear of it.

The column is converted aside, by the step that was proposed, and the finders of single values look at what comes of it.
Their findings hold for the cells as they are, since a row is the same row before and after. A remedy has to do the
same to the texts, so it is kept only if it is a conversion that is seen to make missing what was found, nothing else.
"""

from collections.abc import Iterable, Sequence
from datetime import date

import numpy as np
from msgspec.structs import replace

from comb.errors import CombError
from comb.kernels.types import IS_KNOWN
from comb.profiling import missing, values
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, noticed
from comb.steps.cell_steps import Convert
from comb.tables.table import BareTable

# What says that a column of texts is mostly of another type.
SAYING = frozenset({"type.unreadable", "type.text_numbers", "type.text_dates"})

# At least this share of the values has to be of the other type: of fewer, nothing is unusual.
LEAST_CONVERTED = 0.75

# A code for missing is written in no more ways than this.
MOST_WRITTEN = 10

# In this order: a code for missing is not reported again as far outside.
LOOKED_FOR = (missing.stand_ins, missing.zeros, values.impossible, values.outliers, values.future)


def kept_as_text(table: ColumnCache, findings: Iterable[Finding], as_of: date | None = None) -> Sequence[Finding]:
    """Look among the values of columns that are text although they could be converted.

    Parameters
    ----------
    table : ColumnCache
    findings : iterable of Finding
        What was found so far: it says which columns these are, and how they are converted.
    as_of : date, optional
        The day that counts as today.

    Returns
    -------
    sequence of Finding
        Cost: a conversion of each such column and a look at its values.
    """
    steps = {one.columns[0]: one.remedy for one in findings if one.code in SAYING and isinstance(one.remedy, Convert)}
    found: list[Finding] = []
    for name, step in steps.items():
        column = table[name]
        if column.type.word != "string" or list(step.columns) != [name]:
            continue
        alone = BareTable({name: column}, row_numbers=table.row_numbers, storage=table._storage)
        try:
            made = step.apply(alone).table
        except CombError:
            continue
        present = int(np.count_nonzero(made[name].present))
        values_of_any_type = int(np.count_nonzero(column.present & ~noticed(column, IS_KNOWN)))
        if made[name].type.textual or not present or present < LEAST_CONVERTED * values_of_any_type:
            continue
        cache = ColumnCache.at(made, as_of)
        for finder in LOOKED_FOR:
            some = list(finder(cache))
            for one in some:
                cache.tell(name, one.rows, surely=one.code != "value.outlier")
            found += [_of_texts(one, alone, made, step) for one in some]
    return found


def _of_texts(finding: Finding, texts: BareTable, made: BareTable, step: Convert) -> Finding:
    """Return a finding about converted values as one about the texts."""
    [name] = finding.columns
    remedy = finding.remedy
    if isinstance(remedy, Convert):
        # As the texts are and as they are once the column is converted, whichever is done first.
        where = np.flatnonzero(np.isin(texts.row_numbers, finding.rows))
        written = [text for text, _ in texts[name]._take(where).distinct().commonest(MOST_WRITTEN)]
        remedy = replace(step, missing=list(dict.fromkeys([*step.missing, *remedy.missing, *written])))
    kept = remedy if isinstance(remedy, Convert) and _takes_out(remedy, texts, made, finding) else None
    return replace(finding, text=f"{finding.text}, once {name} is read as {made[name].type}", remedy=kept)


def _takes_out(step: Convert, texts: BareTable, made: BareTable, finding: Finding) -> bool:
    """Return whether a step makes the cells of a finding missing, and else does what the conversion does."""
    [name] = finding.columns
    try:
        column = step.apply(texts).table[name]
    except CombError:
        return False
    where = np.isin(made.row_numbers, finding.rows)
    return column.type == made[name].type and np.array_equal(column.missing, made[name].missing | where)
