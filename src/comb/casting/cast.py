"""Convert a column that already has a type to another, losing nothing."""

import decimal as exact
import json
from collections.abc import Callable, Collection, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.casting.rules import check_pair
from comb.errors import ParameterError, listing
from comb.inference.decide import declared_column
from comb.parsing.cell_parser import CellParser
from comb.parsing.patterns import MOMENTS, Request, decimal_scale
from comb.tables.categories import as_category
from comb.tables.column import Column, Mask
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import BOOLEAN, DATE, DATETIME, DURATION, JSON, TIME, Type

_KEEPS_TEXT = (Reason.MARKER, Reason.UNREADABLE)
A_DAY = np.timedelta64(1, "D")
HALF_A_DAY = np.timedelta64(12, "h")

# No whole number is as large.
BEYOND = 10**19

# How what does not fit exactly is rounded.
ROUNDINGS = {
    "nearest": exact.ROUND_HALF_UP, "nearest_even": exact.ROUND_HALF_EVEN, "down": exact.ROUND_FLOOR,
    "up": exact.ROUND_CEILING,
}  # fmt: skip


def convert_column(
    column: Column,
    request: Request,
    *,
    missing: Collection[str] = (),
    marks: CellParser | None = None,
    rounding: str | None = None,
) -> Column:
    """Return the column as another type, or the same with its kept texts read again.

    Parameters
    ----------
    column : Column
    request : Request
        Type and pattern asked for.
    missing : collection of str
        Texts that mean missing.
    marks : CellParser, optional
        How numbers are written in texts; by default as the texts speak for.
    rounding : str, optional
        One of `ROUNDINGS`: numbers with more digits than the type has, and datetimes that
        become dates, are rounded so. By default they do not fit.

    Returns
    -------
    Column
        Values go by way of their canonical text; texts kept from reading are tried
        anew with the pattern and marks given. What does not fit is missing,
        ``unreadable``, and its text is kept.

    Raises
    ------
    ParameterError
        For types of which none can become the other; see `comb.casting.rules`.
    """
    if rounding is not None and rounding not in ROUNDINGS:
        raise ParameterError(f"there is no rounding {rounding!r}", remedy=f"allowed: {listing(list(ROUNDINGS))}")
    check_pair(column.type.word, request.word, request.pattern)
    if request.word == "category":
        return as_category(column)
    plain = column._replace(type=column.type.plain) if column.type.base else column
    direct = _DIRECT.get((plain.type.word, request.word))
    kept = [plain.kept.texts.get(at) for at in range(len(plain))] if len(plain.kept) else []
    if direct is not None:
        kind, values, fits = direct(plain.array, rounding)
        made = _with_misfits(plain, kind, values, fits)
        reread_texts = _read(kept, request, missing, marks) if kept else None
        return _combined(plain, made, reread_texts)
    texts = _as_texts(plain, request, quoted=column.type.base is not None)
    if request.word == "decimal" and not request.pattern:
        request = _common_scale(request, texts, kept, marks)
    if rounding is not None and plain.type.numeric and request.word in ("integer", "decimal"):
        texts = _rounded(texts, decimal_scale(request.pattern) if request.word == "decimal" else 0, rounding)
    if plain.type.textual:
        values_read = _read(texts, request, missing, marks)
    else:
        values_read = _read(texts, _canonical(request, plain.type), missing, None)
    reread_texts = _read(kept, request, missing, marks) if kept else None
    return _combined(plain, values_read, reread_texts)


Direct = tuple[Type, NDArray[Any], Mask]


def _date_of(values: NDArray[Any], rounding: str | None) -> Direct:
    days = values.astype("datetime64[D]")
    midnight = days == values
    if rounding in ("nearest", "nearest_even"):
        days, midnight = (values + HALF_A_DAY).astype("datetime64[D]"), np.ones(len(values), np.bool_)
    elif rounding is not None:
        days = days + (~midnight & (rounding == "up")) * A_DAY
        midnight = np.ones(len(values), np.bool_)
    return DATE, days, midnight


def _boolean_of(values: NDArray[Any], rounding: str | None) -> Direct:
    return BOOLEAN, values == 1, (values == 1) | (values == 0)


def _time_of(values: NDArray[Any], rounding: str | None) -> Direct:
    return TIME, values, (values >= np.timedelta64(0, "us")) & (values < A_DAY)


def _all(values: NDArray[Any]) -> Mask:
    return np.ones(len(values), np.bool_)


_DIRECT: dict[tuple[str, str], Callable[[NDArray[Any], str | None], Direct]] = {
    ("date", "datetime"): lambda values, _: (DATETIME, values.astype("datetime64[us]"), _all(values)),
    ("datetime", "date"): _date_of,
    ("time", "duration"): lambda values, _: (DURATION, values, _all(values)),
    ("duration", "time"): _time_of,
    ("integer", "boolean"): _boolean_of,
    ("number", "boolean"): _boolean_of,
}


def _with_misfits(column: Column, kind: Type, values: NDArray[Any], fits: Mask) -> Column:
    """Make a column of values, some of which do not fit."""
    wrong = np.flatnonzero(~fits & column.present)
    state = column.states.copy()
    state[wrong] = Reason.UNREADABLE
    texts = column._take(wrong).texts()
    kept = {int(at): text or "" for at, text in zip(wrong.tolist(), texts, strict=True)}
    return Column(kind, values, state, kept=Kept(kept), description=column.description)


def _as_texts(column: Column, request: Request, *, quoted: bool) -> list[str | None]:
    """Return the texts by way of which values become another type; JSON has texts in quotes if asked for."""
    if request.word == "json" and (column.type.word != "string" or quoted):
        bare = column.type.numeric or column.type.word in ("boolean", "json")
        return [text if text is None or bare else json.dumps(text) for text in column.texts()]
    if column.type == JSON and request.word != "string":
        return [None if text is None else _inner(text) for text in column.texts()]
    if column.type == BOOLEAN and request.word in ("integer", "decimal", "number"):
        return [None if text is None else "1" if text == "true" else "0" for text in column.texts()]
    if column.type.word == "decimal" and request.word == "boolean":
        zeros = "." + "0" * column.type.scale
        digits = {f"1{zeros}": "1", f"0{zeros}": "0"}
        return [None if text is None else digits.get(text, text) for text in column.texts()]
    if column.type.numeric and request.word == "integer":
        return [None if text is None else _whole(text) for text in column.texts()]
    return column.texts()


def _inner(text: str) -> str:
    """Return a JSON string without its quotes; everything else as it is."""
    value = json.loads(text)
    return value if isinstance(value, str) else text


def _whole(text: str) -> str:
    """Write a whole number without a point; others stay."""
    whole, _, rest = text.partition(".")
    if "e" in text:
        value = exact.Decimal(text)
        return f"{value:f}" if abs(value) < BEYOND and value == value.to_integral_value() else text
    return whole if not rest.strip("0") else text


def _rounded(texts: Sequence[str | None], scale: int, rounding: str) -> list[str | None]:
    step = exact.Decimal(1).scaleb(-scale)
    with exact.localcontext() as context:
        context.prec = 400
        return [
            None if text is None else f"{exact.Decimal(text).quantize(step, ROUNDINGS[rounding]):f}" for text in texts
        ]


def _canonical(request: Request, source: Type) -> Request:
    """Return what to read canonical texts by: a pattern says how kept texts, or numbers, are written."""
    return request._replace(pattern="") if request.word in MOMENTS and not source.numeric else request


def _read(texts: Sequence[str | None], request: Request, missing: Collection[str], marks: CellParser | None) -> Column:
    text = Text.from_strings([text or "" for text in texts])
    return declared_column(text, request, missing=missing, marks=marks)


def _common_scale(
    request: Request, texts: Sequence[str | None], kept: Sequence[str | None], marks: CellParser | None
) -> Request:
    """Give values and kept texts one scale: the most digits after the point in either."""
    scales = (_read(part, request, (), marks).type.scale for part in (texts, kept))
    scale = max(scales)
    return request._replace(pattern="0." + "0" * scale) if scale else request


def _combined(before: Column, values: Column, reread_texts: Column | None) -> Column:
    """Put values and reread texts together; what stays missing keeps its reason."""
    state = np.where(before.missing, before.states, values.states)
    if reread_texts is not None and reread_texts.type != values.type:
        reread_texts = None
    kept = {**before.kept.texts, **values.kept.texts}
    filled, evidence = values.values, values.evidence
    description = values.description or before.description
    if reread_texts is not None:
        state[reread_texts.present] = Reason.PRESENT
        state[reread_texts.states == Reason.MARKER] = Reason.MARKER
        filled, evidence = _overlaid(values, reread_texts), reread_texts.evidence
        description = reread_texts.description or description
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
