"""Decide the type of a column from all of its texts, with evidence."""

from collections.abc import Collection
from functools import lru_cache

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.chunks.column_chunk import ParsedCells, TextChunk
from comb.chunks.column_source import ColumnSource
from comb.errors import counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.inference.candidates import tallied_candidates
from comb.inference.declared import declared_parser
from comb.inference.detect import detected_candidates
from comb.inference.mixed_forms import with_minority
from comb.inference.other_digits import with_plain_digits
from comb.inference.proposals import with_proposals
from comb.inference.value_checks import recheck
from comb.kernels.notation import PER_CENT, shape_of
from comb.kernels.types import FITS, MARKED, MISFIT, Tally, TallySlot
from comb.parsing.cell_parser import CellParser
from comb.parsing.headings import day_pattern_of
from comb.parsing.moment_shapes import patterns_of
from comb.parsing.patterns import Request
from comb.parsing.vocabulary import words_for
from comb.tables.column import Column
from comb.tables.evidence import CODES_WITH_ZEROS, LEAST_DOUBTED, MANY_DIGITS, Candidate, Evidence
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import DATE, INTEGER, NUMBER, STRING, TEXTUAL

# A type is taken when at least this share of the cells with a value fits it; the rest
# is kept as text and reported.
LEAST_FIT = 0.9

# How many misfits evidence shows, and how many other types.
MOST_EXAMPLES = 5
MOST_TRIED = 4

# A second that only leap seconds have.
_LEAP = lazy_pattern(r":[0-9]{2}:60(?![0-9])")

# This many misfits tell what they are.
MOST_MISFITS = 100


def infer_column(text: Text, *, missing: Collection[str] | None = None, known: bool | None = None) -> Column:
    """Give a column of texts the type that its values speak for.

    Parameters
    ----------
    text : Text
    missing : collection of str, optional
        Words that mean missing, in every column. By default the known ones,
        and only in columns that turn out not to be text.
    known : bool, optional
        Whether the known words count; by default where no others are given.

    Returns
    -------
    Column
        With evidence. Cost: one pass to count what the texts could be, one to read them.
    """
    counts = missing is None if known is None else known
    return infer_source(ColumnSource([TextChunk(text, words_for(missing, known=counts))]))


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
    source = ColumnSource([TextChunk(text, words_for(missing, known=request.word not in TEXTUAL))])
    if request.word in ("category", "json"):
        return declared_source(source, request)
    return _as_declared(source, declared_parser(request, source, marks), request)


def infer_source(source: ColumnSource, decimal_mark: str = "") -> Column:
    """Give a column the type that its values speak for.

    Parameters
    ----------
    source : ColumnSource
    decimal_mark : str
        The one that other columns of the source prove: it decides where the values leave it open.
    """
    column = _inferred(source, decimal_mark)
    misfits = column.kept.texts.values()
    plain = with_plain_digits(source, misfits) if column.type == STRING or misfits else None
    if plain is None:
        return column
    again = _inferred(plain.source, decimal_mark)
    more = again.type.plain != STRING and (column.type == STRING or again.missing_count < column.missing_count)
    return plain.as_written(again) if more else column


def _inferred(source: ColumnSource, decimal_mark: str) -> Column:
    parser, evidence = decide_parser(source, decimal_mark)
    column = _built(source, parser, evidence)
    other = recheck(column, source)
    if other is not None:
        column = _built(source, *other) if other[0] != parser else column._replace(evidence=other[1])
    elif parser is not None and parser.type.word in ("date", "datetime"):
        column = column._replace(evidence=with_minority(column.evidence or evidence, source, parser))
    return with_proposals(column)


def decide_parser(source: ColumnSource, decimal_mark: str = "") -> tuple[CellParser | None, Evidence]:
    """Decide the type of a column from all of its texts; None means text.

    Cost: nothing beyond the counts where these decide; else a second look, see
    `comb.inference.detect`.
    """
    tally = source.tally()
    quick = _decided(tally.tobytes(), decimal_mark)
    total = int(tally[TallySlot.OTHER])
    if not quick.open or not total:
        return quick.parser, quick.evidence
    more = quick.parser is None or _misfits_show_more(source, quick.parser)
    further = detected_candidates(source, decimal_mark) if more else []
    fits = quick.evidence.chosen.fits if quick.parser is not None else 0
    best = next((one for one in further if one.fits > fits), None)
    if best is None:
        return quick.parser, quick.evidence
    return _decided_between(tally, quick, further)


def _decided_between(
    tally: Tally, quick: "TallyVerdict", further: list[Candidate]
) -> tuple[CellParser | None, Evidence]:
    """Decide between what the counts say and what a second look found."""
    total = int(tally[TallySlot.OTHER])
    tried = [*further, *quick.evidence.tried]
    tried = [one for one in tried if one.type != STRING]
    tried.sort(key=lambda candidate: (-candidate.fits, bool(candidate.doubt)))
    best = max(further, key=lambda one: (one.fits, not one.doubt))
    missing = int(tally[TallySlot.BLANK] + tally[TallySlot.GIVEN])
    known = int(tally[TallySlot.KNOWN])
    if best.doubt or best.fits < LEAST_FIT * total:
        why = (best.doubt,) if best.doubt and best.fits >= LEAST_DOUBTED * total else quick.evidence.why
        text = Candidate(STRING, total + known, 0)
        return None, Evidence(text, next(iter(tried), None), missing, why, tried=(text, *tried[:MOST_TRIED]))
    others = [one for one in tried if one.type != best.type or one.pattern != best.pattern]
    runner_up = next(iter(others), None)
    return best.parser, Evidence(best, runner_up, missing + known, best.why, tried=(best, *others[:MOST_TRIED]))


def _misfits_show_more(source: ColumnSource, parser: CellParser) -> bool:
    """Return whether what does not fit a type are numbers or days too, written differently."""
    if not parser.type.numeric and parser.type != DATE:
        return False
    found = [text.strip() for chunk in source.misfits(parser, MOST_MISFITS) for text in chunk.text.to_list()]
    if parser.type == DATE:
        return any(word == "date" for text in found[:MOST_MISFITS] for word, _ in patterns_of(text))
    shapes = [shape_of(text) for text in found[:MOST_MISFITS]]
    marked = [shape for shape in shapes if shape is not None and not shape.unit]
    return len(marked) * 2 > len(shapes)


def declared_source(source: ColumnSource, request: Request) -> Column:
    """Give a column the type that was asked for."""
    if request.word == "category":
        from comb.tables.categories import as_category

        return as_category(infer_source(source))
    if request.word == "json":
        from comb.tables.categories import as_json

        return as_json(_as_declared(source, None, request))
    column = _as_declared(source, declared_parser(request, source, None), request)
    misfits = column.kept.texts.values()
    plain = with_plain_digits(source, misfits) if column.missing_count and column.type != STRING else None
    if plain is None:
        return column
    again = _as_declared(plain.source, declared_parser(request, plain.source, None), request)
    return plain.as_written(again) if again.missing_count < column.missing_count else column


def headed_source(name: str, source: ColumnSource, column: Column) -> Column:
    """Read a column as days if its heading says how they are written and every value is written so.

    Parameters
    ----------
    name : str
        The heading: ``date (yymmdd)``.
    source : ColumnSource
    column : Column
        As its values alone speak for.
    """
    pattern = day_pattern_of(name)
    if not pattern or column.type not in (STRING, INTEGER) or column.missing_count == len(column):
        return column
    request = Request("date", pattern)
    made = _as_declared(source, declared_parser(request, source, None), request)
    if made.missing_count > column.missing_count or made.evidence is None:
        return column
    why = (f"every value is a day as the heading says: {pattern}",)
    return made._replace(evidence=replace(made.evidence, why=why, declared=False))


def decide_by_counts(tally: Tally) -> "TallyVerdict":
    """Decide the type from counts of what the texts could be.

    The examples in the evidence are left open. Equal counts are decided once: wide tables have
    many columns equal.
    """
    return _decided(tally.tobytes())


class TallyVerdict(msgspec.Struct, frozen=True):
    """What counts decide.

    Attributes
    ----------
    parser : CellParser or None
    evidence : Evidence
    open : bool
        Whether a second look could find a type that more cells fit.
    """

    parser: CellParser | None
    evidence: Evidence
    open: bool


@lru_cache(maxsize=4096)
def _decided(counts: bytes, decimal_mark: str = "") -> TallyVerdict:
    tally = np.frombuffer(counts, np.int64)
    total = int(tally[TallySlot.OTHER])
    found = tallied_candidates(tally, decimal_mark)
    best = found[0] if found else None
    doubt = _text_doubt(tally, found)
    missing = int(tally[TallySlot.BLANK] + tally[TallySlot.GIVEN])
    known = int(tally[TallySlot.KNOWN])
    if best is None or doubt or best.fits < LEAST_FIT * total:
        fits = total + known
        why: tuple[str, ...] = (doubt,) if doubt else () if fits else ("there is nothing in it",)
        tried = tuple(found[:MOST_TRIED])
        text = Candidate(STRING, fits, 0)
        comma = best is not None and best.doubt and best.type.numeric
        return TallyVerdict(None, Evidence(text, best, missing, why, tried=(text, *tried)), bool(comma or not doubt))
    other = next((one for one in found[1:] if one.fits < best.fits), None)
    why = best.why
    if best.type == NUMBER and tally[TallySlot.MANY_DIGITS]:
        why += (f"{counted(int(tally[TallySlot.MANY_DIGITS]), 'value')} {MANY_DIGITS}",)
    evidence = Evidence(best, other, missing + known, why, tried=tuple(found[: MOST_TRIED + 1]))
    return TallyVerdict(best.parser, evidence, best.fits < total)


def _text_doubt(tally: Tally, found: list[Candidate]) -> str:
    """Return why a column stays text although most of it would fit another type."""
    if not found:
        return ""
    if found[0].doubt:
        # What is in doubt about a few cells says nothing of the others.
        return found[0].doubt if found[0].fits >= LEAST_DOUBTED * tally[TallySlot.OTHER] else ""
    enough = LEAST_FIT * tally[TallySlot.OTHER]
    if not (found[0].type.numeric and found[0].fits >= enough) and tally[TallySlot.WHOLE] < enough:
        return ""
    if tally[TallySlot.LEADING_ZERO]:
        return f"{counted(int(tally[TallySlot.LEADING_ZERO]), 'value')} {CODES_WITH_ZEROS}"
    if tally[TallySlot.PLUS]:
        return f"{counted(int(tally[TallySlot.PLUS]), 'value')} with a plus sign and many digits: telephone numbers"
    if tally[TallySlot.LONG]:
        return f"{counted(int(tally[TallySlot.LONG]), 'value')} beyond the range of integers"
    return ""


def _as_declared(source: ColumnSource, parser: CellParser | None, request: Request) -> Column:
    evidence = Evidence(
        Candidate(parser.type if parser else STRING, 0, 0, request.pattern, parser=parser),
        why=("as declared",),
        declared=True,
    )
    return _built(source, parser, evidence)


def _built(source: ColumnSource, parser: CellParser | None, evidence: Evidence) -> Column:
    """Make a column of texts read one way."""
    cells, absent = source.parse(parser)
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
