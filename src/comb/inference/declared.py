"""How texts are read when a type was asked for: what the request leaves open, the texts decide."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from comb.inference.candidates import all_trials, most_digits
from comb.inference.forms import CLOCK_NUMBER, STANDARD_PATTERNS, form_of
from comb.inference.further import further_trials
from comb.inference.patterns import (
    ISO_DATE,
    MOMENTS,
    Request,
    date_form,
    decimal_scale,
    is_count,
    is_numeric_date,
    number_pattern,
)
from comb.inference.pieces import Piece, TextPiece
from comb.inference.reader import Reading
from comb.kernels.notation import PER_CENT
from comb.kernels.parsing import FITS
from comb.kernels.tally import Count, Tally
from comb.tables.types import BOOLEAN, DATE, DATETIME, DURATION, INTEGER, NUMBER, TIME, Type, decimal

_MOMENT_TYPES = {"date": DATE, "datetime": DATETIME, "time": TIME, "duration": DURATION}


def asked_reading(request: Request, pieces: Sequence[Piece], marks: Reading | None) -> Reading | None:
    """Return how to read texts of the type asked for; None leaves them as they are.

    Parameters
    ----------
    request : Request
        Type and pattern.
    pieces : sequence of Piece
        The texts.
    marks : Reading, optional
        Decimal mark, group mark and unit, where they are given; an empty decimal mark is
        decided by the texts.
    """
    if request.word in ("string", "json", "category"):
        return None
    if request.word == "boolean":
        # One and zero mean yes and no only where that is asked for.
        return Reading(BOOLEAN, noted=True, counted=request.pattern)
    tally = _total(pieces)
    if request.word in MOMENTS:
        return _moment_reading(request, pieces, tally)
    return _number_reading(request, pieces, tally, marks)


def _total(pieces: Sequence[Piece]) -> Tally:
    total = pieces[0].tally.copy()
    for piece in pieces[1:]:
        total += piece.tally
    return total


def _moment_reading(request: Request, pieces: Sequence[Piece], tally: Tally) -> Reading:
    word, pattern, pivot = request[:3]
    kind = _MOMENT_TYPES[word]
    if pattern == CLOCK_NUMBER or (pattern and is_count(request)):
        return Reading(kind, counted=pattern)
    if word == "date" and pattern and is_numeric_date(pattern):
        return Reading(DATE, dates=(date_form(pattern),))
    if pattern:
        form = form_of(word, pattern, pivot)
        return Reading(form.type, moments=(form,))
    if word == "date":
        trial = next((trial for trial in all_trials(tally) if trial.reading.type == DATE), None)
        if trial is not None and not trial.doubt and trial.weight == tally[Count.OTHER]:
            return trial.reading
    found = [trial for trial in further_trials(pieces) if trial.reading.type.word == word and not trial.doubt]
    if word == "date":
        found += [one for one in all_trials(tally) if one.reading.type == DATE and not one.doubt]
    if found:
        reading = max(found, key=lambda trial: trial.weight).reading
        forms = tuple(form_of(word, form.pattern, pivot) for form in reading.moments)
        return replace(reading, moments=forms)
    if word == "date":
        return Reading(DATE, dates=(date_form(ISO_DATE),))
    if word == "duration":
        return Reading(DURATION)
    return Reading(kind, moments=tuple(form_of(word, one) for one in STANDARD_PATTERNS[word] if "X" not in one))


def _number_reading(request: Request, pieces: Sequence[Piece], tally: Tally, marks: Reading | None) -> Reading:
    asked = number_pattern(request.pattern) if request.pattern else None
    if marks is None and (request.group_mark or request.decimal_mark not in ("", ".")):
        marks = Reading(NUMBER, request.decimal_mark or ".", request.group_mark)
        if not request.group_mark and (asked is None or not (asked.grouped or asked.per_cent)):
            kind = {"integer": INTEGER, "number": NUMBER}.get(request.word)
            return replace(marks, type=kind or decimal(asked.scale if asked else _most_digits(pieces, marks)))
    if asked and (asked.grouped or asked.per_cent):
        decimal_mark = (marks.decimal_mark if marks else "") or "."
        group = (marks.group_mark if marks else "") or ("," if decimal_mark == "." else ".")
        marks = Reading(
            NUMBER, decimal_mark, group if asked.grouped else "", PER_CENT if asked.per_cent else "", noted=True
        )
    if marks is None:
        return _undecorated(request, pieces, tally)
    base = replace(marks if marks.decimal_mark else _likely_marks(pieces, marks), noted=True)
    if request.word != "decimal":
        return replace(base, type=INTEGER if request.word == "integer" else NUMBER)
    if request.pattern:
        return replace(base, type=decimal(decimal_scale(request.pattern)))
    return replace(base, type=decimal(_most_digits(pieces, base)))


def _most_digits(pieces: Sequence[Piece], base: Reading) -> int:
    """Return the most digits that stand behind the decimal mark."""
    scales = [0]
    for piece in _as_texts(pieces):
        texts = (text.strip().removesuffix(base.unit).rstrip("-) ") for text in piece.text.items())
        ends = (text.partition(base.decimal_mark)[2] for text in texts)
        scales += [len(end) for end in ends if end.isdigit()]
    return max(scales) + 2 * (base.unit == PER_CENT)


def _as_texts(pieces: Sequence[Piece]) -> list[TextPiece]:
    return [part for piece in pieces for part in ([piece] if isinstance(piece, TextPiece) else piece.again())]


def _undecorated(request: Request, pieces: Sequence[Piece], tally: Tally) -> Reading:
    """Read numbers with a point or a comma; if that does not do, in the notation the texts speak for."""
    comma = bool(tally[Count.COMMA] > tally[Count.POINT])
    weight = int(tally[Count.COMMA] if comma else tally[Count.POINT])
    found = further_trials(pieces) if weight < tally[Count.OTHER] else []
    other = next((one for one in found if one.reading.type.numeric and not one.doubt and one.weight > weight), None)
    if other is not None:
        kind = _asked_type(request, other.reading.type, most=0)
        return replace(other.reading, type=kind)
    most = most_digits(tally, Count.COMMA_SCALE if comma else Count.POINT_SCALE)
    return Reading(_asked_type(request, NUMBER, most), decimal_mark="," if comma else ".")


def _asked_type(request: Request, found: Type, most: int) -> Type:
    if request.word != "decimal":
        return INTEGER if request.word == "integer" else NUMBER
    return decimal(decimal_scale(request.pattern) if request.pattern else found.scale or most)


def _likely_marks(pieces: Sequence[Piece], given: Reading) -> Reading:
    """Return the decimal mark that reads more of the cells."""
    options = [replace(given, decimal_mark=mark) for mark in ".," if mark != given.group_mark]
    texts = _as_texts(pieces)
    weights = [sum(int(np.count_nonzero(piece.read(option).status == FITS)) for piece in texts) for option in options]
    return options[weights.index(max(weights))]
