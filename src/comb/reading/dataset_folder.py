"""A folder that Comb saved: which tables are in it, and whether every file is as it was saved."""

from pathlib import Path

import msgspec

from comb.errors import ContentError, agree, counted, listing, unknown_name
from comb.reading.io.beside import CHECKSUMS, is_plain_name, listed_sums
from comb.reading.io.source_file import HeldSource

_AT_ONCE = 1 << 22


class DatasetFolder(msgspec.Struct, frozen=True):
    """A dataset folder, held against its list of checksums.

    Attributes
    ----------
    path : Path
    tables : dict of str to Path
        The file of each table, by its name.
    count : int
        Files in the list.
    messages : tuple of str
        What is not as it was saved; none if everything is.
    """

    path: Path
    tables: dict[str, Path]
    count: int
    messages: tuple[str, ...]

    @property
    def sentence(self) -> str:
        """What the list of checksums says."""
        return "; ".join(self.messages) or f"all {counted(self.count, 'file')} as saved"

    def choose(self, name: str | None) -> Path:
        """Return the file of a table; of the only one if none is named.

        Raises
        ------
        ContentError
            If no table has this name or number, or one of several has to be named.
        """
        if name is None and len(self.tables) == 1:
            return next(iter(self.tables.values()))
        if name is None:
            raise ContentError(
                f"there are {counted(len(self.tables), 'table')} in this folder: {listing(list(self.tables))}",
                where=str(self.path), remedy="name one of them: table=..., or --table NAME",
            )  # fmt: skip
        if name.isdecimal() and 0 < int(name) <= len(self.tables):
            return list(self.tables.values())[int(name) - 1]
        if name not in self.tables:
            what, remedy = unknown_name("table", name, list(self.tables))
            raise ContentError(what, where=str(self.path), remedy=remedy)
        return self.tables[name]


def dataset_folder(source: str | Path | HeldSource) -> DatasetFolder | None:
    """Return a dataset folder with what is not as it was saved; None if the source is something else."""
    if not isinstance(source, str | Path) or str(source) == "-":
        return None
    folder = Path(source).expanduser()
    if not folder.is_dir() or not (folder / CHECKSUMS).is_file():
        return None
    sums = {name: one for name, one in listed_sums(str(folder / CHECKSUMS)).items() if is_plain_name(name)}
    tables = {name.removesuffix(".csv"): folder / name for name in sums if f"{name}-metadata.json" in sums}
    if not tables:
        # Somebody else's list of checksums.
        return None
    gone = [name for name in sums if not (folder / name).is_file()]
    changed = [name for name, checksum in sums.items() if name not in gone and _sum_of(folder / name) != checksum]
    more = sorted(path.name for path in folder.iterdir() if path.name not in (*sums, CHECKSUMS))
    messages = []
    if changed:
        messages.append(f"{listing(changed)} {agree(len(changed), 'has', 'have')} changed since it was saved")
    if gone:
        messages.append(f"{listing(gone)} {agree(len(gone), 'is', 'are')} gone")
    if more:
        messages.append(f"{listing(more)} {agree(len(more), 'is', 'are')} not part of it")
    return DatasetFolder(folder, tables, len(sums), tuple(messages))


def _sum_of(path: Path) -> str:
    import hashlib

    whole = hashlib.sha256()
    with path.open("rb") as stream:
        while piece := stream.read(_AT_ONCE):
            whole.update(piece)
    return whole.hexdigest()
