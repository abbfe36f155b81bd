"""Answers of people who know the subject: a sheet of questions, filled in, taken by a plan.

Each line of the sheet (`comb.profiling.questions`) says what was asked about which cell or row, and what was answered:
``as proposed``, ``is right``, ``leave out``, or the right value. Before anything is done, each answer is held against
the table: the row has to be there, and the cell has to hold what was asked about. What does not fit is reported and
not done: the sheet was filled in for another file. Then cells are corrected, rows are set aside with the remark as the
reason, and findings all of whose cells are right are settled. All of it is one step, the first of the table.
"""

from collections.abc import Sequence

import msgspec
import numpy as np

from comb.errors import CombError, PlanError, counted, listing, washed
from comb.kernels.string_buffer import pack
from comb.kernels.types import FITS
from comb.parsing.cell_parser import CellParser
from comb.profiling.profile import Settled
from comb.profiling.questions import LEAVE_OUT, PROPOSED, RIGHT, SHEET
from comb.steps.base import Change, Detail, SetAside, Step
from comb.steps.cell_steps import retyped
from comb.steps.repair_steps import holds
from comb.tables.column import Column
from comb.tables.concat import below
from comb.tables.kept import Kept
from comb.tables.patched import patched
from comb.tables.reasons import Reason
from comb.tables.table import BareTable

# Answers that do not fit that are listed.
MOST_LISTED = 5

_NEEDED = ("code", "row", "column", "value", "proposal", "answer")


class Answer(msgspec.Struct, frozen=True, kw_only=True):
    """One line of the sheet that was answered.

    Attributes
    ----------
    question, code, row, column, value, proposal, answer, remark : str
    """

    question: str
    code: str
    row: str
    column: str
    value: str
    proposal: str
    answer: str
    remark: str = ""

    @property
    def new(self) -> str | None:
        """The value that is right; empty for a missing cell, None if no cell changes."""
        if self.answer in (RIGHT, LEAVE_OUT) or not self.column:
            return None
        new = self.proposal if self.answer == PROPOSED else self.answer
        return "" if new.startswith("(") and new.endswith(")") else new

    @property
    def leaves_out(self) -> bool:
        """Whether the row is to be left out."""
        return self.answer == LEAVE_OUT or (self.answer == PROPOSED and self.proposal == LEAVE_OUT)


class Answers(msgspec.Struct, frozen=True):
    """The answers of a sheet that fit a table.

    Attributes
    ----------
    step : TakeAnswers
        What they change.
    settled : tuple of Settled
        Findings that are right.
    misfits : tuple of str
        What does not fit, and why.
    says : str
        In a line, what came of the sheet.
    """

    step: "TakeAnswers"
    settled: tuple[Settled, ...]
    misfits: tuple[str, ...]
    says: str


class TakeAnswers(Step, frozen=True, tag="answers"):
    """Take the answers of a sheet; made by a run, not written in plans.

    Parameters
    ----------
    answers : list of Answer
        Those that fit.
    sheet : str
        Its name.
    """

    answers: list[Answer]
    sheet: str

    def apply(self, table: BareTable) -> Change:
        """Correct the cells and set the rows aside."""
        columns, details = dict(table.columns), {}
        for name in dict.fromkeys(one.column for one in self.answers if one.new is not None and not one.leaves_out):
            mine = [one for one in self.answers if one.column == name and one.new is not None and not one.leaves_out]
            columns[name], details[name] = _corrected(table, name, mine, self.sheet)
        gone = {table._position(int(one.row)): one for one in self.answers if one.leaves_out}
        changed = table._derive(columns)
        if not gone:
            return Change(changed, details=details)
        aside = np.array(sorted(gone), np.int64)
        reasons = tuple(gone[at].remark or f"left out by {self.sheet}: {gone[at].code}" for at in aside.tolist())
        positions = np.setdiff1d(np.arange(table.row_count), aside, assume_unique=True)
        details = {name: detail.take(positions) for name, detail in details.items()}
        return Change(changed._take(positions), positions, SetAside(aside, reasons), details=details)

    def describe(self) -> str:
        """Name the sheet."""
        return f"{counted(len(self.answers), 'answer')} taken from {self.sheet}"


def _corrected(table: BareTable, name: str, answers: Sequence[Answer], sheet: str) -> tuple[Column, Detail]:
    column = table[name]
    texts = np.full(len(column), "", object)
    cells: dict[int, Column | None] = {}
    for one in answers:
        at = table._position(int(one.row))
        cells[at] = read_value(column, one.new, name) if one.new else None
        texts[at] = f"{sheet}{f': {one.remark}' if one.remark else ''}"
    cleared = np.zeros(len(column), np.bool_)
    cleared[[at for at, cell in cells.items() if cell is None]] = True
    made = column._emptied(cleared, Reason.CLEARED) if cleared.any() else column
    new = {at: cell for at, cell in sorted(cells.items()) if cell is not None}
    if new:
        made = patched(made, below(list(new.values())), np.array(list(new)), table._storage)
    return made, Detail("", texts=texts)


def read_value(column: Column, text: str, name: str) -> Column:
    """Read a value that a person wrote, as a column of one cell: in the form of the source, or as Comb writes it.

    Raises
    ------
    TypeMismatch
        If it is neither.
    """
    cell = column._take(np.zeros(1, np.int64))._replace(state=None, kept=Kept())
    parser = None if column.evidence is None else column.evidence.chosen.parser
    if isinstance(parser, CellParser) and not column.type.textual and not column.type.choices:
        values, status = parser.parse(pack([text]))
        if len(status) and status[0] == FITS and values.dtype == column.array.dtype:
            return cell._replace(values=values)
    return retyped(cell, [text], name)


def read_answers(sheet: BareTable, table: BareTable, name: str) -> Answers:
    """Hold the answers of a sheet against a table.

    Parameters
    ----------
    sheet : BareTable
        Every column read as text.
    table : BareTable
        As loaded.
    name : str
        Of the sheet, for messages.

    Raises
    ------
    PlanError
        If it is not a sheet of questions.
    """
    lacking = [one for one in _NEEDED if one not in sheet]
    if lacking:
        raise PlanError(
            f"this is not a sheet of questions: without {listing(lacking)}", where=name,
            remedy=f"comb profile FILE --questions SHEET writes one; its columns are {', '.join(SHEET)}",
        )  # fmt: skip
    lines = _answers_of(sheet)
    answered = [one for one in lines if one.answer]
    fitting, misfits = [], []
    for one in answered:
        problem = _problem(one, table)
        if problem:
            misfits.append(f"{name}, question {one.question}: {washed(problem)}: not done")
        else:
            fitting.append(one)
    doing = [one for one in fitting if one.leaves_out or one.new is not None]
    right = [one for one in fitting if one.answer == RIGHT]
    counts = [
        f"{sum(one.new is not None and not one.leaves_out for one in doing):,} corrected",
        f"{sum(one.leaves_out for one in doing):,} left out",
        f"{len(right):,} right",
        f"{len(lines) - len(answered):,} not answered",
    ]
    said = f"{name}: {counted(len(lines), 'question')}: {', '.join(counts)}"
    said += f", {len(misfits):,} do not fit" if misfits else ""
    if len(misfits) > MOST_LISTED:
        more = f"{name}: and {len(misfits) - MOST_LISTED:,} more answers that do not fit"
        misfits = [*misfits[:MOST_LISTED], more]
    return Answers(TakeAnswers(answers=doing, sheet=name), tuple(_settled(right, name)), tuple(misfits), said)


def _answers_of(sheet: BareTable) -> list[Answer]:
    fields = [one for one in Answer.__struct_fields__ if one in sheet]
    texts = {
        one: [(sheet[one].kept.texts.get(at) or text or "").strip() for at, text in enumerate(sheet[one].texts())]
        for one in fields
    }
    numbered = texts.get("question") or [str(at) for at in range(1, sheet.row_count + 1)]
    rows = []
    for at in range(sheet.row_count):
        record = {one: texts[one][at] for one in fields} | {"question": numbered[at] or str(at + 1)}
        answer = record["answer"]
        known = next((word for word in (PROPOSED, RIGHT, LEAVE_OUT) if word == answer.casefold().strip(" .")), answer)
        rows.append(Answer(**{**record, "answer": known}))
    return rows


def _problem(one: Answer, table: BareTable) -> str:
    """Say why an answer does not fit a table; empty if it does."""
    number = one.row.removesuffix(".0").replace(",", "")
    if not number.isdigit() or int(number) not in table.row_numbers:
        return f"there is no row {one.row}"
    if one.column and one.column not in table:
        return f"there is no column {one.column!r}"
    if one.answer == PROPOSED and not one.proposal:
        return "nothing was proposed"
    if not one.column:
        return "" if one.leaves_out or one.answer == RIGHT else f"expected {RIGHT} or {LEAVE_OUT}, got {one.answer!r}"
    cell = table[one.column]._take(np.array([table._position(int(number))]))
    if not holds(cell, one.value, one.column):
        return f"{one.column} of row {number} does not hold {one.value!r} any more"
    if one.new:
        try:
            read_value(table[one.column], one.new, one.column)
        except CombError as error:
            return error.what
    return ""


def _settled(right: Sequence[Answer], name: str) -> list[Settled]:
    """Return the findings that are settled for the rows that are right."""
    rows: dict[tuple[str, str], list[int]] = {}
    why: dict[tuple[str, str], dict[str, None]] = {}
    for one in right:
        rows.setdefault((one.code, one.column), []).append(int(one.row.removesuffix(".0")))
        if one.remark:
            why.setdefault((one.code, one.column), {})[one.remark] = None
    return [
        Settled(code, (column,) if column else (), "; ".join(why.get((code, column), {})) or f"right, by {name}",
                tuple(sorted(numbers)))
        for (code, column), numbers in rows.items()
    ]  # fmt: skip
