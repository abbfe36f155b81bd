"""Convert a column that already has a type to another, losing nothing."""

import decimal as exact
import json
from collections.abc import Callable, Collection, Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from comb.casting.rules import check_pair
from comb.errors import ParameterError, listing
from comb.inference.decide import declared_column
from comb.kernels import dispatch
from comb.kernels.grouping import compact
from comb.kernels.numbering import number_strings
from comb.kernels.string_buffer import joined, pack
from comb.parsing.cell_parser import CellParser
from comb.parsing.patterns import MOMENTS, Request, decimal_scale
from comb.tables.categories import as_category
from comb.tables.column import Column, Mask
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text, joined_texts
from comb.tables.types import BOOLEAN, DATE, DATETIME, DURATION, INTEGER, JSON, TIME, Type
from comb.tables.value_texts import packed_texts

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
    kept = _kept_text(plain) if len(plain.kept) else None
    if direct is not None:
        kind, values, fits = direct(plain.array, rounding)
        made = _with_misfits(plain, kind, values, fits)
        reread_texts = None if kept is None else declared_column(kept, request, missing=missing, marks=marks)
        return _combined(plain, made, reread_texts)
    if request.word == "decimal" and not request.pattern:
        # All digits there are fit: nothing is rounded.
        rounding = None
    text = _text_of(plain, request, rounding, quoted=column.type.base is not None)
    if request.word == "decimal" and not request.pattern:
        request = _common_scale(request, [text] if kept is None else [text, kept], marks)
    if plain.type.textual:
        values_read = declared_column(text, request, missing=missing, marks=marks)
    else:
        values_read = declared_column(text, _canonical(request, plain.type), missing=missing)
    reread_texts = None if kept is None else declared_column(kept, request, missing=missing, marks=marks)
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
    # Under a missing cell nothing may stand that the type has no form for.
    values = np.where(fits, values, np.zeros(1, values.dtype))
    state = column.states.copy()
    state[wrong] = Reason.UNREADABLE
    texts = column._take(wrong).texts()
    kept = {int(at): text or "" for at, text in zip(wrong.tolist(), texts, strict=True)}
    return Column(kind, values, state, kept=Kept(kept), description=column.description)


def _text_of(column: Column, request: Request, rounding: str | None, *, quoted: bool) -> Text:
    """Return the texts by way of which values become another type; those of missing cells are empty.

    Texts that are stored already stay as they are, and kernels write most others. What is written another way than the
    values are in files is written once for each different value.
    """
    kind, wanted = column.type, request.word
    if kind.word == "string" and not (wanted == "json" and quoted):
        return _with_empty(column.text, column.missing)
    if kind.textual:
        return Text.from_strings([text or "" for text in _as_texts(column, request, quoted=quoted)])
    present = column.present
    if wanted == "integer" and (whole := _whole_numbers(kind, column.array, present, rounding)) is not None:
        return _with_empty(Text(*packed_texts(INTEGER, whole)), column.missing)
    rounded = rounding is not None and kind.numeric and wanted in ("integer", "decimal")
    other = wanted == "json" or kind == BOOLEAN or (kind.numeric and wanted in ("integer", "boolean"))
    if not rounded and not other:
        text = _with_empty(Text(*packed_texts(kind, column.array)), column.missing)
        return text.coded_if_repeated() if wanted == "string" else text
    found, places = compact(column.array[present])
    texts = _as_texts(Column(kind, found, None), request, quoted=quoted)
    if rounded and rounding is not None:
        texts = _rounded(texts, decimal_scale(request.pattern) if wanted == "decimal" else 0, rounding)
    written = np.full(len(column), len(found))
    written[present] = places
    return Text.from_strings([*(text or "" for text in texts), ""]).take(written)


def _with_empty(text: Text, empty: Mask) -> Text:
    """Return the texts of cells with nothing in some of them."""
    if not empty.any():
        return text
    lengths = np.diff(text.offsets)
    if text.codes is None:
        if not lengths[empty].any():
            return text
        places = np.where(empty, len(text), np.arange(len(text)))
        return Text(*dispatch.kernels.take(joined([text.packed(), pack([""])]), places))
    nothing = np.flatnonzero(lengths == 0)
    if len(nothing):
        return Text(text.buffer, text.offsets, np.where(empty, nothing[0], text.codes))
    return Text(*joined([text.packed(), pack([""])]), np.where(empty, text.item_count, text.codes))


# Below this, numbers with a half behind the point are exact.
_EXACT = 2.0**52


def _whole_numbers(kind: Type, values: NDArray[Any], present: Mask, rounding: str | None) -> NDArray[np.int64] | None:
    """Return numbers as whole ones, rounded if asked for; None where that leaves some with digits behind the point.

    Or where their text may say another number than the digits that are stored: very large ones.
    """
    if kind.word == "decimal":
        step = np.int64(10**kind.scale)
        digits: NDArray[np.int64] = np.where(present, values, 0)
        whole: NDArray[np.int64] = digits // step
        rest = digits - whole * step
        if rounding is None:
            return None if rest.any() else whole
        # Halves go away from zero, or to the even neighbour.
        halves = whole >= 0 if rounding == "nearest" else whole % 2 == 1
        above: dict[str, Mask] = {"down": rest < 0, "up": rest > 0}
        up = above.get(rounding, (2 * rest > step) | ((2 * rest == step) & halves))
        rounded: NDArray[np.int64] = whole + up
        return rounded
    if kind.word != "number":
        return None
    floats = np.where(present, values, 0.0)
    if not (np.abs(floats) < _EXACT).all():
        return None
    down = np.floor(floats)
    if rounding is None:
        return None if (down != floats).any() else down.astype(np.int64)
    size = np.abs(floats)
    away = np.floor(size) + (size - np.floor(size) >= 0.5)
    made: NDArray[np.float64]
    made = {"down": down, "up": np.ceil(floats), "nearest": np.copysign(away, floats)}.get(rounding, np.rint(floats))
    return made.astype(np.int64)


def _kept_text(column: Column) -> Text:
    """Return the kept texts of a column; those of all other cells are empty."""
    words, numbers = number_strings(["", *column.kept.items.to_list()])
    codes = np.zeros(len(column), np.int64)
    codes[column.kept.positions] = numbers[1:]
    return Text.from_items(words, codes)


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
    return replace(request, pattern="") if request.word in MOMENTS and not source.numeric else request


def _common_scale(request: Request, texts: Sequence[Text], marks: CellParser | None) -> Request:
    """Give values and kept texts one scale: the most digits after the point in either."""
    scale = max(declared_column(text, request, marks=marks).type.scale for text in texts)
    return replace(request, pattern="0." + "0" * scale) if scale else request


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
        places = np.where(shown, np.arange(len(shown)) + len(shown), np.arange(len(shown)))
        return joined_texts([under.values, over.text]).take(places)
    return np.where(shown, over.array, under.array)
