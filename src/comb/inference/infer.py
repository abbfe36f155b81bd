"""Decide the type of a column from all of its texts, with evidence."""

from collections.abc import Collection, Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np

from comb.errors import counted
from comb.inference.candidates import Trial, all_trials, most_digits
from comb.inference.patterns import ISO_DATE, Request, date_form, decimal_scale
from comb.inference.pieces import Piece, ReadCells, TextPiece, read_pieces
from comb.inference.reader import Reading
from comb.inference.words import words_for
from comb.kernels.parsing import FITS, MARKED, MISFIT
from comb.kernels.tally import Count, Tally
from comb.tables.column import Column
from comb.tables.evidence import Candidate, Evidence
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import BOOLEAN, DATE, INTEGER, NUMBER, STRING, decimal

# A type is taken when at least this share of the cells with a value fits it; the rest
# is kept as text and reported.
LEAST_FIT = 0.9

# How many misfits evidence shows.
MOST_EXAMPLES = 5


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
    piece = TextPiece(text, words_for(missing, known=request.word != "string"))
    return _as_declared([piece], _asked_reading(request, piece, marks), request)


def infer_pieces(pieces: Sequence[Piece]) -> Column:
    """Give a column in pieces the type that its values speak for."""
    tally = total_tally(pieces)
    reading, evidence = decide(tally)
    return _built(pieces, reading, evidence)


def declared_pieces(pieces: Sequence[Piece], request: Request) -> Column:
    """Give a column in pieces the type that was asked for."""
    return _as_declared(pieces, _plain_reading(request, total_tally(pieces)), request)


def total_tally(pieces: Sequence[Piece]) -> Tally:
    """Return the counts of a whole column."""
    total = pieces[0].tally.copy()
    for piece in pieces[1:]:
        total += piece.tally
    return total


def decide(tally: Tally) -> tuple[Reading | None, Evidence]:
    """Decide the type from counts of what the texts could be; None means text.

    The examples in the evidence are left open. Equal counts are decided once: wide tables have
    many columns alike.
    """
    return _decided(tally.tobytes())


@lru_cache(maxsize=4096)
def _decided(counts: bytes) -> tuple[Reading | None, Evidence]:
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
        return None, Evidence(Candidate(STRING, fits, 0), runner_up, missing, why)
    other = next((trial for trial in trials[1:] if trial.weight < best.weight), None)
    why = best.why
    if best.reading.type == NUMBER and tally[Count.MANY_DIGITS]:
        why += (f"{counted(int(tally[Count.MANY_DIGITS]), 'value')} with more digits than a number keeps",)
    runner_up = other.candidate(total) if other else None
    return best.reading, Evidence(best.candidate(total), runner_up, missing + known, why)


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
    kind = STRING if reading is None else reading.type
    return Column(kind, cells.values, state, kept=kept, evidence=evidence, description=reading.unit if reading else "")


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


def _asked_reading(request: Request, piece: TextPiece, marks: Reading | None) -> Reading | None:
    """Return how to read texts of the type asked for, with the marks given; None for strings."""
    if marks is None or request.word in ("string", "boolean", "date"):
        return _plain_reading(request, piece.tally)
    base = marks if marks.decimal_mark else _likely_marks(piece, marks)
    if request.word != "decimal":
        return replace(base, type=INTEGER if request.word == "integer" else NUMBER)
    if request.pattern:
        return replace(base, type=decimal(decimal_scale(request.pattern)))
    texts = (text.strip().removesuffix(base.unit).rstrip() for text in piece.text.items())
    ends = [text.partition(base.decimal_mark)[2] for text in texts]
    return replace(base, type=decimal(max((len(end) for end in ends if end.isdigit()), default=0)))


def _plain_reading(request: Request, tally: Tally) -> Reading | None:
    """Return how to read texts of the type asked for, with the marks their counts speak for."""
    if request.word == "string":
        return None
    if request.word == "boolean":
        return Reading(BOOLEAN)
    if request.word == "date":
        return _date_reading(request, tally)
    comma = bool(tally[Count.COMMA] > tally[Count.POINT])
    kind = INTEGER if request.word == "integer" else NUMBER
    if request.word == "decimal" and request.pattern:
        kind = decimal(decimal_scale(request.pattern))
    elif request.word == "decimal":
        kind = decimal(most_digits(tally, Count.COMMA_SCALE if comma else Count.POINT_SCALE))
    return Reading(kind, decimal_mark="," if comma else ".")


def _date_reading(request: Request, tally: Tally) -> Reading:
    if request.pattern:
        return Reading(DATE, dates=(date_form(request.pattern),))
    trial = next((trial for trial in all_trials(tally) if trial.reading.type == DATE), None)
    if trial is None or trial.doubt:
        return Reading(DATE, dates=(date_form(ISO_DATE),))
    return trial.reading


def _likely_marks(piece: TextPiece, given: Reading) -> Reading:
    """Return the decimal mark that reads more of the cells."""
    options = [replace(given, decimal_mark=mark) for mark in ".," if mark != given.group_mark]
    weights = [int(np.count_nonzero(piece.read(option).status == FITS)) for option in options]
    return options[weights.index(max(weights))]
