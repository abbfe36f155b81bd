"""A draft plan: the types that were seen, and the remedy of every finding."""

import os
from pathlib import Path

import msgspec

from comb.plans.model import Save, TablePlan, name_of, write_plan
from comb.profiling.profile import Profile
from comb.tables.origin import DELIMITED
from comb.tables.table import BareTable

HEAD = """\
# A draft: every step below is the remedy of a finding. Keep what is right, change or
# delete what is not, then try it: comb run PLAN --dry-run
"""


def draft_plan(table: BareTable, profile: Profile, folder: Path) -> str:
    """Write the remedies of a profile as a plan.

    Parameters
    ----------
    table : BareTable
        As loaded.
    profile : Profile
    folder : Path
        Where the plan will stand; its source is named relative to it.

    Returns
    -------
    str
        YAML. Types are pinned, so that next month's file is read in the same way.
    """
    steps = [
        msgspec.structs.replace(finding.remedy, why=finding.text) for finding in profile.findings if finding.remedy
    ]
    origin = table.origin
    types = {name: str(kind) for name, kind in table.types.items()}
    # Of tables that are read below each other, types would be declared for each, under its own names.
    below = bool(origin.sources) and origin.kind != DELIMITED
    reading = origin.options if below else origin.options.replace(types=types)
    name = Path(origin.name).stem if origin.path else name_of(origin.source)
    source = [os.path.relpath(path, folder) for path in origin.paths] or os.path.relpath(origin.path, folder)
    planned = TablePlan(source=source, reading=reading, steps=steps)
    return HEAD + write_plan({name: planned}, save=[Save(to=f"{name}-result")])
