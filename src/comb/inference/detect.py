"""Types that show on a second look only: moments of all kinds, numbers in other notations.

The counts from which most types are decided say nothing of these. Some of the texts tell which
forms could be meant; then all texts are read by them.
"""

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from comb.chunks.column_chunk import TextChunk
from comb.chunks.column_source import ColumnSource, usable_texts
from comb.errors import ParameterError, counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.inference.candidates import LEAST_AGREEING, candidate
from comb.kernels import dispatch
from comb.kernels.notation import (
    MARKS,
    ODD_SIGN,
    PER_CENT,
    PLAIN_FITS,
    ZERO_FIRST,
    Marks,
    PlainNumbers,
    Shape,
    is_currency,
    plain_body,
    shape_of,
)
from comb.kernels.scalars import fold
from comb.kernels.types import FITS, MOST_DECIMAL_DIGITS, Op, Tally
from comb.parsing.calendar_names import MONTH_NUMBERS
from comb.parsing.cell_parser import CellParser
from comb.parsing.durations import is_worded, read_duration
from comb.parsing.moment_programs import LAST_CENTURY_FROM, MomentProgram, moment_program, swapped
from comb.parsing.moment_shapes import fullest, general, patterns_of, up_to_time
from comb.tables.evidence import (
    AMBIGUOUS_CLOCK,
    AMBIGUOUS_COMMA,
    AMBIGUOUS_DAY,
    AMBIGUOUS_MONTH,
    AMBIGUOUS_POINT,
    AMBIGUOUS_YEAR,
    IN_PARENTHESES,
    Candidate,
)
from comb.tables.types import DATE, DURATION, INTEGER, NUMBER, UTC_DATETIME, Type, decimal

# This many texts from the top of a column tell what could be meant, and as many of those that do not fit that.
SAMPLE = 200

# Forms of moments that fewer of them speak for are not followed up; numbers in other notations
# take longer to read, so that more have to.
LEAST_OF_SAMPLE = 0.5
LEAST_WORDED = 0.05
LEAST_NOTED = 0.8

# A column has few ways to write its moments; more than this are no ways but chance.
MOST_FORMS = 12

Weights = NDArray[np.int64]
Mask = NDArray[np.bool_]


def detected_candidates(source: ColumnSource, decimal_mark: str = "") -> list[Candidate]:
    """Return the types that a second look finds.

    Parameters
    ----------
    source : ColumnSource
    decimal_mark : str
        The one that other columns of the source prove, where they do.

    Returns
    -------
    list of Candidate
        The most cells first; the same however the column is cut into chunks. Cost: a look at
        some texts; where they speak for a form, one pass over the distinct texts for each.
    """
    sample = source.sample(SAMPLE)
    if not sample or sum(any(map(str.isdigit, text)) for text in sample) < LEAST_OF_SAMPLE * len(sample):
        return []
    found = _parsed_already(source, sample)
    if found is not None:
        return [found]
    texts, tally = source.texts(), source.tally()
    candidates = [*_moments(texts, sample, tally), *_durations(texts, sample, tally)]
    candidates += _numbers(texts, sample, tally, decimal_mark)
    return sorted((one for one in candidates if one.fits), key=lambda one: -one.fits)


def _weights(chunk: TextChunk) -> Weights:
    """Return how many cells hold each stored text."""
    if chunk.text.codes is None:
        return np.ones(len(chunk.text), np.int64)
    return np.bincount(chunk.text.codes, minlength=chunk.text.item_count)


def _total(chunks: Sequence[TextChunk], masks: Sequence[Mask]) -> int:
    return sum(int(_weights(chunk)[mask].sum()) for chunk, mask in zip(chunks, masks, strict=True))


# -- moments ---------------------------------------------------------------------------------


class _Way(msgspec.Struct):
    """One way to write moments: which texts it reads, in each piece."""

    form: MomentProgram
    masks: list[Mask]
    weight: int

    @property
    def day_first(self) -> bool:
        """Whether the day stands before the month."""
        pattern = self.form.pattern
        return 0 <= pattern.find("d") < pattern.find("M")

    @property
    def ends(self) -> bool:
        """Whether it reads 24:00, the end of a day."""
        return (Op.END_OF_DAY, 0) in self.form.program.ops

    @property
    def day(self) -> str:
        """How the day is written, up to the time."""
        return up_to_time(self.form.pattern)


def _moments(chunks: Sequence[TextChunk], sample: Sequence[str], tally: Tally) -> list[Candidate]:
    seen = _patterns(sample)
    if seen is None:
        return []
    ways = [way for way in (_way(chunks, *one) for one in seen.items()) if way is not None]
    # What none of these reads may be written in ways that the beginning does not show.
    left: list[str] = []
    for at, chunk in enumerate(chunks):
        passed = np.any([way.masks[at] for way in ways], axis=0) if ways else np.zeros(0, np.bool_)
        left += usable_texts(chunk, passed, SAMPLE - len(left))
    more = _patterns(left, least=0.0) or {}
    ways += [way for way in (_way(chunks, *one) for one in more.items() if one[0] not in seen) if way is not None]
    kinds: dict[Type, list[_Way]] = defaultdict(list)
    for way in ways:
        kinds[way.form.type].append(way)
    return [_moment_candidate(chunks, kind, found, tally) for kind, found in kinds.items()]


Patterns = dict[tuple[str, str], Counter[str]]


def _patterns(sample: Sequence[str], least: float = LEAST_OF_SAMPLE) -> Patterns | None:
    """Return the patterns that texts could be written in, by type and general form; None if too few have any."""
    seen: Patterns = defaultdict(Counter)
    hits = 0
    for text in sample:
        found = patterns_of(text)
        hits += bool(found)
        for word, pattern in found:
            seen[word, general(pattern)][pattern] += 1
    return None if not hits or hits < least * len(sample) or len(seen) > MOST_FORMS else seen


def _way(chunks: Sequence[TextChunk], key: tuple[str, str], patterns: Counter[str]) -> _Way | None:
    word, pattern = key[0], fullest(list(patterns))
    try:
        form = moment_program(word, pattern)
    except ParameterError:
        return None
    parser = CellParser(form.type, moments=(form,))
    masks = [parser.parse(chunk.text.packed())[1] == FITS for chunk in chunks]
    weight = _total(chunks, masks)
    if word == "time" and "h" not in pattern and "a" not in pattern:
        # Hours beyond 23 are no time of day, but they may be how long something took.
        span = moment_program("duration", pattern.replace("HH", "H"))
        lasted = [CellParser(DURATION, moments=(span,)).parse(chunk.text.packed())[1] == FITS for chunk in chunks]
        if _total(chunks, lasted) > weight:
            return _Way(span, lasted, _total(chunks, lasted))
    return _Way(form, masks, weight) if weight else None


def _moment_candidate(chunks: Sequence[TextChunk], kind: Type, ways: list[_Way], tally: Tally) -> Candidate:
    """Put the ways of one type together; those that could be confused are decided between."""
    equal: dict[str, list[_Way]] = defaultdict(list)
    ends = [way for way in ways if way.ends]
    beside = len(ends) < len(ways)
    for way in ways:
        if not (beside and way.ends):
            equal[_skeleton(way.form.pattern)].append(way)
    picked: list[_Way] = []
    why: list[str] = []
    doubts: list[str] = []
    for group in equal.values():
        way, reason, doubt = _decided(chunks, group)
        picked.append(way)
        why.append(reason)
        doubts.append(doubt)
    # Days that end at 24:00 are written as the others are.
    picked += [end for end in ends if beside and end.day in {way.day for way in picked}]
    picked.sort(key=lambda way: -way.weight)
    masks = [np.any([way.masks[at] for way in picked], axis=0) for at in range(len(chunks))]
    if len(picked) > 1:
        message = ", ".join(f"{way.form.pattern} {counted(way.weight, 'time')}" for way in picked)
        why = [f"several forms that cannot be confused: {message}", *why]
    why += _remarks(kind, [way.form.pattern for way in picked])
    parser = CellParser(kind, moments=tuple(way.form for way in picked))
    doubt = next(filter(None, [*doubts, _other_meaning(chunks, picked)]), "")
    pattern = picked[0].form.pattern
    return candidate(parser, _total(chunks, masks), tally, pattern, tuple(filter(None, why)), doubt)


DAYS_IN_MONTH = 31


def _other_meaning(chunks: Sequence[TextChunk], ways: Sequence[_Way]) -> str:
    """Return what else moments could be by their form, as far as their values do not show it."""
    kind, pattern = ways[0].form.type, ways[0].form.pattern
    if kind == DURATION and "s" not in pattern:
        # 57:29 is no time of day; a score, a verse or a run time it can be as well as hours.
        return f"{pattern} {AMBIGUOUS_CLOCK}"
    if kind == DATE and "d" not in pattern and "MMM" in pattern and "yyyy" not in pattern and "'" not in pattern:
        found = np.unique(np.concatenate([np.unique(months) for months in _months(chunks, ways[0])]))
        years = 1970 + found // 12
        beyond = (years % 100 > DAYS_IN_MONTH) | (years % 100 == 0)
        # Month after month, of which the numbers change with the year.
        runs = len(found) > 2 and found[-1] - found[0] == len(found) - 1 and years[0] != years[-1]
        return "" if beyond.any() or runs else f"{pattern} {AMBIGUOUS_YEAR}"
    if kind == DATE and "d" not in pattern and "yyyy" in pattern and "MM" in pattern and "MMM" not in pattern:
        for months in _months(chunks, ways[0]):
            years = 1970 + months // 12
            if not (months % 12 + 1 == (years + 1) % 100).all():
                return ""
        return f"{pattern} {AMBIGUOUS_MONTH}"
    return ""


def _months(chunks: Sequence[TextChunk], way: _Way) -> Iterator[NDArray[np.int64]]:
    """Yield the months that texts are by one of the ways to read them, counted from January 1970, chunk by chunk."""
    parser = CellParser(DATE, moments=(way.form,))
    for chunk, mask in zip(chunks, way.masks, strict=True):
        yield parser.parse(chunk.text.packed())[0][mask].astype("datetime64[M]").astype(np.int64)


def _skeleton(pattern: str) -> str:
    """Return a pattern with day, month and two-digit year all equal: what could be confused is equal."""
    if "yyyy" in pattern and pattern.find("yyyy") < pattern.find("d"):
        return general(pattern)
    skeleton = general(pattern)
    for letters in ("yy", "MMM", "M", "d"):
        if letters == "yy" and "yyyy" in skeleton:
            continue
        if letters == "MMM" and "MMM" in skeleton:
            return skeleton
        skeleton = skeleton.replace(letters, "9")
    return skeleton


def _decided(chunks: Sequence[TextChunk], group: list[_Way]) -> tuple[_Way, str, str]:
    """Decide between ways to read the same texts by those that only one of them reads."""
    if len(group) == 1:
        return group[0], "", ""
    own = []
    for way in group:
        others = [other for other in group if other is not way]
        masks = [mask & ~np.any([other.masks[at] for other in others], axis=0) for at, mask in enumerate(way.masks)]
        own.append(_total(chunks, masks))
    at = max(range(len(group)), key=lambda at: (own[at], group[at].weight, group[at].day_first))
    way, deciding = group[at], own[at]
    if "." in way.form.pattern and "yyyy" not in way.form.pattern and not (deciding and way.day_first):
        padded = "dd" in way.form.pattern and way.day_first
        return way, "with dots between, day first" if padded else "", "" if padded else f"3.8.10 {AMBIGUOUS_DAY}"
    if deciding and deciding >= LEAST_AGREEING * sum(own):
        return way, _order_evidence(deciding), ""
    pointed = [one for one in group if "." in one.form.pattern and one.day_first]
    if pointed and not sum(own) - own[group.index(pointed[0])]:
        return pointed[0], "with dots between, day first", ""
    message = " or ".join(one.form.pattern for one in group)
    return way, "", f"day and month could be swapped: {message}"


def _remarks(kind: Type, patterns: Sequence[str]) -> list[str]:
    """Say what a pattern implies that is not plain to see."""
    message = []
    if any("yy" in pattern and "yyyy" not in pattern for pattern in patterns):
        message.append(
            f"two-digit years: 00 to {LAST_CENTURY_FROM - 1} are of this century, {LAST_CENTURY_FROM} to 99 of the last"
        )
    if kind.word == "date" and any("d" not in pattern for pattern in patterns):
        whole = {"Q": "quarter", "w": "week", "M": "month"}
        unit = next((word for letter, word in whole.items() if letter in patterns[0]), "year")
        if not (unit == "week" and "e" in patterns[0]):
            message.append(f"each {unit} stands for its first day")
    if any("24" in pattern for pattern in patterns):
        message.append("24:00 is the end of the day, the midnight that follows")
    if kind == UTC_DATETIME:
        message.append("offsets are applied: the values are converted to UTC")
    return message


def _parsed_already(source: ColumnSource, sample: Sequence[str]) -> Candidate | None:
    """Return the candidate of a form by which a column was guessed and parsed.

    None where its values do not say all that its texts would.
    """
    guessed, seen = source.guessed(), _patterns(sample)
    if guessed is None or len(guessed.moments) != 1 or seen is None:
        return None
    form = guessed.moments[0]
    word, other = form.program.kind, moment_program(form.program.kind, swapped(form.pattern))
    mine = (word, general(form.pattern))
    rival = other.pattern != form.pattern and "yyyy" in form.pattern
    known = {mine, (word, general(other.pattern))} if rival else {mine}
    if set(seen) != known or fullest(list(seen[mine])) != form.pattern or word == "time":
        return None
    misfits = source.misfits(guessed)
    left = [text for chunk in misfits for text in chunk.text.items()[:SAMPLE]][:SAMPLE]
    if set(_patterns([text.strip() for text in left], least=0.0) or {}) - known:
        return None
    values = source.present(guessed)
    why = []
    if rival:
        deciding = sum(_above_12(days) for days in values)
        swapped_parser = CellParser(other.type, moments=(other,))
        contrary = sum(int(np.count_nonzero(swapped_parser.parse(chunk.text.plain())[1] == FITS)) for chunk in misfits)
        if not deciding or deciding < LEAST_AGREEING * (deciding + contrary):
            return None
        why = [_order_evidence(deciding)]
    why += _remarks(guessed.type, [form.pattern])
    return candidate(guessed, sum(map(len, values)), source.tally(), form.pattern, tuple(why))


def _above_12(moments: NDArray[Any]) -> int:
    """Count moments with a day of the month above 12."""
    days = moments.astype("datetime64[D]")
    return int(np.count_nonzero((days - days.astype("datetime64[M]")).astype(np.int64) > 11))


def _order_evidence(deciding: int) -> str:
    return f"day and month cannot be confused: {counted(deciding, 'value')} can be read one way only"


# -- durations -------------------------------------------------------------------------------


def _durations(chunks: Sequence[TextChunk], sample: Sequence[str], tally: Tally) -> list[Candidate]:
    # ``30m`` and ``1h`` are durations where some say so: ``1h 30m``.
    if sum(map(is_worded, sample)) < max(1, LEAST_WORDED * len(sample)):
        return []
    if sum(read_duration(text) is not None for text in sample) < LEAST_OF_SAMPLE * len(sample):
        return []
    parser = CellParser(DURATION)
    weight = sum(int(_weights(chunk)[parser.parse(chunk.text.packed())[1] == FITS].sum()) for chunk in chunks)
    pattern = "ISO 8601" if sum(text.lstrip("+-").startswith("P") for text in sample) * 2 > len(sample) else ""
    return [candidate(parser, weight, tally, pattern)]


# -- numbers ---------------------------------------------------------------------------------


def _numbers(chunks: Sequence[TextChunk], sample: Sequence[str], tally: Tally, decimal_mark: str) -> list[Candidate]:
    """Numbers with marks between groups, with units, with signs behind or parentheses."""
    shapes = [shape_of(text) for text in sample]
    if sum(shape is not None for shape in shapes) < LEAST_NOTED * len(sample):
        return []
    found = [shape for shape in shapes if shape is not None]
    units = Counter(shape.unit for shape in found)
    unit = max((one for one in units if one), key=lambda one: (units[one], one), default="")
    if unit and units[unit] < LEAST_AGREEING * len(sample):
        # A unit that only some of the values have is not shared by all.
        unit = ""
    # Days of one month without a year are no amounts of it.
    if _are_addresses(found) or fold(unit) in MONTH_NUMBERS:
        return []
    likely = [
        marks
        for marks in MARKS
        if sum(plain_body(shape.body, marks) is not None for shape in found) >= LEAST_NOTED * len(found)
    ]
    likely = [marks for marks in likely if marks.decimal == decimal_mark] or likely
    plain = {
        marks: [dispatch.kernels.plain_numbers(chunk.text.packed(), marks, unit) for chunk in chunks]
        for marks in likely
    }
    enclosed = all(text.lstrip().startswith("(") for text, shape in zip(sample, shapes, strict=True) if shape)
    found_by_marks = _by_marks(chunks, plain, unit, tally, enclosed=enclosed)
    if found_by_marks and not (unit or decimal_mark) and not any(map(_TYPOGRAPHIC.search, sample)):
        return [replace(one, doubt=one.doubt or _grouped_codes(one, plain)) for one in found_by_marks]
    return found_by_marks


# Spaces that only who writes numbers with care puts between groups.
_TYPOGRAPHIC = lazy_pattern("[\N{NO-BREAK SPACE}\N{NARROW NO-BREAK SPACE}\N{THIN SPACE}]")

# Whole numbers with this many digits, all of them as many, are codes as well.
LEAST_CODE_DIGITS = 7


def _distinct(counts: NDArray[Any]) -> list[int]:
    """Return which small numbers there are, without what `np.unique` imports for itself."""
    return np.flatnonzero(np.bincount(counts)).tolist()


def _grouped_codes(found: Candidate, plain: dict[Marks, list[PlainNumbers]]) -> str:
    """Return the doubt about numbers that all have as many digits: telephone numbers are parted in threes too."""
    marks = Marks(found.parser.decimal_mark, found.parser.group_mark)
    if marks.group not in (" ", ".") or found.type != INTEGER:
        return ""
    sizes = {size for one in plain[marks] for size in _distinct(np.diff(one.texts.offsets)[one.flags > 0])}
    if len(sizes) > 1 or not (size := sizes.pop()) or (size % 3 and size < LEAST_CODE_DIGITS):
        return ""
    return f"all have {size} digits in groups of three, as telephone numbers and other codes have"


def _are_addresses(shapes: Sequence[Shape]) -> bool:
    """Return whether all have four groups up to 255, as addresses of machines."""
    groups = [shape.body.split(".") for shape in shapes]
    return bool(groups) and all(
        len(parts) == 4 and all(part.isdigit() and int(part) < 256 for part in parts) for parts in groups
    )


def _by_marks(
    chunks: Sequence[TextChunk], plain: dict[Marks, list[PlainNumbers]], unit: str, tally: Tally, *, enclosed: bool
) -> list[Candidate]:
    def counted_where(numbers: list[PlainNumbers], bit: int) -> int:
        masks = [(one.flags & bit) != 0 for one in numbers]
        return _total(chunks, [mask & (chunk.kinds == 0) for mask, chunk in zip(masks, chunks, strict=True)])

    best = {marks: counted_where(numbers, PLAIN_FITS) for marks, numbers in plain.items()}
    most = max(best.values(), default=0)
    if not most:
        return []
    # Of marks that read as many, the plainest: those without a group mark, then the point.
    marks = next(marks for marks in sorted(plain, key=lambda marks: bool(marks.group)) if best[marks] == most)
    numbers = plain[marks]
    fitting = [one.flags > 0 for one in numbers]
    digits = {count for one, fits in zip(numbers, fitting, strict=True) for count in _distinct(one.decimals[fits])}
    lengths = [np.diff(one.texts.offsets)[fits].max(initial=0) for one, fits in zip(numbers, fitting, strict=True)]
    longest = int(max(lengths)) - (max(digits) + 1 if max(digits) else 0)
    zeros = counted_where(numbers, ZERO_FIRST)
    if longest > MOST_DECIMAL_DIGITS or zeros > (1 - LEAST_AGREEING) * most:
        # Numbers of this many digits, or with a zero in front, count nothing.
        return []
    doubt = ""
    if marks.decimal == "," and not marks.group and best.get(Marks(".", ",")) == most:
        doubt = AMBIGUOUS_COMMA
    if marks.decimal == "." and not marks.group and max(digits) and best.get(Marks(",", ".")) == most:
        doubt = AMBIGUOUS_POINT
    kind = _kind(digits, longest, per_cent=unit == PER_CENT)
    parser = CellParser(kind, marks.decimal, marks.group, unit, noted=True)
    pattern = ("#,##0" if marks.group else "0") + (f".{'0' * max(digits)}" if max(digits) else "")
    why = (marks.describe(decimals=bool(max(digits))),) if marks.group or max(digits) else ()
    if unit == PER_CENT:
        why = (*why, "percentages are divided by 100")
    elif unit:
        why = (*why, f"every value has the unit {unit}")
    odd = counted_where(numbers, ODD_SIGN)
    if odd:
        why = (*why, "parentheses or a sign behind make a number negative")
    # In accounts some numbers are less than zero, or all have groups of thousands or a sign of money.
    if odd == most and enclosed and not (marks.group or is_currency(unit)):
        doubt = doubt or IN_PARENTHESES
    return [candidate(parser, most, tally, pattern if len(digits) == 1 else "", why, doubt)]


def _kind(digits: set[int], longest: int, *, per_cent: bool) -> Type:
    """Return the narrowest type for numbers with this many digits after the mark, and at most this many before."""
    scale = max(digits) + 2 * per_cent
    if scale and (len(digits) > 1 or longest + scale > MOST_DECIMAL_DIGITS):
        return NUMBER
    return decimal(scale) if scale else INTEGER
