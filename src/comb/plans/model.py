"""What a plan is: tables with source and steps, rules, questions, what to save. Plain values."""

import math
import os
import re
from collections.abc import Mapping
from pathlib import Path, PurePath
from typing import Any, Literal

import msgspec
import yaml

from comb.drawing.request import PictureRequest
from comb.steps.base import Step
from comb.tables.read_options import ReadOptions
from comb.tables.struct_pickling import reduced

# What a plan may say of how its source is written, and can be found out as well.
READING = ("table", "delimiter", "quote", "encoding", "header", "skip")

Otherwise = Literal["report", "mark", "set aside", "stop"]


class Rule(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What a table has to be; see `comb.plans.rules` for the kinds.

    Attributes
    ----------
    check : str
        A condition. Where it is unknown, a row or group is not checked.
    formula : str
        Or a formula over the whole table: ``sum(kg)``.
    equals : str, optional
        The figure it has to give.
    within : str, optional
        The most it may be off.
    unique : list of str
        Or columns whose values no two rows share.
    found_in : str
        Or another table of the plan, in which the keys of `by` (``mine = theirs``) have to be.
    by : list of str
        Groups that a condition is about, or the keys.
    otherwise : {"report", "mark", "set aside", "stop"}
        What happens where it is broken.
    source : str, optional
        Where a figure was published.
    why : str, optional
    """

    check: str = ""
    formula: str = ""
    equals: str | None = None
    within: str | None = None
    unique: list[str] = []
    found_in: str = ""
    by: list[str] = []
    otherwise: Otherwise = "report"
    source: str | None = None
    why: str | None = None

    def __reduce__(self) -> tuple[Any, ...]:
        return reduced(self)

    @property
    def says(self) -> str:
        """The rule in a line."""
        if self.check:
            return f"{self.check} within each {', '.join(self.by)}" if self.by else self.check
        if self.formula:
            return f"{self.formula} = {self.equals}{f' within {self.within}' if self.within else ''}"
        if self.unique:
            return f"{', '.join(self.unique)} unique"
        return f"{', '.join(self.by)} found in {self.found_in}"


class Accepted(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A finding that is settled: a profile lists it as such, and not again.

    Attributes
    ----------
    code : str
    why : str
    columns : list of str
        None means in any column.
    """

    code: str
    why: str
    columns: list[str] = []


class ColumnText(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What a column contains, in words.

    Attributes
    ----------
    text : str
    unit : str
    """

    text: str = ""
    unit: str = ""

    @property
    def says(self) -> str:
        """Both in a line.

        >>> ColumnText(text="weight of the hive", unit="kg").says
        'weight of the hive (kg)'
        """
        return f"{self.text} ({self.unit})" if self.text and self.unit else self.text or self.unit


class TablePlan(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One table of a plan.

    Attributes
    ----------
    source : str or list of str
        The path of a file, or of several that are read as one, relative to the plan; empty where `from_table` is
        given.
    checksum : str
        Of the source a result was made from, as `comb.tables.origin.Origin` has it; a run on other bytes says so.
    from_table : str
        Another table of the plan, taken as it is after its steps.
    reading : ReadOptions
    file_column : str
        Where several files are read as one: the column that says which file a row is from. By default it is called
        ``file`` where the source is a pattern, and there is none for a list; an empty text means none.
    rename : dict of str to str
        Columns that another file of the kind calls differently: the name there is, and the name in this plan. Names
        that a file does not have are passed over.
    steps : list of Step
    rules : list of Rule
    describe : dict of str to ColumnText
        What columns contain, in words, for the dictionary and the description.
    accepted : list of Accepted
        Findings that are settled.
    answers : str
        A sheet of questions that was filled in: its path, relative to the plan.
    pictures : list of PictureRequest
        What is drawn of the result and saved with the dataset.
    picture_lines, rule_lines : list of int
        The line of each picture and rule in the plan file.
    lines : list of int
        The line of each step in the plan file, where there is one.
    """

    source: str | list[str] = ""
    checksum: str = ""
    from_table: str = ""
    reading: ReadOptions = ReadOptions()
    file_column: str | None = None
    rename: dict[str, str] = {}
    steps: list[Step] = []
    rules: list[Rule] = []
    describe: dict[str, ColumnText] = {}
    accepted: list[Accepted] = []
    answers: str = ""
    pictures: list[PictureRequest] = []
    lines: list[int] = []
    rule_lines: list[int] = []
    picture_lines: list[int] = []


class Save(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One output of a plan.

    Attributes
    ----------
    to : str
        A folder, relative to the plan; or a file, whose suffix says what is written.
    tables : list of str
        Which tables; none means all.
    disarm : bool
        Put an apostrophe before texts that a spreadsheet program would run.
    replace_source : bool
        Whether it may replace a source of the plan.
    report : bool
        Whether a dataset folder gets a report, ``report.html``.
    """

    to: str
    tables: list[str] = []
    disarm: bool = False
    replace_source: bool = False
    report: bool = True


class PlanText(msgspec.Struct, frozen=True, kw_only=True):
    """A plan.

    Attributes
    ----------
    tables : dict of str to TablePlan
    questions : list of str
        Open ones, for the report.
    save : list of Save
    name : str
        The file, for messages.
    folder : str
        Where its relative paths begin.
    text : str
        The plan as written.
    replaced : dict of str to str
        Other files for the sources of tables, by absolute paths, that a run was given.
    saved_to : str
        The absolute path of another output, that a run was given.
    read_as : dict of str to ReadOptions
        How other files were read.
    """

    tables: dict[str, TablePlan]
    questions: list[str] = []
    save: list[Save] = []
    name: str = ""
    folder: str = "."
    text: str = ""
    replaced: dict[str, str] = {}
    saved_to: str = ""
    read_as: dict[str, ReadOptions] = {}


def step_record(step: Step) -> dict[str, Any]:
    """Return a step as a plan file writes it: its name, its parameters, why."""
    record: dict[str, Any] = msgspec.to_builtins(step)
    first: dict[str, Any] = {name: record.pop(name) for name in ("step", "active") if name in record}
    why = record.pop("why", None)
    return {**first, **record, **({} if why is None else {"why": why})}


def write_plan(
    tables: dict[str, TablePlan], *, save: list[Save] | None = None, questions: list[str] | None = None
) -> str:
    """Write a plan as YAML.

    Returns
    -------
    str
        In the short form where there is one table only, named like its source.
    """
    records = {}
    for name, table in tables.items():
        record: dict[str, Any] = msgspec.to_builtins(
            msgspec.structs.replace(table, steps=[], lines=[], rule_lines=[], picture_lines=[])
        )
        if table.steps:
            record["steps"] = [step_record(step) for step in table.steps]
        records[name] = record
    short = len(records) == 1 and all(name_of(table.source) == name for name, table in tables.items())
    whole: dict[str, Any] = next(iter(records.values())) if short else {"tables": records}
    if questions:
        whole["questions"] = questions
    if save:
        whole["save"] = [one.to if one == Save(to=one.to) else msgspec.to_builtins(one) for one in save]
    return yaml.safe_dump(whole, sort_keys=False, allow_unicode=True, width=100)


def name_of(source: str | list[str]) -> str:
    """Return how the one table of a plan is called: like its source.

    >>> name_of("data/visits.csv"), name_of(["may.csv", "june.csv"]), name_of("visits-*.csv")
    ('visits', 'table', 'visits')
    """
    stem = PurePath(source).stem if isinstance(source, str) else ""
    # What stands for any text in a pattern is no part of a name.
    return re.sub(r"\[.*?\]|[*?]", "", stem).strip("-_ .") or "table"


def moved(plan: PlanText, folder: str, checksums: Mapping[str, str] | None = None) -> str:
    """Return the text of a plan as it has to be in another folder: its paths begin there.

    Only the paths are written anew; everything else, comments too, stays as it was written.

    Parameters
    ----------
    plan : PlanText
    folder : str
    checksums : mapping of str to str, optional
        Of the source of each table, to be written beside it.
    """
    if Path(folder).resolve() == Path(plan.folder).resolve() and not (checksums or plan.replaced or plan.saved_to):
        return plan.text
    root = yaml.compose(plan.text, Loader=yaml.SafeLoader)
    assert root is not None
    whole = _fields(root)
    tables = _fields(whole["tables"][1]) if "tables" in whole else {next(iter(plan.tables)): (root, root)}
    edits: list[tuple[int, int, str]] = []

    def path_at(node: yaml.Node) -> None:
        if isinstance(node, yaml.MappingNode):
            path_at(_fields(node)["to"][1])
            return
        if isinstance(node, yaml.ScalarNode):
            path = os.path.relpath(Path(plan.folder, node.value), folder) if node.value else ""
            edits.append((node.start_mark.index, node.end_mark.index, _scalar(path)))
            return
        for child in node.value:
            path_at(child)

    for name, (_, table) in tables.items():
        fields = _fields(table)
        flow = bool(getattr(table, "flow_style", False))
        if name in plan.replaced:
            if "tables" not in whole and "name" not in whole and name_of(plan.replaced[name]) != name:
                # Its files are named after the table, which would be called like the other source.
                edits.append(_before_source(fields, "name", name, flow=flow))
            node = fields["source"][1]
            path = _scalar(os.path.relpath(plan.replaced[name], folder))
            edits.append((node.start_mark.index, node.end_mark.index, path))
        elif "source" in fields:
            path_at(fields["source"][1])
        if "answers" in fields:
            path_at(fields["answers"][1])
        if "schema" in (reading := _fields(fields["reading"][1]) if "reading" in fields else {}):
            path_at(reading["schema"][1])
        if checksums and name in checksums:
            edits.append(_before_source(fields, "checksum", checksums[name], flow=flow))
        if name in plan.read_as:
            edits += _read_as(plan, name, reading)
            if plan.read_as[name].types and "types" not in reading and not plan.tables[name].reading.types:
                edits.append(_types_anew(plan, name, fields, reading, flow=flow))
    if plan.saved_to and "save" in whole:
        edits.append(_value(plan.text, *whole["save"], _scalar(os.path.relpath(plan.saved_to, folder))))
    elif "save" in whole:
        path_at(whole["save"][1])
    text = plan.text
    for start, end, new in sorted(edits, reverse=True):
        text = text[:start] + new + text[end:]
    return text


def _fields(node: yaml.Node) -> dict[str, tuple[yaml.Node, yaml.Node]]:
    """Return the fields of a mapping by name: where the name stands, and the value."""
    pairs = node.value if isinstance(node, yaml.MappingNode) else []
    return {key.value: (key, value) for key, value in pairs}


def _value(text: str, key: yaml.Node, value: yaml.Node, new: str) -> tuple[int, int, str]:
    """Return the edit that gives a field another value, behind its name: a block of lines begins in the next line."""
    begin, end = key.end_mark.index, value.end_mark.index
    return begin, end, f": {new}" + "\n" * text[begin:end].endswith("\n")


def _read_as(plan: PlanText, name: str, reading: dict[str, tuple[yaml.Node, yaml.Node]]) -> list[tuple[int, int, str]]:
    """Return the edits of a plan that say how another file was read."""
    said, found = plan.tables[name].reading, plan.read_as[name]
    edits = []
    for field in (*READING, "types"):
        value = getattr(found, field)
        if value != getattr(said, field) and field in reading:
            edits.append(_value(plan.text, *reading[field], _scalar(value)))
    return edits


def _types_anew(
    plan: PlanText,
    name: str,
    fields: dict[str, tuple[yaml.Node, yaml.Node]],
    reading: dict[str, tuple[yaml.Node, yaml.Node]],
    *,
    flow: bool,
) -> tuple[int, int, str]:
    """Return the edit that gives a plan the types of a source in which no column is named."""
    types = _scalar(plan.read_as[name].types)
    if reading:
        first = next(iter(reading.values()))[0].start_mark
        return _inserted(first, f"types: {types}", flow=bool(getattr(fields["reading"][1], "flow_style", False)))
    return _inserted(fields["source"][0].start_mark, f"reading: {{types: {types}}}", flow=flow)


def _inserted(mark: yaml.Mark, written: str, *, flow: bool) -> tuple[int, int, str]:
    """Return the edit that puts a field before another."""
    return mark.index, mark.index, written + (", " if flow else "\n" + " " * mark.column)


def _scalar(text: Any) -> str:
    """Write a text, or another plain value, as YAML, in one line, quoted where it has to be."""
    return yaml.safe_dump([text], default_flow_style=True, allow_unicode=True, width=math.inf, sort_keys=False).strip()[
        1:-1
    ]


def _before_source(
    fields: dict[str, tuple[yaml.Node, yaml.Node]], field: str, text: str, *, flow: bool
) -> tuple[int, int, str]:
    """Return the edit that writes a field of a table anew, or before its source."""
    if field in fields:
        node = fields[field][1]
        return node.start_mark.index, node.end_mark.index, _scalar(text)
    return _inserted(fields["source"][0].start_mark, f"{field}: {_scalar(text)}", flow=flow)
