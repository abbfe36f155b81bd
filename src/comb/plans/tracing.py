"""Trace a cell of a plan, or of a dataset folder that a plan made.

Of a plan, the run is done once more without writing, and the history is read off the records of its steps: this knows
everything, and costs a run. Of a folder, what the run wrote down is enough for most cells: the ledger says which steps
renamed, converted or calculated the column, `changed-cells.csv` says what became of the cell, and the source is read
again for its text. Only where a step numbered the rows anew, or brought the column from elsewhere, is the plan in the
folder run once more. Rows are those of the source.
"""

import csv
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.errors import CombError, ParameterError, PlanError, SourceMissing, listing, unknown_name
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.grouping import Codes
from comb.plans.model import PlanText
from comb.plans.outcome import Outcome
from comb.plans.outputs import place_of
from comb.plans.rules import RuleResult
from comb.plans.run import open_plan, run_plan
from comb.reading.io.source_file import expand
from comb.reading.load import load_table
from comb.reading.source_texts import cell_text, read_as_texts, text_at_its_line
from comb.steps.accounting import shown_cell, shown_text
from comb.steps.ledger import Entry
from comb.steps.trace import Event, History, RuleCheck, Trace, fate_of_row, merged_here
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable
from comb.writing.dataset import PLAN
from comb.writing.delimited import rows_bytes
from comb.writing.record_files import ASIDE, CHANGED, LEFT_OUT, RECORD_FILES, ROWS, RULE_ROWS, parts_about

# A line of the record is not longer than this, nor are the table and the step at its beginning.
LONGEST_RECORD = 1 << 20
LONGEST_NAMES = 1 << 12

# A place in a text: its file, and the line.
_LINE = lazy_pattern(r"(.*, line )([0-9]+)")

# Steps after which rows have other numbers than in the source.
_RENUMBERING = ("aggregate", "count", "stack_tables", "transpose", "to_wide", "separate_tables")


def trace_place(path: Path, row: int, column: str, table: str | None = None) -> list[Trace]:
    """Return the history of a cell, from a plan file or a dataset folder.

    Parameters
    ----------
    path : Path
    row : int
        Row number in the source.
    column : str
    table : str, optional
        Of the plan; needed where it has several.

    Raises
    ------
    CombError
        If there is no such plan, table, row or column.
    """
    if not path.is_dir():
        return trace_plan(open_plan(path), row, column, table)
    if not (path / "ledger.jsonl").is_file() or not (path / PLAN).is_file():
        raise SourceMissing(
            f"{path} is not a dataset folder: ledger.jsonl and {PLAN} are not in it",
            remedy="name a folder that comb run has made, or a plan",
        )
    return _trace_folder(path, row, column, table)


def trace_plan(plan: PlanText, row: int, column: str, table: str | None = None) -> list[Trace]:
    """Return the history of a cell by running a plan without writing."""
    outcome = run_plan(plan, dry_run=True)
    name = _table_of(table, outcome.tables, column)
    history = History.of(outcome.history(name), outcome.tables[name], outcome.loaded_for(name))
    found = history.trace_source(row, column)
    return [replace(one.with_texts(lambda cell: cell_text(*cell)), rules=_rules(outcome, name, one)) for one in found]


def _table_of(wanted: str | None, tables: Mapping[str, BareTable], column: str) -> str:
    """Return the table that is meant: the one named, the only one, or the only one with the column."""
    if wanted is not None:
        if wanted not in tables:
            what, remedy = unknown_name("table", wanted, list(tables))
            raise ParameterError(what, remedy=remedy)
        return wanted
    some = [name for name, one in tables.items() if column in one] or list(tables)
    if len(some) > 1:
        raise ParameterError(
            f"{column} is in {len(some)} tables: {listing(some)}", remedy=f"name one: --table {some[0]}"
        )
    return some[0]


def _rules(outcome: Outcome, name: str, trace: Trace) -> tuple[RuleCheck, ...]:
    # A row that did not come out was not held against the rules.
    return () if trace.fate else tuple(_checks(outcome.rules[name], trace.row))


def _checks(results: list[RuleResult], row: int) -> Iterator[RuleCheck]:
    for result in results:
        word = result.of_row(row)
        if word:
            yield RuleCheck(result.rule.says, word)


def _trace_folder(folder: Path, row: int, column: str, wanted: str | None) -> list[Trace]:
    entries = _ledger(folder)
    plan = open_plan(folder / PLAN)
    entries = {name: entries.get(name, {}) for name in plan.tables}
    name = _named(folder, wanted, entries, column)
    planned = plan.tables[name]
    steps = {number: entry for number, entry in entries[name].items() if number}
    known = _known_cell(steps, column)
    if known is None or planned.from_table or any(map(_numbers_anew, steps.values())):
        return trace_plan(plan, row, column, name)
    source_name, names, whole = known
    found = _read_source(plan, name, source_name)
    gone = _runs_with(folder, LEFT_OUT, name, row) or _runs_with(folder, ASIDE, name, row)
    if found is None and _source_is_gone(plan, name):
        return [_from_record(folder, name, row, column, known, steps, gone)]
    # A row may have been spread over several, of which some came out: only the run knows all.
    spread = len([*gone, *_runs_with(folder, ROWS, name, row)]) > 1
    # And what became of the cells that one was calculated of.
    calculated = any(_writes(entry, names[number]) for number, entry in steps.items())
    if found is None or spread or calculated or not 1 <= row <= len(found.origin.lines):
        return trace_plan(plan, row, column, name)
    written = text_at_its_line(found.origin, source_name, row)
    if written is None:
        written = _source_text(plan, name, source_name, row)
    if gone:
        alone = _from_record(folder, name, row, column, known, steps, gone)
        return [replace(alone, place=found.origin.place(row, source_name), source_text=written)]
    events, value = _events(folder, name, row, steps, names, whole)
    value = value or shown_cell(found[source_name], row - 1)
    place = found.origin.place(row, source_name)
    rules = tuple(_rule_checks(folder, name, row))
    return [Trace(row, column, value, place, written, tuple(events), rules=rules)]


def _writes(entry: Entry, column: str) -> bool:
    """Return whether a step calculated a column anew."""
    return entry.active and entry.step == "calculate" and f", {column} = " in f", {entry.says}"


def _numbers_anew(entry: Entry) -> bool:
    """Return whether rows have other numbers after a step; a join that adds rows of the other table does that, too."""
    return entry.active and (entry.step in _RENUMBERING or (entry.step == "join" and entry.added > 0))


def _events(
    folder: Path, name: str, row: int, steps: Mapping[int, Entry], names: Mapping[int, str], whole: Mapping[int, str]
) -> tuple[list[Event], str]:
    """Return what each step made of a cell, and the value after the last that changed it."""
    cells = {(number, title): record for number, title, record in _changed(folder, name, row, steps)}
    merged = _merged_here(folder, name, row) if any(entry.merged for entry in steps.values()) else {}
    events, value = [], ""
    for number, entry in steps.items():
        if not entry.active:
            continue
        event = Event(number, entry.step, entry.says, entry.why)
        title = names[number]
        record = cells.get((number, title))
        if record is not None:
            before, after = (_shown(record, word) for word in ("before", "after"))
            events.append(replace(event, before=before, after=after, detail=record["taken_from"]))
            value = after
        elif title in entry.types_changed:
            detail = "{} became {}, all of the column".format(*entry.types_changed[title])
            events.append(replace(event, detail=detail))
        elif number in whole:
            events.append(replace(event, detail=whole[number]))
        elif number in merged:
            events.append(replace(event, detail=merged_here(merged[number])))
    return events, value


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


def _source_is_gone(plan: PlanText, name: str) -> bool:
    """Return whether a source of a table is not there any more."""
    source = plan.tables[name].source
    try:
        files = [
            file for one in ([source] if isinstance(source, str) else source) for file in expand(place_of(plan, one))
        ]
    except SourceMissing:
        return True
    return not all(Path(str(file)).exists() for file in files)


def _from_record(
    folder: Path, name: str, row: int, column: str, known: tuple[str, dict[int, str], dict[int, str]],
    steps: Mapping[int, Entry], gone: Sequence[Mapping[str, str]],
) -> Trace:  # fmt: skip
    """Tell the history of a cell by the record alone, where the source is not there any more."""
    events, value = _events(folder, name, row, steps, known[1], known[2])
    if gone:
        line = gone[0]
        number, into = int(line["step"]), line.get("merged_into")
        what = "merged" if into else "left out" if "last_row" in line else "set aside"
        # A filter says in its description what it leaves out.
        reason = "" if what == "left out" else line["reason"]
        fate = fate_of_row(number, steps[number], what, reason, int(into) if into else None)
        upto = tuple(event for event in events if event.number < number)
        return Trace(row, column, "", line["place"], events=upto, fate=fate)
    runs = _runs_with(folder, ROWS, name, row)
    if not runs:
        raise ParameterError(f"there is no row number {row} in the record of {name}", remedy="the source is not there")
    run = runs[0]
    record = int(run["record"]) + (row - int(run["row"]) if run["last_record"] != run["record"] else 0)
    saved = load_table(folder / f"{name}.csv", ReadOptions(columns=[column]))
    value = shown_cell(saved[column], record - 1)
    place = f"{_place_in(run, row)} (the source is not there any more)"
    return Trace(row, column, value, place, events=tuple(events), rules=tuple(_rule_checks(folder, name, row)))


def _place_in(run: Mapping[str, str], row: int) -> str:
    """Say where a row of a run stood: exactly, where the lines are as many as the rows; else between which places."""
    first, last = (_LINE.fullmatch(run[one]) for one in ("place", "last_place"))
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


def _known_cell(steps: Mapping[int, Entry], column: str) -> tuple[str, dict[int, str], dict[int, str]] | None:
    """Follow a column back through the ledger; None if it was made on the way, or has never been there.

    Returns
    -------
    tuple
        Its name in the source; its name after each step; what is to be said of steps that renamed it.
    """
    name, names, said = column, {}, {}
    for number in sorted(steps, reverse=True):
        entry = steps[number]
        names[number] = name
        if not entry.active:
            continue
        earlier = next((old for old, new in entry.columns_renamed.items() if new == name), None)
        if earlier is not None:
            said[number] = f"{earlier} is called {name} from here on"
            name = earlier
        elif name in entry.columns_added or name in entry.columns_removed:
            return None
    return name, names, said


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
