"""Columns that come with types from their source, a database or a Parquet file, and what was asked for besides.

Their types are kept. A declared type, a word for missing, and which columns are wanted apply to them as they do to the
cells of a workbook.
"""

from collections.abc import Mapping

import numpy as np

from comb.inference.decide import declared_column
from comb.parsing.patterns import Request
from comb.reading.column_rules import ColumnRules
from comb.reading.documents.model import TableData, chosen_columns, not_known
from comb.tables.column import Column
from comb.tables.evidence import Candidate, Evidence
from comb.tables.kept import Kept
from comb.tables.origin import SourceAccount
from comb.tables.reasons import Reason
from comb.tables.text import Text


def typed_table(
    columns: Mapping[str, Column], row_count: int, rules: ColumnRules, place: str, why: str, notes: list[str]
) -> TableData:
    """Make a table of columns that have types.

    Parameters
    ----------
    columns : mapping of str to Column
    row_count : int
    rules : ColumnRules
    place : str
        What the table is called in places: ``visits``.
    why : str
        What says the types: ``the file says so``.
    notes : list of str
    """
    most = row_count if rules.options.rows is None else min(rules.options.rows, row_count)
    made = {}
    for name, column in columns.items():
        cut = column if most == row_count else column._part(0, most)
        made[name] = _evident(_as_asked(name, cut, rules), why)
    return TableData(
        chosen_columns(made, rules),
        np.arange(1, most + 1),
        place=f"{place}, row {{}}",
        cell_places={name: f"{place}, {name} in row {{}}" for name in made},
        notes=[*notes, *not_known(list(made), rules)],
        account=SourceAccount("row", most, most),
    )


def _as_asked(name: str, column: Column, rules: ColumnRules) -> Column:
    """Apply the words for missing and the type that were given for a column."""
    words = {word.strip() for word in rules.options.words_of(name) or ()}
    if words:
        texts = column.texts()
        marked = {at: text for at, text in enumerate(texts) if text is not None and text.strip() in words}
        if marked:
            states = column.states.copy()
            states[list(marked)] = Reason.MARKER
            column = column._replace(state=states, kept=Kept({**column.kept.texts, **marked}))
    request = rules.declared([name]).get(name)
    if request is None or (column.type.word == request.word and not request.pattern):
        return column
    return read_as(column, request)


def read_as(column: Column, request: Request) -> Column:
    """Read what a column shows as another type; cells that were missing are so for the reason they were."""
    texts = Text.from_strings([text or "" for text in column.texts()])
    made = declared_column(texts, request)
    states = np.where(column.missing, column.states, made.states)
    kept = Kept({**made.kept.texts, **column.kept.texts})
    return made._replace(state=states, kept=kept, description=column.description)


def _evident(column: Column, why: str) -> Column:
    if column.evidence is not None:
        return column
    return column._replace(
        evidence=Evidence(
            Candidate(column.type, len(column) - column.missing_count, 0), None, column.missing_count, (why,)
        )
    )
