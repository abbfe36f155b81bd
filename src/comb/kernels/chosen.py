"""The kernels in use: the compiled ones where they could be built, else the reference.

Whatever is chosen gives the same results. `COMB_KERNELS=reference` in the environment
chooses the reference, and this is the only place that asks.
"""

import contextlib
import importlib
import os
from collections.abc import Sequence
from types import SimpleNamespace
from typing import Any, NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from comb.kernels import blocks, coding, notation, writing
from comb.kernels import tally as counting
from comb.kernels import traits as noticing
from comb.kernels.blocks import EVERYTHING, Block, CellForm, Data, Dialect, ListBlock, NumberForm, PlaceBlock, Scratch
from comb.kernels.notation import PER_CENT, Marks, Plain
from comb.kernels.packed import Packed, pack
from comb.kernels.parsing import FITS, Parsed
from comb.kernels.structure import Records, split_records
from comb.kernels.tally import Kinds, Tally, Words
from comb.kernels.writing import DateLayout, Field


def _compiled(name: str) -> Any:
    """Return a compiled module; None if it was not built or is not wanted."""
    if os.environ.get("COMB_KERNELS") == "reference":
        return None
    with contextlib.suppress(ImportError):
        return importlib.import_module(f"comb.kernels.{name}")
    return None


# The lines in so many bytes tell how many fields records are likely to have.
FIRST_BYTES = 50_000

# A quick look at the beginning takes no more records than this.
MOST_RECORDS = 1000

INT32_MAX = 2**31 - 1

_cells, _split, _write = _compiled("_cells"), _compiled("_split"), _compiled("_write")
_sheet, _lines = _compiled("_sheet"), _compiled("_lines")
_moments, _notation, _codes = _compiled("_moments"), _compiled("_notation"), _compiled("_codes")

COMPILED = None not in (_cells, _split, _write, _sheet, _lines, _moments, _notation, _codes)

# The readers of cells, whatever is in them.
_readers = SimpleNamespace(**vars(_cells), read_moments=_moments.read_moments) if COMPILED else None


def told() -> str:
    """Say which kernels are in use, for people."""
    return "compiled kernels" if COMPILED else "reference kernels (plain Python)"


def splits_in_parts(dialect: Dialect) -> bool:
    """Return whether text of a dialect can be split run by run; else it has to be whole."""
    quote_fits = dialect.quote is None or (len(dialect.quote) == 1 and dialect.quote.isascii())
    return COMPILED and len(dialect.delimiter) == 1 and dialect.delimiter.isascii() and quote_fits


def split(
    data: Data,
    dialect: Dialect,
    width: int,
    *,
    single: bool,
    last: bool = True,
    most: int = EVERYTHING,
    scratch: Scratch | None = None,
) -> Block:
    """Find the records of a run of text.

    Parameters
    ----------
    data : bytes or memoryview
        UTF-8; begins with a record.
    dialect : Dialect
    width : int
        How many columns are wanted; fields beyond are surplus.
    single : bool
        Whether blank lines are rows.
    last : bool
        Whether the text ends here; else a last record that is not whole is left.
        Only dialects that split in parts take runs that are not the last.
    most : int
        Stop after so many rows.
    scratch : Scratch, optional
        Memory to use; the block holds until it is used again.
    """
    if not splits_in_parts(dialect):
        return ListBlock(bytes(data), dialect, width, single=single, most=most)
    quote = -1 if dialect.quote is None else ord(dialect.quote)
    escape = ord(dialect.escape) if dialect.escape else -1
    found = _split.split(data, last, ord(dialect.delimiter), quote, escape, width, single, most, scratch)
    return PlaceBlock(_readers, data, found)


def records(text: str, dialect: Dialect, most: int) -> Records:
    """Split the beginning of a text into fields; see `comb.kernels.structure.split_records`.

    >>> records("a;b\\n1;2\\n", Dialect(";", '"', ""), most=1).fields
    [['a', 'b']]
    """
    try:
        data = text.encode() if splits_in_parts(dialect) else b""
    except UnicodeEncodeError:
        data = b""
    if not data or not 0 < most <= MOST_RECORDS:
        return split_records(text, dialect.delimiter, dialect.quote, escape=dialect.escape, most=most)
    delimiter = dialect.delimiter.encode()
    width = 1 + max(line.count(delimiter) for line in data[:FIRST_BYTES].splitlines())
    return split(data, dialect, width, single=True, most=most).records()


def check_text(data: Data) -> tuple[bool, int, int]:
    """Check bytes for being UTF-8.

    Returns
    -------
    valid, controls, characters
        Whether they are, how many are control characters that text does not have, and
        how many characters there are.

    >>> check_text("é\\x00".encode())
    (True, 1, 2)
    """
    if COMPILED:
        valid, controls, characters = _split.check_text(data)
        return valid, controls, characters
    try:
        text = str(data, "utf-8")
    except UnicodeDecodeError:
        return False, 0, 0
    return True, sum(text.count(chr(code)) for code in coding.CONTROLS), len(text)


def count_byte(data: Data, wanted: int, stop: int) -> int:
    """Count a byte before a place.

    >>> count_byte(b'"a","b', ord('"'), 4)
    2
    """
    return int(_split.count_byte(data, wanted, stop)) if COMPILED else bytes(data).count(wanted, 0, stop)


def tally(texts: Packed, counts: NDArray[np.int64] | None, words: Words) -> tuple[Tally, Kinds]:
    """Count what texts could be; see `comb.kernels.tally.tally`."""
    if COMPILED:
        return blocks.count_cells(_cells, blocks.cells_of(texts), counts, words)
    return counting.tally(texts.strings(), counts, words)


def encode(texts: Packed) -> tuple[NDArray[np.int64], NDArray[Any]]:
    """Number texts in order of appearance.

    Returns
    -------
    first, codes
        Where each distinct text stands first, and the number of each text.

    >>> from comb.kernels.packed import pack
    >>> first, codes = encode(pack(["b", "a", "b"]))
    >>> first.tolist(), codes.tolist()
    ([0, 1], [0, 1, 0])
    """
    if COMPILED:
        first, codes = _cells.encode(*blocks.cells_of(texts), 1.0)
        return first, codes
    _, codes = coding.encode(texts.strings())
    return np.unique(codes, return_index=True)[1].astype(np.int64), codes


def encode_known(texts: Packed, known: int) -> NDArray[Any]:
    """Number the first texts in order of appearance; the others get the number of an equal one, or -1.

    >>> from comb.kernels.packed import pack
    >>> encode_known(pack(["b", "a", "b", "c", "a"]), 3).tolist()
    [0, 1, 0, -1, 1]
    """
    if COMPILED:
        codes: NDArray[Any] = _cells.encode(*blocks.cells_of(texts), 1.0, known)[1]
        return codes
    strings = texts.strings()
    words, codes = coding.encode(strings[:known])
    places = {word: place for place, word in enumerate(words)}
    return np.append(codes, np.array([places.get(text, -1) for text in strings[known:]], np.int64))


def count_codes(codes: NDArray[Any], size: int) -> NDArray[np.int64]:
    """Count how often each code occurs.

    >>> count_codes(np.array([1, 0, 1], np.int32), 3).tolist()
    [1, 2, 0]
    """
    if COMPILED and codes.dtype == np.int32:
        return cast(NDArray[np.int64], _codes.count(codes, size))
    return np.bincount(codes, minlength=size).astype(np.int64, copy=False)


def look_up(table: NDArray[np.uint8], codes: NDArray[Any]) -> NDArray[np.uint8]:
    """Return for each code what a table of small numbers says of it.

    >>> look_up(np.array([7, 9], np.uint8), np.array([1, 0, 1], np.int32)).tolist()
    [9, 7, 9]
    """
    if COMPILED and codes.dtype == np.int32:
        return cast(NDArray[np.uint8], _codes.look_up(table, codes))
    return cast(NDArray[np.uint8], table[codes])


def renumber(codes: NDArray[Any], numbers: NDArray[Any]) -> None:
    """Replace each code by another, in place.

    >>> codes = np.array([1, 0, 1], np.int32)
    >>> renumber(codes, np.array([5, 6], np.int32))
    >>> codes.tolist()
    [6, 5, 6]
    """
    if COMPILED and codes.dtype == np.int32:
        _codes.renumber(codes, numbers.astype(np.int32, copy=False))
    else:
        codes[:] = numbers[codes]


def traits(texts: Packed, known: Sequence[str]) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
    """Tell what is to be noticed about texts; see `comb.kernels.traits.traits`."""
    if COMPILED:
        bits, lengths = _cells.traits(*blocks.cells_of(texts), pack(known))
        return bits, lengths
    return noticing.traits(texts.strings(), known)


def take(texts: Packed, positions: NDArray[Any]) -> Packed:
    """Return the texts at the given positions, in that order."""
    if COMPILED:
        return Packed(*_cells.gather(*blocks.cells_of(texts).take(positions)))
    return texts.take(positions)


def read(texts: Packed, form: CellForm) -> Parsed | None:
    """Read texts as numbers or dates; None where nothing is compiled for it."""
    if not COMPILED:
        return None
    cells = blocks.cells_of(texts)
    values, status, _ = blocks.read_cells(_readers, cells, form, Words())
    unusual = np.flatnonzero(status >= blocks.UNUSUAL)
    states = blocks.decided(status[unusual], np.zeros(len(unusual), np.uint8))
    left = np.flatnonzero(states == blocks.UNDECIDED)
    if len(left) and isinstance(form, NumberForm):
        blocks.settle(values, states, unusual[left], left, texts.take(unusual[left]), form.mark)
    status[unusual] = states
    return values, status


def plain_numbers(texts: Packed, marks: Marks, unit: str) -> Plain:
    """Write numbers of one notation as plain ones; see `comb.kernels.notation.plain_numbers`."""
    if COMPILED and marks.decimal.isascii() and marks.group.isascii():
        group = ord(marks.group) if marks.group else 0
        found = _notation.plain_numbers(*texts, ord(marks.decimal), group, unit.encode(), unit == PER_CENT)
        return Plain(Packed(*found[:2]), *found[2:])
    return notation.plain_numbers(texts.strings(), marks, unit)


class Places(NamedTuple):
    """Cells by their places in bytes.

    Attributes
    ----------
    data : bytes
    begins, ends : int32 array
    """

    data: bytes
    begins: NDArray[np.int32]
    ends: NDArray[np.int32]

    def text(self, cell: int) -> str:
        """Return one cell."""
        return self.data[self.begins[cell] : self.ends[cell]].decode()

    def take(self, cells: NDArray[np.int64]) -> blocks.Cells:
        """Return some of the cells, for the readers; all of them without a copy."""
        if len(cells) == len(self.begins):
            return blocks.Cells(self.data, blocks.NOTHING_ASIDE, self.begins, self.ends)
        return blocks.Cells(self.data, blocks.NOTHING_ASIDE, self.begins[cells], self.ends[cells])


# What a cell in JSON holds.
JSON_KINDS = ("absent", "null", "false", "true", "integer", "float", "string", "escaped", "nested", "not finite")


class JsonLines(NamedTuple):
    """The cells of records that stand in lines of JSON.

    Attributes
    ----------
    data : bytes
    names : list of bytes
        Of the columns, dotted.
    columns : list of (begins, ends, kinds)
        The kinds are places in `JSON_KINDS`; strings are without their quotes.
    lines : int32 array
        The line of each record, from 1.
    bad : list of (int, int, int)
        Lines that are no record: number, and where each begins and ends.
    """

    data: bytes
    names: list[bytes]
    columns: list[tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.uint8]]]
    lines: NDArray[np.int32]
    bad: list[tuple[int, int, int]]


def take_json_lines(data: bytes) -> JsonLines | None:
    """Find the cells of JSON Lines in UTF-8; None where nothing is compiled or the reference has to read them."""
    found = _lines.take_records(data) if COMPILED and len(data) < INT32_MAX else None
    return None if found is None else JsonLines(data, *found)


def encode_places(places: Places, cells: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Number some cells in order of appearance: where each distinct one stands first, and the number of each."""
    first, codes = _cells.encode(*places.take(cells), 1.0)
    return first, codes


def read_places(places: Places, cells: NDArray[np.int64], kind: str) -> tuple[NDArray[Any], NDArray[np.bool_]]:
    """Read some cells as numbers.

    Returns
    -------
    values, fits
        What does not fit has no value.
    """
    values, status, _ = blocks.read_cells(_readers, places.take(cells), NumberForm(kind, 0, "."), Words())
    return values, (status == FITS) | (status == blocks.UNUSUAL)


class SheetCells(NamedTuple):
    """The cells in the XML of a sheet.

    Attributes
    ----------
    rows, columns : int32 array
    kinds : uint8 array
        What the sheet says of the value: the place in `SHEET_KINDS`.
    styles : uint16 array
    held : bool array
        Whether a cell has a value.
    numbers : float64 array
        Of numbers, shared texts and booleans.
    text_at, codes : int64 array
        The cells with a text of their own, and which of `texts` each has.
    texts : list of str
    formulas : list of (int, bytes, bytes)
        The cells with a formula, its attributes, and the formula.
    hidden : list of int
        Rows that are hidden.
    """

    rows: NDArray[np.int32]
    columns: NDArray[np.int32]
    kinds: NDArray[np.uint8]
    styles: NDArray[np.uint16]
    held: NDArray[np.bool_]
    numbers: NDArray[np.float64]
    text_at: NDArray[np.int64]
    codes: NDArray[np.int64]
    texts: list[str]
    formulas: list[tuple[int, bytes, bytes]]
    hidden: list[int]


SHEET_KINDS = ("number", "shared", "boolean", "error", "text")
SHARED = SHEET_KINDS.index("shared")


def take_sheet_cells(data: bytes, begin: int, end: int) -> SheetCells | None:
    """Find the cells in the XML of a sheet; None where nothing is compiled or one is written unusually.

    Parameters
    ----------
    data : bytes
        The sheet, in UTF-8.
    begin, end : int
        Where its rows begin and end.
    """
    found = _sheet.take_cells(data, begin, end) if COMPILED and len(data) < INT32_MAX else None
    if found is None:
        return None
    rows, columns, kinds, styles, values, formulas, abouts, hidden = found
    held = values[:, 0] >= 0
    own = np.flatnonzero(held & (kinds > SHEET_KINDS.index("boolean")))
    numeric = np.flatnonzero(held & (kinds <= SHEET_KINDS.index("boolean")))
    numbers = np.zeros(len(rows))
    places = np.ascontiguousarray(values.T)
    cells = blocks.Cells(data, blocks.NOTHING_ASIDE, places[0], places[1])
    read, status, _ = blocks.read_cells(_readers, cells.take(numeric), NumberForm("number", 0, "."), Words())
    left = np.flatnonzero((status != FITS) & (status != blocks.UNUSUAL))
    for at in left.tolist():
        start, stop = values[numeric[at]].tolist()
        try:
            read[at] = float(data[start:stop])
        except ValueError:
            return None
    numbers[numeric] = read
    first, codes = _cells.encode(*cells.take(own), 1.0)
    texts = [data[start:stop].decode() for start, stop in values[own[first]].tolist()]
    noted = [
        (at, data[slice(*abouts[at].tolist())], data[slice(*formulas[at].tolist())])
        for at in np.flatnonzero(abouts[:, 0] >= 0).tolist()
    ]
    return SheetCells(rows, columns, kinds, styles, held, numbers, own, codes, texts, noted, hidden)


def write_integers(values: NDArray[Any], scale: int, mark: str) -> Packed:
    """Write whole numbers or decimals; see `comb.kernels.writing.write_integers`."""
    if COMPILED:
        return Packed(*_write.write_integers(values, scale, ord(mark)))
    return writing.write_integers(values, scale, mark)


def write_numbers(values: NDArray[Any], mark: str) -> Packed:
    """Write floats; see `comb.kernels.writing.write_numbers`."""
    if COMPILED:
        return Packed(*_write.write_numbers(values, ord(mark)))
    return writing.write_numbers(values, mark)


def write_dates(days: NDArray[Any], layout: DateLayout) -> Packed:
    """Write dates; see `comb.kernels.writing.write_dates`."""
    if COMPILED:
        order, mark, padded_month, padded_day = layout
        return Packed(*_write.write_dates(days, order, ord(mark), padded_month, padded_day))
    return writing.write_dates(days, layout)


def join(fields: Sequence[Field], rows: int, delimiter: str, line_end: str, missing: str) -> bytes:
    """Join cells to delimited text; see `comb.kernels.writing.join`."""
    if COMPILED and delimiter.isascii():
        columns = [(*field.texts, field.codes, field.missing) for field in fields]
        joined: bytes = _write.join(columns, rows, delimiter.encode(), line_end.encode(), missing.encode())
        return joined
    return writing.join(fields, rows, delimiter, line_end, missing)
