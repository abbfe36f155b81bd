"""Which values of a column are written otherwise than most: dates in several forms that cannot be confused."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from comb.inference.moments import general
from comb.inference.pieces import Piece, TextPiece
from comb.inference.reader import Reading
from comb.kernels.parsing import FITS
from comb.tables.evidence import Evidence


def with_minority(evidence: Evidence, pieces: Sequence[Piece], reading: Reading) -> Evidence:
    """Add to the evidence the rows whose dates are written in another form than most.

    Cost: nothing for columns of one form; for the others their texts are fetched and read once more
    for each form.
    """
    forms = _single_forms(reading)
    if len(forms) < 2:
        return evidence
    used = [
        _form_of_each(text, list(forms.values()))
        for piece in pieces
        for text in ([piece] if isinstance(piece, TextPiece) else piece.again())
    ]
    form_of = np.concatenate(used) if used else np.zeros(0, np.int8)
    counts = np.bincount(form_of[form_of >= 0], minlength=len(forms))
    others = np.flatnonzero((form_of >= 0) & (form_of != counts.argmax()))
    if not len(others):
        return evidence
    told = {pattern: int(count) for pattern, count in zip(forms, counts.tolist(), strict=True) if count}
    return replace(evidence, forms=told, minority=others + 1)


def _single_forms(reading: Reading) -> dict[str, Reading]:
    """Return, by pattern, a reading for each form that differs by more than zeros in front."""
    found = {form.pattern: replace(reading, dates=(form,)) for form in reading.dates}
    by_form: dict[str, Reading] = {}
    for form in reading.moments:
        alike = by_form.get(general(form.pattern))
        others = alike.moments if alike else ()
        by_form[general(form.pattern)] = replace(reading, moments=(*others, form))
    return {**found, **by_form}


def _form_of_each(piece: TextPiece, readings: Sequence[Reading]) -> np.ndarray:
    """Return for each cell the number of the form that reads it, -1 if none does."""
    form_of = np.full(piece.text.item_count, -1, np.int8)
    for at, reading in enumerate(readings):
        _, status = reading.parse_text(piece.text.packed())
        form_of[(form_of < 0) & (status == FITS)] = at
    return form_of if piece.text.codes is None else form_of[piece.text.codes]
