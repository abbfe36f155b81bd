"""One record of a file by its line, without the table that it is in.

To look up a cell, a table has no need to be made: lines are counted up to the one where the record begins, which takes
a tenth of the time of reading them, and the record there is split. What is not plain is left to who reads the table:
another encoding than UTF-8, delimiters of several characters, line ends that are a lone carriage return, and a record
that is longer than a look.
"""

import codecs
from pathlib import Path

import numpy as np

from comb.kernels import dispatch
from comb.kernels.types import Dialect
from comb.reading.io.compression import compression_of
from comb.tables.read_options import ReadOptions

# Lines are counted in pieces that fit into the processor's caches; a record is looked for in the second number.
PIECE = 1 << 18
LONGEST_LOOK = 1 << 20


def record_at(path: Path, options: ReadOptions, line: int) -> list[str] | None:
    """Return the fields of the record that begins on a line.

    Parameters
    ----------
    path : Path
    options : ReadOptions
        How the file was read: delimiter, quote and encoding are known.
    line : int
        From 1.

    Returns
    -------
    list of str or None
        None where it takes more to find it, or there is none. Cost: a count of the bytes up to there.
    """
    quote = options.quote or ""
    dialect = Dialect(options.delimiter or "", quote[-1:] or None, quote[:-1])
    if options.encoding not in ("utf-8", "utf-8-sig") or len(dialect.delimiter) != 1:
        return None
    with path.open("rb") as stream:
        if compression_of(stream.read(PIECE)):
            return None
        offset = _offset_of(path, line)
        if offset is None:
            return None
        stream.seek(offset)
        data = stream.read(LONGEST_LOOK).removeprefix(codecs.BOM_UTF8 if line == 1 else b"")
        whole = len(data) < LONGEST_LOOK
    # Cut at a line end, and so never inside a character.
    data = data if whole else data[: data.rfind(b"\n") + 1]
    try:
        found = dispatch.kernels.records(data.decode(), dialect, 2)
    except UnicodeDecodeError:
        return None
    # A record that is not followed by another may go on behind what was looked at.
    sound = len(found.fields) > (0 if whole else 1) and found.lines[0] == 1 and not found.stray and not found.unclosed
    return found.fields[0] if sound else None


def _offset_of(path: Path, line: int) -> int | None:
    """Return the byte at which a line begins; None where there is no such line, or a line ends otherwise."""
    left, offset = line - 1, 0
    with path.open("rb") as stream:
        while left:
            data = stream.read(PIECE)
            # The two bytes of a line end stay together.
            data += stream.read(1) if data.endswith(b"\r") else b""
            if not data:
                return None
            array = np.frombuffer(data, np.uint8)
            ends = array == ord("\n")
            if b"\r" in data and bool(((array[:-1] == ord("\r")) & ~ends[1:]).any()):
                return None
            count = int(np.count_nonzero(ends))
            if count >= left:
                return offset + int(np.flatnonzero(ends)[left - 1]) + 1
            left, offset = left - count, offset + len(data)
    return offset
