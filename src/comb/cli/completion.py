"""What a shell completes: columns and tables of the file that was named.

Only the beginning of the file is read. Whatever goes wrong, nothing is proposed and nothing is printed: the shell is in
the middle of a line.
"""

from collections.abc import Mapping
from typing import Any

from comb.errors import CombError
from comb.interface.loading import load_beginning
from comb.reading.inspect import inspect_source
from comb.tables.read_options import ReadOptions


def columns_of(given: Mapping[str, Any], incomplete: str) -> list[str]:
    """Return the names of columns that begin as the last one does, which may stand behind others and a comma."""
    before, comma, begun = incomplete.rpartition(",")
    try:
        table = given.get("table")
        names = load_beginning(_source(given), **({"table": table} if table else {}))[0].names
    except (CombError, OSError):
        return []
    return [f"{before}{comma}{name}" for name in names if name.startswith(begun)]


def tables_of(given: Mapping[str, Any], incomplete: str) -> list[str]:
    """Return the names of tables inside a file that begin so."""
    try:
        found = inspect_source(_source(given), ReadOptions())
    except (CombError, OSError):
        return []
    return [table.name for table in found.tables if table.name.startswith(incomplete)]


def _source(given: Mapping[str, Any]) -> str:
    """Return the first file that was named; before an option has its value, files are among the rest."""
    for name in ("source", "files", "arguments", "old", "plan", "place", "rest"):
        value = given.get(name)
        if value:
            return str(value if isinstance(value, str) else value[0])
    return ""
