"""The errors Comb raises, and the wording helpers they share.

    CombError
    ├── ReadError            a source that cannot be read as a table
    │   ├── SourceMissing    (also FileNotFoundError) there is no such file
    │   ├── SourceUnreadable (also OSError) the system would not give the bytes
    │   ├── ContentError     (also ValueError) the bytes are not a table
    │   └── NotEnoughMemory  (also MemoryError) it is larger than what the machine has left
    ├── WriteError           (also OSError) a result that cannot be put where it was asked for
    ├── NotEnoughSpace       (also OSError) a disk that is too full for temporary files
    ├── WorkersFailed        (also RuntimeError) workers that died, or cannot be reached
    ├── ColumnError          (also KeyError) no such column, or a name twice
    ├── TypeMismatch         (also TypeError) a value or column of the wrong type
    ├── ParameterError       (also ValueError) a parameter outside what is allowed
    │   └── PositionError    (also IndexError) a position beyond the end of a column
    ├── ExpressionError      (also ValueError) a condition or formula that cannot be read
    └── PlanError            (also ValueError) a plan file that cannot be read or run

Every message says what was expected, what it got, where, and what to do.
"""

from collections.abc import Iterable, Sequence
from typing import Any

# More names than this in one message become a wall nobody reads.
MOST_NAMES_SHOWN = 12

# Of a longer line of a message the first and the last characters are shown.
LONGEST_LINE = 1_000
LINE_BEGIN, LINE_END = 500, 200


class CombError(Exception):
    """Root of all errors that Comb raises on purpose.

    Parameters
    ----------
    what : str
        What was expected and what it got.
    where : str, optional
        The place: a file, line and column, a row, a step.
    remedy : str, optional
        What to do about it.
    """

    exit_code = 2

    def __init__(self, what: str, *, where: str | None = None, remedy: str | None = None) -> None:
        what = _in_short(what)
        super().__init__(what)
        self.what = what
        self.where = None if where is None else _in_short(where)
        self.remedy = remedy

    def __reduce__(self) -> tuple[Any, ...]:
        """Say how it is made again in another process, whatever else the kind of error is."""
        return _made_again, (type(self), self.what, self.where, self.remedy), self.__dict__

    def __str__(self) -> str:
        """Compose the place, the message and the remedy."""
        text = f"{self.where}: {self.what}" if self.where else self.what
        return washed_lines(f"{text}\n  {self.remedy}" if self.remedy else text)


def _in_short(text: str) -> str:
    """Return a text without the middle of lines that nobody reads: somebody gave a whole column where a name goes.

    >>> _in_short("expected a name, got " + "y" * 10_000)[490:550]
    'yyyyyyyyyy ... (9,321 characters left out) ... yyyyyyyyyyyyy'
    """
    if len(text) <= LONGEST_LINE:
        return text
    return "\n".join(line if len(line) <= LONGEST_LINE else _without_middle(line) for line in text.split("\n"))


def _without_middle(line: str) -> str:
    left_out = len(line) - LINE_BEGIN - LINE_END
    return f"{line[:LINE_BEGIN]} ... ({left_out:,} characters left out) ... {line[-LINE_END:]}"


def _made_again(kind: type[CombError], what: str, where: str | None, remedy: str | None) -> CombError:
    return kind(what, where=where, remedy=remedy)


class ReadError(CombError):
    """A source that cannot be read as a table."""


class SourceMissing(ReadError, FileNotFoundError):
    """There is no file where one was named."""


class SourceUnreadable(ReadError, OSError):
    """The file is there, but its bytes could not be read."""


class ContentError(ReadError, ValueError):
    """The bytes were read, but they are not a table."""


class NotEnoughMemory(ReadError, MemoryError):
    """A source that is larger than what the machine has left."""


class WriteError(CombError, OSError):
    """A result that cannot be put where it was asked for."""


class NotEnoughSpace(CombError, OSError):
    """A disk that is too full for temporary files."""


class WorkersFailed(CombError, RuntimeError):
    """Workers, on this machine or others, that died of their work or cannot be reached."""


class ColumnError(CombError, KeyError):
    """A column that is not there, or a name that there would be two."""


class TypeMismatch(CombError, TypeError):
    """A value or a column of another type than the operation takes."""


class ParameterError(CombError, ValueError):
    """A parameter outside what is allowed.

    Attributes
    ----------
    field : str
        The parameter to blame, where it is known.
    """

    field: str = ""


class PositionError(ParameterError, IndexError):
    """A position beyond the end of a column."""


class ExpressionError(CombError, ValueError):
    """A condition or formula that cannot be read or does not fit the table."""


class PlanError(CombError, ValueError):
    """A plan that cannot be read or run.

    Attributes
    ----------
    differences : tuple of str
        Where it failed on another source than it was made on: what is different about that.
    """

    differences: tuple[str, ...] = ()


def washed(text: str) -> str:
    """Show line ends, tabs and other control characters as pictures.

    >>> washed("a\\nb\\x1b[31m")
    'a↵b␛[31m'
    """
    if text.isprintable():
        return text
    return "".join(map(_picture, text))


def washed_lines(text: str) -> str:
    """Do the same to every line of a text, whose own line ends stay."""
    return text if text.isprintable() else "\n".join(map(washed, text.split("\n")))


def _picture(character: str) -> str:
    if character.isprintable():
        return character
    if character in "\r\n":
        return "↵"
    if character == "\N{NO-BREAK SPACE}":
        return " "
    code = ord(character)
    return chr(0x2400 + code) if code < 0x20 else "\N{REPLACEMENT CHARACTER}"


def nearest(name: str, known: Iterable[str]) -> str | None:
    """Return the known name most like the given one, if any is like it at all.

    >>> nearest("mitecount", ["mite_count", "colony"])
    'mite_count'
    >>> nearest("Mites", ["mites"])
    'mites'
    """
    folded = {candidate.casefold(): candidate for candidate in known}
    # Only a name that is not there needs it, and most commands name none such.
    import difflib

    hits = difflib.get_close_matches(name.casefold(), folded, n=1, cutoff=0.6)
    return folded[hits[0]] if hits else None


def listing(names: Sequence[str], most: int = MOST_NAMES_SHOWN) -> str:
    """Join names for a message, cutting a long list.

    >>> listing(["a", "b", "c"], most=2)
    'a, b and 1 more'
    """
    if len(names) <= most:
        return ", ".join(names)
    return f"{', '.join(names[:most])} and {len(names) - most:,} more"


def counted(count: int, noun: str) -> str:
    """Write a count with its noun.

    >>> counted(1, "row"), counted(1200, "cell")
    ('1 row', '1,200 cells')
    """
    return f"{count:,} {noun}{'' if count == 1 else 's'}"


def agree(count: int, one: str, several: str) -> str:
    """Return the form of a verb that goes with a count.

    >>> agree(1, "is", "are"), agree(0, "is", "are")
    ('is', 'are')
    """
    return one if count == 1 else several


def _looks_like(one: str, other: str) -> bool:
    """Return whether two different names look the same: in what cannot be seen, or in how their letters are made."""
    from unicodedata import normalize

    seen = [" ".join("".join(c for c in normalize("NFKC", name) if c.isprintable()).split()) for name in (one, other)]
    odd = sum(a != b for a, b in zip(*seen, strict=False))
    doubles = all(a == b or not (a + b).isascii() for a, b in zip(*seen, strict=False))
    return len(seen[0]) == len(seen[1]) and doubles and odd <= len(one) // 2


def unknown_name(kind: str, name: str, known: Sequence[str]) -> tuple[str, str]:
    """Word the message and the remedy for a name that is not known.

    Parameters
    ----------
    kind : str
        What the name stands for, as a noun: ``"column"``.
    name : str
        The name that was given.
    known : sequence of str
        The names that are there.

    Returns
    -------
    tuple of str
        The message and the remedy.

    >>> unknown_name("column", "Mites", ["mites"])
    ("there is no column 'Mites'", "did you mean 'mites'? Capital and small letters differ.")
    >>> unknown_name("column", "bees", ["mites", "kg"])[1]
    'columns: mites, kg'
    """
    what = f"there is no {kind} {name!r}"
    near = nearest(name, known)
    there = f"{kind}s: {listing(known)}" if known else f"there is no {kind} at all"
    if near is None:
        return what, there
    if _looks_like(near, name):
        return what, f"did you mean {near!a}, which looks the same and is not? {there}"
    if near.casefold() == name.casefold():
        return what, f"did you mean {near!r}? Capital and small letters differ."
    return what, f"did you mean {near!r}? {there}"
