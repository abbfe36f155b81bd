"""From bytes to text: by mark, as strict UTF-8, else as Windows-1252, else not at all."""

import codecs
from dataclasses import dataclass

from comb.errors import ContentError

# Bytes that Windows-1252 leaves undefined; a file that holds one is in something else.
_UNDEFINED_1252 = frozenset(b"\x81\x8d\x8f\x90\x9d")

# Control characters that occur in text files: tab, line ends, form feed, end-of-file.
_TEXT_CONTROLS = frozenset(b"\t\n\r\x0b\x0c\x1a")

# More control characters than this, and it is no text although it may be valid UTF-8.
MOST_CONTROLS = 0.05

# What files begin with that are no delimited text.
_SIGNATURES = (
    (b"PK\x03\x04", "a zip archive or a workbook"),
    (b"\x1f\x8b", "a gzip-compressed file"),
    (b"BZh", "a bzip2-compressed file"),
    (b"\xfd7zXZ\x00", "an xz-compressed file"),
    (b"\x28\xb5\x2f\xfd", "a Zstandard-compressed file"),
    (b"\xd0\xcf\x11\xe0", "an old workbook or another compound document"),
    (b"%PDF", "a PDF document"),
    (b"\x89PNG", "a picture"),
    (b"\xff\xd8\xff", "a picture"),
    (b"PAR1", "a Parquet file"),
    (b"SQLite format 3\x00", "a database file"),
    (codecs.BOM_UTF16_LE, "text in UTF-16"),
    (codecs.BOM_UTF16_BE, "text in UTF-16"),
)


@dataclass(frozen=True, slots=True)
class Decoded:
    """Text and how it was decoded.

    Attributes
    ----------
    text : str
    encoding : str
        The name to give to read it so again.
    why : str
        What speaks for that encoding.
    """

    text: str
    encoding: str
    why: str


def decode(data: bytes, name: str, encoding: str | None = None) -> Decoded:
    """Decode the bytes of a source.

    Parameters
    ----------
    data : bytes
    name : str
        What to call the source in messages.
    encoding : str, optional
        The encoding, where it is known.

    Raises
    ------
    ContentError
        If the bytes are no text, or not in the encoding given.
    """
    if encoding is not None:
        return _as_given(data, name, encoding)
    if data.startswith(codecs.BOM_UTF8):
        return Decoded(
            _strict(data[3:], name, "utf-8"), "utf-8-sig", "the file begins with the mark of UTF-8"
        )
    _refuse_binary(data, name)
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError as error:
        return _as_1252(data, name, error)
    why = "only plain ASCII characters" if text.isascii() else "every byte is valid UTF-8"
    return Decoded(text, "utf-8", why)


def _as_given(data: bytes, name: str, encoding: str) -> Decoded:
    try:
        codec = codecs.lookup(encoding).name
    except LookupError:
        raise ContentError(
            f"there is no encoding {encoding!r}",
            where=name,
            remedy="common ones: utf-8, windows-1252, utf-16",
        ) from None
    return Decoded(_strict(data, name, codec), encoding, "as declared")


def _strict(data: bytes, name: str, encoding: str) -> str:
    try:
        return data.decode(encoding)
    except UnicodeDecodeError as error:
        line = _line_of(data, error.start)
        shown = " ".join(f"{byte:02X}" for byte in data[error.start : error.end])
        raise ContentError(
            f"the bytes {shown} are no {encoding}",
            where=f"{name}, line {line}",
            remedy="try another encoding, for instance windows-1252",
        ) from None


def _refuse_binary(data: bytes, name: str) -> None:
    for signature, what in _SIGNATURES:
        if data.startswith(signature):
            remedy = "give the encoding: utf-16" if "UTF-16" in what else "Comb reads delimited text so far"
            raise ContentError(f"expected delimited text, this is {what}", where=name, remedy=remedy)
    controls = [byte for byte in set(data) if byte < 0x20 and byte not in _TEXT_CONTROLS]
    share = sum(map(data.count, (bytes([byte]) for byte in controls))) / len(data)
    if 0 in controls or share > MOST_CONTROLS:
        raise _no_text(data, name, controls)


def _no_text(data: bytes, name: str, controls: list[int]) -> ContentError:
    at = min(data.find(byte) for byte in controls)
    return ContentError(
        f"expected delimited text, found the control byte {data[at]:02X} at byte {at + 1:,}",
        where=f"{name}, line {_line_of(data, at)}",
        remedy="if it is text all the same, give its encoding",
    )


def _line_of(data: bytes, at: int) -> int:
    return data.count(b"\n", 0, at) + 1


def _as_1252(data: bytes, name: str, error: UnicodeDecodeError) -> Decoded:
    line = _line_of(data, error.start)
    controls = [byte for byte in set(data) if byte < 0x20 and byte not in _TEXT_CONTROLS]
    if controls:
        raise _no_text(data, name, controls)
    if _UNDEFINED_1252.intersection(data):
        raise ContentError(
            f"the byte {data[error.start]:02X} is neither UTF-8 nor Windows-1252 text",
            where=f"{name}, line {line}",
            remedy="give the encoding, if you know it",
        )
    return Decoded(
        data.decode("cp1252"), "windows-1252", f"line {line} is no UTF-8, every byte is Windows-1252"
    )
