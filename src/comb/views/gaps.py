"""Where cells are missing, as a picture in characters."""

from comb.errors import counted, washed
from comb.profiling.gaps import gaps_of
from comb.profiling.missing_blocks import missing_blocks, missing_together
from comb.tables.bars import BLOCKS, share_words
from comb.tables.layout import Line, Span, cut_middle
from comb.tables.table import BareTable
from comb.views.lines import columns_of, heads, text_line, wrapped

# The most characters of a name, and the most blocks of rows.
LONGEST_NAME = 24
MOST_BLOCKS = 60


def gaps_lines(table: BareTable, width: int) -> list[Line]:
    """Show where cells are missing: a line for each column, a character for each block of rows.

    Parameters
    ----------
    table : BareTable
    width : int
    """
    blocks = missing_blocks(table, max(10, min(MOST_BLOCKS, width - LONGEST_NAME - 16)))
    total, cells = int(blocks.counts.sum()), blocks.rows * blocks.all_columns
    if not total:
        return [*wrapped(f"{table.sentence()}: no cell is missing", width)]
    above = f"{table.sentence()}: {total:,} of {cells:,} cells are missing"
    sizes = (blocks.last - blocks.first + 1).tolist()
    rows = [heads("column", "missing", f"rows 1 to {blocks.rows:,}, in {counted(len(sizes), 'block')}")]
    for name, counts in zip(blocks.columns, blocks.counts.tolist(), strict=True):
        drawn = "".join(_block(count / size) if count else "·" for count, size in zip(counts, sizes, strict=True))
        said = share_words(sum(counts) / blocks.rows) if any(counts) else "-"
        rows.append([Span(cut_middle(washed(name), LONGEST_NAME), "head"), Span(said), Span(drawn)])
    lines = [*wrapped(above, width), [], *columns_of(rows, right=[1], width=max(width, 20))]
    lines.append(text_line("the higher, the more of a block is missing; a dot: nothing is", "dim"))
    if blocks.left:
        lines.append(text_line(f"{counted(blocks.left, 'column')} with fewer or no missing cells not shown", "dim"))
    lines += [[], *(line for text in gaps_of(table).lines() for line in wrapped(text, width))]
    for one, other, both, share in missing_together(table):
        either = f"{share_words(share)} of those in which either is"
        lines += wrapped(f"{one} and {other} are missing together in {counted(both, 'row')}, {either}", width)
    return lines


def _block(share: float) -> str:
    return BLOCKS[min(len(BLOCKS) - 1, int(share * len(BLOCKS)))]
