"""How a source would be read: each decision with its evidence and the option that overrides it."""

from dataclasses import dataclass
from typing import Any

from comb.tables.evidence import Evidence


@dataclass(frozen=True, slots=True)
class Decision:
    """One thing that was decided about a source.

    Attributes
    ----------
    what, value, why : str
    runner_up : str
        What else it could have been; empty if nothing.
    option : str
        The name of the parameter of `load` that overrides it.
    """

    what: str
    value: str
    why: str
    runner_up: str
    option: str


@dataclass(frozen=True, slots=True)
class ColumnReading:
    """One column of a table inside a source, its type and the evidence for it."""

    name: str
    type: str
    missing: int
    evidence: Evidence | None


@dataclass(frozen=True, slots=True)
class TableReading:
    """A table inside a source.

    Attributes
    ----------
    name, place : str
    rows : int
    columns : tuple of ColumnReading
    notes : tuple of str
    titles : tuple of str
    provisional : bool
        Whether only the beginning was looked at, so that there are more rows and types may change.
    """

    name: str
    place: str
    rows: int
    columns: tuple[ColumnReading, ...]
    notes: tuple[str, ...]
    titles: tuple[str, ...]
    provisional: bool = False


@dataclass(frozen=True, slots=True)
class Inspection:
    """What a source holds and how it would be read.

    Attributes
    ----------
    name, path : str
    size : int
        Bytes.
    decisions : tuple of Decision
    tables : tuple of TableReading
    """

    name: str
    path: str
    size: int
    decisions: tuple[Decision, ...]
    tables: tuple[TableReading, ...]

    def __repr__(self) -> str:
        lines = [f"{self.name}, {self.size:,} bytes"]
        lines += [f"  {one.what}: {one.value} ({one.why})" for one in self.decisions]
        for table in self.tables:
            rows = f"{table.rows:,} rows looked at, types provisional" if table.provisional else f"{table.rows:,} rows"
            lines.append(f"{table.name}: {rows} and {len(table.columns)} columns, {table.place}")
            lines += [f"  {column.name}: {column.evidence or column.type}" for column in table.columns]
        return "\n".join(lines)

    def as_record(self) -> dict[str, Any]:
        """Return the inspection as plain values, for JSON."""
        decisions = [{name: getattr(one, name) for name in one.__slots__} for one in self.decisions]
        tables = [
            {
                "name": table.name,
                "place": table.place,
                "rows": table.rows,
                "provisional": table.provisional,
                "titles": list(table.titles),
                "notes": list(table.notes),
                "columns": [
                    {
                        "name": column.name,
                        "type": column.type,
                        "missing": column.missing,
                        "evidence": str(column.evidence),
                    }
                    for column in table.columns
                ],
            }
            for table in self.tables
        ]
        return {
            "name": self.name,
            "path": self.path,
            "size": self.size,
            "decisions": decisions,
            "tables": tables,
        }
