"""Open sources. The only module of this layer that touches files."""

import datetime
import hashlib
import sys
from dataclasses import dataclass
from pathlib import Path

from comb.errors import ContentError, SourceMissing, SourceUnreadable, listing, nearest

# Names of neighbouring files shown when a path is not there.
MOST_NEIGHBOURS = 6


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


def read_source(source: str | Path) -> SourceBytes:
    """Read a file, or standard input for ``-``, whole.

    Raises
    ------
    SourceMissing
        With the place where it was looked for and the nearest name there.
    SourceUnreadable
        If it is a folder, or the system refuses it.
    ContentError
        If it is empty.
    """
    if str(source) == "-":
        data, name, path, modified = sys.stdin.buffer.read(), "standard input", "-", ""
    else:
        place = Path(source)
        try:
            data, changed = place.read_bytes(), place.stat().st_mtime
        except FileNotFoundError:
            raise _not_there(place) from None
        except IsADirectoryError:
            raise _folder(place) from None
        except OSError as error:
            raise SourceUnreadable(f"cannot be read: {error.strerror}", where=str(place)) from None
        name, path = place.name, str(place)
        modified = datetime.datetime.fromtimestamp(changed, datetime.UTC).isoformat(timespec="seconds")
    if not data.strip():
        what = "the file is empty" if not data else "there is nothing but blank lines in it"
        raise ContentError(what, where=name, remedy="expected a header line and rows below it")
    return SourceBytes(name, path, data, modified, hashlib.sha256(data).hexdigest())


def _not_there(place: Path) -> SourceMissing:
    folder = place.parent
    if not folder.is_dir():
        return SourceMissing(
            f"there is no folder {str(folder)!r}", where=str(place), remedy=f"looked in {Path.cwd()}"
        )
    names = sorted(path.name for path in folder.iterdir() if path.is_file())
    near = nearest(place.name, names)
    there = f"in {folder.resolve()} there is: {listing(names, MOST_NEIGHBOURS) or 'no file'}"
    hint = f"did you mean {near!r}? " if near else ""
    return SourceMissing("there is no such file", where=str(place), remedy=hint + there)


def _folder(place: Path) -> SourceUnreadable:
    names = sorted(path.name for path in place.iterdir() if path.is_file())
    remedy = f"name one of its files: {listing(names, MOST_NEIGHBOURS)}" if names else "it holds no files"
    return SourceUnreadable("this is a folder, expected a file", where=str(place), remedy=remedy)
