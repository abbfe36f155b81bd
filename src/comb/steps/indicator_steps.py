"""Steps between a category and a column of true or false for each of its values: from_indicators, to_indicators."""

from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from comb.casting.cast import convert_column
from comb.errors import ColumnError, ParameterError, TypeMismatch, agree, counted, listing
from comb.parsing.patterns import parse_request
from comb.steps.base import Change, Rows, Step, chosen
from comb.tables.categories import as_category
from comb.tables.cell_source import NO_PLACE
from comb.tables.column import Column
from comb.tables.names import check_known, unique_names
from comb.tables.reasons import Reason
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import BOOLEAN, STRING

# More indicator columns than this are a mistake, not a table to be read.
MOST_INDICATORS = 200

# Rows that are listed.
MOST_LISTED = 3


class FromIndicators(Step, frozen=True, tag="from_indicators"):
    """Make one column of several that say yes or no: of `bus`, `tram`, `bike` the column `travels by`.

    Parameters
    ----------
    columns : list of str
        Selectors of the columns; their names become the values.
    new_columns : list of str
        The name of the column that they become.
    yes : list of str
        The texts that mean yes; needed where the columns are not of true and false, of 1 and 0, or of one text beside
        empty cells.
    several : {"refuse", "list", "rows"}
        What becomes of a row in which more than one says yes: it is refused, the names are listed in one text with
        `mark` between, or the row is there once for each.
    mark : str
        What stands between the names of a list.
    """

    accounting: ClassVar[Rows] = Rows.SPREAD

    columns: list[str]
    new_columns: list[str]
    yes: list[str] = []
    several: Literal["refuse", "list", "rows"] = "refuse"
    mark: str = "; "

    def apply(self, table: BareTable) -> Change:
        """Put the names of the columns that say yes into one."""
        names = chosen(table, self.columns)
        if len(self.new_columns) != 1:
            raise ParameterError(f"expected one name in new_columns, got {len(self.new_columns)}")
        title = self.new_columns[0]
        if title in table and title not in names:
            raise ColumnError(f"there would be two columns named {title!r}", remedy="choose another name")
        said = np.zeros((table.row_count, len(names)), np.bool_)
        for at, name in enumerate(names):
            said[:, at] = self._says_yes(name, table[name])
        count = said.sum(axis=1)
        many = np.flatnonzero(count > 1)
        if len(many) and self.several == "refuse":
            rows = listing([str(row) for row in table.row_numbers[many[:MOST_LISTED]].tolist()])
            raise ParameterError(
                f"{counted(len(many), 'row')} {agree(len(many), 'says', 'say')} yes more than once: rows {rows}"
                f"{' and others' if len(many) > MOST_LISTED else ''}",
                remedy="several: list writes the names into one text, several: rows makes a row of each",
            )
        sources = np.arange(table.row_count)
        if self.several == "list":
            made = _as_lists(names, said, self.mark)
        else:
            sources = np.repeat(sources, np.maximum(count, 1))
            which = np.argmax(said, axis=1)[sources]
            rows_with = np.flatnonzero(count[sources] > 0)
            which[rows_with] = np.nonzero(said)[1]
            texts = Column(STRING, Text.from_items(names, which.astype(np.int64)))
            made = as_category(texts, names, {})._replace(state=np.zeros(len(sources), np.uint8))
        # Nothing is known where no column says yes and one does not say anything.
        gaps = np.any([table[name].missing for name in names], axis=0) if self._knows(table, names) else count < 0
        state = np.where(count > 0, np.uint8(0), np.where(gaps, np.uint8(Reason.BLANK), np.uint8(Reason.ABSENT)))
        made = made._replace(state=state[sources], source=NO_PLACE)
        columns: dict[str, Column] = {}
        for name in table.names:
            if name == names[0]:
                columns[title] = made
            elif name not in names:
                columns[name] = table[name]._take(sources)
        notes = (
            [f"{counted(int((count == 0).sum()), 'row')} without yes: {title} missing"] if (count == 0).any() else []
        )
        if len(many):
            notes.append(f"{counted(len(many), 'row')} {agree(len(many), 'says', 'say')} yes more than once")
        derived = table._derive(columns, row_numbers=table.row_numbers[sources])
        spread = sources if self.several == "rows" else None
        return Change(derived, spread, notes=tuple(notes), made_from={title: names})

    def _knows(self, table: BareTable, names: list[str]) -> bool:
        """Return whether a missing cell is no no: where no is written, too."""
        return not all(
            table[name].type == STRING and len(set(filter(None, table[name].texts()))) <= 1 for name in names
        )

    def _says_yes(self, name: str, column: Column) -> NDArray[np.bool_]:
        if self.yes:
            texts = column.texts()
            return np.fromiter((text in self.yes for text in texts), np.bool_, len(texts))
        if column.type.plain == BOOLEAN:
            return np.asarray(column.array & column.present)
        values = set(filter(None, column.texts()))
        if column.type.numeric and values <= {"0", "1"}:
            return np.asarray((column.array == 1) & column.present)
        if len(values) <= 1:
            return column.present
        read = convert_column(column, parse_request("boolean")) if column.type == STRING else column
        if read.type == BOOLEAN and read.missing_count == column.missing_count:
            return np.asarray(read.array & read.present)
        raise TypeMismatch(
            f"{name} has {listing(sorted(values)[:MOST_LISTED])}: which of them means yes is not known",
            remedy="name it: yes: [x]",
        )

    def describe(self) -> str:
        """Name the columns."""
        return f"{', '.join(self.columns)} made {', '.join(self.new_columns)}"


def _as_lists(names: list[str], said: NDArray[np.bool_], mark: str) -> Column:
    """Return for each row the names of the columns that say yes, as one text; combinations are few."""
    if not len(said):
        return Column(STRING, Text.from_items([""], np.zeros(0, np.int64)))
    kinds, which = np.unique(said, axis=0, return_inverse=True)
    texts = [mark.join(name for name, one in zip(names, kind, strict=True) if one) for kind in kinds]
    return Column(STRING, Text.from_items(texts, which.ravel().astype(np.int64)))


class ToIndicators(Step, frozen=True, tag="to_indicators"):
    """Make a column of true or false for each value of a column. It undoes `from_indicators`.

    Parameters
    ----------
    column : str
    mark : str, optional
        What stands between several values in one text.
    keep_original : bool
        Keep the column.
    most_columns : int
        More new columns than this are refused.
    """

    names_columns: ClassVar[bool] = False

    column: str
    mark: str | None = None
    keep_original: bool = False
    most_columns: int = MOST_INDICATORS

    @property
    def depends_on_values(self) -> bool:
        """Of each value a column is made."""
        return True

    def apply(self, table: BareTable) -> Change:
        """Add the columns, in the order of the values."""
        name = check_known(self.column, table.names)
        column = table[name]
        texts = column.texts()
        if self.mark is not None and not self.mark:
            raise ParameterError("expected a mark of at least one character, got an empty text")
        parted = [[] if text is None else [text] if self.mark is None else self._parts(text) for text in texts]
        values = _in_order(column, {part for parts in parted for part in parts})
        if len(values) > self.most_columns:
            raise ParameterError(
                f"there would be {len(values):,} new columns, more than {self.most_columns}",
                remedy=f"is {name} the right column? most_columns allows more",
            )
        places = {value: at for at, value in enumerate(values)}
        said = np.zeros((table.row_count, len(values)), np.bool_)
        for row, parts in enumerate(parted):
            said[row, [places[part] for part in parts]] = True
        others = [one for one in table.names if one != name or self.keep_original]
        titles = unique_names([*others, *values])[len(others) :]
        # Of an unknown value nothing is known; of one that does not exist, it is not one of them.
        unknown = column.missing & (column.states != Reason.ABSENT)
        state = np.where(unknown, column.states, np.uint8(0))
        made = {title: Column(BOOLEAN, said[:, at], state, source=NO_PLACE) for at, title in enumerate(titles)}
        columns: dict[str, Column] = {}
        for one in table.names:
            if one != name or self.keep_original:
                columns[one] = table[one]
            if one == name:
                columns |= made
        renamed = [title for title, value in zip(titles, values, strict=True) if title != value]
        notes = (f"names that were there already: {', '.join(renamed)}",) if renamed else ()
        return Change(table._derive(columns), notes=notes, made_from={title: [name] for title in made})

    def _parts(self, text: str) -> list[str]:
        return [part.strip() for part in text.split(str(self.mark).strip() or str(self.mark)) if part.strip()]

    def describe(self) -> str:
        """Name the column."""
        return f"a column of true or false for each value of {self.column}"


def _in_order(column: Column, values: set[str]) -> list[str]:
    """Return values in the order of a category, else as text."""
    choices = [choice.value for choice in column.type.choices]
    return [value for value in choices if value in values] + sorted(values - set(choices))
