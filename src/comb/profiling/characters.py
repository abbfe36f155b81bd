"""Findings about single characters of texts: those one cannot see, those decoded wrongly, markup, formulas.

The texts of a column are bytes end to end. What is looked for begins with one of a few bytes, so that one look at the
bytes tells which texts are worth decoding: of most columns none are.
"""

import html
import re
from collections.abc import Callable

import numpy as np

from comb.errors import agree, counted
from comb.execution.storage import blocks_of
from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing.letters import has_double, in_latin, in_one_script, written_out
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.steps.base import Step
from comb.steps.cell_steps import HIDDEN, Recode, Trim, uncovered
from comb.steps.repair_steps import ReplaceText
from comb.tables.column import Column
from comb.tables.text import Text

# More values than this are not listed one by one in a remedy.
MOST_RECODED = 500

# Where nearly all texts of a column are markup, markup is what the column holds.
MOST_MARKUP = 0.9

# The first bytes, in UTF-8, of what cannot be seen and of what bytes become that were decoded as Windows-1252.
_LEADS = (*range(9), 11, 12, *range(14, 32), 127, 0xC2, 0xC3, 0xC5, 0xC6, 0xCB, 0xE2, 0xEF)

# The first bytes of what is put onto letters, of parts of Korean syllables and Japanese signs; of Greek and Cyrillic.
_ONTO_LETTERS = (0xCC, 0xCD, 0xE1, 0xE2, 0xE3)
_OTHER_SCRIPTS = (*range(0xCD, 0xD4),)

# Signs that appear where UTF-8 is decoded as Windows-1252: a first byte, then the bytes that go on.
_CP1252 = "€‚ƒ„…†‡ˆ‰Š‹ŒŽ‘’“”•–—˜™š›œžŸ"
_GOES_ON = f"[\u0080-\u00bf{_CP1252}]"
_TWICE = lazy_pattern(f"[\u00c2-\u00df]{_GOES_ON}|[\u00e0-\u00ef]{_GOES_ON}{{2}}|[\u00f0-\u00f4]{_GOES_ON}{{3}}")
LOST = "\N{REPLACEMENT CHARACTER}"

_ENTITY = lazy_pattern(r"&(?:#[0-9]{1,7}|#[xX][0-9a-fA-F]{1,6}|[a-zA-Z][a-zA-Z0-9]{1,31});")
_TAG = lazy_pattern(
    r"</?(?:a|abbr|b|big|blockquote|br|center|code|dd|div|dl|dt|em|font|h[1-6]|hr|i|img|li|ol|p|pre|s|small|span"
    r"|strike|strong|sub|sup|table|tbody|td|th|tr|tt|u|ul)(?:\s[^<>]*)?/?>",
    re.IGNORECASE,
)
_BREAKS = lazy_pattern(r"(?i)\s*</?(?:br|p|div|li|tr|h[1-6])\b[^<>]*>\s*")

# A number, date or code behind the mark of a spreadsheet program for text; '90s and '98 are years.
_MARKED_TEXT = "'([-+]?[0-9][-0-9A-Z.,:/ ]{2,})"
_MARKED = lazy_pattern(_MARKED_TEXT)

# A formula calls a function, names a cell or calculates with signs; a telephone number or a dash does not.
_FORMULA = lazy_pattern(
    r"\s*(?:=\s*[^=\s].*|[+\-@]\s*[A-Za-z_.]+\s*\(.*|[+\-@]\$?[A-Z]{1,3}\$?[0-9]+(?:[-+*/:!^].*|\s*)"
    r"|[+\-@][^|]*\|.*![A-Za-z0-9$:]+.*)",
    re.DOTALL,
)


# What a text contains: bytes that begin what cannot be seen or was decoded wrongly; markup; signs that begin a formula;
# letters in parts; letters of Greek and Cyrillic; apostrophes.
ODD, MARKUP, RUNS, APART, SCRIPTS, APOSTROPHE = 1, 2, 4, 8, 16, 32


def _byte_kinds() -> np.ndarray:
    kinds = np.zeros(256, np.uint8)
    for kind, leads in (
        (ODD, _LEADS), (MARKUP, b"&<"), (APART, _ONTO_LETTERS), (SCRIPTS, _OTHER_SCRIPTS),
        (APOSTROPHE, b"'"),
    ):  # fmt: skip
        kinds[list(leads)] |= kind
    return kinds


_KINDS = _byte_kinds()

# What runs begins with one of these, or with spaces.
_FIRST_KINDS = np.zeros(256, np.uint8)
_FIRST_KINDS[list(b"=+-@ \t\n\v\f\r\x1c\x1d\x1e\x1f")] = RUNS
_FIRST_KINDS[128:] = RUNS


def kinds_of(table: ColumnCache, name: str) -> np.ndarray:
    """Return for each stored text of a column, as bits, what it contains; found once for all findings."""
    if name not in table.kinds:
        text = table[name].text
        found = np.zeros(text.item_count, np.uint8)
        for block in blocks_of(text.item_count, table._storage.block_rows):
            offsets = text.offsets[block.start : block.stop + 1]
            filled = np.flatnonzero(offsets[1:] > offsets[:-1])
            if len(filled):
                kinds = _KINDS[text.buffer[offsets[0] : offsets[-1]]]
                starts = offsets[filled] - offsets[0]
                found[block][filled] = (
                    np.bitwise_or.reduceat(kinds, starts) | _FIRST_KINDS[text.buffer[offsets[filled]]]
                )
        table.kinds[name] = found
    return table.kinds[name]


def matching(table: ColumnCache, name: str, kind: int, test: Callable[[str], bool]) -> dict[str, int]:
    """Return the texts of a column that pass a test, with how many cells hold each; the commonest first."""
    column = table[name]
    text = column.text
    items = np.flatnonzero(kinds_of(table, name) & kind).tolist()
    if not items:
        return {}
    counts = column._text_counts()
    found: dict[str, int] = {}
    texts = Text(text.buffer, text.offsets).take(np.array(items, np.int64)).to_list()
    for item, value in zip(items, texts, strict=True):
        if counts[item] and test(value):
            found[value] = found.get(value, 0) + int(counts[item])
    return dict(sorted(found.items(), key=lambda pair: (-pair[1], pair[0])))


def holding(column: Column, texts: dict[str, int]) -> np.ndarray:
    """Return where a column holds one of some texts."""
    return column.text.flags(texts.__contains__) & column.present


def visible(text: str) -> str:
    r"""Return a text with what cannot be seen written as in Python: ``'Mill\u200b'``.

    >>> visible("Mill\u00a0lane")
    "'Mill\\xa0lane'"
    """
    return ascii(text) if HIDDEN.search(text) or written_out(text) != text else repr(text)


def as_meant(text: str) -> str:
    """Return a text as it was meant: without what cannot be seen, decoded rightly, without markup, in one script.

    >>> as_meant("Mill\u00a0lane &amp; <b>bridge</b>")
    'Mill lane & bridge'
    """
    text = in_one_script(without_markup(decoded_again(uncovered(text))))
    return text[1:] if _MARKED.fullmatch(text) else text


def _strings(table: ColumnCache) -> list[str]:
    return [name for name, column in table.columns.items() if column.type.word == "string"]


def _found(table: ColumnCache, code: str, name: str, texts: dict[str, int], says: str, remedy: Step | None) -> Finding:
    where = holding(table[name], texts)
    examples = tuple(f"{visible(text)} ({count:,})" for text, count in list(texts.items())[:MOST_EXAMPLES])
    return Finding(code, (name,), int(where.sum()), table.rows_where(where), examples, says, remedy)


def invisible(table: ColumnCache) -> Findings:
    """Characters that cannot be seen: zero-width, no-break, control."""
    for name in _strings(table):
        texts = matching(table, name, ODD | APART, lambda text: uncovered(text) != text and not _TWICE.search(text))
        if texts:
            count = sum(texts.values())
            says = f"{counted(count, 'cell')} of {name} {agree(count, 'contains', 'contain')} characters that cannot be"
            says += " seen (zero-width, no-break, control, accents apart from their letters): they look equal to others"
            says += " and are not"
            yield _found(table, "text.invisible", name, texts, says, Trim(columns=[name], invisible=True))


def mixed_scripts(table: ColumnCache) -> Findings:
    """Letters of Greek and Cyrillic that look like Latin ones, inside a word or in place of a word that is there."""
    for name in _strings(table):
        texts = matching(table, name, SCRIPTS, lambda text: in_one_script(text) != text or has_double(text))
        if not texts:
            continue
        column = table[name]
        changes = {text: in_one_script(text) for text in texts if in_one_script(text) != text}
        doubles = {in_latin(text): text for text in texts if text not in changes}
        there = column._take(np.flatnonzero(holding(column, dict.fromkeys(doubles, 0)))).distinct()
        known = dict(there.commonest(len(there)))
        for latin, text in doubles.items():
            if latin in known:
                # Of two the rarer becomes the commoner.
                changes |= {text: latin} if known[latin] >= texts[text] else {latin: text}
        if not changes:
            continue
        where = holding(column, dict.fromkeys(changes, 0))
        count = int(where.sum())
        says = (
            f"{counted(count, 'cell')} of {name} {agree(count, 'has', 'have')} letters of another script that look like"
        )
        says += " those of its words: they look equal to others and are not"
        examples = tuple(f"{old!a} for {new!r}" for old, new in list(changes.items())[:MOST_EXAMPLES])
        rows = table.rows_where(where)
        yield Finding("text.mixed_scripts", (name,), count, rows, examples, says, _recoded(name, changes))


def encoding(table: ColumnCache) -> Findings:
    """Texts whose bytes were once decoded in the wrong encoding."""
    for name in _strings(table):
        texts = matching(table, name, ODD, lambda text: decoded_again(text) != text or LOST in text)
        if not texts:
            continue
        count, lost = sum(texts.values()), sum(LOST in text for text in texts)
        says = f"{counted(count, 'cell')} of {name} {agree(count, 'was', 'were')} once decoded in the wrong encoding"
        if lost and table.origin.bad_bytes:
            says += f"; in {counted(lost, 'text')} bytes that are in no encoding are shown as {LOST}, and on record"
        elif lost:
            says += f"; in {counted(lost, 'text')} characters are lost for good"
        changes = {text: decoded_again(text) for text in texts if decoded_again(text) != text}
        yield _found(table, "text.encoding", name, texts, says, _recoded(name, changes))


def decoded_again(text: str) -> str:
    """Return what a text was before UTF-8 was decoded as Windows-1252, once or twice; the same if it was not.

    >>> decoded_again("K\u00c3\u00b6nigin"), decoded_again("\u00c3\u0083\u00c2\u00bc"), decoded_again("K\u00f6nigin")
    ('Königin', 'ü', 'Königin')
    """
    for _ in range(3):
        again = _TWICE.sub(_one_again, text)
        if again == text:
            break
        text = again
    return text


def _one_again(found: re.Match[str]) -> str:
    data = b"".join(_byte(sign) for sign in found[0])
    try:
        made = data.decode()
    except UnicodeDecodeError:
        return found[0]
    return made if made.isprintable() or made.isspace() else found[0]


def _byte(sign: str) -> bytes:
    try:
        return sign.encode("cp1252")
    except UnicodeEncodeError:
        return sign.encode("latin-1")


def _recoded(name: str, changes: dict[str, str]) -> Step | None:
    """Return the step that replaces texts by others; None if there are too many to list, or one would be emptied."""
    if not changes or len(changes) > MOST_RECODED or not all(new.strip() for new in changes.values()):
        return None
    return Recode(column=name, values=dict(changes))


def markup(table: ColumnCache) -> Findings:
    """Entities and tags of HTML that were left in texts."""
    for name in _strings(table):
        texts = matching(table, name, MARKUP, lambda text: without_markup(text) != text)
        count = sum(texts.values())
        if not texts or count > MOST_MARKUP * table.present_count(name):
            continue
        says = f"{counted(count, 'cell')} of {name} {agree(count, 'contains', 'contain')} entities or tags of HTML"
        changes = {text: without_markup(text) for text in texts}
        yield _found(table, "text.markup", name, texts, says, _recoded(name, changes))


def without_markup(text: str) -> str:
    """Return a text without tags, its entities as the characters they stand for.

    >>> without_markup("Fish &amp; <b>chips</b>"), without_markup("a < b & c"), without_markup("R&D;")
    ('Fish & chips', 'a < b & c', 'R&D;')
    """
    plain = _TAG.sub("", _BREAKS.sub(" ", text)) if _TAG.search(text) else text
    plain = _ENTITY.sub(lambda found: html.unescape(found[0]), plain)
    return plain.strip() if plain != text else text


def apostrophes(table: ColumnCache) -> Findings:
    """Apostrophes in front of numbers, dates and codes: a spreadsheet program marks so what it is to keep as text."""
    for name in _strings(table):
        texts = matching(table, name, APOSTROPHE, lambda text: _MARKED.fullmatch(text) is not None)
        if texts:
            count = sum(texts.values())
            says = f"{counted(count, 'cell')} of {name} {agree(count, 'begins', 'begin')} with an apostrophe, as"
            says += " spreadsheet programs mark what they are to keep as text: it is not a part of the value"
            remedy = ReplaceText(columns=[name], pattern=f"^{_MARKED_TEXT}$", new="$1")
            yield _found(table, "text.apostrophe", name, texts, says, remedy)


def formulas(table: ColumnCache) -> Findings:
    """Texts that a spreadsheet program would run."""
    for name in _strings(table):
        texts = matching(table, name, RUNS, runs_as_formula)
        if texts:
            count = sum(texts.values())
            says = f"{counted(count, 'cell')} of {name} would run as {agree(count, 'a formula', 'formulas')} in a"
            says += " spreadsheet program: hand the table over with disarm, which puts an apostrophe before them"
            yield _found(table, "text.formula", name, texts, says, None)


def runs_as_formula(text: str) -> bool:
    """Return whether a text would run as a formula.

    >>> [runs_as_formula(text) for text in ("=A1+1", "+SUM(A1:A9)", "+49 30 1234", "-", "== note", "@mill")]
    [True, True, False, False, False, False]
    """
    return text.lstrip().startswith(("=", "+", "-", "@")) and _FORMULA.fullmatch(text) is not None
