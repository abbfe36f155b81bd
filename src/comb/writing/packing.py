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

# What stands before the suffix of a packer, and the delimiter that goes with it.
DELIMITERS = {".csv": ",", ".tsv": "\t", ".tab": "\t", ".txt": "\t"}


def pack(data: bytes, suffix: str) -> bytes:
    """Compress data as a suffix asks; other suffixes leave it as it is."""
    return _PACKERS[suffix](data) if suffix in _PACKERS else data


def text_suffixes(name: str) -> tuple[str, str]:
    """Take the kind of text file and the packing from a file's name.

    >>> text_suffixes("visits.csv.gz"), text_suffixes("visits.tsv")
    (('.csv', '.gz'), ('.tsv', ''))
    """
    packing = next((suffix for suffix in _PACKERS if name.lower().endswith(suffix)), "")
    stem = name.lower().removesuffix(packing)
    kind = next((suffix for suffix in DELIMITERS if stem.endswith(suffix)), "")
    if not kind:
        kinds = ", ".join(DELIMITERS)
        raise ParameterError(
            f"expected a file that ends in one of {kinds}, with or without {', '.join(_PACKERS)}; came {name!r}",
            remedy="a dataset folder is saved by a plan: table.plan() and save: FOLDER",
        )
    return kind, packing
