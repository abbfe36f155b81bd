"""The quick road for JSON Lines: records found by the compiled kernel, without an object for each.

What it gives is what the reference in `comb.reading.nested.document` gives.
"""

import json
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.inference.typed_cells import SourceKind, TypedCells
from comb.kernels import dispatch
from comb.kernels.types import JSON_KINDS, NOTHING_ASIDE, JsonLines, OffsetCells
from comb.reading.documents.json.parse import Digits, JsonParser, read_float, read_integer, sound, written

_KIND = {name: JSON_KINDS.index(name) for name in JSON_KINDS}

_CELL_KINDS = np.array(
    [
        SourceKind.ABSENT, SourceKind.NULL, SourceKind.BOOLEAN, SourceKind.BOOLEAN, SourceKind.NUMBER,
        SourceKind.NUMBER, SourceKind.TEXT, SourceKind.TEXT, SourceKind.NESTED, SourceKind.ERROR,
    ],
    np.uint8,
)  # fmt: skip

# Numbers in more bytes than this may have more digits than a float or an integer keeps.
MOST_BYTES = 17

# The places of a column that was read.
NOTHING = (np.zeros(0, np.int32), np.zeros(0, np.int32), np.zeros(0, np.uint8))


def cells_of(lines: JsonLines, column: int, rows: int | None = None) -> TypedCells:
    """Return the cells of a column, of all records or of the first ones."""
    begins, ends, kinds = lines.columns[column]
    begins, ends, kinds = begins[:rows], ends[:rows], kinds[:rows]
    found = TypedCells(_CELL_KINDS[kinds], np.zeros(len(kinds), np.int64), np.full(len(kinds), -1, np.int32), [])
    strings: list[str] = []
    places = OffsetCells(lines.data, NOTHING_ASIDE, begins, ends)
    _read_numbers(found, kinds, places, strings)
    found.numbers[kinds == _KIND["true"]] = 1
    for names, read in (
        (("string", "escaped"), partial(_read_strings, kinds=kinds)),
        (("nested",), _read_nested),
        (("not finite",), _read_plain),
    ):
        at = _positions(np.isin(kinds, [_KIND[name] for name in names]))
        if len(at):
            first, codes = dispatch.kernels.encode_cells(places, at)
            texts = read(places, at[first])
            found.texts[at] = codes + len(strings)
            blank = np.array([not text.strip() for text in texts], np.bool_)
            if names[0] == "string" and blank.any():
                found.kinds[at[blank[codes]]] = SourceKind.EMPTY
                found.texts[at[blank[codes]]] = -1
            strings.extend(texts)
    found.strings = strings
    return found


def _positions(wanted: NDArray[np.bool_]) -> NDArray[Any]:
    return np.flatnonzero(wanted).astype(np.int32)


def _read_numbers(found: TypedCells, kinds: NDArray[np.uint8], places: OffsetCells, strings: list[str]) -> None:
    integers, floats = kinds == _KIND["integer"], kinds == _KIND["float"]
    at = _positions(integers | floats)
    if not len(at):
        return
    whole = not floats.any()
    values, fits = dispatch.kernels.read_number_cells(places, at, "integer" if whole else "number")
    if not whole:
        # A whole number has no negative zero.
        values[integers[at] & (values == 0)] = 0.0
    found.numbers = np.zeros(len(kinds), values.dtype)
    found.numbers[at] = values
    long = (places.ends[at] - places.begins[at] > MOST_BYTES) | ~fits
    for cell in at[long].tolist():
        text = places.text(cell)
        value = read_integer(text) if integers[cell] else read_float(text)
        if isinstance(value, Digits):
            found.kinds[cell], found.numbers[cell], found.texts[cell] = SourceKind.TEXT, 0, len(strings)
            strings.append(str(value))
        else:
            found.numbers[cell] = value


def _read_strings(places: OffsetCells, cells: NDArray[np.int64], kinds: NDArray[np.uint8]) -> list[str]:
    escaped = kinds[cells] == _KIND["escaped"]
    return [
        sound(json.loads(f'"{places.text(cell)}"', strict=False)) if odd else places.text(cell)
        for cell, odd in zip(cells.tolist(), escaped.tolist(), strict=True)
    ]


def _read_nested(places: OffsetCells, cells: NDArray[np.int64]) -> list[str]:
    parser = JsonParser()
    return [written(parser.read(places.text(cell))) for cell in cells.tolist()]


def _read_plain(places: OffsetCells, cells: NDArray[np.int64]) -> list[str]:
    return [places.text(cell) for cell in cells.tolist()]


def count_of(lines: JsonLines, column: int, name: str) -> int:
    """Return how many cells of a column are of one kind."""
    kinds: Any = lines.columns[column][2]
    return int(np.count_nonzero(kinds == _KIND[name]))
