"""Findings about texts that differ only by spaces, case or punctuation, or that mean yes and no in several forms."""

from collections import Counter
from collections.abc import Collection

import numpy as np

from comb.errors import agree, counted
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.types import INNER_SPACES, OUTER_SPACES
from comb.parsing.letters import as_typed
from comb.parsing.vocabulary import BOOLEAN_PAIRS, KNOWN_WORDS, is_missing_word
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, noticed, quoted
from comb.profiling.text_forms import may_be_one
from comb.profiling.told_apart import are_told_apart
from comb.steps.cell_steps import HIDDEN, Recode, Trim, tidied, uncovered
from comb.tables.column import Column
from comb.tables.stored import text_counts
from comb.tables.text import Text

# A column with more distinct texts than this share of its cells is free text or a key.
MOST_DISTINCT = 0.5

# And so is one with more than this, however many cells it has.
MOST_FORMS = 100_000

# Forms with fewer letters are codes, symbols or grades, in which case and marks say something: mg and Mg, A and A+.
LEAST_LETTERS = 3

# With as many at most, a capital inside one of them shows that case says something: AABB, AaBb, aabb. Else one of
# them has to be this many times as common as the others.
FEW_LETTERS = 4
MUCH_COMMONER = 5

# A form that is there this often, and at least this share as often as the commonest, may be a value of its own.
LEAST_COMMON = 10
COMMON_TOO = 0.4

# Words for yes and no are no more than this in a column, with those that mean missing; 1 and 0 may stand beside words.
MOST_ANSWERS = 16
YES_WORDS = frozenset(pair[0] for pair in BOOLEAN_PAIRS) | {"1"}
NO_WORDS = frozenset(pair[1] for pair in BOOLEAN_PAIRS) | {"0"}

# A word of this many letters is the same in small letters and with a capital, however common both are.
LEAST_WORD_LETTERS = 5

# In columns whose values do not recur, only names are compared: texts of no more words than this.
MOST_WORDS = 4

# Texts are cut off at a length where this many different ones have it, several times as many as are a little shorter,
# and not nearly all; most of them end differently, behind a letter or digit.
LEAST_CUT = 20
LEAST_FULL = 4
NEARLY_AS_LONG = 10
TIMES_AS_MANY = 5
MOST_FULL = 0.8
MOSTLY = 0.7
DIFFERENT_ENDS = 12
MOST_ENDS = 1_000
LETTERS_AT_END = 4
LONGEST_END = 25

# Letters for male, female in English and German, and other or unknown.
SEXES = frozenset("mfwdxuo")

# What separates letters, but not digits; and marks at the end, behind a word.
_BETWEEN_LETTERS = lazy_pattern(r"(?<=[^\W\d_])[-_.,;:\s]+(?=\w)|(?<=\w)[-_.,;:\s]+(?=[^\W\d_])")
_AT_END = lazy_pattern(r"(\w)[.,;:]+$")
_ABBREVIATION = lazy_pattern(r"[^\W\d_]{2,4}|(?:[^\W\d_]\.){1,3}[^\W\d_]\.?")
_MARKS_AT_END = (".", ",", ";", ":")


def cut_off(table: ColumnCache) -> Findings:
    """Texts of several words that end where another program had no more room."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not column.present.any():
            continue
        text = column.text
        _, lengths = text.traits(KNOWN_WORDS)
        used = text_counts(column, table._storage) > 0
        longest = int(np.max(lengths, where=used, initial=0))
        full = used & (lengths == longest)
        different = int(np.count_nonzero(full))
        # As many would be as long by chance as are a little shorter.
        shorter = int(np.count_nonzero(used & (lengths < longest) & (lengths >= longest - NEARLY_AS_LONG)))
        if longest < LEAST_CUT or different < max(LEAST_FULL, TIMES_AS_MANY * shorter / NEARLY_AS_LONG):
            continue
        some = Text(text.buffer, text.offsets).take(np.flatnonzero(full)[:MOST_ENDS]).to_list()
        # What is made of one pattern is as long and ends the same; codes are one word; who ends writes a full stop.
        ends = {one[-LETTERS_AT_END:] for one in some}
        open_ends = [one for one in some if " " in one and one[-1].isalnum()]
        alike = len(ends) < min(MOSTLY * len(some), DIFFERENT_ENDS)
        # Where most end with a digit, they end with a number: lines that are counted, pairs with a value.
        alike |= 2 * sum(one[-1].isdigit() for one in some) > len(some)
        if alike or len(open_ends) < MOSTLY * len(some) or different > MOST_FULL * np.count_nonzero(used):
            continue
        where = (full if text.codes is None else full[text.codes]) & column.present
        count = int(np.count_nonzero(where))
        says = (
            f"{counted(count, 'text')} of {name} {agree(count, 'has', 'have')} {longest:,} characters, the most of all,"
        )
        says += " and end in the middle: another program seems to have cut them off; the rest is not in this file"
        examples = tuple(repr("..." + one[-LONGEST_END:]) for one in some[:MOST_EXAMPLES])
        yield Finding("text.cut_off", (name,), count, table.rows_where(where), examples, says)


def spaces(table: ColumnCache) -> Findings:
    """Texts with outer spaces or with several spaces in a row."""
    for name, column in table.columns.items():
        if column.type.word != "string":
            continue
        # The spaces that part columns of fixed width are not needless.
        where = noticed(column, OUTER_SPACES | INNER_SPACES) & ~table.told(name)
        if where.any():
            # A no-break space at an end is reported as such.
            spaced = (column.text.traits(KNOWN_WORDS)[0] & (OUTER_SPACES | INNER_SPACES)) != 0
            where &= ~column.text.flags(lambda text: HIDDEN.search(text) is not None and not _spaced(text), spaced)
        count = int(where.sum())
        if not count:
            continue
        words = dict(column._take(where.nonzero()[0]).distinct().commonest(MOST_EXAMPLES))
        inner = noticed(column, INNER_SPACES)
        text = f"{counted(count, 'cell')} of {name} {agree(count, 'has', 'have')} outer or repeated spaces"
        remedy = Trim(columns=[name], inner=bool(inner.any()))
        yield Finding("text.spaces", (name,), count, table.rows_where(where), quoted(words), text, remedy)


def _spaced(text: str) -> bool:
    return text.startswith(" ") or text.endswith(" ") or "  " in text


def folded(text: str) -> str:
    """Return what is left of a text without case, spaces, kinds of dashes and quotes and what only separates letters.

    Signs that say something stay: ``A+`` is not ``A``, ``1.5`` not ``15``, ``laying?`` not ``laying``.

    >>> folded("Old Mill."), folded("OLD-MILL"), folded("A-"), folded("No. 1.5")
    ('oldmill', 'oldmill', 'a-', 'no1.5')
    """
    text = as_typed(text.strip())
    if text.isalnum():
        return text.casefold()
    ended = _AT_END.sub(r"\1", text) if text[-1:] in _MARKS_AT_END else text
    return _BETWEEN_LETTERS.sub("", ended).casefold()


def yes_and_no(table: ColumnCache) -> Findings:
    """Columns that say yes and no in more than one pair of words: ``Y``, ``no``, ``yes``."""
    for name, column in table.columns.items():
        forms = yes_no_forms(column) if column.type.word == "string" else {}
        if not forms:
            continue
        where = column.text.flags(lambda text, known=forms: tidied(text) in known) & column.present  # type: ignore[misc]
        shown = [
            (text, count) for text, count in column.distinct().commonest(MOST_ANSWERS) if not is_missing_word(text)
        ]
        listed = ", ".join(f"{text!r} {count:,}" for text, count in shown)
        text = f"{name} says yes and no in several forms: {listed}; convert {name} to boolean reads all of them"
        remedy = Recode(column=name, values=dict(forms), ignore=["spaces"])
        examples = tuple(f"{old!r} for {new!r}" for old, new in list(forms.items())[:MOST_EXAMPLES])
        yield Finding("type.booleans", (name,), int(where.sum()), table.rows_where(where), examples, text, remedy)


def yes_no_forms(column: Column) -> dict[str, str]:
    """Return each word for yes or no with that of the commonest pair; empty where one pair is all, or other values are.

    >>> yes_no_forms(Column._of_strings(["Y", "Y", "N", "no", "yes"]))
    {'yes': 'Y', 'no': 'N'}
    """
    if column.text.item_count > MOST_ANSWERS:
        return {}
    counts: dict[str, int] = {}
    for text, count in column.distinct().commonest(MOST_ANSWERS + 1):
        if not is_missing_word(text):
            counts[tidied(text)] = counts.get(tidied(text), 0) + count
    words = {form: form.casefold() for form in counts}
    yes = {form for form, word in words.items() if word in YES_WORDS}
    no = {form for form, word in words.items() if word in NO_WORDS}
    pairs = [pair for pair in (*BOOLEAN_PAIRS, ("1", "0")) if set(words.values()) & set(pair)]
    found = set(words.values())
    if not yes or not no or len(yes) + len(no) < len(words) or not found - {"0", "1"}:
        return {}
    if any(found <= set(pair) for pair in pairs) or not all(_has_partner(word, found) for word in found):
        return {}
    best = max(pairs, key=lambda pair: sum(count for form, count in counts.items() if words[form] in pair))
    result: dict[str, str] = {}
    for group, word in ((yes, best[0]), (no, best[1])):
        # In the order of the counts, so that of two that are as common it is always the same.
        alike = [form for form in counts if form in group]
        own = [form for form in alike if words[form] == word]
        chosen = max(own, key=lambda form: counts[form]) if own else _cased_like(next(iter(counts)), word)
        result |= {form: chosen for form in alike if form != chosen}
    return result


def _cased_like(other: str, word: str) -> str:
    return word.upper() if other.isupper() else word.capitalize() if other[:1].isupper() else word


def _has_partner(word: str, found: set[str]) -> bool:
    """Return whether a letter is one of a pair here, or begins a word here or its opposite: T and N are other codes."""
    if len(word) > 1 or word.isdigit():
        return True
    opposites = {other for pair in BOOLEAN_PAIRS if word in pair for other in pair} - {word}
    long = {one for pair in BOOLEAN_PAIRS if found & {one for one in pair if len(one) > 1} for one in pair}
    return bool(opposites & found) or any(one.startswith(word) for one in long)


def spelling_by_case(table: ColumnCache) -> Findings:
    """Values that differ from a commoner one by case or punctuation only."""
    for name, column in table.columns.items():
        variants = _variants(table, column) if column.type.word == "string" else {}
        if not variants:
            continue
        where = column.text.flags(lambda text, known=variants: tidied(text) in known) & column.present  # type: ignore[misc]
        count = int(where.sum())
        examples = tuple(f"{old!r} for {new!r}" for old, new in list(variants.items())[:MOST_EXAMPLES])
        differ = agree(count, "differs", "differ")
        counts = dict(column.distinct().commonest(len(column.distinct())))
        commoner = all(counts.get(best, 0) > counts.get(form, 0) for form, best in variants.items())
        other = "a commoner" if commoner else "another"
        text = f"{counted(count, 'cell')} of {name} {differ} from {other} value only by case or punctuation"
        # Forms are compared without needless spaces, and so are the cells.
        spaced = bool((where & noticed(column, OUTER_SPACES | INNER_SPACES)).any())
        remedy = Recode(column=name, values=dict(variants), ignore=["spaces"] if spaced else [])
        yield Finding("text.case", (name,), count, table.rows_where(where), examples, text, remedy)


def _variants(table: ColumnCache, column: Column) -> dict[str, str]:
    """Return each rarer form, without needless spaces, with the commonest of its group."""
    if column.text.item_count > MOST_FORMS or yes_no_forms(column):
        return {}
    if not may_be_one(column.text, column._text_counts()):
        return {}
    distinct = column.distinct()
    recurring = len(distinct) <= MOST_DISTINCT * len(column)
    forms: dict[str, dict[str, int]] = {}
    texts = distinct.commonest(len(distinct))
    typographic = {as_typed(text) for text, _ in texts if as_typed(text) != text}
    for text, count in texts:
        if text.upper() == text.lower() and as_typed(text) not in typographic:
            # Without letters there are no forms of a word, but for dashes between numbers.
            continue
        form = tidied(uncovered(text))
        group = forms.setdefault(folded(form), {})
        group[form] = group.get(form, 0) + count
    # In a short table values hardly recur, even less if they are in several forms.
    recurring = recurring or len(forms) <= MOST_DISTINCT * (len(column) - column.missing_count)
    styles = Counter(style for group in forms.values() for style in map(_style, group))
    result = {}
    for key, group in forms.items():
        if len(group) > 1 and (recurring or _are_words(group)) and _one_word(key, group, forms):
            # Of two that are as common, the one that is written as the other values are.
            best = max(group, key=lambda form: (group[form], styles[_style(form)], as_typed(form) == form, form))
            rare = [
                form for form in sorted(group)
                if form != best
                and (
                    as_typed(form) == as_typed(best)
                    or not _common_too(group[form], group[best])
                    or _is_one_word_twice(table, column, form, best)
                )
            ]  # fmt: skip
            result.update(dict.fromkeys(rare, best))
    return result


def _style(form: str) -> str:
    """Return how a text uses capitals; empty for none of the usual ways."""
    return next((way for way in ("lower", "upper", "title", "capitalize") if getattr(form, way)() == form), "")


def _are_words(group: Collection[str]) -> bool:
    """Return whether forms are the same few words in usual ways to write them, as names are and codes are not."""
    return all(
        _style(form) and len(form) >= LEAST_WORD_LETTERS and form.replace(" ", "").isalpha()
        and form.count(" ") < MOST_WORDS
        for form in group
    )  # fmt: skip


def _common_too(count: int, most: int) -> bool:
    """Return whether a form is so common itself that it may be another value: two genes, two places."""
    return count >= LEAST_COMMON and count >= COMMON_TOO * most


def _is_one_word_twice(table: ColumnCache, column: Column, form: str, best: str) -> bool:
    """Return whether two common forms are one word, of letters only, in two of the usual ways to write one.

    Both are then values of a column that nobody kept to one way: ``shipped`` and ``Shipped``, ``HR`` and ``hr``, ``IT``
    and ``I.T.``. Where another column says different things of them, they are two.
    """
    words = form.casefold() == best.casefold() and form.replace(" ", "").isalpha() and len(form) >= LEAST_WORD_LETTERS
    words = words and bool(_style(form) and _style(best))
    return (words or _are_abbreviations((form, best))) and not are_told_apart(table, column, form, best)


def _are_abbreviations(group: Collection[str]) -> bool:
    """Return whether forms are one abbreviation: in capitals or small letters, with dots or without.

    >>> _are_abbreviations(["IT", "I.T.", "it"]), _are_abbreviations(["mg", "Mg"])
    (True, False)
    """
    if not all(map(_ABBREVIATION.fullmatch, group)):
        return False
    styles = {_style(form.replace(".", "")) for form in group}
    return "upper" in styles and styles <= {"upper", "lower"}


def _one_word(key: str, group: dict[str, int], forms: dict[str, dict[str, int]]) -> bool:
    """Return whether the forms of a group are one word in several spellings, and not symbols that differ."""
    if len(set(map(as_typed, group))) == 1:
        return True
    letters = sum(map(str.isalpha, key))
    if letters == 1 and _are_sexes(forms):
        return True
    if letters == LEAST_LETTERS - 1 and _are_abbreviations(group):
        # Where a capital is followed by a small letter, as in Mg, case says something.
        return not any(len(form) == letters and form.istitle() for found in forms.values() for form in found)
    if letters < LEAST_LETTERS or letters > FEW_LETTERS:
        return letters > FEW_LETTERS
    *others, most = sorted(group.values())
    short = [form for found in forms.values() for form in found if sum(map(str.isalpha, form)) <= FEW_LETTERS]
    return most >= MUCH_COMMONER * sum(others) or all(map(_style, short))


def _are_sexes(forms: dict[str, dict[str, int]]) -> bool:
    """Return whether all values are letters for the sexes, which have no case: ``M``, ``f``, ``m``."""
    keys = {key for key, group in forms.items() if not all(map(is_missing_word, group))}
    return keys <= SEXES and "m" in keys and bool(keys & {"f", "w"})
