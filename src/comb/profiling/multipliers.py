"""Numbers that are shortened with a word for thousands or millions: ``1.2M`` beside ``350K`` and ``980``.

A letter behind a number may be a unit or a part of a code, too: ``12B`` is a house, ``5m`` a length. So a column has to
show what its letters are: several of them of different size, or a sign of money, or fractions with one of them
(``4.3M``, ``52.5k``), or the words themselves. The formula is offered where it gives the right number for every text.
"""

from collections.abc import Mapping, Sequence
from fractions import Fraction

import msgspec
import numpy as np

from comb.errors import agree, counted, listing
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.types import IS_KNOWN
from comb.parsing.vocabulary import is_missing_word
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings, noticed, quoted
from comb.profiling.one_unit import MOSTLY
from comb.profiling.unit_conversion import MOST_TRIED, gives, scaled, written
from comb.steps.column_steps import Calculate
from comb.tables.names import unique_names

_LETTERS = {"k": 10**3, "K": 10**3, "m": 10**6, "M": 10**6, "B": 10**9, "b": 10**9, "T": 10**12}
WORDS = {
    **dict.fromkeys(("Tsd", "Tsd.", "tsd", "thousand", "Thousand", "THOUSAND"), 10**3),
    **dict.fromkeys(("Mio", "Mio.", "mio", "mln", "million", "Million", "millions"), 10**6),
    **dict.fromkeys(("Mrd", "Mrd.", "mrd", "bn", "Bn", "BN", "billion", "Billion", "billions"), 10**9),
    **dict.fromkeys(("tn", "trillion", "Trillion"), 10**12),
    **dict.fromkeys(("lakh", "Lakh", "lakhs", "Lakhs", "lac", "Lac", "Lacs"), 10**5),
    **dict.fromkeys(("crore", "Crore", "crores", "Crores", "cr", "Cr", "Cr."), 10**7),
}  # fmt: skip
# These are the credit of an account, unless some numbers have lakhs.
_CREDIT = frozenset({"cr", "Cr", "Cr."})
MULTIPLIERS: Mapping[str, int] = {**_LETTERS, **WORDS}

_SHORTENED = lazy_pattern(
    r"[+-]?(?P<money>[$€£¥])?[+-]?(?P<body>[0-9]+(?:[.,][0-9]+)*)"
    rf"\s?(?P<word>{'|'.join(sorted((one.replace('.', '[.]') for one in MULTIPLIERS), key=len, reverse=True))})?"
    r"\s?(?P<behind>[$€£¥])?"
)
_GROUPED = lazy_pattern(r"[0-9]{1,3}(?:,[0-9]{3})+(?:\.[0-9]+)?")

# This many values show whether the others are worth a look.
LOOKED_AT = 200

# At least this share of the values are numbers with or without a multiplier; a remedy reads all of them.
LEAST_READ = 0.9

# Codes have few digits and no fractions.
LEAST_FRACTIONS = 3
LEAST_DIGITS = 3


class _Amount(msgspec.Struct, frozen=True):
    """A text taken apart: the digits and marks, the multiplier, the sign of money."""

    body: str
    word: str
    money: str


def multipliers(table: ColumnCache) -> Findings:
    """Texts that are numbers, some with a word for thousands or millions behind them."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not column.present.any() or table.different(name) > MOST_TRIED:
            continue
        first = column._take(column._first_present(LOOKED_AT)).texts()
        first = [text for text in first if text and not is_missing_word(text)]
        if 2 * sum(bool(text and _taken_apart(text)) for text in first) < LEAST_READ * len(first):
            continue
        known = noticed(column, IS_KNOWN)
        cells = dict(column._take(np.flatnonzero(column.present & ~known)).distinct().commonest(MOST_TRIED))
        read = {text: amount for text in cells if (amount := _taken_apart(text)) is not None}
        count, words = sum(cells[text] for text in read), [text for text in cells if text not in read]
        enough = MOSTLY if not any(any(map(str.isdigit, text)) for text in words) else LEAST_READ
        if not read or count < enough * sum(cells.values()) or not _are_multiplied(list(read.values())):
            continue
        by_word: dict[str, int] = {}
        for text, amount in read.items():
            by_word[amount.word] = by_word.get(amount.word, 0) + cells[text]
        listed = [f"{word or 'none'} {counted(times, 'time')}" for word, times in by_word.items()]
        stands = listing([f"{word} for {MULTIPLIERS[word]:,}" for word in by_word if word])
        text = f"{name} holds numbers with a multiplier behind them: {', '.join(listed)}; {stands}"
        if words:
            others = sum(cells.values()) - count
            shown = quoted({one: cells[one] for one in words})
            text += f"; {counted(others, 'other')} {agree(others, 'is', 'are')} not a number: {', '.join(shown)}"
        remedy = _numbers(name, read, words, table.names) if enough == MOSTLY else None
        written_so = {one: times for one, times in cells.items() if one in read and read[one].word}
        rows = table.rows_where(column.text.flags(written_so.__contains__) & column.present)
        yield Finding("type.multipliers", (name,), sum(written_so.values()), rows, quoted(written_so), text, remedy)


def _taken_apart(text: str) -> _Amount | None:
    match = _SHORTENED.fullmatch(text.strip())
    if match is None or (match["money"] and match["behind"]):
        return None
    return _Amount(match["body"], match["word"] or "", match["money"] or match["behind"] or "")


def _are_multiplied(amounts: list[_Amount]) -> bool:
    """Return whether what is behind the numbers of a column multiplies them, as its values show."""
    words = {one.word for one in amounts if one.word}
    sizes = {MULTIPLIERS[word] for word in words}
    money = {one.money for one in amounts} - {""}
    if not words or len(money) > 1:
        return False
    if words <= _CREDIT:
        return False
    if words <= set(WORDS) or money:
        return True
    fractions = sum(bool(one.word) and ("." in one.body or "," in one.body) for one in amounts)
    if len(sizes) > 1 and words & {"k", "K", "M"}:
        return fractions > 0 or any(len(one.body) >= LEAST_DIGITS for one in amounts if one.word)
    return words <= {"k", "K", "M"} and fractions >= LEAST_FRACTIONS


def _numbers(name: str, read: Mapping[str, _Amount], others: Sequence[str], names: tuple[str, ...]) -> Calculate | None:
    """Return the step that calculates a column of the numbers, if it gives the right one for every text, else none."""
    bodies = [one.body for one in read.values()]
    pointed = any("." in body for body in bodies)
    commas = [body for body in bodies if "," in body]
    # A comma is between thousands where there are points, else it is a decimal one, unless every one could be either.
    if commas and (not all(map(_GROUPED.fullmatch, commas)) if pointed else any(map(_GROUPED.fullmatch, commas))):
        return None
    if any(body.count(".") > 1 for body in bodies):
        return None
    comma = "" if pointed else "."
    wanted = {
        text: Fraction(one.body.replace(",", comma)) * MULTIPLIERS.get(one.word, 1) * (-1 if "-" in text else 1)
        for text, one in read.items()
    }
    money = next((one.money for one in read.values() if one.money), "")
    new = unique_names([*names, f"{name}_number"])[-1]
    words = sorted({one.word for one in read.values() if one.word}, key=lambda word: (-len(word), word))
    for text in written(name):
        bare = f"replace({text}, '{money}', '')" if money else text
        bare = f"replace({bare}, ',', '{comma}')" if commas else bare
        # What is behind a sign of money, or in front of it, is a space at an end by now.
        parts = [f"when {bare} like '%{word}%' then {_multiplied(bare, word)}" for word in words]
        step = Calculate(columns={new: f"case {' '.join(parts)} else cast({bare} as number) end"})
        if gives(step, name, wanted, others):
            return step
    return None


def _multiplied(text: str, word: str) -> str:
    return scaled(f"cast(replace({text}, '{word}', '') as number)", Fraction(MULTIPLIERS[word]))
