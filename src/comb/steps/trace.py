"""The history of one cell: where it stood, what each step made of it, from which other cells it came.

A trace goes backwards through the records of the steps. At each step it asks: did this step change the cell, calculate
or rename its column, convert it as a whole, take it from another table, or put its row together from several? Then it
goes on with the row and the column that the cell had before. It ends at the source, or at the step that made the cell.

Where a step made the cell of others, by a formula or of parts of them, the history of each of those follows, up to that
step: what was filled, corrected or converted on the way is part of the result.

A row that did not come out is followed forwards, to the step that took it away, and is traced up to there.
"""

import math
from collections import Counter
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any, NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.errors import ExpressionError, ParameterError, counted, washed_lines
from comb.expressions.evaluate import working_of
from comb.expressions.nodes import column_names, has_aggregate
from comb.expressions.parser import parse
from comb.kernels.grouping import Codes
from comb.steps.accounting import Taken, shown_cell
from comb.steps.ledger import Entry
from comb.steps.record import StepRecord
from comb.tables.cell_source import placed
from comb.tables.column import Column
from comb.tables.names import check_known
from comb.tables.origin import Origin
from comb.tables.table import BareTable

# Rows of a group that are named.
MOST_ROWS_NAMED = 5

# How many steps back cells are followed that one was made of, and how many cells of each step.
DEEPEST = 6
MOST_INPUTS = 12

# Cells that one row of a source became, of which the history is shown.
MOST_CELLS = 20


class Event(msgspec.Struct, frozen=True):
    """What one step made of a cell.

    Attributes
    ----------
    number : int
        Of the step, from 1.
    step, says, why : str
        Its kind, what it was set to do, and the reason given.
    before, after : str
        The cell, where this step changed it; a missing one as its reason in brackets.
    detail : str
        Where the value came from, or what else there is to say.
    working : tuple of (str, str)
        The parts of a formula and what each came to in this row, where the table still has them all.
    """

    number: int
    step: str
    says: str
    why: str = ""
    before: str = ""
    after: str = ""
    detail: str = ""
    working: tuple[tuple[str, str], ...] = ()


class RuleCheck(msgspec.Struct, frozen=True):
    """How a row stands to a rule.

    Attributes
    ----------
    rule, result : str
        What was checked; met, broken or not checked.
    """

    rule: str
    result: str


class SourceCell(NamedTuple):
    """Where a cell is in a source.

    Attributes
    ----------
    origin : Origin
    name : str
        The name of its column there.
    row : int
    """

    origin: Origin
    name: str
    row: int


class _Back(NamedTuple):
    """What a walk back from a cell has found.

    Attributes
    ----------
    events : tuple of Event
        In the order of the steps.
    made : (int, int, str), optional
        The step that made the cell of others, and where the cell is after it: its row, its column.
    begun : (int, str), optional
        Where the cell was before all steps: its row there, and its column.
    """

    events: tuple[Event, ...]
    made: tuple[int, int, str] | None = None
    begun: tuple[int, str] | None = None


class Trace(msgspec.Struct, frozen=True):
    """The history of one cell.

    Attributes
    ----------
    row : int
        Its row number.
    column, value, place : str
        The cell after all steps, and where it stood in its source.
    source_text : str or None
        What was written there; None where the source cannot be read, or the cell was made by a step.
    events : tuple of Event
        In the order of the steps.
    fate : str
        What became of its row, where it did not come out.
    rules : tuple of RuleCheck
    cell : SourceCell, optional
        By which its text is fetched.
    inputs : tuple of Trace
        The cells that a step made it of, as they were before it.
    """

    row: int
    column: str
    value: str
    place: str
    source_text: str | None = None
    events: tuple[Event, ...] = ()
    fate: str = ""
    rules: tuple[RuleCheck, ...] = ()
    cell: SourceCell | None = None
    inputs: "tuple[Trace, ...]" = ()

    def with_texts(self, text_of: Callable[[SourceCell], str | None]) -> "Trace":
        """Return the trace with the texts of its cell and of those it was made of."""
        inputs = tuple(one.with_texts(text_of) for one in self.inputs)
        return replace(self, source_text=self.cell and text_of(self.cell), inputs=inputs)

    def lines(self, times: int = 1) -> list[str]:
        """Return the history as text, from the source on; of a cell that is in several rows of the result once."""
        where = f", in {times:,} rows of the result" if times > 1 else ""
        head = f"{self.column} of row {self.row}{where}: {self.fate or self.value}"
        lines = [head, *self._history()]
        lines += [] if self.events else ["  no step changed it"]
        for one in self.inputs:
            lines += one._as_input(self.row)
        return [*lines, *(f"  rule {one.rule}: {one.result}" for one in self.rules)]

    def _as_input(self, row: int) -> list[str]:
        """Return the history of a cell that another, of this row, was made of."""
        of = "" if self.row == row else f" of row {self.row}"
        lines = [f"made of {self.column}{of}" + (f": {self.value}" if self.value else ""), *self._history()]
        for one in self.inputs:
            lines += one._as_input(self.row)
        return [f"  {line}" for line in lines]

    def _history(self) -> list[str]:
        """Return where the cell stood, and what the steps made of it."""
        stood = "stood" if self.place.startswith("nowhere") else "stood in"
        lines = [f"  {stood} {self.place}"] if self.place else []
        if self.source_text is not None:
            lines.append(f"  as the text {self.source_text!r}" if self.source_text else "  as an empty cell")
        for event in self.events:
            change = f": {event.before} became {event.after}" if event.after else ""
            lines.append(f"  step {event.number}, {event.step}{change}")
            lines += [f"    {part}" for part in dict.fromkeys((event.says, event.detail)) if part]
            lines += [f"    {part} = {result}" for part, result in event.working]
            lines += [f"    why: {event.why}"] if event.why else []
        return lines

    def __repr__(self) -> str:
        return washed_lines("\n".join(self.lines()))


def history_lines(traces: Sequence[Trace]) -> list[list[str]]:
    """Return the histories as text, each as lines; equal ones once."""
    counts = Counter(tuple(one.lines()) for one in traces)
    firsts = {tuple(one.lines()): one for one in traces}
    return [firsts[lines].lines(times) for lines, times in counts.items()]


def trace_record(trace: Trace) -> dict[str, Any]:
    """Return a history as plain values, for JSON."""
    record = {name: getattr(trace, name) for name in ("row", "column", "value", "place", "source_text", "fate")}
    events = [
        {name: getattr(event, name) for name in Event.__struct_fields__ if name != "working"}
        | ({"working": [list(part) for part in event.working]} if event.working else {})
        for event in trace.events
    ]
    inputs = {"inputs": [trace_record(one) for one in trace.inputs]} if trace.inputs else {}
    return {**record, "events": events, "rules": {one.rule: one.result for one in trace.rules}, **inputs}


class History:
    """The steps that led to a table, and what each did.

    Parameters
    ----------
    taken : sequence of (Entry, StepRecord)
    table : BareTable
        After the last of them.
    before : sequence of BareTable
        The table before each step, where they are known: then the values that went into an aggregate are shown.
    """

    def __init__(
        self, taken: Sequence[tuple[Entry, StepRecord]], table: BareTable, before: Sequence[BareTable] = ()
    ) -> None:
        self.taken, self.table, self.before = taken, table, before

    @classmethod
    def of(cls, taken: Sequence[Taken], table: BareTable, loaded: BareTable | None = None) -> "History":
        """Return the history that steps of a plan make, from the table that was loaded on."""
        before = [] if loaded is None else [loaded, *(one.table for one in taken[:-1])]
        return cls([(one.entry, one.record) for one in taken], table, before)

    def trace(self, row_number: int, column: str) -> list[Trace]:
        """Return the history of the cells of a row of the table; several where rows share a number.

        Raises
        ------
        ParameterError, ColumnError
            If there is no such row or column.
        """
        name = self._final_name(column)
        found = np.flatnonzero(self.table.row_numbers == row_number).tolist()[:MOST_CELLS]
        return [self.cell(position, name) for position in found] or self.trace_source(row_number, column)

    def trace_source(self, row_number: int, column: str) -> list[Trace]:
        """Return the history of the cells that a row of the source became, or of what became of the row.

        Parameters
        ----------
        row_number : int
        column : str
            By its name after all steps; or by an earlier one, where a step dropped or renamed it.
        """
        begun = self.taken[0][1].before if self.taken else self.table
        start = np.flatnonzero(begun.row_numbers == row_number)
        if not len(start):
            numbers = begun.row_numbers
            known = f"its rows have numbers from {numbers.min():,} to {numbers.max():,}" if len(numbers) else ""
            raise ParameterError(
                f"there is no row number {row_number} in {begun.origin.name}", remedy=known or "it has no rows"
            )
        positions, fates = self._forward(start)
        if fates:
            check_known(column, self._all_names())
            events = self._back(fates[0][0], fates[0][1], self._name_at(column, fates[0][0]))
            # Of the table at the beginning its rows are known here, and no columns.
            title = self._name_at(column, 0)
            place, cell = begun.origin.place(row_number, title), SourceCell(begun.origin, title, row_number)
            return [Trace(row_number, column, "", place, events=events, fate=fates[0][2], cell=cell)]
        name = self._final_name(column)
        return [self.cell(position, name) for position in positions[:MOST_CELLS]]

    def cell(self, position: int, name: str) -> Trace:
        """Return the history of one cell of the table."""
        number = int(self.table.row_numbers[position])
        back = self._walked(len(self.taken), position, name)
        events = tuple(self._with_working(event, position) for event in back.events)
        value = shown_cell(self.table[name], position)
        part, row = placed(self.table[name].source, name).at(position, number)
        cell = SourceCell(part.origin or self.table.origin, part.name, row) if part.name and row else None
        place = self.table._cell_place(name, position)
        if cell is None and back.begun is not None and self.taken:
            # Calculated anew, from what it was itself.
            begun, title = self.taken[0][1].before, back.begun[1]
            row = int(begun.row_numbers[back.begun[0]])
            cell, place = SourceCell(begun.origin, title, row), begun.origin.place(row, title)
        return Trace(number, name, value, place, events=events, cell=cell, inputs=self._inputs(back, DEEPEST))

    def _inputs(self, back: "_Back", depth: int) -> tuple[Trace, ...]:
        """Return the histories of the cells that the first step of a history made its cell of."""
        if back.made is None or not depth:
            return ()
        number, after, column = back.made
        entry, record = self.taken[number - 1]
        before = after if record.sources is None else int(record.sources[after])
        names = self._made_of(record, column)
        if number > 1:
            names = [one for one in names if one in self.taken[number - 2][1].columns or one in entry.columns_added]
        # Formulas of a step are taken in turn: one may read what those before it have made.
        formulas = list(record.formulas)
        made = formulas[: formulas.index(column)] if column in formulas else []
        found = []
        for name in [one for one in names if one != column][:MOST_INPUTS]:
            at = (number, after) if name in made else (number - 1, before)
            found.append(self._input(at[0], number, before, name, depth, self._walked(*at, name)))
        return tuple(found)

    def _input(self, steps: int, number: int, position: int, name: str, depth: int, back: "_Back") -> Trace:
        """Return the history, of so many steps, of a cell that another was made of by a step."""
        record = self.taken[number - 1][1]
        row = int(record.before.row_numbers[position])
        value = ""
        if steps < number <= len(self.before) and name in self.before[number - 1]:
            value = shown_cell(self.before[number - 1][name], position)
        elif back.events and back.events[-1].after:
            value = back.events[-1].after
        origin = (self.taken[0][1].before if self.taken else self.table).origin
        begun = back.begun
        inputs = self._inputs(back, depth - 1)
        if begun is None:
            return Trace(row, name, value, "", events=back.events, inputs=inputs)
        at, title = begun
        first = int(self.taken[0][1].before.row_numbers[at])
        cell = SourceCell(origin, title, first)
        return Trace(row, name, value, origin.place(first, title), events=back.events, cell=cell, inputs=inputs)

    def _is_made(self, entry: Entry, record: StepRecord, position: int, column: str) -> bool:
        """Return whether a step made a cell of others: of a column that was there before, it may be some cells only."""
        if column in record.formulas or column in entry.columns_added:
            return True
        return column in record.cells and record.cells[column].at(position) >= 0

    def _made_of(self, record: StepRecord, column: str) -> list[str]:
        """Return the columns that a column was made of."""
        if column not in record.formulas:
            return list(record.made_from.get(column, ()))
        try:
            return column_names(parse(record.formulas[column]))
        except ExpressionError:
            return []

    def _with_working(self, event: Event, position: int) -> Event:
        """Add the calculation of a formula, if every column it reads is still what it was then."""
        later = self.taken[event.number :]
        changed = {name for _, one in later for name in (*one.cells, *one.formulas, *one.renamed)}
        changed |= {name for one, _ in later for name in one.types_changed}
        return with_working(event, self.taken[event.number - 1][1].formulas, changed, self.table, position)

    def _forward(self, start: Codes) -> tuple[list[int], list[tuple[int, int, str]]]:
        """Follow rows to the table: their positions there, and for those that got lost the step, position and why."""
        here, fates = start, []
        for number, (entry, record) in enumerate(self.taken, 1):
            for what, rows in record.gone.items():
                lost = np.intersect1d(here, rows).tolist()
                fates += [(number - 1, position, _fate(number, entry, record, what, position)) for position in lost]
            groups = record.groups if entry.step != "remove_duplicates" else None
            if groups is not None:
                here = np.unique(groups[here][groups[here] >= 0])
                fates = [one for one in fates if one[0] < number - 1]
            elif record.sources is not None:
                here = np.flatnonzero(np.isin(record.sources, here))
        return here.tolist(), fates if not len(here) else []

    def _all_names(self) -> tuple[str, ...]:
        """Return the names that columns have had at any time."""
        names = dict.fromkeys(self.table.names if not self.before else [*self.table.names, *self.before[0].names])
        for entry, record in self.taken:
            names |= dict.fromkeys([*record.columns, *entry.columns_removed, *entry.columns_renamed])
        return tuple(names)

    def _final_name(self, column: str) -> str:
        """Return the name of a column after all steps, given that or its name in the source."""
        if column in self.table:
            return column
        name = column
        for number, (entry, record) in enumerate(self.taken, 1):
            if name in entry.columns_removed:
                raise ParameterError(
                    f"{column} was dropped by step {number} ({entry.step}: {entry.says})",
                    remedy=f"columns: {', '.join(self.table.names)}",
                )
            name = next((new for new, old in record.renamed.items() if old == name), name)
        return check_known(name, self.table.names)

    def _name_at(self, column: str, steps: int) -> str:
        """Return the name that a column has after this many steps, given that of the source or of the table."""
        name = column
        for _, record in reversed(self.taken[steps:]):
            name = record.renamed.get(name, name)
        known = self.taken[steps - 1][1].columns if steps else ()
        for _, record in self.taken[:steps]:
            if name not in known:
                name = next((new for new, old in record.renamed.items() if old == name), name)
        return name

    def _back(self, steps: int, position: int, column: str) -> tuple[Event, ...]:
        """Go backwards through the first steps from a cell after them."""
        return self._walked(steps, position, column).events

    def _walked(self, steps: int, position: int, column: str) -> "_Back":
        """Go backwards through the first steps from a cell after them, to where it came from."""
        found: list[Event] = []
        made: tuple[int, int, str] | None = None
        for number in range(steps, 0, -1):
            entry, record = self.taken[number - 1]
            if not entry.active:
                continue
            event, before = self._step(number, entry, record, position, column)
            found += [event] if event is not None else []
            source = position if record.sources is None else int(record.sources[position])
            merged = record.groups is not None and entry.step != "remove_duplicates"
            # The last step that calculated it says what it is made of.
            here = self._is_made(entry, record, position, column)
            if made is None and source >= 0 and not merged and here and self._made_of(record, column):
                made = number, position, column
            if before is None:
                return _Back(tuple(found[::-1]), made=made)
            position, column = before
        return _Back(tuple(found[::-1]), made=made, begun=(position, column))

    def _step(
        self, number: int, entry: Entry, record: StepRecord, position: int, column: str
    ) -> tuple[Event | None, tuple[int, str] | None]:
        """Say what one step made of a cell, and where the cell was before it; None where it was not."""
        made = Event(number, entry.step, entry.says, entry.why)
        groups = record.groups
        source = position if record.sources is None else int(record.sources[position])
        merged = groups is not None and entry.step != "remove_duplicates"
        earlier = record.renamed.get(column, column)
        is_new = column in entry.columns_added
        event: Event | None = None
        if column in record.cells and (at := record.cells[column].at(position)) >= 0:
            change = record.cells[column]
            # The formula is in what the step says.
            detail = change.detail.at(at) if change.detail is not None else ""
            event = replace(
                made, before=shown_cell(change.before, at), after=shown_cell(change.after, at), detail=detail
            )
        elif column in record.formulas:
            # Also of a cell that stayed what it was.
            event = replace(made, detail=f"{column} = {record.formulas[column]}")
        elif is_new and not merged:
            event = replace(made, detail=self._comes_from(number, position, column))
        elif column in entry.types_changed:
            event = replace(made, detail="{} became {}, all of the column".format(*entry.types_changed[column]))
        elif earlier != column:
            event = replace(made, detail=f"{earlier} is called {column} from here on")
        if merged:
            of = _group_of(record, position)
            event = replace(
                event or made, detail="; ".join(filter(None, [event.detail if event else "", of])),
                working=self._went_in(number, record, position, column),
            )  # fmt: skip
        elif groups is not None:
            copies = record.rows_of(position)
            # Those that differ elsewhere were set aside, and are no part of this row.
            others = copies[(copies != source) & np.isin(copies, record.gone.get("merged", copies[:0]))]
            if len(others):
                event = replace(event or made, detail=merged_here(record.before.row_numbers[others]))
        if source < 0:
            return event or replace(made, detail="the row was added here"), None
        if is_new:
            moved = self._moved_from(number, position, column) if entry.step == "to_long" else None
            return event, (source, moved) if moved in entry.columns_removed else None
        return event, (source, earlier)

    def _went_in(self, number: int, record: StepRecord, position: int, column: str) -> tuple[tuple[str, str], ...]:
        """Return the values that went into an aggregate: of each column that its formula reads."""
        if number > len(self.before) or column not in record.formulas:
            return ()
        try:
            names = column_names(parse(record.formulas[column]))
        except ExpressionError:
            return ()
        table, rows = self.before[number - 1], record.rows_of(position)
        found = []
        for name in (one for one in names if one in table):
            cells = [shown_cell(table[name], at) for at in rows[:MOST_ROWS_NAMED].tolist()]
            more = f" and {len(rows) - MOST_ROWS_NAMED:,} more" if len(rows) > MOST_ROWS_NAMED else ""
            found.append((f"{name} of these rows", f"{', '.join(cells)}{more}"))
        return tuple(found)

    def _comes_from(self, number: int, position: int, column: str) -> str:
        """Say where a cell that a step brought along stood; nothing of one that the step made."""
        last = self._at_last(number, position, column)
        if last is None or not self._name_of(*last):
            return ""
        nowhere, _, why = (place := self.table._cell_place(*last)).partition(": ")
        return why if nowhere.startswith("nowhere") else f"from {place}"

    def _moved_from(self, number: int, position: int, column: str) -> str | None:
        """Return the column that a cell stood in before a step brought it along."""
        last = self._at_last(number, position, column)
        return None if last is None else self._name_of(*last)

    def _name_of(self, column: str, position: int) -> str | None:
        """Return the name that the column of a cell of the table has in the source of the cell; None if it has none."""
        part, _ = placed(self.table[column].source, column).at(position, int(self.table.row_numbers[position]))
        return part.name

    def _at_last(self, steps: int, position: int, column: str) -> tuple[str, int] | None:
        """Return where a cell, given as it is after some steps, is in the table; None where it went no further."""
        for entry, record in self.taken[steps:]:
            if record.groups is not None and entry.step != "remove_duplicates":
                return None
            if column in record.formulas or column in entry.columns_removed:
                return None
            column = entry.columns_renamed.get(column, column)
            if record.sources is not None:
                found = np.flatnonzero(record.sources == position)
                if not len(found):
                    return None
                position = int(found[0])
        return (column, position) if column in self.table else None


def with_working(
    event: Event, formulas: Mapping[str, str], changed: Collection[str], table: BareTable, position: int
) -> Event:
    """Add the calculation of a formula to an event, if every column it reads is still what it was then.

    Parameters
    ----------
    event : Event
    formulas : mapping of str to str
        Of the step, in the order in which they are taken.
    changed : collection of str
        The columns that later steps changed.
    table : BareTable
        After the last step.
    position : int
        Of the row in it, from 0.
    """
    name, equals, formula = event.detail.partition(" = ")
    if not equals or formulas.get(name) != formula or event.step == "aggregate":
        return event
    try:
        node = parse(formula)
    except ExpressionError:
        return event
    read = {*column_names(node)}
    # A column that is calculated of itself is not what it was, nor is one that the same step calculates after it.
    order = list(formulas)
    again = read & {*order[order.index(name) :]}
    used = {*read, name}
    if again or used & {*changed} or not used <= set(table.names) or has_aggregate(node):
        return event
    working = working_of(formula, table, position)
    if not _comes_to(working[-1][1], table[name]._take(np.array([position]))):
        # How a text is read can depend on the other rows, which are not here.
        return event
    return replace(event, working=tuple(working))


def _comes_to(result: str, cell: Column) -> bool:
    """Return whether a calculation comes to what a cell holds, as far as both are shown: a number, or nothing."""
    text = cell.texts()[0]
    if text is None or result.startswith("("):
        return text is None and result.startswith("(")
    try:
        return math.isclose(float(result), float(text), rel_tol=1e-9)
    except ValueError:
        return True


def _fate(number: int, entry: Entry, record: StepRecord, what: str, position: int) -> str:
    """Say what a step did with a row."""
    reason, into = "", None
    if what == "set aside":
        reason = record.reasons[int(np.flatnonzero(record.gone[what] == position)[0])]
    if what == "merged" and record.groups is not None:
        into = int(record.after.row_numbers[record.groups[position]])
    return fate_of_row(number, entry, what, reason, into)


def fate_of_row(number: int, entry: Entry, what: str, reason: str = "", into: int | None = None) -> str:
    """Say what a step did with a row that did not come out.

    Parameters
    ----------
    number : int
        Of the step.
    entry : Entry
    what : str
        Left out, set aside or merged.
    reason : str
        Why it was set aside.
    into : int, optional
        The row number of the row that it was merged into.
    """
    if into is not None:
        said = f"the row was merged by step {number} ({entry.step}) into row {into}"
    else:
        said = f"the row was {what} by step {number} ({entry.step}: {entry.says})" + (f": {reason}" if reason else "")
    return said + (f"; {entry.why}" if entry.why else "")


def merged_here(numbers: Codes) -> str:
    """Say which rows, by their numbers, were merged into an equal one."""
    return f"equal rows were merged into this one: {_listed(numbers)}"


def _listed(numbers: Codes) -> str:
    more = f" and {len(numbers) - MOST_ROWS_NAMED:,} more" if len(numbers) > MOST_ROWS_NAMED else ""
    return f"{', '.join(map(str, numbers[:MOST_ROWS_NAMED].tolist()))}{more}"


def _group_of(record: StepRecord, position: int) -> str:
    """Say which rows were put together, and where the first of them stood."""
    rows = record.rows_of(position)
    if not len(rows):
        return "of all rows"
    first = record.before.origin.place(int(record.before.row_numbers[rows[0]]))
    return f"of {counted(len(rows), 'row')}: {_listed(record.before.row_numbers[rows])} (the first: {first})"
