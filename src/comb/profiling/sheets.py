"""Findings about what a sheet made for people leaves in a table: rows that only head others, marks of footnotes."""

from collections.abc import Collection, Iterable
from math import comb as comb_of

import numpy as np

from comb.errors import agree, counted, listing
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes
from comb.kernels.notation import shape_of
from comb.parsing.vocabulary import is_missing_word
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, kept_texts, quoted
from comb.profiling.layout import total_labels
from comb.profiling.multipliers import MULTIPLIERS
from comb.steps.layout_steps import SeparateMarks, TakeHeadingRows, bounded_texts, marked_texts
from comb.tables.column import Column, Mask
from comb.tables.names import unique_names
from comb.tables.reasons import Reason

# At least this many rows head others, and at most this share of all rows.
LEAST_HEADINGS = 2
MOST_HEADINGS = 0.5

# What would come about by chance less often than this does not.
UNLIKELY = 0.01

# More letters are parts of codes.
MOST_LETTERS = 6

# Where all numbers are bounds there are as many different ones.
LEAST_MARKED = 3

# A column with more different texts than this is no column of numbers with marks.
MOST_TEXTS = 10_000


def heading_rows(table: ColumnCache) -> Findings:
    """Rows with a text in one column and nothing in all others, each above rows that have more."""
    if len(table.names) < 2 or table.row_count < LEAST_HEADINGS * 2:
        return
    one, several = np.zeros(table.row_count, np.bool_), np.zeros(table.row_count, np.bool_)
    for column in table.columns.values():
        # A word that means missing, or could not be read, is something.
        filled = (column.states != Reason.BLANK) & (column.states != Reason.ABSENT)
        several |= one & filled
        one |= filled
    alone = one & ~several
    if not LEAST_HEADINGS <= alone.sum() <= MOST_HEADINGS * table.row_count:
        return
    for name, column in table.columns.items():
        heads = alone & column.present
        if column.type.word != "string" or not np.array_equal(heads, alone):
            continue
        at = np.flatnonzero(heads)
        levels = _levels(at, table.row_count)
        if not levels or not _shows_groups(table, name, heads):
            return
        words = dict.fromkeys([text for text in column._take(at[:MOST_EXAMPLES]).texts() if text], 1)
        wanted = [f"{name} group", f"{name} subgroup"][:levels]
        new = unique_names([*table.names, *wanted])[-levels:]
        text = f"{counted(len(at), 'row')} {agree(len(at), 'heads', 'head')} the rows below: only {name} has a value"
        yield Finding(
            "layout.heading_rows", (name,), len(at), table.rows_where(heads), quoted(words), text,
            TakeHeadingRows(column=name, new_columns=new),
        )  # fmt: skip


def _levels(at: Codes, rows: int) -> int:
    """Return in how many levels rows head others: one or two; 0 if they do not stand like headings.

    The first row is one, and rows follow each; in two levels each higher one is right above a lower one.
    """
    if at[0] or at[-1] == rows - 1:
        return 0
    close = np.diff(at) == 1
    if not close.any():
        return 1
    return 2 if close[0] and not (close[1:] & close[:-1]).any() else 0


def _shows_groups(table: ColumnCache, name: str, heads: Mask) -> bool:
    """Return whether there is more to it than that some rows have only a name: nothing may be known of those.

    All other rows have to be complete, but for totals, which have no price. Then totals were set aside between them, or
    the texts below are set in, or come again below another heading; or there are several columns; or rows that lack
    values would not stand so by chance.
    """
    others = [column for title, column in table.columns.items() if title != name]
    totals = total_labels(table[name])
    apart = heads if totals is None else heads | totals
    if any((column.missing & ~apart).any() for column in others):
        return False
    count, rows = int(heads.sum()), table.row_count
    texts = table[name].texts()
    items = [texts[at] or "" for at in np.flatnonzero(~heads).tolist()]
    set_in = all(text.startswith((" ", "\t")) for text in items)
    again = len(set(items)) < len(items) and len({texts[at] for at in np.flatnonzero(heads).tolist()}) == count
    chance = comb_of(rows - count - 1, count - 1) / comb_of(rows, count)
    several = len(others) > 1 and count >= LEAST_HEADINGS
    return len(table.origin.set_aside) >= count - 1 or set_in or again or several or chance < UNLIKELY


def footnote_marks(table: ColumnCache) -> Findings:
    """Numbers with a mark of a footnote behind, or a sign of a bound before, in columns that hold only numbers else."""
    for name, column in table.columns.items():
        if column.type.word == "string":
            if table.different(name) > MOST_TEXTS:
                continue
            texts = [text for text in column.distinct().values.texts() if text and not is_missing_word(text)]
        elif column.type.plain.word in ("integer", "decimal", "number") and len(column.kept):
            texts = [column.kept.texts[at] for at in np.flatnonzero(column.states == Reason.UNREADABLE).tolist()]
        else:
            continue
        bounded = set(bounded_texts(texts))
        marked = set(marked_texts(texts)) - bounded
        letters = set[str]() if marked or bounded else _letters_behind(texts, column)
        if letters:
            marked = {text for text in texts if _LETTERED.fullmatch(text.strip())}
        rest = [text for text in texts if text not in marked and text not in bounded]
        if column.type.word == "string":
            plain = all(map(_is_number, [*rest, *map(_unbounded, bounded)]))
            # All may have one, unless they are words with a bracket behind a digit.
            few = not rest and len(bounded) < LEAST_MARKED
            if few or not (plain or (bounded and not marked and _have_one_unit([*rest, *bounded]))):
                continue
        remedy = None if f"{name} mark" in table.names else SeparateMarks(columns=[name], marks=sorted(letters))
        for code, found in (("type.censored", bounded), ("text.footnotes", marked)):
            where = _where_are(column, found)
            if where.any():
                yield _marks_finding(table, code, name, where, remedy, letters)
                # One step takes all marks off.
                remedy = None


_LETTERED = lazy_pattern(r"[-+]?[0-9]+(?:[.,][0-9]+)?([A-Za-z]{1,2})")


def _letters_behind(texts: Collection[str], column: Column) -> set[str]:
    """Return letters right behind numbers that tell of their quality, as laboratories and weather stations do.

    Whole numbers with letters are codes (``12A``), and letters of units are units; others are marks where at least half
    of the numbers that have one have decimals, and no fewer numbers have none.
    """
    found = {text: match[1] for text in texts if (match := _LETTERED.fullmatch(text.strip()))}
    letters = set(found.values())
    decimals = sum("." in text or "," in text for text in found)
    if (
        not found
        or len(letters) > MOST_LETTERS
        or letters & set(MULTIPLIERS)
        or any(shape_of(text.strip()) is not None for text in found)
    ):
        return set()
    plain = len(texts) - len(found) if column.type.word == "string" else len(found)
    return letters if 2 * decimals >= len(found) and plain >= len(found) / 2 else set()


def _where_are(column: Column, texts: set[str]) -> Mask:
    """Return which cells hold one of some texts, as value or as what could not be read."""
    if column.type.word == "string":
        return column.text.flags(texts.__contains__) & column.present
    where = np.zeros(len(column), np.bool_)
    where[[at for at, text in column.kept.texts.items() if text in texts]] = True
    where &= column.states == Reason.UNREADABLE
    return where


def _marks_finding(
    table: ColumnCache, code: str, name: str, where: Mask, remedy: SeparateMarks | None, letters: Collection[str]
) -> Finding:
    count = int(where.sum())
    text = f"{counted(count, 'number')} of {name} "
    if code == "type.censored":
        text += f"{agree(count, 'is a bound', 'are bounds')}, below or above what could be measured"
    else:
        text += agree(count, "has a", "have a")
        behind = f"letter behind {agree(count, 'it', 'them')}, as marks of quality are: {listing(sorted(letters))}"
        text += f" {behind if letters else 'mark of a footnote'}"
        said = listing([repr(footer) for footer in table.origin.footers[:MOST_EXAMPLES]])
        text += f"; below the rows: {said}" if said else ""
    column = table[name]
    cells = kept_texts(column, where)
    if column.type.word == "string":
        cells = dict(column._take(np.flatnonzero(where)).distinct().commonest(MOST_EXAMPLES))
    return Finding(code, (name,), count, table.rows_where(where), quoted(cells), text, remedy)


def _unbounded(text: str) -> str:
    return text.strip().lstrip("<>=≤≥~≈ ")


def _have_one_unit(texts: Iterable[str]) -> bool:
    """Return whether texts are numbers with the same unit, some of them bounds.

    >>> _have_one_unit(["1.7 mg/L", "<0.05 mg/L"]), _have_one_unit(["1.7 mg/L", "<0.05"])
    (True, False)
    """
    shapes = [shape_of(_unbounded(text)) for text in texts]
    units = {None if shape is None else shape.unit for shape in shapes}
    return len(units) == 1 and bool(units - {None, ""})


def _is_number(text: str) -> bool:
    plain = text.strip().lstrip("+-").replace(" ", "")
    return bool(plain) and plain[0].isdigit() and all(sign.isdigit() or sign in ".,'" for sign in plain)
