"""Sources that are compressed, or not in UTF-8, written once to a temporary file as UTF-8 text.

In memory such a source is held whole, several times over. Where it does not fit, it is written to a file without a name
instead, and read from there like any text in UTF-8. That takes two or three passes, none of which holds more than a few
megabytes:

1. What is compressed is decompressed into a file.
2. Its encoding is judged by the ladder of `comb.reading.io.encoding`: a declared encoding, a byte order mark, zero
   bytes of UTF-16, UTF-8 in every byte. What is left is decided by counts over all pieces (good and bad sequences of
   UTF-8, lines that are in a second encoding) and by a *digest*: the lines with characters beyond ASCII from the
   beginning, and for each byte value the first line that has it, so that an encoding that lacks it is ruled out. What
   is judged by likelihood sees no more.
3. What is not UTF-8 is decoded piece by piece into another file. Bytes that do not decode are kept with their lines, as
   in memory.

Pieces end behind a line end, so that no character, line or run of bad bytes is cut.
"""

import codecs
import importlib
import io
import os
import zipfile
from collections.abc import Callable, Iterator
from functools import cached_property, lru_cache, partial
from threading import Lock
from typing import IO

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from comb.errors import ContentError
from comb.execution.ordered import in_order
from comb.formats.encodings import codec_name, second_codec
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels import dispatch
from comb.kernels.types import Data
from comb.reading.io.compression import compression_of
from comb.reading.io.decompress import chosen_member, unpacked_member, unpacked_parts
from comb.reading.io.encoding import (
    GOOD_FOR_EACH_BAD,
    MOST_SAMPLED,
    Decoded,
    LineCounts,
    decode,
    is_binary,
    marked_codec,
    refuse_other_kinds,
    strict,
    strict_in_two,
)
from comb.reading.io.likely_encoding import JUDGED_CHARACTERS, likeliest
from comb.reading.io.source_file import OpenSource
from comb.reading.io.text_stream import LOOK_BYTES

NewFile = Callable[[], IO[bytes]]

# So much is read and written at once.
PIECE = 4_000_000

_BAD = lazy_pattern("[\udc80-\udcff]+")
_BYTE_BEYOND = lazy_pattern(rb"[\x80-\xff]")
_LINE_ENDS = lazy_pattern(rb"[\r\n]+")

# What tables of single-byte encodings have for a byte that is no character.
_UNDEFINED = "\ufffe"

# So much of a text shows what kind of text it is.
_SHOWS_KIND = 100_000

# A lone carriage return is looked for no further back than this.
LONGEST_LINE = 1_000_000


class TranscodedText:
    """The text of a source, in a temporary file or in memory; see `comb.reading.io.text_stream.SourceText`.

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
        # What is in memory is given without a copy.
        self._view = memoryview(file.getvalue()) if isinstance(file, io.BytesIO) else None
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
        if self._view is not None:
            # These are the bytes right before this place.
            begin = self._at - len(ahead)
            self._at = min(self._at + size, self.size)
            return self._view[begin : self._at]
        return b"".join((ahead, self.read(size)))

    def again(self, start: int, stop: int) -> bytes:
        """Return the bytes between two places, counted from where `read_from` set out."""
        begin = self._offset + start
        if self._view is not None:
            return bytes(self._view[begin : begin + stop - start])
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
    file: IO[bytes], name: str, new_file: NewFile, encoding: str | None = None, *, piece: int = PIECE, threads: int = 1
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
    threads : int

    Raises
    ------
    ContentError
        If the bytes are not text, or not in the encoding given.
    """
    decoded, codec, mark = _judged(file, name, encoding, piece)
    # What is declared was not looked at.
    if codec == "utf-8" and encoding is None and not mark and not decoded.bad:
        return TranscodedText(file, decoded)
    with file:
        table = b"" if mark or decoded.bad or second_codec(codec) else _table_of(codec)
        if table:
            parts = _by_table(file, name, codec, table, piece, threads)
        else:
            parts = _transcoded(file, name, decoded, codec, mark, piece)
        if isinstance(file, io.BytesIO):
            # In memory it would be copied again and again while it grows.
            return TranscodedText(io.BytesIO(b"".join(parts)), decoded)
        made = new_file()
        made.writelines(parts)
    return TranscodedText(made, decoded)


def _pieces(opened: OpenSource, start: bytes) -> Iterator[bytes]:
    yield start
    yield from opened.pieces(PIECE)


def _fill(file: IO[bytes], parts: Iterator[bytes]) -> None:
    for part in parts:
        file.write(part)


def _line_pieces(file: IO[bytes], size: int) -> Iterator[bytes]:
    """Read a file in pieces that end behind a line end, where there is one."""
    if isinstance(file, io.BytesIO):
        yield from _lines_in_memory(file.getvalue(), size)
        return
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


def _lines_in_memory(data: bytes, size: int) -> Iterator[bytes]:
    """Cut bytes as `_line_pieces` does: each is copied once."""
    start = 0
    while start < len(data):
        stop = min(start + size, len(data))
        if stop < len(data):
            # A line end of two characters is not cut either.
            stop = max(data.rfind(b"\n", start, stop), data.rfind(b"\r", start, stop - 1)) + 1 or _next_end(data, stop)
        yield data[start:stop]
        start = stop


def _next_end(data: bytes, start: int) -> int:
    """Return where the line ends that goes on here."""
    found = _LINE_ENDS.search(data, start)
    return found.end() if found else len(data)


def _judged(file: IO[bytes], name: str, encoding: str | None, size: int) -> tuple[Decoded, str, bytes]:
    """Return how a file is to be decoded: what to say of it, the codec, and the mark to leave out."""
    file.seek(0)
    start = file.read(LOOK_BYTES)
    if encoding is not None:
        codec = encoding if second_codec(encoding) else codec_name(encoding)
        # An unknown one is refused there.
        return replace(decode(b"" if codec else start, name, encoding), text=""), codec, b""
    marked = marked_codec(start)
    if marked is not None:
        return Decoded("", marked.encoding, marked.why), marked.codec, marked.mark
    judge = _Judge()
    for piece in _line_pieces(file, size):
        judge.add(piece)
    if judge.lacks_places:
        judge = _Judge(all_places=True)
        for piece in _line_pieces(file, size):
            judge.add(piece)
    if not judge.is_utf8 and judge.in_two is None:
        # Of a piece that is not UTF-8 only the beginning was looked at.
        judge.controls = judge.characters = 0
        for piece in _line_pieces(file, size):
            judge.add_to_digest(piece)
    decoded = judge.decided()
    if is_binary(judge.controls, judge.characters):
        # The beginning says where, and what to do.
        decode(start, name)
        raise ContentError(
            f"expected delimited text, {judge.controls:,} of its characters are control characters", where=name,
            remedy="if it is text all the same, give its encoding",
        )  # fmt: skip
    # All of it is text; the beginning tells whether it is some other kind of text.
    two = bool(second_codec(decoded.encoding))
    codec = decoded.encoding if two else codec_name(decoded.encoding)
    refuse_other_kinds(start[:_SHOWS_KIND], name, "utf-8" if two else codec)
    return decoded, codec, b""


class _Judge:
    """What all pieces of a text say of its encoding."""

    def __init__(self, *, all_places: bool = False) -> None:
        self.controls = self.characters = 0
        self._all_places, self._passed_over = all_places, False
        self._valid = self._plain = True
        self._good = self._places = 0
        self._line, self._feeds = 1, 0
        self._bad: list[tuple[int, bytes]] = []
        self._digest: list[bytes] = []
        self._lines = LineCounts()
        self._beyond = 0
        self._seen: set[int] = set()

    def add(self, piece: bytes) -> None:
        """Count what is in a piece."""
        valid, controls, characters = dispatch.kernels.check_text(piece)
        self._plain = self._plain and valid and characters == len(piece)
        self.controls += controls
        self.characters += characters
        if valid and not self._places:
            # The good sequences count only beside bad ones, which may come later.
            good = 0 if piece.isascii() else characters_beyond(piece)
            self._good += good
            self._lines.good += good
        else:
            self._add_bad(piece)
        self._valid = self._valid and valid
        self._line += _lines_in(piece)
        self._feeds += piece.count(b"\n")

    def _add_bad(self, piece: bytes) -> None:
        good, starts, stops = utf8_sequences(piece)
        self._good += len(good)
        self._places += len(starts)
        self._lines.bad += int((stops - starts).sum())
        self._count_lines(piece, good, starts)
        if not self._all_places and self._good < GOOD_FOR_EACH_BAD * self._places and self._places > JUDGED_CHARACTERS:
            # With this many bad ones it is likely to be another encoding, and no places are needed.
            self._passed_over = True
            return
        line, last = self._line, 0
        for start, stop in zip(starts.tolist(), stops.tolist(), strict=True):
            line += _lines_in(piece[last:start])
            last = start
            self._bad.append((line, piece[start:stop]))

    def _count_lines(self, piece: bytes, good: NDArray[np.int64], bad: NDArray[np.int64]) -> None:
        """Count the lines that are UTF-8 and those that are not; only line feeds end them."""
        ends = np.flatnonzero(np.frombuffer(piece, np.uint8) == _LINE_FEED)
        of_good, of_bad = np.searchsorted(ends, good), np.unique(np.searchsorted(ends, bad))
        lines = self._lines
        lines.others += len(of_bad)
        by_chance = int(np.count_nonzero(np.isin(of_good, of_bad)))
        lines.chance += by_chance
        lines.good += len(good) - by_chance
        for line in of_bad[: MOST_SAMPLED - len(lines.sample)].tolist():
            start, stop = (int(ends[line - 1]) + 1 if line else 0), int(ends[line]) if line < len(ends) else len(piece)
            lines.sample.append(piece[start:stop])
            lines.first.append(self._feeds + line + 1)

    @cached_property
    def in_two(self) -> Decoded | None:
        """How the text is decoded, if it is in two encodings; asked for when all of it was counted."""
        return self._lines.decided()

    def add_to_digest(self, piece: bytes) -> None:
        """Keep lines that tell a single-byte encoding: the first ones, and the first with each byte beyond ASCII."""
        odd = piece.translate(None, _ORDINARY)
        beyond = odd.translate(None, _ASCII)
        self.controls += len(odd) - len(beyond)
        self.characters += len(piece)
        new = set(beyond) - self._seen
        self._seen |= new
        at, returns = 0, b"\r" in piece
        while self._beyond <= JUDGED_CHARACTERS and (found := _BYTE_BEYOND.search(piece, at)):
            line, at = _line_at(piece, found.start(), returns=returns)
            self._digest.append(line)
            self._beyond += len(line.translate(None, _ASCII))
            new.difference_update(line)
        for place in sorted(piece.find(byte) for byte in map(_byte, new)):
            self._digest.append(_line_at(piece, place, returns=returns)[0])

    @property
    def lacks_places(self) -> bool:
        """Whether it is UTF-8 after all, and some of the bad bytes were passed over."""
        return self._passed_over and self.is_utf8 and self.in_two is None

    @property
    def is_utf8(self) -> bool:
        """Whether the text is UTF-8, but for a few bytes; else the digest has to be made."""
        return self._valid or self._good >= GOOD_FOR_EACH_BAD * self._places

    def decided(self) -> Decoded:
        """Return how the text is decoded."""
        if self._valid:
            return Decoded("", "utf-8", "only plain ASCII characters" if self._plain else "every byte is valid UTF-8")
        if self.in_two is not None:
            return self.in_two
        if self.is_utf8:
            count = len(self._bad)
            why = f"valid UTF-8 but for {count:,} place{'s' if count > 1 else ''}"
            return Decoded("", "utf-8", why, bad=tuple(self._bad))
        return Decoded("", *likeliest(b"".join(self._digest))[1:])


def _byte(value: int) -> bytes:
    return bytes((value,))


def _line_at(piece: bytes, place: int, *, returns: bool) -> tuple[bytes, int]:
    """Return the line around a place, with its end, and where the next one begins; there may be carriage returns."""
    start = piece.rfind(b"\n", 0, place) + 1
    if returns:
        start = max(start, piece.rfind(b"\r", max(start, place - LONGEST_LINE), place) + 1)
    ends = _LINE_ENDS.search(piece, place)
    stop = ends.end() if ends else len(piece)
    return piece[start:stop], stop


def utf8_sequences(piece: bytes) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]:
    """Find the sequences of several bytes that are UTF-8, and the runs of bytes that are not.

    A byte that begins a sequence and is followed by as many continuation bytes as it asks for is one; two sequences
    never overlap, so that each byte beyond ASCII is looked at by itself, all of them at once.

    Returns
    -------
    good, starts, stops
        Where the sequences begin; and where the runs begin and end.

    Source: table 3-7 of the Unicode standard, well-formed byte sequences.

    >>> good, starts, stops = utf8_sequences("né".encode() + b"\\xe9 \\xff\\xfe")
    >>> good.tolist(), starts.tolist(), stops.tolist()
    ([1], [3, 5], [4, 7])
    """
    padded = np.frombuffer(piece + bytes(3), np.uint8)
    places = np.flatnonzero(padded >= 0x80)
    first, second, third, fourth = (padded[places + ahead] for ahead in range(4))
    one, two, three = ((byte & 0xC0) == 0x80 for byte in (second, third, fourth))
    short = (first >= 0xC2) & (first <= 0xDF) & one
    middle = (first >= 0xE0) & (first <= 0xEF) & one & two
    middle &= ~((first == 0xE0) & (second < 0xA0)) & ~((first == 0xED) & (second >= 0xA0))
    long = (first >= 0xF0) & (first <= 0xF4) & one & two & three
    long &= ~((first == 0xF0) & (second < 0x90)) & ~((first == 0xF4) & (second >= 0x90))
    begins = short | middle | long
    covered = begins.copy()
    for ahead, kinds in ((1, begins), (2, middle | long), (3, long)):
        covered[ahead:] |= kinds[: len(kinds) - ahead]
    bad = places[~covered]
    breaks = np.flatnonzero(np.diff(bad) > 1) + 1
    edges = np.concatenate([[0], breaks, [len(bad)]]) if len(bad) else np.zeros(1, np.int64)
    return places[begins], bad[edges[:-1]], bad[edges[1:] - 1] + 1


def _lines_in(piece: bytes) -> int:
    """Count line ends; one of two characters is one."""
    returns = piece.count(b"\r")
    return piece.count(b"\n") + (returns - piece.count(b"\r\n") if returns else 0)


def characters_beyond(data: bytes) -> int:
    """Return how many characters of valid UTF-8 are beyond ASCII.

    >>> characters_beyond("a\\u00e9\\u20ac".encode())
    2
    """
    return len(data.translate(None, _ASCII_AND_CONTINUATION))


_ASCII = bytes(range(0x80))
_LINE_FEED = 10

# ASCII but for control characters that text does not have, as `Kernels.check_text` counts them.
_ORDINARY = bytes(byte for byte in range(0x80) if byte >= 32 or 9 <= byte <= 13 or byte == 26)

# Bytes that do not begin a character beyond ASCII.
_ASCII_AND_CONTINUATION = bytes(range(0xC0))


@lru_cache(maxsize=8)
def _table_of(codec: str) -> bytes:
    """Return what each byte is in UTF-8, as `Kernels.as_utf8` takes it; empty for codecs of several bytes a character.

    >>> len(_table_of("cp1252")), _table_of("utf-16")
    (1024, b'')
    """
    name = codecs.lookup(codec).name.replace("-", "_")
    try:
        characters = getattr(importlib.import_module(f"encodings.{name}"), "decoding_table", "")
    except ImportError:
        characters = ""
    if name == "iso8859_1":
        characters = "".join(map(chr, range(256)))
    if len(characters) != 256 or characters[:128] != "".join(map(chr, range(128))):
        return b""
    parts = (b"" if one == _UNDEFINED else one.encode() for one in characters)
    return b"".join(bytes([len(part)]) + part.ljust(3, b"\0") for part in parts)


def _by_table(file: IO[bytes], name: str, codec: str, table: bytes, size: int, threads: int) -> Iterator[bytes]:
    """Decode a file of a single-byte encoding into UTF-8, several pieces at a time."""
    file.seek(0)
    before = 0

    def widened(piece: bytes) -> tuple[int, bytes | int]:
        return len(piece), dispatch.kernels.as_utf8(piece, table)

    for count, found in in_order(widened, iter(partial(file.read, size), b""), threads):
        if isinstance(found, int):
            # What is wrong is said as for all encodings, with its line.
            file.seek(0)
            strict(file.read(before + found + 1), name, codec)
        else:
            yield found
        before += count


def _transcoded(file: IO[bytes], name: str, decoded: Decoded, codec: str, mark: bytes, size: int) -> Iterator[bytes]:
    """Decode a file piece by piece into UTF-8."""
    second, line = second_codec(codec), 1
    if second:
        for piece in _line_pieces(file, size):
            yield piece if piece.isascii() else strict_in_two(piece, name, second, line).encode()
            line += piece.count(b"\n")
        return
    if decoded.bad:
        for piece in _line_pieces(file, size):
            text = piece.decode("utf-8", errors="surrogateescape")
            yield _BAD.sub("\N{REPLACEMENT CHARACTER}", text).encode()
        return
    decoder = codecs.getincrementaldecoder(codec)("strict")
    file.seek(len(mark))
    last = False
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
