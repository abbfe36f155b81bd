"""The text of a source in UTF-8: read piece by piece where it is UTF-8 already, else held whole."""

from pathlib import Path
from threading import Event, Lock
from typing import Protocol

import msgspec

from comb.errors import ContentError, SourceMissing, SourceUnreadable
from comb.kernels import dispatch
from comb.kernels.types import Data
from comb.reading.io.encoding import Decoded, is_binary
from comb.reading.io.source_file import OpenSource

# The layout is guessed from a sample of 400,000 characters, of at most four bytes each.
LOOK_BYTES = 1_700_000

SHARE_A_FOLDER = "give all machines one shared folder under the same path, and do not change files while they are read"

# So much is read at once where only the checksum is wanted.
PASSED_AT_ONCE = 8_000_000


class NotUtf8Error(Exception):
    """The text is not what its beginning promised; it has to be decoded whole."""


class SourceText(Protocol):
    """Text in UTF-8.

    Attributes
    ----------
    start : bytes
        Its beginning.
    complete : bool
        Whether that is all of it.
    """

    start: bytes
    complete: bool

    def read_from(self, offset: int) -> None:
        """Read on from a place in the beginning."""

    def read(self, size: int) -> bytes:
        """Read on; nothing at the end."""

    def read_behind(self, ahead: bytes, size: int) -> Data:
        """Read on, into one piece with bytes that were read before."""

    def again(self, start: int, stop: int) -> bytes:
        """Return the bytes between two places, counted from where `read_from` set out."""

    def check(self, data: Data) -> None:
        """Raise a NotUtf8Error if some of the text is not UTF-8."""

    def decoded(self) -> Decoded:
        """Say how it was decoded, when it was read."""


class FilePlace(msgspec.Struct, frozen=True):
    """Where a text is, for a process that has to open it itself.

    Attributes
    ----------
    path : str
        Absolute.
    size, modified : int
        Of the file, in bytes and nanoseconds: by which it is recognised.
    offset : int
        The byte from which places in the text are counted.
    """

    path: str
    size: int
    modified: int
    offset: int

    def read(self, start: int, stop: int) -> bytes:
        """Return the bytes of the text between two places.

        Raises
        ------
        SourceMissing, SourceUnreadable
            If the file is not there, or is another.
        """
        try:
            source = OpenSource(self.path)
        except SourceMissing:
            raise SourceMissing("a worker does not find this file", where=self.path, remedy=SHARE_A_FOLDER) from None
        with source:
            state = source.state
            if state is None or (state.st_size, state.st_mtime_ns) != (self.size, self.modified):
                message = "a worker finds another file there than the one that is being read"
                raise SourceUnreadable(message, where=self.path, remedy=SHARE_A_FOLDER)
            return source.again(self.offset + start, self.offset + stop)


class FileText:
    """The text of a file in UTF-8, read piece by piece.

    Parameters
    ----------
    source : OpenSource
    start : bytes
        What was read of it so far.
    mark : bytes
        The byte order mark it begins with.
    declared : bool
        Whether UTF-8 was asked for, so that control characters are no doubt.
    """

    def __init__(self, source: OpenSource, start: bytes, mark: bytes, *, declared: bool) -> None:
        self.start = start[len(mark) :]
        self.complete = source.at_end
        self._source = source
        self._mark = mark
        self._declared = declared
        self._offset = 0
        self._ahead = b""
        self._lock = Lock()
        # What the beginning shows counts even where only some rows of it are read.
        whole = self.start if self.complete else self.start[: _last_character(self.start)]
        valid, *self._first = dispatch.kernels.check_text(whole)
        if not valid:
            raise NotUtf8Error
        self._plain = self._first[1] == len(whole)
        self._controls = self._characters = 0

    def read_from(self, offset: int) -> None:
        """Read on from a place in the beginning."""
        self._offset = len(self._mark) + offset
        self._ahead = self.start[offset:]
        self.check(self.start[:offset])

    def read(self, size: int) -> bytes:
        """Read on; nothing at the end."""
        if self._ahead:
            data, self._ahead = self._ahead[:size], self._ahead[size:]
            return data
        return b"" if self._source.at_end else self._source.read(size)

    def read_behind(self, ahead: bytes, size: int) -> Data:
        """Read on, into one piece with bytes that were read before."""
        if self._ahead or self._source.at_end:
            return b"".join((ahead, self.read(size)))
        return self._source.read_behind(ahead, size)

    def again(self, start: int, stop: int) -> bytes:
        """Return the bytes between two places, counted from where `read_from` set out."""
        return self._source.again(self._offset + start, self._offset + stop)

    def place(self) -> "FilePlace | None":
        """Return where others find the text; None where only this process has it."""
        state = self._source.state
        if state is None:
            return None
        return FilePlace(str(Path(self._source.path).absolute()), state.st_size, state.st_mtime_ns, self._offset)

    def pass_over(self, ended: Event) -> None:
        """Read what is left for its checksum only, unless the work is ended before."""
        for _ in self._source.pieces(PASSED_AT_ONCE):
            if ended.is_set():
                break

    def check(self, data: Data) -> None:
        """Raise a NotUtf8Error if some of the text is not UTF-8, or too much of it so far no text at all."""
        self.count(*dispatch.kernels.check_text(data), len(data))

    def count(self, valid: bool, controls: int, characters: int, size: int) -> None:
        """Take what was found in some of the text, here or elsewhere."""
        with self._lock:
            self._plain = self._plain and characters == size
            self._controls += controls
            self._characters += characters
        if not valid:
            raise NotUtf8Error

    def decoded(self) -> Decoded:
        """Say how it was decoded, when it was read."""
        if not self._declared and (is_binary(*self._first) or is_binary(self._controls, self._characters)):
            raise NotUtf8Error
        if self._declared:
            return Decoded("", "utf-8", "as declared")
        if self._mark:
            return Decoded("", "utf-8-sig", "the file begins with the byte order mark of UTF-8")
        return Decoded("", "utf-8", "only plain ASCII characters" if self._plain else "every byte is valid UTF-8")


def _last_character(data: bytes) -> int:
    """Return where the last character begins, which may have been cut."""
    at = len(data) - 1
    while at > 0 and data[at] & 0xC0 == 0x80:
        at -= 1
    return max(at, 0)


class HeldText:
    """Text that is held whole.

    Parameters
    ----------
    decoded : Decoded
    name : str
        What to call the source in messages.
    """

    complete = True

    def __init__(self, decoded: Decoded, name: str) -> None:
        try:
            self.start = decoded.text.encode()
        except UnicodeEncodeError as error:
            line = decoded.text.count("\n", 0, error.start) + 1
            message = f"the encoding {decoded.encoding} gives half of a character"
            raise ContentError(message, where=f"{name}, line {line}", remedy="give another encoding") from None
        self._decoded = decoded
        self._offset = self._at = 0

    def read_from(self, offset: int) -> None:
        """Read on from a place."""
        self._offset = self._at = offset

    def read(self, size: int) -> bytes:
        """Read on; nothing at the end."""
        data = self.start[self._at : self._at + size]
        self._at += len(data)
        return data

    def read_behind(self, ahead: bytes, size: int) -> Data:
        """Read on, into one piece with bytes that were read before."""
        return b"".join((ahead, self.read(size)))

    def again(self, start: int, stop: int) -> bytes:
        """Return the bytes between two places, counted from where `read_from` set out."""
        return self.start[self._offset + start : self._offset + stop]

    def check(self, data: Data) -> None:
        """Raise nothing: it was decoded."""

    def decoded(self) -> Decoded:
        """Say how it was decoded."""
        return self._decoded
