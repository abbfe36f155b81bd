"""What a plan is: tables with source and steps, rules, questions, what to save. Plain values."""

import os
from pathlib import Path, PurePath
from typing import Any, Literal

import msgspec
import yaml

from comb.steps.base import Step
from comb.tables.read_options import ReadOptions

Otherwise = Literal["report", "set aside", "stop"]


class Rule(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A condition every row has to meet.

    Attributes
    ----------
    check : str
        The condition. Where it is unknown, the row is not checked.
    otherwise : {"report", "set aside", "stop"}
        What happens where it is broken.
    why : str, optional
    """

    check: str
    otherwise: Otherwise = "report"
    why: str | None = None


class TablePlan(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One table of a plan.

    Attributes
    ----------
    source : str
        The path of a file, relative to the plan; empty where `from_table` is given.
    from_table : str
        Another table of the plan, taken as it is after its steps.
    reading : ReadOptions
    steps : list of Step
    rules : list of Rule
    lines : list of int
        The line of each step in the plan file, where there is one.
    """

    source: str = ""
    from_table: str = ""
    reading: ReadOptions = ReadOptions()
    steps: list[Step] = []
    rules: list[Rule] = []
    lines: list[int] = []


class Save(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One output of a plan.

    Attributes
    ----------
    to : str
        A folder, relative to the plan; or a file that ends in ``.csv``, for one table.
    tables : list of str
        Which tables; none means all.
    """

    to: str
    tables: list[str] = []


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
    """

    tables: dict[str, TablePlan]
    questions: list[str] = []
    save: list[Save] = []
    name: str = ""
    folder: str = "."
    text: str = ""


def step_record(step: Step) -> dict[str, Any]:
    """Return a step as a plan file writes it: its name, its parameters, why."""
    record: dict[str, Any] = msgspec.to_builtins(step)
    why = record.pop("why", None)
    return record if why is None else {**record, "why": why}


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
        record: dict[str, Any] = msgspec.to_builtins(msgspec.structs.replace(table, steps=[], lines=[]))
        if table.steps:
            record["steps"] = [step_record(step) for step in table.steps]
        records[name] = record
    short = len(records) == 1 and all(PurePath(table.source).stem == name for name, table in tables.items())
    whole: dict[str, Any] = next(iter(records.values())) if short else {"tables": records}
    if questions:
        whole["questions"] = questions
    if save:
        whole["save"] = [one.to if not one.tables else msgspec.to_builtins(one) for one in save]
    return yaml.safe_dump(whole, sort_keys=False, allow_unicode=True, width=100)


def moved(plan: PlanText, folder: str) -> str:
    """Return the text of a plan as it has to be in another folder: its paths begin there.

    Comments are lost; in its own folder a plan is returned as it was written.
    """
    if Path(folder).resolve() == Path(plan.folder).resolve():
        return plan.text

    def there(path: str) -> str:
        return os.path.relpath(Path(plan.folder, path), folder) if path else path

    def read_there(options: ReadOptions) -> ReadOptions:
        return options.replace(schema=there(options.schema)) if options.schema else options

    tables = {
        name: msgspec.structs.replace(table, source=there(table.source), reading=read_there(table.reading))
        for name, table in plan.tables.items()
    }
    save = [msgspec.structs.replace(one, to=there(one.to)) for one in plan.save]
    return write_plan(tables, save=save, questions=plan.questions)
