"""What is in a folder: every source with its kind, rows and columns, and what the sources share.

Of large files only the beginning is looked at. A file that cannot be read as a table is listed with the reason. Files
that describe others, and hidden ones, are left out; a dataset folder inside is one entry, with whether it is as saved.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from comb.errors import CombError, SourceMissing, counted, listing
from comb.execution.progress import Progress
from comb.reading.dataset_folder import dataset_folder
from comb.reading.inspect import Inspection, inspect_source
from comb.tables.names import NAMELESS
from comb.tables.read_options import ReadOptions

_DESCRIPTION = "-metadata.json"


class FolderEntry(msgspec.Struct, frozen=True):
    """A source in a folder.

    Attributes
    ----------
    name, kind : str
    size : int
        Bytes.
    tables : tuple of (str, int, tuple of str)
        Of each table its name, rows and columns.
    provisional : bool
        Whether there are more rows than were looked at.
    problem : str
        Why it cannot be read; empty if it can.
    """

    name: str
    kind: str
    size: int
    tables: tuple[tuple[str, int, tuple[str, ...]], ...] = ()
    provisional: bool = False
    problem: str = ""


class FolderInspection(msgspec.Struct, frozen=True):
    """What is in a folder.

    Attributes
    ----------
    name, path : str
    entries : tuple of FolderEntry
    same_columns : tuple of tuple of str
        Files whose tables have the same columns: each group can be read as one table.
    shared : dict of str to tuple of str
        Columns that files of different columns have in common, and those files.
    """

    name: str
    path: str
    entries: tuple[FolderEntry, ...]
    same_columns: tuple[tuple[str, ...], ...]
    shared: dict[str, tuple[str, ...]]

    def as_record(self) -> dict[str, Any]:
        """Return it as plain values, for JSON."""
        sources = [
            {
                "name": one.name,
                "kind": one.kind,
                "size": one.size,
                "provisional": one.provisional,
                "problem": one.problem,
                "tables": [{"name": name, "rows": rows, "columns": list(names)} for name, rows, names in one.tables],
            }
            for one in self.entries
        ]
        return {
            "name": self.name,
            "path": self.path,
            "sources": sources,
            "same_columns": [list(group) for group in self.same_columns],
            "shared": {name: list(files) for name, files in self.shared.items()},
        }


def inspect_folder(folder: Path, progress: Callable[[str], None] = lambda text: None) -> FolderInspection:
    """Look over all sources in a folder.

    Parameters
    ----------
    folder : Path
    progress : callable
        Called with what is being looked at.

    Raises
    ------
    SourceMissing
        If nothing is in it.
    """
    there = sorted(path for path in folder.iterdir() if not path.name.startswith("."))
    names = {path.name for path in there}
    entries = []
    for number, path in enumerate(there):
        if path.name.endswith(_DESCRIPTION) and path.name.removesuffix(_DESCRIPTION) in names:
            continue
        progress(Progress(f"looking at {path.name}", number, len(there), "file"))
        entries.append(_entry(path))
    if not entries:
        raise SourceMissing(
            "there is no file in this folder", where=str(folder), remedy="name a file, or another folder"
        )
    return FolderInspection(
        folder.resolve().name, str(folder), tuple(entries), _same_columns(entries), _shared(entries)
    )


def _entry(path: Path) -> FolderEntry:
    if path.is_dir():
        dataset = dataset_folder(path)
        if dataset is None:
            count = sum(1 for _ in path.iterdir())
            return FolderEntry(f"{path.name}/", "folder", 0, problem=f"{counted(count, 'file')} inside")
        found = inspect_source(path, ReadOptions())
        return FolderEntry(f"{path.name}/", f"dataset folder, {dataset.sentence}", found.size, _tables(found))
    size = path.stat().st_size
    if path.suffix.lower() in (".yaml", ".yml"):
        return FolderEntry(path.name, "YAML", size, problem="YAML, as plans are: comb run shows what it does")
    try:
        found = inspect_source(path, ReadOptions())
    except (CombError, OSError) as error:
        what = error.what if isinstance(error, CombError) else str(error.strerror)
        return FolderEntry(path.name, "no table", size, problem=what)
    kind = next((one.value for one in found.decisions if one.what == "kind"), "delimited text")
    return FolderEntry(path.name, kind, size, _tables(found), any(one.provisional for one in found.tables))


def _tables(found: Inspection) -> tuple[tuple[str, int, tuple[str, ...]], ...]:
    return tuple((one.name, one.rows, tuple(column.name for column in one.columns)) for one in found.tables)


def _same_columns(entries: list[FolderEntry]) -> tuple[tuple[str, ...], ...]:
    """Return the files of one kind whose tables have the same columns, so that they can be read as one."""
    groups: dict[tuple[str, tuple[str, ...]], list[str]] = {}
    for one in entries:
        if len(one.tables) == 1 and not one.name.endswith("/"):
            groups.setdefault((one.kind, one.tables[0][2]), []).append(one.name)
    return tuple(tuple(names) for (_, columns), names in groups.items() if len(names) > 1 and columns)


def _shared(entries: list[FolderEntry]) -> dict[str, tuple[str, ...]]:
    """Return the columns that tables of different shapes have in common, those in most files first."""
    found: dict[str, dict[tuple[str, ...], str]] = {}
    for one in entries:
        for _, _, names in one.tables:
            for name in names:
                if name.startswith(NAMELESS):
                    continue
                found.setdefault(name, {}).setdefault(names, one.name)
    several = {name: tuple(dict.fromkeys(files.values())) for name, files in found.items()}
    order = sorted((name for name, files in several.items() if len(files) > 1), key=lambda name: -len(several[name]))
    return {name: several[name] for name in order}


def folder_sentence(found: FolderInspection) -> str:
    """Say how many sources there are, and how many could be read."""
    read = sum(bool(one.tables) for one in found.entries)
    more = f", {len(found.entries) - read} that cannot be read as a table" if read < len(found.entries) else ""
    return f"{found.name}: {counted(read, 'source')} with tables{more}"


def same_columns_sentences(found: FolderInspection) -> list[str]:
    """Say which files can be read as one table."""
    return [f"the same columns: {listing(list(group))}" for group in found.same_columns]
