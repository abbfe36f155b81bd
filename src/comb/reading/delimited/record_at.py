"""One record of a file by its place, without the table that it is in.

To look up a cell, a table has no need to be made. Where the line is known on which the record begins, lines are counted
up to there, which takes a tenth of the time of reading them, and the record is split. Where no more is known than the
lines of two rows, the records from the one to the other are split; if they are as many as the rows, each is a row, and
the one that is looked for is among them by its number. If they are not, something between them is no row (a blank line,
a total, a header that is repeated), and only who reads the whole table knows what.

What is not plain is left to who reads the table, too: another encoding than UTF-8, delimiters of several characters,
line ends that are a lone carriage return, quotes where none belong, and more text than a look takes in.
"""

import codecs
from pathlib import Path
from typing import NamedTuple

import numpy as np

from comb.kernels import dispatch
from comb.kernels.types import Dialect
from comb.reading.io.compression import compression_of
from comb.tables.read_options import ReadOptions

# Lines are counted in pieces that fit into the processor's caches; records are looked for in the second number of
# bytes behind the line that the last one begins on, and those before it take no more than the third.
PIECE = 1 << 18
LONGEST_LOOK = 1 << 20
LONGEST_STRETCH = 1 << 24


class FoundRecord(NamedTuple):
    """A record of a file: the line that it begins on, and its fields."""

    line: int
    fields: list[str]


def record_at(path: Path, options: ReadOptions, line: int, width: int) -> list[str] | None:
    """Return the fields of the record that begins on a line.

    Parameters
    ----------
    path : Path
    options : ReadOptions
        How the file was read: delimiter, quote and encoding are known.
    line : int
        From 1.
    width : int
        How many columns the file has.

    Returns
    -------
    list of str or None
        None where it takes more to find it, or no record begins there. Cost: a count of the bytes up to there.
    """
    found = record_between(path, options, (line, line), 1, 0, width)
    return None if found is None else found.fields


def record_between(
    path: Path, options: ReadOptions, lines: tuple[int, int], rows: int, number: int, width: int
) -> FoundRecord | None:
    """Return one of several rows that follow each other in a file.

    Parameters
    ----------
    path : Path
    options : ReadOptions
        How the file was read: delimiter, quote and encoding are known.
    lines : (int, int)
        The lines, from 1, on which the first and the last of the rows begin.
    rows : int
        How many they are.
    number : int
        Which of them, from 0.
    width : int
        How many columns the file has.

    Returns
    -------
    FoundRecord or None
        None where it takes more to find it. Cost: a count of the bytes up to there, and the rows are split.
    """
    dialect = _plain_dialect(options)
    if dialect is None:
        return None
    with path.open("rb") as stream:
        if compression_of(stream.read(PIECE)):
            return None
    begin = _offset_of(path, lines[0])
    end = None if begin is None else _offset_of(path, lines[1] - lines[0] + 1, begin)
    if begin is None or end is None or end - begin > LONGEST_STRETCH:
        return None
    with path.open("rb") as stream:
        stream.seek(begin)
        data = stream.read(end - begin + LONGEST_LOOK)
    whole = len(data) < end - begin + LONGEST_LOOK
    data = data.removeprefix(codecs.BOM_UTF8 if lines[0] == 1 else b"")
    # Cut at a line end, and so never inside a character.
    data = data if whole else data[: data.rfind(b"\n") + 1]
    valid, controls, _ = dispatch.kernels.check_text(data)
    if not valid or controls:
        return None
    # A record that is not followed by another may go on behind what was looked at.
    block = dispatch.kernels.split(data, dialect, width, single=width == 1, most=rows + 1)
    if len(block) < rows + (not whole) or block.stray or block.unclosed or number in block.short | block.surplus:
        return None
    begins = block.lines[:rows].tolist()
    if (begins[0], begins[-1]) != (0, lines[1] - lines[0]):
        return None
    return FoundRecord(lines[0] + begins[number], block.row(number))


def _plain_dialect(options: ReadOptions) -> Dialect | None:
    quote = options.quote or ""
    dialect = Dialect(options.delimiter or "", quote[-1:] or None, quote[:-1])
    plain = options.encoding in ("utf-8", "utf-8-sig") and len(dialect.delimiter) == 1
    return dialect if plain else None


def _offset_of(path: Path, line: int, begin: int = 0) -> int | None:
    """Return the byte at which a line begins, counted from one that begins at a byte; None where there is no such line.

    None, too, where a line ends otherwise than by a line feed.
    """
    left, offset = line - 1, begin
    with path.open("rb") as stream:
        stream.seek(begin)
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
