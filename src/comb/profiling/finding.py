"""A finding: something a profile noticed."""

from collections.abc import Iterator
from enum import IntEnum
from typing import Any

import msgspec
import numpy as np

from comb.errors import washed
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.profiling.column_cache import ColumnCache
from comb.steps.base import Step
from comb.tables.column import Column
from comb.tables.layout import cut_middle
from comb.tables.types import Type

MOST_EXAMPLES = 5

# Of longer ones people are shown both ends.
LONGEST_EXAMPLE = 160


class Severity(IntEnum):
    """What a finding would do to a result that nobody looks at; the larger, the worse."""

    UNTIDY = 1
    WRONG_GROUPS = 2
    LOST_ROWS = 3
    WRONG_NUMBERS = 4

    @property
    def words(self) -> str:
        """In plain words.

        >>> Severity.WRONG_NUMBERS.words
        'wrong numbers'
        """
        return self.name.lower().replace("_", " ")


class Finding(msgspec.Struct, frozen=True, eq=False):
    """Something noticed about a table, with where, examples and a remedy.

    Attributes
    ----------
    code : str
        Stable, for plans and other programs: ``missing.stand_in``.
    columns : tuple of str
    count : int
        Cells or rows concerned.
    rows : int64 array
        Their row numbers, ascending.
    examples : tuple of str
    text : str
        What was noticed and why it matters.
    remedy : Step or None
        The step that would repair it, where there is one.
    severity : Severity
        What it would do to a result that nobody looks at.
    by_hand : str
        What a person can do about it where there is no remedy: the values do not say what is right.
    """

    code: str
    columns: tuple[str, ...]
    count: int
    rows: Codes
    examples: tuple[str, ...]
    text: str
    remedy: Step | None = msgspec.field(default=None)
    severity: Severity = Severity.UNTIDY
    by_hand: str = ""

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Finding):
            return NotImplemented
        names = [name for name in self.__struct_fields__ if name != "rows"]
        same = all(getattr(self, name) == getattr(other, name) for name in names)
        return same and np.array_equal(self.rows, other.rows)

    def __hash__(self) -> int:
        return hash((self.code, self.columns, self.count, self.text))

    def __repr__(self) -> str:
        remedy = f"; remedy: {self.remedy.name}" if self.remedy else ""
        return washed(f"<{self.code}: {self.text}{remedy}>")

    def short_examples(self, most: int = MOST_EXAMPLES) -> list[str]:
        """Return the first examples, long ones without their middle."""
        return [cut_middle(one, LONGEST_EXAMPLE) for one in self.examples[:most]]

    def as_record(self) -> dict[str, Any]:
        """Return the finding as plain values, for JSON."""
        remedy = None if self.remedy is None else msgspec.to_builtins(self.remedy)
        plain = {name: getattr(self, name) for name in ("code", "columns", "count", "text", "examples")}
        known = {"remedy": remedy, "by_hand": self.by_hand or None, "severity": self.severity.words}
        return {**plain, "rows": self.rows.tolist(), **known}


Findings = Iterator[Finding]


def noticed(column: Column, traits: int) -> np.ndarray:
    """Return where a text column has a value with one of some traits; see `comb.kernels.reference.traits`."""
    bits, _ = column.text.traits(KNOWN_WORDS)
    marked = (bits & traits) != 0
    if not marked.any():
        return np.zeros(len(column), np.bool_)
    codes = column.text.codes
    where = marked if codes is None else dispatch.kernels.look_up(marked.view(np.uint8), codes).view(np.bool_)
    return where & column.present


def kept_texts(column: Column, where: np.ndarray) -> dict[str, int]:
    """Count the kept texts of the cells in a mask, the commonest first."""
    counts: dict[str, int] = {}
    for at, text in column.kept.texts.items():
        if where[at]:
            counts[text] = counts.get(text, 0) + 1
    return dict(sorted(counts.items(), key=lambda pair: (-pair[1], pair[0])))


def quoted(texts: dict[str, int]) -> tuple[str, ...]:
    """Return the commonest texts with their counts, as examples."""
    return tuple(f"{text!r} ({count:,})" for text, count in list(texts.items())[:MOST_EXAMPLES])


def as_asked(column: Column) -> str:
    """Return the type of a column as `convert` takes it."""
    return as_asked_type(column.type)


def as_asked_type(kind: Type) -> str:
    """Return a type as `convert` takes it."""
    return f"decimal 0.{'0' * kind.scale}" if kind.scale else str(kind)


def everywhere(table: ColumnCache, column: Column) -> Codes:
    """Return the row numbers, ascending, of the cells that are present."""
    return table.rows_where(column.present)
