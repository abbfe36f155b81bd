"""Open sources. The only module of this layer that touches files."""

import datetime
import glob
import hashlib
import os
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from comb.errors import (
    ContentError,
    NotEnoughMemory,
    ParameterError,
    SourceMissing,
    SourceUnreadable,
    listing,
    nearest,
)

# Names of neighbouring files shown when a path is not there.
MOST_NEIGHBOURS = 6

# Loading with the plain-Python kernels takes at its peak so many times the file's size;
# with a limit on rows, the text alone has to be held.
MEMORY_FACTOR = 16
MEMORY_FACTOR_FEW_ROWS = 6

# Smaller files are never worth the question.
LARGE = 50_000_000

_GLOB_MARKS = frozenset("*?[")


@dataclass(frozen=True, slots=True)
class SourceBytes:
    """The bytes of a source, and what the system says of it.

    Attributes
    ----------
    name, path : str
    data : bytes
    modified : str
        ISO 8601 in UTC; empty for a stream.
    checksum : str
        SHA-256, in hexadecimal.
    """

    name: str
    path: str
    data: bytes
    modified: str
    checksum: str


def expand(source: str | Path | Sequence[str | Path]) -> list[str | Path]:
    """Return the files a source names: itself, those of a list, or those a pattern matches.

    Raises
    ------
    SourceMissing
        If a pattern matches no file.
    """
    if not isinstance(source, str | Path):
        if not source:
            raise ParameterError("expected at least one source, came an empty list")
        return list(source)
    text = str(source)
    if not _GLOB_MARKS.intersection(text) or Path(text).exists():
        return [source]
    found: list[str | Path] = [*sorted(glob.glob(text))]  # noqa: PTH207 - a pattern may be absolute
    if not found:
        raise SourceMissing("no file matches this pattern", where=text, remedy=f"looked in {Path.cwd()}")
    return found


def read_source(source: str | Path, *, few_rows: bool = False) -> SourceBytes:
    """Read a file, or standard input for ``-``, whole.

    Parameters
    ----------
    source : str or Path
    few_rows : bool
        Whether only some rows will be read, which takes less memory.

    Raises
    ------
    SourceMissing
        With the place where it was looked for and the nearest name there.
    SourceUnreadable
        If it is a folder, the system refuses it, or it changes while it is read.
    ContentError
        If it is empty.
    NotEnoughMemory
        If it is larger than what the machine has left.
    """
    if str(source) == "-":
        data, name, path, modified = sys.stdin.buffer.read(), "standard input", "-", ""
    else:
        place = Path(source)
        data, changed = _read_file(place, MEMORY_FACTOR_FEW_ROWS if few_rows else MEMORY_FACTOR)
        name, path = place.name, str(place)
        modified = datetime.datetime.fromtimestamp(changed, datetime.UTC).isoformat(timespec="seconds")
    if not data.strip():
        what = "the file is empty" if not data else "there is nothing but blank lines in it"
        raise ContentError(what, where=name, remedy="expected a header line and rows below it")
    return SourceBytes(name, path, data, modified, hashlib.sha256(data).hexdigest())


def read_beside(path: str, name: str) -> str | None:
    """Return the text of a file beside another; None if there is none that can be read."""
    if not path or path == "-":
        return None
    try:
        with (Path(path).parent / name).open(encoding="utf-8-sig", newline="") as stream:
            return stream.read()
    except (OSError, UnicodeDecodeError):
        return None


def _read_file(place: Path, factor: int) -> tuple[bytes, float]:
    """Return the bytes of a file and when it was changed."""
    try:
        with place.open("rb") as stream:
            before = os.fstat(stream.fileno())
            check_memory(before.st_size, factor, str(place))
            data = stream.read()
            after = os.fstat(stream.fileno())
    except FileNotFoundError:
        raise _not_there(place) from None
    except IsADirectoryError:
        raise _folder(place) from None
    except (OSError, ValueError) as error:
        told = getattr(error, "strerror", None) or str(error)
        raise SourceUnreadable(f"cannot be read: {told}", where=str(place)) from None
    if (before.st_size, before.st_mtime_ns) != (after.st_size, after.st_mtime_ns):
        raise SourceUnreadable(
            f"it changed while it was read, from {before.st_size:,} to {after.st_size:,} bytes",
            where=str(place),
            remedy="wait until it is written, then load it again",
        )
    return data, after.st_mtime


def check_memory(size: int, factor: int, where: str) -> None:
    """Raise NotEnoughMemory before the machine begins to swap."""
    free = free_memory()
    if size < LARGE or free is None or size * factor <= free:
        return
    raise NotEnoughMemory(
        f"loading {size / 1e9:.1f} GB needs about {size * factor / 1e9:.1f} GB of memory, {free / 1e9:.1f} GB are free",
        where=where,
        remedy="read less of it: rows=..., or --rows",
    )


def free_memory() -> int | None:
    """Return how many bytes can be had without swapping; None where the system does not say."""
    try:
        with Path("/proc/meminfo").open(encoding="ascii") as stream:
            for line in stream:
                if line.startswith("MemAvailable:"):
                    return int(line.split()[1]) * 1024
    except (OSError, ValueError):
        pass
    return None


def _not_there(place: Path) -> SourceMissing:
    folder = place.parent
    if not folder.is_dir():
        return SourceMissing(f"there is no folder {str(folder)!r}", where=str(place), remedy=f"looked in {Path.cwd()}")
    names = sorted(path.name for path in folder.iterdir() if path.is_file())
    near = nearest(place.name, names)
    there = f"in {folder.resolve()} there is: {listing(names, MOST_NEIGHBOURS) or 'no file'}"
    hint = f"did you mean {near!r}? " if near else ""
    return SourceMissing("there is no such file", where=str(place), remedy=hint + there)


def _folder(place: Path) -> SourceUnreadable:
    names = sorted(path.name for path in place.iterdir() if path.is_file())
    remedy = f"name one of its files: {listing(names, MOST_NEIGHBOURS)}" if names else "it holds no files"
    return SourceUnreadable("this is a folder, expected a file", where=str(place), remedy=remedy)
