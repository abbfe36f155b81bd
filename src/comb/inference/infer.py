"""Decide the type of a column from all of its texts, with evidence."""

import re
from collections.abc import Collection, Sequence
from dataclasses import replace

import numpy as np

from comb.errors import counted
from comb.inference.candidates import Trial, all_trials
from comb.inference.patterns import ISO_DATE, Request, date_form, decimal_scale
from comb.inference.reader import RawColumn, Reading, build_column, count_cells
from comb.inference.words import is_missing_word
from comb.kernels.coding import Codes
from comb.kernels.parsing import INT64_MAX, INT64_MIN
from comb.tables.column import Column, Mask
from comb.tables.evidence import Candidate, Evidence
from comb.tables.types import BOOLEAN, DATE, INTEGER, NUMBER, STRING, decimal

# A type is taken when at least this share of the cells with a value fits it; the rest
# is kept as text and reported.
LEAST_FIT = 0.9

# How many misfits evidence shows.
MOST_EXAMPLES = 5

# The shortest number written with more digits than this may not come back from a float.
MOST_NUMBER_DIGITS = 17

_LEADING_ZERO = re.compile(r"0[0-9]+")
_DIGITS = re.compile(r"[+-]?[0-9]+")


def infer_column(raw: RawColumn, *, missing: Collection[str] | None = None) -> Column:
    """Give a column of texts the type that its values speak for.

    Parameters
    ----------
    raw : RawColumn
    missing : collection of str, optional
        Words that stand for missing, in every column. By default the known ones,
        and only in columns that turn out not to be text.

    Returns
    -------
    Column
        With evidence. Cost: one pass over the distinct texts for each type tried.
    """
    words, _ = raw.text.coded()
    counts = count_cells(raw)
    given = given_markers(words, missing)
    blank = np.array([not word.strip() for word in words], np.bool_)
    known = np.array([missing is None and is_missing_word(word) for word in words], np.bool_)
    judged = ~(blank | given | known)
    texts = [words[at].strip() for at in np.flatnonzero(judged)]
    total = int(counts[judged].sum())
    trials = all_trials(texts, counts[judged])
    doubt = _text_doubt(texts, counts[judged], trials, total)
    best = trials[0] if trials else None
    if best is None or doubt or best.weight < LEAST_FIT * total:
        as_text = ~(blank | given)
        evidence = _string_evidence(int(counts[as_text].sum()), total, trials, doubt, counts[~as_text])
        return build_column(raw, None, given, evidence)
    evidence = _typed_evidence(best, trials, texts, total, int(counts[~judged].sum()))
    return build_column(raw, best.reading, given | known, evidence)


def given_markers(words: Sequence[str], missing: Collection[str] | None) -> Mask:
    """Return which texts are among the words given for missing."""
    wanted = {word.strip() for word in missing or ()}
    return np.array([word.strip() in wanted and bool(word.strip()) for word in words], np.bool_)


def _text_doubt(texts: Sequence[str], counts: Codes, trials: list[Trial], total: int) -> str:
    """Return why a column stays text although most of it would fit another type."""
    if not trials or trials[0].doubt:
        return trials[0].doubt if trials else ""
    whole = [bool(_DIGITS.fullmatch(text)) for text in texts]
    numeric = trials[0].reading.type.numeric and trials[0].weight >= LEAST_FIT * total
    if not numeric and int(counts[whole].sum()) < LEAST_FIT * total:
        return ""
    zeros = [bool(_LEADING_ZERO.fullmatch(text)) for text in texts]
    if any(zeros):
        return f"{counted(int(counts[zeros].sum()), 'value')} with a zero in front, as codes have"
    long = [bool(_DIGITS.fullmatch(text)) and not INT64_MIN <= int(text[:30]) <= INT64_MAX for text in texts]
    if any(long):
        return f"{counted(int(counts[long].sum()), 'value')} beyond the range of integers"
    return ""


def _string_evidence(fits: int, judged: int, trials: list[Trial], doubt: str, missing_counts: Codes) -> Evidence:
    runner_up = trials[0].candidate(judged) if trials else None
    why = (doubt,) if doubt else () if fits else ("there is nothing in it",)
    return Evidence(Candidate(STRING, fits, 0), runner_up, int(missing_counts.sum()), why)


def _typed_evidence(best: Trial, trials: list[Trial], texts: Sequence[str], total: int, missing: int) -> Evidence:
    others = (trial for trial in trials[1:] if trial.weight < best.weight)
    runner_up = next(others, None)
    misfits = [text for text, fit in zip(texts, best.fits.tolist(), strict=True) if not fit]
    why = best.why
    if best.reading.type == NUMBER:
        long = sum(sum(map(str.isdigit, text)) > MOST_NUMBER_DIGITS for text in texts)
        why += (f"{counted(long, 'value')} with more digits than a number keeps",) if long else ()
    return Evidence(
        best.candidate(total),
        runner_up.candidate(total) if runner_up else None,
        missing,
        why,
        tuple(misfits[:MOST_EXAMPLES]),
    )


def declared_column(
    raw: RawColumn,
    request: Request,
    *,
    missing: Collection[str] = (),
    known_words: bool = True,
    marks: Reading | None = None,
) -> Column:
    """Give a column of texts the type that was asked for.

    Parameters
    ----------
    raw : RawColumn
    request : Request
        Type and pattern.
    missing : collection of str
        Words for missing.
    known_words : bool
        Whether the known words for missing count too; in strings they never do.
    marks : Reading, optional
        Decimal mark, group mark and unit, where they are given; an empty decimal mark
        is decided by the texts.

    Returns
    -------
    Column
        What does not fit is missing, ``unreadable``, its text kept.
    """
    words, _ = raw.text.coded()
    counts = count_cells(raw)
    markers = given_markers(words, missing)
    if known_words and request.word != "string":
        markers |= np.array([is_missing_word(word) for word in words], np.bool_)
    judged = ~markers & np.array([bool(word.strip()) for word in words], np.bool_)
    texts = [words[at].strip() for at in np.flatnonzero(judged)]
    reading = _asked_reading(request, texts, counts[judged], marks)
    fits = np.ones(len(texts), np.bool_) if reading is None else reading.parse(texts)[1] == 0
    total, weight = int(counts[judged].sum()), int(counts[judged][fits].sum())
    misfits = [text for text, fit in zip(texts, fits.tolist(), strict=True) if not fit]
    chosen = Candidate(reading.type if reading else STRING, weight, total - weight, request.pattern)
    evidence = Evidence(
        chosen,
        missing=int(counts[~judged].sum()),
        examples=tuple(misfits[:MOST_EXAMPLES]),
        why=("as declared",),
        declared=True,
    )
    return build_column(raw, reading, markers, evidence)


def _asked_reading(request: Request, texts: Sequence[str], counts: Codes, marks: Reading | None) -> Reading | None:
    """Return how to read texts of the type asked for; None for strings."""
    if request.word == "string":
        return None
    if request.word == "boolean":
        return Reading(BOOLEAN)
    if request.word == "date":
        return _date_reading(request, texts, counts)
    base = marks if marks and marks.decimal_mark else _likely_marks(texts, counts, marks)
    if request.word != "decimal":
        return replace(base, type=INTEGER if request.word == "integer" else NUMBER)
    if request.pattern:
        return replace(base, type=decimal(decimal_scale(request.pattern)))
    mark = base.decimal_mark
    ends = [text.removesuffix(base.unit).rstrip().partition(mark)[2] for text in texts]
    return replace(base, type=decimal(max((len(end) for end in ends if end.isdigit()), default=0)))


def _date_reading(request: Request, texts: Sequence[str], counts: Codes) -> Reading:
    if request.pattern:
        return Reading(DATE, dates=(date_form(request.pattern),))
    trial = next((trial for trial in all_trials(texts, counts) if trial.reading.type == DATE), None)
    if trial is None or trial.doubt:
        return Reading(DATE, dates=(date_form(ISO_DATE),))
    return trial.reading


def _likely_marks(texts: Sequence[str], counts: Codes, given: Reading | None) -> Reading:
    """Return the decimal mark that reads more of the cells."""
    base = given or Reading(NUMBER)
    options = [replace(base, decimal_mark=mark) for mark in ".," if mark != base.group_mark]
    weights = [int(counts[option.parse(texts)[1] == 0].sum()) for option in options]
    return options[weights.index(max(weights))]
