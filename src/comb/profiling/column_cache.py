"""A table as it is profiled: what several findings need is found once.

Findings and summaries ask for the same things: the present values of a column in order, how many cells are missing
for which reason, which texts are distinct, the codes of all texts. Each is found when the first of them asks, and
kept as long as the profile is made. Several threads may ask at once; at worst something is found twice, never half.
"""

from collections.abc import Mapping
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.execution.storage import blocks_of
from comb.inference.decide import infer_column
from comb.kernels.grouping import Codes
from comb.parsing.vocabulary import KNOWN_WORDS
from comb.statistics.figures import positions_of, stored_positions
from comb.statistics.ordering import in_ascending_order
from comb.tables.column import Column
from comb.tables.evidence import LEAST_DOUBTED, Evidence
from comb.tables.reasons import Reason
from comb.tables.stored import coded_column, stored_array, text_counts
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import STRING

# Codes may reach up to this many times the number of rows.
MOST_SPREAD = 2

# The first texts of a column, this many, show whether it may be something else.
FIRST_READ = 200


class ColumnCache(BareTable):
    """A table whose texts have codes, with what was found out about its columns so far.

    May be asked by several threads at once: at worst something is found twice.
    """

    def __init__(self, columns: Mapping[str, Column], **given: Any) -> None:
        super().__init__(columns, **given)
        self._ordered: dict[str, NDArray[Any]] = {}
        self._counts: dict[str, Codes] = {}
        self._ascending: bool | None = None
        self._floats: dict[str, NDArray[np.float64]] = {}
        self._different: dict[str, int] = {}
        self._told: dict[str, NDArray[np.bool_]] = {}
        self._surely_told: dict[str, NDArray[np.bool_]] = {}
        self.as_of: date | None = None
        self._numbered: dict[str, Codes] = {}
        self.relations: tuple[Any, Any] | None = None
        self._settled: NDArray[np.bool_] | None = None
        self._read: dict[str, Evidence | None] = {}
        self.kinds: dict[str, NDArray[np.uint8]] = {}
        self.meant: dict[str, Codes] = {}
        self.limits: dict[str, None] = {}
        self.found_copies: tuple[Codes, Codes, NDArray[np.bool_]] | None = None
        self.copies_by_chance: bool | None = None

    @classmethod
    def at(cls, table: BareTable, as_of: date | None = None) -> "ColumnCache":
        """Look at a table; equal texts are numbered once, for all that follows.

        Parameters
        ----------
        table : BareTable
        as_of : date, optional
            The day that counts as today, for what depends on it.
        """
        storage = table._storage
        columns = {name: coded_column(column, storage) for name, column in table.columns.items()}
        for column in columns.values():
            if storage.on_disk and isinstance(column.values, Text):
                column.values.keep_traits(KNOWN_WORDS, storage)
        made = cls._of(table, columns)
        made.as_of = as_of
        return made

    @classmethod
    def without_codes(cls, table: BareTable) -> "ColumnCache":
        """Look at a table as it is, for what needs no codes of its texts: summaries."""
        return cls._of(table, table.columns)

    @classmethod
    def _of(cls, table: BareTable, columns: Mapping[str, Column]) -> "ColumnCache":
        more = {"row_numbers": table.row_numbers, "origin": table.origin, "notes": table.notes}
        return cls(columns, **more, storage=table._storage)

    def floats(self, name: str) -> NDArray[np.float64]:
        """Return the values of a column of numbers, dates or times as floats, NaN where missing.

        Dates are counted in days and moments in days with fractions, from 1970; times of day and durations in days.
        """
        if name not in self._floats:
            self._floats[name] = stored_array(positions_of(self[name]), self._storage)
        return self._floats[name]

    def different(self, name: str) -> int:
        """Return how many different values a column has."""
        if name not in self._different:
            column = self[name]
            if column.type.textual:
                self._different[name] = int(np.count_nonzero(text_counts(column, self._storage)))
            else:
                ordered = self.ordered(name)
                self._different[name] = int(np.count_nonzero(ordered[1:] != ordered[:-1])) + bool(len(ordered))
        return self._different[name]

    def read_as_text(self, name: str) -> Evidence | None:
        """Return what the texts of a column could be; None for a column of another type, or declared.

        Of what came as text, as from a delimited file, it is known; of other columns the first texts tell whether it
        is worth asking. Cost: at most what it takes to infer the type of the column.
        """
        column = self[name]
        evidence = column.evidence
        if column.type.word != "string" or (evidence is not None and evidence.declared) or not column.present.any():
            return None
        if evidence is not None and evidence.tried:
            return evidence
        if name not in self._read:
            first = infer_column(column._take(column._first_present(FIRST_READ)).text).evidence
            worth = first is not None and any(
                one.fits >= LEAST_DOUBTED * FIRST_READ or one.fits >= LEAST_DOUBTED * (one.fits + one.misfits)
                for one in first.tried
                if one.type.plain != STRING
            )
            self._read[name] = infer_column(column.text).evidence if worth else evidence
        return self._read[name]

    def told(self, name: str) -> NDArray[np.bool_]:
        """Return which cells of a column are reported to be wrong by what was looked for before."""
        return self._told.get(name, np.zeros(self.row_count, np.bool_))

    def settle(self) -> None:
        """Keep which rows have cells known to be wrong by now, for what is looked for beside later searches."""
        told = np.zeros(self.row_count, np.bool_)
        for where in self._told.values():
            told |= where
        self._settled = told

    def settled_rows(self) -> NDArray[np.bool_]:
        """Return which rows had cells told to be wrong when that was kept."""
        return np.zeros(self.row_count, np.bool_) if self._settled is None else self._settled

    def surely_told(self, name: str) -> NDArray[np.bool_]:
        """Return which cells are reported to be wrong for more than being far from the others."""
        return self._surely_told.get(name, np.zeros(self.row_count, np.bool_))

    def tell(self, name: str, rows: Codes, *, surely: bool = True) -> None:
        """Note, by row numbers, that cells of a column are wrong; for what is looked for afterwards."""
        if len(rows):
            where = np.isin(self.row_numbers, rows)
            self._told[name] = self.told(name) | where
            if surely:
                self._surely_told[name] = self.surely_told(name) | where

    def in_order(self, name: str) -> NDArray[np.float64]:
        """Return the values of `floats` in ascending order, missing ones left out."""
        column, ordered = self[name], self.ordered(name)
        if not self._storage.on_disk or ordered.dtype == np.float64:
            return stored_positions(column, ordered)
        floats = self._storage.empty(len(ordered), np.float64)
        for rows in blocks_of(len(ordered), self._storage.block_rows):
            floats[rows] = stored_positions(column, ordered[rows])
        return floats

    def numbered(self, name: str) -> Codes:
        """Return the codes of a column, equal where cells are equal; those of missing cells are the highest."""
        if name not in self._numbered:
            column = self[name]
            codes: Codes | None = None
            if not column.type.textual and column.array.dtype.kind in "iMm" and self.present_count(name):
                least, most = (int(one.astype(np.int64)) for one in self.ordered(name)[[0, -1]])
                # Whole numbers and days that lie close together are their own codes.
                if most - least < MOST_SPREAD * self.row_count:
                    codes = column.array.astype(np.int64) - least
                    codes = np.where(column.missing, most - least + 1, codes) if column.missing_count else codes
            self._numbered[name] = stored_array(column._codes() if codes is None else codes, self._storage)
        return self._numbered[name]

    def limit(self, text: str) -> None:
        """Note what is not looked at, because there is too much of it."""
        self.limits[text] = None

    def present_count(self, name: str) -> int:
        """Return how many cells of a column hold a value."""
        return int(self.state_counts(name)[Reason.PRESENT])

    def ordered(self, name: str) -> NDArray[Any]:
        """Return the present values of a column that is not text, in ascending order."""
        if name not in self._ordered:
            column = self[name]
            present = column.present if column.missing_count else None
            self._ordered[name] = in_ascending_order(column.array, present, self._storage)
        return self._ordered[name]

    def state_counts(self, name: str) -> Codes:
        """Return how many cells of a column are present, and how many are missing for each reason."""
        if name not in self._counts:
            state = self[name].state
            counts = np.zeros(len(Reason), np.int64)
            for block in blocks_of(self.row_count):
                here = np.zeros(0, np.uint8) if state is None else state[block]
                left = int(np.count_nonzero(here))
                for reason in Reason if left else ():
                    # Most gaps are for one reason, so that this ends soon.
                    found = int(np.count_nonzero(here == reason)) if reason else 0
                    counts[reason] += found
                    left -= found
                    if not left:
                        break
            counts[Reason.PRESENT] = self.row_count - counts.sum()
            self._counts[name] = counts
        return self._counts[name]

    def rows_where(self, where: NDArray[np.bool_]) -> Codes:
        """Return the row numbers, ascending, of the rows in a mask."""
        if self._ascending is None:
            # Steps seldom change the order of rows.
            self._ascending = bool((self.row_numbers[1:] > self.row_numbers[:-1]).all())
        count = int(np.count_nonzero(where))
        if self._ascending and count == self.row_count:
            return self.row_numbers
        rows, start = self._storage.empty(count, np.int64), 0
        # Rows of which none is gone have the numbers of their places.
        first = int(self.row_numbers[0]) if self._ascending and self.row_count else 0
        whole = self._ascending and self.row_count > 0 and int(self.row_numbers[-1]) - first == self.row_count - 1
        for block in blocks_of(self.row_count, self._storage.block_rows):
            some = (
                np.flatnonzero(where[block]) + (first + block.start) if whole else self.row_numbers[block][where[block]]
            )
            rows[start : start + len(some)] = some
            start += len(some)
        return rows if self._ascending else np.sort(rows)
