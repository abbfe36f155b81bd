"""Trace a cell of a dataset folder by the record that the run left there.

The ledger says which steps renamed, converted or calculated a column, `changed-cells.csv` what became of the cell, the
plan by which formula it was made, and `row-sources.csv` or `left-out.csv` where its row stood. What is written there in
the source is looked up in it, if it is still the same (see `comb.plans.row_lookup`); of what is not plain delimited
text one column is read again. So a cell of a large folder costs a second at most, also one that was made of others.

What the record does not tell is left to a run: rows that were numbered anew or spread over several, and columns that a
step brought from elsewhere or made otherwise than by a formula.
"""

import csv
import io
import json
from collections.abc import Iterator, Mapping
from functools import cached_property
from pathlib import Path
from typing import Any, NamedTuple, TypeVar

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.errors import CombError, ExpressionError, ParameterError, PlanError, listing, unknown_name
from comb.expressions.nodes import column_names
from comb.expressions.parser import parse
from comb.kernels.grouping import Codes
from comb.plans.model import PlanText
from comb.plans.outputs import place_of
from comb.plans.row_lookup import LINE, SavedRow, SourceRow, run_record, source_row
from comb.reading.dataset_folder import dataset_folder
from comb.reading.io.beside import BLAKE, checksum_of_file
from comb.reading.io.source_file import combined, expand
from comb.reading.load import load_table
from comb.reading.source_texts import read_as_texts, text_at_its_line
from comb.steps.accounting import shown_cell, shown_text
from comb.steps.base import Step
from comb.steps.column_steps import Calculate
from comb.steps.fill_steps import Fill
from comb.steps.ledger import Entry
from comb.steps.repair_steps import ReplaceValues
from comb.steps.trace import DEEPEST, MOST_INPUTS, Event, RuleCheck, Trace, fate_of_row, merged_here, with_working
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable
from comb.writing.delimited import rows_bytes
from comb.writing.record_files import ASIDE, CHANGED, LEFT_OUT, RECORD_FILES, ROWS, RULE_ROWS, parts_about

# A line of the record is not longer than this, nor are the table and the step at its beginning.
LONGEST_RECORD = 1 << 20
LONGEST_NAMES = 1 << 12

# Steps that put something into some cells of a column, perhaps by a formula.
_OF_CELLS = ("fill", "replace_values")

# Steps after which rows have other numbers than in the source.
_RENUMBERING = ("aggregate", "count", "stack_tables", "transpose", "to_wide", "separate_tables")


_Planned = TypeVar("_Planned", bound=Step)


class _Way(NamedTuple):
    """The way of a cell back through some steps.

    Attributes
    ----------
    events : tuple of Event
        In the order of the steps.
    made : (int, str, str), optional
        The step that calculated it, its name after it, and the formula.
    begun : str, optional
        Its name in the source; None if a step made it.
    """

    events: tuple[Event, ...]
    made: tuple[int, str, str] | None
    begun: str | None


class _Unknown(Exception):
    """The record does not tell; a run does."""


class FolderTable:
    """A table of a dataset folder, with the steps that made it.

    Parameters
    ----------
    folder : Path
    plan : PlanText
        That of the folder.
    wanted : str, optional
        The table that is meant; by default the only one, or the only one with the column.
    column : str
    """

    def __init__(self, folder: Path, plan: PlanText, wanted: str | None, column: str) -> None:
        self.folder = folder
        self._plan = plan
        entries = _ledger(folder)
        self.name = _named(folder, wanted, {name: entries.get(name, {}) for name in plan.tables}, column)
        self._planned = plan.tables[self.name]
        self.steps = {number: entry for number, entry in entries.get(self.name, {}).items() if number}
        self.header = _header(folder / f"{self.name}.csv")
        self.index = run_record(folder)

    def trace(self, row: int, column: str) -> list[Trace] | None:
        """Return the history of the cell of a row of the source; None where only a run knows it.

        Raises
        ------
        ParameterError
            If there is no such row, and no source that could be asked.
        """
        if self._planned.from_table or any(map(_numbers_anew, self.steps.values())):
            return None
        try:
            return [_Row(self, row).trace(column)]
        except _Unknown:
            return None

    @cached_property
    def formulas(self) -> dict[int, Mapping[str, str]]:
        """The formulas of each step that calculated columns; not of one that takes more than the columns to repeat."""
        found = self._planned_as(Calculate)
        return {number: step.columns for number, step in found.items() if not step.parameters and not step.as_of}

    @cached_property
    def cell_formulas(self) -> dict[int, str]:
        """The formula of each step that put something into some cells of a column, empty where it had none."""
        found: dict[int, Fill | ReplaceValues] = {}
        found.update(self._planned_as(Fill))
        found.update(self._planned_as(ReplaceValues))
        return {number: step.formula or "" for number, step in found.items()}

    def _planned_as(self, kind: type[_Planned]) -> dict[int, _Planned]:
        """Return the steps of a kind as the plan has them, by their numbers in the ledger."""
        planned = [step for step in self._planned.steps if isinstance(step, kind)]
        numbers = [number for number, entry in self.steps.items() if planned and entry.step == planned[0].name]
        if len(planned) != len(numbers):
            return {}
        paired = zip(numbers, planned, strict=True)
        return {number: step for number, step in paired if step.describe() == self.steps[number].says}

    @cached_property
    def lost(self) -> str:
        """What is to be said of the source, if it is not there as it was read."""
        checksum = self._planned.checksum
        try:
            sums = [checksum_of_file(str(file)).removeprefix(BLAKE) for file in self._files]
        except (CombError, OSError):
            return "the source is not there any more"
        # Files of several shapes are known by the first of them.
        return "" if not checksum or checksum in (combined(sums), *sums[:1]) else "the source has changed since"

    @cached_property
    def _files(self) -> list[Path]:
        """Return the files of the source; of a dataset folder that of the table."""
        source = self._planned.source
        named = [source] if isinstance(source, str) else source
        found = []
        for file in (Path(str(file)) for one in named for file in expand(place_of(self._plan, one))):
            folder = dataset_folder(file) if file.is_dir() else None
            found.append(folder.choose(self._planned.reading.table) if folder is not None else file)
        return found

    def find_row(self, row: int, run: Mapping[str, str]) -> "SourceRow | _ReadRow":
        """Return what is known of a row of the source, which is as it was; a line of the record tells of the row."""
        read, source = (self.index.get("sources") or {}).get(self.name) or {}, self._planned.source
        if read and isinstance(source, str) and self._planned.checksum:
            files = self._files
            options = self._planned.reading.replace(table=None)
            found = source_row(files[0], options, read, run, row) if len(files) == 1 else None
            if found is not None:
                return found
        return _ReadRow(self._plan, self.name, row)

    def saved_row(self, record: int) -> SavedRow:
        """Return a row of the saved table."""
        return SavedRow(self.folder, self.name, (self.index.get("tables") or {}).get(self.name) or {}, record)


class _ReadRow:
    """A row of a source of which a column at a time is read."""

    def __init__(self, plan: PlanText, name: str, row: int) -> None:
        self._plan, self._name, self._row = plan, name, row
        self._read: dict[str, BareTable | None] = {}

    def place(self, column: str) -> str:
        """Say where a cell stands."""
        return self._column(column).origin.place(self._row, column)

    def text(self, column: str) -> str | None:
        """Return the text of a cell, empty for blanks; None where it cannot be read."""
        written = text_at_its_line(self._column(column).origin, column, self._row)
        return _source_text(self._plan, self._name, column, self._row) if written is None else written

    def shown(self, column: str) -> str:
        """Return the value of a cell as people read it."""
        return shown_cell(self._column(column)[column], self._row - 1)

    def _column(self, column: str) -> BareTable:
        if column not in self._read:
            self._read[column] = _read_source(self._plan, self._name, column)
        table = self._read[column]
        if table is None or not 1 <= self._row <= len(table.origin.lines):
            raise _Unknown
        return table


class _Row:
    """A row of the source, and what the record of a folder tells of it."""

    def __init__(self, table: FolderTable, row: int) -> None:
        self._table, self._row = table, row
        folder, name = table.folder, table.name
        self._gone = [*_runs_with(folder, LEFT_OUT, name, row), *_runs_with(folder, ASIDE, name, row)]
        rows = [] if self._gone else _runs_with(folder, ROWS, name, row)
        told = [*self._gone, *rows]
        if not told and table.lost:
            raise ParameterError(f"there is no row number {row} in the record of {name}", remedy=f"{table.lost}")
        # A row may have been spread over several, of which some came out: only the run knows all.
        if len(told) != 1 or (self._gone and _runs_with(folder, ROWS, name, row)):
            raise _Unknown
        [self._run] = told
        self._source = None if table.lost else table.find_row(row, self._run)
        self._saved = None if self._gone else table.saved_row(_record_of(self._run, row))
        self._changed = {(number, title): line for number, title, line in _changed(folder, name, row, table.steps)}

    def trace(self, column: str) -> Trace:
        """Return the history of a cell, given its name in the result or, of a row that is not there, any."""
        if self._gone:
            known = {*self._table.header, *(self._source.texts if isinstance(self._source, SourceRow) else ())}
            for entry in self._table.steps.values():
                known |= {*entry.columns_added, *entry.columns_removed, *entry.columns_renamed}
            if column not in known:
                raise _Unknown
            return self._fate(column)
        name = self._final_name(column)
        way = self._walked(max(self._table.steps, default=0), name)
        saved = self._saved
        value = saved.shown(name) if saved is not None else None
        value = self._value(name, way) if value is None else value
        events = tuple(self._with_working(event) for event in way.events)
        rules = tuple(_rule_checks(self._table.folder, self._table.name, self._row))
        inputs = self._inputs(way, DEEPEST)
        place = self._place(way.begun, name)
        return Trace(self._row, name, value, place, self._text(way.begun), events, rules=rules, inputs=inputs)

    def _final_name(self, column: str) -> str:
        """Return the name of a column in the result, given that or its name in the source."""
        name = column
        if name not in self._table.header:
            for entry in self._table.steps.values():
                name = entry.columns_renamed.get(name, name)
        if name not in self._table.header:
            raise _Unknown
        return name

    def _name_at(self, column: str, steps: int) -> str:
        """Return the name of a column after the first steps, given that of the result or of the source."""
        way = sorted(self._table.steps.items())
        name = column
        if name in self._table.header:
            for _, entry in reversed(way[steps:]):
                name = next((old for old, new in entry.columns_renamed.items() if new == name), name)
            return name
        for _, entry in way[:steps]:
            name = entry.columns_renamed.get(name, name)
        return name

    def _fate(self, column: str) -> Trace:
        """Say what became of a row that did not come out, and of a cell of it up to there."""
        number, into = int(self._run["step"]), self._run.get("merged_into")
        if not number:
            raise _Unknown
        what = "merged" if into else "left out" if "last_row" in self._run else "set aside"
        # A filter says in its description what it leaves out.
        reason = "" if what == "left out" else self._run["reason"]
        fate = fate_of_row(number, self._table.steps[number], what, reason, int(into) if into else None)
        way = self._walked(number - 1, self._name_at(column, number - 1))
        begun = self._name_at(column, 0) if way.begun is None else way.begun
        # A step that came after may have made the column.
        absent = isinstance(self._source, SourceRow) and begun not in self._source.texts
        text = None if way.begun is None or absent else self._text(begun)
        return Trace(self._row, column, "", self._place(begun, begun), text, way.events, fate=fate)

    def _walked(self, steps: int, column: str) -> _Way:
        """Go backwards through the first steps from a cell after them, to where it came from."""
        events: list[Event] = []
        made: tuple[int, str, str] | None = None
        begun: str | None = column
        for number in sorted((one for one in self._table.steps if one <= steps), reverse=True):
            entry = self._table.steps[number]
            if not entry.active:
                continue
            formula = self._formula(number, column)
            event = self._event(number, column, formula)
            events += [] if event is None else [event]
            made = (number, column, formula) if made is None and formula else made
            if column in entry.columns_added:
                if not formula:
                    raise _Unknown
                begun = None
                break
            column = begun = next((old for old, new in entry.columns_renamed.items() if new == column), column)
            if column in entry.columns_removed:
                raise _Unknown
        return _Way(tuple(events[::-1]), made, begun)

    def _formula(self, number: int, column: str) -> str:
        """Return the formula by which a step made a column; empty if it did not."""
        entry = self._table.steps[number]
        if entry.step in _OF_CELLS and (number, column) in self._changed:
            if number not in self._table.cell_formulas:
                raise _Unknown
            return self._table.cell_formulas[number]
        if entry.step != "calculate" or f", {column} = " not in f", {entry.says}":
            return ""
        if number not in self._table.formulas:
            raise _Unknown
        return self._table.formulas[number].get(column, "")

    def _event(self, number: int, column: str, formula: str) -> Event | None:
        """Say what one step made of the cell."""
        entry = self._table.steps[number]
        event = Event(number, entry.step, entry.says, entry.why)
        line = self._changed.get((number, column))
        if line is not None:
            before, after = (_shown(line, word) for word in ("before", "after"))
            return replace(event, before=before, after=after, detail=line["taken_from"])
        if formula:
            return replace(event, detail=f"{column} = {formula}")
        if column in entry.types_changed:
            return replace(event, detail="{} became {}, all of the column".format(*entry.types_changed[column]))
        earlier = next((old for old, new in entry.columns_renamed.items() if new == column), None)
        if earlier is not None:
            return replace(event, detail=f"{earlier} is called {column} from here on")
        merged = self._merged.get(number)
        return None if merged is None else replace(event, detail=merged_here(merged))

    @cached_property
    def _merged(self) -> dict[int, Codes]:
        some = any(entry.merged for entry in self._table.steps.values())
        return _merged_here(self._table.folder, self._table.name, self._row) if some else {}

    def _place(self, begun: str | None, name: str) -> str:
        """Say where a cell stood, or where its row did."""
        if self._source is None:
            place = f"{_place_in(self._run, self._row)} ({self._table.lost})"
        elif isinstance(self._source, SourceRow):
            place = self._source.place
        elif begun is not None:
            place = self._source.place(begun)
        else:
            raise _Unknown
        return place if begun is not None else f"{place}, where {name} is not: it was made by a step"

    def _text(self, begun: str | None) -> str | None:
        """Return the text of a cell in the source, if it has one there."""
        if self._source is None or begun is None:
            return None
        if isinstance(self._source, SourceRow) and begun not in self._source.texts:
            raise _Unknown
        return self._source.text(begun)

    def _value(self, name: str, way: _Way) -> str:
        """Return a cell of the result, which the index does not lead to."""
        after = next((event.after for event in reversed(way.events) if event.after), "")
        if not after and isinstance(self._source, _ReadRow) and way.begun is not None:
            after = self._source.shown(way.begun)
        if not after and self._source is None:
            saved = load_table(self._table.folder / f"{self._table.name}.csv", ReadOptions(columns=[name]))
            after = shown_cell(saved[name], _record_of(self._run, self._row) - 1)
        if not after:
            raise _Unknown
        return after

    def _inputs(self, way: _Way, depth: int) -> tuple[Trace, ...]:
        """Return the histories of the cells that a formula made a cell of."""
        if way.made is None or not depth:
            return ()
        number, column, formula = way.made
        try:
            names = [one for one in column_names(parse(formula)) if one != column][:MOST_INPUTS]
        except ExpressionError:
            return ()
        # Formulas of a step are taken in turn: one may read what those before it have made.
        formulas = list(self._table.formulas.get(number, {}))
        made = formulas[: formulas.index(column)] if column in formulas else []
        return tuple(self._input(number if one in made else number - 1, number, one, depth) for one in names)

    def _input(self, steps: int, number: int, name: str, depth: int) -> Trace:
        """Return the history, up to a number of steps, of a cell that another was made of by a step."""
        way = self._walked(steps, name)
        value = self._value_before(number, name) if steps < number else ""
        value = value or (way.events[-1].after if way.events else "")
        inputs = self._inputs(way, depth - 1)
        if way.begun is None:
            return Trace(self._row, name, value, "", events=way.events, inputs=inputs)
        place = self._place(way.begun, name)
        return Trace(self._row, name, value, place, self._text(way.begun), way.events, inputs=inputs)

    def _value_before(self, number: int, name: str) -> str:
        """Return a cell as it was before a step: as the next that changed it found it, or as it is in the result."""
        for later in sorted(one for one in self._table.steps if one >= number):
            entry = self._table.steps[later]
            if (later, name) in self._changed:
                return _shown(self._changed[later, name], "before")
            if name in entry.types_changed or name in entry.columns_removed:
                raise _Unknown
            name = entry.columns_renamed.get(name, name)
        value = self._saved.shown(name) if self._saved is not None else None
        if value is None:
            raise _Unknown
        return value

    def _with_working(self, event: Event) -> Event:
        """Add the calculation of a formula, if every column it reads is still what it was then."""
        if self._saved is None or self._saved.table is None:
            return event
        changed: set[str] = set()
        for number, entry in self._table.steps.items():
            if number > event.number:
                changed |= {*entry.cells_changed, *entry.columns_renamed.values(), *entry.types_changed}
                changed |= self._table.formulas.get(number, {}).keys()
        return with_working(event, self._table.formulas.get(event.number, {}), changed, self._saved.table, 0)


def _numbers_anew(entry: Entry) -> bool:
    """Return whether rows have other numbers after a step; a join that adds rows of the other table does that, too."""
    return entry.active and (entry.step in _RENUMBERING or (entry.step == "join" and entry.added > 0))


def _record_of(run: Mapping[str, str], row: int) -> int:
    """Return the number of the record that a row became, of a run of rows in a table."""
    return int(run["record"]) + (row - int(run["row"]) if run["last_record"] != run["record"] else 0)


def _merged_here(folder: Path, name: str, row: int) -> dict[int, Codes]:
    """Return by step the numbers of the rows that were merged into a row."""
    place = next((folder / one for one in (ASIDE, f"{ASIDE}.gz") if (folder / one).is_file()), None)
    if place is None:
        return {}
    numbers = ("step", "source_row", "merged_into")
    lines = load_table(
        place, ReadOptions(columns=["table", *numbers], types={"table": "string", **dict.fromkeys(numbers, "integer")})
    )
    into = lines["merged_into"]
    hits = lines._take(np.flatnonzero(into.present & (into.array == row) & lines["table"].text.flags(name.__eq__)))
    steps, rows = hits["step"].array, hits["source_row"].array
    return {step: rows[steps == step] for step in dict.fromkeys(steps.tolist())}


def _place_in(run: Mapping[str, str], row: int) -> str:
    """Say where a row of a run stood: exactly, where the lines are as many as the rows; else between which places."""
    if "last_place" not in run:
        return run["place"]
    first, last = (LINE.fullmatch(run[one]) for one in ("place", "last_place"))
    begin, end = int(run["row"]), int(run["last_row"])
    if first and last and first[1] == last[1] and int(last[2]) - int(first[2]) == end - begin:
        return f"{first[1]}{int(first[2]) + row - begin}"
    return run["place"] if begin == end else f"{run['place']} to {run['last_place']}"


def _ledger(folder: Path) -> dict[str, dict[int, Entry]]:
    """Read the ledger of a folder: for each table its entries by number."""
    found: dict[str, dict[int, Entry]] = {}
    for at, line in enumerate((folder / "ledger.jsonl").read_bytes().splitlines(), 1):
        try:
            record: dict[str, Any] = json.loads(line)
            if "rule" in record:
                continue
            name, number = record.pop("table"), record.pop("number")
            found.setdefault(name, {})[number] = msgspec.convert(record, Entry)
        except (ValueError, KeyError, TypeError, msgspec.ValidationError) as error:
            raise PlanError(f"this is not a line of a ledger: {error}", where=f"ledger.jsonl, line {at}") from None
    return found


def _named(folder: Path, wanted: str | None, entries: Mapping[str, Any], column: str) -> str:
    """Return the table that is meant: the one named, the only one, or the only one with the column."""
    if wanted is not None:
        if wanted not in entries:
            what, remedy = unknown_name("table", wanted, list(entries))
            raise ParameterError(what, remedy=remedy)
        return wanted
    # By its name in the source a column may be in none.
    some = [name for name in entries if column in _header(folder / f"{name}.csv")] or list(entries)[:1]
    if len(some) > 1:
        raise ParameterError(
            f"{column!r} may be of {len(some)} tables: {listing(some)}", remedy=f"name one: --table {some[0]}"
        )
    return some[0]


def _header(file: Path) -> list[str]:
    """Return the columns of a saved table."""
    if not file.is_file():
        return []
    with file.open(encoding="utf-8", newline="") as text:
        return next(csv.reader(text), [])


def _source_of(plan: PlanText, name: str) -> Path | list[Path]:
    source = plan.tables[name].source
    return place_of(plan, source) if isinstance(source, str) else [place_of(plan, one) for one in source]


def _source_text(plan: PlanText, name: str, column: str, row: int) -> str | None:
    """Return the text of a cell as it is in the source, which was found to be the same; no more is read than needed."""
    reading = plan.tables[name].reading
    for options in (reading.replace(rows=row), reading):
        table = read_as_texts(_source_of(plan, name), options, column)
        if table is not None and column in table and table.row_count >= row:
            cell = table[column]._take(np.array([row - 1]))
            return cell.texts()[0] or cell.kept.texts.get(0, "")
    return None


def _read_source(plan: PlanText, name: str, column: str) -> BareTable | None:
    """Read one column of the source of a table as its plan does; None where it is gone or not the same."""
    planned = plan.tables[name]
    types = planned.reading.types
    mine = {title: kind for title, kind in types.items() if title == column} if isinstance(types, dict) else types
    for options in (planned.reading.replace(columns=[column], types=mine), planned.reading):
        try:
            table = load_table(_source_of(plan, name), options)
        except (CombError, OSError):
            continue
        same = not planned.checksum or planned.checksum == table.origin.checksum
        return table if same and column in table else None
    return None


def _runs_with(folder: Path, file: str, name: str, row: int) -> list[dict[str, str]]:
    """Return the lines of a file of runs that a row of a table is in."""
    place = next((folder / one for one in (file, f"{file}.gz") if (folder / one).is_file()), None)
    if place is None:
        return []
    if place.suffix == ".gz":
        return [line for line in _packed_lines(place, row) if line["table"] == name]
    runs = load_table(place, ReadOptions())
    if not runs.row_count:
        return []
    first = runs["row" if "row" in runs else "source_row"]
    last = runs.columns.get("last_row", first)
    hits = np.flatnonzero(first.present & (first.array <= row) & (last.array >= row))
    lines = runs._take(hits)
    texts = {title: [text or "" for text in lines[title].texts()] for title in lines.names}
    found = [{title: cells[at] for title, cells in texts.items()} for at in range(len(hits))]
    return [one for one in found if one["table"] == name]


def _packed_lines(file: Path, row: int) -> Iterator[dict[str, str]]:
    """Return the lines of a compressed file of the record that tell of a row: alone, or in a run."""
    titles: list[str] = []
    for part in parts_about(file.read_bytes(), row):
        for fields in csv.reader(io.StringIO(part.decode(), newline="")):
            # The header is a part of its own, the first.
            if not titles:
                titles = fields
                first = titles.index("row" if "row" in titles else "source_row")
                last = titles.index("last_row") if "last_row" in titles else first
            elif fields[first] and int(fields[first]) <= row <= int(fields[last]):
                yield dict(zip(titles, fields, strict=True))


def _parts_of(folder: Path, name: str, row: int) -> list[bytes]:
    """Return what a file of the record has to tell of a row, in parts."""
    packed = folder / f"{name}.gz"
    if packed.is_file():
        return list(parts_about(packed.read_bytes(), row))
    return [(folder / name).read_bytes()] if (folder / name).is_file() else []


def _changed(
    folder: Path, name: str, row: int, steps: Mapping[int, Entry]
) -> Iterator[tuple[int, str, dict[str, str]]]:
    """Find the changed cells of a row: step, column and the line of `changed-cells.csv`."""
    prefix = b"\n" + rows_bytes([[name]]).strip() + b","
    titles = list(RECORD_FILES[CHANGED].columns)
    packed = (folder / f"{CHANGED}.gz").is_file()
    for data in _parts_of(folder, CHANGED, row):
        lines, at = b"\n" + data, 0
        # A part of a compressed file is of one step of one table, as its first line says.
        begin = io.StringIO(data[:LONGEST_NAMES].decode(errors="replace"), newline="")
        only = next(csv.reader(begin), [])[:2] if packed else []
        if only == titles[:2]:
            only = []
        if only and only[0] != name:
            continue
        for number, entry in steps.items():
            if not entry.cells_changed or (only and only[1] != str(number)):
                continue
            # The lines of one step follow each other, and those of a later step come after them.
            at = max(lines.find(prefix + f"{number},".encode(), at), at)
            wanted = prefix + f"{number},{row},".encode()
            place = lines.find(wanted, at)
            while place >= 0:
                # A text may go over several lines: the reader takes one record.
                text = lines[place + 1 : place + LONGEST_RECORD].decode(errors="replace")
                record = next(csv.reader(io.StringIO(text, newline="")), [])
                if len(record) == len(titles):
                    line = dict(zip(titles, record, strict=True))
                    yield number, line["column"], line
                place = lines.find(wanted, place + 1)


def _shown(record: Mapping[str, str], word: str) -> str:
    """Return a cell of `changed-cells.csv` as people read it."""
    missing, text = record[f"{word}_missing"], record[word]
    if missing:
        return f"({missing}) {text!r}" if text else f"({missing})"
    return shown_text(text)


def _rule_checks(folder: Path, name: str, row: int) -> Iterator[RuleCheck]:
    """Say how a row stands to the rules of its table."""
    rules = list(csv.reader(io.StringIO(b"".join(_parts_of(folder, "rules.csv", row)).decode(), newline="")))[1:]
    told = {line["rule"]: line["result"] for line in _runs_with(folder, RULE_ROWS, name, row)}
    for fields in rules:
        if fields[0] == name and not fields[6]:
            yield RuleCheck(fields[1], told.get(fields[1], "met"))
