"""Large arrays kept in files of a temporary folder.

A table that is larger than memory is an ordinary table whose arrays are mapped files. The code that works on it is the
same; all that differs is who was asked for the memory of its columns. So whatever makes columns asks a `Storage`.

`DiskStorage` takes the arrays from *arenas*: files of a quarter of a gigabyte and more, each mapped once, so that
thousands of columns do not take thousands of open files. The space of an arena is reserved before it is mapped: a full
disk is an error here, not a signal later. Where the system allows it the file has no name from the beginning, so that
nothing is left of it however the process ends; an arena goes when its last array does.

What was read or written through a mapping stays in memory until the system needs the room, and counts as the
process's own until then. `DiskStorage.release` lets it go at once; nothing is lost by that, the pages are in the
system's cache and come back when they are touched. While the storage is open (it is a context manager) a thread does
that whenever more than its allowance is resident. Known weak spot: only Linux tells how much that is; elsewhere the
system alone decides.

Memory file systems are refused: a temporary file there would take the memory that it is meant to save.
"""

import contextlib
import mmap
import os
import threading
import weakref
from collections.abc import Callable
from pathlib import Path
from types import TracebackType
from typing import IO, Any, Self

import numpy as np
from numpy.typing import NDArray

from comb.errors import NotEnoughSpace, ParameterError
from comb.execution.storage import BLOCK_ROWS, in_memory

# Smaller arrays stay in memory: they are no burden there.
SMALLEST_IN_FILE = 65_536

# Arrays share files of this size; a larger one has a file of its own.
ARENA_BYTES = 256_000_000

# Arrays begin at multiples of this, as processors like them.
ALIGNMENT = 64

# So often it is looked how much of the mapped files is in memory, in seconds.
LOOK_EVERY = 0.003

# Memory that was freed is given back to the system once in this number of looks; else it would stay the process's own.
GIVE_BACK_EVERY = 60

# A row that is worked on takes about this much of the limit, in bytes; fewer rows than this are not worth a block.
BYTES_A_ROW = 1_500
LEAST_ROWS = 50_000

# This much of a limit may be taken by pages of mapped files.
SHARE_OF_MAPPED = 0.25
LEAST_MAPPED = 16_000_000

# Where the process as a whole takes this much of the limit, they may take a quarter of that.
NEAR_THE_LIMIT = 0.8

# Where the system says what a process takes, in pages, and how long that is at most.
_SIZES = "/proc/self/statm"
LONGEST_SIZES = 200

# File systems that are memory.
_IN_MEMORY = frozenset({"tmpfs", "ramfs"})

# Where temporary files are looked for after the system's own place.
_OTHER_FOLDER = "/var/tmp"


class DiskStorage:
    """Keeps large arrays in files without a name.

    Parameters
    ----------
    folder : Path
        On a disk.
    limit : int
        How much memory the work may take, in bytes; a part of it is for pages of mapped files.
    smallest : int
        Arrays of fewer bytes stay in memory.
    block_rows : int, optional
        How many rows a block has; by default as many as the limit allows.
    threads : int
        How many blocks are worked on at once.

    Raises
    ------
    ParameterError
        If there is no such folder, or it is in memory.
    """

    on_disk = True
    # One column at a time is in memory.
    threads = 1

    def __init__(
        self, folder: Path, limit: int, *, smallest: int = SMALLEST_IN_FILE, block_rows: int | None = None,
        threads: int = 1,
    ) -> None:  # fmt: skip
        check_folder(folder)
        fitting = min(BLOCK_ROWS, max(LEAST_ROWS, limit // (BYTES_A_ROW * threads)))
        self.block_rows = fitting if block_rows is None else block_rows
        self.blocks_at_once = threads
        self.folder = folder
        self._smallest = smallest
        self._allowance = max(LEAST_MAPPED, int(limit * SHARE_OF_MAPPED))
        self._near = limit * NEAR_THE_LIMIT
        self._lock = threading.Lock()
        self._files: weakref.WeakSet[_MappedFile] = weakref.WeakSet()
        self._open: _MappedFile | None = None
        self._texts: list[IO[bytes]] = []
        self._used = 0
        self._closed = threading.Event()
        self._thread: threading.Thread | None = None

    # Another process has its own disk; what is pickled goes there in memory.
    def __reduce__(self) -> tuple[Any, ...]:
        return in_memory, ()

    def __enter__(self) -> Self:
        before = mapped_bytes()
        if before is not None:
            self._closed.clear()
            self._thread = threading.Thread(target=self._watch, args=(before,), daemon=True, name="comb-storage")
            self._thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._closed.set()
        for file in self._texts:
            file.close()
        if self._thread is not None:
            self._thread.join()
            self._thread = None
        self.release()

    def empty(self, count: int, dtype: Any) -> NDArray[Any]:
        """Return an array whose values are still to be written.

        Raises
        ------
        NotEnoughSpace
            If the disk is full.
        """
        kind = np.dtype(dtype)
        size = count * kind.itemsize
        if size <= self._smallest:
            return np.empty(count, kind)
        # One file for many arrays: the mappings of a process are limited in number.
        with self._lock:
            if self._open is None or self._used + size > len(self._open):
                mapped = _MappedFile.of(self.folder, max(size, ARENA_BYTES))
                self._files.add(mapped)
                if size >= ARENA_BYTES:
                    # It fills a file of its own; the open one stays open for smaller arrays.
                    return np.frombuffer(mapped, kind, count)
                self._open, self._used = mapped, 0
            start = self._used
            self._used = -(-(start + size) // ALIGNMENT) * ALIGNMENT
            return np.frombuffer(self._open, kind, count, start)

    def file(self) -> IO[bytes]:
        """Open a file without a name that is closed when the work is done."""
        file = unnamed_file(self.folder)
        self._texts.append(file)
        return file

    def holds(self, array: NDArray[Any]) -> bool:
        """Return whether an array is kept in a file, or too small for one."""
        if array.nbytes <= self._smallest:
            return True
        # A slice of a slice: what is at the bottom tells.
        below: Any = array
        while isinstance(below, np.ndarray) and below.base is not None:
            below = below.base
        return isinstance(below, memoryview) and isinstance(below.obj, _MappedFile)

    def release(self) -> None:
        """Let go of what is in memory of the files; it comes back when it is touched."""
        with self._lock:
            # Arrays that are gone have taken their files with them.
            files = list(self._files)
        for mapped in files:
            mapped.let_go()

    def _watch(self, before: int) -> None:
        give_back, looks = _giver_back(), 0
        # Opened once: each call of the system waits for the interpreter's lock afterwards, and takes it from others.
        with Path(_SIZES).open("rb", buffering=0) as sizes:
            while not self._closed.wait(LOOK_EVERY):
                looks += 1
                told = os.pread(sizes.fileno(), LONGEST_SIZES, 0).split()
                resident, mapped = int(told[1]) * mmap.PAGESIZE, int(told[2]) * mmap.PAGESIZE
                allowed = self._allowance if resident < self._near else max(LEAST_MAPPED, self._allowance // 4)
                # Only what this work has mapped: libraries are mapped files too.
                if mapped - before > allowed:
                    self.release()
                if looks % GIVE_BACK_EVERY == 0:
                    give_back(0)


class _MappedFile(mmap.mmap):
    """A mapped file without a name: what arrays on disk have at the bottom, and what lives as long as they do."""

    @classmethod
    def of(cls, folder: Path, size: int) -> "_MappedFile":
        """Map a new file in a folder."""
        with unnamed_file(folder) as file:
            reserve(file, size, folder)
            return cls(file.fileno(), size)

    def let_go(self) -> None:
        """Let its pages go; they come back from the system's cache."""
        if hasattr(mmap, "MADV_DONTNEED"):
            with contextlib.suppress(ValueError, OSError):
                self.madvise(mmap.MADV_DONTNEED)


def _giver_back() -> Callable[[int], object]:
    """Return what gives memory that the process has freed back to the system; nothing where there is no such call."""
    import ctypes

    try:
        found = ctypes.CDLL(None).malloc_trim
    except (AttributeError, OSError, TypeError):
        return lambda left: None
    return found


def unnamed_file(folder: Path) -> IO[bytes]:
    """Open a file that has no name, or loses it when it is closed."""
    try:
        import tempfile

        return tempfile.TemporaryFile(prefix="comb-", dir=folder)
    except OSError as error:
        raise ParameterError(
            f"no temporary file can be made: {error.strerror}", where=str(folder), remedy="another --temporary DIR"
        ) from None


def reserve(file: IO[bytes], size: int, folder: Path) -> None:
    """Take space on the disk for a file before it is written.

    Raises
    ------
    NotEnoughSpace
        If there is too little.
    """
    try:
        # A mapping beyond the end of a disk that is full would end the process without a word.
        if hasattr(os, "posix_fallocate"):
            os.posix_fallocate(file.fileno(), 0, size)
        else:
            block = bytes(1_000_000)
            for start in range(0, size, len(block)):
                file.write(block[: size - start])
            file.flush()
    except OSError as error:
        raise NotEnoughSpace(
            f"the disk for temporary files has no {size / 1e9:.1f} GB left: {error.strerror}",
            where=str(folder),
            remedy="another folder: --temporary DIR, or temporary=",
        ) from None


def temporary_folder(given: str | Path | None) -> Path:
    """Return where temporary files go: where it is said, or where the system has them, if that is on a disk."""
    if given is not None:
        return Path(given)
    import tempfile

    usual = Path(tempfile.gettempdir())
    other = Path(_OTHER_FOLDER)
    return other if file_system_of(usual) in _IN_MEMORY and other.is_dir() else usual


def check_folder(folder: Path) -> None:
    """Raise a ParameterError unless temporary files can go into a folder."""
    if not folder.is_dir():
        raise ParameterError("there is no such folder for temporary files", where=str(folder))
    kind = file_system_of(folder)
    if kind in _IN_MEMORY:
        raise ParameterError(
            f"temporary files would go into memory there ({kind})",
            where=str(folder),
            remedy="a folder on a disk: --temporary DIR, or temporary=",
        )


def file_system_of(folder: Path) -> str:
    """Return the kind of file system a folder is on; empty where the system does not say."""
    try:
        lines = Path("/proc/self/mounts").read_text(encoding="utf-8", errors="replace").splitlines()
        whole = folder.resolve()
    except OSError:
        return ""
    best, kind = -1, ""
    for line in lines:
        parts = line.split(" ")
        place = Path(parts[1].replace("\\040", " "))
        if len(parts) > 2 and (place == whole or place in whole.parents) and len(place.parts) >= best:
            best, kind = len(place.parts), parts[2]
    return kind


def mapped_bytes() -> int | None:
    """Return how much memory pages of files take in this process; None where the system does not say."""
    return _pages(2)


def used_bytes() -> int:
    """Return how much memory this process takes; 0 where the system does not say."""
    return _pages(1) or 0


def _pages(field: int) -> int | None:
    try:
        return int(Path(_SIZES).read_text(encoding="ascii").split()[field]) * mmap.PAGESIZE
    except (OSError, ValueError, IndexError):
        return None
