"""The report of whatever is named: `comb.make_report`."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from comb.errors import ParameterError
from comb.execution.memory import PROFILE
from comb.execution.working import Limits, working
from comb.interface.loading import read_options
from comb.interface.plan import Plan
from comb.interface.report import Report
from comb.interface.report_building import folder_report, source_report
from comb.kernels import dispatch
from comb.reading.io.source_file import size_of

PLANS = (".yaml", ".yml")


def make_report(
    source: str | Path | list[str],
    *,
    as_of: str | None = None,
    memory: str | int | None = None,
    temporary: str | Path | None = None,
    workers: Any = None,
    progress: Callable[[str], None] | None = None,
    **options: Any,
) -> Report:
    """Report on a file, a plan or a dataset folder.

    Parameters
    ----------
    source : str, Path or list of str
        A file (or several of one shape): how it was read, what it holds, what is wrong with it and what would repair
        that. A plan (``.yaml``): what it does; it is run without writing. A dataset folder: what was done.
    as_of : str, optional
        The day that counts as today.
    memory : str or int, optional
        How much memory may be used: ``"2GB"``, or bytes; by default what is free. What does not fit is worked on in
        temporary files.
    temporary : str or Path, optional
        The folder for temporary files, on a disk; by default the system's.
    workers : int, str or Executor, optional
        Processes that read large files: how many on this machine, the address of a scheduler of `distributed`
        (``"tcp://host:8786"``), its client, or any executor of `concurrent.futures`. The result is the same.
    progress : callable, optional
        Called with a one-line progress message.
    **options
        How files are read; as for `load`.

    Returns
    -------
    Report
        Cost: that of loading and a profile; of a plan, of its run.

    Raises
    ------
    CombError
        If the source cannot be read, or the plan fails.

    >>> import comb, tempfile, pathlib
    >>> place = pathlib.Path(tempfile.mkdtemp(), "hives.csv")
    >>> _ = place.write_text("hive,kg\\n1,31\\n2,40\\n")
    >>> comb.make_report(place)
    Report: hives.csv
    hives: 2 rows and 2 columns, from hives.csv
    Every row is accounted for: the ledger adds up over reading.
    """
    say = progress or (lambda text: None)
    path = None if isinstance(source, list) else Path(source).expanduser()
    settings = read_options(**options)
    if path is not None and path.suffix.lower() in PLANS:
        if settings != read_options():
            raise ParameterError(
                "a plan says itself how its sources are read", remedy="leave out what is said of reading"
            )
        outcome = Plan.load(path).run(
            dry_run=True, as_of=as_of, memory=memory, temporary=temporary, workers=workers, progress=say
        )
        say("profiling the results")
        return outcome.report()
    if path is not None and path.is_dir() and settings == read_options() and (path / "checksums.txt").is_file():
        return folder_report(path)
    say("profiling")
    size = size_of(source) if settings.rows is None else 0
    with working(
        size, PROFILE, Limits(memory, temporary, workers), say, compiled=dispatch.kernels.compiled
    ) as resources:
        return source_report(source, settings, as_of, resources)
