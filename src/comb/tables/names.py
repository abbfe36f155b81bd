"""Column names: made unique when read, found by name, glob, range, position or type."""

import fnmatch
from collections.abc import Collection, Mapping, Sequence

from comb.errors import ColumnError, ParameterError, unknown_name
from comb.formats.lazy_pattern import lazy_pattern
from comb.tables.types import Type, type_word

# How columns are called that have no name; behind it stands their place.
NAMELESS = "_col."

_POSITION = lazy_pattern(r"#([0-9]+)")


def unique_names(names: Sequence[str]) -> list[str]:
    """Name every column: ``_col.1`` where a name is missing, `` (2)`` where one repeats.

    >>> unique_names(["a", "", "a"])
    ['a', '_col.2', 'a (2)']
    """
    taken = {name for name in names if name}
    counts: dict[str, int] = {}
    used: dict[str, None] = {}
    for place, name in enumerate(names, 1):
        base = name or f"{NAMELESS}{place}"
        unique, count = base, counts.get(base, 1)
        while unique in used or (count > 1 and unique in taken):
            count += 1
            unique = f"{base} ({count})"
        counts[base] = count
        used[unique] = None
    return list(used)


def check_known(name: str, names: Collection[str]) -> str:
    """Return the name if a column has it.

    Raises
    ------
    ColumnError
        With the nearest name there is.
    """
    if name not in names:
        what, remedy = unknown_name("column", name, list(names))
        raise ColumnError(what, remedy=remedy)
    return name


def choose(
    selectors: Sequence[str],
    types: Mapping[str, Type],
    *,
    leave_out: Sequence[str] = (),
    of_type: str | None = None,
) -> list[str]:
    """Resolve column selectors to names.

    Parameters
    ----------
    selectors : sequence of str
        Names, globs (``*_kg``), ranges in table order (``jan:dec``) or positions
        (``#1``, ``#1:#3``). None at all means every column.
    types : mapping of str to Type
        The columns there are, in table order.
    leave_out : sequence of str
        Selectors of what not to choose.
    of_type : str, optional
        Choose only columns of this type.

    Returns
    -------
    list of str
        Each name once, in the order of the selectors.

    Raises
    ------
    ColumnError
        For every selector that finds nothing, all of them together.
    """
    if selectors and not leave_out and not of_type and all(isinstance(one, str) and one in types for one in selectors):
        return list(dict.fromkeys(selectors))
    names = list(types)
    found, problems = _resolve(selectors, names) if selectors else (names, [])
    dropped, more = _resolve(leave_out, names) if leave_out else ([], [])
    problems += more
    if problems:
        first, *rest = problems
        also = "".join(f"\n{what} ({remedy})" for what, remedy in rest)
        raise ColumnError(first[0] + also, remedy=first[1])
    wanted, gone = type_word(of_type) if of_type else None, set(dropped)
    return [name for name in found if name not in gone and (wanted is None or types[name].word == wanted)]


def _resolve(selectors: Sequence[str], names: list[str]) -> tuple[list[str], list[tuple[str, str]]]:
    """Return the names found, and message and remedy for each selector that found none."""
    found: dict[str, None] = {}
    problems = []
    known = set(names)
    for selector in selectors:
        hits = [selector] if isinstance(selector, str) and selector in known else _match(selector, names)
        if not hits:
            problems.append(unknown_name("column", selector, names))
        found.update(dict.fromkeys(hits))
    return list(found), problems


def _match(selector: str, names: list[str]) -> list[str]:
    """Return the names one selector stands for; a column's own name always wins."""
    if not isinstance(selector, str):
        raise ParameterError(f"expected the name of a column, got {selector!r}")
    start, colon, end = selector.partition(":")
    if colon:
        bounds = [_position(part.strip(), names) for part in (start, end)]
        if None not in bounds:
            first, last = (bound for bound in bounds if bound is not None)
            return names[first : last + 1]
    position = _position(selector, names)
    if position is not None:
        return [names[position]]
    if any(mark in selector for mark in "*?["):
        return [name for name in names if fnmatch.fnmatchcase(name, selector)]
    return []


def _position(selector: str, names: list[str]) -> int | None:
    """Return where a name or ``#n`` is in the table, from 0."""
    if selector in names:
        return names.index(selector)
    match = _POSITION.fullmatch(selector)
    if match and 1 <= int(match[1]) <= len(names):
        return int(match[1]) - 1
    return None
