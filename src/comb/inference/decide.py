"""Decide the type of a column from all of its texts, with evidence."""

import re
from collections.abc import Collection, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from comb.chunks.column_chunk import ColumnChunk, ParsedCells, TextChunk, parse_column
from comb.errors import counted
from comb.inference.candidates import Trial, tallied_candidates
from comb.inference.declared import asked_reading
from comb.inference.detect import detected_candidates
from comb.inference.mixed_forms import with_minority
from comb.inference.proposals import with_proposals
from comb.inference.value_checks import recheck
from comb.kernels.notation import PER_CENT, shape_of
from comb.kernels.types import FITS, MARKED, MISFIT, Tally, TallySlot
from comb.parsing.cell_parser import CellParser
from comb.parsing.patterns import Request
from comb.parsing.vocabulary import words_for
from comb.tables.categories import as_category, as_json
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
    return infer_chunks([TextChunk(text, words_for(missing, known=missing is None))])


def declared_column(
    text: Text, request: Request, *, missing: Collection[str] = (), marks: CellParser | None = None
) -> Column:
    """Give a column of texts the type that was asked for.

    Parameters
    ----------
    text : Text
    request : Request
        Type and pattern.
    missing : collection of str
        Words for missing, besides the known ones; in strings those never count.
    marks : CellParser, optional
        Decimal mark, group mark and unit, where they are given; an empty decimal mark
        is decided by the texts.

    Returns
    -------
    Column
        What does not fit is missing, ``unreadable``, its text kept.
    """
    chunk = TextChunk(text, words_for(missing, known=request.word not in TEXTUAL))
    if request.word in ("category", "json"):
        return declared_chunks([chunk], request)
    return _as_declared([chunk], asked_reading(request, [chunk], marks), request)


def infer_chunks(chunks: Sequence[ColumnChunk]) -> Column:
    """Give a column in pieces the type that its values speak for."""
    parser, evidence = decide_chunks(chunks)
    column = _built(chunks, parser, evidence)
    other = recheck(column, chunks)
    if other is not None:
        column = _built(chunks, *other) if other[0] != parser else column.replace(evidence=other[1])
    elif parser is not None and parser.type.word in ("date", "datetime"):
        column = column.replace(evidence=with_minority(column.evidence or evidence, chunks, parser))
    return with_proposals(column)


def decide_chunks(chunks: Sequence[ColumnChunk]) -> tuple[CellParser | None, Evidence]:
    """Decide the type of a column from all of its texts; None means text.

    Cost: nothing beyond the counts where these decide; else a second look, see
    `comb.inference.further`.
    """
    tally = total_tally(chunks)
    quick = _decided(tally.tobytes())
    total = int(tally[TallySlot.OTHER])
    if not quick.open or not total:
        return quick.parser, quick.evidence
    further = detected_candidates(chunks) if quick.parser is None or _misfits_are_numbers(chunks, quick.parser) else []
    fits = quick.evidence.chosen.fits if quick.parser is not None else 0
    best = next((trial for trial in further if trial.weight > fits), None)
    if best is None:
        return quick.parser, quick.evidence
    return _decided_between(tally, quick, further)


def _decided_between(tally: Tally, quick: "TallyVerdict", further: list[Trial]) -> tuple[CellParser | None, Evidence]:
    """Decide between what the counts say and what a second look found."""
    total = int(tally[TallySlot.OTHER])
    tried = [*(trial.candidate(total) for trial in further), *quick.evidence.tried]
    tried = [one for one in tried if one.type != STRING]
    tried.sort(key=lambda candidate: (-candidate.fits, bool(candidate.doubt)))
    best = max(further, key=lambda trial: (trial.weight, not trial.doubt))
    missing = int(tally[TallySlot.BLANK] + tally[TallySlot.GIVEN])
    known = int(tally[TallySlot.KNOWN])
    if best.doubt or best.weight < LEAST_FIT * total:
        why = (best.doubt,) if best.doubt else quick.evidence.why
        text = Candidate(STRING, total + known, 0)
        return None, Evidence(text, next(iter(tried), None), missing, why, tried=(text, *tried[:MOST_TRIED]))
    chosen = best.candidate(total)
    others = [one for one in tried if one.type != chosen.type or one.pattern != chosen.pattern]
    runner_up = next(iter(others), None)
    return best.parser, Evidence(chosen, runner_up, missing + known, best.why, tried=(chosen, *others[:MOST_TRIED]))


def _misfits_are_numbers(chunks: Sequence[ColumnChunk], parser: CellParser) -> bool:
    """Return whether what does not fit a type of numbers are numbers too, in another notation."""
    if not parser.type.numeric:
        return False
    found: list[str] = []
    for chunk in chunks:
        cells = chunk.read(parser)
        wrong = np.flatnonzero(cells.status[cells.kept_at] == MISFIT)[:MOST_MISFITS]
        found += [text.strip() for text in cells.kept.take(wrong).to_list()]
    shapes = [shape_of(text) for text in found[:MOST_MISFITS]]
    marked = [shape for shape in shapes if shape is not None and not shape.unit]
    return len(marked) * 2 > len(shapes)


def declared_chunks(chunks: Sequence[ColumnChunk], request: Request) -> Column:
    """Give a column in pieces the type that was asked for."""
    if request.word == "category":
        return as_category(infer_chunks(chunks))
    if request.word == "json":
        return as_json(_as_declared(chunks, None, request))
    return _as_declared(chunks, asked_reading(request, chunks, None), request)


def total_tally(chunks: Sequence[ColumnChunk]) -> Tally:
    """Return the counts of a whole column."""
    total = chunks[0].tally.copy()
    for chunk in chunks[1:]:
        total += chunk.tally
    return total


def decide(tally: Tally) -> "TallyVerdict":
    """Decide the type from counts of what the texts could be.

    The examples in the evidence are left open. Equal counts are decided once: wide tables have
    many columns alike.
    """
    return _decided(tally.tobytes())


class TallyVerdict(NamedTuple):
    """What counts decide.

    Attributes
    ----------
    reading : CellParser or None
    evidence : Evidence
    open : bool
        Whether a second look could find a type that more cells fit.
    """

    parser: CellParser | None
    evidence: Evidence
    open: bool


@lru_cache(maxsize=4096)
def _decided(counts: bytes) -> TallyVerdict:
    tally = np.frombuffer(counts, np.int64)
    total = int(tally[TallySlot.OTHER])
    trials = tallied_candidates(tally)
    best = trials[0] if trials else None
    doubt = _text_doubt(tally, trials)
    missing = int(tally[TallySlot.BLANK] + tally[TallySlot.GIVEN])
    known = int(tally[TallySlot.KNOWN])
    if best is None or doubt or best.weight < LEAST_FIT * total:
        fits = total + known
        why: tuple[str, ...] = (doubt,) if doubt else () if fits else ("there is nothing in it",)
        runner_up = best.candidate(total) if best else None
        tried = tuple(trial.candidate(total) for trial in trials[:MOST_TRIED])
        text = Candidate(STRING, fits, 0)
        comma = best is not None and best.doubt and best.parser.type.numeric
        return TallyVerdict(
            None, Evidence(text, runner_up, missing, why, tried=(text, *tried)), bool(comma or not doubt)
        )
    other = next((trial for trial in trials[1:] if trial.weight < best.weight), None)
    why = best.why
    if best.parser.type == NUMBER and tally[TallySlot.MANY_DIGITS]:
        why += (f"{counted(int(tally[TallySlot.MANY_DIGITS]), 'value')} with more digits than a number keeps",)
    runner_up = other.candidate(total) if other else None
    tried = tuple(trial.candidate(total) for trial in trials[: MOST_TRIED + 1])
    evidence = Evidence(best.candidate(total), runner_up, missing + known, why, tried=tried)
    return TallyVerdict(best.parser, evidence, best.weight < total)


def _text_doubt(tally: Tally, trials: list[Trial]) -> str:
    """Return why a column stays text although most of it would fit another type."""
    if not trials or trials[0].doubt:
        return trials[0].doubt if trials else ""
    enough = LEAST_FIT * tally[TallySlot.OTHER]
    if not (trials[0].parser.type.numeric and trials[0].weight >= enough) and tally[TallySlot.WHOLE] < enough:
        return ""
    if tally[TallySlot.LEADING_ZERO]:
        return f"{counted(int(tally[TallySlot.LEADING_ZERO]), 'value')} with a zero in front, as codes have"
    if tally[TallySlot.LONG]:
        return f"{counted(int(tally[TallySlot.LONG]), 'value')} beyond the range of integers"
    return ""


def _as_declared(chunks: Sequence[ColumnChunk], parser: CellParser | None, request: Request) -> Column:
    evidence = Evidence(
        Candidate(parser.type if parser else STRING, 0, 0, request.pattern), why=("as declared",), declared=True
    )
    return _built(chunks, parser, evidence)


def _built(chunks: Sequence[ColumnChunk], parser: CellParser | None, evidence: Evidence) -> Column:
    """Make a column of texts read one way."""
    cells, absent = parse_column(chunks, parser)
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
        if parser is not None and parser.type.word in ("datetime", "time") and any(map(_LEAP.search, examples)):
            evidence = replace(evidence, why=(*evidence.why, "a second of 60 does not fit: leap seconds are not kept"))
    kind = STRING if parser is None else parser.type
    unit = "" if parser is None or parser.unit == PER_CENT else parser.unit
    return Column(kind, cells.values, state, kept=kept, evidence=evidence, description=unit)


def _counted(evidence: Evidence, cells: ParsedCells, absent: int) -> Evidence:
    """Fill in how many cells fit a type that was declared."""
    fits, misfits = (int(np.count_nonzero(cells.status == status)) for status in (FITS, MISFIT))
    chosen = replace(evidence.chosen, fits=fits, misfits=misfits)
    return replace(evidence, chosen=chosen, missing=len(cells.status) - fits - misfits - absent)


def _misfits(cells: ParsedCells) -> tuple[str, ...]:
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
