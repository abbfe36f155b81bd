"""Hold a table against its schema: defaults, lists, categories, and what the schema demands. Pure."""

import json
from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple

import numpy as np

from comb.errors import counted
from comb.formats.formulas import armed_again
from comb.formats.regular_expressions import pattern
from comb.inference.decide import declared_column
from comb.kernels.grouping import group
from comb.reading.schema.csvw import Schema, SchemaColumn
from comb.tables.categories import as_category
from comb.tables.column import Column, Mask
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import JSON

Codes = Mapping[str, tuple[tuple[str, str], ...]]


class Violation(NamedTuple):
    """One cell that is not as the schema demands.

    Attributes
    ----------
    row : int
        Row number.
    column, what : str
    """

    row: int
    column: str
    what: str


def validate(columns: dict[str, Column], schema: Schema, codes: Codes) -> tuple[list[Violation], list[str]]:
    """Apply what a schema says of columns, and check what it demands; changes the dict.

    Parameters
    ----------
    columns : dict of str to Column
        As loaded with the types of the schema.
    schema : Schema
    codes : mapping of str to tuple of (str, str)
        The values that a column may have, with labels, by the file that lists them.

    Returns
    -------
    violations, notes
        All violations, by column and row; and what is to be said of them in a line each.
    """
    found: list[Violation] = []
    for one in schema.columns:
        if one.title in columns:
            column = columns[one.title]
            if schema.disarmed and column.type.word == "string":
                column = column._replace(values=column.text.map(armed_again))
            column = columns[one.title] = _followed(column, one, codes)
            found += [Violation(row + 1, one.title, what) for row, what in _broken(column, one)]
    found += _key_violations(columns, schema.key)
    notes = []
    if found:
        first = found[0]
        message = f"row {first.row} of {first.column}: {first.what}"
        notes.append(f"{counted(len(found), 'violation')} of the schema; the first: {message}")
    return found, notes


def _followed(column: Column, one: SchemaColumn, codes: Codes) -> Column:
    if one.separator:
        column = _listed(column, one.separator)
    if one.default:
        column = _filled(column, one)
    if one.codes in codes and column.type.word != "category":
        values = codes[one.codes]
        column = as_category(column, [value for value, _ in values], dict(value for value in values if value[1]))
    return column


def _listed(column: Column, separator: str) -> Column:
    """Make lists of texts that hold several values."""

    def parts(text: str) -> str:
        return json.dumps([part.strip() for part in text.split(separator)], ensure_ascii=False)

    return column._replace(type=JSON, values=column.text.map(parts))


def _filled(column: Column, one: SchemaColumn) -> Column:
    """Give blank cells the value that they mean."""
    default = declared_column(Text.from_strings([one.default]), one.request)
    blank = column.states == Reason.BLANK
    if default.missing_count or default.type != column.type or not blank.any():
        return column
    state = np.where(blank, np.uint8(Reason.PRESENT), column.states)
    if isinstance(column.values, Text):
        pairs = zip(column.text.to_list(), blank.tolist(), strict=True)
        values: Any = Text.from_strings([one.default if empty else text for text, empty in pairs])
    else:
        values = np.where(blank, default.array[0], column.array)
    return column._replace(values=values, state=state)


def _broken(column: Column, one: SchemaColumn) -> Iterator[tuple[int, str]]:
    """Say for each cell that is not as demanded what is wrong with it, from position 0."""
    message: dict[int, str] = {}
    for at in np.flatnonzero(column.states == Reason.UNREADABLE).tolist():
        message[at] = f"{column.kept.texts.get(at, '')!r} is no {column.type}"
    if one.required:
        for at in np.flatnonzero(column.missing & (column.states != Reason.UNREADABLE)).tolist():
            message[at] = "missing, but required"
    for demand, wrong in _demands(column, one):
        for at in np.flatnonzero(wrong & column.present).tolist():
            message.setdefault(at, f"{column._take(np.array([at])).texts()[0]!r} is not {demand}")
    yield from sorted(message.items())


_TESTS: dict[str, Callable[[Any, Any], Any]] = {
    ">=": np.less, "<=": np.greater, ">": np.less_equal, "<": np.greater_equal
}  # fmt: skip
_WORDED = {">=": "at least", "<=": "at most", ">": "more than", "<": "less than"}


def _demands(column: Column, one: SchemaColumn) -> Iterator[tuple[str, Mask]]:
    """Return what is demanded, in words, and which cells fail it."""
    if not isinstance(column.values, Text):
        for operator, bound in one.bounds:
            limit = declared_column(Text.from_strings([bound]), one.request)
            if not limit.missing_count and limit.type == column.type:
                yield f"{_WORDED[operator]} {bound}", _TESTS[operator](column.array, limit.array[0])
        return
    least, most = one.lengths
    if least:
        yield f"{counted(least, 'character')} or more", column.values.flags(lambda text: len(text) < least)
    if most:
        yield f"{counted(most, 'character')} or fewer", column.values.flags(lambda text: len(text) > most)
    if one.shape:
        shape = pattern(one.shape)
        yield f"of the form {one.shape}", column.values.flags(lambda text: not shape.matches(text))


def _key_violations(columns: Mapping[str, Column], key: tuple[str, ...]) -> list[Violation]:
    """Find rows that have the key of an earlier one, or lack a part of it."""
    parts = [columns[name] for name in key if name in columns]
    if not parts or len(parts) < len(key):
        return []
    height, title = len(parts[0]), ", ".join(key)
    numbers, first = group([part._codes() for part in parts], height)
    lacking = np.any([part.missing for part in parts], axis=0)
    repeated = (first[numbers] != np.arange(height)) & ~lacking
    found = [Violation(at + 1, title, "a part of the key is missing") for at in np.flatnonzero(lacking).tolist()]
    found += [
        Violation(at + 1, title, f"the same key as row {int(first[numbers[at]]) + 1}")
        for at in np.flatnonzero(repeated).tolist()
    ]
    return sorted(found)
