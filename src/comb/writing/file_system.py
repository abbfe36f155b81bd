"""What Comb asks of a file system beyond opening and renaming: an exchange in one call, locks, flushes.

Not every system has these, and not every file system of one that has. Who asks learns of it, and has to take
the longer way.
"""

import contextlib
import ctypes
import os
import sys
from pathlib import Path
from typing import Any

try:
    import fcntl
except ImportError:  # pragma: no cover - Windows has no such locks
    fcntl = None  # type: ignore[assignment,unused-ignore]

# Of Linux: begin at the working folder, swap both names (linux/fs.h); of macOS the same (sys/stdio.h).
_HERE = -100
_EXCHANGE = 2


def _system_call() -> Any:
    """Return the call that swaps two names, taking two paths; None where the system has none."""
    library: Any = ctypes.CDLL(None, use_errno=True) if os.name == "posix" else None
    if sys.platform.startswith("linux") and hasattr(library, "renameat2"):
        call = library.renameat2
        return lambda one, other: call(_HERE, os.fsencode(one), _HERE, os.fsencode(other), _EXCHANGE)
    if sys.platform == "darwin" and hasattr(library, "renamex_np"):
        swap = library.renamex_np
        return lambda one, other: swap(os.fsencode(one), os.fsencode(other), _EXCHANGE)
    return None


def exchange(one: Path, other: Path) -> bool:
    """Swap what two names stand for, in one step; False where this system cannot."""
    call = _system_call()
    return call is not None and call(one, other) == 0


def open_locked(path: Path) -> int | None:
    """Open a file or folder and lock it until it is closed; None where the system has no locks.

    Raises
    ------
    BlockingIOError
        If another process holds the lock.
    """
    if fcntl is None:
        return None
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW)
    except PermissionError:
        # What may be replaced but not read.
        return None
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(handle)
        raise
    except OSError:
        # Some network file systems know no locks: then nobody can hold one.
        pass
    return handle


def close_lock(handle: int | None) -> None:
    """Close what was opened and locked."""
    if handle is not None:
        os.close(handle)


def flush_folder(folder: Path) -> None:
    """Make names in a folder last, as far as the system lets one ask for it."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def take_over_rights(path: Path, old: os.stat_result) -> None:
    """Give a new file or folder the mode and, as far as allowed, the owner of what it replaces."""
    new = path.stat()
    if (old.st_uid, old.st_gid) != (new.st_uid, new.st_gid) and hasattr(os, "chown"):
        with contextlib.suppress(OSError):
            os.chown(path, old.st_uid, old.st_gid)
    # After the owner, since a change of owner takes some bits away.
    path.chmod(old.st_mode & 0o7777)
