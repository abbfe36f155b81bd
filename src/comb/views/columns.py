"""Everything about one column, as lines: figures, extremes, how values are spread, all values, what was not read."""

from collections.abc import Sequence

from comb.errors import agree, counted, washed
from comb.profiling.column_details import ColumnDetails, Extreme
from comb.statistics.figures import plain_figure
from comb.tables.bars import length_bar, share_words
from comb.tables.layout import Line, Span, cut_middle, padded
from comb.views.lines import columns_of, heads, text_line, wrapped
from comb.views.profiles import summary_lines

MOST_VALUES = 20
MOST_KEPT = 20
MOST_ROWS = 12
LONGEST_VALUE = 40

# Bars of a histogram are no longer than this.
LONGEST_BAR = 40

# What is said of a value whose spaces are drawn as dots.
_SPACES = "a dot stands for a space at the beginning or end"


def details_lines(details: ColumnDetails, sentence: str = "", width: int = 100) -> list[Line]:
    """Show everything about one column.

    Parameters
    ----------
    details : ColumnDetails
    sentence : str
        What table it is in.
    width : int
    """
    lines: list[Line] = [*wrapped(sentence, width), []] if sentence else []
    lines += summary_lines([details.summary], width)
    for part in (_figures(details), _ends(details), _bars(details), _dates(details), _lengths(details)):
        lines += [[], *part] if part else []
    lines += [[], *_values(details, width)] if details.summary.distinct else []
    return [*lines, [], *_kept(details, width)]


def _figures(details: ColumnDetails) -> list[Line]:
    found = details.figures
    if not found:
        return []
    names = ("mean", "sd", "variance", "variation", "median", "range", "skewness", "zeros")
    rows = [[Span(name, "dim"), Span(plain_figure(found[name], 6))] for name in names if name in found]
    mode = f"{plain_figure(found['mode'], 17)}, {counted(int(found['mode_count']), 'time')}"
    return columns_of([*rows, [Span("mode", "dim"), Span(mode)]])


def _ends(details: ColumnDetails) -> list[Line]:
    if not details.lowest:
        return []
    words = ("first", "last") if not details.figures else ("lowest", "highest")
    rows = []
    for word, ends in zip(words, (details.lowest, details.highest), strict=True):
        rows += [[Span(word if not at else "", "dim"), *_end(one)] for at, one in enumerate(ends)]
    return columns_of(rows)


def _end(one: Extreme) -> list[Span]:
    rows = ", ".join(map(str, one.rows)) + (" ..." if one.count > len(one.rows) else "")
    return [Span(cut_middle(padded(one.text), LONGEST_VALUE)), Span(f"{agree(one.count, 'row', 'rows')} {rows}", "dim")]


def _bars(details: ColumnDetails) -> list[Line]:
    if not details.bars:
        return []
    most = max(count for _, _, count in details.bars)
    rows = [heads("from", "below", "rows", "")]
    for low, high, count in details.bars:
        rows.append([Span(low), Span(high), Span(f"{count:,}"), Span(length_bar(count / max(1, most), LONGEST_BAR))])
    return columns_of(rows, right=[0, 1, 2])


def _dates(details: ColumnDetails) -> list[Line]:
    lines = []
    if details.steps:
        said = ", ".join(f"{step} {counted(count, 'time')}" for step, count in details.steps)
        lines.append([Span("from one day to the next  ", "dim"), Span(said)])
    for after, before, days in details.gaps:
        lines.append([Span("nothing between           ", "dim"), Span(f"{after} and {before}, {days:,} days apart")])
    return lines


def _lengths(details: ColumnDetails) -> list[Line]:
    if not details.lengths:
        return []
    if len(details.lengths) > 8:
        ends = f"{details.lengths[0][0]:,} to {details.lengths[-1][0]:,} characters"
        return [[Span("length  ", "dim"), Span(ends)]]
    said = ", ".join(f"{length:,} characters {counted(count, 'time')}" for length, count in details.lengths)
    return [[Span("length  ", "dim"), Span(said)]]


def _values(details: ColumnDetails, width: int) -> list[Line]:
    table = details.values
    shown = table._view(0, MOST_VALUES)
    rows = [heads("value", "count", "share", "")]
    texts = [text or "" for text in shown["value"].texts()]
    counts, shares = shown["count"].to_list(), shown["share"].to_list()
    if max(counts) == 1 and table.row_count > 1:
        return [text_line(f"each of the {table.row_count:,} values occurs once")]
    for text, count, share in zip(texts, counts, shares, strict=True):
        bar = length_bar(share / max(shares), min(LONGEST_BAR, max(10, width - 70)))
        value = Span(cut_middle(padded(text), LONGEST_VALUE), "head")
        rows.append([value, Span(f"{count:,}"), Span(share_words(share)), Span(bar)])
    lines = columns_of(rows, right=[1, 2])
    spaced = any(text != text.strip(" ") for text in texts)
    lines += [text_line(_SPACES, "dim")] if spaced else []
    more = table.row_count - shown.row_count
    if more:
        how = f"comb count --by {details.summary.name}, or summary(...).values"
        lines.append(text_line(f"and {more:,} more {agree(more, 'value', 'values')} ({washed(how)})", "dim"))
    return lines


def _kept(details: ColumnDetails, width: int) -> list[Line]:
    texts = details.kept
    if not texts:
        return [text_line("every text was read as a value")] if details.summary.type != "string" else []
    lines = [text_line(f"{counted(len(texts), 'text')} not read as a value", "said")]
    listed: list[Sequence[Span]] = [heads("text", "reason", "cells", "rows")]
    for one in texts:
        shown = ", ".join(map(str, one.rows[:MOST_ROWS])) + (" ..." if one.count > MOST_ROWS else "")
        listed.append([Span(washed(repr(one.text)), "head"), Span(one.reason), Span(f"{one.count:,}"), Span(shown)])
    return [*lines, *columns_of(listed, right=[2], width=width)]
