"""All kinds of steps by name: what plan files may say."""

from typing import Any

import msgspec

from comb.errors import ParameterError, listing, unknown_name
from comb.formats.field_errors import problem_of
from comb.steps.base import Step
from comb.steps.cell_steps import Convert, Recode, Trim
from comb.steps.column_steps import Calculate, Rename, Select
from comb.steps.fill_steps import Fill
from comb.steps.group_steps import Aggregate, Count
from comb.steps.indicator_steps import FromIndicators, ToIndicators
from comb.steps.joins import Join, StackTables
from comb.steps.layout_steps import SeparateMarks, TakeHeadingRows
from comb.steps.level_steps import SeparateTables
from comb.steps.nested_steps import TakeApart
from comb.steps.pattern_steps import RemovePattern
from comb.steps.repair_steps import Correct, PadText, ReplaceText, ReplaceValues, Round
from comb.steps.row_steps import Filter, PickRows, RemoveDuplicates, Sort
from comb.steps.screening_steps import MarkRows, RemoveMissing, SetAsideRows
from comb.steps.shape_steps import Combine, Split, ToLong, Transpose
from comb.steps.wide_steps import AddCombinations, ToWide

KINDS: tuple[type[Step], ...] = (
    Filter, Select, Rename, Sort, Calculate, Convert, Trim, Recode, Fill, RemoveDuplicates,
    SetAsideRows, ToLong, PickRows, Aggregate, Count, Join, StackTables, Split, Transpose, Combine, ReplaceText,
    ToWide, AddCombinations, SeparateTables, Correct, Round, PadText, ReplaceValues, RemoveMissing, MarkRows,
    TakeHeadingRows, SeparateMarks, FromIndicators, ToIndicators, RemovePattern, TakeApart,
)  # fmt: skip

STEPS: dict[str, type[Step]] = {str(kind.__struct_config__.tag): kind for kind in KINDS}


def fields_of(kind: type[Step]) -> list[str]:
    """Return the parameters of a kind of step, the most important first."""
    own = [field.name for field in msgspec.structs.fields(kind)]
    last = ("at_most", "active", "why")
    return [*(name for name in own if name not in last), *last]


def make_step(name: str, parameters: dict[str, Any]) -> Step:
    """Make a step from its name and parameters, texts typed by the field they fill.

    Raises
    ------
    ParameterError
        For an unknown step or parameter with the nearest name, and for a value that
        does not fit; its `field` attribute tells which, where one is to blame.
    """
    kind = STEPS.get(name)
    if kind is None:
        what, remedy = unknown_name("step", name, list(STEPS))
        raise _blamed("step", what, remedy)
    allowed = fields_of(kind)
    for parameter in parameters:
        if parameter not in allowed:
            _, remedy = unknown_name("parameter", parameter, allowed)
            raise _blamed(parameter, f"{name} has no parameter {parameter!r}", remedy)
    try:
        return msgspec.convert(listed(kind, parameters), kind, strict=False)
    except msgspec.ValidationError as error:
        text = str(error)
        if text.startswith("Object missing required field"):
            what = f"the step {name} needs {text.split('`')[1]!r}"
            raise _blamed("step", what, f"its parameters: {listing(allowed)}") from None
        field, what, near = problem_of(error, kind, parameters)
        raise _blamed(field or "step", f"{name}: {field}: {what}" if field else f"{name}: {what}", near) from None


def _blamed(field: str, what: str, remedy: str | None) -> ParameterError:
    error = ParameterError(what, remedy=remedy)
    error.field = field
    return error


def listed(kind: type[msgspec.Struct], values: dict[str, Any]) -> dict[str, Any]:
    """Let one text stand for a list of one, so that plans need no brackets."""
    lists = {field.name for field in msgspec.structs.fields(kind) if field.type in (list[str], list[str] | None)}
    return {key: [value] if key in lists and isinstance(value, str) else value for key, value in values.items()}
