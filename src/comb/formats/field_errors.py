"""What is wrong with the values of a record's fields, in words: which field, what was expected, what came."""

import re
import types
from collections.abc import Mapping
from typing import Any, Literal, Union, get_args, get_origin

import msgspec

from comb.errors import nearest

_WORDS = {int: "a whole number", float: "a number", bool: "true or false", str: "a text"}
_SEVERAL = {int: "whole numbers", float: "numbers", str: "texts"}


def problem_of(
    error: msgspec.ValidationError, kind: type[msgspec.Struct], values: Mapping[str, Any]
) -> tuple[str, str, str | None]:
    """Say what is wrong with a field.

    Parameters
    ----------
    error : msgspec.ValidationError
        What was raised when the record was made of the values.
    kind : type of msgspec.Struct
    values : mapping of str to object

    Returns
    -------
    (str, str, str or None)
        The field, empty where it is none of them that is to blame; the problem; and the nearest word, where it is one
        of a few.

    >>> class Shown(msgspec.Struct):
    ...     order: Literal["size", "value"]
    >>> try:
    ...     msgspec.convert({"order": "sise"}, Shown)
    ... except msgspec.ValidationError as error:
    ...     problem_of(error, Shown, {"order": "sise"})
    ('order', "expected size or value, got 'sise'", "did you mean 'size'?")
    """
    text, _, place = str(error).partition(" - at `")
    found = re.search(r"\$\.(\w+)(?:\[(\d+)\])?", place)
    wanted = {field.name: field.type for field in msgspec.structs.fields(kind)}
    if found is None or found[1] not in wanted:
        return "", f"{text[0].lower()}{text[1:]}", None
    name, at = found[1], found[2]
    annotation, came = wanted[name], values.get(name)
    if at is not None and isinstance(came, list | tuple) and not isinstance(came[int(at)], str):
        came = came[int(at)]
    if "[...]" in place and isinstance(came, dict):
        [of] = (part for part in _parts(annotation) if get_origin(part) is dict)
        for key, value in came.items():
            if not _fits(value, get_args(of)[1]):
                return name, f"expected {_said(get_args(of)[1])} for {key!r}, got {value!r}", None
    words = _allowed(annotation)
    near = nearest(came, words) if isinstance(came, str) and words else None
    return name, f"expected {_said(annotation)}, got {came!r}", f"did you mean {near!r}?" if near else None


def _parts(annotation: Any) -> list[Any]:
    """Return the types of which a value may be one, without none."""
    if get_origin(annotation) in (Union, types.UnionType):
        return [part for part in get_args(annotation) if part is not type(None)]
    return [annotation]


def _fits(value: Any, annotation: Any) -> bool:
    try:
        msgspec.convert(value, annotation, strict=False)
    except msgspec.ValidationError:
        return False
    return True


def _allowed(annotation: Any) -> list[str]:
    """Return the words that are allowed, where there are a few only."""
    return [word for part in _parts(annotation) if get_origin(part) is Literal for word in get_args(part) if word]


def _said(annotation: Any) -> str:
    """Say in words what a field may hold."""
    said: list[str] = []
    for part in _parts(annotation):
        kind, inner = get_origin(part), get_args(part)
        if kind is Literal:
            said += [str(word) for word in inner if word]
        elif kind in (list, tuple):
            words = " or ".join(_allowed(inner[0]))
            said.append(f"a list with {words}" if words else f"a list of {_SEVERAL.get(inner[0], 'values')}")
        elif kind is dict or part is dict:
            said.append("a mapping of names to values")
        else:
            said.append(_WORDS.get(part, "another kind of value"))
    return f"{', '.join(said[:-1])} or {said[-1]}" if len(said) > 1 else said[0]
