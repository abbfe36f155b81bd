"""Why a cell is empty: one byte of state per cell.

Zero is a cell with a value; every other number is a `Reason`. A column in which nothing is missing has no states at
all.

The first three are the statuses that kernels give to the cells they parse (`comb.kernels.types`): blank, a word for
missing, text that does not fit. So the status of parsed cells becomes the state of a column without being
translated. The others come from elsewhere: ``absent`` from whoever knows that there was no such cell (a short row,
a key that is not there, a row without a match in a join), ``undefined`` from calculations without a result,
``cleared`` from steps that empty cells.

Where a text was there, it is kept beside the column (`comb.tables.kept`), for ``marker`` and ``unreadable``; a
blank has none. Grouping, comparing and looking for duplicates do not look at reasons: a missing cell is a missing
cell. A calculation with a missing cell is missing for the reason of its first missing operand.
"""

from enum import IntEnum


class Reason(IntEnum):
    """The state of a cell: present, or the reason it is missing."""

    PRESENT = 0
    BLANK = 1
    MARKER = 2
    UNREADABLE = 3
    ABSENT = 4
    UNDEFINED = 5
    CLEARED = 6

    @property
    def word(self) -> str:
        """The reason as users read it."""
        return self.name.lower()


MEANING = {
    Reason.BLANK: "nothing there, or only spaces",
    Reason.MARKER: "a word or number that means missing",
    Reason.UNREADABLE: "text that did not fit the type; the text is kept",
    Reason.ABSENT: "no such cell in the source",
    Reason.UNDEFINED: "a calculation without result",
    Reason.CLEARED: "emptied by a step",
}

REASON_WORDS = {reason.word: reason for reason in MEANING}
