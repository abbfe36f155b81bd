"""The sources of a plan: its own, or another file for the same steps, with what is different about it.

Another file may call a column differently, which the plan accepts by ``rename:``; and it may lack a column for which a
type is declared. Neither stops the load: the comparison with the file that the plan was made on says it first, and the
check of all names after it says which steps need the column.
"""

import contextlib
from collections.abc import Callable, Mapping
from pathlib import Path

import msgspec
import numpy as np

from comb.errors import ColumnError, CombError, ContentError, ParameterError, SourceMissing, listing, unknown_name
from comb.execution.resources import DEFAULT, Resources
from comb.plans.answers import Answers, read_answers
from comb.plans.model import PlanText, Save
from comb.plans.other_source import fitted
from comb.plans.outputs import place_of
from comb.profiling.differences import Comparison, compare
from comb.reading.io.beside import CHECKSUMS
from comb.reading.io.source_file import expand, size_of
from comb.reading.load import load_table
from comb.steps.column_steps import Rename
from comb.steps.joins import StackTables
from comb.tables.cell_source import NO_PLACE
from comb.tables.column import Column
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable
from comb.tables.text import Text
from comb.tables.types import STRING
from comb.writing.dataset import PLAN

# What the column is called that names the file of a row, where a pattern takes in several.
FILE_COLUMN = "file"

Progress = Callable[[str], None]


def with_sources(plan: PlanText, sources: Mapping[str, str]) -> PlanText:
    """Return a plan with other files as the sources of some of its tables.

    Raises
    ------
    ParameterError
        If there is no such table, or it has no source of its own.
    """
    tables, replaced = dict(plan.tables), {}
    for name, path in sources.items():
        if name not in tables:
            what, remedy = unknown_name("table", name, list(tables))
            raise ParameterError(what, remedy=remedy)
        if tables[name].from_table:
            above = tables[name].from_table
            raise ParameterError(f"{name} is made from the table {above}, it has no source of its own")
        if not isinstance(path, str | Path):
            raise ParameterError(
                f"expected the path of a file as the source of {name}, got {path!r}",
                remedy="several files of one shape are named by a pattern, for instance 'visits-*.csv'",
            )
        replaced[name] = str(Path(path).expanduser().resolve())
        tables[name] = msgspec.structs.replace(tables[name], source=replaced[name], checksum="")
    return msgspec.structs.replace(plan, tables=tables, replaced=replaced)


def saved_elsewhere(plan: PlanText, place: str) -> PlanText:
    """Return a plan whose one output goes to another place."""
    if len(plan.save) > 1:
        places = listing([save.to for save in plan.save])
        raise ParameterError(f"the plan saves to {len(plan.save)} places: {places}", remedy="change them in the plan")
    path = str(Path(place).expanduser().resolve())
    save = msgspec.structs.replace(plan.save[0], to=path) if plan.save else Save(to=path)
    return msgspec.structs.replace(plan, save=[save], saved_to=path)


def load_planned(
    plan: PlanText,
    name: str,
    messages: list[str],
    progress: Progress,
    resources: Resources = DEFAULT,
    made_on: PlanText | None = None,
) -> tuple[BareTable, ReadOptions]:
    """Load the source of a table as its plan says.

    Parameters
    ----------
    plan : PlanText
    name : str
    messages : list of str
        What is odd about the source is added here.
    progress : callable
    resources : Resources
    made_on : PlanText, optional
        The plan with its own sources: another source may have to be read in another way than it says.

    Returns
    -------
    table, options
        And how it was read, as a plan would say it.
    """
    planned = plan.tables[name]
    files = [planned.source] if isinstance(planned.source, str) else planned.source
    progress(f"loading {', '.join(files)}")
    options = planned.reading
    if options.schema:
        options = options.replace(schema=str(place_of(plan, options.schema)))
    places = [place_of(plan, one) for one in files]
    source = places[0] if isinstance(planned.source, str) else places
    fits = fitted(planned, source, options, made_on if name in plan.replaced else None, name)
    messages.extend(fits.messages)
    table = _load(source, fits.options, messages, resources)
    in_plan = fits.in_plan.replace(schema=planned.reading.schema)
    files_in = planned.file_column
    if (
        files_in is None
        and isinstance(planned.source, str)
        and set(planned.source) & set("*?[")
        and table.origin.sources
    ):
        files_in = FILE_COLUMN if FILE_COLUMN not in table else ""
    if files_in:
        table = with_files(table, files_in)
    messages.extend(_own_result(one) for one in places if _is_own_result(plan, one))
    if planned.checksum and planned.checksum != table.origin.checksum:
        messages.append(f"{table.origin.name} is not the source this plan was saved with: its bytes differ")
    if made_on is not None and name in plan.replaced and not table.names:
        table, in_plan = _with_names_of(made_on, name, table, in_plan, messages)
    if not fits.names:
        return table, in_plan
    renamed = ", ".join(f"{one} is read as {other}" for one, other in fits.names.items())
    messages.append(f"{table.origin.name}: {renamed}")
    return Rename(names=fits.names).apply(table).table, in_plan


def _with_names_of(
    made_on: PlanText, name: str, table: BareTable, in_plan: ReadOptions, messages: list[str]
) -> tuple[BareTable, ReadOptions]:
    """Give a list without a record the columns of the file that a plan was made on: it names none itself."""
    with contextlib.suppress(CombError):
        before, _ = load_planned(made_on, name, [], lambda _: None)
        columns = before._take(np.zeros(0, np.int64)).columns
        messages.append(f"{table.origin.name} has no record, and so no names: its columns are those of before")
        types = {title: _type_word(column) for title, column in columns.items()}
        return table._derive(dict(columns)), in_plan.replace(types=types)
    return table, in_plan


def _type_word(column: Column) -> str:
    """Return a type as a plan declares it for a column without a value."""
    return str(column.type) if column.type.plain == column.type and not column.type.scale else "string"


def _load(source: Path | list[Path], options: ReadOptions, messages: list[str], resources: Resources) -> BareTable:
    """Load one file, or several as one table: of one shape at once, others one below the other.

    A column that a file does not have is absent in its rows. What is different about each file is said.
    """
    files = expand(source)
    try:
        return load_table(source, options, resources=resources)
    except ContentError:
        if len(files) < 2:
            raise
    tables = [load_table(one, _of_file(one, options), resources=resources) for one in files]
    whole = tables[0]
    for table in tables[1:]:
        different = [
            one for one in compare(tables[0], table).differences if one.kind in ("columns", "types", "reading")
        ]
        messages.extend(f"{table.origin.name} against {tables[0].origin.name}: {one.text}" for one in different)
        whole = StackTables(table=table.origin.name).apply_with(whole, table).table
    return whole._derive(origin=msgspec.structs.replace(whole.origin, name=f"{len(files)} files"))


def _of_file(file: object, options: ReadOptions) -> ReadOptions:
    """Return how one of several files is read: types are declared for the columns that it has."""
    types = options.types if isinstance(options.types, dict) else None
    if types is None:
        return options
    there = load_table(file, options.replace(rows=1, types=None)).names  # type: ignore[arg-type]
    return options.replace(types={name: kind for name, kind in types.items() if name in there})


def with_files(table: BareTable, name: str) -> BareTable:
    """Return a table with a column that says from which file each row is.

    Raises
    ------
    ColumnError
        If there is a column of this name.
    """
    if name in table:
        raise ColumnError(f"there would be two columns named {name!r}", remedy="give file_column another name")
    files = list(table.origin.sources) or [table.origin.name]
    distinct = list(dict.fromkeys(files))
    codes = np.array([distinct.index(one) for one in files], np.int64)[table._source_index]
    return table._derive({name: Column(STRING, Text.from_items(distinct, codes), source=NO_PLACE), **table.columns})


def answers_of(plan: PlanText, name: str, table: BareTable) -> Answers | None:
    """Read the sheet of answers of a table, and hold it against the table; None without a sheet."""
    planned = plan.tables[name]
    if not planned.answers:
        return None
    sheet = load_table(place_of(plan, planned.answers), ReadOptions(types="string", missing=[]))
    return read_answers(sheet, table, Path(planned.answers).name)


def compared_with_before(
    made_on: PlanText, name: str, table: BareTable, messages: list[str], progress: Progress, resources: Resources
) -> Comparison | None:
    """Compare a source with the file that the plan was made on; None where that is not there any more."""
    try:
        before, _ = load_planned(made_on, name, [], progress, resources)
    except SourceMissing:
        source = made_on.tables[name].source
        messages.append(f"{source} is not there, which the plan was made on: nothing to compare with")
        return None
    except CombError as error:
        messages.append(f"the file that the plan was made on cannot be read: {error.what}")
        return None
    return compare(before, table)


def sizes_of(plan: PlanText) -> int:
    """Return how many bytes the sources of a plan have; what is not there is found out when it is loaded."""
    size = 0
    for planned in plan.tables.values():
        for one in [planned.source] if isinstance(planned.source, str) else planned.source:
            with contextlib.suppress(CombError):
                size += size_of(place_of(plan, one)) if one else 0
    return size


def renaming_hint(comparisons: Mapping[str, Comparison]) -> str:
    """Say how to accept the renamings that comparisons propose."""
    said = []
    for name, comparison in comparisons.items():
        proposed = [f"{now}: {was}" for one in comparison.differences for now, was in one.proposal.items()]
        if proposed:
            said.append(f"if columns were renamed, write below the source of {name}: rename: {{{', '.join(proposed)}}}")
    return "; ".join(said)


def _is_own_result(plan: PlanText, source: Path) -> bool:
    """A source in a dataset folder that this plan saves, or that it was saved in."""
    folder = source.parent.resolve()
    if not (folder / CHECKSUMS).is_file():
        return False
    # The plan of a dataset folder has its own name there; others in it may go on from its tables.
    of_folder = Path(plan.folder).resolve() if Path(plan.name).name == PLAN else None
    return folder in {of_folder, *(place_of(plan, one.to).resolve() for one in plan.save)}


def _own_result(source: Path) -> str:
    return f"{source.name} is a result of this plan, not its source: it was tidied before"
