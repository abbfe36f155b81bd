"""A table in a notebook: HTML in which every text is inert."""

from collections.abc import Mapping
from html import escape

import numpy as np

from comb.errors import washed
from comb.tables.layout import LayoutRequest, cut_middle, shown_cells
from comb.tables.types import Type

# More columns and longer texts make no page that one can read.
MOST_COLUMNS = 40
LONGEST_CELL = 80

_CELL = "padding:.15em .7em;white-space:pre;vertical-align:top;border:none"


def table_html(request: LayoutRequest, types: Mapping[str, Type]) -> str:
    """Return the printed form of a table as HTML.

    Parameters
    ----------
    request : LayoutRequest
    types : mapping of str to Type

    Returns
    -------
    str
        The sentence as caption, names with types above, row numbers in front; a missing cell shows its reason in
        brackets; at most as many rows as are printed; below, what is not shown.
    """
    total, count = len(request.row_numbers), min(request.rows, len(request.row_numbers))
    names = list(request.columns)[:MOST_COLUMNS]
    shown = np.arange(count)
    head = "".join(
        f'<th scope="col" style="{_CELL};text-align:{_side(types[name])}">{_text(name, 40)}'
        f'<br><span style="font-weight:normal;opacity:.65">{escape(str(types[name]))}</span></th>'
        for name in names
    )
    cells = {name: shown_cells(request.columns[name]._take(shown)) for name in names}
    rows = []
    for at, number in enumerate(request.row_numbers[shown].tolist()):
        row = f'<th scope="row" style="{_CELL};opacity:.65;font-weight:normal;text-align:right">{number}</th>'
        for name in names:
            span = cells[name][at]
            dim = ";opacity:.6" if span.style == "dim" else ""
            row += f'<td style="{_CELL};text-align:{_side(types[name])}{dim}">{_text(span.text, LONGEST_CELL)}</td>'
        rows.append(f"<tr>{row}</tr>")
    left = [f"rows {count + 1:,} to {total:,}"] if count < total else []
    left += [f"{len(request.columns) - len(names):,} columns"] if len(names) < len(request.columns) else []
    below = f'<p style="opacity:.65;margin:.3em 0">not shown: {"; ".join(left)}</p>' if left else ""
    caption = (
        f'<caption style="text-align:left;caption-side:top;font-weight:bold">{_text(request.sentence, 2_000)}</caption>'
    )
    corner = f'<th scope="col" style="{_CELL};opacity:.65;font-weight:normal;text-align:right">row</th>'
    return (
        f'<div style="overflow-x:auto"><table style="border-collapse:collapse">{caption}'
        f"<thead><tr>{corner}{head}</tr></thead><tbody>{''.join(rows)}</tbody></table>{below}</div>"
    )


def _side(kind: Type) -> str:
    return "right" if kind.numeric else "left"


def _text(text: str, width: int) -> str:
    return escape(cut_middle(washed(text), width))
