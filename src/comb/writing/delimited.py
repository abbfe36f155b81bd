"""A table as delimited text, after RFC 4180. Pure: table in, bytes out."""

import csv
import io

from comb.tables.bare import BareTable


def csv_bytes(table: BareTable) -> bytes:
    """Write a table as comma-separated UTF-8 text with CRLF line ends.

    Values stand in their canonical form, missing cells are empty; a field is quoted
    where it has to be.

    Parameters
    ----------
    table : BareTable

    Returns
    -------
    bytes
    """
    cells = [["" if text is None else text for text in column.texts()] for column in table.columns.values()]
    return rows_bytes([list(table.names), *map(list, zip(*cells, strict=True))])


def rows_bytes(rows: list[list[str]]) -> bytes:
    """Write rows of texts as comma-separated UTF-8 text."""
    text = io.StringIO()
    csv.writer(text, lineterminator="\r\n").writerows(rows)
    return text.getvalue().encode()
