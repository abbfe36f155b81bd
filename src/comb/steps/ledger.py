"""The ledger: an entry for each step, which accounts for all rows.

An entry is a plain value. It names the step, what it was set to do and why; how many rows came in, were added, went
out, were left out (by a filter: counted, not copied), set aside (kept, with the reason) and merged (equal to
another row); which columns came, went or changed their type; how many cells changed in each column, with examples;
and what the step had to say.

The ledger of a table that was loaded begins with the lines of its source: each is a row, or was taken off as a
header, a note, a line of units, a total. For each entry, rows in + added = rows out + left out + set aside + merged
(+ taken off). The entries of a table form a chain: each step begins with the rows the one before it ended with. So
their sum is an entry too (`total`), for which the same holds, from the lines of the source to the rows of the result.

What becomes of the ledger: the sentence above a printed table says what the last steps did, `comb run` prints it
whole, and a dataset folder holds it line by line.
"""

from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import pairwise

import msgspec

from comb.errors import CombError, counted, washed


class Example(msgspec.Struct, frozen=True):
    """One changed cell.

    Attributes
    ----------
    row : int
        Row number.
    column, before, after : str
    """

    row: int
    column: str
    before: str
    after: str


class Entry(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What one step did.

    Attributes
    ----------
    step, says, why : str
        The kind of step, what it was set to do, and the reason given.
    active : bool
        Whether the step was taken; else it was listed only.
    rows_in, added, rows_out, left_out, set_aside, merged : int
    moved : int
        Rows that were moved, where no row came or went.
    columns_added, columns_removed : list of str
    columns_renamed : dict of str to str
        Old name to new.
    types_changed : dict of str to list of str
        Type before and after.
    cells_changed : dict of str to int
        Cells of each column whose value or reason is another.
    examples : list of Example
    notes : list of str
    taken_off : dict of str to int
        Lines of the source that are no rows, by what they were; in the entry that begins a ledger.
    losses : dict of str to int
        What got lost: rows that were unknown or found no match, cells that became unreadable, results that
        do not exist.
    """

    step: str
    says: str
    why: str = ""
    active: bool = True
    rows_in: int
    added: int
    rows_out: int
    left_out: int
    set_aside: int
    merged: int
    moved: int = 0
    columns_added: list[str] = []
    columns_removed: list[str] = []
    columns_renamed: dict[str, str] = {}
    types_changed: dict[str, list[str]] = {}
    cells_changed: dict[str, int] = {}
    examples: list[Example] = []
    notes: list[str] = []
    losses: dict[str, int] = {}
    taken_off: dict[str, int] = {}

    def __repr__(self) -> str:
        """Say in a line what the step did to rows and cells."""
        cells = sum(self.cells_changed.values())
        changed = f", {counted(cells, 'cell')} changed" if cells else ""
        rows = f"{counted(self.rows_in, 'row')} in, {self.rows_out:,} out"
        return washed(f"<{self.step}: {self.says}; {rows}{changed}>")

    @property
    def no_rows(self) -> int:
        """How many lines of the source are no rows."""
        return sum(self.taken_off.values())

    @property
    def adds_up(self) -> bool:
        """Whether rows in and added are the rows out, left out, set aside and merged."""
        # Lines that are no rows occur in the first entry only, whose "rows in" are lines.
        gone = self.left_out + self.set_aside + self.merged + self.no_rows
        return self.rows_in + self.added == self.rows_out + gone

    def rows_said(self) -> str:
        """Say how many rows came and went; empty if none did."""
        rows = {
            "added": self.added,
            "left out": self.left_out,
            "set aside": self.set_aside,
            "merged": self.merged,
        }
        return ", ".join(f"{count:,} {_plural('row', count)} {word}" for word, count in rows.items() if count)

    def counts(self) -> str:
        """Say in a few words what happened.

        Returns
        -------
        str
            For instance ``9 rows left out``; ``nothing changed`` where that is so.
        """
        if not self.active:
            return "not taken"
        # Rows first, then cells, then columns: in the order in which one would ask.
        parts = [self.rows_said()] if self.rows_said() else []
        parts += [f"{self.no_rows:,} {_plural('line', self.no_rows)} taken off"] if self.no_rows else []
        parts += [f"{self.moved:,} {_plural('row', self.moved)} moved"] if self.moved else []
        cells = sum(self.cells_changed.values())
        parts += [f"{cells:,} {_plural('cell', cells)} changed"] if cells else []
        for word, names in (("new", self.columns_added), ("dropped", self.columns_removed)):
            parts += [f"{word}: {', '.join(names)}"] if names else []
        parts += [f"{old} is now called {new}" for old, new in self.columns_renamed.items()]
        parts += [f"{name} is now {after}" for name, (_, after) in self.types_changed.items()]
        return ", ".join(parts) or "nothing changed"


def first_number(entries: Sequence[Entry]) -> int:
    """Return the number of the first entry: steps count from 1, reading the source before them is 0."""
    # A table that was made in Python, or builds on another one, was not read.
    return 0 if entries and entries[0].step == "load" else 1


def lost(entries: Iterable[Entry]) -> str:
    """Say in one line what got lost on the way; empty if nothing did.

    >>> lost([])
    ''
    """
    sums = Counter[str]()
    for entry in entries:
        sums.update(entry.losses)
    return ", ".join(f"{what}: {count:,}" for what, count in sums.items() if count)


def _plural(noun: str, count: int) -> str:
    return noun if count == 1 else f"{noun}s"


def total(entries: list[Entry]) -> Entry:
    """Add the entries of one table up: the first rows in, the last rows out.

    Raises
    ------
    CombError
        If a step does not begin with the rows the one before it ended with.
    """
    # Else something happened to the table between two steps that nobody accounts for.
    for earlier, later in pairwise(entries):
        if earlier.rows_out != later.rows_in:
            message = f"{earlier.step} ended with {earlier.rows_out:,} rows"
            raise CombError(f"{message}, {later.step} began with {later.rows_in:,}")
    # Rows in and out are those of the ends; what happened on the way adds up.
    sums = {
        name: sum(getattr(entry, name) for entry in entries) for name in ("added", "left_out", "set_aside", "merged")
    }
    first, last = entries[0], entries[-1]
    return Entry(
        step="total", says="all steps", rows_in=first.rows_in, rows_out=last.rows_out, taken_off=first.taken_off, **sums
    )
