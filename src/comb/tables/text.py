"""Text cells as UTF-8 bytes with offsets, or as codes into distinct texts.

One class covers both: without codes, cell *i* is item *i* of the buffer; with codes
it is item ``codes[i]``, and the items are distinct. Work on text touches each stored
item once (`Text.map`), or all bytes at once (`Text.replaced`, `Text.cut`, `put_together`).
"""

from collections.abc import Callable, Iterator, Sequence
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import Storage, blocks_of
from comb.kernels import dispatch
from comb.kernels.blocks import MOST_DISTINCT_SHARE
from comb.kernels.grouping import Codes
from comb.kernels.string_buffer import StringBuffer, joined, pack
from comb.kernels.types import OUTER_SPACES


def _read_only(array: NDArray[Any]) -> NDArray[Any]:
    array.flags.writeable = False
    return array


# The last character that is one byte.
ASCII = 127

# Stored texts, and cells, that are looked at together; and bytes.
ITEMS_AT_ONCE = 500_000
BYTES_AT_ONCE = 1 << 24

# Of this many texts and more, a sample tells whether they are worth numbering.
LEAST_SAMPLED, SAMPLE, SEED = 100_000, 20_000, 0


class Text:
    """An immutable sequence of texts.

    Parameters
    ----------
    buffer : uint8 array
        The UTF-8 bytes of all items, end to end.
    offsets : int64 array
        Where each item begins, and the end: one more than there are items.
    codes : int64 array, optional
        For each cell the item it shows.
    """

    __slots__ = ("_items", "_traits", "buffer", "codes", "offsets")

    def __init__(self, buffer: NDArray[np.uint8], offsets: Codes, codes: Codes | None = None) -> None:
        self.buffer = _read_only(buffer)
        self.offsets = _read_only(offsets)
        self.codes = None if codes is None else _read_only(codes)
        self._items: list[str] | None = None
        self._traits: tuple[Sequence[str], NDArray[np.uint8], NDArray[np.int64]] | None = None

    @classmethod
    def from_items(cls, items: Sequence[str], codes: Codes | None = None) -> "Text":
        """Store items as they stand; with codes they must be distinct.

        >>> Text.from_items(["a", "b"], np.array([1, 0, 1])).to_list()
        ['b', 'a', 'b']
        """
        return cls(*pack(items), codes)

    @classmethod
    def from_strings(cls, texts: Sequence[str]) -> "Text":
        """Store one text per cell, coded where texts repeat."""
        return cls(*pack(texts)).coded_if_repeated()

    def __len__(self) -> int:
        return len(self.offsets) - 1 if self.codes is None else len(self.codes)

    def __reduce__(self) -> tuple[Any, ...]:
        return Text, (self.buffer, self.offsets, self.codes)

    @property
    def nbytes(self) -> int:
        """Bytes held, without the cached items."""
        return self.buffer.nbytes + self.offsets.nbytes + (0 if self.codes is None else self.codes.nbytes)

    @property
    def item_count(self) -> int:
        """How many items are stored."""
        return len(self.offsets) - 1

    def packed(self) -> StringBuffer:
        """Return the stored items as the kernels take them."""
        return StringBuffer(self.buffer, self.offsets)

    def items(self) -> list[str]:
        """Return the stored items, decoded once and kept."""
        if self._items is None:
            self._items = self.packed().strings()
        return self._items

    def items_in_parts(self) -> Iterator[list[str]]:
        """Give the stored items, one part after the other.

        Of very many only one part is decoded at a time, and none is kept: they take several times the room of their
        bytes.
        """
        if self._items is not None or self.item_count <= ITEMS_AT_ONCE:
            yield self.items()
            return
        for start in range(0, self.item_count, ITEMS_AT_ONCE):
            yield StringBuffer(self.buffer, self.offsets[start : start + ITEMS_AT_ONCE + 1]).strings()

    def to_list(self) -> list[str]:
        """Return the text of every cell."""
        if self.codes is not None and self._items is None and len(self.codes) < self.item_count // 4:
            # A few cells of many texts: only theirs are decoded.
            return dispatch.kernels.take(self.packed(), self.codes).strings()
        items = self.items()
        return list(items) if self.codes is None else [items[code] for code in self.codes.tolist()]

    def take(self, positions: Codes) -> "Text":
        """Return the cells at the given positions, in that order."""
        if self.codes is not None:
            return Text(self.buffer, self.offsets, self.codes[positions])
        if len(positions) > len(self):
            # Cells that are repeated are not stored again.
            return self.with_codes().take(positions)
        return Text(*dispatch.kernels.take(self.packed(), positions))

    def plain(self) -> StringBuffer:
        """Return the text of every cell, end to end."""
        return self.packed() if self.codes is None else dispatch.kernels.take(self.packed(), self.codes)

    def coded(self) -> tuple[list[str], Codes]:
        """Return distinct texts and the code of every cell.

        Some of the texts may no longer be shown by any cell.
        """
        if self.codes is not None:
            return self.items(), self.codes
        first, codes = dispatch.kernels.encode(self.packed())
        return dispatch.kernels.take(self.packed(), first).strings(), codes

    def traits(self, known: Sequence[str]) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
        """Return what is to be noticed about the stored items, and their lengths; found once and kept."""
        if self._traits is None or self._traits[0] is not known:
            self._traits = (known, *dispatch.kernels.traits(self.packed(), known))
        return self._traits[1:]

    def keep_traits(self, known: Sequence[str], storage: Storage) -> None:
        """Find the traits a part after the other, and keep them where a storage keeps its arrays."""
        bits, lengths = storage.empty(self.item_count, np.uint8), storage.empty(self.item_count, np.int64)
        for block in blocks_of(self.item_count, storage.block_rows):
            part = StringBuffer(self.buffer, self.offsets[block.start : block.stop + 1])
            bits[block], lengths[block] = dispatch.kernels.traits(part, known)
        self._traits = (known, bits, lengths)

    def with_codes(self) -> "Text":
        """Return the same texts, each distinct one stored once."""
        if self.codes is not None:
            return self
        first, codes = dispatch.kernels.encode(self.packed())
        return Text(*dispatch.kernels.take(self.packed(), first), codes)

    def numbers(self) -> NDArray[Any]:
        """Return for every cell a number that is the same for equal texts."""
        return dispatch.kernels.encode(self.packed())[1] if self.codes is None else self.codes

    def keys(self, part: slice) -> NDArray[np.uint64]:
        """Return for some cells a number that is the same for equal texts: a code, or a fingerprint."""
        if self.codes is not None:
            return self.codes[part].astype(np.uint64)
        last = None if part.stop is None else part.stop + 1
        return dispatch.kernels.fingerprints(StringBuffer(self.buffer, self.offsets[part.start : last]))

    def same_texts(self, other: "Text") -> NDArray[np.bool_]:
        """Return where two sequences of one length hold the same text."""
        if self.codes is not None and other.codes is not None and self.buffer is other.buffer:
            return cast(NDArray[np.bool_], np.equal(self.codes, other.codes))
        if self.codes is None and other.codes is None:
            return dispatch.kernels.same(self.packed(), other.packed())
        same = np.empty(len(self), np.bool_)
        blocks = [slice(at, at + ITEMS_AT_ONCE) for at in range(0, len(self), ITEMS_AT_ONCE)]
        if self.codes is None or other.codes is None:
            for rows in blocks:
                same[rows] = dispatch.kernels.same(self._plain_rows(rows), other._plain_rows(rows))
            return same
        # The stored texts of both are numbered together, equal ones equally.
        numbers = dispatch.kernels.encode(joined([self.packed(), other.packed()]))[1]
        mine, theirs = numbers[: self.item_count], numbers[self.item_count :]
        for rows in blocks:
            np.equal(mine[self.codes[rows]], theirs[other.codes[rows]], out=same[rows])
        return same

    def _plain_rows(self, rows: slice) -> StringBuffer:
        """Return the texts of some cells, end to end."""
        if self.codes is not None:
            return dispatch.kernels.take(self.packed(), self.codes[rows])
        return StringBuffer(self.buffer, self.offsets[rows.start : rows.stop + 1])

    def map(self, change: Callable[[str], str]) -> "Text":
        """Apply a function to every text, once per stored item."""
        changed = [change(item) for item in self.items()]
        if self.codes is None:
            return Text.from_strings(changed)
        return Text(*pack(changed)).numbered_anew(self.codes)

    def map_some(self, items: NDArray[np.bool_], change: Callable[[str], str]) -> "tuple[Text, NDArray[np.bool_]]":
        """Apply a function to some of the stored items.

        Parameters
        ----------
        items : bool array
            Which of the stored items.
        change : callable

        Returns
        -------
        Text, bool array
            The texts, and for every cell whether the function left nothing or only spaces of it. Cost: what is not
            changed is copied, not looked at.
        """
        places = np.flatnonzero(items)
        stored = self.packed()
        changed = [change(text) for text in dispatch.kernels.take(stored, places).strings()]
        blank = np.zeros(self.item_count, np.bool_)
        blank[places] = [not text.strip() for text in changed]
        order = np.arange(self.item_count)
        order[places] = self.item_count + np.arange(len(places))
        made = dispatch.kernels.take(joined([stored, pack(changed)]), order)
        if self.codes is None:
            return Text(*made), blank
        # Some may have become equal to each other, or to others that there were.
        return Text(*made).numbered_anew(self.codes), blank[self.codes]

    def replaced(self, old: str, new: str) -> "tuple[Text, NDArray[np.bool_]] | None":
        """Replace a part of the texts wherever it is, in all bytes at once.

        Returns
        -------
        Text, bool array; or None
            The texts, and for every cell whether nothing or only spaces are left where something was replaced. None
            where the part may begin within itself, or is found across the border of two stored texts: then each text
            has to be looked at.
        """
        places = self._found(old)
        if places is None:
            return None
        stored, wanted, put = self.packed(), old.encode(errors="surrogatepass"), new.encode(errors="surrogatepass")
        begin = int(stored.offsets[0])
        data = stored.buffer[begin : int(stored.offsets[-1])].tobytes()
        found = np.bincount(places[1], minlength=self.item_count)
        offsets = stored.offsets - begin
        offsets[1:] += np.cumsum(found) * (len(put) - len(wanted))
        made = Text(np.frombuffer(bytearray(data.replace(wanted, put)), np.uint8), offsets)
        # Only what begins with a space may be nothing but spaces.
        first = np.append(made.buffer, np.uint8(0))[offsets[:-1]]
        blank = made.flags(lambda text: not text.strip(), (found > 0) & ((first <= ord(" ")) | (first > ASCII)))
        blank |= (found > 0) & (np.diff(offsets) == 0)
        if self.codes is None:
            return made, blank
        return made.numbered_anew(self.codes), blank[self.codes]

    def _found(self, part: str) -> tuple[Codes, Codes] | None:
        """Return where a part of the stored texts begins, among their bytes, and in which of them.

        None where the part may begin within itself, or is found across the border of two texts: then each has to be
        looked at.
        """
        stored, wanted = self.packed(), part.encode(errors="surrogatepass")
        if _begins_within(wanted):
            return None
        begin = int(stored.offsets[0])
        starts = _places_of(stored.buffer[begin : int(stored.offsets[-1])], wanted) + begin
        if len(starts) == self.item_count and _in_turn(starts, stored.offsets):
            items = np.arange(len(starts))
        else:
            items = np.searchsorted(stored.offsets, starts, "right") - 1
        return None if (starts + len(wanted) > stored.offsets[items + 1]).any() else (starts, items)

    def cut(self, mark: str, most: int, *, from_end: bool = False) -> "tuple[list[Text], Codes] | None":
        """Cut the stored texts at a mark, each into some parts at most.

        Parameters
        ----------
        mark : str
        most : int
            What is beyond stays in the last part, or in the first one if it is cut from the end.
        from_end : bool

        Returns
        -------
        list of Text, int64 array; or None
            The first part of each stored text, the second, and so on, empty where it has fewer; and in how many parts
            all marks would cut it. None where each text has to be looked at.
        """
        found = self._found(mark)
        if found is None:
            return None
        starts, items = found
        many = np.bincount(items, minlength=self.item_count)
        # The marks of each text are numbered, from its beginning or its end.
        number = np.arange(len(starts)) - np.repeat(np.cumsum(many) - many, many)
        used = number >= many[items] - (most - 1) if from_end else number < most - 1
        starts, items = starts[used], items[used]
        cuts = np.minimum(many, most - 1)
        number = np.arange(len(starts)) - np.repeat(np.cumsum(cuts) - cuts, cuts)
        # Parts and marks in turn cover all bytes: where one ends, the next begins.
        first = np.arange(self.item_count) + 2 * (np.cumsum(cuts) - cuts)
        offsets = np.empty(self.item_count + 2 * len(starts) + 1, np.int64)
        offsets[first], offsets[-1] = self.offsets[:-1], self.offsets[-1]
        at = first[items] + 2 * number
        offsets[at + 1], offsets[at + 2] = starts, starts + len(mark.encode(errors="surrogatepass"))
        nothing = len(offsets) - 1
        pieces = joined([StringBuffer(self.buffer, offsets), pack([""])])
        columns = [np.where(cuts >= place, first + 2 * place, nothing) for place in range(most)]
        return [Text(*dispatch.kernels.take(pieces, column)) for column in columns], many + 1

    def outer_spaces(self, known: Sequence[str]) -> NDArray[np.bool_]:
        """Return for every stored item whether it has outer spaces.

        Where no item begins or ends with an ASCII space, or with a byte beyond ASCII, none has; else `traits` tells.
        """
        if self._traits is None:
            stored = self.packed()
            begin, end = stored.offsets[:-1], stored.offsets[1:]
            if not (begin < end).all():
                begin, end = begin[begin < end], end[begin < end]
            edges = (stored.buffer[begin], stored.buffer[end - 1])
            if not any(((edge <= ord(" ")) | (edge > ASCII)).any() for edge in edges):
                return np.zeros(self.item_count, np.bool_)
        found: NDArray[np.bool_] = (self.traits(known)[0] & OUTER_SPACES) != 0
        return found

    def characters(self, start: int, stop: int | None) -> "Text | None":
        """Return of each text what is from one character, from 0, up to another; None where bytes are no characters.

        >>> Text.from_items(["box 7", "ox"]).characters(1, 3).to_list()
        ['ox', 'x']
        """
        stored = self.packed()
        if not self.item_count or int(stored.buffer.max(initial=0)) > ASCII:
            return None
        begin, end = stored.offsets[:-1], stored.offsets[1:]
        # What is taken of each text and what is not, in turn, cover all bytes.
        edges = np.empty((self.item_count, 2), np.int64)
        edges[:, 0] = np.minimum(begin + start, end)
        edges[:, 1] = end if stop is None else np.minimum(begin + max(start, stop), end)
        pieces = StringBuffer(stored.buffer, np.append(edges.ravel(), end[-1:]))
        made = Text(*dispatch.kernels.take(pieces, np.arange(0, 2 * self.item_count, 2)))
        return made.coded_if_repeated() if self.codes is None else made.numbered_anew(self.codes)

    def beginning_with(self, part: str) -> NDArray[np.bool_]:
        """Return for every stored item whether it begins with a text.

        >>> Text.from_items(["box 7", "roof", "b"]).beginning_with("bo").tolist()
        [True, False, False]
        """
        wanted, stored = part.encode(errors="surrogatepass"), self.packed()
        hits: NDArray[np.bool_] = np.diff(stored.offsets) >= len(wanted)
        for at, byte in enumerate(wanted):
            places = np.flatnonzero(hits)
            hits[places] = stored.buffer[stored.offsets[places] + at] == byte
        return hits

    def numbered_anew(self, codes: Codes) -> "Text":
        """Return texts with codes of stored ones, some of which may have become equal to others."""
        first, numbers = dispatch.kernels.encode(self.packed())
        return Text(*dispatch.kernels.take(self.packed(), first), numbers[codes])

    def coded_if_repeated(self) -> "Text":
        """Return the same texts, with codes where most are there more than once."""
        if self.codes is None and _hardly_repeats(self.packed()):
            return self
        coded = self.with_codes()
        return coded if coded.item_count <= MOST_DISTINCT_SHARE * len(coded) else self

    def pieces(self, missing: NDArray[np.bool_] | None = None) -> "Pieces":
        """Return the stored texts and which of them each cell holds, for `put_together`; missing cells hold nothing."""
        places = self.places()
        if missing is None or not missing.any():
            return self.packed(), places
        return joined([self.packed(), pack([""])]), np.where(missing, self.item_count, places)

    def places(self) -> Codes:
        """Return for every cell the number of the stored text that it holds."""
        return np.arange(len(self)) if self.codes is None else self.codes

    def containing(self, part: str) -> NDArray[np.bool_]:
        """Return for every stored item whether a text is a part of it; one search through all bytes.

        >>> Text.from_items(["box 7", "roof", "b", "ox"]).containing("box").tolist()
        [True, False, False, False]
        """
        stored, wanted = self.packed(), part.encode(errors="surrogatepass")
        starts = _places_of(stored.buffer, wanted)
        items = np.searchsorted(stored.offsets, starts, "right") - 1
        inside = starts + len(wanted) <= stored.offsets[np.minimum(items + 1, self.item_count)]
        hits = np.zeros(self.item_count, np.bool_)
        hits[items[inside]] = True
        return hits

    def holds(self, wanted: str) -> bool:
        """Return whether a text is one of those that are stored; only those of its length are looked at.

        >>> Text.from_items(["box", "fox"]).holds("fox")
        True
        """
        return bool(len(self.places_of(wanted)))

    def places_of(self, wanted: str) -> Codes:
        """Return which of the stored texts are a text; only those of its length are looked at."""
        data = wanted.encode(errors="surrogatepass")
        places = np.flatnonzero(np.diff(self.offsets) == len(data))
        for at, byte in enumerate(data):
            # Each byte leaves few for the next one.
            places = places[self.buffer[self.offsets[places] + at] == byte]
        return places

    def flags(self, test: Callable[[str], bool], among: NDArray[np.bool_] | None = None) -> NDArray[np.bool_]:
        """Return for every cell whether its text passes a test, asked once per stored item.

        Parameters
        ----------
        test : callable
        among : bool array, optional
            Which of the stored items are asked for; the others do not pass.
        """
        passed = np.zeros(self.item_count, np.bool_)
        if among is not None:
            places = np.flatnonzero(among)
            passed[places] = [test(item) for item in dispatch.kernels.take(self.packed(), places).strings()]
        else:
            start = 0
            for part in self.items_in_parts():
                passed[start : start + len(part)] = [test(item) for item in part]
                start += len(part)
        return passed if self.codes is None else cast(NDArray[np.bool_], passed[self.codes])


# Texts, and which of them are meant.
Pieces = tuple[StringBuffer, NDArray[Any]]


def put_together(pieces: Sequence[Pieces]) -> Text:
    """Return texts that have one piece of each kind, one behind the other.

    Parameters
    ----------
    pieces : sequence of (StringBuffer, int array)
        Texts, and for each result which of them it has.

    >>> left, right = (pack(["a", "b"]), np.array([1, 0])), (pack(["-", "+"]), np.array([1, 1]))
    >>> put_together([left, right]).to_list()
    ['b+', 'a+']
    """
    sizes = [texts.size for texts, _ in pieces]
    order = np.empty((len(pieces[0][1]), len(pieces)), np.int64)
    for at, (_, places) in enumerate(pieces):
        np.add(places, sum(sizes[:at]), out=order[:, at])
    taken = dispatch.kernels.take(joined([texts for texts, _ in pieces]), order.ravel())
    # Where each piece ends is known; the ends of the last ones are those of the results.
    return Text(taken.buffer, taken.offsets[:: len(pieces)].copy())


def _in_turn(starts: Codes, offsets: NDArray[np.int64]) -> bool:
    """Return whether each start lies in its own text, one after the other."""
    return bool((starts >= offsets[:-1]).all() and (starts < offsets[1:]).all())


def _begins_within(wanted: bytes) -> bool:
    """Return whether bytes may begin again before they end."""
    return any(wanted.startswith(wanted[at:]) for at in range(1, len(wanted))) or not wanted


def _places_of(data: NDArray[np.uint8], wanted: bytes) -> NDArray[np.int64]:
    """Return where bytes begin in others, also where one place begins within the one before."""
    last, found = len(data) - len(wanted) + 1, []
    for start in range(0, last, BYTES_AT_ONCE):
        places = (
            np.arange(start, min(start + BYTES_AT_ONCE, last))
            if not wanted
            else start + np.flatnonzero(data[start : min(start + BYTES_AT_ONCE, last)] == wanted[0])
        )
        for at, byte in enumerate(wanted[1:], 1):
            # Each byte leaves few for the next one.
            places = places[data[places + at] == byte]
        found.append(places)
    return np.concatenate(found) if found else np.zeros(0, np.int64)


def _hardly_repeats(texts: StringBuffer) -> bool:
    """Return whether a sample of many texts shows that more than `MOST_DISTINCT_SHARE` of them are different.

    With just that share, each text as often as the others, two of a sample are equal in a known number of cases, and in
    more cases where some are more frequent (the birthday problem). Half of that number is hardly met by chance.
    """
    count = texts.size
    if count < LEAST_SAMPLED:
        return False
    places = np.unique(np.random.default_rng(SEED).integers(0, count, SAMPLE))
    first, _ = dispatch.kernels.encode(dispatch.kernels.take(texts, places))
    expected = len(places) ** 2 / (2 * MOST_DISTINCT_SHARE * count)
    return len(places) - len(first) < expected / 2


def joined_texts(parts: Sequence[Text]) -> Text:
    """Put sequences of texts end to end, coded where texts repeat.

    Cost: one pass over the stored items; two where they repeat.
    """
    if len(parts) == 1:
        return parts[0]
    cells, stored = sum(map(len, parts)), sum(part.item_count for part in parts)
    if stored > MOST_DISTINCT_SHARE * cells:
        return Text(*joined([part.plain() for part in parts]))
    starts = np.cumsum([0, *map(len, parts)]).tolist()
    codes = [np.arange(len(part), dtype=np.int32) if part.codes is None else part.codes for part in parts]
    return recoded(parts, np.concatenate(codes), starts)[0]


def recoded(parts: Sequence[Text], codes: NDArray[Any], starts: Sequence[int]) -> tuple[Text, Codes]:
    """Bring codes that each part counts for itself to one list of distinct texts, in place.

    Parameters
    ----------
    parts : sequence of Text
        The texts that the codes of each part name.
    codes : integer array
        Changed in place.
    starts : sequence of int
        Where the codes of each part begin, and the end.

    Returns
    -------
    text, first
        The texts, and for each distinct one its position among those of all parts.
    """
    items = joined([part.packed() for part in parts])
    first, numbers = dispatch.kernels.encode(items)
    begin = 0
    for part, start, stop in zip(parts, starts, starts[1:], strict=False):
        dispatch.kernels.renumber(codes[start:stop], numbers[begin : begin + part.item_count])
        begin += part.item_count
    return Text(*dispatch.kernels.take(items, first), codes), first
