"""Columns of cells that come with a type each, as workbooks and JSON have them."""

import datetime
from collections.abc import Callable, Iterator, Sequence
from enum import IntEnum
from typing import Any, overload

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from comb.errors import counted
from comb.inference.decide import MOST_EXAMPLES, infer_column
from comb.inference.shared_marks import is_open
from comb.kernels import dispatch
from comb.kernels.grouping import Codes
from comb.kernels.string_buffer import StringBuffer, joined, pack
from comb.kernels.types import FITS
from comb.parsing.cell_parser import CellParser
from comb.parsing.vocabulary import is_missing_word
from comb.tables.column import Column
from comb.tables.evidence import STORED_AS_TEXT, Candidate, Evidence, nothing_in, stored_as_text
from comb.tables.kept import Kept
from comb.tables.reasons import Reason
from comb.tables.text import Text
from comb.tables.types import BOOLEAN, DATE, DATETIME, DURATION, INTEGER, JSON, NUMBER, STRING, TIME, Type
from comb.tables.value_texts import datetime_text, duration_text, time_text

MICROSECONDS_A_DAY = 86_400_000_000

# Whole numbers beyond this are not exact as floats.
EXACT_FLOAT = 2.0**53


# With these bytes a character begins that may be a space: those of ASCII, and the first ones of all others.
_MAY_BE_SPACE = np.isin(np.arange(256), [*range(33), 0xC2, 0xE1, 0xE2, 0xE3])


class SourceKind(IntEnum):
    """What a cell holds."""

    EMPTY = 0
    NUMBER = 1
    TEXT = 2
    BOOLEAN = 3
    ERROR = 4
    DATE = 5
    DATETIME = 6
    TIME = 7
    DURATION = 8
    ABSENT = 9
    NULL = 10
    NESTED = 11


_WORDS = {
    SourceKind.NUMBER: "number", SourceKind.TEXT: "text", SourceKind.BOOLEAN: "true or false", SourceKind.DATE: "date",
    SourceKind.DATETIME: "date with time", SourceKind.TIME: "time", SourceKind.DURATION: "duration",
    SourceKind.NESTED: "nested value",
}  # fmt: skip

_REASONS = {
    SourceKind.EMPTY: Reason.BLANK, SourceKind.ABSENT: Reason.ABSENT, SourceKind.NULL: Reason.MARKER,
    SourceKind.ERROR: Reason.MARKER,
}  # fmt: skip


class PackedStrings(Sequence[str]):
    """Strings end to end in bytes: one is made only where it is asked for.

    Parameters
    ----------
    packed : StringBuffer

    >>> strings = PackedStrings(pack(["Mill", "Fox"]))
    >>> len(strings), strings[1], list(strings)
    (2, 'Fox', ['Mill', 'Fox'])
    """

    __slots__ = ("packed",)

    def __init__(self, packed: StringBuffer) -> None:
        self.packed = packed

    def __len__(self) -> int:
        return self.packed.size

    @overload
    def __getitem__(self, at: int) -> str: ...

    @overload
    def __getitem__(self, at: slice) -> list[str]: ...

    def __getitem__(self, at: int | slice) -> str | list[str]:
        if isinstance(at, slice):
            return self.packed.strings()[at]
        start, stop = self.packed.offsets[range(len(self))[at] + np.arange(2)].tolist()
        return str(self.packed.buffer[start:stop].tobytes(), "utf-8")

    def __iter__(self) -> Iterator[str]:
        return iter(self.packed.strings())


class TypedCells(msgspec.Struct):
    """The cells of one column.

    Attributes
    ----------
    kinds : uint8 array
        `SourceKind`.
    numbers : float64 or int64 array
        Numbers; days from 1970 for dates, microseconds for times; 1 for true.
    texts : int array
        The place in `strings` of the text of a text, an error or a nested value, and of a number
        that has to keep its digits; -1 if it has none.
    strings : sequence of str
    """

    kinds: NDArray[np.uint8]
    numbers: NDArray[Any]
    texts: NDArray[Any]
    strings: Sequence[str]

    def written(self, positions: Codes) -> list[str]:
        """Return cells as text: as they came where that is known, else in canonical form."""
        found = []
        places = zip(
            self.kinds[positions].tolist(), self.numbers[positions].tolist(), self.texts[positions].tolist(),
            strict=True,
        )  # fmt: skip
        for kind, number, text in places:
            found.append(self.strings[text] if text >= 0 else _WRITERS[kind](number))
        return found


def number_text(value: float) -> str:
    """Write a number; whole ones without a point.

    >>> number_text(12.0), number_text(0.5)
    ('12', '0.5')
    """
    return str(int(value)) if float(value).is_integer() and abs(value) < EXACT_FLOAT else repr(value)


_WRITERS: dict[int, Callable[[float], str]] = {
    SourceKind.EMPTY: lambda _: "",
    SourceKind.ABSENT: lambda _: "",
    SourceKind.NULL: lambda _: "",
    SourceKind.NUMBER: number_text,
    SourceKind.BOOLEAN: lambda value: "true" if value else "false",
    SourceKind.DATE: lambda days: (datetime.date(1970, 1, 1) + datetime.timedelta(days=days)).isoformat(),
    SourceKind.DATETIME: lambda micro: datetime_text(int(micro)),
    SourceKind.TIME: lambda micro: time_text(int(micro)),
    SourceKind.DURATION: lambda micro: duration_text(int(micro)),
}


def typed_column(cells: TypedCells, *, dates_in_text: bool = False, known: bool = True) -> Column:
    """Give a column the type that most of its cells have.

    Parameters
    ----------
    cells : TypedCells
    dates_in_text : bool
        Whether texts that are all dates in ISO form become dates.
    known : bool
        Whether the known words for missing count.

    Returns
    -------
    Column
        Cells of another type are missing, ``unreadable``, with their text kept; among
        texts they are written as text. Cost: one pass, and one over the distinct texts.
    """
    cells = _alike_moments(cells)
    tally = np.bincount(cells.kinds, minlength=len(SourceKind))
    counts = {kind: int(tally[kind]) for kind in _WORDS if tally[kind]}
    if not counts:
        return _all_missing(cells)
    if len(counts) > 1 and SourceKind.TEXT in counts:
        # Words for missing speak for no kind.
        counts[SourceKind.TEXT] -= _empty_texts(cells, known)
        counts = {kind: count for kind, count in counts.items() if count}
    # Of equal numbers, text loses nothing.
    order = sorted(counts, key=lambda kind: (-counts[kind], kind != SourceKind.TEXT, kind))
    chosen = order[0]
    runner = order[1] if len(order) > 1 else None
    if chosen == SourceKind.NESTED and len(order) == 1:
        column = _text_column(cells, {SourceKind.TEXT: 1}, SourceKind.TEXT)
        evidence = Evidence(Candidate(JSON, counts[chosen], 0), None, len(column) - counts[chosen], (NESTED_MESSAGE,))
        return column._replace(type=JSON, evidence=evidence)
    if runner is not None and counts[runner] == counts[chosen] and SourceKind.NESTED not in (chosen, runner):
        # Neither kind is that of the column, be none of them text.
        return _text_column(cells, counts, SourceKind.TEXT)
    if chosen in (SourceKind.TEXT, SourceKind.NESTED):
        if dates_in_text and chosen == SourceKind.TEXT and len(order) == 1:
            return _read_texts(cells)
        return _text_column(cells, counts, chosen)
    return _valued_column(cells, counts, chosen, runner, known=known)


def _alike_moments(cells: TypedCells) -> TypedCells:
    """Take dates among datetimes for midnights, and times among durations for durations."""
    dates, moments = cells.kinds == SourceKind.DATE, cells.kinds == SourceKind.DATETIME
    times, spans = cells.kinds == SourceKind.TIME, cells.kinds == SourceKind.DURATION
    kinds, numbers = cells.kinds, cells.numbers
    if dates.any() and moments.any():
        numbers = np.where(dates, numbers * MICROSECONDS_A_DAY, numbers)
        kinds = np.where(dates, np.uint8(SourceKind.DATETIME), kinds)
    if times.any() and spans.any():
        kinds = np.where(times, np.uint8(SourceKind.DURATION), kinds)
    return cells if kinds is cells.kinds else replace(cells, kinds=kinds, numbers=numbers)


def _empty_texts(cells: TypedCells, known: bool) -> int:
    """Count the texts that are words for missing, or nothing but spaces."""
    places, counts = np.unique(cells.texts[cells.kinds == SourceKind.TEXT], return_counts=True)
    texts = [cells.strings[place].strip() for place in places.tolist()]
    return sum(
        count
        for text, count in zip(texts, counts.tolist(), strict=True)
        if not text or (known and is_missing_word(text))
    )


def _why(counts: dict[SourceKind, int]) -> tuple[str, ...]:
    if len(counts) < 2:
        return ()
    message = ", ".join(
        f"{_WORDS[kind]} {counted(count, 'time')}" for kind, count in sorted(counts.items(), key=lambda one: -one[1])
    )
    return (f"the source has more than one kind of value here: {message}",)


def _states(cells: TypedCells) -> NDArray[np.uint8]:
    reasons = np.zeros(len(SourceKind), np.uint8)
    for kind, reason in _REASONS.items():
        reasons[kind] = reason
    return reasons[cells.kinds]


def _kept(cells: TypedCells, positions: Codes) -> Kept:
    """Keep the texts of cells that have one."""
    if not len(positions):
        return Kept()
    return Kept.of(positions, Text.from_strings(cells.written(positions)))


def _all_missing(cells: TypedCells) -> Column:
    states = _states(cells)
    held = np.flatnonzero(states == Reason.MARKER)
    held = held[cells.texts[held] >= 0]
    texts = Text.from_strings([""] * len(states))
    return Column(STRING, texts, states, kept=_kept(cells, held), evidence=nothing_in(len(states)))


def _text_column(cells: TypedCells, counts: dict[SourceKind, int], chosen: SourceKind) -> Column:
    states = _states(cells)
    present = np.flatnonzero(states == Reason.PRESENT)
    if chosen == SourceKind.TEXT and len(counts) == 1:
        # Codes: each text that occurs once, and an empty one for what is missing.
        nothing = len(cells.strings)
        places = np.where(states == Reason.PRESENT, cells.texts, nothing)
        used = np.zeros(nothing + 1, np.bool_)
        used[places] = True
        codes: Any = (np.cumsum(used, dtype=np.int32) - 1)[places]
        text = _distinct(_stored_texts(cells.strings, np.flatnonzero(used), codes))
    else:
        texts = [""] * len(states)
        for at, written in zip(present.tolist(), cells.written(present), strict=True):
            texts[at] = written
        text = Text.from_strings(texts)
    blank = blank_texts(text.packed())
    empty = blank if text.codes is None else blank[text.codes]
    states[(states == Reason.PRESENT) & empty] = Reason.BLANK
    held = np.flatnonzero(states == Reason.MARKER)
    held = held[cells.texts[held] >= 0]
    why = _why(counts)
    if chosen == SourceKind.TEXT and len(counts) == 1:
        equal = infer_column(text)
        why += (stored_as_text(equal.type),) if equal.type.word in STORED_AS_TEXT else ()
        # Texts whose marks leave open what they are: said, as for texts of a file.
        why += equal.evidence.why if is_open(equal) and equal.evidence is not None else ()
    present_count = int(np.count_nonzero(states == Reason.PRESENT))
    evidence = Evidence(Candidate(STRING, present_count, 0), None, len(states) - present_count, why)
    return Column(STRING, text, states, kept=_kept(cells, held), evidence=evidence)


def _stored_texts(strings: Sequence[str], used: Codes, codes: Codes) -> Text:
    """Return texts by codes of those strings that are used; behind the last of them is an empty one."""
    if isinstance(strings, PackedStrings):
        return Text(*dispatch.kernels.take(joined([strings.packed, pack([""])]), used), codes)
    return Text.from_items(["" if at == len(strings) else strings[at] for at in used.tolist()], codes)


def _distinct(text: Text) -> Text:
    """Return a text whose items are distinct: a source may store the same text twice."""
    first, codes = dispatch.kernels.encode(text.packed())
    if len(first) == text.item_count or text.codes is None:
        return text
    return Text(*dispatch.kernels.take(text.packed(), first), codes[text.codes])


def blank_texts(texts: StringBuffer) -> NDArray[np.bool_]:
    """Return which texts are empty or nothing but spaces.

    >>> blank_texts(pack(["", "a", " \\u00a0", " b"])).tolist()
    [True, False, True, False]
    """
    blank = np.equal(texts.offsets[1:], texts.offsets[:-1])
    if not len(texts.buffer):
        return blank
    begins = np.minimum(texts.offsets[:-1], len(texts.buffer) - 1)
    for at in np.flatnonzero(~blank & _MAY_BE_SPACE[texts.buffer[begins]]).tolist():
        blank[at] = not str(texts.buffer[texts.offsets[at] : texts.offsets[at + 1]].tobytes(), "utf-8").strip()
    return blank


def _read_texts(cells: TypedCells) -> Column:
    """Read texts as dates or datetimes if all are, in ISO form."""
    plain = _text_column(cells, {SourceKind.TEXT: 1}, SourceKind.TEXT)
    states = plain.states
    values = plain.text
    column = infer_column(values, missing=())
    evidence = column.evidence
    iso = column.type.word in ("date", "datetime") and evidence is not None and not evidence.chosen.misfits
    if not iso or evidence is None or not evidence.chosen.pattern.startswith("yyyy-MM-dd"):
        return plain
    evidence = replace(
        evidence, missing=int(np.count_nonzero(states)), why=(f"all texts are {column.type}s in ISO form",)
    )
    return Column(column.type, column.values, states, kept=plain.kept, evidence=evidence)


def _valued_column(
    cells: TypedCells, counts: dict[SourceKind, int], chosen: SourceKind, runner: SourceKind | None, *, known: bool
) -> Column:
    states = _states(cells)
    fits = cells.kinds == chosen
    others = np.flatnonzero(~fits & (states == Reason.PRESENT))
    written = cells.written(others)
    missing_words = np.array([known and is_missing_word(text.strip()) for text in written], np.bool_)
    states[others] = Reason.UNREADABLE
    if len(others):
        states[others[missing_words]] = Reason.MARKER
        blank = np.array([not text.strip() for text in written], np.bool_)
        states[others[blank]] = Reason.BLANK
    kind, values = _values(cells, chosen, fits)
    if kind == NUMBER:
        # What is no finite number has no value, but its text is kept.
        infinite = np.flatnonzero(fits & ~np.isfinite(values))
        states[infinite] = Reason.MARKER
        values[infinite] = 0.0
    held = np.flatnonzero((states == Reason.UNREADABLE) | (states == Reason.MARKER))
    held = held[(cells.kinds[held] != SourceKind.NULL) & (cells.kinds[held] != SourceKind.EMPTY)]
    misfits = [text for text, word in zip(written, missing_words.tolist(), strict=True) if not word]
    other = None if runner is None else Candidate(_type_of(runner), counts[runner], counts[chosen])
    fit_count = int(np.count_nonzero(fits & (states == Reason.PRESENT)))
    evidence = Evidence(
        Candidate(kind, fit_count, len(misfits)),
        other,
        len(states) - fit_count - len(misfits),
        _why(counts) + _numbers_as_text(misfits, kind),
        tuple(dict.fromkeys(text.strip() for text in misfits))[:MOST_EXAMPLES],
    )  # fmt: skip
    return Column(kind, values, states, kept=_kept(cells, held), evidence=evidence)


def _type_of(kind: SourceKind) -> Type:
    return _TYPES.get(kind, STRING)


_TYPES = {
    SourceKind.NUMBER: NUMBER, SourceKind.BOOLEAN: BOOLEAN, SourceKind.DATE: DATE, SourceKind.DATETIME: DATETIME,
    SourceKind.TIME: TIME, SourceKind.DURATION: DURATION, SourceKind.NESTED: JSON,
}  # fmt: skip
NESTED_MESSAGE = "its cells are lists and objects, kept as the source has them"


def _values(cells: TypedCells, chosen: SourceKind, fits: NDArray[np.bool_]) -> tuple[Type, NDArray[Any]]:
    """Return the values of the cells that fit, and the narrowest type for them."""
    numbers = np.where(fits, cells.numbers, 0)
    if chosen == SourceKind.BOOLEAN:
        return BOOLEAN, numbers.astype(np.bool_)
    if chosen == SourceKind.DATE:
        return DATE, numbers.astype(np.int64).view("datetime64[D]")
    if chosen in (SourceKind.DATETIME, SourceKind.TIME, SourceKind.DURATION):
        kind = _TYPES[chosen]
        return kind, numbers.astype(np.int64).view(kind.storage)
    if numbers.dtype == np.int64:
        return INTEGER, numbers
    with np.errstate(invalid="ignore"):
        whole = (
            np.isfinite(numbers).all()
            and (np.abs(numbers) < EXACT_FLOAT).all()
            and (numbers == np.floor(numbers)).all()
        )
    return (INTEGER, numbers.astype(np.int64)) if whole else (NUMBER, numbers.astype(np.float64))


def _numbers_as_text(misfits: list[str], kind: Type) -> tuple[str, ...]:
    """Tell of texts in a column of numbers that look like numbers."""
    if not kind.numeric or not misfits:
        return ()
    _, status = CellParser(NUMBER).parse(pack(misfits))
    equal = int(np.count_nonzero(status == FITS))
    return (f"{counted(equal, 'text')} that looks like a number, kept as text",) if equal else ()
