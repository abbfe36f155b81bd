"""A result goes into a column that is there already: one rule for all steps.

- A *decimal* column keeps its scale: results are rounded to it, halves away from zero.
- An *integer* column takes whole results; if one is not whole, the column becomes a number, or a decimal where the
  results are decimals, so that nothing is lost.
- A *number* column takes integers and decimals as numbers.
- A *date* column takes datetimes at midnight as dates; if one is not, the column becomes a datetime. A datetime column
  takes dates as midnight.
- A *category* takes results that are among its choices, of the type it is based on.
- Everything else does not fit and is refused.

What is rounded and which column changes its type is said in a note, for the sentence and the ledger. A result that the
type cannot hold (more than 18 digits) is missing, ``undefined``.
"""

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from comb.errors import TypeMismatch, agree, counted, listing
from comb.kernels.types import MOST_DECIMAL_DIGITS
from comb.tables.column import Column
from comb.tables.reasons import Reason
from comb.tables.types import DATE, DATETIME, INTEGER, NUMBER, Type, decimal

# A decimal of more digits does not exist.
BEYOND_DECIMAL = 10**MOST_DECIMAL_DIGITS


class Fitted(msgspec.Struct, frozen=True):
    """A column and a result for it, of one type.

    Attributes
    ----------
    column, result : Column
    note : str
        What was rounded or widened; empty if nothing.
    """

    column: Column
    result: Column
    note: str = ""


def fit_into(result: Column, column: Column, name: str) -> Fitted:
    """Bring a result and the column it goes into to one type.

    Parameters
    ----------
    result : Column
        As long as the column.
    column : Column
    name : str
        Of the column, for the note.

    Raises
    ------
    TypeMismatch
        If results of this type do not fit the column at all.
    """
    if result.type == column.type:
        return Fitted(column, result)
    if column._untyped:
        kind = result.type.plain
        note = f"{name} had no value, and is {kind} now"
        return Fitted(column._without_values(kind), result._replace(type=kind), note)
    if column.type.base is not None:
        return _into_category(result, column, name)
    kind, made = column.type, result.type.plain
    plain = result._replace(type=made)
    if kind.numeric and made.numeric:
        return _into_numbers(plain, column, name)
    if kind == made:
        return Fitted(column, plain)
    if kind == DATETIME and made == DATE:
        return Fitted(column, _as_datetime(plain))
    if kind == DATE and made == DATETIME:
        days = plain.array.astype("datetime64[D]")
        late = int(np.count_nonzero(plain.present & (days != plain.array)))
        if not late:
            return Fitted(column, plain._replace(type=DATE, values=days))
        why = f"{counted(late, 'result')} {agree(late, 'has', 'have')} a time of day"
        return Fitted(_as_datetime(column), plain, f"{name} is a datetime now: {why}")
    raise TypeMismatch(
        f"{name!r} is {kind.in_full}, the result is {result.type.in_full}",
        remedy=f"cast the result, or convert {name} to {made} first",
    )


def _into_numbers(result: Column, column: Column, name: str) -> Fitted:
    kind = column.type
    if kind == NUMBER:
        return Fitted(column, as_number(result))
    if kind.word == "decimal":
        made, rounded = to_scale(result, kind.scale)
        digits = counted(kind.scale, "digit")
        results = f"{counted(rounded, 'result')} rounded to {digits} after the point"
        return Fitted(column, made, f"{name}: {results}" if rounded else "")
    # An integer column.
    whole, broken = to_scale(result, 0)
    if not broken:
        return Fitted(column, whole._replace(type=INTEGER))
    why = f"{counted(broken, 'result')} {agree(broken, 'is', 'are')} not whole"
    if result.type.word == "decimal":
        wider, over = to_scale(column, result.type.scale)
        if not over and wider.missing_count == column.missing_count:
            return Fitted(wider, result, f"{name} is a decimal now: {why}")
    return Fitted(as_number(column), as_number(result), f"{name} is a number now: {why}")


def as_number(column: Column) -> Column:
    """Return integers or decimals as numbers."""
    if column.type == NUMBER:
        return column
    values = column.array.astype(np.float64) / 10**column.type.scale
    return column._replace(type=NUMBER, values=values, evidence=None)


def to_scale(column: Column, scale: int) -> tuple[Column, int]:
    """Return numbers as decimals of a scale, and how many had to be rounded.

    Halves are rounded away from zero; what has more than 18 digits is missing, ``undefined``.

    >>> made, rounded = to_scale(Column(NUMBER, np.array([1.25, 2.0])), 1)
    >>> [str(value) for value in made.to_list()], rounded
    (['1.3', '2.0'], 1)
    """
    kind = decimal(scale) if scale else INTEGER
    bad: NDArray[np.bool_]
    if column.type == NUMBER:
        values = np.where(column.present, column.array, 0.0)
        with np.errstate(over="ignore", invalid="ignore"):
            moved = values * 10.0**scale
            rounded = np.trunc(moved + np.copysign(0.5, moved))
        bad = ~(np.abs(moved) < BEYOND_DECIMAL)
        stored = np.where(bad, 0, rounded).astype(np.int64)
        # The nearest decimal may still be the number itself.
        exact = stored / 10.0**scale == values
        changed = ~bad & ~exact
    else:
        stored, bad, changed = _shifted(np.where(column.present, column.array, 0), scale - column.type.scale)
    state = np.where(bad & column.present, np.uint8(Reason.UNDEFINED), column.states)
    made = Column(kind, stored, state, description=column.description)
    return made, int(np.count_nonzero(changed & column.present))


def _shifted(values: NDArray[Any], digits: int) -> tuple[NDArray[np.int64], NDArray[np.bool_], NDArray[np.bool_]]:
    """Give scaled integers more or fewer digits after the point: values, what is out of range, what was rounded."""
    nothing = np.zeros(len(values), np.bool_)
    if digits >= 0:
        factor = 10**digits
        bad = np.abs(values) > (BEYOND_DECIMAL - 1) // factor
        return np.where(bad, 0, values) * np.int64(factor), bad, nothing
    factor = 10**-digits
    size = np.abs(values)
    whole, rest = np.divmod(size, factor)
    rounded = (whole + (2 * rest >= factor)) * np.sign(values)
    return rounded.astype(np.int64), nothing, rest != 0


def _as_datetime(column: Column) -> Column:
    return column._replace(type=DATETIME, values=column.array.astype(DATETIME.storage), evidence=None)


def _into_category(result: Column, column: Column, name: str) -> Fitted:
    base: Type = column.type.plain
    fitted = fit_into(result._replace(type=result.type.plain), column._replace(type=base), name)
    allowed = [choice.value for choice in column.type.choices]
    found = {text for text in fitted.result.texts() if text is not None}
    strange = sorted(found - set(allowed))
    if strange or fitted.column.type != base:
        raise TypeMismatch(
            f"{strange[0] if strange else fitted.note!r} is not a choice of the category {name!r}",
            remedy=f"choices: {listing(allowed)}; or convert {name} with more of them",
        )
    return Fitted(column, fitted.result._replace(type=column.type), fitted.note)
