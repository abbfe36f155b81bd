"""What is different between two files, folders, tables or runs: `comb.differences`."""

from collections.abc import Mapping
from pathlib import Path, PurePath
from typing import Any

from comb.errors import ParameterError, listing, unknown_name
from comb.interface.loading import load, load_all
from comb.interface.step_table import Names, listed
from comb.interface.table import Table
from comb.plans.outcome import Outcome
from comb.profiling.differences import Comparison, compare
from comb.reading.io.source_file import check_reachable

Compared = str | Path | Table | Mapping[str, Table] | Outcome


class Comparisons(dict[str, Comparison]):
    """Comparisons of tables of the same name."""

    def __repr__(self) -> str:
        return "\n".join(map(repr, self.values()))


def differences(
    old: Compared, new: Compared, *, key: Names = (), table: str | None = None, **options: Any
) -> Comparison | Comparisons:
    """Say what is different between two files, dataset folders, tables, or outcomes of a plan.

    Parameters
    ----------
    old, new : str, Path, Table, mapping of str to Table, or Outcome
    key : str or sequence of str
        Columns that tell the rows of both apart: then rows and cells are compared too.
    table : str, optional
        Of several tables the one that is compared; by default all that both have.
    **options
        How files are read; as for `load`.

    Returns
    -------
    Comparison, or Comparisons by name
        The second where both have several tables. Cost: some passes over every column; with a key a join.

    Raises
    ------
    CombError
        If a source cannot be read, or a key is not in both or does not tell rows apart.

    >>> import comb
    >>> may = comb.table(columns={"hive": ["a", "b"], "kg": [31, 40]})
    >>> june = comb.table(columns={"hive": ["b", "c"], "kg": [41, 35]})
    >>> [(cell.key, cell.before, cell.after) for cell in comb.differences(may, june, key="hive").changed]
    [('b', '40', '41')]
    """
    before, now = (_tables(one, table, options) for one in (old, new))
    keys = listed(key)
    if len(before) == 1 and len(now) == 1:
        return compare(next(iter(before.values())), next(iter(now.values())), keys)
    shared = [name for name in before if name in now]
    if not shared:
        raise ParameterError(
            f"no table is in both: {listing(list(before))}; {listing(list(now))}",
            remedy="compare one at a time: table=...",
        )
    return Comparisons({name: compare(before[name], now[name], keys) for name in shared})


def _tables(given: Compared, table: str | None, options: dict[str, Any]) -> Mapping[str, Table]:
    """Return the tables that are compared, by name."""
    if isinstance(given, Table):
        return {"": given}
    if isinstance(given, Outcome):
        return _chosen({name: Table._adopt(one) for name, one in given.tables.items()}, table)
    if isinstance(given, Mapping):
        return _chosen(given, table)
    if not isinstance(given, str | PurePath):
        raise ParameterError(f"expected a file, a folder or a table, got {type(given).__name__}")
    if table is not None:
        return {table: load(given, table=table, **options)}
    check_reachable(given)
    if Path(given).is_dir():
        return load_all(given, **options)
    return {"": load(given, **options)}


def _chosen(tables: Mapping[str, Table], table: str | None) -> Mapping[str, Table]:
    if table is None:
        return tables
    if table not in tables:
        what, remedy = unknown_name("table", table, list(tables))
        raise ParameterError(what, remedy=remedy)
    return {table: tables[table]}
