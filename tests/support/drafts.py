"""The road of a finding: a table in several formats, its draft, and what comes of that."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

import comb
from comb.plans.draft import draft_plan

FORMATS = (".csv", ".xlsx", ".ods", ".json", ".jsonl")


def in_formats(folder: Path, columns: Mapping[str, Sequence[object]]) -> Iterator[comb.Table]:
    """Save a table in each format and load it again."""
    for suffix in FORMATS:
        place = folder / f"t{suffix}"
        comb.table(columns=columns).save(place)
        yield comb.load(place)


def drafted(table: comb.Table, folder: Path) -> comb.Table:
    """Write the draft of a table, load it and run it."""
    (folder / "plan.yaml").write_text(draft_plan(table, table.profile(), folder).text)
    [done] = comb.Plan.load(folder / "plan.yaml").run(dry_run=True).tables.values()
    return done
