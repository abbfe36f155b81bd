"""One row of a table, to be read from top to bottom."""

from collections.abc import Iterator, Mapping
from typing import Any

from comb.errors import washed_lines


class Record(Mapping[str, Any]):
    """The cells of one row by column name.

    Parameters
    ----------
    values : mapping of str to object
        Python values, None where missing.
    shown : mapping of str to str
        What is in each cell as text; a missing cell shows its reason in brackets.
    place : str
        Where the row stood in its source.
    """

    def __init__(self, values: Mapping[str, Any], shown: Mapping[str, str], place: str) -> None:
        self._values = dict(values)
        self.shown = dict(shown)
        self.place = place

    def __getitem__(self, name: str) -> Any:
        return self._values[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._values)

    def __len__(self) -> int:
        return len(self._values)

    def __repr__(self) -> str:
        width = max(map(len, self.shown), default=0)
        lines = (f"{name:>{width}}  {text}" for name, text in self.shown.items())
        return washed_lines("\n".join([self.place, *lines]))
