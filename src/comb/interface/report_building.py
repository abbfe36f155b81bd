"""The report: of a file, a table, a plan or a dataset folder, as one page or as Markdown."""

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from comb.errors import ContentError
from comb.execution.resources import DEFAULT, Resources
from comb.interface.report import Report
from comb.plans.reporting import MOST_ASIDE, MOST_PROFILED, aside_parts, made_by, table_part
from comb.profiling.profile import Profile, profile
from comb.reading.dataset_folder import DatasetFolder, dataset_folder
from comb.reading.inspect import inspect_source
from comb.reading.io.source_file import read_whole
from comb.reading.load import load_table
from comb.report.parts import AsidePart, PicturePart, ReportParts, RulePart, TablePart
from comb.steps.accounting import load_entry
from comb.steps.column_steps import day_of
from comb.steps.ledger import Entry
from comb.steps.record import StepRecord
from comb.tables.read_options import ReadOptions
from comb.tables.table import BareTable
from comb.writing.record_files import ASIDE


def table_report(
    table: BareTable,
    flow: Sequence[Entry],
    records: Sequence[StepRecord] = (),
    as_of: str | None = None,
    name: str = "",
) -> Report:
    """Report on one table, with what each remedy would change."""
    found = profile(table, DEFAULT.threads, day_of(as_of))
    title = Path(table.origin.name).stem or "table"
    part = table_part(title, table, flow, found, aside=aside_parts(records, table.origin), effects=True)
    return Report(ReportParts(f"Report: {title}", (part,), made=(*part.origin, *made_by(as_of or ""))))


def source_report(
    source: str | Path | list[str], options: ReadOptions, as_of: str | None = None, resources: Resources = DEFAULT
) -> Report:
    """Report on a file, as it is: how it was read, what it holds, what is wrong with it and what would repair it."""
    table = load_table(source, options, resources=resources)
    entry = load_entry(table.origin)
    found = profile(table, DEFAULT.threads, day_of(as_of))
    decisions = inspect_source(source, options).decisions
    reading = [(one.what, one.value, one.why) for one in decisions]
    name = options.table or Path(table.origin.name).stem
    part = table_part(
        name, table, () if entry is None else (entry,), found, aside=aside_parts((), table.origin), reading=reading,
        effects=True,
    )  # fmt: skip
    title = f"Report: {table.origin.name}"
    return Report(ReportParts(title, (part,), notes=table.notes, made=(*part.origin, *made_by(as_of or ""))))


def folder_report(path: str | Path) -> Report:
    """Report on a dataset folder that a plan saved: from its tables and its record alone.

    Raises
    ------
    ContentError
        If it is no such folder.
    """
    folder = dataset_folder(str(path))
    if folder is None:
        raise ContentError(
            "this folder is no dataset that Comb saved: it has no list of checksums", where=str(path),
            remedy="name a file, a plan, or the folder that a plan saves to",
        )  # fmt: skip
    run = _json(folder.path / "run.json")
    ledger, rules = _ledger(folder.path / "ledger.jsonl")
    aside = _aside(folder.path)
    parts: list[TablePart] = []
    for name, file in folder.tables.items():
        table = load_table(str(file), ReadOptions())
        found: Profile | None = profile(table, DEFAULT.threads) if table.row_count <= MOST_PROFILED else None
        parts.append(
            table_part(
                name, table, ledger.get(name, ()), found, rules.get(name, ()), aside.get(name, ((), 0)), effects=True
            )
        )
    sources = run.get("sources") or {}
    made = [("folder", folder.path.name), ("checksums", folder.sentence), *made_by(run.get("as_of") or "")]
    made += [("saved by", f"Comb {run['comb']}")] if run.get("comb") else []
    for name, one in sources.items():
        made += [
            (f"source of {name}", f"{one['source']}, {one['bytes']:,} bytes"),
            (f"BLAKE3 of {name}", one["blake3"]),
        ]
    questions = tuple((one, "") for one in run.get("questions") or ())
    title = f"Report: {', '.join(folder.tables)}"
    pictures = tuple(_pictures(folder, run))
    return Report(ReportParts(title, tuple(parts), questions, pictures, folder.messages, tuple(made)))


def _json(path: Path) -> dict[str, Any]:
    return dict(json.loads(read_whole(path))) if path.is_file() else {}


def _ledger(path: Path) -> tuple[dict[str, list[Entry]], dict[str, list[RulePart]]]:
    """Read the ledger of a folder: entries and rules by table."""
    entries: dict[str, list[Entry]] = {}
    rules: dict[str, list[RulePart]] = {}
    for line in read_whole(path).splitlines() if path.is_file() else ():
        record = json.loads(line)
        name = record.pop("table", "")
        if "rule" in record:
            met, broken, unknown = (int(record.get(one, 0)) for one in ("met", "broken", "not_checked"))
            says, otherwise, found, why = (str(record.get(one, "")) for one in ("rule", "otherwise", "found", "why"))
            rules.setdefault(name, []).append(RulePart(says, otherwise, met, broken, unknown, found, why))
        else:
            record.pop("number", None)
            entries.setdefault(name, []).append(msgspec.convert(record, Entry))
    return entries, rules


def _aside(folder: Path) -> dict[str, tuple[list[AsidePart], int]]:
    """Read which rows were set aside, by table."""
    path = next((folder / name for name in (ASIDE, f"{ASIDE}.gz") if (folder / name).is_file()), None)
    if path is None:
        return {}
    table = load_table(str(path), ReadOptions(types="string", known_words=False))
    found: dict[str, tuple[list[AsidePart], int]] = {}
    if not table.row_count:
        return found
    names = ("table", "source_row", "place", "reason", "kind")
    for name, row, place, reason, kind in zip(*(table[one].texts() for one in names), strict=True):
        if kind == "remove_duplicates" and (reason or "").startswith("equal to"):
            continue
        listed, count = found.get(name or "", ([], 0))
        if len(listed) < MOST_ASIDE:
            listed.append(AsidePart(row or "", place or "", reason or ""))
        found[name or ""] = (listed, count + 1)
    return found


def _pictures(folder: DatasetFolder, run: Mapping[str, Any]) -> list[PicturePart]:
    """Return the pictures of a folder that are as they were saved."""
    found = []
    for one in run.get("pictures") or ():
        file = folder.path / Path(str(one["file"])).name
        kind = file.suffix.lower().removeprefix(".")
        if kind in ("svg", "png") and file.is_file() and not folder.messages:
            found.append(PicturePart(str(one["title"]), str(one["caption"]), kind, read_whole(file)))
    return found
