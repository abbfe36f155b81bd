"""What the commands show, as lines of spans. Pure: results in, lines out."""

import shlex
import textwrap
from collections.abc import Sequence

import yaml

from comb.cli.terminal import columns_of
from comb.errors import ColumnError, agree, counted, unknown_name, washed
from comb.plans.model import step_record
from comb.plans.rules import RuleResult
from comb.plans.run import Outcome
from comb.profiling.codes import Code, explained
from comb.profiling.differences import Comparison
from comb.profiling.finding import Finding
from comb.profiling.profile import Profile, group_line, grouped
from comb.profiling.related import Together
from comb.profiling.summaries import Summary
from comb.profiling.unreadable import KeptText
from comb.reading.inspect import ColumnReading, Inspection, TableReading
from comb.report.dictionary import missing_words, values_words
from comb.steps.base import Step
from comb.steps.ledger import Entry, first_number, total
from comb.steps.trace import Trace
from comb.tables.evidence import PROPOSED, Candidate
from comb.tables.layout import Line, Span, cut_end
from comb.tables.origin import MADE
from comb.tables.types import STRING

MOST_ROWS_LISTED = 6

# What is decided for each file of delimited text, and says nothing of several inside an archive.
_LAYOUT = frozenset({"encoding", "delimiter", "quote", "above the header", "header"})
MOST_VALUES_LISTED = 3

# Lines are not broken at less than this, however narrow the screen.
LEAST_WRAPPED = 40

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


def _line(text: str, style: str = "plain") -> Line:
    return [Span(text, style)]


def _heads(*words: str) -> list[Span]:
    return [Span(word, "dim") for word in words]


def inspection_view(inspection: Inspection, width: int) -> list[Line]:
    """Show how a source is read, and the types of its columns."""
    table = inspection.tables[0]
    size = f"{inspection.size:,} bytes"
    if len(inspection.tables) > 1:
        return _several_tables(inspection, size, width)
    said = f"{inspection.name}: {size}, {counted(table.rows, 'row')} and {counted(len(table.columns), 'column')}"
    if table.provisional:
        said = (
            f"{inspection.name}: {size}, {len(table.columns)} columns; the first {table.rows:,} rows were looked at, "
            "so the types are provisional"
        )
    lines = [_line(said, "said"), []]
    rows = [_heads("decided", "", "because", "change it with")]
    for one in inspection.decisions:
        why = one.why + (f"; next best {one.runner_up}" if one.runner_up else "")
        rows.append(
            [Span(one.what), Span(one.value, "head"), Span(why), Span(f"--{one.option}" if one.option else "", "dim")]
        )
    lines += columns_of(rows, width=width)
    message = _around(table)
    message += [_line(note) for note in table.notes]
    lines += [[], *message] if message else []
    return [*lines, [], *_types_view(table, width)]


def _several_tables(inspection: Inspection, size: str, width: int) -> list[Line]:
    said = f"{inspection.name}: {size}, {counted(len(inspection.tables), 'table')}"
    if inspection.tables[0].provisional:
        said += "; only the beginning was looked at, so rows, columns and types are provisional"
    lines = [*_wrapped(said, width), []]
    for number, table in enumerate(inspection.tables, 1):
        first = "the first " if table.provisional else ""
        extent = f"  {first}{counted(table.rows, 'row')} and {counted(len(table.columns), 'column')}"
        lines.append([Span(f"{number}  ", "dim"), Span(washed(table.name), "head"), Span(extent)])
        lines.append(_line(f"   {washed(table.place)}", "dim"))
        lines.append(_line("   " + ", ".join(washed(column.name) for column in table.columns)))
        lines += [[Span("   "), *line] for line in _around(table)]
        lines += [line for note in table.notes for line in _wrapped(f"   {washed(note)}", width)]
        lines.append([])
    facts = [one for one in inspection.decisions if one.what not in _LAYOUT]
    rows = [[Span(one.what, "dim"), Span(washed(one.value)), Span(washed(one.why), "dim")] for one in facts]
    lines += [*columns_of(rows, width=width), []] if rows else []
    last = shlex.quote(inspection.tables[-1].name)
    return [*lines, _line(f"one of them: --table 1, or by its name: --table {last}", "dim")]


def _types_view(table: TableReading, width: int) -> list[Line]:
    rows = [_heads("column", "type", "missing", "evidence")]
    for column in table.columns:
        missing = Span(f"{column.missing:,}" if column.missing else "-", "dim" if not column.missing else "plain")
        rows.append([Span(column.name, "head"), Span(column.type), missing, Span(_short_evidence(column))])
    return columns_of(rows, right=[2], width=width)


def _short_evidence(column: ColumnReading) -> str:
    evidence = column.evidence
    if evidence is None:
        return ""
    chosen = evidence.chosen
    parts = [chosen.pattern] if chosen.pattern else []
    if chosen.misfits:
        parts.append(f"{chosen.misfits:,} of {chosen.fits + chosen.misfits:,} do not fit: ")
        parts[-1] += ", ".join(map(repr, evidence.examples[:3]))
    elif chosen.type.word != "string":
        parts.append(f"all {chosen.fits:,} fit")
    proposed = [f"could be a {one.type}" for one in evidence.tried if one.doubt.startswith(PROPOSED)]
    return "; ".join([*parts, *evidence.why[:1], *proposed])


def column_view(inspection: Inspection, name: str) -> list[Line]:
    """Show everything that speaks for and against the type of one column."""
    columns = {column.name: column for column in inspection.tables[0].columns}
    if name not in columns:
        what, remedy = unknown_name("column", name, list(columns))
        raise ColumnError(what, remedy=remedy)
    column = columns[name]
    evidence = column.evidence
    message = f"{name} is {evidence.chosen.type.in_full if evidence else column.type}"
    lines = [_line(f"{message}, {counted(column.missing, 'cell')} missing", "said")]
    if evidence is None:
        return lines
    rows = [_heads("could be", "written", "fit", "do not", "")]
    tried = list(evidence.tried) or [one for one in (evidence.chosen, evidence.runner_up) if one]
    if evidence.chosen not in tried:
        tried.insert(0, evidence.chosen)
    if not any(one.type == STRING for one in tried):
        # Whatever it is, it could stay text.
        tried.append(Candidate(STRING, evidence.chosen.fits + evidence.chosen.misfits, 0))
    for one in tried:
        chosen = one == evidence.chosen
        verdict = "declared" if chosen and evidence.declared else "chosen" if chosen else one.doubt
        if one == evidence.runner_up:
            verdict = f"next best{': ' if verdict else ''}{verdict}"
        style = "head" if chosen else "plain"
        counts = [Span(f"{one.fits:,}", style), Span(f"{one.misfits:,}", style)]
        rows.append([Span(one.type.in_full, style), Span(one.pattern, style), *counts, Span(verdict, style)])
    details = [[Span("because", "dim"), Span(why)] for why in evidence.why]
    details += [[Span("does not fit", "dim"), Span(washed(repr(text)))] for text in evidence.examples]
    return [*lines, [], *columns_of(rows, right=[2, 3]), *([[], *columns_of(details)] if details else [])]


def profile_view(profile: Profile, width: int, *, chosen: bool = False) -> list[Line]:
    """Show what matters most, the summaries of all columns, then the findings.

    Parameters
    ----------
    profile : Profile
    width : int
    chosen : bool
        Whether only some findings were asked for: then nothing else is shown.
    """
    count = counted(len(profile.findings), "finding")
    lines = [_line(profile.sentence, "said"), []]
    if not chosen:
        if len(profile.findings) > 1:
            lines += [_line(f"{count}; what matters most comes first", "said"), *_what_matters(profile, width), []]
        rows = [_heads("column", "type", "missing", "distinct", "values")]
        rows += [_summary_row(summary) for summary in profile.columns]
        lines += [*columns_of(rows, right=[3], width=width), []]
        lines += [line for text in profile.gaps.lines() for line in _wrapped(text, width)]
        lines += [[]] if profile.gaps.lines() else []
    if not profile.findings:
        lines.append(_line("nothing was found that looks wrong", "said"))
    elif chosen or len(profile.findings) == 1:
        lines.append(_line(count, "said"))
    else:
        lines.append(_line("in detail", "said"))
    for group in grouped(profile.findings):
        lines += finding_lines(group[0], width) if len(group) == 1 else _group_lines(group, width)
    lines += _settled(profile)
    return lines + [_line(f"not looked at: {limit}", "dim") for limit in profile.limits]


def _what_matters(profile: Profile, width: int) -> list[Line]:
    """Show what matters most, a line for each kind, under what it would give."""
    lines: list[Line] = []
    last = None
    for severity, text in profile.what_matters():
        said = f"would give {severity.words}" if severity > 1 else "untidy"
        head = "" if severity == last else said
        room = max(20, width - 28)
        lines.append([Span(f"  {head:<26}", "head"), Span(cut_end(washed(text), room))])
        last = severity
    return lines


def _group_lines(group: Sequence[Finding], width: int) -> list[Line]:
    """Show several findings of one kind as one."""
    lines = _beside(group[0].code, group_line(group), width)
    for remedy in [one.remedy for one in group if one.remedy]:
        lines += _beside("", f"remedy: {step_line(remedy)}", width)
    names = [one.columns[0] for one in group if one.columns and not one.remedy]
    return lines + (_beside("", f"one of them: --only {shlex.quote(names[0])}", width) if names else [])


def _settled(profile: Profile) -> list[Line]:
    if not profile.accepted:
        return []
    lines: list[Line] = [[], _line(f"{counted(len(profile.accepted), 'finding')} settled", "said")]
    for finding, why in profile.accepted:
        lines.append([Span(f"{finding.code:<20}", "dim"), Span(washed(f"{', '.join(finding.columns)}: {why}"), "dim")])
    return lines


def explanation_view(code: Code, width: int) -> list[Line]:
    """Show what a kind of finding is."""
    lines: list[Line] = [[Span(code.code, "head"), Span(f": {code.says}")], []]
    return lines + [line for part in explained(code) for line in _wrapped(part, width)]


def together_view(found: Together, width: int) -> list[Line]:
    """Show what refers to what among several tables, keys without a partner, and what matters most in each."""
    lines = [_line(f"{len(found.profiles)} tables: {', '.join(found.profiles)}", "said"), []]
    if not found.links:
        lines.append(_line("no column refers to a key of another table"))
    for link in found.links:
        lines += _wrapped(str(link), width)
    for finding in found.findings:
        lines += [[], *finding_lines(finding, width, len(finding.examples))]
    for name, profile in found.profiles.items():
        lines += [[], _line(f"{name}: {counted(len(profile.findings), 'finding')}", "said")]
        lines += _what_matters(profile, width)
    return lines


def one_column_view(
    sentence: str, summary: Summary, findings: Sequence[Finding], texts: Sequence[KeptText], width: int
) -> list[Line]:
    """Show the summary of one column, its findings, and all texts that were not read as a value."""
    rows = [_heads("column", "type", "missing", "distinct", "values"), _summary_row(summary)]
    lines = [_line(sentence, "said"), [], *columns_of(rows, right=[3], width=width)]
    for finding in findings:
        lines += [[], *finding_lines(finding, width)]
    if not texts:
        return [*lines, [], _line("every text was read as a value" if summary.type != "string" else "")]
    lines += [[], _line(f"{counted(len(texts), 'text')} not read as a value", "said")]
    listed = [_heads("text", "reason", "cells", "rows")]
    for one in texts:
        shown = ", ".join(map(str, one.rows[: 2 * MOST_ROWS_LISTED]))
        more = " ..." if one.count > 2 * MOST_ROWS_LISTED else ""
        listed.append(
            [Span(washed(repr(one.text)), "head"), Span(one.reason), Span(f"{one.count:,}"), Span(shown + more)]
        )
    return [*lines, *columns_of(listed, right=[2], width=width)]


def _summary_row(summary: Summary) -> list[Span]:
    missing = missing_words(summary)
    return [
        Span(summary.name, "head"),
        Span(summary.type),
        Span("-", "dim") if missing == "none" else Span(f"{missing} ({summary.missing_count / summary.count:.1%})"),
        Span(f"{summary.distinct:,}"),
        Span(washed(_values(summary))),
    ]


def _values(summary: Summary) -> str:
    """Say more of numbers than the dictionary does."""
    details = summary.details
    message = values_words(summary)
    if "sd" in details and details["sd"] is not None:
        message += f", mean {details['mean']:.4g}, sd {details['sd']:.4g}"
    return message


# What is said of a finding begins here.
MARGIN = 20


def finding_lines(finding: Finding, width: int, examples: int = 3) -> list[Line]:
    """Show a finding in a few lines: what, where, how to repair it."""
    lines = _beside(finding.code, finding.text, width)
    where = []
    if len(finding.examples) > 1:
        where.append("for instance " + ", ".join(finding.examples[:examples]))
    if len(finding.rows) and (finding.remedy is None or len(finding.rows) < 2 * MOST_ROWS_LISTED):
        where.append(
            agree(len(finding.rows), "row ", "rows ") + ", ".join(map(str, finding.rows[:MOST_ROWS_LISTED].tolist()))
        )
        where[-1] += " ..." if len(finding.rows) > MOST_ROWS_LISTED else ""
    if where:
        lines += _beside("", "; ".join(where), width)
    if finding.remedy:
        lines += _beside("", f"remedy: {step_line(finding.remedy)}", width)
    return lines


def _beside(code: str, text: str, width: int) -> list[Line]:
    """Show a text behind the code of a finding, broken between words; without a code it is dim."""
    room = max(width, LEAST_WRAPPED + MARGIN) - MARGIN
    parts = textwrap.wrap(washed(text), room, break_long_words=False, break_on_hyphens=False) or [""]
    first: Line = [Span(f"{code:<{MARGIN}}", "head"), Span(parts[0])] if code else _line(" " * MARGIN + parts[0], "dim")
    return [first, *(_line(" " * MARGIN + part, "plain" if code else "dim") for part in parts[1:])]


def _around(table: TableReading) -> list[Line]:
    """Show what is above and below a table."""
    above = [_line(f"text above the table: {washed(title)}", "dim") for title in table.titles]
    return above + [_line(f"text below the table: {washed(footer)}", "dim") for footer in table.footers]


def step_line(step: Step) -> str:
    """Write a step in one line, as a plan would; of many or long values the first, and how many there are."""
    for most in range(MOST_VALUES_LISTED, 0, -1):
        line = _step_with(step, most)
        if len(line) <= LONGEST_STEP:
            break
    return line


# A step with more signs than this shows fewer of its values.
LONGEST_STEP = 160


def _step_with(step: Step, most: int) -> str:
    record = {key: value for key, value in step_record(step).items() if key not in ("step", "why")}
    shown, cut = {}, []
    for key, value in record.items():
        shown[key] = value
        if isinstance(value, dict | list) and len(value) > most:
            first = list(value.items() if isinstance(value, dict) else value)[:most]
            shown[key] = dict(first) if isinstance(value, dict) else first
            cut.append(f"{most} of {len(value)} {key} shown")
    message = yaml.safe_dump(shown, default_flow_style=True, sort_keys=False, allow_unicode=True, width=10_000)
    more = f" ({'; '.join(cut)})" if cut else ""
    return washed(f"{step.name} {message.strip()[1:-1]}".strip() + more)


def run_view(outcome: Outcome, width: int) -> list[Line]:
    """Show the ledger of every table, its total, and the rules."""
    lines = _comparisons(outcome, width)
    for name, entries in outcome.ledger.items():
        lines += [_line(_table_sentence(name, outcome), "said"), []]
        lines += _ledger_table(entries, width)
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


def _ledger_table(entries: Sequence[Entry], width: int) -> list[Line]:
    if not entries:
        return [_line("no steps: the table is as it was read")]
    whole = total(list(entries))
    cells = sum(sum(entry.cells_changed.values()) for entry in entries)
    used = [name for name in _COUNTS if name in ("rows_in", "rows_out") or getattr(whole, name)]
    rows = [_heads("", "step", *(_COUNTS[name] for name in used), *(["cells"] if cells else []), "what")]
    for number, entry in enumerate([*entries, whole], first_number(entries)):
        counts = [getattr(entry, name) for name in used]
        counts += [sum(entry.cells_changed.values()) if entry is not whole else cells] if cells else []
        shown = [Span(f"{count:,}" if count else "-", "plain" if count else "dim") for count in counts]
        label = Span("" if entry is whole else str(number), "dim")
        rows.append([label, Span(entry.step, "head"), *shown, Span(washed(entry.says))])
    right = [0, *range(2, len(rows[0]) - 1)]
    lines = [*columns_of(rows, right=right, width=width), _line(f"    {adds_up_line(whole)}", "head")]
    for number, entry in enumerate(entries, first_number(entries)):
        lines += [_line(f"step {number}, {entry.step}: {washed(note)}") for note in entry.notes]
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
        lines += [_line(part, style) for part in parts]
    return lines


def trace_view(trace: Trace, width: int) -> list[Line]:
    """Show the history of a cell, from its source on."""
    lines: list[Line] = []
    for at, text in enumerate(trace.lines()):
        inner = len(text) - len(text.lstrip())
        style = "said" if not at else "dim" if inner > 2 else "plain"
        parts = textwrap.wrap(washed(text), max(width, LEAST_WRAPPED), subsequent_indent=" " * (inner + 2),
                              break_long_words=False)  # fmt: skip
        lines += [_line(part, style) for part in parts or [""]]
    return lines


def _wrapped(text: str, width: int) -> list[Line]:
    """Break a long line between words; what follows is moved in as far as its beginning."""
    inner = " " * (len(text) - len(text.lstrip()))
    parts = textwrap.wrap(text, max(width, LEAST_WRAPPED), subsequent_indent=inner, break_long_words=False)
    return [_line(part, "dim") for part in parts]


def dry_run_view(outcome: Outcome, width: int) -> list[Line]:
    """Show what each step would change, with examples."""
    lines = _comparisons(outcome, width)
    for name, entries in outcome.ledger.items():
        lines += [_line(_table_sentence(name, outcome) + " (dry run)", "said")]
        for number, entry in enumerate(entries, first_number(entries)):
            lines += [[], [Span(f"{number:>2}  "), Span(entry.step, "head"), Span(f"  {washed(entry.says)}")]]
            lines.append(_line(f"    {entry.counts()}"))
            lines += _wrapped(f"    why: {washed(entry.why)}", width) if entry.why else []
            for note in entry.notes:
                lines += _wrapped(f"    {washed(note)}", width)
            rows = [
                [Span(f"    row {one.row}"), Span(one.column), Span(f"{one.before}  becomes  {one.after}")]
                for one in entry.examples[:MOST_ROWS_LISTED]
            ]
            lines += columns_of(rows, width=width)
        lines += [[], *([_line(adds_up_line(total(list(entries))), "head")] if entries else [])]
        lines += [*(_rule_line(result) for result in outcome.rules[name]), []]
    return lines
