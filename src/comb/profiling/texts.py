"""Findings about texts that differ only by spaces, case or punctuation."""

import re

from comb.errors import agree, counted
from comb.kernels.types import INNER_SPACES, OUTER_SPACES
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, noticed, quoted
from comb.steps.cell_steps import Recode, Trim, tidied
from comb.tables.column import Column

# A column with more distinct texts than this share of its cells is free text or a key.
MOST_DISTINCT = 0.5

# And so is one with more than this, however many cells it has.
MOST_FORMS = 100_000

_WORD = re.compile(r"[^\W_]+")


def spaces(table: ColumnCache) -> Findings:
    """Texts with outer spaces or with several spaces in a row."""
    for name, column in table.columns.items():
        if column.type.word != "string":
            continue
        where = noticed(column, OUTER_SPACES | INNER_SPACES)
        count = int(where.sum())
        if not count:
            continue
        words = dict(column.take(where.nonzero()[0]).distinct().commonest(MOST_EXAMPLES))
        inner = noticed(column, INNER_SPACES)
        text = f"{counted(count, 'cell')} of {name} {agree(count, 'has', 'have')} outer or repeated spaces"
        remedy = Trim(columns=[name], inner=bool(inner.any()))
        yield Finding("text.spaces", (name,), count, table.rows_where(where), quoted(words), text, remedy)


def folded(text: str) -> str:
    """Return what is left of a text without case, spaces and punctuation.

    >>> folded("Old Mill."), folded("OLD-MILL")
    ('oldmill', 'oldmill')
    """
    letters = "".join(_WORD.findall(text.casefold()))
    return letters if not letters.isdigit() else text


def spelling_by_case(table: ColumnCache) -> Findings:
    """Values that differ from a commoner one by case or punctuation only."""
    for name, column in table.columns.items():
        variants = _variants(column) if column.type.word == "string" else {}
        if not variants:
            continue
        where = column.text.flags(lambda text, known=variants: tidied(text) in known) & column.present  # type: ignore[misc]
        count = int(where.sum())
        examples = tuple(f"{old!r} for {new!r}" for old, new in list(variants.items())[:MOST_EXAMPLES])
        differ = agree(count, "differs", "differ")
        text = f"{counted(count, 'cell')} of {name} {differ} from a commoner value only by case or punctuation"
        remedy = Recode(column=name, values=dict(variants))
        yield Finding("text.case", (name,), count, table.rows_where(where), examples, text, remedy)


def _variants(column: Column) -> dict[str, str]:
    """Return each rarer form, without needless spaces, with the commonest of its group."""
    if column.text.item_count > MOST_FORMS:
        return {}
    distinct = column.distinct()
    if len(distinct) > MOST_DISTINCT * len(column):
        return {}
    forms: dict[str, dict[str, int]] = {}
    for text, count in distinct.commonest(len(distinct)):
        form = tidied(text)
        group = forms.setdefault(folded(form), {})
        group[form] = group.get(form, 0) + count
    result = {}
    for key, group in forms.items():
        if key and len(group) > 1:
            best = max(group, key=lambda form: (group[form], form))
            result.update({form: best for form in sorted(group) if form != best})
    return result
