"""Compress what is written, by the suffix of its name. Pure: bytes in, bytes out."""

import bz2
import gzip
import lzma
from collections.abc import Callable

from comb.errors import ParameterError


def _zstd(data: bytes) -> bytes:
    try:
        import zstandard  # type: ignore[import-not-found,unused-ignore]
    except ImportError:
        raise ParameterError(
            "writing .zst needs Zstandard, which is not installed", remedy="pip install 'comb-tables[zstd]'"
        ) from None
    return bytes(zstandard.ZstdCompressor().compress(data))


_PACKERS: dict[str, Callable[[bytes], bytes]] = {
    # Without a time in it, the same table gives the same bytes.
    ".gz": lambda data: gzip.compress(data, mtime=0),
    ".bz2": bz2.compress,
    ".xz": lzma.compress,
    ".zst": _zstd,
}
PACKINGS = tuple(_PACKERS)

# What stands before the suffix of a packer, and the delimiter that goes with it.
DELIMITERS = {".csv": ",", ".tsv": "\t", ".tab": "\t", ".txt": "\t"}


def pack(data: bytes, suffix: str) -> bytes:
    """Compress data as a suffix asks; other suffixes leave it as it is."""
    return _PACKERS[suffix](data) if suffix in _PACKERS else data
