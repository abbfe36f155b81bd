"""Take a step and account for it: what came in, what went out, what changed.

A step returns a `Change`: the new table, for each new row the position of the old row it comes from, and what it
set aside. It counts nothing. All counts come from comparing the tables before and after, here and nowhere else, so
that no step can miscount.

Rows. Those whose position does not occur among the sources of the new rows are gone. What that means is declared by
the kind of step (`comb.steps.base.Rows`): they were left out, or merged into an equal row; those that the change
names are set aside, with the reason. New rows without a source, and second rows of one source, were added. Then

    rows in + added = rows out + left out + set aside + merged

and a step for which that does not hold is a defect of Comb and stops at once.

Cells. A column that is the same object in both tables was not touched. Of all others, cells are compared row by row
along the sources, by value and by the reason why they are missing; some of the differences are kept as examples.

Notes are what a comparison cannot show: rows for which a condition was unknown, keys without a match.
"""

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np

from comb.errors import CombError, ParameterError, agree, counted, unknown_name, washed
from comb.execution.columnwise import for_each
from comb.execution.storage import blocks_of
from comb.kernels.grouping import Codes
from comb.parsing.letters import written_out
from comb.steps.base import Change, Rows, SetAside, Step, share_of
from comb.steps.cell_steps import HIDDEN
from comb.steps.ledger import Entry, Example
from comb.steps.record import CellChanges, StepRecord, record_of, rows_only
from comb.tables.column import Column
from comb.tables.layout import padded, shown_cells
from comb.tables.origin import Origin
from comb.tables.reasons import Reason
from comb.tables.stored import taken_column
from comb.tables.table import BareTable

# Examples shown for each column that changed.
EXAMPLES_PER_COLUMN = 3

# Texts of cells that became unreadable, in the sentence.
TEXTS_SHOWN = 3


class Taken(msgspec.Struct, frozen=True):
    """A step that was taken.

    Attributes
    ----------
    table : BareTable
        The result.
    entry : Entry
        The account of it.
    aside : BareTable
        The rows set aside, as they were before the step.
    reasons : tuple of str
        Why, for each of them.
    record : StepRecord
        What became of each row and cell.
    """

    table: BareTable
    entry: Entry
    aside: BareTable
    reasons: tuple[str, ...]
    record: StepRecord


def take_step(
    step: Step,
    table: BareTable,
    others: Mapping[str, BareTable] | None = None,
    texts_of: Callable[[BareTable, str], Column | None] = lambda table, name: None,
) -> Taken:
    """Take a step and account for it.

    Parameters
    ----------
    step : Step
    table : BareTable
    others : mapping of str to BareTable, optional
        The tables that a step with two of them may name.
    texts_of : callable, optional
        Fetches the texts of a column from the source, for steps that read them in another way; None where
        the source has changed or is gone.

    Returns
    -------
    Taken
        Cost: that of the step, and one comparison of the columns it touched.

    Raises
    ------
    CombError
        If a parameter does not fit the table.
    """
    # What is not taken is in the ledger all the same: a reader sees that it was there.
    if not step.active:
        return _not_taken(step, table)
    if step.other_table:
        known = others or {}
        if step.other_table not in known:
            what, remedy = unknown_name("table", step.other_table, list(known))
            raise ParameterError(what, remedy=remedy)
        change = step.apply_with(table, known[step.other_table])
    else:
        change = step.apply(_with_texts(step, table, texts_of))
    # Before anything is made of the result: a bound that is passed stops here.
    entry, record = _account(step, table, change)
    check_bound(step, entry)
    result = change.table._derive(notes=(*table.notes, _phrase(step, entry)))
    if table._storage.on_disk:
        result, record = result._stored(), record.stored(table._storage)
    aside = change.set_aside or SetAside(np.zeros(0, np.int64), ())
    return Taken(result, entry, table._take(aside.positions), aside.reasons, record)


def check_bound(step: Step, entry: Entry) -> None:
    """Raise a ParameterError if a step removed more rows, or changed more cells of a column, than it may."""
    if step.at_most is None:
        return
    rows = entry.rows_in
    text = step.at_most.strip()
    # 2 % of 50 is one row, whatever the float makes of it.
    most = int(text) if text.isdigit() else math.floor(share_of(text, "at_most") * rows + 1e-9)
    gone = entry.left_out + entry.set_aside + entry.merged
    worst = max(entry.cells_changed, key=entry.cells_changed.__getitem__, default="")
    cells = entry.cells_changed.get(worst, 0)
    if gone <= most and cells <= most:
        return
    count = gone if gone > most else cells
    said = f"remove {counted(gone, 'row')}" if gone > most else f"change {counted(cells, 'cell')} of {worst}"
    raise ParameterError(
        f"the step {step.name} would {said} ({100 * count / rows:.1f} % of {rows:,}), more than at_most: {text}",
        remedy="look at what is different this time; if it is right, give a larger at_most",
    )


def load_entry(origin: Origin) -> Entry | None:
    """Return the entry that begins a ledger: what became of the lines of the source; None for a table without one."""
    account = origin.account
    if account is None:
        return None
    totals = [f"total of {one.column} in {one.place} is {one.given}, its parts add up to {one.parts}"
              for one in origin.wrong_totals]  # fmt: skip
    return Entry(
        step="load", says=f"{origin.name} read", rows_in=account.read, added=account.added,
        rows_out=account.rows, left_out=0, set_aside=sum(account.set_aside.values()),
        merged=0, taken_off=account.left_out, notes=[account.says, *totals],
    )  # fmt: skip


def ledger_of(name: str, steps: Sequence[Taken], sources: Mapping[str, Origin]) -> list[Entry]:
    """Return the ledger of a table of a plan; that of one that builds on another begins with its first step."""
    first = load_entry(sources[name]) if name in sources else None
    return [*([] if first is None else [first]), *(one.entry for one in steps)]


def _with_texts(step: Step, table: BareTable, texts_of: Callable[[BareTable, str], Column | None]) -> BareTable:
    """Return the table with the texts of columns that a step reads in another way."""
    columns = dict(table.columns)
    for name in step.rereads(table):
        texts = texts_of(table, name)
        if texts is None:
            message = f"{name} was read as {table[name].type} by other marks, and its texts cannot be read again"
            remedy = f"take this step before others change {name}, or load it as text: types={{{name!r}: 'string'}}"
            raise ParameterError(message, remedy=remedy)
        columns[name] = texts
    return table._derive(columns) if step.rereads(table) else table


def _not_taken(step: Step, table: BareTable) -> Taken:
    """Return the account of a step that is listed only: every row comes out as it went in."""
    entry = Entry(
        step=step.name, says=f"not active: {step.describe()}", why=step.why or "", active=False,
        rows_in=table.row_count, added=0, rows_out=table.row_count, left_out=0, set_aside=0, merged=0,
    )  # fmt: skip
    rows = rows_only(table)
    return Taken(table, entry, table._take(np.zeros(0, np.int64)), (), StepRecord(rows, rows, table.names))


def _phrase(step: Step, entry: Entry) -> str:
    """Say what a step did, for the sentence over the printed table."""
    counts = entry.counts()
    named = entry.columns_removed and step.names_columns
    if named and (entry.added or entry.left_out or entry.set_aside):
        # Which columns there are was said, but not that there are other rows.
        counts, named = entry.rows_said(), []
    plain = not counts or entry.moved or entry.columns_renamed or named
    said = entry.says if plain else f"{entry.says} ({counts})"
    # The names of keys without a match are many; how many found one is said.
    notes = entry.notes[:1] if entry.step == "join" else entry.notes
    return ": ".join([said, ", ".join(notes)]) if notes else said


def _account(step: Step, before: BareTable, change: Change) -> tuple[Entry, StepRecord]:
    after = change.table
    gone: dict[str, Any] = _rows_gone(step, before, change)
    # A renamed column is compared with the one it was.
    old_names = change.renamed or {}
    origin_of = {name: old_names.get(name, name) for name in after.names}
    shared = {name: old for name, old in origin_of.items() if old in before}
    changes, examples = _cells_changed(before, change, shared)
    types = {
        name: [str(before[old].type), str(after[name].type)]
        for name, old in shared.items()
        if before[old].type != after[name].type
    }
    notes, losses = _losses(step, before, change, origin_of)
    kept = set(shared.values())
    entry = Entry(
        step=step.name,
        says=step.describe(),
        why=step.why or "",
        rows_in=before.row_count,
        rows_out=after.row_count,
        moved=_rows_moved(before, change),
        columns_added=[name for name in after.names if name not in shared],
        columns_removed=[name for name in before.names if name not in kept],
        columns_renamed={old: new for new, old in old_names.items()},
        types_changed=types,
        cells_changed={name: len(one.positions) for name, one in changes.items()},
        examples=examples,
        notes=[*change.notes, *notes],
        losses={**(change.losses or {}), **losses},
        **gone,
    )
    return entry, record_of(step, before, change, changes)


def _rows_gone(step: Step, before: BareTable, change: Change) -> dict[str, Any]:
    """Count the rows added, left out, set aside and merged."""
    aside = change.set_aside.positions if change.set_aside else np.zeros(0, np.int64)
    used = change.rows_used(before.row_count)
    kept = int(np.count_nonzero(used))
    lost = before.row_count - kept
    # Neither in the result nor set aside: left out or merged, as the kind of step says.
    others = lost - len(aside)
    added = change.table.row_count - kept
    if used[aside].any() or others < 0 or (others and step.accounting is Rows.SAME):
        raise CombError(
            f"the rows of the step {step.name} do not add up: {before.row_count:,} in, "
            f"{change.table.row_count:,} out, {len(aside):,} set aside, {others:,} not accounted for",
            remedy="this is a defect of Comb; please report it with the plan",
        )
    merged = others - change.left_out if step.accounting is Rows.MERGED else 0
    return {"added": added, "left_out": others - merged, "set_aside": len(aside), "merged": merged}


def _rows_moved(before: BareTable, change: Change) -> int:
    # Where rows came or went, the others have other places anyhow.
    if change.sources is None or len(change.sources) != before.row_count:
        return 0
    return sum(
        int(np.count_nonzero(change.sources[rows] != np.arange(rows.start, rows.stop)))
        for rows in blocks_of(before.row_count)
    )


def _cells_changed(
    before: BareTable, change: Change, shared: dict[str, str]
) -> tuple[dict[str, CellChanges], list[Example]]:
    changes: dict[str, CellChanges] = {}
    examples: list[Example] = []
    if change.rows_only:
        return changes, examples
    sources, storage = change.sources, before._storage

    def changed(name: str) -> tuple[CellChanges, list[Example]] | None:
        earlier, later = before[shared[name]], change.table[name]
        # Each new row beside the row it comes from.
        aligned = earlier if sources is None else taken_column(earlier, _known(sources), storage)
        differ = ~_alike(aligned, later)
        # Rows that come from none have changed nothing.
        where = np.flatnonzero(differ if sources is None else differ & (sources >= 0))
        if not len(where):
            return None
        detail = change.details.get(name)
        cells = CellChanges(
            where,
            taken_column(aligned, where, storage),
            taken_column(later, where, storage),
            None if detail is None else detail.take(where),
        )
        return cells, _examples(name, aligned, later, change.table.row_numbers, where)

    # The same object was not touched: that is what makes steps on a few of many columns cheap.
    touched = [
        name
        for name, old in shared.items()
        if before[old] is not change.table[name] and name not in change.moved and len(before[old])
    ]
    for name, one in zip(touched, for_each(changed, touched, before.row_count, storage), strict=True):
        if one is not None:
            changes[name], shown = one
            examples += shown
    return changes, examples


def _known(sources: Codes) -> Codes:
    """Return positions to take from, any for rows that come from none."""
    return sources if sources.min(initial=0) >= 0 else np.maximum(sources, 0)


def _losses(
    step: Step, before: BareTable, change: Change, origin_of: dict[str, str]
) -> tuple[list[str], dict[str, int]]:
    """Say which cells became unreadable, with the commonest texts, and which results do not exist; and count them."""
    notes: list[str] = []
    losses = Counter[str]()
    if change.rows_only:
        return notes, losses
    earlier_ones = before.columns
    for name, column in change.table.columns.items():
        earlier = earlier_ones.get(origin_of[name])
        if column.state is None or earlier is column:
            continue
        held = np.zeros(len(column), np.uint8)
        if earlier is not None:
            sources = change.sources
            held = earlier.states if sources is None else held
            if sources is not None and len(earlier):
                held = earlier.states[_known(sources)]
        lost = (column.state == Reason.UNREADABLE) & (held != Reason.UNREADABLE)
        # What another table or another column brings along was unreadable there.
        if lost.any() and (earlier is not None or step.name == "calculate"):
            losses["unreadable cells"] += int(lost.sum())
            texts = Counter(text for at, text in column.kept.texts.items() if lost[at])
            shown = ", ".join(f"{washed(text)!r} ({count:,})" for text, count in texts.most_common(TEXTS_SHOWN))
            more = f" and {len(texts) - TEXTS_SHOWN:,} other texts" if len(texts) > TEXTS_SHOWN else ""
            notes.append(
                f"{counted(int(lost.sum()), 'cell')} of {name} became unreadable{': ' if shown else ''}{shown}{more}"
            )
        undefined = int(np.count_nonzero((column.state == Reason.UNDEFINED) & (held != Reason.UNDEFINED)))
        if undefined:
            losses["results that do not exist"] += undefined
            notes.append(f"{counted(undefined, 'result')} of {name} {agree(undefined, 'does', 'do')} not exist")
    return notes, losses


def _alike(earlier: Column, later: Column) -> np.ndarray:
    """Return which cells are the same; between two types, which are missing equal."""
    if earlier.type == later.type:
        return earlier._same_cells(later)
    return np.equal(earlier.states, later.states)


def _examples(name: str, earlier: Column, later: Column, numbers: Codes, where: Codes) -> list[Example]:
    """Show some changed cells, different ones first."""
    seen: dict[tuple[str, str], int] = {}
    # A few times as many are looked at, so that the examples are not all of one kind.
    some = where[: EXAMPLES_PER_COLUMN * 20]
    for at, old, new in zip(some.tolist(), cells_as_shown(earlier, some), cells_as_shown(later, some), strict=True):
        seen.setdefault((old, new), at)
    return [Example(int(numbers[at]), name, old, new) for (old, new), at in list(seen.items())[:EXAMPLES_PER_COLUMN]]


def shown_cell(column: Column, position: int) -> str:
    """Return a cell as people read it; a text that was kept stands behind its reason."""
    return cells_as_shown(column, np.array([position]))[0]


def cells_as_shown(column: Column, positions: Codes) -> list[str]:
    """Return some cells as people read them, as `shown_cell` does."""
    cells = column._take(positions)
    shown = [span.text for span in shown_cells(cells)]
    if column.type.textual:
        for at, text in enumerate(cells.texts()):
            if text and (HIDDEN.search(text) or written_out(text) != text):
                shown[at] = shown_text(text)
    if column.kept.texts:
        kept = (column.kept.texts.get(position) for position in positions.tolist())
        shown = [one if text is None else f"{one} {text!r}" for one, text in zip(shown, kept, strict=True)]
    return shown


def shown_text(text: str) -> str:
    """Return a text with what cannot be seen written out: else a text would become the same text.

    >>> shown_text("Mill\\u00a0lane")
    'Mill\\\\xa0lane'
    """
    return padded(HIDDEN.sub(lambda found: ascii(found[0])[1:-1], written_out(text)))
