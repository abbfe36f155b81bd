"""Read a plan from its text; every slip is said with file, line and the allowed words. Pure."""

import math
from collections.abc import Callable
from functools import partial
from typing import Any, TypeVar

import msgspec

from comb.drawing.request import PictureRequest, check_kind
from comb.errors import ParameterError, PlanError, listing, unknown_name
from comb.formats.field_errors import problem_of
from comb.plans.model import Accepted, ColumnText, PlanText, Rule, Save, TablePlan, name_of
from comb.plans.pictures import check_picture
from comb.plans.rules import kind_of
from comb.plans.slips import together
from comb.plans.yaml_source import DATA_IS_NO_PLAN, Path, YamlSource
from comb.profiling.codes import CODES
from comb.steps.base import Step
from comb.steps.catalogue import STEPS, fields_of, listed, make_step
from comb.tables.read_options import ReadOptions, listed_words

_TABLE_FIELDS = (
    "source",
    "checksum",
    "from_table",
    "reading",
    "file_column",
    "rename",
    "steps",
    "rules",
    "describe",
    "accepted",
    "answers",
    "pictures",
)
_PLAN_FIELDS = ("tables", "questions", "save")
Record = TypeVar("Record", bound=msgspec.Struct)
Item = TypeVar("Item")


def read_plan(text: str, name: str, folder: str = ".") -> PlanText:
    """Read a plan.

    Parameters
    ----------
    text : str
        YAML.
    name : str
        What to call the plan in messages: its file.
    folder : str
        Where its relative paths begin.

    Raises
    ------
    PlanError
        For what does not belong, with file and line; slips in several steps and rules are reported together.
    """
    return _PlanReader(YamlSource(text, name)).plan(text, folder)


# Of a longer text, its begin tells which it is.
LONGEST_SHOWN = 60


class _PlanReader:
    def __init__(self, yaml_source: YamlSource) -> None:
        self.yaml_source = yaml_source
        self.named = False
        self.slips: list[PlanError] = []
        self.files: set[str] = set()
        self.below: list[str] = []

    def plan(self, text: str, folder: str) -> PlanText:
        """Read the whole: the short form or tables by name."""
        whole = self.yaml_source.value
        if not isinstance(whole, dict):
            what = f"expected a plan with source and steps, got {_shown(whole)}"
            raise self.yaml_source.error((), what, None if whole is None else DATA_IS_NO_PLAN)
        short = "tables" not in whole
        self.named = not short
        allowed = ("name", *_TABLE_FIELDS, *_PLAN_FIELDS[1:]) if short else _PLAN_FIELDS
        self.tried(lambda: self.known((), whole, allowed))
        if short:
            parts = {key: whole[key] for key in _TABLE_FIELDS if key in whole}
            table = self.table((), parts)
            name = whole.get("name")
            if not isinstance(name or "", str):
                raise self.yaml_source.error(("name",), f"expected the name of the table, got {_shown(name)}")
            tables = {name or name_of(table.source): table}
        else:
            named = self.mapping(("tables",), whole["tables"], "tables by name")
            read = {key: self.tried(partial(self.table, ("tables", key), value)) for key, value in named.items()}
            tables = {key: table for key, table in read.items() if table is not None}
        questions = self.tried(lambda: self.texts(("questions",), whole.get("questions"))) or []
        save = self.tried(lambda: self.saves(whole.get("save"), list(tables if short else named))) or []
        if self.slips:
            raise together(self.slips)
        self.check_order(tables)
        return PlanText(
            tables=tables, questions=questions, save=save, name=self.yaml_source.name, folder=folder, text=text
        )

    def mapping(self, path: Path, value: Any, wanted: str) -> dict[str, Any]:
        """Return a value that has to have fields."""
        if not isinstance(value, dict):
            raise self.yaml_source.error(path, f"expected {wanted}, got {_shown(value)}")
        return value

    def known(self, path: Path, record: dict[str, Any], allowed: tuple[str, ...]) -> None:
        """Raise an error at the first field that is not allowed."""
        for key in record:
            if key not in allowed:
                what, remedy = unknown_name("field", key, allowed)
                raise self.yaml_source.error((*path, key), what, remedy)

    def table(self, path: Path, value: Any) -> TablePlan:
        """Read one table: where it comes from, its steps and rules."""
        record = self.mapping(path, value, "a table with source and steps")
        self.tried(lambda: self.known(path, record, _TABLE_FIELDS))
        if bool(record.get("source")) == bool(record.get("from_table")):
            raise self.yaml_source.error(path, "expected either source or from_table in a table")
        source = record.get("source") or ""
        if isinstance(source, list):
            source = self.texts((*path, "source"), source)
        elif not isinstance(source, str):
            raise self.yaml_source.error((*path, "source"), f"expected one path or a list, got {_shown(source)}")
        for key in ("checksum", "from_table", "file_column", "answers"):
            if not isinstance(record.get(key) or "", str):
                raise self.yaml_source.error((*path, key), f"expected a name, got {_shown(record[key])}")
        reading = (
            self.tried(lambda: self.struct((*path, "reading"), record.get("reading") or {}, ReadOptions))
            or ReadOptions()
        )
        steps, rules, accepted, pictures = (
            self.tried(partial(self.sequence, (*path, key), record.get(key))) or []
            for key in ("steps", "rules", "accepted", "pictures")
        )
        return TablePlan(
            source=source,
            checksum=record.get("checksum") or "",
            from_table=record.get("from_table") or "",
            reading=reading,
            file_column=record.get("file_column"),
            answers=record.get("answers") or "",
            rename=self.tried(lambda: self.names((*path, "rename"), record.get("rename"))) or {},
            steps=self.each((*path, "steps"), steps, self.step),
            lines=[self.yaml_source.line((*path, "steps", at)) for at in range(len(steps))],
            rules=self.each((*path, "rules"), rules, self.rule),
            rule_lines=[self.yaml_source.line((*path, "rules", at)) for at in range(len(rules))],
            describe=self.tried(lambda: self.descriptions((*path, "describe"), record.get("describe"))) or {},
            accepted=self.each((*path, "accepted"), accepted, self.accepted),
            pictures=self.each((*path, "pictures"), pictures, self.picture),
            picture_lines=[self.yaml_source.line((*path, "pictures", at)) for at in range(len(pictures))],
        )

    def each(self, path: Path, values: list[Any], read: Callable[[Path, Any], Item]) -> list[Item]:
        """Read every part of a list; slips are kept, to be reported together."""
        found = (self.tried(partial(read, (*path, at), value)) for at, value in enumerate(values))
        return [one for one in found if one is not None]

    def tried(self, read: Callable[[], Item]) -> Item | None:
        """Read a part; its slip is kept, to be reported with the others, and then there is nothing."""
        try:
            return read()
        except PlanError as error:
            self.slips.append(error)
            return None

    def rule(self, path: Path, value: Any) -> Rule:
        """Read one rule."""
        made = self.struct(path, value, Rule)
        try:
            kind_of(made)
        except ParameterError as error:
            raise self.yaml_source.error(path, error.what, error.remedy) from None
        for name in ("equals", "within"):
            given = getattr(made, name)
            if given is not None and not _is_number(given):
                raise self.yaml_source.error((*path, name), f"{name}: expected a number, got {given!r}")
        return made

    def picture(self, path: Path, value: Any) -> PictureRequest:
        """Read one picture; its file has to have a name of its own."""
        record = self.mapping(path, value, "a picture: its kind, its columns, its file")
        try:
            check_kind(str(record.get("kind")))
            made = self.struct(path, record, PictureRequest)
            check_picture(made)
        except ParameterError as error:
            raise self.yaml_source.error(path, error.what, error.remedy) from None
        if made.file in self.files:
            raise self.yaml_source.error((*path, "file"), f"two pictures would be called {made.file!r}")
        self.files.add(made.file)
        return made

    def names(self, path: Path, value: Any) -> dict[str, str]:
        """Read names by other names."""
        record = {} if value is None else self.mapping(path, value, "the name there is, and the name in this plan")
        for key, name in record.items():
            if not isinstance(name, str):
                raise self.yaml_source.error((*path, key), f"expected a name, got {_shown(name)}")
        return record

    def descriptions(self, path: Path, value: Any) -> dict[str, ColumnText]:
        """Read what columns contain: a text, or fields with text and unit."""
        if value is None:
            return {}
        record = self.mapping(path, value, "columns and what they contain")
        return {
            name: ColumnText(text=one) if isinstance(one, str) else self.struct((*path, name), one, ColumnText)
            for name, one in record.items()
        }

    def accepted(self, path: Path, value: Any) -> Accepted:
        """Read one finding that is settled."""
        record = self.mapping(path, value, "a finding with code and why")
        if isinstance(record.get("columns"), str):
            record = {**record, "columns": [record["columns"]]}
        made = self.struct(path, record, Accepted)
        if made.code not in CODES:
            what, remedy = unknown_name("code", made.code, list(CODES))
            raise self.yaml_source.error((*path, "code"), what, remedy)
        return made

    def sequence(self, path: Path, value: Any) -> list[Any]:
        """Return a value that has to be a list; nothing is an empty one."""
        if value is None:
            return []
        if not isinstance(value, list):
            raise self.yaml_source.error(path, f"expected a list, each part after a dash; got {_shown(value)}")
        return value

    def texts(self, path: Path, value: Any) -> list[str]:
        """Return a value that has to be a list of texts, or one text."""
        texts = [value] if isinstance(value, str) else self.sequence(path, value)
        for at, text in enumerate(texts):
            if not isinstance(text, str):
                raise self.yaml_source.error((*path, at), f"expected a text, got {_shown(text)}")
        return texts

    def step(self, path: Path, value: Any) -> Step:
        """Read one step; what it has to say of its parameters is said with the line."""
        record = self.mapping(path, value, "a step: 'step: trim' and its parameters")
        if not isinstance(record.get("step"), str):
            named = next((key for key in record if key in STEPS), None)
            hint = (
                f"write 'step: {named}', and its parameters below it: {listing(fields_of(STEPS[named]))}"
                if named
                else None
            )
            raise self.yaml_source.error(path, "expected 'step:' with the name of a step", hint)
        parameters = {key: part for key, part in record.items() if key != "step" and part is not None}
        try:
            return make_step(record["step"], parameters)
        except ParameterError as error:
            raise self.yaml_source.error((*path, error.field), error.what, error.remedy) from None

    def struct(self, path: Path, value: Any, kind: type[Record]) -> Record:
        """Read a record of fixed fields."""
        record = self.mapping(path, value, f"fields of {path[-1]!r}")
        self.known(path, record, kind.__struct_fields__)
        if kind is ReadOptions and record.get("missing") is not None:
            record = {**record, "missing": listed_words(record["missing"])}
        try:
            return msgspec.convert(listed(kind, record), kind, strict=False)
        except msgspec.ValidationError as error:
            field, what, hint = problem_of(error, kind, record)
            raise self.yaml_source.error((*path, field), f"{field}: {what}" if field else what, hint) from None

    def saves(self, value: Any, tables: list[str]) -> list[Save]:
        """Read where results go."""
        if value is None:
            return []
        wanted = value if isinstance(value, list) else [value]
        result = []
        for at, one in enumerate(wanted):
            path: Path = ("save", at) if isinstance(value, list) else ("save",)
            save = Save(to=one) if isinstance(one, str) else self.struct(path, one, Save)
            for name in save.tables:
                self.known_table(path, name, tables)
            result.append(save)
        return result

    def known_table(self, path: Path, name: str, known: list[str]) -> None:
        """Raise an error unless there is a table of this name."""
        if name in self.below and name not in known:
            what = f"a table may build only on tables above it, and {name!r} is not above"
            raise self.yaml_source.error(path, what, f"write {name} before the table that needs it")
        if name not in known:
            what, remedy = unknown_name("table", name, known)
            raise self.yaml_source.error(path, what, remedy)

    def check_order(self, tables: dict[str, TablePlan]) -> None:
        """A table may build only on tables that stand above it."""
        above: list[str] = []
        for name, table in tables.items():
            self.below = [other for other in tables if other not in above]
            if table.from_table:
                self.known_table(("tables", name, "from_table"), table.from_table, above)
            for at, rule in enumerate(table.rules):
                if rule.found_in:
                    place: Path = ("tables", name, "rules", at, "found_in")
                    self.known_table(place if self.named else ("rules", at, "found_in"), rule.found_in, above)
            for at, step in enumerate(table.steps):
                if step.other_table:
                    path: Path = ("tables", name, "steps", at, "table")
                    self.known_table(path if self.named else ("steps", at, "table"), step.other_table, above)
            above.append(name)


def _is_number(text: str) -> bool:
    try:
        return math.isfinite(float(text))
    except ValueError:
        return False


def _shown(value: Any) -> str:
    if value is None:
        return "nothing"
    if isinstance(value, dict):
        return f"fields {listing(list(value))}"
    if isinstance(value, list):
        return f"a list of {len(value)}"
    text = str(value)
    return repr(text) if len(text) <= LONGEST_SHOWN else f"{text[:LONGEST_SHOWN]!r} and so on"
