"""Numbers with different units, each put into two columns: the number, and the unit.

Nothing is decided by that: which currency is worth how much, what is credit and what debit, a person says afterwards,
with a formula over both columns. It is offered where it gives the right number and the right unit for every text, and
only for one way to read the marks in the numbers.
"""

import re
from collections.abc import Iterable, Mapping
from fractions import Fraction

from comb.errors import CombError
from comb.kernels.notation import Shape, shape_of
from comb.profiling.built_texts import part_in
from comb.profiling.unit_conversion import MOST_TRIED, are_open
from comb.steps.base import as_literal
from comb.steps.column_steps import Calculate
from comb.tables.column import Column
from comb.tables.names import unique_names
from comb.tables.table import BareTable

# The decimal mark of a number, and the mark between its thousands.
_READINGS = ((".", ""), (",", ""), (".", ","), (",", "."), (".", " "), (",", " "), (".", "'"))

# What a unit has none of, before a number and behind it: marks, signs and brackets would be a part of the number, and a
# number behind `<` is a bound.
_NOT_BEFORE, _NOT_BEHIND = "0-9.,()<>=≤≥~≈+−–-", "0-9()<>=≤≥~≈+−–-"


# What stands behind amounts on one side of an account and on the other.
_SIDES_OF_ACCOUNTS = ({"cr", "dr"}, {"c", "d"}, {"credit", "debit"}, {"s", "h"}, {"soll", "haben"})


def are_sides(units: Iterable[str]) -> bool:
    """Return whether units are those of both sides of an account.

    >>> are_sides(["Cr.", "", "Dr."]), are_sides(["kg", "g"])
    (True, False)
    """
    return {unit.strip(". ").casefold() for unit in units if unit} in _SIDES_OF_ACCOUNTS


def number_and_unit(name: str, column: Column, names: tuple[str, ...]) -> Calculate | None:
    """Return the step that calculates a column of the numbers and one of their units; None if a text has another form.

    Parameters
    ----------
    name : str
    column : Column
        Texts.
    names : tuple of str
        Those of all columns, which the new ones differ from.
    """
    texts = [text for text, _ in column.distinct().commonest(MOST_TRIED + 1)]
    shapes = {text: shape for text in texts if (shape := shape_of(text.strip())) is not None and not shape.odd}
    if len(texts) > MOST_TRIED or len(shapes) < len(texts):
        return None
    bodies = [shape.body for shape in shapes.values()]
    fitting = [one for one in _READINGS if all(map(re.compile(_pattern(*one)).fullmatch, bodies))]
    if not fitting or are_open(bodies):
        return None
    # Those that fit beside the first have no mark to tell them apart.
    decimal, group = fitting[0]
    *_, number, unit = unique_names([*names, f"{name}_number", f"{name}_unit"])
    before = [text.strip().startswith(shape.unit) for text, shape in shapes.items() if shape.unit]
    sides = any(before), not all(before)
    step = Calculate(columns={number: _number(name, decimal, group, sides), unit: _unit(name, sides)})
    return step if _gives(step, name, shapes, decimal, group) else None


def _pattern(decimal: str, group: str) -> str:
    whole = rf"(?:[0-9]{{1,3}}(?:[{group}][0-9]{{3}})+|[0-9]+)" if group else "[0-9]+"
    return rf"{whole}(?:[{decimal}][0-9]+)?"


def _number(name: str, decimal: str, group: str, sides: tuple[bool, bool]) -> str:
    # A side without units has to be without them next month too, or the number is undefined.
    before, behind = (
        f"[^{never}]*" if used else r"\s*" for never, used in zip((_NOT_BEFORE, _NOT_BEHIND), sides, strict=True)
    )
    found = part_in(name, rf"^{before}([+-]?{_pattern(decimal, group)}){behind}$")
    found = f"replace({found}, {as_literal(group)}, '')" if group else found
    found = f"replace({found}, ',', '.')" if decimal == "," else found
    return f"cast({found} as number)"


def _unit(name: str, sides: tuple[bool, bool]) -> str:
    before, behind = rf"^\s*([^{_NOT_BEFORE}]*?)\s*[+-]?[0-9].*$", rf"[0-9]\s*([^{_NOT_BEHIND}]*?)\s*$"
    patterns = [pattern for pattern, used in zip((before, behind), sides, strict=True) if used]
    found = [part_in(name, one) for one in patterns]
    return found[0] if len(found) == 1 else f"coalesce({', '.join(found)})"


def _gives(step: Calculate, name: str, shapes: Mapping[str, Shape], decimal: str, group: str) -> bool:
    try:
        made = step.apply(BareTable({name: Column._of_strings(list(shapes))})).table
    except CombError:
        return False
    numbers, units = (made[one].to_list() for one in step.columns)
    for number, unit, shape in zip(numbers, units, shapes.values(), strict=True):
        exact = Fraction(shape.body.replace(group, "").replace(decimal, ".") if group else shape.body.replace(",", "."))
        if number is None or float(-exact if shape.negative else exact) != number or (unit or "") != shape.unit:
            return False
    return True
