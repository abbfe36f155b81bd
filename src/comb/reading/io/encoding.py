"""From bytes to text, by a ladder. Pure: bytes in, text and evidence out.

The rungs: the encoding given; a byte order mark; UTF-16 or UTF-32 shown by their zero
bytes; strict UTF-8; UTF-8 with a few bad bytes, which are kept aside; last, a list of
single-byte and East Asian encodings, the likeliest taken and the others shown with
sample words (`comb.reading.io.likely_encoding`).

Before bytes are called bad, it is asked whether the text is in two encodings, as files are that were put below each
other: some lines are UTF-8, and those that are not read as words in another encoding. Then each is read in its own.
"""

import codecs
import re

import msgspec
from msgspec.structs import replace

from comb.errors import ContentError, agree, counted, listing
from comb.formats.encodings import BOTH, codec_name, second_codec
from comb.formats.lazy_pattern import lazy_pattern
from comb.reading.io.compression import STREAMS

# More control characters than this, and it is not text although it may decode.
MOST_CONTROLS = 0.05

# So few are a slip in a small file.
FEW_CONTROLS = 8

# Zero bytes at one half of the places, this many and at least this share of them: UTF-16.
# Fewer may be slips in text of another encoding.
LEAST_ZEROS = 0.3
FEWEST_ZEROS = 4

# The zero bytes of UTF-16 are looked for in this many bytes.
LOOKED_AT = 8_000

# This many good sequences of several bytes for each bad one make it UTF-8 with bad bytes:
# text in another encoding forms such sequences by chance only, and rarely.
GOOD_FOR_EACH_BAD = 3

# In lines that are not UTF-8, some bytes are characters of it by chance: no more than this share, or one.
MOST_BY_CHANCE = 0.1

# What is left of the last character where a text was cut to a number of bytes: of letters of Latin alphabets, of signs.
_CUT = lazy_pattern(rb"(?:[\xc2-\xc5]|\xe2\x80?)(?![A-Za-z\x80-\xff])")

# Control characters that occur in text files: tab, line ends, form feed, end-of-file.
_TEXT_CONTROLS = frozenset("\t\n\r\x0b\x0c\x1a")

_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig", "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32", "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32", "utf-32-be"),
    (codecs.BOM_UTF16_LE, "utf-16", "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16", "utf-16-be"),
)

# What files begin with that are no delimited text; compressed ones are decompressed before.
_SIGNATURES = (
    (b"PK\x03\x04", "a zip archive or a workbook"),
    (b"\xd0\xcf\x11\xe0", "an old workbook or another compound document"),
    (b"%PDF", "a PDF document"),
    (b"\x89PNG", "a picture"),
    (b"\xff\xd8\xff", "a picture"),
    (b"PAR1", "a Parquet file"),
    (b"ARROW1", "an Arrow file"),
    (b"SQLite format 3\x00", "a database file"),
)
_OTHER_TEXT = (("<?xml", "XML"), ("<!doctype html", "HTML"), ("<html", "HTML"), ("<table", "HTML"), ("{\\rtf", "RTF"))
_SQL = lazy_pattern(
    # What was passed over is not looked at again: comments can be parted in more ways than can be tried.
    r"(?>\s+|--[^\n]*\n|/\*.*?\*/;?|(?:set|pragma|begin|start|use|lock|drop)\b[^;\n]*;)*+"
    r"(?:create\s+(?:temporary\s+)?table|insert\s+(?:or\s+\w+\s+)?into|replace\s+into)\s+[^\n(;]+\(",
    re.DOTALL,
)
_BEGIN_SQL = (
    "--",
    "/*",
    "set ",
    "pragma ",
    "begin",
    "start ",
    "use ",
    "lock ",
    "drop ",
    "create ",
    "insert ",
    "replace ",
)
_SAVE_IT = "save the table in it as CSV, JSON or a workbook"
_WHAT_TO_DO = {
    "SQL": "run it on a database; one of SQLite is read: comb show t.sqlite",
    "XML": _SAVE_IT,
    "RTF": _SAVE_IT,
}

# How it is said that there are two.
TWO_ENCODINGS = "two encodings"

# This many lines show which encoding they are in.
MOST_SAMPLED = 500

# This many lines with bad bytes are named.
MOST_LINES_LISTED = 5
_BAD = lazy_pattern("[\udc80-\udcff]+")
_BEYOND_ASCII = lazy_pattern("[^\x00-\x7f]")
_BEYOND = lazy_pattern(rb"[\x80-\xff]+")
_LINE_END = lazy_pattern("\r\n|\n|\r")


class Decoded(msgspec.Struct, frozen=True):
    """Text and how it was decoded.

    Attributes
    ----------
    text : str
    encoding : str
        The name to give to read it so again.
    why : str
        What speaks for that encoding.
    runner_up : str
        What else it could be, with sample words.
    bad : tuple of (int, bytes)
        Bytes that could not be decoded, with their lines; U+FFFD is in their place.
    """

    text: str
    encoding: str
    why: str
    runner_up: str = ""
    bad: tuple[tuple[int, bytes], ...] = ()

    def unless_plain(self) -> "Decoded | None":
        """Return how a text was decoded, without the text; None if all of it was UTF-8."""
        plain = self.encoding.lower().replace("_", "-") in ("utf-8", "utf8", "utf-8-sig") and not self.bad
        return None if plain else replace(self, text="")

    def bad_note(self) -> list[str]:
        """Say what is not in the encoding of the others: lines in a second one, bytes in none; empty if nothing is."""
        if not self.bad:
            return [self.why] if self.why.startswith(TWO_ENCODINGS) else []
        lines = list(dict.fromkeys(f"{line:,}" for line, _ in self.bad))
        count = counted(sum(len(data) for _, data in self.bad), "byte")
        where = f"line{'s' if len(lines) > 1 else ''} {listing(lines, MOST_LINES_LISTED)}"
        return [f"{count} not in {self.encoding}, shown as � (originals kept): {where}"]


def decode(data: bytes, name: str, encoding: str | None = None, *, delimited: bool = True) -> Decoded:
    """Decode the bytes of a source.

    Parameters
    ----------
    data : bytes
    name : str
        What to call the source in messages.
    encoding : str, optional
        The encoding, where it is known.
    delimited : bool
        Whether it has to be delimited text, and no text of another kind.

    Raises
    ------
    ContentError
        If the bytes are not text, or not in the encoding given.
    """
    if encoding is not None:
        return _as_given(data, name, encoding)
    marked = marked_codec(data) if data.startswith(tuple(mark for mark, _, _ in _MARKS)) else None
    if marked is not None:
        return Decoded(strict(data[len(marked.mark) :], name, marked.codec), marked.encoding, marked.why)
    _refuse_signatures(data, name)
    marked = marked_codec(data)
    if marked is not None:
        return Decoded(strict(data, name, marked.codec), marked.encoding, marked.why)
    decoded = _as_utf8(data) or _in_two_encodings(data) or _with_bad_bytes(data) or _by_likelihood(data)
    _refuse_binary(decoded.text, name)
    if delimited:
        _refuse_other_text(decoded.text, name)
    return decoded


def refuse_other_kinds(start: bytes, name: str, codec: str) -> None:
    """Raise a ContentError for a source, in a known encoding, that begins as no table by delimiters does."""
    _refuse_signatures(start, name)
    _refuse_other_text(start.decode(codec, errors="replace"), name)


def _refuse_signatures(data: bytes, name: str) -> None:
    for signature, what in _SIGNATURES:
        if data.startswith(signature):
            raise ContentError(
                f"expected delimited text, this is {what}",
                where=name,
                remedy="save the table in it as CSV or as a workbook",
            )


class Marked(msgspec.Struct, frozen=True):
    """An encoding that the beginning of a text shows.

    Attributes
    ----------
    encoding : str
        The name to give to read it so again.
    codec : str
    mark : bytes
        To be left out.
    why : str
    """

    encoding: str
    codec: str
    mark: bytes
    why: str


def marked_codec(start: bytes) -> Marked | None:
    """Return the encoding of a text that begins with a byte order mark, or in which every other byte is zero."""
    for mark, shown, codec in _MARKS:
        if start.startswith(mark):
            why = f"the file begins with the byte order mark of {shown.removesuffix('-sig').upper()}"
            return Marked(shown, codec, mark, why)
    wide = _wide_codec(start)
    return Marked(wide, wide, b"", "every other byte is zero, as in UTF-16") if wide else None


def utf8_mark(start: bytes, encoding: str | None = None) -> bytes | None:
    """Judge by its beginning whether a source can be read as UTF-8 piece by piece.

    Parameters
    ----------
    start : bytes
    encoding : str, optional
        The encoding, where it is known.

    Returns
    -------
    bytes or None
        The byte order mark to leave out, often empty; None where all of it has to be seen.
    """
    if encoding is not None:
        known = encoding.lower().replace("_", "-") in ("utf-8", "utf8")
        return b"" if known and start.strip() else None
    if start.startswith(codecs.BOM_UTF8):
        return codecs.BOM_UTF8 if start[len(codecs.BOM_UTF8) :].strip() else None
    if any(start.startswith(mark) for mark, _, _ in _MARKS) or _is_packed(start) or not start.strip():
        return None
    text = start.decode(errors="replace")
    return None if _wide_codec(start) or _other_text(text) else b""


def _is_packed(start: bytes) -> bool:
    """Return whether a source begins as archives, workbooks and the like do."""
    signatures = [signature for signature, _ in _SIGNATURES] + list(STREAMS)
    return start.startswith(tuple(signatures))


def _as_given(data: bytes, name: str, encoding: str) -> Decoded:
    second = second_codec(encoding)
    if second:
        return Decoded(strict_in_two(data, name, second), encoding, "as declared")
    text = codec_name(encoding)
    if not text:
        remedy = "common ones: utf-8, windows-1252, utf-16"
        raise ContentError(f"no text encoding is called {encoding!r}", where=name, remedy=remedy)
    return Decoded(strict(data, name, text), encoding, "as declared")


def strict_in_two(data: bytes, name: str, codec: str, line: int = 1) -> str:
    """Decode UTF-8 and another codec; raises a ContentError that names the first bytes that are neither."""
    try:
        return two_encodings(data, codec)
    except UnicodeDecodeError as error:
        shown = " ".join(f"{byte:02X}" for byte in error.object[error.start : error.end][:4])
        at = next((row for row, one in enumerate(data.split(b"\n")) if _is_neither(one, codec)), 0)
        raise ContentError(
            f"the bytes {shown} are neither UTF-8 nor {codec}",
            where=f"{name}, line {line + at}",
            remedy="try another encoding, for instance utf-8+windows-1252",
        ) from None


def _is_neither(line: bytes, codec: str) -> bool:
    try:
        two_encodings(line, codec)
    except UnicodeDecodeError:
        return True
    return False


def strict(data: bytes, name: str, encoding: str) -> str:
    """Decode bytes; raises a ContentError that names the first ones that are nothing in an encoding, and their line."""
    try:
        return data.decode(encoding)
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        shown = " ".join(f"{byte:02X}" for byte in data[error.start : error.end][:4])
        raise ContentError(
            f"the bytes {shown} are not {encoding}",
            where=f"{name}, line {line}",
            remedy="try another encoding, for instance windows-1252",
        ) from None


def _wide_codec(data: bytes) -> str:
    """Return the codec of UTF-16 without a mark, if zero bytes show it."""
    sample = data[:LOOKED_AT]
    even, odd = sample[::2], sample[1::2]
    if not odd:
        return ""
    low, high = even.count(0) / len(even), odd.count(0) / len(odd)
    if sample.count(0) < FEWEST_ZEROS or max(low, high) < LEAST_ZEROS or min(low, high) > MOST_CONTROLS:
        return ""
    return "utf-16-le" if high > low else "utf-16-be"


def _as_utf8(data: bytes) -> Decoded | None:
    """Decode as UTF-8; None if it is something else."""
    try:
        text = data.decode("utf-8")
    except UnicodeDecodeError:
        return None
    return Decoded(text, "utf-8", "only plain ASCII characters" if text.isascii() else "every byte is valid UTF-8")


class LineCounts(msgspec.Struct):
    """What the lines of a text say of two encodings.

    Attributes
    ----------
    good : int
        Characters of UTF-8 beyond ASCII, in lines that are UTF-8.
    others, bad, chance : int
        Lines that are not UTF-8; the bytes in them that are not, and the characters that are.
    sample : list of bytes
        Lines that are not UTF-8.
    first : list of int
        The numbers of the first of them.
    """

    good: int = 0
    others: int = 0
    bad: int = 0
    chance: int = 0
    sample: list[bytes] = msgspec.field(default_factory=list)
    first: list[int] = msgspec.field(default_factory=list)

    def decided(self) -> Decoded | None:
        """Return how a text of two encodings is decoded, without the text; None if it is in one."""
        if not self.others or not self.good or self.chance > max(1, MOST_BY_CHANCE * self.bad):
            return None
        data = b"\n".join(self.sample)
        if 2 * len(_CUT.findall(data)) > len(_BEYOND.findall(data)):
            return None
        from comb.reading.io.likely_encoding import likely_words

        likely = likely_words(data)
        if likely is None:
            return None
        named = [f"{line:,}" for line in self.first[:MOST_LINES_LISTED]]
        more = f" and {self.others - len(named):,} more" if self.others > len(named) else ""
        lines = f"{agree(self.others, 'line', 'lines')} {', '.join(named)}{more}"
        why = f"{TWO_ENCODINGS}: UTF-8, and in {lines} {likely.encoding}; reads {likely.why}"
        return Decoded("", f"utf-8{BOTH}{likely.encoding}", why, likely.runner_up)


def _in_two_encodings(data: bytes) -> Decoded | None:
    """Decode a text of which some lines are UTF-8 and the others are not; None for any other."""
    counts = LineCounts()
    for number, line in enumerate(data.split(b"\n"), 1):
        if line.isascii():
            continue
        text = line.decode("utf-8", errors="surrogateescape")
        bad = sum(map(len, _BAD.findall(text)))
        good = len(_BEYOND_ASCII.findall(text)) - bad
        if not bad:
            counts.good += good
            continue
        counts.others += 1
        counts.bad += bad
        counts.chance += good
        if len(counts.sample) < MOST_SAMPLED:
            counts.sample.append(line)
            counts.first.append(number)
    decided = counts.decided()
    return None if decided is None else replace(decided, text=two_encodings(data, second_codec(decided.encoding)))


def two_encodings(data: bytes, codec: str) -> str:
    """Decode lines of UTF-8, and those that are not UTF-8 by another codec.

    Raises
    ------
    UnicodeDecodeError
        If it is nothing in that one, either.

    >>> two_encodings("né\\n".encode() + b"n\\xe9", "cp1252")
    'né\\nné'
    """
    try:
        return data.decode()
    except UnicodeDecodeError:
        return "\n".join(_line_in(line, codec) for line in data.split(b"\n"))


def _line_in(line: bytes, codec: str) -> str:
    try:
        return line.decode()
    except UnicodeDecodeError:
        return line.decode(codec)


def _with_bad_bytes(data: bytes) -> Decoded | None:
    # Bytes that do not decode become lone surrogates, one each, and are taken out again.
    text = data.decode("utf-8", errors="surrogateescape")
    places = list(_BAD.finditer(text))
    good = len(_BEYOND_ASCII.findall(text)) - sum(match.end() - match.start() for match in places)
    if good < GOOD_FOR_EACH_BAD * len(places):
        return None
    ends = [match.start() for match in _LINE_END.finditer(text)]
    bad, line = [], 0
    for match in places:
        while line < len(ends) and ends[line] < match.start():
            line += 1
        bad.append((line + 1, match.group().encode("utf-8", errors="surrogateescape")))
    why = f"valid UTF-8 but for {len(bad):,} place{'s' if len(bad) > 1 else ''}"
    return Decoded(_BAD.sub("\N{REPLACEMENT CHARACTER}", text), "utf-8", why, bad=tuple(bad))


def _by_likelihood(data: bytes) -> Decoded:
    """Decode with the encoding that makes the most likely words."""
    # Loaded when it is needed: it knows the letters of many languages.
    from comb.reading.io.likely_encoding import likeliest

    return Decoded(*likeliest(data))


def _refuse_other_text(text: str, name: str) -> None:
    """Raise a ContentError for text that is not a table by fields and delimiters."""
    what = _other_text(text)
    if what:
        remedy = "; ".join(
            filter(None, [_WHAT_TO_DO.get(what), "if it is delimited text all the same, give its encoding"])
        )
        raise ContentError(f"expected delimited text, this is {what}", where=name, remedy=remedy)


def _other_text(text: str) -> str:
    """Return what a text is, if it is not a table by fields and delimiters."""
    start = text[:1000].lstrip().lower()
    line = text.lstrip().partition("\n")[0].strip()
    if line.startswith(("{", "[")) and (line in ("{", "[") or _is_json(line)):
        return "JSON"
    if start.startswith(_BEGIN_SQL) and _SQL.match(text[:LOOKED_AT].lower()):
        return "SQL"
    return next((message for mark, message in _OTHER_TEXT if start.startswith(mark)), "")


def _is_json(line: str) -> bool:
    import json

    try:
        return isinstance(json.loads(line), dict | list)
    except ValueError:
        return False


def is_binary(controls: int, characters: int) -> bool:
    """Return whether too many characters are control characters that text does not have."""
    return controls > max(FEW_CONTROLS, MOST_CONTROLS * characters)


def _refuse_binary(text: str, name: str) -> None:
    """Raise a ContentError where too many characters do not occur in text."""
    controls = {character for character in set(text) if character < " " and character not in _TEXT_CONTROLS}
    count = sum(map(text.count, controls))
    if is_binary(count, len(text)):
        at = min(text.find(character) for character in controls)
        line = len(_LINE_END.findall(text, 0, at)) + 1
        raise ContentError(
            f"expected delimited text, {count / len(text):.0%} of it are control characters, "
            f"the first is {ord(text[at]):02X}",
            where=f"{name}, line {line}",
            remedy="if it is text all the same, give its encoding",
        )
