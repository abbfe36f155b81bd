"""Small drawings inside a page: markup of our own, a few hundred bytes each, that takes its colours from the page."""

from collections.abc import Sequence
from html import escape

from comb.errors import washed
from comb.profiling.missing_blocks import MissingBlocks
from comb.steps.ledger import Entry, first_number
from comb.tables.bars import share_words

# A distribution is this wide and high.
SHAPE = (120, 26)

_LOSSES = (("no_rows", "off"), ("left_out", "left"), ("set_aside", "aside"), ("merged", "merged"))
_LOSS_WORDS = {"no_rows": "taken off", "left_out": "left out", "set_aside": "set aside", "merged": "merged"}


def shape_svg(counts: Sequence[int], label: str) -> str:
    """Draw how values are spread; what is there is at least a line high.

    >>> shape_svg((1, 0, 2), "kg")  # doctest: +ELLIPSIS
    '<svg class="shape" viewBox="0 0 120 26" width="120" height="26" role="img" aria-label="kg: ...
    """
    if not counts:
        return ""
    width, height = SHAPE
    most, step = max(counts), width / len(counts)
    bars, wide = [], max(1.0, step - 1)
    for at, count in enumerate(counts):
        if count:
            tall = max(1.5, count / most * (height - 1))
            bars.append(f'<rect x="{at * step:.4g}" y="{height - tall:.4g}" width="{wide:.4g}" height="{tall:.4g}"/>')
    said = escape(washed(f"{label}: {len(counts)} parts, the fullest with {most:,}"))
    return (
        f'<svg class="shape" viewBox="0 0 {width} {height}" width="{width}" height="{height}" role="img" '
        f'aria-label="{said}">{"".join(bars)}</svg>'
    )


def flow_bars(entries: Sequence[Entry], name: str) -> str:
    """Draw the rows that come out of each step, and beside them those that do not: bars that fit any width.

    >>> flow_bars([], "hives")
    ''
    """
    first = first_number(entries)
    taken = [(number, one) for number, one in enumerate(entries, first) if one.active]
    if not taken:
        return ""
    most = max(max(one.rows_in + one.added, 1) for _, one in taken)
    lines = []
    for number, one in taken:
        parts = [f'<span class="out" style="width:{100 * one.rows_out / most:.4g}%"></span>']
        said = [f"{one.rows_out:,}"]
        for field, kind in _LOSSES:
            count = getattr(one, field)
            if count:
                parts.append(f'<span class="{kind}" style="width:{100 * count / most:.4g}%"></span>')
                said.append(f"{count:,} {_LOSS_WORDS[field]}")
        said += [f"{one.added:,} added"] if one.added else []
        step = f"{number} {one.step}" if number else one.step
        lines.append(_bar_line(step, f'<span class="track">{"".join(parts)}</span>', ", ".join(said)))
    label = escape(washed(f"rows of {name} after each of {len(taken)} steps; the table below has the numbers"))
    return f'<div class="flow" role="img" aria-label="{label}">{"".join(lines)}</div>'


def _bar_line(name: str, bar: str, said: str) -> str:
    names, words = escape(washed(name)), escape(washed(said))
    return f'<div class="line"><span class="name">{names}</span>{bar}<span class="said">{words}</span></div>'


def missing_bars(blocks: MissingBlocks) -> str:
    """Draw where cells are missing: a line for each column, the first rows on the left, the darker the more."""
    if not len(blocks.first) or not blocks.counts.any():
        return ""
    sizes, lines = blocks.last - blocks.first + 1, []
    for at, name in enumerate(blocks.columns):
        counts = blocks.counts[at].tolist()
        if not any(counts):
            continue
        shares = {block: 0.25 + 0.75 * count / int(sizes[block]) for block, count in enumerate(counts) if count}
        parts = [f'<rect x="{x}" width="1.02" height="1" fill-opacity="{one:.2f}"/>' for x, one in shares.items()]
        box = f'viewBox="0 0 {len(counts)} 1" preserveAspectRatio="none"'
        drawn = f'<svg class="gone" {box} width="100%" height="14" aria-hidden="true">{"".join(parts)}</svg>'
        lines.append(_bar_line(name, drawn, share_words(sum(counts) / blocks.rows)))
    label = escape(f"missing cells of {len(lines)} columns, from the first row on the left to the last on the right")
    return f'<div class="missing" role="img" aria-label="{label}">{"".join(lines)}</div>'
