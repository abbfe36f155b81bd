"""What a table holds and what was noticed about it: profiles, findings, one column."""

import shlex
from collections.abc import Sequence

from comb.errors import agree, counted, washed
from comb.plans.step_text import step_line
from comb.profiling.codes import Code, explained
from comb.profiling.finding import Finding
from comb.profiling.profile import Profile, group_line, grouped
from comb.profiling.related import Together
from comb.profiling.summaries import Summary
from comb.report.dictionary import values_words
from comb.statistics.distribution import SMALL
from comb.statistics.figures import plain_figure
from comb.tables.bars import block_bars, share_words
from comb.tables.layout import GAP, Line, Span, cut_end, cut_middle, plain, text_width
from comb.views.lines import MARGIN, beside, columns_of, heads, text_line, wrapped

MOST_ROWS_LISTED = 6


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
    lines = [text_line(profile.sentence, "said"), []]
    if not chosen:
        if len(profile.findings) > 1:
            lines += [text_line(f"{count}; what matters most comes first", "said"), *_what_matters(profile, width), []]
        lines += [*summary_lines(profile.columns, width), []]
        lines += [line for text in profile.gaps.lines() for line in wrapped(text, width)]
        lines += [[]] if profile.gaps.lines() else []
    if not profile.findings:
        lines.append(text_line("nothing was found that looks wrong", "said"))
    elif chosen or len(profile.findings) == 1:
        lines.append(text_line(count, "said"))
    else:
        lines.append(text_line("in detail", "said"))
    for group in grouped(profile.findings):
        lines += finding_lines(group[0], width) if len(group) == 1 else _group_lines(group, width)
    lines += _settled(profile)
    return lines + [text_line(f"not looked at: {limit}", "dim") for limit in profile.limits]


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
    lines = beside(group[0].code, group_line(group), width)
    for remedy in [one.remedy for one in group if one.remedy]:
        lines += beside("", f"remedy: {step_line(remedy)}", width)
    names = [one.columns[0] for one in group if one.columns and not one.remedy]
    lines += [] if len(names) < len(group) else _by_hand(group[0], width)
    return lines + (beside("", f"one of them: --only {shlex.quote(names[0])}", width) if names else [])


def _by_hand(finding: Finding, width: int) -> list[Line]:
    ways = finding.by_hand
    return beside("", f"by hand: {ways}", width) if ways else []


def _settled(profile: Profile) -> list[Line]:
    if not profile.accepted:
        return []
    lines: list[Line] = [[], text_line(f"{counted(len(profile.accepted), 'finding')} settled", "said")]
    for finding, why in profile.accepted:
        lines.append(
            [Span(f"{finding.code:<{MARGIN}}", "dim"), Span(washed(f"{', '.join(finding.columns)}: {why}"), "dim")]
        )
    return lines


def explanation_view(code: Code, width: int) -> list[Line]:
    """Show what a kind of finding is."""
    lines: list[Line] = [[Span(code.code, "head"), Span(f": {code.says}")], []]
    return lines + [line for part in explained(code) for line in wrapped(part, width)]


def together_view(found: Together, width: int) -> list[Line]:
    """Show what refers to what among several tables, keys without a partner, and what matters most in each."""
    lines = [text_line(f"{len(found.profiles)} tables: {', '.join(found.profiles)}", "said"), []]
    if not found.links:
        lines.append(text_line("no column refers to a key of another table"))
    for link in found.links:
        lines += wrapped(str(link), width)
    for finding in found.findings:
        lines += [[], *finding_lines(finding, width, len(finding.examples))]
    for name, profile in found.profiles.items():
        lines += [[], text_line(f"{name}: {counted(len(profile.findings), 'finding')}", "said")]
        lines += _what_matters(profile, width)
    return lines


# Values need this much room beside the rest.
LEAST_BESIDE = 40
LONGEST_NAME = 24


def summary_lines(summaries: Sequence[Summary], width: int) -> list[Line]:
    """Show what columns hold: type, missing with reasons, distinct values, shape, figures.

    Parameters
    ----------
    summaries : sequence of Summary
    width : int
        On a narrow screen the figures stand below each column.
    """
    titles = ["column", "type", "missing", "distinct", "shape"]
    rows, values = [heads(*titles)], []
    for one in summaries:
        missing = Span("-", "dim")
        if one.missing_count:
            reasons = ", ".join(f"{count:,} {reason}" for reason, count in one.missing.items())
            missing = Span(f"{share_words(one.missing_count / one.count)}: {reasons}")
        shape = Span(block_bars(one.shape).ljust(SMALL))
        name = Span(cut_middle(washed(one.name), LONGEST_NAME), "head")
        rows.append([name, Span(one.type), missing, Span(f"{one.distinct:,}"), shape])
        values.append(washed(value_words(one)))
    # Figures are never cut: where they have no room beside the rest, all values are below it.
    figures = [len(text) for text, one in zip(values, summaries, strict=True) if "mean" in one.details]
    lines = columns_of(rows, right=[3], width=width)
    used = max(text_width(plain([line])) for line in lines)
    if width - used - len(GAP) >= max([LEAST_BESIDE, *figures]):
        beside = [*heads("values"), *map(Span, values)]
        return columns_of([[*row, one] for row, one in zip(rows, beside, strict=True)], right=[3], width=width)
    shown = lines[:1]
    for above, text, one in zip(lines[1:], values, summaries, strict=True):
        # Of texts some are named, and where there is no room, fewer.
        parts = wrapped(text, width - 4) if "mean" in one.details else [text_line(cut_end(text, max(20, width - 4)))]
        shown += [above, *(text_line(f"    {plain([part])}", "dim") for part in parts)]
    return shown


def value_words(summary: Summary) -> str:
    """Say what the values of a column are: of numbers the range, the quartiles, mean and standard deviation."""
    details = summary.details
    if "mean" not in details:
        return values_words(summary)
    middle = ", ".join(plain_figure(details[name]) for name in ("quartile_1", "median", "quartile_3"))
    words = f"{_plain(details['min'])} to {_plain(details['max'])}, quartiles {middle}"
    words += f"; mean {plain_figure(details['mean'])}"
    return words if details["sd"] is None else f"{words}, sd {plain_figure(details['sd'])}"


def _plain(text: str) -> str:
    """Write an extreme in plain digits, all of them."""
    return plain_figure(float(text), 17) if "e" in text.lower() else text


def finding_lines(finding: Finding, width: int, examples: int = 3) -> list[Line]:
    """Show a finding in a few lines: what, where, how to repair it."""
    lines = beside(finding.code, finding.text, width)
    where = []
    if len(finding.examples) > 1:
        where.append("for instance " + ", ".join(finding.short_examples(examples)))
    elif finding.examples and finding.examples[0].partition(" (")[0] not in finding.text:
        where.append(f"namely {finding.short_examples(1)[0]}")
    if len(finding.rows) and (finding.remedy is None or len(finding.rows) < 2 * MOST_ROWS_LISTED):
        where.append(
            agree(len(finding.rows), "row ", "rows ") + ", ".join(map(str, finding.rows[:MOST_ROWS_LISTED].tolist()))
        )
        where[-1] += " ..." if len(finding.rows) > MOST_ROWS_LISTED else ""
    if where:
        lines += beside("", "; ".join(where), width)
    if finding.remedy:
        return lines + beside("", f"remedy: {step_line(finding.remedy)}", width)
    return lines + _by_hand(finding, width)
