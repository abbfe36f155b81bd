"""Several files of one shape become one raw table. Pure."""

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.errors import ContentError, listing
from comb.kernels.grouping import Codes
from comb.reading.delimited.assemble import RawTable
from comb.tables.origin import in_total


class Stacked(msgspec.Struct, frozen=True):
    """The raw tables of several sources, one below the other.

    Attributes
    ----------
    raw_table : RawTable
    sources : int64 array
        The source of each row, from 0.
    """

    raw_table: RawTable
    sources: Codes


def stack(raw_tables: list[RawTable], names: list[str]) -> Stacked:
    """Stack raw tables with the same columns; their order may differ.

    Parameters
    ----------
    raw_tables : list of RawTable
    names : list of str
        What to call each source.

    Raises
    ------
    ContentError
        If a source has other columns than the first, naming those.
    """
    first = raw_tables[0]
    if len(raw_tables) == 1:
        return Stacked(first, np.zeros(0, np.int64))
    for raw_table, name in zip(raw_tables[1:], names[1:], strict=True):
        _check_columns(raw_table, first, names[0], name)
    whole = replace(
        first,
        columns={
            title: [piece for raw_table in raw_tables for piece in raw_table.columns[title]] for title in first.columns
        },
        lines=np.concatenate([raw_table.lines for raw_table in raw_tables]),
        notes=[
            f"{name}: {note}" for raw_table, name in zip(raw_tables, names, strict=True) for note in raw_table.notes
        ],
    )
    total = in_total([raw_table.account for raw_table in raw_tables])
    assert total is not None
    whole.account = total
    return Stacked(whole, np.repeat(np.arange(len(raw_tables)), list(map(len, raw_tables))))


def _check_columns(raw_table: RawTable, first: RawTable, first_name: str, name: str) -> None:
    """Raise a ContentError unless the columns of a raw table are those of the first, in any order."""
    if sorted(raw_table.names) != sorted(first.names):
        missing = [title for title in first.names if title not in raw_table.names]
        further = [title for title in raw_table.names if title not in first.names]
        parts = [f"without {listing(missing)}"] if missing else []
        parts += [f"with {listing(further)}"] if further else []
        raise ContentError(
            f"expected the columns of {first_name}, got others: {' and '.join(parts)}",
            where=name,
            remedy="files that are read as one table need the same columns; load them one by one",
        )
