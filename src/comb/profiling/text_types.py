"""Numbers, dates, times and answers of yes and no that a source keeps as texts.

Cells of workbooks, JSON and databases have the type that they were stored with, and values from Python theirs: what is
text there stays text. Whether it would be something else is found out as for a delimited file, from all of the texts.
"""

from comb.kernels.types import IS_KNOWN
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, everywhere, noticed, quoted
from comb.profiling.other_types import read_as
from comb.tables.evidence import STORED_AS_TEXT, stored_as_text
from comb.tables.types import STRING

_CODES = {"boolean": "type.text_booleans"}


def text_types(table: ColumnCache) -> Findings:
    """Columns of texts that all are numbers, dates, times, or answers of yes and no."""
    for name, column in table.columns.items():
        evidence = table.read_as_text(name)
        if evidence is None or evidence.declared or evidence.chosen.type == STRING:
            continue
        likely = evidence.chosen
        known = noticed(column, IS_KNOWN)
        present = column.present & ~known
        if likely.fits != present.sum() or likely.type.word not in STORED_AS_TEXT:
            continue
        remedy = read_as(name, column, likely, known)
        if remedy is None:
            continue
        kind = likely.type
        text = f"{name} is string: {stored_as_text(kind, '' if kind.numeric else likely.pattern)}"
        examples = quoted(dict(column._take(present.nonzero()[0]).distinct().commonest(MOST_EXAMPLES)))
        code = "type.text_numbers" if kind.numeric else _CODES.get(kind.word, "type.text_dates")
        yield Finding(code, (name,), likely.fits, everywhere(table, column), examples, text, remedy)
