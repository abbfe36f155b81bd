"""How another file is read in place of the source that a plan was made on.

A plan may say how its source is read: delimiter, encoding, lines above the header, the sheet, types. A draft says all
of it. The next file may be written in another way: with semicolons, in UTF-16, below a title, on a sheet that has the
name of its month. So what the plan says is tried first, and held against the names of the columns of before. Where some
are not there, what can be found out is found out, and taken if more of them are there then; with several tables inside,
if exactly one has the most. What was taken instead is said, and is in the plan that is saved with the result, so that
this plan can be run again. Nothing is tried on a file that has all columns.
"""

import contextlib
from collections.abc import Iterator
from pathlib import Path

import msgspec

from comb.errors import CombError, counted, listing
from comb.plans.model import READING, PlanText, TablePlan
from comb.plans.outputs import place_of
from comb.reading.load import load_table, load_tables
from comb.tables.read_options import ReadOptions

# Rows that are read to see which columns there are.
LOOKED_AT = 100


class Fitted(msgspec.Struct, frozen=True):
    """How a file is read, and what its columns are called in the plan.

    Attributes
    ----------
    options : ReadOptions
        By the names that the file has.
    in_plan : ReadOptions
        The same by the names of the plan.
    names : dict of str to str
        Columns that the plan renames when it has read them.
    messages : list of str
        What is not as the plan says.
    """

    options: ReadOptions
    in_plan: ReadOptions
    names: dict[str, str]
    messages: list[str]


def fitted(
    planned: TablePlan, source: Path | list[Path], options: ReadOptions, made_on: PlanText | None, name: str
) -> Fitted:
    """Fit what a plan says of its source to the file that is there.

    Parameters
    ----------
    planned : TablePlan
    source : Path or list of Path
    options : ReadOptions
        As the plan says.
    made_on : PlanText or None
        The plan with its own sources, where this is another one.
    name : str
        Of the table.
    """
    messages: list[str] = []
    if made_on is not None:
        options = _found_out(planned, source, options, _names_before(made_on, name), messages)
    types = options.types if isinstance(options.types, dict) else {}
    if not (planned.rename or (made_on is not None and types)):
        return Fitted(options, options, {}, messages)
    there = load_table(source, options.replace(rows=1, types=None)).names
    names = {one: other for one, other in planned.rename.items() if one in there and other not in there}
    by_plan = {other: one for one, other in names.items()}
    lacking = [title for title in types if by_plan.get(title, title) not in there] if made_on is not None else []
    if lacking:
        messages.append(f"types are declared for columns that are not there: {listing(lacking)}")
    if not types:
        return Fitted(options, options, names, messages)
    kept = {title: kind for title, kind in types.items() if title not in lacking}
    by_file = {by_plan.get(title, title): kind for title, kind in kept.items()}
    return Fitted(options.replace(types=by_file), options.replace(types=kept), names, messages)


def _names_before(made_on: PlanText, name: str) -> set[str]:
    """Return the columns of the file that a plan was made on; where it is gone, those whose types are given."""
    planned = made_on.tables[name]
    files = [planned.source] if isinstance(planned.source, str) else planned.source
    with contextlib.suppress(CombError, OSError):
        places = [place_of(made_on, one) for one in files]
        found = load_table(places if len(places) > 1 else places[0], _bare(planned.reading).replace(rows=1))
        return set(found.names)
    return set(planned.reading.types) if isinstance(planned.reading.types, dict) else set()


def _bare(options: ReadOptions) -> ReadOptions:
    """Return how a file is read without what names columns."""
    return options.replace(types=None, columns=None, missing=None)


def _found_out(
    planned: TablePlan, source: Path | list[Path], options: ReadOptions, wanted: set[str], messages: list[str]
) -> ReadOptions:
    given = [one for one in READING if getattr(options, one) is not None]
    if not given or not wanted:
        return options

    def hits(names: tuple[str, ...]) -> int:
        return len({planned.rename.get(one, one) for one in names} & wanted)

    as_planned = max((hits(names) for names, _ in _tables(source, options)), default=0)
    if as_planned == len(wanted):
        return options
    free = options.replace(**dict.fromkeys(given))
    found = list(_tables(source, free)) if isinstance(source, list) else [*_tables(source, free, inside=True)]
    most = max((hits(names) for names, _ in found), default=0)
    best = [read for names, read in found if hits(names) == most]
    if most <= as_planned or len(best) > 1:
        return options
    changed = {one: getattr(best[0], one) for one in given if getattr(best[0], one) != getattr(options, one)}
    # A workbook has no delimiter and no encoding: that it is one is said where it is compared.
    told = [one for one in changed if changed[one] is not None or one == "table"]
    if told:
        instead = [f"no {one}" if changed[one] is None else f"{one} {changed[one]!r}" for one in told]
        said = " and ".join(repr(getattr(options, one)) for one in told)
        file = source if isinstance(source, Path) else source[0]
        messages.append(
            f"{file.name} is read with {' and '.join(instead)}, not with {said} as the plan says: "
            f"so it has {most} of the {counted(len(wanted), 'column')} of before, else {as_planned}"
        )
    return options.replace(**changed)


def _tables(
    source: Path | list[Path], options: ReadOptions, *, inside: bool = False
) -> Iterator[tuple[tuple[str, ...], ReadOptions]]:
    """Give the columns of a source, or of each table in it, and how it was read; nothing if it cannot be read so."""
    few = _bare(options).replace(rows=LOOKED_AT)
    with contextlib.suppress(CombError, OSError):
        tables = load_tables(source, few) if inside and isinstance(source, Path) else {"": load_table(source, few)}
        for table in tables.values():
            yield table.names, table.origin.options
