"""Numbers with different units behind them, brought to one unit.

Only units that are multiples of each other by definition: prefixes of the International System, minutes and hours,
inches and pounds. The formula takes the unit off each text, reads the number, and multiplies; it is offered where it
gives the right number for every text there is.

Numbers without a unit among others with one, ``45`` among ``47 kg``, are in that unit where they are of the same size,
or where the name of the column says so and all are near. A percentage leaves two readings, a hundred times apart,
``45%`` among ``0.45`` and among ``45``: one of them has to be out of the question.
"""

from collections.abc import Mapping, Sequence
from fractions import Fraction

import numpy as np

from comb.errors import CombError
from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.notation import CURRENCIES, PER_CENT
from comb.profiling.headings import words_of
from comb.profiling.lookups import quoted_name
from comb.profiling.unit_columns import ALIKE, METRIC, PREFIXES, quantity_of
from comb.steps.cell_steps import Convert
from comb.steps.column_steps import Calculate
from comb.tables.column import Column
from comb.tables.names import unique_names
from comb.tables.table import BareTable

# Prefixes before a square or a cube count twice or three times; those of bytes are powers of two as often.
_NOT_SCALED = ("m2", "m3", "t", "B")

# In grams, metres and seconds; each is exact.
_OTHERS = {
    "t": Fraction(10**6), "lb": Fraction("453.59237"), "lbs": Fraction("453.59237"), "oz": Fraction("28.349523125"),
    "in": Fraction("0.0254"), "ft": Fraction("0.3048"), "yd": Fraction("0.9144"), "mi": Fraction("1609.344"),
    "min": Fraction(60), "h": Fraction(3600), "hr": Fraction(3600), "hrs": Fraction(3600),
    "d": Fraction(86400), "day": Fraction(86400), "days": Fraction(86400),
}  # fmt: skip

# A unit that no name gives is taken for that of other numbers with this many values at least, whose median and that of
# all others differ by this factor at most: 1.6 parts miles from kilometres, other units are further apart.
LEAST_WITH_UNIT = 3
MOST_APART = 1.4

_CURRENCY_SIGNS = frozenset("$€£¥")

# More texts than this are not tried.
MOST_TRIED = 20_000

# The decimal mark and the group mark that numbers with a unit may have.
NUMBER_MARKS = ((None, None), (",", None), (".", ","), (",", "."))

# Results may differ from the exact ones by the rounding of two operations.
_CLOSE = Fraction(1, 10**14)

_POINT = lazy_pattern(r"[+-]?[0-9]+(?:\.[0-9]+)?")
_COMMA = lazy_pattern(r"[+-]?[0-9]+(?:,[0-9]+)?")
_OPEN = lazy_pattern(r"[+-]?[1-9][0-9]{0,2}[.,][0-9]{3}")


def size_of(unit: str) -> Fraction | None:
    """Return how large a unit is, in the unit of its quantity without a prefix; None if that is not known.

    >>> size_of("kg"), size_of("cm"), size_of("min"), size_of("apiary")
    (Fraction(1000, 1), Fraction(1, 100), Fraction(60, 1), None)
    """
    if unit in _OTHERS:
        return _OTHERS[unit]
    plain = unit.translate(ALIKE)
    for prefix, power in PREFIXES.items():
        stem = plain.removeprefix(prefix)
        if plain.startswith(prefix) and stem in METRIC and stem not in _NOT_SCALED:
            return Fraction(10) ** power
    return None


def in_one_unit(name: str, column: Column, by_unit: Mapping[str, int], names: tuple[str, ...]) -> Calculate | None:
    """Return the step that calculates a column in the commonest unit of the texts of another; None if there is none.

    Parameters
    ----------
    name : str
    column : Column
        Texts.
    by_unit : mapping of str to int
        How many texts have each unit.
    names : tuple of str
        Those of all columns, which the new one differs from.
    """
    usual = max(by_unit, key=lambda unit: by_unit[unit])
    sizes = {unit: size for unit in by_unit if (size := size_of(unit)) is not None}
    if len(sizes) < len(by_unit) or len({quantity_of(unit) for unit in by_unit}) != 1:
        return None
    times = {unit: size / sizes[usual] for unit, size in sizes.items()}
    texts = [text for text, _ in column.distinct().commonest(MOST_TRIED + 1)]
    wanted = {text: _exact(text, times) for text in texts}
    bodies = [_parted(text, times)[0] for text in texts]
    comma = any("," in body for body in bodies)
    if len(texts) > MOST_TRIED or None in wanted.values():
        return None
    if not all(map((_COMMA if comma else _POINT).fullmatch, bodies)) or are_open(bodies):
        return None
    new = unique_names([*names, f"{name}_{usual}"])[-1]
    # Where there are no spaces at the ends, the formula needs not take them off.
    tried = (Calculate(columns={new: _formula(text, times, comma=comma)}) for text in written(name))
    return next((step for step in tried if gives(step, name, wanted)), None)


def in_unit_of_others(
    name: str, column: Column, by_unit: Mapping[str, int], names: tuple[str, ...]
) -> tuple[Calculate | Convert | None, str]:
    """Return the step that reads numbers with a unit and numbers without as of that unit, and what it takes these for.

    Parameters
    ----------
    name : str
    column : Column
        Texts.
    by_unit : mapping of str to int
        How many texts have each unit; those with the empty one have none.
    names : tuple of str
        Those of all columns.
    """
    unit = next((one for one in by_unit if one), "")
    if set(by_unit) != {"", unit}:
        return None, ""
    cells = dict(column.distinct().commonest(MOST_TRIED + 1))
    parted = {text: _parted(text, {unit: Fraction(1)}) for text in cells}
    bodies = [body for body, _ in parted.values()]
    comma = any("," in body for body in bodies)
    if len(cells) > MOST_TRIED or not all(map((_COMMA if comma else _POINT).fullmatch, bodies)) or are_open(bodies):
        return None, ""
    exact = {text: Fraction(body.replace(",", ".")) for text, (body, _) in parted.items()}
    sizes, counts = np.array(list(map(float, exact.values()))), np.array(list(cells.values()))
    has_unit = np.array([bool(one) for _, one in parted.values()])
    marked, bare = (np.repeat(sizes[where], counts[where]) for where in (has_unit, ~has_unit))
    few, many = sorted((marked, bare), key=len)
    if unit == PER_CENT:
        shares, others = sorted((marked / 100, bare), key=len)
        # The name says nothing of which it is: one of the two has to be out of the question.
        alike, are_shares = (are_in_unit(*pair, named=True, unit=unit) for pair in ((few, many), (shares, others)))
        if alike == are_shares:
            return None, ""
        if are_shares:
            return _read_shares(name, names, exact, parted, comma=comma), "as their sizes show, 0.45 stands for 45%"
        step = Convert(columns={name: "number"}, unit=unit, decimal_mark="," if comma else None)
        wanted = {text: size / 100 for text, size in exact.items()}
        return (step if gives(step, name, wanted) else None), "as their sizes show, 45 stands for 45%"
    named = unit.casefold() in words_of(name)
    if not are_in_unit(few, many, named=named, unit=unit):
        return None, ""
    kind = "integer" if all(body.lstrip("+-").isdigit() for body in bodies) else "number"
    step = Convert(columns={name: kind}, unit=unit, decimal_mark="," if comma else None)
    says = f"those without one are in {unit} too, as {'the name of the column says' if named else 'their sizes show'}"
    return (step if gives(step, name, exact) else None), says


def _read_shares(
    name: str,
    names: tuple[str, ...],
    exact: Mapping[str, Fraction],
    parted: Mapping[str, tuple[str, str]],
    *,
    comma: bool,
) -> Calculate | None:
    """Return the step that calculates shares of percentages and shares."""
    new = unique_names([*names, f"{name}_number"])[-1]
    wanted = {text: size / 100 if parted[text][1] else size for text, size in exact.items()}
    tried = (Calculate(columns={new: _of_shares(text, comma=comma)}) for text in written(name))
    return next((step for step in tried if gives(step, name, wanted)), None)


def _of_shares(text: str, *, comma: bool) -> str:
    """Write the formula that reads 45% and 0.45 as the same number."""
    point = f"replace({text}, ',', '.')" if comma else text
    per_cent = f"cast(replace({point}, '%', '') as number) / 100"
    return f"case when position('%' in {text}) > 0 then {per_cent} else cast({point} as number) end"


def are_in_unit(values: np.ndarray, others: np.ndarray, *, named: bool, unit: str) -> bool:
    """Return whether numbers with a unit and those without are of the same size.

    Parameters
    ----------
    values, others : float array
        Those with the unit, and those without.
    named : bool
        Whether the name of the column has the unit: then it is enough that none is far from the others.
    unit : str
    """
    if not len(others):
        return False
    low, high = float(others.min()), float(others.max())
    width = high - low
    if named:
        return bool((values >= low - width).all() and (values <= high + width).all())
    if len(values) < LEAST_WITH_UNIT or unit in CURRENCIES or unit in _CURRENCY_SIGNS:
        return False
    one, other = float(np.median(values)), float(np.median(others))
    return one * other > 0 and 1 / MOST_APART <= one / other <= MOST_APART


def written(name: str) -> tuple[str, str]:
    """Return how a formula takes the texts of a column: as they are, and without spaces at their ends."""
    return quoted_name(name), f"trim({quoted_name(name)})"


def _parted(text: str, units: Mapping[str, Fraction]) -> tuple[str, str]:
    """Take a number and its unit apart; the longest unit that a text ends with is its own."""
    text = text.strip()
    unit = max((one for one in units if text.endswith(one)), key=len, default="")
    return text.removesuffix(unit).strip(), unit


def _exact(text: str, times: Mapping[str, Fraction]) -> Fraction | None:
    body, unit = _parted(text, times)
    number = body.replace(",", ".")
    return Fraction(number) * times[unit] if unit and _POINT.fullmatch(number) else None


def are_open(bodies: list[str]) -> bool:
    """Return whether every mark could be one between thousands."""
    marked = [body for body in bodies if "." in body or "," in body]
    return bool(marked) and all(map(_OPEN.fullmatch, marked))


def _formula(text: str, times: Mapping[str, Fraction], *, comma: bool) -> str:
    """Write the formula; of two units of which one ends with the other, the longer comes first."""
    parts = []
    for unit in sorted(times, key=len, reverse=True):
        number = f"replace({text}, '{unit}', '')"
        number = f"replace({number}, ',', '.')" if comma else number
        parts.append(f"when {text} like '%{unit}' then {scaled(f'cast({number} as number)', times[unit])}")
    return f"case {' '.join(parts)} end"


def scaled(number: str, factor: Fraction) -> str:
    """Write a number multiplied by a factor."""
    if factor == 1:
        return number
    if factor.numerator == 1:
        return f"{number} / {factor.denominator}"
    return f"{number} * {float(factor)!r}".removesuffix(".0")


def gives(
    step: Calculate | Convert, name: str, wanted: Mapping[str, Fraction | None], others: Sequence[str] = ()
) -> bool:
    """Return whether a step gives for each text the number that it says, but for rounding, and none for the others."""
    [new], texts = step.columns, [*wanted, *others]
    try:
        found = step.apply(BareTable({name: Column._of_strings(texts)})).table[new].to_list()
    except CombError:
        return False
    if any(number is not None for number in found[len(wanted) :]):
        return False
    for text, number in zip(wanted, found, strict=False):
        exact = wanted[text]
        if number is None or exact is None or abs(Fraction(number) - exact) > abs(exact) * _CLOSE:
            return False
    return True
