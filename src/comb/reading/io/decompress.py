"""Decompress sources, bounded. Pure: bytes in, bytes out.

What a file is shows in its first bytes, not in its name. Nothing is trusted: sizes are
found by decompressing up to the limit, and a stream that ends early is an error, not a
shorter file.
"""

import bz2
import io
import lzma
import struct
import zipfile
import zlib
from collections.abc import Callable
from typing import Any

from comb.errors import ContentError, listing, nearest

# What a compressed source may decompress to unless a larger limit is given: more than a
# table on which somebody works, less than the memory of a small machine.
MOST_BYTES = 1 << 30
_STEP = 1 << 20

# What the standard library raises on damaged archives; found by loading damaged ones.
_ZIP_ERRORS = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, NotImplementedError, OSError, ValueError, struct.error,
    KeyError, IndexError,
)  # fmt: skip
WORKBOOK_PARTS = ("[Content_Types].xml", "mimetype")


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
    return zstandard.ZstdDecompressor().decompressobj()


_STREAMS: tuple[tuple[bytes, str, Callable[[], Any]], ...] = (
    (b"\x1f\x8b", "gzip", lambda: zlib.decompressobj(31)),
    (b"BZh", "bzip2", bz2.BZ2Decompressor),
    (b"\xfd7zXZ\x00", "xz", lzma.LZMADecompressor),
    (b"\x28\xb5\x2f\xfd", "Zstandard", _zstd_decompressor),
)


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
    for magic, kind, make in _STREAMS:
        if data.startswith(magic):
            return _decompress_stream(data, name, kind, make, limit), kind
    if data.startswith(b"PK\x03\x04"):
        return _decompress_zip(data, name, member, limit)
    return data, ""


def _decompress_stream(data: bytes, name: str, kind: str, make: Callable[[], Any], limit: int) -> bytes:
    """Decompress one stream, or several end to end as gzip and others allow."""
    parts: list[bytes] = []
    size = 0
    while data:
        decompressor = make()
        try:
            for start in range(0, len(data), _STEP):
                part = decompressor.decompress(data[start : start + _STEP])
                size += len(part)
                parts.append(part)
                if size > limit:
                    raise too_large(name, limit)
                if decompressor.eof:
                    break
        except (zlib.error, OSError, lzma.LZMAError, EOFError, ValueError) as error:
            raise damaged(name, kind, str(error)) from None
        except Exception as error:
            if type(error).__name__ != "ZstdError":
                raise
            raise damaged(name, kind, str(error)) from None
        if not decompressor.eof:
            raise damaged(name, kind, f"it ends in the middle, after {size:,} bytes of content")
        rest = decompressor.unused_data + data[start + _STEP :]
        data = rest.lstrip(b"\x00")
    return b"".join(parts)


def _decompress_zip(data: bytes, name: str, member: str | None, limit: int) -> tuple[bytes, str]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = tables_in_zip(archive)
            chosen = _chosen_member(names, name, member)
            with archive.open(chosen) as stream:
                content = stream.read(limit + 1)
    except ContentError:
        raise
    except _ZIP_ERRORS as error:
        raise damaged(name, "zip", str(error) or type(error).__name__) from None
    except RuntimeError as error:
        raise ContentError(
            f"cannot be decompressed: {error}", where=name, remedy="decompress it with its password"
        ) from None
    if len(content) > limit:
        raise too_large(name, limit)
    return content, f"zip: {chosen}"


def tables_in_zip(archive: zipfile.ZipFile) -> list[str]:
    """Return the names of the files in an archive, without folders and system files."""
    return [
        info.filename
        for info in archive.infolist()
        if not info.is_dir() and not info.filename.startswith("__MACOSX/") and info.file_size
    ]


def zip_members(data: bytes) -> list[str]:
    """Return the names of the files in a zip archive; none if the bytes are something else."""
    if not data.startswith(b"PK\x03\x04"):
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


def damaged(name: str, kind: str, what: str) -> ContentError:
    """Word the error for what cannot be decompressed."""
    return ContentError(
        f"this {kind} file is damaged: {what}",
        where=name,
        remedy="get it again; nothing was loaded",
    )
