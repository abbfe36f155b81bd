"""The public plan: read from a file or from what was done, run, saved."""

from collections.abc import Callable, Collection, Mapping
from contextlib import AbstractContextManager
from datetime import date
from pathlib import Path
from types import MappingProxyType
from typing import Any, Self

from comb.errors import washed_lines
from comb.execution.memory import RUN
from comb.execution.resources import Resources
from comb.execution.working import Limits, working
from comb.interface.shown.outcomes import ShownOutcome
from comb.kernels import dispatch
from comb.plans.model import PlanText, TablePlan, moved, write_plan
from comb.plans.run import open_plan, run_plan
from comb.plans.sources import answers_of, sizes_of, with_sources
from comb.profiling.profile import Settled
from comb.reading.io.source_file import check_path, path_of
from comb.steps.base import Step
from comb.steps.column_steps import day_of
from comb.tables.origin import Origin
from comb.tables.table import BareTable
from comb.writing.atomic import write_file


class Plan:
    """A plan: source, steps, rules, what to save.

    Parameters
    ----------
    content : PlanText
    """

    def __init__(self, content: PlanText) -> None:
        self.content = content

    def __repr__(self) -> str:
        return washed_lines(self.content.text)

    def __eq__(self, other: object) -> bool:
        """Return whether two plans say the same of the same files; comments and layout do not count."""
        return NotImplemented if not isinstance(other, Plan) else self._said() == other._said()

    def __hash__(self) -> int:
        return hash(self._said())

    def _said(self) -> tuple[str, Path, str]:
        content = self.content
        written = write_plan(content.tables, save=content.save, questions=content.questions)
        return written, Path(content.folder).absolute(), repr((content.replaced, content.saved_to))

    @classmethod
    def load(cls, path: str | Path) -> Self:
        """Read a plan file.

        Raises
        ------
        PlanError
            With file, line and the allowed words, at the first thing that does not belong.
        """
        return cls(open_plan(path_of(path)))

    def settled(self, table: str | None = None) -> list[Settled]:
        """Return the findings that are settled, for one table or for all.

        Parameters
        ----------
        table : str, optional
            The name of a table of the plan.
        """
        chosen = [one for name, one in self.content.tables.items() if table is None or name == table]
        listed = [one for planned in chosen for one in planned.accepted]
        return [Settled(one.code, tuple(one.columns), one.why) for one in listed]

    def settled_for(self, table: BareTable) -> list[Settled]:
        """Return the findings that are settled, those too that sheets of answers say are right for a table.

        Parameters
        ----------
        table : Table
            As loaded.
        """
        found = self.settled()
        for name in self.content.tables:
            answers = answers_of(self.content, name, table)
            found += answers.settled if answers is not None else ()
        return found

    def run(
        self,
        *,
        overwrite: bool = False,
        dry_run: bool = False,
        write_outside: bool = False,
        as_of: str | date | None = None,
        sources: Mapping[str, str | Path] = MappingProxyType({}),
        without: Collection[int] = (),
        until: int | None = None,
        save_to: str | Path | None = None,
        memory: str | int | None = None,
        temporary: str | Path | None = None,
        workers: Any = None,
        progress: Callable[[str], None] | None = None,
    ) -> ShownOutcome:
        """Run the plan and save what it asks for.

        Parameters
        ----------
        overwrite : bool
            Whether existing datasets may be replaced.
        dry_run : bool
            Do everything but write.
        write_outside : bool
            Whether the plan may write outside its own folder.
        as_of : str or date, optional
            The day of the run: what ``current_date`` means in rules, and in the record.
        sources : mapping of str to str or Path
            Other files for tables of the plan: the same steps on next month's.
        without : collection of int
            Numbers of steps that are not taken this time.
        until : int, optional
            The number of the last step that is taken.
        save_to : str or Path, optional
            Where the result goes, and not where the plan says; for plans with one output.
        memory : str or int, optional
            How much memory may be used: ``"2GB"``, or bytes; by default what is free. Sources that do not fit are
            worked on in temporary files; the result is the same.
        temporary : str or Path, optional
            The folder for temporary files, on a disk; by default the system's.
        workers : int, str or Executor, optional
            Processes that read large files: how many on this machine, the address of a scheduler of `distributed`
            (``"tcp://host:8786"``), its client, or any executor of `concurrent.futures`. The result is the same.
        progress : callable, optional
            Called with a one-line progress message.

        Returns
        -------
        Outcome
            Tables, ledger, rules, pictures, paths written; `report()` is the whole as a page.
        """
        others = {name: str(path) for name, path in sources.items()}
        say = progress or (lambda text: None)
        with self._working(others, Limits(memory, temporary, workers), say) as resources:
            outcome = run_plan(
                self.content,
                overwrite=overwrite,
                dry_run=dry_run,
                write_outside=write_outside,
                as_of=day_of(None if as_of is None else str(as_of)),
                sources=others,
                without=without,
                until=until,
                save_to=None if save_to is None else str(save_to),
                progress=say,
                resources=resources,
            )
        return ShownOutcome._of(outcome)

    def _working(
        self, sources: Mapping[str, str], limits: Limits, say: Callable[[str], None]
    ) -> AbstractContextManager[Resources]:
        """Choose between memory and disk by the size of all sources.

        A source in place of another is compared with it: both are loaded.
        """
        size = sizes_of(self.content) + (sizes_of(with_sources(self.content, sources)) if sources else 0)
        return working(size, RUN, limits, say, compiled=dispatch.kernels.compiled)

    def save(self, path: str | Path, *, overwrite: bool = False) -> None:
        """Write the plan to a file, as YAML; paths in it are kept relative to the file."""
        path = path_of(path)
        check_path(path)
        place = Path(path)
        write_file(place, moved(self.content, str(place.parent)).encode(), overwrite=overwrite)


def table_plan(origin: Origin, steps: list[Step]) -> TablePlan:
    """Return the plan of one table: its source, how it was read, the steps."""
    # What was done had no column with the names of files.
    several = "" if origin.sources else None
    return TablePlan(source=origin.source, reading=origin.options, file_column=several, steps=steps)
