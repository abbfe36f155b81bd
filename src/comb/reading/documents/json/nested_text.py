"""Texts of JSON in the cells of a table, as values.

Databases, exports of programs and services keep what is nested in one cell, as JSON. Programs in Python often write
their own form of it instead, with other quotes and with `None`, `True` and `False`; that is read, too, as far as it is
made of plain values, lists and dictionaries: its signs are put into JSON one by one, and nothing is run.
"""

import ast
import json
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes
from comb.reading.documents.json.found_records import FoundTable, find_records, whole_lines_of
from comb.reading.documents.json.parse import JsonParser

# What is nothing of the kind, as it is said.
NO_JSON = "no JSON"

_OPENS = ("{", "[")

# What Python writes: a text in quotes, a word, a number, a sign.
_SIGNS = lazy_pattern(
    r"""\s*(?:('(?:[^'\\\n]|\\.)*'|"(?:[^"\\\n]|\\.)*")|(None|True|False|nan|-?inf)\b"""
    r"""|(-?[0-9]+(?:\.[0-9]*)?(?:[eE][-+]?[0-9]+)?)|([][{}(),:]))\s*"""
)
_WORDS = {"None": "null", "True": "true", "False": "false", "nan": "NaN", "inf": "Infinity", "-inf": "-Infinity"}

# After a backslash Python knows no other characters.
_UNKNOWN_ESCAPE = lazy_pattern(r"""\\(?![\\'"abfnrtvxuU0-7])""")


class NestedTexts:
    """Texts with what they hold.

    Parameters
    ----------
    texts : sequence of str

    Attributes
    ----------
    texts : sequence of str
    values : list
        The value of each; of anything else the text itself.
    nested : int
        How many are objects or lists.
    unread, by_python : int64 array
        The positions of those that hold neither, and of those that are written as Python does.
    repeated : int
        Keys that stood more than once in an object.

    Cost: some 2 microseconds for a short object, five times that where Python wrote it.

    >>> read = NestedTexts(['{"kg": 4.5}', "{'kg': None}", "n/a"])
    >>> read.values, read.nested, read.unread.tolist(), read.by_python.tolist()
    ([{'kg': 4.5}, {'kg': None}, 'n/a'], 2, [2], [1])
    """

    said = NO_JSON

    def __init__(self, texts: Sequence[str]) -> None:
        parser = JsonParser()
        unread, by_python = [], []
        self.texts, self.values, self.nested = texts, list[Any](), 0
        for at, text in enumerate(texts):
            try:
                value = parser.read(text.strip())
            except ValueError:
                try:
                    value = parser.read(_from_python(text))
                    by_python.append(at)
                except ValueError:
                    value = text
                    unread.append(at)
            self.values.append(value)
            self.nested += isinstance(value, dict | list)
        self.unread: Codes = np.array(unread, np.int64)
        self.by_python: Codes = np.array(by_python, np.int64)
        self.repeated = parser.repeated


def found_objects(texts: Sequence[str]) -> FoundTable | None:
    """Return the table that texts make which are all objects of JSON, its columns by dotted name.

    None where they have to be parsed one by one, as lists of records inside them have to.
    """
    if not all(text.startswith("{") and "\n" not in text for text in texts):
        return None
    data = "\n".join(texts).encode()
    found = find_records(data, whole_lines_of(data), lines=True)
    if found is None or found.bad or found.halves or found.table.below or len(found.lines) != len(texts):
        return None
    return found.table


def opens_as_nested(text: str) -> bool:
    """Return whether a text begins and ends as objects and lists do.

    >>> opens_as_nested(' {"kg": 4.5}'), opens_as_nested("[sic]"), opens_as_nested("a {b}")
    (True, True, False)
    """
    inner = text.strip()
    return inner.startswith(_OPENS) and inner.endswith(("}", "]"))


def _from_python(text: str) -> str:
    """Return a list or dictionary of Python as JSON; raises a ValueError for anything else."""
    if not opens_as_nested(text):
        raise ValueError("it is no list or dictionary")
    parts = list(_in_json(text))
    return "".join(
        # Python allows a comma behind the last item.
        ""
        if part == "," and parts[at + 1 : at + 2] in (["]"], ["}"])
        else part
        # It also has numbers and words as keys.
        if part in ':,[]{}"' or part.startswith('"') or parts[at + 1 : at + 2] != [":"]
        else json.dumps(part)
        for at, part in enumerate(parts)
    )


def _in_json(text: str) -> Iterator[str]:
    at = 0
    while at < len(text):
        found = _SIGNS.match(text, at)
        if found is None:
            raise ValueError(f"unexpected {text[at]!r}")
        quoted, word, number, sign = found.groups()
        if quoted:
            if _UNKNOWN_ESCAPE.search(quoted.replace("\\\\", "")):
                raise ValueError("an unknown escape")
            yield json.dumps(ast.literal_eval(quoted))
        elif number:
            # JSON wants a digit behind the point.
            yield number.replace(".e", ".0e") + ("0" if number.endswith(".") else "")
        else:
            yield _WORDS[word] if word else {"(": "[", ")": "]"}.get(sign, sign)
        at = found.end()
