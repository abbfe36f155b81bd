"""Categories and nested values: columns whose values are given a further meaning."""

import json
from collections.abc import Mapping, Sequence

import numpy as np
from msgspec.structs import replace

from comb.errors import ParameterError, counted
from comb.tables.column import Column
from comb.tables.evidence import Candidate
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.types import JSON, Choice, category

# Most values of a category.
MOST_CHOICES = 10_000


def as_category(column: Column, values: Sequence[str] | None = None, labels: Mapping[str, str] | None = None) -> Column:
    """Return a column as a category: the same values, in a declared order, with labels.

    Parameters
    ----------
    column : Column
    values : sequence of str, optional
        The values that may occur, in order, as canonical text; by default those that do occur,
        in ascending order.
    labels : mapping of str to str, optional
        What values stand for.

    Returns
    -------
    Column
        Cells with a value that is not declared are missing, ``unreadable``, their text kept.

    Raises
    ------
    ParameterError
        If a label is given for a value that is not declared, or there are too many values.
    """
    base = column.type.plain
    plain = column._replace(type=base)
    found = plain.distinct()
    order = np.argsort(found.values._sort_ranks(), kind="stable")
    there = [text for text in found.values._take(order).texts() if text is not None]
    given = list(dict.fromkeys(values)) if values is not None else list(dict.fromkeys([*(labels or {}), *there]))
    if len(given) > MOST_CHOICES:
        raise ParameterError(
            f"expected a category of at most {MOST_CHOICES:,} values, got {len(given):,}",
            remedy="a column with as many different values is an identifier or free text: keep it as it is",
        )
    declared = set(given)
    strange = [value for value in labels or {} if value not in declared]
    if strange:
        raise ParameterError(
            f"there is a label for {strange[0]!r}, which is not one of the {counted(len(given), 'value')}"
        )
    kind = category(base, [Choice(value, (labels or {}).get(value, "")) for value in given])
    undeclared = {text for text in there if text not in declared}
    evidence = column.evidence
    if evidence is not None:
        fits = column.present.sum().item()
        evidence = replace(evidence, chosen=Candidate(kind, fits, 0), runner_up=None, declared=True)
    made = column._replace(type=kind, evidence=evidence)
    if not undeclared:
        return made
    texts = column.texts()
    wrong = [at for at, text in enumerate(texts) if text in undeclared]
    return _unreadable(made, wrong, texts)


def as_json(column: Column) -> Column:
    """Return a column of texts as nested values, each a document of JSON.

    Returns
    -------
    Column
        What is not JSON is missing, ``unreadable``, its text kept.
    """
    flags = column.text.flags(_is_json)
    made = column._replace(type=JSON)
    wrong = np.flatnonzero(~flags & column.present).tolist()
    return _unreadable(made, wrong, column.texts()) if wrong else made


def _is_json(text: str) -> bool:
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        return False
    return True


def _unreadable(column: Column, positions: Sequence[int], texts: Sequence[str | None]) -> Column:
    """Empty cells whose values do not fit, and keep their texts."""
    where = np.zeros(len(column), np.bool_)
    where[list(positions)] = True
    emptied = column._emptied(where, Reason.UNREADABLE)
    kept = {**emptied.kept.texts, **{at: texts[at] or "" for at in positions}}
    return emptied._replace(kept=Kept(kept))


def labels_of(column: Column) -> Column:
    """Return what the values of a category stand for; the values themselves where there is no label."""
    message = {level.value: level.label or level.value for level in column.type.choices}
    texts = [None if text is None else message.get(text, text) for text in column.texts()]
    return Column._of_strings(texts, state=column.states)
