"""Days, times and numbers with the same text around each of them: ``[22/Nov/2026:10:11:32``, ``since 3 March 2026``.

They would be of another type without it. Of moments the pattern of `convert` takes the text that is the same, so that
one step reads them; the least text is taken off with which all can be read, as ``PM`` and a zone are a part of a time.
Numbers are asked for a pair of brackets or quotes: a word beside them is a unit or a label, and a sign may be of
their meaning. One in parentheses is less than zero in accounts, an error or a share in tables of research, and a year
beside a name; only where each of them has the four digits of a year is there a step.
"""

import re
from collections.abc import Iterator, Sequence

import numpy as np

from comb.errors import CombError, counted, listing
from comb.formats.lazy_pattern import lazy_pattern
from comb.inference.decide import infer_column
from comb.kernels.scalars import fold
from comb.parsing.calendar_names import WEEKDAY_BITS
from comb.parsing.moment_shapes import patterns_of
from comb.profiling.built_texts import LEAST_READ, columns_of_texts, number_in
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings
from comb.steps.cell_steps import Convert
from comb.steps.column_steps import Calculate
from comb.tables.column import Column
from comb.tables.names import unique_names
from comb.tables.table import BareTable
from comb.tables.text import Text

# Fewer different texts have the same around them by chance.
LEAST_DIFFERENT = 3

_MOMENTS = frozenset({"date", "datetime", "time"})
_PAIRS = ("()", "{}", "<>", '""', "''", "``", "\N{LEFT DOUBLE QUOTATION MARK}\N{RIGHT DOUBLE QUOTATION MARK}", "«»")
_NUMBER = lazy_pattern(r"(?:0|[1-9][0-9]*)(?:[.,][0-9]+)?")
_WORD = lazy_pattern(r"[^\W\d_]+")
_YEAR = lazy_pattern(r"\([12][0-9]{3}\)")

# What is before the first digit, from each place on where a word ends; and what is behind the last one.
_WORDS_AHEAD = lazy_pattern(r"\A[^0-9]*")
_BEHIND = lazy_pattern(r"[^0-9]*\Z")

# In a pattern letters have a meaning, others stand for themselves.
_PLAIN = lazy_pattern(r"[^\w']*")


def enclosed(table: ColumnCache) -> Findings:
    """Days, times and numbers that all have the same text around them."""
    for name, _, texts in columns_of_texts(table, LEAST_DIFFERENT):
        yield from _numbers(table, name, texts) if _pair_of(texts) else _moments(table, name, texts)


def _pair_of(texts: Sequence[str]) -> str:
    """Return the brackets or quotes around texts that else are numbers; empty without them."""
    first = texts[0].strip()
    pair = next((one for one in _PAIRS if first[:1] == one[0] and first[-1:] == one[1]), "")
    inside = (text.strip() for text in texts)
    return pair if pair and all(_number_in(text, pair) for text in inside) else ""


def _number_in(text: str, pair: str) -> bool:
    return text[:1] == pair[0] and text[-1:] == pair[1] and _NUMBER.fullmatch(text[1:-1].strip()) is not None


def _numbers(table: ColumnCache, name: str, texts: Sequence[str]) -> Findings:
    column, pair = table[name], _pair_of(texts)
    found = column.text.flags(lambda text: _number_in(text.strip(), pair)) & column.present
    count, all_of_them = int(np.count_nonzero(found)), int(np.count_nonzero(column.present))
    if count < LEAST_READ * all_of_them:
        return
    years = pair == "()" and not (column.text.flags(lambda text: not _YEAR.fullmatch(text.strip())) & found).any()
    text = f"{counted(count, 'cell')} of {name} are numbers between {pair[0]} and {pair[1]}"
    if pair == "()":
        text += ", all of them years" if years else ", which may or may not mean less than zero"
    text += ": as texts they cannot be compared or drawn"
    remedy = None
    if count == all_of_them and (pair != "()" or years):
        remedy = _number_inside(table, name, column, pair)
    yield Finding("type.enclosed", (name,), count, table.rows_where(found), _some(texts), text, remedy)


def _number_inside(table: ColumnCache, name: str, column: Column, pair: str) -> Calculate | None:
    """Return the step that calculates a column of the numbers; None where a comma could be two things."""
    if (column.text.flags(lambda text: "," in text) & column.present).any():
        return None
    new = unique_names([*table.names, f"{name}_number"])[-1]
    begin, end = map(re.escape, pair)
    return Calculate(columns={new: number_in(name, rf"^\s*{begin}\s*([0-9.]+)\s*{end}\s*$")})


def _moments(table: ColumnCache, name: str, texts: Sequence[str]) -> Findings:
    column = table[name]
    found = ((around, asked) for around in _around(texts) if (asked := _type_inside(texts, *around)))
    around, asked = next(found, (("", ""), ""))
    if not asked:
        return
    step = Convert(columns={name: asked})
    try:
        made = step.apply(BareTable({name: column})).table[name]
    except CombError:
        return
    count, all_of_them = int(np.count_nonzero(made.present)), int(np.count_nonzero(column.present))
    if count < LEAST_READ * all_of_them:
        return
    word = asked.partition(" ")[0]
    same = [f"{part!r} {where} each" for part, where in zip(around, ("before", "behind"), strict=True) if part]
    text = f"{counted(count, 'cell')} of {name} are {word}s with {listing(same)}: as texts they cannot be compared or"
    text += " drawn"
    yield Finding("type.enclosed", (name,), count, table.rows_where(made.present), _some(texts), text, step)


def _around(texts: Sequence[str]) -> Iterator[tuple[str, str]]:
    """Return what may be taken off before and behind all texts, the least first."""
    ahead = _match(_WORDS_AHEAD, _same_start(texts))
    behind = _match(_BEHIND, _same_start([text[::-1] for text in texts])[::-1])
    starts = [at for at in range(len(ahead) + 1) if not at or at == len(ahead) or not ahead[at - 1].isalnum()]
    ends = [at for at in range(len(behind) + 1) if not at or _ends_there(behind[len(behind) - at :])]
    pairs = [(at, end) for at in starts for end in ends if at or end]
    for at, end in sorted(pairs, key=lambda both: (sum(both), both)):
        yield ahead[:at], behind[len(behind) - end :]


def _same_start(texts: Sequence[str]) -> str:
    """Return what all texts begin with: the first and the last of them in order differ the soonest."""
    first, last = min(texts), max(texts)
    return first[: next((at for at, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), len(first))]


def _match(pattern: "re.Pattern[str]", text: str) -> str:
    found = pattern.search(text)
    return "" if found is None else found[0]


def _ends_there(text: str) -> bool:
    """Return whether a text may be behind a moment and not a part of it: halves of days and zones are letters."""
    return not any(map(str.isalpha, text)) or re.fullmatch(r"\s*[(\[].*[)\]]\s*", text) is not None


def _type_inside(texts: Sequence[str], ahead: str, behind: str) -> str:
    """Return what `convert` is asked for, if all texts are moments of one form without what is around them."""
    inside = [text[len(ahead) : len(text) - len(behind)] for text in texts]
    # A weekday is a part of the day, and is held against it.
    if any(fold(word) in WEEKDAY_BITS for word in _WORD.findall(ahead + behind)):
        return ""
    if not all(_says_it_is_a_moment(text, bare=not any(map(str.isalpha, ahead + behind))) for text in inside):
        return ""
    found = infer_column(Text.from_strings(inside)).evidence
    if found is None or found.chosen.type.word not in _MOMENTS or found.chosen.misfits or not found.chosen.pattern:
        return ""
    return f"{found.chosen.type.word} {_literal(ahead)}{found.chosen.pattern}{_literal(behind)}"


def _says_it_is_a_moment(text: str, *, bare: bool) -> bool:
    """Return whether a text is no code by its look: it has a day and marks, or, with no words around it, a clock."""
    if text.isdigit() or not (found := patterns_of(text)):
        return False
    return any("d" in pattern if kind != "time" else bare and ":" in text for kind, pattern in found)


def _literal(text: str) -> str:
    """Write a text as it stands for itself in a pattern of Unicode TR35.

    >>> _literal("["), _literal("since "), _literal("o'clock ")
    ('[', "'since '", "'o''clock '")
    """
    return text if _PLAIN.fullmatch(text) else "'" + text.replace("'", "''") + "'"


def _some(texts: Sequence[str]) -> tuple[str, ...]:
    return tuple(map(repr, texts[:3]))
