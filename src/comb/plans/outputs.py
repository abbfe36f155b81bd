"""What a plan writes, and where it may: checked before any work, written together at the end.

A plan that somebody sends may name any path, so it writes into its own folder unless the person who runs it says
otherwise. An output never replaces a source of the plan by accident, neither the file itself nor one that the next run
would take for a source because its name matches a pattern.
"""

from collections.abc import Iterator, Mapping, Sequence
from fnmatch import fnmatchcase
from functools import partial
from pathlib import Path

from comb.errors import CombError, ParameterError, PlanError
from comb.execution.resources import DEFAULT
from comb.kernels.grouping import Codes
from comb.plans.model import PlanText, Save, moved
from comb.plans.outcome import Outcome
from comb.plans.reporting import outcome_parts
from comb.plans.rules import RuleResult, required_columns
from comb.profiling.summaries import Summary
from comb.report.page import report_html
from comb.steps.accounting import ledger_of
from comb.writing.atomic import Output, check_file_free, check_free
from comb.writing.dataset import OWN_FILES, Dataset, check_names
from comb.writing.files import CONTAINERS, container_of, file_kind, files_of, not_held, outdated

# Names that end so are of files, not of folders; Comb does not write these kinds.
_OTHER_FILES = frozenset({
    ".xls", ".xlsm", ".xlsb", ".html", ".htm", ".pdf", ".xml", ".zip", ".yaml", ".yml", ".md", ".dat",
})  # fmt: skip


# What the record of a dataset says of each picture.
_TOLD = ("file", "table", "title", "caption")


def place_of(plan: PlanText, path: str) -> Path:
    """Return a path of a plan, which begins at its folder."""
    return Path(plan.folder) / path


def tables_of(plan: PlanText, save: Save) -> list[str]:
    """Return the names of the tables that an output holds."""
    return save.tables or list(plan.tables)


def is_file(save: Save) -> bool:
    """Return whether an output is a single file; else it is a dataset folder."""
    try:
        return bool(file_kind(save.to))
    except ParameterError:
        return False


def reserve_outputs(plan: PlanText, output: Output, *, overwrite: bool, write_outside: bool) -> None:
    """Find out before any work whether all outputs can be written, and keep their places.

    Raises
    ------
    CombError
        For the first that cannot.
    """
    for path, folder in checked_outputs(plan, overwrite=overwrite, write_outside=write_outside):
        output.reserve(path, folder=folder, overwrite=overwrite)


def refusals(plan: PlanText, *, overwrite: bool, write_outside: bool) -> Iterator[str]:
    """Say why the outputs of a plan cannot be written, without a touch to their places; nothing if they can."""
    try:
        for path, folder in checked_outputs(plan, overwrite=overwrite, write_outside=write_outside):
            (check_free if folder else check_file_free)(path, overwrite=overwrite)
    except CombError as error:
        where = f" ({error.where})" if error.where and error.where != plan.name else ""
        yield f"{error.what}{where}" + (f"; {error.remedy}" if error.remedy else "")


def checked_outputs(plan: PlanText, *, overwrite: bool, write_outside: bool) -> Iterator[tuple[Path, bool]]:
    """Go through what a plan writes: the path, and whether it is a folder; raises a CombError for what it may not."""
    for save in plan.save:
        path = place_of(plan, save.to)
        if not write_outside and not path.resolve().is_relative_to(Path(plan.folder).resolve()):
            raise PlanError(
                f"this plan would write outside its own folder: {path}", where=plan.name,
                remedy="if that is meant: --write-outside (write_outside=True)",
            )  # fmt: skip
        _check_sources(plan, save)
        names = tables_of(plan, save)
        if is_file(save):
            kind = file_kind(path.name)[0]
            if len(names) != 1 and kind not in CONTAINERS:
                raise PlanError(f"{save.to} is one file, and there are {len(names)} tables", remedy="save a folder")
            check_file_free(path, overwrite=overwrite)
            outdated(path.parent, path.name, (), overwrite=overwrite)
        else:
            if path.suffix.lower() in _OTHER_FILES:
                file_kind(path.name)
            check_names(names)
        yield path, not is_file(save)
    if plan.save and all(is_file(save) for save in plan.save):
        # Without a dataset folder pictures stand beside the first file.
        for file in _picture_files(plan):
            beside = place_of(plan, plan.save[0].to).parent / file
            yield beside, False


def _picture_files(plan: PlanText) -> list[str]:
    return [one.file for table in plan.tables.values() for one in table.pictures]


def _check_sources(plan: PlanText, save: Save) -> None:
    """Raise a PlanError if an output replaces a source, or the next run would take it for one."""
    if save.replace_source:
        return
    path = place_of(plan, save.to).resolve()
    written = [path] if is_file(save) else [path / name for name in _files_of_folder(tables_of(plan, save))]
    for source in _sources(plan):
        place = place_of(plan, source).expanduser().resolve()
        if place.is_relative_to(path):
            raise PlanError(
                f"{save.to} would replace the source {source}, which is lost then", where=plan.name,
                remedy="save to another place; if that is meant: {to: " + save.to + ", replace_source: true}",
            )  # fmt: skip
        caught = next((one for one in written if _matches(one, place)), None)
        if caught is not None:
            raise PlanError(
                f"the result {caught.name} would be a source the next time: {source} matches it", where=plan.name,
                remedy="save to another place, or narrow the pattern",
            )  # fmt: skip


def _sources(plan: PlanText) -> Iterator[str]:
    for table in plan.tables.values():
        files = [table.source] if isinstance(table.source, str) else table.source
        yield from (file for file in files if file and not table.from_table)


def _files_of_folder(names: list[str]) -> list[str]:
    return [*OWN_FILES, *(f"{name}{end}" for name in names for end in (".csv", "-cells.csv", ".csv-metadata.json"))]


def _matches(path: Path, pattern: Path) -> bool:
    """Return whether a pattern of paths takes in a path; `*` stays within one folder."""
    return len(path.parts) == len(pattern.parts) and all(map(fnmatchcase, path.parts, pattern.parts))


def write_outputs(
    plan: PlanText,
    output: Output,
    outcome: Outcome,
    as_of: str = "",
) -> list[str]:
    """Write all outputs: all of them, or none. Their places were reserved before.

    Parameters
    ----------
    plan : PlanText
    output : Output
    outcome : Outcome
    as_of : str
        The day of the run, if it was given.

    Returns
    -------
    list of str
        The paths.
    """
    tables, taken, sources, rules = outcome.tables, outcome.taken, outcome.sources, outcome.rules
    folders = [save for save in plan.save if not is_file(save)]
    first, held = next(iter(folders), None), {name for save in folders for name in tables_of(plan, save)}
    for save in plan.save:
        path, names = place_of(plan, save.to), tables_of(plan, save)
        if not is_file(save):
            # The plan of the folder begins at the source, wherever the folder is.
            sums = {name: origin.checksum for name, origin in sources.items() if origin.checksum}
            text = moved(plan, str(path), sums)
            loaded = {name: origin for name, origin in sources.items() if name in names}
            pictures = [
                one for one in outcome.pictures if one.table in names or (save is first and one.table not in held)
            ]
            dataset = Dataset(
                {name: tables[name] for name in names}, {name: taken[name] for name in names}, text, loaded,
                rules={name: [_rule_line(one) for one in rules[name]] for name in names},
                rule_rows={name: [line for one in rules[name] for line in _rule_rows(one)] for name in names},
                required={name: required_columns(plan.tables[name].rules) for name in names},
                questions=plan.questions, as_of=as_of, disarm=save.disarm,
                pictures=[{name: getattr(one, name) for name in _TOLD} for one in pictures],
                report=partial(_report, plan, outcome, names, as_of) if save.report else None,
            )  # fmt: skip
            extra = {one.file: one.content for one in pictures}
            output.folder(path, partial(dataset.write, threads=DEFAULT.threads, extra=extra))
        elif file_kind(path.name)[0] in CONTAINERS:
            entries = {name: ledger_of(name, taken[name], sources) for name in names}
            output.file(path, container_of(file_kind(path.name)[0], {name: tables[name] for name in names}, entries))
        else:
            options = {"disarm": True} if save.disarm else {}
            told = not_held(tables[names[0]], file_kind(path.name)[0], describe=False)
            outcome.messages.extend(f"{path.name}: {message}" for message in told)
            files = files_of(tables[names[0]], path.name, options, describe=False, taken=())
            output.file(path, files[path.name])
            output.remove([path.parent / one for one in outdated(path.parent, path.name, files, overwrite=True)])
    if outcome.pictures and not folders:
        for one in outcome.pictures:
            output.file(place_of(plan, plan.save[0].to).parent / one.file, one.content)
    output.put()
    return [str(place_of(plan, save.to)) for save in plan.save]


def _report(
    plan: PlanText, outcome: Outcome, names: list[str], as_of: str, summaries: Mapping[str, Sequence[Summary]]
) -> bytes:
    return report_html(outcome_parts(plan, outcome, names, as_of, summaries))


def _rule_line(result: RuleResult) -> list[str]:
    """Write what a rule came to, as `rules.csv` has it."""
    rule = result.rule
    why = "; ".join(part for part in (rule.why, rule.source) if part)
    counts = [str(one) for one in (result.met, result.broken, result.not_checked)]
    return [rule.says, rule.otherwise, *counts, result.found, why]


def _rule_rows(result: RuleResult) -> list[tuple[str, str, Codes]]:
    """Return the rows that break a rule, and those that were not checked."""
    return [(result.rule.says, word, rows) for word, rows in (("broken", result.rows), ("not checked", result.unknown))]
