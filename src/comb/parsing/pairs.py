"""Texts of pairs, as attributes and lines of logs are kept in one cell: ``colour=blue; kg=3``.

A mark stands between the pairs, a sign between each key and its value. A value that holds the mark is put in double
quotes, and only quotes that come in twos are taken for such: ``size=5"`` is five inches. A text with a part that is no
pair is not read: what follows a mark without a key may belong to the value before.
"""

from collections.abc import Sequence

import numpy as np

from comb.kernels.grouping import Codes

NO_PAIRS = "not made of pairs"


def pairs_of(text: str, mark: str, equals: str) -> list[tuple[str, str]] | None:
    """Return the keys and values of a text; None if it is not made of pairs.

    Parameters
    ----------
    text : str
    mark : str
        What stands between pairs.
    equals : str
        What stands between a key and its value; the value may have it, too.

    >>> pairs_of("colour=blue; kg=3;", ";", "="), pairs_of('note="a; b"; kg=', ";", "=")
    ([('colour', 'blue'), ('kg', '3')], [('note', 'a; b'), ('kg', '')])
    >>> pairs_of("colour=blue; heavy", ";", "=")
    """
    found = []
    parts = _outside_quotes(text, mark) if '"' in text and text.count('"') % 2 == 0 else text.split(mark)
    for part in map(str.strip, parts):
        key, sign, value = part.partition(equals)
        if part and not (sign and key.strip()):
            return None
        if part:
            found.append((key.strip(), _unquoted(value.strip())))
    return found or None


def _outside_quotes(text: str, mark: str) -> list[str]:
    parts, part = [], ""
    for at, piece in enumerate(text.split('"')):
        if at % 2:
            part += f'"{piece}"'
            continue
        first, *rest = piece.split(mark)
        part += first
        for one in rest:
            parts.append(part)
            part = one
    return [*parts, part]


def _unquoted(value: str) -> str:
    return value[1:-1].replace('""', '"') if len(value) > 1 and value[0] == value[-1] == '"' else value


class PairTexts:
    """Texts with the pairs in them.

    Parameters
    ----------
    texts : sequence of str
    mark, equals : str
        As in `pairs_of`.

    Attributes
    ----------
    texts : sequence of str
    columns : dict of str to list of str or None
        For each key, in the order in which they come, its value in each text; None where the text does not have it.
    unread : int64 array
        The positions of texts that are not made of pairs.
    repeated : int
        Keys that stood more than once in a text.
    by_python : int64 array
        Always empty: those that Python wrote are no pairs.

    >>> PairTexts(["kg=3;lid=no", "kg=4", "?"], ";", "=").columns
    {'kg': ['3', '4', None], 'lid': ['no', None, None]}
    """

    said = NO_PAIRS
    by_python: Codes = np.zeros(0, np.int64)

    def __init__(self, texts: Sequence[str], mark: str, equals: str) -> None:
        self.texts, self.repeated = texts, 0
        self.columns: dict[str, list[str | None]] = {}
        unread = []
        for at, text in enumerate(texts):
            pairs = pairs_of(text, mark, equals)
            if pairs is None:
                unread.append(at)
                continue
            values = dict(pairs)
            self.repeated += len(pairs) - len(values)
            for key, value in values.items():
                if key not in self.columns:
                    self.columns[key] = [None] * len(texts)
                self.columns[key][at] = value
        self.unread: Codes = np.array(unread, np.int64)
