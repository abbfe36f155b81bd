"""Where cells are missing: columns by blocks of rows."""

import numpy as np

from comb.drawing.marks import Axis, Drawing, Mark, Panel
from comb.drawing.request import PictureRequest
from comb.drawing.selection import Selection
from comb.errors import ParameterError, counted
from comb.profiling.missing_blocks import missing_blocks
from comb.tables.bars import share_words
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import INTEGER, STRING


def missing_cells(selection: Selection, request: PictureRequest) -> Drawing:
    """Draw the share of missing cells of each column, block by block."""
    if request.by or request.panels:
        raise ParameterError("by and panels mean nothing for missing", remedy="where: chooses rows")
    blocks = missing_blocks(selection.table)
    names = blocks.columns
    edges = (
        np.concatenate([blocks.first, [blocks.last[-1] + 1]]).astype(np.float64)
        if len(blocks.first)
        else np.arange(2.0)
    )
    share = (
        blocks.counts / np.maximum(blocks.last - blocks.first + 1, 1)
        if len(blocks.first)
        else np.zeros((len(names), 1))
    )
    mark = Mark("grid", edges, np.arange(len(names) + 1, dtype=np.float64) - 0.5, grid=100.0 * share)
    total, cells = int(blocks.counts.sum()), blocks.rows * blocks.all_columns
    title = f"{total:,} of {cells:,} cells are missing" if cells else "There are no cells"
    if total:
        sums = blocks.counts.sum(axis=1)
        at = int(sums.argmax())
        title += f", most in {names[at]}: {share_words(float(sums[at]) / max(1, blocks.rows))}"
    if blocks.left:
        selection.told.append(f"{counted(blocks.left, 'column')} with fewer or no missing cells not shown")
    flat = [(name, at) for name in range(len(names)) for at in range(len(blocks.first))]
    data = BareTable({
        "column": Column(STRING, Text.from_strings([names[name] for name, _ in flat])),
        "first_row": Column(INTEGER, np.array([blocks.first[at] for _, at in flat], np.int64)),
        "last_row": Column(INTEGER, np.array([blocks.last[at] for _, at in flat], np.int64)),
        "missing": Column(INTEGER, blocks.counts.reshape(-1).astype(np.int64)),
    })  # fmt: skip
    shares = [share_words(float(one) / max(1, blocks.rows)) for one in blocks.counts.sum(axis=1)]
    labels = tuple(f"{name}  {words}" for name, words in zip(names, shares, strict=True))
    rows, columns = (
        Axis("position of the row", "whole", limits=(edges[0], edges[-1])),
        Axis("", "groups", labels=labels),
    )
    return Drawing([Panel([mark])], columns, rows, title, selection.caption(), data, sideways=True, scale="% missing")
