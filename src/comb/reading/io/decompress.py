"""Decompress sources, bounded. Pure: bytes in, bytes out.

What a file is shows in its first bytes, not in its name. Nothing is trusted: sizes are
found by decompressing up to the limit, and a stream that ends early is an error, not a
shorter file.
"""

import bz2
import contextlib
import io
import lzma
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterator
from typing import Any

from comb.errors import CombError, ContentError, listing, nearest
from comb.reading.io.compression import ZIP, compression_of

# What a compressed source may decompress to unless a larger limit is given: more than a
# table on which somebody works, less than the memory of a small machine.
MOST_BYTES = 1 << 30

# What is given to a decompressor at once, and the most that it may give back.
_LEAST_PIECE = 1 << 11
_MOST_PIECE = 1 << 20
_MOST_PART = 1 << 22

# What a decompressor may hold of the content before; the strongest levels in use need less.
MOST_WINDOW = 1 << 29

# What the standard library raises on damaged archives; found by loading damaged ones.
_ZIP_ERRORS = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, NotImplementedError, OSError, ValueError, struct.error,
    KeyError, IndexError,
)  # fmt: skip
_ZLIB = type(zlib.decompressobj())


def _zstd_decompressor() -> Any:
    """Return a decompressor of the standard library (3.14 on) or of the extra ``zstd``."""
    try:
        from compression.zstd import ZstdDecompressor  # type: ignore[import-not-found,unused-ignore]

        return ZstdDecompressor()
    except ImportError:
        pass
    try:
        import zstandard  # type: ignore[import-not-found,unused-ignore]
    except ImportError:
        raise ContentError(
            "this is compressed with Zstandard, which is not installed",
            remedy="pip install 'comb-tables[zstd]', or decompress it first",
        ) from None
    return zstandard.ZstdDecompressor(max_window_size=MOST_WINDOW).decompressobj()


_MAKERS: dict[str, Callable[[], Any]] = {
    "gzip": lambda: zlib.decompressobj(31),
    "bzip2": bz2.BZ2Decompressor,
    "xz": lambda: lzma.LZMADecompressor(memlimit=MOST_WINDOW),
    "Zstandard": _zstd_decompressor,
}


def decompress(data: bytes, name: str, *, member: str | None = None, most: int | None = None) -> tuple[bytes, str]:
    """Decompress a source as often as it is compressed.

    Parameters
    ----------
    data : bytes
    name : str
        What to call the source in messages.
    member : str, optional
        Which file of a zip archive.
    most : int, optional
        The most bytes it may decompress to; by default `MOST_BYTES`.

    Returns
    -------
    bytes, str
        The content, and how it was packed: ``gzip``, ``zip: visits.csv``, or nothing.

    Raises
    ------
    ContentError
        If it is damaged, ends early, or decompresses to more than the limit.
    """
    limit = MOST_BYTES if most is None else most
    kind = compression_of(data)
    if not kind:
        return data, ""
    if kind == ZIP:
        return _decompress_zip(data, name, member, limit)
    return _decompress_stream(data, name, kind, _MAKERS[kind], limit), kind


def unpacked_parts(pieces: Iterator[bytes], name: str, kind: str, most: int | None = None) -> Iterator[bytes]:
    """Decompress a stream piece by piece; see `decompress`.

    Parameters
    ----------
    pieces : iterator of bytes
        The source.
    name : str
        What to call it in messages.
    kind : str
        As `compression_of` gives it; not ``zip``, whose index comes last.
    most : int, optional
    """
    return _stream_parts(pieces, name, kind, _MAKERS[kind], MOST_BYTES if most is None else most)


def unpacked_member(archive: zipfile.ZipFile, member: str | None, name: str, most: int | None) -> Iterator[bytes]:
    """Decompress a member of a zip archive piece by piece; see `decompress`."""
    limit, size = MOST_BYTES if most is None else most, 0
    with _zip_named(name):
        for piece in member_pieces(archive, chosen_member(archive, name, member)):
            size += len(piece)
            if size > limit:
                raise too_large(name, limit)
            yield piece


def chosen_member(archive: zipfile.ZipFile, name: str, member: str | None) -> str:
    """Return which file of an archive is meant."""
    return _chosen_member(tables_in_zip(archive), name, member)


def _decompress_stream(data: bytes, name: str, kind: str, make: Callable[[], Any], limit: int) -> bytes:
    """Decompress one stream, or several end to end as gzip and others allow."""
    content = io.BytesIO()
    for part in _stream_parts(iter([data]), name, kind, make, limit):
        content.write(part)
    return content.getvalue()


def _stream_parts(
    pieces: Iterator[bytes], name: str, kind: str, make: Callable[[], Any], limit: int
) -> Iterator[bytes]:
    """Decompress one stream, or several end to end, piece by piece."""
    rest, at, total = memoryview(next(pieces, b"")), 0, 0
    while True:
        # Filled up with zeros between streams and at the end, as tapes are.
        while at == len(rest) or (total and not rest[at]):
            if at == len(rest):
                rest, at = memoryview(next(pieces, b"")), 0
                if not len(rest):
                    return
            elif not rest[at]:
                at += (
                    len(rest)
                    - at
                    - len(bytes(rest[at : at + _MOST_PIECE]).lstrip(b"\x00"))
                    - len(rest[at + _MOST_PIECE :])
                )
        decompressor = make()
        # Little at first: what is not used of a piece is copied, and there may be very many streams.
        size = _LEAST_PIECE
        with _stream_named(name, kind):
            while not decompressor.eof:
                if at == len(rest):
                    rest, at = memoryview(next(pieces, b"")), 0
                    if not len(rest):
                        break
                piece = rest[at : at + size]
                at, size = at + len(piece), min(2 * size, _most_piece(decompressor))
                for part in _bounded(decompressor, piece):
                    total += len(part)
                    if total > limit:
                        raise too_large(name, limit)
                    yield part
        if not decompressor.eof:
            raise damaged(name, kind, f"it ends in the middle, after {total:,} bytes of content")
        at -= len(decompressor.unused_data)
        total = max(total, 1)


@contextlib.contextmanager
def _stream_named(name: str, kind: str) -> Iterator[None]:
    """Turn what decompressors raise into an error that names the source."""
    try:
        yield
    except ContentError:
        raise
    except lzma.LZMAError as error:
        if "memory" in str(error).lower():
            raise _too_wide(name) from None
        raise damaged(name, kind, str(error)) from None
    except (zlib.error, OSError, EOFError, ValueError) as error:
        raise damaged(name, kind, str(error)) from None
    except MemoryError:
        raise _too_wide(name) from None
    except Exception as error:
        if type(error).__name__ != "ZstdError":
            raise
        if "memory" in str(error).lower():
            raise _too_wide(name) from None
        raise damaged(name, kind, str(error)) from None


def _most_piece(decompressor: Any) -> int:
    """Return how much may be given to a decompressor at once, so that what comes back is bounded."""
    return _MOST_PIECE if _bounds_itself(decompressor) else _LEAST_PIECE


def _bounds_itself(decompressor: Any) -> bool:
    return isinstance(decompressor, _ZLIB) or hasattr(decompressor, "needs_input")


def _bounded(decompressor: Any, piece: memoryview) -> Iterator[bytes]:
    """Decompress a piece, at most `_MOST_PART` bytes of content at once."""
    if not _bounds_itself(decompressor):
        # Of the extra: no limit can be given, so the piece is small.
        yield decompressor.decompress(bytes(piece))
    elif isinstance(decompressor, _ZLIB):
        left: bytes | memoryview = piece
        while left and not decompressor.eof:
            yield decompressor.decompress(left, _MOST_PART)
            left = decompressor.unconsumed_tail
    else:
        yield decompressor.decompress(piece, _MOST_PART)
        while not decompressor.needs_input and not decompressor.eof:
            yield decompressor.decompress(b"", _MOST_PART)


def _decompress_zip(data: bytes, name: str, member: str | None, limit: int) -> tuple[bytes, str]:
    with _zip_named(name), zipfile.ZipFile(io.BytesIO(data)) as archive:
        chosen = chosen_member(archive, name, member)
        content = io.BytesIO()
        for piece in unpacked_member(archive, chosen, name, limit):
            content.write(piece)
    return content.getvalue(), f"zip: {chosen}"


@contextlib.contextmanager
def _zip_named(name: str) -> Iterator[None]:
    """Turn what the reader of archives raises into an error that names the source."""
    try:
        yield
    except CombError:
        raise
    except _ZIP_ERRORS as error:
        raise damaged(name, "zip", str(error) or type(error).__name__) from None
    except RuntimeError as error:
        raise ContentError(
            f"cannot be decompressed: {error}", where=name, remedy="decompress it with its password"
        ) from None


def member_pieces(archive: zipfile.ZipFile, member: str) -> Iterator[bytes]:
    """Decompress a member of a zip archive piece by piece, each bounded whatever it was packed with."""
    bounded = archive.getinfo(member).compress_type in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
    with archive.open(member) as stream:
        while piece := stream.read(_MOST_PIECE if bounded else _LEAST_PIECE):
            yield piece


def tables_in_zip(archive: zipfile.ZipFile) -> list[str]:
    """Return the names of the files in an archive, without folders and system files."""
    return [
        info.filename
        for info in archive.infolist()
        if not info.is_dir() and not info.filename.startswith("__MACOSX/") and info.file_size
    ]


def zip_members(data: bytes) -> list[str]:
    """Return the names of the files in a zip archive; none if the bytes are something else."""
    if compression_of(data) != ZIP:
        return []
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return tables_in_zip(archive)
    except _ZIP_ERRORS:
        return []


def _chosen_member(names: list[str], name: str, member: str | None) -> str:
    if not names:
        raise ContentError("there is no file in this archive", where=name)
    if member is None:
        if len(names) == 1:
            return names[0]
        raise ContentError(
            f"there are {len(names)} files in this archive: {listing(names)}",
            where=name,
            remedy=f"name one of them: table={names[0]!r}, or --table {names[0]}",
        )
    if member in names:
        return member
    by_end = [full for full in names if full.rpartition("/")[2] in (member, f"{member}.csv")]
    if len(by_end) == 1:
        return by_end[0]
    if len(names) == 1:
        # It may be a table inside the only file.
        return names[0]
    near = nearest(member, names)
    hint = f"did you mean {near!r}? " if near else ""
    raise ContentError(
        f"there is no file {member!r} in this archive", where=name, remedy=f"{hint}files: {listing(names)}"
    )


def too_large(name: str, limit: int) -> ContentError:
    """Word the error for what decompresses to more than it may."""
    return ContentError(
        f"it decompresses to more than {limit:,} bytes",
        where=name,
        remedy="if that is as it should be, raise the limit: most_bytes=..., or --most-bytes",
    )


def _too_wide(name: str) -> ContentError:
    """Word the error for what needs more memory to be decompressed than any usual level does."""
    return ContentError(
        f"decompressing it needs more than {MOST_WINDOW:,} bytes of memory",
        where=name,
        remedy="decompress it first, with the program that made it",
    )


def damaged(name: str, kind: str, what: str) -> ContentError:
    """Word the error for what cannot be decompressed."""
    return ContentError(
        f"this {kind} file is damaged: {what}",
        where=name,
        remedy="get it again; nothing was loaded",
    )
