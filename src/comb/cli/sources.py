"""Sources as commands name them: which files, how they are written again, rows as plain values."""

import contextlib
import shlex
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

from comb.cli.terminal import Terminal
from comb.errors import ParameterError
from comb.execution.memory import LOAD
from comb.execution.working import Limits, working
from comb.interface.loading import load_within
from comb.interface.table import Table
from comb.kernels import dispatch
from comb.reading.io.source_file import path_of, size_of


def one_or_several(source: tuple[str, ...]) -> str | list[str]:
    """Return the one file, or the list of several; an address of a file on this machine is its path."""
    paths = [str(path_of(one)) for one in source]
    return paths[0] if len(paths) == 1 else paths


class Loading(NamedTuple):
    """What a command that reads a source works with.

    Attributes
    ----------
    load : callable
        Returns the table.
    progress : callable
        Says what is being done.
    """

    load: Callable[[], Table]
    progress: Callable[[str], None]


@contextlib.contextmanager
def loading(
    screen: Terminal, source: tuple[str, ...], options: dict[str, Any], times: float = LOAD
) -> Iterator[Loading]:
    """Choose between memory and disk for work on a source, and show that it is read.

    Parameters
    ----------
    screen : Terminal
    source : tuple of str
    options : dict
        Those of `load`, and `memory`, `temporary` and `workers`.
    times : float
        The work needs this many times the size of the source.
    """
    given, limits = parted(options)
    paths = one_or_several(source)
    size = 0 if given.get("rows") is not None else size_of(paths)
    with (
        screen.working(f"reading {shlex.join(source)}") as progress,
        working(size, times, limits, progress, compiled=dispatch.kernels.compiled) as resources,
    ):
        yield Loading(partial(load_within, paths, resources, **given), progress)


def parted(options: dict[str, Any]) -> tuple[dict[str, Any], Limits]:
    """Part what is asked of reading from what there is to work with."""
    given = dict(options)
    return given, Limits(*(given.pop(name, None) for name in ("memory", "temporary", "workers")))


# What is not worth repeating of an option.
_USUAL: dict[str, tuple[Any, ...]] = {"delimiter": ("",), "lists": ("keep",)}


def again(source: tuple[str, ...], options: dict[str, Any]) -> str:
    """Write a source with the options it was read by, for the next command.

    >>> again(("a b.csv",), {"table": "May!A1:B3", "totals": True, "types": {"k": "string"}, "missing": ["-"]})
    "'a b.csv' --table 'May!A1:B3' --totals --type k=string --missing -"
    >>> again(("a.csv",), {"missing": {"age": ["999"], "*": ["-"]}, "known_words": False})
    'a.csv --missing age=999 --missing - --no-known-words'
    """
    parts, delimiter = [shlex.join(source)], str(options.get("delimiter") or "")
    given = {**options, "delimiter": {"\t": "tab"}.get(delimiter, delimiter)}
    given["no_known_words"] = not given.pop("known_words", True)
    if isinstance(words := given.get("missing"), dict):
        given["missing"] = [
            word if name == "*" else f"{name}={word}" for name, several in words.items() for word in several
        ]
    for name, value in given.items():
        flag = f"--{'type' if name == 'types' else name.replace('_', '-')}"
        if isinstance(value, bool):
            parts += [flag] if value else []
            continue
        several = [f"{one}={kind}" for one, kind in value.items()] if isinstance(value, dict) else value
        values = several if isinstance(several, list | tuple) else [several]
        parts += [f"{flag} {shlex.quote(str(one))}" for one in values if one not in _USUAL.get(name, (None,))]
    return " ".join(parts)


def free_name(name: str) -> str:
    """Return a name for a file that is not there yet: the same, or with the next number."""
    path, number = Path(name), 1
    while path.exists():
        number += 1
        path = Path(name).with_stem(f"{Path(name).stem}-{number}")
    return str(path)


def check_files(source: tuple[str, ...], option: str) -> None:
    """Raise a ParameterError where names of columns stand where files do: they belong behind an option."""
    lacking = [one for one in source[1:] if not Path(one).expanduser().exists() and not set(one) & set("*?[/.")]
    if lacking and Path(source[0]).expanduser().exists():
        raise ParameterError(
            f"there is no file {lacking[0]!r}",
            remedy=f"columns are named behind {option}, with commas between, in quotes: {option} '{','.join(lacking)}'",
        )


def names_of(text: str) -> list[str]:
    """Return names that were given with commas between."""
    return [part.strip() for part in text.split(",") if part.strip()]


# What JSON has no type for.
_AS_TEXT = frozenset({"decimal", "date", "datetime", "time", "duration"})


def records_of(table: Table) -> list[dict[str, Any]]:
    """Return rows as plain values: decimals and dates as texts, missing as null."""
    cells = {
        name: column.texts() if column.type.plain.word in _AS_TEXT else column.to_list()
        for name, column in table.columns.items()
    }
    numbers = table.row_numbers.tolist()
    return [{"row": number, **{name: cells[name][at] for name in cells}} for at, number in enumerate(numbers)]
