"""How texts are read when a type was asked for: what the request leaves open, the texts decide."""

from typing import cast

import numpy as np
from msgspec.structs import replace

from comb.chunks.column_source import ColumnSource
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
from comb.tables.evidence import IN_PARENTHESES, Candidate
from comb.tables.types import BOOLEAN, DATE, DATETIME, DURATION, INTEGER, NUMBER, TIME, Type, decimal

_MOMENT_TYPES = {"date": DATE, "datetime": DATETIME, "time": TIME, "duration": DURATION}


def declared_parser(request: Request, source: ColumnSource, marks: CellParser | None) -> CellParser | None:
    """Return how to read texts of the type asked for; None leaves them as they are.

    Parameters
    ----------
    request : Request
        Type and pattern.
    source : ColumnSource
    marks : CellParser, optional
        Decimal mark, group mark and unit, where they are given; an empty decimal mark is
        decided by the texts.
    """
    if request.word in ("string", "json", "category"):
        return None
    if request.word == "boolean":
        # One and zero mean yes and no only where that is asked for.
        return CellParser(BOOLEAN, noted=True, counted=request.pattern)
    tally = source.tally()
    if request.word in MOMENTS:
        return _moment_parser(request, source, tally)
    return _number_parser(request, source, tally, marks)


def _moment_parser(request: Request, source: ColumnSource, tally: Tally) -> CellParser:
    word, pattern, last_century_from = request.word, request.pattern, request.last_century_from
    kind = _MOMENT_TYPES[word]
    if pattern == CLOCK_NUMBER or (pattern and is_count(request)):
        return CellParser(kind, counted=pattern)
    if word == "date" and pattern and is_numeric_date(pattern):
        return CellParser(DATE, dates=(date_form(pattern),))
    if pattern:
        form = moment_program(word, pattern, last_century_from)
        return CellParser(form.type, moments=(form,))
    if word == "date":
        found_date = next((one for one in tallied_candidates(tally) if one.type == DATE), None)
        if found_date is not None and not found_date.doubt and found_date.fits == tally[TallySlot.OTHER]:
            return _parser_of(found_date)
    # Who asks for durations says what 57:29 is.
    found = [
        one for one in detected_candidates(source) if one.type.word == word and (not one.doubt or one.type == DURATION)
    ]
    if word == "date":
        found += [one for one in tallied_candidates(tally) if one.type == DATE and not one.doubt]
    if found:
        parser = _parser_of(max(found, key=lambda one: one.fits))
        forms = tuple(moment_program(word, form.pattern, last_century_from) for form in parser.moments)
        return replace(parser, moments=forms)
    if word == "date":
        return CellParser(DATE, dates=(date_form(ISO_DATE),))
    if word == "duration":
        return CellParser(DURATION)
    return CellParser(
        kind, moments=tuple(moment_program(word, one) for one in STANDARD_PATTERNS[word] if "X" not in one)
    )


def _parser_of(candidate: Candidate) -> CellParser:
    return cast(CellParser, candidate.parser)


def _number_parser(request: Request, source: ColumnSource, tally: Tally, marks: CellParser | None) -> CellParser:
    asked = number_pattern(request.pattern) if request.pattern else None
    if marks is None and (request.group_mark or request.decimal_mark not in ("", ".")):
        marks = CellParser(NUMBER, request.decimal_mark or ".", request.group_mark)
        if not request.group_mark and (asked is None or not (asked.grouped or asked.per_cent)):
            kind = {"integer": INTEGER, "number": NUMBER}.get(request.word)
            return replace(marks, type=kind or decimal(asked.scale if asked else _most_digits(source, marks)))
    if asked and (asked.grouped or asked.per_cent):
        decimal_mark = (marks.decimal_mark if marks else "") or "."
        group = (marks.group_mark if marks else "") or ("," if decimal_mark == "." else ".")
        marks = CellParser(
            NUMBER, decimal_mark, group if asked.grouped else "", PER_CENT if asked.per_cent else "", noted=True
        )
    if marks is None:
        return _undecorated(request, source, tally)
    base = replace(marks if marks.decimal_mark else _likely_marks(source, marks), noted=True)
    if request.word != "decimal":
        return replace(base, type=INTEGER if request.word == "integer" else NUMBER)
    if request.pattern:
        return replace(base, type=decimal(decimal_scale(request.pattern)))
    return replace(base, type=decimal(_most_digits(source, base)))


def _most_digits(source: ColumnSource, base: CellParser) -> int:
    """Return the most digits that stand behind the decimal mark."""
    scales = [0]
    for chunk in source.texts():
        texts = (text.strip().removesuffix(base.unit).rstrip("-) ") for text in chunk.text.items())
        ends = (text.partition(base.decimal_mark)[2] for text in texts)
        scales += [len(end) for end in ends if end.isdigit()]
    return max(scales) + 2 * (base.unit == PER_CENT)


def _undecorated(request: Request, source: ColumnSource, tally: Tally) -> CellParser:
    """Read numbers with a point or a comma; if that does not do, in the notation the texts speak for."""
    comma = bool(tally[TallySlot.COMMA] > tally[TallySlot.POINT])
    weight = int(tally[TallySlot.COMMA] if comma else tally[TallySlot.POINT])
    found = detected_candidates(source) if weight < tally[TallySlot.OTHER] else []
    sure = ("", IN_PARENTHESES)
    other = next((one for one in found if one.type.numeric and one.doubt in sure and one.fits > weight), None)
    if other is not None:
        return replace(_parser_of(other), type=_asked_type(request, other.type, most=0))
    most = most_digits(tally, TallySlot.COMMA_SCALE if comma else TallySlot.POINT_SCALE)
    return CellParser(_asked_type(request, NUMBER, most), decimal_mark="," if comma else ".")


def _asked_type(request: Request, found: Type, most: int) -> Type:
    if request.word != "decimal":
        return INTEGER if request.word == "integer" else NUMBER
    return decimal(decimal_scale(request.pattern) if request.pattern else found.scale or most)


def _likely_marks(source: ColumnSource, given: CellParser) -> CellParser:
    """Return the decimal mark that reads more of the cells."""
    options = [replace(given, decimal_mark=mark) for mark in ".," if mark != given.group_mark]
    texts = source.texts()
    weights = [sum(int(np.count_nonzero(chunk.parse(option).status == FITS)) for chunk in texts) for option in options]
    return options[weights.index(max(weights))]
