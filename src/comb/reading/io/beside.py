"""Files that belong to a source and are found beside it: its description, lists of codes, reasons of missing cells.

They come with the data, from whoever sent it, so they are trusted no more than the data. Only a plain name in the
same folder is opened, only a regular file (no pipe, no device, no link that leads elsewhere), and none that is larger
than such a file can sensibly be. Nothing is fetched. What is not opened is said, and why.
"""

import errno
import os
import stat
from pathlib import Path

import msgspec
from blake3 import blake3

# A description of some 50,000 columns.
MOST_DESCRIBED = 16 << 20

# A list of codes of a million values.
MOST_LISTED = 64 << 20

# A line of reasons has at most this many times the bytes of the missing cell it speaks of, in all that was seen.
LINES_PER_BYTE = 64

# In front of the checksums that a description has; as `comb.tables.origin.Origin` has them.
BLAKE = "blake3:"

# The list of files in a dataset folder, in the form that `sha256sum -c` reads.
CHECKSUMS = "checksums.txt"


def metadata_names(file_name: str) -> tuple[str, str]:
    """Return where the standard looks for the metadata of a file, beside it."""
    return f"{file_name}-metadata.json", "csv-metadata.json"


class Beside(msgspec.Struct, frozen=True):
    """A file beside a source.

    Attributes
    ----------
    data : bytes, optional
        None if it is not there, or was not opened.
    why : str
        Why it was not opened; empty if it is not there.
    """

    data: bytes | None
    why: str = ""

    @property
    def text(self) -> str:
        """Its content; bytes that are no UTF-8 are replaced."""
        return (self.data or b"").decode("utf-8-sig", errors="replace")


def read_beside(path: str, name: str, most: int) -> Beside:
    """Read a file beside another.

    Parameters
    ----------
    path : str
        Of the source; empty or ``-`` where it has none.
    name : str
        As a description gives it.
    most : int
        Bytes.
    """
    if not path or path == "-":
        return Beside(None)
    if not is_plain_name(name):
        return Beside(None, f"{name!r} is not the plain name of a file in the same folder: not opened")
    folder = Path(path).parent
    place = folder / name
    try:
        # Without waiting for whoever may write to a pipe.
        handle = os.open(place, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0))
    except OSError as error:
        if error.errno in (errno.ENOENT, errno.ENOTDIR, errno.ENAMETOOLONG):
            return Beside(None)
        return Beside(None, f"{name} cannot be read: {error.strerror}")
    with open(handle, "rb") as stream:  # noqa: PTH123 - it is open already
        state = os.fstat(handle)
        if not stat.S_ISREG(state.st_mode):
            return Beside(None, f"{name} is not a regular file: not opened")
        if Path(os.path.realpath(place)).parent != Path(os.path.realpath(folder)):
            return Beside(None, f"{name} is a link that leads out of the folder: not followed")
        if state.st_size > most:
            return Beside(None, f"{name} has {state.st_size:,} bytes, at most {most:,} are expected: not read")
        return Beside(stream.read(most))


def size_of(path: str) -> int:
    """Return the bytes of a source; 0 where it has no path."""
    try:
        return Path(path).stat().st_size if path and path != "-" else 0
    except OSError:
        return 0


def is_plain_name(name: str) -> bool:
    """Return whether a name stands for a file in a folder itself, on any system.

    >>> is_plain_name("visits-cells.csv"), is_plain_name("../visits.csv"), is_plain_name("/dev/zero")
    (True, False, False)
    """
    parting = "/\\:\0" if os.name == "nt" else "/\\\0"
    return bool(name) and name not in (".", "..") and not any(char in parting for char in name)


def changed(beside: Beside, checksum: str) -> bool:
    """Return whether a file is another than a checksum was taken of; False where there is nothing to compare with."""
    return bool(checksum) and beside.data is not None and checksum_of(beside.data) != checksum


def checksum_of(data: bytes) -> str:
    """Return the checksum that a description has of a file."""
    return BLAKE + blake3(data).hexdigest()


def checksum_of_file(path: str) -> str:
    """Return the checksum that a description has of a file, read piece by piece."""
    whole = blake3()
    with Path(path).open("rb") as stream:
        while piece := stream.read(1 << 22):
            whole.update(piece)
    return BLAKE + whole.hexdigest()


def listed_sums(path: str) -> dict[str, str]:
    """Return the checksums (SHA-256) of a dataset folder by file, if the source is in one."""
    return sums_in(read_beside(path, CHECKSUMS, MOST_DESCRIBED).text)


def sums_in(text: str) -> dict[str, str]:
    """Take apart a list of checksums, in the form that `sha256sum` writes.

    >>> sums_in("ab12  visits.csv\\n")
    {'visits.csv': 'ab12'}
    """
    lines = [line.partition("  ") for line in text.splitlines()]
    return {name: checksum for checksum, _, name in lines if name}


def differs_from_list(beside: Beside, name: str, sums: dict[str, str]) -> bool:
    """Return whether a file is not the one whose checksum is listed."""
    import hashlib

    return name in sums and beside.data is not None and hashlib.sha256(beside.data).hexdigest() != sums[name]
