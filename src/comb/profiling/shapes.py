"""Findings about how the texts of a column are built: codes of another length or shape, several values in one cell.

The shape of a text is what is left when each letter and digit is only said to be one: ``WR-0102`` is ``AA-9999``.
Where nearly all values of a column have one shape, they are codes, and what is built otherwise is a slip or another
kind of code. If only the number of its letters or digits differs, it is too short or too long; else it is off the
pattern.
"""

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence, Set
from itertools import chain, islice

import numpy as np

from comb.errors import agree, counted
from comb.execution.storage import blocks_of
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.kernels.notation import SHORTENED
from comb.kernels.types import INNER_SPACES, IS_KNOWN, OUTER_SPACES
from comb.profiling.characters import as_meant, runs_as_formula
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, noticed, quoted
from comb.profiling.headings import CODE_WORDS, words_of
from comb.profiling.pairs import MOST_TRIED, marks_of
from comb.profiling.text_forms import most_of_a_shape, shapes_of
from comb.steps.cell_steps import tidied
from comb.tables.column import Column
from comb.tables.evidence import LEAST_DOUBTED, Evidence
from comb.tables.types import STRING

# A shape is that of the column if at least this share of the cells has it; number plates and post codes with several
# usual shapes have none. What is off it may be one in ten by one slip, or more by several.
LEAST_SHAPE = 0.75
MOST_ONE_OTHER = 0.22

# Codes are several different ones, and not words that happen to be as long.
LEAST_CODES = 8
LONGEST_CODE = 40

# Whole numbers are codes if nearly all are different and have as many digits; fewer digits are found among numbers too.
LEAST_DIGITS = 6
LEAST_CALLED_DIGITS = 4
LEAST_UNIQUE = 0.9
LEAST_SAME_LENGTH = 0.97

# Columns with more different texts are looked at by their first ones, and what is found there on all.
MOST_TEXTS = 200_000

# Single values are reported from several in a cell if the parts recur.
MARKS = ("; ", ";", " | ", "|", " / ", "/", ", ", ",", " + ", " & ")
LEAST_PACKED = 3
LEAST_PACKED_SHARE = 0.05
MOST_PARTS_SHARE = 0.34
LONGEST_PART = 40


def squeezed(form: str) -> str:
    """Return a shape without the lengths of its runs: ``AA-9999`` becomes ``A-9``."""
    return re.sub(r"(.)\1+", r"\1", form) if form else form


def odd_codes(table: ColumnCache) -> Findings:
    """Codes that are shorter or longer than their kind, and values off the shape of their column."""
    for name, column in table.columns.items():
        if column.type.word == "integer":
            yield from _odd_numbers(table, name, column)
        evidence = table.read_as_text(name)
        if column.type.word != "string" or (evidence is not None and _is_other(evidence)):
            # Of texts that mostly are dates or numbers the others are reported as not of that type.
            continue
        odd = _odd_texts(table, name)
        if odd is None:
            continue
        usual, short, off = odd
        # A plural is longer than its singular, and no code has lost a digit.
        short = {} if _WORD_APART.search(usual) else short
        for code, texts in (("text.length", short), ("text.pattern", off)):
            if texts:
                where = column.text.flags(lambda text, found=texts: tidied(text) in found) & column.present  # type: ignore[misc]
                count = int(where.sum())
                words = dict(Counter(texts).most_common(MOST_EXAMPLES))
                if code == "text.length":
                    says = f"{counted(count, 'cell')} of {name} {agree(count, 'is', 'are')} shorter or longer than the"
                    says += f" others, which are built like {usual}"
                else:
                    says = f"{counted(count, 'cell')} of {name} {agree(count, 'is', 'are')} not built like the others:"
                    says += f" {usual}"
                yield Finding(code, (name,), count, table.rows_where(where), quoted(words), says)


_WORD_APART = lazy_pattern(r"(?:\A| )a{3,}(?= |\Z)")


def _is_other(evidence: Evidence) -> bool:
    """Return whether texts are of another type, or would be if their marks could be read in one way only."""
    enough = LEAST_DOUBTED * evidence.chosen.fits
    open_numbers = any(one.doubt and one.type.numeric and one.fits >= enough for one in evidence.tried)
    return evidence.chosen.type.plain != STRING or open_numbers


def odd_addresses(table: ColumnCache) -> Findings:
    """Texts that are no address of mail or of the web, in columns where nearly all others are."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not column.present.any():
            continue
        first = column._take(column._first_present(FIRST_SEEN)).text.to_list()
        for what, form in _ADDRESSES.items():
            if sum(form.fullmatch(text.strip()) is not None for text in first) < LEAST_ADDRESSES * len(first):
                continue
            fits = column.text.flags(lambda text, form=form: form.fullmatch(text.strip()) is not None)  # type: ignore[misc]
            where = column.present & ~fits & ~noticed(column, IS_KNOWN) & ~table.told(name)
            count = int(where.sum())
            if count and count <= (1 - LEAST_ADDRESSES) * int(column.present.sum()):
                words = dict(column._take(np.flatnonzero(where)).distinct().commonest(MOST_EXAMPLES))
                says = f"{counted(count, 'cell')} of {name} {agree(count, 'is', 'are')} no {what}, as the others are"
                yield Finding("text.pattern", (name,), count, table.rows_where(where), quoted(words), says)


# Of this many texts nearly all are addresses, where a column holds them.
FIRST_SEEN = 200
LEAST_ADDRESSES = 0.8

# By the parts that every address has: a name, an at sign and a host; a protocol or www, and a host.
_ADDRESSES = {
    "mail address": lazy_pattern(r"[^\s@<>,;\"]+@[^\s@<>,;\".]+(?:\.[^\s@<>,;\".]+)+"),
    "web address": lazy_pattern(r"(?i)(?:https?://|ftp://|www\.)[^\s/.]+(?:\.[^\s/.]+)*\S*"),
}


def _counts_of(table: ColumnCache, name: str) -> Codes:
    """Count the cells that hold each stored text; words for missing and cells known to be wrong aside."""
    column = table[name]
    left_out = (noticed(column, IS_KNOWN) | table.told(name)) & column.present
    if not left_out.any():
        return column._text_counts()
    used = column.present & ~left_out
    codes = column.text.codes
    return used.astype(np.int64) if codes is None else np.bincount(codes[used], minlength=column.text.item_count)


def _texts_of(column: Column, counts: Codes) -> Counter[str]:
    """Count the texts of a column without needless spaces."""
    used = np.flatnonzero(counts)
    texts = dispatch.kernels.take(column.text.packed(), used).strings()
    pairs = zip(texts, counts[used].tolist(), strict=True)
    if not noticed(column, OUTER_SPACES | INNER_SPACES).any():
        return Counter(dict(pairs))
    found: Counter[str] = Counter()
    for text, count in pairs:
        found[tidied(text)] += count
    return found


def _commonest(texts: Mapping[str, int], some: Collection[str]) -> dict[str, int]:
    """Return some texts with their counts, the commonest first."""
    return {text: texts[text] for text in sorted(some, key=lambda text: (-texts[text], text))}


def _odd_texts(table: ColumnCache, name: str) -> tuple[str, dict[str, int], dict[str, int]] | None:
    """Return the usual shape, the texts that differ from it in length only, and those that differ otherwise."""
    column = table[name]
    first = column._take(column._first_present(MOST_EXAMPLES * 10)).text.to_list()
    if not first or sum(len(text) > LONGEST_CODE for text in first) > len(first) / 2:
        return None
    counts = _counts_of(table, name)
    total = int(counts.sum())
    if not LEAST_CODES <= np.count_nonzero(counts) <= MOST_TEXTS:
        return None
    if not LEAST_SHAPE * total <= most_of_a_shape(column.text, counts) < total:
        return None
    texts = _texts_of(column, counts)
    if len(texts) < LEAST_CODES:
        return None
    shapes: Counter[str] = Counter()
    forms = dict(zip(texts, shapes_of(list(texts)), strict=True))
    for form, count in zip(forms.values(), texts.values(), strict=True):
        shapes[form] += count
    usual, most = shapes.most_common(1)[0]
    if most < LEAST_SHAPE * total or most == total or not _is_code(usual, forms) or usual.startswith("+"):
        # Numbers to dial are as long as they are.
        return None
    others = {form: count for form, count in shapes.items() if form != usual}
    # A second usual shape is another kind of code.
    if max(others.values()) > MOST_ONE_OTHER * total:
        return None
    ordinary = [text for text, form in forms.items() if form == usual]
    shaped: dict[str, list[str]] = {}
    for text, form in forms.items():
        if form != usual:
            shaped.setdefault(form, []).append(text)
    natural = _counted(usual, ordinary, shaped)
    letters = usual.replace("a", "A")
    short: set[str] = set()
    off: set[str] = set()
    for form, alike in shaped.items():
        capitals = form.replace("a", "A")
        if capitals == letters:
            # In another case it is written, not built, differently.
            continue
        same_build = squeezed(capitals) == squeezed(letters)
        for text in alike:
            # What else is wrong with a text is reported as such.
            wrong = as_meant(text) != text or runs_as_formula(text) or SHORTENED.fullmatch(text)
            if not wrong and not (same_build and natural(text)):
                (short if same_build else off).add(text)
    if all(map(_is_range, ordinary)):
        # Ages of 5-9 and 90+ are no other kind of thing than those of 10-14.
        short = {text for text in short if not _is_range(text, same_width=False)}
        off = {text for text in off if not _OPEN_CLASS.fullmatch(text)}
    return usual, _without_words(usual, _commonest(texts, short)), _commonest(texts, off)


def _is_range(text: str, *, same_width: bool = True) -> bool:
    """Return whether a text is a class from one number to a larger one; of numbers as long as each other, or any."""
    found = _RANGE.fullmatch(text)
    return (
        found is not None and float(found[1]) < float(found[2]) and (not same_width or len(found[1]) == len(found[2]))
    )


_RANGE = lazy_pattern(r"(\d+(?:\.\d+)?) ?(?:-|–|to|bis) ?(\d+(?:\.\d+)?)(?: ?[^\W\d]+)?")
_OPEN_CLASS = lazy_pattern(
    r"(?i)(?:[<>≤≥]=? ?|(?:under|over|below|above|up to|from|less than|more than|unter|über|bis|ab) )"
    r"\d+(?:\.\d+)?.{0,10}"
    r"|\d+(?:\.\d+)? ?(?:\+|(?:and|or|und|oder) ).{0,20}"
)


def _without_words(usual: str, texts: dict[str, int]) -> dict[str, int]:
    """Leave out texts in which one and the same word is longer or shorter: sizes S and XL are not codes cut short."""
    words: dict[str, list[str]] = {}
    lengths = [len(run) for run in _RUNS.findall(usual)]
    for text in texts:
        runs = _RUNS.findall(text)
        other = [run for run, length in zip(runs, lengths, strict=False) if len(run) != length and run.isalpha()]
        words.setdefault(" ".join(other), []).append(text)
    said = {text for word, found in words.items() if word and len(found) >= LEAST_WORD for text in found}
    return {text: count for text, count in texts.items() if text not in said}


_RUNS = lazy_pattern(r"[0-9]+|[^\W\d_]+|[\W_]+")

# In this many values a word of another length is a value of its own.
LEAST_WORD = 3


_DIGITS = lazy_pattern(r"[0-9]+")

# Shorter numbers are those of a count if there are at least this share as many of them, for as many as there could be.
LEAST_DENSE = 0.3


def _counted(usual: str, ordinary: Sequence[str], others: Mapping[str, Sequence[str]]) -> Callable[[str], bool]:
    """Return which texts are shorter or longer only because what they count is small or large: K9 before K10.

    Each of their numbers is looked at beside those in its place: ``5 x 44 cm`` among ``12 x 30 cm``.

    Parameters
    ----------
    usual : str
        The shape that most have.
    ordinary : sequence of str
        The texts of that shape.
    others : mapping of str to sequence of str
        All others, by their shape.
    """
    build = _build(usual)
    spans = [found.span() for found in _DIGITS.finditer(usual)]
    # Digits of other scripts do not count, nor do raised ones.
    plain = ordinary if all(map(str.isascii, ordinary)) else [text for text in ordinary if _plain_digits(text, spans)]
    numbers = {
        text: runs
        for form, texts in others.items() if _build(form) == build
        for text in texts if len(runs := _DIGITS.findall(text)) == len(spans)
    }  # fmt: skip
    if not plain:
        return lambda text: False
    natural = [
        _natural_numbers([text[start:end] for text in plain], [runs[at] for runs in numbers.values()])
        for at, (start, end) in enumerate(spans)
    ]
    lengths = [end - start for start, end in spans]

    def is_natural(text: str) -> bool:
        runs = numbers.get(text, [])
        return bool(runs) and all(
            len(run) == length or run in known for run, length, known in zip(runs, lengths, natural, strict=True)
        )

    return is_natural


def _plain_digits(text: str, spans: Sequence[tuple[int, int]]) -> bool:
    return all(text[start:end].isascii() for start, end in spans)


def _build(form: str) -> str:
    """Return a shape without the lengths of its numbers, in whatever case."""
    return _DIGITS.sub("9", form).replace("a", "A")


def _natural_numbers(usual: Sequence[str], others: Sequence[str]) -> Set[str]:
    """Return which numbers in one place of codes, of another length than the usual ones, are so because they count.

    Where a number is filled up with zeros, none is; nor are a few short ones among codes that begin anywhere.
    """
    digits = len(usual[0])
    if digits > 1 and min(usual)[0] == "0":
        return frozenset()
    numbers = np.unique(np.array(list(map(int, usual)), dtype=np.float64))
    low, high = 10.0 ** (digits - 1), 10.0**digits
    dense = len(numbers) / max(1.0, numbers[-1] - low + 1)
    plain = [run for run in others if run == "0" or run[0] != "0"]
    shorter = {run for run in plain if len(run) < digits}
    longer = {run for run in plain if len(run) > digits}
    known: Set[str] = frozenset()
    if len(shorter) >= LEAST_DENSE * dense * (low - low / 10):
        known |= shorter
    if longer and min(map(int, longer)) <= 1.1 * high and numbers[-1] >= 0.9 * high:
        known |= longer
    return known


def _is_code(usual: str, forms: Mapping[str, str]) -> bool:
    """Return whether a shape is one of codes: it has digits, or capitals of one length only."""
    different = sum(form == usual for form in forms.values())
    if different < LEAST_CODES:
        return False
    return "9" in usual or (set(usual) <= set("A-_./ ") and len(usual) > 1)


def _odd_numbers(table: ColumnCache, name: str, column: Column) -> Findings:
    """Whole numbers that are codes of one length, and those among them that are shorter or longer."""
    present = table.present_count(name)
    if present < LEAST_CODES or table.different(name) < LEAST_UNIQUE * present:
        return
    ordered = table.ordered(name)
    if ordered[0] <= 0:
        return
    edges = 10 ** np.arange(1, 19, dtype=np.int64)
    counts = np.diff(np.concatenate([[0], np.searchsorted(ordered, edges, "left"), [present]]))
    digits = int(np.argmax(counts)) + 1
    most = int(counts[digits - 1])
    called = bool(words_of(name) & CODE_WORDS)
    if (
        digits < (LEAST_CALLED_DIGITS if called else LEAST_DIGITS)
        or most == present
        or most < LEAST_SAME_LENGTH * present
    ):
        return
    low, high = 10 ** (digits - 1), 10**digits
    usual = ordered[(ordered >= low) & (ordered < high)]
    # Numbers that go on beyond a power of ten are counted, not built.
    shorter, longer = ordered[ordered < low], ordered[ordered >= high]
    near = (len(shorter) and shorter[-1] > low - (usual[-1] - usual[0]) // 10) or (
        len(longer) and longer[0] < high + (usual[-1] - usual[0]) // 10
    )
    if near and usual[0] < low * 1.2 and not called:
        return
    where = column.present & ((column.array < low) | (column.array >= high))
    count = int(where.sum())
    examples = tuple(map(str, column.array[where][:MOST_EXAMPLES].tolist()))
    text = f"{counted(count, 'number')} of {name} {agree(count, 'has', 'have')} not {digits} digits as all others"
    yield Finding("text.length", (name,), count, table.rows_where(where), examples, text)


def packed(table: ColumnCache) -> Findings:
    """Cells that hold several values, with a mark between them."""
    for name, column in table.columns.items():
        if column.type.word != "string" or not table.present_count(name):
            continue
        text = column.text
        if not any(any(ord(sign) in text.buffer[part] for part in blocks_of(len(text.buffer))) for sign in ";|/,+&"):
            continue
        counts = _counts_of(table, name)
        if np.count_nonzero(counts) > MOST_TEXTS:
            continue
        texts = _texts_of(column, counts)
        found = next((parts for mark in _marks_in(texts) if (parts := _packed_with(mark, texts))), None)
        if not found or marks_of(list(_commonest(texts, texts))[:MOST_TRIED]):
            # Pairs of keys and values are reported as such.
            continue
        where = text.flags(lambda one, found=found: tidied(one) in found) & column.present  # type: ignore[misc]
        count = int(where.sum())
        words = dict(islice(_commonest(texts, found).items(), MOST_EXAMPLES))
        says = f"{counted(count, 'cell')} of {name} {agree(count, 'holds', 'hold')} several values, whose parts are"
        says += " values elsewhere: counts and groups take each combination for a value of its own"
        yield Finding("text.packed", (name,), count, table.rows_where(where), quoted(words), says)


def _marks_in(texts: Iterable[str]) -> Iterator[str]:
    """Return the marks that are in some texts; one without its spaces only if it is there without them."""
    together = "\n".join(texts)
    found: dict[str, int] = {}
    for mark in MARKS:
        count = together.count(mark)
        if count and found.get(mark.strip()) != count:
            found[mark.strip()] = count
            yield mark


def _packed_with(mark: str, texts: Counter[str]) -> set[str]:
    """Return the texts that hold several values with a mark between; none if the parts do not recur."""
    holding = [text for text in texts if mark in text and not _has_empty_part(text, mark)]
    cells = sum(texts[text] for text in holding)
    enough = cells >= max(LEAST_PACKED, LEAST_PACKED_SHARE * sum(texts.values())) and _may_be_few(mark, holding)
    alone = {text for text, count in texts.items() if count > 1}
    if not enough:
        holding = [text for text in holding if text.partition(mark)[0].strip() in alone]
    split = {text: parts for text in holding if len(parts := _parts(text, mark)) > 1}
    cells = sum(texts[text] for text in split)
    enough = enough and cells >= max(LEAST_PACKED, LEAST_PACKED_SHARE * sum(texts.values()))
    if enough and split and _are_few(split.values()) and _all_short(split) and _recur(split, texts):
        return set(split)
    # A few cells hold two of the values that others hold alone, each of them more than once.
    alone -= split.keys()
    return {text for text, parts in split.items() if all(part in alone for part in parts)} if alone else set()


def _has_empty_part(text: str, mark: str) -> bool:
    return mark * 2 in text or text.startswith(mark) or text.endswith(mark)


def _may_be_few(mark: str, texts: list[str]) -> bool:
    """Return whether the parts of texts may recur, asked of all at once; texts with empty parts leave it open."""
    parts = list(map(str.strip, "\0".join(texts).replace(mark, "\0").split("\0")))
    return "" in parts or _are_few([parts])


def _are_few(split: Collection[Sequence[str]]) -> bool:
    """Return whether the parts of texts recur often enough."""
    total, different = sum(map(len, split)), len(set(chain.from_iterable(split)))
    return 3 <= different <= MOST_PARTS_SHARE * total


def _parts(text: str, mark: str) -> list[str]:
    parts = [part.strip() for part in text.split(mark)]
    return parts if all(parts) else []


def _all_short(split: dict[str, list[str]]) -> bool:
    longest = [max(map(len, parts)) for parts in split.values()]
    words = [max(len(part.split()) for part in parts) for parts in split.values()]
    return max(longest) <= LONGEST_PART and sorted(words)[len(words) // 2] <= 3


def _recur(split: dict[str, list[str]], texts: Mapping[str, int]) -> bool:
    """Return whether the parts of cells are free: not at one place only, or there alone too."""
    parts = dict.fromkeys(chain.from_iterable(split.values()))
    if all(any(sign.isdigit() for sign in part) for part in parts):
        # 3/4 and 120/80 are one value each.
        return False
    first: dict[str, set[int]] = {}
    for found in split.values():
        for at, part in enumerate(found):
            first.setdefault(part, set()).add(at)
    lengths = {len(found) for found in split.values()}
    moves = sum(len(places) > 1 for places in first.values()) >= len(first) / 3
    return moves or (len(lengths) > 1 and sum(part in texts and part not in split for part in parts) >= len(parts) / 3)
