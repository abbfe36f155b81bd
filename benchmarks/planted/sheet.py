"""A table as texts, with the truth about what was planted in it."""

import csv
import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from random import Random


@dataclass(slots=True)
class Sheet:
    """Columns of texts; what was planted, as (code, column) with its rows; what columns are for.

    Rows are held as objects of their own, so that rows which are moved, doubled or dropped take their truth along.
    """

    name: str
    names: list[str]
    rows: list[dict[str, str]]
    roles: dict[str, list[str]] = field(default_factory=dict)
    planted: dict[tuple[str, str], list[int]] = field(default_factory=dict)
    used: set[str] = field(default_factory=set)
    as_of: str | None = None

    def column(self, name: str) -> list[str]:
        return [row[name] for row in self.rows]

    def plant(self, code: str, column: str, rows: Sequence[int] = ()) -> None:
        """Note a defect; rows are those of the table, from 0."""
        self.planted.setdefault((code, column), []).extend(id(self.rows[at]) for at in rows)

    def truth(self) -> dict[tuple[str, str], set[int]]:
        """Return what was planted, with row numbers from 1."""
        place = {id(row): at for at, row in enumerate(self.rows, 1)}
        return {key: {place[row] for row in rows if row in place} for key, rows in self.planted.items()}

    def data(self) -> bytes:
        out = io.StringIO()
        writer = csv.writer(out, lineterminator="\n")
        writer.writerow(self.names)
        writer.writerows([row[name] for name in self.names] for row in self.rows)
        return out.getvalue().encode()


def made(name: str, columns: dict[str, list[str]], **roles: Sequence[str] | str) -> Sheet:
    """Make a sheet of columns; a role names the columns that have it."""
    cells = list(columns.values())
    rows = [dict(zip(columns, row, strict=True)) for row in zip(*cells, strict=True)]
    listed = {role: [one] if isinstance(one, str) else list(one) for role, one in roles.items()}
    return Sheet(name, list(columns), rows, listed)


class Chance:
    """What is drawn, from one seed."""

    def __init__(self, seed: int) -> None:
        self.random = Random(seed)

    def some(self, count: int, draw: Callable[[], object]) -> list[str]:
        return [str(draw()) for _ in range(count)]

    def of(self, values: Sequence[str], weights: Sequence[float] | None = None) -> str:
        return self.random.choices(values, weights)[0]

    def between(self, low: int, high: int) -> int:
        return self.random.randint(low, high)

    def normal(self, mean: float, sd: float, digits: int = 1) -> str:
        return f"{self.random.gauss(mean, sd):.{digits}f}"

    def skewed(self, median: float, sigma: float, digits: int = 0) -> str:
        return f"{median * 2.718281828 ** self.random.gauss(0, sigma):.{digits}f}"

    def day(self, first: str, days: int) -> str:
        return str(date.fromisoformat(first) + timedelta(days=self.between(0, days)))


def later(day: str, days: int) -> str:
    return str(date.fromisoformat(day) + timedelta(days=days))
