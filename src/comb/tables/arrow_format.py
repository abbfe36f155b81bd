"""What Arrow data and columns have in common: formats, metadata, what a column says of its missing cells. Pure.

Each column is a *field* (format, name, metadata, flags, children, dictionary) and an *array*; see
`comb.kernels.compiled._arrow`. A format is a short text of the interface: ``l`` is a column of 64-bit integers.

Arrow has no reasons for missing cells. They travel as a note in the metadata of the field, ``comb:missing``: JSON with
the count of each reason. Where a column has more than one reason, or texts were kept, the reason of every missing cell
and the texts are there too, packed, with a digest of the values. Who changes rows on the way and leaves the note as it
was changes what the digest would be: then only the counts of the note are left, which is said, and nothing is guessed.

Source: the C data interface and C stream interface of the Arrow specification, version 1.
"""

import base64
import hashlib
import json
import struct
import zlib
from collections import Counter
from collections.abc import Mapping
from typing import Any

import numpy as np

from comb.tables.column import Column
from comb.tables.kept import Kept
from comb.tables.reasons import REASON_WORDS, Reason

# A field: format, name, metadata, flags, children, dictionary. An array: length, missing cells, offset, buffers,
# children, dictionary.
Field = tuple[bytes, bytes, bytes | None, int, tuple[Any, ...], Any]
Array = tuple[int, int, int, tuple[Any, ...], tuple[Any, ...], Any]

# Flags of a field.
ORDERED, NULLABLE = 1, 2

# Keys of the metadata.
DESCRIPTION = b"description"
MISSING = b"comb:missing"
CATEGORY = b"comb:category"
EXTENSION = b"ARROW:extension:name"
EXTENSION_DETAILS = b"ARROW:extension:metadata"
JSON_EXTENSION = b"arrow.json"

_WORDS = {int(reason): word for word, reason in REASON_WORDS.items()}


def packed_metadata(pairs: Mapping[bytes, bytes]) -> bytes | None:
    """Write metadata as the interface has it; None for an empty mapping.

    >>> len(packed_metadata({b"a": b"bc"}))
    15
    """
    if not pairs:
        return None
    parts = [struct.pack("=i", len(pairs))]
    for key, value in pairs.items():
        parts += [struct.pack("=i", len(key)), key, struct.pack("=i", len(value)), value]
    return b"".join(parts)


def read_metadata(data: bytes | None) -> dict[bytes, bytes]:
    """Read metadata.

    >>> read_metadata(packed_metadata({b"a": b"bc", b"d": b""}))
    {b'a': b'bc', b'd': b''}
    """
    found: dict[bytes, bytes] = {}
    if not data:
        return found
    place = 4
    for _ in range(struct.unpack_from("=i", data)[0]):
        pair = []
        for _ in range(2):
            size = struct.unpack_from("=i", data, place)[0]
            pair.append(data[place + 4 : place + 4 + size])
            place += 4 + size
        found[pair[0]] = pair[1]
    return found


def missing_note(column: Column) -> bytes | None:
    """Write why the missing cells of a column are missing; None where none is."""
    if column.state is None:
        return None
    states = column.states[column.missing]
    counts = Counter(states.tolist())
    note: dict[str, Any] = {"reasons": {_WORDS[code]: counts[code] for code in sorted(counts)}}
    if len(counts) > 1 or len(column.kept):
        note |= {
            "each": _packed(states.tobytes()),
            "texts": _packed(json.dumps([column.kept.positions.tolist(), column.kept.items.to_list()]).encode()),
            "of": _digest(column),
        }
    return json.dumps(note, ensure_ascii=False).encode()


def with_reasons(column: Column, note: bytes) -> tuple[Column, str]:
    """Give a column that came back the reasons that its note has, if it is as it was.

    Returns
    -------
    column, message
        What is to be said; empty if the reasons of all cells are known.
    """
    try:
        told = json.loads(note)
        reasons = {word: int(count) for word, count in told["reasons"].items() if word in REASON_WORDS}
        missing = column.missing
        if sum(reasons.values()) == column.missing_count and len(reasons) == 1 and "each" not in told:
            states = np.where(missing, np.uint8(REASON_WORDS[next(iter(reasons))]), np.uint8(0))
            return column._replace(state=states), ""
        if told.get("of") == _digest(column):
            states = column.states.copy()
            states[missing] = np.frombuffer(_unpacked(told["each"]), np.uint8)
            positions, texts = json.loads(_unpacked(told["texts"]))
            return column._replace(state=states, kept=Kept(dict(zip(positions, texts, strict=True)))), ""
    except (ValueError, KeyError, TypeError, AttributeError, zlib.error):
        return column, "has a note about missing cells that cannot be read"
    listed = ", ".join(f"{count:,} {word}" for word, count in reasons.items())
    return column, f"is not as it was written: why its cells are missing is lost ({listed} when it was written)"


def _digest(column: Column) -> str:
    """Return a checksum of which cells are missing and what is in the others; cost: one pass over the column."""
    # The number of cells too: bits are padded to whole bytes.
    found = hashlib.blake2b(len(column).to_bytes(8), digest_size=16)
    found.update(np.packbits(column.present).tobytes())
    there = column._take(np.flatnonzero(column.present)) if column.missing_count else column
    if there.type.textual:
        texts = there.text.plain()
        found.update(np.diff(texts.offsets).tobytes())
        found.update(texts.buffer[int(texts.offsets[0]) : int(texts.offsets[-1])].tobytes())
    else:
        found.update(there.array.tobytes())
    return found.hexdigest()


def _packed(data: bytes) -> str:
    return base64.b64encode(zlib.compress(data)).decode()


def _unpacked(text: str) -> bytes:
    return zlib.decompress(base64.b64decode(text))


# The state of a cell that came without a reason.
NO_REASON = Reason.BLANK
