"""Read JSON text into values, exactly: long numbers keep their digits, nothing is lost in silence."""

import json
import re
from collections.abc import Iterator
from typing import Any

from comb.errors import ContentError, agree
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.types import INT64_MAX, INT64_MIN

# A number with more digits than this is not exact as a float.
MOST_DIGITS = 17

# A line longer than this is shown cut in messages.
MOST_SHOWN = 60


class Digits(str):
    """A number that no type of ours holds exactly, as it was written."""

    __slots__ = ()


class NotFinite(str):
    """NaN or Infinity, which JSON does not have and many programs write."""

    __slots__ = ()


def read_float(text: str) -> float | Digits:
    """Read a number with a point or exponent; digits where a float would lose some, or all."""
    mantissa = text.lower().partition("e")[0]
    digits = sum(character.isdigit() for character in mantissa.lstrip("-0."))
    value = float(text)
    return Digits(text) if digits > MOST_DIGITS or abs(value) == float("inf") or (not value and digits) else value


def read_integer(text: str) -> int | Digits:
    """Read a whole number; digits where it is beyond the range of integers."""
    if len(text) < 19:
        return int(text)
    # So long a number cannot be one of ours, and Python refuses to read it.
    value = int(text) if len(text) < 25 else INT64_MAX + 1
    return value if INT64_MIN <= value <= INT64_MAX else Digits(text)


# Every escape, so that a backslash that was escaped itself begins none; the group is half of a character alone.
_ESCAPES = lazy_pattern(
    rb"\\(?:u[dD][89abAB][0-9a-fA-F]{2}\\u[dD][c-fC-F][0-9a-fA-F]{2}|(u[dD][89a-fA-F][0-9a-fA-F]{2})|.)", re.DOTALL
)


def halves_note(data: bytes) -> list[str]:
    r"""Say how many characters of a JSON text are halves of one, which no text can hold.

    >>> halves_note(rb'["\ud83d\ude00", "a\ud800", "\\ud800"]')
    ['1 half of a character (a surrogate alone) is shown as �']
    """
    return halves_said(halves_in(data))


def halves_in(data: bytes) -> int:
    """Count the characters of a JSON text that are halves of one."""
    # To look for one byte is quicker by far.
    if b"\\" not in data or (b"\\ud" not in data and b"\\uD" not in data):
        return 0
    return sum(match[1] is not None for match in _ESCAPES.finditer(data))


def halves_said(count: int) -> list[str]:
    """Say how many characters are halves of one, if there are any."""
    halves = f"{count:,} {agree(count, 'half of a character (a surrogate', 'halves of characters (surrogates')} alone)"
    return [f"{halves} {agree(count, 'is', 'are')} shown as �"] if count else []


def sound(text: str) -> str:
    """Return a text that can be written in UTF-8: half of a character becomes a mark of doubt.

    >>> sound("a\\ud800")
    'a�'
    """
    return text if text.isascii() else text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")


class JsonParser:
    """Reads JSON texts, and counts what is unusual in them.

    Attributes
    ----------
    repeated : int
        Keys that stood more than once in an object; the last counts, as nearly everywhere.
    decoder : JSONDecoder
    """

    __slots__ = ("decoder", "repeated")

    def __init__(self) -> None:
        self.repeated = 0
        self.decoder = json.JSONDecoder(
            parse_float=read_float, parse_int=read_integer, parse_constant=NotFinite,
            object_pairs_hook=self._object, strict=False,
        )  # fmt: skip

    def _object(self, pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        made = dict(pairs)
        self.repeated += len(pairs) - len(made)
        return made

    def read(self, text: str) -> Any:
        """Read one whole text; a ValueError says what is wrong."""
        try:
            return self.decoder.decode(text)
        except RecursionError:
            raise ValueError("it is nested too deeply") from None


def written(value: Any) -> str:
    """Write a value as JSON again, its numbers as they were."""
    if isinstance(value, Digits | NotFinite):
        return str(value)
    if isinstance(value, dict):
        return (
            "{"
            + ", ".join(f"{json.dumps(key, ensure_ascii=False)}: {written(one)}" for key, one in value.items())
            + "}"
        )
    if isinstance(value, list):
        return "[" + ", ".join(map(written, value)) + "]"
    return json.dumps(value, ensure_ascii=False)


def whole_lines(text: str) -> Iterator[tuple[int, str]]:
    """Give the lines of a text that are not blank, with their numbers from 1; only line feeds end them."""
    for number, line in enumerate(text.split("\n"), 1):
        if line.strip():
            yield number, line


def items_up_to_a_break(text: str, parser: JsonParser) -> tuple[list[Any], ContentError | None]:
    """Read the items of an array as far as it is sound.

    Returns
    -------
    items, error
        The error names the place where it breaks; None if it does not.
    """
    items: list[Any] = []
    at = _past_space(text, text.find("[") + 1)
    try:
        while at < len(text) and text[at] != "]":
            value, at = parser.decoder.raw_decode(text, at)
            items.append(value)
            at = _past_space(text, at)
            if at < len(text) and text[at] == ",":
                at = _past_space(text, at + 1)
            elif at < len(text) and text[at] != "]":
                raise json.JSONDecodeError("expected a comma or the end of the array", text, at)
        if at >= len(text):
            raise json.JSONDecodeError("the array does not end", text, max(0, len(text) - 1))
    except json.JSONDecodeError as error:
        return items, ContentError(f"{json_message(error)}, at line {error.lineno}, column {error.colno}")
    except RecursionError:
        return items, ContentError("it is nested too deeply")
    return items, None


def documents_in_a_row(text: str, parser: JsonParser) -> tuple[list[Any], int, ContentError | None]:
    """Read objects, or lists, that stand one after the other, with commas between them or without.

    Returns
    -------
    items, count, error
        The objects, or the items of all lists; none if anything else is between them. How many documents these are. The
        error names the place where the last one breaks; None if it does not.
    """
    documents: list[Any] = []
    broken: ContentError | None = None
    at = _past_space(text, 0)
    try:
        while at < len(text):
            value, at = parser.decoder.raw_decode(text, at)
            documents.append(value)
            at = _past_space(text, at)
            at = _past_space(text, at + 1) if text[at : at + 1] == "," else at
    except json.JSONDecodeError as error:
        broken = ContentError(f"{json_message(error)}, at line {error.lineno}, column {error.colno}")
    except RecursionError:
        broken = ContentError("it is nested too deeply")
    if len(documents) > 1 and all(isinstance(one, dict) for one in documents):
        return documents, len(documents), broken
    if len(documents) > 1 and all(isinstance(one, list) for one in documents):
        return [item for one in documents for item in one], len(documents), broken
    return [], 0, None


def json_message(error: json.JSONDecodeError) -> str:
    """Word what is wrong with a text."""
    return f"this is not JSON: {error.msg[:1].lower()}{error.msg[1:]}"


def _past_space(text: str, at: int) -> int:
    while at < len(text) and text[at] in " \t\r\n":
        at += 1
    return at
