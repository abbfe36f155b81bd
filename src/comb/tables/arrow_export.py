"""Columns as Arrow data. Pure: nothing is copied where Arrow stores values as columns do.

Integers, floats, datetimes, times, durations and texts are given as they are, texts with codes as a dictionary.
Decimals are widened to 128 bits, dates narrowed to 32, and booleans and missing cells become bits, as Arrow has them.
"""

import json
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.tables.arrow_format import (
    CATEGORY,
    DESCRIPTION,
    EXTENSION,
    EXTENSION_DETAILS,
    JSON_EXTENSION,
    MISSING,
    NULLABLE,
    ORDERED,
    Array,
    Field,
    missing_note,
    packed_metadata,
)  # fmt: skip
from comb.tables.arrow_requested import INTEGERS, as_requested, index_of, offsets_of, requested_fields, wants_dictionary
from comb.tables.column import Column
from comb.tables.text import Text
from comb.tables.types import Type

# Digits of the decimals: as many as a column holds, or more if there are more behind the point.
PRECISION = 18

_FORMATS = {
    "integer": b"l", "number": b"g", "boolean": b"b", "date": b"tdD", "time": b"ttu", "duration": b"tDu",
    "string": b"U", "json": b"U",
}  # fmt: skip

_INDEX = {np.dtype(number): form for form, number in INTEGERS.items()}


def exported(columns: Mapping[str, Column], row_count: int, requested: Field | None = None) -> tuple[Field, Array]:
    """Return a table as Arrow has it: a structure with a child for each column, of the type requested where it fits."""
    asked = requested_fields(requested)
    pairs = [exported_column(name, column, asked.get(name)) for name, column in columns.items()]
    fields, arrays = tuple(field for field, _ in pairs), tuple(array for _, array in pairs)
    return (b"+s", b"", None, 0, fields, None), (row_count, 0, 0, (None,), arrays, None)


def field_of(columns: Mapping[str, Column]) -> Field:
    """Return the field of a table, without notes about its cells."""
    fields = tuple(exported_column(name, column._take(np.zeros(0, np.int64)))[0] for name, column in columns.items())
    return b"+s", b"", None, 0, fields, None


def exported_column(name: str, column: Column, requested: Field | None = None) -> tuple[Field, Array]:
    """Return a column as Arrow has it, of the type requested where it can be."""
    metadata: dict[bytes, bytes] = {}
    if column.description:
        metadata[DESCRIPTION] = column.description.encode()
    note = missing_note(column)
    if note is not None:
        metadata[MISSING] = note
    if column.type.word == "category":
        labels = {choice.value: choice.label for choice in column.type.choices if choice.label}
        values = [choice.value for choice in column.type.choices]
        metadata[CATEGORY] = json.dumps({"values": values, "labels": labels}, ensure_ascii=False).encode()
    if column.type.word == "json":
        metadata |= {EXTENSION: JSON_EXTENSION, EXTENSION_DETAILS: b""}
    flags, dictionary_field, dictionary = NULLABLE, None, None
    buffers: tuple[NDArray[Any], ...]
    if column.type.textual:
        texts = column.text
        if column.type.word == "category":
            texts = _in_order(column)
            flags |= ORDERED
        usual = texts.codes is not None and column.type.word != "json"
        if wants_dictionary(requested, usual=usual):
            texts = texts.with_codes()
            assert texts.codes is not None
            index = index_of(requested, texts.item_count, texts.codes.dtype)
            kind, buffers = _INDEX[index], (np.ascontiguousarray(texts.codes, index),)
            inner, parts = _texts_as(requested, Text(texts.buffer, texts.offsets))
            dictionary_field = (inner, b"", None, 0, (), None)
            dictionary = (texts.item_count, 0, 0, (None, *map(_bytes, parts)), (), None)
        else:
            flags &= ~ORDERED
            kind, buffers = _texts_as(requested, texts)
    else:
        kind = _format(column.type.plain)
        given = as_requested(kind, column, requested)
        kind, buffers = (kind, (_stored(column),)) if given is None else (given[0], (given[1],))
    whole = (_validity(column), *map(_bytes, buffers))
    array = (len(column), column.missing_count, 0, whole, (), dictionary)
    return (kind, name.encode(), packed_metadata(metadata), flags, (), dictionary_field), array


def _format(kind: Type) -> bytes:
    if kind.word == "decimal":
        return f"d:{max(PRECISION, kind.scale)},{kind.scale}".encode()
    if kind.word == "datetime":
        return b"tsu:UTC" if kind.utc else b"tsu:"
    return _FORMATS[kind.word]


def _stored(column: Column) -> NDArray[Any]:
    """Return the values as Arrow stores them."""
    values, word = column.array, column.type.plain.word
    if word == "boolean":
        return np.packbits(values, bitorder="little")
    if word == "date":
        # What stands at a missing cell means nothing, and may be any day.
        return values.astype(np.int64).clip(-(2**31), 2**31 - 1).astype(np.int32)
    if word == "decimal":
        wide = np.empty((len(values), 2), np.int64)
        wide[:, 0] = values
        wide[:, 1] = values >> 63
        return wide.reshape(-1)
    return np.ascontiguousarray(values)


def _texts_as(requested: Field | None, texts: Text) -> tuple[bytes, tuple[NDArray[Any], NDArray[Any]]]:
    stored = texts.plain()
    form, offsets = offsets_of(requested, np.ascontiguousarray(stored.offsets, np.int64))
    return form, (offsets, np.ascontiguousarray(stored.buffer))


def _in_order(column: Column) -> Text:
    """Return the texts of a category with its values as the distinct texts, in their order."""
    values = [choice.value for choice in column.type.choices]
    codes = np.maximum(column._sort_ranks(), 0)
    return Text.from_items(values or [""], codes)


def _validity(column: Column) -> NDArray[np.uint8] | None:
    return np.packbits(column.present, bitorder="little") if column.missing_count else None


def _bytes(array: NDArray[Any]) -> NDArray[np.uint8]:
    return array.view(np.uint8)
