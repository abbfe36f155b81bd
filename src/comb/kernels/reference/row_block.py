"""The reference block: rows as lists of strings."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.kernels.blocks import MOST_DISTINCT_SHARE, BatchOutput, CodeOutput, NumberBatch, OutputSlice, Values
from comb.kernels.numbering import number_strings
from comb.kernels.reference import counting
from comb.kernels.reference.splitting import split_records
from comb.kernels.string_buffer import StringBuffer, pack
from comb.kernels.types import LINE_END_BYTES, CellForm, Dialect, NumberForm, Records, Tally, Words


class RowBlock:
    """The reference; see `comb.kernels.blocks.Block`."""

    reads_numbers = False

    def __init__(self, data: bytes, dialect: Dialect, width: int, *, single: bool, most: int) -> None:
        found = split_records(data.decode(), dialect.delimiter, dialect.quote, escape=dialect.escape)
        kept = [at for at, row in enumerate(found.fields) if single or row != [""]][:most]
        self._width, self._data = width, data
        self._rows = [found.fields[at] for at in kept]
        self.lines: NDArray[np.integer] = np.array([found.lines[at] - 1 for at in kept], np.int64)
        stop = len(found.fields) if len(kept) < most else kept[-1] + 1 if kept else 0
        whole = stop == len(found.fields)
        ends = [match.end() for match in LINE_END_BYTES.finditer(data)]
        self.line_ends = len(ends) if whole else found.lines[stop] - 1
        self.after = len(data) if whole else ends[self.line_ends - 1] if self.line_ends else 0
        self.blank = [] if single else [found.lines[at] - 1 for at in range(stop) if found.fields[at] == [""]]
        self.stray = [line - 1 for line in found.stray if line <= self.line_ends or whole]
        self.unclosed = [line - 1 for line in found.unclosed if line <= self.line_ends or whole]
        self._set_irregular()

    def _set_irregular(self) -> None:
        width = self._width
        self.short = {at: len(row) for at, row in enumerate(self._rows) if len(row) < width}
        self.surplus = {at: row[width:] for at, row in enumerate(self._rows) if len(row) > width}

    def __len__(self) -> int:
        return len(self._rows)

    def row(self, at: int) -> list[str]:
        """Return the fields of one row."""
        return self._rows[at]

    def begin_with(self, text: str) -> list[int]:
        """Return the rows whose first field is a text."""
        return [at for at, row in enumerate(self._rows) if row[0] == text]

    def empty_rows(self, quote: str | None) -> list[int]:
        """Return the rows of delimiters only: every field is empty, and the first is not enclosed in quotes."""
        found = [at for at, row in enumerate(self._rows) if not any(row)]
        lines = LINE_END_BYTES.split(self._data) if found else []
        return [at for at in found if not quote or not lines[int(self.lines[at])].startswith(quote.encode())]

    def without(self, rows: Sequence[int]) -> "RowBlock":
        """Return the block without some rows."""
        gone = set(rows)
        kept = [at for at in range(len(self)) if at not in gone]
        self._rows = [self._rows[at] for at in kept]
        self.lines = self.lines[kept]
        self._set_irregular()
        return self

    def records(self) -> Records:
        """Return all fields as strings."""
        lines = (self.lines + 1).tolist()
        return Records(self._rows, lines, [line + 1 for line in self.stray], [line + 1 for line in self.unclosed])

    def text(self, column: int, output: CodeOutput | None = None) -> tuple[StringBuffer, NDArray[Any] | None]:
        """Return a column as texts, with codes where they repeat."""
        texts = [row[column] if column < len(row) else "" for row in self._rows]
        words, codes = number_strings(texts)
        return (pack(texts), None) if len(words) > MOST_DISTINCT_SHARE * len(texts) else (pack(words), codes)

    def values(self, column: int, form: CellForm, words: Words, output: OutputSlice | None = None) -> Values | None:
        """Leave it at texts, which the reference reads when the type is known."""
        return None

    def tally(self, column: int, words: Words) -> Tally:
        """Count what the cells of a column could be."""
        return counting.tally([row[column] if column < len(row) else "" for row in self._rows], None, words)[0]

    def number_columns(
        self, columns: NDArray[np.int64], forms: Sequence[NumberForm], words: Words, output: BatchOutput | None
    ) -> NumberBatch:
        """Never asked for; see `reads_numbers`."""
        raise NotImplementedError
