"""How a source is read: the one description of it.

The parameters of `comb.load`, the field ``reading:`` of a plan, what a draft pins, what the origin of a table keeps
and what a worker is sent are all this record. None (or false) leaves a thing to be found out from the source; what
was found out is in the origin of the table, so that reading the source again by these options gives the same table.

It lies with the tables and not with the reading of them, because the origin of every table holds one.
"""

from collections.abc import Collection, Mapping
from decimal import Decimal
from typing import Any

import msgspec

from comb.errors import ParameterError, listing
from comb.tables.struct_pickling import reduced

LISTS = ("keep", "count", "rows", "columns")

# No file has more rows or bytes, and counts of them fit where they are kept.
LARGEST = 2**60

# In words for missing by column.
ALL_COLUMNS = "*"

# A header has this many lines at most.
MOST_HEADER_LINES = 5


def listed_words(value: Any) -> Any:
    """Return words for missing as options keep them: one word, a number, several, or by column.

    >>> listed_words(999), listed_words({"age": 99, "*": ["-", 0.5]})
    (['999'], {'age': ['99'], '*': ['-', '0.5']})
    """
    if isinstance(value, Mapping):
        return {str(name): listed_words(words) for name, words in value.items()}
    if isinstance(value, Collection) and not isinstance(value, str | bytes):
        return [_word(one) for one in value]
    return [_word(value)]


def _word(value: Any) -> str:
    if isinstance(value, bool) or not isinstance(value, str | int | float | Decimal):
        raise ParameterError(
            f"expected a word for missing, or a number, got {value!r}", remedy="for instance missing=[999, 'none']"
        )
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)


class ReadOptions(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, forbid_unknown_fields=True):
    """How to read a source; a plain value.

    Attributes
    ----------
    table : str, optional
        Which table: the name or number of one inside a workbook or JSON document, a sheet, a range, a JSON Pointer,
        a file of a zip archive; a pattern (``*``) reads several of one shape.
    delimiter, quote, encoding : str, optional
        The delimiter ``spaces`` is a run of spaces. An empty quote means that quotes are
        ordinary characters; a backslash before it, that quotes inside fields have one.
    header : int, optional
        Lines of header: 0 to 5.
    skip : int, optional
        Lines above the header.
    missing : list of str, or dict of str to list of str, optional
        Words for missing, besides the known ones: in all columns, or by column (``*`` is all). An empty list means
        none at all.
    known_words : bool
        Whether the known words for missing count, in columns that are not text.
    types : dict of str to str, or str, optional
        Types by column, or one for all; a pattern may follow: ``date d.M.yyyy``.
    columns : list of str, optional
        Selectors of the columns to read.
    rows : int, optional
        Read at most this many rows, from the top.
    schema : str, optional
        A file with CSV on the Web metadata; an empty text means that none is looked for.
    most_bytes : int, optional
        The most bytes a compressed source may decompress to.
    totals, fill_merged : bool
        Whether rows and columns of a workbook that are totals are kept, and whether a merged cell's value is copied
        to every cell it covers.
    lists : {"keep", "count", "rows", "columns"}
        What becomes of lists of plain values in JSON.
    """

    table: str | None = None
    delimiter: str | None = None
    quote: str | None = None
    encoding: str | None = None
    header: int | None = None
    skip: int | None = None
    missing: list[str] | dict[str, list[str]] | None = None
    known_words: bool = True
    types: dict[str, str] | str | None = None
    columns: list[str] | None = None
    rows: int | None = None
    schema: str | None = None
    most_bytes: int | None = None
    totals: bool = False
    fill_merged: bool = False
    lists: str = "keep"

    def __reduce__(self) -> tuple[Any, ...]:
        return reduced(self)

    def replace(self, **changes: Any) -> "ReadOptions":
        """Return options that differ in the given fields.

        >>> ReadOptions(skip=2).replace(header=1).skip
        2
        """
        return msgspec.structs.replace(self, **changes)

    def given(self) -> tuple[str, ...]:
        """Return the names of the fields that are not left open.

        >>> ReadOptions(skip=2, totals=True).given()
        ('skip', 'totals')
        """
        return tuple(msgspec.to_builtins(self))

    def words_of(self, name: str) -> list[str] | None:
        """Return the words for missing given for a column; None without any, an empty list if none may count.

        >>> ReadOptions(missing={"age": ["999"], "*": ["-"]}).words_of("age")
        ['999', '-']
        """
        if not isinstance(self.missing, dict):
            return self.missing
        found = [self.missing[key] for key in (name, ALL_COLUMNS) if key in self.missing]
        return [word for words in found for word in words] if found else None

    def knows_words(self, name: str) -> bool:
        """Whether the known words for missing count in a column, if it is not text."""
        return self.known_words and self.words_of(name) != []

    def check(self) -> None:
        """Raise a ParameterError for a value outside what is allowed."""
        if self.delimiter is not None and not self.delimiter:
            raise ParameterError("expected a delimiter of at least one character, got an empty text")
        if self.delimiter is not None and set(self.delimiter) & set("\r\n"):
            raise ParameterError(f"a line end cannot be the delimiter, got {self.delimiter!r}")
        if self.quote is not None and len(self.quote.removeprefix("\\")) > 1:
            raise ParameterError(f"expected one quote character or none, got {self.quote!r}")
        if self.header is not None and self.header not in range(MOST_HEADER_LINES + 1):
            raise ParameterError(f"expected a header of 0 to {MOST_HEADER_LINES} lines, got {self.header!r}")
        if self.lists not in LISTS:
            raise ParameterError(f"expected lists to be one of {listing(LISTS)}, got {self.lists!r}")
        for name in ("skip", "rows", "most_bytes"):
            value = getattr(self, name)
            if value is not None and not 0 <= value <= LARGEST:
                bound = "0 or more" if value < 0 else f"at most {LARGEST:,}"
                raise ParameterError(f"expected {name} of {bound}, got {value:,}")
