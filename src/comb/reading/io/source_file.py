"""Open sources. The only module of this layer that touches files."""

import contextlib
import datetime
import io
import os
import re
import stat
import sys
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from io import BufferedReader
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any, BinaryIO, cast

import msgspec
import numpy as np
from blake3 import blake3

from comb.errors import CombError, ParameterError, SourceMissing, SourceUnreadable, counted, listing, nearest
from comb.execution.executor import helper
from comb.execution.memory import JSON_TO_TEXT, LARGE, check_memory
from comb.execution.storage import Storage
from comb.formats.lazy_pattern import lazy_pattern
from comb.formats.sniff import BINARY_START, looks_like_json
from comb.reading.io.compression import USUAL_PACKING, WORKBOOK_PARTS, compression_of

if TYPE_CHECKING:
    from concurrent.futures import Executor, Future

# Names of neighbouring files shown when a path is not there.
MOST_NEIGHBOURS = 6

# So much is read at once of what is kept elsewhere than in memory.
KEPT_AT_ONCE = 8_000_000

# No more is asked of the system at once.
MOST_AT_ONCE = 1 << 30

# Fewer bytes are added to a checksum at once, in the thread that reads.
WORTH_A_THREAD = 1_000_000

# This many pieces may wait to be added.
MOST_PENDING = 4
_ADDRESS = lazy_pattern(r"(?:https?|ftps?|s3)://?", re.IGNORECASE, needs=":")
# The beginning of a file that shows what it is.
LOOK_AT = 4_000

_GLOB_MARKS = frozenset("*?[")


class Stamp(msgspec.Struct, frozen=True):
    """What the system says of a source.

    Attributes
    ----------
    size : int
        Bytes.
    modified : str
        ISO 8601 in UTC; empty for a stream.
    checksum : str
        BLAKE3, in hexadecimal; empty where only the beginning was read.
    """

    size: int
    modified: str
    checksum: str


class HeldSource(msgspec.Struct, frozen=True):
    """A source that is in memory already: bytes, or what an open file held.

    Attributes
    ----------
    name : str
        What to call it in messages.
    data : bytes
    """

    name: str
    data: bytes

    @classmethod
    def of(cls, source: object) -> "HeldSource | None":
        """Take bytes, or read an open file of bytes or text to its end; None for anything else."""
        if isinstance(source, bytes | bytearray | memoryview):
            return cls(f"{len(source):,} bytes", bytes(source))
        read = getattr(source, "read", None)
        if not callable(read):
            return None
        data, name = read(), getattr(source, "name", "")
        name = Path(name).name if isinstance(name, str) and name else "open file"
        return cls(name, data.encode() if isinstance(data, str) else bytes(data))


class _Checksum:
    """A BLAKE3 over bytes that come piece by piece, in a thread of its own where that is worth it."""

    def __init__(self, *, beside: bool) -> None:
        self._sum = blake3()
        self._beside = beside
        self._helper: Executor | None = None
        self._pending: deque[Future[blake3]] = deque()

    def add(self, data: bytes | memoryview) -> None:
        """Add the next bytes; does not get far ahead of the other thread."""
        if not self._beside or len(data) < WORTH_A_THREAD:
            self._settle()
            self._sum.update(data)
            return
        self._helper = self._helper or helper()
        while len(self._pending) > MOST_PENDING:
            self._pending.popleft().result()
        self._pending.append(self._helper.submit(self._sum.update, data))

    def hexdigest(self) -> str:
        """Return the sum in hexadecimal."""
        self._settle()
        return self._sum.hexdigest()

    def close(self) -> None:
        """Let the other thread go."""
        if self._helper is not None:
            self._helper.shutdown()

    def _settle(self) -> None:
        while self._pending:
            self._pending.popleft().result()


def combined(checksums: Sequence[str]) -> str:
    """Return one checksum for several sources: that of their checksums; empty where one is not known."""
    if len(checksums) == 1 or not all(checksums):
        return checksums[0] if len(checksums) == 1 else ""
    return blake3("".join(checksums).encode()).hexdigest()


# What names a source: a path or a pattern, what is in memory, or several of these.
Source = str | Path | HeldSource | Sequence[str | Path | HeldSource]


class OpenSource:
    """A source that is being read; standard input for ``-``.

    Parameters
    ----------
    source : str, Path or HeldSource
    beside : bool
        Whether the checksum may be taken in another thread.
    memory : int, optional
        How many bytes of memory there are, if the caller says.

    Raises
    ------
    SourceMissing
        With the place where it was looked for and the nearest name there.
    SourceUnreadable
        If it is a folder, the system refuses it, or, later, it changes while it is read.
    """

    def __init__(self, source: "str | Path | HeldSource", *, beside: bool = False, memory: int | None = None) -> None:
        self._memory = memory
        self._place: Path | None = None
        if isinstance(source, HeldSource):
            self.name, self.path = source.name, ""
            self._file = cast(BufferedReader, io.BytesIO(source.data))
        elif str(source) == "-":
            self.name, self.path = "standard input", "-"
            self._file = cast(BufferedReader, sys.stdin.buffer)
        else:
            check_path(source)
            self._place = Path(source).expanduser()
            self.name, self.path = self._place.name, str(self._place)
            self._file = _open(self._place)
        state = None if self._place is None else os.fstat(self._file.fileno())
        # A pipe that is named by a path has no size, and cannot be read twice.
        self._before = state if state is not None and stat.S_ISREG(state.st_mode) else None
        self._beside = beside
        self._checksum = _Checksum(beside=beside)
        self._read = 0
        self.at_end = False

    def __enter__(self) -> "OpenSource":
        return self

    def __exit__(self, *_: object) -> None:
        self._checksum.close()
        if self._place is not None:
            self._file.close()

    @property
    def state(self) -> os.stat_result | None:
        """What the system said of the file when it was opened; None for a stream."""
        return self._before

    @property
    def size(self) -> int | None:
        """Bytes, as the system says; None for a stream."""
        return None if self._before is None else self._before.st_size

    def read(self, size: int) -> bytes:
        """Read on; fewer bytes than asked for, or than a gigabyte, come only at the end."""
        size = min(size, MOST_AT_ONCE)
        with _naming(self.path):
            data = self._file.read(size)
        self._was_read(data, size)
        return data

    def read_behind(self, ahead: bytes, size: int) -> memoryview:
        """Read on, into one piece with bytes that stand ahead."""
        size = min(size, MOST_AT_ONCE)
        # Unlike a bytearray, this is not filled with zeros first.
        piece = memoryview(np.empty(len(ahead) + size, np.uint8).data)
        piece[: len(ahead)] = ahead
        read = len(ahead)
        with _naming(self.path):
            while read < len(piece) and (more := self._file.readinto(piece[read:])):
                read += more
        self._was_read(piece[len(ahead) : read], size)
        return piece[:read]

    def _was_read(self, data: bytes | memoryview, size: int) -> None:
        self._checksum.add(data)
        self._read += len(data)
        self.at_end = len(data) < size
        # A file that grows faster than it is read would never end.
        if self.at_end or self._read > (self.size or self._read):
            self._check()

    def pieces(self, size: int) -> Iterator[bytes]:
        """Read on to the end, piece by piece."""
        while not self.at_end:
            data = self.read(size)
            if data:
                yield data

    def again_whole(self) -> IO[bytes]:
        """Open a file a second time."""
        return _open(Path(self.path))

    def everything(self, start: bytes, factor: float) -> bytes:
        """Read all of it, when its beginning was read already."""
        if self._before is None:
            return start + self.rest(factor)
        self._file.seek(0)
        self._checksum.close()
        self._checksum, self._read, self.at_end = _Checksum(beside=self._beside), 0, False
        return self.rest(factor)

    def kept(self, storage: Storage) -> memoryview:
        """Read all of a file, once more from its beginning, to where a storage keeps it."""
        self._file.seek(0)
        self._checksum.close()
        self._checksum, self._read, self.at_end = _Checksum(beside=self._beside), 0, False
        return kept_of(self.read, self.size or 0, storage)

    def rest(self, factor: float) -> bytes:
        """Read all that is left, if it can be held this many times over in memory."""
        if self._before is not None:
            check_memory(self._before.st_size, factor, self.path, self._memory)
        # At once where the size is known: joining pieces would take the memory twice.
        left = LARGE if self._before is None else max(0, self._before.st_size - self._read) + 1
        parts: list[bytes] = []
        while not self.at_end:
            if self._before is None and parts:
                check_memory(self._read, factor, self.name, self._memory)
            parts.append(self.read(left))
        return parts[0] if len(parts) == 1 else b"".join(parts)

    def again(self, start: int, stop: int) -> bytes:
        """Read some bytes of a file a second time."""
        with _naming(self.path), Path(self.path).open("rb") as stream:
            stream.seek(start)
            data = stream.read(stop - start)
            self._check(stream)
        return data

    def stamp(self) -> Stamp:
        """Return what the system says of the source, and the checksum of what was read if that is all."""
        if self._before is None:
            return Stamp(self._read, "", self._checksum.hexdigest() if self.at_end else "")
        modified = datetime.datetime.fromtimestamp(self._before.st_mtime, datetime.UTC).isoformat(timespec="seconds")
        whole = self._read == self._before.st_size
        return Stamp(self._before.st_size, modified, self._checksum.hexdigest() if whole else "")

    def _check(self, stream: BinaryIO | None = None) -> None:
        """Raise a SourceUnreadable if the file is not what it was when it was opened."""
        if self._before is None:
            return
        now = os.fstat((stream or self._file).fileno())
        short = stream is None and self._read != now.st_size
        if short or (self._before.st_size, self._before.st_mtime_ns) != (now.st_size, now.st_mtime_ns):
            raise SourceUnreadable(
                f"it changed while it was read, from {self._before.st_size:,} to {now.st_size:,} bytes",
                where=self.path,
                remedy="wait until it is written, then load it again",
            )


def _open(place: Path) -> BufferedReader:
    with _naming(str(place)):
        try:
            return place.open("rb")
        except FileNotFoundError:
            raise _not_there(place) from None
        except IsADirectoryError:
            raise _folder(place) from None


@contextlib.contextmanager
def _naming(path: str) -> Iterator[None]:
    """Turn what the system refuses into an error that names the file."""
    try:
        yield
    except CombError:
        raise
    except (OSError, ValueError) as error:
        message = getattr(error, "strerror", None) or str(error)
        raise SourceUnreadable(f"cannot be read: {message}", where=path) from None


def is_stream(source: object) -> bool:
    """Return whether a source can be read only once: standard input, a pipe."""
    if not isinstance(source, str | Path):
        return False
    return str(source) == "-" or (Path(source).exists() and not Path(source).is_file() and not Path(source).is_dir())


def path_of(path: Any) -> Any:
    """Return a path of any kind, whatever names one by Python's protocol, as a Path; anything else as it is.

    >>> path_of("file:///data/visits%202025.csv")
    '/data/visits 2025.csv'
    """
    if isinstance(path, str) and path.lower().startswith("file:"):
        from urllib.parse import urlsplit
        from urllib.request import url2pathname

        return url2pathname(urlsplit(path).path)
    if isinstance(path, str | Path) or not hasattr(path, "__fspath__"):
        return path
    named = os.fspath(path)
    return Path(os.fsdecode(named))


# No system takes longer paths; a text with line ends is more likely what would be in the file.
LONGEST_PATH = 4_096
_LINE_ENDS = frozenset("\r\n")


def check_path(path: object) -> None:
    """Raise a ParameterError unless a source or a place to write is named by its path."""
    if not isinstance(path, str | Path):
        shown = f"{len(path):,} bytes" if isinstance(path, bytes | bytearray) else repr(path)
        raise ParameterError(f"expected the path of a file, got {shown}", remedy="write it to a file first")
    if _ADDRESS.match(str(path)):
        raise ParameterError(
            "expected the path of a file, got an address of the web", where=str(path),
            remedy="download the file, then name it: Comb fetches nothing",
        )  # fmt: skip
    text = str(path)
    if len(text) > LONGEST_PATH or (_LINE_ENDS.intersection(text) and not Path(text).exists()):
        many = counted(len(text), "character")
        raise ParameterError(
            f"expected the path of a file, got a text of {many}",
            remedy="a path has no line ends; what is in a file is given as bytes: text.encode()",
        )


def check_reachable(path: object) -> None:
    """Raise an error if something is no path, or one that the system refuses; there need not be a file."""
    check_path(path)
    with _naming(str(path)), contextlib.suppress(FileNotFoundError, NotADirectoryError):
        Path(str(path)).expanduser().stat()


def kept_of(read: Callable[[int], bytes], size: int, storage: Storage) -> memoryview:
    """Read this many bytes, some at a time, to where a storage keeps them."""
    whole, at = storage.empty(size, np.uint8), 0
    while data := read(KEPT_AT_ONCE):
        whole[at : at + len(data)] = np.frombuffer(data, np.uint8)
        at += len(data)
    return whole.data


def size_of(source: Source) -> int:
    """Return about how many bytes of delimited text a source has, or would have: JSON takes more than text.

    Other documents and streams, which are held in memory whatever is chosen, count nothing; nor does what is not there.
    """
    return sum(len(one.data) if isinstance(one, HeldSource) else _size_unpacked(Path(one)) for one in expand(source))


def _size_unpacked(given: Path) -> int:
    """Return how large a file is, and about how large what is in it, if it is compressed."""
    with contextlib.suppress(OSError, ValueError):
        path = given.expanduser()
        if not path.is_file():
            return 0
        size = path.stat().st_size
        with path.open("rb") as stream:
            start = stream.read(LOOK_AT)
            kind = compression_of(start)
            if start.startswith(BINARY_START):
                return 0
            if looks_like_json(start.decode(errors="replace")):
                return int(size * JSON_TO_TEXT)
            if kind == "zip":
                return _size_in_zip(stream, size)
        return size * (USUAL_PACKING if kind else 1)
    return 0


def _size_in_zip(stream: IO[bytes], size: int) -> int:
    """Return how large the largest file in an archive is; nothing for a workbook or what is no archive."""
    # To load it takes longer than to look at most files.
    import zipfile

    with contextlib.suppress(zipfile.BadZipFile), zipfile.ZipFile(stream) as archive:
        members = [one.file_size for one in archive.infolist()]
        known = set(archive.namelist()) & set(WORKBOOK_PARTS)
        return 0 if known else max(members, default=size)
    return 0


def expand(source: Source) -> list[str | Path | HeldSource]:
    """Return the files a source names: itself, those of a list, or those a pattern matches.

    Raises
    ------
    SourceMissing
        If a pattern matches no file.
    """
    if isinstance(source, HeldSource):
        return [source]
    if not isinstance(source, str | Path):
        several = (
            list(source) if isinstance(source, Sequence) and not isinstance(source, bytes | bytearray) else [source]
        )
        if not several:
            raise ParameterError("expected at least one source, got an empty list")
        for one in several:
            if not isinstance(one, HeldSource):
                check_reachable(one)
        return several
    check_reachable(source)
    source = Path(source).expanduser() if str(source).startswith("~") else source
    text = str(source)
    if not _GLOB_MARKS.intersection(text) or Path(text).exists():
        return [source]
    import glob

    found: list[str | Path | HeldSource] = [*sorted(glob.glob(text))]  # noqa: PTH207 - a pattern may be absolute
    if not found:
        raise SourceMissing("no file matches this pattern", where=text, remedy=f"looked in {Path.cwd()}")
    return found


def read_whole(source: str | Path) -> bytes:
    """Read a small file whole."""
    with OpenSource(source) as opened:
        return opened.rest(1)


def _not_there(place: Path) -> SourceMissing:
    folder = place.parent
    if not folder.is_dir():
        return SourceMissing(f"there is no folder {str(folder)!r}", where=str(place), remedy=f"looked in {Path.cwd()}")
    names = sorted(path.name for path in folder.iterdir() if path.is_file())
    near = nearest(place.name, names)
    there = f"files in {folder.resolve()}: {listing(names, MOST_NEIGHBOURS) or 'none'}"
    hint = f"did you mean {near!r}? " if near else ""
    return SourceMissing("there is no such file", where=str(place), remedy=hint + there)


def _folder(place: Path) -> SourceUnreadable:
    names = sorted(path.name for path in place.iterdir() if path.is_file())
    there = listing(names, MOST_NEIGHBOURS)
    remedy = f"name one of its files, or all by a pattern, as table='*': {there}" if names else "it holds no files"
    return SourceUnreadable("this is a folder, expected a file", where=str(place), remedy=remedy)
