"""What a source is compressed with, by its first bytes; what decompresses it is loaded only where there is some."""

from collections.abc import Mapping

from comb.formats.sniff import ZIP_START

ZIP = "zip"

# The first bytes of streams, and what they are called.
STREAMS: Mapping[bytes, str] = {
    b"\x1f\x8b": "gzip",
    b"BZh": "bzip2",
    b"\xfd7zXZ\x00": "xz",
    b"\x28\xb5\x2f\xfd": "Zstandard",
}

# A file in text is about this many times as large as compressed.
USUAL_PACKING = 6

# What only the archives that are workbooks have in them.
WORKBOOK_PARTS = ("[Content_Types].xml", "mimetype")


def compression_of(start: bytes) -> str:
    """Return what a source is compressed with, by its first bytes: ``gzip``, ``zip``; empty for none.

    >>> compression_of(bytes([0x1F, 0x8B, 8])), compression_of(b"hive,kg")
    ('gzip', '')
    """
    if start.startswith(ZIP_START):
        return ZIP
    return next((kind for magic, kind in STREAMS.items() if start.startswith(magic)), "")
