"""Findings about rare values that are a common one written wrongly: by a letter or two, or as an abbreviation.

A rare value is held against the common ones of its column. It is taken for one of them where it is far rarer,
differs from one of them only, and in letters only: what differs in a digit is another code. Where the other columns
of the table say different things of the two, they are two: Glen Dale in one county, Glendale in another. What
differs by case, spaces and punctuation alone is another finding, see `comb.profiling.texts`.
"""

from collections.abc import Iterable

from comb.errors import agree, counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.types import INNER_SPACES, OUTER_SPACES
from comb.parsing.vocabulary import is_missing_word
from comb.profiling.characters import as_meant, runs_as_formula
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, noticed
from comb.profiling.texts import LEAST_LETTERS, folded, yes_no_forms
from comb.profiling.told_apart import are_told_apart
from comb.steps.cell_steps import Recode, tidied
from comb.tables.column import Column

# Only columns whose values recur are categories: at most this many values are common, and this many rare ones are
# compared with them. More are names or free text.
MOST_COMMON_VALUES = 2_000
MOST_RARE = 20_000
LEAST_REPEATED_SHARE = 0.5

# A misspelling is this many times rarer than what was meant.
LEAST_RATIO = 8
LEAST_COMMON = 5

# Of long words with one letter wrong it is enough to be this many times rarer.
LONG_WORD = 12
LONG_RATIO = 3

# Letters stand for the words they begin in a column with no more values than this, where there are two such letters.
MOST_WITH_INITIALS = 12
LEAST_INITIALS = 2

# Letters that words need to be told apart although one letter differs, and although two do.
ONE_LETTER, TWO_LETTERS = 4, 8
LONGEST_COMPARED = 60

# Free text is long.
MOST_WORDS = 6

_DIGITS = lazy_pattern(r"[0-9]+")
_WORDS = lazy_pattern(r"[^\W_]+")


def misspelled(table: ColumnCache) -> Findings:
    """Rare values that are a letter or two, or an abbreviation, away from a common one."""
    for name, column in table.columns.items():
        initials = initials_of(table, name)
        variants = initials or variants_of(table, name)
        if not variants:
            continue
        where = column.text.flags(lambda text, known=variants: tidied(text) in known) & column.present  # type: ignore[misc]
        count = int(where.sum())
        examples = tuple(f"{old!r} for {new!r}" for old, new in list(variants.items())[:MOST_EXAMPLES])
        are = agree(count, "is rare and looks", "are rare and look")
        says = f"{are} like a common value written wrongly or shortened"
        if initials:
            says = agree(count, "is the first letter of another value", "are the first letters of other values")
        text = f"{counted(count, 'cell')} of {name} {says}"
        remedy = Recode(column=name, values=dict(variants), ignore=["spaces"])
        yield Finding("text.spelling", (name,), count, table.rows_where(where), examples, text, remedy)


def variants_of(table: ColumnCache, name: str) -> dict[str, str]:
    """Return each rare value with the common one that was meant."""
    column = table[name]
    present = table.present_count(name)
    if column.type.word != "string" or not present or column.text.item_count > MOST_RARE + MOST_COMMON_VALUES:
        return {}
    if not noticed(column, OUTER_SPACES | INNER_SPACES).any():
        # Of most columns their counts alone say that nothing is common.
        stored = column._text_counts()
        if int(stored[stored >= LEAST_COMMON].sum()) < LEAST_REPEATED_SHARE * present:
            return {}
    counts = _tidied_counts(column)
    common = {text: count for text, count in counts.items() if count >= LEAST_COMMON}
    if not common or len(common) > MOST_COMMON_VALUES or sum(common.values()) < LEAST_REPEATED_SHARE * present:
        return {}
    if sum(len(text.split()) > MOST_WORDS for text in common) > len(common) / 2:
        return {}
    most = max(common.values())
    # What differs by case and marks alone is said elsewhere; what is common itself may still be far rarer than another.
    known: dict[str, set[str]] = {}
    for text in common:
        known.setdefault(folded(text), set()).add(text)
    rare = [
        text for text, count in counts.items()
        if count * _ratio(text, 1) <= most and known.get(folded(text), set()) <= {text}
    ]  # fmt: skip
    found = {}
    for text, candidates in _near(rare, common, counts):
        best = [one for one in candidates if not are_told_apart(table, column, text, one)]
        if len(best) == 1:
            found[text] = best[0]
    # What stands for a misspelling is itself no misspelling.
    return {old: new for old, new in sorted(found.items()) if new not in found}


def _tidied_counts(column: Column) -> dict[str, int]:
    """Return how often each value is there, without needless spaces."""
    distinct = column.distinct()
    counts: dict[str, int] = {}
    for text, count in distinct.commonest(len(distinct)):
        counts[tidied(text)] = counts.get(tidied(text), 0) + count
    return counts


def _near(rare: list[str], common: dict[str, int], counts: dict[str, int]) -> Iterable[tuple[str, list[str]]]:
    """Return the rare values that look like common ones, with those."""
    from rapidfuzz.distance import OSA
    from rapidfuzz.process import extract

    targets = {text: text.casefold() for text in common}
    for text in rare:
        if not text or len(text) > LONGEST_COMPARED or as_meant(text) != text or runs_as_formula(text):
            continue
        letters = sum(map(str.isalpha, text))
        limit = 2 if letters >= TWO_LETTERS else 1 if letters >= ONE_LETTER else 0
        near: dict[str, int] = {}
        if limit:
            for _, distance, target in extract(
                text.casefold(), targets, scorer=OSA.distance, score_cutoff=limit, limit=4
            ):
                if distance and target != text and _letters_only(text, target):
                    near[target] = int(distance)
        enough = [one for one in near if counts[text] * _ratio(text, near[one]) <= common[one]]
        closest = min((near[one] for one in enough), default=0)
        candidates = [one for one in enough if near[one] == closest]
        if not candidates:
            candidates = [
                one for one in common
                if counts[text] * LEAST_RATIO <= common[one] and is_abbreviation(text, one)
            ]  # fmt: skip
        if candidates:
            yield text, candidates


def _ratio(text: str, distance: int) -> int:
    """Return how many times rarer than the right one a value has to be to be a misspelling of it."""
    return LONG_RATIO if distance == 1 and sum(map(str.isalpha, text)) >= LONG_WORD else LEAST_RATIO


def initials_of(table: ColumnCache, name: str) -> dict[str, str]:
    """Return single letters with the word that each begins, in a column of few values where all letters begin one."""
    column = table[name]
    if column.type.word != "string" or column.text.item_count > 2 * MOST_WITH_INITIALS or yes_no_forms(column):
        return {}
    counts = _tidied_counts(column)
    if len(counts) > MOST_WITH_INITIALS:
        return {}
    words: dict[str, str] = {}
    for text in sorted(counts, key=lambda text: -counts[text]):
        if len(text) >= LEAST_LETTERS and text.isalpha() and not is_missing_word(text):
            words.setdefault(text.casefold(), text)
    letters = [text for text in counts if len(text) == 1 and text.isalpha()]
    found: dict[str, str] = {}
    for letter in letters:
        begun = [text for word, text in words.items() if word.startswith(letter.casefold())]
        if len(begun) != 1 or are_told_apart(table, column, letter, begun[0]):
            return {}
        found[letter] = begun[0]
    return found if len(set(map(str.casefold, letters))) >= LEAST_INITIALS else {}


def _letters_only(one: str, other: str) -> bool:
    """Return whether two texts differ in letters, and in no digit, sign or single-letter word."""
    if _DIGITS.findall(one) != _DIGITS.findall(other):
        return False
    mine, theirs = _WORDS.findall(one.casefold()), _WORDS.findall(other.casefold())
    if len(mine) == len(theirs):
        # North 1 and North 2, Ward A and Ward B, January and February are no misspellings of each other.
        return all(
            a == b or (min(len(a), len(b)) > 2 and a[-1:].isalpha() == b[-1:].isalpha())
            for a, b in zip(mine, theirs, strict=True)
        )
    return True


def is_abbreviation(short: str, whole: str) -> bool:
    """Return whether a text is an abbreviation of another: the beginnings of its words, or their first letters.

    >>> is_abbreviation("Mill Rd.", "Mill Road"), is_abbreviation("SV", "Seven Valleys"), is_abbreviation("Mil", "Mill")
    (True, True, False)
    """
    if len(short) >= len(whole):
        return False
    mine, theirs = _WORDS.findall(short.casefold()), _WORDS.findall(whole.casefold())
    if not mine or not all(word.isalpha() for word in mine):
        return False
    if len(mine) == 1 and len(theirs) > 1:
        initials = "".join(word[0] for word in theirs)
        main = "".join(word[0] for word in theirs if len(word) > 3)
        return len(mine[0]) > 1 and mine[0] in (initials, main) and short.replace(".", "").isupper()
    if len(mine) != len(theirs):
        return False
    shortened = [a for a, b in zip(mine, theirs, strict=True) if a != b]
    return bool(shortened) and all(
        a == b or (_is_shortened(a, b) and ("." in short or len(b) - len(a) >= 2))
        for a, b in zip(mine, theirs, strict=True)
    )


def _is_shortened(short: str, whole: str) -> bool:
    """Return whether a word is the beginning of another, or its consonants: Rd, Dept."""
    if not short or short[0] != whole[0] or len(short) >= len(whole):
        return False
    if whole.startswith(short):
        return len(short) > 1 or len(whole) > 3
    rest = iter(whole)
    return (
        len(short) <= len(whole) / 2 + 1
        and all(sign in rest for sign in short)
        and not set(short[1:]) & set("aeiouäöüy")
    )
