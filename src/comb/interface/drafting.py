"""Draft a plan from the layout of a source."""

from pathlib import Path
from typing import Any

from comb.interface.loading import read_options
from comb.interface.plan import Plan
from comb.plans.layout_draft import draft_layout
from comb.plans.parse import read_plan


def draft_plan(source: str | Path, **options: Any) -> Plan:
    """Draft a plan that makes one tidy table of a source: of a sheet made for people, an archive, a folder.

    Several tables are read as one where they have most columns in common; rows that head others and columns whose names
    are values are taken into columns; marks of footnotes are separated. Every step is there because the values show it,
    and the head of the plan says what was found; what a person knows besides, they add.

    Parameters
    ----------
    source : str or Path
        One file, archive or folder.
    **options
        As for `load`; what is given is not guessed.

    Returns
    -------
    Plan
        Run it, change it, save it. Cost: the source is read a few times.

    Raises
    ------
    CombError
        If the source cannot be read.

    >>> import comb, tempfile
    >>> from pathlib import Path
    >>> from comb.demo.files import demo_bytes
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     place = Path(folder) / "harvest.xlsx"
    ...     _ = place.write_bytes(demo_bytes("harvest.xlsx"))
    ...     "to_long" in repr(comb.draft_plan(place))
    True
    """
    made = draft_layout(source, read_options(**options), Path())
    return Plan(read_plan(made.text, f"draft for {Path(source).name}"))
