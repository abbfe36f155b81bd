"""Convert a column that already has a type to another, losing nothing."""

from collections.abc import Collection, Sequence

import numpy as np

from comb.inference.infer import declared_column
from comb.inference.patterns import Request
from comb.inference.reader import Reading
from comb.tables.column import Column, Mask
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text

_KEEPS_TEXT = (Reason.MARKER, Reason.UNREADABLE)


def convert_column(
    column: Column,
    request: Request,
    *,
    missing: Collection[str] = (),
    marks: Reading | None = None,
) -> Column:
    """Return the column as another type, or the same with its kept texts read again.

    Parameters
    ----------
    column : Column
    request : Request
        Type and pattern asked for.
    missing : collection of str
        Texts that stand for missing.
    marks : Reading, optional
        How numbers are written in texts; by default as the texts speak for.

    Returns
    -------
    Column
        Values go by way of their canonical text; texts kept from reading are tried
        anew with the pattern and marks given. What does not fit is missing,
        ``unreadable``, and its text is kept.
    """
    texts = column.texts()
    kept = [column.kept.texts.get(at) for at in range(len(column))] if len(column.kept) else []
    if request.word == "decimal" and not request.pattern:
        request = _common_scale(request, texts, kept, marks)
    if column.type.word == "string":
        values = _read(texts, request, missing, marks)
    else:
        values = _read(texts, _without_pattern(request), missing, None)
    again = _read(kept, request, missing, marks) if kept else None
    return _combined(column, values, again)


def _read(texts: Sequence[str | None], request: Request, missing: Collection[str], marks: Reading | None) -> Column:
    text = Text.from_strings([text or "" for text in texts])
    return declared_column(text, request, missing=missing, marks=marks)


def _without_pattern(request: Request) -> Request:
    """Canonical dates are ISO dates, whatever pattern was asked for."""
    return request._replace(pattern="") if request.word == "date" else request


def _common_scale(
    request: Request, texts: Sequence[str | None], kept: Sequence[str | None], marks: Reading | None
) -> Request:
    """Give values and kept texts one scale: the most digits after the point in either."""
    scales = (_read(part, request, (), marks).type.scale for part in (texts, kept))
    scale = max(scales)
    return request._replace(pattern="0." + "0" * scale) if scale else request


def _combined(before: Column, values: Column, again: Column | None) -> Column:
    """Put values and reread texts together; what stays missing keeps its reason."""
    state = np.where(before.missing, before.states, values.states)
    kept = {**before.kept.texts, **values.kept.texts}
    filled, evidence = values.values, values.evidence
    description = values.description or before.description
    if again is not None:
        state[again.present] = Reason.PRESENT
        state[again.states == Reason.MARKER] = Reason.MARKER
        filled, evidence = _overlaid(values, again), again.evidence
        description = again.description or description
    holding = np.isin(state, _KEEPS_TEXT)
    return Column(
        values.type,
        filled,
        state,
        kept=Kept({at: text for at, text in kept.items() if holding[at]}),
        evidence=evidence,
        description=description,
    )


def _overlaid(under: Column, over: Column) -> Text | np.ndarray:
    """Return the values of one column with those another has laid over them."""
    shown: Mask = over.present
    if isinstance(under.values, Text):
        pairs = zip(over.text.to_list(), under.text.to_list(), shown.tolist(), strict=True)
        return Text.from_strings([upper if show else lower for upper, lower, show in pairs])
    return np.where(shown, over.array, under.array)
