"""Columns of Arrow data. Pure: values are not copied where columns store them as Arrow does.

Every format that can be a column becomes one: integers of all sizes, floats, decimals of up to 18 digits, booleans,
dates, datetimes, times, durations, texts in three layouts, dictionaries, runs of equal values. Structures become
columns named ``keeper.name``, as in JSON; lists, maps and unions become JSON; bytes are written in hexadecimal. What a
column cannot hold as it is (more digits, numbers beyond 64 bits, parts of a microsecond) is kept as text, or told in a
note.

A table comes in batches; each becomes columns of its own, which are then put below each other.
"""

import itertools
import json
from collections.abc import Callable, Sequence
from typing import Any, cast

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import ContentError, ParameterError, counted
from comb.kernels import dispatch
from comb.kernels.types import INT64_MAX, MOST_DECIMAL_DIGITS
from comb.tables.arrow_format import (
    CATEGORY,
    DESCRIPTION,
    EXTENSION,
    JSON_EXTENSION,
    MISSING,
    NO_REASON,
    ORDERED,
    Array,
    Field,
    read_metadata,
    with_reasons,
)  # fmt: skip
from comb.tables.categories import as_category
from comb.tables.collect import text_slice
from comb.tables.column import Column, Mask
from comb.tables.concat import below
from comb.tables.from_python import column_of_floats
from comb.tables.kept import Kept
from comb.tables.names import unique_names
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import (
    BOOLEAN,
    DATE,
    DATETIME,
    DURATION,
    INTEGER,
    JSON,
    STRING,
    TIME,
    UTC_DATETIME,
    Type,
    decimal,
)  # fmt: skip
from comb.tables.value_texts import digits, plain_text

View = Callable[[Any, int, int], Any]

_INTEGERS = {b"c": "i1", b"C": "u1", b"s": "i2", b"S": "u2", b"i": "i4", b"I": "u4", b"l": "i8", b"L": "u8"}
_FLOATS = {b"e": "f2", b"f": "f4", b"g": "f8"}

# Units of times, and how many of them are a microsecond; below one, how many microseconds one is.
_MICROSECONDS = {"s": 1_000_000, "m": 1_000, "u": 1}
_NANOSECONDS = 1_000
_MILLISECONDS_OF_DAY = 86_400_000

# The first day that columns hold, and the one after the last.
_FIRST, _BEYOND = np.datetime64("0001-01-01"), np.datetime64("10000-01-01")

# Texts of this many bytes and fewer are in the view itself.
_INLINE = 12


class _Source(msgspec.Struct):
    """A batch that is being read."""

    batch: Any
    view: View
    notes: dict[str, int]

    def numbers(self, address: int, count: int, dtype: str) -> NDArray[Any]:
        """Return numbers at an address, in place."""
        if not address or not count:
            return np.zeros(count, dtype)
        return np.frombuffer(self.view(self.batch, address, count * np.dtype(dtype).itemsize), dtype, count)

    def bits(self, address: int, first: int, count: int) -> Mask:
        """Return bits at an address."""
        data = self.numbers(address, (first + count + 7) // 8, "u1")
        return np.unpackbits(data, count=first + count, bitorder="little")[first:].view(np.bool_)


def imported(
    table: Field, batches: Sequence[tuple[Any, Array]], view: View
) -> tuple[dict[str, Column], int, list[str]]:
    """Read the columns of a table.

    Parameters
    ----------
    table : field
    batches : sequence of (batch, array)
    view : callable
        Returns a number of bytes at an address of a batch.

    Returns
    -------
    columns, rows, notes

    Raises
    ------
    ContentError
        If it is a single column, or one of its columns has a type that nothing can be made of.
    """
    if table[0] != b"+s":
        raise ContentError("the Arrow data is a single column, not a table", remedy="give a table, or record batches")
    leaves = _leaves(table, ())
    notes: dict[str, int] = {}
    columns: dict[str, Column] = {}
    said: list[str] = []
    names = unique_names([leaf.name for leaf in leaves])
    for name, leaf in zip(names, leaves, strict=True):
        parts = []
        for batch, array in batches or [(None, _nothing(table))]:
            source = _Source(batch, view, notes)
            parts.append(_leaf_column(source, leaf, array, name))
        columns[name], message = _finished(below(_of_one_type(parts)), leaf.field)
        said += [f"{name} {message}"] if message else []
    told = [note.replace("{}", counted(count, "cell")) for note, count in notes.items()]
    return columns, sum(array[0] for _, array in batches), [*told, *said]


class _Leaf(msgspec.Struct, frozen=True):
    """A field that becomes a column: its name, and the way to it by the places of children."""

    name: str
    places: tuple[int, ...]
    field: Field


def _nothing(one: Field) -> Array:
    """Return an array without rows for a field."""
    children = tuple(map(_nothing, one[4]))
    return 0, 0, 0, (0, 0, 0), children, None if one[5] is None else _nothing(one[5])


def _leaves(parent: Field, places: tuple[int, ...], before: str = "") -> list[_Leaf]:
    """Return what becomes columns; structures are gone into."""
    found = []
    for at, child in enumerate(parent[4]):
        name, way = before + child[1].decode("utf-8", "replace"), (*places, at)
        inside = child[0] == b"+s" and child[4]
        found += _leaves(child, way, f"{name}.") if inside else [_Leaf(name, way, child)]
    return found


def _leaf_column(source: _Source, leaf: _Leaf, array: Array, name: str) -> Column:
    """Read the rows of a column that may be inside structures; where a structure is missing, its cells are absent."""
    start, count = array[2], array[0]
    absent = np.zeros(count, np.bool_)
    for place in leaf.places[:-1]:
        array = array[4][place]
        start += array[2]
        absent |= ~_validity(source, array, start, count)
    array = array[4][leaf.places[-1]]
    column = _column(source, leaf.field, array, start + array[2], count, name)
    if not absent.any():
        return column
    states = column.states.copy()
    states[absent] = Reason.ABSENT
    return column._replace(state=states)


def _validity(source: _Source, array: Array, start: int, count: int) -> Mask:
    """Return which rows have a value; rows are counted from the beginning of the buffers."""
    if not array[1] or not array[3] or not array[3][0]:
        return np.ones(count, np.bool_)
    return source.bits(array[3][0], start, count)


def _column(source: _Source, one: Field, array: Array, start: int, count: int, name: str) -> Column:
    """Read some rows of an array; `start` is counted from the beginning of its buffers."""
    form = one[0]
    if form == b"n":
        return _texts(Text.from_items([""], np.zeros(count, np.int32)), np.zeros(count, np.bool_))
    if form == b"+r":
        return _runs(source, one, array, start, count, name)
    there = _validity(source, array, start, count)
    if one[5] is not None:
        return _dictionary(source, one, array, start, count, there, name)
    if form in _INTEGERS:
        return _integers(source.numbers(array[3][1], start + count, _INTEGERS[form])[start:], there)
    if form in _FLOATS:
        floats = source.numbers(array[3][1], start + count, _FLOATS[form])[start:].astype(np.float64)
        return column_of_floats(np.where(there, floats, np.nan), np.flatnonzero(~there))
    if form == b"b":
        return _stated(BOOLEAN, source.bits(array[3][1], start, count), there)
    if form.startswith(b"d:"):
        return _decimals(source, form, array, start, count, there)
    if form in (b"u", b"U", b"z", b"Z", b"vu", b"vz") or form.startswith(b"w:"):
        if form in (b"u", b"U"):
            return _texts(_packed_texts(source, form, array, start, count, name), there)
        cells = list(_bytes_of(source, form, array, start, count))
        if form == b"vu":
            return _texts(Text.from_strings([cell.decode("utf-8", "replace") for cell in cells]), there)
        source.notes.setdefault(f"{name} holds bytes: written in hexadecimal", 0)
        return _texts(Text.from_strings([cell.hex() for cell in cells]), there)
    if form[:2] in (b"td", b"tt", b"ts", b"tD"):
        return _moments(source, form.decode(), array, start, count, there, name)
    if form[:2] in (b"+l", b"+L", b"+w", b"+m", b"+s", b"+v", b"+u"):
        values = _values(source, one, array, start, count, name)
        texts = ["" if value is None else json.dumps(value, ensure_ascii=False, default=plain_text) for value in values]
        # A union has no cells of its own that are missing: those of its parts are.
        there = np.array([value is not None for value in values], np.bool_) if form[:2] == b"+u" else there
        return _stated(JSON, Text.from_strings(texts), there)
    what = f"column {name!r} has a type that no column holds: {form.decode('ascii', 'replace')!r} in Arrow's notation"
    raise ContentError(what, remedy="convert it before, or leave it out")


def _stated(kind: Type, values: Any, there: Mask) -> Column:
    """Make a column; cells without a value have no reason yet."""
    return Column(kind, values, np.where(there, np.uint8(0), np.uint8(NO_REASON)))


def _texts(texts: Text, there: Mask) -> Column:
    """Make a column of texts; empty ones, and those of spaces alone, are missing as ``blank``."""
    codes = texts.codes
    blank = _blank_items(texts)
    if blank.any():
        there = there & ~(blank if codes is None else blank[codes])
    return _stated(STRING, texts, there)


def _blank_items(texts: Text) -> Mask:
    """Return which of the stored texts are empty or spaces alone; only those that begin with a space are looked at."""
    blank = np.diff(texts.offsets) == 0
    if not len(texts.buffer):
        return cast(Mask, blank)
    first = texts.buffer[np.minimum(texts.offsets[:-1], len(texts.buffer) - 1)]
    doubtful = np.flatnonzero(~blank & ((first <= ord(" ")) | (first >= 0xC2) & (first <= 0xE3)))
    if len(doubtful):
        blank[doubtful] = [not text.strip() for text in dispatch.kernels.take(texts.packed(), doubtful).strings()]
    return cast(Mask, blank)


def _integers(values: NDArray[Any], there: Mask) -> Column:
    if values.dtype.kind == "u" and values.dtype.itemsize == 8 and (values[there] > INT64_MAX).any():
        return _texts(Text.from_strings([str(value) for value in values.tolist()]), there)
    return _stated(INTEGER, values.astype(np.int64, copy=False), there)


def _decimals(source: _Source, form: bytes, array: Array, start: int, count: int, there: Mask) -> Column:
    """Read decimals of 32 to 256 bits, lowest word first."""
    numbers = [int(part) for part in form[2:].split(b",")]
    scale, bits = numbers[1], numbers[2] if len(numbers) > 2 else 128
    if bits < 64:
        low = source.numbers(array[3][1], start + count, "i4")[start:].astype(np.int64)
        fits = np.ones(count, np.bool_)
    else:
        words = bits // 64
        grid = source.numbers(array[3][1], (start + count) * words, "i8").reshape(-1, words)[start:]
        low = grid[:, 0] if words > 1 else grid.reshape(-1)
        fits = np.ones(count, np.bool_) if words == 1 else (grid[:, 1:] == (low >> 63)[:, None]).all(axis=1)
    within = fits & (np.abs(low) < 10**MOST_DECIMAL_DIGITS)
    if 0 <= scale <= MOST_DECIMAL_DIGITS and within[there].all():
        return _stated(decimal(scale), np.where(there, low, 0), there)
    if bits > 64:
        whole = [int.from_bytes(row.tobytes(), "little", signed=True) for row in grid]
    else:
        whole = low.tolist()
    tens = 10 ** max(0, -scale)
    texts = [digits(value * tens, max(0, scale)) if ok else "" for value, ok in zip(whole, there, strict=True)]
    return _texts(Text.from_strings(texts), there)


def _packed_texts(source: _Source, form: bytes, array: Array, start: int, count: int, name: str) -> Text:
    """Return texts that lie end to end, in place."""
    offsets = source.numbers(array[3][1], start + count + 1, "i4" if form == b"u" else "i8")[start:]
    first, last = (int(offsets[0]), int(offsets[-1])) if len(offsets) else (0, 0)
    buffer = source.numbers(array[3][2], last, "u1")[first:]
    if not dispatch.kernels.check_text(buffer.data)[0]:
        raise ContentError(f"the texts of column {name!r} are not UTF-8")
    plain = Text(buffer, offsets.astype(np.int64) - first)
    return text_slice(plain, slice(0, count))


def _bytes_of(source: _Source, form: bytes, array: Array, start: int, count: int) -> list[bytes]:
    """Return bytes of any layout; one object for each cell."""
    if form.startswith(b"w:"):
        width = int(form[2:])
        data = source.numbers(array[3][1], (start + count) * width, "u1").tobytes()
        return [data[at * width : (at + 1) * width] for at in range(start, start + count)]
    if form in (b"z", b"Z"):
        offsets = source.numbers(array[3][1], start + count + 1, "i4" if form == b"z" else "i8")[start:].tolist()
        data = source.numbers(array[3][2], offsets[-1] if offsets else 0, "u1").tobytes()
        return [data[begin:end] for begin, end in itertools.pairwise(offsets)]
    views = source.numbers(array[3][1], (start + count) * 4, "i4").reshape(-1, 4)[start:]
    sizes = source.numbers(array[3][-1], len(array[3]) - 3, "i8").tolist()
    further = [source.numbers(array[3][2 + at], size, "u1").tobytes() for at, size in enumerate(sizes)]
    return [
        row.tobytes()[4 : 4 + size] if size <= _INLINE else further[which][begin : begin + size]
        for row, (size, _, which, begin) in zip(views, views.tolist(), strict=True)
    ]


def _moments(source: _Source, form: str, array: Array, start: int, count: int, there: Mask, name: str) -> Column:
    """Read days, times of day, moments and durations, whatever they are counted in."""
    if form == "tdD":
        days = source.numbers(array[3][1], start + count, "i4")[start:].astype(np.int64)
        return _within_years(DATE, days.view("datetime64[D]"), there)
    if form == "tdm":
        milliseconds = source.numbers(array[3][1], start + count, "i8")[start:]
        return _within_years(DATE, (milliseconds // _MILLISECONDS_OF_DAY).view("datetime64[D]"), there)
    if form[:2] == "ti" or form[2:3] not in ("s", "m", "u", "n"):
        raise ContentError(f"column {name!r} has a type that no column holds: {form!r} in Arrow's notation")
    unit, zone = form[2], form[4:] if form[:2] == "ts" else ""
    width = "i4" if form in ("tts", "ttm") else "i8"
    values = np.where(there, source.numbers(array[3][1], start + count, width)[start:], 0).astype(np.int64)
    if unit == "n":
        cut = int(np.count_nonzero(values % _NANOSECONDS))
        values = values // _NANOSECONDS
        if cut:
            key = f"{{}} of {name} had parts of a microsecond, left out"
            source.notes[key] = source.notes.get(key, 0) + cut
    else:
        times = _MICROSECONDS[unit]
        too_far = np.flatnonzero(np.abs(values) > INT64_MAX // times)
        if len(too_far) and form[:2] == "ts":
            kept = {at: str(np.datetime64(int(values[at]), "s" if unit == "s" else "ms")) for at in too_far.tolist()}
            values[too_far] = 0
            kind = UTC_DATETIME if zone else DATETIME
            return _unreadable(_within_years(kind, (values * times).view("datetime64[us]"), there), kept)
        if len(too_far):
            raise ContentError(f"column {name!r} has durations of more than 290,000 years, which no column holds")
        values = values * times
    if form[:2] == "tt":
        return _stated(TIME, values.view("timedelta64[us]"), there)
    if form[:2] == "tD":
        return _stated(DURATION, values.view("timedelta64[us]"), there)
    if zone and zone.upper() not in ("UTC", "Z", "+00:00", "ETC/UTC"):
        source.notes.setdefault(f"{name} is in universal time; it was shown in {zone}", 0)
    return _within_years(UTC_DATETIME if zone else DATETIME, values.view("datetime64[us]"), there)


def _within_years(kind: Type, values: NDArray[Any], there: Mask) -> Column:
    """Make a column of days or moments; those beyond the year 9999 are unreadable, their texts kept."""
    beyond = there & ((values < _FIRST) | (values >= _BEYOND))
    column = _stated(kind, values, there)
    if not beyond.any():
        return column
    kept = {at: str(values[at]) for at in np.flatnonzero(beyond).tolist()}
    return _unreadable(column._replace(values=np.where(beyond, np.zeros(1, values.dtype), values)), kept)


def _unreadable(column: Column, texts: dict[int, str]) -> Column:
    """Return a column with some cells unreadable, their texts kept."""
    states = column.states.copy()
    states[list(texts)] = Reason.UNREADABLE
    return column._replace(state=states, kept=Kept({**column.kept.texts, **texts}))


def _dictionary(source: _Source, one: Field, array: Array, start: int, count: int, there: Mask, name: str) -> Column:
    """Read cells that are numbers of values in a dictionary."""
    inner, values = one[5], array[5]
    codes = source.numbers(array[3][1], start + count, _INTEGERS[one[0]])[start:].astype(np.int64)
    found = _column(source, inner, values, values[2], values[0], name)
    codes = np.where(there, codes, 0)
    if not len(found):
        codes, found = np.zeros(count, np.int64), found._absent(1)
    if found.type == STRING and found.text.codes is None and len(set(found.text.items())) == found.text.item_count:
        texts = Text(found.text.buffer, found.text.offsets, codes.astype(np.int32 if len(found) < 2**31 else np.int64))
        made = Column(STRING, texts, found.states[codes])
    else:
        made = found._take(codes)
    states = np.where(there, made.states, np.uint8(NO_REASON))
    return made._replace(state=states)


def _runs(source: _Source, one: Field, array: Array, start: int, count: int, name: str) -> Column:
    """Read runs of equal cells: where each ends, and what is in it."""
    ends, values = array[4]
    numbers = source.numbers(ends[3][1], ends[2] + ends[0], _INTEGERS[one[4][0][0]])[ends[2] :]
    found = _column(source, one[4][1], values, values[2], values[0], name)
    return found._take(np.searchsorted(numbers, np.arange(start, start + count), side="right"))


def _of_union(source: _Source, one: Field, array: Array, start: int, count: int, name: str) -> list[Any]:
    """Return the cells of a union as Python values: each is in the part whose number it has."""
    kinds = source.numbers(array[3][0], start + count, "i1")[start:]
    numbers = [int(number) for number in one[0].partition(b":")[2].split(b",")]
    dense = one[0].startswith(b"+ud")
    places = source.numbers(array[3][1], start + count, "i4")[start:] if dense else np.arange(start, start + count)
    found: list[Any] = [None] * count
    for number, inner, part in zip(numbers, one[4], array[4], strict=True):
        rows = np.flatnonzero(kinds == number)
        if len(rows):
            first, last = int(places[rows].min()), int(places[rows].max()) + 1
            values = _values(source, inner, part, part[2] + first, last - first, name)
            for row, place in zip(rows.tolist(), places[rows].tolist(), strict=True):
                found[row] = values[place - first]
    return found


def _values(source: _Source, one: Field, array: Array, start: int, count: int, name: str) -> list[Any]:
    """Return cells as Python values, lists and dicts inside each other; one object for each."""
    form = one[0]
    if form[:2] == b"+u":
        return _of_union(source, one, array, start, count, name)
    there = _validity(source, array, start, count).tolist()
    if form[:2] == b"+v":
        size = "i8" if form == b"+vL" else "i4"
        begins, lengths = (source.numbers(array[3][at], start + count, size)[start:].tolist() for at in (1, 2))
        inner, part = one[4][0], array[4][0]
        items = _values(source, inner, part, part[2], part[0], name)
        views = [items[begin : begin + length] for begin, length in zip(begins, lengths, strict=True)]
        return [made if ok else None for made, ok in zip(views, there, strict=True)]
    if form == b"+s":
        columns = [
            _values(source, inner, part, start + part[2], count, name)
            for inner, part in zip(one[4], array[4], strict=True)
        ]
        titles = [inner[1].decode("utf-8", "replace") for inner in one[4]]
        rows = zip(*columns, strict=True) if columns else [()] * count
        return [dict(zip(titles, row, strict=True)) if ok else None for row, ok in zip(rows, there, strict=True)]
    if form[:2] in (b"+l", b"+L", b"+w", b"+m"):
        inner, part = one[4][0], array[4][0]
        if form.startswith(b"+w"):
            width = int(form[3:])
            offsets = [at * width for at in range(start, start + count + 1)]
        else:
            size = "i8" if form == b"+L" else "i4"
            offsets = source.numbers(array[3][1], start + count + 1, size)[start:].tolist()
        first, last = (offsets[0], offsets[-1]) if offsets else (0, 0)
        items = _values(source, inner, part, part[2] + first, last - first, name)
        lists = [items[begin - first : end - first] for begin, end in itertools.pairwise(offsets)]
        return [made if ok else None for made, ok in zip(lists, there, strict=True)]
    if form[:1] == b"+" and form != b"+r":
        raise ContentError(f"column {name!r} has a type inside that no column holds: {form!r} in Arrow's notation")
    return _column(source, one, array, start, count, name).to_list()


def _of_one_type(parts: list[Column]) -> list[Column]:
    """Return the batches of a column with one type: texts, where some of them needed to be."""
    kinds = {part.type for part in parts}
    if len(kinds) == 1:
        return parts
    made = []
    for part in parts:
        texts = part if part.type == STRING else Column._of_strings(part.texts(), state=part.states)
        made.append(texts)
    return made


def _finished(column: Column, one: Field) -> tuple[Column, str]:
    """Give a column what its metadata say of it."""
    metadata = read_metadata(one[2])
    message = ""
    if metadata.get(EXTENSION) == JSON_EXTENSION and column.type == STRING:
        column = column._replace(type=JSON)
    if DESCRIPTION in metadata:
        column = column._replace(description=metadata[DESCRIPTION].decode("utf-8", "replace"))
    if MISSING in metadata and column.state is not None:
        column, message = with_reasons(column, metadata[MISSING])
    if CATEGORY in metadata or one[3] & ORDERED:
        column, message = _as_category(column, metadata.get(CATEGORY), message)
    return column, message


def _as_category(column: Column, note: bytes | None, message: str) -> tuple[Column, str]:
    try:
        if note is None:
            return as_category(column, column.text.items()), message
        told = json.loads(note)
        return as_category(column, told["values"], told["labels"]), message
    except (ValueError, KeyError, TypeError, ParameterError):
        return column, message or "has a note about its categories that cannot be read"
