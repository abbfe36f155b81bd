"""How texts are read when a type was asked for: what the request leaves open, the texts decide."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from comb.chunks.column_chunk import ColumnChunk, TextChunk
from comb.inference.candidates import most_digits, tallied_candidates
from comb.inference.detect import detected_candidates
from comb.kernels.notation import PER_CENT
from comb.kernels.types import FITS, Tally, TallySlot
from comb.parsing.cell_parser import CellParser
from comb.parsing.moment_programs import CLOCK_NUMBER, STANDARD_PATTERNS, moment_program
from comb.parsing.patterns import (
    ISO_DATE,
    MOMENTS,
    Request,
    date_form,
    decimal_scale,
    is_count,
    is_numeric_date,
    number_pattern,
)
from comb.tables.types import BOOLEAN, DATE, DATETIME, DURATION, INTEGER, NUMBER, TIME, Type, decimal

_MOMENT_TYPES = {"date": DATE, "datetime": DATETIME, "time": TIME, "duration": DURATION}


def asked_reading(request: Request, chunks: Sequence[ColumnChunk], marks: CellParser | None) -> CellParser | None:
    """Return how to read texts of the type asked for; None leaves them as they are.

    Parameters
    ----------
    request : Request
        Type and pattern.
    pieces : sequence of ColumnChunk
        The texts.
    marks : CellParser, optional
        Decimal mark, group mark and unit, where they are given; an empty decimal mark is
        decided by the texts.
    """
    if request.word in ("string", "json", "category"):
        return None
    if request.word == "boolean":
        # One and zero mean yes and no only where that is asked for.
        return CellParser(BOOLEAN, noted=True, counted=request.pattern)
    tally = _total(chunks)
    if request.word in MOMENTS:
        return _moment_reading(request, chunks, tally)
    return _number_reading(request, chunks, tally, marks)


def _total(chunks: Sequence[ColumnChunk]) -> Tally:
    total = chunks[0].tally.copy()
    for chunk in chunks[1:]:
        total += chunk.tally
    return total


def _moment_reading(request: Request, chunks: Sequence[ColumnChunk], tally: Tally) -> CellParser:
    word, pattern, pivot = request[:3]
    kind = _MOMENT_TYPES[word]
    if pattern == CLOCK_NUMBER or (pattern and is_count(request)):
        return CellParser(kind, counted=pattern)
    if word == "date" and pattern and is_numeric_date(pattern):
        return CellParser(DATE, dates=(date_form(pattern),))
    if pattern:
        form = moment_program(word, pattern, pivot)
        return CellParser(form.type, moments=(form,))
    if word == "date":
        trial = next((trial for trial in tallied_candidates(tally) if trial.parser.type == DATE), None)
        if trial is not None and not trial.doubt and trial.weight == tally[TallySlot.OTHER]:
            return trial.parser
    found = [trial for trial in detected_candidates(chunks) if trial.parser.type.word == word and not trial.doubt]
    if word == "date":
        found += [one for one in tallied_candidates(tally) if one.parser.type == DATE and not one.doubt]
    if found:
        parser = max(found, key=lambda trial: trial.weight).parser
        forms = tuple(moment_program(word, form.pattern, pivot) for form in parser.moments)
        return replace(parser, moments=forms)
    if word == "date":
        return CellParser(DATE, dates=(date_form(ISO_DATE),))
    if word == "duration":
        return CellParser(DURATION)
    return CellParser(
        kind, moments=tuple(moment_program(word, one) for one in STANDARD_PATTERNS[word] if "X" not in one)
    )


def _number_reading(
    request: Request, chunks: Sequence[ColumnChunk], tally: Tally, marks: CellParser | None
) -> CellParser:
    asked = number_pattern(request.pattern) if request.pattern else None
    if marks is None and (request.group_mark or request.decimal_mark not in ("", ".")):
        marks = CellParser(NUMBER, request.decimal_mark or ".", request.group_mark)
        if not request.group_mark and (asked is None or not (asked.grouped or asked.per_cent)):
            kind = {"integer": INTEGER, "number": NUMBER}.get(request.word)
            return replace(marks, type=kind or decimal(asked.scale if asked else _most_digits(chunks, marks)))
    if asked and (asked.grouped or asked.per_cent):
        decimal_mark = (marks.decimal_mark if marks else "") or "."
        group = (marks.group_mark if marks else "") or ("," if decimal_mark == "." else ".")
        marks = CellParser(
            NUMBER, decimal_mark, group if asked.grouped else "", PER_CENT if asked.per_cent else "", noted=True
        )
    if marks is None:
        return _undecorated(request, chunks, tally)
    base = replace(marks if marks.decimal_mark else _likely_marks(chunks, marks), noted=True)
    if request.word != "decimal":
        return replace(base, type=INTEGER if request.word == "integer" else NUMBER)
    if request.pattern:
        return replace(base, type=decimal(decimal_scale(request.pattern)))
    return replace(base, type=decimal(_most_digits(chunks, base)))


def _most_digits(chunks: Sequence[ColumnChunk], base: CellParser) -> int:
    """Return the most digits that stand behind the decimal mark."""
    scales = [0]
    for chunk in _as_texts(chunks):
        texts = (text.strip().removesuffix(base.unit).rstrip("-) ") for text in chunk.text.items())
        ends = (text.partition(base.decimal_mark)[2] for text in texts)
        scales += [len(end) for end in ends if end.isdigit()]
    return max(scales) + 2 * (base.unit == PER_CENT)


def _as_texts(chunks: Sequence[ColumnChunk]) -> list[TextChunk]:
    return [part for chunk in chunks for part in ([chunk] if isinstance(chunk, TextChunk) else chunk.reread_texts())]


def _undecorated(request: Request, chunks: Sequence[ColumnChunk], tally: Tally) -> CellParser:
    """Read numbers with a point or a comma; if that does not do, in the notation the texts speak for."""
    comma = bool(tally[TallySlot.COMMA] > tally[TallySlot.POINT])
    weight = int(tally[TallySlot.COMMA] if comma else tally[TallySlot.POINT])
    found = detected_candidates(chunks) if weight < tally[TallySlot.OTHER] else []
    other = next((one for one in found if one.parser.type.numeric and not one.doubt and one.weight > weight), None)
    if other is not None:
        kind = _asked_type(request, other.parser.type, most=0)
        return replace(other.parser, type=kind)
    most = most_digits(tally, TallySlot.COMMA_SCALE if comma else TallySlot.POINT_SCALE)
    return CellParser(_asked_type(request, NUMBER, most), decimal_mark="," if comma else ".")


def _asked_type(request: Request, found: Type, most: int) -> Type:
    if request.word != "decimal":
        return INTEGER if request.word == "integer" else NUMBER
    return decimal(decimal_scale(request.pattern) if request.pattern else found.scale or most)


def _likely_marks(chunks: Sequence[ColumnChunk], given: CellParser) -> CellParser:
    """Return the decimal mark that reads more of the cells."""
    options = [replace(given, decimal_mark=mark) for mark in ".," if mark != given.group_mark]
    texts = _as_texts(chunks)
    weights = [sum(int(np.count_nonzero(chunk.read(option).status == FITS)) for chunk in texts) for option in options]
    return options[weights.index(max(weights))]
