"""Decide the type of a column from all of its texts, with evidence."""

import re
from collections.abc import Collection, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from comb.errors import counted
from comb.inference.candidates import Trial, all_trials
from comb.inference.declared import asked_reading
from comb.inference.further import further_trials
from comb.inference.levels import as_category, as_json
from comb.inference.minority import with_minority
from comb.inference.patterns import Request
from comb.inference.pieces import Piece, ReadCells, TextPiece, read_pieces
from comb.inference.proposals import with_proposals
from comb.inference.reader import Reading
from comb.inference.settle import second_thoughts
from comb.inference.words import words_for
from comb.kernels.notation import PER_CENT, shape_of
from comb.kernels.parsing import FITS, MARKED, MISFIT
from comb.kernels.tally import Count, Tally
from comb.tables.column import Column
from comb.tables.evidence import Candidate, Evidence
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import NUMBER, STRING, TEXTUAL

# A type is taken when at least this share of the cells with a value fits it; the rest
# is kept as text and reported.
LEAST_FIT = 0.9

# How many misfits evidence shows, and how many other types.
MOST_EXAMPLES = 5
MOST_TRIED = 4

# A second that only leap seconds have.
_LEAP = re.compile(r":[0-9]{2}:60(?![0-9])")

# So many misfits tell what they are.
MOST_MISFITS = 100


def infer_column(text: Text, *, missing: Collection[str] | None = None) -> Column:
    """Give a column of texts the type that its values speak for.

    Parameters
    ----------
    text : Text
    missing : collection of str, optional
        Words that stand for missing, in every column. By default the known ones,
        and only in columns that turn out not to be text.

    Returns
    -------
    Column
        With evidence. Cost: one pass to count what the texts could be, one to read them.
    """
    return infer_pieces([TextPiece(text, words_for(missing, known=missing is None))])


def declared_column(
    text: Text, request: Request, *, missing: Collection[str] = (), marks: Reading | None = None
) -> Column:
    """Give a column of texts the type that was asked for.

    Parameters
    ----------
    text : Text
    request : Request
        Type and pattern.
    missing : collection of str
        Words for missing, besides the known ones; in strings those never count.
    marks : Reading, optional
        Decimal mark, group mark and unit, where they are given; an empty decimal mark
        is decided by the texts.

    Returns
    -------
    Column
        What does not fit is missing, ``unreadable``, its text kept.
    """
    piece = TextPiece(text, words_for(missing, known=request.word not in TEXTUAL))
    if request.word in ("category", "json"):
        return declared_pieces([piece], request)
    return _as_declared([piece], asked_reading(request, [piece], marks), request)


def infer_pieces(pieces: Sequence[Piece]) -> Column:
    """Give a column in pieces the type that its values speak for."""
    reading, evidence = decide_pieces(pieces)
    column = _built(pieces, reading, evidence)
    other = second_thoughts(column, pieces)
    if other is not None:
        column = _built(pieces, *other) if other[0] != reading else column.replace(evidence=other[1])
    elif reading is not None and reading.type.word in ("date", "datetime"):
        column = column.replace(evidence=with_minority(column.evidence or evidence, pieces, reading))
    return with_proposals(column)


def decide_pieces(pieces: Sequence[Piece]) -> tuple[Reading | None, Evidence]:
    """Decide the type of a column from all of its texts; None means text.

    Cost: nothing beyond the counts where these decide; else a second look, see
    `comb.inference.further`.
    """
    tally = total_tally(pieces)
    quick = _decided(tally.tobytes())
    total = int(tally[Count.OTHER])
    if not quick.open or not total:
        return quick.reading, quick.evidence
    further = further_trials(pieces) if quick.reading is None or _misfits_are_numbers(pieces, quick.reading) else []
    fits = quick.evidence.chosen.fits if quick.reading is not None else 0
    best = next((trial for trial in further if trial.weight > fits), None)
    if best is None:
        return quick.reading, quick.evidence
    return _decided_between(tally, quick, further)


def _decided_between(tally: Tally, quick: "Decision", further: list[Trial]) -> tuple[Reading | None, Evidence]:
    """Decide between what the counts say and what a second look found."""
    total = int(tally[Count.OTHER])
    tried = [*(trial.candidate(total) for trial in further), *quick.evidence.tried]
    tried = [one for one in tried if one.type != STRING]
    tried.sort(key=lambda candidate: (-candidate.fits, bool(candidate.doubt)))
    best = max(further, key=lambda trial: (trial.weight, not trial.doubt))
    missing = int(tally[Count.BLANK] + tally[Count.GIVEN])
    known = int(tally[Count.KNOWN])
    if best.doubt or best.weight < LEAST_FIT * total:
        why = (best.doubt,) if best.doubt else quick.evidence.why
        text = Candidate(STRING, total + known, 0)
        return None, Evidence(text, next(iter(tried), None), missing, why, tried=(text, *tried[:MOST_TRIED]))
    chosen = best.candidate(total)
    others = [one for one in tried if one.type != chosen.type or one.pattern != chosen.pattern]
    runner_up = next(iter(others), None)
    return best.reading, Evidence(chosen, runner_up, missing + known, best.why, tried=(chosen, *others[:MOST_TRIED]))


def _misfits_are_numbers(pieces: Sequence[Piece], reading: Reading) -> bool:
    """Return whether what does not fit a type of numbers are numbers too, in another notation."""
    if not reading.type.numeric:
        return False
    found: list[str] = []
    for piece in pieces:
        cells = piece.read(reading)
        wrong = np.flatnonzero(cells.status[cells.kept_at] == MISFIT)[:MOST_MISFITS]
        found += [text.strip() for text in cells.kept.take(wrong).to_list()]
    shapes = [shape_of(text) for text in found[:MOST_MISFITS]]
    marked = [shape for shape in shapes if shape is not None and not shape.unit]
    return len(marked) * 2 > len(shapes)


def declared_pieces(pieces: Sequence[Piece], request: Request) -> Column:
    """Give a column in pieces the type that was asked for."""
    if request.word == "category":
        return as_category(infer_pieces(pieces))
    if request.word == "json":
        return as_json(_as_declared(pieces, None, request))
    return _as_declared(pieces, asked_reading(request, pieces, None), request)


def total_tally(pieces: Sequence[Piece]) -> Tally:
    """Return the counts of a whole column."""
    total = pieces[0].tally.copy()
    for piece in pieces[1:]:
        total += piece.tally
    return total


def decide(tally: Tally) -> "Decision":
    """Decide the type from counts of what the texts could be.

    The examples in the evidence are left open. Equal counts are decided once: wide tables have
    many columns alike.
    """
    return _decided(tally.tobytes())


class Decision(NamedTuple):
    """What counts decide.

    Attributes
    ----------
    reading : Reading or None
    evidence : Evidence
    open : bool
        Whether a second look could find a type that more cells fit.
    """

    reading: Reading | None
    evidence: Evidence
    open: bool


@lru_cache(maxsize=4096)
def _decided(counts: bytes) -> Decision:
    tally = np.frombuffer(counts, np.int64)
    total = int(tally[Count.OTHER])
    trials = all_trials(tally)
    best = trials[0] if trials else None
    doubt = _text_doubt(tally, trials)
    missing = int(tally[Count.BLANK] + tally[Count.GIVEN])
    known = int(tally[Count.KNOWN])
    if best is None or doubt or best.weight < LEAST_FIT * total:
        fits = total + known
        why: tuple[str, ...] = (doubt,) if doubt else () if fits else ("there is nothing in it",)
        runner_up = best.candidate(total) if best else None
        tried = tuple(trial.candidate(total) for trial in trials[:MOST_TRIED])
        text = Candidate(STRING, fits, 0)
        comma = best is not None and best.doubt and best.reading.type.numeric
        return Decision(None, Evidence(text, runner_up, missing, why, tried=(text, *tried)), bool(comma or not doubt))
    other = next((trial for trial in trials[1:] if trial.weight < best.weight), None)
    why = best.why
    if best.reading.type == NUMBER and tally[Count.MANY_DIGITS]:
        why += (f"{counted(int(tally[Count.MANY_DIGITS]), 'value')} with more digits than a number keeps",)
    runner_up = other.candidate(total) if other else None
    tried = tuple(trial.candidate(total) for trial in trials[: MOST_TRIED + 1])
    evidence = Evidence(best.candidate(total), runner_up, missing + known, why, tried=tried)
    return Decision(best.reading, evidence, best.weight < total)


def _text_doubt(tally: Tally, trials: list[Trial]) -> str:
    """Return why a column stays text although most of it would fit another type."""
    if not trials or trials[0].doubt:
        return trials[0].doubt if trials else ""
    enough = LEAST_FIT * tally[Count.OTHER]
    if not (trials[0].reading.type.numeric and trials[0].weight >= enough) and tally[Count.WHOLE] < enough:
        return ""
    if tally[Count.LEADING_ZERO]:
        return f"{counted(int(tally[Count.LEADING_ZERO]), 'value')} with a zero in front, as codes have"
    if tally[Count.LONG]:
        return f"{counted(int(tally[Count.LONG]), 'value')} beyond the range of integers"
    return ""


def _as_declared(pieces: Sequence[Piece], reading: Reading | None, request: Request) -> Column:
    evidence = Evidence(
        Candidate(reading.type if reading else STRING, 0, 0, request.pattern), why=("as declared",), declared=True
    )
    return _built(pieces, reading, evidence)


def _built(pieces: Sequence[Piece], reading: Reading | None, evidence: Evidence) -> Column:
    """Make a column of texts read one way."""
    cells, absent = read_pieces(pieces, reading)
    state = cells.status.copy() if absent is not None else cells.status
    kept = Kept.of(cells.kept_at, cells.kept)
    examples = _misfits(cells)
    if absent is not None:
        # The status of a cell is the reason why it is missing; kernels do not know absence.
        state[absent] = Reason.ABSENT
    if evidence.declared:
        evidence = _counted(evidence, cells, 0 if absent is None else int(absent.sum()))
    if examples:
        evidence = replace(evidence, examples=examples)
        if reading is not None and reading.type.word in ("datetime", "time") and any(map(_LEAP.search, examples)):
            evidence = replace(evidence, why=(*evidence.why, "a second of 60 does not fit: leap seconds are not kept"))
    kind = STRING if reading is None else reading.type
    unit = "" if reading is None or reading.unit == PER_CENT else reading.unit
    return Column(kind, cells.values, state, kept=kept, evidence=evidence, description=unit)


def _counted(evidence: Evidence, cells: ReadCells, absent: int) -> Evidence:
    """Fill in how many cells fit a type that was declared."""
    fits, misfits = (int(np.count_nonzero(cells.status == status)) for status in (FITS, MISFIT))
    chosen = replace(evidence.chosen, fits=fits, misfits=misfits)
    return replace(evidence, chosen=chosen, missing=len(cells.status) - fits - misfits - absent)


def _misfits(cells: ReadCells) -> tuple[str, ...]:
    """Return the first texts that do not fit, each once."""
    if not len(cells.kept_at):
        return ()
    examples: dict[str, None] = {}
    wrong = np.flatnonzero(cells.status[cells.kept_at] != MARKED)
    for start in range(0, len(wrong), 1000):
        for text in cells.kept.take(wrong[start : start + 1000]).to_list():
            examples[text.strip()] = None
            if len(examples) == MOST_EXAMPLES:
                return tuple(examples)
    return tuple(examples)
