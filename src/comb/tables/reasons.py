"""Why a cell is empty: one byte of state per cell."""

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
    Reason.MARKER: "a word or number that stands for missing",
    Reason.UNREADABLE: "text that did not fit the type; the text is kept",
    Reason.ABSENT: "no such cell in the source",
    Reason.UNDEFINED: "a calculation without result",
    Reason.CLEARED: "emptied by a step",
}

REASON_WORDS = {reason.word: reason for reason in MEANING}
