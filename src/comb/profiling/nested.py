"""Cells that hold nested values: texts of JSON, or dictionaries and lists as Python writes them."""

from collections.abc import Iterable

import numpy as np

from comb.errors import agree, counted, listing
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import MOST_EXAMPLES, Finding, Findings
from comb.reading.documents.json.flatten import MOST_PLACES
from comb.reading.documents.json.nested_text import NestedTexts, found_objects
from comb.steps.nested_steps import TakeApart
from comb.tables.column import Column
from comb.tables.text import Text
from comb.tables.types import JSON, STRING

# Of a column of nested values at least this share of the cells is read as such; the others stay where they are.
LEAST_NESTED = 0.8

# This many cells make it a habit and no remark in brackets.
LEAST_CELLS = 3

# Keys that are named.
MOST_KEYS_NAMED = 5
LONGEST = 60

# More keys than this are values: objects that are used as lookup tables.
MOST_KEYS = 100

# How many texts are read at once.
AT_ONCE = 20_000

_OPENS = np.frombuffer(b"{[", np.uint8)


class _Seen:
    """What the different texts of a column hold, counted part by part."""

    def __init__(self) -> None:
        self.keys: dict[str, None] = {}
        self.lengths: set[int] = set()
        self.objects = self.lists = self.by_python = 0
        self.plain = True

    def add(self, read: NestedTexts) -> None:
        """Count some texts."""
        self.by_python += len(read.by_python)
        for value in read.values:
            if isinstance(value, dict):
                self.objects += 1
                self.keys |= dict.fromkeys(value)
            elif isinstance(value, list):
                self.lists += 1
                self.lengths.add(len(value))
                self.plain = self.plain and not any(isinstance(item, dict | list) for item in value)


def nested_values(table: ColumnCache) -> Findings:
    """Columns of texts that hold objects or lists."""
    for name, column in table.columns.items():
        if column.type not in (STRING, JSON) or table.present_count(name) < LEAST_CELLS or not _opens(column):
            continue
        text, counts = column.text, column._text_counts()
        stored, used = Text(text.buffer, text.offsets), np.flatnonzero(counts)
        nested, seen = np.zeros(text.item_count, np.bool_), _Seen()
        for start in range(0, len(used), AT_ONCE):
            some = used[start : start + AT_ONCE]
            texts = stored.take(some).to_list()
            objects = found_objects(texts)
            if objects is not None:
                nested[some] = True
                seen.objects += len(texts)
                seen.keys |= dict.fromkeys(objects.names)
                continue
            read = NestedTexts(texts)
            nested[some] = [isinstance(value, dict | list) for value in read.values]
            seen.add(read)
        cells = int(counts[nested].sum())
        if (seen.keys or any(seen.lengths)) and cells >= max(LEAST_CELLS, LEAST_NESTED * table.present_count(name)):
            where = (nested if text.codes is None else nested[text.codes]) & column.present
            # Those with something in them say more.
            telling = np.flatnonzero(nested & (np.diff(text.offsets) > len("[]")))
            first = stored.take(telling[:MOST_EXAMPLES]).to_list()
            examples = tuple(one if len(one) <= LONGEST else f"{one[:LONGEST]}..." for one in first)
            says, remedy = _said(table, name, seen, cells)
            yield Finding("text.json", (name,), cells, table.rows_where(where), examples, says, remedy)


def names_taken(table: ColumnCache, name: str, keys: Iterable[str]) -> list[str]:
    """Return the columns that have the name which one of some keys would get, or that of a part of it."""
    made = tuple(f"{name}.{key}." for key in keys)
    return [title for title in table.names if f"{title}.".startswith(made)]


def _opens(column: Column) -> bool:
    """Return whether most stored texts begin as nested values do; outer spaces are not looked behind."""
    text = column.text
    sizes = np.diff(text.offsets)
    first = text.buffer[text.offsets[:-1][sizes > 0]]
    return bool(np.count_nonzero(np.isin(first, _OPENS)) >= LEAST_NESTED * len(first) > 0)


def _said(table: ColumnCache, name: str, seen: _Seen, cells: int) -> tuple[str, TakeApart | None]:
    """Say what the cells hold, and the step that takes them apart where only one way is open."""
    what = "objects and lists" if seen.objects and seen.lists else "objects" if seen.objects else "lists"
    says = f"{counted(cells, 'cell')} of {name} {agree(cells, 'holds', 'hold')} {what}"
    writers = ("JSON writes", "Python writes", "JSON and Python write")
    by = f", as {writers[(seen.by_python > 0) + (0 < seen.by_python < seen.objects + seen.lists)]} them"
    remedy = None
    if not seen.lists and seen.keys:
        says += f" with the {'key' if len(seen.keys) == 1 else 'keys'} {listing(list(seen.keys), MOST_KEYS_NAMED)}"
        few = len(seen.keys) <= MOST_KEYS and not names_taken(table, name, seen.keys)
        remedy = TakeApart(column=name) if few else None
    elif not seen.objects:
        most = counted(max(seen.lengths), "item")
        says += f" of {most}" if len(seen.lengths) == 1 else f" of up to {most}"
        in_places = len(seen.lengths) == 1 and seen.plain and 1 < max(seen.lengths) <= MOST_PLACES
        in_places = in_places and not names_taken(table, name, map(str, range(1, max(seen.lengths) + 1)))
        remedy = TakeApart(column=name, lists="columns") if in_places else None
    says += f"{by}: what is in them cannot be counted, compared or sorted"
    others = table.present_count(name) - cells
    says += f"; {counted(others, 'other cell')} {agree(others, 'does', 'do')} not" if others else ""
    return says, remedy
