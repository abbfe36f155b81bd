"""Find the tables in a JSON document: in what shape its records stand, and where."""

from collections.abc import Iterator
from itertools import pairwise
from typing import Any

import msgspec

from comb.kernels.grouping import Codes
from comb.reading.delimited.first_lines import words_below
from comb.tables.names import unique_names

# Tables are looked for so deep inside objects, and this many at most.
MOST_DEPTH = 4
MOST_TABLES = 100

# This many records show what shape they have.
LOOKED_AT = 1_000

# Objects by key are records if they share so much of their keys.
LEAST_SHARED = 0.5


# What names of columns beside rows are called.
_NAMES_OF_COLUMNS = frozenset(
    {"columns", "cols", "fields", "header", "headers", "names", "column_names", "columnnames"}
)

# Where there is no row, the list of rows has to have one of these names; or nothing is beside it.
_NAMES_OF_ROWS = frozenset(
    {"data", "rows", "values", "records", "items", "results", "entries", "hits", "documents", "objects", "features"}
)

# The shape of a list of values that are no records.
PLAIN_VALUES = "array of plain values"

# And that of a list without a record: what its columns would be is not known.
EMPTY_LIST = "empty list"


class JsonTable(msgspec.Struct, frozen=True):
    """A table in a document.

    Attributes
    ----------
    pointer : str
        Where it stands, as a JSON Pointer (RFC 6901).
    shape : str
        What it is: ``array of records``, ``array of rows``, ``object of columns``, ``object of records``,
        ``one record``, ``empty list``.
    records : list
        Its records.
    keys : list of str
        The place of each record below the pointer: its index or key.
    key_name : str
        The name of the column with the keys, where they are part of the data; else empty.
    names_at : str
        Where the names of the columns stand, if that is beside rows without names; else empty.
    names : list of str
        The names of columns that are there without any record.
    """

    pointer: str
    shape: str
    records: list[Any]
    keys: list[str]
    key_name: str = ""
    names_at: str = ""
    names: list[str] = msgspec.field(default_factory=list)


def escaped(key: str) -> str:
    """Write a key as a part of a JSON Pointer.

    >>> escaped("a/b")
    'a~1b'
    """
    return key.replace("~", "~0").replace("/", "~1")


def follow(value: Any, pointer: str) -> tuple[Any, bool]:
    """Return what stands at a JSON Pointer, and whether there is anything.

    >>> follow({"a": [1, 2]}, "/a/1")
    (2, True)
    """
    for part in pointer.split("/")[1:]:
        key = part.replace("~1", "/").replace("~0", "~")
        if isinstance(value, dict) and key in value:
            value = value[key]
        elif isinstance(value, list) and key.isdigit() and int(key) < len(value):
            value = value[int(key)]
        else:
            return None, False
    return value, True


def find_tables(value: Any, pointer: str = "", depth: int = 0) -> Iterator[JsonTable]:
    """Find the tables in a value, the outermost first; what stands inside a table is not looked at."""
    empty = _place_of_none(value) if isinstance(value, dict) else ""
    json_table = None if empty else as_table(value, pointer)
    if empty:
        yield JsonTable(pointer + empty, EMPTY_LIST, [], [])
    elif json_table is not None:
        yield json_table
    elif isinstance(value, dict) and depth < MOST_DEPTH:
        rows_key, names_key = _named_rows(value) or ("", "")
        # Where names have a table of their own, what they name comes first.
        for key, inner in sorted(value.items(), key=lambda item: item[0] != rows_key):
            here = f"{pointer}/{escaped(key)}"
            if rows_key and key == rows_key:
                names = _names_in(value[names_key])
                records = [dict(zip(names, row, strict=True)) for row in inner]
                indices = [str(at) for at in range(len(inner))]
                names_at = f"{pointer}/{escaped(names_key)}"
                yield JsonTable(here, "array of rows", records, indices, names_at=names_at, names=names)
            elif not rows_key or key != names_key or any(isinstance(item, dict) for item in inner):
                yield from find_tables(inner, here, depth + 1)


def _named_rows(value: dict[str, Any]) -> tuple[str, str] | None:
    """Return the key of rows without names, and that of as many names as they have cells; None without both.

    As services answer that send what a database says: ``{"columns": ["a", "b"], "data": [[1, 2], [3, 4]]}``. Where
    there are as many rows as columns the names might be of the rows, and have to be called names of columns.
    """
    lists = {key: inner for key, inner in value.items() if isinstance(inner, list) and inner}
    empty = [key for key, inner in value.items() if inner == []]
    called = [key for key in lists if key.casefold() in _NAMES_OF_COLUMNS and _names_in(lists[key])]
    empty = empty if len(empty) == 1 else [key for key in empty if key.casefold() in _NAMES_OF_ROWS]
    others = [item for key, inner in lists.items() if key not in called for item in inner]
    if len(empty) == len(called) == 1 and not any(isinstance(item, dict | list) for item in others):
        return empty[0], called[0]
    rows = [key for key, inner in lists.items() if all(isinstance(item, list) for item in inner)]
    if len(rows) != 1:
        return None
    cells = lists.pop(rows[0])
    widths = {len(row) for row in cells}
    found = [key for key, inner in lists.items() if widths == {len(_names_in(inner))} and _names_in(inner) != cells[0]]
    if len(found) != 1 or (len(cells) in widths and found[0].casefold() not in _NAMES_OF_COLUMNS):
        return None
    return rows[0], found[0]


def _place_of_none(value: dict[str, Any]) -> str:
    """Return the pointer to the list of records in an object, where there is no record: a service found nothing.

    One record that has an empty list differs by the name of the list, or by other lists; then the pointer is empty.
    """
    lists = [key for key, inner in value.items() if _has_lists(inner, empty=True)]
    if len(lists) != 1:
        return ""
    key, inner = lists[0], value[lists[0]]
    if isinstance(inner, dict):
        below = _place_of_none(inner)
        return f"/{escaped(key)}{below}" if below else ""
    return f"/{escaped(key)}" if inner == [] and (len(value) == 1 or key.casefold() in _NAMES_OF_ROWS) else ""


def _names_in(value: list[Any]) -> list[str]:
    """Return different names of columns that a list holds, also as objects with a name and more; else nothing."""
    names = [item.get("name") if isinstance(item, dict) else item for item in value]
    words = [name for name in names if isinstance(name, str) and name]
    return words if len(set(words)) == len(names) else []


def as_table(value: Any, pointer: str) -> JsonTable | None:
    """Return a value as a table if it is one."""
    if isinstance(value, list):
        return _read_array(value, pointer)
    if isinstance(value, dict) and value:
        return _read_object(value, pointer)
    return None


def _read_array(value: list[Any], pointer: str) -> JsonTable | None:
    indices = [str(at) for at in range(len(value))]
    some = value[:LOOKED_AT]
    if some and all(isinstance(item, list) for item in some):
        if _is_header(value):
            # Two values of one name, or a row that ends early, must not cost a value or a column.
            names = unique_names([cell or "" for cell in value[0]])
            named = [dict(zip(names, row, strict=False)) for row in value[1:]]
            for record, row in zip(named, value[1:], strict=True):
                record.update({f"_col.{at + 1}": cell for at, cell in enumerate(row) if at >= len(names)})
            return JsonTable(pointer, "array of rows", named, indices[1:], names=names)
        rows = [{f"_col.{at + 1}": cell for at, cell in enumerate(row)} for row in value if isinstance(row, list)]
        return JsonTable(pointer, "array of rows", rows, indices) if len(rows) == len(value) else None
    if any(isinstance(item, dict) for item in some):
        return JsonTable(pointer, "array of records", value, indices)
    # Nothing in a document is passed over: a list beside tables is one too, but none that would be meant first.
    return JsonTable(pointer, PLAIN_VALUES, value, indices) if value and pointer else None


def _is_header(value: list[Any]) -> bool:
    """Return whether the first of several lists names the columns of the others."""
    header, below = value[0], [item for item in value[1:LOOKED_AT] if isinstance(item, list)]
    if not below:
        return _are_names(header)
    if not any(header) or not all(cell is None or isinstance(cell, str) for cell in header):
        return False
    texts = [[cell if isinstance(cell, str) else "" if cell is None else "0" for cell in row] for row in below]
    found = words_below([cell or "" for cell in header], [row for row in texts if len(row) == len(header)])
    if None not in header:
        return not found.recur()
    # Beside a column without a name, what is below the other names shows that they are names.
    typed = any(
        cell and not isinstance(one, str | None) for row in below for cell, one in zip(header, row, strict=False)
    )
    return typed or found.speaks_for_names()


def _are_names(cells: list[Any]) -> bool:
    """Return whether the only row of a list names columns and is no record: different words, none of them a number."""
    words = [cell.strip() for cell in cells if isinstance(cell, str) and cell.strip()]
    numbers = any(char.isdigit() for word in words for char in word[:1])
    return bool(words) and len(set(words)) == len(cells) and not numbers


def _read_object(value: dict[str, Any], pointer: str) -> JsonTable | None:
    inner = list(value.values())
    if all(isinstance(one, list) and not any(isinstance(item, dict | list) for item in one) for one in inner):
        lengths = {len(one) for one in inner}
        if len(lengths) == 1 and (len(inner) > 1 or (lengths != {0} and not pointer)):
            count = lengths.pop()
            records = [{key: column[at] for key, column in value.items()} for at in range(count)]
            names = [] if count else list(value)
            return JsonTable(pointer, "object of columns", records, [str(at) for at in range(count)], names=names)
    if (rows := _counted_rows(inner)) > 1:
        # As programs write tables by columns: {"kg": {"0": 31.5, "1": 28}}.
        records = [{key: column[str(at)] for key, column in value.items()} for at in range(rows)]
        return JsonTable(pointer, "object of columns", records, list(map(str, range(rows))))
    if len(inner) > 1 and all(isinstance(one, dict) and one for one in inner):
        keys = [set(one) for one in inner[:LOOKED_AT]]
        shared = set.intersection(*keys)
        if len(shared) >= LEAST_SHARED * max(map(len, keys)):
            name = "key"
            while any(name in one for one in inner):
                name += "_"
            records = [{name: key, **one} for key, one in value.items()]
            return JsonTable(pointer, "object of records", records, [escaped(key) for key in value], name)
    plain = [not isinstance(one, dict | list) or one == [] for one in inner]
    # With objects inside, as a record in a list has them; objects alone are records each.
    tables = any(isinstance(one, dict) and one and _counted_rows(list(one.values())) > 1 for one in inner)
    if all(plain) or (not pointer and any(plain) and not tables and not _has_lists(value)):
        return JsonTable(pointer, "one record", [value], [""])
    return None


def _counted_rows(columns: list[Any]) -> int:
    """Return how many rows columns have whose keys count them from 0; 0 if anything else is among them."""
    first = columns[0]
    if not isinstance(first, dict) or "0" not in first or list(first) != list(map(str, range(len(first)))):
        return 0
    return len(first) if all(isinstance(one, dict) and list(one) == list(first) for one in columns) else 0


def _has_lists(value: Any, *, empty: bool = False) -> bool:
    """Return whether there is a list in a value, or is one; an empty one counts where that is wanted."""
    if isinstance(value, list):
        return bool(value) or empty
    return isinstance(value, dict) and any(_has_lists(one, empty=empty) for one in value.values())


def beside(value: Any, pointer: str) -> dict[str, Any]:
    """Return the plain values that stand beside a table in the objects around it, by dotted name."""
    found: dict[str, Any] = {}
    names: list[str] = []
    for part, towards in pairwise([None, *pointer.split("/")[1:]]):
        if part is not None:
            key = part.replace("~1", "/").replace("~0", "~")
            if not isinstance(value, dict) or key not in value:
                break
            value = value[key]
            names.append(key)
        for key, one in value.items() if isinstance(value, dict) else ():
            if escaped(key) == towards:
                continue
            inner = {f"{key}.{name}": cell for name, cell in one.items()} if isinstance(one, dict) else {key: one}
            if not any(isinstance(cell, dict | list) for cell in inner.values()):
                found.update({".".join([*names, name]): cell for name, cell in inner.items()})
    return found


def rows_of(positions: Codes, keys: list[str]) -> list[str]:
    """Return the place of each row."""
    return [keys[at] for at in positions.tolist()]
