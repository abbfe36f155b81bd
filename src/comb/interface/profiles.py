"""Profiles of sources: of one that may be larger than memory, and of several tables together."""

from collections.abc import Callable, Mapping
from datetime import date
from pathlib import Path
from typing import Any

from comb.errors import ParameterError
from comb.execution.memory import PROFILE
from comb.execution.working import Limits, working
from comb.interface.loading import GivenSource, load_within
from comb.interface.plan import Plan
from comb.interface.table import Table
from comb.kernels import dispatch
from comb.profiling.profile import Profile
from comb.profiling.related import Together, related
from comb.reading.io.source_file import size_of


def profile(
    source: GivenSource,
    *,
    memory: str | int | None = None,
    temporary: str | Path | None = None,
    workers: Any = None,
    as_of: str | date | None = None,
    accepted: Plan | None = None,
    progress: Callable[[str], None] | None = None,
    **options: Any,
) -> Profile:
    """Profile a file, also one that is larger than memory.

    Parameters
    ----------
    source : str, Path or list of them
    memory : str or int, optional
        How much memory may be used: ``"2GB"``, or bytes; by default what is free. What does not fit is worked on in
        temporary files; the result is the same.
    temporary : str or Path, optional
        The folder for temporary files, on a disk; by default the system's.
    workers : int, str or Executor, optional
        Processes that read large files: how many on this machine, the address of a scheduler of `distributed`
        (``"tcp://host:8786"``), its client, or any executor of `concurrent.futures`. The result is the same.
    as_of : str or date, optional
        The day that counts as today.
    accepted : Plan, optional
        Findings that it declares settled are listed as such.
    progress : callable, optional
        Called with a one-line progress message.
    **options
        How the file is read; as for `load`.

    Returns
    -------
    Profile
        As `Table.profile` gives it.

    Raises
    ------
    CombError
        If the source cannot be read.

    >>> import comb, tempfile, pathlib
    >>> place = pathlib.Path(tempfile.mkdtemp(), "hives.csv")
    >>> _ = place.write_text("hive,kg\\n" + "a1,31\\nb2,40\\nb2,999\\n" * 9)
    >>> [finding.code for finding in comb.profile(place, memory="500MB").findings]
    ['missing.stand_in']
    """
    size = size_of(source) if isinstance(source, str | Path | list | tuple) and options.get("rows") is None else 0
    say = progress or (lambda text: None)
    with working(
        size, PROFILE, Limits(memory, temporary, workers), say, compiled=dispatch.kernels.compiled
    ) as resources:
        table = load_within(source, resources, **options)
        return table.profile(as_of=as_of, accepted=accepted, progress=progress)


def profile_together(tables: Mapping[str, Table], *, as_of: str | date | None = None) -> Together:
    """Profile several tables, and find what refers to what among them.

    Parameters
    ----------
    tables : mapping of str to Table
        By the names they are reported by.
    as_of : str or date, optional
        The day that counts as today.

    Returns
    -------
    Together
        With a profile of each table. Keys without a partner are findings of the table that refers to them.

    Raises
    ------
    ParameterError
        For fewer than two tables.

    >>> import comb
    >>> boxes = comb.table(columns={"box": ["A1", "B2", "C3"], "place": ["Mill", "Mill", "Fox"]})
    >>> visits = comb.table(columns={"visit": [1, 2, 3, 4], "box": ["A1", "A1", "C3", "D4"]})
    >>> print(*comb.profile_together({"visits": visits, "boxes": boxes}).links)
    visits.box refers to boxes.box: 3 rows have a partner, 1 have none; 1 row of boxes is never referred to
    """
    if len(tables) < 2:
        raise ParameterError(f"expected two tables or more, got {len(tables)}", remedy="one table: table.profile()")
    return related(tables, {name: table.profile(as_of=as_of) for name, table in tables.items()})
