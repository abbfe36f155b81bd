"""Cells that hold pairs of keys and values: ``colour=blue; kg=3``."""

from collections import Counter
from collections.abc import Sequence

import numpy as np

from comb.errors import agree, counted, listing
from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing.pairs import PairTexts, pairs_of
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings, quoted
from comb.profiling.nested import AT_ONCE, LEAST_CELLS, LEAST_NESTED, LONGEST, MOST_KEYS, MOST_KEYS_NAMED, names_taken
from comb.steps.nested_steps import TakeApart
from comb.tables.text import Text

# What stands between pairs, and between a key and its value; of two that fit as well, the first.
MARKS = (";", "|", "&", ",", "\t", "\n", " ")
EQUALS = ("=", ":")

# This many texts tell the marks; half of them hold several pairs, and each key comes in several texts.
MOST_TRIED = 500
LEAST_SEVERAL = 0.5
LEAST_A_KEY = 3

# Up to this many keys are named in the step.
MOST_KEYS_ASKED = 20

# A key begins with a letter and is short.
_KEY = lazy_pattern(r"[^\W\d][\w.\- ]{0,39}")


def marks_of(texts: Sequence[str]) -> tuple[str, str] | None:
    """Return what stands between the pairs of texts, and within them; None if most are not made of pairs.

    >>> marks_of(["colour=blue; kg=3", "colour=red; kg=4", "kg=5; colour=red"]), marks_of(["8:15, 9:30"] * 3)
    ((';', '='), None)
    """
    best, chosen = (0, 0), None
    # A sentence that comes again is no habit.
    texts = list(dict.fromkeys(texts))
    for equals in EQUALS:
        if sum(equals in text for text in texts) < LEAST_NESTED * len(texts):
            continue
        for mark in MARKS:
            found = [pairs for text in texts if (pairs := _named_pairs(text, mark, equals))]
            keys = Counter(key for pairs in found for key, _ in pairs)
            several = sum(len(pairs) > 1 for pairs in found)
            fits = len(found) >= max(LEAST_CELLS, LEAST_NESTED * len(texts))
            recur = len(keys) <= MOST_KEYS and keys.total() >= LEAST_A_KEY * len(keys)
            if fits and recur and several >= LEAST_SEVERAL * len(texts) and (len(found), keys.total()) > best:
                best, chosen = (len(found), keys.total()), (mark, equals)
    return chosen


def _named_pairs(text: str, mark: str, equals: str) -> list[tuple[str, str]] | None:
    pairs = pairs_of(text, mark, equals)
    # The name of a protocol is no key.
    named = pairs is not None and all(_KEY.fullmatch(key) and not value.startswith("//") for key, value in pairs)
    return pairs if named else None


def key_value_pairs(table: ColumnCache) -> Findings:
    """Columns of texts that hold pairs of keys and values."""
    for name, column in table.columns.items():
        if column.type.word != "string" or table.present_count(name) < LEAST_CELLS:
            continue
        first = [text for text in column._take(column._first_present(MOST_TRIED)).texts() if text]
        marks = marks_of(first)
        if marks is None:
            continue
        text, counts = column.text, column._text_counts()
        stored, used = Text(text.buffer, text.offsets), np.flatnonzero(counts)
        holds, keys = np.zeros(text.item_count, np.bool_), dict[str, None]()
        for start in range(0, len(used), AT_ONCE):
            some = used[start : start + AT_ONCE]
            read = PairTexts(stored.take(some).to_list(), *marks)
            holds[some] = True
            holds[some[read.unread]] = False
            keys |= dict.fromkeys(read.columns)
        cells, present = int(counts[holds].sum()), table.present_count(name)
        if cells < LEAST_NESTED * present or len(keys) > MOST_KEYS:
            continue
        where = (holds if text.codes is None else holds[text.codes]) & column.present
        first_held = np.flatnonzero(holds)[:MOST_EXAMPLES]
        shown = zip(stored.take(first_held).to_list(), counts[first_held].tolist(), strict=True)
        says = f"{counted(cells, 'cell')} of {name} {agree(cells, 'holds', 'hold')} pairs with the "
        says += f"{'key' if len(keys) == 1 else 'keys'} {listing(list(keys), MOST_KEYS_NAMED)}"
        says += ": what is in them cannot be counted, compared or sorted"
        others = present - cells
        says += f"; {counted(others, 'other cell')} {agree(others, 'does', 'do')} not" if others else ""
        examples = quoted({one if len(one) <= LONGEST else f"{one[:LONGEST]}...": count for one, count in shown})
        # Named keys are the same columns next month, and what is new then is said.
        asked = list(keys) if len(keys) <= MOST_KEYS_ASKED else []
        remedy: TakeApart | None = TakeApart(column=name, keys=asked, mark=marks[0], equals=marks[1])
        if taken := names_taken(table, name, keys):
            says += f"; {listing(taken, MOST_KEYS_NAMED)} {agree(len(taken), 'is', 'are')} there already"
            remedy = None
        yield Finding("text.pairs", (name,), cells, table.rows_where(where), examples, says, remedy)
