"""The first records of a large JSON text, without the rest of it.

JSON Lines are cut behind a whole line. A single document that is one list is cut behind a whole element and the list
closed there; a scan of brackets and strings is enough for that, whatever the elements hold. A document that is an
object is not cut: another table could stand behind what was read.
"""

import codecs
import json
import re

from comb.formats.lazy_pattern import lazy_pattern

# This number of lines shows that each is a record.
LINES_TRIED = 20

# A string, which may be cut off at the end, or a bracket, or what parts two elements.
_TOKEN = lazy_pattern(rb'"(?:[^"\\]|\\.)*(?:"|\\?\Z)|[\[{]|[\]}]|,', re.DOTALL)


def beginning_of(start: bytes, wanted: int | None, *, first_look: bool) -> bytes | None:
    """Return the beginning of JSON Lines or of a list, if that is all that is asked for.

    Parameters
    ----------
    start : bytes
        The beginning of a source that is longer.
    wanted : int, optional
        How many records are asked for.
    first_look : bool
        As many as are here will do.

    Returns
    -------
    bytes or None
        Sound JSON with whole records only; None where more has to be read. One record more than wanted, so that what
        has one record is no list.

    Examples
    --------
    >>> beginning_of(b'[{"hive": 1}, {"hive": 2}, {"hi', None, first_look=True)
    b'[{"hive": 1}, {"hive": 2}]'
    >>> beginning_of(b'{"hive": 1}\\n{"hive": 2}\\n{"hive": 3}\\n{"hi', 1, first_look=False)
    b'{"hive": 1}\\n{"hive": 2}\\n'
    """
    if wanted is None and not first_look:
        return None
    text = start.removeprefix(codecs.BOM_UTF8).lstrip()
    if text.startswith(b"{"):
        return _lines(start, wanted, first_look=first_look)
    return _elements(text, wanted, first_look=first_look) if text.startswith(b"[") else None


def _elements(text: bytes, wanted: int | None, *, first_look: bool) -> bytes | None:
    """Return a list with its first elements only, which are objects."""
    depth = elements = end = 0
    for token in _TOKEN.finditer(text):
        mark = token.group()
        if mark in b"[{":
            if depth == 1 and mark != b"{":
                return None
            depth += 1
        elif mark in b"]}":
            depth -= 1
            if depth == 0:
                return None
            if depth == 1:
                elements, end = elements + 1, token.end()
                if wanted is not None and elements > wanted:
                    break
        elif depth == 1 and (mark != b"," or text[end : token.start()].strip()):
            # An element that is no object.
            return None
        elif mark == b",":
            end = end if depth > 1 else token.end()
    else:
        if not first_look or elements < 2:
            return None
    whole = text[:end].rstrip()
    return whole.removesuffix(b",") + b"]"


def _lines(start: bytes, wanted: int | None, *, first_look: bool) -> bytes | None:
    """Return the first lines, each of which is an object."""
    lines = start[: start.rfind(b"\n") + 1]
    records = end = 0
    for at, line in enumerate(lines.splitlines(keepends=True)):
        end += len(line)
        records += _is_record(line)
        if at == LINES_TRIED and records < LINES_TRIED // 2:
            # It is one object over several lines.
            return None
        if wanted is not None and records > wanted and at:
            return lines[:end]
    return lines if first_look and records > 1 else None


def _is_record(line: bytes) -> bool:
    """Return whether a line is a JSON object of its own."""
    try:
        return isinstance(json.loads(line), dict)
    except (ValueError, RecursionError):
        return False
