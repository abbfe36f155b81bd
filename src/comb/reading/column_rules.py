"""What options and a schema together say of the columns: which are read, as what, with which words for missing."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec

from comb.kernels.types import Words
from comb.parsing.patterns import Request, parse_request
from comb.parsing.vocabulary import words_for
from comb.tables.names import choose
from comb.tables.read_options import ReadOptions
from comb.tables.types import STRING, TEXTUAL

if TYPE_CHECKING:
    from comb.reading.schema.csvw import Schema


class ColumnRules(msgspec.Struct, frozen=True):
    """What is said of the columns beforehand.

    Attributes
    ----------
    options : ReadOptions
    schema : Schema, optional
        Replaces guessing: a description of the table by CSV on the Web.
    notes : tuple of str
        What is to be said of a description that was found, and could not be used as it is.
    """

    options: ReadOptions
    schema: "Schema | None" = None
    notes: tuple[str, ...] = ()

    @property
    def known(self) -> tuple[str, ...]:
        """The columns that a schema knows; none where there is no schema."""
        return () if self.schema is None else tuple(self.schema.types)

    def declared(self, names: Sequence[str]) -> dict[str, Request]:
        """Return the types declared, by name; what is given counts more than the schema."""
        given = self.options.types
        if self.schema is not None:
            names = self.known
        own = dict.fromkeys(names, given) if isinstance(given, str) else given or {}
        schema = self.schema
        described = (
            {} if schema is None else {one: kind for one, kind in schema.types.items() if one not in schema.untyped}
        )
        return {**described, **{name: parse_request(text) for name, text in own.items()}}

    def words(self, name: str, request: Request | None) -> Words:
        """Return the words that matter in a column of delimited text."""
        missing = self.options.words_of(name)
        if self.schema is not None and not missing:
            return words_for(self.schema.missing.get(name, ()), known=False)
        textual = request is not None and request.word in TEXTUAL
        return words_for(missing, known=self.schema is None and self.options.knows_words(name) and not textual)

    def chosen(self, names: Sequence[str]) -> list[str]:
        """Return of the columns there are those that are read; the others are not even looked at."""
        if self.options.columns is not None:
            return choose(self.options.columns, dict.fromkeys(names, STRING))
        known = {} if self.schema is None else self.schema.types
        return [name for name in names if name in known] if known else list(names)
