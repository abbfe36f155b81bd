"""How records that leave out defaults are pickled.

A record is written without the fields that are as by default, and what is as by default is found out by identity. A
text that was pickled is equal to the default, but not the same object: such a record would be written in another way.
So only what is not as by default is pickled.
"""

from collections.abc import Callable
from typing import Any

import msgspec


def _made(kind: type[msgspec.Struct], values: dict[str, Any]) -> msgspec.Struct:
    return kind(**values)


def reduced(record: msgspec.Struct) -> tuple[Callable[..., msgspec.Struct], tuple[Any, ...]]:
    """Return what `__reduce__` does for a record whose fields are given by name."""
    values = {field.name: getattr(record, field.name) for field in msgspec.structs.fields(record)}
    defaults = {field.name: field.default for field in msgspec.structs.fields(record)}
    return _made, (type(record), {name: value for name, value in values.items() if value is not defaults[name]})
