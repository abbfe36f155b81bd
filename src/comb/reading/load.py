"""Load sources as tables: the recipe that ties the parts of reading together."""

import contextlib
from collections.abc import Callable, Iterator
from pathlib import Path, PurePath

from comb.errors import ContentError
from comb.execution.resources import DEFAULT, Resources
from comb.formats.sniff import ZIP_START
from comb.kernels import dispatch
from comb.reading.combine import document_table, table_of
from comb.reading.dataset_folder import dataset_folder
from comb.reading.io.beside import CHECKSUMS
from comb.reading.io.decompress import WORKBOOK_PARTS, zip_members
from comb.reading.io.source_file import HeldSource, OpenSource, Source, expand, is_stream
from comb.reading.opened import OpenDocument, OpenText, open_source
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable


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
    opened: list[OpenText | OpenDocument] = []
    for one in files:
        if progress:
            progress(f"reading {one.name if isinstance(one, HeldSource) else one}")
        opened.append(open_source(one, options, resources))
    if progress:
        rows = sum(len(one.raw_table) for one in opened if isinstance(one, OpenText))
        progress(f"finding the types of {rows:,} rows" if rows else "finding the types")
    return table_of(source, opened, resources.threads if dispatch.kernels.compiled else 1)


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
    with bounded(source):
        opened = [open_source(one, options, DEFAULT, first_look=True) for one in files]
        return table_of(source, opened), any(isinstance(one, OpenText) and one.provisional for one in opened)


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


def members_of(source: str | Path | HeldSource) -> list[str]:
    """Return the names of the files in a zip archive; none for any other source."""
    with OpenSource(source) as opened:
        start = opened.read(len(ZIP_START))
        names = zip_members(start + opened.rest(1)) if start == ZIP_START else []
        return [] if any(name in WORKBOOK_PARTS for name in names) else names
