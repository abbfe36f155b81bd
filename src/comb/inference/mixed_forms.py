"""Which values of a column are written differently than most: dates in several forms that cannot be confused."""

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from comb.chunks.column_chunk import TextChunk
from comb.chunks.column_source import ColumnSource
from comb.kernels.types import FITS
from comb.parsing.cell_parser import CellParser
from comb.parsing.moment_shapes import general
from comb.tables.evidence import Evidence


def with_minority(evidence: Evidence, source: ColumnSource, parser: CellParser) -> Evidence:
    """Add to the evidence the rows whose dates are written in another form than most.

    Cost: nothing for columns of one form; for the others their texts are fetched and read once more
    for each form.
    """
    forms = _single_forms(parser)
    if len(forms) < 2:
        return evidence
    used = [_form_of_each(chunk, list(forms.values())) for chunk in source.texts()]
    moment_program = np.concatenate(used) if used else np.zeros(0, np.int8)
    counts = np.bincount(moment_program[moment_program >= 0], minlength=len(forms))
    others = np.flatnonzero((moment_program >= 0) & (moment_program != counts.argmax()))
    if not len(others):
        return evidence
    message = {pattern: int(count) for pattern, count in zip(forms, counts.tolist(), strict=True) if count}
    return replace(evidence, forms=message, minority=others + 1)


def _single_forms(parser: CellParser) -> dict[str, CellParser]:
    """Return, by pattern, a reading for each form that differs by more than zeros in front."""
    found = {form.pattern: replace(parser, dates=(form,)) for form in parser.dates}
    by_form: dict[str, CellParser] = {}
    for form in parser.moments:
        equal = by_form.get(general(form.pattern))
        others = equal.moments if equal else ()
        by_form[general(form.pattern)] = replace(parser, moments=(*others, form))
    return {**found, **by_form}


def _form_of_each(chunk: TextChunk, readings: Sequence[CellParser]) -> np.ndarray:
    """Return for each cell the number of the form that reads it, -1 if none does."""
    moment_program = np.full(chunk.text.item_count, -1, np.int8)
    for at, parser in enumerate(readings):
        _, status = parser.parse(chunk.text.packed())
        moment_program[(moment_program < 0) & (status == FITS)] = at
    return moment_program if chunk.text.codes is None else moment_program[chunk.text.codes]
