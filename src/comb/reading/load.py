"""Load sources as tables: the recipe that ties the parts of reading together."""

import contextlib
from collections.abc import Callable, Iterator
from fnmatch import fnmatchcase
from pathlib import Path, PurePath

from msgspec.structs import replace

from comb.errors import ContentError, SourceMissing, listing, nearest
from comb.execution.progress import Progress
from comb.execution.resources import DEFAULT, Resources
from comb.formats.sniff import ZIP_START
from comb.kernels import dispatch
from comb.reading.combine import document_table, files_table, table_of
from comb.reading.dataset_folder import dataset_folder
from comb.reading.io.beside import CHECKSUMS
from comb.reading.io.compression import WORKBOOK_PARTS
from comb.reading.io.source_file import HeldSource, OpenSource, Source, expand, is_stream
from comb.reading.opened import OpenDocument, OpenText, open_source
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable

# What makes a name a pattern.
_PATTERN_MARKS = frozenset("*?[")


@contextlib.contextmanager
def bounded(source: object) -> Iterator[None]:
    """Turn what Python says of too many calls inside each other into an error that names the source."""
    try:
        yield
    except RecursionError:
        where = source.name if isinstance(source, HeldSource) else str(source)
        raise ContentError("it is nested too deeply", where=where) from None


def load_table(
    source: Source,
    options: ReadOptions,
    progress: Callable[[str], None] | None = None,
    resources: Resources = DEFAULT,
) -> BareTable:
    """Load the table in a source, or in several of one shape.

    Parameters
    ----------
    source : str, Path or sequence of them
        ``-`` is standard input; a pattern (``*.csv``) or a list names several files.
    options : ReadOptions
    progress : callable, optional
        Called with a one-line message about what is being done.
    resources : Resources

    Returns
    -------
    BareTable

    Raises
    ------
    ReadError
        If a source cannot be read as a table.
    """
    with bounded(source):
        return _load_table(source, options, progress, resources)


def _load_table(
    source: Source, options: ReadOptions, progress: Callable[[str], None] | None, resources: Resources
) -> BareTable:
    files = expand(source)
    folder = dataset_folder(files[0]) if len(files) == 1 else None
    if folder is not None:
        table = load_table(folder.choose(options.table), options.replace(table=None), progress, resources)
        return table._derive(notes=(*(f"{CHECKSUMS}: {one}" for one in folder.messages), *table.notes))
    inside = files_inside(files[0], options) if len(files) == 1 else {}
    if inside:
        names = [one.table or PurePath(str(place)).name for place, one in inside.values()]
        tables = {name: load_table(*one, progress, resources) for name, one in inside.items()}
        return files_table(source, tables, names, options)
    opened: list[OpenText | OpenDocument] = []
    if progress:
        resources = replace(resources, progress=progress)
    for number, one in enumerate(files):
        if progress:
            message = f"reading {one.name if isinstance(one, HeldSource) else one}"
            progress(Progress(message, number, len(files), "file") if len(files) > 1 else message)
        opened.append(open_source(one, options, resources))
    if progress:
        rows = sum(len(one.raw_table) for one in opened if isinstance(one, OpenText))
        progress(f"finding the types of {rows:,} rows" if rows else "finding the types")
    threads = resources.threads if dispatch.kernels.compiled else 1
    return table_of(source, opened, threads, resources.storage)


def load_beginning(source: Source, options: ReadOptions) -> tuple[BareTable, bool]:
    """Load the beginning of a file.

    Returns
    -------
    table, more
        Small files are loaded whole; of larger ones there are more rows, and the types are
        provisional.
    """
    files = expand(source)
    folder = dataset_folder(files[0]) if len(files) == 1 else None
    if folder is not None:
        table, more = load_beginning(folder.choose(options.table), options.replace(table=None))
        return table._derive(notes=(*(f"{CHECKSUMS}: {one}" for one in folder.messages), *table.notes)), more
    if len(files) == 1 and files_inside(files[0], options):
        return load_table(source, options), False
    with bounded(source):
        opened = [open_source(one, options, DEFAULT, first_look=True) for one in files]
        return table_of(source, opened), any(one.provisional for one in opened)


def load_tables(source: str | Path | HeldSource, options: ReadOptions) -> dict[str, BareTable]:
    """Load every table inside a source by name: of a workbook, a JSON document, a zip archive."""
    folder = dataset_folder(source)
    if folder is not None:
        return {name: load_table(file, options) for name, file in folder.tables.items()}
    members = [] if is_stream(source) else members_of(source)
    if len(members) > 1:
        return {name: load_table(source, options.replace(table=name)) for name in members}
    with bounded(source):
        opened = open_source(source, options, DEFAULT)
        if isinstance(opened, OpenText):
            return {members[0] if members else PurePath(opened.name).stem: table_of(source, [opened])}
        return {inner.name: document_table(source, [(opened, inner)], []) for inner in opened.document.tables}


def files_inside(
    source: str | Path | HeldSource, options: ReadOptions
) -> dict[str, tuple[str | Path | HeldSource, ReadOptions]]:
    """Return the files of an archive or folder that are meant by a pattern or, in a folder, a name; none elsewhere.

    Parameters
    ----------
    source : str or Path
    options : ReadOptions

    Returns
    -------
    dict of str to (source, ReadOptions)
        For each file, by its name without suffix where that tells them apart, how it is read.

    Raises
    ------
    SourceMissing
        If a folder has no such file.
    """
    wanted = options.table
    if wanted is None or is_stream(source) or isinstance(source, HeldSource):
        return {}
    folder = Path(source)
    if folder.is_dir():
        there = sorted(path.name for path in folder.iterdir() if path.is_file() and not path.name.startswith("."))
    elif set(wanted) & _PATTERN_MARKS and folder.is_file():
        members = members_of(source)
        there = members if len(members) > 1 else []
    else:
        return {}
    chosen = [name for name in there if any(fnmatchcase(own, wanted) for own in (name, PurePath(name).stem))]
    if not chosen and there:
        near = nearest(wanted, there)
        hint = f"did you mean {near!r}? " if near else ""
        raise SourceMissing(f"it holds no file {wanted!r}", where=str(source), remedy=f"{hint}files: {listing(there)}")
    stems = [PurePath(name).stem for name in chosen]
    names = stems if len(set(stems)) == len(stems) else chosen
    if folder.is_dir():
        alone = options.replace(table=None)
        return {name: (folder / file, alone) for name, file in zip(names, chosen, strict=True)}
    return {name: (source, options.replace(table=file)) for name, file in zip(names, chosen, strict=True)}


def members_of(source: str | Path | HeldSource) -> list[str]:
    """Return the names of the files in a zip archive; none for any other source."""
    with OpenSource(source) as opened:
        start = opened.read(len(ZIP_START))
        if start != ZIP_START:
            return []
        from comb.reading.io.decompress import zip_members

        names = zip_members(start + opened.rest(1))
        return [] if any(name in WORKBOOK_PARTS for name in names) else names
