"""Scales of which only the ends have words: ``1 - Poor``, ``2``, ``3``, ``4``, ``5 - Excellent``."""

from collections.abc import Collection
from fractions import Fraction

from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing.letters import as_typed
from comb.parsing.vocabulary import is_missing_word
from comb.profiling.lookups import quoted_name
from comb.profiling.unit_conversion import gives
from comb.steps.base import as_literal
from comb.steps.column_steps import Calculate
from comb.tables.names import unique_names

# A scale has no more values with words than this.
MOST_LABELLED = 10

# Fewer letters may be a part of a house number.
LEAST_LETTERS = 2

# These are no value of a scale, though they have a number on it: `5 - Don't know`.
NO_ANSWERS = frozenset({
    "don't know", "dont know", "do not know", "dk", "can't say", "cannot say", "not sure", "unsure", "refused",
    "refusal", "no answer", "no response", "no opinion", "not applicable", "not stated", "not asked",
    "prefer not to say", "rather not say", "weiß nicht", "keine angabe",
})  # fmt: skip

_PLAIN = lazy_pattern(r"\s*[+-]?[0-9]{1,3}\s*")
_LABELLED = (
    lazy_pattern(r"\s*(?P<number>[0-9]{1,3})\s*(?:[-–—=:.)]|\s)\s*[(\[]?(?P<words>[^\W\d_][^0-9]*)"),
    lazy_pattern(r"\s*(?P<words>[^\W\d_][^0-9]*?)\s*[-–—=:]?\s*[(\[]?(?P<number>[0-9]{1,3})[)\]]?\s*"),
)


def labelled_numbers(
    name: str, names: Collection[str], numbers: Collection[str], rest: Collection[str]
) -> Calculate | None:
    """Return the step that reads a scale, where each other text is one of its numbers with words.

    Parameters
    ----------
    name : str
        Of the column.
    names : collection of str
        Of all columns of the table.
    numbers : collection of str
        The texts that are whole numbers.
    rest : collection of str
        All others.

    Returns
    -------
    Calculate or None
        It gives a new column, so that the words stay; None if a text is something else, if one number has two labels,
        or the other way round, or is there without one too, if the numbers do not go on without a gap, or if the
        words say that there is no answer.
    """
    if not 0 < len(rest) <= MOST_LABELLED or not numbers or not all(map(_PLAIN.fullmatch, numbers)):
        return None
    found: dict[str, int] = {}
    words: dict[str, int] = {}
    for text in rest:
        match = next((one for form in _LABELLED if (one := form.fullmatch(text))), None)
        if match is None:
            return None
        found[text] = int(match["number"])
        words[match["words"].strip(" )]").casefold()] = found[text]
    plain = {int(text) for text in numbers}
    labelled = set(found.values())
    scale = plain | labelled
    if len(words) != len(labelled) or plain & labelled or len(scale) != max(scale) - min(scale) + 1:
        return None
    if any(len(label) < LEAST_LETTERS or as_typed(label) in NO_ANSWERS or is_missing_word(label) for label in words):
        return None
    new, written = unique_names([*names, f"{name}_number"])[-1], quoted_name(name)
    parts = " ".join(f"when {as_literal(text)} then {number}" for text, number in sorted(found.items()))
    step = Calculate(columns={new: f"case {written} {parts} else cast({written} as integer) end"})
    wanted = {text: Fraction(number) for text, number in found.items()} | {
        text: Fraction(int(text)) for text in numbers
    }
    return step if gives(step, name, wanted) else None
