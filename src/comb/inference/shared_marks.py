"""Which mark is before the decimals in a whole source: columns of one file are written by one hand.

In 1.300 the point can be before decimals or between thousands. Where all numbers of a column leave that open, the other
columns of the source decide: a single 31.5 or 1.234,5 elsewhere proves what the point is. Two columns that prove
different things prove nothing for a third, and then it stays text, with a finding.
"""

from collections.abc import Iterable

from comb.tables.column import Column
from comb.tables.evidence import AMBIGUOUS_COMMA, AMBIGUOUS_POINT, Evidence

_OTHER_MARK = {".": ",", ",": "."}


def is_open(column: Column) -> bool:
    """Return whether a column of texts would be numbers if it were known what its marks are."""
    evidence = column.evidence
    return evidence is not None and any(doubt in evidence.why for doubt in (AMBIGUOUS_COMMA, AMBIGUOUS_POINT))


def shared_decimal_mark(columns: Iterable[Column]) -> str:
    """Return the decimal mark that the columns of a source prove; empty if none does, or several do."""
    proven = {
        _proven_mark(column.evidence) for column in columns if column.evidence is not None and not is_open(column)
    }
    marks = proven - {""}
    return marks.pop() if len(marks) == 1 else ""


def _proven_mark(evidence: Evidence) -> str:
    """Return the decimal mark that the numbers of a column prove: by their decimals, or by their groups."""
    parser, kind = evidence.chosen.parser, evidence.chosen.type
    if parser is None or not kind.numeric or evidence.declared:
        return ""
    if parser.group_mark in _OTHER_MARK:
        return _OTHER_MARK[parser.group_mark]
    return parser.decimal_mark if kind.word in ("decimal", "number") else ""
