"""Days and moments among the texts that did not fit a column of the other: how they are written, and what reads them.

A day without a time is taken for the midnight at which it begins where no other cell says 00:00: then the time was left
out with it. Where some do, the time may as well be unknown. Which of the numbers is the day, the form of the other
values says, or the texts themselves; where both could be meant, there is no remedy.
"""

from collections.abc import Iterable

import msgspec
import numpy as np

from comb.errors import ParameterError, agree
from comb.kernels.string_buffer import pack
from comb.kernels.types import FITS
from comb.parsing.cell_parser import CellParser
from comb.parsing.moment_programs import moment_program, swapped
from comb.parsing.moment_shapes import fullest, general, patterns_of, up_to_time
from comb.steps.cell_steps import Convert
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.types import DATE, DATETIME

# Texts beyond these say nothing new of how the others are written.
MOST_LOOKED_AT = 200

_A_DAY = np.int64(86_400_000_000)


class Form(msgspec.Struct, frozen=True):
    """How some kept texts are written.

    Attributes
    ----------
    word : {"date", "datetime"}
    pattern : str
    """

    word: str
    pattern: str

    def reads(self, texts: Iterable[str]) -> frozenset[str]:
        """Return those of some texts that are written so."""
        each = list(texts)
        program = moment_program(self.word, self.pattern)
        _, status = CellParser(program.type, moments=(program,)).parse(pack(each))
        return frozenset(text for text, one in zip(each, status.tolist(), strict=True) if one == FITS)


def commonest_form(texts: dict[str, int]) -> tuple[Form, frozenset[str]] | None:
    """Return the form of days or moments that reads most of some texts, and which it reads; None if they have none.

    Cost: a look at the first texts; one reading of all by the form that most of those have.
    """
    seen: dict[tuple[str, str], list[str]] = {}
    first = list(texts)[:MOST_LOOKED_AT]
    for text in first:
        for word, pattern in patterns_of(text.strip()):
            if word in ("date", "datetime") and "d" in pattern:
                seen.setdefault((word, general(pattern)), []).append(pattern)
    found = [_form(word, fullest(patterns)) for (word, _), patterns in seen.items()]
    read = [(form, sum(texts[text] for text in form.reads(first))) for form in found if form is not None]
    best, count = max(read, key=lambda one: one[1], default=(None, 0))
    return (best, best.reads(texts)) if best is not None and count else None


def wrong_weekdays(texts: Iterable[str]) -> frozenset[str]:
    """Return those of some texts that name a weekday which is not that of their day.

    >>> sorted(wrong_weekdays(["Sunday, 6 March 2024", "Wednesday, 6 March 2024", "6 March 2024", "Sunday"]))
    ['Sunday, 6 March 2024']
    """
    found: dict[tuple[str, str], list[str]] = {}
    for text in texts:
        for word, pattern in patterns_of(text.strip()):
            if pattern.startswith("E"):
                found.setdefault((word, pattern), []).append(text)
    wrong: set[str] = set()
    for (word, pattern), each in found.items():
        whole, bare = _form(word, pattern), _form(word, _behind_first_word(pattern))
        if whole is not None and bare is not None:
            days = bare.reads(_behind_first_word(text.strip()) for text in each)
            right = whole.reads(each)
            wrong |= {text for text in each if text not in right and _behind_first_word(text.strip()) in days}
    return frozenset(wrong)


def _behind_first_word(text: str) -> str:
    return text.partition(" ")[2]


def _form(word: str, pattern: str) -> Form | None:
    try:
        moment_program(word, pattern)
    except ParameterError:
        return None
    return Form(word, pattern)


def reading(name: str, column: Column, form: Form, texts: frozenset[str], count: int) -> tuple[str, Convert | None]:
    """Return what some kept texts of a column are, and the step that reads them where no other reading is as good.

    Parameters
    ----------
    name : str
    column : Column
    form : Form
        Of the texts.
    texts : frozenset of str
    count : int
        How many cells hold them.

    Returns
    -------
    says, step
        Cost: a conversion of the column.
    """
    several = count > 1
    timed = form.word == "datetime"
    if timed == (column.type.word == "datetime"):
        says = f"{agree(count, 'it is', 'they are')} written {form.pattern}"
    elif timed:
        says = f"{agree(count, 'it has', 'they have')} a time of day"
    else:
        says = f"{agree(count, 'it is a day', 'they are days')} without a time"
    day = _day_as_others(column, form, texts)
    if not day:
        return f"{says}, day and month could be swapped", None
    wanted = "datetime" if timed or column.type.word == "datetime" else "date"
    if wanted == "datetime" and not timed and _midnights(column):
        return f"{says}; other cells say 00:00, so that the time may be unknown", None
    step = Convert(columns={name: f"{wanted} {day}"})
    if not _proven(name, column, step, texts):
        return says, None
    if not timed and wanted == "datetime":
        says += f"; as no cell says 00:00, the remedy takes {'each' if several else 'it'} for the midnight "
        says += "at which it begins"
    elif timed and column.type.word == "date":
        says += "; the remedy makes the others midnights"
    return says, step


def _day_as_others(column: Column, form: Form, texts: frozenset[str]) -> str:
    """Return the pattern with day and month in their places; empty where both could be first."""
    other = Form(form.word, swapped(form.pattern))
    if other == form:
        return form.pattern
    chosen = "" if column.evidence is None else column.evidence.chosen.pattern
    for one in (form, other):
        if chosen and up_to_time(chosen) == up_to_time(one.pattern):
            return one.pattern
    return form.pattern if not texts & other.reads(texts) else ""


def _midnights(column: Column) -> bool:
    return bool((column.array[column.present].astype(np.int64) % _A_DAY == 0).any())


def _proven(name: str, column: Column, step: Convert, texts: frozenset[str]) -> bool:
    """Return whether a step reads all of the texts and leaves the values that there are as they are."""
    if column.type not in (DATE, DATETIME):
        return False
    made = step.apply(BareTable({name: column})).table[name]
    kept = np.array([at for at, text in column.kept.texts.items() if text in texts], np.int64)
    same = made.array[column.present].astype("datetime64[us]") == column.array[column.present].astype("datetime64[us]")
    return bool(made.present[kept].all() and made.present[column.present].all() and same.all())
