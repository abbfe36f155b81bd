"""What a plan did: the ledger, rules, differences between sources, the history of a cell."""

import textwrap
from collections.abc import Sequence

from comb.errors import counted, washed
from comb.plans.outcome import Outcome
from comb.plans.rules import RuleResult
from comb.profiling.differences import Comparison
from comb.steps.ledger import Entry, first_number, total
from comb.steps.trace import Trace, history_lines
from comb.tables.layout import Line, Span
from comb.tables.origin import MADE
from comb.views.lines import LEAST_WRAPPED, columns_of, heads, text_line, wrapped
from comb.views.profiles import MOST_ROWS_LISTED

# The counts of a ledger, and the words over their columns.
_COUNTS = {
    "rows_in": "in",
    "added": "added",
    "rows_out": "out",
    "no_rows": "taken off",
    "left_out": "left out",
    "set_aside": "set aside",
    "merged": "merged",
}


def run_view(outcome: Outcome, width: int) -> list[Line]:
    """Show the ledger of every table, its total, and the rules."""
    lines = _comparisons(outcome, width)
    for name, entries in outcome.ledger.items():
        lines += [text_line(_table_sentence(name, outcome), "said"), []]
        lines += ledger_view(entries, width)
        lines += [_rule_line(result) for result in outcome.rules[name]]
        lines.append([])
    return lines


def _comparisons(outcome: Outcome, width: int) -> list[Line]:
    """Show what is different about other sources than those the plan was made on."""
    return [line for one in outcome.comparisons.values() for line in (*comparison_view(one, width), [])]


def _table_sentence(name: str, outcome: Outcome) -> str:
    table = outcome.tables[name]
    size = f"{counted(table.row_count, 'row')} and {counted(len(table.names), 'column')}"
    return f"{name}: {size}, from {table.origin.name.removeprefix(MADE)}"


def ledger_view(entries: Sequence[Entry], width: int) -> list[Line]:
    """Show the entries of a ledger, a line for each step, and how they add up."""
    if not entries:
        return [text_line("no steps: the table is as it was read")]
    whole = total(list(entries))
    cells = sum(sum(entry.cells_changed.values()) for entry in entries)
    used = [name for name in _COUNTS if name in ("rows_in", "rows_out") or getattr(whole, name)]
    rows = [heads("", "step", *(_COUNTS[name] for name in used), *(["cells"] if cells else []), "what")]
    for number, entry in enumerate([*entries, whole], first_number(entries)):
        counts = [getattr(entry, name) for name in used]
        counts += [sum(entry.cells_changed.values()) if entry is not whole else cells] if cells else []
        shown = [Span(f"{count:,}" if count else "-", "plain" if count else "dim") for count in counts]
        label = Span("" if entry is whole else str(number), "dim")
        rows.append([label, Span(entry.step, "head"), *shown, Span(washed(entry.says))])
    right = [0, *range(2, len(rows[0]) - 1)]
    lines = [*columns_of(rows, right=right, width=width), text_line(f"    {adds_up_line(whole)}", "head")]
    for number, entry in enumerate(entries, first_number(entries)):
        lines += [text_line(f"step {number}, {entry.step}: {washed(note)}") for note in entry.notes]
    return lines


def adds_up_line(entry: Entry) -> str:
    """Say how the rows of an entry add up, leaving out what is nothing."""
    before = [f"{entry.rows_in:,} in", *([f"{entry.added:,} added"] if entry.added else [])]
    after = [f"{entry.rows_out:,} out"]
    after += [f"{counted(entry.no_rows, 'line')} taken off"] if entry.no_rows else []
    for name in ("left_out", "set_aside", "merged"):
        count = getattr(entry, name)
        after += [f"{count:,} {name.replace('_', ' ')}"] if count else []
    sign = "=" if entry.adds_up else "IS NOT"
    return f"{' + '.join(before)} {sign} {' + '.join(after)}"


def _rule_line(result: RuleResult) -> Line:
    message = f"met by {counted(result.met, result.unit)}, broken by {result.broken:,}"
    message += f", {result.not_checked:,} not checked" if result.not_checked else ""
    if result.unit in ("figure", "table"):
        message = "met" if result.met else "BROKEN" if result.broken else "not checked"
        message += f": it is {result.found}" if result.found else ""
    rows = ", ".join(map(str, result.rows[:MOST_ROWS_LISTED].tolist()))
    where = f" (rows {rows}{' ...' if len(result.rows) > MOST_ROWS_LISTED else ''})" if len(result.rows) else ""
    return [Span("rule  ", "dim"), Span(washed(result.rule.says), "head"), Span(f"  {message}{where}")]


def comparison_view(comparison: Comparison, width: int) -> list[Line]:
    """Show what is different between two tables."""
    return difference_lines(comparison.lines(), width)


def difference_lines(texts: Sequence[str], width: int) -> list[Line]:
    """Wrap the lines of a comparison, the first of which is a sentence."""
    lines: list[Line] = []
    for at, text in enumerate(texts):
        inner = " " * (11 if text.startswith("  ") and not text.startswith("    ") else 6)
        parts = textwrap.wrap(washed(text), max(width, LEAST_WRAPPED), subsequent_indent=inner, break_long_words=False)
        style = "said" if not at else "dim" if text.startswith(" " * 11) else "plain"
        lines += [text_line(part, style) for part in parts]
    return lines


def trace_view(traces: Sequence[Trace], width: int) -> list[Line]:
    """Show the histories of cells, each from its source on, with an empty line between them."""
    lines: list[Line] = []
    for told in history_lines(traces):
        lines += [[]] if lines else []
        lines += _told(told, width)
    return lines


def _told(history: list[str], width: int) -> list[Line]:
    lines: list[Line] = []
    for at, text in enumerate(history):
        inner = len(text) - len(text.lstrip())
        style = "said" if not at else "dim" if inner > 2 else "plain"
        parts = textwrap.wrap(washed(text), max(width, LEAST_WRAPPED), subsequent_indent=" " * (inner + 2),
                              break_long_words=False)  # fmt: skip
        lines += [text_line(part, style) for part in parts or [""]]
    return lines


def dry_run_view(outcome: Outcome, width: int) -> list[Line]:
    """Show what each step would change, with examples."""
    lines = _comparisons(outcome, width)
    for name, entries in outcome.ledger.items():
        lines += [text_line(_table_sentence(name, outcome) + " (dry run)", "said")]
        for number, entry in enumerate(entries, first_number(entries)):
            lines += [[], [Span(f"{number:>2}  "), Span(entry.step, "head"), Span(f"  {washed(entry.says)}")]]
            lines.append(text_line(f"    {entry.counts()}"))
            lines += wrapped(f"    why: {washed(entry.why)}", width) if entry.why else []
            for note in entry.notes:
                lines += wrapped(f"    {washed(note)}", width)
            rows = [
                [Span(f"    row {one.row}"), Span(one.column), Span(f"{one.before}  becomes  {one.after}")]
                for one in entry.examples[:MOST_ROWS_LISTED]
            ]
            lines += columns_of(rows, width=width)
        lines += [[], *([text_line(adds_up_line(total(list(entries))), "head")] if entries else [])]
        lines += [*(_rule_line(result) for result in outcome.rules[name]), []]
    return lines
