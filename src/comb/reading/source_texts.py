"""The texts of a column as its source has them, for steps that read them in another way than they were read."""

from pathlib import Path

import numpy as np

from comb.errors import CombError
from comb.execution.resources import Resources
from comb.kernels.types import FITS
from comb.parsing.cell_parser import CellParser
from comb.reading.delimited.record_at import record_at
from comb.reading.io.beside import BLAKE, checksum_of_file
from comb.reading.io.source_file import Source
from comb.reading.load import load_beginning, load_table
from comb.tables.cell_source import placed
from comb.tables.column import Column
from comb.tables.origin import DELIMITED, Origin
from comb.tables.read_options import ReadOptions
from comb.tables.reasons import Reason
from comb.tables.stored import taken_column
from comb.tables.table import BareTable


def source_texts(table: BareTable, name: str) -> Column | None:
    """Fetch the texts of a column from the source once more.

    Parameters
    ----------
    table : BareTable
    name : str
        A column with numbers that were read from texts.

    Returns
    -------
    Column or None
        Of type string; what is missing for another reason than that it could not be read stays so.
        None where the source is not there or not the same, and where a value is no longer what its
        text says: then a step has changed it. Cost: the source is read again, this column only.
    """
    column, origin = table[name], table.origin
    source = placed(column.source, name)
    inside = source.parts[0].name
    if len(source.parts) > 1 or source.rows is not None or not inside:
        return None
    parser = None if column.evidence is None else column.evidence.chosen.parser
    if not origin.source or not isinstance(parser, CellParser):
        return None
    try:
        texts_only = origin.options.replace(columns=[inside], types={inside: "string"})
        # What did not fit into memory does not fit now.
        again = load_table(origin.source, texts_only, resources=Resources(storage=table._storage))
    except (CombError, OSError):
        return None
    last = int(table.row_numbers.max(initial=0))
    if again.origin.checksum != origin.checksum or inside not in again or last > again.row_count:
        return None
    texts = taken_column(again[inside], table.row_numbers - 1, table._storage)
    if not _says(texts, parser, column):
        return None
    stays = column.missing & (column.states != Reason.UNREADABLE)
    return texts._replace(state=np.where(stays, column.states, texts.states), kept=column.kept)


def _says(texts: Column, parser: CellParser, column: Column) -> bool:
    """Return whether texts, read by a parser, are the values of a column."""
    values, status = parser.parse(texts.text.packed())
    if texts.text.codes is not None:
        values, status = values[texts.text.codes], status[texts.text.codes]
    same = (status == FITS) & (values == column.array)
    return bool(same[column.present].all())


def read_as_texts(source: Source, options: ReadOptions, name: str) -> BareTable | None:
    """Read a column of a source as text; None where it cannot be read.

    Parameters
    ----------
    source : str, Path or sequence of them
    options : ReadOptions
        How it was read before.
    name : str
    """
    plain = options.replace(types="string", missing=[])
    # Tables below each other in a workbook are named before columns are chosen.
    for wanted in (plain.replace(columns=[name]), plain):
        try:
            return load_table(source, wanted)
        except (CombError, OSError):
            continue
    return None


def _is_as_it_was(origin: Origin) -> bool:
    try:
        return checksum_of_file(origin.path) == f"{BLAKE}{origin.checksum}"
    except OSError:
        return False


def text_at_its_line(origin: Origin, name: str, row_number: int) -> str | None:
    """Return the text of one cell from the line that its record begins on, in a file that is as it was.

    Parameters
    ----------
    origin : Origin
    name : str
        Of the column, in the source.
    row_number : int

    Returns
    -------
    str or None
        None where that takes more than one plain file of delimited text with a line for each row.
    """
    if origin.kind != DELIMITED or not isinstance(origin.source, str) or origin.places != ("line {}",):
        return None
    path = Path(origin.path)
    try:
        names = names_in(path, origin.options)
        fields = record_at(path, origin.options, int(origin.lines[row_number - 1]), len(names))
    except (CombError, OSError):
        return None
    return None if fields is None or name not in names else plain_text(fields[names.index(name)])


def names_in(path: Path, options: ReadOptions) -> tuple[str, ...]:
    """Return the names of all columns of a file, as they are when it is read."""
    return load_beginning(path, options.replace(columns=None, rows=None, types=None))[0].names


def plain_text(field: str) -> str | None:
    """Return a field as a table has it, empty for blanks; None for one that may have been disarmed."""
    return None if field.startswith("'") else field if field.strip() else ""


def cell_text(origin: Origin, name: str, row_number: int) -> str | None:
    """Return the text of one cell as it is in the source; empty for an empty cell.

    Parameters
    ----------
    origin : Origin
    name : str
        Of the column, in the source.
    row_number : int

    Returns
    -------
    str or None
        None where the source is not there or not the same, or has no such cell. Cost: the source is read again, this
        column only; of a file in UTF-8 no more than its checksum and the lines up to the row.
    """
    if not origin.source or not 1 <= row_number <= len(origin.lines):
        return None
    if isinstance(origin.source, str) and _is_as_it_was(origin):
        text = text_at_its_line(origin, name, row_number)
        if text is not None:
            return text
    again = read_as_texts(origin.source, origin.options, name)
    if again is None or again.origin.checksum != origin.checksum or name not in again or row_number > again.row_count:
        return None
    cell = again[name]._take(np.array([row_number - 1]))
    return cell.texts()[0] or cell.kept.texts.get(0, "")
