"""Sources that are compressed, or not in UTF-8, written once to a temporary file as UTF-8 text.

In memory such a source is held whole, several times over. Where it does not fit, it is written to a file without a name
instead, and read from there like any text in UTF-8. That takes two or three passes, none of which holds more than a few
megabytes:

1. What is compressed is decompressed into a file.
2. Its encoding is judged by the ladder of `comb.reading.io.encoding`: a declared encoding, a byte order mark, zero
   bytes of UTF-16, UTF-8 in every byte. What is left is decided by counts over all pieces (good and bad sequences of
   UTF-8) and by a *digest*: the lines with characters beyond ASCII from the beginning, and for each byte value the
   first line that has it, so that an encoding that lacks it is ruled out. The single-byte encodings judge no more.
3. What is not UTF-8 is decoded piece by piece into another file. Bytes that do not decode are kept with their lines, as
   in memory.

Pieces end behind a line end, so that no character, line or run of bad bytes is cut.
"""

import codecs
import os
import re
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from threading import Lock
from typing import IO

from comb.errors import ContentError
from comb.formats.encodings import codec_name
from comb.kernels import dispatch
from comb.kernels.types import Data
from comb.reading.io.decompress import chosen_member, compression_of, unpacked_member, unpacked_parts
from comb.reading.io.encoding import (
    GOOD_FOR_EACH_BAD,
    JUDGED_CHARACTERS,
    Decoded,
    decode,
    is_binary,
    marked_codec,
    single_byte,
)
from comb.reading.io.source_file import OpenSource
from comb.reading.io.text_stream import LOOK_BYTES

NewFile = Callable[[], IO[bytes]]

# So much is read and written at once.
PIECE = 4_000_000

_BAD = re.compile("[\udc80-\udcff]+")
_BEYOND_ASCII = re.compile("[^\x00-\x7f]")
_LINE_END = re.compile("\r\n|\n|\r")
_LINE_WITH_MORE = re.compile(rb"[^\r\n]*[\x80-\xff][^\r\n]*[\r\n]*")


class TranscodedText:
    """The text of a source, in a temporary file; see `comb.reading.io.text_stream.SourceText`.

    Parameters
    ----------
    file : binary file
        UTF-8.
    decoded : Decoded
        How it was decoded.
    """

    complete = False

    def __init__(self, file: IO[bytes], decoded: Decoded) -> None:
        self._file = file
        self._lock = Lock()
        self._decoded = decoded
        self.size = file.seek(0, 2)
        self.start = self._between(0, LOOK_BYTES)
        self.complete = len(self.start) == self.size
        self._offset = self._at = 0

    def _between(self, start: int, stop: int) -> bytes:
        """Read some bytes; moves the place in the file."""
        self._file.seek(start)
        return self._file.read(max(0, min(stop, self.size) - start))

    def read_from(self, offset: int) -> None:
        """Read on from a place."""
        self._offset = self._at = offset

    def read(self, size: int) -> bytes:
        """Read on; nothing at the end."""
        with self._lock:
            data = self._between(self._at, self._at + size)
        self._at += len(data)
        return data

    def read_behind(self, ahead: bytes, size: int) -> Data:
        """Read on, into one piece with bytes that were read before."""
        return b"".join((ahead, self.read(size)))

    def again(self, start: int, stop: int) -> bytes:
        """Return the bytes between two places, counted from where `read_from` set out."""
        begin = self._offset + start
        if hasattr(os, "pread"):
            # Several threads may ask at once: this moves no place in the file.
            return os.pread(self._file.fileno(), stop - start, begin)
        with self._lock:
            return self._between(begin, begin + stop - start)

    def check(self, data: Data) -> None:
        """Raise nothing: it was decoded."""

    def decoded(self) -> Decoded:
        """Say how it was decoded."""
        return self._decoded


def decompressed_file(
    opened: OpenSource, start: bytes, new_file: NewFile, member: str | None, most: int | None
) -> tuple[IO[bytes], str]:
    """Write what is in a compressed source to a temporary file; the bytes of any other as they are.

    Returns
    -------
    file, compression
    """
    kind = compression_of(start)
    file = new_file()
    if kind == "zip":
        with opened.again_whole() as stream, zipfile.ZipFile(stream) as archive:
            chosen = chosen_member(archive, opened.name, member)
            _fill(file, unpacked_member(archive, chosen, opened.name, most))
        # The archive is read once more as a whole, for its checksum.
        for _ in opened.pieces(PIECE):
            pass
        return file, f"zip: {chosen}"
    pieces = _pieces(opened, start)
    _fill(file, unpacked_parts(pieces, opened.name, kind, most) if kind else pieces)
    for _ in pieces:
        pass
    return file, kind


def transcoded(
    file: IO[bytes], name: str, new_file: NewFile, encoding: str | None = None, *, piece: int = PIECE
) -> TranscodedText:
    """Bring the text in a temporary file to UTF-8.

    Parameters
    ----------
    file : binary file
    name : str
        What to call the source in messages.
    new_file : callable
        Opens another temporary file.
    encoding : str, optional
        The encoding, where it is known.
    piece : int
        How many bytes are read at once.

    Raises
    ------
    ContentError
        If the bytes are not text, or not in the encoding given.
    """
    decoded, codec, mark = _judged(file, name, encoding, piece)
    # What is declared was not looked at.
    if codec == "utf-8" and encoding is None and not mark and not decoded.bad:
        return TranscodedText(file, decoded)
    made = new_file()
    with file:
        made.writelines(_transcoded(file, name, decoded, codec, mark, piece))
    return TranscodedText(made, decoded)


def _pieces(opened: OpenSource, start: bytes) -> Iterator[bytes]:
    yield start
    yield from opened.pieces(PIECE)


def _fill(file: IO[bytes], parts: Iterator[bytes]) -> None:
    for part in parts:
        file.write(part)


def _line_pieces(file: IO[bytes], size: int) -> Iterator[bytes]:
    """Read a file in pieces that end behind a line end, where there is one."""
    file.seek(0)
    ahead = b""
    while data := file.read(size):
        data = ahead + data
        # A line end of two characters is not cut either.
        end = max(data.rfind(b"\n"), data.rfind(b"\r", 0, len(data) - 1)) + 1
        ahead = data[end:]
        if end:
            yield data[:end]
    if ahead:
        yield ahead


def _judged(file: IO[bytes], name: str, encoding: str | None, size: int) -> tuple[Decoded, str, bytes]:
    """Return how a file is to be decoded: what to say of it, the codec, and the mark to leave out."""
    file.seek(0)
    start = file.read(LOOK_BYTES)
    if encoding is not None:
        codec = codec_name(encoding)
        # An unknown one is refused there.
        return replace(decode(b"" if codec else start, name, encoding), text=""), codec, b""
    marked = marked_codec(start)
    if marked is not None:
        return Decoded("", marked.encoding, marked.why), marked.codec, marked.mark
    judge = _Judge()
    for piece in _line_pieces(file, size):
        judge.add(piece)
    decoded = judge.decided()
    if is_binary(judge.controls, judge.characters):
        # The beginning says where, and what to do.
        decode(start, name)
        raise ContentError(
            f"expected delimited text, {judge.controls:,} of its characters are control characters", where=name,
            remedy="if it is text all the same, give its encoding",
        )  # fmt: skip
    decode(start[: start.rfind(b"\n") + 1] or start, name)
    return decoded, codec_name(decoded.encoding), b""


class _Judge:
    """What all pieces of a text say of its encoding."""

    def __init__(self) -> None:
        self.controls = self.characters = 0
        self._valid = self._plain = True
        self._good = self._places = 0
        self._line = 1
        self._bad: list[tuple[int, bytes]] = []
        self._digest: list[bytes] = []
        self._beyond = 0
        self._seen: set[int] = set()

    def add(self, piece: bytes) -> None:
        """Count what is in a piece."""
        valid, controls, characters = dispatch.kernels.check_text(piece)
        self._plain = self._plain and valid and characters == len(piece)
        self.controls += controls
        self.characters += characters
        if not piece.isascii():
            self._add_to_digest(piece)
        if valid and not self._places:
            # The good sequences count only beside bad ones, which may come later.
            self._good += 0 if piece.isascii() else characters_beyond(piece)
        else:
            self._add_bad(piece)
        self._valid = self._valid and valid
        self._line += _lines_in(piece)

    def _add_bad(self, piece: bytes) -> None:
        text = piece.decode("utf-8", errors="surrogateescape")
        found = list(_BAD.finditer(text))
        bad = sum(match.end() - match.start() for match in found)
        self._good += len(_BEYOND_ASCII.findall(text)) - bad
        self._places += len(found)
        if self._good < GOOD_FOR_EACH_BAD * self._places and len(self._bad) > JUDGED_CHARACTERS:
            return  # with this many bad ones it is another encoding, and no places are needed
        ends = [match.start() for match in _LINE_END.finditer(text)] if found else []
        line = 0
        for match in found:
            while line < len(ends) and ends[line] < match.start():
                line += 1
            data = match.group().encode("utf-8", errors="surrogateescape")
            self._bad.append((self._line + line, data))

    def _add_to_digest(self, piece: bytes) -> None:
        """Keep lines that tell a single-byte encoding: the first ones, and the first with each byte."""
        new = set(piece) - self._seen
        for line in _LINE_WITH_MORE.finditer(piece) if self._beyond <= JUDGED_CHARACTERS or new else ():
            text = line.group()
            fresh = new.intersection(text)
            if self._beyond <= JUDGED_CHARACTERS or fresh:
                self._digest.append(text)
                self._beyond += sum(byte > 0x7F for byte in text)
                new -= fresh
            elif not new:
                break
        self._seen |= set(piece)

    def decided(self) -> Decoded:
        """Return how the text is decoded."""
        if self._valid:
            return Decoded("", "utf-8", "only plain ASCII characters" if self._plain else "every byte is valid UTF-8")
        if self._good >= GOOD_FOR_EACH_BAD * self._places:
            count = len(self._bad)
            why = f"valid UTF-8 but for {count:,} place{'s' if count > 1 else ''}"
            return Decoded("", "utf-8", why, bad=tuple(self._bad))
        return replace(single_byte(b"".join(self._digest)), text="")


def _lines_in(piece: bytes) -> int:
    """Count line ends; quickly where there are line feeds only."""
    return len(_LINE_END.findall(piece.decode("latin-1"))) if b"\r" in piece else piece.count(b"\n")


def characters_beyond(data: bytes) -> int:
    """Return how many characters of valid UTF-8 are beyond ASCII.

    >>> characters_beyond("a\\u00e9\\u20ac".encode())
    2
    """
    return len(data.translate(None, _ASCII_AND_CONTINUATION))


# Bytes that do not begin a character beyond ASCII.
_ASCII_AND_CONTINUATION = bytes(range(0xC0))


def _transcoded(file: IO[bytes], name: str, decoded: Decoded, codec: str, mark: bytes, size: int) -> Iterator[bytes]:
    """Decode a file piece by piece into UTF-8."""
    if decoded.bad:
        for piece in _line_pieces(file, size):
            text = piece.decode("utf-8", errors="surrogateescape")
            yield _BAD.sub("\N{REPLACEMENT CHARACTER}", text).encode()
        return
    decoder = codecs.getincrementaldecoder(codec)("strict")
    file.seek(len(mark))
    line, last = 1, False
    while not last:
        data = file.read(size)
        last = len(data) < size
        try:
            text = decoder.decode(data, final=last)
            yield text.encode()
        except UnicodeDecodeError as error:
            line += error.object.count(b"\n", 0, error.start)
            shown = " ".join(f"{byte:02X}" for byte in error.object[error.start : error.end][:4])
            raise ContentError(
                f"the bytes {shown} are not {codec}", where=f"{name}, line {line}",
                remedy="try another encoding, for instance windows-1252",
            ) from None  # fmt: skip
        except UnicodeEncodeError as error:
            line += text.count("\n", 0, error.start)
            message = f"the encoding {decoded.encoding} gives half of a character"
            raise ContentError(message, where=f"{name}, line {line}", remedy="give another encoding") from None
        line += text.count("\n")
