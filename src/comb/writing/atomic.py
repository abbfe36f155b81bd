"""Write files and folders so that a reader sees the old one or the new one, never half of one.

An `Output` collects what is to be written. Each file or folder gets a temporary place beside its own, by the fixed
name ``.NAME.comb-new``, and keeps it locked: another run that wants the same place sees the lock and refuses, and what
a killed run left there has no lock, so that the next run clears it away. Content goes into the temporary place and is
flushed to the disk. Only when everything has been written are the names changed:

- what is new is renamed;
- what replaces something is exchanged with it in one call, so that there is no moment without either. Where the system
  has no such call a file is renamed over the old one, and a folder is renamed after the old one was moved to
  ``.NAME.comb-old``. A run that is killed between these two leaves the old folder there; the next one puts it
  back, and says so;
- if one of several cannot be put in its place, those before it are changed back.

At the end the old ones, which now have the temporary names, are deleted, and the folder around them is flushed.

A new file has the rights that the umask leaves; one that replaces another keeps the rights of that. A link stands for
what it leads to: the link stays, what it leads to is replaced. What exists is replaced only where that was asked
for, and a folder only if everything in it is part of a dataset: files of somebody else are never deleted.
"""

import contextlib
import hashlib
import os
import shutil
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Self

from comb.errors import CombError, WriteError, listing
from comb.reading.io.beside import CHECKSUMS, sums_in
from comb.writing.file_system import close_lock, exchange, flush_folder, open_locked, take_over_rights

# What a file holds, whole or in parts.
Content = bytes | Iterable[bytes]

# What writes a file of a folder: its name and content.
PutFile = Callable[[str, Content], None]

# Bytes in a name, on all systems in use.
_LONGEST_NAME = 255

# Whoever makes a temporary place may lose it to somebody who clears it away in that moment.
_TRIES = 5


class _Place:
    """Where one file or folder will be: its path, the temporary one, and the lock on that."""

    def __init__(self, path: Path, *, folder: bool, overwrite: bool) -> None:
        self.asked = path
        self._overwrite = overwrite
        self.path = _led_to(path)
        self.is_folder = folder
        self.temporary = _beside(self.path, "new")
        self.placed = self.exchanged = self.was_there = False
        self._locks: list[int | None] = [self._reserve()]

    def _reserve(self) -> int | None:
        for _ in range(_TRIES):
            self._make()
            handle = self._lock(self.temporary)
            with contextlib.suppress(FileNotFoundError):
                if handle is None or os.path.samestat(os.fstat(handle), self.temporary.lstat()):
                    self._clear()
                    return handle
            close_lock(handle)
        raise self._in_use()

    def _lock(self, path: Path) -> int | None:
        try:
            return open_locked(path)
        except BlockingIOError:
            raise self._in_use() from None

    def _in_use(self) -> WriteError:
        return WriteError(
            "another run is writing here at this moment", where=str(self.asked),
            remedy="wait until it has ended, or choose another name",
        )  # fmt: skip

    def _make(self) -> None:
        """Make the temporary file or folder, unless a killed run left one."""
        if self.temporary.is_dir() is not self.is_folder and self.temporary.exists():
            raise WriteError(
                f"there is something in the way: {self.temporary}", where=str(self.asked), remedy="remove it first"
            )
        with contextlib.suppress(FileExistsError):
            if self.is_folder:
                self.temporary.mkdir()
            else:
                os.close(os.open(self.temporary, os.O_CREAT | os.O_EXCL | os.O_WRONLY, self._first_mode()))

    def _first_mode(self) -> int:
        """What replaces a file may be as private as that, so that nobody may look at it before."""
        return 0o600 if self.path.exists() else 0o666

    def _clear(self) -> None:
        """Remove what a killed run left."""
        if self.is_folder:
            for entry in self.temporary.iterdir():
                shutil.rmtree(entry) if entry.is_dir() and not entry.is_symlink() else entry.unlink()

    def write(self, name: str, data: Content) -> None:
        """Write a file to the temporary place; a single one has an empty name."""
        path = self.temporary / name if name else self.temporary
        old = self.path / name if name else self.path
        with path.open("wb") as stream:
            for part in [data] if isinstance(data, bytes) else data:
                stream.write(part)
            stream.flush()
            if old.is_file():
                take_over_rights(path, old.stat())
            os.fsync(stream.fileno())

    def complete(self) -> None:
        """Flush a folder when all its files were written."""
        if self.path.is_dir():
            take_over_rights(self.temporary, self.path.stat())
        flush_folder(self.temporary)

    def check(self) -> None:
        """Raise a WriteError unless it may be written."""
        (check_free if self.is_folder else check_file_free)(self.asked, overwrite=self._overwrite)

    def put(self) -> None:
        """Give it its name."""
        # Somebody may have put something there meanwhile.
        self.check()
        self.was_there = self.path.exists()
        if self.was_there:
            # It gets the temporary name, under which another run may not take it for a killed one's.
            self._locks.append(self._lock(self.path))
        if not self.was_there:
            self.temporary.rename(self.path)
        elif exchange(self.temporary, self.path):
            self.exchanged = True
        elif self.is_folder:
            old = _beside(self.path, "old")
            self.path.rename(old)
            try:
                self.temporary.rename(self.path)
            except BaseException:
                old.rename(self.path)
                raise
        else:
            self.temporary.replace(self.path)
        self.placed = True

    def take_back(self) -> None:
        """Undo `put`, as far as there is still something to put back."""
        old = _beside(self.path, "old")
        if self.exchanged:
            exchange(self.temporary, self.path)
        elif self.is_folder and old.exists():
            self.path.rename(self.temporary)
            old.rename(self.path)
        elif not self.was_there:
            self.path.rename(self.temporary)
        self.placed = False

    def close(self) -> None:
        """Delete what is left at the temporary place, and open the locks."""
        # Once its content has the right name, the temporary name may be another run's.
        left = [self.temporary] if self.exchanged or not self.placed else []
        left += [_beside(self.path, "old")] if self.placed and self.is_folder else []
        with contextlib.suppress(OSError):
            for path in left:
                if path.is_dir():
                    shutil.rmtree(path, ignore_errors=True)
                else:
                    path.unlink(missing_ok=True)
        for handle in self._locks:
            close_lock(handle)
        if self.placed:
            flush_folder(self.path.parent)


class Output:
    """Files and folders that are written together: all of them, or none.

    Used as a context: what is reserved is locked until its end, and what was not put in its place is gone then.

    >>> import tempfile
    >>> folder = Path(tempfile.mkdtemp())
    >>> with Output() as output:
    ...     output.file(folder / "a.csv", b"a\\r\\n1\\r\\n")
    ...     output.put()
    >>> [path.name for path in folder.iterdir()]
    ['a.csv']
    """

    def __init__(self) -> None:
        self._places: dict[Path, _Place] = {}
        self._removed: list[Path] = []
        self._messages: list[str] = []

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        for place in self._places.values():
            place.close()

    @property
    def messages(self) -> list[str]:
        """What was put right: a folder that a killed run had left without its name."""
        return self._messages

    def reserve(self, path: Path, *, folder: bool, overwrite: bool = False) -> None:
        """Make sure that a file or folder can be written, and that nobody else does meanwhile.

        Raises
        ------
        WriteError
            If it exists and must not be overwritten, another run writes it, or the system refuses.
        """
        (check_free if folder else check_file_free)(path, overwrite=overwrite)
        with _naming(path):
            if _led_to(path) in self._places:
                raise WriteError("two outputs would have this name", where=str(path), remedy="name another")
            place = _Place(path, folder=folder, overwrite=overwrite)
            self._places[place.path] = place
            self._messages += recovered(path) if folder else []
            place.check()

    def file(self, path: Path, data: Content, *, overwrite: bool = False) -> None:
        """Write a file to its temporary place; content may come in parts."""
        if _led_to(path) not in self._places:
            self.reserve(path, folder=False, overwrite=overwrite)
        with _naming(path):
            self._places[_led_to(path)].write("", data)

    def folder(
        self, path: Path, files: Mapping[str, Content] | Callable[[PutFile], None], *, overwrite: bool = False
    ) -> None:
        """Write a folder of files to its temporary place.

        Parameters
        ----------
        path : Path
        files : mapping of str to bytes, or callable
            Content by name; or what is called with a function that writes one file, and may be called by several
            threads.
        overwrite : bool
        """
        if _led_to(path) not in self._places:
            self.reserve(path, folder=True, overwrite=overwrite)
        place = self._places[_led_to(path)]

        def put(name: str, data: Content) -> None:
            with _naming(path):
                place.write(name, data)

        if callable(files):
            files(put)
        else:
            for name, data in files.items():
                put(name, data)
        with _naming(path):
            place.complete()

    def remove(self, paths: Sequence[Path]) -> None:
        """Delete files once everything else is in its place."""
        self._removed += paths

    def put(self) -> None:
        """Give everything its name.

        Raises
        ------
        WriteError
            If the system refuses one; those before it are put back.
        """
        done: list[_Place] = []
        for place in self._places.values():
            try:
                with _naming(place.asked):
                    place.put()
            except BaseException:
                for one in reversed(done):
                    one.take_back()
                raise
            done.append(place)
        for path in self._removed:
            with _naming(path):
                path.unlink(missing_ok=True)


def write_file(path: Path, data: Content, *, overwrite: bool = False) -> None:
    """Write a file; content may come in parts.

    Raises
    ------
    WriteError
        If it exists and must not be overwritten, or the system refuses.
    """
    write_files(path.parent, {path.name: data}, overwrite=overwrite)


def write_files(
    folder: Path, files: Mapping[str, Content], *, overwrite: bool = False, remove: Sequence[str] = ()
) -> None:
    """Write files beside each other; none is touched unless all could be written. Others are removed with that."""
    with Output() as output:
        for name in files:
            output.reserve(folder / name, folder=False, overwrite=overwrite)
        for name, data in files.items():
            output.file(folder / name, data)
        output.remove([folder / name for name in remove])
        output.put()


def write_folder(path: Path, files: Mapping[str, Content], *, overwrite: bool = False) -> None:
    """Write a folder of files at once: all of them, or none.

    Parameters
    ----------
    path : Path
        The folder; its parent must be there.
    files : mapping of str to bytes
        Content by file name.
    overwrite : bool
        Whether an existing dataset may be replaced. A folder that holds
        anything else is never touched.

    Raises
    ------
    WriteError
        If it exists and must not be overwritten, or the system refuses.
    """
    with Output() as output:
        output.folder(path, files, overwrite=overwrite)
        output.put()


def check_file_free(path: Path, *, overwrite: bool, replaceable: bool = True) -> None:
    """Raise a WriteError unless a file can be written under this path.

    Parameters
    ----------
    path : Path
    overwrite : bool
    replaceable : bool
        Whether there is an option to replace an existing file.
    """
    with _naming(path):
        _check_parent(path)
        if path.is_dir():
            raise WriteError("there is a folder of this name", where=str(path), remedy="name another file")
        if path.exists() and not path.is_file():
            raise WriteError("there is a device or pipe of this name", where=str(path), remedy="name another file")
        if path.exists() and not overwrite:
            raise WriteError(
                "there is a file of this name already; not changed",
                where=str(path),
                remedy="choose another name, or add --overwrite (overwrite=True) to replace it"
                if replaceable
                else "choose another name, or remove the file first",
            )


def check_free(path: Path, *, overwrite: bool) -> None:
    """Raise a WriteError unless a folder can be written under this path."""
    with _naming(path):
        _check_parent(path)
        if not path.exists():
            return
        if not path.is_dir():
            raise WriteError("there is a file of this name", where=str(path), remedy="name another folder")
        if not overwrite:
            raise WriteError(
                "this folder exists already; not changed",
                where=str(path),
                remedy="choose another name, or add --overwrite (overwrite=True) to replace the dataset in it",
            )
        strangers = _strangers(path)
        if strangers:
            raise WriteError(
                f"this folder contains files Comb did not write: {listing(strangers, 5)}",
                where=str(path),
                remedy="not changed; choose another folder, or move those files away",
            )


def recovered(path: Path) -> list[str]:
    """Put back a folder that a killed run had moved out of the way; says so if there was one."""
    place = _led_to(path)
    old = _beside(place, "old")
    if place.exists() or not old.is_dir():
        return []
    old.rename(place)
    return [f"{path} was left without its name by a run that was killed; it is back, as it was before that run"]


def _check_parent(path: Path) -> None:
    if "\0" in str(path):
        raise WriteError("expected a name without zero bytes", where=repr(str(path)), remedy="name another file")
    if not path.parent.is_dir():
        raise WriteError(f"there is no folder {str(path.parent)!r} to put it in", where=str(path))
    length = len(os.fsencode(path.name))
    if length > _LONGEST_NAME:
        raise WriteError(
            f"expected a name of at most {_LONGEST_NAME} bytes, got one of {length:,}", where=path.name[:40] + "..."
        )


def _led_to(path: Path) -> Path:
    """Return where a path leads, through links."""
    return Path(os.path.realpath(path))


def _beside(path: Path, what: str) -> Path:
    """Return the name of the temporary place beside a path, always the same."""
    name = f".{path.name}.comb-{what}"
    if len(os.fsencode(name)) > _LONGEST_NAME:
        name = f".{hashlib.sha256(os.fsencode(path.name)).hexdigest()}.comb-{what}"
    return path.parent / name


def _strangers(path: Path) -> list[str]:
    """Return the files in a folder that its list of checksums does not name."""
    known = {CHECKSUMS}
    with contextlib.suppress(OSError, UnicodeDecodeError):
        known |= set(sums_in((path / CHECKSUMS).read_text(encoding="utf-8")))
    return sorted(entry.name for entry in path.iterdir() if entry.name not in known)


@contextlib.contextmanager
def _naming(path: Path) -> Iterator[None]:
    """Turn what the system refuses into an error that names the file."""
    try:
        yield
    except CombError:
        raise
    except OSError as error:
        what = f"cannot be written: {error.strerror or error}"
        raise WriteError(what, where=str(path), remedy="nothing was changed there") from None
    except ValueError as error:
        # A zero byte in a name, or what the system's encoding has no place for.
        raise WriteError(f"cannot be written: {error}", where=repr(str(path)), remedy="name another file") from None
