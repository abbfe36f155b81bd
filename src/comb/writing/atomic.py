"""Write files and folders so that a reader sees the old one or the new one, never half of one.

A file is written to a temporary name beside its place, flushed to the disk, and renamed, which the system does at
once. A folder is written whole to a temporary name beside its place; an old one is moved out of the way first and
deleted only when the new one is in place, so that a crash in between leaves either of them whole. What exists is
replaced only where that was asked for, and a folder only if everything in it is part of a dataset: files of
somebody else are never deleted.

Whatever goes wrong (a full disk, Ctrl-C, no permission), the temporary file or folder is removed and the old one
stays.
"""

import contextlib
import os
import shutil
import tempfile
from collections.abc import Iterable, Mapping
from pathlib import Path

from comb.errors import WriteError, listing

# The list of files in a dataset folder, in the form that `sha256sum -c` reads.
CHECKSUMS = "checksums.txt"

# What a file holds, whole or in parts.
Content = bytes | Iterable[bytes]


def write_file(path: Path, data: Content, *, overwrite: bool = False) -> None:
    """Write a file by way of a temporary one beside it; content may come in parts.

    Raises
    ------
    WriteError
        If it exists and must not be overwritten, or the system refuses.
    """
    check_file_free(path, overwrite=overwrite)
    temporary: Path | None = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}-", dir=path.parent)
        temporary = Path(name)
        with os.fdopen(handle, "wb") as stream:
            for part in [data] if isinstance(data, bytes) else data:
                stream.write(part)
            stream.flush()
            os.fsync(stream.fileno())
        temporary.chmod(0o644)
        temporary.replace(path)
        temporary = None
    except OSError as error:
        raise _refused(path, error) from None
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def check_file_free(path: Path, *, overwrite: bool, replaceable: bool = True) -> None:
    """Raise a WriteError unless a file can be written under this path.

    Parameters
    ----------
    path : Path
    overwrite : bool
    replaceable : bool
        Whether there is an option to replace an existing file.
    """
    if not path.parent.is_dir():
        raise WriteError(f"there is no folder {str(path.parent)!r} to put it in", where=str(path))
    if path.is_dir():
        raise WriteError("there is a folder of this name", where=str(path), remedy="name another file")
    if path.exists() and not overwrite:
        raise WriteError(
            "there is a file of this name already; not changed",
            where=str(path),
            remedy="choose another name, or add --overwrite (overwrite=True) to replace it"
            if replaceable
            else "choose another name, or remove the file first",
        )


def write_files(folder: Path, files: Mapping[str, Content], *, overwrite: bool = False) -> None:
    """Write files beside each other; none is touched unless all may be written."""
    for name in files:
        check_file_free(folder / name, overwrite=overwrite)
    for name, data in files.items():
        write_file(folder / name, data, overwrite=overwrite)


def write_folder(path: Path, files: Mapping[str, bytes], *, overwrite: bool = False) -> None:
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
    check_free(path, overwrite=overwrite)
    temporary: Path | None = None
    try:
        temporary = Path(tempfile.mkdtemp(prefix=f".{path.name}-", dir=path.parent))
        for name, data in files.items():
            with (temporary / name).open("wb") as stream:
                stream.write(data)
                stream.flush()
                os.fsync(stream.fileno())
        temporary.chmod(0o755)
        _swap(temporary, path)
        temporary = None
    except OSError as error:
        raise _refused(path, error) from None
    finally:
        if temporary is not None:
            shutil.rmtree(temporary, ignore_errors=True)


def check_free(path: Path, *, overwrite: bool) -> None:
    """Raise a WriteError unless a folder can be written under this path."""
    if not path.parent.is_dir():
        raise WriteError(f"there is no folder {str(path.parent)!r} to put it in", where=str(path))
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


def _strangers(path: Path) -> list[str]:
    """Return the files in a folder that its list of checksums does not name."""
    known = {CHECKSUMS}
    with contextlib.suppress(OSError, UnicodeDecodeError):
        lines = (path / CHECKSUMS).read_text(encoding="utf-8").splitlines()
        known |= {line.partition("  ")[2] for line in lines}
    return sorted(entry.name for entry in path.iterdir() if entry.name not in known)


def _swap(new: Path, path: Path) -> None:
    """Put the new folder in the place of the old one."""
    if not path.exists():
        new.rename(path)
        return
    old = Path(tempfile.mkdtemp(prefix=f".{path.name}-old-", dir=path.parent))
    path.rename(old / path.name)
    try:
        new.rename(path)
    except BaseException:
        (old / path.name).rename(path)
        raise
    finally:
        shutil.rmtree(old, ignore_errors=True)


def _refused(path: Path, error: OSError) -> WriteError:
    return WriteError(f"cannot be written: {error.strerror}", where=str(path), remedy="nothing was changed there")
