"""Columns of texts of which nearly all are built in one way, and what each of them is taken apart to.

The formulas that are offered for them take the numbers out by patterns, one of which describes the whole text: what is
built otherwise next month has no result, and is counted.
"""

from collections.abc import Callable, Iterator
from typing import TypeVar

import numpy as np

from comb.kernels.types import IS_KNOWN
from comb.parsing.vocabulary import is_missing_word
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import noticed
from comb.profiling.lookups import quoted_name
from comb.profiling.unit_conversion import MOST_TRIED
from comb.steps.base import as_literal
from comb.tables.column import Column

Parts = TypeVar("Parts")

# This many values show whether the others are worth a look, and this share of all have to be built that way.
LOOKED_AT = 200
LEAST_READ = 0.9


def first_texts(column: Column) -> list[str]:
    """Return the first different texts of a column, without words for missing."""
    texts = column._take(column._first_present(LOOKED_AT)).texts()
    return [text for text in dict.fromkeys(texts) if text and not is_missing_word(text)]


def columns_of_texts(table: ColumnCache, least: int) -> Iterator[tuple[str, Column, list[str]]]:
    """Go through the columns of texts that nothing was found in yet, with their first texts, this many at least."""
    for name, column in table.columns.items():
        if column.type.word == "string" and column.present.any() and not table.told(name).any():
            texts = first_texts(column)
            if len(texts) >= least:
                yield name, column, texts


def taken_apart(
    table: ColumnCache, name: str, apart: Callable[[str], Parts | None]
) -> tuple[dict[str, int], dict[str, Parts]] | None:
    """Take the texts of a column apart.

    Parameters
    ----------
    table : ColumnCache
    name : str
    apart : callable
        Takes a text apart; None for one that is built otherwise.

    Returns
    -------
    tuple of dict, dict, or None
        How often each different text is there, words for missing left out; and the parts of those that could be taken
        apart. None for other columns, and where too few could be.
    """
    column = table[name]
    if column.type.word != "string" or not column.present.any() or table.different(name) > MOST_TRIED:
        return None
    first = [text for text in column._take(column._first_present(LOOKED_AT)).texts() if text]
    first = [text for text in first if not is_missing_word(text)]
    if sum(apart(text) is not None for text in first) < LEAST_READ * len(first):
        return None
    present = column.present & ~noticed(column, IS_KNOWN)
    cells = dict(column._take(np.flatnonzero(present)).distinct().commonest(MOST_TRIED))
    read = {text: parts for text in cells if (parts := apart(text)) is not None}
    enough = sum(cells[text] for text in read) >= LEAST_READ * sum(cells.values())
    return (cells, read) if read and enough else None


def part_in(name: str, pattern: str) -> str:
    """Write the formula of what the group of a pattern finds in the texts of a column.

    >>> part_in("size", "([a-z]+)$")
    "substring_regex('([a-z]+)$' in size group 1)"
    """
    return f"substring_regex({as_literal(pattern)} in {quoted_name(name)} group 1)"


def number_in(
    name: str, pattern: str, *, comma: bool = False, group: str = "", blank: str = "", kind: str = "number"
) -> str:
    """Write the formula of a number that the group of a pattern finds in the texts of a column.

    Parameters
    ----------
    name : str
        Of the column.
    pattern : str
    comma : bool
        Whether it has a decimal comma.
    group : str
        What stands between its thousands.
    blank : str
        The number where the group finds an empty part.
    kind : {"number", "integer"}

    >>> number_in("size", "^([0-9]+) kg$")
    "cast(substring_regex('^([0-9]+) kg$' in size group 1) as number)"
    """
    found = part_in(name, pattern)
    found = f"replace({found}, '{group}', '')" if group else found
    found = f"replace({found}, ',', '.')" if comma else found
    found = f"coalesce({found}, '{blank}')" if blank else found
    return f"cast({found} as {kind})"
