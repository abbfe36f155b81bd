"""What speaks for and against the type of a column."""

from collections.abc import Mapping
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import washed
from comb.tables.types import STRING, Type

# How the doubt of a type begins that is only proposed.
PROPOSED = "proposed only: "

# What is said of numbers with a mark that could mean two things; their columns stay text, unless other columns of the
# source show which it is.
AMBIGUOUS_COMMA = "every comma could be a thousands separator or a decimal comma"
AMBIGUOUS_POINT = "every point could be a thousands separator or a decimal point"

# With this share of the values another type leaves a doubt about all of them; with less it is one about a few.
LEAST_DOUBTED = 0.5

# What is said of moments that could be something else.
AMBIGUOUS_CLOCK = "could be hours and minutes, minutes and seconds, or no time at all"
AMBIGUOUS_MONTH = "could be seasons, each from one year to the next, as well as months"
AMBIGUOUS_YEAR = "could be days without a year as well as months"
AMBIGUOUS_DAY = "could be numbers of sections or releases as well as days"
IN_PARENTHESES = "each number is in parentheses, which may or may not mean less than zero"
MANY_DIGITS = "with more digits than a number keeps"
CODES_WITH_ZEROS = "starting with 0, as codes do"
RELEASES = "releases or sections rather than numbers"

# What is said of texts of a workbook or of JSON that are numbers by their look.


# What sources with types keep as texts more often than they should.
STORED_AS_TEXT = frozenset({"integer", "decimal", "number", "boolean", "date", "datetime", "time", "duration"})


def stored_as_text(kind: Type, pattern: str = "") -> str:
    """Say that texts are of another type.

    >>> from comb.tables.types import DATE
    >>> stored_as_text(DATE, "d.M.yyyy")
    'texts that look like dates, kept as text: date d.M.yyyy would fit'
    """
    them = "numbers" if kind.numeric else "answers of yes and no" if kind.word == "boolean" else f"{kind.word}s"
    return f"texts that look like {them}, kept as text: {f'{kind} {pattern}'.strip()} would fit"


class Candidate(msgspec.Struct, frozen=True, eq=False):
    """One type that was tried on a column.

    Attributes
    ----------
    type : Type
    fits, misfits : int
        Cells that could and could not be read so.
    pattern : str
        How the values are written, in the patterns of Unicode TR35; empty where plain.
    doubt : str
        Why it was not chosen although enough cells fit; empty if nothing.
    why : tuple of str
        What speaks for it.
    parser : object
        How texts are read as this type, for who reads them: a `comb.parsing.cell_parser.CellParser`.
    """

    type: Type
    fits: int
    misfits: int
    pattern: str = ""
    doubt: str = ""
    why: tuple[str, ...] = ()
    parser: Any = None

    def _compared(self) -> tuple[Any, ...]:
        return self.type, self.fits, self.misfits, self.pattern, self.doubt

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Candidate) and self._compared() == other._compared()

    def __hash__(self) -> int:
        return hash(self._compared())

    def __str__(self) -> str:
        shape = f", {self.pattern}" if self.pattern else ""
        return f"{self.type}{shape}: {self.fits:,} of {self.fits + self.misfits:,} fit"


class Evidence(msgspec.Struct, frozen=True, eq=False):
    """Why a column has its type.

    Attributes
    ----------
    chosen : Candidate
    runner_up : Candidate or None
        The type that came closest without being chosen.
    missing : int
        Cells that were empty or held a word for missing.
    why : tuple of str
        Sentences, the strongest first.
    examples : tuple of str
        Some texts that do not fit.
    declared : bool
        True where the type was given, not inferred.
    tried : tuple of Candidate
        All types that some of the cells fit, the chosen one first.
    forms : mapping of str to int
        Where values are written in several forms, the patterns with their counts.
    minority : int64 array or None
        The row numbers of the values that are written differently than most.
    """

    chosen: Candidate
    runner_up: Candidate | None = None
    missing: int = 0
    why: tuple[str, ...] = ()
    examples: tuple[str, ...] = ()
    declared: bool = False
    tried: tuple[Candidate, ...] = ()
    forms: Mapping[str, int] = {}
    minority: NDArray[np.int64] | None = None

    def _compared(self) -> tuple[Any, ...]:
        return self.chosen, self.runner_up, self.missing, self.why, self.examples, self.declared, self.tried

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Evidence) and self._compared() == other._compared()

    def __hash__(self) -> int:
        return hash(self._compared())

    def __str__(self) -> str:
        """Compose the evidence as one line."""
        parts = [str(self.chosen)]
        if self.examples:
            parts.append("does not fit: " + ", ".join(repr(text) for text in self.examples))
        parts.extend(self.why)
        if self.runner_up:
            parts.append(f"next best: {self.runner_up}")
        return "; ".join(parts)

    def __repr__(self) -> str:
        return washed(f"<Evidence: {self}>")


def nothing_in(count: int) -> Evidence:
    """Return the evidence of a column without a value, of this many cells: it is text for want of a type."""
    return Evidence(Candidate(STRING, 0, 0), None, count, ("there is nothing in it",))
